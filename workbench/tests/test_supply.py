"""Measuring by taps, pump and tank, and what if: kept, averaged, refused in words."""

from __future__ import annotations

import datetime as dt

from django.urls import reverse
from django.utils import timezone

from treatment.language.quantity import unit_named
from workbench.records.job import SupplyRun
from workbench.supplies.gauge import note
from workbench.supplies.services import averaged, rows_of, tap

from ..outcome import Refused
from .base import WorkbenchTestCase

GPM = unit_named("gpm", "flow").factor


class Runs(WorkbenchTestCase):
    def run_of(self, kind: str, seconds: tuple[float, ...], volume: float | None) -> SupplyRun:
        start = timezone.now() - dt.timedelta(hours=1)
        marks = [(start + dt.timedelta(seconds=sum(seconds[:i]))).isoformat() for i in range(len(seconds) + 1)]
        return SupplyRun.objects.create(job=self.job, kind=kind, marks=marks, volume_l=volume, typed="x" if volume else "")

    def test_a_drawdown_counts_the_recovery_only(self) -> None:
        """20 L drawn in 40 s and filled again by the pump in 60 s: the pump gives 20 L/min."""
        self.run_of("drawdown", (40, 60), 20.0)
        (row,) = rows_of(self.job, timezone.now())
        self.assertAlmostEqual(row.flow or 0, 20.0)

    def test_runs_are_averaged_and_a_wide_spread_is_said(self) -> None:
        """20 L in 60 s and in 40 s: 20 and 30 L/min, mean 25, each 20 % away."""
        self.run_of("bucket", (60,), 20.0)
        self.run_of("bucket", (40,), 20.0)
        spread = averaged(rows_of(self.job, timezone.now()))
        assert spread is not None
        self.assertAlmostEqual(spread.mean.value, 25.0)
        self.assertAlmostEqual(spread.off, 0.2)
        self.assertContains(self.client.get(reverse("measure", args=[self.job.pk])), "differ too much")

    def test_a_double_tap_counts_once(self) -> None:
        """A second tap that still knows the old count changes nothing; one too soon is refused; a second run waits for the first."""
        now = timezone.now()
        tap(self.job, "drawdown", None, 0, now)
        run = self.job.supply_runs.get()
        with self.assertRaisesMessage(Refused, "two seconds"):
            tap(self.job, "drawdown", run.pk, 1, now + dt.timedelta(seconds=1))
        tap(self.job, "drawdown", run.pk, 1, now + dt.timedelta(seconds=30))
        tap(self.job, "drawdown", run.pk, 1, now + dt.timedelta(seconds=34))
        run.refresh_from_db()
        self.assertEqual(len(run.marks), 2)
        with self.assertRaisesMessage(Refused, "still in progress"):
            tap(self.job, "bucket", None, 0, now)

    def test_the_mean_becomes_the_flow_and_a_stale_one_does_not(self) -> None:
        """What is used is what was shown; after someone else's change it is refused, and nothing is written."""
        self.run_of("bucket", (60,), 30.0)
        address = reverse("measure", args=[self.job.pk])
        self.assertEqual(self.client.post(address, {"action": "use", "version": 0}).status_code, 409)
        self.job.survey.refresh_from_db()
        self.assertAlmostEqual(self.job.survey.flow_l_min or 0, 7 * GPM)
        self.assertRedirects(self.client.post(address, {"action": "use", "version": self.job.version}), reverse("supply", args=[self.job.pk]))
        self.job.survey.refresh_from_db()
        self.assertAlmostEqual(self.job.survey.flow_l_min or 0, 30.0)

    def test_nonsense_is_refused_in_words(self) -> None:
        """An unknown act, a run of nobody, a volume beyond reason: a message, never an error page."""
        run = self.run_of("bucket", (60,), None)
        address = reverse("measure", args=[self.job.pk])
        for values in ({"action": "fly"}, {"action": "volume", "run": "999999999", "volume": "5 gal"}, {"action": "volume", "run": run.pk, "volume": "0 L"},
                       {"action": "use", "version": "x"}, {"action": "tap", "run": "-1", "count": "zwei"}):  # fmt: skip
            self.assertIn(self.client.post(address, values).status_code, (302, 422), values)
        run.refresh_from_db()
        self.assertIsNone(run.volume_l)


