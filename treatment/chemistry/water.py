"""Water: an immutable state that every stage turns into the next.

Concentrations are in each analyte's canonical unit (see ``data/analytes.toml``); None means not known.
Total iron is ferrous + ferric, hardness is calcium + magnesium: they are read, never set.
"""

from __future__ import annotations

from collections.abc import Mapping

from ..language.tables import table
from . import carbonate
from .carbonate import CA, CACO3, CL, CO2, FE, HCO3, MG, N_NITRATE, NA, SO4, Solution, State

EQ = CACO3 / 2 * 1000  # mg/L as CaCO3 per eq/L
CA_TO_HARDNESS, MG_TO_HARDNESS = CACO3 / CA, CACO3 / MG
#: mass that a mg/L of each adds to the dissolved solids, bicarbonate counted as dried (x 0.49)
SOLIDS = {"calcium": 1.0, "magnesium": 1.0, "sodium": 1.0, "potassium": 1.0, "chloride": 1.0, "sulfate": 1.0, "alkalinity": 0.6}
#: marks that a stage leaves on the water, beside its analytes: scale is kept from sticking; it stood in a tank open to air; it went
#: through a membrane; peroxide is left in it [mg/L]; alkali was fed to it, and is not mixed yet;
#: how much stands in the tank it comes from [L]
SCALE_GUARD, OPEN_TO_AIR, PERMEATE, PEROXIDE, UNMIXED, STORED = "scale_guard", "open_to_air", "permeate", "peroxide", "alkali_fed", "stored_litres"
#: chlorine was fed to water that stood open to air: what came with it does not count, its residual fell while it stood
CHLORINE_FED = "chlorine_fed"
#: sulfur that an oxidant made of sulfide [mg/L]: milky, and held by what holds particles
SULFUR = "sulfur_made"
#: arsenic that is trivalent [mg/L]: uncharged, hardly held until it is oxidised
ARSENITE = "arsenite"
#: its pH was raised by calcite alone, which stops by itself near saturation
CALCITE_HELD = "calcite_held"
#: alkalinity eaten by oxidising a mg/L of each: two acid equivalents [mg/L as CaCO3 per mg/L]
ACID_OF_IRON, ACID_OF_MANGANESE = 1.792, 1.822
#: absorbance per cm at 254 nm of organic matter nobody measured: stands in place of a measured transmittance, see `darkness`
UNSEEN = "unseen_darkness"
DERIVED = frozenset({"iron", "hardness", "bicarbonate", "carbon_dioxide", "uvt"})


