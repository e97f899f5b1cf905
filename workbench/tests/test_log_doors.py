"""Doors of the logbook: the owner's address, labels that lead to a unit, the firm's calendar by technician and area, and what it stands on."""

from __future__ import annotations

import io
from typing import Any, NamedTuple
from unittest.mock import patch

import pdfplumber
from django.test import Client
from django.urls import reverse
from playwright.sync_api import expect

from treatment.tests.example import job as job_document

from ..logs import labels
from ..records.job import Job
from ..records.log import JobLog, LogEntry, OwnerLink
from ..repository.door import store
from ..repository.due import due_by
from ..usecases import books as services
from ..usecases import doors
from .base import BrowserTestCase
from .test_logs import TRAIN, Logbook, ago, secret_in
from .test_starts import with_train


class Address(NamedTuple):
    """A private address as it was told once: the row it belongs to, and its secret."""

    pk: int
    secret: str


class Owners(Logbook):
    def allow(self) -> Address:
        self.workspace.owner_links = True
        self.workspace.save()
        self.begin()
        self.job.refresh_from_db()
        told = self.client.post(self.where("logbook-owner"))
        return Address(OwnerLink.objects.get().pk, secret_in(told))

    def post(self, link: Address, door: str, **body: Any) -> Any:
        return Client().post(reverse(door, args=[link.secret]), {"on": ago(0).isoformat()} | body)

    def test_only_where_the_firm_allows(self) -> None:
        """None until the switch is on; switched off again, the address is no longer found; a viewer makes none."""
        self.begin()
        self.assertContains(self.client.post(self.where("logbook-owner")), "does not allow", status_code=422)
        link = self.allow()
        address = reverse("house", args=[link.secret])
        self.assertEqual(Client().get(address).status_code, 200)
        self.assertEqual(Client().get(reverse("house", args=["guessed"])).status_code, 404)
        self.workspace.owner_links = False
        self.workspace.save()
        self.assertEqual(Client().get(address).status_code, 404)
        viewer = Client()
        viewer.force_login(self.viewer)
        self.assertEqual(viewer.post(self.where("logbook-owner")).status_code, 403)

    def test_the_owner_sees_what_is_theirs(self) -> None:
        """Owner's tasks, not the service's; no cause but a danger, with boil-water advice; nothing that leads elsewhere."""
        link = self.allow()
        self.line("coliform at tap present")
        page = Client().get(reverse("house", args=[link.secret]))
        self.assertContains(page, "Add salt")
        self.assertContains(page, "Boil water")
        self.assertNotContains(page, "Injector and screen")
        self.assertNotContains(page, "/jobs/")
        self.assertEqual((page["Referrer-Policy"], page["X-Robots-Tag"]), ("same-origin", "noindex, nofollow"))

    def test_the_owner_writes(self) -> None:
        """A line and a ticked task, kept under the owner's name, once; what is the service's, what is rubbish and what is of another day is refused."""
        link = self.allow()
        for _ in range(2):
            self.assertEqual(self.post(link, "house-entry", line="hardness after softener 0.5, salt 80 lb, orange stains", key="k").status_code, 302)
        self.post(link, "house-done", task="softener/salt", amount="40 lb", key="d")
        bodies = [entry.body for entry in LogEntry.objects.filter(by=None, by_name="owner").order_by("pk")]
        self.assertEqual(bodies, [
            {"readings": {"softener.hardness_out": "0.5 gpg"}, "seen": ["orange_stains"]}, {"did": "softener/salt", "amount": "80 lb"},
            {"did": "softener/salt", "amount": "40 lb"},
        ])  # fmt: skip
        self.assertContains(self.post(link, "house-entry", line="cleaned sleeve"), "is recorded only by", status_code=422)
        self.assertContains(self.post(link, "house-done", task="uv/sleeve"), "records this. Write a note instead", status_code=422)
        self.assertContains(self.post(link, "house-entry", line="hardness after softner 1"), "did you mean “softener”", status_code=422)
        self.assertContains(self.post(link, "house-entry", line="salt 80 lb", on=ago(-2).isoformat()), "is in the future", status_code=422)
        self.assertContains(self.post(link, "house-done", task="softener/salt", amount="a lot"), "You had typed: a lot", status_code=422)
        self.assertEqual(LogEntry.objects.count(), 3)

    def test_own_words_tell_what_was_seen(self) -> None:
        """A stain in the note counts as seen; what nobody understands is offered as a note; a meter of no house is asked."""
        link = self.allow()
        self.post(link, "house-entry", note="an orange stain in the tub again", key="a")
        offered = self.post(link, "house-entry", line="the plumber was here", key="b")
        self.assertContains(offered, "Keep what is not understood as a note", status_code=422)
        self.post(link, "house-entry", line="the plumber was here", as_note="1", key="b")
        self.post(link, "house-entry", line="meter 41200 gal", key="c", on=ago(9).isoformat())
        self.assertContains(self.post(link, "house-entry", line="meter 9941200 gal", key="d"), "Is a digit wrong?", status_code=422)
        bodies = [entry.body for entry in LogEntry.objects.order_by("pk")]
        self.assertEqual(bodies, [
            {"seen": ["orange_stains"], "note": "an orange stain in the tub again"}, {"note": "the plumber was here"}, {"readings": {"meter": "41200 gal"}},
        ])  # fmt: skip

    def test_a_flood_is_held_back(self) -> None:
        link = self.allow()
        codes = [self.post(link, "house-entry", line="salt 80 lb", key=str(i)).status_code for i in range(doors.RATE + 3)]
        self.assertEqual(codes[-1], 429)
        self.assertEqual(codes.count(302), doors.RATE)

    def test_an_address_ends(self) -> None:
        link = self.allow()
        self.client.post(self.where("logbook-owner"), {"end": link.pk})
        self.assertEqual(Client().get(reverse("house", args=[link.secret])).status_code, 404)
        self.assertEqual(self.post(link, "house-entry", line="salt 80 lb").status_code, 404)


