"""Photos and documents of a place."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.text import slugify
from django.views.decorators.http import require_http_methods, require_safe

from ..outcome import Refused
from ..pages.steps import steps
from ..records.customer import SiteFile
from ..records.job import Job
from ..request import number
from ..usecases import site_files
from ..usecases.access import job_for, membership, on_post
from ..usecases.roles import may
from ..usecases.site_files import LARGEST


@require_http_methods(["GET", "POST"])
def files(request: HttpRequest, pk: int) -> HttpResponse:
    """The photos and documents of a job; more are added, one is deleted."""
    job = job_for(request, pk, on_post(request, "run.write"))
    if request.method == "GET":
        return _page(request, job)
    if request.POST.get("act") == "delete":
        job_for(request, pk, "job.change")
        site_files.remove(job, number(request, "file") or 0)
        return redirect("site-files", pk)
    problems = []
    sent = request.FILES.getlist("file")
    for upload in sent:
        try:
            site_files.add(job, upload.name or "", upload.read(LARGEST + 1), request.user)
        except Refused as error:
            problems.append(f"{upload.name}: {error}")
    if not sent:
        problems.append("Choose a photo (JPEG, PNG, WebP) or a PDF.")
    return _page(request, job, problems) if problems else redirect("site-files", pk)


def _page(request: HttpRequest, job: Job, problems: list[str] | None = None) -> HttpResponse:
    role = membership(request).role
    context = {
        "job": job, "steps": steps(job, "site"), "files": site_files.files_of(job), "problems": problems or [],
        "changes": may(role, "job.change"), "adds": may(role, "run.write"),
    }  # fmt: skip
    return render(request, "customers/files.html", context, status=422 if problems else 200)


@require_safe
def file(request: HttpRequest, pk: int, file: int) -> HttpResponse:
    """One of them: a photo in the page, a document to keep."""
    found = get_object_or_404(SiteFile, job=job_for(request, pk), pk=file)
    if found.shown:
        return HttpResponse(bytes(found.content), content_type="image/jpeg")
    response = HttpResponse(bytes(found.content), content_type="application/pdf")
    stem = slugify(found.name.rpartition(".")[0] or found.name) or "document"
    response["Content-Disposition"] = f'attachment; filename="{stem}.pdf"'
    return response
