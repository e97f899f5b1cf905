"""Pipes, beds and the pressure that is left, worked by hand."""

from __future__ import annotations

from math import log10, pi
from unittest import TestCase

from fluids.friction import friction_factor, ft_Crane
from fluids.packed_bed import Ergun
from hypothesis import given
from hypothesis import strategies as st

from ..chemistry.carbonate import water_density, water_viscosity
from ..house.beds import FT3, Bed, least_in, measured_out, medium, most_in, riser_loss, tanks
from ..house.choosing import BedAsked, choose_bed
from ..house.hydraulics import PSI, friction, packed_bed_loss, square_law, valve_loss
from ..house.pipes import size_of
from ..studies.supply import routed_loss
from .example import HARD_ONLY, job, worked
from .fuzz import fuzz

GPM = 3.785411784


class Pipes(TestCase):
    def test_laminar_flow_is_hagen_poiseuille(self) -> None:
        """0.5 L/min in 20 mm over 10 m at 20 degC: 128 µ L Q / (π d^4)."""
        flow = 0.5 / 60000
        expected = 128 * water_viscosity(20) * 10 * flow / (pi * 0.020**4) / 1000
        self.assertAlmostEqual(friction(0.5, 0.020, 10, 1.5e-6, 20), expected, delta=expected * 1e-6)

    def test_turbulent_flow_by_hand(self) -> None:
        """26.5 L/min in 26 mm copper over 12 m at 11 degC: v = 0.832 m/s, Re about 17 000, f about 0.027, 4.3 kPa."""
        speed = 26.5 / 60000 / (pi * 0.026**2 / 4)
        reynolds = water_density(11) * speed * 0.026 / water_viscosity(11)
        factor = 0.25 / log10(1.5e-6 / 0.026 / 3.7 + 5.74 / reynolds**0.9) ** 2
        expected = factor * 12 / 0.026 * water_density(11) * speed**2 / 2 / 1000
        self.assertAlmostEqual(speed, 0.832, delta=0.002)
        self.assertAlmostEqual(expected, 4.3, delta=0.3)
        # the explicit factor of Swamee & Jain (1976) worked here lies within 2 % of Colebrook's
        self.assertAlmostEqual(friction(26.5, 0.026, 12, 1.5e-6, 11), expected, delta=0.02 * expected)

    def test_real_bores(self) -> None:
        """3/4 in copper L has 19.9 mm, PEX 17.3 mm: smaller than its name."""
        for material, bore in (("copper", 19.9), ("pex_crimp", 17.3)):
            size = size_of(material, 0.75 * 0.0254)
            assert size is not None
            self.assertAlmostEqual(size.bore * 1000, bore, places=3)

    def test_valve_and_square_law(self) -> None:
        """7 gpm through Cv 7 is 1 psi; twice the rated flow is four times the loss."""
        self.assertAlmostEqual(valve_loss(7 * GPM, 7.0), PSI, places=9)
        self.assertAlmostEqual(square_law(20.0, 10.0, 5.0), 20.0)

    @given(st.floats(1, 60), st.floats(1.01, 3), st.floats(3, 35))
    @fuzz(50)
    def test_more_flow_loses_more(self, flow: float, times: float, temperature: float) -> None:
        """Friction and beds alike; colder water loses more in a bed."""
        self.assertLess(friction(flow, 0.02, 10, 1e-5, temperature), friction(flow * times, 0.02, 10, 1e-5, temperature))
        self.assertLess(packed_bed_loss(flow, 0.05, 0.8, 7e-4, 0.4, temperature), packed_bed_loss(flow * times, 0.05, 0.8, 7e-4, 0.4, temperature))
        self.assertGreater(packed_bed_loss(flow, 0.05, 0.8, 7e-4, 0.4, 3), packed_bed_loss(flow, 0.05, 0.8, 7e-4, 0.4, 35))


