"""The wall in the workbench: moves with undo, facts of the room, and every file read back."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import replace
from unittest import mock

import ezdxf
import pdfplumber
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from openpyxl import load_workbook

from treatment.language.tables import table
from workbench.pages import printing
from workbench.repository.door import store
from workbench.usecases.trains import option_of, revision_of
from workbench.walls.views import drawn

from .base import WorkbenchTestCase, job_document, read


class WallCase(WorkbenchTestCase):
    def setUp(self) -> None:
        super().setUp()
        document = job_document(
            {"site": {"wall_width": "24 ft", "ceiling": "9 ft"}},
            train=[{"kind": "neutralizer"}, {"kind": "softener"}, {"kind": "sediment"}, {"kind": "uv"}],
        )
        self.job = store(document, self.workspace, self.designer)

    def url(self, name: str) -> str:
        return reverse(name, args=[self.job.pk])

    def edit(self, **values: object) -> int:
        option = option_of(self.job)
        option.refresh_from_db()
        return self.client.post(self.url("wall-edit"), {"version": option.version} | values, headers={"HX-Request": "true"}).status_code

    def x_of(self, unit: str) -> float:
        job = type(self.job).objects.get(pk=self.job.pk)
        return next(each.outline.x for each in drawn(job)[1].units if each.id == unit)


class Moving(WallCase):
    def test_a_move_is_kept_snapped_and_undone(self) -> None:
        """Dropped at 3333 mm it stands at 3330; undo puts it where it was; it may be left to be placed again."""
        before = self.x_of("softener")
        self.assertEqual(self.edit(action="place", stage="softener", x="3333"), 200)
        self.assertEqual(self.x_of("softener"), 3330)
        self.assertEqual(self.edit(action="right", stage="softener"), 200)
        self.assertEqual(self.x_of("softener"), 3380)
        self.assertEqual(self.edit(action="undo"), 200)
        self.assertEqual(self.x_of("softener"), 3330)
        self.assertEqual(self.edit(action="release", stage="softener"), 200)
        self.assertAlmostEqual(self.x_of("softener"), before)

    def test_a_drop_lines_up_with_the_neighbour(self) -> None:
        """Let go 15 mm from the usual space beside the softener, the lamp comes to stand in it."""
        self.edit(action="place", stage="softener", x="500")
        softener = next(unit for unit in drawn(type(self.job).objects.get(pk=self.job.pk))[1].units if unit.id == "softener")
        beside = softener.outline.right + table("wall")["place"]["between"] + 2 * softener.leg
        self.edit(action="place", stage="uv", x=f"{beside + 15}")
        self.assertAlmostEqual(self.x_of("uv"), round(beside))

    def test_what_stays_on_the_wall_is_drawn_in_its_own_size(self) -> None:
        """A panel with its place alone is drawn in a usual size; with its own width and height in those."""
        for size, width in (
            ({}, 400),
            ({"electrical_panel_width": "22 in", "electrical_panel_height": "30 in", "electrical_panel_foot": "48 in"}, 22 * 25.4),
        ):
            self.job.refresh_from_db()
            self.client.post(self.url("wall"), {"version": self.job.version, "electrical_panel_x": "14 ft"} | size)
            panel = drawn(type(self.job).objects.get(pk=self.job.pk))[1].obstacles[0]
            self.assertAlmostEqual(panel.rect.width, width)
        self.assertAlmostEqual(panel.rect.z, 48 * 25.4)
        self.assertContains(self.client.get(self.url("wall")), "15.7 in (default)")

    def test_too_many_at_once_are_told(self) -> None:
        """Where no turn comes in time, a page says so; a turn that was taken is given back."""
        busy = replace(printing.PRINTER, wait_s=0.01)
        with mock.patch.object(printing, "PRINTER", busy), busy.turns, busy.turns:
            page = self.client.get(self.url("wall-pdf"))
        self.assertEqual(page.status_code, 503)
        self.assertIn("Other papers are being printed", read(page))
        self.assertTrue(self.client.get(self.url("wall-pdf")).content.startswith(b"%PDF"))

    def test_a_finding_is_accepted_on_the_wall_and_taken_back(self) -> None:
        """With its reason it is shown as accepted there and in the PDF; one click takes that back."""
        self.job.refresh_from_db()
        self.client.post(self.url("wall"), {"version": self.job.version, "wall_width": "3 ft"})
        rule, unit = "does-not-fit", drawn(type(self.job).objects.get(pk=self.job.pk))[1].findings[0].stage
        self.assertEqual(self.edit(action="waive", rule=rule, on=unit, reason="goes round the corner"), 200)
        self.assertContains(self.client.get(self.url("wall")), "goes round the corner")
        with pdfplumber.open(io.BytesIO(self.client.get(self.url("wall-pdf")).content)) as pdf:
            self.assertIn("goes round the corner", "".join(page.extract_text() for page in pdf.pages))
        self.assertEqual(self.edit(action="unwaive", rule=rule, on=unit), 200)
        self.assertNotContains(self.client.get(self.url("wall")), "goes round the corner")

    def test_the_train_page_tells_of_the_wall(self) -> None:
        """How many findings stand on the wall, with a way there."""
        tally = self.client.get(self.url("train")).context["wall_tally"]
        self.assertEqual((tally["fault"], tally["advice"]), (0, 1))  # what the softener weighs
        self.job.refresh_from_db()
        self.client.post(self.url("wall"), {"version": self.job.version, "wall_width": "3 ft"})
        page = self.client.get(self.url("train"))
        self.assertGreater(page.context["wall_tally"]["fault"], 0)
        self.assertNotContains(page, "no open findings")

    def test_a_stale_move_and_a_place_that_is_none_are_refused(self) -> None:
        """Neither moves anything, both say why."""
        before = self.x_of("softener")
        self.assertEqual(self.edit(action="place", stage="softener", x="3000", version=0), 409)
        for x in ("nan", "inf", "far", "1e30"):
            self.assertEqual(self.edit(action="place", stage="softener", x=x), 422, x)
        self.assertEqual(self.edit(action="place", stage="nobody", x="300"), 422)
        self.assertEqual(self.edit(action="fly", stage="softener"), 422)
        self.assertEqual(self.x_of("softener"), before)

    def test_moves_of_different_units_merge(self) -> None:
        """From one page one moves the softener, another the lamp: both stand. Two who move the softener: the later one is told."""
        option = option_of(self.job)
        shown = {"version": option.version, "shown": revision_of(option).pk}
        self.assertEqual(self.edit(action="place", stage="softener", x="3000", **shown), 200)
        self.assertEqual(self.edit(action="place", stage="uv", x="4200", **shown), 200)
        self.assertEqual(self.edit(action="place", stage="softener", x="3500", **shown), 409)
        self.assertAlmostEqual(self.x_of("softener"), 3000, delta=150)
        self.assertAlmostEqual(self.x_of("uv"), 4200, delta=150)

    def test_the_room_is_kept_and_a_bad_measure_refused(self) -> None:
        """A ceiling too low becomes a finding; no measure at all is refused beside its field and stays typed."""
        self.job.refresh_from_db()
        response = self.client.post(self.url("wall"), {"version": self.job.version, "ceiling": "a yard or so"})
        self.assertContains(response, "a yard or so", status_code=422)
        self.job.refresh_from_db()
        self.assertRedirects(
            self.client.post(self.url("wall"), {"version": self.job.version, "wall_width": "6 ft", "ceiling": "4 ft"}), self.url("wall")
        )
        page = self.client.get(self.url("wall"))
        self.assertContains(page, "under a ceiling of")
        self.assertContains(page, "on a wall of")


class Turning(WallCase):
    def test_a_lamp_is_laid_on_its_side_and_stood_up_again(self) -> None:
        """By the wall's own button, with undo; nothing else turns."""
        lamp = next(unit for unit in drawn(self.job)[1].units if unit.kind == "uv")
        for lies in (True, False):
            self.assertEqual(self.edit(action="turn", stage=lamp.id), 200)
            rect = next(unit for unit in drawn(self.job)[1].units if unit.id == lamp.id).parts[0][1]
            self.assertEqual(rect.width > rect.height, lies)
        other = next(unit for unit in drawn(self.job)[1].units if unit.kind != "uv")
        self.assertEqual(self.edit(action="turn", stage=other.id), 422)


