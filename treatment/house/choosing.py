"""Which vessel a bed is put into: the smallest that carries the flow and that the source can wash, of what is sold or of the generic sizes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

from .beds import Bed, Medium, Shell, Shells, area_of, cold_factor, holds, measured_out, medium, nominal, tanks

#: vessels, medium in all, cross-section of one: the smaller the better; the tank and its medium
Choice = tuple[int, float, float, str, float]
COUNTS = (1, 2, 3, 4)


@dataclass(frozen=True, slots=True)
class BedAsked:
    """What a bed is chosen by.

    key: its medium; flow: design flow [L/min]; volume: least medium in all [L]; wash: what the source gives for backwash
    [L/min], None where the bed is not washed; temperature [degC]; tank, vessels, given (volume of each, L): what the job fixes;
    tallest: shell that the room takes [m], None where nothing is known of it.
    """

    key: str
    flow: float
    volume: float
    wash: float | None
    temperature: float
    tank: str | None = None
    vessels: int | None = None
    given: float | None = None
    tallest: float | None = None

    @property
    def counts(self) -> tuple[int, ...]:
        """How many vessels are tried; one that is named stands alone unless the job says otherwise."""
        if self.vessels:
            return (self.vessels,)
        return (1,) if self.tank is not None or self.given is not None else COUNTS


@lru_cache(maxsize=4096)
def choose_bed(asked: BedAsked, shells: Shells | None = None) -> Bed:
    """The smallest bed of a medium that carries the flow and that the wash can lift; fewest vessels first.

    Where nothing fits, the bed that carries the flow is returned and the audit says what is wrong with it. shells: what is
    sold, None for the generic sizes; where nothing that is sold serves, a generic vessel stands in.
    """
    short: Bed | None = None
    for way in _ways(shells):
        choosing = _Choosing(asked, way)
        if choosing.good is not None:
            return choosing.made(choosing.good)
        short = short or choosing.made(choosing.next_best)
    assert short is not None
    return short


def _ways(shells: Shells | None) -> list[Shells | None]:
    """What is sold, with what goes on top; without; the generic sizes."""
    if shells is None:
        return [None]
    return [shells, replace(shells, valves=(), heads=()), None] if shells.valves or shells.heads else [shells, None]


class _Choosing:
    """One walk through the vessels. good: what serves; next_best: what carries the flow, else the largest."""

    def __init__(self, asked: BedAsked, shells: Shells | None):
        self.asked, self.shells, self.medium = asked, shells, medium(asked.key)
        self.cold = cold_factor(asked.temperature)
        self.good: Choice | None = None
        self.carrying: Choice | None = None
        self.largest: Choice | None = None
        self.most = -1.0
        for n in asked.counts:
            self._look(n)
            if self.good is not None:
                break

    @property
    def offered(self) -> tuple[str, ...]:
        return (self.asked.tank,) if self.asked.tank else _tanks_for(self.medium, self.asked.given, self.asked.tallest, self.shells)

    def _look(self, n: int) -> None:
        """Every vessel, so many of it."""
        offered, last = self.offered, n == self.asked.counts[-1]
        for name in offered:
            if self.shells is not None and not self.asked.vessels and n > self.shells.beside(name):
                continue  # so many do not stand side by side
            each = self._volume(name, n, last and name == offered[-1])
            if each is None:
                continue
            area = area_of(name)
            peak, this = self.medium.peak * (area * n), (n, each * n, area, name, each)
            if peak > self.most:
                self.largest, self.most = this, peak
            if peak < self.asked.flow - 1e-9:
                continue
            if self.carrying is None or this < self.carrying:
                self.carrying = this
            if (self.good is None or this < self.good) and self._served(name, n, self.medium.backwash * area * self.cold):
                self.good = this

    def _volume(self, name: str, n: int, last: bool) -> float | None:
        """Medium in each [L]; None where the tank cannot hold it. last: taken all the same, where nothing is sold."""
        asked = self.asked
        if asked.given is not None:
            return asked.given
        low, high = holds(asked.key, name, self._shell(name))
        each = max(low, measured_out(asked.volume / n))
        if each <= high:
            return each
        return max(high, low) if asked.tank is not None or (last and self.shells is None) else None

    def _served(self, name: str, n: int, lifts: float) -> bool:
        """Whether the source washes it, and what is sold fits it."""
        wash = self.asked.wash
        if wash is not None and lifts > wash + 1e-9:
            return False
        if self.shells is None:
            return True
        return self._shell(name) is not None and self.shells.topped(name, self.asked.flow / n, None if wash is None else lifts)

    def _shell(self, name: str) -> Shell | None:
        return self.shells.shell(name) if self.shells is not None else None

    @property
    def next_best(self) -> Choice:
        found = self.carrying or self.largest
        if found is not None:
            return found
        name = self.offered[-1]  # what is sold holds too little
        return self.asked.counts[-1], 0.0, area_of(name), name, holds(self.asked.key, name, self._shell(name))[1]

    def made(self, chosen: Choice) -> Bed:
        n, _, _, name, each = chosen
        shell = self._shell(name)
        return Bed(self.medium, name, n, each, shell.height if shell else None)


@lru_cache(maxsize=256)
def _standing(tallest: float | None, shells: Shells | None = None) -> tuple[str, ...]:
    """The tanks that stand in a room of this height; where none does, the lowest."""
    tall = {each.size: each.size_m[1] for each in shells.sold} if shells else {name: nominal(name)[1] for name in tanks()}
    low = tuple(name for name in tall if tallest is None or tall[name] <= tallest + 1e-6)
    return low or (min(tall, key=lambda name: tall[name]),)


def _tanks_for(m: Medium, given: float | None, tallest: float | None, shells: Shells | None = None) -> tuple[str, ...]:
    standing = _standing(tallest, shells)
    if given is None:
        return standing
    beds = [Bed(m, name, 1, given) for name in standing]
    holding = tuple(bed.tank for bed in beds if bed.freeboard >= m.freeboard - 0.02 and bed.depth >= m.min_bed * 0.98)
    return holding or (min(beds, key=lambda bed: abs(bed.freeboard - m.freeboard)).tank,)