class PressureLine(TestCase):
    def test_what_is_left_is_what_came_less_every_loss(self) -> None:
        """Cut-in less the pipe to the house, the wall's own, units and 12 ft of height (35.9 kPa); each point lies below the one before."""
        design = worked(job())
        line, run = design.chosen.pressure, design.chosen.run
        pipe = design.duty.supply.pipe.loss(design.duty.flow, run.raw.temperature)
        units = sum(stage.loss_clean for stage in run.stages)
        height = 12 * 0.3048 * 9.80665
        wall = routed_loss(design, design.chosen).value
        self.assertGreater(wall, pipe / 2)
        self.assertAlmostEqual(line.residual_clean.value, 40 * PSI - pipe - wall - units - height, places=5)
        self.assertAlmostEqual(line.points[-1].clean, line.residual_clean.value, places=9)
        for before, after in zip(line.points, line.points[1:], strict=False):
            self.assertGreaterEqual(before.clean, after.clean)
            self.assertGreaterEqual(after.clean, after.dirty)

    def test_a_backwash_is_judged_at_its_valve(self) -> None:
        """30 psi at cut-in are not 30 at the valve: the pipe, the wall's own and a clean cartridge at the flow of the wash come off first."""
        train = [{"kind": "sediment", "form": "cartridge", "housing": "10x2.5"}, {"kind": "softener", "tank": "12x52"}]
        supply = {
            "flow": "12 gpm",
            "pressure_low": "33 psi",
            "pressure_high": "53 psi",
            "pipe": {"material": "copper", "size": "3/4 in", "length": "60 ft"},
        }
        audit = worked(job({"supply": supply}, train=train)).chosen.audit
        (told,) = [finding for finding in audit.findings() if finding.rule == "pressure-backwash"]
        five, soft = audit.run.stages
        wash, pipe, cold = soft.figures["backwash_flow"].value, audit.duty.supply.pipe, audit.run.raw.temperature
        ways = (audit.piping.before[0], audit.piping.behind[0], audit.piping.before[1])
        left = (
            33 * PSI - pipe.loss(wash, cold) - sum(way.loss(pipe, wash, cold) for way in ways) - five.room.loss(five.keys, five.sizing, wash, cold)[0]
        )
        self.assertLess(left, 30 * PSI)
        self.assertIn(f"{left / PSI:.0f} psi reaches the control valve", told.message)
        strong = worked(job({"supply": supply | {"pressure_low": "50 psi", "pressure_high": "70 psi"}}, train=train)).chosen.audit
        self.assertEqual([finding for finding in strong.findings() if finding.rule == "pressure-backwash"], [])

    def test_riser_and_baskets_by_hand(self) -> None:
        """7 gpm, 26.5 L/min, in a riser of 20.9 mm: 1.287 m/s, 0.828 kPa of velocity head; two baskets of 2 are 3.31 kPa, and 1.37 m of tube
        at f = 0.026 are 0.026 × 1.37 ÷ 0.0209 × 0.828 = 1.41 kPa."""
        self.assertAlmostEqual(riser_loss(26.5, 0.0209, 1.37, 10.0), 3.31 + 1.41, delta=0.12)

    def test_a_pressure_tank_gives_back_by_boyle(self) -> None:
        """40 gal, 151.4 L, between 50 and 70 psi: 151.4 × (330.7 + 101) × (1 ÷ 445.7 − 1 ÷ 583.6) = 34.6 L, not three tenths of it."""
        supply = {"flow": "7 gpm", "pressure_low": "50 psi", "pressure_high": "70 psi"}
        run = worked(job({"supply": supply}, train=[{"kind": "pressure_tank", "volume": "40 gal"}])).chosen.run
        self.assertAlmostEqual(run.stages[0].figures["drawdown"].value, 34.6, delta=0.2)

    def test_a_dirty_cartridge_costs_ten_psi_more(self) -> None:
        """The only cartridge of the train is the 5 µm before the lamp."""
        stage = next(stage for stage in worked(job()).chosen.run.stages if stage.kind == "sediment")
        self.assertAlmostEqual(stage.loss_dirty - stage.loss_clean, 10 * PSI, delta=0.01)


