"""The queue: papers are printed by a worker, once, with progress to see; what a killed worker left is taken up again, a few times."""

from __future__ import annotations

import asyncio
from types import SimpleNamespace
from typing import Any
from unittest import mock

from django.db import connection
from django.test import Client
from django.urls import reverse
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.jobs import Status

from treatment.papers.printed import PAPERS
from workbench.issues import tasks
from workbench.jobs.tasks import TIMES, take_up_again
from workbench.records.issue import Issue, IssuePaper
from workbench.repository.door import store

from .base import QueueTestCase, WorkbenchTestCase, job_document, people, read


def issued(client: Client, job: Any) -> Issue:
    """Issue a job's design."""
    client.post(reverse("issues", args=[job.pk]), {"to": "Mara", "reason": "so"})
    return Issue.objects.get(job=job)


class Printed(WorkbenchTestCase):
    def test_progress_and_pages(self) -> None:
        """Refused: four papers wait, and the page asks on; printed: each page of each is seen small; a second time nothing is printed."""
        held = issued(self.client, self.job)
        self.assertEqual(ProcrastinateJob.objects.get(task_name=tasks.NAME).args, {"issue": held.pk})
        address = reverse("issue", args=[self.job.pk, held.pk])
        self.assertIn("0 of 4 printed", read(self.client.get(address)))
        tasks.print_papers(issue=held.pk)
        self.assertEqual(set(IssuePaper.objects.filter(issue=held).values_list("name", flat=True)), set(PAPERS))
        part = read(self.client.get(address, {"papers": "1"}, headers={"HX-Request": "true"}))
        self.assertNotIn("printed…", part)
        self.assertNotIn("<html", part)
        pages = IssuePaper.objects.get(issue=held, name="proposal").pages
        self.assertIn(f"Proposal, page {pages}", part)
        picture = self.client.get(reverse("issue-page", args=[self.job.pk, held.pk, "proposal", pages]))
        self.assertEqual((picture["Content-Type"], picture.content[:4], "immutable" in picture["Cache-Control"]), ("image/png", b"\x89PNG", True))
        self.assertEqual(self.client.get(reverse("issue-page", args=[self.job.pk, held.pk, "proposal", pages + 1])).status_code, 404)
        with mock.patch("workbench.pages.papers.pdf", side_effect=AssertionError("printed again")):
            tasks.print_papers(issue=held.pk)

    def test_without_money_no_page_of_the_proposal(self) -> None:
        """A viewer sees the pages of the pack, none of the proposal."""
        held = issued(self.client, self.job)
        tasks.print_papers(issue=held.pk)
        self.client.force_login(self.viewer)
        found = [self.client.get(reverse("issue-page", args=[self.job.pk, held.pk, name, 1])).status_code for name in ("pack", "proposal")]
        self.assertEqual(found, [200, 403])

    def test_failed_for_good(self) -> None:
        """Told on the page, and a paper is printed when it is opened."""
        held = issued(self.client, self.job)
        with connection.cursor() as cursor:
            cursor.execute("update procrastinate_jobs set status = 'failed'")
        self.assertIn("Printing failed", read(self.client.get(reverse("issue", args=[self.job.pk, held.pk]))))
        self.assertEqual(self.client.get(reverse("issue-paper", args=[self.job.pk, held.pk, "labels"])).status_code, 200)


class TakenUp(WorkbenchTestCase):
    def test_a_few_times_and_no_more(self) -> None:
        """A stalled task is begun anew until it was begun three times; then it has failed."""
        done: list[tuple[str, int]] = []

        class Manager:
            async def get_stalled_jobs(self) -> list[Any]:
                return [SimpleNamespace(id=number, attempts=number, task_name="x") for number in (1, TIMES)]

            async def retry_job(self, job: Any) -> None:
                done.append(("again", job.id))

            async def finish_job(self, job: Any, status: Status, delete_job: bool) -> None:
                done.append((status.value, job.id))

        context: Any = SimpleNamespace(app=SimpleNamespace(job_manager=Manager()))
        asyncio.run(take_up_again.func(context, 0))
        self.assertEqual(done, [("again", 1), ("failed", TIMES)])


class Worker(QueueTestCase):
    """A worker as it runs beside the pages, with a connection of its own."""

    def test_it_prints_what_was_issued(self) -> None:
        """One pass of a real worker: all papers are there, the task is done."""
        workspace, designer, _, _ = people()
        job = store(job_document(), workspace, designer)
        client = Client()
        client.force_login(designer)
        held = issued(client, job)
        worker = app.with_connector(app.connector.get_worker_connector())  # type: ignore[attr-defined]
        worker.run_worker(wait=False, install_signal_handlers=False, listen_notify=False, queues=["papers"])
        self.assertEqual(IssuePaper.objects.filter(issue=held).count(), len(PAPERS))
        self.assertEqual(ProcrastinateJob.objects.filter(task_name=tasks.NAME).latest("pk").status, "succeeded")
