"""What each treatment does to the water, and what it leaves alone."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from ..train.treatment import StageRun
from .example import HARD_ONLY, job, worked


def through(stage: dict[str, Any], readings: dict[str, str | None] | None = None, **changes: Any) -> StageRun:
    return worked(job(changes or None, readings=readings, train=[stage])).chosen.run.stages[0]


class Sediment(TestCase):
    def test_holds_particles_and_lets_dissolved_matter_by(self) -> None:
        """5 µm leaves 15 % of the turbidity and 30 % of the rust; ferrous iron, hardness and microbes pass."""
        run = through({"kind": "sediment", "micron": 5}, {"turbidity": "4 NTU", "iron": "2 mg/L", "ferrous_iron": "1 mg/L"})
        self.assertAlmostEqual(run.water_out.value("turbidity"), 0.6)
        self.assertAlmostEqual(run.water_out.value("ferric_iron"), 0.3)
        self.assertAlmostEqual(run.water_out.value("ferrous_iron"), 1.0)
        self.assertEqual(run.water_out.hardness, run.water_in.hardness)
        self.assertEqual(run.water_out.value("total_coliform"), 1.0)

    def test_finer_holds_more(self) -> None:
        """1 µm leaves less than 5, 5 less than 25."""
        left = [through({"kind": "sediment", "micron": size}, {"turbidity": "4 NTU"}).water_out.value("turbidity") for size in (1, 5, 25)]
        self.assertEqual(left, sorted(left))

    def test_life_is_dirt_or_half_a_year(self) -> None:
        """Clear water: 6 months. 20 NTU in 10x2.5 in: 60 g over 0.85 x 30 mg/L x 908 L x 30.4 days = 0.085 months."""
        clear = through({"kind": "sediment", "micron": 5}, {"turbidity": "0.1 NTU", "iron": None, "ferrous_iron": None})
        self.assertAlmostEqual(clear.sizing.figures["replacement_interval"].value, 182 / 30.4, places=3)
        dirty = through({"kind": "sediment", "micron": 5, "housing": "10x2.5"}, {"turbidity": "20 NTU", "iron": None, "ferrous_iron": None})
        self.assertAlmostEqual(dirty.sizing.figures["replacement_interval"].value, 60 / (0.85 * 30 * 908 / 1000 * 30.4), places=3)


class IronFilters(TestCase):
    def test_a_bed_takes_iron_manganese_and_sulfide(self) -> None:
        """At pH 7.6: iron to 0.08 (2 % of 4), a tenth of the manganese and a twentieth of the sulfide stay."""
        readings: dict[str, str | None] = HARD_ONLY | {
            "iron": "4 mg/L",
            "ferrous_iron": "4 mg/L",
            "manganese": "0.5 mg/L",
            "hydrogen_sulfide": "1 mg/L",
        }
        out = through({"kind": "oxidizing_filter", "medium": "air_charged"}, readings).water_out
        self.assertAlmostEqual(out.iron, 0.08)
        self.assertAlmostEqual(out.value("manganese"), 0.05)
        self.assertAlmostEqual(out.value("hydrogen_sulfide"), 0.05)

    def test_manganese_passes_below_its_ph(self) -> None:
        """At pH 7.1 seven tenths of it pass."""
        out = through({"kind": "oxidizing_filter", "medium": "air_charged"}, {"ph": "7.1", "manganese": "0.5 mg/L"}).water_out
        self.assertAlmostEqual(out.value("manganese"), 0.35)

    def test_a_cartridge_lets_fines_by(self) -> None:
        """Nine tenths of 2 mg/L are oxidised, a twentieth of that passes as rust: 0.2 + 0.09 mg/L."""
        out = through({"kind": "oxidizing_filter", "medium": "cartridge"}, {"ph": "7.2", "iron": "2 mg/L", "ferrous_iron": "2 mg/L"}).water_out
        self.assertAlmostEqual(out.value("ferrous_iron"), 0.2)
        self.assertAlmostEqual(out.value("ferric_iron"), 0.09)

    def test_iron_that_was_not_measured_stays_unknown(self) -> None:
        """No value is made up for what was not tested."""
        out = through({"kind": "oxidizing_filter"}, {"iron": None, "ferrous_iron": None}).water_out
        self.assertIsNone(out.get("iron"))


class Softener(TestCase):
    def test_exchanges_calcium_and_magnesium_alike(self) -> None:
        """What stays does so in the raw ratio; sodium rises 0.4594 for each mg/L removed; alkalinity stays."""
        run = through({"kind": "softener"}, HARD_ONLY)
        left = run.figures["leakage"].value
        self.assertAlmostEqual(run.water_out.hardness, left, places=6)
        before, after = run.water_in, run.water_out
        self.assertAlmostEqual(before.value("calcium") / before.value("magnesium"), after.value("calcium") / after.value("magnesium"), places=6)
        self.assertAlmostEqual(after.value("sodium") - before.value("sodium"), 0.4594 * (before.hardness - left), delta=0.05)
        self.assertEqual(before.value("alkalinity"), after.value("alkalinity"))

    def test_soft_water_is_left_alone(self) -> None:
        """Nothing is removed below the leakage."""
        run = through({"kind": "softener"}, HARD_ONLY | {"hardness": "5 mg/L as CaCO3"})
        self.assertAlmostEqual(run.water_out.hardness, 5.0)
        self.assertAlmostEqual(run.sizing.figures["sodium_added"].value, 0.0)


class LampsInParallel(TestCase):
    def test_where_one_is_not_enough(self) -> None:
        """60 gpm is beyond the largest chamber of 36: two in parallel, each at half the flow; half the pressure is not lost, a quarter is."""
        document = job({"supply": {"flow": "60 gpm"}}, readings={"uvt": "95 %"}, train=[{"kind": "sediment"}, {"kind": "uv"}])
        stage = worked(document).chosen.run.stages[1]
        self.assertEqual(stage.sizing.params["lamps"], 2)
        self.assertGreaterEqual(stage.figures["delivered_dose"].value, 40)
        one = worked(
            job({"supply": {"flow": "60 gpm"}}, readings={"uvt": "95 %"}, train=[{"kind": "sediment"}, {"kind": "uv", "rated_flow": "36 gpm"}])
        )
        self.assertAlmostEqual(one.chosen.run.stages[1].figures["delivered_dose"].value, 40 * 36 / 60, places=3)


class Lamp(TestCase):
    def test_a_dose_that_reaches_makes_microbes_harmless(self) -> None:
        """Enough light clears coliform; too little leaves it."""
        self.assertEqual(through({"kind": "uv"}).water_out.value("total_coliform"), 0.0)
        self.assertEqual(through({"kind": "uv", "rated_flow": "2 gpm"}).water_out.value("total_coliform"), 1.0)

    def test_cloudier_to_light_means_a_larger_lamp(self) -> None:
        """At 75 % transmittance per cm a larger chamber is chosen than at 95 %."""
        clear, dark = (through({"kind": "uv"}, {"uvt": text}).sizing.params["rated_flow"] for text in ("95 %", "75 %"))
        self.assertGreater(dark, clear)


class Neutralizer(TestCase):
    def test_upflow_needs_no_backwash(self) -> None:
        """An up-flow bed has no backwash figure and asks nothing of the pump."""
        up = worked(job({"supply": {"flow": "3 gpm"}}, train=[{"kind": "neutralizer", "flow": "up"}])).chosen
        self.assertNotIn("backwash_flow", up.run.stages[0].sizing.figures)
        self.assertFalse(any(finding.rule.startswith("backwash-unmet") for finding in up.findings))

    def test_saturated_water_passes_unchanged(self) -> None:
        """Hard water at pH 8 dissolves nothing."""
        run = through({"kind": "neutralizer"}, HARD_ONLY | {"ph": "8.0", "alkalinity": "250 mg/L as CaCO3", "hardness": "300 mg/L as CaCO3"})
        self.assertEqual(run.water_in, run.water_out)
        self.assertEqual(run.sizing.figures["calcite_dissolved"].value, 0.0)
