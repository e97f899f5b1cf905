"""Pipe as it is bought: nominal sizes of each material with their real bores, in inches and in millimetres, each from its own table."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache

from ..job.facts import Facts
from ..language.tables import table

INCH = 0.0254
#: how far a size may lie from a listed one and still be it [m]: 19 mm is 3/4 in, 25 mm is not 1 in
NEAR = 0.00035
#: of plastic pipe whose wall goes by pressure: where the job says no class, the thicker wall
USUAL_CLASS = "16"
_EIGHTHS = {0.125: "1/8", 0.25: "1/4", 0.375: "3/8", 0.5: "1/2", 0.625: "5/8", 0.75: "3/4", 0.875: "7/8"}


@dataclass(frozen=True, slots=True)
class PipeSize:
    """One size of a material. nominal: as it is called, bore: inside diameter [m]; metric: whether it is called in millimetres."""

    material: str
    nominal: float
    bore: float
    metric: bool

    @property
    def called(self) -> str:
        """Size and material: ``1 in PEX``."""
        return f"{self.said} {table('plumbing')['called'][self.material]}"

    @property
    def said(self) -> str:
        """``3/4 in`` or ``22 mm``, as people call it in any system of units."""
        return f"{self.nominal * 1000:g} mm" if self.metric else f"{_inches(self.nominal / INCH)} in"


def _inches(value: float) -> str:
    whole, part = divmod(round(value, 4), 1)
    eighths = _EIGHTHS.get(part, f"{part:g}" if part else "")
    return f"{int(whole)} {eighths}".strip() if whole else eighths


@cache
def sizes_of(material: str, pressure_class: str = USUAL_CLASS) -> tuple[PipeSize, ...]:
    """The sizes in which a material is made, inch sizes first, each from the smallest up."""
    rows = table("plumbing")
    metric = rows["bore_metric_mm"].get(material, {})
    metric = metric.get(pressure_class, metric.get(USUAL_CLASS)) if "16" in metric and isinstance(metric["16"], dict) else metric
    found = [PipeSize(material, float(name) * INCH, float(held) / 1000, False) for name, held in rows["bore_mm"][material].items()]
    found += [PipeSize(material, float(name) / 1000, float(held) / 1000, True) for name, held in (metric or {}).items()]
    return tuple(sorted(found, key=lambda size: (size.metric, size.nominal)))


def size_of(material: str, nominal: float, pressure_class: str | None = None) -> PipeSize | None:
    """The size that is meant by a nominal one [m]; None where this material is not made so."""
    size = min(sizes_of(material, pressure_class or USUAL_CLASS), key=lambda each: abs(each.nominal - nominal))
    return size if abs(size.nominal - nominal) <= NEAR else None


def known_sizes(material: str) -> str:
    """The sizes of a material in words: ``1/2, 3/4, 1 in, 15, 22 mm``."""
    return ", ".join(_told(material))


def unmade(material: str | None, nominal: float | None, pressure_class: str | None = None) -> str:
    """What is said of a nominal size [m] in which no pipe of this material, or of the usual one, is made; empty where it is, or is not said."""
    made_of = material or assumed_material()
    return expected_sizes(made_of) if nominal is not None and size_of(made_of, nominal, pressure_class) is None else ""


def expected_sizes(material: str) -> str:
    """What is said where a size is not one of its material's."""
    return f"expected a size in which {table('plumbing')['called'][material]} pipe is made: {known_sizes(material)}"


def assumed_material() -> str:
    """The material of pipe where a job says none."""
    return str(table("assumed")["supply"]["pipe"])


def usually_joined(material: str) -> str:
    """How pipe of a material usually is joined."""
    return str(table("commissioning")["joining"]["usual"].get(material, ""))


def joined_by(facts: Facts) -> str:
    """How pipe is joined: as the job says, else as its pipe usually is; empty where neither is said."""
    pipe = facts.supply.pipe
    return facts.site.joining or (usually_joined(pipe.material) if pipe is not None and pipe.material else "")


def _told(material: str) -> Iterator[str]:
    for metric in (False, True):
        held = [size.said.rpartition(" ")[0] for size in sizes_of(material) if size.metric == metric]
        if held:
            yield f"{', '.join(held)} {'mm' if metric else 'in'}"


def larger(size: PipeSize, pressure_class: str | None = None) -> PipeSize | None:
    """The next larger size of the same kind; None for the largest."""
    same = [each for each in sizes_of(size.material, pressure_class or USUAL_CLASS) if each.metric == size.metric]
    return next((each for each in same if each.nominal > size.nominal + NEAR), None)
