"""``./cairn read FILE``: a laboratory's report in, what it was read as out, as JSON. Needs neither database nor web server."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from treatment.evidence.reports.report import Report
from treatment.papers.report_file import report_document, report_schema

from .apart import report_apart
from .limits import LARGEST_PICTURE, Blank, Unreadable


def main(arguments: list[str] | None = None) -> int:
    """Exit status 0 where the file could be opened, 2 where not."""
    parser = argparse.ArgumentParser(prog="cairn read", description="Read a laboratory's report (CSV, XLSX, PDF, photograph) as cairn-report/1.")
    parser.add_argument("file", nargs="?", help="the report, or - for standard input")
    parser.add_argument("--schema", action="store_true", help="print the JSON Schema of the format and stop")
    options = parser.parse_args(arguments)
    if options.schema:
        return _write(report_schema())
    if options.file is None:
        parser.error("name a file, or - for standard input")
    try:
        content = sys.stdin.buffer.read(LARGEST_PICTURE + 1) if options.file == "-" else _bytes(Path(options.file))
        report = report_apart(content).report
    except Blank as error:
        report = Report([], str(error))
    except Unreadable as error:
        print(f"{options.file}: {error}", file=sys.stderr)
        return 2
    return _write(report_document(report, Path(options.file).name))


def _bytes(path: Path) -> bytes:
    try:
        with path.open("rb") as file:
            return file.read(LARGEST_PICTURE + 1)
    except OSError as error:
        raise Unreadable(f"cannot be opened: {error.strerror}") from None


def _write(document: dict[str, object]) -> int:
    try:
        print(json.dumps(document, ensure_ascii=False, indent=1))
    except BrokenPipeError:
        sys.stderr.close()
    return 0


if __name__ == "__main__":
    sys.exit(main())
