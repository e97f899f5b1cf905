"""The year as ``cairn-year/1`` prints it, and its JSON Schema."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Any, NamedTuple

from .. import ENGINE
from ..language.figure import rounded
from ..language.schema import array, obj
from ..planning.evaluated import EvaluatedTrain
from .against import against_design
from .asked import YearAsked
from .figures import Came, YearTotal, came_of
from .machine import Machine
from .notices import moment, notices
from .scenarios import Scenario
from .spread import spread

FORMAT = "cairn-year/1"


class Lived(NamedTuple):
    """A year as asked; the same with each scenario by itself, by what it was asked for as; and without any (None where none was asked)."""

    came: Came
    alone: Mapping[str, Came]
    plain: Came | None


def lived(variant: EvaluatedTrain, asked: YearAsked) -> Lived:
    """Run a year as asked, and what it is held against."""

    def run(scenarios: tuple[Scenario, ...]) -> Came:
        return came_of(Machine(variant, asked.start, asked.days, asked.seed, scenarios, asked.begin, asked.daily))

    came = run(asked.scenarios)
    if not asked.scenarios:
        return Lived(came, {}, None)
    alone = {one.told: run((one,)) for one in asked.scenarios} if len(asked.scenarios) > 1 else {asked.scenarios[0].told: came}
    return Lived(came, alone, run(()))


def year_document(variant: EvaluatedTrain, asked: YearAsked) -> dict[str, Any]:
    """The whole document."""
    return document_of(lived(variant, asked), asked)


def document_of(found: Lived, asked: YearAsked) -> dict[str, Any]:
    """The document of a year that was run."""
    came, start = found.came, asked.start
    year = came.year
    begins = [{"at": moment(start, max(one.begin, 0.0) * 1440), "stage": None, "kind": one.name, "message": one.words} for one in year.scenarios]
    events = [{"at": moment(start, event.at), "stage": event.stage, "kind": event.kind, "message": event.message} for event in year.events]
    noticed = [{"at": moment(start, one.at), "what": one.what, "prevented_by": one.prevented_by} for one in notices(*found)]
    document: dict[str, Any] = {
        "format": FORMAT,
        "engine": ENGINE,
        "seed": asked.seed,
        "start": start.isoformat(),
        "days": asked.days,
        "scenarios": [one.told for one in year.scenarios],
        "totals": _amounts(came.totals),
        "balances": {name: balance.as_json() for name, balance in came.balances.items()},
        "daily": daily(came),
        "events": sorted(begins + events, key=lambda event: str(event["at"])),
        "notices": noticed,
        "minutes_beyond": _amounts(came.minutes_beyond),
        "against_design": [row.as_json() for row in against_design(came)],
    }
    if asked.runs:
        document["spread"] = {name: each.as_json() for name, each in spread(year.variant, asked).items()}
    if asked.began_from is not None:
        document["began_from"] = dict(asked.began_from)
    return document


def _amounts(found: Mapping[str, YearTotal]) -> dict[str, Any]:
    return {name: amount.as_json() for name, amount in found.items()}


def daily(came: Came) -> dict[str, Any]:
    """The days, and every series by day."""
    start = came.year.start
    found: dict[str, Any] = {"date": [(start + dt.timedelta(days=day)).isoformat() for day in range(came.year.days)]}
    for name, unit, low, mean, high in came.series():
        found[name] = {"unit": unit, "low": _numbers(low), "mean": _numbers(mean), "high": _numbers(high)}
    return found


def _numbers(values: Any) -> list[float]:
    return [rounded(value) for value in values.tolist()]


def year_schema() -> dict[str, Any]:
    """The JSON Schema of ``cairn-year/1``."""
    text, number = {"type": "string"}, {"type": "number"}
    amount = obj({"value": number, "unit": text})
    amounts = {"type": "object", "additionalProperties": {"$ref": "#/$defs/amount"}}
    series = obj({"unit": text, "low": array(number), "mean": array(number), "high": array(number)})
    ref = {"$ref": "#/$defs/amount"}
    balance = obj({"in": ref, "out": ref, "held": ref, "residue_percent": number})
    stock = obj({"value": number, "unit": text, "from": {"enum": ["read", "reckoned"]}})
    properties = {
        "format": {"const": FORMAT}, "engine": text, "seed": {"type": "integer"}, "start": text, "days": {"type": "integer", "minimum": 1},
        "scenarios": array(text), "totals": amounts, "balances": {"type": "object", "additionalProperties": balance},
        "daily": {"type": "object", "properties": {"date": array(text)}, "additionalProperties": {"$ref": "#/$defs/series"}, "required": ["date"]},
        "events": array(obj({"at": text, "stage": {"type": ["string", "null"]}, "kind": text, "message": text})),
        "notices": array(obj({"at": text, "what": text, "prevented_by": text})),
        "spread": {"type": "object", "additionalProperties": obj({"p5": number, "p50": number, "p95": number, "unit": text})},
        "minutes_beyond": amounts, "against_design": array(obj({"figure": text, "design": ref, "year": ref, "why": text})),
        "began_from": obj({"log_until": {"type": ["string", "null"]}, "stocks": {"type": "object", "additionalProperties": stock}}),
    }  # fmt: skip
    required = [name for name in properties if name not in ("spread", "began_from")]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "$defs": {"amount": amount, "series": series}} | obj(properties, required)
