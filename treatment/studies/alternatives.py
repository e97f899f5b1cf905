"""Real alternatives at the forks where practitioners differ: trains by other schools that serve this water too."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from ..design import Design
from ..job_file import Job
from ..planning.evaluated import EvaluatedTrain
from ..planning.paths import Block, Terms
from ..train.treatment import Fork, Stage

MOST = 3


@dataclass(frozen=True, slots=True)
class Alternative:
    """Another way to treat the same water: what it does differently, and the train."""

    title: str
    variant: EvaluatedTrain
    complete: bool


def alternatives(design: Design) -> list[Alternative]:
    """Trains by other schools that serve this water too, at most three, the most complete first."""
    found: list[Alternative] = []
    for fork in _forks(design.proposal):
        other = _by_school(design, dict(fork.schools)) if fork.schools else design
        blocks = tuple(Block(offer) for offer in fork.offers)
        terms = Terms(fork.avoid | fork.lacks, blocks, fork.ways, bool(blocks), other=design.plan.complete)
        plan = other.ground.planned(terms)
        if not plan.train or not fork.true_of(_held(plan.train)):
            continue
        variant = other.variant(plan.train)
        if _kinds(variant) != _kinds(design.proposal) and (plan.complete or not design.plan.complete):
            found.append(Alternative(fork.title, variant, plan.complete))
        if len(found) == MOST:
            break
    return found


def _forks(proposal: EvaluatedTrain) -> list[Fork]:
    """The forks this train stands at, as its rooms declare them, each once."""
    kinds = frozenset(stage.kind for stage in proposal.train)
    found = [fork for stage in proposal.run.stages for fork in stage.room.forks(stage, kinds)]
    return sorted(dict.fromkeys(found), key=lambda fork: fork.order)


def _held(train: Sequence[Stage[Any]]) -> frozenset[str]:
    """The kinds, media and chemicals of a train."""
    return frozenset(str(name) for stage in train for name in (stage.kind, *stage.room.choices(stage.keys).values()) if name)


def _kinds(variant: EvaluatedTrain) -> list[tuple[str, Any]]:
    return [(stage.kind, stage.room.choices(stage.keys).get("medium")) for stage in variant.train]


def _by_school(design: Design, schools: dict[str, str]) -> Design:
    """The same job by other schools; a softening that is then not meant is not wished."""
    facts = design.facts
    wishes = replace(facts.wishes, soft_water=None) if "hardness" in schools else facts.wishes
    followed: Any = schools
    return Design(Job(replace(facts, schools=replace(facts.schools, **followed), wishes=wishes), None))
