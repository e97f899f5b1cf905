"""Signs of chemical feeds: the residual and the solution."""

from __future__ import annotations

from ....train.marks import mark
from ...monitoring.trend import Point
from .indicator import Indicator, Indicators, sign, stands

TAP_CHLORINE = "tap.free_chlorine"


def _residual(s: Indicators) -> tuple[str, Point] | None:
    """The newest reading of what a feed should leave: at it, behind what keeps it, before what takes it out; at a tap where it arrives there."""
    assert s.stage is not None
    behind = s.look.stages[s.stage.index + 1 :]
    keys = [s.key("free_chlorine_out")]
    for stage in behind:
        keys.append(f"{stage.id}.free_chlorine_in")
        if stage.water_out.value("free_chlorine") < mark("chemical_feed", "residual_gone"):
            break
        keys.append(f"{stage.id}.free_chlorine_out")
    else:
        keys.append(TAP_CHLORINE)
    if TAP_CHLORINE not in keys and _was_at_the_tap(s):
        keys.append(TAP_CHLORINE)
    held = [(key, point) for key in keys if (point := s.fresh(key)) is not None]
    return max(held, key=lambda pair: pair[1][0]) if held else None


def _was_at_the_tap(s: Indicators) -> bool:
    """Whether a residual was read at a tap twice or more before, though the design takes it out, and nothing that does was renewed since."""
    points = s.current(TAP_CHLORINE)
    renewed = [entry.on for stage in s.look.stages for task in ("medium", "cartridge") for entry in s.look.log.services.get(f"{stage.id}/{task}", [])]
    last = max(renewed, default=s.look.log.started_on)
    return sum(value > mark("chemical_feed", "residual_gone") for day, value in points[:-1] if day >= last) >= 2


@sign
def _residual_gone(s: Indicators) -> Indicator | None:
    found = _residual(s)
    if found is None:
        return None
    key, point = found
    return Indicator(point[1] < mark("chemical_feed", "residual_gone"), f"residual {s.said(key, point[1])} on {point[0]}", ((point[0], key),))


@sign
def _residual_low(s: Indicators) -> Indicator | None:
    found = _residual(s)
    return None if found is None else s.beyond(found[0], False, "residual")


@sign
def _solution_stands(s: Indicators) -> Indicator | None:
    return stands(s, "solution_level", "the solution")


@sign
def _solution_falls(s: Indicators) -> Indicator | None:
    return s.denied("solution_stands")


@sign
def _feed_silent(s: Indicators) -> Indicator | None:
    """Whether nothing is left of a residual, and nothing shows that the pump still feeds."""
    gone, falls = s.of("residual_gone"), s.of("solution_falls")
    if gone is None or (falls is not None and falls.holds):
        return None
    return gone


@sign
def _solution_gone(s: Indicators) -> Indicator | None:
    point = s.fresh(s.key("solution_level"))
    return (
        None
        if point is None
        else Indicator(
            point[1] < mark("chemical_feed", "solution_level"),
            f"solution {s.said(s.key('solution_level'), point[1])} high on {point[0]}",
            ((point[0], s.key("solution_level")),),
        )
    )


@sign
def _solution_old(s: Indicators) -> Indicator | None:
    return s.overdue("solution", mark("chemical_feed", "solution_long"))


@sign
def _solution_overdue(s: Indicators) -> Indicator | None:
    return s.overdue("solution")
