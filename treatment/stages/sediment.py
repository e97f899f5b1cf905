"""Sediment filters: hold particles, so that valves, beds and the lamp see clear water."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ..demand import interpolate
from ..figure import figure, work
from ..hydraulics import GPM, PSI, square_law
from ..rules import Hit, rule
from ..spec import Choice, Measure, key
from ..tables import table
from ..water import Water
from .base import Room, Sizing, StageKeys

if TYPE_CHECKING:
    from ..audit import Audit
    from ..duty import Duty
    from ..train import StageRun

HOUSINGS = ("10x2.5", "20x2.5", "10x4.5", "20x4.5")


@dataclass(frozen=True, slots=True)
class SedimentKeys(StageKeys):
    form: str | None = key(Choice(("cartridge",)), None, "how it holds the dirt")
    micron: float | None = key(Measure("length", "5 um", low=1e-7, high=1e-3, bare="um"), None, "nominal rating")
    housing: str | None = key(Choice(HOUSINGS), None, "cartridge housing, length × diameter in inches")


def micron_of(keys: SedimentKeys) -> float:
    """Nominal rating [µm]; 5 where it is left out."""
    return round(keys.micron * 1e6, 6) if keys.micron else 5.0


def share_held(micron: float, what: str) -> float:
    """Share of particles a nominal rating holds; what: "capture" (turbidity) or "capture_rust" (ferric iron)."""
    rows = table("stages")["sediment"][what]
    return interpolate(micron, [float(size) for size in rows], list(rows.values()))


def solids(water: Water) -> float:
    """Suspended solids [mg/L], from turbidity where they were not measured; rust counts as its hydroxide."""
    measured = water.get("tss")
    if measured is None:
        measured = water.value("turbidity") * table("stages")["sediment"]["solids_per_ntu"]
    return float(measured + table("stages")["sediment"]["solids_per_rust"] * water.value("ferric_iron"))


class Sediment(Room):
    kind = "sediment"
    title = "Sediment filter"
    silhouette = "cartridge"
    Keys = SedimentKeys
    answers = ("turbidity", "tss")
    holds_particles = True
    cautions = (
        "Shut the water and press the vent button before opening the housing.",
        "Leave room below to drop the sump, and keep its wrench there.",
        "It does not make water safe: microbes pass it.",
    )

    def name(self, keys: SedimentKeys) -> str:
        return f"{self.title} {micron_of(keys):g}\u00a0µm"

    def rated_flow(self, housing: str, micron: float) -> float:
        """Flow at the clean loss of the table [L/min]."""
        fine = table("stages")["sediment"]["flow_at_1um"] if micron < 2 else 1.0
        return float(table("vessels")["cartridges"][housing]["gpm"] * GPM * fine)

    def size(self, keys: SedimentKeys, water: Water, duty: Duty) -> Sizing:
        micron = micron_of(keys)
        housing = keys.housing or next((h for h in HOUSINGS if self.rated_flow(h, micron) >= duty.flow), HOUSINGS[-1])
        row, limit = table("vessels")["cartridges"][housing], table("stages")["sediment"]
        held = share_held(micron, "capture") * solids(water)
        dirt, months = row["dirt_g"], limit["life_days"] / 30.4
        by_dirt = dirt / max(held * duty.daily / 1000 * 30.4, 1e-9)
        life = min(by_dirt, months)
        return Sizing(
            {"form": "cartridge", "micron": micron, "housing": housing},
            {
                "micron": figure(work("rating", "nominal", micron, "um", "sediment.purpose", nominal=(micron, "um"))),
                "service_flow_limit": figure(
                    work("flow", "rated × gpm × fineness", self.rated_flow(housing, micron), "L/min", "sediment.flow",
                         rated=(row["gpm"], "gpm"), gpm=(GPM, "L/min per gpm"), fineness=(limit["flow_at_1um"] if micron < 2 else 1.0, "")),
                ),
                "replacement_interval": figure(
                    work("dirt a month", "held × daily ÷ 1000 × 30.4", held * duty.daily / 1000 * 30.4, "g", "sediment.capture", held=(held, "mg/L"), daily=(duty.daily, "L/day")),
                    work("life", "min(capacity ÷ max(month, 0.000001), cap)", life, "month", "sediment.life",
                         capacity=(float(dirt), "g"), month=(held * duty.daily / 1000 * 30.4, "g"), cap=(months, "month")),
                ),
            },
        )  # fmt: skip

    def treat(self, keys: SedimentKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        micron = micron_of(keys)
        pass_, pass_rust = 1 - share_held(micron, "capture"), 1 - share_held(micron, "capture_rust")
        return water.scaled(turbidity=pass_, tss=pass_, ferric_iron=pass_rust)

    def loss(self, keys: SedimentKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        housing = sizing.params["housing"]
        row = table("vessels")["cartridges"][housing]
        clean = square_law(flow, self.rated_flow(housing, sizing.params["micron"]), row["psi"] * PSI)
        return clean, clean + table("stages")["sediment"]["change_kpa"]

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        return [SedimentKeys(micron=5e-6), SedimentKeys(micron=25e-6)]

    def schools(self, keys: SedimentKeys, water: Water, system: str) -> list[str]:
        return ["A filter at the head only where particles are found (ours); others always fit one."]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "holds sand, silt and rust flakes"

    def body(self, keys: SedimentKeys, sizing: Sizing) -> tuple[float, float, float]:
        row = table("vessels")["cartridges"][sizing.params["housing"]]
        return float(row["width_mm"]), float(row["height_mm"]), 1250.0 - float(row["height_mm"])


@rule("micron-too-fine", "sediment.purpose", on="sediment")
def micron_too_fine(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A fine cartridge that would be full of dirt within a month: put a coarser one before it."""
    months = stage.sizing.figures["replacement_interval"].value
    if months < 1.0 and stage.sizing.params["micron"] <= 10:
        yield Hit(
            "caution",
            f"At {stage.sizing.params['micron']:g} µm the cartridge is full after {audit.show(months * 30.4, 'day')}.",
            "Put a coarser stage before it (25 µm, or a flushed screen), or a larger housing.",
        )


@rule("micron-too-coarse", "sediment.purpose", on="sediment")
def micron_too_coarse(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The filter that should clear water for the lamp lets its particles by."""
    following = audit.after(stage)
    micron = stage.sizing.params["micron"]
    if following and following.kind == "uv" and micron > 5:
        yield Hit(
            "fault",
            f"The filter before the lamp is {micron:g} µm; particles that pass it shade microbes from the light.",
            "Fit a 5 µm cartridge directly before the lamp.",
        )


@rule("ferrous-passes", "iron.removal", on="sediment")
def ferrous_passes(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Dissolved iron meets only a particle filter: it passes and rusts downstream."""
    if any(other.kind in ("oxidizing_filter", "softener") for other in audit.run.stages):
        return
    ferrous, limit = stage.water_in.value("ferrous_iron"), audit.limit("iron")
    if limit is not None and ferrous > limit:
        yield Hit(
            "fault",
            f"{audit.show(ferrous, 'mg/L')} of the iron is dissolved; a particle filter lets it pass, and it turns to rust downstream.",
            "Oxidise the iron and filter it (an oxidizing bed), or exchange it at low level in a softener.",
        )
