"""Declared fields of the open formats: what each accepts, how it is read, and its JSON Schema.

A record is a frozen dataclass whose fields are made with :func:`key`. Reading never stops at the first
fault: every fault is collected with its JSON path and what was expected there. (Why not a validation
package: see docs/decisions/0003-job-file-reader.md.)
"""

from __future__ import annotations

import dataclasses
import datetime as dt
import difflib
import re
from collections.abc import Iterator
from dataclasses import dataclass, field, fields
from typing import Any

from .errors import Fault, NotUnderstood
from .measures import completed, counted
from .quantity import canonical_unit, parse_number, parse_quantity, split_number, unit_named
from .tables import table

BAD: Any = object()
#: characters that neither a database nor XML takes: control characters other than tab and line breaks, half a pair, what is no character
UNFIT = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff]")


def holds_unfit(value: Any) -> bool:
    """Whether a text anywhere in a value as JSON gives it holds characters that cannot be kept."""
    if isinstance(value, str):
        return UNFIT.search(value) is not None
    if isinstance(value, dict):
        return any(holds_unfit(each) for pair in value.items() for each in pair)
    return isinstance(value, list) and any(holds_unfit(each) for each in value)


_TIME = re.compile(r"^([01]?\d|2[0-3]):([0-5]\d)$|^(24):(00)$")


def _show(raw: Any) -> str:
    text = repr(raw) if not isinstance(raw, str) else f"“{raw}”"
    return text if len(text) <= 60 else text[:57] + "…"


class Spec:
    """How one value is read. ``read`` returns BAD and adds to ``faults`` when it cannot."""

    expected = "a value"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        raise NotImplementedError

    def write(self, held: Any) -> Any:
        """What was read, as a document writes it: reading it again gives the same."""
        return held

    def schema(self) -> dict[str, Any]:
        raise NotImplementedError

    def refuse(self, raw: Any, path: str, faults: list[Fault], why: str = "") -> Any:
        faults.append(Fault(path, f"expected {self.expected}, got {_show(raw)}" + (f": {why}" if why else "")))
        return BAD


@dataclass(frozen=True)
class Text(Spec):
    longest: int = 200
    expected = "text"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if not isinstance(raw, str):
            return self.refuse(raw, path, faults)
        if len(raw) > self.longest:
            return self.refuse(raw, path, faults, f"longer than {self.longest} characters")
        if UNFIT.search(raw):
            return self.refuse(UNFIT.sub("�", raw), path, faults, "it holds a character that cannot be written")
        return raw

    def schema(self) -> dict[str, Any]:
        return {"type": "string", "maxLength": self.longest}


@dataclass(frozen=True)
class Flag(Spec):
    expected = "true or false"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        return raw if isinstance(raw, bool) else self.refuse(raw, path, faults)

    def schema(self) -> dict[str, Any]:
        return {"type": "boolean"}


@dataclass(frozen=True)
class Choice(Spec):
    options: tuple[Any, ...]

    @property
    def expected(self) -> str:  # type: ignore[override]
        return "one of " + ", ".join(str(option).lower() if isinstance(option, bool) else str(option) for option in self.options)

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        for option in self.options:
            if raw == option and type(raw) is type(option):
                return option
        near = difflib.get_close_matches(str(raw), [str(option) for option in self.options], n=1)
        return self.refuse(raw, path, faults, f"did you mean {near[0]}?" if near else "")

    def schema(self) -> dict[str, Any]:
        return {"enum": list(self.options)}


class KeysOf(Choice):
    """One of the keys of a table, by its path; the table is read when a value is."""

    def __init__(self, *path: str):
        object.__setattr__(self, "path", path)

    @property
    def options(self) -> tuple[Any, ...]:
        """The keys."""
        rows = table(self.path[0])  # type: ignore[attr-defined]
        for step in self.path[1:]:  # type: ignore[attr-defined]
            rows = rows[step]
        return tuple(rows)


