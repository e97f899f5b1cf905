from __future__ import annotations

from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..design import Design
from ..papers.design_file import design_document
from ..treatments import ROOMS
from .example import HARD_ONLY, ids, job, worked
from .fuzz import fuzz


def kinds(design: Design) -> list[str]:
    return [stage.kind for stage in design.plan.train]


class ComposedTrains(TestCase):
    def test_acid_iron_hard_and_microbes(self) -> None:
        """Acid first, then iron, then hardness, then a fine filter, then light: the shortest order that holds."""
        design = worked(job())
        self.assertEqual(kinds(design), ["neutralizer", "oxidizing_filter", "softener", "sediment", "uv"])
        self.assertTrue(design.plan.complete)
        self.assertEqual(ids(design.proposal.findings, "fault"), set())
        self.assertEqual(ids(design.proposal.findings, "danger"), {"boil-water"})

    def test_merely_hard_water_gets_a_softener_alone(self) -> None:
        """Nothing without a purpose is added."""
        self.assertEqual(kinds(worked(job(readings=HARD_ONLY))), ["softener"])

    def test_good_water_gets_nothing(self) -> None:
        """No treatment is needed, and for every treatment it says why."""
        design = worked(job(readings=HARD_ONLY | {"hardness": "3 gpg"}))
        self.assertEqual(kinds(design), [])
        self.assertTrue(design.plan.complete)
        self.assertEqual(set(design.plan.not_used), set(ROOMS))

    def test_softener_takes_a_little_iron_alone(self) -> None:
        """Ferrous iron up to 2 mg/L goes with the hardness; above it an iron filter comes first."""
        low = {"iron": "1.5 mg/L", "ferrous_iron": "1.5 mg/L"}
        self.assertEqual(kinds(worked(job(readings=HARD_ONLY | low))), ["softener"])
        high = {"iron": "4 mg/L", "ferrous_iron": "4 mg/L", "ph": "7.4"}
        self.assertEqual(kinds(worked(job(readings=HARD_ONLY | high))), ["oxidizing_filter", "softener"])

    def test_wishes_are_respected(self) -> None:
        """No salt means no softener but scale control, which is said not to soften."""
        design = worked(job({"wishes": {"no_salt": True, "soft_water": True}}, readings=HARD_ONLY))
        self.assertNotIn("softener", kinds(design))
        self.assertIn("preferences", design.plan.not_used["softener"])
        self.assertEqual(kinds(design), ["scale_control"])
        self.assertIn("scale-control-not-soft", ids(design.proposal.findings))
        bare = worked(job({"wishes": {"no_salt": True, "soft_water": True}}, readings=HARD_ONLY, train=[]))
        self.assertIn("unmet/hardness", ids(bare.chosen.findings))

    def test_prefilter_school(self) -> None:
        """Always a filter first is a school: off by default, a 25 µm cartridge at the head where it is chosen."""
        design = worked(job({"schools": {"prefilter": "single"}}, readings=HARD_ONLY))
        self.assertEqual(kinds(design), ["sediment", "softener"])
        self.assertEqual(design.proposal.run.stages[0].sizing.params["micron"], 25)

    def test_reasons_name_what_breaks(self) -> None:
        """Why it is here, and why at this place, in the terms of this water."""
        reasons = worked(job()).proposal.reasons
        self.assertTrue(any("pH" in reason for reason in reasons["neutralizer"]))
        self.assertTrue(any("iron" in reason for reason in reasons["oxidizing_filter"]))
        self.assertTrue(any(reason.startswith("Installed after the") for reason in reasons["softener"]))
        self.assertTrue(any("UV unit" in reason for reason in reasons["sediment"]))

    def test_a_filter_that_comes_again_says_why(self) -> None:
        """Before the carbon and before the lamp the same filter: the second names what stands between them; a filter of its own kind there says nothing of it."""
        dirty: dict[str, str | None] = HARD_ONLY | {"turbidity": "3 NTU", "total_coliform": "present"}
        twice = worked(job({"train": [{"kind": kind} for kind in ("sediment", "carbon", "sediment", "uv")]}, readings=dirty)).chosen.reasons
        self.assertFalse(any("further up" in reason for reason in twice["sediment"]))
        self.assertTrue(any("before the carbon filter, which can release" in reason for reason in twice["sediment-2"]), twice["sediment-2"])
        beside = worked(job({"train": [{"kind": kind} for kind in ("sediment", "sediment", "uv")]}, readings=dirty)).chosen
        self.assertIn(("unneeded/sediment", "sediment-2"), {(finding.rule, finding.stage) for finding in beside.findings})

    def test_a_pump_grows_until_nothing_more_pressure_would_cure_is_left(self) -> None:
        """At 40 ft 50 psi leave less than half of what is needed with dirty filters (a caution): the next step of 60 psi is taken, at 60 ft that of 70."""
        for height, pressure in (("20 ft", 345.0), ("40 ft", 414.0), ("60 ft", 483.0)):
            design = worked(job({"supply": {"pressure_low": "20 psi", "pressure_high": "40 psi"}, "building": {"top_fixture_height": height}}))
            pumps = [stage.sizing.params["pressure"] for stage in design.proposal.run.stages if stage.kind == "booster_pump"]
            self.assertEqual(pumps, [pressure], height)
            self.assertNotIn("pressure-short", ids(design.proposal.findings, "caution") | ids(design.proposal.findings, "fault"))

    def test_the_pump_of_a_roof_is_set_higher_than_the_old_one_where_that_was_too_little(self) -> None:
        """Behind a tank the train's own pump gives the pressure: 20 psi are not kept only because they were told."""
        for told, pressure in (("20 psi", 345.0), ("40 psi", 275.79)):
            design = worked(
                job(
                    {"source": {"kind": "rain"}, "supply": {"pressure_low": told, "pressure_high": "60 psi"}},
                    readings=HARD_ONLY | {"hardness": "4 gpg"},
                )
            )
            pump = next(stage for stage in design.proposal.run.stages if stage.kind == "booster_pump")
            self.assertAlmostEqual(pump.sizing.params["pressure"], pressure, places=2)
            self.assertNotIn("pressure-short", ids(design.proposal.findings, "caution") | ids(design.proposal.findings, "fault"))

    def test_a_pump_lifts_an_air_charged_valve_into_its_window(self) -> None:
        """At 30 psi the valve of an air-charged bed draws no air: what a rule of one stage finds on pressure counts, too."""
        low = {
            "supply": {"flow": "8 gpm", "pressure_low": "30 psi", "pressure_high": "60 psi"},
            "building": {"top_fixture_height": "4 ft"},
            "wishes": {"soft_water": None},
        }
        gassy = HARD_ONLY | {"hardness": "4 gpg", "manganese": "0.3 mg/L", "ph": "5.8", "alkalinity": "120 mg/L CaCO3", "uvt": None}
        bare = worked(job(low, readings=gassy, train=[{"kind": "aeration"}, {"kind": "oxidizing_filter"}]))
        self.assertIn("air-window", ids(bare.chosen.findings))
        self.assertNotIn("pressure-short", ids(bare.chosen.findings, "fault"))
        self.assertEqual([stage.kind for stage in bare.plan.train], ["booster_pump", "aeration", "oxidizing_filter"])
        self.assertNotIn("air-window", ids(bare.proposal.findings))

    def test_what_cannot_be_done_is_said(self) -> None:
        """Much iron in acid water without power: calcite would be coated, nothing can be fed; no train is made up, the reason is given."""
        design = worked(job({"wishes": {"no_power": True}}, readings={"iron": "8 mg/L", "ferrous_iron": "8 mg/L"}))
        self.assertFalse(design.plan.complete)
        self.assertIn("iron is 8", design.plan.not_used["neutralizer"])

    def test_what_no_train_mends_does_not_cost_the_lamp(self) -> None:
        """A thin drain line and a narrow wall are the room's faults: the train is whole, lamp included, and the faults are told."""
        site = {"wall_width": "4 ft", "drain": {"kind": "standpipe", "distance": "22 ft", "lift": "3 ft", "bore": "3/8 in"}}
        design = worked(job({"site": site}))
        self.assertTrue(design.plan.complete)
        self.assertEqual([stage.kind for stage in design.proposal.run.stages], ["neutralizer", "oxidizing_filter", "softener", "sediment", "uv"])
        self.assertLessEqual({"drain-bore", "does-not-fit"}, ids(design.proposal.findings, "fault"))

    def test_of_trains_that_do_as_well_the_usual_order_is_taken(self) -> None:
        """Neutralizer, iron filter and softener could stand otherwise here: the order of the trade is proposed."""
        sulfide = HARD_ONLY | {"hydrogen_sulfide": "0.8 mg/L", "ph": "7.4", "hardness": "20 gpg", "alkalinity": "200 mg/L as CaCO3"}
        self.assertEqual([stage.kind for stage in worked(job(readings=sulfide)).proposal.run.stages], ["oxidizing_filter", "softener"])
        acid = sulfide | {"ph": "5.8", "alkalinity": "30 mg/L as CaCO3"}
        self.assertEqual([stage.kind for stage in worked(job(readings=acid)).proposal.run.stages], ["neutralizer", "oxidizing_filter", "softener"])

    def test_meeting_a_health_need_comes_before_any_fault(self) -> None:
        """No drain at all: every bed that is washed is at fault, yet the microbes are held before faults are counted."""
        design = worked(job({"site": {"drain": {"kind": "none"}}}, readings={"iron": "6 mg/L", "ferrous_iron": "6 mg/L"}))
        self.assertFalse(design.plan.complete)
        self.assertNotIn("microbes-untreated", ids(design.proposal.findings, "danger"))

    def test_a_given_train_is_never_reordered(self) -> None:
        """It is audited as it stands; the proposal stands beside it."""
        design = worked(job(train=[{"kind": "uv"}, {"kind": "softener"}]))
        self.assertEqual([stage.kind for stage in design.chosen.run.stages], ["uv", "softener"])
        document = design_document(design)
        self.assertEqual([stage["kind"] for stage in document["train"]], ["uv", "softener"])
        self.assertEqual(
            [stage["kind"] for stage in document["proposal"]["train"]], ["neutralizer", "oxidizing_filter", "softener", "sediment", "uv"]
        )

    def test_an_empty_train_is_audited(self) -> None:
        """No stage at all: what is unmet is said."""
        found = worked(job(train=[])).chosen.findings
        self.assertIn("microbes-untreated", ids(found, "danger"))
        self.assertIn("unmet/hardness", ids(found))

    @given(
        st.floats(0.5, 35), st.floats(5.5, 8.4), st.floats(0, 12), st.floats(0, 0.6), st.floats(15, 300),
        st.sampled_from(["present", "absent"]), st.floats(4, 15), st.integers(1, 8),
    )  # fmt: skip
    @fuzz(60)
    def test_planners_own_trains_have_no_fault(
        self, grains: float, ph: float, iron: float, mn: float, alkalinity: float, coliform: str, gpm: float, people: int
    ) -> None:
        """On any plausible well a complete proposal has no fault and no danger but the notice about the water itself."""
        readings = {
            "hardness": f"{grains:.2f} gpg", "ph": f"{ph:.2f}", "iron": f"{iron:.2f} mg/L", "ferrous_iron": f"{iron:.2f} mg/L",
            "manganese": f"{mn:.3f} mg/L", "alkalinity": f"{alkalinity:.0f} mg/L as CaCO3", "total_coliform": coliform,
        }  # fmt: skip
        design = worked(
            job(
                {"supply": {"flow": f"{gpm:.2f} gpm", "pressure_low": "50 psi", "pressure_high": "70 psi"}, "building": {"people": people}},
                readings=readings,
            )
        )
        found = design.proposal.findings
        if design.plan.complete:
            self.assertEqual(ids(found, "fault") | ids(found, "danger") - {"boil-water"}, set())
        else:
            reported = {f.rule for f in found if f.severity in ("danger", "fault") or f.rule.startswith(("unmet/", "health/"))}
            self.assertTrue(reported - {"boil-water"} or design.plan.not_used)


