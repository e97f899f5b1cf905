"""Edits of a train as commands: what each makes of the stages, what it refuses, and what it leaves alone."""

from __future__ import annotations

import copy
from typing import Any
from unittest import TestCase

from ..drawing.wall.compose import compose
from ..editing.edit import LONGEST_VALUE, Edit, NotDone, Stages
from ..editing.train import Add, Exchange, Move, Remove, SetFeedLimit, SetKey, Shift
from ..editing.wall import Drop, Nudge, Release, Turn
from ..job_file import MOST_STAGES
from ..treatments import ROOMS
from .example import HARD_ONLY, job, worked

TRAIN: Stages = [
    {"kind": "neutralizer", "id": "neutralizer"},
    {"kind": "softener", "id": "softener", "salt_dose": "8 lb/ft3"},
    {"kind": "uv", "id": "uv"},
]


def ids(stages: Stages) -> list[str]:
    return [stage["id"] for stage in stages]


class Edits(TestCase):
    def refused(self, edit: Edit, stages: Stages = TRAIN) -> tuple[str, str]:
        """The words and the field of a no."""
        with self.assertRaises(NotDone) as caught:
            edit.done(stages)
        return str(caught.exception), caught.exception.field

    def test_an_edit_leaves_what_it_was_given(self) -> None:
        """Every command makes a copy: an undo finds what stood before."""
        before = copy.deepcopy(TRAIN)
        for edit in (
            Move("uv", 0), Shift("softener", -1), Add("softener", "carbon"), Exchange("uv", "barrier_filter"), Remove("softener"),
            SetKey("softener", "salt_dose", "", "us"), SetFeedLimit("softener", "iron", "high", "1 mg/L", "its maker"), Release(""),
        ):  # fmt: skip
            edit.done(TRAIN)
            self.assertEqual(TRAIN, before, edit)

    def test_order(self) -> None:
        """Beyond either end it stops at the end; where it stands already nothing is done."""
        self.assertEqual(ids(Move("uv", 0).done(TRAIN).stages), ["uv", "neutralizer", "softener"])
        self.assertEqual(ids(Move("neutralizer", 99).done(TRAIN).stages), ["softener", "uv", "neutralizer"])
        self.assertEqual(Shift("softener", 1).done(TRAIN).words, "moved softener later")
        self.assertEqual(self.refused(Shift("neutralizer", -1))[0], "It is already there.")
        self.assertEqual(self.refused(Move("gone", 0))[0], "This stage is no longer in the train.")

    def test_in_and_out(self) -> None:
        """A second one of a kind gets a name of its own; what stood behind a stage taken out is looked at then."""
        done = Add("softener", "softener").done(TRAIN)
        self.assertEqual((ids(done.stages), done.stage), (["neutralizer", "softener", "softener-2", "uv"], "softener-2"))
        self.assertEqual(ids(Add("", "carbon").done(TRAIN).stages)[-1], "carbon")
        self.assertEqual(self.refused(Add("", "cauldron")), ("Choose a treatment from the list.", "kind"))
        full = [{"kind": "carbon", "id": f"c{i}"} for i in range(MOST_STAGES)]
        self.assertEqual(self.refused(Add("", "carbon"), full)[1], "kind")
        self.assertEqual(Exchange("uv", "barrier_filter").done(TRAIN).stages[2], {"kind": "barrier_filter", "id": "barrier_filter"})
        self.assertEqual(Remove("uv").done(TRAIN).stage, "softener")
        self.assertEqual(Remove("only").done([{"kind": "uv", "id": "only"}]).stage, "")

    def test_a_size(self) -> None:
        """A bare number takes the unit of the system; empty leaves it to be sized; a word that is none is refused beside the field."""
        self.assertEqual(SetKey("softener", "salt_dose", "6", "us").done(TRAIN).stages[1]["salt_dose"], "6 lb/ft3")
        self.assertNotIn("salt_dose", SetKey("softener", "salt_dose", " ", "us").done(TRAIN).stages[1])
        self.assertEqual(SetKey("softener", "resin", "10", "us").done(TRAIN).stages[1]["resin"], 10)
        words, field = self.refused(SetKey("softener", "salt_dose", "much", "us"))
        self.assertTrue(words.endswith(".") and words[0].isupper(), words)
        self.assertEqual(field, "salt_dose")
        self.assertEqual(self.refused(SetKey("softener", "install", "x", "us"))[1], "install")
        self.assertEqual(self.refused(SetKey("softener", "reason", "x" * (LONGEST_VALUE + 1), "us"))[1], "reason")

    def test_a_feed_limit_of_ones_own(self) -> None:
        """It needs its unit and its reason; the other end stays; without both it is gone."""
        once = SetFeedLimit("softener", "iron", "high", "1 mg/L", "its maker says so").done(TRAIN).stages
        self.assertEqual(once[1]["feed_limits"], {"iron": {"high": "1 mg/L", "reason": "its maker says so"}})
        self.assertNotIn("feed_limits", SetFeedLimit("softener", "iron", "high", "", "").done(once).stages[1])
        self.assertEqual(self.refused(SetFeedLimit("softener", "iron", "high", "1 bucket", "why"))[1], "takes-iron-high")
        self.assertEqual(self.refused(SetFeedLimit("softener", "iron", "middle", "1 mg/L", "why"))[0], "This action is not known.")


