from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..chemistry import carbonate
from ..chemistry.carbonate import Solution, calcite_rate, calcite_to_ph, calcite_to_saturation, caustic_to_ph, soda_ash_to_ph, solve_ph, speciate
from .fuzz import fuzz

CASES = json.loads((Path(__file__).parent / "data" / "chemistry.json").read_text())


def solution(case: dict[str, Any]) -> Solution:
    i = case["input"]
    return Solution(
        i["temp_c"], i["alkalinity_mg_l_caco3"] / 50043.45, i["ca_hardness_mg_l_caco3"] / 100086.9, i["mg_hardness_mg_l_caco3"] / 100086.9,
        i["na_mg_l"] / 22989.77, i["cl_mg_l"] / 35453, i["so4_mg_l"] / 96060, i.get("fe2_mg_l", 0.0) / 55845,
    )  # fmt: skip


class AgainstReference(TestCase):
    """Within 1 % of the reference for carbon dioxide and doses, 0.02 in saturation index and pH."""

    def near(self, got: float, wanted: float, case: str) -> None:
        self.assertLess(abs(got / wanted - 1), 0.01, f"{case}: {got} against {wanted}")

    def test_speciation(self) -> None:
        """Free CO2, total carbon and saturation index of waters from pH 4.8 to 9."""
        for case in CASES["carbonate"]:
            state, out = speciate(solution(case), case["input"]["ph"]), case["output"]
            self.near(state.co2 * 44009.5, out["free_co2_mg_l"], case["id"])
            self.near(state.carbon * 1000, out["tic_mmol_l"], case["id"])
            self.assertAlmostEqual(state.saturation_index, out["calcite_si"], delta=0.02)

    def test_calcite_doses(self) -> None:
        """Calcite to pH 7.0, to 7.5 and to equilibrium, with the pH it ends at."""
        for case in CASES["calcite"]:
            water, out = solution(case), case["output"]
            carbon = speciate(water, case["input"]["ph"]).carbon
            for name, ph in (("to_ph_7_0", 7.0), ("to_ph_7_5", 7.5)):
                dosed = calcite_to_ph(water, carbon, ph)
                self.near(dosed.amount * 100086.9, out[name]["calcite_dissolved_mg_l"], case["id"])
                self.assertAlmostEqual(dosed.state.saturation_index, out[name]["final_calcite_si"], delta=0.02)
                if abs(out[name]["final_calcite_si"]) > 0.02:
                    self.assertEqual(dosed.state.saturation_index <= 0, out[name]["reachable_by_calcite"])
            full = calcite_to_saturation(water, carbon)
            self.near(full.amount * 100086.9, out["to_equilibrium"]["calcite_dissolved_mg_l"], case["id"])
            self.assertAlmostEqual(full.state.ph, out["to_equilibrium"]["final_ph"], delta=0.02)

    def test_more_waters(self) -> None:
        """Fourteen waters drawn at random, salty ones among them: CO2, index, and how much calcite they dissolve."""
        for case in CASES["more"]:
            water, out = solution(case), case["output"]
            state = speciate(water, case["input"]["ph"])
            self.near(state.co2 * 44009.5, out["free_co2_mg_l"], case["id"])
            self.assertAlmostEqual(state.saturation_index, out["calcite_si"], delta=0.02)
            full = calcite_to_saturation(water, state.carbon)
            self.near(full.amount * 100086.9, out["to_equilibrium_mg_l"], case["id"])
            self.assertAlmostEqual(full.state.ph, out["equilibrium_ph"], delta=0.02)

    def test_soda_ash_and_caustic(self) -> None:
        """Doses of pure product to pH 7.0 and 7.5, one water of negative alkalinity among them."""
        for case in CASES["dosing"]:
            water = solution(case)
            carbon = speciate(water, case["input"]["ph"]).carbon
            for name, dose, mass in (("soda_ash", soda_ash_to_ph, 105988.4), ("naoh", caustic_to_ph, 39997.1)):
                for ph in (7.0, 7.5):
                    self.near(dose(water, carbon, ph).amount * mass, case["output"][f"{name}_to_ph_{ph:.1f}".replace(".", "_")], case["id"])

    def test_iron_softening_and_aeration(self) -> None:
        """pH after iron is oxidised, after exchange, heated to 60 degC, and after CO2 is stripped."""
        for case in CASES["iron"]:
            water = solution(case)
            before = speciate(water, case["input"]["ph"])
            after = solve_ph(replace(water, alkalinity=water.alkalinity - 2 * water.ferrous, ferrous=0.0), before.carbon)
            self.near(before.co2 * 44009.5, case["output"]["initial_free_co2_mg_l"], case["id"])
            self.assertAlmostEqual(after.ph, case["output"]["final_ph"], delta=0.02)
        for case in CASES["softening"]:
            water, out = solution(case), case["output"]
            carbon = speciate(water, case["input"]["ph"]).carbon
            soft = replace(
                water,
                calcium=out["softened_ca_hardness_mg_l_caco3"] / 100086.9,
                magnesium=out["softened_mg_hardness_mg_l_caco3"] / 100086.9,
                sodium=water.sodium + out["sodium_added_mg_l"] / 22989.77,
            )
            self.assertAlmostEqual(solve_ph(soft, carbon).ph, out["softened_ph"], delta=0.02)
            self.assertAlmostEqual(solve_ph(soft, carbon).saturation_index, out["si_after"], delta=0.02)
            self.assertAlmostEqual(solve_ph(replace(water, temperature=60.0), carbon).saturation_index, out["si_before_60c"], delta=0.02)
        for case in CASES["aeration"]:
            for co2 in (10, 5, 1):
                out = case["output"][f"to_co2_{co2}_mg_l"]
                self.assertAlmostEqual(solve_ph(solution(case), out["tic_mmol_l"] / 1000).ph, out["ph"], delta=0.02)


