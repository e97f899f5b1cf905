"""The commission step without a browser: events, order, photos, plan, files, and who may."""

from __future__ import annotations

import datetime as dt
import hashlib
import io
import json
from threading import Barrier, Thread
from typing import Any
from unittest.mock import patch

import jsonschema
import pdfplumber
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connections
from django.test import Client
from django.urls import reverse
from django.utils import timezone
from icalendar import Calendar
from PIL import Image

from intake.pictures import SIDE
from treatment.commissioning.record import record_schema
from treatment.tests.example import job as job_document

from ..pages.printed import KEPT
from ..records.job import Job, KeptPaper
from ..records.run import StartEvent, StartPhoto, StartRun
from ..records.sample import Reading, Sample
from ..records.train import Revision, TrainOption
from ..repository.door import store
from ..starts import services
from ..starts.services import Told, when
from .base import CommittedTestCase, WorkbenchTestCase, people

TRAIN = [{"kind": "carbon", "id": "carbon", "medium": "granular", "form": "backwashing"}, {"kind": "softener", "id": "softener"}]


def with_train(job: Job, stages: list[dict[str, Any]]) -> None:
    """The job follows this train."""
    option, _ = TrainOption.objects.get_or_create(job=job, letter="A")
    option.revisions.all().delete()
    Revision.objects.create(option=option, number=0, stages=stages, summary="given")


def picture(kind: str = "JPEG", size: tuple[int, int] = (2400, 1200), exif: bool = True) -> bytes:
    """A picture with a place and a camera written into it, turned on its side."""
    image, out = Image.new("RGB", size, "#7799aa"), io.BytesIO()
    held = Image.Exif()
    if exif:
        held[0x0112], held[0x010F] = 6, "Some camera"
        held.get_ifd(0x8825)[2] = (54.0, 12.0, 3.0)
    image.save(out, kind, exif=held)
    return out.getvalue()


class Starts(WorkbenchTestCase):
    def setUp(self) -> None:
        super().setUp()
        with_train(self.job, TRAIN)

    def tell(self, step: str, kind: str = "tick", client: Client | None = None, **more: Any) -> tuple[int, dict[str, Any]]:
        """Status and answer, as a phone is told."""
        data = {"step": step, "kind": kind, "key": more.pop("key", services.new_key())} | more
        answer = (client or self.client).post(reverse("commission-tell", args=[self.job.pk]), data, headers={"Accept": "application/json"})
        return answer.status_code, answer.json()

    def page(self, query: str = "") -> str:
        return self.client.get(reverse("commission", args=[self.job.pk]) + query).content.decode()

    @property
    def run_row(self) -> StartRun:
        return StartRun.objects.get(job=self.job)


