"""Supply measured, pump against system, drains and what-ifs, each by a worked example."""

from __future__ import annotations

from math import pi, sqrt
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..house.hydraulics import PSI
from ..house.measuring import drawdown_of, measured_flow
from ..house.pipes import sizes_of
from ..house.pump import flow_at, known, meets, pump_pressure
from ..job_file import read_job
from ..studies.supply import drain_check, operating_point, peaks, routed_loss, wash_flow, what_if, what_limits
from .example import HARD_ONLY, job, worked
from .fuzz import fuzz

GPM = 3.785411784
CURVE = {"shut_off": "80 psi", "best_flow": "10 gpm", "best_pressure": "50 psi"}


def pump(**facts: Any):  # noqa: ANN201
    return read_job(job({"supply": {"pump": facts}})).facts.supply.pump


class Measuring(TestCase):
    def test_runs_are_averaged_and_their_spread_shown(self) -> None:
        """8 gal in 70 s and in 80 s: 6.86 and 6.00 gpm, mean 6.43, the furthest 6.7 % off."""
        found = measured_flow([(8 * GPM, 70 / 60), (8 * GPM, 80 / 60)])
        self.assertAlmostEqual(found.mean.value / GPM, (8 / (70 / 60) + 6) / 2, places=6)
        self.assertAlmostEqual(found.off, (8 * 60 / 70 - 6.4286) / 6.4286, places=3)

    @given(st.lists(st.tuples(st.floats(1, 200), st.floats(0.1, 10)), min_size=1, max_size=6))
    @fuzz(100)
    def test_the_mean_lies_among_the_runs(self, runs: list[tuple[float, float]]) -> None:
        """Never below the slowest nor above the quickest."""
        found = measured_flow(runs)
        self.assertTrue(min(found.runs) - 1e-9 <= found.mean.value <= max(found.runs) + 1e-9)

    def test_a_pressure_tank_by_boyle(self) -> None:
        """75 L between 40 and 60 psi gives 19.3 L back; twice the tank, twice that; nothing where the points are one."""
        self.assertAlmostEqual(drawdown_of(75, 276, 414).value, 75 * (363 / 377 - 363 / 515), places=6)
        self.assertAlmostEqual(drawdown_of(150, 276, 414).value, 2 * drawdown_of(75, 276, 414).value)
        self.assertEqual(drawdown_of(75, 300, 300).value, 0)


class Pumps(TestCase):
    def test_a_parabola_through_shut_off_and_best_point(self) -> None:
        """80 psi at none, 50 at 10 gpm; at 5 gpm 80 - 30 x 0.25 = 72.5; against 30 psi 10 x sqrt(50/30) = 12.9 gpm."""
        curve = pump(**CURVE)
        self.assertAlmostEqual(pump_pressure(curve, 5 * GPM) / PSI, 72.5, places=6)
        self.assertAlmostEqual(flow_at(curve, 30 * PSI) / GPM, 10 * sqrt(50 / 30), places=4)

    def test_points_are_joined_by_straight_lines(self) -> None:
        """60 psi at 4 gpm, 40 at 8: 50 at 6, and on along the last line."""
        curve = pump(points=[{"flow": "4 gpm", "pressure": "60 psi"}, {"flow": "8 gpm", "pressure": "40 psi"}])
        self.assertAlmostEqual(pump_pressure(curve, 6 * GPM) / PSI, 50, places=6)
        self.assertAlmostEqual(pump_pressure(curve, 10 * GPM) / PSI, 30, places=6)

    def test_half_a_curve_is_not_known(self) -> None:
        """One point, a best point without shut-off, or a curve that rises tell nothing."""
        for facts in (
            {},
            {"best_flow": "10 gpm"},
            {"points": [{"flow": "4 gpm", "pressure": "60 psi"}]},
            {"shut_off": "40 psi", "best_flow": "5 gpm", "best_pressure": "50 psi"},
        ):
            self.assertFalse(known(pump(**facts)))

    def test_curve_meets_system(self) -> None:
        """100 - Q against Q: 50. Never where the system asks more from the start."""
        self.assertAlmostEqual(meets(lambda q: 100 - q, lambda q: q, 1000), 50, places=6)
        self.assertEqual(meets(lambda q: 10 - q, lambda q: 20 + q, 1000), 0)

    def test_what_is_there_for_a_backwash(self) -> None:
        """Without a curve what was measured (7 gpm); with one that gives 10 x sqrt(40/30) = 11.5 gpm at 40 psi still 7; a weak pump's curve governs."""
        self.assertAlmostEqual(wash_flow(worked(job())).value / GPM, 7)
        supply = {"pressure_low": "40 psi", "pump": CURVE}
        found = wash_flow(worked(job({"supply": supply})))
        self.assertAlmostEqual(found.working[0].value / GPM, 10 * sqrt(40 / 30), places=3)
        self.assertAlmostEqual(found.value / GPM, 7)
        weak = wash_flow(worked(job({"supply": {"pressure_low": "40 psi", "pump": CURVE | {"best_flow": "4 gpm"}}})))
        self.assertAlmostEqual(weak.value / GPM, 4 * sqrt(40 / 30), places=3)

    def test_operating_point_gives_what_is_asked(self) -> None:
        """At the point found, the pump's pressure is the losses; dirty filters let less through; no curve, no point."""
        design = worked(job({"supply": {"pump": CURVE}}))
        clean, dirty = operating_point(design, design.chosen), operating_point(design, design.chosen, dirty=True)
        values = clean.working[-1].values
        self.assertAlmostEqual(values["gives"][0], values["asks"][0], places=3)
        self.assertLess(dirty.value, clean.value)
        self.assertIsNone(operating_point(worked(job()), worked(job()).chosen))


