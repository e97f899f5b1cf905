"""The wall as shapes for the eye: y down, in mm of the wall, so that screen, paper and exchange file show the same.

Every shape has a role; how a role looks is decided where it is drawn.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from ...audit.rules import SEVERITIES
from ...job.facts import OBSTRUCTION_WORDS
from ...language.display import measure, show
from ...language.interface import severity
from ...language.tables import table
from ...planning.evaluated import EvaluatedTrain
from ...wall.parts import Fitting, Obstacle, PipeOnWall, Rect, Wall, WallUnit
from ...wall.signs import lines_of
from ..shapes import Box, DrawnLine, Label, n

MARGIN, ABOVE, BELOW, PLAN_GAP = 240.0, 70.0, 260.0, 110.0
#: usual scales 1:n by the system of units people read; half an inch to a foot is 1:24
SCALES = {"metric": (10, 20, 25, 50, 100, 200, 500), "us": (12, 24, 48, 96, 192, 384)}
VALVE, HANDLE = 46.0, 62.0
#: roles of small fittings that are not called as the fitting is
SIGNS = {"sample_tap": "sample", "air_gap": "receptor"}
LETTER, LINE = 23.0, 46.0  # width of a letter and height of a line of a name


@dataclass(frozen=True, slots=True)
class UnitView:
    """A unit: its shapes, the room it keeps free, the box one takes hold of, what it is called and what the audit says."""

    id: str
    name: str
    said: str
    shapes: tuple[Box | DrawnLine, ...]
    zones: tuple[Box, ...]
    hit: Box
    labels: tuple[Label, ...]
    severity: str
    badge: tuple[float, float]
    x: float
    foot: float


@dataclass(frozen=True, slots=True)
class WallView:
    """The whole drawing: elevation above, plan strip below. left, top, width, height: the picture's frame."""

    left: float
    top: float
    width: float
    height: float
    floor: float
    room: Box
    units: tuple[UnitView, ...]
    obstacles: tuple[tuple[Box, Box, Label], ...]
    pipes: tuple[DrawnLine, ...]
    valves: tuple[DrawnLine, ...]
    small: tuple[DrawnLine, ...]
    dimensions: tuple[DrawnLine, ...]
    labels: tuple[Label, ...]
    plan: tuple[Box, ...]
    plan_labels: tuple[Label, ...]
    flow: DrawnLine

    def scale_for(self, width: float, height: float, system: str) -> int:
        """The largest usual scale 1:n at which the drawing fits a sheet's room [mm]."""
        scales = SCALES[system]
        return next((scale for scale in scales if self.width / scale <= width and self.height / scale <= height), scales[-1])

    def on_paper(self, scale: int) -> tuple[float, float]:
        """Width and height [mm] at a scale 1:n."""
        return self.width / scale, self.height / scale

    @property
    def size(self) -> str:
        """How wide the drawing wants to be shown where there is little room: its letters stay readable."""
        return next((word for most, word in ((3000, "narrow"), (5000, "middle"), (8000, "long")) if self.width <= most), "longest")

    def elevation(self, wall: Wall, near: str = "") -> WallView:
        """The same drawing framed to what hangs on the wall, without the plan below it; near: a unit and what stands beside it."""
        rows = table("wall")["near"]
        unit = next((each for each in wall.units if each.id == near), None)
        bottom = self.floor + rows["below"]
        if unit is None:
            return replace(self, height=bottom - self.top)
        wide = max(unit.outline.width + 2 * rows["beside"], rows["least"])
        highest = max([wall.header, *(zone.rect.top for zone in unit.zones), unit.outline.top])
        top = max(self.floor - highest - rows["above"], self.top)
        left = unit.outline.x + unit.outline.width / 2 - wide / 2
        if left < 0:  # what is written beside the wall's end is seen whole
            left, wide = self.left, left + wide - self.left
        return replace(self, left=left, top=top, width=wide, height=bottom - top)

    def front(self) -> WallView:
        """The wall seen from the front with its measures, without the plan below it."""
        return replace(self, height=self.plan[0].y - self.top - LINE / 2, plan=(), plan_labels=())

    def from_above(self, wall: Wall) -> WallView:
        """The plan alone, each unit with its name: what the floor and the room before the wall must hold."""
        top, deepest = self.plan[0].y, max((unit.depth for unit in wall.units), default=0.0)
        names = tuple(
            Label(unit.outline.x + unit.outline.width / 2, top + 14 + unit.depth + LINE * (i + 1), line, "wall-name")
            for unit in wall.units
            for i, line in enumerate(_lines(unit.name))
        )
        height = max(deepest, wall.depth or 0.0) + 5 * LINE + 2 * ABOVE
        return replace(self, top=top - ABOVE, height=height, plan_labels=(*self.plan_labels, *names))

    @property
    def viewbox(self) -> str:
        return f"{n(self.left)} {n(self.top)} {n(self.width)} {n(self.height)}"


