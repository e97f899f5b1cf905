"""Catalogues of a firm: the list, one as a table, a table that was sent, files."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping
from typing import Any

from django.contrib import messages
from django.core.paginator import Paginator
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import content_disposition_header
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from intake.apart import rows_apart
from intake.limits import LARGEST, Unreadable
from treatment.job.catalogue import KINDS, MOST_ITEMS, asked_of, field_names, read_catalogue
from treatment.job.catalogue_table import columns, fits_said, fits_typed, item_of, table_of, unknown_fields
from treatment.job_file import decoded
from treatment.language.errors import BadDocument

from ..fields import sentence
from ..outcome import Gone, Late, Refused, Unread
from ..records.catalogue import Catalogue, CatalogueSheet
from ..repository.catalogues import document_of, same_currency
from ..request import number, status_of, version_of
from ..safe_cells import safe_cell
from ..usecases.access import ask, job_for, membership
from . import services
from .services import ItemChange

PER_PAGE, BLANK_ROWS, SHOWN = 50, 2, 12


@require_http_methods(["GET", "POST"])
def shelf(request: HttpRequest) -> HttpResponse:
    """The firm's catalogues; a new one from a file, or empty."""
    member = membership(request)
    ask(member, "money.see")
    if request.method == "GET":
        return _shelf(request, member.workspace)
    ask(member, "money.change")
    name, currency = (" ".join(request.POST.get(each, "").split()) for each in ("name", "currency"))
    problems = {}
    if not name or len(name) > 120:
        problems["name"] = "Enter the name of the catalog, at most 120 characters."
    if not currency or len(currency) > 8:
        problems["currency"] = "Enter the currency of its prices, at most 8 characters."
    upload = request.FILES.get("file")
    content = upload.read(LARGEST + 1) if upload is not None else b""
    if content.lstrip()[:1] == b"{":
        return _from_json(request, member.workspace, content)
    if problems:
        return _shelf(request, member.workspace, 422, problems=problems, typed={"name": name, "currency": currency})
    try:
        same_currency(member.workspace, currency)
        rows = rows_apart(content)[: MOST_ITEMS + 100] if content else []
        if not content:
            return redirect("catalogue", services.made(member.workspace, name, currency, [], request.user, "begun").made.pk)
    except (Unreadable, Refused) as error:
        field = "currency" if isinstance(error, Refused) else "file"
        return _shelf(request, member.workspace, 422, problems={field: str(error)}, typed={"name": name, "currency": currency})
    return redirect("catalogue-sheet", services.read_sheet(member.workspace, rows, name, currency, None).made.pk)


def _from_json(request: HttpRequest, workspace: Any, content: bytes) -> HttpResponse:
    """A ``cairn-catalogue/1`` file as a new catalogue."""
    try:
        document = decoded(content.decode("utf-8-sig", "replace"))
        read = read_catalogue(document)
        kept = services.made(workspace, read.name, read.currency, document["items"], request.user, "from a file")
    except (BadDocument, Unread) as error:
        told = "; ".join(f"{fault.path.removeprefix('$.')}: {fault.message}" for fault in error.faults[:6])
        return _shelf(request, workspace, 422, problems={"file": f"{told}."})
    except Refused as error:
        return _shelf(request, workspace, status_of(error), problems={"file": str(error)})
    return redirect("catalogue", kept.made.pk)


def _shelf(request: HttpRequest, workspace: Any, status: int = 200, **more: Any) -> HttpResponse:
    shown = []
    for each in Catalogue.objects.filter(workspace=workspace).prefetch_related("jobs"):
        document = document_of(each)
        shown.append({"catalogue": each, "count": len(document["items"]), "currency": document["currency"], "jobs": list(each.jobs.all())})
    context = {"shown": shown, "problems": {}, "typed": {"name": "", "currency": workspace.currency}, "kinds": KINDS}
    return render(request, "catalogues/shelf.html", context | more, status=status)


@require_http_methods(["GET", "POST"])
def table(request: HttpRequest, pk: int) -> HttpResponse:
    """A catalogue, fifty items a page; what is typed into the table is kept in one version, or refused beside its cell."""
    member = membership(request)
    ask(member, "money.see")
    catalogue = get_object_or_404(Catalogue, workspace=member.workspace, pk=pk)
    if request.method == "GET":
        return _table(request, catalogue)
    ask(member, "money.change")
    rows, problems = _typed(request)
    try:
        if problems:
            raise Refused(problems)
        changed = services.change(member.workspace, pk, version_of(request), [row for row, _ in rows], request.user)
    except Refused as error:
        if not error.fields:
            raise
        return _table(request, catalogue, status_of(error), typed=rows, faults=_by_row(error.fields))
    if changed.words:
        messages.success(request, changed.words)
    return redirect(request.get_full_path())


