"""Runs water through a train, stage by stage, and collects what each one receives, does and costs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from .display import show
from .duty import Duty
from .figure import Figure, figure, work
from .hydraulics import G
from .stages import ROOMS, Room, Sizing, StageKeys
from .water import Water


@dataclass(frozen=True, slots=True)
class Given:
    """A stage as it stands in a train: its kind and keys. ``id`` is unique in the train."""

    kind: str
    keys: StageKeys
    id: str

    @property
    def room(self) -> Room:
        return ROOMS[self.kind]


@dataclass(frozen=True, slots=True)
class StageRun:
    """A stage with water running through it.

    water_in, water_out: at the adverse water; mild_in, mild_out: at the other end of the readings.
    loss_clean, loss_dirty: pressure loss at design flow [kPa].
    """

    index: int
    id: str
    kind: str
    keys: Any
    room: Room
    sizing: Sizing
    water_in: Water
    water_out: Water
    mild_in: Water
    mild_out: Water
    loss_clean: float
    loss_dirty: float

    @property
    def name(self) -> str:
        return self.room.name(self.keys)

    @property
    def said(self) -> str:
        """The name inside a sentence."""
        return self.name if self.name.startswith("UV") else self.name[0].lower() + self.name[1:]

    @property
    def at_tap(self) -> bool:
        """Whether it stands on the branch to the drinking tap."""
        return self.room.at_tap(self.keys)

    @property
    def passes(self) -> Water:
        """The water that flows on to the house: what it treats, or untouched where it stands on a branch."""
        return self.water_in if self.at_tap else self.water_out

    @property
    def mild_passes(self) -> Water:
        return self.mild_in if self.at_tap else self.mild_out

    def why_this_vessel(self, duty: Duty) -> list[str]:
        """The vessels next to the one taken, each with why it was not, in words."""
        system = duty.facts.job.units
        said = []
        for other in self.room.runners_up(self.keys, self.sizing, duty, self.water_in.temperature):
            against = []
            if other.peak is not None:
                against.append(f"passes {show(other.peak, 'L/min', system)} at most")
            if other.wash is not None:
                against.append(f"needs {show(other.wash, 'L/min', system)} to backwash, the source gives {show(duty.wash, 'L/min', system)}")
            if other.holds is not None:
                against.append(f"holds {show(other.holds, 'L media', system)} of medium at most")
            if other.more is not None:
                against.append(f"takes {show(other.more, 'L media', system)} more medium")
            count = f"{other.vessels} × " if other.vessels > 1 else ""
            said.append(f"{count}{other.tank} in: {', '.join(against) or 'would do as well'}")
        return said

    @property
    def regenerates(self) -> bool:
        """Whether it backwashes or regenerates by itself."""
        return "backwash_flow" in self.sizing.figures

    @property
    def drains(self) -> bool:
        """Whether it sends water to a drain: a bed that washes itself, a membrane's reject."""
        return self.regenerates or "reject_flow" in self.sizing.figures


@dataclass(frozen=True, slots=True)
class TrainRun:
    """A whole train with water running through it."""

    stages: tuple[StageRun, ...]
    raw: Water
    finished: Water
    mild_finished: Water
    tap: Water


def name_stages(kinds: Sequence[tuple[str, StageKeys]]) -> list[Given]:
    """Give every stage an id: its own, or its kind with a number where a kind comes twice."""
    taken = {keys.id for _, keys in kinds if keys.id}
    count: dict[str, int] = {}
    given = []
    for kind, keys in kinds:
        name = keys.id
        while name is None:
            count[kind] = count.get(kind, 0) + 1
            candidate = kind if count[kind] == 1 else f"{kind}-{count[kind]}"
            name = candidate if candidate not in taken else None
        taken.add(name)
        given.append(Given(kind, keys, name))
    return given


MOST_REMEMBERED = 5000


