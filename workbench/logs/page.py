"""A logbook as its page shows it; figures, words and geometry come from the core."""

from __future__ import annotations

import datetime as dt
import secrets
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from django.utils import timezone

from treatment.evidence.symptoms import observed
from treatment.language.display import media_hint, show, show_within
from treatment.language.interface import due, word
from treatment.language.log_keys import SOURCE, TAP, log_key
from treatment.language.series_key import SeriesKey
from treatment.operation.diagnosis.chart import Chart, chart
from treatment.operation.entry.line import Piece
from treatment.operation.maintenance.due import Due, gathered
from treatment.operation.maintenance.ical import pieces, supplies, whole
from treatment.operation.monitoring.series import METER

from ..readers import written
from ..records.firm import Membership, Workspace
from ..records.log import CalendarLink, JobLog, LogEntry
from ..usecases.books import YEAR, Book, notes_of, opened, remember, standing
from ..usecases.thinning import BY_HOUR
from .redesign import redesigned

#: houses of a calendar that are held at one time
AT_ONCE = 200
#: entries that are shown
SHOWN = 40
#: series in the order in which people ask for them
FIRST = ("hardness_out", "ph_out", "iron_out", "pressure_drop", "intensity", "lamp_hours", "salt_level", "normal_flow", "passage", "meter")


def context_of(book: Book, here: str, cause: tuple[str, str]) -> dict[str, Any]:
    """All that the page shows of a logbook that was begun. here: the unit somebody stands before; cause: whose readings were asked for, and its unit."""
    found, today = book.diagnosis, timezone.localdate()
    notes = notes_of(book.log)
    causes = standing(book)
    aside = [note for key, note in notes.items() if note.verdict == "dismiss" and not any((each.id, each.stage or "") == key for each in causes)]
    opened_cause = next((each for each in causes if (each.id, each.stage or "") == cause), None)
    marked = set(opened_cause.series) if opened_cause else set()
    names = book.names
    coming = gathered(found.due, today + dt.timedelta(days=YEAR), since=today)
    return {
        "log": book.log,
        "key": secrets.token_hex(8),
        "causes": [
            (each, names.get(each.stage or "", ""), notes.get((each.id, each.stage or "")))
            for each in causes
            if not here or each.stage in (here, None) or each.severity == "danger"
        ],
        "aside": aside,
        "opened_cause": opened_cause,
        "due": due_rows(
            [each for each in found.due if not here or (each.task.stage is not None and each.task.stage.id == here)], book.job.units, names, today
        ),
        "year": [_visit(visit, book.job.units) for visit in coming],
        "charts": charts(book, here, marked),
        "doubted": found.look.doubted[-12:],
        "entries": entries_of(book, book.log.entries.filter(gone=False).prefetch_related("photos").defer("photos__image")[:SHOWN]),
        "count": book.log.entries.filter(gone=False).count(),
        "gone": book.gone,
        "unread": book.unread,
        "stages": list(names.items()),
        "units_here": names.get(here, ""),
        "devices": book.log.devices.all(),
        "members": Membership.objects.select_related("user").filter(workspace=book.job.workspace_id),
        "links": CalendarLink.objects.filter(job=book.job),
        "owner_links": book.log.owner_links.all(),
        "technician_shown": book.log.technician.username if book.log.technician else "",
        "area_shown": book.log.area,
        "areas": areas_of(book.job.workspace),
        "redesign": redesigned(book),
    }


def areas_of(workspace: Workspace) -> list[str]:
    """The areas that a firm has named."""
    return list(
        JobLog.objects.filter(job__workspace=workspace, job__binned_at=None)
        .exclude(area="")
        .order_by("area")
        .values_list("area", flat=True)
        .distinct()
    )


def entries_of(book: Book, entries: Iterable[LogEntry]) -> list[tuple[LogEntry, dict[str, list[str]]]]:
    """Entries, each with what it says in words: the place, and what was read, done or told there."""
    return [(entry, said_of(book, entry)) for entry in entries]


def said_of(book: Book, entry: LogEntry) -> dict[str, list[str]]:
    """What an entry says, in words, by place. What the train no longer has stands under the log's own name."""
    body, tasks = entry.body, {task.id: task for task in book.tasks}
    found: dict[str, list[str]] = {}

    def tell(place: str, words: str) -> None:
        found.setdefault(book.names.get(place, place.capitalize() if place in (SOURCE, TAP) else place), []).append(words)

    for key, value in body.get("readings", {}).items():
        place = SeriesKey.of(key).place
        known = place in (SOURCE, TAP) or place in book.names
        words = book.diagnosis.look.readings.series(key).words if known else key
        spread = body.get("thinned", {}).get(key)
        among = f" (the middle of {spread[3]} that {'hour' if entry.by_name == BY_HOUR else 'day'})" if spread and spread[3] > 1 else ""
        tell(place if known else "", f"{'water meter' if key == METER else words} {value}{among}")
    if did := body.get("did"):
        task = tasks.get(did)
        words = did if task is None else task.row.task
        tell(task.stage.id if task is not None and task.stage is not None else "", f"{words}, {body['amount']}" if body.get("amount") else words)
    for seen in body.get("seen", ()):
        tell("", f"seen: {observed(seen).lower()}")
    if alarm := body.get("alarm"):
        tell(alarm, "its alarm sounded")
    if away := body.get("away"):
        tell("", f"house empty from {away['from']} to {away['to']}")
    return found


