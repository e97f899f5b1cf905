"""Nothing typed is lost: fields save one by one, a bad one beside good ones, over an expired log-in and a reload."""

from __future__ import annotations

from django.contrib.sessions.models import Session
from django.urls import reverse
from playwright.sync_api import expect

from treatment.tests.example import job as job_document
from workbench.records.job import Survey
from workbench.records.sample import Reading
from workbench.repository.door import store

from .base import BrowserTestCase, WorkbenchTestCase


class FieldByField(WorkbenchTestCase):
    def test_a_bad_field_never_keeps_the_others(self) -> None:
        """On each step: what is sound is stored, what is not stands with its message, and saving again goes on from there."""
        for name, good, bad in (
            ("site", {"name": "Mill House", "people": "5", "top_fixture_height_m": "14"}, {"bathrooms": "many"}),
            ("supply", {"flow_l_min": "9", "pressure_low_kpa": "30/50"}, {"temperature_c": "cold"}),
            ("wall", {"wall_width": "8"}, {"ceiling": "a yard or so"}),
            ("panel", {"roof_area": "1200"}, {"monthly_rain": "3 in; 2 in"}),
        ):
            with self.subTest(name):
                self.job.refresh_from_db()
                page = self.client.get(reverse(name, args=[self.job.pk]))
                form = page.context["form"]
                shown = {each.name: each.value() if each.value() is not None else "" for each in form}
                sent = shown | {"version": self.job.version} | good | bad
                answer = self.client.post(reverse(name, args=[self.job.pk]), sent)
                self.assertEqual(answer.status_code, 422)
                [(key, typed)] = bad.items()
                self.assertContains(answer, typed, status_code=422)
                self.assertTrue(answer.context["form"].errors[key])
                self.job.refresh_from_db()
                self.assertEqual(int(answer.context["form"]["version"].value()), self.job.version)
                kept = self.client.get(reverse(name, args=[self.job.pk])).context["form"]
                for field, value in good.items():
                    self.assertIn(str(value).partition("/")[0], str(kept[field].value()), field)

    def test_who_is_logged_out_is_told_so_in_the_background(self) -> None:
        """401 where htmx asks; a page goes to the log-in; a log-in over the page answers a new token."""
        self.client.logout()
        address = reverse("site", args=[self.job.pk])
        self.assertEqual(self.client.post(address, {"name": "x"}, headers={"HX-Request": "true"}).status_code, 401)
        self.assertEqual(self.client.post(address, {"name": "x"}).status_code, 302)
        again = reverse("login-again")
        self.assertEqual(self.client.get(again).status_code, 401)
        self.assertEqual(self.client.post(again, {"username": "dora", "password": "wrong"}).status_code, 422)
        self.assertTrue(self.client.post(again, {"username": "dora", "password": "pass-word-1"}).json()["token"])
        self.assertTrue(self.client.get(again).json()["token"])


