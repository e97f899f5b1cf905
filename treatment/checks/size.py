"""Are the stages the right size, washed, and scheduled; does each have a purpose?"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..audit.audit import Audit, clock, without
from ..audit.rules import Hit, rule
from ..house.hydraulics import GPM
from ..train.treatment import StageRun
from ..treatments.sediment import blinds, solids


@rule("unneeded/<kind>", "train", "safety.short", on="*", tries=True)
def unneeded(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A stage without which this water and these wishes would be served as well."""
    room = stage.room
    open_ = {need.goal for need in audit.needs if not need.met_by(audit.run.finished, audit.run.tap)}
    if open_ & set(room.answers):
        return  # what it is there for is not met yet: that is said, not that it has no purpose
    if room.serves or room.guards or room.purposeful(stage, audit.run, audit.duty, audit.microbes_present) or without(audit, stage):
        return
    if any(other.kind == stage.kind and not without(audit, other) for other in audit.run.later(stage)):
        return  # of two that do the same the later one is one too many
    yield Hit("caution", f"{stage.name} is not needed for this water and these preferences: every need and feed limit is met without it.",
              "Remove it: each stage costs pressure, space and upkeep.", (stage.kind,))  # fmt: skip


@rule("service-flow/<kind>", "train", "beds.media", on="*")
def service_flow(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """More flow than the stage serves: more than its peak, or a peak above a steady rate that one large use (5 gpm) already exceeds."""
    steady = stage.room.steady(stage.sizing)
    if steady is None:
        return
    flow = stage.duty.drinking if stage.at_tap else stage.duty.flow
    peak = stage.room.peak(stage.keys, stage.sizing)
    if flow > peak * 1.001:
        yield Hit("fault", f"Design flow is {audit.show(flow, 'L/min')}; the {stage.said} carries at most {audit.show(peak, 'L/min')}, even for a short peak.",
                  "Use a larger unit, or two in parallel.", (stage.kind,))  # fmt: skip
    elif flow > steady * 1.001 and (stage.sizing.bed is None or steady < audit.duty.rows["storage"]["largest_use_gpm"] * GPM * 0.995):
        yield Hit(
            "caution",
            f"Design flow is {audit.show(flow, 'L/min')}; the {stage.said}'s continuous service flow is {audit.show(steady, 'L/min')}. "
            f"At peak flow {stage.room.at_peak(stage)}.",
            "Accept it for short peaks, or fit a larger unit or two in parallel.",
            (stage.kind,),
        )


@rule("backwash-unmet/<kind>", "supply train", "beds.backwash_pressure", on="*")
def backwash_unmet(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """The source cannot give the flow that lifts the bed: it packs and plugs."""
    needed = stage.wash_flow
    pumped = any(other.room.pumps for other in audit.run.earlier(stage))  # it washes from the tank before it
    if not stage.duty.gives_wash(needed) and not pumped:
        yield Hit("fault", f"The {stage.said} needs {audit.show(needed, 'L/min')} to backwash, but only {audit.show(stage.duty.wash, 'L/min')} "
                           f"is available: the bed will pack and clog.",
                  "Use smaller vessels in parallel, backwashed one at a time, or an up-flow unit, or a larger pump.", (stage.kind,))  # fmt: skip


@rule("bed-shallow", "train", "beds.media", on="*")
def bed_shallow(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A bed so shallow that water finds ways round it."""
    bed = stage.sizing.bed
    if bed and bed.depth < bed.medium.min_bed * 0.97:
        yield Hit("caution", f"The bed is {audit.show(bed.depth * 1000, 'mm')} deep; {bed.medium.name.lower()} needs at least {audit.show(bed.medium.min_bed * 1000, 'mm')}.",
                  "Use more media, or a narrower vessel.")  # fmt: skip


@rule("freeboard-short", "train", "beds.freeboard", on="*")
def freeboard_short(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """Too little room above the bed to expand: backwash carries medium away."""
    bed = stage.sizing.bed
    if bed and bed.freeboard < bed.medium.freeboard - 0.03:
        severity = "fault" if bed.freeboard < 0.15 else "caution"
        yield Hit(
            severity,
            f"Freeboard is {max(bed.freeboard, 0.0):.0%} of the bed's depth; {bed.medium.freeboard:.0%} is needed for it to expand in backwash.",
            "Use less media, or a taller vessel.",
        )


@rule("wish-broken/<wish>", "train", "safety.wishes", on="*")
def wish_broken(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A stage needs what is wished to be done without."""
    wishes = audit.facts.wishes
    for broken, wish, words in (
        (wishes.no_power and stage.powered, "no_power", "power"),
        (wishes.no_salt and stage.room.uses_salt, "no_salt", "salt"),
        (wishes.no_chemicals and (stage.room.uses_chemical or stage.sizing.params.get("medium") == "greensand"), "no_chemicals", "a chemical"),
    ):
        if broken and not stage.at_tap:
            yield Hit(
                "fault",
                f"The {stage.said} needs {words}, and this job's preferences exclude it.",
                "Use a treatment that needs none, or change the preference.",
                (wish,),
            )


@rule("filter-blind", "train", "beds.upflow", on="*")
def filter_blind(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """An up-flow bed, which nothing washes, where rust or dirt arrives: it blinds."""
    bed, rows = stage.sizing.bed, audit.duty.rows
    if bed is None or stage.regenerates:
        return
    if blinds(stage.water_in, stage.duty):
        dirt, rust = solids(stage.water_in, stage.duty), stage.water_in.value("ferric_iron")
        what = f"{audit.show(rust, 'mg/L')} of rust" if rust > rows["softener"]["ferric_max"] else f"{audit.show(dirt, 'mg/L')} of solids"
        yield Hit("fault", f"{what} reach the {stage.said}, which is not backwashed: it will clog.",
                  "Fit a filter before it, or use a bed that is backwashed.")  # fmt: skip


@rule("regeneration-clash", "train", "safety.schedule")
def regeneration_clash(audit: Audit) -> Iterator[Hit]:
    """Two units whose washing overlaps."""
    taken: list[StageRun[Any]] = []
    for stage in audit.run.stages:
        hour = stage.keys.hour
        if hour is None or not stage.regenerates:
            continue
        for other in taken:
            later, first = (stage, other) if _after(other.keys.hour, hour) <= _after(hour, other.keys.hour) else (other, stage)
            overlap = first.busy_minutes - _after(first.keys.hour, later.keys.hour) * 60
            if overlap > 1e-6:
                both = f"both regenerate at {clock(hour)}" if hour == other.keys.hour else f"overlap by {overlap:.0f} min"
                yield Hit(
                    "fault", f"{other.name} and {stage.said} {both}: the pump cannot backwash both.", "Set them two hours apart.", stage=stage.id
                )
                break
        taken.append(stage)


def _after(one: float, other: float) -> float:
    """Hours from one time of day to another."""
    return (other - one) % 24


@rule("regeneration-awake", "train", "safety.schedule", on="*")
def regeneration_awake(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A unit regenerates while people use water, which then passes it untreated."""
    hour, busy, twin = stage.keys.hour, audit.duty.busy_hours, stage.sizing.params.get("twin")  # none: it is not made as a twin
    quiet = audit.duty.rows["schedule"]
    if audit.duty.round_the_clock and stage.regenerates and twin is False:
        yield Hit("caution", "Water is used around the clock: at any regeneration time, untreated water passes while it regenerates.",
                  "Fit twin vessels, one in service while the other regenerates.")  # fmt: skip
        return
    if hour is not None and int(hour) in busy and not twin:
        yield Hit("caution", f"It regenerates at {clock(hour)}, when this house uses water: untreated water passes during that time.",
                  "Set a regeneration time at which no water is used, or fit twin vessels.")  # fmt: skip
        return
    if hour is not None and not busy and quiet["quiet_to"] <= hour < quiet["quiet_from"] and not twin:
        yield Hit(
            "caution",
            f"It regenerates at {clock(hour)}, in hours of use: untreated water passes during that time.",
            f"Set it between 00:00 and {clock(quiet['quiet_to'])}, or fit twin vessels.",
        )
