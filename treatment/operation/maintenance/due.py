"""When each task is due: from the last time it was done, at the rate at which this house really uses things up."""

from __future__ import annotations

import datetime as dt
import statistics
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from ...language.display import show
from ...language.interface import word
from ...language.tables import Rows, table
from ...planning.evaluated import EvaluatedTrain
from ...train.marks import mark
from .log import MICROBES, TELLING, Log
from .upkeep import DAY, HOUR, Task
from .use import Use

_TABLE = Rows("upkeep")


@dataclass(frozen=True, slots=True)
class Due:
    """A task and its day. last: when it was done, the start where never; low, high: the earliest and the latest it may come to; why: in words;
    ever: whether it was ever entered."""

    task: Task
    last: dt.date
    due_on: dt.date
    low: dt.date
    high: dt.date
    basis: str
    overdue: bool
    why: str
    ever: bool = True

    def as_json(self) -> dict[str, Any]:
        """As ``cairn-diagnosis/1`` prints it."""
        return {
            "task": self.task.id,
            "due_on": self.due_on.isoformat(),
            "low": self.low.isoformat(),
            "high": self.high.isoformat(),
            "basis": self.basis,
            "overdue": self.overdue,
            "why": self.why,
        }


@dataclass(frozen=True, slots=True)
class Interval:
    """Days until a task is due again, with the ends, what decides, and why it differs from the design's."""

    days: float
    low: float
    high: float
    basis: str
    why: str


def due(variant: EvaluatedTrain, tasks: Iterable[Task], log: Log, as_of: dt.date) -> list[Due]:
    """Every task with its day, the soonest first. The log is taken as it was known on ``as_of``."""
    known = log.until(as_of)
    use = Use(variant, known)
    return sorted((_due(task, known, use, as_of) for task in tasks), key=lambda each: (each.due_on, each.task.id))


def _due(task: Task, log: Log, use: Use, as_of: dt.date) -> Due:
    done = [
        *(entry.on for name in _same(task) for entry in log.services.get(name, [])),
        *(on for key in _read(task) for on, _ in log.points.get(key, [])),
    ]
    last = max(done, default=log.started_on)
    found = _after_microbes(task, log, use) or _interval(task, log, use, last)
    days = [last + dt.timedelta(days=min(int(value), 40_000)) for value in (found.days, found.low, found.high)]
    told = f"last done on {last}" if done else f"no record: counted from start-up on {log.started_on}"
    return Due(task, last, days[0], min(days[1], days[0]), max(days[2], days[0]), found.basis, as_of > days[0], f"{told}; {found.why}", bool(done))


def _same(task: Task) -> tuple[str, ...]:
    """The tasks that are this one done: a sample in either season is a sample."""
    return (task.id, "site/microbes") if task.id == "site/microbes_again" else (task.id,)


def _after_microbes(task: Task, log: Log, use: Use) -> Interval | None:
    """After microbes were found, in the first test or since: a sample within days, another after a month, then by the calendar."""
    if task.id != "site/microbes":
        return None
    row = _TABLE["after_microbes"]
    seen = sorted((on, value.low > 0) for key in _clearing(log) for on, value in log.points.get(key, []))
    positive = max((on for on, found in seen if found), default=log.started_on if use.microbes_found else None)
    if positive is None:
        return None
    clear = len({on for on, found in seen if not found and on >= positive and (on > positive or not any(day == on and bad for day, bad in seen))})
    if clear >= len(row["days"]):
        return None
    days = float(row["days"][clear])
    words = f"microbes were found {'in the first test' if not any(bad for _, bad in seen) else f'on {positive}'}; {row['says'][clear]}"
    return Interval(days, min(days, 1.0), days, "calendar", words)


def _clearing(log: Log) -> tuple[str, ...]:
    """The microbes that must be found absent again: those that were found, coliform and E. coli with each other."""
    found = {key for key in MICROBES if any(value.low > 0 for _, value in log.points.get(key, []))}
    return (*(TELLING if found <= set(TELLING) or found & set(TELLING) else ()), *(key for key in MICROBES if key in found - set(TELLING)))


def _read(task: Task) -> list[str]:
    """The readings that are the task itself."""
    place = "" if task.stage is None else f"{task.stage.id}."
    return [name if "." in name else f"{place}{name}" for name in task.row.read]


