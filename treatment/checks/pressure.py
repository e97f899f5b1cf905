"""Pressure, temperature and pipe."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..house.hydraulics import GPM, PSI
from ..house.pipes import larger
from ..train.pressure import Losses, losses_at, pressure_along
from ..train.treatment import StageRun


@rule("hot-feed/<kind>", "train place", "safety.temperature", on="*")
def hot_feed(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A stage fed with hot water."""
    if stage.keys.install and stage.keys.install.feed == "hot":
        yield Hit(
            "fault",
            f"{stage.name} is fed with hot water, but vessels, media and lamps are rated for cold water.",
            "Move it upstream of the water heater.",
            (stage.kind,),
        )


@rule("pressure-short", "supply pressure train", "hydraulics.residual")
def pressure_short(audit: Audit) -> Iterator[Hit]:
    """Too little pressure left at the highest tap."""
    row = audit.duty.rows["house"]
    clean, dirty = audit.pressure.residual_clean.value, audit.pressure.residual_dirty.value
    least, flow = audit.show(row["residual_kpa"], "kPa"), audit.show(audit.duty.flow, "L/min")

    def left(kpa: float) -> str:
        return (
            f"the pressure at the highest tap is {audit.show(kpa, 'kPa')}"
            if kpa > 0
            else f"no pressure reaches the highest tap (short by {audit.show(-kpa, 'kPa')})"
        )

    if clean < row["residual_kpa"]:
        yield Hit("fault" if audit.facts.supply.pressure_low is not None else "caution", f"With clean filters {left(clean)} at {flow}; at least {least} is needed.",
                  "Use larger housings or vessels, wider pipe, a higher switch setting, or a booster pump.")  # fmt: skip
    elif dirty < row["residual_kpa"]:
        severity = "caution" if dirty < row["residual_kpa"] / 2 else "advice"
        yield Hit(severity, f"With dirty filters {left(dirty)}; it is {audit.show(clean, 'kPa')} when clean. At least {least} is needed.",
                  "Change cartridges before the full pressure drop, or gain pressure elsewhere.")  # fmt: skip


def surely_short(audit: Audit) -> bool:
    """Whether so little pressure is left that it is a fault even where the wall's own pipe takes none: told before a wall is drawn."""
    if audit.facts.supply.pressure_low is None:
        return False
    run, duty, none = audit.run, audit.duty, [0.0] * len(audit.run.stages)
    taken = Losses(duty.supply.pipe.loss(duty.flow, run.raw.temperature), [stage.loss_clean for stage in run.stages], none, none, 0.0)
    return pressure_along(run, duty, taken)[-1] < float(duty.rows["house"]["residual_kpa"])


@rule("pressure-high", "supply", "safety.pressure")
def pressure_high(audit: Audit) -> Iterator[Hit]:
    """More pressure than house or vessels bear, and no pressure-reducing valve; or units that stand before it."""
    row, supply = audit.duty.rows["house"], audit.duty.supply
    yield from _pumped_too_high(audit)
    most = max(supply.pressure_high, supply.night_pressure or 0.0)
    asked = row["night_asked_kpa"]
    if (
        audit.facts.source.kind == "town"
        and supply.night_pressure is None
        and asked <= supply.pressure_high <= row["house_max_kpa"]
        and not any(stage.room.reduces for stage in audit.run.stages)
    ):
        yield Hit("caution", f"{audit.show(supply.pressure_high, 'kPa')} by day on a public supply, and the night pressure was not measured: it is highest when no water is used.",
                  f"Leave a gauge on overnight; above {audit.show(row['house_max_kpa'], 'kPa')} fit a pressure-reducing valve first in line, set to {_set(audit)}.")  # fmt: skip
    when = " at night" if supply.night_pressure and supply.night_pressure >= most else ""
    broken = next((stage.index for stage in audit.run.stages if stage.room.stores), None)
    if broken is not None and not [stage for stage in audit.run.stages[:broken] if stage.sizing.bed or "housing" in stage.sizing.params]:
        return  # water falls into a tank first: what stands on the train is the pump's pressure
    valve = next((stage for stage in audit.run.stages if stage.room.reduces), None)
    if valve is not None:
        bear = [stage for stage in audit.run.earlier(valve) if not stage.room.pumps] if most > row["vessel_max_kpa"] else []
        for stage in bear:
            yield Hit(
                "fault",
                f"{audit.show(most, 'kPa')}{when} reaches the {stage.said} before the pressure-reducing valve; it is rated for {audit.show(row['vessel_max_kpa'], 'kPa')}.",
                "Move the pressure-reducing valve to the start of the train: it protects only what is installed after it.",
                stage=stage.id,
            )
        ahead = [stage for stage in audit.run.earlier(valve) if not (stage.room.pumps or stage.room.stores or stage.kind == valve.kind)]
        if ahead and not bear:
            yield Hit("caution", f"The {valve.said} is installed after the {ahead[0].said}: units before it get the full pressure{when}.",
                      "Move it to the start of the train.", stage=valve.id)  # fmt: skip
        yield from _set_too_high(audit, valve, most)
        return
    if most > row["vessel_max_kpa"]:
        yield Hit(
            "fault",
            f"The pressure is {audit.show(most, 'kPa')}{when}; vessels and housings are rated for {audit.show(row['vessel_max_kpa'], 'kPa')}.",
            "Fit a pressure-reducing valve before the train.",
        )
    elif most > row["house_max_kpa"]:
        yield Hit(
            "caution",
            f"The pressure is {audit.show(most, 'kPa')}{when}; in a house it should stay below {audit.show(row['house_max_kpa'], 'kPa')}.",
            "Fit a pressure-reducing valve before the train.",
        )


