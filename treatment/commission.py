"""``./cairn commission``: the run sheet of a job's train as text, in Markdown. Needs neither database nor web server."""

from __future__ import annotations

import argparse
import datetime as dt
import sys

# see cli.py: in a process this short, loading it would cost more than the design
if __name__ == "__main__":
    sys.modules.setdefault("numpy", None)  # type: ignore[arg-type]

from .cli import design_of, printed, refused, text_of
from .language.errors import BadDocument


def main(arguments: list[str] | None = None) -> int:
    """Exit status 0 where the job was read, 2 where it was refused."""
    from .starting.printed import markdown
    from .starting.sheet import sheet

    parser = argparse.ArgumentParser(
        prog="cairn commission", description="Print the run sheet of a job's train: every step from kit check to hand over."
    )
    parser.add_argument("job", help="a job file, or - for standard input")
    parser.add_argument("--start", type=moment, metavar="WHEN", help="when the first visit begins, such as 2026-12-07T09:00: visits get dates")
    options = parser.parse_args(arguments)
    try:
        design = design_of(text_of(options.job))
    except BadDocument as error:
        return refused(error)
    return printed(markdown(design.facts.job.name, sheet(design.chosen), options.start))


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
