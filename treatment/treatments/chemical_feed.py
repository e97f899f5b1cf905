"""Chemical feed: soda ash and caustic for pH; chlorine and peroxide that turn dissolved iron and sulfide into what a filter holds."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from math import ceil
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry import carbonate
from ..chemistry.carbonate import NA
from ..chemistry.water import ACID_OF_IRON, ARSENITE, CALCITE_HELD, CHLORINE_FED, EQ, OPEN_TO_AIR, PEROXIDE, UNMIXED, Water
from ..chemistry.water import SULFUR as SULFUR_MADE
from ..house.duty import Duty
from ..house.stock import Asked, Wanted
from ..job.feed_limits import FeedLimit
from ..language.analytes import CHLORINATED
from ..language.figure import Figure, Line, constant, figure, solved, source, stated, work
from ..language.spec import Choice, Fraction, Measure, Number, key
from ..language.tables import table
from ..train.keys import StageKeys
from ..train.over_time import Counted, OverTime, Slugs, State, Stepped, Stock
from ..train.treatment import Purchase, Sizing, Stage, StageRun, TrainRun, Treatment, fixed_body
from .retention_tank import DISINFECTED, RETENTION_TANK, RetentionTank, RetentionTankKeys

#: what uses up an oxidant, by its sign in the working; TOC and tannin are told once: the larger part of what chlorine finds
USES = {"Fe": "ferrous_iron", "Mn": "manganese", "H2S": "hydrogen_sulfide", "TOC": "toc", "tannin": "tannin", "NH4": "ammonium"}
ALWAYS = ("Fe", "Mn", "H2S")
DOSE = Measure("concentration", "5 mg/L", high=5000)
OXIDISES = ("chlorine", "peroxide")
HYPOCHLORITE = NA * 1000 / 35453  # mg of sodium that hypochlorite brings with each mg of chlorine
SULFUR = 32.06 / 34.08  # mg of sulfur that a mg of hydrogen sulfide becomes
#: molar mass [g/mol], equivalents of sodium a mole brings
ALKALI = {"soda_ash": ("M_Na2CO3", 2), "caustic": ("M_NaOH", 1)}
WORDS = {"soda_ash": "Soda-ash feed", "caustic": "Caustic feed", "chlorine": "Chlorine feed", "peroxide": "Peroxide feed"}


@dataclass(frozen=True, slots=True)
class ChemicalFeedKeys(StageKeys):
    chemical: str | None = key(Choice(("soda_ash", "caustic", "chlorine", "peroxide")), None, "what is fed", identity=True)
    dose: float | None = key(DOSE, None, "pure product for each liter of water")
    target_ph: float | None = key(Number(6.0, 9.0), None, "pH an alkali is fed to", identity=True, sometimes=True)
    residual: float | None = key(Measure("concentration", "0.5 mg/L", high=50), None, "free chlorine left after its demand", sometimes=True)
    solution_strength: float | None = key(Fraction(), None, "pure product in the solution, by mass and volume")


def chemical_of(keys: ChemicalFeedKeys) -> str:
    return keys.chemical or "chlorine"


class Feeding(OverTime[StageRun[ChemicalFeedKeys]]):
    """A feed and its tank of solution."""

    powered = True
    own_points = ("solution_level",)

    def __init__(self, stage: StageRun[ChemicalFeedKeys]):
        super().__init__(stage)
        row, params = stage.duty.rows["chemical_feed"], stage.sizing.params
        self.each = params["dose"] / 1000 / (params["solution_strength"] * 1000)  # L of solution for each litre of water
        self.stocks = (
            Stock("solution", "L", float(row["tank_l"]), float(row["tank_l"]) * table("year")["feeds"]["low"], False, "solution", "refill"),
        )

    def uses_up(self, what: str, load: str) -> bool:
        """Its solution, by the water that passes."""
        return what == "solution_days" or super().uses_up(what, load)

    def takes(self, what: str, days: float, cites: str) -> Line | None:
        if what != "solution":
            return super().takes(what, days, cites)
        return stated("solution", "tank", float(self.stage.duty.rows["chemical_feed"]["tank_l"]), "L", cites)

    def step(self, state: State, slugs: Slugs) -> Stepped:
        used, left = self.each * slugs.total, state["solution"]
        if used <= left:
            return Stepped({**state, "solution": left - used}, 1.0 - slugs.powered)
        return Stepped({**state, "solution": 0.0}, slugs.where(slugs.running(PASSED) * self.each > left, 1.0, 1.0 - slugs.powered))


PASSED = Counted((), 1.0)


class ChemicalFeed(Treatment[ChemicalFeedKeys]):
    kind = "chemical_feed"
    title = "Chemical feed"
    silhouette = "feeder"
    Keys = ChemicalFeedKeys
    answers = ("ph", "iron", "manganese", "hydrogen_sulfide", "iron_bacteria")
    helps = ("ferrous_iron", "sulfur_bacteria", *CHLORINATED, "arsenic", "alkalinity", "dissolved_oxygen", OPEN_TO_AIR)
    partners = (Stage(RETENTION_TANK, RetentionTankKeys()),)
    price = 4.0
    fuss = {"chlorine": 6.0, "peroxide": 6.0}
    place = 5
    bypassed = False
    absent = "nothing in this water needs it"
    main = ("ph_out", "sodium_added", "oxidant_demand", "dose", "feed_rate", "solution_days")
    oxidises = True
    uses_power = True
    uses_chemical = True
    wants_outlet = True
    repeats = True
    cautions = (
        "Never mix bleach with acid, ammonia or other cleaners: the gas is poisonous.",
        "Caustic and bleach burn skin and eyes: wear goggles and gloves, and keep water at hand.",
        "In peaty or colored water chlorine forms trihalomethanes: remove the color first.",
        "The pump must run only when water flows; a check valve keeps chemical out of the source.",
        "Follow the label, and store it cool, dark and locked.",
    )

    def name(self, keys: ChemicalFeedKeys) -> str:
        return WORDS[chemical_of(keys)]

    def feed_limits(self, keys: ChemicalFeedKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        """Chlorine on organics: it is used up, and makes trihalomethanes."""
        if chemical_of(keys) != "chlorine":
            return []
        row, cited = duty.rows["chemical_feed"], source("feed.organics")
        because = (
            "chlorine in organic matter forms trihalomethanes and is used up: remove the organic matter first with a tannin exchanger "
            "(carbon holds part of it, for a short time), and test for trihalomethanes"
        )
        return [
            FeedLimit("toc", None, row["toc_max"], cited, because, "caution"),
            FeedLimit("toc", None, row["toc_most"], cited, because),
            FeedLimit("tannin", None, row["tannin_max"], cited, because, "caution"),
        ]

    def _demand(self, chemical: str, water: Water, duty: Duty) -> Line:
        """What the water uses up of an oxidant [mg/L]: iron, manganese, sulfide; of chlorine organics and ammonia, too."""
        per = {f"per_{name}": (float(each), "mg/mg") for name, each in duty.rows["chemical_feed"]["demand"][chemical].items()}
        used = {name: (water.value(analyte), "mg/L") for name, analyte in USES.items() if f"per_{name}" in per}
        known = {name: held for name, held in used.items() if name in ALWAYS or held[0] > 0}
        expression = " + ".join(f"per_{name} × {name}" for name in known)
        return work("demand", expression, "mg/L", f"feed.{chemical}", **{f"per_{name}": per[f"per_{name}"] for name in known}, **known)

    def _residual(self, keys: ChemicalFeedKeys, duty: Duty) -> float:
        return float(keys.residual if keys.residual is not None else duty.rows["chemical_feed"]["residual"])

    def _target(self, keys: ChemicalFeedKeys, duty: Duty) -> float:
        return float(keys.target_ph or duty.facts.wishes.target_ph or duty.rows["chemical_feed"]["target_ph"])

    def _dose(self, keys: ChemicalFeedKeys, water: Water, duty: Duty) -> list[Line]:
        """The dose [mg/L of pure product], with the lines that lead to it."""
        chemical = chemical_of(keys)
        if keys.dose is not None:
            return [stated("given dose", "given", keys.dose, "mg/L", "feed.solution")]
        if chemical not in OXIDISES:
            target = self._target(keys, duty)
            dose = self._to_ph(chemical, water, target).amount * 1000 * constant(ALKALI[chemical][0])
            return [solved("dose", "pH, alkalinity, target", dose, "mg/L", "feed.alkali", pH=(water.ph, ""),
                           alkalinity=(water.value("alkalinity"), "mg/L CaCO3"), target=(target, ""))]  # fmt: skip
        need = self._demand(chemical, water, duty)
        demand = (need.value, "mg/L")
        if chemical == "chlorine":
            return [need, work("dose", "demand + residual", "mg/L", "feed.chlorine", demand=demand, residual=(self._residual(keys, duty), "mg/L"))]
        return [
            need,
            work("dose", "demand × excess", "mg/L", "feed.peroxide", demand=demand, excess=(duty.rows["chemical_feed"]["peroxide_excess"], "")),
        ]

    def size(self, keys: ChemicalFeedKeys, water: Water, duty: Duty) -> Sizing:
        chemical = chemical_of(keys)
        params: dict[str, Any] = {"chemical": chemical, "dose": self._dose(keys, water, duty)[-1].value}
        if chemical == "chlorine":
            params["residual"] = self._residual(keys, duty)
        elif chemical not in OXIDISES:
            params["target_ph"] = self._target(keys, duty)
        params["solution_strength"] = keys.solution_strength or self._strength(chemical, params["dose"], duty)
        return Sizing(params)

    def _strength(self, chemical: str, dose: float, duty: Duty) -> float:
        """Strength of the solution [g/mL]: as supplied; diluted, or made up stronger, where the pump could not give the dose."""
        row = duty.rows["chemical_feed"]
        supplied, (least, most) = float(row["strength"][chemical]), row["pump_ml_min"]
        product = dose * duty.flow
        if 0 < product < least * supplied:
            supplied /= min(ceil(least * supplied / product), row["diluted_most"])
        elif product > most * supplied:
            supplied = max(supplied, min(product / most, float(row["strength_most"][chemical])))
        return supplied / 1000

    def figures(self, keys: ChemicalFeedKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, chemical = duty.rows["chemical_feed"], sizing.params["chemical"]
        lines = self._dose(keys, water, duty)
        dose, strength = (lines[-1].value, "mg/L"), (sizing.params["solution_strength"] * 1000, "g/L")
        found = {"oxidant_demand": figure(self._demand(chemical, water, duty))} if chemical in OXIDISES else {}
        feed = work(
            "solution a day", "dose × daily ÷ 1000 ÷ strength", "L/day", "feed.solution", dose=dose, daily=(duty.daily, "L/day"), strength=strength
        )
        found |= {
            "dose": figure(*lines),
            "feed_rate": figure(feed),
            "pump_rate": figure(work("pump at design flow", "dose × flow ÷ strength", "mL/min", "feed.solution", dose=dose, flow=(duty.flow, "L/min"), strength=strength)),
            "strokes": figure(work("strokes at design flow", "dose × flow ÷ strength ÷ stroke", "1/min", "feed.solution", dose=dose, flow=(duty.flow, "L/min"),
            strength=strength, stroke=(float(row["stroke_ml"]), "mL"))),
            "solution_days": figure(work("a tank lasts", "tank ÷ max(feed, 0.000001)", "day", "feed.solution", tank=(float(row["tank_l"]), "L"), feed=(feed.value, "L/day"))),
        }  # fmt: skip
        if chemical not in OXIDISES:
            mass, sodium = ALKALI[chemical]
            found["sodium_added"] = figure(work("sodium added", f"{sodium} × M_Na ÷ {mass} × dose", "mg/L", "feed.alkali", dose=dose))
        carbon = (water.state.carbon * 1000, "mmol/L")
        found["ph_out"] = figure(solved("pH out", "carbon, alkalinity", self.treat(keys, sizing, water, duty).ph, "pH", "chemistry.carbonate",
                                        carbon=carbon, alkalinity=(water.value("alkalinity"), "mg/L CaCO3")))  # fmt: skip
        return found

    def _to_ph(self, chemical: str, water: Water, target: float) -> carbonate.Dosed:
        dose = carbonate.soda_ash_to_ph if chemical == "soda_ash" else carbonate.caustic_to_ph
        return dose(water.solution, water.state.carbon, target)

    def treat(self, keys: ChemicalFeedKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        chemical, dose = sizing.params["chemical"], sizing.params["dose"]
        if chemical in OXIDISES:
            return self._oxidise(chemical, dose, water, duty)
        mass, sodium = ALKALI[chemical]
        moles = dose / 1000 / constant(mass)
        equivalents = moles * sodium
        return water.react(
            carbon=moles if chemical == "soda_ash" else 0.0,
            alkalinity=water.value("alkalinity") + equivalents * EQ,
            sodium=water.value("sodium") + equivalents * NA * 1000,
            **{UNMIXED: 1.0, CALCITE_HELD: 0.0},
        )

    def _oxidise(self, chemical: str, dose: float, water: Water, duty: Duty) -> Water:
        """Iron becomes rust and sulfide sulfur, as far as the dose goes; what is left of chlorine stays as residual."""
        need = self._demand(chemical, water, duty).value
        share = min(dose / need, 1.0) if need > 0 else 1.0
        changes: dict[str, float] = {}
        acid = 0.0
        if water.get("ferrous_iron") is not None:
            rusted = water.value("ferrous_iron") * share
            rusted *= water.carries(rusted * ACID_OF_IRON)
            changes |= {"ferrous_iron": water.value("ferrous_iron") - rusted, "ferric_iron": water.value("ferric_iron") + rusted}
            acid = rusted * ACID_OF_IRON
        if water.get("hydrogen_sulfide") is not None:
            changes["hydrogen_sulfide"] = water.value("hydrogen_sulfide") * (1 - share)
            if water.value("hydrogen_sulfide") > 0:
                changes[SULFUR_MADE] = water.value(SULFUR_MADE) + water.value("hydrogen_sulfide") * share * SULFUR
        left = max(dose - need, 0.0)
        if left > 0 and water.value(ARSENITE) > 0 and chemical == "chlorine":
            changes[ARSENITE] = 0.0
        if chemical == "peroxide" and left > 0:
            changes[PEROXIDE] = water.value(PEROXIDE) + left
        if chemical == "chlorine":
            if water.value(OPEN_TO_AIR) > 0 and left > 0:
                changes[CHLORINE_FED] = 1.0
            changes |= {
                "sodium": water.value("sodium") + HYPOCHLORITE * dose,
                "free_chlorine": water.value("free_chlorine") + left,
                "total_chlorine": max(water.value("total_chlorine"), water.value("free_chlorine")) + left,
            }
        return water.soured(acid, **changes)

    def over_time(self, stage: StageRun[ChemicalFeedKeys]) -> Feeding:
        """A pump that doses from its tank while water runs; an empty tank doses nothing."""
        return Feeding(stage)

    def candidates(self, water: Water, duty: Duty) -> list[ChemicalFeedKeys]:
        if duty.facts.wishes.no_power or duty.facts.wishes.no_chemicals:
            return []
        rows: dict[str, Any] = duty.rows
        found: list[ChemicalFeedKeys] = []
        iron_bars_calcite = water.iron > rows["neutralizer"]["iron_max"]
        soured = iron_bars_calcite and water.value("alkalinity") - ACID_OF_IRON * water.iron < rows["house"]["soft_alkalinity"]
        for_manganese = water.value("manganese") > rows["softener"]["manganese_max"] and water.ph < rows["greensand"]["ph_min_manganese"]
        if (
            (water.ph < rows["chemical_feed"]["acid_ph"] and (water.ph < rows["neutralizer"]["ph_low"] or iron_bars_calcite))
            or soured
            or for_manganese
            or (duty.eats_metal and (water.ph < rows["house"]["held_ph"] or water.value("alkalinity") < rows["house"]["held_alkalinity"]))
        ):
            found.append(ChemicalFeedKeys(chemical="soda_ash"))
        air = rows["oxidizing_filter"]
        much = (
            water.iron > air["iron_much"] or water.value("hydrogen_sulfide") > air["sulfide_much"] or water.value("manganese") > air["manganese_max"]
        )
        bound = self._bound(water, rows)
        alive = any(water.value(name) > 0 for name in (*CHLORINATED, OPEN_TO_AIR))
        slimes = water.value("iron_bacteria") > 0 or water.value("sulfur_bacteria") > 0
        fed = water.value("free_chlorine") >= rows["retention"]["free_chlorine_min"] or water.value(PEROXIDE) > 0
        if fed:
            return found
        held_by_it = duty.facts.schools.disinfection == "chlorine"
        if (much or slimes or water.value(ARSENITE) > 0 or (bound and not alive)) and not (alive and held_by_it):
            found.append(ChemicalFeedKeys(chemical="chlorine"))
        if alive:
            found.append(ChemicalFeedKeys(chemical="chlorine", residual=rows["chemical_feed"]["residual"]))
        if (much or bound) and not slimes:
            found.append(ChemicalFeedKeys(chemical="peroxide"))
        return found

    @staticmethod
    def _bound(water: Water, rows: Mapping[str, Any]) -> bool:
        """Whether tannin holds metals in solution: more of it than a bed takes that nothing is fed to, more of them than resins take."""
        resin = rows["anion_exchange"]
        metals = water.iron > resin["iron_max"] or water.value("manganese") > resin["manganese_max"]
        return bool(metals and water.value("tannin") > rows["greensand"]["tannin_max"])

    def helped(self, keys: ChemicalFeedKeys, water: Water) -> frozenset[str]:
        """An alkali raises the pH; an oxidant does the rest."""
        chemical = chemical_of(keys)
        if chemical == "peroxide":
            return frozenset({"iron", "ferrous_iron", "hydrogen_sulfide", "dissolved_oxygen"})
        if chemical != "chlorine":
            return frozenset({"ph", "alkalinity"})
        holds = keys.residual is not None or not water.value("total_coliform")
        return self.puts_right - {"ph", "alkalinity"} - (frozenset() if holds else frozenset(CHLORINATED))

    def strain(self, keys: ChemicalFeedKeys, sizing: Sizing, water: Water, duty: Duty) -> float:
        """More solution than a metering pump gives."""
        row = duty.rows["chemical_feed"]
        rate = sizing.params["dose"] * duty.flow / (sizing.params["solution_strength"] * 1000)
        return float(table("planning")["price"]["strain"]) if rate > row["pump_ml_min"][1] * 1.001 else 0.0

    def companions(self, keys: ChemicalFeedKeys, water: Water, duty: Duty) -> tuple[tuple[Stage[Any], ...], tuple[Stage[Any], ...]]:
        """An oxidant needs its time, an alkali its mixing; where chlorine is to hold microbes in place of the job's school, its CT."""
        volume = None
        if chemical_of(keys) == "chlorine" and keys.residual is not None and any(water.value(name) > 0 for name in DISINFECTED):
            dosed = self.treat(keys, self.size(keys, water, duty), water, duty)
            volume = RETENTION_TANK.for_ct(dosed, duty)
        return (), (Stage(RETENTION_TANK, RetentionTankKeys(volume=volume)),)

    def refuses_after(self, keys: ChemicalFeedKeys, others: Sequence[Stage[Any]], duty: Duty, raw: Water) -> bool:
        """An alkali and an oxidant may both be fed, never more; none behind a softener, which wants what they make taken out before it."""
        return [other.kind for other in others].count(self.kind) > 1 or any(other.kind == "softener" for other in others)

    def purposeful(self, stage: StageRun[Any], run: TrainRun, duty: Duty, microbes: bool) -> bool:
        """Chlorine disinfects what was found, or what stood open to air (that it lacks contact is said of itself), or oxidises arsenic."""
        if chemical_of(stage.keys) != "chlorine":
            return False
        return microbes or max(stage.water_in.value(OPEN_TO_AIR), stage.water_in.value(ARSENITE)) > 0

    def pieces(self, keys: ChemicalFeedKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Wanted]:
        rate = sizing.params["dose"] * duty.flow / (sizing.params["solution_strength"] * 1000)
        asks = (
            Asked("its flow", rate, "mL/min", lambda fits: float(fits.flow * 1000)),
            Asked("the pressure it feeds against", duty.supply.pressure_high, "kPa", lambda fits: float(fits.pressure)),
        )
        return {"feeder": Wanted("feed_pump", "metering pump", lambda fits: True, asks)}

    def buys(self, keys: ChemicalFeedKeys, sizing: Sizing) -> list[Purchase]:
        solution = Purchase("chemical", sizing.figures["feed_rate"].value * constant("year_days"), note=self.name(keys), yearly=True)
        return [Purchase("feeder", 1.0, note=self.name(keys)), solution]

    def schools(self, keys: ChemicalFeedKeys, water: Water, system: str) -> list[str]:
        if chemical_of(keys) in OXIDISES:
            return [
                "2.2 mg of chlorine for each mg of sulfide, to sulfur that the filter removes (default); others feed 8.3, on to sulfate.",
                "Peroxide works as well for iron and sulfide: 2 min of contact, no trihalomethanes; catalytic carbon after it breaks down what remains.",
            ]
        return ["Soda ash: safer to handle (default); others feed caustic, which is stronger and adds no carbonate."]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        if after.ph > before.ph + 0.05:
            return f"raises pH from {before.ph:.1f} to {after.ph:.1f}"
        return "oxidizes iron and sulfide so that a filter can remove them" + (
            "; leaves chlorine in the water" if after.value("free_chlorine") > before.value("free_chlorine") else ""
        )

    def body(self, keys: ChemicalFeedKeys, sizing: Sizing) -> tuple[float, float, float]:
        return fixed_body("feeder")


