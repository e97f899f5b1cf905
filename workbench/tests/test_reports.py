from __future__ import annotations

import io
import re
from unittest import TestCase as PlainTestCase

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import Workbook

from treatment.evidence.report import read_report
from treatment.language.errors import NotUnderstood
from treatment.tests.example import job as job_document
from treatment.tests.fuzz import fuzz
from workbench.door import store
from workbench.samples.models import Sample
from workbench.samples.readers import Unreadable, rows_of, safe_cell

from .base import WorkbenchTestCase


def spreadsheet(rows: list[list[object]]) -> bytes:
    book = Workbook()
    for row in rows:
        book.active.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


REPORT = [["Parameter", "Result", "Unit"], ["Iron", 2.4, "mg/L"], ["Hardness", 12, ""], ["Mystery", 3, "mg/L"], ["Total coliform", "absent", ""]]


GOOD_FILES = (
    spreadsheet(REPORT),
    "Parameter;Result;Unit\nIron;2,4;mg/L\n".encode("utf-16"),
    "Prüfung;Result\npH;7,2\n".encode("cp1252"),
    b'Parameter,Result,Unit\n"Iron, total",2.4,mg/L\npH,"7.2",\n',
)


class Reading(PlainTestCase):
    def test_tables_of_every_kind(self) -> None:
        """Semicolons with decimal commas, tabs, Latin-1, UTF-16 and spreadsheets give the same rows."""
        wanted = [["Parameter", "Result", "Unit"], ["Härte", "2,4", "mg/L"]]
        text = "Parameter;Result;Unit\nHärte;2,4;mg/L\n"
        for content in (text.encode(), text.encode("cp1252"), text.encode("utf-16"), text.replace(";", "\t").encode("utf-8-sig")):
            self.assertEqual(rows_of("x", content), wanted)
        self.assertEqual(rows_of("x", spreadsheet([["a", 1.5], ["b", None]])), [["a", "1.5"], ["b", ""]])

    def test_what_cannot_be_read_is_said(self) -> None:
        """Empty, too large, damaged, password-protected, binary."""
        for content, said in [
            (b"", "empty"), (b"x" * 5_000_001, "larger than"), (b"PK\x03\x04broken", "cannot be opened"), (b"\xd0\xcf\x11\xe0rest", "password"),
            (b"%PDF-1.4 broken", "cannot be read"), (b"\x00\x01\x02\x03", "not a text file"),
        ]:  # fmt: skip
            with self.assertRaisesRegex(Unreadable, said):
                rows_of("x", content)

    def test_formulas_are_neither_run_nor_written(self) -> None:
        """A formula in a spreadsheet has no value of its own here, and none leaves as a formula."""
        self.assertEqual(rows_of("x", spreadsheet([["Iron", "=1+1"], ["pH", 7]])), [["Iron", ""], ["pH", "7"]])
        for text in ("=1+1", "@x", "+x", "-x", "\tx", "-2+3", "-2+3+cmd|' /C calc'!A0", "-1*A1", "- 1"):
            self.assertTrue(safe_cell(text).startswith("'"))
        for text in ("-1.5 degC", "-40", "-0,5 m", "2.4 mg/L", "pH 7"):
            self.assertEqual(safe_cell(text), text)

    @given(st.binary(max_size=200))
    @fuzz(150)
    def test_any_bytes_are_rows_or_a_refusal(self, content: bytes) -> None:
        """No file makes the reader fail in another way."""
        try:
            rows = rows_of("x", content)
        except Unreadable as error:
            self.assertTrue(str(error))
        else:
            self.assertIsInstance(rows, list)

    @given(st.sampled_from(range(4)), st.integers(0, 6000), st.binary(min_size=1, max_size=8), st.booleans())
    @fuzz(150)
    def test_any_bytes_damaged_in_a_good_file_are_rows_or_a_refusal(self, which: int, place: int, put: bytes, cut: bool) -> None:
        """A spreadsheet, UTF-16, Latin-1 or comma-separated file, overwritten somewhere or cut short."""
        good = GOOD_FILES[which]
        at = place % len(good)
        content = good[:at] + put + (b"" if cut else good[at + len(put) :])
        try:
            rows = rows_of("x", content)
            read_report(rows)
        except (Unreadable, NotUnderstood) as error:
            self.assertTrue(str(error))


