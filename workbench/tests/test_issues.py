"""Issued designs in the workbench: frozen for ever, answered once, shown by links, printed from the frozen document."""

from __future__ import annotations

import hashlib
import json
import re
import zlib
from typing import Any
from unittest import mock

from django.test import Client
from django.utils import timezone
from pypdfium2 import PdfDocument

from treatment.papers.issue import canonical, checksum
from workbench.pages.printing import pdf
from workbench.records.firm import Membership
from workbench.records.issue import Issue, IssueLink, IssuePaper, LinkOpening
from workbench.records.job import Job
from workbench.records.sample import Reading
from workbench.repository.remembered import of_firm
from workbench.usecases import people

from .base import BrowserTestCase, WorkbenchTestCase, expect, read, store, tag

REASON = {"reason": "The family boils its water until the lamp is tested."}


def unpacked(content: bytes) -> bytes:
    """The streams of a PDF, those that are packed unpacked."""
    found = []
    for match in re.finditer(rb"stream\r?\n(.*?)endstream", content, re.DOTALL):
        try:
            found.append(zlib.decompress(match[1]))
        except zlib.error:
            found.append(match[1])
    return b"".join(found)


class IssuedCase(WorkbenchTestCase):
    def issue(self, **more: Any) -> Issue:
        page = self.client.post(f"/jobs/{self.job.pk}/issued/", {"to": "the Tarn family"} | REASON | more)
        self.assertEqual(page.status_code, 302, page.content[:300])
        return Issue.objects.latest("pk")

    def address(self, held: Issue, kind: str = "proposal", **more: Any) -> str:
        page = self.client.post(f"/jobs/{self.job.pk}/issued/{held.pk}/", {"act": "link", "kind": kind} | more)
        return re.search(r"/link/[\w-]+/", page.content.decode())[0]  # type: ignore[index]

    def text(self, held: Issue, name: str) -> str:
        content = self.client.get(f"/jobs/{self.job.pk}/issued/{held.pk}/{name}.pdf").content
        return "\n".join(page.get_textpage().get_text_range() for page in PdfDocument(content))


