"""Photos and documents of a place: known by their content, seen by all of the firm, told in the job's history."""

from __future__ import annotations

import io
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from PIL import Image

from workbench.records.customer import SiteFile
from workbench.usecases import site_files

from .base import WorkbenchTestCase, read


def picture(kind: str = "PNG", width: int = 30) -> bytes:
    """A picture of one color."""
    out = io.BytesIO()
    Image.new("RGB", (width, 20), "teal").save(out, kind)
    return out.getvalue()


class SiteFiles(WorkbenchTestCase):
    def send(self, name: str, content: bytes) -> int:
        return self.client.post(reverse("site-files", args=[self.job.pk]), {"file": SimpleUploadedFile(name, content)}).status_code

    def test_a_photo_and_a_plan(self) -> None:
        """A PNG becomes a plain JPEG, a PDF stays as it is; both are listed, come out, and stand in the history."""
        plan = b"%PDF-1.7 a plan"
        self.assertEqual([self.send("cellar.png", picture()), self.send("plan of the cellar.pdf", plan)], [302, 302])
        photo, document = SiteFile.objects.filter(job=self.job)
        shown = self.client.get(reverse("site-file", args=[self.job.pk, photo.pk]))
        self.assertEqual((shown["Content-Type"], shown.content[:2]), ("image/jpeg", b"\xff\xd8"))
        kept = self.client.get(reverse("site-file", args=[self.job.pk, document.pk]))
        self.assertEqual((kept.content, kept["Content-Disposition"]), (plan, 'attachment; filename="plan-of-the-cellar.pdf"'))
        page = read(self.client.get(reverse("site-files", args=[self.job.pk])))
        self.assertIn("cellar.png", page)
        told = read(self.client.get(reverse("job-history", args=[self.job.pk])))
        self.assertIn("photo cellar.png added", told)
        self.client.post(reverse("site-files", args=[self.job.pk]), {"act": "delete", "file": photo.pk})
        self.assertIn("photo cellar.png deleted", read(self.client.get(reverse("job-history", args=[self.job.pk]))))

    def test_what_is_no_such_file(self) -> None:
        """A script under a picture's name, nothing at all, too many: told in words, nothing kept."""
        self.assertEqual(self.send("cellar.jpg", b"<script>alert(1)</script>"), 422)
        self.assertEqual(self.client.post(reverse("site-files", args=[self.job.pk]), {}).status_code, 422)
        with mock.patch.object(site_files, "MOST", 1):
            self.send("one.png", picture())
            self.assertEqual(self.send("two.png", picture()), 422)
        self.assertEqual(SiteFile.objects.filter(job=self.job).count(), 1)

    def test_who_may(self) -> None:
        """A viewer sees them and adds none; another firm does not even see that they are there."""
        self.send("cellar.png", picture())
        photo = SiteFile.objects.get(job=self.job)
        self.client.force_login(self.viewer)
        self.assertEqual(self.client.get(reverse("site-file", args=[self.job.pk, photo.pk])).status_code, 200)
        self.assertEqual(self.send("other.png", picture()), 403)
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(reverse("site-file", args=[self.job.pk, photo.pk])).status_code, 404)
