"""XLSX -> sheets, as they are seen: what is hidden stays apart, dates are dates, a number is written as its format shows it."""

from __future__ import annotations

import datetime as dt
import io
import re
import zipfile
from typing import Any

from treatment.evidence.reports.sheets import SheetLine, TextSheet

from .limits import MOST_CELLS, MOST_LETTERS, MOST_ROWS, MOST_SHEETS, MOST_UNPACKED, SMALL_UNPACKED, Unreadable

_QUOTED = re.compile(r'"([^"]*)"|\\(.)')


def read_spreadsheet(content: bytes) -> list[TextSheet]:
    """Every sheet that is seen. Raises Unreadable."""
    from openpyxl import load_workbook

    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            unpacked = sum(entry.file_size for entry in archive.infolist())
        if unpacked > MOST_UNPACKED:
            raise Unreadable("The spreadsheet unpacks to more than we read.")
        whole = unpacked <= SMALL_UNPACKED  # only a book in memory tells what is hidden or joined
        book = load_workbook(io.BytesIO(content), read_only=not whole, data_only=True)
    except Unreadable:
        raise
    except Exception:
        raise Unreadable("The spreadsheet cannot be opened; it may be damaged or protected by a password.") from None
    sheets, count = [], 0
    try:
        for sheet in book.worksheets[:MOST_SHEETS]:
            if sheet.sheet_state != "visible":
                continue
            lines = _lines(sheet, whole, MOST_ROWS + 1 - count)
            count += len(lines)
            sheets.append(TextSheet(sheet.title, tuple(lines)))
            if count > MOST_ROWS:
                break
    except Exception:
        raise Unreadable("The spreadsheet is damaged.") from None
    finally:
        book.close()
    return sheets


def _lines(sheet: Any, whole: bool, most: int) -> list[SheetLine]:
    hidden_rows, hidden_columns, joined = _apart(sheet) if whole else (set(), set(), {})
    lines: list[SheetLine] = []
    for number, row in enumerate(sheet.iter_rows(max_row=sheet.max_row if whole else None), 1):
        if len(lines) >= most:
            break
        if number in hidden_rows:
            continue
        cells = [
            joined.get((number, k)) or _text(cell) for k, cell in enumerate(row[: MOST_CELLS + len(hidden_columns)], 1) if k not in hidden_columns
        ]
        if any(cells):
            lines.append(SheetLine(f"{sheet.title}!{number}", tuple(cells)))
        elif lines and lines[-1].cells:
            lines.append(SheetLine(f"{sheet.title}!{number}", ()))
    return lines


def _apart(sheet: Any) -> tuple[set[int], set[int], dict[tuple[int, int], str]]:
    """Hidden rows and columns, and what stands in cells that are joined downwards."""
    rows = {number for number, row in sheet.row_dimensions.items() if row.hidden}
    columns = {k for column in sheet.column_dimensions.values() if column.hidden for k in range(column.min or 0, (column.max or 0) + 1)}
    joined: dict[tuple[int, int], str] = {}
    for each in sheet.merged_cells.ranges:
        if each.min_col == each.max_col and each.max_row - each.min_row < 1000:
            text = _text(sheet.cell(each.min_row, each.min_col))
            joined |= {(number, each.min_col): text for number in range(each.min_row + 1, each.max_row + 1)}
    return rows, columns, joined


def _text(cell: Any) -> str:
    value = getattr(cell, "value", None)
    if value is None:
        return ""
    if isinstance(value, dt.datetime | dt.date):
        return value.date().isoformat() if isinstance(value, dt.datetime) else value.isoformat()
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        return _shown(value, getattr(cell, "number_format", "General") or "General")
    text = " ".join(str(value).split())
    return "" if text.startswith("#") and text.rstrip("!?").isupper() and len(text) < 9 else text[:MOST_LETTERS]


def _shown(value: float, form: str) -> str:
    """A number with what its format writes before and behind it, such as ``<`` or a unit."""
    first = form.split(";")[0]
    said = [match[1] if match[1] is not None else match[2] for match in _QUOTED.finditer(first)]
    bare = _QUOTED.sub("\0", first)
    before = "".join(said[: bare[: min((bare.find(mark) for mark in "0#?" if mark in bare), default=0)].count("\0")])
    behind = "".join(said)[len(before) :]
    percent = "%" in bare
    number = f"{value * (100 if percent else 1):.12g}"
    if "e" in number:
        number = f"{value:f}".rstrip("0").rstrip(".") or "0"
    return f"{before}{number}{' %' if percent else ''}{behind}".strip()[:MOST_LETTERS]