class Files(WallCase):
    def test_the_drawing_exchange_file_is_the_drawing(self) -> None:
        """Read back by the library: every solid part and every pipe, at the millimetre."""
        wall = drawn(self.job)[1]
        document = ezdxf.filemanagement.read(io.StringIO(self.client.get(self.url("wall-dxf")).content.decode()))
        self.assertEqual(document.units, ezdxf.units.MM)
        space = document.modelspace()
        parts = sorted(
            (round(line[0][0], 3), round(line[0][1], 3), round(line[2][0], 3), round(line[2][1], 3))
            for line in space.query('LWPOLYLINE[layer=="units"]')
        )
        self.assertEqual(
            parts, sorted((round(r.x, 3), round(r.z, 3), round(r.right, 3), round(r.top, 3)) for unit in wall.units for _, r in unit.parts)
        )
        pipes = [line for layer in ("pipe", "metal", "drain", "brine") for line in space.query(f'LWPOLYLINE[layer=="{layer}"]')]
        length = sum(abs(a[0] - b[0]) + abs(a[1] - b[1]) for line in pipes for a, b in zip(list(line)[:-1], list(line)[1:], strict=True))
        self.assertAlmostEqual(length, sum(run.length for run in wall.runs), places=3)
        self.assertEqual(len(space.query("CIRCLE")), wall.count("valve"))
        signs = wall.count("union") + wall.count("sample_tap") + 2 * wall.count("gauge") + wall.count("air_gap")
        self.assertEqual(len(space.query('LWPOLYLINE[layer=="fittings"]')), signs)
        measured = sorted(round(abs(each.end[0] - each.start[0]), 1) for each in wall.dimensions)
        self.assertEqual(sorted(round(float(each.get_measurement()), 1) for each in space.query("DIMENSION")), measured)

    def test_the_wall_on_each_paper_at_a_scale_that_is_kept(self) -> None:
        """A4, A3, Letter and Tabloid: the sheet's size, a usual scale of feet and inches for a job in US units, a bar of three feet as long as it says,
        the plan on a sheet of its own; a paper nobody knows is the usual one."""
        for paper, (width, height) in {
            "a4": (297, 210),
            "a3": (420, 297),
            "letter": (279.4, 215.9),
            "tabloid": (431.8, 279.4),
            "": (431.8, 279.4),
        }.items():
            with pdfplumber.open(io.BytesIO(self.client.get(self.url("wall-pdf") + f"?paper={paper}").content)) as pdf:
                first = pdf.pages[0]
                self.assertAlmostEqual(float(first.width) / 72 * 25.4, width, delta=0.2)
                self.assertAlmostEqual(float(first.height) / 72 * 25.4, height, delta=0.2)
                scale = int(re.search(r"1:(\d+)", first.extract_text())[1])
                self.assertIn(scale, (12, 24, 48, 96))
                bars = [each for each in first.rects if abs(float(each["height"]) / 72 * 25.4 - 2) < 0.4]
                self.assertAlmostEqual(sum(float(each["width"]) for each in bars[:3]) / 72 * 25.4, 3 * 304.8 / scale, delta=1.2)
                self.assertIn("From above", pdf.pages[1].extract_text())

    def test_the_pdfs_hold_their_text_with_fonts_embedded(self) -> None:
        """Scale, findings and materials in one; stages and figures in the other; quotation marks in a name do no harm."""
        type(self.job).objects.filter(pk=self.job.pk).update(name='The "Beck" <farm>')
        wall, train = (self.client.get(self.url(name)).content for name in ("wall-pdf", "train-pdf"))
        for content, wanted in (
            (wall, ("wall layout, 1:", "Materials", "Softener", "Layout findings")),
            (train, ("Softener", "Calcite neutralizer", "pH out", "gpm")),
        ):
            with pdfplumber.open(io.BytesIO(content)) as document:
                text = "\n".join(page.extract_text() for page in document.pages)
                fonts = {char["fontname"] for page in document.pages for char in page.chars}
            for words in (*wanted, 'The "Beck" <farm>'):
                self.assertIn(words, text)
            self.assertTrue(fonts and all("+" in font for font in fonts), "a font is not embedded as a subset")

    def test_the_picture_file_stands_alone(self) -> None:
        """Its size on paper is that of the wall at 1:20, and it asks for nothing from elsewhere."""
        text = self.client.get(self.url("wall-svg")).content.decode()
        self.assertTrue(text.lstrip().startswith("<svg") or text.lstrip().startswith("<?xml"))
        self.assertNotRegex(text.replace("http://www.w3.org/", ""), r"https?://|href=\"/")

    def test_the_materials_agree_on_the_page_and_in_both_files(self) -> None:
        """The same rows and the same sum, whichever way they leave."""
        lines = list(csv.DictReader(io.StringIO(self.client.get(self.url("materials-csv")).content.decode())))
        total = sum(float(line["total"]) for line in lines)
        self.assertGreater(len(lines), 12)
        sheet = load_workbook(io.BytesIO(self.client.get(self.url("materials-xlsx")).content)).active
        assert sheet is not None
        rows = list(sheet.iter_rows(min_row=4, values_only=True))
        self.assertEqual([row[1] for row in rows], [line["key"] for line in lines])
        self.assertAlmostEqual(sum(float(str(row[6])) for row in rows), total, places=2)
        self.assertContains(self.client.get(self.url("materials")), f"{total:.2f}")


