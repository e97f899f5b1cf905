"""Least, mean and most of several waters beside each other -> one table for each, one under another."""

from __future__ import annotations

from collections.abc import Sequence

from .headings import heading
from .sheets import SheetLine

#: what the columns of one water's results are
SPREAD = ("low", "average", "high", "range", "percentile")


def ungrouped(lines: Sequence[SheetLine]) -> Sequence[SheetLine]:
    """A sheet whose heading repeats least, mean and most for each water, with each water under its name as a table of its own; any other as it is."""
    for i, line in enumerate(lines):
        groups = _groups([heading(cell).role for cell in line.cells])
        if len(groups) < 2:
            continue
        shared = [k for k in range(len(line.cells)) if not any(k in group for group in groups)]
        over = lines[i - 1] if i else SheetLine("", ())
        names = [over.cells[group[0]].strip() if group[0] < len(over.cells) else "" for group in groups]
        end = next((j for j in range(i + 1, len(lines)) if not lines[j].filled), len(lines))
        found = list(lines[: i - 1 if any(names) else i])
        for name, group in zip(names, groups, strict=True):
            found += [SheetLine(over.at, (f"Sample: {name}",))] if name else []
            found += [_only(each, [*shared, *group]) for each in lines[i:end]] + [SheetLine(line.at, ())]
        return [*found, *lines[end:]]
    return lines


def _groups(roles: Sequence[str]) -> list[list[int]]:
    """The columns of each water: a role that comes again begins the next."""
    groups: list[list[int]] = [[]]
    for k, role in enumerate(roles):
        if role not in SPREAD:
            continue
        if any(roles[other] == role for other in groups[-1]):
            groups.append([])
        groups[-1].append(k)
    alike = len({tuple(roles[k] for k in group) for group in groups}) == 1
    return groups if alike and all(len(group) > 1 for group in groups) else []


def _only(line: SheetLine, columns: Sequence[int]) -> SheetLine:
    """A line with some of its columns."""
    kept = sorted(k for k in columns if k < len(line.cells))
    return SheetLine(line.at, tuple(line.cells[k] for k in kept), tuple(line.spans[k] for k in kept) if line.spans else ())
