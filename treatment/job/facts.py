"""The job: what a designer knows of a site, as typed values in canonical units (``cairn-job/1``)."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, replace
from typing import Any

from ..language.analytes import analytes, find_analyte, nearest_name
from ..language.errors import Fault, NotUnderstood
from ..language.reading import Reading, parse_reading
from ..language.spec import (
    Choice,
    Day,
    Either,
    Flag,
    Fraction,
    ListOf,
    MapOf,
    Measure,
    Number,
    Record,
    Spec,
    Text,
    TimeOfDay,
    key,
    read_record,
    record_schema,
    specs_of,
)
from .catalogue import Catalogue, CatalogueSpec
from .firm import Firm
from .working import OwnValue, OwnValues

STANDARDS = ("us", "who", "ca", "eu", "uk", "au")
FIXTURES = ("wc", "basin", "bath", "shower", "kitchen_sink", "dishwasher", "washer", "laundry_tray", "hose_tap", "bathroom_group")
OBSERVATIONS = (
    "orange_stains", "orange_at_once", "brown_stays", "slime", "black_stains", "rotten_egg_cold", "rotten_egg_hot_only",
    "blue_green_stains", "metallic_taste", "white_crust", "bleach_smell", "cloudy_clears_upward", "cloudy_after_rain",
    "illness", "grit", "pressure_fading", "salty_taste", "musty_taste", "earthy_taste", "fishy_smell", "medicinal_taste",
)  # fmt: skip
OBSTRUCTIONS = ("water_heater", "electrical_panel", "main_shutoff", "meter")
#: how what is there already is called
OBSTRUCTION_WORDS = {"water_heater": "water heater", "electrical_panel": "electrical panel", "main_shutoff": "main shut-off", "meter": "meter"}
PIPE_MATERIALS = ("copper", "pex_expansion", "pex_crimp", "cpvc", "pvc40", "pe")

WEATHER = ("dry", "rain", "after_rain", "snow_melt", "drought", "frost")
BASES = ("worst", "latest", "percentile", "chosen")

FLOW = Measure("flow", "7 gpm", high=20000, above=True)
PRESSURE = Measure("pressure", "40 psi", high=3000)
TEMPERATURE = Measure("temperature", "52 degF", low=-5, high=95)
VOLUME = Measure("volume", "120 gal", high=1e7)
LENGTH = Measure("length", "12 ft", high=2000)
LIFT = Measure("length", "2 ft", low=-200, high=500)
HARDNESS = Measure("hardness", "7 gpg", high=5000, basis="CaCO3")


@dataclass(frozen=True, slots=True)
class About:
    name: str = key(Text(120), "", "what the job is called")
    standard: str = key(Choice(STANDARDS), "us", "whose limits apply; the local authority decides")
    units: str = key(Choice(("us", "metric")), "us", "units shown to people; the core does not depend on it")


@dataclass(frozen=True, slots=True)
class Rain:
    roof_area: float | None = key(Measure("area", "1200 ft2", high=1e6))
    runoff: float | None = key(Fraction())
    first_flush: float | None = key(VOLUME)
    monthly_rain: tuple[float, ...] | None = key(ListOf(Measure("length", "80 mm", high=20), exactly=12))
    daily_rain: tuple[float, ...] | None = key(ListOf(Measure("length", "4 mm", high=5), most=40000))


@dataclass(frozen=True, slots=True)
class SourceFacts:
    kind: str | None = key(Choice(("drilled_well", "dug_well", "spring", "surface", "rain", "town")))
    disinfectant: str | None = key(Choice(("none", "chlorine", "chloramine")))
    last_event: str | None = key(Choice(("none", "flood", "repair", "heavy_rain")))
    rain: Rain | None = key(Record(Rain))


class ReadingsSpec(Spec):
    """Readings by analyte, under the key or any alias; held as parsed readings under the key."""

    expected = "an object of readings such as {“iron”: “1.8 mg/L”}"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if not isinstance(raw, dict):
            return self.refuse(raw, path, faults)
        found: dict[str, Reading] = {}
        for name, text in raw.items():
            here = f"{path}.{name}"
            analyte = find_analyte(str(name))
            if analyte is None:
                near = nearest_name(str(name))
                faults.append(Fault(here, "unknown analyte" + (f"; the nearest known one is “{near}”" if near else "")))
                continue
            if analyte.key in found:
                faults.append(Fault(here, f"{analyte.key} is given twice in this sample"))
                continue
            if isinstance(text, (int, float)) and not isinstance(text, bool):
                text = repr(text)
            if not isinstance(text, str):
                faults.append(Fault(here, f"expected a reading such as “1.8 mg/L”, got {text!r}"))
                continue
            try:
                found[analyte.key] = parse_reading(analyte, text)
            except NotUnderstood as error:
                faults.append(Fault(here, str(error)))
        return found

    def schema(self) -> dict[str, Any]:
        return {"type": "object", "propertyNames": {"examples": list(analytes())}, "additionalProperties": {"type": ["string", "number"]}}


@dataclass(frozen=True, slots=True)
class SeenRow:
    """A row of a laboratory's report that is no reading of ours, as printed: it is not treated here, and stays with the sample."""

    name: str = key(Text(200))
    result: str = key(Text(200), "")
    limit: str = key(Text(200), "", "the limit printed beside it")


