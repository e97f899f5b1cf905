"""Ultraviolet disinfection: light that inactivates microbes in clear, iron-free, unscaled water."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from math import ceil, log
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.water import OPEN_TO_AIR, Water
from ..evidence.gather import ANOTHER_DAY
from ..house.duty import Duty
from ..house.hydraulics import GPM, PSI, square_law
from ..house.stock import Asked, Wanted, fewest
from ..job.catalogue import FitsLamp, Item
from ..job.facts import FLOW
from ..job.feed_limits import FeedLimit
from ..language.analytes import MICROBES
from ..language.display import show
from ..language.figure import Figure, Line, constant, figure, source, work
from ..language.prose import listed, sentence
from ..language.spec import Choice, Fraction, Measure, Number, key
from ..language.tables import table
from ..train.bought import alike
from ..train.keys import StageKeys
from ..train.over_time import Burning, Lamp, Slugs, State, Stepped, Stock, light_of_age
from ..train.running import ALWAYS, burned, hours_of_draw
from ..train.treatment import Fork, Purchase, Sizing, StageRun, TrainRun, Treatment
from .sediment import FINE

INACTIVATED = (*MICROBES, "heterotrophic_count")
_DOSE = Measure("uv_dose", "40 mJ/cm2", high=1000, above=True)


@dataclass(frozen=True, slots=True)
class UvKeys(StageKeys):
    rated_flow: float | None = key(FLOW, None, "flow at the rated dose")
    rated_dose: float | None = key(_DOSE, None, "dose at the rated flow, at the end of lamp life")
    rated_uvt: float | None = key(Fraction(low=0.1), None, "UV transmittance of the rating")
    lamps: int | None = key(Number(1, 8, whole=True), None, "identical lamps in parallel, each at its share of the flow", sometimes=True)
    required_dose: float | None = key(_DOSE, None, "dose this water needs")
    water_layer: float | None = key(Measure("length", "25 mm", high=0.5, above=True), None, "water between sleeve and wall")
    restrictor: float | None = key(FLOW, None, "flow restrictor before the UV unit", identity=True)
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


CLEAREST = 0.999999  # per cm: water through which all light goes has no layer


@lru_cache(maxsize=512)
def _light(symbol: str, transmittance: float, layer: float) -> Line:
    """Mean light in a water layer [cm] of a transmittance [per cm], beside that at its surface."""
    through = (min(max(transmittance, 1e-6), CLEAREST), "per cm")
    return work(symbol, "(1 − T^L) ÷ (0 − L × ln(T))", "", "uv.geometry", T=through, L=(layer, "cm"))


class Uv(Treatment[UvKeys]):
    kind = "uv"
    title = "UV unit"
    silhouette = "lamp"
    Keys = UvKeys
    answers = INACTIVATED
    helps = (OPEN_TO_AIR,)
    way = "uv"
    partners = (FINE,)  # particles shade microbes: a fine filter stands directly before it
    price = 2.0
    place = 14
    bypassed = False
    absent = "nothing in this water needs it"
    main = ("delivered_dose", "flow_at_dose", "lamp_interval")
    uses_power = True
    wants_outlet = True
    guards = True
    disinfects = True
    ends = True
    tells_why = True
    cautions = (
        "Never look at a lit lamp: ultraviolet light burns eyes and skin.",
        "Electricity near water: use a protected outlet (GFCI/RCD), a drip loop and a licensed electrician.",
        "Leak-test with the sleeve in and the lamp out; connect the power last.",
        "After installation, disinfect all pipe downstream with the lamp on, then retest.",
        "UV leaves no residual: when the lamp fails, the water is untreated.",
    )

    def feed_limits(self, keys: UvKeys, water: Water, duty: Duty) -> list[FeedLimit]:
        row, cited = duty.rows["uv"], source("uv.feed")
        return [
            FeedLimit("iron", None, row["iron_max"], cited, "iron stains the sleeve and blocks the light"),
            FeedLimit("manganese", None, row["manganese_max"], cited, "manganese stains the sleeve and blocks the light"),
            FeedLimit("hardness", None, row["hardness_max"], cited, "scale grows on the warm sleeve: clean it every 3 months", "caution"),
            FeedLimit("hardness", None, row["hardness_most"], cited, "scale grows on the warm sleeve faster than it is cleaned"),
            FeedLimit("turbidity", None, row["turbidity_max"], cited, "particles shield microbes from the light"),
            FeedLimit("tss", None, duty.rows["sediment_forms"]["tss_max"], cited, "particles shield microbes from the light"),
            FeedLimit(
                "tannin",
                None,
                row["tannin_max"],
                cited,
                "tannin takes some of the light: measure the transmittance after the tannin exchanger",
                "caution",
            ),
            FeedLimit("tannin", None, row["tannin_most"], cited, "tannin blocks the light"),
            FeedLimit("uvt", row["uvt_min"], None, cited, "a UV unit built for dark water, or a larger one, is needed", "caution"),
            FeedLimit("uvt", row["uvt_least"], None, cited, "too little light reaches through the water"),
            FeedLimit("hydrogen_sulfide", None, row["sulfide_max"], cited, "sulfide blocks the light and blackens the sleeve"),
        ]

    def size(self, keys: UvKeys, water: Water, duty: Duty) -> Sizing:
        rows, row = table("vessels")["lamps"], duty.rows["uv"]
        params: dict[str, Any] = {
            "rated_dose": keys.rated_dose or row["required_dose"], "rated_uvt": keys.rated_uvt or rows["rated_uvt"] / 100,
            "required_dose": keys.required_dose or row["required_dose"], "water_layer": keys.water_layer or rows["water_layer_cm"] / 100, "lamp": keys.lamp or "always_on",
        }  # fmt: skip
        sold = self._sold(keys, params, water, duty)
        if sold is not None:
            count, fits = sold
            params |= {
                "rated_flow": fits.rated,
                "rated_dose": fits.rated_dose,
                "rated_uvt": fits.rated_uvt / 100,
                "lamps": count,
                "lamp_power": fits.power,
            }
            params |= {"lamp_life": fits.life} if fits.life else {}
            return self._completed(keys, params, fits.chamber)
        now, then = self._light(params, water)
        least = self.flow_treated(keys, duty) * params["required_dose"] / params["rated_dose"] * then.value / now.value
        sizes = [gpm * GPM for gpm in rows["sizes_gpm"]]
        params["lamps"] = keys.lamps or (1 if keys.rated_flow else next((n for n in (1, 2, 3, 4) if sizes[-1] * n >= least - 1e-9), 1))
        params["rated_flow"] = keys.rated_flow or next((size for size in sizes if size * params["lamps"] >= least - 1e-9), sizes[-1])
        return self._completed(keys, params)

    def _completed(self, keys: UvKeys, params: dict[str, Any], chamber: float | None = None) -> Sizing:
        """Its choices with the length of its chamber, its own or that of the nearest generic one, and with what the job fixes."""
        rows = table("vessels")["lamps"]
        nearest = min(rows["length_mm"], key=lambda gpm: abs(float(gpm) * GPM - params["rated_flow"]))
        params["chamber_length"] = keys.chamber_length or chamber or rows["length_mm"][nearest] / 1000
        given = {"ports": keys.ports, "restrictor": keys.restrictor}
        return Sizing(params | {name: held for name, held in given.items() if held})

    def _sold(self, keys: UvKeys, params: dict[str, Any], water: Water, duty: Duty) -> tuple[int, FitsLamp] | None:
        """How many of which unit of the catalogue hold the dose, or are those that the job names; None where there is none."""
        units = [item.fits for item in duty.stock.sold("lamp")]
        if keys.rated_flow or keys.rated_dose or keys.rated_uvt:
            named = [fits for fits in units if _named(keys, fits)]
            return (keys.lamps or 1, named[0]) if named else None
        flow = self.flow_treated(keys, duty)
        units.sort(key=lambda fits: (self._holds(fits, params, water), fits.power))
        return fewest(
            units,
            lambda fits: self._beside(keys, duty),
            lambda fits, count: (keys.lamps or count) == count and self._holds(fits, params, water) * count >= flow * 0.999999,
        )

    def _beside(self, keys: UvKeys, duty: Duty) -> int:
        """How many units stand side by side."""
        return keys.lamps or duty.stock.beside(float(table("vessels")["lamps"]["width_mm"]) / 1000)

    def _holds(self, fits: FitsLamp, params: dict[str, Any], water: Water) -> float:
        """The flow [L/min] at which a unit of the catalogue gives the dose in this water."""
        now, then = self._light(params | {"rated_uvt": fits.rated_uvt / 100}, water)
        return fits.rated * fits.rated_dose / float(params["required_dose"]) * now.value / then.value

    def pieces(self, keys: UvKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Wanted]:
        """The unit that was taken; where none holds the dose, what the nearest lacks."""
        params = sizing.params

        def taken(fits: FitsLamp) -> bool:
            rated = (fits.rated, fits.rated_dose, fits.rated_uvt / 100)
            return all(alike(one, other) for one, other in zip(rated, (params["rated_flow"], params["rated_dose"], params["rated_uvt"]), strict=True))

        if keys.rated_flow or any(taken(item.fits) for item in duty.stock.sold("lamp")):
            name = f"UV unit of {show(params['rated_flow'], 'L/min', duty.facts.job.units)}"
            return {"uv": Wanted("lamp", name, taken, instead=_lamps_sold)}
        beside = self._beside(keys, duty)
        side = f" of {beside} side by side" if beside > 1 else ""
        ask = Asked(
            f"the flow{side} at the dose and clarity of this water",
            self.flow_treated(keys, duty),
            "L/min",
            lambda fits: beside * self._holds(fits, params, water),
        )
        return {"uv": Wanted("lamp", "UV unit", lambda fits: True, (ask,))}

    def flow_treated(self, keys: UvKeys, duty: Duty) -> float:
        """The flow it has to treat [L/min]: the greatest that can pass."""
        return min(keys.restrictor, duty.passable) if keys.restrictor else duty.passable

    def _light(self, params: dict[str, Any], water: Water) -> tuple[Line, Line]:
        """Mean light in the water layer, now and as rated [-]; Beer-Lambert."""
        layer = params["water_layer"] * 100
        return _light("light now", water.value("uvt") / 100, layer), _light("light as rated", params["rated_uvt"], layer)

    def _dose(self, keys: UvKeys, sizing: Sizing, water: Water, duty: Duty) -> tuple[Line, Line, Line]:
        """The dose it gives at the flow it has to treat [mJ/cm2], with the light before it."""
        params = sizing.params
        now, then = self._light(params, water)
        dose = work("dose", "rated_dose × rated_flow × lamps ÷ flow × now ÷ rated", "mJ/cm2", "uv.flow", rated_dose=(params["rated_dose"], "mJ/cm2"),
                    lamps=(float(params["lamps"]), ""),
                    rated_flow=(params["rated_flow"], "L/min"), flow=(self.flow_treated(keys, duty), "L/min"), now=(now.value, ""), rated=(then.value, ""))  # fmt: skip
        return now, then, dose

    def figures(self, keys: UvKeys, sizing: Sizing, water: Water, duty: Duty) -> dict[str, Figure]:
        row, params = duty.rows["uv"], sizing.params
        now, then, dose = self._dose(keys, sizing, water, duty)
        holds = work("flow", "rated_dose ÷ required × rated_flow × lamps × now ÷ rated", "L/min", "uv.flow", rated_dose=(params["rated_dose"], "mJ/cm2"),
                    lamps=(float(params["lamps"]), ""),
                     required=(params["required_dose"], "mJ/cm2"), rated_flow=(params["rated_flow"], "L/min"), now=(now.value, ""), rated=(then.value, ""))  # fmt: skip
        lamp = work(
            "lamp",
            "min(hours ÷ 24 ÷ month_days, months)",
            "month",
            "uv.lamp",
            hours=(self._life(params, duty), "h"),
            months=(float(row["lamp_months"]), "month"),
        )
        sleeve = work("clean the sleeve every", "max(most − (most − least) × min(max(H ÷ H_most, Fe ÷ Fe_most, Mn ÷ Mn_most), 1), least)", "month", "uv.sleeve",
                      most=(float(row["sleeve_months"][1]), "month"), least=(float(row["sleeve_months"][0]), "month"),
                      H=(water.hardness, "mg/L CaCO3"), H_most=(float(row["hardness_max"]), "mg/L CaCO3"), Fe=(water.iron, "mg/L"), Fe_most=(row["iron_max"], "mg/L"),
                      Mn=(water.value("manganese"), "mg/L"), Mn_most=(row["manganese_max"], "mg/L"))  # fmt: skip
        return {
            "delivered_dose": figure(now, then, dose),
            "flow_at_dose": figure(now, then, holds),
            "lamp_interval": figure(lamp),
            "sleeve_interval": figure(sleeve),
        }

    def treat(self, keys: UvKeys, sizing: Sizing, water: Water, duty: Duty) -> Water:
        dose, least = self._dose(keys, sizing, water, duty)[-1].value, duty.rows["uv"]["dose_least"]
        if dose < max(sizing.params["required_dose"], least) * 0.995:
            return water
        return water.with_(**{name: 0.0 for name in (*INACTIVATED, OPEN_TO_AIR) if water.get(name) is not None})

    def loss(self, keys: UvKeys, sizing: Sizing, flow: float, temperature: float) -> tuple[float, float]:
        rows = table("vessels")["lamps"]
        clean = square_law(flow / sizing.params["lamps"], sizing.params["rated_flow"], rows["clean_psi"] * PSI)
        if keys.restrictor:
            clean += square_law(flow, keys.restrictor, rows["restrictor_psi"] * PSI)
        return clean, clean

    def candidates(self, water: Water, duty: Duty) -> list[UvKeys]:
        if duty.facts.wishes.no_power or not any(water.value(name) > 0 for name in (*INACTIVATED, OPEN_TO_AIR)):
            return []
        keys = UvKeys()
        if duty.passable <= duty.flow * 1.001:
            return [keys]  # a restrictor at the design flow would change nothing
        sizing = self.size(keys, water, duty)
        enough = self._dose(keys, sizing, water, duty)[-1].value >= sizing.params["required_dose"] * 0.995
        return [keys] if enough else [keys, UvKeys(restrictor=duty.flow)]

    def why_absent(self, wanted: bool, raw: Water, duty: Duty, tested: bool, refused: Callable[[], list[str]]) -> str:
        """Without a finding there is nothing to inactivate, or nobody looked; with one, what stops it."""
        if duty.facts.schools.disinfection != "uv":
            return ""
        if not any(raw.value(name) > 0 for name in INACTIVATED):
            return "no microbes were found in the test" if tested else "microbes were not tested: test first, then decide"
        if duty.facts.wishes.no_power:
            return "the preferences exclude it"
        return "; ".join(refused()) or "another treatment does its work"

    def why_here(self, stage: StageRun[Any], run: TrainRun, microbes: bool) -> str:
        return (
            "Needed because microbes were found in the water." if microbes else "Used as a barrier: no microbes were found, or they were not tested."
        )

    def harmed_before(self, other: StageRun[Any]) -> str:
        return "water would be stored after the UV unit"

    def restrictor(self, keys: UvKeys, system: str) -> str:
        return f"flow restrictor {show(keys.restrictor, 'L/min', system)}" if keys.restrictor else ""

    def other_sizes(self, keys: UvKeys, sizing: Sizing, water: Water, duty: Duty) -> list[UvKeys]:
        """The next larger chamber; lit with the flow."""
        sold = sorted(item.fits.rated for item in duty.stock.sold("lamp"))
        sizes = [size for size in sold or (gpm * GPM for gpm in table("vessels")["lamps"]["sizes_gpm"]) if size > sizing.params["rated_flow"] * 1.01][
            :1
        ]
        return [*(replace(keys, rated_flow=size) for size in sizes), replace(keys, lamp="flow_switched")]

    def _watts(self, params: dict[str, Any]) -> float:
        """Power of its lamps and ballasts [W]."""
        if "lamp_power" in params:
            return float(params["lamp_power"] * params["lamps"])
        return float(table("vessels")["lamps"]["watt_per_gpm"] * params["rated_flow"] / GPM * params["lamps"])

    def _life(self, params: dict[str, Any], duty: Duty) -> float:
        """Hours that a lamp lasts."""
        return float(params.get("lamp_life") or duty.rows["uv"]["lamp_hours"])

    def burned(self, keys: UvKeys, sizing: Sizing, figures: dict[str, Figure], duty: Duty) -> Line:
        return burned(self._watts(sizing.params), hours_of_draw(duty) if sizing.params["lamp"] == "flow_switched" else ALWAYS)

    def over_time(self, stage: StageRun[UvKeys]) -> Shining:
        """A lamp whose dose is that of each draw's own flow and of the water of the day."""
        params = stage.sizing.params
        life = self._life(params, stage.duty)
        return Shining(stage, Lamp(self._watts(params), life, None if params["lamp"] == "flow_switched" else 24.0), self)

    def buys(self, keys: UvKeys, sizing: Sizing) -> list[Purchase]:
        name = self.name(keys)
        count = float(sizing.params["lamps"])
        lamps = count * ceil(12 / sizing.figures["lamp_interval"].value - 1e-6)
        restrictor = [Purchase("restrictor", 1.0, note=self.restrictor(keys, "metric"))] if keys.restrictor else []
        chamber = Purchase("uv", count, "UV chamber with ballast", name, sizing.params["rated_flow"])
        return [chamber, *restrictor, Purchase("lamp", lamps, note=name, yearly=True)]

    def schools(self, keys: UvKeys, water: Water, system: str) -> list[str]:
        return [
            "UV (default): no residual, no effect on particles; others use chlorine with contact time, or ceramic and ultrafiltration elements, which do not remove viruses."
        ]

    def forks(self, stage: StageRun[UvKeys], others: frozenset[str]) -> list[Fork]:
        return [
            Fork("Barrier filter instead of UV", 3, ways=("barrier",), has=frozenset({"barrier_filter"}), lacks=frozenset({self.kind})),
            Fork(
                "Chlorine and contact instead of UV",
                3,
                ways=("chlorine",),
                has=frozenset({"chlorine", "retention_tank"}),
                lacks=frozenset({self.kind, "barrier_filter"}),
            ),
        ]

    def does(self, before: Water, after: Water, system: str = "metric") -> str:
        return "inactivates microbes; it leaves no residual"

    def body(self, keys: UvKeys, sizing: Sizing) -> tuple[float, float, float]:
        length, rows = self.pulled(sizing), table("vessels")["lamps"]
        return float(rows["width_mm"]) * sizing.params["lamps"], length, table("wall")["place"]["ports"] - length / 2

    def pulled(self, sizing: Sizing) -> float:
        """The lamp comes straight out: as long as its chamber."""
        return float(sizing.params["chamber_length"] * 1000)

    def lit_ends(self, keys: UvKeys) -> tuple[bool, bool]:
        """What is said of an end counts before what is said of both."""
        ends = (keys.install.pipe_in, keys.install.pipe_out) if keys.install else (None, None)
        usual = keys.ports != "shielded"
        one, other = (usual if end is None or end.shielded is None else not end.shielded for end in ends)
        return one, other


