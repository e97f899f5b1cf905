"""Labels for the tanks: each unit's name, what is read there, and a code that leads a phone to its place in the logbook."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import segno

from treatment.operation.entry.line import LogLine

from ..usecases.books import Book


@dataclass(frozen=True)
class TankLabel:
    """One label. place: which of how many units; read: what is read there; address: where its code leads; code: that as SVG."""

    name: str
    place: str
    read: tuple[str, ...]
    address: str
    code: str


def labels(book: Book, address_of: Callable[[str], str]) -> list[TankLabel]:
    """The labels of a train, in the order the water takes. address_of: stage id -> address of its place in the logbook."""
    names, line = book.names, LogLine(book.design.chosen, book.tasks, book.job.units)
    return [
        TankLabel(name, f"{place} of {len(names)}", tuple(line.names.read_at(id)), address_of(id), code(address_of(id)))
        for place, (id, name) in enumerate(names.items(), 1)
    ]


def code(address: str) -> str:
    """An address as a square code, SVG; a quarter of it may be dirty and it is still read."""
    return str(segno.make(address, error="q", micro=False).svg_inline(border=2, omitsize=True, dark="#1f2b29"))
