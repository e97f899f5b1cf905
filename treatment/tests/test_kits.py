from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..evidence.kits import kits, observed, outcome_readings, pad_reading, phase, times
from ..job.facts import OBSERVATIONS
from ..language.analytes import analytes
from ..language.errors import NotUnderstood
from .fuzz import fuzz


class Charts(TestCase):
    def setUp(self) -> None:
        self.hardness = kits()["well"].test("hardness")
        assert self.hardness is not None

    def test_between_two_steps_is_the_interval_between_them(self) -> None:
        """Between 120 and 250 lies 120 to 250, nothing narrower."""
        reading = pad_reading(self.hardness, 3, 4)
        self.assertEqual((reading.low, reading.high), (120, 250))

    def test_on_a_step_is_half_way_to_its_neighbours(self) -> None:
        """120 between 50 and 250: from (50 + 120) / 2 = 85 to (120 + 250) / 2 = 185."""
        reading = pad_reading(self.hardness, 3, 3)
        self.assertEqual((reading.low, reading.high), (85, 185))

    def test_the_ends_of_the_chart_are_open(self) -> None:
        """The first step of 0 is below (0 + 25) / 2; the last of 425 is above (250 + 425) / 2, perhaps far above."""
        self.assertEqual((pad_reading(self.hardness, 0, 0).low, pad_reading(self.hardness, 0, 0).high), (0, 12.5))
        self.assertEqual((pad_reading(self.hardness, 5, 5).low, pad_reading(self.hardness, 5, 5).high), (337.5, None))

    def test_steps_apart_are_refused(self) -> None:
        """A pad cannot look like 0 and 120 at once, nor like a step that is not there."""
        for low, high in ((0, 3), (4, 3), (-1, 0), (5, 6)):
            with self.assertRaises(NotUnderstood):
                pad_reading(self.hardness, low, high)

    def test_every_kit_is_whole(self) -> None:
        """Charts rise, names are known, every answer is a reading or an observation, times make sense."""
        for kit in kits().values():
            self.assertTrue(kit.blind and kit.before and kit.source)
            self.assertEqual(len({test.key for test in kit.tests}), len(kit.tests))
            for test in kit.tests:
                with self.subTest(f"{kit.key} {test.key}"):
                    self.assertIn(test.analyte, analytes())
                    self.assertEqual(sum(bool(part) for part in (test.pads, test.outcomes, test.measure)), 1)
                    values = [pad.value for pad in test.pads]
                    self.assertEqual(values, sorted(set(values)))
                    for at in range(len(values)):
                        self.assertLessEqual(pad_reading(test, at, at).low, values[at])
                    for outcome in test.outcomes:
                        for reading in outcome_readings(outcome):
                            self.assertIn(reading.analyte, analytes())
                        self.assertLessEqual({*outcome.observations, *outcome.against}, set(OBSERVATIONS))
                        self.assertTrue(outcome.means)
                    self.assertLessEqual(test.dip, test.wait)
                    self.assertEqual(test.timed, test.window > 0)

    def test_a_two_compound_strip_says_what_it_does_not_see(self) -> None:
        """Its blind spot is stated where it is read."""
        self.assertIn("no other pesticide", kits()["well"].test("pesticide").blind)


class Clocks(TestCase):
    def test_the_course_of_a_test(self) -> None:
        """Hardness: 1 s dip, read from 15 s to 75 s after the start."""
        test = kits()["well"].test("hardness")
        for seconds, wanted in ((0.5, ("dip", 0.5)), (5, ("wait", 10)), (15, ("ready", 60)), (75, ("ready", 0)), (76, ("late", 0))):
            self.assertEqual(phase(test, seconds), wanted)
        self.assertEqual(times(test), "Dip 1 s; read from 15 s to 1 min 15 s after the start.")

    def test_a_vial_takes_two_days(self) -> None:
        """48 hours on the shelf, then a day in which it counts."""
        vial = kits()["well"].test("bacteria")
        self.assertTrue(vial.overnight)
        self.assertEqual(phase(vial, 47 * 3600)[0], "wait")
        self.assertEqual(phase(vial, 49 * 3600)[0], "ready")
        self.assertEqual(phase(vial, 73 * 3600)[0], "late")

    @given(st.floats(0, 4e5), st.floats(0, 4e5))
    @fuzz(100)
    def test_a_test_only_moves_forward(self, one: float, other: float) -> None:
        """Later is never an earlier phase."""
        order = ("dip", "wait", "ready", "late")
        for test in kits()["well"].tests:
            first, last = (order.index(phase(test, seconds)[0]) for seconds in sorted((one, other)))
            self.assertLessEqual(first, last)


class Seen(TestCase):
    def outcome(self, test: str, key: str):  # noqa: ANN201
        return next(each for each in kits()["site"].test(test).outcomes if each.key == key)

    def test_a_glass_that_turns_is_dissolved_iron(self) -> None:
        """It adds orange stains and takes back rust from the tap."""
        self.assertEqual(observed(["orange_at_once", "grit"], [self.outcome("stand_a_glass", "turns")]), ["grit", "orange_stains"])

    def test_smell_in_the_hot_water_only_replaces_smell_in_both(self) -> None:
        """The two contradict each other."""
        self.assertEqual(observed(["rotten_egg_cold"], [self.outcome("smell", "hot")]), ["rotten_egg_hot_only"])

    def test_nothing_seen_takes_back_what_was_said(self) -> None:
        """Clear water after standing speaks against the stains."""
        self.assertEqual(observed(["orange_stains", "black_stains"], [self.outcome("stand_a_glass", "clear")]), ["black_stains"])
