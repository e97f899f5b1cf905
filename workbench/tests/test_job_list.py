"""The list of jobs: found by name, a page at a time, its figures kept and never older than their facts."""

from __future__ import annotations

import json
from datetime import timedelta
from unittest import mock

from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone

from workbench.jobs import listing, views
from workbench.records.job import Job, JobFigures, Presence
from workbench.records.log import JobLog
from workbench.repository import door
from workbench.repository.door import design_of, store
from workbench.repository.door import job_document as job_document_of
from workbench.repository.due import due_counts
from workbench.usecases import doors
from workbench.usecases.trains import shown_stages

from .base import WorkbenchTestCase, job_document, read
from .forms_shown import forms_shown


class List(WorkbenchTestCase):
    def shown(self, **asked: str) -> str:
        return read(self.client.get(reverse("jobs"), asked))

    def settle(self) -> None:
        """Ask for what is missing, as the page does."""
        while "anew=1" in self.shown():
            self.client.get(reverse("jobs"), {"anew": "1"}, headers={"HX-Request": "true"})

    def test_kept_figures_are_shown_without_working_them_out_again(self) -> None:
        first = self.shown()
        with mock.patch.object(listing, "design_of", side_effect=AssertionError("worked out again")):
            self.assertEqual(self.shown().count("<tr>"), first.count("<tr>"))
        chosen = design_of(self.job, None).chosen
        kept = JobFigures.objects.get(job=self.job)
        self.assertEqual(kept.stages, [[stage.name, stage.room.silhouette] for stage in chosen.run.stages])
        self.assertEqual([severity for severity, _ in kept.tally], list(chosen.tally), "the gravest first")

    def test_whatever_changes_a_job_changes_its_figures(self) -> None:
        """Every form of every page that changes what the design is made of, a new engine, the next week: worked out anew each time."""
        client = self.client
        changing, seen = 0, set[tuple[str, ...]]()

        def stands() -> tuple[str, str]:
            job = listing.listed(self.workspace, str(self.job.pk), "1")[0]
            return json.dumps(job_document_of(job, shown_stages(job)), sort_keys=True), listing.key_of(job)

        for form in forms_shown(client, self.job):
            if form.like in seen:  # one that stands on many pages changes the same on each
                continue
            seen.add(form.like)
            for values in form.ways:
                if form.name in ("job-delete", "job-archive", "logout") or values.get("act") == "remove":
                    continue
                before, key = stands()
                form.send(client, values | {name: f"{value}1" for name, value in values.items() if name in ("people", "line", "name")})
                after, now = stands()
                if before != after:
                    changing += 1
                    self.assertNotEqual(key, now, f"{form.name}: {values}")
        self.assertGreater(changing, 3)
        _, key = stands()
        with mock.patch.object(listing, "rules", lambda: "next"):
            self.assertNotEqual(stands()[1], key)
        week = timezone.localdate() + timedelta(days=7)
        with mock.patch.object(listing.timezone, "localdate", return_value=week):
            self.assertNotEqual(stands()[1], key)

    def test_what_takes_longer_comes_afterwards(self) -> None:
        """With no time left the list comes at once and says what is missing; the page then asks for it, a slice at a time."""
        with mock.patch.object(views, "AT_ONCE", -1.0):
            page = self.shown()
        self.assertIn("Being worked out", page)
        self.assertIn("anew=1", page)
        rows = read(self.client.get(reverse("jobs"), {"anew": "1"}, headers={"HX-Request": "true"}))
        self.assertNotIn("Being worked out", rows)
        self.assertNotIn("anew=1", rows)
        self.assertNotIn("<html", rows)

    def test_no_query_more_for_a_job_more(self) -> None:
        """The list asks the database as often for 20 jobs as for 3."""
        counts = []
        for number in (2, 17):
            for _ in range(number):
                store(job_document(), self.workspace, self.designer)
            self.settle()
            with CaptureQueriesContext(connection) as asked:
                self.shown()
            counts.append(len(asked))
        self.assertEqual(counts[0], counts[1])

    def test_a_train_that_can_no_longer_be_read_keeps_nobody_from_the_list(self) -> None:
        with mock.patch.object(listing, "shown_stages", return_value=[{"kind": "no such kind"}]):
            self.assertIn("can no longer be read", self.shown())

    def test_found_by_name_and_only_in_the_own_firm(self) -> None:
        document = job_document()
        document["job"]["name"] = "Lower Beck 3"
        store(document, self.workspace, self.designer)
        self.assertEqual(self.shown(q="lower b").count("<tr>"), 1)
        self.assertIn("No job matches", self.shown(q="nowhere"))
        self.client.force_login(self.stranger)
        self.assertEqual(self.shown(q="Lower").count("<tr>"), 0)

    def test_a_page_at_a_time(self) -> None:
        """30 more jobs than one: 25 on the first page, 6 on the second; a page that is not there is the last; figures of those shown only."""
        survey = self.job.survey
        for number in range(30):
            job = Job.objects.create(workspace=self.workspace, name=f"Beck {number}")
            survey.pk, survey.job = None, job
            survey.save()
        self.assertEqual(self.shown().count("<tr>"), 25)
        self.settle()
        self.assertEqual(JobFigures.objects.count(), 25)
        self.assertEqual(self.shown(page="2").count("<tr>"), 6)
        self.assertEqual(self.shown(page="99").count("<tr>"), 6)
        self.assertEqual(self.shown(page="²").count("<tr>"), 25)


