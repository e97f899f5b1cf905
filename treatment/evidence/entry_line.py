"""The entry line: readings as people type them, in any order, with or without commas; what was mended is told, nothing is dropped."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

from ..language.analytes import Analyte, analytes, find_analyte, fold, nearest_name
from ..language.errors import NotUnderstood
from ..language.quantity import NUMBER
from ..language.reading import Reading, parse_reading
from ..language.tables import table
from .reports.names import danger_of, meaning
from .symptoms import observation_in

_PIECES = re.compile(r"[;\n]|,(?!\d)|(?<!\d),|,(?=\d+[.,]\d)|,\s+(?=\d)")
_VALUE = re.compile(
    rf"(?:[<>≤≥]\s*)?(?<![\w.,])-?(?:{NUMBER})|\b(?:present|absent|positive|negative|not detected|none detected|detected|nd|none|nil)\b",
    re.IGNORECASE,
)
_WORDS = {"nil": "absent", "none": "absent", "none detected": "absent", "presence": "present", "absence": "absent"}
_SMELL = re.compile(r"\b(?:smell\w*|odou?r|stink\w*|eggs?|whiff)\b", re.IGNORECASE)
_SEEN_FOR = {"hydrogen_sulfide": "rotten_egg_cold"}
_OF = ("as", "of", "in", "per")  # a name does not begin with what binds a unit or a basis
_LONGEST_NAME = 6  # words
_MOST_VALUES = 60


@dataclass(frozen=True, slots=True)
class LineEntry:
    """One piece of an entry line: a reading, or the text and why it was not understood.

    mended: what was put right in reading it; seen: an observation (key of the symptoms) in place of a figure; asks: the test it asks for.
    """

    text: str
    reading: Reading | None
    problem: str = ""
    mended: str = ""
    seen: str = ""
    asks: str = ""


@dataclass(frozen=True, slots=True)
class Named:
    """The analyte a name means, the basis the name says, and how the name was mended."""

    analyte: Analyte
    basis: str = ""
    mended: str = ""


def parse_line(line: str) -> list[LineEntry]:
    """Read ``iron 2.4, hardness 14 gpg, 6.1 pH mn <0.01`` piece by piece.

    A comma between digits is a decimal comma, any other comma, semicolon or line break parts two pieces.
    >>> [(entry.reading.analyte, entry.reading.low) for entry in parse_line("0.3 mg/L iron, pH 6,1 mn 0.1")]
    [('iron', 0.3), ('ph', 6.1), ('manganese', 0.1)]
    """
    pieces = [piece.strip(" .,") if piece.strip(" .,") else piece.strip() for piece in _PIECES.split(line)]
    return [entry for piece in pieces if piece for entry in _piece(piece)]


def _piece(piece: str) -> list[LineEntry]:
    """One piece: one reading, or several without commas between them."""
    plain = _spaced(piece)
    values = list(_VALUE.finditer(plain))
    if len(values) <= 1:
        return [_single(piece, plain)]
    if (one := _try(piece, plain)) is not None:
        return [one]
    if len(values) <= _MOST_VALUES:
        for cut in (_names_first, _values_first):
            parts = cut(plain)
            entries = [_try(part, part) for part in parts]
            if len(parts) > 1 and all(entries):
                return [entry for entry in entries if entry]
        parts = _names_first(plain)
        if len(parts) > 1:
            return [_single(part, part) for part in parts]
    return [_single(piece, plain)]


def _spaced(piece: str) -> str:
    """A piece with one space between name and value: ``ph6.1``, ``Fe=2``, ``iron: 0,3``."""
    text = re.sub(r"(?<=[\w)])\s*[=:]\s*(?=[<>≤≥\d.,-]|[a-z])", " ", piece)
    words: list[str] = []
    for word in text.split():
        match = re.fullmatch(r"([A-Za-z]{2,})([<>]?-?\d[\d.,]*\S*)", word)
        apart = match and not find_analyte(word) and (find_analyte(match[1]) or meaning(match[1]).how == "sure") and not meaning(word).how
        words += [match[1], match[2]] if match and apart else [word]
    return " ".join(words)


@lru_cache(4096)
def named(text: str, mend: bool = False) -> Named | None:
    """The analyte that a name means, as people or laboratories write it. mend: take a name that is nearly one."""
    text = text.strip(" .,:=*-")
    if not text or len(text) > 60 or (text.split()[0].lower() in _OF and len(text) > 2):
        return None
    own = find_analyte(text)
    said = meaning(text)
    sure = said.how == "sure" or (said.how == "check" and any(said.why == row["why"] for row in table("report_words")["nearly"].values()))
    if own is not None or (said.analyte is not None and sure):
        analyte = own or said.analyte
        assert analyte
        return Named(analyte, said.basis if said.analyte is analyte or said.basis in analyte.basis else "")
    other = fold(text) in table("report_words")["others"]["names"] or said.how in ("ask", "aside") or danger_of(text)
    if mend and len(text) > 3 and not other and (near := nearest_name(text, 0.75)):
        return Named(analytes()[near], mended=f"“{text}” is read as {analytes()[near].said}")
    return None


def _try(piece: str, plain: str, mend: bool = False) -> LineEntry | None:
    """A reading, where the whole piece is one; None where it is not."""
    words = plain.split()
    for size in range(min(_LONGEST_NAME, len(words) - 1), 0, -1):
        for name, value in ((words[:size], words[size:]), (words[-size:], words[:-size])):
            found = named(" ".join(name), mend)
            if found is None or value[-1].lower() in _OF:
                continue
            try:
                return LineEntry(piece, _reading(found, " ".join(value)), mended=found.mended)
            except NotUnderstood:
                continue
    return None


def _reading(found: Named, value: str) -> Reading:
    """A value under its name, with the basis that the name says."""
    analyte = found.analyte
    value = _WORDS.get(value.lower().strip(), value) if analyte.is_microbe else value
    if found.basis and found.basis in analyte.basis and " as " not in f" {value}":
        number = re.match(rf"^(?P<number>(?:[<>≤≥]\s*)?(?:{NUMBER}))\s*(?P<unit>.*)$", value)
        unit = number["unit"] if number else ""
        if number and (not unit or (analyte.factor_for(f"{unit} as {found.basis}") is not None)):
            return parse_reading(analyte, f"{number['number']} {unit or 'mg/L'} as {found.basis}")
    return parse_reading(analyte, value)


def _names_first(plain: str) -> list[str]:
    """A piece cut before every name: ``iron 2.4 hardness 14 gpg``."""
    words = plain.split()
    cuts, i, valued = [0], 0, False
    while i < len(words):
        if words[i].lower() in _OF and not (i + 1 < len(words) and _VALUE.match(words[i + 1])):
            i += 2  # with what it binds
            continue
        size = next((n for n in range(min(_LONGEST_NAME, len(words) - i), 0, -1) if named(" ".join(words[i : i + n]))), 0)
        follows = i + size < len(words) and bool(_VALUE.match(words[i + size])) if size else False
        if size and follows and valued:
            cuts.append(i)
        valued = valued or bool(_VALUE.match(words[i]))
        i += size or 1
    return [" ".join(words[a:b]) for a, b in zip(cuts, [*cuts[1:], len(words)], strict=True)]


def _values_first(plain: str) -> list[str]:
    """A piece cut before every value: ``0.3 mg/L iron 14 gpg hardness``."""
    cuts = [match.start() for match in _VALUE.finditer(plain)]
    if not cuts or cuts[0] > 0:
        return [plain]
    return [plain[a:b].strip() for a, b in zip(cuts, [*cuts[1:], len(plain)], strict=True)]


def _single(piece: str, plain: str) -> LineEntry:
    """A piece that should be one reading: read, mended, seen, or refused with what would be accepted."""
    entry = _try(piece, plain) or _alone(piece, plain) or _try(piece, plain, mend=True)
    if entry is not None:
        return entry
    words = plain.split()
    known = next(
        (
            found
            for size in range(min(_LONGEST_NAME, len(words)), 0, -1)
            for part in (words[:size], words[-size:])
            if (found := named(" ".join(part)))
        ),
        None,
    )
    if known is not None and _SMELL.search(plain):
        key = _SEEN_FOR.get(known.analyte.key)
        if key:
            asks = f"Test {known.analyte.said} on site, before it leaves the water"
            return LineEntry(piece, None, f"a smell is not a value: saved as an observation. {asks}", seen=key, asks=asks)
    seen = observation_in(piece)
    if seen and not re.search(r"\d", piece):
        return LineEntry(piece, None, "saved as an observation", seen=seen)
    if known is None:
        return LineEntry(piece, None, _unknown(piece))
    return LineEntry(piece, None, _refusal(known, plain))


def _alone(piece: str, plain: str) -> LineEntry | None:
    """A value whose basis names its analyte: ``22 as NO3``."""
    match = re.fullmatch(rf"(?P<value>(?:[<>≤≥]\s*)?(?:{NUMBER})\s*\S*)\s+as\s+(?P<basis>[A-Za-z0-9]+)", plain)
    if match is None or match["basis"] == "CaCO3":
        return None
    owners = [row for row in analytes().values() if match["basis"] in row.basis]
    own = [row for row in owners if row.short.translate(str.maketrans("₂₃₄", "234")) == match["basis"]]
    if len(own) != 1:
        return None
    try:
        return LineEntry(piece, parse_reading(own[0], plain), mended=f"“{piece}” is read as {own[0].said}")
    except NotUnderstood:
        return None


def _refusal(known: Named, plain: str) -> str:
    """Why a named piece is no reading; what it recommends is accepted."""
    values = list(_VALUE.finditer(plain))
    if not values:
        if re.search(r"\b(?:no|none|without|zero)\b", plain, re.IGNORECASE) and not known.analyte.is_microbe:
            return _why(known, "nd")
        return f"{known.analyte.name}: the value is missing"
    value = plain[values[0].start() :]
    return _why(known, "nd" if value.lower() in ("none", "nil") else value)


def _why(known: Named, value: str) -> str:
    try:
        _reading(known, value)
    except NotUnderstood as error:
        return str(error)
    return f"{known.analyte.name}: write its name, then the value"


def _unknown(text: str) -> str:
    name = _VALUE.split(text)[0].strip(" :=,") or text
    said = meaning(name)
    if said.analyte is None and said.how == "ask":
        return f"“{name[:40]}”: {said.why}. Write its full name"
    if words := danger_of(name):
        return f"“{name[:40]}” is {words} that is not sized here: show the result to a specialist and the health authority"
    near = None if fold(name) in table("report_words")["others"]["names"] else nearest_name(name)
    hint = f"; did you mean {analytes()[near].said}?" if near else ""
    return f"“{name[:40]}” is not a known analyte{hint}"
