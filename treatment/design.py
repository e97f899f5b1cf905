"""The one door: a job in, a design out. Web pages, the command line and every export pass through it."""

from __future__ import annotations

from copy import copy
from functools import cached_property
from typing import Any

from . import ENGINE, checks
from .analytes import analytes
from .audit import Audit
from .demand import demand
from .duty import Duty
from .evidence import Evidence, gather
from .hydraulics import supply
from .job import Facts
from .job_file import Job
from .needs import Need, needs
from .planner import Plan, explain, plan
from .repair import Repair, repair
from .rules import RULES, SEVERITIES, Finding
from .samples import AnalyteState, Assumption
from .stages import StageKeys
from .symptoms import Cause, causes
from .train import Given, PressureLine, Runner, TrainRun, name_stages, pressure_line
from .working import rows_of, told, working_values


class Variant:
    """One train for the job, run and audited. What takes longer is worked out when it is asked for."""

    def __init__(self, train: list[Given], audit: Audit):
        self.train = tuple(train)
        self.audit = audit
        self.run: TrainRun = audit.run
        self.pressure: PressureLine = audit.pressure

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """What the audit found, gravest first."""
        return tuple(self.audit.findings())

    @cached_property
    def reasons(self) -> dict[str, list[str]]:
        """Stage id -> why it is there and why at this place."""
        return explain(self.audit, list(self.train))

    @cached_property
    def hours(self) -> dict[str, float]:
        """Stage id -> hour after midnight at which it regenerates."""
        return schedule(self.run)

    @property
    def tally(self) -> dict[str, int]:
        """How many findings of each severity, gravest first."""
        return {severity: sum(finding.severity == severity and not finding.waived for finding in self.findings) for severity in SEVERITIES}

    @property
    def warnings(self) -> list[Finding]:
        """Dangers about the water itself: shown above everything else."""
        return [finding for finding in self.findings if finding.severity == "danger" and not finding.stage]

    @property
    def about_the_water(self) -> list[Finding]:
        """What people have to be told about this water, whatever the train: health, gases, lead, what is referred."""
        told = ("boil-water", "nitrate-infants", "gas-hazard", "lead-plumbing", "refer/", "microbes-untested", "sodium-diet", "iron-bacteria-first")
        return [finding for finding in self.findings if finding.rule.startswith(told)]

    @property
    def doubts(self) -> list[Finding]:
        """Findings about the water test itself."""
        known = {rule.id.split("/")[0] for rule in RULES if rule.check.__module__ == checks.evidence.__name__}
        return [finding for finding in self.findings if finding.rule.split("/")[0] in known]

    @property
    def supply_findings(self) -> list[Finding]:
        """Findings about pressure, flow and temperature."""
        about = ("pressure-", "too-", "pipe-", "backwash-unmet")
        return [finding for finding in self.findings if finding.rule.startswith(about)]


