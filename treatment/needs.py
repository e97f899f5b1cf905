"""What the water and the people ask of a treatment: limits broken, comfort wished for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from .analytes import analytes
from .evidence import Assumption
from .figure import source
from .job import Facts
from .limits import Limit, limits
from .quantity import unit_named
from .tables import table
from .water import Water

MICROBES = ("total_coliform", "e_coli", "protozoa")


@dataclass(frozen=True, slots=True)
class Need:
    """Something to be put right. goal: an analyte; low and high: what it should lie between, in ``unit``."""

    goal: str
    why: str
    low: float | None
    high: float | None
    value: float
    unit: str
    health: bool
    source: str

    def met_by(self, water: Water) -> bool:
        value = water.get(self.goal)
        if value is None:
            return True
        return (self.high is None or value <= self.high * (1 + 1e-6) + 1e-9) and (self.low is None or value >= self.low - 0.005)

    def as_json(self) -> dict[str, Any]:
        limit = self.high if self.low is None or self.value > (self.high or self.value) else self.low
        unit = self.unit
        return {
            "goal": self.goal,
            "why": self.why,
            "limit": {"value": limit, "unit": unit},
            "value": {"value": round(self.value, 6), "unit": unit},
            "health": self.health,
            "source": self.source,
        }


def soften_above(facts: Facts) -> float:
    """Hardness [mg/L as CaCO3] above which this job softens: its own wish, else the school of seven grains."""
    return facts.wishes.soften_above or unit_named("gpg", "hardness").to_canonical(table("stages")["softener"]["soften_above_gpg"])


def needs(facts: Facts, water: Water) -> tuple[list[Need], list[Assumption]]:
    """What this water and these wishes ask for, health first, and what was assumed of the wishes."""
    found: dict[str, Need] = {}
    notes: list[Assumption] = []
    for limit in limits(facts.job.standard):
        value = water.get(limit.analyte)
        if value is None or not limit.broken_by(value) or limit.analyte in facts.wishes.drinking_tap_only:
            continue
        known = found.get(limit.analyte)
        high = limit.high if known is None or known.high is None else min(known.high, limit.high)
        found[limit.analyte] = Need(
            limit.analyte, _why(limit), limit.low, high, value, limit.unit, limit.health or bool(known and known.health), limit.source
        )
    if facts.wishes.safe_to_drink is False:
        found = {name: need for name, need in found.items() if name not in MICROBES}
    wished = facts.wishes.soft_water
    threshold = soften_above(facts)
    if wished is None and water.hardness > threshold:
        wished = facts.schools.hardness == "exchange" and not facts.wishes.no_salt
        notes.append(Assumption("$.wishes.soft_water", str(wished).lower(), "not said; this water is above the softening threshold"))
    if wished and water.hardness > threshold:
        found["hardness"] = Need("hardness", "soft water is wished", None, threshold, water.hardness, "mg/L CaCO3", False, source("limits.comfort"))
    if facts.wishes.target_ph and water.ph < 6.5 and "ph" in found:
        notes.append(Assumption("$.wishes.target_ph", f"{facts.wishes.target_ph:g}", "the neutralizer aims at this; the need is the limit"))
    return sorted(found.values(), key=lambda need: (not need.health, list(analytes()).index(need.goal))), notes


def _why(limit: Limit) -> str:
    if limit.analyte in MICROBES:
        return "must be absent from drinking water"
    kind = "health" if limit.health else "aesthetic"
    return f"outside the {kind} limit ({table('limits')[_set_of(limit)]['title']})"


def _set_of(limit: Limit) -> str:
    for name in table("limits"):
        if source(f"limits.{name}") == limit.source:
            return name
    raise KeyError(limit.source)
