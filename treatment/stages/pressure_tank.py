"""Pressure tank: keeps the pump from starting at every glass."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from ..figure import figure, work
from ..job import VOLUME
from ..spec import key
from ..water import Water
from .base import Room, Sizing, StageKeys, tank_body

if TYPE_CHECKING:
    from ..duty import Duty


GAL = 3.785411784


@dataclass(frozen=True, slots=True)
class PressureTankKeys(StageKeys):
    volume: float | None = key(VOLUME, None, "whole volume")


class PressureTank(Room):
    kind = "pressure_tank"
    title = "Pressure tank"
    silhouette = "tank"
    Keys = PressureTankKeys
    serves = True
    cautions = ("Set its air charge 2 psi (14 kPa) below cut-in, with no water in it.",)

    def size(self, keys: PressureTankKeys, water: Water, duty: Duty) -> Sizing:
        row = duty.rows["storage"]
        least = duty.wash / row["drawdown_share"]
        volume = keys.volume or next((gal * GAL for gal in row["tank_gal"] if gal * GAL >= least), row["tank_gal"][-1] * GAL)
        return Sizing(
            {"volume": volume},
            {
                "drawdown": figure(
                    work(
                        "drawdown",
                        "volume × share",
                        volume * row["drawdown_share"],
                        "L",
                        "storage.tank",
                        volume=(volume, "L"),
                        share=(row["drawdown_share"], ""),
                    )
                )
            },
        )

    def treat(self, keys: PressureTankKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        return water

    def loss(self, keys: PressureTankKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        return 0.0, 0.0

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "keeps the pump from starting at every glass"

    def body(self, keys: PressureTankKeys, sizing: Sizing) -> tuple[float, float, float]:
        return tank_body(sizing.params["volume"])
