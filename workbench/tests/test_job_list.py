"""The list of jobs: found by name, a page at a time, its figures kept and never older than their facts."""

from __future__ import annotations

from unittest import mock

from django.urls import reverse

from workbench.door import design_of, store
from workbench.jobs import listing
from workbench.jobs.models import Job, JobFigures
from workbench.samples.models import Reading

from .base import WorkbenchTestCase, job_document, read


class List(WorkbenchTestCase):
    def shown(self, **asked: str) -> str:
        return read(self.client.get(reverse("jobs"), asked))

    def test_kept_figures_are_shown_without_working_them_out_again(self) -> None:
        first = self.shown()
        with mock.patch.object(listing, "design_of", side_effect=AssertionError("worked out again")):
            self.assertEqual(self.shown().count("<article"), first.count("<article"))
        chosen = design_of(self.job, None).chosen
        kept = JobFigures.objects.get(job=self.job)
        self.assertEqual(kept.stages, [stage.name for stage in chosen.run.stages])
        self.assertEqual([severity for severity, _ in kept.tally], list(chosen.tally), "the gravest first")

    def test_whatever_changes_a_job_changes_its_figures(self) -> None:
        """A reading changed in any way, a new engine, the next day: worked out anew each time."""
        self.shown()
        before = JobFigures.objects.get(job=self.job).key
        Reading.objects.filter(sample__job=self.job, analyte="iron").update(typed="9 mg/L")
        self.shown()
        after = JobFigures.objects.get(job=self.job).key
        self.assertNotEqual(before, after)
        with mock.patch.object(listing, "ENGINE", "next"):
            self.shown()
        self.assertNotEqual(JobFigures.objects.get(job=self.job).key, after)

    def test_a_train_that_can_no_longer_be_read_keeps_nobody_from_the_list(self) -> None:
        with mock.patch.object(listing, "shown_stages", return_value=[{"kind": "no such kind"}]):
            self.assertIn("can no longer be read", self.shown())

    def test_found_by_name_and_only_in_the_own_firm(self) -> None:
        document = job_document()
        document["job"]["name"] = "Lower Beck 3"
        store(document, self.workspace, self.designer)
        self.assertEqual(self.shown(q="lower b").count("<article"), 1)
        self.assertIn("No job name contains", self.shown(q="nowhere"))
        self.client.force_login(self.stranger)
        self.assertEqual(self.shown(q="Lower").count("<article"), 0)

    def test_a_page_at_a_time(self) -> None:
        """30 more jobs than one: 25 on the first page, 6 on the second; a page that is not there is the last; figures of those shown only."""
        survey = self.job.survey
        for number in range(30):
            job = Job.objects.create(workspace=self.workspace, name=f"Beck {number}")
            survey.pk, survey.job = None, job
            survey.save()
        self.assertEqual(self.shown().count("<article"), 25)
        self.assertEqual(JobFigures.objects.count(), 25)
        self.assertEqual(self.shown(page="2").count("<article"), 6)
        self.assertEqual(self.shown(page="99").count("<article"), 6)
        self.assertEqual(self.shown(page="²").count("<article"), 25)
