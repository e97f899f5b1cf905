"""Issuing a design and what becomes of it: frozen once, offered, answered once, withdrawn; links that show it."""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import secrets
from typing import Any

from django.db.models import F
from django.utils import timezone

from treatment.design import Design
from treatment.papers.issue import IssueChange, canonical, changes, checksum, frozen, letter

from ..outcome import Done, Refused, one_of
from ..records.firm import Membership
from ..records.issue import KINDS, Issue, IssueEvent, IssueLink, LinkOpening
from ..records.job import STATES, Job, advance
from ..repository import results
from ..repository.door import job_document
from .acting import needs, use_case
from .doors import new_owner_link
from .jobs import hold
from .trains import shown_stages

OPENINGS = 60  # of links, in a minute, from one address
LOG = "log"  # a link to the log of the house: no paper of the issue
#: the paper that a link shows
SHOWS = {"proposal": "proposal", "book": "book", "run": "pack"}
DAYS = 60  # a link lives, where nobody says otherwise
#: what an answer makes of an issue, and of its job
ANSWERS = {"accept": ("accepted", "accepted"), "decline": ("declined", ""), "withdraw": ("withdrawn", "")}


def open_dangers(design: Design) -> list[str]:
    """The dangers that stand in a design, in words."""
    return [finding.message for finding in design.chosen.findings if finding.severity == "danger"]


def freeze(job: Job, papers: dict[str, Any]) -> dict[str, Any]:
    """What would be frozen of a job now. papers: what is printed besides."""
    stages = shown_stages(job)
    return frozen(job_document(job, stages), results.document_of(job, stages), papers)


@use_case("job.change")
def issue(job: Job, design: Design, to: str, reason: str, papers: dict[str, Any], user: Any) -> Done[Issue]:
    """Freeze a design under the next letter and offer it. Raises Refused, beside the field."""
    to, reason = " ".join(to.split()), " ".join(reason.split())
    if not to or len(to) > 200:
        raise Refused("Enter for whom it is, at most 200 characters.", "to")
    if len(reason) > 300:
        raise Refused("Shorten the reason to 300 characters.", "reason")
    if open_dangers(design) and not reason:
        raise Refused("A danger is open. Give the reason for issuing it all the same; it is printed on every paper.", "reason")
    hold(job)  # two who issue at once get two letters
    number = Issue.objects.filter(job=job).count()
    whole = freeze(job, papers | {"to": to, "reason": reason})
    made = Issue.objects.create(
        job=job, number=number, revision=letter(number), to=to, reason=reason, frozen=canonical(whole).decode(), sha256=checksum(whole), engine=whole["engine"],
        issued_at=timezone.now(), issued_by=user, by_name=user.get_username(),
    )  # fmt: skip
    tell(made, "issued", user.get_username(), f"for {to}")
    advance(job, "offered")
    return Done(made, f"Revision {made.revision} was issued.")


def tell(held: Issue, what: str, by: str, note: str = "") -> None:
    """Note that something happened."""
    IssueEvent.objects.create(issue=held, what=what, by_name=by[:150], note=note[:1000])


def document_of(held: Issue) -> dict[str, Any]:
    """What is frozen, as plain data."""
    found: dict[str, Any] = json.loads(held.frozen)
    return found


def language_of(held: Issue) -> str:
    """The language in which an owner reads an issue; English for one of before there was a choice."""
    return str(document_of(held)["papers"].get("language", "en"))


def changed_since(held: Issue) -> list[IssueChange]:
    """What today's engine would make another, and why."""
    then = document_of(held)
    return changes(then, freeze(held.job, then["papers"]))


@use_case("offer.answer")
def answer(held: Issue, what: str, by: str, note: str) -> Done[Issue]:
    """Accept, decline or withdraw an issue. The first answer stands. Raises Refused, beside the field."""
    if what not in ANSWERS:
        raise Refused("This action is not known.")
    by = " ".join(by.split())
    if not by or len(by) > 150:
        raise Refused("Enter your name.", "name")
    if len(note) > 1000:
        raise Refused("Shorten the note to 1000 characters.", "note")
    state, of_job = ANSWERS[what]
    if not Issue.objects.filter(pk=held.pk, state="offered").update(state=state):
        now = Issue.objects.get(pk=held.pk)
        raise Refused(f"This proposal was {now.state} already. The first answer is kept.")
    held.state = state
    tell(held, state, by, note.strip())
    if of_job:
        advance(held.job, of_job)
    return Done(held)