class AlongTheTrain(TestCase):
    """Needs are judged on the water as the train makes it, not on the raw water alone."""

    def test_hardness_made_by_calcite_asks_for_a_softener(self) -> None:
        """5 gpg is soft enough below 7; acid water of 60 mg/L of CO2 takes up calcite well beyond that: a softener follows it."""
        acid = {
            "hardness": "5 gpg",
            "ph": "6.0",
            "alkalinity": "40 mg/L as CaCO3",
            "iron": "<0.05 mg/L",
            "ferrous_iron": None,
            "total_coliform": "absent",
        }
        plan = [stage.kind for stage in worked(job(readings=acid)).proposal.run.stages]
        self.assertLess(plan.index("neutralizer"), plan.index("softener"))
        gentle = acid | {"hardness": "2 gpg", "ph": "6.4", "alkalinity": "25 mg/L as CaCO3"}
        self.assertNotIn("softener", [stage.kind for stage in worked(job(readings=gentle)).proposal.run.stages])

    def test_a_need_that_stays_met_is_not_shown(self) -> None:
        """Soft water wished, 5 gpg and nothing that hardens it: it asks for nothing."""
        quiet = {
            "hardness": "5 gpg",
            "ph": "7.4",
            "alkalinity": "120 mg/L as CaCO3",
            "iron": "<0.05 mg/L",
            "ferrous_iron": None,
            "total_coliform": "absent",
        }
        self.assertNotIn("hardness", [need.goal for need in worked(job(readings=quiet)).needs])


