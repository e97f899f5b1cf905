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
from treatment.language.errors import BadDocument
from treatment.language.tables import table
from treatment.studies.supply import routed_loss
from treatment.train.weights import loads, mains_volts, mass_of_all
from treatment.wall.parts import STATES, Wall

from ..pages.answers import answered, saved
from ..pages.attached import attached
from ..pages.steps import steps
from ..pages.svg_style import svg_style
from ..records.job import Job
from ..records.train import TrainOption
from ..repository.door import design_of
from ..request import Request
from ..usecases import trains
from ..usecases.access import job_for, on_post
from ..usecases.refused import Refused
from ..usecases.train_merging import on_top, stages_at
from ..usecases.trains import StaleTrain
from ..usecases.waivers import accept
from . import services
from .forms import WallForm

#: lengths of pipe that are told: words, and the roles that they are of
LENGTHS = (
    ("water", ("main", "leg", "bypass", "tap", "raw")), ("metal at the lamp", ("metal",)), ("drain", ("drain",)), ("brine and overflow", ("brine", "overflow")),
)  # fmt: skip


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
    history = {revision.number: revision for revision in option.revisions.all()}
    joining = design.job.facts.site.joining
    held, volts = loads(design.chosen.run.stages), mains_volts(job.units)
    unit = next((unit for unit in wall.units if unit.id == selected), None)
    return {
        "routed": routed_loss(design, design.chosen), "piped": design.duty.supply.pipe.loss(design.duty.flow, design.evidence.adverse.temperature),
        "job": job, "option": option, "revision": history[option.at], "design": design, "wall": wall, "view": shapes, "selected": selected,
        "unit": unit,
        "state": next((wall.state_of(unit) for unit in wall.units if unit.id == selected), "service"),
        "names": {unit.id: unit.name for unit in wall.units}, "joints": table("wall")["joining"], "joining": joining,
        "can_undo": option.at > min(history, default=0), "can_redo": option.at < max(history, default=0), "edit_url": reverse("wall-edit", args=[job.pk]),
        "wall_url": reverse("wall", args=[job.pk]),
        "lengths": [(words, wall.pipe_length(*roles)) for words, roles in LENGTHS],
        "loads": [(each, each.amps(volts)) for each in held], "mass_of_all": mass_of_all(held),
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
        more = {"said": on_top(job, option, request.POST.dict(), lambda job, on, version: _apply(request, job, on, version, selected))}
    except StaleTrain as stale:
        option, status, more = (
            stale.option,
            409,
            {
                "problem": f"{stale.option.updated_by or 'Someone else'} changed this train since you opened it. The current layout is below. Move "
                f"the unit again if you still need to."
            },
        )
    except (Refused, BadDocument) as error:
        status, more = 422, {"problem": str(error) if isinstance(error, Refused) else "This is not a position."}
    if not request.htmx and status == 200:
        return redirect(f"{reverse('wall', args=[pk])}?stage={selected}")
    job = job_for(request, pk)
    context = _context(request, job, option, selected, **more)
    if request.htmx:
        return render(request, "walls/_wall.html", context, status=status)
    return render(request, "walls/wall.html", context | {"steps": steps(job, "wall"), "form": WallForm(job=job)}, status=status)


def _apply(request: Request, job: Job, option: TrainOption, version: int, selected: str) -> str:
    action = request.POST.get("action", "")
    if action in ("undo", "redo"):
        return trains.step(option, version, request.user, -1 if action == "undo" else 1)
    if action in ("waive", "unwaive"):
        return accept(job, option, version, request.POST.dict(), request.user)
    stages = stages_at(job, trains.revision_of(option))
    if action == "place":
        _, here, _ = drawn(job)
        after, summary, _ = services.drop(
            stages, here, selected, _number(request, "x"), _number(request, "foot") if request.POST.get("foot") else None
        )
    elif action in ("left", "right", "up", "down"):
        _, here, _ = drawn(job)
        after, summary, _ = services.nudge(stages, here, selected, {"left": -1, "right": 1}.get(action, 0), {"down": -1, "up": 1}.get(action, 0))
    elif action == "turn":
        after, summary, _ = services.turned(stages, drawn(job)[1], selected)
    elif action in ("release", "release_all"):
        after, summary, _ = services.released(stages, selected if action == "release" else "")
    else:
        raise Refused("This move is not known.")
    return trains.save(option, version, request.user, lambda: (after, summary))


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
