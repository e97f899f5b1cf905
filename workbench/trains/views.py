"""The train view: drawing, side sheet, findings; every edit answers with the new bench."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from treatment.audit.rules import Finding
from treatment.design import Design
from treatment.drawing.train.told import told
from treatment.drawing.train.view import draw_train, marked_column
from treatment.drawing.wall.compose import compose
from treatment.editing.edit import Edit
from treatment.editing.train import Add, Exchange, Move, Remove, SetFeedLimit, SetKey, Shift
from treatment.papers.design_file import STANDING_CAUTION
from treatment.planning.evaluated import EvaluatedTrain
from treatment.studies.repair import repair
from treatment.treatments import ROOMS

from ..outcome import Done, Late, Refused, Unread
from ..pages.seen import seen_of
from ..pages.steps import steps
from ..records.job import Job
from ..records.train import TrainOption
from ..repository.door import design_of
from ..request import Request, status_of, whole
from ..usecases import trains as services
from ..usecases.access import job_for
from ..usecases.trains import LETTERS
from ..usecases.waivers import accept
from .sheet import sheet


def _bench(job: Job, option: TrainOption, selected: str, **more: Any) -> dict[str, Any]:
    """Everything the bench shows of a train."""
    revision, can_undo, can_redo = services.standing_of(option)
    design: Design = design_of(job, revision.stages)
    variant = design.chosen
    ids = [stage.id for stage in variant.run.stages]
    if selected not in ids:
        troubled = [finding.stage for finding in variant.findings if finding.stage in ids]
        selected = troubled[0] if troubled else (ids[0] if ids else "")
    drawing = draw_train(design, variant, job.units)
    query = f"?option={option.letter}"
    return {
        "job": job, "option": option, "revision": revision, "design": design, "variant": variant, "drawing": drawing, "told": told(design, variant, drawing, job.units),
        "selected": selected, "marked": marked_column(drawing, selected),
        "sheet": sheet(design, variant, selected, revision.stages) if selected else None,
        "names": {stage.id: stage.name for stage in variant.run.stages}, "grouped": _grouped(variant),
        "can_undo": can_undo, "can_redo": can_redo, "follows_proposal": revision.stages is None,
        "shelf": [(kind, room.title) for kind, room in ROOMS.items()], "standing_caution": STANDING_CAUTION,
        "wall_tally": compose(design, variant).tally, "repair": repair(design) if design.given and any(finding.serious and finding.stage for finding in variant.findings) else None,
        "options": job.options.order_by("letter"), "letters": LETTERS,
        "bench_url": reverse("train", args=[job.pk]) + query, "edit_url": reverse("train-edit", args=[job.pk]) + query,
    } | more  # fmt: skip


def _grouped(variant: EvaluatedTrain) -> list[tuple[str, list[Finding]]]:
    """Findings under the stage they are about, in the order of the train; those about the whole job first."""
    stages = [("", "The whole job"), *((stage.id, stage.name) for stage in variant.run.stages)]
    groups = [(name, [finding for finding in variant.findings if finding.stage == id]) for id, name in stages]
    return [(name, found) for name, found in groups if found]


def _letter(request: Request) -> str:
    letter = request.GET.get("option", "")
    return letter if letter in LETTERS else ""


@require_GET
def train(request: Request, pk: int) -> HttpResponse:
    job = job_for(request, pk)
    option = services.option_of(job, _letter(request))
    context = _bench(job, option, request.GET.get("stage", ""))
    if request.htmx:
        return render(request, "trains/_bench.html", context)
    return render(request, "trains/train.html", context | {"steps": steps(job, "train")})


@require_POST
def edit(request: Request, pk: int) -> HttpResponse:
    """One edit of the train. A stale one is refused and told; what was wanted can be applied again."""
    job = job_for(request, pk, act="job.change")
    option = services.option_of(job, _letter(request))
    selected, status = request.POST.get("stage", ""), 200
    more: dict[str, Any] = {}
    try:
        done = _apply(request, job, option, selected)
        more, selected = {"said": done.words}, done.stage
    except Late as late:
        option, status = late.stands, 409
        wanted = {name: str(value) for name, value in request.POST.items() if name not in ("csrfmiddlewaretoken", "version", "shown")}
        more = {
            "stale": {
                "by": option.updated_by,
                "at": option.updated_at,
                "summary": services.revision_of(option).summary,
                "wanted": wanted,
                "words": _words(wanted),
            }
        }
    except Refused as refused:
        status = status_of(refused)
        more = {
            "refused": {
                "field": refused.field,
                "reason": str(refused),
                "typed": "" if isinstance(refused, Unread) else request.POST.get("value", ""),
                "typed_reason": request.POST.get("reason", ""),
                "general": refused.field in ("", "kind"),
            }
        }
    if not request.htmx and status == 200:
        return redirect(f"{reverse('train', args=[pk])}?option={option.letter}&stage={selected}")
    context = _bench(job, option, selected, **more)
    template = "trains/_bench.html" if request.htmx else "trains/train.html"
    return render(request, template, context | ({} if request.htmx else {"steps": steps(job, "train")}), status=status)


def _apply(request: Request, job: Job, option: TrainOption, selected: str) -> Done[None]:
    """Carry out what a form asks for."""
    action, user, seen = request.POST.get("action", ""), request.user, seen_of(request)
    if action in ("undo", "redo"):
        return replace(services.step(option, seen.version, user, -1 if action == "undo" else 1), stage=selected)
    if action == "restore":
        return services.restore(option, seen.version, user)
    if action in ("waive", "unwaive"):
        return replace(accept(job, option, seen.version, request.POST.dict(), user), stage=selected)
    if action == "mend":
        return services.mend(job, option, seen.version, user)
    return services.edit(job, option, seen, user, lambda job: _asked(request, job, action, selected))


def _asked(request: Request, job: Job, action: str, selected: str) -> Edit:
    """The edit that a form asks for. Raises Refused."""
    post = request.POST
    if action in ("earlier", "later"):
        return Shift(selected, -1 if action == "earlier" else 1)
    if action == "move":
        to = whole(post.get("to", ""))
        return Move(selected, -1 if to is None else to)
    if action == "add":
        return Add(selected, post.get("kind", ""))
    if action == "replace":
        return Exchange(selected, post.get("kind", ""))
    if action == "remove":
        return Remove(selected)
    if action == "set":
        return SetKey(selected, post.get("key", ""), post.get("value", ""), job.units)
    if action == "takes":
        return SetFeedLimit(selected, post.get("analyte", ""), post.get("end", ""), post.get("value", ""), post.get("reason", ""))
    raise Refused("This action is not known.")


def _words(wanted: dict[str, str]) -> str:
    """What a refused edit wanted, in words."""
    stage = wanted.get("stage", "").replace("_", " ")
    said = {
        "earlier": f"move {stage} one place earlier", "later": f"move {stage} one place later", "move": f"move {stage}", "remove": f"remove {stage}",
        "replace": f"replace {stage}", "mend": "fix the train", "waive": "accept a finding",
        "add": f"add {wanted.get('kind', '').replace('_', ' ')} after {stage or 'the last stage'}", "undo": "undo the last change", "redo": "redo",
        "restore": "use the proposed train", "takes": f"set what {stage} takes of {wanted.get('analyte', '').replace('_', ' ')} to “{wanted.get('value', '')}”",
        "set": f"set {wanted.get('key', '').replace('_', ' ')} of {stage} to “{wanted.get('value', '')}”",
    }  # fmt: skip
    return said.get(wanted.get("action", ""), "your change")
