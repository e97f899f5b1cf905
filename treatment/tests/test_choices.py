"""The forks where practitioners differ, both ways; alternatives, repair, waivers and limits of one's own."""

from __future__ import annotations

import random
from typing import Any
from unittest import TestCase

from ..job_file import read_job
from ..language.errors import BadDocument
from ..papers.design_file import design_document
from ..studies.alternatives import alternatives
from ..studies.compare import compare, outlines, salt_per_year, water_to_drain
from ..studies.repair import repair
from .example import HARD_ONLY, ids, job, worked


def kinds(document: dict[str, Any]) -> list[str]:
    return [stage.kind for stage in worked(document).proposal.run.stages]


class Schools(TestCase):
    def test_carbon_before_or_after_the_softener(self) -> None:
        """Chlorinated town water: before, by default; after, where the job says so."""
        town = {"source": {"kind": "town", "disinfectant": "chlorine"}, "observations": ["bleach_smell"]}
        water = HARD_ONLY | {"free_chlorine": "0.8 mg/L", "total_chlorine": "0.8 mg/L"}
        self.assertEqual([kind for kind in kinds(job(town, readings=water)) if kind in ("carbon", "softener")], ["carbon", "softener"])
        late = town | {"schools": {"carbon_order": "after_softener"}}
        self.assertEqual([kind for kind in kinds(job(late, readings=water)) if kind in ("carbon", "softener")], ["softener", "carbon"])

    def test_exchange_or_scale_control(self) -> None:
        """Soft water by exchange; with the other school scale control, which says that it does not soften."""
        self.assertEqual(kinds(job(readings=HARD_ONLY)), ["softener"])
        other = job({"schools": {"hardness": "scale_control"}, "wishes": {"soft_water": None}}, readings=HARD_ONLY)
        self.assertEqual(kinds(other), ["scale_control"])

    def test_light_barrier_or_chlorine(self) -> None:
        """Each school ends the train its own way."""
        water = HARD_ONLY | {"hardness": "60 mg/L as CaCO3", "total_coliform": "present", "turbidity": "0.3 NTU"}
        self.assertEqual(kinds(job(readings=water)), ["sediment", "uv"])
        self.assertEqual(kinds(job({"schools": {"disinfection": "barrier"}}, readings=water)), ["sediment", "barrier_filter"])
        chlorine = kinds(job({"schools": {"disinfection": "chlorine"}}, readings=water))
        self.assertEqual(chlorine[:2], ["chemical_feed", "retention_tank"])

    def test_a_filter_always_or_where_needed(self) -> None:
        """None on clear water by default; one or two where the school asks always."""
        self.assertNotIn("sediment", kinds(job(readings=HARD_ONLY)))
        self.assertEqual(kinds(job({"schools": {"prefilter": "single"}}, readings=HARD_ONLY)), ["sediment", "softener"])
        self.assertEqual(kinds(job({"schools": {"prefilter": "staged"}}, readings=HARD_ONLY)), ["sediment", "sediment", "softener"])

    def test_tap_before_whole_house(self) -> None:
        """Nitrate is answered at the drinking tap; exchange for the whole house stands among the alternatives."""
        design = worked(job(readings=HARD_ONLY | {"nitrate": "15 mg/L as N"}))
        self.assertEqual([stage.kind for stage in design.proposal.run.stages], ["softener", "reverse_osmosis"])
        self.assertTrue(any("anion_exchange" in [stage.kind for stage in each.variant.run.stages] for each in alternatives(design)))

    def test_membrane_temperature_schools(self) -> None:
        """At 10 degC 0.625 against 0.649: exponential asks more of a membrane."""
        rated = []
        for school in ("exponential", "linear"):
            design = worked(
                job(
                    {"schools": {"ro_temperature": school}, "supply": {"coldest": "10 degC"}}, readings=HARD_ONLY, train=[{"kind": "reverse_osmosis"}]
                )
            )
            rated.append(design.chosen.run.stages[0].sizing.figures["rated_required"].value)
        self.assertGreater(rated[0], rated[1])

    def test_no_power_and_no_salt(self) -> None:
        """Without power an up-flow bed and no lamp; without salt no exchange; what stays unmet is said."""
        design = worked(job({"wishes": {"no_power": True, "no_salt": True}}))
        used = [stage.kind for stage in design.proposal.run.stages]
        self.assertFalse({"softener", "uv", "oxidizing_filter"} & set(used) - {"oxidizing_filter"})
        self.assertFalse(any(stage.kind == "oxidizing_filter" and stage.keys.medium != "cartridge" for stage in design.proposal.run.stages))
        self.assertTrue(design.plan.not_used["uv"])

    def test_rain(self) -> None:
        """A cistern: first flush, tank, pump, and light at the end."""
        document = job(
            {
                "source": {"kind": "rain", "rain": {"roof_area": "150 m2", "monthly_rain": ["90 mm"] * 12}},
                "building": {"people": 2, "use_per_person": "80 L"},
            },
            readings=HARD_ONLY
            | {"hardness": "8 mg/L as CaCO3", "alkalinity": "8 mg/L as CaCO3", "ph": "6.0", "turbidity": "3 NTU", "total_coliform": "present"},
        )
        used = kinds(document)
        self.assertEqual(used[:3], ["first_flush", "storage_tank", "booster_pump"])
        self.assertEqual(used[-2:], ["sediment", "uv"])
        self.assertIn("neutralizer", used)

    def test_whole_house_membrane_where_purity_is_wished(self) -> None:
        """Carbon or softener first where the feed asks it; after it pump, filter and light, and no calcite: it is to stay pure."""
        document = job(
            {"wishes": {"high_purity": True, "soft_water": False}},
            readings=HARD_ONLY
            | {"tds": "1600 mg/L", "sodium": "480 mg/L", "chloride": "650 mg/L", "hardness": "160 mg/L as CaCO3", "turbidity": "0.3 NTU"},
        )
        used = kinds(document)
        self.assertEqual(used[-5:], ["sediment", "reverse_osmosis", "booster_pump", "sediment", "uv"])
        self.assertIn("softener", used)

    def test_rinse_water_of_a_business_is_not_lit(self) -> None:
        """Nobody drinks it: a pump after the membrane, and nothing else."""
        rinse = {"people": None, "events": [{"name": "rinse", "volume": "50 gal", "per_day": 10, "hours": ["08:00", "18:00"]}]}
        wishes = {"high_purity": True, "soft_water": None, "safe_to_drink": None}
        used = kinds(job({"wishes": wishes, "building": rinse}, readings=HARD_ONLY | {"tds": "600 mg/L"}))
        self.assertEqual(used[-2:], ["reverse_osmosis", "booster_pump"])

    def test_a_low_sodium_diet_counts_wherever_sodium_comes_from(self) -> None:
        """18 gpg exchanged add 142 mg/L: a membrane at the drinking tap takes it out again; without salt none is added, and none is fitted."""
        diet = {"low_sodium": True, "soft_water": True}
        used = kinds(job({"wishes": diet}, readings=HARD_ONLY | {"sodium": "8 mg/L"}))
        self.assertEqual(used, ["softener", "reverse_osmosis"])
        self.assertNotIn("reverse_osmosis", kinds(job({"wishes": diet | {"no_salt": True}}, readings=HARD_ONLY | {"sodium": "8 mg/L"})))

    def test_prefilter_forms_really_differ(self) -> None:
        """Each school puts another filter at the head."""
        for school, form in (("single", "cartridge"), ("dual_gradient", "dual_gradient"), ("backwashing", "backwashing")):
            first = worked(job({"schools": {"prefilter": school}}, readings=HARD_ONLY)).proposal.run.stages[0]
            self.assertEqual((first.kind, first.sizing.params["form"]), ("sediment", form))

    def test_a_fine_filter_before_or_after_the_carbon(self) -> None:
        """For particles, for fines, or both."""
        town = {"source": {"kind": "town", "disinfectant": "chlorine"}, "wishes": {"soft_water": False}}
        water = HARD_ONLY | {"hardness": "3 gpg", "free_chlorine": "1.5 mg/L"}
        for school, order in (
            ("before_carbon", ["sediment", "carbon"]),
            ("after_carbon", ["carbon", "sediment"]),
            ("both", ["sediment", "carbon", "sediment"]),
        ):
            changes = town | {"schools": {"fine_filter": school}, "observations": ["bleach_smell"]}
            self.assertEqual(kinds(job(changes, readings=water)), order)

    def test_neutralizer_or_iron_first(self) -> None:
        """Acid iron water at pH 6.4: either order, as the school says."""
        water = {"ph": "6.4", "iron": "1.5 mg/L", "ferrous_iron": "1.5 mg/L", "total_coliform": "absent"}
        for school, first in (("first", "neutralizer"), ("iron_first", "oxidizing_filter")):
            used = kinds(job({"schools": {"neutralizer_order": school}, "wishes": {"soft_water": False}}, readings=water))
            self.assertEqual(next(kind for kind in used if kind in ("neutralizer", "oxidizing_filter")), first)

    def test_a_fixed_adder_without_its_amount_is_told(self) -> None:
        """It counts as nothing, and stands among the assumptions."""
        design = worked(job({"schools": {"iron_compensation": "fixed"}}))
        self.assertIn("$.schools.iron_adder", [note.path for note in design.assumptions])


