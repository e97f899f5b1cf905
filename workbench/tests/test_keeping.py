"""A backup holds everything and comes back whole; broken and foreign files, and a full database, are refused; people without a shell."""

from __future__ import annotations

import gzip
import http.client
import io
import json
import os
import socket
import subprocess
import sys
import tempfile
import time
import zipfile
from pathlib import Path
from typing import Any
from unittest import mock

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management import CommandError, call_command
from django.db import connection, connections
from django.test import TestCase

from treatment.tests.example import job as job_document
from vivid_cairn.keeping import NotKept, backup, restore

from ..records.firm import Membership, Workspace
from ..records.job import Job
from ..repository.door import store
from .base import CommittedTestCase, people

OLDER = Path(__file__).parent / "data"


class Keeping(CommittedTestCase):
    def setUp(self) -> None:
        self.workspace, self.designer, _, _ = people()
        self.job = store(job_document(), self.workspace, self.designer)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def into_an_empty_place(self, file: Path) -> list[tuple[str, int, str]]:
        """Restore into a database made for it; what stands there then: job, readings of it, its firm."""
        name = f"{connection.settings_dict['NAME']}_back"
        with connection.cursor() as cursor:
            cursor.execute(f'DROP DATABASE IF EXISTS "{name}"')
            cursor.execute(f'CREATE DATABASE "{name}"')
        there = connections.create_connection("default")
        there.settings_dict = connection.settings_dict | {"NAME": name, "OPTIONS": {}}
        try:
            with mock.patch("vivid_cairn.keeping.connection", there):
                restore(file)
            with there.cursor() as cursor:
                cursor.execute(
                    "SELECT j.name, (SELECT count(*) FROM samples_reading r JOIN samples_sample s ON s.id = r.sample_id WHERE s.job_id = j.id), w.name"
                    " FROM jobs_job j JOIN accounts_workspace w ON w.id = j.workspace_id"
                )
                return list(cursor.fetchall())
        finally:
            there.close()
            with connection.cursor() as cursor:
                cursor.execute(f'DROP DATABASE "{name}" WITH (FORCE)')

    def test_there_and_back(self) -> None:
        file = self.folder / "kept"
        backup(file)
        self.assertEqual(file.stat().st_mode & 0o777, 0o600)
        readings = sum(len(sample["readings"]) for sample in job_document()["samples"])
        self.assertEqual(self.into_an_empty_place(file), [(self.job.name, readings, "Ours")])

    def test_never_over_something(self) -> None:
        """Neither a file nor a database that holds something is overwritten."""
        file = self.folder / "kept"
        backup(file)
        with self.assertRaisesMessage(NotKept, "already there"):
            backup(file)
        with self.assertRaisesMessage(NotKept, "cannot be written"):
            backup(self.folder / "no such folder" / "kept")
        with self.assertRaisesMessage(CommandError, "not empty"):
            call_command("restore", str(file))
        self.assertEqual(Job.objects.get().name, self.job.name)

    def test_broken_and_foreign_files(self) -> None:
        """A byte turned, the end cut off, another archive, no archive, no file, one of a later version: each refused in words, nothing put back."""
        whole = self.folder / "kept"
        backup(whole)
        content = whole.read_bytes()
        middle = len(content) // 2
        with zipfile.ZipFile(whole) as file:
            about, dump = json.loads(file.read("backup.json")), file.read("database.dump")
        cases = {
            "turned": content[:middle] + bytes([content[middle] ^ 1]) + content[middle + 1 :],
            "cut": content[: len(content) // 3],
            "text": b"iron,2.4 mg/L",
            "other": _packed({"backup.json": b"{}", "database.dump": dump}),
            "empty": _packed({}),
            "swapped": _packed({"backup.json": json.dumps(about).encode(), "database.dump": dump[:-9] + b"otherwise"}),
            "later": _packed({"backup.json": json.dumps(about | {"migrations": [["jobs", "9999_next"]]}).encode(), "database.dump": dump}),
        }
        for name, held in (
            ("made_at", None),
            ("made_at", "soon"),
            ("made_at", 3),
            ("sha256", ["a"]),
            ("bytes", "many"),
            ("engine", {}),
            ("migrations", [1]),
            ("migrations", [["a"]]),
            ("migrations", "x"),
        ):
            cases[f"{name} {held}"] = _packed({"backup.json": json.dumps(about | {name: held}).encode(), "database.dump": dump})
        cases["a name twice"] = _packed({"backup.json": b"[" * 100_000, "database.dump": dump})
        cases["encrypted"] = _encrypted(content)
        for name, text in cases.items():
            (self.folder / name).write_bytes(text)
        for name in (*cases, "missing"):
            with self.subTest(name), self.assertRaises(NotKept):
                self.into_an_empty_place(self.folder / name)

    def test_it_says_of_which_database(self) -> None:
        """In the file and on the screen."""
        out = io.StringIO()
        call_command("backup", str(self.folder / "kept"), stdout=out)
        self.assertIn(f"of the database {connection.settings_dict['NAME']} at ", out.getvalue())
        with zipfile.ZipFile(self.folder / "kept") as file:
            self.assertIn(connection.settings_dict["NAME"], json.loads(file.read("backup.json"))["database"])

    def test_a_killed_one_leaves_nothing(self) -> None:
        """Ended in the middle of packing, and killed outright while it dumps: no file, named or not, is left."""
        with mock.patch("vivid_cairn.keeping.shutil.copyfileobj", side_effect=KeyboardInterrupt), self.assertRaises(KeyboardInterrupt):
            backup(self.folder / "kept")
        self.assertEqual(list(self.folder.iterdir()), [])
        code = (
            "import django, os, sys; django.setup()\n"
            "from django.db import connection; connection.settings_dict['NAME'] = sys.argv[2]\n"
            "from pathlib import Path; from vivid_cairn import keeping\n"
            "keeping._digest = lambda stream: os.kill(os.getpid(), 9)\n"
            "keeping.backup(Path(sys.argv[1]))"
        )
        environment = os.environ | {"DJANGO_SETTINGS_MODULE": "vivid_cairn.settings"}
        done = subprocess.run(
            [sys.executable, "-c", code, str(self.folder / "kept"), connection.settings_dict["NAME"]],
            env=environment,
            cwd=settings.BASE_DIR,
            check=False,
        )
        self.assertEqual(done.returncode, -9)
        self.assertEqual(list(self.folder.iterdir()), [])


class TheCommand(TestCase):
    """``./cairn`` takes the database of the mode, or refuses."""

    def run_as(self, **environment: str) -> subprocess.CompletedProcess[str]:
        plain = {name: value for name, value in os.environ.items() if not name.startswith(("PG", "CAIRN_MODE"))}
        return subprocess.run(
            [str(settings.BASE_DIR / "cairn"), "backup", "/nowhere/kept"], env=plain | environment, capture_output=True, text=True, check=False
        )

    def test_production_without_a_database_is_refused(self) -> None:
        done = self.run_as(CAIRN_MODE="production")
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertIn("PGDATABASE names no database", done.stderr)

    def test_a_database_without_a_mode_is_refused(self) -> None:
        """What somebody set for an installation is never passed over for the private one."""
        done = self.run_as(PGDATABASE="firm", PGHOST="db")
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertIn("CAIRN_MODE is not set", done.stderr)

    def test_production_asks_the_database_that_it_names(self) -> None:
        """Nothing answers there: it says so, and no other is taken for it."""
        done = self.run_as(
            CAIRN_MODE="production",
            PGDATABASE="firm",
            PGHOST="127.0.0.1",
            PGPORT="1",
            PGUSER="firm",
            CAIRN_SECRET_KEY="abcdefghijklmnopqrstuvwxyz0123456789-ABCDEFGHIJKLMNO",
            CAIRN_HOSTS="example.test",
        )
        self.assertNotEqual(done.returncode, 0)
        self.assertEqual(done.stdout, "")


def fresh_database(case: CommittedTestCase, ending: str) -> dict[str, str]:
    """An empty database beside the test's own, gone when the test is over: the environment of commands that work on it."""
    held = connection.settings_dict
    name = f"{held['NAME']}_{ending}"

    def dropped() -> None:
        with connection.cursor() as cursor:
            cursor.execute(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)')

    dropped()
    with connection.cursor() as cursor:
        cursor.execute(f'CREATE DATABASE "{name}"')
    case.addCleanup(dropped)
    kept = {key: value for key, value in os.environ.items() if not key.startswith(("PG", "CAIRN_"))}
    return kept | {f"PG{key}": str(held[key]) for key in ("HOST", "PORT", "USER") if held[key]} | {"PGDATABASE": name}


class TheInstallation(CommittedTestCase):
    """As the handbook says: tables, a firm, its first person, the server; and a backup of this very database."""

    def test_from_nothing_to_a_first_log_in(self) -> None:
        environment = fresh_database(self, "fresh") | {
            "CAIRN_MODE": "production",
            "CAIRN_SECRET_KEY": "abcdefghijklmnopqrstuvwxyz0123456789-ABCDEFGHIJKLMNO",
            "CAIRN_HOSTS": "water.example",
            "CAIRN_WORKERS": "1",
        }
        name = environment["PGDATABASE"]

        def run(*arguments: str, typed: str = "") -> str:
            done = subprocess.run(
                [sys.executable, "manage.py", *arguments],
                env=environment,
                cwd=settings.BASE_DIR,
                input=typed,
                capture_output=True,
                text=True,
                check=False,
            )
            self.assertEqual(done.returncode, 0, done.stderr[-400:])
            return done.stdout

        run("migrate", "-v", "0")
        run("collectstatic", "--noinput", "-v", "0")
        run("people", "firm", "Larkfell Water Design")
        run("people", "add", "ada", "--firm", "Larkfell Water Design", typed="pass-word-of-ada-1\n")
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        server = subprocess.Popen(
            [sys.executable, "-m", "gunicorn", "vivid_cairn.wsgi", "-c", "vivid_cairn/gunicorn_conf.py", "--bind", f"127.0.0.1:{port}"],
            env=environment,
            cwd=settings.BASE_DIR,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        self.addCleanup(server.wait)
        self.addCleanup(server.terminate)
        self.assertEqual(self.asked(port, {"Host": "water.example", "X-Forwarded-Proto": "https"}), 200)
        self.assertEqual(self.asked(port, {"Host": "water.example"}), 301)
        self.assertEqual(self.asked(port, {"Host": "another.example", "X-Forwarded-Proto": "https"}), 400)
        with tempfile.TemporaryDirectory() as folder:
            self.assertIn(f"of the database {name} at ", run("backup", f"{folder}/kept"))

    def asked(self, port: int, headers: dict[str, str]) -> int:
        """What ``/health/`` answers; the server is given a while to come up."""
        until = time.monotonic() + 60
        while True:
            line = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
            try:
                line.request("GET", "/health/", headers=headers)
                return line.getresponse().status
            except OSError:
                if time.monotonic() > until:
                    raise
                time.sleep(0.2)
            finally:
                line.close()


class AnOlderBackup(CommittedTestCase):
    """A backup made before there were roles, customers, issued designs and a history: nobody's data is left behind."""

    def test_the_same_documents_and_doors(self) -> None:
        """Restored and brought to this version: the same job, log, checklist and samples of all eight jobs; owner, calendar and device still get in."""
        environment = fresh_database(self, "older") | {"CAIRN_MODE": "test"}

        def run(*arguments: str) -> str:
            done = subprocess.run(
                [sys.executable, "manage.py", *arguments], env=environment, cwd=settings.BASE_DIR, capture_output=True, text=True, check=False
            )
            self.assertEqual(done.returncode, 0, done.stderr[-600:])
            return done.stdout

        run("restore", str(OLDER / "before-firms.cairn"))
        kept = json.loads(gzip.decompress((OLDER / "before-firms.json.gz").read_bytes()))
        asked = (
            f"import json; from workbench.tests.asked_of_a_backup import doors, documents; s = json.loads({json.dumps(json.dumps(kept['secrets']))})"
        )
        told = json.loads(run("shell", "-v", "0", "-c", f"{asked}; print(json.dumps([documents(), doors(s)]))").splitlines()[-1])
        documents, answered = told
        self.assertEqual(answered, {"owner": 200, "calendar": 200, "device": 200, "people": 200, "history": 200})
        self.assertEqual(set(documents), set(kept["documents"]))
        for which, document in kept["documents"].items():  # a record has more words since, and none other
            self.assertEqual(_known_then(documents[which], document) if which.endswith(" run") else documents[which], document, which)


def _known_then(now: Any, then: Any) -> Any:
    """A document without the members that it did not have then."""
    if isinstance(now, dict) and isinstance(then, dict):
        return {name: _known_then(held, then[name]) for name, held in now.items() if name in then}
    if isinstance(now, list) and isinstance(then, list) and len(now) == len(then):
        return [_known_then(one, other) for one, other in zip(now, then, strict=True)]
    return now


def _encrypted(content: bytes) -> bytes:
    """An archive whose entries say that they are encrypted."""
    held = bytearray(content)
    for mark, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        place = held.find(mark)
        while place >= 0:
            held[place + at] |= 1
            place = held.find(mark, place + 4)
    return bytes(held)


def _packed(files: dict[str, bytes]) -> bytes:
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w") as file:
        for name, text in files.items():
            file.writestr(name, text)
    return held.getvalue()


class People(TestCase):
    def run_with(self, word: str, *arguments: str) -> None:
        with mock.patch("sys.stdin", io.StringIO(word + "\n")):
            call_command("people", *arguments, stdout=io.StringIO())

    def test_a_firm_its_people_their_passwords(self) -> None:
        self.run_with("", "firm", "Fell Water")
        self.run_with("rain-on-the-fell-7", "add", "ada", "--firm", "Fell Water", "--role", "viewer")
        self.assertEqual(Membership.objects.get(user__username="ada").role, "viewer")
        self.run_with("snow-on-the-fell-8", "password", "ada")
        self.assertTrue(get_user_model().objects.get(username="ada").check_password("snow-on-the-fell-8"))
        self.run_with("", "firm", "Fell Water", "--rename", "Beck Water")
        self.assertEqual(Workspace.objects.get().name, "Beck Water")

    def test_refused_in_words(self) -> None:
        """A firm that is not there, a name that is taken, a password that is too plain; nothing is half made."""
        Workspace.objects.create(name="Fell Water")
        with self.assertRaisesMessage(CommandError, "no firm called"):
            self.run_with("rain-on-the-fell-7", "add", "ada", "--firm", "Nowhere")
        with self.assertRaisesMessage(CommandError, "already a company"):
            self.run_with("", "firm", "Fell Water")
        with self.assertRaisesMessage(CommandError, "too common"):
            self.run_with("password", "add", "ada", "--firm", "Fell Water")
        self.assertFalse(get_user_model().objects.filter(username="ada").exists())
        with self.assertRaisesMessage(CommandError, "nobody called"):
            self.run_with("rain-on-the-fell-7", "password", "ada")