def _interval(task: Task, log: Log, use: Use, last: dt.date) -> Interval:
    if task.unit == HOUR:
        return _by_hours(task, log, last)
    plain = Interval(task.every, task.low, task.high, task.basis, _design(task))
    if task.row.hours is not None and (counted := _counted(task, log, last)) is not None:
        return _sooner(counted, task)
    if task.row.quantity == "salt" and (filled := _by_fills(task, log, use)) is not None:
        return _sooner(_faster(filled, log, use, last), task)
    if task.scales and (lives := _lives(task, log)) is not None:
        return _sooner(_faster(lives, log, use, last), task)
    ratio = use.ratio_since(last)
    if task.scales and ratio is not None:
        days = task.every / ratio
        words = f"the meter says {use.said(ratio * use.design)} and the design {use.said(use.design)}; {_design(task)}"
        return _sooner(Interval(days, *_about(days, "metered"), "consumption", words), task)
    return plain


def _about(days: float, how: str) -> tuple[float, float]:
    """Low and high end of an interval that was learned. how: by what, as ``data/upkeep.toml`` names it."""
    share = float(_TABLE["learned"][how])
    return days * (1 - share), days * (1 + share)


def _design(task: Task) -> str:
    unit = "h of run" if task.unit == HOUR else "days"
    return f"by design every {task.every:.0f} {unit}, based on {word('basis', task.basis)}"


def _sooner(found: Interval, task: Task) -> Interval:
    """What is used up, or the calendar where that comes first."""
    cap = task.row.days
    if cap is None or found.days <= cap:
        return found if cap is None else Interval(found.days, found.low, min(found.high, max(cap, found.days)), found.basis, found.why)
    return Interval(
        cap, min(found.low, cap), cap, "condition" if task.row.condition else "calendar", f"at the latest after {cap:.0f} days; {found.why}"
    )


def _by_fills(task: Task, log: Log, use: Use) -> Interval | None:
    """Salt: what was filled, at the rate of the fills before it where there are some, else of the design for what the meter says."""
    done = log.services.get(task.id, [])
    weighed = {place: entry.amount.value for place, entry in enumerate(done) if entry.amount is not None and entry.amount.unit == "kg"}
    if not weighed or task.quantity is None or task.quantity.value <= 0:
        return None
    usual = statistics.median(weighed.values())  # a filling of which nobody wrote down how much was as much as usual
    fills = [(entry.on, weighed.get(place, usual)) for place, entry in enumerate(done)]
    planned = task.quantity.value / task.every  # kg a day by the design
    spread = (task.high / task.every, task.low / task.every)
    rate, learned = planned * (use.ratio or 1.0), False
    span = (fills[-1][0] - fills[0][0]).days
    if len(fills) >= 3 and span >= 14:
        seen = sum(amount for _, amount in fills[:-1]) / span
        if planned / mark("log", "far") < seen < planned * mark("log", "far"):
            rate, learned = seen, True
    days = fills[-1][1] / rate
    filled, monthly, by_design = (show(mass, "kg", use.system) for mass in (fills[-1][1], rate * 30, planned * 30))
    words = f"{filled} lasts {days:.0f} days at {monthly} a month"
    if learned or use.ratio is None:
        words += f" by the use of this house; by design {by_design}" if learned else " by design"
    else:
        words += f" by the meter ({use.said(use.daily or 0.0)}); by design {by_design} at {use.said(use.design)}"
    low, high = _about(days, "filled") if learned else (days * min(spread), days * max(spread))
    return Interval(days, low, high, "consumption", words)


def _lives(task: Task, log: Log) -> Interval | None:
    """What lasted before, where it was changed three times or more."""
    days = [entry.on for entry in log.services.get(task.id, [])]
    lives = [(then - first).days for first, then in pairwise(days) if then > first]
    if len(lives) < 2:
        return None
    usual = float(statistics.median(lives[-3:]))
    if not task.every / mark("log", "far") < usual:
        return None
    return Interval(
        usual,
        float(min(lives[-3:])),
        float(max(lives[-3:])),
        "consumption",
        f"it lasted {', '.join(map(str, lives[-3:]))} days before; {_design(task)}",
    )


