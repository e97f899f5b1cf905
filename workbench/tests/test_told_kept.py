"""What is said to be kept is kept; a secret shows only its own; what nobody should send is refused in words, at every door."""

from __future__ import annotations

import datetime as dt
import json
import struct
from typing import Any
from unittest import mock

import jsonschema
from django.contrib.auth import get_user_model
from django.test import Client, TestCase
from django.urls import get_resolver, reverse
from django.utils import timezone

from intake.pictures import NoPhoto, made_plain, photo
from treatment.operation.maintenance.log import log_schema
from vivid_cairn.log import without_addresses

from ..middleware import DOORS, LONGEST
from ..records.firm import Membership
from ..records.log import CalendarLink, CauseNote, Device, JobLog, LogEntry, OwnerLink
from ..starts import services as starts
from ..starts.services import Told
from ..usecases import books as services
from ..usecases import doors
from ..usecases.thinning import AT_ONCE, thin
from .test_logs import Logbook, ago, secret_in
from .test_starts import picture


class Kept(Logbook):
    TABLE = "date\thardness after softener (gpg)\tpH after stone\n2025-03-01\t0.5\t7.1\n2025-04-01\t0.6\t7.2\n"

    def table(self, rows: str, **more: str) -> Any:
        return self.client.post(self.where("logbook-table"), {"rows": rows, "keep": "1"} | more, follow=True)

    def readings(self) -> list[dict[str, str]]:
        return [entry.body["readings"] for entry in LogEntry.objects.filter(gone=False).order_by("on", "pk")]

    def test_a_column_left_out_and_sent_later(self) -> None:
        """Kept without the pH, then with it: two rows bring something new, and nothing is there twice."""
        self.begin()
        self.assertContains(self.table(self.TABLE, **{"col-2": ""}), "2 rows saved.")
        self.assertContains(self.table(self.TABLE), "2 rows saved.")
        self.assertContains(self.table(self.TABLE), "0 of 2 rows saved")
        both = [(key, text) for each in self.readings() for key, text in each.items()]
        self.assertEqual(len(both), 4)
        self.assertEqual(len({(key, text) for key, text in both if key.endswith("ph_out")}), 2)

    def test_rows_taken_out_and_sent_again_stand_again(self) -> None:
        self.begin()
        self.table(self.TABLE)
        LogEntry.objects.update(gone=True)
        self.assertContains(self.table(self.TABLE), "2 rows saved.")
        self.assertEqual(len(self.readings()), 2)

    def test_the_same_reading_twice_in_one_table_is_two(self) -> None:
        """Read twice on one day: both stand, and sent again neither is added."""
        self.begin()
        twice = "date\tpH after stone\n2025-03-01\t7.1\n2025-03-01\t7.1\n"
        self.assertContains(self.table(twice), "2 rows saved.")
        self.assertContains(self.table(twice), "0 of 2 rows saved")
        self.assertEqual(len(self.readings()), 2)

    def test_a_key_with_other_content_is_not_said_to_be_kept(self) -> None:
        """The form of an entry sent, mended and sent by the same page: the second is refused in words, the first stands."""
        self.begin()
        self.assertEqual(self.line("hardness after softener 0", key="one").status_code, 302)
        self.assertContains(self.line("hardness after softener 3", key="one"), "was sent before with different content", status_code=422)
        self.assertEqual(self.readings(), [{"softener.hardness_out": "0 gpg"}])

    def test_an_entry_taken_out_and_sent_again_stands(self) -> None:
        self.begin()
        self.line("hardness after softener 0", key="one")
        LogEntry.objects.update(gone=True)
        self.assertContains(
            self.client.post(self.where("logbook-entry"), {"line": "hardness after softener 0", "on": ago(0).isoformat(), "key": "one"}, follow=True),
            "Saved for",
        )
        self.assertEqual(len(self.readings()), 1)

    def test_a_refused_first_entry_begins_no_log(self) -> None:
        self.assertEqual(self.line("hardness after softner 0").status_code, 422)
        self.assertFalse(JobLog.objects.exists())

    def test_impossible_days(self) -> None:
        """Neither the year 1 nor the 31st of April, and none becomes today in silence."""
        self.begin()
        for on in ("0001-01-01", "1979-12-31", "2025-04-31", "soon"):
            self.assertEqual(self.client.post(self.where("logbook-done"), {"task": "softener/salt", "on": on}).status_code, 422, on)
            self.assertEqual(self.line_on("salt 80 lb", on).status_code, 422, on)
        self.assertEqual(LogEntry.objects.count(), 0)

    def line_on(self, text: str, on: str) -> Any:
        return self.client.post(self.where("logbook-entry"), {"line": text, "on": on})

    def test_who_looks_after_a_house_without_a_log_is_told(self) -> None:
        """It would be kept nowhere."""
        self.assertContains(self.client.post(self.where("logbook-technician"), {"technician": "dirk"}), "Enter first when", status_code=422)

    def test_a_member_called_owner_is_not_the_owner(self) -> None:
        """Their entries are not shown at the owner's door."""
        self.workspace.owner_links = True
        self.workspace.save()
        self.begin()
        self.job.refresh_from_db()
        named = get_user_model().objects.create_user("owner", password="pass-word-1")
        Membership.objects.create(workspace=self.workspace, user=named)
        services.add(self.job, [(ago(1), {"note": "between us"})], named)
        secret = secret_in(self.client.post(self.where("logbook-owner")))
        self.assertNotContains(Client().get(reverse("house", args=[secret])), "between us")


