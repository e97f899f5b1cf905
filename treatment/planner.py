"""Composes the shortest train in which every feed limit holds and every need is met, and says why.

Water runs through every order that could work; a treatment is tried where it changes the water and gets what
it needs. Reasons are found by trying: take a stage out, or swap it with its neighbour, and see what breaks.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from .analytes import analytes
from .audit import Audit, breaches, feed_breaches, without
from .display import show
from .duty import Duty
from .evidence import Evidence
from .needs import Need
from .rules import Finding
from .stages import ROOMS, Room
from .stages.sediment import SedimentKeys
from .train import Given, Runner, TrainRun, name_stages
from .water import Water

LONGEST = 8
WIDEST = 400
#: what a stage costs beside its place in the train, to choose between trains of one length
COST = {"sediment": 1.0, "uv": 2.0, "softener": 3.0, "neutralizer": 3.0, "oxidizing_filter": 3.5}
Stage = tuple[str, Any]
FINE = SedimentKeys(micron=5e-6)


@dataclass(frozen=True, slots=True)
class Plan:
    """A composed train. complete: every need is met and no fault is left; not_used: kind -> why not."""

    train: tuple[Given, ...]
    complete: bool
    not_used: dict[str, str]


@dataclass(frozen=True, slots=True)
class _Path:
    stages: tuple[Stage, ...]
    water: Water

    def kinds(self) -> list[str]:
        return [kind for kind, _ in self.stages]


def _blocks(water: Water, duty: Duty) -> list[tuple[Stage, ...]]:
    """What may be added in one step: a stage, with the companions it cannot do without."""
    blocks: list[tuple[Stage, ...]] = []
    for kind, room in ROOMS.items():
        for keys in room.candidates(water, duty):
            if kind == "uv":
                blocks.append((("sediment", FINE), (kind, keys)))
            elif kind == "oxidizing_filter" and keys.medium == "cartridge":
                blocks.append(((kind, keys), ("sediment", FINE)))
            else:
                blocks.append(((kind, keys),))
    return blocks


def _extend(path: _Path, block: tuple[Stage, ...], runner: Runner, duty: Duty) -> _Path | None:
    """The path with a block appended, None where a feed limit breaks or the water stays as it is."""
    stages, here = list(path.stages), path.water
    if block[0] == ("sediment", FINE) and len(block) > 1 and stages and stages[-1] == ("sediment", FINE):
        block = block[1:]
    for kind, keys in block:
        if any(breach.limit.severity != "advice" for breach in breaches(ROOMS[kind], keys, here, duty)):
            return None
        here = runner.through(kind, keys, here)[1]
        stages.append((kind, keys))
    if here == path.water:
        return None
    return _Path(tuple(stages), here)


def _repeats(path: _Path, block: tuple[Stage, ...]) -> bool:
    """A treatment comes once; two particle filters may, of different ratings, the coarser first."""
    for kind, keys in block:
        if kind == "sediment":
            if (kind, keys) in path.stages and len(block) == 1:
                return True
        elif kind in path.kinds():
            return True
    return "uv" in path.kinds()


def plan(duty: Duty, evidence: Evidence, needs: list[Need], runner: Runner, judge: Callable[[list[Given]], list[Finding]]) -> Plan:
    """The shortest train that works; where none does, the one that leaves least undone.

    judge: audits a train and returns its findings.
    """
    raw = evidence.adverse
    blocks = _blocks(raw, duty)
    front = [_Path(_prefilters(duty), raw)]
    best: tuple[tuple[float, ...], list[Given]] | None = None
    for _ in range(LONGEST):
        goals = [path for path in front if all(need.met_by(path.water) for need in needs)]
        for path in sorted(goals, key=lambda p: _price(p))[:8]:
            train = name_stages(list(path.stages))
            score = _score(path, judge(train))
            if best is None or score < best[0]:
                best = (score, train)
        if best is not None and best[0][0] == 0:
            break
        longer: dict[tuple[Stage, ...], _Path] = {}
        for path in front:
            for block in blocks:
                if not _repeats(path, block) and (after := _extend(path, block, runner, duty)):
                    longer[after.stages] = after
        if not longer:
            break
        front = sorted(longer.values(), key=lambda p: (_unmet(p, needs), _price(p)))[:WIDEST]
        if best is None or best[0][0] > 0:
            leading = front[0]
            train = name_stages(list(leading.stages))
            score = (1.0, *_unmet(leading, needs), *_score(leading, [])[1:])
            if not any(all(need.met_by(path.water) for need in needs) for path in front) and (best is None or score < best[0]):
                best = (score, train)
    if best is None:
        best = ((1.0,), name_stages(list(front[0].stages)))
    chosen = best[1]
    complete = best[0][0] == 0
    return Plan(tuple(chosen), complete, why_not(chosen, complete, duty, evidence, needs))


def _prefilters(duty: Duty) -> tuple[Stage, ...]:
    """A particle filter at the head of the train, where the job's school asks for one always."""
    school = duty.facts.schools.prefilter
    if school is None:
        return ()
    coarse: Stage = ("sediment", SedimentKeys(micron=25e-6))
    return (coarse, ("sediment", FINE)) if school == "staged" else (coarse,)


