"""Samples: when, where and how the water was taken."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Any

from django import forms
from django.utils import timezone

from ..fields import offer
from ..merging import late_words, settle
from ..readers import written
from ..records.sample import Sample

POINTS = [("raw", "Raw, untreated"), ("pressure_tank", "At the pressure tank"), ("tap", "At a tap in the house")]


FACTS = ("taken_on", "point", "draw", "weather", "method")


def as_seen(sample: Sample) -> str:
    """The facts of a sample as they stand, on one line."""
    return "|".join(str(getattr(sample, name) or "") for name in FACTS)


class SampleForm(forms.ModelForm):  # type: ignore[type-arg]
    """Facts of a sample. ``seen`` is what the page showed when it was opened: what only somebody else changed since stays theirs without
    a word, what both changed is told beside its field, and nothing is written then.
    """

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
        self.late: dict[str, str] = {}
        self.theirs: dict[str, str] = {}
        self.initial["seen"] = self.stands
        for name in ("draw", "weather", "method"):
            field = self.fields[name]
            offer(field, [("", "not given"), *list(getattr(field, "choices", ()))[1:]])
        offered = [*POINTS, *places]
        if self.instance.point not in dict(offered):
            offered.append((self.instance.point, self.instance.point.replace("after:", "After ").replace("_", " ")))
        offer(self.fields["point"], offered)

    def clean(self) -> dict[str, Any] | None:
        """Merged, fact by fact, with what stands now; a form that does not tell what it showed counts as fresh."""
        found = super().clean() or self.cleaned_data
        seen = (found.get("seen") or "").split("|")
        if len(seen) != len(FACTS):
            return found
        sent = {name: str(found[name] or "") for name in FACTS if name in found}
        kept, conflicts = settle(dict(zip(FACTS, seen, strict=True)), sent, dict(zip(FACTS, self.stands.split("|"), strict=True)))
        self.theirs = {name: value for name, value in kept.items() if value != sent[name] and name not in conflicts}
        self.late = {name: late_words(self._said(name, now)) for name, now in conflicts.items()}
        for name, value in self.theirs.items():
            found[name] = (dt.date.fromisoformat(value) if value else None) if name == "taken_on" else value
        for name, words in self.late.items():
            self.add_error(name, words)
        return found

    def _said(self, name: str, value: str) -> str:
        """A fact as people read it."""
        if name == "taken_on":
            return written(dt.date.fromisoformat(value), "j F Y") if value else "no day"
        return str(dict(getattr(self.fields[name], "choices", ())).get(value, value) or "not given")

    def clean_taken_on(self) -> dt.date | None:
        day: dt.date | None = self.cleaned_data["taken_on"]
        if day and day > timezone.localdate() + dt.timedelta(days=1):  # a phone further east is a day ahead
            raise forms.ValidationError("This date is in the future.")
        return day
