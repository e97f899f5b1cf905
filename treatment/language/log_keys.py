"""The names of what is read at a train: ``softener.hardness_out``, ``source.pressure_low``, ``tap.free_chlorine``, ``meter``."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from .analytes import Analyte, analytes
from .display import unit_text
from .errors import NotUnderstood
from .quantity import canonical_unit, parse_number, parse_quantity, split_number
from .reading import parse_reading
from .series_key import SeriesKey
from .tables import table

_BARE = re.compile(r"[<>]?\s*\d+(?:[.,]\d+)?")
_PLAIN = str.maketrans({"₃": "3", "µ": "u", "\u202f": " "})

#: places beside the stages
SOURCE, TAP = "source", "tap"
#: dimensions that are plain numbers, with the unit they are kept in and the words people write after the number
PLAIN = {"number": ("1", ()), "hours": ("hour", ("h", "hour", "hours")), "days": ("day", ("d", "day", "days"))}


#: characters of a typed reading up to which what it means is remembered
REMEMBERED_LENGTH = 40


@dataclass(frozen=True, slots=True)
class LogKey:
    """What one name of a log means. place: a stage's id, source, tap, or empty for the house; analyte: where it is one.

    unit: canonical; shown: the unit of ``data/display.toml`` that people read it in; words: what it is, in a sentence.
    """

    key: str
    place: str
    what: str
    dimension: str
    unit: str
    shown: str
    words: str
    analyte: Analyte | None = None
    side: str = ""

    @property
    def title(self) -> str:
        """What it is, where a line begins with it."""
        return self.words if self.words[:2] in ("pH", "UV") else self.words[0].upper() + self.words[1:]

    def read(self, text: str) -> tuple[float, float]:
        """Low and high end of what was typed, in the canonical unit. Raises NotUnderstood."""
        name = "" if self.analyte is None else self.analyte.key
        return (_ends if len(text) <= REMEMBERED_LENGTH else _ends.__wrapped__)(name, self.dimension, self.unit, text)

    def typed(self, text: str, system: str) -> str:
        """What a person typed, with the unit that a bare number has where the job shows this in one; else as it stands."""
        bare = _BARE.fullmatch(text.strip())
        unit = unit_text(self.shown, system).translate(_PLAIN)
        return f"{text.strip()} {unit}".strip() if bare and self.dimension not in PLAIN else text.strip()


@lru_cache(maxsize=20_000)
def _ends(analyte: str, dimension: str, unit: str, text: str) -> tuple[float, float]:
    """What ``LogKey.read`` tells of a text; remembered, since a log is read anew each time that somebody looks."""
    if analyte:
        reading = parse_reading(analytes()[analyte], text)
        high = reading.low if reading.high is None else reading.high
        return reading.low, high
    if dimension in PLAIN:
        number, typed = split_number(text.strip())
        if typed.strip() and typed.strip().lower() not in PLAIN[dimension][1]:
            raise NotUnderstood(text, f"expected {unit if unit != '1' else 'a plain number'}")
        value = parse_number(number)
    else:
        value = parse_quantity(text, dimension).value
    if value < 0:
        raise NotUnderstood(text, "expected nothing below 0")
    return value, value


def log_key(key: str, stages: Iterable[str]) -> LogKey:
    """What a name means in a train of these stage ids. Raises NotUnderstood, with the nearest known name."""
    ids = tuple(stages)
    taken = SeriesKey.of(key)
    place, what = taken.place, taken.name
    if "." not in key and what in table("log")["whole"]:
        return _row(key, "", what, table("log")["whole"][what])
    if place in (SOURCE, TAP):
        if what in analytes():
            return _analyte(key, place, what, analytes()[what], "")
        if what in table("log")[place]:
            return _row(key, place, what, table("log")[place][what])
    elif place in ids:
        if taken.side and taken.what in analytes():
            return _analyte(key, place, what, analytes()[taken.what], taken.side)
        if what in table("log")["stage"]:
            return _row(key, place, what, table("log")["stage"][what])
    near = difflib.get_close_matches(key, known_keys(ids), 1, 0.5)
    nearest = f"; the nearest is {near[0]}" if near else ""
    raise NotUnderstood(key, f"expected what is read at a stage of this train, at source or tap, or meter{nearest}")


def known_keys(ids: Iterable[str]) -> list[str]:
    """Every name that a log of a train of these stage ids may use."""
    rows = table("log")
    found = [*rows["whole"], *(f"{place}.{what}" for place in (SOURCE, TAP) for what in (*rows[place], *analytes()))]
    for id in ids:
        found += [f"{id}.{what}" for what in rows["stage"]] + [f"{id}.{name}_{side}" for name in analytes() for side in ("in", "out")]
    return found


def _row(key: str, place: str, what: str, row: list[str]) -> LogKey:
    dimension, shown, words = row
    unit = PLAIN[dimension][0] if dimension in PLAIN else canonical_unit(dimension)
    return LogKey(key, place, what, dimension, unit, shown, words)


def _analyte(key: str, place: str, what: str, analyte: Analyte, side: str) -> LogKey:
    words = analyte.said + {"in": " before it", "out": " after it"}.get(side, "")
    return LogKey(key, place, what, analyte.dimension, analyte.unit, analyte.shown_unit, words, analyte, side)
