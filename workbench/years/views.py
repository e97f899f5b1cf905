"""The year step: one picture of the year, scenarios laid over it, a day opened into its hours, the document."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.http import require_GET

from treatment.design import Design
from treatment.language.errors import BadDocument
from treatment.language.tables import table
from treatment.year.against import against_design
from treatment.year.asked import YearAsked
from treatment.year.document import document_of
from treatment.year.figures import Came
from treatment.year.from_log import begun
from treatment.year.notices import moment, notices
from treatment.year.past import Past, past_of
from treatment.year.picture import day_picture, picture
from treatment.year.scenarios import TOLD, Scenario, names, read_scenarios

from ..pages.attached import attached_json
from ..pages.steps import steps
from ..records.job import Job
from ..repository.door import design_of
from ..repository.remembered import of_firm
from ..request import Request, decimal
from ..usecases import trains
from ..usecases.access import job_for
from ..usecases.books import log_of, opened

MOST = 4  # scenarios that are laid over each other on the page
DAYS = 365


def _scenarios(request: HttpRequest, start: dt.date) -> tuple[list[str], tuple[Scenario, ...], str]:
    """Scenarios of the address as they were asked for, as they were read, and what was wrong with the one that was just added."""
    told = [text for text in request.GET.getlist("with") if text][:MOST]
    problem, added = "", _added(request)
    if added:
        try:
            read_scenarios([added], start, DAYS)
            told = [*told, added][:MOST] if added not in told else told
        except BadDocument as error:
            problem = error.faults[0].message
    kept = []
    for text in told:  # an address somebody mended by hand is read as far as it can be
        try:
            kept += [(text, one) for one in read_scenarios([text], start, DAYS)]
        except BadDocument as error:
            problem = problem or error.faults[0].message
    return [text for text, _ in kept], tuple(one for _, one in kept), problem


def _added(request: HttpRequest) -> str:
    """The scenario that the form adds, as a command line would ask for it."""
    name = request.GET.get("add", "")
    if not name:
        return ""
    parts = [f"{key}={value}" for key in ("from", "days", *TOLD.get(name, ())) if (value := request.GET.get(key, "").strip())]
    return f"{name}:{','.join(parts)}" if parts else name


def _asked(job: Job, design: Design, request: HttpRequest) -> tuple[YearAsked, Past | None]:
    """Where the year begins: today with new stocks, or from today of the job's log where that is asked for and there is one; and what that holds."""
    start = timezone.localdate()
    plain = YearAsked(start)
    book = opened(job) if request.GET.get("log") else None
    if book is None:
        return plain, None
    log = book.diagnosis.log
    asked = begun(design.chosen, log, None).asked(plain)
    return asked, past_of(design.chosen, log, asked.start) or Past(0, {}, {})


def _beside(job: Job, design: Design, request: HttpRequest, asked: YearAsked) -> tuple[str, Came | None]:
    """The year of another option of the job under the same scenarios, where one is asked for."""
    letter = request.GET.get("beside", "")
    option = job.options.filter(letter=letter).exclude(letter=job.option).first()
    if option is None:
        return "", None
    other = design_of(job, trains.revision_of(option).stages)
    if not other.chosen.run.stages:
        return "", None
    return letter, of_firm(job.workspace_id).lived(other, replace(asked, begin={}, began_from=None)).came


