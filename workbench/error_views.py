"""Pages of our own for what went wrong: what happened, what is safe, and the way back."""

from __future__ import annotations

from http import HTTPStatus
from typing import Any

from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.template.loader import render_to_string
from structlog.contextvars import get_contextvars

#: status -> what happened, what it means for the work
WORDS = {
    400: ("This request could not be read", "Nothing was changed. Go back, reload the page and try again."),
    403: ("This is not open to you", "Your role in the firm lets you look, not change; or the page had grown old. Nothing was changed."),
    404: ("There is no such page", "The job may have been deleted, or it belongs to another firm."),
    409: ("Somebody else changed this meanwhile", "Your change was not made, theirs stands. Open the page anew and make your change on it."),
    413: ("This is too large", "Nothing was stored. A job file or a report is far smaller; choose another file."),
    429: ("Too many at one time", "Nothing was done. Wait a minute, then try again."),
    503: ("Too many are at it just now", "Nothing is lost. Go back and ask for it again in a moment."),
    500: ("This went wrong on our side", "Nothing of this change was stored. What was saved before is safe."),
}


def told(request: HttpRequest, status: int, why: str = "") -> HttpResponse:
    """The page of a status. why: more of the reason, in words."""
    title, means = WORDS.get(status, WORDS[400])
    context = {"status": status, "title": title, "means": why or means, "request_id": get_contextvars().get("request_id", "")}
    return render(request, "refused.html", context, status=status)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    too_large = type(exception).__name__ == "RequestDataTooBig"
    return told(request, HTTPStatus.REQUEST_ENTITY_TOO_LARGE if too_large else HTTPStatus.BAD_REQUEST)


def forbidden(request: HttpRequest, exception: Exception) -> HttpResponse:
    return told(request, HTTPStatus.FORBIDDEN, str(exception))


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    return told(request, HTTPStatus.NOT_FOUND)


def failed(request: HttpRequest) -> HttpResponse:
    """Our failure; where the database is away, a page that asks nothing of it."""
    try:
        return told(request, HTTPStatus.INTERNAL_SERVER_ERROR)
    except (OperationalError, InterfaceError):
        return away()


def away() -> HttpResponse:
    """The page while the database is away."""
    number = get_contextvars().get("request_id", "")
    return HttpResponse(render_to_string("away.html", {"request_id": number}), status=HTTPStatus.SERVICE_UNAVAILABLE, headers={"Retry-After": "10"})


def form_too_old(request: HttpRequest, reason: str = "", **_: Any) -> HttpResponse:
    """A form without a token that counts: the page stood open too long, or the cookies were taken away."""
    return told(
        request, HTTPStatus.FORBIDDEN, "This page had stood open too long, so its form no longer counts. Nothing was changed: open the page anew."
    )
