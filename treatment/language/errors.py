"""The errors the core raises on purpose: text for a person, fields for a form."""

from __future__ import annotations

from dataclasses import dataclass


class TreatmentError(ValueError):
    """Anything the core refuses. Its text is meant for the person who typed the input."""


class NotUnderstood(TreatmentError):
    """A quantity or reading that the grammar does not accept."""

    def __init__(self, text: str, reason: str):
        super().__init__(reason)
        self.text, self.reason = text, reason


@dataclass(frozen=True, slots=True)
class Fault:
    """One fault in a document: where it is and what was expected there."""

    path: str
    message: str

    def __str__(self) -> str:
        return f"{self.path}: {self.message}"


class BadDocument(TreatmentError):
    """A document with one or more faults, each with its JSON path."""

    def __init__(self, faults: list[Fault]):
        super().__init__("\n".join(map(str, faults)))
        self.faults = faults
