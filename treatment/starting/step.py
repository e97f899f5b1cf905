"""One step of starting up, as the tables describe it and as it stands on a sheet."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any

from ..job.working import DURATIONS, STARTING, OwnValue
from ..language.display import media_hint, show
from ..language.figure import Figure, source
from ..language.tables import table
from ..train.room import StageRun

#: the phases in their order; headings, not walls
PHASES = ("before", "shut_down", "build", "first_fill", "start", "power", "settle", "prove", "hand_over")
WHO = ("installer", "plumber", "electrician", "site_work", "owner")
WHERE = ("house", "workshop", "either")
#: unit of a figure that is an hour after midnight
CLOCK = "o'clock"
#: sections of the table that hold no steps, and those that are no treatment
OTHER = ("hazards", "occasion", "visits", "amounts", "tells", "expected")
COMMON = ("site", "unit", "bed", "valve", "brine", *OTHER)


@dataclass(frozen=True, slots=True)
class Row:
    """A step as the table describes it. needs: as written there; hands_on, wait: minutes; the rest as in the format.

    after: minutes that must have passed since the needs written with a "+"; *_bounds: the least and most that a job's own may be.
    readings: words of what is read (see ``expected``); amounts: figures of its stage that the sheet names with it.
    shows: a drawing beside it; own: what the job says in place of ours, in words.
    only, unless: choices of its stage for which it applies, or does not; when: facts of the job that it asks for; clears: its
    unit feeds the next one only afterwards; ahead: its unit opens only afterwards; in_bypass: the house is served meanwhile.
    """

    verb: str
    section: str
    phase: str
    title: str
    do: tuple[str, ...]
    why: str
    bad_sign: str
    hands_on: float
    hazards: tuple[str, ...] = ()
    who: str = "installer"
    tools: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()
    wait: float | None = None
    after: float | None = None
    wait_bounds: tuple[float, float] | None = None
    after_bounds: tuple[float, float] | None = None
    readings: tuple[str, ...] = ()
    amounts: tuple[str, ...] = ()
    shows: str = ""
    own: tuple[str, ...] = ()
    water_off: bool = False
    where: str = "house"
    critical: bool = False
    only: dict[str, Any] = field(default_factory=dict)
    unless: dict[str, Any] = field(default_factory=dict)
    when: tuple[str, ...] = ()
    clears: bool = False
    ahead: bool = False
    in_bypass: bool = False

    def applies(self, choices: dict[str, Any], occasion: frozenset[str]) -> bool:
        """Whether a stage of these choices, on a job of these facts, has this step."""
        wanted = all(choices.get(name) in held for name, held in self.only.items())
        spared = any(choices.get(name) in held for name, held in self.unless.items())
        return wanted and not spared and occasion.issuperset(self.when)

    @property
    def source(self) -> str:
        """Where it comes from, and what of it is the job's own."""
        return "; ".join((source(_SOURCES.get(self.section, "commissioning.practice")), *self.own))


_SOURCES = {
    "site": "commissioning.place",
    "unit": "commissioning.place",
    "uv": "commissioning.lamps",
    "in_tank_uv": "commissioning.lamps",
    "chemical_feed": "commissioning.feeds",
    "reverse_osmosis": "commissioning.membranes",
}


@dataclass(frozen=True, slots=True)
class Amount:
    """What a sheet names with a step: the name of the figure, words, and the figure."""

    name: str
    words: str
    figure: Figure


def _amount(amount: Amount, system: str) -> str:
    value, unit = amount.figure.value, amount.figure.unit
    if unit == CLOCK:
        return f"{int(value):02d}:{round(value % 1 * 60):02d}"
    return show(value * 1000, "mm", system) if unit == "m" else show(value, media_hint(amount.name, unit), system)


@dataclass(frozen=True, slots=True)
class Need:
    """A step that must be done before another, and the minutes that must have passed since then (None: at once)."""

    id: str
    after: float | None = None


@dataclass(frozen=True, slots=True)
class Step:
    """A step on a sheet. stage: its unit, None for a step of the place; phase: the heading under which it is done.

    amounts: what the sheet names with it.
    """

    id: str
    stage: StageRun[Any] | None
    row: Row
    phase: str
    needs: tuple[Need, ...] = ()
    amounts: tuple[Amount, ...] = ()

    def do(self, system: str) -> list[str]:
        """What to do, a line each; what the sheet names with it in the units people read."""
        return [*self.row.do, *(f"{each.words}: {_amount(each, system)}" for each in self.amounts)]

    @property
    def hazards(self) -> list[str]:
        """The cautions that print with it, in words."""
        return [table("commissioning")["hazards"][name] for name in self.row.hazards]

    @property
    def rank(self) -> tuple[int, int]:
        """Its place among steps that could be done at the same time: by phase, the place first, then the order of the water."""
        return PHASES.index(self.phase), -1 if self.stage is None else self.stage.index


def with_own(row: Row, own: Mapping[str, OwnValue]) -> Row:
    """The row with a job's own durations in place of ours, each told with its reason."""
    for name in DURATIONS:
        value = own.get(f"{STARTING}.{row.section}.{row.verb}.{name}")
        if value is not None:
            said = f"{table('working')[STARTING][name]} {value.value:g} min in place of {getattr(row, name):g}: {value.reason}"
            changed: dict[str, Any] = {name: value.value}
            row = replace(row, own=(*row.own, said), **changed)
    return row


@cache
def rows(section: str) -> tuple[Row, ...]:
    """The steps of a section of the table, in its order; none for a section without steps."""
    return tuple(_row(section, verb, dict(entry)) for verb, entry in table("commissioning").get(section, {}).items())


def _row(section: str, verb: str, entry: dict[str, Any]) -> Row:
    held: dict[str, Any] = {name: tuple(value) if isinstance(value, list) else value for name, value in entry.items()}
    return Row(verb=verb, section=section, **held)


def rows_of(stage: StageRun[Any], occasion: frozenset[str]) -> Iterator[Row]:
    """The steps of one stage: those of its vessel, head and brine, its own, and its opening. Its own stand for common ones of the same verb."""
    choices = stage.room.choices(stage.keys) | stage.sizing.params
    own = [row for row in rows(stage.kind) if row.applies(choices, occasion)]
    common = [*rows("unit")]
    if stage.sizing.bed is not None:
        common += rows("bed")
    if stage.regenerates and stage.powered:
        common += rows("valve")
    if stage.room.uses_salt:
        common += rows("brine")
    verbs = {row.verb for row in own}
    yield from (row for row in common if row.verb not in verbs)
    yield from own
