"""``./cairn design``: job documents in, designs out, as JSON. Needs neither database nor web server."""

from __future__ import annotations

import argparse
import datetime as dt
import json
import os
import sys
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .design import Design

# the hydraulics library works without numpy; in a process this short, loading it would cost more than the design
if __name__ == "__main__":
    sys.modules.setdefault("numpy", None)  # type: ignore[arg-type]

from .job_file import LARGEST
from .language.errors import BadDocument, Fault


def main(arguments: list[str] | None = None) -> int:
    """Exit status 0 where every document was read, 2 where one was refused."""
    parser = argparse.ArgumentParser(prog="cairn design", description="Turn a job document (cairn-job/1) into a design (cairn-design/1).")
    parser.add_argument("job", nargs="?", help="a job file, or - for standard input")
    parser.add_argument(
        "--many", nargs="?", const="-", metavar="DIR", help="a folder of job files, or JSON Lines on standard input: one line out for each"
    )
    parser.add_argument("--schema", choices=("job", "design", "catalogue"), help="print the JSON Schema of a format and stop")
    parser.add_argument("--compact", action="store_true", help="print on one line")
    options = parser.parse_args(arguments)
    if options.schema:
        return _schema(options.schema)
    if options.many is not None:
        return _many(options.many)
    if options.job is None:
        parser.error("name a job file, or - for standard input")
    try:
        document = work_text(text_of(options.job), folder_of(options.job))
    except BadDocument as error:
        return refused(error)
    return printed([json.dumps(document, ensure_ascii=False, indent=None if options.compact else 1)])


def design_of(text: str, beside: Path | None = None) -> Design:
    """The design of a job document; it is for today where the document names no day. beside: its folder. Raises BadDocument."""
    from dataclasses import replace

    from .design import design
    from .job_file import Job, loads

    job = loads(text, beside)
    if job.facts.as_of is None:
        job = Job(replace(job.facts, as_of=dt.date.today()), job.train)
    return design(job)


def work_text(text: str, beside: Path | None = None) -> dict[str, Any]:
    """The design document of a job document. beside: its folder. Raises BadDocument."""
    from .papers.design_file import design_document

    return design_document(design_of(text, beside))


def folder_of(name: str) -> Path | None:
    """The folder of a job file; None for standard input, where no path is read."""
    return None if name == "-" else Path(name).parent


def design_in(name: str) -> Design:
    """The design of a job file. Raises BadDocument."""
    return design_of(text_of(name), folder_of(name))


def text_of(name: str) -> str:
    """The text of a file or of standard input. Raises BadDocument where there is none to be had."""
    try:
        if name == "-":
            raw = sys.stdin.buffer.read(LARGEST + 1)
        else:
            with Path(name).open("rb") as file:
                raw = file.read(LARGEST + 1)
    except OSError as error:
        raise BadDocument([Fault("$", f"cannot read {name}: {error.strerror}")]) from None
    if len(raw) > LARGEST:
        raise BadDocument([Fault("$", f"expected a document of at most {LARGEST // 1_000_000} MB")])
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise BadDocument([Fault("$", "expected UTF-8 text")]) from None


def _one(item: tuple[str, str]) -> tuple[str, bool]:
    """The output line of one document of a batch, and whether it was read."""
    name, text = item
    try:
        source = text_of(name) if text == "" else text
        beside = Path(name).parent if text == "" else None
        return json.dumps({"file": Path(name).name, "design": work_text(source, beside)}, ensure_ascii=False), True
    except BadDocument as error:
        faults = [{"path": fault.path, "message": fault.message} for fault in error.faults]
        return json.dumps({"file": Path(name).name, "errors": faults}, ensure_ascii=False), False


def _batch(where: str) -> Iterator[tuple[str, str]]:
    if where == "-":
        for number, line in enumerate(sys.stdin.buffer, 1):
            text = line.decode("utf-8", errors="replace").strip()
            if text:
                yield f"line {number}", text
        return
    folder = Path(where)
    if not folder.is_dir():
        raise BadDocument([Fault("$", f"{where} is not a folder")])
    yield from ((str(path), "") for path in sorted(folder.glob("*.json")))


def _many(where: str) -> int:
    try:
        items = list(_batch(where))
    except BadDocument as error:
        return refused(error)
    lines, good = [], True
    for line, fine in _spread(items):
        lines.append(line)
        good = good and fine
    return printed(lines) or (0 if good else 2)


def _spread(items: list[tuple[str, str]]) -> Iterable[tuple[str, bool]]:
    """Work the batch on every core where it is worth starting them; results in order."""
    cores = os.cpu_count() or 1
    if len(items) < 8 or cores == 1:
        return map(_one, items)
    from concurrent.futures import ProcessPoolExecutor

    with ProcessPoolExecutor(max_workers=cores) as pool:
        return list(pool.map(_one, items, chunksize=4))


def _schema(which: str) -> int:
    from .job.catalogue import catalogue_schema
    from .job_file import job_schema
    from .papers.design_schema import design_schema

    made = {"job": job_schema, "design": design_schema, "catalogue": catalogue_schema}[which]
    return printed([json.dumps(made(), ensure_ascii=False, indent=1)])


class number:
    """A whole number between two. Raises ArgumentTypeError for anything else."""

    def __init__(self, least: int, most: int):
        self.least, self.most = least, most

    def __call__(self, text: str) -> int:
        try:
            value = int(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"{text}: expected a whole number") from None
        if not self.least <= value <= self.most:
            raise argparse.ArgumentTypeError(f"{text}: expected a number from {self.least} to {self.most}")
        return value


def refused(error: BadDocument) -> int:
    """Say what could not be understood, a line for each fault. Exit status 2."""
    print(*error.faults, sep="\n", file=sys.stderr)
    return 2


def printed(lines: Iterable[str]) -> int:
    """Print lines; a reader that went away is no fault. Exit status 0."""
    try:
        for line in lines:
            sys.stdout.write(line + "\n")
        sys.stdout.flush()
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return 0


if __name__ == "__main__":
    sys.exit(main())
