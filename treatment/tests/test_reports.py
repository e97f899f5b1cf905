"""Reports as laboratories print them: every layout, every mark, no false "sure"."""

from __future__ import annotations

import datetime as dt
import random
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..evidence.own_table import SAMPLE_COLUMNS, own_samples
from ..evidence.reports.dates import day, day_first
from ..evidence.reports.headings import heading
from ..evidence.reports.names import danger_of, meaning
from ..evidence.reports.numbers import number
from ..evidence.reports.read import MOST_ROWS, layout_of, read_sheets, sheets_of
from ..evidence.reports.report import Report, ReportRow
from ..evidence.reports.twice import compared
from ..language.analytes import analytes, fold
from ..language.errors import NotUnderstood
from ..language.tables import table
from ..papers.report_file import report_document
from .fuzz import fuzz


def table_of(text: str, mark: str = "|") -> list[list[str]]:
    return [[cell.strip() for cell in line.split(mark)] for line in text.strip().splitlines()]


def read(text: str, mark: str = "|") -> Report:
    return read_sheets(sheets_of(table_of(text, mark)))


def told(row: ReportRow) -> tuple[str, str | None, float | None, float | None]:
    """Status, analyte, low and high, rounded to six digits."""
    reading = row.reading
    low, high = (reading.low, reading.high) if reading else (None, None)
    short = [None if value is None else float(f"{value:.6g}") for value in (low, high)]
    return row.status, row.analyte.key if row.analyte else None, short[0], short[1]


