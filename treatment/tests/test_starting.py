"""The run sheet: hand-written orders of varied trains, and what must hold in the sheet of any train."""

from __future__ import annotations

import contextlib
import io
import json
import tempfile
from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

from hypothesis import given
from hypothesis import strategies as st
from icalendar import Calendar as Calendared

from ..commission import main
from ..commissioning.expected import Expectations, ExpectedReading
from ..commissioning.printed import minutes
from ..commissioning.sheet import OFF, WARM, NoOrder, Sheet, ahead_of, sheet, walked
from ..commissioning.step import COMMON, OTHER, PHASES, WHERE, WHO, Step, StepNeed, rows, said, with_own
from ..commissioning.visits import BACK, DAY, TRADE, Calendar, InstallVisit, visits
from ..design import design
from ..job.working import STARTING, OwnValue, working_values
from ..job_file import read_job
from ..language.errors import BadDocument
from ..language.log_keys import log_key
from ..language.tables import table
from ..papers.design_file import design_document
from ..planning.evaluated import EvaluatedTrain
from ..treatments import ROOMS
from .example import HARD_ONLY, job, worked
from .fuzz import fuzz
from .golden import frozen

CARBON = {"kind": "carbon", "id": "carbon", "medium": "granular", "form": "backwashing"}
SOFTENER = {"kind": "softener", "id": "softener"}
FIVE = {"kind": "sediment", "id": "five", "form": "cartridge", "micron": "5 um"}
LAMP = {"kind": "uv", "id": "uv"}


def sheet_of(train: list[dict[str, Any]] | None, readings: dict[str, str | None] | None = None, **parts: Any) -> Sheet:
    return sheet(worked(job(parts, readings=readings, train=train)).chosen)


