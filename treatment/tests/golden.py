"""Golden designs: the whole design document of varied jobs, frozen, so that a change of the house changes nothing else.

``scripts/golden.py`` shows what differs, stage by stage, and freezes anew what was looked at.
"""

from __future__ import annotations

import json
import lzma
import random
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from ..design import design
from ..job_file import read_job
from ..operation.maintenance.upkeep import upkeep
from ..papers.design_file import design_document, train_document

PACKED = Path(__file__).parent / "data" / "golden.json.xz"
AS_OF = "2026-11-24"
#: how far two numbers of six digits may lie apart and still be the same
SAME = 2e-6


def frozen() -> list[dict[str, Any]]:
    """Every golden job: its name, its document, and the design that was looked at."""
    found: list[dict[str, Any]] = json.loads(lzma.decompress(PACKED.read_bytes()))
    return found


def pack(rows: list[dict[str, Any]]) -> None:
    """Write the golden file anew."""
    text = json.dumps(rows, ensure_ascii=False, separators=(",", ":"))
    PACKED.write_bytes(lzma.compress(text.encode(), preset=9 | lzma.PRESET_EXTREME))


def worked(document: dict[str, Any]) -> dict[str, Any]:
    """The design document of a job as it comes out today, as plain JSON."""
    found: dict[str, Any] = json.loads(json.dumps(design_document(design(read_job(document)))))
    found.pop("engine")
    return found


#: what of a document stands on the train alone: no search of alternatives, repairs or tests, no wall, sheet or list
OF_THE_TRAIN = ("assumptions", "design_water", "taps", "needs", "demand", "train", "finished_water", "hydraulics", "findings", "upkeep")


def worked_train(document: dict[str, Any]) -> dict[str, Any]:
    """What of the design document of a job stands on its train alone, as it comes out today."""
    done = design(read_job(document))
    flows, system = done.duty.demand, done.facts.job.units
    found = {
        "assumptions": [{"path": note.path, "value": note.value, "why": note.why} for note in done.assumptions],
        "design_water": {name: state.as_json() for name, state in done.evidence.states.items()},
        "taps": {name: state.as_json() for name, state in done.evidence.taps.items()},
        "needs": [need.as_json() for need in done.needs],
        "demand": {"daily_use": flows.daily_use.as_json(), "peak_flow": flows.peak_flow.as_json(), "design_flow": flows.design_flow.as_json()},
        **train_document(done.chosen, system),
        "upkeep": [task.as_json() for task in upkeep(done.chosen)],
    }
    plain: dict[str, Any] = json.loads(json.dumps(found))
    return plain


def differences(was: Any, now: Any, path: str = "") -> Iterator[tuple[str, Any, Any]]:
    """Every place at which two documents differ: its path, what stood there, what stands there now."""
    if isinstance(was, dict) and isinstance(now, dict):
        for name in [*was, *(name for name in now if name not in was)]:
            yield from differences(was.get(name), now.get(name), f"{path}.{name}")
    elif isinstance(was, list) and isinstance(now, list):
        for i in range(max(len(was), len(now))):
            one, other = (each[i] if i < len(each) else None for each in (was, now))
            name = next((each["id"] for each in (one, other) if isinstance(each, dict) and "id" in each), str(i))
            yield from differences(one, other, f"{path}[{name}]")
    elif isinstance(was, (int, float)) and isinstance(now, (int, float)) and not isinstance(was, bool):
        if abs(was - now) > SAME * max(abs(was), abs(now)):
            yield path, was, now
    elif was != now:
        yield path, was, now


def wordless(found: Any) -> Any:
    """A document with its words taken out: figures, ids, units and their order stay. A list of nothing but sentences is one word."""
    if isinstance(found, dict):
        return {name: wordless(each) for name, each in found.items()}
    if isinstance(found, list):
        if found and all(isinstance(each, str) for each in found) and any(" " in each for each in found):
            return "…"
        return [wordless(each) for each in found]
    return "…" if isinstance(found, str) and (" " in found or found[:1].isupper()) else found


def demo_jobs() -> dict[str, dict[str, Any]]:
    """The jobs of the demo, on a fixed day."""
    folder = Path(__file__).resolve().parents[2] / "demo"
    return {path.name.removesuffix(".job.json"): {"as_of": AS_OF} | json.loads(path.read_text()) for path in sorted(folder.glob("*.job.json"))}


