"""What taps tell: metals from the plumbing stand beside the source, a flushed sample clears nothing, limits have dates."""

from __future__ import annotations

import unittest
from typing import Any

from treatment.design import Design, design
from treatment.job.limits import limits
from treatment.job_file import read_job
from treatment.papers.design_file import design_document

QUIET_SOURCE = {
    "ph": "7.2", "alkalinity": "120 mg/L as CaCO3", "hardness": "5 gpg", "iron": "0.05 mg/L", "manganese": "0.01 mg/L", "tds": "240 mg/L",
    "total_coliform": "absent", "e_coli": "absent", "nitrate": "1 mg/L as N", "turbidity": "0.2 NTU", "lead": "<1 ug/L", "copper": "0.02 mg/L",
}  # fmt: skip


def job(*taps: dict[str, Any], **parts: Any) -> Design:
    """A mild drilled well with samples at the kitchen tap."""
    document = {
        "format": "cairn-job/1", "as_of": "2026-06-01", "source": {"kind": "drilled_well"},
        "samples": [{"point": "raw", "readings": QUIET_SOURCE}, *({"point": "tap"} | tap for tap in taps)],
        "supply": {"flow": "8 gpm", "pressure_low": "40 psi", "pressure_high": "60 psi"}, "building": {"people": 3,
        "fixtures": {"wc": 1, "basin": 1, "shower": 1, "kitchen_sink": 1}},
        "wishes": {"safe_to_drink": True}, "train": None,
    }  # fmt: skip
    return design(read_job(document | parts))


def rules(worked: Design) -> dict[str, str]:
    return {finding.rule: finding.severity for finding in worked.chosen.findings}


FIRST_DRAW = {"draw": "first", "readings": {"lead": "22 ug/L", "copper": "1.5 mg/L"}}
NOTHING = {"train": []}


class FirstDraw(unittest.TestCase):
    def test_lead_at_the_tap_is_a_danger_at_any_ph(self) -> None:
        """22 µg/L in the first draw, limit 15: a danger although the source has none and its pH is 7.2."""
        worked = job(FIRST_DRAW, **NOTHING)
        self.assertEqual(rules(worked)["health/lead"], "danger")
        self.assertEqual(rules(worked)["health/copper"], "danger")
        said = next(finding for finding in worked.chosen.findings if finding.rule == "health/lead")
        for words in ("first draw", "22", "15"):
            self.assertIn(words, said.message)
        for words in ("Flush", "certified", "infants"):
            self.assertIn(words, said.remedy)

    def test_a_membrane_at_the_tap_answers_it(self) -> None:
        """The proposal puts one there: 97 % of 22 µg/L is held, 0.66 µg/L is left; without it the danger stands."""
        worked = job(FIRST_DRAW)
        last = worked.proposal.run.stages[-1]
        self.assertEqual((last.kind, last.at_tap), ("reverse_osmosis", True))
        self.assertAlmostEqual(last.water_in.value("lead"), 0.022)
        self.assertAlmostEqual(last.water_out.value("lead"), 0.022 * 0.03)
        self.assertNotIn("health/lead", rules(worked))
        self.assertTrue(worked.plan.complete)

    def test_source_and_tap_stand_beside_each_other(self) -> None:
        """The source keeps its own value; the tap's is told apart from it, in the document too."""
        worked = job(FIRST_DRAW)
        self.assertAlmostEqual(worked.evidence.states["lead"].design, 0.001)
        self.assertAlmostEqual(worked.evidence.taps["lead"].design, 0.022)
        self.assertAlmostEqual(design_document(worked)["taps"]["lead"]["design"], 0.022)

    def test_tap_samples_alone_do_not_make_the_source_leaden(self) -> None:
        """Where only tap samples were taken they stand for the source, but not for the metals that the pipe gave."""
        document = {
            "format": "cairn-job/1",
            "samples": [{"point": "tap", "draw": "first", "readings": {"ph": "7.0", "lead": "22 ug/L"}}],
            "train": [],
        }
        worked = design(read_job(document))
        self.assertNotIn("lead", worked.evidence.states)
        self.assertEqual(rules(worked)["health/lead"], "danger")

    def test_a_metal_of_the_source_does_not_hide_that_of_the_pipe(self) -> None:
        """Copper of 1.1 in the source breaks the mark of taste, 1.6 at the tap that of health; lead of 18 in the source, 40 at the tap."""
        document = {
            "format": "cairn-job/1", "train": [],
            "samples": [{"readings": QUIET_SOURCE | {"copper": "1.1 mg/L", "lead": "18 ug/L"}},
            {"point": "tap", "draw": "first", "readings": {"copper": "1.6 mg/L", "lead": "40 ug/L"}}],
        }  # fmt: skip
        worked = design(read_job(document))
        self.assertEqual((rules(worked)["health/copper"], rules(worked)["health/lead"]), ("danger", "danger"))
        self.assertAlmostEqual(next(need.value for need in worked.needs if need.goal == "lead"), 0.040)
        house = design(read_job(document | {"train": [{"kind": "reverse_osmosis", "scale": "whole_house"}]}))
        self.assertIn("health/lead", rules(house))  # what treats the house stands before its pipe

    def test_below_the_limit_is_quiet(self) -> None:
        """5 µg/L of lead and 0.4 mg/L of copper."""
        self.assertFalse(
            {"health/lead", "health/copper"} & set(rules(job({"draw": "first", "readings": {"lead": "5 ug/L", "copper": "0.4 mg/L"}}, **NOTHING)))
        )


