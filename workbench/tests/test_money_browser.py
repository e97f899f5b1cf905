"""The year and the choices in a real browser: forgotten salt, sliders by the arrow keys, a train of the field that becomes an option."""

from __future__ import annotations

from playwright.sync_api import expect

from treatment.tests.example import job as job_document

from ..records.job import Job
from ..repository.door import store
from .base import BrowserTestCase


class YearAndChoices(BrowserTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.job: Job = store(job_document(), self.workspace, self.designer)

    def test_forgotten_salt_is_seen_and_taken_back(self) -> None:
        """Chosen by name, run: the empty brine tank is among what the house notices, with what prevents it; taken out by its cross, the year is plain again."""
        page = self.page
        page.goto(f"/jobs/{self.job.pk}/year/")
        page.get_by_label("Add what happens").select_option(label="The salt is forgotten")
        page.get_by_role("button", name="Run the year").click()
        noticed = page.get_by_role("region", name="What the house notices")
        expect(noticed).to_contain_text("regenerates without salt")
        expect(noticed).to_contain_text("Look at the salt every six weeks")
        expect(page.locator(".year-span")).to_have_count(1)
        page.get_by_role("link", name="Remove: the salt is forgotten").click()
        expect(page.locator(".year-span")).to_have_count(0)

    def test_what_if_by_the_arrow_keys(self) -> None:
        """More people by the keyboard: the answer follows, the handle keeps the focus, its words change."""
        page = self.page
        page.goto(f"/jobs/{self.job.pk}/year/what-if/")
        slider = page.get_by_label("People")
        slider.focus()
        for _ in range(3):
            page.keyboard.press("ArrowRight")
        expect(page.locator("#now-people")).to_have_text("7")
        expect(page.locator("#what-if-answer tr.differs").filter(has_text="Salt a year")).to_have_count(1)
        self.assertEqual(page.evaluate("document.activeElement.id"), "move-people")

    def test_a_point_becomes_an_option(self) -> None:
        """From the options to the choices: a line says how far it is, then the picture; a train is opened from the table and added; it is option B."""
        page = self.page
        page.goto(f"/jobs/{self.job.pk}/train/options/")
        page.get_by_role("link", name="More choices").click()
        page.wait_for_selector(".choice-picture", timeout=60000)
        page.get_by_role("link", name="UV unit flow switched").first.focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="UV unit flow switched")).to_be_visible()
        page.get_by_role("button", name="Add as option").press("Enter")
        page.wait_for_url("**/train/?option=B")
        page.goto(f"/jobs/{self.job.pk}/train/options/")
        expect(page.get_by_role("heading", name="Option B")).to_be_visible()
