"""Reads ``cairn-log/1``: what was read, done and seen at a train over the years. Collects every fault with its path."""

from __future__ import annotations

import datetime as dt
import difflib
import json
from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property
from typing import Any

from ...job.facts import OBSERVATIONS
from ...language.analytes import MICROBES as analyte_microbes
from ...language.errors import BadDocument, Fault, NotUnderstood
from ...language.log_keys import TAP, LogKey, log_key
from ...language.quantity import canonical_unit, parse_number, parse_quantity, split_number
from .upkeep import Task

FORMAT = "cairn-log/1"
MOST = 50_000
#: what an amount may be measured in, tried in turn
AMOUNTS = ("mass", "volume")
KEYS = ("on", "at", "away", "readings", "did", "amount", "seen", "note", "alarm")
#: microbes at a tap, and those whose test is the test of the water
MICROBES = tuple(f"{TAP}.{name}" for name in analyte_microbes)
TELLING = MICROBES[:2]


@dataclass(frozen=True, slots=True)
class Value:
    """A reading: the ends of what it says, canonical, and as it was typed."""

    key: LogKey
    low: float
    high: float
    typed: str

    @property
    def middle(self) -> float:
        return (self.low + self.high) / 2


@dataclass(frozen=True, slots=True)
class Amount:
    """How much of something was put in; unit: canonical, 1 for pieces."""

    value: float
    unit: str


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry. at: time of day where it was told; away: from and to, when nobody was there; alarm: the stage whose alarm it was."""

    place: int
    on: dt.date
    at: dt.time | None = None
    away: tuple[dt.date, dt.date] | None = None
    readings: tuple[Value, ...] = ()
    did: str = ""
    amount: Amount | None = None
    seen: tuple[str, ...] = ()
    note: str = ""
    alarm: str = ""

    @property
    def said(self) -> tuple[Any, ...]:
        """What it says, wherever it stands: the same entry twice says the same."""
        readings = tuple(sorted((value.key.key, value.low, value.high) for value in self.readings))
        return self.on, self.at, self.away, readings, self.did, self.amount, self.seen, self.note, self.alarm


@dataclass(frozen=True)
class Log:
    """A log, its entries in the order of their days, each once. repeated: entries that stood there twice."""

    started_on: dt.date
    entries: tuple[Entry, ...]
    repeated: tuple[Entry, ...] = ()

    def until(self, as_of: dt.date) -> Log:
        """What of it was known on a day."""
        return Log(self.started_on, tuple(entry for entry in self.entries if entry.on <= as_of), self.repeated)

    def after(self, as_of: dt.date) -> tuple[Entry, ...]:
        """What of it lies later."""
        return tuple(entry for entry in self.entries if entry.on > as_of)

    @cached_property
    def points(self) -> dict[str, list[tuple[dt.date, Value]]]:
        """Key -> its readings with their days, in order."""
        found: dict[str, list[tuple[dt.date, Value]]] = {}
        for entry in self.entries:
            for value in entry.readings:
                found.setdefault(value.key.key, []).append((entry.on, value))
        return found

    @cached_property
    def services(self) -> dict[str, list[Entry]]:
        """Task -> when it was done, in order. Coliform or E. coli read at a tap is the test of the water done, any microbe found there begins it anew."""
        found: dict[str, list[Entry]] = {}
        for entry in self.entries:
            if entry.did:
                found.setdefault(entry.did, []).append(entry)
            if (
                any(value.key.key in TELLING or (value.key.key in MICROBES and value.low > 0) for value in entry.readings)
                and entry.did != "site/microbes"
            ):
                found.setdefault("site/microbes", []).append(entry)
        return found

    @cached_property
    def seen(self) -> dict[str, list[dt.date]]:
        """What was seen -> on which days."""
        found: dict[str, list[dt.date]] = {}
        for entry in self.entries:
            for what in entry.seen:
                found.setdefault(what, []).append(entry.on)
        return found


def loads(text: str, tasks: Iterable[Task], stages: Iterable[str]) -> Log:
    """Read the text of a log. Raises BadDocument, also for text that is not JSON."""
    try:
        document = json.loads(text)
    except json.JSONDecodeError as error:
        raise BadDocument([Fault("$", f"expected JSON; line {error.lineno}, column {error.colno}: {error.msg}")]) from None
    except (RecursionError, ValueError):
        raise BadDocument([Fault("$", "expected a log document; this one cannot be read as JSON")]) from None
    return read_log(document, tasks, stages)


def read_log(document: Any, tasks: Iterable[Task], stages: Iterable[str], bounded: bool = True) -> Log:
    """Read a decoded ``cairn-log/1`` document for a train of these tasks and stages. Raises BadDocument with every fault found.

    bounded: whether it holds at most so many entries as a document may, which one that is put together from a store need not.
    """
    if not isinstance(document, dict):
        raise BadDocument([Fault("$", f"expected a log document (an object), got {type(document).__name__}")])
    reader = Reader({task.id for task in tasks}, tuple(stages))
    if document.get("format") != FORMAT:
        reader.fault("$.format", f"expected “{FORMAT}”, got {json.dumps(document.get('format'))}")
    reader.unknown(document, ("format", "started_on", "entries"), "$")
    started = reader.day(document.get("started_on"), "$.started_on")
    raw = document.get("entries", [])
    if not isinstance(raw, list) or (bounded and len(raw) > MOST):
        reader.fault("$.entries", f"expected a list of at most {MOST} entries")
        raw = []
    entries = [found for i, each in enumerate(raw) if (found := reader.entry(each, i)) is not None]
    if reader.faults or started is None:
        raise BadDocument(reader.faults)
    held: dict[tuple[Any, ...], Entry] = {}
    repeated = []
    for entry in sorted(entries, key=lambda entry: (entry.on, entry.at or dt.time(12), entry.place)):
        if entry.said in held:
            repeated.append(entry)
        else:
            held[entry.said] = entry
    return Log(started, tuple(held.values()), tuple(repeated))


class Reader:
    """Reads the parts of a log and collects faults."""

    def __init__(self, tasks: set[str], stages: tuple[str, ...]):
        self.tasks, self.stages = tasks, stages
        self.faults: list[Fault] = []
        self.keys: dict[str, LogKey | str] = {}

    def fault(self, path: str, words: str) -> None:
        self.faults.append(Fault(path, words))

    def unknown(self, raw: dict[str, Any], known: tuple[str, ...], path: str) -> None:
        for name in raw:
            if name not in known:
                self.fault(f"{path}.{name}", f"unknown key; {_nearest(name, known)}")

    def day(self, raw: Any, path: str) -> dt.date | None:
        try:
            return dt.date.fromisoformat(raw)
        except (TypeError, ValueError):
            self.fault(path, f"expected a day such as “2026-09-01”, got {json.dumps(raw, default=str)[:40]}")
            return None

    def entry(self, raw: Any, place: int) -> Entry | None:
        path = f"$.entries[{place}]"
        if not isinstance(raw, dict):
            self.fault(path, "expected an entry such as {“on”: “2026-09-01”, “readings”: {…}}")
            return None
        self.unknown(raw, KEYS, path)
        on = self.day(raw.get("on"), f"{path}.on")
        readings = self._readings(raw.get("readings", {}), f"{path}.readings")
        did = self._one_of(raw.get("did"), self.tasks, f"{path}.did", "a task of this train")
        alarm = self._one_of(raw.get("alarm"), self.stages, f"{path}.alarm", "a stage of this train")
        seen = raw.get("seen", [])
        if not isinstance(seen, list):
            self.fault(f"{path}.seen", "expected a list of what was seen")
            seen = []
        seen = tuple(self._one_of(each, OBSERVATIONS, f"{path}.seen[{i}]", "something that can be seen") for i, each in enumerate(seen))
        amount = self._amount(raw["amount"], f"{path}.amount") if raw.get("amount") is not None else None
        note = raw.get("note") or ""
        if not isinstance(note, str):
            self.fault(f"{path}.note", "expected words")
            note = ""
        if on is None:
            return None
        return Entry(place, on, self._time(raw.get("at"), path), self._away(raw.get("away"), path), readings, did, amount, seen, note, alarm)

    def _readings(self, raw: Any, path: str) -> tuple[Value, ...]:
        if not isinstance(raw, dict):
            self.fault(path, "expected readings by key")
            return ()
        found = []
        for name, text in raw.items():
            key = self.keys.get(name)
            if key is None:
                try:
                    key = log_key(name, self.stages)
                except NotUnderstood as error:
                    key = error.reason
                self.keys[name] = key
            if isinstance(key, str):
                self.fault(f"{path}.{name}", key)
                continue
            if isinstance(text, bool) or not isinstance(text, (str, int, float)):
                self.fault(f"{path}.{name}", "expected a reading such as “48 psi”")
                continue
            typed = text if isinstance(text, str) else f"{Decimal(str(text)):f}"  # no powers of ten: a small number is written out
            try:
                low, high = key.read(typed)
            except NotUnderstood as error:
                self.fault(f"{path}.{name}", error.reason)
                continue
            found.append(Value(key, low, high, typed))
        return tuple(found)

    def _one_of(self, raw: Any, known: Iterable[str], path: str, what: str) -> str:
        if raw is None or raw == "":
            return ""
        if not isinstance(raw, str) or raw not in known:
            self.fault(path, f"expected {what}; {_nearest(str(raw), known)}")
            return ""
        return raw

    def _amount(self, raw: Any, path: str) -> Amount | None:
        text = str(raw)
        for dimension in AMOUNTS:
            try:
                return Amount(parse_quantity(text, dimension).value, canonical_unit(dimension))
            except NotUnderstood:
                continue
        try:
            number, unit = split_number(text)
            if not unit.strip():
                return Amount(parse_number(number), "1")
        except NotUnderstood:
            pass
        self.fault(path, "expected an amount such as “80 lb”, “20 L” or a number of pieces")
        return None

    def _time(self, raw: Any, path: str) -> dt.time | None:
        if raw is None:
            return None
        try:
            return dt.time.fromisoformat(raw)
        except (TypeError, ValueError):
            self.fault(f"{path}.at", "expected a time of day such as “02:30”")
            return None

    def _away(self, raw: Any, path: str) -> tuple[dt.date, dt.date] | None:
        if raw is None:
            return None
        if not isinstance(raw, dict):
            self.fault(f"{path}.away", "expected {“from”: …, “to”: …}")
            return None
        self.unknown(raw, ("from", "to"), f"{path}.away")
        begin, end = self.day(raw.get("from"), f"{path}.away.from"), self.day(raw.get("to"), f"{path}.away.to")
        if begin is None or end is None:
            return None
        if end < begin:
            self.fault(f"{path}.away.to", "expected a day at or after “from”")
        return begin, end


def _nearest(name: str, known: Iterable[str]) -> str:
    near = difflib.get_close_matches(name, sorted(known), 1, 0.4)
    return f"the nearest is {near[0]}" if near else f"known are {', '.join(sorted(known)[:12])}"


def log_schema() -> dict[str, Any]:
    """The JSON Schema of ``cairn-log/1``."""
    day = {"type": "string", "format": "date"}
    text = {"type": "string"}
    entry = {
        "type": "object",
        "properties": {
            "on": day,
            "at": {"type": "string", "description": "time of day"},
            "away": {"type": "object", "properties": {"from": day, "to": day}, "required": ["from", "to"], "additionalProperties": False},
            "readings": {
                "type": "object",
                "additionalProperties": {"type": ["string", "number"]},
                "description": "<stage id>.<what>, source.<what>, tap.<what> or meter",
            },
            "did": {"type": "string", "description": "a task of the train, such as softener/salt"},
            "amount": {"type": ["string", "number"]},
            "seen": {"type": "array", "items": {"enum": list(OBSERVATIONS)}},
            "note": text,
            "alarm": {"type": "string", "description": "the id of a stage"},
        },
        "required": ["on"],
        "additionalProperties": False,
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": FORMAT,
        "title": "Vivid Cairn log",
        "type": "object",
        "properties": {"format": {"const": FORMAT}, "started_on": day, "entries": {"type": "array", "items": entry, "maxItems": MOST}},
        "required": ["format", "started_on", "entries"],
        "additionalProperties": False,
    }