class Layouts(TestCase):
    def test_names_that_hold_one_of_ours_and_are_another(self) -> None:
        """A chloride of an organic substance is no chloride, an isotope no element, bacteria of iron no iron; dangerous names say what they are."""
        for name in (
            "Chlorure de vinyle",
            "Methylene chloride",
            "Lead-210",
            "Potassium-40",
            "Tetraethyl lead",
            "Sodium hypochlorite",
            "Non-coliforms",
            "Atrazine déséthyl",
        ):
            self.assertIsNone(meaning(name).analyte, name)
        wanted = {
            "Total iron bacteria": "iron_bacteria",
            "Uranium-238": "uranium",
            "Radium-226": "radium",
            "Summe PFAS-20": "pfas",
            "4 Trübung": "turbidity",
            "TTHMs (ppb)": "trihalomethanes",
        }
        for name, key in wanted.items():
            self.assertEqual(getattr(meaning(name).analyte, "key", None), key, name)
        dangers = {
            "Microcystin-LR": "a toxin",
            "Asbestos": "a fiber",
            "Norovirus": "a microbe",
            "Hexavalent Cr": "a metal",
            "Diesel range organics": "a solvent or fuel",
            "Pb-210": "radioactivity",
        }
        for name, words in dangers.items():
            self.assertEqual(danger_of(name), words, name)
        for name in ("Phosphate", "Methane", "Strontium", "Appearance"):
            self.assertEqual(danger_of(name), "", name)

    def test_results_with_marks_and_limits_of_the_method(self) -> None:
        """Row numbers, limits and dates are no results; ND stands below its reporting limit, U below its own value, J is an estimate.

        Of two rows of nitrate the one that says as what is taken, to be checked."""
        report = read("""
            Larkfell Laboratory
            Sample: Kitchen tap | Date collected: 12 May 2026
            No. | Parameter | Result | Qual | Units | RL | MDL | MCL | Method | Analyzed
            1 | Iron | 0.31 |  | mg/L | 0.02 | 0.005 | 0.3 | 200.7 | 5/14/2026
            2 | Lead | ND | U | ug/L | 1.0 | 0.2 | 15 | 200.8 | 5/14/2026
            3 | Copper | 0.004 | J | mg/L | 0.01 | 0.002 | 1.3 | 200.8 | 5/14/2026
            4 | Nitrate as N | 2.1 | | mg/L | 0.1 | | 10 | 300.0 |
            5 | Total Coliform | Absent | | P/A | | | |
            6 | Hardness, Total (as CaCO3) | 210 | | mg/L | 1 | | |
            7 | pH | 6.4 | H | SU | | | 6.5-8.5 |
            8 | Arsenic, Total | 0.5 | U | ug/L | 0.5 | | 10 |
            9 | Manganese, dissolved | 0.08 | | mg/L | | | |
            10 | Nitrate | 3 | | mg/L | | | 10 |
            11 | Zinc | ND | | mg/L
            12 | Mystery | 3 | | mg/L
            13 | Chloride | | < 2 | mg/L""")
        [sample] = report.samples
        self.assertEqual((sample.label, sample.taken_on, sample.point), ("Kitchen tap", dt.date(2026, 5, 12), "tap"))
        self.assertEqual([told(row) for row in sample.rows[:12]], [
            ("sure", "iron", 0.31, 0.31), ("sure", "lead", 0.0, 0.001), ("check", "copper", 0.004, 0.004), ("check", "nitrate", 2.1, 2.1),
            ("sure", "total_coliform", 0.0, 0.0), ("sure", "hardness", 210.0, 210.0), ("sure", "ph", 6.4, 6.4), ("sure", "arsenic", 0.0, 0.0005),
            ("ask", None, None, None), ("aside", "nitrate", None, None), ("ask", "zinc", None, None), ("aside", None, None, None),
        ])  # fmt: skip
        self.assertIn("in the report twice", sample.rows[9].why)

    def test_semicolons_and_decimal_commas(self) -> None:
        """German names, units of their own: acid capacity 4.35 mmol/L x 50.04345 = 217.689; 12.4 °dH x 17.848 = 221.315; 23 NO3 x 0.225897 = 5.1956 N."""
        report = read(
            """
            Parameter;Einheit;Ergebnis;Grenzwert;Verfahren
            Probenahme: 03.04.2026
            pH-Wert;-;7,21;6,5-9,5;DIN
            Eisen, gesamt;mg/l;0,012;0,2;
            Säurekapazität bis pH 4,3;mmol/l;4,35;;
            Gesamthärte;°dH;12,4;;
            Nitrat;mg/l;23;50;
            Koloniezahl bei 22 °C;KBE/ml;12;100;
            Mangan;mg/l;< 0,005;0,05;
            Natrium;mg/l;1.234,5;;
            Basekapazität bis pH 8,2;mmol/l;0,4;;""",
            ";",
        )
        [sample] = report.samples
        self.assertEqual(sample.taken_on, dt.date(2026, 4, 3))
        self.assertEqual([told(row) for row in sample.rows], [
            ("sure", "ph", 7.21, 7.21), ("sure", "iron", 0.012, 0.012), ("sure", "alkalinity", 217.689, 217.689), ("sure", "hardness", 221.315, 221.315),
            ("check", "nitrate", 5.19563, 5.19563), ("sure", "heterotrophic_count", 1200.0, 1200.0), ("sure", "manganese", 0.0, 0.005),
            ("sure", "sodium", 1234.5, 1234.5), ("ask", None, None, None),
        ])  # fmt: skip

    def test_samples_as_columns(self) -> None:
        """Each column is a sample with the name over it; beyond the method's range is open above."""
        report = read("""
            Parameter | Unit | Raw water | After softener | Limit
            Iron | mg/L | 2.4 | <0.02 | 0.3
            E. coli | MPN/100 mL | >2419.6 | 0 | 0
            pH | | 6.9 | 7.0 | 6.5-8.5""")
        self.assertEqual([sample.label for sample in report.samples], ["Raw water", "After softener"])
        self.assertEqual(
            [told(row) for row in report.samples[0].rows], [("sure", "iron", 2.4, 2.4), ("sure", "e_coli", 2419.6, None), ("sure", "ph", 6.9, 6.9)]
        )
        self.assertEqual(told(report.samples[1].rows[0]), ("sure", "iron", 0.0, 0.02))
        self.assertEqual(report.samples[0].point, "raw")

    def test_a_pair_of_columns_for_every_sample(self) -> None:
        """Names over pairs of result and unit."""
        report = read("""
            | Well A | | Well B |
            Analyte | Result | Units | Result | Units
            Iron | 1.2 | mg/L | 40 | ug/L""")
        self.assertEqual([(sample.label, told(sample.rows[0])[2]) for sample in report.samples], [("Well A", 1.2), ("Well B", 0.04)])

    def test_a_sample_on_every_line(self) -> None:
        """Analytes across the top, their units below; a line of limits is no sample."""
        report = read("""
            Sample | Date | pH | Iron | Manganese | Hardness
             | | | mg/L | ug/L | mg/L as CaCO3
            Well A | 2026-05-01 | 6.4 | 1.2 | 310 | 150
            Well B | 2026-05-02 | 7.1 | <0.05 | 12 | 220
            MCL | | 6.5 | 0.3 | 50 |""")
        self.assertEqual(
            [(sample.label, sample.taken_on) for sample in report.samples], [("Well A", dt.date(2026, 5, 1)), ("Well B", dt.date(2026, 5, 2))]
        )
        self.assertEqual([told(row)[2] for row in report.samples[0].rows], [6.4, 1.2, 0.31, 150.0])

    def test_a_column_that_names_the_sample(self) -> None:
        """Rows go to the sample they name."""
        report = read("""
            Sample ID | Date sampled | Analyte | Result | Units
            A-1 | 2026-05-01 | Iron | 1.2 | mg/L
            A-2 | 2026-05-02 | Iron | 0.3 | mg/L
            A-1 | 2026-05-01 | pH | 6.8 |""")
        self.assertEqual([(sample.label, len(sample.rows)) for sample in report.samples], [("A-1", 2), ("A-2", 1)])

    def test_blocks_one_below_the_other_with_their_headings(self) -> None:
        """A new sample begins where it is named; repeated headings are no rows."""
        report = read("""
            Sample: Well | Sampled: 1 May 2026
            Parameter | Result | Unit
            Iron | 1.2 | mg/L
            Sample: Tap | Sampled: 2 May 2026
            Parameter | Result | Unit
            Iron | 0.1 | mg/L""")
        self.assertEqual([(sample.label, sample.taken_on, told(sample.rows[0])[2]) for sample in report.samples],
                         [("Well", dt.date(2026, 5, 1), 1.2), ("Tap", dt.date(2026, 5, 2), 0.1)])  # fmt: skip

    def test_two_tables_side_by_side(self) -> None:
        """Both are read, and belong to one sample."""
        report = read("""
            Parameter | Result | Unit | Parameter | Result | Unit
            Iron | 1.2 | mg/L | Chloride | 12 | mg/L
            Copper | 0.2 | mg/L | Sulphate | 15 | mg/L""")
        self.assertEqual([told(row)[1] for row in report.samples[0].rows], ["iron", "copper", "chloride", "sulfate"])

    def test_a_towns_yearly_table(self) -> None:
        """Ranges are intervals, one row for each; a year is no date and no result; of a percentile nine of ten lie below."""
        report = read("""
            Contaminant | MCLG | MCL | Level Detected | Range | Violation | Year | Typical source
            Nitrate (ppm) | 10 | 10 | 2.3 | 0.8-2.3 | No | 2024 | Runoff
            Fluoride (ppm) | 4 | 4 | 0.7 | ND - 0.7 | No | 2025 | Erosion
            Arsenic (ppb) | 0 | 10 | 3 | 1.2 to 3 | N | 2023 | Erosion""")
        [sample] = report.samples
        self.assertIsNone(sample.taken_on)
        self.assertEqual(
            [told(row) for row in sample.rows], [("check", "nitrate", 0.8, 2.3), ("sure", "fluoride", 0.0, 0.7), ("sure", "arsenic", 0.0012, 0.003)]
        )
        lead = read("Contaminant | Action Level | 90th Percentile | Sites above AL | Units\nLead | 15 | 4.1 | 0 | ppb")
        self.assertEqual(told(lead.samples[0].rows[0]), ("check", "lead", 0.0, 0.0041))

    def test_a_row_that_holds_a_word_of_a_heading_is_a_row(self) -> None:
        """Unknown compounds, tests and samples are kept aside; the row behind them keeps its result."""
        report = read("""
            Parameter | Result | Units
            Iron | 0.12 | mg/L
            Mystery compound | 3 | mg/L
            Test 3 | 5 | mg/L
            Total metals | 7 | mg/L
            Sample description | 12 | mg/L
            pH | 7.6 |""")
        self.assertEqual(
            [row.label for row in report.samples[0].rows], ["Iron", "Mystery compound", "Test 3", "Total metals", "Sample description", "pH"]
        )
        self.assertEqual(told(report.samples[0].rows[-1]), ("sure", "ph", 7.6, 7.6))

    def test_lines_without_a_table(self) -> None:
        """Dotted leaders, colons, spaces; numbers of reports and pages are nothing."""
        rows = [[line] for line in ("Iron ........... 0.3 mg/L", "pH: 6.1", "Sulphate <5 mg/L", "Hardness = 14 gpg", "Total coliforms ..... Absent",
                                    "Calcium          45 mg/L", "Report no 2026/114", "Page 1 of 2", "Larkfell Laboratory, 12 Iron Lane")]  # fmt: skip
        [sample] = read_sheets(sheets_of(rows)).samples
        self.assertEqual([told(row)[1] for row in sample.rows], ["iron", "ph", "sulfate", "hardness", "total_coliform", "calcium"])

    def test_several_numbers_without_a_heading_are_never_sure(self) -> None:
        """Which is the result, nobody says."""
        for rows in ([["Iron", "0.3", "2.4", "mg/L"]], [["Iron", "2.4", "mg/L", "0.3"]], [["Iron", "0.3"]]):
            self.assertEqual([row.status for row in read_sheets(sheets_of(rows)).samples[0].rows], ["check"], rows)

    def test_a_unit_for_the_whole_sheet_and_a_phase_over_rows(self) -> None:
        """``all results in ug/l``; under "Dissolved metals" iron is what passes a filter, other metals are open."""
        report = read("""
            All results in ug/l unless stated
            Parameter | Result
            Iron | 310
            Dissolved Metals
            Iron | 200
            Zinc | 5""")
        self.assertEqual(
            [told(row) for row in report.samples[0].rows],
            [("sure", "iron", 0.31, 0.31), ("check", "ferrous_iron", 0.2, 0.2), ("ask", None, None, None)],
        )

    def test_too_many_rows_and_nothing(self) -> None:
        """Beyond what is read it is refused; where nothing is ours the reason stands at the top."""
        with self.assertRaisesRegex(NotUnderstood, f"more than {MOST_ROWS}"):
            read_sheets(sheets_of([["Iron", "2", "mg/L"]] * (MOST_ROWS + 1)))
        for rows in ([], [[""]], [["x1", "y1"], ["x2", "y2"]]):
            self.assertTrue(read_sheets(sheets_of(rows)).why)
        self.assertIn("why", report_document(read_sheets([]), "x.csv"))


