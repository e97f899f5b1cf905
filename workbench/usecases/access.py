"""Who may do what, asked in one place."""

from __future__ import annotations

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from ..readers import read_by
from ..records.firm import Membership
from ..records.job import Job


def membership(request: HttpRequest) -> Membership:
    """The workspace a person works in. Raises PermissionDenied for someone who is in none."""
    found = Membership.objects.select_related("workspace").filter(user=request.user.pk).order_by("pk").first()
    if found is None:
        raise PermissionDenied("You are not a member of any workspace.")
    read_by(found.workspace.standard)
    return found


def job_for(request: HttpRequest, pk: int, *, change: bool = False) -> Job:
    """A job of the person's own workspace; any other is not found. change: also ask for a designer's role."""
    member = membership(request)
    job = get_object_or_404(
        Job.objects.select_related("survey", "updated_by", "start_run", "log", "catalogue").prefetch_related("samples__readings"),
        pk=pk,
        workspace=member.workspace,
    )
    read_by(job.standard)
    if change:
        may_change(member)
    return job


def may_change(member: Membership) -> None:
    """Raises PermissionDenied for a viewer."""
    if member.role != Membership.Role.DESIGNER:
        raise PermissionDenied("Your role can view but not change.")