CHEMICAL_FEED = ChemicalFeed()


@rule("no-contact-time", "train", "feed.contact", on="chemical_feed")
def no_contact_time(audit: Audit, stage: StageRun[ChemicalFeedKeys]) -> Iterator[Hit]:
    """An oxidant is fed with no retention after it, or with too little; an alkali with nothing that mixes it."""
    row, chemical = audit.duty.rows["retention"], stage.sizing.params["chemical"]
    tanks = [other for other in audit.run.of(RetentionTank) if other.index > stage.index]
    if chemical not in OXIDISES:
        if not tanks and not any(other.room.stores or other.room.cushions for other in audit.run.later(stage)):
            yield Hit("caution", f"{stage.name}: nothing after it mixes the solution with the water, so the pH changes with every draw.",
                      f"Fit a mixing tank of {audit.show(row['mixing_min'] * stage.duty.flow, 'L')} or more after the feed.")  # fmt: skip
        return
    least = row["peroxide_min" if chemical == "peroxide" else "contact_min"]
    contact = sum(other.figures["contact_time"].value for other in tanks)
    if contact < least * 0.98:
        has = f"{contact:.1f} min in the retention tank" if tanks else "there is no retention tank after it"
        yield Hit("fault", f"{stage.name}: {has}; at least {least:g} min at design flow is needed.",
                  f"Fit a retention tank of {audit.show(least * stage.duty.flow, 'L')} or more after the feed.")  # fmt: skip


