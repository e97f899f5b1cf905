"""Retention tank: gives chlorine its time."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from ..chemistry.water import CHLORINE_FED, OPEN_TO_AIR, PEROXIDE, UNMIXED, Water
from ..house.demand import interpolate
from ..house.duty import Duty
from ..house.stock import Wanted
from ..job.facts import VOLUME
from ..language.analytes import CHLORINATED
from ..language.figure import Figure, Line, figure, stated, work
from ..language.spec import key
from ..language.tables import table
from ..train.keys import StageKeys
from ..train.treatment import Purchase, Sizing, Treatment, tank_body, tanks_for
from .storage_tank import several, tank_bought, tank_wanted, tanks_sold

#: what chlorine makes harmless by its CT, and what a tank open to air asks
DISINFECTED = (*CHLORINATED, OPEN_TO_AIR)


@dataclass(frozen=True, slots=True)
class RetentionTankKeys(StageKeys):
    volume: float | None = key(VOLUME, None, "water it holds")


class RetentionTank(Treatment[RetentionTankKeys]):
    kind = "retention_tank"
    title = "Retention tank"
    silhouette = "tank"
    Keys = RetentionTankKeys
    answers = ("iron_bacteria", "sulfur_bacteria", *CHLORINATED)
    helps = (OPEN_TO_AIR,)
    way = "chlorine"
    price = 1.0
    place = 6
    bypassed = False
    absent = "no chlorine is fed that needs time"
    main = ("contact_time", "ct", "ct_needed")
    serves = True
    cautions = (
        "A full tank is heavy: check the floor.",
        "Flush the bottom every few months.",
        "With enough CT, chlorine inactivates bacteria and viruses. Giardia needs many times more, and chlorine does not inactivate cryptosporidium.",
    )

    def rows(self, keys: RetentionTankKeys) -> tuple[str, ...]:
        return ("retention",)

    def size(self, keys: RetentionTankKeys, water: Water, duty: Duty) -> Sizing:
        if keys.volume:
            return Sizing({"volume": keys.volume} | several(tanks_sold(keys.volume, duty)))
        row = duty.rows["retention"]
        asked = duty.facts.schools.disinfection == "chlorine" and any(water.value(name) > 0 for name in DISINFECTED)
        least = self._least_for_ct(water, duty) if asked else contact_asked(water, row) * duty.flow
        return Sizing({"volume": self._bought(least, duty)} | several(tanks_sold(least, duty)))

    def for_ct(self, water: Water, duty: Duty) -> float:
        """The tank [L] in which the chlorine of a water holds bacteria and viruses at design flow, and has its usual time."""
        return self._bought(self._least_for_ct(water, duty), duty)

    def _least_for_ct(self, water: Water, duty: Duty) -> float:
        row, chlorine = duty.rows["retention"], water.value("free_chlorine")
        least = contact_asked(water, row) * duty.flow
        if chlorine >= row["free_chlorine_min"]:
            least = max(least, ct_needed(water) / row["baffling"] / chlorine * duty.flow)
        return least

    def _bought(self, least: float, duty: Duty) -> float:
        """The next tank, or as many of the largest as it takes [L]."""
        sold, row = tanks_sold(least, duty), duty.rows["retention"]
        if sold is not None:
            return sold[0] * sold[1]
        largest = float(row["sizes_l"][-1])
        return next((float(size) for size in row["sizes_l"] if size >= least), largest * -(-least // largest))

    def fixed(self, keys: RetentionTankKeys, sizing: Sizing) -> RetentionTankKeys:
        """Contact for disinfection is sized only where chlorine is the school."""
        return replace(keys, volume=sizing.params["volume"])

    def _contact(self, sizing: Sizing, water: Water, duty: Duty) -> tuple[Line, Line, Line]:
        """Contact at design flow, what of it counts [min], and its CT [mg min/L]."""
        held = work("contact", "volume ÷ flow", "min", "feed.contact", volume=(sizing.params["volume"], "L"), flow=(duty.flow, "L/min"))
        counts = work(
            "effective", "contact × baffling", "min", "feed.ct", contact=(held.value, "min"), baffling=(duty.rows["retention"]["baffling"], "")
        )
        ct = work(
            "CT", "effective × chlorine", "mg min/L", "feed.ct", effective=(counts.value, "min"), chlorine=(water.value("free_chlorine"), "mg/L")
        )
        return held, counts, ct

    def figures(self, keys: RetentionTankKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        held, counts, ct = self._contact(sizing, water, duty)
        return {
            "contact_time": figure(held),
            "effective_contact_time": figure(held, counts),
            "ct": figure(held, counts, ct),
            "ct_needed": figure(stated("CT for 4 log of viruses", "ct", ct_needed(water), "mg min/L", "feed.ct")),
            "ct_giardia": figure(ct_giardia(water, duty.rows["retention"])),
        }

    def treat(self, keys: RetentionTankKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        row, chlorine = duty.rows["retention"], water.value("free_chlorine")
        if chlorine < row["free_chlorine_min"]:
            return water
        held, _, ct = self._contact(sizing, water, duty)
        changes: dict[str, float] = {}
        if held.value >= row["contact_min"] * 0.98:
            changes |= {name: 0.0 for name in ("iron_bacteria", "sulfur_bacteria") if water.get(name) is not None}
        if ct.value >= ct_needed(water) and row["virus_ph"][0] <= water.ph <= row["virus_ph"][1]:
            held_back = water.value(OPEN_TO_AIR) > 0 and not water.value(CHLORINE_FED)
            changes |= {
                name: 0.0 for name in (*CHLORINATED, "heterotrophic_count", *(() if held_back else (OPEN_TO_AIR,))) if water.get(name) is not None
            }
        return water.with_(**changes) if changes else water

    def loss(self, keys: RetentionTankKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        lost = float(table("stages")["retention"]["loss_kpa"])
        return lost, lost

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        if before.value("free_chlorine") > 0:
            return "gives chlorine its contact time: it inactivates bacteria and viruses, not cysts"
        return "gives peroxide its contact time" if before.value(PEROXIDE) > 0 else "mixes what was fed"

    def body(self, keys: RetentionTankKeys, sizing: Sizing) -> tuple[float, float, float]:
        return tank_body(sizing.params["volume"] / self.bodies(keys, sizing))

    def bodies(self, keys: RetentionTankKeys, sizing: Sizing) -> int:
        """More than one slender tank holds is held by several of them."""
        return int(sizing.params.get("tanks") or tanks_for(sizing.params["volume"]))

    def pieces(self, keys: RetentionTankKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Wanted]:
        return {"tank": tank_wanted("retention tank", sizing.params["volume"], self.bodies(keys, sizing))}

    def buys(self, keys: RetentionTankKeys, sizing: Sizing) -> list[Purchase]:
        return [tank_bought(self.title, sizing.params["volume"], self.bodies(keys, sizing))]


def contact_asked(water: Water, row: dict[str, Any]) -> float:
    """Contact [min, volume over flow] that what was fed to a water asks: chlorine, peroxide, or only the mixing of an alkali."""
    if water.value("free_chlorine") < row["free_chlorine_min"]:
        if water.value(PEROXIDE) > 0:
            return float(row["peroxide_min"])
        if water.value(UNMIXED) > 0:
            return float(row["mixing_min"])
    return float(row["contact_min"])


def ct_giardia(water: Water, row: dict[str, Any]) -> Line:
    """CT of free chlorine for 3 log of giardia [mg·min/L], by pH; it doubles for each 10 °C colder."""
    rows = row["giardia_ct"]
    at = interpolate(water.ph, [float(ph) for ph in rows], [float(ct) for ct in rows.values()])
    return work("CT for 3 log of giardia", "at_10 × 2^((warm − T) ÷ step)", "mg min/L", "feed.ct_giardia", at_10=(at, "mg min/L"),
                warm=(10.0, "degC"), T=(water.temperature, "degC"), step=(10.0, "degC"))  # fmt: skip


def ct_needed(water: Water) -> float:
    """CT of free chlorine for 4 log of viruses [mg·min/L], by temperature; pH 6 to 9."""
    rows = table("stages")["retention"]["virus_ct"]
    return interpolate(water.temperature, [float(t) for t in rows], [float(ct) for ct in rows.values()])


RETENTION_TANK = RetentionTank()
