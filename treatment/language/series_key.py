"""The name of a series taken apart, in one place: where it is read, what it is, on which side of its unit."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

SIDES = ("in", "out")


class SeriesKey(NamedTuple):
    """A key such as ``softener.hardness_out``, ``source.pressure_low`` or ``meter``.

    place: a stage's id, source, tap, or empty for the house; what: an analyte or what a gauge or counter is called; side: of the
    unit, ``in`` or ``out``, empty where it has none. The text of it (``str``) is what documents, logs and tables hold.
    """

    place: str
    what: str
    side: str = ""

    @classmethod
    def of(cls, key: str) -> SeriesKey:
        """A key taken apart; any text has an answer, known or not."""
        return _taken_apart(key)

    @property
    def name(self) -> str:
        """What is read at the place, side and all: ``hardness_out``."""
        return f"{self.what}_{self.side}" if self.side else self.what

    def __str__(self) -> str:
        return f"{self.place}.{self.name}" if self.place else self.name


@lru_cache(maxsize=4096)
def _taken_apart(key: str) -> SeriesKey:
    place, _, name = key.rpartition(".")
    what, _, side = name.rpartition("_")
    return SeriesKey(place, what, side) if side in SIDES and what else SeriesKey(place, name)
