"""What was typed in the entry form: a line, and beside it a note, what was seen, the hour, and when nobody was there."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from treatment.job.facts import OBSERVATIONS
from treatment.operation.entry.line import LogLine, Piece

#: fields beside the line
BESIDE = ("note", "seen", "at_hour", "away_from", "away_to")


@dataclass(frozen=True)
class Entered:
    """fine, left: pieces of the line that are understood and that are not; beside: the other fields as typed; problems: field -> why.

    noted: pieces that nobody understands and that a person keeps as a note.
    """

    fine: tuple[Piece, ...]
    left: tuple[Piece, ...]
    beside: dict[str, str]
    problems: dict[str, str]
    noted: tuple[Piece, ...] = ()

    @property
    def note(self) -> str:
        """The note: what was written as one, and what is kept as one."""
        return ". ".join(filter(None, [self.beside.get("note", ""), ", ".join(piece.typed for piece in self.noted)]))

    @property
    def words(self) -> str:
        """What is kept, in words."""
        pieces = [f"{piece.words} {piece.text or piece.amount}".strip() for piece in self.fine]
        names = {"note": "the note", "seen": "what was seen", "away_from": "when nobody was there"}
        return ", ".join([*pieces, *(words for name, words in names.items() if self.beside.get(name) or (name == "note" and self.note))])

    def bodies(self) -> list[dict[str, Any]]:
        """The entries it makes: what was read and seen in one, each thing done and each alarm in one of its own."""
        readings = {piece.key: piece.text for piece in self.fine if piece.key}
        seen = [*(piece.seen for piece in self.fine if piece.seen), *filter(None, [self.beside.get("seen")])]
        first: dict[str, Any] = {"readings": readings} if readings else {}
        first |= {"seen": list(dict.fromkeys(seen))} if seen else {}
        first |= {"note": self.note} if self.note else {}
        if self.beside.get("away_from"):
            first["away"] = {"from": self.beside["away_from"], "to": self.beside["away_to"]}
        if first and self.beside.get("at_hour"):
            first["at"] = self.beside["at_hour"]
        found = [first] if first else []
        found += [{"did": piece.did} | ({"amount": piece.amount} if piece.amount else {}) for piece in self.fine if piece.did]
        return found + [{"alarm": piece.alarm} for piece in self.fine if piece.alarm]


def entered(post: Mapping[str, str], line: LogLine, owner: bool = False) -> Entered:
    """Read the form. owner: whose own words tell what was seen: a smell or a stain in the note counts as that, too."""
    pieces = line.read(post.get("line", ""))
    beside = {name: post.get(name, "").strip()[:2000] for name in BESIDE}
    if owner and not beside["seen"] and (told := line.seen_in(beside["note"])):
        beside["seen"] = told
    problems = {}
    if beside["seen"] and beside["seen"] not in OBSERVATIONS:
        problems["seen"] = "Choose an item from the list."
    if beside["at_hour"] and not _is(dt.time, beside["at_hour"]):
        problems["at_hour"] = "Enter a time, for example 23:30."
    if beside["away_from"] or beside["away_to"]:
        if not (_is(dt.date, beside["away_from"]) and _is(dt.date, beside["away_to"])):
            problems["away"] = "Enter both dates, for example 2026-08-01 and 2026-08-14."
        elif beside["away_to"] < beside["away_from"]:
            problems["away"] = "The return date is before the departure date."
    left = tuple(piece for piece in pieces if piece.problem)
    noted = left if post.get("as_note") == "1" else ()
    return Entered(tuple(piece for piece in pieces if not piece.problem), () if noted else left, beside, problems, noted)


def _is(kind: Any, text: str) -> bool:
    try:
        kind.fromisoformat(text)
    except ValueError:
        return False
    return True
