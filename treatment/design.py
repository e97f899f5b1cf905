"""The one door: a job in, a design out. Web pages, the command line and every export pass through it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, partial
from typing import Any

from . import ENGINE, checks  # noqa: F401  importing checks registers the rules about the whole job
from .audit.audit import Audit
from .audit.rules import Finding
from .checks.pressure import surely_short
from .chemistry.water import OPEN_TO_AIR
from .evidence.gather import Evidence, gather
from .evidence.samples import AnalyteState, Assumption
from .evidence.symptoms import SymptomCause, causes
from .house.demand import demand
from .house.duty import Duty
from .house.hydraulics import supply
from .house.needs import Need, metals_over, needs
from .house.stock import Library
from .job.facts import Facts
from .job.working import rows_of, told, working_values
from .job_file import Job
from .language.analytes import MICROBES, analytes
from .language.memory import uncollected
from .language.spec import taken
from .planning.evaluated import EvaluatedTrain
from .planning.paths import Remembered, Terms
from .planning.planner import Plan, Planner, Tests
from .train.runner import Runner
from .train.treatment import Stage, name_stages
from .wall.laying import piping

AUDITS_REMEMBERED = 24


class DesignBasis:
    """What a job's facts alone decide, whatever its train: the water, the duty, the needs, and the train that would be composed."""

    def __init__(self, facts: Facts):
        self.facts = facts
        self.evidence: Evidence = gather(facts)
        flows, notes = demand(facts)
        source, more = supply(facts, flows.supply_flow, flows.design_flow.value)
        eats_metal = bool(metals_over(facts, self.evidence))
        self.duty = Duty(
            facts,
            flows,
            source,
            rows_of(facts.working_values),
            self.evidence.only_assumed,
            self.evidence.undetected,
            eats_metal=eats_metal,
            stock=Library(facts.catalogue, facts.site.wall_width),
        )
        self.needs: list[Need]
        self.needs, wishes = needs(facts, self.evidence)
        self._notes = (*notes, *more, *wishes)
        self._runner = Runner(self.duty, self.evidence.plumbing)
        self._remembered = Remembered()
        self._audits: dict[tuple[Stage[Any], ...], Audit] = {}

    @cached_property
    def assumptions(self) -> list[Assumption]:
        """What was taken where the job says nothing, or says it in a way that could mean two things."""
        facts = self.facts
        return [
            *self.evidence.assumptions,
            *self._notes,
            *own_values(facts),
            *stays_generic(self.duty.stock),
            *no_adder(facts),
            *as_calcium_carbonate(facts, "$"),
        ]

    def _audit(self, train: Sequence[Stage[Any]]) -> Audit:
        """A train run and put under audit; the last few are remembered, since a search judges what is then proposed."""
        known = tuple(train)
        found = self._audits.pop(known, None)
        if found is None:
            run = self._runner.run(known, self.evidence.adverse, self.evidence.favourable)
            laid = partial(piping, self.facts, run.stages, self.duty.supply.pipe.material)
            found = Audit(self.facts, self.duty, self.evidence, self.needs, run, laid, self._runner)
        self._audits[known] = found
        if len(self._audits) > AUDITS_REMEMBERED:
            del self._audits[next(iter(self._audits))]
        return found

    def variant(self, train: Sequence[Stage[Any]]) -> EvaluatedTrain:
        """Run and audit any train for this job."""
        return EvaluatedTrain(train, self._audit(train))

    def planned(self, terms: Terms | None = None) -> Plan:
        """What the planner composes by some terms: without some kinds, with some blocks more, with another way to hold microbes."""
        with uncollected():
            return Planner(self.duty, self.evidence, self.needs, self._runner, self._tests, terms, self._remembered).plan()

    @property
    def _tests(self) -> Tests:
        """How the planner's trains are judged."""
        return Tests(self._quickly, self._pressed, self._idle)

    def _pressed(self, train: Sequence[Stage[Any]]) -> frozenset[str]:
        audit = self._audit(train)
        return frozenset({"fault"}) if surely_short(audit) else audit.severities("pressure")

    def _quickly(self, train: Sequence[Stage[Any]]) -> list[Finding]:
        return self._audit(train).findings(quick=True)

    def _idle(self, train: Sequence[Stage[Any]]) -> frozenset[int]:
        unneeded = {finding.stage for finding in self._audit(train).findings() if finding.rule.startswith("unneeded/")}
        return frozenset(at for at, stage in enumerate(train) if stage.id in unneeded)

    @cached_property
    def plan(self) -> Plan:
        """What the planner composes for this job."""
        return self.planned()

    def undone(self, train: Sequence[Stage[Any]]) -> tuple[int, int, int, int]:
        """What a train leaves: microbes alive, health needs unmet, needs unmet, faults another train would mend."""
        audit = self._audit(train)
        unmet = [need for need in self.needs if not need.met_by(audit.run.finished, audit.run.tap)]
        faults = sum(finding.against_the_train for finding in audit.findings(quick=True))
        stood = audit.run.finished.value(OPEN_TO_AIR) > 0 and self.duty.drunk
        return sum(need.goal in MICROBES for need in unmet) + stood, sum(need.health for need in unmet), len(unmet), faults

    @cached_property
    def proposal(self) -> EvaluatedTrain:
        """The planner's own train, run and audited."""
        return self.variant(self.plan.train)


