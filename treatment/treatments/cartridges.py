"""What every cartridge has in common: its housings, their flow, how often it is changed."""

from __future__ import annotations

from functools import cache
from math import ceil

from ..language.figure import Line, work
from ..language.tables import table
from ..train.treatment import Purchase, Sizing

HOUSINGS = tuple(table("vessels")["cartridges"])


@cache
def rated(housing: str, share: float, source: str = "sediment.flow") -> Line:
    """Flow at the clean loss of the table [L/min]; share: of it that this cartridge passes."""
    gpm = float(table("vessels")["cartridges"][housing]["gpm"])
    return work("flow", "rated × US_gpm × share", "L/min", source, rated=(gpm, "gpm"), share=(share, ""))


def changes(key: str, sizing: Sizing, name: str) -> list[Purchase]:
    """The cartridges or elements of a year, where they last no longer; none for a bed."""
    life = sizing.figures.get("replacement_interval")
    if life is None or sizing.bed is not None or life.value > 12:
        return []
    return [Purchase(key, float(ceil(12 / max(life.value, 0.1) - 1e-6)), note=name, yearly=True)]
