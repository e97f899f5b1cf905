"""Retention tank: gives chlorine its time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ..demand import interpolate
from ..figure import figure, work
from ..job import VOLUME
from ..spec import key
from ..tables import table
from ..water import Water
from .base import Room, Sizing, StageKeys, tank_body

if TYPE_CHECKING:
    from ..duty import Duty


@dataclass(frozen=True, slots=True)
class RetentionTankKeys(StageKeys):
    volume: float | None = key(VOLUME, None, "water it holds")


class RetentionTank(Room):
    kind = "retention_tank"
    title = "Retention tank"
    silhouette = "tank"
    Keys = RetentionTankKeys
    answers = ("iron_bacteria", "sulfur_bacteria", "total_coliform", "e_coli")
    serves = True
    cautions = ("A full tank is heavy: check the floor.", "Flush the bottom every few months.")

    def rows(self, keys: Any) -> tuple[str, ...]:
        return ("retention",)

    def size(self, keys: RetentionTankKeys, water: Water, duty: Duty) -> Sizing:
        row = duty.rows["retention"]
        chlorine = water.value("free_chlorine")
        least = row["contact_min"] * duty.flow
        asked = duty.facts.schools.disinfection == "chlorine" and chlorine >= row["free_chlorine_min"]
        if asked and any(water.value(name) > 0 for name in ("total_coliform", "e_coli")):
            least = max(least, ct_needed(water) / row["baffling"] / chlorine * duty.flow)
        volume = keys.volume or next(
            (float(size) for size in row["sizes_l"] if size >= least), float(row["sizes_l"][-1]) * -(-least // row["sizes_l"][-1])
        )
        contact = volume / duty.flow
        held = work("contact", "volume ÷ flow", contact, "min", "feed.contact", volume=(volume, "L"), flow=(duty.flow, "L/min"))
        effective = work(
            "effective", "contact × baffling", contact * row["baffling"], "min", "feed.ct", contact=(contact, "min"), baffling=(row["baffling"], "")
        )
        figures = {
            "contact_time": figure(held),
            "effective_contact_time": figure(held, effective),
            "ct": figure(held, effective, work("CT", "effective × chlorine", contact * row["baffling"] * chlorine, "mg min/L", "feed.ct", effective=(contact * row["baffling"], "min"), chlorine=(chlorine, "mg/L"))),
            "ct_needed": figure(work("CT for 4 log of viruses", "ct", ct_needed(water), "mg min/L", "feed.ct", ct=(ct_needed(water), "mg min/L"))),
        }  # fmt: skip
        return Sizing({"volume": volume}, figures)

    def treat(self, keys: RetentionTankKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        row, chlorine = duty.rows["retention"], water.value("free_chlorine")
        if chlorine < row["free_chlorine_min"]:
            return water
        changes: dict[str, float] = {}
        if sizing.figures["contact_time"].value >= row["contact_min"] * 0.98:
            changes |= {name: 0.0 for name in ("iron_bacteria", "sulfur_bacteria") if water.get(name) is not None}
        if sizing.figures["ct"].value >= sizing.figures["ct_needed"].value:
            changes |= {name: 0.0 for name in ("total_coliform", "e_coli", "heterotrophic_count") if water.get(name) is not None}
        return water.with_(**changes) if changes else water

    def loss(self, keys: RetentionTankKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        return 2.0, 2.0

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        return []

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "gives chlorine its time"

    def body(self, keys: RetentionTankKeys, sizing: Sizing) -> tuple[float, float, float]:
        return tank_body(sizing.params["volume"])


def ct_needed(water: Water) -> float:
    """CT of free chlorine for 4 log of viruses [mg·min/L], by temperature; pH 6 to 9."""
    rows = table("stages")["retention"]["virus_ct"]
    return interpolate(water.temperature, [float(t) for t in rows], [float(ct) for ct in rows.values()])
