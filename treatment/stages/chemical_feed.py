"""Chemical feed: soda ash and caustic for pH; chlorine and peroxide that turn dissolved iron and sulfide into what a filter holds."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry import carbonate
from ..chemistry.carbonate import NA
from ..chemistry.water import ACID_OF_IRON, EQ, Water
from ..house.duty import Duty
from ..language.figure import Figure, Line, constant, figure, solved, stated, work
from ..language.spec import Choice, Fraction, Measure, Number, key
from ..language.tables import table
from ..train.keys import StageKeys
from ..train.room import Purchase, Room, Sizing, Stage, StageRun, TrainRun, fixed_body
from .retention_tank import RETENTION_TANK, RetentionTank, RetentionTankKeys

DOSE = Measure("concentration", "5 mg/L", high=5000)
OXIDISES = ("chlorine", "peroxide")
#: molar mass [g/mol], equivalents of sodium a mole brings
ALKALI = {"soda_ash": ("M_Na2CO3", 2), "caustic": ("M_NaOH", 1)}
WORDS = {"soda_ash": "Soda-ash feed", "caustic": "Caustic feed", "chlorine": "Chlorine feed", "peroxide": "Peroxide feed"}


@dataclass(frozen=True, slots=True)
class ChemicalFeedKeys(StageKeys):
    chemical: str | None = key(Choice(("soda_ash", "caustic", "chlorine", "peroxide")), None, "what is fed", identity=True)
    dose: float | None = key(DOSE, None, "pure product for each litre of water")
    target_ph: float | None = key(Number(6.0, 9.0), None, "pH an alkali is fed to", identity=True, sometimes=True)
    residual: float | None = key(Measure("concentration", "0.5 mg/L", high=50), None, "free chlorine left after its demand", sometimes=True)
    solution_strength: float | None = key(Fraction(), None, "pure product in the solution, by mass and volume")


def chemical_of(keys: ChemicalFeedKeys) -> str:
    return keys.chemical or "chlorine"


class ChemicalFeed(Room[ChemicalFeedKeys]):
    kind = "chemical_feed"
    title = "Chemical feed"
    silhouette = "feeder"
    Keys = ChemicalFeedKeys
    answers = ("ph", "iron", "manganese", "hydrogen_sulfide", "iron_bacteria")
    price = 4.0
    place = 5
    bypassed = False
    absent = "nothing in this water asks for it"
    main = ("ph_out", "sodium_added", "oxidant_demand", "dose", "feed_rate", "solution_days")
    oxidises = True
    uses_power = True
    cautions = (
        "Never mix bleach with acid, ammonia or other cleaners: the gas is poisonous.",
        "Caustic and bleach burn skin and eyes: goggles, gloves, water at hand.",
        "On peaty or coloured water chlorine makes trihalomethanes: take the colour out first.",
        "The pump runs only when water flows; a check valve keeps chemical out of the source.",
        "Follow the label; store cool, dark and locked.",
    )

    def name(self, keys: ChemicalFeedKeys) -> str:
        return WORDS[chemical_of(keys)]

    def _demand(self, chemical: str, water: Water) -> Line:
        """What iron, manganese and sulfide use up of an oxidant [mg/L]."""
        per = {f"per_{name}": (float(each), "mg/mg") for name, each in table("stages")["chemical_feed"]["demand"][chemical].items()}
        fe, mn, h2s = ((water.value(name), "mg/L") for name in ("ferrous_iron", "manganese", "hydrogen_sulfide"))
        return work("demand", "per_Fe × Fe + per_Mn × Mn + per_H2S × H2S", "mg/L", f"feed.{chemical}", **per, Fe=fe, Mn=mn, H2S=h2s)

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
        need = self._demand(chemical, water)
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
        params["solution_strength"] = keys.solution_strength or float(duty.rows["chemical_feed"]["strength"][chemical]) / 1000
        return Sizing(params)

    def figures(self, keys: ChemicalFeedKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, chemical = duty.rows["chemical_feed"], sizing.params["chemical"]
        lines = self._dose(keys, water, duty)
        dose, strength = (lines[-1].value, "mg/L"), (sizing.params["solution_strength"] * 1000, "g/L")
        found = {"oxidant_demand": figure(self._demand(chemical, water))} if chemical in OXIDISES else {}
        feed = work(
            "solution a day", "dose × daily ÷ 1000 ÷ strength", "L/day", "feed.solution", dose=dose, daily=(duty.daily, "L/day"), strength=strength
        )
        found |= {
            "dose": figure(*lines),
            "feed_rate": figure(feed),
            "pump_rate": figure(work("pump at design flow", "dose × flow ÷ strength", "mL/min", "feed.solution", dose=dose, flow=(duty.flow, "L/min"), strength=strength)),
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
            return self._oxidise(chemical, dose, water)
        mass, sodium = ALKALI[chemical]
        moles = dose / 1000 / constant(mass)
        equivalents = moles * sodium
        return water.react(
            carbon=moles if chemical == "soda_ash" else 0.0,
            alkalinity=water.value("alkalinity") + equivalents * EQ,
            sodium=water.value("sodium") + equivalents * NA * 1000,
        )

    def _oxidise(self, chemical: str, dose: float, water: Water) -> Water:
        """Iron becomes rust and sulfide sulfur, as far as the dose goes; what is left of chlorine stays as residual."""
        need = self._demand(chemical, water).value
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
        if chemical == "chlorine":
            left = max(dose - need, 0.0)
            changes |= {
                "free_chlorine": water.value("free_chlorine") + left,
                "total_chlorine": max(water.value("total_chlorine"), water.value("free_chlorine")) + left,
            }
        return water.soured(acid, **changes)

    def candidates(self, water: Water, duty: Duty) -> list[ChemicalFeedKeys]:
        if duty.facts.wishes.no_power:
            return []
        rows: dict[str, Any] = duty.rows
        found: list[ChemicalFeedKeys] = []
        if water.ph < rows["chemical_feed"]["acid_ph"] and (water.ph < rows["neutralizer"]["ph_low"] or water.iron > rows["neutralizer"]["iron_max"]):
            found.append(ChemicalFeedKeys(chemical="soda_ash"))
        air = rows["oxidizing_filter"]
        much = water.iron > air["iron_max"] or water.value("hydrogen_sulfide") > air["sulfide_max"] or water.value("manganese") > air["manganese_max"]
        wanted = duty.facts.schools.disinfection == "chlorine" and any(water.value(name) > 0 for name in ("total_coliform", "e_coli"))
        if much or wanted or water.value("iron_bacteria") > 0 or water.value("sulfur_bacteria") > 0:
            found.append(ChemicalFeedKeys(chemical="chlorine"))
        return found

    def companions(self, keys: ChemicalFeedKeys, duty: Duty) -> tuple[tuple[Stage[Any], ...], tuple[Stage[Any], ...]]:
        """Chlorine needs its time."""
        return (), ((Stage(RETENTION_TANK, RetentionTankKeys()),) if keys.chemical == "chlorine" else ())

    def purposeful(self, stage: StageRun[Any], run: TrainRun, duty: Duty, microbes: bool) -> bool:
        """With contact behind it, it disinfects."""
        return microbes and any(run.of(RetentionTank))

    def buys(self, keys: ChemicalFeedKeys, sizing: Sizing) -> list[Purchase]:
        solution = Purchase("chemical", sizing.figures["feed_rate"].value * constant("year_days"), note=self.name(keys), yearly=True)
        return [Purchase("feeder", 1.0, note=self.name(keys)), solution]

    def schools(self, keys: ChemicalFeedKeys, water: Water, system: str) -> list[str]:
        if chemical_of(keys) in OXIDISES:
            return ["2.2 mg of chlorine for each mg of sulfide, to sulfur that the filter holds (ours); others feed 8.3, on to sulfate."]
        return ["Soda ash: safer to handle (ours); others feed caustic, stronger and without carbonate."]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        if after.ph > before.ph + 0.05:
            return f"raises pH from {before.ph:.1f} to {after.ph:.1f}"
        return "oxidises iron and sulfide, so that a filter can hold them" + (
            "; leaves chlorine in the water" if after.value("free_chlorine") > before.value("free_chlorine") else ""
        )

    def body(self, keys: ChemicalFeedKeys, sizing: Sizing) -> tuple[float, float, float]:
        return fixed_body("feeder")


CHEMICAL_FEED = ChemicalFeed()


@rule("no-contact-time", "train", "feed.contact", on="chemical_feed")
def no_contact_time(audit: Audit, stage: StageRun[ChemicalFeedKeys]) -> Iterator[Hit]:
    """Chlorine is fed with no retention after it, or with too little."""
    if stage.sizing.params["chemical"] not in OXIDISES:
        return
    row = audit.duty.rows["retention"]
    tanks = [other for other in audit.run.of(RetentionTank) if other.index > stage.index]
    contact = sum(other.figures["contact_time"].value for other in tanks)
    if contact < row["contact_min"] * 0.98:
        has = f"{contact:.1f} min in the retention tank" if tanks else "nothing holds the water back after it"
        yield Hit("fault", f"{stage.name}: {has}; {row['contact_min']} min at design flow are wanted.",
                  f"Fit a retention tank of {audit.show(row['contact_min'] * audit.duty.flow, 'L')} or more after the feed.")  # fmt: skip


@rule("dose-overshoot", "train", "feed.overshoot", on="chemical_feed")
def dose_overshoot(audit: Audit, stage: StageRun[ChemicalFeedKeys]) -> Iterator[Hit]:
    """A fixed dose of alkali set for the worst water takes the best past the limit of pH."""
    if chemical_of(stage.keys) in OXIDISES:
        return
    limit = next((limit for limit in audit.limits if limit.analyte == "ph"), None)
    if limit is not None and stage.mild_out.ph > limit.high >= stage.water_out.ph:
        yield Hit(
            "caution",
            f"The dose for the worst water takes the best to pH {stage.mild_out.ph:.1f}; {limit.high:g} is the limit.",
            "Set the dose for the middle and blend in a tank, feed by flow with a pH probe, or use calcite, which stops by itself.",
        )


@rule("residual-left", "train", "feed.residual", on="chemical_feed")
def residual_left(audit: Audit, stage: StageRun[ChemicalFeedKeys]) -> Iterator[Hit]:
    """Chlorine fed by the train reaches the house above 1 mg/L, or against a complaint of its smell."""
    left = audit.run.finished.value("free_chlorine")
    complaint = "bleach_smell" in audit.facts.observations
    row = audit.duty.rows["chemical_feed"]
    if stage.sizing.params["chemical"] == "chlorine" and (left > row["residual_tasted"] or (complaint and left > row["residual_smelt"])):
        effect = ", and its smell is complained of." if complaint else "; above 1 mg/L it is tasted."
        yield Hit(
            "caution",
            f"{audit.show(left, 'mg/L')} of free chlorine reaches the taps{effect}",
            "Feed less, or take it out with carbon after the contact.",
        )


@rule("oxidized-not-caught", "train", "iron.removal", on=("chemical_feed", "aeration"))
def oxidized_not_caught(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """Iron is turned to rust with nothing after it that holds the rust."""
    made = stage.water_out.value("ferric_iron") - stage.water_in.value("ferric_iron")
    if made > audit.duty.rows["chemical_feed"]["rust_matters"] and not any(other.room.holds_particles for other in audit.run.later(stage)):
        yield Hit("fault", f"It turns {audit.show(made, 'mg/L')} of iron to rust, and nothing after it holds the rust.",
                  "Put a filter bed after it.")  # fmt: skip
