"""Papers for people, from a frozen document alone: a proposal, an installer's pack, an owner's book, labels. Blocks of text; a template sets them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from ..language.analytes import analytes
from ..language.display import show, show_amount
from ..language.prose import sentence
from .plainly import names_of, often, task_of

#: every paper bears both
SAFETY = (
    "A calculation does not make water safe; only a test of the treated water shows that it is.",
    "Local code, permits, licensed practice and certified components take precedence over this design.",
)
SHOWN = 40  # lines of a list
CLOSED = "A red handle across the pipe is closed."
LOG_LINES = 20  # empty lines of an owner's log


def page_size(system: str) -> str:
    """The sheet of paper that people print on, as style sheets name it. system: ``us`` or ``metric``."""
    return "letter" if system == "us" else "A4"


@dataclass(frozen=True, slots=True)
class PaperBlock:
    """A part of a paper. kind: text, list, table, log, drawing, steps, findings, labels or signature; heading: may be empty; rows: of a table, its head first;
    lines of a drawing stand above it; name: of a drawing or of a table of its own look; own: columns in the company's words.
    """

    kind: str
    heading: str = ""
    lines: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()
    name: str = ""
    own: tuple[str, ...] = ()

    @property
    def headed(self) -> list[list[tuple[str, str]]]:
        """The rows of a table below its head, each cell with the head of its column."""
        return [list(zip(self.rows[0], row, strict=True)) for row in self.rows[1:]]


@dataclass(frozen=True, slots=True)
class PaperText:
    """A paper as text. title: what it is called; blocks: in their order."""

    title: str
    blocks: tuple[PaperBlock, ...]


def _listed(heading: str, lines: Iterable[str]) -> PaperBlock:
    return PaperBlock("list", heading, tuple(dict.fromkeys(lines)))


def _kept(blocks: Iterable[PaperBlock]) -> tuple[PaperBlock, ...]:
    """Blocks that say something."""
    return tuple(block for block in blocks if block.kind not in ("list", "table", "steps") or block.lines or len(block.rows) > 1)


def _amount(name: str, value: float, system: str) -> str:
    """An amount of an analyte, with its unit; microbes that are only known to be there, or not, in a word."""
    if analytes()[name].is_microbe and value <= 1:
        return "present" if value > 0 else "none found"
    return show_amount(value, analytes()[name].shown_unit, system)


# --- proposal ---------------------------------------------------------------------------------------------------------
def proposal(frozen: Mapping[str, Any]) -> PaperText:
    """What a homeowner reads and signs: the only paper with money."""
    design, papers, system = frozen["design"], frozen["papers"], frozen["design"]["job"]["units"]
    owner, service = _tasks(design, "owner"), _tasks(design, "service")
    grave = [each for each in design["findings"] if each["severity"] != "advice"]
    return PaperText("Proposal", _kept((
        PaperBlock("text", "", tuple(_opening(papers))),
        _listed("What your water test shows", (_need(each, system) for each in design["needs"])),
        _listed("What we propose", (f"{each['name']}: {each['purpose']}." for each in design["train"])),
        PaperBlock("drawing", "The equipment in the order the water takes", name="train"),
        PaperBlock("table", "Your water before and after, at the tap", rows=tuple(_before_after(design, system))),
        _listed("What it costs", _money(design["costs"])),
        PaperBlock("table", "Other ways, and what they cost", rows=tuple(_options(papers))),
        _listed("What it does not do, and what to watch", (each["message"] for each in grave if not each["waived"])),
        _listed("Risks you accept", (f"{each['message']} Accepted: {each['waived']}" for each in grave if each["waived"])),
        _listed("What you keep doing", owner),
        _listed("What service does", service),
        _listed("For your safety", (caution for stage in design["train"] for caution in stage["cautions"])),
        PaperBlock("signature", "Your decision", ("I accept this proposal.", "Name", "Date", "Signature")),
    )))  # fmt: skip


def _opening(papers: Mapping[str, Any]) -> Iterator[str]:
    if papers.get("to"):
        yield f"For {papers['to']}."
    if (place := papers.get("place")) and (where := ", ".join(part for part in (place["name"], place["address"]) if part)):
        yield f"At {where}."
    if papers.get("reason"):
        yield f"This design was issued although a danger is open. The reason: {papers['reason']}"


def _need(need: Mapping[str, Any], system: str) -> str:
    """What a reading means, in a sentence."""
    name, found, limit = need["goal"], need["value"], need["limit"]
    told = analytes()[name].name if name in analytes() else name.replace("_", " ")
    value = "" if found is None or found.get("value") is None else f" is {_amount(name, found['value'], system)}"
    bare = name in analytes() and analytes()[name].is_microbe  # their limit is none, which the reason says
    most = "" if bare or limit is None or limit.get("value") is None else f"; the limit is {_amount(name, limit['value'], system)}"
    health = " This is a health limit." if need["health"] else ""
    return f"{sentence(told)}{value}{most}: {need['why']}.{health}"


def _before_after(design: Mapping[str, Any], system: str) -> Iterator[tuple[str, ...]]:
    yield ("", "Your water now", "At the tap")
    names = dict.fromkeys([*(need["goal"] for need in design["needs"]), "hardness", "iron", "manganese", "ph"])
    for name in names:
        now, then = design["design_water"].get(name), design["finished_water"].get(name)
        if name in analytes() and now is not None and then is not None:
            yield analytes()[name].name, _amount(name, now["design"], system), _amount(name, then["value"], system)


def _money(costs: Mapping[str, Any]) -> Iterator[str]:
    unit = "" if costs["currency"] == "XXX" else f" {costs['currency']}"
    first, yearly, total = costs["first"], costs["yearly"], costs["total"]
    yield f"To begin with: {_sum(first['value'])}{unit}."
    yield f"In a year: {_sum(yearly['value'])}{unit}, between {_sum(yearly['low'])} and {_sum(yearly['high'])}{unit} as you use less or more water."
    yield f"Over {costs['years']} years: {_sum(total['value'])}{unit}."
    if not unit:
        yield "The company has not set a currency: the amounts are bare numbers."
    if costs["sample_prices"]:
        yield "Some of these are sample prices, made up; they are not an offer."


def _sum(amount: str) -> str:
    """An amount with its thousands apart."""
    return f"{Decimal(amount):,.2f}"


def _options(papers: Mapping[str, Any]) -> Iterator[tuple[str, ...]]:
    yield ("", "Equipment", "To begin with", "In a year")
    for each in papers.get("options", ()):
        yield f"Option {each['letter']}", ", ".join(each["names"]), _sum(each["first"]), _sum(each["yearly"])


def _tasks(design: Mapping[str, Any], who: str) -> list[str]:
    """Tasks of the owner, or of all others, each with its unit and how often it comes."""
    chosen = [task for task in design["upkeep"] if (task["who"] == "owner") == (who == "owner")]
    names = names_of(design)
    days = sorted((_days(task), task_of(task["task"], names.get(task["stage"]))) for task in chosen)
    return [f"{words}: {often(max(each, 1.0))}." for each, words in days]


def _days(task: Mapping[str, Any]) -> float:
    return float(task["every"]["value"] if task["every"]["unit"] == "day" else task["every"]["value"] / 24)


# --- pack -------------------------------------------------------------------------------------------------------------
def pack(frozen: Mapping[str, Any]) -> PaperText:
    """What an installer holds: the wall to scale, what to bring, how each unit is set, the checklist."""
    design, system = frozen["design"], frozen["design"]["job"]["units"]
    return PaperText("Installer's pack", _kept((
        PaperBlock("text", "", tuple(_opening(frozen["papers"]))),
        PaperBlock("drawing", f"The wall, 1:{frozen['papers']['wall_scale']}", name="wall"),
        PaperBlock("table", "What to bring", rows=tuple(_bring(design, system))),
        PaperBlock("table", "How each unit is set", rows=tuple(_settings(design, system))),
        *_steps(design),
        _listed("Take care", (hazard for step in design["commissioning"]["steps"] for hazard in step["hazards"])),
    )))  # fmt: skip


def _bring(design: Mapping[str, Any], system: str) -> Iterator[tuple[str, ...]]:
    yield ("What", "Quantity", "For", "Code")
    for row in design["materials"]:
        if row["group"] != "consumables":
            yield row["what"], _quantity(row, system), row["note"], row.get("code", "")


def _quantity(row: Mapping[str, Any], system: str) -> str:
    """How much of a material: counted, or measured in the job's units."""
    amount = row["quantity"]
    return f"{amount['value']:g}" if amount["unit"] in ("each", "bag") else show(amount["value"], amount["unit"], system)


