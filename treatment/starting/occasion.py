"""What of a job decides which steps of starting up apply to it."""

from __future__ import annotations

from typing import Any

from ..language.tables import table
from ..planning.variant import Variant
from ..train.room import StageRun


def of_the_job(variant: Variant) -> frozenset[str]:
    """The facts of a job that steps ask for (``when``): solvent, drains, power, microbes, copper.

    Where the job does not say how its pipe is joined, pipe that is usually cemented is.
    """
    facts, stages = variant.audit.facts, variant.run.stages
    pipe = facts.supply.pipe.material if facts.supply.pipe else None
    found = {
        "solvent": facts.site.joining == "solvent" or (facts.site.joining is None and pipe in table("wall")["joining"]["solvent"]["materials"]),
        "drains": any(stage.drains for stage in stages),
        "power": any(stage.powered for stage in stages),
        "microbes": variant.audit.microbes_present,
        "copper": pipe == "copper",
    }
    return frozenset(word for word, so in found.items() if so)


def of_a_stage(stage: StageRun[Any]) -> frozenset[str]:
    """The facts of one stage: much_iron, where its water brings more than one charge of air takes at the start."""
    return frozenset({"much_iron"} if stage.water_in.value("iron") > table("commissioning")["occasion"]["much_iron"] else ())
