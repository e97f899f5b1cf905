"""Who else has a job open: told by their pages every half minute, forgotten soon after."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.http import HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.http import require_POST

from ..pages.steps import TITLES
from ..records.job import Job, Presence
from ..request import Request
from ..usecases.access import job_for

FORGOTTEN = timedelta(seconds=75)


def others(job: Job, user: Any) -> list[tuple[str, str]]:
    """Name and step of everybody else who has the job open."""
    rows = Presence.objects.filter(job=job, at__gt=timezone.now() - FORGOTTEN).exclude(user=user.pk).select_related("user").order_by("user__username")
    return [(row.user.get_username(), TITLES.get(row.step, "")) for row in rows]


@require_POST
def here(request: Request, pk: int) -> HttpResponse:
    """This person is still here; who else is. Of somebody whose log-in ended nothing is asked for this."""
    if not request.user.is_authenticated:
        return HttpResponse(status=204)
    job = job_for(request, pk)
    step = request.POST.get("step", "")
    Presence.objects.update_or_create(job=job, user_id=request.user.pk, defaults={"step": step if step in TITLES else "", "at": timezone.now()})
    return render(request, "jobs/_present.html", {"others": others(job, request.user)})
