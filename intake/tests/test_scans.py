"""Photographs of reports, made here: turned, shadowed, at 150 dpi. What both readings agree on is to be compared, the rest is asked."""

from __future__ import annotations

import io
import shutil
from unittest import TestCase, skipUnless
from unittest.mock import patch

from PIL import Image
from weasyprint import HTML

from treatment.evidence.reports.report import Report

from ..apart import as_stored, from_stored, report_apart
from ..limits import Unreadable
from .made import photograph

HEAD = "<h2>Larkfell Laboratory</h2><p>Sample: Kitchen tap</p><p>Sampled: 04 May 2026</p>"
ROWS = [
    ("Iron", "2.4", "mg/L", "0.3"), ("Manganese", "0.12", "mg/L", "0.05"), ("Hardness", "180", "mg/L CaCO3", ""), ("pH", "6.9", "", "6.5-8.5"),
    ("Lead", "&lt;0.5", "ug/L", "10"), ("Chloride", "24", "mg/L", "250"), ("Total coliform", "Present", "/100 mL", "0"),
]  # fmt: skip
WANTED = {
    "iron": 2.4, "manganese": 0.12, "hardness": 180.0, "ph": 6.9, "lead": 0.0, "chloride": 24.0, "total_coliform": 1.0,
}  # fmt: skip


def printed(
    ruled: bool, heading: tuple[str, ...] = ("Test", "Result", "Units", "Limit"), rows: list[tuple[str, ...]] = ROWS, head: str = HEAD
) -> bytes:
    """A laboratory's page as PDF."""
    style = "<style>body{font:10pt sans-serif} table{border-collapse:collapse} td{padding:3px 12px}" + ("td{border:1px solid}" if ruled else "")
    body = "".join("<tr>" + "".join(f"<td>{cell}</td>" for cell in row) + "</tr>" for row in [heading, *rows])
    document: bytes = HTML(string=f"{style}</style>{head}<table>{body}</table>").write_pdf()
    return document


def lows(report: Report) -> dict[str, float]:
    return {row.analyte.key: row.reading.low for sample in report.samples for row in sample.rows if row.analyte and row.reading}


@skipUnless(shutil.which("tesseract"), "tesseract-ocr is not installed")
class Photographs(TestCase):
    def test_a_page_with_and_without_rules(self) -> None:
        """Every row is read right and to be compared, none sure; the head tells sample and day; each row has its place on the picture."""
        for ruled in (False, True):
            with self.subTest(ruled=ruled):
                read = report_apart(photograph(printed(ruled)))
                [sample] = read.report.samples
                self.assertEqual(lows(read.report), WANTED)
                self.assertEqual({row.status for row in sample.rows}, {"check"})
                self.assertEqual((sample.label, str(sample.taken_on)), ("Kitchen tap", "2026-05-04"))
                self.assertTrue(all(row.at in read.boxes for row in sample.rows))
                places = [read.boxes[row.at] for row in sample.rows]
                self.assertEqual([place[2] for place in places], sorted(place[2] for place in places))
                self.assertTrue(read.pages[0].startswith(b"\xff\xd8"))
                self.assertEqual(from_stored(as_stored(read)).boxes, read.boxes)

    def test_another_language_and_a_scan_without_text(self) -> None:
        """German words, decimal commas, turned the other way, as the only page of a PDF that holds no text: 14.2 °dH x 17.848 = 253.4."""
        rows = [
            ("Eisen", "0,24", "mg/l", "0,2"),
            ("Mangan", "0,06", "mg/l", "0,05"),
            ("Gesamthärte", "14,2", "°dH", ""),
            ("Blei", "0,003", "mg/l", "0,01"),
        ]
        picture = photograph(printed(False, ("Parameter", "Ergebnis", "Einheit", "Grenzwert"), rows, "<p>Probe: Küche</p>"), turned=-1.5, dpi=200)
        out = io.BytesIO()
        Image.open(io.BytesIO(picture)).save(out, "PDF", resolution=200)
        found = lows(report_apart(out.getvalue()).report)
        self.assertEqual(
            {key: round(value, 4) for key, value in found.items() if key != "hardness"}, {"iron": 0.24, "manganese": 0.06, "lead": 0.003}
        )
        self.assertAlmostEqual(found["hardness"], 14.2 * 17.848, delta=0.1)

    def test_what_is_no_page(self) -> None:
        """A broken picture, a tiny one, an empty one: each told in words."""
        out = io.BytesIO()
        Image.new("L", (1200, 1600), 250).save(out, "JPEG")
        for content, words in ((b"\xff\xd8\xff" + b"x" * 400, "picture"), (out.getvalue(), "Nothing can be read"), (b"\x89PNG\r\n\x1a\n", "picture")):
            with self.assertRaisesRegex(Unreadable, words):
                report_apart(content)


class Without(TestCase):
    def test_it_says_that_it_cannot(self) -> None:
        """Where the reader of letters is not installed a picture is refused in words, and all else works."""
        from ..scans import scanned

        with patch("intake.scans.shutil.which", return_value=None), self.assertRaisesRegex(Unreadable, "tesseract-ocr is not installed"):
            scanned(b"\xff\xd8\xff")
        with self.assertRaisesRegex(Unreadable, "as JPEG"):
            report_apart(b"\0\0\0\x18ftypheic" + b"\0" * 50)
