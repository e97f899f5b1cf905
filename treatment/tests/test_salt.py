"""Salt well spent: resin, dose and interval chosen together, by hand and as properties."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from .example import HARD_ONLY, ids, job, worked
from .fuzz import fuzz

FT3, LB, GRAINS = 28.316846592, 0.45359237, 15.4323584  # L, kg, grains in a gram


def house(people: int, hardness: str, **more: Any) -> Any:
    """The softener of a house on hard water, and the design it stands in."""
    readings = HARD_ONLY | {"hardness": hardness} | more.pop("readings", {})
    design = worked(job({"building": {"people": people}} | more, readings=readings))
    return next(stage for stage in design.proposal.run.stages if stage.kind == "softener"), design


class SaltWellSpent(TestCase):
    def test_two_people_on_middling_water(self) -> None:
        """2 x 227 L of 250 + 17.118 x (4 x 0.05 + 8 x 0.01) = 254.8 mg/L bring 115.7 g a day; half a ton of salt a year it is not."""
        stage, design = house(2, "250 mg/L as CaCO3")
        self.assertAlmostEqual(stage.figures["daily_load"].value, 2 * 227.1 * 254.8 / 1000, delta=0.5)
        self.assertLess(stage.figures["salt_per_year"].value, 130)
        self.assertFalse({"capacity-idle", "salt-inefficient", "salt-starved", "setting-doubled"} & ids(design.proposal.findings))

    def test_a_dose_worked_by_hand(self) -> None:
        """At 4 lb/ft3 a cubic foot exchanges 16000 grains = 1036.8 g; days = (capacity - one day) / load; salt = 365 / days x dose."""
        stage, _ = house(4, "400 mg/L as CaCO3")
        volume, load = stage.sizing.vessels.total_volume / FT3, stage.figures["daily_load"].value
        self.assertAlmostEqual(stage.sizing.params["salt_dose"], 4 * LB * 1000 / FT3, places=6)
        self.assertAlmostEqual(stage.figures["capacity"].value, 16000 / GRAINS * volume, delta=0.5)
        days = (16000 / GRAINS * volume - load) / load
        self.assertAlmostEqual(stage.figures["regeneration_interval"].value, days, delta=0.01)
        self.assertAlmostEqual(stage.figures["salt_per_year"].value, 365 / days * 4 * LB * volume, delta=0.5)

    def test_a_bed_made_large_by_flow_counts_days(self) -> None:
        """One person and little hardness: the bed the flow asks for would stand for weeks, so the valve counts ten days."""
        stage, design = house(1, "140 mg/L as CaCO3", supply={"flow": "15 gpm", "pressure_low": "40 psi", "pressure_high": "60 psi"})
        self.assertGreater(stage.figures["days_between_regenerations"].value, 14)
        self.assertEqual(stage.sizing.params["every_days"], 10)
        self.assertEqual(stage.figures["regeneration_interval"].value, 10)
        self.assertNotIn("capacity-idle", ids(design.proposal.findings))

    def test_iron_shortens_the_interval_whatever_the_capacity(self) -> None:
        """Above 0.3 mg/L arriving: four days."""
        stage, _ = house(2, "250 mg/L as CaCO3", readings={"iron": "0.6 mg/L", "ferrous_iron": "0.6 mg/L", "ph": "7.0"})
        if stage.water_in.iron > 0.3:
            self.assertLessEqual(stage.figures["regeneration_interval"].value, 4)
        clean, _ = house(2, "250 mg/L as CaCO3")
        self.assertGreater(clean.figures["regeneration_interval"].value, 4)

    def test_what_stays_by_hand(self) -> None:
        """10 x (TDS / 300)^0.5 x (8 / 4)^0.5: 20 mg/L at 600 mg/L of dissolved solids and 4 lb/ft3."""
        document = job(readings=HARD_ONLY | {"tds": "600 mg/L"}, train=[{"kind": "softener", "salt_dose": "4 lb/ft3"}])
        stage = worked(document).chosen.run.stages[0]
        self.assertAlmostEqual(stage.figures["leakage"].value, 20.0, places=3)
        self.assertAlmostEqual(stage.water_out.hardness, 20.0, places=3)

    def test_below_the_curve_capacity_falls(self) -> None:
        """2 lb/ft3 is half the first point: half its capacity."""
        half, full = (worked(job(readings=HARD_ONLY, train=[{"kind": "softener", "volume": "1.5 ft3", "tank": "10x54", "salt_dose": dose}])).chosen.run.stages[0]
                      for dose in ("2 lb/ft3", "4 lb/ft3"))  # fmt: skip
        self.assertAlmostEqual(half.figures["capacity"].value * 2, full.figures["capacity"].value, places=6)

    @given(st.integers(1, 9), st.integers(130, 900), st.integers(6, 30))
    @fuzz(25)
    def test_of_our_own_choosing_it_neither_idles_nor_wastes(self, people: int, hardness: int, flow: int) -> None:
        """Whatever the house: 3350 grains a pound and no finding about salt, as long as three days can be had."""
        stage, design = house(
            people, f"{hardness} mg/L as CaCO3", supply={"flow": f"{flow} gpm", "pressure_low": "40 psi", "pressure_high": "60 psi"}
        )
        self.assertFalse({"capacity-idle", "salt-inefficient", "salt-starved"} & ids(design.proposal.findings))
        if stage.figures["days_between_regenerations"].value >= 3:
            self.assertGreaterEqual(stage.figures["salt_efficiency"].value, 3349)
        self.assertLessEqual(stage.figures["regeneration_interval"].value, 14)
