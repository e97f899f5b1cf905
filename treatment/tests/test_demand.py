"""What the house asks and what the source gives: each school, each gap, worked by hand."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..house.demand import demand, peak_of
from ..job_file import read_job
from .example import job
from .fuzz import fuzz

GPM, GAL = 3.785411784, 3.785411784


def asked(**parts: Any) -> tuple[Any, dict[str, str]]:
    """Demand of a job with parts replaced whole, and its assumptions by path."""
    document = job()
    for name, part in parts.items():
        document[name] = part
    flows, notes = demand(read_job(document).facts)
    return flows, {note.path: note.value for note in notes}


class DailyUse(TestCase):
    def test_people_extra_and_the_busiest_day_of_events(self) -> None:
        """4 x 60 gal + 20 gal + 35 gal x 6 on the busiest day = 470 gal."""
        building = {"people": 4, "use_per_person": "60 gal", "extra_daily_use": "20 gal",
        "events": [{"name": "rinse", "volume": "35 gal", "per_day": [4, 4, 4, 4, 6, 0, 0]}]}  # fmt: skip
        flows, _ = asked(building=building)
        self.assertAlmostEqual(flows.daily_use.value, 470 * GAL, places=3)

    def test_what_was_not_said_is_assumed_and_told(self) -> None:
        """Three people; 60 gal (227 L) each in the US, 150 L elsewhere; a workshop with events alone has no residents."""
        flows, notes = asked(building={})
        self.assertAlmostEqual(flows.daily_use.value, 3 * 227)
        self.assertEqual(notes["$.building.people"], "3 people")
        self.assertIn("$.building.use_per_person", notes)
        flows, _ = asked(building={"people": 2}, job={"standard": "uk"})
        self.assertAlmostEqual(flows.daily_use.value, 2 * 150)
        flows, notes = asked(building={"events": [{"volume": "50 L", "per_day": 4}]})
        self.assertAlmostEqual(flows.daily_use.value, 200)
        self.assertNotIn("$.building.people", notes)

    def test_an_event_without_a_count_happens_once_a_day(self) -> None:
        """One bath of 100 L."""
        flows, _ = asked(building={"people": 0, "events": [{"volume": "100 L"}]})
        self.assertAlmostEqual(flows.daily_use.value, 100)


class Peaks(TestCase):
    def peak(self, school: str, **building: Any) -> float:
        return peak_of(read_job(job() | {"building": building}).facts, school).value / GPM

    def test_fixture_units(self) -> None:
        """2 wc x 2.2 + 1 basin x 0.7 + 1 shower x 1.4 = 6.5 units: half-way from 10.7 at 6 to 12.8 at 8 is 11.225 gpm at 6.5."""
        self.assertAlmostEqual(self.peak("fixture_units", fixtures={"wc": 2, "basin": 1, "shower": 1}), 10.7 + (12.8 - 10.7) * 0.5 / 2)

    def test_simultaneous(self) -> None:
        """One wc 2.2, one basin 1.0, two showers 4.0, a kitchen sink 1.5 run together: 8.7 gpm, however many more there are."""
        self.assertAlmostEqual(self.peak("simultaneous", fixtures={"wc": 5, "basin": 4, "shower": 3, "kitchen_sink": 1, "washer": 1}), 8.7)

    def test_bathrooms(self) -> None:
        """2.5 bathrooms lie between 10 and 13 gpm; 6 are 16 + 2 x 3; without a count, one for each shower or bath."""
        self.assertAlmostEqual(self.peak("bathrooms", bathrooms=2.5), 11.5)
        self.assertAlmostEqual(self.peak("bathrooms", bathrooms=6), 22)
        self.assertAlmostEqual(self.peak("bathrooms", fixtures={"shower": 2, "bath": 1}), 13)

    def test_nothing_said_is_two_bathrooms(self) -> None:
        """2 bathrooms: 2 wc, 2 basins, 2 showers, a sink, a washer: 4.4 + 1.4 + 2.8 + 1.4 + 1.4 = 11.4 units, 14.6 + 1.4 x 1.4/2 gpm."""
        self.assertAlmostEqual(self.peak("fixture_units"), 14.6 + (16.0 - 14.6) * 1.4 / 2)

    def test_beyond_the_curve_an_engineer_is_asked_for(self) -> None:
        """300 water closets are 660 units; the curve ends at 500."""
        _, notes = asked(building={"fixtures": {"wc": 300}})
        self.assertIn("660", notes["$.building.fixtures"])

    def test_hose_taps_count_where_they_are_treated(self) -> None:
        """Spared, they ask nothing of the train; treated, 2.5 units each."""
        building = {"fixtures": {"wc": 1, "hose_tap": 2}}
        spared, _ = asked(building=building)
        treated, _ = asked(building=building, wishes={"spare_outdoor_taps": False})
        self.assertLess(spared.peak_flow.value, treated.peak_flow.value)

    @given(
        st.dictionaries(st.sampled_from(["wc", "basin", "shower", "bath", "kitchen_sink"]), st.integers(0, 12), min_size=1),
        st.sampled_from(["wc", "basin", "shower"]),
    )
    @fuzz(60)
    def test_more_fixtures_never_ask_less(self, fixtures: dict[str, int], one: str) -> None:
        """By any school."""
        more = fixtures | {one: fixtures.get(one, 0) + 1}
        for school in ("fixture_units", "simultaneous"):
            if any(fixtures.values()):
                self.assertGreaterEqual(self.peak(school, fixtures=more) + 1e-9, self.peak(school, fixtures=fixtures), school)


class WhatTheSourceGives(TestCase):
    def test_a_drawdown_test_stands_in_for_the_flow(self) -> None:
        """8 gal filled again in 75 s: 8 x 60 / 75 = 6.4 gpm, told as an assumption."""
        flows, notes = asked(supply={"drawdown": {"drawn": "8 gal", "recovery": "75 s"}})
        self.assertAlmostEqual(flows.supply_flow / GPM, 6.4)
        self.assertIn("$.supply.flow", notes)

    def test_a_pumps_curve_stands_in_where_nothing_was_measured(self) -> None:
        """80 psi at none, 50 at 10 gpm: against 40 psi 10 x sqrt(40/30) = 11.55 gpm."""
        flows, notes = asked(supply={"pressure_low": "40 psi", "pump": {"shut_off": "80 psi", "best_flow": "10 gpm", "best_pressure": "50 psi"}})
        self.assertAlmostEqual(flows.supply_flow / GPM, 10 * (40 / 30) ** 0.5, places=3)
        self.assertIn("$.supply.flow", notes)

    def test_a_town_gives_the_peak_a_well_seven_gallons(self) -> None:
        """Where nothing at all was said."""
        town, _ = asked(supply={}, source={"kind": "town"})
        self.assertAlmostEqual(town.supply_flow, town.peak_flow.value)
        well, _ = asked(supply={}, source={"kind": "drilled_well"})
        self.assertAlmostEqual(well.supply_flow / GPM, 7)

    def test_the_design_flow_is_the_lesser_of_peak_and_supply(self) -> None:
        """A weak well cannot give the peak; a strong one is not asked for more than it."""
        weak, _ = asked(supply={"flow": "3 gpm"})
        self.assertAlmostEqual(weak.design_flow.value / GPM, 3)
        strong, _ = asked(supply={"flow": "60 gpm"})
        self.assertAlmostEqual(strong.design_flow.value, strong.peak_flow.value)