class Alternatives(TestCase):
    def test_real_ones_are_complete_and_different(self) -> None:
        """The acid iron well can be treated in at least two other ways, each with its own stages."""
        design = worked(job())
        found = alternatives(design)
        self.assertGreaterEqual(len(found), 2)
        trains = {tuple(stage.kind for stage in each.variant.run.stages) for each in found} | {
            tuple(stage.kind for stage in design.proposal.run.stages)
        }
        self.assertEqual(len(trains), len(found) + 1)
        self.assertTrue(all(each.complete for each in found))

    def test_side_by_side(self) -> None:
        """A softener against scale control: salt and drain differ, and are the sums of their stages."""
        design = worked(job(readings=HARD_ONLY))
        soft, scale = design.proposal, next(each.variant for each in alternatives(design) if "Scale" in each.title)
        self.assertAlmostEqual(salt_per_year(soft).value, soft.run.stages[0].sizing.figures["salt_per_year"].value)
        self.assertEqual((salt_per_year(scale).value, water_to_drain(scale).value), (0, 0))
        rows = {row.what: row for row in compare([soft, scale], "us")}
        self.assertTrue(rows["Salt a year"].differs and rows["Hardness at the taps"].differs)
        small = outlines(scale, [soft])
        self.assertEqual([each.name for each in small], [stage.name for stage in scale.run.stages])
        self.assertEqual([each.silhouette for each in small if each.apart], ["cartridge"])
        self.assertFalse(any(each.apart for each in outlines(soft)))