class GaugeReadings(WorkbenchTestCase):
    def tell(self, pressure: str, period: str = "day", status: int = 200):  # noqa: ANN201
        values = {"action": "gauge", "pressure": pressure, "period": period}
        response = self.client.post(reverse("measure", args=[self.job.pk]), values, headers={"HX-Request": "true"})
        self.assertEqual(response.status_code, status)
        return response

    def test_day_and_night_are_told_apart_and_become_the_supply(self) -> None:
        """48 and 61 psi by day, 83 at night: cut-in 48, cut-out 61, night 83 psi (572 kPa), and the planner answers the night with a valve."""
        for pressure, period in (("61 psi", "day"), ("48 psi", "day"), ("83 psi", "night"), ("79 psi", "night")):
            page = self.tell(pressure, period)
        self.assertContains(page, "Highest at night")
        self.job.refresh_from_db()
        self.client.post(reverse("measure", args=[self.job.pk]), {"action": "use_gauge", "version": self.job.version})
        document = self.client.get(reverse("job-export", args=[self.job.pk])).json()
        told = [document["supply"][name] for name in ("pressure_low", "pressure_high", "night_pressure")]
        self.assertEqual(told, ["48 psi", "61 psi", "83 psi"])
        self.assertContains(self.client.get(reverse("train", args=[self.job.pk])), 'id="stage-pressure_reducing_valve"')

    def test_what_was_not_read_stays(self) -> None:
        """Only a reading at night: the pressures by day keep what the survey says."""
        self.tell("70 psi", "night")
        low = self.job.survey.pressure_low_kpa
        self.job.refresh_from_db()
        self.client.post(reverse("measure", args=[self.job.pk]), {"action": "use_gauge", "version": self.job.version})
        self.job.survey.refresh_from_db()
        self.assertEqual(self.job.survey.pressure_low_kpa, low)
        self.assertAlmostEqual(self.job.survey.night_pressure_kpa or 0, 70 * 6.894757, places=2)

    def test_the_clock_decides_where_it_is_asked_to(self) -> None:
        """A quarter past eleven in the evening is night, noon is day."""
        for hour, night in ((23, True), (5, True), (12, False)):
            note(self.job, "50 psi", "now", timezone.make_aware(dt.datetime(2026, 5, 4, hour, 15)))
            self.assertEqual(self.job.pressure_readings.latest("pk").night, night)

    def test_nonsense_and_a_stale_use_are_refused(self) -> None:
        """What was typed stays beside its message; nothing is stored; nothing read cannot be used."""
        address = reverse("measure", args=[self.job.pk])
        self.assertEqual(self.client.post(address, {"action": "use_gauge", "version": self.job.version}).status_code, 422)
        for pressure, period in (("lots", "day"), ("7 gpm", "day"), ("0 psi", "day"), ("1e9 psi", "day"), ("50 psi", "dusk")):
            self.assertContains(self.tell(pressure, period, 422), pressure, status_code=422)
        self.assertFalse(self.job.pressure_readings.exists())
        self.tell("50 psi")
        self.assertEqual(self.client.post(address, {"action": "use_gauge", "version": 0}).status_code, 409)
        reading = self.job.pressure_readings.get()
        self.client.post(address, {"action": "drop_gauge", "reading": reading.pk})
        self.assertFalse(self.job.pressure_readings.exists())


