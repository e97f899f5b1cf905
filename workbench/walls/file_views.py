"""Materials with prices, and the files of the wall and the train."""

from __future__ import annotations

import datetime as dt
from typing import Any

from django.db import transaction
from django.db.models import Q
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.template.loader import render_to_string
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods

from intake.apart import rows_apart as file_rows
from intake.limits import LARGEST, Unreadable
from treatment.drawing.train.view import draw_train
from treatment.drawing.wall.view import paper_of, scale_bar
from treatment.job.firm import Firm
from treatment.job.prices import price_keys
from treatment.language.errors import Fault
from treatment.language.spec import BAD, specs_of
from treatment.language.tables import table
from treatment.papers.costs import Costs, costs, listed, per_volume, shares
from treatment.papers.issue import checksum
from treatment.papers.materials import MaterialRow, by_group, materials, total
from treatment.papers.printed import PaperText, page_size
from treatment.papers.sheets import train_sheet, wall_sheet
from treatment.train.weights import load_rows

from ..pages.attached import attached
from ..pages.printed import printed
from ..pages.steps import steps
from ..pages.svg_style import svg_style
from ..records.catalogue import Catalogue
from ..records.firm import Workspace
from ..records.job import Job
from ..usecases.access import ask, job_for, membership
from ..usecases.firm import set_prices
from ..usecases.issues import freeze
from .exports import costs_csv, dxf, materials_csv, materials_xlsx
from .views import drawn, states_of


def _list(job: Job) -> tuple[list[MaterialRow], Costs]:
    """The list of materials, and what the train costs."""
    design, wall, _ = drawn(job)
    rows = materials(design.chosen, wall)
    return rows, costs(design.chosen, rows)


@require_GET
def materials_page(request: HttpRequest, pk: int) -> HttpResponse:
    """What has to be bought, by group, with prices marked as sample prices where the firm has none."""
    job = job_for(request, pk)
    rows, money = _list(job)
    variant = drawn(job)[0].chosen
    context = {
        "job": job,
        "steps": steps(job, "wall"),
        "groups": by_group(rows),
        "total": total(rows),
        "catalogues": Catalogue.objects.filter(workspace=job.workspace_id).filter(Q(retired=False) | Q(pk=job.catalogue_id)),
        "unsold": [finding for finding in variant.findings if finding.rule.startswith("catalogue/")],
        "own": {row.key for row in rows if not row.sample and row.group != "tools"},
        "currency": money.currency_named,
        "costs": money,
        "shares": shares(money, variant),
        "lines": listed(money, variant),
        "litres": per_volume(money, job.units),
    }
    return render(request, "walls/materials.html", context)


@require_GET
def materials_file(request: HttpRequest, pk: int, ending: str) -> HttpResponse:
    job = job_for(request, pk, "money.see")
    if ending == "csv":
        return attached(materials_csv(*_list(job)), "text/csv; charset=utf-8", job, "materials.csv")
    return attached(
        materials_xlsx(*_list(job), job.name),
        "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
        job,
        "materials.xlsx",
    )


@require_GET
def costs_file(request: HttpRequest, pk: int) -> HttpResponse:
    """What the train costs, line by line."""
    job = job_for(request, pk, "money.see")
    return attached(costs_csv(_list(job)[1]), "text/csv; charset=utf-8", job, "costs.csv")


@require_GET
def wall_dxf(request: HttpRequest, pk: int) -> HttpResponse:
    job = job_for(request, pk)
    return attached(dxf(drawn(job, states_of(request))[1]), "image/vnd.dxf", job, "wall.dxf")


@require_GET
def wall_pdf(request: HttpRequest, pk: int) -> HttpResponse:
    """The wall at a stated scale on a sheet of paper that is asked for, its plan from above on a second, then findings, loads and materials."""
    job = job_for(request, pk)
    design, wall, shapes = drawn(job, states_of(request))
    paper = paper_of(request.GET.get("paper", ""), job.units)
    front, above = shapes.front(), shapes.from_above(wall)
    scale, style = front.scale_for(paper.across, paper.down, job.units), svg_style("wall")
    shown = {"style": style, "names": {unit.id: unit.name for unit in wall.units}, "wall": wall}
    besides = {
        "wall_scale": scale, "paper": paper.name, "loads": load_rows(design.chosen.run.stages, job.units),
        "bar": render_to_string("walls/_scale_bar.html", {"bar": scale_bar(scale, job.units)}),
        "wall": render_to_string("issues/wall.svg", shown | {"view": front, "size": front.on_paper(scale)}),
        "above": render_to_string("walls/above.svg", {"style": style, "view": above, "size": above.on_paper(scale)}),
    }  # fmt: skip
    whole = _frozen(job, besides)
    return _sheet(request, job, whole, wall_sheet(whole, job.sees_money), f"{paper.width:g}mm {paper.height:g}mm", "wall.pdf")


@require_GET
def train_pdf(request: HttpRequest, pk: int) -> HttpResponse:
    """The train sheet: the drawing, each stage with its figures, the findings with their remedies, what was accepted and why."""
    job = job_for(request, pk)
    design, _, _ = drawn(job)
    drawing = {"drawing": draw_train(design, design.chosen, job.units), "style": svg_style("train")}
    whole = _frozen(job, {"train": render_to_string("issues/train.svg", drawing)})
    return _sheet(request, job, whole, train_sheet(whole), page_size(job.units), "train.pdf")


def _frozen(job: Job, besides: dict[str, Any]) -> dict[str, Any]:
    """What would be frozen of a job now, with what a sheet shows besides."""
    return freeze(job, {"firm": job.workspace.name, "day": timezone.localdate().isoformat(), **besides})