class Prices(WallCase):
    def key(self) -> tuple[str, float, float]:
        lines = csv.DictReader(io.StringIO(self.client.get(self.url("materials-csv")).content.decode()))
        line = next(line for line in lines if line["key"] == "valve_head")
        return line["key"], float(line["price_each"]), float(line["quantity"])

    def price(self) -> float:
        return self.key()[1]

    def test_a_list_of_the_firm_replaces_sample_prices(self) -> None:
        """From a CSV with a key and a price in each row; a negative or worded price is refused and the list stays."""
        key, sample, _ = self.key()
        address = reverse("prices")
        bad = SimpleUploadedFile("p.csv", b"key,price\nnothing-of-ours,4\n")
        self.assertEqual(self.client.post(address, {"file": bad}).status_code, 422)
        good = SimpleUploadedFile("p.csv", f"key,price\n{key},{sample + 11}\n".encode())
        self.assertRedirects(self.client.post(address, {"file": good}), address)
        self.assertAlmostEqual(self.price(), sample + 11)
        self.workspace.refresh_from_db()
        was = f"{key}={sample + 11:g}"
        self.assertContains(self.client.post(address, {key: "cheap", "was": was}), "cheap", status_code=422)
        self.assertContains(self.client.post(address, {key: "5", "was": ""}), "Someone else changed", status_code=409)
        self.assertRedirects(self.client.post(address, {key: "5", "was": was}), address)
        self.assertAlmostEqual(self.price(), 5.0)

    def test_a_viewer_sees_no_prices(self) -> None:
        """Nor changes them."""
        self.client.force_login(self.viewer)
        self.assertEqual(self.client.get(reverse("prices")).status_code, 403)
        self.assertEqual(self.client.post(reverse("prices"), {}).status_code, 403)
