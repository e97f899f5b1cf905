"""Softener: exchanges hardness (and a little iron and manganese) for sodium, regenerated with salt."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from math import ceil
from typing import TYPE_CHECKING, Any

from ..beds import FT3, Bed, bed_figures, choose_bed, least_in, medium, most_in
from ..carbonate import CACO3, NA
from ..demand import interpolate
from ..display import digits, show
from ..figure import Figure, Line, figure, source, work
from ..hydraulics import GPM
from ..job import HARDNESS
from ..quantity import unit_named
from ..rules import Hit, rule
from ..spec import Choice, Flag, Measure, Number, Record, key
from ..tables import table
from ..water import PERMEATE, Water
from .base import FLOW, BedKeys, FeedLimit, Room, Sizing

if TYPE_CHECKING:
    from ..audit import Audit
    from ..duty import Duty
    from ..train import StageRun

GRAIN_G = 0.06479891  # g
LB, LB_FT3 = unit_named("lb", "mass").factor, unit_named("lb/ft3", "salt_dose").factor
GPG = unit_named("gpg", "hardness").factor
SODIUM_PER_HARDNESS = 2 * NA / CACO3  # 0.46 mg Na for each mg CaCO3
COMPENSATION = {"x3": 3.0, "x4": 4.0, "x5": 5.0}
MANGANESE_GRAINS = 8.0


@dataclass(frozen=True, slots=True)
class FlowControls:
    brine: float | None = key(FLOW)
    rinse: float | None = key(FLOW)
    refill: float | None = key(FLOW)


@dataclass(frozen=True, slots=True)
class SoftenerKeys(BedKeys):
    salt_dose: float | None = key(Measure("salt_dose", "6 lb/ft3", low=16, high=480), None, "salt for each volume of resin")
    hardness_setting: float | None = key(HARDNESS, None, "what the valve is set to")
    regeneration: str | None = key(Choice(("metered", "timer")), None, "by volume used, or by days")
    every_days: float | None = key(Number(0.25, 60), None, "days a timer waits")
    twin: bool | None = key(Flag(), None, "two vessels taking turns")
    resin: int | None = key(Choice((8, 10)), None, "crosslink, %")
    flow_controls: FlowControls | None = key(Record(FlowControls))
    backwash: float | None = key(FLOW, None, "backwash flow control, where it is fixed")


def capacity_per_litre(dose: float) -> float:
    """Exchange capacity [g CaCO3 per L of resin] at a salt dose [g/L]; straight lines between published points."""
    row = table("stages")["softener"]
    grains = interpolate(dose / LB_FT3, row["dose_lb"], row["capacity_gr"])
    return grains * GRAIN_G / FT3


def compensated_hardness(water: Water, school: str, adder: float | None) -> tuple[float, list[Line]]:
    """Hardness that counts iron and manganese [mg/L as CaCO3], with its working.

    school: x3, x4, x5 (grains per mg/L of iron) or fixed (an adder [mg/L as CaCO3] a maker names).
    """
    hardness, iron, mn = water.hardness, water.iron, water.value("manganese")
    if school == "fixed":
        extra = adder if adder is not None else 0.0
        line = work(
            "compensated hardness",
            "hardness + adder",
            hardness + extra,
            "mg/L CaCO3",
            "softener.compensation",
            hardness=(hardness, "mg/L CaCO3"),
            adder=(extra, "mg/L CaCO3"),
        )
        return hardness + extra, [line]
    grains = COMPENSATION[school]
    total = hardness + GPG * (grains * iron + MANGANESE_GRAINS * mn)
    line = work("compensated hardness", "hardness + 17.118 × (per_Fe × Fe + 8 × Mn)", total, "mg/L CaCO3", "softener.compensation",
                hardness=(hardness, "mg/L CaCO3"), per_Fe=(grains, "gpg per mg/L"), Fe=(iron, "mg/L"), Mn=(mn, "mg/L"))  # fmt: skip
    return total, [line]


class Softener(Room):
    kind = "softener"
    title = "Softener"
    silhouette = "vessel_brine"
    Keys = SoftenerKeys
    answers = ("hardness", "iron", "manganese")
    uses_salt = True
    uses_power = True
    peak_effect = "hardness leaks through"
    cautions = (
        "Softened water carries sodium: on a low-sodium diet ask a physician, and leave the kitchen cold tap hard.",
        "Brine discharge: local rules and septic systems may forbid it; ask the authority.",
        "Cold water only, before the heater; leave outdoor taps hard.",
    )

    def feed_limits(self, keys: SoftenerKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited = duty.rows["softener"], source("softener.feed")
        chlorine = row["chlorine_max"] * (2 if keys.resin == 10 else 1)
        return [
            FeedLimit("iron", None, row["ferrous_max"], cited, "more dissolved iron fouls the resin", form="ferrous_iron"),
            FeedLimit("iron", None, row["ferric_max"], cited, "rust packs the resin; filter it first", form="ferric_iron"),
            FeedLimit("turbidity", None, row["turbidity_max"], cited, "silt packs the resin; filter it first"),
            FeedLimit("free_chlorine", None, chlorine, cited, "chlorine breaks down the resin"),
            FeedLimit("iron_bacteria", None, 0.0, cited, "slime fouls the resin; disinfect first"),
            FeedLimit("tannin", None, row["tannin_max"], cited, "tannin fouls the resin"),
        ]

    def size(self, keys: SoftenerKeys, water: Water, duty: Duty) -> Sizing:
        row, schools = duty.rows["softener"], duty.facts.schools
        compensated, lines = compensated_hardness(water, schools.iron_compensation, schools.iron_adder)
        load = compensated * duty.daily / 1000
        day = work(
            "daily load",
            "compensated × daily ÷ 1000",
            load,
            "g CaCO3/day",
            "softener.capacity",
            compensated=(compensated, "mg/L CaCO3"),
            daily=(duty.daily, "L/day"),
        )
        dose = keys.salt_dose or row["default_dose_lb"] * LB_FT3
        twin = bool(keys.twin)
        iron = max(water.iron, water.value("manganese")) > row["iron_counts"]
        aim = {"3_day": 3.0, "7_day": 7.0}.get(schools.regeneration, float(row["interval_iron"] if iron else row["interval_clean"]))
        bed = self._bed(keys, water, duty, load, dose, aim, twin)
        figures = bed_figures(bed, duty.flow, water.temperature)
        per_litre = capacity_per_litre(dose)
        capacity = bed.total_volume * per_litre
        reserve = 0.0 if twin else load
        days = (capacity - reserve) / max(load, 1e-9)
        room = work(
            "capacity",
            "resin × per_litre",
            capacity,
            "g CaCO3",
            "softener.capacity",
            resin=(bed.total_volume, "L"),
            per_litre=(per_litre, f"g/L at {dose:.4g} g salt/L"),
        )
        between = work(
            "days",
            "(capacity − reserve) ÷ load",
            days,
            "day",
            "softener.reserve",
            capacity=(capacity, "g CaCO3"),
            reserve=(reserve, "g CaCO3"),
            load=(load, "g CaCO3/day"),
        )
        interval = self._interval(keys, days, iron, row)
        salt = bed.volume * dose / 1000
        yearly = 365 / interval * salt * bed.vessels
        removed = max(water.hardness - duty.rows["softener"]["leakage"], 0.0)
        setting = keys.hardness_setting or ceil(round(compensated / GPG, 6)) * GPG
        figures |= {
            "compensated_hardness": figure(*lines),
            "daily_load": figure(*lines, day),
            "capacity": figure(room),
            "resin_volume": figures["media_volume"],
            "salt_per_regeneration": figure(work("salt", "resin × dose ÷ 1000", salt, "kg", "softener.capacity", resin=(bed.volume, "L"), dose=(dose, "g/L"))),
            "days_between_regenerations": figure(*lines, day, room, between),
            "regeneration_interval": interval_figure(keys, days, interval, iron, row),
            "salt_per_year": figure(work("salt a year", "365 ÷ interval × salt × vessels", yearly, "kg", "softener.efficiency", interval=(interval, "day"), salt=(salt, "kg"), vessels=(float(bed.vessels), ""))),
            "salt_efficiency": figure(work("efficiency", "per_litre ÷ dose ÷ 64.79891 × 453592.37", per_litre / dose / 64.79891 * 453592.37, "grains/lb", "softener.efficiency", per_litre=(per_litre, "g/L"), dose=(dose, "g/L"))),
            "sodium_added": figure(work("sodium added", "0.4594 × (hardness − left)", SODIUM_PER_HARDNESS * removed, "mg/L", "chemistry.exchange", hardness=(water.hardness, "mg/L CaCO3"), left=(min(duty.rows["softener"]["leakage"], water.hardness), "mg/L CaCO3"))),
            "hardness_setting": self._setting(keys, compensated, setting),
            "service_flow_limit": figure(
                work("by volume", "5 × 3.7854 ÷ 28.3168 × resin", self._steady(bed), "L/min", "softener.flow", resin=(bed.total_volume, "L")),
                work("by area", "rate × area", bed.service_limit, "L/min", "softener.flow", rate=(bed.medium.service, "L/min per m2"), area=(bed.total_area, "m2")),
                work("steady flow", "min(volume, area)", min(self._steady(bed), bed.service_limit), "L/min", "softener.flow", volume=(self._steady(bed), "L/min"), area=(bed.service_limit, "L/min")),
            ),
        }  # fmt: skip
        figures |= self._cycle(keys, bed, salt, water, row)
        params = {
            "volume": bed.volume, "tank": bed.tank, "vessels": bed.vessels, "salt_dose": dose, "hardness_setting": setting,
            "regeneration": keys.regeneration or "metered", "twin": twin, "resin": keys.resin or 8,
        }  # fmt: skip
        if keys.every_days:
            params["every_days"] = keys.every_days
        return Sizing(params, figures, bed)

    def _steady(self, bed: Bed) -> float:
        return float(table("stages")["softener"]["steady_gpm_ft3"] * GPM / FT3 * bed.total_volume)

    def peak(self, keys: SoftenerKeys, sizing: Sizing) -> float:
        """Greatest short peak [L/min] by volume and by area."""
        bed = sizing.bed
        assert bed is not None
        return float(min(table("stages")["softener"]["peak_gpm_ft3"] * GPM / FT3 * bed.total_volume, bed.peak_limit))

    def _bed(self, keys: SoftenerKeys, water: Water, duty: Duty, load: float, dose: float, aim: float, twin: bool) -> Bed:
        """The smallest bed that lasts the interval aimed at and carries the flow; never so large that it idles."""
        days_held = aim + (0.0 if twin else 1.0)
        by_load = load * days_held / capacity_per_litre(dose)
        by_flow = duty.flow / GPM / duty.rows["softener"]["steady_gpm_ft3"] * FT3
        most = load * (duty.rows["softener"]["interval_max"] - 0.5) / capacity_per_litre(dose)
        volume = max(by_load, min(by_flow, max(most, by_flow * 0.5)))
        if keys.volume is not None or keys.tank is not None:
            each = keys.volume
            if each is None and keys.tank is not None:
                m, n = medium("softening_resin"), keys.vessels or 1
                each = min(max(volume / n, least_in(m, keys.tank)), most_in(m, keys.tank))
            return choose_bed("softening_resin", duty.flow, 0.0, duty.wash, water.temperature, keys.tank, keys.vessels, each)
        return choose_bed("softening_resin", duty.flow, volume, duty.wash, water.temperature, None, keys.vessels)

    def _interval(self, keys: SoftenerKeys, days: float, iron: bool, row: dict[str, Any]) -> float:
        if keys.regeneration == "timer" and keys.every_days:
            return keys.every_days
        cap = row["interval_iron"] if iron else row["interval_max"]
        return float(max(min(days, cap), 0.25))

    def _setting(self, keys: SoftenerKeys, compensated: float, setting: float) -> Figure:
        if keys.hardness_setting:
            return figure(work("given setting", "given", setting, "mg/L CaCO3", "softener.compensation", given=(setting, "mg/L CaCO3")))
        return figure(
            work(
                "setting, rounded up to a whole grain",
                "ceil(compensated ÷ 17.118) × 17.118",
                setting,
                "mg/L CaCO3",
                "softener.compensation",
                compensated=(compensated, "mg/L CaCO3"),
            )
        )

    def _cycle(self, keys: SoftenerKeys, bed: Bed, salt: float, water: Water, row: dict[str, Any]) -> dict[str, Figure]:
        controls = keys.flow_controls
        wash = keys.backwash or bed.backwash_flow(water.temperature)
        refill_flow = (controls and controls.refill) or row["refill_gpm"] * GPM
        brine = (controls and controls.brine) or row["brine_rinse_gpm_ft3"] * GPM / FT3 * bed.volume
        rinse = (controls and controls.rinse) or wash
        refill = salt / LB / row["brine_lb_per_gal"] * 3.785411784
        refill_min = refill / refill_flow
        total = row["backwash_min"] * wash + row["brine_rinse_min"] * brine + row["fast_rinse_min"] * rinse + refill
        fill = work("refill", "salt ÷ 0.45359 ÷ 3 × 3.7854", refill, "L", "softener.cycle", salt=(salt, "kg"))
        return {
            "refill_time": figure(fill, work("refill time", "refill ÷ flow", refill_min, "min", "softener.cycle", refill=(refill, "L"), flow=(refill_flow, "L/min"))),
            "backwash_time": figure(work("backwash", "minutes", float(row["backwash_min"]), "min", "softener.cycle", minutes=(float(row["backwash_min"]), "min"))),
            "brine_rinse_time": figure(work("brine and slow rinse", "minutes", float(row["brine_rinse_min"]), "min", "softener.cycle", minutes=(float(row["brine_rinse_min"]), "min"))),
            "fast_rinse_time": figure(work("fast rinse", "minutes", float(row["fast_rinse_min"]), "min", "softener.cycle", minutes=(float(row["fast_rinse_min"]), "min"))),
            "water_per_regeneration": figure(
                fill,
                work("water", "wash_min × wash + brine_min × brine + rinse_min × rinse + refill", total, "L", "softener.cycle",
                     wash_min=(float(row["backwash_min"]), "min"), wash=(wash, "L/min"), brine_min=(float(row["brine_rinse_min"]), "min"), brine=(brine, "L/min"),
                     rinse_min=(float(row["fast_rinse_min"]), "min"), rinse=(rinse, "L/min"), refill=(refill, "L")),
            ),
        }  # fmt: skip

    def treat(self, keys: SoftenerKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        left = min(duty.rows["softener"]["leakage"], water.hardness)
        share = left / water.hardness if water.hardness > 0 else 1.0
        removed = water.hardness - left
        passes = duty.rows["softener"]["iron_left"]
        changes = {
            "calcium": water.value("calcium") * share,
            "magnesium": water.value("magnesium") * share,
            "sodium": water.value("sodium") + SODIUM_PER_HARDNESS * removed,
        }
        for name in ("ferrous_iron", "manganese"):
            if water.get(name) is not None:
                changes[name] = water.value(name) * passes
        return water.react(**changes)

    def loss(self, keys: SoftenerKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        assert sizing.bed is not None
        clean = sizing.bed.loss(flow, temperature)
        return clean, clean * table("stages")["softener"]["dirty_factor"]

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        if duty.facts.wishes.no_salt or duty.facts.wishes.no_power or duty.facts.schools.hardness != "exchange":
            return []
        return [SoftenerKeys()]

    def schools(self, keys: SoftenerKeys, water: Water, system: str) -> list[str]:
        said = [
            f"Soften above {show(7 * GPG, 'mg/L CaCO3', system)} (ours); others from {show(3.5 * GPG, 'mg/L CaCO3', system)}, or only above {show(10 * GPG, 'mg/L CaCO3', system)}."
        ]
        if water.iron > 0.02:
            each = ", ".join(
                f"×{school[1:]} gives {show(compensated_hardness(water, school, None)[0], 'mg/L CaCO3', system)}" for school in ("x3", "x4", "x5")
            )
            said.insert(0, f"Iron counted in grains per mg/L: {each}; ×4 is ours.")
        return said

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        taken = [f"hardness from {digits(before.hardness, 'mg/L CaCO3', system)} to {show(after.hardness, 'mg/L CaCO3', system)}"]
        if before.iron > 0.1:
            taken.append(f"{before.iron - after.iron:.2g} mg/L of iron")
        return "exchanges " + " and ".join(taken) + " for sodium"


def interval_figure(keys: SoftenerKeys, days: float, interval: float, iron: bool, row: dict[str, Any]) -> Figure:
    """What the schedule uses: the timer's days, or the capacity capped by the interval of the trade."""
    if keys.regeneration == "timer" and keys.every_days:
        return figure(work("timer", "given", interval, "day", "softener.interval", given=(interval, "day")))
    cap = float(row["interval_iron"] if iron else row["interval_max"])
    return figure(work("regenerate every", "max(min(days, cap), 0.25)", interval, "day", "softener.interval", days=(days, "day"), cap=(cap, "day")))


