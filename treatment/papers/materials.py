"""What has to be bought: equipment, media, pipe, fittings, electrical work, and what the first year uses up."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from decimal import ROUND_HALF_UP, Decimal
from math import ceil
from typing import Any

from ..commissioning.sheet import sheet
from ..commissioning.situation import hosed, joints_on
from ..house.duty import Duty
from ..house.packing import media_bags, salt_bags
from ..house.pipes import INCH, joined_by
from ..job.catalogue import Item
from ..job.prices import CENT, GROUPS, price_keys
from ..language.display import show
from ..language.prose import sentence
from ..language.tables import Rows, table
from ..planning.evaluated import EvaluatedTrain
from ..train.bought import item_for
from ..train.drains import bore_wanted, drain_of
from ..train.treatment import Purchase, StageRun, beside
from ..wall.parts import Wall

PACKING = Rows("prices", "packing")


@dataclass(frozen=True, slots=True)
class MaterialRow:
    """A line of the list. key: into the price list; each: price of one unit; note: bags, or for which unit it is; sample: whether it is made up;
    stage: the one it is bought for, None for the house or for several; code: of the company's catalogue, empty where it sells no such thing.
    """

    group: str
    key: str
    what: str
    quantity: float
    unit: str
    each: Decimal
    note: str = ""
    sample: bool = True
    stage: str | None = None
    code: str = ""

    @property
    def total(self) -> Decimal:
        """Quantity times price, rounded as money is, so that every sum is the sum of what is printed."""
        return cents(Decimal(str(self.quantity)) * self.each)


def cents(value: Decimal) -> Decimal:
    """An amount as money is printed: to two places, halves up."""
    return value.quantize(CENT, ROUND_HALF_UP)


def materials(variant: EvaluatedTrain, wall: Wall, prices: Mapping[str, Any] | None = None) -> list[MaterialRow]:
    """The list for a train on its wall, by group. prices: a company's own, by key, in place of the job's own and of the sample ones."""
    tools = [MaterialRow("tools", "tool", sentence(tool), 1.0, "each", Decimal(0), "to bring", False) for tool in tools_of(variant)]
    return sorted([*bought_for(variant, wall, prices), *tools], key=lambda row: GROUPS.index(row.group))


def bought_for(variant: EvaluatedTrain, wall: Wall, prices: Mapping[str, Any] | None = None) -> list[MaterialRow]:
    """The same without the tools to bring, in no order: all that a train costs."""
    own = variant.audit.facts.firm.own | {key: Decimal(str(price)) for key, price in (prices or {}).items()}
    bought: list[tuple[str | None, Purchase]] = []
    stages = {stage.id: stage for stage in variant.run.stages}
    for stage in variant.run.stages:
        parts = [*_equipment(stage), *(_in_bags(each, stage.duty) for each in stage.room.buys(stage.keys, stage.sizing))]
        if litres := beside(variant.run.stages, stage):
            parts.append(Purchase("tank", 1.0, "Permeate storage", size=litres / 100, pieces=stage.sizing.params.get("tanks", 1)))
        bought += [(stage.id, each) for each in parts]
    of_house = (*_on_the_wall(wall, variant), *_to_join(wall, variant), *small_parts(wall, variant))
    bought = [
        *((id, each) for id, each in bought if not each.yearly),
        *((None, each) for each in of_house),
        *((id, each) for id, each in bought if each.yearly),
    ]
    duty = variant.audit.duty
    rows = [_priced(each, own, id, item_for(stages[id] if id else None, each.key, duty)) for id, each in bought if each.quantity > 0]
    merged: dict[tuple[str, ...], MaterialRow] = {}
    for row in rows:
        at = (row.key, row.what, row.note, row.code)
        held = merged.get(at)
        merged[at] = (
            row
            if held is None
            else replace(row, quantity=round(held.quantity + row.quantity, 2), stage=row.stage if row.stage == held.stage else None)
        )
    return list(merged.values())


def _priced(bought: Purchase, own: Mapping[str, Decimal], stage: str | None, item: Item | None) -> MaterialRow:
    """A line of the list: at the price of the item that the company's catalogue has for it, else of its price list."""
    group, named, unit, sample = price_keys()[bought.key]
    if item is not None and item.kind == "medium":
        bags = ceil(bought.quantity / item.fits.mass - 1e-6)
        return MaterialRow(group, bought.key, item.what, float(bags), "bag", item.price, f"{bought.quantity:.4g} kg", False, stage, item.code)
    if item is not None and item.kind != "fitting":
        count = float(bought.pieces or bought.quantity)
        return MaterialRow(group, bought.key, item.what, round(count, 2), "each", item.price, bought.note, False, stage, item.code)
    if item is not None:
        own = {bought.key: item.price}
    price, size = own.get(bought.key, Decimal(str(sample))), bought.size
    quantity, what = round(bought.quantity, 2), bought.what or named
    each = cents(price * Decimal(str(size))) if size else price
    return MaterialRow(
        group, bought.key, what, quantity, "each" if size else unit, each, bought.note, bought.key not in own, stage, item.code if item else ""
    )


