"""The command line inside one process: what it prints, what it refuses, and its exit status."""

from __future__ import annotations

import contextlib
import io
import json
import tempfile
from pathlib import Path
from unittest import TestCase, mock

from ..cli import LARGEST, main
from .example import job


def run(*arguments: str, given: bytes = b"") -> tuple[int, str, str]:
    """Exit status, standard output and standard error."""
    out, err = io.StringIO(), io.StringIO()
    stdin = mock.Mock(buffer=io.BytesIO(given))
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), mock.patch("sys.stdin", stdin):
        status = main(list(arguments))
    return status, out.getvalue(), err.getvalue()


class One(TestCase):
    def test_a_job_from_a_file_and_from_standard_input(self) -> None:
        """The same design both ways, indented or on one line; the day is today where the file names none."""
        text = json.dumps(job() | {"as_of": "2026-06-01"})
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "job.json")
            path.write_text(text)
            status, out, err = run(str(path))
        self.assertEqual((status, err), (0, ""))
        again = run("-", "--compact", given=text.encode())
        self.assertEqual(json.loads(out), json.loads(again[1]))
        self.assertEqual(again[1].count("\n"), 1)
        self.assertEqual(run("-", given=json.dumps(job()).encode())[0], 0)

    def test_what_cannot_be_understood_is_a_line_for_each_fault(self) -> None:
        """Path and what was expected, on standard error, status 2, nothing on standard output."""
        bad = job({"supply": {"flow": "fast", "presure_low": "40 psi"}})
        status, out, err = run("-", given=json.dumps(bad).encode())
        self.assertEqual((status, out), (2, ""))
        lines = err.strip().splitlines()
        self.assertEqual(sorted(line.split(":")[0] for line in lines), ["$.supply.flow", "$.supply.presure_low"])
        self.assertIn("pressure_low", err)

    def test_files_that_are_none(self) -> None:
        """Missing, not UTF-8, not JSON, too large, a folder: status 2 and a sentence each."""
        with tempfile.TemporaryDirectory() as folder:
            self.assertIn("cannot read", run(str(Path(folder, "nowhere.json")))[2])
            self.assertEqual(run(folder)[0], 2)
        self.assertIn("UTF-8", run("-", given=b"\xff\xfe{}")[2])
        self.assertEqual(run("-", given=b"{")[0], 2)
        self.assertIn("20 MB", run("-", given=b" " * (LARGEST + 1))[2])

    def test_no_file_named_is_a_usage_error(self) -> None:
        """argparse's own status, with the usage."""
        with self.assertRaises(SystemExit) as stopped:
            run()
        self.assertEqual(stopped.exception.code, 2)

    def test_schemas_are_printed(self) -> None:
        """Both formats, as JSON."""
        for which in ("job", "design"):
            status, out, _ = run("--schema", which)
            self.assertEqual((status, json.loads(out)["type"]), (0, "object"))


class Many(TestCase):
    def test_a_folder_in_order_the_bad_ones_named(self) -> None:
        """One line each; one refused makes the status 2, and stops nothing."""
        with tempfile.TemporaryDirectory() as folder:
            for name, text in (("a", json.dumps(job())), ("b", "{"), ("c", json.dumps(job()))):
                Path(folder, f"{name}.json").write_text(text)
            status, out, _ = run("--many", folder)
        rows = [json.loads(line) for line in out.splitlines()]
        self.assertEqual(status, 2)
        self.assertEqual([(row["file"], "design" in row) for row in rows], [("a.json", True), ("b.json", False), ("c.json", True)])
        self.assertTrue(rows[1]["errors"][0]["message"])

    def test_lines_on_standard_input(self) -> None:
        """Empty lines are passed over, each other line is a job."""
        status, out, _ = run("--many", given=(json.dumps(job()) + "\n\n" + json.dumps(job()) + "\n").encode())
        self.assertEqual((status, [json.loads(line)["file"] for line in out.splitlines()]), (0, ["line 1", "line 3"]))

    def test_no_folder_is_said(self) -> None:
        """Status 2."""
        status, out, err = run("--many", "/nowhere/at/all")
        self.assertEqual((status, out), (2, ""))
        self.assertIn("not a folder", err)
