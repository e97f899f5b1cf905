from __future__ import annotations

import datetime as dt
import json
import re
from html import unescape
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from django.utils import timezone
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from treatment.studies.next_tests import in_words, next_tests
from treatment.tests.example import job as job_document
from treatment.tests.fuzz import fuzz
from workbench.records.job import Job
from workbench.records.sample import Reading, Sample
from workbench.repository.door import design_of, store

from .base import WorkbenchTestCase, people


class Supply(WorkbenchTestCase):
    def post(self, **values: str):  # noqa: ANN201
        page = self.client.get(reverse("supply", args=[self.job.pk]))
        data = {name: page.context["form"][name].value() or "" for name in page.context["form"].fields}
        return self.client.post(reverse("supply", args=[self.job.pk]), data | values, headers={"HX-Request": "true"})

    def test_a_value_is_saved_in_any_unit(self) -> None:
        """26.5 L/min, typed in a US job, is what it is."""
        self.assertEqual(self.post(flow_l_min="26,5 L/min").status_code, 200)
        self.job.refresh_from_db()
        self.assertAlmostEqual(self.job.survey.flow_l_min, 26.5)

    def test_a_bad_value_is_refused_beside_its_field_and_kept(self) -> None:
        """The message says what was expected; what was typed stays; nothing is saved."""
        response = self.post(flow_l_min="seven gpm", temperature_c="400 degF")
        self.assertEqual(response.status_code, 422)
        self.assertContains(response, "does not start with a number", status_code=422)
        self.assertContains(response, "outside what can be meant", status_code=422)
        self.job.survey.refresh_from_db()
        self.assertEqual(self.job.survey.typed["flow_l_min"], "7 gpm")

    def test_without_scripts_the_page_comes_back_with_what_was_typed(self) -> None:
        """A plain post that is refused shows the whole form again."""
        page = self.client.get(reverse("supply", args=[self.job.pk]))
        response = self.client.post(
            reverse("supply", args=[self.job.pk]), {"version": page.context["form"]["version"].value(), "flow_l_min": "seven gpm"}
        )
        self.assertContains(response, 'value="seven gpm"', status_code=422)

    def test_pressures_in_order_and_drawdown_whole(self) -> None:
        """A cut-out below the cut-in, and half a drawdown test, are told beside the field."""
        self.assertContains(self.post(pressure_high_kpa="20 psi"), "must not be below", status_code=422)
        self.assertContains(self.post(drawdown_drawn_l="8 gal"), "Enter both", status_code=422)

    def test_a_stale_save_is_refused_and_loses_nothing(self) -> None:
        """Two people edit: the second is told by whom and what differs, keeps what was typed, and may save it then."""
        page = self.client.get(reverse("supply", args=[self.job.pk]))
        old = {name: page.context["form"][name].value() or "" for name in page.context["form"].fields}
        self.assertEqual(self.post(flow_l_min="9 gpm").status_code, 200)
        stale = self.client.post(reverse("supply", args=[self.job.pk]), old | {"flow_l_min": "5 gpm"}, headers={"HX-Request": "true"})
        self.assertContains(stale, "You, in another window, saved this step", status_code=409)
        self.assertContains(stale, "5 gpm", status_code=409)
        self.assertContains(stale, "9 gpm", status_code=409)
        self.job.survey.refresh_from_db()
        self.assertEqual(self.job.survey.typed["flow_l_min"], "9 gpm")
        again = old | {"flow_l_min": "5 gpm", "version": stale.context["form"]["version"].value()}
        self.assertEqual(self.client.post(reverse("supply", args=[self.job.pk]), again, headers={"HX-Request": "true"}).status_code, 200)


class Site(WorkbenchTestCase):
    def test_the_form_shows_what_is_stored_and_saves_it_unchanged(self) -> None:
        """Opening and saving changes no fact of the job."""
        before = self.client.get(reverse("job-export", args=[self.job.pk])).json()
        page = self.client.get(reverse("site", args=[self.job.pk]))
        form = page.context["form"]
        data = {name: form[name].value() for name in form.fields if form[name].value() not in (None, "", False)}
        self.assertEqual(self.client.post(reverse("site", args=[self.job.pk]), data).status_code, 302)
        after = self.client.get(reverse("job-export", args=[self.job.pk])).json()
        after["wishes"] = {name: value for name, value in after["wishes"].items() if value is not False}
        before["wishes"] = {name: value for name, value in before["wishes"].items() if value is not False}
        self.assertEqual(before, after)

    def test_switching_units_changes_what_is_shown_not_what_is_stored(self) -> None:
        """The same job in metric."""
        self.client.post(reverse("units", args=[self.job.pk]), {"units": "metric", "back": "train"})
        self.assertContains(self.client.get(reverse("train", args=[self.job.pk])), "L/min")
        self.job.survey.refresh_from_db()
        self.assertEqual(self.job.survey.typed["flow_l_min"], "7 gpm")


