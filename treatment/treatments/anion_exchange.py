"""Anion exchange for nitrate and tannin, regenerated with salt."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.carbonate import CL, N_NITRATE, SO4
from ..chemistry.water import Water
from ..house.beds import FT3, bed_figures
from ..house.duty import Duty
from ..house.hydraulics import GPM
from ..job.feed_limits import FeedLimit
from ..job.limits import strictest
from ..language.analytes import analytes
from ..language.figure import Figure, Line, figure, source, work
from ..language.spec import Choice, key
from ..language.tables import table
from ..train.keys import BedKeys
from ..train.over_time import Counted, Exchanging, Regeneration
from ..train.treatment import Purchase, Sizing, StageRun, Treatment
from .softener import salt_bought


@dataclass(frozen=True, slots=True)
class AnionExchangeKeys(BedKeys):
    target: str | None = key(Choice(("tannin", "nitrate")), None, "what it removes", identity=True)


def target_of(keys: AnionExchangeKeys) -> str:
    return keys.target or "nitrate"


def organics(water: Water, row: Mapping[str, Any]) -> tuple[str, float]:
    """What tells of the organic matter in a water, and how many mg of tannin a unit of it stands for.

    Tannin where it was found; else organic carbon or color, whichever tells of more: all three by how much they darken water.
    """
    stands_for: Mapping[str, float] = row["organics"]
    if water.value("tannin") > row["tannin_wanted"]:
        return "tannin", stands_for["tannin"]
    return max(stands_for.items(), key=lambda each: water.value(each[0]) * each[1])


class AnionExchange(Treatment[AnionExchangeKeys]):
    kind = "anion_exchange"
    title = "Anion exchange"
    silhouette = "vessel_brine"
    Keys = AnionExchangeKeys
    answers = ("nitrate", "tannin", "colour")
    helps = ("toc", "uvt")
    price = 4.0
    place = 12
    bypassed = True
    absent = "nothing in this water needs it"
    main = ("regeneration_interval", "salt_per_regeneration", "salt_per_year", "media_volume", "service_flow_limit", "backwash_flow")
    uses_salt = True
    uses_power = True
    peak_effect = "what it should remove leaks through"
    cautions = (
        "Exhausted resin can release more nitrate than came in: retest on schedule, and never extend the interval.",
        "Chloride rises by what is exchanged, and the water can be acid for a short time after regeneration.",
        "Brine discharge: local rules and septic systems can forbid it; ask the authority.",
    )

    def name(self, keys: AnionExchangeKeys) -> str:
        return "Tannin exchanger" if target_of(keys) == "tannin" else "Nitrate exchanger"

    def feed_limits(self, keys: AnionExchangeKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited = duty.rows["anion_exchange"], source("anion.feed")
        return [
            FeedLimit("hardness", None, row["hardness_max"], cited, "hardness scales in the resin; soften first"),
            FeedLimit("iron", None, row["iron_max"], cited, "iron fouls the resin"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "manganese fouls the resin"),
            FeedLimit("turbidity", None, row["turbidity_max"], cited, "silt packs the resin"),
            FeedLimit("tss", None, duty.rows["sediment_forms"]["tss_max"], cited, "grit and silt pack the resin"),
        ]

    def _load(self, keys: AnionExchangeKeys, water: Water, duty: Duty) -> tuple[Line, float, float]:
        """What the house brings in a day [eq, or g of tannin], what a litre of resin holds of it, and the days aimed at."""
        row, daily = duty.rows["anion_exchange"], (duty.daily, "L/day")
        if target_of(keys) == "nitrate":
            day = work("load a day", "(nitrate ÷ M_N + share × 2 × sulfate ÷ M_SO4) × daily ÷ 1000", "eq", "anion.capacity",
                       nitrate=(water.value("nitrate"), "mg/L N"), share=(row["sulfate_share"], ""), sulfate=(water.value("sulfate"), "mg/L"), daily=daily)  # fmt: skip
            return day, row["nitrate_eq_l"], float(row["interval_nitrate"])
        told, stands_for = organics(water, row)
        if told == "tannin":
            day = work("load a day", "tannin × daily ÷ 1000", "g", "anion.capacity", tannin=(water.value("tannin"), "mg/L"), daily=daily)
        else:
            day = work("load a day", "organics × as_tannin × daily ÷ 1000", "g", "anion.organics",
                       organics=(water.value(told), analytes()[told].unit), as_tannin=(stands_for, ""), daily=daily)  # fmt: skip
        return day, row["tannin_g_l"], float(row["interval_tannin"])

    def size(self, keys: AnionExchangeKeys, water: Water, duty: Duty) -> Sizing:
        load, per_litre, aim = self._load(keys, water, duty)
        volume = max(load.value * (aim + 1) / per_litre, duty.flow / GPM / duty.rows["anion_exchange"]["steady_gpm_ft3"] * FT3)
        bed = duty.bed(f"{target_of(keys)}_resin", volume, duty.wash, water.temperature, keys.tank, keys.vessels, keys.volume)
        return Sizing({"target": target_of(keys), "volume": bed.volume, "tank": bed.tank, "vessels": bed.vessels}, bed)

    def figures(self, keys: AnionExchangeKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, bed = duty.rows["anion_exchange"], sizing.vessels
        day, per_litre, aim = self._load(keys, water, duty)
        load, vessels, resin = (day.value, day.unit), (float(bed.vessels), ""), (bed.volume, "L")
        room = work(
            "capacity", "resin × per_litre", day.unit, "anion.capacity", resin=(bed.total_volume, "L"), per_litre=(per_litre, f"{day.unit}/L")
        )
        days = work("days", "(capacity − load) ÷ max(load, 0.000000001)", "day", "softener.reserve", capacity=(room.value, day.unit), load=load)
        every = work("regenerate every", "min(max(days, 1), aim)", "day", "softener.interval", days=(days.value, "day"), aim=(aim, "day"))
        salt = work("salt", "resin × dose ÷ 1000", "kg", "anion.capacity", resin=resin, dose=(float(row["salt_g_l"]), "g/L"))
        yearly = work(
            "salt a year",
            "365 ÷ interval × salt × vessels",
            "kg",
            "softener.efficiency",
            interval=(every.value, "day"),
            salt=(salt.value, "kg"),
            vessels=vessels,
        )
        water_used = work("water", "vessels × (wash_min × wash + brine_min × brine × US_gpm ÷ ft3 × resin)", "L", "softener.cycle", vessels=vessels,
                          wash_min=(float(row["backwash_min"]), "min"), wash=(bed.backwash_flow(water.temperature), "L/min"),
                          brine_min=(float(row["brine_rinse_min"]), "min"), brine=(float(row["brine_rinse_gpm_ft3"]), "gpm/ft3"), resin=resin)  # fmt: skip
        return bed_figures(bed, duty.flow, water.temperature) | {
            "days_between_regenerations": figure(day, room, days),
            "regeneration_interval": figure(every),
            "salt_per_regeneration": figure(salt),
            "salt_per_year": figure(yearly),
            "water_per_regeneration": figure(water_used),
        }

    def treat(self, keys: AnionExchangeKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        row, chloride = duty.rows["anion_exchange"], water.value("chloride")
        if target_of(keys) == "nitrate":
            gone = water.value("nitrate") * (1 - row["nitrate_left"])
            sulfate = water.value("sulfate") * row["sulfate_share"]
            added = (gone / N_NITRATE + 2 * sulfate / SO4) * CL
            return water.with_(nitrate=water.value("nitrate") - gone, sulfate=water.value("sulfate") - sulfate, chloride=chloride + added)
        changes = {"chloride": chloride + row["chloride_added"]}
        for name, left in (("tannin", row["tannin_left"]), ("colour", row["colour_left"]), ("toc", row["toc_left"])):
            if water.get(name) is not None:
                changes[name] = water.value(name) * left
        if water.measured_uvt:
            changes["uvt"] = 100 - (100 - water.value("uvt")) * row["darkness_left"]
        return water.with_(**changes)

    def over_time(self, stage: StageRun[AnionExchangeKeys]) -> Exchanging[StageRun[AnionExchangeKeys]]:
        """Resin that loads by equivalents of nitrate and sulfate, or by grams of tannin."""
        figures, row = stage.figures, stage.duty.rows["anion_exchange"]
        nitrate = (("nitrate", 1 / N_NITRATE), ("sulfate", row["sulfate_share"] * 2 / SO4))
        counted = Counted(nitrate if target_of(stage.keys) == "nitrate" else (organics(stage.water_in, row),))
        load, per_litre, aim = self._load(stage.keys, stage.water_in, stage.duty)
        how = Regeneration(
            capacity=per_litre * stage.sizing.vessels.total_volume, reserve=load.value, setting=load.value / stage.duty.daily, raw_share=1.0, every=aim,
            timer=False, salt=figures["salt_per_regeneration"].value * stage.sizing.vessels.vessels, litres=figures["water_per_regeneration"].value,
            minutes=stage.washing_minutes, flow=stage.wash_flow,
        )  # fmt: skip
        return Exchanging(stage, counted, how)

    def washes(self, keys: AnionExchangeKeys) -> bool:
        return True

    def loss(self, keys: AnionExchangeKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        clean = sizing.vessels.loss(flow, temperature)
        return clean, clean * table("stages")["anion_exchange"]["dirty_factor"]

    def candidates(self, water: Water, duty: Duty) -> list[AnionExchangeKeys]:
        if duty.facts.wishes.no_salt or duty.facts.wishes.no_power:
            return []
        colour = strictest(duty.facts.job.standard, "colour", duty.facts.as_of)
        brown = colour is not None and water.value("colour") > colour.high
        organic = water.value("toc") > duty.rows["chemical_feed"]["toc_max"]
        tannin = water.value("tannin") > duty.rows["anion_exchange"]["tannin_wanted"]
        return [AnionExchangeKeys(target="tannin")] if tannin or brown or organic else []

    def schools(self, keys: AnionExchangeKeys, water: Water, system: str) -> list[str]:
        if target_of(keys) == "nitrate":
            return ["Nitrate at the drinking tap with a membrane first (default); others exchange it for the whole house."]
        return ["Resin for tannin after softener and iron removal (default); others oxidize or coagulate it."]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        if after.value("tannin") < before.value("tannin"):
            return "exchanges tannin for chloride"
        organic = any(after.value(name) < before.value(name) for name in ("toc", "colour"))
        return f"exchanges {'organic matter' if organic else 'nitrate'} for chloride"

    def buys(self, keys: AnionExchangeKeys, sizing: Sizing) -> list[Purchase]:
        return [salt_bought(sizing.figures["salt_per_year"].value)]


ANION_EXCHANGE = AnionExchange()


@rule("capacity-short", "train", "softener.interval", on="anion_exchange")
def capacity_short(audit: Audit, stage: StageRun[AnionExchangeKeys]) -> Iterator[Hit]:
    """The resin is spent in less than a day: a valve works once a night."""
    days = stage.figures["days_between_regenerations"].value
    if days < 0.995:
        yield Hit("fault", f"The resin is exhausted after {audit.show(max(days, 0.0) * 24, 'hour')} with a day in reserve; a control valve regenerates once a night.",
                  "Use more resin or twin vessels, or treat the drinking tap only.")  # fmt: skip
