"""UV transmittance that nobody measured: worked out from what darkens water, all along the train, its interval wide."""

from __future__ import annotations

import unittest

from treatment.design import Design, design
from treatment.job_file import read_job
from treatment.studies.next_tests import next_tests

from .example import HARD_ONLY, ids, job


def worked(**readings: str) -> Design:
    base = {"ph": "7.2", "alkalinity": "120 mg/L as CaCO3", "hardness": "5 gpg", "total_coliform": "present"}
    document = {
        "format": "cairn-job/1", "source": {"kind": "drilled_well"}, "samples": [{"readings": base | readings}],
        "supply": {"flow": "8 gpm", "pressure_low": "40 psi", "pressure_high": "60 psi"}, "wishes": {"safe_to_drink": True, "soft_water": False}, "train": None,
    }  # fmt: skip
    return design(read_job(document))


class Estimated(unittest.TestCase):
    def test_from_what_darkens_the_water(self) -> None:
        """Colour 30, iron 1, turbidity 2: A = 0.004 × 30 + 0.06 × 1 + 0.004 × 2 = 0.188 per cm; 100 × 10^-0.188 = 64.9 %."""
        state = worked(colour="30 mg/L Pt-Co", iron="1 mg/L", turbidity="2 NTU").evidence.states["uvt"]
        self.assertAlmostEqual(state.design, 64.86, places=1)
        self.assertEqual(state.origin, "computed")
        # 0.002 × 30 + 0.03 × 1 + 0.004 × 2 = 0.098: 79.8 %; 0.006 × 30 + 0.1 × 1 + 0.004 × 2 = 0.288: 51.5 %
        self.assertAlmostEqual(state.low, 51.52, places=1)
        self.assertAlmostEqual(state.high or 0.0, 79.80, places=1)

    def test_carbon_counts_before_colour(self) -> None:
        """TOC 3 mg/L: A = 0.04 × 3 = 0.12, 75.9 %; the larger of the two counts where both are known."""
        self.assertAlmostEqual(worked(toc="3 mg/L").evidence.states["uvt"].design, 75.86, places=1)
        self.assertAlmostEqual(worked(toc="1 mg/L", colour="30 mg/L Pt-Co").evidence.states["uvt"].design, 75.86, places=1)

    def test_nothing_known(self) -> None:
        """85 % likely, between 70 and 95."""
        state = worked().evidence.states["uvt"]
        self.assertEqual((state.low, round(state.design, 6), state.high), (70.0, 85.0, 95.0))

    def test_it_clears_along_the_train(self) -> None:
        """Iron 2.4 darkens the raw water; after the iron filter the lamp sees what is left: A = 0.0706 + 0.06 × iron left."""
        run = worked(iron="2.4 mg/L", ferrous_iron="2.4 mg/L", ph="7.4", turbidity="0.3 NTU").proposal.run
        lamp = next(stage for stage in run.stages if stage.kind == "uv")
        self.assertLess(run.raw.value("uvt"), 62)
        self.assertGreater(lamp.water_in.value("uvt"), 80)
        left = 0.0706 + 0.06 * lamp.water_in.value("iron") + 0.004 * lamp.water_in.value("turbidity")
        self.assertAlmostEqual(lamp.water_in.value("uvt"), 100 * 10**-left, places=1)

    def test_a_measured_value_stands(self) -> None:
        self.assertEqual(worked(uvt="88 %", iron="2.4 mg/L").evidence.states["uvt"].design, 88.0)

    def test_the_test_is_asked_for(self) -> None:
        """Not measured, it decides on the lamp: it is among the next tests; and dark water is measured before a lamp is bought."""
        dark = worked(colour="25 mg/L Pt-Co")
        self.assertIn("uvt", [test.analyte for test in next_tests(dark)])
        self.assertIn("uvt-unmeasured", {finding.rule for finding in dark.chosen.findings})
        self.assertNotIn("uvt-unmeasured", {finding.rule for finding in worked(colour="25 mg/L Pt-Co", uvt="72 %").chosen.findings})


class AnotherDay(unittest.TestCase):
    """A transmittance of a dry day sizes no lamp for the wet one."""

    def spring(self, **wet: str) -> Design:
        document = job(
            {"source": {"kind": "spring"}, "wishes": {"soft_water": False}},
            readings=HARD_ONLY | {"hardness": "5 gpg", "uvt": "92 %", "total_coliform": "present"},
        )
        rain = {"taken_on": "2026-10-20", "point": "raw", "method": "laboratory", "weather": "rain", "readings": wet}
        document["samples"].append(rain)
        return design(read_job(document))

    def test_color_of_the_wet_day_darkens_by_itself(self) -> None:
        """Nobody read color on the dry day. 60 × 0.004 = 0.24 per cm: 57.5 %, not 92."""
        design = self.spring(colour="60 mg/L Pt-Co", turbidity="0.5 NTU")
        self.assertAlmostEqual(design.evidence.states["uvt"].design, 100 * 10**-0.24, delta=0.5)
        self.assertIn("uvt-unmeasured", ids(design.proposal.findings))
        self.assertIn("uvt", [each.analyte for each in next_tests(design)])

    def test_what_darkens_less_than_was_measured_changes_nothing(self) -> None:
        """Color of 5 is 0.02 per cm; 92 % are 0.036."""
        design = self.spring(colour="5 mg/L Pt-Co", turbidity="0.5 NTU")
        self.assertAlmostEqual(design.evidence.states["uvt"].design, 92.0, delta=0.01)
        self.assertNotIn("uvt-unmeasured", ids(design.proposal.findings))
