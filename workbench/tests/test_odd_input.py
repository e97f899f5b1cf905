"""Every form of every page, each field filled with what nobody should send: refused or kept, never our failure."""

from __future__ import annotations

import os
from html.parser import HTMLParser

from django.test import Client, tag
from django.urls import reverse

from treatment.evidence.kits import kits

from .base import WorkbenchTestCase

ODD = (
    "x" * 5000, "0", "-1", "1e400", "nan", "²", "１２", "9" * 400 + "/" + "3" * 400, "1e70 mg/L", "9" * 5000, "<b>&{{ x }}", "a\x00\x0b\ufffe", "=1+1",
    "0000-00-00", "'; --", "[" * 3000, "\U0001f4a7" * 300, "-0", "1,2,3,4", "  ", "\u202e12 mg/L",
)  # fmt: skip


WHOLE = int(os.environ.get("CAIRN_FUZZ", "1")) > 1


def some(turn: int) -> tuple[str, ...]:
    """Odd texts to send this time: a few in turn, all of them at night."""
    return ODD if WHOLE else tuple(ODD[(2 * turn + shift) % len(ODD)] for shift in (0, 1))


class Forms(HTMLParser):
    """Forms of a page: address, method, and what each field holds."""

    def __init__(self, html: str) -> None:
        super().__init__()
        self.found: list[tuple[str, str, dict[str, str]]] = []
        self.inside = False
        self.feed(html)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        at = {name: value or "" for name, value in attrs}
        address = at.get("action") or at.get("hx-post") or at.get("hx-get") or ""
        if tag == "form":
            self.inside = True
            self.found.append((address, at.get("method", "get").lower() if "hx-post" not in at else "post", {}))
        elif tag in ("input", "textarea", "select", "button") and self.inside and at.get("name"):
            self.found[-1][2][at["name"]] = at.get("value", "")

    def handle_endtag(self, tag: str) -> None:
        self.inside = self.inside and tag != "form"


@tag("property")
class OddInput(WorkbenchTestCase):
    def pages(self) -> list[str]:
        pk = [self.job.pk]
        names = ("site", "water", "supply", "train", "wall", "kits", "options", "water-says", "water-history", "job-import", "firm", "jobs")
        return [reverse(name, args=[] if name in ("firm", "jobs", "job-import") else pk) for name in names]

    def now(self, fields: dict[str, str]) -> dict[str, str]:
        """The version of the job as it stands, where a form sends one: else every second answer would be that it is too old."""
        self.job.refresh_from_db()
        return {"version": str(self.job.version)} if "version" in fields else {}

    def test_every_field_of_every_form(self) -> None:
        """Each form is sent once for each odd text, all its own fields holding it, but for version and token; no answer is 500."""
        client = Client(raise_request_exception=False)
        client.force_login(self.designer)
        client.post(reverse("kit-open", args=[self.job.pk]), {"kit": next(iter(kits())), "point": "raw"})
        sent = 0
        for page in self.pages():
            answer = client.get(page)
            self.assertEqual(answer.status_code, 200, page)
            for turn, (address, method, fields) in enumerate(Forms(answer.content.decode()).found):
                if "delete" in address or "log-out" in address or "logout" in address:
                    continue
                for odd in some(turn):
                    values = {name: value if name in ("csrfmiddlewaretoken", "was") else odd for name, value in fields.items()} | self.now(fields)
                    to = address or page
                    response = client.post(to, values) if method == "post" else client.get(to, values)
                    self.assertLess(response.status_code, 500, f"{method} {to} of {page} with {odd[:40]!r} in {sorted(fields)}")
                    sent += 1
        self.assertGreater(sent, 100)

    def test_one_field_at_a_time(self) -> None:
        """The same for each field alone, the others as they stand, so that what is odd comes to be read."""
        client = Client(raise_request_exception=False)
        client.force_login(self.designer)
        for page in self.pages():
            for address, method, fields in Forms(client.get(page).content.decode()).found:
                if method != "post" or "delete" in address or "logout" in address:
                    continue
                for turn, name in enumerate(sorted(set(fields) - {"csrfmiddlewaretoken", "version"})):
                    for odd in some(turn)[: None if WHOLE else 1]:
                        response = client.post(address or page, fields | self.now(fields) | {name: odd})
                        self.assertLess(response.status_code, 500, f"{address} of {page} with {odd[:40]!r} in {name}")