@require_GET
def year(request: HttpRequest, pk: int) -> HttpResponse:
    """The picture of a year, with what is laid over it."""
    job = job_for(request, pk)
    design = design_of(job, trains.shown_stages(job))
    base = {"job": job, "steps": steps(job, "year"), "has_log": log_of(job) is not None}
    if not design.chosen.run.stages or not design.samples_given:
        return render(request, "years/year.html", base | {"lacks": "a train" if design.samples_given else "a water test"})
    asked, past = _asked(job, design, request)
    from_log = past is not None
    told, scenarios, problem = _scenarios(request, asked.start)
    asked = replace(asked, scenarios=scenarios)
    found = of_firm(job.workspace_id).lived(design, asked)
    chosen = _day(request.GET.get("day", ""))
    beside, other = _beside(job, design, request, asked)
    came, state = found.came, ({"log": "1"} if from_log else {}) | ({"beside": beside} if beside else {})
    usual = other or found.plain
    context: dict[str, Any] = base | {
        "picture": picture(came, usual, job.units, chosen, past), "beside": beside,
        "others": [(each.letter, each.letter == beside) for each in job.options.exclude(letter=job.option).order_by("letter")],
        "day": day_picture(came, chosen, job.units) if chosen else None,
        "came": came, "from_log": from_log, "problem": problem, "told": told, "start": asked.start,
        "chips": [(one.words, one, _address(told, text, state)) for text, one in zip(told, scenarios, strict=True)],
        "state": state, "kept": urlencode([*state.items(), *(("with", text) for text in told)]),
        "offered": [(name, table("year")["scenarios"][name]["words"].capitalize()) for name in names()], "typed": request.GET,
        "notices": [(moment(asked.start, one.at)[:10], one) for one in notices(*found)],
        "rows": against_design(came), "totals": _totals(came, usual),
    }  # fmt: skip
    return render(request, "years/year.html", context, status=422 if problem else 200)


def _totals(came: Came, usual: Came | None) -> list[tuple[str, Any, Any]]:
    """Totals in words, in the order of a customer's questions, beside those of the other year."""
    named = {
        "water_used": "Water used", "water_to_drain": "Water to the drain", "salt": "Salt", "calcite": "Calcite dissolved", "pump_starts": "Pump starts", "energy": "Power",
        "minutes_low_pressure": "Too little pressure", "minutes_without_water": "Without water",
    }  # fmt: skip
    years = [came] if usual is None else [came, usual]
    return [
        (words, came.totals[name], None if usual is None else usual.totals[name])
        for name, words in named.items()
        if name == "water_used" or any(each.totals[name].value for each in years)
    ]


def _address(told: list[str], without: str, state: dict[str, str]) -> str:
    """The address of the year without one of its scenarios."""
    return "?" + urlencode([*state.items(), *(("with", text) for text in told if text != without)])


def _day(text: str) -> dt.date | None:
    try:
        return dt.date.fromisoformat(text)
    except ValueError:
        return None


@require_GET
def year_file(request: HttpRequest, pk: int) -> HttpResponse:
    """The year as ``cairn-year/1``."""
    job = job_for(request, pk)
    design = design_of(job, trains.shown_stages(job))
    asked, _ = _asked(job, design, request)
    _, scenarios, _ = _scenarios(request, asked.start)
    asked = replace(asked, scenarios=scenarios)
    document = document_of(of_firm(job.workspace_id).lived(design, asked), asked)
    return attached_json(document, job, "year.json")


@require_GET
def what_if(request: Request, pk: int) -> HttpResponse:
    """The train as it is sized with more people, harder water, another dose or bed: its year at once, beside the year as designed."""
    job = job_for(request, pk)
    design = design_of(job, trains.shown_stages(job))
    context: dict[str, Any] = {"job": job, "steps": steps(job, "year")}
    if not design.chosen.run.stages or not design.samples_given:
        return render(request, "years/what_if.html", context | {"lacks": "a train" if design.samples_given else "a water test"})
    asked = of_firm(job.workspace_id).what_if(design, timezone.localdate())
    moved = {handle.name: value for handle in asked.handles if (value := decimal(request.GET.get(handle.name))) is not None}
    now = {handle.name: handle.held(moved.get(handle.name, handle.now)) for handle in asked.handles}
    context |= {
        "handles": [(handle, now[handle.name], handle.shows(now[handle.name], job.units), handle.shows(handle.now, job.units)) for handle in asked.handles],
        "rows": asked.answer(moved), "moved": asked.asked(moved),
    }  # fmt: skip
    return render(request, "years/_what_if.html" if request.htmx else "years/what_if.html", context | {"swapped": bool(request.htmx)})