class Secrets(Logbook):
    def setUp(self) -> None:
        super().setUp()
        self.workspace.owner_links = True
        self.workspace.save()
        self.begin()
        self.job.refresh_from_db()

    def opened(self) -> dict[str, str]:
        """An address of each kind, and the header of a device: where -> secret."""
        _, token = doors.new_device(self.job, "meter", self.designer).made
        owner = secret_in(self.client.post(self.where("logbook-owner")))
        calendar = secret_in(self.client.post(reverse("calendar-link"), {}))
        return {"owner": reverse("house", args=[owner]), "calendar": reverse("calendar-file", args=[calendar]), "device": token}

    def answers(self, held: dict[str, str]) -> list[int]:
        body = json.dumps({"readings": {"softener.hardness_out": "0 gpg"}})
        device = Client().post(reverse("device-door"), body, content_type="application/json", headers={"Authorization": f"Bearer {held['device']}"})
        return [Client().get(held["owner"]).status_code, Client().get(held["calendar"]).status_code, device.status_code]

    def test_only_hashes_are_kept(self) -> None:
        held = self.opened()
        kept = [OwnerLink.objects.get().secret_hash, CalendarLink.objects.get().secret_hash, Device.objects.get().token_hash]
        for secret in held.values():
            self.assertFalse([one for one in kept if one in secret or secret in one])

    def test_nobody_sees_a_secret_again(self) -> None:
        """Neither a viewer nor its maker: no page shows what would open a door."""
        held = self.opened()
        viewer = Client()
        viewer.force_login(self.viewer)
        for client in (viewer, self.client):
            for page in (self.where("logbook"), reverse("calendar"), reverse("firm")):
                for secret in held.values():
                    self.assertNotContains(client.get(page), secret)

    def test_a_door_is_shut_when_its_maker_leaves(self) -> None:
        """Taken out of the firm, made a viewer, or switched off: no door of theirs is open."""
        held = self.opened()
        self.assertEqual(self.answers(held), [200, 200, 200])
        member = Membership.objects.get(user=self.designer)
        member.role = "viewer"
        member.save()
        self.assertEqual(self.answers(held), [404, 404, 401])
        member.role = "designer"
        member.save()
        get_user_model().objects.filter(pk=self.designer.pk).update(is_active=False)
        self.assertEqual(self.answers(held), [404, 404, 401])
        get_user_model().objects.filter(pk=self.designer.pk).update(is_active=True)
        member.delete()
        self.assertEqual(self.answers(held), [404, 404, 401])

    def test_no_warning_names_an_address(self) -> None:
        """Django's own lines are kept without what was asked for."""
        for logger in ("django.request", "django.security.csrf", "django.server"):
            told = without_addresses(None, "", {"logger": logger, "event": "Not Found: /house/abcdef/"})
            self.assertEqual(told["event"], "Not Found")
        self.assertEqual(without_addresses(None, "", {"logger": "workbench", "event": "a: b"})["event"], "a: b")

    def test_every_door_without_a_log_in_is_bounded_before_it_is_read(self) -> None:
        """All addresses under the doors' names, found in the list of addresses: too long is 413, unread; none is to be indexed."""
        found = [str(each.pattern) for each in get_resolver().url_patterns if f"/{each.pattern}".startswith(DOORS)]
        self.assertGreaterEqual(len(found), 5)
        for pattern in found:
            address = "/" + pattern.replace("<str:secret>", "guessed")
            with mock.patch("django.http.request.HttpRequest.read", side_effect=AssertionError("it was read")):
                answer = Client().post(address, "x" * (LONGEST + 1), content_type="application/x-www-form-urlencoded")
            self.assertEqual(answer.status_code, 413, address)
            self.assertEqual(answer["X-Robots-Tag"], "noindex, nofollow")

    def test_a_flood_costs_no_work(self) -> None:
        """Refused before the log is opened."""
        secret = secret_in(self.client.post(self.where("logbook-owner")))
        OwnerLink.objects.update(minute=timezone.now(), count=doors.RATE)
        with mock.patch("workbench.logs.door_views.entered", side_effect=AssertionError("it was read")):
            answer = Client().post(reverse("house-entry", args=[secret]), {"line": "salt 80 lb", "on": ago(0).isoformat()})
        self.assertEqual(answer.status_code, 429)


