"""What has to be bought: equipment, media, pipe, fittings, electrical work, and what the first year uses up."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from math import ceil
from typing import Any

from ..drawing.wall.parts import Wall
from ..house.pipes import INCH, joined_by
from ..language.tables import table
from ..planning.variant import Variant
from ..starting.situation import joints_on
from ..train.drains import drain_of
from ..train.room import Purchase, StageRun

GROUPS = ("equipment", "media", "pipe", "fittings", "electrical", "consumables")
PACKING = table("prices")["packing"]


@dataclass(frozen=True, slots=True)
class Row:
    """A line of the list. key: into the price list; each: price of one unit; note: bags, or for which unit it is."""

    group: str
    key: str
    what: str
    quantity: float
    unit: str
    each: float
    note: str = ""

    @property
    def total(self) -> float:
        """Quantity times price, rounded as money is, so that every sum is the sum of what is printed."""
        return round(self.quantity * self.each, 2)


@cache
def price_keys() -> dict[str, tuple[str, str, str, float]]:
    """Every price by key: group, what it is, unit, sample price."""
    return {key: (group, row[0], row[1], float(row[2])) for group in GROUPS for key, row in table("prices")[group].items()}


def materials(variant: Variant, wall: Wall, prices: Mapping[str, float] | None = None) -> list[Row]:
    """The list for a train on its wall, by group. prices: a firm's own, by key, in place of the sample ones."""
    bought: list[Purchase] = []
    for stage in variant.run.stages:
        bought += [*_equipment(stage), *stage.room.buys(stage.keys, stage.sizing)]
    bought = [
        *(each for each in bought if not each.yearly),
        *_on_the_wall(wall, _to_drain(variant)),
        *_to_join(wall, variant),
        *(each for each in bought if each.yearly),
    ]
    rows = [_priced(each, prices or {}) for each in bought if each.quantity > 0]
    merged: dict[tuple[str, str, str], Row] = {}
    for row in rows:
        at = (row.key, row.what, row.note)
        merged[at] = (
            row if at not in merged else Row(row.group, row.key, row.what, round(merged[at].quantity + row.quantity, 2), row.unit, row.each, row.note)
        )
    return sorted(merged.values(), key=lambda row: GROUPS.index(row.group))


def _priced(bought: Purchase, own: Mapping[str, float]) -> Row:
    group, named, unit, sample = price_keys()[bought.key]
    price, size = float(own.get(bought.key, sample)), bought.size
    quantity, what = round(bought.quantity, 2), bought.what or named
    return Row(group, bought.key, what, quantity, "each" if size else unit, round(price * size, 2) if size else price, bought.note)


def total(rows: list[Row]) -> float:
    """What a list costs."""
    return round(sum(row.total for row in rows), 2)


def by_group(rows: list[Row]) -> list[tuple[str, list[Row], float]]:
    """Group, its rows and what they cost, in the order of the list; empty groups left out."""
    parts = [(group, [row for row in rows if row.group == group]) for group in GROUPS]
    return [(group, part, total(part)) for group, part in parts if part]


def _equipment(stage: StageRun[Any]) -> Iterator[Purchase]:
    """What a unit is built of: vessels with valve, media and gravel, brine tank, housing, and what its room adds."""
    bed, name, count = stage.sizing.bed, stage.name, float(stage.bodies)
    if bed is not None:
        yield Purchase("vessel", count, f"Mineral tank {bed.tank} in", name, bed.diameter / INCH)
        yield Purchase("valve_head" if stage.regenerates else "in_out_head", count, note=name)
        bags = ceil(bed.volume * count / PACKING["bag_l"] - 1e-6)
        yield Purchase(bed.medium.key, bed.volume * count * bed.medium.density, bed.medium.name, f"{bags} bag{'s' if bags > 1 else ''} of 1 ft³")
        yield Purchase("gravel", bed.area * count * table("vessels")["underbed_in"] * INCH * 1000 * PACKING["gravel_kg_l"])
    if stage.room.uses_salt and stage.sizing.params.get("form") != "cabinet":
        yield Purchase("brine_tank", 1.0, note=name)
    housing = stage.sizing.params.get("housing")
    if housing and bed is None:
        yield Purchase(f"cartridge_{housing.replace('.', '_')}", count, note=name)


def _to_drain(variant: Variant) -> float:
    """How far the drain lines run [m]: of each unit that sends water to drain, its own distance and lift, else the site's."""
    told = (drain_of(variant.audit.facts, stage.keys) for stage in variant.run.stages if stage.drains)
    return sum((drain.distance or 0.0) + max(drain.lift or 0.0, 0.0) for drain in told if drain is not None)


def _to_join(wall: Wall, variant: Variant) -> Iterator[Purchase]:
    """What the joints use by the job's own way of joining, clamps for the pipe, and what the units hang on."""
    joints = joints_on(wall)
    for key, each in table("prices")["joining"].get(joined_by(variant.audit.facts), {}).items():
        yield Purchase(key, float(ceil(each * joints - 1e-9)), note=f"for {joints:g} joints")
    piped = wall.pipe_length("main", "leg", "bypass", "tap", "metal")
    yield Purchase("clamp", float(ceil(piped / PACKING["clamp_m"])))
    yield Purchase("thread_tape", float(bool(wall.units)))
    hung = [unit for unit in wall.units if unit.outline.z > 0]
    if hung:
        yield Purchase("backing_board", (max(unit.outline.right for unit in hung) - min(unit.outline.x for unit in hung)) / 1000)
        yield Purchase("anchor", float(PACKING["anchors"] * len(hung)))


def _on_the_wall(wall: Wall, far: float) -> Iterator[Purchase]:
    """Pipe, a tenth more for offcuts, and fittings. far: how far the drain lines run by what the job says [m]."""
    yield Purchase("pipe", wall.pipe_length("main", "leg", "bypass", "tap") * PACKING["offcut"], note="a tenth more for offcuts")
    yield Purchase("metal", wall.pipe_length("metal") * PACKING["offcut"])
    yield Purchase("drain_line", max(wall.pipe_length("drain"), far) * PACKING["offcut"])
    for key in ("elbow", "tee", "valve", "union", "sample_tap", "gauge", "air_gap", "outlet"):
        yield Purchase(key, float(wall.count(key)))
