"""The first job of somebody new: from a typed paper report to the papers, by keyboard alone and at phone width; steps and clicks counted."""

from __future__ import annotations

import re
import shutil
from unittest import skipUnless

from playwright.sync_api import Page, expect

from intake.tests.made import photograph
from intake.tests.test_scans import printed
from workbench.records.job import Job
from workbench.records.sample import Reading

from .base import BrowserTestCase

#: as a person types a paper report: any order, any spelling, one basis without its unit
LINE = "hardness 310 ppm iron 1.8 mg/L, 6.3 pH alkalinity 60 ppm, manganse 0.12 mg/L; nitrates 12 as NO3, E.coli absent, total coliforms absent, TDS 420ppm"


class FirstJob(BrowserTestCase):
    def tab_to(self, page: Page, selector: str) -> None:
        """Press Tab until the element has the focus."""
        for _ in range(120):
            if page.evaluate("s => document.activeElement?.matches(s) ?? false", selector):
                return
            page.keyboard.press("Tab")
        self.fail(f"Tab never comes to {selector}")

    def step(self, key: str, name: str, typed: dict[str, str], last: str) -> None:
        """Go to a step by its key, fill fields by Tab, and wait until the last one is saved."""
        self.page.evaluate("document.activeElement.blur()")
        self.page.keyboard.press(key)
        self.page.wait_for_url(f"**/{name}/")
        for selector, text in typed.items():
            self.tab_to(self.page, selector)
            self.page.keyboard.type(text)
        self.page.keyboard.press("Tab")
        expect(self.page.locator(f".f-{last} .field-state")).to_have_text("saved")

    def kept(self) -> set[str]:
        return set(Reading.objects.values_list("analyte", flat=True))

    def test_by_keyboard_alone(self) -> None:
        """No pointer at all: the job begun, the report typed, the house and the supply told, the train looked at, its paper fetched."""
        page = self.page
        page.goto("/")
        self.tab_to(page, "#id_name")
        page.keyboard.type("Mill House")
        page.keyboard.press("Enter")
        page.wait_for_url("**/water/")
        self.tab_to(page, "textarea[data-once]")
        page.keyboard.type(LINE)
        page.keyboard.press("Enter")
        expect(page.get_by_label("Delete the Nitrate reading")).to_be_visible()
        self.assertLessEqual({"hardness", "iron", "ph", "alkalinity", "manganese", "nitrate", "e_coli", "total_coliform", "tds"}, self.kept())
        self.step("1", "site", {"#id_people": "4", "#id_bathrooms": "2"}, "bathrooms")
        self.step("3", "supply", {"#id_flow_l_min": "7", "#id_pressure_low_kpa": "40/60"}, "pressure_low_kpa")
        expect(page.locator("#id_flow_l_min")).to_have_value("7 gpm")
        page.evaluate("document.activeElement.blur()")
        page.keyboard.press("4")
        page.wait_for_url("**/train/")
        self.assertGreater(page.locator("#bench .stage").count(), 1)
        self.tab_to(page, "details:has(a[href$='train.pdf']) > summary")
        page.keyboard.press("Enter")
        self.tab_to(page, "a[href$='train.pdf']")
        answer = page.request.get(page.evaluate("document.activeElement.href"))
        self.assertTrue(answer.body().startswith(b"%PDF"))

    def test_on_a_phone_with_few_taps(self) -> None:
        """At 390 px: at most five screens, at most ten taps, nothing refused, from the report to the paper."""
        page = self.open("dora", 390, 844)
        screens, taps = 1, 0
        page.fill("#id_name", "Mill House")
        page.get_by_role("button", name="Start a job").click()
        taps, screens = taps + 1, screens + 1
        page.wait_for_url("**/water/")
        page.get_by_label("Readings, in one line").fill(LINE)
        page.get_by_role("button", name="Save", exact=True).click()
        taps += 1
        expect(page.get_by_label("Delete the Nitrate reading")).to_be_visible()
        self.assertEqual(page.locator("[role=alert] .error").count(), 0)
        page.locator(".steps").get_by_role("link", name=re.compile("Supply")).click()
        taps, screens = taps + 1, screens + 1
        page.fill("#id_flow_l_min", "7")
        page.fill("#id_pressure_low_kpa", "40/60")
        page.locator("#id_temperature_c").focus()
        expect(page.locator(".f-pressure_low_kpa .field-state")).to_have_text("saved")
        page.locator(".steps").get_by_role("link", name=re.compile("Train")).click()
        taps, screens = taps + 1, screens + 1
        expect(page.locator(".told li").nth(1)).to_be_visible()
        page.get_by_text("Files", exact=True).click()
        taps += 1
        self.assertTrue(
            page.request.get(page.get_by_role("link", name=re.compile("PDF")).first.get_attribute("href") or "").body().startswith(b"%PDF")
        )
        taps += 1
        self.assertLessEqual((screens, taps), (5, 10))
        self.assertEqual(Job.objects.count(), 1)


