"""Runs water through a train, stage by stage, and collects what each one receives, does and costs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from .duty import Duty
from .figure import Figure, figure, work
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
    def regenerates(self) -> bool:
        """Whether it backwashes or regenerates by itself."""
        return "backwash_flow" in self.sizing.figures


@dataclass(frozen=True, slots=True)
class TrainRun:
    """A whole train with water running through it."""

    stages: tuple[StageRun, ...]
    raw: Water
    finished: Water
    mild_finished: Water


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
        self._mild: dict[tuple[str, Any, Water, Water], Water] = {}

    def through(self, kind: str, keys: Any, water: Water) -> tuple[Sizing, Water, float, float]:
        """Size a stage for the water that arrives and treat it: sizing, water out, loss clean and dirty [kPa]."""
        known = (kind, keys, water)
        found = self._sized.get(known)
        if found is None:
            if len(self._sized) > MOST_REMEMBERED:
                self._sized.clear()
                self._mild.clear()
            room = ROOMS[kind]
            sizing = room.size(keys, water, self.duty)
            out = room.treat(keys, sizing, water, self.duty)
            found = (sizing, out, *room.loss(keys, sizing, self.duty.flow, water.temperature))
            self._sized[known] = found
        return found

    def run(self, train: Sequence[Given], adverse: Water, mild: Water) -> TrainRun:
        """The train as it runs on the adverse water, with the mild one beside it."""
        runs: list[StageRun] = []
        here, beside = adverse, mild
        for index, stage in enumerate(train):
            sizing, out, clean, dirty = self.through(stage.kind, stage.keys, here)
            known = (stage.kind, stage.keys, here, beside)
            if beside == here:
                mild_out = out
            elif known in self._mild:
                mild_out = self._mild[known]
            else:
                mild_out = self._mild[known] = stage.room.treat(stage.keys, sizing, beside, self.duty)
            runs.append(StageRun(index, stage.id, stage.kind, stage.keys, stage.room, sizing, here, out, beside, mild_out, clean, dirty))
            here, beside = out, mild_out
        return TrainRun(tuple(runs), adverse, here, beside)


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


def pressure_line(run: TrainRun, duty: Duty) -> PressureLine:
    """Pressure from the source's cut-in to the highest tap, at design flow.

    Supply, less pipe and fittings, less each unit, less the height to the highest tap.
    """
    supply, flow, temperature = duty.supply, duty.flow, run.raw.temperature
    pipe = supply.pipe.loss(flow, temperature)
    points = [PressurePoint("source", supply.pressure_low, supply.pressure_low)]
    clean = dirty = supply.pressure_low - pipe
    points.append(PressurePoint("pipe", clean, dirty))
    for stage in run.stages:
        clean, dirty = clean - stage.loss_clean, dirty - stage.loss_dirty
        points.append(PressurePoint(stage.id, clean, dirty))
    head = supply.height * 9.80665
    points.append(PressurePoint("house", clean - head, dirty - head))

    def residual(units: float) -> Figure:
        return figure(
            work("height", "h × 9.807", head, "kPa", "hydraulics.static", h=(supply.height, "m")),
            work("left at the highest tap", "cut_in − pipe − units − height", supply.pressure_low - pipe - units - head, "kPa", "hydraulics.residual",
                 cut_in=(supply.pressure_low, "kPa"), pipe=(pipe, "kPa"), units=(units, "kPa"), height=(head, "kPa")),
        )  # fmt: skip

    return PressureLine(
        tuple(points),
        residual(sum(stage.loss_clean for stage in run.stages)),
        residual(sum(stage.loss_dirty for stage in run.stages)),
    )
