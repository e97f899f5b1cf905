"""The firm's calendar: what is due over all houses, by technician and by area; and calendars by their private addresses."""

from __future__ import annotations

import datetime as dt

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from ..accounts.access import job_for, may_change, membership
from ..accounts.models import Membership
from ..jobs.listing import due_by, due_counts, summed
from ..request import Request
from . import doors, services
from .models import CalendarLink, JobLog
from .page import calendar_of

#: days that the firm's calendar looks ahead, jobs on a page of it, logs that are worked anew for one
AHEAD, PER_PAGE, ANEW = 60, 50, 3


@require_GET
def calendar(request: Request) -> HttpResponse:
    """What is due over all jobs of the firm: danger first, then by day; one page of jobs at a time."""
    member = membership(request)
    today = timezone.localdate()
    services.refreshed(member.workspace, ANEW)
    technician, area = request.GET.get("of", "")[:150], request.GET.get("area", "")[:60]
    chosen = ({"technician__username": technician} if technician else {}) | ({"area": area} if area else {})
    number = request.GET.get("page", "1")
    start = (int(number) - 1) * PER_PAGE if number.isdecimal() and 0 < int(number) < 10_000 else 0
    end = today + dt.timedelta(days=AHEAD)
    logs = JobLog.objects.filter(job__workspace=member.workspace, due_on__lte=end, **chosen).select_related("job", "technician")
    rows = list(logs.order_by("-dangers", "due_on", "pk")[start : start + PER_PAGE + 1])
    shown = [
        (log, [(dt.date.fromisoformat(on), task, words, who) for on, task, words, who in log.coming if on <= end.isoformat()][:4])
        for log in rows[:PER_PAGE]
    ]
    by_area = due_by(member.workspace, "area")
    links = CalendarLink.objects.select_related("technician").filter(workspace=member.workspace, job=None)
    members = Membership.objects.select_related("user").filter(workspace=member.workspace)
    return render(request, "logs/calendar.html", {
        "workspace": member.workspace, "counts": due_counts(member.workspace, chosen) if chosen else summed(by_area), "of": technician, "area": area, "members": members,
        "by_technician": due_by(member.workspace, "technician__username"), "by_area": by_area,
        "rows": shown, "today": today, "links": links, "page": start // PER_PAGE + 1, "more": len(rows) > PER_PAGE,
    })  # fmt: skip


@require_POST
def link(request: Request) -> HttpResponse:
    """A private address of a calendar is made or ended."""
    member = membership(request)
    may_change(member)
    job = job_for(request, int(request.POST["job"]), change=True) if request.POST.get("job", "").isdecimal() else None
    if request.POST.get("end", "").isdecimal():
        CalendarLink.objects.filter(workspace=member.workspace, pk=int(request.POST["end"])).delete()
    else:
        of = Membership.objects.select_related("user").filter(workspace=member.workspace, user__username=request.POST.get("of", "")).first()
        doors.new_link(member.workspace, job, request.user, of.user if of else None)
    return redirect(reverse("logbook", args=[job.pk]) + "#tools" if job else reverse("calendar"))


@require_GET
def calendar_file(request: HttpRequest, secret: str) -> HttpResponse:
    """A calendar by its private address, for a program that has no log-in. Ended addresses are not found."""
    found = CalendarLink.objects.select_related("workspace", "job").filter(secret=secret).first()
    if found is None:
        raise Http404
    response = HttpResponse(calendar_of(found), content_type="text/calendar; charset=utf-8")
    response["Content-Disposition"] = 'inline; filename="upkeep.ics"'
    return response
