"""For whom a job is done, and where: kept apart from the job; a person's data taken out, or removed for good."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db.models import Q

from treatment.language.messages import LANGUAGES

from ..outcome import Done, Refused
from ..records.customer import Customer, Place
from ..records.firm import Workspace
from ..records.job import Job
from .acting import use_case
from .jobs import hold, touch

#: field of the page -> record, its field, how it is called
FIELDS = {
    "customer": ("customer", "name", "Name"), "phone": ("customer", "phone", "Phone"), "email": ("customer", "email", "Mail"),
    "notes": ("customer", "notes", "Notes on the customer"),
    "place": ("place", "name", "Place, in a word or two"), "address": ("place", "address", "Address"), "directions": ("place", "directions", "How to get there and in"),
}  # fmt: skip
LONG = ("notes", "address", "directions")
#: characters that are kept of each
LONGEST = {"name": 120, "phone": 60, "email": 254, "notes": 2000, "address": 500, "directions": 2000}


def told_of(job: Job) -> dict[str, str]:
    """What is known of a job's customer and place, by field of the page."""
    return {name: getattr(getattr(job, record), column, "") or "" if getattr(job, record) else "" for name, (record, column, _) in FIELDS.items()}


@use_case("job.change")
def keep(job: Job, typed: Mapping[str, str], version: int, user: Any) -> Done[None]:
    """Keep who and where. A name that the firm knows already is that customer. Raises Refused beside the fields, Late."""
    told = {name: str(typed.get(name, "")).strip() for name in FIELDS}
    faults = {}
    for name, (_, column, words) in FIELDS.items():
        most = LONGEST[column]
        if len(told[name]) > most:
            faults[name] = f"{words}: at most {most} characters are kept. Shorten it."
    of_customer = [name for name, (record, _, _) in FIELDS.items() if record == "customer" and told[name]]
    if of_customer and not told["customer"]:
        faults["customer"] = "Enter the customer's name."
    if told["email"] and ("@" not in told["email"] or " " in told["email"]):
        faults["email"] = "Enter a mail address, for example mara@valley.example."
    language = str(typed.get("language", job.language))
    if language not in LANGUAGES:
        faults["language"] = "Choose a language."
    if faults:
        raise Refused(faults)
    hold(job)
    touch(job, version, user)
    customer = _customer(job, {column: told[name] for name, (record, column, _) in FIELDS.items() if record == "customer"})
    place = _place(job, {column: told[name] for name, (record, column, _) in FIELDS.items() if record == "place"})
    Job.objects.filter(pk=job.pk).update(customer=customer, place=place, language=language)
    job.customer, job.place, job.language = customer, place, language
    return Done(None)


def _customer(job: Job, told: dict[str, str]) -> Customer | None:
    """The customer of these facts: the job's own, one that the firm knows by this name, or a new one."""
    if not any(told.values()):
        return None
    held = job.customer
    if held is None or held.name.casefold() != told["name"].casefold():
        known = Customer.objects.filter(workspace=job.workspace_id, name__iexact=told["name"]).first()
        if known is not None:
            told = {column: value or getattr(known, column) for column, value in told.items()} | {"name": known.name}
        held = known or (held if held is not None and held.jobs.count() == 1 else Customer(workspace_id=job.workspace_id))
    for column, value in told.items():
        setattr(held, column, value)
    held.save()
    return held


def _place(job: Job, told: dict[str, str]) -> Place | None:
    if not any(told.values()):
        return None
    held = job.place or Place(workspace_id=job.workspace_id)
    for column, value in told.items():
        setattr(held, column, value)
    held.save()
    return held


def found(workspace: Workspace, words: str) -> Any:
    """The customers of a firm whose name, phone or mail holds some words."""
    customers = Customer.objects.filter(workspace=workspace).prefetch_related("jobs__place")
    return customers.filter(Q(name__icontains=words) | Q(phone__icontains=words) | Q(email__icontains=words)) if words else customers


def taken_out(customer: Customer) -> dict[str, Any]:
    """All that is kept of a person, as plain data."""
    return {
        "name": customer.name, "phone": customer.phone, "email": customer.email, "notes": customer.notes,
        "jobs": [
            {"name": job.name, "place": {"name": job.place.name, "address": job.place.address, "directions": job.place.directions} if job.place else None}
            for job in customer.jobs.select_related("place")
        ],
    }  # fmt: skip


@use_case("firm.manage")
def remove(customer: Customer) -> Done[None]:
    """Forget a person: their record and the places of their jobs. The jobs stay, without a name or an address."""
    name, places = customer.name, list(customer.jobs.values_list("place", flat=True))
    customer.delete()
    Place.objects.filter(pk__in=[pk for pk in places if pk], jobs__customer=None).delete()
    return Done(None, f"{name} was removed, with the addresses of their jobs. The jobs were kept.")
