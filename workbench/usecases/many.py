"""Many jobs at once, and lists that somebody looks at often."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple
from urllib.parse import urlencode

from django.utils import timezone

from ..outcome import Done, Refused
from ..records.firm import Membership, Workspace
from ..records.job import STATES, Job
from ..records.log import JobLog
from .acting import use_case

MOST = 500  # jobs at once
ACTS = ("state", "technician", "archive")
VIEWS, NAME = 20, 40  # views of a person, letters of a view's name
#: what of an address a view keeps
ASKED = ("search", "state", "show", "sort")


class HowMany(NamedTuple):
    """How many jobs were changed, and how many chosen ones have no logbook to change."""

    changed: int
    left: int = 0


def _told(found: HowMany) -> Done[HowMany]:
    left = f" {found.left} have no logbook yet." if found.left else ""
    return Done(found, f"{found.changed} job{'' if found.changed == 1 else 's'} changed.{left}")


@use_case("job.change")
def change(workspace: Workspace, chosen: Iterable[int], act: str, value: str) -> Done[HowMany]:
    """Set the state or the technician of jobs of a firm, or archive them; those of another firm, or gone, are none of them. Raises Refused."""
    pks = list(dict.fromkeys(chosen))
    if not pks:
        raise Refused("Choose the jobs first.")
    if len(pks) > MOST:
        raise Refused(f"Choose at most {MOST} jobs at once.")
    jobs = Job.objects.filter(workspace=workspace, pk__in=pks).order_by("pk")
    held = list(jobs.select_for_update().values_list("pk", flat=True))
    if act == "state":
        if value not in STATES:
            raise Refused("Choose a state.")
        changed = Job.objects.filter(pk__in=held).exclude(state=value).update(state=value)
        return _told(HowMany(changed))
    if act == "technician":
        member = Membership.objects.filter(workspace=workspace, user__username=value).first()
        if value and member is None:
            raise Refused(f"{value} is not a member of the company.")
        logs = JobLog.objects.filter(job__in=held)
        changed = logs.update(technician=None if member is None else member.user_id)
        return _told(HowMany(changed, len(held) - changed))
    if act == "archive":
        return _told(HowMany(Job.objects.filter(pk__in=held, archived_at=None).update(archived_at=timezone.now())))
    raise Refused("This action is not known.")


@use_case("job.see")
def keep_view(member: Membership, name: str, asked: dict[str, str]) -> Done[None]:
    """Keep what a list was asked for under a name; one of the same name is replaced. Raises Refused."""
    name = " ".join(name.split())
    if not name or len(name) > NAME:
        raise Refused(f"Enter a name of at most {NAME} letters.")
    held = Membership.objects.select_for_update().get(pk=member.pk)
    views = [each for each in held.views if each["name"] != name]
    if len(views) >= VIEWS:
        raise Refused(f"{VIEWS} views are kept. Remove one first.")
    query = urlencode({key: asked[key][:120] for key in ASKED if asked.get(key)})
    Membership.objects.filter(pk=member.pk).update(views=[*views, {"name": name, "query": query}])
    return Done(None)


@use_case("job.see")
def drop_view(member: Membership, name: str) -> Done[None]:
    """Remove a view; one that is gone already is no fault."""
    held = Membership.objects.select_for_update().get(pk=member.pk)
    Membership.objects.filter(pk=member.pk).update(views=[each for each in held.views if each["name"] != name])
    return Done(None)