def view(wall: Wall, variant: EvaluatedTrain, system: str) -> WallView:
    """Turn the wall over (y down) and dress it: units, pipe, fittings with their state, dimensions, plan strip."""
    floor = wall.height

    def y(z: float) -> float:
        return floor - z

    def box(rect: Rect, role: str, r: float = 0.0) -> Box:
        return Box(rect.x, y(rect.top), rect.width, rect.height, role, r)

    names = _names(wall)
    below = max([label.y - floor for each in names.values() for label in each], default=LINE) - 2 * LINE  # names on more lines push the measures down
    units = tuple(_unit(unit, wall, variant, box, names[unit.id]) for unit in wall.units)
    obstacles = tuple((box(each.rect, "there", 6), box(each.keep, "keep"), _obstacle_label(each, y)) for each in wall.obstacles)
    pipes = tuple(_run(run, y) for run in wall.runs)
    valves = tuple(line for fitting in wall.fittings if fitting.kind == "valve" for line in valve_shapes(fitting, y))
    small = tuple(line for fitting in wall.fittings if fitting.kind != "valve" for line in small_shapes(fitting, y))
    dimensions, labels = _dimensions(wall, y, system, max(below, 0.0))
    deepest = max([unit.depth for unit in wall.units] + [wall.depth or 0.0, 300.0])
    plan_top = floor + BELOW + PLAN_GAP + max(below, 0.0)
    plan = [Box(0, plan_top, wall.width, 14, "wallline")]
    plan += [Box(unit.outline.x, plan_top + 14, unit.outline.width, unit.depth, "plan", 8) for unit in wall.units]
    if wall.depth:
        plan.append(Box(0, plan_top + 14 + wall.depth, wall.width, 4, "depthline"))
    plan_labels: tuple[Label, ...] = (
        Label(
            0,
            plan_top - 22,
            f"From above: units reach {show(deepest if not wall.depth else max(unit.depth for unit in wall.units) if wall.units else 0.0, 'mm', system)} from the wall at most",
            "wall-note",
            "start",
        ),
    )
    if wall.depth is not None:
        plan_labels += (
            Label(wall.width - 6, plan_top + 14 + wall.depth - 12, f"clear depth in front: {show(wall.depth, 'mm', system)}", "wall-note", "end"),
        )
    if wall.end is not None:
        plan.append(Box(wall.end, 0, 8, floor, "depthline"))
        plan_labels += (Label(wall.end + 20, floor - 18, "end of the wall", "wall-note", "start"),)
    return WallView(
        -MARGIN, -ABOVE, wall.width + 2 * MARGIN, plan_top + ABOVE + deepest + 70, floor, Box(0, 0, wall.width, floor, "room"),
        units, obstacles, pipes, valves, small, dimensions, (*labels, *_ends(wall, y)), tuple(plan), plan_labels,
        DrawnLine("".join("M" + "L".join(f"{n(x)} {n(y(z))}" for x, z in path) for path in (wall.water_path, *wall.side_paths)), "flow"),
    )  # fmt: skip


def _names(wall: Wall) -> dict[str, tuple[Label, ...]]:
    """The name of each unit under the floor line, clear of what is kept free; lower where it would run into its neighbour's."""
    found: dict[str, tuple[Label, ...]] = {}
    ends = [0.0, 0.0, 0.0]  # where the names of each tier end
    for unit in sorted(wall.units, key=lambda each: each.outline.x + each.outline.width / 2):
        lines, middle = _lines(unit.name), unit.outline.x + unit.outline.width / 2
        half = max(len(line) for line in lines) * LETTER / 2
        tier = next((i for i, end in enumerate(ends) if middle - half >= end), len(ends) - 1)
        ends[tier] = middle + half + LETTER
        top = wall.height + LINE + tier * 3 * LINE
        found[unit.id] = tuple(Label(middle, top + LINE * i, line, "wall-name") for i, line in enumerate(lines))
    return found


