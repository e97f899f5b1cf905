"""Kits, tables, bases and the firm: what the water bench keeps, and what it refuses."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace

from django.urls import reverse
from django.utils import timezone

from treatment.evidence.kits import kits
from workbench.records.job import Job
from workbench.records.sample import FirmKit, KitRun, KitSession, ReportLayout, Sample
from workbench.records.sample import Reading as KeptReading
from workbench.repository.door import design_of
from workbench.samples.kit_services import rows_of
from workbench.usecases.firm_kits import kits_of, offered
from workbench.usecases.vials import vials

from ..accounts.views import stands
from .base import WorkbenchTestCase, read
from .test_reports import REPORT, spreadsheet


class KitTestCase(WorkbenchTestCase):
    def begin(self, kit: str = "well", point: str = "raw") -> KitSession:
        self.client.post(reverse("kit-open", args=[self.job.pk]), {"kit": kit, "point": point})
        return KitSession.objects.order_by("-pk")[0]

    def act(self, session: KitSession, test: str, act: str, **data: object):  # noqa: ANN201
        return self.client.post(reverse(f"kit-{act}", args=[self.job.pk, session.pk, test]), data, headers={"HX-Request": "true"})


class Reading(KitTestCase):
    def test_a_pad_becomes_an_interval_in_a_sample_of_its_own(self) -> None:
        """Between 120 and 250: stored as that, measured by strip, apart from the laboratory's sample."""
        session = self.begin()
        self.act(session, "hardness", "start")
        self.act(session, "hardness", "answer", pad="3-4")
        session.refresh_from_db()
        reading = session.sample.readings.get()
        self.assertEqual((reading.analyte, reading.low, reading.high, session.sample.method), ("hardness", 120, 250, "strip"))
        self.assertEqual(Sample.objects.filter(job=self.job).count(), 2)

    def test_a_second_start_does_not_reset_the_timer(self) -> None:
        """Two taps, or two phones: the first start counts."""
        session = self.begin()
        self.act(session, "iron", "start")
        first = KitRun.objects.get().started_at
        self.act(session, "iron", "start")
        self.assertEqual(KitRun.objects.get().started_at, first)

    def test_the_clock_is_the_stored_start(self) -> None:
        """Half a minute after the start, iron (2 min) has a minute and a half to wait, whoever asks."""
        session = self.begin()
        begun = timezone.now()
        KitRun.objects.create(session=session, test="iron", started_at=begun)
        row = next(row for row in rows_of(session, begun + dt.timedelta(seconds=30)) if row.test.key == "iron")
        self.assertEqual((row.phase, row.seconds_left, row.left_words), ("wait", 90, "1:30"))

    def test_a_late_colour_is_kept_and_marked(self) -> None:
        """Read after its time, the answer stands with a note."""
        session = self.begin()
        KitRun.objects.create(session=session, test="hardness", started_at=timezone.now() - dt.timedelta(minutes=5))
        page = self.act(session, "hardness", "answer", pad="3")
        self.assertContains(page, "read late")
        session.refresh_from_db()
        self.assertIn("read late", session.sample.readings.get().note)

    def test_nothing_chosen_is_told_and_nothing_kept(self) -> None:
        """An empty, an impossible and a foreign answer."""
        session = self.begin()
        for data in ({}, {"pad": "0-3"}, {"pad": "x"}, {"pad": "99"}):
            self.assertContains(self.act(session, "hardness", "answer", **data), "Tap the step", status_code=422)
        self.assertFalse(Sample.objects.filter(job=self.job, method="strip").exists())
        self.assertEqual(self.act(session, "nosuch", "start").status_code, 404)

    def test_done_again_replaces_the_answer(self) -> None:
        """The first answer goes, the second stays."""
        session = self.begin()
        self.act(session, "hardness", "answer", pad="1")
        self.act(session, "hardness", "again")
        session.refresh_from_db()
        self.assertEqual(session.sample.readings.count(), 0)
        self.act(session, "hardness", "answer", pad="2")
        self.assertEqual(session.sample.readings.get().typed, "37.5..85 mg/L as CaCO3")

    def test_site_tests_become_observations_and_readings(self) -> None:
        """A smell changes what was seen; a meter's figures become a field sample; a wrong figure is told beside it."""
        session = self.begin("site")
        self.act(session, "smell", "answer", outcome="both")
        self.job.survey.refresh_from_db()
        self.assertIn("rotten_egg_cold", self.job.survey.observations)
        self.assertContains(self.act(session, "on_site", "answer", ph="6.2", temperature="11 bananas"), "bananas", status_code=422)
        self.act(session, "on_site", "answer", ph="6.2", temperature="11 °C")
        session.refresh_from_db()
        self.assertEqual({reading.analyte for reading in session.sample.readings.all()}, {"ph", "temperature"})
        self.assertEqual(session.sample.method, "field")

    def test_a_vial_reports_itself_on_the_job_list(self) -> None:
        """Waiting, due, overdue; answered, it is gone."""
        session = self.begin()
        run = KitRun.objects.create(session=session, test="bacteria", started_at=timezone.now() - dt.timedelta(hours=47))
        self.assertContains(self.client.get("/"), "Bacteria vial")
        now = run.started_at
        for hours, wanted in ((47, "wait"), (49, "ready"), (73, "late")):
            self.assertEqual(vials([self.job], now + dt.timedelta(hours=hours))[self.job.pk][0].phase, wanted)
        self.act(session, "bacteria", "answer", outcome="yellow")
        self.assertNotContains(self.client.get("/"), "Bacteria vial")
        self.assertTrue(design_of(Job.objects.get(pk=self.job.pk), None).proposal.warnings)

    def test_every_test_of_every_kit_can_be_shown(self) -> None:
        """Pages of new, running and answered sessions come without an error."""
        for kit in kits().values():
            session = self.begin(kit.key)
            for test in kit.tests:
                self.assertEqual(self.act(session, test.key, "start").status_code, 200)
                self.assertContains(self.client.get(reverse("kit-session", args=[self.job.pk, session.pk])), test.title)


