"""Files of every kind -> lines with their places; what cannot be read is said."""

from __future__ import annotations

import contextlib
import datetime as dt
import io
import json
import re
import tempfile
from pathlib import Path
from unittest import TestCase
from unittest.mock import patch

from hypothesis import given
from hypothesis import strategies as st
from openpyxl import Workbook

from treatment.evidence.reports.layouts import layout_at
from treatment.evidence.reports.names import meaning
from treatment.evidence.reports.read import read_sheets
from treatment.evidence.reports.report import Report, ReportRow
from treatment.language.errors import NotUnderstood
from treatment.tests.fuzz import fuzz
from workbench.safe_cells import safe_cell

from ..apart import LITTLE, report_apart
from ..cli import main
from ..files import sheets_of
from ..limits import Unreadable
from .made import page, saved, spreadsheet

REPORT = [["Parameter", "Result", "Unit"], ["Iron", 2.4, "mg/L"], ["Hardness", 12, ""], ["Mystery", 3, "mg/L"], ["Total coliform", "absent", ""]]
GOOD_FILES = (
    spreadsheet(REPORT),
    "Parameter;Result;Unit\nIron;2,4;mg/L\n".encode("utf-16"),
    "Prüfung;Result\npH;7,2\n".encode("cp1252"),
    b'Parameter,Result,Unit\n"Iron, total",2.4,mg/L\npH,"7.2",\n',
)


def rows_of(content: bytes) -> list[list[str]]:
    return [list(line.cells) for sheet in sheets_of(content) for line in sheet.lines]


def told(report: Report) -> list[tuple[str, str | None, float | None]]:
    return [
        (row.at, row.analyte.key if row.analyte else None, row.reading.low if row.reading else None)
        for sample in report.samples
        for row in sample.rows
    ]


class Files(TestCase):
    def test_tables_of_every_kind(self) -> None:
        """Semicolons with decimal commas, tabs, Latin-1, UTF-16 and spreadsheets give the same rows."""
        wanted = [["Parameter", "Result", "Unit"], ["Härte", "2,4", "mg/L"]]
        text = "Parameter;Result;Unit\nHärte;2,4;mg/L\n"
        for content in (text.encode(), text.encode("cp1252"), text.encode("utf-16"), text.replace(";", "\t").encode("utf-8-sig")):
            self.assertEqual(rows_of(content), wanted)
        self.assertEqual(rows_of(spreadsheet([["a", 1.5], ["b", None]])), [["a", "1.5"], ["b", ""]])

    def test_what_cannot_be_read_is_said(self) -> None:
        """Empty, too large, damaged, password-protected, binary."""
        for content, said in [
            (b"", "empty"), (b"x" * 5_000_001, "larger than"), (b"PK\x03\x04broken", "cannot be opened"), (b"\xd0\xcf\x11\xe0rest", "password"),
            (b"%PDF-1.4 broken", "cannot be read"), (b"\x00\x01\x02\x03", "not a text file"),
        ]:  # fmt: skip
            with self.assertRaisesRegex(Unreadable, said):
                rows_of(content)

    def test_formulas_are_neither_run_nor_written(self) -> None:
        """A formula in a spreadsheet has no value of its own here, and none leaves as a formula."""
        self.assertEqual(rows_of(spreadsheet([["Iron", "=1+1"], ["pH", 7]])), [["Iron", ""], ["pH", "7"]])
        for text in ("=1+1", "@x", "+x", "-x", "\tx", "-2+3", "-2+3+cmd|' /C calc'!A0", "-1*A1", "- 1"):
            self.assertTrue(safe_cell(text).startswith("'"))
        for text in ("-1.5 degC", "-40", "-0,5 m", "2.4 mg/L", "pH 7"):
            self.assertEqual(safe_cell(text), text)

    @given(st.binary(max_size=200))
    @fuzz(150)
    def test_any_bytes_are_rows_or_a_refusal(self, content: bytes) -> None:
        """No file makes the reader fail in another way."""
        try:
            rows = rows_of(content)
        except Unreadable as error:
            self.assertTrue(str(error))
        else:
            self.assertIsInstance(rows, list)

    @given(st.sampled_from(range(4)), st.integers(0, 6000), st.binary(min_size=1, max_size=8), st.booleans())
    @fuzz(150)
    def test_any_bytes_damaged_in_a_good_file_are_rows_or_a_refusal(self, which: int, place: int, put: bytes, cut: bool) -> None:
        """A spreadsheet, UTF-16, Latin-1 or comma-separated file, overwritten somewhere or cut short."""
        good = GOOD_FILES[which]
        at = place % len(good)
        content = good[:at] + put + (b"" if cut else good[at + len(put) :])
        try:
            read_sheets(sheets_of(content))
        except (Unreadable, NotUnderstood) as error:
            self.assertTrue(str(error))


