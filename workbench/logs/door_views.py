"""Doors without a log-in: devices write readings, the owner of one house reads what is theirs to do and writes it down."""

from __future__ import annotations

import datetime as dt
import json
import secrets
from dataclasses import dataclass
from typing import Any

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from treatment.language.spec import holds_unfit
from treatment.operation.entry.line import LogLine

from ..outcome import Refused
from ..readers import read_by
from ..records.log import OwnerLink
from ..request import Request, number, status_of
from ..usecases import books as services
from ..usecases import doors
from ..usecases.access import job_for
from ..usecases.books import Book
from ..who import DEVICE, HOUSE, acts_as
from .entering import entered
from .page import EXAMPLES, due_rows, entries_of
from .views import day_of, kept_words, logbook_page

OWNER = "owner"
#: entries of the owner's own that are shown again
SHOWN = 12


# --- devices ---------------------------------------------------------------------------------------------------------------
@require_POST
def device(request: Request, pk: int) -> HttpResponse:
    """A device that may write readings: made, its token told once; or ended."""
    job = job_for(request, pk, act="link.make")
    if (ended := number(request, "end")) is not None:
        doors.end_device(job, ended)
        return redirect(reverse("logbook", args=[pk]) + "#tools")
    made, token = doors.new_device(job, request.POST.get("name", ""), request.user).made
    return logbook_page(request, job, token=token, token_of=made.name)


def device_door(request: HttpRequest) -> HttpResponse:
    """Where devices write: ``Authorization: Bearer TOKEN`` and a JSON object {"readings": {…}, "on": day, "key": …}.

    200 kept or again; 401 no token that is known; 422 what cannot be taken; 429 more than 30 in a minute.
    """
    if request.method != "POST":
        return JsonResponse({"problem": "expected POST"}, status=405)
    found = doors.device_of(request.headers.get("Authorization", "").removeprefix("Bearer ").strip())
    if found is None:
        return JsonResponse({"problem": "this token is not known"}, status=401)
    acts_as(DEVICE)
    if not doors.may_send(found):
        return JsonResponse({"problem": f"at most {doors.RATE} entries in a minute"}, status=429)
    if (request.content_type or "").startswith("multipart/"):
        return JsonResponse({"problem": "expected a JSON object, not a form"}, status=422)
    try:
        told = json.loads(request.body)
        if holds_unfit(told):
            raise ValueError("characters that cannot be kept")
        readings, key = told["readings"], str(told.get("key", ""))[:40]
        on = dt.date.fromisoformat(told["on"]) if "on" in told else timezone.localdate()
        if not isinstance(readings, dict) or not readings:
            raise ValueError("expected readings")
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        return JsonResponse({"problem": f"expected a JSON object with readings: {error}"}, status=422)
    try:
        made = services.add(found.log.job, [(on, {"readings": readings})], None, f"d{found.pk}-{key}" if key else "", by=f"device {found.name}").made
    except Refused as error:
        return JsonResponse({"problem": str(error)}, status=status_of(error))
    return JsonResponse({"status": "kept" if made else "again"})


# --- the owner -------------------------------------------------------------------------------------------------------------
@require_POST
def owner(request: Request, pk: int) -> HttpResponse:
    """A private address for the owner of a house: made, or ended."""
    job = job_for(request, pk, act="link.make")
    if (ended := number(request, "end")) is not None:
        doors.end_owner_link(job, ended)
        return redirect(reverse("logbook", args=[pk]) + "#tools")
    try:
        _, secret = doors.new_owner_link(job, request.user).made
    except Refused as error:
        return logbook_page(request, job, status_of(error), owner_problem=str(error))
    return logbook_page(request, job, secret_address=reverse("house", args=[secret]), secret_of="the owner")


@dataclass(frozen=True)
class Door:
    """An owner at the door of a house: the address they came by, and its secret."""

    link: OwnerLink
    secret: str

    @property
    def book(self) -> Book:
        """The log behind it. Raises Http404 where there is none."""
        found = services.opened(self.link.log.job)
        if found is None:
            raise Http404
        return found


def _door(secret: str) -> Door:
    """The owner's door. Raises Http404 for an address that is not, or no longer, one."""
    link = doors.owner_link(secret)
    if link is None:
        raise Http404
    acts_as(HOUSE)
    read_by(link.log.job.standard, link.log.job.language)
    return Door(link, secret)


