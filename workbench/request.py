"""What every view is given: Django's request with what our middleware put on it."""

from __future__ import annotations

import math

from django.http import HttpRequest
from django_htmx.middleware import HtmxDetails

from .outcome import Gone, Late, Refused


class Request(HttpRequest):
    """A request of the workbench. htmx: true where a part of a page is asked for, not the page."""

    htmx: HtmxDetails


def number(request: HttpRequest, name: str) -> int | None:
    """A whole number that was posted; None where it is none."""
    return whole(request.POST.get(name, ""))


def whole(text: str) -> int | None:
    """The whole number that a text is, if it is one that a page may have sent; some characters count as digits and are no numbers."""
    return int(text) if text.isdecimal() and len(text) < 10 else None


def decimal(text: str | None) -> float | None:
    """The finite number that a text is; None where it is none."""
    try:
        value = float(text or "")
    except ValueError:
        return None
    return value if math.isfinite(value) else None


def status_of(no: Refused) -> int:
    """The status a page answers a no with that it shows itself. What is gone has a page of its own: raised again."""
    if isinstance(no, Gone):
        raise no
    return 409 if isinstance(no, Late) else 422


def version_of(request: HttpRequest) -> int:
    """The version a form was shown with; -1, which no job has, where it is missing."""
    found = number(request, "version")
    return -1 if found is None else found
