"""Each rule fires on its mistake and stays quiet on a sound train."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from ..audit.rules import RULES, gravity
from ..language.figure import source
from .example import HARD_ONLY, ids, job, worked

SOUND = [
    {"kind": "neutralizer"}, {"kind": "oxidizing_filter", "medium": "air_charged"}, {"kind": "softener"}, {"kind": "sediment", "micron": 5}, {"kind": "uv"},
]  # fmt: skip
NEUTRALIZER, IRON, SOFTENER, SEDIMENT, UV = SOUND


def reported(result: str) -> dict[str, Any]:
    """The acid well with a row of its report that was not used, its limit 5 µg/L."""
    document = job()
    document["samples"][0]["seen"] = [{"name": "Toluene", "result": result, "limit": "5"}]
    return document


def first_drawn(metals: dict[str, str]) -> dict[str, Any]:
    """Acid water in copper pipe, with a first draw at the tap."""
    document = job({"supply": {"pipe": {"material": "copper", "size": "1 in"}}})
    document["samples"].append({"taken_on": "2026-05-05", "point": "tap", "draw": "first", "method": "laboratory", "readings": metals})
    return document


def soft(**more: Any) -> dict[str, Any]:
    return job(readings=HARD_ONLY, train=[{"kind": "softener", "volume": "1.5 ft3", "tank": "10x54"} | more])


def strip(hardness: str) -> dict[str, Any]:
    """A hard water whose hardness was read from a strip."""
    document = job(readings=HARD_ONLY | {"hardness": None})
    document["samples"].append({"taken_on": "2026-05-05", "point": "raw", "method": "strip", "readings": {"hardness": hardness}})
    return document


def ions(**more: str) -> dict[str, Any]:
    """A water whose ions balance: 4.0 + 0.8 + 0.9 meq/L against 4.0 + 0.8 + 0.9 (Ca 2.8, Mg 1.2)."""
    readings = {
        "hardness": "200 mg/L as CaCO3",
        "sodium": "39.1 mg/L",
        "alkalinity": "200 mg/L as CaCO3",
        "chloride": "28.4 mg/L",
        "sulfate": "43.2 mg/L",
    }
    return job(readings=HARD_ONLY | readings | more)


def lamp(**install: Any) -> dict[str, Any]:
    """The sound train with its lamp built in a certain way."""
    return job(train=[*SOUND[:4], UV | {"install": install}])


def washed(drain: dict[str, str] | None = None, **more: Any) -> dict[str, Any]:
    """A softener with a drain of its own."""
    return soft(install={"drain": drain} | more if drain else more)


def feed(*after: dict[str, Any], **more: Any) -> dict[str, Any]:
    """Chlorine fed to an iron well, and what follows it."""
    return job(readings={"ph": "7.2"}, train=[{"kind": "chemical_feed", "chemical": "chlorine"} | more, *after])


def town(*train: dict[str, Any], **readings: str) -> dict[str, Any]:
    """Hard chlorinated town water."""
    return job({"source": {"kind": "town", "disinfectant": "chlorine"}}, readings=HARD_ONLY | readings, train=list(train))


def stocked(size: str) -> dict[str, Any]:
    """A softener, and a catalogue that sells one vessel."""
    vessel = {"code": "V", "what": "Tank", "kind": "vessel", "price": "1", "fits": {"size": size}}
    catalogue = {"format": "cairn-catalogue/1", "name": "Stock", "currency": "LFC", "items": [vessel]}
    return job({"catalogue": catalogue}, readings=HARD_ONLY, train=[SOFTENER])


def rain(volume: str) -> dict[str, Any]:
    """A cistern under 100 m2 of roof with 80 mm of rain every month, for two people: 240 L a day."""
    return job(
        {
            "source": {"kind": "rain", "rain": {"roof_area": "100 m2", "monthly_rain": ["80 mm"] * 12}}, "building": {"people": 2, "use_per_person": "60 L"},
        },
        readings=HARD_ONLY | {"hardness": "10 mg/L as CaCO3"},
        train=[{"kind": "first_flush"}, {"kind": "storage_tank", "volume": volume}, PUMP, SEDIMENT, UV],
    )  # fmt: skip


def tank(**more: bool) -> dict[str, Any]:
    """A well that fills a tank, with a pump, a filter and a lamp behind it."""
    return job(readings=HARD_ONLY, train=[{"kind": "storage_tank"} | more, PUMP, SEDIMENT, UV])


def tank_lamp(**more: Any) -> dict[str, Any]:
    """A lamp hung in the tank of a well."""
    return job(readings=HARD_ONLY, train=[{"kind": "storage_tank"}, {"kind": "in_tank_uv"} | more, PUMP, SEDIMENT, UV])


def tap(**more: Any) -> dict[str, Any]:
    """A membrane at the drinking tap on water of 10 grains."""
    readings = HARD_ONLY | {"hardness": "10 gpg", "nitrate": "18 mg/L as N"}
    return job(readings=readings, train=[{"kind": "reverse_osmosis", "scale": "point_of_use"} | more])


def salty(*after: dict[str, Any], **more: Any) -> dict[str, Any]:
    """Brackish water through a membrane for the whole house (237 gal a day at 60 gal for four people)."""
    readings = HARD_ONLY | {"hardness": "80 mg/L as CaCO3", "tds": "1500 mg/L", "sodium": "480 mg/L", "chloride": "640 mg/L"}
    return job(readings=readings, train=[SEDIMENT, {"kind": "reverse_osmosis", "scale": "whole_house"} | more, *after])


BARRIER = {"kind": "barrier_filter", "element": "ultrafiltration"}
PUMP = {"kind": "booster_pump"}
CALCITE = {"kind": "neutralizer", "flow": "up"}
RETENTION = {"kind": "retention_tank", "volume": "160 gal"}
CARBON = {"kind": "carbon"}
GOOD_DRAIN = {"bore": "3/4 in", "distance": "12 ft", "lift": "4 ft", "air_gap": "2 in"}

#: rule id -> (a job in which it must fire, a job in which it must not)
CASES: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
    "feed-limit/uv/hardness": (job(train=[NEUTRALIZER, IRON, SEDIMENT, UV]), job(train=SOUND)),
    "feed-limit/uv/iron": (job(train=[NEUTRALIZER, SEDIMENT, UV]), job(train=SOUND)),
    "feed-limit/softener/iron": (job(train=[NEUTRALIZER, SOFTENER, SEDIMENT, UV]), job(train=SOUND)),
    "feed-limit/softener/free_chlorine": (job(readings=HARD_ONLY | {"free_chlorine": "2 mg/L"}, train=[SOFTENER]),
    job(readings=HARD_ONLY | {"free_chlorine": "0.5 mg/L"}, train=[SOFTENER])),
    "feed-limit/softener/tss": (job(readings=HARD_ONLY | {"tss": "12 mg/L"}, train=[SOFTENER]), job(readings=HARD_ONLY | {"tss": "12 mg/L"}, train=[SEDIMENT, SOFTENER])),
    "feed-limit/neutralizer/iron": (job(readings={"iron": "5 mg/L", "ferrous_iron": "5 mg/L"}, train=SOUND), job(train=SOUND)),
    "feed-limit/oxidizing_filter/ph": (job(train=[IRON, NEUTRALIZER, SOFTENER, SEDIMENT, UV]), job(train=SOUND)),
    "feed-limit/oxidizing_filter/iron": (job(readings={"iron": "14 mg/L", "ferrous_iron": "14 mg/L", "ph": "7.5"}, train=[IRON]), job(train=SOUND)),
    "hot-feed/softener": (soft(install={"feed": "hot"}), soft(install={"feed": "cold"})),
    "unmet/hardness": (job(readings=HARD_ONLY, train=[]), job(readings=HARD_ONLY, train=[SOFTENER])),
    "unmet/ph": (job(train=[SOFTENER]), job(train=SOUND)),
    "health/nitrate": (job(readings={"nitrate": "20 mg/L as N"}, train=SOUND), job(readings={"nitrate": "4 mg/L as N"}, train=SOUND)),
    "nitrate-infants": (job(readings={"nitrate": "20 mg/L as N"}, train=SOUND), job(readings={"nitrate": "4 mg/L as N"}, train=SOUND)),
    "microbes-untreated": (job(train=SOUND[:4]), job(train=SOUND)),
    "boil-water": (job(train=SOUND), job(readings={"total_coliform": "absent"}, train=SOUND[:3])),
    "gas-hazard": (job(readings={"methane": "15 mg/L"}), job(readings={"methane": "1 mg/L"})),
    "refer/arsenic": (job(readings={"arsenic": "30 ug/L"}), job(readings={"arsenic": "5 ug/L"})),
    "seen-not-treated": (reported("12 µg/L"), reported("<0.5 µg/L")),
    "lead-plumbing": (job({"supply": {"pipe": {"material": "copper", "size": "1 in"}}}), first_drawn({"lead": "2 ug/L", "copper": "0.4 mg/L"})),
    "uvt-unmeasured": (job(readings={"uvt": None, "colour": "25 mg/L Pt-Co"}, train=SOUND), job(readings={"colour": "25 mg/L Pt-Co"}, train=SOUND)),
    "dose-overshoot": (
        job(readings={"ph": "5.6..6.9", "alkalinity": "15..90 mg/L as CaCO3"}, train=[{"kind": "chemical_feed", "chemical": "soda_ash"}]),
        job(train=[{"kind": "chemical_feed", "chemical": "soda_ash"}]),
    ),
    "source-risk": (job({"source": {"kind": "spring"}}, readings={"total_coliform": "absent"}, train=[SEDIMENT]), job({"source": {"kind": "spring"}}, train=SOUND)),
    "iron-bacteria-first": (job(readings={"iron_bacteria": "present"}, train=SOUND), job(train=SOUND)),
    "microbes-untested": (job(readings={"total_coliform": None, "e_coli": None}), job()),
    "test-missing/ph": (job(readings={"ph": None}), job()),
    "test-missing/hardness": (job(readings={"hardness": None}), job()),
    "test-missing/alkalinity": (job(readings={"alkalinity": None}), job()),
    "test-missing/dissolved_oxygen": (job(train=[IRON | {"medium": "coated_oxygen"}]),
    job(readings={"dissolved_oxygen": "6 mg/L"}, train=[IRON | {"medium": "coated_oxygen"}])),
    "test-missing/iron": (job(readings={"iron": None, "ferrous_iron": None}), job()),
    "unit-ambiguous": (job(readings={"nitrate": "4 mg/L"}), job(readings={"nitrate": "4 mg/L as N"})),
    "iron-form-unknown": (job(readings={"ferrous_iron": None}), job()),
    "unneeded/neutralizer": (job(readings=HARD_ONLY, train=[NEUTRALIZER, SOFTENER]), job(train=SOUND)),
    "unneeded/oxidizing_filter": (job(readings=HARD_ONLY, train=[IRON, SOFTENER]), job(train=SOUND)),
    "unneeded/softener": (job(readings=HARD_ONLY | {"hardness": "3 gpg"}, train=[SOFTENER]), job(train=SOUND)),
    "unneeded/sediment": (job(train=[*SOUND[:3], SEDIMENT, {"kind": "sediment", "micron": 25}, SEDIMENT, UV]), job(train=SOUND)),
    "unneeded/uv": (job({"source": {"kind": "town"}}, readings=HARD_ONLY, train=[SOFTENER, SEDIMENT, UV]), job(train=SOUND)),
    "uv-not-last": (job(train=[NEUTRALIZER, IRON, SEDIMENT, UV, SOFTENER]), job(train=SOUND)),
    "uv-prefilter": (job(train=[NEUTRALIZER, IRON, SOFTENER, UV]), job(train=SOUND)),
    "micron-too-coarse": (job(train=[NEUTRALIZER, IRON, SOFTENER, {"kind": "sediment", "micron": 25}, UV]), job(train=SOUND)),
    "micron-too-fine": (job(readings={"turbidity": "30 NTU"}, train=[{"kind": "sediment", "micron": 5, "housing": "10x2.5"}]), job(train=SOUND)),
    "hardness-after-softener": (job(train=[SOFTENER, NEUTRALIZER, IRON, SEDIMENT, UV]), job(train=SOUND)),
    "ferrous-passes": (job(train=[SEDIMENT]), job(train=SOUND)),
    "oxidized-not-caught": (job(readings={"ph": "7.2"}, train=[{"kind": "oxidizing_filter", "medium": "cartridge"}]),
    job(readings={"ph": "7.2"}, train=[{"kind": "oxidizing_filter", "medium": "cartridge"}, SEDIMENT])),
    "service-flow/softener": (soft(volume="0.75 ft3", tank="8x44"), soft(volume="2.5 ft3", tank="13x54")),
    "service-flow/sediment": (job(train=[{"kind": "sediment", "housing": "10x2.5"}]), job(train=[{"kind": "sediment", "housing": "20x4.5"}])),
    "backwash-unmet/neutralizer": (job({"supply": {"flow": "4 gpm"}}, train=[{"kind": "neutralizer", "tank": "12x52"}]), job(train=SOUND)),
    "capacity-short": (soft(regeneration="timer", every_days=14), soft(regeneration="timer", every_days=3)),
    "capacity-idle": (job({"building": {"people": 1}}, readings=HARD_ONLY | {"hardness": "8 gpg"}, train=[{"kind": "softener", "volume": "3 ft3"}]), soft()),
    "setting-uncompensated": (job(readings=HARD_ONLY | {"iron": "1.5 mg/L", "ferrous_iron": "1.5 mg/L"}, train=[{"kind": "softener", "hardness_setting": "18 gpg"}]),
    soft(hardness_setting="19 gpg")),
    "interval-iron": (job(readings={"ph": "7.2", "iron": "1 mg/L", "ferrous_iron": "1 mg/L"}, train=[{"kind": "softener", "regeneration": "timer", "every_days": 7}]),
    job(readings={"ph": "7.2", "iron": "1 mg/L", "ferrous_iron": "1 mg/L"}, train=[{"kind": "softener", "regeneration": "timer", "every_days": 4}])),
    "salt-starved": (soft(salt_dose="2 lb/ft3"), soft(salt_dose="4 lb/ft3")),
    "setting-doubled": (soft(hardness_setting="36 gpg"), soft(hardness_setting="20 gpg")),
    "salt-inefficient": (soft(salt_dose="15 lb/ft3"), soft(salt_dose="6 lb/ft3")),
    "cartridge-iron": (job(readings={"iron": "4 mg/L", "ferrous_iron": "4 mg/L", "ph": "7.2"}, train=[{"kind": "oxidizing_filter", "medium": "cartridge"}, SEDIMENT]),
    job(readings={"ph": "7.2"}, train=[{"kind": "oxidizing_filter", "medium": "cartridge"}, SEDIMENT])),
    "contact-short/neutralizer": (job(train=[{"kind": "neutralizer", "volume": "0.5 ft3", "tank": "8x44"}]), job(train=SOUND)),
    "contact-short/aeration": (job(readings={"hydrogen_sulfide": "4 mg/L"}, train=[{"kind": "aeration", "volume": "30 gal"}]),
    job(readings={"hydrogen_sulfide": "4 mg/L"}, train=[{"kind": "aeration", "volume": "200 gal"}])),
    "bed-shallow": (soft(volume="0.75 ft3"), soft()),
    "freeboard-short": (soft(volume="2.25 ft3"), soft()),
    "uv-dose": (job(train=[*SOUND[:4], UV | {"rated_flow": "6 gpm"}]), job(train=SOUND)),
    "uv-flow-unrestricted": (job(train=[*SOUND[:4], UV | {"rated_flow": "10 gpm"}]), job(train=[*SOUND[:4], UV | {"rated_flow": "12 gpm", "restrictor": "8 gpm"}])),
    "calcite-too-acid": (job(readings={"ph": "5.2"}, train=SOUND), job(train=SOUND)),
    "calcite-idle": (job(readings=HARD_ONLY, train=[NEUTRALIZER, SOFTENER]), job(train=SOUND)),
    "regeneration-clash": (job(train=[NEUTRALIZER | {"hour": "02:00"}, IRON, SOFTENER | {"hour": "02:00"}]),
    job(train=[NEUTRALIZER | {"hour": "02:00"}, IRON, SOFTENER | {"hour": "04:00"}])),
    "regeneration-awake": (soft(hour="07:30"), soft(hour="02:00")),
    "pressure-short": (job({"supply": {"pressure_low": "25 psi"}}, train=SOUND), job({"supply": {"pressure_low": "55 psi", "pressure_high": "75 psi"}}, train=SOUND[:3])),
    "pressure-high": (job({"supply": {"night_pressure": "110 psi"}}, train=SOUND), job(train=SOUND)),
    "pressure-backwash": (job({"supply": {"pressure_low": "25 psi"}}, train=SOUND), job(train=SOUND)),
    "too-cold": (job({"supply": {"temperature": "34 degF"}}, train=SOUND), job(train=SOUND)),
    "too-hot": (job({"supply": {"temperature": "120 degF"}}, train=SOUND), job(train=SOUND)),
    "pipe-velocity": (job({"supply": {"pipe": {"material": "pex_crimp", "size": "1/2 in"}}}), job()),
    "pressure-loss/softener": (job({"supply": {"flow": "18 gpm"}}, readings=HARD_ONLY, train=[{"kind": "softener", "volume": "1 ft3", "tank": "8x44"}]),
    soft(volume="2.5 ft3", tank="13x54")),
    "sample-stale": (job({"as_of": "2026-11-24"}) | {"samples": [job()["samples"][0] | {"taken_on": "2024-05-04"}]}, job({"as_of": "2026-07-24"})),
    "sample-treated": (
        job(readings=HARD_ONLY | {"hardness": "0.5 gpg", "sodium": "120 mg/L"}),
        job(readings=HARD_ONLY | {"sodium": "12 mg/L"}),
    ),
    "sample-single-season": (job({"source": {"kind": "spring"}}), job()),
    "ph-not-field": (job(), job(readings=HARD_ONLY)),
    "strip-only": (strip("80..250 mg/L"), strip("150..250 mg/L")),
    "ion-balance": (ions(sodium="200 mg/L"), ions()),
    "tds-inconsistent": (ions(tds="900 mg/L"), ions(tds="330 mg/L")),
    "hardness-inconsistent": (
        job(readings=HARD_ONLY | {"calcium": "20 mg/L", "magnesium": "5 mg/L"}),
        job(readings=HARD_ONLY | {"calcium": "90 mg/L", "magnesium": "20.2 mg/L"}),
    ),
    "single-bed/carbon": (
        job(readings=HARD_ONLY | {"pfas": "40 ng/L"}, train=[{"kind": "carbon", "medium": "granular"}]),
        job(readings=HARD_ONLY | {"pfas": "40 ng/L"}, train=[{"kind": "carbon", "medium": "granular", "lead_lag": True}]),
    ),
    "carbonate-inconsistent": (job(readings=HARD_ONLY | {"carbon_dioxide": "90 mg/L"}), job(readings=HARD_ONLY | {"carbon_dioxide": "9 mg/L"})),
    "reading-implausible": (job(readings={"iron": "240 mg/L", "ferrous_iron": None}), job()),
    "observation-untested/black_stains": (job({"observations": ["black_stains"]}, readings={"manganese": None}),
                                          job({"observations": ["black_stains"]}, readings={"manganese": "0.3 mg/L"})),
    "observation-conflict": (job({"observations": ["orange_stains"]}, readings=HARD_ONLY), job({"observations": ["orange_stains"]})),
    "sodium-diet": (job({"wishes": {"low_sodium": True}}, readings=HARD_ONLY, train=[SOFTENER]), soft()),
    "blend-overshoot": (
        job(readings={"ph": "6.4"}, train=[{"kind": "neutralizer", "medium": "blend"}]),
        job(readings={"ph": "5.6"}, train=[{"kind": "neutralizer", "medium": "blend"}]),
    ),
    "sediment-after-carbon": (town(CARBON, SEDIMENT, turbidity="4 NTU", free_chlorine="1 mg/L"), town(SEDIMENT, CARBON, turbidity="4 NTU", free_chlorine="1 mg/L")),
    "contact-short/carbon": (town(CARBON | {"volume": "0.5 ft3", "tank": "8x44"}, free_chlorine="1 mg/L"), town(CARBON, free_chlorine="1 mg/L")),
    "feed-limit/carbon/iron": (job(train=[CARBON]), job(train=[NEUTRALIZER, IRON, CARBON])),
    "feed-limit/reverse_osmosis/hardness": (salty(PUMP, CALCITE, SEDIMENT, UV) | {"samples": job(readings=HARD_ONLY)["samples"]}, salty(PUMP, CALCITE, SEDIMENT, UV)),
    "feed-limit/reverse_osmosis/free_chlorine": (town({"kind": "reverse_osmosis"}, free_chlorine="3 mg/L"), town({"kind": "reverse_osmosis"}, free_chlorine="1 mg/L")),
    "feed-limit/scale_control/iron": (job(train=[{"kind": "scale_control"}]), job(train=[NEUTRALIZER, IRON, {"kind": "scale_control"}])),
    "scale-control-not-soft": (job(readings=HARD_ONLY, train=[{"kind": "scale_control"}]),
    job({"wishes": {"soft_water": False}}, readings=HARD_ONLY, train=[{"kind": "scale_control"}])),
    "no-contact-time": (feed(IRON), feed(RETENTION, IRON | {"medium": "greensand"}, CARBON)),
    "feed-strength": (feed(RETENTION, IRON | {"medium": "greensand"}, solution_strength="30 %"), feed(RETENTION, IRON | {"medium": "greensand"})),
    "residual-left": (feed(RETENTION, residual="2 mg/L"), feed(RETENTION, residual="0.5 mg/L")),
    "storage-not-disinfected": (job(readings=HARD_ONLY, train=[{"kind": "storage_tank"}, PUMP]), job(readings=HARD_ONLY, train=[{"kind": "storage_tank"}, PUMP, SEDIMENT, UV])),
    "not-repressurised": (job(readings=HARD_ONLY, train=[{"kind": "storage_tank"}, SEDIMENT, UV]), job(readings=HARD_ONLY, train=[{"kind": "storage_tank"}, PUMP, SEDIMENT, UV])),
    "storage-light": (tank(dark=False), tank(dark=True)),
    "storage-unscreened": (tank(screened=False), tank(screened=True)),
    "first-flush-missing": (rain("5000 L") | {"train": rain("5000 L")["train"][1:]}, rain("5000 L")),
    "supply-short": (job({"supply": {"flow": "3 gpm"}}, train=SOUND), job({"supply": {"flow": "6 gpm"}}, train=SOUND)),
    "air-window": (job({"supply": {"pressure_low": "30 psi"}}, train=SOUND), job(train=SOUND)),
    "wish-broken/no_power": (job({"wishes": {"no_power": True}}, train=SOUND), job({"wishes": {"no_power": True}}, readings=HARD_ONLY, train=[SEDIMENT])),
    "wish-broken/no_salt": (job({"wishes": {"no_salt": True}}, train=SOUND), job({"wishes": {"no_salt": True}}, readings=HARD_ONLY, train=[{"kind": "scale_control"}])),
    "filter-blind": (job(readings={"turbidity": "8 NTU"}, train=[{"kind": "neutralizer", "flow": "up"}]), job(train=[{"kind": "neutralizer", "flow": "up"}])),
    "recovery-high": (tap(recovery=0.7), tap(recovery=0.25)),
    "dose-declared": (job(train=[*SOUND[:4], UV | {"required_dose": "16 mJ/cm2"}]), job(train=SOUND)),
    "uv-alarm": (job(train=SOUND), job(readings=HARD_ONLY, train=[SEDIMENT, UV])),
    "storage-short": (rain("300 L"), rain("5000 L")),
    "permeate-aggressive": (salty(PUMP, SEDIMENT, UV), salty(PUMP, CALCITE, SEDIMENT, UV)),
    "ro-undersized": (salty(PUMP, CALCITE, rated="100 gal/day"), salty(PUMP, CALCITE, rated="600 gal/day")),
    "ro-feed": (salty(PUMP, CALCITE, rated="6000 gal/day", recovery=0.3), salty(PUMP, CALCITE, rated="600 gal/day")),
    "ro-cold": (salty(PUMP, CALCITE, rated="250 gal/day"), salty(PUMP, CALCITE, rated="600 gal/day")),
    "no-bypass/softener": (soft(install={"bypass": False}), soft(install={"bypass": True})),
    "barrier-bypass": (job(train=[*SOUND[:4], BARRIER | {"install": {"bypass": True}}]), job(train=[*SOUND[:4], BARRIER | {"install": {"bypass": "locked"}}])),
    "uv-bypass": (lamp(bypass=True), lamp(bypass="locked")),
    "uv-plastic": (lamp(pipe_out={"material": "copper", "metal_length": "4 in"}), lamp(pipe_out={"material": "copper", "metal_length": "14 in"})),
    "uv-clearance": (lamp(clearance_above="300 mm"), lamp(clearance_above="1300 mm")),
    "uv-orientation": (lamp(orientation="upside_down"), lamp(orientation="horizontal")),
    "uv-ballast": (lamp(ballast="below"), lamp(ballast="above")),
    "uv-drip-loop": (lamp(drip_loop=False), lamp(drip_loop=True)),
    "unprotected-outlet": (lamp(outlet="unprotected"), lamp(outlet="protected")),
    "uv-warm": (job(train=[*SOUND[:4], UV | {"lamp_power": "80 W"}]), job(train=[*SOUND[:4], UV | {"lamp_power": "80 W", "lamp": "flow_switched"}])),
    "drain-missing": (soft() | {"site": {"drain": {"kind": "none"}}}, soft() | {"site": {"drain": {"kind": "floor"}}}),
    "drain-air-gap": (washed(GOOD_DRAIN | {"air_gap": "0.5 in"}), washed(GOOD_DRAIN)),
    "drain-bore": (washed(GOOD_DRAIN | {"bore": "1/2 in", "distance": "40 ft"}), washed(GOOD_DRAIN)),
    "drain-lift": (washed(GOOD_DRAIN | {"lift": "10 ft"}), washed(GOOD_DRAIN)),
    "overflow-high": (washed(overflow={"lift": "2 in"}), washed(overflow={"lift": "-4 in"})),
    "blocks/electrical_panel": (soft(install={"blocks": ["electrical_panel"]}), soft(install={"blocks": []})),
    "clearance/softener": (soft(install={"clearance_front": "12 in"}), soft(install={"clearance_front": "30 in"})),
    "does-not-fit": (soft() | {"site": {"wall_width": "20 in"}}, soft() | {"site": {"wall_width": "9 ft", "ceiling": "7 ft"}}),
    "headroom": (soft(tank="10x54") | {"site": {"ceiling": "5.5 ft"}}, soft(tank="10x54") | {"site": {"ceiling": "7 ft"}}),
    "frost": (soft() | {"site": {"frost_free": False}}, soft() | {"site": {"frost_free": True}}),
    "sunlight": (soft() | {"site": {"in_sun": True}}, soft() | {"site": {"in_sun": False}}),
    "bore-shrunk": (job({"supply": {"pipe": {"material": "pex_crimp", "size": "3/4 in"}}}, train=SOUND), job(train=SOUND)),
    "no-sample-tap": (soft(install={"sample_taps": False}), soft(install={"sample_taps": True})),
    "unneeded/carbon": (job(readings=HARD_ONLY, train=[CARBON, SOFTENER]), town(CARBON, SOFTENER, free_chlorine="1 mg/L")),
    "feed-limit/softener/hydrogen_sulfide": (job(readings=HARD_ONLY | {"hydrogen_sulfide": "0.6 mg/L"}, train=[SOFTENER]), soft()),
    "outdoor-taps-softened": (soft(install={"branch": "outdoor"}), soft(install={"branch": "main"})),
    "tap-only/nitrate": (tap(), job(readings=HARD_ONLY, train=[SOFTENER])),
    "element-prefilter": (job(readings=HARD_ONLY | {"turbidity": "2 NTU"}, train=[BARRIER]), job(readings=HARD_ONLY | {"turbidity": "2 NTU"}, train=[SEDIMENT, BARRIER])),
    "viruses-pass": (job(readings=HARD_ONLY | {"e_coli": "present"}, train=[SEDIMENT, BARRIER]), job(readings=HARD_ONLY | {"e_coli": "present"}, train=[SEDIMENT, BARRIER, UV])),
    "clearance/uv": (lamp(clearance_front="2 in"), lamp(clearance_front="30 in")),
    "clearance/barrier_filter": (job(readings=HARD_ONLY, train=[BARRIER | {"install": {"clearance_above": "4 in"}}]),
    job(readings=HARD_ONLY, train=[BARRIER | {"install": {"clearance_above": "30 in"}}])),
    "orientation/scale_control": (job(readings=HARD_ONLY, train=[{"kind": "scale_control", "install": {"orientation": "horizontal"}}]),
    job(readings=HARD_ONLY, train=[{"kind": "scale_control", "install": {"orientation": "vertical"}}])),
    "crust-made/neutralizer": (job({"observations": ["white_crust"]}, train=[NEUTRALIZER]), job({"observations": ["white_crust"]}, train=[NEUTRALIZER, SOFTENER])),
    "what-it-adds": (job(train=[NEUTRALIZER]), job(readings=HARD_ONLY, train=[NEUTRALIZER])),
    "lamp-hours": (tank_lamp(hours=1), tank_lamp(hours=24)),
    "catalogue/vessel": (stocked("6x18"), stocked("12x52")),
    "arsenic-form-unknown": (job(readings={"arsenic": "24 ug/L"}, train=SOUND), job(readings=HARD_ONLY | {"arsenic": "24 ug/L", "dissolved_oxygen": "6 mg/L"}, train=[])),
}  # fmt: skip


#: rules that only ever give advice
ADVICE = ("uv-warm", "bore-shrunk", "no-sample-tap", "what-it-adds", "viruses-pass")


class ReducingValves(TestCase):
    def test_one_set_too_high_protects_nothing(self) -> None:
        """110 psi of a main held at 105 is more than vessels bear; at 90 more than a house; at 60 right."""
        mains = {"supply": {"pressure_high": "110 psi"}}
        for held, severity in (("105 psi", {"fault"}), ("90 psi", {"caution"}), ("60 psi", set())):
            train = [{"kind": "pressure_reducing_valve", "set": held}, *SOUND]
            found = worked(job(mains, train=train)).chosen.findings
            self.assertEqual({finding.severity for finding in found if finding.rule == "pressure-high"}, severity)


class Clashes(TestCase):
    def test_a_bed_that_draws_its_air_is_busy(self) -> None:
        """20 min of wash, 10 of rinse and 60 of air from 02:00 last till 03:30: a softener at 03:00 regenerates with raw water, at 04:00 not."""
        for hour, clash in (("03:00", True), ("03:29", True), ("04:00", False)):
            train = [IRON | {"hour": "02:00"}, SOFTENER | {"hour": hour}]
            found = worked(job(readings=HARD_ONLY | {"iron": "4 mg/L", "ferrous_iron": "4 mg/L"}, train=train)).chosen.findings
            self.assertEqual("regeneration-clash" in ids(found), clash, hour)


class OneTooMany(TestCase):
    def test_of_two_that_do_the_same_the_later_one_is(self) -> None:
        """Without either the other does it all: one of them is needless, not both."""
        found = worked(job(readings=HARD_ONLY, train=[SOFTENER, SOFTENER | {"id": "second"}])).chosen.findings
        self.assertEqual([each.stage for each in found if each.rule == "unneeded/softener"], ["second"])


class WhatIsEased(TestCase):
    def test_a_limit_that_is_passed_by_less_has_its_purpose(self) -> None:
        """20 mg/L of iron before a softener that takes 2: a cartridge in front leaves a fault, and is not unneeded, though greensand behind meets the need."""
        greensand = {"kind": "oxidizing_filter", "medium": "greensand"}
        train = [{"kind": "oxidizing_filter", "medium": "cartridge"}, SOFTENER, greensand]
        found = ids(worked(job(readings=HARD_ONLY | {"hardness": "18 gpg", "iron": "20 mg/L"}, train=train)).chosen.findings)
        self.assertIn("feed-limit/softener/iron", found)
        self.assertNotIn("unneeded/oxidizing_filter", found)


class Ways(TestCase):
    def rules(self, document: dict[str, Any]) -> list[str]:
        return [finding.rule for finding in worked(document).chosen.findings]

    def test_metal_is_asked_of_the_lit_port_alone(self) -> None:
        """Plastic at both ends: two findings where both are lit, one where a sleeve shields the inlet, none where both are shielded."""
        plastic = {"material": "pex", "metal_length": "0 in"}
        for shielded, count in (((False, False), 2), ((True, False), 1), ((True, True), 0)):
            ends = {f"pipe_{end}": plastic | {"shielded": held} for end, held in zip(("in", "out"), shielded, strict=True)}
            self.assertEqual(self.rules(lamp(**ends)).count("uv-plastic"), count)

    def test_a_bypass_that_is_shared_is_no_lock(self) -> None:
        """A lamp within a group can be passed by whoever turns the group's valve; a filter in it has its bypass."""
        self.assertIn("uv-bypass", self.rules(lamp(bypass={"group": "one"})))
        self.assertNotIn(
            "no-bypass/sediment", self.rules(job(train=[{"kind": "sediment", "form": "cartridge", "install": {"bypass": {"group": "one"}}}]))
        )


