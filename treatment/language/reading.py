"""The reading grammar: a reading is an interval, not a number.

``"14 gpg"`` exact · ``"<0.01 mg/L"`` below detection · ``">20 NTU"`` above range · ``"120..250 mg/L"``
an interval · ``"present"`` / ``"absent"`` for microbes. The same grammar serves files and the entry line.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

from .analytes import Analyte, analytes
from .errors import NotUnderstood
from .quantity import NUMBER, Unit, find_unit, parse_number

Qualifier = Literal["exact", "below", "above", "interval", "present", "absent"]

_WORDS: dict[str, Qualifier] = {
    "present": "present", "positive": "present", "detected": "present", "pos": "present",
    "absent": "absent", "negative": "absent", "not detected": "absent", "neg": "absent", "nd": "absent",
}  # fmt: skip
_NUM = NUMBER.replace("[+-]?", "-?", 1)
_UNSIGNED = NUMBER.replace("[+-]?", "", 1)
_SIGNED = re.compile(rf"^(?P<sign><=|>=|[<>≤≥])\s*(?P<a>{_NUM})\s*(?P<unit>.*)$", re.DOTALL)
_RANGE = re.compile(
    rf"^(?P<a>{_NUM})\s*(?P<ua>[^\d\s.,–-][^–.]*?)?\s*(?:\.\.|…|–|-|\bto\b)\s*(?P<b>{_UNSIGNED})\s*(?P<unit>.*)$",
    re.DOTALL,
)
_PLAIN = re.compile(rf"^(?P<a>{_NUM})\s*(?P<unit>.*)$", re.DOTALL)
_DEGREES = {"°", "degrees", "degree", "deg"}


@dataclass(frozen=True, slots=True)
class Reading:
    """What a test said of one analyte: an interval in the analyte's canonical unit.

    low, high: canonical unit of the analyte; high is None where the range is open above.
    note: an assumption made in reading it, to be reported; empty when nothing was assumed.
    """

    analyte: str
    low: float
    high: float | None
    qualifier: Qualifier
    typed: str
    note: str = ""

    @property
    def is_exact(self) -> bool:
        return self.high is not None and self.low == self.high

    def canonical_text(self) -> str:
        """The same reading written in canonical units; reading it again gives the same interval."""
        if self.qualifier in ("present", "absent"):
            return self.qualifier
        unit = analytes()[self.analyte].unit
        unit = "" if unit == "pH" else f" {unit}"
        if self.qualifier == "below":
            return f"<{self.high!r}{unit}"
        if self.qualifier == "above":
            return f">{self.low!r}{unit}"
        if self.qualifier == "interval":
            return f"{self.low!r}..{self.high!r}{unit}"
        return f"{self.low!r}{unit}"


#: a unit that ends like an interval: ``0.085 cm-1``
_PER_LENGTH = re.compile(r"\d\s*c?m\s?-\s?1$")


def parse_reading(analyte: Analyte, text: str) -> Reading:
    """Read ``text`` as a result for ``analyte``. Raises NotUnderstood with the reason.

    >>> from treatment.language.analytes import analytes
    >>> parse_reading(analytes()["iron"], "<0,3 mg/L").high
    0.3
    """
    typed = " ".join(str(text).split())
    if not typed:
        raise NotUnderstood(typed, "nothing was given")
    if len(typed) > 80:
        raise NotUnderstood(typed[:80], "too long to be a reading")
    word = _WORDS.get(typed.lower())
    if word:
        return _word(analyte, typed, word)
    if match := _SIGNED.match(typed):
        value, note = _convert(analyte, typed, match["a"], match["unit"])
        if match["sign"] in ("<", "<=", "≤"):
            if value <= 0 and analyte.key != "temperature":
                raise NotUnderstood(typed, "a detection limit must be more than zero")
            return Reading(analyte.key, min(0.0, value), value, "below", typed, note)
        return Reading(analyte.key, value, None, "above", typed, note)
    if (match := _RANGE.match(typed)) and not _PER_LENGTH.search(typed):
        unit = match["unit"] or (match["ua"] or "")
        low, note = _convert(analyte, typed, match["a"], unit)
        high, _ = _convert(analyte, typed, match["b"], unit)
        if low > high:
            raise NotUnderstood(typed, "the interval runs backwards: write the lower value first")
        return Reading(analyte.key, low, high, "interval" if low < high else "exact", typed, note)
    if match := _PLAIN.match(typed):
        value, note = _convert(analyte, typed, match["a"], match["unit"])
        return Reading(analyte.key, value, value, "exact", typed, note)
    raise NotUnderstood(typed, f"“{typed}” is not a reading (for example {_forms(analyte)})")


def _word(analyte: Analyte, typed: str, word: Qualifier) -> Reading:
    if not analyte.is_microbe:
        bare = "" if analyte.unit == "pH" else f" {analyte.accepted_units()[0]}"
        example = f"<{_example(analyte)}{bare}" if word == "absent" else f"{_example(analyte)}{bare}"
        raise NotUnderstood(typed, f"{analyte.name} needs a number: give the value or the detection limit, for example “{example}”")
    if word == "absent":
        return Reading(analyte.key, 0.0, 0.0, "absent", typed)
    return Reading(analyte.key, 1.0, None, "present", typed)


def _example(analyte: Analyte) -> str:
    """A number this analyte could have."""
    low, high = analyte.plausible
    return "7.2" if analyte.unit == "pH" else "85" if analyte.unit == "%" else f"{float(f'{low + (high - low) / 20:.1g}'):g}" if high < 1e5 else "4"


def _forms(analyte: Analyte) -> str:
    """Ways to write a reading of this analyte."""
    number, unit = _example(analyte), "" if analyte.unit == "pH" else f" {analyte.accepted_units()[0]}"
    more = "“present”, “absent”" if analyte.is_microbe else f"“<{number}{unit}”"
    return f"“{number}{unit}”, {more}"


def _convert(analyte: Analyte, typed: str, number_text: str, unit_text: str) -> tuple[float, str]:
    """Canonical value and the assumption made, if any."""
    number = parse_number(number_text)
    unit_text, note = unit_text.strip(), ""
    if unit_text.lower() in _DEGREES:
        raise NotUnderstood(typed, "which degrees? write °dH, °fH or °e for hardness, °C or °F for temperature")
    if unit_text.lower().startswith("as ") and analyte.factor_for(f"mg/L {unit_text}"):
        unit_text, note = f"mg/L {unit_text}", f"{analyte.name} “{typed}” had no unit: read as mg/L"
    if number < 0 and analyte.key not in ("temperature", "alkalinity"):
        raise NotUnderstood(typed, f"{analyte.name} cannot be negative")
    if not unit_text:
        unit_text, note = _bare(analyte, typed, number_text)
    found = analyte.factor_for(unit_text)
    if found is None and analyte.dimension == "hardness" and (plain := find_unit("concentration", unit_text)):
        found = Unit(plain.name, "hardness", plain.factor), 1.0, "CaCO3"
        note = f"{analyte.name} “{typed}” is read as CaCO₃, the convention"
    if found is None:
        raise NotUnderstood(typed, f"“{unit_text}” is not a unit for {analyte.name} (use one of: {', '.join(analyte.accepted_units())})")
    unit, factor, basis = found
    if not basis and unit.dimension == "concentration" and analyte.dimension == "concentration" and analyte.ambiguous_basis and not unit.of_an_amount:
        basis = analyte.ambiguous_basis
        factor *= analyte.basis[basis]
        note = f"{analyte.name} “{typed}” does not say as what: read as {basis}, the stricter reading"
    value = unit.to_canonical(number) * factor
    if analyte.key == "ph" and not 0 <= value <= 14:
        raise NotUnderstood(typed, "pH is between 0 and 14")
    if analyte.key == "uvt" and value > 100:
        raise NotUnderstood(typed, "UV transmittance is between 0 and 100%")
    if analyte.key == "temperature" and not -5 <= value <= 100:
        raise NotUnderstood(typed, "the water temperature must be between 0 and 100 °C")
    return value, note


def _bare(analyte: Analyte, typed: str, number_text: str) -> tuple[str, str]:
    if analyte.ambiguous_basis:
        return "mg/L", ""
    if not analyte.bare:
        raise NotUnderstood(typed, f"{analyte.name} needs its unit: write {_examples(analyte, number_text)}")
    if analyte.unit in ("pH", "%") or analyte.is_microbe:
        return analyte.bare, ""
    return analyte.bare, f"{analyte.name} “{typed}” had no unit: read as {analyte.bare}"


def _examples(analyte: Analyte, number: str) -> str:
    """Two ways to write a number with its unit, both accepted."""
    good = []
    for unit in analyte.accepted_units():
        try:
            parse_reading(analyte, f"{number} {unit}")
        except NotUnderstood:
            continue
        good.append(f"“{number} {unit}”")
    return " or ".join(good[:2])


def doubt(reading: Reading) -> str:
    """What is asked of a value that no natural water has; empty where it is possible."""
    analyte = analytes()[reading.analyte]
    low, high = analyte.plausible
    worst = reading.low if reading.high is None else reading.high
    if worst > high:
        return f"more {analyte.said} than natural water holds: is the unit right?"
    if reading.low < low and reading.qualifier in ("exact", "interval", "above"):
        return f"less {analyte.said} than natural water shows: is the unit right?"
    return ""
