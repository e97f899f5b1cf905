"""The logbook step: what was read and done over the years, beside what the design expects."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from intake.apart import rows_apart
from intake.limits import LARGEST, Unreadable
from intake.pictures import LARGEST as LARGEST_PHOTO
from treatment.evidence.symptoms import observed
from treatment.job.facts import OBSERVATIONS
from treatment.operation.entry.line import LogLine
from treatment.operation.entry.log_table import ORDERS, Understood, choices, understood, words_of
from treatment.operation.maintenance.upkeep import upkeep
from treatment.papers.printed import page_size

from ..outcome import Refused
from ..pages.attached import attached_json
from ..pages.printed import printed
from ..pages.steps import steps
from ..records.job import Job
from ..records.log import LogPhoto
from ..repository.door import design_of
from ..request import Request, status_of
from ..usecases import books as services
from ..usecases import trains
from ..usecases.access import job_for, on_post
from .entering import entered
from .labels import labels
from .page import EXAMPLES, context_of, preview
from .redesign import open_redesign

#: entries that are read to say what is expected of what is being typed
STROKE = 300


def logbook_page(request: HttpRequest, job: Job, status: int = 200, **more: Any) -> HttpResponse:
    """The page of a job's logbook, with what else is to be told on it."""
    book = services.opened(job)
    context: dict[str, Any] = {
        "job": job,
        "steps": steps(job, "logbook"),
        "title": "Logbook",
        "today": timezone.localdate(),
        "here": request.GET.get("at", ""),
        "gone_last": _gone_last(request, job),
        "example": EXAMPLES[job.units],
        "observations": [(key, observed(key)) for key in OBSERVATIONS],
    }
    if book is not None:
        services.remember(book)
        context |= context_of(book, request.GET.get("at", ""), (request.GET.get("cause", ""), request.GET.get("of", "")))
    return render(request, "logs/logbook.html", context | more, status=status)


def _gone_last(request: HttpRequest, job: Job) -> int | None:
    """The entry of this job that the person took out last; None where there is none."""
    gone = request.session.get("log_gone")
    return int(gone[1]) if isinstance(gone, list) and gone[0] == job.pk else None


@require_GET
def logbook(request: Request, pk: int) -> HttpResponse:
    """The logbook: entry line, causes, what is due, charts, entries."""
    return logbook_page(request, job_for(request, pk))


@require_POST
def begin(request: Request, pk: int) -> HttpResponse:
    """Since when the train runs."""
    job = job_for(request, pk, act="log.write")
    on = day_of(request.POST.get("on", ""))
    if on is None or on > timezone.localdate():
        return logbook_page(request, job, 422, begin_problem="Enter the day on which it went into service; it must not be in the future.")
    services.started(job, on)
    return redirect("logbook", pk)


@require_POST
def entry(request: Request, pk: int) -> HttpResponse:
    """A line of readings and tasks; what is understood is kept, the rest comes back with the reason."""
    job = job_for(request, pk, act="log.write")
    typed, on, here = request.POST.get("line", ""), day_of(request.POST.get("on", "")), request.POST.get("at", "")
    back = reverse("logbook", args=[pk]) + (f"?at={here}" if here else "")
    if on is None:
        return logbook_page(request, job, 422, typed=typed, line_problem="Enter the date, for example 2026-11-24.")
    if on > timezone.localdate():
        return logbook_page(request, job, 422, typed=typed, line_problem=f"{on} is in the future. Enter today or an earlier date.")
    form = entered(request.POST, _line(job, here))
    shown: dict[str, Any] = {"on": on, "pieces": form.left, "beside": form.beside, "problems": form.problems}
    bodies = form.bodies()
    if form.problems or not bodies:
        nothing = "" if form.left or form.problems else "Nothing was entered."
        return logbook_page(request, job, 422, typed=typed, line_problem=nothing, **shown)
    if asked := services.asked_of_meter(job, on, bodies, request.POST.get("sure", "")):
        return logbook_page(request, job, 422, typed=typed, asked=asked, sure=services.meter_in(bodies), **shown)
    try:
        done = services.add(job, [(on, body) for body in bodies], request.user, request.POST.get("key", "")[:40], _picture(request))
    except Refused as error:
        return logbook_page(request, job, status_of(error), typed=typed, line_problem=str(error), **shown)
    if form.left:
        kept = f"Saved: {form.words}."
        return logbook_page(request, job, 422, typed=", ".join(piece.typed for piece in form.left), on=on, pieces=form.left, line_kept=kept)
    messages.success(request, kept_words(f"Saved for {on}: {form.words}.", len(done.made), len(bodies)))
    return redirect(back)


def _picture(request: Request) -> bytes | None:
    """The photo that was sent with an entry, as far as one may be."""
    upload = request.FILES.get("photo")
    return upload.read(LARGEST_PHOTO + 1) if upload is not None else None


