"""Customers and places: kept apart from a job's name, found, taken out, removed; the list of jobs by them."""

from __future__ import annotations

import json
from typing import Any

from workbench.records.customer import Customer, Place
from workbench.records.firm import Membership, Workspace
from workbench.records.job import Job

from .base import WorkbenchTestCase, job_document, read, store

TARN = {
    "customer": "Mara Tarn",
    "phone": "555 0101",
    "email": "mara@valley.example",
    "place": "High Tarn",
    "address": "Fell Road 2, Larkfell",
    "directions": "Second gate",
}


class CustomerCase(WorkbenchTestCase):
    def keep(self, job: Job | None = None, **typed: str) -> Any:
        held = Job.objects.get(pk=(job or self.job).pk)
        return self.client.post(f"/jobs/{held.pk}/customer/", {"version": held.version} | typed)


class Kept(CustomerCase):
    def test_shown_on_site_list_and_calendar(self) -> None:
        self.assertEqual(self.keep(**TARN).status_code, 302)
        self.assertContains(self.client.get(f"/jobs/{self.job.pk}/site/"), "Mara Tarn")
        self.assertContains(self.client.get("/"), "High Tarn")
        self.assertContains(self.client.get(f"/jobs/{self.job.pk}/customer/"), "Second gate")
        self.assertContains(self.client.get(f"/jobs/{self.job.pk}/issued/"), 'value="Mara Tarn"')

    def test_one_customer_of_two_jobs(self) -> None:
        """A name that is known is that customer: their phone need not be typed again, and is not lost."""
        self.keep(**TARN)
        second = store(job_document({"job": {"name": "The barn"}}), self.workspace, self.designer)
        self.keep(second, customer="mara tarn", place="Barn")
        self.assertEqual((Customer.objects.count(), Place.objects.count()), (1, 2))
        self.assertEqual(Customer.objects.get().phone, "555 0101")
        self.keep(second, customer="Otto Beck", place="Barn")
        self.assertEqual(Job.objects.get(pk=self.job.pk).customer.name, "Mara Tarn", "the other job's customer is not renamed")  # type: ignore[union-attr]

    def test_refused_beside_the_field(self) -> None:
        for field, value, said in (("phone", "1", "Enter the customer"), ("email", "mara", "mail address"), ("address", "x" * 501, "at most 500")):
            typed = {"customer": "" if field == "phone" else "Mara", field: value}
            answer = self.keep(**typed)
            self.assertContains(answer, said, status_code=422)
            self.assertContains(answer, value[:40], status_code=422)
        self.assertFalse(Customer.objects.exists())

    def test_two_on_one_job(self) -> None:
        """The later one is told, and keeps what was typed."""
        shown = Job.objects.get(pk=self.job.pk).version
        self.keep(**TARN)
        answer = self.client.post(f"/jobs/{self.job.pk}/customer/", {"version": shown, "customer": "Otto Beck"})
        self.assertContains(answer, "Someone else changed", status_code=409)
        self.assertContains(answer, 'value="Otto Beck"', status_code=409)
        self.assertEqual(Customer.objects.get().name, "Mara Tarn")


class Found(CustomerCase):
    def rows(self, **asked: str) -> list[str]:
        return [row["job"].name for row in self.client.get("/", asked).context["rows"]]

    def test_words_in_name_customer_place_and_number(self) -> None:
        self.keep(**TARN)
        for words in ("acid", "MARA", "tarn fell", "Larkfell", str(self.job.pk), "mara acid"):
            self.assertEqual(self.rows(search=words), [self.job.name], words)
        for words in ("otto", "mara otto", "%", "_", "'); drop", "a\x00b"):
            self.assertEqual(self.rows(search=words), [], words)

    def test_by_state(self) -> None:
        Job.objects.filter(pk=self.job.pk).update(state="offered")
        self.assertEqual((self.rows(state="offered"), self.rows(state="kept"), self.rows(state="no such")), ([self.job.name], [], [self.job.name]))

    def test_sorted_by_customer(self) -> None:
        second = store(job_document({"job": {"name": "Second"}}), self.workspace, self.designer)
        self.keep(customer="Zoe")
        self.keep(second, customer="Anna")
        self.assertEqual(self.rows(sort="customer"), ["Second", self.job.name])


class Removed(CustomerCase):
    def test_taken_out_and_forgotten(self) -> None:
        self.keep(**TARN)
        pk = Customer.objects.get().pk
        told = json.loads(self.client.get(f"/customers/{pk}/customer.json").content)
        self.assertEqual((told["email"], told["jobs"][0]["place"]["address"]), (TARN["email"], TARN["address"]))
        self.assertContains(self.client.post(f"/customers/{pk}/remove/", follow=True), "Mara Tarn was removed")
        self.assertFalse(Customer.objects.exists() or Place.objects.exists())
        self.assertNotIn("Mara", read(self.client.get(f"/jobs/{self.job.pk}/site/")))

    def test_only_an_owner_and_only_of_ones_own_firm(self) -> None:
        foreign = Customer.objects.create(workspace=Workspace.objects.get(name="Theirs"), name="Theirs alone")
        self.assertEqual(self.client.post(f"/customers/{foreign.pk}/remove/").status_code, 404)
        self.assertNotContains(self.client.get("/customers/"), "Theirs alone")
        Membership.objects.filter(user=self.designer).update(role="designer")
        own = Customer.objects.create(workspace=self.workspace, name="Mara")
        self.assertEqual(self.client.get(f"/customers/{own.pk}/customer.json").status_code, 403)
        self.assertEqual(self.client.post(f"/customers/{own.pk}/remove/").status_code, 403)
