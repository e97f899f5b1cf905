"""The water step: a line is typed, each reading is shown at once with its limit, and kept."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from treatment.design import Design
from treatment.evidence.entry_line import LineEntry, parse_line
from treatment.evidence.symptoms import observed
from treatment.job.limits import Limit, outside, strictest
from treatment.language.analytes import Analyte, analytes
from treatment.language.errors import BadDocument
from treatment.language.reading import doubt

from ..outcome import Refused
from ..pages.steps import steps
from ..records.job import Job
from ..records.sample import Sample
from ..repository.door import design_of
from ..repository.results import tests_next as which_tests
from ..request import Request
from ..usecases.access import job_for, on_post
from ..usecases.jobs import hold, note_seen
from ..usecases.trains import shown_stages
from . import services, undo
from .forms import SampleForm

LONGEST_LINE = 4000
#: how long an answer works on which test comes next before it says how far it is [s]
STEP_S = 0.05


@dataclass(frozen=True)
class Chip:
    """A reading with its limit, as a page shows it. over: breaks the limit at its adverse end."""

    analyte: Analyte
    low: float
    high: float | None
    qualifier: str
    typed: str
    note: str
    limit: Limit | None
    over: bool
    doubt: str = ""

    @property
    def state(self) -> str:
        """A word for the chip, so that colour is not alone."""
        if self.limit is None:
            return "no limit"
        return ("above health limit" if self.limit.health else "outside limit") if self.over else "within limit"


def chip(reading: Any, standard: str) -> Chip:
    """The chip of a parsed or stored reading."""
    row, limit = analytes()[reading.analyte], strictest(standard, reading.analyte, timezone.localdate())
    over = limit is not None and outside(limit, reading.low, reading.high)
    return Chip(row, reading.low, reading.high, reading.qualifier, reading.typed, reading.note, limit, over, doubt(reading))


def _page(request: Request, job: Job, template: str, status: int = 200, **more: Any) -> HttpResponse:
    if request.method == "POST":
        job = job_for(request, job.pk)  # with its samples as they stand now
    design = design_of(job, shown_stages(job))
    places = after_stages(design)
    samples = [
        {
            "sample": sample,
            "chips": [chip(reading, job.standard) for reading in sample.readings.all()],
            "names": ", ".join(analytes()[reading.analyte].name for reading in sample.readings.all()),
            "form": SampleForm(instance=sample, prefix=f"s{sample.pk}", places=places),
        }
        for sample in job.samples.all()
    ]
    context = {
        "job": job, "samples": samples, "steps": steps(job, "water"), "design": design, "tab": "readings",
    } | more  # fmt: skip
    return render(request, template, context, status=status)


def _template(request: Request) -> str:
    return "samples/_water.html" if request.htmx else "samples/water.html"


def _answer(request: Request, job: Job, **more: Any) -> HttpResponse:
    """After a change: the part that changed, or the page anew."""
    return _page(request, job, "samples/_water.html", **more) if request.htmx else redirect("water", job.pk)


def after_stages(design: Design) -> list[tuple[str, str]]:
    """Places after the stages of the train, where treated water can be drawn."""
    return [(f"after:{stage.id}", f"After the {stage.said}") for stage in design.chosen.run.stages]


@require_GET
def water(request: Request, pk: int) -> HttpResponse:
    return _page(request, job_for(request, pk), "samples/water.html")


@require_GET
def tests_next(request: Request, pk: int) -> HttpResponse:
    """Which test next; dear to work out, so the water page asks for it once it stands, and again until every value was looked at."""
    job = job_for(request, pk)
    if not request.htmx:
        return redirect("water", pk)
    return render(request, "samples/_next_tests.html", {"asked": which_tests(job, STEP_S), "job": job})


@require_POST
def read_line(request: Request, pk: int) -> HttpResponse:
    """What a line would be read as; nothing is stored."""
    job = job_for(request, pk)
    entries = _entries(request)
    return render(request, "samples/_preview.html", {"entries": _chips(entries, job), "job": job})


def _entries(request: Request) -> list[LineEntry]:
    line = request.POST.get("line", "")
    if len(line) > LONGEST_LINE:
        return [LineEntry(line, None, f"this is {len(line)} characters long; a line holds at most {LONGEST_LINE}. Import a whole report as a file")]
    return parse_line(line)


def _told(entries: list[LineEntry]) -> list[str]:
    """What was mended, asked of, or noted as seen in a line that was kept."""
    said = [
        f"“{entry.text}” is saved as an observation: {observed(entry.seen)}.{f' {entry.asks}.' if entry.asks else ''}"
        for entry in entries
        if entry.seen
    ]
    said += [f"{entry.mended[0].upper()}{entry.mended[1:]}." for entry in entries if entry.mended and entry.reading]
    for entry in entries:
        if entry.reading and (asked := doubt(entry.reading)):
            said.append(f"{analytes()[entry.reading.analyte].name} {entry.reading.typed}: {asked}")
    return said


def _chips(entries: list[LineEntry], job: Job) -> list[dict[str, Any]]:
    return [{"entry": entry, "chip": chip(entry.reading, job.standard) if entry.reading else None} for entry in entries]


@require_POST
def readings_add(request: Request, pk: int, sample: int) -> HttpResponse:
    """Keep what was understood; the rest stays in the box with the reason beside it."""
    job = job_for(request, pk, act="job.change")
    held = get_object_or_404(Sample, pk=sample, job=job)
    entries = _entries(request)
    for entry in entries:
        if entry.seen:
            note_seen(job, entry.seen, request.user)
    replaced = services.keep_readings(job, held, entries, request.user).made
    left = [entry for entry in entries if entry.reading is None and not entry.seen]
    more: dict[str, Any] = {
        "line": ", ".join(entry.text for entry in left),
        "left": left,
        "at": held.pk,
        "added": sum(entry.reading is not None for entry in entries),
        "replaced": replaced,
        "told": _told(entries),
    }
    if not request.htmx and not left and not replaced and not more["told"]:
        return redirect("water", pk)
    return _page(request, job, _template(request), status=422 if left else 200, **more)


@require_POST
def sample_new(request: Request, pk: int) -> HttpResponse:
    """A new sample, with its readings where a line was typed with it."""
    job = job_for(request, pk, act="job.change")
    held = services.add_sample(job, request.user).made
    if request.POST.get("line", "").strip():
        return readings_add(request, pk, held.pk)
    if request.htmx:
        return _page(request, job, "samples/_water.html", at=held.pk)
    return redirect("water", pk)


@require_POST
def sample_edit(request: Request, pk: int, sample: int) -> HttpResponse:
    with transaction.atomic():  # what stands is compared and written under one lock
        return _sample_edited(request, pk, sample)


def _sample_edited(request: Request, pk: int, sample: int) -> HttpResponse:
    job = job_for(request, pk, act="job.change")
    hold(job)
    held = get_object_or_404(Sample, pk=sample, job=job)
    places, prefix = after_stages(design_of(job, shown_stages(job))), f"s{held.pk}"
    form = SampleForm(request.POST, instance=held, prefix=prefix, places=places)
    if form.is_valid():
        services.keep_facts(job, form, request.user)
        return _answer(request, job)
    if form.late:  # what was typed stays, on top of what stands now
        again = request.POST.copy()
        for name, value in (form.theirs | {"seen": form.stands}).items():
            again[f"{prefix}-{name}"] = value
        told = SampleForm(again, instance=Sample.objects.get(pk=held.pk), prefix=prefix, places=places)
        told.full_clean()
        for name, words in form.late.items():
            told.add_error(name, words)
        return _page(request, job, _template(request), 409, bad_form=told, bad_sample=held.pk)
    return _page(request, job, _template(request), status=422, bad_form=form, bad_sample=held.pk)


@require_POST
def sample_delete(request: Request, pk: int, sample: int) -> HttpResponse:
    job = job_for(request, pk, act="job.change")
    held = get_object_or_404(Sample, pk=sample, job=job)
    back = undo.of_sample(job, held)
    services.drop_sample(job, held, request.user)
    return _answer(request, job, undo=back)


@require_POST
def sample_restore(request: Request, pk: int) -> HttpResponse:
    """Put back a sample that was just taken out."""
    job = job_for(request, pk, act="job.change")
    try:
        undo.put_back(job, request.POST.get("kept", ""), request.user)
    except BadDocument:
        return _page(request, job, _template(request), 422, problem="This sample was not sent completely; nothing was restored.")
    return _answer(request, job)


@require_POST
def reading_delete(request: Request, pk: int, sample: int, analyte: str) -> HttpResponse:
    job = job_for(request, pk, act="job.change")
    held = get_object_or_404(Sample, pk=sample, job=job)
    was = held.readings.filter(analyte=analyte).first()
    back = undo.of_reading(job, held, analytes()[analyte].name, was.typed) if was else None
    services.drop_reading(job, held, analyte, request.user)
    return _answer(request, job, undo=back)


@dataclass(frozen=True)
class Cell:
    """One analyte in the table: what is held or typed, and what stands against it."""

    analyte: Analyte
    typed: str
    problem: str
    hint: str


@require_http_methods(["GET", "POST"])
def readings_table(request: Request, pk: int, sample: int) -> HttpResponse:
    """Every analyte of a sample in a table, for mouse and Tab. An emptied field takes its reading out; all or nothing is kept."""
    job = job_for(request, pk, act=on_post(request, "job.change"))
    held = get_object_or_404(Sample, pk=sample, job=job)
    stored = {reading.analyte: reading.typed for reading in held.readings.all()}
    typed, problems = stored, dict[str, str]()
    if request.method == "POST":
        typed = {name: " ".join(request.POST.get(name, "").split()) for name in analytes()}
        shown = {name: " ".join(request.POST.get(f"was-{name}", "").split()) for name in analytes()}
        try:
            services.keep_table(job, held, typed, shown, request.user)
        except Refused as error:
            problems = error.fields
        else:
            return redirect("water", pk)
    families: dict[str, list[Any]] = {}
    for name, row in analytes().items():
        cell = Cell(row, typed.get(name, ""), problems.get(name, ""), "present, absent or a count" if row.is_microbe else row.accepted_units()[0])
        families.setdefault(row.family, []).append((cell, stored.get(name, "")))
    context = {"job": job, "steps": steps(job, "water"), "tab": "readings", "sample": held, "families": families, "problems": len(problems)}
    return render(request, "samples/table.html", context, status=422 if problems else 200)
