"""Visits of upkeep as iCalendar, with an alarm before each, written by the library ``icalendar``."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator

from icalendar import Alarm, Calendar, Event

from ...language.display import media_hint, show
from ...language.tables import table
from .due import Visit


def ical(named: Iterable[tuple[str, str, Iterable[Visit]]], stamp: dt.datetime) -> bytes:
    """A calendar of all-day visits. named: of each job its key, its name and its visits; stamp: when it was written (with time zone)."""
    return whole(events(key, name, visits, stamp) for key, name, visits in named)


def whole(texts: Iterable[str]) -> bytes:
    """A calendar of events that were written before, see ``events``."""
    return b"".join(pieces(texts))


def pieces(texts: Iterable[str]) -> Iterator[bytes]:
    """The same piece by piece, for more houses than should be held at one time."""
    calendar = Calendar()
    calendar.add("prodid", "-//Vivid Cairn//Upkeep//EN")
    calendar.add("version", "2.0")
    head, end = calendar.to_ical().decode().split("END:VCALENDAR")
    yield head.encode()
    for text in texts:
        yield text.encode()
    yield f"END:VCALENDAR{end}".encode()


def events(key: str, name: str, visits: Iterable[Visit], stamp: dt.datetime) -> str:
    """The visits of one job as pieces of a calendar, each with an alarm before it. key, name: of the job; stamp: when they were written."""
    days = int(table("upkeep")["gather"]["warn"])
    found = []
    for visit in visits:
        event = Event()
        event.add("uid", f"upkeep-{key}-{visit.on:%Y%m%d}@vivid-cairn")
        event.add("dtstamp", stamp)
        event.add("dtstart", visit.on)
        event.add("dtend", visit.on + dt.timedelta(days=1))
        event.add("summary", f"{name}: {', '.join(each.task.row.task.lower() for each in visit.tasks[:3])}{' …' if len(visit.tasks) > 3 else ''}")
        lines = [f"{each.task.row.task} ({each.task.id}), {each.task.row.who}, due {each.due_on}" for each in visit.tasks]
        event.add("description", "\n".join([*lines, *(f"Bring: {each}" for each in supplies(visit, "metric"))]))
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", f"{name}: upkeep in {days} days")
        alarm.add("trigger", dt.timedelta(days=-days))
        event.add_component(alarm)
        found.append(event.to_ical().decode())
    return "".join(found)


def supplies(visit: Visit, system: str) -> list[str]:
    """What to order before a visit, in words."""
    found = []
    for each in visit.tasks:
        quantity = each.task.quantity
        if quantity is not None:
            amount = f"{quantity.value:.0f}" if quantity.unit == "1" else show(quantity.value, media_hint("media_volume", quantity.unit), system)
            found.append(f"{each.task.row.task.lower()}: {amount}" + (f" for the {each.task.stage.said}" if each.task.stage else ""))
    return found
