"""Pressure-reducing valve: holds the pressure down."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ..figure import figure, work
from ..hydraulics import PSI
from ..job import PRESSURE
from ..spec import key
from ..water import Water
from .base import Room, Sizing, StageKeys

if TYPE_CHECKING:
    from ..duty import Duty


@dataclass(frozen=True, slots=True)
class ReducingValveKeys(StageKeys):
    set: float | None = key(PRESSURE, None, "pressure it holds behind it")


class ReducingValve(Room):
    kind = "pressure_reducing_valve"
    title = "Pressure-reducing valve"
    silhouette = "valve"
    Keys = ReducingValveKeys
    serves = True
    cautions = ("Behind it the heater needs an expansion vessel.",)

    def size(self, keys: ReducingValveKeys, water: Water, duty: Duty) -> Sizing:
        row = duty.rows["storage"]
        pressure = keys.set or float(row["prv_kpa"])
        at_flow = pressure * (1 - row["prv_droop"])
        return Sizing(
            {"set": pressure, "at_flow": at_flow},
            {
                "pressure_at_flow": figure(
                    work("at flow", "held × (1 − droop)", at_flow, "kPa", "storage.valve", held=(pressure, "kPa"), droop=(row["prv_droop"], ""))
                )
            },
        )

    def treat(self, keys: ReducingValveKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        return water

    def loss(self, keys: ReducingValveKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        return 3 * PSI, 3 * PSI

    def pressure_after(self, sizing: Sizing, pressure: float, loss: float) -> float:
        return min(pressure - loss, float(sizing.params["at_flow"])) if pressure > 0 else pressure

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        return []

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "holds the pressure down"

    def body(self, keys: ReducingValveKeys, sizing: Sizing) -> tuple[float, float, float]:
        return 130.0, 170.0, 1150.0
