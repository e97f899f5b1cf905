"""What keeps a train working: every task, how often for this water and this use, and what decides it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import cache, cached_property, lru_cache
from typing import Any

from ...language.figure import Figure, Line, rounded, source, stated, work
from ...language.prose import prosed
from ...language.tables import table
from ...planning.evaluated import EvaluatedTrain
from ...train.over_time import OverTime
from ...train.treatment import StageRun

WHO = ("owner", "service")
BASES = ("consumption", "hours", "calendar", "condition")
#: sections of the table that hold no tasks, and those that are no treatment
OTHER = ("tells_trend", "learned", "after_microbes", "moves", "called", "spread", "limits", "gather", "tells", "wanders")
COMMON = ("site", "bed", "brine", *OTHER)
DAY, HOUR = "day", "hour"


@dataclass(frozen=True, slots=True)
class TaskRow:
    """A task as the table describes it; see ``data/upkeep.toml``."""

    name: str
    section: str
    task: str
    do: tuple[str, ...]
    why: str
    who: str
    source: str
    minutes: float = 0.0
    price: str = ""
    days: float | None = None
    figure: str = ""
    hours: float | None = None
    hours_of_figure: bool = False
    condition: bool = False
    load: str = ""
    quantity: str = ""
    cautions: tuple[str, ...] = ()
    only: dict[str, Any] = field(default_factory=dict, hash=False)
    unless: dict[str, Any] = field(default_factory=dict, hash=False)
    when: tuple[str, ...] = ()
    read: tuple[str, ...] = ()

    def applies(self, choices: dict[str, Any], facts: frozenset[str]) -> bool:
        """Whether a stage of these choices, on a job of these facts, has this task."""
        wanted = all(choices.get(name) in held for name, held in self.only.items())
        spared = any(choices.get(name) in held for name, held in self.unless.items())
        return wanted and not spared and facts.issuperset(self.when)

    def in_units(self, system: str) -> TaskRow:
        """The row with the quantities of its words as people of a system read them."""
        task, why, *do = prosed((self.task, self.why, *self.do), system)
        return replace(self, task=task, why=why, do=tuple(do))


@dataclass(frozen=True, slots=True)
class Task:
    """A task of a train. every: as designed; low: in a busy year at the adverse water; high: in a careful one at the other end.

    unit: day, or hour of run; basis: what decides; quantity: what it takes; working: how both were found.
    """

    id: str
    stage: StageRun[Any] | None
    row: TaskRow
    every: float
    low: float
    high: float
    unit: str
    basis: str
    quantity: Figure | None
    working: tuple[Line, ...]

    @property
    def cautions(self) -> list[str]:
        """Its cautions in words."""
        return [table("commissioning")["hazards"][name] for name in self.row.cautions]

    @property
    def scales(self) -> bool:
        """Whether its interval follows the use of the house."""
        return self.basis == "consumption"

    def as_json(self) -> dict[str, Any]:
        """As ``cairn-design/1`` prints it."""
        return {
            "id": self.id,
            "stage": None if self.stage is None else self.stage.id,
            "task": self.row.task,
            "do": list(self.row.do),
            "why": self.row.why,
            "every": {"value": rounded(self.every), "unit": self.unit, "low": rounded(self.low), "high": rounded(self.high)},
            "basis": self.basis,
            "quantity": None if self.quantity is None else {"value": rounded(self.quantity.value), "unit": self.quantity.unit},
            "who": self.row.who,
            "hands_on": {"value": self.row.minutes, "unit": "min"},
            "cautions": self.cautions,
            "working": [line.as_json() for line in self.working],
            "source": source(self.row.source),
        }


@cache
def rows(section: str) -> tuple[TaskRow, ...]:
    """The tasks of a section of the table, in its order."""
    found = []
    for name, entry in table("upkeep").get(section, {}).items():
        held: dict[str, Any] = {key: tuple(value) if isinstance(value, list) else value for key, value in entry.items()}
        found.append(TaskRow(name=name, section=section, **held))
    return tuple(found)


@lru_cache(maxsize=4)
def upkeep(variant: EvaluatedTrain) -> tuple[Task, ...]:
    """Every task of a train, the place's last; none for a train of no stages but the tests of its water."""
    facts = _facts(variant)
    system = variant.audit.facts.job.units
    units = [_Unit(stage) for stage in variant.run.stages]
    tasks = [_task(unit, row.in_units(system)) for unit in units for row in _rows_of(unit, facts)]
    place = [_task(None, row.in_units(system)) for row in rows("site") if row.applies({}, facts)]
    return (*tasks, *place)