class ATapAdds(unittest.TestCase):
    """What a tap shows above a health limit is never silent, whatever the raw sample says or leaves out; it clears nothing."""

    def test_microbes_at_a_tap_or_behind_a_unit(self) -> None:
        """E. coli at the kitchen, coliform behind a carbon filter: danger, and something that holds microbes; the raw sample found none."""
        for found in ({"readings": {"e_coli": "3 CFU/100 mL"}}, {"point": "after:carbon", "readings": {"total_coliform": "present"}}):
            told = job(found)
            self.assertEqual(rules(told).get("boil-water"), "danger")
            self.assertIn("uv", [stage.kind for stage in told.plan.train])
        self.assertNotIn("boil-water", rules(job({"readings": {"e_coli": "absent"}})))

    def test_what_is_above_a_health_limit_at_a_tap(self) -> None:
        """Nitrate of 18 at the tap where the raw sample had 1; arsenic of 20 µg/L that nobody tested at the source. A detection limit says nothing."""
        for analyte, typed in (("nitrate", "18 mg/L as N"), ("arsenic", "20 ug/L")):
            told = job({"draw": "flushed", "readings": {analyte: typed}})
            self.assertIn(analyte, {need.goal for need in told.needs})
            self.assertIn("tap", told.evidence.states[analyte].origin)
        self.assertEqual(job({"readings": {"arsenic": "<20 ug/L"}}).needs, [])

    def test_a_tap_clears_nothing(self) -> None:
        """Arsenic of 20 µg/L at the source stays, though the tap shows 2."""
        told = job({"readings": {"arsenic": "2 ug/L"}}, samples=[{"point": "raw", "readings": QUIET_SOURCE | {"arsenic": "20 ug/L"}},
                                                                 {"point": "tap", "readings": {"arsenic": "2 ug/L"}}])  # fmt: skip
        self.assertEqual(told.evidence.states["arsenic"].design, 0.02)

    def test_what_the_house_itself_adds_is_not_of_the_source(self) -> None:
        """Chlorine of 5 mg/L at the tap is fed there; in a town it is the town's."""
        chlorine = {"readings": {"free_chlorine": "5 mg/L"}}
        self.assertNotIn("free_chlorine", job(chlorine).evidence.stated)
        self.assertEqual(job(chlorine, source={"kind": "town"}).evidence.stated["free_chlorine"].design, 5)

    def test_other_metals_of_fittings(self) -> None:
        """Nickel of 60 µg/L in a first draw on a limit of 20 is of the pipe as lead is; zinc of 7 on 5 is told, and acid water is cured of it."""
        nickel = job({"draw": "first", "readings": {"nickel": "60 ug/L"}}, job={"standard": "eu"})
        self.assertEqual([(need.goal, need.tap) for need in nickel.needs], [("nickel", "pipe")])
        self.assertIn("tap-only/nickel", rules(nickel))
        remedies = [finding.remedy for finding in nickel.proposal.findings if finding.rule == "tap-only/nickel"]
        self.assertIn("fittings", remedies[0])
        self.assertNotIn("lead", remedies[0])
        self.assertIn("unmet/zinc", rules(job({"draw": "first", "readings": {"zinc": "7 mg/L"}})))
        sour = QUIET_SOURCE | {"ph": "6.6", "alkalinity": "35 mg/L as CaCO3"}
        zinc = job(samples=[{"point": "raw", "readings": sour}, {"point": "tap", "draw": "first", "readings": {"zinc": "7 mg/L"}}])
        self.assertTrue({"neutralizer", "chemical_feed"} & {stage.kind for stage in zinc.plan.train})

    def test_both_ends_of_a_limit_at_a_tap(self) -> None:
        """A strip at a flushed tap that nobody took at the source: pH between 5 and 6, or below its range of 6, is acid water; 7 to 8 asks for nothing."""
        untold = {name: value for name, value in QUIET_SOURCE.items() if name != "ph"}
        for typed, acid in (("5..6", True), ("<6", True), ("7..8", False)):
            told = job(samples=[{"point": "raw", "readings": untold}, {"point": "tap", "draw": "flushed", "readings": {"ph": typed}}])
            self.assertEqual("tap" in told.evidence.states["ph"].origin, acid, typed)

    def test_rust_of_old_pipe(self) -> None:
        """Iron of 4 mg/L at the tap and 0.05 at the source: no iron filter, and it is told where it comes from. Manganese over its health limit
        in a flushed sample is the source's; in a first draw it lay in the pipe."""
        rust = job({"draw": "first", "readings": {"iron": "4 mg/L"}})
        self.assertEqual((rust.needs, rules(rust)["unmet/iron"]), ([], "caution"))
        untold = {name: value for name, value in QUIET_SOURCE.items() if name != "iron"}
        rust = job(samples=[{"point": "raw", "readings": untold}, {"point": "tap", "draw": "first", "readings": {"iron": "4 mg/L"}}])
        self.assertIn("not tested", next(finding.message for finding in rust.chosen.findings if finding.rule == "unmet/iron"))
        self.assertIn("manganese", {need.goal for need in job({"draw": "flushed", "readings": {"manganese": "0.4 mg/L"}}).needs})
        self.assertEqual(job({"draw": "first", "readings": {"manganese": "0.4 mg/L"}}).needs, [])