@rule("feed-strength", "train", "feed.solution", on="chemical_feed")
def feed_strength(audit: Audit, stage: StageRun[ChemicalFeedKeys]) -> Iterator[Hit]:
    """A solution stronger than is handled, or a dose that the pump cannot give steadily at that strength."""
    row, chemical = audit.duty.rows["chemical_feed"], stage.sizing.params["chemical"]
    strength, most = stage.sizing.params["solution_strength"] * 1000, float(row["strength_most"][chemical])
    rate, (least, greatest) = stage.figures["pump_rate"].value, row["pump_ml_min"]
    if strength > most * 1.001:
        yield Hit("fault", f"{stage.name}: the solution has {strength:.0f} g/L; {most:g} g/L is the most that is safe to handle and stays dissolved.",
                  f"Mix the solution to {most:g} g/L at most, and set a higher pump rate.")  # fmt: skip
    elif rate > greatest * 1.001 or 0 < rate < least * 0.5:
        gives = f"{rate:.1f} mL/min is needed at design flow; a metering pump delivers {least:g} to {greatest:g} mL/min evenly"
        remedy = "Mix a stronger solution, or fit a larger pump." if rate > greatest else "Dilute the solution, so that the pump runs in its range."
        yield Hit("caution", f"{stage.name}: {gives}.", remedy)


