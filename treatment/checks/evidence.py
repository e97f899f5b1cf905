"""Is the water test good enough to design on?"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator
from itertools import groupby
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.water import ARSENITE, CA_TO_HARDNESS, MG_TO_HARDNESS
from ..evidence.gather import charges, sum_of_ions
from ..evidence.samples import RAW_POINTS, sample_values
from ..evidence.symptoms import causes
from ..house.needs import soften_above
from ..job.facts import SampleFacts
from ..language.analytes import analytes
from ..language.tables import Rows, table
from ..train.treatment import StageRun


@rule("microbes-untested", "test water", "safety.evidence")
def microbes_untested(audit: Audit) -> Iterator[Hit]:
    """A private source without a microbe test."""
    if audit.facts.source.kind != "town" and not any(audit.evidence.measured(name) for name in ("total_coliform", "e_coli")):
        yield Hit(
            "caution",
            "Total coliform and E. coli were not tested: nobody knows whether this water is safe.",
            "Test before the design is settled, and after any flood or repair.",
        )
        return
    methods = {s.method for s in audit.facts.samples for name in ("total_coliform", "e_coli") if name in s.readings}
    absent = not audit.microbes_found
    if audit.facts.source.kind != "town" and methods and methods <= {"strip", "field"}:
        said = "absent" if absent else "present"
        yield Hit("caution", f"Microbes were tested with a home vial only ({said}): a hint, not a laboratory result.",
                  "Have a certified laboratory test total coliform and E. coli before the design is settled.")  # fmt: skip


@rule("test-missing/<analyte>", "test", "safety.evidence")
def test_missing(audit: Audit) -> Iterator[Hit]:
    """A value the design stands on was not measured, only assumed."""
    for name in ("ph", "hardness", "alkalinity"):
        if audit.evidence.states[name].origin == "assumed":
            row = analytes()[name]
            yield Hit("caution", f"{row.name} was not measured; {audit.show(audit.evidence.states[name].design, row.shown_unit)} is assumed.",
                      f"Measure {row.said} before anything is bought.", (name,))  # fmt: skip
    town = audit.facts.source.kind == "town"
    if town and not any(audit.evidence.measured(name) for name in ("free_chlorine", "total_chlorine")):
        yield Hit("caution", "Chlorine was not measured in this public supply. Carbon, resin and membrane depend on whether it contains free chlorine or chloramine.",
                  "Measure free and total chlorine at the tap, on site, or ask the supplier.", ("total_chlorine",))  # fmt: skip
    if "iron" not in audit.evidence.states and not town:
        yield Hit("caution", "Iron was not measured; the design is based on none.", "Measure iron and manganese together.", ("iron",))
    by_oxygen = [stage for stage in audit.run.stages if stage.sizing.params.get("medium") == "coated_oxygen"]
    if by_oxygen and by_oxygen[0].water_in.get("dissolved_oxygen") is None:
        yield Hit("caution", f"The {by_oxygen[0].said} needs oxygen in the water, and dissolved oxygen was not measured.",
                  f"Measure it on site: at least {100 * audit.duty.rows['coated_oxygen']['oxygen_share']:.0f}% of the iron is needed.", ("dissolved_oxygen",))  # fmt: skip


@rule("unit-ambiguous", "test", "safety.evidence")
def unit_ambiguous(audit: Audit) -> Iterator[Hit]:
    """A reading whose unit could mean two things, and how it was read."""
    for note in audit.evidence.assumptions:
        if "does not say as what" in note.why:
            yield Hit("caution", f"{note.why}.", "Check the report and enter the unit with its basis, for example “mg/L as N”.")


@rule("iron-form-unknown", "test", "safety.evidence")
def iron_form_unknown(audit: Audit) -> Iterator[Hit]:
    """Total iron is known, but not whether it is dissolved or rust."""
    measured = audit.evidence.measured
    if measured("iron") and audit.run.raw.iron > DOUBTS["iron_matters"] and not measured("ferrous_iron") and not measured("ferric_iron"):
        yield Hit("advice", f"Iron is {audit.show(audit.run.raw.iron, 'mg/L')}, but the test does not say whether it is dissolved or rust. Each needs a different treatment.",
                  "Let a glass stand for 30 minutes: water that turns from clear to orange contains dissolved iron; water that is orange at once contains rust.")  # fmt: skip


@rule("arsenic-form-unknown", "test water", "evidence.arsenic_form")
def arsenic_form_unknown(audit: Audit) -> Iterator[Hit]:
    """Arsenic over its limit, and nobody knows in which form: trivalent, it passes membranes and media until it is oxidised."""
    limit = audit.limit("arsenic")
    arsenic = audit.run.raw.value("arsenic")
    if limit is None or arsenic <= limit or (audit.evidence.measured("free_chlorine") and audit.run.raw.value("free_chlorine") > 0):
        return
    reduced = audit.run.raw.value(ARSENITE) > 0
    if not reduced and audit.evidence.measured("dissolved_oxygen"):
        return
    why = "with ferrous iron or sulfide, or without oxygen, it is mostly trivalent" if reduced else "dissolved oxygen was not measured"
    still = audit.run.finished.value(ARSENITE) > 0
    says = "; nothing in this train oxidizes it, so neither membrane nor media is credited" if reduced and still else ""
    yield Hit("caution", f"Arsenic is {audit.show(arsenic, 'mg/L trace')} and its form is not known: {why}{says}.",
              "Ask the laboratory for arsenic III and V, and measure dissolved oxygen on site. Oxidize it first with chlorine or permanganate (air "
              "does not), and consult a specialist.")  # fmt: skip


DOUBTS = Rows("assumed", "doubts")
#: sources that change with the weather, as a sentence begins with them
SOURCES = {"dug_well": "The water of a dug well", "spring": "Spring water", "surface": "Surface water", "rain": "Rainwater"}
MEASURED_FOR_BALANCE = ("hardness", "alkalinity", "sodium", "chloride", "sulfate")


@rule("sample-stale", "test", "evidence.stale")
def sample_stale(audit: Audit) -> Iterator[Hit]:
    """The newest raw sample is old, or something happened to the source since."""
    today, raw = audit.facts.as_of, [s for s in audit.facts.samples if s.point in RAW_POINTS]
    dated = [sample for sample in raw if sample.taken_on is not None]
    if today and dated:
        age = (today - max(sample.taken_on for sample in dated if sample.taken_on)).days
        if age > DOUBTS["stale_days"]:
            yield Hit("caution", f"The newest raw sample is {age // 30} months old.", "Repeat the test before anything is bought.")
        microbes = [s.taken_on for s in dated if s.taken_on and any(name in s.readings for name in ("total_coliform", "e_coli"))]
        if microbes and DOUBTS["microbe_days"] < (today - max(microbes)).days <= DOUBTS["stale_days"]:
            yield Hit(
                "caution",
                f"The microbe test is {(today - max(microbes)).days // 30} months old.",
                "Repeat the microbe test: it is valid for six months at most.",
            )
        aged = _aged(audit, dated)
        if age <= DOUBTS["stale_days"] and aged:
            names = ", ".join(analytes()[name].said for name in aged)
            oldest = max((today - day).days for day in aged.values()) // 30
            yield Hit("caution", f"The design is based on readings up to {oldest} months old beside newer ones: {names}.",
                      "Repeat these with the next test: the values of a water change together.")  # fmt: skip
    event = audit.facts.source.last_event
    if event in ("flood", "repair") and any(audit.evidence.measured(name) for name in ("total_coliform", "e_coli")) and not audit.microbes_found:
        yield Hit(
            "caution",
            f"There was a {event} at the source; a microbe test from before it no longer counts.",
            "Test for coliform and E. coli again.",
        )


def _aged(audit: Audit, dated: list[SampleFacts]) -> dict[str, dt.date]:
    """Analytes the design stands on whose newest reading is older than a full test may be, with its day."""
    newest: dict[str, dt.date] = {}
    for sample in dated:
        for name in sample.readings:
            if sample.taken_on and name in audit.evidence.stated and not analytes()[name].is_microbe:
                newest[name] = max(newest.get(name, sample.taken_on), sample.taken_on)
    today = audit.facts.as_of
    used = (
        {need.goal for need in audit.needs}
        | {limit.limit.reads for broken in audit.broken for limit in broken}
        | {"hardness", "iron", "ph", "alkalinity"}
    )
    return {name: day for name, day in newest.items() if today and name in used and (today - day).days > DOUBTS["stale_days"]}


@rule("sample-treated", "test", "evidence.treated")
def sample_treated(audit: Audit) -> Iterator[Hit]:
    """A treated or softened sample stands in for raw water."""
    if audit.evidence.treated_only and not (audit.facts.source.kind == "town" and all(sample.point == "tap" for sample in audit.facts.samples)):
        yield Hit("caution", "Every sample was taken at a tap or after a unit; none is raw.", "Take a raw sample before any treatment.")
        return
    m, state = audit.evidence.measured, audit.evidence.states
    if not (m("hardness") and m("alkalinity")) or audit.facts.source.kind in ("rain", "surface"):
        return
    soft, alkaline = state["hardness"].design < DOUBTS["soft"], state["alkalinity"].design > DOUBTS["alkaline"]
    salty = not m("sodium") or state["sodium"].design > DOUBTS["sodium_per_alkalinity"] * state["alkalinity"].design
    if soft and alkaline and salty:
        sodium = f", sodium {audit.show(state['sodium'].design, 'mg/L')}" if m("sodium") else ""
        yield Hit(
            "caution",
            f"Hardness is {audit.show(state['hardness'].design, 'mg/L CaCO3')} and alkalinity "
            f"{audit.show(state['alkalinity'].design, 'mg/L alkalinity')}{sodium}: the sample looks softened.",
            "Find out where it was drawn, and take a sample before the softener.",
        )


@rule("sample-single-season", "test", "evidence.season")
def sample_single_season(audit: Audit) -> Iterator[Hit]:
    """A source that changes with the weather, tested in one season only."""
    kind = audit.facts.source.kind
    if kind in ("dug_well", "spring", "surface", "rain"):
        seasons = {(sample.taken_on.month % 12) // 3 for sample in audit.facts.samples if sample.taken_on and sample.point in RAW_POINTS}
        if len(seasons) < 2:
            yield Hit(
                "caution", f"{SOURCES[kind]} changes with the weather, and it was tested in one season only.", "Test again after rain or snow-melt."
            )


@rule("ph-not-field", "test", "evidence.field_ph")
def ph_not_field(audit: Audit) -> Iterator[Hit]:
    """pH from a laboratory, where the treatment stands on it."""
    methods = {sample.method for sample in audit.facts.samples if "ph" in sample.readings}
    if methods and "field" not in methods and any("ph" in stage.room.answers and stage.room.bypassed for stage in audit.run.stages):
        yield Hit(
            "advice",
            f"pH {audit.run.raw.ph:.1f} was not measured on site; in the bottle it rises as carbon dioxide escapes.",
            "Measure pH at the wellhead. A change of 0.1 changes the calcite needed by a quarter.",
        )


@rule("strip-only", "test", "evidence.strip")
def strip_only(audit: Audit) -> Iterator[Hit]:
    """A strip's interval so wide that it decides whether something is treated."""
    marks = {need.goal for need in audit.needs}
    for name, state in audit.evidence.states.items():
        if not state.origin.endswith("strip)") or state.high is None or state.high <= state.low:
            continue
        limit = audit.limit(name)
        mark = soften_above(audit.facts) if name == "hardness" else limit
        if mark is not None and state.low <= mark < state.high and (name in marks or limit is not None):
            row = analytes()[name]
            yield Hit(
                "caution",
                f"{row.name} is between {audit.show(state.low, row.shown_unit)} and {audit.show(state.high, row.shown_unit)} by strip; the limit is "
                f"{audit.show(mark, row.shown_unit)}.",
                f"Have a laboratory test {row.said}.",
            )


