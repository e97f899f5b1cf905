"""The JSON Schema of ``cairn-design/1``."""

from __future__ import annotations

from typing import Any

from ..commissioning.step import PHASES, WHERE, WHO
from ..job.prices import GROUPS
from ..language.analytes import analytes
from ..language.schema import array, obj, shared
from ..operation.maintenance.upkeep import BASES, DAY, HOUR
from ..operation.maintenance.upkeep import WHO as OF
from ..treatments import ROOMS
from .costs import FIRST, PAYS_FOR, REPLACED, YEARLY
from .design_file import FORMAT, PIPE

#: what every line of the materials list says
MATERIAL = ("group", "key", "what", "quantity", "sample_price", "price", "sample", "note")


def design_schema() -> dict[str, Any]:
    """The JSON Schema of ``cairn-design/1``."""

    text, number = {"type": "string"}, {"type": "number"}
    quantity = obj({"value": number, "unit": text})
    nullable = {"anyOf": [quantity, {"type": "null"}]}
    line = obj(
        {
            "symbol": text,
            "expression": text,
            "with_numbers": text,
            "where": {"type": "object", "additionalProperties": text},
            "result": text,
            "source": text,
        }
    )
    figure = obj({"value": number, "unit": text, "working": array(line)})
    state = obj({"low": number, "high": {"type": ["number", "null"]}, "design": number, "unit": text, "from": text})
    amount = obj({"value": number, "unit": text, "low": number, "high": number}, required=["value", "unit"])
    water = {"type": "object", "additionalProperties": amount, "propertyNames": {"enum": list(analytes())}}
    stage = obj({
        "id": text, "kind": {"enum": list(ROOMS)}, "name": text, "purpose": text, "reasons": array(text), "schools": array(text), "params": {"type": "object"},
        "figures": {"type": "object", "additionalProperties": figure}, "water_in": water, "water_out": water,
        "pressure_loss_clean": quantity, "pressure_loss_dirty": quantity,
        "feed_limits": array(obj({"analyte": text, "low": nullable, "high": nullable, "because": text, "source": text, "own": {"type": "boolean"}})),
        "cautions": array(text), "runners_up": array(text),
    })  # fmt: skip
    finding = obj(
        {
            "rule": text,
            "severity": {"enum": ["danger", "fault", "caution", "advice"]},
            "stage": {"type": ["string", "null"]},
            "message": text,
            "remedy": text,
            "source": text,
            "waived": {"type": ["string", "null"]},
        }
    )
    train = {
        "train": array(stage), "finished_water": water,
        "hydraulics": obj({"profile": array(obj({"at": text, "clean": quantity, "dirty": quantity})), "residual_clean": figure, "residual_dirty": figure}),
        "findings": array(finding),
    }  # fmt: skip
    not_used = {"type": "object", "additionalProperties": text}
    limit = {"type": ["number", "null"]}
    properties = {
        "format": {"const": FORMAT}, "engine": text, "job": obj({"name": text, "standard": text, "units": text}),
        "assumptions": array(obj({"path": text, "value": text, "why": text})),
        "design_water": {"type": "object", "additionalProperties": state},
        "taps": {"type": "object", "additionalProperties": state},
        "needs": array(obj({"goal": text, "why": text, "limit": obj({"value": limit, "unit": text}), "value": quantity, "health": {"type": "boolean"}, "source": text})),
        "demand": obj({"daily_use": figure, "peak_flow": figure, "design_flow": figure}),
        **train, "next_tests": array(obj({"analyte": text, "decides": array(text), "rank": number})), "caution": text,
        "commissioning": commissioning_schema(quantity, nullable, line),
        "upkeep": array(obj({
            "id": text, "stage": {"type": ["string", "null"]}, "task": text, "do": array(text), "why": text,
            "every": obj({"value": number, "unit": {"enum": [DAY, HOUR]}, "low": number, "high": number}), "basis": {"enum": list(BASES)}, "quantity": nullable,
            "who": {"enum": list(OF)}, "hands_on": quantity, "cautions": array(text), "working": array(line), "source": text,
        })),
        "likely_causes": array(obj({"observation": text, "said": text, "cause": text, "standing": text, "tell": text, "test": text, "curable": {"type": "boolean"}})),
        "alternatives": array(obj({"title": text, "train": array({"enum": list(ROOMS)}), "complete": {"type": "boolean"}, "differs": array(text)})),
        "wall": obj({
            "units": array(obj({"id": text, "x": quantity, "foot": quantity, "width": quantity, "height": quantity, "depth": quantity})), "width": quantity,
            "pipe": obj(dict.fromkeys(PIPE, quantity)), "fittings": {"type": "object", "additionalProperties": number}, "findings": array(finding),
        }),
        "materials": array(obj({"group": {"enum": list(GROUPS)}, "key": text, "what": text, "quantity": quantity, "sample_price": number,
            "price": text, "sample": {"type": "boolean"},
            "note": text, "code": text}, required=list(MATERIAL))),
        "costs": costs_schema(line), "choice": obj({"first": text, "total": text, **dict.fromkeys(("salt", "drain_water", "wall", "upkeep_hours"), quantity)}),
        "proposal": obj({**train, "not_used": not_used, "repair": obj({"train": array({"enum": list(ROOMS)}), "changes": array(text)})}), "not_used": not_used,
    }  # fmt: skip
    required = [name for name in properties if name not in ("proposal", "not_used")]
    return shared(
        {
            "$schema": "https://json-schema.org/draft/2020-12/schema",
            "$id": "cairn-design/1",
            "title": "Vivid Cairn design",
            **obj(properties, required=required),
        }
    )


