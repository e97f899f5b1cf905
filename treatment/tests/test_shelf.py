"""The shelf: what each treatment would do at a place in the train, and what stands against it there."""

from __future__ import annotations

from unittest import TestCase

from ..studies.shelf import Offer, shelf
from ..treatments import ROOMS
from .example import HARD_ONLY, job, worked


def offers(after: str = "", readings: dict[str, str | None] | None = None, train: list[dict[str, str]] | None = None) -> dict[str, Offer]:
    design = worked(job(readings=readings, train=train))
    return {offer.kind: offer for offer in shelf(design, design.chosen, after)}


class Shelf(TestCase):
    def test_every_treatment_is_offered_once(self) -> None:
        """With its name and what it does in words."""
        found = offers()
        self.assertEqual(set(found), set(ROOMS))
        self.assertTrue(all(offer.title and offer.does for offer in found.values()))

    def test_what_it_would_change_and_what_stands_against_it(self) -> None:
        """On raw acid water with 2.4 mg/L of iron and coliform: calcite raises pH and hardness; the iron bed wants pH 6.8; a lamp wants less iron."""
        found = offers()
        changed = {text.split(" ")[0] for text in found["neutralizer"].changes}
        self.assertLessEqual({"pH", "Hardness"}, changed)
        self.assertTrue(any(text.startswith("pH 6.1") for text in found["oxidizing_filter"].against))
        self.assertTrue(any(text.startswith("Iron 2.4") for text in found["uv"].against))
        self.assertIn("found → none", " ".join(found["uv"].changes))

    def test_a_place_further_on_meets_other_water(self) -> None:
        """Behind the neutralizer the iron bed has nothing against its pH, and the neutralizer nothing more to do."""
        behind = offers("neutralizer")
        self.assertFalse(any(text.startswith("pH") for text in behind["oxidizing_filter"].against))
        self.assertTrue(offers()["neutralizer"].changes)

    def test_what_the_planner_takes_is_marked(self) -> None:
        """For hard water without more: the softener alone."""
        found = offers(readings=HARD_ONLY)
        self.assertEqual([kind for kind, offer in found.items() if offer.proposed], ["softener"])

    def test_an_unknown_place_is_the_raw_water(self) -> None:
        """A stage that was just removed does not break the shelf."""
        self.assertEqual(offers("gone")["softener"].changes, offers("")["softener"].changes)
