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
    """A train and a wall as SVG, the wall also with the water going round its units, and with all shut; scale: of the wall.

    bypass: empty where nothing can be gone round.
    """

    train: str
    wall: str
    scale: int
    bypass: str
    shut: str


def drawn(design: Design) -> Drawn:
    """The drawings of a design's train, and of its wall to scale on the sheet of the job's system."""
    variant, system = design.chosen, design.facts.job.units
    wall = compose(design, variant)
    scale = int(view(wall, variant, system).front().scale_for(*ROOM, system))
    train = render_to_string("issues/train.svg", {"drawing": draw_train(design, variant, system), "style": svg_style("train")})
    states: dict[str, dict[str, str]] = {state: {unit.id: state for unit in wall.units if state in unit.states} for state in ("bypass", "shut")}
    others = [_wall_svg(design, scale, states[state]) if states[state] else "" for state in ("bypass", "shut")]
    return Drawn(train, _wall_svg(design, scale, {}), scale, *others)


def _wall_svg(design: Design, scale: int, states: dict[str, str]) -> str:
    """The wall from the front with its valves as given, at a scale on paper."""
    variant = design.chosen
    wall = compose(design, variant, states)
    front = view(wall, variant, design.facts.job.units).front()
    names = {unit.id: unit.name for unit in wall.units}
    return render_to_string(
        "issues/wall.svg", {"view": front, "style": svg_style("wall"), "size": front.on_paper(scale), "names": names, "wall": wall}
    )
