"""What can be done to the samples of a job: each is one callable and one transaction."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from django.utils import timezone

from intake.apart import Read, as_stored
from treatment.evidence.entry_line import LineEntry
from treatment.job.facts import SampleFacts
from treatment.language.analytes import analytes, fold
from treatment.language.errors import NotUnderstood
from treatment.language.reading import Reading as CoreReading
from treatment.language.reading import parse_reading

from ..outcome import Done, Refused, one_of
from ..records.job import Job, advance
from ..records.sample import Reading, ReportFile, ReportLayout, ReportPage, Sample
from ..repository.door import reading_row, store_sample
from ..usecases.acting import use_case
from ..usecases.jobs import bump, hold
from .forms import SampleForm

LEFT_LYING = timedelta(days=30)  # how long a report is kept that nobody made a sample of
KINDS = {
    b"PK": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", b"%PDF": "application/pdf", b"\xff\xd8\xff": "image/jpeg",
    b"\x89PNG": "image/png", b"RIFF": "image/webp",
}  # fmt: skip


@dataclass(frozen=True)
class Replaced:
    """A reading that took the place of another: the analyte's name, what stood there, what stands there now."""

    name: str
    was: str
    now: str


@use_case("job.change")
def add_sample(job: Job, user: Any) -> Done[Sample]:
    """An empty sample."""
    hold(job)
    advance(job, "tested")
    sample = Sample.objects.create(job=job)
    bump(job, user)
    return Done(sample)


@use_case("job.change")
def keep_readings(job: Job, sample: Sample, entries: Iterable[LineEntry], user: Any) -> Done[list[Replaced]]:
    """Keep what was understood of a line, one reading of each analyte; what that replaced is told."""
    readings = [entry.reading for entry in entries if entry.reading is not None]
    hold(job)  # one at a time: a sample holds one reading of each analyte
    one_of(Sample, pk=sample.pk)
    stood = {reading.analyte: reading.typed for reading in sample.readings.all()}
    for reading in readings:
        Reading.objects.filter(sample=sample, analyte=reading.analyte).delete()
        reading_row(sample, reading).save()
    if readings:
        bump(job, user)
    return Done(
        [
            Replaced(analytes()[each.analyte].name, stood[each.analyte], each.typed)
            for each in readings
            if stood.get(each.analyte, each.typed) != each.typed
        ]
    )


@use_case("job.change")
def keep_facts(job: Job, form: SampleForm, user: Any) -> Done[None]:
    """Keep when, where and how a sample was taken, from a valid form."""
    form.save()
    bump(job, user)
    return Done(None)


@use_case("job.change")
def drop_sample(job: Job, sample: Sample, user: Any) -> Done[None]:
    """Take a sample and its readings out."""
    hold(job)
    sample.delete()
    bump(job, user)
    return Done(None)


@use_case("job.change")
def drop_reading(job: Job, sample: Sample, analyte: str, user: Any) -> Done[None]:
    """Take one reading out."""
    hold(job)
    Reading.objects.filter(sample=sample, analyte=analyte).delete()
    bump(job, user)
    return Done(None)


@dataclass
class TableTyped:
    """A table of readings as it came back: text by analyte, what each field showed, and what is wrong where."""

    typed: dict[str, str]
    shown: dict[str, str]
    stored: dict[str, str]
    problems: dict[str, str] = field(default_factory=dict)

    def entries(self) -> list[LineEntry]:
        """What was changed and is understood; `problems` tells the rest."""
        found = []
        for name, text in self.typed.items():
            was = self.shown.get(name, "")
            if text != was and self.stored.get(name, "") not in (was, text):
                self.problems[name] = (
                    f"Someone else entered “{self.stored.get(name) or 'nothing'}” here since you opened the page. Enter the correct value."
                )
            elif text and text != was:
                try:
                    found.append(LineEntry(text, parse_reading(analytes()[name], text)))
                except NotUnderstood as error:
                    self.problems[name] = str(error)
        return found


@use_case("job.change")
def keep_table(job: Job, sample: Sample, typed: Mapping[str, str], shown: Mapping[str, str], user: Any) -> Done[None]:
    """Keep a whole table of readings, or nothing: an emptied field takes its reading out. Raises Refused, by analyte."""
    hold(job)
    stored = {reading.analyte: reading.typed for reading in sample.readings.all()}
    table = TableTyped(dict(typed), dict(shown), stored)
    entries = table.entries()
    if table.problems:
        raise Refused(table.problems)
    gone = [name for name in stored if not typed.get(name) and shown.get(name)]
    Reading.objects.filter(sample=sample, analyte__in=gone).delete()
    keep_readings(job, sample, entries, user)
    if gone and not entries:
        bump(job, user)
    return Done(None)


@use_case("job.change")
def keep_samples(job: Job, samples: Iterable[SampleFacts], user: Any) -> Done[None]:
    """Samples that came back from a table of our own."""
    for sample in samples:
        store_sample(job, sample)
    bump(job, user)
    return Done(None)


@use_case("job.change")
def store_report(job: Job, name: str, content: bytes, read: Read, user: Any) -> Done[ReportFile]:
    """Keep a report as it was sent, with what it was read as; those that nobody made a sample of go after a while."""
    job.reports.filter(samples=None, sent_at__lt=timezone.now() - LEFT_LYING).delete()
    kind = next((kind for start, kind in KINDS.items() if content.startswith(start)), "text/plain")
    stored = ReportFile.objects.create(job=job, name=name[:200], kind=kind, content=content, read=as_stored(read), sent_by=user)
    ReportPage.objects.bulk_create(ReportPage(report=stored, number=number, image=image) for number, image in enumerate(read.pages, 1))
    return Done(stored)


@use_case("job.change")
def keep_report(
    job: Job, form: SampleForm, readings: Iterable[CoreReading], aside: list[dict[str, str]], user: Any, report: ReportFile | None = None
) -> Done[None]:
    """The confirmed rows of a laboratory's report as a sample; rows left aside are kept with it as they stand, and so is the report."""
    sample = form.save(commit=False)
    sample.job, sample.aside, sample.report = job, aside, report
    sample.save()
    Reading.objects.bulk_create(reading_row(sample, reading) for reading in readings)
    bump(job, user)
    return Done(None)


@use_case("job.change")
def remember_layout(job: Job, header: str, taken: Iterable[tuple[str, str, str]]) -> Done[None]:
    """How this laboratory's rows (name, analyte or nothing, unit that had to be added) were taken, for its next report."""
    layout, _ = ReportLayout.objects.select_for_update().get_or_create(workspace_id=job.workspace_id, header=header)
    layout.names = layout.names | {fold(name): [key, added] for name, key, added in taken}
    layout.save()
    return Done(None)
