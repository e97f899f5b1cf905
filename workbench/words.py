"""The page of words: what the trade's terms mean, short, with a drawing where it helps."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from treatment.language.tables import table


def words() -> dict[str, dict[str, Any]]:
    """Every word by its key, in the order in which a newcomer meets them."""
    return table("words")


def word_of_figure(name: str) -> str:
    """The word that explains a figure; empty where none does."""
    return next((key for key, row in words().items() if name in row.get("figures", ())), "")


@require_GET
def page(request: HttpRequest) -> HttpResponse:
    return render(request, "words.html", {"words": words()})
