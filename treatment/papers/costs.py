"""What a train costs: to begin with, in a year, over years, for a thousand litres; every sum from printed lines, each with its working.

Money is Decimal throughout; a price the company does not give is the made-up one of ``data/prices.toml``, and its line says so.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from math import ceil
from typing import Any, NamedTuple

from ..commissioning.sheet import work
from ..house.duty import Duty
from ..house.stock import GENERIC, Library
from ..job.firm import Firm
from ..job.prices import of, price_keys
from ..language.figure import Line, constant, rounded, source
from ..language.tables import table
from ..operation.maintenance.due import Due, gathered
from ..operation.maintenance.upkeep import DAY, Task, upkeep
from ..planning.evaluated import EvaluatedTrain
from ..train.bought import item_for, price_each
from ..train.running import ALWAYS, hours_of_draw
from .materials import MaterialRow, cents

YEAR = 365.25  # days by which a rarer replacement is counted in years
OFTEN = 366  # days from which on it is a replacement and not a yearly line
FIRST, YEARLY, REPLACED = "first", "yearly", "replacement"
ENDS = ("low", "value", "high")
#: what a line may pay for
PAYS_FOR = (
    "material", "labour", "margin", "tax", "salt", "medium", "cartridge", "lamp", "membrane", "chemical", "test", "part", "electricity", "water", "visit",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Working:
    """How an amount came about: the expression, the numbers put in, the result and its source; as `language.figure.Line` prints it."""

    symbol: str
    expression: str
    numbers: str
    given: tuple[tuple[str, str], ...]
    result: str
    cites: str

    def with_numbers(self) -> str:
        """The expression with every symbol replaced by its number."""
        return self.numbers

    @property
    def where(self) -> dict[str, str]:
        """What each symbol is, with its unit."""
        return dict(self.given)

    @property
    def cited(self) -> str:
        """The source in full."""
        return source(self.cites)

    def as_json(self) -> dict[str, Any]:
        """The line as the design document prints it."""
        return {
            "symbol": self.symbol, "expression": self.expression, "with_numbers": self.numbers, "where": self.where, "result": self.result,
            "source": self.cited,
        }  # fmt: skip


@dataclass(frozen=True, slots=True)
class CostLine:
    """A line of costs. of: what it pays for; stage: None for the house; every_years: of a replacement; low, high: at the ends of water and use."""

    what: str
    of: str
    stage: str | None
    kind: str
    amount: Decimal
    sample: bool
    working: tuple[Working | Line, ...]
    low: Decimal
    high: Decimal
    every_years: float | None = None
    every_low: float | None = None
    every_high: float | None = None

    def as_json(self) -> dict[str, Any]:
        return {
            "what": self.what, "of": self.of, "stage": self.stage, "kind": self.kind, "every_years": self.every_years, "amount": f"{self.amount:.2f}",
            "sample": self.sample, "working": [line.as_json() for line in self.working],
        }  # fmt: skip


@dataclass(frozen=True, slots=True)
class MoneySpread:
    """An amount as designed, and at the ends of the interval of water and use."""

    low: Decimal
    value: Decimal
    high: Decimal

    def as_json(self) -> dict[str, str]:
        return {end: f"{cents(getattr(self, end)):.2f}" for end in ENDS}


@dataclass(frozen=True, slots=True)
class Costs:
    """What a train costs."""

    currency: str
    years: int
    rate: Decimal
    lines: tuple[CostLine, ...]
    first: MoneySpread
    yearly: MoneySpread
    total: MoneySpread
    per_thousand_litres: MoneySpread

    @property
    def currency_named(self) -> str:
        """The currency as people read it: nothing where none was named."""
        return named(self.currency)

    @property
    def rate_percent(self) -> str:
        """The discount rate in percent."""
        return f"{float(self.rate) * 100:.4g}"

    @property
    def sample_prices(self) -> bool:
        """Whether any of it stands on a made-up price."""
        return any(line.sample for line in self.lines)

    def by_stage(self) -> dict[str | None, dict[str, Decimal]]:
        """What each treatment contributes to each kind of line; None for the house."""
        found: dict[str | None, dict[str, Decimal]] = {}
        for line in self.lines:
            share = found.setdefault(line.stage, dict.fromkeys((FIRST, YEARLY, REPLACED), Decimal(0)))
            share[line.kind] += line.amount
        return found

    def as_json(self) -> dict[str, Any]:
        """As ``cairn-design/1`` prints it."""
        return {
            "currency": self.currency, "sample_prices": self.sample_prices, "years": self.years, "rate": float(self.rate),
            "first": self.first.as_json(), "yearly": self.yearly.as_json(), "total": self.total.as_json(),
            "per_thousand_litres": self.per_thousand_litres.as_json(), "lines": [line.as_json() for line in self.lines],
        }  # fmt: skip


class Rates:
    """What a company charges, the made-up rates where it does not say; own: whether it said so."""

    def __init__(self, firm: Firm, stock: Library = GENERIC):
        self.firm, self.stock, self.sample = firm, stock, table("prices")["money"]

    def of(self, name: str) -> tuple[Decimal, bool]:
        """A rate, and whether it is made up."""
        own = getattr(self.firm, name)
        return (Decimal(str(self.sample[name])), True) if own is None else (own, False)

    def price(self, key: str) -> tuple[Decimal, bool]:
        """A price by its key, and whether it is made up."""
        own = self.firm.own.get(key)
        return (Decimal(str(price_keys()[key].sample)), True) if own is None else (own, False)

    @property
    def years(self) -> int:
        return int(self.sample["years"] if self.firm.years is None else self.firm.years)

    @property
    def rate(self) -> Decimal:
        return Decimal(str(self.sample["rate"] if self.firm.rate is None else self.firm.rate))

    @property
    def currency(self) -> str:
        """The company's, by its prices or its catalogue."""
        sold = self.stock.catalogue
        return str(self.firm.currency or (sold.currency if sold is not None else None) or self.sample["currency"])


