"""Designs are remembered by firm, and no more of them than is said."""

from __future__ import annotations

import datetime as dt
import json
import tracemalloc
from unittest import TestCase, mock

from django.urls import reverse

from treatment.tests.example import job
from treatment.year.asked import YearAsked

from ..records.train import TrainOption
from ..repository.door import store
from ..repository.remembered import DESIGNS, FIRMS, of_firm
from ..usecases.warming import warm
from .base import WorkbenchTestCase


class ByFirm(TestCase):
    def text(self, name: str) -> str:
        return json.dumps(job({"job": {"name": name}}))

    def test_one_firm_never_pushes_out_another(self) -> None:
        """However many jobs a firm opens, the other's design is still the one that was worked out."""
        mine = of_firm(-1).design(self.text("mine"), "2026-05-04")
        for i in range(DESIGNS + 3):
            of_firm(-2).design(self.text(f"theirs {i}"), "2026-05-04")
        self.assertIs(of_firm(-1).design(self.text("mine"), "2026-05-04"), mine)
        self.assertIsNot(of_firm(-1).design(self.text("mine"), "2026-05-05"), mine)

    def test_the_whole_has_an_end(self) -> None:
        """The firm asked for longest ago is forgotten."""
        first = of_firm(-100)
        for i in range(FIRMS):
            of_firm(-101 - i)
        self.assertIsNot(of_firm(-100), first)


class Warm(WorkbenchTestCase):
    def test_a_process_that_was_just_begun_has_worked_out_what_was_looked_at_last(self) -> None:
        """After warming, the pages of the job plan nothing anew; with no time nothing is done; a train that cannot be read stops nobody."""
        of_firm.cache_clear()
        self.assertEqual(warm(-1), 0)
        TrainOption.objects.create(job=store(job(), self.workspace, self.designer)).revisions.create(
            number=0, stages=[{"kind": "no such unit"}], summary=""
        )
        self.assertEqual(warm(60), 1)
        with mock.patch("workbench.repository.remembered.design", side_effect=AssertionError("planned in a request")):
            for name in ("train", "year", "wall"):
                self.assertEqual(self.client.get(reverse(name, args=[self.job.pk])).status_code, 200)

    def test_a_kept_year_is_light(self) -> None:
        """A year of the acid well weighs some 7 MB; with the waters of its walk it was four times that."""
        worked = of_firm(-9).design(json.dumps(job()), "2026-05-04")
        of_firm(-9).lived(worked, YearAsked(dt.date(2026, 5, 4)))
        tracemalloc.start()
        kept = of_firm(-9).lived(worked, YearAsked(dt.date(2026, 5, 5)))
        weight = tracemalloc.get_traced_memory()[0]
        tracemalloc.stop()
        self.assertLess(weight, 12e6)
        self.assertTrue(kept.came.year.days)
