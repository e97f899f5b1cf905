"""What can be done in a logbook: entries in, out and back; what was said of causes; devices; addresses of calendars."""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import re
import secrets
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import structlog
from django.db import transaction
from django.db.models import CharField, Count, F, Q, QuerySet, Sum, Value
from django.db.models.functions import Cast, Concat
from django.utils import timezone

from intake.pictures import photo
from treatment.design import Design
from treatment.language.errors import BadDocument, NotUnderstood
from treatment.language.log_keys import SOURCE, TAP, log_key
from treatment.language.series_key import SeriesKey
from treatment.language.spec import holds_unfit
from treatment.operation.diagnosis.cause import Cause
from treatment.operation.diagnosis.diagnosis import Diagnosis
from treatment.operation.maintenance.due import gathered
from treatment.operation.maintenance.ical import events
from treatment.operation.maintenance.log import FORMAT, loads, read_log
from treatment.operation.maintenance.upkeep import Task, upkeep
from treatment.operation.maintenance.use import question

from ..merging import late_words, settle
from ..outcome import Done, Late, Refused
from ..records.firm import Membership, Workspace
from ..records.job import Job, advance
from ..records.log import CauseNote, JobLog, LogEntry, LogPhoto
from ..repository.door import design_of
from ..repository.remembered import ReadLog, of_firm
from ..repository.results import rules
from . import trains
from .acting import use_case
from .jobs import hold
from .thinning import DEVICE, thin

#: entries that are read of a log, the newest
READ = 10_000
#: entries from which on a log is worked out when somebody looks, not with each entry of a device, or of a person who sees its page next
BUSY = 200
told = structlog.get_logger("workbench.logs")
#: days that a calendar looks ahead
YEAR = 365
#: the earliest day that is kept
EARLIEST = dt.date(1980, 1, 1)
#: how the key of an entry begins that came with a table
OF_A_TABLE = "table-"
#: where a fault of an entry stands in its document
_PLACE = re.compile(r"^\$\.entries\[\d+\]\.?")


@dataclass
class Book:
    """A logbook as it stands. gone: what was written at stages, or of tasks, that the train no longer has; unread: its oldest entries,
    where it holds more than are read (devices' days are drawn together until it does not)."""

    job: Job
    log: JobLog
    design: Design
    tasks: tuple[Task, ...]
    diagnosis: Diagnosis
    gone: list[str] = field(default_factory=list)
    unread: int = 0

    @cached_property
    def names(self) -> dict[str, str]:
        """Stage id -> its name, with its place in the train where two bear the same."""
        stages = self.design.chosen.run.stages
        names = [stage.name for stage in stages]
        return {stage.id: f"{stage.name}, unit {stage.index + 1}" if names.count(stage.name) > 1 else stage.name for stage in stages}

    def task_words(self, task: Task) -> str:
        """A task with the unit that it is done at."""
        return task.row.task if task.stage is None else f"{task.row.task}: {self.names[task.stage.id]}"


def log_of(job: Job) -> JobLog | None:
    """The log of a job, if it has one."""
    return JobLog.objects.filter(job=job).first()


#: said where all of it was kept before
ONCE = "This was saved before; it counts once."


@use_case("log.write", apart=True)
def started(job: Job, on: dt.date) -> Done[JobLog]:
    """The log of a job, begun on a day, or moved to it."""
    advance(job, "kept")
    log, made = JobLog.objects.get_or_create(job=job, defaults={"started_on": on})
    if not made and log.started_on != on:
        log.started_on = on
        log.save(update_fields=["started_on"])
    return Done(log)


def document_of(log: JobLog, newest: int | None = None) -> dict[str, Any]:
    """The log as ``cairn-log/1``, all of it; or its newest entries. Of a thinned day the entry that stands for it."""
    kept = log.entries.filter(gone=False).order_by("-on", "-pk").values_list("on", "body")
    entries = list(kept if newest is None else kept[:newest])[::-1]
    plain = [{"on": on.isoformat()} | {name: value for name, value in body.items() if name != "thinned"} for on, body in entries]
    return {"format": FORMAT, "started_on": log.started_on.isoformat(), "entries": plain}


