"""Forms for the parts of a job document that have no column: read by the core's own specs, kept as a job file writes them."""

from __future__ import annotations

from typing import Any, ClassVar

from django import forms
from django.db import transaction

from treatment.language.errors import Fault
from treatment.language.spec import BAD, Choice, Flag, ListOf, Spec, specs_of

from .forms import sentence
from .models import Job
from .services import Stale, touch
from .survey_fields import put, take


class RestForm(forms.Form):
    """FIELDS: field -> part of the job document, its key, what people call it, a hint. RECORDS: part -> its record.

    WORDS: options in words; EMPTY: fields whose choice may stay unsaid, with the words for that.
    """

    FIELDS: ClassVar[dict[str, tuple[str, str, str, str]]] = {}
    RECORDS: ClassVar[dict[str, type]] = {}
    WORDS: ClassVar[dict[str, str]] = {}
    EMPTY: ClassVar[dict[str, str]] = {}

    version = forms.IntegerField(widget=forms.HiddenInput)

    def __init__(self, data: Any = None, *, job: Job) -> None:
        self.job = job
        super().__init__(data, initial={"version": job.version} | {name: self._typed(name) for name in self.FIELDS})
        for name, (_, _, label, hint) in self.FIELDS.items():
            spec = self.spec(name)
            if isinstance(spec, Choice):
                choices = [(option, self.WORDS.get(str(option), str(option).replace("_", " "))) for option in spec.options]
                self.fields[name] = forms.ChoiceField(
                    label=label, required=False, choices=[("", self.EMPTY[name]), *choices] if name in self.EMPTY else choices
                )
            elif isinstance(spec, Flag) and name in self.EMPTY:
                self.fields[name] = forms.ChoiceField(label=label, required=False, choices=[("", self.EMPTY[name]), ("yes", "yes"), ("no", "no")])
            elif isinstance(spec, Flag):
                self.fields[name] = forms.BooleanField(label=label, required=False)
            else:
                attrs = {"placeholder": f"e.g. {hint}", "autocomplete": "off"}
                self.fields[name] = forms.CharField(label=label, required=False, max_length=300, widget=forms.TextInput(attrs=attrs))

    def spec(self, name: str) -> Spec:
        part, key, _, _ = self.FIELDS[name]
        return specs_of(self.RECORDS[part])[key]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        for name in self.FIELDS:
            if name not in cleaned or cleaned[name] in ("", False, None):
                continue
            faults: list[Fault] = []
            if self.spec(name).read(self._raw(name, cleaned[name]), "", faults) is BAD or faults:
                self.add_error(name, sentence(faults[0].message))
        return cleaned

    @transaction.atomic
    def save(self, user: Any) -> None:
        """Keep what was chosen. Raises Stale where somebody saved the job since the form was shown."""
        touch(self.job, self.cleaned_data["version"], user)
        survey = self.job.survey
        for name, (part, key, _, _) in self.FIELDS.items():
            take(survey.rest, part, key)
            value, spec = self.cleaned_data[name], self.spec(name)
            default = spec.options[0] if isinstance(spec, Choice) and name not in self.EMPTY else None
            if value not in ("", False, None, default):
                put(survey.rest, part, key, self._raw(name, value))
        survey.save(update_fields=["rest"])

    def _raw(self, name: str, value: Any) -> Any:
        """What was typed as a job file writes it: a list is parted at semicolons, or at commas between words."""
        spec = self.spec(name)
        if isinstance(spec, Flag) and isinstance(value, str):
            return value == "yes"
        if isinstance(spec, ListOf) and isinstance(value, str):
            mark = ";" if ";" in value else ","
            return [part.strip() for part in value.split(mark) if part.strip()]
        return value

    def _typed(self, name: str) -> Any:
        part, key, _, _ = self.FIELDS[name]
        here: Any = self.job.survey.rest
        for step in (*part.split("."), key):
            here = here.get(step) if isinstance(here, dict) else None
        spec = self.spec(name)
        if isinstance(here, list):
            return "; ".join(str(each) for each in here)
        if isinstance(spec, Flag) and name in self.EMPTY:
            return {True: "yes", False: "no"}.get(here, "")
        if here is None and isinstance(spec, Choice) and name not in self.EMPTY:
            return spec.options[0]
        return here


def kept(form_class: type[RestForm], data: Any, job: Job, user: Any) -> tuple[RestForm, Job | None, int]:
    """Try to keep what was posted: the form, the job as somebody else left it where that came between, and 302, 409 or 422.

    After a 409 the form holds what was typed on top of the newer job, so that saving again keeps it.
    """
    form = form_class(data, job=job)
    if not form.is_valid():
        return form, None, 422
    try:
        form.save(user)
    except Stale as stale:
        data = data.copy()
        data["version"] = str(stale.job.version)
        return form_class(data, job=stale.job), stale.job, 409
    return form, None, 302
