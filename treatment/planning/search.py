"""The one search: water runs through every order that could work, the cheapest first.

A state is a path: the stages taken so far, and the water here, now. What may come next is asked of that water: a
treatment that answers a need which is still open, or that takes away what keeps such a treatment from standing here.
Storage, a larger lamp, a restrictor, the ways to hold microbes, a branch to a tap are offers of the same search, each at
its price (``data/planning.toml``).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Set
from heapq import heappop, heappush
from itertools import count
from typing import Any

from ..audit.audit import Breach, breaches
from ..chemistry.water import OPEN_TO_AIR, PEROXIDE, SULFUR, Water
from ..house.duty import Duty
from ..house.needs import Need
from ..language.analytes import MICROBES
from ..language.figure import source
from ..language.tables import table
from ..train.bought import lacking
from ..train.runner import Runner
from ..train.treatment import Sizing, Stage, Treatment
from ..treatments import ROOMS
from .paths import AnyStage, AskedFor, Block, Node, Offer, Path, PathStep, Remembered, Terms, Waiting, alone, weighs

#: what a lamp, chlorine or a barrier is there for
_ALIVE = frozenset({*MICROBES, OPEN_TO_AIR})
#: what a train leaves open where none of the blocks stands in it that it is to be made with
_OFFERED = "offered"
#: what a companion before a stage may hold: seen only where it is tried
_STRAINED_OUT = frozenset({"turbidity", "tss", "ferric_iron"})


class Search:
    """The paths of one job, the cheapest first."""

    def __init__(self, duty: Duty, raw: Water, needs: Iterable[Need], runner: Runner, terms: Terms, remembered: Remembered):
        self.duty, self.raw, self.runner, self.avoid, self.extra, other = duty, raw, runner, terms.avoid, terms.extra, terms.other
        self.brief, self.must, self.freed = other, terms.must, terms.freed
        self.needs = [*needs, *_standing(duty)]
        ways = terms.ways or (duty.facts.schools.disinfection,)
        self.ways = (*ways, *(way for way in table("planning")["disinfection"] if way not in ways))
        self.row = table("planning")["price"]
        self.rooms = [room for room in ROOMS.values() if room.offers and room.kind not in self.avoid]
        self.at_tap = frozenset(need.goal for need in self.needs if need.tap)
        #: kinds that come once, and come with the blocks the train is to be made with
        self._kept = frozenset(stage.kind for block in self.extra for stage in block.own if not stage.room.repeats) if self.must else frozenset()
        self._tapped = frozenset(goal for goal in self.at_tap if any(goal in room.answers for room in self.rooms))
        self._steps, self._limits, self._all_offers = remembered.steps, remembered.limits, remembered.offers
        self._left: dict[tuple[Water, Water | None, bool], tuple[frozenset[str], tuple[int, int, int]]] = {}
        self._offers: dict[tuple[Water, int], dict[str, list[Offer]]] = {}
        self._bounds: dict[frozenset[str], float] = {}
        self._answers: dict[str, dict[str, float]] = {}
        self._queue: list[tuple[float, int, int, float, Waiting]] = []
        self._haste, self._last = 1.0, False
        #: needs that no path answered so far
        self._never = frozenset(need.goal for need in self.needs)
        #: whether a train was found that works
        self.served = False
        self._open_weighs = float(self.row["open_last"])
        self._fault_eased, self._unmet_eased = (float(self.row[name] - self.row[name + "_last"]) for name in ("fault", "unmet"))
        #: where a block first met a limit that is no caution, and the water it was
        self._failed: dict[Block, tuple[AskedFor, Water]] = {}
        #: in the end, where all is tried: how many paths of the same treatments, and how many that begin so, were looked behind, and may be
        self._alike, self._begun, self._share = Counter[tuple[frozenset[str], int]](), Counter[int](), 0.0
        self._ticket = count()
        #: why a treatment that was wanted did not stand where it was first tried: kind -> what barred it; and what stood somewhere
        self.barred: dict[str, tuple[Breach, ...]] = {}
        self.stood: set[str] = set()
        self.expanded = 0
        #: what no train may weigh: an alternative bears no fault
        self.worst = float(self.row["fault"]) if other else float("inf")
        self.most, self.patient = (int(self.row[name + ("_other" if other else "_most")]) for name in ("expanded", "patient"))

    # --- the order of the search --------------------------------------------------------------------------------------
    def paths(self) -> Iterator[tuple[Path, float]]:
        """Every path worth a look with the least that a train on it can cost, the cheapest first; a train may end anywhere.

        What may follow a path waits in the queue at the least it can cost, and is worked out when it is its turn.
        """
        seen = set()
        starts = list(self._starts())
        for path in starts:
            self._push(self._ready(path))
        most, patient = self.most, self.patient
        while self._queue:
            if self.expanded >= patient and self._haste == 1.0:
                self._hurry(float(self.row["haste"]))
            if self.expanded >= most and not self.served and not self._last and not self.brief:
                self._last = True
                self._hurry(float(self.row["haste_last"]))
                most += int(self.row["expanded_last"])
                self._share = self.row["expanded_last"] / len(starts)
            estimate, _, _, least, turn = heappop(self._queue)
            if estimate >= self.worst:
                return
            if turn.path is None:
                self._try(turn, least)
                continue
            path = turn.path
            known = (path.water, path.tap, path.kinds, id(path.duty))
            if known in seen:
                continue
            seen.add(known)
            yield path, least
            left = self._open(path)
            self._never &= left
            if self.expanded < most and left and not _done(path) and not (self._last and self._had_its_share(path)):
                self.expanded += 1
                self._look_behind(Node(path, left), left)

    def _push(self, turn: Waiting) -> None:
        """Let it wait at the least it can cost; in haste what is still open, and another way of holding microbes, weigh more."""
        bound = self._bound(turn.left)
        least = max(turn.least, turn.price + bound)
        estimate = least + (self._haste - 1.0) * (bound if self._last or self.brief else bound + turn.departed)
        if self._last:
            estimate += self._open_weighs * len(turn.left) - self._fault_eased * turn.faults - self._unmet_eased * len(turn.stays & self._never)
        heappush(self._queue, (round(estimate, 6), -turn.deep, next(self._ticket), least, turn))

    def _ready(self, path: Path, stays: frozenset[str] = frozenset(), least: float = 0.0) -> Waiting:
        """A path that waits for what may follow it."""
        return Waiting(path.price, self._open(path), path.vetoed, stays, path.departed, path, least=least)

    @property
    def hurried(self) -> bool:
        """Whether it no longer took the cheapest first."""
        return self._haste > 1.0

    def _hurry(self, haste: float) -> None:
        """Where the cheapest first takes too long, what is still open weighs more than what it costs to come there: so many times as much."""
        self._haste = haste
        waiting, self._queue = self._queue, []
        for *_, least, turn in waiting:
            self._push(turn._replace(least=least))

    def _had_its_share(self, path: Path) -> bool:
        """Whether enough was looked behind that begins so, or of the same treatments in other orders: where some lead nowhere, their like seldom do."""
        held = (word for stage in path.stages for word in (stage.kind, *stage.room.choices(stage.keys).values()) if isinstance(word, str))
        alike = frozenset(held), path.start
        if self._alike[alike] >= self.row["alike_most"] or self._begun[path.start] >= self._share:
            return True
        self._alike[alike] += 1
        self._begun[path.start] += 1
        return False

    def _open(self, path: Path) -> frozenset[str]:
        """The needs that a path leaves open."""
        return self._leaves(path)[0]

    def _leaves(self, path: Path) -> tuple[frozenset[str], tuple[int, int, int]]:
        """The needs a path leaves open; and how many: of microbes alive, of health, in all. Remembered."""
        lacks = self.must and not any(set(block.own) <= set(path.stages) for block in self.extra)
        known = (path.water, path.tap, lacks)
        found = self._left.get(known)
        if found is None:
            left = [need for need in self.needs if not need.met_by(path.water, path.tap)]
            alive = sum(need.goal in MICROBES or need.goal == OPEN_TO_AIR for need in left)
            goals = frozenset((*(need.goal for need in left), *((_OFFERED,) if lacks else ())))
            found = self._left[known] = goals, (alive, sum(need.health for need in left), len(left) + lacks)
        return found

    def _look_behind(self, node: Node, goals: Set[str]) -> None:
        """Put into the queue what answers one of these goals and is offered to the water here."""
        path, more = node.path, set[str]()
        for block, helps, least in self._offered(path, goals):
            if helps & goals and block not in node.tried and not self._forbidden(path, block):
                node.tried.add(block)
                departs = weight = self._rung(block) if helps & node.unmet & _ALIVE else 0.0
                faults, stays = path.vetoed, frozenset[str]()
                if block.ends:  # what it leaves open stays so: nothing but a tap follows it
                    stays = node.unmet - helps - (self._tapped if not block.at_tap else frozenset())
                    weight += self.row["unmet"] * len(stays)
                if (failed := self._failed.get(block)) and self._still(*failed, path.water):
                    faults, weight = faults + 1, weight + self.row["fault"]
                    more |= failed[0].blocked
                price, departed = path.price + least + weight, path.departed + departs
                self._push(Waiting(price, node.unmet - helps, faults, stays, departed, node=node, block=block))
        if more := more - node.goals:
            node.goals |= more
            self._look_behind(node, frozenset(more))

    def _still(self, failed: AskedFor, before: Water, water: Water) -> bool:
        """Whether what was over a limit where a block was tried before is no better here. A fed oxidant moves limits themselves."""
        if water.oxidant_fed and not before.oxidant_fed:
            return False
        for name, value, high in failed.breaks:
            here = water.get(name)
            if here is not None and (here >= value if high else here <= value):
                return True
        return False

    def _try(self, turn: Waiting, least: float) -> None:
        """Work out one block behind a path. What keeps it from standing well there becomes a goal of its own.

        Where it meets a limit that is no caution it waits again, at what that weighs, before it is worked out to its end.
        """
        node = turn.node
        assert node is not None and turn.block is not None
        path, block = node.path, self._with_companions(node.path, turn.block)
        added = block.behind(path.stages)
        asked = self._asked(path, added)
        if asked.breaks and Block(block.own) not in self._failed:
            self._failed[Block(block.own)] = asked, path.water
        if fresh := asked.blocked - node.goals:
            node.goals |= fresh
            self._look_behind(node, fresh)
        if asked.barred:
            self.barred.setdefault(block.own[0].kind, asked.barred)
            if block.own[0].kind not in self.freed:
                return
        due = path.price + asked.weight + self._least(path, block)
        if asked.vetoed and least < due - 1e-6:
            self._push(turn._replace(price=due, faults=path.vetoed + asked.vetoed, stays=frozenset(), block=block))
            return
        if self._turned(path, block):
            return
        longer = self._extend(path, block, node)
        if longer is not None:
            self._push(self._ready(longer, turn.stays, least))

    def _with_companions(self, path: Path, block: Block) -> Block:
        """A block with what its one stage cannot do without; a block that was given has its own."""
        if len(block.own) > 1 or block.before or block.after:
            return block
        (stage,) = block.own
        before, after = stage.room.companions(stage.keys, path.water, path.duty)
        return Block(block.own, tuple(before), tuple(after)) if before or after else block

    @property
    def knot(self) -> frozenset[str]:
        """The treatments that kept each other out: each was barred by what the other takes away."""
        barring = {kind: {breach.limit.reads for breach in barred} for kind, barred in self.barred.items()}
        pairs = ((one, other) for one in barring for other in barring if one < other)
        return frozenset(
            kind for one, other in pairs if barring[one] & ROOMS[other].puts_right and barring[other] & ROOMS[one].puts_right for kind in (one, other)
        )

    def finished(self, path: Path) -> Path:
        """A path with what ends a train behind it, where that answers something that is still open: a lamp, a branch to a tap."""
        while left := self._open(path):
            longer = [
                after
                for block, helps, _ in self._offered(path, left)
                if block.ends and helps & left and not self._forbidden(path, block) and (after := self._well(path, block)) is not None
            ]
            if not longer:
                break
            path = min(longer, key=lambda each: (self.unmet(each), each.price))
        return path

    def _well(self, path: Path, block: Block) -> Path | None:
        """A path with a block behind it, where no limit that is no caution keeps it from standing there."""
        block = self._with_companions(path, block)
        return None if self._asked(path, block.behind(path.stages)).vetoed else self._extend(path, block)

    def unmet(self, path: Path) -> tuple[int, int, int]:
        """Health needs and needs that a path leaves open, microbes alive among them first."""
        return self._leaves(path)[1]

    def _bound(self, left: frozenset[str]) -> float:
        """The least that needs cost: of those that no one treatment answers together, each its cheapest."""
        found = self._bounds.get(left)
        if found is None:
            found, taken = 0.0, set[str]()
            for rooms in sorted((self._answering(goal) for goal in sorted(left)), key=len):
                if not rooms:
                    found += self.row["unmet"]
                elif not taken & rooms.keys():
                    taken |= rooms.keys()
                    found += min(rooms.values())
            self._bounds[left] = found
        return found

    def _answering(self, goal: str) -> dict[str, float]:
        """The treatments that may answer a need, each with the least it costs."""
        found = self._answers.get(goal)
        if found is None and goal == _OFFERED:
            found = self._answers[goal] = {_OFFERED: min(block.weighs for block in self.extra)}
        if found is None:
            stage, wishes = float(self.row["stage"]), self.duty.facts.wishes
            found = self._answers[goal] = {
                room.kind: room.cheapest + (0.0 if room.serves else stage) + sum(weighs(each) for each in room.partners)
                + (self._rungs(room.way or next((each.room.way for each in room.partners if each.room.way), "")) if goal in _ALIVE else 0.0)
                for room in self.rooms
                if goal in room.puts_right and not (wishes.no_power and room.way == "uv")
            }  # fmt: skip
            if self.must and any(goal in stage.room.puts_right for block in self.extra for stage in block.own):
                found |= self._answering(_OFFERED)
        return found

    def _rungs(self, way: str) -> float:
        """What a way of holding microbes weighs, by its rung of the ladder."""
        return float(self.row["rungs"][self.ways.index(way)]) if way in self.ways else 0.0

    def _rung(self, block: Block) -> float:
        """What it weighs that a block holds microbes in another way than the job's school."""
        rooms = [stage.room for stage in (*block.own, *block.after)]
        return self._rungs(next((way for room in rooms for way in (room.way, *(each.room.way for each in room.partners)) if way), ""))

    # --- where every train of this job begins -------------------------------------------------------------------------
    def _starts(self) -> Iterator[Path]:
        """With what its source or its schools ask for always; where a source gives little, with a tank and its pump as well."""
        ways = [(head, 0.0 if not n else self.row["departs"]) for n, head in enumerate(_heads(self.duty, self.raw))]
        if self.duty.may_store:
            ways += [(head, float(self.row["stored"])) for head in _heads(self.duty.with_storage(), self.raw)]
        for start, (head, extra) in enumerate(ways):
            begun = Path((), self.raw, None, self.runner.duties(head, self.raw)[-1] if head else self.duty)
            yield self._longer(begun, head, self._asked(begun, head), self._step(begun, head, ()), extra)._replace(start=start)

    # --- what may come next -------------------------------------------------------------------------------------------
    def _turned(self, path: Path, block: Block) -> bool:
        """Whether a block might as well have stood before the last one, where the order of the trade has it: that train is tried."""
        if path.last is None:
            return False
        node, last = path.last
        before = node.path
        early, late = block.own[0].room.place, last.own[0].room.place
        if early is None or late is None or early >= late or block.after or last.after or len(block.own) > 1:
            return False
        if Block(block.own) not in node.tried:
            return False
        first = self._asked(before, block.behind(before.stages))
        if first.barred or first.weight > self._asked(path, block.behind(path.stages)).weight + 1e-9:
            return False
        done = self._step(before, block.behind(before.stages), ())
        kinds = before.kinds | {stage.kind for stage in block.own}
        moved = Path((*before.stages, *block.behind(before.stages)), done.water, done.tap, before.duty, kinds)
        if self._forbidden(moved, last):
            return False
        return self._asked(moved, last.behind(moved.stages)).weight <= self._asked(before, last.behind(before.stages)).weight + 1e-9

    def _offered(self, path: Path, goals: Set[str]) -> Iterator[tuple[Block, frozenset[str], float]]:
        """What may be added for some goals, as its room offers it for the water here, and for what a drinking tap or a wish asks.

        With each block: what it puts right here, and the least it adds to the price.
        """
        here = self._offers_at(path.water, path.duty)
        for room in self.rooms:
            if not room.puts_right.isdisjoint(goals):
                offers = here.get(room.kind)
                if offers is None:
                    offers = here[room.kind] = self._by(room, path.water, path.duty)
                for block, helps in offers:
                    yield block, helps, self._least(path, block)
        for block in self.extra:
            helps = block.helps(path.water)
            yield block, helps | {_OFFERED} if self.must else helps, self._least(path, block)

    def _offers_at(self, water: Water, duty: Duty) -> dict[str, list[Offer]]:
        """What each treatment offers to a water, as far as it was asked."""
        known = (water, id(duty))
        found = self._offers.get(known)
        if found is None:
            found = self._offers[known] = {}
        return found

    def _by(self, room: Treatment[Any], water: Water, duty: Duty) -> list[Offer]:
        """What one treatment offers to a water, of what may be used; remembered for every search of the job."""
        known = (room.kind, water, id(duty))
        offers = self._all_offers.get(known)
        if offers is None:
            asked = list(room.candidates(water, duty))
            asked += [keys for keys in room.asked_by(self.at_tap.intersection(room.answers), duty) if keys not in asked]
            offers = self._all_offers[known] = [(alone(Stage(room, keys)), room.helped(keys, water)) for keys in asked]
        return [offer for offer in offers if not self._avoided(offer[0])] if self.avoid else offers

    def _avoided(self, block: Block) -> bool:
        """Whether a medium or form of it is not to be used."""
        return any(str(held) in self.avoid for stage in block.own for held in stage.room.choices(stage.keys).values())

    def _least(self, path: Path, block: Block) -> float:
        """The least a block adds to the price of a path: with what it cannot do without, unless that may stand there already."""
        partners = block.partners
        return block.weighs + sum(weighs(each) for each in partners if each not in path.stages[-1:]) if partners else block.weighs

    def _extend(self, path: Path, block: Block, node: Node | None = None) -> Path | None:
        """The path with a block appended; None where the water stays as it is. node: where it was looked behind."""
        start = path.sharing[1] if block.after and path.sharing and path.sharing[0] == block.after else path
        added = block.behind(start.stages)
        asked, step = self._asked(start, added), self._step(start, added, block.after)
        if step.water == path.water and step.tap == path.tap:
            return None
        self.stood.add(block.own[0].kind)
        departs = self._departs(path.water, step.water, block)
        longer = self._longer(start, added, asked, step, departs)
        if departs:
            longer = longer._replace(departed=longer.departed + departs)
        if node is not None:
            longer = longer._replace(last=(node, block))
        if not block.after:
            return longer
        before = self._longer(start, added[: -len(block.after)], asked, step._replace(water=step.middle), 0.0)
        return longer._replace(sharing=(block.after, before))

    def _longer(self, path: Path, added: tuple[AnyStage, ...], asked: AskedFor, step: PathStep, extra: float) -> Path:
        """The path with stages behind it, what they weigh added to its price."""
        price, stages = path.price + asked.weight + step.weight + extra, path.stages
        for stage in added:
            place = stage.room.place
            if place is not None:
                price += self.row["turned"] * sum(each.room.place is not None and each.room.place > place for each in stages)
            stages, price = (*stages, stage), price + weighs(stage)
        kinds, vetoed = path.kinds | {stage.kind for stage in added}, path.vetoed + asked.vetoed + step.vetoed
        return Path(stages, step.water, step.tap, path.duty, kinds, price, vetoed, path.start, path.departed)

    def _asked(self, path: Path, added: tuple[AnyStage, ...]) -> AskedFor:
        """Which limits of some stages the water of a path passes, as far as the first that is no caution; remembered."""
        known = (path.water, added, id(path.duty))
        found = self._limits.get(known)
        if found is None:
            found = self._limits[known] = self._limits_met(path, added)
        return found

    def _limits_met(self, path: Path, added: tuple[AnyStage, ...]) -> AskedFor:
        here, duty, weight, vetoed = path.water, path.duty, 0.0, 0
        blocked, barred, breaks = set[str](), list[Breach](), list[tuple[str, float, bool]]()
        for index, stage in enumerate(added):
            room, keys = stage.room, stage.keys
            arrives = self.runner.arriving(room, keys, here)
            for breach in breaches(room, keys, arrives, duty):
                weight += self._weight(breach)
                blocked |= {breach.limit.analyte, breach.limit.reads}
                if breach.limit.severity not in ("caution", "advice"):
                    vetoed += 1
                    if breach.limit.reads not in _STRAINED_OUT:
                        breaks.append((breach.limit.reads, breach.value, breach.limit.high is not None and breach.value > breach.limit.high))
                if breach.barred:
                    barred.append(breach)
            if vetoed or index == len(added) - 1:
                break
            passed = self.runner.through(room, keys, arrives, duty)
            if room.strain(keys, passed.sizing, arrives, duty):
                blocked.update(room.answers)
            here = here if room.at_tap(keys) else passed.water
        if breaks:  # particles are caught once nothing else is in the way
            blocked -= _STRAINED_OUT
        return AskedFor(weight, vetoed, frozenset(blocked), tuple(barred), tuple(breaks))

    def _step(self, path: Path, added: tuple[AnyStage, ...], after: tuple[AnyStage, ...]) -> PathStep:
        """What some stages do to the water of a path; remembered, since many orders bring the same water."""
        lifted = any(stage.room.pumps for stage in path.stages)  # what a pump before them washes
        known = (path.water, path.tap, added, id(path.duty), lifted)
        found = self._steps.get(known)
        if found is None:
            found = self._steps[known] = self._through(path, added, after)
        return found

    def _through(self, path: Path, added: tuple[AnyStage, ...], after: tuple[AnyStage, ...]) -> PathStep:
        here, tap, duty, weight, vetoed, middle = path.water, path.tap, path.duty, 0.0, 0, path.water
        for index, stage in enumerate(added):
            room, keys = stage.room, stage.keys
            if index == len(added) - len(after):
                middle = here
            arrives = self.runner.arriving(room, keys, here)
            passed = self.runner.through(room, keys, arrives, duty)
            weight += room.strain(keys, passed.sizing, arrives, duty) + self.row["unsold"] * len(lacking(room, keys, passed.sizing, arrives, duty))
            if self._too_small(room, keys, passed.sizing, passed.water, path, added[:index]):
                weight, vetoed = weight + self.row["fault"], vetoed + 1
            if room.at_tap(keys):
                tap = passed.water
            else:
                here = passed.water
        return PathStep(here, tap, middle, weight, vetoed)

    def _too_small(self, room: Treatment[Any], keys: Any, sizing: Sizing, water: Water, path: Path, ahead: tuple[AnyStage, ...]) -> bool:
        """Whether no vessels of it carry the flow or stand in the room, or what the source gives does not lift its bed."""
        duty = path.duty
        if sizing.bed is None:
            return "housing" in sizing.params and not room.at_tap(keys) and duty.flow > room.peak(keys, sizing) * 1.001
        if duty.tallest is not None and sizing.vessels.height > duty.tallest + 1e-6:
            return True  # nothing could be filled in, nor its valve lifted off
        if duty.flow > room.peak(keys, sizing) * 1.001:
            return True
        lifted = any(stage.room.pumps for stage in (*path.stages, *ahead))
        return not lifted and room.washes(keys) and not duty.gives_wash(sizing.vessels.backwash_flow(water.temperature))

    def _weight(self, breach: Breach) -> float:
        """What a limit that is passed weighs: more, the further; what was only assumed weighs little."""
        row = self.row
        if breach.limit.severity == "advice":
            return 0.0
        if breach.limit.severity == "caution":
            slope = row["slopes"].get(breach.limit.analyte, row["slope"])
            return float(row["caution"] + (0.0 if breach.assumed else min(slope * breach.excess, row["caution_most"])))
        return float(row["fault"] + row["slope"] * min(breach.excess, 100.0))

    def _departs(self, before: Water, after: Water, block: Block) -> float:
        """What it weighs that microbes are held in another way than the job's school, by the rung of the ladder."""
        if not any(before.value(name) > 0 and after.value(name) <= 0 for name in _ALIVE):
            return 0.0
        return self._rung(block)

    def _forbidden(self, path: Path, block: Block) -> bool:
        """A treatment comes once, unless it may repeat in another form; some never follow others; nothing but a tap follows the end."""
        if self._kept and block not in self.extra and any(stage.kind in self._kept for stage in block.own) and _OFFERED in self._open(path):
            return True
        for stage in block.own:
            if (stage in path.stages) if stage.room.repeats else (stage.kind in path.kinds):
                return True
            if stage.room.refuses_after(stage.keys, path.stages, path.duty, self.raw):
                return True
        if any(stage.room.ends for stage in path.stages) and not all(stage.at_tap for stage in block.own):
            return True
        return _done(path)


