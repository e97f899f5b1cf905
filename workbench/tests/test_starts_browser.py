"""The run sheet in a real browser: a whole run by phone, without reception, two phones at one sheet."""

from __future__ import annotations

import datetime as dt
import io
import re
from typing import Any
from unittest import mock

from django.test.testcases import QuietWSGIRequestHandler
from django.utils import timezone
from PIL import Image
from playwright.sync_api import Page, Route, expect

from treatment.tests.example import job as job_document

from ..records.run import StartEvent, StartPhoto, StartRun
from ..repository.door import store
from ..starts import services
from ..starts.services import Told
from .base import BrowserTestCase
from .test_starts import TRAIN, with_train


class Forgiving(list[str]):
    """Problems of a page where the server is meant to fail, or not to be reached: what the browser says of that is none."""

    def __init__(self, held: list[str], meant: str) -> None:
        self.meant = re.compile(meant)
        super().__init__(each for each in held if not self.meant.search(each))

    def append(self, told: str) -> None:
        if not self.meant.search(told):
            super().append(told)


class CutLine(QuietWSGIRequestHandler):
    """A server that, while its line is cut, takes no request and answers none."""

    def parse_request(self) -> bool:
        if getattr(self.server, "line_cut", False):
            self.close_connection = True
            return False
        return super().parse_request()


