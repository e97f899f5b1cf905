"""How the train is built in: bypasses, drains, room, frost.

What a job does not say is unknown: it is asked for elsewhere, never accused here.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..house.pipes import INCH
from ..job.facts import OBSTRUCTION_WORDS
from ..language.tables import table
from ..train.drains import air_gap_wanted, bore_wanted, drain_of, drain_rule
from ..train.treatment import StageRun


def _marks() -> dict[str, float]:
    found: dict[str, float] = table("stages")["install"]
    return found


@rule("no-bypass/<kind>", "place train", "install.bypass", on="*")
def no_bypass(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A unit that cannot be taken out of the line without shutting the water."""
    if stage.room.bypassed and stage.keys.install and stage.keys.install.bypass is False:
        yield Hit("caution", f"The {stage.said} has no bypass: servicing it shuts off the whole house.",
                  "Fit a three-valve bypass, or the control valve's own.", (stage.kind,))  # fmt: skip


@rule("barrier-bypass", "place train", "install.bypass", on="*")
def barrier_bypass(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """An open way round an element that holds microbes."""
    if stage.disinfects and stage.room.way != "uv" and stage.keys.install and stage.keys.install.open_way_round:
        yield Hit(
            "danger" if audit.microbes_present else "fault",
            f"The bypass around the {stage.said} is not locked: if it is opened, untreated water reaches the taps.",
            "Lock or tag it shut. Disinfect the pipe after every use.",
        )


@rule("unprotected-outlet", "place", "install.outlet", on="*")
def unprotected_outlet(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """Electrical equipment near water on an outlet that does not trip."""
    install = stage.keys.install
    own = install.outlet if install else None
    bad = own == "unprotected" or (own is None and audit.facts.site.outlet_protected is False and stage.room.wants_outlet)
    if bad and stage.powered:
        yield Hit(
            "danger",
            f"The {stage.said} is near water on an outlet without GFCI/RCD protection.",
            "Have a licensed electrician fit a protected outlet before it is plugged in.",
        )


@rule("drain-missing", "place train", "install.drain", on="*")
def drain_missing(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A unit that washes itself, and nowhere for the water to go."""
    drain = audit.facts.site.drain
    own = stage.keys.install.drain if stage.keys.install else None
    if stage.drains and own is None and drain is not None and drain.kind == "none":
        yield Hit(
            "fault",
            f"The {stage.said} sends water to drain, and the site has none.",
            "Install a drain, or use units that need none: up-flow beds or cartridges.",
        )


@rule("drain-air-gap", "place", "install.drain", on="*")
def drain_air_gap(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A drain line that could suck sewage back."""
    drain = drain_of(audit.facts, stage.keys)
    if drain is None or drain.air_gap is None or not stage.drains:
        return
    needed = air_gap_wanted(drain.bore).value
    if drain.air_gap < needed - 1e-4:
        yield Hit(
            "fault",
            f"The {stage.said} drain line ends {audit.show(drain.air_gap * 1000, 'mm')} above the receptor; "
            f"it needs an air gap of {audit.show(needed * 1000, 'mm')}, or sewage can be siphoned back.",
            f"Fasten the line so that it ends at least {audit.show(2 * INCH * 1000, 'mm')} and two pipe diameters above the rim.",
        )


@rule("drain-bore", "place", "install.drain", on="*")
def drain_bore(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A drain line too thin for the backwash."""
    drain = drain_of(audit.facts, stage.keys)
    if drain is None or drain.bore is None or not stage.regenerates:
        return
    wash = stage.wash_flow
    losses, wanted = bore_wanted(drain, wash, stage.water_in.temperature, float(audit.duty.rows["house"]["residual_kpa"]))
    needed, by_losses, by_rule = wanted.value, losses.value, drain_rule(drain.distance or 0.0)
    if drain.bore < needed - 1e-4:
        carries = f" to carry {audit.show(wash, 'L/min')}" if by_losses > by_rule else ""
        far = f" over {audit.show(drain.distance, 'm')}" if drain.distance else ""
        yield Hit(
            "fault",
            f"The drain line of the {stage.said} is {audit.show(drain.bore * 1000, 'mm')}{far}; {audit.show(needed * 1000, 'mm')} is needed{carries}.",
            "Use the next larger bore.",
        )


@rule("drain-lift", "place", "install.drain", on="*")
def drain_lift(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A drain line that climbs too high."""
    drain, row = drain_of(audit.facts, stage.keys), _marks()
    if drain is not None and drain.lift is not None and stage.regenerates and drain.lift > row["drain_lift_m"] + 1e-3:
        yield Hit("fault", f"The drain line of the {stage.said} rises {audit.show(drain.lift, 'm')}; the limit is "
                           f"{audit.show(row['drain_lift_m'], 'm')}, and only with {audit.show(float(audit.duty.rows['house']['residual_kpa']), 'kPa')}.",
                  "Drain at a lower level, or into a sump with its own pump.")  # fmt: skip


@rule("overflow-high", "place train", "install.overflow", on=("softener", "anion_exchange"))
def overflow_high(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A brine-tank overflow that would have to run uphill."""
    overflow = stage.keys.install.overflow if stage.keys.install else None
    if overflow is not None and overflow.lift is not None and overflow.lift > -_marks()["overflow_drop_m"] + 1e-4:
        yield Hit(
            "caution",
            f"The brine-tank overflow drains {audit.show(abs(overflow.lift) * 1000, 'mm')} {'above' if overflow.lift > 0 else 'below'} "
            "its fitting, but it runs by gravity alone.",
            f"Lead it to a drain {audit.show(_marks()['overflow_drop_m'] * 1000, 'mm')} or more below the fitting, never into the pressurized drain line.",
        )


@rule("blocks/<obstruction>", "place train", "install.room", on="*")
def blocks(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A unit stands in front of something that must stay reachable."""
    for name in stage.keys.install.blocks if stage.keys.install else ():
        severity = "danger" if name == "electrical_panel" else "fault"
        yield Hit(
            severity,
            f"The {stage.said} is in front of the {OBSTRUCTION_WORDS[name]}.",
            "Move it: panel, heater, meter and shut-off must stay accessible.",
            (name,),
        )


@rule("clearance/<kind>", "place train", "install.room", on="*")
def clearance(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """Too little room to work on a unit, to drop its sump, or to lift its lid."""
    install, row = stage.keys.install, _marks()
    if install is None:
        return
    if install.clearance_front is not None and install.clearance_front < row["front_m"] - 1e-3:
        yield Hit(
            "caution",
            f"{audit.show(install.clearance_front * 1000, 'mm')} of clear space in front of the {stage.said}; {audit.show(row['front_m'] * 1000, 'mm')} is needed to work on it.",
            "Move it, or what is in front of it.",
            (stage.kind,),
        )
    lift = 0.0 if stage.room.pulled(stage.sizing) > 0 else stage.room.lifted(stage.keys, stage.sizing) / 1000  # a lamp: uv-clearance
    if lift and install.clearance_above is not None and install.clearance_above < lift - 1e-3:
        yield Hit(
            "caution",
            f"{audit.show(install.clearance_above * 1000, 'mm')} of clear space above the {stage.said}; {audit.show(lift * 1000, 'mm')} is needed to lift its elements out.",
            "Mount it lower, or move it.",
            (stage.kind,),
        )
    housing = stage.sizing.params.get("housing")
    if housing and install.clearance_below is not None and install.clearance_below < row["sump_below_m"] - 1e-3:
        yield Hit(
            "caution",
            f"{audit.show(install.clearance_below * 1000, 'mm')} of clear space below the housing; {audit.show(row['sump_below_m'] * 1000, 'mm')} is needed to lower the sump.",
            "Mount it higher.",
            (stage.kind,),
        )


@rule("orientation/<kind>", "place train", "install.upright", on="*")
def orientation(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A tank with loose medium in it that does not stand upright: water finds a way past the medium."""
    lies = stage.keys.install.orientation if stage.keys.install else None
    if lies in ("horizontal", "upside_down") and (stage.sizing.bed is not None or stage.room.upright(stage.keys)):
        how = "is lying down" if lies == "horizontal" else "is upside down"
        yield Hit(
            "fault",
            f"The {stage.said} {how}: its media falls to one side, and water flows past it.",
            "Set it upright, on its base or bracket.",
            (stage.kind,),
        )


@rule("headroom", "place", "install.room", on="*")
def headroom(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A vessel stands under the ceiling, but nothing can be filled in or lifted off above it."""
    if stage.sizing.bed is None:
        return
    ceiling, given = audit.facts.site.ceiling, stage.keys.install.clearance_above if stage.keys.install else None
    top, wanted = (stage.body[1] + stage.body[2]) / 1000, float(table("vessels")["headroom_in"]) * INCH
    room = given if given is not None else None if ceiling is None else ceiling - top
    if room is not None and -1e-6 <= room < wanted - 5e-3:
        yield Hit(
            "caution",
            f"{audit.show(room * 1000, 'mm')} of clear space above the {stage.said}; {audit.show(wanted * 1000, 'mm')} is needed to fill it and to lift off its control valve.",
            "Use a shorter vessel, two in parallel, or another room.",
        )


@rule("does-not-fit", "place", "install.room")
def does_not_fit(audit: Audit) -> Iterator[Hit]:
    """The train is wider than the wall, or a vessel taller than the room."""
    site, stages = audit.facts.site, [stage for stage in audit.run.stages if not stage.at_tap]
    bodies = [(stage, stage.body) for stage in stages]
    if site.ceiling is not None:
        for stage, (_, height, foot) in bodies:
            if (height + foot) / 1000 > site.ceiling:
                yield Hit(
                    "fault",
                    f"The {stage.said} is {audit.show(height + foot, 'mm')} high; the ceiling is at {audit.show(site.ceiling * 1000, 'mm')}.",
                    "Use shorter vessels, or another room."
                    if stage.sizing.bed
                    else "Mount it horizontally, with room to pull the lamp sideways."
                    if stage.room.pulled(stage.sizing) > 0
                    else "Mount it lower, use smaller units, or another room.",
                    stage=stage.id,
                )
    if site.wall_width is not None and bodies:
        width = audit.piping.taken
        if width / 1000 > site.wall_width + 1e-3:
            yield Hit(
                "fault",
                f"As drawn, the units need {audit.show(width / 1000, 'm')} of wall; it is {audit.show(site.wall_width, 'm')} wide.",
                "Move the brine tank to the side, use two walls, or use fewer units.",
            )


@rule("frost", "place", "install.frost")
def frost(audit: Audit) -> Iterator[Hit]:
    """The train stands where water freezes."""
    site = audit.facts.site
    if audit.run.stages and (site.frost_free is False or (site.indoor is False and site.frost_free is None)):
        yield Hit(
            "fault" if site.frost_free is False else "caution",
            "The train is installed where it can freeze: vessels, housings and sleeves would burst.",
            "Move it indoors, or heat and insulate the room.",
        )


@rule("sunlight", "place", "install.frost")
def sunlight(audit: Audit) -> Iterator[Hit]:
    """The train stands in the sun."""
    if audit.run.stages and audit.facts.site.in_sun:
        yield Hit("caution", "The train is in the sun: plastic ages, algae grow in clear housings, and the water warms.", "Shade it, or move it.")


@rule("bore-shrunk", "place", "hydraulics.velocity")
def bore_shrunk(audit: Audit) -> Iterator[Hit]:
    """Crimped fittings narrow the pipe at every joint, at a flow that feels it."""
    pipe, row = audit.facts.supply.pipe, audit.duty.rows["house"]
    if pipe is None or pipe.material != "pex_crimp" or pipe.size is None:
        return
    speed = audit.duty.supply.pipe.velocity(audit.duty.flow)
    if speed > _marks()["crimp_flow_share"] * row["velocity_max"]:
        yield Hit(
            "advice",
            f"{audit.show(speed, 'm/s')} in crimped pipe: the insert fittings are narrower still, and each adds pressure drop.",
            "Use expansion fittings, or the next larger pipe.",
        )


@rule("no-sample-tap", "place train", "install.taps", on="*")
def no_sample_tap(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """No tap to test whether a unit works."""
    if stage.room.bypassed and stage.keys.install and stage.keys.install.sample_taps is False:
        yield Hit(
            "advice", f"There are no sample taps before and after the {stage.said}: nobody can check whether it works.", "Fit one on each side."
        )
