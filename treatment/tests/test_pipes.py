"""Pipe as it is bought: bores against published tables, losses worked by hand, sizes nobody makes refused in words."""

from __future__ import annotations

from math import pi
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..house.hydraulics import PipeRun
from ..house.pipes import known_sizes, larger, size_of, sizes_of
from ..job.facts import PIPE_MATERIALS
from ..job_file import read_job
from ..language.errors import BadDocument
from .example import job, worked
from .fuzz import fuzz

#: outside diameter and wall [mm] as the standards list them: the bore is what two walls leave
WALLS = {
    ("copper", None): {15: 0.7, 22: 0.9, 28: 0.9},  # EN 1057
    ("pe", "16"): {20: 2.0, 25: 2.3, 32: 3.0, 40: 3.7, 50: 4.6},  # EN 12201, SDR 11
    ("pe", "10"): {25: 1.8, 32: 2.0, 40: 2.4, 50: 3.0},  # SDR 17
    ("pex_expansion", None): {16: 2.0, 20: 2.0, 25: 2.3, 32: 2.9},
    ("pvc40", None): {20: 1.5, 25: 1.9, 32: 2.4, 40: 3.0, 50: 3.7},  # EN ISO 1452, 16 bar
}


def piped(size: str | None, material: str | None = "copper", **more: str) -> dict[str, object]:
    """A job whose pipe is of this size."""
    pipe = {"length": "12 m"} | ({"material": material} if material else {}) | ({"size": size} if size else {}) | more
    return job({"supply": {"flow": "30 L/min", "pressure_low": "3 bar", "pressure_high": "4 bar", "temperature": "10 degC", "pipe": pipe}})


class Bores(TestCase):
    def test_metric_pipe_has_its_own_bores(self) -> None:
        """Two walls less than its outside diameter, by published walls; never scaled from inches."""
        for (material, pressure_class), walls in WALLS.items():
            for outside, wall in walls.items():
                size = size_of(material, outside / 1000, pressure_class)
                assert size is not None
                self.assertAlmostEqual(size.bore * 1000, outside - 2 * wall, places=6)
                self.assertEqual(size.said, f"{outside} mm")

    def test_inch_pipe_stays(self) -> None:
        """3/4 in of type L copper is 19.9 mm inside; 19 mm is what some call it; 25 mm is not 1 in."""
        size = size_of("copper", 0.01905)
        assert size is not None
        self.assertEqual((size.said, round(size.bore * 1000, 1)), ("3/4 in", 19.9))
        self.assertEqual(size_of("copper", 0.019), size)
        self.assertIsNone(size_of("copper", 0.025))
        self.assertEqual(known_sizes("copper"), "1/2, 3/4, 1, 1 1/4, 1 1/2, 2 in, 15, 18, 22, 28, 35, 42, 54 mm")

    @given(st.sampled_from(PIPE_MATERIALS), st.sampled_from([None, "10", "16"]))
    @fuzz(40)
    def test_the_next_is_wider(self, material: str, pressure_class: str | None) -> None:
        """A larger size is wider inside, narrower than its own name, and of the same kind."""
        for size in sizes_of(material, pressure_class or "16"):
            self.assertLess(size.bore, size.nominal * 1.3)
            if size.metric:
                self.assertLess(size.bore, size.nominal)
            wider = larger(size, pressure_class)
            if wider is not None:
                self.assertGreater(wider.bore, size.bore)
                self.assertEqual(wider.metric, size.metric)


class Losses(TestCase):
    def test_copper_22_by_hand(self) -> None:
        """20 L/min in 20.2 mm: 20 ÷ 60000 ÷ (π ÷ 4 × 0.0202²) = 1.04 m/s; Re = 1.04 × 0.0202 ÷ 1.307e-6 = 16 075; Blasius: f = 0.3164 ÷ 16 075^0.25
        = 0.0281; 10 m with half again for fittings: 0.0281 × 15 ÷ 0.0202 × 999.7 × 1.04² ÷ 2 = 11.3 kPa."""
        size = size_of("copper", 0.022)
        assert size is not None
        run = PipeRun(size, 10.0)
        speed = 20 / 60000 / (pi / 4 * 0.0202**2)
        self.assertAlmostEqual(run.velocity(20.0), speed, places=6)
        factor = 0.3164 / (speed * 0.0202 / 1.307e-6) ** 0.25
        self.assertAlmostEqual(run.loss(20.0, 10.0) / (factor * 15 / 0.0202 * 999.7 * speed**2 / 2000), 1.0, delta=0.04)

    def test_insert_fittings_cost_more(self) -> None:
        """The same pipe: 1.8 times its length counted where inserts are crimped, 1.5 where the joint keeps the bore."""
        crimped, expanded = (PipeRun(size, 10.0) for size in (size_of("pex_crimp", 0.0254), size_of("pex_expansion", 0.0254)) if size)
        self.assertAlmostEqual(crimped.loss(30.0, 10.0) / expanded.loss(30.0, 10.0), 1.8 / 1.5, places=6)

    def test_a_smaller_bore_is_felt(self) -> None:
        """PE 25 of 16 bar is 20.4 mm, not an inch pipe of 26.2: about 26.2 to the power of 4.8 over 20.4 so, 3.3 times the loss; and its velocity is told."""
        size = size_of("pe", 0.025)
        assert size is not None
        design = worked(piped("25 mm", "pe"))
        self.assertEqual(design.duty.supply.pipe.size, size)
        told = [finding for finding in design.chosen.findings if finding.rule == "pipe-velocity"]
        self.assertIn("25 mm pipe", told[0].message)
        self.assertIn("32 mm", told[0].remedy)


class Refused(TestCase):
    def test_a_size_nobody_makes(self) -> None:
        """Refused at its place with the sizes that are known, for the material that is said or assumed; without a unit as ever."""
        for size, material, words in (
            ("22 mm", "pex_expansion", "16, 20, 25, 32 mm"), ("26 mm", "copper", "22, 28"), ("30 mm", None, " in"),
            ("3/4", "copper", "add a unit"), ("5 in", "cpvc", "2 in"),
        ):  # fmt: skip
            with self.assertRaises(BadDocument) as told:
                read_job(piped(size, material))
            (fault,) = told.exception.faults
            self.assertEqual(fault.path, "$.supply.pipe.size")
            self.assertIn(words, fault.message)

    def test_what_is_known_is_taken(self) -> None:
        """Inches and millimetres beside each other, with and without a class of pressure; a class nobody knows is refused."""
        for size, material in (("22 mm", "copper"), ("3/4 in", "pex_crimp"), ("40 mm", "pe"), (None, "pe"), ("1 in", None)):
            self.assertIsNotNone(worked(piped(size, material)).duty.supply.pipe)
        thin, thick = (worked(piped("32 mm", "pe", pressure_class=each)).duty.supply.pipe.bore for each in ("10", "16"))
        self.assertEqual((round(thin * 1000, 1), round(thick * 1000, 1)), (28.0, 26.0))
        with self.assertRaises(BadDocument):
            read_job(piped("32 mm", "pe", pressure_class="8"))
