"""Acid neutralizer: a bed of calcite that dissolves into acid water, raising pH, alkalinity and hardness."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry import carbonate
from ..chemistry.carbonate import CACO3
from ..chemistry.kinetics import dissolving
from ..chemistry.water import CALCITE_HELD, OPEN_TO_AIR, Water
from ..house.beds import Bed, Medium, bed_figures, medium, wash_figures
from ..house.duty import Duty
from ..job.feed_limits import FeedLimit
from ..language.figure import Figure, Line, figure, solved, source, stated, work
from ..language.spec import Choice, Fraction, Number, key
from ..language.tables import table
from ..train.keys import BedKeys
from ..train.monitored import LogOfStage, Shown, used
from ..train.over_time import Slugs, State, Stepped, Stock, Washed, washing_of
from ..train.treatment import Fork, Purchase, Sizing, Stage, StageRun, TrainRun, Treatment
from .aeration import AERATION, AerationKeys, gas_known, gassy
from .chemical_feed import CHEMICAL_FEED, ChemicalFeedKeys
from .sediment import SPARES, clogging

MG_PER_MOL = CACO3 * 1000


@dataclass(frozen=True, slots=True)
class NeutralizerKeys(BedKeys):
    medium: str | None = key(Choice(("calcite", "blend")), None, "what dissolves", identity=True)
    magnesia: float | None = key(Fraction(), None, "mass fraction of magnesia in a blend", identity=True, sometimes=True)
    flow: str | None = key(Choice(("down", "up")), None, "down-flow is backwashed; up-flow needs clean water, no drain", identity=True)
    target_ph: float | None = key(Number(6.5, 8.5), None, "pH to reach at design flow", identity=True, sometimes=True)


def surface_met(contact: float, m: Medium) -> Line:
    """Surface that a volume of water meets in a bed, times how long [s m2/m3]; contact: empty-bed contact [min].

    The water fills only the pores, but meets their whole surface: porosity cancels out of time x surface.
    """
    return work("surface met", "contact × 60 × 6 × (1 − porosity) ÷ (sphericity × grain)", "s m2/m3", "neutralizer.surface",
                contact=(contact, "min"), porosity=(m.porosity, ""), grain=(m.grain, "m"), sphericity=(m.sphericity, ""))  # fmt: skip


def medium_of(keys: NeutralizerKeys) -> str:
    return "calcite_blend" if keys.medium == "blend" else "calcite"


def magnesia_of(keys: NeutralizerKeys) -> float:
    """Mass fraction of magnesia in a blend [-]."""
    return float(keys.magnesia if keys.magnesia is not None else table("stages")["blend"]["magnesia"])


def ph_left(water: Water, after: Water, dissolved: float) -> Line:
    """The pH that so much dissolved [mg/L] leaves."""
    carbon_dioxide = (water.carbon_dioxide, "mg/L")
    return solved("pH out", "CO2, dissolved", after.ph, "pH", "chemistry.carbonate", CO2=carbon_dioxide, dissolved=(dissolved, "mg/L"))


def medium_a_year(sum_of: str, duty: Duty, **parts: float) -> Line:
    """Medium that dissolves in a year [kg]; sum_of: the parts [mg/L] as an expression."""
    each = {name: (value, "mg/L") for name, value in parts.items()}
    return work("media a year", f"{sum_of} × daily × 365 ÷ 1000000", "kg", "neutralizer.sizing", **each, daily=(duty.daily, "L/day"))


class DissolvingBed(Washed[StageRun[NeutralizerKeys]]):
    """A bed of calcite or blend: hardness comes out of it and calcite is gone, the pH follows the flow and what is left of the bed."""

    def __init__(self, stage: StageRun[NeutralizerKeys], room: Neutralizer):
        super().__init__(stage, washing_of(stage))
        bed, figures, marks = stage.sizing.vessels, stage.figures, table("year")["beds"]
        self.full = bed.total_volume * bed.medium.density
        share = float(stage.duty.rows["neutralizer"]["refill_share"])
        self.stocks = (Stock("bed_left", "kg", self.full, self.full * (1 - share), False, "medium", "refill"),)
        self.flows = [stage.duty.flow * times for times in marks["flows"]]
        self.room, self.times = room, marks["flows"]
        yearly = figures["media_per_year"].value
        gained = stage.water_out.hardness - stage.water_in.hardness
        self.kilos = yearly / 365 / stage.duty.daily / gained if gained > 0 else 0.0  # kg of medium for each mg/L gained by a litre

    @cached_property
    def waters(self) -> list[Water]:
        """What leaves the full bed at each of these flows; worked out when it is first asked for."""
        stage = self.stage
        return [
            stage.water_out if times == 1 else self.room.treat(stage.keys, stage.sizing, stage.water_in, slower(stage.duty, times))
            for times in self.times
        ]

    @cached_property
    def ph(self) -> list[float]:
        """The pH of each."""
        return [water.ph for water in self.waters]

    @cached_property
    def gains(self) -> list[float]:
        """The hardness that each gained [mg/L as CaCO3]."""
        return [water.hardness - self.stage.water_in.hardness for water in self.waters]

    def shows(self, what: str, log: LogOfStage) -> Shown | None:
        """How high a bed is that dissolves: full when it was filled last."""
        if what != "medium_level":
            return super().shows(what, log)
        bed, yearly = self.stage.sizing.vessels, self.stage.figures["media_per_year"].value
        full, mass = (bed.depth, "m"), (bed.total_volume * bed.medium.density, "kg")
        falls = work("falls", "full × yearly ÷ mass ÷ 365", "m/day", "upkeep.beds", full=full, yearly=(yearly, "kg"), mass=mass)
        return used(falls, (log.begun("medium_level"), bed.depth), log, "medium_level")

    def step(self, state: State, slugs: Slugs) -> Stepped:
        share = max(state["bed_left"] / self.full, 0.02) ** (2 / 3)  # grains shrink: their surface goes with mass to the two thirds
        ph = slugs.treated("ph") + slugs.along(slugs.flow / share, self.flows, self.ph) - self.stage.water_out.ph
        # most taps run slower than the flow that hardness is reckoned at, nearer to saturation: half as much hangs on the bed
        gain = slugs.along(self.stage.duty.flow / share**0.5, self.flows, self.gains)
        hardness = slugs.arriving("hardness") + gain
        left = max(state["bed_left"] - float(gain) * slugs.total * self.kilos, 0.0)
        return Stepped({**state, "bed_left": left}, 0.0, {"ph": ph, "hardness": hardness})

    def watched(self, state: State) -> dict[str, tuple[float, str]]:
        return {"bed_left": (state["bed_left"], "kg")}


def slower(duty: Duty, times: float) -> Duty:
    """The same duty at so many times its design flow."""
    flow = figure(stated("flow", "flow", duty.flow * times, "L/min", "demand.design_flow"))
    return replace(duty, demand=replace(duty.demand, design_flow=flow))


class Neutralizer(Treatment[NeutralizerKeys]):
    kind = "neutralizer"
    title = "Acid neutralizer"
    silhouette = "vessel"
    Keys = NeutralizerKeys
    answers = ("ph",)
    helps = ("alkalinity",)
    price = 3.0
    fuss = {"blend": 0.4}
    place = 7
    bypassed = True
    absent = "nothing in this water needs it"
    main = (
        "ph_out",
        "hardness_added",
        "backwash_interval",
        "media_volume",
        "refill_interval",
        "media_per_year",
        "service_flow_limit",
        "backwash_flow",
    )
    uses_power = True
    peak_effect = "the pH falls"
    cautions = (
        "A filled vessel is heavy: use two people and a hand truck (trolley), on a floor that carries it.",
        "It adds hardness: test hardness after it, not before.",
        "Top up the calcite before a third has dissolved, with the vessel shut off and its pressure relieved.",
    )

    def rows(self, keys: NeutralizerKeys) -> tuple[str, ...]:
        return ("blend", "neutralizer") if keys.medium == "blend" else ("neutralizer",)

    def name(self, keys: NeutralizerKeys) -> str:
        return "Blend neutralizer" if keys.medium == "blend" else "Calcite neutralizer"

    def feed_limits(self, keys: NeutralizerKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        limit, cited = duty.rows["neutralizer"], source("neutralizer.feed")
        found = [
            FeedLimit("iron", None, limit["iron_max"], cited, "iron coats the grains and stops them dissolving"),
            FeedLimit("iron_bacteria", None, 0.0, cited, "slime fouls the bed; disinfect first"),
            FeedLimit("turbidity", None, limit["turbidity_max"], cited, "silt packs the bed"),
        ]
        if gas_known(water, duty):
            because = "so much carbon dioxide uses up calcite quickly and leaves the water very hard: strip it first, by aeration"
            row, from_where = duty.rows["aeration"], source("neutralizer.gas")
            found.append(FeedLimit("carbon_dioxide", None, row["acid_co2"], from_where, because, "caution"))
            if not duty.facts.wishes.no_power:  # without power nothing strips it
                found.append(FeedLimit("carbon_dioxide", None, row["acid_co2_most"], from_where, because))
        return found

    def _contact_for(self, water: Water, target: float, rows: dict[str, Any]) -> float:
        """Empty-bed contact [min] that reaches the target, or comes within 0.1 of saturation where that is lower."""
        state = water.state
        if state.ph >= target:
            return float(rows["contact_min"])
        ceiling = carbonate.calcite_to_saturation(water.solution, state.carbon).state.ph
        wanted = carbonate.calcite_to_ph(water.solution, state.carbon, min(target, ceiling - 0.1))
        time = dissolving(water.solution, state.carbon).time_to(wanted.amount)
        return float(min(max(time / surface_met(1.0, medium("calcite")).value, rows["contact_min"]), rows["contact_most"]))

    def _bed(self, keys: NeutralizerKeys, water: Water, duty: Duty, target: float, wash: float | None) -> Bed:
        """Two vessels at most where they carry the flow: the contact wished for, else the most they hold."""

        def choose(contact: float) -> Bed:
            return duty.bed(medium_of(keys), contact * duty.flow, wash, water.temperature, keys.tank, keys.vessels, keys.volume)

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
        target = keys.target_ph or duty.facts.wishes.target_ph or duty.rows["neutralizer"]["target_ph"]
        flow = keys.flow or "down"
        bed = self._bed(keys, water, duty, target, duty.wash if flow == "down" else None)
        params: dict[str, Any] = {
            "medium": keys.medium or "calcite", "flow": flow, "volume": bed.volume, "tank": bed.tank, "vessels": bed.vessels, "target_ph": target,
        }  # fmt: skip
        if keys.medium == "blend":
            params["magnesia"] = magnesia_of(keys)
        return Sizing(params, bed)

    def figures(self, keys: NeutralizerKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        rows, bed, washed = duty.rows["neutralizer"], sizing.vessels, sizing.params["flow"] == "down"
        found = bed_figures(bed, duty.flow, water.temperature, backwash=washed)
        if washed:
            found["backwash_interval"] = figure(stated("backwash every", "days", float(rows["backwash_days"]), "day", "beds.cycle"))
            found |= wash_figures(bed, water.temperature)
        after = self.treat(keys, sizing, water, duty)
        dissolve = self._blend_chemistry if keys.medium == "blend" else self._chemistry
        found |= dissolve(keys, sizing, water, after, duty)
        return found | self._refill(bed, found["media_per_year"].value, rows["refill_share"])

    def _chemistry(self, keys: NeutralizerKeys, sizing: Sizing, water: Water, after: Water, duty: Duty) -> dict[str, Figure]:
        bed, state = sizing.vessels, water.state
        ceiling = carbonate.calcite_to_saturation(water.solution, state.carbon)
        dissolved, most = after.hardness - water.hardness, ceiling.amount * MG_PER_MOL
        at_peak = after.value("alkalinity") - water.value("alkalinity")
        acid_left = (water.carbon_dioxide, "mg/L")
        met = surface_met(bed.total_volume / duty.flow, bed.medium)
        slowly = work("surface met at low flow", "met ÷ share", "s m2/m3", "neutralizer.low_flow", met=(met.value, "s m2/m3"),
                      share=(float(duty.rows["neutralizer"]["low_flow_share"]), ""))  # fmt: skip
        slow = dissolving(water.solution, state.carbon).after(met.value * 2)
        gentle = carbonate.add_calcite(water.solution, state.carbon, slow).state.ph
        acid = solved("free CO2", "pH, alkalinity, temperature", water.carbon_dioxide, "mg/L", "chemistry.carbonate",
                      pH=(water.ph, ""), alkalinity=(water.value("alkalinity"), "mg/L CaCO3"), temperature=(water.temperature, "degC"))  # fmt: skip
        could = work("most that CO2 could", "CO2 × M_CaCO3 ÷ M_CO2", "mg/L", "neutralizer.carbonate", CO2=acid_left)
        top = solved(
            "ceiling at saturation", "CO2, calcium", most, "mg/L", "chemistry.carbonate", CO2=acid_left, calcium=(water.value("calcium"), "mg/L")
        )
        goes = solved(
            "calcite dissolved",
            "surface, ceiling",
            dissolved,
            "mg/L",
            "chemistry.calcite_rate",
            surface=(slowly.value, "s m2/m3"),
            ceiling=(most, "mg/L"),
        )
        rushed = solved("calcite dissolved at design flow", "surface, ceiling", at_peak, "mg/L", "chemistry.calcite_rate",
                        surface=(met.value, "s m2/m3"), ceiling=(most, "mg/L"))  # fmt: skip
        return {
            "calcite_dissolved": figure(acid, could, top, met, slowly, goes),
            "calcite_dissolved_at_peak": figure(met, rushed),
            "hardness_added": figure(stated("hardness added", "dissolved", dissolved, "mg/L CaCO3", "neutralizer.carbonate")),
            "ph_out": figure(met, rushed, ph_left(water, after, at_peak)),
            "ph_at_half_flow": figure(solved("pH at half the flow", "CO2, slower", gentle, "pH", "chemistry.calcite_rate", CO2=acid_left, slower=(slow * MG_PER_MOL, "mg/L"))),
            "ph_ceiling": figure(solved("pH at saturation", "CO2, ceiling", ceiling.state.ph, "pH", "chemistry.carbonate", CO2=acid_left, ceiling=(most, "mg/L"))),
            "hardness_ceiling": figure(work("hardness after standing", "raw + ceiling", "mg/L CaCO3", "neutralizer.carbonate", raw=(water.hardness, "mg/L CaCO3"),
            ceiling=(most, "mg/L"))),
            "media_per_year": figure(medium_a_year("dissolved", duty, dissolved=dissolved)),
        }  # fmt: skip

    def _blend_chemistry(self, keys: NeutralizerKeys, sizing: Sizing, water: Water, after: Water, duty: Duty) -> dict[str, Figure]:
        """What a blend dissolves: calcite and magnesia in the proportion of the blend, towards its target."""
        share = magnesia_of(keys)
        dissolved = (after.value("calcium") - water.value("calcium")) / carbonate.CA * CACO3
        goes = solved("calcite dissolved", "CO2, target, magnesia", dissolved, "mg/L", "chemistry.carbonate",
                      CO2=(water.carbon_dioxide, "mg/L"), target=(sizing.params["target_ph"], "pH"), magnesia=(share, ""))  # fmt: skip
        calcite = (dissolved, "mg/L")
        both = work("magnesia dissolved", "calcite × share ÷ (1 − share)", "mg/L", "neutralizer.blend", calcite=calcite, share=(share, ""))
        magnesia = (both.value, "mg/L")
        added = work("hardness added", "calcite + magnesia × M_CaCO3 ÷ M_MgO", "mg/L CaCO3", "neutralizer.blend", calcite=calcite, magnesia=magnesia)
        standing = float(duty.rows["blend"]["standing_ph"])
        return {
            "calcite_dissolved": figure(goes),
            "magnesia_dissolved": figure(goes, both),
            "hardness_added": figure(added),
            "ph_out": figure(goes, ph_left(water, after, dissolved + both.value)),
            "ph_standing": figure(stated("pH after a night's standing", "about", standing, "pH", "neutralizer.blend")),
            "media_per_year": figure(medium_a_year("(calcite + magnesia)", duty, calcite=dissolved, magnesia=both.value)),
        }

    def _refill(self, bed: Bed, yearly: float, share: float) -> dict[str, Figure]:
        mass = work("media in the bed", "volume × density", "kg", "beds.media", volume=(bed.total_volume, "L"), density=(bed.medium.density, "kg/L"))
        most = float(table("stages")["neutralizer"]["refill_most"])
        refill = work("refill", "min(bed × share ÷ max(year ÷ 12, 0.000001), most)", "month", "neutralizer.sizing",
                      bed=(mass.value, "kg"), share=(share, ""), year=(yearly, "kg"), most=(most, "month"))  # fmt: skip
        return {"refill_interval": figure(mass, refill)}

    def treat(self, keys: NeutralizerKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        """The pH of design flow, the hardness of a tap that runs alone: each at its adverse flow."""
        bed, state = sizing.vessels, water.state
        if keys.medium == "blend":
            return self._treat_blend(keys, sizing, water, bed.total_volume / duty.flow / duty.rows["blend"]["contact_min"])
        goes, met = dissolving(water.solution, state.carbon), surface_met(bed.total_volume / duty.flow, bed.medium).value
        amount = goes.after(met)
        if amount <= 0:
            return water
        after = water.react(
            carbon=amount,
            alkalinity=water.value("alkalinity") + amount * MG_PER_MOL,
            calcium=water.value("calcium") + amount * carbonate.CA * 1000,
            **{CALCITE_HELD: 1.0},
        )
        # calcite is adverse at opposite flows: the pH is missed at the peak, hardness is what a tap gets that runs alone
        slowly = goes.after(met / duty.rows["neutralizer"]["low_flow_share"])
        return after.with_(calcium=water.value("calcium") + slowly * carbonate.CA * 1000)

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

    def over_time(self, stage: StageRun[NeutralizerKeys]) -> DissolvingBed:
        """A bed that dissolves: the less is left and the faster the water runs, the lower the pH behind it."""
        return DissolvingBed(stage, self)

    def loss(self, keys: NeutralizerKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        clean = sizing.vessels.loss(flow, temperature)
        return clean, clean * table("stages")["neutralizer"]["dirty_factor"]

    def candidates(self, water: Water, duty: Duty) -> list[NeutralizerKeys]:
        rows, own, wishes = duty.rows["blend"], duty.rows["neutralizer"], duty.facts.wishes
        if water.ph >= own["idle_ph"] or water.ph < rows["ph_low"]:
            return []
        alone = wishes.no_salt or wishes.no_power or duty.facts.schools.hardness != "exchange"
        alone = alone or water.value("manganese") > duty.rows["softener"]["manganese_max"]
        higher = [NeutralizerKeys(target_ph=own["target_ph_manganese"])] if alone and water.value("manganese") > own["manganese_matters"] else []
        blend = [NeutralizerKeys(medium="blend")] if rows["ph_low"] <= water.ph < own["ph_low"] + 0.5 else []
        if wishes.no_power or duty.no_drain:
            return [NeutralizerKeys(flow="up")]
        if duty.eats_metal:  # held well above what a limit asks
            higher = [NeutralizerKeys(target_ph=own["target_ph_corrosion"])]
        return [NeutralizerKeys(), *higher, *blend]

    def washes(self, keys: NeutralizerKeys) -> bool:
        return keys.flow != "up"

    def powered(self, keys: NeutralizerKeys) -> bool:
        return keys.flow != "up"

    def strain(self, keys: NeutralizerKeys, sizing: Sizing, water: Water, duty: Duty) -> float:
        return clogging(water, duty) if keys.flow == "up" else 0.0

    def aids(self, keys: NeutralizerKeys) -> tuple[Stage[Any], ...]:
        return SPARES if keys.flow == "up" else ()

    def refuses_after(self, keys: NeutralizerKeys, others: Sequence[Stage[Any]], duty: Duty, raw: Water) -> bool:
        """After a softener it would put hardness back; where the job's school puts it first, it never follows the iron bed."""
        first = duty.facts.schools.neutralizer_order == "first"
        return any(other.kind == "softener" or (first and other.kind == "oxidizing_filter") for other in others)

    def purposeful(self, stage: StageRun[Any], run: TrainRun, duty: Duty, microbes: bool) -> bool:
        """After a membrane or on rain: soft water eats metal."""
        return stage.water_in.value(OPEN_TO_AIR) > 0 and stage.water_in.value("alkalinity") < duty.rows["neutralizer"]["soft"]

    def buys(self, keys: NeutralizerKeys, sizing: Sizing) -> list[Purchase]:
        return [Purchase("refill", sizing.figures["media_per_year"].value, note=self.name(keys), yearly=True)]

    def schools(self, keys: NeutralizerKeys, water: Water, system: str) -> list[str]:
        return [
            f"Before the iron bed while iron is at most {table('stages')['neutralizer']['iron_max']:g} mg/L (default); others always put iron removal first, or feed soda ash.",
            f"Designed for pH {table('stages')['neutralizer']['target_ph']} at design flow (default); others size for saturation and accept harder water.",
        ]

    def forks(self, stage: StageRun[NeutralizerKeys], others: frozenset[str]) -> list[Fork]:
        feed = Stage(CHEMICAL_FEED, ChemicalFeedKeys(chemical="soda_ash"))
        found = [Fork("Soda-ash feed instead of calcite", 4, avoid=frozenset({self.kind}), offers=((feed,),), has=frozenset({"soda_ash"}))]
        if gassy(stage.water_in, stage.duty) and AERATION.kind not in others:
            stripped = Stage(AERATION, AerationKeys())
            found.append(Fork("Aeration instead of calcite alone", 4, offers=((stripped,),), has=frozenset({AERATION.kind})))
        return found

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return f"raises pH from {before.ph:.1f} to {after.ph:.1f}; as it dissolves it adds hardness"