class Water(WorkbenchTestCase):
    def test_what_is_understood_is_kept_and_the_rest_stays_in_the_box(self) -> None:
        """Two good readings are stored; the typo stays, with the nearest name."""
        sample = Sample.objects.get(job=self.job)
        response = self.client.post(
            reverse("readings-add", args=[self.job.pk, sample.pk]),
            {"line": "sulfate 30 mg/L, iroxx 2.4, hardness 12"},
            headers={"HX-Request": "true"},
        )
        self.assertEqual(response.status_code, 422)
        self.assertTrue(Reading.objects.filter(sample=sample, analyte="sulfate").exists())
        self.assertEqual(response.context["line"], "iroxx 2.4, hardness 12")
        self.assertContains(response, "did you mean iron", status_code=422)
        self.assertContains(response, "needs its unit", status_code=422)

    def test_preview_stores_nothing(self) -> None:
        """Chips while typing, with the limit and what it means."""
        count = Reading.objects.count()
        response = self.client.post(reverse("water-read", args=[self.job.pk]), {"line": "iron 2.4, nitrate 30 mg/L as N, ph 7"})
        self.assertContains(response, "above health limit")
        self.assertContains(response, "within limit")
        self.assertEqual(Reading.objects.count(), count)

    def test_a_future_sample_is_refused(self) -> None:
        """Its day has not come."""
        sample = Sample.objects.get(job=self.job)
        response = self.client.post(
            reverse("sample-edit", args=[self.job.pk, sample.pk]), {f"s{sample.pk}-taken_on": "2199-01-01", f"s{sample.pk}-point": "raw"}
        )
        self.assertContains(response, "is in the future", status_code=422)

    def test_a_phone_further_east_may_be_a_day_ahead(self) -> None:
        """Tomorrow is taken, the day after is not."""
        sample = Sample.objects.get(job=self.job)
        address = reverse("sample-edit", args=[self.job.pk, sample.pk])
        for ahead, status in ((1, 302), (2, 422)):
            day = (timezone.localdate() + dt.timedelta(days=ahead)).isoformat()
            self.assertEqual(self.client.post(address, {f"s{sample.pk}-taken_on": day, f"s{sample.pk}-point": "raw"}).status_code, status, ahead)

    def test_two_people_at_one_sample_do_not_overwrite_each_other(self) -> None:
        """What both changed is told beside its field, and nothing is written; what was chosen stays, and saving again keeps it with what only the other changed."""
        sample = Sample.objects.get(job=self.job)
        page = self.client.get(reverse("water", args=[self.job.pk]))
        seen = page.context["samples"][0]["form"].initial["seen"]
        address, prefix = reverse("sample-edit", args=[self.job.pk, sample.pk]), f"s{sample.pk}"
        Sample.objects.filter(pk=sample.pk).update(point="tap", draw="first")
        mine = {f"{prefix}-taken_on": "2026-05-03", f"{prefix}-point": "pressure_tank", f"{prefix}-seen": seen}
        refused = self.client.post(address, mine, headers={"HX-Request": "true"})
        self.assertContains(refused, "Someone else changed this to At a tap in the house since you opened it", status_code=409)
        self.assertContains(refused, "Someone else changed this", 1, status_code=409)
        sample.refresh_from_db()
        self.assertEqual(sample.point, "tap")
        form = refused.context["bad_form"]
        self.assertEqual((form["point"].value(), form["draw"].value()), ("pressure_tank", "first"))
        shown = {f"{prefix}-{name}": form[name].value() or "" for name in ("taken_on", "point", "draw", "weather", "method", "seen")}
        self.assertEqual(self.client.post(address, shown).status_code, 302)
        sample.refresh_from_db()
        self.assertEqual((sample.point, sample.draw), ("pressure_tank", "first"))

    def test_which_test_next_is_worked_out_in_steps(self) -> None:
        """Each answer says how far it is and asks again; the last has the whole list, the same as when it is worked out at once; outside the page it leads there."""
        address, page, answers = reverse("water-tests", args=[self.job.pk]), "", 0
        self.assertRedirects(self.client.get(address), reverse("water", args=[self.job.pk]))
        with patch("workbench.samples.views.STEP_S", 0.0):
            while not answers or 'hx-trigger="load"' in page:
                page = self.client.get(address, headers={"HX-Request": "true"}).content.decode()
                answers += 1
                self.assertLess(answers, 30)
        at_once = next_tests(design_of(self.job, None))
        self.assertGreater(answers, 1)
        for test in at_once:
            self.assertIn(in_words(test), unescape(page))
        self.assertEqual(page.count("<details"), len(at_once))

    def test_two_people_at_different_facts_of_a_sample_merge(self) -> None:
        """One says how it was drawn, the other what the weather was: both stand, without a word."""
        sample = Sample.objects.get(job=self.job)
        address, prefix = reverse("sample-edit", args=[self.job.pk, sample.pk]), f"s{sample.pk}"
        seen = self.client.get(reverse("water", args=[self.job.pk])).context["samples"][0]["form"].initial["seen"]
        Sample.objects.filter(pk=sample.pk).update(weather="rain")
        facts = {f"{prefix}-{name}": value for name, value in zip(("taken_on", "point", "draw", "weather", "method"), seen.split("|"), strict=True)}
        answer = self.client.post(address, facts | {f"{prefix}-draw": "first", f"{prefix}-seen": seen}, headers={"HX-Request": "true"})
        self.assertNotContains(answer, "Someone else")
        sample.refresh_from_db()
        self.assertEqual((sample.draw, sample.weather), ("first", "rain"))

    def test_a_reading_that_replaces_another_says_so(self) -> None:
        """Iron was 2.4, is 3 now; the same value again is nothing new."""
        sample = Sample.objects.get(job=self.job)
        address = reverse("readings-add", args=[self.job.pk, sample.pk])
        self.assertContains(self.client.post(address, {"line": "iron 3 mg/L"}, headers={"HX-Request": "true"}), "Iron was 2.4 mg/L, it is 3 mg/L now")
        again = self.client.post(address, {"line": "iron 3 mg/L, sulfate 30 mg/L"}, headers={"HX-Request": "true"})
        self.assertNotContains(again, "A sample has one reading of each")

    def test_markup_in_a_reading_is_only_text(self) -> None:
        """What people type is shown, never run."""
        response = self.client.post(reverse("water-read", args=[self.job.pk]), {"line": "<script>alert(1)</script> 3"})
        self.assertNotContains(response, "<script>alert")


