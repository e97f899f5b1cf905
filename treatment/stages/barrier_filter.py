"""Barrier filters: ceramic and ultrafiltration elements that hold bacteria and cysts, not viruses."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil
from typing import TYPE_CHECKING, Any

from ..figure import figure, source, work
from ..hydraulics import GPM, PSI, square_law
from ..spec import Choice, key
from ..tables import table
from ..water import Water
from .base import FeedLimit, Room, Sizing, StageKeys

if TYPE_CHECKING:
    from ..duty import Duty

HELD = ("total_coliform", "e_coli", "heterotrophic_count", "protozoa", "iron_bacteria", "sulfur_bacteria")


@dataclass(frozen=True, slots=True)
class BarrierKeys(StageKeys):
    element: str | None = key(Choice(("ceramic", "ultrafiltration")), None, "kind of element")


class BarrierFilter(Room):
    kind = "barrier_filter"
    title = "Barrier filter"
    silhouette = "cartridge"
    Keys = BarrierKeys
    answers = ("total_coliform", "e_coli", "protozoa")
    holds_particles = True
    peak_effect = "pressure falls"
    cautions = (
        "It does not hold viruses; no filter makes illness impossible: retest.",
        "A cracked element lets everything by: test its integrity at each cleaning.",
        "Clean hands and a boiled brush for ceramic; never a hard jet.",
    )

    def rows(self, keys: Any) -> tuple[str, ...]:
        return ("barrier",)

    def name(self, keys: BarrierKeys) -> str:
        return "Ceramic filter" if keys.element == "ceramic" else "Ultrafiltration"

    def micron(self, keys: BarrierKeys, sizing: Sizing) -> float | None:
        return 0.5

    def feed_limits(self, keys: BarrierKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited = duty.rows["barrier"], source("barrier.feed")
        most = row["ceramic_turbidity_max"] if keys.element == "ceramic" else row["turbidity_max"]
        return [
            FeedLimit("turbidity", None, most, cited, "silt blinds the element; filter it first"),
            FeedLimit("iron", None, row["iron_max"], cited, "iron blinds the element"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "manganese blinds the element"),
        ]

    def size(self, keys: BarrierKeys, water: Water, duty: Duty) -> Sizing:
        row, element = duty.rows["barrier"], keys.element or "ultrafiltration"
        flow = duty.drinking if self.at_tap(keys) else duty.flow
        each = row[f"{element}_gpm"] * GPM
        count = max(ceil(flow / each - 1e-9), 1)
        months = float(row[f"{element}_months"])
        return Sizing(
            {"element": element},
            {
                "elements": figure(
                    work("elements", "ceil(flow ÷ each)", float(count), "1", "barrier.feed", flow=(flow, "L/min"), each=(each, "L/min"))
                ),
                "service_flow_limit": figure(
                    work("flow", "count × each", count * each, "L/min", "barrier.feed", count=(float(count), ""), each=(each, "L/min"))
                ),
                "replacement_interval": figure(work("life", "months", months, "month", "barrier.feed", months=(months, "month"))),
            },
        )

    def treat(self, keys: BarrierKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        left = duty.rows["barrier"]["turbidity_left"]
        return water.scaled(turbidity=left, tss=left, ferric_iron=0.1).with_(**{name: 0.0 for name in HELD if water.get(name) is not None})

    def loss(self, keys: BarrierKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        row = table("stages")["barrier"]
        clean = square_law(flow, sizing.figures["service_flow_limit"].value, row["clean_psi"] * PSI)
        return clean, clean + (row["dirty_psi"] - row["clean_psi"]) * PSI

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        wanted = duty.facts.schools.disinfection == "barrier" or (duty.facts.schools.disinfection == "uv" and duty.facts.wishes.no_power)
        return [BarrierKeys(element="ultrafiltration")] if wanted and any(water.value(name) > 0 for name in self.answers) else []

    def schools(self, keys: BarrierKeys, water: Water, system: str) -> list[str]:
        return ["Light as the default (ours); a barrier where there is no power: it holds bacteria and cysts, not viruses."]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "holds bacteria and cysts; not viruses"

    def body(self, keys: BarrierKeys, sizing: Sizing) -> tuple[float, float, float]:
        return 200.0, 900.0, 350.0
