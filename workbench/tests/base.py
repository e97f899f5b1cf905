"""What the workbench's tests share: a workspace, people, a job; and a browser."""

from __future__ import annotations

import os
import time
from functools import cached_property
from typing import Any, ClassVar

import pgtrigger
from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.contenttypes.models import ContentType
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.db import connection, transaction
from django.test import Client, TestCase, TransactionTestCase, tag
from playwright.sync_api import Page, expect, sync_playwright

from treatment.tests.example import job as job_document
from workbench.records.firm import Membership, Workspace
from workbench.records.job import Job
from workbench.repository.door import store

#: how long a browser waits for what should be there [ms]: a busy machine may hold an answer for seconds
PATIENCE = 30_000


def people() -> tuple[Workspace, Any, Any, Any]:
    """A workspace with an owner, who designs, and a viewer, and a designer of another workspace."""
    users = get_user_model().objects
    ours, theirs = Workspace.objects.create(name="Ours"), Workspace.objects.create(name="Theirs")
    designer, viewer, stranger = (users.create_user(name, password="pass-word-1") for name in ("dora", "vera", "stan"))
    Membership.objects.create(workspace=ours, user=designer, role="owner")
    Membership.objects.create(workspace=ours, user=viewer, role="viewer")
    Membership.objects.create(workspace=ours, user=users.create_user("dirk", password="pass-word-1"))
    Membership.objects.create(workspace=theirs, user=stranger)
    return ours, designer, viewer, stranger


def read(page: Any) -> str:
    """A page as it is read: a line break is a space."""
    return " ".join(page.content.decode().split())


class WorkbenchTestCase(TestCase):
    """Tests that need the database but no browser; ``self.job`` is the acid well of the core's tests."""

    workspace: Workspace
    designer: Any
    viewer: Any
    stranger: Any
    job: Job

    @classmethod
    def setUpTestData(cls) -> None:
        cls.workspace, cls.designer, cls.viewer, cls.stranger = people()
        cls.job = store(job_document(), cls.workspace, cls.designer)

    def setUp(self) -> None:
        self.client.force_login(self.designer)


#: what a test leaves as it is: Django made it anew behind each otherwise
KEPT_TABLES = {"django_content_type", "auth_permission"}


class CommittedTestCase(TransactionTestCase):
    """Tests whose changes are committed. Behind each the rows are deleted: to truncate every table took a second, to delete a few rows takes none."""

    def _fixture_teardown(self) -> None:
        names = [name for name in connection.introspection.django_table_names(only_existing=True) if name not in KEPT_TABLES]
        with pgtrigger.ignore(), transaction.atomic(), connection.cursor() as cursor:
            cursor.execute("set constraints all deferred")
            cursor.execute("".join(f"delete from {connection.ops.quote_name(name)};" for name in names))
        ContentType.objects.clear_cache()


class QueueTestCase(CommittedTestCase):
    """Tests with committed changes and the queue of tasks, which is emptied behind each."""

    def _fixture_teardown(self) -> None:
        with connection.cursor() as cursor:
            cursor.execute("truncate procrastinate_jobs, procrastinate_workers, procrastinate_periodic_defers restart identity cascade")
        super()._fixture_teardown()


def has_focus(page: Page, id: str) -> None:
    """What is typed goes to the element with this id. Asked of the document alone: whether the window of a headless browser counts as
    the one in front is no matter of the page."""
    page.wait_for_function("id => document.activeElement?.id === id", arg=id)


def browser() -> str:
    """Debian's Chromium without its window, which takes a third less time; the whole one where that is not to be had."""
    shell = "/usr/bin/chromium-headless-shell"
    return os.environ.get("CAIRN_CHROMIUM") or (shell if os.path.exists(shell) else "/usr/bin/chromium")


@tag("browser")
class BrowserTestCase(CommittedTestCase, StaticLiveServerTestCase):
    """Tests in headless Chromium. A console error or warning on any page fails the test."""

    answering: ClassVar[set[object]] = set()

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.answering = set()
        server = cls.server_thread.httpd
        app = server.get_app()

        def noted(environ: Any, start: Any) -> Any:
            mark = object()
            cls.answering.add(mark)
            try:
                return app(environ, start)
            finally:
                cls.answering.discard(mark)

        server.set_app(noted)
        old = os.environ.get("DJANGO_ALLOW_ASYNC_UNSAFE")
        os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "1"
        cls.addClassCleanup(lambda: os.environ.pop("DJANGO_ALLOW_ASYNC_UNSAFE") if old is None else None)
        expect.set_options(timeout=PATIENCE)
        playwright = sync_playwright().start()
        cls.addClassCleanup(playwright.stop)
        cls.browser = playwright.chromium.launch(
            executable_path=browser(),
            args=["--disable-gpu", "--disable-quic", "--font-render-hinting=none"],
        )
        cls.addClassCleanup(cls.browser.close)

    def setUp(self) -> None:
        self.workspace, self.designer, self.viewer, self.stranger = people()
        self.problems: list[str] = []

    @cached_property
    def page(self) -> Page:
        """The designer's own, at a desk: opened when a test first looks at it."""
        return self.open("dora")

    def _fixture_teardown(self) -> None:
        """The tables are emptied when no request is under way: one that a closed page left behind would stand in the way."""
        until = time.monotonic() + 10
        while self.answering and time.monotonic() < until:
            time.sleep(0.02)
        super()._fixture_teardown()

    def open(self, user: str, width: int = 1280, height: int = 800) -> Page:
        """A fresh browser context at the list of jobs, logged in."""
        context = self.browser.new_context(viewport={"width": width, "height": height}, base_url=self.live_server_url, reduced_motion="reduce")
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(PATIENCE)
        page.on(
            "console",
            lambda m: (
                self.problems.append(m.text)
                if m.type in ("error", "warning") and not any(code in m.text for code in ("401", "403", "409", "422"))
                else None
            ),
        )
        page.on("pageerror", lambda e: self.problems.append(str(e)))
        page.on("request", lambda r: None if r.url.startswith((self.live_server_url, "data:")) else self.problems.append(f"request to {r.url}"))
        client = Client()
        client.force_login(get_user_model().objects.get(username=user))
        context.add_cookies(
            [{"name": settings.SESSION_COOKIE_NAME, "value": client.cookies[settings.SESSION_COOKIE_NAME].value, "url": self.live_server_url}]
        )
        page.goto("/")
        return page

    def tearDown(self) -> None:
        self.assertEqual(self.problems, [])
