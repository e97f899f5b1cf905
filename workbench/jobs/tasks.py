"""What is worked out of jobs that changed, before anybody asks; and the care of the queue itself: what a killed worker left is taken up again,
what was done long ago is swept away.
"""

from __future__ import annotations

import time
from contextlib import suppress

import structlog
from procrastinate import JobContext
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued
from procrastinate.jobs import Status

from ..records.job import Job
from ..repository.results import outdated, refresh
from ..usecases.trains import shown_stages
from .listing import figures_of

#: seconds that one pass works results out before papers that wait come first
PASS_S = 10
#: times a task may be begun before it counts as failed
TIMES = 3
#: hours for which what was done is kept
KEPT = 72
log = structlog.get_logger("workbench.tasks")


@app.periodic(cron="* * * * *")
@app.task(name="care.take_up_again", queue="care", queueing_lock="care", pass_context=True)
async def take_up_again(context: JobContext, timestamp: int) -> None:
    """Tasks whose worker no longer gives a sign of life are begun anew, and given up after a few times."""
    manager = context.app.job_manager
    for job in await manager.get_stalled_jobs():
        if job.attempts >= TIMES:
            log.error("a task failed for good", task=job.task_name, number=job.id)
            await manager.finish_job(job, Status.FAILED, delete_job=False)
        else:
            await manager.retry_job(job)


@app.periodic(cron="17 3 * * *")
@app.task(name="care.sweep", queue="care", queueing_lock="sweep", pass_context=True)
async def sweep(context: JobContext, timestamp: int) -> None:
    """What was done is kept for some days."""
    await context.app.job_manager.delete_old_jobs(nb_hours=KEPT)


@app.periodic(cron="* * * * *")
@app.task(name="results.follow", queue="results", queueing_lock="results", priority=-10)
def follow(timestamp: int = 0) -> None:
    """Work out what is shown of jobs that changed, for so long; where some are left, the next pass takes them up at once."""
    until = time.monotonic() + PASS_S
    for number in outdated():
        if time.monotonic() > until:
            with suppress(AlreadyEnqueued):
                follow.defer()
            return
        work_out(number)


def work_out(number: int) -> None:
    """The results and the list's figures of a job, by its number; one that cannot be read is told in the log and left alone."""
    job = (
        Job.objects.select_related("survey", "workspace", "catalogue", "figures")
        .prefetch_related("samples__readings", "options")
        .filter(pk=number)
        .first()
    )
    if job is None:
        return
    try:
        refresh(job, shown_stages(job))
        figures_of([job])
    except Exception:
        log.exception("results could not be worked out", job=number)
