"""Working values of the treatments, and a job's own in their place: each with its unit, its bounds and a reason."""

from __future__ import annotations

from collections.abc import Iterator
from copy import deepcopy
from dataclasses import dataclass
from functools import cache
from typing import Any

from ..language.errors import Fault
from ..language.spec import BAD, Number, Spec, Text, key, read_record, record_schema, refuse_unknown
from ..language.tables import table

#: the group of what may be replaced in starting up, and the durations of a step
STARTING = "starting"
DURATIONS = ("hands_on", "wait", "after")


@dataclass(frozen=True, slots=True)
class WorkingValue:
    """A value that a job may replace: what people call it, its unit, ours, and the least and most that make sense."""

    path: str
    group: str
    words: str
    unit: str
    value: float
    least: float
    most: float


@cache
def working_values() -> dict[str, WorkingValue]:
    """Every value that a job may replace, by path such as ``softener.leakage``."""
    found = {}
    for row, entries in table("working").items():
        if row == STARTING:
            continue
        for name, entry in entries.items():
            if name == "title":
                continue
            words, unit, least, most = entry
            path = f"{row}.{name}"
            found[path] = WorkingValue(path, entries["title"], words, unit, float(_at(table("stages"), path)), float(least), float(most))
    return found | {each.path: each for each in _durations()}


def _durations() -> Iterator[WorkingValue]:
    """The durations of starting up, by path such as ``starting.carbon.soak.wait``: of every step of ``data/commissioning.toml``."""
    words = table("working")[STARTING]
    for section, entries in table("commissioning").items():
        for verb, entry in entries.items():
            for name in DURATIONS:
                if isinstance(entry, dict) and name in entry:
                    ours = float(entry[name])
                    least, most = entry.get(f"{name}_bounds", (0, 10 * max(ours, 60)))
                    yield WorkingValue(
                        f"{STARTING}.{section}.{verb}.{name}",
                        words["title"],
                        f"{entry['title']}: {words[name]}",
                        "min",
                        ours,
                        float(least),
                        float(most),
                    )


def _at(rows: dict[str, Any], path: str) -> Any:
    here: Any = rows
    for step in path.split("."):
        here = here[step]
    return here


@dataclass(frozen=True, slots=True)
class OwnValue:
    """A working value of the job's own, in the unit of ours, and the reason."""

    value: float | None = key(Number(-1e6, 1e6))
    unit: str | None = key(Text(20), None, "the unit of the default value, if it has one")
    reason: str = key(Text(300), "")


class OwnValues(Spec):
    """Working values by path that this job puts in place of ours; each with its unit and reason."""

    expected = "an object such as {“softener.leakage”: {“value”: 15, “unit”: “mg/L CaCO3”, “reason”: “…”}}"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        """The own values by path; BAD where nothing could be read."""
        if not isinstance(raw, dict):
            return self.refuse(raw, path, faults)
        known = working_values()
        refuse_unknown(raw, list(known), path, faults)
        found: dict[str, OwnValue] = {}
        for name, row in raw.items():
            here, before = f"{path}.{name}", len(faults)
            if name not in known:
                continue
            own, ours = read_record(OwnValue, row, here, faults), known[name]
            if own is BAD or len(faults) > before:
                continue
            if own.value is None or not ours.least <= own.value <= ours.most:
                faults.append(Fault(f"{here}.value", f"expected a number from {ours.least:g} to {ours.most:g} {ours.unit}".rstrip()))
            if ours.unit and own.unit != ours.unit:
                faults.append(Fault(f"{here}.unit", f"expected “{ours.unit}”, the unit of this value"))
            if not own.reason.strip():
                faults.append(Fault(f"{here}.reason", "a value of your own needs a reason"))
            found[name] = own
        return found

    def schema(self) -> dict[str, Any]:
        return {"type": "object", "propertyNames": {"enum": list(working_values())}, "additionalProperties": record_schema(OwnValue)}


def rows_of(own: dict[str, OwnValue]) -> dict[str, Any]:
    """The working values of every treatment, a job's own in place of ours."""
    ours = table("stages")
    if not own:
        return ours
    rows = deepcopy(ours)
    for path, each in own.items():
        if path.startswith(f"{STARTING}."):
            continue  # read by the run sheet
        steps = path.split(".")
        _at(rows, ".".join(steps[:-1]))[steps[-1]] = each.value
    return rows


def told(path: str, own: OwnValue) -> str:
    """An own value beside ours, in words: ``15 mg/L CaCO3 in place of 10``."""
    ours = working_values()[path]
    return f"{own.value:g} {ours.unit}".strip() + f" in place of {ours.value:g}"


def own_of(held: dict[str, OwnValue], row: str) -> list[tuple[WorkingValue, OwnValue]]:
    """A job's own values of one row of the table, such as ``softener``."""
    return [(working_values()[path], own) for path, own in held.items() if path.split(".")[0] == row]
