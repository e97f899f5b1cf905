"""Issued designs of a job: issue one, look at one, its papers and links; and what a link shows without an account."""

from __future__ import annotations

import json
import re
from http import HTTPStatus
from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import content_disposition_header
from django.utils.text import slugify
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_GET, require_http_methods

from treatment.design import Design
from treatment.language.messages import LANGUAGES
from treatment.papers.issue import canonical
from treatment.papers.printed import PAPERS

from ..error_views import told
from ..outcome import Refused
from ..pages.drawings import drawn
from ..pages.papers import paper_of, picture_of
from ..pages.printing import Busy
from ..pages.steps import steps
from ..readers import read_by
from ..records.issue import KINDS, Issue, IssueLink, IssuePaper
from ..records.job import STATES, Job
from ..repository.door import design_of
from ..repository.remembered import of_firm
from ..request import number, status_of
from ..usecases import issues
from ..usecases.access import job_for, on_post
from ..usecases.trains import revision_of, shown_stages
from ..who import LINK, acts_as
from .tasks import how_far, print_papers

#: how each paper is called
TITLES = {"proposal": "Proposal", "pack": "Installer's pack", "book": "Owner's book", "labels": "Labels"}


@require_http_methods(["GET", "POST"])
def shelf(request: HttpRequest, pk: int) -> HttpResponse:
    """The designs of a job that were issued; another is issued here, and the job's state is set."""
    job = job_for(request, pk, on_post(request, "job.change"))
    if request.method == "GET":
        return _shelf(request, job)
    try:
        if "state" in request.POST:
            issues.set_state(job, request.POST["state"])
            return redirect("issues", pk)
        design = design_of(job, shown_stages(job))
        done = issues.issue(job, design, request.POST.get("to", ""), request.POST.get("reason", ""), _printed_besides(job, design), request.user)
    except Refused as error:
        typed = {"to": request.POST.get("to", ""), "reason": request.POST.get("reason", "")}
        return _shelf(request, job, status_of(error), problem=str(error), field=error.field, typed=typed)
    print_papers.defer(issue=done.made.pk)
    messages.success(request, done.words)
    return redirect("issue", pk, done.made.pk)


def _printed_besides(job: Job, design: Design) -> dict[str, Any]:
    """What papers show beside the design: drawings, the firm, the options with their money."""
    known, pictures = of_firm(job.workspace_id), drawn(design)
    options = []
    for option in job.options.order_by("letter"):
        variant = design_of(job, revision_of(option).stages).chosen
        money = known.priced(variant).costs.as_json()
        names = [stage.name for stage in variant.run.stages]
        options.append({"letter": option.letter, "names": names, "first": money["first"]["value"], "yearly": money["yearly"]["value"]})
    place = {"name": job.place.name, "address": job.place.address} if job.place else None
    return {
        "place": place, "firm": job.workspace.name, "language": job.language,
        "mark": job.workspace.mark, "train": pictures.train, "wall": pictures.wall, "wall_scale": pictures.scale, "bypass": pictures.bypass, "shut": pictures.shut,
        "options": options if len(options) > 1 else [],
    }  # fmt: skip


def _shelf(request: HttpRequest, job: Job, status: int = 200, **more: Any) -> HttpResponse:
    design = design_of(job, shown_stages(job))
    context = {
        "job": job, "steps": steps(job, ""), "issued": job.issues.all(), "states": STATES, "dangers": issues.open_dangers(design),
        "whole": design.samples_given and bool(design.chosen.run.stages), "typed": {"to": job.customer.name if job.customer else "", "reason": ""},
        "language": LANGUAGES[job.language],
    }  # fmt: skip
    return render(request, "issues/shelf.html", context | more, status=status)


@require_http_methods(["GET", "POST"])
def one(request: HttpRequest, pk: int, issue: int) -> HttpResponse:
    """An issued design: its papers, what happened to it, its links, what today would change."""
    act = {"link": "link.run" if request.POST.get("kind") == "run" else "link.make", "end": "link.make"}.get(
        request.POST.get("act", ""), "job.change"
    )
    job = job_for(request, pk, on_post(request, act))
    held = issues.issue_for(job, issue)
    if request.method == "GET":
        return _one(request, job, held)
    try:
        made = _act(request, held)
    except Refused as error:
        return _one(request, job, held, status_of(error), problem=str(error), field=error.field)
    if made:  # shown now, and never again
        return _one(request, job, held, address=request.build_absolute_uri(made))
    return redirect("issue", pk, issue)


def _act(request: HttpRequest, held: Issue) -> str:
    """Do what was asked; the address of a link that was made."""
    act = request.POST.get("act", "")
    if act == "link":
        text = request.POST.get("days", "").strip()
        return issues.new_link(held, request.POST.get("kind", ""), (number(request, "days") or 0) if text else None, request.user).made
    if act == "end":
        issues.end_link(held, number(request, "link") or 0, request.user)
    else:
        issues.answer(held, act, request.user.get_username(), request.POST.get("note", ""))
    return ""


