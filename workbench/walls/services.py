"""Moves on the wall: each is an edit of the train, saved with its version, and can be undone there."""

from __future__ import annotations

import copy
from typing import Any

from treatment.wall.parts import Wall
from treatment.wall.placing import drawn_to, snapped

from ..usecases.refused import Refused
from ..usecases.trains import Stages, place_of, title

STEP = 50.0  # mm an arrow key moves
FARTHEST = 60000.0


def drop(stages: Stages, wall: Wall, stage_id: str, x: float, foot: float | None) -> tuple[Stages, str, str]:
    """A unit let go at x [mm] with its foot above the floor [mm]: it comes to stand where it lines up, see the core."""
    _reachable(x, foot)
    unit = next((each for each in wall.units if each.id == stage_id), None)
    if unit is None:
        raise Refused("This unit is no longer on the wall.")
    return put_at(stages, stage_id, *drawn_to(wall, unit, x, foot))


def _reachable(x: float, foot: float | None) -> None:
    if not (-FARTHEST < x < FARTHEST and (foot is None or -FARTHEST < foot < FARTHEST)):
        raise Refused("This is not a position on the wall.")


def put_at(stages: Stages, stage_id: str, x: float, foot: float | None) -> tuple[Stages, str, str]:
    """A unit with its left edge at x [mm] and its foot above the floor [mm], to the millimetre."""
    _reachable(x, foot)
    here = place_of(stages, stage_id)
    after = copy.deepcopy(stages)
    install = after[here].setdefault("install", {})
    install["at"] = {"x": f"{max(round(x), 0)} mm"} | ({"foot": f"{max(round(foot), 0)} mm"} if foot is not None else {})
    return after, f"moved {title(stages[here])} on the wall", stage_id


def nudge(stages: Stages, wall: Wall, stage_id: str, right: float, up: float) -> tuple[Stages, str, str]:
    """A unit moved by some steps from where it stands now."""
    unit = next((each for each in wall.units if each.id == stage_id), None)
    if unit is None:
        raise Refused("This unit is no longer on the wall.")
    foot = unit.outline.z + up * STEP if up or unit.outline.z > 0 else None
    return put_at(stages, stage_id, snapped(unit.outline.x + right * STEP), snapped(foot) if foot is not None else None)


def turned(stages: Stages, wall: Wall, stage_id: str) -> tuple[Stages, str, str]:
    """A lamp laid on its side, or stood up again. Raises Refused for what does not turn."""
    unit = next((each for each in wall.units if each.id == stage_id), None)
    if unit is None or not unit.turns:
        raise Refused("Only a UV unit can be mounted horizontally.")
    here = place_of(stages, stage_id)
    after = copy.deepcopy(stages)
    after[here].setdefault("install", {})["orientation"] = "vertical" if unit.lies else "horizontal"
    return after, f"{'stood up' if unit.lies else 'laid on its side'} the {title(stages[here])}", stage_id


def released(stages: Stages, stage_id: str) -> tuple[Stages, str, str]:
    """A unit left to be placed again; every unit where none is named."""
    after = copy.deepcopy(stages)
    for stage in after:
        if not stage_id or stage.get("id") == stage_id:
            install: dict[str, Any] = stage.get("install", {})
            install.pop("at", None)
            if not install:
                stage.pop("install", None)
    return after, "arranged automatically" if stage_id else "arranged all automatically", stage_id