def _whole(audit: Audit, asked: Iterable[str]) -> Iterator[tuple[str, dict[str, float]]]:
    """Each sample that tells all of some analytes, its values [canonical units], and its name where there are several.

    Seasons are several waters: each is judged by itself. Without a sample that tells all, what all samples tell together.
    """
    found = [sample_values(sample) for sample in audit.facts.samples if sample.point in (*RAW_POINTS, "tap")]
    whole = [(i, values) for i, values in enumerate(found) if set(asked) <= set(values)]
    for i, values in whole:
        day = audit.facts.samples[i].taken_on
        yield (f"Sample {i + 1}{f' of {day}' if day else ''}: " if len(found) > 1 else ""), values
    if not whole and len(found) > 1 and all(audit.evidence.measured(name) for name in asked):
        yield "All samples together: ", {name: state.design for name, state in audit.evidence.stated.items()}


@rule("ion-balance", "test", "evidence.balance")
def ion_balance(audit: Audit) -> Iterator[Hit]:
    """Cations and anions that do not balance: something was misread or not tested."""
    for name, values in _whole(audit, MEASURED_FOR_BALANCE):
        cations, anions = (sum(part for _, part in parts) for parts in charges(values))
        off = abs(cations - anions) / max(cations + anions, 1e-9)
        if off > DOUBTS["balance"]:
            yield Hit(
                "caution",
                f"{name}Cations {cations:.2f} and anions {anions:.2f} meq/L differ by {off:.0%}; up to {DOUBTS['balance'] * 100:.0f}% is acceptable.",
                "Check for a misread unit or an ion that was not tested, and repeat the test.",
            )
            return