class Issuing(IssuedCase):
    def test_frozen_and_summed(self) -> None:
        held = self.issue()
        content = self.client.get(f"/jobs/{self.job.pk}/issued/{held.pk}/frozen.json").content
        self.assertEqual(hashlib.sha256(content).hexdigest(), held.sha256)
        whole = json.loads(content)
        self.assertEqual((canonical(whole), checksum(whole)), (content, held.sha256))
        self.assertEqual((held.revision, held.state, Job.objects.get(pk=self.job.pk).state), ("A", "offered", "offered"))
        self.assertEqual(self.issue().revision, "B")

    def test_a_danger_wants_a_reason_that_prints(self) -> None:
        refused = self.client.post(f"/jobs/{self.job.pk}/issued/", {"to": "the family"})
        self.assertContains(refused, "Give the reason", status_code=422)
        self.assertContains(refused, 'value="the family"', status_code=422)
        self.assertEqual(self.client.post(f"/jobs/{self.job.pk}/issued/", REASON).status_code, 422, "and for whom it is")
        self.assertIn("boils its water", " ".join(self.text(self.issue(), "proposal").split()))

    def test_no_figure_that_nobody_measured(self) -> None:
        """Bacteria that were only found are present, not 1 CFU; money of a company without a currency says so; codes where the catalog has them."""
        proposal = " ".join(self.text(self.issue(), "proposal").split())
        self.assertIn("Total coliform is present: must be absent from drinking water. This is a health limit.", proposal)
        self.assertNotIn("1 CFU", proposal)
        self.assertIn("has not set a currency", proposal)

    def test_no_line_ends_within_a_unit(self) -> None:
        held = self.issue()
        lines = [line.strip() for name in ("proposal", "book", "pack") for line in self.text(held, name).splitlines()]
        self.assertIn("mg/L", " ".join(lines))
        self.assertEqual([line for line in lines if re.search(r"(mg|µg|gal|CFU|L)/$", line)], [])
        words = "".join(f'<p title="mg/L" style="width: {width}mm">iron 2.4 mg/L</p>' for width in range(8, 30))
        printed = PdfDocument(pdf(f"<html lang='en'><title>mg/L</title><p>{words}</html>"))
        text = "\n".join(page.get_textpage().get_text_range() for page in printed)
        self.assertEqual(text.count("mg/L"), 22, "whole, whatever the width")

    def test_the_job_changes_the_issue_does_not(self) -> None:
        """Issue, change, reprint: the same bytes of the document, the same text of the papers; today's design beside it says what changed."""
        held = self.issue()
        before, proposal = held.frozen, self.text(held, "proposal")
        Reading.objects.filter(sample__job=self.job, analyte="iron").update(low=6.0, high=6.0, typed="6 mg/L")
        Job.objects.filter(pk=self.job.pk).update(name="Renamed", standard="uk", units="metric")
        IssuePaper.objects.all().delete()  # printed anew
        self.assertEqual(Issue.objects.get(pk=held.pk).frozen, before)
        self.assertEqual(self.text(held, "proposal"), proposal)
        page = read(self.client.get(f"/jobs/{self.job.pk}/issued/{held.pk}/", {"today": "1"}))
        self.assertIn("samples[0].readings.iron", page)
        self.assertIn("2.4 mg/L", page)

    def test_a_later_engine_names_the_difference(self) -> None:
        held = self.issue()
        of_firm.cache_clear()  # another process, later
        with mock.patch("treatment.papers.design_file.ENGINE", "99.1"), mock.patch("workbench.repository.results.ENGINE", "99.1"):
            page = read(self.client.get(f"/jobs/{self.job.pk}/issued/{held.pk}/", {"today": "1"}))
        self.assertIn("99.1", page)
        self.assertIn("rules", page)

    def test_every_paper(self) -> None:
        """Pages counted, both sentences on each page, the checksum, tags for readers of the blind, money in the proposal only."""
        held = self.issue()
        money = json.loads(held.frozen)["design"]["costs"]["first"]["value"]
        for name in ("proposal", "pack", "book", "labels"):
            text = self.text(held, name)
            paper = IssuePaper.objects.get(issue=held, name=name)
            content = bytes(paper.content)
            self.assertEqual(paper.sha256, hashlib.sha256(content).hexdigest())
            for number in range(1, paper.pages + 1):
                self.assertIn(f"Page {number} of {paper.pages}", text)
            for said in ("Revision A", "Ours", held.sha256[:8], held.engine, "only a test of the treated water shows", "Local code, permits"):
                self.assertIn(said, " ".join(text.split()), f"{name}: {said}")
            self.assertIn(b"pdfuaid", unpacked(content))
            self.assertEqual(f"{float(money):,.2f}" in text, name == "proposal")
        self.assertEqual(PdfDocument(content)[0].get_size(), (612.0, 792.0), "letter in US units")
        self.assertEqual(self.client.get(f"/jobs/{self.job.pk}/issued/{held.pk}/else.pdf").status_code, 404)

    def test_a_job_with_an_issue_is_not_deleted(self) -> None:
        self.issue()
        self.assertContains(self.client.post(f"/jobs/{self.job.pk}/delete/", follow=True), "Archive it")
        self.assertTrue(Job.objects.filter(pk=self.job.pk).exists())

    def test_the_first_answer_stands(self) -> None:
        held = self.issue()
        for act, status in (("accept", 302), ("decline", 422), ("withdraw", 422)):
            self.assertEqual(self.client.post(f"/jobs/{self.job.pk}/issued/{held.pk}/", {"act": act}).status_code, status)
        self.assertEqual((Issue.objects.get(pk=held.pk).state, Job.objects.get(pk=self.job.pk).state), ("accepted", "accepted"))
        self.assertContains(self.client.get(f"/jobs/{self.job.pk}/issued/{held.pk}/"), "accepted")

    def test_states_by_hand(self) -> None:
        self.client.post(f"/jobs/{self.job.pk}/issued/", {"state": "closed"})
        self.assertEqual(Job.objects.get(pk=self.job.pk).state, "closed")
        self.assertContains(self.client.post(f"/jobs/{self.job.pk}/issued/", {"state": "dreamt"}), "Choose a state", status_code=422)

    def test_who_sees_no_money_sees_no_proposal(self) -> None:
        held = self.issue()
        Membership.objects.filter(user=self.viewer).update(role="installer")
        self.client.force_login(self.viewer)
        where = f"/jobs/{self.job.pk}/issued/{held.pk}/"
        self.assertEqual(
            [self.client.get(where + name).status_code for name in ("", "proposal.pdf", "frozen.json", "pack.pdf")], [200, 403, 403, 200]
        )
        self.assertNotContains(self.client.get(where), "Proposal, PDF")