class Telling(Starts):
    def test_a_tick_is_kept_once(self) -> None:
        """The same key again says so and adds nothing; the page shows who and when; the job's step counts what is left."""
        self.assertEqual(self.tell("site/kit_check", key="k1"), (200, {"status": "kept", "number": 1, "wants": "", "words": "", "clock_s": 0}))
        self.assertEqual(self.tell("site/kit_check", key="k1")[1]["status"], "again")
        self.assertEqual(StartEvent.objects.count(), 1)
        self.assertIn("by dora", self.page())
        self.assertContains(self.client.get(reverse("site", args=[self.job.pk])), f"missing: {self.run_row.open_steps} steps")

    def test_out_of_order_is_refused_with_what_is_missing(self) -> None:
        """The main before the heater: refused, the heater named with its number, nothing written."""
        status, answer = self.tell("site/shut_main")
        self.assertEqual((status, answer["wants"]), (422, "missing"))
        self.assertRegex(answer["missing"][0], r"\d+\. Turn the water heater off")
        self.assertEqual(StartEvent.objects.count(), 0)

    def test_a_skip_asks(self) -> None:
        """Without a reason, then, as it is critical, a second time."""
        self.tell("site/kit_check")
        self.assertEqual(self.tell("site/main_valve", "skip")[1]["wants"], "reason")
        self.assertEqual(self.tell("site/main_valve", "skip", text="new last year")[1]["wants"], "sure")
        self.assertEqual(self.tell("site/main_valve", "skip", text="new last year", sure="1")[0], 200)
        self.assertIn("new last year", self.page())

    def test_a_reading_is_checked_at_once(self) -> None:
        """52 psi at the source lies within, 20 outside with its bad sign; a wrong unit, an unknown key and rubbish are refused, what was typed is told."""
        for text, words in (("52", "Within the expected range"), ("20 psi", "Outside the expected range")):
            self.assertEqual(self.tell("site/leak_check_next_day", "reading", about="source.pressure", text=text)[0], 200)
            self.assertIn(words, self.page())
        for about, text in (
            ("source.pressure", "52 gpm"),
            ("source.pressure", "lots"),
            ("source.presure", "52"),
            ("source.pressure", "-3"),
            ("tap.ph", ""),
        ):
            status, answer = self.tell("site/leak_check_next_day", "reading", about=about, text=text)
            self.assertEqual((status, answer["wants"]), (422, "reading"), text)
        self.assertEqual(StartEvent.objects.count(), 2)

    def test_undo_and_notes(self) -> None:
        """A tick taken back is open again; a second undo of it is told; a note without words is none."""
        self.tell("site/kit_check", key="k1")
        self.assertEqual(self.tell("site/kit_check", "undo", about="k1")[0], 200)
        self.assertEqual(self.tell("site/kit_check", "undo", about="k1")[1]["wants"], "gone")
        self.assertEqual(self.tell("site/kit_check", "note", text=" ")[1]["wants"], "text")
        self.assertEqual(self.tell("site/kit_check", "note", text="x" * 2001)[1]["wants"], "text")
        self.assertEqual(self.tell("site/kit_check", "note", text="<b>one</b> ring spare")[0], 200)
        self.assertIn("&lt;b&gt;one&lt;/b&gt; ring spare", self.page())

    def test_rubbish(self) -> None:
        """Unknown kinds and steps, absurd times and numbers are refused or put right, never a failure."""
        self.assertEqual(self.tell("site/kit_check", "dance")[1]["wants"], "kind")
        self.assertEqual(self.tell("nowhere/soak")[1]["wants"], "gone")
        for at in ("soon", "9999-99-99", "0001-01-01T00:00:00+00:00", "2026-12-07T09:00:00"):
            self.assertEqual(self.tell("site/kit_check", "note", text="x", at=at, sent_at=at, base="many")[0], 200)
        self.assertEqual(self.client.post(reverse("commission-tell", args=[self.job.pk]), {}).status_code, 422)

    def test_without_scripts(self) -> None:
        """A plain form comes back to its step; a refusal shows why with what was typed."""
        where = reverse("commission-tell", args=[self.job.pk])
        self.assertRedirects(
            self.client.post(where, {"step": "site/kit_check", "kind": "tick"}), f"{reverse('commission', args=[self.job.pk])}#s-site-kit_check"
        )
        answer = self.client.post(where, {"step": "site/main_valve", "kind": "skip", "text": "new valve"})
        self.assertContains(answer, "You had typed: <bdi>new valve</bdi>", status_code=422)

    def test_a_phone_whose_clock_is_wrong(self) -> None:
        """Three hours fast: what it did ten minutes before sending was ten minutes ago; half a minute is let be; nothing is done in the future."""
        now = timezone.now()
        fast = now + dt.timedelta(hours=3)
        at, off = when(Told("k", "s", "tick", at=fast - dt.timedelta(minutes=10), sent_at=fast), now)
        self.assertEqual((at, off), (now - dt.timedelta(minutes=10), -3 * 3600))
        near = now + dt.timedelta(seconds=30)
        self.assertEqual(when(Told("k", "s", "tick", at=near, sent_at=near), now), (now, 0))
        self.assertEqual(when(Told("k", "s", "tick"), now), (now, 0))

    def test_what_was_done_offline_counts_from_when_it_was_done(self) -> None:
        """The soak was ticked 47 h ago by the phone, and reached the server now: an hour of it is left."""
        for step in ("site/kit_check", "carbon/place", "carbon/load", "carbon/fill"):
            self.tell(step)
        now = timezone.now()
        self.assertEqual(self.tell("carbon/soak", at=(now - dt.timedelta(hours=47)).isoformat(), sent_at=now.isoformat())[0], 200)
        _, run = services.state_of(self.job, self.run_row)
        (timer,) = run.timers(now)
        self.assertAlmostEqual((timer.ends - now).total_seconds(), 3600, delta=5)

    def test_who_may(self) -> None:
        """A viewer looks and may not tell; a stranger finds nothing."""
        where, viewer, stranger = reverse("commission", args=[self.job.pk]), Client(), Client()
        viewer.force_login(self.viewer)
        stranger.force_login(self.stranger)
        self.assertEqual(viewer.get(where).status_code, 200)
        self.assertEqual(viewer.post(f"{where}tell/", {"step": "site/kit_check", "kind": "tick"}).status_code, 403)
        for path in ("", "record.json", "record.pdf", "visits.ics"):
            self.assertEqual(stranger.get(f"{where}{path}").status_code, 404)
        self.assertEqual(stranger.post(f"{where}tell/", {"step": "site/kit_check", "kind": "tick"}).status_code, 404)

    def test_since(self) -> None:
        """Whether anything happened: 204 where not."""
        where = reverse("commission-tell", args=[self.job.pk])
        self.assertEqual(self.client.get(f"{where}?since=0").status_code, 204)
        self.tell("site/kit_check")
        self.assertEqual((self.client.get(f"{where}?since=0").status_code, self.client.get(f"{where}?since=1").status_code), (200, 204))


