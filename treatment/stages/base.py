"""What every treatment has in common: its keys, its feed limits, and the shape of its room."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, ClassVar

from ..beds import Bed, RunnerUp, runners_up
from ..feed_limits import FeedLimit, OwnFeedLimit, OwnFeedLimits, with_own
from ..figure import Figure
from ..job import FLOW, LENGTH, LIFT, OBSTRUCTIONS, VOLUME
from ..spec import Choice, Either, Flag, ListOf, Measure, Number, Record, Text, TimeOfDay, Vessel, key
from ..water import Water

if TYPE_CHECKING:
    from ..duty import Duty


@dataclass(frozen=True, slots=True)
class PipeEnd:
    material: str | None = key(Choice(("copper", "stainless", "pex_expansion", "pex_crimp", "pex", "cpvc", "pvc40", "pvc", "pe")))
    metal_length: float | None = key(LENGTH)


@dataclass(frozen=True, slots=True)
class StageDrain:
    distance: float | None = key(LENGTH)
    lift: float | None = key(LIFT)
    bore: float | None = key(Measure("length", "1/2 in", high=0.5, above=True))
    air_gap: float | None = key(LENGTH)


@dataclass(frozen=True, slots=True)
class Overflow:
    lift: float | None = key(LIFT)


@dataclass(frozen=True, slots=True)
class Place:
    """Where it stands on the wall: its left edge from the left end, its foot above the floor."""

    x: float | None = key(LENGTH)
    foot: float | None = key(LENGTH)


@dataclass(frozen=True, slots=True)
class Install:
    """How a stage is built in. What is absent is unknown."""

    bypass: bool | str | None = key(Either((Flag(), Choice(("locked",)))))
    feed: str | None = key(Choice(("cold", "hot")))
    pipe_in: PipeEnd | None = key(Record(PipeEnd))
    pipe_out: PipeEnd | None = key(Record(PipeEnd))
    clearance_above: float | None = key(LENGTH)
    clearance_below: float | None = key(LENGTH)
    clearance_front: float | None = key(LENGTH)
    orientation: str | None = key(Choice(("vertical", "horizontal", "upside_down")))
    ballast: str | None = key(Choice(("above", "below")))
    drip_loop: bool | None = key(Flag())
    outlet: str | None = key(Choice(("protected", "unprotected")))
    blocks: tuple[str, ...] = key(ListOf(Choice(OBSTRUCTIONS)), ())
    drain: StageDrain | None = key(Record(StageDrain))
    overflow: Overflow | None = key(Record(Overflow))
    sample_taps: bool | None = key(Flag())
    branch: str | None = key(Choice(("outdoor", "drinking_tap", "main")))
    at: Place | None = key(Record(Place), None, "where it stands on the wall; left out, it is placed for you")


@dataclass(frozen=True, slots=True)
class StageKeys:
    """Keys that every stage may carry."""

    id: str | None = key(Text(40), None, "a name of your own for this stage, unique in the train")
    hour: float | None = key(TimeOfDay(), None, "hour at which it regenerates or backwashes")
    install: Install | None = key(Record(Install), None, "how it is built in; what is absent is unknown")
    reason: str | None = key(Text(200), None, "why the designer fixed its sizes or choices")
    feed_limits: tuple[OwnFeedLimit, ...] = key(OwnFeedLimits(), (), "what it takes, in place of our feed limits")


@dataclass(frozen=True, slots=True)
class BedKeys(StageKeys):
    """Keys of every treatment that may stand in mineral tanks."""

    volume: float | None = key(VOLUME, None, "medium in each vessel")
    tank: str | None = key(Vessel(), None, "vessel")
    vessels: int | None = key(Number(1, 8, whole=True), None, "identical vessels in parallel, washed one at a time")


@dataclass(frozen=True, slots=True)
class Sizing:
    """The completed choices of a stage and the figures that lead to them.

    params: canonical values by key, in the units of ``param_units``; bed: its vessels, where it has some.
    """

    params: dict[str, Any]
    figures: dict[str, Figure] = field(default_factory=dict)
    bed: Bed | None = None


class Room:
    """One treatment. Rooms hold no state; each method is given what it needs.

    kind: key of the job file; title: what people call it; silhouette: its shape in the drawing;
    removes: analytes it can lower, for the planner's "why not" and the shelf; barrier: holds particles.
    """

    kind: ClassVar[str]
    title: ClassVar[str]
    silhouette: ClassVar[str]
    Keys: ClassVar[type[StageKeys]]
    answers: ClassVar[tuple[str, ...]] = ()
    holds_particles: ClassVar[bool] = False
    uses_salt: ClassVar[bool] = False
    uses_power: ClassVar[bool] = False
    cautions: ClassVar[tuple[str, ...]] = ()
    #: whether it takes part of the water's story without changing it (tanks, pumps, valves): never "unneeded" by chemistry
    serves: ClassVar[bool] = False
    #: what a short peak above its steady flow does
    peak_effect: ClassVar[str] = "it treats less"

    def at_tap(self, keys: Any) -> bool:
        """Whether it stands on a branch to the drinking tap: the rest of the house never sees its water."""
        return bool(keys.install and keys.install.branch == "drinking_tap")

    def pressure_after(self, sizing: Sizing, pressure: float, loss: float) -> float:
        """Pressure [kPa] behind it, from that before it and its own loss."""
        return pressure - loss

    def rows(self, keys: Any) -> tuple[str, ...]:
        """The rows of ``data/stages.toml`` it is reckoned with."""
        return (self.kind,)

    def peak(self, keys: Any, sizing: Sizing) -> float:
        """Greatest short peak [L/min] it bears; by default its vessels' velocity limit, or half above its steady flow."""
        if sizing.bed is not None:
            return float(sizing.bed.peak_limit)
        return float(sizing.figures["service_flow_limit"].value * 1.5) if "service_flow_limit" in sizing.figures else float("inf")

    def runners_up(self, keys: Any, sizing: Sizing, duty: Duty, temperature: float) -> list[RunnerUp]:
        """The vessels next to the one taken, and why each was not; empty where it has none, or where the job fixed it."""
        bed = sizing.bed
        if bed is None or getattr(keys, "tank", None) is not None:
            return []
        wash = duty.wash if "backwash_flow" in sizing.figures else None
        return runners_up(bed, duty.flow, bed.total_volume, wash, temperature)

    def micron(self, keys: Any, sizing: Sizing) -> float | None:
        """What particles it holds [µm, nominal]; None where it is no particle filter."""
        return None

    def name(self, keys: Any) -> str:
        """What this very stage is called, e.g. with its medium or micron rating."""
        return self.title

    def feed_limits(self, keys: Any, water: Water, duty: Duty) -> list[FeedLimit]:
        """What it asks of the water that reaches it, by our tables."""
        return []

    def takes(self, keys: Any, water: Water, duty: Duty) -> list[FeedLimit]:
        """What it asks of the water that reaches it, the designer's own limits in place of ours."""
        return with_own(self.feed_limits(keys, water, duty), keys.feed_limits)

    def size(self, keys: Any, water: Water, duty: Duty) -> Sizing:
        """Complete its sizes for the water that arrives; figures carry their working."""
        raise NotImplementedError

    def treat(self, keys: Any, sizing: Sizing, water: Water, duty: Duty) -> Water:
        """The water that leaves it at design flow."""
        raise NotImplementedError

    def loss(self, keys: Any, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        """Pressure loss [kPa] at a flow [L/min], clean and dirty."""
        raise NotImplementedError

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        """Keys the planner may try for a raw water; empty where it has nothing to do."""
        return []

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        """Its purpose in one line, from what it did to the water."""
        return ""

    def schools(self, keys: Any, water: Water, system: str) -> list[str]:
        """Where practitioners disagree about this stage: our default and the others."""
        return []

    def body(self, keys: Any, sizing: Sizing) -> tuple[float, float, float]:
        """Width and height [mm] of its silhouette and how far its foot hangs above the floor [mm]."""
        if sizing.bed:
            head = table_mm("valve_in")
            return sizing.bed.diameter * 1000, sizing.bed.height * 1000 + head, 0.0
        return 185.0, 610.0, 600.0


def table_mm(name: str) -> float:
    from ..tables import table

    return float(table("vessels")[name]) * 25.4


def cartridge_body(housing: str) -> tuple[float, float, float]:
    """Width, height and foot above the floor [mm] of a cartridge housing, its ports at working height."""
    from ..tables import table

    row = table("vessels")["cartridges"][housing]
    return float(row["width_mm"]), float(row["height_mm"]), 1250.0 - float(row["height_mm"])


def tank_body(litres: float) -> tuple[float, float, float]:
    """Width, height and foot [mm] of a standing tank of about three times its width."""
    width = (litres / 1000 * 4 / 3.1416 / 2.6) ** (1 / 3) * 1000
    return width, width * 2.6, 0.0


__all__ = ["FLOW", "Bed", "BedKeys", "FeedLimit", "Install", "Room", "Sizing", "StageKeys", "cartridge_body"]
