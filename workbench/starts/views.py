"""The commission step: the run sheet of the job's train, followed on a phone or at a desk."""

from __future__ import annotations

import datetime as dt
from base64 import b64encode
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from intake.pictures import LARGEST
from treatment.commissioning.ical import ical
from treatment.commissioning.visits import minute_of
from treatment.papers.printed import page_size
from treatment.papers.recorded import record_paper

from ..outcome import Late
from ..pages.attached import attached, attached_json
from ..pages.printed import printed
from ..pages.steps import steps
from ..records.job import Job
from ..records.run import StartPhoto
from ..request import Request, status_of, version_of, whole
from ..usecases.access import job_for
from . import services
from .page import calendar_of, context_of, first_day, said
from .services import NotTaken, Taken, Told


def _page(request: HttpRequest, job: Job, status: int = 200, **more: Any) -> HttpResponse:
    row = services.run_of(job)
    _, run = services.state_of(job, row)
    by = "visit" if request.GET.get("by") == "visit" else "phase"
    context = context_of(job, row, run, timezone.now(), by) | {
        "job": job,
        "steps": steps(job, "commission"),
        "samples": job.samples.all() if run.sheet.steps else [],
        "records": services.kept_records(row),
        "title": "Commission",
    }
    return render(request, "starts/commission.html", context | more, status=status)


@require_GET
def commission(request: Request, pk: int) -> HttpResponse:
    """The sheet: by phase or by visit, as a list or one step at a time."""
    return _page(request, job_for(request, pk))


@require_http_methods(["GET", "POST"])
def tell(request: Request, pk: int) -> HttpResponse:
    """Something was done. A phone is answered in JSON: 200 kept or again, 422 refused and why; a page without scripts comes back.

    Asked with GET whether anything happened ``since`` an event: 200, or 204 where nothing did.
    """
    if request.method == "GET":
        row = services.run_of(job_for(request, pk))
        return HttpResponse(status=200 if row is not None and row.last > (whole(request.GET.get("since", "")) or 0) else 204)
    job = job_for(request, pk, act="run.write")
    upload = request.FILES.get("photo")
    image = upload.read(LARGEST + 1) if upload is not None else None
    given = told_of(request, upload.name or "photo" if upload is not None else "")
    in_json = request.headers.get("Accept", "").startswith("application/json")
    try:
        taken = services.take(job, given, request.user, image).made
    except NotTaken as refused:
        if in_json:
            return JsonResponse(refusal(job, refused), status=status_of(refused))
        return _page(request, job, status_of(refused), problem=str(refused), problem_step=given.step, wants=refused.field, given=given)
    if in_json:
        return JsonResponse(answer(taken))
    return redirect(f"{reverse('commission', args=[pk])}#s-{given.step.replace('/', '-')}")


def told_of(request: HttpRequest, name: str) -> Told:
    """What a form or a phone says was done; what cannot be read of it is left out, and the service says what is missing."""
    post = request.POST
    return Told(
        key=post.get("key", "")[:64] or services.new_key(),
        step=post.get("step", "")[:120],
        kind=post.get("kind", ""),
        text=name[:200] if name else post.get("text", ""),
        about=post.get("about", "")[:120],
        base=whole(post.get("base", "")) or 0,
        sure=post.get("sure") == "1",
        at=moment(post.get("at", "")),
        sent_at=moment(post.get("sent_at", "")),
    )


def moment(text: str) -> dt.datetime | None:
    """A time with its zone; None for anything else, and for years that no phone means."""
    try:
        found = dt.datetime.fromisoformat(text)
    except ValueError:
        return None
    return found if found.tzinfo is not None and 2000 < found.year < 2200 else None


def answer(taken: Taken) -> dict[str, Any]:
    """What a phone is told of what was taken."""
    return {"status": "again" if taken.again else "kept", "number": taken.number, "wants": "", "words": "", "clock_s": taken.clock_s}