@use_case("job.change")
def set_state(job: Job, state: str) -> Done[None]:
    """Say where a job stands. Raises Refused."""
    if state not in STATES:
        raise Refused("Choose a state.", "state")
    Job.objects.filter(pk=job.pk).update(state=state)
    job.state = state
    return Done(None)


# --- links ------------------------------------------------------------------------------------------------------------
def digest_of(secret: str) -> str:
    """What is kept of a secret."""
    return hashlib.sha256(secret.encode()).hexdigest()


@use_case("link.run")
def new_link(held: Issue, kind: str, days: int | None, user: Any) -> Done[str]:
    """The address of a link without an account, shown now and never again: to one paper of an issue, or to the log of the house. Raises Refused."""
    if kind not in (*KINDS, LOG):
        raise Refused("Choose what the link shows.", "kind")
    needs("link.run" if kind == "run" else "link.make")
    if days is not None and not 1 <= days <= 730:
        raise Refused("Enter 1 to 730 days.", "days")
    if kind == LOG:
        return Done(_log_link(held, user))
    secret = secrets.token_urlsafe(24)
    ends = timezone.now() + dt.timedelta(days=days or DAYS)
    IssueLink.objects.create(issue=held, kind=kind, digest=digest_of(secret), made_by=user, by_name=user.get_username(), ends_at=ends)
    tell(held, "link made", user.get_username(), f"{kind}, until {ends:%Y-%m-%d}")
    return Done(f"/link/{secret}/")


def _log_link(held: Issue, user: Any) -> str:
    """The owner's private address of the log; it is ended on the logbook's page."""
    try:
        _, secret = new_owner_link(held.job, user).made
    except Refused as error:
        raise Refused(str(error), "kind") from None
    tell(held, "link made", user.get_username(), "log, until it is ended")
    return f"/house/{secret}/"


@use_case("link.make", apart=True)
def end_link(held: Issue, pk: int, user: Any) -> Done[None]:
    """End a link."""
    if IssueLink.objects.filter(issue=held, pk=pk, ended_at=None).update(ended_at=timezone.now()):
        tell(held, "link ended", user.get_username())
    return Done(None)


def link_of(secret: str) -> IssueLink | None:
    """The link of a secret, while it lives and whoever made it still works in the firm; it is counted."""
    found = (
        IssueLink.objects.select_related("issue__job__workspace").filter(digest=digest_of(secret), ended_at=None, ends_at__gt=timezone.now()).first()
    )
    if found is None or found.issue.job.binned_at is not None:
        return None
    if not Membership.objects.filter(workspace=found.issue.job.workspace_id, user=found.made_by_id).exists():
        return None
    if not found.opened:
        tell(found.issue, "link opened", "by a link", found.kind)
    IssueLink.objects.filter(pk=found.pk).update(opened=F("opened") + 1)
    return found


def may_open(address: str) -> bool:
    """Whether another link may be opened from an address in this minute; it is counted."""
    minute = timezone.now().replace(second=0, microsecond=0)
    key = hashlib.sha256(address.encode()).hexdigest()
    LinkOpening.objects.filter(minute__lt=minute - dt.timedelta(hours=1)).delete()
    LinkOpening.objects.bulk_create([LinkOpening(address=key, minute=minute)], ignore_conflicts=True)
    LinkOpening.objects.filter(address=key, minute=minute).update(count=F("count") + 1)
    return LinkOpening.objects.get(address=key, minute=minute).count <= OPENINGS


def issue_for(job: Job, pk: int) -> Issue:
    """An issue of a job. Raises Gone."""
    return one_of(Issue.objects.select_related("job__workspace"), job=job, pk=pk)
