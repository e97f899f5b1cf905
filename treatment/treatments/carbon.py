"""Carbon: takes out chlorine, chloramine, a little sulfide, taste and organics, by contact with granules or a block."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.water import PEROXIDE, SULFUR, Water
from ..house.beds import bed_figures, wash_figures
from ..house.duty import Duty
from ..house.hydraulics import PSI, square_law
from ..house.needs import tasted
from ..house.stock import Wanted
from ..job.feed_limits import FeedLimit
from ..job.limits import strictest
from ..language.analytes import PFAS, analytes
from ..language.figure import Figure, figure, source, stated, work
from ..language.spec import Choice, Flag, key
from ..language.tables import table
from ..train.keys import BedKeys
from ..train.over_time import Counted, TakingUp, washing_of
from ..train.treatment import Purchase, Sizing, Stage, StageRun, TrainRun, Treatment, cartridge_body
from .cartridges import HOUSING, cartridge_wanted, changes, housings, rated, smallest
from .sediment import FINE, SPARES, Sediment, clogging, share_held, solids

ORGANICS = ("trihalomethanes", "voc", "pesticides", "atrazine", "simazine", "benzene", "tce", "pce", "bentazone")
#: the group and its single substances
LASTING = ("pfas", *PFAS)
CHLORINE = ("free_chlorine", "total_chlorine")


@dataclass(frozen=True, slots=True)
class CarbonKeys(BedKeys):
    medium: str | None = key(Choice(("granular", "catalytic", "block")), None, "kind of carbon", identity=True)
    form: str | None = key(Choice(("backwashing", "upflow", "cartridge")), None, "how water flows through it", identity=True)
    housing: str | None = key(HOUSING, None, "housing of a carbon block", sometimes=True)
    lead_lag: bool | None = key(
        Flag(), None, "two beds one after the other, a vessel each, with a sample tap between them", identity=True, sometimes=True
    )


def in_housing(keys: CarbonKeys) -> bool:
    """Whether it stands in a cartridge housing: a block, or granules in a cartridge."""
    return keys.medium == "block" or keys.form == "cartridge"


def is_block(keys: CarbonKeys) -> bool:
    """Whether it is a pressed block: ground far finer than granules, and a filter for particles."""
    return keys.medium == "block" or (keys.form == "cartridge" and keys.medium is None)


def chloramine(water: Water) -> float:
    """Combined chlorine [mg/L]: total less free."""
    return max(water.value("total_chlorine") - water.value("free_chlorine"), 0.0)


def tasks(keys: CarbonKeys, water: Water, duty: Duty) -> dict[str, float]:
    """What there is for the carbon to do, with the empty-bed contact [min] each asks."""
    row, standard, day = duty.rows["carbon"], duty.facts.job.standard, duty.facts.as_of
    rows = row["contact"]
    found: dict[str, float] = {}
    if water.value("free_chlorine") > tasted():
        found["chlorine"] = rows["chlorine"]
    if chloramine(water) > tasted():
        found["chloramine"] = rows["chloramine" if keys.medium == "catalytic" else "chloramine_granular"]
    if water.value("hydrogen_sulfide") > row["sulfide_noticed"] and keys.medium == "catalytic":
        found["sulfide"] = rows["sulfide"]
    for name in ORGANICS:
        limit = strictest(standard, name, day)
        if limit and water.value(name) > row["organics_noticed"] * limit.high:
            found["organics"] = rows["organics"]
    limit = strictest(standard, "odour", day)
    if limit and water.value("odour") > limit.high:
        found["odour"] = rows["odour"]
    for name in LASTING:
        limit = strictest(standard, name, day)
        if limit and water.value(name) > row["organics_noticed"] * limit.high:
            found["pfas"] = rows["pfas"]
    return found


class Carbon(Treatment[CarbonKeys]):
    kind = "carbon"
    title = "Carbon filter"
    silhouette = "vessel"
    Keys = CarbonKeys
    answers = (*CHLORINE, "hydrogen_sulfide", *ORGANICS, *LASTING, "odour")
    helps = (PEROXIDE, SULFUR)
    price = 2.5
    fuss = {"catalytic": 0.2, "backwashing": 0.7}
    place = 9
    bypassed = True
    absent = "nothing in this water needs it"
    main = ("backwash_interval", "replacement_interval", "contact_time", "contact_needed", "media_volume", "service_flow_limit", "backwash_flow")
    holds_particles = True
    peak_effect = "chlorine and taste break through"
    cautions = (
        "Soak new carbon for 48 h, then rinse until the water is clear: its dust must not reach a UV unit or a membrane.",
        "Carbon removes the chlorine that protects the water. Do not leave the bed unused for months, and disinfect after it if the source is unsafe.",
        "Taste and odor are comfort: carbon does not make water safe.",
        "A soaked vessel is heavy: use two people and a hand truck (trolley).",
    )

    def name(self, keys: CarbonKeys) -> str:
        if is_block(keys):
            return "Carbon block"
        if in_housing(keys):
            return "Catalytic carbon cartridge" if keys.medium == "catalytic" else "Granular carbon cartridge"
        return "Catalytic carbon filter" if keys.medium == "catalytic" else "Carbon filter"

    def other_sizes(self, keys: CarbonKeys, sizing: Sizing, water: Water, duty: Duty) -> list[CarbonKeys]:
        """More carbon, the other carbon."""
        if sizing.bed is None:
            return []
        other = "granular" if keys.medium == "catalytic" else "catalytic"
        return [*super().other_sizes(keys, sizing, water, duty), replace(keys, medium=other)]

    def over_time(self, stage: StageRun[CarbonKeys]) -> TakingUp[StageRun[CarbonKeys]]:
        """Carbon takes up chlorine until it is spent; what else it holds, the calendar renews it for."""
        row, bed, water = stage.duty.rows["carbon"], stage.sizing.bed, stage.water_in
        density = bed.medium.density if bed else float(row["block_kg_l"])
        holds = self._litres(stage.sizing) * density * row["chlorine_capacity"] * 1000
        counted = Counted((("total_chlorine" if water.value("total_chlorine") >= water.value("free_chlorine") else "free_chlorine", 1.0),))
        return TakingUp(stage, counted, holds, "cartridge" if in_housing(stage.keys) else "medium", washing_of(stage))

    def micron(self, keys: CarbonKeys, sizing: Sizing) -> float | None:
        return float(table("stages")["carbon"]["block_micron"]) if is_block(keys) else None

    def feed_limits(self, keys: CarbonKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited = duty.rows["carbon"], source("carbon.feed")
        limits = [
            FeedLimit("iron", None, row["iron_max"], cited, "iron coats the carbon"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "manganese coats the carbon"),
            FeedLimit("turbidity", None, row["turbidity_max"], cited, "silt packs the carbon; filter it first"),
            FeedLimit("tss", None, duty.rows["sediment_forms"]["tss_max"], cited, "grit and silt pack the carbon; filter them first"),
            FeedLimit("iron_bacteria", None, 0.0, cited, "slime fouls the bed; disinfect first"),
        ]
        if keys.medium == "catalytic":
            limits.append(
                FeedLimit(
                    "hydrogen_sulfide",
                    None,
                    row["sulfide_alone"],
                    cited,
                    "so much sulfide soon exhausts the carbon; put an oxidizing bed first",
                    "caution",
                )
            )
            limits.append(FeedLimit("hydrogen_sulfide", None, row["sulfide_max"], cited, "that is more sulfide than carbon removes"))
        return limits

    def _flows(self, keys: CarbonKeys, duty: Duty) -> tuple[float, float]:
        """Flow [L/min] and daily use [L/day] that pass it."""
        return (duty.drinking, duty.drinking_daily) if self.at_tap(keys) else (duty.flow, duty.daily)

    def size(self, keys: CarbonKeys, water: Water, duty: Duty) -> Sizing:
        row = duty.rows["carbon"]
        if in_housing(keys):
            flow = self._flows(keys, duty)[0]
            offered = housings(duty, None, "carbon")
            housing = keys.housing or smallest(offered, lambda each: rated(each, row["block_flow_share"]).value >= flow) or offered[-1]
            return Sizing({"medium": keys.medium or "block", "form": "cartridge", "housing": housing})
        medium, form = keys.medium or "granular", keys.form or "backwashing"
        contact = max(tasks(keys, water, duty).values(), default=row["contact"]["chlorine"]) / (2.0 if keys.lead_lag else 1.0)
        wash = duty.wash if form == "backwashing" else None
        vessels = 1 if keys.lead_lag else keys.vessels
        bed = duty.bed(f"{medium}_carbon", contact * duty.flow, wash, water.temperature, keys.tank, vessels, keys.volume)
        params = {"medium": medium, "form": form, "volume": bed.volume, "tank": bed.tank, "vessels": bed.vessels}
        return Sizing(params | ({"lead_lag": True} if keys.lead_lag else {}), bed)

    def pieces(self, keys: CarbonKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Wanted]:
        return {"carbon_block": cartridge_wanted("carbon block", sizing.params["housing"], None, "carbon")} if sizing.bed is None else {}

    def bodies(self, keys: CarbonKeys, sizing: Sizing) -> int:
        """Lead and lag are as many again."""
        return super().bodies(keys, sizing) * (2 if sizing.params.get("lead_lag") else 1)

    def in_series(self, keys: CarbonKeys, sizing: Sizing) -> bool:
        return bool(sizing.params.get("lead_lag"))

    def _litres(self, sizing: Sizing) -> float:
        """Carbon in it [L], in both beds where one follows the other."""
        if sizing.bed is not None:
            return sizing.bed.total_volume * (2.0 if sizing.params.get("lead_lag") else 1.0)
        return float(table("stages")["carbon"]["block_litres"][sizing.params["housing"]])

    def _contact(self, keys: CarbonKeys, sizing: Sizing, duty: Duty) -> float:
        """Empty-bed contact at its flow [min]."""
        return self._litres(sizing) / self._flows(keys, duty)[0]

    def figures(self, keys: CarbonKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, bed = duty.rows["carbon"], sizing.bed
        found: dict[str, Figure] = {}
        if bed is None:
            found["media_volume"] = figure(stated("carbon", "block", self._litres(sizing), "L", "carbon.contact"))
            found["service_flow_limit"] = figure(rated(sizing.params["housing"], row["block_flow_share"]))
        else:
            washed = sizing.params["form"] == "backwashing"
            found |= bed_figures(bed, duty.flow, water.temperature, backwash=washed)
            if washed:
                found["backwash_interval"] = figure(stated("backwash every", "days", float(row["backwash_days"]), "day", "beds.cycle"))
                found |= wash_figures(bed, water.temperature)
            if keys.lead_lag:
                each = (bed.total_volume, "L")
                found["media_volume"] = figure(work("medium", "lead + lag", "L", "carbon.contact", lead=each, lag=each))
        return found | self._contact_and_life(keys, sizing, water, duty)

    def _contact_and_life(self, keys: CarbonKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, asked, litres = duty.rows["carbon"], tasks(keys, water, duty), (self._litres(sizing), "L")
        flow, daily = self._flows(keys, duty)
        density = sizing.bed.medium.density if sizing.bed else float(row["block_kg_l"])
        cap = float(
            row["cartridge_months"] if in_housing(keys) else row["organics_months"] if {"organics", "pfas"} & set(asked) else row["years"] * 12
        )
        yearly = work("chlorine a year", "chlorine × daily × 365 ÷ 1000000", "kg", "carbon.life",
                      chlorine=(max(water.value("total_chlorine"), water.value("free_chlorine")), "mg/L"), daily=(daily, "L/day"))  # fmt: skip
        life = work("life", "min(liters × density × capacity ÷ max(year ÷ 12, 0.000000001), cap)", "month", "carbon.life",
                    liters=litres, density=(density, "kg/L"), capacity=(row["chlorine_capacity"], "kg/kg"), year=(yearly.value, "kg"), cap=(cap, "month"))  # fmt: skip
        return {
            "contact_time": figure(work("contact", "liters ÷ flow", "min", "carbon.contact", liters=litres, flow=(flow, "L/min"))),
            "contact_needed": figure(
                stated("contact needed", "needed", max(asked.values(), default=row["contact"]["chlorine"]), "min", "carbon.contact")
            ),
            "replacement_interval": figure(yearly, life),
        }

    def _left(self, keys: CarbonKeys, sizing: Sizing, duty: Duty, task: str, needed: float) -> float:
        """Share left after the bed: first order in contact, so that half the contact leaves the root."""
        row = duty.rows["carbon"]
        contact = self._contact(keys, sizing, duty) * (row["block_gain"] if is_block(keys) else 1.0)
        return float(row["left"][task] ** min(contact / needed, 2.0))

    def treat(self, keys: CarbonKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        changes = self._held(keys, water, duty) | self._chlorine_left(keys, sizing, water, duty)
        row, rows = duty.rows["carbon"], duty.rows["carbon"]["contact"]
        if "sulfide" in tasks(keys, water, duty):
            held = min(water.value("hydrogen_sulfide"), row["sulfide_max"])
            changes["hydrogen_sulfide"] = water.value("hydrogen_sulfide") - held * (1 - self._left(keys, sizing, duty, "sulfide", rows["sulfide"]))
        for name in (*ORGANICS, "odour"):
            if water.get(name) is not None:
                changes[name] = water.value(name) * self._left(keys, sizing, duty, "organics", rows["organics"])
        for name in LASTING:
            if water.get(name) is not None:
                changes[name] = water.value(name) * self._left(keys, sizing, duty, "pfas", rows["pfas"])
        return water.with_(**changes) if changes else water

    def _chlorine_left(self, keys: CarbonKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, float]:
        """Free chlorine and chloramine behind it [mg/L], each by its own contact."""
        rows, changes = duty.rows["carbon"]["contact"], {}
        free, combined = water.value("free_chlorine"), chloramine(water)
        if free > 0:
            free *= self._left(keys, sizing, duty, "chlorine", rows["chlorine"])
        if combined > 0:
            combined *= self._left(keys, sizing, duty, "chloramine", rows["chloramine" if keys.medium == "catalytic" else "chloramine_granular"])
        if water.get("free_chlorine") is not None:
            changes["free_chlorine"] = free
        if water.get("total_chlorine") is not None:
            changes["total_chlorine"] = free + combined
        return changes

    def _held(self, keys: CarbonKeys, water: Water, duty: Duty) -> dict[str, float]:
        """What a block holds as a filter of its micron; peroxide that catalytic carbon breaks up; sulfur that was made."""
        row, changes = duty.rows["carbon"], dict[str, float]()
        if is_block(keys):
            for name in ("turbidity", "tss"):
                if water.get(name) is not None:
                    changes[name] = water.value(name) * row["block_particles_left"]
            if water.get("ferric_iron") is not None:  # rust as its micron says
                changes["ferric_iron"] = water.value("ferric_iron") * (1 - share_held(float(row["block_micron"]), "capture_rust"))
        if keys.medium == "catalytic" and water.value(PEROXIDE) > 0:
            changes[PEROXIDE] = 0.0
        if water.value(SULFUR) > 0:
            changes[SULFUR] = water.value(SULFUR) * duty.rows["oxidizing_filter"]["particles_left"]
        return changes

    def loss(self, keys: CarbonKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        row = table("stages")["carbon"]
        if sizing.bed is None:
            housing = sizing.params["housing"]
            clean = square_law(flow, rated(housing, row["block_flow_share"]).value, table("vessels")["cartridges"][housing]["psi"] * PSI)
            return clean, clean + table("stages")["sediment"]["change_kpa"]
        clean = sizing.bed.loss(flow, temperature) * (2.0 if sizing.params.get("lead_lag") else 1.0)
        return clean, clean * row["dirty_factor"]

    def candidates(self, water: Water, duty: Duty) -> list[CarbonKeys]:
        form = "upflow" if duty.facts.wishes.no_power or duty.no_drain else "backwashing"
        fast = max(chloramine(water), water.value(PEROXIDE)) > tasted() or water.value("hydrogen_sulfide") > duty.rows["carbon"]["sulfide_noticed"]
        usual = CarbonKeys(medium="catalytic" if fast else "granular", form=form)
        asked = tasks(usual, water, duty)  # beds in line are not washed: that mixes what is spent with what is not
        guarded = [replace(usual, form="upflow", lead_lag=True)] if "pfas" in asked else []
        unwashed = [replace(usual, form="upflow")] if form != "upflow" and self._too_much_to_wash(usual, water, duty) else []
        return [*guarded, usual, *unwashed] if asked or fast else []

    def _too_much_to_wash(self, keys: CarbonKeys, water: Water, duty: Duty) -> bool:
        """Whether its bed asks for more to be washed than the source gives."""
        bed = self.size(keys, water, duty).bed
        return bed is not None and not duty.gives_wash(bed.backwash_flow(water.temperature))

    def companions(self, keys: CarbonKeys, water: Water, duty: Duty) -> tuple[tuple[Stage[Any], ...], tuple[Stage[Any], ...]]:
        """A fine filter before it keeps particles out, one after it holds its fines: where the job's school says so."""
        school = duty.facts.schools.fine_filter
        return ((FINE,) if school in ("before_carbon", "both") else ()), ((FINE,) if school in ("after_carbon", "both") else ())

    def washes(self, keys: CarbonKeys) -> bool:
        return self.powered(keys)

    def powered(self, keys: CarbonKeys) -> bool:
        return not in_housing(keys) and keys.form != "upflow"

    def strain(self, keys: CarbonKeys, sizing: Sizing, water: Water, duty: Duty) -> float:
        return clogging(water, duty) if keys.form == "upflow" else 0.0

    def aids(self, keys: CarbonKeys) -> tuple[Stage[Any], ...]:
        return SPARES if keys.form == "upflow" else ()

    def refuses_after(self, keys: CarbonKeys, others: Sequence[Stage[Any]], duty: Duty, raw: Water) -> bool:
        """It comes before the softener, where the job's school or its water says so."""
        return duty.carbon_first(raw) and any(other.kind == "softener" for other in others)

    def purposeful(self, stage: StageRun[Any], run: TrainRun, duty: Duty, microbes: bool) -> bool:
        """Chlorine or a smell is a purpose; so is peroxide that was fed."""
        if stage.water_in.value(PEROXIDE) > duty.rows["chemical_feed"]["peroxide_left"]:
            return True
        smelt = max(stage.water_in.value(name) for name in CHLORINE) > tasted()
        return smelt or bool({"bleach_smell", "rotten_egg_cold"} & set(duty.facts.observations))

    def schools(self, keys: CarbonKeys, water: Water, system: str) -> list[str]:
        said = ["Before the softener on chlorinated public supply, after it on a clear well (default); others always one or the other."]
        if keys.lead_lag:
            said.append(
                "Two beds in series with a sample tap between them for what is harmful in traces (default); others use one bed, replaced early by the calendar."
            )
        if not in_housing(keys):
            said.append("Chloramine on catalytic carbon at 3 min (default); others give granular carbon 10 min.")
        said.append(
            "No fine filter of its own (default): particles are removed where they are found; others put one before it for particles, after it for fines, or both."
        )
        return said

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        gone = []
        if before.value("free_chlorine") > tasted():
            gone.append("free chlorine")
        if chloramine(before) > tasted():
            gone.append("chloramine")
        if before.value("hydrogen_sulfide") > after.value("hydrogen_sulfide") + 0.01:
            gone.append("sulfide")
        gone += [analytes()[name].said for name in (*ORGANICS, *LASTING) if before.value(name) - after.value(name) > 0.3]
        return "removes " + (", ".join(gone) or "taste and odor")

    def buys(self, keys: CarbonKeys, sizing: Sizing) -> list[Purchase]:
        return changes("carbon_block", sizing, self.name(keys))

    def body(self, keys: CarbonKeys, sizing: Sizing) -> tuple[float, float, float]:
        return super().body(keys, sizing) if sizing.bed else cartridge_body(sizing.params["housing"])


