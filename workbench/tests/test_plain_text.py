"""Characters that neither the database nor a file takes, and a database that does not answer."""

from __future__ import annotations

from unittest import mock

from django.db import OperationalError
from django.test import Client
from django.urls import reverse

from workbench.records.job import Job

from .base import WorkbenchTestCase, read


class PlainText(WorkbenchTestCase):
    def test_left_out_and_said(self) -> None:
        page = self.client.post(reverse("job-new"), {"name": "Fell\x00side\x0b 7"}, follow=True)
        self.assertTrue(Job.objects.filter(name="Fellside 7").exists())
        self.assertIn("characters you typed cannot be printed and were removed", read(page))

    def test_asked_for_in_an_address(self) -> None:
        self.assertEqual(self.client.get(reverse("jobs"), {"q": "a\x00b"}).status_code, 200)
        address = reverse("reading-delete", args=[self.job.pk, self.job.samples.get().pk, "iron"]).replace("iron", "ir%00on")
        self.assertEqual(self.client.post(address).status_code, 404)

    def test_inside_json_it_is_refused_where_it_stands(self) -> None:
        """An escape inside JSON is no character of the form yet: half a pair, a null, a control character."""
        for escape in ("\\ud800", "\\u0000", "\\u000b", "\\uffff"):
            text = f'{{"format": "cairn-job/1", "job": {{"name": "Fell{escape}side"}}, "samples": []}}'
            page = self.client.post(reverse("job-import"), {"text": text})
            self.assertEqual(page.status_code, 422, escape)
            self.assertIn("it holds a character that cannot be written", read(page))

    def test_json_nested_too_deep(self) -> None:
        """100 000 lists inside each other, in an import and where a page sends JSON back."""
        deep = "[" * 100_000
        self.assertEqual(self.client.post(reverse("job-import"), {"text": deep}).status_code, 422)
        self.assertEqual(self.client.post(reverse("own-keep", args=[self.job.pk]), {"samples": deep}).status_code, 422)


class WhatIf(WorkbenchTestCase):
    def test_no_flow_at_all(self) -> None:
        """A page that accepts zero answers for zero: no flow, no loss in the beds."""
        page = self.client.get(reverse("supply-what-if", args=[self.job.pk]), {"flow": "0"}, headers={"HX-Request": "true"})
        self.assertEqual(page.status_code, 200)


class Health(WorkbenchTestCase):
    def test_says_what_is_down(self) -> None:
        watcher = Client()
        self.assertEqual(watcher.get(reverse("health")).status_code, 200)
        with mock.patch("workbench.jobs.views.Job.objects.exists", side_effect=OperationalError("no route, user fell")):
            page = watcher.get(reverse("health"))
        self.assertEqual((page.status_code, page.content), (503, b"the database does not answer"))
