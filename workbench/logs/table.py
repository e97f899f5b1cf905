"""A table of readings from a file or pasted rows: which column is what, which rows can be taken, which cannot and why."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from treatment.keeping.line import Line
from treatment.keeping.naming import fold
from treatment.language.errors import NotUnderstood
from treatment.language.log_keys import SOURCE, TAP, log_key
from treatment.language.tables import table

MOST = 5000
#: columns of a table
COLUMNS = 100
DAY = "date"
#: analytes that are offered by name; any other is taken where its heading names it
USUAL = (
    "ph",
    "hardness",
    "iron",
    "manganese",
    "free_chlorine",
    "total_chlorine",
    "tds",
    "turbidity",
    "nitrate",
    "hydrogen_sulfide",
    "uvt",
    "temperature",
    "total_coliform",
)
DATE_WORDS = ("date", "day", "on", "datum", "when")
_FORMS = ("%Y-%m-%d", "%d.%m.%Y", "%d %b %Y", "%d %B %Y", "%Y/%m/%d")
_SLASHED = re.compile(r"^(\d{1,2})/(\d{1,2})/(\d{4})$")


@dataclass(frozen=True)
class Understood:
    """A table as it was read. columns: heading and key, empty where none; rows: entries that can be kept; bad: line number and why;
    rest: the headings and the lines that cannot be kept, as text.
    """

    columns: tuple[tuple[str, str], ...]
    rows: tuple[tuple[dt.date, dict[str, Any]], ...]
    bad: tuple[tuple[int, str], ...]
    problem: str = ""
    rest: str = ""


def understood(
    cells: Sequence[Sequence[str]], line: Line, ids: Sequence[str], system: str, today: dt.date, chosen: Mapping[int, str] | None = None
) -> Understood:
    """Read a table whose first row has the headings: a date, and what the columns are, as the entry line takes it.

    today: no later day is taken; chosen: number of a column -> the key that a person gave it, empty to leave it out, ``date`` for the day.
    """
    chosen = chosen or {}
    cells = [row for row in cells if any(cell.strip() for cell in row)]
    if len(cells) < 2:
        return Understood((), (), (), "The table needs a row of headings and at least one row of readings.")
    if len(cells) > MOST:
        return Understood((), (), (), f"This has more than {MOST} rows; send it in parts.")
    head = [cell.strip() for cell in cells[0]]
    if max(len(row) for row in cells) > COLUMNS:
        return Understood((), (), (), f"This has more than {COLUMNS} columns; remove the columns you do not need.")
    day = next((i for i, key in chosen.items() if key == DAY), next((i for i, name in enumerate(head) if fold(name) in DATE_WORDS), None))
    columns = [(name, DAY if i == day else _given(chosen[i], ids) if i in chosen else _key(name, line)) for i, name in enumerate(head)]
    if day is None:
        return Understood(tuple(columns), (), (), "No column is called “date”. Choose the column with the date.")
    rows, bad = [], []
    for number, row in enumerate(cells[1:], 2):
        try:
            on = date_of(row[day].strip() if day < len(row) else "")
            if on > today:
                raise NotUnderstood(row[day], f"{on} is in the future. Enter today or an earlier date")
            readings = {}
            for (name, key), cell in zip(columns, row, strict=False):
                if key not in ("", DAY) and cell.strip():
                    known = log_key(key, ids)
                    text = known.typed(_with_unit(name, cell.strip()), system)
                    try:
                        known.read(text)
                    except NotUnderstood as error:
                        raise NotUnderstood(cell, f"{name}: {error.reason}") from None
                    readings[key] = text
            if readings:
                rows.append((on, {"readings": readings}))
            else:
                bad.append((number, "nothing in it was understood"))
        except NotUnderstood as error:
            bad.append((number, error.reason))
    rest = "\n".join("\t".join(row) for row in [cells[0], *(cells[number - 1] for number, _ in bad)])
    return Understood(tuple(columns), tuple(rows), tuple(bad), rest=rest)


def _given(key: str, ids: Sequence[str]) -> str:
    """A key that was chosen; none where it is not of this train."""
    try:
        return log_key(key, ids).key
    except NotUnderstood:
        return ""


def choices(line: Line) -> list[tuple[str, list[tuple[str, str]]]]:
    """What a column may be, key and words, by place: the house, source, tap, each unit."""
    rows = table("log")
    found = [("House", [log_key(what, line.ids) for what in rows["whole"]])]
    found += [(place.capitalize(), [log_key(f"{place}.{what}", line.ids) for what in (*rows[place], *USUAL)]) for place in (SOURCE, TAP)]
    for stage in line.names.stages:
        waters = [log_key(f"{stage.id}.{what}_{side}", line.ids) for what in USUAL for side in ("in", "out")]
        found.append((f"{stage.name} ({stage.id})", [*line.names.own_of(stage.id), *waters]))
    return [(place, [(key.key, f"{place}: {key.words}") for key in keys]) for place, keys in found]


def _key(name: str, line: Line) -> str:
    """The key of a heading: as a log names it, or in words; what stands in brackets is its unit."""
    plain = re.sub(r"[\[(].*?[\])]", "", name).strip()
    found = line.read(f"{plain} 1")
    if len(found) == 1 and found[0].key:
        return found[0].key
    found = line.read(f"{plain} absent")
    return found[0].key if len(found) == 1 else ""


def _with_unit(name: str, cell: str) -> str:
    match = re.search(r"[\[(](.*?)[\])]", name)
    bare = re.fullmatch(r"[<>]?\s*\d+(?:[.,]\d+)?", cell)
    return f"{cell} {match.group(1)}" if match and bare else cell


def date_of(text: str) -> dt.date:
    """A day as tables write it. Raises NotUnderstood for none, and for one whose day and month cannot be told apart."""
    text = text.strip().split("T")[0].split(" 00:")[0]
    for form in _FORMS:
        try:
            return dt.datetime.strptime(text, form).date()
        except ValueError:
            continue
    if match := _SLASHED.match(text):
        first, second, year = map(int, match.groups())
        if (first <= 12) != (second <= 12):
            month, day = (first, second) if first <= 12 else (second, first)
            return dt.date(year, month, day)
        raise NotUnderstood(text, f"“{text}” can mean two dates. Enter it as 2026-03-14")
    raise NotUnderstood(text, f"“{text[:20]}” is not a date. Enter it as 2026-03-14")