def costs(variant: EvaluatedTrain, rows: Sequence[MaterialRow], firm: Firm | None = None) -> Costs:
    """What a train costs, from its list of materials. firm: in place of the job's own."""
    rates = Rates(firm or variant.audit.facts.firm, variant.audit.duty.stock)
    tasks = upkeep(variant)
    lines = (*_first(variant, rows, rates), *_upkept(tasks, rates, variant.audit.duty), *_running(variant, rates), *_visits(tasks, rates))
    litres = Decimal(str(variant.audit.duty.daily_mean * 365 * rates.years))
    spread = table("upkeep")["spread"]
    uses = {"low": Decimal(str(spread["use_low"])), "value": Decimal(1), "high": Decimal(str(spread["use_high"]))}
    first = {end: _sum(lines, FIRST, end) for end in ENDS}
    yearly = {end: _sum(lines, YEARLY, end) for end in ENDS}
    total = {end: _total(lines, first[end], yearly[end], end, rates) for end in ENDS}
    each = sorted(total[end] / (litres * uses[end]) * 1000 for end in ("low", "high"))
    value = total["value"] / litres * 1000
    per = MoneySpread(min(each[0], value), value, max(each[1], value))
    spreads = [MoneySpread(*(part[end] for end in ENDS)) for part in (first, yearly, total)]
    return Costs(rates.currency, rates.years, rates.rate, lines, spreads[0], spreads[1], spreads[2], per)


def _at(line: CostLine, end: str) -> Decimal:
    return line.amount if end == "value" else line.low if end == "low" else line.high


def _sum(lines: Iterable[CostLine], kind: str, end: str) -> Decimal:
    return sum((_at(line, end) for line in lines if line.kind == kind), Decimal(0))