class Repair(TestCase):
    FAULTY = (
        {"kind": "softener", "id": "s", "volume": "1 ft3", "tank": "9x48", "salt_dose": "15 lb/ft3", "hardness_setting": "9 gpg", "regeneration": "timer", "every_days": 7},
        {"kind": "neutralizer", "id": "n"}, {"kind": "uv", "id": "u", "rated_flow": "6 gpm"}, {"kind": "sediment", "id": "f", "micron": 25},
    )  # fmt: skip

    def test_mended_with_what_is_there(self) -> None:
        """No fault is left, the softener, neutralizer and lamp are kept, and each change is said."""
        design = worked(job(train=list(self.FAULTY)))
        mended = repair(design)
        self.assertEqual(ids(mended.variant.findings, "fault") | ids(mended.variant.findings, "danger") - {"boil-water"}, set())
        self.assertLessEqual({"s", "n", "u"}, {stage.id for stage in mended.variant.run.stages})
        self.assertTrue(any(change.startswith("Add") for change in mended.changes))
        self.assertTrue(any(change.startswith("Move") for change in mended.changes))

    def test_weak_pressure_is_mended_by_a_pump_and_the_lamp_stays(self) -> None:
        """30 psi at the cut-in do not carry four units to a tap 14 ft up; a half-inch drain is for the plumber, not for the train."""
        supply = {
            "flow": "6 gpm",
            "pressure_low": "30 psi",
            "pressure_high": "50 psi",
            "temperature": "50 degF",
            "pipe": {"material": "copper", "size": "3/4 in", "length": "55 ft"},
        }
        site = {"drain": {"kind": "standpipe", "distance": "22 ft", "lift": "3 ft", "bore": "1/2 in"}}
        building = {"people": 5, "top_fixture_height": "14 ft"}
        mended = repair(worked(job({"supply": supply, "site": site, "building": building}, train=list(self.FAULTY))))
        kinds = [stage.kind for stage in mended.variant.run.stages]
        self.assertEqual((kinds[0], kinds[-1]), ("booster_pump", "uv"))
        self.assertEqual(ids(mended.variant.findings, "fault"), {"drain-bore"})
        self.assertFalse(any("Take out the UV" in change for change in mended.changes))

    def test_each_change_tells_what_it_alone_cures(self) -> None:
        """A lamp before its filter: moving it to the end cures that it is not last and has no filter before it; both are findings of the given train."""
        water = HARD_ONLY | {"hardness": "4 gpg", "total_coliform": "present"}
        mended = repair(worked(job(readings=water, train=[{"kind": "uv"}, {"kind": "sediment", "micron": 5}])))
        self.assertLessEqual({"uv-not-last", "uv-prefilter"}, {finding.rule for finding in mended.steps[0].cures})
        self.assertEqual(mended.changes, tuple(step.words for step in mended.steps))

    def test_a_sound_train_needs_no_change(self) -> None:
        """Nothing is touched where nothing is wrong, sizes given by hand included."""
        train = [{"kind": "softener", "volume": "2.5 ft3", "tank": "13x54"}]
        self.assertEqual(repair(worked(job(readings=HARD_ONLY, train=train))).changes, ())

    def test_one_wrong_place_is_one_move(self) -> None:
        """The lamp before its filter: one of them moves, nothing else."""
        water = HARD_ONLY | {"hardness": "60 mg/L as CaCO3", "total_coliform": "present"}
        changes = repair(worked(job(readings=water, train=[{"kind": "uv"}, {"kind": "sediment", "micron": 5}]))).changes
        self.assertEqual(len(changes), 1)
        self.assertTrue(changes[0].startswith("Move"))


