"""The shapes of the treatments, to scale, standing on the floor line."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ..tables import table
from ..train import StageRun
from .shapes import Box, Line, n, path

Shape = Box | Line


@dataclass(frozen=True, slots=True)
class Silhouette:
    """A drawn treatment: its shapes, and where the pipe enters and leaves it (x, y)."""

    shapes: tuple[Shape, ...]
    inlet: tuple[float, float]
    outlet: tuple[float, float]


def silhouette(stage: StageRun, middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """Draw a stage about ``middle`` on ``floor``; scale: picture units per mm; room: width it may take."""
    shape = "cartridge" if stage.sizing.bed is None and stage.room.silhouette == "vessel" else stage.room.silhouette
    return DRAWN[shape](stage, middle, floor, scale, room)


def _vessel_shapes(x: float, floor: float, width: float, height: float, head: float, fill: float, medium: str) -> list[Shape]:
    """One pressure vessel with domed ends, its bed and its valve head; x is its left edge."""
    top, dome = floor - height, min(width * 0.32, height * 0.12)
    shell = (
        f"M{n(x)} {n(top + dome)}C{n(x)} {n(top)} {n(x + width)} {n(top)} {n(x + width)} {n(top + dome)}V{n(floor - dome)}"
        f"C{n(x + width)} {n(floor)} {n(x)} {n(floor)} {n(x)} {n(floor - dome)}Z"
    )
    inset = 2.5
    left, right, low = x + inset, x + width - inset, floor - inset
    level = max(low - (height - 2 * inset) * fill, top + dome)
    bed = f"M{n(left)} {n(level)}H{n(right)}V{n(low - dome * 0.9)}C{n(right)} {n(low)} {n(left)} {n(low)} {n(left)} {n(low - dome * 0.9)}Z"
    return [
        Line(shell, "shell"),
        Line(bed, f"bed bed-{medium}"),
        Box(x + width / 2 - max(width * 0.34, 8), top - head, max(width * 0.68, 16), head + 2, "head", 3),
    ]


def _vessels(stage: StageRun, middle: float, floor: float, scale: float, room: float, beside: float = 0.0) -> tuple[list[Shape], float, float, float]:
    """The vessels of a bed side by side, with ``beside`` left free at the right: shapes, left, right, head height."""
    bed = stage.sizing.bed
    assert bed is not None
    gap = 5.0
    width = min(bed.diameter * 1000 * scale, (room - beside - gap * (bed.vessels - 1)) / bed.vessels)
    height = bed.height * 1000 * scale
    head = max(table("vessels")["valve_in"] * 25.4 * scale, 12.0)
    total = width * bed.vessels + gap * (bed.vessels - 1) + (beside + gap if beside else 0.0)
    left = middle - total / 2
    fill = min(bed.depth / bed.height, 0.92)
    shapes: list[Shape] = []
    for i in range(bed.vessels):
        shapes += _vessel_shapes(left + i * (width + gap), floor, width, height, head, fill, bed.medium.key.replace("_", "-"))
    right = left + width * bed.vessels + gap * (bed.vessels - 1)
    y = floor - height - head / 2
    if bed.vessels > 1:
        shapes.insert(0, Line(path((left + width / 2, y), (right - width / 2, y)), "pipe"))
    return shapes, left + width / 2 - max(width * 0.34, 8), right - width / 2 + max(width * 0.34, 8), y


def vessel(stage: StageRun, middle: float, floor: float, scale: float, room: float) -> Silhouette:
    shapes, left, right, y = _vessels(stage, middle, floor, scale, room)
    return Silhouette(tuple(shapes), (left, y), (right, y))


def vessel_brine(stage: StageRun, middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """A softener: its vessels and the brine tank beside them."""
    brine = table("vessels")["brine_tank_mm"]
    width, height = min(brine["width"] * scale, room * 0.45), brine["height"] * scale
    shapes, left, right, y = _vessels(stage, middle, floor, scale, room, beside=width)
    edge = max(shape.right for shape in shapes if isinstance(shape, Box))
    bed = stage.sizing.bed
    assert bed is not None
    x = max(edge, middle) + 5 if bed.vessels == 1 else right + 6
    x = min(x, middle + room / 2 - width)
    salt = height * 0.55
    shapes += [
        Box(x, floor - height, width, height, "brine", 3),
        Box(x + 2, floor - salt, width - 4, salt - 2, "salt", 2),
        Box(x - 1, floor - height - 3, width + 2, 4, "lid", 1.5),
    ]
    return Silhouette(tuple(shapes), (left, y), (right, y))


def cartridge(stage: StageRun, middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """A cartridge housing on the wall: cap above, sump below."""
    width_mm, height_mm, foot = stage.room.body(stage.keys, stage.sizing)
    width, height = max(width_mm * scale, 13.0), height_mm * scale
    cap = max(12.0, height * 0.16)
    bottom, left = floor - foot * scale, middle - width / 2
    top = bottom - height
    r = width * 0.42
    sump = f"M{n(left + 1.5)} {n(top + cap)}V{n(bottom - r)}Q{n(left + 1.5)} {n(bottom)} {n(middle)} {n(bottom)}Q{n(left + width - 1.5)} {n(bottom)} {n(left + width - 1.5)} {n(bottom - r)}V{n(top + cap)}Z"
    shapes: list[Shape] = [
        Line(sump, "shell"),
        Box(
            left + width * 0.24,
            top + cap + 2,
            width * 0.52,
            height - cap - r * 0.7 - 3,
            "element" if stage.kind == "sediment" else "bed bed-air-charged",
            2,
        ),
        Box(left - 2, top, width + 4, cap, "head", 3),
    ]
    y = top + cap / 2
    return Silhouette(tuple(shapes), (left - 2, y), (left + width + 2, y))


def lamp(stage: StageRun, middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """A lamp chamber, upright, water in below and out above."""
    _, length, foot = stage.room.body(stage.keys, stage.sizing)
    width, height = 17.0, length * scale
    bottom, left = floor - foot * scale, middle - 8.5
    top = bottom - height
    shapes: list[Shape] = [
        Box(left, top, width, height, "chamber", 5),
        Box(middle - 2.5, top + 7, 5, height - 14, "light", 2.5),
        Box(left + 3, top - 7, width - 6, 8, "head", 2),
    ]
    return Silhouette(tuple(shapes), (left, bottom - 12), (left + width, top + 14))


DRAWN: dict[str, Callable[[StageRun, float, float, float, float], Silhouette]] = {
    "vessel": vessel, "vessel_brine": vessel_brine, "cartridge": cartridge, "lamp": lamp,
}  # fmt: skip
