"""Signs of membranes: flow put right for temperature, salt that passes, what feeds them."""

from __future__ import annotations

from ....train.marks import mark
from .indicator import Indicator, Indicators, sign


@sign
def _flow_fades(s: Indicators) -> Indicator | None:
    return s.beyond(s.key("normal_flow"), False, "permeate, corrected for temperature,")


@sign
def _flow_low(s: Indicators) -> Indicator | None:
    points, key = s.current(s.key("permeate_flow")), s.key("permeate_flow")
    if len(points) < 2:
        return s.beyond(key, False, "permeate")
    first, last = points[0], points[-1]
    return Indicator(
        last[1] < mark("reverse_osmosis", "fading") * first[1],
        f"permeate {s.said(key, first[1])} on {first[0]}, {s.said(key, last[1])} on {last[0]}",
        ((first[0], key), (last[0], key)),
    )


@sign
def _flow_up(s: Indicators) -> Indicator | None:
    points, key = s.current(s.key("normal_flow")), s.key("normal_flow")
    if len(points) < 2:
        return None
    (first, one), (last, other) = points[0], points[-1]
    told = f"corrected for temperature it made {s.said(key, one)} on {first}, {s.said(key, other)} on {last}"
    return Indicator(other > mark("reverse_osmosis", "flow_rose") * one, told, ((last, key),))


@sign
def _passage_up(s: Indicators) -> Indicator | None:
    return s.beyond(s.key("passage"), True, "salt passage")


@sign
def _passage_stays(s: Indicators) -> Indicator | None:
    return s.denied("passage_up")


@sign
def _feed_hard(s: Indicators) -> Indicator | None:
    assert s.stage is not None
    for key in (s.key("hardness_in"), *(f"{other.id}.hardness_out" for other in reversed(s.look.stages[: s.stage.index]))):
        if (point := s.fresh(key)) is not None:
            return Indicator(
                point[1] > mark("bed", "hardness_arrives"), f"hardness {s.said(key, point[1])} feeds it on {point[0]}", ((point[0], key),)
            )
    return Indicator(
        s.stage.water_in.hardness > mark("bed", "hardness_arrives"),
        f"by the design hardness {s.reads('hardness', s.stage.water_in.hardness)} feeds it",
    )


@sign
def _cold(s: Indicators) -> Indicator | None:
    temperatures = s.readings.points("source.temperature") or s.readings.points(s.key("temperature_in"))
    flows = s.current(s.key("permeate_flow"))
    if not temperatures or not flows:
        return None
    day = flows[-1][0]
    now = min(temperatures, key=lambda point: abs((point[0] - day).days))
    warmest = max(temperatures, key=lambda point: point[1])
    return Indicator(
        warmest[1] - now[1] > mark("reverse_osmosis", "warmer"),
        f"water at {s.shown(now[1], 'degC')} on {now[0]}, {s.shown(warmest[1], 'degC')} on {warmest[0]}",
        ((now[0], "source.temperature"),),
    )


@sign
def _pressure_before_low(s: Indicators) -> Indicator | None:
    points, key = s.current(s.key("pressure_in")), s.key("pressure_in")
    if len(points) < 2:
        return s.beyond(key, False, "pressure before it")
    first, last = points[0], points[-1]
    low = last[1] < mark("pump", "pressure_lost") * first[1] and first[1] - last[1] > s.bands.tells("x.pressure_in")
    return Indicator(
        low, f"pressure before it {s.said(key, first[1])} on {first[0]}, {s.said(key, last[1])} on {last[0]}", ((first[0], key), (last[0], key))
    )
