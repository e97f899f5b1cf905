"""Sound trains spoilt in the ways people spoil them: found; sound ones: quiet. A sample here, three hundred waters in ``./cairn bench``."""

from __future__ import annotations

from statistics import median
from unittest import TestCase

from .mutations import MUTATIONS, mutate, sound_trains

OF_THE_WATER = {"boil-water", "nitrate-infants", "gas-hazard"}


class Mutations(TestCase):
    def test_what_people_do_wrong_is_found(self) -> None:
        """Twelve waters, every mutation that applies: at least 98 of 100 that do harm, and each by more than one water that bears it."""
        self.assertGreaterEqual(len(MUTATIONS), 40)
        outcome = mutate(12, seed=41)
        self.assertGreater(outcome.tried, 300)
        self.assertGreaterEqual(outcome.share, 0.98, outcome.missed)

    def test_most_do_harm(self) -> None:
        """What is listed as harmless is the exception, so that the share means something."""
        outcome = mutate(8, seed=5)
        self.assertLess(sum(outcome.harmless.values()), 0.1 * outcome.tried)


class SoundTrains(TestCase):
    def test_they_stay_quiet(self) -> None:
        """Sixty sound trains: no fault and no danger but about the water, and two cautions or fewer on most."""
        cautions = []
        for n, _, design in sound_trains(60, seed=9):
            found = design.proposal.findings
            with self.subTest(n):
                bad = {f.rule for f in found if f.severity in ("fault", "danger") and not f.rule.startswith("refer/")} - OF_THE_WATER
                self.assertEqual(bad, set())
            cautions.append(sum(finding.severity == "caution" for finding in found))
        self.assertGreater(len(cautions), 50)
        self.assertLessEqual(median(cautions), 2)