def varied_jobs(count: int = 60, seed: int = 1847) -> dict[str, dict[str, Any]]:
    """Jobs as different as can be: every source, school, wish and kind of treatment, trains given and trains to compose."""
    pick = random.Random(seed)
    return {f"varied-{number:02d}": _varied(pick, number) for number in range(count)}


def _varied(pick: random.Random, number: int) -> dict[str, Any]:
    source = pick.choice(["drilled_well", "drilled_well", "dug_well", "spring", "surface", "rain", "town", "town"])
    document: dict[str, Any] = {
        "format": "cairn-job/1", "as_of": AS_OF,
        "job": {"name": f"Varied {number}", "standard": pick.choice(["us", "us", "who", "ca", "eu", "uk", "au"]), "units": pick.choice(["us", "metric"])},
        "source": _source(pick, source), "samples": _samples(pick, source), "observations": pick.sample(OBSERVED, pick.randint(0, 3)),
        "building": _building(pick), "supply": _supply(pick), "site": _site(pick), "wishes": _wishes(pick), "schools": _schools(pick), "train": None,
    }  # fmt: skip
    if number % 2:
        document["train"] = _train(pick)
    return document


OBSERVED = [
    "orange_stains",
    "black_stains",
    "rotten_egg_cold",
    "blue_green_stains",
    "white_crust",
    "bleach_smell",
    "cloudy_after_rain",
    "grit",
    "slime",
    "salty_taste",
]


def _source(pick: random.Random, kind: str) -> dict[str, Any]:
    found: dict[str, Any] = {"kind": kind, "disinfectant": pick.choice(["chlorine", "chloramine"]) if kind == "town" else "none"}
    if kind == "rain":
        found["rain"] = {"roof_area": f"{pick.randint(60, 300)} m2", "monthly_rain": [f"{pick.randint(20, 140)} mm" for _ in range(12)]}
    if pick.random() < 0.2:
        found["last_event"] = pick.choice(["flood", "repair", "heavy_rain"])
    return found


def _samples(pick: random.Random, source: str) -> list[dict[str, Any]]:
    town, soft = source == "town", source in ("rain", "surface")
    iron = pick.choice([0.02, 0.1, 0.6, 1.8, 3.5, 8, 14])
    readings = {
        "hardness": f"{pick.uniform(0.5, 4) if soft else pick.uniform(2, 32):.1f} gpg", "ph": f"{pick.uniform(5.2, 8.4):.2f}",
        "alkalinity": f"{pick.uniform(10, 60) if soft else pick.uniform(25, 300):.0f} mg/L as CaCO3", "iron": f"{iron} mg/L",
        "manganese": f"{pick.choice([0.01, 0.01, 0.08, 0.3, 1.4])} mg/L", "turbidity": f"{pick.choice([0.2, 0.5, 1.5, 6, 18])} NTU",
        "nitrate": f"{pick.choice([0.5, 2, 6, 14, 22])} mg/L as N", "total_coliform": "absent" if town else pick.choice(["present", "absent"]),
    }  # fmt: skip
    extra = {
        "ferrous_iron": f"{iron * pick.uniform(0.2, 1):.2f} mg/L", "hydrogen_sulfide": f"{pick.choice([0.05, 0.6, 2, 6])} mg/L", "tannin": f"{pick.choice([0.2, 0.8, 2.5])} mg/L",
        "tss": f"{pick.choice([1, 6, 20])} mg/L", "uvt": f"{pick.choice([70, 82, 92])} %", "sodium": f"{pick.choice([8, 40, 220])} mg/L",
        "chloride": f"{pick.choice([9, 60, 420])} mg/L",
        "sulfate": f"{pick.choice([10, 90, 300])} mg/L", "arsenic": f"{pick.choice([2, 18])} ug/L", "lead": f"{pick.choice([1, 22])} ug/L",
        "copper": f"{pick.choice([0.2, 1.9])} mg/L",
        "iron_bacteria": "present", "methane": "14 mg/L", "radon": "5000 pCi/L", "conductivity": f"{pick.choice([180, 640, 2400])} uS/cm", "pfas": f"{pick.choice([3, 40])} ng/L",
        "trihalomethanes": f"{pick.choice([20, 110])} ug/L", "colour": f"{pick.choice([5, 30])} mg/L Pt-Co", "e_coli": pick.choice(["present", "absent"]),
        "protozoa": "present", "fluoride": "0.4 mg/L",
    }  # fmt: skip
    readings |= {name: extra[name] for name in pick.sample(sorted(extra), pick.randint(2, 9))}
    if town:
        readings |= {"free_chlorine": f"{pick.choice([0.2, 0.8, 1.6])} mg/L", "total_chlorine": f"{pick.choice([1.7, 2.6])} mg/L"}
    for name in pick.sample(["ph", "alkalinity", "manganese", "turbidity", "total_coliform", "iron"], pick.choice([0, 0, 1, 2])):
        readings.pop(name, None)
    found = [{"taken_on": "2026-05-04", "point": "raw", "method": pick.choice(["laboratory", "field"]), "readings": readings}]
    if pick.random() < 0.35:
        found.append(
            {
                "taken_on": "2026-09-11",
                "point": "raw",
                "method": "strip",
                "readings": {"hardness": "120..250 mg/L as CaCO3", "iron": "<0.3 mg/L", "nitrate": "1..5 mg/L as N"},
            }
        )
    if pick.random() < 0.3:
        found.append(
            {"taken_on": "2026-09-11", "point": "tap", "draw": "first", "method": "laboratory", "readings": {"lead": "6 ug/L", "copper": "0.9 mg/L"}}
        )
    return found


