"""What can be done to a train. Each edit makes a revision, saves with a version check, and can be undone."""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any

from django.db import transaction
from django.db.models import F
from django.utils import timezone

from treatment.job.feed_limits import OwnFeedLimits
from treatment.job_file import MOST_STAGES, read_stage, stage_fields
from treatment.language.analytes import analytes
from treatment.language.errors import BadDocument, Fault
from treatment.language.spec import BAD, Choice, Measure
from treatment.treatments import ROOMS

from ..fields import sentence
from ..records.job import Job, advance
from ..records.train import Revision, TrainOption
from ..request import whole
from ..stale import Stale
from .jobs import hold, touch
from .refused import Refused

Stages = list[dict[str, Any]]


class StaleTrain(Stale):
    """Somebody else changed the train since it was shown. Carries the option as it stands now."""

    def __init__(self, option: TrainOption) -> None:
        super().__init__("changed by someone else since you opened it")
        self.option = option


LETTERS = ("A", "B", "C")
LONGEST_VALUE, LONGEST_REASON = 120, 300  # characters


def no_longer(text: str, most: int, field: str) -> str:
    """The text itself. Raises Refused beside the field where it is longer than is kept; nothing is cut short without a word."""
    if len(text) > most:
        raise Refused(f"This is {len(text)} characters long; at most {most} are kept. Shorten it.", field)
    return text


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


@transaction.atomic
def open_option(job: Job, stages: Stages | None, summary: str, user: Any) -> TrainOption:
    """A new option of a job that starts with these stages. Raises Refused where all three letters are taken."""
    taken = set(TrainOption.objects.select_for_update().filter(job=job).values_list("letter", flat=True))
    letter = next((letter for letter in LETTERS if letter not in taken), None)
    if letter is None:
        raise Refused("A job can have three options. Delete one first.")
    if stages is not None:
        _readable(stages)
    option = TrainOption.objects.create(job=job, letter=letter, updated_by_id=user.pk)
    Revision.objects.create(option=option, number=0, stages=stages, summary=summary[:200], made_by_id=user.pk)
    return option


@transaction.atomic
def drop_option(job: Job, option: TrainOption, version: int, seen: int | None, user: Any) -> None:
    """Drop an option as it was seen. Raises Refused for the one that the job follows, Stale where job or option were changed since."""
    if option.letter == job.option:
        raise Refused("The job uses this option. Choose another first.")
    touch(job, version, user)
    claim(option, -1 if seen is None else seen, user)
    option.delete()


@transaction.atomic
def follow(job: Job, option: TrainOption, version: int, user: Any) -> None:
    """Make an option the one that the job follows: its drawing, files and lists. Raises Stale where ``version`` is no longer the newest."""
    touch(job, version, user)
    Job.objects.filter(pk=job.pk).update(option=option.letter)


def revision_of(option: TrainOption) -> Revision:
    """The revision an option stands at."""
    return option.revisions.get(number=option.at)


def shown_stages(job: Job) -> Stages | None:
    """The stages that stand in a job's train; None where it follows the proposal."""
    option = next((option for option in job.options.all() if option.letter == job.option), None)
    if option is None:
        return None
    revision = next((revision for revision in option.revisions.all() if revision.number == option.at), None)
    return revision.stages if revision else None


def place_of(stages: Stages, stage_id: str) -> int:
    """Where a stage stands. Raises Refused where it is gone."""
    for i, stage in enumerate(stages):
        if stage.get("id") == stage_id:
            return i
    raise Refused("This stage is no longer in the train.")


def named(stages: Stages) -> Stages:
    """Give every stage an id of its own, as the core would name it."""
    taken = {stage["id"] for stage in stages if stage.get("id")}
    named = []
    for stage in stages:
        if not stage.get("id"):
            number, name = 1, stage["kind"]
            while name in taken:
                number += 1
                name = f"{stage['kind']}-{number}"
            taken.add(name)
            stage = {**stage, "id": name}
        named.append(stage)
    return named


def move(stages: Stages, stage_id: str, to: int) -> tuple[Stages, str, str]:
    """Move a stage to a place, counted from 0: the new stages, a summary, the stage to select."""
    here = place_of(stages, stage_id)
    to = max(0, min(to, len(stages) - 1))
    if to == here:
        raise Refused("It is already there.")
    after = copy.deepcopy(stages)
    after.insert(to, after.pop(here))
    return after, f"moved {title(stages[here])} {'later' if to > here else 'earlier'}", stage_id


def add(stages: Stages, kind: str, after_id: str) -> tuple[Stages, str, str]:
    """Add a stage of a kind after another, or at the end."""
    if kind not in ROOMS:
        raise Refused("Choose a treatment from the list.", "kind")
    if len(stages) >= MOST_STAGES:
        raise Refused(f"A train can have at most {MOST_STAGES} stages.", "kind")
    at = place_of(stages, after_id) + 1 if after_id else len(stages)
    after = named([*copy.deepcopy(stages[:at]), {"kind": kind}, *copy.deepcopy(stages[at:])])
    return after, f"added {ROOMS[kind].title.lower()}", after[at]["id"]


