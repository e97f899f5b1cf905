"""The list of jobs: found by name, a page at a time, with figures kept for as long as the facts they were worked out from stand."""

from __future__ import annotations

import time
from typing import Any

from django.core.paginator import Page, Paginator
from django.db import IntegrityError, transaction
from django.db.models import Exists, F, OuterRef, Q, QuerySet, Subquery
from django.utils import timezone

from treatment.audit.rules import gravity
from treatment.language.errors import BadDocument

from ..records.catalogue import CatalogueVersion
from ..records.firm import Workspace
from ..records.job import Job, JobFigures
from ..repository.door import design_of
from ..repository.results import rules
from ..usecases.trains import shown_stages

PER_PAGE = 25
#: counts up where other figures are kept of a job
DRAWN = 3
#: seconds that a page works out figures before it shows the others as they were
AT_ONCE = 0.15


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
    jobs = with_figures(jobs.annotate(twins=Exists(same))).order_by(*SORTS[sort][1])
    return Paginator(jobs.select_related("updated_by", "log", "customer", "place"), PER_PAGE).get_page(page)


def with_figures(jobs: QuerySet[Job]) -> QuerySet[Any]:
    """Jobs with what their figures stand on, and those that are kept."""
    stock = CatalogueVersion.objects.filter(catalogue=OuterRef("catalogue")).order_by("-number").values("number")[:1]
    return jobs.annotate(stock=Subquery(stock)).select_related("survey", "figures").prefetch_related("options")


def figures_of(jobs: list[Job], seconds: float = AT_ONCE) -> tuple[dict[int, JobFigures | None], bool]:
    """What the list shows of each job, and whether that of some is out of date: worked out anew where its facts, the week or the engine are no
    longer those of the last time, as many as take so many seconds; of the others what was kept, or nothing yet.
    """
    until, fresh, late = time.monotonic() + seconds, list[JobFigures](), False
    found: dict[int, JobFigures | None] = {}
    for job in jobs:
        key, held = key_of(job), getattr(job, "figures", None)
        if held is None or held.key != key:
            if time.monotonic() < until:
                held = JobFigures(job=job, key=key, **_worked(job, shown_stages(job)))
                fresh.append(held)
            else:
                late = True
        found[job.pk] = held
    if fresh:
        _keep(fresh)
    return found, late


def key_of(job: Job) -> str:
    """What figures stand on: the rules, and every change: of a job it counts its version up, of its train that of its option."""
    option = next((option for option in job.options.all() if option.letter == job.option), None)
    year, week, _ = timezone.localdate().isocalendar()
    train = "" if option is None else f"{option.letter}{option.version}.{option.at}"
    return f"{DRAWN}/{rules()}/{job.version}/{train}/{job.standard}{job.units}/{getattr(job, 'stock', None) or ''}/{year}-{week}"[:64]


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
