"""Drawings of a design as files that stand alone: what is frozen with an issued design, and printed from there."""

from __future__ import annotations

from typing import NamedTuple

from django.template.loader import render_to_string

from treatment.design import Design
from treatment.drawing.train.view import draw_train
from treatment.drawing.wall.compose import compose
from treatment.drawing.wall.view import view

from .svg_style import svg_style

#: what a drawing has on a page of a paper, across and down [mm]
ROOM = (178.0, 190.0)


class Drawn(NamedTuple):
    """A train and a wall as SVG; scale: of the wall."""

    train: str
    wall: str
    scale: int


def drawn(design: Design) -> Drawn:
    """The drawings of a design's train, and of its wall to scale on the sheet of the job's system."""
    variant, system = design.chosen, design.facts.job.units
    wall = compose(design, variant)
    front = view(wall, variant, system).front()
    scale = front.scale_for(*ROOM, system)
    train = render_to_string("issues/train.svg", {"drawing": draw_train(design, variant, system), "style": svg_style("train")})
    shown = {
        "view": front,
        "style": svg_style("wall"),
        "size": front.on_paper(scale),
        "names": {unit.id: unit.name for unit in wall.units},
        "wall": wall,
    }
    return Drawn(train, render_to_string("issues/wall.svg", shown), int(scale))
