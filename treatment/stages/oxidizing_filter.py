"""Iron filters: oxidise dissolved iron, manganese and sulfide, and hold what precipitates."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ..beds import FT3, Bed, bed_figures, choose_bed, wash_figures
from ..figure import Figure, figure, source, work
from ..hydraulics import GPM, PSI, square_law
from ..rules import Hit, rule
from ..spec import Choice, key
from ..tables import table
from ..water import ACID_OF_IRON, ACID_OF_MANGANESE, Water
from .base import BedKeys, FeedLimit, Room, Sizing, cartridge_body
from .sediment import HOUSINGS

if TYPE_CHECKING:
    from ..audit import Audit
    from ..duty import Duty
    from ..train import StageRun

GAL = 3.785411784  # L
MANGANESE_MATTERS = 0.05  # mg/L
O2_PER_FE, O2_PER_MN, O2_PER_H2S = 0.1432, 0.2912, 0.4694


MEDIA = ("air_charged", "coated_oxygen", "greensand", "manganese_dioxide", "cartridge")
BEDS = ("coated_silica", "oxygen_medium", "manganese_dioxide")
#: medium -> row of data/stages.toml, its bed in data/media.toml, and what people call it
KINDS = {
    "air_charged": ("oxidizing_filter", "air_charged", "Air-charged iron filter"),
    "coated_oxygen": ("coated_oxygen", "oxygen_medium", "Oxygen-fed iron filter"),
    "greensand": ("greensand", "greensand", "Greensand filter"),
    "manganese_dioxide": ("manganese_dioxide", "manganese_dioxide", "Manganese dioxide filter"),
}


@dataclass(frozen=True, slots=True)
class OxidizingFilterKeys(BedKeys):
    medium: str | None = key(Choice(MEDIA), None, "how it oxidises")
    bed: str | None = key(Choice(BEDS), None, "medium of an air-charged vessel")
    housing: str | None = key(Choice(HOUSINGS), None, "housing of an oxidising cartridge")


def is_cartridge(keys: OxidizingFilterKeys) -> bool:
    return keys.medium == "cartridge"


def row_of(keys: OxidizingFilterKeys, duty: Duty) -> dict[str, Any]:
    """Working values of the medium of a bed."""
    found: dict[str, Any] = duty.rows[KINDS[keys.medium or "air_charged"][0]]
    return found


class OxidizingFilter(Room):
    kind = "oxidizing_filter"
    title = "Iron filter"
    silhouette = "vessel"
    Keys = OxidizingFilterKeys
    answers = ("iron", "manganese", "hydrogen_sulfide")
    holds_particles = True
    uses_power = True
    peak_effect = "iron leaks through"
    cautions = (
        "Air-charged beds: never chlorinate the medium unless its maker says so.",
        "Regenerate once or twice before first use; the first water runs to drain.",
        "Permanganate stains and burns: gloves and goggles, away from acid and other cleaners.",
        "A filled vessel is heavy: two people and a trolley.",
    )

    def rows(self, keys: Any) -> tuple[str, ...]:
        return ("oxidizing_cartridge",) if is_cartridge(keys) else tuple(dict.fromkeys(("oxidizing_filter", KINDS[keys.medium or "air_charged"][0])))

    def name(self, keys: OxidizingFilterKeys) -> str:
        return "Oxidising cartridge" if is_cartridge(keys) else KINDS[keys.medium or "air_charged"][2]

    def feed_limits(self, keys: OxidizingFilterKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        if is_cartridge(keys):
            row, cited = duty.rows["oxidizing_cartridge"], source("iron.feed_cartridge")
            return [FeedLimit("ph", row["ph_min"], None, cited, "below it the iron does not oxidise in the cartridge")]
        row, cited, medium = row_of(keys, duty), source("iron.feed_air"), keys.medium or "air_charged"
        limits = [
            FeedLimit("iron", None, row["iron_max"], cited, "more iron than the bed clears between backwashes"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "more manganese than the bed takes"),
            FeedLimit("hydrogen_sulfide", None, row["sulfide_max"], cited, "more sulfide than the bed oxidises"),
            FeedLimit("ph", row["ph_min"], None, cited, "below it iron oxidises too slowly on the bed"),
            FeedLimit("tannin", None, row["tannin_max"], cited, "tannin keeps iron in solution and coats the medium"),
            FeedLimit("iron_bacteria", None, 0.0, cited, "slime seals the bed; disinfect first"),
        ]
        if "ph_max" in row:
            limits.append(FeedLimit("ph", None, row["ph_max"], cited, "above it colloids form that pass the bed"))
        if medium == "coated_oxygen":
            limits.append(FeedLimit("free_chlorine", None, row["chlorine_max"], cited, "chlorine harms this medium"))
        elif medium == "air_charged":
            because = "air-charged media are kept free of chlorine unless their maker allows it; ask, or take greensand"
            limits.append(FeedLimit("free_chlorine", None, row["chlorine_max"], cited, because, "caution"))
        if medium == "coated_oxygen":
            needed = row["oxygen_share"] * water.iron
            limits.append(FeedLimit("dissolved_oxygen", needed, None, cited, "this medium works with the oxygen in the water"))
        if medium == "manganese_dioxide" and water.value("free_chlorine") <= 0 and water.value("dissolved_oxygen") <= 0 and water.iron > 1:
            limits.append(FeedLimit("hydrogen_sulfide", None, 0.5, cited, "without an oxidant fed ahead of it", "caution"))
        if water.value("manganese") > MANGANESE_MATTERS:
            because = "below it manganese passes the bed; a softener after it may take the rest"
            limits.append(FeedLimit("ph", row["ph_min_manganese"], None, cited, because, "advice"))
        return limits

    def size(self, keys: OxidizingFilterKeys, water: Water, duty: Duty) -> Sizing:
        return self._size_cartridge(keys, water, duty) if is_cartridge(keys) else self._size_bed(keys, water, duty)

    def _demand(self, water: Water) -> Any:
        fe, mn, h2s = water.value("ferrous_iron"), water.value("manganese"), water.value("hydrogen_sulfide")
        need = O2_PER_FE * fe + O2_PER_MN * mn + O2_PER_H2S * h2s
        return figure(
            work(
                "oxygen demand",
                "0.1432 × Fe + 0.2912 × Mn + 0.4694 × H2S",
                need,
                "mg/L",
                "iron.oxidant",
                Fe=(fe, "mg/L"),
                Mn=(mn, "mg/L"),
                H2S=(h2s, "mg/L"),
            )
        )

    def _size_bed(self, keys: OxidizingFilterKeys, water: Water, duty: Duty) -> Sizing:
        row, medium = duty.rows["oxidizing_filter"], keys.medium or "air_charged"
        load = (water.iron + water.value("manganese")) * duty.daily / 1000
        bed = choose_bed(KINDS[medium][1], duty.flow, 0.0, duty.wash, water.temperature, keys.tank, keys.vessels, keys.volume)
        figures = bed_figures(bed, duty.flow, water.temperature)
        figures["oxidant_demand"] = self._demand(water)
        figures |= wash_figures(bed, water.temperature)
        holds = bed.total_area * row["iron_load"]
        days = min(holds / max(load, 1e-6), 365.0)
        figures["days_between_regenerations"] = figure(
            work("iron and manganese a day", "(Fe + Mn) × daily ÷ 1000", load, "g", "iron.load", Fe=(water.iron, "mg/L"), Mn=(water.value("manganese"), "mg/L"), daily=(duty.daily, "L/day")),
            work("bed holds", "area × load", holds, "g", "iron.load", area=(bed.total_area, "m2"), load=(row["iron_load"], "g/m2")),
            work("days", "min(holds ÷ max(day, 0.000001), 365)", days, "day", "iron.load", holds=(holds, "g"), day=(load, "g")),
        )  # fmt: skip
        if medium == "greensand" and water.value("free_chlorine") <= 0:
            figures |= self._permanganate(water, duty, bed)
            days = min(days, figures["days_between_regenerations"].value)
        interval = float(max(1, min(int(days), row["interval_max"])))
        figures["backwash_interval"] = figure(work("backwash every", "interval", interval, "day", "iron.air", interval=(interval, "day")))
        params = {
            "medium": medium,
            **({"bed": keys.bed or "coated_silica"} if medium == "air_charged" else {}),
            "volume": bed.volume,
            "tank": bed.tank,
            "vessels": bed.vessels,
        }
        return Sizing(params, figures, bed)

    def _permanganate(self, water: Water, duty: Duty, bed: Bed) -> dict[str, Figure]:
        """Greensand without a feed ahead of it: regenerated with permanganate, by its oxidant demand."""
        row = duty.rows["greensand"]
        fe, mn, h2s = water.iron, water.value("manganese"), water.value("hydrogen_sulfide")
        demand = fe + 2 * mn + 5 * h2s
        per_litre = row["permanganate_capacity"] * GAL / FT3
        room, day = per_litre * bed.total_volume / 1000, demand * duty.daily / 1000
        days = min(room / max(day, 1e-6), 365.0)
        dose = row["permanganate_oz_ft3"] * 0.0283495 / FT3 * bed.total_volume
        need = work(
            "permanganate demand",
            "1 × Fe + 2 × Mn + 5 × H2S",
            demand,
            "mg/L",
            "iron.permanganate",
            Fe=(fe, "mg/L"),
            Mn=(mn, "mg/L"),
            H2S=(h2s, "mg/L"),
        )
        return {
            "oxidant_demand": figure(need),
            "days_between_regenerations": figure(
                need,
                work("bed holds", "10000 × 3.7854 ÷ 28.3168 × volume ÷ 1000", room, "g KMnO4", "iron.permanganate", volume=(bed.total_volume, "L")),
                work("days", "min(holds ÷ max(demand × daily ÷ 1000, 0.000001), 365)", days, "day", "iron.permanganate", holds=(room, "g"), demand=(demand, "mg/L"), daily=(duty.daily, "L/day")),
            ),
            "permanganate_per_regeneration": figure(work("permanganate", "2 × 0.02835 ÷ 28.3168 × volume", dose, "kg", "iron.permanganate", volume=(bed.total_volume, "L"))),
        }  # fmt: skip

    def _size_cartridge(self, keys: OxidizingFilterKeys, water: Water, duty: Duty) -> Sizing:
        share = duty.rows["oxidizing_cartridge"]["flow_share"]
        rows = table("vessels")["cartridges"]
        housing = keys.housing or next((h for h in HOUSINGS if rows[h]["gpm"] * GPM * share >= duty.flow), HOUSINGS[-1])
        load, holds = water.iron * duty.daily / 1000, float(rows[housing]["iron_g"])
        months = min(holds / max(load * 30.4, 1e-9), 6.0)
        figures = {
            "oxidant_demand": self._demand(water),
            "service_flow_limit": figure(
                work(
                    "flow",
                    "rated × gpm × share",
                    rows[housing]["gpm"] * GPM * share,
                    "L/min",
                    "iron.feed_cartridge",
                    rated=(rows[housing]["gpm"], "gpm"),
                    gpm=(GPM, "L/min per gpm"),
                    share=(share, ""),
                ),
            ),
            "replacement_interval": figure(
                work("iron a day", "Fe × daily ÷ 1000", load, "g", "iron.cartridge_capacity", Fe=(water.iron, "mg/L"), daily=(duty.daily, "L/day")),
                work(
                    "life",
                    "min(capacity ÷ max(day × 30.4, 0.000001), 6)",
                    months,
                    "month",
                    "iron.cartridge_capacity",
                    capacity=(holds, "g"),
                    day=(load, "g"),
                ),
            ),
        }
        return Sizing({"medium": "cartridge", "housing": housing}, figures)

    def treat(self, keys: OxidizingFilterKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        ferrous, ferric, mn = water.value("ferrous_iron"), water.value("ferric_iron"), water.get("manganese")
        if is_cartridge(keys):
            row = duty.rows["oxidizing_cartridge"]
            oxidised = ferrous * (1 - row["iron_left"])
            changes = {"ferrous_iron": ferrous - oxidised, "ferric_iron": ferric * row["rust_left"] + oxidised * row["iron_pass_as_rust"]}
            return self._oxidise(water, oxidised, 0.0, changes)
        row, common = row_of(keys, duty), duty.rows["oxidizing_filter"]
        works = 1.0 if water.ph >= row["ph_min"] else max(0.3, 1 - (row["ph_min"] - water.ph))
        left = max(common["iron_floor"], row["iron_left"] * (ferrous + ferric)) if works == 1.0 else (1 - works) * ferrous
        left = min(left, ferrous + ferric)
        after_ferrous = min(ferrous, left)
        changes = {"ferrous_iron": after_ferrous, "ferric_iron": left - after_ferrous}
        mn_gone = 0.0
        if mn is not None:
            share = row["manganese_left"] if water.ph >= row["ph_min_manganese"] else row["manganese_left_low_ph"]
            changes["manganese"], mn_gone = mn * share, mn * (1 - share)
        if water.get("hydrogen_sulfide") is not None:
            changes["hydrogen_sulfide"] = water.value("hydrogen_sulfide") * (common["sulfide_left"] if row["sulfide_max"] > 0 else 1.0)
        for name in ("turbidity", "tss"):
            if water.get(name) is not None:
                changes[name] = water.value(name) * common["particles_left"]
        return self._oxidise(water, ferrous - after_ferrous, mn_gone, changes)

    def _oxidise(self, water: Water, iron: float, manganese: float, changes: dict[str, float]) -> Water:
        """Oxidation makes acid: two equivalents for each iron or manganese ion; it stops where no alkalinity is left to take it."""
        acid = iron * ACID_OF_IRON + manganese * ACID_OF_MANGANESE
        share = water.carries(acid)
        if share < 1:
            changes["ferrous_iron"] += iron * (1 - share)
            if manganese:
                changes["manganese"] += manganese * (1 - share)
        if water.get("iron") is None:
            changes = {name: value for name, value in changes.items() if name not in ("ferrous_iron", "ferric_iron")}
        return water.soured(acid * share, **changes)

    def loss(self, keys: OxidizingFilterKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        if sizing.bed is None:
            row = table("vessels")["cartridges"][sizing.params["housing"]]
            clean = square_law(flow, row["gpm"] * GPM * table("stages")["oxidizing_cartridge"]["flow_share"], row["psi"] * PSI)
            return clean, clean + table("stages")["sediment"]["change_kpa"]
        clean = sizing.bed.loss(flow, temperature)
        return clean, clean * table("stages")["oxidizing_filter"]["dirty_factor"]

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        if water.value("iron") <= 0.02 and water.value("manganese") <= 0.01 and water.value("hydrogen_sulfide") <= 0.01:
            return []
        options: list[Any] = []
        if not duty.facts.wishes.no_power:
            options.append(OxidizingFilterKeys(medium="air_charged"))
            row = duty.rows["oxidizing_filter"]
            hard = (
                water.iron > row["iron_max"]
                or water.value("manganese") > row["manganese_max"]
                or water.value("hydrogen_sulfide") > row["sulfide_max"]
            )
            if (
                hard
                or water.ph < row["ph_min"]
                or water.value("tannin") > row["tannin_max"]
                or water.value("iron_bacteria") > 0
                or water.value("manganese") > 0.3
            ):
                options.append(OxidizingFilterKeys(medium="greensand"))
            if water.value("hydrogen_sulfide") > row["sulfide_max"]:
                options.append(OxidizingFilterKeys(medium="manganese_dioxide"))
        if water.iron <= duty.rows["oxidizing_cartridge"]["iron_max"]:
            options.append(OxidizingFilterKeys(medium="cartridge"))
        return options

    def schools(self, keys: OxidizingFilterKeys, water: Water, system: str) -> list[str]:
        if is_cartridge(keys):
            return ["An oxidising cartridge up to 3 mg/L of iron; others fit a tank from the first trace."]
        return [
            "An air-charged bed, no chemicals (ours); others feed chlorine with contact time, or regenerate greensand with permanganate.",
            "Above 10 mg/L of iron, or iron bacteria: chlorine feed, contact and greensand or manganese dioxide (ours); others aerate and filter.",
        ]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        gone = [f"iron from {before.iron:.2g} to {after.iron:.2g} mg/L"] if before.iron > 0.05 else []
        if before.value("manganese") > 0.02:
            gone.append(f"manganese from {before.value('manganese'):.2g} to {after.value('manganese'):.2g} mg/L")
        if before.value("hydrogen_sulfide") > 0.02:
            gone.append(f"sulfide from {before.value('hydrogen_sulfide'):.2g} to {after.value('hydrogen_sulfide'):.2g} mg/L")
        return "oxidises and holds " + (", ".join(gone) or "iron")

    def body(self, keys: OxidizingFilterKeys, sizing: Sizing) -> tuple[float, float, float]:
        if sizing.bed:
            return super().body(keys, sizing)
        return cartridge_body(sizing.params["housing"])

    def micron(self, keys: OxidizingFilterKeys, sizing: Sizing) -> float | None:
        return 20.0


@rule("cartridge-iron", "iron.feed_cartridge", on="oxidizing_filter")
def cartridge_iron(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """An oxidising cartridge asked to hold more iron than a cartridge can."""
    limit = audit.duty.rows["oxidizing_cartridge"]["iron_max"]
    if is_cartridge(stage.keys) and stage.water_in.iron > limit:
        yield Hit("fault", f"{audit.show(stage.water_in.iron, 'mg/L')} of iron reaches an oxidising cartridge; cartridges end at {limit:g} mg/L.",
                  "Use an iron filter tank: above this there is no cartridge answer.")  # fmt: skip


@rule("oxidized-not-caught", "iron.feed_cartridge", on="oxidizing_filter")
def oxidized_not_caught(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Iron is oxidised with nothing after it that holds the rust."""
    if is_cartridge(stage.keys) and not any(other.room.holds_particles for other in audit.run.stages[stage.index + 1 :]):
        yield Hit("fault", f"The cartridge turns {audit.show(stage.water_in.value('ferrous_iron'), 'mg/L')} of iron to rust and lets fines by; nothing after it holds them.",
                  "Put a 5 µm filter after it.")  # fmt: skip
