"""The job: what a designer knows of a site, as typed values in canonical units (``cairn-job/1``)."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Any

from .analytes import analytes, find_analyte, nearest_name
from .errors import Fault, NotUnderstood
from .reading import Reading, parse_reading
from .spec import Choice, Day, Either, Flag, Fraction, ListOf, MapOf, Measure, Number, Record, Spec, Text, TimeOfDay, key

STANDARDS = ("us", "who", "ca", "eu", "uk", "au")
FIXTURES = ("wc", "basin", "bath", "shower", "kitchen_sink", "dishwasher", "washer", "laundry_tray", "hose_tap", "bathroom_group")
OBSERVATIONS = (
    "orange_stains", "orange_at_once", "brown_stays", "slime", "black_stains", "rotten_egg_cold", "rotten_egg_hot_only",
    "blue_green_stains", "metallic_taste", "white_crust", "bleach_smell", "cloudy_clears_upward", "cloudy_after_rain",
    "illness", "grit", "pressure_fading", "salty_taste",
)  # fmt: skip
OBSTRUCTIONS = ("water_heater", "electrical_panel", "main_shutoff", "meter")
PIPE_MATERIALS = ("copper", "pex_expansion", "pex_crimp", "cpvc", "pvc40", "pe")

FLOW = Measure("flow", "7 gpm", high=20000, above=True)
PRESSURE = Measure("pressure", "40 psi", high=3000)
TEMPERATURE = Measure("temperature", "52 degF", low=-5, high=95)
VOLUME = Measure("volume", "120 gal", high=1e7)
LENGTH = Measure("length", "12 ft", high=2000)
LIFT = Measure("length", "2 ft", low=-200, high=500)
HARDNESS = Measure("hardness", "7 gpg", high=5000)


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


class Readings(Spec):
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
class SampleFacts:
    """One sample: where, when and how it was taken, and its readings by analyte."""

    taken_on: dt.date | None = key(Day())
    point: str = key(Text(60), "raw", "raw, pressure_tank, tap or after:<stage id>")
    draw: str | None = key(Choice(("flushed", "first")))
    method: str | None = key(Choice(("laboratory", "strip", "field")))
    readings: dict[str, Reading] = key(Readings(), {})


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
    size: float | None = key(Measure("length", "3/4 in", high=0.5, above=True))
    length: float | None = key(LENGTH)


@dataclass(frozen=True, slots=True)
class Drawdown:
    drawn: float | None = key(Measure("volume", "8 gal", high=1e5, above=True))
    recovery: float | None = key(Measure("time", "75 s", high=1e5, above=True))


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


@dataclass(frozen=True, slots=True)
class SiteDrain:
    kind: str | None = key(Choice(("standpipe", "floor", "sink", "none")))
    distance: float | None = key(LENGTH)
    lift: float | None = key(LIFT)
    bore: float | None = key(Measure("length", "1/2 in", high=0.5, above=True))
    air_gap: float | None = key(LENGTH)


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


@dataclass(frozen=True, slots=True)
class Wishes:
    soft_water: bool | None = key(Flag())
    soften_above: float | None = key(HARDNESS)
    safe_to_drink: bool | None = key(Flag())
    low_sodium: bool = key(Flag(), False)
    no_salt: bool = key(Flag(), False)
    no_power: bool = key(Flag(), False)
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


@dataclass(frozen=True, slots=True)
class Facts:
    """Everything of a job but its train."""

    as_of: dt.date | None = key(Day(), None, "the day the design is for; the core has no clock")
    job: About = key(Record(About), About())
    source: SourceFacts = key(Record(SourceFacts), SourceFacts())
    samples: tuple[SampleFacts, ...] = key(ListOf(Record(SampleFacts)), ())
    observations: tuple[str, ...] = key(ListOf(Choice(OBSERVATIONS)), ())
    building: Building = key(Record(Building), Building())
    supply: SupplyFacts = key(Record(SupplyFacts), SupplyFacts())
    site: Site = key(Record(Site), Site())
    wishes: Wishes = key(Record(Wishes), Wishes())
    schools: Schools = key(Record(Schools), Schools())
