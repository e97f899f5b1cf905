from __future__ import annotations

import json
import re
from datetime import timedelta
from io import BytesIO
from zipfile import ZipFile

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from django.utils import timezone

from intake.tests.made import spreadsheet
from treatment.tests.example import job as job_document
from workbench.records.sample import ReportFile, Sample
from workbench.repository.door import job_document as job_of
from workbench.repository.door import store
from workbench.samples.undo import of_sample

from .base import WorkbenchTestCase

REPORT = [["Parameter", "Result", "Unit"], ["Iron", 2.4, "mg/L"], ["Hardness", 12, ""], ["Mystery", 3, "mg/L"], ["Total coliform", "absent", ""]]


class Importing(WorkbenchTestCase):
    def send(self, content: bytes, name: str = "report.xlsx"):  # noqa: ANN201
        return self.client.post(reverse("report-preview", args=[self.job.pk]), {"file": SimpleUploadedFile(name, content)}, follow=True)

    def confirm(self, page, **changes: str):  # noqa: ANN001, ANN201
        return self.client.post(reverse("report-keep", args=[self.job.pk]), self.posted(page) | changes)

    def posted(self, page):  # noqa: ANN001, ANN201
        """What the page would send as it stands."""
        data = {"count": page.context["count"], "stored": page.context["stored"].pk}
        for sample in page.context["samples"]:
            prefix = f"new{sample.index}"
            data |= {f"take-{sample.index}": "1", f"{prefix}-point": "raw", f"{prefix}-method": "laboratory", f"{prefix}-taken_on": "2026-05-04"}
            for row in sample.rows:
                said = {
                    "sample": sample.index,
                    "name": row.name,
                    "printed": row.printed,
                    "text": row.text,
                    "key": row.key,
                    "was": row.was,
                    "was_key": row.was_key,
                    "why": row.why,
                    "limit": row.limit,
                    "flag": row.flag,
                    "at": row.at,
                }
                data |= {f"{part}-{row.number}": text for part, text in said.items()}
        return data

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
            [(row.key, row.sure) for row in page.context["samples"][0].rows],
            [("iron", "sure"), ("hardness", "ask"), ("", "aside"), ("total_coliform", "sure")],
        )
        self.assertContains(page, "o unit is printed")
        self.assertEqual(Sample.objects.count(), 1)
        self.assertRedirects(self.confirm(page), reverse("water", args=[self.job.pk]))
        sample = Sample.objects.order_by("-pk")[0]
        self.assertEqual({reading.analyte for reading in sample.readings.all()}, {"iron", "total_coliform"})
        self.assertEqual([row["name"] for row in sample.aside], ["Hardness", "Mystery"])

        self.assertIn("no unit is printed", sample.aside[0]["why"])

    def test_a_row_not_used_is_not_gone(self) -> None:
        """Above the limit printed beside it: told in the preview, on the water's pages, in the train and in the job's file, and so after it came back."""
        rows = [
            ["Parameter", "Result", "Unit", "Limit"],
            ["Iron", 0.1, "mg/L", 0.3],
            ["Toluol", 12, "µg/L", 5],
            ["Quecksilber", 3, "µg/L", 1],
            ["Enterokokken", 2, "/100mL", 0],
        ]
        page = self.send(spreadsheet(rows))
        self.assertEqual([row.key for row in page.context["samples"][0].rows], ["iron", "", "mercury", "enterococci"])
        self.assertContains(page, "Not treated here: outside the limit printed beside it (5)")
        self.confirm(page)
        told = "The laboratory reports “Toluol: 12 µg/L”"
        for name in ("water", "water-says", "train"):
            self.assertContains(self.client.get(reverse(name, args=[self.job.pk])), told)
        document = job_of(self.job, None)
        self.assertIn({"name": "Toluol", "result": "12 µg/L", "limit": "5"}, document["samples"][-1]["seen"])
        back = store(document, self.workspace, self.designer)
        self.assertContains(self.client.get(reverse("water", args=[back.pk])), told)

    def test_a_report_of_nothing_that_is_used_is_kept_where_it_must_be_told(self) -> None:
        """Only solvents: the sample is kept with its rows; a report of nothing at all is still refused."""
        page = self.send(spreadsheet([["Parameter", "Result", "Unit", "Limit"], ["Toluol", 12, "µg/L", 5], ["Xylol", 3, "µg/L", 1]]))
        self.assertRedirects(self.confirm(page), reverse("water", args=[self.job.pk]))
        self.assertEqual([row["name"] for row in Sample.objects.order_by("-pk")[0].aside], ["Toluol", "Xylol"])
        page = self.send(spreadsheet([["Parameter", "Result", "Unit"], ["Mystery", 3, "mg/L"], ["Iron", 0.1, "mg/L"]]))
        self.assertContains(self.confirm(page, **{"key-1": ""}), "No row is read", status_code=422)

    def test_an_open_row_is_asked_beside_it(self) -> None:
        """A choice shows at once what it makes, and is kept; what is written and cannot be read is told, with all that was typed."""
        page = self.send(spreadsheet(REPORT))
        address = reverse("report-row", args=[self.job.pk])
        shown = self.client.post(address, self.posted(page) | {"row": 1, "unit-1": "gpg"})
        self.assertContains(shown, "Hardness 12.0 gpg")
        self.assertContains(self.client.post(address, self.posted(page) | {"row": 1, "text-1": "much"}), "is not a reading")
        refused = self.confirm(page, **{"text-1": "much"})
        self.assertContains(refused, "is not a reading", status_code=422)
        self.assertContains(refused, 'value="much"', status_code=422)
        self.assertEqual(Sample.objects.count(), 1)
        self.confirm(page, **{"unit-1": "gpg"})
        self.assertEqual(Sample.objects.order_by("-pk")[0].readings.get(analyte="hardness").typed, "12 gpg")

    def test_several_samples_of_one_file(self) -> None:
        """Each becomes a sample of its own, and one can be left out."""
        rows = [["Parameter", "Unit", "Raw water", "Kitchen tap", "Limit"], ["Iron", "mg/L", 2.4, 0.1, 0.3], ["pH", "", 6.9, 7.0, ""]]
        page = self.send(spreadsheet(rows))
        self.assertEqual([sample.label for sample in page.context["samples"]], ["Raw water", "Kitchen tap"])
        data = self.posted(page)
        self.client.post(reverse("report-keep", args=[self.job.pk]), data)
        self.assertEqual(Sample.objects.count(), 3)
        self.client.post(reverse("report-keep", args=[self.job.pk]), {name: value for name, value in data.items() if name != "take-0"})
        self.assertEqual(Sample.objects.count(), 4)

    def test_one_analyte_twice_is_refused(self) -> None:
        """The same analyte for two rows is told beside the second."""
        page = self.send(spreadsheet(REPORT))
        self.assertContains(self.confirm(page, **{"key-1": "", "key-2": "iron"}), "chosen twice", status_code=422)

    def test_the_original_is_kept_and_opens_again(self) -> None:
        """The page has an address to come back to; the file opens beside it, stays with the sample, also one put back, and goes out with the job."""
        content = spreadsheet(REPORT)
        page = self.send(content)
        address = page.redirect_chain[-1][0]
        self.assertContains(self.client.get(address), "How this report is understood")
        self.assertContains(self.client.get(address), "report.xlsx")
        self.confirm(page, **{"unit-1": "gpg"})
        sample = Sample.objects.order_by("-pk")[0]
        original = self.client.get(reverse("report-original", args=[self.job.pk, sample.report_id]))
        self.assertEqual((original.content, original["Content-Disposition"]), (content, 'attachment; filename="report.xlsx"'))
        self.assertContains(self.client.get(reverse("water", args=[self.job.pk])), "Original report")
        undo = of_sample(self.job, sample)
        sample.delete()
        self.client.post(undo.address, undo.fields)
        self.assertEqual(Sample.objects.order_by("-pk")[0].report, ReportFile.objects.get())
        archive = ZipFile(BytesIO(self.client.get(reverse("job-with-reports", args=[self.job.pk])).content))
        self.assertEqual(archive.read(next(name for name in archive.namelist() if name.startswith("reports/"))), content)
        self.assertEqual(json.loads(archive.read("job.json"))["format"], "cairn-job/1")

    def test_a_report_of_which_nobody_made_a_sample_goes_after_a_month(self) -> None:
        """Those of a sample stay for good."""
        self.confirm(self.send(spreadsheet(REPORT)), **{"unit-1": "gpg"})
        self.send(b"Parameter,Result,Unit\nIron,2.4,mg/L\n", "left.csv")
        ReportFile.objects.update(sent_at=timezone.now() - timedelta(days=31))
        self.send(b"Parameter,Result,Unit\nIron,2.5,mg/L\n", "new.csv")
        self.assertEqual(set(ReportFile.objects.values_list("name", flat=True)), {"report.xlsx", "new.csv"})

    def test_what_the_laboratory_says_against_a_result_stands_at_the_reading(self) -> None:
        """A remark becomes a doubt: to be checked, and kept with the reading."""
        page = self.send(b"Analyte,Result,Units,Remarks\nTotal coliform,absent,/100 mL,holding time exceeded\nIron,0.3,mg/L,\n", "r.csv")
        self.assertContains(page, "holding time exceeded")
        self.confirm(page)
        kept = Sample.objects.order_by("-pk")[0].readings
        self.assertEqual(kept.get(analyte="total_coliform").note, "the laboratory says: holding time exceeded")
        self.assertEqual(kept.get(analyte="iron").note, "")

    def test_bad_files_are_told_and_nothing_breaks(self) -> None:
        """A clear message for each, nothing stored."""
        for content in (b"", b"PK\x03\x04", b"%PDF-1.7", b"\x00\x00", b"just words"):
            response = self.send(content)
            self.assertContains(response, 'role="alert"', status_code=422)
        response = self.client.post(reverse("report-preview", args=[self.job.pk]), {"rows": "Iron\t2.4 mg/L\npH\t6.1"}, follow=True)
        self.assertEqual([row.key for row in response.context["samples"][0].rows], ["iron", "ph"])
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
        page = self.client.post(reverse("report-preview", args=[other.pk]), {"file": SimpleUploadedFile("s.csv", content)}, follow=True)
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
        page = self.client.post(reverse("report-preview", args=[self.job.pk]), {"file": SimpleUploadedFile("s.csv", lines.encode())}, follow=True)
        self.assertContains(page, "samples[0].readings.hardness", status_code=422)
        for text in ("", "[1]", "{"):
            self.assertEqual(self.client.post(reverse("own-keep", args=[self.job.pk]), {"samples": text}).status_code, 422)
        self.assertEqual(Sample.objects.count(), 1)
