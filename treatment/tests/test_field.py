"""The field of choices: real trains, sound ones, the unbeaten, the same figures when a point is put into the job."""

from __future__ import annotations

import copy
import io
import json
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from functools import cache
from pathlib import Path
from typing import Any
from unittest import TestCase

import jsonschema

from ..choices.__main__ import main
from ..choices.field import AXES, Field, choices_schema, field_of
from ..papers.design_file import design_document
from .example import HARD_ONLY, job, worked
from .golden import frozen


@cache
def hard() -> Field:
    """The field of hard water with a softener."""
    return field_of(worked(job(readings=HARD_ONLY)))


class FieldOfChoices(TestCase):
    def test_the_document_keeps_its_schema(self) -> None:
        """And names its axes; every train is another."""
        found = json.loads(json.dumps(hard().as_json()))
        jsonschema.validate(found, choices_schema())
        trains = [json.dumps(point["train"], sort_keys=True) for point in found["points"]]
        self.assertEqual(len(trains), len(set(trains)))
        self.assertGreater(len(trains), 20)
        self.assertEqual(found["axes"], ["first", "total", "salt", "drain_water", "wall", "upkeep_hours"])

    def test_nothing_that_is_unbeaten_is_beaten(self) -> None:
        """By hand over all pairs: as good everywhere and better somewhere takes the mark away, and nothing else does."""
        points = hard().points
        for point in points:
            beaten = any(
                all(b <= a for a, b in zip(point.axes, other.axes, strict=True)) and any(b < a for a, b in zip(point.axes, other.axes, strict=True))
                for other in points
            )
            self.assertEqual(point.id in hard().unbeaten, not beaten)

    def test_a_point_put_into_the_job_gives_the_same_figures(self) -> None:
        """Its train as printed, read as the train of the same job: the six figures, pressure left, and what was found."""
        found = hard().as_json()["points"]
        for point in found[:: max(len(found) // 6, 1)]:
            document = design_document(worked(job(readings=HARD_ONLY, train=copy.deepcopy(point["train"]))))
            self.assertEqual({name: document["choice"][name] for name in AXES}, {name: point[name] for name in AXES})
            self.assertEqual(document["hydraulics"]["residual_dirty"]["value"], point["residual_dirty"]["value"])
            counts = {severity: sum(each["severity"] == severity for each in document["findings"]) for severity in ("danger", "fault", "caution")}
            self.assertEqual(counts, {"danger": point["dangers"], "fault": point["faults"], "caution": point["cautions"]})

    def test_more_salt_and_less_resin_are_both_there(self) -> None:
        """The trade-off that practitioners argue about: points of less first cost and more salt, and the other way round."""
        points = [point for point in hard().points if point.choice.salt > 0]
        cheap, thrifty = min(points, key=lambda point: point.choice.first), min(points, key=lambda point: point.choice.salt)
        self.assertLess(cheap.choice.first, thrifty.choice.first)
        self.assertLess(thrifty.choice.salt, cheap.choice.salt)

    def test_the_proposal_and_a_given_train_are_points(self) -> None:
        """Whatever is wrong with the given one."""
        given: list[dict[str, Any]] = [{"kind": "softener", "id": "old", "volume": "10 L"}]
        found = field_of(worked(job(readings=HARD_ONLY, train=given)))
        self.assertTrue(found.given and found.proposal)
        self.assertIn(found.given, [point.id for point in found.points])
        self.assertIn(found.proposal, [point.id for point in found.points])

    def test_dangers_and_faults_of_their_own_are_left_out(self) -> None:
        """What is on every point is no reason; a sound job has no point with a fault that another lacks."""
        points = [point for point in hard().points if point.id not in (hard().proposal,)]
        common = frozenset.intersection(*(point.faults for point in points))
        self.assertTrue(all(point.faults <= common for point in points))

    def test_the_limit_keeps_the_proposal_and_the_unbeaten(self) -> None:
        """Then by total; what is left out is counted, and the mark is that of the whole field."""
        whole, few = hard(), field_of(worked(job(readings=HARD_ONLY)), 5)
        self.assertEqual(few.left_out, len(whole.points) - 5)
        self.assertEqual(few.points[0].id, few.proposal)
        self.assertEqual(few.unbeaten, whole.unbeaten)

    def test_the_same_job_gives_the_same_field(self) -> None:
        """To the byte."""
        self.assertEqual(json.dumps(hard().as_json()), json.dumps(field_of(worked(job(readings=HARD_ONLY))).as_json()))

    def test_varied_jobs_have_a_field(self) -> None:
        """Given and composed trains of every kind: nothing breaks."""
        for row in frozen()[::17]:
            found = field_of(worked(row["job"]), 40)
            self.assertTrue(found.points, row["name"])
            jsonschema.validate(json.loads(json.dumps(found.as_json())), choices_schema())

    def test_the_command(self) -> None:
        """Prints the field; refuses a job it cannot read and a limit that is none."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "job.json"
            path.write_text(json.dumps(job(readings=HARD_ONLY) | {"as_of": "2026-11-24"}))
            out = io.StringIO()
            with redirect_stdout(out):
                self.assertEqual(main([str(path), "--limit", "3"]), 0)
            self.assertEqual(len(json.loads(out.getvalue())["points"]), 3)
            with redirect_stderr(io.StringIO()):
                self.assertEqual(main([str(Path(folder) / "none.json")]), 2)
                with self.assertRaises(SystemExit):
                    main([str(path), "--limit", "0"])
