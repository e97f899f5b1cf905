"""Hand-worked sizing: the arithmetic stands in each test."""

from __future__ import annotations

import math
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..house.beds import FT3, Bed, cold_factor, medium
from ..train.treatment import StageRun
from ..treatments.softener import capacity_per_litre
from ..treatments.uv import light_through
from .example import HARD_ONLY, job, worked
from .fuzz import fuzz

GPM, GPG, LB, GRAIN = 3.785411784, 17.118061, 0.45359237, 0.06479891


def stage(document: dict[str, Any], kind: str) -> StageRun:
    return next(stage for stage in worked(document).chosen.run.stages if stage.kind == kind)


def figures(document: dict[str, Any], kind: str) -> dict[str, float]:
    return {name: figure.value for name, figure in stage(document, kind).sizing.figures.items()}


class DemandByHand(TestCase):
    def test_daily_use_and_peak(self) -> None:
        """4 people x 227 L; fixtures 3 x 2.2 + 3 x 0.7 + 2 x 1.4 + 4 x 1.4 = 17.1 units -> 17.5 + 2.1 x 2.1/5 = 18.38 gpm."""
        flows = worked(job()).duty.demand
        self.assertAlmostEqual(flows.daily_use.value, 908.0)
        units = 3 * 2.2 + 3 * 0.7 + 2 * 1.4 + 4 * 1.4
        gpm = 17.5 + (19.6 - 17.5) * (units - 15) / 5
        self.assertAlmostEqual(flows.peak_flow.value, gpm * GPM, places=3)
        self.assertAlmostEqual(flows.design_flow.value, 7 * GPM, places=6)
        self.assertAlmostEqual(flows.passable.value, gpm * GPM, places=3)

    def test_bathrooms_school_and_drawdown(self) -> None:
        """2.5 bathrooms lie halfway between 10 and 13 gpm; 8 gal restored in 96 s are 5 gpm."""
        document = job(
            {
                "building": {"bathrooms": 2.5},
                "schools": {"peak_flow": "bathrooms"},
                "supply": {"flow": None, "drawdown": {"drawn": "8 gal", "recovery": "96 s"}},
            }
        )
        flows = worked(document).duty.demand
        self.assertAlmostEqual(flows.peak_flow.value, 11.5 * GPM, places=6)
        self.assertAlmostEqual(flows.supply_flow, 5 * GPM, places=6)

    def test_outdoor_taps_do_not_count_when_spared(self) -> None:
        """Two hose taps add 5 units only where they are treated."""
        fixtures = {"fixtures": {"wc": 2, "hose_tap": 2}}
        spared = worked(job({"building": fixtures})).duty.demand.peak_flow.value
        treated = worked(job({"building": fixtures, "wishes": {"spare_outdoor_taps": False}})).duty.demand.peak_flow.value
        self.assertAlmostEqual(spared, (8.0 + 1.4 * 0.4) * GPM, places=3)
        self.assertAlmostEqual(treated, (12.8 + 0.9 * (9.4 - 8)) * GPM, places=3)


