"""The flow of each side: weak wells that fill a tank, and what stands before a membrane."""

from __future__ import annotations

import random
from unittest import TestCase

from ..chemistry.water import OPEN_TO_AIR
from .example import HARD_ONLY, ids, job, worked
from .test_own_trains import house

L_GAL, L_GPM = 3.785411784, 3.785411784


class WeakWells(TestCase):
    weak = job({"supply": {"flow": "2 gpm"}, "building": {"people": 4}}, readings=HARD_ONLY)

    def test_a_towns_chlorine_does_not_disinfect_what_stood_open(self) -> None:
        """1.5 mg/L of a town's own chlorine through a retention tank, behind a tank open to air: the water still asks for a lamp; fed anew, it does not."""
        town, tank = {"source": {"kind": "town"}}, [{"kind": "storage_tank"}, {"kind": "booster_pump"}]
        for fed, left in (([], 1.0), ([{"kind": "chemical_feed", "chemical": "chlorine"}], 0.0)):
            train = [*tank, *fed, {"kind": "retention_tank"}]
            run = worked(job(town, readings=HARD_ONLY | {"free_chlorine": "1.5 mg/L", "ph": "7.2"}, train=train)).chosen.run
            self.assertEqual(run.finished.value(OPEN_TO_AIR), left, fed)
        for flow in ("4 gpm", "5 gpm"):
            plan = worked(house(random.Random(893), supply={"flow": flow})).plan
            self.assertTrue(plan.complete, flow)
            self.assertTrue({"uv", "chemical_feed"} & {stage.kind for stage in plan.train}, flow)

    def test_a_days_use_is_stored_and_pumped_and_lit(self) -> None:
        """2 gpm is below the peak and below 5 gpm: a tank of a day's use (908 L), its pump, and a lamp after the tank."""
        proposal = worked(self.weak).proposal
        kinds = [stage.kind for stage in proposal.run.stages]
        self.assertEqual(kinds[:2], ["storage_tank", "booster_pump"])
        self.assertEqual(kinds[-1], "uv")
        self.assertGreaterEqual(proposal.run.stages[0].sizing.params["volume"], 4 * 60 * L_GAL * 0.999)
        self.assertFalse({"supply-short", "storage-not-disinfected", "not-repressurised"} & ids(proposal.findings))

    def test_each_side_at_its_flow(self) -> None:
        """Before the pump what the well gives; behind it the peak of the house."""
        train = [{"kind": "sediment"}, {"kind": "storage_tank"}, {"kind": "booster_pump"}, {"kind": "sediment"}, {"kind": "uv"}]
        design = worked(self.weak | {"train": train})
        before, _, pump, after, lamp = design.chosen.run.stages
        peak = design.duty.demand.peak_flow.value
        self.assertAlmostEqual(before.duty.flow, 2 * L_GPM, places=6)
        self.assertGreater(peak, 2 * L_GPM)
        for stage in (pump, after, lamp):
            self.assertAlmostEqual(stage.duty.flow, peak, places=6)
        self.assertGreater(after.sizing.figures["service_flow_limit"].value, before.sizing.figures["service_flow_limit"].value)

    def test_enough_is_left_alone(self) -> None:
        """5 gpm and more needs no tank; a town's main, an untested well and a house without power get none."""
        for changes in (
            {"supply": {"flow": "5 gpm"}}, {"supply": {"flow": "3 gpm"}, "source": {"kind": "town"}}, {"supply": {"flow": "3 gpm"}, "wishes": {"no_power": True}},
        ):  # fmt: skip
            self.assertNotIn("storage_tank", [stage.kind for stage in worked(job(changes, readings=HARD_ONLY)).proposal.run.stages])

    def test_found_in_a_given_train_and_asked_by_a_drawdown(self) -> None:
        """8 gal drawn and 4 min to recover is 2 gpm."""
        slow = job({"supply": {"flow": None, "drawdown": {"drawn": "8 gal", "recovery": "240 s"}}}, readings=HARD_ONLY, train=[{"kind": "softener"}])
        self.assertIn("supply-short", ids(worked(slow).chosen.findings))


