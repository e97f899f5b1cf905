"""What a company that does the job charges: its currency, rates and prices, as the job file gives them (``firm``)."""

from __future__ import annotations

import difflib
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any

from ..language.errors import Fault
from ..language.spec import BAD, Number, Spec, Text, key
from .prices import price_keys

MOST = Decimal(10_000_000)


@dataclass(frozen=True)
class Money(Spec):
    """An amount of money: a number, or a text that is one; exact."""

    expected = "an amount of money such as “12.50”, from 0 to 10000000"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if isinstance(raw, bool) or not isinstance(raw, (str, int, float)):
            return self.refuse(raw, path, faults)
        try:
            value = Decimal(str(raw).strip())
        except InvalidOperation:
            return self.refuse(raw, path, faults)
        if not value.is_finite() or not 0 <= value <= MOST:
            return self.refuse(raw, path, faults)
        return value

    def write(self, held: Any) -> Any:
        return f"{held:f}"

    def schema(self) -> dict[str, Any]:
        return {"type": ["string", "number"], "examples": ["12.50"]}


@dataclass(frozen=True)
class Currency(Text):
    """The name of a currency, 1 to 8 characters."""

    longest: int = 8
    expected = "the name of a currency, 1 to 8 characters"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        read = super().read(raw, path, faults)
        if read is BAD:
            return BAD
        return self.refuse(raw, path, faults) if not read.strip() else read.strip()


class Prices(Spec):
    """A company's own prices by the keys of the price list; held as pairs, so that they can be compared."""

    expected = "an object of prices such as {“salt”: “0.60”}"

    def read(self, raw: Any, path: str, faults: list[Fault]) -> Any:
        if not isinstance(raw, dict):
            return self.refuse(raw, path, faults)
        found, good = [], True
        for name, price in raw.items():
            if name not in price_keys():
                near = difflib.get_close_matches(str(name), price_keys(), 1)
                faults.append(Fault(f"{path}.{name}", f"no key of the price list; {'the nearest is ' + near[0] if near else 'see data/prices.toml'}"))
                good = False
                continue
            read = Money().read(price, f"{path}.{name}", faults)
            good = good and read is not BAD
            found.append((name, read))
        return tuple(found) if good else BAD

    def write(self, held: Any) -> Any:
        return {name: f"{price:f}" for name, price in held}

    def schema(self) -> dict[str, Any]:
        return {"type": "object", "propertyNames": {"enum": list(price_keys())}, "additionalProperties": {"type": ["string", "number"]}}


@dataclass(frozen=True, slots=True)
class Firm:
    """What a company charges. Rates by hour, visit, kWh and liter; margin, tax, rate as shares; years that costs are worked out for."""

    currency: str | None = key(Currency(), None, "its currency")
    labour_rate: Decimal | None = key(Money(), None, "an hour of work")
    visit_price: Decimal | None = key(Money(), None, "a service visit")
    energy_price: Decimal | None = key(Money(), None, "a kWh")
    water_price: Decimal | None = key(Money(), None, "a liter of water to the drain")
    margin: float | None = key(Number(0, 1), None, "share added to materials and labour")
    tax: float | None = key(Number(0, 1), None, "share added to materials, labour and margin")
    years: int | None = key(Number(1, 50, whole=True), None, "years that costs are worked out for")
    rate: float | None = key(Number(0, 0.5), None, "real discount rate")
    prices: tuple[tuple[str, Decimal], ...] = key(Prices(), (), "its own prices by key of the price list")

    @property
    def own(self) -> dict[str, Decimal]:
        """Its own prices by key."""
        return dict(self.prices)
