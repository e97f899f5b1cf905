"""What can be done on a run sheet. An event is taken once, in the order of arrival, under the lock of its run."""

from __future__ import annotations

import datetime as dt
import json
import secrets
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from django.db import transaction
from django.db.models import F
from django.utils import timezone

from intake.pictures import NoPhoto, Photo, photo
from treatment.commissioning.expected import Expectations
from treatment.commissioning.record import LIFTED, lift_problem, record
from treatment.commissioning.run import KINDS, Refusal, Run, RunEvent
from treatment.commissioning.sheet import Sheet, sheet
from treatment.design import Design
from treatment.job.facts import SampleFacts
from treatment.language.analytes import analytes
from treatment.language.errors import NotUnderstood
from treatment.language.log_keys import log_key
from treatment.language.reading import parse_reading
from treatment.papers.issue import canonical, checksum

from ..outcome import Done, Late, Refused, one_of
from ..records.job import Job, advance
from ..records.run import StartEvent, StartPhoto, StartRecord, StartRun
from ..records.sample import Sample
from ..repository.door import design_of
from ..usecases import trains
from ..usecases.acting import use_case
from ..usecases.jobs import hold

#: how far a phone's clock may lie from ours before what it says is put right [s]
CLOCK = 90
#: and how far before it tells nothing at all [s]: two years
FAR = 63_072_000
MOST_TEXT = 2000


@dataclass(frozen=True)
class Told:
    """What somebody did, as a page or a phone tells it. at, sent_at: by its own clock."""

    key: str
    step: str
    kind: str
    text: str = ""
    about: str = ""
    base: int = 0
    sure: bool = False
    at: dt.datetime | None = None
    sent_at: dt.datetime | None = None


@dataclass(frozen=True)
class Taken:
    """How something told was taken: under which number, or as which it was here already (again). clock_s: by what the phone's clock was put right."""

    number: int
    again: bool = False
    clock_s: int = 0


class NotTaken(Refused):
    """What was told is not taken. field: what it wants (a reason, a photo, a step before it, …); refusal: of the core, with what is missing."""

    def __init__(self, wants: str, words: str, refusal: Refusal | None = None) -> None:
        super().__init__(words, wants)
        self.refusal = refusal


def run_of(job: Job) -> StartRun | None:
    """The starting up of a job, if it has one."""
    return StartRun.objects.filter(job=job).first()


def events_of(run: StartRun | None) -> list[RunEvent]:
    """Everything that happened, as the core takes it: by the clock of the place, since a sample's day is held against a step's."""
    if run is None:
        return []
    return [
        RunEvent(e.number, e.key, e.step, e.kind, timezone.localtime(e.at), e.by_name, e.base, e.text, e.about, e.low, e.high, e.title)
        for e in run.events.order_by("number")
    ]


def worked(job: Job) -> tuple[Design, Sheet, Expectations]:
    """The design that the job follows, its sheet, and what to expect."""
    design = design_of(job, trains.shown_stages(job))
    return design, sheet(design.chosen), Expectations(design.chosen)


def state_of(job: Job, run: StartRun | None) -> tuple[Design, Run]:
    """The design and the run as it stands."""
    design, found, expected = worked(job)
    return design, Run(found, events_of(run), expected, run.begun_with if run else None)


@use_case("run.write", apart=True)
def take(job: Job, told: Told, user: Any, image: bytes | None = None) -> Done[Taken]:
    """Take one event. What was taken already is not taken twice. Raises NotTaken where it does not fit, and nothing is written."""
    small: Photo | None = None
    if told.kind == "photo":
        try:
            small = photo(image or b"")
        except NoPhoto as error:
            raise NotTaken("photo", str(error)) from None
    with transaction.atomic():
        hold(job)
        row, _ = StartRun.objects.select_for_update().get_or_create(job=job)
        already = row.events.filter(key=told.key).first()
        if already is not None:
            return Done(Taken(already.number, again=True))
        _, run = state_of(job, row)
        event, clock = _event(job, run, told, user, row.last + 1)
        saved = StartEvent.objects.create(
            run=row, number=event.number, key=event.key, step=event.step, kind=event.kind, at=event.at, by=user, by_name=event.by, base=event.base, text=event.text,
            about=event.about, low=event.low, high=event.high, title=event.title, clock_s=clock,
        )  # fmt: skip
        if small is not None:
            StartPhoto.objects.create(event=saved, image=small.image, width=small.width, height=small.height)
        row.last = event.number
        row.begun_with = row.begun_with or {step.id: step.row.title for step in run.sheet.steps}
        after = Run(run.sheet, [*run.events, event])
        row.open_steps = len(after.sheet.steps) - after.done
        if not row.open_steps:
            advance(job, "installed")
        row.save(update_fields=["last", "begun_with", "open_steps"])
        if not row.open_steps:
            _keep_record(job, row)
    return Done(Taken(event.number, clock_s=clock))


def record_of(job: Job, run: Run) -> dict[str, Any]:
    """The record of a run as it stands, as ``cairn-commissioning/1``."""
    return record(run, {"name": job.name, "units": job.units, "standard": job.standard, "firm": job.workspace.name})


def _keep_record(job: Job, row: StartRun) -> None:
    """Keep the record of a sheet on which nothing is open: what later designs and engines make of it changes it no more."""
    document = record_of(job, state_of(job, row)[1])
    StartRecord.objects.create(run=row, number=row.last, document=canonical(document).decode(), sha256=checksum(document), engine=document["engine"])


