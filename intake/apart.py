"""Foreign files are read in a process of their own, with limits of memory, processor and wall time: a small file may be a bomb.

The process reads a question and the file's bytes from its standard input and answers as JSON; it knows no database and no
settings. At most two read at a time in one worker; the others wait, in the open, and give up in words.
"""

from __future__ import annotations

import base64
import json
import sys
from dataclasses import dataclass, field
from typing import Any

from treatment.evidence.own_table import own_samples
from treatment.evidence.reports.read import read_sheets
from treatment.evidence.reports.report import Report, as_plain, from_plain
from treatment.evidence.reports.twice import compared
from treatment.language.errors import NotUnderstood

from .beside import Beside, NoTurn, TookTooLong, within
from .files import sheets_of
from .limits import LARGEST, LARGEST_PICTURE, Blank, Unreadable
from .scans import Box, is_picture, scanned

WALL_S, CPU_S, MEMORY = 8, 6, 700 * 1024 * 1024
SCAN_WALL_S, SCAN_CPU_S, SCAN_MEMORY = 60, 60, 1500 * 1024 * 1024
WAIT_S = 10
LITTLE = 40_000  # bytes of plain text that are read here: it holds nothing packed, and so much cannot take long
TOO_DEAR = "This file needs more time or memory than any report. Save the page with the results alone as CSV or XLSX, or paste the rows."


@dataclass(frozen=True)
class Read:
    """What a file holds: samples of our own table as a job file writes them, or a report.

    pages, boxes: of a picture, its pages straightened (JPEG), and where on them each row stands, by its ``at``: page, x, y, width, height [px].
    """

    own: list[dict[str, Any]] | None
    report: Report
    pages: list[bytes] = field(default_factory=list)
    boxes: dict[str, Box] = field(default_factory=dict)


def report_apart(content: bytes, known: dict[str, list[str]] | None = None) -> Read:
    """What a file somebody sent holds, understood. Raises Unreadable, also where reading takes too much.

    known: what was remembered of this laboratory's layout, see `read_sheets`.
    """
    try:
        answer = _asked("picture" if is_picture(content) else "report", content, known or {})
    except Blank:
        if not content.startswith(b"%PDF"):
            raise
        answer = _asked("picture", content, {})
    pages = [base64.b64decode(page) for page in answer.get("pages", ())]
    return Read(answer["own"], from_plain(answer["report"]), pages, _boxes(answer.get("boxes", {})))


def as_stored(read: Read) -> dict[str, Any]:
    """What was read as lists and texts, without the pictures of its pages."""
    return {"own": read.own, "report": as_plain(read.report), "boxes": read.boxes}


def from_stored(stored: dict[str, Any]) -> Read:
    """What `as_stored` wrote, its readings read again."""
    return Read(stored["own"], from_plain(stored["report"]), [], _boxes(stored["boxes"]))


def _boxes(told: dict[str, Any]) -> dict[str, Box]:
    return {at: (int(page), float(x), float(y), float(width), float(height)) for at, (page, x, y, width, height) in told.items()}


def rows_apart(content: bytes) -> list[list[str]]:
    """The rows of a file that is a plain table, sheet after sheet. Raises Unreadable."""
    rows: list[list[str]] = _asked("rows", content, {})["rows"]
    return rows


def _asked(question: str, content: bytes, known: dict[str, list[str]]) -> dict[str, Any]:
    most = LARGEST_PICTURE if question == "picture" else LARGEST
    if len(content) > most:
        raise Unreadable(f"The file is larger than {most // 1_000_000} MB; a laboratory report is far smaller.")
    if content[4:12] in (b"ftypheic", b"ftypheix", b"ftypmif1"):
        raise Unreadable("This picture is in a format that only phones read. Save or send it as JPEG.")
    if question != "picture" and len(content) <= LITTLE and not content.startswith((b"PK", b"%PDF")):
        return _answer(question, content, known)
    try:
        done = (SCANNER if question == "picture" else READER).run(json.dumps({"question": question, "known": known}).encode() + b"\n" + content)
    except NoTurn:
        raise Unreadable("Other files are being read. Send this one again in a moment.") from None
    except TookTooLong:
        raise Unreadable(TOO_DEAR) from None
    try:
        answer: dict[str, Any] = json.loads(done.stdout)
    except ValueError:
        raise Unreadable(TOO_DEAR) from None
    if "unreadable" in answer:
        raise (Blank if answer.get("blank") else Unreadable)(answer["unreadable"])
    return answer


def _answer(question: str, content: bytes, known: dict[str, list[str]]) -> dict[str, Any]:
    if question == "picture":
        return _of_picture(content)
    sheets = sheets_of(content)
    rows = [list(line.cells) for sheet in sheets for line in sheet.lines]
    if question == "rows":
        return {"rows": rows}
    own = own_samples(rows)
    try:
        return {"own": own, "report": as_plain(Report([]) if own is not None else read_sheets(sheets, known))}
    except NotUnderstood as error:
        raise Unreadable(str(error)) from None


def _of_picture(content: bytes) -> dict[str, Any]:
    scan = scanned(content)
    try:
        report = compared(*(read_sheets(sheets) for sheets in scan.readings))
    except NotUnderstood as error:
        raise Unreadable(str(error)) from None
    at = {row.at for sample in report.samples for row in sample.rows}
    boxes = {name: box for name, box in scan.boxes.items() if name in at}
    return {"own": None, "report": as_plain(report), "pages": [base64.b64encode(page).decode() for page in scan.pages], "boxes": boxes}


READER = Beside("intake.apart", WAIT_S, WALL_S, within(CPU_S, MEMORY))
SCANNER = Beside("intake.apart", WAIT_S, SCAN_WALL_S, within(SCAN_CPU_S, SCAN_MEMORY))


def main() -> None:
    """Read a question and a file from standard input and answer, or say why it cannot be read."""
    asked = json.loads(sys.stdin.buffer.readline())
    try:
        answer = _answer(asked["question"], sys.stdin.buffer.read(LARGEST_PICTURE + 1), asked["known"])
    except Unreadable as refused:
        answer = {"unreadable": str(refused), "blank": isinstance(refused, Blank)}
    except MemoryError:
        answer = {"unreadable": TOO_DEAR}
    json.dump(answer, sys.stdout)


if __name__ == "__main__":
    main()
