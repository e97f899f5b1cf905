"""Trains side by side: what differs between them, in words and figures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from ..language.display import show, show_amount
from ..language.figure import Figure, figure, stated, work
from ..planning.evaluated import EvaluatedTrain


@dataclass(frozen=True, slots=True)
class ComparedRow:
    """A line of a comparison: what is compared, and the text for each train."""

    what: str
    cells: tuple[str, ...]

    @property
    def differs(self) -> bool:
        return len(set(self.cells)) > 1


def _sum(symbol: str, parts: dict[str, tuple[float, str]], unit: str, source: str) -> Figure:
    """A figure that adds up what each stage brings."""
    named = {name.replace("-", "_").replace(" ", "_"): part for name, part in parts.items()}
    return figure(work(symbol, " + ".join(named) or "0", unit, source, **named))


def salt_per_year(variant: EvaluatedTrain) -> Figure:
    """Salt of all units in a year [kg]."""
    parts = {stage.id: (stage.figures["salt_per_year"].value, "kg") for stage in variant.run.stages if "salt_per_year" in stage.figures}
    return _sum("salt a year", parts, "kg", "softener.efficiency")


def water_to_drain(variant: EvaluatedTrain) -> Figure:
    """Water that regenerations, backwashes and rejects send to drain in a year [L]."""
    parts = {stage.id: (stage.figures["drain_per_year"].value, "L") for stage in variant.run.stages if "drain_per_year" in stage.figures}
    return _sum("water to drain a year", parts, "L", "softener.cycle")


def visits(variant: EvaluatedTrain) -> Figure:
    """How often in a year something has to be changed or filled: cartridges, media, lamps, membranes."""
    names = ("replacement_interval", "refill_interval", "lamp_interval", "prefilter_interval")
    parts = {
        f"{stage.id} {name}": (12 / max(stage.figures[name].value, 0.1), "a year")
        for stage in variant.run.stages
        for name in names
        if name in stage.figures
    }
    return _sum("changes a year", parts, "1", "sediment.life")


def width(variant: EvaluatedTrain) -> Figure:
    """Wall the units take side by side [m]."""
    return figure(stated("wall", "as drawn, to the end of the last unit", variant.audit.piping.taken / 1000, "m", "install.room"))


def compare(variants: list[EvaluatedTrain], system: str) -> list[ComparedRow]:
    """Trains side by side, in words and figures."""

    def row(what: str, cell: Any) -> ComparedRow:
        return ComparedRow(what, tuple(str(cell(variant)) for variant in variants))

    def water(name: str, unit: str) -> Any:
        return lambda variant: show_amount(variant.run.finished.get(name), unit, system)

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
        row("Pressure at the highest tap, clean", lambda v: show(v.pressure.residual_clean.value, "kPa", system)),
        row("Pressure at the highest tap, dirty", lambda v: show(v.pressure.residual_dirty.value, "kPa", system)),
        row("Needs power", lambda v: "yes" if any(stage.powered for stage in v.run.stages) else "no"),
    ]
    if any(variant.run.tap is not variant.run.finished for variant in variants):
        rows.insert(6, row("Nitrate at the drinking tap", lambda v: show(v.run.tap.get("nitrate"), "mg/L N", system)))
    return rows


def differs(one: EvaluatedTrain, other: EvaluatedTrain, system: str) -> list[str]:
    """What differs between two trains, a sentence a line: "Salt a year: 120 lb, there 0 lb"."""
    return [f"{row.what}: {row.cells[0]}; there {row.cells[1]}" for row in compare([one, other], system) if row.differs]


@dataclass(frozen=True, slots=True)
class Outline:
    """A stage as a small drawing shows it: its name, its silhouette, and whether the other train has none of its kind."""

    name: str
    silhouette: str
    apart: bool


def outlines(variant: EvaluatedTrain, beside: Sequence[EvaluatedTrain] = ()) -> list[Outline]:
    """A train in small, in the order of the water. beside: trains that it is compared with; what all of them have as well is not set apart."""
    kinds = [{stage.kind for stage in other.run.stages} for other in beside]
    return [Outline(stage.name, stage.room.silhouette, any(stage.kind not in each for each in kinds)) for stage in variant.run.stages]
