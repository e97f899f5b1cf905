"""What the water says, its samples over time, and on which of them the design stands."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from treatment.drawing.gauge import HEIGHT as GAUGE_HEIGHT
from treatment.drawing.gauge import WIDTH as GAUGE_WIDTH
from treatment.drawing.gauge import gauge
from treatment.drawing.history import HEIGHT, WIDTH, histories
from treatment.drawing.ions import HEIGHT as IONS_HEIGHT
from treatment.drawing.ions import WIDTH as IONS_WIDTH
from treatment.drawing.ions import ion_balance
from treatment.evidence.untreated import untreated
from treatment.evidence.verdict import unmarked, verdicts
from treatment.language.analytes import analytes
from treatment.language.tables import table

from ..outcome import Late
from ..pages.steps import steps
from ..records.job import Job
from ..repository.door import design_of
from ..request import version_of
from ..usecases.access import job_for
from ..usecases.jobs import set_entry
from ..usecases.trains import shown_stages
from .basis import BasisForm, ValueForm


@require_GET
def says(request: HttpRequest, pk: int) -> HttpResponse:
    """Each reading against its mark, health first, in a homeowner's words beside the engineer's figures."""
    job = job_for(request, pk)
    design = design_of(job, shown_stages(job))
    groups = [
        (
            group,
            [(verdict, gauge(verdict)) for verdict in found if verdict.state != "within"],
            [verdict for verdict in found if verdict.state == "within"],
        )
        for group, found in verdicts(design.evidence, job.standard, design.facts.as_of).items()
    ]
    context = {
        "job": job, "steps": steps(job, "water"), "tab": "says", "design": design, "groups": groups, "unmarked": unmarked(design.evidence, job.standard),
        "width": GAUGE_WIDTH, "height": GAUGE_HEIGHT, "ions": ion_balance(design.evidence), "ions_size": (IONS_WIDTH, IONS_HEIGHT),
        "standard": table("limits")[job.standard], "unused": list(untreated(design.facts)),
    }  # fmt: skip
    return render(request, "samples/says.html", context)


def _over_time(request: HttpRequest, job: Job, status: int = 200, bad: BasisForm | None = None, **more: Any) -> HttpResponse:
    design = design_of(job, shown_stages(job))
    facts = design.job.facts
    charts = []
    for history in histories(facts, design.evidence):
        name = history.analyte.key
        form = None
        if not history.analyte.is_microbe:
            form = bad if bad is not None and bad.data.get("analyte") == name else BasisForm(basis=facts.design_basis.get(name), analyte=name)
        charts.append((history, design.evidence.states.get(name), form))
    context = {
        "job": job, "steps": steps(job, "water"), "tab": "history", "design": design, "charts": charts, "samples": enumerate(facts.samples, 1),
        "width": WIDTH, "height": HEIGHT, "value_form": ValueForm(),
        "by_hand": [(name, basis) for name, basis in facts.design_basis.items() if basis.by == "chosen" and name not in {each[0].analyte.key for each in charts}],
    } | more  # fmt: skip
    return render(request, "samples/history.html", context, status=status)


@require_GET
def over_time(request: HttpRequest, pk: int) -> HttpResponse:
    """A small chart for every analyte measured more than once, and the basis of its design value."""
    return _over_time(request, job_for(request, pk))


@require_POST
def basis(request: HttpRequest, pk: int) -> HttpResponse:
    """On which reading of an analyte the design stands."""
    job = job_for(request, pk, act="job.change")
    if request.POST.get("analyte") not in analytes():
        return redirect("water-history", pk)
    form = BasisForm(request.POST)
    if not form.is_valid():
        return _over_time(request, job, 422, form)
    try:
        set_entry(job, form.PART, form.key, form.row, request.user, version_of(request))
    except Late as late:
        return _over_time(request, late.stands, 409, form, stale=late.stands)
    return redirect(f"{request.path.removesuffix('basis/')}history/#{form.cleaned_data['analyte']}")


@require_POST
def value(request: HttpRequest, pk: int) -> HttpResponse:
    """A value without a test, in place of an assumption; or it is taken back."""
    job = job_for(request, pk, act="job.change")
    form = ValueForm(request.POST)
    if not form.is_valid():
        return _over_time(request, job, 422, value_form=form)
    try:
        set_entry(job, form.PART, form.key, form.row, request.user, version_of(request))
    except Late as late:
        return _over_time(request, late.stands, 409, value_form=form, stale=late.stands)
    return redirect("water-history", pk)
