"""Are the stages the right size, washed, and scheduled; does each have a purpose?"""

from __future__ import annotations

from collections.abc import Iterator

from ..audit import Audit, clock, without
from ..needs import MICROBES, soften_above
from ..rules import Hit, rule
from ..train import StageRun


@rule("unneeded/<kind>", "safety.short", on="*")
def unneeded(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A stage without which this water and these wishes would be served as well."""
    if stage.room.serves or stage.kind in ("sediment", "uv", "barrier_filter") or without(audit, stage):
        return
    if stage.kind == "chemical_feed" and any(other.kind == "retention_tank" for other in audit.run.stages) and audit.microbes_present:
        return
    if stage.kind == "scale_control" and stage.water_in.hardness > soften_above(audit.facts):
        return
    if stage.kind == "carbon" and wanted_taste(audit, stage):
        return
    if stage.kind == "reverse_osmosis" and (audit.facts.wishes.high_purity or audit.facts.wishes.low_sodium):
        return
    if stage.kind == "neutralizer" and stage.water_in.value("open_to_air") > 0 and stage.water_in.value("alkalinity") < 20:
        return  # after a membrane or on rain: soft water eats metal
    yield Hit("caution", f"{stage.name} has no purpose for this water and these wishes: every need and feed limit is met without it.",
              "Leave it out: each stage costs pressure, space and upkeep.", (stage.kind,))  # fmt: skip


def wanted_taste(audit: Audit, stage: StageRun) -> bool:
    """Whether there is chlorine, smell or a membrane that a carbon filter is good for."""
    chlorine = max(stage.water_in.value("free_chlorine"), stage.water_in.value("total_chlorine")) > 0.1
    return chlorine or bool({"bleach_smell", "rotten_egg_cold"} & set(audit.facts.observations))


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


@rule("service-flow/<kind>", "beds.media", on="*")
def service_flow(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """More flow than the stage serves: a short peak above the steady rate, or more than its peak."""
    if "service_flow_limit" not in stage.sizing.figures or stage.kind == "uv":
        return
    flow = audit.duty.drinking if stage.at_tap else audit.duty.flow
    steady = stage.sizing.figures["service_flow_limit"].value
    peak = stage.room.peak(stage.keys, stage.sizing)
    if flow > peak * 1.001:
        yield Hit("fault", f"{audit.show(flow, 'L/min')} at design flow; the {stage.said} passes at most {audit.show(peak, 'L/min')} even for a short peak.",
                  "A larger unit, or two in parallel.", (stage.kind,))  # fmt: skip
    elif flow > steady * 1.001:
        yield Hit("caution", f"{audit.show(flow, 'L/min')} at design flow is above the steady {audit.show(steady, 'L/min')} of the {stage.said}: at such peaks {stage.room.peak_effect}.",
                  "Accept it for short peaks, or fit a larger unit or two in parallel.", (stage.kind,))  # fmt: skip


@rule("backwash-unmet/<kind>", "beds.backwash_pressure", on="*")
def backwash_unmet(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The source cannot give the flow that lifts the bed: it packs and plugs."""
    needed = stage.sizing.figures.get("backwash_flow")
    if any(other.kind == "booster_pump" for other in audit.run.stages[: stage.index]):
        return  # the pump in the train washes it, from the tank before it
    if needed and needed.value > audit.duty.wash * 1.001:
        yield Hit("fault", f"The {stage.said} needs {audit.show(needed.value, 'L/min')} to backwash; the source gives {audit.show(audit.duty.wash, 'L/min')}.",
                  "Smaller vessels in parallel, washed one at a time, an up-flow unit, or a bigger pump.", (stage.kind,))  # fmt: skip


@rule("bed-shallow", "beds.media", on="*")
def bed_shallow(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A bed so shallow that water finds ways round it."""
    bed = stage.sizing.bed
    if bed and bed.depth < bed.medium.min_bed * 0.97:
        yield Hit("caution", f"The bed is {audit.show(bed.depth * 1000, 'mm')} deep; {audit.show(bed.medium.min_bed * 1000, 'mm')} is the least for {bed.medium.name.lower()}.",
                  "More medium, or a narrower vessel.")  # fmt: skip


@rule("freeboard-short", "beds.freeboard", on="*")
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


@rule("regeneration-awake", "safety.schedule", on="*")
def regeneration_awake(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A unit regenerates while people use water, which then passes it untreated."""
    hour = stage.keys.hour
    if hour is not None and 5 <= hour < 23 and not getattr(stage.keys, "twin", False):
        yield Hit(
            "caution",
            f"It regenerates at {clock(hour)}, in hours of use: untreated water passes meanwhile.",
            "Set it between 00:00 and 05:00, or fit twin vessels.",
        )