def _total(lines: Iterable[CostLine], first: Decimal, yearly: Decimal, end: str, rates: Rates) -> Decimal:
    """First, what each year costs and each replacement in the year it falls, put back to today."""
    grows = 1 + rates.rate
    found = first + sum((yearly / grows**year for year in range(1, rates.years + 1)), Decimal(0))
    for line in lines:
        every = {"low": line.every_high, "value": line.every_years, "high": line.every_low}[end]
        if line.kind != REPLACED or not every:
            continue
        times = 1
        while times * every < rates.years - 1e-9:
            found += _at(line, end) / grows ** ceil(times * every - 1e-9)
            times += 1
    return cents(found)


# --- first ------------------------------------------------------------------------------------------------------------
def _first(variant: EvaluatedTrain, rows: Sequence[MaterialRow], rates: Rates) -> Iterator[CostLine]:
    material = Decimal(0)
    for row in rows:
        if row.group in ("consumables", "tools"):
            continue
        material += row.total
        worked = _worked(
            "amount", "quantity × price", row.total, "costs.first", quantity=(f"{row.quantity:g}", row.unit), price=(f"{row.each:f}", "each")
        )
        what = f"{row.what} ({row.note})" if row.note else row.what
        yield CostLine(
            what, "material" if of(row.key) == "material" else of(row.key), row.stage, FIRST, row.total, row.sample, (worked,), row.total, row.total
        )
    hours = Decimal(str(round(sum(step.row.hands_on for step in work(variant) if step.row.who != "owner"), 6))) / 60
    rate, sample = rates.of("labour_rate")
    labour = cents(hours * rate)
    if hours:
        worked = _worked(
            "labour",
            "minutes ÷ 60 × rate",
            labour,
            "costs.first",
            minutes=(f"{hours * 60:.4g}", "min of all steps but the owner's"),
            rate=(f"{rate:f}", "an hour"),
        )
        yield CostLine("Labor of the installation", "labour", None, FIRST, labour, sample, (worked,), labour, labour)
    margin = _share(rates.firm.margin, material + labour, "margin × (materials + labour)", "Margin", "margin", (material, labour))
    if margin is not None:
        yield margin
    before = material + labour + (margin.amount if margin is not None else Decimal(0))
    tax = _share(rates.firm.tax, before, "tax × (materials + labour + margin)", "Tax", "tax", (material, labour, before - material - labour))
    if tax is not None:
        yield tax


def _share(share: float | None, base: Decimal, expression: str, what: str, of: str, parts: tuple[Decimal, ...]) -> CostLine | None:
    """Margin or tax, where the company sets one."""
    if not share:
        return None
    amount = cents(Decimal(str(share)) * base)
    named = dict(zip(("materials", "labour", "margin"), ((f"{part:f}", "") for part in parts), strict=False))
    worked = _worked(
        of, expression, amount, "costs.first", **{of: (f"{share:g}", "of it")}, **{name: told for name, told in named.items() if name != of}
    )
    return CostLine(what, of, None, FIRST, amount, False, (worked,), amount, amount)


# --- what is used up --------------------------------------------------------------------------------------------------
def _upkept(tasks: Iterable[Task], rates: Rates, duty: Duty) -> Iterator[CostLine]:
    """Each task that takes something: yearly where it is due every year or oftener, else a replacement."""
    for task in tasks:
        if task.quantity is None or not task.row.price:
            continue
        key, quantity, unit = _priced(task)
        item = item_for(task.stage, key, duty)
        price, sample = rates.price(key) if item is None else (price_each(item), False)
        days = days_of(task)
        least, most = (rounded(task.low), rounded(task.high)) if task.unit == DAY else (days, days)
        each = Decimal(str(rounded(quantity))) * price
        what, stage = task.row.task, None if task.stage is None else task.stage.id
        if days <= OFTEN:
            low, value, high = (cents(each * Decimal(365) / Decimal(str(max(span, 0.01)))) for span in (most, days, least))
            worked = _worked("amount", "365 ÷ days × quantity × price", value, "costs.running", days=(f"{days:.6g}", "day"), quantity=(f"{quantity:.6g}", unit),
                             price=(f"{price:f}", price_keys()[key].unit))  # fmt: skip
            yield CostLine(what, of(key), stage, YEARLY, value, sample, (*task.working, worked), min(low, value), max(high, value))
            continue
        once, every = cents(each), round(days / YEAR, 2)
        worked = _worked(
            "amount", "quantity × price", once, "costs.running", quantity=(f"{quantity:.6g}", unit), price=(f"{price:f}", price_keys()[key].unit)
        )
        ends = (round(max(least, 1.0) / YEAR, 2), round(most / YEAR, 2))
        yield CostLine(what, of(key), stage, REPLACED, once, sample, (*task.working, worked), once, once, every, *ends)


