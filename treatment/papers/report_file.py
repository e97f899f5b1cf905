"""A report that was read, as the document ``cairn-report/1``."""

from __future__ import annotations

from typing import Any

from ..evidence.reports.report import Report, ReportRow
from ..language.analytes import analytes

FORMAT = "cairn-report/1"


def report_document(report: Report, file: str) -> dict[str, Any]:
    """What a file was read as: every printed row, by sample. ``why`` at the top where it held nothing."""
    document: dict[str, Any] = {
        "format": FORMAT,
        "file": file,
        "samples": [
            {
                "taken_on": sample.taken_on.isoformat() if sample.taken_on else None,
                "point": sample.point,
                "label": sample.label,
                "rows": [_row(row) for row in sample.rows],
            }
            for sample in report.samples
        ],
    }
    return document | ({"why": report.why} if report.why else {})


def _row(row: ReportRow) -> dict[str, Any]:
    reading = row.reading
    return {
        "at": row.at,
        "label": row.label,
        "result": row.result,
        "unit": row.unit,
        "status": row.status,
        "analyte": row.analyte.key if row.analyte else None,
        "reading": reading.typed if reading else None,
        "low": reading.low if reading else None,
        "high": reading.high if reading else None,
        "canonical_unit": analytes()[row.analyte.key].unit if row.analyte else None,
        "why": row.why,
    }


def report_schema() -> dict[str, Any]:
    """The JSON Schema of ``cairn-report/1``."""
    text, number = {"type": "string"}, {"type": ["number", "null"]}
    row = {
        "type": "object",
        "additionalProperties": False,
        "required": ["at", "label", "result", "unit", "status", "analyte", "reading", "low", "high", "canonical_unit", "why"],
        "properties": {
            "at": text | {"description": "sheet!row of a spreadsheet, page:line of a PDF, or the line of the file"},
            "label": text | {"description": "the name as it is printed"},
            "result": text | {"description": "the result as it is printed"},
            "unit": text | {"description": "the unit as it is printed"},
            "status": {
                "enum": ["sure", "check", "ask", "aside"],
                "description": "taken; taken, to be looked at; a person must choose; kept, not read",
            },
            "analyte": {"enum": [*analytes(), None]},
            "reading": {"type": ["string", "null"], "description": "as a job file writes it"},
            "low": number | {"description": "in the canonical unit"},
            "high": number | {"description": "in the canonical unit; null is open above"},
            "canonical_unit": {"type": ["string", "null"]},
            "why": text | {"description": "what speaks against being sure; empty where nothing does"},
        },
    }
    sample = {
        "type": "object",
        "additionalProperties": False,
        "required": ["taken_on", "point", "label", "rows"],
        "properties": {
            "taken_on": {"type": ["string", "null"], "format": "date"},
            "point": {"type": ["string", "null"]},
            "label": text,
            "rows": {"type": "array", "items": row},
        },
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": FORMAT,
        "type": "object",
        "additionalProperties": False,
        "required": ["format", "file", "samples"],
        "properties": {"format": {"const": FORMAT}, "file": text, "samples": {"type": "array", "items": sample}, "why": text},
    }
