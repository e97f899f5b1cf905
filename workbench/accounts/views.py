"""The firm: its name, and what its new jobs start from."""

from __future__ import annotations

from typing import Any

from django import forms
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from treatment.job.facts import STANDARDS
from treatment.language.tables import table

from ..fields import offer
from .access import may_change, membership
from .models import Workspace


class FirmForm(forms.ModelForm):  # type: ignore[type-arg]
    """A firm's defaults. ``was`` is what stood when the form was shown: a change by somebody else meanwhile is refused."""

    standard = forms.ChoiceField(label="Limit set of new jobs")
    units = forms.ChoiceField(choices=[("us", "US units"), ("metric", "Metric")], label="Units of new jobs")
    was = forms.CharField(widget=forms.HiddenInput, required=False)

    class Meta:
        model = Workspace
        fields = ["name", "standard", "units", "currency", "owner_links"]
        labels = {
            "name": "Company name",
            "currency": "Currency",
            "owner_links": "Owners can have a private link to the log of their house",
        }
        widgets = {"currency": forms.TextInput(attrs={"placeholder": "e.g. $, €, £, CHF", "autocomplete": "off"})}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        sets = table("limits")
        offer(self.fields["standard"], [(name, f"{sets[name]['title']}, {sets[name]['edition']}") for name in STANDARDS])
        self.stands = stands(self.instance)
        self.initial["was"] = self.stands

    def clean_was(self) -> str:
        if self.cleaned_data["was"] != self.stands:
            raise forms.ValidationError(
                "Someone else changed this since you opened it. Saved version: "
                + self.stands.replace("|", ", ")
                + ". Save again to keep your values."
            )
        return self.stands


def stands(workspace: Workspace) -> str:
    """What is stored of a firm, as one text."""
    return (
        f"{workspace.name}|{workspace.standard}|{workspace.units}|{workspace.currency}|{'owners may' if workspace.owner_links else 'owners may not'}"
    )


@require_http_methods(["GET", "POST"])
@transaction.atomic
def firm(request: HttpRequest) -> HttpResponse:
    member = membership(request)
    if request.method == "POST":
        may_change(member)
        form = FirmForm(request.POST, instance=Workspace.objects.select_for_update().get(pk=member.workspace.pk))
        if form.is_valid():
            form.instance.chosen = True
            form.save()
            return redirect("jobs")
        if "was" in form.errors:
            data = request.POST.copy()
            data["was"] = form.stands
            problem = form.errors["was"]
            form = FirmForm(data, instance=Workspace.objects.get(pk=member.workspace.pk))
            return render(request, "accounts/firm.html", {"form": form, "problem": problem}, status=409)
        return render(request, "accounts/firm.html", {"form": form}, status=422)
    return render(request, "accounts/firm.html", {"form": FirmForm(instance=member.workspace)})
