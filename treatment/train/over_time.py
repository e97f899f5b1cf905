"""A stage as time passes: what it holds, what uses that up, what it decides at its hour, and the water that leaves it.

A treatment declares its own (``Treatment.over_time``); what several share stands here once. A slug's flow may be one number or many
side by side: the arithmetic is the same, and nothing here knows arrays.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Generic, NamedTuple, Protocol, TypeVar

from ..chemistry.water import Water
from ..language.figure import Figures, Line, stated, work
from ..language.tables import table
from . import monitored
from .marks import mark
from .monitored import LogOfStage, Shown, backwash, drop, lamp_hours, light

State = Mapping[str, float]
#: one number, or an array of them, one for each slug
Numbers = Any
GRAMS = 1000.0  # mg in a g: mg/L times L, over this


class StandingStage(Protocol):
    """What is asked here of a stage that stands in a train; `train.treatment.StageRun` is one."""

    @property
    def figures(self) -> Figures:
        """Its figures by name."""
        ...

    @property
    def water_in(self) -> Water:
        """The water that arrives."""
        ...

    @property
    def sizing(self) -> Any:
        """How it is sized: its bed, its parameters."""
        ...

    @property
    def bodies(self) -> int:
        """How many vessels or housings of it stand side by side."""
        ...

    @property
    def loaded(self) -> bool:
        """Whether it is a tank with a bed of media."""
        ...

    @property
    def clogs(self) -> bool:
        """Whether particles stay in it."""
        ...

    @property
    def loss_clean(self) -> float:
        """Its pressure loss at design flow, clean [kPa]."""
        ...

    @property
    def washing_minutes(self) -> float:
        """How long it washes itself [min]."""
        ...

    @property
    def wash_flow(self) -> float:
        """The flow it is washed at [L/min]."""
        ...


S = TypeVar("S", bound=StandingStage)


@dataclass(frozen=True, slots=True)
class Stock:
    """What fills, ages or is used up in a stage.

    start: new; mark: where it is renewed, None where only the calendar renews it; rises: whether use fills it rather than empties it.
    renewed_by: the verb of the upkeep task that puts it back to its start, empty where the stage does so itself; event: what a
    log of the year calls that.
    """

    name: str
    unit: str
    start: float
    mark: float | None = None
    rises: bool = True
    renewed_by: str = ""
    event: str = "change"

    def past(self, value: float) -> bool:
        """Whether a value has come to its mark."""
        return self.mark is not None and (value >= self.mark if self.rises else value <= self.mark)


@dataclass(frozen=True)
class Counted:
    """What is counted of the water that passes: a weight for each gram of an analyte, and one for each litre."""

    weights: tuple[tuple[str, float], ...]
    each_litre: float = 0.0

    def __hash__(self) -> int:
        return id(self)


class Slugs(Protocol):
    """Water that passes a stage within a day: slugs one after the other, and the conditions of that day."""

    total: float  # L in all
    minutes: float  # min of draw in all
    lit: float  # 0 where the lamp is dead
    temperature: float  # degC

    @property
    def volume(self) -> Numbers:
        """Litres of each."""
        ...

    @property
    def flow(self) -> Numbers:
        """Flow of all that run while it passes [L/min]."""
        ...

    @property
    def powered(self) -> Numbers:
        """1 where there is power, else 0."""
        ...

    def brought(self, counted: Counted) -> float:
        """How much of what is counted the day brings."""
        ...

    def running(self, counted: Counted) -> Numbers:
        """How much has come with each slug and those before it."""
        ...

    def ramp(self, values: Numbers, low: float, high: float) -> Numbers:
        """0 up to ``low``, 1 from ``high``, straight between."""
        ...

    def at_most(self, values: Numbers, most: float) -> Numbers:
        """Flows of more than nothing, held at a most."""
        ...

    def along(self, values: Numbers, xs: Sequence[float], ys: Sequence[float]) -> Numbers:
        """Straight-line interpolation in a rising table, held at both ends."""
        ...

    def shaped(self, analyte: str, xs: Sequence[float], ys: Sequence[float]) -> Numbers:
        """What follows from an analyte as it arrives, by a rising table."""
        ...

    def treated(self, analyte: str) -> Numbers:
        """An analyte as the design leaves it, in its canonical unit."""
        ...

    def arriving(self, analyte: str) -> Numbers:
        """An analyte as it arrives, in its canonical unit."""
        ...

    def where(self, condition: Numbers, one: Numbers, other: Numbers) -> Numbers:
        """One where the condition holds, else the other."""
        ...

    def spread(self, values: Numbers) -> tuple[float, float, float]:
        """Least, mean by volume, and most."""
        ...


class Stepped(NamedTuple):
    """What a step gives: the new state; the share of the water that passes untreated; analytes whose value the stage works out itself.

    told: series of the day as least, mean, most; energy [kWh].
    """

    state: State
    untreated: Numbers = 0.0
    values: Mapping[str, Numbers] = {}
    told: Mapping[str, tuple[float, float, float]] = {}
    energy: float = 0.0


class Wash(NamedTuple):
    """A wash or regeneration that a stage has decided on: litres to drain, minutes that it takes, the most it asks at once [L/min]."""

    kind: str
    litres: float
    minutes: float
    flow: float
    message: str
    times: int = 1


class Night(NamedTuple):
    """What a stage knows when it decides: days since its last wash; whether its valve was set to the raw water."""

    since: float
    raw_setting: bool = False


class OverTime(Generic[S]):
    """A stage as time passes. By itself it holds nothing and does what the design says.

    A step is pure: state and slugs in, the new state and what happened out.
    """

    #: whether its decisions stand still while there is no power
    powered = False
    #: whether those who draw while it washes get untreated water by its bypass
    bypasses = True
    #: what is read at its kind alone: levels, counters, lights
    own_points: tuple[str, ...] = ()

    def __init__(self, stage: S):
        self.stage = stage
        self.stocks: tuple[Stock, ...] = ()

    @property
    def washes_by(self) -> str:
        """What a log of the year calls what it decides by itself; empty where it decides nothing."""
        return ""

    def new(self) -> State:
        """Its state on the first day."""
        return {stock.name: stock.start for stock in self.stocks}

    def decides(self, state: State, night: Night) -> Wash | None:
        """What it begins by itself at its hour; None where it waits."""
        return None

    def washed(self, state: State, wash: Wash, lifted: float) -> State:
        """Its state after a wash; lifted: the share of the flow it needs that it was given."""
        return state

    def step(self, state: State, slugs: Slugs) -> Stepped:
        """Let a day's slugs pass."""
        return Stepped(state)

    def dirt(self, state: State) -> float:
        """How far its pressure loss has come from clean to dirty [-]; beyond 1 where it was left too long."""
        return 0.0

    def watched(self, state: State) -> dict[str, tuple[float, str]]:
        """Levels that people look at, at the end of a day: series -> value and unit."""
        return {}

    def lasts(self, what: str, cites: str) -> list[Line]:
        """How long what it has lasts by the design [day], its working before it. what: a word of the table of tasks, else one of its figures, in
        days or months; cites: the source that the task names.
        """
        figure = self.stage.figures[what]
        if figure.unit == "month":
            month = (float(table("upkeep")["limits"]["month"]), "day")
            return [*figure.working, work("in days", "months × days", "day", cites, months=(figure.value, "month"), days=month)]
        return [*figure.working, stated("in days", "days", figure.value, "day", cites)]

    @property
    def with_flow(self) -> bool:
        """Whether what counts hours of it runs only while water is drawn."""
        return False

    def has(self, what: str) -> bool:
        """Whether it can say how long that lasts."""
        return what in self.stage.figures

    def uses_up(self, what: str, load: str) -> bool:
        """Whether that is used up by what arrives, rather than a life that the trade gives. load: what of the water does it."""
        return bool(load)

    def takes(self, what: str, days: float, cites: str) -> Line | None:
        """What a task takes after so many days, in the unit it is bought in; None where this stage takes nothing of it."""
        if what == "medium" and "media_per_year" in self.stage.figures:
            return _of_a_year("medium", self.stage.figures["media_per_year"].value, days, "upkeep.beds")
        if what == "medium":
            bed = self.stage.sizing.bed
            return (
                None if bed is None else work("medium", "each × vessels", "L", cites, each=(bed.volume, "L"), vessels=(float(self.stage.bodies), ""))
            )
        if what == "elements" and "elements" in self.stage.figures:
            return stated("elements", "count", self.stage.figures["elements"].value, "1", cites)
        return stated("pieces", "count", 1.0, "1", cites)

    @property
    def points(self) -> tuple[str, ...]:
        """What is read at it besides its water, as a log names it, what is looked at most often first: pressures where it can clog, what is its own,
        its media, its flow to the drain where it is washed."""
        gauges, media = ("pressure_in", "pressure_out") if self.stage.clogs else (), ("medium_level",) if self.stage.loaded else ()
        return (*gauges, *self.own_points, *media, *(("backwash_flow",) if "backwash_flow" in self.stage.figures else ()))

    def shows(self, what: str, log: LogOfStage) -> Shown | None:
        """What a reading of one of its points should be by its own state on a day; None where nothing is expected."""
        if what == "pressure_drop":
            return drop(self.stage.loss_clean)
        need = self.stage.figures.get("backwash_flow")
        return backwash(need.value) if what == "backwash_flow" and need is not None else None