def total(rows: list[MaterialRow]) -> Decimal:
    """What a list costs."""
    return sum((row.total for row in rows), Decimal(0))


def by_group(rows: list[MaterialRow]) -> list[tuple[str, list[MaterialRow], Decimal]]:
    """Group, its rows and what they cost, in the order of the list; empty groups left out."""
    parts = [(group, [row for row in rows if row.group == group]) for group in GROUPS]
    return [(group, part, total(part)) for group, part in parts if part]


def _in_bags(bought: Purchase, duty: Duty) -> Purchase:
    """Salt with the bags it comes in; all else as it is."""
    return replace(bought, note=salt_bags(bought.quantity, duty)) if bought.key == "salt" else bought


def _equipment(stage: StageRun[Any]) -> Iterator[Purchase]:
    """What a unit is built of: vessels with valve, media and gravel, brine tank, housing, and what its room adds."""
    bed, name, count = stage.sizing.bed, stage.name, float(stage.bodies)
    if bed is not None:
        yield Purchase("vessel", count, f"Mineral tank {bed.tank} in", name, bed.diameter / INCH)
        yield Purchase("valve_head" if stage.regenerates else "in_out_head", count, note=name)
        note = media_bags(bed.volume * count, stage.duty)
        yield Purchase(bed.medium.key, bed.volume * count * bed.medium.density, bed.medium.name, note)
        yield Purchase("gravel", bed.area * count * table("vessels")["underbed_in"] * INCH * 1000 * PACKING["gravel_kg_l"])
    if stage.room.uses_salt and stage.sizing.params.get("form") != "cabinet":
        yield Purchase("brine_tank", 1.0, note=name)
    housing = stage.sizing.params.get("housing")
    if housing and bed is None:
        yield Purchase(f"cartridge_{housing.replace('.', '_')}", count, note=name)


def _to_join(wall: Wall, variant: EvaluatedTrain) -> Iterator[Purchase]:
    """What the joints use by the job's own way of joining, clamps for the pipe, and what the units hang on."""
    joints = joints_on(wall)
    for key, each in table("prices")["joining"].get(joined_by(variant.audit.facts), {}).items():
        yield Purchase(key, float(ceil(each * joints - 1e-9)), note=f"for {joints:g} joints")
    piped = wall.pipe_length("main", "leg", "bypass", "tap", "metal")
    yield Purchase("clamp", float(ceil(piped / PACKING["clamp_m"])))
    yield Purchase("thread_tape", float(bool(wall.units)))
    hung = [unit for unit in wall.units if unit.outline.z > 0]
    if hung:
        width = (max(unit.outline.right for unit in hung) - min(unit.outline.x for unit in hung)) / 1000
        yield Purchase("backing_board", width, note=f"{show(PACKING['backing_m'], 'm level', variant.audit.facts.job.units)} high")
        yield Purchase("anchor", float(PACKING["anchors"] * len(hung)))