class Results(TestCase):
    def test_marks_and_forms(self) -> None:
        """Each printed result and what it must be; what could be two numbers is looked at."""
        cases = {
            ("Iron", "0.3 mg/L"): ("sure", 0.3, 0.3), ("Iron", "<0.3"): ("sure", 0.0, 0.3), ("Iron", "ND (0.5)"): ("sure", 0.0, 0.5),
            ("Iron", "ND<0.5"): ("sure", 0.0, 0.5), ("Iron", "0.5 U"): ("sure", 0.0, 0.5), ("Iron", "0.4 J"): ("check", 0.4, 0.4),
            ("Iron", "0.30 ± 0.02"): ("sure", 0.3, 0.3), ("Iron", "1.2E-1"): ("sure", 0.12, 0.12), ("Iron", "3 x 10^-1"): ("sure", 0.3, 0.3),
            ("Iron", "0.2 – 0.8"): ("sure", 0.2, 0.8), ("Iron", "> 5"): ("sure", 5.0, None), ("Iron", "0,31"): ("sure", 0.31, 0.31),
            ("Iron", "ND"): ("ask", None, None), ("Iron", "trace"): ("ask", None, None),
            ("Sodium", "1,234"): ("check", 1.234, 1.234), ("Sodium", "1,234.5"): ("sure", 1234.5, 1234.5), ("Iron", "310"): ("sure", 310.0, 310.0),
            ("Total coliform", "TNTC"): ("check", 200.0, None), ("Total coliform", "present"): ("sure", 1.0, None), ("E. coli", ">2419.6"): ("check", 2419.6, None),
            ("E. coli", "Absent in 100 mL"): ("sure", 0.0, 0.0), ("E. coli", "0"): ("sure", 0.0, 0.0), ("E. coli", "<1"): ("sure", 0.0, 1.0),
        }  # fmt: skip
        for (name, result), (status, low, high) in cases.items():
            with self.subTest(name, result=result):
                unit = "" if name in ("E. coli", "Total coliform") else "mg/L"
                [row] = read_sheets(sheets_of([["Parameter", "Result", "Unit"], [name, result, unit]])).samples[0].rows
                self.assertEqual((told(row)[2], told(row)[3]), (low, high))
                if result != "310":
                    self.assertEqual(row.status, status)
        self.assertIn("no natural water", read("Parameter|Result|Unit\nIron|3100|mg/L").samples[0].rows[0].why)

    def test_numbers(self) -> None:
        """By the file's own mark where one number could be two."""
        for token, mark, wanted in (
            ("1.234", ",", "1234"),
            ("1.234", ".", "1.234"),
            ("1,234", ".", "1234"),
            ("12,5", "", "12.5"),
            ("1 234", "", "1234"),
            ("1.2.3", "", ""),
        ):
            self.assertEqual(number(token, mark)[0], wanted, token)
        self.assertTrue(number("1,234", "")[1])

    def test_days(self) -> None:
        """Written many ways; two possible days are none, unless another date or the sheet's words tell the order."""
        for text in (
            "12 May 2026",
            "May 12, 2026",
            "12.05.2026",
            "2026-05-12 10:30",
            "12. Mai 2026",
            "12 de mayo de 2026",
            "12 mai 2026",
            "12-mei-2026",
            "5/12/2026",
        ):
            self.assertEqual(day(text, False), dt.date(2026, 5, 12), text)
        self.assertIsNone(day("03/04/2026", None))
        self.assertIsNone(day("2024", None))
        self.assertTrue(day_first(["received 13/04/2026", "03/04/2026"]))
        self.assertFalse(day_first(["MCL", "03/04/2026"]))


