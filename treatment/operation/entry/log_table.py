"""A table of readings from a file or pasted rows: which column is what, which rows can be taken, which cannot and why."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ...language.errors import NotUnderstood
from ...language.log_keys import SOURCE, TAP, log_key
from ...language.tables import table
from .line import LogLine
from .naming import fold

MOST = 5000
#: columns of a table
COLUMNS = 100
DAY, NOTE = "date", "note"
#: how a column of days may be ordered where its days do not tell
ORDERS = {"day": "day first (14/03/2026)", "month": "month first (03/14/2026)"}
_FORMS = ("%Y-%m-%d", "%d.%m.%Y", "%d %b %Y", "%d %B %Y", "%Y/%m/%d")
_SLASHED = re.compile(r"^(\d{1,2})\s?[/-]\s?(\d{1,2})\s?[/-]\s?(\d{4}|\d{2})$")


@dataclass(frozen=True)
class Understood:
    """A table as it was read. columns: heading and key, empty where none; rows: entries that can be kept; bad: line number and why;
    rest: the headings and the lines that cannot be kept, as text; order: day or month, as the days of the table tell or a person chose, empty
    where nothing does; asks: whether some day could be two.
    """

    columns: tuple[tuple[str, str], ...]
    rows: tuple[tuple[dt.date, dict[str, Any]], ...]
    bad: tuple[tuple[int, str], ...]
    problem: str = ""
    rest: str = ""
    order: str = ""
    asks: bool = False


def understood(
    cells: Sequence[Sequence[str]],
    line: LogLine,
    ids: Sequence[str],
    system: str,
    today: dt.date,
    chosen: Mapping[int, str] | None = None,
    order: str = "",
) -> Understood:
    """Read a table whose first row has the headings: a date, and what the columns are, as the entry line takes it.

    today: no later day is taken; chosen: number of a column -> the key that a person gave it, empty to leave it out, ``date`` for the day, ``note`` to keep it in words.
    order: whether day or month comes first, where a person told it.
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
    day = next((i for i, key in chosen.items() if key == DAY), next((i for i, name in enumerate(head) if fold(name) in _words(DAY)), None))
    columns = [(name, DAY if i == day else _given(chosen[i], ids) if i in chosen else _key(name, line)) for i, name in enumerate(head)]
    days = [row[day] for row in cells[1:] if day is not None and day < len(row)]
    order = order if order in ORDERS else order_of(days)
    asks = not order and any(_two(each) for each in days)
    if day is None:
        return Understood(tuple(columns), (), (), "No column is called “date”. Choose the column with the date.")
    rows, bad = [], []
    for number, row in enumerate(cells[1:], 2):
        try:
            on = date_of(row[day].strip() if day < len(row) else "", order)
            if on > today:
                raise NotUnderstood(row[day], f"{on} is in the future. Enter today or an earlier date")
            body = _body(columns, row, ids, system)
            if not body:
                raise NotUnderstood("", "nothing in it was understood")
            rows.append((on, body))
        except NotUnderstood as error:
            bad.append((number, error.reason))
    rest = "\n".join("\t".join(row) for row in [cells[0], *(cells[number - 1] for number, _ in bad)])
    return Understood(tuple(columns), tuple(rows), tuple(bad), rest=rest, order=order, asks=asks)


def _body(columns: Sequence[tuple[str, str]], row: Sequence[str], ids: Sequence[str], system: str) -> dict[str, Any]:
    """What a row holds, as an entry: its readings, and in words what is kept as a note. Raises NotUnderstood."""
    readings, notes = {}, []
    for (name, key), cell in zip(columns, row, strict=False):
        if key in ("", DAY) or not cell.strip():
            continue
        if key == NOTE:
            notes.append(cell.strip() if fold(name) in _words(NOTE) else f"{name}: {cell.strip()}")
            continue
        known = log_key(key, ids)
        text = known.typed(_with_unit(name, cell.strip()), system)
        try:
            known.read(text)
        except NotUnderstood as error:
            raise NotUnderstood(cell, f"{name}: {error.reason}") from None
        readings[key] = text
    return ({"readings": readings} if readings else {}) | ({"note": "; ".join(notes)[:2000]} if notes else {})


