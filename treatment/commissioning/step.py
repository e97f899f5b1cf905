"""One step of starting up, as the tables describe it and as it stands on a sheet."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cache, lru_cache
from typing import Any

from ..job.working import DURATIONS, STARTING, OwnValue
from ..language.display import media_hint, show
from ..language.figure import Figure, source
from ..language.prose import QUANTITY, prosed
from ..language.tables import table
from ..train.treatment import StageRun

#: the phases in their order; headings, not walls
PHASES = ("before", "shut_down", "build", "first_fill", "start", "power", "settle", "prove", "hand_over")
WHO = ("installer", "plumber", "electrician", "site_work", "owner")
WHERE = ("house", "workshop", "either")
#: unit of a figure that is an hour after midnight
CLOCK = "o'clock"
#: unit of a figure that is read on a watch
SECONDS = "s"
#: sections of the table that hold no steps, and those that are no treatment
OTHER = ("hazards", "occasion", "visits", "amounts", "tells", "expected", "joining", "joints")
COMMON = ("site", "unit", "bed", "valve", "brine", "hosed", *OTHER)
#: a line that is said on some jobs only: ``[bypass,!group] …``; what is named in braces is a figure of the job
_WHEN, _NAMED = re.compile(r"\[([a-z_,! ]+)\] *"), re.compile(r"\{(\w+)\}")


def true_of(words: Collection[str], occasion: Collection[str]) -> bool:
    """Whether facts hold that are asked for by word; ``!`` before a word asks that it does not."""
    return all((word[1:] not in occasion) if word.startswith("!") else word in occasion for word in words)


@cache
def _ways(line: str) -> tuple[tuple[tuple[str, ...], str, tuple[str, ...]], ...]:
    """The ways of a line: the facts that each asks for, its words, and the figures it names."""
    found = []
    for way in line.split("|"):
        when = _WHEN.match(way)
        text = way[when.end() :] if when else way
        found.append((tuple(when.group(1).replace(" ", "").split(",")) if when else (), text, tuple(_NAMED.findall(text))))
    return tuple(found)


def said(line: str, occasion: Collection[str], told: Mapping[str, str]) -> str | None:
    """A line of the table as this job hears it: the first of its ways, parted by ``|``, whose facts hold and whose figures are known.

    None where it has nothing to say here.

    >>> said("[bypass] Flush through the bypass|Flush {metres} of pipe|Flush", {"well"}, {"metres": "4 m"})
    'Flush 4 m of pipe'
    """
    for words, text, names in _ways(line):
        if true_of(words, occasion) and all(name in told for name in names):
            return _NAMED.sub(lambda found: told[found.group(1)], text) if names else text
    return None


def names_in(lines: Collection[str]) -> list[str]:
    """The figures that some lines name."""
    return list(dict.fromkeys(name for line in lines for _, _, names in _ways(line) for name in names))


@dataclass(frozen=True, slots=True, eq=False)
class StepRow:
    """A step as the table describes it. needs: as written there; hands_on, wait: minutes; the rest as in the format.

    after: minutes that must have passed since the needs written with a "+"; *_bounds: the least and most that a job's own may be.
    readings: words of what is read (see ``expected``); amounts: figures of its stage that the sheet names with it.
    shows: a drawing beside it; own: what the job says in place of ours, in words.
    only, unless: choices of its stage for which it applies, or does not; when: facts of the job that it asks for, see ``true_of``;
    clears: its unit feeds the next one only afterwards; ahead: its unit opens only afterwards; at_source: done before the house's pipe
    gets water where its unit stands at the source.
    per: minutes of work for each of what is counted, beside hands_on (see ``Situation.counts``); longer: fact -> so many times the wait.
    alike: every job hears it so, but for what to do: none of its lines has ways, conditions or figures.
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
    at_source: bool = False
    per: dict[str, float] = field(default_factory=dict)
    longer: dict[str, float] = field(default_factory=dict)
    alike: bool = False

    def applies(self, choices: dict[str, Any], occasion: frozenset[str]) -> bool:
        """Whether a stage of these choices, on a job of these facts, has this step."""
        wanted = all(choices.get(name) in held for name, held in self.only.items())
        spared = any(choices.get(name) in held for name, held in self.unless.items())
        return wanted and not spared and true_of(self.when, occasion)

    def spoken(self, occasion: frozenset[str]) -> StepRow:
        """The row with its title, reason, bad sign, hazards, tools, needs and wait as a job of these facts has them."""
        return self if self.alike else _spoken(self, occasion)

    def _as_said(self, occasion: frozenset[str]) -> StepRow:
        title, why, bad = (said(text, occasion, {}) or "" for text in (self.title, self.why, self.bad_sign))
        tools, hazards, needs = (
            tuple(text for each in held if (text := said(each, occasion, {})) is not None) for held in (self.tools, self.hazards, self.needs)
        )
        wait = self.wait
        for word, times in self.longer.items():
            wait = wait * times if wait is not None and word in occasion else wait
        return replace(
            self, title=title, why=why, bad_sign=bad, tools=tools, hazards=hazards, needs=needs, wait=wait, where=said(self.where, occasion, {}) or ""
        )

    def in_units(self, system: str) -> StepRow:
        """The row with the quantities of its words as people of a system read them."""
        lines = (self.title, self.why, self.bad_sign, *self.do)
        if not any(QUANTITY.search(line) for line in lines):
            return self
        title, why, bad, *do = prosed(lines, system)
        return replace(self, title=title, why=why, bad_sign=bad, do=tuple(do))

    def scaled(self, counts: Mapping[str, float]) -> StepRow:
        """The row with the work of hands that this job makes of it: so many minutes, and more for each of what is counted."""
        if not self.per:
            return self
        return replace(self, hands_on=float(round(self.hands_on + sum(each * counts.get(name, 0.0) for name, each in self.per.items()))))

    @property
    def source(self) -> str:
        """Where it comes from, and what of it is the job's own."""
        return "; ".join((source(_SOURCES.get(self.section, "commissioning.practice")), *self.own))


