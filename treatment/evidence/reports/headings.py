"""What the words at the head of a column or before a colon say: ``data/report_words.toml``."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache, lru_cache

from ...language.analytes import analytes
from ...language.quantity import units_of
from ...language.tables import table
from ...language.unit_spelling import spelled
from .sheets import plain

ORDER = (
    "price", "detection", "reporting", "limit", "uncertainty", "method", "other_date", "fraction", "verdict", "percentile", "average", "range", "low", "high", "qualifier",
    "samples_taken", "year", "sampled", "cas", "number", "unit", "result", "point", "sample", "name",
)  # fmt: skip
_OF_UNITS = re.compile(r"\s*[(\[]\s*(?:units?|unit of measure(?:ment)?|einheit|unite|unidad|eenheid)\s*[)\]]", re.IGNORECASE)
_A_COUNT = re.compile(r"^(?P<text>.*[A-Za-z.])\s*(?P<unit>/\s*\d+\s*m[lL])$")
_SHORT = 2  # letters: a word as short must be the whole heading
_WHOLE = {"date", "time", "test", "tests", "site", "source", "sample", "samples", "standard", "standards", "no.", "nr.", "low", "high", "code", "note", "notes",
          "limits", "element", "measure", "level", "norm", "eis", "symbol", "treatment", "effects", "sources", "found", "ref", "mean", "media", "epa", "who",
          "goal", "target", "name", "point", "range", "final", "anzahl", "nombre", "probe", "monster", "metals", "metal", "form", "phase", "charge", "kosten", "ø"}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Heading:
    """What a column holds, and the unit its heading gives. whole: the heading is the very word, not a text that holds it."""

    role: str
    unit: str = ""
    text: str = ""
    whole: bool = False


@lru_cache(4096)
def is_unit(text: str) -> bool:
    """Whether a text is a unit of anything that is measured in water."""
    text = text.strip()
    if not text or len(text) > 30 or text.strip("-–—") == "":
        return False
    if len(text.split()) > 5:
        return False
    said = spelled(text)
    if said.count_ml is not None or said.unit.lower() in ("mmol/l", "meq/l", "mval/l", "umol/l", "µmol/l"):
        return True
    if said.unit in _spellings("concentration"):
        return True
    own = " ".join(text.split()).replace("μ", "µ")
    return own.lower() not in ("c", "f", "th", "tons", "unit", "units") and any(
        name in _spellings("") for name in (own, own.lower(), said.unit, said.unit.lower())
    )


@cache
def _spellings(dimension: str) -> frozenset[str]:
    """Every accepted spelling of the units of a dimension; with none, of all the others that water is measured in."""
    dimensions = [dimension] if dimension else sorted({row.dimension for row in analytes().values()} - {"concentration"})
    return frozenset(name for each in dimensions for name in units_of(each) if name)


@lru_cache(4096)
def parted(text: str) -> tuple[str, str]:
    """A heading or a label without the unit that is printed with it, and that unit.

    >>> parted("Result (mg/L)"), parted("Iron, ug/l")
    (('Result', 'mg/L'), ('Iron', 'ug/l'))
    """
    for inside in re.finditer(r"[(\[]([^()\[\]]+)[)\]]", text):
        if is_unit(inside[1]) and len(inside[1].strip()) > 1:
            return " ".join(f"{text[: inside.start()]} {text[inside.end() :]}".split()), inside[1].strip()
    for cut in re.finditer(r"(?:\s+in\s+|,\s*|\s+)", text):
        rest = text[cut.end() :].strip()
        if text[: cut.start()].strip() and len(rest) > 1 and rest[0] not in "([" and is_unit(rest) and plain(rest) not in ("ph", "unit", "units"):
            return text[: cut.start()].strip(" ,:-"), rest
    if (count := _A_COUNT.match(text)) and is_unit(count["unit"]):
        return count["text"], count["unit"]
    return text, ""


@cache
def _patterns(section: str) -> dict[str, tuple[frozenset[str], re.Pattern[str]]]:
    """By role: texts that are the whole heading, and what may stand inside one."""
    found = {}
    for role, names in table("report_words")[section].items():
        inside = sorted((re.escape(name) for name in names if len(name) > _SHORT and name not in _WHOLE), key=len, reverse=True)
        found[role] = (frozenset(names), re.compile(rf"(?<![a-z0-9])(?:{'|'.join(inside)})(?![a-z0-9])"))
    return found


@cache
def _any_word() -> re.Pattern[str]:
    """Any word that could make a text a heading: most texts hold none, and are done with at once."""
    words = {name for names in table("report_words")["headings"].values() for name in names if len(name) > _SHORT}
    return re.compile("|".join(sorted(map(re.escape, words), key=len, reverse=True)))


@lru_cache(4096)
def heading(cell: str) -> Heading:
    """What a column with this heading holds; role "" where it is none we know."""
    bare, unit = parted(_OF_UNITS.sub("", cell))
    text = plain(bare).strip(" .:*")
    if not text or len(text) > 60:
        return Heading("", unit, bare)
    patterns = _patterns("headings")
    whole = next((role for role in ORDER if text in patterns[role][0]), "")
    role = whole or (next((role for role in ORDER if patterns[role][1].search(text)), "") if _any_word().search(text) else "")
    if not role and is_unit(cell) and text not in ("ph", "th"):  # results stand under their unit
        return Heading("result", cell.strip(), "")
    return Heading(role, unit, bare, bool(whole))


@lru_cache(4096)
def about(label: str) -> str:
    """What a label before a colon tells of the sample: "sampled", "label", "point", "received" (another day of its, which is not kept), or nothing."""
    text = plain(label).strip(" .:*#")
    return next((role for role, (names, _) in _patterns("about").items() if text in names), "")


def point_of(text: str) -> str | None:
    """The point of a job that words such as "kitchen tap" or "raw" mean; None where they tell none."""
    said = plain(text)
    for point in ("pressure_tank", "tap", "raw"):
        if any(re.search(rf"(?<![a-z0-9]){re.escape(word)}(?![a-z0-9])", said) for word in table("report_words")["points"][point]):
            return point
    return None
