"""The shelf: what each treatment would do to the water at a place in a train, and whether it gets what it needs there."""

from __future__ import annotations

from dataclasses import dataclass

from ..audit.audit import breaches
from ..design import Design
from ..language.analytes import analytes, shown_in
from ..language.display import show
from ..planning.evaluated import EvaluatedTrain
from ..treatments import ROOMS


@dataclass(frozen=True, slots=True)
class Offer:
    """A treatment as the shelf shows it: what it would do here, what it would change, and what stands against it."""

    kind: str
    title: str
    does: str
    changes: tuple[str, ...]
    against: tuple[str, ...]
    proposed: bool


def shelf(design: Design, variant: EvaluatedTrain, after: str) -> list[Offer]:
    """Every treatment tried on the water behind the stage ``after`` (the raw water where it names none)."""
    system = design.facts.job.units
    here = next((stage.passes for stage in variant.run.stages if stage.id == after), variant.run.raw)
    wanted = {stage.kind for stage in design.plan.train}
    offers = []
    for kind, room in ROOMS.items():
        keys = next(iter(room.candidates(design.evidence.adverse, design.duty)), room.Keys())
        out = variant.audit.runner.through(room, keys, variant.audit.runner.arriving(room, keys, here)).water
        changes = [
            f"{analytes()[name].name} {_said(name, here.value(name), system)} → {_said(name, out.value(name), system)}"
            for name in shown_in("shelf")
            if here.get(name) is not None and abs(here.value(name) - out.value(name)) > 0.03 * max(abs(here.value(name)), 0.02)
        ]
        against = [breach.short(system) for breach in breaches(room, keys, here, design.duty) if breach.limit.severity != "advice"]
        offers.append(Offer(kind, room.title, room.does(here, out, system), tuple(changes), tuple(against), kind in wanted))
    return offers


def _said(name: str, value: float, system: str) -> str:
    row = analytes()[name]
    return ("found" if value > 0 else "none") if row.is_microbe else show(value, row.shown_unit, system)
