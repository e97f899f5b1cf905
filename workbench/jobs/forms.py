"""The site and supply steps: survey columns read by the core, in the words of this step."""

from __future__ import annotations

from typing import Any

from django import forms

from treatment.house.pipes import unmade
from treatment.job.facts import FIXTURES, OBSERVATIONS, PIPE_MATERIALS, STANDARDS
from treatment.job.limits import limits
from treatment.language.measures import switch_points
from treatment.language.tables import table

from .document_form import Ask, DocumentForm, asked
from .models import Job, Survey

CHOICE_WORDS = {
    "drilled_well": "Drilled well", "dug_well": "Dug well", "spring": "Spring", "surface": "Stream or lake", "rain": "Rainwater tank", "town": "Public supply",
    "none": "None", "chlorine": "Chlorine", "chloramine": "Chloramine", "flood": "A flood", "repair": "A repair", "heavy_rain": "Heavy rain",
    "copper": "Copper", "pex_expansion": "PEX, expansion fittings", "pex_crimp": "PEX, crimp fittings", "cpvc": "CPVC", "pvc40": "PVC schedule 40", "pe": "PE",
    "fixture_units": "Fixture units (default)", "simultaneous": "Fixtures running together", "bathrooms": "Number of bathrooms",
    "x4": "× 4 grains per mg/L (default)", "x3": "× 3", "x5": "× 5", "fixed": "A fixed adder", "single": "One 25 µm cartridge", "staged": "25 then 5 µm",
    "dual_gradient": "Dual-gradient", "backwashing": "Backwashing bed", "auto": "By load (default)", "3_day": "Every 3 days", "7_day": "Every 7 days",
}  # fmt: skip
EMPTY_WORDS = {"prefilter_school": "Only where particles are found (default)", "peak_flow_school": "Fixture units (default)",
               "iron_school": "× 4 grains per mg/L (default)", "regeneration_school": "By load (default)", "soft_water": "Not given",
               "safe_to_drink": "Not given"}  # fmt: skip
FIXTURE_WORDS = {
    "wc": "Toilets", "basin": "Basins", "bath": "Baths", "shower": "Showers", "kitchen_sink": "Kitchen sinks", "dishwasher": "Dishwashers",
    "washer": "Washing machines", "laundry_tray": "Laundry trays", "hose_tap": "Outdoor taps", "bathroom_group": "Bathroom groups",
}  # fmt: skip
OBSERVATION_WORDS = {
    "orange_stains": "Orange stains; water clear when drawn", "orange_at_once": "Orange at once from the tap", "brown_stays": "Brown that never settles",
    "slime": "Slime in the toilet tank", "black_stains": "Black stains", "rotten_egg_cold": "Rotten egg, cold and hot", "rotten_egg_hot_only": "Rotten egg, hot only",
    "blue_green_stains": "Blue-green stains", "metallic_taste": "Metallic taste", "white_crust": "White crust, soap scum", "bleach_smell": "Bleach smell or taste",
    "cloudy_clears_upward": "Cloudy, clears from below", "cloudy_after_rain": "Cloudy after rain", "illness": "Stomach illness", "grit": "Sand or grit",
    "pressure_fading": "Pressure fading over weeks", "salty_taste": "Salty taste", "musty_taste": "Musty taste or smell",
    "earthy_taste": "Earthy taste or smell", "fishy_smell": "Fishy or tidal smell", "medicinal_taste": "Medicinal taste",
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
        choices=[(key, OBSERVATION_WORDS[key]) for key in OBSERVATIONS],
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

    def apply(self, survey: Survey) -> None:
        super().apply(survey)
        for name in {"name", "standard"} & self.sound:
            setattr(self.job, name, self.cleaned_data[name])
        self.job.save(update_fields=["name", "standard"])
        if "observations" in self.sound:
            survey.observations = self.cleaned_data["observations"]
        counts = {fixture: self.cleaned_data[f"fixture_{fixture}"] for fixture in FIXTURES if f"fixture_{fixture}" in self.sound}
        survey.fixtures = {fixture: count for fixture, count in (survey.fixtures | counts).items() if count}


class SupplyForm(DocumentForm):
    FIELDS = asked((
        "flow_l_min", "drawdown_drawn_l", "drawdown_recovery_min", "pressure_low_kpa", "pressure_high_kpa", "night_pressure_kpa", "temperature_c", "coldest_c",
        "pipe_material", "pipe_size_m", "pipe_length_m",
    ), CHOICE_WORDS, EMPTY_WORDS)  # fmt: skip

    def __init__(self, data: Any = None, *, job: Job) -> None:
        for name in ("pressure_low_kpa", "pressure_high_kpa") if data is not None else ():
            if both := switch_points(data.get(name, "")):  # both switch points in one of the fields
                data = data.copy()
                data["pressure_low_kpa"], data["pressure_high_kpa"] = both
                break
        super().__init__(data, job=job)

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        low, high = self.read.get("pressure_low_kpa"), self.read.get("pressure_high_kpa")
        if low is not None and high is not None and high < low:
            self.add_error("pressure_high_kpa", "The highest pressure must not be below the lowest.")
        if data.get("pipe_material") in ("", None, *PIPE_MATERIALS) and (
            why := unmade(data.get("pipe_material") or None, self.read.get("pipe_size_m"))
        ):
            self.add_error("pipe_size_m", f"{why[0].upper()}{why[1:]}.")
        drawn, recovery = self.read.get("drawdown_drawn_l"), self.read.get("drawdown_recovery_min")
        if (drawn is None) != (recovery is None) and not self.errors:
            self.add_error(
                "drawdown_recovery_min" if recovery is None else "drawdown_drawn_l",
                "Enter both: the volume drawn and the recovery time.",
            )
        return data


class NewJobForm(forms.Form):
    STARTS = (("water", "New job"), ("existing", "Existing installation"), ("report", "From a report"))
    start = forms.ChoiceField(label="Start with", choices=STARTS, required=False)
    name = forms.CharField(
        label="Name of the job", max_length=120, strip=True, widget=forms.TextInput(attrs={"autocomplete": "off", "placeholder": "Name of a new job"})
    )
