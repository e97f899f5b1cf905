"""What can be done to a catalogue; every change is a version, made on the newest one under lock."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from treatment.job.catalogue import read_catalogue
from treatment.job.catalogue_table import ReadRow, Role, faults_of, heading_at, roles_of, row_of, rows_read

from ..outcome import Done, Refused, one_of
from ..records.catalogue import Catalogue, CatalogueSheet, CatalogueVersion
from ..records.firm import Workspace
from ..records.job import Job
from ..repository.catalogues import document_of, same_currency
from ..usecases.acting import use_case
from ..usecases.jobs import hold, touch


@use_case("money.change")
def made(workspace: Workspace, name: str, currency: str, items: list[dict[str, Any]], user: Any, summary: str) -> Done[Catalogue]:
    """A new catalogue. Raises Refused."""
    same_currency(workspace, currency)
    catalogue = Catalogue.objects.create(workspace=workspace, name=name)
    CatalogueVersion.objects.create(catalogue=catalogue, number=1, currency=currency, items=items, summary=summary, made_by=user)
    return Done(catalogue)


@use_case("money.change", apart=True)
def read_sheet(workspace: Workspace, rows: list[list[str]], name: str, currency: str, catalogue: Catalogue | None) -> Done[CatalogueSheet]:
    """Keep a table as it came, with what its columns seem to say."""
    at = heading_at(rows)
    roles = [[role.name, role.unit] for role in roles_of(rows[at])] if rows else []
    return Done(
        CatalogueSheet.objects.create(workspace=workspace, catalogue=catalogue, name=name, currency=currency, rows=rows, heading=at, roles=roles)
    )


@use_case("money.change")
def map_columns(sheet: CatalogueSheet, roles: list[list[str]], kind: str) -> Done[None]:
    """What somebody chose for the columns of a file: what each holds with its unit, and the kind of its items."""
    sheet.roles, sheet.kind = roles, kind
    sheet.save(update_fields=["roles", "kind"])
    return Done(None)


def understood(sheet: CatalogueSheet) -> list[ReadRow]:
    """The rows of a table as its columns say now."""
    return rows_read(sheet.rows, [Role(name, unit) for name, unit in sheet.roles], sheet.heading + 1, sheet.kind)


@use_case("money.change")
def keep_sheet(sheet: CatalogueSheet, user: Any) -> Done[Catalogue]:
    """The rows that could be read become a catalogue, or the newest version of the one they were sent for; the table is done with."""
    items = [row.document for row in understood(sheet) if not row.faults]
    summary = f"{len(items)} item{'s' if len(items) != 1 else ''} from a table"
    if sheet.catalogue is None:
        kept = made(sheet.workspace, sheet.name, sheet.currency, items, user, summary).made
    else:
        kept = Catalogue.objects.select_for_update().get(pk=sheet.catalogue.pk)
        _next(kept, items, user, summary)
    CatalogueSheet.objects.filter(workspace=sheet.workspace, pk=sheet.pk).delete()
    return Done(kept)


def _next(catalogue: Catalogue, items: list[dict[str, Any]], user: Any, summary: str) -> None:
    currency = document_of(catalogue)["currency"]
    CatalogueVersion.objects.create(
        catalogue=catalogue, number=catalogue.number + 1, currency=currency, items=items, summary=summary[:200], made_by=user
    )
    catalogue.number += 1
    catalogue.save(update_fields=["number"])


@dataclass(frozen=True)
class ItemChange:
    """A row of the table as it was typed. was: the code it had when it was shown, empty for a new one; gone: it is to be deleted."""

    was: str
    document: dict[str, Any]
    gone: bool = False


@use_case("money.change")
def change(workspace: Workspace, pk: int, version: int, rows: Sequence[ItemChange], user: Any) -> Done[int | None]:
    """Put typed rows in place of those that were shown, on top of what others changed since.

    Made is the number of the version; None where nothing differs. Raises Gone, and Refused beside ``column-place`` of the rows that were
    typed: what is wrong with them, or that both changed one. Nothing is kept then.
    """
    catalogue = one_of(Catalogue.objects.select_for_update(), workspace=workspace, pk=pk)
    now = {item["code"]: item for item in document_of(catalogue)["items"]}
    shown = one_of(CatalogueVersion, catalogue=catalogue, number=version)
    before = {item["code"]: item for item in shown.items}
    refused: dict[str, str] = {}
    told: list[tuple[str, ItemChange]] = []
    renamed = {row.was for row in rows if row.was and (row.gone or row.document["code"] != row.was)}
    for place, row in enumerate(rows):
        if row.was and not row.gone and row.was in before and row_of(before[row.was]) == row_of(row.document):
            continue
        faults = {} if row.gone else faults_of(row.document)
        if row.was and before.get(row.was) != now.get(row.was):
            faults["code"] = "Someone else changed this item since you opened the page. Saved now: " + _said(now.get(row.was))
        code = row.document["code"].strip()
        if not row.gone and code != row.was and ((code in now and code not in renamed) or code in {each.document["code"] for _, each in told}):
            faults.setdefault("code", f"“{code}” is already the code of another item")
        refused |= {f"{column}-{place}": words for column, words in faults.items()}
        told.append((row.was, row))
    if refused:
        raise Refused(refused)
    if not told:
        return Done(None)
    for was, row in told:
        if row.gone:
            now.pop(was, None)
    items = _put(now, told)
    _next(catalogue, items, user, _summary([row for _, row in told]))
    return Done(catalogue.number, f"{catalogue.name} was saved as version {catalogue.number}.")


def _put(now: dict[str, dict[str, Any]], told: list[tuple[str, ItemChange]]) -> list[dict[str, Any]]:
    """The items in their order, changed ones where they were, new ones at the end."""
    by_code = {was: row.document for was, row in told if was and not row.gone}
    kept = [by_code.get(code, item) for code, item in now.items()]
    return [*kept, *(row.document for was, row in told if not was)]


def _summary(rows: list[ItemChange]) -> str:
    codes = [row.was or row.document["code"] for row in rows]
    return f"changed {', '.join(codes[:6])}" + (f" and {len(codes) - 6} more" if len(codes) > 6 else "")


def _said(item: dict[str, Any] | None) -> str:
    return "it was deleted." if item is None else f"{item['what']}, {item['price']}."


@use_case("money.change")
def replace(workspace: Workspace, pk: int, document: dict[str, Any], user: Any) -> Done[Catalogue]:
    """A whole ``cairn-catalogue/1`` file as the newest version. Raises Unread with every fault, Refused."""
    read_catalogue(document)
    catalogue = one_of(Catalogue.objects.select_for_update(), workspace=workspace, pk=pk)
    if document["currency"].strip() != document_of(catalogue)["currency"]:
        raise Refused(f"This catalog is in {document_of(catalogue)['currency']}; the file is in {document['currency']}.", "currency")
    _next(catalogue, document["items"], user, f"replaced by a file, {len(document['items'])} items")
    return Done(catalogue)


@use_case("money.change", apart=True)
def retire(workspace: Workspace, pk: int, on: bool) -> Done[Catalogue]:
    """Stop offering a catalogue, or offer it again; jobs that use it keep it. One that no job uses is deleted."""
    catalogue = one_of(Catalogue, workspace=workspace, pk=pk)
    if on and not Job.everything.filter(catalogue=catalogue).exists():
        catalogue.delete()
        return Done(catalogue, f"{catalogue.name} was deleted.")
    Catalogue.objects.filter(pk=catalogue.pk).update(retired=on)
    words = "is no longer offered; jobs that use it keep it" if on else "is offered again"
    return Done(catalogue, f"{catalogue.name} {words}.")


@use_case("money.change")
def choose(job: Job, pk: int | None, version: int, user: Any) -> Done[None]:
    """Build a job of a catalogue of its own company, or of generic sizes. Raises Late, Refused, Gone."""
    hold(job)
    catalogue = None if pk is None else one_of(Catalogue, workspace=job.workspace, pk=pk)
    if catalogue is not None:
        same_currency(job.workspace, document_of(catalogue)["currency"])
    touch(job, version, user)
    Job.objects.filter(pk=job.pk).update(catalogue=catalogue)
    job.catalogue = catalogue
    if "catalogue" in job.survey.rest:  # one that came with a file
        job.survey.rest.pop("catalogue")
        job.survey.save(update_fields=["rest"])
    return Done(None)