def _ends(wall: Wall, y) -> tuple[Label, ...]:  # type: ignore[no-untyped-def]  # noqa: ANN001
    """Where the water comes from and goes to, above the pipe and above what is kept free there."""
    zones = [zone.rect for unit in wall.units for zone in unit.zones]

    def above(left: float, right: float) -> float:
        highest = max([wall.header, *(rect.top for rect in zones if rect.x < right and rect.right > left and rect.top > wall.header)])
        return float(y(highest)) - 26

    leaves = wall.leaves - (6 if wall.leaves == wall.width else 30)
    raw = next((run.points for run in wall.runs if run.role == "raw"), None)
    outdoor = () if raw is None else (Label(raw[1][0] + 26, y(min(raw[1][1], wall.height)) + 44, "to the outdoor taps, raw", "wall-note", "start"),)
    start = 6 if raw is None else raw[0][0] + 26
    return (
        *outdoor,
        Label(start, above(start, start + 15 * LETTER), "from the source", "wall-note", "start"),
        Label(leaves, above(leaves - 12 * LETTER, leaves), "to the house", "wall-note", "end"),
    )


def _unit(unit: WallUnit, wall: Wall, variant: EvaluatedTrain, box, labels: tuple[Label, ...]) -> UnitView:  # type: ignore[no-untyped-def]  # noqa: ANN001
    shapes: list[Box | DrawnLine] = []
    for shape, rect in unit.parts:
        shapes += _part(shape, box(rect, shape), unit, variant)
    own = wall.findings_at(unit.id)
    worst = min((finding.severity for finding in own), key=SEVERITIES.index, default="")
    frame = box(unit.outline, "hit")
    zones = tuple(box(zone.rect, f"zone-{zone.what}") for zone in unit.zones)
    count = f", {len(own)} finding{'s' if len(own) > 1 else ''}, most serious: {severity(worst)}" if own else ""
    return UnitView(
        unit.id, unit.name, f"{unit.name}{count}", tuple(shapes), zones, Box(frame.x - 12, frame.y - 12, frame.width + 24, frame.height + 24, "hit", 10), labels,
        worst, (unit.outline.x + unit.outline.width / 2, frame.y - 70), unit.outline.x, unit.outline.z,
    )  # fmt: skip


def _lines(name: str) -> list[str]:
    """Words on lines of a dozen letters."""
    lines = [""]
    for word in name.split(" "):
        joined = f"{lines[-1]} {word}".strip()
        if len(joined) > 13 and lines[-1]:
            lines.append(word)
        else:
            lines[-1] = joined
    return lines


