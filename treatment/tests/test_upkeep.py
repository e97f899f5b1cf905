"""Upkeep: hand-worked intervals and due dates, what decides them, what this house really used, visits."""

from __future__ import annotations

import datetime as dt
import json
from typing import Any
from unittest import TestCase

import jsonschema

from ..language.errors import BadDocument
from ..language.figure import source
from ..language.tables import table
from ..operation.maintenance.due import Due, due, gathered
from ..operation.maintenance.log import FORMAT, log_schema, read_log
from ..operation.maintenance.upkeep import BASES, COMMON, OTHER, WHO, Task, rows, upkeep
from ..papers.design_file import design_document
from ..planning.evaluated import EvaluatedTrain
from ..treatments import ROOMS
from .example import HARD_ONLY, job, worked
from .golden import frozen

SOFTENER = {"kind": "softener", "id": "softener"}
FIVE = {"kind": "sediment", "id": "five", "form": "cartridge", "micron": "5 um"}
LAMP = {"kind": "uv", "id": "uv"}
DAY = dt.date(2026, 3, 1)


def of(train: list[dict[str, Any]], readings: dict[str, str | None] | None = None, **parts: Any) -> tuple[EvaluatedTrain, dict[str, Task]]:
    chosen = worked(job(parts, readings=readings, train=train)).chosen
    return chosen, {task.id: task for task in upkeep(chosen)}


class Intervals(TestCase):
    def test_salt_by_consumption_and_six_weeks_at_the_most(self) -> None:
        """36.3 kg in a half tank, at what the design uses a day; 42 days at the latest; as much is filled as was used."""
        chosen, tasks = of([SOFTENER], HARD_ONLY)
        daily = chosen.run.stages[0].figures["salt_per_year"].value / 365
        salt = tasks["softener/salt"]
        self.assertAlmostEqual(salt.every, min(36.3 / daily, 42))
        assert salt.quantity is not None
        self.assertAlmostEqual(salt.quantity.value, daily * salt.every)
        self.assertEqual((salt.basis, salt.unit), ("calendar" if 36.3 / daily > 42 else "consumption", "day"))
        big, more = of([SOFTENER], HARD_ONLY, building={"people": 12})
        heavy, daily = more["softener/salt"], big.run.stages[0].figures["salt_per_year"].value / 365
        self.assertEqual(heavy.basis, "consumption")
        # 36.3 kg ÷ 1.25 in a busy year; ÷ 0.8 in a careful one, the water being exact
        self.assertAlmostEqual(heavy.low, 36.3 / daily / 1.25)
        self.assertAlmostEqual(heavy.high, min(36.3 / daily / 0.8, 42))

    def test_a_lamp_by_year_or_by_its_hours(self) -> None:
        """Lit always: 365 days come before 9000 h (375 days); lit with the flow: 9000 hours of run."""
        _, tasks = of([FIVE, LAMP])
        self.assertEqual((tasks["uv/lamp"].every, tasks["uv/lamp"].unit, tasks["uv/lamp"].basis), (365, "day", "calendar"))
        _, switched = of([FIVE, LAMP | {"lamp": "flow_switched"}])
        self.assertEqual((switched["uv/lamp"].every, switched["uv/lamp"].unit, switched["uv/lamp"].basis), (9000, "hour", "hours"))

    def test_resin_lives_less_with_chlorine(self) -> None:
        """Twelve years; with 1 mg/L of chlorine 12 ÷ 1.7 = 7.06 years."""
        _, clean = of([SOFTENER], HARD_ONLY)
        self.assertAlmostEqual(clean["softener/resin"].every, 12 * 365.25)
        _, town = of([SOFTENER], HARD_ONLY | {"free_chlorine": "1 mg/L", "total_chlorine": "1 mg/L"}, source={"kind": "town"})
        self.assertAlmostEqual(town["softener/resin"].every, 12 / 1.7 * 365.25)

    def test_the_water_itself(self) -> None:
        """A private source yearly, a spring in the other season too; a town's not for microbes."""
        for kind, ids in (("drilled_well", {"site/microbes"}), ("spring", {"site/microbes", "site/microbes_again"}), ("town", set())):
            _, tasks = of([SOFTENER], HARD_ONLY, source={"kind": kind})
            self.assertEqual({id for id in tasks if id.startswith("site/microbes")}, ids)
            self.assertEqual(tasks["site/retest"].every, 1095)

    def test_every_golden_job(self) -> None:
        """Ends in order, known words, a working that ends in the interval; every task once; the document fits its schema."""
        for row in frozen():
            chosen = worked(row["job"]).chosen
            tasks = upkeep(chosen)
            self.assertEqual(len({task.id for task in tasks}), len(tasks), row["name"])
            for task in tasks:
                self.assertTrue(0 < task.low <= task.every <= task.high, f"{row['name']}: {task.id}")
                self.assertIn(task.basis, BASES)
                self.assertIn(task.row.who, WHO)
                self.assertTrue(task.working and source(task.row.source))
                self.assertIn(round(task.every, 6), {round(line.value, 6) for line in task.working})

    def test_the_ids_that_others_rely_on(self) -> None:
        """Each is some treatment's, or the place's."""
        names = {row.name for section in table("upkeep") if section not in OTHER for row in rows(section)}
        self.assertLessEqual(
            {"salt", "cartridge", "medium", "lamp", "sleeve", "alarm", "solution", "residual", "resin", "membrane", "prefilter", "brine_tank", "resin_cleaner",
             "elements", "flush", "screen", "precharge", "clean", "microbes", "retest"}, names)  # fmt: skip
        self.assertEqual(set(table("upkeep")) - set(COMMON), set(ROOMS))

    def test_in_the_design(self) -> None:
        document = design_document(worked(job(readings=HARD_ONLY, train=[SOFTENER])))
        salt = next(task for task in document["upkeep"] if task["id"] == "softener/salt")
        self.assertEqual((salt["stage"], salt["every"]["unit"], salt["quantity"]["unit"], salt["who"]), ("softener", "day", "kg", "owner"))