class OddAtDoors(Logbook):
    """What nobody should send, to doors that take JSON or are open to who has no log-in."""

    BODIES = (
        b"",
        b"{",
        b"[]",
        b"null",
        b'{"readings": 3}',
        b'{"readings": {}}',
        b'{"readings": {"softener.hardness_out": "\\ud800"}}',
        b'{"readings": {"softener.hardness_out": "0\\u0000"}}',
        b'{"readings": {"softener.hardness_out": "0 gpg"}, "on": "0001-01-01"}',
        b'{"readings": {"softener.hardness_out": "0 gpg"}, "on": 5}',
        b'{"readings": {"\\u0000": "1"}}',
        b'{"readings": {"softener.hardness_out": ' + b"9" * 5000 + b"}}",
        b"[" * 9000,
        b'{"readings": {"softener.hardness_out": ["0"]}}',
        b'{"readings": {"softener.hardness_out": "' + b"9" * 400 + b'/1"}}',
        b"\xff\xfe",
        b'{"readings": {"softener.hardness_out": "0 gpg"}, "key": {"a": 1}}',
        b'{"readings": {"softener.hardness_out": 1e400}}',
    )

    def test_a_device_door_never_fails(self) -> None:
        """Each is kept or refused with a status of its own, as JSON, as a form, and as parts."""
        self.begin()
        _, token = doors.new_device(self.job, "meter", self.designer).made
        client = Client(raise_request_exception=False, headers={"Authorization": f"Bearer {token}"})
        for kind in ("application/json", "text/plain", "application/x-www-form-urlencoded", "multipart/form-data; boundary=x"):
            for body in self.BODIES:
                Device.objects.update(count=0)
                status = client.post(reverse("device-door"), body, content_type=kind).status_code
                self.assertIn(status, (200, 400, 413, 422), f"{body[:60]!r} as {kind}")

    def test_ids_of_five_thousand_digits(self) -> None:
        """Wherever a form names a row by its number."""
        self.begin()
        client = Client(raise_request_exception=False)
        client.force_login(self.designer)
        many = "9" * 5000
        for name, body in (("logbook-device", {"end": many}), ("logbook-owner", {"end": many})):
            self.assertLess(client.post(self.where(name), body).status_code, 500)
        for body in ({"end": many}, {"job": many}):
            self.assertLess(client.post(reverse("calendar-link"), body).status_code, 500)
        self.assertLess(client.get(reverse("calendar") + f"?page={many}").status_code, 500)

    def test_a_cause_that_is_not_told_cannot_be_answered(self) -> None:
        """Empty, unknown, of another unit: refused; and a page that holds such a word from before still opens."""
        self.begin()
        for cause, stage in (("", ""), ("nonsense", ""), ("resin-fouled", "uv"), ("x" * 500, "")):
            answer = self.client.post(self.where("logbook-say"), {"cause": cause, "stage": stage, "verdict": "dismiss", "reason": "so"})
            self.assertEqual(answer.status_code, 422, cause)
        CauseNote.objects.create(log=JobLog.objects.get(), cause="", verdict="dismiss", reason="old", on=ago(3), by_name="dora")
        self.assertEqual(self.client.get(self.where("logbook")).status_code, 200)

    def test_a_log_file_with_what_cannot_be_stored(self) -> None:
        self.begin()
        text = '{"format": "cairn-log/1", "started_on": "2025-01-01", "entries": [{"on": "2025-02-01", "note": "a\\u0000b"}]}'
        with self.assertRaisesMessage(services.Refused, "cannot be kept"):
            services.take_document(self.job, text, self.designer)

    def test_a_table_of_nine_thousand_columns(self) -> None:
        self.begin()
        wide = "date\t" + "\t".join(f"c{i}" for i in range(9000)) + "\n2025-01-01\t" + "\t".join("1" for _ in range(9000))
        self.assertContains(self.client.post(self.where("logbook-table"), {"rows": wide}), "more than 100 columns", status_code=422)

    def test_a_line_of_a_quarter_of_a_megabyte(self) -> None:
        """Refused unread, beside the line, in a moment."""
        self.begin()
        self.assertContains(self.line("in 48 psi, " * 23_000), "this line is too long", status_code=422)

    def test_what_was_taken_away_meanwhile_is_not_our_failure(self) -> None:
        """A row that is gone between two looks at it is a page that says so."""
        client = Client(raise_request_exception=False)
        client.force_login(self.designer)
        with mock.patch("workbench.usecases.books.put_away", side_effect=LogEntry.DoesNotExist):
            self.assertEqual(client.post(self.where("logbook-put", 5), {}).status_code, 404)


