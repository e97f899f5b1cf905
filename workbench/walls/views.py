"""The wall step: the drawing, moves on it, and the files that leave it."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from treatment.design import Design
from treatment.drawing.wall.compose import compose
from treatment.drawing.wall.legend import FRAME, legend
from treatment.drawing.wall.view import WallView, papers, view
from treatment.editing.edit import Edit
from treatment.editing.wall import Drop, Nudge, Release, Turn
from treatment.language.tables import table
from treatment.studies.supply import routed_loss
from treatment.train.weights import load_rows
from treatment.wall.parts import STATES, Wall

from ..outcome import Done, Late, Refused, Unread
from ..pages.answers import answered, saved
from ..pages.attached import attached
from ..pages.seen import seen_of
from ..pages.steps import steps
from ..pages.svg_style import svg_style
from ..records.job import Job
from ..records.train import TrainOption
from ..repository.door import design_of
from ..request import Request, status_of
from ..usecases import trains
from ..usecases.access import job_for, on_post
from ..usecases.waivers import accept
from .forms import WallForm

#: lengths of pipe that are told: words, and the roles that they are of
LENGTHS = (
    ("water", ("main", "leg", "bypass", "tap", "raw")), ("metal at the lamp", ("metal",)), ("drain", ("drain",)), ("brine and overflow", ("brine", "overflow")),
)  # fmt: skip
#: an arrow key, and the steps right and up that it moves a unit
STEPS = {"left": (-1, 0), "right": (1, 0), "up": (0, 1), "down": (0, -1)}


def drawn(job: Job, states: dict[str, str] | None = None) -> tuple[Design, Wall, WallView]:
    """The design of the option that the job follows, its wall and the wall as shapes."""
    design = design_of(job, trains.shown_stages(job))
    wall = compose(design, design.chosen, states)
    return design, wall, view(wall, design.chosen, job.units)


def states_of(request: HttpRequest) -> dict[str, str]:
    """Which units are in bypass or shut, as the address says: ?softener=bypass."""
    return {name: value for name, value in request.GET.items() if value in STATES}


def _with_states(job: Job, selected: str, states: dict[str, str]) -> str:
    """The address of the wall with units bypassed or shut, so that it can be sent to somebody or printed."""
    told = {unit: state for unit, state in states.items() if state != "service"}
    query = urlencode(({"stage": selected} if selected else {}) | told)
    return reverse("wall", args=[job.pk]) + (f"?{query}" if query else "")


def _context(request: Request, job: Job, option: TrainOption, selected: str, **more: Any) -> dict[str, Any]:
    states = states_of(request)
    design, wall, shapes = drawn(job, states)
    ids = [unit.id for unit in wall.units]
    selected = selected if selected in ids else (wall.findings[0].stage if wall.findings else ids[0] if ids else "")
    revision, can_undo, can_redo = trains.standing_of(option)
    joining = design.job.facts.site.joining
    unit = next((unit for unit in wall.units if unit.id == selected), None)
    return {
        "routed": routed_loss(design, design.chosen), "piped": design.duty.supply.pipe.loss(design.duty.flow, design.evidence.adverse.temperature),
        "job": job, "option": option, "revision": revision, "design": design, "wall": wall, "view": shapes, "selected": selected,
        "unit": unit,
        "state": next((wall.state_of(unit) for unit in wall.units if unit.id == selected), "service"),
        "names": {unit.id: unit.name for unit in wall.units}, "joints": table("wall")["joining"], "joining": joining,
        "can_undo": can_undo, "can_redo": can_redo, "edit_url": reverse("wall-edit", args=[job.pk]),
        "wall_url": reverse("wall", args=[job.pk]),
        "lengths": [(words, wall.pipe_length(*roles)) for words, roles in LENGTHS],
        "loads": load_rows(design.chosen.run.stages, job.units),
        "papers": papers().items(),
        "legend": legend(wall), "legend_frame": FRAME,
        "state_links": [(each, _with_states(job, selected, states | {selected: each})) for each in (unit.states if unit else ())], "unit_links": _with_states(job, "", states),
        "counts": [(kind, wall.count(kind)) for kind in ("valve", "tee", "elbow", "union", "sample_tap", "gauge", "outlet") if wall.count(kind)],
    } | more  # fmt: skip


@require_http_methods(["GET", "POST"])
def wall(request: Request, pk: int) -> HttpResponse:
    """The wall, drawn; and the facts of it."""
    job = job_for(request, pk, act=on_post(request, "job.change"))
    option = trains.option_of(job)
    if request.method == "GET":
        context = _context(request, job, option, request.GET.get("stage", ""))
        if request.htmx:
            return render(request, "walls/_wall.html", context)
        return render(request, "walls/wall.html", context | {"steps": steps(job, "wall"), "form": WallForm(job=job)})
    job, told, status = saved(request, job, WallForm)
    if status == 302 and not request.htmx:
        return redirect("wall", pk)
    context = _context(request, job, option, "", **told) | {"steps": steps(job, "wall")}
    if request.htmx:
        return answered(request, "walls/_facts_answer.html", context, status)
    return render(request, "walls/wall.html", context, status=status)


@require_POST
def edit(request: Request, pk: int) -> HttpResponse:
    """Move a unit on the wall, leave it to be placed, undo or redo."""
    job = job_for(request, pk, act="job.change")
    option = trains.option_of(job)
    selected, status = request.POST.get("stage", ""), 200
    more: dict[str, Any] = {}
    try:
        more = {"said": _apply(request, job, option, selected).words}
    except Late as late:
        option, status, more = (
            late.stands,
            409,
            {
                "problem": f"{late.stands.updated_by or 'Someone else'} changed this train since you opened it. The current layout is below. Move "
                f"the unit again if you still need to."
            },
        )
    except Refused as error:
        status = status_of(error)
        more = {"problem": "This is not a position." if isinstance(error, Unread) else str(error)}
    if not request.htmx and status == 200:
        return redirect(f"{reverse('wall', args=[pk])}?stage={selected}")
    job = job_for(request, pk)
    context = _context(request, job, option, selected, **more)
    if request.htmx:
        return render(request, "walls/_wall.html", context, status=status)
    return render(request, "walls/wall.html", context | {"steps": steps(job, "wall"), "form": WallForm(job=job)}, status=status)


def _apply(request: Request, job: Job, option: TrainOption, selected: str) -> Done[None]:
    """Carry out what a form asks for."""
    action, user, seen = request.POST.get("action", ""), request.user, seen_of(request)
    if action in ("undo", "redo"):
        return trains.step(option, seen.version, user, -1 if action == "undo" else 1)
    if action in ("waive", "unwaive"):
        return accept(job, option, seen.version, request.POST.dict(), user)
    return trains.edit(job, option, seen, user, lambda job: _asked(request, job, action, selected))


def _asked(request: Request, job: Job, action: str, selected: str) -> Edit:
    """The edit that a form asks for. Raises Refused."""
    if action in ("release", "release_all"):
        return Release(selected if action == "release" else "")
    if action not in ("place", "turn", *STEPS):
        raise Refused("This move is not known.")
    here = drawn(job)[1]
    if action == "place":
        return Drop(selected, here, _number(request, "x"), _number(request, "foot") if request.POST.get("foot") else None)
    return Turn(selected, here) if action == "turn" else Nudge(selected, here, *STEPS[action])


def _number(request: Request, name: str) -> float:
    try:
        value = float(request.POST.get(name, ""))
    except ValueError:
        raise Refused("This is not a position on the wall.") from None
    if value != value:
        raise Refused("This is not a position on the wall.")
    return value


@require_GET
def wall_svg(request: Request, pk: int) -> HttpResponse:
    """The wall as a picture file that stands alone, at 1:20; ``near``: framed to a unit, or to what hangs on the wall where it names none."""
    job = job_for(request, pk)
    _, wall, shapes = drawn(job, states_of(request))
    if "near" in request.GET:
        shapes = shapes.elevation(wall, request.GET["near"])
    shown = {"view": shapes, "wall": wall, "job": job, "scale": 20, "style": svg_style("wall")}
    return attached(render(request, "walls/standalone.svg", shown).content, "image/svg+xml", job, "wall.svg")
