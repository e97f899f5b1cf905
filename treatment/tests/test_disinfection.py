"""Disinfection never falls out of a plan, and a source that carries microbes by its kind is never left without a barrier or a word."""

from __future__ import annotations

import unittest
from typing import Any

from treatment.design import Design, design
from treatment.drawing.train.view import draw_train
from treatment.job_file import read_job

CLEAR = {
    "ph": "7.4", "alkalinity": "120 mg/L as CaCO3", "hardness": "4 gpg", "iron": "0.05 mg/L", "manganese": "0.01 mg/L", "tds": "220 mg/L", "turbidity": "0.3 NTU",
    "nitrate": "1 mg/L as N", "uvt": "92 %", "total_coliform": "present", "e_coli": "absent",
}  # fmt: skip


def plan(kind: str = "drilled_well", flow: str = "8 gpm", readings: dict[str, str | None] | None = None, **parts: Any) -> Design:
    given = {name: text for name, text in (CLEAR | (readings or {})).items() if text is not None}
    document = {
        "format": "cairn-job/1", "as_of": "2026-06-01", "source": {"kind": kind}, "samples": [{"point": "raw", "taken_on": "2026-05-01", "readings": given}],
        "supply": {"flow": flow, "pressure_low": "40 psi", "pressure_high": "60 psi", "temperature": "50 degF"},
        "building": {"people": 4, "fixtures": {"wc": 2, "basin": 2, "shower": 2, "kitchen_sink": 1, "washer": 1}},
        "wishes": {"safe_to_drink": True, "soft_water": False}, "train": None,
    }  # fmt: skip
    return design(read_job(document | parts))


def kinds(worked: Design) -> list[str]:
    return [stage.kind for stage in worked.proposal.run.stages]


def found(worked: Design) -> dict[str, str]:
    return {finding.rule: finding.severity for finding in worked.chosen.findings}


BARRIERS = {"uv", "barrier_filter", "retention_tank"}


class NeverFallsOut(unittest.TestCase):
    def assert_held(self, worked: Design) -> None:
        """Microbes are gone at the end, by a treatment that holds them."""
        self.assertTrue(BARRIERS & set(kinds(worked)), kinds(worked))
        self.assertEqual(worked.proposal.run.finished.value("total_coliform"), 0.0, kinds(worked))
        self.assertNotIn("microbes-untreated", found(worked))

    def test_the_usual_water_gets_a_lamp(self) -> None:
        worked = plan()
        self.assertIn("uv", kinds(worked))
        self.assert_held(worked)

    def test_hard_water_without_salt(self) -> None:
        """20 gpg grows scale on a lamp and no salt may be used: chlorine with contact or a barrier holds them."""
        self.assert_held(plan(readings={"hardness": "20 gpg"}, wishes={"safe_to_drink": True, "soft_water": False, "no_salt": True}))

    def test_dark_water(self) -> None:
        """60 % of the light through: below 75 a larger lamp is sized for it, with a word; nobody is left without."""
        worked = plan(readings={"uvt": "60 %"})
        self.assert_held(worked)
        self.assertEqual(found(worked)["feed-limit/uv/uvt"], "caution")

    def test_water_too_dark_for_any_lamp(self) -> None:
        """40 %: beyond the lamps; something else holds."""
        worked = plan(readings={"uvt": "40 %"})
        self.assertNotIn("uv", kinds(worked))
        self.assert_held(worked)

    def test_a_bigger_supply_never_loses_the_lamp(self) -> None:
        """What the plumbing can pass grows with the supply; a restrictor at the design flow holds the dose."""
        for flow in ("6 gpm", "12 gpm", "20 gpm", "40 gpm", "80 gpm"):
            with self.subTest(flow):
                worked = plan(flow=flow)
                self.assertIn("uv", kinds(worked))
                self.assert_held(worked)

    def test_what_was_only_assumed_excludes_no_barrier(self) -> None:
        """Hardness was not tested; the middling value assumed, above what a lamp takes, is no reason to leave microbes alive."""
        worked = plan(readings={"hardness": None}, wishes={"safe_to_drink": True, "soft_water": False, "no_salt": True})
        self.assertIn("uv", kinds(worked))
        self.assert_held(worked)

    def test_without_power(self) -> None:
        worked = plan(wishes={"safe_to_drink": True, "soft_water": False, "no_power": True})
        self.assertEqual([kind for kind in kinds(worked) if kind in BARRIERS], ["barrier_filter"])
        self.assert_held(worked)

    def test_where_nothing_holds_it_is_said(self) -> None:
        """No power, and silt that blinds every element: no plan is complete, and it is a danger, in the finding and in the reasons alike."""
        worked = plan(readings={"iron": "9 mg/L", "ferrous_iron": "9 mg/L", "turbidity": "40 NTU", "ph": "5.2", "alkalinity": "6 mg/L as CaCO3"},
                      wishes={"safe_to_drink": True, "soft_water": False, "no_power": True, "no_salt": True})  # fmt: skip
        self.assertGreater(worked.proposal.run.finished.value("total_coliform"), 0)
        self.assertFalse(worked.plan.complete)
        self.assertEqual(found(worked)["microbes-untreated"], "danger")
        self.assertIn("the feed limit is", worked.plan.not_used["barrier_filter"])


