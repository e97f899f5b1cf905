"""Jobs list, site and supply steps, import and export. Views only translate between HTTP and services."""

from __future__ import annotations

import io
import json
import zipfile
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.db import DatabaseError
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from treatment.job_file import loads
from treatment.language.errors import BadDocument

from ..outcome import Refused, Unread
from ..pages.attached import attached
from ..pages.steps import steps
from ..pages.survey_step import survey_step
from ..records.firm import Membership
from ..records.job import STATES, Job
from ..repository import results
from ..repository.door import job_document
from ..repository.due import due_counts
from ..request import Request
from ..usecases.access import ask, job_for, membership, without_money
from ..usecases.books import refreshed, stale_logs
from ..usecases.defaults import remember, start_of
from ..usecases.jobs import archive, begin, put_back, put_in_bin, show_in, take_in
from ..usecases.many import ASKED, change, drop_view, keep_view
from ..usecases.roles import may
from ..usecases.trains import open_option, shown_stages
from ..usecases.vials import vials
from .forms import NewJobForm, SiteForm
from .listing import AT_ONCE, SHELVES, SORTS, figures_of, listed

LARGEST_IMPORT = 4_000_000  # bytes
#: seconds of one slice of figures that are worked out while the list is looked at
SLICE = 0.35
#: logs whose summary is out of date that are worked anew for one look at the list
ANEW = 2


@require_GET
def health(request: Request) -> HttpResponse:
    """For whoever watches the server: it answers and reaches its database, or 503 and what is down."""
    try:
        Job.objects.exists()
    except DatabaseError:
        return HttpResponse("the database does not answer", content_type="text/plain", status=503)
    return HttpResponse("ok", content_type="text/plain")


@require_GET
def job_list(request: Request) -> HttpResponse:
    member = membership(request)
    return _list(request, member, NewJobForm())


@require_POST
def jobs_at_once(request: Request) -> HttpResponse:
    """The state or the technician of many jobs, or the archive."""
    member = membership(request)
    ask(member, "job.change")
    act = request.POST.get("act", "")
    try:
        chosen = [int(each) for each in request.POST.getlist("job") if each.isdecimal() and len(each) < 10]
        messages.success(request, change(member.workspace, chosen, act, request.POST.get(act, "")).words)
    except Refused as error:
        messages.error(request, str(error))
    return _back(request, "was_")


@require_POST
def jobs_views(request: Request) -> HttpResponse:
    """Lists that a person keeps under a name."""
    member, name = membership(request), request.POST.get("name", "")
    try:
        if request.POST.get("act") == "drop":
            drop_view(member, name)
        else:
            keep_view(member, name, request.POST.dict())
    except Refused as error:
        messages.error(request, str(error))
    return _back(request, "")


def _back(request: Request, before: str) -> HttpResponse:
    """To the list as it was asked for."""
    asked = urlencode({name: request.POST[before + name] for name in ASKED if request.POST.get(before + name)})
    return redirect(reverse("jobs") + (f"?{asked}" if asked else ""))


def _list(request: Request, member: Membership, form: NewJobForm, status: int = 200) -> HttpResponse:
    workspace = member.workspace
    asked = (request.GET.get("search") or request.GET.get("q", "")).replace("\x00", "").strip()[:120]
    state = request.GET.get("state", "") if request.GET.get("state") in STATES else ""
    shelf, sort = (each if each in known else usual for each, known, usual in (
        (request.GET.get("show", ""), SHELVES, "active"), (request.GET.get("sort", ""), SORTS, "changed"),
    ))  # fmt: skip
    page = listed(workspace, asked, request.GET.get("page", "1"), shelf, sort, state)
    waiting = vials(list(page), timezone.now())
    anew = "anew" in request.GET and request.headers.get("HX-Request") == "true"
    if anew:
        refreshed(workspace, ANEW)
    shown, late = figures_of(list(page), SLICE if anew else AT_ONCE)
    rows = [{"job": job, "figures": shown[job.pk], "vials": waiting.get(job.pk, [])} for job in page]
    context = {
        "rows": rows, "page": page, "asked": asked, "workspace": workspace, "form": form, "shelf": shelf, "sort": sort, "shelves": SHELVES.items(),
        "state": state, "states": STATES, "sorts": [(key, words) for key, (words, _) in SORTS.items()],
        "late": late or (not anew and stale_logs(workspace)), "today": timezone.localdate(),
    }  # fmt: skip
    if anew:
        return render(request, "jobs/_table.html", context)
    changes = may(member.role, "job.change")
    people = list(workspace.memberships.values_list("user__username", flat=True).order_by("user__username")) if changes else []
    more = {"keeping": due_counts(workspace), "views": member.views, "changes": changes, "people": people}
    return render(request, "jobs/list.html", context | more, status=status)


@require_POST
def job_new(request: Request) -> HttpResponse:
    """A job begun: from its water, from a report, or from an installation that stands there already, which is put together by hand."""
    member = membership(request)
    ask(member, "job.change")
    form = NewJobForm(request.POST)
    if not form.is_valid():
        return _list(request, member, form, 422)
    start = start_of(member, request.headers.get("Accept-Language", ""))
    name = form.cleaned_data["name"]
    job = begin(member.workspace, name, start.standard, start.units, request.user).made
    begun = form.cleaned_data["start"]
    if begun == "existing":
        open_option(job, [], "an existing installation", request.user)
        return redirect("train", job.pk)
    return redirect(reverse("water", args=[job.pk]) + ("#from-report" if begun == "report" else ""))


