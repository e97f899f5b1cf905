"""A run sheet in use: what was ticked, skipped, read and noted, by whom and when, and what follows from it.

Everything that happens is an event and stays; what stands is found by going through them. So two phones that were apart lose
nothing when they meet: where they disagree, both sides stand beside each other until somebody who saw both says more.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from .expected import Expectations, ExpectedReading
from .sheet import Sheet
from .step import Step

KINDS = ("tick", "skip", "undo", "note", "reading", "photo", "lift")
#: what says that a step is over
MARKS = ("tick", "skip")


@dataclass(frozen=True, slots=True)
class RunEvent:
    """Something that was done on a sheet.

    number: in the order of arrival; key: given by whoever made it, the same when it is sent again; at: when it was done (with
    time zone); base: number of the last event that its maker had seen; text: the reason, the note, what was read as it was
    typed, the name of a photo; about: the event taken back, the key of a reading, the sample that lifts the advice; low, high:
    what was read, canonical; title: of the step as it stood then.
    """

    number: int
    key: str
    step: str
    kind: str
    at: dt.datetime
    by: str
    base: int = 0
    text: str = ""
    about: str = ""
    low: float | None = None
    high: float | None = None
    title: str = ""

    def disagrees(self, other: RunEvent) -> bool:
        """Whether two events about one step say different things of the same."""
        if self.kind in MARKS and other.kind in MARKS:
            return self.kind != other.kind
        return self.kind == other.kind == "reading" and self.about == other.about and (self.low, self.high) != (other.low, other.high)

    def settles(self, other: RunEvent) -> bool:
        """Whether it speaks of the same as an event that its maker had seen, or made."""
        same = self.about == other.about if self.kind == "reading" else other.kind in MARKS and self.kind in (*MARKS, "undo")
        return same and self.kind in ("reading", *MARKS, "undo") and (other.number <= self.base or other.by == self.by)


@dataclass(slots=True)
class RunStanding:
    """How a step stands. marks: ticks and skips that were not taken back; readings: the newest of each key; apart: pairs that disagree."""

    step: str
    title: str = ""
    marks: list[RunEvent] = field(default_factory=list)
    readings: dict[str, RunEvent] = field(default_factory=dict)
    notes: list[RunEvent] = field(default_factory=list)
    photos: list[RunEvent] = field(default_factory=list)
    apart: list[tuple[RunEvent, RunEvent]] = field(default_factory=list)

    @property
    def state(self) -> str:
        """done, skipped or open; done where somebody did it, even if another skipped it."""
        kinds = {mark.kind for mark in self.marks}
        return "done" if "tick" in kinds else "skipped" if kinds else "open"

    @property
    def mark(self) -> RunEvent | None:
        """The tick that counts, or the skip: the earliest."""
        wanted = "tick" if self.state == "done" else "skip"
        return min((mark for mark in self.marks if mark.kind == wanted), key=lambda mark: (mark.at, mark.number), default=None)

    @property
    def empty(self) -> bool:
        return not (self.marks or self.readings or self.notes or self.photos)


@dataclass(frozen=True, slots=True)
class Missing:
    """What a step still waits for. until: when its wait is over, None where the step before it is not done."""

    step: Step
    until: dt.datetime | None


@dataclass(frozen=True, slots=True)
class Timer:
    """A wait that somebody began by ticking a step."""

    step: Step
    began: dt.datetime
    ends: dt.datetime


class Run:
    """A sheet with what happened on it. begun_with: step id -> title of each step when the run was begun."""

    def __init__(self, found: Sheet, events: Iterable[RunEvent], expected: Expectations | None = None, begun_with: Mapping[str, str] | None = None):
        self.sheet, self.expected = found, expected
        self.events = sorted(events, key=lambda event: event.number)
        self.begun_with = dict(begun_with or {})
        self.standing: dict[str, RunStanding] = {}
        for event in self.events:
            self._take(event)

    def _take(self, event: RunEvent) -> None:
        here = self.standing.setdefault(event.step, RunStanding(event.step))
        here.title = event.title or here.title
        here.apart = [pair for pair in here.apart if not all(event.settles(each) for each in pair)]
        unseen = [other for other in self.events if other.step == event.step and event.base < other.number < event.number and other.by != event.by]
        here.apart += [(other, event) for other in unseen if event.disagrees(other) and self._stands(here, other)]
        if event.kind in MARKS:
            here.marks = [mark for mark in here.marks if mark.kind == event.kind or not event.settles(mark)]
            here.marks.append(event)
        elif event.kind == "undo":
            here.marks = [mark for mark in here.marks if mark.key != event.about]
        elif event.kind == "reading":
            here.readings[event.about] = event
        elif event.kind == "note":
            here.notes.append(event)
        elif event.kind == "photo":
            here.photos.append(event)

    def _stands(self, here: RunStanding, event: RunEvent) -> bool:
        """Whether an event still counts."""
        return event in here.marks or event in here.readings.values()

    def of(self, id: str) -> RunStanding:
        """How a step stands; open where nothing happened."""
        return self.standing.get(id) or RunStanding(id)

    @property
    def last(self) -> int:
        """Number of the last event; 0 before the first."""
        return self.events[-1].number if self.events else 0

    # --- what follows -------------------------------------------------------------------------------------------------
    def missing(self, step: Step, now: dt.datetime) -> list[Missing]:
        """What must come before a step and has not: steps that are open, waits that are not over."""
        found = []
        for need in step.needs:
            mark = self.of(need.id).mark
            before = self.sheet.by_id[need.id]
            if mark is None:
                found.append(Missing(before, None))
            elif mark.kind == "tick" and need.after and (until := mark.at + dt.timedelta(minutes=need.after)) > now:
                found.append(Missing(before, until))
        return found

    def timers(self, now: dt.datetime) -> list[Timer]:
        """Waits that run, the next to end first."""
        found = [timer for step in self.sheet.steps if (timer := self.timer(step)) is not None and timer.ends > now]
        return sorted(found, key=lambda timer: timer.ends)

    def timer(self, step: Step) -> Timer | None:
        """The wait that a step's tick began, over or not; None where it has none, or is not ticked."""
        mark = self.of(step.id).mark
        if not step.row.wait or mark is None or mark.kind != "tick":
            return None
        return Timer(step, mark.at, mark.at + dt.timedelta(minutes=step.row.wait))

    def next(self, now: dt.datetime) -> list[Step]:
        """Steps that can be done now, in the order of the sheet."""
        return [step for step in self.sheet.steps if self.of(step.id).state == "open" and not self.missing(step, now)]

    @property
    def done(self) -> int:
        """How many steps of the sheet are over."""
        return sum(self.of(step.id).state != "open" for step in self.sheet.steps)

    @property
    def complete(self) -> bool:
        """Whether every step is done or skipped."""
        return bool(self.sheet.steps) and self.done == len(self.sheet.steps)

    @cached_property
    def added(self) -> list[Step]:
        """Steps that came with a change of the train after the run was begun."""
        return [step for step in self.sheet.steps if self.begun_with and step.id not in self.begun_with]

    @cached_property
    def lost(self) -> list[RunStanding]:
        """Steps that the run was begun with, or that something happened on, and that the sheet no longer has."""
        ids = dict.fromkeys([*self.begun_with, *self.standing])
        return [
            RunStanding(id, self.begun_with.get(id, id)) if id not in self.standing else self._titled(id)
            for id in ids
            if id and id not in self.sheet.by_id
        ]

    def _titled(self, id: str) -> RunStanding:
        here = self.standing[id]
        here.title = here.title or self.begun_with.get(id, id)
        return here

    def readings_of(self, step: Step) -> tuple[ExpectedReading, ...]:
        """What is read at a step."""
        return self.expected.of(step) if self.expected else ()

    def outside(self, step: Step) -> list[tuple[ExpectedReading, RunEvent]]:
        """Readings of a step that lie outside what is expected."""
        here = self.of(step.id).readings
        found = []
        for reading in self.readings_of(step):
            event = here.get(reading.key.key)
            if event is not None and event.low is not None and not reading.holds(event.low, event.high):
                found.append((reading, event))
        return found

    # --- what may be done ---------------------------------------------------------------------------------------------
    def refusal(self, step: Step, kind: str, now: dt.datetime, reason: str = "", sure: bool = False) -> Refusal | None:
        """Why a tick or a skip is not taken; None where it is.

        A step out of order is refused where something critical is missing, else it wants a reason; so does one whose reading
        lies outside. A skip wants a reason, and asks twice where the step is critical.
        """
        if kind == "skip":
            if not reason:
                return Refusal("reason", "Give a reason for skipping this step; it is printed in the record.")
            if step.row.critical and not sure:
                return Refusal("sure", f"This step is critical. {step.row.why} Skip it anyway? The reason is printed in the record.")
            return None
        if kind != "tick":
            return None
        missing = self.missing(step, now)
        if any(each.step.row.critical for each in missing):
            return Refusal("missing", "An earlier critical step is not done yet.", tuple(missing))
        if missing and not reason:
            return Refusal("reason", "This step is out of order. Say why you are doing it first.", tuple(missing))
        outside = self.outside(step)
        if outside and not reason:
            words = ", ".join(reading.key.words for reading, _ in outside)
            return Refusal("reason", f"Outside the expected range: {words}. {step.row.bad_sign} Say why you continue.")
        return None


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why something is not taken. wants: missing (nothing helps but doing it), reason, or sure (to be asked a second time)."""

    wants: str
    words: str
    missing: tuple[Missing, ...] = ()
