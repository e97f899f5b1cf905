"""Who may do what, asked of every address there is: a page that is added is asked without anybody writing it down here."""

from __future__ import annotations

import io

from django.db import transaction
from django.urls import URLPattern, URLResolver, reverse
from django.utils import timezone
from pypdfium2 import PdfDocument

from intake.apart import Read, as_stored
from treatment.evidence.kits import row_of
from treatment.evidence.reports.report import Report
from treatment.papers.issue import canonical, checksum
from vivid_cairn.urls import urlpatterns
from workbench.records.catalogue import Catalogue, CatalogueSheet, CatalogueVersion
from workbench.records.customer import Customer, SiteFile
from workbench.records.firm import ROLES, Membership, Workspace
from workbench.records.issue import Issue, IssuePaper
from workbench.records.job import Job
from workbench.records.log import JobLog, LogEntry, LogPhoto
from workbench.records.run import StartPhoto, StartRun
from workbench.records.sample import FirmKit, ReportFile, ReportPage, Sample
from workbench.usecases.roles import may

from .base import WorkbenchTestCase

#: addresses that anybody may ask
OPEN = {
    "login",
    "login-again",
    "logout",
    "health",
    "words",
    "commission-worker",
    "calendar-file",
    "device-door",
    "house",
    "house-entry",
    "house-done",
    "present",
    "join",
    "link",
    "link-paper",
}
#: posts that change nothing, so that a viewer may send them
READING = {"water-read", "report-row", "logbook-read"}
#: what is asked of a role to look at a page, and to send something to it, where it is not to see a job and to change one
TO_LOOK = dict.fromkeys(
    ("prices", "catalogues", "catalogue", "catalogue-sheet", "catalogue-json", "catalogue-csv", "catalogue-xlsx", "materials-csv", "materials-xlsx", "costs-csv",
     "choices", "choices-file"), "money.see",
) | {"job-import": "job.change", "prices": "money.change", "issue-file": "money.see", "customer-file": "firm.manage", "firm-history": "money.see"}  # fmt: skip
TO_SEND = {
    **dict.fromkeys(("commission-tell", "commission-plan", "site-files"), "run.write"),
    **dict.fromkeys(("logbook-begin", "logbook-entry", "logbook-done", "logbook-put", "logbook-say", "logbook-table", "calendar-link"), "log.write"),
    **dict.fromkeys(("logbook-device", "logbook-owner"), "link.make"),
    **dict.fromkeys(("prices", "catalogues", "catalogue", "catalogue-sheet", "catalogue-send", "catalogue-retire", "job-catalogue", "firm", "firm-kit-copy", "firm-kit"),
                    "money.change"),
    **dict.fromkeys(("people", "customer-remove", "firm-mark"), "firm.manage"),
    **dict.fromkeys((*READING, "firm-open", "jobs-views"), "job.see"),
}  # fmt: skip


def one_page() -> bytes:
    """A PDF of one empty page."""
    document, out = PdfDocument.new(), io.BytesIO()
    document.new_page(100, 100)
    document.save(out)
    return out.getvalue()


