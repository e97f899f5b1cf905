"""What a designer decides beside the train: schools, wishes without a column, limits of the job's own, findings accepted.

All of it lives in the part of the survey that has no columns, written as a job file writes it, read by the core.
"""

from __future__ import annotations

from typing import Any

from django import forms
from django.db import transaction

from treatment.job.facts import OwnLimits, Waivers
from treatment.job.working import OwnValues, WorkingValue, told, working_values
from treatment.language.analytes import find_analyte
from treatment.language.errors import Fault
from treatment.language.spec import BAD

from ..fields import offer, sentence
from ..jobs.document_form import Ask, DocumentForm, EntryForm, locked, set_part
from ..jobs.models import Job
from .services import Refused

SCHOOL_WORDS = {
    "exchange": "softener where soft water is wished (our default)", "scale_control": "crystallisation: hardness stays", "citrate": "citrate: hardness stays",
    "none": "leave hardness alone",
    "uv": "light (our default)", "barrier": "barrier elements: bacteria and cysts, not viruses", "chlorine": "chlorine with contact: a residual, not against cysts",
    "auto": "first on chlorinated water, else after (our default)", "first": "carbon first: spares the resin", "after_softener": "softener first: spares the carbon",
    "exponential": "falls exponentially (our default)", "linear": "the linear school, T°F / 77",
}  # fmt: skip


class PanelForm(DocumentForm):
    """Schools, wishes and rain."""

    FIELDS = {
        "hardness": Ask("schools", "hardness", "Hardness", words=SCHOOL_WORDS),
        "disinfection": Ask("schools", "disinfection", "Disinfection", words=SCHOOL_WORDS),
        "carbon_order": Ask("schools", "carbon_order", "Carbon and softener", words=SCHOOL_WORDS),
        "ro_temperature": Ask("schools", "ro_temperature", "Membrane output in the cold", words=SCHOOL_WORDS),
        "high_purity": Ask("wishes", "high_purity", "Rinse or process water is wanted"),
        "drinking_tap_only": Ask("wishes", "drinking_tap_only", "Only at the drinking tap", "nitrate, arsenic"),
        "roof_area": Ask("source.rain", "roof_area", "Roof that catches rain", "1200 ft2"),
        "runoff": Ask("source.rain", "runoff", "Share that runs off", "85 %"),
        "first_flush": Ask("source.rain", "first_flush", "First flush", "15 gal"),
        "monthly_rain": Ask("source.rain", "monthly_rain", "Rain by month, twelve values", "3.1 in; 2.8 in; …"),
    }


@transaction.atomic
def waive(job: Job, rule: str, stage: str, reason: str, user: Any) -> None:
    """Accept a finding with a reason, or take that back with an empty one. Raises Refused."""
    kept = [row for row in locked(job).rest.get("waivers", []) if (row.get("rule"), row.get("stage", "")) != (rule, stage)]
    if reason.strip():
        kept.append({"rule": rule[:80], "stage": stage[:40], "reason": " ".join(reason.split())[:300]})
    faults: list[Fault] = []
    if Waivers().read(kept, "", faults) is BAD or faults:
        raise Refused("", sentence(faults[0].message))
    set_part(job, "waivers", kept, user)


class LimitForm(EntryForm):
    """A limit of the job's own."""

    PART, SPEC, FALLBACK = "limits", OwnLimits(), "analyte"

    analyte = forms.CharField(label="Analyte", max_length=60)
    high = forms.CharField(label="At most, with unit", max_length=80)
    field_order = ("analyte", "high", "reason")

    @property
    def key(self) -> str:
        found = find_analyte(self.cleaned_data["analyte"])
        return found.key if found else str(self.cleaned_data["analyte"])

    @property
    def row(self) -> dict[str, str]:
        return {"high": self.cleaned_data["high"], "reason": self.why}


class WorkingForm(EntryForm):
    """A working value of the job's own."""

    PART, SPEC, FALLBACK = "working_values", OwnValues(), "value"

    path = forms.ChoiceField(label="Value")
    value = forms.CharField(label="Yours, in the unit shown", max_length=40)
    field_order = ("path", "value", "reason")

    def __init__(self, data: Any = None) -> None:
        super().__init__(data)
        groups: dict[str, list[tuple[str, str]]] = {}
        for each in working_values().values():
            groups.setdefault(each.group, []).append((each.path, f"{each.words}: {each.value:g} {each.unit}".rstrip()))
        offer(self.fields["path"], [("", "choose one"), *groups.items()])
        self.auto_id = "working_%s"

    @property
    def key(self) -> str:
        return str(self.cleaned_data["path"])

    @property
    def row(self) -> dict[str, str]:
        unit = working_values()[self.key].unit
        return {"value": self.cleaned_data["value"], "reason": self.why} | ({"unit": unit} if unit else {})


def own_values(job: Job) -> list[tuple[WorkingValue, str, str]]:
    """The job's own working values: ours, both in words, the reason."""
    held = OwnValues().read(job.survey.rest.get("working_values", {}), "", [])
    return [(working_values()[path], told(path, own), own.reason) for path, own in held.items()]
