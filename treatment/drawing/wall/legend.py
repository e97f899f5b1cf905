"""What the signs on a wall mean: those that stand on this wall, each drawn as it is drawn there."""

from __future__ import annotations

from dataclasses import dataclass

from ...wall.parts import Fitting, Wall
from ..shapes import DrawnLine
from .view import small_shapes, valve_shapes

WORDS = {
    ("valve", True): "valve, open: handle in line with the pipe", ("valve", False): "valve, shut: handle across the pipe", ("union", True): "union, to take the unit out",
    ("restrictor", True): "flow restrictor", ("sample_tap", True): "sample tap", ("gauge", True): "pressure gauge",
    ("air_gap", True): "drain with an air gap", ("outlet", True): "outlet, above the pipe",
}  # fmt: skip
PIPES = {
    "main": "main pipe",
    "leg": "pipe to and from a unit",
    "bypass": "bypass",
    "tap": "branch to a drinking tap",
    "raw": "raw water to the outdoor taps",
    "metal": "metal pipe at the lamp",
    "drain": "drain line, along the wall and past the back of the vessels",
    "brine": "brine line",
    "overflow": "overflow of the brine tank, by gravity",
}
FRAME = (-85.0, -85.0, 170.0, 170.0)
"""The part of the picture a sign is shown in: x, y, width, height [mm of the wall]."""


@dataclass(frozen=True, slots=True)
class LegendSign:
    """A sign: its lines about the origin, and what it means."""

    lines: tuple[DrawnLine, ...]
    words: str


def legend(wall: Wall) -> tuple[LegendSign, ...]:
    """The signs that stand on a wall, pipes first."""
    roles = {run.role for run in wall.runs}
    signs = [LegendSign((DrawnLine("M-80 0H80", f"run-{role}"),), words) for role, words in PIPES.items() if role in roles]
    stand = {(fitting.kind, fitting.open) for fitting in wall.fittings}
    for (kind, is_open), words in WORDS.items():
        if (kind, is_open) in stand:
            signs.append(LegendSign(_shapes(Fitting(kind, 0.0, 0.0, "h", "", open=is_open)), words))
    return tuple(signs)


def _shapes(fitting: Fitting) -> tuple[DrawnLine, ...]:
    drop = -90.0 if fitting.kind == "air_gap" else 0.0
    shift = 50.0 if fitting.kind == "gauge" else 0.0
    moved = Fitting(fitting.kind, shift, 0.0, "h", "", open=fitting.open)
    pipe = () if fitting.kind in ("air_gap", "outlet") else (DrawnLine("M-80 0H80", "run-main"),)
    shapes = valve_shapes(moved, lambda z: -z) if fitting.kind == "valve" else small_shapes(moved, lambda z: drop - z)
    return (*pipe, *shapes)