def opened(job: Job, today: dt.date | None = None, newest: int | None = None) -> Book | None:
    """The logbook read against the design that the job follows; None where none was begun.

    What stands at stages or tasks that the train no longer has is left aside, and named. newest: only so many of its entries are read.
    """
    log = log_of(job)
    if log is None:
        return None
    design, today = design_of(job, trains.shown_stages(job)), today or timezone.localdate()
    firm, state = of_firm(job.workspace_id), _state_of(log)
    if state[0] > READ and thin(log, [stage.id for stage in design.chosen.run.stages], timezone.localtime()):
        state = _state_of(log)
    stands = (today, log.started_on, *state)
    read = firm.log(job.pk, stands, design)
    if read is None:
        read = _read(log, stands, design, newest)
        if newest is None:
            firm.keep(job.pk, read)
    return Book(job, log, read.design, read.diagnosis.tasks, read.diagnosis, read.gone, max(state[0] - READ, 0))


def _state_of(log: JobLog) -> tuple[int, int]:
    """What changes with every entry that comes, goes, or comes back: how many stand, and the sum of their numbers."""
    found = log.entries.filter(gone=False).aggregate(count=Count("pk"), total=Sum("pk"))
    return found["count"], found["total"] or 0


def _read(log: JobLog, stands: tuple[Any, ...], design: Design, newest: int | None) -> ReadLog:
    """The entries of a log read against a design, what the train no longer has left aside. stands: the day that it is read on comes first."""
    tasks, gone = upkeep(design.chosen), list[str]()
    document = document_of(log, READ if newest is None else newest)
    ids = [stage.id for stage in design.chosen.run.stages]
    document["entries"] = [kept for entry in document["entries"] if (kept := _still(entry, ids, {task.id for task in tasks}, gone))]
    read = read_log(document, tasks, ids, bounded=False)
    return ReadLog(stands, design, Diagnosis(design.chosen, read, stands[0], tasks), sorted(set(gone)))


def _still(entry: dict[str, Any], ids: Sequence[str], tasks: set[str], gone: list[str]) -> dict[str, Any]:
    """An entry less what the train no longer has; empty where nothing is left of it."""
    kept = dict(entry)
    readings = dict(entry.get("readings", {}))
    for key in list(readings):
        place = SeriesKey.of(key).place
        if place and place not in (SOURCE, TAP, *ids):
            gone.append(place)
            readings.pop(key)
    if "readings" in kept:
        kept["readings"] = readings
    if kept.get("did") and kept["did"] not in tasks:
        gone.append(kept.pop("did"))
        kept.pop("amount", None)
    if kept.get("alarm") and kept["alarm"] not in ids:
        gone.append(kept.pop("alarm"))
    said = any(kept.get(name) for name in ("readings", "did", "seen", "note", "alarm", "away"))
    return kept if said else {}


def remember(book: Book) -> None:
    """Keep what the log comes to, for the list of jobs and the firm's calendar."""
    due = book.diagnosis.due
    coming = [[each.due_on.isoformat(), each.task.id, book.task_words(each.task), each.task.row.who] for each in due[:40]]
    dangers = sum(cause.severity == "danger" for cause in standing(book))
    values = {
        "due_on": due[0].due_on if due else None,
        "coming": coming,
        "dangers": dangers,
        "worked_on": book.diagnosis.as_of,
        "worked_for": worked_for(book.job),
    }
    if any(getattr(book.log, name) != value for name, value in values.items()) or (due and not book.log.events):
        JobLog.objects.filter(pk=book.log.pk).update(events=_events(book), **values)


def _events(book: Book) -> str:
    """The visits of the year that comes, stamped with the day, so that they are kept anew only where they changed."""
    today = book.diagnosis.as_of
    visits = gathered(book.diagnosis.due, today + dt.timedelta(days=YEAR), since=today)
    return events(str(book.job.pk), book.job.name, visits, dt.datetime.combine(today, dt.time(), dt.UTC))


def worked_for(job: Job) -> str:
    """What the summary of a log stands on beside the log: the rules as they stand, and the job as it was saved last."""
    return f"{rules()}/{job.version}"


