"""Points of the field: each train with what people choose by, and which of them nothing beats."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import cached_property
from typing import Any

from .. import ENGINE
from ..design import Design
from ..language.figure import rounded
from ..language.memory import uncollected
from ..language.schema import array, obj
from ..papers.compared import priced
from ..papers.costs import ChosenBy
from ..planning.evaluated import EvaluatedTrain
from ..train.treatment import name_stages
from .trains import Train, as_typed, most_tried, tried

FORMAT = "cairn-choices/1"
AXES = ("first", "total", "salt", "drain_water", "wall", "upkeep_hours")


@dataclass(frozen=True)
class Point:
    """A train of the job with what it costs and takes. names: of its stages, for people; residual: pressure left at the highest tap with dirty units [kPa]."""

    id: str
    train: Train
    names: tuple[str, ...]
    choice: ChosenBy
    residual: float
    dangers: frozenset[tuple[str, str]]
    faults: frozenset[tuple[str, str]]
    cautions: int

    @cached_property
    def axes(self) -> tuple[Decimal | float, ...]:
        """What it is on each axis as it is printed: lower is better."""
        found = self.choice
        return (found.first, found.total, *(rounded(getattr(found, name)) for name in AXES[2:]))


@dataclass(frozen=True)
class Field:
    """All points of a job. unbeaten: those that no other is as good as on every axis and better on one; left_out: by the limit."""

    points: tuple[Point, ...]
    unbeaten: frozenset[str]
    left_out: int
    proposal: str
    given: str

    def as_json(self) -> dict[str, Any]:
        """As ``cairn-choices/1`` prints it."""
        return {
            "format": FORMAT,
            "engine": ENGINE,
            "points": [self._point(point) for point in self.points],
            "axes": list(AXES),
            "left_out": self.left_out,
        }

    def _point(self, point: Point) -> dict[str, Any]:
        figures = point.choice.as_json()
        return {
            "id": point.id, "train": as_typed(point.train), **{name: figures[name] for name in AXES},
            "residual_dirty": {"value": rounded(point.residual), "unit": "kPa"}, "dangers": len(point.dangers), "faults": len(point.faults),
            "cautions": point.cautions, "unbeaten": point.id in self.unbeaten,
        }  # fmt: skip


@dataclass(frozen=True)
class Audited:
    """A train that was run and audited, before it is priced."""

    id: str
    variant: EvaluatedTrain
    dangers: frozenset[tuple[str, str]]
    faults: frozenset[tuple[str, str]]
    cautions: int


class Choosing:
    """The field of a job as it is worked out, a train at a time: each is run and audited, then the sound ones are priced."""

    def __init__(self, design: Design):
        self.design, self.points = design, list[Point]()
        self.tried = 0
        self.proposal = self.given = ""
        self._trains: Iterator[Train] | None = tried(design, max(most_tried(), 1))
        self._found: list[Audited] = []
        self._sound: list[Audited] | None = None

    @property
    def left(self) -> bool:
        """Whether there is more to do."""
        return self._sound is None or bool(self._sound)

    def step(self) -> None:
        """Run and audit one more train; after the last, price one that is sound."""
        if self._trains is not None:
            train = next(self._trains, None)
            if train is not None:
                self.tried += 1
                self._found.append(_audited(self.design, train, f"{self.tried}"))
                return
            self._trains = None
        if self._sound is None:
            self.proposal = _id_of(self._found, self.design.proposal)
            self.given = _id_of(self._found, self.design.chosen) if self.design.given else ""
            self._sound, self._found = _sound(self._found, {self.proposal, self.given})[::-1], []
        if self._sound:
            self.points.append(_point(self._sound.pop()))

    @cached_property
    def field(self) -> Field:
        """All of it, once nothing is left: the proposal and the given train, the unbeaten, then by total."""
        best, first = unbeaten(self.points), (self.proposal, self.given)
        points = sorted(self.points, key=lambda point: (point.id not in first, point.id not in best, point.choice.total, int(point.id)))
        return Field(tuple(points), best, 0, self.proposal, self.given)


@uncollected()
def field_of(design: Design, limit: int = 500) -> Field:
    """Run, audit and price the trains of a job. limit: points that are kept: the proposal, the unbeaten, then by total."""
    choosing = Choosing(design)
    while choosing.left:
        choosing.step()
    found = choosing.field
    return replace(found, points=found.points[:limit], left_out=max(len(found.points) - limit, 0))


def _audited(design: Design, train: Train, id: str) -> Audited:
    variant = design.variant(name_stages(train))
    findings = [each for each in variant.findings if not each.waived]
    grave = {severity: frozenset((each.rule, each.stage or "") for each in findings if each.severity == severity) for severity in ("danger", "fault")}
    return Audited(id, variant, grave["danger"], grave["fault"], sum(each.severity == "caution" for each in findings))


def _point(found: Audited) -> Point:
    variant = found.variant
    return Point(
        found.id,
        variant.train,
        tuple(stage.name for stage in variant.run.stages),
        priced(variant).choice,
        variant.pressure.residual_dirty.value,
        found.dangers,
        found.faults,
        found.cautions,
    )


def _id_of(points: Sequence[Audited], variant: EvaluatedTrain) -> str:
    named = tuple(name_stages(variant.train))
    return next(point.id for point in points if tuple(point.variant.train) == named)


def _sound(points: list[Audited], kept: set[str]) -> list[Audited]:
    """Those without a danger or fault of their own, one that is not on every point; all where none is without. The job's own train stays."""
    common_dangers = frozenset.intersection(*(point.dangers for point in points))
    common_faults = frozenset.intersection(*(point.faults for point in points))
    good = {point.id for point in points if point.dangers <= common_dangers and point.faults <= common_faults}
    return [point for point in points if point.id in good | kept] if good else points


def unbeaten(points: Sequence[Point]) -> frozenset[str]:
    """Points that no other is as good as on every axis and better on one: lower is better."""
    found = []
    for point in points:
        one = point.axes
        beats = any(other.axes != one and all(b <= a for a, b in zip(one, other.axes, strict=True)) for other in points if other is not point)
        if not beats:
            found.append(point.id)
    return frozenset(found)


def choices_schema() -> dict[str, Any]:
    """The JSON Schema of ``cairn-choices/1``."""
    text, number = {"type": "string"}, {"type": "number"}
    amount = {"type": "string", "pattern": r"^\d+\.\d\d$"}
    measure = {"$ref": "#/$defs/measure"}
    point = obj({
        "id": text, "train": array({"type": "object"}), "first": amount, "total": amount, **dict.fromkeys(AXES[2:], measure), "residual_dirty": measure,
        "dangers": {"type": "integer"}, "faults": {"type": "integer"}, "cautions": {"type": "integer"}, "unbeaten": {"type": "boolean"},
    })  # fmt: skip
    whole = obj({"format": {"const": FORMAT}, "engine": text, "points": array(point), "axes": {"const": list(AXES)}, "left_out": {"type": "integer"}})
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "$defs": {"measure": obj({"value": number, "unit": text})}} | whole
