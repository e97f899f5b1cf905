"""What a form that saves by itself is answered: what was saved and what not, beside each field, and the version the page now stands on."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from django.http import HttpResponse
from django.shortcuts import render

from ..records.job import Job
from ..request import Request
from .document_form import DocumentForm, kept

Forms = Callable[..., DocumentForm]


def saved(request: Request, job: Job, form_class: Forms) -> tuple[Job, dict[str, Any], int]:
    """Save what was posted, field by field: the job as it stands then, what the page is told, and the status (302 where all of it was saved)."""
    came = kept(form_class, request.POST, job, request.user)
    job = came.newer or job
    context: dict[str, Any] = {"saved": came.status == 302, "form": form_class(job=job) if came.status == 302 else came.form}
    if came.newer:
        context |= {"based": came.both or {}, "stale": came.newer, "differences": _differences(came.form, form_class(job=came.newer), came.both)}
    return job, context, came.status


def answered(request: Request, template: str, context: dict[str, Any], status: int) -> HttpResponse:
    """The answer to a form that saved by itself; the page's other forms learn the new version, and a field what stands in it now."""
    response = render(request, template, context, status=200 if status == 302 else status)
    form: DocumentForm = context["form"]
    fresh = type(form)(job=context["job"])
    told = {
        fresh[name].auto_id: [typed, str(fresh[name].value())]
        for name in form.FIELDS
        if name not in form.errors
        and name in request.POST
        and isinstance(fresh[name].value(), str)
        and (typed := str(request.POST.get(name, ""))) != str(fresh[name].value())
    }
    response["HX-Trigger"] = json.dumps({"job-version": context["job"].version, "stands": told, "based": context.get("based", {})})
    return response


def _differences(mine: DocumentForm, theirs: DocumentForm, both: dict[str, list[str]] | None) -> list[dict[str, Any]]:
    """Fields in which what was typed differs from what is stored now; both: those that both changed, where that is known."""
    found = []
    for name in mine.fields:
        if name == "version" or (both is not None and name not in both):
            continue
        ours, stored = mine[name].value(), theirs[name].value()
        if str(ours or "") != str(stored or ""):
            found.append({"label": mine.fields[name].label, "mine": ours, "theirs": stored})
    return found