class Names(TestCase):
    def test_every_printed_name_means_its_analyte(self) -> None:
        """As it stands, in capitals, and with the formula or phase behind it."""
        for key, names in table("report_words")["names"].items():
            for name in names:
                with self.subTest(name):
                    for said in (name, name.upper(), f"{name} *", f"1. {name}"):
                        found = meaning(said)
                        self.assertEqual(found.analyte and found.analyte.key, key, said)

    def test_what_is_nearly_ours_is_never_taken(self) -> None:
        """Parts, sums and other forms: no analyte, and the reason."""
        for what, names in table("report_words")["open"].items():
            for name in names:
                found = meaning(name)
                self.assertIsNone(found.analyte, name)
                self.assertEqual(found.why, table("report_words")["open_why"][what], name)
        for label in ("Dissolved manganese", "Manganese (Mn), dissolved", "Lead, dissolved", "Mangan gelöst"):
            self.assertEqual(meaning(label).how, "ask", label)
        self.assertEqual(meaning("Iron & Manganese").how, "ask")
        for label in ("Vinyl chloride", "Carbon tetrachloride", "Client", "Sample 1", "12 Iron Lane"):
            self.assertNotEqual(meaning(label).how, "sure", label)

    def test_basis_and_phase(self) -> None:
        """As N and as NO3, as CaCO3 and as HCO3, total and dissolved, free and total."""
        for label, key, basis in (
            ("Nitrate-N", "nitrate", "N"), ("NO3-N", "nitrate", "N"), ("Nitrate (as NO3)", "nitrate", "NO3"), ("Nitrate Nitrogen", "nitrate", "N"), ("Nitrate", "nitrate", ""),
            ("Alkalinity as HCO3", "alkalinity", "HCO3"), ("Bicarbonate Alkalinity as CaCO3", "bicarbonate", "CaCO3"), ("Ammonia (NH3)", "ammonium", "NH3"),
            ("Orthophosphate as P", "phosphate", "P"), ("Chlorine, Total Residual", "total_chlorine", ""), ("Chlorine, free", "free_chlorine", ""),
            ("Fer dissous", "ferrous_iron", ""), ("Iron, Total", "iron", ""),
        ):  # fmt: skip
            found = meaning(label)
            self.assertEqual((found.analyte and found.analyte.key, found.basis), (key, basis), label)

    def test_headings(self) -> None:
        """A limit of the method, a limit of the law and a result are told apart, with the unit in the heading."""
        for text, role, unit in (
            ("Detection Limit", "detection", ""), ("Reporting Limit (ug/L)", "reporting", "ug/L"), ("Max. allowed", "limit", ""), ("Result (mg/L)", "result", "mg/L"),
            ("Ergebnis in mg/l", "result", "mg/l"), ("Sample Date", "sampled", ""), ("Date Analysed", "other_date", ""), ("Units", "unit", ""), ("Test Method", "method", ""),
            ("Resultaat", "result", ""), ("Limite de qualité", "limit", ""), ("Action Level", "limit", ""), ("Year", "year", ""), ("Your Result", "result", ""),
        ):  # fmt: skip
            self.assertEqual((heading(text).role, heading(text).unit), (role, unit), text)


