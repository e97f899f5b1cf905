"""The main paths in a real browser, as a person walks them."""

from __future__ import annotations

import datetime as dt

from axe_playwright_python.sync_playwright import Axe
from django.utils import timezone
from playwright.sync_api import Page, expect

from intake.files import sheets_of
from intake.tests.made import spreadsheet
from treatment.evidence.reports.read import read_sheets
from treatment.tests.example import HARD_ONLY
from treatment.tests.example import job as job_document
from workbench.catalogues import services as stock
from workbench.records.job import Job, KeptPaper, Survey
from workbench.records.sample import KitRun, Reading, Sample
from workbench.repository.door import store
from workbench.usecases import books as logs
from workbench.usecases import doors
from workbench.usecases.trains import shown_stages

from .base import BrowserTestCase, has_focus
from .test_starts import with_train


def stages(page: Page) -> list[str]:
    """Kinds of the stages as the drawing shows them, from left to right."""
    page.wait_for_selector("#bench .stage")
    return [(each.get_attribute("data-stage") or "").split("-")[0] for each in page.locator("#bench .stage").all()]


class FromAnEmptyJobToATrain(BrowserTestCase):
    def test_the_whole_path(self) -> None:
        """Name a job, type the test, the house and the supply, and read the train with its working."""
        page = self.page
        page.fill("#id_name", "Beck End")
        page.get_by_role("button", name="Start a job").click()
        page.wait_for_url("**/water/")
        page.fill("#line-0", "hardness 14 gpg, iron 2.4, fe2 2.4 mg/L, pH 6.1, alk 40, mn <0.01, coliform present, uvt 90 %")
        expect(page.locator("#preview-0 .chip")).to_have_count(8)
        expect(page.locator("#preview-0")).to_contain_text("outside limit 0.3 mg/L")
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_label("Readings", exact=True).locator(".chip")).to_have_count(8)

        page.locator(".steps").get_by_role("link", name="Site").click()
        page.select_option("#id_source_kind", "drilled_well")
        page.fill("#id_people", "4")
        page.fill("#id_fixture_wc", "2")
        page.fill("#id_fixture_shower", "2")
        page.get_by_role("button", name="Save", exact=True).click()
        expect(page.get_by_text("Daily use", exact=True)).to_be_visible()
        expect(page.locator("#step")).to_contain_text("240 gal/day")
        expect(page.locator("#saved")).to_have_text("Saved")

        page.locator(".steps").get_by_role("link", name="Supply").click()
        page.fill("#id_flow_l_min", "7 gpm")
        page.fill("#id_pressure_low_kpa", "50 psi")
        page.fill("#id_temperature_c", "52 F")
        page.get_by_role("button", name="Save", exact=True).click()
        expect(page.locator("#results")).to_contain_text("50 psi")
        expect(page.locator("#saved")).to_have_text("Saved")

        page.locator(".steps").get_by_role("link", name="Train").click()
        page.wait_for_url("**/train/")
        self.assertEqual(stages(page), ["neutralizer", "oxidizing_filter", "softener", "sediment", "uv"])
        expect(page.get_by_role("alert").first).to_contain_text("Boil water")
        page.locator("#stage-softener").click()
        sheet = page.get_by_role("complementary", name="Softener")
        expect(sheet).to_contain_text("Exchanges hardness")
        sheet.locator("summary", has_text="Compensated hardness").click()
        expect(sheet).to_contain_text("gpg × (per_Fe × Fe + per_Mn × Mn)")

    def test_a_paper_says_that_it_is_being_printed(self) -> None:
        """The first print takes a while and says so; then it is downloaded. The second is there at once."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/wall/")
        page.route("**/wall.pdf*", lambda route: (page.wait_for_timeout(700), route.continue_())[1])
        with page.expect_download() as got:
            page.get_by_role("link", name="PDF", exact=True).click()
            expect(page.get_by_text("Preparing the PDF…")).to_be_visible()
        self.assertTrue(got.value.suggested_filename.endswith("wall.pdf"))
        expect(page.get_by_text("Preparing the PDF…")).to_be_hidden()
        self.assertEqual(KeptPaper.objects.filter(job=job).count(), 1)

    def test_a_bad_reading_is_kept_and_explained(self) -> None:
        """What is understood is kept; the typo stays in the box with the reason; corrected, it goes too."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/water/")
        box = page.get_by_label("Readings, in one line")
        box.fill("sulfate 30 mg/L, iroxx 2.4")
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_role("alert")).to_contain_text("did you mean iron")
        expect(box).to_have_value("iroxx 2.4")
        expect(page.get_by_label("Readings", exact=True)).to_contain_text("Sulfate")
        box.fill("iron 2.4 mg/L")
        page.get_by_role("button", name="Save").click()
        expect(box).to_have_value("")

    def test_enter_keeps_the_line_and_what_is_seen_is_noted(self) -> None:
        """Enter keeps what was typed; "sand" is no reading and is noted as seen, a slip is mended, both told; an older sample is one line."""
        document = job_document()
        document["samples"].append({"taken_on": "2026-03-01", "point": "raw", "method": "laboratory", "readings": {"chloride": "20 mg/L"}})
        job = store(document, self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/water/")
        expect(page.locator("details[id^=sample-][open]")).to_have_count(1)
        box = page.get_by_label("Readings, in one line").first
        box.fill("manganse 0.1 mg/L sulfate 30 mg/L, sand in the toilet tank")
        box.press("Enter")
        told = page.locator("#step [role=status]").first
        expect(told).to_contain_text("Sand or grit")
        expect(told).to_contain_text("is read as manganese")
        expect(box).to_have_value("")
        self.assertIn("grit", Survey.objects.get(job=job).observations)

    def test_what_is_taken_out_can_be_put_back(self) -> None:
        """A reading, then the whole sample: one press puts each back."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/water/")
        page.get_by_label("Delete the Iron reading", exact=True).click()
        expect(page.get_by_label("Delete the Iron reading", exact=True)).to_have_count(0)
        page.get_by_role("button", name="Restore").click()
        expect(page.get_by_label("Delete the Iron reading", exact=True)).to_have_count(1)
        before = {row.analyte: row.typed for row in Reading.objects.filter(sample__job=job)}
        page.once("dialog", lambda dialog: dialog.accept())
        page.get_by_role("button", name="Delete sample").click()
        expect(page.get_by_role("heading", name="Type the water test")).to_be_visible()
        page.get_by_role("button", name="Restore").click()
        expect(page.get_by_label("Delete the Iron reading", exact=True)).to_have_count(1)
        self.assertEqual({row.analyte: row.typed for row in Reading.objects.filter(sample__job=job)}, before)

    def test_the_unit_switch_is_on_every_page_of_a_job(self) -> None:
        """And comes back to the page it was pressed on."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        for step in ("site", "water", "supply", "train", "train/options", "train/shelf", "train/schools", "wall", "materials"):
            page.goto(f"/jobs/{job.pk}/{step}/")
            expect(page.get_by_role("button", name="Metric")).to_be_visible()
        page.get_by_role("button", name="Metric").click()
        page.wait_for_url("**/materials/")

    def test_the_drawing_stands_in_view_with_a_warning_and_the_sheet_folds(self) -> None:
        """At 1280 x 800 pressure line and ribbons are seen with the boil-water notice above them; the sheet stays folded as it was left."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        page.set_viewport_size({"width": 1280, "height": 800})
        page.goto(f"/jobs/{job.pk}/train/")
        expect(page.get_by_role("alert").first).to_contain_text("Boil water")
        self.assertLessEqual(page.locator(".train").bounding_box()["y"] + page.locator(".train").bounding_box()["height"], 800)  # type: ignore[index]
        page.locator("#sheet > summary").click()
        page.locator("#stage-uv").click()
        expect(page.locator('#stage-uv[aria-current="true"]')).to_have_count(1)
        self.assertFalse(page.locator("#sheet").evaluate("each => each.open"))


class FromAReport(BrowserTestCase):
    def test_a_spreadsheet_is_seen_before_it_is_kept(self) -> None:
        """Choose a file, see each row, give the hardness its unit, keep: the readings stand on the water step."""
        job = store(job_document(readings=HARD_ONLY), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/water/")
        page.get_by_text("From a report").click()
        content = spreadsheet([["Parameter", "Result", "Unit"], ["Iron, total", 2.4, "mg/L"], ["Hardness", 12, ""], ["Mystery", 3, "mg/L"]])
        page.set_input_files("#report-file", {"name": "report.xlsx", "mimeType": "application/octet-stream", "buffer": content})
        page.get_by_role("button", name="Read the file").click()
        expect(page.get_by_role("cell", name="Iron, total").first).to_be_visible()
        expect(page.locator("tbody")).to_contain_text("No unit is printed")
        page.get_by_label("Unit of Hardness").select_option("gpg")
        expect(page.locator("tbody")).to_contain_text("Hardness 12.0 gpg")
        page.get_by_role("button", name="Save as a sample").click()
        page.wait_for_url("**/water/")
        expect(page.locator("#step")).to_contain_text("12.0 gpg")
        expect(page.locator("#step")).to_contain_text("1 row of the report not used")

    def test_a_pdf_with_text_is_read_with_and_without_ruled_lines(self) -> None:
        """A laboratory's PDF, its table ruled or only set in columns, gives the same readings."""
        rows = [("Parameter", "Result", "Units", "Limit"), ("Iron, total", "2.41", "mg/L", "0.3"), ("Total hardness as CaCO3", "238", "mg/L", "-"),
        ("pH", "6.2", "", "6.5-8.5")]  # fmt: skip
        body = "".join("<tr>" + "".join(f"<td>{cell}</td>" for cell in row) + "</tr>" for row in rows)
        for style in ("border:1px solid #333", "border:0"):
            printer = self.browser.new_page()
            printer.set_content(f"<style>td{{{style};padding:4px}}</style><h1>Larkfell Laboratory</h1><table>{body}</table><p>End</p>")
            found = read_sheets(sheets_of(printer.pdf())).samples[0].rows
            read = {row.analyte.key: row.reading for row in found if row.analyte and row.reading}
            self.assertEqual({key: reading.low for key, reading in read.items()}, {"iron": 2.41, "hardness": 238, "ph": 6.2}, style)
            printer.close()

    def test_a_file_is_dropped_on_the_box(self) -> None:
        """Dropping a file does what choosing it does."""
        job = store(job_document(readings=HARD_ONLY), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/water/")
        page.get_by_text("From a report").click()
        data = page.evaluate_handle(
            "() => { const d = new DataTransfer(); d.items.add(new File(['Parameter,Result,Unit\\nIron,2.4,mg/L\\n'], 'r.csv')); return d; }"
        )
        page.dispatch_event("[data-drop]", "drop", {"dataTransfer": data})
        expect(page.get_by_role("heading", name="How this report is understood")).to_be_visible()
        expect(page.get_by_label("Reading of Iron")).to_have_value("2.4 mg/L")


class ReadingAKit(BrowserTestCase):
    def test_a_strip_on_the_phone_with_a_timer_that_survives_a_reload(self) -> None:
        """Open the kit, start a timer, reload: it runs on; when it ends the chart opens; tap between two pads: the interval is kept."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.open("dora", width=390, height=844)
        page.goto(f"/jobs/{job.pk}/water/kits/")
        page.get_by_role("region", name="Well kit").get_by_role("button", name="Start").click()
        page.wait_for_url("**/kits/*/")
        page.locator("#test-iron summary").click()
        page.get_by_role("button", name="Dip now and start the timer").locator("visible=true").last.click()
        expect(page.get_by_role("group", name="Timers")).to_contain_text("Iron")
        page.reload()
        expect(page.get_by_role("group", name="Timers")).to_contain_text("Iron")
        KitRun.objects.update(started_at=timezone.now() - dt.timedelta(seconds=119))
        page.reload()
        between = page.get_by_role("button", name="between 1 and 3")
        expect(between).to_be_visible()
        box = between.bounding_box()
        assert box and box["height"] >= 44
        between.click()
        expect(page.locator("#test-iron summary")).to_contain_text("1..3 mg/L")
        reading = Sample.objects.get(job=job, method="strip").readings.get()
        self.assertEqual((reading.low, reading.high), (1, 3))


class TheTable(BrowserTestCase):
    def test_a_bad_field_in_the_table_is_mended_by_keyboard(self) -> None:
        """Type, Tab, type; the refusal stands beside its field; mended, the table is kept."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/water/")
        page.get_by_role("link", name="As a table").click()
        page.get_by_label("Sulfate").fill("30")
        page.keyboard.press("Tab")
        page.get_by_label("Nitrate", exact=True).fill("12")
        page.keyboard.press("Enter")
        expect(page.get_by_role("alert").or_(page.locator("#step")).first).to_be_visible()
        page.wait_for_url("**/water/")
        expect(page.locator("#step")).to_contain_text("Sulfate")


class EditingTheTrain(BrowserTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.job = store(job_document(), self.workspace, self.designer)
        self.address = f"/jobs/{self.job.pk}/train/"

    def test_a_wrong_order_is_flagged_and_undone(self) -> None:
        """Move the softener first by keyboard: the finding stands on the neutralizer; undo, and it is gone."""
        page = self.page
        page.goto(self.address)
        page.locator("#stage-softener").click()
        expect(page.locator('#stage-softener[aria-current="true"]')).to_have_count(1)
        for wanted in (["neutralizer", "softener"], ["softener", "neutralizer"]):
            page.keyboard.press("Shift+ArrowLeft")
            expect(page.locator("#bench .stage").nth(wanted.index("softener"))).to_have_attribute("data-stage", "softener")
        expect(page.locator("#findings")).to_contain_text("of hardness after the softener has removed it")
        page.keyboard.press("u")
        expect(page.locator("#bench .stage").nth(1)).to_have_attribute("data-stage", "softener")
        page.keyboard.press("u")
        expect(page.locator("#bench .stage").nth(1)).to_have_attribute("data-stage", "oxidizing_filter")
        expect(page.locator("#findings")).not_to_contain_text("after the softener has removed it")
        self.assertEqual(stages(page), ["neutralizer", "oxidizing_filter", "softener", "sediment", "uv"])

    def test_drag_add_size_and_remove(self) -> None:
        """With the mouse: drag the lamp to the front, add a filter, fix a size, take a stage out."""
        page = self.page
        page.goto(self.address)
        lamp, first = page.locator("#stage-uv .stage-hit").bounding_box(), page.locator("#stage-neutralizer .stage-hit").bounding_box()
        assert lamp and first
        page.mouse.move(lamp["x"] + lamp["width"] / 2, lamp["y"] + 150)
        page.mouse.down()
        page.mouse.move(first["x"] + first["width"], first["y"] + 150, steps=4)
        page.mouse.move(first["x"] + 5, first["y"] + 150, steps=4)
        page.mouse.up()
        expect(page.locator("#bench .stage").first).to_have_attribute("data-stage", "uv")
        expect(page.locator("#findings")).to_contain_text("installed after the UV unit")
        page.select_option("#shelf", "sediment")
        page.get_by_role("button", name="Add after UV unit").click()
        expect(page.locator("#bench .stage")).to_have_count(6)
        page.locator("#stage-softener").click()
        expect(page.locator('#stage-softener[aria-current="true"]')).to_have_count(1)
        page.fill("#choice-volume", "3 ft3")
        page.locator("#choice-volume").blur()
        expect(page.locator("details.figrow", has_text="Resin volume").first).to_contain_text("3.00 ft³")
        page.get_by_role("button", name="Reset to default").click()
        expect(page.locator("details.figrow", has_text="Resin volume").first).not_to_contain_text("3.00 ft³")
        page.get_by_role("button", name="Remove").click()
        expect(page.locator("#bench .stage")).to_have_count(5)
        page.get_by_role("button", name="Use proposed train").click()
        expect(page.locator("#bench .stage").first).to_have_attribute("data-stage", "neutralizer")

    def test_a_stale_edit_is_refused_and_nothing_is_lost(self) -> None:
        """Two designers at once: the second is told, and can make the change on the newer train."""
        page, other = self.page, self.open("dirk")
        page.goto(self.address)
        other.goto(self.address)
        other.locator("#stage-uv").click()
        expect(other.locator('#stage-uv[aria-current="true"]')).to_have_count(1)
        other.get_by_role("button", name="Remove").click()
        expect(other.locator("#bench .stage")).to_have_count(4)
        page.locator("#stage-softener").click()
        expect(page.locator('#stage-softener[aria-current="true"]')).to_have_count(1)
        # selecting brought the newer train; make this page stale again
        other.get_by_role("button", name="Undo").click()
        expect(other.locator("#bench .stage")).to_have_count(5)
        page.get_by_role("button", name="← Earlier").click()
        expect(page.get_by_role("alert").first).to_contain_text("dirk changed this train")
        self.assertEqual(stages(page), ["neutralizer", "oxidizing_filter", "softener", "sediment", "uv"])
        page.get_by_role("button", name="Apply my change").click()
        expect(page.locator("#bench .stage").nth(1)).to_have_attribute("data-stage", "softener")
        self.assertEqual([stage["kind"] for stage in shown_stages(Job.objects.get(pk=self.job.pk)) or []][1], "softener")

    def test_keyboard_alone(self) -> None:
        """Help, the steps, the stages, the shelf and undo without a mouse."""
        page = self.page
        page.goto(self.address)
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog")).to_be_hidden()
        for key, times, chosen in (("ArrowLeft", 5, "neutralizer"), ("ArrowRight", 1, "oxidizing_filter")):  # wherever the gravest finding opened it
            for _ in range(times):
                page.keyboard.press(key)
            expect(page.locator(f'#stage-{chosen}[aria-current="true"]')).to_have_count(1)
            has_focus(page, f"stage-{chosen}")
        page.keyboard.press("ArrowRight")
        expect(page.locator('#stage-softener[aria-current="true"]')).to_have_count(1)
        has_focus(page, "stage-softener")
        page.keyboard.press("Delete")
        expect(page.locator("#bench .stage")).to_have_count(4)
        page.keyboard.press("u")
        expect(page.locator("#bench .stage")).to_have_count(5)
        for _ in range(5):  # in one breath: none is lost
            page.keyboard.press("ArrowLeft")
        expect(page.locator('#stage-neutralizer[aria-current="true"]')).to_have_count(1)
        for _ in range(3):
            page.keyboard.press("ArrowRight")
        expect(page.locator('#stage-sediment[aria-current="true"]')).to_have_count(1)
        has_focus(page, "stage-sediment")
        page.keyboard.press("a")
        has_focus(page, "shelf")
        page.keyboard.press("Escape")
        page.locator("body").click(position={"x": 5, "y": 5})
        page.keyboard.press("2")
        page.wait_for_url("**/water/")


class OptionsAndAudit(BrowserTestCase):
    def test_build_option_b_compare_and_choose(self) -> None:
        """Copy the train, change it, see what differs, choose it."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/train/")
        page.get_by_text("Compare, methods").click()
        page.get_by_role("link", name="Compare and alternatives").click()
        page.get_by_role("button", name="Copy").click()
        page.wait_for_url("**/train/?option=B")
        page.locator("#stage-uv").click()
        expect(page.locator('#stage-uv[aria-current="true"]')).to_have_count(1)
        page.select_option("#shelf", "barrier_filter")
        page.get_by_role("button", name="Replace it with this").click()
        expect(page.locator("#stage-barrier_filter")).to_have_count(1)
        page.get_by_text("Compare, methods").click()
        page.get_by_role("link", name="Compare and alternatives").click()
        expect(page.get_by_role("row", name="Stages")).to_contain_text("Ultrafiltration")
        page.get_by_role("button", name="Choose").click()
        expect(page.get_by_role("columnheader", name="Option B used by the job")).to_be_visible()

    def test_accept_a_finding_with_a_reason(self) -> None:
        """The reason is written beside the finding, and can be taken back."""
        job = store(
            job_document(readings=HARD_ONLY, train=[{"kind": "softener", "id": "softener", "salt_dose": "15 lb/ft3"}]), self.workspace, self.designer
        )
        page = self.page
        page.goto(f"/jobs/{job.pk}/train/")
        finding = page.locator("#findings .finding", has_text="grains for each pound")
        finding.locator("summary").first.click()
        finding.get_by_text("Accept with a reason").click()
        finding.get_by_label("Reason for accepting").fill("the valve cannot go lower")
        finding.get_by_role("button", name="Accept").click()
        expect(page.locator("#findings")).to_contain_text("the valve cannot go lower")
        page.locator("#findings .finding-waived summary").first.click()
        page.get_by_role("button", name="Withdraw acceptance").first.click()
        expect(page.locator("#findings")).not_to_contain_text("the valve cannot go lower")

    def test_audit_an_existing_installation_and_take_the_repair(self) -> None:
        """What stands on the wall is entered from the shelf, audited, and mended with the fewest changes."""
        job = store(job_document(train=[]), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/train/")
        for kind in ("softener", "neutralizer", "uv"):
            page.select_option("#shelf", kind)
            page.locator('button[name="action"][value="add"]').click()
            expect(page.locator(f"#stage-{kind}")).to_have_count(1)
        expect(page.locator("#findings")).to_contain_text("after the softener has removed it")
        mended = page.get_by_role("region", name="Fixed with the fewest changes")
        expect(mended).to_contain_text("Move")
        mended.get_by_role("button", name="Apply changes").click()
        expect(page.locator("#findings")).not_to_contain_text("after the softener has removed it")
        self.assertEqual(stages(page), ["neutralizer", "oxidizing_filter", "softener", "sediment", "uv"])


class OnTheWall(BrowserTestCase):
    def test_drag_before_the_panel_see_it_and_take_it_back(self) -> None:
        """A vessel dropped in front of the electrical panel is a danger, said at the place; undo mends it; a bypass turns its handles."""
        document = job_document({"site": {"wall_width": "24 ft", "ceiling": "9 ft", "places": {"electrical_panel": {"x": "20 ft"}}}})
        document["train"] = [{"kind": "neutralizer"}, {"kind": "softener"}]
        job = store(document, self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/wall/")
        page.locator('.unit[data-unit="softener"]').click()
        expect(page.locator('.unit[data-unit="softener"]')).to_have_attribute("aria-current", "true")
        page.wait_for_load_state("networkidle")  # the drawing that answers the click has come
        box = page.locator('.unit[data-unit="softener"] .unit-hit').bounding_box()
        frame = page.locator(".wall-frame .wall-svg").bounding_box()
        assert box and frame
        page.mouse.move(box["x"] + 20, box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(frame["x"] + frame["width"] * 0.6, box["y"] + box["height"] / 2, steps=4)
        page.mouse.move(frame["x"] + frame["width"] * 0.84, box["y"] + box["height"] / 2, steps=4)
        page.mouse.up()
        findings = page.locator("#wall-findings")
        expect(findings).to_contain_text("in front of the electrical panel")
        expect(page.locator('.unit[data-unit="softener"] .sev-danger')).to_have_count(1)
        page.get_by_role("button", name="Undo").click()
        expect(findings).not_to_contain_text("in front of the electrical panel")

        page.get_by_role("link", name="bypassed").click()
        expect(page.get_by_role("link", name="bypassed")).to_have_attribute("aria-current", "true")
        with page.expect_download() as waited:
            page.get_by_role("link", name="DXF").click()
        self.assertTrue(waited.value.suggested_filename.endswith("-wall.dxf"))
        self.assertEqual(self.problems, [])

    def test_keyboard_alone(self) -> None:
        """The arrow keys move the focused unit by a step, and the focus stays with it."""
        job = store(job_document({"site": {"wall_width": "24 ft", "ceiling": "9 ft"}}), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/wall/")
        unit = page.locator(".unit").last
        name, before = unit.get_attribute("data-unit"), float(unit.get_attribute("data-x") or 0)
        unit.focus()
        page.keyboard.press("ArrowRight")
        page.wait_for_function("([name, x]) => Number(document.querySelector(`.unit[data-unit='${name}']`).dataset.x) > x + 20", arg=[name, before])
        self.assertEqual(page.evaluate("document.activeElement.dataset.unit"), name)
        page.goto(f"/jobs/{job.pk}/wall/?stage={name}")
        at = float(page.locator(f".unit[data-unit='{name}']").get_attribute("data-x") or 0)
        page.keyboard.press("ArrowRight")  # as the page opens, the chosen unit is meant
        page.wait_for_function("([name, x]) => Number(document.querySelector(`.unit[data-unit='${name}']`).dataset.x) > x", arg=[name, at])
        self.assertEqual(self.problems, [])


class MeasuringTheSupply(BrowserTestCase):
    def test_a_bucket_on_the_phone_becomes_the_flow(self) -> None:
        """Two taps time it, a reload loses nothing, a bad volume is explained, the mean becomes the job's flow; a slider answers."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.open("dora", width=390, height=844)
        page.goto(f"/jobs/{job.pk}/supply/measure/")
        page.get_by_role("button", name="Tap open: start").click()
        stop = page.get_by_role("button", name="Bucket full: stop")
        expect(stop).to_be_visible()
        page.reload()
        page.wait_for_timeout(2200)
        stop.click()
        page.get_by_label("Volume of the bucket").fill("lots")
        page.get_by_role("listitem").get_by_role("button", name="Save").click()
        expect(page.get_by_role("alert")).to_contain_text("does not start with a number")
        expect(page.get_by_label("Volume of the bucket")).to_have_value("lots")
        page.get_by_label("Volume of the bucket").fill("1 L")
        page.get_by_role("listitem").get_by_role("button", name="Save").click()
        expect(page.get_by_text("Mean of 1")).to_be_visible()
        page.get_by_role("button", name="Use this flow").click()
        expect(page.locator("#id_flow_l_min")).not_to_have_value("7 gpm")
        answer = page.locator("#what-if-answer")
        page.locator("#what-size").select_option(index=0)
        expect(answer).to_contain_text("ft/s")
        before = answer.inner_text()
        page.locator("#what-flow").fill(page.locator("#what-flow").get_attribute("max") or "")
        expect(answer).not_to_have_text(before)
        self.assertEqual([text for text in self.problems if "422" not in text], [])


class ForEverybody(BrowserTestCase):
    def catalogue(self) -> list[str]:
        """The catalogues, one as a table, and a price list before its columns are confirmed."""
        items = [{"code": "V", "what": "Tank", "kind": "vessel", "price": "12", "fits": {"size": "10x54"}}]
        held = stock.made(self.workspace, "Stock", "EUR", items, self.designer, "").made
        sheet = stock.read_sheet(self.workspace, [["code", "what", "size"], ["A", "B", "10x54"]], "Other", "EUR", None).made
        return ["/catalogues/", f"/catalogues/{held.pk}/", f"/catalogues/sheets/{sheet.pk}/"]

    def kept(self) -> list[str]:
        """Pages of the years after: a logbook with a danger and a refused line, its table, the owner's page, the calendar, the run sheet."""
        self.workspace.owner_links = True
        self.workspace.save()
        job = store(job_document(), self.workspace, self.designer)
        with_train(job, [{"kind": "softener", "id": "softener"}, {"kind": "uv", "id": "uv"}])
        logs.started(job, timezone.localdate() - dt.timedelta(days=300))
        days = [timezone.localdate() - dt.timedelta(days=30 * n) for n in range(6)]
        logs.add(job, [(day, {"readings": {"softener.hardness_out": "9 gpg", "softener.salt_level": "2 in"}}) for day in days], self.designer)
        logs.add(job, [(days[0], {"readings": {"tap.e_coli": "present"}}), (days[1], {"did": "softener/salt", "amount": "80 lb"})], self.designer)
        logs.look_after(job, "dirk", "Upper valley")
        _, secret = doors.new_owner_link(job, self.designer).made
        where = f"/jobs/{job.pk}/logbook/"
        return [where, f"{where}?at=softener", f"{where}table/", f"/house/{secret}/", "/calendar/", f"/jobs/{job.pk}/commission/"]

    def test_no_view_breaks_the_rules_of_access(self) -> None:
        """Each main view passes an accessibility checker at the desk in the light; what is used in the basement at phone width in the dark."""
        job = store(job_document(), self.workspace, self.designer)
        session = job.kit_sessions.create(kit="well", started_at=timezone.now())
        kept = self.kept()
        found: list[str] = []
        for width, scheme in ((1280, "light"), (390, "dark")):
            page = self.open("dora", width=width, height=800)
            page.emulate_media(color_scheme=scheme)
            for address in (
                "/",
                f"/jobs/{job.pk}/site/",
                f"/jobs/{job.pk}/water/",
                *(f"/jobs/{job.pk}/water/{tab}/" for tab in ("says", "history", "kits", f"kits/{session.pk}")),
                *(("/firm/", "/prices/", *self.catalogue()) if width > 390 else ()),
                *(f"/jobs/{job.pk}/{step}/" for step in ("supply", "supply/measure", "train", "wall", "materials")),
                *kept,
            ):
                page.goto(address)
                results = Axe().run(page, options={"runOnly": ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"], "resultTypes": ["violations"]})
                found += [f"{address} at {width}: {v['id']}: {v['nodes'][0]['html'][:120]}" for v in results.response["violations"]]
        self.assertEqual(found, [])

    def test_nothing_is_wider_than_a_phone(self) -> None:
        """At 390 px no page scrolls sideways; the drawing scrolls in its own frame."""
        job = store(job_document(), self.workspace, self.designer)
        session = job.kit_sessions.create(kit="town", started_at=timezone.now())
        page = self.open("dora", width=390, height=844)
        for address in (
            "/",
            f"/jobs/{job.pk}/site/",
            f"/jobs/{job.pk}/water/",
            *(f"/jobs/{job.pk}/water/{tab}/" for tab in ("says", "history", "kits", f"kits/{session.pk}")),
            "/firm/",
            *(f"/jobs/{job.pk}/{step}/" for step in ("supply", "supply/measure", "train", "wall", "materials")),
            "/prices/",
            *self.catalogue(),
            *self.kept(),
        ):
            page.goto(address)
            self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390, address)