#: columns of the table that are typed as they are
TYPED = ("code", "what", "price", "lead_days")


def _by_row(fields: Mapping[str, str]) -> dict[int, dict[str, str]]:
    """What was refused beside ``column-place``, by the place of the row, then by column."""
    found: dict[int, dict[str, str]] = {}
    for name, words in fields.items():
        column, _, place = name.rpartition("-")
        found.setdefault(int(place), {})[column] = words
    return found


def _typed(request: HttpRequest) -> tuple[list[tuple[ItemChange, dict[str, str]]], dict[str, str]]:
    """The rows of the table as they were sent, with their cells; empty new ones left out. What no item of the kind has, by its field."""
    found: list[tuple[ItemChange, dict[str, str]]] = []
    problems: dict[str, str] = {}
    for place in range(min(number(request, "rows") or 0, PER_PAGE + BLANK_ROWS)):
        cells = {name: request.POST.get(f"{name}-{place}", "").strip() for name in (*TYPED, "kind", "fits", "was", "gone")}
        if not cells["was"] and not any(cells[name] for name in (*TYPED, "fits")):
            continue
        kind = cells["kind"] if cells["kind"] in KINDS else ""
        fits = fits_typed(kind, cells["fits"]) if kind else {}
        if strange := unknown_fields(kind, fits) if kind else []:
            names = ", ".join(field_names(kind).values())
            problems[f"fits-{len(found)}"] = f"A {kind.replace('_', ' ')} has no “{strange[0]}”; it has {names}."
        text = {name: (cells[name], "") for name in TYPED if cells[name]}
        found.append((ItemChange(cells["was"], item_of({**text, **fits}, kind), bool(cells["gone"])), cells))
    return found, problems


def _table(request: HttpRequest, catalogue: Catalogue, status: int = 200, **more: Any) -> HttpResponse:
    document, kind, words = document_of(catalogue), request.GET.get("kind", ""), request.GET.get("q", "").strip().lower()
    items = [
        item for item in document["items"] if (not kind or item["kind"] == kind) and (not words or words in f"{item['code']} {item['what']}".lower())
    ]
    page = Paginator(items, PER_PAGE).get_page(request.GET.get("page", "1"))
    typed, faults = more.pop("typed", None), more.pop("faults", {})
    if typed is None:
        rows = [_cells(item) for item in page.object_list]
    else:
        rows = [cells | {"faults": _worded(faults.get(place, {})), "bad": _columns(faults.get(place, {}))} for place, (_, cells) in enumerate(typed)]
    blank = {"code": "", "what": "", "price": "", "lead_days": "", "kind": kind, "fits": "", "was": "", "gone": ""}
    rows += [dict(blank) for _ in range(BLANK_ROWS)]
    context = {
        "catalogue": catalogue, "currency": document["currency"], "rows": list(enumerate(rows)), "page": page, "kind": kind, "q": words, "count": len(document["items"]),
        "kinds": [(each, each.replace("_", " ").capitalize(), ", ".join(asked_of(each))) for each in KINDS],
        "versions": catalogue.versions.select_related("made_by")[:8], "jobs": catalogue.jobs.order_by("name"),
        "shown_version": number(request, "version") if typed is not None else catalogue.number,
    }  # fmt: skip
    return render(request, "catalogues/table.html", context | more, status=status)


def _worded(faults: dict[str, str]) -> list[tuple[str, str]]:
    """What is wrong with the cells of a row, as a request."""
    words = {where: sentence(why) for where, why in faults.items()}
    return sorted(
        (where.replace("_", " ").capitalize(), text.replace("Expected ", "Enter ", 1).partition(", got ")[0].rstrip(".") + ".")
        for where, text in words.items()
    )


def _columns(faults: dict[str, str]) -> set[str]:
    """The columns of the table that faults are in: what an item fits is one of them."""
    return {where if where in (*TYPED, "kind") else "fits" for where in faults}


def _cells(item: dict[str, Any]) -> dict[str, Any]:
    return {
        "code": item["code"], "what": item["what"], "price": item["price"], "lead_days": item.get("lead_days", ""), "kind": item["kind"],
        "fits": fits_said(item), "was": item["code"], "gone": "",
    }  # fmt: skip


@require_http_methods(["GET", "POST"])
def sheet(request: HttpRequest, pk: int) -> HttpResponse:
    """A table that was sent: what each column says, the rows as they are understood; kept when that is confirmed."""
    member = membership(request)
    ask(member, "money.see")
    held = get_object_or_404(CatalogueSheet, workspace=member.workspace, pk=pk)
    if request.method == "POST":
        ask(member, "money.change")
        with transaction.atomic():
            held = get_object_or_404(CatalogueSheet.objects.select_for_update(), workspace=member.workspace, pk=pk)
            _mapped(request, held)
            if "keep" in request.POST:
                if any(not row.faults for row in services.understood(held)):
                    return redirect("catalogue", services.keep_sheet(held, request.user).made.pk)
                return _sheet(request, held, 422, problem="No row can be read as an item. Choose what the columns contain.")
        return redirect("catalogue-sheet", pk)
    return _sheet(request, held)


