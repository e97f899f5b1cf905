"""First flush: diverts the first, dirty water of each rain."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from ..figure import figure, work
from ..water import Water
from .base import Room, Sizing, StageKeys

if TYPE_CHECKING:
    from ..duty import Duty


GAL = 3.785411784


@dataclass(frozen=True, slots=True)
class FirstFlushKeys(StageKeys):
    pass


class FirstFlush(Room):
    kind = "first_flush"
    title = "First flush"
    silhouette = "diverter"
    Keys = FirstFlushKeys
    serves = True
    cautions = (
        "Its small orifice clogs: clean it and the leaf screen each month of leaves.",
        "Roofs with lead, copper or treated shingles are not for drinking.",
    )

    def size(self, keys: FirstFlushKeys, water: Water, duty: Duty) -> Sizing:
        row, facts = duty.rows["first_flush"], duty.facts.source.rain
        area = (facts.roof_area if facts else None) or 100.0
        per = row["gal_per_100ft2"] * GAL / (100 * 0.09290304)
        given = facts.first_flush if facts else None
        volume = given or per * area
        line = (
            work("given", "given", volume, "L", "storage.flush", given=(volume, "L"))
            if given
            else work("first flush", "per × roof", volume, "L", "storage.flush", per=(per, "L/m2"), roof=(area, "m2"))
        )
        return Sizing({}, {"first_flush_volume": figure(line)})

    def treat(self, keys: FirstFlushKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        left = duty.rows["first_flush"]["particles_left"]
        return water.scaled(turbidity=left, tss=left)

    def loss(self, keys: FirstFlushKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        return 0.0, 0.0

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "diverts the first, dirty water of each rain"

    def body(self, keys: FirstFlushKeys, sizing: Sizing) -> tuple[float, float, float]:
        return 110.0, 1300.0, 300.0
