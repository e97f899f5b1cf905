"""Booster pump: brings water back to pressure."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from ..figure import figure, work
from ..job import PRESSURE
from ..spec import key
from ..water import Water
from .base import Room, Sizing, StageKeys

if TYPE_CHECKING:
    from ..duty import Duty


@dataclass(frozen=True, slots=True)
class BoosterPumpKeys(StageKeys):
    pressure: float | None = key(PRESSURE, None, "what it holds behind it")


class BoosterPump(Room):
    kind = "booster_pump"
    title = "Booster pump"
    silhouette = "pump"
    Keys = BoosterPumpKeys
    serves = True
    uses_power = True
    cautions = ("Mains near water: a protected outlet (GFCI/RCD), licensed electrician.", "Dry running destroys it: fit a low-water switch.")

    def size(self, keys: BoosterPumpKeys, water: Water, duty: Duty) -> Sizing:
        pressure = keys.pressure or float(duty.rows["storage"]["booster_kpa"])
        watts = duty.flow / 60000 * pressure * 1000 / 0.35
        return Sizing(
            {"pressure": pressure},
            {
                "pressure_held": figure(work("holds", "set", pressure, "kPa", "storage.pump", set=(pressure, "kPa"))),
                "pump_power": figure(
                    work(
                        "power",
                        "flow ÷ 60000 × pressure × 1000 ÷ 0.35",
                        watts,
                        "W",
                        "storage.pump",
                        flow=(duty.flow, "L/min"),
                        pressure=(pressure, "kPa"),
                    )
                ),
            },
        )

    def treat(self, keys: BoosterPumpKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        return water

    def loss(self, keys: BoosterPumpKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        return 0.0, 0.0

    def pressure_after(self, sizing: Sizing, pressure: float, loss: float) -> float:
        return max(pressure, float(sizing.params["pressure"]))

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "brings the water back to pressure"

    def body(self, keys: BoosterPumpKeys, sizing: Sizing) -> tuple[float, float, float]:
        return 320.0, 360.0, 0.0
