"""The field of choices in the workbench: while it is worked out, its picture and table, a point that becomes an option; wrong input."""

from __future__ import annotations

import json

from django.urls import reverse

from treatment.choices.field import AXES
from workbench.records.train import TrainOption
from workbench.repository.door import store
from workbench.usecases.trains import option_of, revision_of

from .base import WorkbenchTestCase


class ChoicesPage(WorkbenchTestCase):
    def page(self, **asked: str):  # noqa: ANN201
        return self.client.get(reverse("choices", args=[self.job.pk]), asked)

    def take(self, train: str):  # noqa: ANN201
        return self.client.post(reverse("choice-take", args=[self.job.pk]), {"train": train})

    def test_from_the_waiting_line_to_an_option(self) -> None:
        """First a line that says what is done; then dots and table; a point opens with its train; taken, it is option B with the same figures."""
        waiting = self.page()
        self.assertContains(waiting, "This takes some seconds")
        found = self.client.get(reverse("choices", args=[self.job.pk]) + waiting.context["later"]["on"])
        self.assertContains(found, "trains sized and checked")
        asked = 0
        while "later" in found.context and asked < 200:  # as the page does by itself
            found, asked = self.client.get(reverse("choices", args=[self.job.pk]) + found.context["later"]["on"]), asked + 1
        self.assertContains(found, "The same trains as a table")
        rows, plot = found.context["rows"], found.context["plot"]
        self.assertEqual(len(rows), len(plot.dots))
        self.assertGreater(len(rows), 20)
        self.assertIn("Proposal", plot.flags[0].label)
        self.assertNotContains(self.page(), "This takes some seconds")  # it is remembered
        point = next(point for point, *_ in rows if point.id != "1" and point.choice.salt > 0)
        opened = self.page(point=point.id, across="salt", up="wall")
        self.assertEqual((opened.context["plot"].across.name, opened.context["plot"].up.name), ("salt", "wall"))
        self.assertContains(opened, "Add as option")
        typed = opened.context["open"]["typed"]
        self.assertRedirects(self.take(typed), f"{reverse('train', args=[self.job.pk])}?option=B")
        self.job.refresh_from_db()
        self.assertEqual(revision_of(option_of(self.job, "B")).stages, json.loads(typed))
        document = self.client.get(reverse("choices-file", args=[self.job.pk])).json()
        self.assertEqual((document["format"], document["axes"]), ("cairn-choices/1", list(AXES)))
        self.assertIn("option B", {label for flag in self.page().context["plot"].flags for label in flag.label.split(", ")})
        self.take(typed)  # a third
        full = self.take(typed)
        self.assertContains(full, "A job can have three options", status_code=422)
        self.assertEqual(TrainOption.objects.count(), 3)

    def test_wrong_input_is_told(self) -> None:
        """Axes and points that are none show the usual ones; a train that is no longer among the choices is told, and nothing is stored."""
        found = self.page(run="all", across="beauty", up="", point="99999")
        self.assertEqual((found.status_code, found.context["across"], found.context["up"], found.context["open"]), (200, "first", "total", None))
        for typed in ("", "[]", "not json"):
            self.assertContains(self.take(typed), "no longer among the choices", status_code=409)
        self.assertFalse(TrainOption.objects.filter(letter="B").exists())

    def test_without_water_it_says_what_is_missing(self) -> None:
        """A job that nobody tested yet."""
        empty = store({"format": "cairn-job/1", "job": {"name": "Bare"}, "samples": [{"readings": {}}]}, self.workspace, self.designer)
        self.assertContains(self.client.get(reverse("choices", args=[empty.pk])), "Enter a water test first")

    def test_another_firm_sees_nothing_of_it(self) -> None:
        """Not the page, not the file, and takes nothing."""
        self.client.force_login(self.stranger)
        self.assertEqual(self.page().status_code, 404)
        self.assertEqual(self.client.get(reverse("choices-file", args=[self.job.pk])).status_code, 404)
        self.assertEqual(self.take("[]").status_code, 404)
