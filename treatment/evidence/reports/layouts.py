"""Where things stand in a table: names down the side with results beside them, samples as columns, or a sample on every line."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from ...language.tables import table
from .headings import Heading, about, heading, is_unit
from .names import meaning
from .results import is_year, looks_like_result
from .sheets import SheetLine, plain, words_of

RESULT_WORDS = ("result", "results", "ergebnis", "resultat", "résultat", "resultado", "resultaat", "value", "wert")
SINGLE = (
    "unit",
    "qualifier",
    "reporting",
    "detection",
    "limit",
    "low",
    "high",
    "range",
    "percentile",
    "average",
    "sample",
    "sampled",
    "point",
    "year",
    "fraction",
    "verdict",
)


@dataclass(frozen=True, slots=True)
class SampleColumn:
    """The results of one sample: its column, what is printed over it, and the columns of its own marks and units.

    phase: where the columns of one sample hold what is dissolved and all of it, which of the two.
    """

    result: int
    label: str
    qualifier: int | None = None
    unit: int | None = None
    reporting: int | None = None
    detection: int | None = None
    phase: str = ""


@dataclass(frozen=True, slots=True)
class Long:
    """Names down the side. at: the column of each role; columns: one for every sample, none in a list of limits or of prices."""

    name: int
    columns: tuple[SampleColumn, ...]
    at: dict[str, int] = field(default_factory=dict)
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Wide:
    """A sample on every line. analytes: column and label; units: by column; sample, sampled, point: their columns."""

    analytes: tuple[tuple[int, str], ...]
    units: dict[int, str]
    at: dict[str, int]


@dataclass(frozen=True, slots=True)
class Layout:
    """parts: tables that stand side by side; lines: how many the heading took; words: what was printed; spans: of the heading's cells."""

    parts: tuple[Long | Wide, ...]
    lines: int
    words: tuple[str, ...]
    spans: tuple[tuple[float, float], ...] = ()


def layout_at(lines: Sequence[SheetLine], i: int, above: tuple[str, ...] = ()) -> Layout | None:
    """The layout that a heading at line ``i`` tells; None where it is none. above: the line before it, with sample names over their columns."""
    line = _over_names(lines, i)
    if len(line.filled) < 2 or (sum(_numeric(cell) for cell in line.cells) > 0 and not _dates_only(line.cells)):
        return None
    if any(about(label) == "sampled" and any(map(str.isdigit, value)) for label, _, value in (cell.partition(":") for cell in line.cells)):
        return None  # it tells of the sample
    found = _layout(lines, i, line, 1, above)
    if (
        found is not None
        or i + 1 >= len(lines)
        or not _continues(line, lines[i + 1])
        or any(about(cell.partition(":")[0]) and ":" in cell for cell in line.cells)
    ):
        return found
    joined = _layout(lines, i, _joined(line, lines[i + 1]), 2, above)
    named = [any(heading(cell).role == "name" for cell in each.cells) for each in (line, lines[i + 1])]
    if named != [True, False] and _layout(lines, i + 1, lines[i + 1], 1, line.cells) is not None:
        return None  # the next line is a heading by itself
    return joined


def _over_names(lines: Sequence[SheetLine], i: int) -> SheetLine:
    """A line of text with an empty cell at its left, where the names below stand farther left than anything in it."""
    line = lines[i]
    if not line.spans or len(line.filled) < 2:
        return line
    left = line.spans[0][0]
    below = [each for each in lines[i + 1 : i + 6] if each.spans and len(each.filled) > 1]
    if len(below) < 3 or not all(each.spans[0][0] < left - 2 and each.spans[0][1] <= left + 2 for each in below):
        return line
    return replace(line, cells=("", *line.cells), spans=((0.0, max(each.spans[0][1] for each in below)), *line.spans))


AWAY = (-9e9, -9e9)


