"""Writes ``cairn-design/1``: the design as a document, with every figure's working."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from .. import ENGINE
from ..chemistry.water import Water
from ..commissioning.document import commissioning
from ..design import Design
from ..drawing.wall.compose import compose
from ..evidence.samples import Assumption
from ..job.feed_limits import FeedLimit
from ..job.firm import Firm
from ..language.analytes import analytes
from ..language.figure import rounded
from ..language.memory import uncollected
from ..language.quantity import canonical_unit
from ..language.spec import Measure, specs_of
from ..operation.maintenance.upkeep import upkeep
from ..planning.evaluated import EvaluatedTrain
from ..studies.alternatives import alternatives
from ..studies.compare import differs
from ..studies.next_tests import next_tests
from ..studies.repair import repair
from ..train.treatment import StageRun
from ..wall.parts import Wall
from .costs import choice, costs, told_zero
from .materials import MaterialRow, materials

FORMAT = "cairn-design/1"
PARAM_UNITS = {"micron": "um", "outer_micron": "um", "lamp_life": "hour"}


def value(number: float, unit: str) -> dict[str, Any]:
    return {"value": rounded(number), "unit": unit}


def water_document(adverse: Water, mild: Water) -> dict[str, Any]:
    """A water at the adverse end, with low and high beside where the readings leave a spread."""
    found: dict[str, Any] = {}
    beside = mild.known()
    known = adverse.known()
    for name in analytes():
        if name not in known:
            continue
        entry = value(known[name], analytes()[name].unit)
        other = beside.get(name, known[name])
        if abs(other - known[name]) > 1e-6 * max(abs(other), abs(known[name]), 1e-9):
            entry |= {"low": rounded(min(other, known[name])), "high": rounded(max(other, known[name]))}
        found[name] = entry
    return found


def param_value(stage: StageRun[Any], name: str, held: Any) -> Any:
    """A completed choice of a stage as the document prints it: quantities with their unit."""
    spec = specs_of(stage.room.Keys).get(name)
    if name in PARAM_UNITS:
        return value(held, PARAM_UNITS[name])
    if isinstance(spec, Measure):
        return value(held, canonical_unit(spec.dimension))
    return held


def stage_document(stage: StageRun[Any], variant: EvaluatedTrain, system: str) -> dict[str, Any]:
    params = {name: param_value(stage, name, held) for name, held in stage.sizing.params.items()}
    if stage.id in variant.hours:
        hour = variant.hours[stage.id]
        params["hour"] = f"{int(hour):02d}:{round(hour % 1 * 60):02d}"
    return {
        "id": stage.id,
        "kind": stage.kind,
        "name": stage.name,
        "purpose": stage.room.does(stage.water_in, stage.water_out, system),
        "reasons": variant.reasons[stage.id],
        "schools": stage.room.schools(stage.keys, stage.water_in, system),
        "params": params,
        "figures": {name: figure.as_json() for name, figure in stage.figures.items()},
        "water_in": water_document(stage.water_in, stage.mild_in),
        "water_out": water_document(stage.water_out, stage.mild_out),
        "pressure_loss_clean": value(stage.loss_clean, "kPa"),
        "pressure_loss_dirty": value(stage.loss_dirty, "kPa"),
        "feed_limits": [limit_document(limit) for limit in stage.room.takes(stage.keys, stage.water_in, stage.duty)],
        "cautions": list(stage.room.cautions),
        "runners_up": stage.why_this_vessel(),
    }


def limit_document(limit: FeedLimit) -> dict[str, Any]:
    """What a stage takes of one analyte; own: put there by the designer in place of ours."""
    unit = analytes()[limit.reads].unit
    ends = {end: None if held is None else value(held, unit) for end, held in (("low", limit.low), ("high", limit.high))}
    return {"analyte": limit.reads, **ends, "because": limit.because, "source": limit.source, "own": limit.own}


def train_document(variant: EvaluatedTrain, system: str) -> dict[str, Any]:
    """What is said of one train: its stages, finished water, pressure and findings."""
    pressure = variant.pressure
    return {
        "train": [stage_document(stage, variant, system) for stage in variant.run.stages],
        "finished_water": water_document(variant.run.finished, variant.run.mild_finished),
        "hydraulics": {
            "profile": [{"at": point.at, "clean": value(point.clean, "kPa"), "dirty": value(point.dirty, "kPa")} for point in pressure.points],
            "residual_clean": pressure.residual_clean.as_json(),
            "residual_dirty": pressure.residual_dirty.as_json(),
        },
        "findings": [finding.as_json() for finding in variant.findings],
    }


def wall_document(wall: Wall) -> dict[str, Any]:
    """The wall as drawn: where each unit stands, pipe and fittings counted, and what does not fit or cannot be reached."""
    return {
        "units": [
            {"id": unit.id} | {name: value(held, "mm") for name,
            held in (("x", unit.outline.x), ("foot", unit.outline.z), ("width", unit.outline.width), ("height", unit.outline.height), ("depth", unit.depth))}
            for unit in wall.units
        ],
        "width": value(wall.width, "mm"),
        "pipe": {name: value(wall.pipe_length(*roles), "m") for name, roles in PIPE.items()},
        "fittings": {kind: wall.count(kind) for kind in sorted({fitting.kind for fitting in wall.fittings})},
        "findings": [finding.as_json() for finding in wall.findings],
    }  # fmt: skip


PIPE = {"water": ("main", "leg", "bypass", "tap", "raw"), "metal": ("metal",), "drain": ("drain",)}


def material_document(row: MaterialRow) -> dict[str, Any]:
    """A line of the materials list, with its sample price."""
    return {
        "group": row.group,
        "key": row.key,
        "what": row.what,
        "quantity": value(row.quantity, row.unit),
        "sample_price": float(row.each),
        "price": f"{row.each:.2f}",
        "sample": row.sample,
        "note": row.note,
        **({"code": row.code} if row.code else {}),
    }


def priced_at_nothing(firm: Firm) -> list[Assumption]:
    """Rates and prices of the company that are zero, each told at its place."""
    return [Assumption(path, "0", f"{what} costs nothing: the company says so") for path, what in told_zero(firm).items()]


@uncollected()
def design_document(design: Design) -> dict[str, Any]:
    """The whole design as plain data."""
    flows = design.duty.demand
    wall = compose(design, design.chosen)
    rows = materials(design.chosen, wall)
    money = costs(design.chosen, rows)
    document: dict[str, Any] = {
        "format": FORMAT,
        "engine": ENGINE,
        "job": {"name": design.facts.job.name, "standard": design.facts.job.standard, "units": design.facts.job.units},
        "assumptions": [
            {"path": note.path, "value": note.value, "why": note.why} for note in (*design.assumptions, *priced_at_nothing(design.facts.firm))
        ],
        "design_water": {name: state.as_json() for name, state in design.evidence.states.items()},
        "taps": {name: state.as_json() for name, state in design.evidence.taps.items()},
        "needs": [need.as_json() for need in design.needs],
        "demand": {"daily_use": flows.daily_use.as_json(), "peak_flow": flows.peak_flow.as_json(), "design_flow": flows.design_flow.as_json()},
        **train_document(design.chosen, design.facts.job.units),
        "next_tests": [test.as_json(rank) for rank, test in enumerate(next_tests(design), 1)],
        "alternatives": [
            {
                "title": each.title,
                "train": [stage.kind for stage in each.variant.run.stages],
                "complete": each.complete,
                "differs": differs(design.proposal, each.variant, design.facts.job.units),
            }
            for each in alternatives(design)
        ],
        "wall": wall_document(wall),
        "materials": [material_document(row) for row in rows],
        "costs": money.as_json(),
        "choice": choice(design.chosen, money).as_json(),
        "commissioning": commissioning(design.chosen),
        "upkeep": [task.as_json() for task in upkeep(design.chosen)],
        "likely_causes": [asdict(cause) for cause in design.likely_causes],
        "caution": STANDING_CAUTION,
    }
    if design.given:
        mended = repair(design)
        document["proposal"] = train_document(design.proposal, design.facts.job.units) | {
            "not_used": design.plan.not_used,
            "repair": {"train": [stage.kind for stage in mended.variant.train], "changes": list(mended.changes)},
        }
    else:
        document["not_used"] = design.plan.not_used
    return document


STANDING_CAUTION = (
    "A calculation does not make water safe; only a test of the treated water shows that it is. "
    "Local code, permits, licensed practice and certified components take precedence over this design."
)
