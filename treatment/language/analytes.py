"""The analytes: one typed row each, from ``data/analytes.toml``."""

from __future__ import annotations

import difflib
import re
from dataclasses import dataclass, field
from functools import cache, lru_cache
from typing import Literal

from .quantity import Unit, find_unit, unit_named
from .tables import table
from .unit_spelling import Spelled, spelled

_AS = re.compile(r"^(?P<unit>.*?)\s+(?:as\s+)?(?P<basis>[A-Z][A-Za-z0-9]*)$")
_PLAIN_DIGITS = str.maketrans("₂₃₄²³⁺", "23423+")
_CONCENTRATIONS = ("mg/L", "ug/L", "ng/L", "g/L")


#: microbes that must be absent from drinking water
MICROBES = ("total_coliform", "e_coli", "protozoa", "enterococci", "clostridium", "pseudomonas")
#: of these, what chlorine kills in its usual contact: no cysts, no spores
CHLORINATED = ("total_coliform", "e_coli", "enterococci", "pseudomonas")
#: of these, what tells of sewage or manure
SEWAGE = ("e_coli", "enterococci", "clostridium")
#: single substances of the PFAS group
PFAS = ("pfoa", "pfos", "pfhxs", "pfna", "hfpo_da")


@dataclass(frozen=True, slots=True)
class Analyte:
    """What can be measured in water, with the unit the core holds it in."""

    key: str
    name: str
    family: str
    dimension: str
    unit: str
    bare: str
    adverse: Literal["low", "high"]
    plausible: tuple[float, float]
    test: str
    aliases: tuple[str, ...]
    short: str
    hold: float
    molar_mass: float | None = None
    charge: int = 0
    basis: dict[str, float] = field(default_factory=dict, hash=False)
    ambiguous_basis: str = ""
    colour: str = "slate"
    pattern: str = "plain"
    shown: str = ""
    places: tuple[str, ...] = ()
    own_symbols: tuple[str, ...] = ()

    @property
    def is_microbe(self) -> bool:
        return self.family == "microbe"

    @property
    def hold_words(self) -> str:
        """How soon after drawing it has to be tested, in words."""
        if self.hold == 0:
            return "test on the spot"
        return f"test within {self.hold:g} hours" if self.hold <= 96 else f"test within {self.hold / 24:g} days"

    @property
    def said(self) -> str:
        """The name inside a sentence."""
        proper = self.name[:2].isupper() or self.name[:2] in ("pH", "E.") or self.key == "protozoa"
        return self.name if proper else self.name[0].lower() + self.name[1:]

    @property
    def shown_unit(self) -> str:
        """The unit it is shown in: its own, but alkalinity is not read in grains, nor lead in milligrams."""
        return self.shown or self.unit

    def factor_for(self, unit_text: str) -> tuple[Unit, float, str] | None:
        """The unit, the factor of its basis and the basis meant by ``unit_text``; None if unknown.

        The canonical value is ``unit.to_canonical(number) * factor`` in the analyte's own unit.
        """
        said = spelled(unit_text)
        amount = self._of_an_amount(said.unit.lower())
        if amount is not None:
            return Unit(said.unit, "concentration", amount), 1.0, ""
        if said.count_ml is not None:
            return (Unit(unit_text.strip(), "count", 100.0 / said.count_ml), 1.0, "") if self.dimension == "count" else None
        unit = find_unit(self.dimension, unit_text.strip())
        if unit is None and said.of and said.unit in _CONCENTRATIONS:
            return self._as(said)
        unit = unit or find_unit(self.dimension, said.unit)
        if unit is not None:
            return unit, 1.0 / self._own_scale(), ""
        match = _AS.match(said.unit)
        return self._as(Spelled(match["unit"], match["basis"])) if match else None

    def _of_an_amount(self, unit: str) -> float | None:
        """The canonical value of one millimole, milliequivalent or micromole in a litre, where this analyte can be counted so."""
        if self.molar_mass is None:
            return None
        each = self.molar_mass / self._own_scale()
        if unit in ("mmol/l", "mmol"):
            return each
        if unit in ("umol/l", "µmol/l"):
            return each / 1000
        if unit in ("meq/l", "mval/l", "mmol(eq)/l", "meq") and self.charge:
            return each / self.charge
        return None

    def _as(self, said: Spelled) -> tuple[Unit, float, str] | None:
        """A concentration that says as what it is counted; None where that is not this analyte."""
        plain = find_unit("concentration", said.unit)
        if plain is None or plain.name not in _CONCENTRATIONS:
            return None
        of = re.sub(r"\d?[+-]$", "", said.of)
        of = of.partition("-")[2] or of  # NO3-N is as N
        if of in self.basis:
            return plain, self.basis[of] / self._own_scale(), of
        if of in self.own_symbols and self.dimension == "concentration" and not self.ambiguous_basis:
            return plain, 1.0 / self._own_scale(), ""
        return None

    def _own_scale(self) -> float:
        """mg/L in one canonical unit of this analyte, for analytes held in ug/L or ng/L."""
        if self.dimension != "concentration":
            return 1.0
        own = self.unit.split(" ")[0]
        return unit_named(own, "concentration").factor

    def accepted_units(self) -> list[str]:
        """Units to offer, the canonical one first."""
        names = [self.unit]
        for name in table("units")[self.dimension]["units"]:
            if name not in names and not (self.basis and self.dimension == "concentration" and self.ambiguous_basis):
                names.append(name)
        names += [f"mg/L as {basis}" for basis in self.basis]
        names += [unit for unit in ("mmol/L", "meq/L") if self._of_an_amount(unit.lower()) and unit not in names]
        return names


