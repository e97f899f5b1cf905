"""What has to be bought: equipment, media, pipe, fittings, electrical work, and what the first year uses up."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from math import ceil

from .beds import INCH
from .design import Variant
from .drawing.wall_parts import Wall
from .tables import table
from .train import StageRun

GROUPS = ("equipment", "media", "pipe", "fittings", "electrical", "consumables")
PACKING = table("prices")["packing"]
EQUIPMENT = {
    "uv": "uv", "in_tank_uv": "in_tank_uv", "booster_pump": "pump", "pressure_reducing_valve": "reducing_valve", "chemical_feed": "feeder", "first_flush": "diverter",
    "aeration": "aerator", "scale_control": "scale_control",
}  # fmt: skip


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


def price_keys() -> dict[str, tuple[str, str, str, float]]:
    """Every price by key: group, what it is, unit, sample price."""
    return {key: (group, row[0], row[1], float(row[2])) for group in GROUPS for key, row in table("prices")[group].items()}


def materials(variant: Variant, wall: Wall, prices: Mapping[str, float] | None = None) -> list[Row]:
    """The list for a train on its wall, by group. prices: a firm's own, by key, in place of the sample ones."""
    known, own = price_keys(), prices or {}
    rows: list[Row] = []

    def add(key: str, quantity: float, what: str = "", note: str = "", size: float = 0.0) -> None:
        """size: what one piece measures, where the list prices it by its size."""
        group, named, unit, sample = known[key]
        price = float(own.get(key, sample))
        if quantity > 0:
            rows.append(Row(group, key, what or named, round(quantity, 2), "each" if size else unit, round(price * size, 2) if size else price, note))

    for stage in variant.run.stages:
        _equipment(stage, add)
    pipe = wall.pipe_length("main", "leg", "bypass", "tap")
    add("pipe", pipe * PACKING["offcut"], note="a tenth more for offcuts")
    add("metal", wall.pipe_length("metal") * PACKING["offcut"])
    add("drain_line", wall.pipe_length("drain") * PACKING["offcut"])
    for key in ("elbow", "tee", "valve", "union", "sample_tap", "gauge", "air_gap"):
        add(key, float(wall.count(key)))
    add("outlet", float(wall.count("outlet")))
    for stage in variant.run.stages:
        _first_year(stage, add)
    merged: dict[tuple[str, str, str], Row] = {}
    for row in rows:
        at = (row.key, row.what, row.note)
        merged[at] = (
            row if at not in merged else Row(row.group, row.key, row.what, round(merged[at].quantity + row.quantity, 2), row.unit, row.each, row.note)
        )
    return sorted(merged.values(), key=lambda row: GROUPS.index(row.group))


def total(rows: list[Row]) -> float:
    """What a list costs."""
    return round(sum(row.total for row in rows), 2)


def by_group(rows: list[Row]) -> list[tuple[str, list[Row], float]]:
    """Group, its rows and what they cost, in the order of the list; empty groups left out."""
    parts = [(group, [row for row in rows if row.group == group]) for group in GROUPS]
    return [(group, part, total(part)) for group, part in parts if part]


def _equipment(stage: StageRun, add) -> None:  # type: ignore[no-untyped-def]  # noqa: ANN001
    bed, params, name = stage.sizing.bed, stage.sizing.params, stage.name
    if bed is not None:
        add("vessel", float(bed.vessels), f"Mineral tank {bed.tank} in", name, bed.diameter / INCH)
        add("valve_head", float(bed.vessels), note=name)
        mass = bed.total_volume * bed.medium.density
        bags = ceil(bed.total_volume / PACKING["bag_l"] - 1e-6)
        add(bed.medium.key, mass, bed.medium.name, f"{bags} bag{'s' if bags > 1 else ''} of 1 ft³")
        add("gravel", bed.total_area * table("vessels")["underbed_in"] * INCH * 1000 * PACKING["gravel_kg_l"])
    if stage.room.uses_salt:
        add("brine_tank", 1.0, note=name)
    housing = params.get("housing")
    if housing and bed is None:
        add(f"cartridge_{housing.replace('.', '_')}", 1.0, note=name)
    if stage.kind == "uv":
        add("uv", 1.0, "UV chamber with ballast", name, params["rated_flow"])
    elif stage.kind == "reverse_osmosis":
        if stage.at_tap:
            add("membrane_tap", 1.0)
        else:
            add("membrane_house", params["rated"] / 100)
            add("tank", 1.0, "Permeate storage", size=params["storage"] / 100)
    elif stage.kind in ("storage_tank", "pressure_tank", "retention_tank"):
        add("tank", 1.0, name, size=params["volume"] / 100)
    elif stage.kind == "barrier_filter":
        add("barrier", stage.sizing.figures["elements"].value, note=name)
    elif stage.kind in EQUIPMENT:
        add(EQUIPMENT[stage.kind], 1.0, note=name)


def _first_year(stage: StageRun, add) -> None:  # type: ignore[no-untyped-def]  # noqa: ANN001
    figures, name = stage.sizing.figures, stage.name
    if "salt_per_year" in figures:
        bags = ceil(figures["salt_per_year"].value / PACKING["salt_bag_kg"])
        add("salt", figures["salt_per_year"].value, note=f"{bags} bags of {PACKING['salt_bag_kg']:g} kg")
    if "media_per_year" in figures:
        add("refill", figures["media_per_year"].value, note=name)
    if "lamp_interval" in figures:
        add("lamp", float(ceil(12 / figures["lamp_interval"].value - 1e-6)), note=name)
    if "feed_rate" in figures:
        add("chemical", figures["feed_rate"].value * 365, note=name)
    if "prefilter_interval" in figures:
        add("prefilter", float(ceil(12 / figures["prefilter_interval"].value)))
    if "replacement_interval" in figures and stage.sizing.bed is None and stage.kind in ("sediment", "oxidizing_filter", "carbon", "barrier_filter"):
        key = {"sediment": "cartridge", "oxidizing_filter": "iron_cartridge", "carbon": "carbon_block", "barrier_filter": "element"}[stage.kind]
        months = figures["replacement_interval"].value
        if months <= 12:
            add(key, float(ceil(12 / max(months, 0.1) - 1e-6)), note=name)
