"""Plain shapes. ``role`` names what a shape is; how it looks is decided where it is drawn."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Box:
    """An upright rectangle; r is the radius of its corners."""

    x: float
    y: float
    width: float
    height: float
    role: str
    r: float = 0.0

    @property
    def css(self) -> str:
        """Its role as the name of a style."""
        return self.role if self.role.startswith("bed ") else f"s-{self.role}"

    @property
    def right(self) -> float:
        return self.x + self.width

    @property
    def bottom(self) -> float:
        return self.y + self.height

    def overlaps(self, other: Box) -> bool:
        """Whether two boxes share any area."""
        return self.x < other.right - 1e-6 and other.x < self.right - 1e-6 and self.y < other.bottom - 1e-6 and other.y < self.bottom - 1e-6


@dataclass(frozen=True, slots=True)
class DrawnLine:
    """An open or closed path, as SVG path data."""

    d: str
    role: str

    @property
    def css(self) -> str:
        """Its role as the name of a style."""
        return self.role if self.role.startswith("bed ") else f"s-{self.role}"


@dataclass(frozen=True, slots=True)
class Label:
    """A piece of text; anchor is start, middle or end."""

    x: float
    y: float
    text: str
    role: str
    anchor: str = "middle"

    @property
    def plate(self) -> Box:
        """A plate to lay under it where it would be hard to read: letters of 12 units, digits 6.8 of them wide, and a rim."""
        width = 6.8 * len(self.text) + 5
        left = {"start": self.x - 2.5, "end": self.x - width + 2.5}.get(self.anchor, self.x - width / 2)
        return Box(left, self.y - 10.5, width, 13.0, "plate", 3.0)


def n(value: float) -> str:
    """A coordinate with one decimal, as short as it can be."""
    text = f"{value:.1f}"
    return text[:-2] if text.endswith(".0") else text


def path(*points: tuple[float, float]) -> str:
    """Path data through points."""
    return "M" + "L".join(f"{n(x)} {n(y)}" for x, y in points)