def kept_records(row: StartRun | None) -> list[StartRecord]:
    """The records that were kept, the newest first, without what stands in them."""
    return list(row.records.defer("document")) if row is not None else []


def record_asked(job: Job, number: str) -> tuple[dict[str, Any], StartRecord | None]:
    """A record, and as what it was kept: that of an event by its number; else the newest while all is done, and how it stands where something is open.

    Raises Gone.
    """
    if number:
        held = one_of(StartRecord, run__job=job, number=int(number) if number.isdecimal() and len(number) < 10 else 0)
        return json.loads(held.document), held
    row = run_of(job)
    _, run = state_of(job, row)
    newest = row.records.filter(number=row.last).first() if row is not None and run.complete else None
    return (record_of(job, run), None) if newest is None else (json.loads(newest.document), newest)


def pictures_of(job: Job, keys: Iterable[str]) -> dict[str, bytes]:
    """The pictures of some events of a job's sheet, by the key of the event."""
    return {
        photo.event.key: bytes(photo.image)
        for photo in StartPhoto.objects.filter(event__run__job=job, event__key__in=list(keys)).select_related("event")
    }


def _event(job: Job, run: Run, told: Told, user: Any, number: int) -> tuple[RunEvent, int]:
    """What was told as an event of the run, and by how many seconds the phone's clock was put right. Raises NotTaken."""
    now = timezone.now()
    at, clock = when(told, now)
    if told.kind not in KINDS:
        raise NotTaken("kind", "This is not a step of the checklist.")
    step = run.sheet.by_id.get(told.step)
    if step is None:
        raise NotTaken("gone", "The train was changed and this step is no longer on the checklist. Nothing was lost; reload the checklist.")
    event = RunEvent(
        number, told.key or new_key(), told.step, told.kind, at, user.get_username(), told.base, told.text.strip(), told.about, title=step.row.title
    )
    if len(event.text) > MOST_TEXT:
        raise NotTaken("text", f"This is too long: at most {MOST_TEXT} characters.")
    if told.kind in ("tick", "skip"):
        refusal = run.refusal(step, told.kind, at, event.text, told.sure)
        if refusal is not None:
            raise NotTaken(refusal.wants, refusal.words, refusal)
    elif told.kind == "reading":
        try:
            key = log_key(told.about, {each.stage.id for each in run.sheet.steps if each.stage is not None})
            low, high = key.read(key.typed(event.text, job.units))
        except NotUnderstood as error:
            raise NotTaken("reading", f"This cannot be read: {error.reason}.") from None
        event = replace(event, low=low, high=high)
    elif told.kind == "undo" and not any(mark.key == told.about for mark in run.of(told.step).marks) and not _lifts(run, told.about):
        raise NotTaken("gone", "Someone has already undone this.")
    elif told.kind == "note" and not event.text:
        raise NotTaken("text", "Enter the note first.")
    elif told.kind == "lift":
        problem, words = _lift(job, run, told.about)
        if problem:
            raise NotTaken("sample", problem)
        event = replace(event, step=LIFTED, text=words)
    return event, clock


def _lifts(run: Run, key: str) -> bool:
    return any(event.kind == "lift" and event.key == key for event in run.events)


def _lift(job: Job, run: Run, about: str) -> tuple[str, str]:
    """Why a sample of the job cannot lift the advice, or which sample it was, in words."""
    row = Sample.objects.prefetch_related("readings").filter(job=job, pk=int(about)).first() if about.isdecimal() and len(about) < 10 else None
    if row is None:
        return "Choose the laboratory sample that shows it.", ""
    return lift_problem(facts_of(row), run), f"{row.point}, {row.taken_on:%Y-%m-%d}" if row.taken_on else row.point


def facts_of(row: Sample) -> SampleFacts:
    """A sample as the core reads it."""
    readings = {each.analyte: parse_reading(analytes()[each.analyte], each.typed) for each in row.readings.all()}
    return SampleFacts(taken_on=row.taken_on, point=row.point, method=row.method or None, readings=readings)


def when(told: Told, now: dt.datetime) -> tuple[dt.datetime, int]:
    """When it was done by our clock, and by how many seconds the phone's was put right.

    A phone says when it was done and when it sent that; what its clock is off shows in the second. Nothing is done in the future.
    """
    if told.at is None:
        return now, 0
    off = round((now - told.sent_at).total_seconds()) if told.sent_at else 0
    if abs(off) <= CLOCK:
        off = 0
    if abs(off) > FAR or abs((told.at - now).total_seconds()) > FAR:  # such a clock tells nothing
        return now, max(min(off, FAR), -FAR)
    return min(told.at + dt.timedelta(seconds=off), now), off


def new_key() -> str:
    """A key for what a page without scripts does."""
    return secrets.token_hex(12)


@use_case("run.write")
def plan(job: Job, version: int, user: Any, start: dt.datetime | None = None, moved: tuple[int, float | None] | None = None) -> Done[StartRun]:
    """Set when the first visit begins, or move one; minutes None: back to where it was. Raises Late."""
    hold(job)
    row, _ = StartRun.objects.select_for_update().get_or_create(job=job)
    if row.version != version:
        raise Late(row)
    if start is not None:
        row.start, row.moved = start, {} if row.start != start else row.moved
    if moved is not None:
        number, minutes = moved
        rest = {key: value for key, value in row.moved.items() if key != str(number)}
        row.moved = rest if minutes is None else rest | {str(number): minutes}
    row.updated_by = user
    row.version = F("version") + 1
    row.save()
    row.refresh_from_db()
    return Done(row)
