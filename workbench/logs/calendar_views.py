"""The firm's calendar: what is due over all houses, by technician and by area; and calendars by their private addresses."""

from __future__ import annotations

import datetime as dt
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from ..records.firm import Membership
from ..records.log import CalendarLink, JobLog
from ..repository.due import due_by, due_counts, summed
from ..request import Request, number, whole
from ..usecases import books as services
from ..usecases import doors
from ..usecases.access import ask, job_for, membership
from .page import calendar_of
from .views import logbook_page

#: days that company calendar looks ahead, jobs on a page of it, logs that are worked anew for one
AHEAD, PER_PAGE, ANEW = 60, 50, 3


@require_GET
def calendar(request: Request) -> HttpResponse:
    """What is due over all jobs of the firm: danger first, then by day; one page of jobs at a time."""
    return _calendar(request, membership(request))


def _calendar(request: Request, member: Membership, status: int = 200, **more: Any) -> HttpResponse:
    today = timezone.localdate()
    services.refreshed(member.workspace, ANEW)
    technician, area = request.GET.get("of", "")[:150], request.GET.get("area", "")[:60]
    chosen = ({"technician__username": technician} if technician else {}) | ({"area": area} if area else {})
    start = (min(max(whole(request.GET.get("page", "1")) or 1, 1), 10_000) - 1) * PER_PAGE
    end = today + dt.timedelta(days=AHEAD)
    logs = JobLog.objects.filter(job__workspace=member.workspace, job__binned_at=None, due_on__lte=end, **chosen).select_related(
        "job__customer", "job__place", "technician"
    )
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
    } | more, status=status)  # fmt: skip


@require_POST
def link(request: Request) -> HttpResponse:
    """A private address of a calendar is made or ended."""
    member = membership(request)
    ask(member, "log.write")
    asked = number(request, "job")
    job = job_for(request, asked, act="log.write") if asked is not None else None
    if (ended := number(request, "end")) is not None:
        doors.end_calendar_link(member.workspace, ended)
        return redirect(reverse("logbook", args=[job.pk]) + "#tools" if job else reverse("calendar"))
    name = request.POST.get("of", "")
    of = Membership.objects.select_related("user").filter(workspace=member.workspace, user__username=name).first() if name else None
    if name and of is None:
        return _calendar(request, member, 422, problem="Choose a person in this company. No link was created.")
    _, secret = doors.new_link(member.workspace, job, request.user, of.user if of else None).made
    address = reverse("calendar-file", args=[secret])
    if job is not None:
        return logbook_page(request, job, secret_address=address, secret_of="the calendar of this house")
    return _calendar(request, member, secret_address=address, secret_of=f"the houses of {name}" if name else "company calendar")


@require_GET
def calendar_file(request: HttpRequest, secret: str) -> HttpResponseBase:
    """A calendar by its private address, for a program that has no log-in. Ended addresses are not found."""
    found = doors.calendar_link(secret)
    if found is None:
        raise Http404
    if not doors.may_send(found):
        return HttpResponse("Too many requests: at most 30 a minute.", status=429, content_type="text/plain; charset=utf-8")
    if found.job is None:
        services.refreshed(found.workspace, ANEW)
    held = calendar_of(found)
    response = (HttpResponse if isinstance(held, bytes) else StreamingHttpResponse)(held, content_type="text/calendar; charset=utf-8")
    response["Content-Disposition"] = 'inline; filename="upkeep.ics"'
    response["X-Robots-Tag"] = "noindex, nofollow"
    return response
