"""A test that found nothing asks for nothing: how fine it was never changes a train."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from .example import HARD_ONLY, job, worked
from .fuzz import fuzz

#: analyte -> what a fine test misses, what a coarse one misses (above the aesthetic limit, or above what some stage takes)
COARSE = {
    "iron": ("<0.01 mg/L", "<1 mg/L"), "manganese": ("<0.005 mg/L", "<0.2 mg/L"), "hydrogen_sulfide": ("<0.01 mg/L", "<0.5 mg/L"), "tannin": ("<0.05 mg/L", "<1 mg/L"),
    "turbidity": ("<0.1 NTU", "<10 NTU"), "tss": ("<1 mg/L", "<20 mg/L"), "free_chlorine": ("<0.01 mg/L", "<0.5 mg/L"), "iron_bacteria": ("<1 CFU/100mL", "<10 CFU/100mL"),
    "chloride": ("<1 mg/L", "<500 mg/L"), "colour": ("<1 mg/L Pt-Co", "<30 mg/L Pt-Co"), "zinc": ("<0.01 mg/L", "<6 mg/L"),
}  # fmt: skip


def kinds(**readings: str | None) -> list[str]:
    return [stage.kind for stage in worked(job(readings=HARD_ONLY | readings)).proposal.run.stages]


class NonDetects(TestCase):
    @given(st.sampled_from(sorted(COARSE)), st.sampled_from(["absent", "present"]), st.sampled_from(["6.2", "7.6"]))
    @fuzz(40)
    def test_a_coarser_test_that_found_none_never_changes_the_train(self, analyte: str, microbes: str, ph: str) -> None:
        """With a lamp and without, acid or not."""
        fine, coarse = (kinds(**{analyte: text, "total_coliform": microbes, "ph": ph}) for text in COARSE[analyte])
        self.assertEqual(fine, coarse)

    def test_below_what_a_plate_can_tell_is_none(self) -> None:
        """<1 CFU/100 mL is how a laboratory writes that none were found: no lamp, no boil-water notice."""
        design = worked(job(readings=HARD_ONLY | {"total_coliform": "<1 CFU/100mL", "e_coli": "<1 MPN/100mL"}))
        self.assertEqual([stage.kind for stage in design.proposal.run.stages], ["softener"])
        self.assertNotIn("boil-water", {finding.rule for finding in design.proposal.findings})

    def test_one_that_found_some_outweighs_one_that_found_none(self) -> None:
        """<0.05 in one sample and 2 mg/L in another: 2 mg/L."""
        document = job(readings=HARD_ONLY)
        document["samples"].append({"taken_on": "2026-05-05", "point": "raw", "method": "laboratory", "readings": {"iron": "2 mg/L"}})
        self.assertEqual(worked(document).evidence.states["iron"].design, 2.0)

    def test_a_health_limit_that_the_test_could_not_see_stands(self) -> None:
        """<20 mg/L of nitrate says nothing about a limit of 10: safety goes first."""
        self.assertIn("nitrate", {need.goal for need in worked(job(readings=HARD_ONLY | {"nitrate": "<20 mg/L as N"})).needs})
