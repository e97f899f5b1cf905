"""Sentences of the core and of the owner's pages in another language, looked up in a message file.

Documents are written in English and stay so; what a reader of another language sees is each sentence looked up where it is read. A sentence with
figures or names in it is a message with places in braces: what stands there is looked up in its turn, or is an amount, whose number is written as
the language has it. A place whose name begins with x, y or z takes what stands there as it is: names and notes of people; one that begins with n
takes amounts alone. A sentence that is not in the file, or has a part that is not, stays in English whole: never half of each.
"""

from __future__ import annotations

import gettext
import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path

FOLDER = Path(__file__).resolve().parents[1] / "data" / "locale"
DOMAIN = "owner"
#: what owners may read: key, and the language in its own words
LANGUAGES = {"en": "English", "de": "Deutsch"}

_PLACE = re.compile(r"\{([a-z]\w*)\}")
_NUMBER = r"(?:[<>≤≥] ?)?[−-]?\d[\d.,]*(?:[/×:]\d+)*(?: \d/\d)?"
#: an amount: a number, or two, with a unit of few letters behind it
_AMOUNT = re.compile(
    rf"{_NUMBER}(?: ?[–-] ?{_NUMBER})?(?:[ \u00a0]?(?:%|[^\s\d]{{1,7}}(?:[/ \u00a0](?:CaCO₃|NO₃|Pt-Co|N|min|L|100[ \u00a0]mL|ft³|day|water|media|d|h))?))?"
)
#: what stands at a place whose name begins with n: an amount
_COUNTED = r"(?=[<>≤≥−\d])"
#: words of a unit that are words of English
_NO_UNIT = re.compile(r"(?<!/)\b(days?|hours?|months?|weeks?|years?|and|or|of|to|the|is|at|in a|litres?|grains|clean|dirty)\b")
_FIGURE = re.compile(r"(?<![\w.,])\d{1,3}(?:,\d{3})+(?:\.\d+)?(?![\w,])|(?<![\w.,])\d+\.\d+(?![\w.])")
_DAY = re.compile(r"(\d{1,2}) (January|February|March|April|May|June|July|August|September|October|November|December|[A-Z][a-z]{2}) (\d{4})")
_US_DAY = re.compile(r"(January|February|March|April|May|June|July|August|September|October|November|December|[A-Z][a-z]{2}) (\d{1,2}), (\d{4})")
_ENDS = re.compile(r"(?<=[.!?:]) (?=[A-ZÄÖÜ“\d])")
_MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December")


