"""What a job file may say of any stage: its id, hour, reason, feed limits, and how it is built in."""

from __future__ import annotations

from dataclasses import dataclass

from ..job.facts import LENGTH, LIFT, OBSTRUCTIONS, VOLUME
from ..job.feed_limits import OwnFeedLimit, OwnFeedLimits
from ..language.spec import Choice, Either, Flag, KeysOf, ListOf, Measure, Number, Record, Text, TimeOfDay, Vessel, key


@dataclass(frozen=True, slots=True)
class PipeEnd:
    material: str | None = key(Choice(("copper", "stainless", "pex_expansion", "pex_crimp", "pex", "cpvc", "pvc40", "pvc", "pe")))
    metal_length: float | None = key(LENGTH)
    shielded: bool | None = key(Flag(), None, "no UV light reaches it")


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
class BypassGroup:
    """A bypass that units share which stand next to each other: three valves round all of them."""

    group: str = key(Text(40), "", "its name; units of one name, next to each other, share it")


@dataclass(frozen=True, slots=True)
class UnitSpot:
    """Where it stands on the wall: its left edge from the left end, its foot above the floor."""

    x: float | None = key(LENGTH)
    foot: float | None = key(LENGTH)


@dataclass(frozen=True, slots=True)
class Install:
    """How a stage is built in. What is absent is unknown."""

    bypass: bool | str | BypassGroup | None = key(Either((Flag(), Choice(("locked",)), Record(BypassGroup))))
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
    at: UnitSpot | None = key(Record(UnitSpot), None, "its place on the wall; if not given, it is placed automatically")

    @property
    def open_way_round(self) -> bool:
        """Whether it has a bypass that anybody can open: one of its own, or one it shares, that is not said to be locked."""
        return self.bypass is True or isinstance(self.bypass, BypassGroup)


@dataclass(frozen=True, slots=True)
class StageKeys:
    """Keys that every stage may carry."""

    id: str | None = key(Text(40), None, "a name of your own for this stage, unique in the train", identity=True)
    hour: float | None = key(TimeOfDay(), None, "regeneration time, hours after midnight")
    install: Install | None = key(Record(Install), None, "how it is installed; what is absent is unknown", identity=True)
    reason: str | None = key(Text(200), None, "why the designer fixed its sizes or choices", identity=True)
    feed_limits: tuple[OwnFeedLimit, ...] = key(OwnFeedLimits(), (), "its feed limits, in place of the defaults", identity=True)
    loaded: bool | None = key(Flag(), None, "it comes loaded with its media", identity=True, sometimes=True)


@dataclass(frozen=True, slots=True)
class Layer:
    """One medium of a layered bed."""

    medium: str = key(KeysOf("media"), "")
    volume: float = key(VOLUME, 0.0)


@dataclass(frozen=True, slots=True)
class BedKeys(StageKeys):
    """Keys of every treatment that may stand in mineral tanks."""

    volume: float | None = key(VOLUME, None, "media in each vessel", sometimes=True)
    layers: tuple[Layer, ...] = key(ListOf(Record(Layer)), (), "media in each vessel from the bottom up", sometimes=True)
    tank: str | None = key(Vessel(), None, "vessel", sometimes=True)
    vessels: int | None = key(Number(1, 8, whole=True), None, "identical vessels in parallel, backwashed one at a time", sometimes=True)


#: identity keys that are not of the kind: who it is in this train, how it is built in, why, what it takes
OF_EVERY_STAGE = frozenset({"id", "install", "reason", "feed_limits", "loaded"})