@dataclass(frozen=True, slots=True)
class SampleFacts:
    """One sample: where, when and how it was taken, and its readings by analyte."""

    taken_on: dt.date | None = key(Day())
    point: str = key(Text(60), "raw", "raw, pressure_tank, tap or after:<stage id>")
    draw: str | None = key(Choice(("flushed", "first")))
    weather: str | None = key(Choice(WEATHER), None, "recent event at the source")
    method: str | None = key(Choice(("laboratory", "strip", "field")))
    readings: dict[str, Reading] = key(ReadingsSpec(), {})
    seen: tuple[SeenRow, ...] = key(ListOf(Record(SeenRow), most=400), (), "rows of the report that were not used, as printed")


@dataclass(frozen=True, slots=True)
class Basis:
    """On which of several readings of an analyte the design stands. value: a reading, with by = chosen; percent: of the adverse ends."""

    by: str = key(Choice(BASES), "worst")
    percent: float | None = key(Number(50, 100))
    value: Reading | str | None = key(Text(80))
    reason: str = key(Text(200), "")


class Bases(Spec):
    """A basis by analyte; worst where none is given. Microbes count at their worst, always."""

    expected = "an object such as {“iron”: {“by”: “latest”, “reason”: “…”}}"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if not isinstance(raw, dict):
            return self.refuse(raw, path, faults)
        found: dict[str, Basis] = {}
        for name, row in raw.items():
            here, analyte = f"{path}.{name}", find_analyte(str(name))
            if analyte is None or analyte.is_microbe:
                faults.append(Fault(here, "unknown analyte" if analyte is None else "for microbes the worst case always counts"))
                continue
            before = len(faults)
            basis = read_record(Basis, row, here, faults)
            if len(faults) > before:
                continue
            value: Reading | None = None
            if basis.by == "chosen":
                if not basis.reason.strip():
                    faults.append(Fault(f"{here}.reason", "a manual value needs a reason"))
                try:
                    value = parse_reading(analyte, basis.value or "")
                except NotUnderstood as error:
                    faults.append(Fault(f"{here}.value", str(error)))
            found[analyte.key] = replace(basis, value=value)
        return found

    def schema(self) -> dict[str, Any]:
        return {"type": "object", "propertyNames": {"examples": list(analytes())}, "additionalProperties": record_schema(Basis)}


@dataclass(frozen=True, slots=True)
class Waiver:
    """A finding that the designer accepts, with the reason. stage: its id, empty for the whole job. Dangers cannot be waived."""

    rule: str = key(Text(80), "")
    stage: str = key(Text(40), "")
    reason: str = key(Text(300), "")


class Waivers(Spec):
    """A list of waivers; each needs a rule and a reason."""

    expected = "a list such as [{“rule”: “sample-stale”, “reason”: “…”}]"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        found = ListOf(Record(Waiver), most=200).read(raw, path, faults)
        for i, waiver in enumerate(found if isinstance(found, tuple) else ()):
            for name in ("rule", "reason"):
                if isinstance(waiver, Waiver) and not str(getattr(waiver, name)).strip():
                    faults.append(Fault(f"{path}[{i}].{name}", f"a waiver needs its {name}"))
        return found

    def schema(self) -> dict[str, Any]:
        return ListOf(Record(Waiver), most=200).schema()


@dataclass(frozen=True, slots=True)
class OwnLimit:
    """A limit of this job in place of the set's: high, with its unit, and the reason."""

    high: Reading | str | None = key(Text(80))
    reason: str = key(Text(300), "")


