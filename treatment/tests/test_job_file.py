from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase

import jsonschema
from hypothesis import given
from hypothesis import strategies as st

from ..job_file import job_schema, loads, read_job
from ..language.errors import BadDocument
from ..papers.design_file import design_document
from ..papers.design_schema import design_schema
from .example import HARD_ONLY, job, worked
from .fuzz import fuzz

ROOT = Path(__file__).resolve().parents[2]


def faults(document: Any) -> dict[str, str]:
    try:
        read_job(document)
    except BadDocument as error:
        return {fault.path: fault.message for fault in error.faults}
    return {}


class Refusals(TestCase):
    def test_every_fault_is_reported_with_its_path(self) -> None:
        """Typos, wrong types and impossible values, all in one reading, each with where and what was expected."""
        document = job({"supply": {"flow": "7 bananas", "pressre_low": "40 psi"}, "building": {"people": -2}, "job": {"units": "metirc"}})
        document["train"] = [{"kind": "softner"}, {"kind": "uv", "rated_flo": "9 gpm"}, {"kind": "softener", "tank": "big"}]
        document["samples"][0]["readings"] |= {"irn": "2 mg/L", "ph": "15"}
        found = faults(document)
        self.assertIn("not a flow", found["$.supply.flow"])
        self.assertIn("nearest known one is “pressure_low”", found["$.supply.pressre_low"])
        self.assertIn("0 to 5000", found["$.building.people"])
        self.assertIn("did you mean metric", found["$.job.units"])
        self.assertIn("did you mean softener", found["$.train[0].kind"])
        self.assertIn("rated_flow", found["$.train[1].rated_flo"])
        self.assertIn("9x48", found["$.train[2].tank"])
        self.assertIn("nearest known one is “iron”", found["$.samples[0].readings.irn"])
        self.assertIn("between 0 and 14", found["$.samples[0].readings.ph"])

    def test_what_a_document_cannot_be(self) -> None:
        """Not an object, another format, nothing to design, forty-one stages, two stages of one name, text that is not JSON."""
        self.assertIn("$", faults([]))
        self.assertIn("$.format", faults({"format": "cairn-job/9", "train": []}))
        self.assertIn("sample or a train", faults({"format": "cairn-job/1"})["$"])
        self.assertIn("at most 40", faults({"format": "cairn-job/1", "train": [{"kind": "uv"}] * 41})["$.train"])
        self.assertIn(
            "already the id", faults({"format": "cairn-job/1", "train": [{"kind": "uv", "id": "a"}, {"kind": "uv", "id": "a"}]})["$.train[1].id"]
        )
        self.assertIn("did you mean carbon", faults({"format": "cairn-job/1", "train": [{"kind": "carbonn"}]})["$.train[0].kind"])
        for text in ("{", "[1,", '{"a": NaN}', '{"a": 1, "a": 2}', "[" * 100000):
            with self.assertRaises(BadDocument):
                loads(text)

    @given(
        st.recursive(
            st.none() | st.booleans() | st.floats() | st.integers() | st.text(max_size=8),
            lambda inner: (
                st.lists(inner, max_size=3)
                | st.dictionaries(
                    st.sampled_from(["format", "samples", "readings", "train", "kind", "supply", "flow", "iron", "job", "building", "fixtures"]),
                    inner,
                    max_size=4,
                )
            ),
            max_leaves=12,
        )
    )
    @fuzz(150)
    def test_any_document_is_read_or_refused(self, document: Any) -> None:
        """No document makes the reader fail in another way."""
        try:
            read_job(document)
        except BadDocument as error:
            self.assertTrue(error.faults)

    def test_aliases_are_understood_in_files(self) -> None:
        """h2s, fe and mn are read under their keys."""
        read = read_job({"format": "cairn-job/1", "samples": [{"readings": {"h2s": "0.3 mg/L", "Fe": "2 mg/L", "mn": "0.1 mg/L"}}]})
        self.assertEqual(set(read.facts.samples[0].readings), {"hydrogen_sulfide", "iron", "manganese"})