class Orders(TestCase):
    def follow(self, found: Sheet, *ids: str) -> None:
        """Each of these steps is on the sheet, and each below the one named before it."""
        order = [step.id for step in found.steps]
        for id in ids:
            self.assertIn(id, order)
        for first, then in pairwise(ids):
            self.assertLess(order.index(first), order.index(then), f"{first} before {then}")

    def after(self, found: Sheet, id: str, need: str) -> float | None:
        """The minutes that must have passed between two steps."""
        return next(each.after for each in found.by_id[id].needs if each.id == need)

    def test_the_place(self) -> None:
        """Kit check, shut-off tried, heater off, main shut, pressure off, built; bypass looked at, lines flushed, unit open, air out, heater on."""
        found = sheet_of([SOFTENER], HARD_ONLY)
        self.follow(
            found, "site/kit_check", "site/main_valve", "site/heater_off", "site/shut_main", "site/relieve", "site/dry_fit", "site/join", "site/restore_main",
            "site/look_bypass", "site/flush_lines", "softener/open", "site/vent_air", "site/heater_on", "site/leak_check_next_day", "site/retest_water", "site/hand_over",
        )  # fmt: skip

    def test_softener(self) -> None:
        """Drain and overflow seen to run, water by hand, then salt, then the program, then the cycle stepped through, then proven."""
        self.follow(
            sheet_of([SOFTENER], HARD_ONLY), "softener/place", "softener/load", "softener/fill", "softener/overflow", "softener/drain_line",
            "softener/open", "softener/brine_fill", "softener/salt",
            "softener/program", "softener/cycle_through", "softener/prove",
        )  # fmt: skip

    def test_carbon_soaks_two_days_before_its_water_reaches_the_house(self) -> None:
        """Loaded, filled and soaked in the days before; then opened, rinsed at a trickle, the other way round, and only then what follows."""
        found = sheet_of([CARBON, SOFTENER], HARD_ONLY)
        self.follow(
            found,
            "carbon/load",
            "carbon/fill",
            "carbon/soak",
            "site/heater_off",
            "carbon/open",
            "carbon/rinse",
            "carbon/reverse_rinse",
            "softener/open",
        )
        self.assertEqual({found.by_id[f"carbon/{verb}"].phase for verb in ("place", "load", "fill", "soak")}, {"before"})
        self.assertEqual(found.by_id["softener/load"].phase, "build")
        self.assertEqual(self.after(found, "carbon/open", "carbon/soak"), 48 * 60)
        # kit check of two units 15 + 2 × 3, place 5 + 5, load 20 + 2 bags × 10, fill 10 + 10; then 10 by hand and 48 h of soak before it may open
        self.assertEqual(found.soonest["carbon/soak"], 21 + 10 + 40 + 20)
        self.assertEqual(found.soonest["carbon/open"], 91 + 10 + 2880)

    def test_no_carbon_no_soak(self) -> None:
        """A train without carbon has none; a block at a tap is rinsed only, and nobody waits two days for it."""
        self.assertFalse([step.id for step in sheet_of([SOFTENER], HARD_ONLY).steps if step.row.verb == "soak"])
        block = sheet_of([CARBON | {"medium": "block", "form": "cartridge"}], HARD_ONLY)
        self.assertNotIn("carbon/soak", block.by_id)
        self.assertNotIn("carbon/load", block.by_id)
        self.follow(block, "carbon/cartridge", "carbon/open", "carbon/flush")

    def test_an_upflow_carbon_asks_for_low_flow(self) -> None:
        """Three days of it where the tank does not backwash; none where it does, and no head to be plugged in."""
        upflow = sheet_of([CARBON | {"form": "upflow"}], HARD_ONLY)
        self.assertEqual(upflow.by_id["carbon/low_flow"].row.wait, 72 * 60)
        self.assertNotIn("carbon/power", upflow.by_id)
        self.assertNotIn("carbon/low_flow", sheet_of([CARBON], HARD_ONLY).by_id)

    def test_the_lamp_is_lit_when_its_sleeve_is_proven_dry(self) -> None:
        """Sleeve, leak test with the lamp out, lamp, ballast, power, lit; then all pipe is disinfected; microbes a week later and a month after that."""
        found = sheet_of([FIVE, LAMP])
        self.follow(
            found, "uv/sleeve", "uv/open", "uv/leak_test", "uv/lamp", "uv/ballast", "uv/power", "uv/lamp_on", "site/sanitize", "site/retest_microbes", "site/retest_microbes_again",
        )  # fmt: skip
        self.assertEqual(self.after(found, "site/retest_microbes", "site/sanitize"), 7 * 24 * 60)
        self.assertEqual(self.after(found, "uv/lamp", "uv/leak_test"), 10)
        self.assertIn("boil-water", " ".join(found.by_id["site/hand_over"].row.do).lower())

    def test_a_carbon_bed_that_washes_itself_is_programmed(self) -> None:
        """Like every head with a clock; and hand over comes when every unit was proven and nothing is left but waiting."""
        found = sheet_of([CARBON, SOFTENER], HARD_ONLY)
        self.follow(found, "carbon/power", "carbon/program", "softener/prove", "site/hand_over")
        self.assertEqual(found.steps[-1].id, "site/hand_over")

    def test_clean_water_is_not_disinfected(self) -> None:
        """Where no microbes are, neither the shock nor its retests are on the sheet."""
        clean = sheet_of([SOFTENER], HARD_ONLY)
        self.assertFalse({"site/sanitize", "site/retest_microbes", "site/retest_microbes_again"} & set(clean.by_id))

    def test_an_iron_bed_is_washed_to_drain_before_it_feeds_the_next(self) -> None:
        """Air-charged: filled, stands 10 min, power, backwash measured, regenerated once; twice above 3 mg/L of iron; then the softener opens."""
        train = [{"kind": "oxidizing_filter", "id": "iron", "medium": "air_charged"}, SOFTENER]
        found = sheet_of(train, {"ph": "7.4", "alkalinity": "180 mg/L as CaCO3"})
        self.follow(found, "iron/open", "iron/soak_air", "iron/power", "iron/backwash", "iron/regenerate", "softener/open")
        self.assertNotIn("iron/regenerate_again", found.by_id)
        much = sheet_of(train, {"iron": "4.1 mg/L", "ferrous_iron": "4.1 mg/L", "ph": "7.4", "alkalinity": "180 mg/L as CaCO3"})
        self.follow(much, "iron/regenerate", "iron/regenerate_again", "softener/open")

    def test_only_greensand_is_activated_and_nothing_air_charged_soaks_in_chemicals(self) -> None:
        sand = sheet_of([{"kind": "oxidizing_filter", "id": "iron", "medium": "greensand"}])
        self.follow(sand, "iron/fill", "iron/soak", "iron/activate", "iron/open", "iron/backwash")
        air = sheet_of([{"kind": "oxidizing_filter", "id": "iron", "medium": "air_charged"}])
        self.assertFalse({"iron/soak", "iron/activate"} & set(air.by_id))

    def test_an_upflow_neutralizer_is_rinsed_not_backwashed(self) -> None:
        up = sheet_of([{"kind": "neutralizer", "id": "stone", "medium": "calcite", "flow": "up"}, SOFTENER])
        self.follow(up, "stone/fill", "stone/rinse", "stone/reverse_rinse", "site/shut_main", "stone/open", "softener/open")
        self.assertNotIn("stone/backwash", up.by_id)
        down = sheet_of([{"kind": "neutralizer", "id": "stone", "medium": "calcite", "flow": "down"}, SOFTENER])
        self.follow(down, "stone/open", "stone/power", "stone/backwash", "softener/open")

    def test_scale_control_soaks_a_day_in_bypass(self) -> None:
        """Filled with the water of what stands before it, soaked a day, rinsed into a bucket, then opened; a citrate cartridge stands an hour."""
        found = sheet_of([FIVE, {"kind": "scale_control", "id": "scale", "method": "crystallisation"}], HARD_ONLY)
        self.follow(
            found,
            "site/flush_lines",
            "five/open",
            "scale/fill",
            "scale/soak",
            "site/heater_on",
            "scale/isolate",
            "scale/rinse",
            "scale/open",
            "scale/look",
            "scale/vent_house",
        )
        self.assertEqual(self.after(found, "scale/isolate", "scale/soak"), 24 * 60)
        citrate = sheet_of([FIVE, {"kind": "scale_control", "id": "scale", "method": "citrate"}], HARD_ONLY)
        self.follow(citrate, "scale/cartridge", "five/open", "scale/stand", "scale/open")
        self.assertNotIn("scale/soak", citrate.by_id)

    def test_a_feed_is_mixed_primed_measured_before_what_follows(self) -> None:
        train = [{"kind": "chemical_feed", "id": "feed", "chemical": "chlorine"}, {"kind": "retention_tank", "id": "contact"}, CARBON]
        found = sheet_of(train)
        self.follow(found, "feed/mix", "feed/open", "feed/prime", "feed/stroke", "contact/open", "contact/blow_down", "carbon/open")
        self.assertIn("Never mix kinds", " ".join(found.by_id["feed/mix"].hazards))

    def test_a_membrane_is_put_in_after_carbon_and_filter_were_flushed(self) -> None:
        train = [CARBON | {"medium": "block", "form": "cartridge"}, FIVE, {"kind": "reverse_osmosis", "id": "ro", "scale": "point_of_use"}]
        found = sheet_of(train, HARD_ONLY)
        self.follow(found, "carbon/flush", "ro/membrane", "ro/open", "ro/flush", "ro/reject", "ro/prove")

    def test_only_what_the_job_needs(self) -> None:
        """Cement cures where pipe is cemented; electric work where there is power; drain lines where something drains."""
        self.assertNotIn("site/cure", sheet_of([SOFTENER], HARD_ONLY).by_id)
        plastic = {"flow": "7 gpm", "pipe": {"material": "cpvc", "size": "1 in", "length": "40 ft"}}
        self.assertIn("site/cure", sheet_of([SOFTENER], HARD_ONLY, supply=plastic).by_id)
        self.assertNotIn("site/cure", sheet_of([SOFTENER], HARD_ONLY, supply=plastic, site={"joining": "push_fit"}).by_id)
        cemented = sheet_of([SOFTENER], HARD_ONLY, site={"joining": "solvent"})
        self.follow(cemented, "site/join", "site/cure", "site/restore_main")
        self.assertEqual(self.after(cemented, "site/restore_main", "site/cure"), 120)
        plain = sheet_of([FIVE], HARD_ONLY)
        self.assertFalse({"site/electric", "site/drain_lines"} & set(plain.by_id))

    def test_an_empty_train_has_nothing_to_start(self) -> None:
        self.assertEqual(sheet_of([], HARD_ONLY).steps, ())