def _one(request: HttpRequest, job: Job, held: Issue, status: int = 200, **more: Any) -> HttpResponse:
    printed = dict(IssuePaper.objects.filter(issue=held).values_list("name", "pages"))
    papers = [(name, TITLES[name], range(1, printed.get(name, 0) + 1)) for name in PAPERS if name != "proposal" or job.sees_money]
    state = how_far(held) if len(printed) < len(PAPERS) else ""
    today = issues.changed_since(held) if "today" in request.GET and job.sees_money else None
    context = {
        "job": job, "steps": steps(job, ""), "issue": held, "papers": papers, "events": held.events.all(), "links": held.links.filter(ended_at=None), "kinds": (*KINDS, issues.LOG),
        "today": today, "compared": today is not None, "state": state, "printed": len(printed), "of": len(PAPERS),
    }  # fmt: skip
    if "papers" in request.GET and request.headers.get("HX-Request") == "true":
        return render(request, "issues/_papers.html", context)
    return render(request, "issues/one.html", context | more, status=status)


@require_GET
def paper(request: HttpRequest, pk: int, issue: int, name: str) -> HttpResponse:
    """A paper of an issue, as it was first printed."""
    job = job_for(request, pk, "money.see" if name == "proposal" else "job.see")
    return _paper(request, issues.issue_for(job, issue), name)


def _paper(request: HttpRequest, held: Issue, name: str) -> HttpResponse:
    if name not in PAPERS:
        raise Http404
    try:
        made = paper_of(held, name)
    except Busy:
        return told(request, HTTPStatus.SERVICE_UNAVAILABLE, "Other papers are being printed. Nothing is lost: go back and try again in a moment.")
    response = HttpResponse(bytes(made.content), content_type="application/pdf")
    file = f"{slugify(held.job.name) or 'job'}-{held.revision}-{name}.pdf"
    response["Content-Disposition"] = str(content_disposition_header(False, file))
    return response


@require_GET
def page(request: HttpRequest, pk: int, issue: int, name: str, number: int) -> HttpResponse:
    """A page of a paper that was printed, as a small picture; it never changes."""
    job = job_for(request, pk, "money.see" if name == "proposal" else "job.see")
    held = get_object_or_404(IssuePaper, issue=issues.issue_for(job, issue), name=name)
    if not 1 <= number <= held.pages:
        raise Http404
    response = HttpResponse(picture_of(bytes(held.content), number), content_type="image/png")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@require_GET
def file(request: HttpRequest, pk: int, issue: int) -> HttpResponse:
    """What is frozen, byte for byte as it was summed up."""
    held = issues.issue_for(job_for(request, pk, "money.see"), issue)
    assert canonical(json.loads(held.frozen)).decode() == held.frozen
    response = HttpResponse(held.frozen, content_type="application/json")
    response["Content-Disposition"] = str(content_disposition_header(True, f"{slugify(held.job.name) or 'job'}-{held.revision}.json"))
    return response


# --- without an account -----------------------------------------------------------------------------------------------
def _link(request: HttpRequest, secret: str) -> IssueLink | HttpResponse:
    """The link of an address; the answer where there is none, or too many were opened."""
    if not issues.may_open(request.META.get("REMOTE_ADDR", "")):
        return told(request, HTTPStatus.TOO_MANY_REQUESTS, "Too many links were opened from here. Wait a minute, then open it again.")
    found = issues.link_of(secret)
    if found is None:
        raise Http404
    read_by(found.issue.job.standard, issues.language_of(found.issue))
    acts_as(LINK)
    return found


@login_not_required
@never_cache
@require_http_methods(["GET", "POST"])
def link(request: HttpRequest, secret: str) -> HttpResponse:
    """What a link shows: a proposal, to be accepted or declined once, or the owner's book."""
    found = _link(request, secret)
    if isinstance(found, HttpResponse):
        return found
    if request.method == "GET":
        return _shown(request, found, secret)
    if found.kind != "proposal":
        raise Http404
    typed = {"name": request.POST.get("name", ""), "note": request.POST.get("note", "")}
    try:
        issues.answer(found.issue, request.POST.get("act", "") if request.POST.get("act") != "withdraw" else "", typed["name"], typed["note"])
    except Refused as error:
        return _shown(request, found, secret, status_of(error), problem=str(error), field=error.field, typed=typed)
    return redirect("link", secret)


def _shown(request: HttpRequest, found: IssueLink, secret: str, status: int = 200, **more: Any) -> HttpResponse:
    held = Issue.objects.select_related("job__workspace").get(pk=found.issue_id)
    whole = issues.document_of(held)
    context = {
        "secret": secret, "issue": held, "kind": found.kind, "paper": PAPERS[issues.SHOWS[found.kind]](whole), "drawings": _unstyled(whole["papers"]),
        "firm": whole["papers"]["firm"],
        "name": whole["design"]["job"]["name"], "answered_below": True, "typed": {"name": "", "note": ""}, "answers": held.events.filter(what=held.state),
    }  # fmt: skip
    response = render(request, "issues/link.html", context | more, status=status)
    response["X-Robots-Tag"] = "noindex, nofollow"
    return response


def _unstyled(drawings: dict[str, Any]) -> dict[str, str]:
    """Frozen drawings without the styles they carry for paper: the page's own stylesheet has the same rules."""
    return {name: re.sub(r"<style>.*?</style>", "", drawings.get(name, ""), flags=re.DOTALL) for name in ("train", "wall", "bypass", "shut")}


@login_not_required
@never_cache
@require_GET
def link_paper(request: HttpRequest, secret: str) -> HttpResponse:
    """The paper that a link shows."""
    found = _link(request, secret)
    if isinstance(found, HttpResponse):
        return found
    response = _paper(request, found.issue, issues.SHOWS[found.kind])
    response["X-Robots-Tag"] = "noindex, nofollow"
    return response
