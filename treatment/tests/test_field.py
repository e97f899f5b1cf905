"""The field of choices: real trains, sound ones, the unbeaten, the same figures when a point is put into the job."""

from __future__ import annotations

import copy
import io
import itertools
import json
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from decimal import Decimal
from functools import cache
from pathlib import Path
from typing import Any
from unittest import TestCase

import jsonschema

from ..choices.__main__ import main
from ..choices.field import AXES, Field, Point, choices_schema, field_of
from ..choices.picture import front, plot, shown
from ..choices.told import told
from ..papers.costs import ChosenBy
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


def point(id: str, first: int, salt: float) -> Point:
    """A point with two figures of its own."""
    return Point(id, (), (), ChosenBy(Decimal(first), Decimal(9000), salt, 0.0, 2.0, 5.0), 200.0, frozenset(), frozenset(), 0)


class PictureOfTheField(TestCase):
    def test_places_by_hand(self) -> None:
        """1000 and 3000 across, 100 and 300 kg up: air of 6 % at each end, so 880 to 3120 over 660 px from 76, and 88 to 312 over 306 px up from 324.

        The first is at 76 + 120 ÷ 2240 × 660 = 111.4 and 324 − 12 ÷ 224 × 306 = 307.6.
        """
        points = (point("1", 1000, 300.0), point("2", 3000, 100.0), point("3", 3000, 300.0))
        found = plot(Field(points, frozenset({"1", "2"}), 0, "1", ""), "first", "salt", "metric", [("option A", points[0].choice)], "2")
        dots = {dot.id: dot for dot in found.dots}
        self.assertEqual((dots["1"].x, dots["2"].y), (111.4, 307.6))
        self.assertEqual(dots["2"].x - dots["1"].x, 589.2)  # 2000 ÷ 2240 × 660 = 589.3, of places rounded to a tenth
        self.assertEqual([words for _, words in found.across.ticks], ["1,000", "1,500", "2,000", "2,500", "3,000"])
        self.assertEqual([(flag.label, flag.x) for flag in found.flags], [("Proposal, option A", 111.4)])
        self.assertEqual(len(found.line.split()), 2)
        self.assertEqual(found.chosen, dots["2"])

    def test_ticks_are_round_in_the_unit_that_is_shown(self) -> None:
        """100 to 300 kg are 220 to 661 lb: a tick each hundred pounds."""
        points = (point("1", 1000, 100.0), point("2", 1000, 300.0))
        found = plot(Field(points, frozenset(), 0, "1", ""), "salt", "first", "us")
        self.assertEqual([words for _, words in found.across.ticks], ["200", "300", "400", "500", "600"])

    def test_one_value_for_all_is_drawn(self) -> None:
        """Nothing used at all, and everything at one place: no division by nothing."""
        points = (point("1", 1000, 0.0), point("2", 1000, 0.0))
        found = plot(Field(points, frozenset(), 0, "1", ""), "salt", "salt", "us")
        self.assertEqual(len({(dot.x, dot.y) for dot in found.dots}), 1)

    def test_the_line_joins_what_nothing_beats_on_two_axes(self) -> None:
        """Each further one costs more and takes less salt; of the whole field none is cheaper and thriftier than one of them."""
        found = front(hard().points, "first", "salt")
        for one, other in itertools.pairwise(found):
            self.assertLess(one.choice.first, other.choice.first)
            self.assertGreater(one.choice.salt, other.choice.salt)
        for each in hard().points:
            self.assertTrue(any(best.choice.first <= each.choice.first and best.choice.salt <= each.choice.salt for best in found))

    def test_a_train_is_told_by_what_sets_it_apart(self) -> None:
        """Nothing of the proposal itself; sizes and doses in the job's units; other units by name."""
        base = next(each for each in hard().points if each.id == hard().proposal)
        self.assertEqual(told(base, base, "us"), "")
        words = {told(each, base, "us") for each in hard().points}
        self.assertEqual(len(words), len(hard().points))
        self.assertTrue(any(each.startswith("Softener ") and each.endswith(" lb/ft³") for each in words), words)
        self.assertTrue(any(" g/L" in told(each, base, "metric") for each in hard().points))
        twice = field_of(
            worked(
                job(readings=HARD_ONLY, train=[{"kind": "sediment", "micron": "5 um"}, {"kind": "sediment", "micron": "5 um"}, {"kind": "softener"}])
            )
        )
        given = next(each for each in twice.points if each.id == twice.given)
        words = [told(each, given, "us") for each in twice.points]
        self.assertEqual(len(set(words)), len(words))
        self.assertTrue(any("the second sediment filter 5" in each for each in words), words)
        self.assertEqual(shown(point("1", 1234, 10.0).choice, "first", "us"), "1,234")
