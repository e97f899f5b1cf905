"""Signs of elements, pumps, valves, tanks and what strips gas."""

from __future__ import annotations

from ....language.analytes import MICROBES
from ....train.marks import mark
from .indicator import Indicator, Indicators, sign, yes

#: what an element holds, and what a tank that is fouled gives back
CLOUDS = ("turbidity", "tss")
FAR = 1e6  # kPa, more than any supply has: what a valve leaves of it is what it is set to


def _first_beyond(s: Indicators, whats: tuple[str, ...], words: str) -> Indicator | None:
    """The first of several readings behind a unit that lies above its band; else what the first that was read says."""
    found = [told for what in whats if (told := s.beyond(s.key(f"{what}_out"), True, f"{words} ({what.replace('_', ' ')})")) is not None]
    return next((told for told in found if told.holds), found[0] if found else None)


@sign
def _element_passes(s: Indicators) -> Indicator | None:
    """Whether what an element holds is behind it: particles, or microbes that it keeps."""
    return _first_beyond(s, (*CLOUDS, *MICROBES), "after the elements")


@sign
def _elements_overdue(s: Indicators) -> Indicator | None:
    return s.overdue("elements")


@sign
def _tank_dirty(s: Indicators) -> Indicator | None:
    """Whether water behind a tank is dirtier than designed, or was seen or smelt to be."""
    found = _first_beyond(s, (*CLOUDS, *MICROBES), "after the tank")
    if found is not None:
        return found
    return s.lately("musty_taste_or_smell", "a musty taste or smell")


@sign
def _clean_overdue(s: Indicators) -> Indicator | None:
    return s.overdue("clean")


@sign
def _screen_late(s: Indicators) -> Indicator | None:
    return s.overdue("screen")


@sign
def _flush_late(s: Indicators) -> Indicator | None:
    return s.overdue("flush")


@sign
def _wear_overdue(s: Indicators) -> Indicator | None:
    return s.overdue("medium") or s.overdue("cartridge")


@sign
def _pressure_after_low(s: Indicators) -> Indicator | None:
    """Whether the pressure behind a unit sank below what the design has there, or far below what it was."""
    key = s.key("pressure_out")
    low = s.beyond(key, False, "pressure after it")
    points = s.current(key)
    if low is not None and low.holds:
        return low
    if len(points) >= 2 and points[-1][1] < mark("pump", "pressure_lost") * points[0][1]:
        return yes(
            f"pressure after it {s.said(key, points[0][1])} on {points[0][0]}, {s.said(key, points[-1][1])} on {points[-1][0]}", (points[-1][0], key)
        )
    return low


@sign
def _pressure_after_high(s: Indicators) -> Indicator | None:
    """Whether the pressure behind a valve is above what it is set to, which is what it holds with no tap open."""
    assert s.stage is not None
    key, point = s.key("pressure_out"), s.fresh(s.key("pressure_out"))
    if point is None:
        return None
    held = float(s.stage.sizing.params.get("set") or s.stage.room.pressure_after(s.stage.sizing, FAR, 0.0))
    high = point[1] > held + s.bands.tells("x.pressure_out")
    return Indicator(high, f"pressure after it {s.said(key, point[1])} on {point[0]}, set to {s.said(key, held)}", ((point[0], key),))


@sign
def _fed_too_little(s: Indicators) -> Indicator | None:
    """Whether a tank stands before it and its source gives less than the design took."""
    assert s.stage is not None
    if not any(other.room.stores for other in s.look.stages[: s.stage.index]):
        return None
    return s.of("source_weak")


@sign
def _gas_passes(s: Indicators) -> Indicator | None:
    """Whether gas that it should strip is behind it, or the acid that carbon dioxide makes."""
    sulfide = s.beyond(s.key("hydrogen_sulfide_out"), True, "sulfide after it")
    acid = s.beyond(s.key("ph_out"), False, "pH after it")
    told = [each for each in (sulfide, acid) if each is not None]
    return next((each for each in told if each.holds), told[0] if told else s.lately("rotten_egg_cold", "a smell of sulfide in cold water"))


@sign
def _chlorine_feeds(s: Indicators) -> Indicator | None:
    """Whether chlorine was read before a membrane: at its inlet, or behind what stands before it."""
    assert s.stage is not None
    places = [s.id, *(other.id for other in reversed(s.look.stages[: s.stage.index]))]
    for place in places:
        for what in ("free_chlorine", "total_chlorine"):
            key = f"{place}.{what}_{'in' if place == s.id else 'out'}"
            if (point := s.fresh(key)) is not None:
                return Indicator(
                    point[1] > mark("chemical_feed", "residual_gone"), f"chlorine {s.said(key, point[1])} before it on {point[0]}", ((point[0], key),)
                )
    return None


@sign
def _no_chlorine_feeds(s: Indicators) -> Indicator | None:
    return s.denied("chlorine_feeds")


@sign
def _carbon_before_late(s: Indicators) -> Indicator | None:
    """Whether the carbon before a membrane, or its own prefilter, is past its day; nothing where it is not: chlorine may pass new carbon, too."""
    assert s.stage is not None
    for other in reversed(s.look.stages[: s.stage.index]):
        for task in ("medium", "cartridge"):
            found = s.look.due.get(f"{other.id}/{task}") if "free_chlorine" in other.room.answers else None
            if found is not None:
                return yes(f"the {other.said} was last renewed on {found.last}, due on {found.due_on}") if s.look.as_of > found.due_on else None
    late = s.overdue("prefilter")
    return late if late is not None and late.holds else None


@sign
def _flow_unchanged(s: Indicators) -> Indicator | None:
    """Whether the source gives the flow it gave, whatever its gauge says."""
    points, key = s.current("source.flow"), "source.flow"
    if not points:
        return None
    usual = points[0][1] if len(points) > 1 else s.look.variant.audit.duty.supply.flow
    last = points[-1]
    return Indicator(
        last[1] >= mark("bed", "flow_kept") * usual,
        f"the source delivers {s.said(key, last[1])} on {last[0]}, {s.said(key, usual)} before",
        ((last[0], key),),
    )
