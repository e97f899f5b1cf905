"""The design basis of an analyte: a small form read by the core, kept in the part of the survey that has no columns."""

from __future__ import annotations

from typing import Any

from django import forms
from django.db import transaction

from treatment.evidence.samples import default_percent
from treatment.job.facts import Bases, Basis
from treatment.language.analytes import find_analyte
from treatment.language.errors import Fault
from treatment.language.reading import Reading

from ..jobs.forms import sentence
from ..jobs.models import Job
from ..jobs.services import touch

WORDS = [
    ("worst", "the worst reading (our default)"),
    ("latest", "the latest reading"),
    ("percentile", "a percentile"),
    ("chosen", "a value chosen by hand"),
]


class BasisForm(forms.Form):
    """Basis, percent, value and reason as they are typed; the core reads them all."""

    analyte = forms.CharField(widget=forms.HiddenInput)
    by = forms.ChoiceField(choices=WORDS, label="Design stands on")
    percent = forms.CharField(required=False, max_length=8, label="Percentile")
    value = forms.CharField(required=False, max_length=80, label="Value, with unit")
    reason = forms.CharField(required=False, max_length=200, label="Reason")

    def __init__(self, data: Any = None, *, basis: Basis | None = None, analyte: str = "") -> None:
        held = basis or Basis()
        initial = {
            "analyte": analyte, "by": held.by, "percent": f"{held.percent or default_percent():g}", "reason": held.reason,
            "value": held.value.typed if isinstance(held.value, Reading) else "",
        }  # fmt: skip
        super().__init__(data, initial=initial, auto_id=f"id_{(data or {}).get('analyte') or analyte}_%s")

    def document(self) -> dict[str, Any]:
        """The basis as a job file writes it, without what its kind does not use."""
        found: dict[str, Any] = {"by": self.cleaned_data["by"]}
        if found["by"] == "percentile":
            text = self.cleaned_data["percent"].replace(",", ".").removesuffix("%").strip()
            try:
                found["percent"] = float(text)
            except ValueError:
                found["percent"] = text or None
        if found["by"] == "chosen":
            found["value"] = self.cleaned_data["value"]
        if self.cleaned_data["reason"]:
            found["reason"] = self.cleaned_data["reason"]
        return found

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if "by" not in cleaned or "analyte" not in cleaned:
            return cleaned
        faults: list[Fault] = []
        Bases().read({cleaned["analyte"]: self.document()}, "", faults)
        for fault in faults:
            field = fault.path.rsplit(".", 1)[-1]
            self.add_error(field if field in self.fields else "by", sentence(fault.message))
        return cleaned


class ValueForm(forms.Form):
    """A value for an analyte that was not measured, with its reason; an empty value takes it back."""

    analyte = forms.CharField(max_length=60, label="Analyte")
    value = forms.CharField(required=False, max_length=80, label="Value, with unit")
    reason = forms.CharField(required=False, max_length=200, label="Reason")

    def document(self) -> dict[str, Any]:
        if not self.cleaned_data["value"]:
            return {"by": "worst"}
        return {"by": "chosen", "value": self.cleaned_data["value"], "reason": self.cleaned_data["reason"]}

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if "analyte" in cleaned:
            found = find_analyte(cleaned["analyte"])
            if found is None:
                self.add_error("analyte", "This is not an analyte we know.")
                return cleaned
            cleaned["analyte"] = found.key
            faults: list[Fault] = []
            Bases().read({found.key: self.document()}, "", faults)
            for fault in faults:
                field = fault.path.rsplit(".", 1)[-1]
                self.add_error(field if field in self.fields else "analyte", sentence(fault.message))
        return cleaned


@transaction.atomic
def save_basis(job: Job, form: BasisForm | ValueForm, user: Any) -> None:
    """Keep a valid basis. Raises Stale where somebody saved the job since the form was shown."""
    version = form.data.get("version", "")
    touch(job, int(version) if version.isdigit() else -1, user)
    survey = job.survey
    held = dict(survey.rest.get("design_basis", {}))
    document = form.document()
    if document == {"by": "worst"}:
        held.pop(form.cleaned_data["analyte"], None)
    else:
        held[form.cleaned_data["analyte"]] = document
    survey.rest = {**{name: value for name, value in survey.rest.items() if name != "design_basis"}, **({"design_basis": held} if held else {})}
    survey.save(update_fields=["rest"])
