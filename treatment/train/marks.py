"""Marks: where something calls for somebody, and from where a sign of the diagnosis says yes. Each stands with its treatment in ``data/marks.toml``."""

from __future__ import annotations

from ..language.tables import table


def mark(of: str, name: str) -> float:
    """A mark of a treatment, or of the place, by its name, in the unit of its row.

    >>> mark("uv", "lamp_life")
    9000.0
    """
    return marked(of, name)[0]


def marked(of: str, name: str) -> tuple[float, str]:
    """The same with its unit, as a working shows it."""
    value, unit, _ = table("marks")[of][name]
    return float(value), str(unit)
