"""The second pair of eyes: reads any train and says what is wrong with it, with the numbers.

Rules that belong to one treatment stand in its room; here stand those about the whole job. Rules are listed
in ``docs/rules.md``, written from the registry.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from .analytes import analytes
from .display import show
from .duty import Duty
from .evidence import Evidence
from .figure import source
from .job import Facts
from .limits import Limit, limits
from .needs import MICROBES, Need
from .rules import RULES, SEVERITIES, Finding, Hit, findings_of, rule
from .stages import FeedLimit, Room
from .tables import table
from .train import PressureLine, Runner, StageRun, TrainRun
from .water import Water

REFERRED = ("arsenic", "uranium", "radon", "methane", "pfas", "voc", "pesticides", "atrazine", "simazine", "trihalomethanes")


class Audit:
    """A train under audit: everything a rule may look at."""

    def __init__(self, facts: Facts, duty: Duty, evidence: Evidence, needs: list[Need], run: TrainRun, pressure: PressureLine, runner: Runner):
        self.facts, self.duty, self.evidence, self.needs = facts, duty, evidence, needs
        self.run, self.pressure, self.runner = run, pressure, runner
        self.limits: tuple[Limit, ...] = limits(facts.job.standard)

    def show(self, value: float, unit: str) -> str:
        """A value as this job's people read it."""
        return show(value, unit, self.facts.job.units)

    def limit(self, analyte: str) -> float | None:
        """The strictest ceiling of this job's standard for an analyte, in its canonical unit."""
        highs = [limit.high for limit in self.limits if limit.analyte == analyte]
        return min(highs) if highs else None

    def before(self, stage: StageRun) -> StageRun | None:
        return self.run.stages[stage.index - 1] if stage.index else None

    def after(self, stage: StageRun) -> StageRun | None:
        return self.run.stages[stage.index + 1] if stage.index + 1 < len(self.run.stages) else None

    @cached_property
    def microbes_present(self) -> bool:
        return any(self.run.raw.value(name) > 0 for name in MICROBES)

    def uv_flow(self, stage: StageRun) -> float:
        """The flow [L/min] a lamp has to treat."""
        return min(stage.keys.restrictor or self.duty.passable, self.duty.passable)

    def findings(self) -> list[Finding]:
        """Every finding, gravest first, then in the order of the train."""
        found: list[Finding] = []
        for known in RULES:
            if not known.kinds:
                found += findings_of(known, self, None)
                continue
            for stage in self.run.stages:
                if stage.kind in known.kinds or known.kinds == ("*",):
                    found += findings_of(known, self, stage)
        place = {stage.id: stage.index for stage in self.run.stages}
        return sorted(found, key=lambda finding: (SEVERITIES.index(finding.severity), place.get(finding.stage, -1), finding.rule))


@dataclass(frozen=True, slots=True)
class Breach:
    """A feed limit that the water arriving at a stage breaks."""

    limit: FeedLimit
    value: float

    def asked(self, system: str) -> str:
        """What the stage takes, in words."""
        unit = analytes()[self.limit.reads].shown_unit
        return f"at most {show(self.limit.high, unit, system)}" if self.limit.high is not None else f"at least {show(self.limit.low, unit, system)}"


def breaches(room: Room, keys: Any, water: Water, duty: Duty) -> list[Breach]:
    """Feed limits of a treatment that a water breaks; of several on one analyte the gravest."""
    worst: dict[str, Breach] = {}
    for limit in room.feed_limits(keys, water, duty):
        value = water.get(limit.reads)
        if value is not None and limit.broken_by(value):
            known = worst.get(limit.analyte)
            if known is None or SEVERITIES.index(limit.severity) < SEVERITIES.index(known.limit.severity):
                worst[limit.analyte] = Breach(limit, value)
    return list(worst.values())


def feed_breaches(stage: StageRun, duty: Duty) -> list[Breach]:
    """Feed limits that the water arriving at a stage of a train breaks."""
    return breaches(stage.room, stage.keys, stage.water_in, duty)


