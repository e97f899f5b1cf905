"""Around every request: its number and its line in the log, and a page of our own where a change came too late."""

from __future__ import annotations

import sys
import time
import uuid
from collections.abc import Callable
from contextlib import suppress
from ipaddress import ip_address

import structlog
from django.conf import settings
from django.contrib import messages
from django.core.exceptions import ObjectDoesNotExist
from django.core.signals import got_request_exception
from django.db import IntegrityError, InterfaceError, OperationalError, connections
from django.dispatch import receiver
from django.http import Http404, HttpRequest, HttpResponse, QueryDict
from psycopg.errors import DeadlockDetected, LockNotAvailable, SerializationFailure

from treatment.language.spec import UNFIT

from .error_views import away, told
from .outcome import Gone, Late, Refused
from .who import a_request

#: addresses that are open to who has no log-in, and the most that is read there [bytes]
DOORS, LONGEST = ("/house/", "/devices/", "/calendar/"), 20_000

log = structlog.get_logger("workbench.request")


class ClientAddress:
    """The address of who asks, where proxies stand before the application: what the outermost of our own wrote down.

    What a client itself puts into the header stands further to the front and is never read.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if settings.PROXIES:
            passed = [part.strip() for part in request.META.get("HTTP_X_FORWARDED_FOR", "").split(",")]
            with suppress(ValueError, IndexError):
                request.META["REMOTE_ADDR"] = str(ip_address(passed[-settings.PROXIES]))
        return self.get_response(request)


class RequestLog:
    """One structured line for each request: number, page, status and time taken; no address typed, no name, no reading."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        number, began = uuid.uuid4().hex[:12], time.perf_counter()
        with structlog.contextvars.bound_contextvars(request_id=number), a_request():
            response = self.get_response(request)
            match = request.resolver_match
            log.info(
                "request",
                method=request.method if request.method in ("GET", "POST", "HEAD") else "other",
                page=match.view_name if match else "",
                job=match.kwargs.get("pk") if match else None,
                status=response.status_code,
                ms=round((time.perf_counter() - began) * 1000, 1),
            )
        response["X-Request-ID"] = number
        if "Cache-Control" not in response:  # static files bring their own
            response["Cache-Control"] = "private, no-store"
        return response

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        """A change on something that somebody else changed, or took away, is refused with a page that says so."""
        if isinstance(exception, IntegrityError):
            log.warning("refused by the database", error=type(exception).__name__)
        if isinstance(exception, ObjectDoesNotExist | Gone):  # taken away between two looks at it
            return told(request, 404)
        if isinstance(exception, OperationalError) and isinstance(exception.__cause__, DeadlockDetected | SerializationFailure | LockNotAvailable):
            log.warning("two at once", error=type(exception.__cause__).__name__)
            return told(request, 409)
        if isinstance(exception, Refused):
            return told(request, 409) if isinstance(exception, Late) else told(request, 422, str(exception))
        return told(request, 409) if isinstance(exception, IntegrityError) else None


class OnceMore:
    """Where the database's line was cut under a request, a look is looked at once more; a change is told that it may not have been kept."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        for _ in range(2):
            response = self.get_response(request)
            if id(request) not in _CUT:
                return response
            _CUT.discard(id(request))
            log.warning("the database's line was cut", method=request.method)
            for each in connections.all(initialized_only=True):
                each.close()
            if request.method not in ("GET", "HEAD"):
                break
        return away()


#: requests under which the line was cut
_CUT: set[int] = set()


@receiver(got_request_exception)
def cut(sender: object, request: HttpRequest, **kwargs: object) -> None:
    """Note a request that failed since the database's line was cut."""
    error = sys.exc_info()[1]
    if isinstance(error, OperationalError | InterfaceError) and not isinstance(
        error.__cause__, DeadlockDetected | SerializationFailure | LockNotAvailable
    ):
        _CUT.add(id(request))


class Doors:
    """What comes without a log-in is bounded before any of it is read: one place for all such doors."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not request.path.startswith(DOORS):
            return self.get_response(request)
        told_length = request.META.get("CONTENT_LENGTH") or "0"
        fits = told_length.isdecimal() and len(told_length) < 10 and int(told_length) <= LONGEST
        response = (
            self.get_response(request)
            if fits
            else told(request, 413, f"At most {LONGEST // 1000} kB are accepted here. Nothing was saved; send it in parts.")
        )
        response["X-Robots-Tag"] = "noindex, nofollow"
        response["Referrer-Policy"] = "same-origin"
        return response


class PlainText:
    """The one door for typed text: characters that cannot be stored or written in a file are left out, and that is said."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(self, request: HttpRequest, view: object, args: object, kwargs: dict[str, object]) -> None:
        if any(isinstance(value, str) and UNFIT.search(value) for value in kwargs.values()):
            raise Http404
        asked, sent = _fit(request.GET), _fit(request.POST)
        if asked is not None:
            request.GET = asked  # type: ignore[assignment]
        if sent is not None:
            request.POST = sent  # type: ignore[assignment]
            messages.warning(request, "Some characters you typed cannot be printed and were removed.")


def _fit(typed: QueryDict) -> QueryDict | None:
    """The same without characters that are unfit; None where there is none."""
    if not any(UNFIT.search(text) for name, values in typed.lists() for text in (name, *map(str, values))):
        return None
    clean = QueryDict(mutable=True)
    for name, values in typed.lists():
        clean.setlist(UNFIT.sub("", name), [UNFIT.sub("", str(value)) for value in values])
    return clean
