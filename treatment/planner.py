"""Composes the shortest train in which every feed limit holds and every need is met, and says why.

Water runs through every order that could work; a treatment is tried where it changes the water and gets what
it needs. Reasons are found by trying: take a stage out, or swap it with its neighbour, and see what breaks.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from .analytes import analytes
from .audit import Audit, breaches, without
from .display import show
from .duty import Duty
from .evidence import Evidence
from .needs import TAP_GOALS, TASTED, Need
from .rules import Finding
from .stages import ROOMS, Room
from .stages.booster_pump import BoosterPumpKeys
from .stages.first_flush import FirstFlushKeys
from .stages.neutralizer import NeutralizerKeys
from .stages.pressure_reducing_valve import ReducingValveKeys
from .stages.retention_tank import RetentionTankKeys
from .stages.reverse_osmosis import ReverseOsmosisKeys
from .stages.sediment import SedimentKeys
from .stages.storage_tank import StorageTankKeys
from .stages.uv import UvKeys
from .train import Given, Runner, TrainRun, name_stages
from .water import Water

LONGEST = 8
WIDEST = 30
#: what a stage costs beside its place in the train, to choose between trains of one length
COST = {
    "sediment": 1.0, "uv": 2.0, "scale_control": 2.0, "carbon": 2.5, "barrier_filter": 2.5, "softener": 3.0, "neutralizer": 3.0, "retention_tank": 1.0,
    "oxidizing_filter": 3.5, "reverse_osmosis": 3.5, "chemical_feed": 4.0, "anion_exchange": 4.0, "aeration": 4.5, "booster_pump": 1.0,
}  # fmt: skip
#: a medium that is dearer or fussier than the usual one of its kind
FUSS = {
    "greensand": 0.6,
    "manganese_dioxide": 0.8,
    "coated_oxygen": 0.5,
    "blend": 0.4,
    "catalytic": 0.3,
    "backwashing": 2.0,
    "dual_gradient": 0.3,
    "spin_down": 0.2,
}
#: the order of the trade, to choose between trains that do as well; particle filters stand wherever they are needed
USUAL = ("first_flush", "storage_tank", "booster_pump", "pressure_reducing_valve", "aeration", "chemical_feed", "retention_tank", "neutralizer",
         "oxidizing_filter", "carbon", "softener", "scale_control", "anion_exchange", "barrier_filter", "uv", "reverse_osmosis")  # fmt: skip
RANK = {kind: place for place, kind in enumerate(USUAL)}
Stage = tuple[str, Any]
FINE = SedimentKeys(micron=5e-6)
PUMP: Stage = ("booster_pump", BoosterPumpKeys())


@dataclass(frozen=True, slots=True)
class Plan:
    """A composed train. complete: every need is met and no fault is left; not_used: kind -> why not."""

    train: tuple[Given, ...]
    complete: bool
    not_used: dict[str, str]


@dataclass(frozen=True, slots=True)
class _Path:
    """A train being composed; turned: how many pairs of its stages stand against the usual order."""

    stages: tuple[Stage, ...]
    water: Water
    tap: Water | None = None
    turned: int = 0

    def kinds(self) -> list[str]:
        return [kind for kind, _ in self.stages]

    def meets(self, need: Need) -> bool:
        return need.met_by(self.water, self.tap)


def _blocks(water: Water, duty: Duty, needs: list[Need], avoid: frozenset[str]) -> list[tuple[Stage, ...]]:
    """What may be added in one step: a stage, with the companions it cannot do without.

    avoid: kinds, media or forms that are not to be used (the planner then finds another way).
    """
    blocks: list[tuple[Stage, ...]] = []
    for kind, room in ROOMS.items():
        if kind in avoid:
            continue
        for keys in room.candidates(water, duty):
            if avoid & {str(getattr(keys, name, "")) for name in ("medium", "form", "chemical", "target", "element", "method")}:
                continue
            if kind == "uv":
                blocks.append((("sediment", FINE), (kind, keys)))
            elif kind == "oxidizing_filter" and keys.medium == "cartridge":
                blocks.append(((kind, keys), ("sediment", FINE)))
            elif kind == "chemical_feed" and keys.chemical == "chlorine":
                blocks.append(((kind, keys), ("retention_tank", RetentionTankKeys())))
            else:
                blocks.append(((kind, keys),))
    if "reverse_osmosis" not in avoid:
        blocks += _membranes(duty, needs)
    return blocks


def _membranes(duty: Duty, needs: list[Need]) -> list[tuple[Stage, ...]]:
    """A membrane at the drinking tap where that answers a need; for the whole house only where it is wished."""
    found: list[tuple[Stage, ...]] = []
    if any(need.tap and need.goal in TAP_GOALS for need in needs):
        found.append((("reverse_osmosis", ReverseOsmosisKeys(scale="point_of_use")),))
    if duty.facts.wishes.high_purity and not duty.facts.wishes.no_power:
        house: tuple[Stage, ...] = (("reverse_osmosis", ReverseOsmosisKeys(scale="whole_house")), PUMP, ("neutralizer", NeutralizerKeys(flow="up")))
        found.append((("sediment", FINE), *house, ("sediment", FINE), ("uv", UvKeys())))
    return found


def _extend(path: _Path, block: tuple[Stage, ...], runner: Runner, duty: Duty) -> _Path | None:
    """The path with a block appended, None where a feed limit breaks or the water stays as it is."""
    stages, here, tap, turned = list(path.stages), path.water, path.tap, path.turned
    if block[0] == ("sediment", FINE) and len(block) > 1 and stages and stages[-1] == ("sediment", FINE):
        block = block[1:]
    for kind, keys in block:
        room = ROOMS[kind]
        if any(breach.limit.severity not in ("advice", "caution") for breach in breaches(room, keys, here, duty)):
            return None
        out = runner.through(kind, keys, here)[1]
        if room.at_tap(keys):
            tap = out
        else:
            here = out
        turned += sum(RANK.get(before, 0) > RANK.get(kind, len(RANK)) for before, _ in stages)
        stages.append((kind, keys))
    if here == path.water and tap == path.tap:
        return None
    return _Path(tuple(stages), here, tap, turned)


def _repeats(path: _Path, block: tuple[Stage, ...], carbon_first: bool) -> bool:
    """A treatment comes once; two particle filters may, of different ratings, the coarser first. Carbon and softener keep their order."""
    kinds = path.kinds()
    for kind, keys in block:
        if kind == "sediment":
            if len(block) == 1 and ((kind, keys) in path.stages or kinds.count("sediment") > 1 or (kinds and kinds[-1] == "sediment")):
                return True
        elif kind in kinds and kind not in ("booster_pump",) and not (kind == "neutralizer" and len(block) > 3):
            return True
        if kind == "neutralizer" and "softener" in kinds and len(block) == 1:
            return True  # it would put hardness back
        if kind == "carbon" and carbon_first and "softener" in kinds:
            return True
        if kind == "softener" and not carbon_first and "carbon" in kinds:
            return True
    ended = "uv" in kinds and not all(ROOMS[kind].at_tap(keys) for kind, keys in block)
    return ended or (bool(path.stages) and ROOMS[path.stages[-1][0]].at_tap(path.stages[-1][1]))


def carbon_first(duty: Duty, water: Water) -> bool:
    """Whether carbon stands before the softener: the job's school; else on chlorinated water, not on a clear well."""
    school = duty.facts.schools.carbon_order
    if school != "auto":
        return school == "first"
    return duty.facts.source.disinfectant in ("chlorine", "chloramine") or max(water.value("free_chlorine"), water.value("total_chlorine")) > TASTED