def _settings(design: Mapping[str, Any], system: str) -> Iterator[tuple[str, ...]]:
    yield ("Unit", "Setting", "Value")
    for stage in design["train"]:
        name = stage["name"]
        for key, held in stage["params"].items():
            yield name, key.replace("_", " "), _setting(held, system)
            name = ""


def _setting(held: Any, system: str) -> str:
    if isinstance(held, Mapping) and set(held) == {"value", "unit"}:
        return show(held["value"], held["unit"], system)
    return {True: "yes", False: "no"}.get(held, str(held).replace("_", " ")) if not isinstance(held, float) else f"{held:.4g}"


def _steps(design: Mapping[str, Any]) -> Iterator[PaperBlock]:
    """The checklist, each step with what to do and a sign that something is wrong."""
    for number, step in enumerate(design["commissioning"]["steps"], 1):
        bad = (step["bad_sign"],) if step["bad_sign"] else ()
        yield PaperBlock("steps", f"{number}. {step['title']}", (*step["do"], *bad))


# --- book and labels ----------------------------------------------------------------------------------------------------
def book(frozen: Mapping[str, Any]) -> PaperText:
    """What an owner keeps: what stands on the wall, what to do when, signs that something is wrong, whom to call."""
    design, papers, system = frozen["design"], frozen["papers"], frozen["design"]["job"]["units"]
    signs = dict.fromkeys(step["bad_sign"] for step in design["commissioning"]["steps"] if step["bad_sign"] and step["stage"])
    return PaperText("Owner's book", _kept((
        PaperBlock("text", "", (f"Keep this book beside the equipment. If something is wrong, call {papers['firm']}.",)),
        _listed("What is on your wall", (f"{each['name']}: {each['purpose']}." for each in design["train"])),
        PaperBlock("drawing", "The wall", name="wall"),
        *_valves(papers),
        PaperBlock("table", "What to do, and when", rows=(("Task", "Who", "How often", "How"), *_calendar(design)), name="calendar"),
        PaperBlock("table", "What you need in a year", rows=tuple(_supplies(design, system))),
        PaperBlock("table", "Codes, to order parts", rows=tuple(_codes(design, system)), own=("Part", "Code")),
        _listed("Signs that something is wrong", list(signs)[:SHOWN]),
        _listed("For your safety", (caution for stage in design["train"] for caution in stage["cautions"])),
        PaperBlock("log", "Your log", rows=(("Date", "What you saw, read or did", "Who"), *((("",) * 3,) * LOG_LINES))),
    )))  # fmt: skip


