"""A laboratory's table -> readings: finds the columns, reads each row, and says how sure it is. Nothing is dropped."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from ..language.analytes import Analyte, analytes, find_analyte, fold, nearest_name
from ..language.errors import NotUnderstood
from ..language.reading import Reading, parse_reading

NAME_WORDS = ("parameter", "analyte", "test", "determinand", "substance", "compound", "element", "description", "analysis")
VALUE_WORDS = ("result", "value", "concentration", "reading", "found", "measured", "amount")
UNIT_WORDS = ("unit", "units", "uom")
_VALUE = re.compile(
    r"^\s*(?:[<>≤≥]\s*)?-?[\d.,]+(?:[eE][+-]?\d+)?(?:\s*(?:\.\.|–|-|to)\s*[\d.,]+)?\s*\S{0,24}\s*$|^\s*(?:not detected|detected|absent|present|negative|positive|nd)\s*$",
    re.IGNORECASE,
)
_DROPPED = re.compile(r"\b(total|dissolved|as|by|calc(?:ulated)?|lab|icp|ms|recoverable|field|bacteria|organisms)\b|[(),;:*†]", re.IGNORECASE)
_BASIS = re.compile(r"[,(]?\s*\bas\s+(CaCO[3₃]|HCO[3₃]|NO[3₃]|NO[2₂]|N|SO[4₄]|S|Ca|Mg|P|PO[4₄]|NH[4₄]|SiO[2₂]|Si)\b\)?")
MOST_GUESSED = 400  # rows for which the nearest name is looked up: as many as a page shows
MOST_ROWS = 20_000


@dataclass(frozen=True, slots=True)
class Columns:
    """Which column holds what, counted from 0; None where the table has no such column. first: first row of data."""

    name: int
    value: int | None
    unit: int | None
    first: int


@dataclass(frozen=True, slots=True)
class Row:
    """One row of a report as it was understood.

    number: its line, from 1; text: what the report says; sure: "sure", "check" (guessed or assumed) or "aside" (kept, not read).
    """

    number: int
    name: str
    text: str
    analyte: Analyte | None
    reading: Reading | None
    sure: str
    problem: str


#: columns of our own table of samples, as it is written out and read back
SAMPLE_COLUMNS = ("sample", "taken_on", "point", "draw", "weather", "method", "analyte", "name", "qualifier", "low", "high", "unit", "as_written")


def own_samples(rows: list[list[str]]) -> list[dict[str, Any]] | None:
    """Samples of our own table, as a job file writes them; None where the table is not ours. Unchecked."""
    if not rows or tuple(cell.strip() for cell in rows[0]) != SAMPLE_COLUMNS:
        return None
    samples: dict[str, dict[str, Any]] = {}
    for row in rows[1:]:
        cells = dict(zip(SAMPLE_COLUMNS, (cell.strip().removeprefix("'") for cell in row), strict=False))
        sample = samples.setdefault(cells.get("sample", ""), {"readings": {}})
        sample |= {name: cells[name] for name in ("taken_on", "point", "draw", "weather", "method") if cells.get(name)}
        sample["readings"][cells.get("analyte", "")] = cells.get("as_written", "")
    return list(samples.values())


def find_columns(rows: list[list[str]]) -> Columns | None:
    """The columns of a table: by its header where it has one, else by what the cells look like. None for no table."""
    for at, row in enumerate(rows[:30]):
        words = [fold(cell) for cell in row]
        name = next((i for i, cell in enumerate(words) if any(word in cell.split() for word in NAME_WORDS)), None)
        value = next((i for i, cell in enumerate(words) if any(word in cell.split() for word in VALUE_WORDS) and i != name), None)
        if name is not None and value is not None:
            unit = next((i for i, cell in enumerate(words) if any(word in cell.split() for word in UNIT_WORDS)), None)
            return Columns(name, value, unit, at + 1)
    width = max((len(row) for row in rows), default=0)
    if width == 1:
        return Columns(0, None, None, 0)
    scores = [sum(find_analyte(_plain(row[i])) is not None for row in rows if len(row) > i) for i in range(width)]
    if not scores or max(scores) == 0:
        return None
    name = scores.index(max(scores))
    values = [sum(bool(_VALUE.match(row[i])) for row in rows if len(row) > i and row[i].strip()) if i != name else 0 for i in range(width)]
    value = values.index(max(values)) if max(values) else None
    return Columns(name, value, _unit_column(rows, name, value, width), 0)


def _unit_column(rows: list[list[str]], name: int, value: int | None, width: int) -> int | None:
    """The column whose cells are units of the analytes beside them."""
    best: tuple[int, int | None] = (0, None)
    for i in range(width):
        if i in (name, value):
            continue
        fits = 0
        for row in rows:
            analyte = find_analyte(_plain(row[name])) if len(row) > max(i, name) else None
            fits += bool(analyte and row[i].strip() and analyte.factor_for(row[i].strip()))
        best = max(best, (fits, i), key=lambda pair: pair[0])
    return best[1]


def layout_of(rows: list[list[str]]) -> str:
    """What tells one laboratory's layout from another's: the words of its header, folded; empty where there is no header."""
    cleaned = [row for row in ([str(cell).strip() for cell in row] for row in rows) if any(row)]
    columns = find_columns(cleaned)
    return " | ".join(fold(cell) for cell in cleaned[columns.first - 1])[:300] if columns and columns.first else ""


def read_report(rows: list[list[str]], known: dict[str, list[str]] | None = None) -> list[Row]:
    """Every row of a report: understood, to be checked, or kept aside. Raises NotUnderstood where there is no table.

    known: what was remembered of this layout, folded name -> [key of the analyte or empty for aside, unit where the report gives none].
    """
    cleaned = [[str(cell).strip() for cell in row] for row in rows]
    cleaned = [row for row in cleaned if any(row)]
    if not cleaned:
        raise NotUnderstood("", "there is nothing in it")
    if len(cleaned) > MOST_ROWS:
        raise NotUnderstood("", f"it has more than {MOST_ROWS} rows")
    columns = find_columns(cleaned)
    if columns is None:
        raise NotUnderstood("", "no column in it names anything we know how to measure")
    taken: set[str] = set()
    read = [_row(number, row, columns, taken, known or {}) for number, row in enumerate(cleaned[columns.first :], columns.first + 1)]
    if not any(row.analyte for row in read):
        raise NotUnderstood("", "nothing in it names anything we know how to measure")
    return read


def _row(number: int, row: list[str], columns: Columns, taken: set[str], known: dict[str, list[str]]) -> Row:
    def cell(i: int | None) -> str:
        return row[i] if i is not None and i < len(row) else ""

    name = cell(columns.name)
    if columns.value is None:
        match = re.match(r"^(.*?[A-Za-z)₂₃₄])[\s:=]+((?:[<>≤≥]\s*)?-?[\d.,]+.*|present|absent|not detected|nd)$", name, re.IGNORECASE)
        name, text = (match.group(1), match.group(2)) if match else (name, "")
    else:
        text = f"{cell(columns.value)} {cell(columns.unit)}".strip() if not re.search(r"[A-Za-z%°]", cell(columns.value)) else cell(columns.value)
    plain, basis = _basis(name)
    analyte, guessed = _analyte(plain)
    if basis and text and not re.search(r"\bas\b", text):
        text = f"{text} as {basis}"
    if fold(name) in known:
        remembered, unit = known[fold(name)]
        analyte, guessed = find_analyte(remembered) if remembered else None, False
        if analyte is None:
            return Row(number, name, text, None, None, "aside", "left aside, as remembered")
        if unit and re.fullmatch(r"(?:[<>≤≥]\s*)?-?[\d.,]+", text):
            text = f"{text} {unit}"
    if analyte is None:
        return Row(
            number,
            name,
            text,
            None,
            None,
            "aside",
            "not an analyte we know" + (f"; perhaps {analytes()[near].said}?" if number <= MOST_GUESSED and (near := nearest_name(name)) else ""),
        )
    if not text:
        return Row(number, name, text, analyte, None, "aside", "no result in this row")
    try:
        reading = parse_reading(analyte, text)
    except NotUnderstood as error:
        return Row(number, name, text, analyte, None, "aside", str(error))
    if analyte.key in taken:
        return Row(number, name, text, analyte, reading, "check", f"{analyte.name} stands in the report twice")
    taken.add(analyte.key)
    note = reading.note or ("read as " + analyte.name if guessed else "")
    return Row(number, name, text, analyte, reading, "check" if note else "sure", note)


def _basis(name: str) -> tuple[str, str]:
    """A name without the basis printed in it, and that basis: "Hardness as CaCO3" -> ("Hardness", "CaCO3")."""
    match = _BASIS.search(name)
    return (f"{name[: match.start()]}{name[match.end() :]}".strip(), match.group(1)) if match else (name, "")


def _plain(name: str) -> str:
    return re.sub(r"\s+", " ", _DROPPED.sub(" ", name)).strip()


def _analyte(name: str) -> tuple[Analyte | None, bool]:
    """The analyte a report means, and whether it had to be guessed from a longer name."""
    exact = find_analyte(name)
    if exact is not None:
        return exact, False
    inside = re.search(r"\(([^)]+)\)", name)
    for part in (re.sub(r"\([^)]*\)", " ", name), inside.group(1) if inside else "", _plain(name)):
        found = find_analyte(part) if part.strip() else None
        if found is not None:
            return found, True
    return None, False
