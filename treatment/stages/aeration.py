"""Aeration: strips gas and carbon dioxide, brings in oxygen."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from .. import carbonate
from ..carbonate import CO2
from ..figure import figure, work
from ..water import ACID_OF_IRON, Water
from .base import Room, Sizing, StageKeys, tank_body

if TYPE_CHECKING:
    from ..duty import Duty


@dataclass(frozen=True, slots=True)
class AerationKeys(StageKeys):
    pass


class Aeration(Room):
    kind = "aeration"
    title = "Aeration"
    silhouette = "tank"
    Keys = AerationKeys
    answers = ("hydrogen_sulfide", "methane", "radon")
    uses_power = True
    cautions = (
        "What leaves the water is a gas: vent it outdoors, away from windows; methane burns.",
        "Radon and methane belong to a licensed contractor.",
        "An open unit is counted with its own transfer pump; disinfect after it where microbes matter.",
    )

    def size(self, keys: AerationKeys, water: Water, duty: Duty) -> Sizing:
        row = duty.rows["aeration"]
        volume = row["detention_min"] * duty.flow
        sizing = Sizing({"volume": volume}, {})
        after = self.treat(keys, sizing, water, duty)
        sizing.figures.update({
            "detention_volume": figure(work("volume", "minutes × flow", volume, "L", "aeration.performance", minutes=(float(row["detention_min"]), "min"), flow=(duty.flow, "L/min"))),
            "carbon_dioxide_removed": figure(work("carbon dioxide removed", "before − after", water.carbon_dioxide - after.carbon_dioxide, "mg/L", "aeration.strip", before=(water.carbon_dioxide, "mg/L"), after=(after.carbon_dioxide, "mg/L"))),
            "ph_out": figure(work("pH out", "solve(alkalinity, CO2)", after.ph, "pH", "aeration.strip", alkalinity=(water.value("alkalinity"), "mg/L CaCO3"), CO2=(after.carbon_dioxide, "mg/L"))),
            "oxidant_demand": figure(work("oxygen demand", "0.1432 × Fe", 0.1432 * water.value("ferrous_iron"), "mg/L", "iron.oxidant", Fe=(water.value("ferrous_iron"), "mg/L"))),
        })  # fmt: skip
        return sizing

    def treat(self, keys: AerationKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        row = duty.rows["aeration"]
        changes: dict[str, float] = {"dissolved_oxygen": max(row["oxygen"], water.value("dissolved_oxygen"))}
        left = row["co2_left"] / 1000 / CO2
        state = water.state
        if state.co2 > left:
            changes["ph"] = carbonate.strip_to(water.solution, left).ph
        for name in ("methane", "radon"):
            if water.get(name) is not None:
                changes[name] = water.value(name) * row[f"{name}_left"]
        if water.get("hydrogen_sulfide") is not None:
            # above pH 7 more and more of it is ionised and stays (pK 7.0)
            gaseous = 1 / (1 + 10 ** (water.ph - 7.0))
            changes["hydrogen_sulfide"] = water.value("hydrogen_sulfide") * (1 - (1 - row["sulfide_left"]) * max(gaseous, 0.2))
        after = water.with_(**changes)
        return self._rust(after, row["detention_min"])

    def _rust(self, water: Water, minutes: float) -> Water:
        """What the air rusts while the water stands. The tank is mixed: iron rusts at the pH that its own acid leaves."""
        ferrous = water.value("ferrous_iron")

        def after(rusted: float) -> Water:
            return water.soured(rusted * ACID_OF_IRON, ferrous_iron=ferrous - rusted, ferric_iron=water.value("ferric_iron") + rusted)

        def kept_up(rusted: float) -> bool:
            """Does the tank rust at least so much, at the pH this leaves?"""
            return ferrous * carbonate.iron_oxidised(after(rusted).ph, water.temperature, water.value("dissolved_oxygen"), minutes) >= rusted

        most = ferrous * water.carries(ferrous * ACID_OF_IRON)
        most = min(most, ferrous * carbonate.iron_oxidised(water.ph, water.temperature, water.value("dissolved_oxygen"), minutes))
        if most <= 0.005:
            return water
        least = 0.0
        if kept_up(most):
            return after(most)
        while most - least > 0.002 * ferrous:
            middle = (most + least) / 2
            if kept_up(middle):
                least = middle
            else:
                most = middle
        return after(least) if least > 0.005 else water

    def loss(self, keys: AerationKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        return 0.0, 0.0

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        gas = water.value("methane") > 5 or water.value("radon") > 100 or (water.value("hydrogen_sulfide") > 5 and water.ph < 7.2)
        acid = water.ph < 6.0 and water.carbon_dioxide > 80
        return [AerationKeys()] if (gas or acid) and not duty.facts.wishes.no_power else []

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "strips gas and carbon dioxide, brings in oxygen"

    def body(self, keys: AerationKeys, sizing: Sizing) -> tuple[float, float, float]:
        return tank_body(sizing.params["volume"])
