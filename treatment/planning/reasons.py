"""Why a treatment is in a train and at its place, and why the others are not. Found by trying: take a stage out, or swap it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..audit.audit import Audit, breaches, without
from ..chemistry.water import Water
from ..evidence.gather import Evidence
from ..house.duty import Duty
from ..house.needs import Need
from ..language.analytes import MICROBES, analytes
from ..language.prose import listed
from ..train.treatment import Stage, StageRun, Treatment
from ..treatments import ROOMS
from .search import Search

WAYS = {"uv": "light", "chlorine": "chlorine with contact time", "barrier": "a barrier filter"}


def why_not(train: Sequence[Stage[Any]], search: Search, duty: Duty, evidence: Evidence, needs: list[Need]) -> dict[str, str]:
    """For every treatment that is not in the train: why it is not, in the terms of the search that composed it."""
    used = {stage.kind for stage in train}
    tested = any(evidence.measured(name) for name in MICROBES[:2])
    run = search.runner.run(list(train), evidence.adverse, evidence.adverse)
    left = [need.goal for need in needs if not need.met_by(run.finished, run.tap)]
    return {kind: _why_not(room, train, left, tested, search, duty, evidence, needs) for kind, room in ROOMS.items() if kind not in used}


def _ways(room: Treatment[Any]) -> set[str]:
    """The ways of holding microbes that a treatment is part of."""
    return {way for way in (room.way, *(each.room.way for each in room.partners)) if way}


def _held_by(train: Sequence[Stage[Any]]) -> str:
    """The way in which a train holds microbes; empty where it does in none."""
    return next((stage.room.way for stage in reversed(train) if stage.room.way), "")


def _why_not(
    room: Treatment[Any],
    train: Sequence[Stage[Any]],
    left: list[str],
    tested: bool,
    search: Search,
    duty: Duty,
    evidence: Evidence,
    needs: list[Need],
) -> str:
    """left: needs that the train leaves open."""
    raw, wanted = evidence.adverse, any(need.goal in room.answers for need in needs if not need.standing)
    system, asked = duty.facts.job.units, any(need.goal in room.puts_right for need in needs if not need.standing)

    def refused() -> list[str]:
        return [breach.said(system) for breach in search.barred.get(room.kind, ())]

    if own := room.why_absent(wanted, raw, duty, tested, refused):
        return own
    if room.serves:
        return room.absent
    if stopped := refused():
        return "it would help, but where it would be installed " + "; ".join(stopped)
    if _wished_away(room, duty):
        return "the preferences exclude it" if asked or room.kind in search.stood else room.absent
    if room.kind in search.stood or not wanted:
        return _outdone(room, train, wanted, left, search, raw, duty)
    if still := _still_open(room, left):
        return still
    if room.way and room.way != search.ways[0]:
        return "the job's method removes microbes in another way, and that one works here"
    return "another treatment in the train does its work with fewer stages"


def _wished_away(room: Treatment[Any], duty: Duty) -> bool:
    wishes = duty.facts.wishes
    return (wishes.no_salt and room.uses_salt) or (wishes.no_power and room.uses_power) or (wishes.no_chemicals and room.uses_chemical)


def _still_open(room: Treatment[Any], left: list[str]) -> str:
    """What it might answer and the train leaves open, in words; empty where there is nothing."""
    still = [analytes()[goal].said for goal in left if goal in room.answers and goal in analytes()]
    return f"{', '.join(still)}: no train was found in which it treats that within its feed limits" if still else ""


def _outdone(room: Treatment[Any], train: Sequence[Stage[Any]], wanted: bool, left: list[str], search: Search, raw: Water, duty: Duty) -> str:
    """Why a treatment that stood in a train that was tried, or that nothing asks for, is not in this one."""
    if search.ways[0] in _ways(room) and wanted and room.kind in search.stood and (other := _held_by(train)) not in ("", search.ways[0]):
        return f"the job's method, but with the treatment this water needs before it, {WAYS[other]} takes fewer stages or costs less"
    if still := _still_open(room, left):
        return still
    if room.kind in search.stood:
        return "another treatment in the train does its work with fewer stages, or at less cost"
    known = [analytes()[name].said for name in room.answers if raw.get(name) is not None]
    if not known or not room.candidates(raw, duty):
        return room.absent
    return f"not needed: {listed(known)} {'are' if len(known) > 1 else 'is'} within limits and preferences"


def explain(audit: Audit, train: Sequence[Stage[Any]]) -> dict[str, list[str]]:
    """For every stage of a train: why it is there, and why at this place."""
    reasons: dict[str, list[str]] = {}
    school = audit.facts.schools.disinfection
    for stage in audit.run.stages:
        said = [f"Needed because otherwise {trouble}." for trouble in list(dict.fromkeys(without(audit, stage)))[:2]]
        own = stage.room.why_here(stage, audit.run, audit.microbes_found)
        if own and (stage.room.tells_why or not said):
            said = [own]
        if audit.microbes_present and stage.room.way and _held_by(train) == stage.room.way != school:
            said.append(f"It treats microbes in place of {WAYS[school]}, the job's method: see why that one is not used.")
        if again := _again(audit, stage):
            said.append(again)
        if swapped := _swap_breaks(audit, train, stage.index):
            said.append(f"Installed after the {audit.run.stages[stage.index - 1].said}. Before it, {swapped}.")
        reasons[stage.id] = said
    return reasons


def _again(audit: Audit, stage: StageRun[Any]) -> str:
    """Why a filter comes again that stands before it already: what the units between them shed; empty where none does, or nothing is between."""
    first = next((each for each in reversed(audit.run.earlier(stage)) if each.kind == stage.kind and each.name == stage.name), None)
    if first is None or stage.room.micron(stage.keys, stage.sizing) is None or stage.index - first.index < 2:
        return ""
    between = [each.said for each in audit.run.stages[first.index + 1 : stage.index]]
    return f"The {first.said} further up cannot replace it: it is installed before the {listed(between)}, which can release particles."


def _swap_breaks(audit: Audit, train: Sequence[Stage[Any]], index: int) -> str:
    """What would break if the stage stood before the one ahead of it; empty where nothing would."""
    if index == 0:
        return ""
    order = list(train)
    order[index - 1], order[index] = order[index], order[index - 1]
    run = audit.runner.run(order[: index + 1], audit.evidence.adverse, audit.evidence.adverse)
    for stage in run.stages[index - 1 :]:
        for breach in breaches(stage.room, stage.keys, stage.water_in, audit.duty):
            if (stage.id, breach.limit.analyte) not in audit.breaks:
                row = analytes()[breach.limit.reads]
                return f"{row.said} {audit.show(breach.value, row.shown_unit)} would reach the {stage.said}"
    first, second = run.stages[index - 1], run.stages[index]
    return first.room.harmed_before(second)