class NothingTypedIsLost(BrowserTestCase):
    def test_an_expired_log_in_keeps_what_was_typed(self) -> None:
        """On a form that saves by itself, on the entry line, and on one that is sent whole: a small log-in, then it is saved."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/site/")
        Session.objects.all().delete()
        page.fill("#id_people", "6")
        page.press("#id_people", "Tab")
        self.log_in_again("wrong")
        expect(page.locator("#again-problem")).to_contain_text("correct")
        self.log_in_again("pass-word-1")
        expect(page.locator(".f-people .field-state")).to_have_text("saved")
        self.assertEqual(Survey.objects.get(job=job).people, 6)

        page.goto(f"/jobs/{job.pk}/water/")
        expect(page.get_by_label("Which test next")).not_to_contain_text("Recalculating the design")  # asked for by the page itself
        box = page.get_by_label("Readings, in one line")
        with page.expect_response("**/read/"):  # what is typed is read meanwhile: only then the log-in ends
            box.fill("sulfate 30 mg/L")
        Session.objects.all().delete()
        box.press("Enter")
        self.log_in_again("pass-word-1")
        expect(page.get_by_label("Delete the Sulfate reading")).to_be_visible()
        self.assertTrue(Reading.objects.filter(sample__job=job, analyte="sulfate").exists())

        page.goto("/firm/")
        page.fill("#id_name", "Larkfell Water")
        Session.objects.all().delete()
        page.get_by_role("button", name="Save").first.click()
        self.log_in_again("pass-word-1")
        expect(page.locator("#login-again")).to_be_hidden()
        page.wait_for_url(lambda url: not url.endswith("/firm/"))  # saved, it leads to the jobs
        self.workspace.refresh_from_db()
        self.assertEqual(self.workspace.name, "Larkfell Water")

    def log_in_again(self, password: str) -> None:
        dialog = self.page.locator("#login-again")
        expect(dialog).to_be_visible()
        dialog.get_by_label("Password").fill(password)
        dialog.get_by_role("button", name="Log in").click()

    def test_supply_as_people_say_it(self) -> None:
        """Both switch points in either field fill both and stay through the next change; a bucket in words; a refusal goes with the success after it."""
        for field, other in (("pressure_low_kpa", "pressure_high_kpa"), ("pressure_high_kpa", "pressure_low_kpa")):
            job = store(job_document(), self.workspace, self.designer)
            page = self.page
            page.goto(f"/jobs/{job.pk}/supply/")
            page.fill(f"#id_{other}", "")
            page.fill(f"#id_{field}", "30/60")
            page.press(f"#id_{field}", "Tab")
            expect(page.locator("#id_pressure_low_kpa")).to_have_value("30 psi")
            expect(page.locator("#id_pressure_high_kpa")).to_have_value("60 psi")
            page.fill("#id_flow_l_min", "much")
            page.press("#id_flow_l_min", "Tab")
            expect(page.locator("#id_flow_l_min_error")).not_to_be_empty()
            page.fill("#id_flow_l_min", "8 gal in 55 s")
            page.press("#id_flow_l_min", "Tab")
            expect(page.locator(".f-flow_l_min .field-state")).to_have_text("saved")
            expect(page.locator("#id_flow_l_min_error")).to_be_empty()
            expect(page.locator("#id_flow_l_min")).not_to_have_attribute("aria-invalid", "true")
            survey = Survey.objects.get(job=job)
            self.assertAlmostEqual(survey.flow_l_min or 0, 8 * 3.785411784 / (55 / 60), places=3)
            self.assertEqual((round(survey.pressure_low_kpa or 0), round(survey.pressure_high_kpa or 0)), (207, 414))

    def test_saved_and_not_saved_are_told_beside_the_field(self) -> None:
        """A bad field is marked, the good one is saved and shows its unit; what was refused is still there after a reload."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/supply/")
        page.fill("#id_temperature_c", "cold")
        page.fill("#id_flow_l_min", "9")
        page.press("#id_flow_l_min", "Tab")
        expect(page.locator(".f-temperature_c .field-state")).to_have_text("not saved")
        expect(page.locator(".f-flow_l_min .field-state")).to_have_text("saved")
        expect(page.locator("#id_flow_l_min")).to_have_value("9 gpm")
        page.reload()
        expect(page.locator("#id_temperature_c")).to_have_value("cold")
        expect(page.locator(".f-temperature_c .field-state")).to_have_text("not saved")
        expect(page.locator("#id_flow_l_min")).to_have_value("9 gpm")

    def test_a_refused_line_survives_a_reload(self) -> None:
        """What was not understood is still in the box, and the wall saves by itself, the drawing with it."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/water/")
        box = page.get_by_label("Readings, in one line")
        box.fill("zorblax 7 mg/L")
        box.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("not a known analyte")
        page.reload()
        expect(page.get_by_label("Readings, in one line")).to_have_value("zorblax 7 mg/L")
        page.goto(f"/jobs/{job.pk}/wall/")
        page.get_by_text("Wall and room").click()
        page.fill("#id_wall_width", "7")
        page.press("#id_wall_width", "Tab")
        expect(page.locator(".f-wall_width .field-state")).to_have_text("saved")
        expect(page.locator("#id_wall_width")).to_have_value("7 ft")

    def test_delete_acts_where_the_focus_is(self) -> None:
        """Away from the train it takes nothing out; letters can be switched off."""
        job = store(job_document(), self.workspace, self.designer)
        page = self.page
        page.goto(f"/jobs/{job.pk}/train/")
        count = page.locator("#bench .stage").count()
        page.locator("body").click(position={"x": 5, "y": 500})
        page.keyboard.press("Delete")
        expect(page.locator("#live")).to_contain_text("has the focus")
        self.assertEqual(page.locator("#bench .stage").count(), count)
        page.locator("#bench .stage").first.click()
        page.wait_for_timeout(300)
        page.keyboard.press("Delete")
        expect(page.locator("#bench .stage")).to_have_count(count - 1)
        page.keyboard.press("?")
        page.get_by_label("Single letters and digits are shortcuts").uncheck()
        page.get_by_role("button", name="Close").click()
        page.keyboard.press("u")
        page.wait_for_timeout(300)
        expect(page.locator("#bench .stage")).to_have_count(count - 1)


class TwoOnOneJob(BrowserTestCase):
    def test_different_fields_merge_and_the_same_one_is_told_beside_it(self) -> None:
        """Each changes a field of their own: both stand, nobody is asked. Both change one: told beside it alone, and saving again keeps it."""
        job = store(job_document(), self.workspace, self.designer)
        one, other = self.page, self.open("dora", 1280, 800)
        for page in (one, other):
            page.goto(f"/jobs/{job.pk}/site/")
        one.fill("#id_people", "6")
        one.press("#id_people", "Tab")
        expect(one.locator(".f-people .field-state")).to_have_text("saved")
        other.fill("#id_bathrooms", "3")
        other.press("#id_bathrooms", "Tab")
        expect(other.locator(".f-bathrooms .field-state")).to_have_text("saved")
        expect(other.locator("#id_people")).to_have_value("6")
        expect(other.locator("#stale")).to_be_empty()
        other.get_by_label("No salt").check()
        expect(other.locator("#saved, .saved").first).to_be_attached()
        one.fill("#id_extra_daily_use_l", "40 gal")
        one.press("#id_extra_daily_use_l", "Tab")
        expect(one.locator(".f-extra_daily_use_l .field-state")).to_have_text("saved")
        survey = Survey.objects.get(job=job)
        self.assertEqual((survey.people, survey.bathrooms, survey.no_salt), (6, 3, True))
        one.fill("#id_people", "7")
        one.press("#id_people", "Tab")
        expect(one.locator(".f-people .field-state")).to_have_text("saved")
        other.fill("#id_people", "8")
        other.press("#id_people", "Tab")
        expect(other.locator("#id_people_error")).to_contain_text("changed this to “7” after you opened")
        expect(other.locator("#stale")).not_to_contain_text("Bathrooms")
        self.assertEqual(Survey.objects.get(job=job).people, 7)
        other.get_by_role("button", name="Save what I typed").click()
        expect(other.locator("#id_people_error")).to_be_empty()
        self.assertEqual(Survey.objects.get(job=job).people, 8)
