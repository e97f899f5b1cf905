from __future__ import annotations

from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..evidence.samples import AnalyteState
from ..job_file import read_job
from ..language.errors import BadDocument
from .example import job, worked
from .fuzz import fuzz


def sampled(*iron: tuple[str, str, str], basis: dict[str, Any] | None = None):  # noqa: ANN201
    """A job whose iron was measured several times: (date, point, reading)."""
    document = job(readings={"iron": None, "ferrous_iron": None})
    document["samples"] += [{"taken_on": day, "point": point, "readings": {"iron": text}} for day, point, text in iron]
    if basis:
        document["design_basis"] = basis
    return document


FIVE = tuple((f"2026-0{month}-01", "raw", f"{value} mg/L") for month, value in ((1, 1), (2, 2), (3, 5), (4, 3), (5, 4)))


class DesignBasis(TestCase):
    def state(self, *args: Any, **options: Any) -> AnalyteState:
        return worked(sampled(*args, **options)).evidence.states["iron"]

    def test_worst_is_the_default(self) -> None:
        """Of 1, 2, 5, 3, 4 the design takes 5."""
        self.assertEqual(self.state(*FIVE).design, 5)

    def test_latest(self) -> None:
        """The reading of May is 4; its range is its own."""
        state = self.state(*FIVE, basis={"iron": {"by": "latest", "reason": "new well screen in April"}})
        self.assertEqual((state.design, state.low, state.high), (4, 4, 4))

    def test_percentile(self) -> None:
        """Ordered 1 2 3 4 5; the 90th lies 0.9 x 4 = 3.6 steps up: 4 + 0.6 x (5 - 4) = 4.6; the 75th at 3 steps: 4."""
        self.assertAlmostEqual(self.state(*FIVE, basis={"iron": {"by": "percentile"}}).design, 4.6)
        self.assertAlmostEqual(self.state(*FIVE, basis={"iron": {"by": "percentile", "percent": 75}}).design, 4.0)

    def test_chosen_by_hand_with_its_reason(self) -> None:
        """The value stands in the design and the reason among the assumptions."""
        design = worked(sampled(*FIVE, basis={"iron": {"by": "chosen", "value": "6 mg/L", "reason": "the neighbour's well"}}))
        self.assertEqual(design.evidence.states["iron"].design, 6)
        self.assertTrue(any(note.path == "$.design_basis.iron" and "neighbour" in note.why for note in design.assumptions))

    def test_raw_and_treated_are_never_mixed(self) -> None:
        """A treated 0 and a tap reading of 9 change nothing."""
        self.assertEqual(self.state(*FIVE, ("2026-06-01", "after:softener", "0.01 mg/L"), ("2026-06-01", "tap", "9 mg/L")).design, 5)

    def test_bad_bases_are_refused_by_path(self) -> None:
        """No reason, no value, microbes, an unknown analyte, a percentile of 20."""
        for basis, path in [
            ({"iron": {"by": "chosen", "value": "6 mg/L"}}, "$.design_basis.iron.reason"),
            ({"iron": {"by": "chosen", "reason": "because"}}, "$.design_basis.iron.value"),
            ({"e_coli": {"by": "latest"}}, "$.design_basis.e_coli"),
            ({"irom": {"by": "latest"}}, "$.design_basis.irom"),
            ({"iron": {"by": "percentile", "percent": 20}}, "$.design_basis.iron.percent"),
        ]:
            with self.subTest(path), self.assertRaises(BadDocument) as caught:
                read_job(sampled(*FIVE, basis=basis))
            self.assertIn(path, [fault.path for fault in caught.exception.faults])

    @given(st.lists(st.floats(0.1, 9).map(lambda v: round(v, 2)), min_size=2, max_size=6), st.integers(50, 100))
    @fuzz(20)
    def test_a_percentile_lies_between_median_and_worst(self, values: list[float], percent: int) -> None:
        """Never above the worst reading, never below the smallest; the hundredth is the worst."""
        rows = tuple((f"2026-01-{i + 1:02d}", "raw", f"{value} mg/L") for i, value in enumerate(values))
        design = self.state(*rows, basis={"iron": {"by": "percentile", "percent": percent}}).design
        self.assertLessEqual(design, max(values) + 1e-9)
        self.assertGreaterEqual(design, min(values) - 1e-9)
        if percent == 100:
            self.assertAlmostEqual(design, max(values))
