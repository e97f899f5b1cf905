"""What can be done to a job; each saves with a version check."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.db.models import F
from django.utils import timezone

from ..outcome import Done, Late, Refused, one_of
from ..records.catalogue import Catalogue
from ..records.firm import Workspace
from ..records.issue import Issue
from ..records.job import Job, Survey
from ..repository.door import store
from .acting import use_case

KEPT_IN_BIN = timedelta(days=30)


@transaction.atomic
def touch(job: Job, version: int, user: Any) -> None:
    """Claim the next version of a job. Raises Late (with the job) where ``version`` is no longer the newest, Gone."""
    updated = Job.objects.filter(pk=job.pk, version=version).update(version=F("version") + 1, updated_by=user.pk, updated_at=timezone.now())
    if not updated:
        raise Late(one_of(Job.objects.select_related("survey", "updated_by"), pk=job.pk))
    job.version = version + 1


def hold(job: Job) -> Job:
    """The job's row, held until the transaction ends. Whoever changes a part of a job takes it first, so that nobody waits in a circle.

    Raises Gone.
    """
    return one_of(Job.objects.select_for_update(), pk=job.pk)


@transaction.atomic
def bump(job: Job, user: Any) -> None:
    """Mark a job as changed where the change cannot collide (a reading added or taken out)."""
    Job.objects.filter(pk=job.pk).update(version=F("version") + 1, updated_by=user.pk, updated_at=timezone.now())


@use_case("job.change")
def begin(workspace: Workspace, name: str, standard: str, units: str, user: Any) -> Done[Job]:
    """An empty job."""
    job = Job.objects.create(workspace=workspace, name=name, standard=standard, units=units, updated_by_id=user.pk)
    Survey.objects.create(job=job)
    return Done(job)


@use_case("job.change")
def take_in(document: dict[str, Any], workspace: Workspace, user: Any, catalogue: Catalogue | None = None) -> Done[Job]:
    """A new job from a job document. Raises Unread with every fault; nothing is stored then."""
    return Done(store(document, workspace, user, catalogue))


@use_case("job.change")
def show_in(job: Job, units: str, user: Any) -> Done[None]:
    """The units that a job is shown in."""
    bump(job, user)
    Job.objects.filter(pk=job.pk).update(units=units)
    return Done(None)


@use_case("job.change")
def keep_survey(job: Job, version: int, user: Any, write: Callable[[Survey], Mapping[str, Any]]) -> Done[None]:
    """Keep what was told of a job on a form. write: puts it into the survey, and gives what it says of the job itself.

    Raises Late where somebody saved the job since the form was shown; nothing is written then.
    """
    touch(job, version, user)
    told = dict(write(job.survey))
    if told:
        for name, value in told.items():
            setattr(job, name, value)
        job.save(update_fields=list(told))
    job.survey.save()
    return Done(None)


@use_case("job.change")
def note_seen(job: Job, observation: str, user: Any) -> Done[None]:
    """An observation more, beside those that were told."""
    hold(job)
    survey = Survey.objects.select_for_update().get(job=job)
    if observation not in survey.observations:
        survey.observations = [*survey.observations, observation]
        survey.save(update_fields=["observations"])
        bump(job, user)
    return Done(None)


@use_case("job.change")
def put_in_bin(job: Job) -> Done[None]:
    """Take a job out of every list, door and calendar; it can be put back for a while. What was in the bin longer goes for good.

    Whoever adds to it just now is waited for, and whoever comes later finds it gone.
    """
    hold(job)
    if Issue.objects.filter(job=job).exists():
        raise Refused("A design of this job was issued, so the job cannot be deleted. Archive it.")
    now = timezone.now()
    Job.objects.filter(pk=job.pk).update(binned_at=now)
    Job.everything.filter(workspace=job.workspace_id, binned_at__lt=now - KEPT_IN_BIN).delete()
    return Done(None, f"{job.name} is in the bin for {KEPT_IN_BIN.days} days. Put it back from there, under Jobs.")


@use_case("job.change", apart=True)
def put_back(workspace: Workspace, pk: int) -> Done[Job]:
    """A job out of the bin, as it was. Raises Gone."""
    job = one_of(Job.everything.exclude(binned_at=None), workspace=workspace, pk=pk)
    Job.everything.filter(pk=job.pk).update(binned_at=None)
    return Done(job, f"{job.name} was put back.")


@use_case("job.change", apart=True)
def archive(job: Job, done: bool) -> Done[None]:
    """Take a job out of the list that opens first, or put it back; everything else of it goes on."""
    Job.objects.filter(pk=job.pk).update(archived_at=timezone.now() if done else None)
    return Done(None, f"{job.name} is in the archive." if done else f"{job.name} is in the list again.")


@use_case("job.change")
def set_entry(job: Job, part: str, key: str, row: dict[str, Any] | None, user: Any, version: int) -> Done[None]:
    """Put an entry of the job's own in place of ours, or take it back with None. Raises Late where ``version`` is no longer the newest."""
    touch(job, version, user)
    entries = {name: each for name, each in locked(job).rest.get(part, {}).items() if name != key}
    set_part(job, part, entries | ({key: row} if row else {}), user)
    return Done(None)


@transaction.atomic
def set_part(job: Job, part: str, value: Any, user: Any) -> None:
    """Write a whole part that has no column, or take it out where it is empty."""
    survey = locked(job)
    survey.rest = {key: each for key, each in survey.rest.items() if key != part} | ({part: value} if value else {})
    survey.save(update_fields=["rest"])
    job.survey.rest = survey.rest
    bump(job, user)


def locked(job: Job) -> Survey:
    """The survey as it stands, held with its job until the transaction ends."""
    hold(job)
    return Survey.objects.select_for_update().get(job=job)