def _supplies(design: Mapping[str, Any], system: str) -> Iterator[tuple[str, ...]]:
    """What is used up in a year: how much of it, and for which unit or in which bags."""
    yield ("What", "In a year", "For")
    for row in design["materials"]:
        if row["group"] == "consumables" and not row.get("code"):  # what has a code is among those, by its own name
            yield row["what"], _quantity(row, system), row["note"]


def _codes(design: Mapping[str, Any], system: str) -> Iterator[tuple[str, ...]]:
    """What the company's catalog has a code for, and how much of it a year takes."""
    yield ("Part", "For", "Code", "In a year")
    for row in design["materials"]:
        if row.get("code"):
            yield row["what"], row["note"], row["code"], _quantity(row, system) if row["group"] == "consumables" else ""


def _valves(papers: Mapping[str, Any]) -> Iterator[PaperBlock]:
    """The wall as its valves are turned to go round the equipment, and to shut it; none for a design that was issued without them."""
    if papers.get("bypass"):
        around = (
            "Turn each handle as it is drawn here.", CLOSED, "The water then goes round the equipment.", "It is untreated: do not drink it.",
            "Turn the handles back as in the drawing before.",
        )  # fmt: skip
        yield PaperBlock("drawing", "If the equipment must be gone round", around, name="bypass")
    if papers.get("shut"):
        shut = ("If water leaks, turn each handle as it is drawn here.", CLOSED, f"Then call {papers['firm']}.")
        yield PaperBlock("drawing", "If something leaks", shut, name="shut")


def _calendar(design: Mapping[str, Any]) -> Iterator[tuple[str, ...]]:
    """Tasks in the order in which they come, with what to do."""
    names = names_of(design)
    for task in sorted(design["upkeep"], key=_days):
        yield (
            task_of(task["task"], names.get(task["stage"])),
            "you" if task["who"] == "owner" else task["who"],
            often(max(_days(task), 1.0)),
            " ".join(task["do"]),
        )


def labels(frozen: Mapping[str, Any]) -> PaperText:
    """A label for each unit: its name, its place, what it does."""
    stages = frozen["design"]["train"]
    return PaperText("Labels", tuple(
        PaperBlock("labels", each["name"], (f"{place} of {len(stages)}", f"{each['purpose']}.")) for place, each in enumerate(stages, 1)
    ))  # fmt: skip


#: every paper by its name
PAPERS = {"proposal": proposal, "pack": pack, "book": book, "labels": labels}
