"""What holds for every treatment, whatever the water: nothing from nothing, more asks for more, and every word said."""

from __future__ import annotations

from math import isfinite
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..design import Design
from ..job.limits import limits
from ..language.analytes import analytes
from ..studies.repair import repair
from ..train.treatment import StageRun
from ..treatments import ROOMS
from .example import HARD_ONLY, ids, job, worked
from .fuzz import fuzz

GPM = 3.785411784
#: what no house treatment but a membrane, an exchange resin or a dose of chemicals changes
CONSERVED = ("chloride", "sulfate", "nitrate", "potassium", "fluoride")
CHANGES_IONS = {"reverse_osmosis", "anion_exchange", "chemical_feed"}
#: what may come into the water, by the treatment that brings it
BRINGS = {
    "calcium": {"neutralizer"}, "magnesium": {"neutralizer"}, "sodium": {"softener", "chemical_feed"}, "hardness": {"neutralizer"},
    "free_chlorine": {"chemical_feed"}, "total_chlorine": {"chemical_feed"}, "dissolved_oxygen": {"aeration", "chemical_feed", "oxidizing_filter"},
}  # fmt: skip
NEVER_RISES = ("iron", "manganese", "hydrogen_sulfide", "turbidity", "tannin", "arsenic", "lead", "radon", "methane", "total_coliform", "e_coli")

kinds = st.sampled_from(sorted(ROOMS))
waters = st.fixed_dictionaries({
    "hardness": st.floats(0.5, 60).map(lambda x: f"{x:.1f} gpg"), "ph": st.floats(5.0, 8.9).map(lambda x: f"{x:.2f}"),
    "alkalinity": st.floats(5, 400).map(lambda x: f"{x:.0f} mg/L as CaCO3"),
    "iron": st.floats(0, 12).map(lambda x: f"{x:.2f} mg/L"), "ferrous_iron": st.none(), "manganese": st.floats(0, 3).map(lambda x: f"{x:.3f} mg/L"),
    "hydrogen_sulfide": st.floats(0, 6).map(lambda x: f"{x:.2f} mg/L"), "turbidity": st.floats(0, 30).map(lambda x: f"{x:.1f} NTU"),
    "tannin": st.floats(0, 4).map(lambda x: f"{x:.1f} mg/L"),
    "chloride": st.floats(1, 400).map(lambda x: f"{x:.0f} mg/L"), "sulfate": st.floats(1, 300).map(lambda x: f"{x:.0f} mg/L"),
    "nitrate": st.floats(0, 40).map(lambda x: f"{x:.1f} mg/L as N"),
    "sodium": st.floats(1, 200).map(lambda x: f"{x:.0f} mg/L"), "fluoride": st.floats(0, 3).map(lambda x: f"{x:.2f} mg/L"),
    "potassium": st.floats(0.5, 20).map(lambda x: f"{x:.1f} mg/L"),
    "total_coliform": st.sampled_from(["present", "absent"]), "e_coli": st.sampled_from(["present", "absent"]), "uvt": st.floats(60, 99).map(lambda x: f"{x:.0f} %"),
    "free_chlorine": st.floats(0, 2).map(lambda x: f"{x:.2f} mg/L"), "total_chlorine": st.floats(2, 3).map(lambda x: f"{x:.2f} mg/L"),
})  # fmt: skip


def one(kind: str, readings: dict[str, Any] | None = None, supply: dict[str, Any] | None = None, **keys: Any) -> tuple[Design, StageRun]:
    """A train of one stage on a water."""
    design = worked(job({"supply": supply or {}}, readings=readings or {}, train=[{"kind": kind, **keys}]))
    return design, design.chosen.run.stages[0]