def charts(book: Book, here: str, marked: set[str]) -> list[tuple[Chart, bool]]:
    """The charts of a log, those that a cause stands on first; of one unit where somebody stands before it."""
    found, names = book.diagnosis, book.names
    keys = [series["key"] for series in found.series]
    keys = [
        key for key in keys if SeriesKey.of(key).name not in ("pressure_in", "pressure_out") or f"{SeriesKey.of(key).place}.pressure_drop" not in keys
    ]
    if here:
        keys = [key for key in keys if key.startswith(f"{here}.")]
    keys.sort(key=lambda key: (key not in marked, _place(key), key))
    drawn = []
    for key in keys:
        id = SeriesKey.of(key).place
        words = found.look.readings.series(key).words
        title = f"{names.get(id, id.capitalize())}: {words}" if id else f"House: {words}"
        each = chart(found, key, title, book.job.units)
        if each is not None:
            drawn.append((each, key in marked))
    return drawn


def _place(key: str) -> int:
    what = SeriesKey.of(key).name
    return FIRST.index(what) if what in FIRST else len(FIRST)


#: what a line may say, by the job's units
EXAMPLES = {
    "us": "in 48 psi, out 44, hardness after softener 0, salt 80 lb, changed cartridge, orange stains, alarm",
    "metric": "in 3.3 bar, out 3.0, hardness after softener 0, salt 40 kg, changed cartridge, orange stains, alarm",
}


@dataclass(frozen=True)
class Preview:
    """A piece of a line while it is typed: what it is, what is expected of it, whether it lies outside, what is wrong with it."""

    typed: str
    words: str
    expected: str
    outside: bool
    problem: str


def preview(book: Book | None, piece: Piece, on: dt.date, system: str) -> Preview:
    """How a piece is understood; what is expected is known where a log was begun."""
    if not piece.key or book is None:
        return Preview(piece.typed, f"{piece.words} {piece.text or piece.amount}".strip(), "", False, piece.problem)
    look = book.diagnosis.look
    key, band = log_key(piece.key, look.ids), look.bands.band(piece.key, on)
    place = book.names.get(key.place, key.place.capitalize())
    low, high = key.read(piece.text)
    expected = "" if band is None or piece.key == METER else show_within(band.low, band.high, key.shown, system)
    outside = band is not None and piece.key != METER and not (band.holds(low) or band.holds(high))
    return Preview(piece.typed, f"{place}: {key.words} {piece.text}" if place else f"{piece.words} {piece.text}", expected, outside, "")


def due_rows(due: list[Due], system: str, names: dict[str, str], today: dt.date) -> list[dict[str, Any]]:
    """What is due, as a list shows it."""
    return [_due(each, system, names, today) for each in due]


def _due(each: Due, system: str, names: dict[str, str], today: dt.date) -> dict[str, Any]:
    quantity = each.task.quantity
    amount = ""
    if quantity is not None and quantity.unit != "1":
        amount = show(quantity.value, media_hint("media_volume", quantity.unit), system).replace("\u202f", "")
    days = (each.due_on - today).days
    return {
        "due": each,
        "unit": names.get(each.task.stage.id, "") if each.task.stage else "The water",
        "amount": amount,
        "when": (due(days) if days <= NEAR else written(each.due_on, "j M Y")) if each.ever or not each.overdue else word("due", "none"),
        "state": "overdue" if each.overdue else "today" if not days else "soon" if days <= 14 else "later",
    }


#: days ahead that are said in words
NEAR = 7


def _visit(visit: Any, system: str) -> dict[str, Any]:
    return {"on": visit.on, "who": word("who", visit.who).capitalize(), "tasks": visit.tasks, "supplies": supplies(visit, system)}


def calendar_of(link: CalendarLink) -> bytes | Iterator[bytes]:
    """The calendar behind a private address: a year of visits of one job, of a technician's houses, or of the firm's.

    Of one job as its log stands now; of more as each log was worked out last, all of them, those that are due first before others.
    Of many houses it comes in pieces, so that it is never held as a whole.
    """
    if link.job is not None:
        book = opened(link.job)
        if book is not None:
            remember(book)
    kept = JobLog.objects.filter(job__workspace=link.workspace, job__binned_at=None)
    kept = kept.filter(job=link.job) if link.job is not None else kept.filter(technician=link.technician) if link.technician is not None else kept
    texts = kept.order_by("due_on", "pk").values_list("events", flat=True)
    return pieces(texts.iterator(AT_ONCE)) if kept.count() > AT_ONCE else whole(texts)
