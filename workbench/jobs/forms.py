"""Forms whose fields are read by the core: the same grammar and the same refusals as in a job file."""

from __future__ import annotations

from typing import Any

from django import forms

from treatment.job.facts import FIXTURES, OBSERVATIONS, STANDARDS
from treatment.job.limits import limits
from treatment.language.display import show
from treatment.language.errors import Fault
from treatment.language.quantity import canonical_unit
from treatment.language.spec import BAD, Choice, Flag, Measure, Number, Spec
from treatment.language.tables import table

from .models import Job, Survey
from .survey_fields import COLUMNS, MEASURED

CHOICE_WORDS = {
    "drilled_well": "Drilled well", "dug_well": "Dug well", "spring": "Spring", "surface": "Stream or lake", "rain": "Rain cistern", "town": "Town main",
    "none": "None", "chlorine": "Chlorine", "chloramine": "Chloramine", "flood": "A flood", "repair": "A repair", "heavy_rain": "Heavy rain",
    "copper": "Copper", "pex_expansion": "PEX, expansion fittings", "pex_crimp": "PEX, crimp fittings", "cpvc": "CPVC", "pvc40": "PVC schedule 40", "pe": "PE",
    "fixture_units": "Fixture units (our default)", "simultaneous": "Fixtures running together", "bathrooms": "Number of bathrooms",
    "x4": "× 4 grains per mg/L (our default)", "x3": "× 3", "x5": "× 5", "fixed": "A fixed adder", "single": "One 25 µm cartridge", "staged": "25 then 5 µm",
    "dual_gradient": "Dual-gradient", "backwashing": "Backwashing bed", "auto": "By load (our default)", "3_day": "Every 3 days", "7_day": "Every 7 days",
}  # fmt: skip
EMPTY_WORDS = {"prefilter_school": "Only where particles are found (our default)", "peak_flow_school": "Fixture units (our default)",
               "iron_school": "× 4 grains per mg/L (our default)", "regeneration_school": "By load (our default)"}  # fmt: skip


class SpecField(forms.CharField):
    """A text field that a core spec reads; its clean value is canonical, its refusal the core's own words."""

    def __init__(self, spec: Spec, **options: Any) -> None:
        self.spec = spec
        super().__init__(required=False, max_length=120, strip=True, **options)

    def clean(self, value: Any) -> Any:
        text = super().clean(value)
        if not text:
            return None
        faults: list[Fault] = []
        read = self.spec.read(text, "", faults)
        if read is BAD or faults:
            raise forms.ValidationError(sentence(faults[0].message), code="refused")
        return read


def sentence(message: str) -> str:
    """A refusal as a sentence beside a field."""
    return message[0].upper() + message[1:] + ("" if message.endswith((".", ")")) else ".")


def field_for(name: str) -> forms.Field:
    """The form field of a survey column."""
    column = COLUMNS[name]
    spec = column.spec
    if isinstance(spec, Choice):
        empty = EMPTY_WORDS.get(name, "Not known")
        options = [(str(option), CHOICE_WORDS.get(str(option), str(option))) for option in spec.options]
        if name in EMPTY_WORDS:
            options = [(value, words) for value, words in options if "our default" not in words]
        return forms.ChoiceField(label=column.label, required=False, choices=[("", empty), *options])
    if isinstance(spec, Flag):
        if name in ("soft_water", "safe_to_drink"):
            return forms.TypedChoiceField(
                label=column.label,
                required=False,
                choices=[("", "Not said"), ("yes", "Yes"), ("no", "No")],
                coerce=lambda v: v == "yes",
                empty_value=None,
            )
        return forms.BooleanField(label=column.label, required=False)
    mode = "numeric" if isinstance(spec, Number) and spec.whole else "text"
    return SpecField(
        spec, label=column.label, widget=forms.TextInput(attrs={"placeholder": f"e.g. {column.hint}", "autocomplete": "off", "inputmode": mode})
    )


class SurveyForm(forms.Form):
    """A part of the survey. ``version`` is that of the job when the form was shown."""

    columns: tuple[str, ...] = ()
    version = forms.IntegerField(widget=forms.HiddenInput)

    def __init__(self, *args: Any, job: Job, **options: Any) -> None:
        self.job = job
        survey: Survey = job.survey
        options.setdefault("initial", {}).update({"version": job.version} | {name: self._shown(survey, name) for name in self.columns})
        super().__init__(*args, **options)
        for name in self.columns:
            self.fields[name] = field_for(name)

    def _shown(self, survey: Survey, name: str) -> Any:
        value = getattr(survey, name)
        if name in MEASURED and value is not None:
            return survey.typed.get(name) or _canonical(name, value, self.job.units)
        if name in ("soft_water", "safe_to_drink"):
            return {True: "yes", False: "no"}.get(value, "")
        return value

    def apply(self, survey: Survey) -> None:
        """Write the clean values to the survey; what was typed is kept beside each measured one."""
        for name in self.columns:
            value = self.cleaned_data[name]
            field = self.fields[name]
            if name in MEASURED:
                setattr(survey, name, value)
                if value is None:
                    survey.typed.pop(name, None)
                else:
                    survey.typed[name] = self.data.get(name, "").strip()
            elif isinstance(field, forms.ChoiceField) and not isinstance(field, forms.TypedChoiceField):
                setattr(survey, name, value or "")
            else:
                setattr(survey, name, value)


