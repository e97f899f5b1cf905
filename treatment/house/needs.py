"""What the water and the people ask of a treatment: limits broken, comfort wished for."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from ..chemistry.water import CALCITE_HELD, PERMEATE, SCALE_GUARD, Water
from ..evidence.gather import Evidence
from ..evidence.samples import Assumption
from ..job.facts import Facts
from ..job.limits import Limit, limits_of
from ..language.analytes import MICROBES, analytes, shown_in
from ..language.display import show
from ..language.figure import constant, source
from ..language.quantity import unit_named
from ..language.tables import table

#: what a membrane at the drinking tap answers more cheaply than treating every drop
TAP_GOALS = shown_in("tap")
SODIUM_PER_HARDNESS = 2 * constant("M_Na") / constant("M_CaCO3")  # 0.46 mg Na for each mg CaCO3


def tasted() -> float:
    """Chlorine that is smelt, and that a test tells apart [mg/L]."""
    return float(table("assumed")["water"]["chlorine_step"])


#: analytes that are worked out where they were not measured, and what measures them
ESTIMATED = {"tds": {"tds", "conductivity"}, "sodium": {"sodium"}, "chloride": {"chloride"}}


@dataclass(frozen=True, slots=True)
class Need:
    """Something to be put right. goal: an analyte; low and high: what it should lie between, in ``unit``.

    standing: the raw water meets it, but what the train makes on the way is held against it, too. eased: a mark on the water,
    and what stands in place of ``high`` where it bears that. borne: so much below ``low`` is told, and asks for nothing. health: whether
    the source is beyond a health limit; what is aimed at (``high``) may be stricter than that limit (``health_high``).
    """

    goal: str
    why: str
    low: float | None
    high: float | None
    value: float
    unit: str
    health: bool
    source: str
    tap: str = ""
    mark: str = ""
    standing: bool = False
    eased: tuple[str, float] | None = None
    borne: float = 0.0
    health_high: float | None = None

    def hurts(self, value: float) -> bool:
        """Whether so much of it is beyond the health limit, and not only beyond what is aimed at."""
        return self.health and (self.health_high is None or value > self.health_high * (1 + 1e-6))

    def met_by(self, water: Water, tap: Water | None = None) -> bool:
        """Whether the water of the house, or that of the drinking tap where this suffices, meets it.

        tap: "" asks it of every tap, "may" is content with the drinking tap, "only" looks at nothing else; "pipe" is what the
        plumbing gives, which only a treatment at the tap can take out again.
        """
        if self.tap == "pipe":
            return tap is not None and self._met(tap)
        if self.mark and water.value(self.mark) > 0:
            return True
        if tap is not None and self.tap and self._met(tap):
            return True
        return self._met(water)

    def _met(self, water: Water) -> bool:
        value = water.get(self.goal)
        if value is None:
            return True
        high = self.bound_in(water)
        return (high is None or value <= high * (1 + 1e-6) + 1e-9) and (self.low is None or value >= self.low - max(self.borne, 0.005))

    def bound_in(self, water: Water) -> float | None:
        """What stands in place of ``high`` in a water: what is eased by a mark it bears."""
        if self.high is None or self.eased is None or water.value(self.eased[0]) <= 0 or water.value(self.goal) <= self.high:
            return self.high
        return max(self.high, self.eased[1])

    def as_json(self) -> dict[str, Any]:
        limit = self.high if self.low is None or self.value > (self.high or self.value) else self.low
        limit = self.health_high if self.health and self.health_high is not None else limit
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


def needs(facts: Facts, evidence: Evidence) -> tuple[list[Need], list[Assumption]]:
    """What this water and these wishes ask for, health first, and what was assumed of the wishes.

    What was only computed to balance the water asks for nothing.
    """
    water, measured = evidence.adverse, set(evidence.stated)
    notes: list[Assumption] = []
    found = _limits_broken(facts, evidence, measured) | _from_the_pipe(facts, evidence)
    if "tds" in found and not _salt_asks(facts, found["tds"]):
        said = show(found.pop("tds").value, "mg/L", facts.job.units)
        asks = show(table("stages")["house"]["tds_asks"], "mg/L", facts.job.units)
        why = f"above the aesthetic limit, but nobody tastes it: a membrane is proposed for a salty taste, a preference, or above {asks}"
        notes.append(Assumption("$.design_water.tds", said, why))
    if facts.wishes.safe_to_drink is False:
        found = {name: need for name, need in found.items() if name not in MICROBES}
    found |= _corrosion(facts, evidence, found)
    if "ph" not in found and (held := _not_soured(facts, evidence, measured)) is not None:
        found["ph"] = held
    tested = evidence.states["hardness"].origin != "assumed"  # no softener is built on an assumption: the test is asked for
    if tested and (soft := _hardness(facts, water, notes)) is not None:
        found["hardness"] = soft
    solids = float(table("stages")["sediment_forms"]["tss_max"])
    if "tss" in measured - set(evidence.undetected) and water.value("tss") > solids:
        why = "sand and silt wear valves and clog the units after them"
        found["tss"] = Need("tss", why, None, solids, water.value("tss"), "mg/L", False, source("sediment.purpose"))
    if water.value("iron_bacteria") > 0 and not facts.wishes.no_power:
        why = "iron bacteria slime pipes and beds"
        found["iron_bacteria"] = Need(
            "iron_bacteria", why, None, 0.0, water.value("iron_bacteria"), analytes()["iron_bacteria"].unit, False, source("safety.iron_bacteria")
        )
    smelt = "total_chlorine" if water.value("total_chlorine") > tasted() else "free_chlorine"
    if "bleach_smell" in facts.observations and water.value(smelt) > tasted() and smelt not in found:
        found[smelt] = Need(smelt, "a bleach smell was reported", None, 2 * tasted(), water.value(smelt), "mg/L", False, source("feed.residual"))
    if (salt := _sodium(facts, evidence, found.get("sodium"))) is not None:
        found["sodium"] = salt
    if facts.wishes.high_purity:
        if "ph" in found:  # permeate is acid, and what raised its pH would be in it
            found["ph"] = replace(found["ph"], mark=PERMEATE)
        found["tds"] = Need(
            "tds", "high purity is required", None, 20.0, water.value("tds"), "mg/L", False, source("membrane.rejection"), mark=PERMEATE
        )
    if facts.wishes.target_ph and "ph" in found and water.ph < (found["ph"].low or 0.0):
        notes.append(Assumption("$.wishes.target_ph", f"{facts.wishes.target_ph:g}", "the target of the neutralizer; the limit is what is needed"))
    return sorted(found.values(), key=lambda need: (not need.health, list(analytes()).index(need.goal))), notes


def _limits_broken(facts: Facts, evidence: Evidence, measured: set[str]) -> dict[str, Need]:
    """A need for each analyte of the source that is outside a limit: health where one of them is, to be met at the strictest."""
    found: dict[str, Need] = {}
    for limit in limits_of(facts):
        value = evidence.adverse.get(limit.analyte)
        if not limit.health and limit.analyte in evidence.undetected:
            continue  # a test that found none asks for no treatment
        if value is None or not limit.broken_by(value) or (limit.analyte in ESTIMATED and not measured & ESTIMATED[limit.analyte]):
            continue
        known = found.get(limit.analyte)
        high = limit.high if known is None or known.high is None else min(known.high, limit.high)
        why = "this kind of source carries microbes" if limit.analyte in evidence.carried else _why(limit)
        if known and known.health:
            stricter = f"; the {_kind(limit)} limit is {show(limit.high, analytes()[limit.analyte].shown_unit, facts.job.units)}"
            why = known.why + (stricter if high == limit.high < (known.high or 0.0) else "")
        endangers = [known.health_high] if known and known.health_high is not None else [limit.high] if limit.health else []
        tap = "only" if limit.analyte in facts.wishes.drinking_tap_only else "may" if limit.analyte in TAP_GOALS else ""
        health = limit.health or bool(known and known.health)
        eased = _by_calcite() if limit.analyte == "ph" else None
        found[limit.analyte] = Need(
            limit.analyte,
            why,
            limit.low,
            high,
            value,
            limit.unit,
            health,
            limit.source,
            tap=tap,
            eased=eased,
            health_high=min(endangers, default=None),
        )
    return found


def _barely() -> float:
    """By how much a limit of pH is barely passed."""
    return float(table("planning")["limits"]["ph_barely"])


def _by_calcite() -> tuple[str, float]:
    """What the pH may come to by calcite alone, which stops by itself: soft water ends near saturation, above the limit. It is told."""
    return CALCITE_HELD, float(table("stages")["neutralizer"]["saturated_ph"])


def _salt_asks(facts: Facts, need: Need) -> bool:
    """Whether dissolved solids above their aesthetic limit ask for treatment: somebody tastes them or wishes it, or they are far above."""
    wished = facts.wishes.high_purity or "tds" in facts.wishes.drinking_tap_only
    return need.health or wished or "salty_taste" in facts.observations or need.value > table("stages")["house"]["tds_asks"]


def _from_the_pipe(facts: Facts, evidence: Evidence) -> dict[str, Need]:
    """A need for each metal that pipe and fittings bring above a health limit at the tap: no treatment of the house answers it."""
    found: dict[str, Need] = {}
    for limit in limits_of(facts):
        value = evidence.plumbing.get(limit.analyte)
        if value is not None and limit.health and limit.broken_by(value):
            why = f"pipe and fittings release it at the tap: {_why(limit)}"
            found[limit.analyte] = Need(
                limit.analyte, why, None, limit.high, value, limit.unit, True, limit.source, tap="pipe", health_high=limit.high
            )
    return found


def metals_over(facts: Facts, evidence: Evidence) -> list[str]:
    """The metals that pipe and fittings give above a limit of this job, as a sample at the tap found them."""
    return [name for name, value in evidence.plumbing.items() if any(limit.analyte == name and limit.broken_by(value) for limit in limits_of(facts))]


def _corrosion(facts: Facts, evidence: Evidence, found: dict[str, Need]) -> dict[str, Need]:
    """Where a metal of the pipe is over its limit the water eats metal, at any pH: its raise pH and alkalinity and keep them steady."""
    metals, row = metals_over(facts, evidence), table("stages")["house"]
    if not metals or (facts.wishes.no_power and facts.wishes.no_chemicals and evidence.adverse.ph >= row["held_ph"]):
        return {}
    why = f"the water dissolves {' and '.join(analytes()[name].said for name in metals)} from pipe and fittings: raise pH and alkalinity and keep them steady"
    water, needs_ = evidence.adverse, dict[str, Need]()
    low, high = (
        float(row["held_ph_peak"]),
        found["ph"].high if "ph" in found else max((limit.high for limit in limits_of(facts) if limit.analyte == "ph"), default=None),
    )
    if water.ph < row["held_ph"]:
        needs_["ph"] = Need("ph", why, low, high, water.ph, "pH", False, source("safety.corrosion"), eased=_by_calcite())
    if water.value("alkalinity") < row["held_alkalinity"] and "alkalinity" in evidence.stated:
        idle = float(table("stages")["neutralizer"]["idle_ph"])
        most = CALCITE_HELD if water.ph < idle else ""  # as far as calcite raises it, which stops by itself
        needs_["alkalinity"] = Need(
            "alkalinity",
            why,
            float(row["held_alkalinity"]),
            None,
            water.value("alkalinity"),
            "mg/L CaCO3",
            False,
            source("safety.corrosion"),
            mark=most,
        )
    return needs_


def _not_soured(facts: Facts, evidence: Evidence, measured: set[str]) -> Need | None:
    """Water within the limits of pH stays so: iron and manganese that are oxidised eat its alkalinity, a membrane makes it acid.

    None where nobody measured what it has of both, and where high purity is wished.
    """
    low = max((limit.low for limit in limits_of(facts) if limit.analyte == "ph" and limit.low is not None), default=None)
    if low is None or facts.wishes.high_purity or not {"ph", "alkalinity"} <= measured or evidence.adverse.ph < low:
        return None
    why = "what the train takes of its alkalinity must not make it acid"
    return Need("ph", why, low, None, evidence.adverse.ph, "pH", False, source("safety.corrosion"), standing=True, borne=_barely())


def _sodium(facts: Facts, evidence: Evidence, broken: Need | None) -> Need | None:
    """What is asked of sodium where a diet or the standard bounds it: the drinking tap counts, and what the train adds counts, too."""
    water, row = evidence.adverse, table("stages")["house"]
    raw, measured = water.value("sodium"), "sodium" in evidence.stated
    high = min((limit.high for limit in limits_of(facts) if limit.analyte == "sodium"), default=float("inf"))
    likely = raw + (SODIUM_PER_HARDNESS * water.hardness if facts.wishes.soft_water and facts.schools.hardness == "exchange" else 0.0)
    why = "sodium the train adds counts against the limit"
    if facts.wishes.low_sodium and facts.wishes.safe_to_drink is not False:
        high, why = min(high, float(row["sodium_diet"])), "a low-sodium diet is required"
    elif broken is not None or likely <= high:
        return broken
    high = high if measured else max(high, raw * 1.05)  # what was only computed to balance the water asks for nothing
    return Need("sodium", why, None, high, raw, "mg/L", False, source("softener.sodium_diet"), tap="may", standing=raw <= high)


def _hardness(facts: Facts, water: Water, notes: list[Assumption]) -> Need | None:
    """What is asked of hardness by the wishes and the school; wished softness counts what the train adds, too."""
    wished, threshold, school = facts.wishes.soft_water, soften_above(facts), facts.schools.hardness
    above = water.hardness > threshold
    if wished is None:
        wished = school == "exchange" and not facts.wishes.no_salt
        if above:
            notes.append(Assumption("$.wishes.soft_water", str(wished).lower(), "not given; this water is above the softening threshold"))

    def need(why: str, **more: Any) -> Need:
        return Need("hardness", why, None, threshold, water.hardness, "mg/L CaCO3", False, source("limits.comfort"), **more)

    drain = facts.site.drain
    without = "salt" if facts.wishes.no_salt else "power" if facts.wishes.no_power else "a drain" if drain and drain.kind == "none" else ""
    if wished and above and without and school != "none":
        return need(f"soft water is required; without {without} scale is kept from sticking instead", mark=SCALE_GUARD)
    if wished and above and school in ("scale_control", "citrate"):
        return need("soft water is required; by the job's method scale is kept from sticking instead", mark=SCALE_GUARD)
    if wished and above:
        return need("soft water is required")
    if school in ("scale_control", "citrate") and above:
        return need("scale control is required", mark=SCALE_GUARD)
    if wished and school == "exchange" and not without:
        return need("soft water is required, and what the train adds counts", standing=True)
    return None


def _why(limit: Limit) -> str:
    if limit.analyte in MICROBES:
        return "must be absent from drinking water"
    if not _set_of(limit):
        return f"outside {limit.source}"
    return f"outside the {_kind(limit)} limit ({table('limits')[_set_of(limit)]['title']})"


def _kind(limit: Limit) -> str:
    return "health" if limit.health else "aesthetic"


def _set_of(limit: Limit) -> str:
    for name in table("limits"):
        if source(f"limits.{name}") == limit.source:
            return name
    return ""
