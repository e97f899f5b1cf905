from __future__ import annotations

from django.urls import reverse
from django.utils import timezone

from workbench.samples.models import Sample

from .base import WorkbenchTestCase

#: name -> is it a page that changes something (POST only)
PAGES = {
    "job": False, "site": False, "supply": False, "water": False, "train": False, "job-export": False, "design-export": False,
    "water-says": False, "water-history": False, "water-basis": True, "water-value": True, "kits": False, "kit-open": True,
    "samples-csv": False, "report-preview": True, "report-keep": True, "own-keep": True, "units": True, "job-delete": True, "water-read": True, "sample-new": True, "train-edit": True,
    "options": False, "shelf": False, "panel": False, "option-act": True, "panel-limit": True, "panel-working": True,
    "supply-what-if": False, "supply-pump": True, "measure": False, "wall": False, "wall-edit": True, "wall-svg": False, "wall-pdf": False, "wall-dxf": False,
    "train-pdf": False, "materials": False, "materials-csv": False, "materials-xlsx": False,
}  # fmt: skip
SAMPLE_PAGES = ("sample-edit", "sample-delete", "readings-add")


class WhoMayDoWhat(WorkbenchTestCase):
    def addresses(self) -> list[tuple[str, bool]]:
        found = [(reverse(name, args=[self.job.pk]), post) for name, post in PAGES.items()]
        sample = Sample.objects.filter(job=self.job).first()
        assert sample is not None
        found += [(reverse(name, args=[self.job.pk, sample.pk]), True) for name in SAMPLE_PAGES]
        session = self.job.kit_sessions.get_or_create(kit="well", defaults={"started_at": timezone.now()})[0]
        found += [(reverse(f"kit-{act}", args=[self.job.pk, session.pk, "ph"]), True) for act in ("start", "answer", "again")]
        found += [(reverse("kit-session", args=[self.job.pk, session.pk]), False), (reverse("readings-table", args=[self.job.pk, sample.pk]), False)]
        return [*found, (reverse("reading-delete", args=[self.job.pk, sample.pk, "iron"]), True)]

    def ask(self, address: str, post: bool) -> int:
        return (self.client.post(address, {}) if post else self.client.get(address)).status_code

    def test_nobody_unknown_gets_in(self) -> None:
        """Every page but the log-in sends someone unknown to the log-in."""
        self.client.logout()
        for address, post in [*self.addresses(), ("/", False), (reverse("job-new"), True), (reverse("job-import"), False)]:
            response = self.client.post(address) if post else self.client.get(address)
            self.assertRedirects(response, f"/login/?next={address}", fetch_redirect_response=False)

    def test_a_job_of_another_workspace_is_not_found(self) -> None:
        """Not even its existence is told."""
        self.client.force_login(self.stranger)
        for address, post in self.addresses():
            self.assertEqual(self.ask(address, post), 404, address)
        self.assertNotContains(self.client.get("/"), self.job.name)

    def test_a_viewer_looks_but_does_not_change(self) -> None:
        """Reading is allowed, every change refused."""
        self.client.force_login(self.viewer)
        for address, post in self.addresses():
            wanted = (403,) if post and not address.endswith("/read/") else (200, 302)
            self.assertIn(self.ask(address, post), wanted, address)

    def test_someone_in_no_workspace_is_refused(self) -> None:
        """Plainly, without an error page of the server."""
        self.viewer.memberships.all().delete()
        self.client.force_login(self.viewer)
        self.assertEqual(self.client.get("/").status_code, 403)

    def test_pages_carry_a_strict_policy(self) -> None:
        """Nothing inline, nothing from elsewhere, on every page."""
        for name in ("site", "water", "water-says", "water-history", "kits", "supply", "measure", "train", "wall", "materials"):
            response = self.client.get(reverse(name, args=[self.job.pk]))
            policy = response["Content-Security-Policy"]
            self.assertIn("default-src 'none'", policy)
            self.assertNotIn("unsafe", policy)
            self.assertNotRegex(response.content.decode(), r'style="|<script>|onclick=|javascript:|https?://(?!www\.w3\.org)')