class Shining(Burning[StageRun[UvKeys]]):
    """A lamp of a chamber. Its rating allows for a lamp at the end of its hours and a sleeve that is due: a younger lamp gives more."""

    own_points = ("lamp_hours", "intensity")

    def __init__(self, stage: StageRun[UvKeys], lamp: Lamp, room: Uv):
        super().__init__(stage, Lamp(lamp.watts, lamp.life, lamp.hours, (Stock("sleeve", "day", 0.0, None, True, "sleeve", "clean"),)))
        params, water = stage.sizing.params, stage.water_in
        then = room._light(params, water)[1]
        self.layer, self.due = params["water_layer"] * 100, stage.figures["sleeve_interval"].value * constant("month_days")
        self.constant = params["rated_dose"] * params["rated_flow"] * params["lamps"] / then.value
        self.most = room.flow_treated(stage.keys, stage.duty)
        self.least = max(params["required_dose"], stage.duty.rows["uv"]["dose_least"]) * 0.995
        self.lights = [_light("", each / 100, self.layer).value for each in CLARITIES]
        self.alive = [name for name in (*INACTIVATED, OPEN_TO_AIR) if water.get(name) is not None]

    def step(self, state: State, slugs: Slugs) -> Stepped:
        passed = super().step(state, slugs)
        clear = slugs.shaped("uvt", CLARITIES, self.lights)
        age = light_of_age(state["lamp_hours"], self.lamp.life) * sleeve_left(state["sleeve"], self.due)
        dose = slugs.powered * slugs.lit * self.constant * clear * age / slugs.at_most(slugs.flow, self.most)
        values = {name: slugs.where(dose < self.least, slugs.arriving(name), 0.0) for name in self.alive}
        after = {**passed.state, "sleeve": state["sleeve"] + 1}
        return Stepped(after, 0.0, values, {"dose": slugs.spread(dose)}, passed.energy)