@lru_cache(maxsize=2048)
def _spoken(row: StepRow, occasion: frozenset[str]) -> StepRow:
    return row._as_said(occasion)


#: lists of lines that a row speaks beside its title, reason and bad sign
SPOKEN = ("tools", "hazards", "needs")
_SOURCES = {
    "site": "commissioning.place",
    "unit": "commissioning.place",
    "uv": "commissioning.lamps",
    "in_tank_uv": "commissioning.lamps",
    "chemical_feed": "commissioning.feeds",
    "reverse_osmosis": "commissioning.membranes",
}


@dataclass(frozen=True, slots=True)
class StepAmount:
    """What a sheet names with a step: the name of the figure, words, and the figure. long: a length that people say in metres or feet."""

    name: str
    words: str
    figure: Figure
    long: bool = False


@dataclass(frozen=True, slots=True)
class Name:
    """Words that a line speaks of where it names them."""

    name: str
    words: str


#: stands behind every unit of a train
LAST = 1000


def _amount(amount: StepAmount, system: str) -> str:
    value, unit = amount.figure.value, amount.figure.unit
    if unit == CLOCK:
        return f"{int(value):02d}:{round(value % 1 * 60):02d}"
    if unit in (SECONDS, ""):
        return f"{value:.0f}{' s' if unit else ''}"
    if amount.long:
        return show(value, unit, system)
    return show(value * 1000, "mm", system) if unit == "m" else show(value, media_hint(amount.name, unit), system)


@dataclass(frozen=True, slots=True)
class StepNeed:
    """A step that must be done before another, and the minutes that must have passed since then (None: at once)."""

    id: str
    after: float | None = None