class Importing(WorkbenchTestCase):
    def send(self, content: bytes, name: str = "report.xlsx"):  # noqa: ANN201
        return self.client.post(reverse("report-preview", args=[self.job.pk]), {"file": SimpleUploadedFile(name, content)})

    def confirm(self, page, **changes: str):  # noqa: ANN001, ANN201
        rows = page.context["rows"]
        data = {"count": len(rows), "new-point": "raw", "new-method": "laboratory", "new-taken_on": "2026-05-04"}
        for row in rows:
            data |= {f"name-{row.number}": row.name, f"text-{row.number}": row.text, f"key-{row.number}": row.key}
        return self.client.post(reverse("report-keep", args=[self.job.pk]), data | changes)

    def test_every_label_stands_beside_a_field_that_shows(self) -> None:
        """A field that travels hidden has no label on the page."""
        html = self.send(spreadsheet(REPORT)).content.decode()
        labels = set(re.findall(r'<label for="([^"]+)"', html))
        hidden = {match for tag in re.findall(r'<input type="hidden"[^>]*>', html) for match in re.findall(r'id="([^"]+)"', tag)}
        self.assertGreaterEqual(len(labels), 5)
        self.assertEqual(labels & hidden, set())

    def test_nothing_is_stored_until_confirmed(self) -> None:
        """Preview shows how each row is understood; confirming stores the readings and keeps the rest aside."""
        page = self.send(spreadsheet(REPORT))
        self.assertEqual(
            [(row.key, row.sure) for row in page.context["rows"]],
            [("iron", "sure"), ("hardness", "aside"), ("", "aside"), ("total_coliform", "sure")],
        )
        self.assertContains(page, "eeds its unit")
        self.assertEqual(Sample.objects.count(), 1)
        self.assertRedirects(self.confirm(page, **{"key-1": ""}), reverse("water", args=[self.job.pk]))
        sample = Sample.objects.order_by("-pk")[0]
        self.assertEqual({reading.analyte for reading in sample.readings.all()}, {"iron", "total_coliform"})
        self.assertEqual([row["name"] for row in sample.aside], ["Hardness", "Mystery"])

    def test_an_ambiguous_unit_is_corrected(self) -> None:
        """A bare hardness stops the import and is asked for; with its unit it is taken."""
        page = self.send(spreadsheet(REPORT))
        refused = self.confirm(page)
        self.assertContains(refused, "eeds its unit", status_code=422)
        self.assertEqual(Sample.objects.count(), 1)
        self.confirm(page, **{"text-1": "12 gpg"})
        self.assertTrue(Sample.objects.order_by("-pk")[0].readings.filter(analyte="hardness").exists())

    def test_one_analyte_twice_is_refused(self) -> None:
        """The same analyte for two rows is told beside the second."""
        page = self.send(spreadsheet(REPORT))
        self.assertContains(self.confirm(page, **{"key-1": "", "key-2": "iron"}), "chosen twice", status_code=422)

    def test_bad_files_are_told_and_nothing_breaks(self) -> None:
        """A clear message for each, nothing stored."""
        for content in (b"", b"PK\x03\x04", b"%PDF-1.7", b"\x00\x00", b"just words"):
            response = self.send(content)
            self.assertContains(response, 'role="alert"', status_code=422)
        response = self.client.post(reverse("report-preview", args=[self.job.pk]), {"rows": "Iron\t2.4 mg/L\npH\t6.1"})
        self.assertEqual([row.key for row in response.context["rows"]], ["iron", "ph"])
        self.assertEqual(Sample.objects.count(), 1)

    def test_fifty_megabytes_are_refused(self) -> None:
        """Told how large a report may be; nothing is stored."""
        self.assertContains(self.send(b"Iron,2.4,mg/L\n" * 3_600_000, "big.csv"), "larger than 5 MB", status_code=422)
        self.assertEqual(Sample.objects.count(), 1)

    def test_readings_leave_as_open_data(self) -> None:
        """One line a reading, with what was written and what it means."""
        lines = self.client.get(reverse("samples-csv", args=[self.job.pk])).content.decode().splitlines()
        self.assertTrue(lines[0].startswith("sample,taken_on,point"))
        self.assertTrue(any("iron,Iron,exact,2.4,2.4,mg/L,2.4 mg/L" in line for line in lines))

    def test_the_open_data_comes_back_as_the_same_samples(self) -> None:
        """Written out, shown, confirmed: the readings of another job are those of the first."""
        content = self.client.get(reverse("samples-csv", args=[self.job.pk])).content
        other = store(job_document(readings={"iron": None, "ferrous_iron": None}), self.workspace, self.designer)
        page = self.client.post(reverse("report-preview", args=[other.pk]), {"file": SimpleUploadedFile("s.csv", content)})
        self.assertContains(page, "1 sample in this table")
        self.assertEqual(other.samples.count(), 1)
        self.client.post(reverse("own-keep", args=[other.pk]), {"samples": page.context["text"]})
        kept = [
            list(sample.readings.order_by("analyte").values_list("analyte", "low", "high", "typed"))
            for sample in (other.samples.get(pk__gt=other.samples.earliest("pk").pk), self.job.samples.get())
        ]
        self.assertEqual(kept[0], kept[1])

    def test_a_broken_table_of_ours_is_refused_whole(self) -> None:
        """Every fault by its place, nothing stored; so is a body that is no list."""
        lines = (
            self.client.get(reverse("samples-csv", args=[self.job.pk]))
            .content.decode()
            .replace(",raw,", ",nowhere at all,")
            .replace("14 gpg", "much")
        )
        page = self.client.post(reverse("report-preview", args=[self.job.pk]), {"file": SimpleUploadedFile("s.csv", lines.encode())})
        self.assertContains(page, "samples[0].readings.hardness", status_code=422)
        for text in ("", "[1]", "{"):
            self.assertEqual(self.client.post(reverse("own-keep", args=[self.job.pk]), {"samples": text}).status_code, 422)
        self.assertEqual(Sample.objects.count(), 1)
