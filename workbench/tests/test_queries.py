"""How often each page asks the database: never more for a job, an entry, a reading or an option more."""

from __future__ import annotations

import datetime as dt

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone

from workbench.records.customer import Customer
from workbench.records.log import JobLog, LogEntry
from workbench.records.sample import Sample
from workbench.repository.door import store

from .base import WorkbenchTestCase, job_document
from .forms_shown import OF_A_JOB, OF_THE_FIRM

#: what a page may ask at the most, warm
MOST = 40


class Queries(WorkbenchTestCase):
    def counts(self) -> dict[str, int]:
        """Queries of every page, asked a second time."""
        found = {}
        for name in (*OF_A_JOB, *OF_THE_FIRM):
            address = reverse(name, args=[self.job.pk] if name in OF_A_JOB else [])
            self.client.get(address)  # what is worked out once is
            self.client.get(address, {"anew": "1"}, headers={"HX-Request": "true"})
            with CaptureQueriesContext(connection) as asked:
                self.assertEqual(self.client.get(address).status_code, 200, name)
            found[name] = len(asked)
        return found

    def entries(self, log: JobLog, first: int, count: int) -> None:
        """Readings of a softener, a day apart."""
        day = timezone.localdate() - dt.timedelta(days=400)
        LogEntry.objects.bulk_create(
            LogEntry(log=log, key=f"k{n}", on=day + dt.timedelta(days=n), body={"readings": {"softener.hardness_out": "1 gpg"}})
            for n in range(first, first + count)
        )

    def test_no_page_asks_more_for_more(self) -> None:
        """One job, three entries, one sample; then six jobs, a hundred entries, four samples, customers: each page asks as often as before."""
        log = JobLog.objects.create(job=self.job, started_on=timezone.localdate() - dt.timedelta(days=400), due_on=timezone.localdate())
        Customer.objects.create(workspace=self.workspace, name="Mara")
        self.entries(log, 0, 3)
        self.counts()  # some pages begin something at the first look: an option, a shelf
        before = self.counts()
        for number in range(5):
            more = store(job_document(), self.workspace, self.designer)
            JobLog.objects.create(job=more, started_on=timezone.localdate(), due_on=timezone.localdate())
            Customer.objects.create(workspace=self.workspace, name=f"Customer {number}")
        self.entries(log, 3, 97)
        for _ in range(3):
            Sample.objects.create(job=self.job, point="raw", taken_on=timezone.localdate())
        after = self.counts()
        self.assertEqual({name: (before[name], count) for name, count in after.items() if count > before[name]}, {})
        self.assertEqual({name: count for name, count in after.items() if count > MOST}, {})