class WhateverTheWater(TestCase):
    @given(kinds, waters)
    @fuzz(120)
    def test_every_value_is_a_number_and_none_is_below_nothing(self, kind: str, readings: dict[str, Any]) -> None:
        """Water out, sizes and figures are finite; no concentration is negative; pH stays where water can be."""
        _, stage = one(kind, readings)
        for name, value in stage.water_out.known().items():
            self.assertTrue(isfinite(value), name)
            if name != "temperature":
                self.assertGreaterEqual(value, 0, name)
        self.assertTrue(3 <= stage.water_out.ph <= 12, stage.water_out.ph)
        for name, figure in stage.sizing.figures.items():
            self.assertTrue(isfinite(figure.value), name)
            self.assertTrue(figure.working and figure.unit is not None, name)

    @given(kinds, waters)
    @fuzz(120)
    def test_nothing_comes_from_nothing(self, kind: str, readings: dict[str, Any]) -> None:
        """What is to be taken out never rises; salts are changed only by what exchanges or doses them; each rise has its bringer."""
        _, stage = one(kind, readings)
        before, after = stage.water_in, stage.water_out
        for name in NEVER_RISES:
            was, now = before.get(name), after.get(name)
            if was is not None and now is not None:
                self.assertLessEqual(now, was * (1 + 1e-9) + 1e-9, name)
        if kind not in CHANGES_IONS:
            for name in CONSERVED:
                self.assertAlmostEqual(before.get(name) or 0.0, after.get(name) or 0.0, places=6, msg=name)
        for name, bringers in BRINGS.items():
            was, now = before.get(name), after.get(name)
            if kind not in bringers and was is not None and now is not None:
                self.assertLessEqual(now, was * (1 + 1e-6) + 1e-6, name)

    @given(kinds, waters)
    @fuzz(60)
    def test_the_same_water_gives_the_same_stage(self, kind: str, readings: dict[str, Any]) -> None:
        """Sizing and treatment depend on nothing but what is given."""
        first, second = one(kind, readings)[1], one(kind, readings)[1]
        self.assertEqual(first.water_out, second.water_out)
        self.assertEqual(first.sizing.params, second.sizing.params)

    @given(kinds, st.floats(2, 12), st.floats(1.1, 2.5))
    @fuzz(80)
    def test_a_loss_grows_with_flow_and_dirt(self, kind: str, gpm: float, times: float) -> None:
        """Nothing gains pressure by being passed, dirt never helps, and more flow never loses less."""
        _, stage = one(kind)
        small = stage.room.loss(stage.keys, stage.sizing, gpm * GPM, 10.0)
        large = stage.room.loss(stage.keys, stage.sizing, gpm * times * GPM, 10.0)
        self.assertLessEqual(0, small[0])
        self.assertLessEqual(small[0], small[1])
        for low, high in zip(small, large, strict=True):
            self.assertLessEqual(low, high + 1e-9)

    @given(waters)
    @fuzz(60)
    def test_exchange_is_charge_for_charge(self, readings: dict[str, Any]) -> None:
        """A softener gives 46.0 mg of sodium for each 100.09 mg/L as CaCO3 it takes: 2 x 22.99 for 100.09."""
        _, stage = one("softener", readings)
        taken = (stage.water_in.get("hardness") or 0.0) - (stage.water_out.get("hardness") or 0.0)
        given = (stage.water_out.get("sodium") or 0.0) - (stage.water_in.get("sodium") or 0.0)
        iron = 2 * 22.99 / 55.845 * ((stage.water_in.get("ferrous_iron") or 0.0) - (stage.water_out.get("ferrous_iron") or 0.0))
        manganese = 2 * 22.99 / 54.938 * ((stage.water_in.get("manganese") or 0.0) - (stage.water_out.get("manganese") or 0.0))
        least = taken * 2 * 22.99 / 100.09
        self.assertGreaterEqual(given, least - 0.3)
        self.assertLessEqual(given, least + iron + manganese + 0.3)


class MoreAsksForMore(TestCase):
    def figure(self, kind: str, name: str, readings: dict[str, Any] | None = None, people: int = 4, **keys: Any) -> float:
        document = job({"building": {"people": people}}, readings=readings or {}, train=[{"kind": kind, **keys}])
        return worked(document).chosen.run.stages[0].sizing.figures[name].value

    def test_a_softener_grows_with_people_and_hardness(self) -> None:
        """Load is use times hardness: twice the people, twice the load; more salt a year for harder water."""
        four, eight = (self.figure("softener", "daily_load", HARD_ONLY, people) for people in (4, 8))
        self.assertAlmostEqual(eight / four, 2, places=3)
        soft, hard = (self.figure("softener", "salt_per_year", HARD_ONLY | {"hardness": text}) for text in ("10 gpg", "30 gpg"))
        self.assertGreater(hard, 2 * soft)

    def test_a_neutralizer_is_eaten_faster_by_more_acid_water(self) -> None:
        """pH 6.6 and pH 5.8 at one alkalinity: the second holds about six times the carbon dioxide and dissolves more calcite."""
        mild, acid = (self.figure("neutralizer", "media_per_year", {"ph": text}) for text in ("6.6", "5.8"))
        self.assertGreater(acid, mild)

    def test_a_cartridge_fills_faster_in_cloudier_water(self) -> None:
        """Never later than for clear water, and never beyond half a year."""
        clear, cloudy = (self.figure("sediment", "replacement_interval", {"turbidity": text}) for text in ("0.5 NTU", "20 NTU"))
        self.assertLess(cloudy, clear)
        self.assertLessEqual(clear, 6.0)

    def test_a_lamp_gives_less_dose_in_darker_water(self) -> None:
        """The same lamp at 95 and at 75 % transmittance."""
        bright, dark = (self.figure("uv", "delivered_dose", {"uvt": text}, rated_flow="12 gpm") for text in ("95 %", "75 %"))
        self.assertGreater(bright, dark)

    def test_a_membrane_makes_less_in_the_cold(self) -> None:
        """Rated for warm water, it has to be larger for 40 than for 60 degF."""
        found = []
        for text in ("40 degF", "60 degF"):
            design = worked(job({"supply": {"coldest": text}}, train=[{"kind": "reverse_osmosis"}]))
            found.append(design.chosen.run.stages[0].sizing.figures["rated_required"].value)
        self.assertGreater(found[0], found[1])