def refusal(job: Job, refused: NotTaken) -> dict[str, Any]:
    """What a phone is told of what was not taken."""
    found: dict[str, Any] = {"status": "refused", "number": 0, "wants": refused.field, "words": str(refused), "clock_s": 0}
    if refused.refusal is not None:
        _, sheet, _ = services.worked(job)
        numbers = {step.id: number for number, step in enumerate(sheet.steps, 1)}
        found["missing"] = [said(each, numbers) for each in refused.refusal.missing]
    return found


@require_POST
def plan(request: Request, pk: int) -> HttpResponse:
    """When the first visit begins, or when another is wanted."""
    job = job_for(request, pk, act="run.write")
    wanted, number = request.POST.get("when", ""), whole(request.POST.get("visit", ""))
    try:
        when = dt.datetime.fromisoformat(wanted)
        if when.tzinfo is not None or not 2000 < when.year < 2200:
            raise ValueError
    except ValueError:
        if not (number and request.POST.get("back")):
            return _page(
                request,
                job,
                422,
                plan_problem="Enter a date and time, for example 7 December 2026, 09:00.",
                plan_visit=number or 1,
                plan_typed=wanted,
            )
        when = None
    try:
        if number is None or number == 1:
            services.plan(job, version_of(request), request.user, start=timezone.make_aware(when) if when else None)
        else:
            minute = minute_of(when, first_day(services.run_of(job))) if when else None
            services.plan(job, version_of(request), request.user, moved=(number, minute))
    except Late:
        stands = services.run_of(job)
        who = stands.updated_by if stands is not None else None
        words = f"{who or 'Somebody'} changed the plan since you opened it; it is shown below. Enter your time again if you still need it."
        return _page(request, job, 409, plan_problem=words, plan_visit=number or 1, plan_typed=wanted)
    if when is not None and timezone.make_aware(when) < timezone.now():
        messages.warning(request, "That time is in the past; it was saved as entered.")
    by = "?by=visit" if request.GET.get("by") == "visit" else ""
    return redirect(f"{reverse('commission', args=[pk])}{by}#plan")


@require_GET
def calendar(request: Request, pk: int) -> HttpResponse:
    """The visits as iCalendar."""
    job = job_for(request, pk)
    row = services.run_of(job)
    _, run = services.state_of(job, row)
    return attached(ical(job.name, calendar_of(row, run).visits(), first_day(row)), "text/calendar; charset=utf-8", job, "visits.ics")


@require_GET
def record_file(request: Request, pk: int) -> HttpResponse:
    """The record as ``cairn-commissioning/1``."""
    job = job_for(request, pk)
    document, held = services.record_asked(job, request.GET.get("number", ""))
    return (
        attached_json(document, job, "commissioning.json")
        if held is None
        else attached(held.document.encode(), "application/json", job, "commissioning.json")
    )


@require_GET
def record_pdf(request: Request, pk: int) -> HttpResponse:
    """The record on paper, from its document and the pictures that it names."""
    job = job_for(request, pk)
    document, held = services.record_asked(job, request.GET.get("number", ""))
    paper = record_paper(document)
    keys = [photo.key for _, steps in paper.phases for step in steps for photo in step.photos]
    photos = {key: f"data:image/jpeg;base64,{b64encode(image).decode()}" for key, image in services.pictures_of(job, keys).items()}
    context = {"paper": paper, "held": held, "photos": photos, "size": page_size(document["job"]["units"])}
    return printed(request, "starts/record_pdf.html", context, job, "commissioning.pdf")


@require_GET
def photo(request: Request, pk: int, photo: int) -> HttpResponse:
    """A picture of the job's sheet."""
    job = job_for(request, pk)
    found = get_object_or_404(StartPhoto, pk=photo, event__run__job=job)
    return HttpResponse(bytes(found.image), content_type="image/jpeg")


@login_not_required
@require_GET
def worker(request: Request) -> FileResponse:
    """The script that keeps the sheet usable without reception; it must come from the root to answer for pages."""
    response = FileResponse((settings.BASE_DIR / "static" / "js" / "commission-worker.js").open("rb"), content_type="text/javascript; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response