class Shelves(WorkbenchTestCase):
    def post(self, name: str, **data: str) -> None:
        self.assertEqual(self.client.post(reverse(name, args=[self.job.pk]), data).status_code, 302)

    def names(self, **asked: str) -> list[str]:
        return [row["job"].name for row in self.client.get(reverse("jobs"), asked).context["rows"]]

    def test_the_bin_keeps_a_job_for_a_month(self) -> None:
        """Out of every page, the calendar and the doors at once; put back it is as it was; after thirty days it goes with the next."""
        log = JobLog.objects.create(job=self.job, started_on=timezone.localdate(), due_on=timezone.localdate())
        device, token = doors.new_device(self.job, "meter", self.designer).made
        self.post("job-delete")
        self.assertEqual((self.names(), self.names(show="bin")), ([], [self.job.name]))
        self.assertEqual(self.client.get(reverse("water", args=[self.job.pk])).status_code, 404)
        self.assertEqual(due_counts(self.workspace)["today"], 0)
        self.assertNotContains(self.client.get(reverse("calendar")), self.job.name)
        self.assertIsNone(doors.device_of(token))
        self.post("job-put-back")
        self.assertEqual(self.names(), [self.job.name])
        self.assertEqual((doors.device_of(token), JobLog.objects.get(job=self.job)), (device, log))
        self.post("job-delete")
        Job.everything.filter(pk=self.job.pk).update(binned_at=timezone.now() - timedelta(days=31))
        other = store(job_document(), self.workspace, self.designer)
        self.client.post(reverse("job-delete", args=[other.pk]))
        self.assertEqual(list(Job.everything.values_list("pk", flat=True)), [other.pk])

    def test_nobody_else_puts_it_back(self) -> None:
        """Another firm finds nothing in the bin, and a viewer changes nothing."""
        self.post("job-delete")
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.post(reverse("job-put-back", args=[self.job.pk])).status_code, 404)
        self.assertEqual(self.names(show="bin"), [])

    def test_the_archive(self) -> None:
        """Out of the list that opens first; its pages still open."""
        self.post("job-archive")
        self.assertEqual((self.names(), self.names(show="archived")), ([], [self.job.name]))
        self.assertEqual(self.client.get(reverse("water", args=[self.job.pk])).status_code, 200)
        self.post("job-archive", back="1")
        self.assertEqual(self.names(), [self.job.name])

    def test_a_copy_has_everything_but_the_log(self) -> None:
        """The same document under another name; the log stays with the first."""
        JobLog.objects.create(job=self.job, started_on=timezone.localdate())
        self.post("job-duplicate")
        copy = Job.objects.exclude(pk=self.job.pk).get()
        mine, its = (door.job_document(job, shown_stages(job)) for job in (Job.objects.get(pk=self.job.pk), copy))
        self.assertEqual(its["job"].pop("name"), f"{mine['job'].pop('name')} (copy)")
        self.assertEqual(its, mine)
        self.assertFalse(JobLog.objects.filter(job=copy).exists())

    def test_two_of_one_name_are_told_apart(self) -> None:
        """By their numbers; one of another name bears none."""
        other = store(job_document(), self.workspace, self.designer)
        Job.objects.filter(pk=other.pk).update(name=self.job.name)
        page = read(self.client.get(reverse("jobs")))
        self.assertIn(f"no. {self.job.pk}", page)
        self.assertIn(f"no. {other.pk}", page)
        Job.objects.filter(pk=other.pk).update(name="Another")
        self.assertNotIn(f"no. {other.pk}", read(self.client.get(reverse("jobs"))))

    def test_sorted_as_asked(self) -> None:
        """By name, by what is due, by the worst findings; anything else as usual."""
        other = store(job_document(), self.workspace, self.designer)
        Job.objects.filter(pk=other.pk).update(name="A first")
        JobLog.objects.create(job=self.job, started_on=timezone.localdate(), due_on=timezone.localdate())
        self.assertEqual(self.names(sort="name")[0], "A first")
        self.assertEqual(self.names(sort="due")[0], self.job.name)
        JobFigures.objects.filter(job=other).update(gravity=10_001)
        JobFigures.objects.filter(job=self.job).update(gravity=1)
        self.assertEqual(self.names(sort="findings")[0], "A first")
        self.assertEqual(len(self.names(sort="nonsense", show="nonsense")), 2)

    def test_begun_in_four_ways(self) -> None:
        """New: its water; from a report: the report's part of it; an installation that stands: an empty train to put together; a file: its page."""
        for start, words in (("", "/water/"), ("report", "/water/#from-report"), ("existing", "/train/")):
            answer = self.client.post(reverse("job-new"), {"name": f"Beck {start}", "start": start})
            self.assertTrue(answer["Location"].endswith(words), answer["Location"])
        standing = Job.objects.get(name="Beck existing")
        self.assertEqual(shown_stages(standing), [])
        self.assertEqual(self.client.post(reverse("job-new"), {"name": "Beck", "start": "elsewhere"}).status_code, 422)