class SoftenerByHand(TestCase):
    train = [{"kind": "softener", "volume": "1.5 ft3", "tank": "10x54", "salt_dose": "8 lb/ft3"}]
    document = job(
        {"building": {"use_per_person": "60 gal"}},
        readings=HARD_ONLY | {"iron": "1 mg/L", "ferrous_iron": "1 mg/L", "manganese": "0.2 mg/L", "hardness": "20 gpg"},
        train=train,
    )

    def test_load_capacity_and_interval(self) -> None:
        """20 + 4 x 1 + 8 x 0.2 = 25.6 gpg; x 240 gal = 6144 grains a day; 1.5 ft3 x 24 000 = 36 000; (36 000 - 6144) / 6144 = 4.859 days."""
        f = figures(self.document, "softener")
        self.assertAlmostEqual(f["compensated_hardness"] / GPG, 25.6, places=3)
        self.assertAlmostEqual(f["daily_load"] / GRAIN, 6144, delta=2)
        self.assertAlmostEqual(f["capacity"] / GRAIN, 36000, delta=2)
        self.assertAlmostEqual(f["days_between_regenerations"], 4.859, places=2)
        self.assertAlmostEqual(f["regeneration_interval"], 4.0)
        self.assertAlmostEqual(f["hardness_setting"] / GPG, 26.0, places=4)

    def test_salt_sodium_and_refill(self) -> None:
        """12 lb a time; with iron every 4 days 12 x 365 / 4 = 1095 lb a year; 12 / 3 = 4 gal at 0.5 gpm is 8 min; 0.4594 x (342.4 - what stays) mg/L sodium."""
        f = figures(self.document, "softener")
        self.assertAlmostEqual(f["salt_per_regeneration"] / LB, 12.0, places=3)
        self.assertAlmostEqual(f["salt_per_year"] / LB, 1095.0, delta=0.5)
        self.assertAlmostEqual(f["refill_time"], 8.0, places=2)
        self.assertAlmostEqual(f["sodium_added"], 0.4594 * (20 * GPG - f["leakage"]), delta=0.1)
        self.assertAlmostEqual(f["salt_efficiency"], 3000, delta=1)

    def test_service_limit_is_the_smaller_of_volume_and_area(self) -> None:
        """1.5 ft3 x 5 = 7.5 gpm by volume; 10 gpm/ft2 x 0.5454 ft2 = 5.454 gpm by area."""
        self.assertAlmostEqual(figures(self.document, "softener")["service_flow_limit"] / GPM, 10 * math.pi * (10 / 24) ** 2, places=3)

    def test_twin_keeps_no_reserve(self) -> None:
        """Twin tanks: 36 000 / 6144 = 5.859 days."""
        document = job(
            {"building": {"use_per_person": "60 gal"}},
            readings=HARD_ONLY | {"iron": "1 mg/L", "ferrous_iron": "1 mg/L", "manganese": "0.2 mg/L", "hardness": "20 gpg"},
            train=[{**self.train[0], "twin": True}],
        )
        self.assertAlmostEqual(figures(document, "softener")["days_between_regenerations"], 5.859, places=2)

    def test_schools_of_iron_compensation(self) -> None:
        """3, 4 or 5 grains per mg/L of iron, or a fixed adder of 5 grains."""
        for school, grains in [("x3", 24.6), ("x4", 25.6), ("x5", 26.6)]:
            document = job(
                {"schools": {"iron_compensation": school}},
                readings=HARD_ONLY | {"iron": "1 mg/L", "ferrous_iron": "1 mg/L", "manganese": "0.2 mg/L", "hardness": "20 gpg"},
                train=self.train,
            )
            self.assertAlmostEqual(figures(document, "softener")["compensated_hardness"] / GPG, grains, places=3)
        document = job(
            {"schools": {"iron_compensation": "fixed", "iron_adder": "5 gpg"}}, readings=HARD_ONLY | {"hardness": "20 gpg"}, train=self.train
        )
        self.assertAlmostEqual(figures(document, "softener")["compensated_hardness"] / GPG, 25.0, places=3)

    def test_capacity_by_salt_dose(self) -> None:
        """The published points, and halfway between 8 and 10 lb: 25 500 grains per cubic foot."""
        for lb, grains in [(4, 16000), (6, 20000), (8, 24000), (9, 25500), (10, 27000), (15, 30000)]:
            self.assertAlmostEqual(capacity_per_litre(lb * 16.0184634) * FT3 / GRAIN, grains, delta=1)


