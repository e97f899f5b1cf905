"""A train in plain words: from its own stages, tasks, costs and findings."""

from __future__ import annotations

from unittest import TestCase

from ..papers.compared import priced
from ..papers.plainly import InPlainWords, in_plain_words, often
from .example import HARD_ONLY, job, worked


def told(*, waivers: list[dict[str, str]] | None = None, dose: str = "15 lb/ft3") -> InPlainWords:
    document = job({"waivers": waivers or []}, readings=HARD_ONLY, train=[{"kind": "softener", "salt_dose": dose}])
    variant = worked(document).chosen
    return in_plain_words(variant, priced(variant), "us")


class PlainWords(TestCase):
    def test_what_you_get_keep_doing_and_pay(self) -> None:
        """A softener: what it exchanges, the salt its owner adds, the three sums of its costs, and that the prices are samples."""
        found = told()
        self.assertTrue(found.gets[0].startswith("Softener: exchanges hardness from 18.0 to "))
        self.assertTrue(any(line.startswith("Add salt (Softener): every ") for line in found.keeps))
        self.assertFalse(set(found.keeps) & set(found.visits))
        variant = worked(job(readings=HARD_ONLY, train=[{"kind": "softener", "salt_dose": "15 lb/ft3"}])).chosen
        self.assertEqual(found.costs[0], f"{priced(variant).costs.first.value:,.0f} to begin with.")
        self.assertEqual(found.costs[-1], "These are sample prices, not an offer.")

    def test_each_task_names_its_unit(self) -> None:
        """Three cartridges, three lines: none hides behind another; of one name, they are told apart by the place on their labels."""
        filters = [{"kind": "sediment", "micron": size} for size in ("50 um", "5 um", "5 um")]
        variant = worked(job(readings=HARD_ONLY, train=filters)).chosen
        found = in_plain_words(variant, priced(variant), "us")
        changed = [line.split(":")[0] for line in (*found.keeps, *found.visits) if line.startswith("Change the cartridge")]
        names = ("Sediment filter 50\u00a0µm", "Sediment filter 5\u00a0µm, unit 2 of 3", "Sediment filter 5\u00a0µm, unit 3 of 3")
        self.assertEqual(sorted(changed), sorted(f"Change the cartridge ({name})" for name in names))

    def test_an_accepted_risk_is_told_as_one(self) -> None:
        """A fault is what it does not do; accepted with its reason, it is told with that reason instead."""
        open_, accepted = told(), told(waivers=[{"rule": "salt-inefficient", "stage": "softener", "reason": "the valve cannot be set lower"}])
        moved = set(open_.lacks) - set(accepted.lacks)
        self.assertEqual(len(moved), 1)
        self.assertEqual(accepted.accepted, (f"{moved.pop()} Accepted: the valve cannot be set lower",))

    def test_what_stays_in_the_water_is_told(self) -> None:
        """Hard water without a softener, and soft water wished for."""
        variant = worked(job(readings=HARD_ONLY, train=[{"kind": "sediment"}])).chosen
        self.assertTrue(any("ardness" in line for line in in_plain_words(variant, priced(variant), "us").lacks))

    def test_how_often(self) -> None:
        """Days, weeks, months and years as people say them."""
        self.assertEqual([often(days) for days in (1, 3, 14, 60, 91, 357, 730)],
            ["every day", "every 3 days", "every 2 weeks", "every 9 weeks", "every 3 months", "every year", "every 2 years"])  # fmt: skip
