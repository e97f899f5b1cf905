"""Reverse osmosis: a membrane at the drinking tap, or for the whole house with its storage."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from math import ceil
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.carbonate import solve_ph
from ..chemistry.water import ARSENITE, CHLORINE_FED, OPEN_TO_AIR, PERMEATE, Water
from ..house.demand import interpolate
from ..house.duty import Duty
from ..house.events import busiest_week, storage_for
from ..house.needs import TAP_GOALS, tasted
from ..house.stock import Asked, Wanted, fewest
from ..job.catalogue import FitsMembrane
from ..job.facts import VOLUME
from ..job.feed_limits import FeedLimit
from ..job.limits import strictest
from ..language.analytes import CHLORINATED, MICROBES, analytes
from ..language.figure import Figure, Line, constant, figure, solved, source, stated, work
from ..language.spec import Choice, Fraction, Measure, key
from ..language.tables import table
from ..train.bought import alike
from ..train.keys import StageKeys
from ..train.monitored import LogOfStage, Shown, normal_flow, passage, permeate
from ..train.over_time import Slugs, State, Stepped, Stock, Storing, Tank
from ..train.running import lifted, rejected
from ..train.treatment import Fork, Purchase, Sizing, Stage, StageRun, TrainRun, Treatment, fixed_body
from .anion_exchange import ANION_EXCHANGE, AnionExchangeKeys
from .booster_pump import BOOSTER_PUMP, BoosterPumpKeys
from .carbon import chloramine
from .neutralizer import NEUTRALIZER, NeutralizerKeys
from .sediment import FINE
from .storage_tank import tank_wanted, tanks_sold
from .uv import UV, UvKeys

GPD = constant("US_gal")  # L/day


@dataclass(frozen=True, slots=True)
class ReverseOsmosisKeys(StageKeys):
    scale: str | None = key(Choice(("point_of_use", "whole_house")), None, "one tap or the whole house", identity=True)
    rated: float | None = key(Measure("daily_flow", "400 gal/day", high=1e7, above=True), None, "permeate at 25 °C, as rated")
    recovery: float | None = key(Fraction(), None, "share of the feed that becomes permeate")
    storage: float | None = key(VOLUME, None, "permeate storage")


def scale_of(keys: ReverseOsmosisKeys) -> str:
    return keys.scale or "point_of_use"


def output_at(temperature: float, school: str) -> Line:
    """Output at a temperature [degC] as a share of that at 25 degC [-]. school: exponential or linear (T degF / 77).

    >>> round(output_at(25.0, "exponential").value, 3), round(output_at(10.0, "exponential").value, 3)
    (1.0, 0.625)
    """
    warm = "max((T × 1.8 + 32) ÷ 77, 0.05)" if school == "linear" else "exp(2640 × (1 ÷ 298 − 1 ÷ (273 + T)))"
    return work("output at temperature", warm, "1", "membrane.temperature", T=(temperature, "degC"))


class Making(Storing[StageRun[ReverseOsmosisKeys]]):
    """A membrane with its tank: what it makes in an hour follows the temperature of the day."""

    own_points = ("permeate_flow", "reject_flow")

    def __init__(self, stage: StageRun[ReverseOsmosisKeys], tank: Tank):
        super().__init__(
            stage, tank, [Stock("membrane", "day", 0.0, None, True, "membrane"), Stock("prefilter", "day", 0.0, None, True, "prefilter")]
        )
        self.school = stage.duty.facts.schools.ro_temperature
        power = stage.figures.get("power")
        self.watts = power.value if power else 0.0

    def shows(self, what: str, log: LogOfStage) -> Shown | None:
        if what == "passage":
            return passage(log)
        if what == "normal_flow":
            return normal_flow(log)
        if what != "permeate_flow":
            return super().shows(what, log)
        near = log.warmth()
        warm = output_at(near, self.school) if near is not None else self.stage.figures["temperature_factor"].working[-1]
        return permeate(self.stage.sizing.params["rated"], warm)

    def makes(self, temperature: float) -> float:
        return float(self.stage.sizing.params["rated"] * output_at(temperature, self.school).value / 24)

    def step(self, state: State, slugs: Slugs) -> Stepped:
        hours = slugs.total / self.tank.flow / 60
        return Stepped({**state, "membrane": state["membrane"] + 1, "prefilter": state["prefilter"] + 1}, energy=self.watts * hours / 1000)


class ReverseOsmosis(Treatment[ReverseOsmosisKeys]):
    kind = "reverse_osmosis"
    title = "Reverse osmosis"
    silhouette = "membrane"
    Keys = ReverseOsmosisKeys
    answers = TAP_GOALS
    price = 3.5
    place = 15
    bypassed = True
    absent = "nothing here needs a membrane"
    main = ("replacement_interval", "permeate_required", "rated_required", "reject_flow", "storage_required")
    uses_power = True
    rejects = True
    cautions = (
        "A point-of-use membrane treats only its own tap. All other taps stay untreated.",
        "Permeate is soft and acid: use plastic or stainless steel after it, never copper, until it is neutralized.",
        "Test the permeate: a membrane fails slowly. Log dissolved solids and change prefilters on time.",
        "Reject water needs a drain with an air gap. Frost and sun ruin membranes.",
    )

    def at_tap(self, keys: ReverseOsmosisKeys) -> bool:
        return scale_of(keys) == "point_of_use"

    def name(self, keys: ReverseOsmosisKeys) -> str:
        return "Membrane at the tap" if self.at_tap(keys) else "Reverse osmosis"

    def output_share(self, temperature: float, school: str) -> Line:
        return output_at(temperature, school)

    def feed_limits(self, keys: ReverseOsmosisKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited, tap = duty.rows["reverse_osmosis"], source("membrane.feed"), self.at_tap(keys)
        mild = "caution" if tap else "fault"
        passes = "chloramine goes through a small carbon prefilter: use twice the carbon, or a catalytic bed before it"
        return [
            *([FeedLimit("total_chlorine", None, row["chlorine_max"], cited, passes, mild)] if chloramine(water) > tasted() else []),
            FeedLimit("ph", row["ph_min"], None, cited, "acid water damages the membrane"),
            FeedLimit("ph", None, row["ph_max"], cited, "alkaline water damages the membrane"),
            FeedLimit("tds", None, row["tds_max"], cited, "that is more salt than house pressure overcomes", mild),
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
            FeedLimit(
                "free_chlorine",
                None,
                row["tap_chlorine_max"] if tap else row["chlorine_max"],
                cited,
                "chlorine destroys thin-film membranes",
                "fault",
            ),
            FeedLimit("tannin", None, row["tannin_max"], cited, "tannin fouls the membrane", mild),
            FeedLimit("turbidity", None, row["turbidity_max"], cited, "silt fouls the membrane", mild),
            FeedLimit("tss", None, duty.rows["sediment_forms"]["tss_max"], cited, "grit and silt foul the membrane", mild),
            FeedLimit("aluminium", None, row["aluminium_max"], cited, "aluminum fouls the membrane", "caution"),
            FeedLimit("silica", None, row["silica_max"], cited, "silica scales the membrane; dose antiscalant or lower the recovery", "caution"),
            *(
                [FeedLimit("phosphate", None, row["phosphate_max"], cited, "with calcium it scales the membrane", "caution")]
                if water.hardness > row["phosphate_hardness"]
                else []
            ),
            *(
                []
                if tap
                else [FeedLimit(name, None, 0.0, cited, "microbes grow on the membrane; disinfect before it", "caution") for name in CHLORINATED]
            ),
            FeedLimit("hydrogen_sulfide", None, row["tap_sulfide_max"] if tap else row["sulfide_traces"], cited, "sulfide fouls the membrane", mild),
        ]

    def _need(self, keys: ReverseOsmosisKeys, duty: Duty) -> tuple[Line, tuple[float, ...]]:
        """Permeate a day [L/day], and what is asked hour by hour over the busiest week [L]."""
        row = duty.rows["reverse_osmosis"]
        if self.at_tap(keys):
            need = work(
                "drinking and cooking", "people × each", "L/day", "membrane.drinking", people=(duty.people, ""), each=(row["drink_l"], "L/day")
            )
            return need, (need.value / 24,) * 168
        week = busiest_week(duty.facts, duty.daily)
        return stated("busiest day", "day", max(sum(week[day * 24 : day * 24 + 24]) for day in range(7)), "L/day", "membrane.balance"), week

    def powered(self, keys: ReverseOsmosisKeys) -> bool:
        return not self.at_tap(keys)

    def fed(self, keys: ReverseOsmosisKeys, raw: Water, duty: Duty) -> tuple[float, float, float] | None:
        """A unit for the house makes permeate steadily into its tank: what stands before it treats feed, not what the taps draw."""
        if self.at_tap(keys):
            return None
        params = self.size(keys, raw, duty).params
        return self._need(keys, duty)[0].value, params["recovery"], params["rated"] / params["recovery"] / 1440

    def draws(self, keys: ReverseOsmosisKeys) -> bool:
        return not self.at_tap(keys)

    def _warm(self, water: Water, duty: Duty) -> Line:
        coldest = duty.facts.supply.coldest if duty.facts.supply.coldest is not None else water.temperature
        return output_at(coldest, duty.facts.schools.ro_temperature)

    def size(self, keys: ReverseOsmosisKeys, water: Water, duty: Duty) -> Sizing:
        row, scale = duty.rows["reverse_osmosis"], scale_of(keys)
        factor, (need, week) = self._warm(water, duty).value, self._need(keys, duty)
        wanted = need.value / factor
        sold = self._sold(keys, wanted, duty)
        count, fits = sold if sold is not None else (1, None)
        rated = keys.rated or (
            fits.rated * count if fits is not None else next((size * GPD for size in row["sizes_gpd"] if size * GPD >= wanted), wanted)
        )
        usual = fits.recovery if fits is not None else row["recovery"][scale]
        recovery = keys.recovery if keys.recovery is not None else usual
        softened = water.hardness <= row["concentrate_hardness"] * (1 - row["recovery_business"])
        if fits is None and keys.recovery is None and scale == "whole_house" and duty.facts.building.events and softened:
            recovery = row["recovery_business"]  # light-commercial units return part of the reject
        if keys.recovery is None:  # above 1000 mg/L the reject doubles to two and a half times
            more = interpolate(water.value("tds"), [float(at) for at in row["reject_more"]], [float(times) for times in row["reject_more"].values()])
            recovery = 1 / (1 + (1 / recovery - 1) * more)
        storage = keys.storage or max(storage_for(week, rated * factor / 24, row["usable"]), float(row["storage_l"][scale]))
        params = {"scale": scale, "rated": rated, "recovery": recovery, "storage": storage} | ({"membranes": count} if count > 1 else {})
        if scale == "whole_house" and (tanks := tanks_sold(storage, duty)) is not None:
            params |= {"tanks": tanks[0]} | ({} if keys.storage else {"storage": tanks[0] * tanks[1]})
        return Sizing(params)

    def _sold(self, keys: ReverseOsmosisKeys, wanted: float, duty: Duty) -> tuple[int, FitsMembrane] | None:
        """How many of which unit of the catalogue make so much [L/day, as rated], or are what the job names; None where there is none."""
        units = sorted((item.fits for item in duty.stock.sold("membrane") if item.fits.place == self._place(keys)), key=lambda fits: fits.rated)
        if keys.rated:
            return fewest(units, lambda fits: self._beside(keys, duty), lambda fits, count: alike(fits.rated * count, keys.rated))
        return fewest(units, lambda fits: self._beside(keys, duty), lambda fits, count: fits.rated * count >= wanted * 0.999999)

    def _place(self, keys: ReverseOsmosisKeys) -> str:
        return "tap" if self.at_tap(keys) else "house"

    def _beside(self, keys: ReverseOsmosisKeys, duty: Duty) -> int:
        """How many units stand side by side; below a sink one."""
        return 1 if self.at_tap(keys) else duty.stock.beside(fixed_body("membrane_house")[0] / 1000)

    def pieces(self, keys: ReverseOsmosisKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Wanted]:
        """The unit that was taken; where none makes enough, what the nearest lacks. Its storage, where it stands beside it."""
        count, place, params = sizing.params.get("membranes", 1), self._place(keys), sizing.params
        name = f"membrane unit for {'a tap' if place == 'tap' else 'the house'}"
        taken = self._sold(replace(keys, rated=params["rated"]), 0.0, duty) is not None
        beside = count if taken else self._beside(keys, duty)
        wanted = params["rated"] if taken or keys.rated else self._need(keys, duty)[0].value / self._warm(water, duty).value
        side = f" of {beside} side by side" if beside > 1 else ""
        ask = Asked(f"the permeate{side} at 25 °C", wanted, "L/day", lambda fits: float(fits.rated * beside))
        unit = Wanted("membrane", name, lambda fits: bool(fits.place == place), (ask,))
        return {f"membrane_{place}": unit} | (
            {} if place == "tap" else {"tank": tank_wanted("permeate tank", params["storage"], params.get("tanks", 1))}
        )

    def figures(self, keys: ReverseOsmosisKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, rated, recovery = duty.rows["reverse_osmosis"], (sizing.params["rated"], "L/day"), (sizing.params["recovery"], "")
        warm, (need, week) = self._warm(water, duty), self._need(keys, duty)
        factor = (warm.value, "")
        output = work("output", "rated × factor", "L/day", "membrane.temperature", rated=rated, factor=factor)
        feed = work("feed", "rated ÷ recovery ÷ 1440", "L/min", "membrane.balance", rated=rated, recovery=recovery)
        hourly = output.value / 24
        stored = solved(
            "storage",
            "week, hourly",
            storage_for(week, hourly, row["usable"]),
            "L",
            "membrane.balance",
            week=(sum(week), "L"),
            hourly=(hourly, "L/h"),
        )
        found = {
            "permeate_required": figure(need),
            "temperature_factor": figure(warm),
            "rated_required": figure(
                need, warm, work("rated at 25 °C", "need ÷ factor", "L/day", "membrane.temperature", need=(need.value, "L/day"), factor=factor)
            ),
            "output": figure(warm, output),
            "reject_flow": figure(work("reject", "rated × (1 ÷ recovery − 1)", "L/day", "membrane.balance", rated=rated, recovery=recovery)),
            "feed_flow": figure(feed),
            "storage_required": figure(stored),
            "replacement_interval": figure(stated("membrane", "months", float(row["membrane_months"]), "month", "membrane.rejection")),
            "prefilter_interval": figure(stated("prefilters", "months", float(row["prefilter_months"]), "month", "membrane.rejection")),
        }
        if not self.at_tap(keys):
            lift, share = (float(row["pump_kpa"]), "kPa"), (float(row["pump_efficiency"]), "")
            power = work(
                "power of its pump", "feed × lift ÷ 60 ÷ efficiency", "W", "membrane.pump", feed=(feed.value, "L/min"), lift=lift, efficiency=share
            )
            found["power"] = figure(power)
            bore = work("bore of its feed line", "1000 × sqrt(4 × feed ÷ 60000 ÷ pi ÷ speed)", "mm", "hydraulics.velocity",
                        feed=(feed.value, "L/min"), speed=(float(duty.rows["house"]["velocity_max"]), "m/s"))  # fmt: skip
            found["feed_line"] = figure(bore)
        return found

    def treat(self, keys: ReverseOsmosisKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        held = duty.rows["reverse_osmosis"]["rejection"]
        if self.at_tap(keys):  # a small element behind O-rings, and carbon and a tank after it, are no barrier to rely on
            held = {name: share for name, share in held.items() if name not in MICROBES}
        changes = {name: water.value(name) * (1 - share) for name, share in held.items() if water.get(name) is not None}
        if water.value(ARSENITE) > 0:  # uncharged, it passes
            changes["arsenic"] = water.value(ARSENITE) + (water.value("arsenic") - water.value(ARSENITE)) * (1 - held["arsenic"])
        state = water.state
        after = water.with_(**changes)
        # carbon dioxide passes; bicarbonate is held with the alkalinity
        carbon = state.co2 + (state.carbon - state.co2) * (1 - held["alkalinity"])
        after = after.with_(ph=solve_ph(after.solution, carbon).ph, tds=water.value("tds") * (1 - held["tds"]))
        if water.get("uvt") is not None:
            after = after.with_(uvt=max(water.value("uvt"), 97.0))
        return after if self.at_tap(keys) else after.with_(**{OPEN_TO_AIR: 1.0, CHLORINE_FED: 0.0, PERMEATE: 1.0})

    def pressure_after(self, sizing: Sizing, pressure: float, loss: float) -> float:
        return 0.0 if sizing.params["scale"] == "whole_house" else pressure

    def drained(self, keys: ReverseOsmosisKeys, sizing: Sizing, figures: dict[str, Figure], duty: Duty) -> Line:
        return rejected(duty.drinking_daily if self.at_tap(keys) else duty.daily_mean, sizing.params["recovery"])

    def burned(self, keys: ReverseOsmosisKeys, sizing: Sizing, figures: dict[str, Figure], duty: Duty) -> Line:
        row = duty.rows["reverse_osmosis"]
        return lifted(duty.daily_mean / sizing.params["recovery"] * 365, float(row["pump_kpa"]), float(row["pump_efficiency"]))

    def other_sizes(self, keys: ReverseOsmosisKeys, sizing: Sizing, water: Water, duty: Duty) -> list[ReverseOsmosisKeys]:
        """More or less of its feed made into permeate."""
        most = duty.rows["reverse_osmosis"]["recovery_most"][scale_of(keys)]
        return [
            replace(keys, recovery=share) for share in (0.25, 0.4, 0.5, 0.6, 0.75) if share <= most and abs(share - sizing.params["recovery"]) > 0.01
        ]

    def over_time(self, stage: StageRun[ReverseOsmosisKeys]) -> Making:
        """It makes permeate into its tank, the colder the slower; what stands before it sees its feed."""
        params = stage.sizing.params
        flow, usable = params["rated"] / params["recovery"] / 1440, float(stage.duty.rows["reverse_osmosis"]["usable"])
        tank = Tank(params["storage"], stage.figures["output"].value / 24, 1 / params["recovery"], flow, usable)
        return Making(stage, tank)

    def asked_by(self, goals: frozenset[str], duty: Duty) -> list[ReverseOsmosisKeys]:
        """At the drinking tap where that answers a need; for the whole house only where it is wished."""
        found = [ReverseOsmosisKeys(scale="point_of_use")] if goals else []
        if duty.facts.wishes.high_purity and not duty.facts.wishes.no_power:
            found.append(ReverseOsmosisKeys(scale="whole_house"))
        return found

    def companions(self, keys: ReverseOsmosisKeys, water: Water, duty: Duty) -> tuple[tuple[Stage[Any], ...], tuple[Stage[Any], ...]]:
        """For a house: a fine filter before it, a pump after it; calcite where purity is not the purpose, a filter and a lamp where people drink."""
        if self.at_tap(keys):
            return (), ()
        pump = Stage(BOOSTER_PUMP, BoosterPumpKeys())
        calcite = () if duty.facts.wishes.high_purity else (Stage(NEUTRALIZER, NeutralizerKeys(flow="up")),)
        return (FINE,), (pump, *calcite, *((FINE, Stage(UV, UvKeys())) if duty.drunk else ()))

    def why_absent(self, wanted: bool, raw: Water, duty: Duty, tested: bool, refused: Callable[[], list[str]]) -> str:
        return "another treatment does its work, or the water must be treated first" if wanted else self.absent

    def purposeful(self, stage: StageRun[Any], run: TrainRun, duty: Duty, microbes: bool) -> bool:
        """Where purity or little sodium is wished, or less salt than the aesthetic limit."""
        limit = strictest(duty.facts.job.standard, "tds", duty.facts.as_of)
        salty = limit is not None and stage.water_in.value("tds") > limit.high
        return duty.facts.wishes.high_purity or duty.facts.wishes.low_sodium or salty

    def buys(self, keys: ReverseOsmosisKeys, sizing: Sizing) -> list[Purchase]:
        params = sizing.params
        prefilters = Purchase("prefilter", float(ceil(12 / sizing.figures["prefilter_interval"].value)), yearly=True)
        if self.at_tap(keys):
            return [Purchase("membrane_tap", 1.0), prefilters]
        return [
            Purchase("membrane_house", params["rated"] / 100, pieces=params.get("membranes", 1)),
            prefilters,
        ]

    def schools(self, keys: ReverseOsmosisKeys, water: Water, system: str) -> list[str]:
        return [
            "At the drinking tap where that meets the need (default); others treat the whole house.",
            "Output falls exponentially with temperature (default); the linear method divides by T°F / 77.",
            "Antiscalant or a softener before it (default); claims for catalytic bars have no accepted evidence.",
        ]

    def forks(self, stage: StageRun[ReverseOsmosisKeys], others: frozenset[str]) -> list[Fork]:
        exchange = Stage(ANION_EXCHANGE, AnionExchangeKeys(target="nitrate"))
        return [
            Fork(
                "Nitrate exchange for the whole house instead of a membrane at the tap",
                5,
                avoid=frozenset({self.kind}),
                offers=((exchange,),),
                has=frozenset({ANION_EXCHANGE.kind}),
            )
        ]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return f"removes salts: dissolved solids from {before.value('tds'):.0f} to {after.value('tds'):.0f} mg/L"

    def body(self, keys: ReverseOsmosisKeys, sizing: Sizing) -> tuple[float, float, float]:
        return fixed_body("membrane_tap" if self.at_tap(keys) else "membrane_house")

    def lifted(self, keys: ReverseOsmosisKeys, sizing: Sizing) -> float:
        """The elements of a rack are drawn up out of their housings."""
        return 0.0 if self.at_tap(keys) else float(table("stages")["reverse_osmosis"]["element_lift"])

    def kept_beside(self, keys: ReverseOsmosisKeys, sizing: Sizing) -> float:
        """Permeate waits in a tank for the hours in which more is drawn than is made."""
        return 0.0 if self.at_tap(keys) else float(sizing.params["storage"])


REVERSE_OSMOSIS = ReverseOsmosis()


@rule("ro-undersized", "train", "membrane.balance", on="reverse_osmosis")
def ro_undersized(audit: Audit, stage: StageRun[ReverseOsmosisKeys]) -> Iterator[Hit]:
    """The membrane and its storage do not carry the busiest days."""
    figures, params = stage.figures, stage.sizing.params
    need, makes = figures["permeate_required"].value, figures["output"].value
    usable = audit.duty.rows["reverse_osmosis"]["usable"]
    if params["rated"] < need * 0.995:
        yield Hit("fault", f"It is rated for {audit.show(params['rated'], 'L/day')}; the busiest day needs {audit.show(need, 'L/day')} of permeate.",
                  f"Fit {audit.show(figures['rated_required'].value, 'L/day')} rated at {audit.show(25.0, 'degC')} or more.")  # fmt: skip
    elif makes >= need * 0.995 and params["storage"] < figures["storage_required"].value * 0.98:
        yield Hit(
            "fault",
            f"{audit.show(params['storage'], 'L')} of storage is installed, {usable:.0%} of it usable; hour by hour "
            f"{audit.show(figures['storage_required'].value, 'L')} is needed.",
            "Use a larger tank or a larger membrane.",
        )


@rule("recovery-high", "train", "membrane.scaling", on="reverse_osmosis")
def recovery_high(audit: Audit, stage: StageRun[ReverseOsmosisKeys]) -> Iterator[Hit]:
    """More recovery than the scaling salts of the feed allow."""
    recovery, row, water = stage.sizing.params["recovery"], audit.duty.rows["reverse_osmosis"], stage.water_in
    built = float(row["recovery_most"][stage.sizing.params["scale"]])
    if recovery > built * 1.005:
        yield Hit("fault", f"Recovery is {recovery:.0%}; units of this kind are built for at most {built:.0%}. What remains in the reject scales and fouls the element.",
                  f"Set at most {built:.0%}, less on salty feed; part of the reject can be reused where hardness and salt allow.")  # fmt: skip
        return
    for name, most in (("hardness", row["concentrate_hardness"]), ("silica", row["concentrate_silica"])):
        held = water.value(name) / max(1 - recovery, 0.01)
        if stage.keys.recovery is not None and held > most * 1.005:
            allowed = max(1 - water.value(name) / most, 0.0)
            said = f"At {recovery:.0%} recovery the reject contains {audit.reads(name, held)} of {analytes()[name].said}; above {audit.reads(name, most)} it scales."
            yield Hit("fault", said, f"Set at most {allowed:.0%} recovery on this feed, or soften it or dose antiscalant first.")
            return


@rule("ro-cold", "train", "membrane.temperature", on="reverse_osmosis")
def ro_cold(audit: Audit, stage: StageRun[ReverseOsmosisKeys]) -> Iterator[Hit]:
    """The rating at 25 °C is taken at face value; in cold water the membrane makes less than is asked."""
    figures, rated = stage.figures, stage.sizing.params["rated"]
    need, makes = figures["permeate_required"].value, figures["output"].value
    if rated >= need * 0.995 and makes < need * 0.995:
        yield Hit("fault", f"It is rated for {audit.show(rated, 'L/day')} at {audit.show(25.0, 'degC')} but makes {audit.show(makes, 'L/day')} in the "
                           f"coldest water; {audit.show(need, 'L/day')} is needed.",
                  f"Fit {audit.show(figures['rated_required'].value, 'L/day')} rated at {audit.show(25.0, 'degC')} or more.")  # fmt: skip


@rule("ro-feed", "train supply", "membrane.tap", on="reverse_osmosis")
def ro_feed(audit: Audit, stage: StageRun[ReverseOsmosisKeys]) -> Iterator[Hit]:
    """Too little pressure reaches a membrane at the tap, or the source gives less than a house unit's pump draws."""
    if stage.at_tap:
        supply, least = audit.duty.supply, float(audit.duty.rows["reverse_osmosis"]["least_kpa"])
        if audit.facts.supply.pressure_low is None or any(other.room.pumps for other in audit.run.earlier(stage)):
            return
        arrives = (supply.pressure_low + supply.pressure_high) / 2  # a trickle loses nothing on its way, and fills between the switch points
        if arrives < least * 0.995:
            yield Hit("caution", f"{audit.show(arrives, 'kPa')} reaches the membrane at the tap on average; it needs {audit.show(least, 'kPa')}. It "
                                 f"will make less water and waste more.",
                      "Fit a small booster pump at the tap, or raise the house pressure.")  # fmt: skip
        return
    power, most = stage.figures["power"].value, audit.duty.rows["reverse_osmosis"]["single_phase_w"]
    if power > most:
        yield Hit("advice", f"Its pump draws {power / 1000:.1f} kW; above about {most / 1000:g} kW a single-phase supply is often too small.", "Ask a licensed electrician.",
                  source=source("membrane.pump"))  # fmt: skip
    feed, gives = stage.figures["feed_flow"].value, stage.duty.demand.supply_flow
    if feed > gives * 1.005:
        yield Hit("fault", f"Its pump draws {audit.show(feed, 'L/min')}; only {audit.show(gives, 'L/min')} is available: it would run dry.",
                  "Use a smaller membrane with more storage, a tank before its pump, or a stronger source.", source=source("membrane.pump"))  # fmt: skip


@rule("permeate-aggressive", "train", "membrane.permeate", on="reverse_osmosis")
def permeate_aggressive(audit: Audit, stage: StageRun[ReverseOsmosisKeys]) -> Iterator[Hit]:
    """Permeate goes to the house soft and acid, with nothing that neutralizes it."""
    if stage.at_tap:
        return
    if audit.facts.wishes.high_purity:  # it is to stay pure: the pipe has to bear it
        yield Hit(
            "advice",
            f"Permeate at pH {stage.water_out.ph:.1f} corrodes copper and brass, and high purity is required.",
            "Use plastic or stainless steel after it, no copper.",
        )
        return
    later = audit.run.later(stage)
    mended = any(
        other.kind == "neutralizer" or (other.kind == "chemical_feed" and other.sizing.params["chemical"] in ("soda_ash", "caustic"))
        for other in later
    )
    if not mended:
        yield Hit(
            "caution",
            f"Permeate leaves at pH {stage.water_out.ph:.1f} with {audit.show(stage.water_out.value('alkalinity'), 'mg/L alkalinity')} "
            "of alkalinity: it corrodes copper and brass.",
            "Put a small calcite bed after the membrane, and plastic or stainless steel pipe between them.",
        )
