"""The series of a log: what is read, and what is worked out from it (drops, permeate put right for temperature, salt that passes)."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ...language.log_keys import log_key
from ...language.series_key import SeriesKey
from ...language.tables import table

METER = "meter"


@dataclass(frozen=True, slots=True)
class Series:
    """One series. what: the last part of its key; unit: canonical, of the meter what runs a day; shown: the unit of ``data/display.toml``
    that people read it in; own: the key of the log that it is told by.
    """

    key: str
    place: str
    what: str
    unit: str
    shown: str
    words: str
    own: str

    @property
    def worked_out(self) -> bool:
        """Whether it is worked out from others, and not read."""
        return self.own != self.key

    @property
    def anew(self) -> tuple[str, ...]:
        """The tasks after which it starts anew."""
        return tuple(f"{self.place}/{task}" for task in table("log")["anew"].get(self.what, ()))


def series(key: str, stages: Iterable[str]) -> Series:
    """What a key of a train of these stage ids means. Raises NotUnderstood for one that no log has."""
    taken = SeriesKey.of(key)
    place, what = taken.place, taken.name
    if key == METER:
        return Series(key, "", key, "L/day", "L/day", "use of a day", key)
    if what in table("log")["worked"]:
        unit, shown, words, told = table("log")["worked"][what]
        return Series(key, place, what, unit, shown, words, f"{place}.{told}")
    found = log_key(key, stages)
    return Series(key, place, what, found.unit, found.shown, found.words, key)
