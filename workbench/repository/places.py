"""Places in a job document: which of them have a survey column, and how the rest is reached. Forms, import and export share it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from treatment.job.facts import spec_at
from treatment.language.spec import Choice, Flag, Spec


@dataclass(frozen=True)
class Column:
    """A survey column: its place in the job document, what people call it, an example or hint."""

    column: str
    part: str
    key: str
    label: str
    hint: str = ""

    @property
    def spec(self) -> Spec:
        return spec_at(self.part, self.key)

    @property
    def measured(self) -> bool:
        """Whether it holds a number whose text is kept in ``typed``."""
        return not isinstance(self.spec, Choice | Flag)


COLUMNS = {
    column.column: column
    for column in (
        Column("source_kind", "source", "kind", "Water comes from"),
        Column("disinfectant", "source", "disinfectant", "Disinfectant in it"),
        Column("last_event", "source", "last_event", "Recent event at the source"),
        Column("people", "building", "people", "People", "4"),
        Column("use_per_person_l", "building", "use_per_person", "Use per person a day", "60 gal"),
        Column("bathrooms", "building", "bathrooms", "Bathrooms", "2.5"),
        Column("top_fixture_height_m", "building", "top_fixture_height", "Height of the highest tap", "12 ft"),
        Column("extra_daily_use_l", "building", "extra_daily_use", "Other daily use", "40 gal"),
        Column("flow_l_min", "supply", "flow", "Available flow", "7 gpm"),
        Column("drawdown_drawn_l", "supply.drawdown", "drawn", "Volume drawn", "8 gal"),
        Column("drawdown_recovery_min", "supply.drawdown", "recovery", "Recovery time", "75 s"),
        Column("pressure_low_kpa", "supply", "pressure_low", "Lowest pressure (cut-in)", "40 psi"),
        Column("pressure_high_kpa", "supply", "pressure_high", "Highest pressure (cut-out)", "60 psi"),
        Column("night_pressure_kpa", "supply", "night_pressure", "Pressure at night", "75 psi"),
        Column("temperature_c", "supply", "temperature", "Water temperature", "52 °F"),
        Column("coldest_c", "supply", "coldest", "Lowest water temperature", "45 °F"),
        Column("pipe_material", "supply.pipe", "material", "Pipe"),
        Column("pipe_size_m", "supply.pipe", "size", "Nominal size", "3/4 in"),
        Column("pipe_length_m", "supply.pipe", "length", "Length to the house", "40 ft"),
        Column("soft_water", "wishes", "soft_water", "Soft water"),
        Column("soften_above_mg_l", "wishes", "soften_above", "Soften above", "7 gpg"),
        Column("safe_to_drink", "wishes", "safe_to_drink", "Safe to drink at every tap"),
        Column("low_sodium", "wishes", "low_sodium", "Low-sodium diet"),
        Column("no_salt", "wishes", "no_salt", "No salt"),
        Column("no_power", "wishes", "no_power", "No electric power"),
        Column("spare_outdoor_taps", "wishes", "spare_outdoor_taps", "Outdoor taps stay untreated"),
        Column("target_ph", "wishes", "target_ph", "Target pH", "7.2"),
        Column("peak_flow_school", "schools", "peak_flow", "Peak flow by"),
        Column("iron_school", "schools", "iron_compensation", "Iron counts in the softener"),
        Column("prefilter_school", "schools", "prefilter", "Filter always first"),
        Column("regeneration_school", "schools", "regeneration", "Regenerate"),
    )
}
#: columns that hold a number whose text is kept in ``typed``
MEASURED = frozenset(name for name, column in COLUMNS.items() if column.measured)


def put(document: dict[str, Any], part: str, key: str, value: Any) -> None:
    """Set a value deep in a job document."""
    here = document
    for name in part.split("."):
        here = here.setdefault(name, {})
    here[key] = value


def held(document: dict[str, Any], part: str, key: str) -> Any:
    """A value deep in a job document; None where there is none."""
    here: Any = document
    for name in (*part.split("."), key):
        here = here.get(name) if isinstance(here, dict) else None
    return here


def take(document: dict[str, Any], part: str, key: str) -> Any:
    """Remove and return a value deep in a job document; None where there is none."""
    here: Any = document
    for name in part.split("."):
        here = here.get(name) if isinstance(here, dict) else None
    return here.pop(key, None) if isinstance(here, dict) else None
