"""Calcite along a bed: the few steps of the walk against a fine one, forward and back, and one stretch by hand."""

from __future__ import annotations

from math import log
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..chemistry import carbonate
from ..chemistry.carbonate import Solution
from ..chemistry.kinetics import Dissolving, DissolvingStretch, dissolving
from ..house.beds import medium
from ..treatments.neutralizer import surface_met
from .fuzz import fuzz

#: pH, alkalinity, calcium and magnesium hardness [mg/L as CaCO3], temperature [degC] of acid waters
WATERS = ((6.1, 40, 60, 30, 11), (5.6, 20, 10, 5, 8), (6.6, 90, 120, 60, 14), (6.3, 60, 200, 80, 4), (5.9, 110, 30, 20, 18))


def water(ph: float, alkalinity: float, calcium: float, magnesium: float, temperature: float) -> tuple[Solution, float]:
    """A solution and its inorganic carbon [mol/L]; chloride keeps its charge."""
    ca, mg, alk = calcium / 100087, magnesium / 100087, alkalinity / 50043.5
    solution = Solution(temperature, alk, ca, mg, 0.0, max(2 * ca + 2 * mg - alk, 0.0), 0.0)
    return solution, carbonate.speciate(solution, ph).carbon


def walked_finely(solution: Solution, carbon: float, time: float, steps: int = 250) -> float:
    """Dissolved after a surface time by many equal steps of pH, slowness even in each by its logarithmic mean."""
    start, ceiling = carbonate.solve_ph(solution, carbon), carbonate.calcite_to_saturation(solution, carbon)
    done, slow = 0.0, 1000 / carbonate.calcite_rate(start, solution.temperature)
    for i in range(1, steps):
        dosed = carbonate.calcite_to_ph(solution, carbon, start.ph + (ceiling.state.ph - start.ph) * (1 - (1 - i / steps) ** 1.5))
        slower = 1000 / carbonate.calcite_rate(dosed.state, solution.temperature)
        took = (dosed.amount - done) * (slower - slow) / log(slower / slow)
        if took > time:
            return done + (dosed.amount - done) * time / took
        time, done, slow = time - took, dosed.amount, slower
    return done


class Walk(TestCase):
    def test_the_few_steps_hold_a_fine_walk(self) -> None:
        """Within 1.5 % for the contact times of the trade, 1.5 to 6 minutes over grains of 0.75 mm."""
        for row in WATERS:
            solution, carbon = water(*row)
            for contact in (1.5, 3.0, 6.0):
                time = surface_met(contact, medium("calcite")).value
                fine = walked_finely(solution, carbon, time)
                self.assertAlmostEqual(dissolving(solution, carbon).after(time) / fine, 1.0, delta=0.015, msg=f"{row}, {contact} min")

    @given(st.floats(5.2, 7.0), st.floats(10, 200), st.floats(5, 250), st.floats(2, 25), st.floats(1e4, 5e6), st.floats(1.01, 3))
    @fuzz(60)
    def test_longer_dissolves_more_never_beyond_saturation_and_back_again(
        self, ph: float, alkalinity: float, calcium: float, temperature: float, time: float, times: float
    ) -> None:
        """Amount rises with time; the time to an amount gives that amount; saturation is the ceiling."""
        found = dissolving(*water(ph, alkalinity, calcium, calcium / 2, temperature))
        one, more = found.after(time), found.after(time * times)
        self.assertTrue(0 <= one <= more <= found.ceiling + 1e-15)
        if one < found.after(1e12):
            self.assertAlmostEqual(found.time_to(one) / time, 1.0, places=5)

    def test_a_saturated_water_dissolves_nothing(self) -> None:
        """Whatever the time."""
        found = dissolving(*water(8.2, 250, 250, 50, 15))
        self.assertEqual((found.ceiling, found.after(1e9), found.time_to(1e-3)), (0.0, 0.0, 0.0))


class OneStretch(TestCase):
    def test_by_hand(self) -> None:
        """Slowness 100 × (4 ÷ left)^2 from 4 left: until 2 are left 100 × 4 ÷ (1 − 2) × (1 − (2 ÷ 4)^(1 − 2)) = −400 × (1 − 2) = 400; and back."""
        stretch = DissolvingStretch(1.0, (4.0, 2.0), 100.0, 2.0)
        self.assertAlmostEqual(stretch.time_to(2.0), 400.0)
        self.assertAlmostEqual(stretch.left_after(400.0), 2.0)
        whole = Dissolving(5.0, (stretch,))
        self.assertAlmostEqual(whole.after(400.0), 3.0)
        self.assertAlmostEqual(whole.time_to(3.0), 400.0)
        self.assertAlmostEqual(whole.after(1e9), 3.0)