@rule("dose-overshoot", "train", "feed.overshoot", on="chemical_feed")
def dose_overshoot(audit: Audit, stage: StageRun[ChemicalFeedKeys]) -> Iterator[Hit]:
    """A fixed dose of alkali set for the worst water takes the best past the limit of pH."""
    if chemical_of(stage.keys) in OXIDISES:
        return
    limit = next((limit for limit in audit.limits if limit.analyte == "ph"), None)
    if limit is not None and stage.mild_out.ph > limit.high >= stage.water_out.ph:
        yield Hit(
            "caution",
            f"A dose set for worst-case water raises best-case water to pH {stage.mild_out.ph:.1f}; the limit is {limit.high:g}.",
            "Set the dose for average water and blend in a tank, feed by flow with a pH probe, or use calcite, which stops by itself.",
        )


@rule("what-it-adds", "water train", "feed.alkali", on="chemical_feed")
def what_it_adds(audit: Audit, stage: StageRun[ChemicalFeedKeys]) -> Iterator[Hit]:
    """The sodium that a fed alkali gives to the water."""
    if chemical_of(stage.keys) in OXIDISES or stage.sizing.params["dose"] <= 0:
        return
    added = stage.figures["sodium_added"].value
    yield Hit("advice", f"{stage.name} adds {audit.show(added, 'mg/L')} of sodium, to {audit.show(stage.water_out.value('sodium'), 'mg/L')} in all, and no hardness; "
              f"the pH after it is {stage.water_out.ph:.1f}, running or standing.",
              "Consider it on a low-sodium diet; calcite adds hardness instead.")  # fmt: skip


