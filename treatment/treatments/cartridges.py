"""What every cartridge has in common: its housings, their flow, how often it is changed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cache
from math import ceil

from ..house.duty import Duty
from ..house.stock import Wanted
from ..job.catalogue import FitsCartridge, Item
from ..language.figure import Line, work
from ..language.prose import listed
from ..language.spec import KeysOf
from ..language.tables import table
from ..train.bought import alike, housing_key
from ..train.treatment import Purchase, Sizing

#: a housing, as a job file names it
HOUSING = KeysOf("vessels", "cartridges")


@cache
def rated(housing: str, share: float, source: str = "sediment.flow") -> Line:
    """Flow at the clean loss of the table [L/min]; share: of it that this cartridge passes."""
    gpm = float(table("vessels")["cartridges"][housing]["gpm"])
    return work("flow", "rated × US_gpm × share", "L/min", source, rated=(gpm, "gpm"), share=(share, ""))


def housings(duty: Duty, micron: float | None, medium: str | None = None) -> tuple[str, ...]:
    """The housings a cartridge is chosen from, smallest first: of the catalogue, with such a cartridge for them, else the generic ones."""
    return duty.stock.housings(HOUSING.options, lambda fits: _serves(fits, micron, medium))


def smallest(offered: Sequence[str], carries: Callable[[str], bool]) -> str | None:
    """The first housing that carries the flow; of the generic ones where none that is sold does; None where not even those do."""
    return next((each for each in (*offered, *HOUSING.options) if carries(each)), None)


def _serves(fits: FitsCartridge, micron: float | None, medium: str | None) -> bool:
    return fits.medium == medium and (micron is None or alike(fits.micron, micron))


def cartridge_sold(duty: Duty, housing: str, micron: float | None, medium: str | None = None) -> Item | None:
    """The cartridge of the catalogue that goes into a housing."""
    return duty.stock.serves(cartridge_wanted("cartridge", housing, micron, medium)) if duty.stock.sold("cartridge") else None


def cartridge_wanted(name: str, housing: str, micron: float | None, medium: str | None = None) -> Wanted:
    """A cartridge of a rating, or of a medium, for a housing."""
    rating = f" of {micron:g} µm" if micron is not None else ""

    def others(items: Sequence[Item], system: str) -> str:
        here = [item.fits for item in items if item.fits.housing == housing and item.fits.medium == medium]
        return f"for this housing it has {listed(f'{fits.micron:g} µm' for fits in here)}" if here else "it has none for this housing"

    return Wanted(
        "cartridge",
        f"{name}{rating} for a {housing} in housing",
        lambda fits: fits.housing == housing and _serves(fits, micron, medium),
        instead=others,
        goes_with=housing_key(housing),
    )


def changes(key: str, sizing: Sizing, name: str) -> list[Purchase]:
    """The cartridges or elements of a year, where they last no longer; none for a bed."""
    life = sizing.figures.get("replacement_interval")
    if life is None or sizing.bed is not None or life.value > 12:
        return []
    return [Purchase(key, float(ceil(12 / max(life.value, 0.1) - 1e-6)), note=name, yearly=True)]