def _of_a_year(symbol: str, yearly: float, days: float, cites: str) -> Line:
    return work(symbol, "yearly × days ÷ 365", "kg", cites, yearly=(yearly, "kg"), days=(days, "day"))


@dataclass(frozen=True, slots=True)
class Regeneration:
    """How an exchanger regenerates. capacity, reserve: in what is counted; setting: what the meter counts a litre of water for [units/L].

    every: days after which it regenerates in any case; timer: by days alone; salt: kg; litres to drain; minutes; flow: the most [L/min].
    """

    capacity: float
    reserve: float
    setting: float
    raw_share: float
    every: float
    timer: bool
    salt: float
    litres: float
    minutes: float
    flow: float
    at_once: bool = False


class Exchanging(OverTime[S]):
    """Resin that loads and is regenerated with brine: the meter decides, salt gives the capacity back, and what is spent passes."""

    powered = True
    own_points = ("salt_level", "brine_level", "regenerations", "days_since_regeneration")

    def __init__(self, stage: S, counted: Counted, how: Regeneration):
        super().__init__(stage)
        self.counted, self.how = counted, how
        self.bypasses = not how.at_once
        limits, marks = table("upkeep")["limits"], table("year")["exchange"]
        self.onset, self.over = marks["onset"], marks["over"]
        full = max(float(limits["salt_stock"]), how.salt * marks["fill_regenerations"])
        self.stocks = (
            Stock("load", "g", 0.0),
            Stock("since_regeneration", "L", 0.0),
            Stock("salt", "kg", full, how.salt * marks["salt_low"], False, "salt", "refill"),
        )

    def has(self, what: str) -> bool:
        return what == "resin" or super().has({"salt": "salt_per_year"}.get(what, what))

    def uses_up(self, what: str, load: str) -> bool:
        """Salt always; the resin is worn by chlorine only."""
        return self.stage.water_in.value(load) > 0 if what == "resin" else super().uses_up(what, load)

    def lasts(self, what: str, cites: str) -> list[Line]:
        """Half a tank of salt by what a year takes; resin by the chlorine that arrives."""
        limits, water = table("upkeep")["limits"], self.stage.water_in
        if what == "salt":
            yearly = self.stage.figures["salt_per_year"]
            given = {"stock": (limits["salt_stock"], "kg"), "yearly": (max(yearly.value, 1e-6), "kg")}
            return [*yearly.working, work("a half tank lasts", "stock ÷ yearly × 365", "day", "upkeep.salt", **given)]
        if what == "resin":
            given = {
                "years": (limits["resin_years"], "year"),
                "chlorine": (max(water.value("total_chlorine"), water.value("free_chlorine")), "mg/L"),
                "worn": (limits["resin_chlorine"], "of its life, for each mg/L"),
            }
            return [work("life of the resin", "years ÷ (1 + worn × chlorine) × 365.25", "day", "upkeep.resin", **given)]
        return super().lasts(what, cites)

    def takes(self, what: str, days: float, cites: str) -> Line | None:
        if what == "salt":
            return _of_a_year("salt", self.stage.figures["salt_per_year"].value, days, "upkeep.salt")
        return super().takes(what, days, cites)

    @property
    def washes_by(self) -> str:
        return "regeneration"

    def decides(self, state: State, night: Night) -> Wash | None:
        how = self.how
        counts = state["since_regeneration"] * how.setting * (how.raw_share if night.raw_setting else 1.0)
        metered = counts >= (how.capacity - how.reserve) * (1 - 1e-9) and not how.timer
        if night.since < how.every - 1e-6 and not metered:
            return None
        times = max(int(counts / how.capacity), 1) if how.at_once and how.capacity > 0 else 1
        salt = min(how.salt * times, state["salt"])
        words = f"regenerates with {salt:.2g} kg of salt" if salt > 0 else "regenerates without salt"
        return Wash("regeneration", how.litres * times, how.minutes * times, how.flow, words, times)

    def washed(self, state: State, wash: Wash, lifted: float) -> State:
        wanted = self.how.salt * wash.times
        salt = min(wanted, state["salt"])
        back = self.how.capacity * wash.times * (salt / wanted if wanted > 0 else 1.0)
        meter = state["since_regeneration"] - self.how.capacity / self.how.setting * wash.times if self.how.at_once else 0.0
        return {**state, "load": max(state["load"] - back, 0.0), "since_regeneration": max(meter, 0.0), "salt": state["salt"] - salt}

    def step(self, state: State, slugs: Slugs) -> Stepped:
        capacity, load = max(self.how.capacity, 1e-9), state["load"]
        brought = slugs.brought(self.counted)
        after = load + brought
        since = state["since_regeneration"] + slugs.total
        if after <= self.onset * capacity or (self.how.at_once and state["salt"] > 0):  # of a twin the other vessel takes over
            return Stepped({**state, "load": after, "since_regeneration": since})
        untreated = slugs.ramp((load + slugs.running(self.counted)) / capacity, self.onset, self.over)
        held = max(brought - slugs.spread(untreated)[1] * brought, 0.0)
        return Stepped({**state, "load": min(load + held, self.over * capacity), "since_regeneration": since}, untreated)

    def dirt(self, state: State) -> float:
        return min(state["load"] / max(self.how.capacity, 1e-9), 1.0)

    def watched(self, state: State) -> dict[str, tuple[float, str]]:
        return {"salt_level": (salt_height(state["salt"]), "m")}

    def shows(self, what: str, log: LogOfStage) -> Shown | None:
        yearly = self.stage.figures.get("salt_per_year")
        if what != "salt_level" or yearly is None:
            return super().shows(what, log)
        tank, dense = table("vessels")["brine_tank_mm"], table("upkeep")["limits"]["salt_dense"]
        given = {"yearly": (yearly.value, "kg"), "dense": (dense, "kg/L"), "wide": (tank["width"] / 1000, "m")}
        return monitored.salt_height(work("falls", "yearly ÷ 365 ÷ dense ÷ 1000 ÷ wide^2", "m/day", "upkeep.salt", **given), log)


