"""What the company's catalogue lacks for a train."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..train.bought import lacking
from ..train.treatment import StageRun


@rule("catalogue/<kind>", "train catalogue", "catalogue.sold", on="*")
def not_sold(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """The catalogue sells such pieces, but none that serves this unit."""
    for wanted in lacking(stage.room, stage.keys, stage.sizing, stage.water_in, stage.duty):
        yield Hit(
            "fault",
            f"{stage.duty.stock.missing(wanted, audit.facts.job.units)} It is wanted for the {stage.said}.",
            "Add one that serves to the catalog, or change the unit; until then a generic size is used, at its sample price.",
            (wanted.kind,),
        )
