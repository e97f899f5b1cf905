"""A train in plain words for the customer: what you get, what you keep doing, what it costs, what it does not do, which risks were accepted."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..operation.maintenance.upkeep import Task, upkeep
from ..planning.evaluated import EvaluatedTrain
from .compared import Priced
from .costs import days_of

YEAR, MONTH, WEEK = 365.0, 30.44, 7.0


@dataclass(frozen=True, slots=True)
class InPlainWords:
    """A train as a customer is told of it; each a sentence a line. keeps: what the owner does; visits: what service does."""

    gets: tuple[str, ...]
    keeps: tuple[str, ...]
    visits: tuple[str, ...]
    costs: tuple[str, ...]
    lacks: tuple[str, ...]
    accepted: tuple[str, ...]

    @property
    def parts(self) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """Its parts under their headings, in the order of a customer's questions."""
        return (
            ("What you get", self.gets), ("What you keep doing", self.keeps), ("What service does", self.visits), ("What it costs", self.costs),
            ("What it does not do, and what to watch", self.lacks), ("Risks accepted", self.accepted),
        )  # fmt: skip


def in_plain_words(variant: EvaluatedTrain, found: Priced | None, system: str) -> InPlainWords:
    """Say what a train does, asks and costs, and where it falls short, from its own stages, tasks, costs and findings. found: None for no money."""
    tasks = sorted(upkeep(variant), key=days_of)
    stages = variant.run.stages
    names = {id(stage): name for stage, name in zip(stages, unit_names([stage.name for stage in stages]), strict=True)}
    grave = [each for each in variant.findings if each.severity != "advice"]
    return InPlainWords(
        tuple(f"{stage.name}: {said}." for stage in stages if (said := stage.room.does(stage.water_in, stage.water_out, system))),
        _once(_asked(task, names) for task in tasks if task.row.who == "owner"),
        _once(_asked(task, names) for task in tasks if task.row.who != "owner"),
        () if found is None else tuple(_costs(found)),
        tuple(each.message for each in grave if not each.waived),
        tuple(f"{each.message} Accepted: {each.waived}" for each in grave if each.waived),
    )


def _once(lines: Iterable[str]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(lines))


def _asked(task: Task, names: Mapping[int, str]) -> str:
    return f"{task_of(task.row.task, names[id(task.stage)] if task.stage else None)}: {often(days_of(task))}."


def unit_names(names: Sequence[str]) -> list[str]:
    """The names of a train's units, told apart by the place on their labels where two have one. names: as the water takes them.

    >>> unit_names(["Sediment filter", "Softener", "Sediment filter"])
    ['Sediment filter, unit 1 of 3', 'Softener', 'Sediment filter, unit 3 of 3']
    """
    return [f"{name}, unit {place} of {len(names)}" if names.count(name) > 1 else name for place, name in enumerate(names, 1)]


def names_of(design: Mapping[str, Any]) -> dict[str, str]:
    """How each stage of a ``cairn-design/1`` is called on paper, by its id."""
    stages = design["train"]
    return dict(zip((stage["id"] for stage in stages), unit_names([stage["name"] for stage in stages]), strict=True))


def task_of(task: str, name: str | None) -> str:
    """A task with the unit it is for: a house may have two that take salt. name: of the unit; None for the house.

    >>> task_of("Add salt", "Softener"), task_of("Have the water tested", None)
    ('Add salt (Softener)', 'Have the water tested')
    """
    return f"{task} ({name})" if name else task


def _costs(found: Priced) -> Iterator[str]:
    money = found.costs
    currency = f" {money.currency_named}".rstrip()
    yield f"{money.first.value:,.0f}{currency} to begin with."
    yield f"{money.yearly.value:,.0f}{currency} a year, from {money.yearly.low:,.0f} to {money.yearly.high:,.0f}."
    yield f"{money.total.value:,.0f}{currency} over {money.years} years."
    if money.sample_prices:
        yield "These are sample prices, not an offer."


def often(days: float) -> str:
    """How often something comes, as people say it.

    >>> often(7), often(42), often(30), often(183), often(365), often(1096)
    ('every week', 'every 6 weeks', 'every month', 'every 6 months', 'every year', 'every 3 years')
    """
    for unit, length, most in (("day", 1.0, WEEK), ("week", WEEK, 2 * MONTH), ("month", MONTH, YEAR), ("year", YEAR, float("inf"))):
        times = round(days / length)
        if unit == "week" and abs(days - MONTH) < 1:
            return "every month"
        if (days < most * 0.99 and (unit != "month" or times < 12)) or unit == "year":
            return f"every {unit}" if times <= 1 else f"every {times} {unit}s"
    raise AssertionError("a year has no end")
