"""What if: the equipment as it is sized, in another house, on harder water, with another dose or bed; a year of each."""

from __future__ import annotations

import datetime as dt
from typing import Any
from unittest import TestCase, mock

from ..design import Design
from ..year.figures import Came
from ..year.machine import Machine
from ..year.what_if import WhatIfYear
from .example import HARD_ONLY, job, worked
from .golden import frozen

START = dt.date(2026, 1, 1)


def hard(people: float = 4) -> Design:
    return worked(
        job({"building": {"people": people}}, readings=HARD_ONLY, train=[{"kind": "softener", "volume": "1.5 ft3", "salt_dose": "8 lb/ft3"}])
    )


def amount(text: str) -> float:
    """The number of a cell, hours as minutes."""
    number, _, unit = text.replace(",", "").partition(" ")
    return float(number) * (60 if unit == "h" else 1)


def after(asked: WhatIfYear, what: str, **moved: float) -> float:
    return next(amount(row.after) for row in asked.answer(moved) if row.what == what)


class Moved(TestCase):
    def test_nothing_moved_is_the_year_as_designed(self) -> None:
        """Both columns the same; the same salt as the year of the job's own train."""
        asked, design = WhatIfYear(hard(), START), hard()
        rows = asked.answer({})
        self.assertFalse(any(row.differs for row in rows))
        came = Came(Machine(design.chosen, START, 365, 1).run())
        self.assertAlmostEqual(amount(rows[0].before), came.totals["salt"].value * 2.2046, delta=1)
        self.assertFalse(any(row.differs for row in asked.answer({handle.name: handle.now for handle in asked.handles})))

    def test_people_change_the_house_not_the_equipment(self) -> None:
        """Eight people draw about twice what four do from the same resin: twice the salt, within a fifth; the year is that of a job of eight with this softener."""
        asked = WhatIfYear(hard(), START)
        four, eight = after(asked, "Salt a year"), after(asked, "Salt a year", people=8)
        self.assertAlmostEqual(eight / four, 2.0, delta=0.4)
        self.assertLess(after(asked, "Days between regenerations", people=8), after(asked, "Days between regenerations"))

    def test_a_heavier_dose_regenerates_less_often_and_takes_more_salt(self) -> None:
        """8 lb a cubic foot give 24 000 grains, 15 give 30 000: a quarter more capacity for 15 ÷ 8 of the salt, so 1.875 ÷ 1.25 = 1.5 times the salt a year."""
        asked = WhatIfYear(hard(), START)
        heavy = 15 * 16.018
        self.assertGreater(after(asked, "Days between regenerations", dose=heavy), 1.15 * after(asked, "Days between regenerations"))
        self.assertAlmostEqual(after(asked, "Salt a year", dose=heavy) / after(asked, "Salt a year"), 1.5, delta=0.1)

    def test_harder_water_passes_a_valve_that_was_not_told(self) -> None:
        """The valve keeps its setting: no more salt, more minutes of hardness; water half as hard is never worse."""
        asked = WhatIfYear(hard(), START)
        rows = {row.what: row for row in asked.answer({"hardness": 1.6})}
        self.assertFalse(rows["Salt a year"].differs)
        beyond = "Hardness beyond its limit at the taps"
        self.assertTrue(rows[beyond].differs and rows[beyond].after.endswith(" h"), rows[beyond])
        self.assertLessEqual(after(asked, beyond, hardness=0.5), amount(rows[beyond].before))

    def test_more_resin_lasts_longer(self) -> None:
        """Twice the resin, about twice the days between regenerations."""
        asked = WhatIfYear(hard(), START)
        volume = next(handle for handle in asked.handles if handle.name == "volume")
        ratio = after(asked, "Days between regenerations", volume=volume.now * 2) / after(asked, "Days between regenerations")
        self.assertAlmostEqual(ratio, 2.0, delta=0.5)

    def test_what_was_asked_lately_runs_no_year_again(self) -> None:
        """Back and forth between two values: two years beside the one as designed, and the same answers."""
        asked = WhatIfYear(worked(job(readings=HARD_ONLY)), START)
        with mock.patch("treatment.year.what_if.Machine", wraps=Machine) as machine:
            first = [asked.answer({"people": people}) for people in (5.0, 6.0)]
            again = [asked.answer({"people": people}) for people in (5.0, 6.0, 5.0)]
        self.assertEqual(again, [*first, first[0]])
        self.assertEqual(machine.call_count, 3)

    def test_what_is_asked_is_held_inside_its_ends(self) -> None:
        """A thousand people are twelve, less than half a step is nothing moved, and an unknown handle is not heard."""
        asked = WhatIfYear(hard(), START)
        self.assertEqual(asked.asked({"people": 1000.0, "beauty": 3.0, "hardness": 1.01}), {"people": 12.0})

    def test_a_house_beyond_the_ends_is_not_moved_by_itself(self) -> None:
        """No people, or two hundred: the handle reaches there, and as it is it counts as not moved."""
        for people in (0, 200):
            asked = WhatIfYear(hard(people), START)
            self.assertEqual(asked.asked({handle.name: handle.held(handle.now) for handle in asked.handles}), {})
            self.assertEqual(next(handle.now for handle in asked.handles if handle.name == "people"), people)
            self.assertTrue(asked.answer({"hardness": 1.2}))

    def test_only_what_a_job_has_can_be_moved(self) -> None:
        """No dose without a softener, no people where a business has none."""
        bare = WhatIfYear(worked(job(readings=HARD_ONLY, train=[{"kind": "sediment"}])), START)
        self.assertEqual([handle.name for handle in bare.handles], ["hardness", "people"])
        self.assertTrue(bare.answer({"people": 9.0}))


class AsSized(TestCase):
    def test_every_frozen_design_is_the_same_with_its_sizes_held(self) -> None:
        """What a train takes, wastes and uses is that of the same train with every size given."""
        for row in frozen()[::3]:
            found = worked(row["job"])
            held = found.with_train(found.chosen.as_sized).chosen
            for one, other in zip(found.chosen.run.stages, held.run.stages, strict=True):
                for name in ("salt_per_year", "drain_per_year", "media_volume", "backwash_flow", "capacity"):
                    if name in one.figures:
                        self._same(row["name"], name, one.figures[name].value, other.figures[name].value)

    def _same(self, job_name: Any, name: str, one: float, other: float) -> None:
        self.assertAlmostEqual(one, other, delta=1e-6 * max(abs(one), 1.0), msg=f"{job_name}: {name}")