@require_POST
def job_duplicate(request: Request, pk: int) -> HttpResponse:
    """The job once more, with its water, supply, train and values; its log and its run sheet stay with the first."""
    job = job_for(request, pk, act="job.change")
    document = job_document(job, shown_stages(job))
    document["job"]["name"] = f"{job.name} (copy)"[:120]
    if job.catalogue is not None:
        del document["catalogue"]  # the copy follows it, too
    try:
        copy = take_in(document, job.workspace, request.user, job.catalogue).made
    except Unread as error:
        messages.error(request, f"This job cannot be duplicated: {error.faults[0].message}.")
        return redirect("site", pk)
    messages.success(request, f"This is a copy of {job.name}. The logbook and the commissioning checklist were not copied.")
    return redirect("site", copy.pk)


@require_POST
def job_archive(request: Request, pk: int) -> HttpResponse:
    """Into the archive, or back into the list."""
    job = job_for(request, pk, act="job.change")
    messages.success(request, archive(job, request.POST.get("back") != "1").words)
    return redirect("jobs")


@require_POST
def job_put_back(request: Request, pk: int) -> HttpResponse:
    """Out of the bin."""
    member = membership(request)
    ask(member, "job.change")
    messages.success(request, put_back(member.workspace, pk).words)
    return redirect("jobs")


@require_http_methods(["GET", "POST"])
def job_import(request: Request) -> HttpResponse:
    """A job file becomes a job; a bad one is refused with every fault, and nothing is stored."""
    member = membership(request)
    ask(member, "job.change")
    if request.method == "GET":
        return render(request, "jobs/import.html")
    upload = request.FILES.get("file")
    text, problem = "", ""
    if upload is not None:
        if (upload.size or 0) > LARGEST_IMPORT:
            problem = f"The file is larger than {LARGEST_IMPORT // 1_000_000} MB; a job file is a few kilobytes."
        else:
            try:
                text = upload.read().decode("utf-8-sig")
            except UnicodeDecodeError:
                problem = "The file is not UTF-8 text; a job file is JSON."
    else:
        text = request.POST.get("text", "")
        problem = "" if text.strip() else "Choose a job file, or paste its text."
    faults: list[Any] = []
    if not problem:
        try:
            loads(text)
            job = take_in(json.loads(text), member.workspace, request.user).made
            return redirect("train", job.pk)
        except (BadDocument, Unread) as error:
            faults = list(error.faults)
    return render(request, "jobs/import.html", {"faults": faults[:60], "problem": problem, "text": text[:20000]}, status=422)


@require_GET
def job_open(request: Request, pk: int) -> HttpResponse:
    job = job_for(request, pk)
    ready = [step.key for step in steps(job, "") if step.ready]
    return redirect("train" if "train" in ready else "water", pk)


@require_http_methods(["GET", "POST"])
def site(request: Request, pk: int) -> HttpResponse:
    return survey_step(request, pk, "site", SiteForm)


@require_POST
def units(request: Request, pk: int) -> HttpResponse:
    """Switch the units this job is shown in."""
    job = job_for(request, pk, act="job.change")
    wanted = request.POST.get("units")
    if wanted in ("us", "metric"):
        show_in(job, wanted, request.user)
        remember(membership(request), units=wanted)
    back = request.POST.get("back", "train")
    if back.startswith(f"/jobs/{pk}/"):
        return redirect(back)
    return redirect(back if back in ("site", "water", "water-says", "water-history", "supply", "train", "wall") else "train", pk)


@require_POST
def job_delete(request: Request, pk: int) -> HttpResponse:
    """Into the bin; from there it can be put back for thirty days."""
    job = job_for(request, pk, act="job.change")
    try:
        messages.success(request, put_in_bin(job).words)
    except Refused as error:
        messages.error(request, str(error))
        return redirect("site", pk)
    return redirect("jobs")


@require_GET
def job_export(request: Request, pk: int) -> HttpResponse:
    job = job_for(request, pk)
    document = _seen(job, job_document(job, shown_stages(job)))
    response = JsonResponse(document, json_dumps_params={"indent": 1, "ensure_ascii": False})
    response["Content-Disposition"] = f'attachment; filename="{_slug(job.name)}.job.json"'
    return response


@require_GET
def job_with_reports(request: Request, pk: int) -> HttpResponse:
    """The job file and every report that its samples were made of, as one archive."""
    job = job_for(request, pk)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("job.json", json.dumps(_seen(job, job_document(job, shown_stages(job))), ensure_ascii=False, indent=1))
        for stored in job.reports.exclude(samples=None).distinct().order_by("pk"):
            stem, _, ending = (stored.name or "pasted rows.txt").rpartition(".")
            archive.writestr(f"reports/{stored.pk}-{slugify(stem) or 'report'}.{slugify(ending) or 'txt'}", bytes(stored.content))
    return attached(out.getvalue(), "application/zip", job, "with-reports.zip")


@require_GET
def design_export(request: Request, pk: int) -> HttpResponse:
    job = job_for(request, pk)
    document = _seen(job, results.document_of(job, shown_stages(job)))
    response = JsonResponse(document, json_dumps_params={"indent": 1, "ensure_ascii": False})
    response["Content-Disposition"] = f'attachment; filename="{_slug(job.name)}.design.json"'
    return response


def _seen(job: Job, document: dict[str, Any]) -> dict[str, Any]:
    """A document as it is seen by whoever looks: without money where their role does not show it."""
    return document if job.sees_money else without_money(document)


def _slug(name: str) -> str:
    from django.utils.text import slugify

    return slugify(name) or "job"