def _stale(workspace: Workspace) -> QuerySet[JobLog]:
    """Logs whose summary is not that of their job as it is, by these rules, of this week."""
    stands = Concat(Value(f"{rules()}/"), Cast("job__version", CharField()))
    old = Q(worked_on__lt=timezone.localdate() - dt.timedelta(days=7)) | Q(worked_on=None) | Q(events="", due_on__isnull=False)
    return JobLog.objects.filter(job__workspace=workspace, job__binned_at=None).annotate(stands=stands).filter(~Q(worked_for=F("stands")) | old)


def stale_logs(workspace: Workspace) -> bool:
    """Whether a log of the firm waits to be worked anew."""
    return _stale(workspace).exists()


def refreshed(workspace: Workspace, most: int | None = None) -> int:
    """Work anew what logs come to, where the job was saved since, the engine is another, or it was worked out a week ago; how many were.

    most: of one call, those longest ago first; all where None.
    """
    first = list(_stale(workspace).order_by("worked_on", "pk").values_list("pk", flat=True)[:most])
    found = JobLog.objects.filter(pk__in=first).select_related("job__survey", "job__workspace") if first else []
    for log in found:
        try:
            book = opened(log.job)
            if book is not None:
                remember(book)
        except Exception as error:  # whatever one house breaks on, its page says so; the other houses are worked out
            if not isinstance(error, BadDocument):
                told.warning("a log could not be worked out", job=log.job_id, error=type(error).__name__)
            JobLog.objects.filter(pk=log.pk).update(worked_on=timezone.localdate(), worked_for=worked_for(log.job))
    return len(first)


def check(job: Job, entries: Sequence[tuple[dt.date, dict[str, Any]]]) -> None:
    """Whether the log will take entries. Raises Refused with what was expected, and for a day that has not come."""
    for on, body in entries:
        if on > timezone.localdate():
            raise Refused(f"{on} is in the future. Enter today or an earlier date.")
        if on < EARLIEST:
            raise Refused(f"{on} is too early for a log. Enter the date as 2026-03-14.")
        if holds_unfit(body):
            raise Refused("It holds characters that cannot be kept.")
    design = design_of(job, trains.shown_stages(job))
    document = {"format": FORMAT, "started_on": entries[0][0].isoformat(), "entries": [{"on": on.isoformat()} | body for on, body in entries]}
    try:
        read_log(document, upkeep(design.chosen), [stage.id for stage in design.chosen.run.stages])
    except BadDocument as error:
        raise Refused("; ".join(f"{_PLACE.sub('', fault.path)}: {fault.message}" for fault in error.faults[:3])) from None


def meter_in(bodies: Sequence[dict[str, Any]]) -> str:
    """The meter reading among what was entered, as typed; empty where there is none."""
    return next((str(body["readings"]["meter"]) for body in bodies if "meter" in body.get("readings", {})), "")


def asked_of_meter(job: Job, on: dt.date, bodies: Sequence[dict[str, Any]], sure: str) -> str:
    """What is asked before a meter reading is kept that no house makes; empty where there is nothing to ask. sure: the reading somebody stands by."""
    text, log = meter_in(bodies), log_of(job)
    if not text or text == sure or log is None:
        return ""
    last = log.entries.filter(gone=False, on__lte=on, body__readings__has_key="meter").order_by("-on", "-pk").values_list("on", "body").first()
    if last is None:
        return ""
    key = log_key("meter", ())
    try:
        before, now = (last[0], key.read(str(last[1]["readings"]["meter"]))[0]), (on, key.read(text)[0])
    except NotUnderstood:
        return ""
    return question(design_of(job, trains.shown_stages(job)).chosen, before, now)


