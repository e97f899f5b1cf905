"""From samples to the water a design stands on."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from ..evidence.gather import Evidence
from ..house.needs import needs
from ..job.limits import limits, strictest
from .example import HARD_ONLY, job, worked


def evidence(document: dict[str, Any]) -> Evidence:
    return worked(document).evidence


def two_samples(first: dict[str, str], second: dict[str, str], point: str = "raw") -> dict[str, Any]:
    document = job()
    document["samples"] = [
        {"taken_on": "2026-03-01", "point": "raw", "readings": first},
        {"taken_on": "2026-09-01", "point": point, "readings": second},
    ]
    return document


class DesignWater(TestCase):
    def test_the_worst_of_several_raw_samples(self) -> None:
        """Hardness takes the higher, pH the lower; the spread stays beside it, and where it comes from is said."""
        states = evidence(two_samples({"hardness": "200 mg/L as CaCO3", "ph": "7.1"}, {"hardness": "260 mg/L as CaCO3", "ph": "7.4"})).states
        self.assertEqual((states["hardness"].low, states["hardness"].high, states["hardness"].design), (200.0, 260.0, 260.0))
        self.assertEqual((states["ph"].low, states["ph"].high, states["ph"].design), (7.1, 7.4, 7.1))
        self.assertIn("sample 2 (2026-09-01, raw)", states["hardness"].origin)
        self.assertIn("sample 1", states["ph"].origin)

    def test_treated_samples_are_never_mixed_with_raw(self) -> None:
        """A tap sample beside a raw one is left out; alone it is used, and doubted."""
        mixed = evidence(two_samples({"hardness": "260 mg/L as CaCO3"}, {"hardness": "10 mg/L as CaCO3"}, point="tap"))
        self.assertEqual(mixed.states["hardness"].design, 260.0)
        self.assertFalse(mixed.treated_only)
        alone = job()
        alone["samples"][0]["point"] = "after:softener"
        self.assertTrue(evidence(alone).treated_only)

    def test_below_detection_designs_on_the_limit_of_detection(self) -> None:
        """<0.05 lies between 0 and 0.05: the design takes 0.05, the favourable water 0."""
        found = evidence(job(readings={"iron": "<0.05 mg/L", "ferrous_iron": None}))
        self.assertEqual(found.adverse.iron, 0.05)
        self.assertEqual(found.favourable.iron, 0.0)

    def test_an_open_end_is_said(self) -> None:
        """>20 NTU is more than 20: the design stands on half as much again, 30, and the assumption says that it may be more."""
        found = evidence(job(readings={"turbidity": ">20 NTU"}))
        self.assertEqual(found.states["turbidity"].low, 20.0)
        self.assertEqual(found.adverse.value("turbidity"), 30.0)
        self.assertIsNone(found.states["turbidity"].high)
        self.assertTrue(any("perhaps far more" in note.why for note in found.assumptions))

    def test_forms_of_iron(self) -> None:
        """Total less ferrous is rust; ferrous and ferric add up; a form that was not told is assumed by the source."""
        both = evidence(job(readings={"iron": "3 mg/L", "ferrous_iron": "2 mg/L"})).adverse
        self.assertAlmostEqual(both.value("ferric_iron"), 1.0)
        added = evidence(job(readings={"iron": None, "ferrous_iron": "2 mg/L", "ferric_iron": "0.5 mg/L"}))
        self.assertAlmostEqual(added.adverse.iron, 2.5)
        self.assertAlmostEqual(evidence(job(readings={"ferrous_iron": None})).adverse.value("ferrous_iron"), 2.4)
        rusty = evidence(job({"observations": ["orange_at_once"]}, readings={"ferrous_iron": None}))
        self.assertAlmostEqual(rusty.adverse.value("ferric_iron"), 2.4)

    def test_calcium_and_magnesium_make_hardness(self) -> None:
        """100 mg/L Ca and 20 mg/L Mg: 2.497 x 100 + 4.118 x 20 = 332 mg/L as CaCO3."""
        found = evidence(job(readings=HARD_ONLY | {"hardness": None, "calcium": "100 mg/L", "magnesium": "20 mg/L"}))
        self.assertAlmostEqual(found.adverse.hardness, 2.497 * 100 + 4.118 * 20, delta=0.1)
        self.assertEqual(found.states["hardness"].origin, "computed")

    def test_acid_water_takes_the_higher_alkalinity(self) -> None:
        """At one pH more alkalinity means more carbon dioxide: adverse for the neutralizer; in hard water it is the lower."""
        self.assertEqual(evidence(job(readings={"alkalinity": "30..60 mg/L as CaCO3"})).states["alkalinity"].design, 60.0)
        self.assertEqual(evidence(job(readings=HARD_ONLY | {"alkalinity": "150..200 mg/L as CaCO3"})).states["alkalinity"].design, 150.0)

    def test_ions_balance_where_sodium_was_not_measured(self) -> None:
        """Sodium is taken so that cations meet anions."""
        cations, anions = evidence(job(readings=HARD_ONLY | {"hardness": "5 gpg", "sulfate": "30 mg/L", "chloride": "20 mg/L"})).ions
        self.assertAlmostEqual(cations, anions, places=6)

    def test_solids_from_conductivity(self) -> None:
        """0.65 likely and 0.75 adverse of 600 µS/cm: 390 to 450 mg/L, marked as computed."""
        state = evidence(job(readings={"conductivity": "600 uS/cm"})).states["tds"]
        self.assertEqual((state.low, state.high, state.design, state.origin), (390.0, 450.0, 450.0, "computed"))


class LimitsAndNeeds(TestCase):
    def test_every_set_has_the_essentials(self) -> None:
        """Each standard limits nitrate, arsenic, lead, E. coli, iron and pH, with a source."""
        for standard in ("us", "who", "ca", "eu", "uk", "au"):
            held = {limit.analyte for limit in limits(standard)}
            self.assertLessEqual({"nitrate", "arsenic", "lead", "e_coli", "iron", "ph", "manganese"}, held, standard)
            self.assertTrue(all(limit.source for limit in limits(standard)))

    def test_us_values(self) -> None:
        """Nitrate 10 as N, arsenic 10 µg/L, lead 15 µg/L, manganese 0.05 (0.3 for health), pH 6.5 to 8.5."""
        values = {(limit.analyte, limit.health): limit.high for limit in limits("us")}
        self.assertEqual(values[("nitrate", True)], 10)
        self.assertEqual(values[("arsenic", True)], 0.010)
        self.assertEqual(values[("lead", True)], 0.015)
        self.assertEqual((values[("manganese", False)], values[("manganese", True)]), (0.05, 0.3))
        ph = strictest("us", "ph")
        assert ph is not None
        self.assertTrue(ph.broken_by(6.4) and ph.broken_by(8.6) and not ph.broken_by(7.0))

    def test_the_standard_decides(self) -> None:
        """Nitrite of 0.5 mg/L as N: within the US limit of 1, above the EU's 0.152."""
        for standard, expected in (("us", False), ("eu", True)):
            design = worked(job({"job": {"standard": standard}}, readings=HARD_ONLY | {"nitrite": "0.5 mg/L as N"}))
            self.assertEqual(any(need.goal == "nitrite" for need in design.needs), expected)

    def test_health_comes_first_and_the_stricter_limit_counts(self) -> None:
        """Manganese of 0.4 breaks both its limits: one need, a matter of health, to be met at 0.05."""
        design = worked(job(readings={"manganese": "0.4 mg/L"}))
        found, _ = needs(design.job.facts, design.evidence)
        manganese = next(need for need in found if need.goal == "manganese")
        self.assertTrue(manganese.health)
        self.assertEqual(manganese.high, 0.05)
        self.assertEqual([need.health for need in found], sorted((need.health for need in found), reverse=True))

    def test_wishes_make_and_unmake_needs(self) -> None:
        """Soft water wished or not, and from which hardness."""
        for wishes, wanted in (({"soft_water": True}, True), ({"soft_water": False}, False), ({"soft_water": True, "soften_above": "20 gpg"}, False)):
            design = worked(job({"wishes": wishes}, readings=HARD_ONLY))
            self.assertEqual(any(need.goal == "hardness" for need in design.needs), wanted, wishes)
