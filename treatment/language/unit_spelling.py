"""Units as laboratories print them -> the unit, and what it is said to be of: ``ug/l Fe``, ``mg N/L``, ``KBE/100 ml``, ``mg.L-1``."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

_SAME = str.maketrans({"₂": "2", "₃": "3", "₄": "4", "²": "2", "³": "3", "μ": "µ", "−": "-", "⁻": "-", "¹": "1", "·": ".", "×": "x"})
_LITRE = r"(?:l|L|ltr|lit|litre|liter|dm3|dm\^3)"
_MASS = r"(?P<mass>[mµunMUN]?g|mcg|MG|UG|mgr)"
_OF = r"(?P<{0}>[A-Z][A-Za-z0-9]{{0,5}}(?:-[A-Z][A-Za-z]?)?[+-]?)"
_PER_LITRE = re.compile(
    rf"^{_MASS}\s*{_OF.format('before')}?\s*(?:/|\bper\b|\bpro\b|\bpar\b|\.)\s*{_LITRE}(?:\s*(?:\b(?:as|als|en|como|in|of|expr\.?)\b\s*|\(|,)?\s*{_OF.format('after')}\)?)?$"
)
_POWER = re.compile(rf"^(?P<top>.+?)[\s.]*{_LITRE}\s?-1(?P<rest>.*)$")
_PARTS = re.compile(rf"^(?P<mass>ppm|ppb|ppt|PPM|PPB|PPT)(?:\s*(?:\b(?:as|als|en|como)\b\s*|\()?\s*{_OF.format('after')}\)?)?$")
_COUNT = re.compile(
    r"^(?:(?:cfu|mpn|kbe|ufc|kve|nmp|npp|pfu|number|num|no\.?|n|nr|count|counts|cells?|colonies|col|org(?:anisms)?\.?|germs?|anzahl|oocysts?|cysts?)\s*)?"
    r"(?:/|\bper\b|\bin\b|\bpro\b|\bpar\b|\bpor\b)\s*\(?(?P<volume>\d*)\s*(?P<unit>ml|l)\)?$",
    re.IGNORECASE,
)
_AT = re.compile(r"[\s,(]*(?:@|\bat\b|\bbei\b|\bà\b)?\s*\(?\s*(?:20|25)\s*°?\s*[Cc]\)?$")
_NAMES = {
    "mcg": "ug",
    "mgr": "mg",
    "MG": "mg",
    "UG": "ug",
    "µg": "ug",
    "Mg": "mg",
    "Ug": "ug",
    "ug": "ug",
    "mg": "mg",
    "ng": "ng",
    "g": "g",
    "NG": "ng",
    "Ng": "ng",
}
_NAMES |= {"ppm": "mg", "PPM": "mg", "ppb": "ug", "PPB": "ug", "ppt": "ng", "PPT": "ng"}


@dataclass(frozen=True, slots=True)
class Spelled:
    """unit: a name of the unit table where the text is a concentration, else the text made plain; of: as what; count_ml: volume a count is of [mL]."""

    unit: str
    of: str = ""
    count_ml: float | None = None


@lru_cache(4096)
def spelled(text: str) -> Spelled:
    """A unit made plain.

    >>> spelled("ug/l Fe"), spelled("KBE/100 ml").count_ml
    (Spelled(unit='ug/L', of='Fe', count_ml=None), 100.0)
    """
    plain = " ".join(text.translate(_SAME).split()).strip(" .,;:[]")
    if plain.startswith("(") and plain.endswith(")"):
        plain = plain[1:-1].strip()
    plain = _AT.sub("", plain) or plain
    if power := _POWER.match(plain):
        plain = f"{power['top'].strip()}/L{power['rest']}"
    if count := _COUNT.match(plain):
        volume = float(count["volume"] or 1) * (1000 if count["unit"].lower() == "l" else 1)
        return Spelled(plain, count_ml=volume) if volume else Spelled(plain)
    if found := _PER_LITRE.match(plain) or _PARTS.match(plain):
        parts = found.groupdict()
        return Spelled(f"{_NAMES.get(parts['mass'], parts['mass'])}/L", parts.get("before") or parts.get("after") or "")
    outside = re.sub(r"\s*\([^)]*\)\s*", " ", plain).strip()
    if outside and outside != plain:
        return spelled(outside)
    return Spelled(plain)
