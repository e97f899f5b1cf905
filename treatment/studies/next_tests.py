"""Which test next: rerun the design at both ends of what is not known, and see what the answer would decide."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from ..design import Design
from ..evidence.samples import PLUMBING, AnalyteState, first_drawn
from ..job.facts import Facts, SampleFacts
from ..job.limits import limits_of
from ..job_file import Job
from ..language.analytes import analytes
from ..language.display import show
from ..language.reading import Reading
from ..language.tables import table
from ..treatments import ROOMS

MATTERS = 1.2  # a fifth more medium is worth a test; less is not
SOON = 96  # hours: a bottle that has to be hurried is said
DEMANDED = 12.0  # a finding of the proposal asks for it: between a stage that appears and a sum that shows enough
FOUNDED = 90.0  # a proposed stage stands on a value that is only assumed: before all else
STAGE_APPEARS, SIZE_CHANGES, HEALTH_FLIPS, ENOUGH_FLIPS, EXPLAINS = 10.0, 3.0, 30.0, 15.0, 8.0


class Decision(NamedTuple):
    """What a test decides, in words and in few words: the rest of a line that begins with the test."""

    words: str
    brief: str


@dataclass(frozen=True, slots=True)
class NextTest:
    """A test worth having: what it decides, the gravest first; worth per price class, the higher the better; its place."""

    analyte: str
    decisions: tuple[Decision, ...]
    worth: float
    price: int
    between: tuple[float, float]

    @property
    def decides(self) -> tuple[str, ...]:
        """What it decides, in words."""
        return tuple(each.words for each in self.decisions)

    def as_json(self, rank: int) -> dict[str, Any]:
        return {"analyte": self.analyte, "decides": list(self.decides), "rank": rank}


def next_tests(design: Design) -> list[NextTest]:
    """Tests that would change the design, the most telling for its price first."""
    asked = Asking(design)
    while asked.left:
        asked.step()
    return asked.ranked()


class Asking:
    """Which test next, worked out a value at a time, since each asks for designs of its own. left: how many values are not looked at yet."""

    def __init__(self, design: Design):
        self.design = design
        self._seen, self._demanded = _pointed_at(design), _demanded(design)
        self._ends = seen_ends(self._seen) | _uncertain(design)
        self._waiting = list(self._ends)
        self._found: dict[str, NextTest] = {}
        self.values = len(self._waiting)

    @property
    def left(self) -> int:
        return len(self._waiting)

    def step(self) -> None:
        """Look at one value more, if one is left: what the design would be at both its ends."""
        name = next(iter(self._waiting), None)
        if name is None:
            return
        test = self._worth(name, self._ends[name])
        if test is not None:
            self._found[name] = test
        if self._waiting[:1] == [name]:  # nobody else looked at it meanwhile
            del self._waiting[0]

    def _worth(self, name: str, ends: tuple[float, float]) -> NextTest | None:
        mild, adverse = (_at(self.design, name, end) for end in ends)
        decides, worth = _differences(mild, adverse, name)
        if name in self._demanded:
            state = self.design.evidence.states.get(name)
            decides, worth = decides or [self._demanded[name]], worth + (FOUNDED if state and state.origin == "assumed" else DEMANDED)
        if name in self._seen:
            said = self._seen[name]
            decides, worth = [*decides, Decision(f"what causes it: {said[0].lower()}{said[1:]}", "what causes the symptom")], worth + EXPLAINS
        price = price_class(name)
        return NextTest(name, tuple(decides), worth / price, price, ends) if decides else None

    def ranked(self) -> list[NextTest]:
        """The tests found so far and those that findings ask for, the most telling for its price first."""
        found = list(self._found.values())
        for name, says in self._demanded.items():
            if name not in self._ends:
                price = price_class(name)
                found.append(NextTest(name, (says,), DEMANDED / price, price, (0.0, 0.0)))
        return sorted(found, key=lambda test: (-test.worth, test.analyte))


def _at(design: Design, name: str, value: float) -> Design:
    """The design, had the test of one analyte given this value; the design's own proposal where it stands on that already.

    It does where water and needs are the same, and what was only assumed, or looked for and not found, is no more and no less.
    """
    fresh = Design(Job(_with(design.facts, name, value), None))
    one, other = fresh.evidence, design.evidence
    stands = one.adverse == other.adverse and one.only_assumed == other.only_assumed and one.undetected == other.undetected
    return design.with_train(None) if stands and fresh.needs == design.needs else fresh


def _demanded(design: Design) -> dict[str, Decision]:
    """What the findings of the proposal ask to be tested: analyte -> what it decides."""
    rows, found = table("tests")["demanded"], dict[str, Decision]()
    for finding in design.proposal.findings:
        base, _, part = finding.rule.partition("/")
        row = rows.get(finding.rule) or rows.get(base)
        for name in row["tests"] if row else ():
            analyte = part if name == "*" else name
            if analyte in analytes():
                found.setdefault(analyte, Decision(row["decides"], row["brief"]))
    for name, state in design.evidence.stated.items():
        if state.high is None and not analytes()[name].is_microbe:
            found.setdefault(name, Decision("how far it is above the range of the first test", "how high it really is"))
    return found


def price_class(analyte: str) -> int:
    """1 done on site, 2 a common laboratory test, 3 a dear one."""
    rows = table("tests")
    if analyte in rows["usual"]:
        return int(rows["usual"][analyte]["price"])
    return 3 if analyte in rows["price"]["dear"] else int(rows["price"][analytes()[analyte].test])


def _pointed_at(design: Design) -> dict[str, str]:
    """What the observations point to and nobody tested: analyte -> the observation."""
    return {
        cause.test: cause.said
        for cause in reversed(design.likely_causes)
        if cause.test and cause.curable and not design.evidence.measured(cause.test) and cause.test not in design.evidence.taps
    }


def seen_ends(seen: dict[str, str]) -> dict[str, tuple[float, float]]:
    """Between which values lies what was pointed at."""
    rows = table("tests")["seen"]
    return {name: (float(rows[name][0]), float(rows[name][1])) for name in seen if name in rows}


def _eats_metal(design: Design) -> bool:
    """Whether this water may dissolve metal: acid water that of any tap, soft water that of copper or unknown pipe."""
    pipe, row, water = design.facts.supply.pipe, design.duty.rows["house"], design.evidence.adverse
    metal = pipe is None or pipe.material in (None, "copper")
    soft = water.ph < row["soft_ph"] and water.value("alkalinity") < row["soft_alkalinity"]
    return bool(water.ph < row["aggressive_ph"] or (metal and soft))


def _uncertain(design: Design) -> dict[str, tuple[float, float]]:
    """Analytes that are not known well, and the two ends between which each lies."""
    evidence, facts = design.evidence, design.facts
    ends: dict[str, tuple[float, float]] = {}
    for name, state in evidence.stated.items():
        if not _decides(design, name, state):
            continue
        if state.high is not None and state.high > state.low and not analytes()[name].is_microbe and name not in ("ferrous_iron", "ferric_iron"):
            ends[name] = (state.low, state.high) if analytes()[name].adverse == "high" else (state.high, state.low)
    private = facts.source.kind != "town"
    kinds = {stage.kind for stage in design.plan.train}
    for name, row in table("tests")["usual"].items():
        if name in evidence.stated or (name == "hardness" and {"calcium", "magnesium"} <= set(evidence.stated)):
            continue
        if name == "total_coliform" and "e_coli" in evidence.stated:
            continue
        assumed = name in evidence.states and evidence.states[name].origin == "assumed" and name in ("hardness", "ph", "alkalinity")
        drawn = name in PLUMBING and name in first_drawn(facts)
        if assumed or (row.get("always") and private) or row.get("with") in kinds or (row.get("metal") and not drawn and _eats_metal(design)):
            ends[name] = (float(row["ends"][0]), float(row["ends"][1]))
    return ends


def _decides(design: Design, name: str, state: AnalyteState) -> bool:
    """Whether it matters where in its interval a reading lies: not where both ends are far within every limit of health, taste and treatment."""
    if name not in table("tests")["beneath"] or state.high is None:
        return True
    marks = [limit.high for limit in limits_of(design.facts) if limit.analyte == name]
    marks += [float(table("tests")["beneath"][name])] if table("tests")["beneath"][name] else []
    return not marks or state.high > min(marks)


def _with(facts: Facts, name: str, value: float) -> Facts:
    """The same job, had the test of one analyte given this value."""
    reading = Reading(name, value, value, "exact", f"{value:g}")
    samples = [replace(sample, readings={key: each for key, each in sample.readings.items() if key != name}) for sample in facts.samples]
    point, draw = ("tap", "first") if name in PLUMBING else ("raw", None)
    samples.append(SampleFacts(point=point, draw=draw, readings={name: reading}))
    return replace(facts, samples=tuple(samples))


def _differences(mild: Design, adverse: Design, name: str) -> tuple[list[Decision], float]:
    """What differs between the designs at the two ends, and what knowing it is worth."""
    said: list[Decision] = []
    worth = 0.0
    row = analytes()[name]
    flips = {need.goal for need in adverse.needs if need.health} ^ {need.goal for need in mild.needs if need.health}
    for goal in sorted(flips):
        own = "above its limit or not" if goal == name else f"{analytes()[goal].said} above its limit or not"
        said.append(Decision(f"whether {analytes()[goal].said} is above its health limit", own))
        worth += HEALTH_FLIPS
    one, other = mild.plan, adverse.plan
    few, many = {stage.kind for stage in one.train}, {stage.kind for stage in other.train}
    for kind in (kind for kind in ROOMS if kind in few ^ many):
        said.append(Decision(f"whether the {ROOMS[kind].title_said} is needed", f"{ROOMS[kind].title_said} or not"))
        worth += STAGE_APPEARS
    for kind in (kind for kind in ROOMS if kind in few & many):
        sizes = [_size(mild, kind), _size(adverse, kind)]
        if sizes[0][0] != sizes[1][0] or max(sizes[0][1], sizes[1][1]) > MATTERS * min(sizes[0][1], sizes[1][1]):
            size = f"the size of the {ROOMS[kind].title_said}: {sizes[0][2]} or {sizes[1][2]}"
            said.append(Decision(size, f"{ROOMS[kind].title_said} size"))
            worth += SIZE_CHANGES
    if one.complete != other.complete:
        enough = "whether the treatments sized here are enough" if row.key != "ph" else "whether the water can be treated without chemical feed"
        said.append(Decision(enough, "treated enough or not" if row.key != "ph" else "chemical feed or not"))
        worth += ENOUGH_FLIPS
    return said, worth


def _size(design: Design, kind: str) -> tuple[str, float, str]:
    """What would be bought for a stage: its vessel, how much of it, and both in words."""
    run = next(stage for stage in design.proposal.run.stages if stage.kind == kind)
    bed, params, system = run.sizing.bed, run.sizing.params, design.facts.job.units
    if bed is not None:
        count = f"{bed.vessels} × " if bed.vessels > 1 else ""
        return f"{count}{bed.tank}", bed.total_volume, f"{count}{show(bed.volume, 'L media', system)} in {bed.tank} in"
    if "rated_flow" in params:
        return "", params["rated_flow"], f"rated {show(params['rated_flow'], 'L/min', system)}"
    housing = str(params.get("housing", ""))
    return housing, 1.0, f"{housing} in"


def in_brief(test: NextTest) -> str:
    """The gravest thing a test decides, on one line, and how many more: "iron filter or not (+2)"."""
    more = len(test.decisions) - 1
    return f"{test.decisions[0].brief} (+{more})" if more else test.decisions[0].brief


def in_words(test: NextTest) -> str:
    """One sentence: "A laboratory iron test decides whether the iron filter is needed."."""
    row = analytes()[test.analyte]
    where = "An on-site" if test.price == 1 else "A laboratory"
    name = row.said if row.key != "uvt" else "UVT"
    soon = f" ({row.hold_words} of drawing)" if 0 < row.hold <= SOON and test.price > 1 else ""
    return f"{where} {name} test{soon} decides {_listed(test.decides)}."


def _listed(parts: tuple[str, ...]) -> str:
    return parts[0] if len(parts) == 1 else ", ".join(parts[:-1]) + " and " + parts[-1]
