"""Our own table of samples, as it is written out and read back."""

from __future__ import annotations

from typing import Any

#: columns of our own table of samples, as it is written out and read back
SAMPLE_COLUMNS = ("sample", "taken_on", "point", "draw", "weather", "method", "analyte", "name", "qualifier", "low", "high", "unit", "as_written")


def own_samples(rows: list[list[str]]) -> list[dict[str, Any]] | None:
    """Samples of our own table, as a job file writes them; None where the table is not ours. Unchecked."""
    if not rows or tuple(cell.strip() for cell in rows[0]) != SAMPLE_COLUMNS:
        return None
    samples: dict[str, dict[str, Any]] = {}
    for row in rows[1:]:
        cells = dict(zip(SAMPLE_COLUMNS, (cell.strip().removeprefix("'") for cell in row), strict=False))
        sample = samples.setdefault(cells.get("sample", ""), {"readings": {}})
        sample |= {name: cells[name] for name in ("taken_on", "point", "draw", "weather", "method") if cells.get(name)}
        sample["readings"][cells.get("analyte", "")] = cells.get("as_written", "")
    return list(samples.values())
