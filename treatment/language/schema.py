"""Pieces of JSON Schemas that the formats share."""

from __future__ import annotations

from typing import Any

Schema = dict[str, Any]


def obj(properties: Schema, required: list[str] | None = None) -> Schema:
    """The schema of an object with just these keys, all of them required unless said otherwise."""
    return {"type": "object", "properties": properties, "additionalProperties": False, "required": list(properties) if required is None else required}


def array(items: Schema) -> Schema:
    """The schema of a list."""
    return {"type": "array", "items": items}


def maybe(schema: Schema) -> Schema:
    """The same, or null."""
    return {"anyOf": [schema, {"type": "null"}]}