def days_of(task: Task) -> float:
    """Days between two times of a task; of one that counts hours of run, as long as those take [day]."""
    return rounded(task.every if task.unit == DAY else task.every / 24 * _lit(task))


def _lit(task: Task) -> float:
    """Days on the clock for each day of run: a lamp that is lit with the flow."""
    if task.stage is None:
        return 1.0
    return ALWAYS / max(hours_of_draw(task.stage.duty), 1.0)


def _priced(task: Task) -> tuple[str, float, str]:
    """The key of the price list for what a task takes, how much of it in that unit, and the unit."""
    assert task.quantity is not None
    key, quantity, unit = task.row.price, task.quantity.value, task.quantity.unit
    bed = task.stage.sizing.bed if task.stage is not None else None
    if key == "medium" and bed is not None:
        key = bed.medium.key
        if unit == "L":
            quantity, unit = quantity * bed.medium.density, "kg"
    return key, quantity, unit


# --- power, water, visits ---------------------------------------------------------------------------------------------
def _running(variant: EvaluatedTrain, rates: Rates) -> Iterator[CostLine]:
    """Power, and water to the drain, of each stage."""
    spread = table("upkeep")["spread"]
    use = (Decimal(str(spread["use_low"])), Decimal(str(spread["use_high"])))
    for stage in variant.run.stages:
        for name, rate, of_, what in (
            ("energy_per_year", "energy_price", "electricity", "Power"),
            ("drain_per_year", "water_price", "water", "Water to the drain"),
        ):
            figure = stage.figures.get(name)
            if figure is None or figure.value <= 0:
                continue
            price, sample = rates.of(rate)
            amount = cents(Decimal(str(rounded(figure.value))) * price)
            worked = _worked(
                "amount",
                "amount × price",
                amount,
                "costs.running",
                amount=(f"{figure.value:.6g}", figure.unit),
                price=(f"{price:f}", f"for each {figure.unit}"),
            )
            moves = use if of_ == "water" else (Decimal(1), Decimal(1))
            yield CostLine(
                f"{what}: {stage.said}",
                of_,
                stage.id,
                YEARLY,
                amount,
                sample,
                (*figure.working, worked),
                cents(amount * moves[0]),
                cents(amount * moves[1]),
            )


def _visits(tasks: Sequence[Task], rates: Rates) -> Iterator[CostLine]:
    """Service visits: tasks of a technician, gathered within three weeks over the years, so many a year."""
    start = dt.date(2001, 1, 1)
    due = [
        Due(task, start, start + dt.timedelta(days=_after(task)), start, start, task.basis, False, "") for task in tasks if task.row.who == "service"
    ]
    if not due:
        return
    last = start + dt.timedelta(days=round(rates.years * YEAR) - 1)
    count = len(gathered(due, last))
    price, sample = rates.of("visit_price")
    yearly = Decimal(count) / Decimal(rates.years)
    amount = cents(yearly * price)
    named = ", ".join(each.task.id for each in due)
    worked = _worked("amount", "visits ÷ years × price", amount, "costs.running", visits=(str(count), f"visits for {named}, gathered within three weeks"),
                     years=(str(rates.years), "years"), price=(f"{price:f}", "a visit"))  # fmt: skip
    if amount:
        yield CostLine("Service visits", "visit", None, YEARLY, amount, sample, (worked,), amount, amount)


def _after(task: Task) -> int:
    return max(int(task.every if task.unit == DAY else task.every / 24), 7)