@use_case("log.write", apart=True)
def add(
    job: Job,
    entries: Sequence[tuple[dt.date, dict[str, Any]]],
    user: Any,
    key: str = "",
    picture: bytes | None = None,
    by: str = "",
    begun: dt.date | None = None,
) -> Done[list[LogEntry]]:
    """Keep entries, and return those that stand now and did not before. Raises Refused, and keeps none then.

    What was sent before, by its key, counts once; taken out meanwhile, it stands again. A key that was sent with other content is
    refused: nothing would be kept of it, and it must not be said to be. picture: kept small, with the first of them.
    begun: since when the train runs, where that is told; a log that began later is moved back to it, and to its first entry.
    """
    check(job, entries)
    small = photo(picture) if picture is not None else None
    key, first = key or secrets.token_hex(12), min([on for on, _ in entries] + ([begun] if begun else []))
    named = {f"{key}-{number}": (on, body) for number, (on, body) in enumerate(entries)}
    with transaction.atomic():
        hold(job)
        log = log_of(job) or started(job, first).made
        held = {entry.key: entry for entry in log.entries.filter(key__in=list(named))}
        if other := next((entry for name, entry in held.items() if (entry.on, entry.body) != named[name]), None):
            raise Refused(f"This was sent before with different content, for {other.on}, and that was saved. Nothing was changed: send it again.")
        back = [entry for entry in held.values() if entry.gone]
        LogEntry.objects.filter(pk__in=[entry.pk for entry in back]).update(gone=False)
        fresh = [(name, on, body) for name, (on, body) in named.items() if name not in held]
        made = back + LogEntry.objects.bulk_create(_row(log, on, body, name, user, by) for name, on, body in fresh)
        if small is not None and fresh:
            LogPhoto.objects.create(entry=made[len(back)], image=small.image, width=small.width, height=small.height)
        if log.started_on > first:
            JobLog.objects.filter(pk=log.pk).update(started_on=first)
    device = user is None and by.startswith(DEVICE)
    if (device or user is not None) and len(
        log.entries.values_list("pk")[: BUSY + 1]
    ) > BUSY:  # a person of the firm looks at it next; an owner does not
        if device:
            thin(log, [stage.id for stage in design_of(job, trains.shown_stages(job)).chosen.run.stages], timezone.localtime())
        JobLog.objects.filter(pk=log.pk).update(worked_for="")  # worked out anew when somebody looks
        return Done(made)
    book = opened(job)
    if book is not None:
        remember(book)
    return Done(made)


def _row(log: JobLog, on: dt.date, body: dict[str, Any], key: str, user: Any, by: str = "") -> LogEntry:
    return LogEntry(log=log, on=on, body=body, key=key, by=user, by_name=by or user.get_username())


@use_case("log.write", apart=True)
def add_table(job: Job, rows: Sequence[tuple[dt.date, dict[str, Any]]], user: Any) -> Done[int]:
    """Keep the rows of a table; how many bring something that no table brought and that stands. Raises Refused, and keeps none then.

    A reading that a table brought on that day counts once, whatever columns stood beside it then; taken out, it is new again.
    """
    check(job, rows)
    with transaction.atomic():
        hold(job)
        log = log_of(job) or started(job, min(on for on, _ in rows)).made
        held: Counter[tuple[dt.date, str, str]] = Counter()
        for on, body in log.entries.filter(gone=False, key__startswith=OF_A_TABLE, on__in={on for on, _ in rows}).values_list("on", "body"):
            held.update((on, key, text) for key, text in body.get("readings", {}).items())
        made = []
        for on, body in rows:
            fresh = {}
            for key, text in body["readings"].items():
                if held[on, key, text]:
                    held[on, key, text] -= 1
                else:
                    fresh[key] = text
            if fresh:
                made.append(_row(log, on, body | {"readings": fresh}, f"{OF_A_TABLE}{secrets.token_hex(16)}", user))
        LogEntry.objects.bulk_create(made)
        first = min(on for on, _ in rows)
        if log.started_on > first:
            JobLog.objects.filter(pk=log.pk).update(started_on=first)
    book = opened(job)
    if book is not None:
        remember(book)
    return Done(len(made))


@use_case("log.write", apart=True)
def take_document(job: Job, text: str, user: Any) -> Done[int]:
    """Keep the entries of a ``cairn-log/1`` document; how many are new. Raises Refused, and keeps none then; sent twice it counts once."""
    design = design_of(job, trains.shown_stages(job))
    try:
        loads(text, upkeep(design.chosen), [stage.id for stage in design.chosen.run.stages])
    except BadDocument as error:
        words = "; ".join(f"{fault.path}: {fault.message}" for fault in error.faults[:5])
        raise Refused(words + (f"; and {len(error.faults) - 5} more" if len(error.faults) > 5 else "")) from None
    document = json.loads(text)
    entries = [(dt.date.fromisoformat(entry.pop("on")), entry) for entry in document["entries"]]
    begun = dt.date.fromisoformat(document["started_on"])
    if entries:
        made = len(add(job, entries, user, hashlib.sha256(text.encode()).hexdigest()[:40], begun=begun).made)
        return Done(made, f"{made} entries saved." if made else ONCE)
    if begun > timezone.localdate():
        raise Refused(f"{begun} is in the future. Enter today or an earlier date.")
    log = log_of(job)
    if log is None or begun < log.started_on:
        started(job, begun)
    return Done(0, ONCE)