def plan(
    duty: Duty,
    evidence: Evidence,
    needs: list[Need],
    runner: Runner,
    judge: Callable[[list[Given]], list[Finding]],
    avoid: frozenset[str] = frozenset(),
    extra: tuple[tuple[Stage, ...], ...] = (),
) -> Plan:
    """The shortest train that works; where none does, the one that leaves least undone.

    judge: audits a train and returns its findings; avoid: kinds and media not to be used; extra: blocks to try beside the rooms' own.
    """
    raw, first = evidence.adverse, carbon_first(duty, evidence.adverse)
    blocks = [*_blocks(raw, duty, needs, avoid), *extra]
    front = [_start(duty, raw, runner)]
    best = (_score(front[0], needs, []), name_stages(list(front[0].stages)))
    for _ in range(LONGEST):
        goals = [path for path in front if all(path.meets(need) for need in needs)]
        for path in sorted(goals, key=lambda p: (_price(p), p.turned))[:8]:
            if _works(best[0]) and _price(path) > best[0][3:5]:
                break  # dearer than one that works
            for tried in (path, _pumped(path, duty)):
                train = name_stages(list(tried.stages))
                found = judge(train)
                score = _score(tried, needs, found)
                if score < best[0]:
                    best = (score, train)
                if not any(finding.rule.startswith("pressure-") and finding.severity == "fault" for finding in found):
                    break
        if _works(best[0]):
            break
        longer = [after for path in front for block in blocks if not _repeats(path, block, first) and (after := _extend(path, block, runner, duty))]
        if not longer:
            break
        front = _distinct(sorted(longer, key=lambda p: (_unmet(p, needs), _price(p), p.turned)))
        leading = _score(front[0], needs, [])
        if leading[1] > 0 and leading < best[0]:  # one that meets every need is judged first
            best = (leading, name_stages(list(front[0].stages)))
    chosen = best[1]
    complete = _works(best[0])
    return Plan(tuple(chosen), complete, why_not(chosen, complete, duty, evidence, needs))


