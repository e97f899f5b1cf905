"""Days as laboratories write them. What could be two days is none, unless the sheet tells how it orders day and month."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable
from functools import cache

from ...language.tables import table
from .sheets import plain

_ISO = re.compile(r"(?<!\d)((?:19|20)\d\d)[-/.](\d{1,2})[-/.](\d{1,2})(?!\d)")
_NUMBERS = re.compile(r"(?<!\d)(\d{1,2})\s?([-/.])\s?(\d{1,2})\s?\2\s?((?:19|20)?\d\d)(?!\d)")
_DAY_WORD = re.compile(r"(?<!\d)(\d{1,2})(?:st|nd|rd|th|\.)?[\s.-]*(?:de\s+)?([a-z]{3,12})\.?[\s,.-]*(?:de\s+)?((?:19|20)\d\d|\d\d)(?!\d)")
_WORD_DAY = re.compile(r"([a-z]{3,12})\.?\s+(\d{1,2})(?:st|nd|rd|th)?,?\s+((?:19|20)\d\d)(?!\d)")


def day_first(texts: Iterable[str]) -> bool | None:
    """Whether a file writes the day before the month: by dates that can be read one way only, else by its words; None where nothing tells."""
    first = second = False
    words: list[str] = []
    for text in texts:
        said = plain(text)
        words.append(said)
        for match in _NUMBERS.finditer(said):
            first, second = first or int(match[1]) > 12, second or int(match[3]) > 12
    if first != second:
        return first
    told = {kind: any(_holds(said, word) for said in words for word in table("report_words")["order"][kind]) for kind in ("day_first", "month_first")}
    return told["day_first"] if told["day_first"] != told["month_first"] else None


def _holds(text: str, word: str) -> bool:
    return word in text and bool(re.search(rf"(?<![a-z]){re.escape(word)}(?![a-z])", text))


def day(text: str, first: bool | None) -> dt.date | None:
    """The day a text tells; None for none, a year alone, or two possible days.

    >>> day("12 May 2026", None), day("03/04/2026", None)
    (datetime.date(2026, 5, 12), None)
    """
    said = plain(text)
    if match := _ISO.search(said):
        return _date(int(match[1]), int(match[2]), int(match[3]))
    if match := _NUMBERS.search(said):
        a, b, year = int(match[1]), int(match[3]), _year(match[4])
        if match[2] == "." or a > 12 or a == b:
            return _date(year, b, a)
        if b > 12:
            return _date(year, a, b)
        return None if first is None else _date(year, b, a) if first else _date(year, a, b)
    if (match := _DAY_WORD.search(said)) and match[2] in _months():
        return _date(_year(match[3]), _months()[match[2]], int(match[1]))
    if (match := _WORD_DAY.search(said)) and match[1] in _months():
        return _date(int(match[3]), _months()[match[1]], int(match[2]))
    return None


@cache
def _months() -> dict[str, int]:
    found: dict[str, int] = table("report_words")["months"]["names"]
    return found


def _year(text: str) -> int:
    return int(text) + (2000 if len(text) == 2 else 0)


def _date(year: int, month: int, day: int) -> dt.date | None:
    try:
        return dt.date(year, month, day)
    except ValueError:
        return None
