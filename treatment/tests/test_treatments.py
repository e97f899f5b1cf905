"""Each treatment by a worked example, the arithmetic beside it."""

from __future__ import annotations

import json
from math import exp
from pathlib import Path
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..chemistry.carbonate import Solution, blend_ratio, blend_to_ph, iron_oxidised, speciate, strip_to
from ..house import rain
from ..house.events import busiest_week, storage_for
from ..job_file import read_job
from ..language.tables import table
from ..treatments import ROOMS
from ..treatments.carbon import chloramine
from ..treatments.reverse_osmosis import output_at
from .example import HARD_ONLY, job, worked
from .fuzz import fuzz

CASES = json.loads((Path(__file__).parent / "data" / "chemistry.json").read_text())


def stage(*train: dict[str, Any], changes: dict[str, Any] | None = None, readings: dict[str, str | None] | None = None, at: int = -1):  # noqa: ANN201
    """The run of one stage of a train, the last unless said otherwise."""
    return worked(job(changes, readings=readings, train=list(train))).chosen.run.stages[at]


def figure(run: Any, name: str) -> float:
    return run.sizing.figures[name].value


TOWN = {"source": {"kind": "town", "disinfectant": "chlorine"}, "supply": {"flow": "10 gpm"}}


class Chemistry(TestCase):
    def solution(self, case: dict[str, Any]) -> Solution:
        i = case["input"]
        return Solution(
            i["temp_c"], i["alkalinity_mg_l_caco3"] / 50043.45, i["ca_hardness_mg_l_caco3"] / 100086.9, i["mg_hardness_mg_l_caco3"] / 100086.9,
            i["na_mg_l"] / 22989.77, i["cl_mg_l"] / 35453, i["so4_mg_l"] / 96060,
        )  # fmt: skip

    def test_blends_against_the_reference(self) -> None:
        """Calcite and magnesia to pH 7.5 and 8.2, at 20 and 40 % by mass: within 1 %."""
        for case in CASES["blend"]:
            water = self.solution(case)
            carbon = speciate(water, case["input"]["ph"]).carbon
            for name, share in (("blend_80_20", 0.2), ("blend_60_40", 0.4)):
                for ph, out in ((7.5, case["output"][name]["to_ph_7_5"]), (8.2, case["output"][name]["to_ph_8_2"])):
                    calcite = blend_to_ph(water, carbon, ph, share).amount * 100086.9
                    self.assertLess(abs(calcite / out["caco3_consumed_mg_l"] - 1), 0.01, case["id"])
                    self.assertLess(abs(calcite * share / (1 - share) / out["mgo_consumed_mg_l"] - 1), 0.01, case["id"])

    def test_stripping_against_the_reference(self) -> None:
        """pH after carbon dioxide is down to 10, 5 and 1 mg/L: within 0.02."""
        for case in CASES["aeration"]:
            for co2 in (10, 5, 1):
                ph = strip_to(self.solution(case), co2 / 44009.5).ph
                self.assertAlmostEqual(ph, case["output"][f"to_co2_{co2}_mg_l"]["ph"], delta=0.02)

    def test_moles_of_magnesia(self) -> None:
        """20 % by mass: (0.2 / 40.304) / (0.8 / 100.087) = 0.621 mol for each mol of calcite."""
        self.assertAlmostEqual(blend_ratio(0.2), 0.6208, places=3)

    @given(st.floats(6, 8), st.floats(2, 25), st.floats(0.5, 10), st.floats(1, 60))
    @fuzz(100)
    def test_iron_oxidises_faster_with_ph_oxygen_and_time(self, ph: float, temperature: float, oxygen: float, minutes: float) -> None:
        """A share between 0 and 1 that grows with each."""
        share = iron_oxidised(ph, temperature, oxygen, minutes)
        self.assertTrue(0 <= share <= 1)
        self.assertLessEqual(share, iron_oxidised(ph + 0.2, temperature, oxygen, minutes))
        self.assertLessEqual(share, iron_oxidised(ph, temperature, oxygen, minutes * 1.5))