@dataclass(frozen=True)
class Number(Spec):
    low: float = 0.0
    high: float = 1e6
    whole: bool = False
    said: str = ""

    @property
    def expected(self) -> str:  # type: ignore[override]
        return self.said or f"a {'whole ' if self.whole else ''}number from {self.low:g} to {self.high:g}"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if isinstance(raw, str):
            try:
                raw = parse_number(counted(raw))
            except NotUnderstood as error:
                return self.refuse(raw, path, faults, str(error))
        if isinstance(raw, bool) or not isinstance(raw, (int, float)) or not self.low <= raw <= self.high:
            return self.refuse(raw, path, faults)
        if self.whole and raw != int(raw):
            return self.refuse(raw, path, faults)
        return int(raw) if self.whole else float(raw)

    def schema(self) -> dict[str, Any]:
        return {"type": ["integer" if self.whole else "number", "string"], "minimum": self.low, "maximum": self.high}


class Taken(float):
    """A value whose unit did not say what it is as: it was taken to be as the field's basis, and that is told."""


@dataclass(frozen=True)
class Measure(Spec):
    """A quantity with a unit, read into the canonical unit of its dimension."""

    dimension: str
    example: str
    low: float = 0.0
    high: float = 1e9
    above: bool = False  # low itself is refused
    bare: str = ""  # the unit a plain number is in, where the format says so
    basis: str = ""  # what a plain mg/L or ppm is taken to be as, told as an assumption

    @property
    def expected(self) -> str:  # type: ignore[override]
        return f"a {self.dimension.replace('_', ' ')} such as “{self.example}”"

    def completed(self, text: str, system: str) -> str:
        """What a person typed on a job, with the job's unit where a number stands alone."""
        return text if self.bare else completed(text, self.example, self.dimension, system)

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if self.bare and isinstance(raw, (int, float)) and not isinstance(raw, bool):
            raw = f"{raw} {self.bare}"
        if isinstance(raw, dict) and set(raw) == {"value", "unit"}:  # as a design prints it
            raw = f"{raw['value']} {raw['unit']}"
        if not isinstance(raw, str):
            return self.refuse(raw, path, faults)
        try:
            if self.bare and not split_number(raw)[1]:
                raw = f"{raw} {self.bare}"
            plain = self.basis and split_number(raw)[1].strip().lower() in ("mg/l", "ppm")
            value = Taken(parse_quantity(f"{raw} {self.basis}", self.dimension).value) if plain else parse_quantity(raw, self.dimension).value
        except NotUnderstood as error:
            return self.refuse(raw, path, faults, str(error))
        if not self.low <= value <= self.high or (self.above and value == self.low):
            wanted = "it must be more than zero" if self.above and value <= 0 else "outside what can be meant"
            return self.refuse(raw, path, faults, wanted)
        return value

    def write(self, held: Any) -> Any:
        """The value in the unit that a bare number has, else in the canonical one, to the last digit."""
        if self.bare:
            return f"{unit_named(self.bare, self.dimension).from_canonical(held):.12g} {self.bare}"
        return f"{held!r} {canonical_unit(self.dimension)}"

    def schema(self) -> dict[str, Any]:
        return {"type": ["string", "number", "object"] if self.bare else ["string", "object"], "examples": [self.example, {"value": 1, "unit": "…"}]}


@dataclass(frozen=True)
class Fraction(Spec):
    """A share: ``"20 %"`` or ``0.2``; held as 0.2."""

    low: float = 0.0
    high: float = 1.0
    expected = "a share such as “20%” or 0.2"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        value = raw
        if isinstance(raw, str):
            try:
                number, unit = split_number(raw)
                value = parse_number(number) / (100.0 if unit.strip() == "%" else 1.0)
                if unit.strip() not in ("", "%"):
                    return self.refuse(raw, path, faults)
            except NotUnderstood as error:
                return self.refuse(raw, path, faults, str(error))
        if isinstance(value, bool) or not isinstance(value, (int, float)) or not self.low <= value <= self.high:
            return self.refuse(raw, path, faults)
        return float(value)

    def schema(self) -> dict[str, Any]:
        return {"type": ["string", "number"], "examples": ["20 %", 0.2]}