class NeutralizerByHand(TestCase):
    def test_hardness_added_is_what_dissolves_and_goes_to_the_softener(self) -> None:
        """What calcite dissolves at a tap that runs alone arrives as hardness at the softener, which is sized on it, not on the raw water;
        alkalinity and pH are those of design flow."""
        run = worked(job()).chosen.run
        neutralizer, softener = (next(s for s in run.stages if s.kind == kind) for kind in ("neutralizer", "softener"))
        added = neutralizer.sizing.figures["hardness_added"].value
        self.assertAlmostEqual(added, neutralizer.sizing.figures["calcite_dissolved"].value)
        self.assertAlmostEqual(softener.water_in.hardness, 14 * GPG + added, places=3)
        self.assertGreater(softener.sizing.figures["compensated_hardness"].value, 14 * GPG + added - 1)
        peak = neutralizer.sizing.figures["calcite_dissolved_at_peak"].value
        self.assertLess(peak, added)
        self.assertLessEqual(neutralizer.water_out.hardness, neutralizer.sizing.figures["hardness_ceiling"].value + 1e-6)
        self.assertAlmostEqual(neutralizer.water_out.value("alkalinity"), 40 + peak, places=3)

    def test_consumption_and_refill(self) -> None:
        """kg a year = dissolved x 908 L x 365; refill when a third of the bed is gone."""
        f = figures(job(), "neutralizer")
        kg = f["calcite_dissolved"] * 908 * 365 / 1e6
        self.assertAlmostEqual(f["media_per_year"], kg, places=3)
        self.assertAlmostEqual(f["refill_interval"], f["media_volume"] * 90 * 0.016018463 * 0.333 / (kg / 12), places=2)

    @given(st.floats(5.6, 6.6), st.floats(15, 120), st.sampled_from([1.0, 1.5, 2.0]))
    @fuzz(25)
    def test_more_contact_never_means_less_ph(self, ph: float, alkalinity: float, more: float) -> None:
        """A larger bed ends at a higher pH, never beyond saturation."""
        readings = {"ph": f"{ph:.2f}", "alkalinity": f"{alkalinity:.0f} mg/L as CaCO3"}
        small = figures(job(readings=readings, train=[{"kind": "neutralizer", "volume": "1 ft3", "vessels": 2}]), "neutralizer")
        large = figures(job(readings=readings, train=[{"kind": "neutralizer", "volume": f"{1 + more} ft3", "vessels": 2}]), "neutralizer")
        self.assertLessEqual(small["ph_out"], large["ph_out"] + 1e-9)
        self.assertLessEqual(large["ph_out"], large["ph_ceiling"] + 1e-6)


class BedsByHand(TestCase):
    def test_geometry_of_a_common_vessel(self) -> None:
        """10 in: 0.5454 ft2; 1.5 ft3 stand 33 in deep; (54 - 4 - 33) / 33 = 51 % freeboard."""
        bed = Bed(medium("calcite"), "10x54", 1, 1.5 * FT3)
        self.assertAlmostEqual(bed.area / 0.09290304, 0.5454, places=3)
        self.assertAlmostEqual(bed.depth / 0.0254, 33.0, places=1)
        self.assertAlmostEqual(bed.freeboard, (50 - 33.0) / 33.0, places=2)

    def test_backwash_falls_in_cold_water(self) -> None:
        """At 55 degF the printed rate holds; at 40 degF thicker water lifts the bed at about four fifths of it."""
        self.assertAlmostEqual(cold_factor((55 - 32) / 1.8), 1.0)
        self.assertAlmostEqual(cold_factor((40 - 32) / 1.8), (1.202 / 1.546) ** 0.88, delta=0.02)

    def test_two_vessels_where_the_pump_is_small(self) -> None:
        """At 7 gpm one calcite vessel wide enough to serve (12 in, 7.85 gpm peak) needs 7.4 gpm to wash; the planner takes two narrow ones."""
        params = stage(job(), "neutralizer").sizing.params
        self.assertEqual(params["vessels"], 2)
        self.assertLess(figures(job(), "neutralizer")["backwash_flow"], 7 * GPM)


class WashedBeds(TestCase):
    def test_what_the_rules_judge_is_what_the_sheet_shows(self) -> None:
        """The flow of a backwash by the vessel alone is that of its figure, worked with its lines; none where nothing is washed."""
        kinds = ("neutralizer", "oxidizing_filter", "carbon", "softener", "anion_exchange", "sediment", "uv", "reverse_osmosis")
        forms: dict[str, dict[str, str]] = {"sediment": {"form": "backwashing"}}
        washed = 0
        for kind in kinds:
            (stage,) = worked(job(train=[{"kind": kind} | forms.get(kind, {})])).chosen.run.stages
            figure = stage.figures.get("backwash_flow")
            self.assertAlmostEqual(stage.wash_flow, figure.value if figure else 0.0, places=9, msg=kind)
            washed += figure is not None
        self.assertGreaterEqual(washed, 5)
        (still,) = worked(job(train=[{"kind": "neutralizer", "flow": "up"}])).chosen.run.stages
        self.assertEqual(still.wash_flow, 0.0)