@cache
def analytes() -> dict[str, Analyte]:
    """Every analyte by its key, in the order of the table."""
    found = {}
    for key, row in table("analytes").items():
        values = dict(row)
        values["plausible"] = tuple(values["plausible"])
        values["aliases"], values["places"] = tuple(values["aliases"]), tuple(values["places"])
        values.setdefault("short", values["name"])
        values["own_symbols"] = (values["short"].translate(_PLAIN_DIGITS), *values.get("own_symbols", ()))
        found[key] = Analyte(key=key, **values)
    return found


def as_typed(unit: str) -> str:
    """A canonical unit as a reading is typed with it: ``mg/L N`` as ``mg/L as N``; pH alone.

    >>> as_typed("mg/L CaCO3"), as_typed("mg/L"), as_typed("pH")
    ('mg/L as CaCO3', 'mg/L', '')
    """
    if unit == "pH":
        return ""
    head, _, basis = unit.partition(" ")
    return f"{head} as {basis}" if basis in ("N", "CaCO3") else unit


@cache
def shown_in(place: str) -> tuple[str, ...]:
    """The analytes that are shown in a place (ribbon, sheet, shelf, …), in the order of the table."""
    return tuple(key for key, row in analytes().items() if place in row.places)


def fold(name: str) -> str:
    """A name as it is compared: lower case, spaces and underscores alike."""
    return re.sub(r"[\s_]+", " ", name.strip().lower())


LONGEST_NAME = 60  # letters; what is longer is no name of an analyte


@cache
def _by_name() -> dict[str, str]:
    names: dict[str, str] = {}
    for key, row in analytes().items():
        for name in (key, row.name, row.short, *row.aliases):
            names.setdefault(fold(name), key)
    return names


def find_analyte(name: str) -> Analyte | None:
    """The analyte called ``name``, by key, printed name or alias; None if there is none."""
    key = _by_name().get(fold(name))
    return analytes()[key] if key else None


@lru_cache(maxsize=4096)
def nearest_name(name: str, alike: float = 0.6) -> str | None:
    """The known name most like ``name``, for a helpful refusal; none for what is longer than any name. alike: 0 to 1."""
    if len(name) > LONGEST_NAME:
        return None
    close = difflib.get_close_matches(fold(name), _by_name(), n=1, cutoff=alike)
    return _by_name()[close[0]] if close else None
