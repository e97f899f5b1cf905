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
    """How the units stand that water can go round, when a step is done: stage id -> service or bypass; empty while there is no water.

    While the lines are flushed all are bypassed. A unit is in service once it is open, one that joins later once it has joined.
    """
    here = found.steps.index(step)
    passed = {each.id for each in found.steps[: here + 1]}
    if "site/restore_main" not in passed:
        return {}
    units = {each.stage.id: each for each in found.steps if each.stage is not None and {"own_way", "shared_way"} & each.occasion}
    return {id: "service" if f"{id}/{'vent_house' if id in found.late else 'open'}" in passed else "bypass" for id in units}


@dataclass(frozen=True, slots=True)
class ShownVessel:
    """A loaded tank, to scale: shell, gravel, medium, the riser; labels beside the layers, from the bottom up."""

    width: float
    height: float
    boxes: tuple[Box, ...]
    labels: tuple[Label, ...]
    said: str


def vessel(step: Step, system: str) -> ShownVessel | None:
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
    count = f"{step.stage.bodies} vessels, each: " if step.stage.bodies > 1 else ""
    return ShownVessel(
        LEFT + wide + WORDS + 210, floor + 10, tuple(boxes), tuple(labels), count + "; ".join(words.replace("\n", ", ") for *_, words in layers)
    )