def _faster(found: Interval, log: Log, use: Use, last: dt.date) -> Interval:
    """An interval that was learned before, put right where the house has used far more or less water since than it did then."""
    before, since = use.between(log.started_on, last), use.between(last, None)
    if before is None or since is None or before <= 0 or since <= 0:
        return found
    times = since / before
    if abs(times - 1) < mark("house", "use_moved"):
        return found
    words = f"the meter says {use.said(since)} since, {use.said(before)} before; {found.why}"
    return Interval(found.days / times, found.low / times, found.high / times, found.basis, words)


def _counted(task: Task, log: Log, last: dt.date) -> Interval | None:
    """Days by a counter of hours that was read since; None where it was not read twice."""
    points = hours_since(task, log, last)
    if not points:
        return None
    on, hours = points[-1]
    rate = rate_of(points, last)
    if rate is None or task.row.hours is None:
        return None
    left = max(task.row.hours - hours, 0.0) / rate
    days = (on - last).days + left
    return Interval(days, days, days, "hours", f"{hours:.0f} h on the counter on {on}, {rate:.1f} h a day, {task.row.hours:.0f} h at most")


def _by_hours(task: Task, log: Log, last: dt.date) -> Interval:
    """A lamp that is lit with the flow: days once the log knows its hours; as if always lit until then."""
    counted = _counted(task, log, last)
    if counted is not None:
        return counted
    days = task.every / 24
    return Interval(days, days, days * 4, "hours", f"{task.every:.0f} h of run; the counter has not been read, so it is counted as if always on")


def hours_since(task: Task, log: Log, last: dt.date) -> list[tuple[dt.date, float]]:
    """Readings of a lamp's counter since it was changed."""
    if task.stage is None:
        return []
    return [(on, value.middle) for on, value in log.points.get(f"{task.stage.id}.lamp_hours", []) if on >= last]


def rate_of(points: Sequence[tuple[dt.date, float]], last: dt.date) -> float | None:
    """Hours a day of a counter that stood at nothing when the lamp was new."""
    on, hours = points[-1]
    first_on, first = points[0] if len(points) > 1 else (last, 0.0)
    days = (on - first_on).days
    if days < 1 or hours <= first:
        return None
    return min((hours - first) / days, 24.0)


@dataclass(frozen=True, slots=True)
class Visit:
    """Tasks that are done in one coming: on the day of the first of them that is due; supplies: what to order before, each with its amount."""

    on: dt.date
    tasks: tuple[Due, ...]

    @property
    def who(self) -> str:
        """Who comes: ``service`` where any of it asks for a technician, else ``owner``."""
        return "service" if any(each.task.row.who == "service" for each in self.tasks) else "owner"

    @property
    def supplies(self) -> list[tuple[str, float, str]]:
        """Task, amount and unit of what the tasks take."""
        return [(each.task.id, each.task.quantity.value, each.task.quantity.unit) for each in self.tasks if each.task.quantity is not None]


def gathered(found: Iterable[Due], until: dt.date, who: str = "", since: dt.date | None = None) -> list[Visit]:
    """Tasks that fall near each other in one visit, never past the day on which any of them is due; each as often as it comes back.

    until: the last day looked at; who: of one side only; since: the first day, on which everything that is overdue is done.
    """
    within = int(table("upkeep")["gather"]["within"])
    waiting = sorted((each for each in found if not who or each.task.row.who == who), key=lambda each: each.due_on)
    coming = [(max(each.due_on, since) if since else each.due_on, each) for each in waiting]
    visits: list[Visit] = []
    while coming:
        coming.sort(key=lambda pair: (pair[0], pair[1].task.id))
        on = coming[0][0]
        if on > until:
            break
        now = [pair for pair in coming if (pair[0] - on).days <= within]
        visits.append(Visit(on, tuple(each for _, each in now)))
        taken = {each.task.id for _, each in now}
        again = [(on + dt.timedelta(days=max(int(each.task.every if each.task.unit == DAY else each.task.every / 24), 7)), each) for _, each in now]
        coming = [pair for pair in coming if pair[1].task.id not in taken] + [pair for pair in again if pair[0] <= until]
    return visits
