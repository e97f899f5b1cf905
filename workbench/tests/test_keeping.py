"""A backup holds everything and comes back whole; broken and foreign files, and a full database, are refused; people without a shell."""

from __future__ import annotations

import io
import json
import tempfile
import zipfile
from pathlib import Path
from unittest import mock

from django.contrib.auth import get_user_model
from django.core.management import CommandError, call_command
from django.db import connection, connections
from django.test import TestCase, TransactionTestCase

from treatment.tests.example import job as job_document
from vivid_cairn.keeping import NotKept, backup, restore

from ..accounts.models import Membership, Workspace
from ..door import store
from ..jobs.models import Job
from .base import people


class Keeping(TransactionTestCase):
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
        for name, text in cases.items():
            (self.folder / name).write_bytes(text)
        for name in (*cases, "missing"):
            with self.subTest(name), self.assertRaises(NotKept):
                self.into_an_empty_place(self.folder / name)


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
        with self.assertRaisesMessage(CommandError, "already a firm"):
            self.run_with("", "firm", "Fell Water")
        with self.assertRaisesMessage(CommandError, "too common"):
            self.run_with("password", "add", "ada", "--firm", "Fell Water")
        self.assertFalse(get_user_model().objects.filter(username="ada").exists())
        with self.assertRaisesMessage(CommandError, "nobody called"):
            self.run_with("rain-on-the-fell-7", "password", "ada")
