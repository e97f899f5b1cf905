"""The design that no longer fits: the same job with what the log found, beside the one that stands."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from treatment.job_file import written
from treatment.operation.diagnosis.redesign import Redesign, redesign
from treatment.studies.compare import differs

from ..outcome import Done, Refused
from ..usecases.acting import use_case
from ..usecases.books import Book
from ..usecases.trains import open_option


@dataclass(frozen=True)
class Beside:
    """A redesign as the page shows it: the facts that moved, and what the train for them does differently."""

    found: Redesign
    changes: list[str]


def redesigned(book: Book) -> Beside | None:
    """The train for the new facts; None where the log shows none that moved."""
    found = redesign(book.design, book.diagnosis)
    if found is None:
        return None
    return Beside(found, differs(book.design.chosen, found.variant, book.job.units))


@use_case("job.change", apart=True)
def open_redesign(book: Book, user: Any) -> Done[str]:
    """Open it as an option; its letter. Raises Refused where there is none, or no letter is free."""
    found = redesign(book.design, book.diagnosis)
    if found is None:
        raise Refused("The log shows no reason for another train.")
    option = open_option(book.job, written(found.variant.as_built), f"redesign: {'; '.join(found.facts)}"[:200], user).made
    return Done(str(option.letter), f"Opened as option {option.letter}, beside the current one.")