class Remembered(TestCase):
    def test_a_layout_is_known_by_its_heading(self) -> None:
        """The same words in another case are the same layout; other columns are another; no heading is none."""
        one = layout_of(sheets_of([["Larkfell Laboratory"], ["Parameter", "Result", "Units"], ["Iron", "2", "mg/L"]]))
        self.assertEqual(one, layout_of(sheets_of([["PARAMETER", "result", "units"], ["Lead", "2", "ug/L"]])))
        self.assertNotEqual(one, layout_of(sheets_of([["Parameter", "Method", "Result", "Units"], ["Iron", "A", "2", "mg/L"]])))
        self.assertEqual(layout_of(sheets_of([["Iron", "2", "mg/L"], ["pH", "7", ""]])), "")

    def test_what_was_remembered_is_used(self) -> None:
        """Its odd name is the analyte meant, its missing unit the one remembered; what was left aside stays aside."""
        rows = [["Parameter", "Result", "Unit"], ["Fe-tot special", "2.4", ""], ["Hardness", "12", ""], ["Odd thing", "5", "mg/L"]]
        known = {fold("Fe-tot special"): ["iron", "mg/L"], fold("Hardness"): ["hardness", "gpg"], fold("Odd thing"): ["", ""]}
        found = read_sheets(sheets_of(rows), known).samples[0].rows
        self.assertEqual([told(row)[:3] for row in found], [("sure", "iron", 2.4), ("sure", "hardness", 205.417), ("aside", None, None)])
        self.assertIn("as in the saved layout", found[2].why)

    def test_our_own_table_is_read_back(self) -> None:
        """Rows of one sample belong together, an apostrophe against formulas is taken off, empty facts are left out; another table is not ours."""
        rows = [
            list(SAMPLE_COLUMNS),
            ["1", "2026-05-04", "raw", "", "rain", "laboratory", "iron", "Iron", "exact", "2.4", "2.4", "mg/L", "2.4 mg/L"],
            ["1", "2026-05-04", "raw", "", "rain", "laboratory", "ph", "pH", "exact", "6.1", "6.1", "pH", "'6.1"],
            ["2", "", "tap", "", "", "", "iron", "Iron", "below", "0", "0.1", "mg/L", "<0.1 mg/L"],
        ]
        self.assertEqual(own_samples(rows), [
            {"taken_on": "2026-05-04", "point": "raw", "weather": "rain", "method": "laboratory", "readings": {"iron": "2.4 mg/L", "ph": "6.1"}},
            {"point": "tap", "readings": {"iron": "<0.1 mg/L"}},
        ])  # fmt: skip
        self.assertIsNone(own_samples([["Parameter", "Result"]]))
        self.assertIsNone(own_samples([]))