@rule("tds-inconsistent", "test", "evidence.solids")
def tds_inconsistent(audit: Audit) -> Iterator[Hit]:
    """Dissolved solids that agree neither with the ions nor with conductivity."""
    m, states = audit.evidence.measured, audit.evidence.states
    if not m("tds"):
        return
    tds = states["tds"].design
    if m("conductivity"):
        ratio = tds / max(states["conductivity"].design, 1e-9)
        least, most = DOUBTS["tds_per_conductivity"]
        if not least <= ratio <= most:
            yield Hit(
                "caution", f"Dissolved solids are {ratio:.2f} of conductivity; {least} to {most} is usual.", "Check both readings and their units."
            )
    if all(m(name) for name in MEASURED_FOR_BALANCE):
        for name, values in _whole(audit, ("tds", *MEASURED_FOR_BALANCE)):
            own, total = values["tds"], sum_of_ions(values)
            if abs(own - total) > DOUBTS["solids"] * max(own, total):
                yield Hit(
                    "caution",
                    f"{name}Dissolved solids are {audit.show(own, 'mg/L')}, but the ions add up to {audit.show(total, 'mg/L')}.",
                    "Check for a misread unit or a missing ion.",
                )
                return


@rule("hardness-inconsistent", "test", "evidence.hardness")
def hardness_inconsistent(audit: Audit) -> Iterator[Hit]:
    """Hardness that is not what calcium and magnesium make, or is less than its iron counts for."""
    m, states = audit.evidence.measured, audit.evidence.stated
    iron_counts = DOUBTS["hardness_per_iron"]
    for name, values in _whole(audit, ("hardness", "calcium", "magnesium")):
        made = CA_TO_HARDNESS * values["calcium"] + MG_TO_HARDNESS * values["magnesium"]
        stated = values["hardness"]
        if abs(made - stated) > DOUBTS["hardness"] * max(made, stated, 1e-9) and abs(made - stated) > DOUBTS["hardness_mg_l"]:
            yield Hit(
                "caution",
                f"{name}Calcium and magnesium add up to {audit.show(made, 'mg/L CaCO3')}, but hardness reads {audit.show(stated, 'mg/L CaCO3')}.",
                "Check both on the report: one is misread, often “as CaCO₃” for “as Ca”.",
            )
            return
    if (
        not (m("calcium") and m("magnesium"))
        and m("hardness")
        and m("iron")
        and 0 < states["hardness"].design < iron_counts * states["iron"].design
        and states["iron"].design > DOUBTS["iron_of_little"]
    ):
        yield Hit(
            "caution",
            f"Hardness of {audit.show(states['hardness'].design, 'mg/L CaCO3')} is less than its iron alone accounts for; such water is rare.",
            "Test hardness again, on raw water.",
        )