class AnyTrain(TestCase):
    def holds(self, chosen: EvaluatedTrain, name: str) -> Sheet:
        """Walked from top to bottom no need is missing; every unit opens after those before it, after its soaks, and is proven."""
        found = sheet(chosen)
        place = {step.id: i for i, step in enumerate(found.steps)}
        self.assertEqual(len(place), len(found.steps), "every step once")
        for step in found.steps:
            for need in step.needs:
                self.assertLess(place[need.id], place[step.id], f"{name}: {need.id} before {step.id}")
            if step.stage is not None and (step.row.ahead or step.phase == "before"):
                self.assertLess(place[step.id], place[f"{step.stage.id}/open"], step.id)
        for before, after in pairwise(stage for stage in chosen.run.stages if not stage.at_tap):
            if before.id in found.late and after.id not in found.late:
                continue  # it stands in bypass meanwhile
            self.assertIn(f"{before.id}/open", ahead_of(found.by_id, [f"{after.id}/open"]))
            for step in found.steps:
                if (
                    step.row.clears
                    and step.stage is not None
                    and not step.stage.at_tap
                    and step.stage.index <= before.index
                    and (after.id in found.late or step.stage.id not in found.late)
                ):
                    self.assertLess(place[step.id], place[f"{after.id}/open"], f"{step.id} before {after.id} gets water")
        for stage in chosen.run.stages:
            self.assertLess(place[f"{stage.id}/open"], place[f"{stage.id}/prove"], "a start and a proof")
        if found.steps:
            self.assertEqual(found.steps[0].id, "site/kit_check")
            self.assertLess(place["site/vent_air"], place["site/heater_on"])
        return found

    def in_visits(self, found: Sheet, coming: Sequence[InstallVisit], name: str) -> None:
        """Every step once, none before its needs and their waits, those of one trade one after another; water comes back in the visit that shut it."""
        work = [done for visit in coming for done in visit.work]
        done = {each.step.id: each for each in work}
        self.assertEqual(sorted(each.step.id for each in work), sorted(step.id for step in found.steps), name)
        for trade in {TRADE.get(each.step.row.who, "") for each in work}:
            for first, then in pairwise(each for each in work if TRADE.get(each.step.row.who, "") == trade):
                self.assertLessEqual(first.end, then.begin)
        for each in work:
            for need in each.step.needs:
                self.assertGreaterEqual(each.begin, done[need.id].end + (need.after or 0.0), f"{name}: {each.step.id}")
        if work:
            shut = next(visit for visit in coming if OFF in {each.step.id for each in visit.work})
            self.assertIn(next(id for id in BACK if id in found.by_id), {each.step.id for each in shut.work}, name)
            warm = done[WARM].end <= shut.end
            self.assertTrue(warm or shut.length > 8 * 60, f"{name}: left without hot water on a short day")

    def test_the_sheets_and_visits_of_all_golden_jobs(self) -> None:
        """What must hold in any, and each visit on a day of its own, begun within working hours; every treatment was on a sheet."""
        kinds = set()
        for row in frozen():
            chosen = design(read_job(row["job"])).chosen
            found = self.holds(chosen, row["name"])
            coming = visits(found)
            self.in_visits(found, coming, row["name"])
            for first, then in pairwise(coming):
                self.assertLess(first.day, then.day)
            if coming:
                self.assertGreaterEqual(min(visit.work[0].begin % DAY for visit in coming), 9 * 60)
            kinds |= {stage.kind for stage in chosen.run.stages}
        self.assertEqual(kinds, set(ROOMS))

    @fuzz(60)
    @given(st.lists(st.sampled_from(sorted(ROOMS)), max_size=9), st.dictionaries(st.integers(1, 6), st.floats(0, 30 * DAY), max_size=3))
    def test_the_sheets_and_visits_of_any_train(self, kinds: list[str], moved: dict[int, float]) -> None:
        """In whatever order somebody puts units together, wherever they move the visits."""
        chosen = worked(job(train=[{"kind": kind} for kind in kinds])).chosen
        found = self.holds(chosen, " ".join(kinds))
        self.in_visits(found, visits(found, moved=moved), " ".join(kinds))

    def test_thirty_units(self) -> None:
        """A train longer than any house has is still put in order and into visits."""
        found = self.holds(worked(job(train=[{"kind": kind} for kind in sorted(ROOMS) * 2][:30])).chosen, "thirty")
        self.in_visits(found, visits(found), "thirty")

    def test_a_circle_is_told(self) -> None:
        """Two steps that wait for each other have no order."""
        row = rows("site")[0]
        steps = [Step("a", None, row, "build", (StepNeed("b"),)), Step("b", None, row, "build", (StepNeed("a"),))]
        with self.assertRaisesRegex(NoOrder, "a, b"):
            walked(steps)