class Feeds(TestCase):
    def test_chlorine_dose(self) -> None:
        """2.4 Fe, 0.1 Mn, 1 H2S: 0.64 x 2.4 + 1.3 x 0.1 + 2.2 x 1 + 0.5 = 4.366 mg/L; 240 gal (908 L) a day of 55 g/L: 0.0721 L."""
        run = stage({"kind": "chemical_feed", "chemical": "chlorine"}, readings={"manganese": "0.1 mg/L", "hydrogen_sulfide": "1 mg/L", "ph": "7"})
        self.assertAlmostEqual(figure(run, "dose"), 4.366, places=3)
        self.assertAlmostEqual(figure(run, "feed_rate"), 4.366 * 908.5 / 1000 / 55, places=4)
        self.assertAlmostEqual(run.water_out.value("free_chlorine"), 0.5)
        self.assertAlmostEqual(run.water_out.value("ferric_iron"), 2.4)
        self.assertEqual(run.water_out.value("hydrogen_sulfide"), 0)
        # 2.4 x 1.792 = 4.3 mg/L of alkalinity eaten
        self.assertAlmostEqual(run.water_out.value("alkalinity"), 40 - 4.3, places=1)

    def test_oxidation_stops_where_the_alkalinity_is_spent(self) -> None:
        """5 mg/L of alkalinity take the acid of 5/1.792 = 2.79 mg/L of iron; 3 - 2.79 = 0.21 mg/L stay dissolved, at a pH near 5."""
        run = stage(
            {"kind": "chemical_feed", "chemical": "chlorine"},
            readings={"iron": "3 mg/L", "ferrous_iron": "3 mg/L", "ph": "8", "alkalinity": "5 mg/L as CaCO3"},
        )
        self.assertAlmostEqual(run.water_out.value("ferric_iron"), 5 / 1.792, places=3)
        self.assertAlmostEqual(run.water_out.value("ferrous_iron"), 3 - 5 / 1.792, places=3)
        self.assertAlmostEqual(run.water_out.value("alkalinity"), 0)
        self.assertTrue(4.5 < run.water_out.ph < 5.6, run.water_out.ph)

    def test_air_rusts_iron_at_the_ph_that_the_rusting_leaves(self) -> None:
        """In a mixed tank the share rusted is the rate law's at the pH leaving it; counted at the pH coming in it would be more."""
        run = stage({"kind": "aeration"}, readings={"iron": "3 mg/L", "ferrous_iron": "3 mg/L", "ph": "8", "alkalinity": "5 mg/L as CaCO3"})
        after, minutes = run.water_out, table("stages")["aeration"]["detention_min"]
        share = after.value("ferric_iron") / 3
        self.assertAlmostEqual(share, iron_oxidised(after.ph, after.temperature, after.value("dissolved_oxygen"), minutes), delta=0.02)
        self.assertLess(share, 0.6 * iron_oxidised(run.water_in.ph, after.temperature, after.value("dissolved_oxygen"), minutes))
        self.assertAlmostEqual(5 - after.value("alkalinity"), 1.792 * after.value("ferric_iron"), places=3)

    def test_half_the_dose_oxidises_half(self) -> None:
        """1.536 mg/L are asked for 2.4 mg/L of iron; 0.768 leave 1.2 dissolved, and no residual."""
        run = stage({"kind": "chemical_feed", "chemical": "chlorine", "dose": "0.768 mg/L"}, readings={"manganese": "0 mg/L", "ph": "7"})
        self.assertAlmostEqual(run.water_out.value("ferrous_iron"), 1.2, places=3)
        self.assertEqual(run.water_out.value("free_chlorine"), 0)

    def test_soda_ash_and_its_sodium(self) -> None:
        """The pH reached is the target; sodium is 2 x 22.99 / 105.99 = 0.4338 of the dose."""
        run = stage({"kind": "chemical_feed", "chemical": "soda_ash", "target_ph": 7.5})
        self.assertAlmostEqual(run.water_out.ph, 7.5, places=2)
        self.assertAlmostEqual(figure(run, "sodium_added") / figure(run, "dose"), 0.4338, places=3)
        self.assertAlmostEqual(run.water_out.hardness, run.water_in.hardness)

    def test_caustic_takes_less_than_soda_ash(self) -> None:
        """A gram of caustic brings an equivalent for 40 g, of soda ash for 53 g, and carries no carbonate."""
        doses = [figure(stage({"kind": "chemical_feed", "chemical": name}), "dose") for name in ("caustic", "soda_ash")]
        self.assertLess(doses[0], doses[1])

    def test_peroxide_leaves_no_residual(self) -> None:
        """A quarter more than 0.305 x 2.4 + 0.62 x 0.04 = 0.757: 0.946 mg/L."""
        run = stage({"kind": "chemical_feed", "chemical": "peroxide"}, readings={"ph": "7"})
        self.assertAlmostEqual(figure(run, "dose"), 1.25 * (0.305 * 2.4 + 0.62 * 0.04), places=3)
        self.assertEqual(run.water_out.value("free_chlorine"), 0)

    def test_contact_and_ct(self) -> None:
        """120 gal (454.2 L) at 7 gpm (26.5 L/min): 17.1 min, 5.1 effective; 0.5 mg/L: CT 2.57. At 52 degF (11.1 degC) 4 log of viruses ask 6 - 2 x 1.11 / 5 = 5.56."""
        run = stage({"kind": "chemical_feed", "chemical": "chlorine"}, {"kind": "retention_tank", "volume": "120 gal"}, readings={"ph": "7"})
        self.assertAlmostEqual(figure(run, "contact_time"), 454.25 / 26.498, places=2)
        self.assertAlmostEqual(figure(run, "effective_contact_time"), 454.25 / 26.498 * 0.3, places=2)
        self.assertAlmostEqual(figure(run, "ct"), 454.25 / 26.498 * 0.3 * 0.5, places=2)
        self.assertAlmostEqual(figure(run, "ct_needed"), 6 - 2 * (11.111 - 10) / 5, places=2)
        self.assertEqual(run.water_out.value("total_coliform"), 1.0)

    def test_enough_ct_disinfects(self) -> None:
        """160 gal and 1 mg/L: 22.9 x 0.3 x 1 = 6.9, above 5.6."""
        run = stage(
            {"kind": "chemical_feed", "chemical": "chlorine", "residual": "1 mg/L"},
            {"kind": "retention_tank", "volume": "160 gal"},
            readings={"ph": "7"},
        )
        self.assertEqual(run.water_out.value("total_coliform"), 0.0)

    def test_aeration_lifts_ph_and_brings_oxygen(self) -> None:
        """Alkalinity stays until iron rusts; carbon dioxide falls to 5 mg/L; at pH 7 some iron turns."""
        run = stage({"kind": "aeration"}, readings={"iron": "0.05 mg/L", "ferrous_iron": "0.05 mg/L", "methane": "8 mg/L"})
        self.assertAlmostEqual(run.water_out.carbon_dioxide, 5.0, delta=0.2)
        self.assertGreater(run.water_out.ph, run.water_in.ph + 0.5)
        self.assertAlmostEqual(run.water_out.value("methane"), 0.8)
        self.assertEqual(run.water_out.value("dissolved_oxygen"), 9.0)