class Labels(Logbook):
    def test_a_label_for_each_tank(self) -> None:
        """Each unit's name and what is read there; its code holds the address of its place in the logbook."""
        self.begin()
        coded: list[str] = []
        real = labels.code

        def noted(address: str) -> str:
            coded.append(address)
            return real(address)

        with patch.object(labels, "code", noted):
            answer = self.client.get(self.where("logbook-labels"))
        self.assertEqual(coded, [f"http://testserver{self.where('logbook')}?at={each['id']}" for each in TRAIN])
        with pdfplumber.open(io.BytesIO(answer.content)) as paper:
            text = " ".join(page.extract_text() for page in paper.pages)
        for words in ("Softener", "Salt level", "Hardness after it", "Unit 2 of 4", "UV intensity"):
            self.assertIn(words, text)

    def test_papers_are_of_the_size_that_people_print_on(self) -> None:
        """Labels, the record of commissioning and the sheet of the train: letter (612 × 792 points) for a job in US units, else A4 (595 × 842)."""
        self.begin()
        for units, size in (("us", (612, 792)), ("metric", (595, 842))):
            Job.objects.filter(pk=self.job.pk).update(units=units)
            for name in ("logbook-labels", "commission-pdf", "train-pdf"):
                with pdfplumber.open(io.BytesIO(self.client.get(self.where(name)).content)) as paper:
                    self.assertEqual({(round(page.width), round(page.height)) for page in paper.pages}, {size}, name)

    def test_without_a_log_there_are_none(self) -> None:
        self.assertEqual(self.client.get(self.where("logbook-labels")).status_code, 404)


class TheFirm(Logbook):
    def house(self, name: str, technician: str, area: str) -> Job:
        job = store(job_document(), self.workspace, self.designer)
        Job.objects.filter(pk=job.pk).update(name=name)
        with_train(job, TRAIN)
        services.started(job, ago(400))
        self.client.post(reverse("logbook-technician", args=[job.pk]), {"technician": technician, "area": area})
        self.client.get(reverse("logbook", args=[job.pk]))
        return job

    def test_by_technician_and_by_area(self) -> None:
        """Two houses of the upper valley, one by the mill: counts of each, the list and the counts above it of the one chosen."""
        self.house("One", "dirk", "Upper valley")
        self.house("Two", "dora", " Upper   valley ")
        self.house("Three", "dirk", "Mill side")
        self.assertEqual(
            [(row["name"], row["houses"], row["overdue"]) for row in due_by(self.workspace, "area")], [("Mill side", 1, 1), ("Upper valley", 2, 2)]
        )
        self.assertEqual([(row["name"], row["houses"]) for row in due_by(self.workspace, "technician__username")], [("dirk", 2), ("dora", 1)])
        page = self.client.get(reverse("calendar") + "?area=Mill side")
        self.assertContains(page, "<b>1</b> overdue")
        self.assertContains(page, "Three")
        self.assertNotContains(page, ">Two<")
        page = self.client.get(reverse("calendar") + "?of=dirk")
        self.assertContains(page, "<b>2</b> overdue")

    def test_what_it_stands_on(self) -> None:
        """A job that was saved since, an older engine and a week gone by are worked anew, a few at a time; what stands is left."""
        job = self.house("One", "dirk", "")
        self.assertEqual(services.refreshed(self.workspace), 0)
        for change in ({"worked_on": ago(8)}, {"worked_for": "0.1/1"}, {"worked_on": None}):
            JobLog.objects.filter(job=job).update(dangers=7, **change)
            self.assertEqual(services.refreshed(self.workspace), 1)
            self.assertEqual(JobLog.objects.get(job=job).dangers, 0)
        Job.objects.filter(pk=job.pk).update(version=99)
        self.client.get(reverse("calendar"))
        self.assertTrue(JobLog.objects.get(job=job).worked_for.endswith("/99"))


class ByPhone(BrowserTestCase):
    def test_an_owner_ticks_salt(self) -> None:
        """At phone width, without a log-in: the task opened, ticked, and its day moves; nothing scrolls sideways."""
        self.workspace.owner_links = True
        self.workspace.save()
        job = store(job_document(), self.workspace, self.designer)
        with_train(job, TRAIN)
        services.started(job, ago(300))
        _, secret = doors.new_owner_link(job, self.designer).made
        page = self.open("dora", 390, 844)
        page.context.clear_cookies()
        page.goto(f"/house/{secret}/")
        expect(page.get_by_role("button", name="Log out")).to_have_count(0)
        salt = page.locator("li", has_text="Add salt").first
        expect(salt.locator(".log-day")).to_have_text("no record yet")
        salt.locator("summary").click()
        salt.get_by_role("button", name="Done").click()
        expect(page.get_by_role("status").filter(has_text="Saved: Add salt")).to_be_visible()
        expect(page.locator("li", has_text="Add salt").first.locator(".log-day")).not_to_have_text("no record yet")
        self.assertLessEqual(page.evaluate("() => document.documentElement.scrollWidth"), 390)