WATERS = st.builds(
    Solution, st.floats(2, 30), st.floats(5e-5, 6e-3), st.floats(1e-5, 4e-3), st.floats(1e-5, 2e-3), st.floats(1e-4, 5e-3), st.floats(1e-4, 5e-3), st.floats(0, 2e-3)
)  # fmt: skip


class Laws(TestCase):
    @given(WATERS, st.floats(5.0, 9.5))
    @fuzz(80)
    def test_ph_and_carbon_are_inverse(self, water: Solution, ph: float) -> None:
        """Carbon from pH and pH from carbon undo each other."""
        self.assertAlmostEqual(solve_ph(water, speciate(water, ph).carbon).ph, ph, delta=2e-4)

    @given(WATERS, st.floats(5.0, 7.0))
    @fuzz(60)
    def test_calcite_never_passes_saturation(self, water: Solution, ph: float) -> None:
        """The ceiling sits at a saturation index of zero, and the rate there is nothing."""
        full = calcite_to_saturation(water, speciate(water, ph).carbon)
        self.assertLess(full.state.saturation_index, 0.5 if full.amount == 0 else 1e-3)
        if full.amount > 0:
            self.assertAlmostEqual(calcite_rate(full.state, water.temperature), 0.0, delta=1e-9)
            self.assertGreater(calcite_rate(speciate(water, ph), water.temperature), 0.0)

    def test_rate_rises_with_temperature(self) -> None:
        """The forward rate of calcite rises with temperature at the same state."""
        state = speciate(Solution(10.0, 8e-4, 5e-4, 2e-4, 5e-4, 5e-4, 1e-4), 6.2)
        rates = [calcite_rate(state, t) for t in (4.0, 10.0, 20.0, 25.0, 35.0)]
        self.assertEqual(rates, sorted(rates))

    def test_viscosity_and_density_by_the_book(self) -> None:
        """Water at 20 degC: 1.002 mPa s and 998.2 kg/m3; at 5 degC 1.519 mPa s."""
        self.assertAlmostEqual(carbonate.water_viscosity(20) * 1000, 1.002, delta=0.025)
        self.assertAlmostEqual(carbonate.water_viscosity(5) * 1000, 1.519, delta=0.04)
        self.assertAlmostEqual(carbonate.water_density(20), 998.2, delta=1.0)

    def test_one_line_estimate_is_near_in_an_ordinary_water(self) -> None:
        """The hand estimate of CO2 agrees within 5 % at pH 6.5 and 80 mg/L alkalinity; it is not used in the design."""
        water = Solution(12.0, 80 / 50043.45, 5e-4, 2e-4, 8e-4, 4e-4, 1e-4)
        exact = speciate(water, 6.5).co2 * 44009.5
        self.assertLess(abs(carbonate.hand_estimate_co2(80, 6.5, 12.0) / exact - 1), 0.08)
