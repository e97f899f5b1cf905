"""The second pair of eyes: reads any train and says what is wrong with it, with the numbers.

Rules that belong to one treatment stand in its room, those about the whole job in ``checks/``. All are listed
in ``docs/rules.md``, written from the registry.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

from .analytes import analytes
from .display import show
from .duty import Duty
from .evidence import Evidence
from .job import Facts
from .limits import Limit, limits_of
from .needs import MICROBES, Need
from .rules import RULES, SEVERITIES, Finding, accepted, findings_of
from .stages import FeedLimit, Room
from .train import PressureLine, Runner, StageRun, TrainRun
from .water import Water


class Audit:
    """A train under audit: everything a rule may look at."""

    def __init__(self, facts: Facts, duty: Duty, evidence: Evidence, needs: list[Need], run: TrainRun, pressure: PressureLine, runner: Runner):
        self.facts, self.duty, self.evidence, self.needs = facts, duty, evidence, needs
        self.run, self.pressure, self.runner = run, pressure, runner
        self.limits: tuple[Limit, ...] = limits_of(facts)

    def show(self, value: float, unit: str) -> str:
        """A value as this job's people read it."""
        return show(value, unit, self.facts.job.units)

    def limit(self, analyte: str) -> float | None:
        """The strictest ceiling of this job's standard for an analyte, in its canonical unit."""
        highs = [limit.high for limit in self.limits if limit.analyte == analyte]
        return min(highs) if highs else None

    def before(self, stage: StageRun) -> StageRun | None:
        return self.run.stages[stage.index - 1] if stage.index else None

    def after(self, stage: StageRun) -> StageRun | None:
        return self.run.stages[stage.index + 1] if stage.index + 1 < len(self.run.stages) else None

    @cached_property
    def microbes_present(self) -> bool:
        return any(self.run.raw.value(name) > 0 for name in MICROBES)

    @cached_property
    def broken(self) -> list[list[Breach]]:
        """Feed limits that the water arriving at each stage breaks, in the order of the train."""
        return [breaches(stage.room, stage.keys, stage.water_in, self.duty) for stage in self.run.stages]

    def uv_flow(self, stage: StageRun) -> float:
        """The flow [L/min] a lamp has to treat."""
        return min(stage.keys.restrictor or self.duty.passable, self.duty.passable)

    def findings(self, quick: bool = False) -> list[Finding]:
        """Every finding, gravest first, then in the order of the train. quick: without trying what each stage is for."""
        found: list[Finding] = []
        for known in RULES:
            if quick and known.id == "unneeded/<kind>":
                continue
            if not known.kinds:
                found += findings_of(known, self, None)
                continue
            for stage in self.run.stages:
                if stage.kind in known.kinds or known.kinds == ("*",):
                    found += findings_of(known, self, stage)
        if self.facts.waivers:
            found = accepted(found, self.facts.waivers)
        place = {stage.id: stage.index for stage in self.run.stages}
        return sorted(found, key=lambda finding: (SEVERITIES.index(finding.severity), place.get(finding.stage, -1), finding.rule))


@dataclass(frozen=True, slots=True)
class Breach:
    """A feed limit that the water arriving at a stage breaks."""

    limit: FeedLimit
    value: float

    def asked(self, system: str) -> str:
        """What the stage takes, in words."""
        unit = analytes()[self.limit.reads].shown_unit
        return f"at most {show(self.limit.high, unit, system)}" if self.limit.high is not None else f"at least {show(self.limit.low, unit, system)}"


def breaches(room: Room, keys: Any, water: Water, duty: Duty) -> list[Breach]:
    """Feed limits of a treatment that a water breaks; of several on one analyte the gravest."""
    worst: dict[str, Breach] = {}
    for limit in room.takes(keys, water, duty):
        value = water.get(limit.reads)
        if value is not None and limit.broken_by(value):
            known = worst.get(limit.analyte)
            if known is None or SEVERITIES.index(limit.severity) < SEVERITIES.index(known.limit.severity):
                worst[limit.analyte] = Breach(limit, value)
    return list(worst.values())


def without(audit: Audit, stage: StageRun) -> list[str]:
    """What goes wrong when a stage is taken out and the others stay as they are: needs and feed limits that are then no longer met."""
    rest = [other for other in audit.run.stages if other.index != stage.index]
    here, trouble, wanted = stage.water_in, [], []
    tap: Water | None = None
    for other in audit.run.stages[: stage.index]:
        tap = other.water_out if other.at_tap else tap
    broken_now = {(other.id, breach.limit.analyte) for other in audit.run.stages for breach in audit.broken[other.index]}
    for other in rest[stage.index :]:
        out = audit.runner.as_sized(other.kind, other.keys, other.sizing, other.water_in, here)
        for breach in breaches(other.room, other.keys, here, audit.duty):
            if breach.limit.severity != "advice" and (other.id, breach.limit.analyte) not in broken_now:
                row = analytes()[breach.limit.reads]
                trouble.append(f"{row.said} would reach the {other.said} at {audit.show(breach.value, row.shown_unit)}")
        if other.at_tap:
            tap = out
        else:
            here = out
    for need in audit.needs:
        if need.met_by(audit.run.finished, audit.run.tap) and not need.met_by(here, tap if tap is not None else here):
            where = " at the drinking tap" if need.tap and stage.at_tap else ""
            wanted.append(f"{analytes()[need.goal].said} would stay at {audit.show(here.value(need.goal), analytes()[need.goal].shown_unit)}{where}")
    return wanted + trouble


def clock(hour: float) -> str:
    """``02:00`` from hours after midnight."""
    return f"{int(hour):02d}:{round(hour % 1 * 60):02d}"
