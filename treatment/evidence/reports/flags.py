"""What a laboratory says against its own results: letters with a legend, remarks beside a row, notes under a table."""

from __future__ import annotations

import re
from functools import cache

from ...language.tables import table
from .report import ReportRow
from .sheets import SheetLine, plain

_LEGEND = re.compile(r"^\(?(?P<mark>[A-Za-z]{1,2}\d?|\*{1,3}|†|‡|#)\)?\s*(?:[:=–]|-\s)\s*(?P<words>\S.{6,})$")
_RECEIVED = re.compile(r"received at\s+(?P<at>\d+(?:[.,]\d+)?)\s*°?\s*(?P<unit>[cf])\b")
_MICROBES = re.compile(r"bacteri|bakteri|coliform|microb|mikrob|germes|keim|e\.? ?coli\b")


@cache
def _says() -> tuple[tuple[str, re.Pattern[str]], ...]:
    def part(name: str) -> str:
        return re.escape(name.rstrip("*")) + ("" if name.endswith("*") else r"(?![a-z])")

    return tuple(
        (row["words"], re.compile(r"(?<![a-z])(?:" + "|".join(map(part, row["names"])) + ")")) for row in table("report_words")["flags"]["says"]
    )


def flag_in(text: str) -> str:
    """What a text says against a result, in our words; empty where it says nothing, or that all was as it should be."""
    said = plain(text)
    rows = table("report_words")["flags"]
    if not said or any(word in said for word in rows["denied"]):
        return ""
    if met := _RECEIVED.search(said):
        degrees = float(met["at"].replace(",", "."))
        if (degrees - 32) / 1.8 > rows["warm_above"] if met["unit"] == "f" else degrees > rows["warm_above"]:
            return str(rows["warm"])
    return next((words for words, pattern in _says() if pattern.search(said)), "")


def legend_of(line: SheetLine) -> tuple[str, str] | None:
    """A letter and what it stands for, where a line of a legend says so and it speaks against a result."""
    match = _LEGEND.match(" : ".join(line.filled) if len(line.filled) == 2 and len(line.filled[0]) < 4 else " ".join(line.filled))
    words = flag_in(match["words"]) if match else ""
    return (plain(match["mark"]), words) if match and words else None


def apply(rows: list[ReportRow], legend: dict[str, str], notes: list[str]) -> None:
    """Make a doubt of what is said against a reading: beside it, by its letters, or in a note to all, to the microbes or to what it names.

    Without a legend a letter has its usual meaning only where no limit is printed: beside one, H is a high result.
    """
    for row in rows:
        if row.reading is None:
            continue
        usual = table("report_words")["flags"]["marks"] if not row.limit else {}
        row.flag = (
            row.flag
            or next((said for mark in row.marks if (said := legend.get(mark) or usual.get(mark))), "")
            or next((flag_in(note) for note in notes if _concerns(note, row, rows)), "")
        )
        if row.flag:
            row.status = "check" if row.status == "sure" else row.status
            row.why = "; ".join(filter(None, (row.why, f"the laboratory says: {row.flag}")))


def _concerns(note: str, row: ReportRow, rows: list[ReportRow]) -> bool:
    said = plain(note)
    if _MICROBES.search(said):
        return row.analyte is not None and row.analyte.is_microbe
    named = [each for each in rows if re.search(rf"(?<![a-z]){re.escape(plain(each.label))}(?![a-z])", said)]
    return row in named if named else True
