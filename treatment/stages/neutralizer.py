"""Acid neutralizer: a bed of calcite that dissolves into acid water, raising pH, alkalinity and hardness."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from .. import carbonate
from ..beds import Bed, Medium, bed_figures, choose_bed, medium, wash_figures
from ..carbonate import CACO3, CO2
from ..figure import Line, figure, source, work
from ..kinetics import dissolving
from ..rules import Hit, rule
from ..spec import Choice, Fraction, Number, key
from ..tables import table
from ..water import Water
from .base import BedKeys, FeedLimit, Room, Sizing

if TYPE_CHECKING:
    from ..audit import Audit
    from ..duty import Duty
    from ..train import StageRun

MG_PER_MOL = CACO3 * 1000


@dataclass(frozen=True, slots=True)
class NeutralizerKeys(BedKeys):
    medium: str | None = key(Choice(("calcite", "blend")), None, "what dissolves")
    magnesia: float | None = key(Fraction(), None, "mass fraction of magnesia in a blend")
    flow: str | None = key(Choice(("down", "up")), None, "down-flow is backwashed; up-flow needs clean water, no drain")
    target_ph: float | None = key(Number(6.5, 8.5), None, "pH to reach at design flow")


def surface_time(contact: float, m: Medium) -> float:
    """Surface that a volume of water meets in a bed, times how long [s m2/m3]; contact: empty-bed contact [min].

    The water fills only the pores, but meets their whole surface: porosity cancels out of time x surface.
    """
    return contact * 60 * 6 * (1 - m.porosity) / (m.sphericity * m.grain)


def medium_of(keys: NeutralizerKeys) -> str:
    return "calcite_blend" if keys.medium == "blend" else "calcite"


def magnesia_of(keys: NeutralizerKeys) -> float:
    """Mass fraction of magnesia in a blend [-]."""
    return float(keys.magnesia if keys.magnesia is not None else table("stages")["blend"]["magnesia"])


def ph_left(water: Water, after: Water, dissolved: float) -> Line:
    """The pH that so much dissolved [mg/L] leaves."""
    carbon_dioxide = (water.carbon_dioxide, "mg/L")
    return work("pH out", "solve(CO2, dissolved)", after.ph, "pH", "chemistry.carbonate", CO2=carbon_dioxide, dissolved=(dissolved, "mg/L"))


def medium_a_year(sum_of: str, duty: Duty, **parts: float) -> Line:
    """Medium that dissolves in a year [kg]; sum_of: the parts [mg/L] as an expression."""
    yearly = sum(parts.values()) * duty.daily * 365 / 1e6
    each = {name: (value, "mg/L") for name, value in parts.items()}
    return work("medium a year", f"{sum_of} × daily × 365 ÷ 1000000", yearly, "kg", "neutralizer.sizing", **each, daily=(duty.daily, "L/day"))


class Neutralizer(Room):
    kind = "neutralizer"
    title = "Acid neutralizer"
    silhouette = "vessel"
    Keys = NeutralizerKeys
    answers = ("ph",)
    uses_power = True
    peak_effect = "the pH dips"
    cautions = (
        "A filled vessel is heavy: two people and a trolley, on a floor that bears it.",
        "It adds hardness: test hardness after it, not before.",
        "Top up the medium before a third has dissolved, with the vessel shut off and relieved of pressure.",
    )

    def rows(self, keys: Any) -> tuple[str, ...]:
        return ("blend", "neutralizer") if keys.medium == "blend" else ("neutralizer",)

    def name(self, keys: NeutralizerKeys) -> str:
        return "Blend neutralizer" if keys.medium == "blend" else "Calcite neutralizer"

    def feed_limits(self, keys: NeutralizerKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        limit, cited = duty.rows["neutralizer"], source("neutralizer.feed")
        return [
            FeedLimit("iron", None, limit["iron_max"], cited, "more iron coats the grains and stops them dissolving"),
            FeedLimit("turbidity", None, limit["turbidity_max"], cited, "silt packs the bed"),
        ]

    def _contact_for(self, water: Water, target: float, rows: dict[str, Any]) -> float:
        """Empty-bed contact [min] that reaches the target, or comes within 0.1 of saturation where that is lower."""
        state = water.state
        if state.ph >= target:
            return float(rows["contact_min"])
        ceiling = carbonate.calcite_to_saturation(water.solution, state.carbon).state.ph
        wanted = carbonate.calcite_to_ph(water.solution, state.carbon, min(target, ceiling - 0.1))
        time = dissolving(water.solution, state.carbon).time_to(wanted.amount)
        return float(min(max(time / surface_time(1.0, medium("calcite")), rows["contact_min"]), rows["contact_most"]))

    def _bed(self, keys: NeutralizerKeys, water: Water, duty: Duty, target: float, wash: float | None) -> Bed:
        """Two vessels at most where they carry the flow: the contact wished for, else the most they hold."""

        def choose(contact: float) -> Bed:
            return choose_bed(medium_of(keys), duty.flow, contact * duty.flow, wash, water.temperature, keys.tank, keys.vessels, keys.volume)

        blend = keys.medium == "blend"
        least = choose(duty.rows["blend" if blend else "neutralizer"]["contact_min"])
        if keys.volume or blend:
            return least
        best, contact = least, self._contact_for(water, target, duty.rows["neutralizer"])
        while contact > duty.rows["neutralizer"]["contact_min"]:
            bed = choose(contact)
            washed = wash is None or bed.backwash_flow(water.temperature) <= wash
            if bed.vessels <= least.vessels and washed and bed.total_volume >= contact * duty.flow * 0.99:
                return bed
            contact -= 0.5
        return best

    def size(self, keys: NeutralizerKeys, water: Water, duty: Duty) -> Sizing:
        rows = duty.rows["neutralizer"]
        target = keys.target_ph or duty.facts.wishes.target_ph or rows["target_ph"]
        flow = keys.flow or "down"
        bed = self._bed(keys, water, duty, target, duty.wash if flow == "down" else None)
        figures = bed_figures(bed, duty.flow, water.temperature, backwash=flow == "down")
        if flow == "down":
            days = float(rows["backwash_days"])
            figures["backwash_interval"] = figure(work("backwash every", "days", days, "day", "beds.cycle", days=(days, "day")))
            figures |= wash_figures(bed, water.temperature)
        params: dict[str, Any] = {
            "medium": keys.medium or "calcite",
            "flow": flow,
            "volume": bed.volume,
            "tank": bed.tank,
            "vessels": bed.vessels,
            "target_ph": target,
        }
        if keys.medium == "blend":
            params["magnesia"] = magnesia_of(keys)
        sizing = Sizing(params, figures, bed)
        after = self.treat(keys, sizing, water, duty)
        if keys.medium == "blend":
            self._blend_chemistry(figures, keys, sizing, water, after, duty)
            return sizing
        self._chemistry(figures, sizing, water, after, duty)
        return sizing

    def _chemistry(self, figures: dict[str, Any], sizing: Sizing, water: Water, after: Water, duty: Duty) -> None:
        bed = sizing.bed
        assert bed is not None
        state, m = water.state, bed.medium
        ceiling = carbonate.calcite_to_saturation(water.solution, state.carbon)
        dissolved = after.hardness - water.hardness
        contact = bed.total_volume / duty.flow
        met = surface_time(contact, m)
        meets = work("surface met", "contact × 60 × 6 × (1 − porosity) ÷ (sphericity × grain)", met, "s m2/m3", "neutralizer.surface",
                     contact=(contact, "min"), porosity=(m.porosity, ""), grain=(m.grain, "m"), sphericity=(m.sphericity, ""))  # fmt: skip
        most = ceiling.amount * MG_PER_MOL
        acid = work("free CO2", "solve(pH, alkalinity, temperature)", water.carbon_dioxide, "mg/L", "chemistry.carbonate",
                    pH=(water.ph, ""), alkalinity=(water.value("alkalinity"), "mg/L CaCO3"), temperature=(water.temperature, "degC"))  # fmt: skip
        goes = work(
            "calcite dissolved",
            "solve(surface, ceiling)",
            dissolved,
            "mg/L",
            "chemistry.calcite_rate",
            surface=(met, "s m2/m3"),
            ceiling=(most, "mg/L"),
        )
        figures["calcite_dissolved"] = figure(
            acid,
            work("most that CO2 could", "CO2 × 2.274", water.carbon_dioxide * CACO3 / CO2, "mg/L", "neutralizer.carbonate", CO2=(water.carbon_dioxide, "mg/L")),
            work("ceiling at saturation", "solve(CO2, calcium)", most, "mg/L", "chemistry.carbonate", CO2=(water.carbon_dioxide, "mg/L"), calcium=(water.value("calcium"), "mg/L")),
            meets, goes,
        )  # fmt: skip
        figures["hardness_added"] = figure(
            work("hardness added", "dissolved", dissolved, "mg/L CaCO3", "neutralizer.carbonate", dissolved=(dissolved, "mg/L"))
        )
        figures["ph_out"] = figure(meets, goes, ph_left(water, after, dissolved))
        slow = dissolving(water.solution, state.carbon).after(met * 2)
        gentle = carbonate.add_calcite(water.solution, state.carbon, slow).state.ph
        figures["ph_at_half_flow"] = figure(
            work(
                "pH at half the flow",
                "solve(CO2, slower)",
                gentle,
                "pH",
                "chemistry.calcite_rate",
                CO2=(water.carbon_dioxide, "mg/L"),
                slower=(slow * MG_PER_MOL, "mg/L"),
            )
        )
        figures["ph_ceiling"] = figure(
            work(
                "pH at saturation",
                "solve(CO2, ceiling)",
                ceiling.state.ph,
                "pH",
                "chemistry.carbonate",
                CO2=(water.carbon_dioxide, "mg/L"),
                ceiling=(most, "mg/L"),
            )
        )
        figures["hardness_ceiling"] = figure(
            work(
                "hardness after standing",
                "raw + ceiling",
                water.hardness + most,
                "mg/L CaCO3",
                "neutralizer.carbonate",
                raw=(water.hardness, "mg/L CaCO3"),
                ceiling=(most, "mg/L"),
            )
        )
        yearly = medium_a_year("dissolved", duty, dissolved=dissolved)
        figures["media_per_year"] = figure(yearly)
        self._refill(figures, bed, yearly.value, duty.rows["neutralizer"]["refill_share"])

    def _blend_chemistry(self, figures: dict[str, Any], keys: NeutralizerKeys, sizing: Sizing, water: Water, after: Water, duty: Duty) -> None:
        """What a blend dissolves: calcite and magnesia in the proportion of the blend, towards its target."""
        bed, share = sizing.bed, magnesia_of(keys)
        assert bed is not None
        calcite = (after.value("calcium") - water.value("calcium")) / carbonate.CA * CACO3
        magnesia = calcite * share / (1 - share)
        goes = work("calcite dissolved", "solve(CO2, target, magnesia)", calcite, "mg/L", "chemistry.carbonate",
                    CO2=(water.carbon_dioxide, "mg/L"), target=(sizing.params["target_ph"], "pH"), magnesia=(share, ""))  # fmt: skip
        both = work(
            "magnesia dissolved", "calcite × share ÷ (1 − share)", magnesia, "mg/L", "neutralizer.blend", calcite=(calcite, "mg/L"), share=(share, "")
        )
        added = after.hardness - water.hardness
        figures["calcite_dissolved"] = figure(goes)
        figures["magnesia_dissolved"] = figure(goes, both)
        figures["hardness_added"] = figure(
            work(
                "hardness added",
                "calcite + magnesia × 100.0869 ÷ 40.304",
                added,
                "mg/L CaCO3",
                "neutralizer.blend",
                calcite=(calcite, "mg/L"),
                magnesia=(magnesia, "mg/L"),
            )
        )
        figures["ph_out"] = figure(goes, ph_left(water, after, calcite + magnesia))
        standing = float(duty.rows["blend"]["standing_ph"])
        figures["ph_standing"] = figure(work("pH after a night's standing", "about", standing, "pH", "neutralizer.blend", about=(standing, "pH")))
        yearly = medium_a_year("(calcite + magnesia)", duty, calcite=calcite, magnesia=magnesia)
        figures["media_per_year"] = figure(yearly)
        self._refill(figures, bed, yearly.value, duty.rows["neutralizer"]["refill_share"])

    def _refill(self, figures: dict[str, Any], bed: Bed, yearly: float, share: float) -> None:
        mass = bed.total_volume * bed.medium.density
        months = min(mass * share / max(yearly / 12, 1e-9), 60.0)
        figures["refill_interval"] = figure(
            work("medium in the bed", "volume × density", mass, "kg", "beds.media", volume=(bed.total_volume, "L"), density=(bed.medium.density, "kg/L")),
            work("refill", "min(bed × share ÷ max(year ÷ 12, 0.000001), 60)", months, "month", "neutralizer.sizing", bed=(mass, "kg"), share=(share, ""), year=(yearly, "kg")),
        )  # fmt: skip

    def treat(self, keys: NeutralizerKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        bed = sizing.bed
        assert bed is not None
        state = water.state
        if keys.medium == "blend":
            return self._treat_blend(keys, sizing, water, bed.total_volume / duty.flow / duty.rows["blend"]["contact_min"])
        amount = dissolving(water.solution, state.carbon).after(surface_time(bed.total_volume / duty.flow, bed.medium))
        if amount <= 0:
            return water
        return water.react(
            carbon=amount,
            alkalinity=water.value("alkalinity") + amount * MG_PER_MOL,
            calcium=water.value("calcium") + amount * carbonate.CA * 1000,
        )

    def _treat_blend(self, keys: NeutralizerKeys, sizing: Sizing, water: Water, met: float) -> Water:
        """Calcite and magnesia dissolve together up to the target; met: contact as a share of the least, in proportion below 1."""
        state, share = water.state, magnesia_of(keys)
        if water.ph >= sizing.params["target_ph"]:
            return water
        dosed = carbonate.blend_to_ph(water.solution, state.carbon, sizing.params["target_ph"], share)
        amount = dosed.amount * min(met, 1.0)
        ratio = carbonate.blend_ratio(share)
        return water.react(
            carbon=amount,
            alkalinity=water.value("alkalinity") + amount * (1 + ratio) * MG_PER_MOL,
            calcium=water.value("calcium") + amount * carbonate.CA * 1000,
            magnesium=water.value("magnesium") + amount * ratio * carbonate.MG * 1000,
        )

    def loss(self, keys: NeutralizerKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        assert sizing.bed is not None
        clean = sizing.bed.loss(flow, temperature)
        return clean, clean * table("stages")["neutralizer"]["dirty_factor"]

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        if water.ph >= 7.5 or water.ph < 5.0:
            return []
        rows, wishes = duty.rows["blend"], duty.facts.wishes
        alone = wishes.no_salt or wishes.no_power or duty.facts.schools.hardness != "exchange"
        higher = [NeutralizerKeys(target_ph=7.6)] if alone and water.value("manganese") > 0.05 else []
        blend = [NeutralizerKeys(medium="blend")] if rows["ph_low"] <= water.ph < duty.rows["neutralizer"]["ph_low"] + 0.5 else []
        upward = [NeutralizerKeys(flow="up")] if wishes.no_power else []
        return [*upward, NeutralizerKeys(), *higher, *blend] if not wishes.no_power else upward

    def schools(self, keys: NeutralizerKeys, water: Water, system: str) -> list[str]:
        return [
            f"Before the iron bed while iron is at most {table('stages')['neutralizer']['iron_max']:g} mg/L (ours); others always put iron first, or feed soda ash.",
            f"Designed for pH {table('stages')['neutralizer']['target_ph']} at design flow (ours); others size for saturation and accept harder water.",
        ]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return f"raises pH from {before.ph:.1f} to {after.ph:.1f}; dissolving, it adds hardness"


@rule("calcite-too-acid", "neutralizer.feed", on="neutralizer")
def calcite_too_acid(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Water too acid for calcite alone: it dissolves fast and still leaves the pH low."""
    low = audit.duty.rows["neutralizer"]["ph_low"]
    if stage.keys.medium == "blend":
        low = audit.duty.rows["blend"]["ph_low"]
        if stage.water_in.ph < low:
            yield Hit(
                "fault",
                f"pH {stage.water_in.ph:.1f} reaches the blend; below {low:g} no bed keeps up.",
                "Feed soda ash, or strip the carbon dioxide by aeration first.",
            )
        return
    if stage.water_in.ph < low - 1e-6:
        yield Hit("fault", f"pH {stage.water_in.ph:.1f} reaches the calcite; below {low} calcite alone dissolves too fast and still leaves acid water.",
                  "Use a magnesia blend, feed soda ash, or strip the carbon dioxide by aeration first.")  # fmt: skip


