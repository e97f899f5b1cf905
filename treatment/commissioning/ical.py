"""The visits of a run sheet as iCalendar (RFC 5545), written by the library ``icalendar``. Times float: by the clock of the place."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable

from icalendar import Calendar, Event

from .printed import people
from .visits import InstallVisit


def ical(name: str, coming: Iterable[InstallVisit], start: dt.datetime) -> bytes:
    """A calendar with an event for each visit. name: of the job; start: when the first visit begins, and the stamp of all."""
    calendar = Calendar()
    calendar.add("prodid", "-//Vivid Cairn//Commissioning//EN")
    calendar.add("version", "2.0")
    for visit in coming:
        begin = visit.date(start)
        event = Event()
        event.add("uid", f"{start:%Y%m%dT%H%M}-{visit.number}-{name or 'job'}".replace(" ", "-") + "@vivid-cairn")
        event.add("dtstamp", start.replace(tzinfo=dt.UTC))
        event.add("dtstart", begin)
        event.add("dtend", begin + dt.timedelta(minutes=visit.length))
        event.add("summary", f"{name or 'Job'}: visit {visit.number}, {', '.join(people(visit))}")
        lines = [f"{done.step.stage.name if done.step.stage else 'The place'}: {done.step.row.title}" for done in visit.work]
        if visit.water_off:
            lines.insert(0, f"The house is without water for {round(visit.water_off)} min.")
        if visit.bring:
            lines.append(f"Bring: {', '.join(visit.bring)}")
        event.add("description", "\n".join(lines))
        calendar.add_component(event)
    return bytes(calendar.to_ical())
