"""A laboratory report becomes a sample: read, shown as understood, and stored only when confirmed."""

from __future__ import annotations

import csv
import json
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import content_disposition_header
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_POST

from intake.apart import from_stored, report_apart
from intake.limits import LARGEST_PICTURE, Unreadable
from intake.scans import SHOWN
from treatment.evidence.own_table import SAMPLE_COLUMNS
from treatment.job.facts import SampleFacts
from treatment.language.analytes import analytes
from treatment.language.errors import Fault
from treatment.language.spec import ListOf, Record

from ..fields import sentence
from ..pages.steps import steps
from ..records.job import Job
from ..records.sample import ReportLayout, ReportPage, Sample
from ..request import whole
from ..safe_cells import safe_cell
from ..usecases.access import job_for
from . import preview, services
from .views import chip


def _page(request: HttpRequest, job: Job, status: int = 200, **more: Any) -> HttpResponse:
    context = {"job": job, "steps": steps(job, "water"), "analytes": analytes().values()}
    return render(request, "samples/report.html", context | more, status=status)


@require_POST
def report_preview(request: HttpRequest, pk: int) -> HttpResponse:
    """Read a file or pasted rows and keep them as they came; what they are read as stands at an address of its own, to go back to."""
    job = job_for(request, pk, act="job.change")
    upload, pasted = request.FILES.get("file"), request.POST.get("rows", "")
    try:
        content = upload.read(LARGEST_PICTURE + 1) if upload is not None else pasted.encode("utf-8", "replace")
        read = report_apart(content)
        layout = ReportLayout.objects.filter(workspace=job.workspace_id, header=read.report.layout).first() if read.own is None else None
        read = report_apart(content, layout.names) if layout and not read.pages else read
    except Unreadable as error:
        return _page(request, job, 422, problem=sentence(str(error)), pasted=pasted[:20000])
    if read.own is None and read.report.why:
        return _page(request, job, 422, problem=sentence(read.report.why), pasted=pasted[:20000])
    if read.own is not None and (faults := _facts(read.own)[1]):
        return _page(request, job, 422, problem=" ".join(f"{fault.path.removeprefix('$.')}: {fault.message}." for fault in faults[:8]))
    stored = services.store_report(job, (upload.name or "") if upload is not None else "", content, read, request.user).made
    return redirect("report-read", pk, stored.pk)


@require_GET
def report_read(request: HttpRequest, pk: int, report: int) -> HttpResponse:
    """What a report that was sent is read as, row by row, its picture beside it; no sample is made of it yet."""
    job = job_for(request, pk)
    stored = get_object_or_404(job.reports.defer("content"), pk=report)
    read = from_stored(stored.read)
    if read.own is not None:
        return _own(request, job, read.own)
    samples, left_out = preview.of_report(read.report, job, read.boxes)
    layout = ReportLayout.objects.filter(workspace=job.workspace_id, header=read.report.layout).first() if read.report.layout else None
    return _page(request, job, **_shown(samples), left_out=left_out, header=read.report.layout, layout=layout, stored=stored)


@require_GET
def report_original(request: HttpRequest, pk: int, report: int) -> HttpResponse:
    """A report as it was sent: shown where it is a page or a picture, else to be saved."""
    job = job_for(request, pk)
    stored = get_object_or_404(job.reports, pk=report)
    response = HttpResponse(bytes(stored.content), content_type=stored.kind)
    shown = stored.kind == "application/pdf" or stored.kind.startswith("image/")
    response["Content-Disposition"] = str(content_disposition_header(not shown, stored.name or "report.txt"))
    return response


