"""What a page showed of a train when it asked for an edit."""

from __future__ import annotations

from django.http import HttpRequest

from ..outcome import Refused
from ..request import number
from ..usecases.trains import Seen


def seen_of(request: HttpRequest) -> Seen:
    """The version and the revision that a page sends with an edit. Raises Refused where it sends no version."""
    version = number(request, "version")
    if version is None:
        raise Refused("This page is out of date. Reload it.")
    return Seen(version, number(request, "shown") or 0)
