"""What was changed in a job, by whom and when, in plain words; read from what the database kept."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from django.apps import apps
from django.contrib.auth import get_user_model

from treatment.evidence.symptoms import observed
from treatment.language.analytes import analytes

from ..records.catalogue import Catalogue
from ..records.firm import Workspace
from ..records.job import SURVEYED, Job

SHOWN, READ = 200, 5000  # changes that are told, and rows that are read for them
#: how columns are called where their own name does not say it
CALLED = {
    "option": "train that the job follows", "standard": "limits", "archived_at": "archive", "binned_at": "bin", "rest": "other facts", "typed": "measures as typed",
    "people": "people", "catalogue": "catalog",
}  # fmt: skip
UNSAID = {"pgh_id", "pgh_created_at", "pgh_label", "pgh_obj", "pgh_context", "id", "job", "sample", "option", "log", "run", "issue"}


@dataclass(frozen=True)
class ToldChange:
    """A change: when, by whom, in words. what: which of the job's records; number: its place among those of its kind."""

    at: dt.datetime
    by: str
    what: str
    words: str
    number: int = 0


def changes_of(job: Job, what: str = "", most: int = SHOWN) -> list[ToldChange]:
    """What was changed of a job, the newest first. what: of which record only."""
    found = [each for each in _all(job) if not what or each.what == what]
    return sorted(found, key=lambda each: (each.at, each.number), reverse=True)[:most]


Row = Mapping[str, Any]
#: what a page may be narrowed to
KINDS = ("job", "survey", "sample", "reading", "train", "checklist", "logbook", "file", "issued design", "link")


def _all(job: Job) -> Iterator[ToldChange]:
    rows = _Rows()
    samples = rows.of("samples", "SampleChange", job_id=job.pk)
    options = rows.of("trains", "TrainOptionChange", job_id=job.pk)
    issues = rows.of("issues", "IssueChange", job_id=job.pk)
    log = getattr(job, "log", None)
    run = getattr(job, "start_run", None)
    yield from rows.told("job", rows.of("jobs", "JobChange", pgh_obj_id=job.pk), _columns)
    yield from rows.told("survey", rows.of("jobs", "SurveyChange", job_id=job.pk), _survey)
    yield from rows.told("sample", samples, _columns)
    yield from rows.told("reading", rows.of("samples", "ReadingChange", sample_id__in={row["pgh_obj_id"] for row in samples}), _reading)
    yield from rows.told("train", rows.of("trains", "RevisionChange", option_id__in={row["pgh_obj_id"] for row in options}), _revision)
    yield from rows.told("file", rows.of("customers", "SiteFileChange", job_id=job.pk), _site_file)
    yield from rows.told("issued design", issues, _issue)
    yield from rows.told("link", rows.of("issues", "IssueLinkChange", issue_id__in={row["pgh_obj_id"] for row in issues}), _columns)
    if log is not None:
        yield from rows.told("logbook", rows.of("logs", "LogEntryChange", log_id=log.pk), _entry)
        yield from rows.told("link", rows.of("logs", "OwnerLinkChange", log_id=log.pk), _columns)
    if run is not None:
        yield from rows.told("checklist", rows.of("starts", "StartEventChange", run_id=run.pk), _event)


#: what a firm's page may be narrowed to
OF_FIRM = ("company", "people", "invitation", "catalog", "job")