@rule("capacity-short", "softener.interval", on="softener")
def capacity_short(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The resin is spent too soon: less than two days between regenerations, or a timer that waits too long."""
    days, least = stage.sizing.figures["days_between_regenerations"].value, audit.duty.rows["softener"]["interval_min"]
    waits = stage.keys.every_days if stage.keys.regeneration == "timer" else None
    lasts = days + (0.0 if stage.keys.twin else 1.0)
    if waits and waits > lasts + 1e-6:
        yield Hit("fault", f"The timer waits {audit.show(waits, 'day')}, but the resin is spent after {audit.show(lasts, 'day')}: hard water follows.",
                  "Regenerate more often, dose more salt, or fit more resin.")  # fmt: skip
    elif days < least and not stage.keys.twin:
        severity = "fault" if days < 1 else "caution"
        yield Hit(severity, f"The resin lasts {audit.show(max(days, 0.0), 'day')} between regenerations with a day in reserve; at least {least} are wanted.",
                  "More resin, more salt a regeneration, or twin vessels.")  # fmt: skip


@rule("capacity-idle", "softener.interval", on="softener")
def capacity_idle(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Over fourteen days between regenerations: the bed packs, and microbes settle."""
    interval = (
        stage.keys.every_days
        if stage.keys.regeneration == "timer" and stage.keys.every_days
        else stage.sizing.figures["days_between_regenerations"].value
    )
    most = audit.duty.rows["softener"]["interval_max"]
    if interval > most:
        yield Hit("caution", f"{audit.show(interval, 'day')} between regenerations by capacity; beyond {most} the bed packs and stagnates.",
                  f"Fit less resin or a lower salt dose, and set the valve to regenerate at least every {most} days.")  # fmt: skip


@rule("setting-uncompensated", "softener.compensation", on="softener")
def setting_uncompensated(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The valve is set below the hardness that counts iron and manganese: it runs out early."""
    given, needed = stage.keys.hardness_setting, stage.sizing.figures["compensated_hardness"].value
    if given is not None and given < needed - 0.5 * GPG:
        yield Hit("fault", f"The valve is set to {audit.show(given, 'mg/L CaCO3')}; with the iron and manganese that arrive it should count {audit.show(needed, 'mg/L CaCO3')}.",
                  f"Set it to {audit.show(ceil(round(needed / GPG, 6)) * GPG, 'mg/L CaCO3')}.")  # fmt: skip


@rule("salt-inefficient", "softener.efficiency", on="softener")
def salt_inefficient(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """More salt than the capacity is worth."""
    good, waste = stage.sizing.figures["salt_efficiency"].value, audit.duty.rows["softener"]["wasteful_gr_lb"]
    if good < waste:
        yield Hit("caution", f"{good:.0f} grains for each pound of salt ({audit.show(stage.sizing.params['salt_dose'], 'g/L')}); below {waste} salt is wasted.",
                  "Dose less salt and regenerate a little more often, or fit more resin.")  # fmt: skip


@rule("hardness-after-softener", "softener.compensation", on="softener")
def hardness_after_softener(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A stage after the softener adds hardness back."""
    for other in audit.run.stages[stage.index + 1 :]:
        added = other.water_out.hardness - other.water_in.hardness
        if other.water_in.value(PERMEATE) > 0:
            return  # calcite after a membrane is right: permeate needs it
        if added > 5:
            yield Hit("fault", f"{other.name} adds {audit.show(added, 'mg/L CaCO3')} of hardness after the softener took it out.",
                      f"Put the {other.said} before the softener, and size the softener on what arrives there.", stage=other.id)  # fmt: skip


@rule("sodium-diet", "softener.sodium_diet", on="softener")
def sodium_diet(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Sodium from softening, where someone keeps to a low-sodium diet."""
    added = stage.sizing.figures["sodium_added"].value
    if audit.facts.wishes.low_sodium and added > 5:
        yield Hit("caution", f"Softening adds {audit.show(added, 'mg/L')} of sodium, {audit.show(stage.water_out.value('sodium'), 'mg/L')} in all; a low-sodium diet is wished.",
                  "Leave the kitchen cold tap unsoftened, use potassium chloride, or fit a membrane at that tap; ask the physician.")  # fmt: skip


@rule("outdoor-taps-softened", "softener.flow", on="softener")
def outdoor_taps_softened(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The softener also feeds the outdoor taps."""
    if stage.keys.install and stage.keys.install.branch == "outdoor":
        yield Hit(
            "caution",
            "The outdoor taps are fed after the softener: it wastes salt and water, and sodium harms plants.",
            "Take the outdoor taps off before the softener.",
        )
