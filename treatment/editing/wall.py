"""Edits of where the units of a train stand on the wall."""

from __future__ import annotations

import copy
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ..wall.parts import Wall, WallUnit
from ..wall.placing import drawn_to, snapped
from .edit import Edit, Edited, NotDone, Stages, place_of, title

STEP = 50.0  # mm an arrow key moves
FARTHEST = 60000.0  # mm


@dataclass(frozen=True, slots=True)
class _OnTheWall(Edit):
    """An edit that looks at the wall as it stands."""

    wall: Wall

    def unit(self) -> WallUnit:
        """The unit it is about. Raises NotDone where it hangs there no more."""
        found = next((each for each in self.wall.units if each.id == self.stage), None)
        if found is None:
            raise NotDone("This unit is no longer on the wall.")
        return found

    def leaves(self, shown: Mapping[str, Any], now: Mapping[str, Any]) -> bool:
        return bool(shown.get("install") == now.get("install"))


@dataclass(frozen=True, slots=True)
class Drop(_OnTheWall):
    """A unit let go at x [mm], its foot above the floor [mm] where that is given: it comes to stand where it lines up."""

    x: float
    foot: float | None

    def done(self, stages: Stages) -> Edited:
        _reachable(self.x, self.foot)
        return put_at(stages, self.stage, *drawn_to(self.wall, self.unit(), self.x, self.foot))


@dataclass(frozen=True, slots=True)
class Nudge(_OnTheWall):
    """A unit moved by some steps from where it stands now."""

    right: float
    up: float

    def done(self, stages: Stages) -> Edited:
        outline = self.unit().outline
        foot = outline.z + self.up * STEP if self.up or outline.z > 0 else None
        return put_at(stages, self.stage, snapped(outline.x + self.right * STEP), snapped(foot) if foot is not None else None)


@dataclass(frozen=True, slots=True)
class Turn(_OnTheWall):
    """A lamp laid on its side, or stood up again."""

    def done(self, stages: Stages) -> Edited:
        unit = next((each for each in self.wall.units if each.id == self.stage), None)
        if unit is None or not unit.turns:
            raise NotDone("Only a UV unit can be mounted horizontally.")
        here, after = place_of(stages, self.stage), copy.deepcopy(stages)
        after[here].setdefault("install", {})["orientation"] = "vertical" if unit.lies else "horizontal"
        return Edited(after, f"{'stood up' if unit.lies else 'laid on its side'} the {title(stages[here])}", self.stage)


@dataclass(frozen=True, slots=True)
class Release(Edit):
    """A unit left to be placed again; every unit where it is about none."""

    def done(self, stages: Stages) -> Edited:
        after = copy.deepcopy(stages)
        for stage in after:
            if not self.stage or stage.get("id") == self.stage:
                install: dict[str, Any] = stage.get("install", {})
                install.pop("at", None)
                if not install:
                    stage.pop("install", None)
        return Edited(after, "arranged automatically" if self.stage else "arranged all automatically", self.stage)

    def leaves(self, shown: Mapping[str, Any], now: Mapping[str, Any]) -> bool:
        return bool(shown.get("install") == now.get("install"))


def put_at(stages: Stages, id: str, x: float, foot: float | None) -> Edited:
    """A unit with its left edge at x [mm] and its foot above the floor [mm], to the millimetre. Raises NotDone."""
    _reachable(x, foot)
    here = place_of(stages, id)
    after = copy.deepcopy(stages)
    install = after[here].setdefault("install", {})
    install["at"] = {"x": f"{max(round(x), 0)} mm"} | ({"foot": f"{max(round(foot), 0)} mm"} if foot is not None else {})
    return Edited(after, f"moved {title(stages[here])} on the wall", id)


def _reachable(x: float, foot: float | None) -> None:
    if not (-FARTHEST < x < FARTHEST and (foot is None or -FARTHEST < foot < FARTHEST)):
        raise NotDone("This is not a position on the wall.")
