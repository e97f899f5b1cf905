"""What is seen, smelt or felt -> likely causes, ranked by this water's readings."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ..language.tables import table
from .gather import Evidence


@dataclass(frozen=True, slots=True)
class SymptomCause:
    """A possible cause of an observation. standing: likely, possible or unlikely by the readings; curable by treatment or not.

    test: the analyte to order, empty where none tells.
    """

    observation: str
    said: str
    cause: str
    standing: str
    tell: str
    test: str
    curable: bool


def observed(key: str) -> str:
    """How an observation is called, everywhere; an unknown one by its key."""
    return str(table("symptoms").get(key, {}).get("said", key))


def observation_in(text: str) -> str | None:
    """The observation that some words are about, e.g. "sand" typed among readings; None where they are about none.

    >>> observation_in("Sand in the toilet"), observation_in("iron 2 mg/L")
    ('grit', None)
    """
    low = text.lower()
    return next((key for key, row in table("symptoms").items() if any(word in low for word in row["words"])), None)


def causes(observations: tuple[str, ...], evidence: Evidence) -> list[SymptomCause]:
    """Causes of what was observed, the likeliest first within each observation."""
    found: list[SymptomCause] = []
    for seen in observations:
        row = table("symptoms")[seen]
        judged = [(entry, _standing(entry["looks"], evidence)) for entry in row["causes"]]
        replaced = {entry["replaces"] for entry, standing in judged if "replaces" in entry and standing == "likely"}
        ranked = [
            SymptomCause(seen, row["said"], entry["cause"], standing, entry["tell"], entry["test"], entry.get("cure", True))
            for entry, standing in judged
            if entry.get("named") not in replaced and ("replaces" not in entry or standing == "likely")
        ]
        found += sorted(ranked, key=lambda cause: ("likely", "possible", "unlikely").index(cause.standing))
    return found


def _standing(looks: list[dict[str, Any]], evidence: Evidence) -> str:
    """Whether the readings speak for a cause, against it, or say nothing."""
    spoke_against = False
    for look in looks:
        if not evidence.measured(look["analyte"]):
            continue
        state = evidence.states[look["analyte"]]
        worst = state.low if look.get("below") else (state.high if state.high is not None else state.low)
        speaks = worst < look["level"] if look.get("below") else worst >= look["level"]
        if speaks:
            return "likely"
        spoke_against = True
    return "unlikely" if spoke_against else "possible"
