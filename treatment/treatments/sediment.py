"""Sediment filters: hold particles, so that valves, beds and the lamp see clear water."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.water import SULFUR, Water
from ..house.beds import bed_figures, wash_figures
from ..house.demand import interpolate
from ..house.duty import Duty
from ..house.hydraulics import PSI, square_law
from ..house.stock import Wanted
from ..language.figure import Figure, Line, constant, figure, stated, work
from ..language.spec import Choice, Measure, key
from ..language.tables import table
from ..train.keys import BedKeys
from ..train.over_time import Aging, Counted, Filling, Loading, OverTime, washing_of
from ..train.treatment import Purchase, Sizing, Stage, StageRun, TrainRun, Treatment, cartridge_body
from .cartridges import HOUSING, cartridge_sold, cartridge_wanted, changes, housings, rated

FORMS = ("cartridge", "dual_gradient", "spin_down", "backwashing")
LARGE_HOUSINGS = ("10x4.5", "20x4.5")


@dataclass(frozen=True, slots=True)
class SedimentKeys(BedKeys):
    form: str | None = key(Choice(FORMS), None, "how it removes dirt", identity=True)
    micron: float | None = key(Measure("length", "5 um", low=1e-7, high=1e-3, bare="um"), None, "nominal rating", identity=True)
    outer_micron: float | None = key(
        Measure("length", "50 um", low=1e-7, high=1e-3, bare="um"), None, "rating of the outer layer, dual-gradient", identity=True, sometimes=True
    )
    housing: str | None = key(HOUSING, None, "cartridge housing, length × diameter in inches", sometimes=True)


def form_of(keys: SedimentKeys) -> str:
    return keys.form or "cartridge"


def micron_of(keys: SedimentKeys) -> float:
    """Nominal rating [µm]; where it is left out, what its form usually has."""
    if keys.micron:
        return round(keys.micron * 1e6, 6)
    row = table("stages")["sediment_forms"]
    return float({"spin_down": row["spin_down_micron"], "backwashing": row["bed_micron"]}.get(form_of(keys), row["micron"]))


@cache
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


def blinds(water: Water, duty: Duty) -> bool:
    """Whether so much dirt or rust arrives that a bed which nothing washes clogs."""
    return bool(solids(water, duty) > duty.rows["sediment_forms"]["tss_max"] or water.value("ferric_iron") > duty.rows["softener"]["ferric_max"])


def clogging(water: Water, duty: Duty) -> float:
    """What it weighs in the search that a bed which nothing washes clogs on this water; `SPARES` ease it."""
    return float(table("planning")["price"]["fault"]) if blinds(water, duty) else 0.0


def solids(water: Water, duty: Duty) -> float:
    """Suspended solids [mg/L], from turbidity where they were not measured or not found; rust counts as its hydroxide, sulfur that was made as itself.

    What a test did not find counts as none, unless the water is turbid: fine clay weighs little, at most what the test would miss.
    """
    row = duty.rows["sediment"]

    def there(analyte: str) -> float | None:
        value = water.get(analyte)
        return 0.0 if value is not None and duty.not_found(analyte, value) else value

    measured, turbid = there("tss"), (there("turbidity") or 0.0) * row["solids_per_ntu"]
    if measured is None:
        measured = turbid
    elif measured == 0.0:
        measured = min(turbid, water.value("tss"))
    return float(measured + row["solids_per_rust"] * (there("ferric_iron") or 0.0) + water.value(SULFUR))


class Sediment(Treatment[SedimentKeys]):
    kind = "sediment"
    title = "Sediment filter"
    silhouette = "cartridge"
    Keys = SedimentKeys
    answers = ("turbidity", "tss")
    helps = ("iron", "ferric_iron", "uvt", SULFUR)
    price = 1.0
    fuss = {"backwashing": 2.0, "dual_gradient": 0.3, "spin_down": 0.2}
    place = None
    bypassed = True
    absent = "no particles were measured, and no UV unit needs a filter before it"
    main = ("backwash_interval", "replacement_interval", "media_volume", "service_flow_limit", "backwash_flow")
    holds_particles = True
    guards = True
    hidden = ("micron",)
    repeats = True
    peak_effect = "pressure falls"
    cautions = (
        "Shut off the water and press the vent button before you open the housing.",
        "Leave room below to lower the sump, and keep its wrench there.",
        "It does not make water safe: microbes go through it.",
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

    def _fineness(self, micron: float) -> float:
        """Share of its flow that a cartridge of this rating keeps [-]."""
        return float(table("stages")["sediment"]["flow_at_1um"]) if micron < 2 else 1.0

    def size(self, keys: SedimentKeys, water: Water, duty: Duty) -> Sizing:
        form, micron = form_of(keys), micron_of(keys)
        if form == "backwashing":
            row = duty.rows["sediment_forms"]
            for name in row["beds"]:
                bed = duty.bed(name, 0.0, duty.wash, water.temperature, keys.tank, keys.vessels, keys.volume)
                if bed.vessels == 1 and bed.backwash_flow(water.temperature) <= duty.wash:
                    break
            return Sizing({"form": form, "micron": micron, "volume": bed.volume, "tank": bed.tank, "vessels": bed.vessels}, bed)
        if form == "spin_down":
            return Sizing({"form": form, "micron": micron, "housing": housings(duty, None)[0]})
        sold = housings(duty, micron)
        offered = [each for each in sold if form != "dual_gradient" or each in LARGE_HOUSINGS] or list(LARGE_HOUSINGS)
        fine = self._fineness(micron)
        housing = keys.housing
        if housing is None:
            carrying = [each for each in offered if rated(each, fine).value >= duty.flow]
            carrying = carrying or [each for each in HOUSING.options if rated(each, fine).value >= duty.flow] or [offered[-1]]
            least = duty.rows["sediment"]["life_accepted"] * self._dirt(keys, water, duty).value
            housing = next((each for each in carrying if self._capacity(keys, each, duty) >= least), carrying[-1])
        params = {"form": form, "micron": micron, "housing": housing}
        return Sizing(params | ({"outer_micron": self._outer(keys)} if form == "dual_gradient" else {}))

    def figures(self, keys: SedimentKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        micron = sizing.params["micron"]
        shared = {"micron": figure(stated("rating", "nominal", micron, "um", "sediment.purpose"))}
        if sizing.bed is not None:
            return shared | self._bed_figures(sizing, water, duty)
        if form_of(keys) == "spin_down":
            days = float(duty.rows["sediment_forms"]["spin_down_flush_days"])
            return shared | {
                "service_flow_limit": figure(stated("flow", "rated", self._screen_flow(micron, duty.flow), "L/min", "sediment.flow")),
                "flush_interval": figure(stated("flush every", "days", days, "day", "sediment.purpose")),
            }
        return shared | self._cartridge_figures(keys, sizing, water, duty)

    def _screen_flow(self, micron: float, flow: float) -> float:
        """Flow class of a screen [L/min]: the largest housing's, or as large as the design flow."""
        return max(rated(HOUSING.options[-1], self._fineness(micron)).value, flow)

    def _dirt(self, keys: SedimentKeys, water: Water, duty: Duty) -> Line:
        """What it holds in a month [g]."""
        return work(
            "dirt a month",
            "held × daily ÷ 1000 × month_days",
            "g",
            "sediment.capture",
            held=(holds(keys)[0] * solids(water, duty), "mg/L"),
            daily=(duty.daily, "L/day"),
        )

    def _life(self, keys: SedimentKeys, housing: str, month: Line, duty: Duty) -> Line:
        """Months until a cartridge of this housing is full, or as long as one is left in; month: the dirt it holds in one."""
        cap = duty.rows["sediment"]["life_days"] / constant("month_days")
        return work("life", "min(capacity ÷ max(month, 0.000001), cap)", "month", "sediment.life",
                    capacity=(self._capacity(keys, housing, duty), "g"), month=(month.value, "g"), cap=(cap, "month"))  # fmt: skip

    def _capacity(self, keys: SedimentKeys, housing: str, duty: Duty) -> float:
        """Dirt [g] that a cartridge of this housing takes until it has to be changed: as its maker says, else by its housing."""
        sold = cartridge_sold(duty, housing, micron_of(keys))
        if sold is not None and sold.fits.dirt:
            return float(sold.fits.dirt * 1000)
        dirt = float(table("vessels")["cartridges"][housing]["dirt_g"])
        dirt *= duty.rows["sediment_forms"]["dual_dirt"] if form_of(keys) == "dual_gradient" else 1.0
        return dirt * (duty.rows["sediment"]["dirt_at_1um"] if micron_of(keys) < 2 else 1.0)

    def _cartridge_figures(self, keys: SedimentKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        housing, dirt = sizing.params["housing"], self._dirt(keys, water, duty)
        return {
            "service_flow_limit": figure(rated(housing, self._fineness(sizing.params["micron"]))),
            "replacement_interval": figure(dirt, self._life(keys, housing, dirt, duty)),
        }

    def _bed_figures(self, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, bed = duty.rows["sediment_forms"], sizing.vessels
        day = work(
            "dirt a day",
            "share × solids × daily ÷ 1000",
            "g",
            "sediment.capture",
            share=(row["bed_capture"], ""),
            solids=(solids(water, duty), "mg/L"),
            daily=(duty.daily, "L/day"),
        )
        every = work("backwash every", "min(load × area ÷ max(dirt, 0.000001), cap)", "day", "beds.cycle",
                     load=(float(row["bed_load"]), "g/m2"), area=(bed.total_area, "m2"), dirt=(day.value, "g"), cap=(float(row["bed_backwash_days"]), "day"))  # fmt: skip
        return bed_figures(bed, duty.flow, water.temperature) | wash_figures(bed, water.temperature) | {"backwash_interval": figure(day, every)}

    def treat(self, keys: SedimentKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        held, rust = holds(keys)
        silt = float(duty.rows["sediment_forms"]["bed_capture_silt"]) if form_of(keys) == "backwashing" else held
        return water.scaled(turbidity=1 - held, tss=1 - silt, ferric_iron=1 - rust, **{SULFUR: 1 - rust})

    def pieces(self, keys: SedimentKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Wanted]:
        if sizing.bed is not None or form_of(keys) == "spin_down":
            return {}
        return {"cartridge": cartridge_wanted("cartridge", sizing.params["housing"], micron_of(keys))}

    def other_sizes(self, keys: SedimentKeys, sizing: Sizing, water: Water, duty: Duty) -> list[SedimentKeys]:
        """A cartridge in another housing, or as a dual gradient; a bed of another size."""
        if sizing.bed is not None:
            return super().other_sizes(keys, sizing, water, duty)
        if form_of(keys) not in ("cartridge", "dual_gradient"):
            return []
        larger = [replace(keys, housing=each) for each in housings(duty, micron_of(keys)) if form_of(keys) == "cartridge" or each in LARGE_HOUSINGS]
        other = [] if micron_of(keys) < 2 else [replace(keys, form="dual_gradient" if form_of(keys) == "cartridge" else "cartridge", housing=None)]
        return [each for each in (*larger, *other) if each.housing != sizing.params["housing"]]

    def over_time(self, stage: StageRun[SedimentKeys]) -> OverTime[StageRun[SedimentKeys]]:
        """A cartridge fills, a bed is washed, a screen is flushed: each by the solids it holds."""
        keys, duty, water = stage.keys, stage.duty, stage.water_in
        guide = "tss" if water.value("tss") > 0 and water.value("turbidity") <= 0 else "turbidity"
        if stage.sizing.bed is not None:
            row = duty.rows["sediment_forms"]
            a_litre, usual = row["bed_capture"] * solids(water, duty) / 1000, water.value(guide)
            counted = Counted(((guide, a_litre * 1000 / usual),)) if usual > 0 else Counted((), a_litre)
            return Loading(stage, counted, float(row["bed_load"]) * stage.sizing.bed.total_area, washing_of(stage))
        if form_of(keys) == "spin_down":
            return Aging(stage, "flush")
        return Filling(
            stage, holds(keys)[0] * solids(water, duty) / 1000, guide, self._capacity(keys, stage.sizing.params["housing"], duty), "cartridge"
        )

    def washes(self, keys: SedimentKeys) -> bool:
        return True

    def loss(self, keys: SedimentKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        row = table("stages")["sediment_forms"]
        if sizing.bed is not None:
            clean = sizing.bed.loss(flow, temperature)
            return clean, clean * row["bed_dirty_factor"]
        if form_of(keys) == "spin_down":
            clean = square_law(flow, sizing.figures["service_flow_limit"].value, row["spin_down_psi"] * PSI)
            return clean, clean * row["spin_down_dirty_factor"]
        housing = table("vessels")["cartridges"][sizing.params["housing"]]
        clean = square_law(flow, rated(sizing.params["housing"], self._fineness(sizing.params["micron"])).value, housing["psi"] * PSI)
        return clean, clean + table("stages")["sediment"]["change_kpa"]

    def idle_behind(self, stage: StageRun[Any], before: StageRun[Any]) -> bool:
        held, own = before.sizing.params, stage.sizing.params
        return before.kind == self.kind and held["form"] != "backwashing" and bool(held["micron"] <= own["micron"])

    def candidates(self, water: Water, duty: Duty) -> list[SedimentKeys]:
        """A fine cartridge where there is something to hold; where it would soon be full, what spares it: a coarser one, a screen, a bed."""
        row, dirt = duty.rows["sediment_forms"], solids(water, duty)
        washed = [] if duty.facts.wishes.no_power or duty.no_drain else [SedimentKeys(form="backwashing")]
        milky = water.value(SULFUR) > duty.rows["chemical_feed"]["sulfur_matters"]
        if (
            not milky
            and dirt < row["solids_wanted"]
            and water.value("ferric_iron") < row["rust_wanted"]
            and water.value("turbidity") < row["turbidity_wanted"]
        ):
            return []
        clay = [CLAY.keys] if water.value("turbidity") > row["turbidity_clay"] or water.value("ferric_iron") > row["rust_wanted"] else []
        if not self._soon_full(FINE.keys, water, duty):
            return [FINE.keys, *clay, *(washed if dirt > row["solids_heavy"] else [])]
        return [FINE.keys, *clay, COARSE.keys, SedimentKeys(form="dual_gradient", micron=5e-6), *washed]

    def _soon_full(self, keys: SedimentKeys, water: Water, duty: Duty) -> bool:
        """Whether a cartridge does not last as long as people accept."""
        return self.strain(keys, self.size(keys, water, duty), water, duty) > 0

    def helped(self, keys: SedimentKeys, water: Water) -> frozenset[str]:
        """Dissolved iron passes it."""
        rusty = water.value("ferric_iron") > table("stages")["sediment_forms"]["rust_wanted"]
        return self.puts_right if rusty else self.puts_right - {"iron", "ferric_iron"}

    def passes_washes(self, keys: SedimentKeys) -> bool:
        return form_of(keys) != "backwashing"

    def powered(self, keys: SedimentKeys) -> bool:
        return form_of(keys) == "backwashing"

    def strain(self, keys: SedimentKeys, sizing: Sizing, water: Water, duty: Duty) -> float:
        """A cartridge that does not last as long as people accept; one that is plugged in days is a fault."""
        if form_of(keys) not in ("cartridge", "dual_gradient"):
            return 0.0
        row, weighs = duty.rows["sediment"], table("planning")["price"]
        life = self._life(keys, sizing.params["housing"], self._dirt(keys, water, duty), duty).value
        return float(weighs["fault"] if life < row["life_plugged"] else weighs["strain"] if life < row["life_accepted"] * 0.995 else 0.0)

    def aids(self, keys: SedimentKeys) -> tuple[Stage[Any], ...]:
        """A coarser cartridge, or a flushed screen."""
        return (COARSE, SCREEN) if micron_of(keys) < 25 else (SCREEN,) if form_of(keys) != "spin_down" else ()

    def wider(self, keys: SedimentKeys, duty: Duty) -> SedimentKeys | None:
        """A cartridge in the largest housing that is sold for it."""
        if keys.housing is not None or form_of(keys) not in ("cartridge", "dual_gradient"):
            return None
        return replace(keys, housing=housings(duty, micron_of(keys))[-1])

    def instead(self, keys: SedimentKeys, duty: Duty) -> tuple[Stage[Any], ...]:
        """A bed that is washed, where it may have power and a drain; whether it holds as much as the finest cartridges need is tried."""
        may = form_of(keys) in ("cartridge", "dual_gradient") and not duty.facts.wishes.no_power and not duty.no_drain
        return (Stage(self, SedimentKeys(form="backwashing")),) if may else ()

    def stands_for(self, keys: SedimentKeys, companion: Stage[Any]) -> bool:
        """A cartridge as fine as the one that is asked; a bed that is washed sheds at times."""
        return companion.kind == self.kind and form_of(keys) != "backwashing" and micron_of(keys) <= micron_of(companion.keys)

    def at_head(self, duty: Duty) -> list[SedimentKeys]:
        """Where the job's school asks for a filter always, and where grit was seen: a flushed screen first."""
        school, grit = duty.facts.schools.prefilter, [SCREEN.keys] if "grit" in duty.facts.observations else []
        if school is None:
            return grit
        forms = {
            "single": [COARSE.keys],
            "staged": [COARSE.keys, FINE.keys],
            "dual_gradient": [SedimentKeys(form="dual_gradient", micron=5e-6)],
            "backwashing": [SedimentKeys(form="backwashing")],
        }
        return [*grit, *forms[school]]

    def heads(self, duty: Duty, raw: Water) -> list[list[SedimentKeys]]:
        """The school's; where its cartridges would soon be full, a screen before them or a bed that is washed."""
        own, here = self.at_head(duty), raw
        strained = False
        for keys in own:
            strained = strained or self._soon_full(keys, here, duty)
            here = self.treat(keys, Sizing({}), here, duty)
        if not strained:
            return [own]
        washed = [] if duty.facts.wishes.no_power or duty.no_drain else [[SedimentKeys(form="backwashing")]]
        return [own, *([[SCREEN.keys, *own]] if SCREEN.keys not in own else []), [COARSE.keys, FINE.keys], *washed]

    def why_absent(self, wanted: bool, raw: Water, duty: Duty, tested: bool, refused: Callable[[], list[str]]) -> str:
        return self.absent

    def refuses_after(self, keys: SedimentKeys, others: Sequence[Stage[Any]], duty: Duty, raw: Water) -> bool:
        """Three particle filters at the most; directly behind another only a finer one, or a guard behind a bed."""
        if [other.kind for other in others].count(self.kind) > 2:
            return True
        last = others[-1] if others else None
        if last is None or last.kind != self.kind:
            return micron_of(keys) < 2 and not any(other.room.holds_particles for other in others)  # the finest only after staging
        return micron_of(keys) >= micron_of(last.keys) and form_of(last.keys) != "backwashing"

    def schools(self, keys: SedimentKeys, water: Water, system: str) -> list[str]:
        return [
            "A filter at the start of the train only where particles are found (default); others always fit one.",
            "One cartridge if it lasts a month (default); others use 25 then 5 µm, a dual-gradient cartridge, or a backwashing bed.",
        ]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "removes sand, silt and rust flakes"

    def why_here(self, stage: StageRun[Any], run: TrainRun, microbes: bool) -> str:
        follows = run.after(stage)
        if follows and follows.kind == "uv":
            return f"Needed because the {follows.said} after it requires water free of particles."
        return "Needed to keep grit and silt out of the units after it."

    def buys(self, keys: SedimentKeys, sizing: Sizing) -> list[Purchase]:
        return changes("cartridge", sizing, self.name(keys))

    def body(self, keys: SedimentKeys, sizing: Sizing) -> tuple[float, float, float]:
        return super().body(keys, sizing) if sizing.bed else cartridge_body(sizing.params["housing"])


SEDIMENT = Sediment()
FINE: Stage[SedimentKeys] = Stage(SEDIMENT, SedimentKeys(micron=5e-6))
COARSE: Stage[SedimentKeys] = Stage(SEDIMENT, SedimentKeys(micron=25e-6))
CLAY: Stage[SedimentKeys] = Stage(SEDIMENT, SedimentKeys(micron=1e-6))
SCREEN: Stage[SedimentKeys] = Stage(SEDIMENT, SedimentKeys(form="spin_down"))
#: what keeps dirt and rust out of a bed that nothing washes, the coarsest that may be enough first
SPARES: tuple[Stage[Any], ...] = (COARSE, FINE, SCREEN)


def _spared(keys: SedimentKeys) -> str:
    """What spares a cartridge, in words that follow from it."""
    coarser = "a flushed screen of 100 µm" if micron_of(keys) >= 25 or form_of(keys) == "dual_gradient" else "a 25 µm cartridge or a flushed screen"
    larger = "" if keys.housing == HOUSING.options[-1] else ", a larger housing"
    return f"Put {coarser} before it{larger}, or a backwashing bed in its place."


@rule("micron-too-fine", "train", "sediment.purpose", on="sediment")
def micron_too_fine(audit: Audit, stage: StageRun[SedimentKeys]) -> Iterator[Hit]:
    """A cartridge that is full of dirt before people accept to change it: put a coarser one before it, or a bed; a screen finer than one can be flushed."""
    finest = audit.duty.rows["sediment_forms"]["spin_down_finest"]
    if form_of(stage.keys) == "spin_down" and stage.sizing.params["micron"] < finest:
        yield Hit(
            "fault",
            f"A flushed screen of {stage.sizing.params['micron']:g} µm is not made: below {finest:g} µm a mesh blinds, and a flush does not clear it.",
            f"Fit a cartridge of {stage.sizing.params['micron']:g} µm; a flushed screen of {audit.duty.rows['sediment_forms']['spin_down_micron']:g} µm goes before it.",
        )
    life, row = stage.figures.get("replacement_interval"), audit.duty.rows["sediment"]
    if life and life.value < row["life_accepted"] * 0.995:
        plugged = life.value < row["life_plugged"]
        yield Hit(
            "fault" if plugged else "caution",
            f"At {stage.sizing.params['micron']:g} µm the cartridge is full after {audit.show(life.value * constant('month_days'), 'day')}; "
            f"it should last at least {row['life_accepted']:g} months.",
            _spared(stage.keys),
        )


@rule("micron-too-coarse", "train", "sediment.purpose", on="sediment")
def micron_too_coarse(audit: Audit, stage: StageRun[SedimentKeys]) -> Iterator[Hit]:
    """The filter that should clear water for what follows lets its particles by: for a lamp, or for turbidity that a limit asks to hold."""
    following, micron = audit.run.after(stage), stage.sizing.params["micron"]
    if following and following.kind == "uv" and micron > 5:
        yield Hit(
            "fault",
            f"The filter before the UV unit is rated {micron:g} µm. Particles that go through it shield microbes from the light.",
            "Fit a 5 µm cartridge directly before the UV unit.",
        )
        return
    limit, left = audit.limit("turbidity"), stage.water_out.value("turbidity")
    finer = any(other.room.holds_particles for other in audit.run.later(stage))
    if limit is not None and micron > 5 and not finer and stage.water_in.value("turbidity") > limit * 1.001 and left > limit * 1.001:
        yield Hit(
            "caution",
            f"At {micron:g} µm {audit.show(left, 'NTU')} of {audit.show(stage.water_in.value('turbidity'), 'NTU')} remain; the limit is {audit.show(limit, 'NTU')}.",
            "Fit a finer cartridge after it: 5 µm, or 1 µm for silt.",
        )


#: stages that neither make particles nor shed any
QUIET = frozenset({"scale_control", "pressure_tank", "uv"})


def _quiet(stage: StageRun[Any]) -> bool:
    """Whether a stage neither makes particles nor sheds any."""
    return stage.room.pumps or stage.room.reduces or stage.kind in QUIET


@rule("unneeded/<kind>", "train", "safety.short", on="sediment")
def unneeded_sediment(audit: Audit, stage: StageRun[SedimentKeys]) -> Iterator[Hit]:
    """A particle filter after one that is as fine or finer, with nothing between them that makes particles or sheds them."""
    before = next((each for each in reversed(audit.run.earlier(stage)) if not _quiet(each)), None)
    if before is not None and stage.room.idle_behind(stage, before):
        held, own = before.sizing.params["micron"], stage.sizing.params["micron"]
        yield Hit(
            "caution",
            f"A {own:g} µm filter after one of {held:g} µm removes nothing more: nothing between them makes particles.",
            "Remove it.",
            ("sediment",),
        )


@rule("ferrous-passes", "train", "iron.removal", on="sediment")
def ferrous_passes(audit: Audit, stage: StageRun[SedimentKeys]) -> Iterator[Hit]:
    """Dissolved iron meets only a particle filter: it passes and rusts downstream."""
    if any("iron" in other.room.answers or other.room.oxidises for other in audit.run.stages):
        return
    ferrous, limit = stage.water_in.value("ferrous_iron"), audit.limit("iron")
    if limit is not None and ferrous > limit:
        yield Hit(
            "fault",
            f"{audit.show(ferrous, 'mg/L')} of the iron is dissolved; a particle filter lets it through, and it turns to rust downstream.",
            "Oxidize the iron and filter it (an oxidizing bed), or remove a low level in a softener.",
        )
