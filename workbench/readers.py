"""How the people of a job write: days, times and spelling, by the job's limit set. Known from the first look at the job to the end of a request."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse
from django.utils.dateformat import format as written_as

from treatment.language.messages import messages_in
from treatment.language.spelling import spelled_page
from treatment.language.translated import translated

_STANDARD: ContextVar[str] = ContextVar("standard", default="")
_LANGUAGE: ContextVar[str] = ContextVar("language", default="en")
#: ways of writing a day or a time -> how people of the United States write it
OF_THE_US = {
    "j M Y": "M j, Y", "j F Y": "F j, Y", "j M": "M j", "j M Y, H:i": "M j, Y, g:i A", "j F Y, H:i": "F j, Y, g:i A", "j M, H:i": "M j, g:i A",
    "D j M, H:i": "D, M j, g:i A", "D j M Y, H:i": "D, M j, Y, g:i A", "l j F, H:i": "l, F j, g:i A", "D j M": "D, M j", "D H:i": "D g:i A",
    "H:i:s": "g:i:s A", "H:i": "g:i A",
}  # fmt: skip


def read_by(standard: str, language: str = "en") -> None:
    """What is shown from here on is read by people of this limit set, in this language."""
    _STANDARD.set(standard)
    _LANGUAGE.set(language)


def written(moment: dt.date | dt.datetime | None, way: str) -> str:
    """A day or a time as its readers write it. way: as Django's dates have it, in the order day, month, year."""
    if moment is None or moment == "":
        return ""
    return written_as(moment, OF_THE_US[way] if _STANDARD.get() == "us" else way)


class Spelling:
    """Pages in the spelling of who reads them."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        read_by("")
        response = self.get_response(request)
        if not response.streaming and response.get("Content-Type", "").startswith("text/html"):
            page = response.content.decode(response.charset)
            if (other := as_read(page, _LANGUAGE.get())) is not page:
                response.content = other.encode(response.charset)
                if response.has_header("Content-Length"):
                    response["Content-Length"] = str(len(response.content))
        return response


def as_read(page: str, language: str = "en") -> str:
    """A page or a paper in the language, or the spelling, of who reads it."""
    say = messages_in(language)
    if say is None:
        return spelled_page(page, _STANDARD.get())
    return translated(page, say).replace('<html lang="en"', f'<html lang="{language}"', 1)