def _building(pick: random.Random) -> dict[str, Any]:
    found: dict[str, Any] = {"people": pick.randint(1, 9)}
    if pick.random() < 0.6:
        found["fixtures"] = {
            "wc": pick.randint(1, 4),
            "basin": pick.randint(1, 4),
            "shower": pick.randint(1, 3),
            "kitchen_sink": 1,
            "washer": 1,
            "hose_tap": pick.randint(0, 2),
        }
    else:
        found["bathrooms"] = pick.choice([1, 1.5, 2, 3, 4.5])
    if pick.random() < 0.15:
        found["events"] = [{"name": "washing down", "volume": "60 gal", "per_day": [4, 4, 4, 4, 6, 9, 0], "hours": ["08:00", "18:00"]}]
    if pick.random() < 0.5:
        found["top_fixture_height"] = f"{pick.choice([6, 12, 24])} ft"
    return found


def _supply(pick: random.Random) -> dict[str, Any]:
    low = pick.choice([20, 30, 40, 45, 60])
    found: dict[str, Any] = {
        "pressure_low": f"{low} psi",
        "pressure_high": f"{low + pick.choice([20, 30, 50])} psi",
        "temperature": f"{pick.choice([42, 50, 55, 64])} degF",
    }
    if pick.random() < 0.85:
        found["flow"] = f"{pick.uniform(2.5, 22):.1f} gpm"
    else:
        found["drawdown"] = {"drawn": "8 gal", "recovery": "75 s"}
    if pick.random() < 0.7:
        found["pipe"] = {
            "material": pick.choice(["copper", "pex_expansion", "pex_crimp", "cpvc", "pe"]),
            "size": pick.choice(["3/4 in", "1 in"]),
            "length": f"{pick.randint(15, 90)} ft",
        }
    if pick.random() < 0.2:
        found["night_pressure"] = f"{pick.choice([88, 112])} psi"
    if pick.random() < 0.2:
        found["pump"] = {"shut_off": "95 psi", "best_flow": "9 gpm", "best_pressure": "60 psi"}
    return found


def _site(pick: random.Random) -> dict[str, Any]:
    found: dict[str, Any] = {}
    if pick.random() < 0.5:
        found = {"ceiling": f"{pick.choice([6, 7, 8])} ft", "wall_width": f"{pick.choice([7, 12, 18])} ft", "wall_depth": "30 in"}
    if pick.random() < 0.6:
        found["drain"] = {"kind": pick.choice(["standpipe", "floor", "none"]), "distance": f"{pick.choice([8, 30])} ft", "lift": f"{pick.choice([0, 4, 10])} ft",
                          "bore": pick.choice(["1/2 in", "3/4 in"]), "air_gap": pick.choice(["1 in", "2 in"])}  # fmt: skip
    for name, share in (("outlet_protected", 0.3), ("frost_free", 0.3), ("in_sun", 0.1)):
        if pick.random() < share:
            found[name] = pick.random() < 0.6
    if pick.random() < 0.2:
        found["places"] = {"electrical_panel": {"x": "9 ft"}, "water_heater": {"x": "3 ft"}}
    return found


