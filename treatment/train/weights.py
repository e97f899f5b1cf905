"""What units weigh when they are full, and what they draw from the mains."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import pi
from typing import Any

from ..house.packing import media_bag
from ..language.display import show
from ..language.figure import Figure, Line, constant, figure, stated, work
from ..language.tables import table
from .treatment import StageRun, beside


def filled_mass(stage: StageRun[Any]) -> Line | None:
    """What one vessel weighs with its medium and full of water [kg], without its shell and gravel; None where its size is not known."""
    bed = stage.sizing.bed
    if bed is not None:
        shell = bed.area * bed.height * 1000
        return work("filled", "media × density + shell − media × (1 − porosity)", "kg", "commissioning.practice",
                    media=(bed.volume, "L"), density=(bed.medium.density, "kg/L"), shell=(shell, "L"), porosity=(bed.medium.porosity, ""))  # fmt: skip
    if not stage.room.upright(stage.keys):
        return None
    width, height, _ = stage.body
    return work("filled", "shell × water", "kg", "commissioning.practice",
                shell=(pi / 4 * width**2 * height / 1e6, "L"), water=(1.0, "kg/L, as the media is little heavier"))  # fmt: skip


@dataclass(frozen=True, slots=True)
class Load:
    """A unit on the floor and on the mains.

    mass: full, all its vessels and tanks [kg]; foot: under them [kPa], 0 for what hangs on the wall; lifted: the heaviest thing that is carried
    in [kg]; watts: drawn while it runs; own: whether it wants a circuit of its own.
    """

    id: str
    name: str
    mass: Figure
    foot: float
    lifted: float
    watts: Figure
    own: bool

    def amps(self, volts: float) -> float:
        """Current [A] at a mains voltage, by its power alone."""
        return self.watts.value / volts


def mains_volts(system: str) -> float:
    """The usual mains voltage [V] where a system of units is read."""
    return float(table("wall")["loads"]["volts"][system])


def loads(stages: Sequence[StageRun[Any]]) -> tuple[Load, ...]:
    """Every unit, in the order of the train."""
    return tuple(load(stages, stage) for stage in stages)


def mass_of_all(held: Sequence[Load]) -> float:
    """What all units weigh together [kg]."""
    return sum(each.mass.value for each in held)


def load_rows(stages: Sequence[StageRun[Any]], system: str) -> list[list[str]]:
    """Every unit as a table of a paper, its head first, what they weigh together last."""
    held, volts = loads(stages), mains_volts(system)
    return [
        ["Unit", "Filled", "Floor load", "Heaviest part to lift", "Draws"],
        *(
            [
                each.name, show(each.mass.value, "kg", system), show(each.foot, "kPa floor", system) if each.foot else "hangs",
                show(each.lifted, "kg", system) if each.lifted else "", _drawn(each, volts),
            ]
            for each in held
        ),
        ["Total", show(mass_of_all(held), "kg", system), "", "", ""],
    ]  # fmt: skip


def _drawn(held: Load, volts: float) -> str:
    """What it draws from the mains, in words; nothing where it draws nothing."""
    return f"{held.watts.value:.0f} W, {held.amps(volts):.1f} A{', own circuit' if held.own else ''}" if held.watts.value else ""


def load(stages: Sequence[StageRun[Any]], stage: StageRun[Any]) -> Load:
    """What one unit weighs and draws; typical values, the maker's plate decides."""
    row, bed = table("wall")["loads"], stage.sizing.bed
    lines: list[Line] = []
    one, area = filled_mass(stage), 0.0
    width, height, hangs = stage.body
    count = float(stage.bodies)
    if one is not None:
        area = pi / 4 * (width / 1000) ** 2 * count
        lines += [one, work("vessels", "filled × count", "kg", "wall.loads", filled=(one.value, "kg"), count=(count, ""))]
    elif stage.room.stores or stage.room.silhouette == "tank":
        area = pi / 4 * (width / 1000) ** 2 * count
        litres, water = (pi / 4 * width**2 * height / 1e6, "L"), (1.0, "kg/L")
        lines.append(work("tanks", "liters × count × water", "kg", "wall.loads", liters=litres, count=(count, ""), water=water))
    else:
        lines.append(stated("unit", "typical", float(row["hung_kg"].get(stage.kind, row["hung_kg"]["other"])) * count, "kg", "wall.loads"))
        area = 0.0 if hangs > 0 else width / 1000 * float(row["depth_m"])
    if stage.room.uses_salt and stage.sizing.params.get("form") != "cabinet":
        tank = table("vessels")["brine_tank_mm"]
        wide, tall, brine = (tank["width"] / 1000, "m"), (tank["height"] / 1000, "m"), (float(row["brine_kg_m3"]), "kg/m3, salt and water")
        lines.append(work("brine tank", "wide^2 × tall × brine", "kg", "wall.loads", wide=wide, tall=tall, brine=brine))
        area += (tank["width"] / 1000) ** 2
    if kept := beside(stages, stage):
        lines.append(work("its tank", "liters × water", "kg", "wall.loads", liters=(kept, "L"), water=(1.0, "kg/L")))
        area += pi / 4 * (kept / 1000 * 4 / pi / float(table("vessels")["tank_tall"])) ** (2 / 3)
    whole = sum(line.value for line in lines if line is not one)
    mass = figure(*lines, stated("full", "together", whole, "kg", "wall.loads"))
    lifted = bed.medium.density * media_bag(stage.duty) if bed is not None else whole if hangs > 0 else 0.0
    watts = _watts(stage, row)
    return Load(
        stage.id,
        stage.name,
        mass,
        whole * constant("gravity") / area / 1000 if area else 0.0,
        lifted,
        watts,
        watts.value >= float(row["own_circuit_w"]),
    )


def _watts(stage: StageRun[Any], row: dict[str, Any]) -> Figure:
    """Its own figure where it has one, else what is typical of its kind."""
    for name in ("pump_power", "power"):
        if name in stage.figures:
            return stage.figures[name]
    if not stage.powered:
        return figure(stated("power", "none", 0.0, "W", "wall.loads"))
    if "rated_flow" in stage.sizing.params:
        each, lamps = (float(row["lamp_w_per_l_min"]), "W per L/min"), (float(stage.sizing.params.get("lamps", 1)), "")
        return figure(
            work("lamp", "rated × each × lamps", "W", "wall.loads", rated=(stage.sizing.params["rated_flow"], "L/min"), each=each, lamps=lamps)
        )
    return figure(stated("power", "typical", float(row["watts"].get(stage.kind, row["watts"]["other"])) * stage.bodies, "W", "wall.loads"))
