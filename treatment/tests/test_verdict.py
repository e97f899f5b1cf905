from __future__ import annotations

from unittest import TestCase

from ..drawing.gauge import WIDTH, gauge
from ..drawing.history import HEIGHT, histories
from ..drawing.history import WIDTH as CHART
from ..drawing.ions import ion_balance
from ..evidence.verdict import unmarked, verdicts
from ..language.tables import table
from .example import job, worked
from .test_samples import FIVE, sampled


def said(standard: str = "us", **readings: str | None):  # noqa: ANN201
    design = worked(job({"job": {"standard": standard}}, readings=readings))
    return design, verdicts(design.evidence, standard)


class WhatTheWaterSays(TestCase):
    def find(self, rows: dict, group: str, analyte: str):  # noqa: ANN201
        return next((row for row in rows[group] if row.analyte.key == analyte), None)

    def test_an_interval_across_the_mark_is_perhaps(self) -> None:
        """Nitrate 5 to 20 against 10 is perhaps beyond; 12 to 20 is beyond; 2 to 5 is within."""
        for text, wanted in (("5..20 mg/L as N", "perhaps"), ("12..20 mg/L as N", "beyond"), ("2..5 mg/L as N", "within")):
            self.assertEqual(self.find(said(nitrate=text)[1], "health", "nitrate").state, wanted)

    def test_low_ph_is_beyond_its_lower_mark(self) -> None:
        """6.1 is below 6.5, for pipes and for comfort."""
        rows = said()[1]
        self.assertEqual((self.find(rows, "equipment", "ph").state, self.find(rows, "comfort", "ph").state), ("beyond", "beyond"))

    def test_one_mark_is_said_once(self) -> None:
        """Iron 0.3 is the mark for equipment and for comfort in the US set: it stands with the equipment alone."""
        rows = said()[1]
        self.assertIsNotNone(self.find(rows, "equipment", "iron"))
        self.assertIsNone(self.find(rows, "comfort", "iron"))

    def test_the_gravest_comes_first(self) -> None:
        """Beyond before perhaps before within; among equals the larger multiple."""
        rows = said(nitrate="30 mg/L as N", arsenic="12 ug/L", lead="<20 ug/L")[1]["health"]
        self.assertEqual([row.analyte.key for row in rows[:4]], ["nitrate", "arsenic", "total_coliform", "lead"])

    def test_an_open_end_may_be_beyond(self) -> None:
        """Above 20 NTU is beyond; above 3 mg/L of hardness in pads is at least perhaps."""
        self.assertEqual(self.find(said(turbidity=">20 NTU")[1], "equipment", "turbidity").state, "beyond")
        self.assertEqual(self.find(said(hardness=">100 mg/L as CaCO3")[1], "equipment", "hardness").state, "perhaps")

    def test_what_no_mark_judges_is_still_named(self) -> None:
        """Nothing that was measured disappears."""
        design, rows = said(potassium="3 mg/L")
        self.assertIn("potassium", unmarked(design.evidence, "us"))
        judged = {row.analyte.key for group in rows.values() for row in group}
        self.assertEqual(judged | set(unmarked(design.evidence, "us")), set(design.evidence.stated))

    def test_words_for_homeowners_exist_for_all_that_can_be_beyond(self) -> None:
        """Whatever has a health or comfort limit in any set has its words."""
        for standard in table("limits"):
            for name in [*table("limits")[standard]["health"], *table("limits")[standard]["aesthetic"]]:
                self.assertIn(name, table("verdicts"), standard)


