"""A company's catalogue as a table, in and out: which column says what, each row as an item, what is wrong where."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

from ..language.errors import Fault, NotUnderstood
from ..language.quantity import parse_number
from ..language.spec import Fraction, ListOf, Measure, Number, specs_of
from ..language.tables import table
from .catalogue import KINDS, MOST_ITEMS, ItemSpec, asked_of, field_names

HEAD = ("code", "what", "kind", "price", "lead_days")
#: a heading with its unit: ``Flow (gpm)``, ``Flow [gpm]``, ``Flow, gpm``
_UNIT = re.compile(r"^(.*?)\s*(?:\(([^()]+)\)|\[([^\[\]]+)\]|,\s*(\S+))\s*$")
_MONEY = re.compile(r"[^\d.,\-]")


@cache
def fit_columns() -> tuple[str, ...]:
    """Every field that an item of some kind has, as the format calls it, each once."""
    return tuple(dict.fromkeys(theirs for kind in KINDS for theirs in field_names(kind).values()))


def columns() -> tuple[str, ...]:
    """Every column of the table."""
    return (*HEAD, *fit_columns())


def table_of(items: Iterable[Mapping[str, Any]]) -> list[list[str]]:
    """Items, as the format writes them, as rows of text, the heading first; reading them again gives the same items."""
    return [list(columns()), *(row_of(item) for item in items)]


def row_of(item: Mapping[str, Any]) -> list[str]:
    """An item as a row of the table."""
    values = {**{name: item.get(name, "") for name in HEAD}, **item["fits"]}
    return [_cell(values.get(name, "")) for name in columns()]


def _cell(value: Any) -> str:
    if isinstance(value, list):
        return ", ".join(str(each) for each in value)
    return f"{value:.12g}" if isinstance(value, float) else str(value)


@dataclass(frozen=True, slots=True)
class Role:
    """What a column says: one of `columns`, or nothing; the unit that its heading names."""

    name: str = ""
    unit: str = ""


def roles_of(heading: Sequence[str]) -> list[Role]:
    """What each column of a table says, by its heading; each role once, the first that names it."""
    known = {word: name for name, words in table("catalogue")["columns"].items() for word in words}
    found: list[Role] = []
    for text in heading:
        whole = " ".join(text.replace("_", " ").split())
        match, told = _UNIT.match(whole), whole.lower()
        bare, unit = (match[1].lower(), next(each for each in match.groups()[1:] if each)) if match else (told, "")
        name = known.get(told.rstrip(".:"), "") or known.get(bare.rstrip(".:"), "")
        taken = {each.name for each in found}
        found.append(Role(name, "" if known.get(told) else unit) if name and name not in taken else Role())
    return found


def heading_at(rows: Sequence[Sequence[str]]) -> int:
    """The row that names the columns: the first of the upper ones in which most are known; 0 where none is."""
    known = [sum(bool(role.name) for role in roles_of(row)) for row in rows[:20]]
    return known.index(max(known)) if known and max(known) >= 2 else 0


@dataclass(frozen=True, slots=True)
class ReadRow:
    """A row of a table. document: the item as the format writes it; faults: what is wrong with it, by column."""

    number: int
    document: dict[str, Any]
    faults: dict[str, str]


def rows_read(rows: Sequence[Sequence[str]], roles: Sequence[Role], first: int, kind: str = "") -> list[ReadRow]:
    """Each row below a heading as an item, empty ones left out. kind: of rows that name none; number: as the sheet counts."""
    found: list[ReadRow] = []
    seen: dict[str, int] = {}
    for number, row in enumerate(rows[first:], first + 1):
        cells = {role.name: (text.strip(), role.unit) for role, text in zip(roles, row, strict=False) if role.name and text.strip()}
        if not cells:
            continue
        if len(found) >= MOST_ITEMS:
            break
        document = item_of(cells, kind)
        faults = faults_of(document)
        code = document["code"]
        if code and code in seen:
            faults["code"] = f"“{code}” is already the code of row {seen[code]}"
        seen.setdefault(code, number)
        found.append(ReadRow(number, document, faults))
    return found


def item_of(cells: Mapping[str, tuple[str, str]], kind: str = "") -> dict[str, Any]:
    """An item as the format writes it, from the text of its cells, each with the unit of its column."""
    told = cells["kind"][0] if "kind" in cells else ""
    which = kind_of(told) or kind or told
    document: dict[str, Any] = {
        "code": cells.get("code", ("", ""))[0], "what": cells.get("what", ("", ""))[0], "kind": which, "price": _money(cells.get("price", ("", ""))[0]),
    }  # fmt: skip
    if "lead_days" in cells:
        document["lead_days"] = re.sub(r"\s*(?:days?|d|tage?|jours?|dagen)\.?$", "", cells["lead_days"][0], flags=re.IGNORECASE)
    names = field_names(which) if which in KINDS else {}
    specs = specs_of(KINDS[which]) if which in KINDS else {}
    fits: dict[str, Any] = {}
    for ours, theirs in names.items():
        if theirs in cells:
            fits[theirs] = _value(specs[ours], *cells[theirs])
    return document | {"fits": fits}


def kind_of(text: str) -> str:
    """The kind that a word means; nothing where it means none."""
    told = " ".join(text.lower().replace("_", " ").split())
    return next((kind for kind, words in table("catalogue")["kinds"].items() if told in words), "")


def _money(text: str) -> str:
    """An amount without its currency, its decimal comma as a point; one that needs neither as it is."""
    if re.fullmatch(r"\d+(\.\d+)?", text):
        return text
    bare = _MONEY.sub("", text)
    if not bare:
        return text
    if "," in bare and "." in bare:  # the last of the two is the decimal sign
        thousands = "," if bare.rindex(".") > bare.rindex(",") else "."
        bare = bare.replace(thousands, "")
    try:
        return f"{parse_number(bare):.12g}"
    except NotUnderstood:
        return text


def _value(spec: Any, text: str, unit: str) -> Any:
    """A cell as the field takes it: a list apart, a bare number with the unit of its column."""
    if isinstance(spec, ListOf):
        return [each for each in re.split(r"[,;\s]+", text) if each]
    if isinstance(spec, Measure):
        bare = re.fullmatch(r"[\d.,\s/]+", text) is not None
        return f"{text} {unit}" if bare and unit and not spec.bare else text
    if isinstance(spec, Fraction) and unit == "%" and "%" not in text:
        return f"{text} %"
    if isinstance(spec, Number):
        return re.sub(r"\s*(?:µm|um|microns?|hours?|h|%)$", "", text, flags=re.IGNORECASE)
    return text


def faults_of(document: Mapping[str, Any]) -> dict[str, str]:
    """What is wrong with an item, by column; empty where it can be kept."""
    told: list[Fault] = []
    ItemSpec().read(dict(document), "$", told)
    found: dict[str, str] = {}
    for fault in told:
        place = fault.path.removeprefix("$.").removeprefix("fits.").partition("[")[0]
        found.setdefault(place or "code", fault.message)
    return found


def fits_said(item: Mapping[str, Any]) -> str:
    """What an item says of itself, on one line: ``size: 10x54; height: 54 in``."""
    order = list(field_names(item["kind"]).values()) if item["kind"] in KINDS else []
    names = sorted(item["fits"], key=lambda name: order.index(name) if name in order else len(order))
    return "; ".join(f"{name}: {_cell(item['fits'][name])}" for name in names)


def fits_typed(kind: str, text: str) -> dict[str, tuple[str, str]]:
    """What somebody typed on such a line, by field; what has no name in front is taken for the first field that is asked."""
    found: dict[str, tuple[str, str]] = {}
    for part in filter(str.strip, text.split(";")):
        name, colon, value = part.partition(":")
        found[name.strip().lower().replace(" ", "_") if colon else asked_of(kind)[0]] = ((value if colon else part).strip(), "")
    return found


def unknown_fields(kind: str, typed: Iterable[str]) -> list[str]:
    """The names among those typed that no item of the kind has."""
    return [name for name in typed if name not in field_names(kind).values()]
