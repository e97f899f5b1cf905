"""The list of jobs: found by name, a page at a time, with figures kept for as long as the facts they were worked out from stand."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from django.core.paginator import Page, Paginator
from django.db import IntegrityError, transaction
from django.db.models import Exists, F, OuterRef, Q
from django.utils import timezone

from treatment import ENGINE
from treatment.audit.rules import gravity
from treatment.language.errors import BadDocument

from ..records.firm import Workspace
from ..records.job import Job, JobFigures
from ..repository.door import design_of, job_document
from ..usecases.trains import shown_stages

PER_PAGE = 25
#: counts up where other figures are kept of a job
DRAWN = 2


#: how the list is sorted: what a person chooses, and the fields
SORTS: dict[str, tuple[str, list[Any]]] = {
    "changed": ("Last changed", ["-updated_at", "pk"]), "name": ("Name", ["name", "pk"]), "created": ("Newest first", ["-created_at", "pk"]),
    "customer": ("Customer", [F("customer__name").asc(nulls_last=True), "pk"]), "state": ("State", ["state", "pk"]),
    "due": ("Upkeep due", [F("log__due_on").asc(nulls_last=True), "pk"]), "findings": ("Worst findings", [F("figures__gravity").desc(nulls_last=True), "pk"]),
}  # fmt: skip
#: which jobs are listed
SHELVES = {"active": "Active", "archived": "Archived", "bin": "Bin"}


def listed(workspace: Workspace, words: str, page: str, shelf: str = "active", sort: str = "changed", state: str = "") -> Page[Any]:
    """A page of a firm's jobs that hold all these words, sorted as chosen; the nearest page where there is no such one.

    words: in the job's name or number, its customer, its place; no sign is an operator. ``twins`` tells how many others of the firm
    bear the name.
    """
    jobs = Job.everything.filter(binned_at__isnull=shelf != "bin", workspace=workspace, **({"state": state} if state else {}))
    for word in words.split()[:8]:
        told = Q(name__icontains=word) | Q(customer__name__icontains=word) | Q(place__name__icontains=word) | Q(place__address__icontains=word)
        jobs = jobs.filter(told | Q(pk=int(word)) if word.isdecimal() and len(word) < 10 else told)
    if shelf != "bin":
        jobs = jobs.filter(archived_at__isnull=shelf != "archived")
    same = Job.objects.filter(workspace=workspace, name=OuterRef("name")).exclude(pk=OuterRef("pk")).order_by()
    jobs = jobs.annotate(twins=Exists(same)).order_by(*SORTS[sort][1])
    jobs = jobs.select_related("survey", "updated_by", "figures", "log", "catalogue", "customer", "place").prefetch_related(
        "samples__readings", "options__revisions"
    )
    return Paginator(jobs, PER_PAGE).get_page(page)


def figures_of(jobs: list[Job]) -> dict[int, JobFigures]:
    """What the list shows of each job, worked out anew where its facts, the day or the engine are no longer those of the last time."""
    found, fresh = {}, []
    for job in jobs:
        stages = shown_stages(job)
        key = _key(job, stages)
        held = getattr(job, "figures", None)
        if held is None or held.key != key:
            held = JobFigures(job=job, key=key, **_worked(job, stages))
            fresh.append(held)
        found[job.pk] = held
    if fresh:
        _keep(fresh)
    return found


def _key(job: Job, stages: list[dict[str, Any]] | None) -> str:
    facts = [DRAWN, ENGINE, timezone.localdate().isoformat(), job_document(job, stages)]
    return hashlib.sha256(json.dumps(facts, sort_keys=True).encode()).hexdigest()


def _worked(job: Job, stages: list[dict[str, Any]] | None) -> dict[str, Any]:
    try:
        chosen = design_of(job, stages).chosen
    except BadDocument:
        return {"stages": [], "tally": [], "readable": False}
    stages_shown = [[stage.name, stage.room.silhouette] for stage in chosen.run.stages]
    return {"stages": stages_shown, "tally": list(chosen.tally.items()), "readable": True, "gravity": gravity(chosen.tally)}


def _keep(fresh: list[JobFigures]) -> None:
    """Keep what was worked out; a job that was deleted meanwhile keeps nothing."""
    try:
        with transaction.atomic():
            JobFigures.objects.bulk_create(
                fresh, update_conflicts=True, unique_fields=["job"], update_fields=["key", "stages", "tally", "readable", "gravity"]
            )
    except IntegrityError:
        return
