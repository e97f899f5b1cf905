"""Ultraviolet disinfection: light that inactivates microbes in clear, iron-free, unscaled water."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from math import log
from typing import TYPE_CHECKING, Any

from ..figure import figure, source, work
from ..hydraulics import GPM, PSI, square_law
from ..rules import Hit, rule
from ..spec import Choice, Fraction, Measure, key
from ..tables import table
from ..water import Water
from .base import FLOW, FeedLimit, Room, Sizing, StageKeys

if TYPE_CHECKING:
    from ..audit import Audit
    from ..duty import Duty
    from ..train import StageRun

MICROBES = ("total_coliform", "e_coli", "heterotrophic_count", "protozoa")
_DOSE = Measure("uv_dose", "40 mJ/cm2", high=1000, above=True)


@dataclass(frozen=True, slots=True)
class UvKeys(StageKeys):
    rated_flow: float | None = key(FLOW, None, "flow at the rated dose")
    rated_dose: float | None = key(_DOSE, None, "dose at the rated flow, at the end of lamp life")
    rated_uvt: float | None = key(Fraction(low=0.1), None, "UV transmittance the rating holds at")
    required_dose: float | None = key(_DOSE, None, "dose this water needs")
    water_layer: float | None = key(Measure("length", "25 mm", high=0.5, above=True), None, "water between sleeve and wall")
    restrictor: float | None = key(FLOW, None, "flow restrictor before the lamp")
    ports: str | None = key(Choice(("lit", "shielded")), None, "does the lamp shine into the ports")
    lamp: str | None = key(Choice(("always_on", "flow_switched")), None, "lamp mode")
    lamp_power: float | None = key(Measure("power", "40 W", high=10000))
    chamber_length: float | None = key(Measure("length", "760 mm", high=5))


def light_through(transmittance: float, layer: float) -> float:
    """Mean light in a water layer as a share of what enters it [-]; Beer-Lambert.

    transmittance: per cm at 254 nm [-], 0 to 1; layer [cm].
    >>> light_through(1.0, 2.5)
    1.0
    """
    if transmittance >= 0.999999:
        return 1.0
    absorbed = -layer * log(max(transmittance, 1e-6))
    return float((1 - max(transmittance, 1e-6) ** layer) / absorbed)


class Uv(Room):
    kind = "uv"
    title = "UV lamp"
    silhouette = "lamp"
    Keys = UvKeys
    answers = MICROBES
    uses_power = True
    cautions = (
        "Never look at a lit lamp: ultraviolet burns eyes and skin.",
        "Mains near water: a protected outlet (GFCI/RCD), drip loop, licensed electrician.",
        "Leak-test with the sleeve in and the lamp out; power comes last.",
        "After fitting, disinfect all pipe downstream with the lamp on, then retest.",
        "Light leaves no residual: when the lamp fails, water is untreated.",
    )

    def feed_limits(self, keys: UvKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited = duty.rows["uv"], source("uv.feed")
        return [
            FeedLimit("iron", None, row["iron_max"], cited, "iron stains the sleeve and takes the light"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "manganese stains the sleeve and takes the light"),
            FeedLimit("hardness", None, row["hardness_max"], cited, "scale grows on the warm sleeve"),
            FeedLimit("turbidity", None, row["turbidity_max"], cited, "particles shade microbes"),
            FeedLimit("tannin", None, row["tannin_max"], cited, "tannin takes the light"),
            FeedLimit("uvt", row["uvt_min"], None, cited, "too little light reaches through the water"),
            FeedLimit("hydrogen_sulfide", None, row["sulfide_max"], cited, "sulfide takes the light and blackens the sleeve"),
        ]

    def size(self, keys: UvKeys, water: Water, duty: Duty) -> Sizing:
        rows, row = table("vessels")["lamps"], duty.rows["uv"]
        layer = keys.water_layer * 100 if keys.water_layer else rows["water_layer_cm"]
        rated_uvt = keys.rated_uvt * 100 if keys.rated_uvt else rows["rated_uvt"]
        rated_dose = keys.rated_dose or row["required_dose"]
        required = keys.required_dose or row["required_dose"]
        uvt = water.value("uvt")
        now, then = light_through(uvt / 100, layer), light_through(rated_uvt / 100, layer)
        flow = min(keys.restrictor, duty.passable) if keys.restrictor else duty.passable
        least = flow * required / rated_dose * then / now
        sizes = [gpm * GPM for gpm in rows["sizes_gpm"]]
        rated_flow = keys.rated_flow or next((size for size in sizes if size >= least - 1e-9), sizes[-1])
        dose = rated_dose * rated_flow / flow * now / then
        through = [
            work("light now", "(1 − T^L) ÷ (0 − L × ln(T))", now, "", "uv.geometry", T=(min(uvt, 99.9999) / 100, "per cm"), L=(layer, "cm")),
            work(
                "light as rated", "(1 − T^L) ÷ (0 − L × ln(T))", then, "", "uv.geometry", T=(min(rated_uvt, 99.9999) / 100, "per cm"), L=(layer, "cm")
            ),
        ]
        figures = {
            "delivered_dose": figure(*through, work("dose", "rated_dose × rated_flow ÷ flow × now ÷ rated", dose, "mJ/cm2", "uv.flow",
                rated_dose=(rated_dose, "mJ/cm2"), rated_flow=(rated_flow, "L/min"), flow=(flow, "L/min"), now=(now, ""), rated=(then, ""))),
            "flow_at_dose": figure(*through, work("flow", "rated_dose ÷ required × rated_flow × now ÷ rated", rated_dose / required * rated_flow * now / then, "L/min", "uv.flow",
                rated_dose=(rated_dose, "mJ/cm2"), required=(required, "mJ/cm2"), rated_flow=(rated_flow, "L/min"), now=(now, ""), rated=(then, ""))),
            "lamp_interval": figure(work("lamp", "min(hours ÷ 24 ÷ 30.4, months)", min(row["lamp_hours"] / 24 / 30.4, row["lamp_months"]), "month", "uv.lamp",
                hours=(float(row["lamp_hours"]), "h"), months=(float(row["lamp_months"]), "month"))),
        }  # fmt: skip
        nearest = min(rows["length_mm"], key=lambda gpm: abs(float(gpm) * GPM - rated_flow))
        params = {
            "rated_flow": rated_flow, "rated_dose": rated_dose, "rated_uvt": rated_uvt / 100, "required_dose": required,
            "water_layer": layer / 100, "ports": keys.ports, "lamp": keys.lamp or "always_on",
            "chamber_length": keys.chamber_length or rows["length_mm"][nearest] / 1000,
        }  # fmt: skip
        if keys.restrictor:
            params["restrictor"] = keys.restrictor
        return Sizing({name: value for name, value in params.items() if value is not None}, figures)

    def treat(self, keys: UvKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        enough = sizing.figures["delivered_dose"].value >= sizing.params["required_dose"] * 0.995
        if not enough:
            return water
        return water.with_(**{name: 0.0 for name in MICROBES if water.get(name) is not None})

    def loss(self, keys: UvKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        clean = square_law(flow, sizing.params["rated_flow"], table("vessels")["lamps"]["clean_psi"] * PSI)
        return clean, clean

    def candidates(self, water: Water, duty: Duty) -> list[Any]:
        wanted = duty.facts.schools.disinfection == "uv" and not duty.facts.wishes.no_power
        at_risk = any(water.value(name) > 0 for name in MICROBES) or duty.facts.source.kind in ("rain", "surface")
        return [UvKeys()] if wanted and at_risk else []

    def schools(self, keys: UvKeys, water: Water, system: str) -> list[str]:
        return [
            "Light (ours): no residual, nothing for particles; others use chlorine with contact time, or ceramic and ultrafiltration elements, which do not hold viruses."
        ]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "inactivates microbes with light; it leaves no residual"

    def body(self, keys: UvKeys, sizing: Sizing) -> tuple[float, float, float]:
        length = sizing.params["chamber_length"] * 1000
        return 100.0, length, 1250.0 - length / 2


@rule("uv-dose", "uv.dose", on="uv")
def uv_dose(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The lamp gives less than the dose this water needs, at the greatest flow that can pass."""
    given, required = stage.sizing.figures["delivered_dose"].value, stage.sizing.params["required_dose"]
    if given < required * 0.995:
        at, risky = stage.sizing.figures["flow_at_dose"].value, audit.microbes_present
        yield Hit(
            "danger" if risky else "fault",
            f"The lamp gives {audit.show(given, 'mJ/cm2')} at {audit.show(audit.uv_flow(stage), 'L/min')} and {stage.water_in.value('uvt'):.0f} % transmittance; {audit.show(required, 'mJ/cm2')} is needed.",
            f"Fit a larger lamp, or a restrictor of {audit.show(at, 'L/min')}.",
        )  # fmt: skip