class FlushedClearsNothing(unittest.TestCase):
    PIPE = {"supply": {"flow": "8 gpm", "pressure_low": "40 psi", "pressure_high": "60 psi", "pipe": {"material": "copper", "size": "1 in"}}}

    def acid(self, *taps: dict[str, Any]) -> set[str]:
        document = {
            "format": "cairn-job/1", "samples": [{"point": "raw", "readings": {"ph": "6.2", "lead": "<1 ug/L", "copper": "0.1 mg/L"}}, *taps], "train": [], **self.PIPE,
        }  # fmt: skip
        return set(rules(design(read_job(document))))

    def test_only_a_first_draw_clears_the_question(self) -> None:
        """Acid water in copper pipe: source and flushed tap leave the question open, a first draw of both metals closes it."""
        metals = {"lead": "2 ug/L", "copper": "0.3 mg/L"}
        self.assertIn("lead-plumbing", self.acid())
        self.assertIn("lead-plumbing", self.acid({"point": "tap", "draw": "flushed", "readings": metals}))
        self.assertIn("lead-plumbing", self.acid({"point": "tap", "draw": "first", "readings": {"lead": "2 ug/L"}}))
        self.assertNotIn("lead-plumbing", self.acid({"point": "tap", "draw": "first", "readings": metals}))

    def test_soft_water_near_neutral_still_dissolves_metal(self) -> None:
        """pH 7.0 with 25 mg/L of alkalinity asks for the test; with 90 it does not."""

        def at(alkalinity: str) -> set[str]:
            document = {"format": "cairn-job/1", "samples": [{"readings": {"ph": "7.0", "alkalinity": alkalinity}}], "train": [], **self.PIPE}
            return set(rules(design(read_job(document))))

        self.assertIn("lead-plumbing", at("25 mg/L as CaCO3"))
        self.assertNotIn("lead-plumbing", at("90 mg/L as CaCO3"))


