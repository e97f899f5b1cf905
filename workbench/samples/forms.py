"""Samples: when, where and how the water was taken."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Any

from django import forms
from django.utils import timezone

from .models import Sample

POINTS = [("raw", "Raw, before everything"), ("pressure_tank", "At the pressure tank"), ("tap", "At a tap in the house")]


class SampleForm(forms.ModelForm):  # type: ignore[type-arg]
    point = forms.ChoiceField(choices=POINTS, label="Taken at")

    class Meta:
        model = Sample
        fields = ["taken_on", "point", "draw", "weather", "method"]
        labels = {"taken_on": "Taken on", "draw": "Draw", "weather": "Weather", "method": "Measured by"}
        widgets = {"taken_on": forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")}

    def __init__(self, *args: Any, places: Sequence[tuple[str, str]] = (), **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name in ("draw", "weather", "method"):
            self.fields[name].choices = [("", "not told"), *self.fields[name].choices[1:]]  # type: ignore[attr-defined]
        offered = [*POINTS, *places]
        if self.instance.point not in dict(offered):
            offered.append((self.instance.point, self.instance.point.replace("after:", "After ").replace("_", " ")))
        self.fields["point"].choices = offered  # type: ignore[attr-defined]

    def clean_taken_on(self) -> dt.date | None:
        day: dt.date | None = self.cleaned_data["taken_on"]
        if day and day > timezone.localdate():
            raise forms.ValidationError("This day has not come yet.")
        return day
