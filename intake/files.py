"""A file's bytes -> sheets: told apart by what is in it. Formulas are never run; what cannot be read is refused in words."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter

from treatment.evidence.reports.sheets import SheetLine, TextSheet

from .limits import LARGEST, MOST_CELLS, MOST_LETTERS, MOST_ROWS, Blank, Unreadable


def sheets_of(content: bytes) -> list[TextSheet]:
    """The sheets of a CSV, XLSX or text PDF file. Raises Unreadable."""
    if not content.strip():
        raise Blank("The file is empty.")
    if len(content) > LARGEST:
        raise Unreadable(f"The file is larger than {LARGEST // 1_000_000} MB; a laboratory report is far smaller.")
    if content.startswith(b"PK"):
        from .spreadsheets import read_spreadsheet

        return read_spreadsheet(content)
    if content.startswith(b"%PDF"):
        from .pages import read_pages

        return read_pages(content)
    if content.startswith(b"\xd0\xcf\x11\xe0"):
        raise Unreadable("This is an old or password-protected spreadsheet. Save it without a password as XLSX or CSV.")
    return sheets_of_text(_decoded(content))


def _decoded(content: bytes) -> str:
    encodings = ("utf-16",) if content.startswith((b"\xff\xfe", b"\xfe\xff")) else ("utf-8-sig", "cp1252")
    for encoding in encodings:
        try:
            text = content.decode(encoding)
        except UnicodeDecodeError:
            continue
        if "\x00" not in text:
            return text
    raise Unreadable("This is not a text file, a spreadsheet or a readable PDF.")


def sheets_of_text(text: str) -> list[TextSheet]:
    """Pasted or separated text as one sheet, each line at its number in the file; the separator is the one that parts most lines alike."""
    lines = text.splitlines()
    if not any(line.strip() for line in lines):
        raise Blank("The file contains nothing.")
    mark = _separator([line for line in lines if line.strip()][:400])
    if not mark:
        return [TextSheet("", tuple(_set_in_columns(number, line) for number, line in enumerate(lines[: MOST_ROWS + 1], 1)))]
    found, reader = [], csv.reader(io.StringIO("\n".join(lines)), delimiter=mark)
    before = 0
    try:
        for row in reader:
            found.append(SheetLine(str(before + 1), tuple(cell.strip()[:MOST_LETTERS] for cell in row[:MOST_CELLS])))
            before = reader.line_num
            if len(found) > MOST_ROWS:
                break
    except csv.Error as error:
        raise Unreadable(f"The table is broken: {error}.") from None
    return [TextSheet("", tuple(found))]


def _set_in_columns(number: int, line: str) -> SheetLine:
    """A line whose cells are parted by two spaces or more, each with where it begins and ends."""
    cells = list(re.finditer(r"\S+(?: \S+)*", line.expandtabs()[:4000]))[:MOST_CELLS]
    return SheetLine(str(number), tuple(cell[0][:MOST_LETTERS] for cell in cells), tuple((float(cell.start()), float(cell.end())) for cell in cells))


def _separator(lines: list[str]) -> str:
    """What parts the cells: the mark that most lines hold equally often; a comma between digits may be a decimal comma. Empty for none."""
    best, most = "", 0.0
    for mark in "\t;|,":
        counts = Counter(count for line in lines if (count := _marks(line, mark)))
        if mark == "," and (level := _level(lines)):  # as many commas on every line, between digits too: they part cells
            counts = level
        if not counts:
            continue
        commonest, lines_alike = counts.most_common(1)[0]
        holding = sum(counts.values())
        if mark == "," and (holding < 0.5 * len(lines) or lines_alike < 0.4 * holding):
            continue
        if (holding >= max(2, 0.3 * len(lines)) and holding * (1 if mark != "," else 0.6) > most) or (len(lines) == 1 and commonest):
            best, most = mark, holding * (1 if mark != "," else 0.6)
    return best


def _level(lines: list[str]) -> Counter[int]:
    """How many lines hold how many commas outside quotes, where almost all hold equally many; nothing otherwise."""
    counts = Counter(re.sub(r'"[^"]*"', "", line).count(",") for line in lines)
    commonest, alike = counts.most_common(1)[0]
    return counts if commonest > 1 and len(lines) > 1 and alike >= 0.8 * len(lines) else Counter()


def _marks(line: str, mark: str) -> int:
    if mark != ",":
        return line.count(mark)
    return sum(1 for i, letter in enumerate(line) if letter == "," and not (line[i - 1 : i].isdigit() and line[i + 1 : i + 2].isdigit()))
