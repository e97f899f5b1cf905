"""Aeration: strips gas and carbon dioxide, brings in oxygen."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry import carbonate
from ..chemistry.carbonate import CO2
from ..chemistry.water import ACID_OF_IRON, Water
from ..house.duty import Duty
from ..job.facts import VOLUME
from ..job.feed_limits import FeedLimit
from ..language.figure import Figure, figure, solved, source, work
from ..language.spec import key
from ..train.keys import StageKeys
from ..train.treatment import Purchase, Sizing, StageRun, Treatment, tank_body


def gas_known(water: Water, duty: Duty) -> bool:
    """Whether carbon dioxide follows from what was measured, and not from an assumed alkalinity."""
    return not duty.only_assumed("alkalinity", water.value("alkalinity"))


def gassy(water: Water, duty: Duty) -> bool:
    """Whether so much carbon dioxide was measured that practitioners strip it before it meets calcite."""
    return water.carbon_dioxide > duty.rows["aeration"]["acid_co2"] and gas_known(water, duty)


@dataclass(frozen=True, slots=True)
class AerationKeys(StageKeys):
    volume: float | None = key(VOLUME, None, "water held in its tank")


class Aeration(Treatment[AerationKeys]):
    kind = "aeration"
    title = "Aeration"
    silhouette = "tank"
    Keys = AerationKeys
    answers = ("hydrogen_sulfide", "methane", "radon")
    helps = ("ph", "dissolved_oxygen", "iron", "ferrous_iron")
    price = 15.0
    place = 4
    bypassed = False
    absent = "nothing in this water needs it"
    main = ("ph_out", "oxidant_demand")
    oxidises = True
    uses_power = True
    wants_outlet = True
    cautions = (
        "Gas leaves the water: vent it outdoors, away from windows. Methane burns.",
        "Have radon and methane handled by a licensed contractor.",
        "An open unit includes its own transfer pump. Disinfect after it where microbes matter.",
    )

    def feed_limits(self, keys: AerationKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        return [FeedLimit("iron_bacteria", None, 0.0, source("safety.iron_bacteria"), "slime grows in the open tank; disinfect first")]

    def size(self, keys: AerationKeys, water: Water, duty: Duty) -> Sizing:
        return Sizing({"volume": keys.volume or duty.rows["aeration"]["detention_min"] * duty.flow})

    def figures(self, keys: AerationKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        after, minutes = self.treat(keys, sizing, water, duty), float(duty.rows["aeration"]["detention_min"])
        left, ferrous = (after.carbon_dioxide, "mg/L"), (water.value("ferrous_iron"), "mg/L")
        return {
            "detention_volume": figure(
                work("volume", "minutes × flow", "L", "aeration.performance", minutes=(minutes, "min"), flow=(duty.flow, "L/min"))
            ),
            "carbon_dioxide_removed": figure(
                work("carbon dioxide removed", "before − after", "mg/L", "aeration.strip", before=(water.carbon_dioxide, "mg/L"), after=left)
            ),
            "ph_out": figure(
                solved("pH out", "alkalinity, CO2", after.ph, "pH", "aeration.strip", alkalinity=(water.value("alkalinity"), "mg/L CaCO3"), CO2=left)
            ),
            "oxidant_demand": figure(work("oxygen demand", "O2_per_Fe × Fe", "mg/L", "iron.oxidant", Fe=ferrous)),
        }

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
            # above its pK more and more of it is ionised and stays
            gaseous = 1 / (1 + 10 ** (water.ph - row["sulfide_pk"]))
            changes["hydrogen_sulfide"] = water.value("hydrogen_sulfide") * (1 - (1 - row["sulfide_left"]) * max(gaseous, row["sulfide_least"]))
        after = water.with_(**changes)
        return self._rust(after, sizing.params["volume"] / duty.flow)

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

    def candidates(self, water: Water, duty: Duty) -> list[AerationKeys]:
        row = duty.rows["aeration"]
        gas = any(water.value(name) > row[f"{name}_wanted"] for name in ("methane", "radon"))
        gas = gas or (water.value("hydrogen_sulfide") > row["sulfide_wanted"] and water.ph < row["sulfide_ph"])
        acid = water.ph < row["acid_ph"] and gassy(water, duty)
        return [AerationKeys()] if (gas or acid) and not duty.facts.wishes.no_power else []

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "strips gas and carbon dioxide and adds oxygen"

    def body(self, keys: AerationKeys, sizing: Sizing) -> tuple[float, float, float]:
        return tank_body(sizing.params["volume"])

    def buys(self, keys: AerationKeys, sizing: Sizing) -> list[Purchase]:
        return [Purchase("aerator", 1.0, note=self.title)]


AERATION = Aeration()


@rule("contact-short/<kind>", "train", "aeration.performance", on="aeration")
def contact_short(audit: Audit, stage: StageRun[AerationKeys]) -> Iterator[Hit]:
    """A tank too small for the air to do its work at design flow."""
    held, flow = stage.sizing.params["volume"], stage.duty.flow
    wanted, minutes = float(audit.duty.rows["aeration"]["detention_min"]), held / flow
    if minutes < 0.95 * wanted:
        yield Hit("fault" if minutes < 0.5 * wanted else "caution",
                  f"The aeration tank holds {audit.show(held, 'L')}: {audit.show(minutes, 'min')} at {audit.show(flow, 'L/min')}, where {audit.show(wanted, 'min')} are needed. "
                  "Less gas leaves than is shown, and less iron is oxidized.",
                  f"Fit a tank of {audit.show(wanted * flow, 'L')}.", (stage.kind,))  # fmt: skip