class WhereNothingMeetsEveryNeed(TestCase):
    """The train that comes nearest is judged like any other: what can be mended in it is."""

    HOPELESS = {"tannin": "6 mg/L", "zinc": "9 mg/L"}

    def test_it_gets_its_pump(self) -> None:
        """Nothing here takes zinc out, so no plan is complete; at 22 psi it still gets the pump that its valves want."""
        weak = {"supply": {"pressure_low": "22 psi", "pressure_high": "40 psi"}}
        design = worked(job(weak, readings=self.HOPELESS))
        self.assertFalse(design.plan.complete)
        self.assertIn("booster_pump", kinds(design))
        self.assertFalse({"pressure-short", "pressure-backwash"} & ids(design.proposal.findings, "fault"))

    def test_iron_bacteria_are_fed_chlorine_first(self) -> None:
        """They slime beds and taps: chlorine with its contact stands before every bed, behind pump and valve if need be."""
        plan = kinds(worked(job(readings={"iron_bacteria": "present"})))
        beds = [plan.index(kind) for kind in ("neutralizer", "oxidizing_filter", "softener") if kind in plan]
        self.assertLess(plan.index("retention_tank"), min(beds))


class WaterOfManyTroubles(TestCase):
    """Where no cheap train works the search finds what does, and how long it looks does not grow with what nothing can be done about."""

    def test_a_bed_is_tried_again_once_an_oxidant_is_fed(self) -> None:
        """Tannin of 5 bars greensand until something is fed before it: the dug well of iron, manganese, grit, tannin and hardness is done whole."""
        troubles = {"hardness": "19 gpg", "ph": "6.9", "alkalinity": "15 mg/L CaCO3", "tds": "900 mg/L", "iron": "2.6 mg/L", "manganese": "0.6 mg/L",
                    "turbidity": "0.9 NTU", "tss": "25 mg/L", "tannin": "5 mg/L"}  # fmt: skip
        design = self.well(troubles, source="dug_well", schools={"disinfection": "barrier"}, people=3, flow="9 gpm")
        self.assertTrue(design.plan.complete)
        self.assertLess(kinds(design).index("chemical_feed"), kinds(design).index("oxidizing_filter"))

    def test_arsenic_is_oxidized_with_a_fault_rather_than_left(self) -> None:
        """70 µg/L of unknown form and 7 mg/L of organic carbon: no membrane is credited without the chlorine that so much carbon bars. It is told."""
        troubles = {"hardness": "32 gpg", "ph": "7.9", "alkalinity": "90 mg/L CaCO3", "tds": "900 mg/L", "iron": "0.9 mg/L", "manganese": "0.04 mg/L",
                    "turbidity": "15 NTU", "toc": "7 mg/L", "arsenic": "70 ug/L"}  # fmt: skip
        design = self.well(troubles, source="spring", people=7, flow="6 gpm")
        self.assertNotIn("health/arsenic", ids(design.proposal.findings, "danger"))
        self.assertIn("feed-limit/chemical_feed/toc", ids(design.proposal.findings, "fault"))
        self.assertFalse(design.plan.complete)

    def test_what_nothing_does_keeps_no_lamp_back(self) -> None:
        """Lead from the pipe at pH 7.9 and 15 mg/L of alkalinity: nothing here raises that, and the well still gets its school's lamp."""
        troubles = {"hardness": "2 gpg", "ph": "7.9", "alkalinity": "15 mg/L CaCO3", "tds": "310 mg/L", "iron": "2.6 mg/L", "manganese": "0.04 mg/L",
                    "turbidity": "4 NTU", "sodium": "280 mg/L"}  # fmt: skip
        design = self.well(troubles, source="dug_well", first={"lead": "18 ug/L"}, wishes={"soft_water": False}, people=2, flow="6 gpm")
        self.assertEqual(kinds(design), ["oxidizing_filter", "sediment", "uv", "reverse_osmosis"])
        self.assertIn("unmet/alkalinity", ids(design.proposal.findings, "caution"))

    def test_the_school_is_kept_in_haste(self) -> None:
        """A spring with manganese, sulfide, colour and 32 grains takes long to find: what is found holds microbes by the job's lamp, not by chlorine."""
        troubles = {"hardness": "32 gpg", "ph": "7.9", "alkalinity": "15 mg/L CaCO3", "tds": "310 mg/L", "iron": "0.03 mg/L", "manganese": "0.6 mg/L",
                    "turbidity": "15 NTU", "hydrogen_sulfide": "4.5 mg/L", "colour": "45 mg/L Pt-Co"}  # fmt: skip
        design = self.well(troubles, source="spring", wishes={"low_sodium": True}, people=2, flow="9 gpm")
        self.assertTrue(design.plan.complete)
        self.assertIn("uv", kinds(design))

    def well(self, troubles: dict[str, str], source: str, people: int, flow: str, first: dict[str, str] | None = None, **changes: Any) -> Design:
        samples: list[dict[str, Any]] = [{"point": "raw", "taken_on": "2026-09-01", "readings": troubles}]
        if first:
            samples.append({"point": "tap", "draw": "first", "taken_on": "2026-09-01", "readings": first})
        supply = {"flow": flow, "pressure_low": "50 psi", "pressure_high": "65 psi", "temperature": "52 °F"}
        building = {"people": people, "bathrooms": 2.5}
        facts = {"job": {"name": "Troubles", "standard": "us", "units": "us"}, "source": {"kind": source}, "building": building, "supply": supply}
        return worked({"format": "cairn-job/1", "samples": samples} | facts | changes)

    def test_larger_housings_before_too_little_pressure(self) -> None:
        """Dark water with coliform on 40 psi: in the usual housing the top tap has 9 psi behind dirty filters; in the largest there is nothing to say."""
        dark = {"total_coliform": "30 CFU/100 mL", "uvt": "55 %", "colour": "40 mg/L Pt-Co", "tannin": "1.8 mg/L", "hardness": "9 gpg", "ph": "7.4",
                "alkalinity": "160 mg/L CaCO3", "tds": "280 mg/L", "iron": "0.1 mg/L", "manganese": "0.01 mg/L", "turbidity": "0.3 NTU"}  # fmt: skip
        supply = {"flow": "8 gpm", "pressure_low": "40 psi", "pressure_high": "60 psi", "temperature": "52 °F"}
        design = self.well(dark, source="drilled_well", people=4, flow="8 gpm", supply=supply)
        filters = [stage.sizing.params["housing"] for stage in design.proposal.run.stages if stage.kind == "sediment"]
        self.assertEqual(set(filters), {"20x4.5"})
        self.assertNotIn("pressure-short", ids(design.proposal.findings, "caution"))
        self.assertNotIn("booster_pump", kinds(design))

    def test_what_is_unneeded_is_left_out_of_what_is_incomplete(self) -> None:
        """No power, microbes, iron: the train is short of pressure, and no third fine filter stands in it that takes nothing more out."""
        well = {"e_coli": "2 CFU/100 mL", "total_coliform": "9 CFU/100 mL", "iron": "0.9 mg/L", "hardness": "9 gpg", "ph": "7.4", "tds": "280 mg/L",
                "alkalinity": "160 mg/L CaCO3", "manganese": "0.01 mg/L", "turbidity": "0.3 NTU", "nitrate": "1 mg/L N"}  # fmt: skip
        supply = {"flow": "8 gpm", "pressure_low": "40 psi", "pressure_high": "60 psi", "temperature": "52 °F"}
        design = self.well(well, source="drilled_well", people=4, flow="8 gpm", supply=supply, wishes={"no_power": True})
        self.assertFalse(design.plan.complete)
        self.assertFalse([rule for rule in ids(design.proposal.findings, "caution") if rule.startswith("unneeded/")])
