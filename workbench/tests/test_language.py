"""The owner's papers and pages in another language: every word of them, in every job of the demonstration, whatever happens on them."""

from __future__ import annotations

import re
from typing import Any
from unittest import mock

from django.core.management import call_command
from django.test import Client, TestCase
from django.urls import reverse

from treatment.language.messages import LANGUAGES, messages_in
from treatment.language.translated import untranslated
from workbench.issues.tasks import print_papers
from workbench.pages.papers import OWNERS, page_of
from workbench.readers import read_by
from workbench.records.issue import Issue
from workbench.records.job import Job
from workbench.records.log import JobLog
from workbench.usecases.doors import new_owner_link

from .base import WorkbenchTestCase, read

OTHER = [language for language in LANGUAGES if language != "en"]
#: what is no word of ours: names of the demonstration, the program's own, and what is written the same
NAMES = re.compile(
    r"Vivid Cairn|Larkfell|Becklow|Tarn|Beck\b|Fell Road|Low Lane|Peat Bothy|Upper path|Mill|Quarry|Saltings|Orchard|Smithy|\bLFC\b|^PDF$|^[A-C]$"
)
#: what people typed, in fields of a form
TYPED = re.compile(r'(?<=value=")[^"]*(?=")')


def left_over(page: str, language: str) -> set[str]:
    """What of an English page is not in a language."""
    say = messages_in(language)
    assert say is not None
    page = TYPED.sub("", page)
    return {text for text in untranslated(page, say) if not NAMES.search(text)}


class EveryWord(TestCase):
    """Pages as they come in English, and what of them no message knows."""

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_demo", verbosity=0)

    def setUp(self) -> None:
        as_stored = mock.patch("workbench.readers.spelled_page", lambda page, _: page)  # what is looked up is not spelled for somebody else first
        as_stored.start()
        self.addCleanup(as_stored.stop)

    def test_every_paper_of_an_owner(self) -> None:
        self.client.force_login(JobLog.objects.select_related("job").first().job.updated_by)  # type: ignore[union-attr]
        for job in Job.objects.all():
            self.client.post(reverse("issues", args=[job.pk]), {"to": "Becklow", "reason": "Larkfell"})
            held = Issue.objects.filter(job=job).first()
            if held is None:  # nothing to issue yet
                continue
            read_by("us")
            for name in OWNERS:
                page = re.sub(r'<p class="faint">.*?</p>', "", page_of(held, name), count=1)
                for language in OTHER:
                    with self.subTest(job.name, paper=name, language=language):
                        self.assertEqual(left_over(page, language), set())

    def test_the_pages_of_links(self) -> None:
        job = Job.objects.get(name="High Tarn Farm")
        staff, owner = Client(), Client()
        staff.force_login(job.updated_by)  # type: ignore[arg-type]
        staff.post(reverse("issues", args=[job.pk]), {"to": "Becklow", "reason": "Larkfell"})
        held = Issue.objects.get(job=job)
        found: dict[str, str] = {}
        for kind in ("proposal", "book"):
            page = read(staff.post(reverse("issue", args=[job.pk, held.pk]), {"act": "link", "kind": kind}))
            address = re.search(r"/link/[\w-]+/", page)
            assert address
            found[kind] = read(owner.get(address.group()))
            if kind == "proposal":
                found["nameless"] = read(owner.post(address.group(), {"act": "accept", "name": ""}))
                found["long"] = read(owner.post(address.group(), {"act": "accept", "name": "Becklow", "note": "x" * 1001}))
                owner.post(address.group(), {"act": "accept", "name": "Becklow", "note": ""})
                found["accepted"] = read(owner.get(address.group()))
                found["twice"] = read(owner.post(address.group(), {"act": "decline", "name": "Becklow"}))
        for what, page in found.items():
            for language in OTHER:
                with self.subTest(what, language=language):
                    self.assertEqual(left_over(page, language), set())

    def test_the_owners_page(self) -> None:
        """As it opens, after an entry, a task, and every refusal."""
        for log in JobLog.objects.select_related("job__workspace").all():
            _, secret = new_owner_link(log.job, log.job.updated_by).made
            entry, done = reverse("house-entry", args=[secret]), reverse("house-done", args=[secret])
            pages = {"opened": self.client.get(reverse("house", args=[secret]))}
            lines = (
                "hardness 5 zonk",
                "hardness after nowhere 3",
                "alarm of nothing",
                "",
                "did paint",
                "pressure 48, pressure 49",
                "x" * 900,
                "meter 999999999",
            )
            for number, line in enumerate(lines):
                pages[line[:30] or "nothing"] = self.client.post(entry, {"line": line, "on": "2026-11-01", "key": f"k{number}"}, follow=True)
            pages["no day"] = self.client.post(entry, {"line": "pH 7", "on": "soon", "key": "d"})
            pages["to come"] = self.client.post(entry, {"line": "pH 7", "on": "2199-01-01", "key": "e"})
            pages["theirs"] = self.client.post(entry, {"line": "did resin", "on": "2026-11-01", "key": "f"})
            pages["kept"] = self.client.post(entry, {"line": "pH 7.1", "note": "Becklow", "on": "2026-11-01", "key": "g"}, follow=True)
            pages["ticked"] = self.client.post(done, {"task": "house/microbes", "key": "h"}, follow=True)
            pages["not theirs"] = self.client.post(done, {"task": "soft/resin", "key": "i"})
            for what, page in pages.items():
                for language in OTHER:
                    with self.subTest(log.job.name, what=what, language=language):
                        self.assertEqual(left_over(read(page), language), set())


class Chosen(WorkbenchTestCase):
    """The language is the job's, and frozen with what is issued."""

    def _keep(self, language: str) -> Any:
        job = Job.objects.get(pk=self.job.pk)
        return self.client.post(reverse("job-customer", args=[job.pk]), {"customer": "Mara", "language": language, "version": job.version})

    def test_papers_and_pages_are_in_the_language_that_was_chosen(self) -> None:
        self.assertEqual(self._keep("xx").status_code, 422)
        self.assertEqual(self._keep("de").status_code, 302)
        self.client.post(reverse("issues", args=[self.job.pk]), {"to": "Mara", "reason": "so"})
        held = Issue.objects.get(job=self.job)
        self._keep("en")  # what was issued stays as it was
        self.assertIn('<html lang="de"', page_of(held, "proposal"))
        self.assertIn("Was Ihre Wasseruntersuchung zeigt", page_of(held, "proposal"))
        self.assertIn("Seite", page_of(held, "book"))
        self.assertIn("What to bring", page_of(held, "pack"))
        address = re.search(
            r"/link/[\w-]+/", read(self.client.post(reverse("issue", args=[self.job.pk, held.pk]), {"act": "link", "kind": "proposal"}))
        )
        assert address
        page = read(Client().get(address.group()))
        self.assertIn("Angebot annehmen", page)
        self.assertIn('lang="de"', page)
        print_papers(issue=held.pk)

    def test_an_issue_of_before_is_in_english(self) -> None:
        self.client.post(reverse("issues", args=[self.job.pk]), {"to": "Mara", "reason": "so"})
        held = Issue.objects.get(job=self.job)
        held.frozen = held.frozen.replace('"language":"en",', "")
        self.assertIn("What your water test shows", page_of(held, "proposal"))
