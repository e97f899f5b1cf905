"""A run sheet in use: order, waits, readings, two phones, a changed train, the record, the drawing of its visits."""

from __future__ import annotations

import datetime as dt
import json
from dataclasses import replace
from itertools import pairwise
from typing import Any
from unittest import TestCase

import jsonschema
from hypothesis import given
from hypothesis import strategies as st

from ..commissioning.expected import Expectations
from ..commissioning.record import advice_stands, lift_problem, record, record_schema
from ..commissioning.run import Run, RunEvent
from ..commissioning.sheet import sheet
from ..commissioning.timeline import SHOWN, timeline
from ..commissioning.visits import visits
from ..job.facts import SampleFacts
from ..language.analytes import analytes
from ..language.reading import parse_reading
from ..papers.recorded import record_paper
from .example import HARD_ONLY, job, worked
from .fuzz import fuzz
from .golden import frozen
from .test_starting import CARBON, FIVE, LAMP, SOFTENER

NOON = dt.datetime(2026, 12, 7, 12, 0, tzinfo=dt.UTC)


def hours(count: float) -> dt.datetime:
    return NOON + dt.timedelta(hours=count)


class Used(TestCase):
    def setUp(self) -> None:
        chosen = worked(job(readings=HARD_ONLY, train=[CARBON, SOFTENER])).chosen
        self.sheet, self.expected = sheet(chosen), Expectations(chosen)
        self.titles = {step.id: step.row.title for step in self.sheet.steps}

    def run_of(self, *events: RunEvent, begun_with: dict[str, str] | None = None) -> Run:
        return Run(self.sheet, events, self.expected, begun_with)

    def ticked(self, *ids: str, by: str = "dora", at: dt.datetime = NOON) -> list[RunEvent]:
        return [RunEvent(number, f"k{number}", id, "tick", at, by) for number, id in enumerate(ids, 1)]

    def all_before(self, id: str) -> list[str]:
        ids = [step.id for step in self.sheet.steps]
        return ids[: ids.index(id)]


class Order(Used):
    def test_a_step_waits_for_what_comes_before_it(self) -> None:
        """The main is shut when the heater is off; the refusal names it; once ticked it is next."""
        run = self.run_of(*self.ticked("site/kit_check"))
        refusal = run.refusal(self.sheet.by_id["site/shut_main"], "tick", NOON)
        assert refusal is not None
        self.assertEqual((refusal.wants, [each.step.id for each in refusal.missing]), ("missing", ["site/heater_off"]))
        self.assertIsNone(run.refusal(self.sheet.by_id["site/trades"], "tick", NOON))
        self.assertIn("site/trades", [step.id for step in run.next(NOON)])
        self.assertNotIn("site/shut_main", [step.id for step in run.next(NOON)])

    def test_a_soak_must_be_over(self) -> None:
        """48 h from the tick: refused after 47, its end told; taken after 48."""
        run = self.run_of(*self.ticked(*self.all_before("carbon/open")))
        step = self.sheet.by_id["carbon/open"]
        refusal = run.refusal(step, "tick", hours(47))
        assert refusal is not None
        self.assertEqual([(each.step.id, each.until) for each in refusal.missing], [("carbon/soak", hours(48))])
        self.assertIsNone(run.refusal(step, "tick", hours(48)))
        self.assertEqual([(timer.step.id, timer.ends) for timer in run.timers(hours(47))], [("carbon/soak", hours(48))])
        self.assertEqual(run.timers(hours(48)), [])

    def test_where_nothing_critical_is_missing_a_reason_does(self) -> None:
        """Brackets are not critical: fitted dry before them with a reason, not without."""
        done = [id for id in self.all_before("site/dry_fit") if id != "site/brackets"]
        run, step = self.run_of(*self.ticked(*done)), self.sheet.by_id["site/dry_fit"]
        refusal = run.refusal(step, "tick", NOON)
        assert refusal is not None
        self.assertEqual(refusal.wants, "reason")
        self.assertIsNone(run.refusal(step, "tick", NOON, "the brackets of the old filter hold"))

    def test_a_skip_wants_a_reason_and_a_critical_one_asks_twice(self) -> None:
        """No reason: refused; critical with one: asked again; sure: taken. What follows may go on then."""
        run, critical = self.run_of(), self.sheet.by_id["site/main_valve"]
        for reason, sure, wants in (("", False, "reason"), ("", True, "reason"), ("new valve", False, "sure")):
            refusal = run.refusal(critical, "skip", NOON, reason, sure)
            assert refusal is not None
            self.assertEqual(refusal.wants, wants)
        self.assertIsNone(run.refusal(critical, "skip", NOON, "new valve", sure=True))
        self.assertIsNone(run.refusal(self.sheet.by_id["site/brackets"], "skip", NOON, "standing units"))
        done = self.ticked("site/kit_check", "site/trades", "site/brackets", "site/make_up")
        skipped = self.run_of(*done, RunEvent(9, "s", "site/main_valve", "skip", NOON, "dora", 8, "new valve"))
        self.assertIsNone(skipped.refusal(self.sheet.by_id["site/heater_off"], "tick", NOON))

    def test_a_reading_outside_asks_before_going_on(self) -> None:
        """120 mg/L behind a softener: the step wants a reason, and says what the sign means; 5 mg/L does not."""
        events = self.ticked(*self.all_before("softener/prove"), at=hours(-200))
        step = self.sheet.by_id["softener/prove"]
        for value, wants in ((120.0, "reason"), (5.0, None)):
            reading = RunEvent(900, "r", "softener/prove", "reading", NOON, "dora", 800, f"{value} mg/L", "softener.hardness_out", value, value)
            refusal = self.run_of(*events, reading).refusal(step, "tick", NOON)
            self.assertEqual(refusal and refusal.wants, wants)
            if refusal is not None:
                self.assertIn("hardness after it", refusal.words)
                self.assertIn(step.row.bad_sign, refusal.words)

    def test_undo(self) -> None:
        """A tick taken back leaves the step open, its timer gone; the events stay."""
        run = self.run_of(*self.ticked("carbon/soak"), RunEvent(2, "u", "carbon/soak", "undo", NOON, "dora", 1, "", "k1"))
        self.assertEqual((run.of("carbon/soak").state, run.timers(NOON), len(run.events)), ("open", [], 2))