@rule("residual-left", "train", "feed.residual", on="chemical_feed")
def residual_left(audit: Audit, stage: StageRun[ChemicalFeedKeys]) -> Iterator[Hit]:
    """Chlorine fed by the train reaches the house above 1 mg/L, or against a complaint of its smell; or peroxide reaches it."""
    left = audit.run.finished.value("free_chlorine")
    complaint = "bleach_smell" in audit.facts.observations
    row = audit.duty.rows["chemical_feed"]
    if stage.sizing.params["chemical"] == "chlorine" and (left > row["residual_tasted"] or (complaint and left > row["residual_smelt"])):
        effect = ", and its smell was reported." if complaint else "; above 1 mg/L it is tasted."
        yield Hit(
            "caution",
            f"{audit.show(left, 'mg/L')} of free chlorine reaches the taps{effect}",
            "Feed less, or remove it with carbon after the contact tank.",
        )
    elif stage.sizing.params["chemical"] == "chlorine" and left > row["residual_told"]:
        yield Hit("advice", f"{audit.show(left, 'mg/L')} of free chlorine reaches every tap and keeps the pipe clean; some people taste it.",
                  "Keep it in the pipe and put carbon at the drinking tap, or remove it for the house with carbon, after which nothing disinfects.")  # fmt: skip
    peroxide = audit.run.finished.value(PEROXIDE)
    if stage.sizing.params["chemical"] == "peroxide" and peroxide > row["peroxide_left"]:
        yield Hit(
            "caution",
            f"{audit.show(peroxide, 'mg/L')} of peroxide reaches the taps.",
            "Fit catalytic carbon after the contact tank: it breaks peroxide down.",
        )


@rule("oxidized-not-caught", "train", "iron.removal", on=("chemical_feed", "aeration"))
def oxidized_not_caught(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """Iron is turned to rust, or sulfide to sulfur, with nothing after it that holds them."""
    row = audit.duty.rows["chemical_feed"]
    if any(other.room.holds_particles for other in audit.run.later(stage)):
        return
    made = stage.water_out.value("ferric_iron") - stage.water_in.value("ferric_iron")
    sulfur = (
        (stage.water_in.value("hydrogen_sulfide") - stage.water_out.value("hydrogen_sulfide")) * SULFUR if stage.kind == CHEMICAL_FEED.kind else 0.0
    )
    if made > row["rust_matters"]:
        yield Hit(
            "fault", f"It turns {audit.show(made, 'mg/L')} of iron to rust, and nothing after it removes the rust.", "Put a filter bed after it."
        )
    elif sulfur > row["sulfur_matters"]:
        yield Hit("fault", f"It turns sulfide to {audit.show(sulfur, 'mg/L')} of fine, milky sulfur, and nothing after it removes that.",
                  "Put a filter bed or catalytic carbon after the contact tank.")  # fmt: skip