def _wishes(pick: random.Random) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name, share in (("low_sodium", 0.12), ("no_salt", 0.12), ("no_power", 0.1), ("high_purity", 0.06)):
        if pick.random() < share:
            found[name] = True
    if pick.random() < 0.5:
        found["soft_water"] = pick.random() < 0.8
    if pick.random() < 0.1:
        found["drinking_tap_only"] = ["nitrate"]
    if pick.random() < 0.1:
        found["target_ph"] = 7.5
    return found


def _schools(pick: random.Random) -> dict[str, Any]:
    offered = {
        "iron_compensation": ["x3", "x5"], "carbon_order": ["first", "after_softener"], "peak_flow": ["simultaneous", "bathrooms"], "regeneration": ["3_day", "7_day"],
        "hardness": ["scale_control", "citrate"], "disinfection": ["barrier", "chlorine"], "prefilter": ["single", "staged"], "ro_temperature": ["linear"],
    }  # fmt: skip
    return {name: pick.choice(options) for name, options in offered.items() if pick.random() < 0.14}


#: stages that a given train may hold; choices that make them what they are, and sizes that somebody fixed
GIVEN: tuple[dict[str, Any], ...] = (
    {"kind": "sediment", "micron": 5}, {"kind": "sediment", "form": "spin_down"}, {"kind": "sediment", "form": "dual_gradient", "micron": "5 um"},
    {"kind": "sediment", "form": "backwashing"},
    {"kind": "chemical_feed", "chemical": "chlorine"}, {"kind": "chemical_feed", "chemical": "soda_ash"}, {"kind": "chemical_feed", "chemical": "peroxide"},
    {"kind": "retention_tank", "volume": "120 gal"},
    {"kind": "aeration"}, {"kind": "neutralizer"}, {"kind": "neutralizer", "medium": "blend", "magnesia": "20 %"}, {"kind": "neutralizer", "flow": "up", "volume": "1.5 ft3"},
    {"kind": "oxidizing_filter", "medium": "air_charged"}, {"kind": "oxidizing_filter", "medium": "greensand"}, {"kind": "oxidizing_filter", "medium": "manganese_dioxide"},
    {"kind": "oxidizing_filter", "medium": "cartridge"}, {"kind": "oxidizing_filter", "medium": "coated_oxygen"}, {"kind": "carbon", "medium": "granular"},
    {"kind": "carbon", "medium": "catalytic"},
    {"kind": "carbon", "medium": "block"}, {"kind": "softener"}, {"kind": "softener", "volume": "1 ft3", "tank": "9x48", "hardness_setting": "12 gpg", "hour": "02:00"},
    {"kind": "softener", "twin": True, "salt_dose": "10 lb/ft3"}, {"kind": "softener", "regeneration": "timer", "every_days": 6}, {"kind": "anion_exchange", "target": "nitrate"},
    {"kind": "anion_exchange", "target": "tannin"}, {"kind": "scale_control"}, {"kind": "barrier_filter", "element": "ceramic"}, {"kind": "uv"},
    {"kind": "uv", "rated_flow": "8 gpm", "ports": "lit", "install": {"bypass": True, "orientation": "vertical", "pipe_out": {"material": "pex", "metal_length": "0 in"}}},
    {"kind": "reverse_osmosis", "scale": "point_of_use"}, {"kind": "reverse_osmosis", "scale": "whole_house"}, {"kind": "storage_tank", "volume": "2000 L"},
    {"kind": "booster_pump"},
    {"kind": "pressure_reducing_valve"}, {"kind": "pressure_tank"}, {"kind": "first_flush"}, {"kind": "in_tank_uv"},
)  # fmt: skip


def _train(pick: random.Random) -> list[dict[str, Any]]:
    return [json.loads(json.dumps(stage)) for stage in pick.sample(GIVEN, pick.randint(2, 7))]


def kinds_met(rows: list[dict[str, Any]]) -> set[str]:
    """Kinds of treatment that some golden design holds."""
    return {stage["kind"] for row in rows for stage in row["design"]["train"]}