class Dates(TestCase):
    def setUp(self) -> None:
        self.variant, self.tasks = of([FIVE, SOFTENER, LAMP], HARD_ONLY)

    def due(self, entries: list[dict[str, Any]], as_of: dt.date, started: dt.date = DAY) -> dict[str, Due]:
        document = {"format": FORMAT, "started_on": started.isoformat(), "entries": entries}
        jsonschema.validate(document, log_schema())
        log = read_log(document, self.tasks.values(), ("five", "softener", "uv"))
        return {each.task.id: each for each in due(self.variant, tuple(self.tasks.values()), log, as_of)}

    def test_what_was_never_done_counts_from_the_start(self) -> None:
        """The lamp a year after; overdue the day after that, not on it."""
        found = self.due([], DAY + dt.timedelta(days=365))["uv/lamp"]
        self.assertEqual((found.due_on, found.overdue), (DAY + dt.timedelta(days=365), False))
        self.assertTrue(self.due([], DAY + dt.timedelta(days=366))["uv/lamp"].overdue)

    def test_salt_scales_with_what_was_filled(self) -> None:
        """Half of the design's fill lasts half as long; after three fills the house's own rate counts: 18 kg in 60 days, so 9 kg last 30."""
        quantity = self.tasks["softener/salt"].quantity
        assert quantity is not None
        half = self.due([{"on": "2026-04-01", "did": "softener/salt", "amount": f"{quantity.value / 2} kg"}], dt.date(2026, 4, 2))["softener/salt"]
        self.assertEqual((half.due_on - dt.date(2026, 4, 1)).days, int(self.tasks["softener/salt"].every / 2))
        fills = [{"on": day, "did": "softener/salt", "amount": "9 kg"} for day in ("2026-04-01", "2026-05-01", "2026-05-31")]
        learned = self.due(fills, dt.date(2026, 6, 1))["softener/salt"]
        self.assertEqual(learned.due_on, dt.date(2026, 6, 30))
        self.assertIn("by the use of this house", learned.why)
        self.assertIn("by design", learned.why)

    def test_lives_of_cartridges_are_learned(self) -> None:
        """Changed after 100 and 90 days (each a consumption task): the median of what it lasted; the calendar's half year stays the cap."""
        self.variant, self.tasks = of([FIVE, LAMP], {"turbidity": "12 NTU"})
        if not self.tasks["five/cartridge"].scales:
            self.skipTest("the calendar decides this cartridge")
        entries = [{"on": day.isoformat(), "did": "five/cartridge"} for day in (DAY, DAY + dt.timedelta(days=100), DAY + dt.timedelta(days=190))]
        document = {"format": FORMAT, "started_on": DAY.isoformat(), "entries": entries}
        log = read_log(document, self.tasks.values(), ("five", "uv"))
        found = {each.task.id: each for each in due(self.variant, tuple(self.tasks.values()), log, DAY + dt.timedelta(days=200))}
        self.assertEqual(found["five/cartridge"].due_on, DAY + dt.timedelta(days=190 + 95))

    def test_a_counter_of_hours(self) -> None:
        """12 h a day by its counter: 9000 h are 750 days, so the year comes first when it is lit always; with the flow the counter decides."""
        self.variant, self.tasks = of([FIVE, SOFTENER, LAMP | {"lamp": "flow_switched"}], HARD_ONLY)
        found = self.due([{"on": "2026-06-09", "readings": {"uv.lamp_hours": 1200}}], dt.date(2026, 6, 10))["uv/lamp"]
        # 1200 h in 100 days: 12 h a day; 7800 h left are 650 days more
        self.assertEqual(found.due_on, dt.date(2026, 6, 9) + dt.timedelta(days=650))
        self.assertEqual(found.basis, "hours")

    def test_readings_that_are_the_task(self) -> None:
        """A microbe reading at a tap is the test of the water; hardness read is hardness tested."""
        found = self.due([{"on": "2026-05-01", "readings": {"tap.total_coliform": "absent", "softener.hardness_out": "0 gpg"}}], dt.date(2026, 5, 2))
        self.assertEqual(found["softener/hardness"].due_on, dt.date(2026, 5, 1) + dt.timedelta(days=91))
        self.assertEqual(found["site/microbes"].due_on, dt.date(2026, 5, 1) + dt.timedelta(days=365))

    def test_what_clears_a_find_of_microbes(self) -> None:
        """Coliform found: a test of pseudomonas alone clears nothing (a sample within 7 days); coliform absent does (one more within 30).

        Clostridium found is as grave, and coliform absent does not clear it.
        """
        found = {"on": "2026-05-01", "readings": {"tap.total_coliform": "present"}}
        other, clear = ({"on": "2026-05-05", "readings": {key: "absent"}} for key in ("tap.pseudomonas", "tap.total_coliform"))
        spores = {"on": "2026-05-01", "readings": {"tap.clostridium": "present"}}
        for entries, due_on in (
            ([found, other], dt.date(2026, 5, 8)), ([found, clear], dt.date(2026, 6, 4)), ([spores], dt.date(2026, 5, 8)), ([spores, clear], dt.date(2026, 5, 12)),
        ):  # fmt: skip
            self.assertEqual(self.due(entries, dt.date(2026, 5, 6))["site/microbes"].due_on, due_on, entries)

    def test_what_lies_later_moves_nothing(self) -> None:
        found = self.due([{"on": "2026-12-01", "did": "uv/lamp"}], dt.date(2026, 6, 1))["uv/lamp"]
        self.assertEqual(found.due_on, DAY + dt.timedelta(days=365))

    def test_more_use_brings_it_nearer(self) -> None:
        """Twice the design's use through the meter: what is used up lasts half as long."""
        self.variant, self.tasks = of([SOFTENER], HARD_ONLY, building={"people": 12})
        daily = self.variant.audit.duty.daily
        entries = [{"on": (DAY + dt.timedelta(days=30 * i)).isoformat(), "readings": {"meter": f"{2 * daily * 30 * i} L"}} for i in range(4)]
        log = read_log({"format": FORMAT, "started_on": DAY.isoformat(), "entries": entries}, self.tasks.values(), ("softener",))
        found = {each.task.id: each for each in due(self.variant, tuple(self.tasks.values()), log, DAY + dt.timedelta(days=100))}
        self.assertEqual((found["softener/salt"].due_on - DAY).days, int(self.tasks["softener/salt"].every / 2))

    def test_one_visit_for_what_falls_together(self) -> None:
        """Within three weeks of the first; nothing past its own day; each comes back by its interval; supplies are named with it."""
        found = list(self.due([], DAY).values())
        visits = gathered(found, DAY + dt.timedelta(days=365))
        for visit in visits:
            for each in visit.tasks:
                self.assertGreaterEqual(each.task.every, 0)
        first = {each.task.id: each.due_on for each in found}
        seen: dict[str, dt.date] = {}
        for visit in visits:
            for each in visit.tasks:
                seen.setdefault(each.task.id, visit.on)
        for id, on in seen.items():
            self.assertLessEqual(on, first[id], id)
            self.assertLessEqual((first[id] - on).days, 21, id)
        for visit in visits:
            self.assertEqual(visit.who == "service", "service" in {each.task.row.who for each in visit.tasks}, visit.on)
        self.assertEqual({visit.who for visit in visits}, {"service", "owner"})
        self.assertIn(("softener/salt", "kg"), {(task, unit) for visit in visits for task, _, unit in visit.supplies})