class Visits(TestCase):
    def where(self, found: Sheet) -> tuple[tuple[InstallVisit, ...], dict[str, InstallVisit]]:
        coming = visits(found)
        return coming, {done.step.id: visit for visit in coming for done in visit.work}

    def test_a_filter_takes_two(self) -> None:
        """Put in on the first day; three days later leaks, the test of the water and hand over in one."""
        coming, at = self.where(sheet_of([FIVE], HARD_ONLY))
        self.assertEqual(len(coming), 2)
        self.assertEqual({at[id].number for id in ("site/leak_check_next_day", "site/retest_water", "site/hand_over")}, {2})

    def test_a_softener_alone_is_a_day(self) -> None:
        """Put in, salted, stepped through and proven before anybody draws hot water; leaks, test and hand over three days later."""
        coming, at = self.where(sheet_of([SOFTENER], HARD_ONLY))
        self.assertEqual([visit.day for visit in coming], [0, 4])
        self.assertEqual((at["softener/cycle_through"].number, at["site/heater_on"].number, at["softener/prove"].number), (1, 1, 1))
        self.assertEqual((coming[0].day, coming[0].at), (0, "09:00"))
        # 2 elbows × 2, 3 + 2 valves × 2, 2 + 1 tees × 3, 2 unions, 2 sample taps × ½ = 26 joints of PEX at 1.2 min: 16 on the bench, 10 and 15 min on the wall: 27 min
        # dry fit 10 + 7, drain lines 10 + 10, join 27; shutting, relieving, restoring, looking 5 + 10 + 10 + 10: 99 min without water
        self.assertEqual(coming[0].water_off, 99)

    def test_a_day_that_is_full_goes_on_the_next_morning(self) -> None:
        """Six units that nothing goes round are more than ten hours from heater off to heater on: the rest is done the next morning, and the sheet says whom it keeps waiting."""
        bare = {"install": {"bypass": False}}
        train = [
            {"kind": kind, "id": f"u{i}"} | bare
            for i, kind in enumerate(("neutralizer", "oxidizing_filter", "softener", "anion_exchange", "carbon", "uv"))
        ]
        found = sheet_of(train)
        _, at = self.where(found)
        self.assertEqual(found.late, frozenset())
        self.assertGreater(at["site/heater_on"].number, at["site/heater_off"].number)
        self.assertIn("all water runs through them", " ".join(found.by_id["site/vent_air"].do("us")))

    def test_carbon_soaks_between_two_visits(self) -> None:
        """Its soak is begun on the first, the water is shut on the second, two days on and not an hour sooner than the soak is over."""
        coming, at = self.where(sheet_of([CARBON, SOFTENER], HARD_ONLY))
        self.assertEqual(len(coming), 3)
        self.assertEqual((at["carbon/soak"].number, at["site/shut_main"].number, at["carbon/open"].number), (1, 2, 2))
        # kit check 21, main valve 10, place 10, load 40, fill 20, soak by hand 10: begun 10:51, over two days later
        self.assertEqual((coming[1].day, coming[1].at), (2, "11:00"))
        self.assertEqual(coming[0].water_off, 0)

    def test_scale_control_soaks_in_bypass_while_the_house_has_hot_water(self) -> None:
        """Air out and heater on at the first visit; the unit is rinsed and opened at the second."""
        _, at = self.where(sheet_of([FIVE, {"kind": "scale_control", "id": "scale", "method": "crystallisation"}], HARD_ONLY))
        self.assertEqual((at["scale/soak"].number, at["site/vent_air"].number, at["site/heater_on"].number), (1, 1, 1))
        self.assertEqual((at["scale/rinse"].number, at["scale/open"].number), (2, 2))

    def test_a_visit_is_moved(self) -> None:
        """The second of a carbon's two, wanted two days and an hour later: it is; what follows comes three days after it."""
        found = sheet_of([CARBON], HARD_ONLY)
        plain = visits(found)
        self.assertEqual((plain[1].day, plain[1].at), (2, "11:00"))
        calendar = Calendar(found, moved={2: 4 * DAY + 10 * 60})
        coming = calendar.visits()
        self.assertEqual((coming[1].day, coming[1].at, calendar.misfits), (4, "10:00", []))
        self.assertEqual(coming[2].day - coming[1].day, 3)

    def test_a_visit_that_does_not_fit(self) -> None:
        """Wanted on the day after, while the carbon soaks: it comes when the soak is over, and the soak is told with its hour."""
        calendar = Calendar(sheet_of([CARBON], HARD_ONLY), moved={2: DAY + 10 * 60})
        coming = calendar.visits()
        (misfit,) = calendar.misfits
        assert misfit.step is not None
        self.assertEqual((misfit.number, misfit.step.id, misfit.begin), (2, "carbon/soak", 2 * DAY + 11 * 60))
        self.assertEqual((coming[1].day, coming[1].at), (2, "11:00"))


