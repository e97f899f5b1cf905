"""Samples: when, where and how the water was taken."""

from __future__ import annotations

import datetime as dt

from django import forms
from django.utils import timezone

from .models import Sample

POINTS = [("raw", "Raw, before everything"), ("pressure_tank", "At the pressure tank"), ("tap", "At a tap in the house")]


class SampleForm(forms.ModelForm):  # type: ignore[type-arg]
    point = forms.ChoiceField(choices=POINTS, label="Taken at")

    class Meta:
        model = Sample
        fields = ["taken_on", "point", "draw", "method"]
        labels = {"taken_on": "Taken on", "draw": "Draw", "method": "Measured by"}
        widgets = {"taken_on": forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")}

    def clean_taken_on(self) -> dt.date | None:
        day: dt.date | None = self.cleaned_data["taken_on"]
        if day and day > timezone.localdate():
            raise forms.ValidationError("This day has not come yet.")
        return day
