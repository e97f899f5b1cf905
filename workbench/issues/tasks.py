"""Papers of an issued design, printed before anybody asks for them."""

from __future__ import annotations

import structlog
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from treatment.papers.printed import PAPERS

from ..pages.papers import paper_of
from ..records.issue import Issue

NAME = "issues.print_papers"
log = structlog.get_logger("workbench.tasks")


@app.task(name=NAME, queue="papers", retry=RetryStrategy(max_attempts=3, wait=5, exponential_wait=2))
def print_papers(issue: int) -> None:
    """Print every paper of an issue that was not printed yet. Done twice, or beside somebody who asks for one, it changes nothing."""
    held = Issue.objects.select_related("job__workspace").filter(pk=issue).first()
    for name in PAPERS if held is not None else ():
        assert held is not None
        paper_of(held, name)


def how_far(held: Issue) -> str:
    """What became of the task: ``waiting`` while it is to be done or under way, ``failed`` where it failed for good, else nothing."""
    states = ProcrastinateJob.objects.filter(task_name=NAME, args__issue=held.pk).order_by("-pk").values_list("status", flat=True)[:1]
    state = next(iter(states), "")
    return {"todo": "waiting", "doing": "waiting", "failed": "failed"}.get(state, "")
