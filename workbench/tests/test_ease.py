"""Headings, words and first visits: what helps who is new here."""

from __future__ import annotations

import re
from unittest.mock import patch

from django.template import Context, Template
from django.urls import reverse
from django.utils import timezone

from treatment.evidence.samples import Assumption
from treatment.language.tables import table
from treatment.tests.example import job as job_document

from ..accounts.views import stands
from ..readers import written
from ..records.job import Job
from ..repository.door import store
from ..words import word_of_figure, words
from .base import BrowserTestCase, WorkbenchTestCase
from .forms_shown import pages_with_forms


class Ease(WorkbenchTestCase):
    def test_every_page_has_one_heading(self) -> None:
        """One h1, and no empty one."""
        for page in [*pages_with_forms(self.client, self.job), reverse("words"), reverse("measure", args=[self.job.pk])]:
            heads = re.findall(r"<h1[^>]*>(.*?)</h1>", self.client.get(page).content.decode(), re.DOTALL)
            self.assertEqual(len(heads), 1, page)
            self.assertTrue(re.sub(r"<[^>]+>|\s", "", heads[0]), page)

    def test_words_are_told_and_linked(self) -> None:
        """Every word has its place on the page; a figure's word is one; words used by a template exist."""
        page = self.client.get(reverse("words")).content.decode()
        for key, row in words().items():
            self.assertIn(f'id="{key}"', page)
            self.assertLess(len(row["says"]), 330, key)
        for row in words().values():
            for name in row.get("figures", ()):
                self.assertEqual(words()[word_of_figure(name)]["title"], row["title"])
        self.assertEqual(set(table("words")), set(words()))
        self.assertIn("#school", self.client.get(reverse("site", args=[self.job.pk])).content.decode())
        self.assertIn("#adverse", self.client.get(reverse("water", args=[self.job.pk])).content.decode())

    def test_each_step_says_what_it_is_for(self) -> None:
        """One line on each of the five."""
        for name in ("site", "water", "supply", "train", "wall"):
            self.assertContains(self.client.get(reverse(name, args=[self.job.pk])), f'data-intro="{name}"')


class Defaults(WorkbenchTestCase):
    def start(self, language: str) -> tuple[str, str]:
        self.client.post(reverse("job-new"), {"name": "New"}, headers={"Accept-Language": language})
        job = Job.objects.order_by("-pk")[0]
        return job.standard, job.units

    def test_language_then_the_firm_then_the_last_choice(self) -> None:
        """A browser from Britain begins with British limits in metric; what the firm chose comes before that, and what a person chose last before both."""
        self.assertEqual(self.start("en-GB,en;q=0.8"), ("uk", "metric"))
        self.assertEqual(self.start("de"), ("eu", "metric"))
        self.assertEqual(self.start("xx"), (self.workspace.standard, self.workspace.units))
        was = stands(self.workspace)
        self.client.post(reverse("firm"), {"name": "Ours", "standard": "au", "units": "metric", "currency": "$", "was": was})
        self.assertEqual(self.start("en-GB"), ("au", "metric"))
        self.client.post(reverse("units", args=[self.job.pk]), {"units": "us"})
        self.assertEqual(self.start("en-GB"), ("au", "us"))


class Papers(WorkbenchTestCase):
    def test_money_and_measures_in_the_jobs_own_units(self) -> None:
        """Sand bought by the kilogram is priced by the pound on a US job: 1.10 a kg is 0.50 a lb; the currency stands before it."""
        page = template("{% price 1.1 'kg' 'us' '$' %}, {% amount_of 10 'kg' 'us' %}, {% price 12 'each' 'us' '' %}, {% money 12345.6 '€' %}")
        self.assertEqual(page, "$0.50 per lb, 22 lb, 12.00 each, €12,345.60")

    def test_assumptions_are_said_in_words(self) -> None:
        """No page and no paper says a bare true."""
        self.assertEqual(Assumption("$.wishes.soft_water", "true", "not said").said, "Soft water: yes")
        self.assertEqual(Assumption("$.supply.flow", "7.0 gpm", "not said").said, "7.0 gpm")
        for name in ("supply", "water"):
            self.assertNotRegex(self.client.get(reverse(name, args=[self.job.pk])).content.decode(), r">\s*(true|false|None)\s*<")

    def test_firm_and_date_stand_on_the_papers(self) -> None:
        """And the list has its totals."""
        self.workspace.currency = "£"
        self.workspace.save()
        with patch("workbench.pages.printed.pdf", side_effect=lambda html: html.encode()):
            for name, wanted in (("wall-pdf", "Total, with first-year consumables"), ("train-pdf", "Findings")):
                html = self.client.get(reverse(name, args=[self.job.pk])).content.decode()
                self.assertIn(f"{self.workspace.name}, {written(timezone.localdate(), 'j F Y')}", html)
                self.assertIn(wanted, html)
                self.assertNotRegex(html, r"<b>(true|false)</b>")
            self.assertIn("£", self.client.get(reverse("wall-pdf", args=[self.job.pk])).content.decode())


def template(text: str) -> str:
    return Template(text).render(Context())


class OnAnyScreen(BrowserTestCase):
    def test_nothing_widens_a_page(self) -> None:
        """A name of 110 letters without a space, at phone width and at 200 % of a small screen: no page scrolls sideways."""
        document = job_document()
        document["job"]["name"] = "Longname" * 13
        job = store(document, self.workspace, self.designer)
        for width in (390, 640):
            page = self.open("dora", width, 700)
            for name in (
                "site",
                "water",
                "water-says",
                "water-history",
                "supply",
                "train",
                "wall",
                "options",
                "choices",
                "year",
                "year-what-if",
                "panel",
                "shelf",
                "materials",
                "commission",
                "logbook",
                "logbook-table",
                "kits",
                "words",
                "jobs",
                "calendar",
                "firm",
            ):
                page.goto(reverse(name, args=[] if name in ("words", "jobs", "calendar", "firm") else [job.pk]))
                over = page.evaluate("document.documentElement.scrollWidth - innerWidth")
                self.assertLessEqual(over, 0, f"{name} at {width}")

    def test_a_step_prints_its_content(self) -> None:
        """On paper there are no buttons, and a field is its text."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        for name in ("site", "supply", "train"):
            page.goto(reverse(name, args=[job.pk]))
            page.emulate_media(media="print")
            self.assertEqual(page.locator(".btn:visible").count(), 0, name)
            self.assertEqual(
                page.evaluate(
                    "[...document.querySelectorAll('main input[type=text]')].filter(e => getComputedStyle(e).borderTopWidth !== '0px').length"
                ),
                0,
            )
            page.emulate_media(media="screen")