class TwoPhones(Used):
    def test_the_same_tick_twice_counts_from_the_first(self) -> None:
        """Two people ticked the soak an hour apart without knowing: done since the earlier, no quarrel."""
        run = self.run_of(RunEvent(1, "a", "carbon/soak", "tick", hours(1), "dora"), RunEvent(2, "b", "carbon/soak", "tick", NOON, "dirk"))
        standing = run.of("carbon/soak")
        self.assertEqual((standing.state, standing.mark and standing.mark.by, standing.apart), ("done", "dirk", []))

    def test_a_tick_and_a_skip_are_shown_with_both_sides(self) -> None:
        """Neither saw the other's: both stand, the step counts as done; whoever saw both settles it."""
        apart = [
            RunEvent(1, "a", "site/electric", "tick", NOON, "dora"),
            RunEvent(2, "b", "site/electric", "skip", hours(1), "dirk", 0, "no power here"),
        ]
        standing = self.run_of(*apart).of("site/electric")
        self.assertEqual([{one.by, other.by} for one, other in standing.apart], [{"dora", "dirk"}])
        self.assertEqual(standing.state, "done")
        settled = self.run_of(*apart, RunEvent(3, "c", "site/electric", "skip", hours(2), "dora", 2, "he is right")).of("site/electric")
        self.assertEqual((settled.state, settled.apart), ("skipped", []))

    def test_readings_that_differ(self) -> None:
        """7.0 and 7.6 from two phones: the newer stands, both are shown; a third that saw both ends it."""

        def ph(number: int, by: str, base: int, value: float) -> RunEvent:
            return RunEvent(number, f"r{number}", "softener/prove", "reading", NOON, by, base, str(value), "softener.ph_out", value, value)

        standing = self.run_of(ph(1, "dora", 0, 7.0), ph(2, "dirk", 0, 7.6)).of("softener/prove")
        self.assertEqual((len(standing.apart), standing.readings["softener.ph_out"].low), (1, 7.6))
        self.assertEqual(self.run_of(ph(1, "dora", 0, 7.0), ph(2, "dirk", 0, 7.6), ph(3, "dora", 2, 7.5)).of("softener/prove").apart, [])
        self.assertEqual(self.run_of(ph(1, "dora", 0, 7.0), ph(2, "dirk", 1, 7.6)).of("softener/prove").apart, [], "a correction is no quarrel")

    @fuzz(60)
    @given(
        st.lists(
            st.tuples(st.sampled_from(["tick", "skip", "undo", "reading", "note"]), st.sampled_from(["dora", "dirk"]), st.integers(0, 12)),
            max_size=12,
        )
    )
    def test_nothing_is_lost(self, told: list[tuple[str, str, int]]) -> None:
        """Whatever two people do: every note stays, every live mark is of an event, and a step with any live tick is done."""
        events = [
            RunEvent(
                n,
                f"k{n}",
                "site/electric",
                kind,
                NOON,
                by,
                min(base, n - 1),
                "x",
                f"k{base}" if kind == "undo" else "site.k",
                float(base),
                float(base),
            )
            for n, (kind, by, base) in enumerate(told, 1)
        ]
        standing = self.run_of(*events).of("site/electric")
        self.assertEqual(len(standing.notes), sum(kind == "note" for kind, _, _ in told))
        self.assertTrue(all(mark in events for mark in standing.marks))
        self.assertEqual(standing.state == "done", any(mark.kind == "tick" for mark in standing.marks))
        for pair in standing.apart:
            self.assertNotEqual(pair[0].by, pair[1].by)


