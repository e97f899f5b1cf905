"""The carbonate system: full alkalinity, activities, ion pairs.

A :class:`Solution` is a water seen by the acid-base chemistry. Given pH and alkalinity its carbon follows
(:func:`speciate`); given carbon and alkalinity its pH follows (:func:`solve_ph`). Doses are then exact
bookkeeping: calcite adds carbon, calcium and alkalinity; soda ash carbon and alkalinity; caustic alkalinity.

Constants: Plummer & Busenberg (1982), Geochim. Cosmochim. Acta 46, 1011 (carbonate, calcite, Ca pairs);
Nordstrom et al. (1990), ACS Symp. Ser. 416 (sulfate pairs, Mg and Na pairs). Activity: Truesdell & Jones
(1974), J. Res. USGS 2, 233, with the ion sizes and slopes of that paper; Davies (1962) for the rest. One litre is
taken as one kilogram of water.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from math import exp, log10, sqrt
from typing import NamedTuple

from ..language.figure import constant

#: molar masses [g/mol]
CACO3, CO2, MGO, N_NITRATE, FLUORIDE, HCO3 = (constant(f"M_{name}") for name in ("CaCO3", "CO2", "MgO", "N", "F", "HCO3"))
CA, MG, NA, K, CL, SO4, FE = (constant(f"M_{name}") for name in ("Ca", "Mg", "Na", "K", "Cl", "SO4", "Fe"))
CALCITE_PER_CO2 = CACO3 / CO2  # 2.27 mg CaCO3 dissolved per mg CO2 consumed
KELVIN = 273.15


@dataclass(frozen=True, slots=True)
class Solution:
    """The part of a water that decides its pH. temperature [degC]; the rest [mol/L]; alkalinity [eq/L]."""

    temperature: float
    alkalinity: float
    calcium: float
    magnesium: float
    sodium: float
    chloride: float
    sulfate: float
    ferrous: float = 0.0


@dataclass(frozen=True, slots=True)
class State:
    """A solution at equilibrium: pH [-], total inorganic carbon and free CO2 [mol/L], saturation index [-]."""

    ph: float
    carbon: float
    co2: float
    bicarbonate: float
    carbonate: float
    ionic_strength: float
    saturation_index: float


@dataclass(frozen=True, slots=True)
class _Constants:
    k_first: float  # CO2 + H2O = HCO3- + H+
    k_second: float  # HCO3- = CO3-2 + H+
    k_water: float
    k_hso4: float  # SO4-2 + H+ = HSO4-
    ca_hco3: float
    ca_co3: float
    ca_so4: float
    mg_hco3: float
    mg_co3: float
    mg_so4: float
    na_hco3: float
    na_co3: float
    na_so4: float
    fe_hco3: float
    fe_co3: float
    fe_so4: float
    calcite: float
    davies_a: float
    debye_b: float


@lru_cache(maxsize=256)
def constants(temperature: float) -> _Constants:
    """Equilibrium constants at a temperature [degC], valid 0 to 60 degC."""
    t = temperature + KELVIN
    lt = log10(t)

    def analytic(a: float, b: float = 0.0, c: float = 0.0, d: float = 0.0, e: float = 0.0) -> float:
        return float(10.0 ** (a + b * t + c / t + d * lt + e / t**2))

    def vant_hoff(log_k: float, kcal: float) -> float:
        return float(10.0 ** (log_k - kcal * 4184.0 / (2.302585093 * 8.314462618) * (1.0 / t - 1.0 / 298.15)))

    second = analytic(-107.8871, -0.03252849, 5151.79, 38.92561, -563713.9)
    first = analytic(-356.3094, -0.06091964, 21834.37, 126.8339, -1684915.0)
    density = 1.0 - (temperature - 3.9863) ** 2 * (temperature + 288.9414) / (508929.2 * (temperature + 68.12963))
    permittivity = 2727.586 + 0.6224107 * t - 466.9151 * (lt * 2.302585093) - 52000.87 / t
    return _Constants(
        k_first=first,
        k_second=second,
        k_water=analytic(-283.971, -0.05069842, 13323.0, 102.24447, -1119669.0),
        k_hso4=analytic(-56.889, 0.006473, 2307.9, 19.8858),
        ca_hco3=analytic(1209.120, 0.31294, -34765.05, -478.782),
        ca_co3=analytic(-1228.732, -0.299440, 35512.75, 485.818),
        ca_so4=vant_hoff(2.30, 1.650),
        mg_hco3=analytic(48.6721 - 107.8871, 0.03252849 - 0.03252849, -2614.335 + 5151.79, -18.00263 + 38.92561, 0.0),
        mg_co3=analytic(0.9910, 0.00667),
        mg_so4=vant_hoff(2.37, 4.550),
        na_hco3=10.0**-0.25,
        na_co3=vant_hoff(1.27, 8.910),
        na_so4=vant_hoff(0.70, 1.120),
        fe_hco3=10.0**2.0,
        fe_co3=10.0**4.38,
        fe_so4=vant_hoff(2.25, 3.230),
        calcite=analytic(-171.9065, -0.077993, 2839.319, 71.595),
        davies_a=1.82483e6 * sqrt(density) / (permittivity * t) ** 1.5,
        debye_b=50.2916 * sqrt(density) / sqrt(permittivity * t),
    )


LN10 = 2.302585092994046


def _activities(ionic_strength: float, k: _Constants) -> tuple[float, ...]:
    """Activity coefficients [-] of the carbonate system at one ionic strength [mol/L].

    In this order: H, OH, Ca, Mg, Na, Fe, HCO3, CO3, SO4, CaHCO3, MgHCO3 by ion size [Å] (Truesdell & Jones), other
    single charges (Davies), neutral pairs. A tuple, because this is the innermost step of every search. The
    models hold to about 0.5 mol/L; beyond 1 they are held at their value there rather than run away.
    """
    strength = ionic_strength if ionic_strength < 1.0 else 1.0
    root = sqrt(strength)
    a, b = -k.davies_a * root * LN10, k.debye_b * root
    four, slope = 4 * a, LN10 * strength
    hco3 = exp(a / (1 + b * 5.4))
    return (
        exp(a / (1 + b * 9.0)),
        exp(a / (1 + b * 3.5)),
        exp(four / (1 + b * 5.0) + 0.165 * slope),
        exp(four / (1 + b * 5.5) + 0.20 * slope),
        exp(a / (1 + b * 4.08) + 0.082 * slope),
        exp(four / (1 + b * 6.0)),
        hco3,
        exp(four / (1 + b * 5.4)),
        exp(four / (1 + b * 5.0) - 0.04 * slope),
        exp(a / (1 + b * 6.0)),
        exp(a / (1 + b * 4.0)),
        exp(a / (1 + root) + 0.3 * k.davies_a * slope),
        exp(0.1 * slope),
    )


@dataclass(frozen=True, slots=True)
class Dosed:
    """A solution after something was dissolved in it: the amount [mol/L] and the new state."""

    amount: float
    solution: Solution
    state: State


class Adds(NamedTuple):
    """What a mole of a dose brings: alkalinity [eq], inorganic carbon, sodium, calcium, magnesium [mol]."""

    alkalinity: float
    carbon: float = 0.0
    sodium: float = 0.0
    calcium: float = 0.0
    magnesium: float = 0.0

    def to(self, s: Solution, amount: float) -> Solution:
        """A solution with so much of the dose in it [mol/L]."""
        return Solution(
            s.temperature, s.alkalinity + self.alkalinity * amount, s.calcium + self.calcium * amount, s.magnesium + self.magnesium * amount,
            s.sodium + self.sodium * amount, s.chloride, s.sulfate, s.ferrous,
        )  # fmt: skip


NOTHING, CALCITE, SODA_ASH, CAUSTIC = Adds(0.0), Adds(2.0, carbon=1.0, calcium=1.0), Adds(2.0, carbon=1.0, sodium=2.0), Adds(1.0, sodium=1.0)
#: ionic strength and free calcium, magnesium, sodium, iron [mol/L]: where an iteration ended, and a near one may begin
Guess = tuple[float, float, float, float, float]
CLOSE = 1e-8  # share by which bicarbonate and hydrogen may still move


def _settle(s: Solution, ph: float | None, carbon: float | None, adds: Adds = NOTHING, guess: Guess | None = None) -> tuple[float, State, Guess]:
    """Ion pairs, activities and the one unknown, iterated together until bicarbonate and hydrogen stand still.

    The unknown is the inorganic carbon where pH is given, the pH where carbon [mol/L] is, the dose [mol/L] where both are:
    with activities and pairs held, each is one linear or one Newton step. Returns the dose, the state, and where it ended.
    """
    k = constants(s.temperature)
    alkalinity, calcium, magnesium, sodium = s.alkalinity, s.calcium, s.magnesium, s.sodium
    if ph is None:
        assert carbon is not None
        free, bound = carbon - alkalinity, max(alkalinity, 1e-7)
        h_activity = 10.0 ** -min(max(-log10(k.k_first * free / bound) if free > 1e-3 * bound else 9.0, 4.0), 10.5)
    else:
        h_activity = 10.0**-ph
    strength, ca, mg, na, fe = guess or (
        0.5 * (4 * (calcium + magnesium + s.sulfate + s.ferrous) + sodium + s.chloride + abs(alkalinity)), calcium, magnesium, sodium, s.ferrous,
    )  # fmt: skip
    bicarbonate = carbonate = dose = 0.0
    for _ in range(80):
        g_h, g_oh, g_ca, g_mg, g_na, g_fe, g_hco3, g_co3, g_so4, g_ca_hco3, g_mg_hco3, g_single, g_neutral = _activities(strength, k)
        # concentration ratios: pair = ratio * free cation * free anion (NaSO4- has the size of HCO3-)
        c_pair, s_pair = g_co3 / g_neutral, g_so4 / g_neutral
        p_ca_b, p_mg_b = k.ca_hco3 * g_ca * g_hco3 / g_ca_hco3, k.mg_hco3 * g_mg * g_hco3 / g_mg_hco3
        p_fe_b, p_na_b = k.fe_hco3 * g_fe * g_hco3 / g_single, k.na_hco3 * g_na * g_hco3 / g_neutral
        p_ca_c, p_mg_c, p_fe_c = k.ca_co3 * g_ca * c_pair, k.mg_co3 * g_mg * c_pair, k.fe_co3 * g_fe * c_pair
        p_ca_s, p_mg_s, p_fe_s = k.ca_so4 * g_ca * s_pair, k.mg_so4 * g_mg * s_pair, k.fe_so4 * g_fe * s_pair
        p_na_c, p_na_s = k.na_co3 * g_na * g_co3 / g_single, k.na_so4 * g_na * g_so4 / g_hco3
        per_b = 1.0 + ca * p_ca_b + mg * p_mg_b + fe * p_fe_b + na * p_na_b
        per_c = (1.0 + ca * p_ca_c + mg * p_mg_c + fe * p_fe_c + na * p_na_c) * k.k_second * g_hco3 / g_co3
        per_s = 1.0 + ca * p_ca_s + mg * p_mg_s + fe * p_fe_s + na * p_na_s
        gas, base, sour = g_hco3 / k.k_first / g_neutral, k.k_water / g_oh, k.k_hso4 * g_so4 / g_single
        before = h_activity
        if ph is None:
            assert carbon is not None
            for _ in range(2):  # Newton on ln h: the balance of alkalinity falls with it
                u, held = per_c / h_activity, per_s + sour * h_activity
                whole, charged = gas * h_activity + per_b + u, per_b + 2 * u
                b = carbon / whole
                off = b * charged + base / h_activity - h_activity / g_h - s.sulfate * sour * h_activity / held - alkalinity
                slope = b * (-2 * u - charged * (gas * h_activity - u) / whole) - base / h_activity - h_activity / g_h
                slope -= s.sulfate * sour * h_activity * per_s / held**2
                h_activity *= exp(min(max(-off / slope, -2.0), 2.0))
        u, free_so4 = per_c / h_activity, s.sulfate / (per_s + sour * h_activity)
        acid = base / h_activity - h_activity / g_h - free_so4 * sour * h_activity
        whole, charged = gas * h_activity + per_b + u, per_b + 2 * u
        if carbon is None:
            new = max((alkalinity - acid) / charged, 1e-15)
        elif ph is None:
            new = max(carbon / whole, 1e-15)
        else:
            share = charged / whole
            dose = max((acid + carbon * share - s.alkalinity) / max(adds.alkalinity - adds.carbon * share, 1e-9), 0.0)
            new = max((carbon + adds.carbon * dose) / whole, 1e-15)
            calcium, magnesium, sodium = s.calcium + adds.calcium * dose, s.magnesium + adds.magnesium * dose, s.sodium + adds.sodium * dose
        carbonate = new * k.k_second * g_hco3 / g_co3 / h_activity
        ca = calcium / (1.0 + new * p_ca_b + carbonate * p_ca_c + free_so4 * p_ca_s)
        mg = magnesium / (1.0 + new * p_mg_b + carbonate * p_mg_c + free_so4 * p_mg_s)
        fe = s.ferrous / (1.0 + new * p_fe_b + carbonate * p_fe_c + free_so4 * p_fe_s)
        na = sodium / (1.0 + new * p_na_b + carbonate * p_na_c + free_so4 * p_na_s)
        singles = na + s.chloride + new * (1.0 + ca * p_ca_b + mg * p_mg_b + fe * p_fe_b) + h_activity / g_h + base / h_activity
        singles += na * (carbonate * p_na_c + free_so4 * p_na_s) + free_so4 * sour * h_activity
        strength = 0.5 * (singles + 4.0 * (ca + mg + fe + free_so4 + carbonate))
        done = abs(new - bicarbonate) <= CLOSE * new and abs(h_activity - before) <= CLOSE * before
        bicarbonate = new
        if done:
            break
    product = ca * g_ca * carbonate * g_co3
    index = log10(product / k.calcite) if product > 0 else -99.0
    co2, hco3, co3 = bicarbonate * gas * h_activity, bicarbonate * per_b, bicarbonate * u
    state = State(-log10(h_activity) if ph is None else ph, co2 + hco3 + co3, co2, hco3, co3, strength, index)
    return dose, state, (strength, ca, mg, na, fe)


@lru_cache(maxsize=8192)
def speciate(solution: Solution, ph: float) -> State:
    """Carbon and saturation of a solution whose pH [-] is known."""
    return _settle(solution, ph, None)[1]


@lru_cache(maxsize=8192)
def solve_ph(solution: Solution, carbon: float) -> State:
    """The state of a solution with this much inorganic carbon [mol/L]."""
    return _settle(solution, None, carbon)[1]


def _dose_to_ph(solution: Solution, carbon: float, ph: float, adds: Adds, guess: Guess | None = None) -> tuple[Dosed, Guess]:
    """The dose [mol/L] that brings a closed solution to ``ph`` by arithmetic; none where it is there already."""
    amount, state, end = _settle(solution, ph, carbon, adds, guess)
    if amount <= 0:
        return Dosed(0.0, solution, solve_ph(solution, carbon)), end
    return Dosed(amount, adds.to(solution, amount), state), end


def add_calcite(solution: Solution, carbon: float, amount: float) -> Dosed:
    """Dissolve ``amount`` [mol/L] of CaCO3 in a closed system."""
    after = CALCITE.to(solution, amount)
    return Dosed(amount, after, solve_ph(after, carbon + amount))


@lru_cache(maxsize=2048)
def calcite_to_ph(solution: Solution, carbon: float, ph: float) -> Dosed:
    """Calcite [mol/L] that brings a closed solution to ``ph`` by arithmetic, saturated or not."""
    return _dose_to_ph(solution, carbon, ph, CALCITE)[0]


def blend_ratio(magnesia: float) -> float:
    """Moles of MgO for each mole of CaCO3 in a blend with this mass fraction of magnesia [-].

    >>> round(blend_ratio(0.2), 4)
    0.6208
    """
    return magnesia / MGO / ((1 - magnesia) / CACO3)


@lru_cache(maxsize=512)
def blend_to_ph(solution: Solution, carbon: float, ph: float, magnesia: float) -> Dosed:
    """Calcite [mol/L] that brings a closed solution to ``ph`` while magnesia dissolves with it, as they are blended by mass."""
    ratio = blend_ratio(magnesia)
    return _dose_to_ph(solution, carbon, ph, Adds(2.0 + 2 * ratio, carbon=1.0, calcium=1.0, magnesium=ratio))[0]


@lru_cache(maxsize=256)
def strip_to(solution: Solution, co2: float) -> State:
    """The solution once free carbon dioxide [mol/L] is down to ``co2`` by aeration; alkalinity stays, pH follows."""
    ph = 7.0
    for _ in range(60):  # log CO2 falls nearly one for one with pH
        step = log10(max(speciate(solution, ph).co2, 1e-12) / co2)
        ph = min(max(ph + step, 3.0), 11.0)
        if abs(step) < 1e-6:
            break
    return speciate(solution, ph)


def iron_oxidised(ph: float, temperature: float, oxygen: float, minutes: float) -> float:
    """Share of ferrous iron that dissolved oxygen turns to rust [-]; Stumm & Lee (1961).

    oxygen [mg/L], minutes of standing. First order in iron and in oxygen, second in hydroxide.
    >>> iron_oxidised(6.0, 20.0, 9.0, 20.0) < 0.05 < 0.9 < iron_oxidised(7.5, 20.0, 9.0, 20.0)
    True
    """
    p_kw = 4470.99 / (temperature + 273.15) + 0.017060 * (temperature + 273.15) - 6.0875
    hydroxide = 10 ** (ph - p_kw)
    pressure = 0.209 * oxygen / 9.1
    return 1 - exp(-min(8.0e13 * hydroxide**2 * pressure * minutes, 700.0))


def soda_ash_to_ph(solution: Solution, carbon: float, ph: float) -> Dosed:
    """Na2CO3 [mol/L] that brings a closed solution to ``ph``."""
    return _dose_to_ph(solution, carbon, ph, SODA_ASH)[0]


def caustic_to_ph(solution: Solution, carbon: float, ph: float) -> Dosed:
    """NaOH [mol/L] that brings a closed solution to ``ph``."""
    return _dose_to_ph(solution, carbon, ph, CAUSTIC)[0]


@lru_cache(maxsize=2048)
def calcite_to_saturation(solution: Solution, carbon: float) -> Dosed:
    """Calcite [mol/L] a closed solution dissolves until the saturation index is 0: the ceiling of any bed."""
    start = solve_ph(solution, carbon)
    if start.saturation_index >= 0:
        return Dosed(0.0, solution, start)
    low, high = start.ph, 10.5
    ph, last_ph, last_index = min(max(7.6, low + 0.1), 10.0), low, start.saturation_index
    best, guess = _dose_to_ph(solution, carbon, ph, CALCITE)
    for _ in range(60):
        index = best.state.saturation_index
        if abs(index) < 1e-6 or high - low < 1e-8:
            break
        low, high = (ph, high) if index < 0 else (low, ph)
        after = ph - index * (ph - last_ph) / (index - last_index) if index != last_index else ph
        last_ph, last_index = ph, index
        ph = after if low < after < high else 0.5 * (low + high)
        best, guess = _dose_to_ph(solution, carbon, ph, CALCITE, guess)
    return best


def calcite_on_the_way(solution: Solution, carbon: float, phs: Iterable[float]) -> Iterator[Dosed]:
    """Calcite that brings a closed solution to each of some pH in turn, every step begun where the last one ended."""
    guess: Guess | None = None
    for ph in phs:
        dosed, guess = _dose_to_ph(solution, carbon, ph, CALCITE, guess)
        yield dosed


def calcite_rate(state: State, temperature: float) -> float:
    """Rate at which calcite dissolves [mol/(m2 s)], zero at saturation.

    Plummer, Wigley & Parkhurst (1978), Am. J. Sci. 278, 179, forward terms k1..k3, with the approach to
    saturation written as (1 - 10^(2/3 SI)). temperature [degC].
    """
    if state.saturation_index >= 0:
        return 0.0
    t = temperature + KELVIN
    k1 = 10.0 ** (0.198 - 444.0 / t)
    k2 = 10.0 ** (2.84 - 2177.0 / t)
    k3 = 10.0 ** (-5.86 - 317.0 / t) if temperature <= 25 else 10.0 ** (-1.10 - 1737.0 / t)
    forward = k1 * 10.0**-state.ph + k2 * state.co2 + k3  # mmol/(cm2 s)
    return float(forward * (1.0 - 10.0 ** (2.0 / 3.0 * state.saturation_index)) * 10.0)


def hand_estimate_co2(alkalinity: float, ph: float, temperature: float) -> float:
    """Free CO2 [mg/L] by the one-line estimate, for a hand check only: off by 2-50 % in soft acid water.

    alkalinity [mg/L as CaCO3]; ph [-]; temperature [degC].
    """
    k1 = constants(temperature).k_first
    return float(0.88 * (alkalinity + 50000.0 * 10.0**-ph) * 10.0 ** (-log10(k1) - ph))


def alkalinity_beside(carbon_dioxide: float, ph: float, temperature: float) -> float:
    """The alkalinity [mg/L as CaCO3] beside which a dilute water of this pH holds so much free carbon dioxide [mg/L], for an estimate.

    First dissociation alone, at the constant of its temperature [degC], activities taken as one.
    >>> round(alkalinity_beside(100, 5.5, 10), 1)
    12.4
    """
    bicarbonate = carbon_dioxide / CO2 * constants(temperature).k_first / 10.0**-ph  # mmol/L
    return float(bicarbonate * CACO3 / 2)


def water_viscosity(temperature: float) -> float:
    """Dynamic viscosity of water [Pa s] at a temperature [degC]; Vogel equation, 0 to 100 degC within 2.5 %."""
    return float(2.414e-5 * 10.0 ** (247.8 / (temperature + KELVIN - 140.0)))


def water_density(temperature: float) -> float:
    """Density of water [kg/m3] at a temperature [degC]; parabola about 4 degC, within 0.1 % to 40 degC."""
    return 1000.0 * exp(-4.6e-6 * (temperature - 4.0) ** 2)
