"""``./cairn choices``: many real trains of a job with what they cost and take, as JSON. Needs neither database nor web server."""

from __future__ import annotations

import argparse
import json
import sys

# see cli.py: in a process this short, loading it would cost more than the design
if __name__ == "__main__":
    sys.modules.setdefault("numpy", None)  # type: ignore[arg-type]

from ..cli import design_in, number, printed, refused
from ..language.errors import BadDocument

MOST = 2000


def main(arguments: list[str] | None = None) -> int:
    """Exit status 0 where the job was read, 2 where it was refused."""
    from .field import choices_schema, field_of

    parser = argparse.ArgumentParser(prog="cairn choices", description="Run, audit and price many trains of a job: cairn-choices/1.")
    parser.add_argument("job", nargs="?", help="a job file, or - for standard input")
    parser.add_argument(
        "--limit", type=number(1, MOST), default=500, metavar="N", help="points that are printed at the most; 500 unless said otherwise"
    )
    parser.add_argument("--schema", action="store_true", help="print the JSON Schema of the format and stop")
    options = parser.parse_args(arguments)
    if options.schema:
        return printed([json.dumps(choices_schema(), ensure_ascii=False, indent=1)])
    if options.job is None:
        parser.error("name a job file")
    try:
        design = design_in(options.job)
    except BadDocument as error:
        return refused(error)
    return printed([json.dumps(field_of(design, options.limit).as_json(), ensure_ascii=False, indent=1)])


if __name__ == "__main__":
    sys.exit(main())
