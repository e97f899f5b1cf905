"""Who reads a page: days, times and spelling by the job's limit set; introductions by one switch; severities in words."""

from __future__ import annotations

import datetime as dt

from django.urls import reverse
from playwright.sync_api import expect

from treatment.tests.example import job as job_document

from ..readers import read_by, written
from ..records.job import Job
from ..repository.door import store
from .base import BrowserTestCase, WorkbenchTestCase


def stored(test: WorkbenchTestCase | BrowserTestCase, standard: str) -> Job:
    document = job_document({"job": {"name": "Gray House", "standard": standard}}, readings={"colour": "30 mg/L Pt-Co", "aluminium": "0.3 mg/L"})
    return store(document, test.workspace, test.designer)


class ByLimitSet(WorkbenchTestCase):
    def test_spelling(self) -> None:
        """Text is stored in US spelling; a British job reads colour and aluminium, a Canadian one colour and aluminum. A name typed into a field stays."""
        self.client.force_login(self.designer)
        for standard, reads, never in (
            ("us", ("True color", "Aluminum"), "colour,"),
            ("uk", ("True colour", "Aluminium"), "True color<"),
            ("ca", ("True colour", "Aluminum"), "Aluminium"),
        ):
            job = stored(self, standard)
            page = self.client.get(reverse("water-says", args=[job.pk])).content.decode()
            for words in reads:
                self.assertIn(words, page)
            self.assertNotIn(never, page)
            self.assertIn("<bdi>Gray House</bdi>", page)
            self.assertIn('value="Gray House"', self.client.get(reverse("site", args=[job.pk])).content.decode())

    def test_days_and_times(self) -> None:
        """Nov 24, 2026, 9:00 AM in the United States, 24 Nov 2026, 09:00 elsewhere; ISO only in files."""
        moment = dt.datetime(2026, 11, 24, 9, 0)
        for standard, day, time in (
            ("us", "Nov 24, 2026", "Nov 24, 2026, 9:00 AM"),
            ("uk", "24 Nov 2026", "24 Nov 2026, 09:00"),
            ("", "24 Nov 2026", "24 Nov 2026, 09:00"),
        ):
            read_by(standard)
            self.assertEqual((written(moment.date(), "j M Y"), written(moment, "j M Y, H:i")), (day, time))
        self.assertEqual(written(None, "j M Y"), "")

    def test_a_sample_shows_its_day_as_its_readers_write_it(self) -> None:
        self.client.force_login(self.designer)
        for standard, words in (("us", "May 4, 2026"), ("eu", "4 May 2026")):
            self.assertContains(self.client.get(reverse("water", args=[stored(self, standard).pk])), words)

    def test_severities_in_words(self) -> None:
        """Tallies count in words, and the lowest severity is a note."""
        self.client.force_login(self.designer)
        page = self.client.get(reverse("train", args=[stored(self, "us").pk])).content.decode()
        self.assertRegex(page, r"\d notes?\s")
        self.assertNotRegex(page, r">\s*\d+ advice")


class Introductions(BrowserTestCase):
    def test_one_switch_for_all_steps(self) -> None:
        """Hidden on one step they are hidden on all; the list of keys brings them back."""
        job, page = stored(self, "us"), self.page
        page.goto(f"/jobs/{job.pk}/water/")
        expect(page.locator("[data-intro]")).to_contain_text("Enter the water test")
        page.get_by_role("button", name="Hide introductions").click()
        for step in ("water", "supply", "train"):
            page.goto(f"/jobs/{job.pk}/{step}/")
            expect(page.locator("[data-intro]")).to_be_hidden()
        page.locator(".more > summary").click()
        page.get_by_role("button", name="Keyboard shortcuts").click()
        page.get_by_label("Show an introduction on each step").check()
        page.get_by_role("button", name="Close").click()
        expect(page.locator("[data-intro]")).to_be_visible()
