"""What equipment a job is built of: the company's catalogue where the job carries one, else the generic sizes of ``data/``.

It is carried by the job's duty and handed to every treatment; nothing of one job's library reaches another's.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, TypeVar

from ..job.catalogue import KINDS, Catalogue, Item
from ..language.display import show
from ..language.prose import listed
from .beds import MOST_BESIDE, Medium, Shell, Shells, ValveFit, most_in

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Asked:
    """Something that a piece has to reach: in words, how much [unit], and what an item gives of it."""

    words: str
    least: float
    unit: str
    gives: Callable[[Any], float]

    def short(self, fits: Any) -> float:
        """How much is missing, as a share of what is asked; 0 where it is reached."""
        return max(self.least - self.gives(fits), 0.0) / self.least if self.least > 0 and self.gives(fits) < self.least * 0.999999 else 0.0

    def told(self, fits: Any, system: str) -> str:
        """What an item gives, and how much of what is asked is missing, in words."""
        given = self.gives(fits)
        gives, missing, least = (show(each, self.unit, system) for each in (given, self.least - given, self.least))
        return f"{self.words} is {gives}, {missing} short of {least}"


@dataclass(frozen=True, slots=True)
class Wanted:
    """A piece that a unit is built of. kind: of the catalogue; what: in words; fits: what can be used at all; asks: what it has to reach.

    instead: what is said where nothing can be used at all; goes_with: the piece it is made for, without which it is not asked for.
    """

    kind: str
    what: str
    fits: Callable[[Any], bool]
    asks: tuple[Asked, ...] = ()
    instead: Callable[[Sequence[Item], str], str] | None = None
    goes_with: str = ""


class Library:
    """The equipment of one job. catalogue: None where the generic sizes stand."""

    def __init__(self, catalogue: Catalogue | None = None, wall: float | None = None):
        self.catalogue, self.wall = catalogue, wall
        self._by_kind: dict[str, tuple[Item, ...]] = {}
        for kind in KINDS if catalogue is not None else ():
            self._by_kind[kind] = tuple(item for item in catalogue.items if item.kind == kind)  # type: ignore[union-attr]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Library) and self.wall == other.wall and self.catalogue == other.catalogue

    def __hash__(self) -> int:
        return hash((self.catalogue.name, self.catalogue.version, len(self.catalogue.items)) if self.catalogue else None)

    def sold(self, kind: str) -> tuple[Item, ...]:
        """The items of a kind, none where no catalogue has any."""
        return self._by_kind.get(kind, ())

    @property
    def generic_kinds(self) -> tuple[str, ...]:
        """Kinds of which the catalogue has no item at all, so that they stay generic."""
        return tuple(kind for kind in KINDS if kind != "fitting" and not self.sold(kind)) if self.catalogue is not None else ()

    def beside(self, width: float) -> int:
        """How many of a width [m] stand side by side: up to four, as far as the wall is wide."""
        return MOST_BESIDE if self.wall is None else min(max(int(self.wall / width + 1e-6), 1), MOST_BESIDE)

    def serves(self, wanted: Wanted) -> Item | None:
        """The item that is bought for a piece: of those that can be used and reach what is asked, the smallest, then the cheapest."""
        good = [item for item in self.sold(wanted.kind) if wanted.fits(item.fits) and not any(ask.short(item.fits) for ask in wanted.asks)]
        return min(good, key=lambda item: (*(ask.gives(item.fits) for ask in wanted.asks), item.price, item.code), default=None)

    def lacks(self, wanted: Wanted) -> bool:
        """Whether the catalogue sells such things, but none that serves here."""
        return bool(self.sold(wanted.kind)) and self.serves(wanted) is None

    def missing(self, wanted: Wanted, system: str) -> str:
        """What is missing, and by how much, in a sentence."""
        items = self.sold(wanted.kind)
        usable = [item for item in items if wanted.fits(item.fits)]
        if not usable:
            near = wanted.instead(items, system) if wanted.instead is not None else ""
            return f"The catalog has no {wanted.what}" + (f": {near}." if near else ".")
        best = min(usable, key=lambda item: (max(ask.short(item.fits) for ask in wanted.asks), item.price, item.code))
        told = [ask.told(best.fits, system) for ask in wanted.asks if ask.short(best.fits)]
        return f"The catalog has no {wanted.what} that serves here: of the nearest, {best.what} ({best.code}), {listed(told)}."

    @cached_property
    def shells(self) -> Shells | None:
        """The vessels that a bed is chosen from, with what their valves and heads pass; None where they are generic."""
        sold: dict[str, Shell] = {}
        for item in self.sold("vessel"):
            sold.setdefault(item.fits.size, Shell(item.fits.size, item.fits.height, item.fits.volume))
        if not sold:
            return None
        valves = tuple(ValveFit(item.fits.vessels, item.fits.service, item.fits.backwash) for item in self.sold("valve"))
        heads = tuple(sorted({size for item in self.sold("head") for size in item.fits.vessels}))
        return Shells(tuple(sorted(sold.values(), key=lambda shell: shell.size_m)), valves, heads, self.wall)

    def most_in(self, medium: Medium, size: str) -> float:
        """The most medium [L] that a vessel of a size takes."""
        return most_in(medium, size, self.shells.shell(size) if self.shells is not None else None)

    def fitting(self, key: str) -> Item | None:
        """What is sold under a key of the price list itself."""
        return self._fittings.get(key)

    @cached_property
    def _fittings(self) -> dict[str, Item]:
        found: dict[str, Item] = {}
        for item in sorted(self.sold("fitting"), key=lambda item: (item.price, item.code)):
            found.setdefault(item.fits.key, item)
        return found

    def housings(self, generic: Sequence[str], cartridge: Callable[[Any], bool]) -> tuple[str, ...]:
        """The housings that are sold, with a cartridge that is wanted, smallest first; the generic ones where none are."""
        here = {item.fits.housing for item in self.sold("cartridge_housing")} or set(generic)
        filled = {item.fits.housing for item in self.sold("cartridge") if cartridge(item.fits)}
        both = here & filled if filled else here
        return tuple(housing for housing in generic if housing in (both or here))


GENERIC = Library()


def fewest(sizes: Sequence[T], beside: Callable[[T], int], serves: Callable[[T, int], bool]) -> tuple[int, T] | None:
    """How many of which of some sizes, smallest first, serve: fewest pieces, then the smallest. beside: as many of one as may stand side by side."""
    for count in range(1, MOST_BESIDE + 1):
        for size in sizes:
            if count <= beside(size) and serves(size, count):
                return count, size
    return None
