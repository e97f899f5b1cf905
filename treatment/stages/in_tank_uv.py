"""A lamp in the tank: holds counts down in standing water; it is no barrier."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from .. import rain
from ..figure import figure, work
from ..water import Water
from .base import Room, Sizing, StageKeys
from .uv import light_through

if TYPE_CHECKING:
    from ..duty import Duty


@dataclass(frozen=True, slots=True)
class InTankUvKeys(StageKeys):
    pass


class InTankUv(Room):
    kind = "in_tank_uv"
    title = "Lamp in the tank"
    silhouette = "lamp"
    Keys = InTankUvKeys
    serves = True
    uses_power = True
    cautions = (
        "Never look at a lit lamp; switch it off before the lid is lifted.",
        "It holds counts down in standing water; it is not the final barrier.",
        "Mid-tank, off the wall, not under the inlet; sealed cable through a side port; new lamp at 9000 h.",
    )

    def size(self, keys: InTankUvKeys, water: Water, duty: Duty) -> Sizing:
        row = duty.rows["in_tank_uv"]
        volume = duty.rows["storage"]["storage_l"][2]
        record = rain.record(duty.facts)
        if record is not None:
            volume = rain.smallest(record, duty.daily, duty.rows["storage"]["rain_reliability"], duty.rows["storage"]["storage_l"])
        share = light_through(water.value("uvt", 85.0) / 100, row["layer_cm"])
        watts = row["lamp_watt"] * row["germicidal"]
        # every litre once a day: dose x volume / (absorbing length) over the light that reaches it
        energy = row["dose"] * volume * 1000 / row["layer_cm"] / 1000
        hours = min(energy / max(watts * share, 1e-6) / 3600, float(row["hours_max"]))
        return Sizing(
            {"hours": hours},
            {
                "hours_a_day": figure(
                    work("hours a day", "min(dose × volume ÷ layer ÷ (lamp × share) ÷ 3600, most)", hours, "hour", "storage.lamp",
                         dose=(float(row["dose"]), "mJ/cm2"), volume=(float(volume), "L"), layer=(float(row["layer_cm"]), "cm"), lamp=(watts, "W at 254 nm"), share=(max(share, 1e-6), ""), most=(float(row["hours_max"]), "h")),
                ),
                "lamp_interval": figure(work("lamp", "min(9000 ÷ hours ÷ 30.4, 24)", min(9000 / max(hours, 0.1) / 30.4, 24.0), "month", "uv.lamp", hours=(max(hours, 0.1), "h/day"))),
            },
        )  # fmt: skip

    def treat(self, keys: InTankUvKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        return water

    def loss(self, keys: InTankUvKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        return 0.0, 0.0

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "holds counts down in standing water"

    def body(self, keys: InTankUvKeys, sizing: Sizing) -> tuple[float, float, float]:
        return 80.0, 600.0, 400.0
