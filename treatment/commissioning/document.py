"""The run sheet as the design document carries it: ``commissioning`` of ``cairn-design/1``. Every time is in minutes."""

from __future__ import annotations

from typing import Any

from ..language.figure import rounded
from ..planning.evaluated import EvaluatedTrain
from .expected import Expectations, ExpectedReading
from .sheet import Sheet, sheet
from .step import Step
from .visits import DAY, InstallVisit, visits


def lasting(value: float) -> dict[str, Any]:
    """A time as the document writes it."""
    return {"value": rounded(value), "unit": "min"}


def commissioning(variant: EvaluatedTrain) -> dict[str, Any]:
    """Steps, visits from the usual hour of the morning, and totals of a train's run sheet; empty lists for an empty train."""
    found, expected = sheet(variant), Expectations(variant)
    coming, system = visits(found), variant.audit.facts.job.units
    return {
        "steps": [step_document(step, expected.of(step), system) for step in found.steps],
        "visits": [visit_document(visit) for visit in coming],
        "totals": totals(found, coming),
    }


def totals(found: Sheet, coming: tuple[InstallVisit, ...]) -> dict[str, Any]:
    """Work of hands, time from the first step to the end of the last, clock time without water, number of visits."""
    return {
        "hands_on": lasting(found.hands_on),
        "elapsed": lasting(coming[-1].end - coming[0].work[0].begin if coming else 0.0),
        "water_off": lasting(sum(visit.water_off for visit in coming)),
        "visits": len(coming),
    }


def step_document(step: Step, readings: tuple[ExpectedReading, ...], system: str) -> dict[str, Any]:
    """One step, with everything that a person doing it needs to know."""
    row = step.row
    return {
        "id": step.id,
        "phase": step.phase,
        "stage": None if step.stage is None else step.stage.id,
        "title": row.title,
        "do": step.do(system),
        "why": row.why,
        "bad_sign": row.bad_sign,
        "hazards": step.hazards,
        "who": row.who,
        "tools": list(row.tools),
        "needs": [{"id": need.id, "after": None if need.after is None else lasting(need.after)} for need in step.needs],
        "hands_on": lasting(row.hands_on),
        "wait": None if row.wait is None else lasting(row.wait),
        "water_off": row.water_off,
        "where": row.where,
        "critical": row.critical,
        "readings": [reading_document(reading) for reading in readings],
        "source": row.source,
    }


def reading_document(reading: ExpectedReading) -> dict[str, Any]:
    """A reading to take and what is expected of it."""
    low, high = (None if end is None else rounded(end) for end in (reading.low, reading.high))
    return {
        "key": reading.key.key,
        "unit": reading.key.unit,
        "low": low,
        "high": high,
        "working": [line.as_json() for line in reading.working],
    }


def visit_document(visit: InstallVisit) -> dict[str, Any]:
    """One coming to the house; day counts from the first visit's."""
    first = visit.work[0].begin
    return {
        "number": visit.number,
        "day": int(first // DAY),
        "at": visit.at,
        "length": lasting(visit.length),
        "steps": [done.step.id for done in visit.work],
        "hands_on": lasting(visit.hands_on),
        "water_off": lasting(visit.water_off),
        "bring": visit.bring,
    }