def _given(key: str, ids: Sequence[str]) -> str:
    """A key that was chosen; none where it is not of this train."""
    if key == NOTE:
        return NOTE
    try:
        return log_key(key, ids).key
    except NotUnderstood:
        return ""


def choices(line: LogLine) -> list[tuple[str, list[tuple[str, str]]]]:
    """What a column may be, key and words, by place: the house, source, tap, each unit."""
    rows, usual = table("log"), table("log")["columns"]["usual"]
    found = [("House", [log_key(what, line.ids) for what in rows["whole"]])]
    found += [(place.capitalize(), [log_key(f"{place}.{what}", line.ids) for what in (*rows[place], *usual)]) for place in (SOURCE, TAP)]
    for stage in line.names.stages:
        waters = [log_key(f"{stage.id}.{what}_{side}", line.ids) for what in usual for side in ("in", "out")]
        found.append((line.names.called(stage.id), [*line.names.own_of(stage.id), *waters]))
    return [(place, [(key.key, f"{place}: {key.words}") for key in keys]) for place, keys in found]


def _words(what: str) -> list[str]:
    """The headings of a column of days, or of notes."""
    return list(table("log")["columns"][what])


def words_of(key: str, line: LogLine) -> str:
    """What a key is, as people call it: the unit, and what is read there."""
    if key in ("", DAY, NOTE):
        return {"": "", DAY: "the day", NOTE: "a note"}[key]
    known = log_key(key, line.ids)
    return f"{line.names.called(known.place)}: {known.words}" if known.place in line.ids else known.title


def _key(name: str, line: LogLine) -> str:
    """The key of a heading: as a log names it, or in words; what stands in brackets is its unit."""
    plain = re.sub(r"[\[(].*?[\])]", "", name).strip()
    if fold(plain) in _words(NOTE):
        return NOTE
    found = line.read(f"{plain} 1")
    if len(found) == 1 and found[0].key:
        return found[0].key
    found = line.read(f"{plain} absent")
    return found[0].key if len(found) == 1 else ""


def _with_unit(name: str, cell: str) -> str:
    match = re.search(r"[\[(](.*?)[\])]", name)
    bare = re.fullmatch(r"[<>]?\s*\d+(?:[.,]\d+)?", cell)
    return f"{cell} {match.group(1)}" if match and bare else cell


def order_of(days: Sequence[str]) -> str:
    """Whether the days of a column have day or month first, by those that can be read one way only; empty where none tells, or they disagree."""
    told = {
        ("day" if int(match[1]) > 12 else "month")
        for each in days
        if (match := _SLASHED.match(each.strip())) and (int(match[1]) > 12) != (int(match[2]) > 12)
    }
    return told.pop() if len(told) == 1 else ""


def _two(text: str) -> bool:
    """Whether a day could be two."""
    match = _SLASHED.match(text.strip())
    return match is not None and int(match[1]) <= 12 and int(match[2]) <= 12 and match[1] != match[2]


def date_of(text: str, order: str = "") -> dt.date:
    """A day as tables write it. Raises NotUnderstood for none, and for one whose day and month cannot be told apart.

    order: whether day or month comes first, where the rest of the table tells.
    """
    text = text.strip().split("T")[0].split(" 00:")[0]
    for form in _FORMS:
        try:
            return dt.datetime.strptime(text, form).date()
        except ValueError:
            continue
    if match := _SLASHED.match(text):
        first, second, year = map(int, match.groups())
        first_is_day = order == "day" if order and _two(text) else first > 12
        if _two(text) and not order:
            raise NotUnderstood(text, f"“{text}” can mean two dates. Choose whether the day or the month comes first")
        month, day = (second, first) if first_is_day else (first, second)
        try:
            return dt.date(year + 2000 if year < 100 else year, month, day)
        except ValueError:
            raise NotUnderstood(text, f"“{text}” is not a date. Enter it as 2026-03-14") from None
    raise NotUnderstood(text, f"“{text[:20]}” is not a date. Enter it as 2026-03-14")
