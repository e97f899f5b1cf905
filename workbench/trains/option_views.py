"""Options side by side, the shelf, schools and limits: what surrounds the train."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from treatment.job.limits import limits
from treatment.job_file import written
from treatment.language.analytes import analytes
from treatment.papers.compared import money_rows
from treatment.papers.plainly import in_plain_words
from treatment.planning.evaluated import EvaluatedTrain
from treatment.studies.alternatives import alternatives
from treatment.studies.compare import ComparedRow, compare, outlines
from treatment.studies.shelf import shelf

from ..outcome import Late, Refused
from ..pages.answers import answered, saved
from ..pages.document_form import EntryForm
from ..pages.steps import steps
from ..records.job import Job
from ..repository.door import design_of
from ..repository.remembered import of_firm
from ..request import Request, number, status_of, version_of
from ..usecases import trains as services
from ..usecases.access import job_for, on_post
from ..usecases.jobs import set_entry
from .panel import EventForm, LimitForm, PanelForm, WorkingForm, add_event, drop_event, events_told, own_values


def _options(request: HttpRequest, job: Job, status: int = 200, **more: Any) -> HttpResponse:
    services.option_of(job)
    options = list(job.options.prefetch_related("revisions").order_by("letter"))
    variants = [design_of(job, services.revision_of(option).stages).chosen for option in options]
    design = design_of(job, None)
    others = alternatives(design)
    known = of_firm(job.workspace_id)

    def rows(found: list[EvaluatedTrain]) -> list[ComparedRow]:
        money = money_rows([known.priced(each) for each in found], job.units) if job.sees_money else []
        return [*compare(found, job.units), *money] if found else []

    context = {
        "job": job, "steps": steps(job, "train"), "options": options, "rows": rows(variants), "full": len(options) >= len(services.LETTERS),
        "trains": [outlines(each, [other for other in variants if other is not each]) for each in variants],
        "plainly": [(option, in_plain_words(each, known.priced(each) if job.sees_money else None, job.units)) for option, each in zip(options, variants, strict=True)],
        "alternatives": [
            (number, each, [row for row in rows([design.proposal, each.variant]) if row.differs], outlines(each.variant, [design.proposal]))
            for number, each in enumerate(others)
        ],
        "design": design,
    } | more  # fmt: skip
    return render(request, "trains/options.html", context, status=status)


@require_GET
def options(request: HttpRequest, pk: int) -> HttpResponse:
    """The options of a job side by side, and what other schools would build."""
    return _options(request, job_for(request, pk))


@require_POST
def option_act(request: HttpRequest, pk: int) -> HttpResponse:
    """Copy an option, take an alternative as one, follow one, or drop one."""
    job = job_for(request, pk, act="job.change")
    act, letter = request.POST.get("act", ""), request.POST.get("letter", "")
    option = services.option_of(job, letter if letter in services.LETTERS else "")
    try:
        if act == "copy":
            opened = services.open_option(
                job,
                services.revision_of(option).stages or written(design_of(job, None).plan.train),
                f"copied from {option.letter}",
                request.user,
            )
            return redirect(f"{reverse('train', args=[pk])}?option={opened.made.letter}")
        if act == "take":
            others, place = alternatives(design_of(job, None)), number(request, "number")
            if place is None or place >= len(others):
                raise Refused("This alternative is no longer offered; the job has changed.")
            other = others[place]
            opened = services.open_option(job, written(other.variant.train), other.title, request.user)
            return redirect(f"{reverse('train', args=[pk])}?option={opened.made.letter}")
        if act == "follow":
            services.follow(job, option, version_of(request), request.user)
        elif act == "drop":
            services.drop_option(job, option, version_of(request), number(request, "seen"), request.user)
        else:
            raise Refused("This action is not known.")
    except Late:
        problem = "This job was changed by someone else or in another window since you opened it. The current version is below; your change was not applied."
        return _options(request, job_for(request, pk), 409, problem=problem)
    except Refused as refused:
        return _options(request, job_for(request, pk), status_of(refused), problem=str(refused))
    return redirect("options", pk)


@require_GET
def shelf_page(request: HttpRequest, pk: int) -> HttpResponse:
    """What each treatment would do to the water behind a stage."""
    job = job_for(request, pk)
    letter = request.GET.get("option", "")
    option = services.option_of(job, letter if letter in services.LETTERS else "")
    revision = services.revision_of(option)
    design = design_of(job, revision.stages)
    after = request.GET.get("stage", "")
    stage = next((each for each in design.chosen.run.stages if each.id == after), None)
    context = {
        "job": job,
        "steps": steps(job, "train"),
        "option": option,
        "revision": revision,
        "after": stage,
        "offers": shelf(design, design.chosen, after),
        "why": design.plan.not_used,
    }
    return render(request, "trains/shelf.html", context)


def _panel(request: HttpRequest, job: Job, status: int = 200, **more: Any) -> HttpResponse:
    own = [(analytes()[name], row) for name, row in job.survey.rest.get("limits", {}).items() if name in analytes()]
    waived = job.survey.rest.get("waivers", [])
    context = {
        "job": job,
        "steps": steps(job, "train"),
        "form": PanelForm(job=job),
        "limit_form": LimitForm(),
        "own": own,
        "waived": waived,
        "working_form": WorkingForm(),
        "own_values": own_values(job),
        "event_form": EventForm(units=job.units),
        "events": events_told(job.survey),
        "set": limits(job.standard, timezone.localdate()),
    } | more
    return render(request, "trains/panel.html", context, status=status)


@require_http_methods(["GET", "POST"])
def panel(request: Request, pk: int) -> HttpResponse:
    """Schools, wishes and rain."""
    job = job_for(request, pk, act=on_post(request, "job.change"))
    if request.method == "GET":
        return _panel(request, job)
    job, told, status = saved(request, job, PanelForm)
    if request.htmx:
        return answered(request, "trains/_panel_answer.html", {"job": job} | told, status)
    return redirect("panel", pk) if status == 302 else _panel(request, job, status, **told)


def _own(request: HttpRequest, pk: int, shown_as: str, form: EntryForm) -> HttpResponse:
    """Keep something of the job's own, or take it back."""
    job = job_for(request, pk, act="job.change")
    back = request.POST.get("back")
    if back is None and not form.is_valid():
        return _panel(request, job, 422, **{shown_as: form})
    key, row = (form.key, form.row) if back is None else (back, None)
    try:
        set_entry(job, form.PART, key, row, request.user, version_of(request))
    except Late as late:
        return _panel(request, late.stands, 409, stale=late.stands, **({shown_as: form} if back is None else {}))
    return redirect("panel", pk)


@require_POST
def panel_limit(request: HttpRequest, pk: int) -> HttpResponse:
    """A limit of the job's own, or one taken back."""
    return _own(request, pk, "limit_form", LimitForm(request.POST))


@require_POST
def panel_event(request: HttpRequest, pk: int) -> HttpResponse:
    """A use of a business, or one taken back."""
    job = job_for(request, pk, act="job.change")
    form = EventForm(request.POST, units=job.units)
    back = request.POST.get("back")
    if back is None and not form.is_valid():
        return _panel(request, job, 422, event_form=form)
    try:
        if back is None:
            add_event(job, form.row, request.user, version_of(request))
        else:
            drop_event(job, back, request.user, version_of(request))
    except Late as late:
        return _panel(request, late.stands, 409, stale=late.stands, **({"event_form": form} if back is None else {}))
    return redirect("panel", pk)


@require_POST
def panel_working(request: HttpRequest, pk: int) -> HttpResponse:
    """A working value of the job's own, or one taken back."""
    return _own(request, pk, "working_form", WorkingForm(request.POST))
