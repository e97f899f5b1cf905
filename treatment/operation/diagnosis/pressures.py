"""Pressure and flow that no cause of a unit explains: more than house and vessels bear, or far less than it was."""

from __future__ import annotations

import statistics
from collections.abc import Iterable, Iterator

from ...language.display import show
from ...language.log_keys import SOURCE, TAP
from ...language.prose import sentence
from ...language.series_key import SeriesKey
from ...train.marks import mark
from .cause import Cause
from .data_quality import DataQuality
from .unclear import UNSAID
from .waters import ALONE

GAUGES = ("pressure", "pressure_low", "pressure_high", "pressure_in", "pressure_out")
#: what is read at a tap or a unit and falls where something is shut, clogged or broken
FALLS = ("pressure", "pressure_in", "pressure_out", "flow", "permeate_flow", "reject_flow")


def pressures(look: DataQuality, told: Iterable[Cause]) -> Iterator[Cause]:
    """What gauges show and no cause told so far stands on."""
    causes = list(told)
    yield from _too_high(look, causes)
    yield from _fallen(look, causes)


def _too_high(look: DataQuality, told: list[Cause]) -> Iterator[Cause]:
    """The highest pressure of late above what a house should have, where the design does not have it already."""
    duty = look.variant.audit.duty
    row, known = duty.rows["house"], max(duty.supply.pressure_high, duty.supply.night_pressure or 0.0, *_pumped(look))
    lifted = {
        stage.id for stage in look.stages if stage.room.output_share(25.0, stage.duty.facts.schools.ro_temperature) is not None
    }  # by its own pump
    gauges = [key for key in look.keys if SeriesKey.of(key).name in GAUGES and SeriesKey.of(key).place not in lifted]
    read = [(point[1], key, point[0]) for key in gauges if (point := look.readings.last(key)) is not None]
    speaks = [each for each in read if look.readings.speaks(each[1], each[2], look.as_of)]
    if not speaks or any(cause.id == "valve-creeps" for cause in told):
        return
    value, key, day = max(speaks)
    if value <= max(row["house_max_kpa"], known) + look.bands.tells(key):
        return
    system, vessels = look.variant.audit.facts.job.units, value > row["vessel_max_kpa"]
    most = show(row["vessel_max_kpa" if vessels else "house_max_kpa"], "kPa", system)
    what = "vessels and housings are rated for" if vessels else "in a house it should stay below"
    where = " at a tap" if SeriesKey.of(key).place == TAP else ""
    evidence = (sentence(f"{look.readings.series(key).words}{where} {show(value, 'kPa', system)} on {day}; {what} {most}"),)
    do = (
        "Shut the main valve if a fitting or a housing drips, and let the pressure off at a tap.",
        "Check the pressure switch and the precharge of the tank; on a public supply, the reducing valve.",
        "Read the pressure again, at night too.",
    )
    apart = "Read it with a second gauge. The same: the switch or the valve. Lower: the first gauge."
    yield Cause("pressure-high", None, ALONE, 0.0, evidence, (), apart, do, "fault" if vessels else "caution", ((day, key),))


def _pumped(look: DataQuality) -> list[float]:
    """What the train's own pumps are set to [kPa]."""
    return [float(stage.sizing.params["pressure"]) for stage in look.stages if stage.room.pumps and "pressure" in stage.sizing.params]


def _fallen(look: DataQuality, told: list[Cause]) -> Iterator[Cause]:
    """A gauge at a tap or a unit that twice running shows far less than it usually did."""
    places = {cause.stage for cause in told} | {SeriesKey.of(key).place for cause in told for _, key in cause.stands_on}
    if SOURCE in places or any(cause.id in ("pump-weak", "house-side", "pressure-tank-waterlogged") for cause in told):
        return
    for key in look.keys:
        taken, points = SeriesKey.of(key), look.readings.lately(key)
        if taken.name not in FALLS or taken.place not in (TAP, *look.ids) or taken.place in places or len(points) < 5:
            continue
        usual = statistics.median(value for _, value in points[:-2])
        if not look.readings.speaks(key, points[-1][0], look.as_of) or max(value for _, value in points[-2:]) >= mark("pump", "fallen") * usual:
            continue
        series, system = look.readings.series(key), look.variant.audit.facts.job.units
        where = " at a tap" if taken.place == TAP else ""
        before, now = (show(value, series.shown, system) for value in (usual, points[-1][1]))
        evidence = (sentence(f"{series.words}{where} {now} on {points[-1][0]}, {before} before"), UNSAID)
        do = ("Check valves and bypass before it.", "Read the pressure before and after each unit on one day, with a tap open.")
        apart = "Read it at the source too. Low there: the pump. Fine there: the first unit after which it is low."
        place = taken.place if taken.place in look.ids else None
        yield Cause(f"unexplained/{taken.name}", place, ALONE, 0.0, evidence, (), apart, do, "caution", ((points[-1][0], key),))
        return
