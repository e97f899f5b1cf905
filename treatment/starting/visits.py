"""Steps put into visits: the fewest, with the waits that need nobody between them, and the house without water in one piece.

One pair of hands works one step after another; a wait runs while other steps are done. What is longer than people wait
beside their work parts two visits. So the least number of visits is the most such waits on any way through the sheet, and
more only where a day's work is full.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..language.tables import table
from .sheet import Sheet, ahead_of
from .step import Step

DAY = 1440.0  # min
#: the usual hour at which work begins
OPENS = (dt.datetime.min + dt.timedelta(minutes=table("commissioning")["visits"]["opens"])).time()
#: the last step of the piece of work during which the house is without water
BACK = "site/flush_lines"
#: its first
OFF = "site/heater_off"
#: the step that gives the house its hot water back
WARM = "site/heater_on"


@dataclass(frozen=True, slots=True)
class Done:
    """A step at its time [min after midnight of the first visit's day]: begin and end of the work of hands."""

    step: Step
    begin: float
    end: float


@dataclass(frozen=True, slots=True)
class Visit:
    """One coming to the house. work: its steps in the order in which they are done."""

    number: int
    work: tuple[Done, ...]

    @property
    def day(self) -> int:
        """Days after the first visit's."""
        return int(self.work[0].begin // DAY)

    def date(self, start: dt.datetime) -> dt.datetime:
        """When it begins, where the first begins at ``start``."""
        return dt.datetime.combine(start.date(), dt.time()) + dt.timedelta(minutes=self.work[0].begin)

    @property
    def at(self) -> str:
        """The hour at which it begins."""
        hour, minute = divmod(round(self.work[0].begin % DAY), 60)
        return f"{hour:02d}:{minute:02d}"

    @property
    def length(self) -> float:
        """From its first step to the end of its last [min]."""
        return self.work[-1].end - self.work[0].begin

    @property
    def water_off(self) -> float:
        """How long the house is without water, by the clock [min]."""
        dry = [done for done in self.work if done.step.row.water_off]
        return dry[-1].end - dry[0].begin if dry else 0.0

    @property
    def hands_on(self) -> float:
        """Work of hands in it [min]."""
        return sum(done.step.row.hands_on for done in self.work)

    @property
    def bring(self) -> list[str]:
        """Tools and parts of its steps, each once."""
        return list(dict.fromkeys(tool for done in self.work for tool in done.step.row.tools))


def minute_of(when: dt.datetime, first: dt.datetime | None = None) -> float:
    """A moment [min after midnight of the first visit's day]; first: when that begins, its own day where it is not said."""
    midnight = dt.datetime.combine((first or when).date(), dt.time())
    return (when - midnight).total_seconds() / 60


@dataclass(frozen=True, slots=True)
class Misfit:
    """A visit that cannot begin when it was asked to. step: whose wait, or other reason, rules; begin: when it may [min]; asked: when it should."""

    number: int
    asked: float
    begin: float
    step: Step | None


def visits(found: Sheet, hour: float | None = None, moved: Mapping[int, float] | None = None) -> tuple[Visit, ...]:
    """The visits of a sheet, in order: all steps, once each; none before its needs are done and their waits have passed.

    hour: when the first begins [min after midnight], the usual hour where it is not said; moved: number of a visit -> when it
    is wanted [min after midnight of the first visit's day].
    """
    return Calendar(found, hour, moved).visits()


class Calendar:
    """The days on which a sheet is worked through. misfits: visits that could not be moved where they were wanted."""

    def __init__(self, found: Sheet, hour: float | None = None, moved: Mapping[int, float] | None = None):
        self.found = found
        hours = table("commissioning")["visits"]
        self.opens, self.latest, self.stand = float(hours["opens"]), float(hours["latest"]), float(hours["stand"])
        self.length, self.most = float(hours["length"]), float(hours["most"])
        self.first = self.opens if hour is None else hour
        self.moved = dict(moved or {})
        self.misfits: list[Misfit] = []
        self.done: dict[str, Done] = {}
        self.place = {step.id: i for i, step in enumerate(found.steps)}
        self.warming = ahead_of(found.by_id, [WARM])
        self.block = self._block()

    def visits(self) -> tuple[Visit, ...]:
        """Round by round; a round that is longer than a day's work goes on the next morning."""
        days: list[list[Done]] = []
        levels = self._levels()
        for level in range(max(levels.values(), default=-1) + 1):
            left = [step for step in self.found.steps if levels[step.id] == level and step.id not in self.done]
            later = [step for step in self.found.steps if levels[step.id] > level and step.id not in self.block]
            while left:
                days.append(self._day(self._begin(left, len(days) + 1), left, later))
                left, later = ([step for step in steps if step.id not in self.done] for steps in (left, later))
        return tuple(Visit(number, tuple(work)) for number, work in enumerate(days, 1))

    # --- which round a step belongs to --------------------------------------------------------------------------------
    def _apart(self, after: float | None) -> int:
        return int((after or 0.0) > self.stand)

    def _block(self) -> frozenset[str]:
        """Heater off to lines flushed: what is done while the house is without water, in one piece."""
        behind: set[str] = {OFF}
        for step in self.found.steps:
            if any(need.id in behind for need in step.needs):
                behind.add(step.id)
        return ahead_of(self.found.by_id, [BACK]) & behind

    def _levels(self) -> dict[str, int]:
        """The round of each step: as few as its waits allow. What waits long by itself goes into the round whose day comes no later for it."""
        first: dict[str, int] = {}
        for step in self.found.steps:
            first[step.id] = max((first[need.id] + self._apart(need.after) for need in step.needs), default=0)
        rounds = max(first.values(), default=0)
        last = dict.fromkeys(first, rounds)
        for step in reversed(self.found.steps):
            for need in step.needs:
                last[need.id] = min(last[need.id], last[step.id] - self._apart(need.after))
        together = min((last[id] for id in self.block), default=0)
        fixed = [id for id in first if first[id] == last[id]]
        day = [max((self.found.soonest[id] for id in fixed if first[id] == level), default=0.0) for level in range(rounds + 1)]
        taken: dict[str, int] = {}
        for step in self.found.steps:
            least = max((taken[need.id] + self._apart(need.after) for need in step.needs), default=0)
            if step.id in self.block:
                least = max(least, together)
            elif any(self._apart(need.after) for need in step.needs):
                least = next((level for level in range(least, last[step.id] + 1) if day[level] >= self.found.soonest[step.id]), least)
            taken[step.id] = least
        return taken

    # --- a day's work -------------------------------------------------------------------------------------------------
    def _ready(self, step: Step) -> float | None:
        """From when on a step may begin; None while a need of it is not done."""
        if any(need.id not in self.done for need in step.needs):
            return None
        return max((self.done[need.id].end + (need.after or 0.0) for need in step.needs), default=0.0)

    def _begin(self, left: Sequence[Step], number: int) -> float:
        """When the next visit begins: all long waits over, within working hours, not on the day of the one before.

        One that was moved begins when it is wanted, at any hour, if its waits are over then and the visit before has ended;
        else as soon as they are, which is told.
        """
        wanted = self.moved.get(number)
        over = [
            (self.done[need.id].end + need.after, self.done[need.id].step)
            for step in left
            for need in step.needs
            if need.after and need.id in self.done
        ]
        waits, ruling = max(over, key=lambda each: each[0], default=(0.0, None))
        last = max((done.end for done in self.done.values()), default=0.0)
        if wanted is not None and wanted >= max(waits, last):
            return wanted
        if not self.done:
            return self.first
        begin = self._within_hours(max(waits, (last // DAY + 1) * DAY))
        if wanted is not None:
            self.misfits.append(Misfit(number, wanted, begin, ruling if waits > wanted else None))
        return begin

    def _within_hours(self, earliest: float) -> float:
        """The next quarter of an hour at which work may begin."""
        quarter = 15.0
        midnight = earliest // DAY * DAY
        hour = -(-max(earliest - midnight, self.opens) // quarter) * quarter
        return midnight + hour if hour <= self.latest else midnight + DAY + self.opens

    def _day(self, begin: float, left: Sequence[Step], later: Sequence[Step]) -> list[Done]:
        """One day's work, step after step, until the day is full. Steps of later rounds whose waits happen to be over are done with it."""
        now = begin
        work: list[Done] = []
        while True:
            ready = [(max(at, now), step) for step in left if step.id not in self.done and (at := self._ready(step)) is not None]
            ready += [(now, step) for step in later if step.id not in self.done and (at := self._ready(step)) is not None and at <= now]
            if not ready:
                return work
            soon = min(at for at, _ in ready)
            step = min((step for at, step in ready if at == soon), key=self._choice)
            if work and self._full(step, soon - begin):
                return work
            now = soon + step.row.hands_on
            self.done[step.id] = Done(step, soon, now)
            work.append(self.done[step.id])

    def _between(self, begin: str, end: str) -> bool:
        """Whether the work stands between two steps of the sheet."""
        return begin in self.done and end in self.found.by_id and end not in self.done

    def _choice(self, step: Step) -> tuple[bool, bool, bool, int]:
        """What is done first among steps that could be: what brings the water back, what warms it, then the order of the sheet.

        The water is shut last of all.
        """
        id = step.id
        dry, cold = self._between(OFF, BACK), self._between(OFF, WARM)
        return dry and id not in self.block, cold and id not in self.warming, id == OFF, self.place[id]

    def _full(self, step: Step, passed: float) -> bool:
        """Whether a step is left for the next day: the day is full, and nobody is left without water, or hot water, by stopping."""
        if self._between(OFF, BACK):
            return False
        piece = sum(self.found.by_id[id].row.hands_on for id in self.block) if step.id == OFF else step.row.hands_on
        return passed + piece > (self.most if self._between(OFF, WARM) else self.length)