class Table(WorkbenchTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sample = Sample.objects.get(job=self.job)
        self.address = reverse("readings-table", args=[self.job.pk, self.sample.pk])
        stored = {reading.analyte: reading.typed for reading in self.sample.readings.all()}
        self.data = stored | {f"was-{name}": text for name, text in stored.items()}

    def test_fields_are_kept_changed_and_emptied(self) -> None:
        """A new reading, a changed one, and one taken out, in one go."""
        self.client.post(self.address, self.data | {"sulfate": "30 mg/L", "iron": "3 mg/L", "uvt": ""})
        stored = {reading.analyte: reading.typed for reading in self.sample.readings.all()}
        self.assertEqual((stored["sulfate"], stored["iron"], "uvt" in stored), ("30 mg/L", "3 mg/L", False))

    def test_one_bad_field_keeps_everything_typed_and_stores_nothing(self) -> None:
        """The message stands beside the field."""
        page = self.client.post(self.address, self.data | {"sulfate": "30 mg/L", "nitrite": "much"})
        self.assertContains(page, 'value="much"', status_code=422)
        self.assertContains(page, 'value="30 mg/L"', status_code=422)
        self.assertFalse(self.sample.readings.filter(analyte="sulfate").exists())

    def test_two_people_in_one_field(self) -> None:
        """The second is told what the first wrote; other fields do not collide."""
        self.client.post(self.address, self.data | {"iron": "3 mg/L"})
        page = self.client.post(self.address, self.data | {"iron": "4 mg/L"})
        self.assertContains(page, "Someone else entered “3 mg/L”", status_code=422)
        self.client.post(self.address, self.data | {"sulfate": "30 mg/L"})
        self.assertEqual(self.sample.readings.get(analyte="iron").typed, "3 mg/L")


class Basis(WorkbenchTestCase):
    def save(self, **values: object):  # noqa: ANN201
        return self.client.post(reverse("water-basis", args=[self.job.pk]), {"analyte": "iron", "version": Job.objects.get().version} | values)

    def setUp(self) -> None:
        super().setUp()
        second = Sample.objects.create(job=self.job, taken_on=dt.date(2026, 8, 1), point="raw")
        self.client.post(reverse("readings-add", args=[self.job.pk, second.pk]), {"line": "iron 1 mg/L"})

    def iron(self) -> float:
        return design_of(Job.objects.get(pk=self.job.pk), None).evidence.states["iron"].design

    def test_latest_instead_of_worst_and_back(self) -> None:
        """2.4 in May, 1.0 in August."""
        self.assertAlmostEqual(self.iron(), 2.4)
        self.save(by="latest", reason="new pump")
        self.assertAlmostEqual(self.iron(), 1.0)
        self.save(by="worst")
        self.assertAlmostEqual(self.iron(), 2.4)

    def test_by_hand_needs_value_and_reason(self) -> None:
        """Both are told beside their fields, what was typed stays."""
        page = self.save(by="chosen", value="6 apples")
        self.assertContains(page, "needs a reason", status_code=422)
        self.assertContains(page, 'value="6 apples"', status_code=422)
        self.assertEqual(self.save(by="chosen", value="6 mg/L", reason="neighbour").status_code, 302)
        self.assertAlmostEqual(self.iron(), 6.0)
        self.assertContains(self.client.get(reverse("water-history", args=[self.job.pk])), "a manual value")

    def test_a_stale_choice_is_refused_and_kept_in_the_form(self) -> None:
        """Saved by somebody else meanwhile: told, nothing written, one more click keeps it."""
        self.assertContains(self.save(by="latest", reason="mine", version=0), 'value="mine"', status_code=409)
        self.assertAlmostEqual(self.iron(), 2.4)

    def test_a_value_without_a_test_replaces_an_assumption(self) -> None:
        """Sulfate was never measured: 40 mg/L by hand, with its reason; emptied, it is gone; nonsense is told beside the field."""
        address = reverse("water-value", args=[self.job.pk])

        def send(**data: object):  # noqa: ANN202
            return self.client.post(address, {"version": Job.objects.get().version, "analyte": "so4"} | data)

        self.assertContains(send(value="40 mg/L"), "needs a reason", status_code=422)
        self.assertContains(send(analyte="unobtainium", value="1"), "This analyte is not known", status_code=422)
        send(value="40 mg/L", reason="the county map")
        states = design_of(Job.objects.get(pk=self.job.pk), None).evidence.states
        self.assertEqual((states["sulfate"].design, states["sulfate"].origin), (40, "manual value"))
        self.assertContains(self.client.get(reverse("water-history", args=[self.job.pk])), "the county map")
        send(value="")
        self.assertNotEqual(design_of(Job.objects.get(pk=self.job.pk), None).evidence.states["sulfate"].origin, "chosen by hand")


class Shown(WorkbenchTestCase):
    def test_what_the_water_says(self) -> None:
        """Health first, the warning above it, figures with units, and no promise."""
        text = read(self.client.get(reverse("water-says", args=[self.job.pk])))
        places = [text.index(words) for words in ("Boil water", "> Health <", "> Pipes, heater and equipment <", "> Comfort <")]
        self.assertEqual(places, sorted(places))
        self.assertIn("2.4 mg/L", text)
        self.assertIn("A calculation does not make water safe", text)

    def test_the_firm_sets_what_new_jobs_start_from(self) -> None:
        """A default standard and units; a viewer may not; a stale form is told."""
        data = {"name": "Ours", "standard": "uk", "units": "metric", "was": stands(self.workspace)}
        self.assertRedirects(self.client.post(reverse("firm"), data), "/")
        self.client.post(reverse("job-new"), {"name": "New one"})
        self.assertEqual(list(Job.objects.filter(name="New one").values_list("standard", "units")), [("uk", "metric")])
        self.assertContains(self.client.post(reverse("firm"), data), "Someone else changed", status_code=409)
        self.client.force_login(self.viewer)
        self.assertEqual(self.client.post(reverse("firm"), data).status_code, 403)

    def test_the_bags_of_the_firm(self) -> None:
        """50 lb bags are counted in every job's list; what is no size of a bag is refused beside its field and stays typed."""
        data = {"name": "Ours", "standard": "us", "units": "us", "was": stands(self.workspace)}
        for typed in ("heavy", "3 oz", "-2 lb"):
            self.assertContains(self.client.post(reverse("firm"), data | {"salt_bag": typed}), f'value="{typed}"', status_code=422)
        self.assertRedirects(self.client.post(reverse("firm"), data | {"salt_bag": "50 lb", "media_bag": "0.5 ft3"}), "/")
        page = self.client.get(reverse("materials", args=[self.job.pk]))
        self.assertContains(page, "bags of 50 lb")
        self.assertContains(page, "bags of 0.50 ft³")
        self.assertContains(self.client.get(reverse("firm")), 'value="50 lb"')


class Remembered(WorkbenchTestCase):
    def test_a_layout_is_remembered(self) -> None:
        """A bare hardness given its unit and a row left aside once are read so the next time."""
        rows = [[*row] for row in REPORT]
        first = self.client.post(
            reverse("report-preview", args=[self.job.pk]), {"rows": "\n".join("\t".join(map(str, row)) for row in rows)}, follow=True
        )
        rows = first.context["samples"][0].rows
        data = {"count": len(rows), "take-0": "1", "new0-point": "raw", "header": first.context["header"], "remember": "1"}
        for row in rows:
            said = {"name": row.name, "text": row.text, "was": row.was, "key": row.key, "was_key": row.was_key, "why": row.why}
            data |= {f"{part}-{row.number}": value for part, value in said.items()}
        data["unit-1"] = "gpg"
        self.assertEqual(self.client.post(reverse("report-keep", args=[self.job.pk]), data).status_code, 302)
        self.assertEqual(ReportLayout.objects.get().names["hardness"], ["hardness", "gpg"])
        again = self.client.post(
            reverse("report-preview", args=[self.job.pk]),
            {"rows": "Parameter\tResult\tUnit\nHardness\t15\t\nMystery\t4\tmg/L\nIron\t1\tmg/L"},
            follow=True,
        )
        self.assertEqual(
            [(row.key, row.text) for row in again.context["samples"][0].rows], [("hardness", "15 gpg"), ("", "4 mg/L"), ("iron", "1 mg/L")]
        )
        self.assertContains(again, "as in the saved layout")

    def test_another_firm_does_not_see_it(self) -> None:
        """What a firm taught belongs to it."""
        ReportLayout.objects.create(workspace=self.stranger.memberships.get().workspace, header="parameter | result | unit", names={"iron": ["", ""]})
        page = self.client.post(reverse("report-preview", args=[self.job.pk]), {"file": self.file()}, follow=True)
        self.assertEqual(page.context["samples"][0].rows[0].key, "iron")

    def file(self):  # noqa: ANN201
        from django.core.files.uploadedfile import SimpleUploadedFile

        return SimpleUploadedFile("r.xlsx", spreadsheet(REPORT))


class OfTheFirm(WorkbenchTestCase):
    """A kit that a firm copied and changed."""

    def setUp(self) -> None:
        super().setUp()
        self.client.post(reverse("firm-kit-copy"), {"kit": "well"})
        self.kit = FirmKit.objects.get()

    def typed(self, **changes: str) -> dict[str, str]:
        """What the page would send as it stands."""
        rows = self.client.get(reverse("firm-kit", args=[self.kit.pk])).context["rows"]
        data = {"version": str(self.kit.version), "name": self.kit.name, "blind": self.kit.row["blind"]}
        for row in rows:
            data |= (
                {f"keep-{row['test'].key}": "1"}
                | {time["name"]: time["value"] for time in row["times"]}
                | ({row["pads"]: row["chart"]} if row["pads"] else {})
            )
        return data | changes

    def save(self, **changes: str):  # noqa: ANN201
        return self.client.post(reverse("firm-kit", args=[self.kit.pk]), self.typed(**changes))

    def test_as_it_stands_it_is_the_shipped_one(self) -> None:
        """Saved without a change, every test has its pads and its times; the shipped kit carries copper, lead and chlorine."""
        self.assertEqual(self.save().status_code, 302)
        ours, theirs = kits_of(self.workspace.pk)[self.kit.key], kits()["well"]
        self.assertEqual([replace(test) for test in ours.tests], list(theirs.tests))
        self.assertLessEqual({"copper", "lead", "total_chlorine", "free_chlorine"}, {test.key for test in theirs.tests})
        self.assertIn("A hint", theirs.test("bacteria").blind)  # type: ignore[union-attr]

    def test_pads_colours_in_words_and_waits(self) -> None:
        """The firm's own strip is read by its own chart: 0.4, between 0.3 and 0.5, after its own wait."""
        chart = "0 white\n0.3 #f0d0d0 pale pink\n0.5 pink\n1 deep pink"
        self.assertEqual(self.save(**{"pads-iron": chart, "wait-iron": "1:30", "keep-copper": "", "name": "Larkfell strips"}).status_code, 302)
        ours = kits_of(self.workspace.pk)[self.kit.key]
        iron = ours.test("iron")
        assert iron is not None
        self.assertEqual((ours.name, iron.wait, ours.test("copper")), ("Larkfell strips", 90.0, None))
        self.assertEqual([(pad.value, pad.colour, pad.words) for pad in iron.pads][1:3], [(0.3, "#f0d0d0", "pale pink"), (0.5, "#ffffff", "pink")])
        self.client.post(reverse("kit-open", args=[self.job.pk]), {"kit": self.kit.key, "point": "raw"})
        session = KitSession.objects.get()
        self.client.post(reverse("kit-answer", args=[self.job.pk, session.pk, "iron"]), {"pad": "1-2"})
        kept = KeptReading.objects.get(sample=KitSession.objects.get().sample, analyte="iron")
        self.assertEqual((kept.low, kept.high), (0.3, 0.5))
        self.assertContains(self.client.get(reverse("kits", args=[self.job.pk])), "Larkfell strips")

    def test_what_cannot_be_kept_stands_beside_its_field(self) -> None:
        """A chart that runs down, a wait of nonsense, no name, no test: told, everything stays typed, nothing is changed."""
        for changes, words in (
            ({"pads-iron": "1 pink\n0.5 pale"}, "is not above the step before it"), ({"pads-iron": "pink"}, "is not a step"), ({"wait-iron": "soon"}, "soon"),
            ({"name": " "}, "Enter the name"), ({f"keep-{test.key}": "" for test in kits()["well"].tests}, "Keep at least one test"),
        ):  # fmt: skip
            answer = self.save(**changes)
            self.assertContains(answer, words, status_code=422)
        self.assertEqual(FirmKit.objects.get().version, 1)
        self.assertEqual(self.save(version="0").status_code, 409)

    def test_two_on_one_kit(self) -> None:
        """One changes the wait of iron, the other its dip and the name: all stand. Both change the name: told beside it alone, and saving again keeps it."""
        page = self.client.get(reverse("firm-kit", args=[self.kit.pk]))
        shown = {"shown": page.context["shown"], "version": "1"}
        self.assertEqual(self.save(**{"wait-iron": "90 s"}, **shown).status_code, 302)
        self.assertEqual(self.save(**{"dip-iron": "4 s", "name": "Larkfell strips"}, **shown).status_code, 302)
        iron = kits_of(self.workspace.pk)[self.kit.key].test("iron")
        assert iron is not None
        self.assertEqual((iron.wait, iron.dip), (90.0, 4.0))
        late = self.save(name="Becklow strips", **{"wait-copper": "70 s"}, **shown)
        self.assertContains(late, "Someone else changed this to “Larkfell strips” since you opened it", 1, status_code=409)
        self.assertContains(late, "Becklow strips", status_code=409)
        fields = {row["name"]: row["value"] for test in late.context["rows"] for row in test["times"]}
        self.assertEqual((fields["wait-iron"], fields["wait-copper"]), ("1:30", "70 s"))
        again = self.save(name="Becklow strips", **fields, shown=late.context["shown"], version=str(FirmKit.objects.get().version))
        self.assertEqual(again.status_code, 302)
        self.assertEqual(FirmKit.objects.get().name, "Becklow strips")

    def test_it_belongs_to_the_firm(self) -> None:
        """Nobody else sees it; no longer offered, what was begun with it still opens."""
        self.client.post(reverse("kit-open", args=[self.job.pk]), {"kit": self.kit.key})
        self.client.post(reverse("firm-kit", args=[self.kit.pk]), {"retire": "1"})
        self.assertNotIn(self.kit.key, [kit.key for kit in offered(self.workspace.pk)])
        session = KitSession.objects.get()
        self.assertEqual(self.client.get(reverse("kit-session", args=[self.job.pk, session.pk])).status_code, 200)
        self.client.force_login(self.stranger)
        self.assertEqual(self.client.get(reverse("firm-kit", args=[self.kit.pk])).status_code, 404)
