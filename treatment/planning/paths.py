"""What the search goes over: blocks that may be added, the paths they make, and what is remembered of both."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache, cached_property, lru_cache
from typing import Any, NamedTuple

from ..audit.audit import Breach
from ..chemistry.water import Water
from ..house.duty import Duty
from ..language.tables import table
from ..train.treatment import Stage

AnyStage = Stage[Any]


@dataclass(frozen=True)
class Block:
    """What may be added in one step: stages, and the companions they cannot do without before and after them."""

    own: tuple[AnyStage, ...]
    before: tuple[AnyStage, ...] = ()
    after: tuple[AnyStage, ...] = ()
    _hash: int = field(default=0, init=False, repr=False, compare=False)

    def __hash__(self) -> int:
        if not self._hash:
            object.__setattr__(self, "_hash", hash((self.own, self.before, self.after)) or 1)
        return self._hash

    @cached_property
    def partners(self) -> tuple[AnyStage, ...]:
        """What its one stage cannot do without, unless that stands there already."""
        return tuple(self.own[0].room.partners) if len(self.own) == 1 else ()

    @cached_property
    def weighs(self) -> float:
        """What its own stages add to the price of a train by themselves."""
        return sum(weighs(stage) for stage in self.own)

    def helps(self, water: Water) -> frozenset[str]:
        """The analytes of a water that it can put right."""
        if len(self.own) == 1:
            return self.own[0].room.helped(self.own[0].keys, water)
        return frozenset(name for stage in self.own for name in stage.room.puts_right)

    @cached_property
    def ends(self) -> bool:
        """Whether nothing, or nothing but a tap, follows it."""
        return any(stage.room.ends or stage.at_tap for stage in self.own)

    @property
    def at_tap(self) -> bool:
        """Whether it stands on a branch to a tap."""
        return any(stage.at_tap for stage in self.own)

    def behind(self, stages: tuple[AnyStage, ...]) -> tuple[AnyStage, ...]:
        """What it adds behind these stages: a companion that stands there already serves."""
        stands = bool(self.before) and (stages[-len(self.before) :] == self.before or _stands(stages, self.before))
        return (() if stands else self.before) + self.own + self.after


def _stands(stages: tuple[AnyStage, ...], asked: tuple[AnyStage, ...]) -> bool:
    """Whether what stands last does what is asked for."""
    return bool(stages) and len(asked) == 1 and stages[-1].room.stands_for(stages[-1].keys, asked[0])


@cache
def weighs(stage: AnyStage) -> float:
    """What a stage adds to the price of a train by itself."""
    return stage.room.cost(stage.keys) + (0.0 if stage.room.serves else float(table("planning")["price"]["stage"]))


class Path(NamedTuple):
    """A train being composed, and what it costs (see ``data/planning.toml``).

    tap: the water at the drinking tap, where a branch was taken off. price: what its stages, the cautions and faults they meet and the
    ways it departs from the job's school weigh. vetoed: how many limits it passes that are no caution. start: which of the
    ways to begin it took. departed: what of the price is that microbes are held in another way than the job's school. last: the
    node and the block it was made of. sharing: companions that stand at its end, and the path before them: what asks for the
    same ones may stand there, too.
    """

    stages: tuple[AnyStage, ...]
    water: Water
    tap: Water | None
    duty: Duty
    kinds: frozenset[str] = frozenset()
    price: float = 0.0
    vetoed: int = 0
    start: int = 0
    departed: float = 0.0
    last: tuple[Node, Block] | None = None
    sharing: tuple[tuple[AnyStage, ...], Path] | None = None


#: a block, and what it puts right in the water it is offered to
Offer = tuple[Block, frozenset[str]]


@lru_cache(maxsize=4096)
def alone(stage: AnyStage) -> Block:
    """A stage by itself as a block: the same one for every water it is offered to."""
    return Block((stage,))


class AskedFor(NamedTuple):
    """Which limits a water passes where some stages would stand: what they weigh, and how many are no caution.

    blocked: the analytes that are over a limit. barred: limits so far passed that nobody builds it. breaks: what is over a
    limit that is no caution, its value, and whether it is too high.
    """

    weight: float
    vetoed: int
    blocked: frozenset[str]
    barred: tuple[Breach, ...]
    breaks: tuple[tuple[str, float, bool], ...]


class PathStep(NamedTuple):
    """What some stages do to a water, one after the other: the water and the tap behind them, that before the last companions.

    weight: what it weighs that they are strained or too small there; vetoed: how many of them are too small.
    """

    water: Water
    tap: Water | None
    middle: Water
    weight: float
    vetoed: int


class Waiting(NamedTuple):
    """What waits for its turn: a path, or a block to be tried behind the path of a node.

    price: what it costs up to there; left: the needs that are open then; faults: how many limits that are no caution it passes; stays:
    needs in the price that stay open behind it; departed: as of a path; least: what a train on it costs at the least, where more is
    known than price and bound.
    """

    price: float
    left: frozenset[str]
    faults: int
    stays: frozenset[str]
    departed: float
    path: Path | None = None
    node: Node | None = None
    block: Block | None = None
    least: float = 0.0

    @property
    def deep(self) -> int:
        """How many stages stand already."""
        if self.path is not None:
            return len(self.path.stages)
        return len(self.node.path.stages) if self.node is not None else 0


class Remembered:
    """What one job's searches found out: what is offered to a water, the limits it meets there, the water that is left. Shared by all."""

    __slots__ = ("limits", "offers", "steps")

    def __init__(self) -> None:
        self.offers: dict[tuple[str, Water, int], list[Offer]] = {}
        self.limits: dict[Any, AskedFor] = {}
        self.steps: dict[Any, PathStep] = {}


class Node:
    """A path that is looked behind: what is still open there, and what was put into the queue already."""

    __slots__ = ("goals", "path", "tried", "unmet")

    def __init__(self, path: Path, unmet: frozenset[str]):
        self.path, self.unmet, self.goals = path, unmet, set(unmet)
        self.tried: set[Block] = set()


@dataclass(frozen=True)
class Terms:
    """What a train is composed by, beside its job's facts.

    avoid: kinds, media or forms not to be used; extra: blocks to try beside the rooms' own; ways: of holding microbes, the
    preferred first, in place of the job's school; must: whether one of the extra blocks has to stand in the train; other: an
    alternative to a train that works, not looked for so far and given up where nothing works; freed: kinds that may stand
    where a limit is passed so far that none is built otherwise.
    """

    avoid: frozenset[str] = frozenset()
    extra: tuple[Block, ...] = ()
    ways: tuple[str, ...] = ()
    must: bool = False
    other: bool = False
    freed: frozenset[str] = frozenset()