def exchange(stages: Stages, stage_id: str, kind: str) -> tuple[Stages, str, str]:
    """Put another kind of treatment in a stage's place."""
    here = place_of(stages, stage_id)
    if kind not in ROOMS:
        raise Refused("Choose a treatment from the list.", "kind")
    after = copy.deepcopy(stages)
    gone = after[here]
    after[here] = {"kind": kind}
    after = named(after)
    return after, f"replaced {title(gone)} by {ROOMS[kind].title.lower()}", after[here]["id"]


def remove(stages: Stages, stage_id: str) -> tuple[Stages, str, str]:
    here = place_of(stages, stage_id)
    after = copy.deepcopy(stages)
    gone = after.pop(here)
    return after, f"removed {title(gone)}", after[min(here, len(after) - 1)]["id"] if after else ""


def set_key(stages: Stages, stage_id: str, name: str, text: str, system: str) -> tuple[Stages, str, str]:
    """Fix a size or choice of a stage; a bare number takes the job's unit, an empty text leaves it to be sized. Raises Refused beside the field."""
    here = place_of(stages, stage_id)
    kind = stages[here]["kind"]
    spec = stage_fields(kind).get(name)
    if spec is None or name in ("id", "install", "feed_limits"):
        raise Refused("This stage has no such choice.", name)
    after = copy.deepcopy(stages)
    text = text.strip()
    if not text:
        after[here].pop(name, None)
        return after, f"left {name.replace('_', ' ')} of {title(stages[here])} to be sized", stage_id
    if isinstance(spec, Measure):
        text = spec.completed(text, system)
    raw: Any = {"true": True, "false": False}.get(text, text)
    if isinstance(spec, Choice) and (count := whole(text)) is not None:
        raw = count
    faults: list[Fault] = []
    if spec.read(raw, "", faults) is BAD or faults:
        message = faults[0].message
        raise Refused(message[0].upper() + message[1:] + ".", name)
    after[here][name] = raw
    return after, f"set {name.replace('_', ' ')} of {title(stages[here])} to {text}", stage_id


def set_feed_limit(stages: Stages, stage_id: str, analyte: str, end: str, text: str, reason: str) -> tuple[Stages, str, str]:
    """Put a feed limit of the designer's own in place of ours (end: low or high); an empty text goes back to ours.

    Raises Refused beside the field.
    """
    here = place_of(stages, stage_id)
    field = f"takes-{analyte}-{end}"
    if end not in ("low", "high"):
        raise Refused("This action is not known.")
    after = copy.deepcopy(stages)
    held = dict(after[here].get("feed_limits") or {})
    row = {name: value for name, value in (held.pop(analyte, None) or {}).items() if name != end}
    text = text.strip()
    if text:
        row |= {end: no_longer(text, LONGEST_VALUE, field), "reason": no_longer(" ".join(reason.split()), LONGEST_REASON, field)}
    if "low" in row or "high" in row:
        faults: list[Fault] = []
        OwnFeedLimits().read({analyte: row}, "", faults)
        if faults:
            raise Refused(sentence(faults[0].message), "" if faults[0].path == f".{analyte}" else field)
        held[analyte] = row
    after[here]["feed_limits"] = held
    if not held:
        del after[here]["feed_limits"]
    said = analytes()[analyte].said if analyte in analytes() else analyte
    what = (
        f"set the feed limit of {title(stages[here])} takes of {said} to {text}"
        if text
        else f"reset to the default limit of {said} for {title(stages[here])}"
    )
    return after, what, stage_id


def title(stage: dict[str, Any]) -> str:
    return ROOMS[stage["kind"]].title.lower()


@transaction.atomic
def save(option: TrainOption, version: int, user: Any, change: Callable[[], tuple[Stages | None, str]]) -> str:
    """Make a revision by ``change`` and stand at it; revisions that had been undone are dropped. Raises StaleTrain."""
    claim(option, version, user)
    stages, summary = change()
    advance(option.job, "designed")
    if stages is not None:
        _readable(stages)
    option.revisions.filter(number__gt=option.at).delete()
    Revision.objects.create(option=option, number=option.at + 1, stages=stages, summary=summary[:200], made_by_id=user.pk)
    TrainOption.objects.filter(pk=option.pk).update(at=F("at") + 1)
    option.at += 1
    return summary


@transaction.atomic
def step(option: TrainOption, version: int, user: Any, by: int) -> str:
    """Undo (-1) or redo (+1). Raises Refused where there is nothing to, StaleTrain where the train moved on."""
    to = option.at + by
    revision = option.revisions.filter(number=to).first()
    if revision is None:
        raise Refused("There is nothing to undo." if by < 0 else "There is nothing to redo.")
    summary = revision_of(option).summary if by < 0 else revision.summary
    claim(option, version, user)
    TrainOption.objects.filter(pk=option.pk).update(at=to)
    option.at = to
    return ("undone: " if by < 0 else "redone: ") + summary


def claim(option: TrainOption, version: int, user: Any) -> None:
    """Take the next version of an option. Raises StaleTrain where ``version`` is no longer the newest."""
    claimed = TrainOption.objects.filter(pk=option.pk, version=version).update(
        version=F("version") + 1, updated_by=user.pk, updated_at=timezone.now()
    )
    if not claimed:
        raise StaleTrain(TrainOption.objects.select_related("updated_by").get(pk=option.pk))
    option.version = version + 1


def _readable(stages: Stages) -> None:
    faults: list[Fault] = []
    for i, stage in enumerate(stages):
        read_stage(stage, f"$.train[{i}]", faults)
    if faults:
        raise BadDocument(faults)