def _pumped_too_high(audit: Audit) -> Iterator[Hit]:
    """A booster pump set above what vessels or house bear, with nothing after it that reduces the pressure again."""
    row = audit.duty.rows["house"]
    for stage in audit.run.stages:
        held = float(stage.sizing.params.get("pressure", 0.0)) if stage.room.pumps else 0.0
        vessels, later = held > row["vessel_max_kpa"], audit.run.later(stage)
        if held <= row["house_max_kpa"] * 1.005 or stage.at_tap or any(other.room.reduces for other in later[: 1 if vessels else None]):
            continue
        what = "vessels and housings are rated for" if vessels else "in a house it should stay below"
        most = audit.show(row["vessel_max_kpa" if vessels else "house_max_kpa"], "kPa")
        yield Hit("fault" if vessels else "caution", f"The {stage.said} is set to {audit.show(held, 'kPa')}; {what} {most}.",
                  f"Set it to {audit.show(row['house_max_kpa'], 'kPa')} or less.", stage=stage.id)  # fmt: skip


def _set(audit: Audit) -> str:
    """What a reducing valve is set to, in words."""
    low, high = (audit.show(float(kpa), "kPa") for kpa in audit.duty.rows["house"]["valve_set_kpa"])
    return f"{low} to {high}"


def _set_too_high(audit: Audit, valve: StageRun[Any], most: float) -> Iterator[Hit]:
    """A reducing valve that lets through more than what follows it bears. most: the greatest pressure that comes [kPa]."""
    row, set_to = audit.duty.rows["house"], float(valve.sizing.params["set"])
    held = min(set_to, most)
    if held <= row["house_max_kpa"] * 1.005 < set_to:
        at, read = audit.show(set_to, "kPa"), audit.show(most, "kPa")
        yield Hit("caution", f"The {valve.said} is set to {at}: it reduces nothing at the {read} measured, and too little at higher pressure.",
                  f"Set it to {_set(audit)}.", stage=valve.id)  # fmt: skip
    elif held > row["vessel_max_kpa"]:
        yield Hit("fault", f"The {valve.said} is set to {audit.show(held, 'kPa')}; vessels and housings are rated for {audit.show(row['vessel_max_kpa'], 'kPa')}.",
                  f"Set it to {audit.show(row['house_max_kpa'], 'kPa')} or less.", stage=valve.id)  # fmt: skip
    elif held > row["house_max_kpa"] * 1.005:
        yield Hit("caution", f"The {valve.said} is set to {audit.show(held, 'kPa')}; in a house it should stay below {audit.show(row['house_max_kpa'], 'kPa')}.",
                  f"Set it to {audit.show(row['house_max_kpa'], 'kPa')} or less.", stage=valve.id)  # fmt: skip


@rule("pressure-backwash", "supply pressure train", "beds.backwash_pressure")
def pressure_backwash(audit: Audit) -> Iterator[Hit]:
    """Too little pressure to work a backwashing valve, at that valve: behind pipe, wall and clean units at the flow of its wash."""
    row, washed = audit.duty.rows["house"], dict[str, float]()
    for stage in audit.run.stages:
        if stage.regenerates and (at := _at_the_valve(audit, stage)) < row["backwash_kpa"] * 0.995:
            washed[stage.said] = at
    if washed:
        low = min(washed.values())
        severity = "fault" if low < row["residual_kpa"] else "caution"
        held = f"only {audit.show(low, 'kPa')} reaches" if low > 0 else "no pressure reaches"
        yield Hit(severity, f"At cut-in {held} the control valve during backwash; it needs {audit.show(row['backwash_kpa'], 'kPa')} ({', '.join(washed)}).",
                  "Raise the switch setting, fit a booster pump, or reduce the pressure drop with wider pipe or larger housings.")  # fmt: skip