#: transmittances at which the light of a lamp is worked out, in between straight [%]
CLARITIES = [20.0, 30.0, 40.0, 50.0, 60.0, 65.0, 70.0, 75.0, 80.0, 85.0, 88.0, 91.0, 94.0, 96.0, 98.0, 100.0]


def sleeve_left(days: float, due: float) -> float:
    """The share of light that a sleeve lets through beside one that is due for cleaning [-]: it fades once it is overdue."""
    marks = table("year")["lamps"]
    return float(max(1.0 - marks["sleeve_fades"] * max(days / due - 1.0, 0.0), marks["sleeve_least"])) if due > 0 else 1.0


def _named(keys: UvKeys, fits: FitsLamp) -> bool:
    """Whether a unit of the catalogue is the one whose rating a job gives."""
    pairs = ((keys.rated_flow, fits.rated), (keys.rated_dose, fits.rated_dose), (keys.rated_uvt, fits.rated_uvt / 100))
    return all(asked is None or alike(asked, given) for asked, given in pairs)


def _lamps_sold(items: Sequence[Item], system: str) -> str:
    """The units that are sold, by their flow."""
    sizes = dict.fromkeys(show(each, "L/min", system) for each in sorted(item.fits.rated for item in items))
    return f"it has {listed(sizes)}"