@rule("carbonate-inconsistent", "test", "evidence.carbonate")
def carbonate_inconsistent(audit: Audit) -> Iterator[Hit]:
    """Free carbon dioxide that pH and alkalinity do not allow."""
    m, states = audit.evidence.measured, audit.evidence.states
    if m("carbon_dioxide") and m("ph") and m("alkalinity"):
        read, follows = states["carbon_dioxide"].design, audit.run.raw.carbon_dioxide
        if max(read, follows) > DOUBTS["co2_times"] * min(read, follows) + DOUBTS["co2_mg_l"]:
            yield Hit(
                "caution",
                f"Free carbon dioxide reads {audit.show(read, 'mg/L')}; pH and alkalinity give {audit.show(follows, 'mg/L')}.",
                "Measure pH and carbon dioxide on site, right after drawing the sample.",
            )
    if m("ph") and m("alkalinity") and states["ph"].design > DOUBTS["alkaline_ph"] and states["alkalinity"].design < DOUBTS["thin"]:
        yield Hit(
            "caution",
            f"pH {states['ph'].design:.1f} with almost no alkalinity is rarely natural water.",
            "Find out whether the sample was treated, and measure both again.",
        )


@rule("reading-implausible", "test", "evidence.plausible")
def reading_implausible(audit: Audit) -> Iterator[Hit]:
    """A reading far outside what natural waters show: often a unit or a decimal."""
    for name, state in audit.evidence.states.items():
        row = analytes()[name]
        low, high = row.plausible
        worst = state.high if state.high is not None else state.low
        if audit.evidence.measured(name) and (worst > high or state.low < low):
            value = worst if worst > high else state.low
            yield Hit(
                "caution",
                f"{row.name} {audit.show(value, row.shown_unit)} is outside what natural water shows "
                f"({audit.show(low, row.shown_unit)} to {audit.show(high, row.shown_unit)}).",
                "Check the unit and the decimal point on the report.",
            )