class Carbon(TestCase):
    def test_contact(self) -> None:
        """2 ft3 (56.63 L) at 10 gpm (37.85 L/min): 1.496 min = 7.48 x 2 / 10."""
        run = stage({"kind": "carbon", "volume": "2 ft3", "tank": "12x52"}, changes=TOWN, readings=HARD_ONLY | {"free_chlorine": "1 mg/L"})
        flow = run.sizing.figures["contact_time"].working[0].values["flow"][0]
        self.assertAlmostEqual(figure(run, "contact_time"), 56.634 / flow, places=3)

    def test_chlorine_falls_first_order(self) -> None:
        """At the contact asked 2 % is left; at half of it the root, 14 %."""
        full = stage({"kind": "carbon"}, changes=TOWN, readings=HARD_ONLY | {"free_chlorine": "1 mg/L"})
        share = min(figure(full, "contact_time") / 1.5, 2.0)
        self.assertAlmostEqual(full.water_out.value("free_chlorine"), 0.02**share, places=4)

    def test_chloramine_wants_catalytic_carbon(self) -> None:
        """3 min on catalytic, 10 on granular: from one vessel of 2 ft3 at 10 gpm far less is left by the first."""
        water = HARD_ONLY | {"free_chlorine": "0.1 mg/L", "total_chlorine": "2.1 mg/L"}
        left = [
            chloramine(stage({"kind": "carbon", "medium": medium, "volume": "2 ft3", "tank": "12x52"}, changes=TOWN, readings=water).water_out)
            for medium in ("catalytic", "granular")
        ]
        self.assertLess(left[0], left[1] / 2)

    def test_life_by_chlorine(self) -> None:
        """2 ft3 of granular carbon weigh 27.2 kg and take 27.2 kg of chlorine; 2 mg/L x 908 L/day is 0.66 kg a year: capped at 60 months."""
        run = stage({"kind": "carbon", "volume": "2 ft3", "tank": "12x52"}, changes=TOWN, readings=HARD_ONLY | {"free_chlorine": "2 mg/L"})
        self.assertEqual(figure(run, "replacement_interval"), 60)