def _facts(variant: EvaluatedTrain) -> frozenset[str]:
    kind = variant.audit.facts.source.kind
    found = {"private": kind != "town", "seasons": kind in ("spring", "dug_well", "surface")}
    return frozenset(word for word, so in found.items() if so)


class _Unit:
    """A stage, and as time passes."""

    def __init__(self, stage: StageRun[Any]):
        self.stage = stage

    @cached_property
    def time(self) -> OverTime[Any]:
        return self.stage.room.over_time(self.stage)


def _rows_of(unit: _Unit, facts: frozenset[str]) -> Iterator[TaskRow]:
    stage = unit.stage
    choices = stage.room.choices(stage.keys) | stage.sizing.params
    iron = stage.water_in.value("iron") > stage.duty.rows["softener"]["iron_counts"]
    known = facts | ({"iron"} if iron else set())
    sections = [stage.kind]
    if stage.room.uses_salt:
        sections.append("brine")
    if stage.sizing.bed is not None and stage.regenerates:
        sections.append("bed")
    for section in sections:
        yield from (row for row in rows(section) if row.applies(choices, known) and (not row.figure or unit.time.has(row.figure)))


def _task(unit: _Unit | None, row: TaskRow) -> Task:
    stage = None if unit is None else unit.stage
    lines: list[Line] = []
    ends: list[tuple[float, float, float, str]] = []
    cap = row.days
    spread = table("upkeep")["spread"]
    if unit is not None and stage is not None and row.figure:
        time = unit.time
        lines += time.lasts(row.figure, row.source)
        found = lines[-1]
        capped = cap is not None and found.value >= cap * 0.99
        basis = "hours" if row.hours_of_figure else "calendar" if capped or not time.uses_up(row.figure, row.load) else "consumption"
        if basis == "consumption":
            given = {
                "days": (found.value, "day"),
                "use_high": (spread["use_high"], "of the design's use"),
                "use_low": (spread["use_low"], "of the design's use"),
            }
            low = work("in a busy year", "days ÷ use_high", "day", "upkeep.use", days=given["days"], use_high=given["use_high"])
            share = _share(stage, row.load) if row.load else 1.0
            high = work(
                "in a careful year",
                "days ÷ (use_low × share)",
                "day",
                "upkeep.use",
                days=given["days"],
                use_low=given["use_low"],
                share=(share, "of the worst-case load"),
            )
            lines += [low, high]
            ends.append((found.value, low.value, high.value, basis))
        else:
            ends.append((found.value, found.value, found.value, basis))
    if row.hours is not None and unit is not None:
        if unit.time.with_flow:
            lines.append(stated("every", "hours of run", row.hours, "hour", row.source))
            return Task(
                _id(stage, row), stage, row, row.hours, row.hours, row.hours, HOUR, "hours", _quantity(unit, row, row.hours, lines), tuple(lines)
            )
        lines.append(work("hours lit", "hours ÷ 24", "day", row.source, hours=(row.hours, "hour")))
        ends.append((lines[-1].value, lines[-1].value, lines[-1].value, "hours"))
    if cap is not None:
        lines.append(stated("at the latest", "days", cap, "day", row.source))
        ends.append((cap, cap, cap, "condition" if row.condition else "calendar"))
    days, _, _, basis = min(ends, key=lambda end: end[0])
    least, most = min(end[1] for end in ends), min(end[2] for end in ends)
    return Task(_id(stage, row), stage, row, days, min(least, days), max(most, days), DAY, basis, _quantity(unit, row, days, lines), tuple(lines))


def _id(stage: StageRun[Any] | None, row: TaskRow) -> str:
    return f"{'site' if stage is None else stage.id}/{row.name}"


def _share(stage: StageRun[Any], load: str) -> float:
    """What the mild end of the water brings of what the adverse end does [-]: by how much the unit changes it, or by what arrives."""
    if load in ("total_chlorine", "free_chlorine"):
        one, other = stage.water_in.value(load), stage.mild_in.value(load)
    else:
        one = abs(stage.water_in.value(load) - stage.water_out.value(load)) or stage.water_in.value(load)
        other = abs(stage.mild_in.value(load) - stage.mild_out.value(load)) or stage.mild_in.value(load)
    return min(max(other / one, 0.2), 1.0) if one > 0 else 1.0


def _quantity(unit: _Unit | None, row: TaskRow, every: float, lines: list[Line]) -> Figure | None:
    """What a task takes, with its working among the lines; None where nothing is bought or filled."""
    if not row.quantity:
        return None
    if unit is None:
        lines.append(stated("tests", "count", 1.0, "1", row.source))
        return Figure(1.0, "1", (lines[-1],))
    line = unit.time.takes(row.quantity, every, row.source)
    if line is None:
        return None
    lines.append(line)
    return Figure(line.value, line.unit, (line,))