def _done(path: Path) -> bool:
    """Whether nothing follows a path: it ends on a branch to a tap."""
    return bool(path.stages) and path.stages[-1].at_tap


def _heads(duty: Duty, raw: Water) -> list[tuple[AnyStage, ...]]:
    """The ways every train of this job may begin, the school's first, each in the order of the trade."""
    rooms: list[Treatment[Any]] = sorted(ROOMS.values(), key=lambda room: float("inf") if room.place is None else room.place)
    found: list[tuple[AnyStage, ...]] = [()]
    for room in rooms:
        found = [(*head, *(Stage(room, keys) for keys in way)) for way in room.heads(duty, raw) for head in found]
    return found


def _standing(duty: Duty) -> list[Need]:
    """What no train may leave behind, whatever the raw water: a tank open to air and nothing after it, an oxidant, milky sulfur."""
    feed = duty.rows["chemical_feed"]
    marks: Mapping[str, tuple[float, str]] = {PEROXIDE: (feed["peroxide_left"], "feed.peroxide"), SULFUR: (feed["sulfur_matters"], "feed.sulfur")}
    found = [
        Need(mark, "the train adds it", None, float(most), 0.0, "mg/L", False, source(cited), standing=True) for mark, (most, cited) in marks.items()
    ]
    if duty.drunk:
        found.append(Need(OPEN_TO_AIR, "stored water is open to air", None, 0.0, 0.0, "1", True, source("storage.open"), standing=True))
    return found
