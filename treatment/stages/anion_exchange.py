"""Anion exchange for nitrate and tannin, regenerated with salt."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ..beds import bed_figures, choose_bed, medium
from ..carbonate import CL, N_NITRATE, SO4
from ..figure import figure, source, work
from ..hydraulics import GPM
from ..spec import Choice, key
from ..tables import table
from ..water import Water
from .base import BedKeys, FeedLimit, Room, Sizing

if TYPE_CHECKING:
    from ..duty import Duty


@dataclass(frozen=True, slots=True)
class AnionExchangeKeys(BedKeys):
    target: str | None = key(Choice(("tannin", "nitrate")), None, "what it takes out")


def target_of(keys: AnionExchangeKeys) -> str:
    return keys.target or "nitrate"


class AnionExchange(Room):
    kind = "anion_exchange"
    title = "Anion exchange"
    silhouette = "vessel_brine"
    Keys = AnionExchangeKeys
    answers = ("nitrate", "tannin", "colour")
    uses_salt = True
    uses_power = True
    peak_effect = "what it holds leaks through"
    cautions = (
        "Spent resin can give back more nitrate than came in: retest on schedule, and never stretch the interval.",
        "Chloride rises by what is exchanged; the water may be briefly acid after regeneration.",
        "Brine discharge: local rules and septic systems may forbid it; ask the authority.",
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
        ]

    def size(self, keys: AnionExchangeKeys, water: Water, duty: Duty) -> Sizing:
        row, target = duty.rows["anion_exchange"], target_of(keys)
        name = f"{target}_resin"
        if target == "nitrate":
            load = (water.value("nitrate") / N_NITRATE + row["sulfate_share"] * 2 * water.value("sulfate") / SO4) * duty.daily / 1000
            per_litre, unit, aim = row["nitrate_eq_l"], "eq", float(row["interval_nitrate"])
            day = work("load a day", "(nitrate ÷ 14.0067 + share × 2 × sulfate ÷ 96.06) × daily ÷ 1000", load, "eq", "anion.capacity",
                       nitrate=(water.value("nitrate"), "mg/L N"), share=(row["sulfate_share"], ""), sulfate=(water.value("sulfate"), "mg/L"), daily=(duty.daily, "L/day"))  # fmt: skip
        else:
            load = water.value("tannin") * duty.daily / 1000
            per_litre, unit, aim = row["tannin_g_l"], "g", float(row["interval_tannin"])
            day = work(
                "load a day",
                "tannin × daily ÷ 1000",
                load,
                "g",
                "anion.capacity",
                tannin=(water.value("tannin"), "mg/L"),
                daily=(duty.daily, "L/day"),
            )
        volume = max(load * (aim + 1) / per_litre, duty.flow / GPM / 5 * 28.316846592)
        bed = choose_bed(name, duty.flow, volume, duty.wash, water.temperature, keys.tank, keys.vessels, keys.volume)
        capacity = bed.total_volume * per_litre
        days = (capacity - load) / max(load, 1e-9)
        interval = min(max(days, 0.25), aim)
        salt = bed.volume * row["salt_g_l"] / 1000
        figures = bed_figures(bed, duty.flow, water.temperature)
        room = work(
            "capacity", "resin × per_litre", capacity, unit, "anion.capacity", resin=(bed.total_volume, "L"), per_litre=(per_litre, f"{unit}/L")
        )
        figures |= {
            "days_between_regenerations": figure(day, room, work("days", "(capacity − load) ÷ max(load, 0.000000001)", days, "day", "softener.reserve", capacity=(capacity, unit), load=(load, unit))),
            "regeneration_interval": figure(work("regenerate every", "min(max(days, 0.25), aim)", interval, "day", "softener.interval", days=(days, "day"), aim=(aim, "day"))),
            "salt_per_regeneration": figure(work("salt", "resin × dose ÷ 1000", salt, "kg", "anion.capacity", resin=(bed.volume, "L"), dose=(float(row["salt_g_l"]), "g/L"))),
            "salt_per_year": figure(work("salt a year", "365 ÷ interval × salt × vessels", 365 / interval * salt * bed.vessels, "kg", "softener.efficiency", interval=(interval, "day"), salt=(salt, "kg"), vessels=(float(bed.vessels), ""))),
        }  # fmt: skip
        wash = bed.backwash_flow(water.temperature)
        total = bed.vessels * (20 * wash + 60 * 0.4 * GPM / 28.316846592 * bed.volume)
        figures["water_per_regeneration"] = figure(
            work(
                "water",
                "vessels × (20 × wash + 60 × 0.4 × 3.7854 ÷ 28.3168 × resin)",
                total,
                "L",
                "softener.cycle",
                vessels=(float(bed.vessels), ""),
                wash=(wash, "L/min"),
                resin=(bed.volume, "L"),
            )
        )
        return Sizing({"target": target, "volume": bed.volume, "tank": bed.tank, "vessels": bed.vessels}, figures, bed)

    def treat(self, keys: AnionExchangeKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        row, chloride = duty.rows["anion_exchange"], water.value("chloride")
        if target_of(keys) == "nitrate":
            gone = water.value("nitrate") * (1 - row["nitrate_left"])
            sulfate = water.value("sulfate") * row["sulfate_share"]
            added = (gone / N_NITRATE + 2 * sulfate / SO4) * CL
            return water.with_(nitrate=water.value("nitrate") - gone, sulfate=water.value("sulfate") - sulfate, chloride=chloride + added)
        changes = {"tannin": water.value("tannin") * row["tannin_left"], "chloride": chloride + 2.0}
        for name, left in (("colour", row["colour_left"]), ("toc", 0.5)):
            if water.get(name) is not None:
                changes[name] = water.value(name) * left
        if water.get("uvt") is not None:
            changes["uvt"] = 100 - (100 - water.value("uvt")) * 0.4
        return water.with_(**changes)

    def loss(self, keys: AnionExchangeKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        assert sizing.bed is not None
        clean = sizing.bed.loss(flow, temperature)
        return clean, clean * table("stages")["anion_exchange"]["dirty_factor"]

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        if duty.facts.wishes.no_salt or duty.facts.wishes.no_power:
            return []
        return [AnionExchangeKeys(target="tannin")] if water.value("tannin") > 0.3 else []

    def schools(self, keys: AnionExchangeKeys, water: Water, system: str) -> list[str]:
        if target_of(keys) == "nitrate":
            return ["Nitrate at the drinking tap with a membrane first (ours); others exchange it for the whole house."]
        return ["Resin for tannin after softener and iron removal (ours); others oxidise or coagulate it."]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        name = "tannin" if after.value("tannin") < before.value("tannin") else "nitrate"
        return f"exchanges {name} for chloride"

    def peak(self, keys: AnionExchangeKeys, sizing: Sizing) -> float:
        assert sizing.bed is not None
        return float(medium(sizing.bed.medium.key).peak * sizing.bed.total_area)