def kept_words(words: str, made: int, sent: int) -> str:
    """What is said of entries, from what was made of them."""
    if made == sent:
        return words
    return f"{made} of {sent} entries saved; the others were saved before and count once." if made else services.ONCE


@require_POST
def read(request: Request, pk: int) -> HttpResponse:
    """How a line is understood while it is typed, and what is expected of each reading on that day; nothing is kept."""
    job = job_for(request, pk)
    book = services.opened(job, newest=STROKE)
    line = _line(job) if book is None else LogLine(book.design.chosen, book.tasks, job.units, request.POST.get("at", ""))
    on = day_of(request.POST.get("on", "")) or timezone.localdate()
    pieces = line.read(request.POST.get("line", "")[:4000])
    return render(request, "logs/_preview.html", {"rows": [preview(book, piece, on, job.units) for piece in pieces]})


@require_POST
def done(request: Request, pk: int) -> HttpResponse:
    """A task ticked, with the amount where it takes one."""
    job = job_for(request, pk, act="log.write")
    on = day_of(request.POST.get("on", "")) if request.POST.get("on") else timezone.localdate()
    amount = request.POST.get("amount", "").strip()
    if on is None:
        problem = "Enter the date, for example 2026-11-24."
        return logbook_page(request, job, 422, task_problem=problem, task_of=request.POST.get("task", ""), task_amount=amount, task_on="")
    body = {"did": request.POST.get("task", "")} | ({"amount": amount} if amount else {})
    try:
        done = services.add(job, [(on, body)], request.user, request.POST.get("key", "")[:40], _picture(request))
    except Refused as error:
        return logbook_page(
            request, job, 422, task_problem=str(error), task_of=request.POST.get("task", ""), task_amount=amount, task_on=request.POST.get("on", "")
        )
    messages.success(
        request, kept_words(f"Done on {on}: {services.task_named(job, body['did'])}. To correct it, delete it in the entries.", len(done.made), 1)
    )
    return redirect(reverse("logbook", args=[pk]) + "#due")


@require_POST
def put(request: Request, pk: int, entry: int) -> HttpResponse:
    """Take an entry out, or put it back."""
    job = job_for(request, pk, act="log.write")
    services.put_away(job, entry, request.POST.get("back") != "1")
    request.session["log_gone"] = None if request.POST.get("back") == "1" else [pk, entry]
    return redirect(reverse("logbook", args=[pk]) + "#entries")


@require_POST
def say(request: Request, pk: int) -> HttpResponse:
    """A cause is taken as so, or set aside, with a reason."""
    job = job_for(request, pk, act="log.write")
    post = request.POST
    try:
        services.say(job, post.get("cause", ""), post.get("stage", ""), post.get("verdict", ""), post.get("reason", ""), request.user)
    except Refused as error:
        return logbook_page(
            request,
            job,
            status_of(error),
            cause_problem=str(error),
            cause_of=f"{post.get('cause', '')} {post.get('stage', '')}".strip(),
            cause_reason=post.get("reason", ""),
        )
    return redirect(reverse("logbook", args=[pk]) + "#causes")


@require_http_methods(["GET", "POST"])
def table(request: Request, pk: int) -> HttpResponse:
    """A table of readings, shown as it is understood before anything is kept; rows that cannot be read are named and left out."""
    job = job_for(request, pk, act=on_post(request, "log.write"))
    context: dict[str, Any] = {"job": job, "steps": steps(job, "logbook"), "title": "Logbook"}
    if request.method == "GET":
        return render(request, "logs/table.html", context)
    rows_typed, upload = request.POST.get("rows", ""), request.FILES.get("file")
    if upload is not None and (upload.name or "").lower().endswith(".json"):
        return _take_log(request, job, context, upload.read(LARGEST + 1))
    try:
        cells = (
            rows_apart(upload.read(LARGEST + 1))
            if upload is not None
            else [line.split("\t") if "\t" in line else _cells(line) for line in rows_typed.splitlines()]
        )
    except Unreadable as error:
        return render(request, "logs/table.html", context | {"problem": str(error)}, status=422)
    if upload is not None:
        rows_typed = "\n".join("\t".join(row) for row in cells)
    chosen = {int(name[4:]): str(value) for name, value in request.POST.items() if name.startswith("col-") and name[4:].isdecimal() and len(name) < 8}
    order = request.POST.get("order", "")
    found = _understood(job, cells, chosen, order)
    if found.problem or request.POST.get("keep") != "1":
        return render(request, "logs/table.html", context | _table(job, found, rows_typed), status=422 if found.problem else 200)
    try:
        kept = services.add_table(job, found.rows, request.user).made if found.rows else 0
    except Refused as error:
        return render(request, "logs/table.html", context | _table(job, found, rows_typed) | {"problem": str(error)}, status=status_of(error))
    if not found.bad:
        messages.success(request, _rows_kept(kept, len(found.rows)))
        return redirect("logbook", pk)
    rest = _understood(job, [row.split("\t") for row in found.rest.splitlines()], chosen, found.order)
    return render(
        request, "logs/table.html", context | _table(job, rest, found.rest) | {"kept": _rows_kept(kept, len(found.rows)), "left": len(found.bad)}
    )


