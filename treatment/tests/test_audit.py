"""Each rule fires on its mistake and stays quiet on a sound train."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from ..figure import source
from ..rules import RULES
from .example import HARD_ONLY, ids, job, worked

SOUND = [
    {"kind": "neutralizer"}, {"kind": "oxidizing_filter", "medium": "air_charged"}, {"kind": "softener"}, {"kind": "sediment", "micron": 5}, {"kind": "uv"},
]  # fmt: skip
NEUTRALIZER, IRON, SOFTENER, SEDIMENT, UV = SOUND


def soft(**more: Any) -> dict[str, Any]:
    return job(readings=HARD_ONLY, train=[{"kind": "softener", "volume": "1.5 ft3", "tank": "10x54"} | more])


def strip(hardness: str) -> dict[str, Any]:
    """A hard water whose hardness was read from a strip."""
    document = job(readings=HARD_ONLY | {"hardness": None})
    document["samples"].append({"taken_on": "2026-05-05", "point": "raw", "method": "strip", "readings": {"hardness": hardness}})
    return document


def ions(**more: str) -> dict[str, Any]:
    """A water whose ions balance: 4.0 + 0.8 + 0.9 meq/L against 4.0 + 0.8 + 0.9 (Ca 2.8, Mg 1.2)."""
    readings = {
        "hardness": "200 mg/L as CaCO3",
        "sodium": "39.1 mg/L",
        "alkalinity": "200 mg/L as CaCO3",
        "chloride": "28.4 mg/L",
        "sulfate": "43.2 mg/L",
    }
    return job(readings=HARD_ONLY | readings | more)


#: rule id -> (a job in which it must fire, a job in which it must not)
CASES: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
    "feed-limit/uv/hardness": (job(train=[NEUTRALIZER, IRON, SEDIMENT, UV]), job(train=SOUND)),
    "feed-limit/uv/iron": (job(train=[NEUTRALIZER, SEDIMENT, UV]), job(train=SOUND)),
    "feed-limit/softener/iron": (job(train=[NEUTRALIZER, SOFTENER, SEDIMENT, UV]), job(train=SOUND)),
    "feed-limit/softener/free_chlorine": (job(readings=HARD_ONLY | {"free_chlorine": "2 mg/L"}, train=[SOFTENER]), job(readings=HARD_ONLY | {"free_chlorine": "0.5 mg/L"}, train=[SOFTENER])),
    "feed-limit/neutralizer/iron": (job(readings={"iron": "5 mg/L", "ferrous_iron": "5 mg/L"}, train=SOUND), job(train=SOUND)),
    "feed-limit/oxidizing_filter/ph": (job(train=[IRON, NEUTRALIZER, SOFTENER, SEDIMENT, UV]), job(train=SOUND)),
    "feed-limit/oxidizing_filter/iron": (job(readings={"iron": "14 mg/L", "ferrous_iron": "14 mg/L", "ph": "7.5"}, train=[IRON]), job(train=SOUND)),
    "hot-feed/softener": (soft(install={"feed": "hot"}), soft(install={"feed": "cold"})),
    "unmet/hardness": (job(readings=HARD_ONLY, train=[]), job(readings=HARD_ONLY, train=[SOFTENER])),
    "unmet/ph": (job(train=[SOFTENER]), job(train=SOUND)),
    "health/nitrate": (job(readings={"nitrate": "20 mg/L as N"}, train=SOUND), job(readings={"nitrate": "4 mg/L as N"}, train=SOUND)),
    "nitrate-infants": (job(readings={"nitrate": "20 mg/L as N"}, train=SOUND), job(readings={"nitrate": "4 mg/L as N"}, train=SOUND)),
    "microbes-untreated": (job(train=SOUND[:4]), job(train=SOUND)),
    "boil-water": (job(train=SOUND), job(readings={"total_coliform": "absent"}, train=SOUND[:3])),
    "gas-hazard": (job(readings={"methane": "15 mg/L"}), job(readings={"methane": "1 mg/L"})),
    "refer/arsenic": (job(readings={"arsenic": "30 ug/L"}), job(readings={"arsenic": "5 ug/L"})),
    "lead-plumbing": (job({"supply": {"pipe": {"material": "copper", "size": "1 in"}}}), job({"supply": {"pipe": {"material": "copper", "size": "1 in"}}}, readings={"lead": "2 ug/L", "copper": "0.4 mg/L"})),
    "iron-bacteria-first": (job(readings={"iron_bacteria": "present"}, train=SOUND), job(train=SOUND)),
    "microbes-untested": (job(readings={"total_coliform": None, "e_coli": None}), job()),
    "test-missing/ph": (job(readings={"ph": None}), job()),
    "test-missing/hardness": (job(readings={"hardness": None}), job()),
    "test-missing/alkalinity": (job(readings={"alkalinity": None}), job()),
    "test-missing/iron": (job(readings={"iron": None, "ferrous_iron": None}), job()),
    "unit-ambiguous": (job(readings={"nitrate": "4 mg/L"}), job(readings={"nitrate": "4 mg/L as N"})),
    "iron-form-unknown": (job(readings={"ferrous_iron": None}), job()),
    "unneeded/neutralizer": (job(readings=HARD_ONLY, train=[NEUTRALIZER, SOFTENER]), job(train=SOUND)),
    "unneeded/oxidizing_filter": (job(readings=HARD_ONLY, train=[IRON, SOFTENER]), job(train=SOUND)),
    "unneeded/softener": (job(readings=HARD_ONLY | {"hardness": "3 gpg"}, train=[SOFTENER]), job(train=SOUND)),
    "unneeded/sediment": (job(train=[*SOUND[:3], SEDIMENT, {"kind": "sediment", "micron": 25}, SEDIMENT, UV]), job(train=SOUND)),
    "unneeded/uv": (job({"source": {"kind": "town"}}, readings=HARD_ONLY, train=[SOFTENER, SEDIMENT, UV]), job(train=SOUND)),
    "uv-not-last": (job(train=[NEUTRALIZER, IRON, SEDIMENT, UV, SOFTENER]), job(train=SOUND)),
    "uv-prefilter": (job(train=[NEUTRALIZER, IRON, SOFTENER, UV]), job(train=SOUND)),
    "micron-too-coarse": (job(train=[NEUTRALIZER, IRON, SOFTENER, {"kind": "sediment", "micron": 25}, UV]), job(train=SOUND)),
    "micron-too-fine": (job(readings={"turbidity": "30 NTU"}, train=[{"kind": "sediment", "micron": 5, "housing": "10x2.5"}]), job(train=SOUND)),
    "hardness-after-softener": (job(train=[SOFTENER, NEUTRALIZER, IRON, SEDIMENT, UV]), job(train=SOUND)),
    "ferrous-passes": (job(train=[SEDIMENT]), job(train=SOUND)),
    "oxidized-not-caught": (job(readings={"ph": "7.2"}, train=[{"kind": "oxidizing_filter", "medium": "cartridge"}]), job(readings={"ph": "7.2"}, train=[{"kind": "oxidizing_filter", "medium": "cartridge"}, SEDIMENT])),
    "service-flow/softener": (soft(volume="0.75 ft3", tank="8x44"), soft(volume="2.5 ft3", tank="13x54")),
    "service-flow/sediment": (job(train=[{"kind": "sediment", "housing": "10x2.5"}]), job(train=[{"kind": "sediment", "housing": "20x4.5"}])),
    "backwash-unmet/neutralizer": (job({"supply": {"flow": "4 gpm"}}, train=[{"kind": "neutralizer", "tank": "12x52"}]), job(train=SOUND)),
    "capacity-short": (soft(regeneration="timer", every_days=14), soft(regeneration="timer", every_days=3)),
    "capacity-idle": (job({"building": {"people": 1}}, readings=HARD_ONLY | {"hardness": "8 gpg"}, train=[{"kind": "softener", "volume": "3 ft3"}]), soft()),
    "setting-uncompensated": (job(readings=HARD_ONLY | {"iron": "1.5 mg/L", "ferrous_iron": "1.5 mg/L"}, train=[{"kind": "softener", "hardness_setting": "18 gpg"}]), soft(hardness_setting="19 gpg")),
    "salt-inefficient": (soft(salt_dose="15 lb/ft3"), soft(salt_dose="6 lb/ft3")),
    "cartridge-iron": (job(readings={"iron": "4 mg/L", "ferrous_iron": "4 mg/L", "ph": "7.2"}, train=[{"kind": "oxidizing_filter", "medium": "cartridge"}, SEDIMENT]), job(readings={"ph": "7.2"}, train=[{"kind": "oxidizing_filter", "medium": "cartridge"}, SEDIMENT])),
    "contact-short/neutralizer": (job(train=[{"kind": "neutralizer", "volume": "0.5 ft3", "tank": "8x44"}]), job(train=SOUND)),
    "bed-shallow": (soft(volume="0.75 ft3"), soft()),
    "freeboard-short": (soft(volume="2.25 ft3"), soft()),
    "uv-dose": (job(train=[*SOUND[:4], UV | {"rated_flow": "6 gpm"}]), job(train=SOUND)),
    "uv-flow-unrestricted": (job(train=[*SOUND[:4], UV | {"rated_flow": "6 gpm"}]), job(train=[*SOUND[:4], UV | {"rated_flow": "12 gpm", "restrictor": "8 gpm"}])),
    "calcite-too-acid": (job(readings={"ph": "5.2"}, train=SOUND), job(train=SOUND)),
    "calcite-idle": (job(readings=HARD_ONLY, train=[NEUTRALIZER, SOFTENER]), job(train=SOUND)),
    "regeneration-clash": (job(train=[NEUTRALIZER | {"hour": "02:00"}, IRON, SOFTENER | {"hour": "02:00"}]), job(train=[NEUTRALIZER | {"hour": "02:00"}, IRON, SOFTENER | {"hour": "04:00"}])),
    "regeneration-awake": (soft(hour="07:30"), soft(hour="02:00")),
    "pressure-short": (job({"supply": {"pressure_low": "25 psi"}}, train=SOUND), job({"supply": {"pressure_low": "55 psi", "pressure_high": "75 psi"}}, train=SOUND[:3])),
    "pressure-high": (job({"supply": {"night_pressure": "110 psi"}}), job()),
    "pressure-backwash": (job({"supply": {"pressure_low": "25 psi"}}, train=SOUND), job(train=SOUND)),
    "too-cold": (job({"supply": {"temperature": "34 degF"}}, train=SOUND), job(train=SOUND)),
    "too-hot": (job({"supply": {"temperature": "120 degF"}}, train=SOUND), job(train=SOUND)),
    "pipe-velocity": (job({"supply": {"pipe": {"material": "pex_crimp", "size": "1/2 in"}}}), job()),
    "pressure-loss/softener": (job({"supply": {"flow": "18 gpm"}}, readings=HARD_ONLY, train=[{"kind": "softener", "volume": "1 ft3", "tank": "8x44"}]), soft(volume="2.5 ft3", tank="13x54")),
    "sample-stale": (job({"as_of": "2026-11-24"}) | {"samples": [job()["samples"][0] | {"taken_on": "2024-05-04"}]}, job({"as_of": "2026-07-24"})),
    "sample-treated": (
        job(readings=HARD_ONLY | {"hardness": "0.5 gpg", "sodium": "120 mg/L"}),
        job(readings=HARD_ONLY | {"sodium": "12 mg/L"}),
    ),
    "sample-single-season": (job({"source": {"kind": "spring"}}), job()),
    "ph-not-field": (job(), job(readings=HARD_ONLY)),
    "strip-only": (strip("80..250 mg/L"), strip("150..250 mg/L")),
    "ion-balance": (ions(sodium="200 mg/L"), ions()),
    "tds-inconsistent": (ions(tds="900 mg/L"), ions(tds="330 mg/L")),
    "hardness-inconsistent": (
        job(readings=HARD_ONLY | {"calcium": "20 mg/L", "magnesium": "5 mg/L"}),
        job(readings=HARD_ONLY | {"calcium": "90 mg/L", "magnesium": "20.2 mg/L"}),
    ),
    "carbonate-inconsistent": (job(readings=HARD_ONLY | {"carbon_dioxide": "90 mg/L"}), job(readings=HARD_ONLY | {"carbon_dioxide": "9 mg/L"})),
    "reading-implausible": (job(readings={"iron": "240 mg/L", "ferrous_iron": None}), job()),
    "observation-conflict": (job({"observations": ["orange_stains"]}, readings=HARD_ONLY), job({"observations": ["orange_stains"]})),
    "sodium-diet": (job({"wishes": {"low_sodium": True}}, readings=HARD_ONLY, train=[SOFTENER]), soft()),
    "outdoor-taps-softened": (soft(install={"branch": "outdoor"}), soft(install={"branch": "main"})),
}  # fmt: skip


class EveryRule(TestCase):
    def test_fires_on_its_mistake(self) -> None:
        """The seeded mistake is found, with numbers or names, a remedy and a source."""
        for id, (seeded, _) in CASES.items():
            with self.subTest(id):
                found = worked(seeded).chosen.findings
                self.assertIn(id, ids(found))
                for finding in found:
                    self.assertTrue(finding.message and finding.remedy and finding.source, finding.rule)

    def test_stays_quiet_without_it(self) -> None:
        """The same rule says nothing where the mistake is not made (advice apart)."""
        for id, (_, clean) in CASES.items():
            with self.subTest(id):
                self.assertNotIn(id, {f.rule for f in worked(clean).chosen.findings if f.severity != "advice"})

    def test_every_registered_rule_has_a_case(self) -> None:
        """No rule without a firing and a quiet case."""
        bases = {id.split("/")[0] for id in CASES}
        self.assertEqual({rule.id.split("/")[0] for rule in RULES} - bases, set())

    def test_every_rule_is_documented_and_sourced(self) -> None:
        """Each rule says in a line what it is about, and its source exists."""
        for rule in RULES:
            self.assertTrue(rule.doc, rule.id)
            self.assertTrue(source(rule.source))

    def test_a_sound_train_has_no_fault_and_no_danger(self) -> None:
        """But the notice about the water itself, which stands until the retest."""
        for document in (job(train=SOUND), soft(), job(readings=HARD_ONLY | {"hardness": "2 gpg"}, train=[])):
            found = worked(document).chosen.findings
            self.assertEqual(ids(found, "fault"), set())
            self.assertLessEqual(ids(found, "danger"), {"boil-water"})

    def test_findings_come_gravest_first_and_twice_the_same(self) -> None:
        """Order is by severity; two audits of one job read alike."""
        document = job(train=[UV, SOFTENER, NEUTRALIZER])
        first, second = worked(document).chosen.findings, worked(document).chosen.findings
        self.assertEqual(first, second)
        order = ["danger", "fault", "caution", "advice"]
        self.assertEqual([f.severity for f in first], sorted((f.severity for f in first), key=order.index))

    def test_what_is_not_known_is_not_accused(self) -> None:
        """With nothing known of pipe, pressure and installation, no fault is made of it."""
        document = job(readings=HARD_ONLY, train=[{"kind": "softener"}])
        del document["supply"]
        found = worked(document).chosen.findings
        self.assertEqual(ids(found, "fault") | ids(found, "danger"), set())

    def test_a_strip_is_held_against_the_jobs_own_softening_mark(self) -> None:
        """150..250 mg/L lies wholly above seven grains, but straddles a wish of twelve (205 mg/L)."""
        wish = strip("150..250 mg/L") | {"wishes": {"soft_water": True, "soften_above": "12 gpg"}}
        self.assertIn("strip-only", ids(worked(wish).chosen.findings))

    def test_messages_are_in_the_units_of_the_job(self) -> None:
        """A metric job reads no gpm and no psi."""
        for finding in worked(job({"job": {"units": "metric"}}, train=[UV, SOFTENER, NEUTRALIZER])).chosen.findings:
            self.assertNotRegex(finding.message + finding.remedy, r"\b(gpm|psi|gpg|°F)\b")

    def test_the_handbook_lists_every_rule(self) -> None:
        """A rule can be looked up by the id printed in the audit."""
        from pathlib import Path

        page = (Path(__file__).resolve().parents[2] / "docs" / "rules.md").read_text()
        for rule in RULES:
            self.assertIn(f"`{rule.id}`", page)