@require_GET
def report_page(request: HttpRequest, pk: int, report: int, number: int) -> HttpResponse:
    """A page of a picture, straightened."""
    job = job_for(request, pk)
    page = get_object_or_404(ReportPage, report=report, report__job=job, number=number)
    response = HttpResponse(bytes(page.image), content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=86400"
    return response


def _shown(samples: list[preview.PreviewSample]) -> dict[str, Any]:
    rows = [row for sample in samples for row in sample.rows]
    told = {kind: sum(row.sure == kind for row in rows) for kind in ("sure", "check", "ask", "aside")}
    return {
        "samples": samples,
        "count": len(rows),
        "told": told,
        "several": len(samples) > 1,
        "pictured": any(row.box for row in rows),
        "page_width": SHOWN,
    }


@require_POST
def report_row(request: HttpRequest, pk: int) -> HttpResponse:
    """What one row would be taken as, after a choice; nothing is stored."""
    job = job_for(request, pk)
    number = whole(request.POST.get("row", "")) or 0
    row = preview.posted_row(request.POST.dict(), number, job)
    return render(request, "samples/_report_understood.html", {"row": row, "job": job})


def _own(request: HttpRequest, job: Job, samples: list[dict[str, Any]]) -> HttpResponse:
    """What a table of our own samples holds."""
    facts, _ = _facts(samples)
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
    job = job_for(request, pk, act="job.change")
    try:
        facts, faults = _facts(json.loads(request.POST.get("samples", "")))
    except (ValueError, RecursionError):
        facts, faults = (), [Fault("$", "the samples were not sent completely; choose the file again")]
    if faults:
        return _page(request, job, 422, problem=f"{faults[0].path}: {faults[0].message}.")
    services.keep_samples(job, facts, request.user)
    return redirect("water", pk)


@require_POST
def report_keep(request: HttpRequest, pk: int) -> HttpResponse:
    """Store what is understood, sample by sample. What is open or aside is kept with its reason and blocks nothing;

    what a person wrote and cannot be read, or chose twice, is told beside it, and everything stays typed.
    """
    job = job_for(request, pk, act="job.change")
    samples = preview.posted(request.POST.dict(), job)
    header, remember = request.POST.get("header", "")[:300], "remember" in request.POST
    stored = job.reports.defer("content").filter(pk=whole(request.POST.get("stored", "")) or 0).first()
    boxes = from_stored(stored.read).boxes if stored else {}
    for row in (row for sample in samples for row in sample.rows):
        row.box = boxes.get(row.at)
    taken = [sample for sample in samples if sample.take]
    bad = sum(not _sound(sample) for sample in taken)
    if bad or not any(_holds(sample) for sample in taken):
        problem = "" if bad else "No row is read as a reading. Choose the analyte of at least one row."
        return _page(request, job, 422, **_shown(samples), problem=problem, header=header, remember=remember, stored=stored)
    if remember:
        services.remember_layout(job, header, ((row.name, row.key, row.added) for sample in taken for row in sample.rows))
    for sample in taken:
        readings = {row.reading.analyte: row.reading for row in sample.rows if row.reading}
        aside = [
            {"name": row.name, "text": row.printed or row.text, "why": row.problem or "not used", "limit": row.limit}
            for row in sample.rows
            if not row.reading
        ]
        if _holds(sample):
            services.keep_report(job, sample.form, readings.values(), aside, request.user, stored)
    return redirect("water", pk)


def _holds(sample: preview.PreviewSample) -> bool:
    """Whether a sample has something to keep: a reading, or a row that must be told though it is none."""
    return any(row.reading or row.told for row in sample.rows)


def _sound(sample: preview.PreviewSample) -> bool:
    """Whether a sample can be kept: its facts are right, no analyte stands in it twice, and what a person wrote can be read."""
    sound, seen = sample.form.is_valid(), dict[str, preview.PreviewRow]()
    for row in sample.rows:
        if row.key and row.reading is None and row.touched:
            sound = False
        if row.reading is None:
            continue
        if (first := seen.get(row.reading.analyte)) is not None:
            row.problem, row.sure, sound = (
                f"{analytes()[row.key].name} is chosen twice, here and at “{first.name}”: set one to “not used”.",
                "ask",
                False,
            )
        seen[row.reading.analyte] = row
    return sound


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
