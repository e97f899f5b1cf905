"""Reverse osmosis: a membrane at the drinking tap, or for the whole house with its storage."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from math import exp
from typing import TYPE_CHECKING, Any

from ..carbonate import solve_ph
from ..events import busiest_week, storage_for
from ..figure import Figure, figure, source, work
from ..job import VOLUME
from ..needs import TAP_GOALS
from ..rules import Hit, rule
from ..spec import Choice, Fraction, Measure, key
from ..water import OPEN_TO_AIR, PERMEATE, Water
from .base import FeedLimit, Room, Sizing, StageKeys

if TYPE_CHECKING:
    from ..audit import Audit
    from ..duty import Duty
    from ..train import StageRun

GPD = 3.785411784  # L/day


@dataclass(frozen=True, slots=True)
class ReverseOsmosisKeys(StageKeys):
    scale: str | None = key(Choice(("point_of_use", "whole_house")), None, "one tap or the whole house")
    rated: float | None = key(Measure("daily_flow", "400 gal/day", high=1e7, above=True), None, "permeate at 25 °C, as rated")
    recovery: float | None = key(Fraction(), None, "share of the feed that becomes permeate")
    storage: float | None = key(VOLUME, None, "permeate storage")


def scale_of(keys: ReverseOsmosisKeys) -> str:
    return keys.scale or "point_of_use"


def temperature_factor(temperature: float, school: str) -> float:
    """Output at a temperature [degC] as a share of that at 25 degC [-]. school: exponential or linear (T degF / 77).

    >>> round(temperature_factor(25.0, "exponential"), 3), round(temperature_factor(10.0, "exponential"), 3)
    (1.0, 0.625)
    """
    if school == "linear":
        return max((temperature * 1.8 + 32) / 77, 0.05)
    return exp(2640 * (1 / 298 - 1 / (273 + temperature)))


class ReverseOsmosis(Room):
    kind = "reverse_osmosis"
    title = "Reverse osmosis"
    silhouette = "membrane"
    Keys = ReverseOsmosisKeys
    answers = TAP_GOALS
    uses_power = True
    cautions = (
        "At a drinking tap only that tap is treated: the other taps stay as they are.",
        "Permeate is soft and acid: plastic or stainless after it, never copper, until it is neutralized.",
        "Test the permeate: a membrane fails slowly. Log dissolved solids, change prefilters on time.",
        "Reject water needs a drain with an air gap; frost and sun ruin membranes.",
    )

    def at_tap(self, keys: ReverseOsmosisKeys) -> bool:
        return scale_of(keys) == "point_of_use"

    def name(self, keys: ReverseOsmosisKeys) -> str:
        return "Membrane at the tap" if self.at_tap(keys) else "Reverse osmosis"

    def feed_limits(self, keys: ReverseOsmosisKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited, tap = duty.rows["reverse_osmosis"], source("membrane.feed"), self.at_tap(keys)
        mild = "caution" if tap else "fault"
        return [
            FeedLimit("ph", row["ph_min"], None, cited, "acid water harms the membrane"),
            FeedLimit("ph", None, row["ph_max"], cited, "alkaline water harms the membrane"),
            FeedLimit("tds", None, row["tds_max"], cited, "more salt than house pressure overcomes", mild),
            FeedLimit(
                "hardness",
                None,
                row["tap_hardness_max"] if tap else row["hardness_max"],
                cited,
                "hardness scales the membrane; soften or dose antiscalant first",
                mild,
            ),
            FeedLimit("iron", None, row["tap_iron_max"] if tap else row["iron_max"], cited, "iron fouls the membrane"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "manganese fouls the membrane", mild),
            FeedLimit("free_chlorine", None, row["chlorine_max"], cited, "chlorine destroys thin-film membranes", "fault"),
            FeedLimit("tannin", None, row["tannin_max"], cited, "tannin fouls the membrane", mild),
            FeedLimit("turbidity", None, row["turbidity_max"], cited, "silt fouls the membrane", mild),
            FeedLimit("hydrogen_sulfide", None, row["sulfide_max"] + 0.02, cited, "sulfide fouls the membrane", mild),
        ]

    def _need(self, keys: ReverseOsmosisKeys, duty: Duty) -> tuple[Figure, list[float]]:
        """Permeate a day [L/day] with its working, and what is asked hour by hour over the busiest week [L]."""
        row = duty.rows["reverse_osmosis"]
        if self.at_tap(keys):
            people = duty.facts.building.people or 3.0
            need = people * row["drink_l"]
            return figure(
                work("drinking and cooking", "people × each", need, "L/day", "membrane.drinking", people=(people, ""), each=(row["drink_l"], "L/day"))
            ), [need / 24] * 168
        week = busiest_week(duty.facts, duty.daily)
        busiest = max(sum(week[day * 24 : day * 24 + 24]) for day in range(7))
        return figure(work("busiest day", "day", busiest, "L/day", "membrane.balance", day=(busiest, "L/day"))), week

    def size(self, keys: ReverseOsmosisKeys, water: Water, duty: Duty) -> Sizing:
        row, scale = duty.rows["reverse_osmosis"], scale_of(keys)
        coldest = duty.facts.supply.coldest if duty.facts.supply.coldest is not None else water.temperature
        factor = temperature_factor(coldest, duty.facts.schools.ro_temperature)
        required, week = self._need(keys, duty)
        rated_required = required.value / factor
        rated = keys.rated or next((size * GPD for size in row["sizes_gpd"] if size * GPD >= rated_required), rated_required)
        recovery = keys.recovery if keys.recovery is not None else row["recovery"][scale]
        if duty.facts.schools.ro_temperature == "linear":
            warm = work("output at temperature", "(T × 1.8 + 32) ÷ 77", factor, "1", "membrane.temperature", T=(coldest, "degC"))
        else:
            warm = work("output at temperature", "exp(2640 × (1 ÷ 298 − 1 ÷ (273 + T)))", factor, "1", "membrane.temperature", T=(coldest, "degC"))
        hourly = rated * factor / 24
        storage_required = storage_for(week, hourly, row["usable"])
        storage = keys.storage or max(storage_required, float(row["storage_l"][scale]))
        reject = rated * (1 / recovery - 1)
        figures = {
            "permeate_required": required,
            "temperature_factor": figure(warm),
            "rated_required": figure(*required.working, warm, work("rated at 25 °C", "need ÷ factor", rated_required, "L/day", "membrane.temperature", need=(required.value, "L/day"), factor=(factor, ""))),
            "output": figure(warm, work("output", "rated × factor", rated * factor, "L/day", "membrane.temperature", rated=(rated, "L/day"), factor=(factor, ""))),
            "reject_flow": figure(work("reject", "rated × (1 ÷ recovery − 1)", reject, "L/day", "membrane.balance", rated=(rated, "L/day"), recovery=(recovery, ""))),
            "feed_flow": figure(work("feed", "rated ÷ recovery ÷ 1440", rated / recovery / 1440, "L/min", "membrane.balance", rated=(rated, "L/day"), recovery=(recovery, ""))),
            "storage_required": figure(work("storage", "solve(week, hourly)", storage_required, "L", "membrane.balance", week=(sum(week), "L"), hourly=(hourly, "L/h"))),
            "replacement_interval": figure(work("membrane", "months", float(row["membrane_months"]), "month", "membrane.rejection", months=(float(row["membrane_months"]), "month"))),
            "prefilter_interval": figure(work("prefilters", "months", float(row["prefilter_months"]), "month", "membrane.rejection", months=(float(row["prefilter_months"]), "month"))),
        }  # fmt: skip
        if scale == "whole_house":
            feed, lift, share = rated / recovery / 1440, float(row["pump_kpa"]), float(row["pump_efficiency"])
            figures["power"] = figure(
                work(
                    "power of its pump",
                    "feed × lift ÷ 60 ÷ efficiency",
                    feed * lift / 60 / share,
                    "W",
                    "membrane.pump",
                    feed=(feed, "L/min"),
                    lift=(lift, "kPa"),
                    efficiency=(share, ""),
                )
            )
        return Sizing({"scale": scale, "rated": rated, "recovery": recovery, "storage": storage}, figures)

    def treat(self, keys: ReverseOsmosisKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        held = duty.rows["reverse_osmosis"]["rejection"]
        changes = {name: water.value(name) * (1 - share) for name, share in held.items() if water.get(name) is not None}
        state = water.state
        after = water.with_(**changes)
        # carbon dioxide passes; bicarbonate is held with the alkalinity
        carbon = state.co2 + (state.carbon - state.co2) * (1 - held["alkalinity"])
        after = after.with_(ph=solve_ph(after.solution, carbon).ph, tds=water.value("tds") * (1 - held["tds"]))
        if water.get("uvt") is not None:
            after = after.with_(uvt=max(water.value("uvt"), 97.0))
        return after if self.at_tap(keys) else after.with_(**{OPEN_TO_AIR: 1.0, PERMEATE: 1.0})

    def loss(self, keys: ReverseOsmosisKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        return 0.0, 0.0

    def pressure_after(self, sizing: Sizing, pressure: float, loss: float) -> float:
        return 0.0 if sizing.params["scale"] == "whole_house" else pressure

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        return []

    def schools(self, keys: ReverseOsmosisKeys, water: Water, system: str) -> list[str]:
        return [
            "At the drinking tap where that answers the need (ours); others treat the whole house.",
            "Output falls with temperature exponentially (ours); the linear school divides by T°F / 77.",
            "Antiscalant or a softener before it (ours); claims for catalytic bars have no accepted evidence.",
        ]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return f"holds back salts: dissolved solids from {before.value('tds'):.0f} to {after.value('tds'):.0f} mg/L"

    def body(self, keys: ReverseOsmosisKeys, sizing: Sizing) -> tuple[float, float, float]:
        return (380.0, 420.0, 250.0) if self.at_tap(keys) else (700.0, 1400.0, 0.0)


@rule("ro-undersized", "membrane.balance", on="reverse_osmosis")
def ro_undersized(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The membrane and its storage do not carry the busiest days."""
    figures, params = stage.sizing.figures, stage.sizing.params
    need, makes = figures["permeate_required"].value, figures["output"].value
    usable = audit.duty.rows["reverse_osmosis"]["usable"]
    if params["rated"] < need * 0.995:
        yield Hit("fault", f"Rated {audit.show(params['rated'], 'L/day')}; {audit.show(need, 'L/day')} of permeate are asked on the busiest day.",
                  f"Fit {audit.show(figures['rated_required'].value, 'L/day')} rated at 25 °C or more.")  # fmt: skip
    elif makes >= need * 0.995 and params["storage"] < figures["storage_required"].value * 0.98:
        yield Hit("fault", f"{audit.show(params['storage'], 'L')} of storage, {usable:.0%} of it usable; hour by hour {audit.show(figures['storage_required'].value, 'L')} are needed.",
                  "A larger tank or a larger membrane.")  # fmt: skip


