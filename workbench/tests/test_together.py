"""Two at once, in threads against the real database: one is kept, the other is told; nothing acknowledged is lost, and nothing is a 500."""

from __future__ import annotations

from collections.abc import Callable
from threading import Barrier, Thread
from typing import Any

from django.db import connections
from django.http import HttpResponse
from django.test import Client
from django.urls import reverse

from treatment.evidence.kits import kits
from treatment.tests.example import job as job_document

from ..accounts.views import stands
from ..records.firm import Workspace
from ..records.job import Job, Survey
from ..records.sample import Reading, Sample
from ..records.train import TrainOption
from ..repository.door import store
from .base import CommittedTestCase, people


class TwoAtOnce(CommittedTestCase):
    def setUp(self) -> None:
        self.workspace, self.designer, _, _ = people()
        self.job = store(job_document(), self.workspace, self.designer)

    def together(self, *acts: Callable[[Client], HttpResponse]) -> list[int]:
        """What each act was answered, all of them begun at the same moment."""
        barrier, answers = Barrier(len(acts)), [0] * len(acts)

        def run(i: int, act: Callable[[Client], HttpResponse]) -> None:
            client = Client(raise_request_exception=False)
            client.force_login(self.designer)
            try:
                barrier.wait(timeout=20)
                answers[i] = act(client).status_code
            finally:
                connections.close_all()

        threads = [Thread(target=run, args=pair) for pair in enumerate(acts)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(timeout=60)
        self.assertTrue(all(200 <= each < 500 for each in answers), answers)
        return sorted(answers)

    def posts(self, address: str, **data: Any) -> Callable[[Client], HttpResponse]:
        return lambda client: client.post(address, data)  # type: ignore[return-value]

    def test_the_firm(self) -> None:
        """Of two who rename it from the same page, one is told."""
        was = stands(self.workspace)
        address = reverse("firm")
        acts = [self.posts(address, name=name, standard="us", units="us", was=was) for name in ("One", "Two")]
        self.assertEqual(self.together(*acts), [302, 409])
        self.assertIn(Workspace.objects.get(pk=self.workspace.pk).name, ("One", "Two"))

    def test_prices(self) -> None:
        """Of two who change the list from the same page, one is told."""
        acts = [self.posts(reverse("prices"), salt=price, was="") for price in ("0.5", "0.6")]
        self.assertEqual(self.together(*acts), [302, 409])

    def test_the_facts_of_a_sample(self) -> None:
        """Of two who say where it was drawn, one is told."""
        sample = Sample.objects.get(job=self.job)
        prefix, seen = f"s{sample.pk}", "|".join(str(getattr(sample, name) or "") for name in ("taken_on", "point", "draw", "weather", "method"))
        address = reverse("sample-edit", args=[self.job.pk, sample.pk])
        acts = [
            self.posts(
                address, **{f"{prefix}-seen": seen, f"{prefix}-taken_on": "2026-05-04", f"{prefix}-point": point, f"{prefix}-method": "laboratory"}
            )
            for point in ("tap", "pressure_tank")
        ]
        self.assertEqual(self.together(*acts), [302, 409])

    def test_the_same_reading(self) -> None:
        """Both are answered, one stands."""
        sample = Sample.objects.get(job=self.job)
        address = reverse("readings-add", args=[self.job.pk, sample.pk])
        self.together(*(self.posts(address, line=f"chloride {value} mg/L") for value in (20, 30, 40, 50)))
        self.assertEqual(Reading.objects.filter(sample=sample, analyte="chloride").count(), 1)

    def test_answers_of_a_kit(self) -> None:
        """Answers to different tests at the same moment make one sample, and every reading is kept."""
        kit = next(kit for kit in kits().values() if sum(bool(test.pads) for test in kit.tests) >= 3)
        session = self.job.kit_sessions.create(kit=kit.key, started_at="2026-05-04T10:00Z")
        tests = [test for test in kit.tests if test.pads][:3]
        acts = [self.posts(reverse("kit-answer", args=[self.job.pk, session.pk, test.key]), pad="0") for test in tests]
        self.together(*acts)
        session.refresh_from_db()
        self.assertLessEqual(Sample.objects.filter(job=self.job).count(), 2)

    def test_what_is_seen(self) -> None:
        """Two observations noted at once both stand."""
        sample = Sample.objects.get(job=self.job)
        address = reverse("readings-add", args=[self.job.pk, sample.pk])
        self.together(self.posts(address, line="sand"), self.posts(address, line="slime"))
        self.assertLessEqual({"grit", "slime"}, set(Survey.objects.get(job=self.job).observations))

    def test_units_and_first_looks(self) -> None:
        """Units switched and the train of a new job opened by four at once: answered, and one option made."""
        TrainOption.objects.filter(job=self.job).delete()
        address = reverse("train", args=[self.job.pk])
        self.together(*[lambda client: client.get(address)] * 4)  # type: ignore[list-item]
        self.assertEqual(TrainOption.objects.filter(job=self.job).count(), 1)
        self.together(*[self.posts(reverse("units", args=[self.job.pk]), units=units) for units in ("us", "metric", "us", "metric")])

    def test_a_job_deleted_while_it_is_edited(self) -> None:
        """The edit is answered with a page of ours."""
        sample = Sample.objects.get(job=self.job)
        gone = self.posts(reverse("job-delete", args=[self.job.pk]), name=self.job.name)
        self.together(gone, self.posts(reverse("readings-add", args=[self.job.pk, sample.pk]), line="chloride 20 mg/L"))
        self.assertFalse(Job.objects.filter(pk=self.job.pk).exists())