class Limits(TestCase):
    def test_three_schools_side_by_side(self) -> None:
        """The acid well's house: fixture units by Hunter, together 2.2 + 1 + 4 + 1.5 = 8.7 gpm, 2.5 bathrooms by the table 11.5."""
        design = worked(job({"building": {"bathrooms": 2.5}}))
        found = dict(peaks(design))
        self.assertAlmostEqual(found["simultaneous"].value / GPM, 2.2 + 1.0 + 2 * 2.0 + 1.5, places=6)
        self.assertAlmostEqual(found["bathrooms"].value / GPM, 11.5, places=6)
        self.assertEqual(found["fixture_units"].value, design.duty.demand.peak_flow.value)

    def test_the_least_comes_first(self) -> None:
        """A 4 gpm spring limits everything."""
        design = worked(job({"supply": {"flow": "4 gpm"}}, readings=HARD_ONLY))
        found = what_limits(design, design.chosen)
        self.assertEqual(found[0][0], "the source")
        self.assertEqual([flow for _, flow in found], sorted(flow for _, flow in found))

    def test_a_drain_by_rule_and_by_losses(self) -> None:
        """12 ft: the half inch of the rule; the losses ask less or more, and the larger governs; 60 ft and 8 ft of climb ask a wider pipe."""
        short, far = (
            worked(
                job(
                    {"site": {"drain": {"kind": "floor", "distance": distance, "lift": lift, "bore": "1/2 in"}}},
                    readings=HARD_ONLY,
                    train=[{"kind": "softener", "tank": "14x65"}],
                )
            )
            for distance, lift in (("12 ft", "0 ft"), ("60 ft", "8 ft"))
        )
        near, wide = drain_check(short, short.chosen.run.stages[0]), drain_check(far, far.chosen.run.stages[0])
        self.assertAlmostEqual(near.by_rule, 0.0127)
        self.assertAlmostEqual(wide.by_rule, 0.0158)
        self.assertGreater(wide.by_losses.value, near.by_losses.value)
        for check in (near, wide):
            self.assertEqual(check.governs, "losses" if check.by_losses.value > check.by_rule else "rule")

    def test_what_if_agrees_with_the_design_where_a_pump_makes_the_pressure(self) -> None:
        """From a roof the tank takes all pressure and a pump gives it anew; the what-if follows the same way."""
        train = [{"kind": "storage_tank"}, {"kind": "booster_pump"}, {"kind": "sediment"}]
        rain = worked(
            job({"source": {"kind": "rain", "rain": {"roof_area": "120 m2", "runoff": "85 %", "monthly_rain": ["60 mm"] * 12}}}, train=train)
        )
        found = what_if(rain, rain.chosen, rain.duty.flow, rain.duty.supply.pipe.size, 0.0)
        self.assertGreater(found.residual.value, 0)
        self.assertAlmostEqual(found.residual.value, rain.chosen.pressure.residual_clean.value, places=6)

    def test_fittings_count_by_crane(self) -> None:
        """One vessel with its bypass: 2 elbows, 2 unions, 2 valves, 2 tee branches are 2 x (30 + 2 + 3 + 60) = 190 diameters; the main
        shut-off is 3 more, the tee to the outdoor taps, passed straight, 20: 213;
        at 26.5 L/min in 22.2 mm, v = 1.141 m/s, K = 0.0233 x 213 = 4.97 and K x 999.6 x 1.141^2 / 2000 = 3.23 kPa."""
        design = worked(job(readings=HARD_ONLY, train=[{"kind": "softener"}]))
        lines = {line.symbol: line.value for line in routed_loss(design, design.chosen).working}
        flow = design.duty.flow / 60000
        speed = flow / (pi * 0.0222**2 / 4)
        self.assertAlmostEqual(lines["K"], 0.02332 * 213, places=2)
        self.assertAlmostEqual(lines["fittings"], 0.02332 * 213 * 999.6 * speed**2 / 2000, places=2)

    def test_what_if_agrees_with_the_design_and_answers_to_each_slider(self) -> None:
        """At design flow, own pipe and clean filters it is the design's own residual; more flow, thinner pipe, dirt each leave less."""
        design = worked(job())
        size, flow = design.duty.supply.pipe.size, design.duty.flow
        same = what_if(design, design.chosen, flow, size, 0.0)
        self.assertAlmostEqual(same.residual.value, design.chosen.pressure.residual_clean.value, places=6)
        self.assertAlmostEqual(what_if(design, design.chosen, flow, size, 1.0).residual.value, design.chosen.pressure.residual_dirty.value, places=6)
        for other in (
            what_if(design, design.chosen, flow * 1.3, size, 0.0),
            what_if(design, design.chosen, flow, sizes_of(size.material)[0], 0.0),
            what_if(design, design.chosen, flow, size, 0.5),
        ):
            self.assertLess(other.residual.value, same.residual.value)