class Messages:
    """The messages of one language. entries: what is said in English, and how it is said there; months: their names there."""

    def __init__(self, entries: Mapping[str, str], months: Iterable[str] = ()) -> None:
        self.whole = {text: said for text, said in entries.items() if not _PLACE.search(text)}
        self.patterns = sorted(
            (_pattern(text, said) for text, said in entries.items() if _PLACE.search(text)), key=lambda each: (-each.weight, each.text)
        )
        self.months = tuple(months)
        self.say: Callable[[str], str | None] = lru_cache(8192)(self._say)

    def __call__(self, text: str) -> str:
        """A text in this language; as it is where it is not known.

        >>> Messages({"The {a} is full.": "{a}: voll.", "Tank": "Behälter"})("The tank is full.")
        'Behälter: voll.'
        """
        return self.say(text) or text

    def _say(self, text: str) -> str | None:
        found = self._one(text)
        if found is not None:
            return found
        parts = _ENDS.split(text)
        return self._several(parts) if 1 < len(parts) < 40 else None

    def _several(self, parts: list[str]) -> str | None:
        """Sentences one after the other: as many of them at once as are one message."""
        said, at = [], 0
        while at < len(parts):
            for end in range(min(len(parts), at + 4), at, -1):
                found = self._one(" ".join(parts[at:end]))
                if found is not None:
                    said.append(found)
                    at = end
                    break
            else:
                return None
        return " ".join(said)

    def _one(self, text: str) -> str | None:
        """A text that is one message, alone or with its places filled."""
        if text in self.whole:
            return self.whole[text]
        for pattern in self.patterns:
            if pattern.anchor not in text:
                continue
            for shape in pattern.shapes:
                if (match := shape.fullmatch(text)) is None:
                    break
                places = {name: self._place(name, value) for name, value in match.groupdict().items()}
                if all(value is not None for value in places.values()):
                    return pattern.said.format(**places)
        return None

    def _place(self, name: str, value: str) -> str | None:
        """What stands at a place of a message."""
        if name[0] in "xyz":
            return value
        if (amount := self.amount(value)) is not None:
            return amount
        found = self.say(value) or self.say(value[:1].swapcase() + value[1:])
        return found if found is not None else self._listed(value)

    def _listed(self, value: str) -> str | None:
        """Names in a row: ``iron, manganese and sulfide``."""
        parts = re.split(r"(, | and )", value)
        if len(parts) < 3:
            return None
        said = [self._place("a", part) if at % 2 == 0 else self.whole.get(part.strip() or part, part) for at, part in enumerate(parts)]
        if any(part is None for part in said):
            return None
        joints = {" and ": f" {self.whole.get('and', 'and')} "}
        return "".join(joints.get(part, part) if at % 2 else str(said[at]) for at, part in enumerate(parts))

    def amount(self, text: str) -> str | None:
        """A number with its unit, or a day, as this language writes them; None where it is neither.

        >>> Messages({}).amount("1,250.5 mg/L CaCO₃"), Messages({}).amount("many pipes")
        ('1.250,5 mg/L CaCO₃', None)
        """
        if (day := self.day(text)) is not None:
            return day
        if _AMOUNT.fullmatch(text) and not _NO_UNIT.search(text):
            number, _, unit = text.replace("\u00a0", " ").partition(" ")
            return _FIGURE.sub(lambda found: found.group().translate(_SWAP), f"{number} {self.whole[unit]}" if unit in self.whole else text)
        return None

    def day(self, text: str) -> str | None:
        """A day as pages write it: ``3 December 2026``, ``Dec 3, 2026``; None where it is none."""
        for shape, order in ((_DAY, (1, 2, 3)), (_US_DAY, (2, 1, 3))):
            if self.months and (match := shape.fullmatch(text)):
                day, month, year = (match.group(i) for i in order)
                number = next((i for i, name in enumerate(_MONTHS) if name == month or name[:3] == month), None)
                if number is None:
                    return None
                whole = self.months[number]
                return f"{day}. {whole if month == _MONTHS[number] or len(whole) < 5 else f'{whole[:3]}.'} {year}"
        return None


_SWAP = str.maketrans({",": ".", ".": ","})


@dataclass(frozen=True, slots=True)
class _Pattern:
    """A message with places. anchor: its longest stretch of letters, which a text must hold; weight: how much of it is fixed; shapes:
    with its first places as short as can be, and as long."""

    text: str
    said: str
    anchor: str
    weight: int
    shapes: tuple[re.Pattern[str], re.Pattern[str]]


def _pattern(text: str, said: str) -> _Pattern:
    parts = _PLACE.split(text)
    fixed = parts[::2]
    shapes = [
        "".join(f"(?P<{part}>{_COUNTED if part[0] == 'n' else ''}.{most})" if i % 2 else re.escape(part) for i, part in enumerate(parts))
        for most in ("+?", "+")
    ]
    return _Pattern(text, said, max(fixed, key=len), sum(map(len, fixed)), (re.compile(shapes[0], re.DOTALL), re.compile(shapes[1], re.DOTALL)))


@cache
def messages_in(language: str) -> Messages | None:
    """The messages of a language; None for English, and for one there are none of."""
    if language == "en" or language not in LANGUAGES:
        return None
    found = gettext.translation(DOMAIN, FOLDER, [language])
    entries = {text: said for text, said in found._catalog.items() if isinstance(text, str) and text}  # type: ignore[attr-defined]
    return Messages(entries, [entries[name] for name in _MONTHS])
