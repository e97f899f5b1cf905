"""Rows without a heading: a name with what stands behind it, dotted leaders, several readings in a sentence."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from ..entry_line import LineEntry, parse_line
from .headings import heading, is_unit
from .names import meaning
from .results import Printed, is_year, looks_like_result
from .sheets import SheetLine

#: dotted leaders; the point of a number that stands apart (`` .34``) is none of them
_DOTS = r"(?:[.·…_]|\s[.·…_](?!\d))"
_SPLIT = re.compile(_DOTS + r"{3,}\s*|\s{2,}|\t+|\s*:\s+|(?<=[A-Za-z)])\s*=\s*")
_LEADER = re.compile(r"\s*" + _DOTS + r"{4,}\s*")
_SHORT_LEADER = re.compile(_LEADER.pattern + r"|\s+[.·…_]{2,3}(?=\s)\s*")
#: a name with a number right behind it
_STUCK = re.compile(r"^(?P<name>.*[^\s\d.,<>≤≥]) +(?P<value>[<>≤≥]? ?\d[\d.,]*)$")
_LABEL = re.compile(r"^\s*([A-Za-zÀ-ÿ][A-Za-zÀ-ÿ /.-]{1,24}?)\s*:\s+(\S.*)$")
#: a limit in brackets behind a result
_LIMIT = re.compile(r"^\((?:limit|mcl|max\.?|grenzwert|limite|norm|standard)?\s*:?\s*(\d[\d.,]*(?:\s*[-–]\s*\d[\d.,]*)?[^()]*)\)$", re.IGNORECASE)
_NAMED_LIMIT = re.compile(r"^\((?:limit|mcl|max\.?|grenzwert|gw|limite|norm|norme|standard)\b[^()]*\d[^()]*\)$", re.IGNORECASE)
#: a name that ends in the temperature it holds at
_AT_DEGREES = re.compile(r"(?:@|\b(?:bei|at|à|a|bij))\s*2[05]\s*°?\s*C$")
_BETWEEN = re.compile(
    r"^(?P<name>.*?[A-Za-zÀ-ÿ)\]₂₃₄*²⁺+][.:]?)\s+(?P<value>(?:[<>≤≥]\s*)?-?\d.*|present|absent|absence|presence|nd|n\.d\.|tntc|not detected|negative|positive|detected)$",
    re.IGNORECASE,
)


@dataclass(frozen=True, slots=True)
class Loose:
    """A name and what is printed with it."""

    label: str
    shown: Printed


def rows_beside(line: SheetLine) -> list[SheetLine]:
    """The rows that stand side by side on one line without a heading, each a name with its result; nothing where it is one row."""
    cells = line.filled
    starts = [
        k for k, cell in enumerate(cells[:-1]) if meaning(cell).how == "sure" and not looks_like_result(cell) and looks_like_result(cells[k + 1])
    ]
    if len(starts) < 2 or starts[0] > 1:
        return []
    return [SheetLine(line.at, tuple(cells[a:b])) for a, b in zip(starts, [*starts[1:], len(cells)], strict=True)]


def loose_row(line: SheetLine, phase: str, strict: bool) -> Loose | None:
    """The row that a line without a heading is; None where it is none. strict: only names we know surely."""
    cells = [part.strip() for cell in line.filled for piece in _SPLIT.split(cell) if piece for part in _limit_apart(piece) if part.strip()]
    cells = [piece for cell in cells for piece in name_and_value(cell)]
    start = next(
        (k for k, cell in enumerate(cells) if not looks_like_result(cell) and meaning(cell, phase).how and (not is_unit(cell) or not k)), None
    )
    if start is None or start > 2 or (start + 1 >= len(cells) and not looks_like_result(cells[-1])):
        return None
    label, rest = cells[start], cells[start + 1 :]
    if heading(label).role in ("limit", "reporting", "detection") or (strict and meaning(label).how == "check"):
        return None
    told = [k for k, cell in enumerate(rest) if k and _LIMIT.match(cell)]
    limit = _LIMIT.sub(r"\1", rest[told[0]]).strip() if told else ""
    rest = rest[: told[0]] if told else rest
    numbers = [k for k, cell in enumerate(rest) if looks_like_result(cell) and not is_unit(cell)]
    numbers = [k for k in numbers if not is_year(rest[k])] or numbers
    if not numbers or numbers[0] > 2:
        return None
    k = numbers[0]
    mark = rest[k - 1] if k and len(rest[k - 1]) < 4 and not is_unit(rest[k - 1]) else ""
    unit = next((cell for cell in rest[k + 1 : k + 2] if is_unit(cell)), "") or (rest[k - 1] if k and is_unit(rest[k - 1]) else "")
    values = sum(any(letter.isdigit() for letter in rest[j]) for j in numbers)
    return Loose(label, Printed(result=rest[k], mark=mark, unit=unit, crowd=values, limit=limit))


def _limit_apart(cell: str) -> list[str]:
    """A cell whose limit stands in brackets behind its result, as two."""
    head, bracket, rest = cell.rstrip().rpartition("(")
    return [head, bracket + rest] if head.strip() and _NAMED_LIMIT.match(bracket + rest) else [cell]


def unread(line: SheetLine) -> Loose | None:
    """A line that names one of ours before a colon and says more of it than a result, a number or whether it is there: to be asked, not lost."""
    label, colon, said = line.filled[0].partition(":") if len(line.filled) == 1 else ("", "", "")
    analyte = meaning(label).analyte
    there = analyte is not None and analyte.is_microbe and any(looks_like_result(word) for word in re.split(r"[,;.\s]+", said) if word)
    if not colon or analyte is None or not (there or any(letter.isdigit() for letter in said)):
        return None
    return Loose(label.strip(), Printed(result=said.strip()))


def sentence(line: SheetLine) -> list[LineEntry]:
    """Several readings in one line of text, as on an entry line; nothing where it is none."""
    if len(line.filled) != 1 or not re.search(r"[;,]", line.filled[0]):
        return []
    entries = parse_line(line.filled[0])
    return entries if len(entries) > 1 and all(entry.reading for entry in entries) else []


def unled(lines: Sequence[SheetLine]) -> Sequence[SheetLine]:
    """Lines with dotted leaders as a table, where a heading has them, too; as they are elsewhere."""
    parted = [_led(line.cells[0].strip()) if len(line.filled) == 1 and line.cells[0] else [] for line in lines]
    headed = any(len(cells) > 1 and len({role for cell in cells if (role := heading(cell).role)}) > 1 for cells in parted)
    if not headed:
        return lines
    return [SheetLine(line.at, tuple(cells)) if len(cells) > 1 else line for line, cells in zip(lines, parted, strict=True)]


def _led(text: str) -> list[str]:
    """The cells of a line with leaders; where it has a long one, the short ones behind it (`` .. ``) part cells, too."""
    return [cell.strip() for cell in (_SHORT_LEADER if _LEADER.search(text) else _LEADER).split(text)]


def labelled(lines: Sequence[SheetLine]) -> Sequence[SheetLine]:
    """Lines that say before every cell what it is (``Analyte: Iron   Result: 2.4``) as a table with these labels as its heading."""
    found: list[SheetLine] = []
    labels: tuple[str, ...] = ()
    for line in lines:
        cut = [match.groups() if (match := _LABEL.match(cell)) else ("", "") for cell in line.filled]
        names = tuple(label for label, _ in cut)
        roles = {heading(label).role for label in names if label}
        if len(cut) < 2 or not all(names) or not {"name", "result"} <= roles:
            labels = labels if not line.filled else ()
            found.append(line)
            continue
        if names != labels:
            found.append(SheetLine(line.at, names))
            labels = names
        found.append(SheetLine(line.at, tuple(value for _, value in cut)))
    return found


def unstuck(line: SheetLine, cells: list[str], name: int, result: int) -> list[str]:
    """The cells of a row under its heading, where its name was set so close to its result that both are one cell and all else stands one to the left."""
    if result != name + 1 or name >= len(cells) or name > 0 or any(looks_like_result(cell) for cell in cells[result : result + 1]):
        return cells
    match = _STUCK.match(cells[name])
    named, whole = (meaning(text) for text in (match["name"], cells[name])) if match else (None, None)
    if not match or named is None or whole is None or not named.how or (whole.how == "sure" and whole.analyte is not named.analyte):
        return cells
    if not cells[result]:
        return [match["name"], match["value"], *cells[result + 1 :]]
    return [match["name"], match["value"], *list(line.cells)[1:], *[""] * len(cells)][: max(len(cells), len(line.cells) + 1)]


def name_and_value(cell: str) -> list[str]:
    """A cell that holds name and value: ``Iron 2.4 mg/L``."""
    match = None if _AT_DEGREES.search(cell) else _BETWEEN.match(cell)
    if match and meaning(match["name"]).how and meaning(cell).how != "sure":
        return [match["name"], match["value"]]
    return [cell]
