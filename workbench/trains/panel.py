"""What a designer decides beside the train: schools, wishes without a column, limits of the job's own, findings accepted.

All of it lives in the part of the survey that has no columns, written as a job file writes it, read by the core.
"""

from __future__ import annotations

from typing import Any

from django import forms

from treatment.job.facts import OwnLimits, spec_at
from treatment.job.working import OwnValues, WorkingValue, told, working_values
from treatment.language.analytes import find_analyte
from treatment.language.errors import Fault
from treatment.language.measures import completed, example_for

from ..fields import offer, sentence
from ..outcome import Done
from ..pages.document_form import Ask, DocumentForm, EntryForm
from ..records.job import Job, Survey
from ..usecases.acting import use_case
from ..usecases.jobs import locked, set_part, touch

SCHOOL_WORDS = {
    "exchange": "softener where soft water is required (default)", "scale_control": "crystallization: hardness stays", "citrate": "citrate: hardness stays",
    "none": "do not treat hardness",
    "uv": "UV (default)", "barrier": "barrier elements: bacteria and cysts, not viruses", "chlorine": "chlorine with contact: a residual, not against cysts",
    "auto": "first on chlorinated water, else after (default)", "first": "carbon first: spares the resin", "after_softener": "softener first: spares the carbon",
    "exponential": "falls exponentially (default)", "linear": "linear, T°F / 77",
}  # fmt: skip


FINE_WORDS = {
    "auto": "only where particles are found (default)", "before_carbon": "before the carbon: particles in", "after_carbon": "after the carbon: fines out", "both": "both",
}  # fmt: skip
ORDER_WORDS = {"auto": "by the iron that would coat calcite (default)", "first": "neutralizer first", "iron_first": "iron filter first"}


class PanelForm(DocumentForm):
    """Schools, wishes and rain."""

    FIELDS = {
        "hardness": Ask("schools", "hardness", "Hardness", words=SCHOOL_WORDS),
        "disinfection": Ask("schools", "disinfection", "Disinfection", words=SCHOOL_WORDS),
        "carbon_order": Ask("schools", "carbon_order", "Carbon and softener", words=SCHOOL_WORDS),
        "fine_filter": Ask("schools", "fine_filter", "Fine filter and carbon", words=SCHOOL_WORDS | FINE_WORDS),
        "neutralizer_order": Ask("schools", "neutralizer_order", "Neutralizer and iron filter", words=SCHOOL_WORDS | ORDER_WORDS),
        "ro_temperature": Ask("schools", "ro_temperature", "Membrane output in the cold", words=SCHOOL_WORDS),
        "high_purity": Ask("wishes", "high_purity", "High-purity water is required"),
        "drinking_tap_only": Ask("wishes", "drinking_tap_only", "Only at the drinking tap", "nitrate, arsenic"),
        "roof_area": Ask("source.rain", "roof_area", "Roof that catches rain", "1200 ft2"),
        "runoff": Ask("source.rain", "runoff", "Share that runs off", "85 %"),
        "first_flush": Ask("source.rain", "first_flush", "First flush", "15 gal"),
        "monthly_rain": Ask("source.rain", "monthly_rain", "Rain by month, twelve values", "3.1 in; 2.8 in; …"),
    }


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


class EventForm(EntryForm):
    """A use of a business, such as washing down: how much, how often, between which hours."""

    PART, SPEC, FALLBACK = "building.events", spec_at("building", "events"), "volume"

    name = forms.CharField(label="Use", max_length=80)
    volume = forms.CharField(label="Each time", max_length=40)
    per_day = forms.CharField(label="Times a day, or seven numbers from Monday", max_length=80)
    opens = forms.CharField(label="From", max_length=8, initial="08:00")
    closes = forms.CharField(label="To", max_length=8, initial="18:00")
    reason = None  # type: ignore[assignment]  # a use needs none

    def __init__(self, data: Any = None, *, units: str) -> None:
        super().__init__(data)
        self.units = units
        self.fields["volume"].widget.attrs |= {"inputmode": "decimal", "placeholder": f"e.g. {example_for('50 gal', 'volume', units)}"}

    def clean_volume(self) -> str:
        return completed(self.cleaned_data["volume"], "50 gal", "volume", self.units)

    @property
    def row(self) -> dict[str, Any]:
        said = self.cleaned_data
        counts = [part.strip() for part in said["per_day"].replace(";", ",").split(",") if part.strip()]
        per_day: Any = counts if len(counts) > 1 else said["per_day"]
        return {"name": " ".join(said["name"].split()), "volume": said["volume"], "per_day": per_day, "hours": [said["opens"], said["closes"]]}

    def clean(self) -> dict[str, Any]:
        cleaned = forms.Form.clean(self) or {}
        if set(self.fields) <= set(cleaned):
            faults: list[Fault] = []
            self.SPEC.read([self.row], "", faults)
            for fault in faults:
                at = "opens" if ".hours" in fault.path else next((name for name in self.fields if f".{name}" in fault.path), self.FALLBACK)
                self.add_error(at, sentence(fault.message))
        return cleaned


@use_case("job.change")
def add_event(job: Job, row: dict[str, Any], user: Any, version: int) -> Done[None]:
    """A use more, in place of one of the same name. Raises Late where ``version`` is no longer the newest."""
    touch(job, version, user)
    kept = [each for each in events_of(locked(job)) if each.get("name") != row["name"]]
    set_part(job, "building", job.survey.rest.get("building", {}) | {"events": [*kept, row]}, user)
    return Done(None)


@use_case("job.change")
def drop_event(job: Job, name: str, user: Any, version: int) -> Done[None]:
    """A use less. Raises Late where ``version`` is no longer the newest."""
    touch(job, version, user)
    survey = locked(job)
    kept = [each for each in events_of(survey) if each.get("name") != name]
    rest = {key: each for key, each in survey.rest.get("building", {}).items() if key != "events"}
    set_part(job, "building", rest | ({"events": kept} if kept else {}), user)
    return Done(None)


def events_of(survey: Survey) -> list[dict[str, Any]]:
    """The uses of a business, as a job file writes them."""
    found: list[dict[str, Any]] = survey.rest.get("building", {}).get("events", [])
    return found


def events_told(survey: Survey) -> list[tuple[str, str]]:
    """Each use of a business: its name, and the rest in words."""
    found = []
    for event in events_of(survey):
        per_day, hours = event.get("per_day", 1), event.get("hours") or []
        often = f"{', '.join(map(str, per_day))} times from Monday" if isinstance(per_day, list) else f"{per_day} times a day"
        found.append(
            (event.get("name", ""), ", ".join([str(event.get("volume", "")), often, *([f"{hours[0]} to {hours[1]}"] if len(hours) == 2 else [])]))
        )
    return found


class WorkingForm(EntryForm):
    """A working value of the job's own."""

    PART, SPEC, FALLBACK = "working_values", OwnValues(), "value"

    path = forms.ChoiceField(label="Value")
    value = forms.CharField(label="Your value, in the unit shown", max_length=40)
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
