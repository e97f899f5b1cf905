"""A firm's own kits: copy a shipped one, change its pads, colours and waits, no longer offer it."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from treatment.evidence.kits import chart_text, in_time, kit_from, kits

from ..accounts.access import may_change, membership
from ..request import Request, whole
from .firm_kits import TIMES, TOLD_BY, Unclear, changed, copied
from .models import FirmKit


@require_GET
def kit_shelf(request: Request) -> HttpResponse:
    """The shipped kits, to copy, and the firm's own."""
    member = membership(request)
    return render(request, "samples/firm_kits.html", {"shipped": kits().values(), "own": FirmKit.objects.filter(workspace=member.workspace)})


@require_POST
def kit_copy(request: Request) -> HttpResponse:
    member = membership(request)
    may_change(member)
    try:
        kit = copied(member.workspace, request.POST.get("kit", ""))
    except KeyError:
        raise Http404 from None
    return redirect("firm-kit", kit.pk)


@require_http_methods(["GET", "POST"])
def kit_edit(request: Request, pk: int) -> HttpResponse:
    """A kit of the firm's: what is wrong stands beside its field, and everything stays typed."""
    member = membership(request)
    held = get_object_or_404(FirmKit, workspace=member.workspace, pk=pk)
    context: dict[str, Any] = {"held": held, "name": held.name, "blind": held.row["blind"], "faults": {}, "rows": _rows(held)}
    if request.method == "GET":
        return render(request, "samples/firm_kit.html", context)
    may_change(member)
    if "retire" in request.POST:
        FirmKit.objects.filter(pk=held.pk).update(retired=not held.retired)
        return redirect("firm-kits")
    typed = context | {"name": request.POST.get("name", ""), "blind": request.POST.get("blind", ""), "rows": _rows(held, request.POST)}
    try:
        kept = changed(member.workspace, pk, whole(request.POST.get("version", "")) or 0, request.POST)
    except Unclear as error:
        return render(request, "samples/firm_kit.html", typed | {"faults": error.fields, "rows": _rows(held, request.POST, error.fields)}, status=422)
    if kept is None:
        return render(request, "samples/firm_kit.html", typed | {"stale": True}, status=409)
    messages.success(request, f"{kept.name} was saved.")
    return redirect("firm-kits")


def _rows(held: FirmKit, typed: Any = None, faults: dict[str, str] | None = None) -> list[dict[str, Any]]:
    """Each test as the page shows it, with what was typed and what is wrong with it."""
    found = []
    for test in kit_from(held.key, held.row, TOLD_BY).tests:
        times = []
        for name, words in TIMES.items():
            field = f"{name}-{test.key}"
            stands = in_time(getattr(test, name)) if getattr(test, name) < 3600 else f"{getattr(test, name) / 3600:g} h"
            times.append(
                {"name": field, "words": words, "value": stands if typed is None else typed.get(field, ""), "fault": (faults or {}).get(field, "")}
            )
        pads = f"pads-{test.key}"
        found.append({
            "test": test, "times": times, "keep": typed is None or typed.get(f"keep-{test.key}") == "1", "pads": pads if test.pads else "",
            "chart": chart_text(test) if typed is None else typed.get(pads, ""), "fault": (faults or {}).get(pads, ""),
        })  # fmt: skip
    return found
