"""Trains side by side: real alternatives at the forks where practitioners differ, and what differs between two trains."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from .checks.install import room_mm
from .display import show
from .figure import Figure, figure, work
from .job_file import Job
from .stages.anion_exchange import AnionExchangeKeys
from .stages.carbon import CarbonKeys
from .stages.chemical_feed import ChemicalFeedKeys
from .stages.oxidizing_filter import OxidizingFilterKeys
from .stages.retention_tank import RetentionTankKeys

if TYPE_CHECKING:
    from .design import Design, Variant

MOST = 3
Block = tuple[tuple[str, Any], ...]


@dataclass(frozen=True, slots=True)
class Alternative:
    """Another way to treat the same water: what it does differently, and the train."""

    title: str
    variant: Variant
    complete: bool


@dataclass(frozen=True, slots=True)
class Row:
    """A line of a comparison: what is compared, and the text for each train."""

    what: str
    cells: tuple[str, ...]

    @property
    def differs(self) -> bool:
        return len(set(self.cells)) > 1


def alternatives(design: Design) -> list[Alternative]:
    """Trains by other schools that serve this water too, at most three, the most complete first."""
    chosen = {stage.kind for stage in design.proposal.run.stages}
    media = {str(stage.keys.medium) for stage in design.proposal.run.stages if hasattr(stage.keys, "medium")}
    found: list[Alternative] = []
    for title, avoid, extra, school in _forks(chosen, media):
        other = design if school is None else _with_school(design, school)
        plan = other.planned(avoid, extra)
        variant = other.variant(list(plan.train))
        if variant.run.stages and _kinds(variant) != _kinds(design.proposal) and (plan.complete or not design.plan.complete):
            found.append(Alternative(title, variant, plan.complete))
        if len(found) == MOST:
            break
    return found


def _kinds(variant: Variant) -> list[tuple[str, Any]]:
    return [(stage.kind, getattr(stage.keys, "medium", None)) for stage in variant.run.stages]


def _forks(chosen: set[str], media: set[str]) -> list[tuple[str, frozenset[str], tuple[Block, ...], dict[str, str] | None]]:
    """The forks this train stands at: title, what is avoided, blocks to offer, a school to follow."""
    none: frozenset[str] = frozenset()
    forks: list[tuple[str, frozenset[str], tuple[Block, ...], dict[str, str] | None]] = []
    if "softener" in chosen:
        forks.append(("Scale control instead of a softener", none, (), {"hardness": "scale_control"}))
    if "scale_control" in chosen:
        forks.append(("A softener instead of scale control", none, (), {"hardness": "exchange"}))
    if "oxidizing_filter" in chosen and "chemical_feed" not in chosen:
        block: Block = (
            ("chemical_feed", ChemicalFeedKeys(chemical="chlorine")),
            ("retention_tank", RetentionTankKeys()),
            ("oxidizing_filter", OxidizingFilterKeys(medium="greensand")),
            ("carbon", CarbonKeys(medium="granular")),
        )
        forks.append(
            (
                "Chlorine feed, contact and greensand",
                frozenset({"air_charged", "cartridge", "greensand", "carbon"}),
                (block,),
                None,
            )
        )
    if "uv" in chosen:
        forks.append(("Barrier filter instead of light", none, (), {"disinfection": "barrier"}))
        forks.append(("Chlorine and contact instead of light", none, (), {"disinfection": "chlorine"}))
    if "neutralizer" in chosen:
        forks.append(
            ("Soda-ash feed instead of calcite", frozenset({"neutralizer"}), ((("chemical_feed", ChemicalFeedKeys(chemical="soda_ash")),),), None)
        )
    if "reverse_osmosis" in chosen:
        forks.append(
            (
                "Nitrate exchange for the whole house instead of a membrane at the tap",
                frozenset({"reverse_osmosis"}),
                ((("anion_exchange", AnionExchangeKeys(target="nitrate")),),),
                None,
            )
        )
    if "cartridge" in media:
        forks.append(("Without an oxidising cartridge", frozenset({"cartridge"}), (), None))
    return forks


def _with_school(design: Design, school: dict[str, str]) -> Design:
    from .design import Design as Worked

    facts = design.job.facts
    wishes = replace(facts.wishes, soft_water=None) if "hardness" in school else facts.wishes
    return Worked(Job(replace(facts, schools=replace(facts.schools, **school), wishes=wishes), None))  # type: ignore[arg-type]


def salt_per_year(variant: Variant) -> Figure:
    """Salt of all units in a year [kg]."""
    parts = {
        stage.id.replace("-", "_"): (stage.sizing.figures["salt_per_year"].value, "kg")
        for stage in variant.run.stages
        if "salt_per_year" in stage.sizing.figures
    }
    return figure(work("salt a year", " + ".join(parts) or "0", sum(value for value, _ in parts.values()), "kg", "softener.efficiency", **parts))


def water_to_drain(variant: Variant) -> Figure:
    """Water that regenerations, backwashes and rejects send to drain in a year [L]."""
    parts: dict[str, tuple[float, str]] = {}
    for stage in variant.run.stages:
        figures = stage.sizing.figures
        yearly = 0.0
        if "water_per_regeneration" in figures and "regeneration_interval" in figures:
            yearly += figures["water_per_regeneration"].value * 365 / max(figures["regeneration_interval"].value, 0.25)
        if "water_per_backwash" in figures and "backwash_interval" in figures:
            yearly += figures["water_per_backwash"].value * 365 / max(figures["backwash_interval"].value, 0.25)
        if "reject_flow" in figures:
            made = min(figures["permeate_required"].value / max(figures["output"].value, 1e-9), 1.0)
            yearly += figures["reject_flow"].value * made * 365
        if yearly:
            parts[stage.id.replace("-", "_")] = (yearly, "L")
    return figure(work("water to drain a year", " + ".join(parts) or "0", sum(value for value, _ in parts.values()), "L", "softener.cycle", **parts))


def visits(variant: Variant) -> Figure:
    """How often in a year something has to be changed or filled: cartridges, media, lamps, membranes."""
    names = ("replacement_interval", "refill_interval", "lamp_interval", "prefilter_interval")
    parts = {}
    for stage in variant.run.stages:
        for name in names:
            if name in stage.sizing.figures:
                parts[f"{stage.id}_{name}".replace("-", "_")] = (12 / max(stage.sizing.figures[name].value, 0.1), "a year")
    return figure(work("changes a year", " + ".join(parts) or "0", sum(value for value, _ in parts.values()), "1", "sediment.life", **parts))


def width(variant: Variant) -> Figure:
    """Wall the units take side by side [m]."""
    parts = {
        stage.id.replace("-", "_"): (room_mm(stage, stage.room.body(stage.keys, stage.sizing)) / 1000, "m")
        for stage in variant.run.stages
        if not stage.at_tap
    }
    return figure(work("wall", " + ".join(parts) or "0", sum(value for value, _ in parts.values()), "m", "install.room", **parts))


def compare(variants: list[Variant], system: str) -> list[Row]:
    """Trains side by side, in words and figures."""

    def row(what: str, cell: Any) -> Row:
        return Row(what, tuple(str(cell(variant)) for variant in variants))

    def water(name: str, unit: str) -> Any:
        return lambda variant: show(variant.run.finished.get(name), unit, system)

    rows = [
        row("Stages", lambda v: ", ".join(stage.name for stage in v.run.stages) or "none"),
        row("Dangers, faults, cautions", lambda v: f"{v.tally['danger']}, {v.tally['fault']}, {v.tally['caution']}"),
        row("Hardness at the taps", water("hardness", "mg/L CaCO3")),
        row("pH at the taps", water("ph", "pH")),
        row("Iron at the taps", water("iron", "mg/L")),
        row("Sodium at the taps", water("sodium", "mg/L")),
        row("Salt a year", lambda v: show(salt_per_year(v).value, "kg", system)),
        row("Water to drain a year", lambda v: show(water_to_drain(v).value, "L", system)),
        row("Changes and refills a year", lambda v: f"{visits(v).value:.0f}"),
        row("Wall taken", lambda v: show(width(v).value, "m", system)),
        row("Pressure left at the highest tap, clean", lambda v: show(v.pressure.residual_clean.value, "kPa", system)),
        row("The same, filters dirty", lambda v: show(v.pressure.residual_dirty.value, "kPa", system)),
        row("Needs power", lambda v: "yes" if any(stage.room.uses_power for stage in v.run.stages) else "no"),
    ]
    if any(variant.run.tap is not variant.run.finished for variant in variants):
        rows.insert(6, row("Nitrate at the drinking tap", lambda v: show(v.run.tap.get("nitrate"), "mg/L N", system)))
    return rows


def differs(one: Variant, other: Variant, system: str) -> list[str]:
    """What differs between two trains, a sentence a line: "Salt a year: 120 lb, there 0 lb"."""
    return [f"{row.what}: {row.cells[0]}; there {row.cells[1]}" for row in compare([one, other], system) if row.differs]
