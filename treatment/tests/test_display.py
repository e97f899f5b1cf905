"""How figures are read by people: US and metric, ends of a reading, and the examples in the documentation of the core."""

from __future__ import annotations

import doctest
import importlib
import pkgutil
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

import treatment

from ..language.display import media_hint, show, show_span, show_spread
from .fuzz import fuzz


class Shown(TestCase):
    def test_by_hand(self) -> None:
        """26.5 L/min are 7.0 gpm; 138 kPa 20 psi or 1.38 bar; 10 degC 50 °F; 0.95 as a share is 95 %; nothing known says so."""
        for value, unit, us, metric in (
            (26.5, "L/min", "7.0 gpm", "26.5 L/min"),
            (137.895, "kPa", "20 psi", "1.38 bar"),
            (10.0, "degC", "50 °F", "10 °C"),
            (0.95, "share", "95%", "95%"),
            (171.18, "mg/L CaCO3", "10.0 gpg", "171 mg/L CaCO₃"),
            (None, "L", "not known", "not known"),
        ):
            self.assertEqual((show(value, unit, "us"), show(value, unit, "metric")), (us, metric), unit)

    def test_a_spread_that_reads_alike_is_one_number(self) -> None:
        """7.01 and 7.02 gpm read the same; 5 and 7 do not."""
        self.assertEqual(show_spread(26.53, 26.57, "L/min", "us")[1], "")
        self.assertEqual(show_spread(26.5, 18.9, "L/min", "us"), ("7.0 gpm", "5.0"))

    def test_a_span_below_above_and_between(self) -> None:
        """Below a limit, above a range, an interval, an exact one."""
        self.assertTrue(show_span(0.0, 0.02, "mg/L", "us").startswith("< "))
        self.assertTrue(show_span(20.0, None, "NTU", "us").startswith("> "))
        self.assertIn(" to ", show_span(1.0, 3.0, "mg/L", "us"))
        self.assertEqual(show_span(2.4, 2.4, "mg/L", "us"), "2.4 mg/L")

    def test_litres_of_a_bed_are_cubic_feet(self) -> None:
        """A volume of medium is bought by the cubic foot, water is not."""
        self.assertEqual(show(28.3168, media_hint("media_volume", "L"), "us"), "1.00 ft³")
        self.assertNotIn("ft", show(28.3168, media_hint("water_per_regeneration", "L"), "us"))

    @given(
        st.floats(-1e9, 1e9),
        st.sampled_from(["L/min", "kPa", "L", "mg/L", "degC", "m", "mm", "kg", "pH", "day", "share"]),
        st.sampled_from(["us", "metric"]),
    )
    @fuzz(150)
    def test_any_number_is_shown_without_an_exponent(self, value: float, unit: str, system: str) -> None:
        """Nobody reads 1e+08 on a drawing."""
        self.assertNotRegex(show(value, unit, system), r"\de[+-]?\d")


class Examples(TestCase):
    def test_the_examples_in_docstrings_hold(self) -> None:
        """Every >>> of the core is run."""
        tried = 0
        for module in pkgutil.walk_packages(treatment.__path__, "treatment."):
            if ".tests" in module.name:
                continue
            outcome = doctest.testmod(importlib.import_module(module.name))
            self.assertEqual(outcome.failed, 0, module.name)
            tried += outcome.attempted
        self.assertGreater(tried, 20)
