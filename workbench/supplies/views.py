"""What the supply can do, beside the survey's own fields: what-if, pump and tank, and measuring on the phone."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from ..outcome import Late, Refused
from ..pages.answers import answered, saved
from ..pages.steps import steps
from ..pages.survey_step import survey_step
from ..records.job import Job
from ..repository.door import design_of
from ..request import Request, number, status_of
from ..usecases.access import job_for, on_post
from ..usecases.trains import shown_stages
from . import gauge, services
from .context import supply_context, what_if_of
from .forms import PumpForm, SupplyForm


@require_http_methods(["GET", "POST"])
def supply(request: Request, pk: int) -> HttpResponse:
    """The supply step: the survey's fields, and what follows from them."""
    return survey_step(request, pk, "supply", SupplyForm, supply_context)


@require_GET
def what_if_page(request: Request, pk: int) -> HttpResponse:
    """Pressure left at another flow, pipe or state of the cartridges."""
    job = job_for(request, pk)
    design = design_of(job, shown_stages(job))
    context = {"job": job, "design": design} | what_if_of(design, request.GET)
    return render(request, "supplies/_what_if.html", context) if request.htmx else redirect("supply", pk)


@require_POST
def pump(request: Request, pk: int) -> HttpResponse:
    """Keep what is known of pump and tank."""
    job = job_for(request, pk, act="job.change")
    job, told, status = saved(request, job, PumpForm)
    if status == 302 and not request.htmx:
        return redirect("supply", pk)
    design = design_of(job, shown_stages(job))
    context = {"job": job, "design": design, "steps": steps(job, "supply")} | supply_context(job, design) | told
    if request.htmx:
        return answered(request, "supplies/_pump_answer.html", context, status)
    page = context | {"form": SupplyForm(job=job), "pump_form": told["form"], "stale_pump": told.get("stale"), "stale": None, "saved": False}
    return render(request, "jobs/supply.html", page, status=status)


@require_http_methods(["GET", "POST"])
def measure(request: Request, pk: int) -> HttpResponse:
    """Bucket and drawdown tests by taps."""
    job = job_for(request, pk, act=on_post(request, "job.change"))
    problem, at, typed, status = "", 0, "", 200
    if request.method == "POST":
        try:
            at = number(request, "run") or 0
            typed = request.POST.get("volume", "")
            done = _act(request, job, at)
            if done or not request.htmx:
                return redirect(done or "measure", pk)
            typed = ""
        except Late:
            problem, status = "Someone changed this job since you opened it. Check it, then use the mean again.", 409
        except Refused as error:
            problem, status = str(error), status_of(error)
    job = job_for(request, pk)
    now = timezone.now()
    rows = services.rows_of(job, now)
    spread = services.averaged(rows)
    context = {
        "job": job, "steps": steps(job, "supply"), "rows": rows, "finished": [row for row in rows if not row.tap], "going": next((row for row in rows if row.tap), None),
        "spread": spread,
        "problem": problem, "at": at, "typed": typed, "taps": services.TAPS, "span": gauge.span_of(job), "periods": gauge.PERIODS, "gauge_readings": job.pressure_readings.all(),
        "gauge_problem": problem if request.POST.get("action") == "gauge" else "", "pressure_typed": request.POST.get("pressure", "") if problem else "",
        "period": request.POST.get("period", "now"),
    }  # fmt: skip
    return render(request, "supplies/_measure.html" if request.htmx else "supplies/measure.html", context, status=status)


def _act(request: Request, job: Job, run: int) -> str:
    """Do what was tapped; the name of the page to go to when that is another."""
    action, now = request.POST.get("action", ""), timezone.now()
    if action in services.TAPS:
        services.tap(job, action, None, 0, now)
    elif action == "tap":
        services.tap(job, "bucket", run, number(request, "count") or 0, now)
    elif action == "volume":
        services.measure(job, run, request.POST.get("volume", ""))
    elif action == "drop":
        services.drop_run(job, run)
    elif action == "gauge":
        gauge.note(job, request.POST.get("pressure", ""), request.POST.get("period", ""), now)
    elif action == "drop_gauge":
        gauge.drop(job, number(request, "reading") or 0)
    elif action == "use_gauge":
        span = gauge.span_of(job)
        if span is None:
            raise Refused("No gauge reading has been saved yet.")
        gauge.use(job, span, number(request, "version") or 0, request.user)
        return "supply"
    elif action == "use":
        spread = services.averaged(services.rows_of(job, now))
        if spread is None:
            raise Refused("There is no finished run yet.")
        services.use(job, spread, number(request, "version") or 0, request.user)
        return "supply"
    else:
        raise Refused("This is not a step of the test.")
    return ""
