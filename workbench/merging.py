"""Two people on one thing: what only one of them changed is kept without a word, what both changed is told, field by field."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeVar

Held = TypeVar("Held")


def settle(shown: Mapping[str, Held], typed: Mapping[str, Held], stands: Mapping[str, Held]) -> tuple[dict[str, Held], dict[str, Held]]:
    """What stands after both, of the fields that all three name; and the conflicts: field -> what stands there now.

    shown: what the page showed when it was opened; typed: what it sent; stands: what is stored now. In a conflict what is stored stays.
    """
    kept, conflicts = dict[str, Held](), dict[str, Held]()
    for name, now in stands.items():
        if name not in shown or name not in typed:
            continue
        was, mine = shown[name], typed[name]
        mine_alone = mine != was and now in (was, mine)
        kept[name] = mine if mine_alone else now
        if mine != was and not mine_alone:
            conflicts[name] = now
    return kept, conflicts


def late_words(now: str) -> str:
    """What is said beside a field that both changed. now: what stands there, as people read it."""
    return f"Someone else changed this to {now} since you opened it. Save again to use your value."
