"""The forms of a page, as a browser would send them; and the pages of a job that have forms."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from html.parser import HTMLParser

from django.http import HttpResponse
from django.test import Client
from django.urls import resolve, reverse

from treatment.evidence.kits import kits
from workbench.records.job import Job

OF_A_JOB = (
    "site", "water", "supply", "train", "wall", "year", "year-what-if", "choices", "kits", "options", "water-says", "water-history", "shelf", "panel",
    "materials", "issues", "job-customer", "site-files", "job-history", "commission", "logbook", "logbook-table",
)  # fmt: skip
OF_THE_FIRM = ("jobs", "account", "firm", "prices", "catalogues", "people", "customers", "firm-history", "job-import", "calendar")


@dataclass
class Form:
    """address: as the form says it; method: get or post; fields: what each holds; buttons: name and value of those that have one; page: where it stands."""

    address: str
    method: str
    fields: dict[str, str] = field(default_factory=dict)
    buttons: list[tuple[str, str]] = field(default_factory=list)
    page: str = ""

    @property
    def like(self) -> tuple[str, ...]:
        """What a form that stands on many pages has in common: where it is sent, its fields, its act, its buttons."""
        return self.name, *sorted(self.fields), self.fields.get("action", ""), *(f"{name}={value}" for name, value in self.buttons)

    @property
    def name(self) -> str:
        """The name of the page it is sent to."""
        return str(resolve(self.address.partition("?")[0].partition("#")[0]).url_name)

    @property
    def ways(self) -> list[dict[str, str]]:
        """What is sent: once for every button that says something of its own."""
        return [self.fields | dict([button]) for button in self.buttons] or [self.fields]

    def send(self, client: Client, values: dict[str, str] | None = None) -> HttpResponse:
        """Send it, as it stands or with these values."""
        data = self.fields if values is None else values
        return client.post(self.address, data) if self.method == "post" else client.get(self.address, data)  # type: ignore[return-value]


class Forms(HTMLParser):
    """Forms of a page: what is shown at ``page`` and posts without an address is sent there."""

    def __init__(self, html: str, page: str) -> None:
        super().__init__()
        self.found: list[Form] = []
        self.page, self.inside, self.select = page, False, ""
        self.feed(html)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        at = {name: value or "" for name, value in attrs}
        name = at.get("name", "")
        if tag == "form":
            self.inside = True
            method = "post" if "hx-post" in at else at.get("method", "get").lower()
            self.found.append(Form(at.get("action") or at.get("hx-post") or at.get("hx-get") or self.page, method, page=self.page))
        elif not self.inside:
            return
        elif tag == "button" and name:
            self.found[-1].buttons.append((name, at.get("value", "")))
        elif tag == "option" and self.select and ("selected" in at or self.select not in self.found[-1].fields):
            self.found[-1].fields[self.select] = at.get("value", "")
        elif tag == "select":
            self.select = name
        elif tag in ("input", "textarea") and name and not (at.get("type") in ("radio", "checkbox") and "checked" not in at):
            self.found[-1].fields[name] = at.get("value", "")

    def handle_endtag(self, tag: str) -> None:
        self.inside = self.inside and tag != "form"
        if tag == "select":
            self.select = ""


def pages_with_forms(client: Client, job: Job) -> Iterator[str]:
    """Every page of a job, a kit that is open among them, and the pages of the firm."""
    client.post(reverse("kit-open", args=[job.pk]), {"kit": next(iter(kits())), "point": "raw"})
    yield reverse("kit-session", args=[job.pk, job.kit_sessions.all()[0].pk])
    yield from (reverse(name, args=[job.pk]) for name in OF_A_JOB)
    yield from (reverse(name) for name in OF_THE_FIRM)


def forms_shown(client: Client, job: Job) -> list[Form]:
    """Every form that changes something, of all pages."""
    return [form for page in pages_with_forms(client, job) for form in forms_of(client, page)]


def forms_of(client: Client, page: str) -> list[Form]:
    """The forms of one page that change something, as it stands now."""
    found = Forms(client.get(page).content.decode(), page).found
    return [form for form in found if form.method == "post" and form.name != "logout"]
