"""Our own trains: clean on any water, the same when read again, and never worse for a better supply, a drain, or a narrower test."""

from __future__ import annotations

import random
from typing import Any
from unittest import TestCase

from hypothesis import assume, given
from hypothesis import strategies as st

from ..design import Design
from ..job.facts import OBSERVATIONS
from ..papers.design_file import design_document, train_document
from ..planning.evaluated import EvaluatedTrain
from ..train.treatment import Stage, name_stages
from ..treatments import ROOMS
from .example import job, worked
from .fuzz import fuzz

#: every kind, and the forms and media that differ
FORMS: list[dict[str, Any]] = [
    *({"kind": kind} for kind in ROOMS),
    *({"kind": "oxidizing_filter", "medium": medium} for medium in ("coated_oxygen", "greensand", "manganese_dioxide", "cartridge")),
    *({"kind": "sediment", "form": form} for form in ("dual_gradient", "spin_down", "backwashing")),
    *({"kind": "chemical_feed", "chemical": chemical} for chemical in ("soda_ash", "caustic", "peroxide")),
    *({"kind": "carbon", "medium": medium} for medium in ("catalytic", "block")),
    {"kind": "reverse_osmosis", "scale": "whole_house"}, {"kind": "barrier_filter", "element": "ceramic"}, {"kind": "neutralizer", "medium": "blend"},
    {"kind": "neutralizer", "flow": "up"},
]  # fmt: skip
#: by turns: houses as they come, other ways to hold microbes, a main at high pressure, a roof, a business that rinses
SITUATIONS: tuple[dict[str, Any], ...] = (
    {},
    {},
    {"schools": {"disinfection": "barrier"}},
    {},
    {"supply": {"pressure_low": "75 psi", "pressure_high": "95 psi", "night_pressure": "100 psi", "flow": "12 gpm"}},
    {"schools": {"disinfection": "chlorine"}},
    {},
    {"source": {"kind": "rain", "rain": {"roof_area": "2500 ft2", "monthly_rain": ["90 mm"] * 12}}},
    {"wishes": {"high_purity": True}},
)
#: about the water itself, whatever the train
OF_THE_WATER = {"boil-water", "nitrate-infants", "gas-hazard"}


def house(pick: random.Random, **changes: Any) -> dict[str, Any]:
    """A plausible water and house."""
    kind = pick.choice(["drilled_well", "drilled_well", "dug_well", "spring", "town"])
    town = kind == "town"
    readings = {
        "hardness": f"{pick.uniform(1, 30):.1f} gpg", "ph": f"{pick.uniform(5.4, 8.2):.2f}", "iron": f"{pick.choice([0, 0, 1]) * pick.uniform(0, 14):.2f} mg/L",
        "ferrous_iron": None, "manganese": f"{pick.choice([0, 0, 1]) * pick.uniform(0, 1.2):.2f} mg/L", "alkalinity": f"{pick.uniform(20, 280):.0f} mg/L as CaCO3",
        "turbidity": f"{pick.choice([0.2, 0.5, 1, 4, 10]):.1f} NTU", "total_coliform": "absent" if town else pick.choice(["present", "absent"]),
        "nitrate": f"{pick.choice([1, 4, 15])} mg/L as N", "hydrogen_sulfide": f"{pick.choice([0, 0, 0, 0.8, 3])} mg/L", "tannin": f"{pick.choice([0, 0, 0, 0, 1])} mg/L",
        "free_chlorine": f"{pick.choice([0.3, 1.5]) if town else 0} mg/L",
    }  # fmt: skip
    facts = {"source": {"kind": kind}, "supply": {"flow": f"{pick.uniform(2, 15):.1f} gpm"}, "building": {"people": pick.randint(1, 8)}}
    return job(facts | changes, readings=readings)


def left_undone(design: Design) -> tuple[int, int, int, int]:
    """What a proposal leaves: microbes alive, health needs and needs unmet, faults another train would mend."""
    return design.ground.undone(design.plan.train)


def again(document: dict[str, Any], variant: EvaluatedTrain) -> dict[str, Any]:
    """The job with what the design prints of its proposal as its train."""
    printed = train_document(variant, "us")["train"]
    stages = [{"id": stage["id"], "kind": stage["kind"], **stage["params"]} for stage in printed]
    branches = [stage.keys.install.branch if stage.keys.install else None for stage in variant.run.stages]
    return document | {"train": [stage | ({"install": {"branch": branch}} if branch else {}) for stage, branch in zip(stages, branches, strict=True)]}


class Clean(TestCase):
    def test_no_danger_and_no_fault_but_of_the_water_or_the_plan_says_why(self) -> None:
        """Three hundred waters and houses, drawn with a fixed seed; nearly all can be treated."""
        pick, incomplete = random.Random(2000), 0
        for n in range(300):
            design = worked(house(pick))
            bad = {f.rule for f in design.proposal.findings if f.severity in ("fault", "danger")} - OF_THE_WATER
            bad = {rule for rule in bad if not rule.startswith("refer/")}
            with self.subTest(n):
                if design.plan.complete:
                    self.assertEqual(bad, set())
                else:
                    incomplete += 1
                    self.assertTrue(bad or any(finding.rule.startswith("unmet/") for finding in design.proposal.findings))
                    self.assertTrue(all(design.plan.not_used.values()))
        self.assertLess(incomplete, 15)


