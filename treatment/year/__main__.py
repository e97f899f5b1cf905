"""``./cairn year``: a job's train run through a year from draw to draw, as JSON. Needs neither database nor web server."""

from __future__ import annotations

import argparse
import json
import sys

from ..cli import design_in, number, printed, refused, text_of
from ..diagnose import day
from ..language.errors import BadDocument

DAYS, RUNS = 3650, 1000


def main(arguments: list[str] | None = None) -> int:
    """Exit status 0 where the job was read, 2 where it or what was asked was refused."""
    from .asked import YearAsked
    from .document import year_document, year_schema
    from .from_log import from_log
    from .scenarios import names, read_scenarios

    parser = argparse.ArgumentParser(prog="cairn year", description="Run a job's train through a year, from draw to draw: cairn-year/1.")
    parser.add_argument("job", nargs="?", help="a job file, or - for standard input")
    parser.add_argument("--days", type=number(1, DAYS), default=365, metavar="N", help=f"how many days, 365 or any up to {DAYS}")
    parser.add_argument("--seed", type=number(0, 2**31), default=1, metavar="N", help="the seed of chance: the same gives the same year")
    parser.add_argument("--start", type=day, metavar="DATE", help="its first day; otherwise the job's own day, or the day after a log's last entry")
    parser.add_argument(
        "--scenario", action="append", default=[], metavar="NAME[:KEY=VALUE,…]", help=f"what happens: {', '.join(names())}; repeatable"
    )
    parser.add_argument("--runs", type=number(1, RUNS), default=0, metavar="N", help="run so many seeds and give percentiles")
    parser.add_argument("--log", metavar="FILE", help="begin with the stocks as this log (cairn-log/1) tells them")
    parser.add_argument("--schema", action="store_true", help="print the JSON Schema of the format and stop")
    options = parser.parse_args(arguments)
    if options.schema:
        return printed([json.dumps(year_schema(), ensure_ascii=False, indent=1)])
    if options.job is None:
        parser.error("name a job file")
    try:
        design = design_in(options.job)
        assert design.facts.as_of is not None  # design_of says today where the job names no day
        variant = design.chosen
        found = from_log(variant, text_of(options.log), options.start) if options.log else None
        start = found.start if found else options.start or design.facts.as_of
        scenarios = read_scenarios(options.scenario, start, options.days)
    except BadDocument as error:
        return refused(error)
    asked = YearAsked(start, options.days, options.seed, scenarios, options.runs)
    document = year_document(variant, found.asked(asked) if found else asked)
    return printed([json.dumps(document, ensure_ascii=False, indent=1)])


if __name__ == "__main__":
    sys.exit(main())
