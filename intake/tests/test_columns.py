"""Two tables beside each other on a photograph are read each by itself; one table, however its cells stand, is never cut."""

from __future__ import annotations

import random
import shutil
from unittest import TestCase, skipUnless

from ..apart import report_apart
from ..columns import WHOLE, blocks
from ..scans import straight
from .made import pdf, photograph

NAMES = ("Iron", "Manganese, total", "Hardness as CaCO3", "pH", "Nitrate as N", "Sulfate", "Chloride", "Copper", "Lead, dissolved", "Total coliform")
VALUES, UNITS = ("0.12", "41", "<0.5", "absent"), ("mg/L", "NTU", "ug/L")
Pieces = list[tuple[float, float, str]]
LEFT = (
    ("Iron", "1.8", "mg/L"),
    ("Manganese", "0.12", "mg/L"),
    ("Hardness", "245", "mg/L"),
    ("Sulfate", "41", "mg/L"),
    ("Chloride", "22", "mg/L"),
    ("Sodium", "18", "mg/L"),
)
RIGHT = (("Arsenic", "4", "ug/L"), ("Alkalinity", "95", "mg/L"), ("Fluoride", "0.3", "mg/L"), ("Copper", "0.6", "mg/L"), ("Zinc", "1.1", "mg/L"))


def sheet(pieces: Pieces, turned: float = 2.0) -> bytes:
    """Pieces of text at their places [points from left and from above], photographed."""
    said = [
        b"BT /F 10 Tf 1 0 0 1 %.1f %.1f Tm (%s) Tj ET" % (x, 792 - y, text.encode().replace(b"(", b"\\(").replace(b")", b"\\)"))
        for x, y, text in pieces
    ]
    return photograph(pdf(b"\n".join(said)), turned)


def cut(pieces: Pieces, turned: float) -> int:
    """Into how many blocks a page is cut."""
    from ..scans import _images

    return len(blocks(straight(_images(sheet(pieces, turned))[0])))


def one_table(pick: random.Random) -> Pieces:
    """Facts, and a table of two to five columns, its names on one line or on two with the results beside their middle."""
    y, pieces = 80.0, [(60.0, 80.0 + 16 * row, "Sampled by") for row in range(pick.randint(0, 4))]
    pieces += [(170.0, at, "somebody") for _, at, _ in pieces]
    columns, pitch, two = sorted(pick.sample(range(170, 540, 35), pick.randint(2, 5))), pick.choice((14, 16, 18, 22)), pick.random() < 0.4
    y += 100
    for _ in range(pick.randint(6, 22)):
        y += pitch + (10 if two else 0)
        name = pick.choice(NAMES)
        pieces += [(60.0, y - 5.5, name), (60.0, y + 5.5, "by method four")] if two else [(60.0, y, name)]
        pieces += [(float(x), y, pick.choice((*VALUES, *UNITS))) for x in columns if pick.random() < 0.9]
    return pieces


def two_tables(left: object, right: object, below: float, pitches: tuple[float, float], gutter: float = 330.0) -> Pieces:
    """Two tables whose rows stand at different heights, under a line that runs over both and above another."""
    pieces: Pieces = [(60, 60, "Larkfell Laboratory: report of analysis of the water of the well at Fell Road 2")]
    for x, y, pitch, rows in ((60.0, 100.0, pitches[0], left), (gutter, 100.0 + below, pitches[1], right)):
        for number, row in enumerate([("Parameter", "Result", "Unit"), *rows]):  # type: ignore[misc]
            pieces += [(x + at, y + pitch * number, text) for at, text in zip((0, 100, 170), row, strict=True)]
    return [*pieces, (60, 420, "Remarks: the samples were taken by the owner and arrived cooled on the same day.")]


class Cut(TestCase):
    def test_one_table_is_one_block(self) -> None:
        for seed in range(8):
            pick = random.Random(seed)
            with self.subTest(seed):
                self.assertEqual(cut(one_table(pick), pick.choice((-2, 0, 2.5))), 1)

    def test_two_tables_on_common_lines_stay_together(self) -> None:
        """They are told apart by their headings, as in a text page."""
        self.assertEqual(cut(two_tables(LEFT, RIGHT, 0, (16, 16)), 1.5), 1)

    def test_two_tables_at_different_heights_are_cut(self) -> None:
        """Above, left, right, below: by half a line, by another pitch, far below."""
        for below, pitches in ((8, (16, 16)), (7, (14, 14)), (5, (16, 20)), (40, (15, 18)), (3, (18, 15))):
            with self.subTest(below=below, pitches=pitches):
                self.assertEqual(cut(two_tables(LEFT, RIGHT, below, pitches), -1.5 if below % 2 else 2), 4)

    def test_an_empty_page(self) -> None:
        from PIL import Image

        self.assertEqual(blocks(Image.new("L", (600, 800), 255)), [WHOLE])
        self.assertEqual(blocks(Image.effect_noise((600, 800), 60)), [WHOLE])


@skipUnless(shutil.which("tesseract"), "tesseract-ocr is not installed")
class Read(TestCase):
    def test_letters_below_each_other_are_no_rule(self) -> None:
        """Twelve rows of “mg/L” close below each other: no unit is taken for the rule of a table."""
        rows = [
            ("Sulfate", "41"),
            ("Chloride", "22"),
            ("Sodium", "18"),
            ("Copper", "0.6"),
            ("Iron", "1.8"),
            ("Manganese", "0.12"),
            ("Fluoride", "0.3"),
            ("Zinc", "1.1"),
        ]
        pieces = [(x, 100.0 + 12 * at, text) for at, row in enumerate(rows) for x, text in zip((60.0, 200.0, 300.0), (*row, "mg/L"), strict=True)]
        report = report_apart(sheet([(60, 60, "Larkfell Laboratory"), *pieces])).report
        self.assertEqual([row.label for sample in report.samples for row in sample.rows if "is not a unit" in row.why], [])
        self.assertEqual(len([row for sample in report.samples for row in sample.rows if row.analyte]), len(rows))

    def test_no_row_is_lost(self) -> None:
        """Each row of both tables is there, with its own result or asked; none has the neighbor's."""
        wanted = {name: result for name, result, _ in (*LEFT, *RIGHT)}
        for below, pitches in ((7, (14, 14)), (40, (15, 18))):
            with self.subTest(below=below):
                report = report_apart(sheet(two_tables(LEFT, RIGHT, below, pitches))).report
                rows = {row.analyte.name: row for sample in report.samples for row in sample.rows if row.analyte}
                self.assertEqual(set(rows), set(wanted))
                for name, row in rows.items():
                    self.assertTrue(row.reading is None or row.reading.typed.split()[0] == wanted[name], (name, row))
