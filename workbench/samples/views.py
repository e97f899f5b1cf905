"""The water step: a line is typed, each reading is shown at once with its limit, and kept."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from treatment.analytes import Analyte, analytes
from treatment.limits import Limit, outside, strictest
from treatment.reading import Entry, parse_line

from ..accounts.access import job_for
from ..door import design_of, reading_row, worth_testing
from ..jobs.models import Job
from ..jobs.services import bump
from ..steps import steps
from ..trains.services import shown_stages
from .forms import SampleForm
from .models import Reading, Sample

LONGEST_LINE = 4000


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

    @property
    def state(self) -> str:
        """A word for the chip, so that colour is not alone."""
        if self.limit is None:
            return "no limit"
        return ("above health limit" if self.limit.health else "outside limit") if self.over else "within limit"


def chip(reading: Any, standard: str) -> Chip:
    """The chip of a parsed or stored reading."""
    row, limit = analytes()[reading.analyte], strictest(standard, reading.analyte)
    over = limit is not None and outside(limit, reading.low, reading.high)
    return Chip(row, reading.low, reading.high, reading.qualifier, reading.typed, reading.note, limit, over)


def _page(request: HttpRequest, job: Job, template: str, status: int = 200, **more: Any) -> HttpResponse:
    job = job_for(request, job.pk)  # with its samples as they stand now
    samples = [
        {
            "sample": sample,
            "chips": [chip(reading, job.standard) for reading in sample.readings.all()],
            "form": SampleForm(instance=sample, prefix=f"s{sample.pk}"),
        }
        for sample in job.samples.all()
    ]
    design = design_of(job, shown_stages(job))
    context = {
        "job": job, "samples": samples, "steps": steps(job, "water"), "design": design, "tests": worth_testing(job), "analytes": analytes().values(),
    } | more  # fmt: skip
    return render(request, template, context, status=status)


@require_GET
def water(request: HttpRequest, pk: int) -> HttpResponse:
    return _page(request, job_for(request, pk), "samples/water.html")


@require_POST
def read_line(request: HttpRequest, pk: int) -> HttpResponse:
    """What a line would be read as; nothing is stored."""
    job = job_for(request, pk)
    entries = _entries(request)
    return render(request, "samples/_preview.html", {"entries": _chips(entries, job), "job": job})


def _entries(request: HttpRequest) -> list[Entry]:
    return parse_line(request.POST.get("line", "")[:LONGEST_LINE])


def _chips(entries: list[Entry], job: Job) -> list[dict[str, Any]]:
    return [{"entry": entry, "chip": chip(entry.reading, job.standard) if entry.reading else None} for entry in entries]


@require_POST
def readings_add(request: HttpRequest, pk: int, sample: int) -> HttpResponse:
    """Keep what was understood; the rest stays in the box with the reason beside it."""
    job = job_for(request, pk, change=True)
    held = get_object_or_404(Sample, pk=sample, job=job)
    entries = _entries(request)
    _keep(job, held, entries, request.user)
    left = [entry for entry in entries if entry.reading is None]
    more: dict[str, Any] = {"line": ", ".join(entry.text for entry in left), "left": left, "at": held.pk, "added": len(entries) - len(left)}
    if not request.htmx and not left:  # type: ignore[attr-defined]
        return redirect("water", pk)
    return _page(request, job, "samples/_water.html" if request.htmx else "samples/water.html", status=422 if left else 200, **more)  # type: ignore[attr-defined]


@transaction.atomic
def _keep(job: Job, sample: Sample, entries: list[Entry], user: Any) -> None:
    for entry in entries:
        if entry.reading is not None:
            Reading.objects.filter(sample=sample, analyte=entry.reading.analyte).delete()
            reading_row(sample, entry.reading).save()
    if any(entry.reading is not None for entry in entries):
        bump(job, user)


@require_POST
def sample_new(request: HttpRequest, pk: int) -> HttpResponse:
    """A new sample, with its readings where a line was typed with it."""
    job = job_for(request, pk, change=True)
    held = Sample.objects.create(job=job)
    bump(job, request.user)
    if request.POST.get("line", "").strip():
        return readings_add(request, pk, held.pk)
    if request.htmx:  # type: ignore[attr-defined]
        return _page(request, job, "samples/_water.html", at=held.pk)
    return redirect("water", pk)


@require_POST
def sample_edit(request: HttpRequest, pk: int, sample: int) -> HttpResponse:
    job = job_for(request, pk, change=True)
    held = get_object_or_404(Sample, pk=sample, job=job)
    form = SampleForm(request.POST, instance=held, prefix=f"s{held.pk}")
    if form.is_valid():
        form.save()
        bump(job, request.user)
        if not request.htmx:  # type: ignore[attr-defined]
            return redirect("water", pk)
        return _page(request, job, "samples/_water.html")
    return _page(request, job, "samples/_water.html" if request.htmx else "samples/water.html", status=422, bad_form=form, bad_sample=held.pk)  # type: ignore[attr-defined]


@require_POST
def sample_delete(request: HttpRequest, pk: int, sample: int) -> HttpResponse:
    job = job_for(request, pk, change=True)
    get_object_or_404(Sample, pk=sample, job=job).delete()
    bump(job, request.user)
    return _page(request, job, "samples/_water.html") if request.htmx else redirect("water", pk)  # type: ignore[attr-defined]


@require_POST
def reading_delete(request: HttpRequest, pk: int, sample: int, analyte: str) -> HttpResponse:
    job = job_for(request, pk, change=True)
    held = get_object_or_404(Sample, pk=sample, job=job)
    Reading.objects.filter(sample=held, analyte=analyte).delete()
    bump(job, request.user)
    return _page(request, job, "samples/_water.html") if request.htmx else redirect("water", pk)  # type: ignore[attr-defined]
