"""Pieces of JSON Schemas that the formats share."""

from __future__ import annotations

import json
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


LARGE = 240  # characters from which a schema that comes twice is written once


def shared(schema: Schema) -> Schema:
    """The same schema with every large part that comes more than once written once, under ``$defs`` by the name it first had."""
    counts: dict[str, int] = {}

    def count(node: Any) -> None:
        if isinstance(node, dict):
            if node.get("type") == "object" and len(text := json.dumps(node, sort_keys=True)) >= LARGE:
                counts[text] = counts.get(text, 0) + 1
            for each in node.values():
                count(each)
        elif isinstance(node, list):
            for each in node:
                count(each)

    count(schema)
    names: dict[str, str] = {}
    definitions: Schema = {}

    def written(node: Any, name: str) -> Any:
        if isinstance(node, list):
            return [written(each, name) for each in node]
        if not isinstance(node, dict):
            return node
        text = json.dumps(node, sort_keys=True)
        if counts.get(text, 0) < 2:
            return {key: written(each, key) for key, each in node.items()}
        if text not in names:
            names[text] = name if name not in definitions else f"{name}_{len(definitions)}"
            definitions[names[text]] = {}
            definitions[names[text]] = {key: written(each, key) for key, each in node.items()}
        return {"$ref": f"#/$defs/{names[text]}"}

    found = {key: written(each, key) for key, each in schema.items()}
    return found | ({"$defs": definitions} if definitions else {})
