"""Storage tank: rain or well water that stands until it is used; a daily balance over the rain record."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from .. import rain
from ..figure import figure, work
from ..job import VOLUME
from ..rules import Hit, rule
from ..spec import Flag, key
from ..water import OPEN_TO_AIR, Water
from .base import Room, Sizing, StageKeys, tank_body

if TYPE_CHECKING:
    from ..audit import Audit
    from ..duty import Duty
    from ..train import StageRun


@dataclass(frozen=True, slots=True)
class StorageTankKeys(StageKeys):
    volume: float | None = key(VOLUME, None, "water it holds")
    vented: bool | None = key(Flag(), None, "open to the air by a vent")
    dark: bool | None = key(Flag(), None, "no light gets in")
    screened: bool | None = key(Flag(), None, "vent and overflow keep insects and vermin out")


class StorageTank(Room):
    kind = "storage_tank"
    title = "Storage tank"
    silhouette = "tank"
    Keys = StorageTankKeys
    serves = True
    cautions = (
        "Dark, vented through a screen, with a trap on the overflow: light grows algae, insects bring germs.",
        "A full tank is heavy: a litre is a kilogram; check floor and foundation.",
        "Never enter a tank alone or without checking its air.",
    )

    def rows(self, keys: Any) -> tuple[str, ...]:
        return ("storage",)

    def size(self, keys: StorageTankKeys, water: Water, duty: Duty) -> Sizing:
        figures = {}
        record = rain.record(duty.facts)
        row = duty.rows["storage"]
        if record is not None:
            chosen = keys.volume or rain.smallest(record, duty.daily, row["rain_reliability"], row["storage_l"])
            balance = rain.balance(record, duty.daily, chosen)
            figures["catch_per_year"] = figure(
                work(
                    "catch",
                    "roof × rain × runoff × 1000",
                    balance.caught,
                    "L",
                    "storage.catch",
                    roof=(record.roof, "m2"),
                    rain=(record.yearly, "m"),
                    runoff=(record.runoff, ""),
                )
            )
            figures["reliability"] = figure(
                work(
                    "days served",
                    "served ÷ days × 100",
                    balance.reliability * 100,
                    "%",
                    "storage.balance",
                    served=(float(balance.served), "days"),
                    days=(float(balance.days), "days"),
                )
            )
        else:
            chosen = keys.volume or next((float(size) for size in row["storage_l"] if size >= duty.daily), float(row["storage_l"][-1]))
        figures["storage_volume"] = figure(work("volume", "tank", chosen, "L", "storage.balance", tank=(chosen, "L")))
        figures["turnover"] = figure(
            work("stands for", "tank ÷ daily", chosen / duty.daily, "day", "storage.balance", tank=(chosen, "L"), daily=(duty.daily, "L/day"))
        )
        return Sizing({"volume": chosen, "vented": keys.vented is not False}, figures)

    def treat(self, keys: StorageTankKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        left = duty.rows["storage"]["particles_left"]
        after = water.scaled(turbidity=left, tss=left)
        return after.with_(**{OPEN_TO_AIR: 1.0}) if keys.vented is not False else after

    def loss(self, keys: StorageTankKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        return 0.0, 0.0

    def pressure_after(self, sizing: Sizing, pressure: float, loss: float) -> float:
        return 0.0 if sizing.params["vented"] else pressure - loss

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "stores water"

    def body(self, keys: StorageTankKeys, sizing: Sizing) -> tuple[float, float, float]:
        return tank_body(min(sizing.params["volume"], 1500.0))


def disinfected_after(audit: Audit, index: int) -> bool:
    """Whether something makes microbes harmless after a place in the train."""
    for other in audit.run.stages[index + 1 :]:
        if other.kind in ("uv", "barrier_filter") and not other.at_tap:
            return True
        if other.kind == "chemical_feed" and other.sizing.params["chemical"] == "chlorine":
            return True
    return False


@rule("storage-not-disinfected", "storage.open", on=("storage_tank", "reverse_osmosis"))
def storage_not_disinfected(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Water stands in a tank open to air, and nothing disinfects it afterwards."""
    stands = stage.water_out.value(OPEN_TO_AIR) > 0 and stage.water_in.value(OPEN_TO_AIR) == 0
    if stands and not stage.at_tap and not disinfected_after(audit, stage.index):
        yield Hit("fault", f"Water stands in the {stage.said}, open to air, and nothing disinfects it afterwards.",
                  "Put a lamp (with its 5 µm filter) or chlorine with contact after the tank and its pump.")  # fmt: skip


@rule("not-repressurised", "storage.pump", on=("storage_tank", "reverse_osmosis"))
def not_repressurised(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The tank breaks the pressure, and no pump follows."""
    breaks = stage.water_out.value(OPEN_TO_AIR) > 0 and not stage.at_tap and stage.room.pressure_after(stage.sizing, 300.0, 0.0) <= 0
    pumped = any(other.kind == "booster_pump" for other in audit.run.stages[stage.index + 1 :])
    own_pump = audit.facts.source.kind == "rain" and audit.facts.supply.flow is not None and stage.kind == "storage_tank"
    if breaks and not pumped and not own_pump:
        yield Hit("fault", f"The {stage.said} breaks the pressure, and no pump follows it.", "Fit a booster pump after the tank.")


@rule("storage-short", "storage.balance", on="storage_tank")
def storage_short(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The tank and the roof do not carry the house through the dry days."""
    found = stage.sizing.figures.get("reliability")
    wanted = audit.duty.rows["storage"]["rain_reliability"] * 100
    if found and found.value < wanted:
        yield Hit("caution", f"{audit.show(stage.sizing.params['volume'], 'L')} carry {found.value:.0f} % of the days over the rain record; {wanted:.0f} % is the mark.",
                  "A larger tank, more roof, less use, or a second source behind its own isolation and backflow protection.")  # fmt: skip
