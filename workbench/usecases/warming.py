"""What was looked at last is worked out before a process serves its first page, so that nobody waits for a process that was just begun."""

from __future__ import annotations

import time

import structlog
from django.utils import timezone

from treatment.drawing.wall.compose import compose
from treatment.language.errors import BadDocument
from treatment.studies.alternatives import alternatives
from treatment.year.asked import YearAsked

from ..records.job import Job
from ..repository.door import design_of
from ..repository.remembered import of_firm
from .books import opened
from .trains import shown_stages

#: jobs that are looked through at most, the newest change first; a firm's own share ends where its designs are no longer remembered
MOST = 40
log = structlog.get_logger("workbench.warming")


def warm(seconds: float) -> int:
    """Work out designs, walls, prices and logs of the jobs that changed last, for so long; how many jobs that were."""
    until, done = time.monotonic() + seconds, 0
    jobs = Job.objects.filter(archived_at=None).select_related("survey", "workspace", "catalogue").prefetch_related("samples__readings", "options")
    for job in jobs.order_by("-updated_at")[:MOST]:
        if time.monotonic() > until:
            break
        try:
            design = design_of(job, shown_stages(job))
            if design.chosen.findings is not None and design.chosen.run.stages:
                compose(design, design.chosen)
                known = of_firm(job.workspace_id)
                known.priced(design.chosen)
                known.lived(design, YearAsked(timezone.localdate()))
                known.what_if(design, timezone.localdate())
                for other in alternatives(design_of(job, None)):
                    known.priced(other.variant)
            opened(job)
            done += 1
        except BadDocument:
            continue
    log.info("warm", jobs=done)
    return done
