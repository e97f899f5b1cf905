"""Every form of every page, each field filled with what nobody should send: refused or kept, never our failure."""

from __future__ import annotations

import os

from django.test import Client, tag

from .base import WorkbenchTestCase
from .forms_shown import Form, Forms, pages_with_forms

ODD = (
    "x" * 5000, "0", "-1", "1e400", "nan", "²", "１２", "9" * 400 + "/" + "3" * 400, "1e70 mg/L", "9" * 5000, "<b>&{{ x }}", "a\x00\x0b\ufffe", "=1+1",
    "0000-00-00", "'; --", "[" * 3000, "\U0001f4a7" * 300, "-0", "1,2,3,4", "  ", "\u202e12 mg/L",
)  # fmt: skip


#: forms that end what the others need
LEFT_OUT = ("logout", "job-delete", "job-archive", "job-duplicate", "sample-delete", "reading-delete")
WHOLE = int(os.environ.get("CAIRN_FUZZ", "1")) > 1


def some(turn: int) -> tuple[str, ...]:
    """Odd texts to send this time: a few in turn, all of them at night."""
    return ODD if WHOLE else tuple(ODD[(2 * turn + shift) % len(ODD)] for shift in (0, 1))


@tag("property")
class OddInput(WorkbenchTestCase):
    def now(self, form: Form) -> dict[str, str]:
        """The version of the job as it stands, where a form sends one: else every second answer would be that it is too old."""
        self.job.refresh_from_db()
        return {"version": str(self.job.version)} if "version" in form.fields else {}

    def test_every_field_of_every_form(self) -> None:
        """Each form is sent once for each odd text, all its own fields holding it, but for version and token; no answer is 500.

        A form that stands on a page many times, or on many pages, is tried once; at night each time.
        """
        client = Client(raise_request_exception=False)
        client.force_login(self.designer)
        sent, seen = 0, set[tuple[str, ...]]()
        for page in pages_with_forms(client, self.job):
            answer = client.get(page)
            self.assertEqual(answer.status_code, 200, page)
            for turn, form in enumerate(Forms(answer.content.decode(), page).found):
                if form.name in LEFT_OUT or (form.like in seen and not WHOLE):
                    continue
                seen.add(form.like)
                for odd in some(turn):
                    values = {name: value if name in ("csrfmiddlewaretoken", "was") else odd for name, value in form.fields.items()} | self.now(form)
                    self.assertLess(form.send(client, values).status_code, 500, f"{form.name} of {page} with {odd[:40]!r} in {sorted(form.fields)}")
                    sent += 1
        self.assertGreater(sent, 100)

    def test_one_field_at_a_time(self) -> None:
        """The same for each field alone, the others as they stand, so that what is odd comes to be read.

        A form that stands on a page many times, or on many pages, with the same fields and buttons, is tried once; at night each time.
        """
        client = Client(raise_request_exception=False)
        client.force_login(self.designer)
        seen = set[tuple[str, ...]]()
        for page in pages_with_forms(client, self.job):
            for form in Forms(client.get(page).content.decode(), page).found:
                if form.method != "post" or form.name in LEFT_OUT or (form.like in seen and not WHOLE):
                    continue
                seen.add(form.like)
                for turn, name in enumerate(sorted(set(form.fields) - {"csrfmiddlewaretoken", "version"})):
                    for odd in some(turn)[: None if WHOLE else 1]:
                        status = form.send(client, form.fields | self.now(form) | {name: odd}).status_code
                        self.assertLess(status, 500, f"{form.name} of {page} with {odd[:40]!r} in {name}")