class TheSourceIsANeed(unittest.TestCase):
    TESTED_CLEAR = {"total_coliform": "absent", "e_coli": "absent"}

    def test_sources_that_carry_microbes_by_their_kind(self) -> None:
        """One clear sample of a spring, a dug well, a cistern or a stream says nothing of next month: a barrier is proposed."""
        for kind in ("spring", "dug_well", "surface", "rain"):
            for readings in (self.TESTED_CLEAR, {"total_coliform": None, "e_coli": None}):
                with self.subTest(kind=kind, readings=readings):
                    worked = plan(kind, readings=readings)
                    self.assertTrue(BARRIERS & set(kinds(worked)), kinds(worked))
                    self.assertTrue(any(need.health and need.goal == "total_coliform" and "source" in need.why for need in worked.needs))
                    self.assertNotIn("boil-water", found(worked))

    def test_the_drawing_does_not_say_that_anybody_found_them(self) -> None:
        worked = plan("spring", readings=self.TESTED_CLEAR)
        ribbon = next(ribbon for ribbon in draw_train(worked, worked.chosen, "us").ribbons if ribbon.analyte == "total_coliform")
        self.assertEqual(ribbon.labels[0].text, "assumed")
        self.assertNotIn("found", ribbon.said)

    def test_a_train_without_a_barrier_on_such_a_source(self) -> None:
        """Given bare, it is a danger that names the source, and not a finding of microbes that nobody found."""
        worked = plan("spring", readings=self.TESTED_CLEAR, train=[{"kind": "sediment"}])
        self.assertEqual(found(worked)["source-risk"], "danger")
        self.assertNotIn("microbes-untreated", found(worked))

    def test_surface_water_is_referred(self) -> None:
        """Its turbidity, algae and organics swing: a treatability study, beside the barrier."""
        self.assertEqual(found(plan("surface", readings=self.TESTED_CLEAR))["source-risk"], "caution")
        everything = {"total_coliform": "present", "e_coli": "present", "protozoa": "present"}
        self.assertEqual(found(plan("surface", readings=everything))["source-risk"], "caution")

    def test_the_source_is_named_as_people_name_it(self) -> None:
        for kind, words in (
            ("surface", "Surface water"),
            ("spring", "Spring water"),
            ("dug_well", "Water of a dug well"),
            ("rain", "Rain from a roof"),
        ):
            given = plan(kind, readings=self.TESTED_CLEAR, train=[{"kind": "sediment"}])
            said = next(finding.message for finding in given.chosen.findings if finding.rule == "source-risk" and finding.severity == "danger")
            self.assertTrue(said.startswith(f"{words} must be treated as carrying microbes"), said)

    def test_a_drilled_well_tested_clear_needs_none(self) -> None:
        worked = plan(readings=self.TESTED_CLEAR)
        self.assertFalse(BARRIERS & set(kinds(worked)))
        self.assertNotIn("source-risk", found(worked))

    def test_nobody_drinks_it(self) -> None:
        """Water that is not for drinking asks for no barrier."""
        worked = plan("spring", readings=self.TESTED_CLEAR, wishes={"safe_to_drink": False, "soft_water": False})
        self.assertFalse(BARRIERS & set(kinds(worked)))
