"""Runs of a bucket or drawdown test: started, marked and ended by taps, kept in the database, averaged by the core."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any

from treatment.house.measuring import MeasuredSpread, measured_flow
from treatment.language.display import show
from treatment.language.errors import NotUnderstood
from treatment.language.measures import completed
from treatment.language.quantity import parse_quantity
from treatment.language.tables import table

from ..fields import sentence
from ..outcome import Done, Refused
from ..records.job import Job, SupplyRun
from ..usecases.acting import use_case
from ..usecases.jobs import touch

#: what each tap of a test says, in order; the last one ends the run
TAPS = {
    "bucket": ("Tap open: start", "Bucket full: stop"),
    "drawdown": ("Pump has just stopped: open the tap", "Pump has just started: close the tap", "Pump has stopped again"),
}


@dataclass(frozen=True)
class RunRow:
    """A run as the page shows it. seconds: of the part that counts; asks: whether its volume is still missing."""

    run: SupplyRun
    tap: str
    seconds: float
    running_for: int
    flow: float | None

    @property
    def asks(self) -> bool:
        return not self.tap and self.run.volume_l is None


def rows_of(job: Job, now: dt.datetime) -> list[RunRow]:
    """Every run of the job, oldest first."""
    found = []
    for run in job.supply_runs.all():
        tap = TAPS[run.kind][len(run.marks)] if len(run.marks) < len(TAPS[run.kind]) else ""
        seconds = _counted(run)
        flow = measured_flow([(run.volume_l, seconds / 60)]).mean.value if run.volume_l and seconds else None
        since = int((now - dt.datetime.fromisoformat(run.marks[-1])).total_seconds()) if tap and run.marks else 0
        found.append(RunRow(run, tap, seconds, since, flow))
    return found


def _counted(run: SupplyRun) -> float:
    """Seconds of the part that counts: the filling of a bucket, the pump's recovery."""
    if len(run.marks) < len(TAPS[run.kind]):
        return 0.0
    last, before = (dt.datetime.fromisoformat(mark) for mark in (run.marks[-1], run.marks[-2]))
    return (last - before).total_seconds()


def averaged(rows: list[RunRow]) -> MeasuredSpread | None:
    """Mean and spread of the finished runs; None without one."""
    done = [(row.run.volume_l, row.seconds / 60) for row in rows if row.run.volume_l and row.seconds]
    return measured_flow(done) if done else None


@use_case("job.change")
def tap(job: Job, kind: str, number: int | None, count: int, now: dt.datetime) -> Done[None]:
    """Begin a run, or mark the next tap of one. count: how many taps the page knew of, so that a double tap counts once."""
    if kind not in TAPS:
        raise Refused("Choose the bucket or the drawdown test.")
    if number is None:
        if any(len(run.marks) < len(TAPS[run.kind]) for run in job.supply_runs.all()):
            raise Refused("A run is still in progress. Finish it or cancel it first.")
        SupplyRun.objects.create(job=job, kind=kind, marks=[now.isoformat()])
        return Done(None)
    run = job.supply_runs.select_for_update().filter(pk=number).first()
    if run is None or len(run.marks) != count or count >= len(TAPS[run.kind]):
        return Done(None)
    if (now - dt.datetime.fromisoformat(run.marks[-1])).total_seconds() / 60 < table("plumbing")["measuring"]["least_min"]:
        raise Refused("That was less than two seconds after the last press. Wait for the pump to switch or the bucket to fill.")
    run.marks = [*run.marks, now.isoformat()]
    run.save(update_fields=["marks"])
    return Done(None)


@use_case("job.change", apart=True)
def measure(job: Job, number: int, text: str) -> Done[None]:
    """Keep the volume of a run."""
    run = job.supply_runs.filter(pk=number).first()
    if run is None:
        raise Refused("This run has been deleted.")
    try:
        text = completed(text.strip(), "5 gal", "volume", job.units)
        read = parse_quantity(text, "volume")
    except NotUnderstood as error:
        raise Refused(sentence(str(error))) from None
    if not 0.2 <= read.value <= 2000:
        raise Refused("Enter a volume between 0.2 and 2000 L with a unit, for example 5 gal.")
    run.volume_l, run.typed = read.value, text.strip()[:40]
    run.save(update_fields=["volume_l", "typed"])
    return Done(None)


@use_case("job.change")
def use(job: Job, spread: MeasuredSpread, version: int, user: Any) -> Done[None]:
    """Write the mean as the flow of the supply. Raises Late."""
    touch(job, version, user)
    survey = job.survey
    survey.flow_l_min = spread.mean.value
    survey.typed = survey.typed | {"flow_l_min": show(spread.mean.value, "L/min", job.units)}
    survey.save(update_fields=["flow_l_min", "typed"])
    return Done(None)


@use_case("job.change", apart=True)
def drop_run(job: Job, number: int) -> Done[None]:
    """A run that does not count."""
    job.supply_runs.filter(pk=number).delete()
    return Done(None)
