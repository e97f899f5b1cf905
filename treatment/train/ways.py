"""Ways round a unit: its own bypass, one that units next to each other share, or none."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Any

from .keys import BypassGroup
from .treatment import StageRun


@dataclass(frozen=True, slots=True)
class Way:
    """A way round one unit or more, of three valves. units: their ids in the order of the water; shared: it is a group's own."""

    units: tuple[str, ...]
    shared: bool = False


def group_of(stage: StageRun[Any]) -> str:
    """The name of the bypass it shares with its neighbours; empty where it shares none."""
    held = stage.keys.install.bypass if stage.keys.install else None
    return held.group if isinstance(held, BypassGroup) and not stage.at_tap else ""


def has_own(stage: StageRun[Any]) -> bool:
    """Whether it has a bypass to itself: as the job says, else as its kind usually has; a unit at a tap is shut by its own valve."""
    held = stage.keys.install.bypass if stage.keys.install else None
    if stage.at_tap or isinstance(held, BypassGroup):
        return False
    return stage.room.bypassed if held is None else bool(held)


def ways_round(stages: Sequence[StageRun[Any]]) -> dict[str, Way]:
    """Stage id -> the way round it; units without one are left out. Units of one name share a bypass where they stand next to each other."""
    found: dict[str, Way] = {}
    on_the_main = [stage for stage in stages if not stage.at_tap]
    for name, members in groupby(on_the_main, key=group_of):
        held = list(members)
        if name:
            way = Way(tuple(stage.id for stage in held), len(held) > 1)
            found.update((stage.id, way) for stage in held)
        else:
            found.update((stage.id, Way((stage.id,))) for stage in held if has_own(stage))
    return found
