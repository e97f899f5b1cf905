"""What went wrong has a page of our own with a way back, and a line in the log that tells nothing it should not."""

from __future__ import annotations

import json
import logging
from typing import Any
from unittest import mock

from django.db import connection
from django.http import HttpRequest, HttpResponse
from django.test import Client, SimpleTestCase
from django.urls import get_resolver, reverse

from vivid_cairn.log import logging_of
from workbench.jobs import views as jobs
from workbench.outcome import Late

from .base import CommittedTestCase, WorkbenchTestCase, people, read


class Pages(WorkbenchTestCase):
    def assert_ours(self, page: object, status: int, words: str) -> None:
        self.assertEqual(page.status_code, status)  # type: ignore[attr-defined]
        text = read(page)
        self.assertIn(words, text)
        self.assertIn(f'href="{reverse("jobs")}"', text)
        self.assertIn(page["X-Request-ID"], text)  # type: ignore[index]

    def test_no_such_page(self) -> None:
        """404: an address nobody has, and a job that is gone."""
        self.assert_ours(self.client.get("/nowhere/"), 404, "Page not found")
        self.assert_ours(self.client.get(reverse("train", args=[self.job.pk + 99])), 404, "Page not found")

    def test_not_open_to_you(self) -> None:
        """403: a viewer's change, in words; and a form that has lost its token."""
        self.client.force_login(self.viewer)
        self.assert_ours(self.client.post(reverse("sample-new", args=[self.job.pk])), 403, "Your role can view but not change.")
        strict = Client(enforce_csrf_checks=True)
        strict.force_login(self.designer)
        self.assert_ours(strict.post(reverse("sample-new", args=[self.job.pk])), 403, "Reload the page")

    def test_too_large(self) -> None:
        """413: a body beyond what we take is refused before it is read."""
        with self.settings(DATA_UPLOAD_MAX_MEMORY_SIZE=1000):
            self.assert_ours(self.client.post(reverse("job-import"), {"text": "x" * 2000}), 413, "This is too large")

    def test_a_change_that_came_too_late(self) -> None:
        """409: where a page does not show both states itself, it is told all the same."""
        with mock.patch("workbench.samples.services.add_sample", side_effect=Late(self.job)):
            self.assert_ours(self.client.post(reverse("sample-new", args=[self.job.pk])), 409, "Someone else saved first")

    def test_our_own_failure(self) -> None:
        """500: told plainly with its number; nothing of the inside is shown."""
        self.client.raise_request_exception = False
        with (
            mock.patch("workbench.samples.views._page", side_effect=ZeroDivisionError("iron 2.4 of Dora")),
            self.assertLogs("django.request", "ERROR"),
        ):
            page = self.client.get(reverse("water", args=[self.job.pk]))
        self.assert_ours(page, 500, "Something went wrong on our side")
        self.assertNotIn("ZeroDivision", page.content.decode())


class Log(WorkbenchTestCase):
    def test_every_request_is_a_line_without_what_was_typed(self) -> None:
        """Number, page, status and time; the job by its number, no address, no reading."""
        with self.assertLogs("workbench.request", "INFO") as caught:
            page = self.client.post(reverse("water-read", args=[self.job.pk]), {"line": "iron 7.77"})
        event = caught.records[0].msg
        self.assertIsInstance(event, dict)
        assert isinstance(event, dict)
        self.assertEqual(event["request_id"], page["X-Request-ID"])
        self.assertEqual((event["page"], event["job"], event["status"]), ("water-read", self.job.pk, 200))
        self.assertNotIn("7.77", str(event))


class Formatter(SimpleTestCase):
    def test_an_exception_is_its_kind_and_place(self) -> None:
        """Its message may quote what somebody typed, so it stays out."""
        settings = logging_of("production")
        build = dict(settings["formatters"]["json"])
        formatter = build.pop("()")(**build)
        try:
            raise ValueError("well of the Larkfell school, iron 2.4")
        except ValueError as error:
            record = logging.LogRecord(
                "django.request", logging.ERROR, __file__, 1, "Internal Server Error", (), (ValueError, error, error.__traceback__)
            )
        line = json.loads(formatter.format(record))
        self.assertEqual((line["error"], line["event"], line["level"]), ("ValueError", "Internal Server Error", "error"))
        self.assertTrue(any("test_refusals.py" in place for place in line["at"]))
        self.assertNotIn("Larkfell", json.dumps(line))


class TheLineIsCut(CommittedTestCase):
    """The database's line is cut under a request: the database ended the connection, or was started anew."""

    def setUp(self) -> None:
        _, self.designer, _, _ = people()
        self.client = Client(raise_request_exception=False)
        self.client.force_login(self.designer)

    @staticmethod
    def cut_under(times: int) -> Any:
        """The first so many looks at the list of jobs end their own connection."""
        held, whole = [times], jobs.job_list.__wrapped__ if hasattr(jobs.job_list, "__wrapped__") else jobs.job_list

        def looked(request: HttpRequest) -> Any:
            if held[0]:
                held[0] -= 1
                with connection.cursor() as cursor:
                    cursor.execute("SELECT pg_terminate_backend(pg_backend_pid())")
            return whole(request)

        return looked

    def through(self, times: int, method: str) -> HttpResponse:
        """An answer where the line is cut so often."""
        place = next(each for each in get_resolver().url_patterns if each.name == "jobs")
        with mock.patch.object(place, "callback", self.cut_under(times)):
            return getattr(self.client, method)(reverse("jobs"))

    def test_a_look_is_looked_at_once_more(self) -> None:
        """Cut once: nobody notices. Cut twice: our page of a failure, and the next look is well."""
        self.assertEqual(self.through(1, "get").status_code, 200)
        self.assertEqual(self.through(2, "get").status_code, 503)
        self.assertEqual(self.client.get(reverse("jobs")).status_code, 200)

    def test_a_change_is_never_made_twice(self) -> None:
        """It is told that it may not have been kept; it is not tried again."""
        answer = self.through(1, "post")
        self.assertContains(answer, "check whether your last change was saved", status_code=503)