NEUTRALIZER = Neutralizer()


@rule("calcite-too-acid", "train", "neutralizer.feed", on="neutralizer")
def calcite_too_acid(audit: Audit, stage: StageRun[NeutralizerKeys]) -> Iterator[Hit]:
    """Water too acid for calcite alone: it dissolves fast and still leaves the pH low."""
    low = audit.duty.rows["neutralizer"]["ph_low"]
    if stage.keys.medium == "blend":
        low = audit.duty.rows["blend"]["ph_low"]
        if stage.water_in.ph < low:
            yield Hit(
                "fault",
                f"pH {stage.water_in.ph:.1f} reaches the blend; below {low:g} no bed can keep up.",
                "Feed soda ash, or strip the carbon dioxide by aeration first.",
            )
        return
    if stage.water_in.ph < low - 1e-6:
        yield Hit("fault", f"pH {stage.water_in.ph:.1f} reaches the calcite; below {low} calcite alone dissolves too fast and still leaves the water acid.",
                  "Use a magnesia blend, feed soda ash, or strip the carbon dioxide by aeration first.")  # fmt: skip


@rule("calcite-idle", "train", "neutralizer.feed", on="neutralizer")
def calcite_idle(audit: Audit, stage: StageRun[NeutralizerKeys]) -> Iterator[Hit]:
    """Nothing for calcite to dissolve into: the water is near saturation already."""
    dissolved = stage.figures["calcite_dissolved"].value
    row = audit.duty.rows["neutralizer"]
    soft_permeate = max(stage.water_in.hardness, stage.water_in.value("alkalinity")) < row["soft"]
    if soft_permeate and stage.water_in.ph <= row["idle_ph"]:
        return  # rain or permeate: little dissolves, and that little matters
    if dissolved < row["idle_mg_l"] or stage.water_in.ph > row["idle_ph"]:
        yield Hit("caution", f"Only {audit.show(dissolved, 'mg/L')} of calcite dissolves at pH {stage.water_in.ph:.1f}: the bed has no effect here.",
                  "Remove the neutralizer.")  # fmt: skip