HEADS = {
    "name": ("Parameter", "Analyte", "Determinand", "Contaminant (units)", "Paramètre", "Parámetro", "Substance"),
    "result": ("Result", "Your result", "Ergebnis", "Résultat", "Resultado", "Resultaat", "Level Detected", "Amount in your sample"),
    "unit": ("Units", "Einheit", "Unité", "Eenheid"), "limit": ("MCL", "Limit", "Grenzwert", "PCV", "Action Level", "Safe limit"), "goal": ("MCLG", "Goal"),
    "detection": ("MDL", "LOD", "Nachweisgrenze"), "reporting": ("RL", "LOQ", "PQL", "Reporting Limit"), "method": ("Method", "Verfahren"),
    "number": ("No.", "#", "Lfd Nr"), "year": ("Year", "Year Sampled"), "verdict": ("Violation", "Pass", "Typical source"), "taken": ("Date analysed", "Received"),
}  # fmt: skip
BESIDE = {
    "limit": ("0.3", "5", "50", "250", "AL=15", "NA", "6.5-8.5", ""), "goal": ("0", "10", "NA", ""), "detection": ("0.01", ""), "reporting": ("0.05", "1"),
    "method": ("200.7", "M123", ""), "year": ("2024", "2025"), "verdict": ("No", "N", "Y", "Erosion of natural deposits", ""), "taken": ("05/14/2026", "2026-05-14"),
}  # fmt: skip
UNKNOWN = ("Mystery compound", "Test 3", "Vinyl chloride", "Total metals", "Sample description", "Taste", "Silver", "Silver, total")


