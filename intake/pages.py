"""Text PDF -> lines of cells with their places across the page: ruled tables by their rules, the rest by the gaps between words."""

from __future__ import annotations

import io
from typing import Any

from treatment.evidence.reports.sheets import SheetLine, TextSheet

from .limits import MOST_CELLS, MOST_LETTERS, MOST_PAGES, Blank, Unreadable

_GAP = 0.34  # of a letter's height, a space being about a quarter: a wider gap parts two cells
Word = dict[str, Any]


def read_pages(content: bytes) -> list[TextSheet]:
    """All pages as one sheet, so that a table may run over them. Raises Unreadable."""
    import pdfplumber

    lines: list[SheetLine] = []
    try:
        with pdfplumber.open(io.BytesIO(content)) as pdf:
            for number, page in enumerate(pdf.pages[:MOST_PAGES], 1):
                lines += _page(number, page)
    except Exception:
        raise Unreadable("The PDF cannot be read; it may be damaged or protected by a password.") from None
    if not any(line.filled for line in lines):
        raise Blank("The PDF contains pictures, not text, and cannot be read. Enter the readings instead.")
    return [TextSheet("", tuple(lines))]


def _page(number: int, page: Any) -> list[SheetLine]:
    printed = _printed(page.extract_words(x_tolerance=2))
    found: list[tuple[float, SheetLine]] = []
    taken: list[tuple[float, float, float, float]] = []
    for table in page.find_tables():
        rows = [(row, cells) for row, cells in zip(table.rows, table.extract(), strict=True) if any(cells)]
        if len(rows) < 2 or sum(1 for cell in rows[0][1] if cell) < 2:
            continue
        taken.append(table.bbox)
        for row, cells in rows:
            at = next((k for k, words in enumerate(printed, 1) if _middle(words) > row.bbox[1]), 1)
            boxes = [(box, " ".join((text or "").split())[:MOST_LETTERS]) for box, text in zip(row.cells, cells, strict=True) if box is not None]
            found.append(
                (
                    row.bbox[1],
                    SheetLine(
                        f"{number}:{at}", tuple(text for _, text in boxes[:MOST_CELLS]), tuple((box[0], box[2]) for box, _ in boxes[:MOST_CELLS])
                    ),
                )
            )
    for at, words in enumerate(printed, 1):
        free = [
            word
            for word in words
            if not any(x0 <= word["x0"] <= x1 and top <= (word["top"] + word["bottom"]) / 2 <= bottom for x0, top, x1, bottom in taken)
        ]
        if free:
            cells = _cells(free)[:MOST_CELLS]
            found.append(
                (
                    min(word["top"] for word in free),
                    SheetLine(f"{number}:{at}", tuple(text[:MOST_LETTERS] for text, _ in cells), tuple(span for _, span in cells)),
                )
            )
    return [line for _, line in sorted(found, key=lambda pair: pair[0])]


def _middle(words: list[Word]) -> float:
    return float(sum((word["top"] + word["bottom"]) / 2 for word in words) / len(words))


def _printed(words: list[Word]) -> list[list[Word]]:
    """The words of a page by line."""
    lines: list[list[Word]] = []
    for word in sorted(words, key=lambda word: (word["top"] + word["bottom"], word["x0"])):
        middle = (word["top"] + word["bottom"]) / 2
        if lines and abs(_middle(lines[-1][-3:]) - middle) < 0.4 * (word["bottom"] - word["top"]):
            lines[-1].append(word)
        else:
            lines.append([word])
    return lines


def _cells(line: list[Word]) -> list[tuple[str, tuple[float, float]]]:
    """Text and span of each cell of a line of words."""
    cells: list[tuple[str, tuple[float, float]]] = []
    for word in sorted(line, key=lambda word: word["x0"]):
        if cells and word["x0"] - cells[-1][1][1] < _GAP * (word["bottom"] - word["top"]):
            text, (left, _) = cells[-1]
            cells[-1] = (f"{text} {word['text']}", (left, word["x1"]))
        else:
            cells.append((word["text"], (word["x0"], word["x1"])))
    return cells
