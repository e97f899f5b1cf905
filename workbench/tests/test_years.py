"""The year step: its picture, what is laid over it, a day, from the log, its file; wrong input."""

from __future__ import annotations

import datetime as dt
import json

from django.urls import reverse
from django.utils import timezone

from workbench.records.log import JobLog, LogEntry
from workbench.repository.door import design_of, store
from workbench.usecases.trains import open_option, option_of

from .base import WorkbenchTestCase


class YearPage(WorkbenchTestCase):
    def page(self, **asked: object):  # noqa: ANN201
        return self.client.get(reverse("year", args=[self.job.pk]), asked)

    def test_one_picture_of_the_year(self) -> None:
        """Bands on one line of days, events by unit, notices, totals."""
        response = self.page()
        self.assertEqual(response.status_code, 200)
        for words in ("Water used in a day", "Hardness at the taps", "Pressure at the highest tap", "The year in figures", "Salt"):
            self.assertContains(response, words)
        self.assertGreater(len(response.context["picture"].rows), 1)

    def test_what_happens_is_laid_over_it_and_taken_out(self) -> None:
        """Added by the form, kept in the address, told with what would have prevented it; a second lies over the first."""
        start = (timezone.localdate() + dt.timedelta(days=40)).isoformat()
        response = self.page(add="salt_forgotten", **{"from": start, "days": "200"})
        self.assertContains(response, "The salt is forgotten")
        self.assertContains(response, "Look at the salt every six weeks")
        (chip,) = response.context["chips"]
        self.assertNotIn("salt", chip[2])
        both = self.page(add="guests", **{"with": f"salt_forgotten:from={start},days=200"})
        self.assertEqual(len(both.context["chips"]), 2)
        self.assertTrue(all(band.plain for band in both.context["picture"].bands))

    def test_wrong_input_is_told_beside_the_field(self) -> None:
        """A length that is no number, a scenario nobody knows, a day that is none: the year still shows, what was typed stays."""
        response = self.page(add="guests", days="many")
        self.assertEqual(response.status_code, 422)
        self.assertContains(response, "is no number", status_code=422)
        self.assertContains(response, 'value="many"', status_code=422)
        self.assertContains(response, "Water used in a day", status_code=422)
        self.assertEqual(self.page(**{"with": "flood"}).status_code, 422)
        self.assertEqual(self.page(day="soon").status_code, 200)
        self.assertEqual(self.page(day="1999-01-01").status_code, 200)

    def test_a_day_opens_into_its_hours(self) -> None:
        """Twenty-four bars, what happened, the day before and after."""
        day = timezone.localdate() + dt.timedelta(days=30)
        response = self.page(day=day.isoformat())
        found = response.context["day"]
        self.assertEqual((len(found.hours), found.before, found.after), (24, day - dt.timedelta(days=1), day + dt.timedelta(days=1)))
        self.assertContains(response, "Greatest flow")

    def test_it_goes_on_from_the_logbook(self) -> None:
        """From the day after its last entry."""
        log = JobLog.objects.create(job=self.job, started_on=dt.date(2026, 1, 5))
        LogEntry.objects.create(log=log, on=dt.date(2026, 6, 1), body={"note": "looked"}, key="1", by_name="dora")
        self.assertContains(self.page(), "Continue from the logbook")
        response = self.page(log="1")
        self.assertEqual(response.context["start"], dt.date(2026, 6, 2))
        self.assertContains(response, "The coming year")

    def test_past_and_future_in_one_picture(self) -> None:
        """What the logbook holds of the year before stands left of the day it begins, by the year's own series and at its units."""
        log = JobLog.objects.create(job=self.job, started_on=timezone.localdate() - dt.timedelta(days=200))
        softener = next(stage.id for stage in design_of(self.job, None).chosen.run.stages if stage.kind == "softener")
        days = [timezone.localdate() - dt.timedelta(days=back) for back in (120, 60, 1)]
        for number, day in enumerate(days):
            readings = {"tap.hardness": f"{number + 1} gpg", f"{softener}.salt_level": f"{12 - number} in", "meter": f"{1000 + 9000 * number} gal"}
            LogEntry.objects.create(log=log, on=day, body={"readings": readings}, key=f"r{number}", by_name="dora")
        LogEntry.objects.create(log=log, on=days[1], body={"did": f"{softener}/salt"}, key="s", by_name="dora")
        picture = self.page(log="1").context["picture"]
        bands = {band.title: band for band in picture.bands}
        for title in ("Hardness at the taps", "Salt: softener"):
            self.assertEqual(len(bands[title].points), 3, title)
            self.assertTrue(all(x < picture.begins for x, _, _ in bands[title].points))
            self.assertGreaterEqual(float(bands[title].line.split(",")[0]), picture.begins)
        self.assertIn(days[0].isoformat(), bands["Hardness at the taps"].points[0][2])
        self.assertEqual(len(bands["Water used in a day"].points), 4, "two stretches of the meter, each from its begin to its end")
        self.assertLess(next(row for row in picture.rows if row.title == "Softener").ticks[0].x, picture.begins)
        self.assertIsNone(self.page().context["picture"].begins)

    def test_another_option_beside_it(self) -> None:
        """Option B in the same year: its lines, its totals; an option that is not there changes nothing."""
        option_of(self.job)
        open_option(self.job, [{"kind": "softener", "salt_dose": "15 lb/ft3"}], "b", self.designer)
        response = self.page(beside="B", **{"with": "guests"})
        self.assertContains(response, "Thin dark line: option B")
        self.assertTrue(any(band.plain for band in response.context["picture"].bands))
        salt, other = next((amount.value, beside.value) for words, amount, beside in response.context["totals"] if words == "Salt")
        self.assertGreater(other, salt)
        self.assertIn("beside=B", response.context["chips"][0][2])
        self.assertNotContains(self.page(beside="C"), "Thin dark line")

    def test_its_file(self) -> None:
        """The document of the format, as it is seen."""
        response = self.client.get(reverse("year-file", args=[self.job.pk]), {"with": "leak"})
        found = json.loads(response.content)
        self.assertEqual((found["format"], found["scenarios"]), ("cairn-year/1", ["leak"]))

    def test_without_water_or_train_it_says_what_is_missing(self) -> None:
        """A job that nobody tested yet."""
        empty = store({"format": "cairn-job/1", "job": {"name": "Bare"}, "samples": [{"readings": {}}]}, self.workspace, self.designer)
        self.assertContains(self.client.get(reverse("year", args=[empty.pk])), "Enter a water test first")

    def test_another_firm_sees_nothing_of_it(self) -> None:
        """Not the page, not the file."""
        self.client.force_login(self.stranger)
        for name in ("year", "year-file"):
            self.assertEqual(self.client.get(reverse(name, args=[self.job.pk])).status_code, 404)


