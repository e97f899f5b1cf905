"""Signs of chemical feeds: the residual and the solution."""

from __future__ import annotations

from ..trend import Point
from .sign import Sign, Signs, mark, sign, stands


def _residual(s: Signs) -> tuple[str, Point] | None:
    """The newest reading of what a feed should leave: at it, behind what keeps it, before what takes it out, else at a tap."""
    assert s.stage is not None
    behind = s.look.stages[s.stage.index + 1 :]
    keys = [s.key("free_chlorine_out")]
    for stage in behind:
        keys.append(f"{stage.id}.free_chlorine_in")
        if stage.water_out.value("free_chlorine") < mark("residual_gone"):
            break
        keys.append(f"{stage.id}.free_chlorine_out")
    held = [(key, point) for key in (*keys, "tap.free_chlorine") if (point := s.fresh(key)) is not None]
    return max(held, key=lambda pair: pair[1][0]) if held else None


@sign
def _residual_gone(s: Signs) -> Sign | None:
    found = _residual(s)
    if found is None:
        return None
    key, point = found
    return Sign(point[1] < mark("residual_gone"), f"residual {s.said(key, point[1])} on {point[0]}", ((point[0], key),))


@sign
def _residual_low(s: Signs) -> Sign | None:
    found = _residual(s)
    return None if found is None else s.beyond(found[0], False, "residual")


@sign
def _solution_stands(s: Signs) -> Sign | None:
    return stands(s, "solution_level", "the solution")


@sign
def _solution_falls(s: Signs) -> Sign | None:
    return s.denied("solution_stands")


@sign
def _solution_gone(s: Signs) -> Sign | None:
    point = s.fresh(s.key("solution_level"))
    return (
        None
        if point is None
        else Sign(
            point[1] < mark("level_gone"),
            f"solution {s.said(s.key('solution_level'), point[1])} high on {point[0]}",
            ((point[0], s.key("solution_level")),),
        )
    )


@sign
def _solution_old(s: Signs) -> Sign | None:
    return s.overdue("solution", 1.2)


@sign
def _solution_overdue(s: Signs) -> Sign | None:
    return s.overdue("solution")
