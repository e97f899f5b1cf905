"""The one kind of form for a job document: every field is a place in it, read by the core's own spec, refused in its own words.

A `DocumentForm` asks for places that always stand (a survey column, or the part of the survey that has no columns);
an `EntryForm` asks for one entry of a part that holds many, such as a limit of the job's own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar, Generic, TypeVar

from django import forms
from django.db import transaction

from treatment.job.facts import spec_at
from treatment.job_file import read_job
from treatment.language.display import show
from treatment.language.errors import BadDocument, Fault
from treatment.language.measures import completed, example_for
from treatment.language.quantity import canonical_unit
from treatment.language.spec import BAD, Choice, Flag, ListOf, Measure, Number, Spec

from ..fields import sentence
from ..outcome import Late
from ..records.job import Job, Survey
from ..repository.door import job_document
from ..repository.places import COLUMNS, held, put, take
from ..usecases.jobs import keep_survey
from .merging import merged

#: how often a merge is tried anew where somebody saved in between
TRIES = 4
YES_NO = [("yes", "Yes"), ("no", "No")]


@dataclass(frozen=True)
class Ask:
    """A place of the job document that a form asks for: part and key, what people call it, an example.

    empty: what an unanswered choice or yes/no is called; None where it cannot stay unsaid. column: its survey column, if it has one.
    """

    part: str
    key: str
    label: str
    hint: str = ""
    empty: str | None = None
    words: Mapping[str, str] = field(default_factory=dict)
    column: str = ""

    @property
    def spec(self) -> Spec:
        return spec_at(self.part, self.key)

    def field(self, system: str) -> forms.Field:
        """The form field, its example in the job's units; what is typed in it is read by the core in `DocumentForm.clean`."""
        spec = self.spec
        if isinstance(spec, Choice):
            options = [(str(option), self.words.get(str(option), str(option).replace("_", " "))) for option in spec.options]
            if self.empty and "default" in self.empty:
                options = [(option, words) for option, words in options if "default" not in words]
            return forms.ChoiceField(label=self.label, required=False, choices=[*([] if self.empty is None else [("", self.empty)]), *options])
        if isinstance(spec, Flag):
            if self.empty is None:
                return forms.BooleanField(label=self.label, required=False)
            return forms.ChoiceField(label=self.label, required=False, choices=[("", self.empty), *YES_NO])
        attributes = {
            "placeholder": f"e.g. {self.example(system)}",
            "autocomplete": "off",
            "inputmode": "numeric" if isinstance(spec, Number) and spec.whole else "decimal" if isinstance(spec, Number | Measure) else "text",
        }
        return forms.CharField(label=self.label, required=False, max_length=300, widget=forms.TextInput(attrs=attributes))

    def example(self, system: str) -> str:
        """The hint, in the job's units where it is a measure."""
        return example_for(self.hint, self.spec.dimension, system) if isinstance(self.spec, Measure) and self.hint else self.hint

    def stands(self, survey: Survey, system: str) -> Any:
        """What stands there now, as the form shows it."""
        spec = self.spec
        value = getattr(survey, self.column) if self.column else held(survey.rest, self.part, self.key)
        if isinstance(value, list):
            return "; ".join(str(each) for each in value)
        if isinstance(spec, Flag) and self.empty is not None:
            return {True: "yes", False: "no"}.get(value, "")
        if isinstance(spec, Choice) and self.empty is None:
            return value or spec.options[0]
        if self.column and COLUMNS[self.column].measured and value is not None:
            return survey.typed.get(self.column) or _canonical(spec, value, system)
        return value

    def as_written(self, typed: Any, system: str) -> Any:
        """What was typed as a job file writes it, a bare number with the job's unit. None where nothing was said.

        A list is parted at semicolons, or at commas between words.
        """
        spec = self.spec
        if isinstance(typed, str):
            typed = typed.strip()
        if typed in ("", None) or (typed is False and not self.column):
            return None
        if isinstance(spec, Flag) and isinstance(typed, str):
            return typed == "yes"
        if isinstance(spec, ListOf) and isinstance(typed, str):
            parts = [part.strip() for part in typed.split(";" if ";" in typed else ",") if part.strip()]
            return [self._complete(spec.item, part, system) for part in parts]
        return self._complete(spec, typed, system)

    def _complete(self, spec: Spec, typed: Any, system: str) -> Any:
        if not isinstance(typed, str) or not isinstance(spec, Measure) or spec.bare:
            return typed
        own = self.hint if isinstance(self.spec, Measure) and self.hint else spec.example
        return completed(typed, own, spec.dimension, system)

    def keep(self, survey: Survey, written: Any, read: Any) -> None:
        """Write it where it stands: a column keeps the canonical value and the text, the rest what a job file would say."""
        spec = self.spec
        if self.column:
            setattr(survey, self.column, read if read is not None else ("" if isinstance(spec, Choice) else None))
            if COLUMNS[self.column].measured:
                survey.typed = {name: text for name, text in survey.typed.items() if name != self.column} | (
                    {} if written is None else {self.column: written}
                )
            return
        take(survey.rest, self.part, self.key)
        usual = spec.options[0] if isinstance(spec, Choice) and self.empty is None else None
        if written not in (None, usual):
            put(survey.rest, self.part, self.key, written)


def asked(names: Iterable[str], words: Mapping[str, str], empty: Mapping[str, str]) -> dict[str, Ask]:
    """The survey columns of these names as fields. A choice may always stay unsaid; a yes or no only where ``empty`` names it."""
    found = {}
    for name in names:
        column = COLUMNS[name]
        unsaid = empty.get(name, "Not known" if isinstance(column.spec, Choice) else None)
        found[name] = Ask(column.part, column.key, column.label, column.hint, unsaid, words, name)
    return found


