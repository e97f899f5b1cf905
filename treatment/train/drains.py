"""The drain line of a unit: its own or the site's, and the bore the trade asks for its length."""

from __future__ import annotations

from ..house.hydraulics import friction
from ..job.facts import Facts
from ..language.figure import Line, solved, work
from ..language.tables import table
from .keys import StageDrain, StageKeys


def drain_of(facts: Facts, keys: StageKeys) -> StageDrain | None:
    """A stage's own drain, else that of the site."""
    if keys.install and keys.install.drain is not None:
        return keys.install.drain
    site = facts.site.drain
    return StageDrain(site.distance, site.lift, site.bore, site.air_gap) if site else None


def drain_by_losses(told: StageDrain | None, flow: float, temperature: float, valve: float) -> tuple[Line, Line]:
    """The least bore [m] that carries a wash over the line's length and lift, and the pressure left for it [kPa] before that.

    flow [L/min]; temperature [degC]; valve: pressure at the valve while it washes [kPa]. Darcy-Weisbach with fittings.
    """
    row = table("plumbing")["drain_line"]
    length, lift = (told and told.distance) or row["length_m"], (told and told.lift) or 0.0
    rough = table("plumbing")["roughness_mm"][row["material"]] / 1000
    left = work(
        "pressure for the drain", "max(valve − gravity × lift, 1)", "kPa", "hydraulics.residual", valve=(valve, "kPa"), lift=(max(lift, 0.0), "m")
    )
    low, high, counted = 0.004, 0.1, float(table("plumbing")["allowance"]["fittings"]) * length
    for _ in range(40):
        middle = (low + high) / 2
        too_thin = friction(flow, middle, counted, rough, temperature) > left.value
        low, high = (middle, high) if too_thin else (low, middle)
    bore = solved("bore", "flow, length, left", high, "m", "hydraulics.darcy", flow=(flow, "L/min"), length=(length, "m"), left=(left.value, "kPa"))
    return left, bore


def air_gap_wanted(bore: float | None) -> Line:
    """The air that a line of this bore [m] ends in above its receptor [m]; the usual bore where it is not known."""
    row = table("stages")["install"]
    given = bore or float(row["drain_bore_m"])
    return work(
        "air gap",
        "max(least, bores × bore)",
        "m",
        "install.drain",
        least=(row["air_gap_m"], "m"),
        bores=(row["air_gap_bores"], ""),
        bore=(given, "m"),
    )


def bore_wanted(told: StageDrain | None, flow: float, temperature: float, valve: float) -> tuple[Line, Line]:
    """The bore [m] that a line wants for a wash: by its length, and by its losses where those ask for more; the second line is it."""
    losses = drain_by_losses(told, flow, temperature, valve)[1]
    rule = drain_rule((told and told.distance) or 0.0)
    return losses, work("wanted", "max(rule, losses)", "m", "install.drain", rule=(rule, "m by its length"), losses=(losses.value, "m"))


def drain_rule(length: float) -> float:
    """The bore a drain line wants by the rule of thumb, for its length [m]."""
    row = table("stages")["install"]
    return float(row["drain_bore_far_m"] if length > row["drain_far_m"] else row["drain_bore_m"])