class Import(WorkbenchTestCase):
    def send(self, content: bytes):  # noqa: ANN201
        return self.client.post(reverse("job-import"), {"file": SimpleUploadedFile("job.json", content)})

    def test_a_job_file_becomes_a_job(self) -> None:
        """And opens on its train."""
        response = self.send(json.dumps(job_document({"job": {"name": "Brought in"}})).encode())
        self.assertRedirects(response, reverse("train", args=[Job.objects.get(name="Brought in").pk]))

    def test_what_cannot_be_read_is_told_and_not_stored(self) -> None:
        """Broken JSON, Latin-1, empty, wrong keys, too large: a clear message each, never an error page."""
        for content, said in [
            (b"{", "expected JSON"), ("{“a”: é}".encode("utf-16"), "not UTF-8"), (b"[]", "expected a job document"),
            (json.dumps(job_document({"supply": {"flo": "7 gpm"}})).encode(), "nearest known one"),
        ]:  # fmt: skip
            self.assertContains(self.send(content), said, status_code=422)
        with patch("workbench.jobs.views.LARGEST_IMPORT", 10):
            self.assertContains(self.send(b"{" + b" " * 50 + b"}"), "larger than", status_code=422)
        self.assertContains(self.client.post(reverse("job-import"), {"text": ""}), "paste its text", status_code=422)
        self.assertEqual(Job.objects.count(), 1)


class AnyInput(HypothesisTestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        workspace, cls.designer, _, _ = people()
        cls.job = store(job_document(), workspace, cls.designer)

    @given(st.text(max_size=80))
    @fuzz(40)
    def test_nothing_typed_breaks_the_water_step(self, line: str) -> None:
        """Any line is previewed; none is an error of the server."""
        self.client.force_login(self.designer)
        self.assertEqual(self.client.post(reverse("water-read", args=[self.job.pk]), {"line": line}).status_code, 200)

    @given(
        st.sampled_from(["flow_l_min", "pressure_low_kpa", "temperature_c", "pipe_size_m"]),
        st.text(max_size=30).filter(lambda text: "\x00" not in text),
    )
    @fuzz(40)
    def test_nothing_typed_breaks_the_supply_step(self, name: str, text: str) -> None:
        """Any text is saved or refused beside its field."""
        self.client.force_login(self.designer)
        version = Job.objects.get(pk=self.job.pk).version
        response = self.client.post(reverse("supply", args=[self.job.pk]), {"version": version, name: text}, headers={"HX-Request": "true"})
        self.assertIn(response.status_code, (200, 422))


class Measures(WorkbenchTestCase):
    def send(self, **data: str):  # noqa: ANN201
        self.job.refresh_from_db()
        return self.client.post(reverse("supply", args=[self.job.pk]), {"version": self.job.version} | data)

    def test_a_bare_number_takes_the_jobs_unit_and_shows_it(self) -> None:
        """Both switch points on one line; on a metric job a flow is L/min and the examples are metric."""
        self.send(flow_l_min="7", pressure_low_kpa="40/60", temperature_c="52")
        page = self.client.get(reverse("supply", args=[self.job.pk])).content.decode()
        for text in ("7 gpm", "40 psi", "60 psi", "52 °F"):
            self.assertIn(f'value="{text}"', page)
        self.client.post(reverse("units", args=[self.job.pk]), {"units": "metric"})
        self.send(flow_l_min="26", pressure_low_kpa="2.8 bar", pressure_high_kpa="4 bar", temperature_c="11")
        page = self.client.get(reverse("supply", args=[self.job.pk])).content.decode()
        self.assertIn('value="26 L/min"', page)
        examples = " ".join(re.findall(r'placeholder="([^"]*)"', page))
        self.assertIn("2.8 bar", examples)
        self.assertNotRegex(examples, "gpm|psi|gal|ft|°F")
        self.assertIn('inputmode="decimal"', page)
