"""Composes the shortest train in which every feed limit holds and every need is met.

Water runs through every order that could work; a treatment is tried where it changes the water and gets what
it needs. What a treatment costs, what it cannot do without and where it never stands, its room says.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from functools import cache
from typing import Any, NamedTuple

from ..audit.audit import breaches
from ..audit.rules import Finding
from ..chemistry.water import Water
from ..evidence.gather import Evidence
from ..house.duty import Duty
from ..house.needs import Need
from ..stages import ROOMS
from ..train.room import Room, Stage, name_stages
from ..train.runner import Runner
from .reasons import why_not

LONGEST = 8
WIDEST = 30
CAUTION = 0.4  # what an avoidable caution weighs beside a price, a cartridge filter being 1
NEAREST = 4  # trains of each length that are looked at where none meets every need
Score = tuple[float, ...]
AnyStage = Stage[Any]


@dataclass(frozen=True, slots=True)
class Plan:
    """A composed train. complete: every need is met and no fault is left; not_used: kind -> why not."""

    train: tuple[AnyStage, ...]
    complete: bool
    not_used: dict[str, str]


@dataclass(frozen=True, slots=True)
class Block:
    """What may be added in one step: stages, and the companions they cannot do without before and after them."""

    own: tuple[AnyStage, ...]
    before: tuple[AnyStage, ...] = ()
    after: tuple[AnyStage, ...] = ()

    def behind(self, stages: tuple[AnyStage, ...]) -> tuple[AnyStage, ...]:
        """What it adds behind these stages: a companion that stands there already serves."""
        stands = bool(self.before) and stages[-len(self.before) :] == self.before
        return (() if stands else self.before) + self.own + self.after


class _Path(NamedTuple):
    """A train being composed; turned: how many pairs of its stages stand against the usual order.

    sharing: companions that stand at its end, and the path before them: what asks for the same ones may stand there, too.
    """

    stages: tuple[AnyStage, ...]
    water: Water
    tap: Water | None = None
    kinds: frozenset[str] = frozenset()
    price: float = 0.0
    turned: int = 0
    sharing: tuple[tuple[AnyStage, ...], _Path] | None = None

    @property
    def length_and_price(self) -> tuple[float, float]:
        """How many stages treat the water (a tank or a pump that only serves another is not counted), and what all cost."""
        return float(sum(not stage.room.serves for stage in self.stages)), self.price

    def meets(self, need: Need) -> bool:
        return need.met_by(self.water, self.tap)

    def longer(self, added: tuple[AnyStage, ...], water: Water, tap: Water | None) -> _Path:
        """The path with stages behind it, and the water that then leaves it."""
        stages, turned, price = self.stages, self.turned, self.price
        for stage in added:
            place = stage.room.place
            if place is not None:
                turned += sum(each.room.place is not None and each.room.place > place for each in stages)
            stages, price = (*stages, stage), price + _cost(stage)
        return _Path(stages, water, tap, self.kinds | {stage.kind for stage in added}, price, turned)


@cache
def _cost(stage: AnyStage) -> float:
    return stage.room.cost(stage.keys)


class Planner:
    """One search: what is asked, what may be used, and how a train is judged.

    judge: audits a train and returns its findings; avoid: kinds, media or forms not to be used; extra: blocks to try
    beside the rooms' own.
    """

    def __init__(
        self, duty: Duty, evidence: Evidence, needs: list[Need], runner: Runner, judge: Callable[[list[AnyStage]], list[Finding]],
        avoid: frozenset[str] = frozenset(), extra: Iterable[Block] = (),
    ):  # fmt: skip
        self.needs, self.runner, self.judge, self.avoid = needs, runner, judge, avoid
        self.evidence, self.raw = evidence, evidence.adverse
        self.head = self._head(duty)
        self.duty = replace(runner.duties(self.head, self.raw)[-1], stored=duty.stored) if self.head else duty
        self.blocks = [*self._blocks(), *extra]
        self._refused: dict[tuple[Room[Any], Any, Water], bool] = {}
        self._choosy, self._turned_away = True, False

    def plan(self) -> Plan:
        """The shortest train that works; where none does, the one that leaves least undone.

        What people would not live with is left out first, and taken where nothing works without it.
        """
        best, train = self._search()
        if not _works(best) and self._turned_away:
            self._choosy = False
            self._refused.clear()
            best, train = min((best, train), self._search(), key=lambda scored: scored[0])
        named = tuple(name_stages(train))
        return Plan(named, _works(best), why_not(named, _works(best), self.duty, self.evidence, self.needs))

    def _search(self) -> tuple[Score, tuple[AnyStage, ...]]:
        """The best train and its score."""
        front = [self._start()]
        best: Score = (float("inf"),)
        train: tuple[AnyStage, ...] = ()
        nearest: list[_Path] = list(front)
        for _ in range(LONGEST):
            for path in sorted((path for path in front if all(map(path.meets, self.needs))), key=lambda p: (p.length_and_price, p.turned))[:8]:
                if _works(best) and path.length_and_price > best[3:5]:
                    break  # dearer than one that works
                for tried in (path, self._pumped(path)):
                    found = self.judge(name_stages(tried.stages))
                    score = self._score(tried, found)
                    if score < best:
                        best, train = score, tried.stages
                    if not any("pressure" in finding.topics and finding.severity == "fault" for finding in found):
                        break
            if _works(best):
                break
            longer = [after for path in front for block in self.blocks if (after := self._extend(path, block)) is not None]
            if not longer:
                break
            front = _distinct(sorted(longer, key=lambda p: (self._unmet(p), p.length_and_price, p.turned)))
            nearest += front[:NEAREST]
        if not _works(best):
            best, train = min((best, train), self._nearest(nearest), key=lambda scored: scored[0])
        return best, train

    def _nearest(self, paths: list[_Path]) -> tuple[Score, tuple[AnyStage, ...]]:
        """Of the trains that come nearest to every need, the one with the fewest faults; a pump may be what is missing."""
        judged = []
        for path in sorted(paths, key=lambda p: (self._unmet(p), p.length_and_price, p.turned))[:NEAREST]:
            for tried in (path, self._pumped(path)):
                found = self.judge(name_stages(tried.stages))
                judged.append((self._score(tried, found), tried.stages))
                if not any("pressure" in finding.topics and finding.severity == "fault" for finding in found):
                    break
        return min(judged, key=lambda scored: scored[0])

    def _blocks(self) -> list[Block]:
        """Each treatment as its room offers it, by the water and by what a drinking tap or a wish asks."""
        at_tap = frozenset(need.goal for need in self.needs if need.tap)
        offers = [(room, room.candidates(self.raw, self.duty)) for room in ROOMS.values()]
        offers += [(room, room.asked_by(at_tap & set(room.answers), self.duty)) for room in ROOMS.values()]
        return [
            Block((Stage(room, keys),), *map(tuple, room.companions(keys, self.duty)))
            for room, several in offers
            if room.kind not in self.avoid
            for keys in several
            if not self.avoid & {str(held) for held in room.choices(keys).values()}
        ]

    def _head(self, duty: Duty) -> tuple[AnyStage, ...]:
        """With what every train of this job begins: what its source or its schools ask for always, in the order of the trade."""
        rooms: list[Room[Any]] = sorted(ROOMS.values(), key=lambda room: float("inf") if room.place is None else room.place)
        return tuple(Stage(room, keys) for room in rooms for keys in room.at_head(duty))

    def _start(self) -> _Path:
        """Where every train of this job begins."""
        here = self.raw
        for stage in self.head:
            here = self.runner.through(stage.room, stage.keys, here, self.duty).water
        return _Path((), self.raw).longer(self.head, here, None)

    def _extend(self, path: _Path, block: Block) -> _Path | None:
        """The path with a block appended; None where it never stands there, a feed limit breaks, or the water stays as it is."""
        if self._forbidden(path, block):
            return None
        start = path.sharing[1] if block.after and path.sharing and path.sharing[0] == block.after else path
        here, tap = start.water, start.tap
        added = block.behind(start.stages)
        before = here
        for index, stage in enumerate(added):
            room, keys = stage.room, stage.keys
            if index == len(added) - len(block.after):
                before = here
            if self._refuses(room, keys, here):
                return None
            out = self.runner.through(room, keys, self.runner.arriving(room, keys, here), self.duty).water
            if room.at_tap(keys):
                tap = out
            else:
                here = out
        if here == path.water and tap == path.tap:
            return None
        longer = start.longer(added, here, tap)
        return longer._replace(sharing=(block.after, start.longer(added[: -len(block.after)], before, tap))) if block.after else longer

    def _refuses(self, room: Room[Any], keys: Any, water: Water) -> bool:
        """Whether a water breaks a feed limit that is more than a caution; remembered, since many orders bring the same water."""
        asked = (room, keys, water)
        if asked not in self._refused:
            broken = any(breach.limit.severity not in ("advice", "caution") for breach in breaches(room, keys, water, self.duty))
            unfit = not broken and self._choosy and room.unfit(keys, water, self.duty)
            self._turned_away = self._turned_away or unfit
            self._refused[asked] = broken or unfit
        return self._refused[asked]

    def _forbidden(self, path: _Path, block: Block) -> bool:
        """A treatment comes once, unless it may repeat in another form; some never follow others; nothing but a tap follows the end."""
        for stage in block.own:
            if (stage in path.stages) if stage.room.repeats else (stage.kind in path.kinds):
                return True
            if stage.room.refuses_after(path.stages, self.duty, self.raw):
                return True
        if any(stage.room.ends for stage in path.stages) and not all(stage.at_tap for stage in block.own):
            return True
        return bool(path.stages) and path.stages[-1].at_tap

    def _pumped(self, path: _Path) -> _Path:
        """The path with a booster pump at its head, where the source's pressure is too low for it."""
        if self.duty.facts.wishes.no_power or any(stage.room.pumps for stage in path.stages):
            return path
        pump = next(Stage(room, room.Keys()) for room in ROOMS.values() if room.pumps)
        return path._replace(stages=(pump, *path.stages), kinds=path.kinds | {pump.kind}, price=path.price + _cost(pump))

    def _unmet(self, path: _Path) -> tuple[int, int]:
        left = [need for need in self.needs if not path.meets(need)]
        return sum(need.health for need in left), len(left)

    def _score(self, path: _Path, found: list[Finding]) -> Score:
        """Lower is better: health needs unmet, needs unmet, faults another train would mend, length, price with its cautions, turns against the usual order."""
        faults = sum(finding.against_the_train for finding in found)
        cautions = sum(finding.severity == "caution" and bool(finding.stage) for finding in found)
        length, price = path.length_and_price
        return (*self._unmet(path), faults, length, price + CAUTION * cautions, path.turned)


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


def _works(score: Score) -> bool:
    """Whether a train of this score meets every need without a fault."""
    return score[:3] == (0, 0, 0)
