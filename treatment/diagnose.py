"""``./cairn diagnose``: a job and a log in, what is due, what moves and what is behind it out, as JSON. Needs neither database nor web server."""

from __future__ import annotations

import argparse
import datetime as dt
import json
import sys

# see cli.py: in a process this short, loading it would cost more than the design
if __name__ == "__main__":
    sys.modules.setdefault("numpy", None)  # type: ignore[arg-type]

from .cli import design_in, printed, refused, text_of
from .language.errors import BadDocument


def main(arguments: list[str] | None = None) -> int:
    """Exit status 0 where both were read, 2 where one was refused."""
    from .operation.diagnosis.diagnosis import Diagnosis, diagnosis_schema
    from .operation.maintenance.log import loads, log_schema
    from .operation.maintenance.upkeep import upkeep

    parser = argparse.ArgumentParser(prog="cairn diagnose", description="Read a log (cairn-log/1) against a job's design: cairn-diagnosis/1.")
    parser.add_argument("job", nargs="?", help="a job file, or - for standard input")
    parser.add_argument("log", nargs="?", help="a log file")
    parser.add_argument("--as-of", type=day, metavar="DATE", help="the date of the diagnosis; otherwise the job's date, otherwise today")
    parser.add_argument("--schema", choices=("log", "diagnosis"), help="print the JSON Schema of a format and stop")
    options = parser.parse_args(arguments)
    if options.schema:
        return printed([json.dumps(log_schema() if options.schema == "log" else diagnosis_schema(), ensure_ascii=False, indent=1)])
    if options.job is None or options.log is None:
        parser.error("name a job file and a log file")
    try:
        design = design_in(options.job)
        variant = design.chosen
        tasks = upkeep(variant)
        log = loads(text_of(options.log), tasks, [stage.id for stage in variant.run.stages])
    except BadDocument as error:
        return refused(error)
    assert design.facts.as_of is not None  # design_of says today where the job names no day
    found = Diagnosis(variant, log, options.as_of or design.facts.as_of, tasks)
    return printed([json.dumps(found.document(), ensure_ascii=False, indent=1)])


def day(text: str) -> dt.date:
    """A day. Raises ArgumentTypeError for anything else."""
    try:
        return dt.date.fromisoformat(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text}: expected a day such as 2026-11-24") from None


if __name__ == "__main__":
    sys.exit(main())