def random_report(seed: int) -> tuple[list[list[str]], dict[str, float]]:
    """A table with its columns in any order, its units in a column or beside the names, and what is true in it: canonical value by printed label."""
    pick = random.Random(seed)
    in_labels = pick.random() < 0.3
    needed = ("name", "result") if in_labels else ("name", "result", "unit")
    columns = [role for role in HEADS if role in needed or (role != "unit" and pick.random() < 0.5)]
    pick.shuffle(columns)
    rows: list[list[str]] = [[pick.choice(HEADS[role]) for role in columns]]
    truth: dict[str, float] = {}
    names = table("report_words")["names"]
    odd = {"nitrate", "nitrite", "ammonium", "phosphate"}  # whose names may say a basis
    keys = pick.sample([key for key in names if key not in odd and not analytes()[key].is_microbe], 12)
    for i, key in enumerate([*keys, *pick.sample(UNKNOWN, 3)], 1):
        beside = {role: pick.choice(values) for role, values in BESIDE.items()} | {"number": str(i)}
        if key in UNKNOWN:
            rows.append([{"name": key, "result": "3", "unit": "mg/L"}.get(role, beside.get(role, "")) for role in columns])
            continue
        analyte, label = analytes()[key], pick.choice(names[key])
        unit = pick.choice([each for each in analyte.accepted_units() if analyte.factor_for(each)])
        value = f"{pick.uniform(analyte.plausible[0] + 0.01, analyte.plausible[1]):.{pick.choice((1, 2))}f}"
        label = f"{label} ({unit})" if in_labels and unit != "pH" else label
        cells = {"name": label, "result": value, "unit": "" if unit == "pH" else unit}
        found = analyte.factor_for(unit)
        assert found
        truth[label] = found[0].to_canonical(float(value)) * found[1]
        rows.append([cells.get(role, beside.get(role, "")) for role in columns])
    head, body = rows[0], rows[1:]
    pick.shuffle(body)
    return [head, *body], truth


class Properties(TestCase):
    @given(st.integers(0, 10**6))
    @fuzz(60)
    def test_no_random_table_yields_a_false_sure(self, seed: int) -> None:
        """Columns in any order and language, limits and numbers beside the results: what is sure is true, and nearly all of it is read."""
        rows, truth = random_report(seed)
        samples = read_sheets(sheets_of(rows)).samples
        found = {row.label: row for sample in samples for row in sample.rows}
        self.assertLessEqual(set(truth), set(found))
        self.assertEqual(sum(len(sample.rows) for sample in samples), len(rows) - 1)
        for label, row in found.items():
            if row.status == "sure":
                assert row.reading
                self.assertIn(label, truth)
                self.assertAlmostEqual(row.reading.low, truth[label], delta=abs(truth[label]) * 1e-6 + 1e-9, msg=label)
        right = sum(
            row.reading is not None and abs(row.reading.low - truth[label]) <= abs(truth[label]) * 1e-6 + 1e-9 for label, row in found.items()
        )
        self.assertGreaterEqual(right, len(truth) - 1)

    @given(st.lists(st.lists(st.text(max_size=12), max_size=4), max_size=8))
    @fuzz(150)
    def test_any_table_is_read_or_says_why(self, rows: list[list[str]]) -> None:
        """Never an error; a row that is sure has a reading."""
        report = read_sheets(sheets_of(rows))
        self.assertTrue(report.samples or report.why)
        for sample in report.samples:
            for row in sample.rows:
                self.assertTrue(row.reading is not None or row.status in ("ask", "aside"))
                self.assertEqual(bool(row.why), row.status != "sure")


