"""Sand, silt and grit are needs with their own answers; plain mg/L of hardness is taken as CaCO3, and told."""

from __future__ import annotations

import unittest

from treatment.job_file import read_job
from treatment.tests.example import HARD_ONLY, ids, job, worked

BATH = {"fixtures": {"wc": 1, "basin": 1, "shower": 1, "kitchen_sink": 1}}
QUIET = HARD_ONLY | {"hardness": "4 gpg", "turbidity": "0.3 NTU"}


class Solids(unittest.TestCase):
    def test_silt_asks_for_a_filter(self) -> None:
        """12 mg/L of solids against 5: a filter is proposed; a train without one is told; 3 mg/L asks for none."""
        silty = worked(job(readings=QUIET | {"tss": "12 mg/L"}))
        self.assertIn("tss", [need.goal for need in silty.needs])
        self.assertIn("sediment", [stage.kind for stage in silty.proposal.run.stages])
        self.assertLessEqual(silty.proposal.run.finished.value("tss"), 5)
        self.assertIn("unmet/tss", ids(worked(job(readings=QUIET | {"tss": "12 mg/L"}, train=[])).chosen.findings))
        self.assertNotIn("tss", [need.goal for need in worked(job(readings=QUIET | {"tss": "3 mg/L"})).needs])

    def test_grit_gets_a_flushed_screen_first(self) -> None:
        """Grit seen: a spin-down screen of 100 µm at the head, whatever else follows."""
        first = worked(job({"observations": ["grit"]}, readings=QUIET)).proposal.run.stages[0]
        self.assertEqual((first.kind, first.sizing.params["form"], first.sizing.params["micron"]), ("sediment", "spin_down", 100))

    def test_a_coarser_filter_does_nothing_for_what_a_finer_one_let_through(self) -> None:
        """12.2 mg/L of rust: 5 µm leaves 30 %, 1 µm a tenth of that, 0.37 mg/L, which is above 0.3: the cartridge that oxidises has a purpose.

        Were it out, the 5 µm filter behind it would stand right after the 1 µm one and hold nothing. Of 0.5 mg/L nothing is left to it.
        """
        train = [
            {"kind": "sediment", "micron": 5},
            {"kind": "sediment", "micron": 1},
            {"kind": "oxidizing_filter", "medium": "cartridge"},
            {"kind": "sediment", "micron": 5},
        ]
        for iron, idle in (("12.24 mg/L", False), ("0.5 mg/L", True)):
            found = worked(job({"source": {"kind": "town"}}, readings=QUIET | {"iron": iron, "ferrous_iron": "0 mg/L"}, train=train)).chosen.findings
            self.assertEqual("unneeded/oxidizing_filter" in {finding.rule for finding in found}, idle, iron)

    def test_life_by_hand(self) -> None:
        """8 mg/L x 0.85 held x 240 gal (909 L) a day = 6.2 g a day; a 20x4.5 holds 350 g: 57 days, under two months and said."""
        stage = worked(job(readings=QUIET | {"tss": "8 mg/L"}, train=[{"kind": "sediment", "micron": 5, "housing": "20x4.5"}])).chosen
        dirt = 0.85 * 8 * stage.audit.duty.daily / 1000
        self.assertAlmostEqual(stage.run.stages[0].figures["replacement_interval"].value, 350 / dirt / 30.44, delta=0.05)
        self.assertIn("micron-too-fine", ids(stage.findings))

    def test_ours_last_two_months_or_wash_themselves(self) -> None:
        """From little silt to much: a cartridge that lasts, or a bed that washes itself."""
        for tss in (6, 12, 30, 60, 120):
            with self.subTest(tss):
                proposal = worked(
                    job({"supply": {"flow": "12 gpm", "pipe": {"size": "1 1/4 in"}}, "building": BATH}, readings=QUIET | {"tss": f"{tss} mg/L"})
                ).proposal
                lives = [stage.figures["replacement_interval"].value for stage in proposal.run.stages if "replacement_interval" in stage.figures]
                self.assertTrue(all(life >= 1.99 for life in lives) or any(stage.regenerates for stage in proposal.run.stages), lives)
                self.assertFalse({"micron-too-fine"} & ids(proposal.findings))

    def test_too_coarse_for_what_it_should_hold(self) -> None:
        """25 µm on 12 NTU leaves 6; the limit is 5: told; 5 µm leaves 1.8."""
        coarse, fine = (
            worked(job(readings=QUIET | {"turbidity": "12 NTU"}, train=[{"kind": "sediment", "micron": size}])).chosen for size in (25, 5)
        )
        self.assertIn("micron-too-coarse", ids(coarse.findings))
        self.assertNotIn("micron-too-coarse", ids(fine.findings))


class PlainHardness(unittest.TestCase):
    def test_wherever_a_job_writes_a_hardness(self) -> None:
        """In a school's adder and in a valve's setting, too; each at its place."""
        softener = {"kind": "softener", "hardness_setting": "300 ppm"}
        design = worked(job({"schools": {"iron_compensation": "fixed", "iron_adder": "50 mg/L"}}, train=[softener]))
        told = {note.path for note in design.assumptions if "as CaCO3" in note.why}
        self.assertEqual(told, {"$.schools.iron_adder", "$.train[0].hardness_setting"})

    def test_mg_and_ppm_are_as_calcium_carbonate(self) -> None:
        """120 mg/L and 120 ppm are read as CaCO3 and told; 120 mg/L as CaCO3 is told nothing."""
        for text, told in (("120 mg/L", True), ("120 ppm", True), ("120 mg/L as CaCO3", False), ("7 gpg", False)):
            with self.subTest(text):
                design = worked(job({"wishes": {"soften_above": text}}))
                self.assertAlmostEqual(read_job(job({"wishes": {"soften_above": text}})).facts.wishes.soften_above or 0.0, 120, delta=0.3)
                self.assertEqual("$.wishes.soften_above" in [note.path for note in design.assumptions], told)