@rule("uv-flow-unrestricted", "uv.flow", on="uv")
def uv_flow_unrestricted(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """The plumbing can pass more than the lamp treats, though the design flow is treated."""
    at, most = stage.sizing.figures["flow_at_dose"].value, audit.duty.passable
    if not stage.keys.restrictor and at < most * 0.995:
        yield Hit("fault", f"The plumbing can pass {audit.show(most, 'L/min')}; the lamp holds its dose only to {audit.show(at, 'L/min')}.",
                  "Fit a flow restrictor before the lamp, or a larger lamp.")  # fmt: skip


@rule("uv-not-last", "uv.last", on="uv")
def uv_not_last(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """Something that holds or filters water stands after the lamp: growth there is past help."""
    later = [
        other
        for other in audit.run.stages[stage.index + 1 :]
        if other.kind not in ("uv", "booster_pump", "pressure_reducing_valve") and not other.at_tap
    ]
    if later:
        names = ", ".join(other.said for other in later)
        yield Hit("danger" if audit.microbes_present else "fault", f"After the lamp comes {names}: microbes that grow there reach the tap, and light leaves no residual.",
                  "Move the lamp to the end of the train.")  # fmt: skip


@rule("uv-prefilter", "uv.prefilter", on="uv")
def uv_prefilter(audit: Audit, stage: StageRun) -> Iterator[Hit]:
    """No filter of 5 µm or finer stands directly before the lamp."""
    before = audit.before(stage)
    if before is not None and before.kind == "uv":
        return
    while before is not None and (before.at_tap or before.kind in ("booster_pump", "pressure_reducing_valve")):
        before = audit.before(before)
    held = before.room.micron(before.keys, before.sizing) if before is not None else None
    if before is None or held is None or held > 5:
        stands = f"directly before it is {before.said}" if before else "nothing stands before it"
        yield Hit(
            "fault",
            f"No 5 µm filter before the lamp: {stands}. Particles shade microbes from the light.",
            "Fit a 5 µm cartridge directly before the lamp.",
        )