class ReadTwice(TestCase):
    """A picture that was read twice."""

    @staticmethod
    def both(one: str, other: str) -> dict[str, tuple[str, float | None, str]]:
        rows = [row for sample in compared(read(one), read(other)).samples for row in sample.rows]
        return {row.label: (row.status, row.reading.low if row.reading else None, row.why) for row in rows}

    def test_what_agrees_is_to_be_compared_what_differs_is_asked(self) -> None:
        """A point lost in one reading, a digit turned, a row that one alone saw; a name that one misread stands by the other."""
        head = "Test | Result | Unit | Limit\n"
        found = self.both(
            head + "Iron | 2.4 | mg/L | 0.3\nManganese | 52 | mg/L | \nZinc | 0.5 | mg/L |\nCopper | 0.17 | mg/L |\npH | 6.9 | |",
            head + "lron | 2.4 | mg/L | 0.3\nManganese | 5.2 | mg/L |\nCopper | 0.11 | mg/L |\npH | 6.9 | |",
        )
        self.assertEqual({label: row[:2] for label, row in found.items()}, {
            "Iron": ("check", 2.4), "Manganese": ("ask", None), "Zinc": ("ask", None), "Copper": ("ask", None), "pH": ("check", 6.9),
        })  # fmt: skip
        self.assertIn("“52 mg/L” and as “5.2 mg/L”", found["Manganese"][2])
        self.assertIn("only one of two readings", found["Zinc"][2])

    def test_a_lost_point_that_both_readings_agree_on(self) -> None:
        """24 mg/L beside a limit of 0.3 is 80 times it, without a point: asked. 2.4, or 12 CFU beside 0, is not."""
        text = "Test | Result | Unit | Limit\nIron | 24 | mg/L | 0.3\nManganese | 2.4 | mg/L | 0.05\nTotal coliform | 12 | CFU/100mL | 0"
        self.assertEqual(
            {label: row[0] for label, row in self.both(text, text).items()}, {"Iron": "ask", "Manganese": "check", "Total coliform": "check"}
        )
        text = "Test | Unit | Well | Kitchen\nIron | mg/L | 0.52 | 52\nManganese | mg/L | 0.2 | 0.1"
        rows = [(row.label, row.status) for sample in compared(read(text), read(text)).samples for row in sample.rows]
        self.assertEqual(rows, [("Iron", "check"), ("Manganese", "check"), ("Iron", "ask"), ("Manganese", "check")])

    @given(st.integers(0, 10**6))
    @fuzz(30)
    def test_nothing_of_a_picture_is_sure(self, seed: int) -> None:
        """Whatever two readings hold: no row is sure, and a reading is only what both say."""
        pick = random.Random(seed)
        names = ["Iron", "Manganese", "Copper", "Zinc", "Chloride", "Sodium", "Mystery"]

        def sheet() -> str:
            rows = [f"{name} | {pick.choice(['0.5', '5', '1.7', '17', '<0.1'])} | mg/L" for name in names if pick.random() < 0.9]
            return "\n".join(["Test | Result | Unit", *rows])

        one, other = sheet(), sheet()
        said = [{row.label: row.reading for sample in read(text).samples for row in sample.rows} for text in (one, other)]
        for sample in compared(read(one), read(other)).samples:
            for row in sample.rows:
                self.assertNotEqual(row.status, "sure")
                if row.reading:
                    self.assertTrue(all((each[row.label].low, each[row.label].high) == (row.reading.low, row.reading.high) for each in said))
