"""The store of results: worked out once, outside of requests, found by every process, and never for other facts than those it stands on."""

from __future__ import annotations

import datetime as dt
import json
from unittest import mock

from django.urls import reverse
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob
from structlog.testing import capture_logs

from treatment.studies.next_tests import Asking
from workbench.jobs.tasks import follow, work_out
from workbench.records.job import Job, JobFigures
from workbench.records.result import Result
from workbench.repository import results
from workbench.repository.door import store
from workbench.repository.remembered import of_firm
from workbench.usecases.jobs import bump
from workbench.usecases.trains import shown_stages

from .base import QueueTestCase, WorkbenchTestCase, job_document, people, read


class Kept(WorkbenchTestCase):
    def setUp(self) -> None:
        super().setUp()
        of_firm.cache_clear()

    def _design(self) -> dict[str, object]:
        found: dict[str, object] = json.loads(self.client.get(reverse("design-export", args=[self.job.pk])).content)
        return found

    def test_another_process_finds_what_was_worked_out(self) -> None:
        """After the task, a process that remembers nothing answers the design file and which test next without working anything out."""
        first = self._design()
        work_out(self.job.pk)
        of_firm.cache_clear()
        nothing = mock.patch("workbench.repository.results.design_of", side_effect=AssertionError("worked out in a request"))
        with nothing:
            self.assertEqual(self._design(), first)
            page = self.client.get(reverse("water-tests", args=[self.job.pk]), headers={"HX-Request": "true"})
        self.assertNotIn("Checking:", read(page))
        self.assertIn("test-next", read(page))

    def test_other_facts_are_worked_out_anew(self) -> None:
        """A reading more, another train, another day, another engine: never the document of before."""
        work_out(self.job.pk)
        kept = results.key_of(self.job, None)
        with mock.patch("workbench.repository.results.ENGINE", "99.0"):
            self.assertNotEqual(results.key_of(self.job, None), kept)
        with mock.patch("workbench.repository.results.dt.date", **{"today.return_value": dt.date(2030, 1, 1)}):
            self.assertNotEqual(results.key_of(self.job, None), kept)
        self.assertNotEqual(results.key_of(self.job, [{"kind": "softener"}]), kept)
        before = self._design()
        reading = self.job.samples.get().readings.get(analyte="iron")
        reading.typed, reading.low, reading.high = "9 mg/L", 9, 9
        reading.save()
        bump(self.job, self.designer)
        after = self._design()
        self.assertNotEqual(after, before)
        self.assertIn('"9 mg/L"', json.dumps(after))

    def test_a_job_that_was_deleted_meanwhile_keeps_nothing(self) -> None:
        gone = Job.objects.get(pk=self.job.pk)
        Job.everything.filter(pk=gone.pk).update(binned_at=timezone.now())
        work_out(gone.pk)
        self.assertFalse(Result.objects.exists())


class Followed(WorkbenchTestCase):
    def setUp(self) -> None:
        super().setUp()
        of_firm.cache_clear()

    def test_each_change_is_followed_once(self) -> None:
        """A new job is outdated until the task went over it, then quiet until it, or its train, changes, or a day begins."""
        self.assertEqual(results.outdated(), [self.job.pk])
        follow()
        self.assertEqual(results.outdated(), [])
        self.assertTrue(JobFigures.objects.get(job=self.job).readable)
        bump(self.job, self.designer)
        self.assertEqual(results.outdated(), [self.job.pk])
        follow()
        self.client.get(reverse("train", args=[self.job.pk]))  # a train of its own to change
        self.job.options.get().save()
        self.assertEqual(results.outdated(), [self.job.pk])
        follow()
        Result.objects.update(made_at=timezone.now() - dt.timedelta(days=1))
        Job.objects.update(updated_at=timezone.now() - dt.timedelta(days=2))
        self.assertEqual(results.outdated(), [self.job.pk])
        follow()
        with mock.patch.object(results, "core", lambda: "another"):
            self.assertEqual(results.outdated(), [self.job.pk])
        self.assertEqual(results.outdated(), [])
        Result.objects.all().delete()
        Job.objects.update(updated_at=timezone.now() - dt.timedelta(days=results.LATELY + 1))
        self.assertEqual(results.outdated(), [])

    def test_one_that_cannot_be_worked_out_is_tried_once(self) -> None:
        """It is told in the log, the others are worked out, and it is not tried again before it changes."""
        with mock.patch.object(Asking, "step", side_effect=ZeroDivisionError), capture_logs() as told:
            follow()
        self.assertEqual([(row["log_level"], row["job"]) for row in told], [("error", self.job.pk)])
        self.assertEqual(results.outdated(), [])
        self.assertEqual(set(Result.objects.values_list("key", flat=True)), {""})
        with (
            self.assertRaisesMessage(AssertionError, "worked out"),
            mock.patch.object(results, "design_of", side_effect=AssertionError("worked out")),
        ):
            results.document_of(self.job, shown_stages(self.job))

    def test_the_list_finds_the_figures_that_the_task_kept(self) -> None:
        follow()
        with mock.patch("workbench.jobs.listing.design_of", side_effect=AssertionError("worked out in a request")):
            self.assertIn(self.job.name, read(self.client.get(reverse("jobs"))))


class Passes(QueueTestCase):
    def test_a_pass_ends_and_the_next_takes_up_the_rest(self) -> None:
        """With no time at all nothing is worked out, and another pass waits; twice asked, one waits."""
        workspace, designer, _, _ = people()
        store(job_document(), workspace, designer)
        with mock.patch("workbench.jobs.tasks.PASS_S", -1):
            follow()
            follow()
        self.assertEqual(ProcrastinateJob.objects.filter(task_name="results.follow", status="todo").count(), 1)
        self.assertFalse(Result.objects.exists())