class UvByHand(TestCase):
    def test_dose_at_rating(self) -> None:
        """At its rated flow, dose and transmittance a lamp gives its rated dose."""
        flow = worked(job()).duty.passable / GPM
        f = figures(
            job(
                readings={"uvt": "95 %"},
                train=[
                    {"kind": "sediment", "micron": 5},
                    {"kind": "uv", "rated_flow": f"{flow!r} gpm", "rated_dose": "40 mJ/cm2", "rated_uvt": "95 %"},
                ],
            ),
            "uv",
        )
        self.assertAlmostEqual(f["delivered_dose"], 40.0, places=4)
        self.assertAlmostEqual(f["flow_at_dose"], flow * GPM, places=3)

    def test_light_in_a_water_layer(self) -> None:
        """T 0.85, 2.5 cm: (1 - 0.85^2.5) / (-2.5 ln 0.85) = 0.33388 / 0.40630 = 0.8218."""
        self.assertAlmostEqual(light_through(0.85, 2.5), (1 - 0.85**2.5) / (-2.5 * math.log(0.85)), places=9)
        self.assertAlmostEqual(light_through(0.85, 2.5), 0.8218, places=3)

    def test_restrictor_sets_the_flow_it_must_treat(self) -> None:
        """Half the flow, twice the dose."""
        lamp = {"kind": "uv", "rated_flow": "12 gpm", "rated_uvt": 0.88}
        wide = figures(job(train=[{"kind": "sediment"}, lamp | {"restrictor": "12 gpm"}]), "uv")["delivered_dose"]
        narrow = figures(job(train=[{"kind": "sediment"}, lamp | {"restrictor": "6 gpm"}]), "uv")["delivered_dose"]
        self.assertAlmostEqual(wide, 40.0, places=6)
        self.assertAlmostEqual(narrow, 80.0, places=6)


class IronByHand(TestCase):
    def test_oxygen_demand_and_alkalinity(self) -> None:
        """0.1432 x 2.4 + 0.2912 x 0.04 = 0.355 mg/L O2; 1.79 mg/L alkalinity per mg/L of iron oxidised."""
        run = stage(job(), "oxidizing_filter")
        self.assertAlmostEqual(run.sizing.figures["oxidant_demand"].value, 0.1432 * 2.4 + 0.2912 * 0.04, places=6)
        oxidised = run.water_in.iron - run.water_out.iron
        manganese = run.water_in.value("manganese") - run.water_out.value("manganese")
        self.assertAlmostEqual(run.water_in.value("alkalinity") - run.water_out.value("alkalinity"), 1.792 * oxidised + 1.822 * manganese, places=4)
        self.assertLess(run.water_out.ph, run.water_in.ph)


class Monotone(TestCase):
    @given(st.floats(5, 60), st.floats(1.02, 3))
    @fuzz(30)
    def test_more_hardness_never_means_longer_between_regenerations(self, grains: float, times: float) -> None:
        """For the same softener at the same dose, harder water regenerates at least as often (a dose of our choosing steps up, and then it may not)."""
        train = [{"kind": "softener", "volume": "2 ft3", "salt_dose": "8 lb/ft3"}]
        soft = figures(job(readings=HARD_ONLY | {"hardness": f"{grains:.3f} gpg"}, train=train), "softener")
        hard = figures(job(readings=HARD_ONLY | {"hardness": f"{grains * times:.3f} gpg"}, train=train), "softener")
        self.assertLessEqual(hard["days_between_regenerations"], soft["days_between_regenerations"] + 1e-9)

    @given(st.floats(0, 60), st.floats(5.0, 8.5), st.floats(0, 6), st.permutations(["sediment", "neutralizer", "oxidizing_filter", "softener", "uv"]))
    @fuzz(30)
    def test_no_train_makes_a_negative_water(self, grains: float, ph: float, iron: float, order: list[str]) -> None:
        """In any order of stages nothing in the water goes below zero."""
        readings = {"hardness": f"{grains:.2f} gpg", "ph": f"{ph:.2f}", "iron": f"{iron:.2f} mg/L", "ferrous_iron": None}
        run = worked(job(readings=readings, train=[{"kind": kind} for kind in order])).chosen.run
        for each in run.stages:
            for name, value in each.water_out.known().items():
                if name not in ("alkalinity", "temperature"):
                    self.assertGreaterEqual(value, 0.0, f"{name} after {each.kind}")