def _refused(request: HttpRequest, door: Door) -> HttpResponse | None:
    """The answer to who writes too often, before anything is worked out; None for others."""
    if not doors.may_send(door.link):
        typed = {name: request.POST.get(name, "")[:2000] for name in ("line", "amount", "task")}
        shown = {"typed": typed["line"], "task_of": typed["task"], "task_amount": typed["amount"]}
        return _house(request, door, door.book, 429, problem="Too many entries at once. Wait a minute, then send it again.", **shown)
    return None


def _house(request: HttpRequest, door: Door, book: Book, status: int = 200, **more: Any) -> HttpResponse:
    today = timezone.localdate()
    mine = [each for each in book.diagnosis.due if each.task.row.who == OWNER]
    context = {
        "secret": door.secret, "job": book.job, "today": today, "example": EXAMPLES[book.job.units], "key": secrets.token_hex(8),
        "dangers": [cause for cause in services.standing(book) if cause.severity == "danger"],
        "due": due_rows(mine, book.job.units, book.names, today),
        "entries": entries_of(book, book.log.entries.filter(gone=False, by=None, by_name=OWNER)[:SHOWN]),
    }  # fmt: skip
    response = render(request, "logs/house.html", context | more, status=status)
    response["Referrer-Policy"], response["X-Robots-Tag"] = "same-origin", "noindex, nofollow"
    return response


@require_GET
def house(request: HttpRequest, secret: str) -> HttpResponse:
    """What the owner of a house has to do, and where they write it down; nothing of any other house, nothing of the design."""
    door = _door(secret)
    return _house(request, door, door.book)


@require_POST
def house_entry(request: HttpRequest, secret: str) -> HttpResponse:
    """A line of the owner's: readings, what was seen, and tasks that are theirs."""
    door = _door(secret)
    if (refused := _refused(request, door)) is not None:
        return refused
    book = door.book
    typed, on = request.POST.get("line", ""), day_of(request.POST.get("on", ""))
    form = entered(request.POST, LogLine(book.design.chosen, book.tasks, book.job.units), owner=True)
    theirs = {task.id for task in book.tasks if task.row.who == OWNER}
    shown: dict[str, Any] = {"typed": typed, "pieces": form.left, "on": on}
    if on is None:
        return _house(request, door, book, 422, problem="Enter the date, for example 2026-11-24.", **shown)
    bodies = form.bodies()
    if other := next((body["did"] for body in bodies if "did" in body and body["did"] not in theirs), None):
        return _house(request, door, book, 422, problem=f"{other} is recorded only by {book.job.workspace.name}. Write a note instead.", **shown)
    if form.left or not bodies:
        return _house(request, door, book, 422, problem="" if form.left else "Nothing was entered.", **shown)
    if asked := services.asked_of_meter(book.job, on, bodies, request.POST.get("sure", "")):
        return _house(request, door, book, 422, asked=asked, sure=services.meter_in(bodies), **shown)
    return _keep(request, door, book, [(on, body) for body in bodies], form.words, shown)


@require_POST
def house_done(request: HttpRequest, secret: str) -> HttpResponse:
    """A task of the owner's, ticked, with the amount where it takes one."""
    door = _door(secret)
    if (refused := _refused(request, door)) is not None:
        return refused
    book = door.book
    task = next((task for task in book.tasks if task.id == request.POST.get("task") and task.row.who == OWNER), None)
    amount = request.POST.get("amount", "").strip()
    on = day_of(request.POST.get("on", "")) if request.POST.get("on") else timezone.localdate()
    shown = {"task_of": request.POST.get("task", ""), "task_amount": amount, "task_on": request.POST.get("on", "")}
    if task is None:
        return _house(request, door, book, 422, problem=f"Only {book.job.workspace.name} records this. Write a note instead.", **shown)
    if on is None:
        return _house(request, door, book, 422, problem="Enter the date, for example 2026-11-24.", **shown)
    return _keep(request, door, book, [(on, {"did": task.id} | ({"amount": amount} if amount else {}))], task.row.task, shown)


def _keep(
    request: HttpRequest, door: Door, book: Book, entries: list[tuple[dt.date, dict[str, Any]]], words: str, shown: dict[str, Any]
) -> HttpResponse:
    try:
        done = services.add(book.job, entries, None, f"o{door.link.pk}-{request.POST.get('key', '')[:40]}", by=OWNER)
    except Refused as error:
        return _house(request, door, book, status_of(error), problem=str(error), **shown)
    messages.success(request, kept_words(f"Saved: {words}.", len(done.made), len(entries)))
    return redirect("house", door.secret)
