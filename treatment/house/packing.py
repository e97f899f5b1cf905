"""The bags in which media and salt are sold: common ones, or those that a job's working values name (``packing.…``)."""

from __future__ import annotations

from math import ceil

from ..language.display import show
from ..language.tables import table
from .duty import Duty

US, OWN = "salt_bag_us", "packing.salt_bag"


def cubic_foot() -> float:
    """A bag of media that is called by its name [L]."""
    return float(table("stages")["packing"]["media_bag"])


def media_bag(duty: Duty) -> float:
    """Media in a bag [L]."""
    return float(duty.rows["packing"]["media_bag"])


def salt_bag(duty: Duty) -> float:
    """Salt in a bag [kg]: 40 lb in US units, 25 kg in metric ones, where the job names none."""
    rows, usual = duty.rows["packing"], duty.facts.job.units == "us" and OWN not in duty.facts.working_values
    return float(rows[US] if usual else rows["salt_bag"])


def media_bags(litres: float, duty: Duty) -> str:
    """How many bags so much media is, in words: ``3 bags of 1 ft³``."""
    size = media_bag(duty)
    return _bags(litres, size, "1 ft³" if size == cubic_foot() else show(size, "L media", duty.facts.job.units))


def salt_bags(mass: float, duty: Duty) -> str:
    """How many bags so much salt is, in words: ``6 bags of 40 lb``. mass [kg]."""
    size = salt_bag(duty)
    return _bags(mass, size, show(size, "kg", duty.facts.job.units))


def _bags(amount: float, size: float, said: str) -> str:
    count = max(ceil(amount / size - 1e-6), 1)
    return f"{count} bag{'s' if count > 1 else ''} of {said}"
