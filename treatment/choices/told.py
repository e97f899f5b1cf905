"""A train of the field in words: what it has that the proposal has not, what it leaves out, and which sizes, doses and media differ."""

from __future__ import annotations

from dataclasses import fields
from typing import Any

from ..language.display import media_hint, show
from ..language.quantity import canonical_unit
from ..language.spec import Measure, specs_of
from ..train.treatment import Stage
from .field import Point

#: keys that say nothing of a unit's size, dose or form, or that its name says
UNSAID = ("id", "reason", "install", "feed_limits", "micron", "outer_micron")
#: which of several units of one name
ORDER = ("the first", "the second", "the third", "the fourth", "the fifth", "a later")


def told(point: Point, base: Point, system: str) -> str:
    """What sets a train apart from another, for one line; empty where nothing does. Units of one kind are held against each other in their order."""
    mine, theirs = _called(point), _called(base)
    left, pairs = list(range(len(base.train))), list[tuple[int, int | None]]()
    for place, stage in enumerate(point.train):
        other = next((each for each in left if base.train[each].kind == stage.kind), None)
        pairs.append((place, other))
        if other is not None:
            left.remove(other)
    parts = []
    if more := [mine[place] for place, other in pairs if other is None]:
        parts.append(f"with {', '.join(more)}")
    if left:
        parts.append(f"without {', '.join(theirs[each] for each in left)}")
    parts += [f"{mine[place]} in place of {theirs[other]}" for place, other in pairs if other is not None and point.names[place] != base.names[other]]
    for place, other in pairs:
        same = other is not None and point.names[place] == base.names[other]
        if words := _sizes(point.train[place], None if other is None else base.train[other], same, system):
            parts.append(f"{mine[place]} {words}")
    said = "; ".join(parts)
    return said[:1].upper() + said[1:]


def _called(point: Point) -> list[str]:
    """Its units by name; of several of one name which of them."""
    return [
        f"{ORDER[min(point.names[:place].count(name), len(ORDER) - 1)]} {_lower(name)}" if point.names.count(name) > 1 else _lower(name)
        for place, name in enumerate(point.names)
    ]


def _lower(name: str) -> str:
    """A name inside a sentence; what begins with two capitals, such as UV, stays."""
    return name if name[1:2].isupper() else name[:1].lower() + name[1:]


def _sizes(stage: Stage[Any], other: Stage[Any] | None, same: bool, system: str) -> str:
    """What was set and is not so in the other: of a unit that goes by another name there, not what its name says already."""
    found, identity = [], {each.name for each in fields(stage.room.Keys) if each.metadata.get("identity")}
    for name, spec in specs_of(stage.room.Keys).items():
        value = getattr(stage.keys, name)
        if name in UNSAID or value in (None, ()) or isinstance(value, bool) or (other is not None and getattr(other.keys, name, None) == value):
            continue
        if isinstance(spec, Measure):
            found.append(show(value, media_hint(name, canonical_unit(spec.dimension)), system))
        elif same or name not in identity:
            words = str(spec.write(value)).replace("_", " ")
            found.append(f"{name.replace('_', ' ')} {words}" if isinstance(value, (int, float)) else words)
    return ", ".join(found)
