"""The shapes of the treatments, to scale, standing on the floor line."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ...language.tables import table
from ...train.treatment import StageRun
from ..shapes import Box, DrawnLine, n, path

Shape = Box | DrawnLine


@dataclass(frozen=True, slots=True)
class Silhouette:
    """A drawn treatment: its shapes, and where the pipe enters and leaves it (x, y)."""

    shapes: tuple[Shape, ...]
    inlet: tuple[float, float]
    outlet: tuple[float, float]


def silhouette(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """Draw a stage about ``middle`` on ``floor``; scale: picture units per mm; room: width it may take."""
    shape = stage.room.silhouette
    if stage.sizing.bed is None and shape == "vessel":
        shape = "cartridge"
    elif stage.sizing.bed is not None and shape == "cartridge":
        shape = "vessel"
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
        DrawnLine(shell, "shell"),
        DrawnLine(bed, f"bed bed-{medium}"),
        Box(x + width / 2 - max(width * 0.34, 8), top - head, max(width * 0.68, 16), head + 2, "head", 3),
    ]


def _vessels(
    stage: StageRun[Any], middle: float, floor: float, scale: float, room: float, beside: float = 0.0
) -> tuple[list[Shape], float, float, float]:
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
        shapes.insert(0, DrawnLine(path((left + width / 2, y), (right - width / 2, y)), "pipe"))
    return shapes, left + width / 2 - max(width * 0.34, 8), right - width / 2 + max(width * 0.34, 8), y


def vessel(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> Silhouette:
    shapes, left, right, y = _vessels(stage, middle, floor, scale, room)
    return Silhouette(tuple(shapes), (left, y), (right, y))


def vessel_brine(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> Silhouette:
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


def cartridge(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """A cartridge housing on the wall: cap above, sump below."""
    width_mm, height_mm, foot = stage.body
    width, height = max(width_mm * scale, 13.0), height_mm * scale
    cap = max(12.0, height * 0.16)
    bottom, left = floor - foot * scale, middle - width / 2
    top = bottom - height
    r = width * 0.42
    inner, outer = left + 1.5, left + width - 1.5
    sump = f"M{n(inner)} {n(top + cap)}V{n(bottom - r)}Q{n(inner)} {n(bottom)} {n(middle)} {n(bottom)}Q{n(outer)} {n(bottom)} {n(outer)} {n(bottom - r)}V{n(top + cap)}Z"
    shapes: list[Shape] = [
        DrawnLine(sump, "shell"),
        Box(
            left + width * 0.24,
            top + cap + 2,
            width * 0.52,
            height - cap - r * 0.7 - 3,
            "element" if stage.room.answers == ("turbidity", "tss") else "bed bed-air-charged",
            2,
        ),
        Box(left - 2, top, width + 4, cap, "head", 3),
    ]
    y = top + cap / 2
    return Silhouette(tuple(shapes), (left - 2, y), (left + width + 2, y))


def lamp(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """A lamp chamber, upright, water in below and out above."""
    _, length, foot = stage.body
    width, height = 17.0, length * scale
    bottom, left = floor - foot * scale, middle - 8.5
    top = bottom - height
    shapes: list[Shape] = [
        Box(left, top, width, height, "chamber", 5),
        Box(middle - 2.5, top + 7, 5, height - 14, "light", 2.5),
        Box(left + 3, top - 7, width - 6, 8, "head", 2),
    ]
    return Silhouette(tuple(shapes), (left, bottom - 12), (left + width, top + 14))


def _frame(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> tuple[float, float, float, float]:
    """Left, top, width and height of a body about ``middle``, not wider than its room."""
    width_mm, height_mm, foot = stage.body
    width, height = min(max(width_mm * scale, 12.0), room), max(height_mm * scale, 16.0)
    return middle - width / 2, floor - foot * scale - height, width, height


def tank(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """A standing tank: domed lid, water inside, in above and out below."""
    left, top, width, height = _frame(stage, middle, floor, scale, room)
    dome = min(width * 0.22, 14.0)
    shell = f"M{n(left)} {n(floor)}V{n(top + dome)}Q{n(left)} {n(top)} {n(middle)} {n(top)}Q{n(left + width)} {n(top)} {n(left + width)} {n(top + dome)}V{n(floor)}Z"
    shapes: list[Shape] = [
        DrawnLine(shell, "shell"),
        Box(left + 2, top + height * 0.28, width - 4, height * 0.72 - 2, "stored", 2),
        Box(middle - 6, top - 4, 12, 5, "head", 1.5),
    ]
    return Silhouette(tuple(shapes), (left, top + dome + 6), (left + width, floor - 10))


def feeder(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """A solution tank with its metering pump on the lid, feeding into the pipe that runs above it."""
    left, top, width, height = _frame(stage, middle, floor, scale, room)
    shapes: list[Shape] = [
        Box(left, top, width, height, "brine", 3),
        Box(left + 2, top + height * 0.4, width - 4, height * 0.6 - 2, "solution", 2),
        Box(middle - 8, top - 12, 16, 13, "head", 2),
        DrawnLine(path((middle, top - 12), (middle, 40.0)), "dosing"),
        DrawnLine(f"M{n(middle - 4)} 48L{n(middle)} 40L{n(middle + 4)} 48", "dosing"),
    ]
    return Silhouette(tuple(shapes), (middle - 12, 40.0), (middle + 12, 40.0))


def diverter(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """A standing pipe that takes the first water of a rain, with its ball and its small drain."""
    left, top, width, height = _frame(stage, middle, floor, scale, room)
    shapes: list[Shape] = [
        Box(left, top, width, height, "shell", 3),
        Box(left + 2, top + height * 0.35, width - 4, height * 0.65 - 2, "silt", 2),
        DrawnLine(path((middle, top + height), (middle, floor)), "dosing"),
    ]
    return Silhouette(tuple(shapes), (left, top + 6), (left + width, top + 6))


def pump(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """A pump on its foot: round casing, motor behind."""
    size = 30.0
    left, top = middle - size / 2 - 8, floor - 34.0
    r, y = 13.0, floor - 20.0
    casing = f"M{n(left + r * 2)} {n(y)}A{n(r)} {n(r)} 0 1 1 {n(left)} {n(y)}A{n(r)} {n(r)} 0 1 1 {n(left + r * 2)} {n(y)}Z"
    shapes: list[Shape] = [
        Box(left + r * 1.6, top + 5, 30, 20, "head", 3),
        DrawnLine(casing, "shell"),
        DrawnLine(f"M{n(left + 8)} {n(y + 6)}L{n(left + r * 2 - 5)} {n(y)}L{n(left + 8)} {n(y - 6)}Z", "head"),
        Box(left - 2, floor - 6, 54, 6, "lid", 1),
    ]
    return Silhouette(tuple(shapes), (left, y), (left + r * 2 + 24, top + 5))


def valve(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """A pressure-reducing valve: a body in the pipe with its bonnet."""
    y = 40.0 + 36.0
    shapes: list[Shape] = [
        DrawnLine(f"M{n(middle - 13)} {n(y - 8)}L{n(middle + 13)} {n(y + 8)}V{n(y - 8)}L{n(middle - 13)} {n(y + 8)}Z", "shell"),
        Box(middle - 5, y - 21, 10, 18, "head", 4),
    ]
    return Silhouette(tuple(shapes), (middle - 13, y), (middle + 13, y))


def membrane(stage: StageRun[Any], middle: float, floor: float, scale: float, room: float) -> Silhouette:
    """A membrane rack: pressure tubes lying in a frame, the prefilters below."""
    left, top, width, height = _frame(stage, middle, floor, scale, room)
    foot = floor - (top + height)
    shapes: list[Shape] = [Box(left, top, width, height, "shell", 2)]
    tubes = 3
    for i in range(tubes):
        shapes.append(Box(left + 4, top + 6 + i * (height * 0.5 / tubes), width - 8, max(height * 0.5 / tubes - 4, 4), "membrane", 3))
    for i in range(3):
        shapes.append(Box(left + 5 + i * (width - 10) / 3, top + height * 0.6, (width - 10) / 3 - 3, height * 0.34, "element", 2))
    if foot > 20:
        shapes.append(DrawnLine(path((left, top + height), (left + width, top + height)), "dosing"))
    return Silhouette(tuple(shapes), (left, top + 10), (left + width, top + 10))


DRAWN: dict[str, Callable[[StageRun[Any], float, float, float, float], Silhouette]] = {
    "vessel": vessel, "vessel_brine": vessel_brine, "cartridge": cartridge, "lamp": lamp, "tank": tank, "feeder": feeder, "diverter": diverter,
    "pump": pump, "valve": valve, "membrane": membrane,
}  # fmt: skip
