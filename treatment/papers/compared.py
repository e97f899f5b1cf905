"""Trains side by side in money and work: rows of a comparison, from what each costs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..drawing.wall.compose import built
from ..language.display import show
from ..planning.evaluated import EvaluatedTrain
from ..studies.compare import ComparedRow
from .costs import ChosenBy, Costs, choice, costs, per_volume
from .materials import bought_for


@dataclass(frozen=True, slots=True)
class Priced:
    """What a train costs, and what people choose by."""

    costs: Costs
    choice: ChosenBy


def priced(variant: EvaluatedTrain) -> Priced:
    """Price a train on its wall."""
    money = costs(variant, bought_for(variant, built(variant)))
    return Priced(money, choice(variant, money))


def money_rows(found: Sequence[Priced], system: str) -> list[ComparedRow]:
    """Money, power and work of trains side by side; amounts in the company's currency, with what is made up said once."""
    if not found:
        return []
    years, sample = found[0].costs.years, any(each.costs.sample_prices for each in found)
    currency = f" {found[0].costs.currency_named}".rstrip()
    note = " (sample prices)" if sample else ""
    thousand = "1000 gallons" if system == "us" else "1000 liters"

    def row(what: str, cells: Sequence[str]) -> ComparedRow:
        return ComparedRow(what, tuple(cells))

    return [
        row(f"Cost to begin with{note}", [f"{each.costs.first.value:,.0f}{currency}" for each in found]),
        row(f"Cost of a year{note}", [f"{each.costs.yearly.value:,.0f}{currency}" for each in found]),
        row(f"Cost over {years} years{note}", [f"{each.costs.total.value:,.0f}{currency}" for each in found]),
        row(f"Cost of {thousand}{note}", [f"{per_volume(each.costs, system).value:.2f}{currency}" for each in found]),
        row("Upkeep by hand a year", [show(each.choice.upkeep_hours, "hour", system) for each in found]),
    ]
