"""Two people on one train: an edit of what nobody else touched goes on top of what others changed; what both touched is told.

The page sends the state it showed (``shown``, a revision) with every edit. A state that was undone and dropped since says nothing,
so that the edit is told as late.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from treatment.job_file import written

from ..records.job import Job
from ..records.train import Revision, TrainOption
from ..repository.door import design_of
from ..request import whole
from .refused import Refused
from .trains import Stages, StaleTrain, named, revision_of

Made = TypeVar("Made")
#: what an edit of a unit on the wall changes
PLACED = frozenset({"place", "left", "right", "up", "down", "turn", "release"})


def stages_at(job: Job, revision: Revision) -> Stages:
    """The stages of a state, each with its id; the proposal's where it follows that."""
    return named(written(design_of(job, None).plan.train) if revision.stages is None else revision.stages)


def on_top(job: Job, option: TrainOption, asked: Mapping[str, str], act: Callable[[Job, TrainOption, int], Made]) -> Made:
    """Carry out an edit; where others changed other things of the train since it was shown, on top of that. Raises Refused, StaleTrain."""
    version = whole(asked.get("version", ""))
    if version is None:
        raise Refused("This page is out of date. Reload it.")
    try:
        return act(job, option, version)
    except StaleTrain as stale:
        shown = Revision.objects.filter(option=option, pk=whole(asked.get("shown", "")) or 0).first()
        if shown is None or not apart(stages_at(job, shown), stages_at(job, revision_of(stale.option)), asked):
            raise
        return act(Job.objects.get(pk=job.pk), stale.option, stale.option.version)


def apart(shown: Stages, now: Stages, asked: Mapping[str, str]) -> bool:
    """Whether what others changed between two states leaves alone what an edit changes: this choice, this limit, this place, this order."""
    action, id = asked.get("action", ""), asked.get("stage", "")
    before, after = ({stage["id"]: stage for stage in stages} for stages in (shown, now))
    if action in ("earlier", "later", "move", "add"):
        return list(before) == list(after)
    one, other = before.get(id), after.get(id)
    if one is None or other is None or one["kind"] != other["kind"]:
        return False
    if action == "set":
        return bool(one.get(asked.get("key", "")) == other.get(asked.get("key", "")))
    if action == "takes":
        analyte = asked.get("analyte", "")
        return bool(_held(one, "feed_limits", analyte) == _held(other, "feed_limits", analyte))
    if action in PLACED:
        return bool(one.get("install") == other.get("install"))
    return action in ("remove", "replace") and one == other


def _held(stage: Mapping[str, Any], part: str, name: str) -> Any:
    return (stage.get(part) or {}).get(name)