class Links(IssuedCase):
    def test_a_proposal_is_accepted_with_a_name(self) -> None:
        held = self.issue()
        address, guest = self.address(held), Client()
        page = guest.get(address)
        self.assertContains(page, "What your water test shows")
        guest.get(address)
        self.assertEqual(list(held.events.values_list("what", flat=True)), ["issued", "link made", "link opened"])
        self.assertEqual(IssueLink.objects.get().opened, 2)
        self.assertEqual(page["X-Robots-Tag"], "noindex, nofollow")
        self.assertContains(guest.post(address, {"act": "accept", "note": "in May"}), "Enter your name", status_code=422)
        self.assertRedirects(guest.post(address, {"act": "accept", "name": "Mara Tarn", "note": "in May"}), address)
        self.assertContains(guest.get(address), "Mara Tarn")
        self.assertContains(guest.post(address, {"act": "decline", "name": "X"}), "first answer is kept", status_code=422)
        self.assertEqual(guest.post(address, {"act": "withdraw", "name": "X"}).status_code, 422)
        self.assertContains(self.client.get(f"/jobs/{self.job.pk}/issued/{held.pk}/"), "in May")
        self.assertEqual(guest.get(f"{address}paper.pdf")["Content-Type"], "application/pdf")

    def test_a_book_shows_no_money_and_takes_no_answer(self) -> None:
        held = self.issue()
        address = self.address(held, "book")
        page = read(Client().get(address))
        self.assertIn("What to do, and when", page)
        self.assertNotIn("To begin with", page)
        self.assertEqual(Client().post(address, {"act": "accept", "name": "X"}).status_code, 404)

    def test_a_run_sheet_for_an_installer(self) -> None:
        """With wall, settings and steps, without money; an installer may make that link, and no other."""
        held = self.issue()
        Membership.objects.filter(user=self.viewer).update(role="installer")
        self.client.force_login(self.viewer)
        page = read(Client().get(self.address(held, "run")))
        self.assertIn("How each unit is set", page)
        self.assertIn("Check the kit against the materials list", page)
        self.assertNotIn("To begin with", page)
        where = f"/jobs/{self.job.pk}/issued/{held.pk}/"
        self.assertEqual(self.client.post(where, {"act": "link", "kind": "proposal"}).status_code, 403)

    def test_the_log_of_the_house(self) -> None:
        """Where the company allows it; else it says how."""
        held = self.issue()
        where = f"/jobs/{self.job.pk}/issued/{held.pk}/"
        self.assertContains(self.client.post(where, {"act": "link", "kind": "log"}), "does not allow owner links", status_code=422)
        self.workspace.owner_links = True
        self.workspace.save()
        page = self.client.post(where, {"act": "link", "kind": "log"})
        address = re.search(r"/house/[\w-]+/", page.content.decode())[0]  # type: ignore[index]
        self.assertEqual(Client().get(address).status_code, 200)

    def test_ended_past_forged(self) -> None:
        held = self.issue()
        address, other = self.address(held), self.address(held)
        self.client.post(f"/jobs/{self.job.pk}/issued/{held.pk}/", {"act": "end", "link": IssueLink.objects.earliest("pk").pk})
        IssueLink.objects.filter(ended_at=None).update(ends_at=timezone.now())
        for tried in (address, other, "/link/forged/", "/link/" + "a" * 500 + "/"):
            self.assertEqual(Client().get(tried).status_code, 404, tried)
            self.assertEqual(Client().get(f"{tried}paper.pdf").status_code, 404)
        secret = address.split("/")[2]
        self.assertFalse(IssueLink.objects.filter(digest=secret).exists(), "only a hash is kept")

    def test_links_end_with_who_made_them(self) -> None:
        address = self.address(self.issue())
        other = Membership.objects.create(workspace=self.workspace, user=self.stranger, role="owner")
        self.assertEqual(Client().get(address).status_code, 200)
        people.remove(self.workspace, Membership.objects.get(workspace=self.workspace, user=self.designer).pk)
        self.assertEqual(Client().get(address).status_code, 404)
        self.assertTrue(other)

    def test_too_many_openings(self) -> None:
        address = self.address(self.issue())
        minute = timezone.now().replace(second=0, microsecond=0)
        self.assertEqual(Client().get(address).status_code, 200)
        LinkOpening.objects.update(count=60, minute=minute)
        self.assertEqual(Client().get(address).status_code, 429)
        self.assertEqual(Client().get(address, REMOTE_ADDR="10.0.0.9").status_code, 200)

    def test_nothing_of_another_job(self) -> None:
        held = self.issue()
        self.client.force_login(self.stranger)
        for name in ("", "frozen.json", "pack.pdf"):
            self.assertEqual(self.client.get(f"/jobs/{self.job.pk}/issued/{held.pk}/{name}").status_code, 404)

    def test_a_kind_and_days_that_are_none(self) -> None:
        held = self.issue()
        where = f"/jobs/{self.job.pk}/issued/{held.pk}/"
        self.assertContains(self.client.post(where, {"act": "link", "kind": "all"}), "Choose what", status_code=422)
        self.assertContains(self.client.post(where, {"act": "link", "kind": "book", "days": "9999"}), "1 to 730 days", status_code=422)
        self.assertEqual(self.client.post(where, {"act": "burn"}).status_code, 422)


