"""The commissioning record as it is printed, from ``cairn-commissioning/1`` alone: the same file printed years later says the same."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import groupby
from typing import Any

from ..language.interface import word


@dataclass(frozen=True, slots=True)
class RecordedReading:
    """A reading: what it is, as it was typed (empty where nobody read it), what was expected, whether it lay outside."""

    title: str
    typed: str
    band: str
    outside: bool


@dataclass(frozen=True, slots=True)
class RecordedWord:
    """A note, a photo's name, a mark, or one side of two that disagree. kind: of the event."""

    kind: str
    text: str
    at: dt.datetime | None
    by: str
    key: str = ""


@dataclass(frozen=True, slots=True)
class RecordedStep:
    """A step with everything that was said at it. mark: what says that it is over, None where it is open."""

    number: int
    id: str
    title: str
    critical: bool
    state: str
    mark: RecordedWord | None
    readings: tuple[RecordedReading, ...]
    notes: tuple[RecordedWord, ...]
    photos: tuple[RecordedWord, ...]
    apart: tuple[tuple[RecordedWord, RecordedWord], ...]


@dataclass(frozen=True, slots=True)
class RecordPaper:
    """A record to be set. phases: heading and steps, in the order of the work; lost: steps no longer on the sheet; lifted: of the boil-water notice."""

    job: Mapping[str, Any]
    engine: str
    caution: str
    complete: bool
    done: int
    count: int
    people: tuple[str, ...]
    last_at: dt.datetime | None
    advice: bool
    stands: bool
    lifted: RecordedWord | None
    phases: tuple[tuple[str, tuple[RecordedStep, ...]], ...]
    lost: tuple[RecordedStep, ...]


def record_paper(record: Mapping[str, Any]) -> RecordPaper:
    """A record as it is printed. record: a ``cairn-commissioning/1``; words that one of before 2026-12 lacks are left out."""
    steps = [_step(number, each) for number, each in enumerate(record["steps"], 1)]
    phases = [each["phase"] for each in record["steps"]]
    groups = groupby(zip(phases, steps, strict=True), key=lambda pair: pair[0])
    water = record["boil_water"]
    cleared = None if water["lifted_at"] is None else RecordedWord("lift", water["sample"] or "", _at(water["lifted_at"]), water["lifted_by"] or "")
    return RecordPaper(
        record["job"], record["engine"], record["caution"], record["complete"], sum(each["state"] != "open" for each in record["steps"]), len(steps),
        tuple(record["people"]), _at(record["last_at"]), water["belongs"], water["stands"], cleared,
        tuple((word("phase", phase), tuple(step for _, step in of)) for phase, of in groups),
        tuple(_step(0, each) for each in record["no_longer_on_the_sheet"]),
    )  # fmt: skip


def _step(number: int, step: Mapping[str, Any]) -> RecordedStep:
    unit = f"{step['unit']}: " if step.get("unit") else ""
    mark = None if step["at"] is None else RecordedWord(step["state"], step["reason"] or "", _at(step["at"]), step["by"] or "")
    return RecordedStep(
        number, step["id"], f"{unit}{step['title']}", step["critical"], step["state"], mark,
        tuple(_reading(each) for each in step["readings"]),
        tuple(_word("note", each, each["text"]) for each in step["notes"]),
        tuple(_word("photo", each, each["name"]) for each in step["photos"]),
        tuple((_word(one["said"], one, one["text"]), _word(other["said"], other, other["text"])) for one, other in step["apart"]),
    )  # fmt: skip


def _word(kind: str, told: Mapping[str, Any], text: str) -> RecordedWord:
    return RecordedWord(kind, text, _at(told["at"]), told["by"], told.get("key", ""))


def _reading(reading: Mapping[str, Any]) -> RecordedReading:
    return RecordedReading(reading.get("title") or reading["key"], reading["typed"] or "", reading.get("band") or "", reading["holds"] is False)


def _at(text: str | None) -> dt.datetime | None:
    return None if text is None else dt.datetime.fromisoformat(text)
