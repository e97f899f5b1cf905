"""Job documents that the tests share; each test changes what it is about."""

from __future__ import annotations

import copy
from typing import Any

from ..audit.rules import Finding
from ..design import Design, design
from ..job_file import read_job

ACID_WELL: dict[str, Any] = {
    "format": "cairn-job/1",
    "job": {"name": "Acid well", "standard": "us", "units": "us"},
    "source": {"kind": "drilled_well"},
    "samples": [
        {
            "taken_on": "2026-05-04", "point": "raw", "method": "laboratory",
            "readings": {
                "hardness": "14 gpg", "iron": "2.4 mg/L", "ferrous_iron": "2.4 mg/L", "manganese": "0.04 mg/L", "ph": "6.1",
                "alkalinity": "40 mg/L as CaCO3", "turbidity": "0.5 NTU", "uvt": "88 %", "total_coliform": "present", "e_coli": "absent",
            },
        }
    ],
    "building": {"people": 4, "fixtures": {"wc": 3, "basin": 3, "shower": 2, "bath": 1, "kitchen_sink": 1, "dishwasher": 1, "washer": 1}, "top_fixture_height": "12 ft"},
    "supply": {"flow": "7 gpm", "pressure_low": "40 psi", "pressure_high": "60 psi", "temperature": "52 degF",
    "pipe": {"material": "pex_expansion", "size": "1 in", "length": "40 ft"}},
    "wishes": {"soft_water": True, "safe_to_drink": True},
}  # fmt: skip


def job(
    changes: dict[str, Any] | None = None, *, readings: dict[str, str | None] | None = None, train: list[dict[str, Any]] | None = None
) -> dict[str, Any]:
    """The acid well with parts replaced; a reading of None is taken out."""
    document = copy.deepcopy(ACID_WELL)
    for part, value in (changes or {}).items():
        if isinstance(value, dict):
            document.setdefault(part, {}).update(value)
        else:
            document[part] = value
    for name, text in (readings or {}).items():
        document["samples"][0]["readings"].pop(name, None)
        if text is not None:
            document["samples"][0]["readings"][name] = text
    if train is not None:
        document["train"] = train
    return document


HARD_ONLY: dict[str, str | None] = {
    "iron": "<0.05 mg/L", "ferrous_iron": None, "manganese": "<0.01 mg/L", "ph": "7.6", "alkalinity": "180 mg/L as CaCO3", "hardness": "18 gpg", "total_coliform": "absent",
}  # fmt: skip


def worked(document: dict[str, Any]) -> Design:
    """The design of a document."""
    return design(read_job(document))


def ids(findings: tuple[Finding, ...] | list[Finding], severity: str | None = None) -> set[str]:
    """Rule ids found, of one severity where it is named."""
    return {finding.rule for finding in findings if severity in (None, finding.severity)}