@dataclass(frozen=True)
class Day(Spec):
    expected = "a date such as “2026-05-04”"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        try:
            value = dt.date.fromisoformat(raw) if isinstance(raw, str) and len(raw) == 10 else None
        except ValueError:
            value = None
        if value is None or not 1900 <= value.year <= 2200:
            return self.refuse(raw, path, faults)
        return value

    def write(self, held: Any) -> Any:
        return held.isoformat()

    def schema(self) -> dict[str, Any]:
        return {"type": "string", "format": "date"}


@dataclass(frozen=True)
class TimeOfDay(Spec):
    """``"02:00"``; held as hours after midnight; the end of a day, ``"24:00"``, is the midnight that begins the next."""

    expected = "a time of day such as “02:00”"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        match = _TIME.match(raw) if isinstance(raw, str) else None
        if not match:
            return self.refuse(raw, path, faults)
        return int(match.group(1) or 0) + int(match.group(2) or 0) / 60

    def write(self, held: Any) -> Any:
        return f"{int(held):02d}:{round(held % 1 * 60):02d}"

    def schema(self) -> dict[str, Any]:
        return {"type": "string", "pattern": _TIME.pattern}


@dataclass(frozen=True)
class Vessel(Spec):
    """Nominal size in inches, ``"9x48"``; held in that spelling."""

    expected = "a vessel such as “9x48” (nominal inches)"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        match = re.match(r"^\s*(\d{1,2}(?:\.5)?)\s*[x×]\s*(\d{2,3})\s*(?:in)?\s*$", raw) if isinstance(raw, str) else None
        if not match or not 6 <= float(match.group(1)) <= 48 or not 12 <= int(match.group(2)) <= 120:
            return self.refuse(raw, path, faults)
        return f"{match.group(1)}x{match.group(2)}"

    def schema(self) -> dict[str, Any]:
        return {"type": "string", "pattern": r"^\d+(\.5)?x\d+$", "examples": ["9x48"]}


@dataclass(frozen=True)
class ListOf(Spec):
    item: Spec
    most: int = 500
    exactly: int | None = None

    @property
    def expected(self) -> str:  # type: ignore[override]
        return f"a list of {self.exactly or ''} values".replace("  ", " ")

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if not isinstance(raw, list) or (self.exactly and len(raw) != self.exactly):
            return self.refuse(raw, path, faults)
        if len(raw) > self.most:
            return self.refuse(f"{len(raw)} entries", path, faults, f"at most {self.most}")
        return tuple(self.item.read(each, f"{path}[{i}]", faults) for i, each in enumerate(raw))

    def write(self, held: Any) -> Any:
        return [self.item.write(each) for each in held]

    def schema(self) -> dict[str, Any]:
        schema: dict[str, Any] = {"type": "array", "items": self.item.schema(), "maxItems": self.exactly or self.most}
        return schema | ({"minItems": self.exactly} if self.exactly else {})


@dataclass(frozen=True)
class MapOf(Spec):
    """An object whose keys come from a known vocabulary."""

    names: tuple[str, ...]
    item: Spec
    expected = "an object"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if not isinstance(raw, dict):
            return self.refuse(raw, path, faults)
        refuse_unknown(raw, self.names, path, faults)
        return {name: self.item.read(raw[name], f"{path}.{name}", faults) for name in self.names if name in raw}

    def write(self, held: Any) -> Any:
        return {name: self.item.write(each) for name, each in held.items()}

    def schema(self) -> dict[str, Any]:
        return {"type": "object", "properties": {name: self.item.schema() for name in self.names}, "additionalProperties": False}


@dataclass(frozen=True)
class Either(Spec):
    """The first of several specs that reads without a fault."""

    specs: tuple[Spec, ...]

    @property
    def expected(self) -> str:  # type: ignore[override]
        return " or ".join(spec.expected for spec in self.specs)

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        for spec in self.specs:
            tried: list[Fault] = []
            value = spec.read(raw, path, tried)
            if not tried:
                return value
        return self.refuse(raw, path, faults)

    def write(self, held: Any) -> Any:
        """As the first spec writes it that reads it back as it was."""
        for spec in self.specs:
            tried: list[Fault] = []
            try:
                written = spec.write(held)
            except (TypeError, AttributeError, ValueError):
                continue
            if spec.read(written, "", tried) == held and not tried:
                return written
        return held

    def schema(self) -> dict[str, Any]:
        return {"anyOf": [spec.schema() for spec in self.specs]}


