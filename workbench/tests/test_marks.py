"""A company's mark: shapes and colors of an SVG, a plain PNG; on papers, frozen with the design."""

from __future__ import annotations

import io

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import SimpleTestCase
from django.urls import reverse
from PIL import Image

from intake.marks import LARGEST, NoMark, made_plain
from workbench.records.firm import Workspace
from workbench.records.issue import Issue

from .base import WorkbenchTestCase

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 40 20"'
CAIRN = HEAD + '><ellipse cx="20" cy="10" rx="9" ry="4" style="fill:#22736f; behavior:url(x)"/></svg>'


def png(mode: str = "RGBA", size: tuple[int, int] = (900, 300)) -> bytes:
    """A picture of one color, see-through where it may be."""
    out = io.BytesIO()
    Image.new(mode, size, (30, 90, 90, 0)[: len(mode)]).save(out, "PNG")
    return out.getvalue()


class Cleaned(SimpleTestCase):
    def test_shapes_and_colors_stay(self) -> None:
        """An ellipse with its color out of a style; nothing else of the style."""
        kept = made_plain(CAIRN.encode())
        self.assertIn('fill="#22736f"', kept)
        self.assertIn('viewBox="0 0 40 20"', kept)
        self.assertNotIn("behavior", kept)

    def test_nothing_that_acts_or_leads_out(self) -> None:
        """Scripts, handlers, links, foreign objects, pictures from elsewhere, styles: all fall out; the shape beside them stays."""
        bad = (
            "<script>alert(1)</script>", '<a xlink:href="javascript:alert(1)"><path d="M0 0"/></a>', "<foreignObject><b>x</b></foreignObject>",
            '<image href="http://elsewhere/x.png"/>', "<style>*{fill:url(http://elsewhere)}</style>", '<use href="http://elsewhere#x"/>', '<animate onbegin="x()"/>',
            '<set attributeName="href" to="javascript:x"/>',
        )  # fmt: skip
        for part in bad:
            kept = made_plain(f'{HEAD} onload="x()">{part}<path onclick="x()" fill="url(http://elsewhere#a)" d="M0 0h9"/></svg>'.encode())
            self.assertIn("M0 0h9", kept)
            for word in ("script", "onload", "onclick", "elsewhere", "javascript", "foreign", "style", "animate", "set "):
                self.assertNotIn(word, kept, part)

    def test_what_is_no_mark(self) -> None:
        """Entities that grow, a broken file, nothing but text, no size: told in words."""
        bare = '<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0"/></svg>'
        for raw in (
            "<!DOCTYPE x [<!ENTITY a 'b'>]>" + CAIRN,
            HEAD,
            HEAD + "><text>Larkfell</text></svg>",
            bare,
            "GIF89a",
        ):
            with self.assertRaises(NoMark):
                made_plain(raw.encode())

    def test_a_png_small_and_see_through(self) -> None:
        """900 by 300 becomes 600 by 200."""
        import base64

        kept = made_plain(png())
        with Image.open(io.BytesIO(base64.b64decode(kept.partition(",")[2]))) as opened:
            self.assertEqual((opened.size, opened.mode), ((600, 200), "RGBA"))


class OnPapers(WorkbenchTestCase):
    def send(self, content: bytes) -> int:
        return self.client.post(reverse("firm-mark"), {"mark": SimpleUploadedFile("mark", content)}).status_code

    def test_sent_seen_and_removed(self) -> None:
        """By an owner: shown on the company's page; what is none is told beside the field."""
        self.assertEqual(self.send(CAIRN.encode()), 302)
        answer = self.client.get(reverse("firm-mark"))
        self.assertEqual((answer["Content-Type"], answer.content[:4]), ("image/svg+xml", b"<svg"))
        self.assertEqual([self.send(b"x"), self.send(b"\x89PNG" * LARGEST)], [422, 422])
        self.client.post(reverse("firm-mark"), {"act": "remove"})
        self.assertEqual(self.client.get(reverse("firm-mark")).status_code, 404)
        self.client.force_login(self.viewer)
        self.assertEqual(self.send(CAIRN.encode()), 403)

    def test_frozen_with_the_design(self) -> None:
        """What was issued keeps its mark when the company takes another."""
        self.send(CAIRN.encode())
        self.client.post(reverse("issues", args=[self.job.pk]), {"to": "Mara", "reason": "so"})
        held = Issue.objects.get(job=self.job)
        self.send(png())
        self.assertIn("22736f", held.frozen)
        self.assertTrue(Workspace.objects.get(pk=self.workspace.pk).mark.startswith("data:image/png"))
        for number in (1, 2):
            self.client.post(reverse("issues", args=[self.job.pk]), {"to": "Mara", "reason": "so"}) if number == 2 else None
            newest = Issue.objects.filter(job=self.job).order_by("-number")[0]
            paper = self.client.get(reverse("issue-paper", args=[self.job.pk, newest.pk, "labels"]))
            self.assertEqual((paper.status_code, paper.content[:4]), (200, b"%PDF"))
