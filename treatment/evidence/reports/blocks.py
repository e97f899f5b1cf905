"""Tables that stand under each other: one that holds the same analytes again is another sample, not the same one twice."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from ...language.reading import Reading
from .headings import about, point_of
from .report import ReportRow, ReportSample

ROUNDING = 0.02  # share by which one result in two units differs


def apart(sample: ReportSample, titles: Sequence[str], names_a_sample: Callable[[str], bool]) -> list[ReportSample]:
    """A sample as the samples that its tables hold. titles: what stood over each table, by the ``cut`` of its rows."""
    found = [replace(sample, rows=[])]
    for cut in dict.fromkeys(row.cut for row in sample.rows):
        rows, title = [row for row in sample.rows if row.cut == cut], titles[cut]
        head, _, told = title.partition(":")
        title = told.strip() if told.strip() and about(head) else title
        keys = {row.analyte.key for row in rows if row.analyte}
        again = keys & {row.analyte.key for row in found[-1].rows if row.analyte}
        named = bool(title) and names_a_sample(title)
        if again and (len(again) >= 0.5 * len(keys) if named else len(keys) > 1 and len(again) >= 0.8 * len(keys)):
            found.append(ReportSample(sample.taken_on, point_of(title) or sample.point, title[:120]))
        elif not found[-1].rows and title and not found[-1].label:
            found[-1].label = title[:120]
        found[-1].rows += rows
    if len(found) == 1:
        found[0].label = sample.label
        return found
    for number, each in enumerate(found, 1):
        each.label = each.label or " ".join(filter(None, (sample.label, str(number))))
        each.point = each.point or point_of(each.label)
    return found


def once(rows: list[ReportRow]) -> None:
    """Of several rows of one analyte the worst case of those that are sure is taken, to be checked; the others stay as they are printed."""
    of: dict[str, list[ReportRow]] = {}
    for row in rows:
        if row.analyte and row.reading:
            of.setdefault(row.analyte.key, []).append(row)
    for several in of.values():
        analyte = several[0].analyte
        if len(several) < 2 or analyte is None:
            continue
        if all(_near(row.reading, several[0].reading) for row in several):
            for row in several[1:]:
                row.status, row.reading, row.why = "aside", None, "the same again"
            continue
        read = ("sure", "check") if analyte.is_microbe else ("sure",)  # of microbes none that was read is passed over
        firm = [row for row in several if row.status in read] or several
        taken = min(firm, key=lambda row: _low(row.reading)) if analyte.adverse == "low" else max(firm, key=lambda row: _high(row.reading))
        taken.status = "check" if taken.status == "sure" else taken.status
        taken.why = "; ".join(filter(None, (taken.why, f"{analyte.name} is in the report twice: the worst case is used")))
        for row in several:
            if row is not taken:
                row.status, row.reading, row.why = "aside", None, f"{analyte.name} is in the report twice: “{taken.label}” is used"


def _near(one: Reading | None, other: Reading | None) -> bool:
    """Whether two readings are the same but for rounding, as of one result in two units."""
    return all(a == b or abs(a - b) <= ROUNDING * max(a, b) for a, b in ((_low(one), _low(other)), (_high(one), _high(other))))


def _low(reading: Reading | None) -> float:
    return reading.low if reading else 0.0


def _high(reading: Reading | None) -> float:
    return 0.0 if reading is None else float("inf") if reading.high is None else reading.high
