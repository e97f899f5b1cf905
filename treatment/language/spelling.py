"""US spelling, in which text is stored -> what the people of a limit set read. Used once, at the edge."""

from __future__ import annotations

import re
from functools import cache

from .tables import table

#: what is no text of ours: marks of a page, and what is between those of a script, a style, or of what people typed (bdi)
_APART = re.compile(r"(<(script|style|title|textarea|code|bdi)\b.*?</\2\s*>|<[^>]*>)", re.DOTALL | re.IGNORECASE)
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
    if own is None or not own[0].search(page):
        return page
    pieces = _APART.split(page)
    # text, mark, name of the mark, text, …
    for at in range(0, len(pieces), 3):
        pieces[at] = spelled(pieces[at], standard)
        if at + 2 < len(pieces):
            mark = pieces[at + 1]
            if not pieces[at + 2]:
                pieces[at + 1] = _SAID.sub(lambda found: found.group(1) + spelled(found.group(2), standard) + found.group(3), mark)
            pieces[at + 2] = ""
    return "".join(pieces)


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
