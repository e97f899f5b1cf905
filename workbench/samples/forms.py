"""Samples: when, where and how the water was taken."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Any

from django import forms
from django.utils import timezone

from ..fields import offer
from .models import Sample

POINTS = [("raw", "Raw, untreated"), ("pressure_tank", "At the pressure tank"), ("tap", "At a tap in the house")]


def as_seen(sample: Sample) -> str:
    """The facts of a sample as they stand, on one line."""
    return "|".join(str(getattr(sample, name) or "") for name in ("taken_on", "point", "draw", "weather", "method"))


class SampleForm(forms.ModelForm):  # type: ignore[type-arg]
    """Facts of a sample. ``seen`` is what the page showed when it was opened, so that a later change by somebody else is noticed."""

    point = forms.ChoiceField(choices=POINTS, label="Taken at")
    seen = forms.CharField(widget=forms.HiddenInput, required=False, max_length=200)

    class Meta:
        model = Sample
        fields = ["taken_on", "point", "draw", "weather", "method"]
        labels = {"taken_on": "Taken on", "draw": "Draw", "weather": "Weather", "method": "Measured by"}
        widgets = {"taken_on": forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")}

    def __init__(self, *args: Any, places: Sequence[tuple[str, str]] = (), **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.stands = as_seen(self.instance)
        self.initial["seen"] = self.stands
        for name in ("draw", "weather", "method"):
            field = self.fields[name]
            offer(field, [("", "not given"), *list(getattr(field, "choices", ()))[1:]])
        offered = [*POINTS, *places]
        if self.instance.point not in dict(offered):
            offered.append((self.instance.point, self.instance.point.replace("after:", "After ").replace("_", " ")))
        offer(self.fields["point"], offered)

    @property
    def stale(self) -> bool:
        """Whether the sample was changed since this form was shown; a form that does not tell counts as fresh."""
        seen = self.cleaned_data.get("seen")
        return bool(seen) and seen != self.stands

    def clean_taken_on(self) -> dt.date | None:
        day: dt.date | None = self.cleaned_data["taken_on"]
        if day and day > timezone.localdate() + dt.timedelta(days=1):  # a phone further east is a day ahead
            raise forms.ValidationError("This date is in the future.")
        return day