def salt_height(salt: float) -> float:
    """How high so much salt [kg] stands in the common brine tank [m]; an estimate from how pellets lie."""
    wide = float(table("vessels")["brine_tank_mm"]["width"]) / 1000
    return float(salt / table("upkeep")["limits"]["salt_dense"] / 1000 / wide**2)


def salt_of(height: float) -> float:
    """The salt [kg] that stands so high [m] in the common brine tank."""
    return height / salt_height(1.0)


@dataclass(frozen=True, slots=True)
class Washing:
    """How a bed is washed. every: days; litres to drain; minutes; flow: what it needs [L/min]; kind: what the log of a year calls it."""

    every: float
    litres: float
    minutes: float
    flow: float
    kind: str = "backwash"


def washing_of(stage: StandingStage, kind: str = "backwash") -> Washing | None:
    """How a stage's bed is washed by its own figures; None where it is not."""
    figures = stage.figures
    if "backwash_interval" not in figures or "water_per_backwash" not in figures:
        return None
    return Washing(figures["backwash_interval"].value, figures["water_per_backwash"].value, stage.washing_minutes, stage.wash_flow, kind)


class Washed(OverTime[S]):
    """A bed that is washed every so many days, where it is washed at all."""

    powered = True

    def __init__(self, stage: S, washing: Washing | None):
        super().__init__(stage)
        self.washing = washing

    @property
    def washes_by(self) -> str:
        return self.washing.kind if self.washing else ""

    def decides(self, state: State, night: Night) -> Wash | None:
        how = self.washing
        if how is None or night.since < how.every - 1e-6:
            return None
        return Wash(how.kind, how.litres, how.minutes, how.flow, f"washes {how.litres:.0f} L to drain")