class Water:
    """One water: analyte -> value in canonical unit. Hashable; compares by value."""

    __slots__ = ("_hash", "_signature", "_state", "_values")

    def __init__(self, values: Mapping[str, float]):
        self._values = dict(values)
        self._hash: int | None = None
        self._signature: tuple[str, ...] | None = None
        self._state: State | None = None

    def __hash__(self) -> int:
        if self._hash is None:
            self._hash = hash(frozenset(self._values.items()))
        return self._hash

    def __eq__(self, other: object) -> bool:
        return self is other or (isinstance(other, Water) and self._values == other._values)

    def __repr__(self) -> str:
        return f"Water({self._values})"

    @property
    def signature(self) -> tuple[str, ...]:
        """Its values to two digits: waters that serve alike have one signature."""
        if self._signature is None:
            self._signature = tuple(f"{value:.2g}" for _, value in sorted(self._values.items()))
        return self._signature

    def get(self, analyte: str) -> float | None:
        """The value of an analyte in its canonical unit, None if not known."""
        found = self._values.get(analyte)
        if found is not None or analyte not in DERIVED:
            return found
        if analyte == "hardness":
            return self.hardness
        if analyte == "uvt":
            return transmittance(darkness(self._values, 0) + self._values[UNSEEN]) if UNSEEN in self._values else None
        if analyte == "iron":
            return None if "ferrous_iron" not in self._values else self.iron
        return self.carbon_dioxide if analyte == "carbon_dioxide" else self.state.bicarbonate * HCO3 * 1000

    @property
    def measured_uvt(self) -> bool:
        """Whether its transmittance was measured, and does not follow from what darkens it."""
        return "uvt" in self._values

    def value(self, analyte: str, missing: float = 0.0) -> float:
        """The value of an analyte, or ``missing`` where it is not known."""
        found = self._values.get(analyte)
        if found is None and analyte in DERIVED:
            found = self.get(analyte)
        return missing if found is None else found

    @property
    def hardness(self) -> float:
        """Total hardness [mg/L as CaCO3]."""
        return self._values["calcium"] * CA_TO_HARDNESS + self._values["magnesium"] * MG_TO_HARDNESS

    @property
    def iron(self) -> float:
        """Total iron [mg/L]."""
        return self._values.get("ferrous_iron", 0.0) + self._values.get("ferric_iron", 0.0)

    @property
    def oxidant_fed(self) -> bool:
        """Whether an oxidant that was fed is in it: free chlorine or peroxide."""
        return self.value("free_chlorine") > 0 or self.value(PEROXIDE) > 0

    @property
    def ph(self) -> float:
        return self._values["ph"]

    @property
    def temperature(self) -> float:
        """Temperature [degC]."""
        return self._values["temperature"]

    @property
    def solution(self) -> Solution:
        """This water as the acid-base chemistry sees it [mol/L]."""
        v = self._values
        return Solution(
            temperature=v["temperature"],
            alkalinity=v["alkalinity"] / EQ,
            calcium=v["calcium"] / CA / 1000,
            magnesium=v["magnesium"] / MG / 1000,
            sodium=v["sodium"] / NA / 1000,
            chloride=v["chloride"] / CL / 1000,
            sulfate=v["sulfate"] / SO4 / 1000,
            ferrous=v.get("ferrous_iron", 0.0) / FE / 1000,
        )

    @property
    def state(self) -> State:
        """Carbon, free CO2 and saturation index at this pH."""
        if self._state is None:
            self._state = carbonate.speciate(self.solution, self.ph)
        return self._state

    @property
    def carbon_dioxide(self) -> float:
        """Free carbon dioxide [mg/L]."""
        return self.state.co2 * CO2 * 1000

    def known(self) -> dict[str, float]:
        """Every analyte that is known, the derived ones included, in canonical units."""
        found = dict(self._values)
        found["hardness"] = self.hardness
        found["carbon_dioxide"] = self.carbon_dioxide
        if "ferrous_iron" in found:
            found["iron"] = self.iron
        if found.pop(UNSEEN, None) is not None:
            found["uvt"] = self.value("uvt")
        return found

    def with_(self, **changes: float) -> Water:
        """This water with some analytes set; the pH stays unless it is given. Dissolved solids follow the ions."""
        values = {**self._values, **changes}
        if "uvt" in changes:
            values.pop(UNSEEN, None)
        if "tds" in self._values and "tds" not in changes:
            added = sum([(value - self._values[name]) * SOLIDS[name] for name, value in changes.items() if name in SOLIDS and name in self._values])
            values["tds"] = max(values["tds"] + added, 0.0)
        return Water(values)

    def as_read(self, readings: Mapping[str, float]) -> Water:
        """This water where a later test says otherwise [canonical units]: what makes up hardness and iron keeps its proportions.

        What follows from others (carbon dioxide) is not taken.
        """
        changes = {name: value for name, value in readings.items() if name not in DERIVED}
        if "uvt" in readings:
            changes["uvt"] = readings["uvt"]
        if "bicarbonate" in readings:
            changes["alkalinity"] = readings["bicarbonate"] * EQ / HCO3 / 1000
        if "hardness" in readings:
            share = readings["hardness"] / self.hardness if self.hardness > 0 else None
            parts = {"calcium": readings["hardness"] / CA_TO_HARDNESS, "magnesium": 0.0}
            changes |= parts if share is None else {name: self._values[name] * share for name in parts}
        if "iron" in readings:
            share = readings["iron"] / self.iron if self.iron > 0 else None
            parts = {"ferrous_iron": readings["iron"], "ferric_iron": 0.0}
            changes |= parts if share is None else {name: self.value(name) * share for name in parts}
        return self.with_(**changes)

    def react(self, carbon: float = 0.0, **changes: float) -> Water:
        """This water after a reaction in a closed vessel: alkalinity and ions set by ``changes``.

        carbon: inorganic carbon added [mol/L]. The pH is solved anew from carbon and alkalinity.
        """
        mixed = self.with_(**changes)
        settled = carbonate.solve_ph(mixed.solution, self.state.carbon + carbon)
        after = Water({**mixed._values, "ph": settled.ph})
        after._state = settled
        return after

    def carries(self, acid: float) -> float:
        """Share of a reaction that makes ``acid`` [mg/L as CaCO3] which this water's alkalinity can buffer, 0 to 1.

        Once the alkalinity is spent the pH falls to where iron and manganese stay dissolved, so oxidation is counted no further.
        """
        return min(1.0, max(self.value("alkalinity"), 0.0) / acid) if acid > 0 else 1.0

    def soured(self, acid: float, **changes: float) -> Water:
        """This water after ``changes`` that made ``acid`` [mg/L as CaCO3], never more than its alkalinity."""
        if acid <= 0.01:
            return self.with_(**changes) if changes else self
        return self.react(alkalinity=max(self.value("alkalinity") - acid, 0.0), **changes)

    def scaled(self, **factors: float) -> Water:
        """This water with some known analytes multiplied; unknown ones stay unknown."""
        return self.with_(**{name: self._values[name] * factor for name, factor in factors.items() if name in self._values})