def _rows_kept(made: int, sent: int) -> str:
    """What became of the rows of a table, in words."""
    before = f"{sent - made} of them were in the logbook before and count once" if sent - made else ""
    return f"{made} rows saved." if not before else f"{made} of {sent} rows saved: {before}."


def _understood(job: Job, cells: Sequence[Sequence[str]], chosen: Mapping[int, str], order: str) -> Understood:
    line = _line(job)
    return understood(cells, line, line.ids, job.units, timezone.localdate(), chosen, order)


def _line(job: Job, here: str = "") -> LogLine:
    design = design_of(job, trains.shown_stages(job))
    return LogLine(design.chosen, upkeep(design.chosen), job.units, here)


def _table(job: Job, found: Understood, typed: str) -> dict[str, Any]:
    """What the page shows of a table: how each column is understood, what it may be, and the rows as text."""
    line = _line(job)
    columns = [(number, name, key, words_of(key, line)) for number, (name, key) in enumerate(found.columns)]
    return {"found": found, "columns": columns, "choices": choices(line), "typed": typed, "problem": found.problem, "orders": ORDERS.items()}


def _take_log(request: Request, job: Job, context: dict[str, Any], content: bytes) -> HttpResponse:
    """A log as a file: all of it, or none and why."""
    try:
        if len(content) > LARGEST:
            raise Refused("This file is too large.")
        done = services.take_document(job, content.decode(), request.user)
    except (Refused, UnicodeDecodeError) as error:
        told = str(error) if isinstance(error, Refused) else "This is not a text file. Choose a CSV, XLSX or JSON file."
        return render(request, "logs/table.html", context | {"problem": told}, status=422)
    messages.success(request, done.words)
    return redirect("logbook", job.pk)


def _cells(line: str) -> list[str]:
    return [cell.strip() for cell in (line.split(";") if ";" in line else line.split(","))]


@require_GET
def log_file(request: Request, pk: int) -> HttpResponse:
    """The log as ``cairn-log/1``."""
    job = job_for(request, pk)
    log = services.log_of(job)
    if log is None:
        raise Http404
    return attached_json(services.document_of(log), job, "log.json")


@require_GET
def diagnosis_file(request: Request, pk: int) -> HttpResponse:
    """What it shows, as ``cairn-diagnosis/1``."""
    job = job_for(request, pk)
    book = services.opened(job)
    if book is None:
        raise Http404
    return attached_json(book.diagnosis.document(), job, "diagnosis.json")


@require_GET
def labels_pdf(request: Request, pk: int) -> HttpResponse:
    """A label for each tank, with a code that leads to its place in the logbook."""
    job = job_for(request, pk)
    book = services.opened(job)
    if book is None:
        raise Http404
    here = request.build_absolute_uri(reverse("logbook", args=[pk]))
    context = {"job": job, "size": page_size(job.units), "labels": labels(book, lambda id: f"{here}?{urlencode({'at': id})}")}
    return printed(request, "logs/labels_pdf.html", context, job, "labels.pdf")


@require_GET
def log_photo(request: Request, pk: int, photo: int) -> HttpResponse:
    """A picture of the job's log."""
    job = job_for(request, pk)
    found = get_object_or_404(LogPhoto, pk=photo, entry__log__job=job)
    return HttpResponse(bytes(found.image), content_type="image/jpeg")


@require_POST
def redesign(request: Request, pk: int) -> HttpResponse:
    """The train for the new facts, opened as an option beside the one that stands."""
    job = job_for(request, pk, act="job.change")
    book = services.opened(job)
    if book is None:
        raise Http404
    try:
        opened = open_redesign(book, request.user)
    except Refused as error:
        return logbook_page(request, job, status_of(error), redesign_problem=str(error))
    messages.success(request, opened.words)
    return redirect("options", pk)


@require_POST
def look_after(request: Request, pk: int) -> HttpResponse:
    """Who looks after the house, and in which area it lies."""
    job = job_for(request, pk, act="job.change")
    try:
        post = request.POST
        shown = (post["was-technician"], post["was-area"]) if {"was-technician", "was-area"} <= set(post) else None
        services.look_after(job, post.get("technician", ""), post.get("area", ""), shown)
    except Refused as error:
        typed = {"technician_shown": post.get("technician", ""), "area_shown": post.get("area", "")}
        return logbook_page(request, job, status_of(error), technician_problem=str(error), **typed)
    return redirect(reverse("logbook", args=[pk]) + "#tools")


def day_of(text: str) -> dt.date | None:
    """A day as a date field sends it; None for anything else."""
    try:
        return dt.date.fromisoformat(text)
    except ValueError:
        return None