def beside(lines: Sequence[SheetLine], i: int, standing: Layout) -> tuple[Layout, SheetLine] | None:
    """A heading that stands beside the rows of a table that goes on: both tables as one layout, and what else is on its line; None where none is."""
    line = lines[i]
    if not line.spans or not standing.spans or sum(heading(cell).whole and heading(cell).role == "name" for cell in line.cells) != 1:
        return None
    start = next(k for k, cell in enumerate(line.cells) if heading(cell).whole and heading(cell).role == "name")
    end = next((k for k in range(start + 1, len(line.cells)) if not heading(line.cells[k]).role), len(line.cells))
    left, right = line.spans[start][0] - 2, line.spans[end][0] - 2 if end < len(line.cells) else float("inf")
    used = {
        k
        for part in standing.parts
        if isinstance(part, Long)
        for k in (part.name, *(each.result for each in part.columns), *part.at.values())
        if k >= 0
    }
    if (start > 0 and end < len(line.cells)) or any(left - 2 < standing.spans[k][1] and standing.spans[k][0] < right for k in used):
        return None  # between two others, or under the heading that stands
    goes_on = [
        _within(each, *((0.0, left) if max(standing.spans[k][0] for k in used) < left else (right, float("inf")))) for each in lines[i + 1 : i + 6]
    ]
    own = [_within(each, left, right) for each in lines[i : i + 14]]
    found = layout_at(own, 0)
    if found is None or found.lines > 1 or not any(looks_like_result(cell) for each in goes_on for cell in each.cells):
        return None
    width = len(standing.words)
    spans = tuple(span if k in used or span[1] < left - 20 or span[0] > right else AWAY for k, span in enumerate(standing.spans))
    parts = (*standing.parts, *(shifted(part, width) for part in found.parts if isinstance(part, Long)))
    both = Layout(parts, 1, (*standing.words, *found.words), (*spans, *found.spans))
    rest = [k for k in range(len(line.cells)) if not start <= k < end]
    return both, SheetLine(line.at, tuple(line.cells[k] for k in rest), tuple(line.spans[k] for k in rest))


def _within(line: SheetLine, left: float, right: float) -> SheetLine:
    """What of a line lies between two places across the page."""
    kept = [(cell, span) for cell, span in zip(line.cells, line.spans, strict=False) if left <= span[0] < right]
    return SheetLine(line.at, tuple(cell for cell, _ in kept), tuple(span for _, span in kept))


def shifted(part: Long, by: int) -> Long:
    """A table whose columns stand so many farther to the right."""

    def moved(k: int | None) -> int | None:
        return None if k is None else k + by if k >= 0 else k

    columns = tuple(
        replace(
            each, result=each.result + by if each.result >= 0 else each.result, qualifier=moved(each.qualifier), unit=moved(each.unit),
            reporting=moved(each.reporting), detection=moved(each.detection),
        )
        for each in part.columns
    )  # fmt: skip
    return replace(part, name=part.name + by, columns=columns, at={role: k + by for role, k in part.at.items()})


def titles_over(layout: Layout, above: SheetLine | None) -> list[str]:
    """What stands over each of the tables that stand side by side, on the line before their heading; empty where nothing does."""
    found = []
    starts = [part.name if isinstance(part, Long) else 0 for part in layout.parts]
    for k, start in enumerate(starts):
        end = starts[k + 1] if k + 1 < len(starts) else len(layout.words)
        if above is None or len(starts) < 2:
            found.append("")
        elif above.spans and layout.spans:
            left, right = layout.spans[start][0] - 2, layout.spans[end][0] - 2 if end < len(layout.spans) else float("inf")
            found.append(" ".join(_within(above, left, right).cells))
        else:
            found.append(" ".join(cell for cell in above.cells[start:end] if cell))
    return found


def _layout(lines: Sequence[SheetLine], i: int, line: SheetLine, taken: int, above: tuple[str, ...]) -> Layout | None:
    said = [heading(cell) for cell in line.cells]
    parts = _wide(lines, i + taken, line, said) or _long(lines, i + taken, line, said, above)
    if parts is None:
        return None
    more = 1 if isinstance(parts[0], Wide) and parts[0].units and _units_line(lines, i + taken) else 0
    return Layout(parts, taken + more, line.cells, line.spans)


