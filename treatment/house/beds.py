"""Vessels and beds: geometry, velocities, backwash. Which vessel is taken: ``choosing``."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, lru_cache
from math import floor, pi

from ..chemistry.carbonate import water_density, water_viscosity
from ..language.figure import Figure, Line, constant, figure, work
from ..language.quantity import unit_named
from ..language.tables import table
from .hydraulics import friction, packed_bed_loss, valve_loss
from .pipes import INCH

FT3 = constant("ft3")
LB_FT3 = unit_named("lb/ft3", "salt_dose").factor / 1000  # kg/L
FT2 = unit_named("ft2", "area").factor
GPM_FT2 = unit_named("gpm", "flow").factor / FT2  # L/min per m2
MOST_BESIDE = 4  # vessels, lamps, tanks side by side
WASH_REFERENCE = (55 - 32) / 1.8  # degC at which backwash rates are printed


@dataclass(frozen=True, slots=True)
class Medium:
    """A granular medium: density [kg/L], least bed [m], rates [L/min per m2], freeboard [share of bed]."""

    key: str
    name: str
    density: float
    min_bed: float
    service: float
    peak: float
    backwash: float
    freeboard: float
    grain: float
    porosity: float
    sphericity: float


@cache
def medium(key: str) -> Medium:
    """A medium of ``data/media.toml`` in canonical units."""
    row = table("media")[key]
    return Medium(
        key, row["name"], row["density"] * LB_FT3, row["min_bed"] * INCH, row["service"] * GPM_FT2, row["peak"] * GPM_FT2,
        row["backwash"] * GPM_FT2, row["freeboard"], row["grain_mm"] / 1000, row["porosity"], row.get("sphericity", 0.85),
    )  # fmt: skip


@lru_cache(maxsize=1024)
def cold_factor(temperature: float) -> float:
    """Share of the printed backwash rate that does the same work at ``temperature`` [degC]; Leva (1959).

    Colder, thicker water lifts the bed at a lower flow.
    """
    return _cold(temperature).value


def _cold(temperature: float) -> Line:
    mu55, mu = (water_viscosity(each) * 1000 for each in (WASH_REFERENCE, temperature))
    power = (float(table("vessels")["cold_power"]), "")
    return work("cold factor", "(mu55 ÷ mu)^power", "", "beds.backwash_cold", mu55=(mu55, "mPa s"), mu=(mu, "mPa s"), power=power)


@cache
def nominal(tank: str) -> tuple[float, float]:
    """Nominal diameter and height [m] of a tank such as ``10x54``."""
    diameter, height = tank.split("x")
    return float(diameter) * INCH, float(height) * INCH


@cache
def area_of(tank: str) -> float:
    """Cross-section of a tank [m2]."""
    return pi * nominal(tank)[0] ** 2 / 4


@dataclass(frozen=True, slots=True)
class Shell:
    """A mineral tank that is sold. size: nominal inches; height [m] and what it holds empty [L], where its maker says so."""

    size: str
    height: float | None = None
    volume: float | None = None

    @property
    def size_m(self) -> tuple[float, float]:
        """Diameter and height [m]."""
        width, tall = nominal(self.size)
        return width, self.height or tall


@dataclass(frozen=True, slots=True)
class ValveFit:
    """A control valve that is sold: the sizes it fits, its flow in service and in backwash [L/min]."""

    sizes: tuple[str, ...]
    service: float
    backwash: float


@dataclass(frozen=True, slots=True)
class Shells:
    """What vessels a bed is chosen from. valves, heads (sizes): what goes on top, where such things are sold; wall [m]: as wide as they may stand."""

    sold: tuple[Shell, ...]
    valves: tuple[ValveFit, ...] = ()
    heads: tuple[str, ...] = ()
    wall: float | None = None

    def shell(self, size: str) -> Shell | None:
        """The vessel of a size."""
        return next((each for each in self.sold if each.size == size), None)

    def beside(self, size: str) -> int:
        """How many of a size stand side by side: up to four, as far as the wall is wide."""
        return MOST_BESIDE if self.wall is None else min(max(int(self.wall / nominal(size)[0] + 1e-6), 1), MOST_BESIDE)

    def topped(self, size: str, flow: float, wash: float | None) -> bool:
        """Whether a valve passes a vessel's flow and wash [L/min], or a head fits it where it is not washed."""
        if wash is None:
            return not self.heads or size in self.heads
        return not self.valves or any(
            size in valve.sizes and valve.service >= flow * 0.999999 and valve.backwash >= wash * 0.999999 for valve in self.valves
        )


