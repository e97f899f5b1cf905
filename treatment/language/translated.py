"""A page in the language of who reads it: what stands between its marks, and what of its marks is read out, looked up as messages."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from html import escape, unescape
from itertools import pairwise

from .display import units
from .messages import Messages

#: marks of a page, and what is no text of ours: what is between those of a script, a style, or of what people typed (bdi)
_MARKS = re.compile(r"(<(?:script|style|textarea|code|bdi)\b.*?</(?:script|style|textarea|code|bdi)\s*>|<[^>]*>)", re.DOTALL | re.IGNORECASE)
_SAID = re.compile(r'(\b(?:aria-label|title|placeholder|alt|data-head)=")([^"]*)(")')
#: the lines of a name in a drawing: texts of one class, one after the other
_NAME = re.compile(r'(?:<text [^>]*class="(?:t-name|t-wall-name)"[^>]*>[^<]*</text>\s*)+')
#: what a band of a drawing is of: a name that may have a shorter one
_ROW = re.compile(r'(<text [^>]*class="t-row"[^>]*>)([^<&]*)')
_LINE = re.compile(r"(<text [^>]*>)([^<]*)(</text>)")
_Y = re.compile(r'\by="([^"]*)"')
_AT = re.compile(r'\bx="([^"]*)"')
#: marks that stand before a text of their own
MARKS = " \n\t:;,.·–"
_AROUND = re.compile(rf"([{MARKS}]*)(.*?)(\s*)", re.DOTALL)
_LETTERS = re.compile(r"[A-Za-z]{2}")
#: where a long word may end a line
SOFT = "\u00ad"
#: letters of a line of a name in a drawing, and how far below it another one stands at the train, where there is room for two
LINE, BELOW = 11, 13


def translated(page: str, say: Messages) -> str:
    """A page of HTML, or a drawing, in another language; scripts, styles and what people typed stay, and so does what is not known.

    >>> translated('<p title="Name">Name: <bdi>Name</bdi></p>', Messages({"Name": "Nom", "Name:": "Nom :"}))
    '<p title="Nom">Nom : <bdi>Name</bdi></p>'
    """
    page = _NAME.sub(lambda found: _named(found.group(), say), page)
    page = _ROW.sub(lambda found: found.group(1) + escape(say.say(f"short: {found.group(2)}") or found.group(2)), page)
    parts = _MARKS.split(page)
    return "".join(
        _text(part, say) if at % 2 == 0 else _SAID.sub(lambda found: found.group(1) + _text(found.group(2), say) + found.group(3), part)
        for at, part in enumerate(parts)
    )


def untranslated(page: str, say: Messages) -> list[str]:
    """What of a page stays as it was, in order: texts with letters in them that are no message, no amount and no unit."""

    def left(text: str) -> Iterator[str]:
        plain = " ".join(unescape(text).split()).lstrip(MARKS)
        if _LETTERS.search(plain) and plain not in units() and say.say(plain) is None and say.amount(plain) is None:
            yield plain

    page = _NAME.sub(lambda found: "".join(f"<i>{name}</i>" for name, _ in _names(found.group())), page)
    return [
        text
        for at, part in enumerate(_MARKS.split(page))
        for piece in ([part] if at % 2 == 0 else [found.group(2) for found in _SAID.finditer(part)])
        for text in left(piece)
    ]


def _text(text: str, say: Messages) -> str:
    """A stretch of text; spaces around it, and marks before it, are kept."""
    around = _AROUND.fullmatch(text)
    assert around is not None
    plain = " ".join(unescape(around.group(2)).split())
    said = plain and (say.say(plain) or say.amount(plain))
    return f"{around.group(1)}{escape(said, quote=True)}{around.group(3)}" if said and said != plain else text


def _names(drawn: str) -> Iterator[tuple[str, list[re.Match[str]]]]:
    """The names in a row of texts of a drawing, each with its lines: those below each other belong together."""
    lines = list(_LINE.finditer(drawn))
    starts = [0, *(i for i, (one, other) in enumerate(pairwise(lines), 1) if _x(one) != _x(other)), len(lines)]
    for start, end in pairwise(starts):
        yield " ".join(unescape(line.group(2)) for line in lines[start:end]), lines[start:end]


def _named(drawn: str, say: Callable[[str], str]) -> str:
    """Names of a drawing, each on as many lines as it had at most."""
    told, done = [], 0
    for name, lines in _names(drawn):
        words = broken(say(name), max(len(lines), 2) if "t-name" in lines[0].group(1) else len(lines))
        for at, text in enumerate(words):
            if at < len(lines):
                told += [drawn[done : lines[at].start()], lines[at].group(1), escape(text), lines[at].group(3)]
                done = lines[at].end()
            elif text:  # on a line of its own below
                told += [_Y.sub(lambda y: f'y="{float(y.group(1)) + BELOW:g}"', lines[-1].group(1)), escape(text), lines[-1].group(3)]
    return "".join([*told, drawn[done:]])


def broken(name: str, lines: int) -> list[str]:
    """A name on so many lines, about equally long: broken between words, behind a hyphen, or where a long word may be.

    >>> broken("Filter mit Aktivkohle", 2), broken("Enth\u00adärter", 2)
    (['Filter mit', 'Aktivkohle'], ['Enthärter', ''])
    """
    pieces = [piece for word in name.split(" ") for piece in _pieces(word)]
    most = max(-(-len(name.replace(SOFT, "")) // lines), LINE)
    told = [""]
    for piece, joint in pieces:
        room = len(told[-1]) + len(piece) <= most + 2
        if not told[-1] or room or len(told) == lines:
            told[-1] = f"{told[-1]}{piece}{joint}" if told[-1] else f"{piece}{joint}"
        else:
            told[-1] = told[-1].rstrip(" ") if told[-1].endswith((" ", "-")) else f"{told[-1]}-"
            told.append(f"{piece}{joint}")
    return [line.strip() for line in told] + [""] * (lines - len(told))


def _pieces(word: str) -> list[tuple[str, str]]:
    """The parts of a word between which a line may end, and what joins each to the next on one line."""
    parts = re.findall(rf"[^-{SOFT}]+-?{SOFT}?", word)
    return [(part.rstrip(SOFT), "" if i < len(parts) - 1 else " ") for i, part in enumerate(parts)]


def _x(line: re.Match[str]) -> str:
    found = _AT.search(line.group(1))
    return found.group(1) if found else ""
