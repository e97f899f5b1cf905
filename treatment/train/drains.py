"""The drain line of a unit: its own or the site's, and the bore the trade asks for its length."""

from __future__ import annotations

from ..job.facts import Facts
from ..language.tables import table
from .keys import StageDrain, StageKeys


def drain_of(facts: Facts, keys: StageKeys) -> StageDrain | None:
    """A stage's own drain, else that of the site."""
    if keys.install and keys.install.drain is not None:
        return keys.install.drain
    site = facts.site.drain
    return StageDrain(site.distance, site.lift, site.bore, site.air_gap) if site else None


def drain_rule(length: float) -> float:
    """The bore a drain line wants by the rule of thumb, for its length [m]."""
    row = table("stages")["install"]
    return float(row["drain_bore_far_m"] if length > row["drain_far_m"] else row["drain_bore_m"])