UV = Uv()


def enough_at_design(stage: StageRun[UvKeys]) -> bool:
    """Whether a lamp holds its dose at the design flow, so that only more than that is too much for it."""
    return stage.figures["flow_at_dose"].value >= stage.duty.flow * 0.995 and not stage.keys.restrictor


@rule("uv-dose", "train", "uv.dose", on="uv")
def uv_dose(audit: Audit, stage: StageRun[UvKeys]) -> Iterator[Hit]:
    """The lamp gives less than the dose this water needs, at the greatest flow that can pass."""
    given, required = stage.figures["delivered_dose"].value, stage.sizing.params["required_dose"]
    if given < required * 0.995 and not enough_at_design(stage):
        at, risky = stage.figures["flow_at_dose"].value, audit.microbes_present
        yield Hit(
            "danger" if risky else "fault",
            f"The UV dose is {audit.show(given, 'mJ/cm2')} at {audit.show(UV.flow_treated(stage.keys, stage.duty), 'L/min')} and "
            f"{stage.water_in.value('uvt'):.0f}% UVT; {audit.show(required, 'mJ/cm2')} is required. Microbes can survive.",
            f"Fit a larger UV unit, two in parallel and balanced, or a restrictor of {audit.show(at, 'L/min')}.",
        )  # fmt: skip


