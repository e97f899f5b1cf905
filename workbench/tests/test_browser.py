"""The main paths in a real browser, as a person walks them."""

from __future__ import annotations

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from treatment.tests.example import HARD_ONLY
from treatment.tests.example import job as job_document
from workbench.door import store
from workbench.jobs.models import Job
from workbench.trains.services import shown_stages

from .base import BrowserTestCase
from .test_reports import spreadsheet


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
        page.get_by_role("button", name="Keep").click()
        expect(page.get_by_label("Readings", exact=True).locator(".chip")).to_have_count(8)

        page.locator(".steps").get_by_role("link", name="Site").click()
        page.select_option("#id_source_kind", "drilled_well")
        page.fill("#id_people", "4")
        page.fill("#id_fixture_wc", "2")
        page.fill("#id_fixture_shower", "2")
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_text("Daily use", exact=True)).to_be_visible()
        expect(page.locator("#step")).to_contain_text("240 gal/day")

        page.locator(".steps").get_by_role("link", name="Supply").click()
        page.fill("#id_flow_l_min", "7 gpm")
        page.fill("#id_pressure_low_kpa", "50 psi")
        page.fill("#id_temperature_c", "52 F")
        page.get_by_role("button", name="Save").click()
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
        expect(sheet).to_contain_text("17.118 × (per_Fe × Fe + 8 × Mn)")

    def test_a_bad_reading_is_kept_and_explained(self) -> None:
        """What is understood is kept; the typo stays in the box with the reason; corrected, it goes too."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/water/")
        box = page.get_by_label("Readings, in one line")
        box.fill("sulfate 30 mg/L, irom 2.4")
        page.get_by_role("button", name="Keep").click()
        expect(page.get_by_role("alert")).to_contain_text("did you mean iron")
        expect(box).to_have_value("irom 2.4")
        expect(page.get_by_label("Readings", exact=True)).to_contain_text("Sulfate")
        box.fill("iron 2.4 mg/L")
        page.get_by_role("button", name="Keep").click()
        expect(box).to_have_value("")


class FromAReport(BrowserTestCase):
    def test_a_spreadsheet_is_seen_before_it_is_kept(self) -> None:
        """Choose a file, see each row, give the hardness its unit, keep: the readings stand on the water step."""
        job = store(job_document(readings=HARD_ONLY), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/water/")
        page.get_by_text("From a report").click()
        content = spreadsheet([["Parameter", "Result", "Unit"], ["Iron, total", 2.4, "mg/L"], ["Hardness", 12, ""], ["Mystery", 3, "mg/L"]])
        page.set_input_files("#report-file", {"name": "report.xlsx", "mimeType": "application/octet-stream", "buffer": content})
        page.get_by_role("button", name="Look what is in it").click()
        expect(page.get_by_role("cell", name="Iron, total").first).to_be_visible()
        page.get_by_role("button", name="Keep as a sample").click()
        expect(page.locator("tbody")).to_contain_text("needs its unit")
        page.get_by_label("Result of Hardness").fill("12 gpg")
        page.get_by_role("button", name="Keep as a sample").click()
        page.wait_for_url("**/water/")
        expect(page.locator("#step")).to_contain_text("12.0 gpg")
        expect(page.locator("#step")).to_contain_text("1 row of the report kept aside")


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
        expect(page.locator("#findings")).to_contain_text("of hardness after the softener took it out")
        page.keyboard.press("u")
        expect(page.locator("#bench .stage").nth(1)).to_have_attribute("data-stage", "softener")
        page.keyboard.press("u")
        expect(page.locator("#bench .stage").nth(1)).to_have_attribute("data-stage", "oxidizing_filter")
        expect(page.locator("#findings")).not_to_contain_text("after the softener took it out")
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
        expect(page.locator("#findings")).to_contain_text("After the lamp comes")
        page.select_option("#shelf", "sediment")
        page.get_by_role("button", name="Add after UV lamp").click()
        expect(page.locator("#bench .stage")).to_have_count(6)
        page.locator("#stage-softener").click()
        page.fill("#choice-volume", "3 ft3")
        page.locator("#choice-volume").blur()
        expect(page.locator("details.figrow", has_text="Resin volume").first).to_contain_text("3.00 ft³")
        page.get_by_role("button", name="Remove").click()
        expect(page.locator("#bench .stage")).to_have_count(5)
        page.get_by_role("button", name="Take the proposal").click()
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
        page.get_by_role("button", name="Make my change on it").click()
        expect(page.locator("#bench .stage").nth(1)).to_have_attribute("data-stage", "softener")
        self.assertEqual([stage["kind"] for stage in shown_stages(Job.objects.get(pk=self.job.pk)) or []][1], "softener")

    def test_keyboard_alone(self) -> None:
        """Help, the steps, the stages, the shelf and undo without a mouse."""
        page = self.page
        page.goto(self.address)
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("ArrowRight")
        expect(page.locator('#stage-oxidizing_filter[aria-current="true"]')).to_have_count(1)
        page.keyboard.press("ArrowRight")
        expect(page.locator('#stage-softener[aria-current="true"]')).to_have_count(1)
        expect(page.locator("#stage-softener")).to_be_focused()
        page.keyboard.press("Delete")
        expect(page.locator("#bench .stage")).to_have_count(4)
        page.keyboard.press("u")
        expect(page.locator("#bench .stage")).to_have_count(5)
        page.keyboard.press("a")
        expect(page.locator("#shelf")).to_be_focused()
        page.keyboard.press("Escape")
        page.locator("body").click(position={"x": 5, "y": 5})
        page.keyboard.press("2")
        page.wait_for_url("**/water/")


class ForEverybody(BrowserTestCase):
    def test_no_view_breaks_the_rules_of_access(self) -> None:
        """Each main view passes an accessibility checker, at the desk and at phone width, light and dark."""
        job = store(job_document(), self.workspace, self.designer)
        for width, scheme in ((1280, "light"), (390, "dark")):
            page = self.open("dora", width=width, height=800)
            page.emulate_media(color_scheme=scheme)
            for address in ("/", f"/jobs/{job.pk}/site/", f"/jobs/{job.pk}/water/", f"/jobs/{job.pk}/supply/", f"/jobs/{job.pk}/train/"):
                page.goto(address)
                results = Axe().run(page, options={"runOnly": ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]})
                found = [f"{v['id']}: {v['nodes'][0]['html'][:120]}" for v in results.response["violations"]]
                self.assertEqual(found, [], f"{address} at {width}")

    def test_nothing_is_wider_than_a_phone(self) -> None:
        """At 390 px no page scrolls sideways; the drawing scrolls in its own frame."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.open("dora", width=390, height=844)
        for address in ("/", f"/jobs/{job.pk}/site/", f"/jobs/{job.pk}/water/", f"/jobs/{job.pk}/supply/", f"/jobs/{job.pk}/train/"):
            page.goto(address)
            self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390, address)