@dataclass(frozen=True, slots=True)
class Bed:
    """One or more identical vessels in parallel, washed one at a time. volume [L] is of each; tall [m]: the shell, where its maker says so."""

    medium: Medium
    tank: str
    vessels: int
    volume: float
    tall: float | None = None

    @property
    def diameter(self) -> float:
        """Nominal diameter [m]."""
        return nominal(self.tank)[0]

    @property
    def height(self) -> float:
        """Height of the shell [m]."""
        return self.tall or nominal(self.tank)[1]

    @property
    def area(self) -> float:
        """Cross-section of one vessel [m2]."""
        return area_of(self.tank)

    @property
    def total_area(self) -> float:
        return self.area * self.vessels

    @property
    def total_volume(self) -> float:
        """Medium in all vessels [L]."""
        return self.volume * self.vessels

    @property
    def depth(self) -> float:
        """Depth of the bed [m]."""
        return self.volume / 1000 / self.area

    @property
    def freeboard(self) -> float:
        """Room above the bed as a share of its depth [-]."""
        return float((self.height - table("vessels")["underbed_in"] * INCH - self.depth) / self.depth)

    @property
    def service_limit(self) -> float:
        """Greatest steady flow by velocity [L/min], all vessels."""
        return self.medium.service * self.total_area

    @property
    def peak_limit(self) -> float:
        """Greatest short peak by velocity [L/min], all vessels."""
        return self.medium.peak * self.total_area

    @property
    def valve_cv(self) -> float:
        sizes = table("vessels")["valve_cv"]
        return float(sizes["small"] if self.diameter <= 14.1 * INCH else sizes["large"])

    def backwash_flow(self, temperature: float) -> float:
        """Flow that washes one vessel [L/min] at a water temperature [degC]."""
        return self.medium.backwash * self.area * cold_factor(temperature)

    @property
    def riser(self) -> float:
        """Bore of the tube from the valve to the lower basket [m]."""
        sizes = table("vessels")["riser_mm"]
        return float(sizes["small"] if self.diameter <= 14.1 * INCH else sizes["large"]) / 1000

    def loss(self, flow: float, temperature: float) -> float:
        """Clean loss [kPa] of bed, valve, riser and distributor with the flow shared by the vessels."""
        share = flow / self.vessels
        bed = packed_bed_loss(share, self.area, self.depth, self.medium.grain * self.medium.sphericity, self.medium.porosity, temperature)
        return bed + valve_loss(share, self.valve_cv) + riser_loss(share, self.riser, self.height, temperature)


@lru_cache(maxsize=1024)
def riser_loss(flow: float, bore: float, height: float, temperature: float) -> float:
    """What riser and baskets take [kPa] at a flow [L/min]: friction along the tube, and each basket's K on the speed in it."""
    speed = flow / 60000.0 / (pi * bore**2 / 4)
    baskets = 2 * float(table("vessels")["basket_k"]) * water_density(temperature) * speed**2 / 2000
    return friction(flow, bore, height, table("plumbing")["roughness_mm"]["pvc40"] / 1000, temperature) + baskets


def bed_figures(bed: Bed, flow: float, temperature: float, backwash: bool = True) -> dict[str, Figure]:
    """The figures every bed shares, with their working."""
    n = (float(bed.vessels), "")
    each = (bed.volume, "L")
    figures = {
        "media_volume": figure(work("medium", "vessels × each", "L", "beds.geometry", vessels=n, each=each)),
        "bed_depth": figure(
            work("area", "pi × d^2 ÷ 4", "m2", "beds.geometry", d=(bed.diameter, "m")),
            work("depth", "each ÷ 1000 ÷ area", "m", "beds.geometry", each=each, area=(bed.area, "m2")),
        ),
        "freeboard": figure(
            work("freeboard", "(height − gravel − depth) ÷ depth × 100", "%", "beds.freeboard",
                 height=(bed.height, "m"), gravel=(table("vessels")["underbed_in"] * INCH, "m"), depth=(bed.depth, "m")),
        ),
        "empty_bed_contact": figure(
            work("contact", "vessels × each ÷ flow", "min", "beds.geometry", vessels=n, each=each, flow=(flow, "L/min")),
        ),
        "service_flow_limit": figure(
            work("steady flow", "rate × vessels × area", "L/min", "beds.media", rate=(bed.medium.service, "L/min per m2"), vessels=n, area=(bed.area, "m2")),
        ),
    }  # fmt: skip
    if backwash:
        cold = _cold(temperature)
        figures["backwash_flow"] = figure(
            cold,
            work("backwash", "rate × area × factor", "L/min", "beds.media",
                 rate=(bed.medium.backwash, "L/min per m2"), area=(bed.area, "m2"), factor=(cold.value, "")),
        )  # fmt: skip
    return figures


