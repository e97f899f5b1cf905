"""A laboratory report becomes a sample: read, shown as understood, and stored only when confirmed."""

from __future__ import annotations

import csv
import json
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_POST

from treatment.evidence.report import SAMPLE_COLUMNS, layout_of, own_samples, read_report
from treatment.job.facts import SampleFacts
from treatment.language.analytes import analytes, find_analyte
from treatment.language.errors import Fault, NotUnderstood
from treatment.language.reading import Reading, parse_reading
from treatment.language.spec import ListOf, Record

from ..accounts.access import job_for
from ..jobs.models import Job
from ..request import whole
from ..steps import steps
from . import services
from .apart import rows_apart
from .forms import SampleForm
from .models import ReportLayout, Sample
from .readers import Unreadable, rows_of_text, safe_cell
from .views import Chip, chip

MOST_SHOWN = 400


@dataclass(frozen=True)
class PreviewRow:
    """A row of the report on the page: what it says, what it is taken for, and what stands against it."""

    number: int
    name: str
    text: str
    key: str
    chip: Chip | None
    sure: str
    problem: str
    was: str = ""

    @property
    def original(self) -> str:
        """The result as the report has it, before it was corrected."""
        return self.was or self.text

    @property
    def added(self) -> str:
        """The unit that had to be added to the result."""
        corrected = self.text.startswith(self.original) and self.original != self.text
        return self.text[len(self.original) :].strip()[:30] if corrected else ""


def _page(request: HttpRequest, job: Job, status: int = 200, **more: Any) -> HttpResponse:
    context = {
        "job": job,
        "steps": steps(job, "water"),
        "analytes": analytes().values(),
        "form": SampleForm(initial={"method": "laboratory"}, prefix="new"),
    }
    return render(request, "samples/report.html", context | more, status=status)


@require_POST
def report_preview(request: HttpRequest, pk: int) -> HttpResponse:
    """What a file or pasted rows would be read as; nothing is stored."""
    job = job_for(request, pk, change=True)
    upload, pasted = request.FILES.get("file"), request.POST.get("rows", "")
    try:
        if upload is not None:
            rows = rows_apart(upload.name or "", upload.read(5_000_001))
        else:
            rows = rows_of_text(pasted)
        own = own_samples(rows)
        if own is not None:
            return _own(request, job, own)
        header = layout_of(rows)
        layout = ReportLayout.objects.filter(workspace=job.workspace_id, header=header).first()
        read = read_report(rows, layout.names if layout else None)
    except (Unreadable, NotUnderstood) as error:
        problem = str(error)
        return _page(request, job, 422, problem=problem[0].upper() + problem[1:] + ("" if problem.endswith(".") else "."), pasted=pasted[:20000])
    shown = [
        PreviewRow(
            i,
            row.name,
            row.text,
            row.analyte.key if row.analyte and row.text else "",
            chip(row.reading, job.standard) if row.reading else None,
            row.sure,
            row.problem,
        )
        for i, row in enumerate(read[:MOST_SHOWN])
    ]
    return _page(request, job, rows=shown, left_out=max(len(read) - MOST_SHOWN, 0), header=header, layout=layout)


def _own(request: HttpRequest, job: Job, samples: list[dict[str, Any]]) -> HttpResponse:
    """What a table of our own samples holds, or every fault in it."""
    facts, faults = _facts(samples)
    if faults:
        return _page(request, job, 422, problem=" ".join(f"{fault.path.removeprefix('$.')}: {fault.message}." for fault in faults[:8]))
    shown = [(sample, [chip(reading, job.standard) for reading in sample.readings.values()]) for sample in facts]
    return render(
        request, "samples/own.html", {"job": job, "steps": steps(job, "water"), "tab": "readings", "shown": shown, "text": json.dumps(samples)}
    )


def _facts(samples: Any) -> tuple[tuple[SampleFacts, ...], list[Fault]]:
    faults: list[Fault] = []
    return ListOf(Record(SampleFacts), most=500).read(samples, "$.samples", faults), faults


@require_POST
def own_keep(request: HttpRequest, pk: int) -> HttpResponse:
    """Store samples that came back from a table of our own."""
    job = job_for(request, pk, change=True)
    try:
        facts, faults = _facts(json.loads(request.POST.get("samples", "")))
    except (ValueError, RecursionError):
        facts, faults = (), [Fault("$", "the samples were not sent whole; choose the file again")]
    if faults:
        return _page(request, job, 422, problem=f"{faults[0].path}: {faults[0].message}.")
    services.keep_samples(job, facts, request.user)
    return redirect("water", pk)


@require_POST
def report_keep(request: HttpRequest, pk: int) -> HttpResponse:
    """Store the confirmed rows as a new sample. A row that cannot be read stops it all, and everything stays typed."""
    job = job_for(request, pk, change=True)
    form = SampleForm(request.POST, prefix="new")
    count = request.POST.get("count", "0")
    shown, good, aside, bad = [], {}, [], not form.is_valid()
    for i in range(min(whole(count) or 0, MOST_SHOWN)):
        name, text, key = (request.POST.get(f"{part}-{i}", "")[:200] for part in ("name", "text", "key"))
        sure, reading, problem = _read(name, text, key)
        if reading is not None and reading.analyte in good:
            reading, problem = None, f"{analytes()[key].name} is chosen twice: leave one aside."
        if reading is not None:
            good[reading.analyte] = reading
        elif not key:
            aside.append({"name": name, "text": text, "why": "left aside"})
        bad = bad or bool(problem)
        was = request.POST.get(f"was-{i}", "")[:200]
        shown.append(PreviewRow(i, name, text, key, chip(reading, job.standard) if reading else None, sure, problem, was))
    header, remember = request.POST.get("header", "")[:300], "remember" in request.POST
    if bad or not good:
        problem = "" if bad else "Nothing in it is taken as a reading; choose what at least one row is."
        return _page(request, job, 422, rows=shown, form=form, problem=problem, header=header, remember=remember)
    if remember:
        services.remember_layout(job, header, ((row.name, row.key, row.added) for row in shown))
    services.keep_report(job, form, good.values(), aside, request.user)
    return redirect("water", pk)


def _read(name: str, text: str, key: str) -> tuple[str, Reading | None, str]:
    """How sure a row is, its reading, and what stands against it."""
    if not key:
        return "aside", None, ""
    analyte = find_analyte(key)
    if analyte is None:
        return "aside", None, "Choose an analyte of the list, or leave the row aside."
    try:
        reading = parse_reading(analyte, text)
    except NotUnderstood as error:
        return "check", None, str(error)
    return ("check" if reading.note else "sure"), reading, ""


@require_GET
def samples_csv(request: HttpRequest, pk: int) -> HttpResponse:
    """Every reading of a job as open data; the columns are described in docs/formats."""
    job = job_for(request, pk)
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{slugify(job.name) or "job"}-samples.csv"'
    table = csv.writer(response)
    table.writerow(SAMPLE_COLUMNS)
    for number, sample in enumerate(Sample.objects.filter(job=job).prefetch_related("readings").order_by("taken_on", "pk"), 1):
        for reading in sample.readings.all():
            row = analytes()[reading.analyte]
            cells = (sample.taken_on or "", sample.point, sample.draw, sample.weather, sample.method, reading.analyte, row.name, reading.qualifier)
            table.writerow(
                [
                    number,
                    *(safe_cell(str(cell)) for cell in cells),
                    reading.low,
                    "" if reading.high is None else reading.high,
                    reading.unit,
                    safe_cell(reading.typed),
                ]
            )
    return response
