"""Every form of every page, sent by someone who has not seen the newest state: refused and told, or nothing of another's is lost by it."""

from __future__ import annotations

from threading import Barrier, Thread

from django.db import connections
from django.db.models import F
from django.test import Client
from django.utils import timezone

from treatment.tests.example import job as job_document

from ..records.job import Job, Survey
from ..records.log import JobLog
from ..records.run import StartRun
from ..records.sample import Sample
from ..records.train import Revision, TrainOption
from ..repository.door import design_of, store
from ..repository.door import job_document as document_of
from ..usecases.trains import open_option, option_of, revision_of
from .base import CommittedTestCase, people
from .forms_shown import Form, forms_of, forms_shown

#: pages whose forms add something, or do what cannot collide, and why another's change is not lost by them
NEVER_OVER = {
    "units": "what was last asked is shown; nothing else changes",
    "job-delete": "into the bin, and back from there",
    "job-duplicate": "a job more",
    "jobs-at-once": "one field of many jobs, as it is asked for",
    "jobs-views": "lists of oneself",
    "firm-mark": "another in its place, or none; only an owner",
    "site-files": "files more; one that is named is deleted",
    "present": "who is there, of oneself alone",
    "job-archive": "out of a list, and back into it",
    "job-put-back": "out of the bin, as it was",
    "job-new": "a new job",
    "job-import": "a new job",
    "sample-new": "a new sample",
    "sample-delete": "takes out what is named",
    "readings-add": "a reading more; one that stands already is told",
    "readings-table": "readings more",
    "reading-delete": "takes out what is named",
    "report-preview": "a report more, which nobody has made a sample of",
    "report-keep": "samples more",
    "own-keep": "samples more",
    "sample-restore": "a sample more",
    "kit-open": "a new session",
    "kit-start": "a clock for one test",
    "kit-answer": "an answer to one test; samples are held",
    "kit-again": "takes one answer back",
    "commission-tell": "something done more; nothing of another's is taken away, and where two disagree both stand",
    "logbook-begin": "the day the train began to run, shown as it stands",
    "logbook-entry": "more entries",
    "logbook-done": "an entry more",
    "logbook-put": "takes out what is named, or puts it back",
    "logbook-say": "a word more on a cause; the newest is shown with its name",
    "logbook-table": "shows what is understood; kept, more entries",
    "logbook-redesign": "an option more",
    "logbook-technician": "who looks after the house, shown as it stands",
    "logbook-device": "a device more, or ends the one that is named",
    "calendar-link": "an address more, or ends the one that is named",
    "catalogues": "a catalogue more",
    "customer-remove": "removes the one that is named",
    "issues": "an issue more under the next letter; the state as it is shown",
    "issue": "the first answer stands; a link more, or ends the one that is named",
    "people": "an invitation more; a role as it is shown, of the person that is named",
    "firm-open": "which firm is open, of oneself alone",
    "measure": "a figure more of a measurement",
}


def marked(form: Form) -> bool:
    """Whether it says which state it was shown with."""
    return any(name in ("version", "was") or name.endswith("-seen") for name in form.fields)