def _mapped(request: HttpRequest, held: CatalogueSheet) -> None:
    """What somebody chose for the columns."""
    known = columns()
    roles: list[list[str]] = []
    for place, (name, unit) in enumerate(held.roles):
        chosen = request.POST.get(f"role-{place}", name)
        roles.append([chosen if chosen in known and chosen not in {each[0] for each in roles} else "", unit])
    services.map_columns(held, roles, request.POST.get("kind", "") if request.POST.get("kind", "") in KINDS else "")


def _sheet(request: HttpRequest, held: CatalogueSheet, status: int = 200, **more: Any) -> HttpResponse:
    rows = services.understood(held)
    bad = [row for row in rows if row.faults]
    heading = held.rows[held.heading] if held.rows else []
    context = {
        "held": held, "columns": columns(), "kinds": KINDS, "good": len(rows) - len(bad), "bad": len(bad),
        "mapped": [(place, heading[place] if place < len(heading) else "", role[0]) for place, role in enumerate(held.roles)],
        "first": [(row.document, fits_said(row.document)) for row in rows if not row.faults][:SHOWN],
        "faults": [(row.number, _worded(row.faults)) for row in bad[: 2 * SHOWN]],
    }  # fmt: skip
    return render(request, "catalogues/sheet.html", context | more, status=status)


@require_POST
def send(request: HttpRequest, pk: int) -> HttpResponse:
    """A file for a catalogue that is there: its items take the place of all."""
    member = membership(request)
    ask(member, "money.change")
    catalogue = get_object_or_404(Catalogue, workspace=member.workspace, pk=pk)
    upload = request.FILES.get("file")
    content = upload.read(LARGEST + 1) if upload is not None else b""
    try:
        if content.lstrip()[:1] == b"{":
            services.replace(member.workspace, pk, decoded(content.decode("utf-8-sig", "replace")), request.user)
            return redirect("catalogue", pk)
        rows = rows_apart(content)[: MOST_ITEMS + 100]
    except (BadDocument, Unread) as error:
        return _table(
            request, catalogue, 422, problem="; ".join(f"{fault.path.removeprefix('$.')}: {fault.message}" for fault in error.faults[:6]) + "."
        )
    except (Unreadable, Refused) as error:
        return _table(request, catalogue, 422, problem=str(error))
    currency = document_of(catalogue)["currency"]
    return redirect("catalogue-sheet", services.read_sheet(member.workspace, rows, catalogue.name, currency, catalogue).made.pk)


@require_POST
def retire(request: HttpRequest, pk: int) -> HttpResponse:
    member = membership(request)
    ask(member, "money.change")
    messages.success(request, services.retire(member.workspace, pk, "again" not in request.POST).words)
    return redirect("catalogues")


@require_GET
def file(request: HttpRequest, pk: int, ending: str) -> HttpResponse:
    """A catalogue as an open file."""
    member = membership(request)
    ask(member, "money.see")
    catalogue = get_object_or_404(Catalogue, workspace=member.workspace, pk=pk)
    document = document_of(catalogue)
    kind, content = _written(document, ending)
    response = HttpResponse(content, content_type=kind)
    response["Content-Disposition"] = str(content_disposition_header(True, f"{slugify(catalogue.name) or 'catalogue'}.{ending}"))
    return response


def _written(document: dict[str, Any], ending: str) -> tuple[str, str | bytes]:
    """Its type and its bytes."""
    if ending == "json":
        return "application/json", json.dumps(document, ensure_ascii=False, indent=1)
    rows = [[safe_cell(cell) for cell in row] for row in table_of(document["items"])]
    if ending == "csv":
        out = io.StringIO()
        csv.writer(out).writerows(rows)
        return "text/csv; charset=utf-8", out.getvalue()
    from openpyxl import Workbook

    book = Workbook(write_only=True)
    page = book.create_sheet("Catalogue")
    for row in rows:
        page.append(row)
    held = io.BytesIO()
    book.save(held)
    return "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", held.getvalue()


@require_POST
def choose(request: HttpRequest, pk: int) -> HttpResponse:
    """Build a job of one of the firm's catalogues, or of generic sizes."""
    job = job_for(request, pk, act="money.change")
    try:
        services.choose(job, number(request, "catalogue"), version_of(request), request.user)
    except Late:
        messages.error(request, "Someone else changed this job since you opened it, so the catalog was not changed. Choose again.")
    except Gone:
        raise
    except Refused as error:
        messages.error(request, str(error))
    return redirect("materials", pk)