class Design:
    """A job worked through: its design water, needs, demand, train, findings; and the planner's proposal."""

    engine = ENGINE

    def __init__(self, job: Job):
        self.job = job
        self.evidence: Evidence = gather(job.facts)
        flows, notes = demand(job.facts)
        source, more = supply(job.facts, flows.supply_flow, flows.design_flow.value)
        self.duty = Duty(job.facts, flows, source, rows_of(job.facts.working_values))
        self.needs: list[Need]
        self.needs, wishes = needs(job.facts, self.evidence.adverse, frozenset(self.evidence.stated))
        self.assumptions: list[Assumption] = [*self.evidence.assumptions, *notes, *more, *wishes, *own_values(job.facts)]
        self._runner = Runner(self.duty)

    def with_train(self, train: tuple[tuple[str, StageKeys], ...] | None) -> Design:
        """The same job with another train. Evidence, needs, and the planner's work are shared, not done again."""
        other = copy(self)
        other.job = Job(self.job.facts, train)
        for name in ("chosen", "given", "repaired"):
            other.__dict__.pop(name, None)
        other.__dict__["plan"] = self.plan
        return other

    def _judge(self, train: list[Given]) -> list[Finding]:
        return self._audit(train).findings(quick=True)

    def _audit(self, train: list[Given]) -> Audit:
        run = self._runner.run(train, self.evidence.adverse, self.evidence.favourable)
        return Audit(self.job.facts, self.duty, self.evidence, self.needs, run, pressure_line(run, self.duty), self._runner)

    def variant(self, train: list[Given]) -> Variant:
        """Run and audit any train for this job."""
        return Variant(train, self._audit(train))

    @cached_property
    def plan(self) -> Plan:
        """What the planner composes for this job."""
        return plan(self.duty, self.evidence, self.needs, self._runner, self._judge)

    def planned(self, avoid: frozenset[str], extra: tuple[tuple[tuple[str, Any], ...], ...] = ()) -> Plan:
        """What the planner composes when it may not use some kinds or media, and may use some blocks more."""
        return plan(self.duty, self.evidence, self.needs, self._runner, self._judge, avoid, extra)

    @cached_property
    def repaired(self) -> Repair:
        """The chosen train mended with the fewest changes."""
        return repair(self)

    @cached_property
    def proposal(self) -> Variant:
        """The planner's own train, run and audited."""
        return self.variant(list(self.plan.train))

    @property
    def samples_given(self) -> bool:
        """Whether anything was measured."""
        return any(sample.readings for sample in self.job.facts.samples)

    @property
    def water_shown(self) -> list[tuple[str, AnalyteState]]:
        """The design water as people look at it: measured first, then what was assumed or computed."""
        states = list(self.evidence.states.items())
        keep = [(name, state) for name, state in states if state.origin != "computed" or name in ("sodium", "tds", "iron", "hardness", "alkalinity")]
        return sorted(keep, key=lambda item: (item[1].origin in ("assumed", "computed"), list(analytes()).index(item[0])))

    @property
    def water_assumptions(self) -> list[Assumption]:
        """Assumptions about the water."""
        return [note for note in self.assumptions if note.path.startswith(("$.design_water", "$.design_basis", "$.samples"))]

    @property
    def supply_assumptions(self) -> list[Assumption]:
        """Assumptions about supply and use."""
        return [note for note in self.assumptions if note.path.startswith(("$.supply", "$.building"))]

    @property
    def likely_causes(self) -> list[Cause]:
        """What may be behind what was observed."""
        return causes(self.job.facts.observations, self.evidence)

    @cached_property
    def given(self) -> bool:
        """Whether the job came with a train of its own."""
        return self.job.train is not None

    @cached_property
    def chosen(self) -> Variant:
        """The train the job gives, audited as it is; the proposal where it gives none."""
        if self.job.train is None:
            return self.proposal
        return self.variant(name_stages([(kind, keys) for kind, keys in self.job.train]))

    def as_json(self) -> dict[str, Any]:
        """The design document, ``cairn-design/1``."""
        from .design_file import design_document

        return design_document(self)


def own_values(facts: Facts) -> list[Assumption]:
    """The job's own working values, told beside ours among the assumptions."""
    known = working_values()
    return [
        Assumption(f"$.working_values.{path}", told(path, own), f"{known[path].group}, {known[path].words.lower()}: the designer's own, {own.reason}")
        for path, own in facts.working_values.items()
    ]


def schedule(run: TrainRun) -> dict[str, float]:
    """Hour at which each bed regenerates: its own, else one of the night, two hours apart."""
    taken = {stage.keys.hour for stage in run.stages if stage.keys.hour is not None}
    hours: dict[str, float] = {}
    free = [hour for hour in (0.0, 2.0, 4.0, 1.0, 3.0) if hour not in taken]
    for stage in run.stages:
        if not stage.regenerates:
            continue
        hours[stage.id] = stage.keys.hour if stage.keys.hour is not None else (free.pop(0) if free else 0.5)
    return hours


def design(job: Job) -> Design:
    """Work a job through. Everything is computed when it is first asked for."""
    return Design(job)
