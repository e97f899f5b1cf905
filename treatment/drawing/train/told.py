"""The train told from top to bottom, for a narrow screen: each stage with what it changes, and the pressure that is left behind it."""

from __future__ import annotations

from dataclasses import dataclass

from ...design import Design
from ...language.analytes import shown_in
from ...planning.evaluated import EvaluatedTrain
from .view import Column, TrainDrawing

MOST_CHANGES = 5
CHANGED = 0.03  # share below which a value counts as unchanged
HALF, TOP = 46.0, 34.0  # half the width of the part of a column that is shown, and where it begins, in picture units


@dataclass(frozen=True, slots=True)
class ChangeTold:
    """An analyte before and behind a stage, at the adverse water, canonical unit."""

    analyte: str
    before: float
    after: float


@dataclass(frozen=True, slots=True)
class ToldStage:
    """column: its shapes in the drawing, of which ``frame`` is the part to show (x, y, width, height); purpose: what it does here;

    changes: what it changes most; clean, dirty: pressure behind it [kPa].
    """

    column: Column
    frame: tuple[float, float, float, float]
    purpose: str
    changes: tuple[ChangeTold, ...]
    clean: float
    dirty: float


@dataclass(frozen=True, slots=True)
class ToldTrain:
    """source, house: the values of the ribbons before and behind the train; start, left: pressure at the source and at the highest tap [kPa]."""

    source: tuple[tuple[str, float], ...]
    stages: tuple[ToldStage, ...]
    house: tuple[tuple[str, float], ...]
    start: float
    left_clean: float
    left_dirty: float


def told(design: Design, variant: EvaluatedTrain, drawing: TrainDrawing, system: str) -> ToldTrain:
    """The train as a list, with the figures that its drawing shows as ribbons and line."""
    points = variant.pressure.points
    shown = [ribbon.analyte for ribbon in drawing.ribbons]
    rows = []
    for column, stage, point in zip(drawing.columns, variant.run.stages, points[2:], strict=False):
        before, after = stage.water_in.known(), stage.water_out.known()
        changed = [name for name in (*shown, *shown_in("sheet")) if name in before and name in after and _changed(before[name], after[name])]
        changes = tuple(ChangeTold(name, before[name], after[name]) for name in dict.fromkeys(changed))
        frame = (column.middle - HALF, TOP, 2 * HALF, drawing.floor - TOP + 4)
        rows.append(
            ToldStage(column, frame, stage.room.does(stage.water_in, stage.water_out, system), changes[:MOST_CHANGES], point.clean, point.dirty)
        )
    first, last = design.evidence.adverse.known(), variant.run.finished.known()
    return ToldTrain(
        tuple((name, first[name]) for name in shown if name in first),
        tuple(rows),
        tuple((name, last[name]) for name in shown if name in last),
        points[0].clean,
        variant.pressure.residual_clean.value,
        variant.pressure.residual_dirty.value,
    )


def _changed(before: float, after: float) -> bool:
    return abs(after - before) > CHANGED * max(abs(before), CHANGED)
