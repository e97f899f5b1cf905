"""US spelling, in which text is stored -> what the people of a limit set read. Used once, at the edge."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterable
from functools import cache
from string import ascii_lowercase, ascii_uppercase

from .tables import table

#: what is no text of ours: marks of a page, and what is between those of a script, a style, or of what people typed (bdi)
_APART = re.compile(r"(<(script|style|title|textarea|code|bdi)\b.*?</\2\s*>|<[^>]*>)", re.DOTALL | re.IGNORECASE)
_SMALL = str.maketrans(ascii_uppercase, ascii_lowercase)
_SAID = re.compile(r'(\b(?:aria-label|title|placeholder|alt)=")([^"]*)(")')


def spelled(text: str, standard: str) -> str:
    """Text as the people of a limit set spell it; as it is for one that is not known.

    >>> spelled("Color and odor; aluminum stays. Neutralize it.", "uk")
    'Colour and odour; aluminium stays. Neutralize it.'
    >>> spelled("Aluminum vapor, gray", "ca"), spelled("color", "us")
    ('Aluminum vapour, grey', 'color')
    """
    own = _own(standard)
    return text if own is None else own[0].sub(lambda found: _as_written(found.group(), own[1]), text)


def spelled_page(page: str, standard: str) -> str:
    """A page of HTML with its text spelled, and what of its tags is read out; scripts, styles and what people type stay.

    >>> spelled_page('<p class="color" title="The color">Color: <code>color</code></p>', "uk")
    '<p class="color" title="The colour">Colour: <code>color</code></p>'
    """
    own = _own(standard)
    places = [] if own is None else _places(page, own[1])
    if own is None or not places:
        return page
    apart = [(found.start(), found.end(), found.group(2)) for found in _APART.finditer(page)]
    starts, done, pieces = [start for start, _, _ in apart], 0, []
    for at, word in places:
        before = bisect_right(starts, at) - 1
        start, end, name = apart[before] if before >= 0 else (0, 0, None)
        if at < end and (name or not _read_out(page, start, end, at)):
            continue
        pieces += [page[done:at], _as_written(page[at : at + len(word)], own[1])]
        done = at + len(word)
    return "".join([*pieces, page[done:]])


def _places(page: str, words: Iterable[str]) -> list[tuple[int, str]]:
    """Where whole words stand in a page, in its order, and which."""
    small = page.lower()
    if len(small) != len(page):  # a letter that grows when it is made small: only plain ones are
        small = page.translate(_SMALL)
    found = []
    for word in words:
        at = small.find(word)
        while at >= 0:
            end = at + len(word)
            if not (at and (small[at - 1].isalnum() or small[at - 1] == "_")) and not (
                end < len(small) and (small[end].isalnum() or small[end] == "_")
            ):
                found.append((at, word))
            at = small.find(word, end)
    return sorted(found)


def _read_out(page: str, start: int, end: int, at: int) -> bool:
    """Whether a place in a mark of a page stands in what is read out of it."""
    return any(said.start(2) <= at < said.end(2) for said in _SAID.finditer(page, start, end))


@cache
def _own(standard: str) -> tuple[re.Pattern[str], dict[str, str]] | None:
    """The words that a limit set spells otherwise, and how; None where there are none."""
    rows = table("spelling")
    column = rows["sets"].get(standard, 0)
    words = {row[0]: row[column] for row in rows["words"] if row[column] != row[0]}
    return (re.compile(rf"\b(?:{'|'.join(sorted(words, key=len, reverse=True))})\b", re.IGNORECASE), words) if words else None


def _as_written(word: str, own: dict[str, str]) -> str:
    """A word in its other spelling, with a capital where it had one."""
    other = own[word.lower()]
    return other[0].upper() + other[1:] if word[0].isupper() else other
