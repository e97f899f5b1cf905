"""Kits on the phone: choose one, start timers, tap what is seen."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, Q
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from treatment.evidence.kits import KitTest
from treatment.language.analytes import analytes

from ..outcome import Refused
from ..pages.steps import steps
from ..records.job import Job
from ..records.sample import KitSession
from ..request import Request
from ..usecases.access import job_for
from ..usecases.firm_kits import kits_of, offered
from . import kit_services
from .forms import POINTS


@require_GET
def kit_list(request: Request, pk: int) -> HttpResponse:
    """The kits, and the sessions of this job."""
    job = job_for(request, pk)
    known = kits_of(job.workspace_id)
    sessions = [
        (session, known[session.kit])
        for session in job.kit_sessions.annotate(answered=Count("runs", filter=Q(runs__answered_at__isnull=False)))
        if session.kit in known
    ]
    context = {"job": job, "steps": steps(job, "water"), "tab": "kits", "kits": offered(job.workspace_id), "sessions": sessions, "points": POINTS}
    return render(request, "samples/kits.html", context)


@require_POST
def kit_open(request: Request, pk: int) -> HttpResponse:
    """A new session with a kit."""
    job = job_for(request, pk, act="job.change")
    kit = kits_of(job.workspace_id).get(request.POST.get("kit", ""))
    if kit is None:
        raise Http404
    point = request.POST.get("point", "raw")
    session = kit_services.open_session(job, kit, point if point in dict(POINTS) else "raw").made
    return redirect("kit-session", pk, session.pk)


def _session(job: Job, pk: int) -> KitSession:
    session = get_object_or_404(KitSession.objects.select_related("sample").prefetch_related("runs"), pk=pk, job=job)
    if session.kit not in kits_of(job.workspace_id):
        raise Http404
    session.job = job
    return session


def _page(request: Request, job: Job, session: KitSession, status: int = 200, **more: Any) -> HttpResponse:
    now = timezone.now()
    rows = kit_services.rows_of(session, now)
    more = {"faults": {}, "typed": {}} | more
    waiting = next((row.test.key for row in rows if row.phase in ("ready", "late", "dip")), "")
    context = {
        "job": job, "session": session, "kit": kits_of(job.workspace_id)[session.kit], "rows": rows, "now": now, "steps": steps(job, "water"), "tab": "kits",
        "running": [row for row in rows if row.running], "place": dict(POINTS).get(session.point, session.point), "analytes": analytes(),
        "opened": more.pop("opened", "") or waiting or next((row.test.key for row in rows if row.phase == "new"), ""),
    } | more  # fmt: skip
    return render(request, "samples/_session.html" if request.htmx else "samples/session.html", context, status=status)


@require_GET
def kit_session(request: Request, pk: int, session: int) -> HttpResponse:
    job = job_for(request, pk)
    return _page(request, job, _session(job, session), opened=request.GET.get("test", ""))


def _test(session: KitSession, key: str) -> KitTest:
    test = kits_of(session.job.workspace_id)[session.kit].test(key)
    if test is None:
        raise Http404
    return test


@require_POST
def kit_act(request: Request, pk: int, session: int, test: str, act: str) -> HttpResponse:
    """Start a timer, keep an answer, or do a test again."""
    job = job_for(request, pk, act="job.change")
    held = _session(job, session)
    known = _test(held, test)
    faults: dict[str, str] = {}
    opened = ""
    if act == "start":
        kit_services.start(held, known)
        opened = known.key
    elif act == "again":
        kit_services.again(held, known, request.user)
        opened = known.key
    else:
        try:
            kit_services.answer(held, known, request.POST, request.user)
        except Refused as error:
            faults, opened = error.fields, known.key
    if not request.htmx and not faults:
        return redirect("kit-session", pk, held.pk)
    job = job_for(request, pk)
    return _page(request, job, _session(job, held.pk), 422 if faults else 200, opened=opened, faults=faults, typed=request.POST)
