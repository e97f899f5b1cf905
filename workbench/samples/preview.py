"""A report on the page before anything is stored: each sample it holds, each row as it would be taken, and what a person chose instead."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from django.utils import timezone

from intake.scans import Box
from treatment.evidence.reports.report import Report, ReportRow
from treatment.evidence.untreated import Untreated, judged
from treatment.job.facts import SampleFacts, SeenRow
from treatment.language.analytes import analytes, find_analyte
from treatment.language.errors import NotUnderstood
from treatment.language.reading import Reading, parse_reading

from ..records.job import Job
from ..request import whole
from .forms import SampleForm
from .views import Chip, chip

MOST_SHOWN, MOST_SAMPLES, LONGEST = 400, 24, 200


@dataclass
class PreviewRow:
    """number: its place on the page; at, name, printed: as in the report; text, key: what it is taken for; was, was_key: what was proposed;

    units: to choose from where the report gives none that fits; flag: what the laboratory says against it; box: where it stands on a picture.
    """

    number: int
    at: str
    name: str
    printed: str
    text: str
    key: str
    sure: str
    problem: str
    reading: Reading | None = None
    chip: Chip | None = None
    was: str = ""
    was_key: str = ""
    why: str = ""
    units: list[str] = field(default_factory=list)
    unit: str = ""
    limit: str = ""
    told: Untreated | None = None
    flag: str = ""
    box: Box | None = None

    @property
    def cut(self) -> str:
        """The part of its page that shows it, as a drawing's frame."""
        return " ".join(f"{value:g}" for value in self.box[1:]) if self.box else ""

    @property
    def whole(self) -> str:
        """What is read: the text, with the unit that was chosen for it in place of one that does not tell enough."""
        if not self.unit:
            return self.text
        number = re.match(r"\s*[<>≤≥]?\s*[\d.,]+", self.text)
        return f"{number[0].strip()} {self.unit}" if number else f"{self.text} {self.unit}"

    @property
    def added(self) -> str:
        """The unit that a person had to add to the result."""
        if self.unit:
            return self.unit
        return self.text[len(self.was) :].strip()[:30] if self.text.startswith(self.was) and self.text != self.was else ""

    @property
    def touched(self) -> bool:
        """Whether a person wrote or chose something else than was proposed."""
        return self.text != self.was or self.key != self.was_key or bool(self.unit)


@dataclass
class PreviewSample:
    """One sample of the report: its facts, its rows, and whether it is to be kept."""

    index: int
    label: str
    form: SampleForm
    rows: list[PreviewRow]
    take: bool = True


def of_report(report: Report, job: Job, boxes: Mapping[str, Box] | None = None) -> tuple[list[PreviewSample], int]:
    """The samples of a report as the page shows them, and how many rows are left out."""
    shown, count = [], 0
    for index, sample in enumerate(report.samples[:MOST_SAMPLES]):
        rows = [_shown(count + k, row, job, (boxes or {}).get(row.at)) for k, row in enumerate(sample.rows[: MOST_SHOWN - count])]
        count += len(rows)
        initial = {"method": "laboratory", "taken_on": sample.taken_on, "point": sample.point or "raw"}
        shown.append(PreviewSample(index, sample.label, SampleForm(initial=initial, prefix=f"new{index}"), rows))
    return [sample for sample in shown if sample.rows], sum(len(sample.rows) for sample in report.samples) - count


def _shown(number: int, row: ReportRow, job: Job, box: Box | None) -> PreviewRow:
    printed = f"{row.result} {row.unit}".strip()
    text = row.reading.typed if row.reading else "" if box and row.status == "ask" else printed  # of a picture a person enters what is in doubt
    key = row.analyte.key if row.analyte and row.status != "aside" else ""
    shown = PreviewRow(
        number, row.at, row.label, printed, text[:LONGEST], key, row.status, row.why, row.reading, was=text[:LONGEST], was_key=key, why=row.why
    )
    shown.limit, shown.told = row.limit[:LONGEST], _told(row.label, printed, row.limit, job) if row.reading is None else None
    shown.chip = chip(row.reading, job.standard) if row.reading else None
    shown.units = _units(key, shown.reading) if text else []
    shown.flag, shown.box = row.flag, box
    return shown


def _told(name: str, printed: str, limit: str, job: Job) -> Untreated | None:
    """What must be told of a row that is not used; None where nothing has to be."""
    return judged(SeenRow(name[:LONGEST], printed[:LONGEST], limit[:LONGEST]), SampleFacts(), job.standard, timezone.localdate())


def _units(key: str, reading: Reading | None) -> list[str]:
    """Units to choose from, where a row is known and cannot be read."""
    if not key or reading is not None:
        return []
    analyte = analytes()[key]
    return [f"mg/L as {basis}" for basis in analyte.basis] if analyte.ambiguous_basis else analyte.accepted_units()


def posted_row(data: Mapping[str, Any], number: int, job: Job) -> PreviewRow:
    """A row as it came back, with what a person chose."""
    said = {
        part: str(data.get(f"{part}-{number}", ""))[: LONGEST + 1]
        for part in ("at", "name", "printed", "text", "key", "was", "was_key", "why", "unit", "limit", "flag")
    }
    row = PreviewRow(
        number,
        said["at"],
        said["name"],
        said["printed"],
        said["text"],
        said["key"],
        "aside",
        "",
        was=said["was"],
        was_key=said["was_key"],
        why=said["why"],
        limit=said["limit"],
        flag=said["flag"],
    )
    row.told = _told(row.name, row.printed, row.limit, job)
    if not row.key:
        row.problem = row.why if not row.touched else ""
        return row
    analyte = find_analyte(row.key)
    if analyte is None:
        row.problem, row.sure = "Choose an analyte from the list, or set the row to “not used”.", "ask"
        return row
    if said["unit"] in analyte.accepted_units() and row.text == row.was:
        row.unit, row.units = said["unit"], _units(row.key, None)
    try:
        row.reading = parse_reading(analyte, row.whole)
    except NotUnderstood as error:
        row.problem, row.sure = (row.why if not row.touched and row.why else str(error)), "ask"
        row.units = _units(row.key, None)
        return row
    if row.flag and not row.touched:
        row.reading = replace(row.reading, note="; ".join(filter(None, (row.reading.note, f"the laboratory says: {row.flag}"))))
    row.chip, row.told = chip(row.reading, job.standard), None
    row.problem = row.reading.note or ("" if row.touched else row.why)
    row.sure = "check" if row.problem else "sure"
    return row


def posted(data: Mapping[str, Any], job: Job) -> list[PreviewSample]:
    """The samples as they came back."""
    samples: list[PreviewSample] = []
    count = min(whole(str(data.get("count", ""))) or 0, MOST_SHOWN)
    by_sample: dict[int, list[PreviewRow]] = {}
    for number in range(count):
        by_sample.setdefault(whole(str(data.get(f"sample-{number}", "0"))) or 0, []).append(posted_row(data, number, job))
    for index, rows in sorted(by_sample.items()):
        form = SampleForm(data, prefix=f"new{index}")
        samples.append(PreviewSample(index, str(data.get(f"label-{index}", ""))[:120], form, rows, f"take-{index}" in data))
    return samples