class BeforeAMembrane(TestCase):
    def test_it_treats_feed_and_not_what_the_taps_draw(self) -> None:
        """4 x 60 gal of permeate at 0.5 recovery is 480 gal a day of feed, at the steady flow of the feed and not at the peak."""
        train = [{"kind": "softener"}, {"kind": "sediment"}, {"kind": "reverse_osmosis", "scale": "whole_house", "recovery": 0.5}]
        document = job(readings=HARD_ONLY | {"tds": "1500 mg/L"}, train=train)
        softener, filter_, membrane = worked(document).chosen.run.stages
        self.assertAlmostEqual(softener.duty.daily, 480 * L_GAL, delta=1)
        self.assertAlmostEqual(softener.figures["daily_load"].value, softener.figures["compensated_hardness"].value * 480 * L_GAL / 1000, delta=1)
        self.assertAlmostEqual(softener.duty.flow, membrane.figures["feed_flow"].value, places=6)
        self.assertAlmostEqual(filter_.duty.flow, membrane.figures["feed_flow"].value, places=6)
        self.assertAlmostEqual(membrane.duty.daily, 240 * L_GAL, delta=1)

    def test_a_membrane_at_the_tap_changes_nothing_before_it(self) -> None:
        """The house draws what it drew."""
        softener, _ = worked(
            job(readings=HARD_ONLY, train=[{"kind": "softener"}, {"kind": "reverse_osmosis", "scale": "point_of_use"}])
        ).chosen.run.stages
        self.assertAlmostEqual(softener.duty.daily, 240 * L_GAL, delta=1)


class WithoutADrain(TestCase):
    none = {"site": {"drain": {"kind": "none"}}}

    def proposed(self, **readings: str | None) -> list[str]:
        design = worked(job(self.none, readings=HARD_ONLY | readings))
        self.assertNotIn("drain-missing", ids(design.proposal.findings))
        return [stage.kind for stage in design.proposal.run.stages]

    def test_forms_that_need_none(self) -> None:
        """Scale control and not a softener, up-flow calcite, an oxidising cartridge in its set, up-flow carbon."""
        self.assertEqual(self.proposed(), ["scale_control"])
        self.assertEqual(self.proposed(hardness="3 gpg", ph="6.2", alkalinity="40 mg/L as CaCO3"), ["neutralizer"])
        self.assertEqual(self.proposed(hardness="3 gpg", hydrogen_sulfide="0.4 mg/L"), ["carbon"])

    def test_what_needs_one_anyway_says_so(self) -> None:
        """8 mg/L of iron: only a bed that is washed answers it, and the plan says that its water has nowhere to go."""
        water = {"hardness": "3 gpg", "iron": "8 mg/L", "ferrous_iron": "8 mg/L"}
        self.assertIn("drain-missing", ids(worked(job(self.none, readings=HARD_ONLY | water)).proposal.findings))


class LowCeilings(TestCase):
    def test_vessels_fit_under_it_with_room_to_fill_them(self) -> None:
        """6 ft less 8 in of valve and 300 mm: shells to 1.33 m, 52 in and lower."""
        design = worked(
            job({"site": {"ceiling": "6 ft"}, "wishes": {"soft_water": False}}, readings=HARD_ONLY | {"iron": "4 mg/L", "ferrous_iron": "4 mg/L"})
        )
        bed = next(stage.sizing.vessels for stage in design.proposal.run.stages if stage.kind == "oxidizing_filter")
        self.assertLessEqual(bed.height, 6 * 0.3048 - 8 * 0.0254 - 0.3 + 1e-6)
        self.assertFalse({"headroom", "does-not-fit"} & ids(design.proposal.findings))
