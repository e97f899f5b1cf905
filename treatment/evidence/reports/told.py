"""What a line tells of the sample, of all results, or of the rows below it: labels before colons, units for a whole sheet, phases."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import cache

from ...language.tables import table
from .headings import about, heading, is_unit
from .names import meaning
from .results import looks_like_result
from .sheets import SheetLine, plain, words_of

_ALL_IN = re.compile(
    r"(?:results?|values?|concentrations?|ergebnisse|werte|resultats|valeurs|resultados|resultaten|waarden)\b.{0,40}?\b(?:in|as|are|en)\s+(?P<unit>\S+(?:\s+\S+)?)"
)
_METALS = {"metals", "metal", "metalle", "metaux"}


#: a unit at the end of a title, in brackets or behind a comma
_IN_BRACKETS = re.compile(r"(?:[(\[](?:in |en )?(?P<unit>[^()\[\]]{1,20})[)\]]|,\s+(?:in |en )?(?P<behind>[^,()\[\]]{1,14}))\s*:?$")
#: the method of a table, in its title
_BY_METHOD = re.compile(
    r"\b(?:by|per|method|methode|nach|selon|segun|según|volgens)\s+(?:EPA\s+|SM\s+|ISO\s+|DIN\s+|EN\s+)*\d{3,5}(?:\.\d+)?\b", re.IGNORECASE
)


def labels_of(line: SheetLine, is_row: bool) -> list[tuple[str, str]]:
    """What labels tell: pairs of "sampled", "label" or "point" and the value. is_row: the line fits as a row of results."""
    cells = [part.strip() for cell in line.filled for piece in _pieces(cell) for part in _colons(piece)]
    found = []
    for k, cell in enumerate(cells):
        label, colon, value = cell.partition(":")
        role = about(label)
        if not role or (not colon and (k + 1 >= len(cells) or (role != "sampled" and is_row))):
            continue
        value = value.strip() or (cells[k + 1] if k + 1 < len(cells) else "")
        next_label = ":" in value and about(value.partition(":")[0])
        loose = role != "sampled" and looks_like_result(value) and not colon and len(cells) > 2 and not _NUMBER_OF_SAMPLE.fullmatch(value)
        if value and not next_label and not loose:
            found.append((role, value))
    if not is_row and not any(role == "label" for role, _ in found):  # “Sample B - softened”, without a colon
        all_named = [match["rest"] for cell in cells if (match := _NUMBERED.match(cell)) and match["rest"].strip(" -–:,(")]
        named = all_named[0] if len(all_named) == 1 else ""  # several stand over columns of their own
        beside = [cell for cell in cells if not _NUMBERED.match(cell)]
        if named and (found or all(_DAY.fullmatch(cell) for cell in beside)):
            found.insert(0, ("label", named.strip(" -–:,(")))
            found += [("sampled", cell) for cell in beside if _DAY.fullmatch(cell)]
    return found


#: the number of a sample: two hyphens in it, or a letter at its end
_NUMBER_OF_SAMPLE = re.compile(r"\w+-\w+-\w+|\d+-?\d*[A-Z]")
#: a day that stands by itself
_DAY = re.compile(r"\d{1,4}[-./]\d{1,2}[-./]\d{2,4}|\d{1,2}[. -]\w{3,9}\.?[ -]\d{4}")
_NUMBERED = re.compile(
    r"^(?:sample|probe|echantillon|muestra|monster)(?![a-z])\s*(?:no\.?|nr\.?|n°|#)?\s*(?P<rest>[a-z]?\d{0,6}[a-z]?(?:\s*[-–:,(]\s*.*)?)$",
    re.IGNORECASE,
)
_OF_SAMPLES = ("sample", "point", "sampled", "other_date", "number")


def facts_table(lines: Sequence[SheetLine], i: int) -> list[tuple[str, str]]:
    """What a little table of the sample's facts tells: their names on one line, the facts on the next; nothing where there is none."""
    line, after = lines[i], lines[i + 1] if i + 1 < len(lines) else None
    roles = [heading(cell).role if heading(cell).whole else "" for cell in line.cells]
    if after is None or len(line.filled) < 2 or not all(role in _OF_SAMPLES for role, cell in zip(roles, line.cells, strict=True) if cell):
        return []
    if not {"sample", "point"} & set(roles) or not after.filled or any(meaning(cell).how == "sure" for cell in after.filled):
        return []
    if (
        i + 2 < len(lines) and len(lines[i + 2].filled) == len(after.filled) == len(line.filled) and heading(lines[i + 2].filled[0]).role == ""
    ) or len(after.filled) > len(line.filled):
        return []  # a list of samples
    told = dict(zip(roles, after.cells, strict=False))
    name = " ".join(filter(None, (told.get("sample") or told.get("number", ""), told.get("point", ""))))
    found = [("label", name), ("point", told.get("point", "")), ("sampled", told.get("sampled", ""))]
    return [(role, value) for role, value in found if value]


