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
    400: ("This request was not understood", "Nothing was changed. Go back, reload the page and try again."),
    403: ("You do not have access to this", "Your role can view but not change, or the page has expired. Nothing was changed."),
    404: ("Page not found", "This address does not exist, the job was deleted, or it belongs to another company."),
    409: ("Someone else saved first", "Your change was not saved. Reload the page and make it again."),
    413: ("This is too large", "Nothing was saved. A job file or a report is far smaller; choose another file."),
    422: ("This was not done", "Nothing was changed."),
    429: ("Too many requests", "Nothing was done. Wait a minute, then try again."),
    503: ("The server is busy", "Nothing is lost. Try again in a moment."),
    500: ("Something went wrong on our side", "This change was not saved; earlier changes are safe."),
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
    return told(request, HTTPStatus.FORBIDDEN, "This page was open too long and has expired. Nothing was changed. Reload the page.")