class Design:
    """A job worked through: its design water, needs, demand, train, findings; and the planner's proposal.

    Everything is computed when it is first asked for. What is asked of a finished design (a repair, alternatives, which
    test next, the wall, the documents) are functions over it, in ``studies``, ``drawing`` and ``papers``.
    """

    engine = ENGINE

    def __init__(self, job: Job, ground: DesignBasis | None = None):
        self.job = job
        self.ground = ground or DesignBasis(job.facts)

    def with_train(self, train: tuple[Stage[Any], ...] | None) -> Design:
        """The same job with another train. Evidence, needs, and the planner's work are shared, not done again."""
        return Design(Job(self.job.facts, train), self.ground)

    @property
    def facts(self) -> Facts:
        return self.ground.facts

    @property
    def evidence(self) -> Evidence:
        return self.ground.evidence

    @property
    def duty(self) -> Duty:
        return self.ground.duty

    @property
    def needs(self) -> list[Need]:
        return [need for need in self.ground.needs if not need.standing]

    @property
    def assumptions(self) -> list[Assumption]:
        stages = enumerate(self.job.train or ())
        return [*self.ground.assumptions, *(note for i, stage in stages for note in as_calcium_carbonate(stage.keys, f"$.train[{i}]"))]

    @property
    def plan(self) -> Plan:
        """What the planner composes for this job."""
        return self.ground.plan

    @property
    def proposal(self) -> EvaluatedTrain:
        """The planner's own train, run and audited."""
        return self.ground.proposal

    def variant(self, train: Sequence[Stage[Any]]) -> EvaluatedTrain:
        """Run and audit any train for this job."""
        return self.ground.variant(train)

    @property
    def given(self) -> bool:
        """Whether the job came with a train of its own."""
        return self.job.train is not None

    @cached_property
    def chosen(self) -> EvaluatedTrain:
        """The train the job gives, audited as it is; the proposal where it gives none."""
        return self.proposal if self.job.train is None else self.variant(name_stages(self.job.train))

    @property
    def samples_given(self) -> bool:
        """Whether anything was measured."""
        return any(sample.readings for sample in self.facts.samples)

    @property
    def water_shown(self) -> list[tuple[str, AnalyteState]]:
        """The design water as people look at it: measured first, then what was assumed or computed."""
        keep = [(name, state) for name, state in self.evidence.states.items() if state.origin != "computed" or "computed" in analytes()[name].places]
        order = list(analytes())
        return sorted(keep, key=lambda item: (item[1].origin in ("assumed", "computed"), order.index(item[0])))

    @property
    def water_assumptions(self) -> list[Assumption]:
        """Assumptions about the water."""
        return [note for note in self.assumptions if note.path.startswith(("$.design_water", "$.design_basis", "$.samples"))]

    @property
    def supply_assumptions(self) -> list[Assumption]:
        """Assumptions about supply and use."""
        return [note for note in self.assumptions if note.path.startswith(("$.supply", "$.building"))]

    @property
    def likely_causes(self) -> list[SymptomCause]:
        """What may be behind what was observed."""
        return causes(self.facts.observations, self.evidence)


def as_calcium_carbonate(held: Any, path: str) -> list[Assumption]:
    """Hardness written in plain mg/L or ppm, which was taken to be as CaCO3, each at its place."""
    return [Assumption(at, f"{value:g} mg/L CaCO3", "plain mg/L of hardness: taken to be as CaCO3") for at, value in taken(held, path)]


def no_adder(facts: Facts) -> list[Assumption]:
    """The school of a fixed adder without the adder: told, since iron then counts as nothing."""
    if facts.schools.iron_compensation != "fixed" or facts.schools.iron_adder is not None:
        return []
    return [
        Assumption(
            "$.schools.iron_adder",
            "0",
            "iron counts by a fixed adder, and none was given: it counts as nothing until the manufacturer's adder is entered",
        )
    ]


def stays_generic(library: Library) -> list[Assumption]:
    """What the company's catalogue does not sell at all, so that it is taken at generic sizes."""
    kinds = [kind.replace("_", " ") for kind in library.generic_kinds]
    if not kinds:
        return []
    return [
        Assumption("$.catalogue.items", "generic sizes", f"the catalog has no {' and no '.join(kinds)}: generic sizes at the price list's prices")
    ]


def own_values(facts: Facts) -> list[Assumption]:
    """The job's own working values, told beside ours among the assumptions."""
    known = working_values()
    return [
        Assumption(f"$.working_values.{path}", told(path, own), f"{known[path].group}, {known[path].words.lower()}: the designer's own, {own.reason}")
        for path, own in facts.working_values.items()
    ]


def design(job: Job) -> Design:
    """Work a job through. Everything is computed when it is first asked for."""
    return Design(job)