def wash_figures(bed: Bed, temperature: float) -> dict[str, Figure]:
    """Water one backwash and rinse takes, all vessels."""
    row, flow = table("stages")["backwash"], bed.backwash_flow(temperature)
    wash, rinse = float(row["wash_min"]), float(row["rinse_min"])
    return {
        "water_per_backwash": figure(
            work("water", "vessels × (wash + rinse) × flow", "L", "beds.cycle",
                 vessels=(float(bed.vessels), ""), wash=(wash, "min"), rinse=(rinse, "min"), flow=(flow, "L/min")),
        )
    }  # fmt: skip


@cache
def tanks() -> tuple[str, ...]:
    """The mineral tanks we know, smallest first."""
    return tuple(table("vessels")["sizes"])


def measured_out(volume: float, up: bool = True) -> float:
    """Medium [L] as it is measured out: quarters of a cubic foot, eighths below one and a half; rounded up, or down."""
    step = FT3 / 8 if volume < FT3 * 1.499 else FT3 / 4
    return (-floor(-volume / step + 1e-6) if up else floor(volume / step + 1e-6)) * step


def most_in(medium_: Medium, tank: str, shell: Shell | None = None) -> float:
    """The most medium [L] a tank takes with its freeboard kept, as it is measured out. shell: as it is sold."""
    empty = Bed(medium_, tank, 1, 1.0, shell.height if shell else None)
    under = float(table("vessels")["underbed_in"]) * INCH
    room = (empty.height - under) * empty.area * 1000
    if shell is not None and shell.volume is not None:
        room = min(room, shell.volume - under * empty.area * 1000)
    return measured_out(room / (1 + medium_.freeboard), up=False)


def least_in(medium_: Medium, tank: str) -> float:
    """The least medium [L] that makes the shallowest allowed bed, as it is measured out."""
    area = Bed(medium_, tank, 1, 1.0).area
    return measured_out(medium_.min_bed * area * 1000)


def holds(key: str, tank: str, shell: Shell | None = None) -> tuple[float, float]:
    """The least and the most of a medium [L] that a tank takes; shell: as it is sold."""
    return _holds(key, tank, shell)


@lru_cache(maxsize=1024)
def _holds(key: str, tank: str, shell: Shell | None) -> tuple[float, float]:
    return least_in(medium(key), tank), most_in(medium(key), tank, shell)


@dataclass(frozen=True, slots=True)
class RunnerUp:
    """A vessel that was not taken: how many of which, and in which respects it falls short or overshoots (canonical units).

    peak: what it passes, where that is below the flow; wash: what it needs, where that is above what the source gives;
    holds: the most it takes of the medium, where that is too little; more: medium beyond that of the vessel taken.
    """

    tank: str
    vessels: int
    peak: float | None = None
    wash: float | None = None
    holds: float | None = None
    more: float | None = None


def runners_up(bed: Bed, flow: float, volume: float, wash: float | None, temperature: float, shells: Shells | None = None) -> list[RunnerUp]:
    """The next vessels to the one taken: one size down, one size up, and one vessel where there are several.

    volume: least medium in all [L]; wash: what the source gives [L/min], None where the bed is not washed; shells: what is sold.
    """
    names = [each.size for each in shells.sold] if shells else list(tanks())
    at = names.index(bed.tank) if bed.tank in names else 0
    others = [(names[at - 1], bed.vessels)] if at else []
    others += [(names[at + 1], bed.vessels)] if at + 1 < len(names) else []
    if bed.vessels > 1:
        wide = next((name for name in names if Bed(bed.medium, name, 1, 1.0).peak_limit >= flow), names[-1])
        others.append((wide, 1))
    return [_runner_up(bed, name, count, flow, volume, wash, temperature) for name, count in others]


def _runner_up(bed: Bed, name: str, count: int, flow: float, volume: float, wash: float | None, temperature: float) -> RunnerUp:
    low, high = holds(bed.medium.key, name)
    other = Bed(bed.medium, name, count, max(low, min(measured_out(volume / count), high)))
    needs = other.backwash_flow(temperature)
    return RunnerUp(
        name, count,
        peak=other.peak_limit if other.peak_limit < flow - 1e-9 else None,
        wash=needs if wash is not None and needs > wash + 1e-9 else None,
        holds=high * count if high * count < volume * 0.98 or high < low else None,
        more=other.total_volume - bed.total_volume if other.total_volume > bed.total_volume * 1.02 else None,
    )  # fmt: skip