def _canonical(name: str, value: float, system: str) -> str:
    spec = COLUMNS[name].spec
    return show(value, canonical_unit(spec.dimension), system) if isinstance(spec, Measure) else f"{value:g}"


def standard_choices() -> list[tuple[str, str]]:
    """Limit sets to choose from, with their edition."""
    assert limits("us")
    return [(name, f"{table('limits')[name]['title']}, {table('limits')[name]['edition']}") for name in STANDARDS]


class SiteForm(SurveyForm):
    columns = (
        "source_kind", "disinfectant", "last_event", "people", "use_per_person_l", "bathrooms", "top_fixture_height_m", "extra_daily_use_l",
        "soft_water", "soften_above_mg_l", "safe_to_drink", "low_sodium", "no_salt", "no_power", "spare_outdoor_taps", "target_ph",
        "peak_flow_school", "iron_school", "prefilter_school", "regeneration_school",
    )  # fmt: skip
    name = forms.CharField(label="Job name", max_length=120, strip=True)
    standard = forms.ChoiceField(label="Limits", choices=standard_choices)
    observations = forms.MultipleChoiceField(
        label="Seen, smelt, felt", required=False, choices=[(key, key) for key in OBSERVATIONS], widget=forms.CheckboxSelectMultiple
    )

    def __init__(self, *args: Any, job: Job, **options: Any) -> None:
        options["initial"] = {"name": job.name, "standard": job.standard, "observations": job.survey.observations}
        super().__init__(*args, job=job, **options)
        for fixture in FIXTURES:
            self.fields[f"fixture_{fixture}"] = forms.IntegerField(
                label=FIXTURE_WORDS[fixture], required=False, min_value=0, max_value=2000, initial=job.survey.fixtures.get(fixture)
            )
            self.fields[f"fixture_{fixture}"].widget.attrs |= {"id": f"id_fixture_{fixture}", "inputmode": "numeric"}

    @property
    def fixture_fields(self) -> list[forms.BoundField]:
        return [self[f"fixture_{fixture}"] for fixture in FIXTURES]

    def apply(self, survey: Survey) -> None:
        super().apply(survey)
        survey.job.name = self.cleaned_data["name"]
        survey.job.standard = self.cleaned_data["standard"]
        survey.observations = self.cleaned_data["observations"]
        counts = {fixture: self.cleaned_data[f"fixture_{fixture}"] for fixture in FIXTURES}
        survey.fixtures = {fixture: count for fixture, count in counts.items() if count}


FIXTURE_WORDS = {
    "wc": "Toilets", "basin": "Basins", "bath": "Baths", "shower": "Showers", "kitchen_sink": "Kitchen sinks", "dishwasher": "Dishwashers",
    "washer": "Washing machines", "laundry_tray": "Laundry trays", "hose_tap": "Outdoor taps", "bathroom_group": "Bathroom groups",
}  # fmt: skip
OBSERVATION_WORDS = {
    "orange_stains": "Orange stains; water clear when drawn", "orange_at_once": "Orange at once from the tap", "brown_stays": "Brown that never settles",
    "slime": "Slime in the toilet tank", "black_stains": "Black stains", "rotten_egg_cold": "Rotten egg, cold and hot", "rotten_egg_hot_only": "Rotten egg, hot only",
    "blue_green_stains": "Blue-green stains", "metallic_taste": "Metallic taste", "white_crust": "White crust, soap scum", "bleach_smell": "Bleach smell or taste",
    "cloudy_clears_upward": "Cloudy, clears from below", "cloudy_after_rain": "Cloudy after rain", "illness": "Stomach illness", "grit": "Sand or grit",
    "pressure_fading": "Pressure fading over weeks", "salty_taste": "Salty taste",
}  # fmt: skip
SiteForm.base_fields["observations"].choices = list(OBSERVATION_WORDS.items())  # type: ignore[attr-defined]


class SupplyForm(SurveyForm):
    columns = (
        "flow_l_min", "drawdown_drawn_l", "drawdown_recovery_min", "pressure_low_kpa", "pressure_high_kpa", "night_pressure_kpa", "temperature_c", "coldest_c",
        "pipe_material", "pipe_size_m", "pipe_length_m",
    )  # fmt: skip

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        low, high = data.get("pressure_low_kpa"), data.get("pressure_high_kpa")
        if low is not None and high is not None and high < low:
            self.add_error("pressure_high_kpa", "The highest pressure must not lie below the lowest.")
        drawn, recovery = data.get("drawdown_drawn_l"), data.get("drawdown_recovery_min")
        if (drawn is None) != (recovery is None) and not self.errors:
            self.add_error(
                "drawdown_recovery_min" if recovery is None else "drawdown_drawn_l",
                "A drawdown test needs both: what was drawn, and the time to recover.",
            )
        return data


class NewJobForm(forms.Form):
    name = forms.CharField(
        label="Name of the job", max_length=120, strip=True, widget=forms.TextInput(attrs={"autocomplete": "off", "placeholder": "Name of a new job"})
    )