class ChlorineOnIronMedia(TestCase):
    def test_air_charged_media_ask_for_the_maker_greensand_does_not(self) -> None:
        """1 mg/L of free chlorine is a caution on an air-charged bed, a fault on an oxygen-fed one, welcome on greensand."""
        water = {"free_chlorine": "1 mg/L", "total_chlorine": "1 mg/L", "ph": "7.4"}
        said = {}
        for medium in ("air_charged", "coated_oxygen", "greensand"):
            found = worked(job(readings=water, train=[{"kind": "oxidizing_filter", "medium": medium}])).chosen.findings
            said[medium] = next((each.severity for each in found if each.rule == "feed-limit/oxidizing_filter/free_chlorine"), "")
        self.assertEqual(said, {"air_charged": "caution", "coated_oxygen": "fault", "greensand": ""})


class CarbonBlocks(TestCase):
    WATER = HARD_ONLY | {"free_chlorine": "1 mg/L", "turbidity": "0.8 NTU"}

    def test_a_block_at_the_drinking_tap(self) -> None:
        """A 10x2.5 block holds 0.6 L; a tap draws 3.8 L/min: 0.158 min, which counts six times for its fine grain against the 1.5 min asked."""
        run = stage(
            {"kind": "carbon", "medium": "block", "housing": "10x2.5", "install": {"branch": "drinking_tap"}}, changes=TOWN, readings=self.WATER
        )
        self.assertEqual(run.name, "Carbon block")
        self.assertAlmostEqual(figure(run, "contact_time"), 0.6 / 3.8, places=4)
        self.assertAlmostEqual(run.water_out.value("free_chlorine"), 0.02 ** (0.6 / 3.8 * 6 / 1.5), places=4)
        self.assertAlmostEqual(run.water_out.value("turbidity"), 0.8 * 0.15, places=4)

    def test_a_block_for_the_house_is_the_smallest_that_passes_the_flow(self) -> None:
        """40 % of a housing's flow: 20 gpm x 0.4 = 8 gpm; 4 gpm take a 10x4.5 of 10 x 0.4 = 4 gpm, 7 gpm a 20x4.5."""
        for gpm, housing in (("3.9", "10x4.5"), ("7", "20x4.5"), ("60", "20x4.5")):
            run = stage(
                {"kind": "carbon", "medium": "block"}, changes={"supply": {"flow": f"{gpm} gpm"}, "source": {"kind": "town"}}, readings=self.WATER
            )
            self.assertEqual(run.sizing.params["housing"], housing, gpm)
        self.assertGreater(run.loss_dirty, run.loss_clean)

    def test_a_block_is_changed_by_time_where_chlorine_is_little(self) -> None:
        """Six months at most."""
        run = stage({"kind": "carbon", "medium": "block", "housing": "20x4.5"}, changes=TOWN, readings=self.WATER | {"free_chlorine": "0.05 mg/L"})
        self.assertEqual(figure(run, "replacement_interval"), 6)

    def test_a_block_is_no_backwashing_bed(self) -> None:
        """No drain, no backwash, no vessel."""
        run = stage({"kind": "carbon", "medium": "block"}, changes=TOWN, readings=self.WATER)
        self.assertNotIn("backwash_flow", run.sizing.figures)
        self.assertIsNone(run.sizing.bed)
        self.assertEqual(run.room.micron(run.keys, run.sizing), 5)


