"""Headings, words and first visits: what helps who is new here."""

from __future__ import annotations

import re

from django.urls import reverse

from treatment.language.tables import table

from ..words import word_of_figure, words
from .base import WorkbenchTestCase
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
