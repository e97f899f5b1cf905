"""Iron filters: oxidise dissolved iron, manganese and sulfide, and hold what precipitates."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.water import ACID_OF_IRON, ACID_OF_MANGANESE, ARSENITE, SULFUR, Water
from ..house.beds import bed_figures, wash_figures
from ..house.demand import interpolate
from ..house.duty import Duty
from ..house.hydraulics import PSI, square_law
from ..house.stock import Wanted
from ..job.feed_limits import FeedLimit
from ..language.figure import Figure, Line, figure, source, stated, work
from ..language.spec import Choice, key
from ..language.tables import table
from ..train.keys import BedKeys
from ..train.over_time import Counted, Filling, Loading, State, Stock, Wash, Washing, washing_of
from ..train.treatment import Fork, Purchase, Sizing, Stage, StageRun, Treatment, cartridge_body
from .carbon import CARBON, CarbonKeys
from .cartridges import HOUSING, cartridge_wanted, changes, housings, rated, smallest
from .chemical_feed import CHEMICAL_FEED, ChemicalFeedKeys
from .retention_tank import RETENTION_TANK, RetentionTankKeys
from .sediment import FINE, SEDIMENT, SedimentKeys

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
    medium: str | None = key(Choice(MEDIA), None, "how it oxidizes", identity=True)
    bed: str | None = key(Choice(BEDS), None, "media of an air-charged vessel", identity=True, sometimes=True)
    housing: str | None = key(HOUSING, None, "housing of an oxidizing cartridge", sometimes=True)


def is_cartridge(keys: OxidizingFilterKeys) -> bool:
    return keys.medium == "cartridge"


def row_of(keys: OxidizingFilterKeys, duty: Duty) -> dict[str, Any]:
    """Working values of the medium of a bed."""
    found: dict[str, Any] = duty.rows[KINDS[keys.medium or "air_charged"][0]]
    return found


#: what the ore takes only so much of where no oxidant is fed ahead of it
UNFED = {"hydrogen_sulfide": "sulfide", "iron": "iron", "manganese": "manganese"}


def _of_tannin(row: Mapping[str, Any], water: Water) -> list[FeedLimit]:
    """Tannin holds metals in solution; a fed oxidant breaks most of that, so that a bed which bears one takes more of it, with a caution."""
    most = row.get("tannin_most")
    if most is None or not water.oxidant_fed:
        return [FeedLimit("tannin", None, row["tannin_max"], source("iron.feed_air"), "tannin keeps iron in solution and coats the media")]
    cited, because = source("iron.organic"), "the oxidant frees most of the metals that tannin holds: test iron and manganese after this bed"
    return [
        FeedLimit("tannin", None, row["tannin_max"], cited, because, "caution"),
        FeedLimit("tannin", None, most, cited, "so much tannin keeps iron in solution whatever is fed, and coats the media"),
    ]


def oxidant(water: Water, duty: Duty) -> bool:
    """Whether an oxidant arrives: free chlorine, peroxide, or oxygen enough for the iron and no sulfide."""
    row = duty.rows["coated_oxygen"]
    oxygen = water.value("dissolved_oxygen") >= max(row["oxygen_share"] * water.iron, 1.0)
    return water.oxidant_fed or (oxygen and water.value("hydrogen_sulfide") <= row["sulfide_none"])


class WithPermanganate(Loading[StageRun[OxidizingFilterKeys]]):
    """A greensand bed without a feed: each regeneration takes its permanganate, and without any the bed stays spent."""

    def __init__(self, stage: StageRun[OxidizingFilterKeys], counted: Counted, holds: float, washing: Washing | None):
        self.each = stage.figures["permanganate_per_regeneration"].value
        stock = float(table("upkeep")["limits"]["permanganate_stock"])
        super().__init__(stage, counted, holds, washing, [Stock("permanganate", "kg", max(stock, self.each), self.each, False, "solution", "refill")])

    def has(self, what: str) -> bool:
        return what == "permanganate" or super().has(what)

    def lasts(self, what: str, cites: str) -> list[Line]:
        """Its permanganate: a tin, over what each regeneration takes."""
        if what != "permanganate":
            return super().lasts(what, cites)
        figures, stock = self.stage.figures, float(table("upkeep")["limits"]["permanganate_stock"])
        given = {"stock": (stock, "kg"), "each": (max(self.each, 1e-6), "kg"), "every": (figures["backwash_interval"].value, "day")}
        return [
            *figures["permanganate_per_regeneration"].working,
            work("the tank lasts", "stock ÷ each × every", "day", "upkeep.chemicals", **given),
        ]

    def takes(self, what: str, days: float, cites: str) -> Line | None:
        if what != "permanganate":
            return super().takes(what, days, cites)
        given = {"each": (self.each, "kg"), "days": (days, "day"), "every": (self.stage.figures["backwash_interval"].value, "day")}
        return work("permanganate", "each × days ÷ every", "kg", "upkeep.chemicals", **given)

    def washed(self, state: State, wash: Wash, lifted: float) -> State:
        used = min(self.each, state["permanganate"])
        share = used / self.each if self.each > 0 else 1.0
        return {**super().washed(state, wash, min(lifted, share)), "permanganate": state["permanganate"] - used}


class OxidizingFilter(Treatment[OxidizingFilterKeys]):
    kind = "oxidizing_filter"
    title = "Iron filter"
    silhouette = "vessel"
    Keys = OxidizingFilterKeys
    answers = ("iron", "manganese", "hydrogen_sulfide")
    helps = ("ferrous_iron", "ferric_iron", "turbidity", "tss", "uvt", "arsenic", SULFUR)
    price = 3.5
    fuss = {"greensand": 0.6, "manganese_dioxide": 0.8, "coated_oxygen": 0.5}
    place = 8
    bypassed = True
    absent = "nothing in this water needs it"
    main = ("oxidant_demand", "backwash_interval", "replacement_interval", "media_volume", "service_flow_limit", "backwash_flow")
    holds_particles = True
    oxidises = True
    uses_power = True
    peak_effect = "iron leaks through"
    cautions = (
        "Never chlorinate an air-charged bed unless its manufacturer says so.",
        "Regenerate once or twice before first use, and run the first water to drain.",
        "Permanganate stains and burns: wear gloves and goggles, and keep it away from acid and other cleaners.",
        "A filled vessel is heavy: use two people and a hand truck (trolley).",
    )

    def rows(self, keys: OxidizingFilterKeys) -> tuple[str, ...]:
        return ("oxidizing_cartridge",) if is_cartridge(keys) else tuple(dict.fromkeys(("oxidizing_filter", KINDS[keys.medium or "air_charged"][0])))

    def name(self, keys: OxidizingFilterKeys) -> str:
        return "Oxidizing cartridge" if is_cartridge(keys) else KINDS[keys.medium or "air_charged"][2]

    def feed_limits(self, keys: OxidizingFilterKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        if is_cartridge(keys):
            row, cited = duty.rows["oxidizing_cartridge"], source("iron.feed_cartridge")
            return [FeedLimit("ph", row["ph_min"], None, cited, "below that, iron does not oxidize in the cartridge")]
        row, cited, medium = row_of(keys, duty), source("iron.feed_air"), keys.medium or "air_charged"
        limits = [
            FeedLimit("iron", None, row["iron_max"], cited, "that is more iron than the bed removes between backwashes"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "that is more manganese than the bed removes"),
            FeedLimit("hydrogen_sulfide", None, row["sulfide_max"], cited, "that is more sulfide than the bed oxidizes"),
            FeedLimit("ph", row["ph_min"], None, cited, "below that, iron oxidizes too slowly on the bed"),
            *_of_tannin(row, water),
            FeedLimit("iron_bacteria", None, 0.0, cited, "slime seals the bed; disinfect first"),
        ]
        if "ph_max" in row:
            limits.append(FeedLimit("ph", None, row["ph_max"], cited, "above that, colloids form that go through the bed"))
        if medium == "coated_oxygen":
            limits.append(FeedLimit("free_chlorine", None, row["chlorine_max"], cited, "chlorine damages this media"))
        elif medium == "air_charged":
            because = "keep air-charged media free of chlorine unless the manufacturer allows it; ask, or use greensand"
            limits.append(FeedLimit("free_chlorine", None, row["chlorine_max"], cited, because, "caution"))
        if medium == "coated_oxygen":
            needed = row["oxygen_share"] * water.iron
            limits.append(FeedLimit("dissolved_oxygen", needed, None, cited, "this media needs oxygen in the water"))
        if medium == "manganese_dioxide" and not oxidant(water, duty):
            because = "this ore needs an oxidant: feed chlorine or peroxide, with contact time, before it"
            limits += [FeedLimit(name, None, row[f"{short}_unfed"], cited, because) for name, short in UNFED.items()]
        if water.value("manganese") > row.get("manganese_matters", duty.rows["oxidizing_filter"]["manganese_matters"]):
            because = "below that, manganese goes through the bed; a softener after it can remove the rest"
            limits.append(FeedLimit("ph", row["ph_min_manganese"], None, cited, because, "advice"))
        return limits

    def size(self, keys: OxidizingFilterKeys, water: Water, duty: Duty) -> Sizing:
        if is_cartridge(keys):
            row = duty.rows["oxidizing_cartridge"]
            share = row["flow_share"]
            offered = housings(duty, None, "oxidizing")
            count = keys.vessels or next(
                (n for n in range(1, row["most_parallel"] + 1) if rated(offered[-1], share).value * n >= duty.flow), row["most_parallel"]
            )
            housing = keys.housing or smallest(offered, lambda each: rated(each, share).value * count >= duty.flow) or offered[-1]
            return Sizing({"medium": "cartridge", "housing": housing} | ({"vessels": count} if count > 1 else {}))
        medium = keys.medium or "air_charged"
        name = keys.bed if medium == "air_charged" and keys.bed and keys.bed != BEDS[0] else KINDS[medium][1]
        bed = duty.bed(name, 0.0, duty.wash, water.temperature, keys.tank, keys.vessels, keys.volume)
        inside = {"bed": keys.bed or BEDS[0]} if medium == "air_charged" else {}
        return Sizing({"medium": medium, **inside, "volume": bed.volume, "tank": bed.tank, "vessels": bed.vessels}, bed)

    def pieces(self, keys: OxidizingFilterKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Wanted]:
        if not is_cartridge(keys):
            return {}
        return {"iron_cartridge": cartridge_wanted("oxidizing cartridge", sizing.params["housing"], None, "oxidizing")}

    def figures(self, keys: OxidizingFilterKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        fe, mn, h2s = ((water.value(name), "mg/L") for name in ("ferrous_iron", "manganese", "hydrogen_sulfide"))
        demand = work("oxygen demand", "O2_per_Fe × Fe + O2_per_Mn × Mn + O2_per_H2S × H2S", "mg/L", "iron.oxidant", Fe=fe, Mn=mn, H2S=h2s)
        found = {"oxidant_demand": figure(demand)}
        return found | (self._cartridge_figures(sizing, water, duty) if sizing.bed is None else self._bed_figures(sizing, water, duty))

    def _bed_figures(self, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, bed = duty.rows["oxidizing_filter"], sizing.vessels
        day = work(
            "iron and manganese a day",
            "(Fe + Mn) × daily ÷ 1000",
            "g",
            "iron.load",
            Fe=(water.iron, "mg/L"),
            Mn=(water.value("manganese"), "mg/L"),
            daily=(duty.daily, "L/day"),
        )
        holds = work("bed holds", "area × load", "g", "iron.load", area=(bed.total_area, "m2"), load=(float(row["iron_load"]), "g/m2"))
        days = work("days", "min(holds ÷ max(day, 0.000001), 365)", "day", "iron.load", holds=(holds.value, "g"), day=(day.value, "g"))
        found = bed_figures(bed, duty.flow, water.temperature) | wash_figures(bed, water.temperature)
        found["days_between_regenerations"] = figure(day, holds, days)
        least = days.value
        if sizing.params["medium"] == "greensand" and water.value("free_chlorine") <= 0:
            found |= self._permanganate(water, duty, bed.total_volume)
            least = min(least, found["days_between_regenerations"].value)
        interval = float(max(1, min(int(least), row["interval_max"])))
        return found | {"backwash_interval": figure(stated("backwash every", "interval", interval, "day", "iron.air"))}

    def _permanganate(self, water: Water, duty: Duty, litres: float) -> dict[str, Figure]:
        """Greensand without a feed ahead of it: regenerated with permanganate, by its oxidant demand."""
        row, volume = duty.rows["greensand"], (litres, "L")
        per = {f"per_{name}": (float(each), "mg/mg") for name, each in row["permanganate_demand"].items()}
        need = work("permanganate demand", "per_Fe × Fe + per_Mn × Mn + per_H2S × H2S", "mg/L", "iron.permanganate", **per,
                    Fe=(water.iron, "mg/L"), Mn=(water.value("manganese"), "mg/L"), H2S=(water.value("hydrogen_sulfide"), "mg/L"))  # fmt: skip
        holds = work("bed holds", "capacity × US_gal ÷ ft3 × volume ÷ 1000", "g KMnO4", "iron.permanganate",
                     capacity=(float(row["permanganate_capacity"]), "mg/L × gal/ft3"), volume=volume)  # fmt: skip
        days = work("days", "min(holds ÷ max(demand × daily ÷ 1000, 0.000001), 365)", "day", "iron.permanganate",
                    holds=(holds.value, "g"), demand=(need.value, "mg/L"), daily=(duty.daily, "L/day"))  # fmt: skip
        dose = work(
            "permanganate",
            "ounces × lb ÷ 16 ÷ ft3 × volume",
            "kg",
            "iron.permanganate",
            ounces=(float(row["permanganate_oz_ft3"]), "oz/ft3"),
            volume=volume,
        )
        return {
            "oxidant_demand": figure(need),
            "days_between_regenerations": figure(need, holds, days),
            "permanganate_per_regeneration": figure(dose),
        }

    def _cartridge_figures(self, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, housing = duty.rows["oxidizing_cartridge"], sizing.params["housing"]
        day = work("iron a day", "Fe × daily ÷ 1000", "g", "iron.cartridge_capacity", Fe=(water.iron, "mg/L"), daily=(duty.daily, "L/day"))
        holds, count = float(table("vessels")["cartridges"][housing]["iron_g"]), float(sizing.params.get("vessels", 1))
        life = work("life", "min(count × capacity ÷ max(day × month_days, 0.000001), most)", "month", "iron.cartridge_capacity", count=(count, ""),
                    capacity=(holds, "g"), day=(day.value, "g"), most=(float(row["months_most"]), "month"))  # fmt: skip
        each = rated(housing, row["flow_share"], "iron.feed_cartridge")
        both = work("side by side", "count × each", "L/min", "iron.feed_cartridge", count=(count, ""), each=(each.value, "L/min"))
        return {"service_flow_limit": figure(each, both) if count > 1 else figure(each), "replacement_interval": figure(day, life)}

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
            span = (row["ph_min_manganese"] - common["manganese_ph_span"], row["ph_min_manganese"])
            share = interpolate(water.ph, list(span), [row["manganese_left_low_ph"], row["manganese_left"]])
            changes["manganese"], mn_gone = mn * share, mn * (1 - share)
        if water.get("hydrogen_sulfide") is not None:
            changes["hydrogen_sulfide"] = water.value("hydrogen_sulfide") * (common["sulfide_left"] if row["sulfide_max"] > 0 else 1.0)
        for name in ("turbidity", "tss", SULFUR):
            if water.get(name) is not None:
                changes[name] = water.value(name) * common["particles_left"]
        changes |= self._arsenic(keys, water, ferrous + ferric - left, common)
        return self._oxidise(water, ferrous - after_ferrous, mn_gone, changes)

    def _arsenic(self, keys: OxidizingFilterKeys, water: Water, iron_held: float, row: dict[str, Any]) -> dict[str, float]:
        """Arsenic goes with the iron that is held, where there is twenty times as much of it and the arsenic is oxidised; air does not do that."""
        arsenic = water.value("arsenic")
        if arsenic <= 0:
            return {}
        reduced = 0.0 if keys.medium == "greensand" and water.value("free_chlorine") <= 0 else water.value(ARSENITE)  # permanganate oxidises it
        if iron_held < row["iron_per_arsenic"] * arsenic:
            return {}  # what a bed that is regenerated now and then turns is not counted on
        return {"arsenic": reduced + (arsenic - reduced) * row["arsenic_left"], ARSENITE: reduced}

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

    def other_sizes(self, keys: OxidizingFilterKeys, sizing: Sizing, water: Water, duty: Duty) -> list[OxidizingFilterKeys]:
        """Another medium; a larger bed."""
        larger = [] if sizing.bed is None else super().other_sizes(keys, sizing, water, duty)
        media = [
            medium for medium in ("air_charged", "coated_oxygen", "greensand", "manganese_dioxide", "cartridge") if medium != sizing.params["medium"]
        ]
        return [*larger, *(OxidizingFilterKeys(id=keys.id, medium=medium) for medium in media)]

    def over_time(self, stage: StageRun[OxidizingFilterKeys]) -> Filling[StageRun[OxidizingFilterKeys]] | Loading[StageRun[OxidizingFilterKeys]]:
        """A bed that holds iron and manganese until it is washed; a cartridge that fills with rust for good."""
        figures, duty, water = stage.figures, stage.duty, stage.water_in
        if stage.sizing.bed is None:
            housing = float(table("vessels")["cartridges"][stage.sizing.params["housing"]]["iron_g"])
            return Filling(stage, water.iron / 1000, "iron", housing * stage.sizing.params.get("vessels", 1), "cartridge")
        holds = stage.sizing.bed.total_area * float(duty.rows["oxidizing_filter"]["iron_load"])
        counted = Counted((("iron", 1.0), ("manganese", 1.0)))
        if "permanganate_per_regeneration" in figures:
            return WithPermanganate(stage, counted, holds, washing_of(stage, "regeneration"))
        return Loading(stage, counted, holds, washing_of(stage, "regeneration" if stage.sizing.params["medium"] == "air_charged" else "backwash"))

    def washes(self, keys: OxidizingFilterKeys) -> bool:
        return True

    def loss(self, keys: OxidizingFilterKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        if sizing.bed is None:
            housing, share = sizing.params["housing"], table("stages")["oxidizing_cartridge"]["flow_share"]
            clean = square_law(
                flow / sizing.params.get("vessels", 1), rated(housing, share).value, table("vessels")["cartridges"][housing]["psi"] * PSI
            )
            return clean, clean + table("stages")["sediment"]["change_kpa"]
        clean = sizing.bed.loss(flow, temperature)
        return clean, clean * table("stages")["oxidizing_filter"]["dirty_factor"]

    def candidates(self, water: Water, duty: Duty) -> list[OxidizingFilterKeys]:
        traces, milky = duty.rows["oxidizing_filter"]["traces"], water.value(SULFUR) > duty.rows["chemical_feed"]["sulfur_matters"]
        if not milky and all(water.value(name) <= trace or duty.not_found(name, water.value(name)) for name, trace in traces.items()):
            return []
        options: list[OxidizingFilterKeys] = []
        if not duty.facts.wishes.no_power:
            options.append(OxidizingFilterKeys(medium="air_charged"))
            row = duty.rows["oxidizing_filter"]
            hard = (
                water.iron > row["iron_max"]
                or water.value("manganese") > row["manganese_max"]
                or water.value("hydrogen_sulfide") > row["sulfide_max"]
            )
            if not duty.facts.wishes.no_chemicals and (
                hard
                or water.ph < row["ph_min"]
                or water.value("tannin") > row["tannin_max"]
                or water.value("iron_bacteria") > 0
                or water.value("free_chlorine") > row["chlorine_max"]  # fed, or the town's: it keeps greensand going
                or water.value("manganese") > row["manganese_hard"]
                or (water.value("manganese") > row["manganese_matters"] and water.ph < row["ph_min_manganese"])
            ):
                options.append(OxidizingFilterKeys(medium="greensand"))
            much = (
                water.value("hydrogen_sulfide") > row["sulfide_max"]
                or water.iron > row["iron_much"]
                or water.value("manganese") > row["manganese_max"]
            )
            if much or water.value("ferric_iron") > row["iron_much"] or milky:
                options.append(OxidizingFilterKeys(medium="manganese_dioxide"))
        if water.iron <= duty.rows["oxidizing_cartridge"]["iron_max"]:
            options.append(OxidizingFilterKeys(medium="cartridge"))
        return options

    def helped(self, keys: OxidizingFilterKeys, water: Water) -> frozenset[str]:
        """It strains dirt on the way, but none is bought for dirt alone: where there is something to oxidise."""
        row = table("stages")["oxidizing_filter"]
        oxidises = (
            water.iron > row["iron_matters"]
            or water.value("manganese") > row["manganese_matters"]
            or water.value("hydrogen_sulfide") > row["sulfide_matters"]
            or water.value(SULFUR) > 0
        )
        return self.puts_right if oxidises else self.puts_right - {"turbidity", "tss", "uvt"}

    def refuses_after(self, keys: OxidizingFilterKeys, others: Sequence[Stage[Any]], duty: Duty, raw: Water) -> bool:
        """Where the job's school puts iron first, it never follows the neutralizer."""
        return duty.facts.schools.neutralizer_order == "iron_first" and any(other.kind == "neutralizer" for other in others)

    def at_peak(self, stage: StageRun[OxidizingFilterKeys]) -> str:
        water, traces = stage.water_in, stage.duty.rows["oxidizing_filter"]["traces"]
        arrive = [
            words
            for name, words in (("iron", "iron"), ("manganese", "manganese"), ("hydrogen_sulfide", "sulfide"))
            if water.value(name) > traces[name]
        ]
        return f"{' and '.join(arrive)} leak{'s' if len(arrive) == 1 else ''} through" if arrive else "it treats less"

    def powered(self, keys: OxidizingFilterKeys) -> bool:
        return not is_cartridge(keys)

    def companions(self, keys: OxidizingFilterKeys, water: Water, duty: Duty) -> tuple[tuple[Stage[Any], ...], tuple[Stage[Any], ...]]:
        """A cartridge stands in a set of three: a fine filter spares it, and another catches what it lets by."""
        return ((FINE,), (FINE,)) if is_cartridge(keys) else ((), ())

    def buys(self, keys: OxidizingFilterKeys, sizing: Sizing) -> list[Purchase]:
        return changes("iron_cartridge", sizing, self.name(keys))

    def schools(self, keys: OxidizingFilterKeys, water: Water, system: str) -> list[str]:
        if is_cartridge(keys):
            return ["An oxidizing cartridge up to 3 mg/L of iron; others fit a tank from the first trace."]
        return [
            "An air-charged bed, no chemicals (default); others feed chlorine with contact time, or regenerate greensand with permanganate.",
            "Above 10 mg/L of iron, or iron bacteria: chlorine feed, contact and greensand or manganese dioxide (default); others aerate and filter.",
        ]

    def after_wash(self, keys: OxidizingFilterKeys, duty: Duty) -> float:
        """An air-charged bed draws its air anew."""
        return float(duty.rows["oxidizing_filter"]["air_draw_min"]) if (keys.medium or "air_charged") == "air_charged" else 0.0

    def forks(self, stage: StageRun[OxidizingFilterKeys], others: frozenset[str]) -> list[Fork]:
        found = [Fork("Without an oxidizing cartridge", 6, avoid=frozenset({"cartridge"}))] if is_cartridge(stage.keys) else []
        if CHEMICAL_FEED.kind in others:
            return found
        fed = (
            Stage(CHEMICAL_FEED, ChemicalFeedKeys(chemical="chlorine")), Stage(RETENTION_TANK, RetentionTankKeys()),
            Stage(self, OxidizingFilterKeys(medium="greensand")), Stage(CARBON, CarbonKeys(medium="granular")),
        )  # fmt: skip
        peroxide = (
            Stage(CHEMICAL_FEED, ChemicalFeedKeys(chemical="peroxide")), Stage(RETENTION_TANK, RetentionTankKeys()),
            Stage(CARBON, CarbonKeys(medium="catalytic")),
        )  # fmt: skip
        rusty = (*peroxide[:2], Stage(SEDIMENT, SedimentKeys(form="backwashing")), *peroxide[2:])  # what it makes of a little iron is caught
        if stage.water_in.value("hydrogen_sulfide") > stage.duty.rows["carbon"]["sulfide_noticed"]:
            found.append(
                Fork(
                    "Peroxide feed, contact and catalytic carbon",
                    2,
                    avoid=frozenset({self.kind}),
                    offers=(peroxide, rusty),
                    has=frozenset({"peroxide", "catalytic"}),
                )
            )
        return [
            Fork(
                "Chlorine feed, contact and greensand",
                2,
                offers=(fed,),
                lacks=frozenset({"air_charged", "cartridge"}),
                has=frozenset({"chlorine", "greensand"}),
            ),
            *found,
        ]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        gone = [f"iron from {before.iron:.2g} to {after.iron:.2g} mg/L"] if before.iron > 0.05 else []
        if before.value("manganese") > 0.02:
            gone.append(f"manganese from {before.value('manganese'):.2g} to {after.value('manganese'):.2g} mg/L")
        if before.value("hydrogen_sulfide") > 0.02:
            gone.append(f"sulfide from {before.value('hydrogen_sulfide'):.2g} to {after.value('hydrogen_sulfide'):.2g} mg/L")
        return "oxidizes and removes " + (", ".join(gone) or "iron")

    def body(self, keys: OxidizingFilterKeys, sizing: Sizing) -> tuple[float, float, float]:
        if sizing.bed:
            return super().body(keys, sizing)
        return cartridge_body(sizing.params["housing"])

    def micron(self, keys: OxidizingFilterKeys, sizing: Sizing) -> float | None:
        return float(table("stages")["oxidizing_filter"]["micron"])