def _part(shape: str, b: Box, unit: WallUnit, variant: EvaluatedTrain) -> list[Box | DrawnLine]:
    """The body of a part, to scale; a vessel shows its valve head and how high its bed stands."""
    x, r = b.x, b.x + b.width
    if shape == "vessel":
        bed = next(stage.sizing.bed for stage in variant.run.stages if stage.id == unit.id)
        assert bed is not None
        head = min(200.0, b.height * 0.16)
        top, dome = b.y + head, b.width * 0.28
        shell = f"M{n(x)} {n(top + dome)}C{n(x)} {n(top)} {n(r)} {n(top)} {n(r)} {n(top + dome)}V{n(b.bottom - dome)}"
        shell += f"C{n(r)} {n(b.bottom)} {n(x)} {n(b.bottom)} {n(x)} {n(b.bottom - dome)}Z"
        level = b.bottom - 100 - bed.depth * 1000
        filled = f"M{n(x + 6)} {n(level)}H{n(r - 6)}V{n(b.bottom - dome)}C{n(r - 6)} {n(b.bottom - 8)} {n(x + 6)} {n(b.bottom - 8)} {n(x + 6)} {n(b.bottom - dome)}Z"
        return [
            DrawnLine(shell, "shell"),
            DrawnLine(filled, f"bed bed-{bed.medium.key.replace('_', '-')}"),
            Box(x + b.width * 0.18, b.y, b.width * 0.64, head + 14, "head", 14),
        ]
    if shape == "brine":
        return [
            Box(x, b.y, b.width, b.height, "brine", 18),
            Box(x + 10, b.y + b.height * 0.45, b.width - 20, b.height * 0.55 - 10, "salt", 8),
            Box(x - 6, b.y - 18, b.width + 12, 26, "lid", 8),
        ]
    if shape == "cartridge":
        cap = min(80.0, b.height * 0.25)
        return [
            Box(x, b.y + cap, b.width, b.height - cap, "shell", min(b.width * 0.35, 60)),
            Box(x + b.width * 0.25, b.y + cap + 14, b.width * 0.5, b.height - cap - 60, "element", 8),
            Box(x - 10, b.y, b.width + 20, cap, "head", 12),
        ]
    if shape == "lamp" and b.width > b.height:
        return [
            Box(x, b.y, b.width, b.height, "chamber", 24),
            Box(x + 24, b.y + b.height / 2 - 12, b.width - 48, 24, "light", 12),
            Box(x + b.width - 6, b.y + 14, 46, b.height - 28, "head", 8),
        ]
    if shape == "lamp":
        return [
            Box(x, b.y, b.width, b.height, "chamber", 24),
            Box(x + b.width / 2 - 12, b.y + 24, 24, b.height - 48, "light", 12),
            Box(x + 14, b.y - 40, b.width - 28, 46, "head", 8),
        ]
    if shape in ("tank", "store"):
        return [Box(x, b.y, b.width, b.height, "shell", 40), Box(x + 10, b.y + b.height * 0.3, b.width - 20, b.height * 0.7 - 10, "stored", 24)]
    if shape == "feeder":
        return [
            Box(x, b.y, b.width, b.height, "brine", 20),
            Box(x + 10, b.y + b.height * 0.4, b.width - 20, b.height * 0.6 - 10, "solution", 12),
            Box(x + b.width / 2 - 50, b.y - 70, 100, 72, "head", 10),
        ]
    if shape == "membrane":
        tubes = [Box(x + 24, b.y + 40 + i * b.height * 0.16, b.width - 48, b.height * 0.12, "membrane", 20) for i in range(3)]
        return [Box(x, b.y, b.width, b.height, "shell", 12), *tubes]
    return [Box(x, b.y, b.width, b.height, "head" if shape in ("pump", "valve") else "shell", 16)]


def _run(run: PipeOnWall, y) -> DrawnLine:  # type: ignore[no-untyped-def]  # noqa: ANN001
    return DrawnLine("M" + "L".join(f"{n(x)} {n(y(z))}" for x, z in run.points), f"run-{run.role}")


def valve_shapes(fitting: Fitting, y: Callable[[float], float]) -> list[DrawnLine]:
    """A valve as one sees it: its body in the pipe, its handle along the pipe where open, across where shut."""
    x, at, half = fitting.x, y(fitting.z), VALVE / 2
    body = (
        f"M{n(x - half)} {n(at - 20)}L{n(x + half)} {n(at + 20)}V{n(at - 20)}L{n(x - half)} {n(at + 20)}Z"
        if fitting.along == "h"
        else f"M{n(x - 20)} {n(at - half)}L{n(x + 20)} {n(at + half)}H{n(x - 20)}L{n(x + 20)} {n(at - half)}Z"
    )
    lies = (fitting.along == "h") == fitting.open
    handle = f"M{n(x)} {n(at)}H{n(x + HANDLE)}" if lies else f"M{n(x)} {n(at)}V{n(at - HANDLE)}"
    return [DrawnLine(body, "valve"), DrawnLine(handle, "handle-open" if fitting.open else "handle-shut")]