class StaleForms(CommittedTestCase):
    def setUp(self) -> None:
        self.workspace, self.designer, _, _ = people()
        self.job = store(job_document(), self.workspace, self.designer)
        first = option_of(self.job)
        open_option(self.job, revision_of(first).stages or [{"kind": "softener"}], "copied", self.designer)
        rest = {
            "limits": {"lead": {"high": "0.005 mg/L", "reason": "infant"}},
            "building": {"events": [{"name": "Rinse", "volume": "100 L", "per_day": 2}]},
        }
        Survey.objects.filter(job=self.job).update(rest=self.job.survey.rest | rest)
        StartRun.objects.create(job=self.job)
        JobLog.objects.create(job=self.job, started_on=timezone.localdate())

    def client_of(self) -> Client:
        client = Client(raise_request_exception=False)
        client.force_login(self.designer)
        return client

    def somebody_else(self) -> None:
        """Everything is saved once more, and says something else."""
        Job.objects.update(version=F("version") + 1)
        for option in TrainOption.objects.all():  # every unit of it is another one now, so that no edit is of something else
            stages = [{"kind": "softener", "id": f"other-{option.version}"}]
            Revision.objects.create(option=option, number=option.revisions.count() + 50, stages=stages, summary="other units")
            TrainOption.objects.filter(pk=option.pk).update(version=F("version") + 1, at=option.revisions.count() + 49)
        StartRun.objects.update(version=F("version") + 1)
        self.workspace.name = f"{self.workspace.name}+"
        self.workspace.prices = self.workspace.prices | {"salt": self.workspace.prices.get("salt", 0.5) + 0.01}
        self.workspace.save()
        Sample.objects.update(weather="dry" if Sample.objects.filter(weather="rain").exists() else "rain")

    def state(self) -> tuple[object, ...]:
        """All that a form could change."""
        job = Job.objects.get(pk=self.job.pk)
        options = [
            (option.letter, option.version, [revision.stages for revision in option.revisions.all()]) for option in job.options.order_by("letter")
        ]
        self.workspace.refresh_from_db()
        plans = list(StartRun.objects.values_list("start", "moved", "version"))
        return document_of(job, None), plans, job.version, job.option, options, self.workspace.name, self.workspace.prices

    def test_every_form_says_what_it_was_shown_with(self) -> None:
        """Or it is listed here with the reason why it need not."""
        forms = forms_shown(self.client_of(), self.job)
        self.assertGreater(len({form.name for form in forms}), 20)
        for form in forms:
            with self.subTest(form.name, fields=sorted(form.fields)):
                self.assertTrue(
                    marked(form) or form.name in NEVER_OVER or form.fields.get("act") == "copy" or dict(form.buttons).get("act") == "take"
                )

    def test_what_comes_too_late_is_refused(self) -> None:
        """Each form sent as it was shown, after somebody else saved: 409 (or refused as it is, 422), and all stays as the other left it."""
        client, refused = self.client_of(), set()
        for form in [form for form in forms_shown(client, self.job) if marked(form)]:
            for values in form.ways:
                if values.get("act") in ("copy", "take") or values.get("action") in ("read", "select"):
                    continue
                self.somebody_else()
                before = self.state()
                values |= {name: "drought" for name in values if name.endswith("-weather")}  # both changed it
                answer = form.send(client, values)
                with self.subTest(form.name, values={name: each for name, each in values.items() if name != "csrfmiddlewaretoken"}):
                    self.assertIn(answer.status_code, (409, 422))
                    self.assertEqual(self.state(), before)
                refused |= {form.name} if answer.status_code == 409 else set()
        wanted = {
            "site",
            "supply",
            "wall",
            "train-edit",
            "wall-edit",
            "panel",
            "panel-limit",
            "panel-event",
            "options",
            "firm",
            "prices",
            "sample-edit",
            "commission-plan",
        }
        self.assertLessEqual(wanted - {"options"} | {"option-act"}, refused)

    def test_of_two_at_the_same_moment_one_is_told(self) -> None:
        """Each form that carries a version, sent by two at once: never both kept."""
        client, decided = self.client_of(), 0
        pages = {form.name: form.page for form in reversed(forms_shown(client, self.job)) if "version" in form.fields}
        for name, page in sorted(pages.items()):
            forms = [form for form in forms_of(client, page) if form.name == name and "version" in form.fields]
            way = next((form, values) for form in forms for values in form.ways if values.get("act") not in ("copy", "take"))
            codes = self.two(*way)
            with self.subTest(name, codes=codes):
                self.assertNotEqual(codes[0], 500)
                self.assertIn(codes, ([200, 409], [302, 409], [409, 409], [422, 422]))
            decided += 409 in codes
        self.assertGreater(decided, 5)
        design_of(Job.objects.get(pk=self.job.pk), None)

    def two(self, form: Form, values: dict[str, str]) -> list[int]:
        """The two answers, the lower first."""
        barrier, codes = Barrier(2), [500, 500]

        def run(i: int) -> None:
            client = self.client_of()
            try:
                barrier.wait(timeout=20)
                codes[i] = form.send(client, values).status_code
            finally:
                connections.close_all()

        threads = [Thread(target=run, args=(i,)) for i in range(2)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(timeout=60)
        return sorted(codes)