class Membranes(TestCase):
    def test_power_of_a_house_unit(self) -> None:
        """1440 L/day at 50 % draw 2 L/min; lifted by 1000 kPa that is 2 x 1000 / 60 = 33.3 W in the water, 55.6 W at 60 %."""
        run = stage({"kind": "reverse_osmosis", "scale": "whole_house", "rated": "1440 L/day", "recovery": 0.5}, readings=HARD_ONLY)
        self.assertAlmostEqual(figure(run, "feed_flow"), 2, places=4)
        self.assertAlmostEqual(figure(run, "power"), 2 * 1000 / 60 / 0.6, places=2)

    def test_a_membrane_at_the_tap_wants_pressure(self) -> None:
        """40 psi at least on average: 20 to 40 psi is too little, 30 to 50 just enough; a pump ahead or an unknown pressure accuses nobody."""
        tap: list[dict[str, Any]] = [{"kind": "reverse_osmosis", "scale": "point_of_use"}]
        for supply, train, speaks in (
            ({"pressure_low": "20 psi", "pressure_high": "40 psi"}, tap, True),
            ({"pressure_low": "30 psi", "pressure_high": "50 psi"}, tap, False),
            ({"pressure_low": "20 psi", "pressure_high": "40 psi"}, [{"kind": "booster_pump"}, *tap], False),
            ({"pressure_low": None, "pressure_high": None}, tap, False),
        ):
            found = worked(job({"supply": supply}, readings=HARD_ONLY, train=train)).chosen.findings
            self.assertEqual("ro-feed" in {finding.rule for finding in found}, speaks, (supply, train))

    def test_temperature_factor(self) -> None:
        """exp(2640 x (1/298 - 1/283)) = 0.625 at 10 degC; the linear school says 50 / 77 = 0.649."""
        self.assertAlmostEqual(output_at(10, "exponential").value, exp(2640 * (1 / 298 - 1 / 283)), places=6)
        self.assertAlmostEqual(output_at(10, "linear").value, 50 / 77, places=4)

    def test_at_the_tap(self) -> None:
        """4 people x 3.5 L = 14 L/day; at 11.1 degC (0.645) rated 21.7 L/day; the house water is not touched."""
        design = worked(job(readings=HARD_ONLY | {"nitrate": "14 mg/L as N"}, train=[{"kind": "reverse_osmosis"}]))
        run = design.chosen.run.stages[0]
        self.assertAlmostEqual(figure(run, "permeate_required"), 14.0)
        self.assertAlmostEqual(figure(run, "rated_required"), 14 / output_at(100 / 9, "exponential").value, places=2)
        self.assertAlmostEqual(design.chosen.run.tap.value("nitrate"), 14 * 0.12)
        self.assertAlmostEqual(design.chosen.run.finished.value("nitrate"), 14.0)
        self.assertNotIn("health/nitrate", {finding.rule for finding in design.chosen.findings})
        self.assertIn("nitrate-infants", {finding.rule for finding in design.chosen.findings})

    def test_permeate_is_soft_and_more_acid(self) -> None:
        """Carbon dioxide passes, bicarbonate does not: about one unit lower."""
        run = stage({"kind": "reverse_osmosis", "scale": "whole_house"}, readings=HARD_ONLY | {"hardness": "80 mg/L as CaCO3"})
        self.assertTrue(0.7 < run.water_in.ph - run.water_out.ph < 1.6)
        self.assertLess(run.water_out.hardness, 2)

    def test_reject(self) -> None:
        """400 gal/day at 50 % recovery send 400 to drain; at 75 % 133."""
        runs = [
            stage({"kind": "reverse_osmosis", "scale": "whole_house", "rated": "400 gal/day", "recovery": share}, readings=HARD_ONLY)
            for share in (0.5, 0.75)
        ]
        self.assertAlmostEqual(figure(runs[0], "reject_flow"), 1514.16, places=1)
        self.assertAlmostEqual(figure(runs[1], "reject_flow"), 504.7, places=1)

    def test_busy_days_need_more_storage_than_subtraction_says(self) -> None:
        """1000 L from 8 to 18 on three days running, made at 700 L/day: each day the tank ends 300 L lower than it began, and is not full by morning."""
        document = job(
            {
                "building": {
                    "people": 0,
                    "events": [{"name": "wash", "volume": "1000 L", "per_day": [1, 1, 1, 0, 0, 0, 0], "hours": ["08:00", "18:00"]}],
                }
            }
        )
        week = busiest_week(read_job(document).facts, 1000.0)
        self.assertAlmostEqual(sum(week), 3000)
        one = storage_for(tuple(100.0 if 8 <= hour < 18 else 0.0 for hour in range(24)) + (0.0,) * 144, 700 / 24, 1.0)
        three = storage_for(week, 700 / 24, 1.0)
        self.assertAlmostEqual(one, 10 * (100 - 700 / 24), places=6)
        self.assertAlmostEqual(three, one + 2 * 300, places=6)

    @given(st.lists(st.floats(0, 50), min_size=24, max_size=24), st.floats(1, 60))
    @fuzz(100)
    def test_more_production_never_needs_more_storage(self, day: list[float], hourly: float) -> None:
        """A larger membrane, a smaller tank."""
        self.assertGreaterEqual(storage_for(tuple(day * 7), hourly, 0.8), storage_for(tuple(day * 7), hourly * 1.2, 0.8) - 1e-9)


