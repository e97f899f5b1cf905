"""What was taken out, so that it can be put back: a reading as a line to type, a sample as a job file writes it with its rows aside."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from django.urls import reverse

from treatment.job.facts import SampleFacts
from treatment.language.errors import BadDocument, Fault
from treatment.language.spec import Record

from ..outcome import Done
from ..readers import written
from ..records.job import Job
from ..records.sample import Sample
from ..repository.door import sample_document, store_sample
from ..usecases.acting import use_case
from ..usecases.jobs import bump, hold

MOST_ASIDE = 400


@dataclass(frozen=True)
class Undo:
    """words: what was taken out; address, fields: what puts it back when it is posted."""

    words: str
    address: str
    fields: dict[str, str]


def of_reading(job: Job, sample: Sample, name: str, typed: str) -> Undo:
    """How a reading comes back."""
    return Undo(f"{name} {typed}", reverse("readings-add", args=[job.pk, sample.pk]), {"line": f"{name} {typed}"})


def of_sample(job: Job, sample: Sample) -> Undo:
    """How a sample comes back."""
    kept = json.dumps({"sample": sample_document(sample), "aside": sample.aside, "report": sample.report_id})
    day = f" of {written(sample.taken_on, 'j M Y')}" if sample.taken_on else ""
    return Undo(f"The sample{day} with its readings", reverse("sample-restore", args=[job.pk]), {"kept": kept})


@use_case("job.change")
def put_back(job: Job, text: str, user: Any) -> Done[None]:
    """Store a sample that was taken out. Raises BadDocument where it was not sent completely."""
    try:
        kept = json.loads(text)
        sample, aside = kept["sample"], kept["aside"]
        whole = isinstance(aside, list) and all(isinstance(row, dict) and all(isinstance(each, str) for each in row.values()) for row in aside)
    except (ValueError, KeyError, TypeError, RecursionError):
        whole = False
    faults: list[Fault] = [] if whole else [Fault("$", "it was not sent completely")]
    facts = Record(SampleFacts).read(sample, "$.sample", faults) if whole else None
    if faults or facts is None:
        raise BadDocument(faults)
    hold(job)
    stored = store_sample(job, facts, aside[:MOST_ASIDE])
    if (report := kept.get("report")) and isinstance(report, int):
        stored.report = job.reports.defer("content").filter(pk=report).first()
        stored.save(update_fields=["report"])
    bump(job, user)
    return Done(None)