def _numeric(cell: str) -> bool:
    return bool(cell) and looks_like_result(cell) and any(letter.isdigit() for letter in cell) and not heading(cell).role


def _dates_only(cells: tuple[str, ...]) -> bool:
    """Whether the numbers of a heading are days, years or numbers of samples: then the word over the names must be the very word."""
    if not any(heading(cell).whole and heading(cell).role in ("name", "sample", "point", "number") for cell in cells):
        return False
    if any(is_unit(cell) and not heading(cell).whole for cell in cells):
        return False
    return all(
        not _numeric(cell) or "/" in cell or "-" in cell or cell.count(".") == 2 or (cell.isdigit() and len(cell) in (1, 2, 4)) for cell in cells
    )


def _continues(line: SheetLine, after: SheetLine) -> bool:
    return bool(after.filled) and not any(_numeric(cell) for cell in after.cells) and not any(meaning(cell).how for cell in after.filled[:1])


def _joined(line: SheetLine, after: SheetLine) -> SheetLine:
    if line.spans and after.spans:
        cells = list(line.cells)
        for cell, span in zip(after.cells, after.spans, strict=True):
            k = column_of(span, line.spans)
            cells[k] = f"{cells[k]} {cell}".strip()
        return replace(line, cells=tuple(cells))
    width = max(len(line.cells), len(after.cells))
    one, two = (tuple(each.cells) + ("",) * (width - len(each.cells)) for each in (line, after))
    return replace(line, cells=tuple(f"{a} {b}".strip() for a, b in zip(one, two, strict=True)))


def column_of(span: tuple[float, float], spans: Sequence[tuple[float, float]]) -> int:
    """The heading over a cell: the one it overlaps most, else the nearest."""

    def apart(k: int) -> tuple[float, float]:
        left, right = spans[k]
        return max(left - span[1], span[0] - right), abs(left + right - span[0] - span[1])

    return min(range(len(spans)), key=apart)


def _wide(lines: Sequence[SheetLine], after: int, line: SheetLine, said: list[Heading]) -> tuple[Wide, ...] | None:
    """Analytes across the top."""
    at = {each.role: k for k, each in reversed(list(enumerate(said))) if each.role in ("sample", "sampled", "point", "other_date")}
    named = [(k, cell) for k, cell in enumerate(line.cells) if cell and said[k].role in ("", "unit") and _names_one(cell) and k not in at.values()]
    if (
        any(_numeric(cell) for cell in line.cells)
        or len(named) < 2
        or (len(named) < 3 and not at)
        or any(each.role in ("result", "name") for each in said)
    ):
        return None
    named += [
        (k, cell)
        for k, cell in enumerate(line.cells)
        if cell and not said[k].role and k not in at.values() and (k, cell) not in named and k > 0 and _holds_results(lines, after, k, line)
    ]  # columns that nobody knows are not gone
    units = {}
    if _units_line(lines, after):
        units = {k: cell for k, cell in enumerate(lines[after].cells) if is_unit(cell)}
    return (Wide(tuple(sorted(named)), units, at),)


def _names_one(cell: str) -> bool:
    """Whether a cell names an analyte; ``NA`` under other analytes is no sodium."""
    return bool(meaning(cell).how) and plain(cell) not in ("na", "n/a", "nd", "no", "as")


def _units_line(lines: Sequence[SheetLine], i: int) -> bool:
    if i >= len(lines):
        return False
    filled = lines[i].filled
    return len(filled) > 1 and sum(is_unit(cell) for cell in filled) >= max(2, len(filled) - 1) and not any(_numeric(cell) for cell in filled)


