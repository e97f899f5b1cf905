"""Pressure tank: keeps the pump from starting at every glass."""

from __future__ import annotations

from dataclasses import dataclass

from ..chemistry.water import Water
from ..house.duty import Duty
from ..house.measuring import drawdown_of
from ..house.stock import Wanted
from ..job.facts import VOLUME
from ..language.figure import Figure, constant
from ..language.spec import key
from ..train.keys import StageKeys
from ..train.treatment import Purchase, Sizing, Treatment, tank_body, tanks_for
from .storage_tank import several, tank_bought, tank_wanted, tanks_sold


@dataclass(frozen=True, slots=True)
class PressureTankKeys(StageKeys):
    volume: float | None = key(VOLUME, None, "whole volume")


class PressureTank(Treatment[PressureTankKeys]):
    kind = "pressure_tank"
    title = "Pressure tank"
    silhouette = "tank"
    Keys = PressureTankKeys
    answers = ()
    price = 0.5
    place = None
    bypassed = False
    absent = "it belongs to the pump, not to the treatment"
    main = ()
    serves = True
    cushions = True
    cautions = ("Set its precharge 2 psi (14 kPa) below cut-in, with no water in it.",)

    def size(self, keys: PressureTankKeys, water: Water, duty: Duty) -> Sizing:
        row, gallon = duty.rows["storage"], constant("US_gal")
        least = duty.wash / max(self._drawdown(1.0, duty).value, 1e-6)
        sold = tanks_sold(keys.volume or least, duty)
        usual = next((gal * gallon for gal in row["tank_gal"] if gal * gallon >= least), row["tank_gal"][-1] * gallon)
        return Sizing({"volume": keys.volume or (sold[0] * sold[1] if sold is not None else usual)} | several(sold))

    def figures(self, keys: PressureTankKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        return {"drawdown": self._drawdown(sizing.params["volume"], duty)}

    def _drawdown(self, volume: float, duty: Duty) -> Figure:
        """What it gives back between the switch points [L]."""
        return drawdown_of(volume, duty.supply.pressure_low, max(duty.supply.pressure_high, duty.supply.pressure_low))

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "keeps the pump from starting at every glass"

    def body(self, keys: PressureTankKeys, sizing: Sizing) -> tuple[float, float, float]:
        return tank_body(sizing.params["volume"] / self.bodies(keys, sizing))

    def bodies(self, keys: PressureTankKeys, sizing: Sizing) -> int:
        """More than one slender tank holds is held by several of them."""
        return int(sizing.params.get("tanks") or tanks_for(sizing.params["volume"]))

    def pieces(self, keys: PressureTankKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Wanted]:
        return {"tank": tank_wanted("pressure tank", sizing.params["volume"], self.bodies(keys, sizing))}

    def buys(self, keys: PressureTankKeys, sizing: Sizing) -> list[Purchase]:
        return [tank_bought(self.title, sizing.params["volume"], self.bodies(keys, sizing))]


PRESSURE_TANK = PressureTank()