class Many(WorkbenchTestCase):
    def post(self, **data: object) -> str:
        """Send it; what the list says then."""
        where = "jobs-views" if data.get("act") in ("keep", "drop") else "jobs-at-once"
        answer = self.client.post(reverse(where), data, follow=True)
        self.assertEqual(answer.status_code, 200)
        return read(answer)

    def test_states_of_many(self) -> None:
        """Those chosen, and no others; another firm's job among them stays as it is."""
        other, third = (store(job_document(), self.workspace, self.designer) for _ in range(2))
        foreign = store(job_document(), self.stranger.memberships.get().workspace, self.stranger)
        before = Job.objects.get(pk=third.pk).state
        self.assertIn("2 jobs changed", self.post(act="state", state="kept", job=[self.job.pk, other.pk, foreign.pk, "x"]))
        states = [Job.objects.get(pk=each.pk).state for each in (self.job, other, third, foreign)]
        self.assertEqual(states, ["kept", "kept", before, before])
        for wrong in ({"act": "state", "state": "elsewhere", "job": [other.pk]}, {"act": "state", "state": "kept"}, {"act": "?", "job": [other.pk]}):
            self.post(**wrong)
        self.assertEqual(Job.objects.get(pk=other.pk).state, "kept")

    def test_technician_of_many(self) -> None:
        """Of those that have a logbook; the others are counted."""
        other = store(job_document(), self.workspace, self.designer)
        JobLog.objects.create(job=self.job, started_on=timezone.localdate())
        self.assertIn("1 job changed. 1 have no logbook yet.", self.post(act="technician", technician="vera", job=[self.job.pk, other.pk]))
        self.assertEqual(JobLog.objects.get(job=self.job).technician, self.viewer)
        self.assertIn("is not a member", self.post(act="technician", technician="stan", job=[self.job.pk]))

    def test_a_viewer_changes_nothing(self) -> None:
        """And keeps lists of their own."""
        self.client.force_login(self.viewer)
        self.assertEqual(self.client.post(reverse("jobs-at-once"), {"act": "state", "state": "kept", "job": [self.job.pk]}).status_code, 403)
        page = self.post(act="keep", name="Kept wells", state="kept", sort="due", evil="x")
        self.assertIn("Kept wells", page)
        self.assertIn("?state=kept&amp;sort=due", page)
        self.client.force_login(self.designer)
        self.assertNotIn("Kept wells", read(self.client.get(reverse("jobs"))))
        self.client.force_login(self.viewer)
        self.assertNotIn("Kept wells", self.post(act="drop", name="Kept wells"))
        self.assertIn("Enter a name", self.post(act="keep", name=" "))


class Present(WorkbenchTestCase):
    def test_who_else_is_there(self) -> None:
        """The name of another beside their step, never one's own; forgotten after a while; nothing of another firm's job."""
        address = reverse("present", args=[self.job.pk])
        self.assertNotContains(self.client.post(address, {"step": "water"}), self.designer.username)
        other = Client()
        other.force_login(self.viewer)
        self.assertContains(other.post(address, {"step": "train"}), f"<bdi>{self.designer.username}</bdi>: Water")
        self.assertContains(self.client.post(address, {"step": "nonsense"}), f"<bdi>{self.viewer.username}</bdi>: Train")
        Presence.objects.update(at=timezone.now() - timedelta(minutes=2))
        self.assertNotContains(self.client.post(address, {"step": "water"}), self.viewer.username)
        self.assertEqual(Client().post(address).status_code, 204)
        other.force_login(self.stranger)
        self.assertEqual(other.post(address).status_code, 404)