def changes_in(workspace: Workspace, what: str = "", most: int = SHOWN) -> list[ToldChange]:
    """What was changed of a firm: its prices and defaults, people and roles, catalogs, and its jobs by name; the newest first."""
    rows, found = _Rows(), list[ToldChange]()
    names = dict(Job.everything.filter(workspace=workspace).values_list("pk", "name"))
    if what in ("", "company"):
        found += rows.told("company", rows.of("accounts", "WorkspaceChange", pgh_obj_id=workspace.pk), _firm)
    if what in ("", "people"):
        found += rows.told("people", rows.of("accounts", "MembershipChange", workspace_id=workspace.pk), rows.member)
    if what in ("", "invitation"):
        found += rows.told("invitation", rows.of("accounts", "InvitationChange", workspace_id=workspace.pk), _invitation)
    if what in ("", "catalog"):
        stock = dict(Catalogue.objects.filter(workspace=workspace).values_list("pk", "name"))
        kept = rows.of("catalogues", "CatalogueVersionChange", catalogue_id__in=stock)
        found += rows.told(
            "catalog", kept, lambda now, then: f"{stock[now['catalogue_id']]}: {now['summary']}" if now is not None and then is None else ""
        )
    if what in ("", "job"):
        kept = rows.of("jobs", "JobChange", pgh_obj_id__in=names)
        found += rows.told("job", kept, lambda now, then: f"{names[(now or then)['pgh_obj_id']]}: {words}" if (words := _columns(now, then)) else "")
    return sorted(found, key=lambda each: (each.at, each.number), reverse=True)[:most]


class _Rows:
    """The kept rows of a table, with who made each."""

    def __init__(self) -> None:
        self.names: dict[Any, str] = {}

    def of(self, app: str, model: str, **which: Any) -> list[dict[str, Any]]:
        """Rows in the order in which they were kept, the newest few thousand."""
        kept = apps.get_model(app, model)
        columns = [field.attname for field in kept._meta.concrete_fields]
        newest = kept._default_manager.filter(**which).order_by("-pgh_id").values(*columns, "pgh_context__metadata")[:READ]
        return list(reversed(newest))

    def told(self, what: str, rows: Iterable[dict[str, Any]], words: Any) -> Iterator[ToldChange]:
        """Each change in words; what changed nothing that is told is left out."""
        before: dict[Any, dict[str, Any]] = {}
        for row in rows:
            then = before.get(row["pgh_obj_id"])
            gone = row["pgh_label"].startswith("delete")
            first = then is None and row["pgh_label"].startswith("update")
            said = "changed; what it was before is not kept" if first else words(None if gone else row, row if gone else then)
            before[row["pgh_obj_id"]] = row
            if said:
                yield ToldChange(row["pgh_created_at"], self.who(row["pgh_context__metadata"] or {}), what, said, row["pgh_id"])

    def member(self, now: Row | None, then: Row | None) -> str:
        """Somebody who came, went, or has another role."""
        row = now or then
        assert row is not None
        name = self.name_of(row["user_id"])
        return f"{name} left" if now is None else f"{name}: {now['role']}" if then is None else f"{name}: {then['role']} → {now['role']}"

    def who(self, context: Mapping[str, Any]) -> str:
        """Who it was: a person, an owner by their link, a device, or the program itself."""
        user, url = context.get("user"), str(context.get("url", ""))
        if user is None:
            by_way = {"/house/": "the owner, by a link", "/devices/": "a device", "/link/": "by a link", "/join/": "by an invitation"}
            return next((words for start, words in by_way.items() if url.startswith(start)), "the program")
        return self.name_of(user)

    def name_of(self, user: Any) -> str:
        """A person's name."""
        if user not in self.names:
            found = get_user_model().objects.filter(pk=user).first()
            self.names[user] = found.get_username() if found is not None else "somebody who left"
        return self.names[user]


def _firm(now: Row | None, then: Row | None) -> str:
    """Prices and rates one by one, the rest by its column."""
    if now is None or then is None:
        return "made" if then is None else "deleted"
    parts = []
    for name in ("prices", "rates", "bags"):
        one, other = then[name] or {}, now[name] or {}
        changed = sorted(key for key in one.keys() | other.keys() if one.get(key) != other.get(key))
        parts += [f"{key.replace('_', ' ')}: {_said(one.get(key))} → {_said(other.get(key))}" for key in changed]
    rest = _columns({key: value for key, value in now.items() if key not in ("prices", "rates", "bags")}, then)
    return "; ".join([*parts, *([rest] if rest else [])])


