"""What a row is about: the analyte a laboratory's name means, its phase, its basis, and how sure that is."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache, lru_cache

from ...language.analytes import Analyte, analytes
from ...language.tables import table
from .headings import parted
from .sheets import plain, words_of

_FORMULA = r"(?:CaCO3|CaO|HCO3|NO3-?N|NO2-?N|NH4-?N|NH3-?N|PO4-?P|NO3|NO2|NH4|NH3|SO4|PO4|P2O5|SiO2|H2S|Cl2|O2|Ca|Mg|Si|N|P|S|C)"
_AS = re.compile(
    rf"(?:\b(?:as|als|en|como|in|exprime en|expressed as|calc\.? as|calculated as|berechnet als)\s+|[(\[,]\s*(?:as\s+)?)({_FORMULA})(?![A-Za-z0-9])[+-]?\d?[+-]?\s*[)\]]?"
)
_AS_WORD = re.compile(
    r"\b(?:as|als|en|como)\s+(nitrogen|stickstoff|azote|nitrate|nitrat|calcium carbonate|phosphorus|bicarbonate|nitrogeno|stikstof)\b", re.IGNORECASE
)
_TAIL = re.compile(rf"(?<=[a-z)\]])[\s,-]+({_FORMULA})[+-]?\d?[+-]?$")
_NITROGEN = re.compile(r"\b(?:nitrogen|stickstoff|azote|stikstof|nitrogeno)\b", re.IGNORECASE)
_WORDS = {
    "nitrogen": "N",
    "stickstoff": "N",
    "azote": "N",
    "stikstof": "N",
    "nitrogeno": "N",
    "nitrate": "NO3",
    "nitrat": "NO3",
    "calcium carbonate": "CaCO3",
    "phosphorus": "P",
    "bicarbonate": "HCO3",
}
_DIGITS = str.maketrans("₀₁₂₃₄₅₆₇₈₉⁺⁻²³", "0123456789+-23")
_DEGREES = re.compile(r"[\s(,]°?([CcFf])\)?$")
_AT_20 = re.compile(r"(?<!\d)20\s*[°º]?\s*C", re.IGNORECASE)
_CHARGE = re.compile(r"^((?!Fe)[A-Z][A-Za-z]?(?:[A-Z][a-z]?\d?|\d(?=[A-Z+-]))*\d?)(?:\^?\d?[+-]{1,3}|[+-]\d)$")
#: the temperature that a value is given for, behind its name
_AT = re.compile(r"\s*(?:\b(?:bei|at|a|à|bij)|@)?\s*\d{1,2}(?:[.,]\d)?\s*[°º]\s*C$", re.IGNORECASE)
#: the symbol of what is meant, behind the name: ``Lead as Pb``
_SYMBOL = re.compile(r"\s+(?:as|als|en|como)\s+([A-Z][a-z]?)$")
#: what is no longer the thing that is named with it
_BACTERIA = {"bacteria", "bacterium", "bakterien", "bacteries", "bacterias", "bacterien"}
_ORGANIC = re.compile(r"vin[iy]l|meth?yl|metil|eth?yl|etil|propyl|butyl|phenyl|fenil|hypochlor|hipoclor")
_ISOTOPE, _ACTIVE = re.compile(r"[A-Za-z]\s?-\s?\d{2,3}$"), ("radium", "radon", "uranium", "gross_alpha", "gross_beta", "pfas")
#: the number of a row that stands close before its name
_COUNTED = re.compile(r"^\d{1,3}[.)]?\s+(?=[^\W\d])")
_NUMBERED = re.compile(r"^\s*(?:\(?\d{1,3}[.)]|[a-z]\))\s+(?=[A-Za-zÀ-ÿ])")
_PRESENCE = re.compile(r"[\s,(\[]+(?:p\s?/\s?a|a\s?/\s?p|presence\s?/\s?absence|present\s?/\s?absent)\s*[)\]]?\s*$", re.IGNORECASE)
_TIMES = re.compile(r"\b\d+\s*(?:h|hr|hrs|hours?|d|days?|std|tage)\b|(?<![\d.,])(?:20|22|30|35|36|37)\s*°?\s*C\b", re.IGNORECASE)
_LEADERS = re.compile(r"(?:\s?[.·…_]){3,}\s*$")
_BLOCKS = frozenset(("index", "ratio", "dioxide", "hexavalent", "organic", "capacity", "demand", "balance", "saturation", "cyanide", "reducing", "hardness", "oxidising",
                     "oxidizing", "bacteria", "alpha", "beta", "ratio.", "excess", "deficit", "residue", "sum", "difference", "tetrachloride", "vinyl", "isotope"))  # fmt: skip
_JOINING = frozenset(("and", "und", "et", "y", "plus", "+", "&", "-", "–", "or", "incl", "=", "@"))
_METALS = "metal"


@dataclass(frozen=True, slots=True)
class Meaning:
    """What a label means. analyte: None where it is not one of ours; how: "sure", "check", "ask" (nearly one of ours), "aside" (known, and not ours) or "" (none);

    why: what speaks against being sure; basis, unit: as printed in the label; phase: "total", "dissolved" or "";

    partly: key of the analyte of which this is only what is dissolved.
    """

    analyte: Analyte | None
    how: str
    why: str = ""
    basis: str = ""
    unit: str = ""
    phase: str = ""
    partly: str = ""


def _key(words: tuple[str, ...]) -> str:
    return " ".join(sorted(word for word in words if word not in _JOINING))


@cache
def _names() -> dict[str, str]:
    found: dict[str, str] = {}
    said = table("report_words")
    for key, row in analytes().items():
        own = (key.replace("_", " "), row.name, row.short, *row.aliases, *row.own_symbols)
        for name in (*own, *said["names"].get(key, ())):
            words = words_of(name.translate(_DIGITS))
            if key not in ("ferrous_iron", "ferric_iron") or words != ("fe",):
                found.setdefault(_key(words), key)
    return found


@cache
def _open() -> dict[str, Meaning]:
    said = table("report_words")
    meant = {what: Meaning(None, "aside" if what in said["not_ours"]["kinds"] else "ask", why) for what, why in said["open_why"].items()}
    return {_key(words_of(name)): meant[what] for what, names in said["open"].items() for name in names}


@cache
def _nearly() -> dict[str, tuple[str, str]]:
    return {_key(words_of(name)): (key, row["why"]) for key, row in table("report_words")["nearly"].items() for name in row["names"]}


@cache
def _phases() -> dict[str, str]:
    return {word: phase for phase, words in table("report_words")["phases"].items() for word in words}


@cache
def _noise() -> frozenset[str]:
    return frozenset(table("report_words")["noise"]["words"])


@lru_cache(16384)
def meaning(label: str, phase: str = "") -> Meaning:
    """What a label means. phase: what a heading over several rows says ("dissolved metals").

    >>> meaning("Nitrate (as N), mg/L").basis, meaning("Eisen, gelöst").analyte.key
    ('N', 'ferrous_iron')
    """
    text = _LEADERS.sub("", _NUMBERED.sub("", label.translate(_DIGITS))).strip(" *†‡:.")
    text = _CHARGE.sub(r"\1", _PRESENCE.sub("", text).strip())
    whole, unit = parted(text)
    bare, basis = _basis(whole)
    said = words_of(bare)
    here = next((_phases()[word] for word in said if word in _phases()), "") or phase
    found = _found(text, bare, here)
    if found.how != "sure" and (numbered := _COUNTED.match(text)) and (named := meaning(text[numbered.end() :], phase)).how == "sure":
        return named  # “4 Trübung”: the number of a row
    if not found.how and "-" in bare:
        found = _found(text, bare.replace("-", " "), here)
    if not found.how and basis and (as_named := _found(text, whole, here)).how:  # “Free Cl2”: the formula is part of the name
        found, basis = as_named, ""
    if not found.how and (at := _AT.search(text)) and at.start():
        return meaning(text[: at.start()], phase)
    if found.how != "sure" and (of := _SYMBOL.search(bare)) and (named := _found(text, bare[: of.start()], here)).analyte is not None:
        found = named if _names().get(of[1].lower()) == named.analyte.key else found
    if found.how != "sure" and (agreed := _in_two_languages(whole, here)) is not None:
        found = agreed
    if found.analyte is not None and (other := _another(found, said, text)) is not None:
        return other
    if found.analyte is not None and not found.analyte.is_microbe and _PRESENCE.search(label):  # conductivity is neither present nor absent
        coli = words_of(bare) == ("ec",)
        found = (
            Meaning(analytes()["e_coli"], "check", "EC, present or absent, is read as E. coli")
            if coli
            else Meaning(None, "ask", "present or absent of what?")
        )
    if found.analyte is not None and found.analyte.key == "temperature" and not unit and (degrees := _DEGREES.search(text)):
        unit = f"°{degrees[1].upper()}"
    if found.analyte is not None and found.analyte.key == "conductivity" and _AT_20.search(label):
        found = replace(found, how="check", why="at 20 °C; at 25 °C it is about a ninth more")
    if found.analyte is not None and not basis:
        basis = _own_basis(found.analyte, text)
    return _of_phase(replace(found, basis=basis, unit=unit, phase=here))


def _another(found: Meaning, said: Sequence[str], text: str) -> Meaning | None:
    """What a name really is that has one of ours in it: bacteria of iron, a chloride of an organic substance, an isotope; None where it is ours."""
    analyte = found.analyte
    assert analyte is not None
    if not analyte.is_microbe and set(said) & _BACTERIA:
        own = _found(text, " ".join(word for word in said if word not in ("total", "gesamt", "totales", "totaux")), "")
        return own if own.analyte is not None and own.analyte.is_microbe else Meaning(None, "ask", "the report does not say which bacteria")
    if found.how != "check":
        return None
    if _ORGANIC.search(plain(text)) or plain(text).startswith("non"):
        return Meaning(None, "", "")
    isotope = analyte.key not in _ACTIVE and _ISOTOPE.search(text)
    return Meaning(None, "aside", "one isotope, not the element") if isotope else None


def _in_two_languages(text: str, phase: str) -> Meaning | None:
    """The one analyte that a name in two or more languages means; None where the parts differ, or one of them is not known."""
    parts = [part.strip() for part in re.split(r"\s*/\s+|\s+/\s*|\s+[–—|]\s+|\s*;\s+", text) if part.strip()]
    if not 1 < len(parts) < 5:
        return None
    meant = []
    for part in parts:
        bare, basis = _basis(part)
        meant.append(_found(part, bare, phase))
        if basis and meant[-1].analyte is None:
            return None
    first = meant[0].analyte
    return Meaning(first, "sure") if first is not None and all(each.how == "sure" and each.analyte is first for each in meant) else None


def _basis(text: str) -> tuple[str, str]:
    """A label without the basis printed in it, and that basis."""
    if match := _AS_WORD.search(text):
        return f"{text[: match.start()]} {text[match.end() :]}".strip(), _WORDS[match[1].lower()]
    if match := _AS.search(text) or _TAIL.search(text):
        before = f"{text[: match.start()]} {text[match.end() :]}".strip(" ,(")
        if before:
            basis = match[1]
            return before, basis.rpartition("-")[2] if "-" in basis else {"NO3N": "N", "NO2N": "N", "NH4N": "N", "NH3N": "N", "PO4P": "P"}.get(
                basis, basis
            )
    return text, ""


def _own_basis(analyte: Analyte, text: str) -> str:
    """A basis that the name itself says: nitrate nitrogen, NO3-N, and a formula beside the name."""
    if analyte.key in ("nitrate", "nitrite", "ammonium") and (
        _NITROGEN.search(text) or re.search(r"\b(?:NO3|NO2|NH4|NH3|nitrate|nitrite|ammonia|ammonium|nitrat|nitrit)\s?-\s?N\b", text, re.IGNORECASE)
    ):
        return "N"
    return "P" if analyte.key == "phosphate" and re.search(r"\bPO4\s?-\s?P\b", text) else ""


def _found(text: str, bare: str, phase: str) -> Meaning:
    outside = re.sub(r"[(\[][^()\[\]]*[)\]]", " ", bare)
    inside = [each[1] for each in re.finditer(r"[(\[]([^()\[\]]+)[)\]]", bare)]
    spoken = [words_of(each) for each in (text, bare, outside)]
    lean = tuple(word for word in words_of(outside) if word not in _phases())
    spoken += [
        tuple(word for word in words_of(bare) if word not in _noise()),
        tuple(word for word in words_of(outside) if word not in _noise()),
        lean,
    ]
    spoken.append(tuple(word for word in lean if word not in _noise()))
    spoken.append(words_of(_TIMES.sub(" ", outside)))
    for words in spoken:
        key = _key(words)
        if not key:
            continue
        if key in _open():
            return _open()[key]
        if key in _nearly():
            nearly, why = _nearly()[key]
            return Meaning(analytes()[nearly], "check", why)
        if key in _names():
            return _agreeing(analytes()[_names()[key]], inside)
    for each in inside:
        key = _key(words_of(each))
        if key in _names() and len(key) > 1 and not set(words_of(outside)) & _BLOCKS:
            return Meaning(analytes()[_names()[key]], "check", f"read as {analytes()[_names()[key]].said}")
    return _contained(words_of(outside))


def _agreeing(analyte: Analyte, inside: list[str]) -> Meaning:
    """The analyte, unless what stands in brackets names another."""
    for each in inside:
        other = _names().get(_key(words_of(each)))
        if other and other != analyte.key and not (analyte.family == "metal" and other.endswith("iron")) and len(each.strip()) > 1:
            if {other, analyte.key} <= {"ph", "alkalinity", "hardness", "bicarbonate", "calcium"} and each.strip().startswith(("Ca", "HCO")):
                continue
            return Meaning(analyte, "check", f"“{each}” is printed beside it")
    return Meaning(analyte, "sure")


def _contained(words: tuple[str, ...]) -> Meaning:
    """A known name inside a longer one, to be looked at; nothing where the rest makes it another thing."""
    for size in range(min(len(words) - 1, 4), 0, -1):
        for start in range(len(words) - size + 1):
            key = _key(words[start : start + size])
            rest = set(words[:start]) | set(words[start + size :])
            if len(key) < 4 or rest & _BLOCKS:
                continue
            if key in _open():
                return _open()[key]
            if key in _names():
                analyte = analytes()[_names()[key]]
                if any(_names().get(word, analyte.key) != analyte.key for word in rest if len(word) > 2):
                    return Meaning(None, "ask", "several things in one row")
                return Meaning(analyte, "check", f"read as {analyte.said}")
    return Meaning(None, "")


def _of_phase(found: Meaning) -> Meaning:
    """What is dissolved of a metal is not the metal that the design stands on; of iron it is the ferrous."""
    analyte = found.analyte
    if analyte is None or found.phase != "dissolved":
        return found
    if analyte.key == "iron":
        return replace(found, analyte=analytes()["ferrous_iron"], how="check", why=table("report_words")["nearly"]["ferrous_iron"]["why"])
    if analyte.family == _METALS and analyte.key not in ("ferrous_iron", "ferric_iron"):
        return replace(
            found, analyte=None, how="ask", why=f"only what is dissolved of the {analyte.said}; the design is based on all of it", partly=analyte.key
        )
    if analyte.key == "toc":
        return replace(found, analyte=None, how="ask", why="only what is dissolved of the organic carbon")
    return found


def danger_of(name: str) -> str:
    """The class that makes a row dangerous by its name alone, in words; empty where none does."""
    said = plain(name)
    return next((words for words, pattern in _dangerous() if pattern.search(said)), "")


@cache
def _dangerous() -> tuple[tuple[str, re.Pattern[str]], ...]:
    def part(name: str) -> str:
        """A name as a whole word; a star leaves that side open."""
        before, after = "" if name.startswith("*") else r"(?<![a-z0-9])", "" if name.endswith("*") else r"(?![a-z0-9])"
        return f"{before}{re.escape(name.strip('*'))}{after}"

    rows = table("report_words")["dangerous"]
    return tuple((row["words"], re.compile("|".join(part(name) for name in row["names"]))) for row in rows.values())


def known(label: str) -> bool:
    """Whether a label is one of ours or nearly so."""
    return bool(meaning(label).how)


__all__ = ["Meaning", "danger_of", "known", "meaning", "plain"]
