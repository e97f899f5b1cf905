"""Drawings beside a step: the bypasses as they stand then, and a vessel with its layers in the order in which they go in."""

from __future__ import annotations

from dataclasses import dataclass

from ..drawing.shapes import Box, Label
from ..language.display import show
from ..language.tables import table
from .sheet import Sheet
from .step import Step

#: height of a drawn shell, and where its labels stand [px]
SHELL, TOP, LEFT, WORDS = 200.0, 26.0, 12.0, 16.0
INCH = 0.0254


def states(found: Sheet, step: Step) -> dict[str, str]:
    """How the units that can be bypassed stand when a step is done: stage id -> service or bypass; empty where it shows no wall.

    While the lines are flushed all are bypassed; a unit is opened after those before it; one that soaks in bypass stays there.
    """
    if step.row.shows not in ("bypass", "opened", "soaking"):
        return {}
    bypassed = [each.stage for each in found.steps if each.row.verb == "open" and each.stage is not None and each.stage.room.bypassed]
    if step.row.shows == "bypass" or step.stage is None:
        return {stage.id: "bypass" for stage in bypassed}
    at = step.stage.index if step.row.shows == "opened" else step.stage.index - 1
    return {stage.id: "service" if stage.index <= at else "bypass" for stage in bypassed}


@dataclass(frozen=True, slots=True)
class Vessel:
    """A loaded tank, to scale: shell, gravel, medium, the riser; labels beside the layers, from the bottom up."""

    width: float
    height: float
    boxes: tuple[Box, ...]
    labels: tuple[Label, ...]
    said: str


def vessel(step: Step, system: str) -> Vessel | None:
    """The vessel that a step loads; None for any other step."""
    if step.row.shows != "vessel" or step.stage is None or step.stage.sizing.bed is None:
        return None
    bed = step.stage.sizing.bed
    scale, wide = SHELL / bed.height, bed.diameter / bed.height * SHELL
    gravel, depth = float(table("vessels")["underbed_in"]) * INCH, bed.depth
    floor = TOP + SHELL
    layers = (
        ("gravel", 0.0, gravel, f"Gravel to just above the basket, {show(gravel * 1000, 'mm', system)}"),
        (
            f"bed bed-{bed.medium.key.replace('_', '-')}",
            gravel,
            depth,
            f"{bed.medium.name}\n{show(bed.volume, 'L media', system)}, {show(depth * 1000, 'mm', system)} deep",
        ),
        ("free", gravel + depth, bed.height - gravel - depth, f"Freeboard, {show((bed.height - gravel - depth) * 1000, 'mm', system)}"),
    )
    boxes = [Box(LEFT, TOP, wide, SHELL, "shell", min(wide, SHELL) / 6)]
    labels = []
    for role, foot, height, words in layers:
        if role != "free":
            boxes.append(Box(LEFT + 2, floor - (foot + height) * scale, wide - 4, height * scale - (2 if not foot else 0), role, 2))
        for line, text in enumerate(words.split("\n")):
            labels.append(Label(LEFT + wide + WORDS, floor - (foot + height / 2) * scale + 4 + 15 * line, text, "words", "start"))
    riser = max(wide / 14, 2.0)
    boxes.append(Box(LEFT + wide / 2 - riser / 2, TOP - 10, riser, SHELL + 4, "riser"))
    labels.append(Label(LEFT + wide + WORDS, TOP - 6, "Riser, capped while it is loaded", "words", "start"))
    count = f"{bed.vessels} vessels, each: " if bed.vessels > 1 else ""
    return Vessel(
        LEFT + wide + WORDS + 210, floor + 10, tuple(boxes), tuple(labels), count + "; ".join(words.replace("\n", ", ") for *_, words in layers)
    )
