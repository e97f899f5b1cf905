"""Every change is kept by the database, with who: read in plain words, never changed."""

from __future__ import annotations

from django.apps import apps
from django.db import DatabaseError, transaction
from django.test import Client

from treatment.editing.train import Add
from workbench.records.firm import Membership, Workspace
from workbench.records.job import Job
from workbench.records.sample import Reading, Sample
from workbench.usecases.history import changes_of
from workbench.usecases.jobs import note_seen
from workbench.usecases.trains import Seen, edit, option_of

from .base import WorkbenchTestCase, read


class History(WorkbenchTestCase):
    def words(self, what: str = "") -> list[str]:
        return [each.words for each in changes_of(Job.objects.get(pk=self.job.pk), what)]

    def test_a_reading_in_plain_words_by_name(self) -> None:
        sample = Sample.objects.get(job=self.job)
        self.client.post(f"/jobs/{self.job.pk}/water/samples/{sample.pk}/readings/", {"line": "chloride 30 mg/L"})
        Reading.objects.filter(sample=sample, analyte="iron").update(typed="1.8 mg/L")
        newest = changes_of(Job.objects.get(pk=self.job.pk), "reading")[:2]
        self.assertEqual([each.words for each in newest], ["Iron 2.4 mg/L → 1.8 mg/L", "Chloride 30 mg/L"])
        self.assertEqual(newest[1].by, "dora")

    def test_survey_job_and_train(self) -> None:
        note_seen(self.job, "white_crust", self.designer)
        Job.objects.filter(pk=self.job.pk).update(name="Renamed", state="offered")
        option = option_of(self.job)
        edit(self.job, option, Seen(option.version, 0), self.designer, lambda job: Add("", "softener"))
        self.assertIn("seen: white crust, soap scum, short heater life", self.words("survey"))
        self.assertIn("added softener", self.words("train"))
        self.assertTrue(any("name: Acid well → Renamed" in words for words in self.words("job")))

    def test_a_delete_is_kept(self) -> None:
        Reading.objects.filter(sample__job=self.job, analyte="iron").delete()
        self.assertEqual(self.words("reading")[0], "Iron deleted, was 2.4 mg/L")

    def test_what_is_kept_cannot_be_changed(self) -> None:
        kept = apps.get_model("jobs", "JobChange")
        for act in (lambda: kept.objects.update(name="forged"), lambda: kept.objects.all().delete()):
            with self.assertRaises(DatabaseError), transaction.atomic():
                act()

    def test_nothing_is_kept_of_what_was_taken_back(self) -> None:
        before = len(self.words())
        with transaction.atomic():
            Job.objects.filter(pk=self.job.pk).update(name="Never")
            transaction.set_rollback(True)
        self.assertEqual(len(self.words()), before)

    def test_the_page(self) -> None:
        Job.objects.filter(pk=self.job.pk).update(state="offered")
        page = read(self.client.get(f"/jobs/{self.job.pk}/history/"))
        self.assertIn("state: tested → offered", page)
        self.assertNotIn("state: tested", read(self.client.get(f"/jobs/{self.job.pk}/history/", {"what": "reading"})))
        guest = Client()
        guest.force_login(self.stranger)
        self.assertEqual(guest.get(f"/jobs/{self.job.pk}/history/").status_code, 404)

    def test_the_firms_own_changes(self) -> None:
        """Prices one by one, roles by name, jobs by theirs; nothing of another firm."""
        Workspace.objects.filter(pk=self.workspace.pk).update(prices={"salt": 0.6})
        Workspace.objects.filter(name="Theirs").update(prices={"salt": 9})
        Membership.objects.filter(user=self.viewer).update(role="installer")
        Job.objects.filter(pk=self.job.pk).update(state="kept")
        page = read(self.client.get("/history/"))
        for said in ("salt: nothing → 0.6", "vera: viewer → installer", "Acid well: state: tested → kept"):
            self.assertIn(said, page)
        self.assertNotIn("→ 9", page)
        self.assertNotIn("vera", read(self.client.get("/history/", {"what": "company"})))