def by_method(text: str) -> bool:
    """Whether a text is the title of a table that names its method: ``Metals by 200.8``."""
    return bool(_BY_METHOD.search(text)) and len(text.split()) < 8


def title_of(line: SheetLine) -> str:
    """A line that holds nothing but a few words that name no analyte: what stands over the table below, maybe a sample's name."""
    words = " ".join(line.filled)
    apart = len(line.filled) > 1  # wide letters of a title can look like cells
    if len(words) > 60 or len(words.split()) > (4 if apart else 7) or words.endswith((".", ";")) or (apart and re.search(r"[\d:]", words)):
        return ""
    if apart and any(heading(cell).role or meaning(cell).how for cell in line.filled):
        return ""
    text = words.strip(" :-–=*#")
    if _BY_METHOD.search(text):  # “Metals by 200.8”
        return text
    return "" if not text or looks_like_result(text) or meaning(text).how or heading(text).role in ("limit", "verdict", "method") else text


def is_facts(line: SheetLine) -> bool:
    """Whether a line tells facts of the sample or the order, label after label, and is no heading of a table."""
    return any(
        (cell.strip().endswith(":") and is_identifier(cell)) or (cell.strip().endswith(":") and about(cell.rstrip(" :"))) for cell in line.filled
    )


def is_identifier(label: str) -> bool:
    """Whether a label stands before a number that is no result: of a batch, a certificate, a page; or before another fact of the sample."""
    text = plain(label).strip(" .:#°")
    return text in _identifiers() or about(label) == "received"


@cache
def _identifiers() -> frozenset[str]:
    return frozenset(table("report_words")["identifiers"]["names"])


def unit_of_all(line: SheetLine) -> str:
    """The unit that a line gives for all results; empty where it gives none."""
    text = " ".join(line.filled)
    match = _ALL_IN.search(plain(text))
    if not match or meaning(line.filled[0]).how:
        return ""
    words = text[match.start("unit") :].split("  ")[0].split()
    return next((unit for n in (2, 1) if is_unit(unit := " ".join(words[:n]).strip(".,;()"))), "")


def unit_of_section(line: SheetLine) -> str | None:
    """The unit that the title of some rows gives them (``Metals (mg/L)``), nothing for a title without one; None where a line is no title."""
    if len(line.filled) != 1 or not title_of(line):
        return None
    match = _IN_BRACKETS.search(line.filled[0].strip())
    told = (match["unit"] or match["behind"]).strip() if match else ""
    counted = re.sub(r"^(?:per|je|pro|par|por)\s+|^/\s*", "CFU/", told)
    return next((unit for unit in (told, counted) if is_unit(unit)), "")


def phase_of_rows(line: SheetLine) -> str | None:
    """The phase that a heading over rows gives them ("dissolved metals"), nothing for another heading; None where it is none."""
    text = " ".join(line.filled)
    if len(line.filled) != 1 or any(letter.isdigit() for letter in text) or len(words_of(text)) > 4:
        return None
    found = meaning(text)
    if found.phase and (found.analyte is None or set(words_of(text)) & _METALS):
        return found.phase
    return None if found.how else ""


def _pieces(cell: str) -> list[str]:
    """A cell of several labels parted by semicolons; a day behind its label without a colon gets one."""
    pieces = cell.split(";") if cell.count(":") and ";" in cell else [cell]
    dated = [re.match(r"^\s*(?P<label>[^\d:]{4,40}?)\s+(?P<day>\d.*)$", piece) for piece in pieces]
    return [
        f"{match['label']}: {match['day']}" if match and about(match["label"]) == "sampled" else piece
        for match, piece in zip(dated, pieces, strict=True)
    ]


def _colons(cell: str) -> list[str]:
    """A cell that holds several labels with their values, parted."""
    marks = [match.start() for match in re.finditer(r"(?:(?<=\s{2})|^)[A-Za-z][A-Za-z /.#&-]{2,30}:", cell)]
    return [cell[a:b] for a, b in zip(marks, [*marks[1:], len(cell)], strict=True)] if len(marks) > 1 and marks[0] == 0 else [cell]