@dataclass(frozen=True, slots=True)
class Step:
    """A step on a sheet. stage: its unit, None for a step of the place; phase: the heading under which it is done.

    amounts: what the sheet names with it; told: figures and names that its lines speak of; occasion: the facts it is said for.
    """

    id: str
    stage: StageRun[Any] | None
    row: StepRow
    phase: str
    needs: tuple[StepNeed, ...] = ()
    amounts: tuple[StepAmount, ...] = ()
    told: tuple[StepAmount | Name, ...] = ()
    occasion: frozenset[str] = frozenset()

    def do(self, system: str) -> list[str]:
        """What to do, a line each; what the sheet names with it in the units people read."""
        told = {each.name: each.words if isinstance(each, Name) else _amount(each, system) for each in self.told}
        lines = (said(line, self.occasion, told) for line in self.row.do)
        return [*(line for line in lines if line), *(f"{each.words}: {_amount(each, system)}" for each in self.amounts)]

    @property
    def hazards(self) -> list[str]:
        """The cautions that print with it, in words."""
        return [table("commissioning")["hazards"][name] for name in self.row.hazards]

    @property
    def rank(self) -> tuple[int, int]:
        """Its place among steps that could be done at the same time: by phase, the place first, then the order of the water.

        Units are proven before the place is.
        """
        last = PHASES.index(self.phase) >= PHASES.index("prove")
        return PHASES.index(self.phase), (LAST if last else -1) if self.stage is None else self.stage.index


def with_own(row: StepRow, own: Mapping[str, OwnValue]) -> StepRow:
    """The row with a job's own durations in place of ours, each told with its reason."""
    for name in DURATIONS:
        value = own.get(f"{STARTING}.{row.section}.{row.verb}.{name}")
        if value is not None:
            said = f"{table('working')[STARTING][name]} {value.value:g} min in place of {getattr(row, name):g}: {value.reason}"
            changed: dict[str, Any] = {name: value.value}
            row = replace(row, own=(*row.own, said), **changed)
    return row


@cache
def rows(section: str) -> tuple[StepRow, ...]:
    """The steps of a section of the table, in its order; none for a section without steps."""
    return tuple(_row(section, verb, dict(entry)) for verb, entry in table("commissioning").get(section, {}).items())


def _row(section: str, verb: str, entry: dict[str, Any]) -> StepRow:
    held: dict[str, Any] = {name: tuple(value) if isinstance(value, list) else value for name, value in entry.items()}
    lines = (held["title"], held["why"], held["bad_sign"], held.get("where", ""), *(line for name in SPOKEN for line in held.get(name, ())))
    return StepRow(verb=verb, section=section, **held, alike="longer" not in held and not any(sign in line for line in lines for sign in "|[{"))


def rows_of(stage: StageRun[Any], occasion: frozenset[str]) -> Iterator[StepRow]:
    """The steps of one stage, as it hears them: those of its vessel, head and brine, its own, and its opening.

    Its own stand for common ones of the same verb; what is done by hose before the tank is piped stands for both.
    """
    choices = stage.room.choices(stage.keys) | stage.sizing.params
    own = [row for row in rows(stage.kind) if row.applies(choices, occasion)]
    common = [row for row in rows("unit") if row.applies(choices, occasion)]
    if stage.sizing.bed is not None:
        common += rows("bed")
    if stage.regenerates and stage.powered:
        common += rows("valve")
    if stage.room.uses_salt:
        common += rows("brine")
    if "hosed" in occasion:
        hosed = {row.verb: row for row in rows("hosed") if row.applies(choices, occasion)}
        soak = next((row for row in own if row.verb == "soak"), None)
        if soak is not None:  # as long as its medium wants
            hosed["soak"] = replace(
                hosed["soak"], section=soak.section, title=soak.title, hands_on=soak.hands_on, wait=soak.wait, wait_bounds=soak.wait_bounds
            )
        own = [*hosed.values(), *(row for row in own if row.verb not in hosed)]
    verbs = {row.verb for row in own}
    for row in (*(row for row in common if row.verb not in verbs), *own):
        if row.applies(choices, occasion) and not (
            "loaded" in occasion and row.verb in ("load", "fill") and (stage.sizing.bed is not None or "hosed" in occasion)
        ):
            yield row.spoken(occasion)
