"""Softener: exchanges hardness (and a little iron and manganese) for sodium, regenerated with salt."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from math import ceil
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.water import PERMEATE, Water
from ..house.beds import FT3, Bed, bed_figures, least_in, measured_out, medium, most_in
from ..house.demand import interpolate
from ..house.duty import Duty
from ..house.hydraulics import GPM
from ..house.needs import SODIUM_PER_HARDNESS, soften_above
from ..job.facts import FLOW, HARDNESS
from ..job.feed_limits import FeedLimit
from ..job.limits import strictest
from ..language.analytes import MICROBES
from ..language.display import digits, show
from ..language.figure import Figure, Line, constant, figure, source, stated, work
from ..language.quantity import unit_named
from ..language.spec import Choice, Flag, Measure, Number, Record, key
from ..language.tables import table
from ..train.keys import BedKeys
from ..train.over_time import Counted, Exchanging, Regeneration
from ..train.treatment import Fork, Purchase, Sizing, Stage, StageRun, Treatment, fixed_body

LB_FT3 = unit_named("lb/ft3", "salt_dose").factor
GPG = constant("gpg")


@dataclass(frozen=True, slots=True)
class FlowControls:
    brine: float | None = key(FLOW)
    rinse: float | None = key(FLOW)
    refill: float | None = key(FLOW)


@dataclass(frozen=True, slots=True)
class SoftenerKeys(BedKeys):
    salt_dose: float | None = key(Measure("salt_dose", "6 lb/ft3", low=16, high=480), None, "salt for each volume of resin")
    hardness_setting: float | None = key(HARDNESS, None, "what the control valve is set to")
    regeneration: str | None = key(Choice(("metered", "timer")), None, "by volume used, or by days")
    every_days: float | None = key(Number(0.25, 60), None, "days a timer waits")
    twin: bool | None = key(Flag(), None, "two vessels taking turns")
    resin: int | None = key(Choice((8, 10)), None, "crosslink, %")
    flow_controls: FlowControls | None = key(Record(FlowControls))
    nominal: float | None = key(
        Measure("exchange", "48000 gr", high=1e7, above=True), None, "nominal capacity as it is sold, at 15 lb/ft3 of salt", sometimes=True
    )
    form: str | None = key(Choice(("separate", "cabinet")), None, "vessel and brine tank apart, or in one cabinet", identity=True, sometimes=True)
    brining: str | None = key(Choice(("co_current", "counter_current")), None, "which way the brine runs", identity=True, sometimes=True)
    backwash: float | None = key(FLOW, None, "backwash flow control, where it is fixed")


@lru_cache(maxsize=1024)
def capacity_per_litre(dose: float, counter: bool = False) -> float:
    """Exchange capacity [g CaCO3 per L of resin] at a salt dose [g/L]; straight lines between published points, in proportion below the first.

    counter: brined against the flow, which takes about a third less salt for the same capacity.
    """
    row = table("stages")["softener"]
    least: float = row["dose_lb"][0]
    if counter:
        dose /= row["counter_current_salt"]
    grains = interpolate(dose / LB_FT3, row["dose_lb"], row["capacity_gr"]) * min(dose / LB_FT3 / least, 1.0)
    return grains / constant("grains_per_g") / FT3


def compensated_hardness(water: Water, school: str, adder: float | None) -> Line:
    """Hardness that counts iron and manganese [mg/L as CaCO3], with its working.

    school: x3, x4, x5 (grains per mg/L of iron) or fixed (an adder [mg/L as CaCO3] a maker names).
    """
    hardness = (water.hardness, "mg/L CaCO3")
    if school == "fixed":
        return work(
            "compensated hardness", "hardness + adder", "mg/L CaCO3", "softener.compensation", hardness=hardness, adder=(adder or 0.0, "mg/L CaCO3")
        )
    row = table("stages")["softener"]
    return work("compensated hardness", "hardness + gpg × (per_Fe × Fe + per_Mn × Mn)", "mg/L CaCO3", "softener.compensation", hardness=hardness,
                per_Fe=(float(row["iron_grains"][school]), "gpg per mg/L"), Fe=(water.iron, "mg/L"), per_Mn=(float(row["manganese_grains"]), "gpg per mg/L"),
                Mn=(water.value("manganese"), "mg/L"))  # fmt: skip


def whole_grains(hardness: float) -> float:
    """The next whole grain a valve can be set to, for a hardness [mg/L as CaCO3]."""
    return ceil(round(hardness / GPG, 6)) * GPG


class Softener(Treatment[SoftenerKeys]):
    kind = "softener"
    title = "Softener"
    silhouette = "vessel_brine"
    Keys = SoftenerKeys
    answers = ("hardness", "iron", "manganese")
    helps = ("ferrous_iron",)
    price = 3.6
    place = 10
    bypassed = True
    absent = "nothing in this water needs it"
    main = (
        "compensated_hardness",
        "hardness_setting",
        "daily_load",
        "resin_volume",
        "capacity",
        "regeneration_interval",
        "salt_per_regeneration",
        "salt_per_year",
        "sodium_added",
        "service_flow_limit",
        "backwash_flow",
    )
    uses_salt = True
    uses_power = True
    hidden = ("media_volume",)
    peak_effect = "hardness leaks through"
    cautions = (
        "Softened water contains sodium: on a low-sodium diet ask a physician, and keep the kitchen cold tap unsoftened.",
        "Brine discharge: local rules and septic systems can forbid it; ask the authority.",
        "Use it for cold water only, before the heater; keep outdoor taps unsoftened.",
    )

    def feed_limits(self, keys: SoftenerKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited = duty.rows["softener"], source("softener.feed")
        chlorine = row["chlorine_max"] * (2 if keys.resin == 10 else 1)
        return [
            FeedLimit("iron", None, row["ferrous_max"], cited, "dissolved iron fouls the resin", form="ferrous_iron"),
            FeedLimit("iron", None, row["ferric_max"], cited, "rust packs the resin; filter it first", form="ferric_iron"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "manganese fouls the resin; put an oxidizing bed first", "caution"),
            FeedLimit("manganese", None, row["manganese_most"], cited, "manganese fouls the resin; put an oxidizing bed first"),
            FeedLimit("turbidity", None, row["turbidity_max"], cited, "silt packs the resin; filter it first"),
            FeedLimit("tss", None, duty.rows["sediment_forms"]["tss_max"], cited, "grit and silt cut and pack the resin; filter them first"),
            FeedLimit("free_chlorine", None, chlorine, cited, "chlorine breaks down the resin"),
            FeedLimit("iron_bacteria", None, 0.0, cited, "slime fouls the resin; disinfect first"),
            FeedLimit(
                "tannin", None, row["tannin_max"], cited, "tannin fouls the resin: clean it with salt and caustic as its manufacturer says", "caution"
            ),
            FeedLimit("tannin", None, row["tannin_most"], cited, "so much tannin fouls the resin within months"),
            FeedLimit(
                "hydrogen_sulfide", None, row["sulfide_max"], cited, "sulfide blackens the resin and goes through it: remove it first", "caution"
            ),
            FeedLimit("hydrogen_sulfide", None, row["sulfide_most"], cited, "so much sulfide blackens the resin within months: remove it first"),
        ]

    def size(self, keys: SoftenerKeys, water: Water, duty: Duty) -> Sizing:
        compensated, load = self._load(water, duty)
        row, aim = duty.rows["softener"], self._aim(water, duty)
        bed = self._bed(keys, water, duty, load.value, aim)
        reserve = 0.0 if keys.twin else load.value
        counter = keys.brining == "counter_current"
        saved = row["counter_current_salt"] if counter else 1.0
        dose = self._fixed_dose(keys, duty) or saved * _thriftiest(bed.total_volume, load.value, reserve, aim, row)
        params = {
            "volume": bed.volume, "tank": bed.tank, "vessels": bed.vessels, "salt_dose": dose, "hardness_setting": keys.hardness_setting or whole_grains(compensated.value),
            "regeneration": keys.regeneration or "metered", "twin": bool(keys.twin), "resin": keys.resin or 8,
        } | {name: held for name, held in (("form", keys.form), ("brining", keys.brining)) if held}  # fmt: skip
        left_to_us = keys.volume is None and keys.tank is None and keys.nominal is None and keys.regeneration != "timer"
        if keys.every_days:
            params["every_days"] = keys.every_days
        elif keys.regeneration != "timer" and (school := self._school(duty)) and keys.volume is None and keys.tank is None:
            params["every_days"] = min(school, aim[1])
        elif left_to_us and (capacity_per_litre(dose, counter) * bed.total_volume - reserve) > load.value * aim[1] * 1.001:
            params["every_days"] = aim[1]  # a bed made large by flow: the valve's own day count keeps it from standing
        return Sizing(params, bed)

    def _fixed_dose(self, keys: SoftenerKeys, duty: Duty) -> float | None:
        """The salt dose [g/L] that the stage or the job's own working value fixes; None where it is weighed up."""
        if f"{self.kind}.default_dose_lb" in duty.facts.working_values:
            return float(keys.salt_dose or duty.rows["softener"]["default_dose_lb"] * LB_FT3)
        return keys.salt_dose

    def _load(self, water: Water, duty: Duty) -> tuple[Line, Line]:
        """Compensated hardness [mg/L as CaCO3] and what the house brings of it in a day [g CaCO3/day]."""
        schools = duty.facts.schools
        compensated = compensated_hardness(water, schools.iron_compensation, schools.iron_adder)
        day = work("daily load", "compensated × daily ÷ 1000", "g CaCO3/day", "softener.capacity",
                   compensated=(compensated.value, "mg/L CaCO3"), daily=(duty.daily, "L/day"))  # fmt: skip
        return compensated, day

    def _iron_counts(self, water: Water, row: dict[str, Any]) -> bool:
        return bool(max(water.iron, water.value("manganese")) > row["iron_counts"])

    def _aim(self, water: Water, duty: Duty) -> tuple[float, float]:
        """Least and most days between regenerations that a bed of ours is chosen for: by the school, else by salt and iron."""
        row = duty.rows["softener"]
        school = self._school(duty)
        least, most = (school, school) if school else (float(row["interval_low"]), float(row["interval_high"]))
        if self._iron_counts(water, row):
            most = min(most, float(row["interval_iron"]))
        return min(least, most), most

    def longest(self, water: Water, duty: Duty) -> float:
        """Days between regenerations that no bed of ours is chosen beyond."""
        return self._aim(water, duty)[1]

    def _school(self, duty: Duty) -> float | None:
        """The days that the job's school fixes; None where they are weighed up."""
        return {"3_day": 3.0, "7_day": 7.0}.get(duty.facts.schools.regeneration)

    def _bed(self, keys: SoftenerKeys, water: Water, duty: Duty, load: float, aim: tuple[float, float]) -> Bed:
        """The bed whose salt of a year and whose resin together weigh least, and which carries the flow; never so large that it idles."""
        row, dose = duty.rows["softener"], self._fixed_dose(keys, duty)
        by_flow = duty.flow / GPM / row["steady_gpm_ft3"] * FT3
        idle = load * (row["interval_max"] - 0.5) / capacity_per_litre(dose or row["dose_lb"][0] * LB_FT3)
        least = min(by_flow, max(idle, by_flow * 0.5))
        volume = _worthwhile(dose, least, load, 0.0 if keys.twin else load, aim, row)
        given = keys.volume if keys.volume is not None else self._sold(keys, row)
        if given is not None or keys.tank is not None:
            each = given
            if each is None and keys.tank is not None:
                m = medium("softening_resin")
                each = min(max(volume / (keys.vessels or 1), least_in(m, keys.tank)), most_in(m, keys.tank))
            return duty.bed("softening_resin", 0.0, duty.wash, water.temperature, keys.tank, keys.vessels, each)
        return duty.bed("softening_resin", volume, duty.wash, water.temperature, None, keys.vessels)

    def _sold(self, keys: SoftenerKeys, row: dict[str, Any]) -> float | None:
        """The resin [L] behind a nominal size: grains are named at the heaviest salt, 30 to 32 000 a cubic foot."""
        if keys.nominal is None:
            return None
        return float(keys.nominal * constant("grains_per_g") / row["nominal_gr_ft3"] * FT3)

    def figures(self, keys: SoftenerKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, bed, dose = duty.rows["softener"], sizing.vessels, sizing.params["salt_dose"]
        compensated, day = self._load(water, duty)
        per_litre, resin = capacity_per_litre(dose, keys.brining == "counter_current"), (bed.total_volume, "L")
        room = work(
            "capacity", "resin × per_litre", "g CaCO3", "softener.capacity", resin=resin, per_litre=(per_litre, f"g/L at {dose:.4g} g salt/L")
        )
        between = work("days", "(capacity − reserve) ÷ max(load, 0.000000001)", "day", "softener.reserve", capacity=(room.value, "g CaCO3"),
                       reserve=(0.0 if keys.twin else day.value, "g CaCO3"), load=(day.value, "g CaCO3/day"))  # fmt: skip
        interval = self._interval(sizing, between.value, self._iron_counts(water, row), row)
        salt = work("salt", "resin × dose ÷ 1000", "kg", "softener.capacity", resin=(bed.volume, "L"), dose=(dose, "g/L"))
        leaks = self._leakage(water, dose, row)
        left = leaks.value
        figures = bed_figures(bed, duty.flow, water.temperature)
        figures |= {
            "compensated_hardness": figure(compensated),
            "daily_load": figure(compensated, day),
            "capacity": figure(room),
            "resin_volume": figures["media_volume"],
            "salt_per_regeneration": figure(salt),
            "days_between_regenerations": figure(compensated, day, room, between),
            "regeneration_interval": figure(interval),
            "salt_per_year": figure(work("salt a year", "365 ÷ interval × salt × vessels", "kg", "softener.efficiency", interval=(interval.value, "day"),
            salt=(salt.value, "kg"), vessels=(float(bed.vessels), ""))),
            "leakage": figure(leaks),
            "salt_efficiency": figure(work("efficiency", "per_litre ÷ dose × grains_per_g × lb × 1000", "grains/lb", "softener.efficiency", per_litre=(per_litre, "g/L"),
            dose=(dose, "g/L"))),
            "sodium_added": figure(work("sodium added", "2 × M_Na ÷ M_CaCO3 × (hardness − left)", "mg/L", "chemistry.exchange", hardness=(water.hardness, "mg/L CaCO3"),
            left=(left, "mg/L CaCO3"))),
            "hardness_setting": self._setting(keys, compensated.value, sizing),
            "service_flow_limit": figure(*self._steady(bed)),
        }  # fmt: skip
        return figures | self._cycle(keys, bed, salt.value, water, row)

    def _leakage(self, water: Water, dose: float, row: dict[str, Any]) -> Line:
        """Hardness that stays [mg/L as CaCO3]: an estimate that rises with dissolved solids and falls with the salt dose."""
        return work("left, an estimate", "min(max(base × sqrt(TDS ÷ TDS_at × dose_at ÷ dose), 1), hardness)", "mg/L CaCO3", "softener.leakage",
                    base=(float(row["leakage"]), "mg/L CaCO3"), TDS=(water.value("tds"), "mg/L"), TDS_at=(float(row["leakage_tds"]), "mg/L"),
                    dose_at=(row["leakage_dose_lb"] * LB_FT3, "g/L"), dose=(dose, "g/L"), hardness=(water.hardness, "mg/L CaCO3"))  # fmt: skip

    def _interval(self, sizing: Sizing, days: float, iron: bool, row: dict[str, Any]) -> Line:
        """What the schedule uses: the timer's days, or the capacity capped by the valve's own day count and by the interval of the trade."""
        given = sizing.params.get("every_days")
        if sizing.params["regeneration"] == "timer" and given:
            return stated("timer", "given", given, "day", "softener.interval")
        cap = min(float(row["interval_iron"] if iron else row["interval_max"]), given or float("inf"))
        least = float(row["interval_least"])
        return work(
            "regenerate every", "max(min(days, cap), least)", "day", "softener.interval", days=(days, "day"), cap=(cap, "day"), least=(least, "day")
        )

    def _steady(self, bed: Bed) -> tuple[Line, Line, Line]:
        """Steady flow by volume, by area, and the lesser of the two [L/min]."""
        row = table("stages")["softener"]
        volume = work(
            "by volume",
            "rate × US_gpm ÷ ft3 × resin",
            "L/min",
            "softener.flow",
            rate=(float(row["steady_gpm_ft3"]), "gpm/ft3"),
            resin=(bed.total_volume, "L"),
        )
        area = work("by area", "rate × area", "L/min", "softener.flow", rate=(bed.medium.service, "L/min per m2"), area=(bed.total_area, "m2"))
        both = work("steady flow", "min(volume, area)", "L/min", "softener.flow", volume=(volume.value, "L/min"), area=(area.value, "L/min"))
        return volume, area, both

    def steady(self, sizing: Sizing) -> float:
        return float(self._steady(sizing.vessels)[-1].value)

    def peak(self, keys: SoftenerKeys, sizing: Sizing) -> float:
        """Greatest short peak [L/min] by volume and by area."""
        bed = sizing.vessels
        return float(min(table("stages")["softener"]["peak_gpm_ft3"] * GPM / FT3 * bed.total_volume, bed.peak_limit))

    def _setting(self, keys: SoftenerKeys, compensated: float, sizing: Sizing) -> Figure:
        if keys.hardness_setting:
            return figure(stated("given setting", "given", keys.hardness_setting, "mg/L CaCO3", "softener.compensation"))
        return figure(work("setting, rounded up to a whole grain", "ceil(compensated ÷ gpg − 0.000001) × gpg", "mg/L CaCO3", "softener.compensation",
                           compensated=(compensated, "mg/L CaCO3")))  # fmt: skip

    def _cycle(self, keys: SoftenerKeys, bed: Bed, salt: float, water: Water, row: dict[str, Any]) -> dict[str, Figure]:
        controls = keys.flow_controls
        wash = keys.backwash or bed.backwash_flow(water.temperature)
        refill_flow = (controls and controls.refill) or row["refill_gpm"] * GPM
        brine = (controls and controls.brine) or row["brine_rinse_gpm_ft3"] * GPM / FT3 * bed.volume
        rinse = (controls and controls.rinse) or wash
        minutes = {name: (float(row[f"{name}_min"]), "min") for name in ("backwash", "brine_rinse", "fast_rinse")}
        fill = work(
            "refill", "salt ÷ lb ÷ strength × US_gal", "L", "softener.cycle", salt=(salt, "kg"), strength=(float(row["brine_lb_per_gal"]), "lb/gal")
        )
        total = work("water", "vessels × (wash_min × wash + brine_min × brine + rinse_min × rinse + refill)", "L", "softener.cycle", vessels=(float(bed.vessels), ""),
                     wash_min=minutes["backwash"], wash=(wash, "L/min"), brine_min=minutes["brine_rinse"], brine=(brine, "L/min"),
                     rinse_min=minutes["fast_rinse"], rinse=(rinse, "L/min"), refill=(fill.value, "L"))  # fmt: skip
        return {
            "refill_time": figure(
                fill, work("refill time", "refill ÷ flow", "min", "softener.cycle", refill=(fill.value, "L"), flow=(refill_flow, "L/min"))
            ),
            "backwash_time": figure(stated("backwash", "minutes", *minutes["backwash"], "softener.cycle")),
            "brine_rinse_time": figure(stated("brine and slow rinse", "minutes", *minutes["brine_rinse"], "softener.cycle")),
            "fast_rinse_time": figure(stated("fast rinse", "minutes", *minutes["fast_rinse"], "softener.cycle")),
            "water_per_regeneration": figure(fill, total),
        }

    def treat(self, keys: SoftenerKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        row = duty.rows["softener"]
        left = self._leakage(water, sizing.params["salt_dose"], row).value
        share = left / water.hardness if water.hardness > 0 else 1.0
        changes = {
            "calcium": water.value("calcium") * share,
            "magnesium": water.value("magnesium") * share,
            "sodium": water.value("sodium") + SODIUM_PER_HARDNESS * (water.hardness - left),
        }
        if water.get("ferrous_iron") is not None:
            changes["ferrous_iron"] = water.value("ferrous_iron") * row["iron_left"]
        if water.get("manganese") is not None:
            changes["manganese"] = water.value("manganese") - min(water.value("manganese"), row["manganese_max"]) * (1 - row["iron_left"])
        return water.react(**changes)

    def other_sizes(self, keys: SoftenerKeys, sizing: Sizing, water: Water, duty: Duty) -> list[SoftenerKeys]:
        """Resin and salt dose: less resin regenerated oftener, more resin more rarely, each at light and heavy doses."""
        volumes = [measured_out(sizing.vessels.volume * times) for times in (0.75, 1.0, 1.25, 1.5, 2.0, 2.5)]
        doses = [each * LB_FT3 for each in (4, 6, 8, 10, 15)]
        return [replace(keys, volume=volume, salt_dose=dose, tank=None, nominal=None) for volume in volumes for dose in doses if volume > 0]

    def over_time(self, stage: StageRun[SoftenerKeys]) -> Exchanging[StageRun[SoftenerKeys]]:
        """Resin that loads by what the valve counts: hardness, iron and manganese in grains."""
        keys, figures, row, schools = stage.keys, stage.figures, stage.duty.rows["softener"], stage.duty.facts.schools
        fixed = schools.iron_compensation == "fixed"
        grains = {} if fixed else {"iron": row["iron_grains"][schools.iron_compensation] * GPG, "manganese": row["manganese_grains"] * GPG}
        counted = Counted((("hardness", 1.0), *grains.items()), (schools.iron_adder or 0.0) / 1000 if fixed else 0.0)
        needed, timer = figures["compensated_hardness"].value, stage.sizing.params["regeneration"] == "timer"
        least = figures["regeneration_interval"].value
        cap = float(row["interval_iron"] if self._iron_counts(stage.water_in, row) else row["interval_max"])
        how = Regeneration(
            capacity=figures["capacity"].value, reserve=0.0 if keys.twin else figures["daily_load"].value,
            setting=(keys.hardness_setting or needed) / 1000, raw_share=stage.water_in.hardness / needed if needed > 0 else 1.0,
            every=least if timer else min(cap, stage.sizing.params.get("every_days", cap)), timer=timer,
            salt=figures["salt_per_regeneration"].value * stage.sizing.vessels.vessels, litres=figures["water_per_regeneration"].value,
            minutes=stage.washing_minutes, flow=stage.wash_flow, at_once=bool(keys.twin),
        )  # fmt: skip
        return Exchanging(stage, counted, how)

    def washes(self, keys: SoftenerKeys) -> bool:
        return True

    def loss(self, keys: SoftenerKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        clean = sizing.vessels.loss(flow, temperature)
        return clean, clean * table("stages")["softener"]["dirty_factor"]

    def bodies(self, keys: SoftenerKeys, sizing: Sizing) -> int:
        """Twins are two vessels, each with the whole bed."""
        return super().bodies(keys, sizing) * (2 if sizing.params.get("twin") else 1)

    def candidates(self, water: Water, duty: Duty) -> list[SoftenerKeys]:
        wishes, school = duty.facts.wishes, duty.facts.schools.hardness
        if wishes.no_salt or wishes.no_power or school != "exchange":
            return []
        rows: dict[str, Any] = duty.rows
        hard = water.hardness > soften_above(duty.facts) or water.value("ferrous_iron") > rows["softener"]["iron_counts"]
        makes_way = water.hardness > rows["uv"]["hardness_max"] and (
            duty.weak or any(water.value(name) > 0 for name in (*MICROBES, "tannin", "nitrate"))
        )
        asked = wishes.soft_water or (wishes.soft_water is None and hard) or makes_way or wishes.high_purity
        return [SoftenerKeys(twin=True if duty.round_the_clock else None)] if asked else []

    def refuses_after(self, keys: SoftenerKeys, others: Sequence[Stage[Any]], duty: Duty, raw: Water) -> bool:
        """It comes before the carbon, where the job's school or its water says so: not where carbon spares the resin sulfide.

        None is bought for manganese that a bed takes: that stands before it.
        """
        before = {other.kind for other in others}
        if "oxidizing_filter" not in before and _is_for_a_bed(raw, duty) and not _hard("neutralizer" in before, raw, duty):
            return True
        spares = duty.facts.schools.carbon_order == "auto" and raw.value("hydrogen_sulfide") > duty.rows["softener"]["sulfide_max"]
        return not (spares or duty.carbon_first(raw)) and "carbon" in before

    def schools(self, keys: SoftenerKeys, water: Water, system: str) -> list[str]:
        row = table("stages")["softener"]
        ours, *others = (show(each * GPG, "mg/L CaCO3", system) for each in (row["soften_above_gpg"], *row["soften_above_schools_gpg"]))
        said = [
            f"Soften above {ours} (default); others from {others[0]}, or only above {others[1]}.",
            "Resin, salt dose and interval are chosen together for the least salt a year, 3 to 10 days apart (default); others use 3 or 7 days at one dose.",
        ]
        if water.iron > 0.02:
            each = ", ".join(
                f"×{school[1:]} gives {show(compensated_hardness(water, school, None).value, 'mg/L CaCO3', system)}" for school in ("x3", "x4", "x5")
            )
            said.insert(0, f"Iron counted in grains per mg/L: {each}; ×4 is the default.")
        said.append(
            f"Water heater: limiting scale requires {show(60.0, 'degC', system)} or less, limiting legionella {show(60.0, 'degC', system)} or more in the tank; local rules decide."
        )
        return said

    def forks(self, stage: StageRun[SoftenerKeys], others: frozenset[str]) -> list[Fork]:
        return [
            Fork(
                "Scale control instead of a softener",
                1,
                schools=(("hardness", "scale_control"),),
                has=frozenset({"scale_control"}),
                lacks=frozenset({self.kind}),
            )
        ]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        taken = [f"hardness from {digits(before.hardness, 'mg/L CaCO3', system)} to {show(after.hardness, 'mg/L CaCO3', system)}"]
        if before.iron > 0.1:
            taken.append(f"{before.iron - after.iron:.2g} mg/L of iron")
        return "exchanges " + " and ".join(taken) + " for sodium"

    def harmed_before(self, other: StageRun[Any]) -> str:
        if other.water_out.hardness > other.water_in.hardness + 5:
            return f"it would not remove the hardness that the {other.said} adds"
        return ""

    def body(self, keys: SoftenerKeys, sizing: Sizing) -> tuple[float, float, float]:
        return fixed_body("cabinet") if keys.form == "cabinet" else super().body(keys, sizing)

    def buys(self, keys: SoftenerKeys, sizing: Sizing) -> list[Purchase]:
        return [salt_bought(sizing.figures["salt_per_year"].value)]


def _doses(row: dict[str, Any]) -> list[float]:
    """Salt doses that are weighed up [g/L], in steps, least first."""
    return [each * LB_FT3 for each in row["doses_lb"]]


def _efficient(dose: float, row: dict[str, Any]) -> bool:
    """Whether a dose [g/L] gives enough capacity for each pound of salt."""
    return bool(capacity_per_litre(dose) / dose * constant("grains_per_g") * constant("lb") * 1000 >= row["efficient_gr_lb"])


def _thriftiest(volume: float, load: float, reserve: float, aim: tuple[float, float], row: dict[str, Any]) -> float:
    """The salt dose [g/L] at which this much resin [L] takes least salt a year.

    load, reserve: g CaCO3 a day, and held back; aim: least and most days between regenerations. A dose above the efficient ones
    is taken only where those do not last the least interval.
    """
    doses, days = _doses(row), {}
    for dose in doses:
        days[dose] = (capacity_per_litre(dose) * volume - reserve) / max(load, 1e-9)
    lasting = [dose for dose in doses if days[dose] >= aim[0] - 1e-9]
    if not lasting:
        return doses[-1] if days[doses[-1]] < 1 else next(dose for dose in doses if days[dose] >= min(aim[0], max(days.values())) - 1e-9)
    good = [dose for dose in lasting if _efficient(dose, row)] or lasting[:1]
    return min(good, key=lambda dose: dose / min(days[dose], aim[1]))


def _worthwhile(dose: float | None, least: float, load: float, reserve: float, aim: tuple[float, float], row: dict[str, Any]) -> float:
    """How much resin [L] to fit: the salt it takes in a year and what the resin is worth in salt weigh least together."""
    best, found = float("inf"), least
    for each in [dose] if dose else [each for each in _doses(row) if _efficient(each, row)]:
        per_litre = capacity_per_litre(each)
        volume = max(least, (load * aim[0] + reserve) / per_litre)
        most = max(volume, (load * aim[1] + reserve) / per_litre)
        step = max(FT3 / 4, (most - volume) / row["weighed"])
        while volume <= most + 1e-9:
            days = min((per_litre * volume - reserve) / max(load, 1e-9), aim[1])
            weight = constant("year_days") / max(days, 1e-9) * volume * each / 1000 + row["resin_worth"] * volume
            if weight < best - 1e-9:
                best, found = weight, volume
            volume += step
    return found


def salt_bought(yearly: float) -> Purchase:
    """The salt of a year [kg]."""
    return Purchase("salt", yearly, yearly=True)


def _is_for_a_bed(raw: Water, duty: Duty) -> bool:
    """Whether a water has manganese that matters, and no more tannin than a bed bears that nothing is fed to."""
    return bool(
        raw.value("manganese") > duty.rows["oxidizing_filter"]["manganese_matters"] and raw.value("tannin") <= duty.rows["greensand"]["tannin_max"]
    )


def _hard(behind_calcite: bool, raw: Water, duty: Duty) -> bool:
    """Whether a softener is there anyway: the water is hard or soft water is wished, or calcite makes it so that an acid water asks for."""
    limit = strictest(duty.facts.job.standard, "ph", duty.facts.as_of)
    acid = limit is not None and limit.low is not None and raw.ph < limit.low
    return raw.hardness > soften_above(duty.facts) or bool(duty.facts.wishes.soft_water) or (behind_calcite and acid)


SOFTENER = Softener()


@rule("capacity-short", "train", "softener.interval", on="softener")
def capacity_short(audit: Audit, stage: StageRun[SoftenerKeys]) -> Iterator[Hit]:
    """The resin is spent too soon: less than two days between regenerations, or a timer that waits too long."""
    days, least = stage.figures["days_between_regenerations"].value, audit.duty.rows["softener"]["interval_min"]
    waits = stage.keys.every_days if stage.keys.regeneration == "timer" else None
    lasts = days + (0.0 if stage.keys.twin else 1.0)
    if waits and waits > lasts + 1e-6:
        yield Hit("fault", f"The timer regenerates every {audit.show(waits, 'day')}, but the resin is exhausted after {audit.show(lasts, 'day')}: hard water reaches the taps.",
                  "Regenerate more often, dose more salt, or fit more resin.")  # fmt: skip
    elif days < least and not stage.keys.twin:
        severity = "fault" if days < 1 else "caution"
        yield Hit(severity, f"The resin lasts {audit.show(max(days, 0.0), 'day')} between regenerations with a day in reserve; it should last at least {least:g} days.",
                  "Use more resin, more salt per regeneration, or twin vessels.")  # fmt: skip


@rule("capacity-idle", "train", "softener.interval", on="softener")
def capacity_idle(audit: Audit, stage: StageRun[SoftenerKeys]) -> Iterator[Hit]:
    """Over fourteen days between regenerations: the bed packs, and microbes settle."""
    counted, by_capacity = stage.sizing.params.get("every_days"), stage.figures["days_between_regenerations"].value
    interval = by_capacity if not counted else counted if stage.keys.regeneration == "timer" else min(counted, by_capacity)
    most = audit.duty.rows["softener"]["interval_max"]
    if interval > most:
        yield Hit("caution", f"By capacity the softener regenerates every {audit.show(interval, 'day')}; beyond {most} days the bed packs and stagnates.",
                  f"Fit less resin or a lower salt dose, and set the control valve to regenerate at least every {most} days.")  # fmt: skip


@rule("interval-iron", "train", "softener.interval", on="softener")
def interval_iron(audit: Audit, stage: StageRun[SoftenerKeys]) -> Iterator[Hit]:
    """Iron arrives, and the timer waits longer than iron lets a bed stand: it fouls the resin."""
    row, waits = audit.duty.rows["softener"], stage.keys.every_days
    metals = max(stage.water_in.iron, stage.water_in.value("manganese"))
    if waits and metals > row["iron_counts"] and waits > row["interval_iron"] + 1e-9 and stage.keys.regeneration == "timer":
        yield Hit("caution", f"{audit.show(metals, 'mg/L')} of iron or manganese reaches the softener, and the timer waits {audit.show(waits, 'day')}; with iron it should "
                  f"regenerate at least every {row['interval_iron']:g} days.",
                  f"Set it to {row['interval_iron']:g} days, whatever the capacity, or remove the iron first.")  # fmt: skip


@rule("salt-starved", "train", "softener.efficiency", on="softener")
def salt_starved(audit: Audit, stage: StageRun[SoftenerKeys]) -> Iterator[Hit]:
    """A salt dose below the first point of the published curve: capacity falls with it, and hardness leaks."""
    row, dose = audit.duty.rows["softener"], stage.sizing.params["salt_dose"]
    first = row["dose_lb"][0] * LB_FT3 * (row["counter_current_salt"] if stage.keys.brining == "counter_current" else 1.0)
    if dose < first * 0.995:
        yield Hit("caution", f"The salt dose is {audit.show(dose, 'g/L')}; the published capacity curve begins at {audit.show(first, 'g/L')}. Capacity falls with the dose, "
                  f"and about {audit.show(stage.figures['leakage'].value, 'mg/L CaCO3')} of hardness leaks through.",
                  f"Dose at least {audit.show(first, 'g/L')} of salt.")  # fmt: skip


@rule("setting-doubled", "train", "softener.compensation", on="softener")
def setting_doubled(audit: Audit, stage: StageRun[SoftenerKeys]) -> Iterator[Hit]:
    """The valve is set far above what it has to count: it regenerates too often and wastes salt."""
    given, needed = stage.keys.hardness_setting, stage.figures["compensated_hardness"].value
    most = audit.duty.rows["softener"]["setting_most"]
    if given is not None and needed > GPG and given > needed * most and given > needed + 3 * GPG:
        yield Hit("caution", f"The hardness setting is {audit.show(given, 'mg/L CaCO3')}, {given / needed:.1f} times the "
                             f"{audit.show(needed, 'mg/L CaCO3')} that arrives with iron counted: "
                  "it regenerates that much too often.",
                  f"Set it to {audit.show(whole_grains(needed), 'mg/L CaCO3')}; do not count iron twice.")  # fmt: skip


@rule("setting-uncompensated", "train", "softener.compensation", on="softener")
def setting_uncompensated(audit: Audit, stage: StageRun[SoftenerKeys]) -> Iterator[Hit]:
    """The valve is set below the hardness that counts iron and manganese: it runs out early."""
    given, needed = stage.keys.hardness_setting, stage.figures["compensated_hardness"].value
    if given is not None and given < needed - 0.5 * GPG:
        yield Hit("fault", f"The hardness setting is {audit.show(given, 'mg/L CaCO3')}; with iron and manganese counted it should be {audit.show(needed, 'mg/L CaCO3')}.",
                  f"Set it to {audit.show(whole_grains(needed), 'mg/L CaCO3')}.")  # fmt: skip


@rule("salt-inefficient", "train", "softener.efficiency", on="softener")
def salt_inefficient(audit: Audit, stage: StageRun[SoftenerKeys]) -> Iterator[Hit]:
    """More salt than the capacity is worth."""
    row = audit.duty.rows["softener"]
    good, waste, given = stage.figures["salt_efficiency"].value, row["wasteful_gr_lb"], stage.keys.every_days
    lasts = stage.figures["days_between_regenerations"].value
    most = min(lasts, SOFTENER.longest(stage.water_in, audit.duty))
    if given and given < row["early_share"] * most and good * given / lasts < waste:
        yield Hit("caution", f"The softener regenerates every {audit.show(given, 'day')}, though the resin lasts {audit.show(lasts, 'day')}: it removes {good * given / lasts:.0f} "
                             f"grains for each pound of salt; below {waste} salt is wasted.",
                  f"Let the meter decide, at the latest after {audit.show(most, 'day')}.")  # fmt: skip
    elif good < waste:
        yield Hit("caution", f"The softener removes {good:.0f} grains for each pound of salt ({audit.show(stage.sizing.params['salt_dose'], 'g/L')}); "
                             f"below {waste} salt is wasted.",
                  "Dose less salt and regenerate a little more often, or fit more resin.")  # fmt: skip


@rule("hardness-after-softener", "train", "softener.compensation", on="softener")
def hardness_after_softener(audit: Audit, stage: StageRun[SoftenerKeys]) -> Iterator[Hit]:
    """A stage after the softener adds hardness back."""
    for other in audit.run.later(stage):
        added = other.water_out.hardness - other.water_in.hardness
        if other.water_in.value(PERMEATE) > 0:
            return  # calcite after a membrane is right: permeate needs it
        if added > 5:
            yield Hit("fault", f"{other.name} adds {audit.show(added, 'mg/L CaCO3')} of hardness after the softener has removed it.",
                      f"Put the {other.said} before the softener, and size the softener on what arrives there.", stage=other.id)  # fmt: skip


@rule("sodium-diet", "train water", "softener.sodium_diet", on=("softener", "chemical_feed"))
def sodium_diet(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """Sodium from softening or from a chemical, where someone keeps to a low-sodium diet and drinks it."""
    added, most = stage.water_out.value("sodium") - stage.water_in.value("sodium"), audit.duty.rows["house"]["sodium_diet"]
    taken_out = audit.run.tap is not audit.run.finished and audit.run.tap.value("sodium") <= most
    if audit.facts.wishes.low_sodium and added > 5 and not taken_out:
        instead = (
            "Leave the kitchen cold tap unsoftened, use potassium chloride," if stage.kind == "softener" else "Use calcite in place of a fed alkali,"
        )
        in_all = audit.show(stage.water_out.value("sodium"), "mg/L")
        yield Hit("caution", f"The {stage.said} adds {audit.show(added, 'mg/L')} of sodium, {in_all} in all, and a low-sodium diet is required.",
                  f"{instead} or fit a membrane at the drinking tap; ask a physician.")  # fmt: skip


@rule("outdoor-taps-softened", "train place", "softener.flow", on="softener")
def outdoor_taps_softened(audit: Audit, stage: StageRun[SoftenerKeys]) -> Iterator[Hit]:
    """The softener also feeds the outdoor taps: it stands on their branch, or they are listed and not spared."""
    hoses = (audit.facts.building.fixtures or {}).get("hose_tap", 0)
    listed = hoses > 0 and not audit.facts.wishes.spare_outdoor_taps
    if listed or (stage.keys.install and stage.keys.install.branch == "outdoor"):
        told = f"The {hoses} outdoor taps listed are" if listed and hoses > 1 else "The outdoor tap listed is" if listed else "The outdoor taps are"
        yield Hit(
            "caution",
            f"{told} fed after the softener: it wastes salt and water, and sodium harms plants.",
            "Connect the outdoor taps upstream of the softener.",
        )
