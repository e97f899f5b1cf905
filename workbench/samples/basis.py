"""The design basis of an analyte: a small form read by the core, kept in the part of the survey that has no columns."""

from __future__ import annotations

from typing import Any

from django import forms

from treatment.evidence.samples import default_percent
from treatment.job.facts import Bases, Basis
from treatment.language.analytes import find_analyte
from treatment.language.reading import Reading

from ..pages.document_form import EntryForm

WORDS = [
    ("worst", "the worst reading (default)"),
    ("latest", "the latest reading"),
    ("percentile", "a percentile"),
    ("chosen", "a manual value"),
]


class BasisForm(EntryForm):
    """Basis, percent, value and reason as they are typed; the core reads them all."""

    PART, SPEC, FALLBACK = "design_basis", Bases(), "by"

    analyte = forms.CharField(widget=forms.HiddenInput)
    by = forms.ChoiceField(choices=WORDS, label="The design is based on")
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

    @property
    def key(self) -> str:
        return str(self.cleaned_data["analyte"])

    @property
    def row(self) -> dict[str, Any] | None:
        """The basis as a job file writes it, without what its kind does not use; the worst reading needs no word."""
        by = self.cleaned_data["by"]
        if by == "worst":
            return None
        found: dict[str, Any] = {"by": by}
        if by == "percentile":
            text = self.cleaned_data["percent"].replace(",", ".").removesuffix("%").strip()
            try:
                found["percent"] = float(text)
            except ValueError:
                found["percent"] = text or None
        if by == "chosen":
            found["value"] = self.cleaned_data["value"]
        return found | ({"reason": self.why} if self.why else {})


class ValueForm(EntryForm):
    """A value for an analyte that was not measured, with its reason; an empty value takes it back."""

    PART, SPEC, FALLBACK = "design_basis", Bases(), "analyte"

    analyte = forms.CharField(max_length=60, label="Analyte")
    value = forms.CharField(required=False, max_length=80, label="Value, with unit")
    reason = forms.CharField(required=False, max_length=200, label="Reason")

    def clean_analyte(self) -> str:
        found = find_analyte(self.cleaned_data["analyte"])
        if found is None:
            raise forms.ValidationError("This analyte is not known.")
        return found.key

    @property
    def key(self) -> str:
        return str(self.cleaned_data["analyte"])

    @property
    def row(self) -> dict[str, Any] | None:
        if not self.cleaned_data["value"]:
            return None
        return {"by": "chosen", "value": self.cleaned_data["value"], "reason": self.why}