class EveryRule(TestCase):
    def test_fires_on_its_mistake(self) -> None:
        """The seeded mistake is found, with numbers or names, a remedy and a source."""
        for id, (seeded, _) in CASES.items():
            with self.subTest(id):
                found = worked(seeded).chosen.findings
                self.assertIn(id, ids(found))
                for finding in found:
                    self.assertTrue(finding.message and finding.remedy and finding.source, finding.rule)

    def test_stays_quiet_without_it(self) -> None:
        """The same rule says nothing where the mistake is not made (advice apart)."""
        for id, (_, clean) in CASES.items():
            with self.subTest(id):
                self.assertNotIn(id, {f.rule for f in worked(clean).chosen.findings if f.severity != "advice" or id in ADVICE})

    def test_every_registered_rule_has_a_case(self) -> None:
        """No rule without a firing and a quiet case."""
        bases = {id.split("/")[0] for id in CASES}
        self.assertEqual({rule.id.split("/")[0] for rule in RULES} - bases, set())

    def test_every_rule_is_documented_and_sourced(self) -> None:
        """Each rule says in a line what it is about, and its source exists."""
        for rule in RULES:
            self.assertTrue(rule.doc, rule.id)
            self.assertTrue(source(rule.source))

    def test_a_sound_train_has_no_fault_and_no_danger(self) -> None:
        """But the notice about the water itself, which stands until the retest."""
        for document in (job(train=SOUND), soft(), job(readings=HARD_ONLY | {"hardness": "2 gpg"}, train=[])):
            found = worked(document).chosen.findings
            self.assertEqual(ids(found, "fault"), set())
            self.assertLessEqual(ids(found, "danger"), {"boil-water"})

    def test_findings_come_gravest_first_and_twice_the_same(self) -> None:
        """Order is by severity; two audits of one job read alike."""
        document = job(train=[UV, SOFTENER, NEUTRALIZER])
        first, second = worked(document).chosen.findings, worked(document).chosen.findings
        self.assertEqual(first, second)
        order = ["danger", "fault", "caution", "advice"]
        self.assertEqual([f.severity for f in first], sorted((f.severity for f in first), key=order.index))

    def test_what_is_not_known_is_not_accused(self) -> None:
        """With nothing known of pipe, pressure and installation, no fault is made of it."""
        document = job(readings=HARD_ONLY, train=[{"kind": "softener"}])
        del document["supply"]
        found = worked(document).chosen.findings
        self.assertEqual(ids(found, "fault") | ids(found, "danger"), set())

    def test_a_strip_is_held_against_the_jobs_own_softening_mark(self) -> None:
        """150..250 mg/L lies wholly above seven grains, but straddles a wish of twelve (205 mg/L)."""
        wish = strip("150..250 mg/L") | {"wishes": {"soft_water": True, "soften_above": "12 gpg"}}
        self.assertIn("strip-only", ids(worked(wish).chosen.findings))

    def test_messages_are_in_the_units_of_the_job(self) -> None:
        """A metric job reads no gpm and no psi."""
        for finding in worked(job({"job": {"units": "metric"}}, train=[UV, SOFTENER, NEUTRALIZER])).chosen.findings:
            self.assertNotRegex(finding.message + finding.remedy, r"\b(gpm|psi|gpg|°F)\b")

    def test_the_handbook_lists_every_rule(self) -> None:
        """A rule can be looked up by the id printed in the audit."""
        from pathlib import Path

        page = (Path(__file__).resolve().parents[2] / "docs" / "rules.md").read_text()
        for rule in RULES:
            self.assertIn(f"`{rule.id}`", page)

    def test_a_reducing_valve_protects_only_what_stands_after_it(self) -> None:
        """110 psi at night and the valve last: every unit before it bears them; at the head of the train it protects all."""
        night, valve = {"supply": {"night_pressure": "110 psi"}}, {"kind": "pressure_reducing_valve"}
        late = worked(job(night, train=[*SOUND, valve])).chosen.findings
        self.assertEqual({finding.stage for finding in late if finding.rule == "pressure-high"}, {stage["kind"] for stage in SOUND})
        self.assertNotIn("pressure-high", ids(worked(job(night, train=[valve, *SOUND])).chosen.findings))

    def test_what_the_train_itself_makes_is_held_against_the_limits(self) -> None:
        """A softener on 30 gpg adds 0.46 × 513 = 236 mg/L of sodium: above the 200 of the WHO; on 18 gpg 142, below."""
        about = {"job": {"name": "Hard", "standard": "who", "units": "us"}}
        softener = {"kind": "softener", "volume": "2 ft3", "tank": "12x52"}
        self.assertIn(
            "unmet/sodium", ids(worked(job(about, readings=HARD_ONLY | {"hardness": "30 gpg", "sodium": "5 mg/L"}, train=[softener])).chosen.findings)
        )
        self.assertNotIn("unmet/sodium", ids(worked(job(about, readings=HARD_ONLY | {"sodium": "5 mg/L"}, train=[softener])).chosen.findings))

    def test_a_dose_for_the_worst_day_overshoots_on_the_best(self) -> None:
        """Alkalinity 15 to 90 and pH 5.6 to 6.9: soda ash for the worst takes the best past 8.5; a steady water is quiet."""
        feed = [{"kind": "chemical_feed", "chemical": "soda_ash"}]
        swings = {"ph": "5.6..6.9", "alkalinity": "15..90 mg/L as CaCO3", "iron": "<0.05 mg/L", "ferrous_iron": None, "total_coliform": "absent"}
        steady = swings | {"ph": "5.6", "alkalinity": "15 mg/L as CaCO3"}
        self.assertIn("dose-overshoot", ids(worked(job(readings=swings, train=feed)).chosen.findings))
        self.assertNotIn("dose-overshoot", ids(worked(job(readings=steady, train=feed)).chosen.findings))

    def test_a_pump_ahead_counts_for_the_backwash(self) -> None:
        """At 18 psi a valve cannot wash; behind a booster pump it can, before it it cannot."""
        low, pump = {"supply": {"pressure_low": "18 psi", "pressure_high": "38 psi"}}, {"kind": "booster_pump", "pressure": "40 psi"}

        def short(*train: dict[str, Any]) -> bool:
            return "pressure-backwash" in ids(worked(job(low, train=list(train))).chosen.findings)

        self.assertEqual([short(*SOUND), short(pump, *SOUND), short(*SOUND, pump)], [True, False, True])

    def test_a_loop_with_a_residual_may_follow_the_lamp(self) -> None:
        """A tank after the lamp is past help; fed with chlorine on the way, its loop is allowed; carbon takes the residual out again."""
        tank, pump, chlorine = (
            {"kind": "storage_tank"},
            {"kind": "booster_pump"},
            {"kind": "chemical_feed", "chemical": "chlorine", "residual": "0.5 mg/L"},
        )

        def fires(*after: dict[str, Any]) -> bool:
            return "uv-not-last" in ids(worked(job(train=[*SOUND, *after])).chosen.findings)

        carbon = {"kind": "carbon", "medium": "granular"}
        self.assertEqual([fires(tank, pump), fires(chlorine, tank, pump), fires(chlorine, carbon, tank, pump)], [True, False, True])

    def test_hose_taps_that_are_listed_and_not_spared_stand_behind_the_softener(self) -> None:
        """Two hose taps listed: found where they are not spared, quiet where they are."""

        def found(spared: bool) -> bool:
            changes = {"building": {"fixtures": {"wc": 1, "basin": 1, "hose_tap": 2}}, "wishes": {"spare_outdoor_taps": spared}}
            return "outdoor-taps-softened" in ids(worked(job(changes, readings=HARD_ONLY, train=[SOFTENER])).chosen.findings)

        self.assertEqual([found(False), found(True)], [True, False])


class Gravity(TestCase):
    def test_the_graver_weighs_more_than_any_number_of_the_lesser(self) -> None:
        """One danger before 500 faults, one fault before 500 cautions; 2 faults and 3 cautions are 2 × 1000 + 3; advice weighs nothing."""
        self.assertGreater(gravity({"danger": 1}), gravity({"fault": 500, "caution": 500}))
        self.assertGreater(gravity({"fault": 1}), gravity({"caution": 500}))
        self.assertEqual(gravity({"danger": 0, "fault": 2, "caution": 3, "advice": 9}), 2003)
        self.assertEqual(gravity({"advice": 4}), 0)