def _sheet(request: HttpRequest, job: Job, whole: dict[str, Any], sheet: PaperText, size: str, name: str) -> HttpResponse:
    """A working sheet, printed from what would be frozen, and from nothing else."""
    context = {
        "paper": sheet, "frozen": whole, "drawings": whole["papers"], "day": dt.date.fromisoformat(whole["papers"]["day"]), "size": size, "sum": checksum(whole),
    }  # fmt: skip
    return printed(request, "walls/sheet_pdf.html", context, job, name)


@require_http_methods(["GET", "POST"])
def prices(request: HttpRequest) -> HttpResponse:
    """The firm's price list: edited in place, or read from a CSV or XLSX with a key and a price in each row."""
    member = membership(request)
    ask(member, "money.change")
    if request.method == "GET":
        return _prices(request, member.workspace)
    typed: dict[str, str] = {}
    problems: dict[str, str] = {}
    rates: dict[str, str] | None = None
    upload = request.FILES.get("file")
    if upload is not None:
        try:
            typed = _from_file(file_rows(upload.read(LARGEST + 1)))
        except Unreadable as error:
            return _prices(request, member.workspace, 422, problem=str(error))
        if not typed:
            return _prices(
                request,
                member.workspace,
                422,
                problem="No row starts with a key of this list. Put the key in one column and the price in another.",
            )
        typed = {key: f"{price:g}" for key, price in member.workspace.prices.items()} | typed
    else:
        typed = {key: request.POST.get(key, "").strip() for key in price_keys()}
        rates = {name: request.POST.get(f"rate-{name}", "").strip() for name in RATES}
        problems |= _rates_refused(rates)
    found: dict[str, float] = {}
    for key, text in typed.items():
        if not text:
            continue
        try:
            found[key] = float(text.replace(",", "."))
            if not 0 <= found[key] < 1e7:
                raise ValueError
        except ValueError:
            problems[key] = "Enter a price as a number, 0 or more."
    if problems:
        return _prices(request, member.workspace, 422, typed=typed, problems=problems, rates=rates)
    with transaction.atomic():  # what stands is compared and written under one lock
        return _keep_prices(request, Workspace.objects.select_for_update().get(pk=member.workspace.pk), typed, found, rates)


#: what a company charges beside its prices: key of ``firm`` in a job file -> how it is asked for
RATES = {
    "labour_rate": "An hour of work", "visit_price": "A service visit", "energy_price": "A kWh of power", "water_price": "A liter of water to the drain",
    "margin": "Margin, as a share such as 0.15", "tax": "Tax, as a share such as 0.2", "years": "Years that costs are worked out for",
    "rate": "Real discount rate, as a share such as 0.03",
}  # fmt: skip


def _rates_refused(rates: dict[str, str]) -> dict[str, str]:
    """What is wrong with typed rates, by field; read as a job file's."""
    found = {}
    for name, text in rates.items():
        faults: list[Fault] = []
        if text and specs_of(Firm)[name].read(text.replace(",", "."), name, faults) is BAD:
            found[f"rate-{name}"] = f"Enter {faults[0].message.removeprefix('expected ').partition(', got ')[0]}."
    return found


def _keep_prices(
    request: HttpRequest, workspace: Workspace, typed: dict[str, str], found: dict[str, float], rates: dict[str, str] | None
) -> HttpResponse:
    if request.POST.get("was", "") != _stamp(workspace):
        return _prices(
            request,
            workspace,
            409,
            typed=typed,
            rates=rates,
            problem="Someone else changed the list since you opened it. What you typed is still here; save again to keep it.",
        )
    kept = workspace.rates if rates is None else {name: text.replace(",", ".") for name, text in rates.items() if text}
    own = {key: price for key, price in found.items() if price != price_keys()[key].sample}
    set_prices(workspace, own, kept)
    return redirect("prices")


def _from_file(rows: list[list[str]]) -> dict[str, str]:
    found: dict[str, str] = {}
    for row in rows:
        cells = [cell.strip() for cell in row if cell.strip()]
        key = next((cell for cell in cells if cell in price_keys()), None)
        numbers = [cell for cell in cells if cell.replace(",", ".").replace(".", "", 1).isdecimal()]
        if key and numbers:
            found[key] = numbers[-1]
    return found


def _stamp(workspace: Workspace) -> str:
    told = [f"{key}={price:g}" for key, price in sorted(workspace.prices.items())]
    return ";".join([*told, *(f"{name}={text}" for name, text in sorted(workspace.rates.items()))])


def _prices(request: HttpRequest, workspace: Workspace, status: int = 200, **more: Any) -> HttpResponse:
    typed, problems, rates = more.pop("typed", None), more.pop("problems", {}), more.pop("rates", None)
    sample = table("prices")["money"]
    asked = [
        (
            f"rate-{name}",
            words,
            sample.get(name, "none"),
            (workspace.rates if rates is None else rates).get(name, ""),
            problems.get(f"rate-{name}", ""),
        )
        for name, words in RATES.items()
    ]
    rows = [
        (
            key,
            what,
            unit,
            sample,
            typed.get(key, "") if typed is not None else f"{workspace.prices[key]:g}" if key in workspace.prices else "",
            problems.get(key, ""),
        )
        for key, (_, what, unit, sample) in price_keys().items()
    ]
    return render(request, "walls/prices.html", {"rows": rows, "rates": asked, "was": _stamp(workspace)} | more, status=status)