def _at_the_valve(audit: Audit, stage: StageRun[Any]) -> float:
    """Pressure [kPa] that reaches a valve while it washes, units before it clean, taps shut; at rest where its flow is not known."""
    run, duty, wash = audit.run, audit.duty, stage.wash_flow
    pipe, cold = duty.supply.pipe, run.raw.temperature
    at_design_flow = audit.pressure.points[stage.index + 1].clean - audit.piping.before[stage.index].loss(pipe, duty.flow, cold)
    if 0 < wash <= duty.flow and at_design_flow >= duty.rows["house"]["backwash_kpa"]:
        return at_design_flow  # enough even where more flows
    ahead = [each.room.loss(each.keys, each.sizing, wash, cold)[0] if wash else 0.0 for each in run.stages[: stage.index]]
    losses = losses_at(run, duty, audit.piping, wash, [*ahead, *[0.0] * (len(run.stages) - len(ahead))])
    return pressure_along(run, duty, losses)[stage.index + 1] - losses.before[stage.index]


@rule("supply-short", "supply", "storage.weak")
def supply_short(audit: Audit) -> Iterator[Hit]:
    """The source gives less than the peak and less than the largest single use, and nothing stores water."""
    duty = audit.duty
    if duty.weak and not any(stage.room.stores for stage in audit.run.stages):
        largest = audit.show(duty.rows["storage"]["largest_use_gpm"] * GPM, "L/min")
        yield Hit("caution", f"Available flow is {audit.show(duty.demand.supply_flow, 'L/min')}; peak demand is {audit.show(duty.demand.peak_flow.value, 'L/min')}, "
                  f"and a single large use takes {largest}.",
                  f"Store a day's use ({audit.show(duty.daily, 'L')}) filled slowly by a float, with a pump after it, and disinfect after the tank.")  # fmt: skip


@rule("too-cold", "supply", "safety.temperature")
def too_cold(audit: Audit) -> Iterator[Hit]:
    """Water near freezing."""
    if audit.run.stages and audit.run.raw.temperature < audit.duty.rows["house"]["coldest"] - 0.2:
        yield Hit(
            "fault",
            f"The water is at {audit.show(audit.run.raw.temperature, 'degC')}; equipment is rated for {audit.show(audit.duty.rows['house']['coldest'], 'degC')} and above.",
            "Protect pipe and room from freezing.",
        )


@rule("too-hot", "supply", "safety.temperature")
def too_hot(audit: Audit) -> Iterator[Hit]:
    """Water warmer than vessels and media bear."""
    hottest = max(audit.run.raw.temperature, audit.evidence.states["temperature"].high or 0.0)
    if audit.run.stages and hottest > audit.duty.rows["house"]["hottest"] + 0.2:
        yield Hit(
            "fault",
            f"The water is at {audit.show(hottest, 'degC')}; equipment is rated up to {audit.show(audit.duty.rows['house']['hottest'], 'degC')}.",
            "Treat cold water, upstream of the heater.",
        )


@rule("pipe-velocity", "supply", "hydraulics.velocity")
def pipe_velocity(audit: Audit) -> Iterator[Hit]:
    """Water runs too fast in the pipe: noise, wear, pressure lost."""
    row, pipe = audit.duty.rows["house"], audit.duty.supply.pipe
    speed = pipe.velocity(audit.duty.flow)
    known = audit.facts.supply.pipe is not None and audit.facts.supply.pipe.size is not None
    if known and speed > row["velocity_max"] * 1.001:
        worse = f", and {audit.show(row['velocity_ceiling'], 'm/s')} must never be exceeded" if speed > row["velocity_ceiling"] else ""
        yield Hit(
            "caution",
            f"Water flows at {audit.show(speed, 'm/s')} in {pipe.size.said} pipe at {audit.show(audit.duty.flow, 'L/min')}; "
            f"the limit is {audit.show(row['velocity_max'], 'm/s')}{worse}.",
            f"Use {wider.said} pipe." if (wider := larger(pipe.size)) is not None else "Divide the flow between two pipes.",
        )


@rule("pressure-loss/<kind>", "supply train", "hydraulics.ergun", on="*")
def pressure_loss(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """One unit alone takes more than 15 psi at design flow, clean."""
    most = audit.duty.rows["softener"]["max_loss_psi"] * PSI
    if stage.loss_clean > most:
        yield Hit(
            "caution",
            f"The clean pressure drop of the {stage.said} is {audit.show(stage.loss_clean, 'kPa')} at {audit.show(stage.duty.flow, 'L/min')}; "
            f"the limit is {audit.show(most, 'kPa')}.",
            "Use a larger unit, or two in parallel.",
            (stage.kind,),
        )