def _long(lines: Sequence[SheetLine], after: int, line: SheetLine, said: list[Heading], above: tuple[str, ...]) -> tuple[Long, ...] | None:
    names = [k for k, each in enumerate(said) if each.role == "name"]
    roles = {each.role for each in said}
    told = any(cell.endswith(":") for cell in line.cells)
    # nothing stands over the names, but over what is beside them
    unheaded = not line.cells[0] and (bool(roles - {""}) or sum(_holds_results(lines, after, k, line) for k in range(1, len(said))) > 1)
    if (
        not names
        and not told
        and (unheaded or said[0].role in ("sample", "point", "number", "cas") or about(line.cells[0]) == "label")
        and _names_below(lines, after, line)
    ):
        names = [0]
    if not names:
        listed = "price" in roles and len(line.filled) > 1
        if not listed and (
            not roles & {"result", "range", "high", "average", "percentile"} or len(roles - {""}) < 2 or said[0].role not in ("", "number")
        ):
            return None
        names = [next((k for k, each in enumerate(said) if not each.role), 0)]
    if meaning(line.cells[names[0]]).how == "sure" and not said[names[0]].whole:  # a row, not a heading
        return None
    names += [k for k in range(names[-1] + 2, len(said)) if not said[k].role and line.cells[k] and _names_below(lines, after, line, k)]
    if len(names) > 1 and not _repeats(said, names):
        names = names[:1]
    parts = []
    for place, start in enumerate(names):
        first = 0 if place == 0 else start
        end = names[place + 1] if place + 1 < len(names) else len(said)
        part = _part(lines, after, line, said, start, range(first, end), above)
        if part is None:
            return None
        parts.append(part)
    return tuple(parts)


def _names_below(lines: Sequence[SheetLine], after: int, head: SheetLine, k: int = 0) -> bool:
    """Whether most of a column below is names of ours, whatever its heading says."""
    cells = [cell for line in lines[after : after + 10] if (cell := cell_at(line, k, head.spans))]
    return len(cells) > 1 and sum(bool(meaning(cell).how) for cell in cells) >= 0.6 * len(cells)


def _repeats(said: list[Heading], names: list[int]) -> bool:
    """Whether two tables stand side by side: every name is followed by a result or a unit of its own."""
    ends = [*names[1:], len(said)]
    return all(any(said[k].role in ("result", "range", "high", "average") for k in range(start, end)) for start, end in zip(names, ends, strict=True))


def _part(
    lines: Sequence[SheetLine], after: int, line: SheetLine, said: list[Heading], name: int, where: range, above: tuple[str, ...]
) -> Long | None:
    at = _roles(said, where)
    if plain(line.cells[at.get("point", name)]) in ("source", "sources") and {"limit", "verdict"} & set(at):
        del at["point"]  # where the substance comes from, not the water
    results = [k for k in where if said[k].role == "result"]
    if any(said[k].role == "price" for k in where) and not any(said[k].role == "unit" or said[k].unit for k in where):
        return Long(name, (), at)  # what it costs: no results
    units = [k for k in where if k != name and said[k].role in ("", "result", "unit") and _holds_units(lines, after, k, line)]
    results = [k for k in results if k not in units]
    if len(results) > 1 and any(_holds_results(lines, after, k, line) for k in results):
        results = [k for k in results if _holds_results(lines, after, k, line)]
    if units and "unit" not in at:
        at["unit"] = units[0]
    if len(results) > 1 and all(said[k].unit and not said[k].text for k in results):
        results = results[:1]  # the same results in several units
    unit = next((said[k].unit for k in results if said[k].unit), "")
    if len(results) > 1:
        return Long(
            name, tuple(_column(line, said, k, where, above) for k in results), {role: k for role, k in at.items() if role != "qualifier"}, unit
        )
    if results:
        return Long(name, (SampleColumn(results[0], "", at.get("qualifier"), at.get("unit")),), at, unit)
    columns = [k for k in where if k not in (name, *units) and not said[k].role and _holds_results(lines, after, k, line)]
    columns += [k for k in where if k != name and said[k].role in ("sample", "sampled", "point") and _holds_results(lines, after, k, line)]
    if columns:
        at = {role: k for role, k in at.items() if k not in columns}
        given = [said[k].unit for k in sorted(columns) if said[k].unit]
        phases = [phase_in(said[k].text) for k in sorted(columns)]
        held = [
            SampleColumn(k, "" if all(phases) else line.cells[k], _marks_beside(said, k), None, phase=phase if all(phases) else "")
            for k, phase in zip(sorted(columns), phases, strict=True)
        ]
        return Long(name, tuple(held), at, given[0] if given else "")
    if {"low", "high", "range", "percentile", "average"} & set(at):
        unit = next((said[k].unit for role, k in at.items() if said[k].unit and role in ("high", "range", "average", "percentile")), "")
        return Long(name, (SampleColumn(-1, "", at.get("qualifier"), at.get("unit")),), at, unit)
    if any(said[k].role in ("limit", "price", "reporting", "detection") for k in where):
        return Long(name, (), at)  # what is allowed, or what it costs: no results
    return None