@rule("observation-untested/<observation>", "test", "evidence.symptoms")
def observation_untested(audit: Audit) -> Iterator[Hit]:
    """What is seen or smelt points to something that nobody tested, so that the design does not stand on it."""
    for seen, found in groupby(causes(audit.facts.observations, audit.evidence), key=lambda cause: cause.observation):
        behind = list(found)
        if any(cause.standing == "likely" for cause in behind):
            continue
        open_ = [cause for cause in behind if cause.standing == "possible" and cause.test and cause.test not in audit.evidence.taps]
        if open_:
            names = " or ".join(dict.fromkeys(analytes()[cause.test].said for cause in open_))
            yield Hit(
                "advice", f"“{behind[0].said}” was reported, but its possible causes were not tested.", f"Test {names}. {open_[0].tell}", (seen,)
            )


def _hardens(audit: Audit) -> StageRun[Any] | None:
    """The stage that makes the water hard enough to leave a crust; None where none does, or something after it takes that out."""
    made = [stage for stage in audit.run.stages if stage.water_out.hardness > stage.water_in.hardness + DOUBTS["crust"]]
    return made[-1] if made and audit.run.finished.hardness > DOUBTS["crust"] else None


@rule("crust-made/<kind>", "train water", "neutralizer.low_flow")
def crust_made(audit: Audit) -> Iterator[Hit]:
    """White crust is seen, and it is the train's own hardness: a bed that dissolves made it."""
    stage = _hardens(audit)
    if "white_crust" not in audit.facts.observations or stage is None:
        return
    before, after = (audit.show(water.hardness, "mg/L CaCO3") for water in (stage.water_in, stage.water_out))
    yield Hit("caution", f"White crust was reported: the {stage.said} raises hardness from {before} to {after}, and nothing after it removes that.",
              "Fit a softener after it, sized for the water that leaves the bed, or accept the crust with a reason.", (stage.kind,), stage=stage.id)  # fmt: skip


@rule("observation-conflict", "test", "evidence.symptoms")
def observation_conflict(audit: Audit) -> Iterator[Hit]:
    """What is seen or smelt contradicts the test."""
    for seen in audit.facts.observations:
        conflict = table("symptoms").get(seen, {}).get("conflict")
        if not conflict or not audit.evidence.measured(conflict["analyte"]):
            continue
        if conflict["analyte"] == "hardness" and _hardens(audit) is not None:
            continue  # a bed that dissolves makes the water hard
        state, row = audit.evidence.states[conflict["analyte"]], analytes()[conflict["analyte"]]
        worst = state.high if state.high is not None else state.low
        if ("below" in conflict and worst < conflict["below"]) or ("above" in conflict and state.low > conflict["above"]):
            yield Hit(
                "caution",
                f"{conflict['says'][0].upper()}{conflict['says'][1:]} ({audit.show(worst, row.shown_unit)}).",
                f"Repeat the test of {row.said} on raw water, where it was noticed.",
            )