class Own(TestCase):
    def test_every_duration_may_be_replaced(self) -> None:
        """Each of the table is offered; put in, the row has it and says so with its reason."""
        told = 0
        for path, ours in working_values().items():
            if path.startswith(f"{STARTING}."):
                _, section, verb, name = path.split(".")
                row = with_own(next(row for row in rows(section) if row.verb == verb), {path: OwnValue(ours.most, "min", "our own trials")})
                self.assertEqual(getattr(row, name), ours.most)
                self.assertIn(f"{ours.most:g} min in place of {ours.value:g}: our own trials", row.source)
                told += 1
        self.assertGreater(told, 100)

    def test_a_soak_of_the_makers(self) -> None:
        """The maker of a wetted carbon asks for 24 h: begun at 10:48, the second visit is on the next day, and the sheet says whose value it is."""
        own = {"starting.carbon.soak.wait": {"value": 1440, "unit": "min", "reason": "the maker's sheet"}}
        found = sheet_of([CARBON], HARD_ONLY, working_values=own)
        self.assertEqual((visits(found)[1].day, visits(found)[1].at), (1, "11:00"))
        self.assertIn("wait 1440 min in place of 2880: the maker's sheet", found.by_id["carbon/soak"].row.source)

    def test_what_would_hurt_is_refused(self) -> None:
        """Disinfecting for less than two hours, a leak test of less than ten minutes: beyond the bounds, whatever the reason."""
        for path, value in (("site.sanitize.wait", 60), ("uv.leak_test.wait", 5), ("site.retest_microbes.after", 600)):
            with self.assertRaisesRegex(BadDocument, "expected a number from"):
                sheet_of([LAMP], working_values={f"starting.{path}": {"value": value, "unit": "min", "reason": "in a hurry"}})