class EveryWordIsSaid(TestCase):
    @given(st.lists(kinds, min_size=0, max_size=6), waters)
    @fuzz(60)
    def test_findings_can_be_acted_on(self, train: list[str], readings: dict[str, Any]) -> None:
        """Any train on any water: every finding is a sentence, names a remedy and a source, and points at a stage that is there."""
        design = worked(job(readings=readings, train=[{"kind": kind} for kind in train]))
        names = {stage.id for stage in design.chosen.run.stages}
        order = ["danger", "fault", "caution", "advice"]
        ranks = [order.index(finding.severity) for finding in design.chosen.findings]
        self.assertEqual(ranks, sorted(ranks))
        for finding in design.chosen.findings:
            self.assertTrue(finding.message.rstrip().endswith((".", "!", "?")), finding.message)
            self.assertTrue(finding.remedy and finding.source, finding.rule)
            self.assertIn(finding.stage or "", names | {""})
            self.assertNotRegex(finding.message + finding.remedy, r"\bNone\b|\bnan\b|\{|\}", finding.rule)

    @given(waters)
    @fuzz(30)
    def test_a_repair_never_leaves_more_faults_than_it_found(self, readings: dict[str, Any]) -> None:
        """A train in a foolish order: after mending there are no more faults and dangers than before."""
        design = worked(job(readings=readings, train=[{"kind": "uv"}, {"kind": "softener"}, {"kind": "sediment"}, {"kind": "neutralizer"}]))
        grave = [sum(finding.severity in ("danger", "fault") for finding in variant.findings) for variant in (design.chosen, repair(design).variant)]
        self.assertLessEqual(grave[1], grave[0])

    @given(waters)
    @fuzz(30)
    def test_a_repair_never_takes_out_the_only_barrier_against_microbes_found(self, readings: dict[str, Any]) -> None:
        """Whatever else is changed: with microbes in the water, a train that holds them still does once mended."""
        for no_power in (False, True):
            changes = {"wishes": {"no_power": no_power}, "supply": {"flow": "4 gpm", "pressure_low": "25 psi", "pressure_high": "45 psi"}}
            design = worked(job(changes, readings=readings | {"total_coliform": "present"}, train=[{"kind": "softener"}, {"kind": "uv"}]))
            kinds = {stage.kind for stage in repair(design).variant.run.stages}
            self.assertTrue(kinds & {"uv", "barrier_filter", "retention_tank"}, kinds)

    @given(st.floats(2, 25), st.floats(0.05, 3), st.floats(6.0, 7.8), st.floats(0.2, 6))
    @fuzz(30)
    def test_the_audit_finds_a_lamp_before_the_filter(self, hard: float, iron: float, ph: float, turbid: float) -> None:
        """Whatever the water, a lamp with a filter after it is flagged, and the planner never builds that."""
        readings = {
            "hardness": f"{hard:.1f} gpg",
            "iron": f"{iron:.2f} mg/L",
            "ferrous_iron": None,
            "ph": f"{ph:.2f}",
            "turbidity": f"{turbid:.1f} NTU",
        }
        wrong = worked(job(readings=readings, train=[{"kind": "uv"}, {"kind": "sediment"}]))
        self.assertIn("uv-not-last", ids(list(wrong.chosen.findings)))
        order = [stage.kind for stage in wrong.proposal.run.stages if not stage.at_tap]
        self.assertIn("uv", order)
        self.assertNotIn("sediment", order[order.index("uv") :])

    def test_every_limit_names_an_analyte_we_know(self) -> None:
        """In every set of limits."""
        for standard in ("us", "who", "ca", "eu", "uk", "au"):
            self.assertTrue(limits(standard))
            self.assertLessEqual({limit.analyte if hasattr(limit, "analyte") else limit for limit in limits(standard)}, set(analytes()))
