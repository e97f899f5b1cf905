"""What can be done to a train. Each edit makes a revision, saves with a version check, and can be undone."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from django.db import transaction
from django.db.models import F, Max, Min
from django.utils import timezone

from treatment.editing.edit import Edit, NotDone, Stages, named
from treatment.job_file import read_stage, written
from treatment.language.errors import BadDocument, Fault
from treatment.studies.repair import repair

from ..outcome import Done, Late, Refused
from ..records.job import Job, advance
from ..records.train import Revision, TrainOption
from ..repository.door import design_of
from .acting import use_case
from .jobs import hold, touch

LETTERS = ("A", "B", "C")


class Seen(NamedTuple):
    """What a page showed of a train when an edit was asked of it: the option's version, and the revision; 0 where it does not say."""

    version: int
    revision: int


def option_of(job: Job, letter: str = "") -> TrainOption:
    """An option of a job, by default the one it follows. Option A is made on first use, as the planner's proposal."""
    letter = letter or job.option
    option = TrainOption.objects.filter(job=job, letter=letter).first() or TrainOption.objects.filter(job=job, letter=job.option).first()
    if option is None:
        with transaction.atomic():  # others see the option with its first revision, or not at all
            hold(job)
            option, _ = TrainOption.objects.get_or_create(job=job, letter="A")
            Revision.objects.get_or_create(option=option, number=0, defaults={"stages": None, "summary": "the proposal"})
    return option


@use_case("job.change")
def open_option(job: Job, stages: Stages | None, summary: str, user: Any) -> Done[TrainOption]:
    """A new option of a job that starts with these stages. Raises Refused where all three letters are taken."""
    taken = set(TrainOption.objects.select_for_update().filter(job=job).values_list("letter", flat=True))
    letter = next((letter for letter in LETTERS if letter not in taken), None)
    if letter is None:
        raise Refused("A job can have three options. Delete one first.")
    if stages is not None:
        _readable(stages)
    option = TrainOption.objects.create(job=job, letter=letter, updated_by_id=user.pk)
    Revision.objects.create(option=option, number=0, stages=stages, summary=summary[:200], made_by_id=user.pk)
    return Done(option)


@use_case("job.change")
def drop_option(job: Job, option: TrainOption, version: int, seen: int | None, user: Any) -> Done[None]:
    """Drop an option as it was seen. Raises Refused for the one that the job follows, Late where job or option were changed since."""
    if option.letter == job.option:
        raise Refused("The job uses this option. Choose another first.")
    touch(job, version, user)
    claim(option, -1 if seen is None else seen, user)
    option.delete()
    return Done(None)


@use_case("job.change")
def follow(job: Job, option: TrainOption, version: int, user: Any) -> Done[None]:
    """Make an option the one that the job follows: its drawing, files and lists. Raises Late where ``version`` is no longer the newest."""
    touch(job, version, user)
    Job.objects.filter(pk=job.pk).update(option=option.letter)
    return Done(None)


def revision_of(option: TrainOption) -> Revision:
    """The revision an option stands at."""
    return option.revisions.get(number=option.at)


def shown_stages(job: Job) -> Stages | None:
    """The stages that stand in a job's train; None where it follows the proposal."""
    stands = Revision.objects.filter(option__job=job, option__letter=job.option, number=F("option__at"))
    return stands.values_list("stages", flat=True).first()


class Standing(NamedTuple):
    """The revision an option stands at, and whether there is one to go back and forward to."""

    revision: Revision
    can_undo: bool
    can_redo: bool


def standing_of(option: TrainOption) -> Standing:
    """Where an option stands among its revisions."""
    ends = option.revisions.aggregate(first=Min("number"), last=Max("number"))
    return Standing(revision_of(option), option.at > ends["first"], option.at < ends["last"])


def stages_at(job: Job, revision: Revision) -> Stages:
    """The stages of a state, each with its id; the proposal's where it follows that."""
    return named(written(design_of(job, None).plan.train) if revision.stages is None else revision.stages)


