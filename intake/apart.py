"""Foreign files are read in a process of their own, with limits of memory, processor and wall time: a small file may be a bomb.

The process reads bytes from its standard input and answers sheets as JSON; it knows no database and no settings. At most two
read at a time in one worker; the others wait, in the open, and give up in words.
"""

from __future__ import annotations

import json
import resource
import sys

from treatment.evidence.reports.sheets import Line, Sheet

from .beside import Beside, NoTurn, TookTooLong
from .files import sheets_of
from .limits import LARGEST, Blank, Unreadable

WALL_S, CPU_S, MEMORY = 8, 6, 700 * 1024 * 1024
WAIT_S = 10
TOO_DEAR = (
    "This file takes more time or memory to read than any report needs. Save the page with the results alone as CSV or XLSX, or paste the rows."
)


def sheets_apart(content: bytes) -> list[Sheet]:
    """The sheets of a file somebody sent, as `files.sheets_of` reads them. Raises Unreadable, also where reading takes too much.

    Plain text is read here: it is bounded and holds nothing packed.
    """
    if len(content) > LARGEST:
        raise Unreadable(f"The file is larger than {LARGEST // 1_000_000} MB; a laboratory report is far smaller.")
    if not content.startswith((b"PK", b"%PDF")):
        return sheets_of(content)
    try:
        done = READER.run(content)
    except NoTurn:
        raise Unreadable("Other files are being read just now. Send this one again in a moment.") from None
    except TookTooLong:
        raise Unreadable(TOO_DEAR) from None
    try:
        answer = json.loads(done.stdout)
    except ValueError:
        raise Unreadable(TOO_DEAR) from None
    if "unreadable" in answer:
        raise (Blank if answer.get("blank") else Unreadable)(answer["unreadable"])
    return [
        Sheet(name, tuple(Line(at, tuple(cells), tuple((left, right) for left, right in spans)) for at, cells, spans in lines))
        for name, lines in answer["sheets"]
    ]


def rows_apart(content: bytes) -> list[list[str]]:
    """The rows of a file that is a plain table, sheet after sheet. Raises Unreadable."""
    return [list(line.cells) for sheet in sheets_apart(content) for line in sheet.lines]


def _bounded() -> None:
    resource.setrlimit(resource.RLIMIT_CPU, (CPU_S, CPU_S))
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))


READER = Beside("intake.apart", WAIT_S, WALL_S, _bounded)


def main() -> None:
    """Read a file from standard input and answer its sheets, or why it cannot be read."""
    try:
        sheets = sheets_of(sys.stdin.buffer.read(LARGEST + 1))
        answer: dict[str, object] = {"sheets": [(sheet.name, [(line.at, line.cells, line.spans) for line in sheet.lines]) for sheet in sheets]}
    except Unreadable as refused:
        answer = {"unreadable": str(refused), "blank": isinstance(refused, Blank)}
    except MemoryError:
        answer = {"unreadable": TOO_DEAR}
    json.dump(answer, sys.stdout)


if __name__ == "__main__":
    main()
