"""The documents that are written from the code: formats and the rule handbook."""

from __future__ import annotations

import io
import json
import sys
from datetime import UTC, datetime
from pathlib import Path

from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from treatment import checks  # noqa: E402
from treatment.audit.rules import RULES  # noqa: E402
from treatment.choices.field import choices_schema  # noqa: E402
from treatment.commissioning.record import record_schema  # noqa: E402
from treatment.job.catalogue import catalogue_schema  # noqa: E402
from treatment.job_file import job_schema  # noqa: E402
from treatment.language.figure import source  # noqa: E402
from treatment.language.messages import FOLDER  # noqa: E402
from treatment.operation.diagnosis.diagnosis import diagnosis_schema  # noqa: E402
from treatment.operation.maintenance.log import log_schema  # noqa: E402
from treatment.papers.design_schema import design_schema  # noqa: E402
from treatment.papers.report_file import report_schema  # noqa: E402
from treatment.year.document import year_schema  # noqa: E402

assert checks  # registers the rules about the whole job


def rules_page() -> str:
    """``docs/rules.md``: every rule the audit knows, by id."""
    lines = [
        "# What the audit looks for", "",
        "Written from the registry by `scripts/write_generated.py`; do not edit. Ids are stable. Where an id holds `<…>`, the part is filled in.", "",
        "Severity: **danger** someone could be hurt · **fault** it will not work · **caution** it will disappoint or wear out · **advice** worth knowing.", "",
        "| rule | looks at | what it finds | source |", "|---|---|---|---|",
    ]  # fmt: skip
    for rule in sorted(RULES, key=lambda rule: (rule.id, rule.kinds)):
        looks = ", ".join(rule.kinds).replace("*", "every stage") if rule.kinds else "the whole job"
        lines.append(f"| `{rule.id}` | {looks} | {' '.join(rule.doc.split())} | {source(rule.source)} |")
    return "\n".join(lines) + "\n"


def compiled(messages: Path) -> bytes:
    """A message file as it is read at run time."""
    with messages.open(encoding="utf-8") as file:
        catalog = read_po(file)
    catalog.creation_date = catalog.revision_date = datetime(2026, 1, 1, tzinfo=UTC)  # the same bytes on any day
    out = io.BytesIO()
    write_mo(out, catalog)
    return out.getvalue()


def generated() -> dict[Path, bytes]:
    """Path -> what it should hold."""
    whole: dict[Path, bytes] = {path: text.encode() for path, text in documents().items()}
    return whole | {path.with_suffix(".mo"): compiled(path) for path in sorted(FOLDER.rglob("*.po"))}


def documents() -> dict[Path, str]:
    """Documents made from the code."""
    formats = ROOT / "docs" / "formats"
    return {
        formats / "cairn-commissioning-1.schema.json": json.dumps(record_schema(), ensure_ascii=False, indent=1) + "\n",
        formats / "cairn-log-1.schema.json": json.dumps(log_schema(), ensure_ascii=False, indent=1) + "\n",
        formats / "cairn-diagnosis-1.schema.json": json.dumps(diagnosis_schema(), ensure_ascii=False, indent=1) + "\n",
        formats / "cairn-job-1.schema.json": json.dumps(job_schema(), ensure_ascii=False, indent=1) + "\n",
        formats / "cairn-design-1.schema.json": json.dumps(design_schema(), ensure_ascii=False, indent=1) + "\n",
        formats / "cairn-report-1.schema.json": json.dumps(report_schema(), ensure_ascii=False, indent=1) + "\n",
        formats / "cairn-choices-1.schema.json": json.dumps(choices_schema(), ensure_ascii=False, indent=1) + "\n",
        formats / "cairn-catalogue-1.schema.json": json.dumps(catalogue_schema(), ensure_ascii=False, indent=1) + "\n",
        formats / "cairn-year-1.schema.json": json.dumps(year_schema(), ensure_ascii=False, indent=1) + "\n",
        ROOT / "docs" / "rules.md": rules_page(),
    }