class RunSheet(BrowserTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.server_thread.httpd.RequestHandlerClass = CutLine
        self.job = store(job_document(), self.workspace, self.designer)
        with_train(self.job, TRAIN)
        self.where = f"/jobs/{self.job.pk}/commission/"

    def phone(self, user: str) -> Page:
        page = self.open(user, 390, 844)
        page.goto(self.where)
        return page

    def step(self, page: Page, id: str) -> Any:
        return page.locator(f'.start-step[data-step="{id}"]')

    def tick(self, page: Page, id: str) -> None:
        """Tick a step and wait until the server has it."""
        self.step(page, id).locator(".tick").click()
        expect(self.step(page, id).locator(".start-mark")).to_contain_text("by")

    def open_step(self, page: Page, id: str) -> Any:
        self.step(page, id).locator("summary").first.click()
        return self.step(page, id)

    def told(self, *steps: str, hours: float = 0) -> None:
        """What was ticked before, so many hours ago."""
        at = timezone.now() - dt.timedelta(hours=hours)
        for step in steps:
            services.take(self.job, Told(services.new_key(), step, "tick", at=at, sent_at=timezone.now()), self.designer)

    def offline(self, off: bool, *pages: Page) -> None:
        """No reception: the server hears nothing (the browser's own pretence lets some requests of a reload through), and the phones know it."""
        if not off:
            self.server_thread.httpd.line_cut = False
        for page in pages:
            page.context.set_offline(off)
        if off:
            self.problems = Forgiving(self.problems, "ERR_(INTERNET_DISCONNECTED|FAILED|EMPTY_RESPONSE)")
            self.server_thread.httpd.line_cut = True
            self.addCleanup(setattr, self.server_thread.httpd, "line_cut", False)


class OnItsScreen(RunSheet):
    def test_at_a_desk_list_step_and_picture_stand_on_one_screen(self) -> None:
        """What is next stands open beside the list with the wall; another chosen takes its place; nothing has to be scrolled for it."""
        page = self.page
        page.goto(self.where)
        expect(page.locator(".start-more[open]")).to_have_count(1)
        self.open_step(page, "softener/open")
        expect(page.locator(".start-more[open]")).to_have_count(1)
        picture, words = page.locator(".start-more[open] .start-wall"), page.locator(".start-more[open] .start-do")
        expect(picture).to_be_visible()
        expect(page.locator(".start-more[open] figcaption")).to_contain_text("Valves now")
        listed = self.step(page, "softener/open").locator("summary").bounding_box()
        for box in (picture.bounding_box(), words.bounding_box(), listed):
            assert box is not None
            self.assertLess(box["y"] + box["height"], 800)
        shown, beside = picture.bounding_box(), listed
        assert shown is not None and beside is not None
        self.assertGreater(shown["x"], beside["x"] + beside["width"])

    def test_no_word_breaks_inside_on_a_phone(self) -> None:
        """The word before what is next stands on one line."""
        page = self.phone("dora")
        box = page.locator(".start-next > .faint").bounding_box()
        assert box is not None
        self.assertLess(box["height"], 32)


class ByPhone(RunSheet):
    def test_a_whole_run_one_step_at_a_time(self) -> None:
        """At phone width, by the thumb's buttons: every step of a filter is ticked, skipped or read, and the record is complete."""
        with_train(self.job, [{"kind": "sediment", "id": "five", "form": "cartridge", "micron": "5 um"}])
        page = self.phone("dora")
        row, _ = StartRun.objects.get_or_create(job=self.job)
        page.get_by_role("button", name="One at a time").click()
        expect(page.locator(".start-step:visible")).to_have_count(1)
        count = page.locator(".start-step").count()
        for number in range(1, count + 1):
            now = page.locator(".start-now")
            expect(page.locator(".start-place")).to_have_text(f"{number} of {count}")
            expect(now.locator(".tick")).to_be_in_viewport()
            box = now.locator(".tick").bounding_box()
            assert box is not None
            self.assertGreaterEqual(min(box["width"], box["height"]), 44)
            id = str(now.get_attribute("data-step"))
            now.locator(".tick").click()
            # long waits: as if they had passed; the sheet asks again by itself
            refused = now.locator(".start-refused")
            expect(now.locator(".start-mark").or_(refused)).to_be_visible()
            if refused.is_visible():
                self.assertRegex(refused.inner_text(), "not done yet")
                StartEvent.objects.filter(run=row).update(at=timezone.now() - dt.timedelta(days=60))
                refused.get_by_role("button", name="Send again").click()
                expect(now.locator(".start-mark")).to_be_visible()
            self.assertEqual(str(now.get_attribute("data-step")), id)
            page.get_by_role("button", name="Next", exact=True).click()
        row.refresh_from_db()
        self.assertEqual(row.open_steps, 0)
        expect(page.locator(".steps a[aria-current]")).to_have_attribute("title", re.compile("Missing|Ready"))

    def test_a_tap_is_not_lost_to_a_new_sheet(self) -> None:
        """A finger lies on the next step's button while the answer to the last one brings a new sheet: that step is ticked, too."""
        page = self.phone("dora")
        expect(page.locator("[data-kept]")).to_be_visible()  # from here on no line moves by itself
        page.evaluate(
            "() => { const open = new Promise((go) => { window.letThrough = go; }), real = window.fetch;"
            "window.fetch = async (...asked) => { const got = await real(...asked); await open; return got; }; }"
        )
        steps = [str(step.get_attribute("data-step")) for step in page.locator(".start-step").all()[:2]]
        first, second = (self.step(page, id) for id in steps)
        first.locator(".tick").first.click()
        expect(first.locator(".start-pending")).to_be_visible()
        second.locator(".tick").first.hover()
        page.mouse.down()
        with page.expect_response(lambda answer: answer.request.method == "GET" and answer.url.endswith("/commission/")):
            page.evaluate("() => window.letThrough()")
        page.wait_for_timeout(500)  # the new sheet is there, and waits
        page.mouse.up()
        for step in (first, second):
            expect(step.locator(".start-mark")).to_be_visible()

    def test_a_timer_survives_a_reload(self) -> None:
        """The soak's two days run on what is stored: a reload shows the same end, and the step after it says until when it waits."""
        self.told("site/kit_check", "carbon/place", "carbon/load", "carbon/fill", hours=3)
        page = self.phone("dora")
        self.tick(page, "carbon/soak")
        expect(page.locator("#timers .timer-chip")).to_contain_text(re.compile(r"1 d 23 h left|2 d 0 h left"))
        page.reload()
        expect(page.locator("#timers .timer-chip")).to_contain_text("left")
        StartEvent.objects.filter(step="carbon/soak").update(at=timezone.now() - dt.timedelta(days=2))
        page.reload()
        expect(page.locator("#timers")).to_have_count(0)

    def test_a_reading_outside_asks_before_going_on(self) -> None:
        """120 mg/L behind the softener: told at once with its bad sign; the tick wants a reason, then it is taken."""
        design, sheet, _ = services.worked(self.job)
        row, _ = StartRun.objects.get_or_create(job=self.job)
        ids = [step.id for step in sheet.steps]
        before = ids[: ids.index("softener/prove")]
        ago = timezone.now() - dt.timedelta(days=60)
        StartEvent.objects.bulk_create(
            StartEvent(run=row, number=n, key=f"k{n}", step=id, kind="tick", at=ago, by_name="dora") for n, id in enumerate(before, 1)
        )
        StartRun.objects.filter(pk=row.pk).update(last=len(before))
        page = self.phone("dora")
        step = self.open_step(page, "softener/prove")
        field = step.get_by_label("Hardness after it")
        field.fill("120 mg/L")
        field.press("Enter")
        expect(step.locator(".reading-outside")).to_contain_text("Outside the expected range")
        step.locator(".tick").click()
        refused = step.locator(".start-refused")
        expect(refused).to_contain_text("Say why you continue")
        refused.get_by_label("Reason").fill("rinse it again, sampled tomorrow")
        refused.get_by_role("button", name="Continue with this reason").click()
        expect(step.locator(".start-mark")).to_contain_text("rinse it again")
        self.assertTrue(design.chosen)

    def test_a_photo_and_a_critical_skip(self) -> None:
        """A picture is kept at its step; a critical skip asks twice."""
        page = self.phone("dora")
        self.tick(page, "site/kit_check")
        step = self.open_step(page, "site/main_valve")
        out = io.BytesIO()
        Image.new("RGB", (2000, 1000), "#556677").save(out, "JPEG")
        step.get_by_label("Photo").set_input_files({"name": "valve.jpg", "mimeType": "image/jpeg", "buffer": out.getvalue()})
        step.get_by_role("button", name="Save photo").click()
        expect(step.locator(".start-photos img")).to_have_count(1)
        self.assertEqual(StartPhoto.objects.get().width, 1600)
        step.get_by_label("Reason for skipping").fill("new last year")
        step.get_by_role("button", name="Skip step").click()
        expect(step.locator(".start-refused")).to_contain_text("critical")
        step.get_by_role("button", name="Skip this critical step").click()
        expect(step.locator(".start-mark")).to_contain_text("new last year")


class NoReception(RunSheet):
    def ready(self, page: Page) -> None:
        """Until the worker and the store hold what they need, which the page says."""
        page.wait_for_function("() => navigator.serviceWorker.ready.then((r) => !!r.active)")
        expect(page.get_by_text("saved here for offline use")).to_be_visible(timeout=15000)

    def test_what_the_server_fails_on_never_stops_the_rest(self) -> None:
        """A photo that the server breaks on four times is put aside in the open; the note behind it is kept at once; sent again later, it is kept, too."""
        page = self.phone("dora")
        step = self.open_step(page, "site/kit_check")
        broken = mock.patch("workbench.starts.services.photo", side_effect=RuntimeError("broken"))
        broken.start()
        self.addCleanup(mock.patch.stopall)
        self.problems = Forgiving(self.problems, "500")  # the browser tells of the 500s
        out = io.BytesIO()
        Image.new("RGB", (40, 30), "white").save(out, "PNG")
        step.locator('input[type="file"]').set_input_files({"name": "photo.png", "mimeType": "image/png", "buffer": out.getvalue()})
        step.get_by_role("button", name="Save photo").click()
        step.locator("textarea").fill("all there")
        step.get_by_role("button", name="Save note").click()
        expect(step.locator(".start-note")).to_contain_text("all there")
        aside = self.step(page, "site/kit_check").locator(".start-refused")
        for _ in range(60):  # each time it is told of reception it tries again, once it is through with the last try
            if aside.count():
                break
            page.evaluate("() => window.dispatchEvent(new Event('online'))")
            page.wait_for_timeout(300)
        expect(aside).to_contain_text("It is saved here")
        broken.stop()
        aside.get_by_role("button", name="Send again").click()
        expect(self.step(page, "site/kit_check").locator(".start-photos img")).to_have_count(1)
        self.assertEqual(StartPhoto.objects.count(), 1)

    def test_kept_pages_are_one_persons(self) -> None:
        """Saved for dora; gone when dirk logs in on the same phone, and when the log-in ended."""
        page = self.phone("dora")
        expect(page.locator("[data-kept]")).to_be_visible()
        kept = "async () => (await (await caches.open('cairn-sheet')).keys()).filter((each) => each.url.includes('/commission/')).length"
        page.wait_for_function(kept)
        page.context.clear_cookies()
        page.goto("/login/")
        page.wait_for_function("async () => !(await caches.has('cairn-sheet'))")
        page.fill("#id_username", "dirk")
        page.fill("#id_password", "pass-word-1")
        page.get_by_role("button", name="Log in").click()
        page.wait_for_url("**/")
        self.assertFalse(page.evaluate("async () => (await caches.has('cairn-sheet'))"))

    def test_materials_and_log_can_be_looked_up(self) -> None:
        """Whoever opened the run sheet reads them in the basement, too; after the log-out nothing of them is on the phone."""
        page = self.phone("dora")
        self.ready(page)
        self.offline(True, page)
        for place, words in (("materials", "Materials"), ("logbook", "Logbook")):
            page.goto(page.url.split("/jobs/")[0] + f"/jobs/{self.job.pk}/{place}/")
            expect(page.get_by_role("heading", level=1).or_(page.get_by_role("heading", name=words)).first).to_be_visible()
            self.assertIn(self.job.name, page.content())
        self.offline(False, page)
        page.evaluate("() => [...document.forms].find((form) => form.action.endsWith('/logout/')).requestSubmit()")
        page.wait_for_url("**/login/**")
        page.wait_for_function("async () => !(await caches.has('cairn-sheet'))")

    def test_nothing_is_lost(self) -> None:
        """Offline: a tick and a note wait and are counted, also after a reload; back again they are sent in order, once, with their time."""
        page = self.phone("dora")
        self.ready(page)
        self.offline(True, page)
        self.step(page, "site/kit_check").locator(".tick").click()
        expect(page.locator("#unsent")).to_have_text("Not sent yet: 1")
        step = self.open_step(page, "site/kit_check")
        step.get_by_label("Note").fill("one ring spare")
        step.get_by_role("button", name="Save note").click()
        expect(page.locator("#unsent")).to_have_text("Not sent yet: 2")
        page.reload()
        expect(page.locator("#unsent")).to_have_text("Not sent yet: 2")
        expect(self.step(page, "site/kit_check")).to_have_attribute("data-state", "done")
        self.step(page, "site/trades").locator(".tick").click()
        expect(page.locator("#unsent")).to_have_text("Not sent yet: 3")
        self.assertEqual(StartEvent.objects.count(), 0)
        before = timezone.now()
        page.wait_for_timeout(1100)
        self.offline(False, page)
        expect(page.locator("#unsent")).to_be_hidden(timeout=30000)
        events = list(StartEvent.objects.order_by("number"))
        self.assertEqual(
            [(event.step, event.kind) for event in events], [("site/kit_check", "tick"), ("site/kit_check", "note"), ("site/trades", "tick")]
        )
        self.assertTrue(all(event.at < before < event.received_at for event in events))

    def test_two_phones_apart_for_a_day(self) -> None:
        """One ticks and one skips the same step without reception: both are shown, and whoever saw both decides."""
        self.told("site/kit_check", "site/main_valve", hours=30)
        dora, dirk = self.phone("dora"), self.phone("dirk")
        for page in (dora, dirk):
            self.ready(page)
        self.offline(True, dora, dirk)
        self.step(dora, "site/trades").locator(".tick").click()
        step = self.open_step(dirk, "site/trades")
        step.get_by_label("Reason for skipping").fill("own house")
        step.get_by_role("button", name="Skip step").click()
        for page in (dora, dirk):
            expect(page.locator("#unsent")).to_have_text("Not sent yet: 1")
        self.offline(False, dora, dirk)
        for page in (dora, dirk):
            expect(page.locator("#unsent")).to_be_hidden(timeout=30000)
        dora.reload()
        expect(dora.locator(".finding-caution", has_text="Two people recorded different results")).to_contain_text("dirk")
        expect(dora.locator(".finding-caution", has_text="Two people recorded different results")).to_contain_text("own house")
        self.step(dora, "site/trades").locator(".tick").click()
        expect(dora.get_by_text("Two people recorded different results")).to_have_count(0)

    def test_a_refusal_waits_for_its_person(self) -> None:
        """What the server refuses stays on the phone with the reason, also after a reload, until somebody lets it go."""
        page = self.phone("dora")
        self.step(page, "site/shut_main").locator(".tick").click()
        expect(self.step(page, "site/shut_main").locator(".start-refused")).to_contain_text("Turn the water heater off")
        held: list[Route] = []
        page.route("**/tell/", lambda route: held.append(route))
        page.reload()
        expect(self.step(page, "site/shut_main").locator(".start-refused")).to_contain_text("Turn the water heater off")
        page.once("dialog", lambda asked: asked.accept())
        self.step(page, "site/shut_main").get_by_role("button", name="Discard this entry").click()
        expect(page.locator(".start-refused")).to_have_count(0)
        page.wait_for_timeout(200)
        self.assertTrue(held)
        for route in held:
            route.continue_()
        page.unroute("**/tell/")
        page.wait_for_timeout(500)
        expect(page.locator(".start-refused")).to_have_count(0)


class Together(RunSheet):
    def test_who_may_only_look(self) -> None:
        """What a viewer ticks is refused with the reason, and does not wait for ever."""
        page = self.phone("vera")
        self.step(page, "site/kit_check").locator(".tick").click()
        expect(self.step(page, "site/kit_check").locator(".start-refused")).to_contain_text("view this but not change")
        expect(page.locator("#unsent")).to_be_hidden()

    def test_each_sees_what_the_other_did(self) -> None:
        """Two at one sheet: a tick of one stands on the other's page when it is looked at again, and typing there is not lost."""
        dora, dirk = self.phone("dora"), self.phone("dirk")
        step = self.open_step(dirk, "site/kit_check")
        step.get_by_label("Note").fill("half a")
        self.tick(dora, "site/kit_check")
        dirk.evaluate("() => document.dispatchEvent(new Event('visibilitychange'))")
        expect(self.step(dirk, "site/kit_check").locator(".start-mark")).to_contain_text("by dora")
        expect(step.get_by_label("Note")).to_have_value("half a")

    def test_by_keyboard(self) -> None:
        """Tab to the first tick, space: done, and the focus stays there."""
        page = self.page
        page.goto(self.where)
        page.locator(".tick").first.focus()
        page.keyboard.press("Space")
        expect(self.step(page, "site/kit_check").locator(".start-mark")).to_contain_text("by dora")
        self.assertEqual(page.evaluate("() => document.activeElement.closest('.start-step')?.dataset.step"), "site/kit_check")
