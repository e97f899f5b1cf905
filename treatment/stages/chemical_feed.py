"""Chemical feed: soda ash and caustic for pH; chlorine and peroxide that turn dissolved iron and sulfide into what a filter holds."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from .. import carbonate
from ..carbonate import NA
from ..figure import Figure, figure, work
from ..rules import Hit, rule
from ..spec import Choice, Fraction, Measure, Number, key
from ..water import ACID_OF_IRON, EQ, Water
from .base import Room, Sizing, StageKeys

if TYPE_CHECKING:
    from ..audit import Audit
    from ..duty import Duty
    from ..train import StageRun


DOSE = Measure("concentration", "5 mg/L", high=5000)
NA2CO3, NAOH = 105.9884, 39.9971  # g/mol


OXIDISES = ("chlorine", "peroxide")


#: mg of product for each mg of iron, manganese, sulfide
DEMAND = {"chlorine": (0.64, 1.3, 2.2), "peroxide": (0.305, 0.62, 1.0)}


WORDS = {"soda_ash": "Soda-ash feed", "caustic": "Caustic feed", "chlorine": "Chlorine feed", "peroxide": "Peroxide feed"}


@dataclass(frozen=True, slots=True)
class ChemicalFeedKeys(StageKeys):
    chemical: str | None = key(Choice(("soda_ash", "caustic", "chlorine", "peroxide")), None, "what is fed")
    dose: float | None = key(DOSE, None, "pure product for each litre of water")
    target_ph: float | None = key(Number(6.0, 9.0), None, "pH an alkali is fed to")
    residual: float | None = key(Measure("concentration", "0.5 mg/L", high=50), None, "free chlorine left after its demand")
    solution_strength: float | None = key(Fraction(), None, "pure product in the solution, by mass and volume")


def chemical_of(keys: ChemicalFeedKeys) -> str:
    return keys.chemical or "chlorine"


class ChemicalFeed(Room):
    kind = "chemical_feed"
    title = "Chemical feed"
    silhouette = "feeder"
    Keys = ChemicalFeedKeys
    answers = ("ph", "iron", "manganese", "hydrogen_sulfide", "iron_bacteria")
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

    def _demand(self, chemical: str, water: Water) -> tuple[float, Any]:
        fe, mn, h2s = DEMAND[chemical]
        values = {
            "Fe": (water.value("ferrous_iron"), "mg/L"),
            "Mn": (water.value("manganese"), "mg/L"),
            "H2S": (water.value("hydrogen_sulfide"), "mg/L"),
        }
        need = fe * values["Fe"][0] + mn * values["Mn"][0] + h2s * values["H2S"][0]
        return need, work("demand", f"{fe} × Fe + {mn} × Mn + {h2s} × H2S", need, "mg/L", f"feed.{chemical}", **values)

    def size(self, keys: ChemicalFeedKeys, water: Water, duty: Duty) -> Sizing:
        row, chemical = duty.rows["chemical_feed"], chemical_of(keys)
        figures: dict[str, Figure] = {}
        params: dict[str, Any] = {"chemical": chemical}
        if chemical in OXIDISES:
            need, line = self._demand(chemical, water)
            figures["oxidant_demand"] = figure(line)
            if chemical == "chlorine":
                residual = keys.residual if keys.residual is not None else row["residual"]
                dose, params["residual"] = need + residual, residual
                last = work("dose", "demand + residual", dose, "mg/L", "feed.chlorine", demand=(need, "mg/L"), residual=(residual, "mg/L"))
            else:
                dose = need * row["peroxide_excess"]
                last = work("dose", "demand × excess", dose, "mg/L", "feed.peroxide", demand=(need, "mg/L"), excess=(row["peroxide_excess"], ""))
            lines = [line, last]
        else:
            target = keys.target_ph or duty.facts.wishes.target_ph or row["target_ph"]
            dosed = self._to_ph(chemical, water, target)
            dose, params["target_ph"] = dosed.amount * 1000 * (NA2CO3 if chemical == "soda_ash" else NAOH), target
            lines = [
                work(
                    "dose",
                    "solve(pH, alkalinity, target)",
                    dose,
                    "mg/L",
                    "feed.alkali",
                    pH=(water.ph, ""),
                    alkalinity=(water.value("alkalinity"), "mg/L CaCO3"),
                    target=(target, ""),
                )
            ]
        if keys.dose is not None:
            dose = keys.dose
            lines = [work("given dose", "given", dose, "mg/L", "feed.solution", given=(dose, "mg/L"))]
        params["dose"] = dose
        strength = keys.solution_strength * 1000 if keys.solution_strength else float(row["strength"][chemical])
        params["solution_strength"] = strength / 1000
        feed = dose * duty.daily / 1000 / strength
        pump = dose * duty.flow / strength
        figures["dose"] = figure(*lines)
        figures["feed_rate"] = figure(
            work(
                "solution a day",
                "dose × daily ÷ 1000 ÷ strength",
                feed,
                "L/day",
                "feed.solution",
                dose=(dose, "mg/L"),
                daily=(duty.daily, "L/day"),
                strength=(strength, "g/L"),
            )
        )
        figures["pump_rate"] = figure(
            work(
                "pump at design flow",
                "dose × flow ÷ strength",
                pump,
                "mL/min",
                "feed.solution",
                dose=(dose, "mg/L"),
                flow=(duty.flow, "L/min"),
                strength=(strength, "g/L"),
            )
        )
        days = row["tank_l"] / max(feed, 1e-6)
        figures["solution_days"] = figure(
            work("a tank lasts", "tank ÷ max(feed, 0.000001)", days, "day", "feed.solution", tank=(float(row["tank_l"]), "L"), feed=(feed, "L/day"))
        )
        if chemical not in OXIDISES:
            moles = dose / 1000 / (NA2CO3 if chemical == "soda_ash" else NAOH) * (2 if chemical == "soda_ash" else 1)
            per = 2 * NA / NA2CO3 if chemical == "soda_ash" else NA / NAOH
            figures["sodium_added"] = figure(work("sodium added", f"{per:.6f} × dose", moles * NA * 1000, "mg/L", "feed.alkali", dose=(dose, "mg/L")))
        sizing = Sizing(params, figures)
        figures["ph_out"] = figure(
            work(
                "pH out",
                "solve(carbon, alkalinity)",
                self.treat(keys, sizing, water, duty).ph,
                "pH",
                "chemistry.carbonate",
                carbon=(water.state.carbon * 1000, "mmol/L"),
                alkalinity=(water.value("alkalinity"), "mg/L CaCO3"),
            )
        )
        return sizing

    def _to_ph(self, chemical: str, water: Water, target: float) -> carbonate.Dosed:
        dose = carbonate.soda_ash_to_ph if chemical == "soda_ash" else carbonate.caustic_to_ph
        return dose(water.solution, water.state.carbon, target)

    def treat(self, keys: ChemicalFeedKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        chemical, dose = sizing.params["chemical"], sizing.params["dose"]
        if chemical in OXIDISES:
            return self._oxidise(chemical, dose, water)
        moles = dose / 1000 / (NA2CO3 if chemical == "soda_ash" else NAOH)
        equivalents = moles * (2 if chemical == "soda_ash" else 1)
        return water.react(
            carbon=moles if chemical == "soda_ash" else 0.0,
            alkalinity=water.value("alkalinity") + equivalents * EQ,
            sodium=water.value("sodium") + equivalents * NA * 1000,
        )

    def _oxidise(self, chemical: str, dose: float, water: Water) -> Water:
        """Iron becomes rust and sulfide sulfur, as far as the dose goes; what is left of chlorine stays as residual."""
        need, _ = self._demand(chemical, water)
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

    def loss(self, keys: ChemicalFeedKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        return 0.0, 0.0

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        if duty.facts.wishes.no_power:
            return []
        rows, found = duty.rows, []
        if water.ph < 6.5 and (water.ph < rows["neutralizer"]["ph_low"] or water.iron > rows["neutralizer"]["iron_max"]):
            found.append(ChemicalFeedKeys(chemical="soda_ash"))
        air = rows["oxidizing_filter"]
        much = water.iron > air["iron_max"] or water.value("hydrogen_sulfide") > air["sulfide_max"] or water.value("manganese") > air["manganese_max"]
        wanted = duty.facts.schools.disinfection == "chlorine" and any(water.value(name) > 0 for name in ("total_coliform", "e_coli"))
        if much or wanted or water.value("iron_bacteria") > 0 or water.value("sulfur_bacteria") > 0:
            found.append(ChemicalFeedKeys(chemical="chlorine"))
        return found

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
        return 420.0, 640.0, 0.0


@rule("no-contact-time", "feed.contact", on="chemical_feed")
def no_contact_time(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Chlorine is fed with no retention after it, or with too little."""
    if stage.sizing.params["chemical"] not in OXIDISES:
        return
    row = audit.duty.rows["retention"]
    tanks = [other for other in audit.run.stages[stage.index + 1 :] if other.kind == "retention_tank"]
    contact = sum(other.sizing.figures["contact_time"].value for other in tanks)
    if contact < row["contact_min"] * 0.98:
        has = f"{contact:.1f} min in the retention tank" if tanks else "nothing holds the water back after it"
        yield Hit("fault", f"{stage.name}: {has}; {row['contact_min']} min at design flow are wanted.",
                  f"Fit a retention tank of {audit.show(row['contact_min'] * audit.duty.flow, 'L')} or more after the feed.")  # fmt: skip


@rule("residual-left", "feed.residual", on="chemical_feed")
def residual_left(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Chlorine fed by the train reaches the house above 1 mg/L, or against a complaint of its smell."""
    left = audit.run.finished.value("free_chlorine")
    complaint = "bleach_smell" in audit.facts.observations
    if stage.sizing.params["chemical"] == "chlorine" and (left > 1.0 or (complaint and left > 0.2)):
        yield Hit("caution", f"{audit.show(left, 'mg/L')} of free chlorine reaches the taps" + (", and its smell is complained of." if complaint else "; above 1 mg/L it is tasted."),
                  "Feed less, or take it out with carbon after the contact.")  # fmt: skip


@rule("oxidized-not-caught", "iron.removal", on=("chemical_feed", "aeration"))
def oxidized_not_caught(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Iron is turned to rust with nothing after it that holds the rust."""
    made = stage.water_out.value("ferric_iron") - stage.water_in.value("ferric_iron")
    if made > 0.2 and not any(other.room.holds_particles for other in audit.run.stages[stage.index + 1 :]):
        yield Hit("fault", f"It turns {audit.show(made, 'mg/L')} of iron to rust, and nothing after it holds the rust.",
                  "Put a filter bed after it.")  # fmt: skip
