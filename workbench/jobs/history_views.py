"""What was changed in a job, by whom and when."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from ..pages.steps import steps
from ..usecases.access import ask, job_for, membership
from ..usecases.history import KINDS, OF_FIRM, changes_in, changes_of


@require_GET
def history(request: HttpRequest, pk: int) -> HttpResponse:
    """The newest changes, of all records or of one kind."""
    job = job_for(request, pk)
    what = request.GET.get("what", "") if request.GET.get("what") in KINDS else ""
    context = {"job": job, "steps": steps(job, ""), "changes": changes_of(job, what), "what": what, "kinds": KINDS}
    return render(request, "jobs/history.html", context)


@require_GET
def firm_history(request: HttpRequest) -> HttpResponse:
    """The newest changes of the firm, for those who see its prices."""
    member = membership(request)
    ask(member, "money.see")
    what = request.GET.get("what", "") if request.GET.get("what") in OF_FIRM else ""
    context = {"changes": changes_in(member.workspace, what), "what": what, "kinds": OF_FIRM}
    return render(request, "jobs/history.html", context)
