"""Sediment filters: hold particles, so that valves, beds and the lamp see clear water."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ..beds import bed_figures, choose_bed, wash_figures
from ..demand import interpolate
from ..figure import Figure, figure, work
from ..hydraulics import GPM, PSI, square_law
from ..rules import Hit, rule
from ..spec import Choice, Measure, key
from ..tables import table
from ..water import Water
from .base import BedKeys, Room, Sizing, cartridge_body

if TYPE_CHECKING:
    from ..audit import Audit
    from ..duty import Duty
    from ..train import StageRun

HOUSINGS = ("10x2.5", "20x2.5", "10x4.5", "20x4.5")


FORMS = ("cartridge", "dual_gradient", "spin_down", "backwashing")
LARGE_HOUSINGS = ("10x4.5", "20x4.5")


@dataclass(frozen=True, slots=True)
class SedimentKeys(BedKeys):
    form: str | None = key(Choice(FORMS), None, "how it holds the dirt")
    micron: float | None = key(Measure("length", "5 um", low=1e-7, high=1e-3, bare="um"), None, "nominal rating")
    outer_micron: float | None = key(Measure("length", "50 um", low=1e-7, high=1e-3, bare="um"), None, "rating of the outer layer, dual-gradient")
    housing: str | None = key(Choice(HOUSINGS), None, "cartridge housing, length × diameter in inches")


def form_of(keys: SedimentKeys) -> str:
    return keys.form or "cartridge"


def micron_of(keys: SedimentKeys) -> float:
    """Nominal rating [µm]; where it is left out, what its form usually has."""
    if keys.micron:
        return round(keys.micron * 1e6, 6)
    row = table("stages")["sediment_forms"]
    return float({"spin_down": row["spin_down_micron"], "backwashing": row["bed_micron"]}.get(form_of(keys), 5.0))


def share_held(micron: float, what: str) -> float:
    """Share of particles a nominal rating holds; what: "capture" (turbidity) or "capture_rust" (ferric iron)."""
    rows = table("stages")["sediment"][what]
    return interpolate(micron, [float(size) for size in rows], list(rows.values()))


def holds(keys: SedimentKeys) -> tuple[float, float]:
    """Share of turbidity and of ferric iron that a sediment filter of any form holds [-]."""
    form, micron, row = form_of(keys), micron_of(keys), table("stages")["sediment_forms"]
    if form == "backwashing":
        return float(row["bed_capture"]), float(row["bed_capture_rust"])
    if form == "spin_down":
        sizes = row["spin_down_capture"]
        return interpolate(micron, [float(size) for size in sizes], list(sizes.values())), 0.0
    return share_held(micron, "capture"), share_held(micron, "capture_rust")


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
    peak_effect = "pressure falls"
    cautions = (
        "Shut the water and press the vent button before opening the housing.",
        "Leave room below to drop the sump, and keep its wrench there.",
        "It does not make water safe: microbes pass it.",
    )

    def name(self, keys: SedimentKeys) -> str:
        words = {"dual_gradient": "Dual-gradient filter", "spin_down": "Flushed screen", "backwashing": "Backwashing filter"}
        micron = f"{micron_of(keys):g}\u00a0µm"
        if form_of(keys) == "dual_gradient":
            micron = f"{self._outer(keys):g}/{micron}"
        return f"{words.get(form_of(keys), self.title)} {micron}"

    def micron(self, keys: SedimentKeys, sizing: Sizing) -> float | None:
        return micron_of(keys)

    def _outer(self, keys: SedimentKeys) -> float:
        return round(keys.outer_micron * 1e6, 6) if keys.outer_micron else float(table("stages")["sediment_forms"]["dual_outer_micron"])

    def rated_flow(self, housing: str, micron: float) -> float:
        """Flow at the clean loss of the table [L/min]."""
        fine = table("stages")["sediment"]["flow_at_1um"] if micron < 2 else 1.0
        return float(table("vessels")["cartridges"][housing]["gpm"] * GPM * fine)

    def size(self, keys: SedimentKeys, water: Water, duty: Duty) -> Sizing:
        return {"backwashing": self._size_bed, "spin_down": self._size_screen}.get(form_of(keys), self._size_cartridge)(keys, water, duty)

    def _micron_figure(self, micron: float) -> Figure:
        return figure(work("rating", "nominal", micron, "um", "sediment.purpose", nominal=(micron, "um")))

    def _size_cartridge(self, keys: SedimentKeys, water: Water, duty: Duty) -> Sizing:
        micron, dual = micron_of(keys), form_of(keys) == "dual_gradient"
        offered = LARGE_HOUSINGS if dual else HOUSINGS
        housing = keys.housing or next((h for h in offered if self.rated_flow(h, micron) >= duty.flow), offered[-1])
        row, limit = table("vessels")["cartridges"][housing], duty.rows["sediment"]
        held = holds(keys)[0] * solids(water)
        dirt, months = row["dirt_g"] * (duty.rows["sediment_forms"]["dual_dirt"] if dual else 1.0), limit["life_days"] / 30.4
        month = held * duty.daily / 1000 * 30.4
        life = min(dirt / max(month, 1e-6), months)
        params = {"form": form_of(keys), "micron": micron, "housing": housing}
        if dual:
            params["outer_micron"] = self._outer(keys)
        figures = {
            "micron": self._micron_figure(micron),
            "service_flow_limit": figure(
                work("flow", "rated × gpm × fineness", self.rated_flow(housing, micron), "L/min", "sediment.flow",
                     rated=(row["gpm"], "gpm"), gpm=(GPM, "L/min per gpm"), fineness=(limit["flow_at_1um"] if micron < 2 else 1.0, "")),
            ),
            "replacement_interval": figure(
                work("dirt a month", "held × daily ÷ 1000 × 30.4", month, "g", "sediment.capture", held=(held, "mg/L"), daily=(duty.daily, "L/day")),
                work("life", "min(capacity ÷ max(month, 0.000001), cap)", life, "month", "sediment.life",
                     capacity=(float(dirt), "g"), month=(month, "g"), cap=(months, "month")),
            ),
        }  # fmt: skip
        return Sizing(params, figures)

    def _size_screen(self, keys: SedimentKeys, water: Water, duty: Duty) -> Sizing:
        micron, days = micron_of(keys), float(duty.rows["sediment_forms"]["spin_down_flush_days"])
        rated = max(self.rated_flow("20x4.5", micron), duty.flow)
        return Sizing(
            {"form": "spin_down", "micron": micron, "housing": "10x2.5"},
            {
                "micron": self._micron_figure(micron),
                "service_flow_limit": figure(work("flow", "class", rated, "L/min", "sediment.flow", **{"class": (rated, "L/min")})),
                "flush_interval": figure(work("flush every", "days", days, "day", "sediment.purpose", days=(days, "day"))),
            },
        )

    def _size_bed(self, keys: SedimentKeys, water: Water, duty: Duty) -> Sizing:
        row = duty.rows["sediment_forms"]
        for name in ("zeolite", "light_silicate"):
            bed = choose_bed(name, duty.flow, 0.0, duty.wash, water.temperature, keys.tank, keys.vessels, keys.volume)
            if bed.vessels == 1 and bed.backwash_flow(water.temperature) <= duty.wash:
                break
        load = row["bed_capture"] * solids(water) * duty.daily / 1000
        room = row["bed_load"] * bed.total_area
        days = min(room / max(load, 1e-6), float(row["bed_backwash_days"]))
        figures = bed_figures(bed, duty.flow, water.temperature) | wash_figures(bed, water.temperature)
        figures["micron"] = self._micron_figure(micron_of(keys))
        figures["backwash_interval"] = figure(
            work("dirt a day", "share × solids × daily ÷ 1000", load, "g", "sediment.capture", share=(row["bed_capture"], ""), solids=(solids(water), "mg/L"), daily=(duty.daily, "L/day")),
            work("backwash every", "min(load × area ÷ max(dirt, 0.000001), cap)", days, "day", "beds.cycle",
                 load=(float(row["bed_load"]), "g/m2"), area=(bed.total_area, "m2"), dirt=(load, "g"), cap=(float(row["bed_backwash_days"]), "day")),
        )  # fmt: skip
        params = {"form": "backwashing", "micron": micron_of(keys), "volume": bed.volume, "tank": bed.tank, "vessels": bed.vessels}
        return Sizing(params, figures, bed)

    def treat(self, keys: SedimentKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        held, rust = holds(keys)
        return water.scaled(turbidity=1 - held, tss=1 - held, ferric_iron=1 - rust)

    def loss(self, keys: SedimentKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        if sizing.bed is not None:
            clean = sizing.bed.loss(flow, temperature)
            return clean, clean * table("stages")["carbon"]["dirty_factor"]
        if form_of(keys) == "spin_down":
            clean = square_law(flow, sizing.figures["service_flow_limit"].value, PSI)
            return clean, clean * 2
        row = table("vessels")["cartridges"][sizing.params["housing"]]
        clean = square_law(flow, self.rated_flow(sizing.params["housing"], sizing.params["micron"]), row["psi"] * PSI)
        return clean, clean + table("stages")["sediment"]["change_kpa"]

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        school = duty.facts.schools.prefilter
        if not school and solids(water) < 1.5 and water.value("ferric_iron") < 0.2:
            return []
        found: list[Any] = [SedimentKeys(micron=5e-6)]
        if solids(water) > 8:
            found += [SedimentKeys(form="dual_gradient", micron=5e-6)] + ([] if duty.facts.wishes.no_power else [SedimentKeys(form="backwashing")])
        return found

    def schools(self, keys: SedimentKeys, water: Water, system: str) -> list[str]:
        return [
            "A filter at the head only where particles are found (ours); others always fit one.",
            "One cartridge while it lasts a month (ours); others stage 25 then 5 µm, use a dual-gradient cartridge, or a backwashing bed.",
        ]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "holds sand, silt and rust flakes"

    def body(self, keys: SedimentKeys, sizing: Sizing) -> tuple[float, float, float]:
        return super().body(keys, sizing) if sizing.bed else cartridge_body(sizing.params["housing"])


@rule("micron-too-fine", "sediment.purpose", on="sediment")
def micron_too_fine(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A fine cartridge that would be full of dirt within a month: put a coarser one before it."""
    if "replacement_interval" not in stage.sizing.figures:
        return
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
    if any(other.kind in ("oxidizing_filter", "softener", "chemical_feed", "aeration") for other in audit.run.stages):
        return
    ferrous, limit = stage.water_in.value("ferrous_iron"), audit.limit("iron")
    if limit is not None and ferrous > limit:
        yield Hit(
            "fault",
            f"{audit.show(ferrous, 'mg/L')} of the iron is dissolved; a particle filter lets it pass, and it turns to rust downstream.",
            "Oxidise the iron and filter it (an oxidizing bed), or exchange it at low level in a softener.",
        )
