"""Files that leave the wall: DXF of its geometry, the materials list as CSV and XLSX."""

from __future__ import annotations

import csv
import io
from typing import Any

from treatment.papers.costs import Costs
from treatment.papers.materials import MaterialRow
from treatment.wall.parts import Wall
from treatment.wall.signs import lines_of

from ..safe_cells import safe_cell

#: layer -> colour index of the exchange file
LAYERS = {
    "units": 7, "pipe": 5, "metal": 30, "drain": 34, "brine": 40, "valves": 3, "fittings": 4, "electrical": 2, "zones": 8, "there": 1, "dimensions": 8, "text": 7,
}  # fmt: skip
ROLE_LAYER = {"metal": "metal", "drain": "drain", "brine": "brine", "overflow": "brine"}
COST_HEADER = ("kind", "of", "what", "stage", "every years", "low", "amount", "high", "prices", "currency")
HEADER = ("group", "key", "what", "quantity", "unit", "price_each", "total", "note", "currency", "code")


def dxf(wall: Wall) -> bytes:
    """The wall as DXF, millimetres, y up: units as closed outlines, pipe as polylines, fittings as blocks of lines."""
    from ezdxf import filemanagement, units

    document = filemanagement.new("R2010", setup=True)
    document.units = units.MM
    for name, colour in LAYERS.items():
        document.layers.add(name, color=colour)
    space = document.modelspace()

    def rect(x: float, z: float, width: float, height: float, layer: str) -> None:
        space.add_lwpolyline([(x, z), (x + width, z), (x + width, z + height), (x, z + height)], close=True, dxfattribs={"layer": layer})

    rect(0, 0, wall.width, wall.height, "dimensions")
    for unit in wall.units:
        for _, part in unit.parts:
            rect(part.x, part.z, part.width, part.height, "units")
        for zone in unit.zones:
            rect(zone.rect.x, zone.rect.z, zone.rect.width, zone.rect.height, "zones")
        space.add_text(unit.name.replace("\u00a0", " "), height=40, dxfattribs={"layer": "text"}).set_placement((unit.outline.x, -70))
    for obstacle in wall.obstacles:
        rect(obstacle.rect.x, obstacle.rect.z, obstacle.rect.width, obstacle.rect.height, "there")
        rect(obstacle.keep.x, obstacle.keep.z, obstacle.keep.width, obstacle.keep.height, "zones")
    for run in wall.runs:
        space.add_lwpolyline(list(run.points), dxfattribs={"layer": ROLE_LAYER.get(run.role, "pipe")})
    for fitting in wall.fittings:
        if fitting.kind == "valve":
            space.add_circle((fitting.x, fitting.z), 20, dxfattribs={"layer": "valves"})
            lies = (fitting.along == "h") == fitting.open
            end = (fitting.x + 60, fitting.z) if lies else (fitting.x, fitting.z + 60)
            space.add_line((fitting.x, fitting.z), end, dxfattribs={"layer": "valves"})
        elif fitting.kind == "outlet":
            rect(fitting.x - 32, fitting.z - 32, 64, 64, "electrical")
        for line in lines_of(fitting):
            space.add_lwpolyline(list(line), dxfattribs={"layer": "fittings"})
    for each in wall.dimensions:  # true dimensions: measured by whoever opens the file
        dimension = space.add_linear_dim(
            base=(0, -150), p1=each.start, p2=each.end, dimstyle="EZDXF", override={"dimtxt": 34, "dimasz": 20}, dxfattribs={"layer": "dimensions"}
        )
        dimension.render()
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode()


def rows_of(rows: list[MaterialRow], currency: str) -> list[list[Any]]:
    return [[row.group, row.key, row.what, row.quantity, row.unit, float(row.each), float(row.total), row.note, currency, row.code] for row in rows]


def cost_rows(money: Costs) -> list[list[Any]]:
    """The lines of what a train costs and its sums, each with low and high."""
    currency = money.currency_named
    lines = [
        [line.kind, line.of, line.what, line.stage or "house", line.every_years or "", f"{line.low:.2f}", f"{line.amount:.2f}", f"{line.high:.2f}",
         "sample" if line.sample else "own", currency]
        for line in money.lines
    ]  # fmt: skip
    sums = {
        "first": "Cost to begin with",
        "yearly": "Cost of a year",
        "total": f"Cost over {money.years} years",
        "per_thousand_litres": "Cost of 1000 liters",
    }
    for name, words in sums.items():
        spread = getattr(money, name)
        lines.append(
            [
                "sum",
                name,
                words,
                "",
                "",
                f"{spread.low:.2f}",
                f"{spread.value:.2f}",
                f"{spread.high:.2f}",
                "sample" if money.sample_prices else "own",
                currency,
            ]
        )
    return lines


def materials_csv(rows: list[MaterialRow], money: Costs) -> str:
    out = io.StringIO()
    sheet = csv.writer(out)
    sheet.writerow(HEADER)
    for row in rows_of(rows, money.currency_named):
        sheet.writerow([safe_cell(cell) if isinstance(cell, str) else cell for cell in row])
    return out.getvalue()


def costs_csv(money: Costs) -> str:
    """What a train costs, line by line."""
    out = io.StringIO()
    sheet = csv.writer(out)
    sheet.writerow(COST_HEADER)
    for row in cost_rows(money):
        sheet.writerow([safe_cell(cell) if isinstance(cell, str) else cell for cell in row])
    return out.getvalue()


def materials_xlsx(rows: list[MaterialRow], money: Costs, name: str) -> bytes:
    from openpyxl import Workbook

    book = Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Materials"
    sheet.append([safe_cell(name)])
    sheet.append(["Sample prices where the company has no price list"])
    sheet.append(list(HEADER))
    for row in rows_of(rows, money.currency_named):
        sheet.append([safe_cell(cell) if isinstance(cell, str) else cell for cell in row])
    for column, width in zip("ABCDEFGHIJ", (13, 18, 44, 10, 10, 10, 10, 30, 9, 14), strict=True):
        sheet.column_dimensions[column].width = width
    second = book.create_sheet("Costs")
    second.append(list(COST_HEADER))
    for each in cost_rows(money):
        second.append([safe_cell(cell) if isinstance(cell, str) else cell for cell in each])
    second.column_dimensions["C"].width = 44
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()