@rule("contact-short/<kind>", "train", "neutralizer.sizing", on="neutralizer")
def contact_short(audit: Audit, stage: StageRun[NeutralizerKeys]) -> Iterator[Hit]:
    """Too little contact to bring the pH up at design flow."""
    contact, floor = stage.figures["empty_bed_contact"].value, audit.duty.rows["neutralizer"]["contact_floor"]
    limit = next((limit for limit in audit.limits if limit.analyte == "ph"), None)
    low = limit.low if limit and limit.low else 6.5
    if stage.water_out.ph < low and stage.water_in.ph < low:
        yield Hit("fault", f"The pH after the bed is {stage.water_out.ph:.1f}, with {contact:.1f} min of contact; the target is {low}.",
                  "Use more calcite, a second vessel in parallel, or less flow.", ("neutralizer",))  # fmt: skip
    elif contact < floor:
        yield Hit("caution", f"{contact:.1f} min of empty-bed contact at design flow; below {floor} min the pH falls when several taps run.",
                  "Use more calcite, or a second vessel in parallel.", ("neutralizer",))  # fmt: skip


@rule("what-it-adds", "water train", "neutralizer.blend", on="neutralizer")
def what_it_adds(audit: Audit, stage: StageRun[NeutralizerKeys]) -> Iterator[Hit]:
    """What a bed that dissolves gives to the water: hardness; of a blend, the pH of a night's standing."""
    added, softened = stage.figures["hardness_added"].value, [other.index for other in audit.run.stages if other.kind == "softener"]
    undone = bool(softened) and max(softened) < stage.index and stage.keys.medium != "blend"  # told at the softener, as a fault
    if added < audit.duty.rows["neutralizer"]["added_told"] or undone:
        return
    hardness = audit.show(stage.water_out.hardness, "mg/L CaCO3")
    if stage.keys.medium == "blend":
        standing = stage.figures["ph_standing"].value
        adds = audit.show(added, "mg/L CaCO3")
        yield Hit("advice", f"The blend adds {adds} of hardness, {hardness} in all; after standing overnight the pH after it reaches about {standing:.1f}.",
                  "Flush a tap in the morning. Test the hardness after it, and the pH standing and running.")  # fmt: skip
        return
    peak, most = stage.figures["calcite_dissolved_at_peak"].value, stage.figures["hardness_ceiling"].value
    adds, standing_words = audit.show(added, "mg/L CaCO3"), audit.show(most, "mg/L CaCO3")
    apart = standing_words != hardness or audit.show(peak, "mg/L CaCO3") != adds
    yield Hit("advice", f"The calcite adds {adds} of hardness at a running tap, {hardness} in all; "
              f"{audit.show(peak, 'mg/L CaCO3')} at design flow, up to {standing_words} in all after standing." if apart else
              f"The calcite adds {adds} of hardness, {hardness} in all, at any flow.",
              "Expect white crust if nothing softens it, and test the hardness after the bed.", source=source("neutralizer.low_flow"))  # fmt: skip


@rule("blend-overshoot", "train", "neutralizer.blend", on="neutralizer")
def blend_overshoot(audit: Audit, stage: StageRun[NeutralizerKeys]) -> Iterator[Hit]:
    """A magnesia blend on water that calcite alone would do for: the pH shoots up when the water stands."""
    row = audit.duty.rows["blend"]
    if stage.keys.medium != "blend":
        return
    share = magnesia_of(stage.keys)
    if stage.water_in.ph > row["overshoot_ph"] or share > row["magnesia_max"]:
        yield Hit(
            "caution",
            f"A blend with {share:.0%} magnesia is used on water of pH {stage.water_in.ph:.1f}: after standing the pH reaches about "
            f"{row['standing_ph']:g}, and the bed may set solid.",
            "Use calcite alone, or less magnesia.",
        )