@dataclass(frozen=True)
class Record(Spec):
    """An object with the declared fields of a dataclass."""

    cls: type
    expected = "an object"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        return read_record(self.cls, raw, path, faults)

    def write(self, held: Any) -> Any:
        return write_record(held)

    def schema(self) -> dict[str, Any]:
        return record_schema(self.cls)


def key(spec: Spec, default: Any = None, doc: str = "", identity: bool = False, sometimes: bool = False) -> Any:
    """A field of a record: how it is read, its default, and a line for people. identity: it says what a stage is, not how large.

    sometimes: only some forms of a stage have it.
    """
    metadata = {"spec": spec, "doc": doc, "identity": identity, "sometimes": sometimes}
    if isinstance(default, (dict, list)) or dataclasses.is_dataclass(default):
        return field(default_factory=lambda: default, metadata=metadata)
    return field(default=default, metadata=metadata)


def specs_of(cls: type) -> dict[str, Spec]:
    """The declared fields of a record."""
    return {f.name: f.metadata["spec"] for f in fields(cls) if "spec" in f.metadata}


def refuse_unknown(raw: dict[str, Any], known: Any, path: str, faults: list[Fault]) -> None:
    """Add a fault for each key that is not known, naming the nearest one that is."""
    for name in raw:
        if name not in known:
            near = difflib.get_close_matches(str(name), list(known), n=1, cutoff=0.5)
            hint = f"; the nearest known one is “{near[0]}”" if near else ""
            faults.append(Fault(f"{path}.{name}", f"unknown key{hint}"))


def read_record(cls: type, raw: Any, path: str, faults: list[Fault], skip: tuple[str, ...] = ()) -> Any:
    """Read an object into ``cls``; a null leaves the default. Returns BAD where the object is not one."""
    if not isinstance(raw, dict):
        faults.append(Fault(path, f"expected an object, got {_show(raw)}"))
        return BAD
    specs = specs_of(cls)
    refuse_unknown(raw, [*specs, *skip], path, faults)
    values = {}
    for name, spec in specs.items():
        if raw.get(name) is not None:
            value = spec.read(raw[name], f"{path}.{name}", faults)
            if value is not BAD:
                values[name] = value
    return cls(**values)


def taken(held: Any, path: str = "$") -> Iterator[tuple[str, Taken]]:
    """Every value in a record whose unit did not say what it is as, with its place."""
    if isinstance(held, Taken):
        yield path, held
    elif dataclasses.is_dataclass(held) and not isinstance(held, type):
        for f in fields(held):
            if "spec" in f.metadata:
                yield from taken(getattr(held, f.name), f"{path}.{f.name}")
    elif isinstance(held, tuple | list):
        for i, each in enumerate(held):
            yield from taken(each, f"{path}[{i}]")


def write_record(held: Any) -> dict[str, Any]:
    """A record as a document writes it; what stands at its default is left out."""
    found = {}
    for f in fields(held):
        value = getattr(held, f.name)
        default = f.default if f.default is not dataclasses.MISSING else f.default_factory() if f.default_factory is not dataclasses.MISSING else None
        if "spec" in f.metadata and value is not None and value != default:
            found[f.name] = f.metadata["spec"].write(value)
    return found


def record_schema(cls: type) -> dict[str, Any]:
    """The JSON Schema of a record."""
    properties = {}
    for f in fields(cls):
        if "spec" in f.metadata:
            schema = f.metadata["spec"].schema()
            properties[f.name] = {"anyOf": [schema, {"type": "null"}]} | ({"description": f.metadata["doc"]} if f.metadata["doc"] else {})
    return {"type": "object", "properties": properties, "additionalProperties": False}