class Refused(TestCase):
    def setUp(self) -> None:
        _, self.tasks = of([SOFTENER], HARD_ONLY)

    def faults(self, *entries: Any, **more: Any) -> str:
        with self.assertRaises(BadDocument) as refused:
            read_log({"format": FORMAT, "started_on": "2026-03-01", "entries": list(entries)} | more, self.tasks.values(), ("softener",))
        return "\n".join(map(str, refused.exception.faults))

    def test_each_at_its_place_with_the_nearest(self) -> None:
        """Unknown keys, tasks, stages, signs and days; a unit that does not fit; an amount of nothing; what is no entry."""
        self.assertIn(
            "$.entries[0].readings.softner.hardness_out: expected", self.faults({"on": "2026-04-01", "readings": {"softner.hardness_out": "0 gpg"}})
        )
        self.assertIn("the nearest is softener.hardness_out", self.faults({"on": "2026-04-01", "readings": {"softner.hardness_out": "0 gpg"}}))
        self.assertIn("the nearest is softener/salt", self.faults({"on": "2026-04-01", "did": "softener/sal"}))
        self.assertIn("$.entries[1].on: expected a day", self.faults({"on": "2026-04-01"}, {"on": "last week"}))
        self.assertIn("not a pressure", self.faults({"on": "2026-04-01", "readings": {"softener.pressure_in": "48 gpm"}}))
        self.assertIn("$.entries[0].amount", self.faults({"on": "2026-04-01", "did": "softener/salt", "amount": "a lot"}))
        self.assertIn("$.entries[0].seen[0]", self.faults({"on": "2026-04-01", "seen": ["orange"]}))
        self.assertIn("$.entries[0].alarm", self.faults({"on": "2026-04-01", "alarm": "lamp"}))
        self.assertIn("$.entries[0].reading: unknown key; the nearest is readings", self.faults({"on": "2026-04-01", "reading": {}}))
        self.assertIn("$.entries[0]: expected an entry", self.faults("salt"))
        self.assertIn("$.started_on", self.faults(started_on="soon"))
        self.assertIn("$.format", self.faults(format="cairn-log/2"))
        self.assertIn("$.owner: unknown key", self.faults(owner="me"))
        self.assertIn("$.entries[0].away.to", self.faults({"on": "2026-04-01", "away": {"from": "2026-04-02", "to": "2026-04-01"}}))
        with self.assertRaises(BadDocument):
            read_log([], self.tasks.values(), ("softener",))

    def test_the_same_entry_twice_counts_once(self) -> None:
        entry = {"on": "2026-04-01", "did": "softener/salt", "amount": "9 kg"}
        log = read_log({"format": FORMAT, "started_on": "2026-03-01", "entries": [entry, entry]}, self.tasks.values(), ("softener",))
        self.assertEqual((len(log.entries), len(log.repeated)), (1, 1))
        self.assertEqual(json.loads(json.dumps(log.entries[0].amount and log.entries[0].amount.value)), 9.0)