def task_named(job: Job, id: str) -> str:
    """A task of the job's train in words; its id where the train has none such."""
    tasks = {task.id: task for task in upkeep(design_of(job, trains.shown_stages(job)).chosen)}
    task = tasks.get(id)
    return id if task is None else f"{task.row.task}, {task.stage.said}" if task.stage is not None else task.row.task


@use_case("log.write", apart=True)
def put_away(job: Job, pk: int, gone: bool) -> Done[None]:
    """Take an entry out, or put it back."""
    LogEntry.objects.filter(log__job=job, pk=pk).update(gone=gone)
    book = opened(job)
    if book is not None:
        remember(book)
    return Done(None)


# --- causes ---------------------------------------------------------------------------------------------------------------
def notes_of(log: JobLog) -> dict[tuple[str, str], CauseNote]:
    """The newest word on each cause."""
    found: dict[tuple[str, str], CauseNote] = {}
    for note in log.notes.all():
        found.setdefault((note.cause, note.stage), note)
    return found


def standing(book: Book) -> list[Cause]:
    """Causes that nobody set aside, or that came again since: with readings later than that. A danger stands whatever was said."""
    notes, found = notes_of(book.log), []
    for cause in book.diagnosis.causes:
        note = notes.get((cause.id, cause.stage or ""))
        later = note is not None and any(on > note.on for on, _ in cause.stands_on)
        if note is None or note.verdict == "accept" or later or cause.severity == "danger":
            found.append(cause)
    return found


@use_case("log.write", apart=True)
def say(job: Job, cause: str, stage: str, verdict: str, reason: str, user: Any) -> Done[None]:
    """Take a cause as so, or set it aside, with a reason. Raises Refused without one."""
    log = log_of(job)
    if log is None or verdict not in ("accept", "dismiss"):
        raise Refused("This is not a possible cause here.")
    if not reason.strip():
        raise Refused("Give a reason: it is shown if the cause recurs.")
    if len(reason) > 300:
        raise Refused("This is too long: at most 300 characters.")
    book = opened(job)
    if book is None or not any((each.id, each.stage or "") == (cause, stage) for each in book.diagnosis.causes):
        raise Refused("The readings no longer show this cause. Check the causes again.")
    CauseNote.objects.create(
        log=log, cause=cause[:80], stage=stage[:80], verdict=verdict, reason=reason.strip(), on=timezone.localdate(), by_name=user.get_username()
    )
    book = opened(job)
    if book is not None:
        remember(book)
    return Done(None)


@use_case("job.change")
def look_after(job: Job, username: str, area: str, shown: tuple[str, str] | None = None) -> Done[None]:
    """Who looks after a house, nobody where the name is empty, and its area. shown: name and area as the page had them.

    What only somebody else changed since stays. Raises Refused for a name that is not of the firm, Late for what both changed.
    """
    log = JobLog.objects.select_for_update(of=("self",)).select_related("technician").filter(job=job).first()
    if log is None:
        raise Refused("Enter first when the train went into service: the technician is saved with its log.")
    asked = {"technician": username, "area": " ".join(area.split())[:60]}
    if shown is not None:
        stands = {"technician": log.technician.username if log.technician else "", "area": log.area}
        asked, conflicts = settle(dict(zip(asked, shown, strict=True)), asked, stands)
        if conflicts:
            raise Late(words=late_words(next(iter(conflicts.values())) or "nothing"))
    member = Membership.objects.select_related("user").filter(workspace=job.workspace, user__username=asked["technician"]).first()
    if asked["technician"] and member is None:
        raise Refused("Choose a person in this company.")
    JobLog.objects.filter(pk=log.pk).update(technician=member.user if member else None, area=asked["area"])
    return Done(None)
