"""What the train would be for what the log found: the job's own facts, with the water that moved and the use that grew."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ...design import Design, DesignBasis
from ...job.facts import SampleFacts
from ...job_file import Job
from ...language.analytes import analytes
from ...language.display import show
from ...language.reading import Reading
from ...planning.evaluated import EvaluatedTrain
from .diagnosis import Diagnosis


@dataclass(frozen=True)
class Redesign:
    """The train for the new facts. facts: what moved, in words."""

    variant: EvaluatedTrain
    facts: tuple[str, ...]


def redesign(design: Design, found: Diagnosis) -> Redesign | None:
    """The planner's train for the facts that the log shows; None where none of its causes says that they moved."""
    facts, words, system = design.facts, [], design.facts.job.units
    readings: dict[str, Reading] = {}
    for cause in found.causes:
        kind, _, name = cause.id.partition("/")
        if kind == "source-changed" and name in analytes():
            on, key = cause.stands_on[-1]
            value = dict(found.look.readings.points(key))[on]
            readings[name] = Reading(name, value, value, "exact", f"{value!r} {analytes()[name].unit}")
            words.append(f"{analytes()[name].said} {show(value, analytes()[name].shown_unit, system)}")
        if cause.id.split("/")[0] == "hardness-made":
            facts = replace(facts, wishes=replace(facts.wishes, soft_water=True))
            words.append("soft water required: the neutralizer's own hardness leaves the crust")
        if cause.id == "more-use" and found.look.use.ratio is not None:
            person = design.duty.daily * found.look.use.ratio / max(facts.building.people or 1, 1)
            facts = replace(facts, building=replace(facts.building, use_per_person=person, extra_daily_use=None))
            words.append(f"use of {show(found.look.use.daily, 'L/day', system)}")
    if not words:
        return None
    if readings:
        facts = replace(facts, samples=(*facts.samples, SampleFacts(taken_on=found.as_of, point="raw", readings=readings)))
    ground = DesignBasis(facts)
    return Redesign(Design(Job(facts, None), ground).proposal, tuple(words))