@rule("dose-declared", "train", "uv.declared", on="uv")
def dose_declared(audit: Audit, stage: StageRun[UvKeys]) -> Iterator[Hit]:
    """A lamp is declared to need little, on water that is not safe already."""
    declared, row = stage.keys.required_dose, audit.duty.rows["uv"]
    if declared is None or declared >= row["required_dose"] * 0.995:
        return
    tested = any(audit.evidence.measured(name) for name in MICROBES[:2])
    stood = stage.water_in.value(OPEN_TO_AIR) > 0
    unsafe = audit.microbes_present or stood or (audit.facts.source.kind != "town" and not tested)
    if unsafe:
        grave = declared < row["dose_least"] * 0.995
        why = "it contains microbes" if audit.microbes_present else "it was stored in an open tank" if stood else "it was not tested for microbes"
        yield Hit("danger" if grave and audit.microbes_present else "fault" if grave else "caution",
                  f"The UV unit is set to require {audit.show(declared, 'mJ/cm2')}, but this water is not safe already ({why}): "
                  f"{audit.show(row['required_dose'], 'mJ/cm2')} is required.",
                  "Size the UV unit for the full dose.")  # fmt: skip


@rule("uv-alarm", "train", "uv.last", on="uv")
def uv_alarm(audit: Audit, stage: StageRun[UvKeys]) -> Iterator[Hit]:
    """The risk is real, and a failing lamp gives untreated water: an alarm, and a valve that closes."""
    if audit.microbes_present:
        yield Hit("advice", "This water contains microbes. If the lamp fails, untreated water reaches the taps.",
                  "Fit a UV unit with an alarm and a solenoid valve that closes on lamp failure. Keep a spare lamp and sleeve on site. Ground (earth) the chamber.")  # fmt: skip