OXIDIZING_FILTER = OxidizingFilter()


@rule("cartridge-iron", "train", "iron.feed_cartridge", on="oxidizing_filter")
def cartridge_iron(audit: Audit, stage: StageRun[OxidizingFilterKeys]) -> Iterator[Hit]:
    """An oxidising cartridge asked to hold more iron than a cartridge can."""
    limit = audit.duty.rows["oxidizing_cartridge"]["iron_max"]
    if is_cartridge(stage.keys) and stage.water_in.iron > limit:
        yield Hit("fault", f"{audit.show(stage.water_in.iron, 'mg/L')} of iron reaches an oxidizing cartridge; cartridges are rated up to {limit:g} mg/L.",
                  "Use an iron filter tank: above this no cartridge works.")  # fmt: skip


@rule("oxidized-not-caught", "train", "iron.feed_cartridge", on="oxidizing_filter")
def oxidized_not_caught(audit: Audit, stage: StageRun[OxidizingFilterKeys]) -> Iterator[Hit]:
    """Iron is oxidised with nothing after it that holds the rust."""
    if is_cartridge(stage.keys) and not any(other.room.holds_particles for other in audit.run.later(stage)):
        yield Hit("fault", f"The cartridge turns {audit.show(stage.water_in.value('ferrous_iron'), 'mg/L')} of iron to rust and lets fines through; nothing after it removes them.",
                  "Put a 5 µm filter after it.")  # fmt: skip


@rule("air-window", "supply pressure train", "iron.air_window", on="oxidizing_filter")
def air_window(audit: Audit, stage: StageRun[OxidizingFilterKeys]) -> Iterator[Hit]:
    """An air-charged vessel outside the pressure in which its valve draws air."""
    low, least = audit.duty.supply.pressure_low, audit.duty.rows["oxidizing_filter"]["air_least_kpa"]
    pumped = any(other.room.pumps for other in audit.run.earlier(stage))
    if stage.sizing.params["medium"] == "air_charged" and not pumped and audit.facts.supply.pressure_low is not None and low < least * 0.995:
        yield Hit("fault", f"The pressure falls to {audit.show(low, 'kPa')}; an air-charged control valve draws its air only above {audit.show(least, 'kPa')}.",
                  "Raise the switch setting, fit a booster pump before it, or use greensand or an oxidant feed.")  # fmt: skip