class WhoMayDoWhat(WorkbenchTestCase):
    def addresses(self) -> list[tuple[str, str, bool]]:
        """Every address but the open ones: its name, itself, and whether it belongs to a job."""
        session = self.job.kit_sessions.get_or_create(kit="well", defaults={"started_at": timezone.now()})[0]
        log, _ = JobLog.objects.get_or_create(job=self.job, defaults={"started_on": timezone.localdate()})
        entry, _ = LogEntry.objects.get_or_create(log=log, key="k", defaults={"on": timezone.localdate()})
        run, _ = StartRun.objects.get_or_create(job=self.job)
        told = {"key": "k", "step": "site/kit_check", "kind": "photo", "at": timezone.now()}
        event = run.events.get_or_create(number=1, defaults=told)[0]
        photo = StartPhoto.objects.get_or_create(event=event, defaults={"image": b"", "width": 1, "height": 1})[0]
        LogPhoto.objects.get_or_create(pk=photo.pk, defaults={"entry": entry, "image": b"", "width": 1, "height": 1})
        parts = {
            "entry": entry.pk,
            "photo": photo.pk,
            "pk": self.job.pk,
            "sample": Sample.objects.filter(job=self.job)[0].pk,
            "session": session.pk,
            "test": "ph",
            "analyte": "iron",
            "report": self.report().pk,
            "issue": self.issued().pk,
            "name": "pack",
            "file": SiteFile.objects.get_or_create(job=self.job, name="plan", defaults={"kind": "photo", "content": b"x", "size": 1})[0].pk,
            "number": 1,
        }
        found = []
        for pattern in urlpatterns:
            if isinstance(pattern, URLResolver):  # one's own account, walked by itself below
                continue
            assert isinstance(pattern, URLPattern) and pattern.name, pattern
            if pattern.name not in OPEN:
                names = pattern.pattern.converters
                found.append(
                    (pattern.name, reverse(pattern.name, kwargs={name: parts[name] for name in names}), str(pattern.pattern).startswith("jobs/<"))
                )
        self.assertGreater(len(found), 50)
        return found

    def issued(self) -> Issue:
        """An issued design, as small as one may be, with its pack printed."""
        design = {"job": {"units": "us", "standard": "us", "name": "J"}, "train": [], "upkeep": [], "findings": [], "needs": [], "materials": []}
        design |= {"commissioning": {"steps": []}}
        whole = {
            "job": {},
            "design": design,
            "engine": "1",
            "prices": {},
            "catalogue": None,
            "papers": {"firm": "F", "wall": "", "train": "", "wall_scale": 20},
        }
        about = {
            "revision": "A",
            "to": "them",
            "frozen": canonical(whole).decode(),
            "sha256": checksum(whole),
            "engine": "1",
            "issued_at": timezone.now(),
        }
        held, _ = Issue.objects.get_or_create(job=self.job, number=0, defaults=about | {"by_name": "dora"})
        IssuePaper.objects.get_or_create(issue=held, name="pack", defaults={"content": one_page(), "sha256": "0", "pages": 1})
        return held

    def report(self) -> ReportFile:
        """A report of the job, with a page; a kit, a catalogue and a table of the firm under the number of the job."""
        Workspace.objects.filter(pk=self.workspace.pk).update(mark="<svg/>")
        Customer.objects.get_or_create(pk=self.job.pk, workspace=self.workspace, defaults={"name": "Mara"})
        stock, _ = Catalogue.objects.get_or_create(pk=self.job.pk, workspace=self.workspace, defaults={"name": "Stock"})
        CatalogueVersion.objects.get_or_create(catalogue=stock, number=1, defaults={"currency": "EUR"})
        CatalogueSheet.objects.get_or_create(pk=self.job.pk, workspace=self.workspace, defaults={"name": "Stock", "currency": "EUR"})
        FirmKit.objects.get_or_create(pk=self.job.pk, workspace=self.workspace, defaults={"base": "well", "name": "ours", "row": row_of("well")})
        read = as_stored(Read(None, Report([])))
        report, _ = ReportFile.objects.get_or_create(job=self.job, name="r.csv", defaults={"kind": "text/plain", "content": b"x", "read": read})
        ReportPage.objects.get_or_create(report=report, number=1, defaults={"image": b""})
        return report

    def ask(self, address: str) -> tuple[int, int]:
        """What GET and POST answer; 405 where a page does not take one of them."""
        return self.client.get(address).status_code, self.client.post(address, {}).status_code

    def test_nobody_unknown_gets_in(self) -> None:
        """Every page but the log-in sends someone unknown to the log-in, whatever they ask."""
        self.client.logout()
        for name, address, _ in self.addresses():
            for response in (self.client.get(address), self.client.post(address)):
                self.assertRedirects(response, f"/login/?next={address}", fetch_redirect_response=False, msg_prefix=name)

    def test_a_job_of_another_workspace_is_not_found(self) -> None:
        """Not even its existence is told."""
        self.client.force_login(self.stranger)
        for name, address, of_a_job in self.addresses():
            if of_a_job:
                answers = self.ask(address)
                self.assertIn(404, answers, name)
                self.assertLessEqual(set(answers), {404, 405}, name)
        self.assertNotContains(self.client.get("/"), self.job.name)

    def test_a_viewer_looks_but_does_not_change(self) -> None:
        """Reading is allowed, every change refused, and looking changes nothing."""
        self.client.force_login(self.viewer)
        before = Job.objects.get(pk=self.job.pk).version
        for name, address, _ in self.addresses():
            looked, changed = self.ask(address)
            self.assertIn(looked, (403, 405) if name in TO_LOOK else (200, 204, 302, 405), name)
            self.assertIn(changed, (200, 302, 404) if TO_SEND.get(name) == "job.see" else (403, 405), name)
        self.assertEqual(Job.objects.get(pk=self.job.pk).version, before)

    def test_every_role_at_every_address(self) -> None:
        """Refused where the table of roles says so, and only there: each role, each address, to look and to send.

        What all may see is looked at by an owner here, and by a viewer above.
        """
        member = self.viewer.memberships.get()
        self.client.force_login(self.viewer)
        addresses = self.addresses()
        for role in ROLES:
            for name, address, _ in addresses:
                Membership.objects.filter(pk=member.pk).update(role=role)
                for method, act in (("get", TO_LOOK.get(name, "job.see")), ("post", TO_SEND.get(name, "job.change"))):
                    if (method, act) == ("get", "job.see") and role != "owner":
                        continue
                    with transaction.atomic():  # what was allowed is taken back
                        status = getattr(self.client, method)(address).status_code
                        transaction.set_rollback(True)
                    if status != 405:
                        self.assertEqual(status == 403, not may(role, act), f"{role} {method} {name}: {status}")

    def test_someone_in_no_workspace_is_refused(self) -> None:
        """Plainly, without an error page of the server."""
        self.viewer.memberships.all().delete()
        self.client.force_login(self.viewer)
        for name, address, _ in self.addresses():
            answers = self.ask(address)
            self.assertIn(403, answers, name)
            self.assertLessEqual(set(answers), {403, 405}, name)

    def test_pages_carry_a_strict_policy(self) -> None:
        """Nothing inline, nothing from elsewhere, on every page of HTML."""
        pages = 0
        for name, address, _ in self.addresses():
            response = self.client.get(address)
            if response.status_code != 200 or not response["Content-Type"].startswith("text/html"):
                continue
            pages += 1
            self.assertIn("default-src 'none'", response["Content-Security-Policy"], name)
            self.assertNotIn("unsafe", response["Content-Security-Policy"], name)
            self.assertNotRegex(response.content.decode(), r'style="|<script>|onclick=|javascript:|https?://(?!www\.w3\.org)', name)
        self.assertGreater(pages, 15)