def commissioning_schema(quantity: dict[str, Any], nullable: dict[str, Any], line: dict[str, Any]) -> dict[str, Any]:
    """The schema of the run sheet in it."""
    text, number, flag = {"type": "string"}, {"type": "number"}, {"type": "boolean"}
    end = {"type": ["number", "null"]}
    reading = obj({"key": text, "unit": text, "low": end, "high": end, "working": array(line)})
    step = obj({
        "id": text, "phase": {"enum": list(PHASES)}, "stage": {"type": ["string", "null"]}, "title": text, "do": array(text), "why": text, "bad_sign": text,
        "hazards": array(text), "who": {"enum": list(WHO)}, "tools": array(text), "needs": array(obj({"id": text, "after": nullable})),
        "hands_on": quantity, "wait": nullable, "water_off": flag, "where": {"enum": list(WHERE)}, "critical": flag, "readings": array(reading), "source": text,
    })  # fmt: skip
    visit = obj({
        "number": number, "day": number, "at": {"type": "string", "pattern": "^[0-2][0-9]:[0-5][0-9]$"}, "length": quantity, "steps": array(text),
        "hands_on": quantity, "water_off": quantity, "bring": array(text),
    })  # fmt: skip
    totals = obj({"hands_on": quantity, "elapsed": quantity, "water_off": quantity, "visits": number})
    return obj({"steps": array(step), "visits": array(visit), "totals": totals})


def costs_schema(line: dict[str, Any]) -> dict[str, Any]:
    """The JSON Schema of what a train costs; amounts are texts of two places."""
    amount = {"type": "string", "pattern": r"^\d+\.\d\d$"}
    spread = obj({"low": amount, "value": amount, "high": amount})
    text, number = {"type": "string"}, {"type": "number"}
    one = obj({
        "what": text, "of": {"enum": list(PAYS_FOR)}, "stage": {"type": ["string", "null"]}, "kind": {"enum": [FIRST, YEARLY, REPLACED]},
        "every_years": {"type": ["number", "null"]}, "amount": amount, "sample": {"type": "boolean"}, "working": array(line),
    })  # fmt: skip
    return obj({
        "currency": text, "sample_prices": {"type": "boolean"}, "years": number, "rate": number, "first": spread, "yearly": spread, "total": spread,
        "per_thousand_litres": spread, "lines": array(one),
    })  # fmt: skip
