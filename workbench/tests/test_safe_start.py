"""What is not said is refused: modes, hosts, secrets; private pages are not kept by anybody on their way."""

from __future__ import annotations

import io
import zipfile
from unittest import TestCase as PlainTestCase

from django.core.exceptions import ImproperlyConfigured
from django.urls import reverse
from openpyxl import Workbook

from intake.apart import TOO_DEAR, rows_apart
from intake.limits import Unreadable
from vivid_cairn.settings.modes import hosts_of, mode_of

from .base import WorkbenchTestCase


class Modes(PlainTestCase):
    def test_unset_or_mistyped_nothing_starts(self) -> None:
        """No mode, another word, production with debugging, or without its secret or hosts."""
        whole = {
            "CAIRN_MODE": "production",
            "CAIRN_SECRET_KEY": "abcdefghijklmnopqrstuvwxyz0123456789-ABCDEFGHIJKLMNO",
            "CAIRN_HOSTS": "water.example",
        }
        self.assertEqual(mode_of(whole), "production")
        for wrong in (
            {},
            {"CAIRN_MODE": "prod"},
            {"CAIRN_MODE": "Production"},
            whole | {"CAIRN_DEBUG": "1"},
            whole | {"CAIRN_SECRET_KEY": ""},
            whole | {"CAIRN_HOSTS": " ,"},
            whole | {"CAIRN_SECRET_KEY": "short"},
            whole | {"CAIRN_SECRET_KEY": "x" * 60},
        ):
            with self.assertRaises(ImproperlyConfigured):
                mode_of(wrong)

    def test_a_demonstration_answers_this_machine_alone(self) -> None:
        """Whatever hosts the environment names; production answers those it names and no other."""
        self.assertNotIn("water.example", hosts_of({"CAIRN_MODE": "demo", "CAIRN_HOSTS": "water.example"}))
        self.assertEqual(hosts_of({"CAIRN_MODE": "production", "CAIRN_HOSTS": "water.example, b.example"}), ["water.example", "b.example"])


class Private(WorkbenchTestCase):
    def test_pages_and_files_are_kept_by_nobody(self) -> None:
        """Cache-Control on pages, files and refusals alike."""
        for address in (reverse("jobs"), reverse("train", args=[self.job.pk]), reverse("job-export", args=[self.job.pk]), "/jobs/999999/train/"):
            self.assertEqual(self.client.get(address)["Cache-Control"], "private, no-store", address)

    def test_digits_that_are_no_numbers(self) -> None:
        """A superscript two, a thousand digits, nothing: refused in words, never a 500."""
        address = reverse("train-edit", args=[self.job.pk])
        for text in ("²", "9" * 5000, "", "-1", "1e3"):
            for name in ("version", "to"):
                answer = self.client.post(address, {"action": "move", "stage": "softener", "to": "1", "version": "1"} | {name: text})
                self.assertLess(answer.status_code, 500, (name, text[:5]))


def book(sheet: bytes | None = None) -> bytes:
    """A small workbook, or one whose sheet was put in place of ours."""
    made, plain = io.BytesIO(), Workbook()
    plain.active.append(["Parameter", "Result", "Unit"])  # type: ignore[union-attr]
    plain.active.append(["Iron", 2.4, "mg/L"])  # type: ignore[union-attr]
    plain.save(made)
    if sheet is None:
        return made.getvalue()
    packed = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(made.getvalue())) as old, zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as new:
        for name in old.namelist():
            new.writestr(name, sheet if name.endswith("sheet1.xml") else old.read(name))
    return packed.getvalue()


class Bombs(PlainTestCase):
    def test_an_honest_file_is_read(self) -> None:
        """As it would be in the same process."""
        self.assertEqual(rows_apart(book())[1][0], "Iron")

    def test_a_small_file_that_unpacks_to_much_is_refused_before_it_is_unpacked(self) -> None:
        """60 MB of blanks in 60 kB."""
        with self.assertRaisesRegex(Unreadable, "unpacks to more"):
            rows_apart(book(b"<x>" + b" " * 60_000_000 + b"</x>"))

    def test_what_takes_too_long_is_given_up_in_words(self) -> None:
        """Three million empty cells in 80 kB: the process that reads them is stopped, ours goes on."""
        rows = b"".join(b'<row r="%d">' % i + b"<c/>" * 200 + b"</row>" for i in range(1, 15000))
        sheet = b'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>' + rows + b"</sheetData></worksheet>"
        try:
            self.assertLessEqual(len(rows_apart(book(sheet))), 20_001)  # a quick machine may read it within its limits
        except Unreadable as refused:
            self.assertEqual(str(refused), TOO_DEAR)

    def test_broken_files_are_refused_as_before(self) -> None:
        """The reason comes back from the other process."""
        for content, word in ((b"PK\x03\x04nonsense", "cannot be opened"), (b"%PDF-1.7 nonsense", "cannot be read")):
            with self.assertRaisesRegex(Unreadable, word):
                rows_apart(content)
