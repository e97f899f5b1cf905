"""The field of choices of a job: its picture, its table, a point that is open, and a point that becomes an option."""

from __future__ import annotations

import json
import time
from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from treatment.choices.field import AXES, Choosing, Field, Point
from treatment.choices.picture import axis_title, of, plot, shown, title_of
from treatment.choices.told import told
from treatment.choices.trains import as_typed, most_tried
from treatment.design import Design
from treatment.language.display import show
from treatment.language.memory import uncollected
from treatment.studies.compare import outlines

from ..outcome import Refused
from ..pages.attached import attached_json
from ..pages.steps import steps
from ..records.job import Job
from ..repository.door import design_of
from ..repository.remembered import of_firm
from ..request import Request, status_of
from ..usecases import trains as services
from ..usecases.access import job_for

#: seconds that one request works at a field: no one else of the process waits longer
SLICE = 0.35
GONE = "This train is no longer among the choices; the job has changed. The current ones are below."


def _axes(request: HttpRequest) -> tuple[str, str]:
    """The two axes of the address; what is none is the first cost and the cost over the years."""
    across, up = (request.GET.get(name, "") for name in ("across", "up"))
    return across if across in AXES else "first", up if up in AXES else "total"


def _design(job: Job) -> Design:
    return design_of(job, services.shown_stages(job))


def _typed(point: Point) -> str:
    """A point's train as a form carries it."""
    return json.dumps(as_typed(point.train), sort_keys=True)


def _page(request: HttpRequest, job: Job, status: int = 200, **more: Any) -> HttpResponse:
    design, known = _design(job), of_firm(job.workspace_id)
    across, up = _axes(request)
    context: dict[str, Any] = {"job": job, "steps": steps(job, "train"), "across": across, "up": up, "most": most_tried()} | more
    if not design.chosen.run.stages or not design.samples_given:
        return render(request, "trains/choices.html", context | {"lacks": "a train" if design.samples_given else "a water test"}, status=status)
    asked = {"across": across, "up": up} | ({"point": request.GET["point"]} if request.GET.get("point") else {})
    choosing = known.choosing(design)
    _work(choosing, SLICE if request.GET.get("run") == "on" else None if request.GET.get("run") or status != 200 else 0.0)
    if choosing.left:
        later = {way: "?" + urlencode(asked | {"run": way}) for way in ("on", "all")}
        return render(request, "trains/choices.html", context | {"later": later, "tried": choosing.tried, "priced": len(choosing.points)})
    return render(request, "trains/choices.html", context | _shown(request, job, design, choosing.field), status=status)


def _work(choosing: Choosing, seconds: float | None) -> None:
    """Work a field out for so long, so that nobody else waits; to its end where no time is given."""
    until = None if seconds is None else time.monotonic() + seconds
    with uncollected():
        while choosing.left and (until is None or time.monotonic() < until):
            choosing.step()


def _whole(job: Job) -> Field:
    """The field of a job, to its end."""
    choosing = of_firm(job.workspace_id).choosing(_design(job))
    _work(choosing, None)
    return choosing.field


def _shown(request: HttpRequest, job: Job, design: Design, field: Field) -> dict[str, Any]:
    """Picture, table and the open point of a field."""
    known, (across, up) = of_firm(job.workspace_id), _axes(request)
    options = list(job.options.prefetch_related("revisions").order_by("letter"))
    named = [
        (f"option {option.letter}", known.priced(design_of(job, services.revision_of(option).stages).chosen)) for option in options
    ] or [("", known.priced(design.proposal))]  # fmt: skip
    money = named[0][1].costs
    base = next(point for point in field.points if point.id == field.proposal)
    chosen = next((point for point in field.points if point.id == request.GET.get("point")), None)
    rows = sorted(field.points, key=lambda point: (of(point.choice, across), of(point.choice, up), int(point.id)))
    return {
        "plot": plot(field, across, up, job.units, [(label, each.choice) for label, each in named if label], chosen.id if chosen else "", money.years),
        "axes": [(name, axis_title(name, job.units, money.currency_named, money.years)) for name in AXES],
        "rows": [(point, _told(point, base, job.units), [shown(point.choice, name, job.units) for name in AXES], point.id in field.unbeaten) for point in rows],
        "open": chosen and _open(job, chosen, base, field, money.years), "unbeaten": len(field.unbeaten), "left_out": field.left_out, "full": len(options) >= len(services.LETTERS),
        "sample_prices": money.sample_prices,
    }  # fmt: skip


def _told(point: Point, base: Point, system: str) -> str:
    return told(point, base, system) or ("The proposal" if point is base else "The train of this job")


def _open(job: Job, point: Point, base: Point, field: Field, years: int) -> dict[str, Any]:
    """The point that is open: its train drawn, what sets it apart, what it is on every axis and what was found in it."""
    variant = design_of(job, as_typed(point.train)).chosen
    return {
        "point": point, "words": _told(point, base, job.units), "train": outlines(variant), "typed": _typed(point), "unbeaten": point.id in field.unbeaten,
        "figures": [(name, title_of(name, years), shown(point.choice, name, job.units)) for name in AXES],
        "residual": show(point.residual, "kPa", job.units), "findings": [each for each in variant.findings if not each.waived and each.severity != "advice"],
    }  # fmt: skip


@require_GET
def choices(request: HttpRequest, pk: int) -> HttpResponse:
    """Many trains of a job by what they cost and take; worked out while a line says so."""
    return _page(request, job_for(request, pk, "money.see"))


@require_GET
def choices_file(request: HttpRequest, pk: int) -> HttpResponse:
    """The field as ``cairn-choices/1``."""
    job = job_for(request, pk, "money.see")
    return attached_json(_whole(job).as_json(), job, "choices.json")


@require_POST
def choice_take(request: Request, pk: int) -> HttpResponse:
    """A point becomes an option of the job, by the train that was seen."""
    job = job_for(request, pk, act="job.change")
    services.option_of(job)  # the job's own train is option A, whatever is added
    field = _whole(job)
    point = next((point for point in field.points if _typed(point) == request.POST.get("train", "")), None)
    if point is None:
        return _page(request, job, 409, problem=GONE)
    base = next(each for each in field.points if each.id == field.proposal)
    try:
        opened = services.open_option(job, as_typed(point.train), _told(point, base, job.units), request.user)
    except Refused as refused:
        return _page(request, job, status_of(refused), problem=str(refused))
    return redirect(f"{reverse('train', args=[pk])}?option={opened.made.letter}")
