"""Samples -> design water: what is known, what is assumed, and the two ends of what is uncertain."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from math import log10
from typing import Any

from ..chemistry.carbonate import CA, CL, FE, FLUORIDE, HCO3, MG, N_NITRATE, NA, SO4, K, alkalinity_beside
from ..chemistry.water import ARSENITE, CA_TO_HARDNESS, EQ, MG_TO_HARDNESS, UNSEEN, Water, balancing_ions, darkness, transmittance
from ..job.facts import Facts
from ..language.analytes import MICROBES, PFAS, Analyte, analytes
from ..language.display import show
from ..language.tables import Rows, table
from .samples import RAW_POINTS, AnalyteState, Assumption, at_taps, combine, standing_for_raw, stood_in_pipe, top_of

#: mg of dissolved solids for each mg/L (of CaCO3 for alkalinity: bicarbonate as dried; of N for nitrate)
ION_WEIGHTS = {
    "calcium": 1.0, "magnesium": 1.0, "sodium": 1.0, "potassium": 1.0, "chloride": 1.0, "sulfate": 1.0, "nitrate": 4.427, "silica": 1.0, "alkalinity": 0.6,
}  # fmt: skip
#: analyte, charge, molar mass [g/mol]
CATIONS = (("calcium", 2, CA), ("magnesium", 2, MG), ("sodium", 1, NA), ("potassium", 1, K), ("ferrous_iron", 2, FE))
ANIONS = (("chloride", 1, CL), ("sulfate", 2, SO4), ("nitrate", 1, N_NITRATE), ("fluoride", 1, FLUORIDE))
ASSUMED = Rows("assumed", "water")
#: origin of what a kind of source carries
BY_KIND = "the kind of source"

#: where a transmittance comes from that was read on a clearer day than the worst
ANOTHER_DAY = "computed from another day"


@dataclass(frozen=True, slots=True)
class Evidence:
    """The design water and how it was come by.

    adverse is the water the design stands on, favourable the other end of every uncertain reading; stated is what
    the samples alone say, before gaps were filled and contradictions settled; taps and stood what samples at the taps tell of pipe:
    metals that it gives, and those that lie in it.
    """

    states: dict[str, AnalyteState]
    adverse: Water
    favourable: Water
    assumptions: tuple[Assumption, ...]
    treated_only: bool
    stated: dict[str, AnalyteState]
    taps: dict[str, AnalyteState]
    stood: dict[str, AnalyteState]

    @property
    def carried(self) -> frozenset[str]:
        """Microbes that nobody found, but which this kind of source carries."""
        return frozenset(name for name, state in self.states.items() if state.origin == BY_KIND)

    @property
    def microbes_found(self) -> frozenset[str]:
        """Microbes that a sample found."""
        return frozenset(name for name in MICROBES if name in self.stated and self.stated[name].design > 0)

    @property
    def plumbing(self) -> dict[str, float]:
        """Metals that pipe and fittings give to the water at the tap, at their worst [mg/L]."""
        return {name: state.design for name, state in self.taps.items()}

    @property
    def only_assumed(self) -> dict[str, float]:
        """What of the design water is nothing but an assumption, at its design value."""
        return {name: state.design for name, state in self.states.items() if state.origin == "assumed"}

    @property
    def undetected(self) -> dict[str, float]:
        """What was looked for and not found, at the most that the test would have missed."""
        found = {name: state.design for name, state in self.stated.items() if state.undetected}
        return found | ({"ferrous_iron": found["iron"], "ferric_iron": found["iron"]} if "iron" in found else {})

    def measured(self, analyte: str) -> bool:
        """Whether a sample tells of this analyte."""
        return analyte in self.stated

    @property
    def ion_parts(self) -> tuple[list[tuple[str, float]], list[tuple[str, float]]]:
        """Each cation and each anion of the design water with its charge [meq/L]."""
        return charges(self.adverse.known())

    @property
    def ions(self) -> tuple[float, float]:
        """Cations and anions of the design water [meq/L]."""
        cations, anions = self.ion_parts
        return sum(value for _, value in cations), sum(value for _, value in anions)


def charges(values: Mapping[str, float]) -> tuple[list[tuple[str, float]], list[tuple[str, float]]]:
    """Each cation and each anion of a water with its charge [meq/L]; values: canonical units, by analyte."""
    cations = [(name, charge * values.get(name, 0.0) / mass) for name, charge, mass in CATIONS]
    anions = [("alkalinity", values.get("alkalinity", 0.0) / EQ * 1000)] + [
        (name, charge * values.get(name, 0.0) / mass) for name, charge, mass in ANIONS
    ]
    return cations, anions


def sum_of_ions(values: Mapping[str, float]) -> float:
    """Dissolved solids by adding up what was measured, bicarbonate as dried [mg/L]; values: canonical units, by analyte."""
    return sum(values[name] * weight for name, weight in ION_WEIGHTS.items() if name in values)


def gather(facts: Facts) -> Evidence:
    """The design water of a job: its samples on their design basis, gaps filled by stated assumptions."""
    notes: list[Assumption] = []
    states = combine(facts, notes)
    _from_absorbance(states)
    stated = dict(states)
    _sums(states, facts, notes)
    _wet_day(states, facts, notes)
    _fill(states, facts, notes)
    adverse = _with_arsenic(_water({name: state.design for name, state in states.items()}, states, 0), stated, facts)
    favourable = _with_arsenic(_water({name: _other_end(analytes()[name], state) for name, state in states.items()}, states, 1), stated, facts)
    return Evidence(
        states,
        adverse,
        favourable,
        tuple(notes),
        treated_only=bool(facts.samples) and not any(s.point in RAW_POINTS for s in facts.samples),
        stated=stated,
        taps=at_taps(facts),
        stood=stood_in_pipe(facts),
    )


def _from_absorbance(states: dict[str, AnalyteState]) -> None:
    """Transmittance of a centimeter [%] from an absorbance at 254 nm [1/m], where only this was measured: 100 × 10^(−absorbance ÷ 100)."""
    if "uvt" in states or "uv_absorbance" not in states:
        return
    state = states["uv_absorbance"]
    low, high, design = (transmittance(end / 100) for end in (state.design if state.high is None else state.high, state.low, state.design))
    states["uvt"] = AnalyteState(low, high, design, "%", f"UV absorbance, {state.origin}")


def _sums(states: dict[str, AnalyteState], facts: Facts, notes: list[Assumption]) -> None:
    """Sums of which only parts were measured, at the least they can be: PFAS of its substances, organic carbon of what is dissolved."""
    parts = [states[name] for name in PFAS if name in states]
    if parts and "pfas" not in states:
        low, design = map(sum, zip(*((s.low, 0.0 if s.undetected else s.design) for s in parts), strict=True))
        states["pfas"] = AnalyteState(low, max(low, design), design, "ng/L", "computed")
        notes.append(Assumption("$.design_water.pfas", show(design, "ng/L", facts.job.units), "the sum of the PFAS that were measured one by one"))
    if "doc" in states and "toc" not in states:
        states["toc"] = replace(states["doc"], origin="computed")
        why = "only the dissolved organic carbon was measured: the total is at least that"
        notes.append(Assumption("$.design_water.toc", show(states["toc"].design, "mg/L", facts.job.units), why))


def _water(values: dict[str, float], states: dict[str, AnalyteState], slope: int) -> Water:
    """The water of these values; transmittance that was not measured follows from what darkens it, all along the train."""
    kept = {name: value for name, value in values.items() if name not in ("hardness", "iron", "bicarbonate", "carbon_dioxide")}
    if states["uvt"].origin in ("computed", "assumed"):
        del kept["uvt"]
        kept[UNSEEN] = 0.0 if {"toc", "colour"} & set(states) else _unseen(slope)
    return Water(kept)


def _with_arsenic(water: Water, stated: dict[str, AnalyteState], facts: Facts) -> Water:
    """The water with the part of its arsenic that is trivalent: all of it without oxygen, or beside ferrous iron or sulfide."""
    if not water.value("arsenic"):
        return water
    little = "dissolved_oxygen" in stated and water.value("dissolved_oxygen") < ASSUMED["oxygen_little"]
    reduced = little or water.value("ferrous_iron") > ASSUMED["arsenic_iron"] or water.value("hydrogen_sulfide") > ASSUMED["arsenic_sulfide"]
    oxidised = max(water.value("free_chlorine"), water.value("total_chlorine")) > ASSUMED["chlorine_step"] or facts.source.kind in ("surface", "rain")
    return water.with_(**{ARSENITE: water.value("arsenic")}) if reduced and not oxidised else water


def _other_end(analyte: Analyte, state: AnalyteState) -> float:
    if state.design == state.low and state.high is not None:
        return state.high
    return state.low if analyte.adverse == "high" or state.design == state.high else state.design


def _fill(states: dict[str, AnalyteState], facts: Facts, notes: list[Assumption]) -> None:
    """Complete the water so that it can run: everything put in is listed."""

    def assume(name: str, value: float, why: str) -> None:
        unit = analytes()[name].unit
        states[name] = AnalyteState(value, value, value, unit, "assumed")
        notes.append(Assumption(f"$.design_water.{name}", show(value, analytes()[name].shown_unit, facts.job.units), why))

    def compute(name: str, low: float, high: float, design: float) -> None:
        states[name] = AnalyteState(low, high, design, analytes()[name].unit, "computed")

    given = facts.supply.temperature
    if "temperature" not in states:
        if given is not None or facts.supply.coldest is not None:
            coldest = facts.supply.coldest if facts.supply.coldest is not None else given
            warm = max(v for v in (given, facts.supply.coldest) if v is not None)
            assert coldest is not None
            states["temperature"] = AnalyteState(min(coldest, warm), warm, coldest, "degC", "supply")
        else:
            assume("temperature", ASSUMED["temperature"], "no water temperature was given; ground water of a temperate valley")
    if "ph" not in states:
        assume("ph", ASSUMED["ph"], "pH was not measured; neutral water assumed: measure it on site")
    _hardness(states, assume, compute, notes)
    _alkalinity(states, assume, notes)
    _iron(states, facts, compute, notes)
    for name in ("sulfate", "nitrate"):
        if name not in states:
            compute(name, 0.0, 0.0, 0.0)
    d = {name: state.design for name, state in states.items()}
    measured_na, measured_cl = d.get("sodium"), d.get("chloride")
    sodium, chloride = balancing_ions(
        d["calcium"], d["magnesium"], d["alkalinity"], d["sulfate"], d["nitrate"], measured_na, measured_cl, d.get("ferrous_iron", 0.0)
    )
    if measured_na is None:
        compute("sodium", sodium, sodium, sodium)
        notes.append(Assumption("$.design_water.sodium", show(sodium, "mg/L", facts.job.units), "not measured: calculated so that the ions balance"))
    if measured_cl is None:
        compute("chloride", chloride, chloride, chloride)
    if "tds" not in states:
        _solids(states, compute)
    if "uvt" not in states:
        _darkness(states, facts, notes)
    _by_kind(states, facts, notes)
    for name in ("sulfate", "nitrate"):
        if states[name].origin == "computed" and states[name].design == 0.0:
            states[name] = AnalyteState(0.0, 0.0, 0.0, states[name].unit, "assumed")


def _darkness(states: dict[str, AnalyteState], facts: Facts, notes: list[Assumption]) -> None:
    """Transmittance from what darkens the water, with its interval; where nothing of it is known, what is likely."""
    organic = any(name in states for name in ("toc", "colour"))
    dark = any(states[name].design > 0 for name in ("iron", "turbidity", "tannin") if name in states)
    likely, clearest, darkest = (
        transmittance(darkness({name: state.design for name, state in states.items()}, slope) + (0.0 if organic else _unseen(slope)))
        for slope in (0, 1, 2)
    )
    states["uvt"] = AnalyteState(darkest, clearest, likely, "%", "computed" if organic or dark else "assumed")
    known = "estimated from color, organic carbon, iron, turbidity and tannin" if organic else "neither color nor organic carbon is known"
    why = f"UV transmittance was not measured; {known}: {darkest:.0f} to {clearest:.0f}%, clearer after what removes these"
    notes.append(Assumption("$.design_water.uvt", show(likely, analytes()["uvt"].shown_unit, facts.job.units), why))


def _unseen(slope: int) -> float:
    """Absorbance of organic matter that was not measured [per cm]."""
    return float(-log10(table("assumed")["darkness"]["unknown"][slope] / 100))


def _by_kind(states: dict[str, AnalyteState], facts: Facts, notes: list[Assumption]) -> None:
    """Microbes that a kind of source carries, whatever one clear sample says; none where nobody drinks the water."""
    row, kind = table("assumed")["source"], facts.source.kind
    if kind is None or kind not in row["carries"] or facts.wishes.safe_to_drink is False:
        return
    for name in ("total_coliform", *(("protozoa",) if kind in row["cysts"] else ())):
        if name not in states or states[name].design == 0.0:
            states[name] = AnalyteState(1.0, 1.0, 1.0, analytes()[name].unit, BY_KIND)
            why = f"{row['carries'][kind]} must be treated as carrying microbes, even after one sample without bacteria"
            notes.append(Assumption(f"$.design_water.{name}", "present", why))


def _hardness(states: dict[str, AnalyteState], assume: Any, compute: Any, notes: list[Assumption]) -> None:
    """Hardness and its calcium and magnesium. Where all three were measured, total hardness governs the sum."""
    ca, mg = states.get("calcium"), states.get("magnesium")
    if "hardness" not in states:
        if ca and mg:
            ends = ((ca.low, mg.low), (ca.high or ca.low, mg.high or mg.low), (ca.design, mg.design))
            compute("hardness", *(CA_TO_HARDNESS * a + MG_TO_HARDNESS * b for a, b in ends))
            return
        assume("hardness", ASSUMED["hardness"], "hardness was not measured; an average value assumed: test it before buying a softener")
    total = states["hardness"]
    share = table("stages")["water"]["calcium_share"]
    if ca and mg:
        made = ca.design * CA_TO_HARDNESS + mg.design * MG_TO_HARDNESS
        share = ca.design * CA_TO_HARDNESS / made if made > 0 else share
    elif ca:
        share = min(ca.design * CA_TO_HARDNESS / max(total.design, 1e-9), 1.0)
    elif mg:
        share = max(1 - mg.design * MG_TO_HARDNESS / max(total.design, 1e-9), 0.0)
    else:
        notes.append(
            Assumption(
                "$.design_water.calcium", f"{share:.0%} of the hardness", "calcium and magnesium were not measured apart; usual split in ground water"
            )
        )
    high = total.high if total.high is not None else total.design
    for name, measured, factor in (("calcium", ca, share / CA_TO_HARDNESS), ("magnesium", mg, (1 - share) / MG_TO_HARDNESS)):
        compute(name, total.low * factor, high * factor, total.design * factor)
        if measured:
            states[name] = replace(states[name], origin=measured.origin)


def _wet_day(states: dict[str, AnalyteState], facts: Facts, notes: list[Assumption]) -> None:
    """A transmittance read on one day is none of a day on which more darkens the water: it is put right by what does."""
    if "uvt" not in states or facts.design_basis.get("uvt") is not None:
        return
    day = next((s for _, s in standing_for_raw(facts) if "uvt" in s.readings and s.readings["uvt"].low <= states["uvt"].design + 1e-9), None)
    if day is None:
        return
    dark = ("toc", "colour", "iron", "turbidity", "tannin")
    same = [s for _, s in standing_for_raw(facts) if s is day or (day.taken_on is not None and s.taken_on == day.taken_on)]
    own = {name: max(top_of(s.readings[name]) for s in same if name in s.readings) for name in dark if any(name in s.readings for s in same)}
    worst = {name: states[name].design for name in dark if name in states and states[name].origin != "assumed" and not states[name].undetected}
    state = states["uvt"]
    then = -log10(max(state.design, 1e-3) / 100)
    more = darkness({**own, **{name: value for name, value in worst.items() if name in own}}, 0) - darkness(own, 0)
    dated = {} if day.taken_on is None else {name: value for name, value in worst.items() if name not in own}
    darkest = max(then + more, darkness(dated, 0))  # what nobody looked for on that day darkens by itself
    if darkest <= then + ASSUMED["wet_day"]:
        return
    likely = transmittance(darkest)
    states["uvt"] = replace(state, low=min(state.low, likely), design=likely, origin=ANOTHER_DAY)
    why = "measured on a clearer day than the worst: corrected for what darkens the water then; measure it on such a day"
    notes.append(Assumption("$.design_water.uvt", show(likely, analytes()["uvt"].shown_unit, facts.job.units), why))


def _alkalinity(states: dict[str, AnalyteState], assume: Any, notes: list[Assumption]) -> None:
    acid = states["ph"].design < ASSUMED["acid_ph"]
    if "alkalinity" not in states:
        if "bicarbonate" in states:
            b = states["bicarbonate"]
            f = EQ / 1000 / HCO3
            states["alkalinity"] = AnalyteState(b.low * f, None if b.high is None else b.high * f, b.design * f, "mg/L CaCO3", "computed")
        else:
            hardness = states["hardness"].design
            least, most = ASSUMED["alkalinity_acid" if acid else "alkalinity"]
            value = min(max(hardness * (1.0 if acid else ASSUMED["alkalinity_per_hardness"]), float(least)), float(most))
            if acid:
                low, high = (alkalinity_beside(float(each), states["ph"].design, states["temperature"].design) for each in ASSUMED["carbon_dioxide"])
                value = min(max(value, low), high)
            assume("alkalinity", value, "alkalinity was not measured; estimated from hardness and pH: test it, the neutralizer is sized by it")
    state = states["alkalinity"]
    if acid and state.high is not None and state.high > state.low:
        states["alkalinity"] = AnalyteState(state.low, state.high, state.high, state.unit, state.origin)
        notes.append(
            Assumption(
                "$.design_water.alkalinity",
                f"{state.high:.4g} mg/L CaCO3",
                "in acid water the higher alkalinity is the worst case: it means more carbon dioxide to neutralize",
            )
        )


def _iron(states: dict[str, AnalyteState], facts: Facts, compute: Any, notes: list[Assumption]) -> None:
    total, ferrous, ferric = states.get("iron"), states.get("ferrous_iron"), states.get("ferric_iron")
    if total is None and ferrous is None and ferric is None:
        return
    if total is None:
        for name in ("ferrous_iron", "ferric_iron"):
            if name not in states:
                compute(name, 0.0, 0.0, 0.0)
        fe2, fe3 = states["ferrous_iron"], states["ferric_iron"]
        compute("iron", fe2.low + fe3.low, (fe2.high or fe2.low) + (fe3.high or fe3.low), fe2.design + fe3.design)
        return
    high = total.high if total.high is not None else total.design
    if ferrous is not None:
        share = min(ferrous.design / total.design, 1.0) if total.design else 1.0
    elif ferric is not None:
        share = max(1 - ferric.design / total.design, 0.0) if total.design else 1.0
    else:
        rusty = facts.source.kind in ("surface", "rain", "town") or "orange_at_once" in facts.observations
        share = 0.0 if rusty else 1.0
        notes.append(
            Assumption(
                "$.design_water.ferrous_iron",
                "all of the iron" if share else "none of the iron",
                "the form of the iron was not given: " + ("as rust from this source" if rusty else "as dissolved (ferrous) iron, usual in a well"),
            )
        )
    for name, part, given in (("ferrous_iron", share, ferrous), ("ferric_iron", 1 - share, ferric)):
        compute(name, total.low * part, high * part, total.design * part)
        if given is not None:
            states[name] = replace(states[name], origin=given.origin)


def _solids(states: dict[str, AnalyteState], compute: Any) -> None:
    if "conductivity" in states:
        c = states["conductivity"]
        likely, adverse = ASSUMED["tds_per_conductivity"]
        compute("tds", likely * c.low, adverse * (c.high or c.design), adverse * c.design)
        return
    total = sum(states[name].design * weight for name, weight in ION_WEIGHTS.items() if name in states)
    compute("tds", total, total, total)