class OwnLimits(Spec):
    """Limits by analyte that this job puts in place of its set's; each with its reason."""

    expected = "an object such as {“nitrate”: {“high”: “5 mg/L as N”, “reason”: “…”}}"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if not isinstance(raw, dict):
            return self.refuse(raw, path, faults)
        found: dict[str, OwnLimit] = {}
        for name, row in raw.items():
            here, analyte = f"{path}.{name}", find_analyte(str(name))
            if analyte is None or analyte.is_microbe or analyte.key == "ph":
                faults.append(Fault(here, "unknown analyte" if analyte is None else "this limit cannot be replaced"))
                continue
            before = len(faults)
            limit = read_record(OwnLimit, row, here, faults)
            if len(faults) > before:
                continue
            if not limit.reason.strip():
                faults.append(Fault(f"{here}.reason", "a limit of your own needs a reason"))
            try:
                found[analyte.key] = replace(limit, high=parse_reading(analyte, limit.high or ""))
            except NotUnderstood as error:
                faults.append(Fault(f"{here}.high", str(error)))
        return found

    def schema(self) -> dict[str, Any]:
        return {"type": "object", "propertyNames": {"examples": list(analytes())}, "additionalProperties": record_schema(OwnLimit)}


@dataclass(frozen=True, slots=True)
class Event:
    name: str = key(Text(80), "")
    volume: float | None = key(VOLUME)
    per_day: float | tuple[float, ...] | None = key(Either((Number(0, 10000), ListOf(Number(0, 10000), exactly=7))))
    hours: tuple[float, ...] | None = key(ListOf(TimeOfDay(), exactly=2))


@dataclass(frozen=True, slots=True)
class Building:
    people: float | None = key(Number(0, 5000))
    use_per_person: float | None = key(Measure("volume", "60 gal", high=5000, above=True))
    bathrooms: float | None = key(Number(0, 500))
    fixtures: dict[str, int] | None = key(MapOf(FIXTURES, Number(0, 2000, whole=True)))
    top_fixture_height: float | None = key(LIFT)
    extra_daily_use: float | None = key(VOLUME)
    events: tuple[Event, ...] = key(ListOf(Record(Event), most=60), ())


@dataclass(frozen=True, slots=True)
class Pipe:
    material: str | None = key(Choice(PIPE_MATERIALS))
    size: float | None = key(Measure("length", "3/4 in", high=0.5, above=True), None, "nominal size, in inches or millimeters as it is sold")
    length: float | None = key(LENGTH)
    pressure_class: str | None = key(Choice(("10", "16")), None, "pressure class of polyethylene in millimeters [bar]; 16 if not given")


@dataclass(frozen=True, slots=True)
class Drawdown:
    drawn: float | None = key(Measure("volume", "8 gal", high=1e5, above=True))
    recovery: float | None = key(Measure("time", "75 s", high=1e5, above=True))


@dataclass(frozen=True, slots=True)
class PumpPoint:
    flow: float | None = key(Measure("flow", "7 gpm", high=20000))
    pressure: float | None = key(PRESSURE)


@dataclass(frozen=True, slots=True)
class PumpFacts:
    """A pump's curve as it arrives at the house: points, or shut-off pressure and best point."""

    points: tuple[PumpPoint, ...] = key(ListOf(Record(PumpPoint), most=40), ())
    shut_off: float | None = key(PRESSURE)
    best_flow: float | None = key(FLOW)
    best_pressure: float | None = key(PRESSURE)


@dataclass(frozen=True, slots=True)
class SupplyFacts:
    flow: float | None = key(FLOW)
    pressure_low: float | None = key(PRESSURE)
    pressure_high: float | None = key(PRESSURE)
    night_pressure: float | None = key(PRESSURE)
    temperature: float | None = key(TEMPERATURE)
    coldest: float | None = key(TEMPERATURE)
    pipe: Pipe | None = key(Record(Pipe))
    drawdown: Drawdown | None = key(Record(Drawdown))
    pump: PumpFacts | None = key(Record(PumpFacts), None, "its curve, where it is known")
    pressure_tank: float | None = key(VOLUME, None, "whole volume of the pressure tank")


@dataclass(frozen=True, slots=True)
class SiteDrain:
    kind: str | None = key(Choice(("standpipe", "floor", "sink", "none")))
    distance: float | None = key(LENGTH)
    lift: float | None = key(LIFT)
    bore: float | None = key(Measure("length", "1/2 in", high=0.5, above=True))
    air_gap: float | None = key(LENGTH)


@dataclass(frozen=True, slots=True)
class Spot:
    """A thing on the wall: left edge, width, foot above the floor and height."""

    x: float | None = key(LENGTH)
    width: float | None = key(LENGTH)
    foot: float | None = key(LENGTH)
    height: float | None = key(LENGTH)


