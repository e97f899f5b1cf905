"""The ion balance drawn: cations above, anions below, each ion as wide as it weighs in charge."""

from __future__ import annotations

from dataclasses import dataclass

from ..evidence.gather import Evidence
from ..language.analytes import analytes
from .shapes import Box, Label

WIDTH, HEIGHT, BAR, LEFT = 320.0, 108.0, 26.0, 52.0


@dataclass(frozen=True, slots=True)
class IonBalance:
    """Two bars of boxes, each with its pattern for role and its colour, and their labels; off: how far the sides differ, as a share of their sum. 0 where there are no ions."""

    cations: tuple[tuple[Box, str], ...]
    anions: tuple[tuple[Box, str], ...]
    labels: tuple[Label, ...]
    sums: tuple[float, float]
    off: float
    computed: tuple[str, ...]

    @property
    def off_percent(self) -> float:
        """How far the sides differ [% of their sum]."""
        return 100 * self.off


def ion_balance(evidence: Evidence) -> IonBalance:
    """The diagram of a design water. Ions that were put in to balance it are named in ``computed`` and drawn hatched."""
    cations, anions = evidence.ion_parts
    sums = sum(value for _, value in cations), sum(value for _, value in anions)
    scale = (WIDTH - LEFT - 6) / max(*sums, 1e-9)
    labels: list[Label] = []
    rows = tuple(_row(parts, y, scale, evidence, labels) for parts, y in ((cations, 14.0), (anions, 66.0)))
    total = sums[0] + sums[1]
    computed = tuple(
        analytes()[name].name for name, value in (*cations, *anions) if value > 0 and evidence.states[name].origin in ("computed", "assumed")
    )
    return IonBalance(rows[0], rows[1], tuple(labels), sums, abs(sums[0] - sums[1]) / total if total else 0.0, computed)


def _row(parts: list[tuple[str, float]], y: float, scale: float, evidence: Evidence, labels: list[Label]) -> tuple[tuple[Box, str], ...]:
    x, boxes = LEFT, []
    for name, value in parts:
        width = value * scale
        if width <= 0:
            continue
        row = analytes()[name]
        supposed = evidence.states[name].origin in ("computed", "assumed")
        boxes.append((Box(x, y, width, BAR, "hatch" if supposed else row.pattern, 2.0), row.colour))
        short = "HCO₃" if name == "alkalinity" else row.short
        if width > 8.0 * len(short) + 4:
            labels.append(Label(x + width / 2, y + BAR + 13, short, "faint"))
        x += width
    return tuple(boxes)
