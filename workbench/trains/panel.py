"""What a designer decides beside the train: schools, wishes without a column, limits of the job's own, findings accepted.

All of it lives in the part of the survey that has no columns, written as a job file writes it, read by the core.
"""

from __future__ import annotations

from typing import Any, ClassVar

from django import forms
from django.db import transaction

from treatment.job.facts import OwnLimits, Rain, Schools, Waivers, Wishes
from treatment.job.working import OwnValues, WorkingValue, told, working_values
from treatment.language.analytes import find_analyte
from treatment.language.errors import Fault
from treatment.language.spec import BAD, Spec

from ..jobs.forms import sentence
from ..jobs.models import Job
from ..jobs.rest_form import RestForm
from .services import Refused


class PanelForm(RestForm):
    """Schools, wishes and rain."""

    FIELDS = {
        "hardness": ("schools", "hardness", "Hardness", ""),
        "disinfection": ("schools", "disinfection", "Disinfection", ""),
        "carbon_order": ("schools", "carbon_order", "Carbon and softener", ""),
        "ro_temperature": ("schools", "ro_temperature", "Membrane output in the cold", ""),
        "high_purity": ("wishes", "high_purity", "Rinse or process water is wanted", ""),
        "drinking_tap_only": ("wishes", "drinking_tap_only", "Only at the drinking tap", "nitrate, arsenic"),
        "roof_area": ("source.rain", "roof_area", "Roof that catches rain", "1200 ft2"),
        "runoff": ("source.rain", "runoff", "Share that runs off", "85 %"),
        "first_flush": ("source.rain", "first_flush", "First flush", "15 gal"),
        "monthly_rain": ("source.rain", "monthly_rain", "Rain by month, twelve values", "3.1 in; 2.8 in; …"),
    }
    RECORDS = {"schools": Schools, "wishes": Wishes, "source.rain": Rain}
    WORDS = {
        "exchange": "softener where soft water is wished (our default)", "scale_control": "crystallisation: hardness stays", "citrate": "citrate: hardness stays", "none": "leave hardness alone",
        "uv": "light (our default)", "barrier": "barrier elements: bacteria and cysts, not viruses", "chlorine": "chlorine with contact: a residual, not against cysts",
        "auto": "first on chlorinated water, else after (our default)", "first": "carbon first: spares the resin", "after_softener": "softener first: spares the carbon",
        "exponential": "falls exponentially (our default)", "linear": "the linear school, T°F / 77",
    }  # fmt: skip


@transaction.atomic
def waive(job: Job, rule: str, stage: str, reason: str, user: Any) -> None:
    """Accept a finding with a reason, or take that back with an empty one. Raises Refused."""
    survey = type(job.survey).objects.select_for_update().get(job=job)
    kept = [row for row in survey.rest.get("waivers", []) if (row.get("rule"), row.get("stage", "")) != (rule, stage)]
    if reason.strip():
        kept.append({"rule": rule[:80], "stage": stage[:40], "reason": " ".join(reason.split())[:300]})
    faults: list[Fault] = []
    if Waivers().read(kept, "", faults) is BAD or faults:
        raise Refused("", sentence(faults[0].message))
    _keep(job, survey, "waivers", kept, user)


class OwnForm(forms.Form):
    """Something of the job's own in place of ours: read by the core's spec, kept in a part of the job file under its key."""

    PART: ClassVar[str]
    SPEC: ClassVar[Spec]
    FALLBACK: ClassVar[str]

    reason = forms.CharField(label="Reason", max_length=300)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if set(self.fields) <= set(cleaned):
            faults: list[Fault] = []
            self.SPEC.read({self.key: self.row}, "", faults)
            for fault in faults:
                field = fault.path.rsplit(".", 1)[-1]
                self.add_error(field if field in self.fields else self.FALLBACK, sentence(fault.message))
        return cleaned

    @property
    def why(self) -> str:
        return " ".join(self.cleaned_data["reason"].split())

    @property
    def key(self) -> str:
        """The key it stands under in the job file."""
        raise NotImplementedError

    @property
    def row(self) -> dict[str, str]:
        """It, as a job file writes it."""
        raise NotImplementedError


class LimitForm(OwnForm):
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


class WorkingForm(OwnForm):
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
        self.fields["path"].choices = [("", "choose one"), *groups.items()]  # type: ignore[attr-defined]
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


@transaction.atomic
def set_own(job: Job, part: str, key: str, row: dict[str, str] | None, user: Any) -> None:
    """Put a limit or a working value of the job's own in place of ours, or take it back with None."""
    survey = type(job.survey).objects.select_for_update().get(job=job)
    rows = {name: each for name, each in survey.rest.get(part, {}).items() if name != key}
    if row:
        rows[key] = row
    _keep(job, survey, part, rows, user)


def _keep(job: Job, survey: Any, name: str, value: Any, user: Any) -> None:
    from ..jobs.services import bump

    survey.rest = {key: each for key, each in survey.rest.items() if key != name} | ({name: value} if value else {})
    survey.save(update_fields=["rest"])
    job.survey.rest = survey.rest
    bump(job, user)