class Rain(TestCase):
    def record(self, depth: float = 0.08) -> rain.Record:
        facts = read_job(
            job(
                {
                    "source": {
                        "kind": "rain",
                        "rain": {"roof_area": "100 m2", "runoff": 0.9, "first_flush": "40 L", "monthly_rain": [f"{depth} m"] * 12},
                    }
                }
            )
        ).facts
        found = rain.record(facts)
        assert found is not None
        return found

    def test_catch(self) -> None:
        """12 x 80 mm on 100 m2 at 0.9: 0.96 x 100 x 0.9 x 1000 = 86 400 L a year."""
        self.assertAlmostEqual(rain.balance(self.record(), 100, 5000).caught, 86400, places=0)

    def test_use_beyond_the_catch_cannot_be_served(self) -> None:
        """86 400 L a year less the first flush are below 400 L a day; 100 L a day are served from a large tank."""
        self.assertLess(rain.balance(self.record(), 400, 30000).reliability, 0.7)
        self.assertEqual(rain.balance(self.record(), 100, 10000).reliability, 1.0)

    @given(st.floats(20, 500), st.sampled_from([500.0, 2000.0, 8000.0]))
    @fuzz(30)
    def test_a_larger_tank_serves_no_fewer_days(self, daily: float, tank: float) -> None:
        """Reliability rises with the tank and falls with the use."""
        record = self.record()
        self.assertLessEqual(rain.balance(record, daily, tank).served, rain.balance(record, daily, tank * 2).served)
        self.assertLessEqual(rain.balance(record, daily * 1.3, tank).served, rain.balance(record, daily, tank).served)

    def test_first_flush(self) -> None:
        """1 gal for 100 ft2: 1000 ft2 of roof divert 10 gal (37.85 L)."""
        run = stage({"kind": "first_flush"}, changes={"source": {"kind": "rain", "rain": {"roof_area": "1000 ft2"}}}, readings=HARD_ONLY)
        self.assertAlmostEqual(figure(run, "first_flush_volume"), 37.854, places=2)


