"""Which test next, and what is behind what is seen: worked by hand on waters where the answer is plain."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from ..evidence.symptoms import causes
from ..job.facts import OBSERVATIONS
from ..language.analytes import analytes
from ..language.tables import table
from ..papers.design_file import design_document
from ..studies.next_tests import in_brief, in_words, next_tests
from .example import HARD_ONLY, job, worked

CLEAR: dict[str, str | None] = {"nitrate": "1 mg/L as N"}


class WhichTestNext(TestCase):
    def test_a_strip_across_the_softening_mark_decides_the_softener(self) -> None:
        """80 mg/L asks for nothing, 250 mg/L for a softener: the hardness test decides just that."""
        design = worked(job(readings=HARD_ONLY | CLEAR | {"hardness": "80..250 mg/L"}))
        first = next_tests(design)[0]
        self.assertEqual(first.analyte, "hardness")
        self.assertEqual(first.decides, ("whether the softener is needed",))
        self.assertEqual(in_words(first), "An on-site hardness test decides whether the softener is needed.")

    def test_a_missing_iron_test_is_asked_for(self) -> None:
        """Without iron 0.05 to 3 mg/L is usual: 3 is above what a softener takes, so an iron filter hangs on it."""
        found = {test.analyte: test for test in next_tests(worked(job(readings=HARD_ONLY | {"iron": None})))}
        self.assertIn("whether the iron filter is needed", found["iron"].decides)

    def test_a_missing_coliform_test_comes_first(self) -> None:
        """It flips a health finding and brings a lamp with its filter: nothing is worth more."""
        found = next_tests(worked(job(readings=HARD_ONLY | {"total_coliform": None, "e_coli": None, "iron": None})))
        self.assertEqual(found[0].analyte, "total_coliform")
        self.assertIn("whether total coliform is above its health limit", found[0].decides)

    def test_a_well_tested_water_needs_no_more(self) -> None:
        """Every reading exact and nothing missing: no test would change the design."""
        self.assertEqual(next_tests(worked(job(readings=HARD_ONLY | CLEAR | {"iron": "0.02 mg/L", "manganese": "0.01 mg/L"}))), [])

    def test_a_size_that_hangs_on_an_interval(self) -> None:
        """10 to 30 gpg need a softener either way, but not the same one."""
        found = {test.analyte: test for test in next_tests(worked(job(readings=HARD_ONLY | {"hardness": "10..30 gpg"})))}
        self.assertTrue(found["hardness"].decides[0].startswith("the size of the softener: "))

    def test_nitrate_is_asked_of_every_private_source_and_metals_where_water_eats_pipe(self) -> None:
        """A well without a nitrate test; acid water in pipe nobody named. A town's water, or neutral hard water, is not asked."""
        asked = {test.analyte for test in next_tests(worked(job(readings={"hardness": "2 gpg"})))}
        self.assertLessEqual({"nitrate", "lead"}, asked)
        town = {test.analyte for test in next_tests(worked(job({"source": {"kind": "town"}}, readings=HARD_ONLY)))}
        self.assertFalse({"nitrate", "lead", "copper"} & town)

    def test_what_is_seen_reaches_the_list(self) -> None:
        """Slime and a smell: iron bacteria and sulfide are asked for, with what they would explain."""
        seen = worked(job({"observations": ["slime", "rotten_egg_cold"]}, readings=HARD_ONLY | CLEAR))
        found = {test.analyte: test.decides for test in next_tests(seen)}
        self.assertLessEqual({"iron_bacteria", "hydrogen_sulfide"}, set(found))
        self.assertTrue(any("slime" in each for each in found["iron_bacteria"]))

    def test_without_any_test_nothing_is_built_and_the_list_is_shown(self) -> None:
        """No readings: no softener on an assumed hardness; the tests that decide are listed, hardness among them."""
        document = job()
        document["samples"][0]["readings"] = {"temperature": "52 degF"}
        design = worked(document)
        self.assertEqual(design.plan.train, ())
        self.assertLessEqual({"hardness", "total_coliform", "nitrate", "iron"}, {test.analyte for test in next_tests(design)})

    def test_each_is_told_on_one_line(self) -> None:
        """By its name and the gravest thing it decides, with how many more there are: a line of the page takes some forty letters."""
        seen: dict[str, Any] = {"observations": ["slime", "rotten_egg_cold", "orange_stains"]}
        for changes, readings in (
            ({}, {"hardness": "2 gpg"}),
            (seen, HARD_ONLY),
            ({}, HARD_ONLY | {"hardness": "10..30 gpg", "iron": None, "e_coli": None}),
        ):
            for test in next_tests(worked(job(changes, readings=readings))):
                line = f"{analytes()[test.analyte].name} {in_brief(test)}"
                self.assertLessEqual(len(line), 48, line)
                self.assertEqual(len(test.decisions) > 1, line.endswith(")"), line)
        iron = next(test for test in next_tests(worked(job(readings=HARD_ONLY | {"iron": None}))) if test.analyte == "iron")
        self.assertTrue(in_brief(iron).startswith("iron filter or not"), in_brief(iron))

    def test_the_document_carries_the_ranking(self) -> None:
        """Ranks count from one."""
        document = design_document(worked(job(readings=HARD_ONLY | {"hardness": "80..250 mg/L", "iron": None})))
        self.assertEqual([test["rank"] for test in document["next_tests"]], list(range(1, len(document["next_tests"]) + 1)))


class WhatIsBehindIt(TestCase):
    def test_readings_rank_the_causes(self) -> None:
        """Orange stains with 2.4 mg/L of iron: iron is likely, bacteria that were not looked for possible."""
        design = worked(job({"observations": ["orange_stains"]}))
        self.assertEqual(
            [(c.cause.split()[0], c.standing) for c in causes(("orange_stains",), design.evidence)], [("dissolved", "likely"), ("iron", "possible")]
        )

    def test_a_reading_can_speak_against_a_cause(self) -> None:
        """White crust beside soft water: hardness is unlikely."""
        design = worked(job(readings=HARD_ONLY | {"hardness": "2 gpg"}))
        self.assertEqual(causes(("white_crust",), design.evidence)[0].standing, "unlikely")

    def test_what_treatment_does_not_cure_is_said(self) -> None:
        """A smell in hot water only is the heater's; surface water in a well is the well's."""
        design = worked(job())
        self.assertFalse(causes(("rotten_egg_hot_only",), design.evidence)[0].curable)
        self.assertFalse(causes(("cloudy_after_rain",), design.evidence)[0].curable)

    def test_every_observation_has_a_cause_and_every_analyte_named_exists(self) -> None:
        """The table covers the vocabulary."""
        from ..language.analytes import analytes

        self.assertEqual(set(table("symptoms")), set(OBSERVATIONS))
        for row in table("symptoms").values():
            for entry in row["causes"]:
                self.assertTrue(entry["tell"])
                for name in [look["analyte"] for look in entry["looks"]] + ([entry["test"]] if entry["test"] else []):
                    self.assertIn(name, analytes())