class Documents(TestCase):
    def test_designs_fit_the_published_schema(self) -> None:
        """The job schema accepts our jobs, the design schema every kind of design."""
        for document in (job(), job(readings=HARD_ONLY), job(train=[{"kind": "uv"}]), {"format": "cairn-job/1", "train": []}):
            jsonschema.validate(document, job_schema())
            jsonschema.validate(design_document(worked(document)), design_schema())
        with self.assertRaises(jsonschema.ValidationError):
            jsonschema.validate(job({"suply": {}}), job_schema())

    def test_published_schemas_are_current(self) -> None:
        """docs/formats holds what the code would write today."""
        for name, schema in (("cairn-job-1", job_schema()), ("cairn-design-1", design_schema())):
            self.assertEqual(json.loads((ROOT / "docs" / "formats" / f"{name}.schema.json").read_text()), schema, "run scripts/write_generated.py")

    def test_every_assumption_is_listed(self) -> None:
        """What the job leaves out is assumed, and said."""
        paths = {
            note["path"]
            for note in design_document(worked({"format": "cairn-job/1", "samples": [{"readings": {"hardness": "15 gpg"}}]}))["assumptions"]
        }
        for path in (
            "$.building.people",
            "$.supply.flow",
            "$.supply.pressure_low",
            "$.design_water.ph",
            "$.design_water.alkalinity",
            "$.design_water.uvt",
            "$.supply.pipe",
        ):
            self.assertIn(path, paths)

    def test_uncertainty_stands_beside_the_design_value(self) -> None:
        """A strip reading of 120..250 designs on 250 and shows both ends; pH designs on its lower end."""
        document = design_document(worked(job(readings=HARD_ONLY | {"hardness": "120..250 mg/L", "ph": "7.2..7.6"})))
        self.assertEqual(document["design_water"]["hardness"]["design"], 250.0)
        self.assertEqual(document["design_water"]["ph"]["design"], 7.2)
        arriving = document["train"][0]["water_in"]["hardness"]
        self.assertAlmostEqual(arriving["low"], 120.0, places=3)
        self.assertAlmostEqual(arriving["high"], 250.0, places=3)


class CommandLine(TestCase):
    def run_cli(self, *arguments: str, text: str = "") -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "treatment.cli", *arguments], input=text, capture_output=True, text=True, cwd=ROOT, check=False, timeout=60
        )

    def test_a_job_becomes_a_design(self) -> None:
        """From standard input, exit 0, the same figures as the core gives."""
        done = self.run_cli("-", text=json.dumps(job()))
        self.assertEqual(done.returncode, 0, done.stderr)
        document = json.loads(done.stdout)
        self.assertEqual(document["format"], "cairn-design/1")
        self.assertEqual([stage["kind"] for stage in document["train"]], [stage["kind"] for stage in design_document(worked(job()))["train"]])

    def test_a_bad_job_is_one_line_a_fault(self) -> None:
        """Exit 2, the path at the head of each line, no traceback."""
        done = self.run_cli("-", text=json.dumps(job({"supply": {"flow": "7"}, "building": {"people": "many"}})))
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertEqual(sorted(line.split(":")[0] for line in done.stderr.splitlines()), ["$.building.people", "$.supply.flow"])
        missing = self.run_cli("no-such-file.json")
        self.assertEqual(missing.returncode, 2)
        self.assertNotIn("Traceback", missing.stderr)

    def test_a_batch_does_not_stop_at_the_first_fault(self) -> None:
        """One line a file, errors among them, exit 2."""
        with tempfile.TemporaryDirectory() as folder:
            for i in range(9):
                Path(folder, f"{i}.json").write_text(json.dumps(job()) if i != 4 else "{")
            done = self.run_cli("--many", folder)
        lines = [json.loads(line) for line in done.stdout.splitlines()]
        self.assertEqual(done.returncode, 2)
        self.assertEqual([line["file"] for line in lines], [f"{i}.json" for i in range(9)])
        self.assertEqual([i for i, line in enumerate(lines) if "errors" in line], [4])
        piped = self.run_cli("--many", text=json.dumps(job()) + "\n\n" + json.dumps(job()) + "\n")
        self.assertEqual((piped.returncode, len(piped.stdout.splitlines())), (0, 2))
