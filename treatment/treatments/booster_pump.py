"""Booster pump: brings water back to pressure."""

from __future__ import annotations

from dataclasses import dataclass

from ..chemistry.water import Water
from ..house.duty import Duty
from ..house.stock import Asked, Wanted
from ..job.facts import PRESSURE
from ..language.figure import Figure, Line, constant, figure, stated, work
from ..language.spec import key
from ..train.keys import StageKeys
from ..train.over_time import OverTime, Slugs, State, Stepped
from ..train.running import lifted
from ..train.treatment import Purchase, Sizing, StageRun, Treatment, fixed_body


@dataclass(frozen=True, slots=True)
class BoosterPumpKeys(StageKeys):
    pressure: float | None = key(PRESSURE, None, "pressure it keeps after it", identity=True)


class Boosting(OverTime[StageRun[BoosterPumpKeys]]):
    """A pump: litres times the pressure it holds, over its efficiency."""

    powered = True
    own_points = ("starts",)

    def step(self, state: State, slugs: Slugs) -> Stepped:
        kilowatt_hours = (
            slugs.total * self.stage.sizing.params["pressure"] / float(self.stage.duty.rows["storage"]["booster_efficiency"]) / constant("J_kWh")
        )
        return Stepped(state, energy=kilowatt_hours)


class BoosterPump(Treatment[BoosterPumpKeys]):
    kind = "booster_pump"
    title = "Booster pump"
    silhouette = "pump"
    Keys = BoosterPumpKeys
    answers = ()
    price = 1.0
    place = 2
    bypassed = False
    absent = "the source's own pressure is enough"
    main = ("pressure_held",)
    serves = True
    pumps = True
    repeats = True
    wants_outlet = True
    uses_power = True
    cautions = (
        "Electricity near water: use a protected outlet (GFCI/RCD) and a licensed electrician.",
        "Running dry destroys it: fit a low-water switch.",
    )

    def size(self, keys: BoosterPumpKeys, water: Water, duty: Duty) -> Sizing:
        return Sizing({"pressure": keys.pressure or float(duty.rows["storage"]["booster_kpa"])})

    def figures(self, keys: BoosterPumpKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        pressure, share = (sizing.params["pressure"], "kPa"), (float(duty.rows["storage"]["booster_efficiency"]), "")
        power = work(
            "power",
            "flow ÷ 60000 × pressure × 1000 ÷ efficiency",
            "W",
            "storage.pump",
            flow=(duty.flow, "L/min"),
            pressure=pressure,
            efficiency=share,
        )
        return {"pressure_held": figure(stated("holds", "set", *pressure, "storage.pump")), "pump_power": figure(power)}

    def at_head(self, duty: Duty) -> list[BoosterPumpKeys]:
        """From a tank it gives the pressure of the house."""
        if duty.facts.source.kind == "rain":
            return [BoosterPumpKeys(pressure=duty.facts.supply.pressure_low)]
        return [BoosterPumpKeys()] if duty.weak and not duty.facts.wishes.no_power else []

    def pressure_after(self, sizing: Sizing, pressure: float, loss: float) -> float:
        return max(pressure, float(sizing.params["pressure"]))

    def burned(self, keys: BoosterPumpKeys, sizing: Sizing, figures: dict[str, Figure], duty: Duty) -> Line:
        return lifted(duty.daily_mean * 365, sizing.params["pressure"], float(duty.rows["storage"]["booster_efficiency"]))

    def over_time(self, stage: StageRun[BoosterPumpKeys]) -> Boosting:
        """A pump that uses power for each litre it lifts."""
        return Boosting(stage)

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "raises the pressure"

    def body(self, keys: BoosterPumpKeys, sizing: Sizing) -> tuple[float, float, float]:
        return fixed_body("pump")

    def pieces(self, keys: BoosterPumpKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Wanted]:
        asks = (
            Asked("its flow", duty.flow, "L/min", lambda fits: float(fits.flow)),
            Asked("its pressure", sizing.params["pressure"], "kPa", lambda fits: float(fits.pressure)),
        )
        return {"pump": Wanted("pump", "booster pump", lambda fits: True, asks)}

    def buys(self, keys: BoosterPumpKeys, sizing: Sizing) -> list[Purchase]:
        return [Purchase("pump", 1.0, note=self.title)]


BOOSTER_PUMP = BoosterPump()
