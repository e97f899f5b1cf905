"""Storage tank: rain or well water that stands until it is used; a daily balance over the rain record."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.water import CHLORINE_FED, OPEN_TO_AIR, STORED, Water
from ..house import rain
from ..house.duty import Duty
from ..house.stock import Asked, Wanted, fewest
from ..job.facts import VOLUME
from ..language.figure import Figure, figure, stated, work
from ..language.spec import Flag, key
from ..train.keys import StageKeys
from ..train.over_time import Storing, Tank
from ..train.treatment import Purchase, Sizing, StageRun, TrainRun, Treatment, tank_body


@dataclass(frozen=True, slots=True)
class StorageTankKeys(StageKeys):
    volume: float | None = key(VOLUME, None, "water it holds")
    vented: bool | None = key(Flag(), None, "open to the air by a vent", identity=True)
    dark: bool | None = key(Flag(), None, "no light gets in", identity=True)
    screened: bool | None = key(Flag(), None, "vent and overflow keep insects and vermin out", identity=True)


class StorageTank(Treatment[StorageTankKeys]):
    kind = "storage_tank"
    title = "Storage tank"
    silhouette = "tank"
    Keys = StorageTankKeys
    answers = ()
    price = 0.5
    place = 1
    bypassed = False
    absent = "no storage is needed"
    main = ("reliability", "storage_volume")
    serves = True
    stores = True
    cautions = (
        "Keep it dark, vented through a screen, with a trap on the overflow: light grows algae, and insects bring germs.",
        "For rainwater, fit a calmed inlet that stirs nothing up, an intake that floats below the surface, and an overflow that skims.",
        "Connect a second source through its own isolation and backflow protection. A hand or solar pump changes flow and pressure.",
        "A full tank is heavy: check floor and foundation.",
        "Never enter a tank alone or without ventilation and a check of its air.",
    )

    def rows(self, keys: StorageTankKeys) -> tuple[str, ...]:
        return ("storage",)

    def size(self, keys: StorageTankKeys, water: Water, duty: Duty) -> Sizing:
        record, row = rain.record(duty.facts), duty.rows["storage"]
        least = duty.daily if record is None else rain.smallest(record, duty.daily, row["rain_reliability"], _volumes(duty) or row["storage_l"])
        sold = None if keys.volume else tanks_sold(least, duty)
        if keys.volume:
            chosen = keys.volume
        elif sold is not None:
            chosen = sold[0] * sold[1]
        else:
            chosen = least if record is not None else next((float(size) for size in row["storage_l"] if size >= least), float(row["storage_l"][-1]))
        return Sizing({"volume": chosen, "vented": keys.vented is not False} | several(sold))

    def bodies(self, keys: StorageTankKeys, sizing: Sizing) -> int:
        return int(sizing.params.get("tanks", 1))

    def pieces(self, keys: StorageTankKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Wanted]:
        return {"tank": tank_wanted("storage tank", sizing.params["volume"], self.bodies(keys, sizing))}

    def figures(self, keys: StorageTankKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        volume, record = sizing.params["volume"], rain.record(duty.facts)
        found = {
            "storage_volume": figure(stated("volume", "tank", volume, "L", "storage.balance")),
            "turnover": figure(work("covers", "tank ÷ daily", "day", "storage.balance", tank=(volume, "L"), daily=(duty.daily, "L/day"))),
        }
        if record is not None:
            balance = rain.balance(record, duty.daily, volume)
            served = {"served": (float(balance.served), "days"), "days": (float(balance.days), "days")}
            found["catch_per_year"] = figure(
                work(
                    "catch",
                    "roof × rain × runoff × 1000",
                    "L",
                    "storage.catch",
                    roof=(record.roof, "m2"),
                    rain=(record.yearly, "m"),
                    runoff=(record.runoff, ""),
                )
            )
            found["reliability"] = figure(work("days served", "served ÷ days × 100", "%", "storage.balance", **served))
        return found

    def at_head(self, duty: Duty) -> list[StorageTankKeys]:
        """Under a roof, and where a trickle meets the peak of a house: a day's use, filled slowly by a float."""
        stored = duty.facts.source.kind == "rain" or (duty.weak and not duty.facts.wishes.no_power)
        return [StorageTankKeys(dark=True, screened=True)] if stored else []

    def treat(self, keys: StorageTankKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        left = duty.rows["storage"]["particles_left"]
        after = water.scaled(turbidity=left, tss=left).with_(**{STORED: sizing.params["volume"]})
        return after.with_(**{OPEN_TO_AIR: 1.0, CHLORINE_FED: 0.0}) if keys.vented is not False else after

    def over_time(self, stage: StageRun[StorageTankKeys]) -> Storing[StageRun[StorageTankKeys]]:
        """A float lets the source fill it; under a roof the rain does."""
        demand = stage.duty.demand
        flow = min(demand.supply_flow, demand.peak_flow.value)
        return Storing(stage, Tank(stage.sizing.params["volume"], flow * 60, 1.0, flow))

    def pressure_after(self, sizing: Sizing, pressure: float, loss: float) -> float:
        return 0.0 if sizing.params["vented"] else pressure - loss

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "stores water"

    def body(self, keys: StorageTankKeys, sizing: Sizing) -> tuple[float, float, float]:
        return tank_body(sizing.params["volume"] / self.bodies(keys, sizing))

    def buys(self, keys: StorageTankKeys, sizing: Sizing) -> list[Purchase]:
        parts = ("leaf_screen", "calmed_inlet", "floating_intake", "overflow_trap") if "reliability" in sizing.figures else ()
        return [tank_bought(self.title, sizing.params["volume"], self.bodies(keys, sizing)), *(Purchase(part, 1.0) for part in parts)]


def tank_bought(name: str, litres: float, count: int = 1) -> Purchase:
    """A tank, or so many that hold it together, priced by the hundred litres."""
    return Purchase("tank", float(count), name, size=litres / count / 100)


def tanks_sold(least: float, duty: Duty) -> tuple[int, float] | None:
    """How many of which tank of the catalogue [L] hold so much; None where none is sold, or none does."""
    sizes = sorted(item.fits.volume for item in duty.stock.sold("tank"))
    return fewest(sizes, lambda size: duty.stock.beside(tank_body(size)[0] / 1000), lambda size, count: size * count >= least * 0.999999)


def _volumes(duty: Duty) -> list[float]:
    """What the catalogue's tanks hold [L], alone or side by side, least first."""
    sizes = [item.fits.volume for item in duty.stock.sold("tank")]
    return sorted({size * count for size in sizes for count in range(1, duty.stock.beside(tank_body(size)[0] / 1000) + 1)})


def several(sold: tuple[int, float] | None) -> dict[str, int]:
    """The number of tanks, as a sizing keeps it, where the catalogue's own stand side by side."""
    return {"tanks": sold[0]} if sold is not None else {}


def tank_wanted(name: str, litres: float, count: int = 1) -> Wanted:
    """A tank, or each of several that hold it together."""
    return Wanted("tank", name, lambda fits: True, (Asked("its volume", litres / count, "L", lambda fits: float(fits.volume)),))


STORAGE_TANK = StorageTank()


def disinfected_after(run: TrainRun, stage: StageRun[Any]) -> bool:
    """Whether something makes microbes harmless after a place in the train: light, a barrier, chlorine."""
    return any(other.disinfects or other.sizing.params.get("chemical") == "chlorine" for other in run.later(stage))


@rule("storage-not-disinfected", "train", "storage.open", on=("storage_tank", "reverse_osmosis"))
def storage_not_disinfected(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """Water stands in a tank open to air, and nothing disinfects it afterwards, or a branch to drink from leaves before that."""
    stands = stage.water_out.value(OPEN_TO_AIR) > 0 and stage.water_in.value(OPEN_TO_AIR) == 0
    branch = next((other for other in audit.run.later(stage) if other.at_tap and other.water_out.value(OPEN_TO_AIR) > 0), None)
    if stands and stage.duty.drunk and branch is not None and not stage.at_tap and disinfected_after(audit.run, stage):
        yield Hit("fault", f"Water in the {stage.said} is open to air, and the {branch.said} branches off before it is disinfected.",
                  "Branch off the drinking tap after the UV unit or the contact tank.", stage=branch.id)  # fmt: skip
    if stands and stage.duty.drunk and not stage.at_tap and not disinfected_after(audit.run, stage):
        yield Hit("fault", f"Water in the {stage.said} is open to air, and nothing disinfects it afterwards.",
                  "Put a UV unit (with its 5 µm filter) or chlorine with contact time after the tank and its pump.")  # fmt: skip


@rule("not-repressurised", "train", "storage.pump", on=("storage_tank", "reverse_osmosis"))
def not_repressurised(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """The tank breaks the pressure, and no pump follows."""
    breaks = stage.water_out.value(OPEN_TO_AIR) > 0 and not stage.at_tap and stage.room.pressure_after(stage.sizing, 300.0, 0.0) <= 0
    pumped = any(other.room.pumps for other in audit.run.later(stage))
    own_pump = audit.facts.source.kind == "rain" and audit.facts.supply.flow is not None and stage.room.stores
    if breaks and not pumped and not own_pump:
        yield Hit("fault", f"The {stage.said} has no pressure at its outlet, and no pump follows it.", "Fit a booster pump after the tank.")


@rule("storage-short", "train", "storage.balance", on="storage_tank")
def storage_short(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """The tank and the roof do not carry the house through the dry days."""
    found = stage.figures.get("reliability")
    wanted = audit.duty.rows["storage"]["rain_reliability"] * 100
    if found and found.value < wanted:
        yield Hit("caution", f"{audit.show(stage.sizing.params['volume'], 'L')} supplies {found.value:.0f}% of the days in the rain record; the target is {wanted:.0f}%.",
                  "Use a larger tank, more roof or less water, or add a second source with its own isolation and backflow protection.")  # fmt: skip


@rule("storage-short", "train", "storage.balance")
def rain_not_stored(audit: Audit) -> Iterator[Hit]:
    """A roof without a tank: between two showers nothing comes."""
    stages = audit.run.stages
    if stages and audit.facts.source.kind == "rain" and not any(stage.room.stores for stage in stages):
        yield Hit("fault", f"Nothing stores the rain: between showers no water comes, and the house uses {audit.show(audit.duty.daily, 'L/day')}.",
                  "Put a storage tank with a pump after the first-flush diverter, sized on the rain record, and disinfect after it.")  # fmt: skip


@rule("storage-light", "train place", "storage.light", on="storage_tank")
def storage_light(audit: Audit, stage: StageRun[StorageTankKeys]) -> Iterator[Hit]:
    """A tank that lets light in."""
    if stage.keys.dark is False:
        yield Hit("caution", "Light gets into the storage tank: algae grow, and bacteria live on them.", "Paint or cover it, or use an opaque tank.")


@rule("storage-unscreened", "train place", "storage.light", on="storage_tank")
def storage_unscreened(audit: Audit, stage: StageRun[StorageTankKeys]) -> Iterator[Hit]:
    """A tank that insects and vermin get into."""
    if stage.keys.screened is False:
        yield Hit("caution", "Vent and overflow of the storage tank are not screened: insects and vermin get in and bring germs.",
                  "Screen the vent, and put a trap with a guard on the overflow.")  # fmt: skip


@rule("first-flush-missing", "train", "storage.flush")
def first_flush_missing(audit: Audit) -> Iterator[Hit]:
    """A roof's water goes to the tank with all that lay on the roof."""
    stages = audit.run.stages
    if audit.facts.source.kind == "rain" and any(stage.room.stores for stage in stages) and not any(stage.kind == "first_flush" for stage in stages):
        yield Hit("caution", "Nothing diverts the first water of each rain: dirt from the roof reaches the tank.",
                  "Fit a first-flush diverter after a leaf screen, before the tank.")  # fmt: skip
        return
    flush = next((stage for stage in stages if stage.kind == "first_flush"), None)
    if flush is not None and any(stage.room.stores for stage in audit.run.earlier(flush)):
        yield Hit("caution", "The first-flush diverter is installed after the tank: dirt from the roof has already reached the tank.",
                  "Put it before the tank, after a leaf screen.", stage=flush.id)  # fmt: skip