class Drawn(TestCase):
    def test_the_mark_stands_in_the_middle_and_twice_it_two_thirds_along(self) -> None:
        """place = value / (value + mark): 10 of 10 at a half, 20 of 10 at 20 / 30."""
        rows = said(nitrate="20 mg/L as N")[1]["health"]
        drawn = gauge(next(row for row in rows if row.analyte.key == "nitrate"))
        self.assertAlmostEqual(drawn.mark_high, WIDTH / 2)
        self.assertAlmostEqual(drawn.high, WIDTH * 2 / 3)
        self.assertTrue(drawn.point)

    def test_every_gauge_stays_on_its_track(self) -> None:
        """Whatever the reading, bar and marks lie between 0 and the end."""
        for text in ("0 mg/L as N", ">9000 mg/L as N", "<0.001 mg/L as N", "1..9000 mg/L as N"):
            for rows in said(nitrate=text)[1].values():
                for row in rows:
                    drawn = gauge(row)
                    if drawn:
                        left, width = drawn.bar
                        self.assertGreaterEqual(left, -1e-9)
                        self.assertLessEqual(left + width, WIDTH + 1e-9)
        self.assertIsNone(gauge(next(row for row in said()[1]["health"] if row.analyte.is_microbe)))

    def test_a_chart_has_a_mark_for_every_reading_in_order_of_time(self) -> None:
        """Five raw and one treated reading: six marks from left to right, the treated one told apart, all inside."""
        design = worked(sampled(*FIVE, ("2026-06-01", "after:softener", ">1 mg/L")))
        chart = next(each for each in histories(design.job.facts, design.evidence) if each.analyte.key == "iron")
        self.assertEqual(len(chart.marks), 6)
        self.assertEqual([mark.x for mark in chart.marks], sorted(mark.x for mark in chart.marks))
        self.assertEqual([mark.raw for mark in chart.marks], [True] * 5 + [False])
        self.assertTrue(chart.marks[-1].open_end)
        for mark in chart.marks:
            self.assertTrue(0 <= mark.x <= CHART and 0 <= mark.top <= mark.bottom <= HEIGHT, mark)
        self.assertEqual(chart.design, min(mark.top for mark in chart.marks[:5]))

    def test_no_word_of_a_chart_stands_on_a_mark(self) -> None:
        """The value of the last reading is the last one's; it and the word for the limit lie inside and cover no mark."""
        for last in ("0.05 mg/L", "2 mg/L", "0.31 mg/L", "0.2..0.6 mg/L"):
            design = worked(sampled(*FIVE, ("2026-06-01", "raw", last)))
            chart = next(each for each in histories(design.job.facts, design.evidence) if each.analyte.key == "iron")
            kept = design.job.facts.samples[-1].readings["iron"]
            self.assertEqual(chart.newest.value, (kept.low, kept.high))
            self.assertEqual([end.value[0] for end in chart.scale], [chart.span[1], 0.0])
            for word, letters in ((chart.newest, 4), (chart.limit_word, 5)):
                if word is None:
                    continue
                wide = letters * 6.0
                left = {"start": word.x, "middle": word.x - wide / 2, "end": word.x - wide}[word.anchor]
                self.assertTrue(left >= -1 and left + wide <= CHART + 1, (last, word))
                for mark in chart.marks:
                    covered = left < mark.x + 4 and mark.x - 4 < left + wide and word.y - 9 < mark.bottom + 4 and mark.top - 2 < word.y + 1
                    self.assertFalse(covered, (last, word, mark))

    def test_one_reading_makes_no_chart(self) -> None:
        """A chart needs two."""
        self.assertEqual(histories(worked(job()).job.facts, worked(job()).evidence), [])

    def test_the_ion_bars_are_as_long_as_their_charge(self) -> None:
        """Without sodium measured, ions are made to balance: both bars end together, and what was put in is named."""
        balance = ion_balance(worked(job()).evidence)
        ends = [max(box.right for box, _ in row) for row in (balance.cations, balance.anions)]
        self.assertAlmostEqual(ends[0], ends[1], places=3)
        self.assertLess(balance.off_percent, 0.01)
        self.assertIn("Sodium", " ".join(balance.computed) + " Sodium" * ("Chloride" in balance.computed))

    def test_an_unbalanced_water_shows_it(self) -> None:
        """Calcium 100 (4.99 meq) and sodium 100 (4.35) against alkalinity 100 (2.00) and chloride 35.45 (1.00): 9.34 - 3.00 over 12.34 is 51 %."""
        readings: dict[str, str | None] = dict.fromkeys(("iron", "ferrous_iron", "manganese"))
        readings |= {
            "hardness": None,
            "calcium": "100 mg/L",
            "magnesium": "0 mg/L",
            "sodium": "100 mg/L",
            "alkalinity": "100 mg/L as CaCO3",
            "ph": "7.5",
        }
        balance = ion_balance(worked(job(readings=readings | {"chloride": "35.45 mg/L", "sulfate": "0 mg/L", "nitrate": "0 mg/L as N"})).evidence)
        self.assertAlmostEqual(balance.off_percent, 100 * (9.34 - 3.0) / 12.34, delta=0.2)