class ReadAgain(TestCase):
    def test_what_is_printed_is_taken(self) -> None:
        """Every kind, form and medium: its params, unit and all, are read as keys, and give the same params."""
        for stage in FORMS:
            with self.subTest(str(stage)):
                printed = design_document(worked(job(train=[stage])))["train"][0]
                taken = design_document(worked(job(train=[{"kind": stage["kind"], **printed["params"]}])))["train"][0]
                self.assertEqual(printed["params"], taken["params"])

    def test_a_proposal_read_again_is_the_same_train(self) -> None:
        """Kinds, params, waters and what is left: as printed, to six digits."""
        pick = random.Random(7)
        for n in range(25):
            document = house(pick)
            first = worked(document).proposal
            second = worked(again(document, first)).chosen
            with self.subTest(n):
                one, two = train_document(first, "us"), train_document(second, "us")
                self.assertEqual([stage["params"] for stage in one["train"]], [stage["params"] for stage in two["train"]])
                self.assertEqual([stage["kind"] for stage in one["train"]], [stage["kind"] for stage in two["train"]])
                for name, held in one["finished_water"].items():
                    self.assertAlmostEqual(held["value"], two["finished_water"][name]["value"], delta=1e-4 * max(abs(held["value"]), 1.0))


class NeverWorse(TestCase):
    @given(st.integers(0, 10**6), st.sampled_from([2.0, 3.0, 5.0, 8.0]), st.sampled_from([1.3, 2.0, 4.0]))
    @fuzz(25)
    def test_a_better_supply(self, seed: int, flow: float, more: float) -> None:
        """The same water with more flow leaves no more undone, as long as the house's pipe carries what it may then draw."""
        poor, rich = (worked(house(random.Random(seed), supply={"flow": f"{each:.2f} gpm"})) for each in (flow, flow * more))
        pipe, ceiling = rich.duty.supply.pipe, rich.duty.rows["house"]["velocity_ceiling"]
        assume(pipe.velocity(rich.duty.flow) <= ceiling)  # beyond it a wider pipe is asked for: the test below
        self.assertLessEqual(left_undone(rich), left_undone(poor))

    def test_a_supply_that_asks_for_a_pump(self) -> None:
        """8 gpm do without a pump; 10.4 gpm take more pressure, and a pump: the calcite tried first, with each of its pumps, leaves time to try air."""
        for flow in ("8 gpm", "10.4 gpm", "32 gpm"):
            design = worked(house(random.Random(35723), supply={"flow": flow}))
            self.assertTrue(design.plan.complete, flow)
            self.assertIn("aeration", [stage.kind for stage in design.plan.train], flow)

    def test_a_water_of_many_troubles_has_time(self) -> None:
        """Acid, iron, manganese, hardness, nitrate and a town's chlorine behind a tank: with a drain a train does it all, as it did without one."""
        self.assertTrue(worked(house(random.Random(209), site={"drain": {"kind": "standpipe"}})).plan.complete)

    def test_what_would_get_graver_is_needed(self) -> None:
        """Without the calcite a caution of manganese at the carbon becomes a fault: it is not unneeded."""
        found = worked(house(random.Random(1180))).proposal.findings
        self.assertEqual([finding.rule for finding in found if finding.rule.startswith("unneeded/")], [])

    def test_a_supply_beyond_the_pipe(self) -> None:
        """More flow than the pipe carries: 18.4 gpm in 22.2 mm are 3.0 m/s; that the pipe is too narrow is said, with the next size."""
        design = worked(
            house(random.Random(1781), supply={"flow": "20 gpm", "pipe": {"material": "pex_expansion", "size": "1 in", "length": "40 ft"}})
        )
        said = [found for found in design.proposal.findings if found.rule == "pipe-velocity"]
        self.assertEqual([found.remedy for found in said], ["Use 1 1/4 in pipe."])

    @given(st.integers(0, 10**6))
    @fuzz(25)
    def test_a_drain(self, seed: int) -> None:
        """A standpipe in place of nothing leaves no more undone."""
        without, with_one = (left_undone(worked(house(random.Random(seed), site={"drain": {"kind": kind}}))) for kind in ("none", "standpipe"))
        self.assertLessEqual(with_one, without)

    @given(
        st.sampled_from([("hardness", 2, 25, "gpg"), ("iron", 0.1, 8, "mg/L"), ("manganese", 0.01, 1, "mg/L"), ("turbidity", 0.3, 12, "NTU")]),
        st.floats(0, 1),
    )
    @fuzz(30)
    def test_a_test_that_narrows(self, analyte: tuple[str, float, float, str], at: float) -> None:
        """An exact value inside the interval leaves no more undone than the interval did."""
        name, low, high, unit = analyte
        wide = worked(job(readings={name: f"{low}..{high} {unit}", "ferrous_iron": None}))
        narrow = worked(job(readings={name: f"{low + at * (high - low):.4f} {unit}", "ferrous_iron": None}))
        self.assertLessEqual(left_undone(narrow), left_undone(wide))

    @given(st.integers(0, 10**6), st.sampled_from(OBSERVATIONS))
    @fuzz(30)
    def test_an_observation_adds(self, seed: int, seen: str) -> None:
        """What is proposed once something was seen does no less for the water as it was tested."""
        document = house(random.Random(seed))
        plain, told = worked(document), worked(document | {"observations": sorted({*document.get("observations", []), seen})})
        if plain.evidence.adverse == told.evidence.adverse:
            self.assertLessEqual(plain.ground.undone(told.plan.train), left_undone(plain))
        else:  # it tells what form the iron has: another water
            self.assertLessEqual(left_undone(told), max(left_undone(plain), (0, 0, 0, 0)))

    @given(st.integers(0, 10**6), st.sampled_from(["no_salt", "no_power", "no_chemicals"]))
    @fuzz(25)
    def test_a_wish_let_go(self, seed: int, wish: str) -> None:
        """Without a wish that rules treatments out nothing more is left undone."""
        bound, free = (left_undone(worked(house(random.Random(seed), wishes=wishes))) for wishes in ({wish: True}, {}))
        self.assertLessEqual(free, bound)