@use_case("job.change", apart=True)
def edit(job: Job, option: TrainOption, seen: Seen, user: Any, asked: Callable[[Job], Edit]) -> Done[None]:
    """Carry out an edit of a train. Where others changed other things of it since it was shown, it goes on top of that.

    asked: the edit, for the job as it stands. Raises Refused, Late (with the option) where both changed the same.
    """
    try:
        return _edit(job, option, seen.version, user, asked(job))
    except Late as late:
        now: TrainOption = late.stands
        shown = Revision.objects.filter(option=option, pk=seen.revision).first()
        if shown is None:
            raise
        fresh = Job.objects.get(pk=job.pk)
        wanted = asked(fresh)
        if not wanted.apart(stages_at(fresh, shown), stages_at(fresh, revision_of(now))):
            raise
        return _edit(fresh, now, now.version, user, wanted)


def _edit(job: Job, option: TrainOption, version: int, user: Any, wanted: Edit) -> Done[None]:
    stages = stages_at(job, revision_of(option))
    try:
        after, words, stage = wanted.done(stages)
    except NotDone as no:
        raise Refused(str(no), no.field) from None
    return Done(None, _save(option, version, user, after, words), stage)


@use_case("job.change", apart=True)
def mend(job: Job, option: TrainOption, version: int, user: Any) -> Done[None]:
    """Fix the train as the core would, with as few changes as it takes. Raises Late."""
    stages = stages_at(job, revision_of(option))
    mended = repair(design_of(job, stages))
    return Done(None, _save(option, version, user, written(mended.variant.train, stages), "fixed: " + "; ".join(mended.changes)))


@use_case("job.change", apart=True)
def restore(option: TrainOption, version: int, user: Any) -> Done[None]:
    """Follow the proposal again. Raises Late."""
    return Done(None, _save(option, version, user, None, "used the proposed train"))


@transaction.atomic
def _save(option: TrainOption, version: int, user: Any, stages: Stages | None, summary: str) -> str:
    """Make a revision and stand at it; revisions that had been undone are dropped. Raises Late (with the option)."""
    claim(option, version, user)
    advance(option.job, "designed")
    if stages is not None:
        _readable(stages)
    option.revisions.filter(number__gt=option.at).delete()
    Revision.objects.create(option=option, number=option.at + 1, stages=stages, summary=summary[:200], made_by_id=user.pk)
    TrainOption.objects.filter(pk=option.pk).update(at=F("at") + 1)
    option.at += 1
    return summary


@use_case("job.change")
def step(option: TrainOption, version: int, user: Any, by: int) -> Done[None]:
    """Undo (-1) or redo (+1). Raises Refused where there is nothing to, Late where the train moved on."""
    to = option.at + by
    revision = option.revisions.filter(number=to).first()
    if revision is None:
        raise Refused("There is nothing to undo." if by < 0 else "There is nothing to redo.")
    summary = revision_of(option).summary if by < 0 else revision.summary
    claim(option, version, user)
    TrainOption.objects.filter(pk=option.pk).update(at=to)
    option.at = to
    return Done(None, ("undone: " if by < 0 else "redone: ") + summary)


def claim(option: TrainOption, version: int, user: Any) -> None:
    """Take the next version of an option. Raises Late (with the option) where ``version`` is no longer the newest."""
    claimed = TrainOption.objects.filter(pk=option.pk, version=version).update(
        version=F("version") + 1, updated_by=user.pk, updated_at=timezone.now()
    )
    if not claimed:
        raise Late(TrainOption.objects.select_related("updated_by").get(pk=option.pk))
    option.version = version + 1


def _readable(stages: Stages) -> None:
    faults: list[Fault] = []
    for i, stage in enumerate(stages):
        read_stage(stage, f"$.train[{i}]", faults)
    if faults:
        raise BadDocument(faults)
