"""Files and pasted text -> rows of text. Formulas are never run; what cannot be read is refused in words."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from typing import Any

LARGEST = 5_000_000  # bytes
MOST_ROWS, MOST_CELLS = 20_000, 60
MOST_UNPACKED = 20_000_000  # bytes of an archive, bounded before it is unpacked
MOST_PAGES = 20


class Unreadable(Exception):
    """A file that cannot be read; its text is for the person who chose it."""


def rows_of(name: str, content: bytes) -> list[list[str]]:
    """The rows of a CSV, XLSX or text PDF file, told apart by what is in it. Raises Unreadable."""
    if not content.strip():
        raise Unreadable("The file is empty.")
    if len(content) > LARGEST:
        raise Unreadable(f"The file is larger than {LARGEST // 1_000_000} MB; a laboratory report is far smaller.")
    if content.startswith(b"PK"):
        return _spreadsheet(content)
    if content.startswith(b"%PDF"):
        return _pdf(content)
    if content.startswith(b"\xd0\xcf\x11\xe0"):
        raise Unreadable("This is an old or password-protected spreadsheet. Save it without a password as XLSX or CSV.")
    return rows_of_text(_decoded(content))


def _decoded(content: bytes) -> str:
    if content.startswith((b"\xff\xfe", b"\xfe\xff")):
        encodings: tuple[str, ...] = ("utf-16",)
    else:
        encodings = ("utf-8-sig", "cp1252")
    for encoding in encodings:
        try:
            text = content.decode(encoding)
        except UnicodeDecodeError:
            continue
        if "\x00" not in text:
            return text
    raise Unreadable("This is not a text file, a spreadsheet or a PDF we can read.")


def rows_of_text(text: str) -> list[list[str]]:
    """Rows of pasted or comma-separated text; the separator is the one that parts most lines alike."""
    lines = [line for line in text.splitlines() if line.strip()][: MOST_ROWS + 1]
    if not lines:
        raise Unreadable("There is nothing in it.")
    counts = {mark: sum(line.count(mark) for line in lines[:200]) for mark in "\t;|,"}
    # a comma may be a decimal comma: it parts columns only where nothing else does
    mark = next((mark for mark in "\t;|" if counts[mark] >= len(lines[:200]) * 0.5), "," if counts[","] >= len(lines[:200]) * 0.5 else "\t")
    try:
        return [[cell[:200] for cell in row[:MOST_CELLS]] for row in csv.reader(io.StringIO("\n".join(lines)), delimiter=mark)]
    except csv.Error as error:
        raise Unreadable(f"The table is broken: {error}.") from None


def _spreadsheet(content: bytes) -> list[list[str]]:
    from openpyxl import load_workbook

    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            if sum(entry.file_size for entry in archive.infolist()) > MOST_UNPACKED:
                raise Unreadable("The spreadsheet unpacks to more than we read.")
        book = load_workbook(io.BytesIO(content), read_only=True, data_only=True)
    except Unreadable:
        raise
    except Exception:
        raise Unreadable("The spreadsheet cannot be opened; it may be damaged or protected by a password.") from None
    rows: list[list[str]] = []
    try:
        for sheet in book.worksheets:
            for row in sheet.iter_rows(values_only=True, max_row=MOST_ROWS + 1):
                if len(rows) > MOST_ROWS:
                    break
                rows.append(["" if cell is None else str(cell)[:200] for cell in row[:MOST_CELLS]])
            if any(any(row) for row in rows):
                break
    except Exception:
        raise Unreadable("The spreadsheet is damaged.") from None
    finally:
        book.close()
    return rows


def _pdf(content: bytes) -> list[list[str]]:
    import pdfplumber

    rows: list[list[str]] = []
    try:
        with pdfplumber.open(io.BytesIO(content)) as pdf:
            for page in pdf.pages[:MOST_PAGES]:
                tables = page.extract_tables()
                for table in tables:
                    rows += [[" ".join((cell or "").split())[:200] for cell in row[:MOST_CELLS]] for row in table]
                if not tables:
                    rows += _aligned(page.extract_words())
    except Exception:
        raise Unreadable("The PDF cannot be read; it may be damaged or protected by a password.") from None
    if not any(any(row) for row in rows):
        raise Unreadable("The PDF holds pictures, not text; there is nothing to read without recognising letters. Type the readings instead.")
    return rows


def _aligned(words: list[dict[str, Any]]) -> list[list[str]]:
    """Words of a page without ruled tables -> rows of cells, set under the line that has most of them.

    A gap of about half the height of the letters parts two cells; a cell belongs to the column it starts nearest to.
    """
    lines: list[list[dict[str, Any]]] = []
    for word in sorted(words, key=lambda word: (round(word["top"]), word["x0"])):
        if lines and abs(lines[-1][-1]["top"] - word["top"]) < 3:
            lines[-1].append(word)
        else:
            lines.append([word])
    parted = [_cells(line) for line in lines]
    ruler = [start for start, _ in max(parted, key=len, default=[])]
    rows = []
    for cells in parted:
        row = [""] * len(ruler)
        for start, text in cells:
            at = min(range(len(ruler)), key=lambda i: abs(ruler[i] - start))
            row[at] = f"{row[at]} {text}".strip()[:200]
        rows.append(row[:MOST_CELLS])
    return rows


def _cells(line: list[dict[str, Any]]) -> list[tuple[float, str]]:
    """Start and text of each cell of a line of words."""
    cells: list[tuple[float, str]] = []
    end = float("-inf")
    for word in sorted(line, key=lambda word: word["x0"]):
        if cells and word["x0"] - end < 0.45 * (word["bottom"] - word["top"]):
            cells[-1] = (cells[-1][0], f"{cells[-1][1]} {word['text']}")
        else:
            cells.append((word["x0"], word["text"]))
        end = word["x1"]
    return cells


#: a minus with a number and at most a unit behind it, such as -1.5 degC; anything longer may be a formula
_BELOW_ZERO = re.compile(r"-\d+([.,]\d+)?( [A-Za-z°µ/%]+[0-9]?)?")


def safe_cell(text: str) -> str:
    """A cell that no spreadsheet takes for a formula."""
    risky = text[:1] in ("=", "+", "@", "\t", "\r") or (text[:1] == "-" and not _BELOW_ZERO.fullmatch(text))
    return f"'{text}" if risky else text