def _price(path: _Path) -> tuple[float, ...]:
    return (len(path.stages), sum(COST.get(kind, 3.0) for kind in path.kinds()))


def _unmet(path: _Path, needs: list[Need]) -> tuple[float, ...]:
    left = [need for need in needs if not need.met_by(path.water)]
    return (sum(need.health for need in left), len(left))


def _score(path: _Path, found: list[Finding]) -> tuple[float, ...]:
    """Lower is better: faults that stand, length, price, cautions."""
    about_water = ("boil-water", "nitrate-infants", "gas-hazard", "refer/", "health/", "pipe-velocity", "pressure-high", "too-")
    faults = sum(finding.severity in ("fault", "danger") and not finding.rule.startswith(about_water) for finding in found)
    cautions = sum(finding.severity == "caution" and bool(finding.stage) for finding in found)
    length, price = _price(path)
    return (float(faults), length, price, float(cautions))


def why_not(train: list[Given], complete: bool, duty: Duty, evidence: Evidence, needs: list[Need]) -> dict[str, str]:
    """For every treatment that is not in the train: why it is not."""
    used, raw = {stage.kind for stage in train}, evidence.adverse
    reasons: dict[str, str] = {}
    for kind, room in ROOMS.items():
        if kind in used:
            continue
        if kind == "uv" and duty.facts.schools.disinfection == "uv":
            tested = any(evidence.measured(name) for name in ("total_coliform", "e_coli"))
            reasons[kind] = "no microbes were found in the test" if tested else "microbes were not tested: test first, then decide"
            continue
        if kind == "sediment":
            reasons[kind] = "no particles were measured, and no lamp needs a filter before it"
            continue
        wanted = [need for need in needs if need.goal in room.answers]
        if not room.candidates(raw, duty):
            blocked = (duty.facts.wishes.no_salt and room.uses_salt) or (duty.facts.wishes.no_power and room.uses_power)
            reasons[kind] = "the wishes rule it out" if blocked else "this water gives it nothing to do"
        elif not wanted:
            names = ", ".join(analytes()[name].said for name in room.answers)
            reasons[kind] = f"no need for it: {names} lie within the limits and wishes"
        elif not complete and (blocked_by := [reason for keys in room.candidates(raw, duty) for reason in _refusals(room, keys, raw, duty)]):
            reasons[kind] = "it would help, but " + "; ".join(dict.fromkeys(blocked_by)) + ", and nothing here puts that right first"
        else:
            reasons[kind] = "another treatment in the train does its work with fewer stages"
    return reasons


def _refusals(room: Room, keys: Any, water: Water, duty: Duty) -> list[str]:
    """Feed limits of a treatment that a water breaks, in words."""
    system = duty.facts.job.units
    return [
        f"{analytes()[breach.limit.reads].said} is {show(breach.value, analytes()[breach.limit.reads].shown_unit, system)} and it takes {breach.asked(system)}"
        for breach in breaches(room, keys, water, duty)
        if breach.limit.severity != "advice"
    ]


def explain(audit: Audit, train: list[Given]) -> dict[str, list[str]]:
    """For every stage of a train: why it is there, and why at this place."""
    reasons: dict[str, list[str]] = {}
    run = audit.run
    for stage in run.stages:
        said = [f"Here because without it {trouble}." for trouble in _short(without(audit, stage))]
        if stage.kind == "uv":
            said = [
                "Here because microbes were found in the water."
                if audit.microbes_present
                else "Here as a barrier: no microbes were found or none were looked for."
            ]
        if stage.kind == "sediment" and not said:
            follows = audit.after(stage)
            said = [
                f"Here because the {follows.said} after it needs water free of particles."
                if follows and follows.kind == "uv"
                else "Here to keep grit and silt out of what follows."
            ]
        swapped = _swap_breaks(audit, train, stage.index)
        if swapped:
            said.append(f"After the {run.stages[stage.index - 1].said}: put before it, {swapped}.")
        reasons[stage.id] = said
    return reasons


def _short(trouble: list[str]) -> list[str]:
    return list(dict.fromkeys(trouble))[:2]


def _swap_breaks(audit: Audit, train: list[Given], index: int) -> str:
    """What would break if the stage stood before the one ahead of it; empty where nothing would."""
    if index == 0:
        return ""
    order = list(train)
    order[index - 1], order[index] = order[index], order[index - 1]
    run: TrainRun = audit.runner.run(order[: index + 1], audit.evidence.adverse, audit.evidence.adverse)
    now = {(stage.id, breach.limit.analyte) for stage in audit.run.stages for breach in feed_breaches(stage, audit.duty)}
    for stage in run.stages[index - 1 :]:
        for breach in feed_breaches(stage, audit.duty):
            if (stage.id, breach.limit.analyte) not in now:
                row = analytes()[breach.limit.reads]
                return f"{row.said} {audit.show(breach.value, row.shown_unit)} would reach the {stage.said}"
    first, second = run.stages[index - 1], run.stages[index]
    if first.kind == "softener" and second.water_out.hardness > second.water_in.hardness + 5:
        return f"it would not see the hardness that the {second.said} adds"
    if first.kind == "uv":
        return "it would let water stand after the lamp"
    return ""