@rule("uvt-unmeasured", "test train", "uv.darkness", on="uv")
def uvt_unmeasured(audit: Audit, stage: StageRun[UvKeys]) -> Iterator[Hit]:
    """A lamp for dark water whose transmittance was never measured, or on a clearer day."""
    row, raw = table("assumed")["darkness"], audit.run.raw
    if not (raw.value("colour") > row["measure_colour"] or raw.value("toc") > row["measure_toc"]):
        return
    if audit.evidence.measured("uvt") and audit.evidence.states["uvt"].origin == ANOTHER_DAY:
        yield Hit(
            "caution",
            f"UV transmittance was measured on a clearer day; on the worst one it is about {raw.value('uvt'):.0f}% by estimate.",
            "Measure it on such a day, after the treatment, before a UV unit is bought.",
        )
    if not audit.evidence.measured("uvt"):
        low = audit.evidence.states["uvt"].low
        yield Hit(
            "caution",
            f"UV transmittance was not measured, and this water is dark: about {raw.value('uvt'):.0f}% by estimate, perhaps {low:.0f}%.",
            "Measure it after the treatment before a UV unit is bought.",
        )


@rule("uv-flow-unrestricted", "train", "uv.flow", on="uv")
def uv_flow_unrestricted(audit: Audit, stage: StageRun[UvKeys]) -> Iterator[Hit]:
    """The plumbing can pass more than the lamp treats, though the design flow is treated."""
    at, most = stage.figures["flow_at_dose"].value, stage.duty.passable
    if at < most * 0.995 and enough_at_design(stage):
        yield Hit("danger" if audit.microbes_present else "fault", f"The plumbing can carry {audit.show(most, 'L/min')}; the UV unit delivers its "
                                                                   f"dose only up to {audit.show(at, 'L/min')}.",
                  "Fit a flow restrictor before the UV unit, or a larger UV unit.")  # fmt: skip


