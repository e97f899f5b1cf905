"""Carbon: takes out chlorine, chloramine, a little sulfide, taste and organics, by contact with granules or a block."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ..beds import bed_figures, choose_bed, wash_figures
from ..figure import Figure, figure, source, work
from ..hydraulics import GPM, PSI, square_law
from ..limits import strictest
from ..rules import Hit, rule
from ..spec import Choice, key
from ..tables import table
from ..water import Water
from .base import BedKeys, FeedLimit, Room, Sizing, cartridge_body
from .sediment import HOUSINGS

if TYPE_CHECKING:
    from ..audit import Audit
    from ..duty import Duty
    from ..train import StageRun

ORGANICS = ("trihalomethanes", "voc", "pesticides", "atrazine", "simazine")
TASTED = 0.1  # mg/L of chlorine or chloramine that is worth taking out


@dataclass(frozen=True, slots=True)
class CarbonKeys(BedKeys):
    medium: str | None = key(Choice(("granular", "catalytic", "block")), None, "kind of carbon")
    form: str | None = key(Choice(("backwashing", "upflow", "cartridge")), None, "how it stands in the water")
    housing: str | None = key(Choice(HOUSINGS), None, "housing of a carbon block")


def is_block(keys: CarbonKeys) -> bool:
    return keys.medium == "block" or keys.form == "cartridge"


def chloramine(water: Water) -> float:
    """Combined chlorine [mg/L]: total less free."""
    return max(water.value("total_chlorine") - water.value("free_chlorine"), 0.0)


def tasks(keys: CarbonKeys, water: Water, duty: Duty) -> dict[str, float]:
    """What there is for the carbon to do, with the empty-bed contact [min] each asks."""
    rows, standard = duty.rows["carbon"]["contact"], duty.facts.job.standard
    found: dict[str, float] = {}
    if water.value("free_chlorine") > TASTED:
        found["chlorine"] = rows["chlorine"]
    if chloramine(water) > TASTED:
        found["chloramine"] = rows["chloramine" if keys.medium == "catalytic" else "chloramine_granular"]
    if water.value("hydrogen_sulfide") > 0.02 and keys.medium == "catalytic":
        found["sulfide"] = rows["sulfide"]
    for name in ORGANICS:
        limit = strictest(standard, name)
        if limit and water.value(name) > 0.5 * limit.high:
            found["organics"] = rows["organics"]
    limit = strictest(standard, "pfas")
    if limit and water.value("pfas") > 0.5 * limit.high:
        found["pfas"] = rows["pfas"]
    return found


class Carbon(Room):
    kind = "carbon"
    title = "Carbon filter"
    silhouette = "vessel"
    Keys = CarbonKeys
    answers = ("free_chlorine", "total_chlorine", "hydrogen_sulfide", *ORGANICS, "pfas", "odour")
    holds_particles = True
    peak_effect = "chlorine and taste break through"
    cautions = (
        "New carbon: soak 48 h, then rinse until the water runs clear; its dust must not reach a lamp or a membrane.",
        "It takes out the residual that keeps water safe: no idle months on it, and disinfect after it where the source is unsafe.",
        "Taste and odour are comfort: carbon does not make water safe.",
        "A soaked vessel is heavy: two people and a trolley.",
    )

    def name(self, keys: CarbonKeys) -> str:
        if is_block(keys):
            return "Carbon block"
        return "Catalytic carbon filter" if keys.medium == "catalytic" else "Carbon filter"

    def micron(self, keys: CarbonKeys, sizing: Sizing) -> float | None:
        return float(table("stages")["carbon"]["block_micron"]) if is_block(keys) else None

    def feed_limits(self, keys: CarbonKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited = duty.rows["carbon"], source("carbon.feed")
        return [
            FeedLimit("iron", None, row["iron_max"], cited, "iron coats the carbon"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "manganese coats the carbon"),
            FeedLimit("turbidity", None, row["turbidity_max"], cited, "silt packs the carbon; filter it first"),
            FeedLimit("iron_bacteria", None, 0.0, cited, "slime fouls the bed; disinfect first"),
            *(
                [FeedLimit("hydrogen_sulfide", None, row["sulfide_max"], cited, "more sulfide than carbon takes")]
                if keys.medium == "catalytic"
                else []
            ),
        ]

    def size(self, keys: CarbonKeys, water: Water, duty: Duty) -> Sizing:
        return self._size_block(keys, water, duty) if is_block(keys) else self._size_bed(keys, water, duty)

    def _size_bed(self, keys: CarbonKeys, water: Water, duty: Duty) -> Sizing:
        medium, form = keys.medium or "granular", keys.form or "backwashing"
        asked = tasks(keys, water, duty)
        contact = max(asked.values(), default=duty.rows["carbon"]["contact"]["chlorine"])
        wash = duty.wash if form == "backwashing" else None
        bed = choose_bed(f"{medium}_carbon", duty.flow, contact * duty.flow, wash, water.temperature, keys.tank, keys.vessels, keys.volume)
        figures = bed_figures(bed, duty.flow, water.temperature, backwash=form == "backwashing")
        if form == "backwashing":
            days = float(duty.rows["carbon"]["backwash_days"])
            figures["backwash_interval"] = figure(work("backwash every", "days", days, "day", "beds.cycle", days=(days, "day")))
            figures |= wash_figures(bed, water.temperature)
        figures |= self._common(keys, asked, bed.total_volume, bed.medium.density, water, duty)
        params = {"medium": medium, "form": form, "volume": bed.volume, "tank": bed.tank, "vessels": bed.vessels}
        return Sizing(params, figures, bed)

    def _size_block(self, keys: CarbonKeys, water: Water, duty: Duty) -> Sizing:
        row, rows = duty.rows["carbon"], table("vessels")["cartridges"]
        share = row["block_flow_share"]
        flow = duty.drinking if self.at_tap(keys) else duty.flow
        housing = keys.housing or next((h for h in HOUSINGS if rows[h]["gpm"] * GPM * share >= flow), HOUSINGS[-1])
        litres, rated = float(row["block_litres"][housing]), rows[housing]["gpm"] * GPM * share
        asked = tasks(keys, water, duty)
        figures: dict[str, Figure] = {
            "media_volume": figure(work("carbon", "block", litres, "L", "carbon.contact", block=(litres, "L"))),
            "service_flow_limit": figure(
                work(
                    "flow",
                    "rated × gpm × share",
                    rated,
                    "L/min",
                    "sediment.flow",
                    rated=(rows[housing]["gpm"], "gpm"),
                    gpm=(GPM, "L/min per gpm"),
                    share=(share, ""),
                )
            ),
        }
        figures |= self._common(keys, asked, litres, 0.5, water, duty)
        return Sizing({"medium": keys.medium or "block", "form": "cartridge", "housing": housing}, figures)

    def _common(self, keys: CarbonKeys, asked: dict[str, float], litres: float, density: float, water: Water, duty: Duty) -> dict[str, Figure]:
        """Contact and life, from the litres of carbon."""
        row = duty.rows["carbon"]
        flow, daily = (duty.drinking, duty.drinking_daily) if self.at_tap(keys) else (duty.flow, duty.daily)
        contact = litres / flow
        chlorine = max(water.value("total_chlorine"), water.value("free_chlorine"))
        yearly = chlorine * daily * 365 / 1e6
        cap = float(row["cartridge_months"] if is_block(keys) else row["organics_months"] if {"organics", "pfas"} & set(asked) else row["years"] * 12)
        months = min(litres * density * row["chlorine_capacity"] / max(yearly / 12, 1e-9), cap)
        return {
            "contact_time": figure(work("contact", "litres ÷ flow", contact, "min", "carbon.contact", litres=(litres, "L"), flow=(flow, "L/min"))),
            "contact_needed": figure(
                work("contact needed", "needed", max(asked.values(), default=row["contact"]["chlorine"]), "min", "carbon.contact", needed=(max(asked.values(), default=row["contact"]["chlorine"]), "min"))
            ),
            "replacement_interval": figure(
                work("chlorine a year", "chlorine × daily × 365 ÷ 1000000", yearly, "kg", "carbon.life", chlorine=(chlorine, "mg/L"), daily=(daily, "L/day")),
                work("life", "min(litres × density × capacity ÷ max(year ÷ 12, 0.000000001), cap)", months, "month", "carbon.life",
                     litres=(litres, "L"), density=(density, "kg/L"), capacity=(row["chlorine_capacity"], "kg/kg"), year=(yearly, "kg"), cap=(cap, "month")),
            ),
        }  # fmt: skip

    def _left(self, keys: CarbonKeys, sizing: Sizing, duty: Duty, task: str, needed: float) -> float:
        """Share left after the bed: first order in contact, so that half the contact leaves the root."""
        contact = sizing.figures["contact_time"].value * (duty.rows["carbon"]["block_gain"] if is_block(keys) else 1.0)
        return float(duty.rows["carbon"]["left"][task] ** min(contact / needed, 2.0))

    def treat(self, keys: CarbonKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        asked, changes = tasks(keys, water, duty), {}
        rows = duty.rows["carbon"]["contact"]
        free, combined = water.value("free_chlorine"), chloramine(water)
        if free > 0:
            free *= self._left(keys, sizing, duty, "chlorine", rows["chlorine"])
        if combined > 0:
            combined *= self._left(keys, sizing, duty, "chloramine", rows["chloramine" if keys.medium == "catalytic" else "chloramine_granular"])
        if water.get("free_chlorine") is not None:
            changes["free_chlorine"] = free
        if water.get("total_chlorine") is not None:
            changes["total_chlorine"] = free + combined
        if "sulfide" in asked:
            most = duty.rows["carbon"]["sulfide_max"]
            held = min(water.value("hydrogen_sulfide"), most)
            changes["hydrogen_sulfide"] = water.value("hydrogen_sulfide") - held * (1 - self._left(keys, sizing, duty, "sulfide", rows["sulfide"]))
        for name in (*ORGANICS, "odour"):
            if water.get(name) is not None:
                changes[name] = water.value(name) * self._left(keys, sizing, duty, "organics", rows["organics"])
        if water.get("pfas") is not None:
            changes["pfas"] = water.value("pfas") * self._left(keys, sizing, duty, "pfas", rows["pfas"])
        if is_block(keys):
            for name in ("turbidity", "tss"):
                if water.get(name) is not None:
                    changes[name] = water.value(name) * duty.rows["carbon"]["block_particles_left"]
        return water.with_(**changes) if changes else water

    def loss(self, keys: CarbonKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        if sizing.bed is None:
            row = table("vessels")["cartridges"][sizing.params["housing"]]
            clean = square_law(flow, sizing.figures["service_flow_limit"].value, row["psi"] * PSI)
            return clean, clean + table("stages")["sediment"]["change_kpa"]
        clean = sizing.bed.loss(flow, temperature)
        return clean, clean * table("stages")["carbon"]["dirty_factor"]

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        catalytic = CarbonKeys(medium="catalytic", form="upflow" if duty.facts.wishes.no_power else "backwashing")
        granular = CarbonKeys(medium="granular", form="upflow" if duty.facts.wishes.no_power else "backwashing")
        found: list[Any] = []
        if chloramine(water) > TASTED or water.value("hydrogen_sulfide") > 0.02:
            found.append(catalytic)
        elif tasks(granular, water, duty):
            found.append(granular)
        return found

    def schools(self, keys: CarbonKeys, water: Water, system: str) -> list[str]:
        said = ["Before the softener on chlorinated town water, after it on a clear well (ours); others always one or the other."]
        if not is_block(keys):
            said.append("Chloramine on catalytic carbon at 3 min (ours); others give granular carbon 10 min.")
        return said

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        gone = []
        if before.value("free_chlorine") > TASTED:
            gone.append("free chlorine")
        if chloramine(before) > TASTED:
            gone.append("chloramine")
        if before.value("hydrogen_sulfide") > after.value("hydrogen_sulfide") + 0.01:
            gone.append("sulfide")
        gone += [name.replace("_", " ") for name in (*ORGANICS, "pfas") if before.value(name) - after.value(name) > 0.3]
        return "takes out " + (", ".join(gone) or "taste and odour")

    def body(self, keys: CarbonKeys, sizing: Sizing) -> tuple[float, float, float]:
        return super().body(keys, sizing) if sizing.bed else cartridge_body(sizing.params["housing"])


@rule("sediment-after-carbon", "carbon.feed", on="carbon")
def sediment_after_carbon(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Particles meet the carbon first, and the sediment filter stands after it."""
    from .sediment import solids

    filters = [other.index for other in audit.run.stages if other.kind == "sediment"]
    limit = audit.duty.rows["carbon"]["turbidity_max"]
    if filters and min(filters) > stage.index and (stage.water_in.value("turbidity") > limit or solids(stage.water_in) > 1.5 * limit):
        yield Hit("fault", f"Particles ({audit.show(stage.water_in.value('turbidity'), 'NTU')}) reach the carbon first; the sediment filter stands after it.",
                  "Put a sediment filter before the carbon; a second one after it catches fines.")  # fmt: skip


@rule("contact-short/<kind>", "carbon.contact", on="carbon")
def contact_short(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Too little contact at design flow for what the carbon should take out."""
    asked = tasks(stage.keys, stage.water_in, audit.duty)
    given = stage.sizing.figures["contact_time"].value * (audit.duty.rows["carbon"]["block_gain"] if is_block(stage.keys) else 1.0)
    for task, needed in asked.items():
        if given < needed * 0.98:
            severity = "fault" if task in ("organics", "pfas", "chloramine") or given < 0.6 * needed else "caution"
            yield Hit(severity, f"{given:.1f} min of contact at design flow; {task} asks {needed:g} min.",
                      "More carbon, a second vessel, catalytic carbon for chloramine, or less flow.", ("carbon",))  # fmt: skip