@skipUnless(shutil.which("tesseract"), "tesseract-ocr is not installed")
class FromAPhotograph(BrowserTestCase):
    PICTURE = {"name": "report.jpg", "mimeType": "image/jpeg"}

    def test_on_a_phone_from_a_picture_to_a_proposal(self) -> None:
        """At 390 px: at most six screens and eight taps, nothing refused; each row stands beside its cut-out, and going back reads it again."""
        page = self.open("dora", 390, 844)
        page.fill("#id_name", "Mill House")
        page.get_by_role("button", name="Start a job").click()
        taps, screens = 1, 2
        page.wait_for_url("**/water/")
        page.get_by_text("From a report").click()
        page.set_input_files("#report-photo", self.PICTURE | {"buffer": photograph(printed(True))})
        page.get_by_role("button", name="Read the photo").click()
        taps, screens = taps + 3, screens + 1
        page.wait_for_url("**/reports/*/", timeout=60_000)
        expect(page.locator(".cut-out")).to_have_count(7)
        expect(page.get_by_label("Reading of Iron")).to_have_value("2.4 mg/L")
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390)
        picture = page.request.get(page.locator(".cut-out image").first.get_attribute("href") or "")
        self.assertEqual((picture.status, picture.headers["content-type"]), (200, "image/jpeg"))
        page.get_by_role("button", name="Save as a sample").click()
        taps, screens = taps + 1, screens + 1
        page.wait_for_url("**/water/")
        expect(page.get_by_label("Delete the Iron reading")).to_be_visible()
        page.go_back()
        expect(page.get_by_role("heading", name="How this report is understood")).to_be_visible()
        page.go_forward()
        page.locator(".steps").get_by_role("link", name=re.compile("Train")).click()
        taps, screens = taps + 1, screens + 1
        page.wait_for_url("**/train/")
        self.assertGreater(page.locator("#bench .stage").count(), 1)
        self.assertLessEqual((screens, taps), (6, 8))
        self.assertEqual(self.kept(), {"iron", "manganese", "hardness", "ph", "lead", "chloride", "total_coliform"})

    def test_by_keyboard_alone(self) -> None:
        """The file is chosen, the rows are corrected and kept without a pointer."""
        page = self.page
        page.goto("/")
        FirstJob.tab_to(self, page, "#id_name")  # type: ignore[arg-type]
        page.keyboard.type("Mill House")
        page.keyboard.press("Enter")
        page.wait_for_url("**/water/")
        page.get_by_text("From a report").focus()
        page.keyboard.press("Enter")
        page.set_input_files("#report-file", self.PICTURE | {"buffer": photograph(printed(False))})
        page.locator("#report-file").focus()
        page.keyboard.press("Tab")
        page.keyboard.press("Enter")
        page.wait_for_url("**/reports/*/", timeout=60_000)
        FirstJob.tab_to(self, page, "#text-0")  # type: ignore[arg-type]
        page.keyboard.type("2.5 mg/L")
        FirstJob.tab_to(self, page, "#text-1")  # type: ignore[arg-type]
        expect(page.locator("#understood-0")).to_contain_text("2.5")
        page.get_by_role("button", name="Save as a sample").focus()
        page.keyboard.press("Enter")
        page.wait_for_url("**/water/")
        self.assertEqual(Reading.objects.get(analyte="iron").typed, "2.5 mg/L")

    def kept(self) -> set[str]:
        return set(Reading.objects.values_list("analyte", flat=True))
