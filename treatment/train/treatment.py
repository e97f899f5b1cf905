"""What every treatment has in common: the shape of its room, and a stage of it as it stands in a train with water running through.

A room declares all that is known of its kind. What it leaves out, the contract suite names
(``tests/test_contract.py``); nothing outside a room knows a kind by its name.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field, fields, replace
from functools import cache, cached_property
from math import ceil, pi
from typing import Any, ClassVar, Generic, TypeVar, cast

from ..chemistry.water import Water
from ..house.beds import FT3, Bed, RunnerUp, measured_out, runners_up
from ..house.duty import Duty
from ..house.stock import Wanted
from ..job.feed_limits import FeedLimit, with_own
from ..language.display import show
from ..language.figure import Figure, Figures, Line
from ..language.tables import table
from .keys import OF_EVERY_STAGE, StageKeys
from .over_time import OverTime
from .running import drained, running, usual_power

K = TypeVar("K", bound=StageKeys)


class Sizing:
    """The completed choices of a stage, and the figures that explain them.

    params: canonical values by key; bed: its vessels, where it has some; figures: worked out when they are first asked for.
    """

    __slots__ = ("bed", "figures", "params")

    def __init__(self, params: dict[str, Any], bed: Bed | None = None):
        self.params, self.bed = params, bed
        self.figures = Figures(dict)

    def explained_by(self, make: Callable[[], dict[str, Figure]]) -> Sizing:
        """The same sizing with its figures."""
        self.figures = Figures(make)
        return self

    @property
    def vessels(self) -> Bed:
        """Its vessels. Raises ValueError where it has none."""
        if self.bed is None:
            raise ValueError("this stage has no vessel")
        return self.bed


@dataclass(frozen=True, slots=True)
class Purchase:
    """Something a stage buys. key: into the price list; size: what one piece measures, where the list prices it by its size.

    yearly: whether it is used up in the first year rather than fitted; pieces: as many items of a catalogue as it is, where the
    list prices it by something else.
    """

    key: str
    quantity: float
    what: str = ""
    note: str = ""
    size: float = 0.0
    yearly: bool = False
    pieces: int = 0


@dataclass(frozen=True, slots=True)
class Fork:
    """Where practitioners differ about a stage: the other way's title, what is then avoided, stages to come in one piece, schools.

    order: forks asked first. offers: runs of stages, one of which is to be in the train. ways: of holding microbes, the
    preferred first. has, lacks: kinds, media or chemicals that a train must and must not hold to be what the title says.
    """

    title: str
    order: int
    avoid: frozenset[str] = frozenset()
    offers: tuple[tuple[Stage[Any], ...], ...] = ()
    schools: tuple[tuple[str, str], ...] = ()
    ways: tuple[str, ...] = ()
    has: frozenset[str] = frozenset()
    lacks: frozenset[str] = frozenset()

    def true_of(self, held: frozenset[str]) -> bool:
        """Whether a train that holds these kinds, media and chemicals is what the title says."""
        return self.has <= held and not (self.lacks | self.avoid) & held


class Treatment(Generic[K]):
    """One treatment. Rooms hold no state; each method is given what it needs.

    What a room must declare (the first part) has no default here; what it may declare has one that does for most.
    """

    # --- must be declared -------------------------------------------------------------------------------------------
    kind: ClassVar[str]  # key of the job file
    title: ClassVar[str]  # what people call it
    silhouette: ClassVar[str]  # its shape in the drawings
    Keys: ClassVar[type[StageKeys]]
    cautions: ClassVar[tuple[str, ...]]
    #: analytes it can put right, for the planner's "why not" and the shelf
    answers: ClassVar[tuple[str, ...]]
    #: what it costs beside others of its length of train, 1.0 being a cartridge filter
    price: ClassVar[float]
    #: its place in the order of the trade, to choose between trains that do as well; None: wherever it is needed
    place: ClassVar[float | None]
    #: whether it gets a three-valve bypass and sample taps on a wall
    bypassed: ClassVar[bool]
    #: why it is absent where nothing here asks for it
    absent: ClassVar[str]

    #: the figures that matter most to a practitioner, in the order of their questions
    main: ClassVar[tuple[str, ...]]

    # --- may be declared ----------------------------------------------------------------------------------------------
    #: what else it can put right of what others do not bear, for the search (``answers`` is what people fit it for)
    helps: ClassVar[tuple[str, ...]] = ()
    #: stages it cannot do without, whatever the water (``companions`` says where they stand, and more)
    partners: ClassVar[tuple[Stage[Any], ...]] = ()
    #: the way of holding microbes that it belongs to, in the words of the schools; empty where it holds none
    way: ClassVar[str] = ""
    #: a medium or form that is dearer or fussier than the usual one of its kind: what it adds to the price
    fuss: ClassVar[dict[str, float]] = {}
    holds_particles: ClassVar[bool] = False
    uses_salt: ClassVar[bool] = False
    uses_power: ClassVar[bool] = False
    uses_chemical: ClassVar[bool] = False
    #: whether it takes part of the water's story without changing it (tanks, pumps, valves): never "unneeded" by chemistry
    serves: ClassVar[bool] = False
    #: whether it is there to let clean water by only: never "unneeded" by what it takes out
    guards: ClassVar[bool] = False
    #: whether it turns dissolved iron to rust
    oxidises: ClassVar[bool] = False
    #: whether its own reason for being there is told in place of what trying without it tells
    tells_why: ClassVar[bool] = False
    #: whether it makes microbes harmless by itself
    disinfects: ClassVar[bool] = False
    #: whether it stands last: only a branch to a tap may follow
    ends: ClassVar[bool] = False
    #: whether it may stand twice in a composed train
    repeats: ClassVar[bool] = False
    #: whether it brings water back to pressure
    pumps: ClassVar[bool] = False
    #: whether it holds pressure down for what follows
    reduces: ClassVar[bool] = False
    #: whether water stands in it, so that a roof's water needs no pressure to reach it
    stores: ClassVar[bool] = False
    #: whether water mixes in it on its way, without standing open
    cushions: ClassVar[bool] = False
    #: whether a part of what reaches it runs to a drain
    rejects: ClassVar[bool] = False
    #: whether it hangs where mains and water meet on one outlet
    wants_outlet: ClassVar[bool] = False
    #: figures that a sheet leaves out: they stand under another name
    hidden: ClassVar[tuple[str, ...]] = ()
    #: what a short peak above its steady flow does
    peak_effect: ClassVar[str] = "it treats less well"

    # --- what it is ---------------------------------------------------------------------------------------------------
    def name(self, keys: K) -> str:
        """What this very stage is called, e.g. with its medium or micron rating."""
        return self.title

    def said(self, keys: K) -> str:
        """The name inside a sentence."""
        name = self.name(keys)
        return name if name[:2].isupper() else name[0].lower() + name[1:]

    @property
    def title_said(self) -> str:
        """The title inside a sentence."""
        return self.title if self.title[:2].isupper() else self.title.lower()

    def at_tap(self, keys: K) -> bool:
        """Whether it stands on a branch to the drinking tap: the rest of the house never sees its water."""
        return bool(keys.install and keys.install.branch == "drinking_tap")

    def output_share(self, temperature: float, school: str) -> Line | None:
        """What it makes at a temperature [degC] as a share of what it makes at 25 degC [-]; None where warmth does not matter."""
        return None

    def powered(self, keys: K) -> bool:
        """Whether this very stage needs power: a form of its kind may do without."""
        return self.uses_power

    def washes(self, keys: K) -> bool:
        """Whether it lifts its bed by a backwash, where this very stage has one."""
        return False

    def rows(self, keys: K) -> tuple[str, ...]:
        """The rows of ``data/stages.toml`` it is reckoned with."""
        return (self.kind,)

    def identity(self, keys: K) -> dict[str, Any]:
        """The keys that say what it is, with what they hold; not its sizes."""
        declared: Any = self.Keys
        return {name: held for name in _identity_keys(declared) if (held := getattr(keys, name)) not in (None, ())}

    def choices(self, keys: K) -> dict[str, Any]:
        """The identity keys of its kind: medium, form, rating and the like."""
        return {name: held for name, held in self.identity(keys).items() if name not in OF_EVERY_STAGE}

    def same(self, one: K, other: K) -> bool:
        """Whether two stages of this kind do the same job: their choices agree where both make one."""
        a, b = self.choices(one), self.choices(other)
        return all(_alike(held, b[name]) for name, held in a.items() if name in b)

    def cost(self, keys: K) -> float:
        """Its price, with what its medium or form adds."""
        return self.price + sum(self.fuss.get(held, 0.0) for held in self.choices(keys).values() if isinstance(held, str))

    def fixed(self, keys: K, sizing: Sizing) -> K:
        """The keys with those sizes given that follow from a school of the job, not from its water alone."""
        return keys

    # --- what it takes, does and costs --------------------------------------------------------------------------------
    def feed_limits(self, keys: K, water: Water, duty: Duty) -> list[FeedLimit]:
        """What it asks of the water that reaches it, by our tables."""
        return []

    def takes(self, keys: K, water: Water, duty: Duty) -> list[FeedLimit]:
        """What it asks of the water that reaches it, the designer's own limits in place of ours."""
        ours = self.feed_limits(keys, water, duty)
        return with_own(ours, keys.feed_limits) if keys.feed_limits else ours

    def size(self, keys: K, water: Water, duty: Duty) -> Sizing:
        """Complete its choices for the water that arrives."""
        raise NotImplementedError

    def figures(self, keys: K, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        """The figures of a completed stage, each with its working."""
        return {}

    def sized(self, keys: K, water: Water, duty: Duty) -> Sizing:
        """Its sizing, explained."""
        sizing = self.size(keys, water, duty)
        return sizing.explained_by(lambda: self._figures(keys, sizing, water, duty))

    def _figures(self, keys: K, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        """Its own figures, and what it uses in a year."""
        own = self.figures(keys, sizing, water, duty)
        return own | running(self.drained(keys, sizing, own, duty), self.burned(keys, sizing, own, duty) if self.powered(keys) else None)

    def drained(self, keys: K, sizing: Sizing, figures: dict[str, Figure], duty: Duty) -> Line | None:
        """What it sends to a drain in a year [L], with its working; by default what its washes or regenerations take."""
        return drained(figures) if self.washes(keys) else None

    def burned(self, keys: K, sizing: Sizing, figures: dict[str, Figure], duty: Duty) -> Line:
        """Power that it uses in a year [kWh], with its working; by default that of a control valve, or of its kind."""
        return usual_power(self.kind, duty)

    def treat(self, keys: K, sizing: Sizing, water: Water, duty: Duty) -> Water:
        """The water that leaves it at design flow."""
        return water

    def loss(self, keys: K, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        """Pressure loss [kPa] at a flow [L/min], clean and dirty."""
        return 0.0, 0.0

    def pressure_after(self, sizing: Sizing, pressure: float, loss: float) -> float:
        """Pressure [kPa] behind it, from that before it and its own loss."""
        return pressure - loss

    def peak(self, keys: K, sizing: Sizing) -> float:
        """Greatest short peak [L/min] it bears; by default its vessels' velocity limit, or half above its steady flow."""
        if sizing.bed is not None:
            return float(sizing.bed.peak_limit)
        return float(sizing.figures["service_flow_limit"].value * 1.5) if "service_flow_limit" in sizing.figures else float("inf")

    def steady(self, sizing: Sizing) -> float | None:
        """The flow [L/min] it serves steadily; None where flow is judged otherwise or not at all."""
        if sizing.bed is not None:
            return sizing.bed.service_limit
        return sizing.figures["service_flow_limit"].value if "service_flow_limit" in sizing.figures else None

    def fed(self, keys: K, raw: Water, duty: Duty) -> tuple[float, float, float] | None:
        """Where it draws other than the house does: permeate of a day [L/day], recovery [-], flow of its feed [L/min]."""
        return None

    def draws(self, keys: K) -> bool:
        """Whether it draws other than the house does: a membrane with its own storage."""
        return False

    def passes_washes(self, keys: K) -> bool:
        """Whether the wash of a bed behind it runs through it at a flow that it has to carry: a cartridge."""
        return False

    def runners_up(self, keys: K, sizing: Sizing, duty: Duty, temperature: float) -> list[RunnerUp]:
        """The vessels next to the one taken, and why each was not; empty where it has none, or where the job fixed it."""
        bed = sizing.bed
        if bed is None or getattr(keys, "tank", None) is not None:
            return []
        wash = duty.wash if "backwash_flow" in sizing.figures else None
        return runners_up(bed, duty.flow, bed.total_volume, wash, temperature, duty.stock.shells)

    def micron(self, keys: K, sizing: Sizing) -> float | None:
        """What particles it holds [µm, nominal]; None where it is no particle filter."""
        return None

    @property
    def cheapest(self) -> float:
        """The least it costs in any form."""
        return self.price

    @cached_property
    def puts_right(self) -> frozenset[str]:
        """All it can put right: what people fit it for, and what else others do not bear."""
        return frozenset((*self.answers, *self.helps))

    def helped(self, keys: K, water: Water) -> frozenset[str]:
        """What of a water it can put right."""
        return self.puts_right

    @property
    def offers(self) -> bool:
        """Whether it comes into a train by itself, not only as what another cannot do without."""
        return type(self).candidates is not Treatment.candidates or type(self).asked_by is not Treatment.asked_by

    # --- how it comes into a train ------------------------------------------------------------------------------------
    def candidates(self, water: Water, duty: Duty) -> list[K]:
        """Keys the planner may try for the water at a place; empty where it has nothing to do there."""
        return []

    def asked_by(self, goals: frozenset[str], duty: Duty) -> list[K]:
        """Keys the planner may try for needs that a drinking tap can answer, or for wishes; goals: the needs."""
        return []

    def companions(self, keys: K, water: Water, duty: Duty) -> tuple[Sequence[Stage[Any]], Sequence[Stage[Any]]]:
        """What it cannot do without where this water arrives: stages directly before it, and directly after it."""
        return self.partners, ()

    def refuses_after(self, keys: K, others: Sequence[Stage[Any]], duty: Duty, raw: Water) -> bool:
        """Whether it never follows what stands already: it would undo it, or a school says otherwise."""
        return False

    def strain(self, keys: K, sizing: Sizing, water: Water, duty: Duty) -> float:
        """What it weighs in the search that it works on this water, but people would not live with it; 0 where they would."""
        return 0.0

    def aids(self, keys: K) -> tuple[Stage[Any], ...]:
        """Stages that ease it where it is strained, put directly before it."""
        return ()

    def instead(self, keys: K, duty: Duty) -> tuple[Stage[Any], ...]:
        """What may stand in the place of one that is strained. None by default."""
        return ()

    def wider(self, keys: K, duty: Duty) -> K | None:
        """The same in the largest housing, which takes the least pressure; None where there is none or its size was given."""
        return None

    def stands_for(self, keys: K, companion: Stage[Any]) -> bool:
        """Whether a stage that stands there already does what a companion would."""
        return False

    def at_head(self, duty: Duty) -> list[K]:
        """Keys with which it stands at the head of every train of this job; empty where it need not."""
        return []

    def heads(self, duty: Duty, raw: Water) -> list[list[K]]:
        """The ways in which it may stand at the head, the job's own first; one empty way where it need not."""
        return [self.at_head(duty)]

    def why_absent(self, wanted: bool, raw: Water, duty: Duty, tested: bool, refused: Callable[[], list[str]]) -> str:
        """Why it is not in a train, where that has a reason of its own; empty where the general one does.

        wanted: whether some need could be met by it; tested: whether microbes were looked for; refused: which of its feed
        limits the raw water breaks, in words.
        """
        return ""

    def other_sizes(self, keys: K, sizing: Sizing, water: Water, duty: Duty) -> list[K]:
        """Its keys in other sizes, doses, media or forms that a customer may choose between; by default the next larger beds."""
        bed, held = sizing.bed, cast(Any, keys)
        if bed is None or not hasattr(keys, "volume"):
            return []
        largest = FT3 * 20
        found = [measured_out(bed.volume * times) for times in (1.25, 1.5, 2.0)]
        return [replace(held, volume=volume, tank=None) for volume in found if bed.volume < volume < largest]

    # --- what is said of a stage that stands --------------------------------------------------------------------------
    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        """Its purpose in one line, from what it did to the water."""
        return ""

    def schools(self, keys: K, water: Water, system: str) -> list[str]:
        """Where practitioners disagree about this stage: our default and the others."""
        return []

    def forks(self, stage: StageRun[K], others: frozenset[str]) -> list[Fork]:
        """The other ways of other schools where this stage stands; others: the kinds in the train."""
        return []

    def after_wash(self, keys: K, duty: Duty) -> float:
        """Minutes after its wash in which its valve is still at work."""
        return 0.0

    def why_here(self, stage: StageRun[K], run: TrainRun, microbes: bool) -> str:
        """Why it is there, where trying without it does not tell; microbes: whether some were found."""
        return ""

    def at_peak(self, stage: StageRun[K]) -> str:
        """What a short peak above its steady flow does, in words that follow from what arrives."""
        return self.peak_effect

    def purposeful(self, stage: StageRun[K], run: TrainRun, duty: Duty, microbes: bool) -> bool:
        """Whether it has a purpose that taking it out does not show."""
        return False

    def idle_behind(self, stage: StageRun[K], before: StageRun[Any]) -> bool:
        """Whether a stage finds nothing left to do directly behind another: a filter after a finer one."""
        return False

    def harmed_before(self, other: StageRun[Any]) -> str:
        """What goes wrong where it stands before another stage that works on what it receives; empty where nothing does."""
        return ""

    def buys(self, keys: K, sizing: Sizing) -> Iterable[Purchase]:
        """What is bought for it beside vessels, media, brine tank and cartridge housing."""
        return ()

    # --- how it looks -------------------------------------------------------------------------------------------------
    def body(self, keys: K, sizing: Sizing) -> tuple[float, float, float]:
        """Width and height [mm] of its silhouette and how far its foot hangs above the floor [mm]."""
        if sizing.bed:
            return sizing.bed.diameter * 1000, sizing.bed.height * 1000 + table_mm("valve_in"), 0.0
        return 185.0, 610.0, 600.0

    def pieces(self, keys: K, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Wanted]:
        """What of it is looked for in a company's catalogue beside its vessels, by key of the price list; ``train.bought`` asks."""
        return {}

    def bodies(self, keys: K, sizing: Sizing) -> int:
        """How many vessels or housings of it stand side by side."""
        return sizing.bed.vessels if sizing.bed is not None else int(sizing.params.get("vessels", 1))

    def over_time(self, stage: StageRun[K]) -> OverTime[StageRun[K]]:
        """The stage as time passes: its stocks, its decisions, its step. By itself it holds nothing and goes on as designed."""
        return OverTime(stage)

    def in_series(self, keys: K, sizing: Sizing) -> bool:
        """Whether its vessels stand one after the other, not side by side in the flow."""
        return False

    def kept_beside(self, keys: K, sizing: Sizing) -> float:
        """Litres of a tank that stands beside it and belongs to it, 0 for none."""
        return 0.0

    def restrictor(self, keys: K, system: str) -> str:
        """What is told on a flow restrictor that stands directly before it; empty where it has none."""
        return ""

    def pulled(self, sizing: Sizing) -> float:
        """How much room above it something pulled straight out wants [mm]."""
        return 0.0

    def upright(self, keys: K) -> bool:
        """Whether it holds loose medium without being a bed of ours, so that it has to stand upright."""
        return False

    def lifted(self, keys: K, sizing: Sizing) -> float:
        """How much room above it something lifted out in service wants [mm], where that is asked of a place; 0 where it is not."""
        return 0.0

    def lit_ends(self, keys: K) -> tuple[bool, bool]:
        """Whether it shines into its inlet, and into its outlet, so that they want metal."""
        return False, False


def beside(stages: Sequence[StageRun[Any]], stage: StageRun[Any]) -> float:
    """Litres of the tank that belongs to a unit and stands beside it; 0 where the next unit of the train is such a tank itself."""
    follows = stages[stage.index + 1] if stage.index + 1 < len(stages) else None
    return 0.0 if follows is not None and follows.room.stores else stage.room.kept_beside(stage.keys, stage.sizing)


@cache
def _identity_keys(keys: Any) -> tuple[str, ...]:
    """The names of the keys that say what a stage is."""
    return tuple(f.name for f in fields(keys) if f.metadata["identity"])


def _alike(one: Any, other: Any) -> bool:
    if isinstance(one, float) and isinstance(other, float):
        return abs(one - other) <= 1e-6 * max(abs(one), abs(other))
    return bool(one == other)


def table_mm(name: str) -> float:
    """A length of ``data/vessels.toml`` that is kept in inches [mm]."""
    return float(table("vessels")[name]) * 25.4


def cartridge_body(housing: str) -> tuple[float, float, float]:
    """Width, height and foot above the floor [mm] of a cartridge housing, its ports at working height."""
    row, ports = table("vessels")["cartridges"][housing], float(table("wall")["place"]["ports"])
    return float(row["width_mm"]), float(row["height_mm"]), ports - float(row["height_mm"])


def fixed_body(name: str) -> tuple[float, float, float]:
    """Width, height and foot above the floor [mm] of a unit of one size, from ``data/vessels.toml``."""
    width, height, foot = table("vessels")["bodies"][name]
    return float(width), float(height), float(foot)


def tank_body(litres: float) -> tuple[float, float, float]:
    """Width, height and foot [mm] of a standing tank of about three times its width; of more than fits below a ceiling a wider one."""
    rows = table("vessels")
    tall, most = float(rows["tank_tall"]), float(rows["tank_most_mm"]) / 1000
    width = (litres / 1000 * 4 / pi / tall) ** (1 / 3)
    if width * tall <= most:
        return width * 1000, width * tall * 1000, 0.0
    return (litres / 1000 * 4 / pi / most) ** 0.5 * 1000, most * 1000, 0.0


def tanks_for(litres: float) -> int:
    """How many of the largest slender tanks hold so much."""
    rows = table("vessels")
    tall, most = float(rows["tank_tall"]), float(rows["tank_most_mm"]) / 1000
    return max(ceil(litres / 1000 / (pi / 4 * (most / tall) ** 2 * most) - 1e-6), 1)


@dataclass(frozen=True, slots=True)
class Stage(Generic[K]):
    """A stage of a train: its room and keys. id: unique in a train that was named, empty in one that is being composed."""

    room: Treatment[K]
    keys: K
    id: str = ""
    _hash: int = field(default=0, init=False, repr=False, compare=False)

    def __hash__(self) -> int:
        if not self._hash:  # asked for at every step of a search
            object.__setattr__(self, "_hash", hash((self.room.kind, self.keys, self.id)) or 1)
        return self._hash

    @property
    def kind(self) -> str:
        return self.room.kind

    @property
    def name(self) -> str:
        return self.room.name(self.keys)

    @property
    def at_tap(self) -> bool:
        return self.room.at_tap(self.keys)


@dataclass(frozen=True, slots=True)
class StageRun(Generic[K]):
    """A stage with water running through it.

    water_in, water_out: at the adverse water; mild_in, mild_out: at the other end of the readings.
    loss_clean, loss_dirty: pressure loss at design flow [kPa]. duty: what it serves where it stands.
    """

    index: int
    id: str
    keys: K
    room: Treatment[K]
    sizing: Sizing
    water_in: Water
    water_out: Water
    mild_in: Water
    mild_out: Water
    loss_clean: float
    loss_dirty: float
    duty: Duty

    @property
    def kind(self) -> str:
        return self.room.kind

    @property
    def figures(self) -> Figures:
        """Its figures by name, each with its working."""
        return self.sizing.figures

    @property
    def name(self) -> str:
        return self.room.name(self.keys)

    @property
    def said(self) -> str:
        """The name inside a sentence."""
        return self.room.said(self.keys)

    @property
    def at_tap(self) -> bool:
        """Whether it stands on the branch to the drinking tap."""
        return self.room.at_tap(self.keys)

    @property
    def passes(self) -> Water:
        """The water that flows on to the house: what it treats, or untouched where it stands on a branch."""
        return self.water_in if self.at_tap else self.water_out

    @property
    def mild_passes(self) -> Water:
        return self.mild_in if self.at_tap else self.mild_out

    @property
    def loaded(self) -> bool:
        """Whether it is a tank with a bed of media."""
        return self.sizing.bed is not None

    @property
    def clogs(self) -> bool:
        """Whether particles stay in it: a bed, a cartridge, a screen."""
        return self.loaded or self.room.holds_particles

    @property
    def powered(self) -> bool:
        """Whether it needs power."""
        return self.room.powered(self.keys)

    @property
    def micron(self) -> float | None:
        """What particles it holds [µm, nominal]; None where it is no particle filter."""
        return self.room.micron(self.keys, self.sizing)

    @property
    def disinfects(self) -> bool:
        """Whether it makes microbes harmless in the house's own water by itself."""
        return self.room.disinfects and not self.at_tap

    @property
    def regenerates(self) -> bool:
        """Whether it backwashes or regenerates by itself."""
        return self.sizing.bed is not None and self.room.washes(self.keys)

    @property
    def wash_flow(self) -> float:
        """Flow of its backwash, one vessel at a time [L/min]; 0 where it has none."""
        return self.sizing.vessels.backwash_flow(self.water_in.temperature) if self.regenerates else 0.0

    @property
    def washing_minutes(self) -> float:
        """How long it is busy washing itself: all that its cycle sheet names, or a usual backwash and rinse of each vessel."""
        named = [name for name in ("backwash_time", "brine_rinse_time", "fast_rinse_time", "refill_time", "air_draw_time") if name in self.figures]
        if "brine_rinse_time" in self.figures:
            return sum(self.figures[name].value for name in named)
        row, count = self.duty.rows["backwash"], self.sizing.bed.vessels if self.sizing.bed else 1
        drawn = self.figures["air_draw_time"].value if "air_draw_time" in self.figures else 0.0
        return float(count * (row["wash_min"] + row["rinse_min"]) + drawn)

    @property
    def busy_minutes(self) -> float:
        """How long it gives no treated water: its wash, and what its valve does after that."""
        return self.washing_minutes + self.room.after_wash(self.keys, self.duty)

    @property
    def drains(self) -> bool:
        """Whether it sends water to a drain: a bed that washes itself, a membrane's reject."""
        return self.regenerates or self.room.rejects

    @property
    def body(self) -> tuple[float, float, float]:
        """Width, height and foot above the floor [mm]."""
        return self.room.body(self.keys, self.sizing)

    @property
    def bodies(self) -> int:
        """How many vessels or housings stand side by side."""
        return self.room.bodies(self.keys, self.sizing)

    def why_this_vessel(self) -> list[str]:
        """The vessels next to the one taken, each with why it was not, in words."""
        duty = self.duty
        system = duty.facts.job.units
        said = []
        for other in self.room.runners_up(self.keys, self.sizing, duty, self.water_in.temperature):
            against = []
            if other.peak is not None:
                against.append(f"carries {show(other.peak, 'L/min', system)} at most")
            if other.wash is not None:
                against.append(f"needs {show(other.wash, 'L/min', system)} to backwash, only {show(duty.wash, 'L/min', system)} is available")
            if other.holds is not None:
                against.append(f"holds {show(other.holds, 'L media', system)} of media at most")
            if other.more is not None:
                against.append(f"needs {show(other.more, 'L media', system)} more media")
            count = f"{other.vessels} × " if other.vessels > 1 else ""
            said.append(f"{count}{other.tank} in: {', '.join(against) or 'would do as well'}")
        return said


@dataclass(frozen=True, slots=True)
class TrainRun:
    """A whole train with water running through it."""

    stages: tuple[StageRun[Any], ...]
    raw: Water
    finished: Water
    mild_finished: Water
    tap: Water

    def before(self, stage: StageRun[Any]) -> StageRun[Any] | None:
        return self.stages[stage.index - 1] if stage.index else None

    def after(self, stage: StageRun[Any]) -> StageRun[Any] | None:
        return self.stages[stage.index + 1] if stage.index + 1 < len(self.stages) else None

    def later(self, stage: StageRun[Any]) -> tuple[StageRun[Any], ...]:
        """The stages behind one."""
        return self.stages[stage.index + 1 :]

    def earlier(self, stage: StageRun[Any]) -> tuple[StageRun[Any], ...]:
        """The stages ahead of one."""
        return self.stages[: stage.index]

    @property
    def at_every_tap(self) -> tuple[Water, ...]:
        """What the house gets, and what comes out of each branch to a drinking tap."""
        ends = (stage for stage in self.stages if stage.at_tap and not ((behind := self.after(stage)) and behind.at_tap))
        return (self.finished, *(stage.water_out for stage in ends))

    def of(self, room: type[Treatment[K]]) -> Iterator[StageRun[K]]:
        """The stages of one treatment."""
        return (stage for stage in self.stages if isinstance(stage.room, room))


def name_stages(train: Iterable[Stage[Any]]) -> list[Stage[Any]]:
    """Give every stage an id: its own, or its kind with a number where a kind comes twice."""
    stages = list(train)
    taken = {stage.keys.id for stage in stages if stage.keys.id}
    count: dict[str, int] = {}
    named = []
    for stage in stages:
        name = stage.keys.id
        while name is None:
            count[stage.kind] = count.get(stage.kind, 0) + 1
            candidate = stage.kind if count[stage.kind] == 1 else f"{stage.kind}-{count[stage.kind]}"
            name = candidate if candidate not in taken else None
        taken.add(name)
        named.append(Stage(stage.room, stage.keys, name))
    return named