def darkness(values: Mapping[str, float], slope: int) -> float:
    """Absorbance per cm at 254 nm of what darkens a water. slope: 0 likely, 1 least, 2 most; iron is the sum of its forms."""
    rows = table("assumed")["darkness"]
    iron = values.get("iron", values.get("ferrous_iron", 0.0) + values.get("ferric_iron", 0.0))
    organic = max((values.get(name, 0.0) * float(rows[name][slope]) for name in ("toc", "colour")), default=0.0)
    rest = sum(values.get(name, 0.0) * float(rows[name][slope]) for name in ("turbidity", "tannin"))
    return organic + iron * float(rows["iron"][slope]) + rest


def transmittance(absorbance: float) -> float:
    """UV transmittance per cm at 254 nm [%].

    >>> round(transmittance(0.188), 2)
    64.86
    """
    return float(100 * 10**-absorbance)


def balancing_ions(
    calcium: float,
    magnesium: float,
    alkalinity: float,
    sulfate: float,
    nitrate: float,
    sodium: float | None,
    chloride: float | None,
    ferrous: float = 0.0,
) -> tuple[float, float]:
    """Sodium and chloride [mg/L] that make the charges balance, where one or both were not measured.

    calcium, magnesium, sulfate, ferrous [mg/L]; alkalinity [mg/L as CaCO3]; nitrate [mg/L as N].
    """
    cations = 2 * calcium / CA + 2 * magnesium / MG + 2 * ferrous / FE
    anions = alkalinity / EQ * 1000 + 2 * sulfate / SO4 + nitrate / N_NITRATE
    if sodium is not None and chloride is not None:
        return sodium, chloride
    if sodium is not None:
        return sodium, max((cations + sodium / NA - anions) * CL, 0.0)
    excess, least = anions + (chloride or 0.0) / CL - cations, float(table("assumed")["water"]["sodium_least"])
    if excess * NA >= least:
        return excess * NA, chloride or 0.0
    return least, chloride if chloride is not None else max((least / NA - excess) * CL, 0.0)
