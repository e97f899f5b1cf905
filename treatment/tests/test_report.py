from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..evidence.report import MOST_ROWS, SAMPLE_COLUMNS, layout_of, own_samples, read_report
from ..language.analytes import fold
from ..language.errors import NotUnderstood
from .fuzz import fuzz


class Reports(TestCase):
    def test_a_report_with_a_header(self) -> None:
        """Columns found by their names, in any order; longer names are guessed and marked to be checked."""
        rows = [
            ["Larkfell Laboratory", "", "", ""],
            ["Method", "Parameter", "Result", "Units"],
            ["A", "Iron", "2,4", "mg/L"],
            ["B", "Hardness (as CaCO3)", "240", "mg/L"],
            ["C", "Nitrate", "8", "mg/L"],
            ["D", "Total coliform", "absent", ""],
            ["E", "Mystery", "3", "mg/L"],
            ["F", "Lead", "<0.5", "ug/L"],
            ["G", "Manganese, recoverable", "0.1", "mg/L"],
            ["H", "Alkalinity as HCO3", "122", "mg/L"],
        ]
        read = read_report(rows)
        self.assertEqual([(row.analyte.key if row.analyte else None, row.sure) for row in read],
                         [("iron", "sure"), ("hardness", "sure"), ("nitrate", "check"), ("total_coliform", "sure"), (None, "aside"), ("lead", "sure"),
                         ("manganese", "check"), ("alkalinity", "sure")])  # fmt: skip
        self.assertAlmostEqual(read[0].reading.low if read[0].reading else 0, 2.4)
        self.assertIn("does not say as what", read[2].problem)
        # a basis printed with the name belongs to the unit: 122 mg/L HCO3 x 50.04 / 61.02 = 100 mg/L CaCO3
        self.assertAlmostEqual(read[7].reading.low if read[7].reading else 0, 100.06, places=1)
        self.assertAlmostEqual((read[5].reading.high if read[5].reading else 0) or 0, 0.0005)

    def test_rows_without_a_header(self) -> None:
        """Columns found by what stands in them."""
        read = read_report([["pH", "6.1", ""], ["Mn", "0.12", "mg/L"], ["Alkalinity", "45", "mg/L"]])
        self.assertEqual([row.analyte.key for row in read if row.analyte], ["ph", "manganese", "alkalinity"])
        self.assertTrue(all(row.reading for row in read))

    def test_lines_of_text(self) -> None:
        """A PDF's lines: name, then value and unit."""
        read = read_report([["Certificate of analysis"], ["Iron 2.4 mg/L"], ["pH: 6.1"], ["Sulphate <5 mg/L"]])
        self.assertEqual(
            [(row.analyte.key, row.reading is not None) for row in read if row.analyte], [("iron", True), ("ph", True), ("sulfate", True)]
        )

    def test_what_is_unclear_is_kept_aside_with_its_reason(self) -> None:
        """A bare hardness, a missing result and a doubled analyte are not taken silently."""
        read = read_report(
            [["Parameter", "Result", "Unit"], ["Hardness", "12", ""], ["Iron", "", "mg/L"], ["Iron", "2", "mg/L"], ["Fe", "3", "mg/L"]]
        )
        self.assertEqual([row.sure for row in read], ["aside", "aside", "sure", "check"])
        self.assertIn("needs its unit", read[0].problem)
        self.assertIn("twice", read[3].problem)

    def test_a_layout_is_known_by_its_header(self) -> None:
        """The same words in another case are the same layout; other columns are another; no header is none."""
        one = layout_of([["Larkfell Laboratory"], ["Parameter", "Result", "Units"], ["Iron", "2", "mg/L"]])
        self.assertEqual(one, layout_of([["PARAMETER", "result", "units"], ["Lead", "2", "ug/L"]]))
        self.assertNotEqual(one, layout_of([["Parameter", "Method", "Result", "Units"], ["Iron", "A", "2", "mg/L"]]))
        self.assertEqual(layout_of([["Iron", "2", "mg/L"], ["pH", "7", ""]]), "")

    def test_what_was_remembered_of_a_layout_is_used(self) -> None:
        """Its odd name is the analyte meant, its missing unit the one remembered; what was left aside stays aside."""
        rows = [["Parameter", "Result", "Unit"], ["Fe-tot ICP", "2.4", ""], ["Hardness", "12", ""], ["Odd thing", "5", "mg/L"]]
        known = {fold("Fe-tot ICP"): ["iron", "mg/L"], fold("Hardness"): ["hardness", "gpg"], fold("Odd thing"): ["", ""]}
        read = read_report(rows, known)
        self.assertEqual([row.analyte.key if row.analyte else None for row in read], ["iron", "hardness", None])
        self.assertAlmostEqual(read[0].reading.low if read[0].reading else 0, 2.4)
        self.assertAlmostEqual(read[1].reading.low if read[1].reading else 0, 12 * 17.118, places=1)
        self.assertIn("as remembered", read[2].problem)

    def test_our_own_table_is_read_back(self) -> None:
        """Rows of one sample belong together, an apostrophe against formulas is taken off, empty facts are left out; another table is not ours."""
        header = list(SAMPLE_COLUMNS)
        rows = [
            header,
            ["1", "2026-05-04", "raw", "", "rain", "laboratory", "iron", "Iron", "exact", "2.4", "2.4", "mg/L", "2.4 mg/L"],
            ["1", "2026-05-04", "raw", "", "rain", "laboratory", "ph", "pH", "exact", "6.1", "6.1", "pH", "'6.1"],
            ["2", "", "tap", "", "", "", "iron", "Iron", "below", "0", "0.1", "mg/L", "<0.1 mg/L"],
        ]
        samples = own_samples(rows)
        self.assertEqual(samples, [
            {"taken_on": "2026-05-04", "point": "raw", "weather": "rain", "method": "laboratory", "readings": {"iron": "2.4 mg/L", "ph": "6.1"}},
            {"point": "tap", "readings": {"iron": "<0.1 mg/L"}},
        ])  # fmt: skip
        self.assertIsNone(own_samples([["Parameter", "Result"]]))
        self.assertIsNone(own_samples([]))

    def test_too_many_rows_are_refused(self) -> None:
        """Twenty thousand are read, one more is said to be too many."""
        with self.assertRaisesRegex(NotUnderstood, f"more than {MOST_ROWS}"):
            read_report([["Iron", "2", "mg/L"]] * (MOST_ROWS + 1))

    def test_no_table_is_said(self) -> None:
        """Nothing in it, or nothing we know."""
        for rows in ([], [[""]], [["x1", "y1"], ["x2", "y2"]]):
            with self.assertRaises(NotUnderstood):
                read_report(rows)

    @given(st.lists(st.lists(st.text(max_size=12), max_size=4), max_size=8))
    @fuzz(150)
    def test_any_table_is_read_or_refused(self, rows: list[list[str]]) -> None:
        """Every row comes back, understood or kept aside."""
        try:
            read = read_report(rows)
        except NotUnderstood:
            return
        for row in read:
            self.assertTrue(row.reading is not None or row.sure == "aside")
