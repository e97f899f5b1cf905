from __future__ import annotations

from unittest import TestCase

import pint
from hypothesis import given
from hypothesis import strategies as st

from ..language.display import digits, show
from ..language.errors import NotUnderstood
from ..language.quantity import canonical_unit, parse_number, parse_quantity, units_of
from ..language.tables import table
from .fuzz import fuzz

PINT_NAMES = {
    "gpm": "gallon/minute", "imp gpm": "imperial_gallon/minute", "L/min": "liter/minute", "L/s": "liter/second", "L/h": "liter/hour", "m3/h": "meter**3/hour",
    "gph": "gallon/hour", "gal": "gallon", "imp gal": "imperial_gallon", "ft3": "foot**3", "L": "liter", "psi": "psi", "bar": "bar", "kPa": "kilopascal",
    "in": "inch", "ft": "foot", "m": "meter", "mm": "millimeter", "lb": "pound", "oz": "ounce", "kg": "kilogram", "lb/ft3": "pound/foot**3", "g/L": "gram/liter",
    "ft2": "foot**2", "um": "micrometer", "gal/day": "gallon/day", "L/day": "liter/day",
}  # fmt: skip


class ParsingQuantities(TestCase):
    def test_examples_of_the_format(self) -> None:
        """Each spelling of the format document is read into the canonical unit."""
        cases = [
            ("7 gpm", "flow", 7 * 3.785411784),
            ("26,5 L/min", "flow", 26.5),
            ("40 psi", "pressure", 275.79),
            ("2.8 bar", "pressure", 280.0),
            ("52 degF", "temperature", (52 - 32) / 1.8),
            ("52°F", "temperature", (52 - 32) / 1.8),
            ("1.5 ft3", "volume", 42.475),
            ("8 lb/ft3", "salt_dose", 128.148),
            ("3/4 in", "length", 0.01905),
            ("1 1/2 in", "length", 0.0381),
            ("120 gal", "volume", 454.249),
            ("120 imp gal", "volume", 545.531),
            ("18 gpg", "hardness", 18 * 17.118),
            ("5 degree_german", "hardness", 89.24),
            ("400 gpd", "daily_flow", 1514.16),
        ]
        for text, dimension, expected in cases:
            with self.subTest(text):
                self.assertAlmostEqual(parse_quantity(text, dimension).value, expected, delta=abs(expected) * 1e-4)

    def test_refusals_say_what_was_expected(self) -> None:
        """A missing or foreign unit, a word, and a comma that could be two things are refused with the reason."""
        for text, said in [
            ("7", "add a unit"),
            ("7 bananas", "not a flow"),
            ("seven gpm", "does not start with a number"),
            ("1,500 gpm", "could mean 1500 or 1.500"),
            ("1/0 gpm", "divides by zero"),
            ("1e99 gpm", "too large"),
        ]:
            with self.subTest(text), self.assertRaisesRegex(NotUnderstood, said):
                parse_quantity(text, "flow")

    def test_every_factor_agrees_with_a_units_library(self) -> None:
        """Our table of factors is checked against a library that knows nothing of it."""
        registry = pint.UnitRegistry()
        checked = 0
        for dimension, row in table("units").items():
            for name, unit in row["units"].items():
                if name in PINT_NAMES and canonical_unit(dimension) in PINT_NAMES:
                    expected = registry.Quantity(1, PINT_NAMES[name]).to(PINT_NAMES[canonical_unit(dimension)]).magnitude
                    self.assertAlmostEqual(unit["factor"] / expected, 1.0, places=8, msg=name)
                    checked += 1
        self.assertGreater(checked, 20)

    def test_hardness_degrees(self) -> None:
        """1 °dH is 10 mg/L CaO (17.848 as CaCO3), 1 °fH 10 mg/L CaCO3, 1 °e a grain per imperial gallon (14.254)."""
        for text, expected in [
            ("1 °dH", 10 * 100.0869 / 56.0774),
            ("1 °fH", 10.0),
            ("1 °e", 64.79891 / 4.54609),
            ("1 gpg", 64.79891 / 3.785411784),
            ("1 mmol/L", 100.0869),
        ]:
            self.assertAlmostEqual(parse_quantity(text, "hardness").value, expected, delta=expected * 2e-4)

    @given(st.sampled_from(sorted(table("units"))), st.floats(1e-3, 1e4))
    @fuzz(150)
    def test_units_round_trip(self, dimension: str, value: float) -> None:
        """Canonical -> any unit of the dimension -> canonical is the same value."""
        for unit in set(units_of(dimension).values()):
            back = parse_quantity(f"{unit.from_canonical(value)!r} {unit.name}", dimension).value
            self.assertAlmostEqual(back, value, delta=abs(value) * 1e-9 + 1e-9)

    @given(st.text(max_size=30))
    @fuzz(200)
    def test_any_text_is_a_number_or_a_clear_refusal(self, text: str) -> None:
        """No text makes the parser fail in another way."""
        try:
            self.assertIsInstance(parse_number(text), float | int)
        except NotUnderstood as error:
            self.assertTrue(str(error))


class ShowingQuantities(TestCase):
    def test_people_see_their_own_units(self) -> None:
        """The same value reads in US and in metric units."""
        self.assertEqual(show(26.5, "L/min", "us"), "7.0 gpm")
        self.assertEqual(show(26.5, "L/min", "metric"), "26.5 L/min")
        self.assertEqual(show(275.79, "kPa", "us"), "40 psi")
        self.assertEqual(show(275.79, "kPa", "metric"), "2.76 bar")
        self.assertEqual(show(239.65, "mg/L CaCO3", "us"), "14.0 gpg")
        self.assertEqual(show(42.475, "L media", "us"), "1.50 ft³")

    def test_small_values_keep_their_digits(self) -> None:
        """A hundredth of a milligram is not rounded to nothing; thousands are grouped."""
        self.assertEqual(show(0.012, "mg/L", "us"), "0.012 mg/L")
        self.assertEqual(digits(0.05, "mg/L", "us"), "0.05")
        self.assertEqual(show(30000.0 / 15.43235835, "g CaCO3", "us"), "30,000 grains")