@tag("browser")
class InTheBrowser(BrowserTestCase):
    def test_accepted_on_a_phone_and_ended(self) -> None:
        """Refused at a desk, opened on a phone without an account, accepted with a name; the link ended, nothing is shown any more."""
        from treatment.tests.example import job as document

        job, page = store(document(), self.workspace, self.designer), self.page
        page.goto(f"/jobs/{job.pk}/site/")
        page.get_by_role("link", name="Issue", exact=True).click()
        page.fill("#to", "the Tarn family")
        page.fill("#reason", REASON["reason"])
        page.get_by_role("button", name="Issue", exact=True).click()
        page.get_by_role("button", name="Make a link").click()
        address = page.locator("section[role=status] code").inner_text()
        phone = self.browser.new_context(viewport={"width": 390, "height": 844}, base_url=self.live_server_url).new_page()
        phone.goto(address)
        self.assertLessEqual(phone.evaluate("document.documentElement.scrollWidth"), 390)
        phone.fill("#name", "Mara Tarn")
        phone.get_by_role("button", name="Accept the proposal").click()
        expect(phone.get_by_text("was accepted on")).to_be_visible()
        page.get_by_role("button", name="End it").click()
        expect(page.get_by_text("None.")).to_be_visible()
        self.assertEqual(phone.goto(address).status, 404)  # type: ignore[union-attr]
        phone.context.close()