class Changed(Starts):
    def test_the_train_changes_under_a_run(self) -> None:
        """Carbon goes, a filter comes: the soak is told as gone with who did it, the filter's steps are new, what stays is done."""
        for step in ("site/kit_check", "carbon/place"):
            self.tell(step)
        with_train(self.job, [{"kind": "sediment", "id": "five", "form": "cartridge"}, TRAIN[1]])
        page = " ".join(self.page().split())
        self.assertIn("Set the empty tank in its place (carbon/place, was done by dora)", page)
        self.assertIn("Seat the cartridge", page.partition("No longer on the checklist")[0])
        _, run = services.state_of(self.job, self.run_row)
        self.assertEqual(run.of("site/kit_check").state, "done")
        self.assertEqual(self.tell("carbon/load")[1]["wants"], "gone")

    def test_an_empty_train_and_one_of_thirty(self) -> None:
        """Nothing to start is said; thirty units are a long sheet."""
        with_train(self.job, [])
        self.assertIn("nothing to commission", self.page())
        self.assertEqual(self.tell("site/kit_check")[1]["wants"], "gone")
        with_train(self.job, [{"kind": "sediment", "form": "cartridge"}] * 30)
        self.assertGreater(self.page().count('class="start-step"'), 100)


class Planned(Starts):
    def plan(self, **data: Any) -> Any:
        row = services.run_of(self.job)
        return self.client.post(reverse("commission-plan", args=[self.job.pk]), {"version": row.version if row else 1} | data)

    def test_the_first_visit_and_a_moved_one(self) -> None:
        """Begun on a Monday at 08:00 the second comes two days later; moved to Friday it is there, and back again it is on Wednesday."""
        self.assertEqual(self.plan(visit=1, when="2027-12-06T08:00").status_code, 302)
        self.assertIn("Wed, Dec 8, 10:00 AM", self.page())
        self.plan(visit=2, when="2027-12-10T09:30")
        self.assertIn("Fri, Dec 10, 9:30 AM", self.page())
        self.plan(visit=2, back="1")
        self.assertIn("Wed, Dec 8, 10:00 AM", self.page())

    def test_what_does_not_fit_is_said(self) -> None:
        """Wanted while the carbon soaks: it stands when the soak is over, and that is said by step and hour."""
        self.plan(visit=1, when="2027-12-06T08:00")
        self.plan(visit=2, when="2027-12-07T09:00")
        self.assertIn("Visit 2 does not fit Tue, Dec 7, 9:00 AM", self.page())
        self.assertRegex(self.page(), r"Soak the carbon for two days, is not done. It is planned for Wed, Dec 8, 10:00 AM")

    def test_a_soak_begun_late_moves_the_next_visit(self) -> None:
        """Planned for 08:00 of the day before yesterday and ticked a day later: it is said by step, and the visit comes a day later."""
        start = timezone.localtime().replace(hour=8, minute=0, second=0, microsecond=0) - dt.timedelta(days=2)
        services.plan(self.job, 1, self.designer, start=start)
        for number, step in enumerate(("site/kit_check", "site/main_valve", "carbon/place", "carbon/load", "carbon/fill", "carbon/soak")):
            told = services.Told(f"late-{number}", step, "tick", at=start + dt.timedelta(days=1, minutes=number))
            self.assertFalse(services.take(self.job, told, self.designer).made.again)
        self.assertRegex(
            self.page(), r"Soak the carbon for two days, was started 22 h \d+ min later than planned: visit 2 and what follows come later"
        )

    def test_bad_days_and_stale_plans(self) -> None:
        """No day is told beside the field and kept; a plan somebody else changed is not written over."""
        self.assertContains(self.plan(visit=1, when="soon"), "Enter a date and time", status_code=422)
        self.plan(visit=1, when="2027-12-06T08:00")
        self.assertContains(self.plan(version=1, visit=1, when="2027-12-07T08:00"), "changed the plan since you opened it", status_code=409)
        self.assertEqual(timezone.localtime(self.run_row.start).day, 6)

    def test_a_day_in_the_past_is_told(self) -> None:
        self.assertEqual(self.plan(visit=1, when="2020-12-06T08:00").status_code, 302)
        self.assertIn("is in the past", self.page())

    def test_the_calendar_follows_the_plan(self) -> None:
        self.plan(visit=1, when="2027-12-06T08:00")
        self.plan(visit=2, when="2027-12-10T09:30")
        events = Calendar.from_ical(self.client.get(reverse("commission-ics", args=[self.job.pk])).content).walk("VEVENT")
        self.assertEqual([event["dtstart"].dt.isoformat() for event in events][:2], ["2027-12-06T08:00:00", "2027-12-10T09:30:00"])


