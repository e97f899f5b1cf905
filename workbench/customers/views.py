"""Who a job is for and where; the customers of a firm."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from treatment.language.messages import LANGUAGES

from ..outcome import Late, Refused
from ..pages.steps import steps
from ..records.customer import Customer
from ..records.job import Job
from ..request import status_of, version_of
from ..usecases import customers
from ..usecases.access import ask, job_for, membership, on_post
from ..usecases.customers import FIELDS, LONG
from ..usecases.roles import may


@require_http_methods(["GET", "POST"])
def of_job(request: HttpRequest, pk: int) -> HttpResponse:
    """The customer and the place of a job."""
    job = job_for(request, pk, on_post(request, "job.change"))
    if request.method == "GET":
        return _of_job(request, job)
    try:
        customers.keep(job, request.POST.dict(), version_of(request), request.user)
    except Late as late:
        return _of_job(
            request,
            late.stands,
            409,
            typed=request.POST,
            problem="Someone else changed this job since you opened it. Save again to keep what you typed.",
        )
    except Refused as error:
        return _of_job(request, job, status_of(error), typed=request.POST, faults=error.fields)
    messages.success(request, "Saved.")
    return redirect("site", pk)


def _of_job(request: HttpRequest, job: Job, status: int = 200, **more: Any) -> HttpResponse:
    typed, faults = more.pop("typed", None) or customers.told_of(job), more.pop("faults", {})
    rows = [(name, words, typed.get(name, ""), faults.get(name, ""), name in LONG, record) for name, (record, _, words) in FIELDS.items()]
    known = Customer.objects.filter(workspace=job.workspace_id).order_by("name").values_list("name", flat=True)[:200]
    context = {
        "job": job, "steps": steps(job, "site"), "rows": rows, "known": known, "languages": LANGUAGES.items(), "language": typed.get("language", job.language),
        "language_problem": faults.get("language", ""),
    }  # fmt: skip
    return render(request, "customers/job.html", context | more, status=status)


@require_GET
def shelf(request: HttpRequest) -> HttpResponse:
    """The customers of the firm, found by name, phone or mail."""
    member = membership(request)
    asked = request.GET.get("search", "").replace("\x00", "").strip()[:120]
    page = Paginator(customers.found(member.workspace, asked), 50).get_page(request.GET.get("page", "1"))
    return render(request, "customers/shelf.html", {"page": page, "asked": asked, "manages": may(member.role, "firm.manage")})


def _customer(request: HttpRequest, pk: int) -> Customer:
    member = membership(request)
    ask(member, "firm.manage")
    return get_object_or_404(Customer, workspace=member.workspace, pk=pk)


@require_GET
def file(request: HttpRequest, pk: int) -> HttpResponse:
    """All that is kept of a person."""
    response = JsonResponse(customers.taken_out(_customer(request, pk)), json_dumps_params={"indent": 1, "ensure_ascii": False})
    response["Content-Disposition"] = f'attachment; filename="customer-{pk}.json"'
    return response


@require_POST
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Forget a person."""
    customer = _customer(request, pk)
    messages.success(request, customers.remove(customer).words)
    return redirect("customers")