def _canonical(spec: Spec, value: float, system: str) -> str:
    return show(value, canonical_unit(spec.dimension), system) if isinstance(spec, Measure) else f"{value:g}"


class DocumentForm(forms.Form):
    """FIELDS: field -> the place it asks for. ``version`` is that of the job when the form was shown."""

    FIELDS: ClassVar[Mapping[str, Ask]] = {}

    version = forms.IntegerField(widget=forms.HiddenInput(attrs={"data-of": "job"}))

    def __init__(self, data: Any = None, *, job: Job, initial: dict[str, Any] | None = None) -> None:
        self.job = job
        #: what the core read, by field; only what was said
        self.read: dict[str, Any] = {}
        stands = {name: ask.stands(job.survey, job.units) for name, ask in self.FIELDS.items()}
        super().__init__(data, initial={"version": job.version} | stands | (initial or {}))
        self.fields |= {name: ask.field(job.units) for name, ask in self.FIELDS.items()}

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        for name, ask in self.FIELDS.items():
            if name not in cleaned:
                continue
            cleaned[name] = written = ask.as_written(cleaned[name], self.job.units)
            if written is None:
                continue
            faults: list[Fault] = []
            read = ask.spec.read(written, "", faults)
            if read is BAD or faults:
                self.add_error(name, sentence(faults[0].message))
            else:
                self.read[name] = read
        return cleaned

    @property
    def sound(self) -> frozenset[str]:
        """Fields that can be kept: those without a message beside them."""
        return frozenset(self.cleaned_data) - set(self.errors)

    def apply(self, survey: Survey) -> dict[str, Any]:
        """Write what was said and is sound to the survey, a bad field never keeping the others; what it says of the job itself."""
        for name, ask in self.FIELDS.items():
            if name in self.sound:
                ask.keep(survey, self.cleaned_data[name], self.read.get(name))
        return {}


Form = TypeVar("Form", bound=DocumentForm)


@dataclass(frozen=True)
class Outcome(Generic[Form]):
    """What came of a posted form. newer: the job as somebody else left it meanwhile; status: 302, 409, or 422 where some fields were not kept.

    both: what is in the fields that somebody else changed, too, where that is known.
    """

    form: Form
    newer: Job | None
    status: int
    both: dict[str, list[str]] | None = None


def kept(form_class: Callable[..., Form], data: Any, job: Job, user: Any) -> Outcome[Form]:
    """Keep what was posted, field by field. After a 409 the form holds what was typed on top of the newer job, so that saving again keeps it.

    Where the page says what stood in its fields, changes of different fields are merged, and a 409 is of those alone that both changed.
    """
    for _ in range(TRIES):
        together = merged(form_class, data, job)
        if together is None:
            break
        came = kept_whole(form_class, together.data, job, user)
        if came.status == 409 and came.newer is not None:  # somebody saved just now: on top of that, then
            job = came.newer
            continue
        if not together.conflicts:
            return came
        newer, again = came.form.job, together.typed.copy()
        again["version"] = str(newer.version)
        form = form_class(again, job=newer)
        form.is_valid()
        for name, stands in together.conflicts.items():
            form.add_error(
                name,
                f"{_who(job, user)} changed this to “{', '.join(stands) or 'nothing'}” after you opened this page. Save again to keep what you typed.",
            )
        return Outcome(form, newer, 409, together.conflicts)
    return kept_whole(form_class, data, job, user)


def _who(job: Job, user: Any) -> str:
    return "You, in another window," if job.updated_by_id == user.pk else job.updated_by.get_username() if job.updated_by else "Somebody"


def kept_whole(form_class: Callable[..., Form], data: Any, job: Job, user: Any) -> Outcome[Form]:
    """Keep a form as it was posted, where nobody saved since it was shown."""
    form = form_class(data, job=job)
    whole = form.is_valid()
    if "version" not in form.sound or form.non_field_errors():
        return Outcome(form, None, 422)
    try:
        with transaction.atomic():
            keep_survey(form.job, form.cleaned_data["version"], user, form.apply)
            if not whole:  # part of a form must leave a job that can be read
                read_job(job_document(form.job, None))
    except BadDocument:
        return Outcome(form, None, 422)
    except Late as late:
        data = data.copy()
        data["version"] = str(late.stands.version)
        again = form_class(data, job=late.stands)
        again.is_valid()
        return Outcome(again, late.stands, 409)
    if not whole:  # the fields that were refused keep what was typed, on the version that the others made
        again = data.copy()
        again["version"] = str(form.job.version)
        form.data = again
    return Outcome(form, None, 302 if whole else 422)


class EntryForm(forms.Form):
    """One entry of a part of the job document that holds many. PART: the part; SPEC: how it is read whole; FALLBACK: the field a fault without one stands at."""

    PART: ClassVar[str]
    SPEC: ClassVar[Spec]
    FALLBACK: ClassVar[str]

    reason = forms.CharField(label="Reason", max_length=300)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if set(self.fields) <= set(cleaned) and self.row is not None:
            faults: list[Fault] = []
            self.SPEC.read({self.key: self.row}, "", faults)
            for fault in faults:
                at = fault.path.rsplit(".", 1)[-1]
                self.add_error(at if at in self.fields else self.FALLBACK, sentence(fault.message))
        return cleaned

    @property
    def why(self) -> str:
        return " ".join(self.cleaned_data["reason"].split())

    @property
    def key(self) -> str:
        """The key it stands under in the job file."""
        raise NotImplementedError

    @property
    def row(self) -> dict[str, Any] | None:
        """It, as a job file writes it; None takes it back."""
        raise NotImplementedError