class WithoutEnd(Logbook):
    """A log that a meter fills for years."""

    def device(self, days: int, *readings: dict[str, str], note: str = "") -> None:
        for number, each in enumerate(readings):
            body: dict[str, Any] = {"readings": each} | ({"note": note} if note else {})
            LogEntry.objects.create(log=JobLog.objects.get(), on=ago(days), body=body, key=f"d-{days}-{number}-{note}", by_name="device meter")

    def thinned(self) -> int:
        return thin(JobLog.objects.get(), ["stone", "softener", "five", "uv"], timezone.localtime())

    def test_old_days_are_kept_by_day(self) -> None:
        """46, 44, 48 psi: the middle one is the entry; 44, 46, 48 and three beside it. Of a running count the last. Twice thinned is once."""
        self.begin()
        self.device(
            10,
            {"five.pressure_in": "46 psi", "meter": "100 gal"},
            {"five.pressure_in": "44 psi", "meter": "130 gal"},
            {"five.pressure_in": "48 psi", "meter": "190 gal"},
        )
        self.assertEqual((self.thinned(), self.thinned()), (1, 0))
        (entry,) = LogEntry.objects.all()
        self.assertEqual(entry.body["readings"], {"five.pressure_in": "46 psi", "meter": "190 gal"})
        low, mean, high, count = entry.body["thinned"]["five.pressure_in"]
        self.assertEqual([round(each / 6.894757) for each in (low, mean, high)] + [count], [44, 46, 48, 3])
        jsonschema.validate(json.loads(self.client.get(self.where("logbook-file")).content), log_schema())
        self.assertIn("the middle of 3 that day", self.page())

    def test_days_that_cannot_be_read_never_stand_before_others(self) -> None:
        """A unit that the train no longer has wrote for more days than are thinned at once: the days after it are thinned all the same."""
        self.begin()
        for days in range(60, 60 - AT_ONCE - 2, -1):
            self.device(days, {"gone.pressure_in": "46 psi"}, {"gone.pressure_in": "44 psi"})
        self.device(10, {"five.pressure_in": "46 psi"}, {"five.pressure_in": "44 psi"})
        self.thinned()
        self.assertEqual(LogEntry.objects.filter(on=ago(10)).count(), 1)
        self.assertEqual(LogEntry.objects.exclude(on=ago(10)).count(), 2 * (AT_ONCE + 2))

    def test_busy_hours_of_new_days_are_kept_by_the_hour(self) -> None:
        """Twenty of 40 psi and ten of 43 in an hour that is over are one entry, the rest stays; once old all are one of the day.

        The mean is (20 × 40 + 10 × 43 + 46) ÷ 31 = 41.16 psi; in the middle stands 40.
        """
        self.begin()
        self.device(1, *({"five.pressure_in": f"{40 if number < 20 else 43} psi"} for number in range(30)))
        LogEntry.objects.update(made_at=timezone.now() - dt.timedelta(hours=4))
        self.device(0, {"five.pressure_in": "46 psi"})
        self.assertEqual((self.thinned(), self.thinned()), (1, 0))
        self.assertEqual(LogEntry.objects.count(), 2)
        self.assertIn("the middle of 30 that hour", self.page())
        LogEntry.objects.update(on=ago(10))
        self.assertEqual(self.thinned(), 1)
        (entry,) = LogEntry.objects.all()
        self.assertEqual(entry.body["readings"], {"five.pressure_in": "40 psi"})
        low, mean, high, count = entry.body["thinned"]["five.pressure_in"]
        self.assertEqual([round(each / 6.894757, 2) for each in (low, mean, high)] + [count], [40, 41.16, 46, 31])

    def test_a_log_is_read_once_for_what_stands_in_it(self) -> None:
        """Looked at again it is not read anew; an entry, one taken out, one put back for another: each is seen at once."""
        self.begin()
        self.line("in 46 psi, out 44", days=3)
        self.line("in 47 psi, out 44", days=2)
        first, second = LogEntry.objects.order_by("pk")
        self.page()
        with mock.patch("workbench.usecases.books.read_log", side_effect=AssertionError("read anew")):
            self.page()
        seen = []
        for gone in ((first, True), (second, True), (first, False)):
            services.put_away(self.job, gone[0].pk, gone[1])
            book = services.opened(self.job)
            assert book is not None
            seen.append([round(value.middle / 6.894757) for _, value in book.diagnosis.log.points.get("five.pressure_in", ())])
        self.assertEqual(seen, [[47], [], [46]])

    def test_what_people_wrote_and_new_days_stay(self) -> None:
        """An entry with a note, one of a person, and those of the last days are not touched."""
        self.begin()
        self.device(10, {"five.pressure_in": "46 psi"}, {"five.pressure_in": "44 psi"}, note="by hand")
        self.device(1, {"five.pressure_in": "46 psi"}, {"five.pressure_in": "44 psi"})
        for text in ("in 46 psi, out 44", "in 45 psi, out 43"):
            self.line(text, days=10)
        self.thinned()
        self.assertEqual(LogEntry.objects.count(), 6)

    def test_a_device_thins_as_it_writes(self) -> None:
        """Above so many entries each message thins what is old, and the log is worked out when somebody looks."""
        self.begin()
        self.device(9, *({"five.pressure_in": f"{40 + n % 7} psi"} for n in range(services.BUSY + 5)))
        with mock.patch("workbench.usecases.books.opened", side_effect=AssertionError("worked out")):
            services.add(self.job, [(ago(0), {"readings": {"five.pressure_in": "45 psi"}})], None, "k", by="device meter")
        self.assertEqual(LogEntry.objects.count(), 2)
        self.assertEqual(JobLog.objects.get().worked_for, "")

    def test_what_an_owner_writes_is_worked_out_at_once(self) -> None:
        """However long the log: nobody of the firm looks at it next."""
        self.begin()
        self.device(0, *({"five.pressure_in": f"{40 + n % 7} psi"} for n in range(services.BUSY + 5)))
        entry = (ago(0), {"readings": {"tap.e_coli": "present"}})
        services.add(self.job, [entry], None, "o", by="owner")
        log = JobLog.objects.get()
        self.assertEqual((log.worked_for, log.dangers > 0), (services.worked_for(self.job), True))

    def test_the_store_is_not_bounded_as_a_document_is(self) -> None:
        """More entries than a document may hold: the page, an entry, a device and the calendar still answer."""
        self.begin()
        for days in range(9, 3, -1):
            self.device(days, {"five.pressure_in": "46 psi"})
        with mock.patch("treatment.operation.maintenance.log.MOST", 3):
            self.assertEqual(self.client.get(self.where("logbook")).status_code, 200)
            self.assertEqual(self.line("hardness after softener 0").status_code, 302)
            self.assertEqual(self.client.get(reverse("calendar")).status_code, 200)

    def test_one_house_never_takes_the_calendar_with_it(self) -> None:
        self.begin()
        with mock.patch("workbench.usecases.books.opened", side_effect=RuntimeError("this house")):
            self.assertEqual(self.client.get(reverse("calendar")).status_code, 200)