class PickingVessels(TestCase):
    def test_media_are_measured_out(self) -> None:
        """Quarters of a cubic foot, eighths below one and a half; never less than asked when rounding up."""
        self.assertAlmostEqual(measured_out(1.8 * FT3) / FT3, 2.0)
        self.assertAlmostEqual(measured_out(1.3 * FT3) / FT3, 1.375)
        self.assertAlmostEqual(measured_out(0.8 * FT3) / FT3, 0.875)
        self.assertAlmostEqual(measured_out(1.3 * FT3, up=False) / FT3, 1.25)

    def test_a_bed_keeps_its_depth_and_its_freeboard(self) -> None:
        """What least_in and most_in allow of 12x52 calcite: 24 in deep at least, half the depth free above."""
        calcite = medium("calcite")
        self.assertGreaterEqual(Bed(calcite, "12x52", 1, least_in(calcite, "12x52")).depth, 24 * 0.0254 - 1e-9)
        self.assertGreaterEqual(Bed(calcite, "12x52", 1, most_in(calcite, "12x52")).freeboard, 0.5 - 1e-9)

    @given(st.sampled_from(["calcite", "air_charged", "softening_resin"]), st.floats(8, 80), st.floats(8, 80), st.floats(4, 25))
    @fuzz(80)
    def test_a_chosen_bed_carries_the_flow_and_can_be_washed(self, key: str, flow: float, wash: float, temperature: float) -> None:
        """Whenever some vessel does both, the one chosen does both."""
        bed = choose_bed(BedAsked(key, flow, 0.0, wash, temperature))
        possible = any(
            Bed(medium(key), name, n, 1.0).peak_limit >= flow and Bed(medium(key), name, n, 1.0).backwash_flow(temperature) <= wash
            for name in tanks()
            for n in (1, 2, 3, 4)
            if least_in(medium(key), name) <= most_in(medium(key), name)
        )
        if possible:
            self.assertGreaterEqual(bed.peak_limit, flow - 1e-6)
            self.assertLessEqual(bed.backwash_flow(temperature), wash + 1e-6)

    def test_a_vessel_that_is_named_stands_alone(self) -> None:
        """Naming a tank or a volume means one vessel unless the job says how many."""
        stages = worked(
            job(readings=HARD_ONLY, train=[{"kind": "softener", "tank": "10x54"}, {"kind": "softener", "volume": "1 ft3", "vessels": 2}])
        ).chosen.run.stages
        self.assertEqual([stage.sizing.params["vessels"] for stage in stages], [1, 2])
        self.assertEqual(stages[0].sizing.params["tank"], "10x54")


class TheLibrary(TestCase):
    def test_its_documented_examples(self) -> None:
        """The numbers its own documentation prints, so that a changed release shows here first."""
        self.assertAlmostEqual(friction_factor(Re=1e5, eD=1e-4), 0.01851386607747165, places=12)
        self.assertAlmostEqual(Ergun(dp=8e-4, voidage=0.4, vs=1e-3, rho=1e3, mu=1e-3, L=1.0), 1338.8671875, places=6)
        self.assertAlmostEqual(ft_Crane(0.1), 0.01628845962146481, places=12)

    def test_a_bed_by_hand(self) -> None:
        """0.6 mm grains, 38 % void, 0.9 m deep, 10 m/h of water at 10 degC (1.306 mPa s, 999.7 kg/m3), by Ergun:
        150 x 0.001306 x 0.62^2 x 0.002778 / (0.38^3 x 0.0006^2) = 10 579 Pa/m and
        1.75 x 999.7 x 0.62 x 0.002778^2 / (0.38^3 x 0.0006) = 254 Pa/m: 9.75 kPa over 0.9 m."""
        area = 0.05
        flow = 10.0 / 60 * area * 1000
        self.assertAlmostEqual(packed_bed_loss(flow, area, 0.9, 0.0006, 0.38, 10.0), (10579 + 254) * 0.9 / 1000, delta=0.05)
