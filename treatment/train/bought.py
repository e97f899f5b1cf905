"""What a catalogue has to sell for a unit to be built: the pieces of every stage, and the items that are bought for them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from decimal import Decimal
from typing import Any

from ..house.beds import MOST_BESIDE, Bed, medium
from ..house.duty import Duty
from ..house.stock import Asked, Wanted
from ..job.catalogue import Item
from ..language.display import show
from ..language.prose import listed
from .treatment import Sizing, StageRun, Treatment

#: how far a size may be from what is sold to be the same [-]
SAME = 0.002


def alike(one: float | None, other: float | None) -> bool:
    """Whether two sizes are the same, but for rounding."""
    return one is not None and other is not None and abs(one - other) <= SAME * max(abs(one), abs(other))


def pieces(room: Treatment[Any], keys: Any, sizing: Sizing, flow_in: Any, duty: Duty) -> dict[str, Wanted]:
    """What of a unit is looked for in the catalogue, by key of the price list. flow_in: the water that arrives."""
    found: dict[str, Wanted] = {}
    bed = sizing.bed
    if bed is not None:
        found |= _of_bed(bed, room.washes(keys), duty, flow_in.temperature)
    housing = sizing.params.get("housing")
    if housing and bed is None:
        found[housing_key(housing)] = Wanted(
            "cartridge_housing", f"housing {housing} in", lambda fits: bool(fits.housing == housing), instead=_others("housing")
        )
    return found | room.pieces(keys, sizing, flow_in, duty)


def housing_key(housing: str) -> str:
    """A cartridge housing's key of the price list."""
    return f"cartridge_{housing.replace('.', '_')}"


def _of_bed(bed: Bed, washed: bool, duty: Duty, temperature: float) -> dict[str, Wanted]:
    """Vessel, what goes on top of it, and the medium in it."""
    share, top = duty.flow / bed.vessels, f"for a {bed.tank} in vessel"
    found = {
        "vessel": Wanted("vessel", f"{bed.tank} in vessel", lambda fits: bool(fits.size == bed.tank), instead=_vessels_short(bed, washed, duty, temperature)),
        bed.medium.key: Wanted("medium", said_in(bed.medium.name), lambda fits: bool(fits.medium == bed.medium.key), instead=_media_sold),
    }  # fmt: skip
    if washed:
        asks = (
            Asked("its service flow", share, "L/min", lambda fits: float(fits.service)),
            Asked("its backwash flow", bed.backwash_flow(temperature), "L/min", lambda fits: float(fits.backwash)),
        )
        found["valve_head"] = Wanted("valve", f"valve {top}", lambda fits: bed.tank in fits.vessels, asks, goes_with="vessel")
    else:
        found["in_out_head"] = Wanted("head", f"in/out head {top}", lambda fits: bed.tank in fits.vessels, goes_with="vessel")
    return found


def _vessels_short(bed: Bed, washed: bool, duty: Duty, temperature: float) -> Callable[[Sequence[Item], str], str]:
    """Why none of the vessels that are sold serves: of the nearest, what is missing and by how much."""

    def told(items: Sequence[Item], system: str) -> str:
        shells = duty.stock.shells
        assert shells is not None
        best: tuple[float, str] | None = None
        for size in dict.fromkeys(item.fits.size for item in items):
            count = shells.beside(size)
            other = Bed(bed.medium, size, count, bed.volume)
            most = duty.stock.most_in(bed.medium, size) * count
            asks = [
                ("carry", other.peak_limit, duty.flow, "L/min", ""),
                ("hold", most, bed.total_volume, "L media", " of media"),
            ]
            if washed:
                asks.append(("can be washed with", duty.wash, other.backwash_flow(temperature), "L/min", ""))
            missing = [(word, gives, least, unit, of) for word, gives, least, unit, of in asks if gives < least * 0.999999]
            worst = max((1 - gives / least for _, gives, least, _, _ in missing), default=0.0)
            many = f"{NUMBERS[count - 1]} of {size} in" if count > 1 else f"{size} in"
            said = [f"{word} {show(gives, unit, system)}{of}, {show(least - gives, unit, system)} short" for word, gives, least, unit, of in missing]
            if count == 1:
                said = [each.replace("carry ", "carries ", 1).replace("hold ", "holds ", 1) for each in said]
            words = f"{many} {listed(said)}" if said else f"it has {size} in"
            if best is None or worst < best[0]:
                best = (worst, words)
        return best[1] if best else ""

    return told


#: how many stand side by side, in words
NUMBERS = ("one", "two", "three", "four")
assert len(NUMBERS) == MOST_BESIDE


#: so many are named where something is missing
MOST_NAMED = 8


def _others(field: str) -> Callable[[Sequence[Item], str], str]:
    """What there is of other kinds, in words."""

    def told(items: Sequence[Item], system: str) -> str:
        return few(f"{getattr(item.fits, field)} in" for item in items)

    return told


def _media_sold(items: Sequence[Item], system: str) -> str:
    """The media there are, in words."""
    return few(said_in(medium(item.fits.medium).name) for item in items)


def few(names: Iterable[str]) -> str:
    """What there is, where it is little enough to be read."""
    each = list(dict.fromkeys(names))
    return f"it has {listed(each)}" if len(each) <= MOST_NAMED else f"it has {len(each)} others"


def said_in(name: str) -> str:
    """A name inside a sentence."""
    return name[0].lower() + name[1:]


def pieces_of(stage: StageRun[Any]) -> dict[str, Wanted]:
    """The pieces of a stage of a train."""
    return pieces(stage.room, stage.keys, stage.sizing, stage.water_in, stage.duty)


def lacking(room: Treatment[Any], keys: Any, sizing: Sizing, water: Any, duty: Duty) -> list[Wanted]:
    """What of a unit the catalogue sells only in other sizes."""
    if duty.stock.catalogue is None:
        return []
    found = pieces(room, keys, sizing, water, duty)
    missing = {key: wanted for key, wanted in found.items() if duty.stock.lacks(wanted)}
    return [wanted for wanted in missing.values() if wanted.goes_with not in missing]


def item_for(stage: StageRun[Any] | None, key: str, duty: Duty) -> Item | None:
    """What the catalogue sells for a key of the price list, at a stage or for the house."""
    library = duty.stock
    if library.catalogue is None:
        return None
    wanted = pieces_of(stage).get(key) if stage is not None else None
    found = library.serves(wanted) if wanted is not None else None
    return found or library.fitting(key)


def price_each(item: Item) -> Decimal:
    """What a unit of the price list costs of an item: a piece; of a medium a kilogram."""
    return item.price / Decimal(str(item.fits.mass)) if item.kind == "medium" else item.price
