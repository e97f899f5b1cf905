"""Steps put into visits: the fewest, with the waits that need nobody between them, and the house without water in one piece.

One pair of hands works one step after another; a wait runs while other steps are done. What is longer than people wait
beside their work parts two visits. So the least number of visits is the most such waits on any way through the sheet, and
more only where a day's work is full. Two trades work side by side: that shortens the day, not the work.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..language.tables import table
from .sheet import OFF, WARM, Sheet, ahead_of, behind_of
from .step import Step, StepNeed

DAY = 1440.0  # min


#: the usual hour at which work begins
def opens() -> dt.time:
    """The hour at which a day of work begins."""
    return (dt.datetime.min + dt.timedelta(minutes=table("commissioning")["visits"]["opens"])).time()


#: steps that end a piece of work during which the house is without water, the last of them that a sheet has
BACK = ("site/refill", "site/flush_lines")
#: who works side by side with whom: a plumber and an installer are one pair of hands
TRADE = {"electrician": "electrician", "site_work": "site_work"}


@dataclass(frozen=True, slots=True)
class Done:
    """A step at its time [min after midnight of the first visit's day]: begin and end of the work of hands."""

    step: Step
    begin: float
    end: float


@dataclass(frozen=True, slots=True)
class InstallVisit:
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
    def end(self) -> float:
        """When the last hands are done [min]: where two trades work, not always the step begun last."""
        return max(done.end for done in self.work)

    @property
    def length(self) -> float:
        """From its first step to the end of its last [min]."""
        return self.end - self.work[0].begin

    @property
    def water_off(self) -> float:
        """How long the house is without water, by the clock [min]."""
        dry = [done for done in self.work if done.step.row.water_off]
        return max(done.end for done in dry) - dry[0].begin if dry else 0.0

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
class Late:
    """A wait that was begun later than planned, so that what hangs on it comes later. by: so many minutes; number: the visit that waits for it."""

    step: Step
    by: float
    number: int


@dataclass(frozen=True, slots=True)
class Misfit:
    """A visit that cannot begin when it was asked to. step: whose wait, or other reason, rules; begin: when it may [min]; asked: when it should."""

    number: int
    asked: float
    begin: float
    step: Step | None


def visits(found: Sheet, hour: float | None = None, moved: Mapping[int, float] | None = None) -> tuple[InstallVisit, ...]:
    """The visits of a sheet, in order: all steps, once each; none before its needs are done and their waits have passed.

    hour: when the first begins [min after midnight], the usual hour where it is not said; moved: number of a visit -> when it
    is wanted [min after midnight of the first visit's day].
    """
    return Calendar(found, hour, moved).visits()


class Calendar:
    """The days on which a sheet is worked through.

    ticked: steps that were done, and when [min after midnight of the first visit's day]: a wait that was begun later than planned
    moves what hangs on it. misfits: visits that could not be moved where they were wanted; late: waits that moved something.
    """

    def __init__(self, found: Sheet, hour: float | None = None, moved: Mapping[int, float] | None = None, ticked: Mapping[str, float] | None = None):
        self.found = found
        self.ticked = dict(ticked or {})
        self.late: list[Late] = []
        self.back = next((id for id in BACK if id in found.by_id), BACK[-1])
        hours = table("commissioning")["visits"]
        self.opens, self.latest, self.stand = float(hours["opens"]), float(hours["latest"]), float(hours["stand"])
        self.length, self.most = float(hours["length"]), float(hours["most"])
        self.first = self.opens if hour is None else hour
        self.moved = dict(moved or {})
        self.misfits: list[Misfit] = []
        self.done: dict[str, Done] = {}
        self.place = {step.id: i for i, step in enumerate(found.steps)}
        self.warming = ahead_of(found.by_id, [WARM])
        self.cold = self.warming & behind_of(found.by_id, OFF)
        self.block = self._block()

    def visits(self) -> tuple[InstallVisit, ...]:
        """Round by round; a round that is longer than a day's work goes on the next morning."""
        days: list[list[Done]] = []
        levels = self._levels()
        for level in range(max(levels.values(), default=-1) + 1):
            left = [step for step in self.found.steps if levels[step.id] == level and step.id not in self.done]
            later = [step for step in self.found.steps if levels[step.id] > level and step.id not in self.block]
            while left:
                days.append(self._day(self._begin(left, len(days) + 1), left, later))
                left, later = ([step for step in steps if step.id not in self.done] for steps in (left, later))
        return tuple(InstallVisit(number, tuple(work)) for number, work in enumerate(days, 1))

    # --- which round a step belongs to --------------------------------------------------------------------------------
    def _apart(self, need: StepNeed) -> int:
        """Whether people go home between two steps; while the house is without water they stay."""
        return int((need.after or 0.0) > self.stand and not self.found.by_id[need.id].row.water_off)

    def _block(self) -> frozenset[str]:
        """Heater off to lines flushed: what is done while the house is without water, in one piece."""
        return ahead_of(self.found.by_id, [self.back]) & behind_of(self.found.by_id, OFF)

    def _levels(self) -> dict[str, int]:
        """The round of each step: as few as its waits allow. What waits long by itself goes into the round whose day comes no later for it."""
        first: dict[str, int] = {}
        for step in self.found.steps:
            first[step.id] = max((first[need.id] + self._apart(need) for need in step.needs), default=0)
        rounds = max(first.values(), default=0)
        last = dict.fromkeys(first, rounds)
        for step in reversed(self.found.steps):
            for need in step.needs:
                last[need.id] = min(last[need.id], last[step.id] - self._apart(need))
        together = min((last[id] for id in self.block), default=0)
        fixed = [id for id in first if first[id] == last[id]]
        day = [max((self.found.soonest[id] for id in fixed if first[id] == level), default=0.0) for level in range(rounds + 1)]
        taken: dict[str, int] = {}
        for step in self.found.steps:
            least = max((taken[need.id] + self._apart(need) for need in step.needs), default=0)
            if step.id in self.block:
                least = max(least, together)
            elif any(self._apart(need) for need in step.needs):
                least = next((level for level in range(least, last[step.id] + 1) if day[level] >= self.found.soonest[step.id]), least)
            taken[step.id] = least
        return taken

    # --- a day's work -------------------------------------------------------------------------------------------------
    def _over_all(self, step: Step) -> float:
        """From when on a step may begin whose needs are done: all their waits are over."""
        return max((self._over(need) for need in step.needs), default=0.0)

    def _over(self, need: StepNeed) -> float:
        """When a need's wait is over: counted from when its step was ticked, where that is later than it was planned."""
        planned = self.done[need.id].end
        return (max(self.ticked.get(need.id, planned), planned) if need.after else planned) + (need.after or 0.0)

    def _begin(self, left: Sequence[Step], number: int) -> float:
        """When the next visit begins: all long waits over, within working hours, not on the day of the one before.

        One that was moved begins when it is wanted, at any hour, if its waits are over then and the visit before has ended;
        else as soon as they are, which is told.
        """
        wanted = self.moved.get(number)
        over = [(self._over(need), self.done[need.id].step) for step in left for need in step.needs if need.after and need.id in self.done]
        waits, ruling = max(over, key=lambda each: each[0], default=(0.0, None))
        last = max((done.end for done in self.done.values()), default=0.0)
        behind = 0.0 if ruling is None else self.ticked.get(ruling.id, 0.0) - self.done[ruling.id].end
        if ruling is not None and behind > 0 and waits > last:
            self.late.append(Late(ruling, behind, number))
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
        free: dict[str, float] = {}
        work: list[Done] = []

        def now(step: Step) -> float:
            return free.get(TRADE.get(step.row.who, ""), begin)

        open_needs = {step.id: sum(need.id not in self.done for need in step.needs) for step in (*left, *later)}
        users: dict[str, list[Step]] = {}
        for step in (*left, *later):
            for need in step.needs:
                users.setdefault(need.id, []).append(step)
        mine = frozenset(step.id for step in left)
        over = {step.id: (step, self._over_all(step)) for step in (*left, *later) if not open_needs[step.id]}
        while True:
            ready = [(max(at, now(step)), step) for step, at in over.values() if step.id in mine or at <= now(step)]
            if not ready:
                break
            soon = min(at for at, _ in ready)
            step = min((step for at, step in ready if at == soon), key=self._choice)
            if work and self._full(step, soon - begin):
                break
            self.done[step.id] = Done(step, soon, soon + step.row.hands_on)
            free[TRADE.get(step.row.who, "")] = self.done[step.id].end
            work.append(self.done[step.id])
            del over[step.id]
            for user in users.get(step.id, ()):
                open_needs[user.id] -= 1
                if not open_needs[user.id]:
                    over[user.id] = user, self._over_all(user)
        return sorted(work, key=lambda done: done.begin)

    def _between(self, begin: str, end: str) -> bool:
        """Whether the work stands between two steps of the sheet."""
        return begin in self.done and end in self.found.by_id and end not in self.done

    def _choice(self, step: Step) -> tuple[bool, bool, bool, int]:
        """What is done first among steps that could be: what brings the water back, what warms it, then the order of the sheet.

        The water is shut last of all.
        """
        id = step.id
        dry, cold = self._between(OFF, self.back), self._between(OFF, WARM)
        return dry and id not in self.block, cold and id not in self.warming, id == OFF, self.place[id]

    def _full(self, step: Step, passed: float) -> bool:
        """Whether a step is left for the next day: the day is full, and nobody is left without water, or hot water, by stopping."""
        if self._between(OFF, self.back):
            return False
        if step.id != OFF:
            return passed + step.row.hands_on > (self.most if self._between(OFF, WARM) else self.length)
        rest = [self.found.by_id[id].row for id in self.cold if id not in self.done]
        piece = sum(row.hands_on + (row.wait or 0.0) for row in rest if (row.wait or 0.0) <= self.stand and row.who not in TRADE)
        return passed + piece > self.most