def _on_the_wall(wall: Wall, variant: EvaluatedTrain) -> Iterator[Purchase]:
    """Pipe, a tenth more for offcuts, and fittings, each with its size, material and kind of joint; drain lines with their own bore."""
    size, joint = variant.audit.duty.supply.pipe.size, joined_by(variant.audit.facts)
    kind = size.called
    joined = f", {JOINTS[joint]}" if joint in JOINTS else ""
    yield Purchase("pipe", wall.pipe_length("main", "leg", "bypass", "tap", "raw") * PACKING["offcut"], f"Pipe {kind}", "a tenth more for offcuts")
    yield Purchase("metal", wall.pipe_length("metal") * PACKING["offcut"])
    yield from _drain_lines(wall, variant)
    for role, key in (("brine", "brine_line"), ("overflow", "overflow_hose")):
        yield Purchase(key, wall.pipe_length(role) * PACKING["offcut"])
    names = price_keys()
    for key in ("elbow", "tee", "valve", "union"):
        yield Purchase(key, float(wall.count(key)), f"{names[key].what} {kind}{joined}")
    for key in ("sample_tap", "gauge", "air_gap", "outlet"):
        yield Purchase(key, float(wall.count(key)))


#: how a fitting is called by the way it is joined
JOINTS = {
    "solder": "soldered", "press": "pressed", "solvent": "solvent-welded", "expansion": "for expansion rings", "crimp": "for crimp rings",
    "compression": "compression", "push_fit": "push-fit",
}  # fmt: skip


def _drain_lines(wall: Wall, variant: EvaluatedTrain) -> Iterator[Purchase]:
    """The drain lines by bore: as far as they are drawn, or as the job says, whichever is more; the job's own bore, else what is wanted."""
    facts, system = variant.audit.facts, variant.audit.facts.job.units
    least = float(variant.audit.duty.rows["house"]["residual_kpa"])
    for stage in variant.run.stages:
        drawn = sum(run.length for run in wall.runs if run.role == "drain" and run.unit == stage.id) / 1000
        if not drawn:
            continue
        drain = drain_of(facts, stage.keys)
        lines = sum(run.role == "drain" and run.unit == stage.id for run in wall.runs)
        told = ((drain.distance or 0.0) + max(drain.lift or 0.0, 0.0)) * lines if drain is not None else 0.0
        bore = drain.bore if drain is not None else None
        if bore is None and "backwash_flow" in stage.figures:
            bore = bore_wanted(drain, stage.figures["backwash_flow"].value, stage.water_in.temperature, least)[-1].value
        what = f"Drain line, bore {show(bore * 1000, 'mm', system)}" if bore else ""
        yield Purchase("drain_line", max(drawn, told) * PACKING["offcut"], what)


def small_parts(wall: Wall, variant: EvaluatedTrain) -> Iterator[Purchase]:
    """What a train needs beside its units and its pipe, by what stands in it: rows of the table, each for what it counts, or once."""
    there = [(stage, _traits(stage)) for stage in variant.run.stages]
    whole = sum((traits for _, traits in there), Counter[str]())
    whole["housing_size"] = len({stage.sizing.params["housing"] for stage, traits in there if traits["housing"]})
    whole["town"] = int(variant.audit.facts.source.kind == "town")
    whole["outdoor_branch"] = int(any(run.role == "raw" for run in wall.runs))
    for key, row in table("prices")["small_parts"].items() if there else ():
        note, yearly = row.get("note", ""), row.get("yearly", False)
        if row.get("by_unit"):
            yield from (Purchase(key, float(traits[row["each"]]), note=stage.name) for stage, traits in there)
        elif "each" in row:
            yield Purchase(key, float(whole[row["each"]] * row.get("count", 1)), note=note, yearly=yearly)
        else:
            yield Purchase(key, float(any(whole[what] for what in row["where"])), note=note, yearly=yearly)


def _traits(stage: StageRun[Any]) -> Counter[str]:
    """What a stage counts as in the table of small parts: its kind and medium, its vessels or housings, a bed that is washed by hose."""
    params, vessel = stage.sizing.params, stage.sizing.bed is not None
    found = Counter({stage.kind: 1, "unit": 1, str(params.get("medium", "")): 1})
    found["vessel"] = stage.bodies if vessel else 0
    found["housing"] = stage.bodies if "housing" in params and not vessel else 0
    found["hosed_bed"] = int(vessel and hosed(stage, None))
    return found


def tools_of(variant: EvaluatedTrain) -> list[str]:
    """Tools and parts that the run sheet asks for, each once, in the order in which they are asked for."""
    return list(dict.fromkeys(tool for step in sheet(variant).steps for tool in step.row.tools))
