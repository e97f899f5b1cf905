"""Who may do what, asked in one place, of one table (`roles`)."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from ..readers import read_by
from ..records.firm import Membership
from ..records.job import Job
from ..who import acts_as
from .roles import ACTS, may

#: where a session keeps which of somebody's companies is open
FIRM = "firm"


def membership(request: HttpRequest) -> Membership:
    """The company a person works in: the one that is open, else their first. Raises PermissionDenied for someone who is in none."""
    held = list(Membership.objects.select_related("workspace").filter(user=request.user.pk).order_by("pk"))
    if not held:
        raise PermissionDenied("You are not a member of any workspace.")
    chosen = request.session.get(FIRM) if hasattr(request, "session") else None
    found = next((each for each in held if each.workspace_id == chosen), held[0])
    read_by(found.workspace.standard)
    acts_as(found.role)
    return found


def job_for(request: HttpRequest, pk: int, act: str = "job.see") -> Job:
    """A job of the person's own company; any other is not found. Raises PermissionDenied where their role may not do that.

    The job knows whether it is looked at by somebody who sees money (``sees_money``).
    """
    member = membership(request)
    jobs = Job.objects.select_related("survey", "start_run", "log").prefetch_related("samples__readings")  # what every page of it looks at
    job = get_object_or_404(jobs, pk=pk, workspace=member.workspace)
    job.workspace = member.workspace
    read_by(job.standard)
    ask(member, act)
    job.sees_money = may(member.role, "money.see")
    return job


def on_post(request: HttpRequest, act: str) -> str:
    """What a page asks for that is shown to all and changed by some."""
    return act if request.method == "POST" else "job.see"


def ask(member: Membership, act: str) -> None:
    """Raises PermissionDenied where a member's role may not do something."""
    if not may(member.role, act):
        raise PermissionDenied(ACTS[act].refused)


def without_money(document: dict[str, Any]) -> dict[str, Any]:
    """A job or a design document without prices, costs and what a company charges."""
    kept = {name: value for name, value in document.items() if name not in ("firm", "costs", "catalogue")}
    if "materials" in kept:
        kept["materials"] = [{name: value for name, value in row.items() if name not in ("price", "sample_price")} for row in kept["materials"]]
    if "choice" in kept:
        kept["choice"] = {name: value for name, value in kept["choice"].items() if name not in ("first", "total")}
    return kept
