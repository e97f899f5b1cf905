"""The second pair of eyes: reads any train and says what is wrong with it, with the numbers.

Rules that belong to one treatment stand in its room, those about the whole job in ``checks/``. All are listed
in ``docs/rules.md``, written from the registry.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from ..chemistry.water import Water
from ..evidence.gather import Evidence
from ..house.duty import Duty
from ..house.needs import Need
from ..job.facts import Facts
from ..job.feed_limits import FeedLimit
from ..job.limits import Limit, limits_of
from ..language.analytes import MICROBES, analytes
from ..language.display import show
from ..language.figure import source as cite
from ..language.tables import table
from ..train.piping import Piping
from ..train.pressure import PressureLine, pressure_line
from ..train.runner import Runner
from ..train.treatment import StageRun, TrainRun, Treatment
from .rules import SEVERITIES, Finding, Hit, Rule, accepted, rules_for


class Audit:
    """A train under audit: everything a rule may look at."""

    def __init__(self, facts: Facts, duty: Duty, evidence: Evidence, needs: list[Need], run: TrainRun, laid: Callable[[], Piping], runner: Runner):
        """laid: the pipe of its wall, drawn when it is asked for."""
        self.facts, self.duty, self.evidence, self.needs = facts, duty, evidence, needs
        self.run, self.runner, self._laid = run, runner, laid
        self._quick: list[Finding] | None = None

    @cached_property
    def piping(self) -> Piping:
        """The pipe of its wall, as water feels it."""
        return self._laid()

    @cached_property
    def pressure(self) -> PressureLine:
        """The falling line of pressure, from the source to the highest tap."""
        return pressure_line(self.run, self.duty, self.piping)

    @cached_property
    def limits(self) -> tuple[Limit, ...]:
        """The limits of this job."""
        return limits_of(self.facts)

    def show(self, value: float, unit: str) -> str:
        """A value as this job's people read it."""
        return show(value, unit, self.facts.job.units)

    def show_rise(self, degrees: float) -> str:
        """A difference of temperature [K] as this job's people read it."""
        return f"{degrees * 1.8:.0f} °F" if self.facts.job.units == "us" else f"{degrees:.0f} °C"

    def reads(self, analyte: str, value: float) -> str:
        """A value of an analyte as this job's people read it."""
        return self.show(value, analytes()[analyte].shown_unit)

    def limit(self, analyte: str) -> float | None:
        """The strictest ceiling of this job's standard for an analyte, in its canonical unit."""
        highs = [limit.high for limit in self.limits if limit.analyte == analyte]
        return min(highs) if highs else None

    @property
    def microbes_found(self) -> bool:
        """Whether a sample found microbes."""
        return bool(self.evidence.microbes_found)

    @cached_property
    def microbes_present(self) -> bool:
        """Whether microbes are in the raw water: found, or carried by this kind of source."""
        return any(self.run.raw.value(name) > 0 for name in MICROBES)

    @cached_property
    def broken(self) -> list[list[Breach]]:
        """Feed limits that the water arriving at each stage breaks, in the order of the train."""
        return [breaches(stage.room, stage.keys, stage.water_in, stage.duty) for stage in self.run.stages]

    @cached_property
    def breaks(self) -> dict[tuple[str, str], str]:
        """Which stages get water with too much (or too little) of what, and how grave that is: stage id and analyte -> severity."""
        return {(stage.id, breach.limit.analyte): breach.limit.severity for stage in self.run.stages for breach in self.broken[stage.index]}

    def findings(self, quick: bool = False) -> list[Finding]:
        """Every finding, gravest first, then in the order of the train. quick: without trying what each stage is for."""
        if self._quick is None:
            self._quick = [self._told(known, hit, "") for known in rules_for("") for hit in known.check(self)]
            self._quick += self._of_stages(tries=False)
        found = self._quick if quick else [*self._quick, *self._tried]
        if self.facts.waivers:
            found = accepted(found, self.facts.waivers)
        place = {stage.id: stage.index for stage in self.run.stages}
        return sorted(found, key=lambda finding: (SEVERITIES.index(finding.severity), place.get(finding.stage, -1), finding.rule))

    def severities(self, topic: str) -> frozenset[str]:
        """How grave what the rules find on a topic is, of the whole job and of its stages, without asking the others."""
        whole = (hit.severity for known in rules_for("") if topic in known.topics for hit in known.check(self))
        staged = (
            hit.severity for stage in self.run.stages for known in rules_for(stage.kind) if topic in known.topics for hit in known.check(self, stage)
        )
        return frozenset({*whole, *staged})

    @cached_property
    def _tried(self) -> list[Finding]:
        """What the rules find that try trains of their own."""
        return self._of_stages(tries=True)

    def _of_stages(self, tries: bool) -> list[Finding]:
        """What the rules of each stage find: those that try trains of their own, or the others."""
        return [
            self._told(known, hit, stage.id)
            for stage in self.run.stages
            for known in rules_for(stage.kind, tries)
            for hit in known.check(self, stage)
        ]

    def _told(self, known: Rule, hit: Hit, stage: str) -> Finding:
        """What a rule found, with its id, stage, topics and source. stage: the one it looked at."""
        where = stage if hit.stage is None else hit.stage
        return Finding(known.final_id(hit.parts), hit.severity, where, hit.message, hit.remedy, hit.source or cite(known.source), known.topics)