class PumpAndTank(WorkbenchTestCase):
    VALUES = {"shut_off": "80 psi", "best_flow": "10 gpm", "best_pressure": "50 psi", "pressure_tank": "20 gal"}

    def save(self, **values: str) -> int:
        self.job.refresh_from_db()
        return self.client.post(reverse("supply-pump", args=[self.job.pk]), {"version": self.job.version} | self.VALUES | values).status_code

    def test_a_curve_is_kept_in_the_job_file_and_reckoned_with(self) -> None:
        """80 psi at no flow, 50 at 10 gpm: the document has it; 20 gal between 40 and 60 psi gives 5 gal back."""
        self.assertEqual(self.save(), 302)
        document = self.client.get(reverse("job-export", args=[self.job.pk])).json()
        self.assertEqual(document["supply"]["pump"]["shut_off"], "80 psi")
        page = self.client.get(reverse("supply", args=[self.job.pk]))
        self.assertContains(page, "Flow with taps fully open")
        # 75.7 L x (363/377 - 363/515) in kPa is 19.5 L: 5.2 gal
        self.assertContains(page, "5.2 gal")

    def test_a_curve_by_points_comes_back_as_typed(self) -> None:
        """Kept in the job file point by point; a piece that is no point, a bad unit or a single point is refused beside the field."""
        typed = "3 gpm at 85 psi; 6 gpm at 70 psi; 9 gpm at 50 psi"
        blank = {"shut_off": "", "best_flow": "", "best_pressure": ""}
        self.assertEqual(self.save(**blank, points=typed), 302)
        document = self.client.get(reverse("job-export", args=[self.job.pk])).json()
        self.assertEqual(document["supply"]["pump"]["points"][1], {"flow": "6 gpm", "pressure": "70 psi"})
        page = self.client.get(reverse("supply", args=[self.job.pk]))
        self.assertContains(page, typed)
        self.assertContains(page, "Flow with taps fully open")
        for bad in ("fast; slow", "3 gpm at 85 apples; 6 gpm at 70 psi", "3 gpm at 85 psi"):
            self.assertEqual(self.save(**blank, points=bad), 422, bad)

    def test_a_half_told_curve_and_a_bad_unit_are_refused_beside_the_field(self) -> None:
        """What was typed stays; what is sound beside it is stored, and the pages stand."""
        self.assertEqual(self.save(best_flow=""), 422)
        self.job.refresh_from_db()
        response = self.client.post(
            reverse("supply-pump", args=[self.job.pk]), {"version": self.job.version} | self.VALUES | {"shut_off": "80 apples"}
        )
        self.assertContains(response, "80 apples", status_code=422)
        self.job.survey.refresh_from_db()
        held = self.job.survey.rest["supply"]["pump"]
        self.assertEqual(("80 apples" in str(held), "best_flow" in held), (False, True))
        for name in ("supply", "train"):
            self.assertEqual(self.client.get(reverse(name, args=[self.job.pk])).status_code, 200)

    def test_a_stale_save_is_refused(self) -> None:
        """The other's change stays; what was typed is still on the page."""
        response = self.client.post(reverse("supply-pump", args=[self.job.pk]), {"version": 0} | self.VALUES)
        self.assertContains(response, "after you opened it", status_code=409)
        self.assertContains(response, "10 gpm", status_code=409)


class WhatIf(WorkbenchTestCase):
    def ask(self, **values: str) -> str:
        return self.client.get(reverse("supply-what-if", args=[self.job.pk]), values, headers={"HX-Request": "true"}).content.decode()

    def test_more_flow_leaves_less_and_nonsense_is_held(self) -> None:
        """Three times the flow through half the pipe starves the shower; values that cannot be fall back to the design's."""
        self.assertIn("Enough for a shower", self.ask(flow="5", size="1", dirt="0"))
        self.assertIn("Too little", self.ask(flow="50", size="0.5", dirt="100"))
        self.assertIn("gpm", self.ask(flow="nan", size="tall", dirt="-7"))


class Pipe(WorkbenchTestCase):
    PAGES = ("site", "water", "supply", "train", "wall", "commission", "logbook", "job-export")

    def answers(self) -> set[int]:
        return {self.client.get(reverse(name, args=[self.job.pk])).status_code for name in self.PAGES}

    def test_a_size_that_was_kept_before_it_was_asked_breaks_no_page(self) -> None:
        """26 mm of copper, as could be kept once: every page answers, the job is worked without it, the field still shows it."""
        survey = self.job.survey
        survey.pipe_material, survey.pipe_size_m, survey.typed = "copper", 0.026, survey.typed | {"pipe_size_m": "26 mm"}
        survey.save()
        self.assertEqual(self.answers(), {200})
        self.assertContains(self.client.get(reverse("supply", args=[self.job.pk])), 'value="26 mm"')

    def test_a_material_told_later_is_no_trap(self) -> None:
        """22 mm of copper is kept; told to be PEX it is refused beside its field with what is made, and every page answers."""
        for material, status in (("copper", 302), ("pex_crimp", 422)):
            self.job.refresh_from_db()
            sent = {"version": self.job.version, "pipe_material": material, "pipe_size_m": "22 mm"}
            told = self.client.post(reverse("supply", args=[self.job.pk]), sent)
            self.assertEqual(told.status_code, status)
        self.assertContains(told, "16, 20, 25, 32 mm", status_code=422)
        self.assertEqual(self.answers(), {200})
