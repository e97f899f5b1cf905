"""Every use case asks for itself who may: one table, walked by every role and every door; nothing is written around them."""

from __future__ import annotations

import ast
import importlib
import pkgutil
from collections.abc import Iterator
from pathlib import Path

from django.core.exceptions import PermissionDenied
from django.test import TestCase
from django.urls import reverse

import workbench
from intake.pictures import NoPhoto
from treatment.language.errors import BadDocument, Fault
from workbench.outcome import Done, Refused, Unread
from workbench.records.firm import ROLES
from workbench.usecases import jobs
from workbench.usecases.acting import USE_CASES, use_case
from workbench.usecases.roles import ACTS, DOORS, may
from workbench.who import ITSELF, a_request, acting, acts_as

from .base import WorkbenchTestCase

WEB = Path(workbench.__file__).parent
#: how rows are written
WRITES = {"save", "create", "bulk_create", "bulk_update", "update", "delete", "get_or_create", "update_or_create"}
#: what is called like that and is no row: pictures, sheets and books of files, dictionaries, a paper's hash
NO_ROWS = {"book", "shown", "image", "context", "found", "data", "out", "digest"}
#: writes that nobody asks for: the machine's own keeping (papers it printed, summaries, the store, counters of its doors)
ITS_OWN = {
    "pages/papers.py", "pages/printed.py", "usecases/history.py", "usecases/thinning.py", "usecases/warming.py", "accounts/guesses.py", "accounts/log_in.py",
    "jobs/tasks.py", "jobs/present.py", "issues/tasks.py", "logs/demonstration.py", "starts/demonstration.py",
}  # fmt: skip
#: what use cases share and none is by itself: versions claimed, a job marked as changed, what happened told, summaries, counters of doors
HELPERS = {
    "touch", "bump", "claim", "set_part", "option_of", "tell", "end_sessions", "remember", "refreshed", "may_send", "may_open", "link_of",
}  # fmt: skip


def loaded() -> None:
    """Import the web whole, so that every use case is known."""
    for module in pkgutil.walk_packages(workbench.__path__, "workbench."):
        if ".tests" not in module.name and ".migrations" not in module.name:
            importlib.import_module(module.name)


def writes_in(path: Path) -> Iterator[tuple[str, str]]:
    """Functions of a module that write a row themselves: name, and the names of what marks them."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.FunctionDef):
            marks = " ".join(ast.unparse(each) for each in node.decorator_list)
            for call in ast.walk(node):
                if isinstance(call, ast.Call) and isinstance(call.func, ast.Attribute) and call.func.attr in WRITES:
                    whose = ast.unparse(call.func.value)
                    if whose.split(".")[0] not in NO_ROWS and (call.func.attr != "update" or "objects" in whose or ".filter" in whose):
                        yield node.name, marks


class Table(TestCase):
    def test_every_use_case_by_every_role(self) -> None:
        """Who may not is refused before anything else is looked at; who may comes as far as what they did not send."""
        loaded()
        self.assertGreater(len(USE_CASES), 70)
        for name, act in USE_CASES.items():
            module, _, function = name.rpartition(".")
            do = getattr(importlib.import_module(module), function)
            for who in (*ROLES, *DOORS):
                with self.subTest(use_case=name, who=who), a_request():
                    acts_as(who)
                    expected = TypeError if may(who, act) else PermissionDenied
                    self.assertRaises(expected, do)

    def test_every_use_case_answers_done(self) -> None:
        """With what it made, and what the person is told of it; what it does not do it raises."""
        loaded()
        for name in USE_CASES:
            module, _, function = name.rpartition(".")
            do = getattr(importlib.import_module(module), function)
            self.assertRegex(str(do.__annotations__["return"]), r"^Done\[.+\]$", name)

    def test_every_act_has_a_use_case(self) -> None:
        """But to look."""
        loaded()
        self.assertEqual(set(ACTS) - set(USE_CASES.values()) - {"money.see"}, set())

    def test_a_request_is_a_visitor_until_somebody_speaks_for_it(self) -> None:
        """Outside of requests the installation itself acts: its commands and tasks; nobody can speak for it there."""
        with a_request():
            self.assertRaises(PermissionDenied, jobs.archive)
        acts_as("viewer")
        self.assertEqual(acting(), ITSELF)
        self.assertTrue(may(acting(), "job.change"))

    def test_nothing_is_written_around_them(self) -> None:
        """No view, form or page writes a row; where a feature or a use case does, it is marked, or a helper of one that is."""
        for path in WEB.rglob("*.py"):
            where = str(path.relative_to(WEB))
            if where in ITS_OWN or any(part in where for part in ("tests/", "migrations/", "records/", "repository/", "management/")):
                continue
            for name, marks in writes_in(path):
                helper = (where.startswith("usecases/") and name in HELPERS) or (name.startswith("_") and "view" not in where)
                self.assertTrue("use_case" in marks or helper, f"{where}: {name} writes")


class Nested(TestCase):
    def test_what_a_use_case_does_on_its_way_is_not_asked_again(self) -> None:
        """A technician ticks a step of the run, and the job moves on: that is part of it. A refusal leaves nothing written."""

        @use_case("job.change")
        def inner() -> Done[str]:
            return Done("this")

        @use_case("run.write")
        def outer() -> Done[str]:
            return inner()

        @use_case("run.write")
        def refused() -> Done[None]:
            raise Refused("no")

        with a_request():
            acts_as("technician")
            self.assertEqual(outer().made, "this")
            self.assertRaises(PermissionDenied, inner)
            self.assertRaises(Refused, refused)
            self.assertRaises(PermissionDenied, inner)  # a refusal ends the use case, too
        for made in (inner, outer, refused):
            USE_CASES.pop(f"{made.__module__}.{made.__qualname__}")


class Refusals(TestCase):
    def test_a_document_that_cannot_be_read_and_a_picture_that_is_none_are_refusals(self) -> None:
        """One kind of no, whatever the core or the reader of pictures raised: with every fault, or beside the picture."""

        @use_case("job.change")
        def sent(raised: Exception) -> Done[None]:
            raise raised

        with self.assertRaises(Unread) as unread:
            sent(BadDocument([Fault("$.source.kind", "expected a source"), Fault("$.job.name", "expected a name")]))
        self.assertEqual([fault.path for fault in unread.exception.faults], ["$.source.kind", "$.job.name"])
        self.assertEqual((unread.exception.code, str(unread.exception)), ("unfit", "expected a source; expected a name"))
        with self.assertRaises(Refused) as refused:
            sent(NoPhoto("This picture is damaged."))
        self.assertEqual(refused.exception.fields, {"photo": "This picture is damaged."})
        USE_CASES.pop(f"{sent.__module__}.{sent.__qualname__}")


class Asked(WorkbenchTestCase):
    def test_a_view_that_forgets_to_ask_changes_nothing(self) -> None:
        """The use case asks again: a viewer who got past a page is refused there."""
        self.client.force_login(self.viewer)
        with self.settings(DEBUG=False):
            page = self.client.post(reverse("job-archive", args=[self.job.pk]))
        self.assertEqual(page.status_code, 403)
        with a_request():
            acts_as("viewer")
            self.assertRaises(PermissionDenied, jobs.archive, self.job, True)
        self.job.refresh_from_db()
        self.assertIsNone(self.job.archived_at)
