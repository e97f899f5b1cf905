"""A step whose page is a form of the survey: shown, and saved by itself."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpResponse
from django.shortcuts import redirect, render

from treatment.design import Design

from ..records.job import Job
from ..repository.door import design_of
from ..request import Request
from ..usecases.access import job_for, membership, on_post
from ..usecases.defaults import remember
from ..usecases.trains import shown_stages
from .answers import answered, saved
from .document_form import DocumentForm
from .steps import steps


def survey_step(
    request: Request, pk: int, key: str, form_class: type[DocumentForm], more: Callable[[Job, Design], dict[str, Any]] = lambda job, design: {}
) -> HttpResponse:
    """Show and save a step. A stale save is refused and shows both states, with what was typed kept; a bad field never keeps the others.

    more: what the page shows beside its form.
    """
    job = job_for(request, pk, act=on_post(request, "job.change"))
    context: dict[str, Any] = {"job": job, "saved": False, "form": form_class(job=job)}
    status = 200
    if request.method == "POST":
        before = job.standard
        job, told, status = saved(request, job, form_class)
        context |= {"job": job} | told
        if job.standard != before:
            remember(membership(request), standard=job.standard)
        if status == 302 and not request.htmx:
            return redirect(key, pk)
    design = design_of(job, shown_stages(job))
    context |= {"steps": steps(job, key), "design": design} | more(job, design)
    if request.htmx and request.method == "POST":
        return answered(request, f"jobs/_{key}_answer.html", context, status)
    return render(request, f"jobs/{key}.html", context, status=status)