class Readings(TestCase):
    def expected(self, train: list[dict[str, Any]], readings: dict[str, str | None] | None = None, **parts: Any) -> dict[str, ExpectedReading]:
        chosen = worked(job(parts, readings=readings, train=train)).chosen
        expected = Expectations(chosen)
        return {f"{step.id} {reading.key.key}": reading for step in sheet(chosen).steps for reading in expected.of(step)}

    def test_hardness_behind_a_softener(self) -> None:
        """What it leaves, and one grain (17.1 mg/L) that the drops do not tell; no lower end."""
        chosen = worked(job({}, readings=HARD_ONLY, train=[SOFTENER])).chosen
        left = chosen.run.stages[0].water_out.hardness
        reading = self.expected([SOFTENER], HARD_ONLY)["softener/prove softener.hardness_out"]
        self.assertIsNone(reading.low)
        assert reading.high is not None
        self.assertAlmostEqual(reading.high, max(left, chosen.run.stages[0].mild_out.hardness) + 17.1)
        self.assertTrue(reading.holds(5.0) and not reading.holds(120.0))
        self.assertTrue(reading.holds(0.0, 300.0), "an interval that may lie within it")

    def test_first_water_in_the_brine_tank(self) -> None:
        """Salt of one regeneration at 3 lb in the gallon, in a square tank 46 cm wide; a fifth more or less."""
        chosen = worked(job({}, readings=HARD_ONLY, train=[SOFTENER])).chosen
        salt = chosen.run.stages[0].figures["salt_per_regeneration"].value
        litres = salt / 0.45359237 / 3 * 3.785411784
        height = litres / 1000 / 0.46**2
        reading = self.expected([SOFTENER], HARD_ONLY)["softener/brine_fill softener.brine_level"]
        assert reading.low is not None and reading.high is not None
        self.assertAlmostEqual(reading.low, height * 0.8, places=6)
        self.assertAlmostEqual(reading.high, height * 1.2, places=6)

    def test_backwash_and_pressures(self) -> None:
        """At least what lifts the bed; pressure between the design's clean line at design flow and what stands at rest, give or take a gauge."""
        chosen = worked(job({}, readings=HARD_ONLY, train=[CARBON, SOFTENER])).chosen
        found = self.expected([CARBON, SOFTENER], HARD_ONLY)
        self.assertEqual(found["softener/cycle_through softener.backwash_flow"].low, chosen.run.stages[1].figures["backwash_flow"].value)
        behind = found["softener/prove softener.pressure_out"]
        assert behind.low is not None and behind.high is not None
        clean = next(point.clean for point in chosen.pressure.points if point.at == "softener")
        self.assertAlmostEqual(behind.low, clean - 13.8)
        self.assertAlmostEqual(behind.high, chosen.audit.duty.supply.pressure_high + 13.8)

    def test_microbes_are_present_or_absent(self) -> None:
        """Nothing above none at all is as designed."""
        found = self.expected([FIVE, LAMP])
        reading = found["site/retest_microbes tap.e_coli"]
        self.assertTrue(reading.holds(0.0) and not reading.holds(1.0))

    def test_what_a_unit_raises_has_two_ends(self) -> None:
        """pH and hardness behind a neutralizer; a lamp changes nothing that is read, so only its pressures are."""
        found = self.expected([{"kind": "neutralizer", "id": "stone"}, FIVE, LAMP])
        for what in ("ph_out", "hardness_out"):
            reading = found[f"stone/prove stone.{what}"]
            self.assertTrue(reading.low is not None and reading.high is not None and reading.low < reading.high)
        self.assertEqual({key for key in found if key.startswith("uv/prove")}, {"uv/prove uv.pressure_in", "uv/prove uv.pressure_out"})

    def test_every_reading_of_every_golden_job_can_be_redone(self) -> None:
        """Keys are those of a log, ends in their order, and the last lines of the working give both ends."""
        seen = set()
        for row in frozen():
            chosen = design(read_job(row["job"])).chosen
            expected = Expectations(chosen)
            for step in sheet(chosen).steps:
                for reading in expected.of(step):
                    seen.add(reading.key.what)
                    self.assertEqual(log_key(reading.key.key, expected.ids), reading.key)
                    self.assertTrue(reading.low is not None or reading.high is not None)
                    if reading.low is not None and reading.high is not None:
                        self.assertLessEqual(reading.low, reading.high, f"{row['name']}: {reading.key.key}")
                    self.assertLessEqual({end for end in (reading.low, reading.high) if end is not None}, {line.value for line in reading.working})
        self.assertGreater(len(seen), 15)