class WhatIfPage(WorkbenchTestCase):
    def page(self, htmx: bool = False, **asked: object):  # noqa: ANN201
        return self.client.get(reverse("year-what-if", args=[self.job.pk]), asked, headers={"HX-Request": "true"} if htmx else {})

    def test_moved_and_answered_at_once(self) -> None:
        """Handles as designed; more people change rows beside the design's, and the words of the handle; alone where a script asked."""
        self.assertContains(self.page(), "Nothing is moved yet")
        whole = self.page(people="9")
        self.assertContains(whole, 'value="9"')
        self.assertTrue(any(row.differs for row in whole.context["rows"]))
        part = self.page(htmx=True, people="9")
        self.assertContains(part, 'hx-swap-oob="true"')
        self.assertNotContains(part, "<html")

    def test_wrong_input_is_as_designed(self) -> None:
        """Words, nothing, endless numbers, far too much."""
        for value in ("many", "", "nan", "inf", "-1e400"):
            self.assertContains(self.page(people=value, dose=value), "Nothing is moved yet")
        self.assertContains(self.page(people="1e9"), 'value="12"')

    def test_without_water_and_for_another_firm(self) -> None:
        """It says what is missing; a stranger sees nothing."""
        empty = store({"format": "cairn-job/1", "job": {"name": "Bare"}, "samples": [{"readings": {}}]}, self.workspace, self.designer)
        self.assertContains(self.client.get(reverse("year-what-if", args=[empty.pk])), "Enter a water test first")
        self.client.force_login(self.stranger)
        self.assertEqual(self.page().status_code, 404)