@rule("feed-limit/<kind>/<analyte>", "safety.evidence", on="*")
def feed_limit(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The water that reaches a stage is not what it needs."""
    for breach in feed_breaches(stage, audit.duty):
        limit, row = breach.limit, analytes()[breach.limit.reads]
        if row.is_microbe:
            message = f"{row.name} reaches the {stage.said}, which cannot bear it: {limit.because}."
        else:
            asked = breach.asked(audit.facts.job.units)
            message = f"{row.name} {audit.show(breach.value, row.shown_unit)} reaches the {stage.said}, which takes {asked}: {limit.because}."
        remedy = f"Treat {row.said} before this stage, or move the stage after the one that does."
        yield Hit(limit.severity, message, remedy, (stage.kind, limit.analyte), source=limit.source)


@rule("hot-feed/<kind>", "safety.temperature", on="*")
def hot_feed(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A stage fed with hot water."""
    if stage.keys.install and stage.keys.install.feed == "hot":
        yield Hit(
            "fault",
            f"{stage.name} is fed with hot water; vessels, media and lamps are for cold water.",
            "Move it upstream of the water heater.",
            (stage.kind,),
        )


@rule("unmet/<analyte>", "safety.evidence")
def unmet(audit: Audit) -> Iterator[Hit]:
    """A comfort need that the finished water does not meet."""
    for need in audit.needs:
        if not need.health and not need.met_by(audit.run.finished):
            value, row = audit.run.finished.value(need.goal), analytes()[need.goal]
            bound = need.high if need.high is not None and value > need.high else need.low
            yield Hit("caution", f"{row.name} leaves the train at {audit.show(value, need.unit)}; {audit.show(bound or 0.0, need.unit)} is the mark.",
                      "Add or enlarge the treatment for it, or accept it knowingly.", (need.goal,), source=need.source)  # fmt: skip


@rule("health/<analyte>", "safety.evidence")
def health(audit: Audit) -> Iterator[Hit]:
    """A health limit that the finished water does not meet."""
    for need in audit.needs:
        if need.health and need.goal not in MICROBES and not need.met_by(audit.run.finished):
            value, row = audit.run.finished.value(need.goal), analytes()[need.goal]
            yield Hit("danger", f"{row.name} leaves the train at {audit.show(value, need.unit)}, above the health limit of {audit.show(need.high or 0.0, need.unit)}.",
                      "Do not drink it untreated; treat it at the drinking tap or refer to a specialist, and retest.", (need.goal,), source=need.source)  # fmt: skip


@rule("microbes-untreated", "safety.boil")
def microbes_untreated(audit: Audit) -> Iterator[Hit]:
    """Microbes were found and reach the tap."""
    left = [analytes()[name].name for name in MICROBES if audit.run.finished.value(name) > 0]
    if left and audit.facts.wishes.safe_to_drink is not False:
        yield Hit(
            "danger",
            f"{', '.join(left)} in the raw water, and nothing in this train makes it harmless.",
            "Add disinfection at the end of the train; boil drinking water meanwhile.",
        )


@rule("boil-water", "safety.boil")
def boil_water(audit: Audit) -> Iterator[Hit]:
    """Microbes were found: the notice stands until the treated water is retested."""
    if audit.microbes_present:
        found = ", ".join(analytes()[name].name for name in MICROBES if audit.run.raw.value(name) > 0)
        yield Hit("danger", f"{found} found in the water. Boil water for drinking, cooking and teeth.",
                  "Until the treatment runs, its pipes are disinfected, and a retest is clear. Find and mend how microbes get in.")  # fmt: skip


@rule("nitrate-infants", "safety.nitrate")
def nitrate_infants(audit: Audit) -> Iterator[Hit]:
    """Nitrate above the limit: a danger to infants, and boiling makes it worse."""
    for name in ("nitrate", "nitrite"):
        value, limit = audit.run.raw.value(name), audit.limit(name)
        if limit is not None and value > limit:
            yield Hit("danger", f"{analytes()[name].name} {audit.show(value, 'mg/L N')} is above {audit.show(limit, 'mg/L N')}.",
                      "Give no infant under six months this water, nor formula made with it. Never boil it for this: boiling concentrates it.")  # fmt: skip


@rule("gas-hazard", "safety.gas")
def gas_hazard(audit: Audit) -> Iterator[Hit]:
    """A dissolved gas that is dangerous in a closed room."""
    for name, level in table("stages")["hazards"].items():
        value, row = audit.run.raw.value(name), analytes()[name]
        if value >= level:
            yield Hit("danger", f"{row.name} {audit.show(value, row.shown_unit)}: the gas leaves the water and gathers in closed rooms.",
                      "Ventilate, keep flames away, and have a licensed contractor design vented aeration.")  # fmt: skip


@rule("refer/<analyte>", "safety.refer")
def refer(audit: Audit) -> Iterator[Hit]:
    """Something beyond what is sized here."""
    for need in audit.needs:
        if need.goal in REFERRED:
            row = analytes()[need.goal]
            yield Hit("danger" if need.health else "caution", f"{row.name} {audit.show(need.value, need.unit)} is beyond what this tool sizes.",
                      "Refer it to a specialist and the local authority; use other water for drinking until then.", (need.goal,))  # fmt: skip


@rule("lead-plumbing", "safety.lead")
def lead_plumbing(audit: Audit) -> Iterator[Hit]:
    """Aggressive water in metal pipe, with no lead or copper test."""
    pipe = audit.facts.supply.pipe
    metal = bool(pipe and pipe.material == "copper") or "blue_green_stains" in audit.facts.observations
    if metal and audit.run.raw.ph < 6.5 and not (audit.evidence.measured("lead") and audit.evidence.measured("copper")):
        yield Hit("caution", f"Water of pH {audit.run.raw.ph:.1f} stands in metal pipe, and lead and copper were not both tested.",
                  "Take a first-draw sample after a night's standing for lead and copper; flush taps before drinking until then.")  # fmt: skip


@rule("iron-bacteria-first", "safety.iron_bacteria")
def iron_bacteria_first(audit: Audit) -> Iterator[Hit]:
    """Iron bacteria with no disinfection ahead of the beds."""
    if audit.run.raw.value("iron_bacteria") > 0 and audit.run.stages and audit.run.stages[0].kind != "chemical_feed":
        yield Hit("fault", "Iron bacteria were found, and nothing disinfects the water before the beds: slime fouls them.",
                  "Shock-chlorinate the well and feed chlorine with contact time first; beds come after.")  # fmt: skip


@rule("microbes-untested", "safety.evidence")
def microbes_untested(audit: Audit) -> Iterator[Hit]:
    """A private source without a microbe test."""
    if audit.facts.source.kind != "town" and not any(audit.evidence.measured(name) for name in ("total_coliform", "e_coli")):
        yield Hit(
            "caution",
            "No test for total coliform or E. coli: nobody knows whether this water is safe.",
            "Test before design is settled, and after any flood or repair.",
        )


@rule("test-missing/<analyte>", "safety.evidence")
def test_missing(audit: Audit) -> Iterator[Hit]:
    """A value the design stands on was not measured, only assumed."""
    for name in ("ph", "hardness", "alkalinity"):
        if audit.evidence.states[name].origin == "assumed":
            row = analytes()[name]
            yield Hit("caution", f"{row.name} was not measured; {audit.show(audit.evidence.states[name].design, row.shown_unit)} is assumed.",
                      f"Measure {row.said} before anything is bought.", (name,))  # fmt: skip
    if "iron" not in audit.evidence.states and audit.facts.source.kind != "town":
        yield Hit("caution", "Iron was not measured; the design stands on none.", "Measure iron and manganese together.", ("iron",))


@rule("unit-ambiguous", "safety.evidence")
def unit_ambiguous(audit: Audit) -> Iterator[Hit]:
    """A reading whose unit could mean two things, and how it was read."""
    for note in audit.evidence.assumptions:
        if "does not say as what" in note.why:
            yield Hit("caution", f"{note.why}.", "Look at the report and write the unit with its basis, e.g. “mg/L as N”.")


@rule("iron-form-unknown", "safety.evidence")
def iron_form_unknown(audit: Audit) -> Iterator[Hit]:
    """Total iron is known, but not whether it is dissolved or rust."""
    measured = audit.evidence.measured
    if measured("iron") and audit.run.raw.iron > 0.3 and not measured("ferrous_iron") and not measured("ferric_iron"):
        yield Hit("advice", f"Iron {audit.show(audit.run.raw.iron, 'mg/L')}: dissolved or rust is not known, and each asks for another treatment.",
                  "Stand a glass for 30 minutes: clear water that turns orange holds dissolved iron; orange at once is rust.")  # fmt: skip


@rule("unneeded/<kind>", "safety.short", on=("neutralizer", "oxidizing_filter", "softener"))
def unneeded(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A stage without which this water and these wishes would be served as well."""
    if without(audit, stage):
        return
    yield Hit("caution", f"{stage.name} has no purpose for this water and these wishes: every need and feed limit is met without it.",
              "Leave it out: each stage costs pressure, space and upkeep.", (stage.kind,))  # fmt: skip


def without(audit: Audit, stage: StageRun) -> list[str]:
    """What goes wrong when a stage is taken out: needs and feed limits that are then no longer met."""
    rest = [other for other in audit.run.stages if other.index != stage.index]
    here, trouble, wanted = stage.water_in, [], []
    broken_now = {(other.id, breach.limit.analyte) for other in audit.run.stages for breach in feed_breaches(other, audit.duty)}
    for other in rest[stage.index :]:
        _, out, _, _ = audit.runner.through(other.kind, other.keys, here)
        for breach in breaches(other.room, other.keys, here, audit.duty):
            if breach.limit.severity != "advice" and (other.id, breach.limit.analyte) not in broken_now:
                row = analytes()[breach.limit.reads]
                trouble.append(f"{row.said} would reach the {other.said} at {audit.show(breach.value, row.shown_unit)}")
        here = out
    for need in audit.needs:
        if need.met_by(audit.run.finished) and not need.met_by(here):
            wanted.append(f"{analytes()[need.goal].said} would stay at {audit.show(here.value(need.goal), need.unit)}")
    return wanted + trouble


@rule("unneeded/<kind>", "safety.short", on="sediment")
def unneeded_sediment(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A particle filter directly after one that is as fine or finer."""
    before = audit.before(stage)
    if before and before.kind == "sediment" and before.sizing.params["micron"] <= stage.sizing.params["micron"]:
        yield Hit(
            "caution",
            f"A {stage.sizing.params['micron']:g} µm filter directly after one of {before.sizing.params['micron']:g} µm holds nothing more.",
            "Leave it out.",
            ("sediment",),
        )


@rule("unneeded/<kind>", "safety.short", on="uv")
def unneeded_uv(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A lamp on a town supply in which no microbes were found."""
    tested = any(audit.evidence.measured(name) for name in MICROBES)
    if audit.facts.source.kind == "town" and tested and not audit.microbes_present:
        yield Hit(
            "caution",
            "A town supply, tested clear of microbes: the lamp has nothing to do.",
            "Leave it out, or keep it knowingly as a barrier.",
            ("uv",),
        )


@rule("service-flow/<kind>", "beds.media", on=("neutralizer", "oxidizing_filter", "softener", "sediment"))
def service_flow(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """More flow than the stage serves: a short peak above the steady rate, or more than its peak."""
    flow, steady = audit.duty.flow, stage.sizing.figures["service_flow_limit"].value
    bed = stage.sizing.bed
    peak = steady * 1.5 if bed is None else bed.peak_limit
    if bed is not None and stage.kind == "softener":
        peak = min(peak, stage.room.peak(bed))  # type: ignore[attr-defined]
    effects = {
        "neutralizer": "the pH dips",
        "oxidizing_filter": "iron leaks through",
        "softener": "hardness leaks through",
        "sediment": "pressure falls",
    }
    if flow > peak * 1.001:
        yield Hit("fault", f"{audit.show(flow, 'L/min')} at design flow; the {stage.said} passes at most {audit.show(peak, 'L/min')} even for a short peak.",
                  "A larger unit, or two in parallel.", (stage.kind,))  # fmt: skip
    elif flow > steady * 1.001:
        yield Hit("caution", f"{audit.show(flow, 'L/min')} at design flow is above the steady {audit.show(steady, 'L/min')} of the {stage.said}: at such peaks {effects[stage.kind]}.",
                  "Accept it for short peaks, or fit a larger unit or two in parallel.", (stage.kind,))  # fmt: skip


@rule("backwash-unmet/<kind>", "beds.backwash_pressure", on=("neutralizer", "oxidizing_filter", "softener"))
def backwash_unmet(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The source cannot give the flow that lifts the bed: it packs and plugs."""
    needed = stage.sizing.figures.get("backwash_flow")
    if needed and needed.value > audit.duty.wash * 1.001:
        yield Hit("fault", f"The {stage.said} needs {audit.show(needed.value, 'L/min')} to backwash; the source gives {audit.show(audit.duty.wash, 'L/min')}.",
                  "Smaller vessels in parallel, washed one at a time, an up-flow unit, or a bigger pump.", (stage.kind,))  # fmt: skip


@rule("bed-shallow", "beds.media", on=("neutralizer", "oxidizing_filter", "softener"))
def bed_shallow(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A bed so shallow that water finds ways round it."""
    bed = stage.sizing.bed
    if bed and bed.depth < bed.medium.min_bed * 0.97:
        yield Hit("caution", f"The bed is {audit.show(bed.depth * 1000, 'mm')} deep; {audit.show(bed.medium.min_bed * 1000, 'mm')} is the least for {bed.medium.name.lower()}.",
                  "More medium, or a narrower vessel.")  # fmt: skip


@rule("freeboard-short", "beds.freeboard", on=("neutralizer", "oxidizing_filter", "softener"))
def freeboard_short(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Too little room above the bed to expand: backwash carries medium away."""
    bed = stage.sizing.bed
    if bed and bed.freeboard < bed.medium.freeboard - 0.03:
        severity = "fault" if bed.freeboard < 0.15 else "caution"
        yield Hit(
            severity,
            f"{max(bed.freeboard, 0.0):.0%} of freeboard above the bed; {bed.medium.freeboard:.0%} is needed to expand in backwash.",
            "Less medium, or a taller vessel.",
        )


@rule("regeneration-clash", "safety.schedule")
def regeneration_clash(audit: Audit) -> Iterator[Hit]:
    """Two units set to regenerate at the same hour."""
    taken: dict[float, StageRun] = {}
    for stage in audit.run.stages:
        if stage.keys.hour is None or not stage.regenerates:
            continue
        other = taken.setdefault(stage.keys.hour, stage)
        if other is not stage:
            yield Hit(
                "fault",
                f"{other.name} and {stage.said} both regenerate at {clock(stage.keys.hour)}: the pump cannot wash both.",
                "Set them two hours apart.",
                stage=stage.id,
            )


@rule("regeneration-awake", "safety.schedule", on=("neutralizer", "oxidizing_filter", "softener"))
def regeneration_awake(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A unit regenerates while people use water, which then passes it untreated."""
    hour = stage.keys.hour
    if hour is not None and 5 <= hour < 23 and not getattr(stage.keys, "twin", False):
        yield Hit(
            "caution",
            f"It regenerates at {clock(hour)}, in hours of use: untreated water passes meanwhile.",
            "Set it between 00:00 and 05:00, or fit twin vessels.",
        )


def clock(hour: float) -> str:
    """``02:00`` from hours after midnight."""
    return f"{int(hour):02d}:{round(hour % 1 * 60):02d}"


@rule("pressure-short", "hydraulics.residual")
def pressure_short(audit: Audit) -> Iterator[Hit]:
    """Too little pressure left at the highest tap."""
    row = table("stages")["house"]
    clean, dirty = audit.pressure.residual_clean.value, audit.pressure.residual_dirty.value
    least = audit.show(row["residual_kpa"], "kPa")
    if clean < row["residual_kpa"]:
        yield Hit("fault" if audit.facts.supply.pressure_low is not None else "caution", f"{audit.show(clean, 'kPa')} is left at the highest tap at {audit.show(audit.duty.flow, 'L/min')}, units clean; {least} is the least.",
                  "Larger housings or vessels, wider pipe, a higher switch setting, or a booster pump.")  # fmt: skip
    elif dirty < row["residual_kpa"]:
        yield Hit("caution", f"{audit.show(dirty, 'kPa')} is left at the highest tap once filters are dirty ({audit.show(clean, 'kPa')} clean); {least} is the least.",
                  "Change cartridges earlier than at the full pressure drop, or gain pressure elsewhere.")  # fmt: skip


@rule("pressure-high", "safety.pressure")
def pressure_high(audit: Audit) -> Iterator[Hit]:
    """More pressure than house or vessels bear, and no pressure-reducing valve."""
    row, supply = table("stages")["house"], audit.duty.supply
    if any(stage.kind == "pressure_reducing_valve" for stage in audit.run.stages):
        return
    most = max(supply.pressure_high, supply.night_pressure or 0.0)
    when = " at night" if supply.night_pressure and supply.night_pressure >= most else ""
    if most > row["vessel_max_kpa"]:
        yield Hit(
            "fault",
            f"{audit.show(most, 'kPa')}{when}; vessels and housings bear {audit.show(row['vessel_max_kpa'], 'kPa')}.",
            "Fit a pressure-reducing valve before the train.",
        )
    elif most > row["house_max_kpa"]:
        yield Hit(
            "caution",
            f"{audit.show(most, 'kPa')}{when}; houses are kept below {audit.show(row['house_max_kpa'], 'kPa')}.",
            "Fit a pressure-reducing valve before the train.",
        )


@rule("pressure-backwash", "beds.backwash_pressure")
def pressure_backwash(audit: Audit) -> Iterator[Hit]:
    """Too little pressure to work a backwashing valve."""
    row, low = table("stages")["house"], audit.duty.supply.pressure_low
    washed = [stage.said for stage in audit.run.stages if stage.regenerates]
    if washed and low < row["backwash_kpa"] * 0.995:
        severity = "fault" if low < row["residual_kpa"] else "caution"
        yield Hit(severity, f"The source falls to {audit.show(low, 'kPa')}; valves want {audit.show(row['backwash_kpa'], 'kPa')} to backwash ({', '.join(washed)}).",
                  "Raise the switch setting, or fit a booster pump.")  # fmt: skip


@rule("too-cold", "safety.temperature")
def too_cold(audit: Audit) -> Iterator[Hit]:
    """Water near freezing."""
    if audit.run.stages and audit.run.raw.temperature < table("stages")["house"]["coldest"] - 0.2:
        yield Hit(
            "fault",
            f"The water comes at {audit.show(audit.run.raw.temperature, 'degC')}; equipment is for {audit.show(table('stages')['house']['coldest'], 'degC')} and more.",
            "Keep pipe and room from freezing.",
        )


@rule("too-hot", "safety.temperature")
def too_hot(audit: Audit) -> Iterator[Hit]:
    """Water warmer than vessels and media bear."""
    hottest = max(audit.run.raw.temperature, audit.evidence.states["temperature"].high or 0.0)
    if audit.run.stages and hottest > table("stages")["house"]["hottest"] + 0.2:
        yield Hit(
            "fault",
            f"The water comes at {audit.show(hottest, 'degC')}; equipment bears {audit.show(table('stages')['house']['hottest'], 'degC')}.",
            "Treat cold water, upstream of the heater.",
        )


@rule("pipe-velocity", "hydraulics.velocity")
def pipe_velocity(audit: Audit) -> Iterator[Hit]:
    """Water runs too fast in the pipe: noise, wear, pressure lost."""
    row, pipe = table("stages")["house"], audit.duty.supply.pipe
    speed = pipe.velocity(audit.duty.flow)
    known = audit.facts.supply.pipe is not None and audit.facts.supply.pipe.size is not None
    if known and speed > row["velocity_max"] * 1.001:
        worse = f", above even the ceiling of {audit.show(row['velocity_ceiling'], 'm/s')}" if speed > row["velocity_ceiling"] else ""
        yield Hit(
            "caution",
            f"{audit.show(speed, 'm/s')} in {audit.show(pipe.nominal * 1000, 'mm')} pipe at {audit.show(audit.duty.flow, 'L/min')}; {audit.show(row['velocity_max'], 'm/s')} is the mark{worse}.",
            "Use the next larger pipe.",
        )


@rule("pressure-loss/<kind>", "hydraulics.ergun", on="*")
def pressure_loss(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """One unit alone takes more than 15 psi at design flow, clean."""
    most = table("stages")["softener"]["max_loss_psi"] * 6.894757
    if stage.loss_clean > most:
        yield Hit("caution", f"The {stage.said} takes {audit.show(stage.loss_clean, 'kPa')} at {audit.show(audit.duty.flow, 'L/min')}, clean; {audit.show(most, 'kPa')} is the mark.",
                  "A larger unit, or two in parallel.", (stage.kind,))  # fmt: skip


def rule_source(key: str) -> str:
    """The citation of a rule, for the handbook."""
    return source(key)