class Accepted(TestCase):
    SOFT = ({"kind": "softener", "salt_dose": "15 lb/ft3"},)

    def test_a_waiver_carries_its_reason(self) -> None:
        """The finding stays, with the reason, and is no longer counted."""
        document = job(
            {"waivers": [{"rule": "salt-inefficient", "stage": "softener", "reason": "the valve cannot be set lower"}]},
            readings=HARD_ONLY,
            train=list(self.SOFT),
        )
        variant = worked(document).chosen
        found = next(each for each in variant.findings if each.rule == "salt-inefficient")
        self.assertEqual(found.waived, "the valve cannot be set lower")
        self.assertEqual(variant.tally["caution"], worked(document | {"waivers": []}).chosen.tally["caution"] - 1)
        self.assertIn("the valve cannot be set lower", str(design_document(worked(document))["findings"]))

    def test_a_danger_cannot_be_waived(self) -> None:
        """Boil-water stands whatever is written."""
        variant = worked(job({"waivers": [{"rule": "boil-water", "reason": "we drink it anyway"}]})).chosen
        self.assertEqual(next(each for each in variant.findings if each.rule == "boil-water").waived, "")

    def test_a_waiver_needs_rule_and_reason(self) -> None:
        """Both faults are told by path."""
        with self.assertRaises(BadDocument) as caught:
            read_job(job({"waivers": [{"rule": "", "reason": " "}]}))
        self.assertEqual({fault.path for fault in caught.exception.faults}, {"$.waivers[0].rule", "$.waivers[0].reason"})

    def test_a_limit_of_ones_own(self) -> None:
        """Iron 0.25 is within 0.3, but not within a laundry's own 0.1; the reason stands with the need."""
        water = HARD_ONLY | {"iron": "0.25 mg/L", "ferrous_iron": "0.25 mg/L", "hardness": "60 mg/L as CaCO3"}
        self.assertNotIn("iron", [need.goal for need in worked(job(readings=water)).needs])
        own = job({"limits": {"iron": {"high": "0.1 mg/L", "reason": "a laundry"}}}, readings=water)
        need = next(need for need in worked(own).needs if need.goal == "iron")
        self.assertEqual(need.high, 0.1)
        self.assertIn("a laundry", need.why)
        for row in ({"high": "0.1 mg/L"}, {"reason": "because"}, {"high": "much", "reason": "x"}):
            with self.assertRaises(BadDocument):
                read_job(job({"limits": {"iron": row}}))


class AnyPlausibleWater(TestCase):
    def test_proposals_have_no_fault_or_say_why(self) -> None:
        """Forty varied waters and sources, drawn with a fixed seed: a complete proposal has no fault and no danger of its own; another says what is missing."""
        pick = random.Random(11)
        about_water = {"boil-water", "nitrate-infants", "gas-hazard"}
        for n in range(40):
            kind = pick.choice(["drilled_well", "dug_well", "spring", "town"])
            readings = {
                "hardness": f"{pick.uniform(1, 30):.1f} gpg", "ph": f"{pick.uniform(5.2, 8.3):.2f}", "iron": f"{pick.choice([0, 0.2, 2, 6, 13]):.2f} mg/L", "ferrous_iron": None,
                "manganese": f"{pick.choice([0, 0.03, 0.3, 1.5]):.2f} mg/L", "alkalinity": f"{pick.uniform(10, 260):.0f} mg/L as CaCO3",
                "turbidity": f"{pick.choice([0.2, 0.8, 4, 12]):.1f} NTU",
                "hydrogen_sulfide": f"{pick.choice([0, 0, 0.6, 3]):.1f} mg/L", "tannin": f"{pick.choice([0, 0, 0, 0.8]):.1f} mg/L",
                "nitrate": f"{pick.choice([1, 4, 14]):.1f} mg/L as N",
                "free_chlorine": "1.2 mg/L" if kind == "town" else "0 mg/L", "total_coliform": "absent" if kind == "town" else pick.choice(["present", "absent"]),
            }  # fmt: skip
            supply = {"flow": f"{pick.uniform(5, 14):.1f} gpm", "pressure_low": "50 psi", "pressure_high": "70 psi"}
            design = worked(job({"source": {"kind": kind}, "supply": supply, "building": {"people": pick.randint(1, 7)}}, readings=readings))
            with self.subTest(n):
                found = design.proposal.findings
                bad = {f.rule for f in found if f.severity in ("fault", "danger") and f.rule not in about_water and not f.rule.startswith("refer/")}
                if design.plan.complete:
                    self.assertEqual(bad, set())
                else:
                    self.assertTrue(bad or any(f.rule.startswith("unmet/") for f in found))
                    self.assertTrue(all(design.plan.not_used.values()))