class Photos(Starts):
    def send(self, raw: bytes, name: str = "kit.jpg") -> tuple[int, dict[str, Any]]:
        return self.tell("site/kit_check", "photo", photo=SimpleUploadedFile(name, raw))

    def test_a_picture_is_made_small_upright_and_plain(self) -> None:
        """2400 × 1200 on its side becomes 800 × 1600, without place or camera; the page and the record name it."""
        self.assertEqual(self.send(picture())[0], 200)
        kept = StartPhoto.objects.get()
        with Image.open(io.BytesIO(bytes(kept.image))) as image:
            self.assertEqual((image.format, image.size, dict(image.getexif())), ("JPEG", (SIDE // 2, SIDE), {}))
        answer = self.client.get(reverse("commission-photo", args=[self.job.pk, kept.pk]))
        self.assertEqual(answer["Content-Type"], "image/jpeg")
        self.assertNotIn(b"camera", answer.content)
        self.assertIn("kit.jpg", self.page())

    def test_the_record_shows_it_and_is_kept_until_its_facts_change(self) -> None:
        """The picture is in the paper; asked again, nothing is printed; a step more, and it is printed anew."""
        address = reverse("commission-pdf", args=[self.job.pk])
        plain = len(self.client.get(address).content)
        self.assertEqual(self.send(picture())[0], 200)
        with pdfplumber.open(io.BytesIO(self.client.get(address).content)) as paper:
            pictures = [each for page in paper.pages for each in page.images]
            self.assertEqual([round(each["height"] / each["width"], 1) for each in pictures if each["height"] > each["width"] > 50], [2.0])
        self.assertGreater(len(self.client.get(address).content), plain)
        with patch("workbench.pages.printed.pdf", side_effect=AssertionError("printed again")):
            self.assertTrue(self.client.get(address).content.startswith(b"%PDF"))
            self.tell("site/kit_check")
            with self.assertRaisesMessage(AssertionError, "printed again"):
                self.client.get(address)
        self.assertLessEqual(KeptPaper.objects.filter(job=self.job).count(), KEPT)

    def test_png_and_webp_are_taken_too(self) -> None:
        for kind in ("PNG", "WEBP"):
            self.assertEqual(self.send(picture(kind, exif=False), f"kit.{kind}")[0], 200)

    def test_what_is_no_picture(self) -> None:
        """A text called .jpg, half a picture, a drawing, too many bytes, nothing: told, and nothing is kept."""
        for raw, why in (
            (b"hello", "Choose a JPEG"),
            (picture()[:4000], "damaged"),
            (b"<svg xmlns='http://www.w3.org/2000/svg'/>", "Choose a JPEG"),
            (b"\xff\xd8" + b"0" * 10_000_001, "10 MB"),
        ):
            status, answer = self.send(raw)
            self.assertEqual((status, answer["wants"]), (422, "photo"))
            self.assertIn(why, answer["words"])
        self.assertEqual(self.tell("site/kit_check", "photo")[1]["wants"], "photo")
        self.assertEqual(StartEvent.objects.count(), 0)

    def test_strangers_see_none(self) -> None:
        self.send(picture(size=(40, 20)))
        stranger = Client()
        stranger.force_login(self.stranger)
        self.assertEqual(stranger.get(reverse("commission-photo", args=[self.job.pk, StartPhoto.objects.get().pk])).status_code, 404)


class Recorded(Starts):
    def test_a_sample_of_the_same_day_by_the_clock_of_the_place(self) -> None:
        """East of the date line's noon: disinfected at 08:00 of the 10th, which is the 9th in UTC; a sample of the 10th is not after it."""
        with_train(self.job, [{"kind": "uv", "id": "uv"}])
        row, _ = StartRun.objects.get_or_create(job=self.job)
        at = dt.datetime(2026, 3, 9, 22, tzinfo=dt.UTC)
        StartEvent.objects.create(run=row, number=1, key="k", step="site/sanitize", kind="tick", at=at, by=self.designer, by_name="dora")
        StartRun.objects.filter(pk=row.pk).update(last=1)
        with self.settings(TIME_ZONE="Pacific/Auckland"):
            for day, status in ((10, 422), (11, 200)):
                sample = Sample.objects.create(job=self.job, point="tap", taken_on=dt.date(2026, 3, day), method="laboratory")
                for analyte in ("total_coliform", "e_coli"):
                    Reading.objects.create(sample=sample, analyte=analyte, low=0, high=0, qualifier="absent", unit="CFU/100mL", typed="absent")
                self.assertEqual(self.tell("site/retest_microbes", "lift", about=str(sample.pk))[0], status)

    def test_the_advice_is_lifted_by_a_sample(self) -> None:
        """A lamp's sheet: no sample, then one before disinfecting, refused; one after it, clear, lifts it, and it can be taken back."""
        with_train(self.job, [{"kind": "uv", "id": "uv"}])
        self.assertIn("<b>Boil-water notice in force.</b>", self.page())
        row, _ = StartRun.objects.get_or_create(job=self.job)
        ago = timezone.now() - dt.timedelta(days=9)
        StartEvent.objects.create(run=row, number=1, key="k", step="site/sanitize", kind="tick", at=ago, by=self.designer, by_name="dora")
        StartRun.objects.filter(pk=row.pk).update(last=1)
        self.assertIn("Choose", self.tell("site/retest_microbes", "lift", about="")[1]["words"])
        for days, status in ((10, 422), (1, 200)):
            sample = Sample.objects.create(job=self.job, point="tap", taken_on=timezone.localdate() - dt.timedelta(days=days), method="laboratory")
            for analyte in ("total_coliform", "e_coli"):
                Reading.objects.create(sample=sample, analyte=analyte, low=0, high=0, qualifier="absent", unit="CFU/100mL", typed="absent")
            self.assertEqual(self.tell("site/retest_microbes", "lift", about=str(sample.pk))[0], status)
        page = self.page()
        self.assertNotIn("<b>Boil-water notice in force.</b>", page)
        self.assertIn("Boil-water notice lifted", page)
        key = StartEvent.objects.get(kind="lift").key
        self.assertEqual(self.tell("site/retest_microbes", "undo", about=key)[0], 200)
        self.assertIn("<b>Boil-water notice in force.</b>", self.page())

    def test_the_files(self) -> None:
        """JSON by its schema, a PDF."""
        self.tell("site/kit_check")
        self.tell("site/kit_check", "note", text="one ring spare")
        answer = self.client.get(reverse("commission-record", args=[self.job.pk]))
        document = json.loads(answer.content)
        jsonschema.validate(document, record_schema())
        self.assertEqual((document["steps"][0]["state"], document["steps"][0]["by"], document["job"]["name"]), ("done", "dora", self.job.name))
        printed = self.client.get(reverse("commission-pdf", args=[self.job.pk]))
        self.assertEqual((printed["Content-Type"], printed.content[:4]), ("application/pdf", b"%PDF"))

    def test_the_record_of_a_finished_sheet_stays_as_it_was(self) -> None:
        """Kept with the last step and with a note after it; another train, name or undone tick leaves both, and the newest is what is asked for while all is done."""
        with_train(self.job, [{"kind": "sediment", "id": "five", "form": "cartridge", "micron": "5 um"}])
        ids = [step.id for step in services.worked(self.job)[1].steps]
        row, _ = StartRun.objects.get_or_create(job=self.job)
        ago = timezone.now() - dt.timedelta(days=60)
        StartEvent.objects.bulk_create(
            StartEvent(run=row, number=n, key=f"k{n}", step=id, kind="tick", at=ago, by_name="dora") for n, id in enumerate(ids[:-1], 1)
        )
        StartRun.objects.filter(pk=row.pk).update(last=len(ids) - 1)
        self.assertEqual(self.tell(ids[0], "photo", photo=SimpleUploadedFile("kit.jpg", picture()))[0], 200)
        self.assertEqual(services.kept_records(row), [])
        self.assertEqual(self.tell(ids[-1], "tick", text="all well", key="last")[0], 200)
        where, paper = (reverse(name, args=[self.job.pk]) for name in ("commission-record", "commission-pdf"))
        first = self.client.get(where).content
        self.assertEqual(self.tell(ids[-1], "note", text="one ring spare")[0], 200)
        second = self.client.get(where).content
        self.assertNotIn(b"one ring spare", first)
        self.assertIn(b"one ring spare", second)
        newest, oldest = services.kept_records(row)
        self.assertEqual([hashlib.sha256(each).hexdigest() for each in (second, first)], [newest.sha256, oldest.sha256])
        printed = self.client.get(f"{paper}?number={oldest.number}").content
        self.assertIn(f"?number={oldest.number}", self.page())
        with_train(self.job, TRAIN)
        Job.objects.filter(pk=self.job.pk).update(name="Another name")
        self.assertEqual(self.client.get(f"{where}?number={oldest.number}").content, first)
        self.assertEqual(self.client.get(f"{paper}?number={oldest.number}").content, printed)
        self.assertFalse(self.client.get(where).json()["complete"])
        for number in ("0", "99", "x", "9" * 30):
            self.assertEqual(self.client.get(f"{where}?number={number}").status_code, 404)
        with pdfplumber.open(io.BytesIO(printed)) as pages:
            words = " ".join(page.extract_text() for page in pages.pages)
            self.assertTrue(any(page.images for page in pages.pages))
        self.assertIn("all well", words)
        self.assertNotIn("one ring spare", words)
        self.assertNotIn("Another name", words)

    def test_by_visit_and_by_phase_show_every_step_once(self) -> None:
        for query in ("?by=phase", "?by=visit"):
            self.assertEqual(self.page(query).count('class="start-step"'), len(services.worked(self.job)[1].steps))

    def test_drawings(self) -> None:
        """Bypasses as they stand at a step, a vessel with its layers."""
        page = self.page()
        self.assertIn("wall.svg?near=&amp;carbon=bypass&amp;softener=bypass", page)
        self.assertIn("wall.svg?near=carbon&amp;carbon=service&amp;softener=bypass", page)
        self.assertIn("Valves now: in service: Carbon filter; in bypass: Softener", page)
        self.assertIn("Riser, capped while it is loaded", page)


class AtOnce(CommittedTestCase):
    def test_two_people_at_the_same_moment(self) -> None:
        """Eight ticks and notes from threads, two of them the same message: seven are kept, numbered without a gap."""
        workspace, designer, _, _ = people()
        job = store(job_document(), workspace, designer)
        with_train(job, TRAIN)
        gate, keys = Barrier(8), ["a", "b", "c", "d", "e", "f", "g", "g"]

        def tell(key: str) -> None:
            gate.wait()
            services.take(Job.objects.select_related("survey", "workspace").get(pk=job.pk), Told(key, "site/kit_check", "note", key), designer)
            connections.close_all()

        threads = [Thread(target=tell, args=[key]) for key in keys]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(list(StartEvent.objects.values_list("number", flat=True)), list(range(1, 8)))
        self.assertEqual(StartRun.objects.get().last, 7)