class Loading(Washed[S]):
    """A bed that loads and is washed: what it holds grows with the water, its loss with it; left too long, it lets by."""

    def __init__(self, stage: S, counted: Counted, holds: float, washing: Washing | None, more: Sequence[Stock] = ()):
        super().__init__(stage, washing)
        self.counted, self.holds = counted, max(holds, 1e-9)
        self.stocks = (Stock("load", "g", 0.0), *more)
        self.over = float(table("year")["beds"]["over"])

    def washed(self, state: State, wash: Wash, lifted: float) -> State:
        return {**state, "load": state["load"] * (1 - min(lifted, 1.0))}

    def step(self, state: State, slugs: Slugs) -> Stepped:
        load, brought = state["load"], slugs.brought(self.counted)
        after = load + brought
        if after <= self.holds:
            return Stepped({**state, "load": after})
        untreated = slugs.ramp((load + slugs.running(self.counted)) / self.holds, 1.0, self.over)
        return Stepped({**state, "load": min(after, self.over * self.holds)}, untreated)

    def dirt(self, state: State) -> float:
        return state["load"] / self.holds


class TakingUp(Washed[S]):
    """A medium that takes something up for good, and lets it by when it is full; it may be washed on the way, too."""

    def __init__(self, stage: S, counted: Counted, holds: float, verb: str, washing: Washing | None = None):
        super().__init__(stage, washing)
        self.counted, self.holds = counted, max(holds, 1e-9)
        self.stocks = (Stock("load", "g", 0.0, self.holds, True, verb),)
        self.over = float(table("year")["beds"]["spent"])

    def step(self, state: State, slugs: Slugs) -> Stepped:
        load, brought = state["load"], slugs.brought(self.counted)
        after = load + brought
        if after <= self.holds:
            return Stepped({**state, "load": after})
        untreated = slugs.ramp((load + slugs.running(self.counted)) / self.holds, 1.0, self.over)
        return Stepped({**state, "load": min(after, self.over * self.holds)}, untreated)


