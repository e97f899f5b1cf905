"""A page with two tables beside each other whose rows stand at different heights: the blocks in which it is read, each by itself.

One table has white between its columns, too; but its cells stand on common lines. Only where the lines on both sides of a white stripe do not
belong together, and each side is a table of its own, is the page cut there.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby, pairwise
from typing import Any

Picture = Any
#: left, upper, right, lower [shares of the page]
Block = tuple[float, float, float, float]

WHOLE: Block = (0.0, 0.0, 1.0, 1.0)
WIDE, HIGH = 170, 900  # points in which a page is looked over
DARK = 45  # of 255: a point that holds ink
STRIPE = 3  # points across that are white between two tables
BETWEEN = (0.25, 0.75)  # of the width: where such a stripe may stand
LINES = 4  # lines that each side has at least
APART = 0.22  # of a line's distance: lines whose middles are farther apart are no common line
COMMON = 0.7  # of the lines of the shorter side: so many common lines make one table
WHITE = 0.2  # of a side's height: so much is white between its lines, or they are lines of two tables
INNER = 0.6  # of a side's rows of points: so many leave white between its own columns


@dataclass(frozen=True, slots=True)
class _Stripe:
    """White from top to bottom with print on both sides [points]: its middle across, and the rows of points from top to bottom."""

    x: int
    top: int
    rows: Sequence[Sequence[int]]

    @property
    def bottom(self) -> int:
        return self.top + len(self.rows)


def blocks(page: Picture) -> list[Block]:
    """The blocks of a grey page in the order in which they are read; the whole page where it has no two such tables."""
    ink = _ink(page, (WIDE, HIGH))
    rows = [[at for at in range(WIDE) if ink[y * WIDE + at] > DARK] for y in range(HIGH)]
    found = [(score, stripe) for stripe in _stripes(rows) if (score := _two(page, stripe)) > 0]
    if not found:
        return [WHOLE]
    stripe = max(found, key=lambda each: each[0])[1]
    before = max(at for row in stripe.rows for at in row if at < stripe.x)
    after = min(at for row in stripe.rows for at in row if at > stripe.x)
    x, top, bottom = (before + after + 1) / 2 / WIDE, max(stripe.top - 4, 0) / HIGH, min(stripe.bottom + 4, HIGH) / HIGH
    cut = [(0.0, 0.0, 1.0, top), (0.0, top, x, bottom), (x, top, 1.0, bottom), (0.0, bottom, 1.0, 1.0)]
    return [block for block in cut if block[3] - block[1] > 0.01]


def _ink(page: Picture, size: tuple[int, int]) -> bytes:
    """How dark a page is, in so many points."""
    from PIL import Image, ImageOps

    return bytes(ImageOps.invert(page).resize(size, Image.Resampling.BOX).tobytes())


def _stripes(rows: Sequence[Sequence[int]]) -> Iterator[_Stripe]:
    """The white stripes of a page, each once, in its middle."""
    runs = [(x, _run(rows, x)) for x in range(round(BETWEEN[0] * WIDE), round(BETWEEN[1] * WIDE))]
    for run, same in groupby((each for each in runs if each[1] is not None), key=lambda each: each[1]):
        across = [x for x, _ in same]
        assert run is not None
        yield _Stripe(across[len(across) // 2], run[0], rows[run[0] : run[1]])


def _run(rows: Sequence[Sequence[int]], x: int) -> tuple[int, int] | None:
    """The longest run of rows that print does not cross at a place, from print to print, with print on both sides; None where there is none."""
    best, at = None, 0
    for crossed, run in groupby(rows, key=lambda row: any(abs(each - x) <= STRIPE // 2 for each in row)):
        held = list(run)
        told = [i for i, row in enumerate(held) if row]
        if not crossed and told and any(row and row[0] < x for row in held) and any(row and row[-1] > x for row in held):
            first, last = at + told[0], at + told[-1] + 1
            if best is None or last - first > best[1] - best[0]:
                best = first, last
        at += len(held)
    return best


def _two(page: Picture, stripe: _Stripe) -> float:
    """How plainly two tables of their own stand beside a stripe; 0 where they do not."""
    sides = [_side(page, stripe, side) for side in ((0.0, stripe.x / WIDE), (stripe.x / WIDE, 1.0))]
    (left, light), (right, bright) = sides
    if min(len(left), len(right)) < LINES or min(light, bright) < WHITE or _common(left, right) >= COMMON:
        return 0.0
    halves = [[[at for at in row if (at < stripe.x) == first] for row in stripe.rows] for first in (True, False)]
    return min(light, bright) * len(stripe.rows) if all(_columns(half) for half in halves) else 0.0


def _side(page: Picture, stripe: _Stripe, side: tuple[float, float]) -> tuple[list[float], float]:
    """The middles of the lines on one side of a stripe [points down], by how dark its rows are; and the share of rows between them that are white."""
    box = (round(side[0] * page.width), stripe.top * page.height // HIGH, round(side[1] * page.width), stripe.bottom * page.height // HIGH)
    dark = _ink(page.crop(box), (1, len(stripe.rows) * 2))
    light, full = (sorted(dark)[int(len(dark) * share)] for share in (0.1, 0.9))
    mark = light + max(0.25 * (full - light), 2)
    bands, at = [], 0
    for inked, run in groupby(dark, key=lambda value: value > mark):
        length = len(list(run))
        if inked and length > 3:
            bands.append((at, at + length))
        at += length
    if not bands:
        return [], 0.0
    first, last = bands[0][0], bands[-1][1]
    return [(a + b) / 2 for a, b in bands], 1 - sum(b - a for a, b in bands) / (last - first)


def _common(left: Sequence[float], right: Sequence[float]) -> float:
    """The share of the shorter side's lines that stand beside a line of the other."""
    few, many = sorted((left, right), key=len)
    gaps = sorted(b - a for a, b in pairwise(many))
    near = APART * gaps[len(gaps) // 2]
    return sum(any(abs(one - other) <= near for other in many) for one in few) / len(few)


def _columns(rows: Sequence[Sequence[int]]) -> bool:
    """Whether print stands in columns of its own: white between them in most rows that hold print."""
    printed = [row for row in rows if row]
    first, last = min(row[0] for row in printed), max(row[-1] for row in printed)
    inner = (
        sum(1 for row in printed if all(abs(at - x) > STRIPE // 2 for at in row) and row[0] < x < row[-1])
        for x in range(first + STRIPE, last - STRIPE)
    )
    return max(inner, default=0) >= INNER * len(printed)
