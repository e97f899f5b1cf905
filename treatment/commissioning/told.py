"""What the lines of a step speak of: figures of its unit and of the place, each with its working."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from ..house.packing import cubic_foot, media_bag
from ..language.figure import figure, stated, work
from ..language.tables import table
from ..train.drains import air_gap_wanted, bore_wanted, drain_of
from ..train.treatment import StageRun
from ..train.weights import filled_mass
from .expected import refill
from .situation import Situation
from .step import CLOCK, SECONDS, Name, StepAmount, StepRow, names_in

Told = StepAmount | Name


def amounts(stage: StageRun[Any], names: tuple[str, ...], hours: dict[str, float]) -> list[StepAmount]:
    """What a sheet names with a step, of what this stage has. hours: stage id -> hour of the night."""
    words = table("commissioning")["amounts"]
    found: list[StepAmount] = []
    for name in names:
        if name in stage.figures:
            found.append(StepAmount(name, words[name], stage.figures[name]))
        elif name == "refill" and (fill := refill(stage)) is not None:
            found.append(StepAmount(name, words[name], figure(fill)))
        elif name == "precharge":
            given = {"cut_in": (stage.duty.supply.pressure_low, "kPa"), "below": (table("commissioning")["expected"]["precharge_below"], "kPa")}
            found.append(StepAmount(name, words[name], figure(work("pre-charge", "cut_in − below", "kPa", "commissioning.practice", **given))))
        elif name == "hour" and stage.id in hours:
            found.append(StepAmount(name, words[name], figure(stated("hour", "hour after midnight", hours[stage.id], CLOCK))))
    return found


def told(situation: Situation, row: StepRow, stage: StageRun[Any] | None) -> tuple[Told, ...]:
    """What the lines of a row name, of what this job knows; what it does not know is left out."""
    found: list[Told] = []
    for name in names_in(row.do):
        if name in situation.names:
            found.append(Name(name, situation.names[name]))
        elif (stage is not None and name in UNIT and (one := UNIT[name](situation, stage)) is not None) or (
            name in PLACE and (one := PLACE[name](situation)) is not None
        ):
            found.append(one)
        elif stage is not None and name in stage.figures:
            found.append(StepAmount(name, name, stage.figures[name]))
    return tuple(found)


# --- of a unit ------------------------------------------------------------------------------------------------------------
def _mass(situation: Situation, stage: StageRun[Any]) -> Told | None:
    mass = filled_mass(stage)
    return None if mass is None else StepAmount("filled_mass", "filled", figure(mass))


def _bags(situation: Situation, stage: StageRun[Any]) -> Told | None:
    bed = stage.sizing.bed
    if bed is None:
        return None
    named = work(
        "bags",
        "ceil(media ÷ bag)",
        "",
        "commissioning.practice",
        media=(bed.volume * stage.bodies, "L"),
        bag=(media_bag(stage.duty), "L"),
    )
    return StepAmount("bags", "bags", figure(named))


def _layers(situation: Situation, stage: StageRun[Any]) -> Told | None:
    """The media of a layered bed from the bottom up, each with its bags; None for a bed of one medium."""
    held = stage.keys.layers if stage.sizing.bed is not None else ()
    size = media_bag(stage.duty)
    return Name("layers", "; then ".join(f"{layer.medium.replace('_', ' ')}, {bag_count(layer.volume, size)}" for layer in held)) if held else None


def bag_count(litres: float, size: float) -> str:
    """``2 bags``; what is less than a bag is one."""
    count = max(round(litres / size + 0.499), 1)
    return f"{count} bag{'s' if count > 1 else ''}"


def _medium(situation: Situation, stage: StageRun[Any]) -> Told | None:
    return Name("medium", stage.sizing.bed.medium.name) if stage.sizing.bed is not None else None


def _bucket(situation: Situation, stage: StageRun[Any]) -> Told | None:
    """How soon a bucket is full at the flow that lifts the bed."""
    if "backwash_flow" not in stage.figures:
        return None
    need, litres = stage.figures["backwash_flow"], _bucket_litres(situation)
    return StepAmount("bucket_seconds", "bucket full in", figure(*need.working, work("full in", "bucket × 60 ÷ flow", SECONDS, "commissioning.readings",
                  bucket=(litres, "L"), flow=(need.value, need.unit))))  # fmt: skip


def _bucket_litres(situation: Situation) -> float:
    return float(table("commissioning")["expected"]["bucket"][situation.facts.job.units])


def _bucket_size(situation: Situation, stage: StageRun[Any]) -> Told | None:
    if "backwash_flow" not in stage.figures:
        return None
    return StepAmount("bucket", "bucket", figure(stated("bucket", "a usual one", _bucket_litres(situation), "L", "commissioning.readings")))


def _drain_bore(situation: Situation, stage: StageRun[Any]) -> Told | None:
    """The bore that its line wants: by its length, and by what its wash needs over length and lift."""
    drain = drain_of(situation.facts, stage.keys)
    if drain is None or "backwash_flow" not in stage.figures:
        return None
    least = float(situation.variant.audit.duty.rows["house"]["residual_kpa"])
    wanted = bore_wanted(drain, stage.figures["backwash_flow"].value, stage.water_in.temperature, least)
    return StepAmount("drain_bore", "bore", figure(*wanted))


def _run(what: str) -> Callable[[Situation, StageRun[Any]], Told | None]:
    def found(situation: Situation, stage: StageRun[Any]) -> Told | None:
        drain = drain_of(situation.facts, stage.keys)
        held = getattr(drain, what) if drain is not None else None
        return None if not held else StepAmount(f"drain_{what}", what, figure(stated(what, "as the job says", held, "m", "install.drain")), long=True)

    return found


def _metal(situation: Situation, stage: StageRun[Any]) -> Told | None:
    return StepAmount(
        "metal_length", "metal", figure(stated("metal", "at a lit port", float(table("stages")["install"]["uv_metal_m"]), "m", "install.lit"))
    )


def _lit_ports(situation: Situation, stage: StageRun[Any]) -> Told | None:
    lit = stage.room.lit_ends(stage.keys)
    return Name("lit_ports", "both ports" if all(lit) else "the inlet" if lit[0] else "the outlet") if any(lit) else None


def _lamp_room(situation: Situation, stage: StageRun[Any]) -> Told | None:
    length = stage.room.pulled(stage.sizing) / 1000
    return None if not length else StepAmount("lamp_room", "free", figure(stated("free", "the lamp's own length", length, "m", "install.lamp")))


def _bleach(situation: Situation, stage: StageRun[Any]) -> Told | None:
    """A cup for each cubic foot of medium."""
    bed = stage.sizing.bed
    if bed is None:
        return None
    cup, bag = (float(table("commissioning")["expected"]["bleach_cup"]), "L"), (cubic_foot(), "L")
    return StepAmount("bleach", "bleach", figure(work("bleach", "cup × media ÷ cubic_foot", "L", "commissioning.practice",
                  cup=cup, media=(bed.volume, "L in each vessel"), cubic_foot=bag)))  # fmt: skip


UNIT: dict[str, Callable[[Situation, StageRun[Any]], Told | None]] = {
    "filled_mass": _mass,
    "bags": _bags,
    "layers": _layers,
    "medium": _medium,
    "bucket_seconds": _bucket,
    "bucket": _bucket_size,
    "drain_bore": _drain_bore,
    "drain_distance": _run("distance"),
    "drain_lift": _run("lift"),
    "metal_length": _metal,
    "lit_ports": _lit_ports,
    "lamp_room": _lamp_room,
    "bleach": _bleach,
}


# --- of the place ---------------------------------------------------------------------------------------------------------
def _air_gap(situation: Situation) -> Told | None:
    """The air above the receptor that every drain line ends in: two inches, or two bores where that is more."""
    drain = situation.facts.site.drain
    return StepAmount("air_gap", "air gap", figure(air_gap_wanted(drain.bore if drain is not None else None)))


def _heaviest(situation: Situation) -> Told | None:
    masses = [mass for stage in situation.stages if (mass := filled_mass(stage)) is not None]
    return StepAmount("heaviest", "heaviest", figure(max(masses, key=lambda mass: mass.value))) if masses else None


def _site_run(what: str) -> Callable[[Situation], Told | None]:
    def found(situation: Situation) -> Told | None:
        drain = situation.facts.site.drain
        held = getattr(drain, what) if drain is not None else None
        return None if not held else StepAmount(f"site_{what}", what, figure(stated(what, "as the job says", held, "m", "install.drain")), long=True)

    return found


def _site_bore(situation: Situation) -> Told | None:
    """The greatest bore that a drain line here wants."""
    wanted = [one for stage in situation.stages if stage.drains and isinstance(one := _drain_bore(situation, stage), StepAmount)]
    return replace(max(wanted, key=lambda one: one.figure.value), name="site_bore") if wanted else None


def _joints(situation: Situation) -> Told | None:
    return StepAmount("joints", "joints", figure(stated("joints", "counted on the wall", situation.joints, "", "commissioning.practice")))


def _ahead(situation: Situation) -> Told | None:
    line = work("on the bench", "ceil(joints × share)", "", "commissioning.practice",
                joints=(situation.joints, ""), share=(float(table("commissioning")["joining"]["share"]["ahead"]), ""))  # fmt: skip
    return StepAmount("joints_ahead", "joints", figure(line))


def _last(situation: Situation) -> Told | None:
    line = work("on the wall", "joints − ahead", "", "commissioning.practice", joints=(situation.joints, ""), ahead=(situation.joints_ahead, ""))
    return StepAmount("joints_last", "joints", figure(line))


PLACE: dict[str, Callable[[Situation], Told | None]] = {
    "air_gap": _air_gap,
    "heaviest": _heaviest,
    "site_distance": _site_run("distance"),
    "site_lift": _site_run("lift"),
    "site_bore": _site_bore,
    "joints": _joints,
    "joints_ahead": _ahead,
    "joints_last": _last,
}