class Filling(OverTime[S]):
    """A cartridge or element that fills with dirt: its loss climbs; what passes it is what passed it at first.

    dirt_a_litre: g that a litre of the design's water leaves in it; guide: the analyte by which that moves with the water.
    """

    def __init__(self, stage: S, dirt_a_litre: float, guide: str, holds: float, verb: str):
        super().__init__(stage)
        usual = stage.water_in.value(guide)
        self.holds = max(holds, 1e-9)
        self.counted = Counted(((guide, dirt_a_litre * GRAMS / usual),)) if usual > 0 else Counted((), dirt_a_litre)
        self.stocks = (Stock("dirt", "g", 0.0, self.holds, True, verb),)

    def step(self, state: State, slugs: Slugs) -> Stepped:
        return Stepped({**state, "dirt": state["dirt"] + slugs.brought(self.counted)})

    def dirt(self, state: State) -> float:
        return state["dirt"] / self.holds


class Aging(OverTime[S]):
    """A medium that wears with time: only the calendar tells."""

    def __init__(self, stage: S, verb: str):
        super().__init__(stage)
        self.stocks = (Stock("age", "day", 0.0, None, True, verb),)

    def step(self, state: State, slugs: Slugs) -> Stepped:
        return Stepped({**state, "age": state["age"] + 1.0})


