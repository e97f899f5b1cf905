"""The price list: every price by its key, what it is, its unit, its made-up sample price; from ``data/prices.toml``."""

from __future__ import annotations

from decimal import Decimal
from functools import cache
from typing import NamedTuple

from ..language.tables import table

#: groups of the materials list, in its order; tools have no price
GROUPS = ("equipment", "media", "pipe", "fittings", "electrical", "testing", "tools", "consumables")
#: what is priced besides: what upkeep takes that no materials list holds
UPKEEP = "upkeep"
CENT = Decimal("0.01")


class Price(NamedTuple):
    """A row of the list. sample: the made-up price, in the unit."""

    group: str
    what: str
    unit: str
    sample: float


@cache
def price_keys() -> dict[str, Price]:
    """Every price by key."""
    return {key: Price(group, row[0], row[1], float(row[2])) for group in (*GROUPS, UPKEEP) for key, row in table("prices").get(group, {}).items()}


@cache
def of(key: str) -> str:
    """What a price pays for, as costs group it: salt, medium, cartridge, lamp, membrane, chemical, test or part."""
    found: dict[str, str] = table("prices")["of"]
    return found.get(key) or ("medium" if price_keys()[key].group == "media" else "material")
