"""What of a job decides which steps of starting up apply to it."""

from __future__ import annotations

from typing import Any

from ..planning.variant import Variant
from ..train.room import StageRun

#: iron [mg/L] from which an air-charged bed is regenerated twice before first use
MUCH_IRON = 3.0
#: materials whose pipe is joined by solvent cement where the job does not say how
CEMENTED = ("cpvc", "pvc40")


def of_the_job(variant: Variant) -> frozenset[str]:
    """The facts of a job that steps ask for (``when``): solvent, drains, power, microbes, copper."""
    facts, stages = variant.audit.facts, variant.run.stages
    pipe = facts.supply.pipe.material if facts.supply.pipe else None
    joining = facts.site.joining or ("solvent" if pipe in CEMENTED else None)
    found = {
        "solvent": joining == "solvent",
        "drains": any(stage.drains for stage in stages),
        "power": any(stage.powered for stage in stages),
        "microbes": variant.audit.microbes_present,
        "copper": pipe == "copper",
    }
    return frozenset(word for word, so in found.items() if so)


def of_a_stage(stage: StageRun[Any]) -> frozenset[str]:
    """The facts of one stage: much_iron, where its water brings more than one charge of air takes at the start."""
    return frozenset({"much_iron"} if stage.water_in.value("iron") > MUCH_IRON else ())
