"""Pressure-reducing valve: holds the pressure down."""

from __future__ import annotations

from dataclasses import dataclass

from ..chemistry.water import Water
from ..house.duty import Duty
from ..house.hydraulics import PSI
from ..job.facts import PRESSURE
from ..language.figure import Figure, figure, work
from ..language.spec import key
from ..language.tables import table
from ..train.keys import StageKeys
from ..train.treatment import Purchase, Sizing, Treatment, fixed_body


@dataclass(frozen=True, slots=True)
class ReducingValveKeys(StageKeys):
    set: float | None = key(PRESSURE, None, "pressure it is set to", identity=True)


class ReducingValve(Treatment[ReducingValveKeys]):
    kind = "pressure_reducing_valve"
    title = "Pressure-reducing valve"
    silhouette = "valve"
    Keys = ReducingValveKeys
    answers = ()
    price = 0.5
    place = 3
    bypassed = False
    absent = "the pressure stays below 80 psi (5.5 bar)"
    main = ("pressure_at_flow",)
    serves = True
    reduces = True
    cautions = ("Downstream of it the heater needs an expansion vessel.",)

    def size(self, keys: ReducingValveKeys, water: Water, duty: Duty) -> Sizing:
        pressure = keys.set or float(duty.rows["storage"]["prv_kpa"])
        return Sizing({"set": pressure})

    def figures(self, keys: ReducingValveKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        held, droop = (sizing.params["set"], "kPa"), (duty.rows["storage"]["prv_droop"], "")
        return {"pressure_at_flow": figure(work("at flow", "held × (1 − droop)", "kPa", "storage.valve", held=held, droop=droop))}

    def at_head(self, duty: Duty) -> list[ReducingValveKeys]:
        """Where the source's pressure is more than a house bears, by day or by night."""
        most = max(duty.supply.pressure_high, duty.supply.night_pressure or 0.0)
        tank_first = duty.facts.source.kind == "rain" or (duty.weak and not duty.facts.wishes.no_power)
        return [ReducingValveKeys()] if most > duty.rows["house"]["house_max_kpa"] and not tank_first else []

    def loss(self, keys: ReducingValveKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        lost = float(table("stages")["storage"]["prv_loss_psi"]) * PSI
        return lost, lost

    def pressure_after(self, sizing: Sizing, pressure: float, loss: float) -> float:
        return min(pressure - loss, sizing.figures["pressure_at_flow"].value) if pressure > 0 else pressure

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "limits the pressure"

    def body(self, keys: ReducingValveKeys, sizing: Sizing) -> tuple[float, float, float]:
        return fixed_body("reducing_valve")

    def buys(self, keys: ReducingValveKeys, sizing: Sizing) -> list[Purchase]:
        return [Purchase("reducing_valve", 1.0, note=self.title)]


REDUCING_VALVE = ReducingValve()
