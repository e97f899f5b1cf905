"""An existing train mended with the fewest changes: what stands on the wall is kept wherever it can serve."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from ..audit.rules import Finding
from ..design import Design
from ..language.analytes import MICROBES
from ..planning.evaluated import EvaluatedTrain
from ..train.treatment import Stage, Treatment, name_stages

Draft = list[Stage[Any]]


@dataclass(frozen=True, slots=True)
class Change:
    """One thing to do, in words, and the findings that are gone once it alone is done."""

    words: str
    cures: tuple[Finding, ...]


@dataclass(frozen=True, slots=True)
class Repair:
    """A mended train, and what has to be done to get there."""

    variant: EvaluatedTrain
    steps: tuple[Change, ...]

    @property
    def changes(self) -> tuple[str, ...]:
        """What has to be done, in words."""
        return tuple(step.words for step in self.steps)


def repair(design: Design) -> Repair:
    """The given train with its faults mended: stages kept in the order that works, sizes kept where they serve.

    The planner's train gives the order and what is missing. Stages beyond it are kept where they do no harm, sizes are
    given up only where the audit finds fault with them. The only barrier against microbes that were found is never taken out.
    """
    given = list(design.chosen.train)
    draft = _draft(given, list(design.plan.train))
    draft = _resized(design, draft)
    draft = _kept(design, draft, given)
    return Repair(design.variant(name_stages(draft)), tuple(Change(words, _cured(design, alone)) for words, alone in _changes(given, draft)))


def _cured(design: Design, alone: Draft) -> tuple[Finding, ...]:
    """The findings of the given train that are gone where one change alone is made, and that were worth more than advice."""
    left = {(finding.rule, finding.stage) for finding in design.variant(name_stages(alone)).findings}
    return tuple(each for each in design.chosen.findings if each.severity != "advice" and (each.rule, each.stage) not in left)


def _faults(design: Design, draft: Draft) -> int:
    """Faults that another train would mend: the same question the planner asks."""
    return sum(finding.against_the_train for finding in design.variant(name_stages(draft)).findings)


def _draft(given: Draft, wanted: Draft) -> Draft:
    """The wanted train with every stage of it that already stands on the wall taken over as it is."""
    left, draft = list(given), []
    for stage in wanted:
        match = next((each for each in left if each.kind == stage.kind and stage.room.same(each.keys, stage.keys)), None)
        if match is not None:
            left.remove(match)
            draft.append(Stage(match.room, replace(match.keys, id=match.id)))
        else:
            draft.append(Stage(stage.room, replace(stage.keys, id=None)))
    return draft


def _resized(design: Design, draft: Draft) -> Draft:
    """Give up the sizes of a stage where that leaves fewer faults; hours that clash are left to the schedule."""
    faults = _faults(design, draft)
    for place in range(len(draft)):
        for free in (False, True):
            if not faults:
                return draft
            stage = draft[place]
            keys = stage.room.Keys(**stage.room.identity(stage.keys)) if free else replace(stage.keys, hour=None)
            other = [*draft[:place], Stage(stage.room, keys), *draft[place + 1 :]]
            if keys != stage.keys and (fewer := _faults(design, other)) < faults:
                draft, faults = other, fewer
    return draft


def _kept(design: Design, draft: Draft, given: Draft) -> Draft:
    """Put back what stood on the wall and is not in the draft, where it does no harm."""
    ids = {stage.keys.id for stage in draft}
    place = {stage.id: i for i, stage in enumerate(given)}
    infected = any(design.evidence.adverse.value(name) > 0 for name in MICROBES)
    for stage in given:
        if stage.id in ids:
            continue
        ahead = [i for i, each in enumerate(draft) if each.keys.id in place and place[each.keys.id] < place[stage.id]]
        at = ahead[-1] + 1 if ahead else 0
        other = [*draft[:at], Stage(stage.room, replace(stage.keys, id=stage.id)), *draft[at:]]
        lone_barrier = infected and _holds_microbes(stage.room) and not any(_holds_microbes(each.room) for each in draft)
        if lone_barrier or _faults(design, other) <= _faults(design, draft):
            draft = other
    return draft


def _holds_microbes(room: Treatment[Any]) -> bool:
    return bool(set(room.answers) & set(MICROBES))


def _changes(given: Draft, draft: Draft) -> list[tuple[str, Draft]]:
    """What has to be done, in the order of the mended train, each with the given train where it alone is done."""
    stood = {stage.id: replace(stage.keys, id=stage.id) for stage in given}
    now = [stage.keys.id for stage in draft if stage.keys.id in stood]
    stay = _longest([stage.id for stage in given if stage.id in now], now)
    said: list[tuple[str, Draft]] = []

    def put(stage: Stage[Any], i: int) -> Draft:
        """The given train with a stage behind the nearest of those that stand ahead of it in the draft."""
        others = [each for each in given if each.id != stage.keys.id]
        ahead = [each.keys.id for each in draft[:i] if each.keys.id in stood]
        at = next((place + 1 for place in range(len(others) - 1, -1, -1) if ahead and others[place].id == ahead[-1]), 0)
        return [*others[:at], stage, *others[at:]]

    for i, stage in enumerate(draft):
        name, keys = stage.room.said(stage.keys), stage.keys
        after = f"after the {draft[i - 1].room.said(draft[i - 1].keys)}" if i else "first"
        if keys.id not in stood:
            said.append((f"Add the {name} {after}.", put(stage, i)))
            continue
        if keys.id not in stay:
            said.append((f"Move the {name} {after}.", put(stage, i)))
        changed = [field.replace("_", " ") for field in keys.__dataclass_fields__ if getattr(keys, field) != getattr(stood[keys.id], field)]
        words = f"Set another regeneration time for the {name}." if changed == ["hour"] else f"Resize the {name}: {', '.join(changed)}."
        if changed:
            said.append((words, [stage if each.id == keys.id else each for each in given]))
    gone = [stage for stage in given if stage.id not in now]
    return said + [(f"Remove the {stage.room.said(stage.keys)}.", [each for each in given if each is not stage]) for stage in gone]


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
