"""A train of the field in words: what it has that the proposal has not, what it leaves out, and which sizes, doses and media differ."""

from __future__ import annotations

from collections import Counter
from typing import Any

from ..language.display import media_hint, show
from ..language.quantity import canonical_unit
from ..language.spec import Measure, specs_of
from ..train.treatment import Stage
from .field import Point

#: keys that say nothing of a unit's size, dose or form, or that its name says
UNSAID = ("id", "reason", "install", "feed_limits", "micron", "outer_micron")


def told(point: Point, base: Point, system: str) -> str:
    """What sets a train apart from another, for one line; empty where nothing does."""
    mine, theirs = (Counter(_lower(name) for name in each.names) for each in (point, base))
    parts = []
    if more := [*(mine - theirs).elements()]:
        parts.append(f"with {', '.join(more)}")
    if less := [*(theirs - mine).elements()]:
        parts.append(f"without {', '.join(less)}")
    left = list(base.train)
    for stage, name in zip(point.train, point.names, strict=True):
        other = next((each for each in left if each.kind == stage.kind), None)
        if other is not None:
            left.remove(other)
        same = other is not None and _lower(name) in theirs
        parts += [f"{_lower(name)} {words}" for words in [_sizes(stage, other, same, system)] if words]
    said = "; ".join(parts)
    return said[:1].upper() + said[1:]


def _lower(name: str) -> str:
    """A name inside a sentence; what begins with two capitals, such as UV, stays."""
    return name if name[1:2].isupper() else name[:1].lower() + name[1:]


def _sizes(stage: Stage[Any], other: Stage[Any] | None, same: bool, system: str) -> str:
    """What was set and is not so in the other: of a unit that goes by another name there, its sizes alone: the name says the rest."""
    found = []
    for name, spec in specs_of(stage.room.Keys).items():
        value = getattr(stage.keys, name)
        if name in UNSAID or value in (None, ()) or isinstance(value, bool) or (other is not None and getattr(other.keys, name, None) == value):
            continue
        if isinstance(spec, Measure):
            found.append(show(value, media_hint(name, canonical_unit(spec.dimension)), system))
        elif same:
            words = str(spec.write(value)).replace("_", " ")
            found.append(f"{name.replace('_', ' ')} {words}" if isinstance(value, (int, float)) else words)
    return ", ".join(found)
