"""The wall, to scale: units, pipe with its fittings, zones kept free, what is already there. All in mm from the lower left corner.

x runs along the wall to the right, z up from the floor. Nothing here is drawn; templates draw it, exports write it.
"""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from ...audit.rules import accepted
from ...design import Design
from ...job.facts import Facts
from ...language.display import measure
from ...planning.evaluated import EvaluatedTrain
from ...train.weights import loads
from ...wall.laying import ceiling_of, laid
from ...wall.parts import Dimension, Wall, WallUnit
from .faults import findings_on


def compose(design: Design, variant: EvaluatedTrain, states: dict[str, str] | None = None) -> Wall:
    """The wall of a train of a design, see ``wall_of``; remembered where nothing of it is turned or moved."""
    return built(variant) if not states and design.facts is variant.audit.facts else wall_of(design.facts, variant, states)


def wall_of(facts: Facts, variant: EvaluatedTrain, states: dict[str, str] | None = None) -> Wall:
    """The wall of a train: units where the job puts them, else side by side in the order of the water, clear of what is there.

    states: stage id -> service, bypass or shut; what is not named is in service. The drawing always comes; what does not
    fit, collides or cannot be reached is a finding.
    """
    wall = laid(facts, variant.run.stages, states)
    wall = replace(wall, dimensions=_dimensions(wall.units, facts))
    return replace(wall, findings=tuple(accepted(findings_on(wall, facts, ceiling_of(facts), loads(variant.run.stages)), facts.waivers)))


@lru_cache(maxsize=4)
def built(variant: EvaluatedTrain) -> Wall:
    """The wall of a train of its own job as it is built: every unit in service. The last few are remembered: run sheet, materials and costs read them."""
    return wall_of(variant.audit.facts, variant)


def _dimensions(units: tuple[WallUnit, ...], facts: Facts) -> tuple[Dimension, ...]:
    """The left edge of each unit from the end of the wall, and its width, along the floor; port heights."""
    system = facts.job.units
    found: list[Dimension] = []
    last = 0.0
    for unit in sorted(units, key=lambda unit: unit.outline.x):
        if unit.outline.x > last + 1:
            found.append(Dimension((last, 0.0), (unit.outline.x, 0.0), measure(unit.outline.x - last, system)))
        found.append(Dimension((unit.outline.x, 0.0), (unit.outline.right, 0.0), measure(unit.outline.width, system)))
        last = max(last, unit.outline.right)
    return tuple(found)