class Others(TestCase):
    def test_blend_adds_magnesium(self) -> None:
        """The blend brings acid water to its target, part of the hardness as magnesium: 100.09 / 40.30 for each mg of magnesia."""
        run = stage(
            {"kind": "neutralizer", "medium": "blend", "magnesia": 0.25, "target_ph": 7.2},
            readings={"ph": "5.6", "iron": "0.1 mg/L", "ferrous_iron": "0.1 mg/L"},
        )
        self.assertAlmostEqual(run.water_out.ph, 7.2, places=2)
        calcite, magnesia = figure(run, "calcite_dissolved"), figure(run, "magnesia_dissolved")
        self.assertAlmostEqual(magnesia, calcite / 3, places=3)
        self.assertAlmostEqual(figure(run, "hardness_added"), calcite + magnesia * 100.0869 / 40.304, places=1)

    def test_nitrate_exchange(self) -> None:
        """14 mg/L as N is 1 meq/L, sulfate 48 is 1 meq/L of which a quarter counts: 1.25 meq/L x 908 L (227 L each) = 1.135 eq a day."""
        run = stage(
            {"kind": "anion_exchange", "target": "nitrate", "volume": "2 ft3", "tank": "12x52"},
            readings=HARD_ONLY | {"hardness": "50 mg/L as CaCO3", "nitrate": "14.0067 mg/L as N", "sulfate": "48.03 mg/L"},
        )
        self.assertAlmostEqual(figure(run, "days_between_regenerations"), (56.634 * 0.35 - 1.135) / 1.135, places=2)
        self.assertAlmostEqual(run.water_out.value("nitrate"), 1.40067, places=4)
        # chloride rises by 35.45 x (0.9 + 0.25) meq
        self.assertAlmostEqual(run.water_out.value("chloride") - run.water_in.value("chloride"), 35.453 * (0.9 + 0.25), places=1)

    def test_greensand_by_permanganate(self) -> None:
        """5 Fe and 0.5 Mn: 6 mg/L of demand; 1 ft3 holds 10 000 mg/L x gal: 10 000 / (6 x 240) = 6.9 days."""
        run = stage(
            {"kind": "oxidizing_filter", "medium": "greensand", "volume": "1 ft3", "tank": "9x48"},
            readings={"iron": "5 mg/L", "ferrous_iron": "5 mg/L", "manganese": "0.5 mg/L", "ph": "7.2"},
        )
        self.assertAlmostEqual(figure(run, "oxidant_demand"), 6.0)
        self.assertAlmostEqual(figure(run, "days_between_regenerations"), 10000 / (6 * 240), places=2)

    def test_scale_control_changes_no_reading(self) -> None:
        """Hardness stays what it was."""
        run = stage({"kind": "scale_control"}, readings=HARD_ONLY)
        self.assertEqual(run.water_out.hardness, run.water_in.hardness)

    def test_pressure_is_broken_restored_and_held(self) -> None:
        """A vented tank leaves none; the pump gives 50 psi (345 kPa); a valve set to 40 psi holds 36 at flow; each less the pipe behind it."""
        chosen = worked(
            job(readings=HARD_ONLY, train=[{"kind": "storage_tank"}, {"kind": "booster_pump"}, {"kind": "pressure_reducing_valve", "set": "40 psi"}])
        ).chosen
        after, duty = {point.at: point.clean for point in chosen.pressure.points}, chosen.audit.duty
        behind = [stretch.loss(duty.supply.pipe, duty.flow, chosen.run.raw.temperature) for stretch in chosen.audit.piping.behind]
        self.assertEqual(after["storage_tank"], 0)
        self.assertAlmostEqual(after["booster_pump"], 345 - behind[1])
        self.assertAlmostEqual(after["pressure_reducing_valve"], 0.9 * 275.79 - behind[2], places=1)

    def test_barrier_elements(self) -> None:
        """7 gpm through modules of 8: one; through candles of 0.5: fourteen. Bacteria are held."""
        for element, count in (("ultrafiltration", 1), ("ceramic", 14)):
            run = stage({"kind": "barrier_filter", "element": element}, readings={"turbidity": "0.2 NTU"})
            self.assertEqual(figure(run, "elements"), count)
            self.assertEqual(run.water_out.value("total_coliform"), 0)

    def test_forms_of_sediment_filter(self) -> None:
        """A flushed screen takes sand only; a bed is washed and never changed; a dual-gradient holds 1.6 times the dirt."""
        dirty = HARD_ONLY | {"turbidity": "10 NTU"}
        screen, bed, dual, plain = (
            stage({"kind": "sediment", "form": form, "micron": micron, **more}, readings=dirty)
            for form, micron, more in (
                ("spin_down", 150, {}),
                ("backwashing", 5, {}),
                ("dual_gradient", 5, {"housing": "20x4.5"}),
                ("cartridge", 5, {"housing": "20x4.5"}),
            )
        )
        self.assertAlmostEqual(screen.water_out.value("turbidity"), 8.0)
        self.assertIn("backwash_flow", bed.sizing.figures)
        self.assertAlmostEqual(figure(dual, "replacement_interval") / figure(plain, "replacement_interval"), 1.6, places=3)

    def test_runners_up_say_why_not(self) -> None:
        """7 gpm of calcite in 2 × 10x54: one vessel wide enough for 7 gpm (0.7 ft2 at 10, a 12 in tank of 0.785) needs 10 x 0.785 x cold = 7.6 gpm to wash, the pump gives 7."""
        design = worked(job())
        run = design.proposal.run.stages[0]
        said = run.why_this_vessel()
        self.assertEqual(run.sizing.bed.vessels, 2)
        self.assertTrue(any(line.startswith("12x52") and "to backwash, only 7.0 gpm is available" in line for line in said), said)
        self.assertEqual(stage({"kind": "neutralizer", "tank": "12x52"}).why_this_vessel(), [])

    def test_every_kind_runs_on_every_kind_of_water(self) -> None:
        """No treatment fails on acid, salty, iron-rich, rain or town water; all give figures and a purpose."""
        waters: list[dict[str, str | None]] = [
            {}, HARD_ONLY, {"ph": "4.6", "alkalinity": "2 mg/L as CaCO3"}, {"iron": "25 mg/L", "hydrogen_sulfide": "8 mg/L"},
            HARD_ONLY | {"tds": "6000 mg/L", "sodium": "1800 mg/L", "chloride": "3000 mg/L"}, {"hardness": "2 mg/L as CaCO3", "alkalinity": "1 mg/L as CaCO3", "ph": "5.8"},
        ]  # fmt: skip
        for kind, room in ROOMS.items():
            for water in waters:
                with self.subTest(f"{kind} {water}"):
                    run = stage({"kind": kind}, readings=water)
                    self.assertTrue(run.sizing.figures and room.does(run.water_in, run.water_out))
                    self.assertTrue(4 < run.water_out.ph < 11)