def _invitation(now: Row | None, then: Row | None) -> str:
    if now is None:
        return f"for a {then['role']} withdrawn" if then else ""
    return f"for a {now['role']}" if then is None else f"for a {now['role']} taken" if now["taken_at"] else ""


def _columns(now: Row | None, then: Row | None) -> str:
    """Each column that is another than before."""
    if now is None:
        return "deleted"
    if then is None:
        return "made"
    parts = [
        f"{CALLED.get(name.removesuffix('_id'), name.removesuffix('_id').replace('_', ' '))}: {_said(then.get(name))} → {_said(value)}"
        for name, value in now.items()
        if not name.startswith("pgh_") and name.removesuffix("_id") not in UNSAID - {"option"} and value != then.get(name)
    ]
    return "; ".join(parts)


def _site_file(now: Row | None, then: Row | None) -> str:
    """A photo or a document that came or went."""
    held = now if now is not None else then
    return "" if held is None else f"{held['kind']} {held['name']} {'deleted' if now is None else 'added'}"


def _survey(now: Row | None, then: Row | None) -> str:
    """Fields of the survey, measures as they were typed."""
    if now is None or then is None:
        return "deleted" if now is None else ""
    parts = []
    for name in SURVEYED:
        value, before = now.get(name), then.get(name)
        if value == before or name in ("typed", "job"):
            continue
        if name == "observations":
            parts += [f"seen: {observed(each).lower()}" for each in value or [] if each not in (before or [])]
            parts += [f"no longer seen: {observed(each).lower()}" for each in before or [] if each not in (value or [])]
            continue
        one, other = (row["typed"].get(name) or row.get(name) for row in (then, now))
        parts.append(
            f"{CALLED.get(name, name.rsplit('_', 1)[0] if name.endswith(_UNITS) else name).replace('_', ' ')}: {_said(one)} → {_said(other)}"
        )
    return "; ".join(parts)


_UNITS = ("_l_min", "_kpa", "_m", "_l", "_c", "_mg_l", "_min")


def _reading(now: Row | None, then: Row | None) -> str:
    """``iron 1.8 → 2.4 mg/L``, as it was typed."""
    row = now or then
    assert row is not None
    name = analytes()[row["analyte"]].name if row["analyte"] in analytes() else row["analyte"]
    if now is None:
        return f"{name} deleted, was {then['typed']}" if then else ""
    return f"{name} {now['typed']}" if then is None else f"{name} {then['typed']} → {now['typed']}" if then["typed"] != now["typed"] else ""


def _revision(now: Row | None, then: Row | None) -> str:
    return str(now["summary"]) if now is not None and then is None else ""


def _issue(now: Row | None, then: Row | None) -> str:
    if now is None:
        return ""
    return f"revision {now['revision']} issued for {now['to']}" if then is None else f"revision {now['revision']}: {then['state']} → {now['state']}"


def _entry(now: Row | None, then: Row | None) -> str:
    """An entry of the logbook by its day and what it holds."""
    if now is None:
        return "an entry deleted"
    if then is not None and then["gone"] != now["gone"]:
        return f"entry of {now['on']} {'withdrawn' if now['gone'] else 'put back'}"
    body = now["body"]
    told = [f"{key} {value}" for key, value in (body.get("readings") or {}).items()] + [
        str(body[name]) for name in ("did", "note", "seen") if body.get(name)
    ]
    return f"entry of {now['on']}: {', '.join(told)[:200]}" if then is None else ""


def _event(now: Row | None, then: Row | None) -> str:
    """A step of the checklist that was told."""
    if now is None or then is not None:
        return ""
    return ", ".join(part for part in (f"{now['title'] or now['step']}: {now['kind']}", now["text"]) if part)


def _said(value: Any) -> str:
    if value in (None, "", {}, []):
        return "nothing"
    text = value.strftime("%Y-%m-%d") if isinstance(value, dt.datetime) else str(value)
    return text if len(text) <= 120 else text[:119] + "…"