class Amounts(TestCase):
    def test_the_sheet_names_what_is_set(self) -> None:
        """Hour of the night of each head, hardness to set, first water, pre-charge 2 psi below a cut-in of 40."""
        found = sheet_of(
            [CARBON, SOFTENER, {"kind": "pressure_tank", "id": "tank"}], HARD_ONLY, supply={"pressure_low": "40 psi", "pressure_high": "60 psi"}
        )
        self.assertRegex(" ".join(found.by_id["softener/program"].do("us")), r"Hardness to set: [\d.]+ gpg.*Regeneration time: 0\d:00")
        self.assertIn("Precharge: 38 psi", found.by_id["tank/precharge"].do("us"))
        self.assertRegex(" ".join(found.by_id["softener/brine_fill"].do("metric")), r"First water: \d+(\.\d)? L")


class Tables(TestCase):
    def test_every_treatment_has_steps_and_every_step_speaks(self) -> None:
        """Words of the format only; needs name steps that exist; each has a title, what to do, why, a bad sign, a time and a source."""
        found = table("commissioning")
        self.assertEqual(set(found) - set(COMMON), set(ROOMS))
        verbs = {section: {row.verb for row in rows(section)} for section in found if section not in OTHER}
        for section in verbs:
            for row in rows(section):
                self.assertIn(row.phase, PHASES)
                self.assertIn(row.who, WHO)
                self.assertIn(said(row.where, frozenset(), {}), WHERE)
                self.assertTrue(row.title and row.do and row.why and row.bad_sign and row.hands_on > 0 and row.source, row.verb)
                self.assertLessEqual({each.rpartition("] ")[2] for each in row.hazards}, set(found["hazards"]))
                for text in row.needs:
                    whose, _, verb = text.rpartition("] ")[2].partition("+")[0].rpartition("/")
                    of_units = set().union(*verbs.values()) | {
                        "clears",
                        "last",
                        "ready",
                        "hosed",
                        "open_air",
                        "source",
                        "served",
                    }  # names of what steps are, beside verbs
                    own = (
                        verbs[section]
                        | verbs["unit"]
                        | verbs["bed"]
                        | verbs["valve"]
                        | verbs["brine"]
                        | {"served"}
                        | (of_units if section in ("unit", "valve", "brine", "hosed") else set())
                    )
                    known = verbs["site"] if whose == "site" else of_units if whose else own
                    self.assertIn(verb, known, f"{section}.{row.verb} needs {text}")