class Runner:
    """Runs trains for one duty; remembers what a stage does to a water, so that searching is cheap."""

    def __init__(self, duty: Duty):
        self.duty = duty
        self._sized: dict[tuple[str, Any, Water], tuple[Sizing, Water, float, float]] = {}
        self._other: dict[tuple[str, Any, Water, Water], Water] = {}

    def through(self, kind: str, keys: Any, water: Water) -> tuple[Sizing, Water, float, float]:
        """Size a stage for the water that arrives and treat it: sizing, water out, loss clean and dirty [kPa]."""
        known = (kind, keys, water)
        found = self._sized.get(known)
        if found is None:
            if len(self._sized) > MOST_REMEMBERED:
                self._sized.clear()
                self._other.clear()
            room = ROOMS[kind]
            sizing = room.size(keys, water, self.duty)
            out = room.treat(keys, sizing, water, self.duty)
            found = (sizing, out, *room.loss(keys, sizing, self.duty.flow, water.temperature))
            self._sized[known] = found
        return found

    def as_sized(self, kind: str, keys: Any, sizing: Sizing, sized_for: Water, water: Water) -> Water:
        """What a stage that was sized for one water does to another."""
        known = (kind, keys, sized_for, water)
        found = self._other.get(known)
        if found is None:
            found = self._other[known] = ROOMS[kind].treat(keys, sizing, water, self.duty)
        return found

    def run(self, train: Sequence[Given], adverse: Water, mild: Water) -> TrainRun:
        """The train as it runs on the adverse water, with the mild one beside it."""
        runs: list[StageRun] = []
        here, beside = adverse, mild
        tap: Water | None = None
        for index, stage in enumerate(train):
            sizing, out, clean, dirty = self.through(stage.kind, stage.keys, here)
            mild_out = out if beside == here else self.as_sized(stage.kind, stage.keys, sizing, here, beside)
            runs.append(StageRun(index, stage.id, stage.kind, stage.keys, stage.room, sizing, here, out, beside, mild_out, clean, dirty))
            if stage.room.at_tap(stage.keys):
                tap = out
            else:
                here, beside = out, mild_out
        return TrainRun(tuple(runs), adverse, here, beside, here if tap is None else tap)


@dataclass(frozen=True, slots=True)
class PressurePoint:
    """Pressure [kPa] after a place along the train, units clean and dirty."""

    at: str
    clean: float
    dirty: float


@dataclass(frozen=True, slots=True)
class PressureLine:
    """The falling line of pressure at design flow, and what is left at the highest tap [kPa]."""

    points: tuple[PressurePoint, ...]
    residual_clean: Figure
    residual_dirty: Figure


def pressure_along(run: TrainRun, duty: Duty, pipe: float, losses: Sequence[float]) -> list[float]:
    """Pressure [kPa] at the source, after the pipe, after each unit, and at the highest tap.

    pipe: loss of the pipe; losses: of each unit in order [kPa]. From a roof the water runs to its tank by itself; the pump
    there gives the pressure, and the pipe to the house follows.
    """
    roof = duty.facts.source.kind == "rain" and any(stage.kind == "storage_tank" for stage in run.stages)
    start = 0.0 if roof else duty.supply.pressure_low
    at = start if roof else start - pipe
    line = [start, at]
    for stage, loss in zip(run.stages, losses, strict=True):
        if not stage.at_tap:
            at = stage.room.pressure_after(stage.sizing, at, loss)
        line.append(at)
    return [*line, at - (pipe if roof else 0.0) - duty.supply.height * G]


def pressure_line(run: TrainRun, duty: Duty) -> PressureLine:
    """Pressure from the source's cut-in to the highest tap, at design flow.

    Supply, less pipe and fittings, less each unit, less the height to the highest tap.
    """
    supply, flow, temperature = duty.supply, duty.flow, run.raw.temperature
    pipe, head = supply.pipe.loss(flow, temperature), supply.height * G
    clean_line = pressure_along(run, duty, pipe, [stage.loss_clean for stage in run.stages])
    dirty_line = pressure_along(run, duty, pipe, [stage.loss_dirty for stage in run.stages])
    points = [
        PressurePoint(*each) for each in zip(("source", "pipe", *(stage.id for stage in run.stages), "house"), clean_line, dirty_line, strict=True)
    ]
    clean, dirty = clean_line[-1] + head, dirty_line[-1] + head

    def residual(units: float, at_house: float) -> Figure:
        added = at_house - (supply.pressure_low - pipe - units)
        return figure(
            work("height", "h × 9.807", head, "kPa", "hydraulics.static", h=(supply.height, "m")),
            work("left at the highest tap", "cut_in + added − pipe − units − height", at_house - head, "kPa", "hydraulics.residual",
                 cut_in=(supply.pressure_low, "kPa"), added=(added, "kPa by pumps, tanks and valves"), pipe=(pipe, "kPa"), units=(units, "kPa"), height=(head, "kPa")),
        )  # fmt: skip

    return PressureLine(
        tuple(points),
        residual(sum(stage.loss_clean for stage in run.stages if not stage.at_tap), clean),
        residual(sum(stage.loss_dirty for stage in run.stages if not stage.at_tap), dirty),
    )
