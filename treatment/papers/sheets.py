"""Working sheets of a train and of its wall, for those who build them: from a frozen document alone, as the papers of an issued design are."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from decimal import Decimal
from itertools import groupby
from typing import Any

from ..evidence.samples import Assumption
from ..language.analytes import analytes
from ..language.display import media_hint, show, show_amount
from ..language.interface import severity
from ..language.lists import figure_title, money_text, price_text, quantity_text
from ..language.prose import sentence
from .costs import litres_in, named
from .materials import cents
from .plainly import names_of
from .printed import PaperBlock, PaperText

#: the group of what is brought along, not bought
TOOLS = "tools"


# --- the train --------------------------------------------------------------------------------------------------------
def train_sheet(frozen: Mapping[str, Any]) -> PaperText:
    """The drawing, each stage with its reasons and figures, the findings with their remedies, what was assumed."""
    design, system = frozen["design"], frozen["design"]["job"]["units"]
    names = names_of(design)
    return PaperText("the train", _said((
        PaperBlock("text", "", (_made_by(design),)),
        PaperBlock("list", "Dangers", tuple(f"{each['message']} {each['remedy']}" for each in design["findings"] if each["severity"] == "danger" and not each["waived"])),
        PaperBlock("drawing", "In the order the water takes", (" → ".join(names.values()) or "No treatment.",), name="train"),
        *_stages(frozen, names, system),
        PaperBlock("list", "Observations", tuple(_observed(design["likely_causes"]))),
        _findings("Findings", design["findings"], names, "None.", cited=True),
        PaperBlock("list", "This job's own limits", tuple(_limits(frozen["job"].get("limits") or {}))),
        PaperBlock("list", "Assumptions", tuple(f"{Assumption(each['path'], each['value'], '').said}: {each['why']}" for each in design["assumptions"])),
    )))  # fmt: skip


def _stages(frozen: Mapping[str, Any], names: Mapping[str, str], system: str) -> Iterator[PaperBlock]:
    stages, given = frozen["design"]["train"], frozen["job"].get("train") or []
    told = given if len(given) == len(stages) else [{}] * len(stages)
    for number, (stage, keys) in enumerate(zip(stages, told, strict=True), 1):
        reasons = {name: own["reason"] for name, own in (keys.get("feed_limits") or {}).items()}
        own = (_own_limit(each, reasons.get(each["analyte"]) or each["because"], system) for each in stage["feed_limits"] if each["own"])
        fixed = [f"Fixed by the designer: {keys['reason']}"] if keys.get("reason") else []
        yield PaperBlock("steps", f"{number}. {names[stage['id']]}", (*stage["reasons"], *fixed, *own, *stage["cautions"]))
        rows = [(figure_title(name), show(held["value"], media_hint(name, held["unit"]), system)) for name, held in stage["figures"].items()]
        yield PaperBlock("table", rows=(("Figure", "Value"), *rows), name="figures")


def _own_limit(limit: Mapping[str, Any], reason: str, system: str) -> str:
    row, ends = analytes()[limit["analyte"]], []
    for word, end in (("at least", limit["low"]), ("at most", limit["high"])):
        if end is not None:
            ends.append(f"{word} {show_amount(end['value'], row.shown_unit, system)}")
    return f"The designer's own limit of {row.said}: {' and '.join(ends)} ({reason})."


def _observed(causes: Iterable[Mapping[str, Any]]) -> Iterator[str]:
    """What was seen, with every likely cause of it."""
    for seen, of in groupby(causes, key=lambda cause: cause["said"]):
        yield f"{seen}: {' '.join(_cause(each) for each in of)}"


def _cause(cause: Mapping[str, Any]) -> str:
    never = "" if cause["curable"] else ", and treatment does not fix it"
    test = f" Test: {analytes()[cause['test']].said}." if cause["test"] else ""
    return f"{sentence(cause['cause'])}: {cause['standing']} by the readings{never}. {cause['tell']}{test}"


def _limits(limits: Mapping[str, Any]) -> Iterator[str]:
    for name, own in limits.items():
        yield f"{analytes()[name].name}: at most {own['high']}. {own['reason']}"


# --- the wall ---------------------------------------------------------------------------------------------------------
def wall_sheet(frozen: Mapping[str, Any], money: bool) -> PaperText:
    """The wall to scale and from above, what it weighs and draws, what is wrong with it, what has to be bought. money: whether costs are told."""
    design, papers, system = frozen["design"], frozen["papers"], frozen["design"]["job"]["units"]
    scale, names = papers["wall_scale"], names_of(design)
    good = "No clashes, and everything that needs access can be reached."
    return PaperText(f"wall layout, 1:{scale}", _said((
        PaperBlock("text", "", (f"Printed at full size on {papers['paper']}, the bar below has its stated length at 1:{scale}. {design['caution']}",)),
        PaperBlock("drawing", name="bar"),
        PaperBlock("drawing", name="wall"),
        PaperBlock("drawing", f"From above, 1:{scale}", name="above"),
        PaperBlock("table", "Weights and circuits", rows=tuple(tuple(row) for row in papers["loads"]), name="figures"),
        _findings("Layout findings", design["wall"]["findings"], names, good),
        *(_costs(design["costs"], system) if money else ()),
        *_materials(design, system, money),
    )))  # fmt: skip


def _costs(costs: Mapping[str, Any], system: str) -> Iterator[PaperBlock]:
    currency = named(costs["currency"])
    volume = "1000 gallons" if system == "us" else "1000 liters"
    sums = [
        ("To begin with", costs["first"]),
        ("In a year", costs["yearly"]),
        (f"Over {costs['years']} years", costs["total"]),
        (volume, _per_volume(costs, system)),
    ]
    rows = [(words, *(money_text(float(each[end]), currency) for end in ("low", "value", "high"))) for words, each in sums]
    yield PaperBlock("table", "What it costs", rows=(("", "Lowest", "Expected", "Highest"), *rows), name="figures")
    rate = f"{float(costs['rate']) * 100:.4g}"
    notes = [f"Replacements count in the year they fall, at {rate}% real discount a year. Use from 0.8 to 1.25 of the expected."]
    yield PaperBlock("text", "", (*(["With made-up sample prices where the company has none of its own."] if costs["sample_prices"] else []), *notes))


def _per_volume(costs: Mapping[str, Any], system: str) -> dict[str, Decimal]:
    """What a thousand liters cost, or a thousand gallons where the job counts in those."""
    return {end: Decimal(costs["per_thousand_litres"][end]) * litres_in(system) for end in ("low", "value", "high")}


def _materials(design: Mapping[str, Any], system: str, money: bool) -> Iterator[PaperBlock]:
    """What has to be bought, a table to each group, with its sum."""
    currency, whole, groups = named(design["costs"]["currency"]), Decimal(0), dict[str, list[Mapping[str, Any]]]()
    for row in design["materials"]:
        groups.setdefault(row["group"], []).append(row)
    for group, rows in groups.items():
        costs = [cents(Decimal(row["price"]) * Decimal(str(row["quantity"]["value"]))) for row in rows]
        whole += sum(costs)
        priced = money and group != TOOLS
        head = ("What", "Note", "Quantity", "Price", "Total") if priced else ("What", "Note", "Quantity")
        heading = f"Materials: {group}" + (f", {money_text(float(sum(costs)), currency)}" if priced else "")
        told = [_bought(row, float(cost), system, currency if priced else None) for row, cost in zip(rows, costs, strict=True)]
        yield PaperBlock("table", heading, rows=(head, *told), name="materials")
    if money:
        yield PaperBlock(
            "text",
            "",
            (f"Total, with first-year consumables: {money_text(float(whole), currency)}. Sample prices where the company has no price list.",),
        )


def _bought(row: Mapping[str, Any], cost: float, system: str, currency: str | None) -> tuple[str, ...]:
    """A material in a row. currency: as people read it, None where no money is told."""
    amount, unit = row["quantity"]["value"], row["quantity"]["unit"]
    code = f" ({row['code']})" if row.get("code") else ""
    told = (f"{row['what']}{code}", row["note"], quantity_text(amount, unit, system))
    return told if currency is None else (*told, price_text(float(row["price"]), unit, system, currency), money_text(cost, currency))


# --- both -------------------------------------------------------------------------------------------------------------
def _said(blocks: Iterable[PaperBlock]) -> tuple[PaperBlock, ...]:
    """Blocks that say something; a stage keeps its heading."""
    return tuple(block for block in blocks if block.lines or len(block.rows) > 1 or block.kind in ("drawing", "findings", "steps"))


def _made_by(design: Mapping[str, Any]) -> str:
    return f"Calculated with version {design['engine']}. {design['caution']}"


def _findings(heading: str, found: Sequence[Mapping[str, Any]], names: Mapping[str, str], none: str, cited: bool = False) -> PaperBlock:
    """Findings, a row to each: its severity as a key and in a word, where and what, what to do, why it was accepted, its rule and source."""
    rows = tuple(
        (
            each["severity"], sentence(severity(each["severity"])), f"{names[each['stage']]}: {each['message']}" if each["stage"] in names else each["message"],
            f"What to do: {each['remedy']}", f"Accepted: {each['waived']}" if each["waived"] else "", f"{each['rule']} · {each['source']}" if cited else "",
        )
        for each in found
    )  # fmt: skip
    return PaperBlock("findings", heading, () if rows else (none,), rows)
