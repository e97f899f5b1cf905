"""The wall, to scale: units, pipe with its fittings, zones kept free, what is already there. All in mm from the lower left corner.

x runs along the wall to the right, z up from the floor. Nothing here is drawn; templates draw it, exports write it.
"""

from __future__ import annotations

from dataclasses import replace

from ...audit.rules import accepted
from ...design import Design
from ...job.facts import Facts
from ...language.display import show
from ...language.tables import table
from ...planning.variant import Variant
from .faults import findings_on
from .parts import Dimension, Unit, Wall
from .piping import pipe
from .placing import obstacles_of, place


def compose(design: Design, variant: Variant, states: dict[str, str] | None = None) -> Wall:
    """The wall of a train of a design, see ``wall_of``."""
    return wall_of(design.facts, variant, states)


def wall_of(facts: Facts, variant: Variant, states: dict[str, str] | None = None) -> Wall:
    """The wall of a train: units where the job puts them, else side by side in the order of the water, clear of what is there.

    states: stage id -> service, bypass or shut; what is not named is in service. The drawing always comes; what does not
    fit, collides or cannot be reached is a finding.
    """
    site, rows = facts.site, table("wall")["place"]
    ceiling = (site.ceiling or rows["ceiling"] / 1000) * 1000
    obstacles = obstacles_of(facts)
    units = place(variant, obstacles, ceiling)
    can = {unit.id: unit.states for unit in units}
    states = {name: state for name, state in (states or {}).items() if state in can.get(name, ())}
    ports = [z for unit in units for z in (unit.arrives, unit.outlet[1])]
    header = min(
        max([rows["header_least"], *(z + rows["header_above"] for z in ports)]),
        max(ceiling - rows["header_below_ceiling"], float(rows["header_lowest"])),
    )
    washed = sum(unit.drains for unit in units)
    right = (
        max([unit.outline.right for unit in units] + [rows["left"]]) + 2 * rows["between"] + rows["ends_after"] + rows["receptor"] * max(washed, 1)
    )
    width = (
        max((site.wall_width or 0.0) * 1000, right, *(o.rect.right + rows["end_beside"] for o in obstacles))
        if obstacles
        else max((site.wall_width or 0.0) * 1000, right)
    )
    panels = [turn for each in obstacles if each.key == "electrical_panel" and (turn := each.keep.x - rows["panel_beside"]) >= right]
    leaves = min([width, *panels])
    runs, fittings = pipe(units, header, leaves, max(ceiling, header), states, leaves < width)
    wall = Wall(
        width, max(ceiling, max([unit.outline.top for unit in units] + [0.0])), site.wall_depth * 1000 if site.wall_depth else None, site.wall_width is not None,
        units, obstacles, runs, fittings, _dimensions(units, facts), (), header, leaves,
        site.wall_width * 1000 if site.wall_width is not None and site.wall_width * 1000 < width - 1 else None, states,
    )  # fmt: skip
    return replace(wall, findings=tuple(accepted(findings_on(wall, facts, ceiling), facts.waivers)))


def _dimensions(units: tuple[Unit, ...], facts: Facts) -> tuple[Dimension, ...]:
    """The left edge of each unit from the end of the wall, and its width, along the floor; port heights."""
    system = facts.job.units
    found: list[Dimension] = []
    last = 0.0
    for unit in sorted(units, key=lambda unit: unit.outline.x):
        if unit.outline.x > last + 1:
            found.append(Dimension((last, 0.0), (unit.outline.x, 0.0), show(unit.outline.x - last, "mm", system)))
        found.append(Dimension((unit.outline.x, 0.0), (unit.outline.right, 0.0), show(unit.outline.width, "mm", system)))
        last = max(last, unit.outline.right)
    return tuple(found)