@rule("ro-cold", "membrane.temperature", on="reverse_osmosis")
def ro_cold(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The rating at 25 °C is taken at face value; in cold water the membrane makes less than is asked."""
    figures, rated = stage.sizing.figures, stage.sizing.params["rated"]
    need, makes = figures["permeate_required"].value, figures["output"].value
    if rated >= need * 0.995 and makes < need * 0.995:
        yield Hit("fault", f"Rated {audit.show(rated, 'L/day')} at 25 °C, it makes {audit.show(makes, 'L/day')} in the coldest water; {audit.show(need, 'L/day')} are asked.",
                  f"Fit {audit.show(figures['rated_required'].value, 'L/day')} rated at 25 °C or more.")  # fmt: skip


@rule("ro-feed", "membrane.tap", on="reverse_osmosis")
def ro_feed(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Too little pressure reaches a membrane at the tap, or the source gives less than a house unit's pump draws."""
    if stage.at_tap:
        supply, least = audit.duty.supply, float(audit.duty.rows["reverse_osmosis"]["least_kpa"])
        if audit.facts.supply.pressure_low is None or any(other.kind == "booster_pump" for other in audit.run.stages[: stage.index]):
            return
        arrives = (supply.pressure_low + supply.pressure_high) / 2  # a trickle loses nothing on its way, and fills between the switch points
        if arrives < least * 0.995:
            yield Hit("caution", f"{audit.show(arrives, 'kPa')} reach the membrane at the tap on average; it wants {audit.show(least, 'kPa')}: it makes less and wastes more.",
                      "A small booster at the tap, or more pressure for the house.")  # fmt: skip
        return
    feed, gives = stage.sizing.figures["feed_flow"].value, audit.duty.demand.supply_flow
    if feed > gives * 1.005:
        yield Hit("fault", f"Its pump draws {audit.show(feed, 'L/min')}; the source gives {audit.show(gives, 'L/min')}: it would run dry.",
                  "A smaller membrane with more storage, a tank before its pump, or a stronger source.", source=source("membrane.pump"))  # fmt: skip


@rule("permeate-aggressive", "membrane.permeate", on="reverse_osmosis")
def permeate_aggressive(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Permeate goes to the house soft and acid, with nothing that neutralizes it."""
    if stage.at_tap:
        return
    later = audit.run.stages[stage.index + 1 :]
    mended = any(
        other.kind == "neutralizer" or (other.kind == "chemical_feed" and other.sizing.params["chemical"] in ("soda_ash", "caustic"))
        for other in later
    )
    if not mended:
        yield Hit("caution", f"Permeate leaves at pH {stage.water_out.ph:.1f} with {audit.show(stage.water_out.value('alkalinity'), 'mg/L alkalinity')} of alkalinity: it eats copper and brass.",
                  "Put a small calcite bed after the membrane, and plastic or stainless pipe between them.")  # fmt: skip