CARBON = Carbon()


@rule("sediment-after-carbon", "train", "carbon.feed", on="carbon")
def sediment_after_carbon(audit: Audit, stage: StageRun[CarbonKeys]) -> Iterator[Hit]:
    """Particles meet the carbon first, and the sediment filter stands after it."""
    filters = [other.index for other in audit.run.of(Sediment)]
    limit, row = audit.duty.rows["carbon"]["turbidity_max"], audit.duty.rows["sediment"]
    if (
        filters
        and min(filters) > stage.index
        and (stage.water_in.value("turbidity") > limit or solids(stage.water_in, stage.duty) > row["solids_per_ntu"] * limit)
    ):
        yield Hit("fault", f"Particles ({audit.show(stage.water_in.value('turbidity'), 'NTU')}) reach the carbon first; the sediment filter is installed after it.",
                  "Put a sediment filter before the carbon; a second one after it removes fines.")  # fmt: skip


@rule("contact-short/<kind>", "train", "carbon.contact", on="carbon")
def contact_short(audit: Audit, stage: StageRun[CarbonKeys]) -> Iterator[Hit]:
    """Too little contact at design flow for what the carbon should take out."""
    asked, row = tasks(stage.keys, stage.water_in, stage.duty), audit.duty.rows["carbon"]
    given = stage.figures["contact_time"].value * (audit.duty.rows["carbon"]["block_gain"] if is_block(stage.keys) else 1.0)
    for task, needed in asked.items():
        if given < needed * 0.98:
            grave = task in ("organics", "pfas") or (task == "chloramine" and given < row["contact_peak"] * needed)
            severity = "fault" if grave or given < row["contact_fault"] * needed else "caution"
            own = stage.figures["contact_time"].value
            counted = (
                f"{own:.2g} min of contact in the block at design flow, ground so fine that it counts as {given:.1f}"
                if is_block(stage.keys)
                else f"{given:.1f} min of contact at design flow"
            )
            yield Hit(severity, f"{counted}; {task} asks {needed:g} min.",
                      "Use more carbon, a second vessel, catalytic carbon for chloramine, or less flow.", ("carbon",))  # fmt: skip


@rule("single-bed/<kind>", "train", "carbon.lead_lag", on="carbon")
def single_bed(audit: Audit, stage: StageRun[CarbonKeys]) -> Iterator[Hit]:
    """One bed against what harms at traces: nobody sees that it is spent before it is through."""
    if "pfas" in tasks(stage.keys, stage.water_in, stage.duty) and not stage.sizing.params.get("lead_lag") and not in_housing(stage.keys):
        most = max(LASTING, key=stage.water_in.value)
        yield Hit(
            "caution",
            f"One bed removes {analytes()[most].name} of {audit.reads(most, stage.water_in.value(most))}: when its outlet shows PFAS, they have already reached the taps.",
            "Use two beds in series with a sample tap between them: when that tap shows PFAS, replace the first and put the second in its place.",
            (stage.kind,),
        )