@dataclass(frozen=True, slots=True)
class Breach:
    """A feed limit that the water arriving at a stage breaks. assumed: nobody measured what arrives.

    excess: how far it is passed, as a share of the limit (of pH: in units). barred: so far that no train is built on it.
    """

    limit: FeedLimit
    value: float
    assumed: bool = False
    excess: float = 0.0
    barred: bool = False

    def asked(self, system: str) -> str:
        """The limit of the stage's feed, in words."""
        unit = analytes()[self.limit.reads].shown_unit
        return show(self.limit.high, unit, system) if self.limit.high is not None else f"at least {show(self.limit.low, unit, system)}"

    def said(self, system: str) -> str:
        """What arrives and what is taken, in words."""
        row = analytes()[self.limit.reads]
        return f"{row.said} is {show(self.value, row.shown_unit, system)} and the feed limit is {self.asked(system)}"

    def short(self, system: str) -> str:
        """The same for a list: what arrives, and what is taken."""
        row = analytes()[self.limit.reads]
        return f"{row.name} {show(self.value, row.shown_unit, system)}; the feed limit is {self.asked(system)}"


def breaches(room: Treatment[Any], keys: Any, water: Water, duty: Duty) -> list[Breach]:
    """Feed limits of a treatment that a water breaks; of several on one analyte the gravest.

    What was only assumed never keeps out what holds microbes: there it is a caution. So is a limit that is barely passed.
    """
    worst: dict[str, Breach] = {}
    for limit in room.takes(keys, water, duty):
        value = water.get(limit.reads)
        if value is not None and limit.broken_by(value):
            if duty.not_found(limit.reads, value):
                continue  # a test that found none accuses nothing; a finer one is asked for among the next tests
            assumed = room.disinfects and duty.only_assumed(limit.reads, value)
            breach = _weighed(limit, value, assumed)
            known = worst.get(limit.analyte)
            if known is None or SEVERITIES.index(breach.limit.severity) < SEVERITIES.index(known.limit.severity):
                worst[limit.analyte] = breach
    return list(worst.values())


def _weighed(limit: FeedLimit, value: float, assumed: bool) -> Breach:
    """A limit that is passed, with how far: barely is a caution, whatever the table says of it; so is what was only assumed."""
    row = table("planning")["limits"]
    bound = limit.high if limit.high is not None and value > limit.high else limit.low or 0.0
    if limit.analyte == "ph":
        excess, barely, barred = abs(value - bound), row["ph_barely"], row["ph_barred"]
    elif bound <= 0:  # none at all is borne
        return Breach(limit._replace(severity="caution") if assumed else limit, value, assumed, 1.0, not assumed and limit.severity == "fault")
    else:
        excess, barely, barred = abs(value - bound) / bound, row["barely"] - 1, (row["barred"] - 1 if value > bound else 1 - 1 / row["barred"])
    mild = limit.severity == "fault" and (assumed or excess <= barely + 1e-9)
    weighed = limit._replace(severity="caution") if mild else limit
    return Breach(weighed, value, assumed, excess, weighed.severity == "fault" and excess > barred)


def refusals(room: Treatment[Any], keys: Any, water: Water, duty: Duty) -> list[str]:
    """Feed limits of a treatment that a water breaks, in words."""
    return [breach.said(duty.facts.job.units) for breach in breaches(room, keys, water, duty) if breach.limit.severity != "advice"]


def without(audit: Audit, stage: StageRun[Any]) -> list[str]:
    """What goes wrong when a stage is taken out and the others stay as they are: needs and feed limits that are then no longer met."""
    here, trouble, wanted, ahead = stage.water_in, [], [], audit.run.before(stage)
    tap: Water | None = None
    branch: Water | None = None
    for other in audit.run.earlier(stage):
        branch = other.water_out if other.at_tap else None
        tap = branch or tap
    for other in audit.run.later(stage):
        met = audit.runner.arriving(other.room, other.keys, here, branch)
        idle = ahead is not None and other.room.idle_behind(other, ahead)
        out = met if idle else audit.runner.as_sized(other.room, other.keys, other.sizing, other.water_in, met, other.duty)
        ahead = other
        for breach in breaches(other.room, other.keys, met, other.duty):
            stands = next((each for each in audit.broken[other.index] if each.limit.analyte == breach.limit.analyte), None)
            if _graver(breach, stands):
                row = analytes()[breach.limit.reads]
                trouble.append(f"{row.said} would reach the {other.said} at {audit.show(breach.value, row.shown_unit)}")
        branch = out if other.at_tap else None
        tap, here = branch or tap, here if other.at_tap else out
    for need in audit.needs:
        if need.met_by(audit.run.finished, audit.run.tap) and not need.met_by(here, tap if tap is not None else audit.runner.drawn(here)):
            where = " at the drinking tap" if need.tap and stage.at_tap else ""
            wanted.append(f"{analytes()[need.goal].said} would stay at {audit.reads(need.goal, here.value(need.goal))}{where}")
    return wanted + trouble


def _graver(breach: Breach, stands: Breach | None) -> bool:
    """Whether a limit is passed more gravely than it stands, by a severity or, where both are faults, by a tenth more. stands: None where it is not passed."""
    if stands is None or breach.limit.severity != stands.limit.severity:
        return SEVERITIES.index(breach.limit.severity) < SEVERITIES.index("advice" if stands is None else stands.limit.severity)
    barely = float(table("planning")["limits"]["barely"])
    return breach.limit.severity not in ("caution", "advice") and breach.excess > stands.excess * barely + 1e-9


def clock(hour: float) -> str:
    """``02:00`` from hours after midnight."""
    return f"{int(hour):02d}:{round(hour % 1 * 60):02d}"