@rule("uv-not-last", "train", "uv.last", on="uv")
def uv_not_last(audit: Audit, stage: StageRun[UvKeys]) -> Iterator[Hit]:
    """Something that holds or filters water stands after the lamp, without a residual in it: growth there is past help."""
    residual = audit.duty.rows["retention"]["free_chlorine_min"]

    def grows(other: StageRun[Any]) -> bool:
        passes = other.kind == "uv" or other.room.pumps or other.room.reduces or other.at_tap
        held = other.water_in.value("free_chlorine") >= residual or other.water_out.value("free_chlorine") >= residual
        return not passes and not held

    later = [other for other in audit.run.later(stage) if grows(other)]
    if later:
        names, are = sentence(listed(other.said for other in later)), "are" if len(later) > 1 else "is"
        yield Hit("danger" if audit.microbes_present else "fault",
                  f"{names} {are} installed after the UV unit: bacteria that grow there reach the tap, because UV leaves no residual.",
                  "Move the UV unit to the end of the train.")  # fmt: skip


@rule("uv-prefilter", "train", "uv.prefilter", on="uv")
def uv_prefilter(audit: Audit, stage: StageRun[UvKeys]) -> Iterator[Hit]:
    """No filter of 5 µm or finer stands directly before the lamp."""
    before = audit.run.before(stage)
    if before is not None and before.kind == "uv":
        return
    while before is not None and (before.at_tap or before.room.pumps or before.room.reduces):
        before = audit.run.before(before)
    held = before.micron if before is not None else None
    if before is None or held is None or held > 5:
        found = f"the {before.said} is there" if before else "nothing is there"
        yield Hit(
            "fault",
            f"There is no 5 µm filter directly before the UV unit ({found}). Particles shield microbes from the light.",
            "Fit a 5 µm cartridge directly before the UV unit.",
        )
