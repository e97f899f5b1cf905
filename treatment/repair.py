"""An existing train mended with the fewest changes: what stands on the wall is kept wherever it can serve."""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import isclose
from typing import TYPE_CHECKING, Any

from .needs import MICROBES
from .stages import ROOMS
from .train import Given, name_stages

if TYPE_CHECKING:
    from .design import Design, Variant

#: keys that say what a stage is, kept when its sizes are thrown away
IDENTITY = (
    "id",
    "install",
    "reason",
    "feed_limits",
    "medium",
    "form",
    "target",
    "method",
    "element",
    "chemical",
    "scale",
    "flow",
    "micron",
    "magnesia",
)
Stage = tuple[str, Any]


@dataclass(frozen=True, slots=True)
class Repair:
    """A mended train, and what has to be done to get there, in words."""

    variant: Variant
    changes: tuple[str, ...]


def repair(design: Design) -> Repair:
    """The given train with its faults mended: stages kept in the order that works, sizes kept where they serve.

    The planner's train gives the order and what is missing. Stages beyond it are kept where they do no harm, sizes are
    given up only where the audit finds fault with them. The only barrier against microbes that were found is never taken out.
    """
    given = list(design.chosen.train)
    draft = _draft(given, list(design.plan.train))
    draft = _resized(design, draft)
    draft = _kept(design, draft, given)
    variant = design.variant(name_stages(draft))
    return Repair(variant, tuple(_changes(given, draft)))


def _faults(design: Design, stages: list[Stage]) -> int:
    about_water = ("boil-water", "nitrate-infants", "gas-hazard", "refer/", "sample-")
    found = design.variant(name_stages(stages)).findings
    return sum(each.severity in ("fault", "danger") and not each.rule.startswith(about_water) for each in found)


def _same(one: Any, other: Any) -> bool:
    """Whether two stages of a kind do the same job: their medium, form and rating agree where both say one."""
    for name in ("medium", "form", "micron", "target", "chemical", "scale"):
        a, b = getattr(one, name, None), getattr(other, name, None)
        if isinstance(a, float) and isinstance(b, float) and isclose(a, b, rel_tol=1e-6):
            continue
        if a is not None and b is not None and a != b:
            return False
    return True


def _draft(given: list[Given], wanted: list[Given]) -> list[Stage]:
    """The wanted train with every stage of it that already stands on the wall taken over as it is."""
    left = list(given)
    draft: list[Stage] = []
    for stage in wanted:
        match = next((each for each in left if each.kind == stage.kind and _same(each.keys, stage.keys)), None)
        if match is not None:
            left.remove(match)
            draft.append((match.kind, replace(match.keys, id=match.id)))
        else:
            draft.append((stage.kind, replace(stage.keys, id=None)))
    return draft


def _resized(design: Design, draft: list[Stage]) -> list[Stage]:
    """Give up the sizes of a stage where that leaves fewer faults; hours that clash are left to the schedule."""
    faults = _faults(design, draft)
    for place in range(len(draft)):
        for free in (False, True):
            if not faults:
                return draft
            kind, keys = draft[place]
            kept = {name: getattr(keys, name) for name in IDENTITY if hasattr(keys, name)}
            tried = ROOMS[kind].Keys(**kept) if free else replace(keys, hour=None)
            other = [*draft[:place], (kind, tried), *draft[place + 1 :]]
            if tried != keys and (fewer := _faults(design, other)) < faults:
                draft, faults = other, fewer
    return draft


def _kept(design: Design, draft: list[Stage], given: list[Given]) -> list[Stage]:
    """Put back what stood on the wall and is not in the draft, where it does no harm."""
    ids = {keys.id for _, keys in draft}
    for stage in given:
        if stage.id in ids:
            continue
        before = next(
            (keys.id for _, keys in reversed(draft) if any(each.id == keys.id and given.index(each) < given.index(stage) for each in given)), None
        )
        at = next((i + 1 for i, (_, keys) in enumerate(draft) if keys.id == before), 0) if before else 0
        other = [*draft[:at], (stage.kind, replace(stage.keys, id=stage.id)), *draft[at:]]
        lone_barrier = (
            _holds_microbes(stage.kind)
            and any(design.evidence.adverse.value(name) > 0 for name in MICROBES)
            and not any(_holds_microbes(kind) for kind, _ in draft)
        )
        if lone_barrier or _faults(design, other) <= _faults(design, draft):
            draft = other
    return draft


def _holds_microbes(kind: str) -> bool:
    return bool(set(ROOMS[kind].answers) & set(MICROBES))


def _changes(given: list[Given], draft: list[Stage]) -> list[str]:
    """What has to be done, in the order of the mended train."""
    names = {stage.id: stage.room.name(stage.keys) for stage in given}
    keys_of = {stage.id: replace(stage.keys, id=stage.id) for stage in given}
    now = [keys.id for _, keys in draft if keys.id in names]
    stay = _longest([stage.id for stage in given if stage.id in now], now)
    said: list[str] = []
    for i, (kind, keys) in enumerate(draft):
        name = ROOMS[kind].name(keys)
        after = f"after the {_low(ROOMS[draft[i - 1][0]].name(draft[i - 1][1]))}" if i else "first"
        if keys.id not in names:
            said.append(f"Add the {_low(name)} {after}.")
            continue
        if keys.id not in stay:
            said.append(f"Move the {_low(name)} {after}.")
        changed = [field.replace("_", " ") for field in keys.__dataclass_fields__ if getattr(keys, field) != getattr(keys_of[keys.id], field)]
        if changed == ["hour"]:
            said.append(f"Let the {_low(name)} regenerate at another hour.")
        elif changed:
            said.append(f"Size the {_low(name)} anew: {', '.join(changed)}.")
    said += [f"Take out the {_low(names[stage.id])}." for stage in given if stage.id not in now]
    return said


def _low(name: str) -> str:
    return name if name[:2].isupper() else name[0].lower() + name[1:]


def _longest(one: list[str], other: list[str]) -> list[str]:
    """The longest run of stages that keep their order."""
    best: dict[tuple[int, int], list[str]] = {}
    for i in range(len(one), -1, -1):
        for j in range(len(other), -1, -1):
            if i == len(one) or j == len(other):
                best[i, j] = []
            elif one[i] == other[j]:
                best[i, j] = [one[i], *best[i + 1, j + 1]]
            else:
                best[i, j] = max(best[i + 1, j], best[i, j + 1], key=len)
    return best[0, 0]
