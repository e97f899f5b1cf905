"""Measures as people write them on a job."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..job.facts import spec_at
from ..language.errors import Fault, NotUnderstood
from ..language.measures import completed, example_for, switch_points, unit_for
from ..language.quantity import parse_quantity
from ..language.tables import table
from .fuzz import fuzz


class Written(TestCase):
    def test_feet_and_inches_and_heads(self) -> None:
        """6 ft 8 in = 6 x 0.3048 + 8 x 0.0254 = 2.032 m; 3 m of head = 3 x 9.80665 = 29.42 kPa; 10 ft of head = 29.89 kPa."""
        for text in ("6 ft 8 in", "6'8\"", "6' 8", "6 feet 8 inches", "6ft 8in", "6′ 8″"):
            self.assertAlmostEqual(parse_quantity(text, "length").value, 2.032, msg=text)
        self.assertAlmostEqual(parse_quantity("6 ft 1/2 in", "length").value, 6 * 0.3048 + 0.0127)
        for text, wanted in (("3 m head", 29.42), ("3 m", 29.42), ("3 mWS", 29.42), ("10 ft head", 29.89), ("4 kg/cm2", 392.27)):
            self.assertAlmostEqual(parse_quantity(text, "pressure").value, wanted, places=2, msg=text)

    def test_a_bare_number_takes_the_jobs_unit(self) -> None:
        """By the unit of the field's example; what says its unit stays; a fraction is of an inch."""
        for text, example, dimension, us, metric in (
            ("7", "5 gpm", "flow", "7 gpm", "7 L/min"), ("40", "50 psi", "pressure", "40 psi", "40 bar"), ("2,8", "50 psi", "pressure", "2,8 psi", "2,8 bar"),
            ("30", "30 in", "length", "30 in", "30 mm"), ("9", "9 ft", "length", "9 ft", "9 m"), ("6-8", "9 ft", "length", "6 ft 8 in", "6-8"),
            ("3/4", "3/4 in", "length", "3/4 in", "3/4 in"), ("52", "52 °F", "temperature", "52 °F", "52 °C"), ("3 m head", "50 psi", "pressure", "3 m head", "3 m head"),
            ("7 L/min", "5 gpm", "flow", "7 L/min", "7 L/min"), ("much", "5 gpm", "flow", "much", "much"),
        ):  # fmt: skip
            self.assertEqual(completed(text, example, dimension, "us"), us, text)
            self.assertEqual(completed(text, example, dimension, "metric"), metric, text)

    def test_examples_in_the_jobs_own_units_are_accepted(self) -> None:
        """Each field's example is read, in either system, and is nearly the same."""
        for part, key in (("supply", "flow"), ("supply", "pressure_low"), ("supply", "temperature"), ("building", "top_fixture_height"), ("site", "wall_width"),
                          ("wishes", "soften_above"), ("building", "use_per_person"), ("source.rain", "roof_area"), ("supply", "pressure_tank")):  # fmt: skip
            spec = spec_at(part, key)
            shown = example_for(spec.example, spec.dimension, "metric")
            one, other = (parse_quantity(text, spec.dimension).value for text in (spec.example, shown))
            self.assertAlmostEqual(one, other, delta=abs(one) * 0.06 + 0.3, msg=f"{part}.{key}: {shown}")

    def test_two_switch_points_on_one_line(self) -> None:
        """With a unit or without; one value is one."""
        self.assertEqual(switch_points("40/60"), ("40", "60"))
        self.assertEqual(switch_points("2.8 - 4.1 bar"), ("2.8 bar", "4.1 bar"))
        self.assertEqual(switch_points("40psi/60psi"), ("40 psi", "60 psi"))
        for text in ("40", "40 psi", "", "3 m head", "a/b"):
            self.assertIsNone(switch_points(text))

    @given(st.sampled_from(sorted(table("display")["typed"])), st.sampled_from(("us", "metric")), st.integers(1, 500))
    @fuzz(60)
    def test_what_is_completed_is_read(self, unit: str, system: str, value: int) -> None:
        """A bare number with any field's unit is a quantity of its dimension."""
        dimension = next(name for name in table("units") if unit in table("units")[name]["units"])
        text = completed(str(value), f"5 {unit}", dimension, system)
        self.assertTrue(text.endswith(unit_for(f"5 {unit}", dimension, system)))
        self.assertIsNotNone(parse_quantity(text, dimension))


class AsPeopleSayIt(TestCase):
    def test_volume_in_a_time(self) -> None:
        """8 gal in 55 s = 8 × 3.785412 / (55/60) = 33.04 L/min; 20 L in 1 min 5 s = 18.46."""
        for text in ("8 gal in 55 s", "8 gallons in 55 seconds", "8 gal/55 s", "about 8 gal in 55 sec", "8 gal per 55 s", "8 gals in 0:55"):
            self.assertAlmostEqual(parse_quantity(text, "flow").value, 33.036, places=2, msg=text)
        for text in ("20 L in 1:05", "20 litres in 1 min 5 s", "20 L every 65 s"):
            self.assertAlmostEqual(parse_quantity(text, "flow").value, 18.4615, places=3, msg=text)
        for text in ("8 gal in 0 s", "8 gal in 55", "8 psi in 55 s", "8 in 55"):
            with self.assertRaises(NotUnderstood, msg=text):
                parse_quantity(text, "flow")

    def test_times_and_counts_and_words_round_a_number(self) -> None:
        """1:05 is a minute and five seconds; a count has its word behind it; about and fractions do not matter."""
        for text, minutes in (
            ("1:05", 65 / 60),
            ("1 min 5 s", 65 / 60),
            ("1:10:00", 70.0),
            ("1 h 20 min", 80.0),
            ("1h20", 80.0),
            ("90 s", 1.5),
            ("2 mins", 2.0),
        ):
            self.assertAlmostEqual(parse_quantity(text, "time").value, minutes, msg=text)
        for text, flow in (
            ("8 gallons per minute", 30.2833),
            ("~8 gpm", 30.2833),
            ("approx. 8 gal/min", 30.2833),
            ("30 liters a minute", 30.0),
            ("½ gpm", 1.8927),
        ):
            self.assertAlmostEqual(parse_quantity(text, "flow").value, flow, places=3, msg=text)
        for text in ("9' 6\"", "9 ft 6 in", "about 9' 6\"", "9’ 6″"):
            self.assertAlmostEqual(parse_quantity(text, "length").value, 2.8956, msg=text)
        faults: list[Fault] = []
        self.assertEqual([spec_at("building", "people").read(text, "", faults) for text in ("4 people", "about 4", "4 persons")], [4, 4, 4])
        self.assertEqual((spec_at("building", "bathrooms").read("2½ baths", "", faults), faults), (2.5, []))
        spec_at("building", "people").read("4 apples", "", faults)
        self.assertEqual(len(faults), 1)
        self.assertEqual([completed(text, "5 gpm", "flow", "us") for text in ("about 8", "8 gal in 55 s")], ["about 8 gpm", "8 gal in 55 s"])

    @given(st.floats(0.1, 100), st.floats(1, 600), st.sampled_from(["{v:.2f} gal in {s:.1f} s", "about {v:.2f} gallons per {s:.1f} sec"]))
    @fuzz(60)
    def test_the_bucket_is_arithmetic(self, volume: float, seconds: float, said: str) -> None:
        """What is said is volume over time, whatever the words."""
        v, s = round(volume, 2), round(seconds, 1)
        self.assertAlmostEqual(parse_quantity(said.format(v=v, s=s), "flow").value, v * 3.785411784 / (s / 60), places=6)