def _worked(symbol: str, expression: str, result: Decimal, cited: str, **numbers: tuple[str, str]) -> Working:
    """A line of working of exact numbers: each with its unit or what it is."""
    put = expression
    for name, (value, _) in sorted(numbers.items(), key=lambda item: -len(item[0])):
        put = put.replace(name, value)
    where = tuple((name, f"{value} {unit}".strip()) for name, (value, unit) in numbers.items())
    return Working(symbol, expression, put, where, f"{result:.2f}", cited)


#: the figures people choose by that are no money, and the unit each is kept in
MEASURED = {"salt": "kg", "drain_water": "L", "wall": "m", "upkeep_hours": "hour"}


@dataclass(frozen=True, slots=True)
class ChosenBy:
    """What people choose trains by: money; salt [kg], water to the drain [L] and hands-on hours [h] of a year; the wall that units take [m]."""

    first: Decimal
    total: Decimal
    salt: float
    drain_water: float
    wall: float
    upkeep_hours: float

    def as_json(self) -> dict[str, Any]:
        """As ``cairn-design/1`` prints it."""
        amounts: dict[str, Any] = {"first": f"{self.first:.2f}", "total": f"{self.total:.2f}"}
        return amounts | {name: {"value": rounded(getattr(self, name)), "unit": unit} for name, unit in MEASURED.items()}


def choice(variant: EvaluatedTrain, found: Costs) -> ChosenBy:
    """The six figures of a train, from its costs, its upkeep and its wall."""
    stages = variant.run.stages
    yearly = {name: sum(stage.figures[name].value for stage in stages if name in stage.figures) for name in ("salt_per_year", "drain_per_year")}
    hours = sum(task.row.minutes / 60 * 365 / max(days_of(task), 0.01) for task in upkeep(variant))
    wall = variant.audit.piping.taken / 1000
    return ChosenBy(found.first.value, found.total.value, yearly["salt_per_year"], yearly["drain_per_year"], wall, hours)


def listed(found: Costs, variant: EvaluatedTrain) -> list[tuple[CostLine, str]]:
    """The lines that are no row of the materials list, each with the name of its treatment."""
    names = {stage.id: stage.name for stage in variant.run.stages}
    return [(line, names.get(line.stage or "", "")) for line in found.lines if line.kind != FIRST or line.of in ("labour", "margin", "tax")]


class Share(NamedTuple):
    """What a treatment, or the house, contributes: words, and its amounts of each kind."""

    words: str
    first: Decimal
    yearly: Decimal
    replacement: Decimal


def shares(found: Costs, variant: EvaluatedTrain) -> list[Share]:
    """What each treatment contributes, in the order of the train, the house last."""
    names = {stage.id: stage.name for stage in variant.run.stages}
    by = found.by_stage()
    rows = [Share(names[id], *by[id].values()) for id in names if id in by]
    return [*rows, Share("House, wall and visits", *by[None].values())] if None in by else rows


def per_volume(found: Costs, system: str) -> MoneySpread:
    """What a thousand liters cost, or a thousand gallons where the job counts in those."""
    times, each = litres_in(system), found.per_thousand_litres
    return MoneySpread(each.low * times, each.value * times, each.high * times)


def litres_in(system: str) -> Decimal:
    """Liters in the unit of volume [L] in which the people of a system of units count their water."""
    return Decimal(str(constant("US_gal"))) if system == "us" else Decimal(1)


def named(currency: str) -> str:
    """A currency as people read it: nothing where none was named."""
    return "" if currency == table("prices")["money"]["currency"] else currency


def told_zero(firm: Firm) -> Mapping[str, str]:
    """Rates and prices of a company that are nothing, by their path in the job: allowed, and told."""
    named = ("labour_rate", "visit_price", "energy_price", "water_price")
    found = {f"$.firm.{name}": name.replace("_", " ") for name in named if getattr(firm, name) == 0}
    return found | {f"$.firm.prices.{key}": price_keys()[key].what for key, price in firm.prices if price == 0}