class ChangedTrain(Used):
    def test_what_was_done_stays_and_what_is_gone_is_told(self) -> None:
        """Begun with carbon and softener, run on with a softener alone: the soak that was ticked is told as lost, what stayed is done."""
        begun = self.titles
        later = sheet(worked(job(readings=HARD_ONLY, train=[SOFTENER, FIVE])).chosen)
        run = Run(later, self.ticked("site/kit_check", "carbon/soak"), None, begun)
        self.assertEqual(run.of("site/kit_check").state, "done")
        lost = {standing.step: standing.title for standing in run.lost}
        self.assertEqual(lost["carbon/soak"], "Soak the carbon for two days")
        self.assertIn("five/cartridge", [step.id for step in run.added])
        self.assertNotIn("site/kit_check", [step.id for step in run.added])

    def test_before_it_is_begun_nothing_is_new(self) -> None:
        self.assertEqual((self.run_of().added, self.run_of().lost), ([], []))


class Recorded(Used):
    def sample(self, day: dt.date | None, point: str = "tap", **readings: str) -> SampleFacts:
        return SampleFacts(taken_on=day, point=point, readings={name: parse_reading(analytes()[name], text) for name, text in readings.items()})

    def sanitised(self, *more: RunEvent) -> Run:
        chosen = worked(job(train=[FIVE, LAMP])).chosen
        return Run(sheet(chosen), [RunEvent(1, "k", "site/sanitize", "tick", NOON, "dora"), *more], Expectations(chosen))

    def test_which_sample_lifts_the_advice(self) -> None:
        """Drawn after the pipe was disinfected, behind the train, neither coliform nor E. coli; anything else says why not."""
        run, later = self.sanitised(), NOON.date() + dt.timedelta(days=7)
        good = {"total_coliform": "absent", "e_coli": "absent"}
        self.assertEqual(lift_problem(self.sample(later, **good), run), "")
        self.assertEqual(lift_problem(self.sample(later, total_coliform="<1", e_coli="<1"), run), "")
        self.assertEqual(lift_problem(self.sample(later, "after:uv", **good), run), "")
        for sample, why in (
            (self.sample(None, **good), "no date"),
            (self.sample(NOON.date(), **good), "not after the disinfection"),
            (self.sample(later, "raw", **good), "before or within the train"),
            (self.sample(later, "after:five", **good), "within the train"),
            (self.sample(later, "after:nothing", **good), "within the train"),
            (replace(self.sample(later, **good), method="field"), "only a laboratory sample"),
            (self.sample(later, total_coliform="absent"), "not tested for E. coli"),
            (self.sample(later, total_coliform="present", e_coli="absent"), "the boil-water notice stays in force"),
        ):
            self.assertIn(why, lift_problem(sample, run))
        self.assertIn("has not been disinfected", lift_problem(self.sample(later, **good), self.run_of()))

    def test_the_advice_stands_until_it_is_lifted(self) -> None:
        """And again when the lifting is taken back; a train without microbes has none."""
        lift = RunEvent(2, "l", "site/retest_microbes", "lift", hours(200), "dora", 1, "tap, 2026-12-15", "7")
        self.assertTrue(advice_stands(self.sanitised()))
        self.assertFalse(advice_stands(self.sanitised(lift)))
        self.assertTrue(advice_stands(self.sanitised(lift, RunEvent(3, "u", "site/retest_microbes", "undo", hours(201), "dora", 2, "", "l"))))
        self.assertFalse(advice_stands(self.run_of()))

    def test_the_record_fits_its_schema(self) -> None:
        """Ticks, a skip with its reason, readings beside what was expected, notes, photos, both sides of a quarrel, lost steps, the lifting."""
        events = [
            *self.ticked("site/kit_check", "site/main_valve"),
            RunEvent(3, "s", "site/trades", "skip", NOON, "dora", 2, "own house"),
            RunEvent(4, "r", "softener/prove", "reading", NOON, "dora", 3, "12 gpg", "softener.hardness_out", 205.0, 205.0),
            RunEvent(5, "n", "site/kit_check", "note", NOON, "dirk", 4, "one O-ring spare"),
            RunEvent(6, "p", "site/kit_check", "photo", NOON, "dirk", 5, "kit.jpg"),
            RunEvent(7, "a", "site/main_valve", "skip", NOON, "dirk", 0, "could not reach it"),
            RunEvent(8, "x", "gone/soak", "tick", NOON, "dirk", 7, title="Soak it"),
        ]
        document = record(self.run_of(*events, begun_with=self.titles), {"name": "Acid well"})
        jsonschema.validate(json.loads(json.dumps(document)), record_schema())
        steps = {step["id"]: step for step in document["steps"]}
        self.assertEqual((steps["site/trades"]["state"], steps["site/trades"]["reason"]), ("skipped", "own house"))
        hardness = next(each for each in steps["softener/prove"]["readings"] if each["key"] == "softener.hardness_out")
        self.assertEqual((hardness["typed"], hardness["holds"]), ("12 gpg", False))
        self.assertEqual(len(steps["site/main_valve"]["apart"]), 1)
        self.assertEqual([step["title"] for step in document["no_longer_on_the_sheet"]], ["Soak it"])
        self.assertEqual(document["people"], ["dirk", "dora"])
        self.assertFalse(document["complete"])

    def test_the_record_is_printed_from_its_file_alone(self) -> None:
        """Written, read and set: 12 gpg behind the softener, expected at most 1, is outside; units are named, times as they were; a file without the newer words is set, too."""
        events = [
            *self.ticked("site/kit_check"),
            RunEvent(2, "r", "softener/prove", "reading", NOON, "dora", 1, "12 gpg", "softener.hardness_out", 205.0, 205.0),
        ]
        kept = json.loads(json.dumps(record(self.run_of(*events, begun_with=self.titles), {"name": "Acid well", "units": "us"})))
        paper = record_paper(kept)
        steps = {step.id: step for _, of in paper.phases for step in of}
        self.assertEqual((paper.done, paper.count, paper.complete, paper.people), (1, len(self.sheet.steps), False, ("dora",)))
        self.assertEqual([step.number for _, of in paper.phases for step in of], list(range(1, paper.count + 1)))
        mark = steps["site/kit_check"].mark
        assert mark is not None
        self.assertEqual((mark.kind, mark.by, mark.at), ("done", "dora", NOON))
        self.assertTrue(steps["softener/prove"].title.startswith("Softener: "))
        hardness = steps["softener/prove"].readings[0]
        self.assertEqual((hardness.title, hardness.typed, hardness.outside), ("Hardness after it", "12 gpg", True))
        self.assertIn("gpg", hardness.band)
        for step in kept["steps"]:
            del step["unit"]
            for reading in step["readings"]:
                del reading["title"], reading["band"]
        older = {step.id: step for _, of in record_paper(kept).phases for step in of}["softener/prove"]
        self.assertEqual((older.readings[0].title, older.readings[0].band), ("softener.hardness_out", ""))


class Drawn(TestCase):
    def test_the_visits_of_all_golden_jobs(self) -> None:
        """Blocks stand one after another and inside the picture, waits begin under their visit, no bar lies over another or its words."""
        for row in frozen():
            coming = visits(sheet(worked(row["job"]).chosen))
            drawing = timeline(coming)
            self.assertEqual(len(drawing.blocks), len(coming))
            for left, right in pairwise(drawing.blocks):
                self.assertLess(left.box.right, right.box.x)
            waits: dict[float, list[Any]] = {}
            for bar in drawing.bars:
                self.assertGreaterEqual(bar.minutes, SHOWN)
                self.assertLessEqual(bar.box.bottom, drawing.height)
                waits.setdefault(bar.box.y, []).append(bar)
            for line in waits.values():
                for first, then in pairwise(line):
                    self.assertLess(first.label.x, then.box.x)
            for block in drawing.blocks:
                if block.dry is not None:
                    self.assertTrue(block.box.x <= block.dry.x and block.dry.right <= block.box.right + 1e-6)
                self.assertLessEqual(block.box.right, drawing.width)

    def test_an_empty_train_draws_nothing(self) -> None:
        self.assertEqual(timeline(()).blocks, ())
