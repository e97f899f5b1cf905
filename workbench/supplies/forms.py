"""Pump and pressure tank: the parts of a job's supply that have no column."""

from __future__ import annotations

import re
from typing import Any

from django import forms

from treatment.house.pipes import unmade
from treatment.job.facts import PIPE_MATERIALS, spec_at
from treatment.language.errors import Fault
from treatment.language.measures import completed, example_for, switch_points
from treatment.language.spec import BAD

from ..fields import sentence
from ..pages.choice_words import CHOICE_WORDS, EMPTY_WORDS
from ..pages.document_form import Ask, DocumentForm, asked
from ..records.job import Job, Survey
from ..repository.places import held, put, take


class PumpForm(DocumentForm):
    """A pump's curve by points, or by shut-off head and best point; the tank's volume."""

    points = forms.CharField(
        label="Or points of its curve",
        required=False,
        max_length=400,
        widget=forms.TextInput(attrs={"autocomplete": "off"}),
    )

    FIELDS = {
        "shut_off": Ask("supply.pump", "shut_off", "Pressure at no flow", "80 psi"),
        "best_flow": Ask("supply.pump", "best_flow", "Best point: flow", "10 gpm"),
        "best_pressure": Ask("supply.pump", "best_pressure", "Best point: pressure", "50 psi"),
        "pressure_tank": Ask("supply", "pressure_tank", "Pressure tank", "20 gal"),
    }

    def __init__(self, data: Any = None, *, job: Job) -> None:
        super().__init__(data, job=job)
        self.auto_id = "pump_%s"
        curve = (("3 gpm", "85 psi"), ("6 gpm", "70 psi"), ("9 gpm", "50 psi"))
        said = [f"{example_for(flow, 'flow', job.units)} at {example_for(pressure, 'pressure', job.units)}" for flow, pressure in curve]
        self.fields["points"].widget.attrs["placeholder"] = f"e.g. {'; '.join(said)}"
        points = held(job.survey.rest, "supply.pump", "points") or []
        self.initial["points"] = "; ".join(f"{point.get('flow', '')} at {point.get('pressure', '')}" for point in points)
        self.order_fields(["shut_off", "best_flow", "best_pressure", "pressure_tank", "points"])

    def clean_points(self) -> list[dict[str, str]]:
        """The points as a job file writes them; refused in the core's own words."""
        text = self.cleaned_data["points"].strip()
        pieces = [piece.strip() for piece in text.split(";") if piece.strip()]
        pairs = [re.split(r"\s+at\s+|\s*@\s*|,\s+", piece, maxsplit=1) for piece in pieces]
        unpaired = next((piece for piece, pair in zip(pieces, pairs, strict=True) if len(pair) != 2), None)
        if unpaired is not None:
            raise forms.ValidationError(
                f"“{unpaired}” is not a point of the curve. Enter a flow at a pressure, for example {example_for('6 gpm', 'flow', self.job.units)} at "
                f"{example_for('70 psi', 'pressure', self.job.units)}."
            )
        units = self.job.units
        points = [
            {"flow": completed(flow.strip(), "3 gpm", "flow", units), "pressure": completed(pressure.strip(), "85 psi", "pressure", units)}
            for flow, pressure in pairs
        ]
        faults: list[Fault] = []
        if points and (spec_at("supply.pump", "points").read(points, "", faults) is BAD or faults):
            raise forms.ValidationError(sentence(faults[0].message))
        if len(points) == 1:
            raise forms.ValidationError("Enter at least two points of the curve.")
        return points

    def apply(self, survey: Survey) -> dict[str, Any]:
        told = super().apply(survey)
        if "points" in self.sound:
            take(survey.rest, "supply.pump", "points")
            if self.cleaned_data["points"]:
                put(survey.rest, "supply.pump", "points", self.cleaned_data["points"])
        return told

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        curve = ("shut_off", "best_flow", "best_pressure")
        missing = [name for name in curve if not cleaned.get(name) and name not in self.errors]
        if 0 < len(missing) < len(curve) and not self.errors:
            self.add_error(missing[0], "Enter all three: pressure at no flow, and flow and pressure of the best point.")
        return cleaned


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
