"""Signs of lamps, and of what they are there for."""

from __future__ import annotations

from ....language.log_keys import log_key
from ....language.series_key import SeriesKey
from ....train.marks import mark
from ...maintenance.log import MICROBES
from .indicator import Indicator, Indicators, no, sign, yes


@sign
def _microbes_found(s: Indicators) -> Indicator | None:
    guards = [stage.id for stage in s.look.stages if stage.disinfects or stage.index == len(s.look.stages) - 1]
    keys = [*MICROBES, *(str(SeriesKey(id, SeriesKey.of(name).what, "out")) for id in guards for name in MICROBES)]
    held = [(key, point) for key in keys if (point := s.readings.last(key)) is not None]
    if not held:
        return None
    found = [(key, point) for key, point in held if point[1] > 0]
    if not found:
        return no("no bacteria found in the last sample", *((point[0], key) for key, point in held))
    key, point = found[0]
    place = "at a tap" if key in MICROBES else "in the treated water"
    return yes(f"{log_key(key, s.look.ids).words} found {place} on {point[0]}", (point[0], key))


@sign
def _alarm(s: Indicators) -> Indicator | None:
    alarms = [entry for entry in s.look.log.entries if entry.alarm == s.id and s.today(entry.on)]
    lamps = [entry.on for entry in s.look.log.services.get(f"{s.id}/lamp", [])]
    after = [entry for entry in alarms if not any(entry.on <= day for day in lamps)]
    if not after:
        return None
    later = [point for point in s.readings.points(s.key("intensity")) if point[0] > after[-1].on and point[1] > mark("uv", "intensity")]
    if later:
        return no(f"the sensor read light again on {later[-1][0]}", (later[-1][0], s.key("intensity")))
    return yes(f"its alarm sounded on {after[-1].on}, and no new lamp has been recorded since")


@sign
def _alarm_or_dark(s: Indicators) -> Indicator | None:
    """Whether a lamp is out: by its alarm, or because its sensor sees nothing."""
    alarm, gone = s.of("alarm"), s.of("intensity_gone")
    return alarm if alarm is not None and alarm.holds else gone or alarm


@sign
def _intensity_gone(s: Indicators) -> Indicator | None:
    point = s.fresh(s.key("intensity"))
    return (
        None
        if point is None
        else Indicator(point[1] < mark("uv", "light_gone"), f"UV intensity {point[1]:.0f}% on {point[0]}", ((point[0], s.key("intensity")),))
    )


@sign
def _intensity_low(s: Indicators) -> Indicator | None:
    return s.beyond(s.key("intensity"), False, "UV intensity")


@sign
def _young(s: Indicators) -> Indicator | None:
    assert s.stage is not None
    hours = s.bands.state.lamp_age(s.stage)
    return Indicator(hours < mark("uv", "lamp_young"), f"the lamp has {hours:,.0f} h, too few to explain it")


@sign
def _lamp_past(s: Indicators) -> Indicator | None:
    point = s.readings.last(s.key("lamp_hours"))
    band = s.bands.band(s.key("lamp_hours"))
    if point is not None and band is not None and band.high is not None:
        return Indicator(
            point[1] > band.high, f"{point[1]:,.0f} h on its counter on {point[0]}, at most {band.high:,.0f} h", ((point[0], s.key("lamp_hours")),)
        )
    found = s.look.due.get(f"{s.id}/lamp")
    told_of = bool(s.readings.points(s.key("lamp_hours"))) or f"{s.id}/lamp" in s.look.log.services
    if found is None or not told_of:
        return None  # who writes nothing down of a lamp may still change it; the due date speaks of that
    return Indicator((s.look.as_of - found.due_on).days > 30, f"a new lamp was due on {found.due_on}, last one on {found.last}")


@sign
def _dark(s: Indicators) -> Indicator | None:
    for key in (s.key("uvt_in"), "source.uvt"):
        if (sign := s.beyond(key, False, "UV transmittance")) is not None:
            return sign
    return None


@sign
def _spring(s: Indicators) -> Indicator | None:
    return s.seen("cloudy_after_rain", "cloudy after rain")
