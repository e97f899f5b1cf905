"""``./cairn commission``: the run sheet of a job's train as text, in Markdown. Needs neither database nor web server."""

from __future__ import annotations

import argparse
import datetime as dt
import sys
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from .design import Design

# see cli.py: in a process this short, loading it would cost more than the design
if __name__ == "__main__":
    sys.modules.setdefault("numpy", None)  # type: ignore[arg-type]

from .cli import design_in, printed, refused
from .language.errors import BadDocument, Fault


def main(arguments: list[str] | None = None) -> int:
    """Exit status 0 where the job was read, 2 where it was refused."""
    from .commissioning.printed import markdown

    parser = argparse.ArgumentParser(
        prog="cairn commission", description="Print the commissioning checklist of a job's train, from kit check to handover."
    )
    parser.add_argument("job", help="a job file, or - for standard input")
    parser.add_argument("--start", type=moment, metavar="WHEN", help="when the first visit begins, such as 2026-12-07T09:00: visits get dates")
    parser.add_argument("--ics", metavar="FILE", help="write the visits to this file as iCalendar; without --start from the job's own day")
    options = parser.parse_args(arguments)
    try:
        design = design_in(options.job)
        if options.ics:
            _calendar(design, options.start, options.ics)
    except BadDocument as error:
        return refused(error)
    return printed(markdown(design.chosen, options.start))


def _calendar(design: Design, start: dt.datetime | None, name: str) -> None:
    """Write the visits of a design's run sheet to a file, from the morning of the job's day where no start is said. Raises BadDocument."""
    from .commissioning.ical import ical
    from .commissioning.sheet import sheet
    from .commissioning.visits import minute_of, opens, visits

    assert design.facts.as_of is not None  # design_of says today where the job names no day
    start = start or dt.datetime.combine(design.facts.as_of, opens())
    try:
        Path(name).write_bytes(ical(design.facts.job.name, visits(sheet(design.chosen), minute_of(start)), start))
    except OSError as error:
        raise BadDocument([Fault("$", f"cannot write {name}: {error.strerror}")]) from None


def moment(text: str) -> dt.datetime:
    """A day and hour by the clock of the place. Raises ArgumentTypeError for anything else, and for a time zone, which is not asked for."""
    try:
        found = dt.datetime.fromisoformat(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text}: expected a day and hour such as 2026-12-07T09:00") from None
    if found.tzinfo is not None:
        raise argparse.ArgumentTypeError(f"{text}: expected the hour by the clock of the place, without a time zone")
    return found


if __name__ == "__main__":
    sys.exit(main())