def _prefilters(duty: Duty) -> tuple[Stage, ...]:
    """A particle filter at the head of the train, where the job's school asks for one always."""
    school = duty.facts.schools.prefilter
    if school is None:
        return ()
    coarse: Stage = ("sediment", SedimentKeys(micron=25e-6))
    return (coarse, ("sediment", FINE)) if school == "staged" else (coarse,)


def _start(duty: Duty, raw: Water, runner: Runner) -> _Path:
    """Where every train of this job begins: rain is caught and stored; a filter where the school asks for one always."""
    stages: tuple[Stage, ...] = ()
    if duty.facts.source.kind == "rain":
        pressure = duty.facts.supply.pressure_low
        stages = (
            ("first_flush", FirstFlushKeys()),
            ("storage_tank", StorageTankKeys(dark=True, screened=True)),
            ("booster_pump", BoosterPumpKeys(pressure=pressure)),
        )
    elif max(duty.supply.pressure_high, duty.supply.night_pressure or 0.0) > duty.rows["house"]["house_max_kpa"]:
        stages = (("pressure_reducing_valve", ReducingValveKeys()),)
    stages += _prefilters(duty)
    here = raw
    for kind, keys in stages:
        here = runner.through(kind, keys, here)[1]
    return _Path(stages, here)


def _price(path: _Path) -> tuple[float, ...]:
    return (len(path.stages), sum(_cost(kind, keys) for kind, keys in path.stages))


def _cost(kind: str, keys: Any) -> float:
    fuss = sum(FUSS.get(str(getattr(keys, name, "")), 0.0) for name in ("medium", "form"))
    return COST.get(kind, 0.5) + fuss


def _distinct(paths: list[_Path]) -> list[_Path]:
    """The best paths, at most two of those that do the same to the water with the same treatments in another order."""
    seen: dict[Any, int] = {}
    kept = []
    for path in paths:
        same = (frozenset(path.stages), path.water.signature, path.tap.signature if path.tap else None)
        seen[same] = seen.get(same, 0) + 1
        if seen[same] <= 2:
            kept.append(path)
        if len(kept) == WIDEST:
            break
    return kept


def _pumped(path: _Path, duty: Duty) -> _Path:
    """The path with a booster pump at its head, where the source's pressure is too low for it."""
    if duty.facts.wishes.no_power or "booster_pump" in path.kinds():
        return path
    return _Path((PUMP, *path.stages), path.water, path.tap, path.turned)


def _unmet(path: _Path, needs: list[Need]) -> tuple[float, ...]:
    left = [need for need in needs if not path.meets(need)]
    return (sum(need.health for need in left), len(left))