class Printed(TestCase):
    def run_with(self, text: str, *more: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), mock.patch("sys.stdin", mock.Mock(buffer=io.BytesIO(text.encode()))):
            status = main(["-", *more])
        return status, out.getvalue(), err.getvalue()

    def test_the_sheet_as_text(self) -> None:
        """Title, cautions, headings, every step with its box; what must be waited for says after which step."""
        status, out, _ = self.run_with(json.dumps(job(readings=HARD_ONLY, train=[CARBON])))
        self.assertEqual(status, 0)
        self.assertTrue(out.startswith("# Commissioning checklist: Acid well"))
        self.assertIn("only a laboratory sample lifts a boil-water notice", out)
        self.assertEqual(out.count("Installers' practice"), 1, "each source once, at the end")
        self.assertIn("[ ] **Carbon filter: Soak the carbon for two days** !", out)
        self.assertIn("**Visit 2: day 2, 11:00**", out)
        self.assertRegex(out, r"Not sooner than 2 days after step \d+")

    def test_dates_from_a_start(self) -> None:
        """2026-12-07 is a Monday: begun at 07:30 the soak is over on Wednesday at 09:18, an hour and a half sooner than from 09:00."""
        out = self.run_with(json.dumps(job(readings=HARD_ONLY, train=[CARBON])), "--start", "2026-12-07T07:30")[1]
        self.assertIn("**Visit 1: Monday 2026-12-07, 07:30**", out)
        self.assertIn("**Visit 2: Wednesday 2026-12-09, 09:30**", out)

    def test_a_start_that_is_no_time(self) -> None:
        """Refused with an example; a time zone, too."""
        for text in ("soon", "2026-13-01T09:00", "2026-12-07T09:00+01:00"):
            with self.assertRaises(SystemExit) as ended, contextlib.redirect_stderr(io.StringIO()) as err:
                main(["-", "--start", text])
            self.assertEqual(ended.exception.code, 2)
            self.assertIn("--start", err.getvalue())

    def test_what_is_refused_and_what_is_empty(self) -> None:
        """A line for each fault and status 2; an empty train is told."""
        status, out, err = self.run_with('{"format": "cairn-job/1", "supply": {"flow": "seven"}}')
        self.assertEqual((status, out), (2, ""))
        self.assertIn("$.supply.flow", err)
        self.assertIn("nothing to commission", self.run_with(json.dumps(job(train=[])))[1])

    def test_a_calendar(self) -> None:
        """An event for each visit, by the clock of the place; from the job's own day where no start is said; a folder that is none is refused."""
        with tempfile.TemporaryDirectory() as folder:
            text, path = json.dumps(job(readings=HARD_ONLY, train=[CARBON]) | {"as_of": "2026-11-24"}), f"{folder}/visits.ics"
            self.assertEqual(self.run_with(text, "--start", "2026-12-07T09:00", "--ics", path)[0], 0)
            events = list(Calendared.from_ical(Path(path).read_bytes()).walk("VEVENT"))
            self.assertEqual([event["dtstart"].dt.isoformat() for event in events][:2], ["2026-12-07T09:00:00", "2026-12-09T11:00:00"])
            self.assertIn("Soak the carbon for two days", events[0]["description"])
            self.assertEqual(self.run_with(text, "--ics", path)[0], 0)
            self.assertEqual(Calendared.from_ical(Path(path).read_bytes()).walk("VEVENT")[0]["dtstart"].dt.isoformat(), "2026-11-24T09:00:00")
            status, _, err = self.run_with(text, "--ics", f"{folder}/none/visits.ics")
            self.assertEqual(status, 2)
            self.assertIn("cannot write", err)

    def test_the_design_document_carries_it(self) -> None:
        """All steps in an order to walk, the visits hold each once, times in minutes."""
        document = design_document(worked(job(readings=HARD_ONLY, train=[CARBON, SOFTENER])))["commissioning"]
        ids = [step["id"] for step in document["steps"]]
        self.assertEqual(sorted(ids), sorted(id for visit in document["visits"] for id in visit["steps"]))
        soak = next(step for step in document["steps"] if step["id"] == "carbon/soak")
        self.assertEqual((soak["wait"], soak["phase"], soak["stage"], soak["where"]), ({"value": 2880, "unit": "min"}, "before", "carbon", "either"))
        opened = next(step for step in document["steps"] if step["id"] == "carbon/open")
        self.assertIn({"id": "carbon/soak", "after": {"value": 2880, "unit": "min"}}, opened["needs"])
        # 91 min to the soak, the main valve tried meanwhile, and 10 by hand; 48 h; the day after the next at 11:00
        self.assertEqual([(visit["day"], visit["at"]) for visit in document["visits"][:2]], [(0, "09:00"), (2, "11:00")])
        self.assertEqual(document["totals"]["hands_on"]["value"], sum(step["hands_on"]["value"] for step in document["steps"]))
        self.assertEqual(design_document(worked(job(train=[])))["commissioning"]["totals"]["visits"], 0)

    def test_times_as_people_say_them(self) -> None:
        self.assertEqual(
            [minutes(value) for value in (0, 45, 60, 90, 1440, 2880, 3000)], ["0 min", "45 min", "1 h", "1 h 30 min", "24 h", "2 days", "50 h"]
        )