def small_shapes(fitting: Fitting, y: Callable[[float], float]) -> list[DrawnLine]:
    """A small fitting as one sees it; nothing for what is only a bend of the pipe."""
    if lines := lines_of(fitting):
        path = "".join("M" + "L".join(f"{n(x)} {n(y(z))}" for x, z in line) for line in lines)
        return [DrawnLine(path, SIGNS.get(fitting.kind, fitting.kind))]
    x, at = fitting.x, y(fitting.z)
    if fitting.kind == "outlet":
        return [
            DrawnLine(
                f"M{n(x - 32)} {n(at - 32)}H{n(x + 32)}V{n(at + 32)}H{n(x - 32)}ZM{n(x - 12)} {n(at - 12)}V{n(at + 12)}M{n(x + 12)} {n(at - 12)}V{n(at + 12)}",
                "outlet",
            )
        ]
    return []


def _obstacle_label(obstacle: Obstacle, y) -> Label:  # type: ignore[no-untyped-def]  # noqa: ANN001
    return Label(obstacle.rect.x + obstacle.rect.width / 2, y(obstacle.rect.top) - 18, OBSTRUCTION_WORDS[obstacle.key], "wall-note")


def _dimensions(wall: Wall, y, system: str, below: float) -> tuple[tuple[DrawnLine, ...], tuple[Label, ...]]:  # type: ignore[no-untyped-def]  # noqa: ANN001
    """A chain of measures along the floor, the height of the header, and the whole width."""
    lines: list[DrawnLine] = []
    labels: list[Label] = []
    level = wall.height + 178 + below
    for i, each in enumerate(wall.dimensions):
        a, b = each.start[0], each.end[0]
        lines.append(
            DrawnLine(f"M{n(a)} {n(level - 14)}V{n(level + 14)}M{n(a)} {n(level)}H{n(b)}M{n(b)} {n(level - 14)}V{n(level + 14)}", "dimension")
        )
        if b - a > 70:
            labels.append(Label((a + b) / 2, level - 12 if i % 2 == 0 or b - a > 220 else level + 48, each.words, "wall-figure"))
    whole = level + 118  # clear of the second row of words
    lines.append(
        DrawnLine(f"M0 {n(whole - 14)}V{n(whole + 14)}M0 {n(whole)}H{n(wall.width)}M{n(wall.width)} {n(whole - 14)}V{n(whole + 14)}", "dimension")
    )
    labels.append(Label(wall.width / 2, whole - 12, measure(wall.width, system), "wall-figure"))
    side = -44.0
    lines.append(
        DrawnLine(
            f"M{n(side - 14)} {n(y(0))}H{n(side + 14)}M{n(side)} {n(y(0))}V{n(y(wall.header))}M{n(side - 14)} {n(y(wall.header))}H{n(side + 14)}",
            "dimension",
        )
    )
    labels.append(Label(side - 18, (y(0) + y(wall.header)) / 2, measure(wall.header, system), "wall-figure", "end"))
    return tuple(lines), tuple(labels)


@dataclass(frozen=True, slots=True)
class Paper:
    """A sheet, landscape. width, height: of it; across, down: what of it a drawing has [mm]."""

    name: str
    width: float
    height: float
    across: float
    down: float


def papers() -> dict[str, str]:
    """The papers that a wall is printed on: key and name."""
    return {key: name for key, (_, _, name) in table("wall")["paper"].items()}


def paper_of(asked: str, system: str) -> Paper:
    """A paper by its key; the usual one of a system of units for a key that nobody knows."""
    rows, room = table("wall")["paper"], table("wall")["paper_room"]
    width, height, name = rows.get(asked) or rows[room["usual"][system]]
    return Paper(name, float(width), float(height), width - room["across"], height - room["down"])


@dataclass(frozen=True, slots=True)
class ScaleBar:
    """A bar drawn beside the drawing. pieces: where each begins, how long it is and where it ends on paper [mm], and the words at its end."""

    pieces: tuple[tuple[float, float, float, str], ...]

    @property
    def room(self) -> float:
        """Width of its picture [mm]: the bar, and the words that stand out at its end."""
        return self.pieces[-1][2] + 16


def scale_bar(scale: int, system: str) -> ScaleBar:
    """A metre in halves, or three feet, at a scale 1:n: what a copy was shrunk by can be read off it."""
    each, words = (304.8 / scale, ("1 ft", "2 ft", "3 ft")) if system == "us" else (500 / scale, ("0.5 m", "1 m"))
    return ScaleBar(tuple((each * i, each, each * (i + 1), word) for i, word in enumerate(words)))
