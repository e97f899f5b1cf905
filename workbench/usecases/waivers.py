"""Findings that a designer accepts, with the reason."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from treatment.job.facts import Waivers
from treatment.language.errors import Fault
from treatment.language.spec import BAD

from ..fields import sentence
from ..records.job import Job
from ..records.train import TrainOption
from .jobs import locked, set_part
from .refused import Refused
from .trains import LONGEST_REASON, claim, no_longer


@transaction.atomic
def accept(job: Job, option: TrainOption, version: int, asked: Mapping[str, str], user: Any) -> str:
    """Accept a finding with a reason (action ``waive``), or take that back (``unwaive``); what was done, in words. Raises Refused, StaleTrain."""
    claim(option, version, user)
    rule, stage, reason = asked.get("rule", ""), asked.get("on", ""), " ".join(asked.get("reason", "").split())
    kept = [row for row in locked(job).rest.get("waivers", []) if (row.get("rule"), row.get("stage", "")) != (rule, stage)]
    if asked.get("action") == "waive":
        if not reason:
            raise Refused("Give the reason for accepting this finding; it is printed beside it in every paper.")
        kept.append({"rule": rule[:80], "stage": stage[:40], "reason": no_longer(reason, LONGEST_REASON, "")})
    faults: list[Fault] = []
    if Waivers().read(kept, "", faults) is BAD or faults:
        raise Refused(sentence(faults[0].message))
    set_part(job, "waivers", kept, user)
    return "accepted a finding" if reason else "withdrew an acceptance"