class Spreadsheets(TestCase):
    def test_as_it_is_seen(self) -> None:
        """A cover, a hidden sheet, row and column stay apart; dates, formats with a sign, percents and joined cells are what they look like."""
        book = Workbook()
        cover = book.worksheets[0]
        cover.title = "Cover"
        cover.append(["Larkfell Laboratory"])
        cover.append(["Date sampled", dt.date(2026, 5, 12)])
        results = book.create_sheet("Results")
        results.append(["Secret", "Analyte", "Result", "Unit"])
        results.append(["x", "Iron", 0.3, "mg/L"])
        results.append(["x", "Lead", 5, "ug/L"])
        results.append(["x", "Copper", 0.02, "mg/L"])
        results.append(["x", "UV transmittance", 0.92, ""])
        results["C4"].number_format = '"<"0.00'
        results["C5"].number_format = "0%"
        results.row_dimensions[3].hidden = True
        results.column_dimensions["A"].hidden = True
        hidden = book.create_sheet("Drafts")
        hidden.append(["Zinc", 3, "mg/L"])
        hidden.sheet_state = "hidden"
        report = read_sheets(sheets_of(saved(book)))
        self.assertEqual(told(report), [("Results!2", "iron", 0.3), ("Results!4", "copper", 0.0), ("Results!5", "uvt", 92.0)])
        self.assertEqual(report.samples[0].taken_on, dt.date(2026, 5, 12))
        self.assertEqual(report.samples[0].rows[1].result, "<0.02")


class Pages(TestCase):
    def test_a_table_without_rules(self) -> None:
        """Cells belong to the heading over them, wherever they begin; empty ones stay empty."""
        columns = (40.0, 200.0, 280.0, 360.0, 440.0)
        table = [
            ("Parameter", "Result", "Units", "RL", "MCL"),
            ("Iron, total", "0.31", "mg/L", "0.02", "0.3"),
            ("Lead", "ND", "ug/L", "1.0", "15"),
            ("pH", "6.4", "", "", "6.5-8.5"),
        ]
        lines = [[(40.0, "Larkfell Laboratory")], [(40.0, "Sample: Kitchen tap"), (300.0, "Collected: 12 May 2026")]]
        lines += [[(x + (3 if n else 0), text) for n, (x, text) in enumerate(zip(columns, row, strict=True)) if text] for row in table]
        report = read_sheets(sheets_of(page(lines)))
        self.assertEqual(told(report), [("1:4", "iron", 0.31), ("1:5", "lead", 0.0), ("1:6", "ph", 6.4)])
        self.assertEqual((report.samples[0].label, report.samples[0].taken_on), ("Kitchen tap", dt.date(2026, 5, 12)))
        self.assertEqual(report.samples[0].rows[1].reading.high if report.samples[0].rows[1].reading else None, 0.001)

    def test_two_tables_and_dotted_leaders(self) -> None:
        """Stacked tables with their own headings, then lines with leaders."""
        lines = [
            [(40.0, "Metals")], [(40.0, "Analyte"), (220.0, "Result"), (300.0, "Unit")], [(40.0, "Iron"), (220.0, "310"), (300.0, "ug/L")],
            [(40.0, "General chemistry")], [(40.0, "Unit"), (120.0, "Test"), (300.0, "Value")], [(40.0, "mg/L"), (120.0, "Chloride"), (300.0, "12")],
        ]  # fmt: skip
        self.assertEqual(told(read_sheets(sheets_of(page(lines)))), [("1:3", "iron", 0.31), ("1:6", "chloride", 12.0)])
        leaders = [[(40.0, f"{name} {'.' * 40} {value}")] for name, value in (("Iron", "0.31 mg/L"), ("pH", "6.4"), ("Hardness", "12 gpg"))]
        self.assertEqual([key for _, key, _ in told(read_sheets(sheets_of(page(leaders))))], ["iron", "ph", "hardness"])


class OfManyCountries(TestCase):
    def test_each_is_read_as_a_person_read_it(self) -> None:
        """A hundred sheets as laboratories, dealers and towns print them, in five languages: every row as it was read by eye."""
        folder = Path(__file__).resolve().parents[2] / "treatment" / "tests" / "data" / "reports"
        for name, samples in json.loads((folder / "read.json").read_text()).items():
            report = read_sheets(sheets_of(next(folder.glob(f"{name}.[ct]*")).read_bytes()))
            found = [
                [sample.label, sample.taken_on.isoformat() if sample.taken_on else None, [self.row(row) for row in sample.rows]]
                for sample in report.samples
            ]
            with self.subTest(name):
                self.assertEqual(found, samples)

    def test_no_named_row_with_a_number_is_lost(self) -> None:
        """Whatever layout: a line that names one of ours and holds a number is a row, unless it is a heading, or the sheet a list."""
        folder = Path(__file__).resolve().parents[2] / "treatment" / "tests" / "data" / "reports"
        for path in sorted(folder.glob("*.[ct]*")):
            sheets = sheets_of(path.read_bytes())
            report = read_sheets(sheets)
            if not report.samples:
                continue
            kept = {row.at for sample in report.samples for row in sample.rows}
            for line in (line for sheet in sheets for line in sheet.lines if line.at not in kept):
                heads = layout_at([line, *(other for sheet in sheets for other in sheet.lines)], 0) is not None
                named = any(meaning(part).how == "sure" for cell in line.filled for part in re.split(r"\s{2,}|\.{3,}", cell))
                self.assertFalse(named and not heads and any(letter.isdigit() for cell in line.filled for letter in cell), f"{path.name} {line.at}")

    @staticmethod
    def row(row: ReportRow) -> list[object]:
        reading = row.reading
        low, high = (reading.low, reading.high) if reading else (None, None)
        return [
            row.label,
            row.status,
            row.analyte.key if row.analyte else None,
            *(None if each is None else float(f"{each:.5g}") for each in (low, high)),
        ]


