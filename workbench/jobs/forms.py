"""The site and supply steps: survey columns read by the core, in the words of this step."""

from __future__ import annotations

from typing import Any

from django import forms

from treatment.evidence.symptoms import observed
from treatment.job.facts import FIXTURES, OBSERVATIONS, STANDARDS
from treatment.job.limits import limits
from treatment.language.tables import table

from ..pages.choice_words import CHOICE_WORDS, EMPTY_WORDS
from ..pages.document_form import Ask, DocumentForm, asked
from ..records.job import Job, Survey

FIXTURE_WORDS = {
    "wc": "Toilets", "basin": "Basins", "bath": "Baths", "shower": "Showers", "kitchen_sink": "Kitchen sinks", "dishwasher": "Dishwashers",
    "washer": "Washing machines", "laundry_tray": "Laundry trays", "hose_tap": "Outdoor taps", "bathroom_group": "Bathroom groups",
}  # fmt: skip


def standard_choices() -> list[tuple[str, str]]:
    """Limit sets to choose from, with their edition."""
    assert limits("us")
    return [(name, f"{table('limits')[name]['title']}, {table('limits')[name]['edition']}") for name in STANDARDS]


class SiteForm(DocumentForm):
    FIELDS = asked((
        "source_kind", "disinfectant", "last_event", "people", "use_per_person_l", "bathrooms", "top_fixture_height_m", "extra_daily_use_l",
        "soft_water", "soften_above_mg_l", "safe_to_drink", "low_sodium", "no_salt", "no_power", "spare_outdoor_taps", "target_ph",
        "peak_flow_school", "iron_school", "prefilter_school", "regeneration_school",
    ), CHOICE_WORDS, EMPTY_WORDS) | {
        "iron_adder": Ask("schools", "iron_adder", "The fixed adder", "5 gpg"), "no_chemicals": Ask("wishes", "no_chemicals", "No chemicals fed"),
    }  # fmt: skip
    name = forms.CharField(label="Job name", max_length=120, strip=True)
    standard = forms.ChoiceField(label="Limits", choices=standard_choices)
    observations = forms.MultipleChoiceField(
        label="Observations",
        required=False,
        choices=[(key, observed(key)) for key in OBSERVATIONS],
        widget=forms.CheckboxSelectMultiple,
    )

    def __init__(self, data: Any = None, *, job: Job) -> None:
        super().__init__(data, job=job, initial={"name": job.name, "standard": job.standard, "observations": job.survey.observations})
        for fixture in FIXTURES:
            self.fields[f"fixture_{fixture}"] = forms.IntegerField(
                label=FIXTURE_WORDS[fixture], required=False, min_value=0, max_value=2000, initial=job.survey.fixtures.get(fixture)
            )
            self.fields[f"fixture_{fixture}"].widget.attrs |= {"id": f"id_fixture_{fixture}", "inputmode": "numeric"}

    @property
    def fixture_fields(self) -> list[forms.BoundField]:
        return [self[f"fixture_{fixture}"] for fixture in FIXTURES]

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if data.get("iron_school") == "fixed" and self.read.get("iron_adder") is None and "iron_adder" not in self.errors:
            self.add_error("iron_adder", "Enter the amount of the fixed adder, as the manufacturer states it; without one iron counts as nothing.")
        return data

    def apply(self, survey: Survey) -> dict[str, Any]:
        told = super().apply(survey) | {name: self.cleaned_data[name] for name in ("name", "standard") if name in self.sound}
        if "observations" in self.sound:
            survey.observations = self.cleaned_data["observations"]
        counts = {fixture: self.cleaned_data[f"fixture_{fixture}"] for fixture in FIXTURES if f"fixture_{fixture}" in self.sound}
        survey.fixtures = {fixture: count for fixture, count in (survey.fixtures | counts).items() if count}
        return told


class NewJobForm(forms.Form):
    STARTS = (("water", "New job"), ("existing", "Existing installation"), ("report", "From a report"))
    start = forms.ChoiceField(label="Start with", choices=STARTS, required=False)
    name = forms.CharField(
        label="Name of the job", max_length=120, strip=True, widget=forms.TextInput(attrs={"autocomplete": "off", "placeholder": "Name of a new job"})
    )