@dataclass(frozen=True, slots=True)
class Tank:
    """A tank between two flows. holds: L; makes: what is made into it while it is not full [L/h]; takes: L drawn for each litre made.

    served: share of it that can be drawn; flow: at which it is filled [L/min].
    """

    holds: float
    makes: float
    takes: float
    flow: float
    usable: float = 1.0


class Storing(OverTime[S]):
    """Water that stands in a tank: it fills while the taps rest, and what is drawn upstream is what fills it, not what the taps draw."""

    def __init__(self, stage: S, tank: Tank, more: Sequence[Stock] = ()):
        super().__init__(stage)
        self.tank = tank
        self.stocks = (Stock("level", "L", tank.holds, None, False), *more)

    def makes(self, temperature: float) -> float:
        """What is made into it in an hour at a temperature [L/h]."""
        return self.tank.makes

    def fills(self, level: float, asked: Sequence[float], makes: float | Sequence[float]) -> Filled:
        """Walk the hours of a day. asked: L in each hour; makes: L/h while there is room, of all hours or of each."""
        each = [makes] * len(asked) if isinstance(makes, float) else makes
        holds, floor = self.tank.holds, self.tank.holds * (1 - self.tank.usable)
        made, served, low, empty = [], [], level, 0.0
        for want, comes in zip(asked, each, strict=True):
            room = min(comes, max(holds - level, 0.0) + want)
            given = min(want, max(level + room - floor, 0.0))
            if want > 0 and given < want - 1e-9:
                empty += 60.0 * (1 - given / want)
            level = level + room - given
            low = min(low, level)
            made.append(room)
            served.append(given)
        return Filled(level, low, made, served, empty)


class Filled(NamedTuple):
    """A day of a tank: its level at the end and its lowest [L]; L made into it and served in each hour; minutes it stood empty."""

    level: float
    low: float
    made: list[float]
    served: list[float]
    empty: float


@dataclass(frozen=True)
class Lamp:
    """A lamp. watts; hours of its life; hours a day it burns, None where it is lit with the flow."""

    watts: float
    life: float
    hours: float | None = 24.0
    more: Sequence[Stock] = field(default_factory=tuple)


class Burning(OverTime[S]):
    """A lamp: its hours run, its light falls with them; the dose is that of each draw's own flow."""

    own_points: tuple[str, ...] = ("lamp_hours",)

    def __init__(self, stage: S, lamp: Lamp):
        super().__init__(stage)
        self.lamp = lamp
        self.stocks = (Stock("lamp_hours", "hour", 0.0, lamp.life, True, "lamp"), *lamp.more)

    def shows(self, what: str, log: LogOfStage) -> Shown | None:
        if what == "lamp_hours":
            return lamp_hours(log.lamp_life)
        return light(log) if what == "intensity" else super().shows(what, log)

    @property
    def with_flow(self) -> bool:
        return self.lamp.hours is None

    def takes(self, what: str, days: float, cites: str) -> Line | None:
        if what != "lamps":
            return super().takes(what, days, cites)
        return stated("pieces", "count", float(self.stage.sizing.params.get("lamps", 1)), "1", cites)

    def burns(self, slugs: Slugs) -> float:
        """Hours it burns in a day."""
        return slugs.minutes / 60 if self.lamp.hours is None else self.lamp.hours

    def step(self, state: State, slugs: Slugs) -> Stepped:
        hours = self.burns(slugs)
        return Stepped({**state, "lamp_hours": state["lamp_hours"] + hours}, energy=self.lamp.watts * hours * slugs.lit / 1000)


def light_of_age(hours: float, life: float) -> float:
    """A lamp's light beside that at the end of its hours, for which it is rated [-]: it falls in a straight line, on beyond its hours."""
    new, old, past = (mark("uv", name) for name in ("intensity_new", "intensity_old", "lamp_past"))
    return (new - (new - old) * min(hours / life, past)) / old if hours <= life * past else (new - (new - old) * past) / old