@rule("calcite-idle", "neutralizer.feed", on="neutralizer")
def calcite_idle(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Nothing for calcite to dissolve into: the water is near saturation already."""
    dissolved = stage.sizing.figures["calcite_dissolved"].value
    soft_permeate = stage.water_in.hardness < 20 and stage.water_in.value("alkalinity") < 20
    if soft_permeate and stage.water_in.ph <= 7.5:
        return  # rain or permeate: little dissolves, and that little matters
    if dissolved < 5.0 or stage.water_in.ph > 7.5:
        yield Hit("caution", f"Only {audit.show(dissolved, 'mg/L')} of calcite dissolves at pH {stage.water_in.ph:.1f}: the bed does nothing here.",
                  "Leave the neutralizer out.")  # fmt: skip


@rule("contact-short/<kind>", "neutralizer.sizing", on="neutralizer")
def contact_short(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Too little contact to bring the pH up at design flow."""
    contact, floor = stage.sizing.figures["empty_bed_contact"].value, audit.duty.rows["neutralizer"]["contact_floor"]
    limit = next((limit for limit in audit.limits if limit.analyte == "ph"), None)
    low = limit.low if limit and limit.low else 6.5
    if stage.water_out.ph < low and stage.water_in.ph < low:
        yield Hit("fault", f"pH leaves the bed at {stage.water_out.ph:.1f}, after {contact:.1f} min of contact; {low} is asked.",
                  "More calcite, a second vessel in parallel, or less flow.", ("neutralizer",))  # fmt: skip
    elif contact < floor:
        yield Hit("caution", f"{contact:.1f} min of empty-bed contact at design flow; under {floor} min the pH dips when taps run together.",
                  "More calcite, or a second vessel in parallel.", ("neutralizer",))  # fmt: skip


@rule("blend-overshoot", "neutralizer.blend", on="neutralizer")
def blend_overshoot(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """A magnesia blend on water that calcite alone would do for: the pH shoots up when the water stands."""
    row = audit.duty.rows["blend"]
    if stage.keys.medium != "blend":
        return
    share = magnesia_of(stage.keys)
    if stage.water_in.ph > row["overshoot_ph"] or share > row["magnesia_max"]:
        yield Hit("caution", f"A blend with {share:.0%} magnesia on water of pH {stage.water_in.ph:.1f}: after standing the pH reaches about {row['standing_ph']:g}, and the bed may set solid.",
                  "Use calcite alone, or less magnesia.")  # fmt: skip