class OnTheWall(TestCase):
    def setUp(self) -> None:
        design = worked(job(readings=HARD_ONLY | {"total_coliform": "present"}, train=copy.deepcopy(TRAIN)))
        self.wall = compose(design, design.chosen)

    def at(self, edit: Edit, id: str) -> Any:
        return next(stage for stage in edit.done(TRAIN).stages if stage["id"] == id)["install"]

    def test_a_unit_is_let_go_and_nudged(self) -> None:
        """A step is 50 mm; a place beyond any wall is none, nor is a unit that hangs there no more."""
        unit = next(each for each in self.wall.units if each.id == "softener")
        moved = self.at(Nudge("softener", self.wall, 1, 0), "softener")["at"]
        self.assertAlmostEqual(float(moved["x"].removesuffix(" mm")), unit.outline.x + 50, delta=50)
        self.assertIn("at", self.at(Drop("softener", self.wall, 900.0, None), "softener"))
        for edit in (Drop("softener", self.wall, 1e9, None), Drop("gone", self.wall, 900.0, None), Nudge("gone", self.wall, 1, 0)):
            self.assertRaises(NotDone, edit.done, TRAIN)

    def test_only_a_lamp_lies_down(self) -> None:
        lamp = next(each for each in self.wall.units if each.id == "uv")
        self.assertEqual(self.at(Turn("uv", self.wall), "uv")["orientation"], "vertical" if lamp.lies else "horizontal")
        self.assertRaises(NotDone, Turn("softener", self.wall).done, TRAIN)

    def test_released_it_is_placed_again(self) -> None:
        placed = Nudge("softener", self.wall, 1, 0).done(TRAIN).stages
        self.assertEqual(Release("softener").done(placed).stages, TRAIN)
        self.assertEqual(Release("").done(placed).stages, TRAIN)


class Apart(TestCase):
    """Whether an edit can go on top of what somebody else changed meanwhile."""

    def test_what_each_command_needs_to_stand(self) -> None:
        dose = SetKey("softener", "salt_dose", "6", "us")
        others = dose.done(TRAIN).stages
        longer, shorter = Add("uv", "carbon").done(TRAIN).stages, Remove("uv").done(TRAIN).stages
        free = [
            (SetKey("softener", "twin", "true", "us"), others), (SetFeedLimit("softener", "iron", "high", "1 mg/L", "why"), others),
            (Move("uv", 0), others), (Add("", "carbon"), others), (dose, longer), (Remove("neutralizer"), longer), (Release("softener"), others),
        ]  # fmt: skip
        held = [
            (dose, others), (Remove("softener"), others), (Exchange("softener", "carbon"), others), (Move("softener", 0), longer),
            (Add("", "carbon"), shorter), (SetKey("uv", "ports", "lit", "us"), shorter), (Release(""), others),
        ]  # fmt: skip
        for edit, now in free:
            self.assertTrue(edit.apart(TRAIN, now), edit)
        for edit, now in held:
            self.assertFalse(edit.apart(TRAIN, now), edit)

    def test_every_kind_can_be_added(self) -> None:
        for kind in ROOMS:
            self.assertEqual(Add("", kind).done(TRAIN).stage, kind if kind not in ids(TRAIN) else f"{kind}-2")
