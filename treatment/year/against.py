"""The year beside the design's closed forms: each figure of both, and why they differ."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from ..language.figure import constant
from ..language.series_key import SeriesKey
from ..train.over_time import Exchanging, Filling
from .figures import Came, YearTotal
from .place import Place

#: figures in words
WORDS = {
    "daily_use": "Daily use", "salt_per_year": "Salt", "drain": "Water to the drain", "media_per_year": "Media dissolved",
    "replacement_interval": "Cartridge life", "lamp_hours": "Lamp hours",
}  # fmt: skip
LITTLE = 0.005  # share by which two figures may differ and still be said to agree


class AgainstRow(NamedTuple):
    """A figure as designed, and as the year had it."""

    figure: str
    design: YearTotal
    year: YearTotal
    why: str

    @property
    def words(self) -> str:
        """The figure in words: what it is, and of which unit."""
        stage, name = SeriesKey.of(self.figure).place, SeriesKey.of(self.figure).name
        said = WORDS.get(name, name.replace("_", " "))
        return f"{said}: {stage.replace('_', ' ')}" if stage else said

    def as_json(self) -> dict[str, Any]:
        return {"figure": self.figure, "design": self.design.as_json(), "year": self.year.as_json(), "why": self.why}


def against_design(came: Came) -> list[AgainstRow]:
    """Daily use, salt and wash water, calcite, the life of cartridges, the hours of lamps: for as many days as the year has."""
    return [_told(row, came) for row in _rows(came)]


def _rows(came: Came) -> Iterator[tuple[str, YearTotal, YearTotal, str]]:
    year = came.year
    duty, share = year.variant.audit.duty, year.days / 365
    used = came.totals["water_used"].value / year.days
    week = (
        "the design is for the busiest days of a business, the year for its whole week"
        if duty.facts.building.events
        else "guests, absence and season"
    )
    yield "daily_use", YearTotal(duty.daily, "L/day"), YearTotal(used, "L/day"), week
    for place in year.places:
        figures, kept = place.stage.figures, place.kept
        if isinstance(place.over_time, Exchanging):
            yield (
                f"{place.id}.salt_per_year",
                YearTotal(figures["salt_per_year"].value * share, "kg"),
                YearTotal(kept.used.get("salt", 0.0), "kg"),
                _waits(place),
            )
            each = figures["water_per_regeneration"].value
            interval = figures["regeneration_interval"].value
            yield f"{place.id}.drain", YearTotal(each * year.days / interval, "L"), YearTotal(kept.drained, "L"), _waits(place)
        elif "backwash_interval" in figures and "water_per_backwash" in figures:
            wanted = figures["water_per_backwash"].value * year.days / figures["backwash_interval"].value
            yield f"{place.id}.drain", YearTotal(wanted, "L"), YearTotal(kept.drained, "L"), "washes begin at their hour, on whole days"
        if "bed_left" in place.state:
            design = YearTotal(figures["media_per_year"].value * share, "kg")
            yield (
                f"{place.id}.media_per_year",
                design,
                YearTotal(kept.used.get("bed_left", 0.0), "kg"),
                "as the bed shrinks the water dissolves a little less",
            )
        if isinstance(place.over_time, Filling) and "replacement_interval" in figures:
            yield from _life(place, came)
        if "lamp_hours" in place.state:
            hours = place.over_time.lamp.hours  # type: ignore[attr-defined]
            if hours is not None:
                yield (
                    f"{place.id}.lamp_hours",
                    YearTotal(hours * year.days, "hour"),
                    YearTotal(kept.used.get("lamp_hours", 0.0), "hour"),
                    "lit always",
                )


def _life(place: Place, came: Came) -> Iterator[tuple[str, YearTotal, YearTotal, str]]:
    """How long a cartridge lasts: until it is full by the dirt of this year, or as long as it is left in."""
    filling = place.over_time
    assert isinstance(filling, Filling)
    held = sum(place.kept.lives) + place.state["dirt"]
    days = filling.holds / (held / came.year.days) if held > 0 else float("inf")
    most = place.every.get("dirt", float("inf"))
    design = min(place.stage.figures["replacement_interval"].value * constant("month_days"), most)
    yield f"{place.id}.replacement_interval", YearTotal(design, "day"), YearTotal(min(days, most), "day"), "dirt moves with the seasons"


def _waits(place: Place) -> str:
    """Why an exchanger regenerates more or less often than its capacity says."""
    if isinstance(place.over_time, Exchanging) and place.over_time.how.timer:
        return "a timer regenerates by days, whatever was drawn"
    return "a delayed valve waits for its hour, half a day on average; its own day count is whole days"


def _told(row: tuple[str, YearTotal, YearTotal, str], came: Came) -> AgainstRow:
    figure, design, year, why = row
    same = abs(design.value - year.value) <= LITTLE * max(abs(design.value), 1e-9)
    happened = ", ".join(one.words for one in came.year.scenarios)
    return AgainstRow(figure, design, year, "they agree" if same else f"{why}; {happened}" if happened else why)
