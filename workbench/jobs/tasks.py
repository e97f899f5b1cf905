"""The care of the queue itself: what a killed worker left is taken up again, what was done long ago is swept away."""

from __future__ import annotations

import structlog
from procrastinate import JobContext
from procrastinate.contrib.django import app
from procrastinate.jobs import Status

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