def _score(path: _Path, needs: list[Need], found: list[Finding]) -> tuple[float, ...]:
    """Lower is better: health needs unmet, needs unmet, faults that stand, length, price, cautions, turns against the usual order.

    What no other train mends does not count: the water itself, the drain line, the room.
    """
    about_water = ("boil-water", "nitrate-infants", "gas-hazard", "refer/", "pipe-velocity", "pressure-high", "too-")
    about_the_room = ("does-not-fit", "frost", "unprotected-outlet", "drain-bore", "drain-lift", "drain-air-gap")
    faults = sum(finding.severity in ("fault", "danger") and not finding.rule.startswith(about_water + about_the_room) for finding in found)
    cautions = sum(finding.severity == "caution" and bool(finding.stage) for finding in found)
    return (*_unmet(path, needs), float(faults), *_price(path), float(cautions), float(path.turned))


def _works(score: tuple[float, ...]) -> bool:
    """Whether a train of this score meets every need without a fault."""
    return score[:3] == (0, 0, 0)


SERVING = {
    "pressure_tank": "it belongs to the pump, not to the treatment", "in_tank_uv": "no tank stands open here; it is never the last barrier",
    "first_flush": "no rain is caught here", "storage_tank": "nothing has to be stored", "booster_pump": "the source's own pressure serves",
    "pressure_reducing_valve": "the pressure stays below 80 psi (5.5 bar)", "retention_tank": "no chlorine is fed that needs time",
}  # fmt: skip


def why_not(train: list[Given], complete: bool, duty: Duty, evidence: Evidence, needs: list[Need]) -> dict[str, str]:
    """For every treatment that is not in the train: why it is not."""
    used, raw = {stage.kind for stage in train}, evidence.adverse
    reasons: dict[str, str] = {}
    for kind, room in ROOMS.items():
        if kind in used:
            continue
        if kind == "reverse_osmosis":
            reasons[kind] = (
                "nothing here asks for a membrane"
                if not any(need.tap for need in needs)
                else "another treatment does its work, or the water must be treated first"
            )
            continue
        if kind in SERVING:
            reasons[kind] = SERVING[kind]
            continue
        if kind == "uv" and duty.facts.schools.disinfection == "uv":
            if any(raw.value(name) > 0 for name in room.answers):
                trouble = (
                    []
                    if duty.facts.wishes.no_power
                    else [reason for keys in room.candidates(raw, duty) for reason in _refusals(room, keys, raw, duty)]
                )
                reasons[kind] = "; ".join(dict.fromkeys(trouble)) or (
                    "the wishes rule it out" if duty.facts.wishes.no_power else "another treatment does its work"
                )
                continue
            tested = any(evidence.measured(name) for name in ("total_coliform", "e_coli"))
            reasons[kind] = "no microbes were found in the test" if tested else "microbes were not tested: test first, then decide"
            continue
        if kind == "sediment":
            reasons[kind] = "no particles were measured, and no lamp needs a filter before it"
            continue
        wanted = [need for need in needs if need.goal in room.answers]
        if not room.candidates(raw, duty):
            blocked = (duty.facts.wishes.no_salt and room.uses_salt) or (duty.facts.wishes.no_power and room.uses_power)
            reasons[kind] = "the wishes rule it out" if blocked else "nothing in this water asks for it"
        elif not wanted and not room.answers:
            reasons[kind] = "a softener does more, or nothing scales here"
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
    now = {(stage.id, breach.limit.analyte) for stage in audit.run.stages for breach in audit.broken[stage.index]}
    for stage in run.stages[index - 1 :]:
        for breach in breaches(stage.room, stage.keys, stage.water_in, audit.duty):
            if (stage.id, breach.limit.analyte) not in now:
                row = analytes()[breach.limit.reads]
                return f"{row.said} {audit.show(breach.value, row.shown_unit)} would reach the {stage.said}"
    first, second = run.stages[index - 1], run.stages[index]
    if first.kind == "softener" and second.water_out.hardness > second.water_in.hardness + 5:
        return f"it would not see the hardness that the {second.said} adds"
    if first.kind == "uv":
        return "it would let water stand after the lamp"
    return ""