@dataclass(frozen=True, slots=True)
class Places:
    """Where the obstructions are on the wall; one that is not placed is not drawn."""

    water_heater: Spot | None = key(Record(Spot))
    electrical_panel: Spot | None = key(Record(Spot))
    main_shutoff: Spot | None = key(Record(Spot))
    meter: Spot | None = key(Record(Spot))


JOINING = ("expansion", "crimp", "push_fit", "solder", "press", "solvent", "compression")


@dataclass(frozen=True, slots=True)
class Site:
    ceiling: float | None = key(LENGTH)
    wall_width: float | None = key(LENGTH)
    wall_depth: float | None = key(LENGTH)
    indoor: bool | None = key(Flag())
    frost_free: bool | None = key(Flag())
    in_sun: bool | None = key(Flag())
    drain: SiteDrain | None = key(Record(SiteDrain))
    outlet_protected: bool | None = key(Flag())
    obstructions: tuple[str, ...] = key(ListOf(Choice(OBSTRUCTIONS)), ())
    places: Places | None = key(Record(Places))
    joining: str | None = key(Choice(JOINING), None, "how pipe is joined")


@dataclass(frozen=True, slots=True)
class Wishes:
    soft_water: bool | None = key(Flag())
    soften_above: float | None = key(HARDNESS)
    safe_to_drink: bool | None = key(Flag())
    low_sodium: bool = key(Flag(), False)
    no_salt: bool = key(Flag(), False)
    no_power: bool = key(Flag(), False)
    no_chemicals: bool = key(Flag(), False, "nothing is fed into the water, nor is a bed renewed with permanganate")
    drinking_tap_only: tuple[str, ...] = key(ListOf(Choice(tuple(analytes()))), ())
    spare_outdoor_taps: bool = key(Flag(), True)
    target_ph: float | None = key(Number(6.5, 9.0))
    high_purity: bool = key(Flag(), False)


@dataclass(frozen=True, slots=True)
class Schools:
    """Where practitioners disagree, what this job follows."""

    iron_compensation: str = key(Choice(("x4", "x3", "x5", "fixed")), "x4")
    iron_adder: float | None = key(HARDNESS)
    carbon_order: str = key(Choice(("auto", "first", "after_softener")), "auto")
    peak_flow: str = key(Choice(("fixture_units", "simultaneous", "bathrooms")), "fixture_units")
    regeneration: str = key(Choice(("auto", "3_day", "7_day")), "auto")
    hardness: str = key(Choice(("exchange", "scale_control", "citrate", "none")), "exchange")
    disinfection: str = key(Choice(("uv", "barrier", "chlorine")), "uv")
    prefilter: str | None = key(Choice(("single", "staged", "dual_gradient", "backwashing")))
    ro_temperature: str = key(Choice(("exponential", "linear")), "exponential")
    fine_filter: str = key(Choice(("auto", "before_carbon", "after_carbon", "both")), "auto")
    neutralizer_order: str = key(Choice(("auto", "first", "iron_first")), "auto")


@dataclass(frozen=True, slots=True)
class Facts:
    """Everything of a job but its train."""

    as_of: dt.date | None = key(Day(), None, "the day the design is for; the core has no clock")
    job: About = key(Record(About), About())
    source: SourceFacts = key(Record(SourceFacts), SourceFacts())
    samples: tuple[SampleFacts, ...] = key(ListOf(Record(SampleFacts)), ())
    design_basis: dict[str, Basis] = key(Bases(), {})
    limits: dict[str, OwnLimit] = key(OwnLimits(), {})
    working_values: dict[str, OwnValue] = key(OwnValues(), {}, "working values of the treatments in place of the defaults")
    waivers: tuple[Waiver, ...] = key(Waivers(), ())
    observations: tuple[str, ...] = key(ListOf(Choice(OBSERVATIONS)), ())
    building: Building = key(Record(Building), Building())
    supply: SupplyFacts = key(Record(SupplyFacts), SupplyFacts())
    site: Site = key(Record(Site), Site())
    wishes: Wishes = key(Record(Wishes), Wishes())
    schools: Schools = key(Record(Schools), Schools())
    firm: Firm = key(Record(Firm), Firm(), "what the company that does the job charges")
    catalogue: Catalogue | None = key(CatalogueSpec(), None, "what the company sells: equipment is chosen from it")


def spec_at(part: str, name: str) -> Spec:
    """How a value of a job document is read, by part and name. Raises KeyError for no place."""
    record: type = Facts
    for step in part.split("."):
        spec = specs_of(record)[step]
        if not isinstance(spec, Record):
            raise KeyError(part)
        record = spec.cls
    return specs_of(record)[name]