class Phones(Logbook):
    def test_moments_beyond_any_clock(self) -> None:
        """Sent in the year 2199, done in 2001: kept with our own time, and no figure too large to store."""
        far = timezone.now().replace(year=2199), timezone.now().replace(year=2001)
        for number, (at, sent) in enumerate(((far[0], far[0]), (far[1], far[1]), (far[0], far[1]), (far[1], far[0]))):
            taken = starts.take(self.job, Told(f"far-{number}", "site/kit_check", "note", text="there", at=at, sent_at=sent), self.designer)
            self.assertFalse(taken.made.again)
        for event in self.job.start_run.events.all():
            self.assertLess(abs((event.at - timezone.now()).total_seconds()), 3600)


class Pictures(TestCase):
    def test_what_a_camera_wrote_wrong_does_not_matter(self) -> None:
        """An orientation that is text, tags that end in nothing: the picture is taken for what it is."""
        plain = picture(size=(60, 40), exif=False)
        head = b"Exif\x00\x00II*\x00\x08\x00\x00\x00"
        for tags in (struct.pack("<HHHII", 1, 0x0112, 2, 9999, 0xFFFFFF) + b"\x00" * 4, b"\xff\xff" + b"\x01" * 30, b""):
            block = head + tags
            odd = plain[:2] + b"\xff\xe1" + struct.pack(">H", len(block) + 2) + block + plain[2:]
            made = made_plain(odd)
            self.assertEqual((made.width, made.height), (60, 40))

    def test_it_is_opened_in_a_process_of_its_own(self) -> None:
        """The worker only passes bytes on; what the process cannot take is told."""
        with mock.patch("PIL.Image.open", side_effect=AssertionError("opened here")):
            made = photo(picture(size=(60, 40), exif=False))
        self.assertEqual((made.width, made.height), (60, 40))
        for raw in (b"", b"text", picture(size=(60, 40), exif=False)[:200], b"\x89PNG\r\n\x1a\n" + b"\x00" * 50):
            with self.assertRaises(NoPhoto):
                photo(raw)
