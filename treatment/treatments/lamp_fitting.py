"""How a lamp is built in: a way round it, metal beside it, room to pull it, its ballast and cord, water that stands; and whether it is needed."""

from __future__ import annotations

from collections.abc import Iterator
from math import pi
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..chemistry.water import OPEN_TO_AIR
from ..language.analytes import MICROBES
from ..train.keys import PipeEnd
from ..train.treatment import StageRun

METAL = ("copper", "stainless")


@rule("uv-bypass", "place train", "install.bypass", on="uv")
def uv_bypass(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A bypass round the lamp that anybody can open."""
    if stage.keys.install and stage.keys.install.open_way_round:
        severity = "danger" if audit.microbes_present else "fault"
        yield Hit(
            severity,
            "The bypass around the UV unit is not locked: if it is opened, untreated water reaches the taps.",
            "Lock or tag it shut. Disinfect the pipe after every use.",
        )


@rule("uv-plastic", "place train", "install.lit", on="uv")
def uv_plastic(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """Plastic pipe where the lamp shines into it."""
    install, least = stage.keys.install, stage.duty.rows["install"]["uv_metal_m"]
    if install is None:
        return
    ends = ((install.pipe_in, "inlet"), (install.pipe_out, "outlet"))
    for (end, words), lit in zip(ends, stage.room.lit_ends(stage.keys), strict=True):
        if lit and _too_little_metal(end, least):
            metal = end.metal_length if end and end.metal_length is not None else 0.0
            yield Hit("fault", f"At the {words} only the first {audit.show(metal * 1000, 'mm')} are metal; UV light makes the plastic after it brittle, and it cracks.",
                      f"Use copper or stainless steel for {audit.show(least * 1000, 'mm')} from the port, or as the manufacturer says.")  # fmt: skip


def _too_little_metal(end: PipeEnd | None, least: float) -> bool:
    if end is None or end.material is None:
        return False
    if end.material in METAL and end.metal_length is None:
        return False
    return (end.metal_length or 0.0) < least - 1e-9


@rule("uv-clearance", "place train", "install.lamp", on="uv")
def uv_clearance(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """No room to pull the lamp straight out."""
    install, needed = stage.keys.install, stage.sizing.params["chamber_length"]
    if install is None:
        return
    free = install.clearance_above if install.orientation != "horizontal" else install.clearance_front
    if free is not None and free < needed - 1e-9:
        yield Hit("fault", f"{audit.show(free * 1000, 'mm')} of clear space at the end of the UV unit; its lamp is {audit.show(needed * 1000, 'mm')} long and comes straight out.",
                  "Lower it, turn it on its side, or move it.")  # fmt: skip


@rule("uv-orientation", "place train", "install.lamp", on="uv")
def uv_orientation(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A lamp hung upside down."""
    if stage.keys.install and stage.keys.install.orientation == "upside_down":
        yield Hit(
            "fault",
            "The UV unit is mounted with its connection down: water drips into it, and air collects at the sleeve.",
            "Turn the connection up, or mount the unit horizontally.",
        )


@rule("uv-ballast", "place train", "install.lamp", on="uv")
def uv_ballast(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """The ballast hangs below the water connections."""
    if stage.keys.install and stage.keys.install.ballast == "below":
        yield Hit("fault", "The ballast is mounted below the water connections: every drop runs into it.", "Mount it above them, in a dry place.")


@rule("uv-drip-loop", "place train", "install.lamp", on="uv")
def uv_drip_loop(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """The lamp's cable has no drip loop."""
    if stage.keys.install and stage.keys.install.drip_loop is False:
        yield Hit("caution", "The power cord runs straight down into the plug: water follows it.", "Form a drip loop below the plug.")


@rule("uv-warm", "place", "install.idle", on="uv")
def uv_warm(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """The lamp warms the water standing in it."""
    power = stage.keys.lamp_power
    if power is None or stage.sizing.params.get("lamp") == "flow_switched":
        return
    row = stage.duty.rows["install"]
    litres = pi * row["uv_chamber_m"] ** 2 / 4 * stage.sizing.params["chamber_length"] * 1000
    warmed = power * 3600 / (row["water_heat"] * litres)  # in an hour; a liter of water weighs a kg
    if warmed > row["uv_warm_c"]:
        yield Hit("advice", f"With no water running, {power:.0f} W warm the {audit.show(litres, 'L')} in the chamber by about {audit.show_rise(warmed)} in an hour.",
                  "Fit a cool-down valve. A flow-switched lamp also avoids it, but loses the guarantee of a warm lamp.")  # fmt: skip


@rule("unneeded/<kind>", "train", "safety.short", on="uv")
def unneeded_uv(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """A lamp on a town supply in which no microbes were found."""
    tested = any(audit.evidence.measured(name) for name in MICROBES)
    stood = stage.water_in.value(OPEN_TO_AIR) > 0
    if audit.facts.source.kind == "town" and tested and not audit.microbes_present and not stood:
        yield Hit(
            "caution",
            "The public supply was tested and no bacteria were found: the UV unit is not needed.",
            "Remove it, or keep it as a barrier and give the reason.",
            ("uv",),
        )
