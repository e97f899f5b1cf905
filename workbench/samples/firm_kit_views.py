"""A firm's own kits: copy a shipped one, change its pads, colours and waits, no longer offer it."""

from __future__ import annotations

import json
from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from treatment.evidence.kits import kit_from, kits

from ..outcome import Late, Refused
from ..records.sample import FirmKit
from ..request import Request, status_of, whole
from ..usecases.access import ask, membership
from ..usecases.firm_kits import TIMES, TOLD_BY, changed, copied, fields_of, retire


@require_GET
def kit_shelf(request: Request) -> HttpResponse:
    """The shipped kits, to copy, and the firm's own."""
    member = membership(request)
    return render(request, "samples/firm_kits.html", {"shipped": kits().values(), "own": FirmKit.objects.filter(workspace=member.workspace)})


@require_POST
def kit_copy(request: Request) -> HttpResponse:
    member = membership(request)
    ask(member, "money.change")
    return redirect("firm-kit", copied(member.workspace, request.POST.get("kit", "")).made.pk)


@require_http_methods(["GET", "POST"])
def kit_edit(request: Request, pk: int) -> HttpResponse:
    """A kit of the firm's: what is wrong stands beside its field, and everything stays typed."""
    member = membership(request)
    held = get_object_or_404(FirmKit, workspace=member.workspace, pk=pk)
    context: dict[str, Any] = {
        "held": held,
        "name": held.name,
        "blind": held.row["blind"],
        "faults": {},
        "rows": _rows(held),
        "shown": json.dumps(fields_of(held)),
    }
    if request.method == "GET":
        return render(request, "samples/firm_kit.html", context)
    ask(member, "money.change")
    if "retire" in request.POST:
        retire(held)
        return redirect("firm-kits")
    typed = context | {"name": request.POST.get("name", ""), "blind": request.POST.get("blind", ""), "rows": _rows(held, request.POST)}
    try:
        kept = changed(member.workspace, pk, whole(request.POST.get("version", "")) or 0, request.POST)
    except Late as late:
        if late.stands is None:
            return render(request, "samples/firm_kit.html", typed | {"stale": True}, status=409)
        fresh = {"name": late.stands.get("name", ""), "blind": late.stands.get("blind", ""), "rows": _rows(held, late.stands, late.fields)}
        return render(request, "samples/firm_kit.html", context | fresh | {"faults": late.fields}, status=409)
    except Refused as error:
        return render(
            request,
            "samples/firm_kit.html",
            typed | {"faults": error.fields, "rows": _rows(held, request.POST, error.fields)},
            status=status_of(error),
        )
    messages.success(request, kept.words)
    return redirect("firm-kits")


def _rows(held: FirmKit, typed: Any = None, faults: dict[str, str] | None = None) -> list[dict[str, Any]]:
    """Each test as the page shows it, with what was typed and what is wrong with it."""
    stands, found = fields_of(held), []
    told = stands if typed is None else typed
    for test in kit_from(held.key, held.row, TOLD_BY).tests:
        named = [(f"{name}-{test.key}", words) for name, words in TIMES.items()]
        times = [{"name": field, "words": words, "value": told.get(field, ""), "fault": (faults or {}).get(field, "")} for field, words in named]
        pads = f"pads-{test.key}"
        found.append({
            "test": test, "times": times, "keep": told.get(f"keep-{test.key}") == "1", "pads": pads if test.pads else "",
            "chart": told.get(pads, ""), "fault": (faults or {}).get(pads, "") or (faults or {}).get(f"keep-{test.key}", ""),
        })  # fmt: skip
    return found
