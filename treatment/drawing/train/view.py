"""The train, drawn: vessels on a floor line, the water ribbon under them, the pressure line; one column a stage.

All positions are picture units of one drawing; the columns run through every part of it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from math import sqrt

from ...audit.rules import SEVERITIES
from ...design import Design
from ...house.needs import soften_above
from ...job.limits import strictest
from ...language.analytes import MICROBES, analytes, shown_in
from ...language.display import amount, digits, show, unit_text
from ...language.interface import severity
from ...planning.evaluated import EvaluatedTrain
from ..shapes import Box, DrawnLine, Label, n
from .silhouettes import Shape, silhouette

GUTTER, SOURCE, HOUSE = 104.0, 58.0, 106.0
PIPE_Y, FLOOR, TALLEST = 36.0, 222.0, 1750.0
RIBBONS, ROW, GAP, PRESSURE = 262.0, 38.0, 4.0, 78.0
AT_LIMIT, THICKEST = 6.0, 16.0
CLEAR = 5.0  # by which a number stands behind the edge between two columns
MOST_RIBBONS = 6
FIT, NARROWEST = 9, 76.0  # stages that fit a screen, and the narrowest column among them
NOTHING = 1.0  # kPa: what a tank open to air gives a pump, whatever pipe lies between
LETTER = 5.7  # width of a letter of a name
TURN = 0.26  # share of a column over which a ribbon changes
SOURCE_WORDS = {"drilled_well": "well", "dug_well": "dug well", "spring": "spring", "surface": "stream", "rain": "roof", "town": "main"}


@dataclass(frozen=True, slots=True)
class Column:
    """One stage: where its column runs, its shapes, and what the audit says of it."""

    id: str
    kind: str
    name: str
    x: float
    width: float
    middle: float
    shapes: tuple[Shape, ...]
    names: tuple[Label, ...]
    severity: str
    findings: int
    said: str


@dataclass(frozen=True, slots=True)
class Ribbon:
    """One analyte along the train: its band, the narrower likely band, the limit and the numbers."""

    analyte: str
    name: str
    unit: str
    colour: str
    pattern: str
    y: float
    band: DrawnLine
    likely: DrawnLine | None
    limit: tuple[DrawnLine, ...]
    limit_label: Label
    labels: tuple[Label, ...]
    said: str


@dataclass(frozen=True, slots=True)
class Pressure:
    """The pressure line: clean and dirty, the mark it should stay above, and the numbers."""

    y: float
    clean: DrawnLine
    dirty: DrawnLine
    mark: DrawnLine
    mark_text: str
    labels: tuple[Label, ...]
    unit: str
    said: str


@dataclass(frozen=True, slots=True)
class TrainDrawing:
    """The whole drawing, in picture units."""

    width: float
    height: float
    floor: float
    start: float
    end: float
    ribbons_top: float
    row: float
    pressure_height: float
    gutter: float
    columns: tuple[Column, ...]
    pipes: tuple[DrawnLine, ...]
    house: DrawnLine
    source: Label
    ribbons: tuple[Ribbon, ...]
    pressure: Pressure

    @property
    def gutter_share(self) -> float:
        """Share of the width that the names of the rows take [%]."""
        return self.gutter / self.width * 100

    @property
    def main_share(self) -> float:
        """Share of the width beside the names [%]."""
        return 100 - self.gutter_share

    @property
    def main_width(self) -> float:
        """Width of the part beside the names."""
        return self.width - self.gutter

    @property
    def size(self) -> str:
        """How wide the drawing wants to be shown: fits, wide, wider or widest."""
        return next((word for most, word in ((980, "fits"), (1500, "wide"), (2400, "wider")) if self.width <= most), "widest")


def draw_train(design: Design, variant: EvaluatedTrain, system: str) -> TrainDrawing:
    """Lay out the drawing of a train in the units people read (us or metric)."""
    stages = variant.run.stages
    count = max(len(stages), 1)
    each = min(max((960.0 - GUTTER - SOURCE - HOUSE) / count, NARROWEST if count <= FIT else 98.0), 200.0)
    width = max(GUTTER + SOURCE + each * count + HOUSE, 960.0)
    end = width - HOUSE
    start = GUTTER + SOURCE + (end - GUTTER - SOURCE - each * count) / 2
    middles = [start + each * (i + 0.5) for i in range(len(stages))]
    tallest = max([TALLEST, *(sum(stage.body[1:]) for stage in stages)])
    scale = (FLOOR - PIPE_Y - 16) / tallest
    columns, pipes = _columns(variant, middles, each, scale, GUTTER + 26, end + 44)
    names = _shown(design, variant)
    ribbons = tuple(_ribbon(design, variant, name, RIBBONS + i * (ROW + GAP), middles, each, end + 4, system) for i, name in enumerate(names))
    pressure_y = RIBBONS + len(ribbons) * (ROW + GAP)
    source = SOURCE_WORDS.get(design.facts.source.kind or "", "source")
    return TrainDrawing(
        width, pressure_y + PRESSURE, FLOOR, GUTTER, end + 4, RIBBONS, ROW, PRESSURE, GUTTER, columns, pipes, _house(end + 44),
        Label(GUTTER + 26, FLOOR + 17, source, "name"), ribbons, _pressure(design, variant, pressure_y, middles, each, end + 4, system),
    )  # fmt: skip


def _columns(
    variant: EvaluatedTrain, middles: list[float], each: float, scale: float, source_x: float, house_x: float
) -> tuple[tuple[Column, ...], tuple[DrawnLine, ...]]:
    columns, pipes = [], []
    d = f"M{n(source_x)} {n(FLOOR)}V{n(PIPE_Y)}"
    for stage, middle in zip(variant.run.stages, middles, strict=True):
        drawn = silhouette(stage, middle, FLOOR, scale, each - 26)
        (in_x, in_y), (out_x, out_y) = drawn.inlet, drawn.outlet
        lead = 9.0
        if stage.at_tap:
            branch = middle - each * 0.32
            pipes.append(DrawnLine(f"M{n(branch)} {n(PIPE_Y)}V{n(in_y)}H{n(in_x)}", "pipe"))
            pipes.append(DrawnLine(f"M{n(out_x)} {n(out_y)}H{n(out_x + 16)}V{n(out_y + 14)}", "pipe"))
        else:
            d += f"H{n(in_x - lead)}V{n(in_y)}H{n(in_x)}"
            pipes.append(DrawnLine(d, "pipe"))
            d = f"M{n(out_x)} {n(out_y)}H{n(out_x + lead)}V{n(PIPE_Y)}"
        own = [finding for finding in variant.findings if finding.stage == stage.id]
        worst = min((finding.severity for finding in own), key=SEVERITIES.index, default="")
        lines = _wrap(stage.name, int(each / LETTER))
        count = f", {len(own)} finding{'s' if len(own) > 1 else ''}, most serious: {severity(worst)}" if own else ", no findings"
        columns.append(
            Column(
                stage.id,
                stage.kind,
                stage.name,
                middle - each / 2,
                each,
                middle,
                drawn.shapes,
                tuple(Label(middle, FLOOR + 17 + 13 * i, line, "name") for i, line in enumerate(lines)),
                worst,
                len(own),
                f"{stage.name}{count}",
            )
        )
    d += f"H{n(house_x)}V{n(FLOOR - 62)}"
    pipes.append(DrawnLine(d, "pipe"))
    return tuple(columns), tuple(pipes)


def _wrap(text: str, most: int) -> list[str]:
    """Words on at most two lines."""
    lines = [""]
    for word in text.split(" "):
        joined = f"{lines[-1]} {word}".strip()
        if len(joined) > most and lines[-1] and len(lines) < 2:
            lines.append(word)
        else:
            lines[-1] = joined
    return lines


def _house(x: float) -> DrawnLine:
    w, h, roof = 44.0, 40.0, 22.0
    return DrawnLine(
        f"M{n(x - w / 2)} {n(FLOOR)}V{n(FLOOR - h)}H{n(x - w / 2 - 5)}L{n(x)} {n(FLOOR - h - roof)}L{n(x + w / 2 + 5)} {n(FLOOR - h)}H{n(x + w / 2)}V{n(FLOOR)}Z",
        "house",
    )


def _shown(design: Design, variant: EvaluatedTrain) -> list[str]:
    """The analytes that matter here, pH last: what is needed, what nears a limit, what a stage changes."""
    waters = [variant.run.raw, *(stage.water_out for stage in variant.run.stages)]
    needed = [need.goal for need in design.needs]
    scored: list[tuple[float, str]] = []
    for name in (each for each in shown_in("ribbon") if each != "ph"):
        mark = limit_of(design, name)
        known = [value for water in waters if (value := water.get(name)) is not None]
        if not known or mark is None:
            continue
        most = max(known)
        ratio = most / mark if mark else (2.0 if most > 0 else 0.0)
        if name in needed or ratio >= 0.5 or (name == "hardness"):
            scored.append((-(10.0 if name in needed else 0.0) - min(ratio, 5.0), name))
    microbes = [name for _, name in sorted(scored) if name in MICROBES][:1]
    others = [name for _, name in sorted(scored) if name not in MICROBES][: MOST_RIBBONS - 1 - len(microbes)]
    order = list(analytes())
    return sorted(others, key=order.index) + microbes + ["ph"]


def limit_of(design: Design, name: str) -> float | None:
    """The mark a ribbon is measured against, in canonical units: the softening wish, or the strictest limit."""
    if name == "hardness":
        return soften_above(design.facts)
    found = strictest(design.facts.job.standard, name, design.facts.as_of)
    return found.high if found else None


def _half(value: float, mark: float) -> float:
    """Half the thickness of a ribbon: the square root of concentration over its mark, so that traces stay visible."""
    if value <= 0:
        return 0.0
    ratio = value / mark if mark > 0 else 2.0
    return max(0.7, min(AT_LIMIT * sqrt(ratio), THICKEST))


def _band(values: list[float], y: float, middles: list[float], each: float, end: float) -> str:
    """A closed band about ``y`` whose half-thickness turns from value to value at each stage."""
    turn = each * TURN
    top, bottom = f"M{n(GUTTER)} {n(y - values[0])}", ""
    for i, middle in enumerate(middles):
        a, b = values[i], values[i + 1]
        top += f"L{n(middle - turn)} {n(y - a)}C{n(middle)} {n(y - a)} {n(middle)} {n(y - b)} {n(middle + turn)} {n(y - b)}"
        bottom = f"L{n(middle + turn)} {n(y + b)}C{n(middle)} {n(y + b)} {n(middle)} {n(y + a)} {n(middle - turn)} {n(y + a)}" + bottom
    return f"{top}L{n(end)} {n(y - values[-1])}V{n(y + values[-1])}{bottom}L{n(GUTTER)} {n(y + values[0])}Z"


def _stops(middles: list[float], each: float, end: float) -> list[float]:
    """Where the number of each stretch of water stands: after the source, and between the stages."""
    if not middles:
        return [GUTTER + 30]
    edges = [GUTTER, *(middle + each / 2 + CLEAR for middle in middles[:-1]), end]
    first = (GUTTER + middles[0] - each * 0.3) / 2 + 6
    return [first, *edges[1:-1], end - 22 if len(middles) else end]


def _ribbon(design: Design, variant: EvaluatedTrain, name: str, y: float, middles: list[float], each: float, end: float, system: str) -> Ribbon:
    row = analytes()[name]
    run = variant.run
    adverse = [run.raw.value(name), *(stage.passes.value(name) for stage in run.stages)]
    mild = [
        run.stages[0].mild_in.value(name) if run.stages else run.mild_finished.value(name),
        *(stage.mild_passes.value(name) for stage in run.stages),
    ]
    middle = y + ROW / 2
    said = f"{row.name}: " + ", then ".join(_words(name, value, system) for value in _changes(adverse))
    if name == "ph":
        return _ph_ribbon(design, adverse, mild, y, middles, each, end, said)
    mark = limit_of(design, name) or 0.0
    band = DrawnLine(_band([_half(value, mark) for value in adverse], middle, middles, each, end), "band")
    spread = any(abs(a - b) > 1e-6 * max(a, b, 1e-9) for a, b in zip(adverse, mild, strict=True))
    likely = DrawnLine(_band([_half(value, mark) for value in mild], middle, middles, each, end), "likely") if spread else None
    limits: tuple[DrawnLine, ...] = ()
    text = "must be absent" if row.is_microbe else f"limit {digits(mark, row.unit, system)}"
    if name == "hardness":
        text = f"soft below {digits(mark, row.unit, system)}"
    if not row.is_microbe:
        limits = tuple(DrawnLine(f"M{n(GUTTER)} {n(middle + s * AT_LIMIT)}H{n(end)}", "limit") for s in (-1, 1))
    labels = _numbers(name, adverse, _stops(middles, each, end), middle, system)
    if name in design.evidence.carried:  # nobody found them: this kind of source is taken to carry them
        labels = tuple(replace(label, text="assumed") if label.text == "found" else label for label in labels)
        said = said.replace("found", "assumed of this kind of source")
    asked = any(need.tap and need.goal == name for need in design.needs)
    if asked and run.tap is not run.finished and _words(name, run.tap.value(name), system) != _words(name, run.finished.value(name), system):
        labels += (Label(end + 8, middle + 17, f"at the tap {_words(name, run.tap.value(name), system)}", "number", "start"),)
    unit = "" if row.is_microbe else unit_text(row.shown_unit, system)
    return Ribbon(
        name,
        row.name if len(row.name) < 14 else row.short,
        unit,
        row.colour,
        row.pattern,
        y,
        band,
        likely,
        limits,
        Label(end + 8, middle + 4, text, "faint", "start"),
        labels,
        said,
    )


def _changes(values: list[float]) -> list[float]:
    found = [values[0]]
    for value in values[1:]:
        if abs(value - found[-1]) > 0.01 * max(abs(found[-1]), 1e-6):
            found.append(value)
    return found


def _words(name: str, value: float, system: str) -> str:
    row = analytes()[name]
    if row.is_microbe:
        return "found" if value > 0 else "none"
    return amount(value, row.unit, system)


def _numbers(name: str, values: list[float], stops: list[float], y: float, system: str) -> tuple[Label, ...]:
    """A number where the water enters, and wherever it has changed."""
    labels: list[Label] = []
    last = ""
    for i, (value, x) in enumerate(zip(values, stops, strict=False)):
        text = _words(name, value, system)
        if text != last:
            labels.append(Label(x, y + 4, text, "number", _anchor(i, stops)))
            last = text
    return tuple(labels)


def _anchor(i: int, stops: list[float]) -> str:
    """Numbers at either end stand in the middle of their stretch, those between begin behind the edge of a column."""
    return "middle" if i in (0, len(stops) - 1) else "start"


def _ph_ribbon(design: Design, adverse: list[float], mild: list[float], y: float, middles: list[float], each: float, end: float, said: str) -> Ribbon:
    limit = strictest(design.facts.job.standard, "ph")
    low, high = (limit.low or 6.5, limit.high) if limit else (6.5, 8.5)
    least, most = min(5.0, *adverse), max(9.0, *adverse, *mild)

    def height(ph: float) -> float:
        return y + ROW - 4 - (ph - least) / (most - least) * (ROW - 8)

    labels = []
    last = ""
    stops = _stops(middles, each, end)
    for i, (value, x) in enumerate(zip(adverse, stops, strict=False)):
        text = f"{value:.1f}"
        if text != last:
            above = height(value) - 6
            labels.append(Label(x, above if above > y + 9 else height(value) + 13, text, "number", _anchor(i, stops)))
            last = text
    spread = any(abs(a - b) > 0.005 for a, b in zip(adverse, mild, strict=True))
    band = DrawnLine(_trace([height(value) for value in adverse], middles, each, end), "trace")
    likely = DrawnLine(_trace([height(value) for value in mild], middles, each, end), "trace-likely") if spread else None
    allowed = (DrawnLine(f"M{n(GUTTER)} {n(height(min(high, most)))}H{n(end)}V{n(height(low))}H{n(GUTTER)}Z", "allowed"),)
    return Ribbon(
        "ph",
        "pH",
        "",
        "verdigris",
        "plain",
        y,
        band,
        likely,
        allowed,
        Label(end + 8, y + ROW / 2 + 4, f"{low:g} to {high:g}", "faint", "start"),
        tuple(labels),
        said,
    )


def _trace(heights: list[float], middles: list[float], each: float, end: float) -> str:
    """A line that turns from height to height at each stage."""
    turn = each * TURN
    d = f"M{n(GUTTER)} {n(heights[0])}"
    for i, middle in enumerate(middles):
        a, b = heights[i], heights[i + 1]
        d += f"L{n(middle - turn)} {n(a)}C{n(middle)} {n(a)} {n(middle)} {n(b)} {n(middle + turn)} {n(b)}"
    return d + f"L{n(end)} {n(heights[-1])}"


def _pressure(design: Design, variant: EvaluatedTrain, y: float, middles: list[float], each: float, end: float, system: str) -> Pressure:
    points = variant.pressure.points
    clean, dirty = [point.clean for point in points[1:-1]], [point.dirty for point in points[1:-1]]
    least = design.duty.rows["house"]["residual_kpa"]
    top = max(*(point.clean for point in points), 1.0)
    floor = min(0.0, points[-1].dirty, points[-1].clean)

    def height(kpa: float) -> float:
        return y + 16 + (top - kpa) / (top - floor) * (PRESSURE - 26)

    def line(values: list[float], last: float, role: str) -> DrawnLine:
        trace = _trace([height(value) for value in values], middles, each, end - 26)
        return DrawnLine(
            f"M{n(GUTTER)} {n(height(points[0].clean))}L{n(GUTTER + 22)} {n(height(values[0]))}"
            + trace.replace(f"M{n(GUTTER)}", f"L{n(GUTTER + 22)}", 1)
            + f"L{n(end)} {n(height(last))}",
            role,
        )

    labels = [Label(GUTTER + 2, height(points[0].clean) - 5, digits(points[0].clean, "kPa", system), "number", "start")]
    for value, x in zip(clean[1:-1], _stops(middles, each, end)[1:-1], strict=False):
        labels.append(Label(x, height(value) - 5, digits(value if abs(value) >= NOTHING else 0.0, "kPa", system), "number", "start"))
    last_clean, last_dirty = points[-1].clean, points[-1].dirty
    clean_y, dirty_y = height(last_clean), height(last_dirty)
    if abs(clean_y - dirty_y) < 13:
        clean_y, dirty_y = min(clean_y, dirty_y) - 7, max(clean_y, dirty_y) + 7
    labels += [
        Label(end + 8, clean_y + 4, f"{digits(last_clean, 'kPa', system)} clean", "number", "start"),
        Label(end + 8, dirty_y + 4, f"{digits(last_dirty, 'kPa', system)} dirty", "faint", "start"),
    ]
    mark = DrawnLine(f"M{n(GUTTER)} {n(height(least))}H{n(end)}", "limit")
    first, clean_end, dirty_end = (show(value, "kPa", system) for value in (points[0].clean, last_clean, last_dirty))
    said = f"Pressure runs from {first} to {clean_end} at the highest tap, {dirty_end} with dirty filters."
    return Pressure(y, line(clean, last_clean, "clean"), line(dirty, last_dirty, "dirty"), mark,
                    f"··· least {show(least, 'kPa', system)}", tuple(labels), unit_text("kPa", system), said)  # fmt: skip


def marked_column(drawing: TrainDrawing, id: str) -> Box | None:
    """The box that marks the column of a stage, through the whole drawing."""
    for column in drawing.columns:
        if column.id == id:
            return Box(column.x + 2, 4, column.width - 4, drawing.height - 8, "marked", 8)
    return None
