"""The one door between the database and the core: rows -> job document -> design, and a document -> rows."""

from __future__ import annotations

import copy
import datetime as dt
import json
from typing import Any

from django.db import transaction

from treatment.design import Design
from treatment.house.pipes import unmade
from treatment.job.working import working_values
from treatment.job_file import FORMAT, read_job, read_train
from treatment.job_file import Job as CoreJob
from treatment.language.quantity import canonical_unit
from treatment.language.spec import Measure

from ..records.catalogue import Catalogue
from ..records.firm import Workspace
from ..records.job import Job, Survey, advance
from ..records.sample import Reading, Sample
from ..records.train import Revision, TrainOption
from .catalogues import document_of
from .places import COLUMNS, MEASURED, put, take
from .remembered import of_firm


def job_document(job: Job, train: list[dict[str, Any]] | None) -> dict[str, Any]:
    """The ``cairn-job/1`` document of a job; train None lets the planner compose it."""
    survey: Survey = job.survey
    document: dict[str, Any] = {"format": FORMAT, "job": {"name": job.name, "standard": job.standard, "units": job.units}}
    document |= copy.deepcopy(survey.rest)
    if job.workspace.bags:
        own = {
            path: {"value": bag["value"], "unit": working_values()[path].unit, "reason": "the company's bags"}
            for path, bag in job.workspace.bags.items()
        }
        document["working_values"] = own | document.get("working_values", {})
    if job.catalogue is not None:
        document["catalogue"] = document_of(job.catalogue)
    if charged := _charged(job.workspace, document.get("catalogue")):
        own = document.get("firm", {})
        document["firm"] = {**charged, **own, "prices": charged.get("prices", {}) | own.get("prices", {})}
    for name, column in COLUMNS.items():
        value = getattr(survey, name)
        if value in (None, "") or (name == "pipe_size_m" and unmade(survey.pipe_material or None, value)):
            continue  # a size that was kept before its material was told, or known, is asked for anew; the job is worked without it
        put(document, column.part, column.key, _written(survey, name, value))
    if survey.fixtures:
        put(document, "building", "fixtures", survey.fixtures)
    if survey.observations:
        document["observations"] = survey.observations
    document["samples"] = [
        sample_document(sample) for sample in sorted(job.samples.all(), key=lambda sample: (sample.taken_on or dt.date.min, sample.pk))
    ]
    document["train"] = train
    return document


def _charged(workspace: Workspace, catalogue: dict[str, Any] | None) -> dict[str, Any]:
    """What the company charges; nothing beside a catalogue, such as one that came with a file, that is in another currency."""
    found = firm_of(workspace)
    return {} if catalogue is not None and found.get("currency", catalogue["currency"]) != catalogue["currency"] else found


def firm_of(workspace: Workspace) -> dict[str, Any]:
    """What a company charges, as a job file writes it; empty where it has said nothing."""
    found: dict[str, Any] = dict(workspace.rates)
    if workspace.currency.strip():
        found["currency"] = workspace.currency.strip()
    if workspace.prices:
        found["prices"] = {key: f"{price:.12g}" for key, price in workspace.prices.items()}
    return found


def _written(survey: Survey, name: str, value: Any) -> Any:
    """A column as a person wrote it, or in canonical units where the text was not kept."""
    if name not in MEASURED:
        return value
    text = survey.typed.get(name)
    spec = COLUMNS[name].spec
    if isinstance(spec, Measure):
        return text or f"{value!r} {canonical_unit(spec.dimension)}"
    return value


def sample_document(sample: Sample) -> dict[str, Any]:
    """A sample as a job file writes it."""
    facts: dict[str, Any] = {"point": sample.point, "readings": {reading.analyte: reading.typed for reading in sample.readings.all()}}
    if sample.taken_on:
        facts["taken_on"] = sample.taken_on.isoformat()
    for name in ("draw", "weather", "method"):
        if getattr(sample, name):
            facts[name] = getattr(sample, name)
    if sample.aside:
        facts["seen"] = [{"name": row["name"][:200], "result": row["text"][:200], "limit": row.get("limit", "")[:200]} for row in sample.aside[:400]]
    return facts


def design_of(job: Job, train: list[dict[str, Any]] | None) -> Design:
    """The design of a job with this train. Raises BadDocument where a stored train can no longer be read."""
    document = job_document(job, None)
    document["samples"] = document["samples"] or [{"readings": {}}]
    worked = of_firm(job.workspace_id).design(json.dumps(document, sort_keys=True), dt.date.today().isoformat())
    return worked if train is None else worked.with_train(read_train(train))


@transaction.atomic
def store(document: dict[str, Any], workspace: Workspace, user: Any, catalogue: Catalogue | None = None) -> Job:
    """A new job from a job document, built of one of the company's catalogues. Raises BadDocument with every fault; nothing is stored then."""
    facts: CoreJob = read_job(document)
    rest = copy.deepcopy(document)
    for name in ("format", "job", "samples", "train"):
        rest.pop(name, None)
    about = facts.facts.job
    job = Job.objects.create(
        workspace=workspace,
        name=about.name or "Imported job",
        standard=about.standard,
        units=about.units,
        catalogue=catalogue,
        updated_by=user if user and user.pk else None,
    )
    survey = Survey(job=job, observations=rest.pop("observations", None) or [], fixtures=take(rest, "building", "fixtures") or {})
    for name, column in COLUMNS.items():
        raw = take(rest, column.part, column.key)
        if raw is not None:
            setattr(survey, name, column.spec.read(raw, "", []))
            if name in MEASURED:
                survey.typed[name] = str(raw)
    survey.rest = {name: value for name, value in rest.items() if value not in (None, {}, [])}
    survey.save()
    for sample in facts.facts.samples:
        store_sample(job, sample)
    if document.get("train") is not None:
        advance(job, "designed")
        option = TrainOption.objects.create(job=job, updated_by=job.updated_by)
        Revision.objects.create(option=option, number=0, stages=document["train"], summary="imported", made_by=job.updated_by)
    return job


def store_sample(job: Job, facts: Any, aside: list[dict[str, str]] | None = None) -> Sample:
    """A sample of the core as rows; aside: rows of a report that were kept with it as they stood."""
    advance(job, "tested")
    sample = Sample.objects.create(
        job=job,
        taken_on=facts.taken_on,
        point=facts.point,
        draw=facts.draw or "",
        weather=facts.weather or "",
        method=facts.method or "",
        aside=[{"name": row.name, "text": row.result, "why": "not used", "limit": row.limit} for row in facts.seen] if aside is None else aside,
    )
    Reading.objects.bulk_create(reading_row(sample, reading) for reading in facts.readings.values())
    return sample


def reading_row(sample: Sample, reading: Any) -> Reading:
    """The row of a parsed reading."""
    from treatment.language.analytes import analytes

    return Reading(
        sample=sample, analyte=reading.analyte, low=reading.low, high=reading.high, qualifier=reading.qualifier,
        unit=analytes()[reading.analyte].unit, typed=reading.typed, note=reading.note[:200],
    )  # fmt: skip
