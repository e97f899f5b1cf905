"""The firm: its name, and what its new jobs start from."""

from __future__ import annotations

import base64
from typing import Any

from django import forms
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from intake.marks import LARGEST, NoMark, mark
from treatment.job.facts import STANDARDS
from treatment.job.working import working_values
from treatment.language.errors import NotUnderstood
from treatment.language.quantity import parse_quantity
from treatment.language.tables import table

from ..fields import offer
from ..records.firm import Membership, Workspace
from ..repository.catalogues import in_another
from ..usecases import firm as usecases
from ..usecases.access import ask, membership
from ..usecases.roles import may

#: field -> working value, dimension, example
BAGS = {"media_bag": ("packing.media_bag", "volume", "1 ft3"), "salt_bag": ("packing.salt_bag", "mass", "40 lb")}


class FirmForm(forms.ModelForm):  # type: ignore[type-arg]
    """A firm's defaults. ``was`` is what stood when the form was shown: a change by somebody else meanwhile is refused."""

    standard = forms.ChoiceField(label="Limit set of new jobs")
    units = forms.ChoiceField(choices=[("us", "US units"), ("metric", "Metric")], label="Units of new jobs")
    media_bag = forms.CharField(label="Media bag", max_length=30, required=False)
    salt_bag = forms.CharField(label="Salt bag", max_length=30, required=False)
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
        for name, (path, _, example) in BAGS.items():
            self.fields[name].widget.attrs |= {"placeholder": f"e.g. {example}", "autocomplete": "off"}
            if held := self.instance.bags.get(path):
                self.initial[name] = held["typed"]
        self.stands = stands(self.instance)
        self.initial["was"] = self.stands

    def clean(self) -> dict[str, Any] | None:
        """The bags as working values of the core; one of no size is refused beside its field."""
        found, bags = super().clean() or self.cleaned_data, dict[str, Any]()
        for name, (path, dimension, example) in BAGS.items():
            if not (text := " ".join(found.get(name, "").split())):
                continue
            known = working_values()[path]
            try:
                value = parse_quantity(text, dimension).value
            except NotUnderstood as error:
                self.add_error(name, f"{error}.")
                continue
            if not known.least <= value <= known.most:
                self.add_error(name, f"Enter the size of one bag, for example {example}.")
            bags[path] = {"value": round(value, 4), "typed": text}
        self.instance.bags = bags
        return found

    def clean_currency(self) -> str:
        """Not one that a catalogue in use is not in: two currencies never meet in a job."""
        currency = str(self.cleaned_data["currency"]).strip()
        if currency and (held := in_another(self.instance, currency)):
            raise forms.ValidationError(f"The catalog {held[0].name} is in another currency. Stop offering it, and using it, before you change this.")
        return currency

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
    bags = [workspace.bags.get(path, {}).get("typed", "") for path, _, _ in BAGS.values()]
    owners = "owner links" if workspace.owner_links else "no owner links"
    return "|".join([workspace.name, workspace.standard, workspace.units, workspace.currency, owners, *bags])


@require_http_methods(["GET", "POST"])
@transaction.atomic
def firm(request: HttpRequest) -> HttpResponse:
    member = membership(request)
    if request.method == "POST":
        ask(member, "money.change")
        form = FirmForm(request.POST, instance=Workspace.objects.select_for_update().get(pk=member.workspace.pk))
        form.fields["name"].disabled = not may(member.role, "firm.manage")
        if form.is_valid():
            usecases.keep(form.instance)
            return redirect("jobs")
        if "was" in form.errors:
            data = request.POST.copy()
            data["was"] = form.stands
            problem = form.errors["was"]
            form = FirmForm(data, instance=Workspace.objects.get(pk=member.workspace.pk))
            return _firm(request, member, form, 409, problem)
        return _firm(request, member, form, 422)
    return _firm(request, member, FirmForm(instance=member.workspace))


def _firm(request: HttpRequest, member: Membership, form: FirmForm, status: int = 200, problem: Any = "", **more: str) -> HttpResponse:
    """The page: the name is an owner's to change; a person of several firms may open another."""
    if not may(member.role, "firm.manage"):
        form.fields["name"].disabled = True
    firms = Membership.objects.select_related("workspace").filter(user=request.user.pk).order_by("pk")
    manages = may(member.role, "firm.manage")
    return render(
        request, "accounts/firm.html", {"form": form, "problem": problem, "firms": firms, "open": member, "manages": manages} | more, status=status
    )


@require_http_methods(["GET", "POST"])
def firm_mark(request: HttpRequest) -> HttpResponse:
    """The mark of a firm, as papers bear it; an owner sends another, or takes it away."""
    member = membership(request)
    if request.method == "GET":
        if not member.workspace.mark:
            raise Http404
        if member.workspace.mark.startswith("<svg"):
            return HttpResponse(member.workspace.mark, content_type="image/svg+xml")
        return HttpResponse(base64.b64decode(member.workspace.mark.partition(",")[2]), content_type="image/png")
    ask(member, "firm.manage")
    upload = request.FILES.get("mark")
    try:
        kept = "" if request.POST.get("act") == "remove" else mark(upload.read(LARGEST + 1) if upload is not None else b"")
    except NoMark as error:
        return _firm(request, member, FirmForm(instance=member.workspace), 422, mark_problem=str(error))
    usecases.set_mark(member.workspace, kept)
    return redirect("firm")
