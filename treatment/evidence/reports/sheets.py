"""What a report is before anybody understands it: lines of cells, each with the place where it stands."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache

_MARKS = re.compile(r"[(),;:*†‡\[\]{}|\"“”@]")
_NANOMETRES = re.compile(r"(?<=\d)nm\b")


@dataclass(frozen=True, slots=True)
class SheetLine:
    """at: ``sheet!row``, ``page:line`` or the line of the file; cells: text; spans: where each cell begins and ends across a page, or nothing."""

    at: str
    cells: tuple[str, ...]
    spans: tuple[tuple[float, float], ...] = ()

    @property
    def filled(self) -> list[str]:
        return [cell for cell in self.cells if cell]


@dataclass(frozen=True, slots=True)
class TextSheet:
    """A sheet of a spreadsheet, or all pages of a file."""

    name: str
    lines: tuple[SheetLine, ...]


@lru_cache(16384)
def plain(text: str) -> str:
    """Text as it is compared: lower case, without accents, one space between words.

    >>> plain("Résultat  (µg/L)")
    'resultat (µg/l)'
    """
    text = text.replace("ß", "ss").replace("µ", "\0")
    bare = "".join(letter for letter in unicodedata.normalize("NFKD", text) if not unicodedata.combining(letter))
    return " ".join(bare.replace("\0", "µ").replace("μ", "µ").lower().split())


@lru_cache(16384)
def words_of(text: str) -> tuple[str, ...]:
    """The words of a text, without punctuation that parts them."""
    return tuple(
        word
        for word in (
            each.strip(".·…_") if len(each) > 4 else each for each in _NANOMETRES.sub(" nm", _MARKS.sub(" ", plain(text))).replace("/", " ").split()
        )
        if word
    )