def spared(design: Design, id: str) -> list[str]:
    """Which of a screen, a coarser cartridge before a cartridge, or a bed in its place would spare it at no other harm.

    What stands in the train already is no remedy: nobody builds a second washed bed behind the first.
    """
    train, at = list(design.plan.train), [stage.id for stage in design.plan.train].index(id)
    room = train[at].room
    ways = [
        ("screen", [*train[:at], Stage(room, room.Keys(form="spin_down")), *train[at:]]), ("coarser", [*train[:at], Stage(room, room.Keys(micron=25e-6)), *train[at:]]),
        ("bed", [*train[:at], Stage(room, room.Keys(form="backwashing")), *train[at + 1 :]]),
    ]  # fmt: skip
    own = design.ground.undone(train)
    washed = any(stage.kind == room.kind and stage.keys.form == "backwashing" for stage in train)
    return [
        name
        for name, other in ways
        if not (name == "bed" and washed)
        and design.ground.undone(name_stages(other)) <= own
        and not any(
            f.rule in ("micron-too-fine", "uv-prefilter") or f.rule.startswith("unneeded/") for f in design.variant(name_stages(other)).findings
        )
    ]


class Proposals(TestCase):
    @given(st.integers(0, 10**6), st.integers(0, len(SITUATIONS) - 1))
    @fuzz(40)
    def test_what_is_in_reach_is_taken(self, seed: int, at: int) -> None:
        """A proposal that works bears no stage that does nothing and no cartridge of weeks; one that does not says what none could hold."""
        design = worked(house(random.Random(seed), **SITUATIONS[at]))
        found = design.proposal.findings
        if design.plan.complete:
            self.assertEqual({f.rule for f in found if f.severity in ("fault", "danger") and not f.rule.startswith("refer/")} - OF_THE_WATER, set())
            self.assertEqual([f.rule for f in found if f.severity == "caution" and f.rule.startswith("unneeded/")], [])
            for finding in found:
                if finding.rule == "micron-too-fine":
                    self.assertEqual(spared(design, finding.stage), [])
        else:
            self.assertTrue(any(f.rule.startswith(("unmet/", "health/", "refer/")) or f.severity in ("fault", "danger") for f in found))
        self.assertEqual(set(design.plan.not_used), set(ROOMS) - {stage.kind for stage in design.plan.train})
        self.assertTrue(all(design.plan.not_used.values()))

    @given(st.integers(0, 10**6), st.sampled_from(FORMS))
    @fuzz(40)
    def test_a_limit_barely_passed_is_a_caution(self, seed: int, stage: dict[str, Any]) -> None:
        """Passed by less than a tenth (of pH: a tenth of a unit), no limit is a fault, and none bars a treatment."""
        chosen = worked(house(random.Random(seed)) | {"train": [stage]}).chosen
        faults = {finding.rule for finding in chosen.findings if finding.severity in ("fault", "danger")}
        for run, broken in zip(chosen.run.stages, chosen.audit.broken, strict=True):
            for breach in broken:
                if breach.excess < 0.1 - 1e-9:
                    self.assertFalse(breach.barred)
                    others = [each for each in broken if each.limit.analyte == breach.limit.analyte and each.excess >= 0.1 - 1e-9]
                    self.assertTrue(others or f"feed-limit/{run.kind}/{breach.limit.analyte}" not in faults, breach)