def _roles(said: list[Heading], where: range) -> dict[str, int]:
    """The first column of each role; of a second column of limits as well."""
    at: dict[str, int] = {}
    for k in where:
        if said[k].role == "limit" and "limit" in at:
            at.setdefault("limit_too", k)
        if said[k].role in SINGLE:
            at.setdefault(said[k].role, k)
    return at


def phase_in(text: str) -> str:
    """ "total" or "dissolved" where a heading is the word for it and nothing else of weight, else nothing."""
    words = [word for word in words_of(text) if word not in ("result", "results", "metals", "metal", "conc", "concentration", "fraction")]
    found = {phase for phase, names in table("report_words")["phases"].items() if words and all(word in names for word in words)}
    return found.pop() if len(found) == 1 else ""


def _marks_beside(said: list[Heading], k: int) -> int | None:
    return k + 1 if k + 1 < len(said) and said[k + 1].role == "qualifier" else None


def _column(line: SheetLine, said: list[Heading], k: int, where: range, above: tuple[str, ...]) -> SampleColumn:
    """One of several columns of results: its name stands over it, or in its own heading."""
    over = next((above[j] for j in range(min(k, len(above) - 1), -1, -1) if above[j]), "") if above else ""
    nxt = next((j for j in where if j > k and said[j].role == "result"), where.stop)
    own = {said[j].role: j for j in range(k + 1, nxt)}
    before = {said[j].role: j for j in range(max(k - 1, where.start), k)}
    label = over or re.sub(rf"(?i)\s*\b(?:{'|'.join(RESULT_WORDS)})\b\s*$", "", line.cells[k]).strip() or line.cells[k]
    return SampleColumn(k, label, own.get("qualifier", before.get("qualifier")), own.get("unit"), own.get("reporting"), own.get("detection"))


def _holds_units(lines: Sequence[SheetLine], after: int, k: int, head: SheetLine) -> bool:
    """Whether what stands below is units and nothing else."""
    cells = [cell for line in lines[after : after + 12] if (cell := cell_at(line, k, head.spans))]
    return bool(cells) and sum(is_unit(cell) and not looks_like_result(cell) for cell in cells) >= max(1, 0.7 * len(cells))


def _holds_results(lines: Sequence[SheetLine], after: int, k: int, head: SheetLine) -> bool:
    """Whether most of what stands below is a result, and rows there are named."""
    good = seen = years = 0
    for line in lines[after : after + 12]:
        cell = cell_at(line, k, head.spans)
        if not cell:
            continue
        seen += 1
        years += is_year(cell)
        good += looks_like_result(cell) or plain(cell) in ("-", "n/a")
    return good > 0 and good * 2 >= seen and years * 2 <= seen


def cell_at(line: SheetLine, k: int, spans: Sequence[tuple[float, float]]) -> str:
    """The text of a line in column ``k`` of its heading."""
    if line.spans and spans:
        return " ".join(cell for cell, span in zip(line.cells, line.spans, strict=True) if column_of(span, spans) == k)
    return line.cells[k] if k < len(line.cells) else ""


def aligned(line: SheetLine, spans: Sequence[tuple[float, float]], width: int) -> list[str]:
    """A line's cells as its heading parts them."""
    if line.spans and spans:
        cells = [""] * width
        for cell, span in zip(line.cells, line.spans, strict=True):
            k = column_of(span, spans)
            cells[k] = f"{cells[k]} {cell}".strip()
        return cells
    return list(line.cells) + [""] * (width - len(line.cells))