class Columns(TestCase):
    def test_text_set_in_columns_by_spaces(self) -> None:
        """A fixed-width listing: empty places stay empty, limits are no results."""
        text = """Larkfell Laboratory
Sample: Well            Sampled: 12 May 2026

Parameter                Result   Units    RL      MCL
Iron, total                1.85   mg/L     0.05    0.3
Lead                       ND     ug/L     1.0     15
pH                         7.1                     6.5-8.5
Total coliforms          absent   /100mL
"""
        report = read_sheets(sheets_of(text.encode()))
        self.assertEqual(told(report), [("5", "iron", 1.85), ("6", "lead", 0.0), ("7", "ph", 7.1), ("8", "total_coliform", 0.0)])
        self.assertTrue(all(row.status == "sure" for row in report.samples[0].rows))
        self.assertEqual(report.samples[0].taken_on, dt.date(2026, 5, 12))

    def test_tables_set_close_side_by_side_on_a_page(self) -> None:
        """Two tables on the same lines, their cells three points apart."""
        head = [(40.0, "Parameter"), (150.0, "Result"), (190.0, "Unit"), (320.0, "Parameter"), (430.0, "Result"), (470.0, "Unit")]
        row = [(40.0, "Total dissolved solids"), (150.0, "312"), (190.0, "mg/L"), (320.0, "Iron"), (430.0, "1.85"), (470.0, "mg/L")]
        self.assertEqual(told(read_sheets(sheets_of(page([head, row])))), [("1:2", "tds", 312.0), ("1:2", "iron", 1.85)])


class Apart(TestCase):
    def test_much_text_is_understood_in_a_process_of_its_own(self) -> None:
        """As a little is here, with the same outcome; what is remembered goes with it; what would take too long is refused in words."""
        rows = "".join(f"Mystery {i},1,mg/L\n" for i in range(3000))
        content = ("Parameter,Result,Unit\nIron,2.4,mg/L\nOdd,5,\n" + rows).encode()
        self.assertGreater(len(content), LITTLE)
        with patch("intake.apart._answer", side_effect=AssertionError("read here")):
            read = report_apart(content, {"odd": ["chloride", "mg/L"]})
        found = told(read.report)
        self.assertEqual(found[:3], [("2", "iron", 2.4), ("3", "chloride", 5.0), ("4", None, None)])
        self.assertEqual(len(found), 3002)
        with self.assertRaisesRegex(Unreadable, "more time or memory"):
            report_apart(b"".join(b"".join(b"w%d %d," % (i, k) for k in range(50)) + b"\n" for i in range(9000)))


class CommandLine(TestCase):
    def run_on(self, name: str, content: bytes) -> tuple[int, str, str]:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, name)
            path.write_bytes(content)
            out, wrong = io.StringIO(), io.StringIO()
            with contextlib.redirect_stdout(out), contextlib.redirect_stderr(wrong):
                status = main([str(path)])
        return status, out.getvalue(), wrong.getvalue()

    def test_a_report_as_a_document(self) -> None:
        """Every printed row with its place, what it means in the canonical unit, and why where it is not sure."""
        status, out, _ = self.run_on("r.csv", b"Parameter,Result,Units\nLead,<5,ug/L\nHardness,12,\n")
        document = json.loads(out)
        self.assertEqual((status, document["format"], document["file"]), (0, "cairn-report/1", "r.csv"))
        lead, hardness = document["samples"][0]["rows"]
        self.assertEqual(lead, {"at": "2", "label": "Lead", "result": "<5", "unit": "ug/L", "status": "sure", "analyte": "lead", "reading": "<5 ug/L",
                                "low": 0.0, "high": 0.005, "canonical_unit": "mg/L", "why": ""})  # fmt: skip
        self.assertEqual((hardness["status"], hardness["low"], hardness["analyte"]), ("ask", None, "hardness"))
        self.assertTrue(hardness["why"])

    def test_what_cannot_be_opened_and_what_holds_nothing(self) -> None:
        """Exit 2 with one line; a document with its reason at the top."""
        status, out, wrong = self.run_on("x.xlsx", b"PK broken")
        self.assertEqual((status, out, len(wrong.splitlines())), (2, "", 1))
        for blank in (b"", b" \n ", page([])):
            status, out, _ = self.run_on("blank", blank)
            self.assertEqual((status, json.loads(out)["samples"], bool(json.loads(out)["why"])), (0, [], True))
        status, out, _ = self.run_on("x.csv", b"just,words\nand,more\n")
        self.assertEqual((status, json.loads(out)["samples"]), (0, []))
        self.assertTrue(json.loads(out)["why"])