class LimitsHaveDates(unittest.TestCase):
    def test_the_action_level_of_lead_falls(self) -> None:
        """15 µg/L until the end of October 2027, 10 from November on; 12 µg/L is a danger only then."""

        def lead(day: str) -> float:
            import datetime as dt

            return min(limit.high for limit in limits("us", dt.date.fromisoformat(day)) if limit.analyte == "lead")

        self.assertEqual((lead("2027-10-31"), lead("2027-11-01")), (0.015, 0.010))
        twelve = {"draw": "first", "readings": {"lead": "12 ug/L"}}
        self.assertNotIn("health/lead", rules(job(twelve, **NOTHING)))
        self.assertIn("health/lead", rules(job(twelve, as_of="2027-12-01", **NOTHING)))


class EveryTapIsLookedAt(unittest.TestCase):
    """A branch has its own water: what reaches that tap is judged."""

    LAMP = ({"kind": "sediment"}, {"kind": "uv"})

    def with_train(self, *train: dict[str, Any], **readings: str) -> dict[str, str]:
        document = {
            "format": "cairn-job/1", "source": {"kind": "drilled_well"}, "samples": [{"readings": QUIET_SOURCE | {"uvt": "92 %", "total_coliform": "present"} | readings}],
            "supply": {"flow": "8 gpm", "pressure_low": "40 psi", "pressure_high": "60 psi"}, "wishes": {"safe_to_drink": True, "soft_water": False}, "train": list(train),
        }  # fmt: skip
        return rules(design(read_job(document)))

    def test_a_drinking_tap_taken_off_before_the_lamp(self) -> None:
        """A membrane holds no microbes: branched off before the lamp, its tap carries them; behind it, it does not."""
        membrane = {"kind": "reverse_osmosis", "scale": "point_of_use"}
        self.assertEqual(self.with_train(membrane, *self.LAMP)["microbes-untreated"], "danger")
        self.assertNotIn("microbes-untreated", self.with_train(*self.LAMP, membrane))

    def test_a_carbon_block_on_its_own_branch(self) -> None:
        """So does any unit on a branch to the drinking tap."""
        block = {"kind": "carbon", "medium": "block", "form": "cartridge", "install": {"branch": "drinking_tap"}}
        self.assertEqual(self.with_train(block, *self.LAMP)["microbes-untreated"], "danger")

    def test_units_of_one_branch_stand_in_a_row(self) -> None:
        """A block and a membrane on one branch: the membrane gets what the block left, not the water of the house."""
        block = {"kind": "carbon", "medium": "block", "form": "cartridge", "install": {"branch": "drinking_tap"}}
        membrane = {"kind": "reverse_osmosis", "scale": "point_of_use"}
        document = {
            "format": "cairn-job/1",
            "samples": [{"readings": QUIET_SOURCE | {"free_chlorine": "1.5 mg/L", "total_chlorine": "1.5 mg/L"}}],
            "train": [block, membrane],
        }
        carbon, last = design(read_job(document)).chosen.run.stages
        self.assertEqual(last.water_in, carbon.water_out)
