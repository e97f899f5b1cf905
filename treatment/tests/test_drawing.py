"""The drawing is asked for its geometry, not its pixels."""

from __future__ import annotations

import re
from itertools import pairwise
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..drawing.shapes import Box, Label
from ..drawing.train.view import FLOOR, draw_train, marked_column
from .example import HARD_ONLY, job, worked
from .fuzz import fuzz

KINDS = ["sediment", "neutralizer", "oxidizing_filter", "softener", "uv"]


def drawing_of(kinds: list[str], system: str = "us"):  # noqa: ANN201
    design = worked(job(train=[{"kind": kind} for kind in kinds]))
    return design, draw_train(design, design.chosen, system)


class TrainDrawing(TestCase):
    def test_the_pressure_line_stays_in_its_row_where_a_pump_makes_the_pressure(self) -> None:
        """From a roof the line starts at nothing and rises at the pump: it still ends inside the picture."""
        train = [{"kind": "storage_tank"}, {"kind": "booster_pump"}, {"kind": "sediment"}]
        design = worked(job({"source": {"kind": "rain"}}, train=train))
        self.assertEqual(design.chosen.pressure.points[0].clean, 0)
        drawing = draw_train(design, design.chosen, "us")
        for line in (drawing.pressure.clean, drawing.pressure.dirty):
            heights = [float(y) for _, y in re.findall(r"(-?[\d.]+) (-?[\d.]+)", line.d)]
            self.assertGreaterEqual(min(heights), drawing.pressure.y)
            self.assertLessEqual(max(heights), drawing.height)

    def test_nine_stages_fit_a_screen(self) -> None:
        """960 units wide, as shown beside the side sheet at 1280 px; no name is wider than its column; ten run on beyond it."""
        for count, fits in ((9, True), (10, False)):
            _, drawing = drawing_of((KINDS * 2)[:count])
            self.assertEqual(drawing.size == "fits", fits)
            for column in drawing.columns:
                self.assertLessEqual(max(len(label.text) for label in column.names) * 5.7, column.width + 6)

    @given(st.lists(st.sampled_from(KINDS), min_size=0, max_size=12))
    @fuzz(25)
    def test_columns_stand_side_by_side_in_order(self, kinds: list[str]) -> None:
        """Any train: one column a stage, in order, none over another, everything inside the picture."""
        _, drawing = drawing_of(kinds)
        self.assertEqual([column.kind for column in drawing.columns], kinds)
        for left, right in pairwise(drawing.columns):
            self.assertAlmostEqual(left.x + left.width, right.x, places=6)
        for column in drawing.columns:
            for shape in column.shapes:
                if isinstance(shape, Box):
                    self.assertGreaterEqual(shape.x, column.x - 1)
                    self.assertLessEqual(shape.right, column.x + column.width + 1)
                    self.assertGreaterEqual(shape.y, 0)
                    self.assertLessEqual(shape.bottom, FLOOR + 1)
        self.assertLessEqual(drawing.end, drawing.width)

    @given(st.lists(st.sampled_from(KINDS), min_size=1, max_size=8))
    @fuzz(15)
    def test_the_pipe_runs_unbroken_from_source_to_house(self, kinds: list[str]) -> None:
        """One stretch before each stage and one to the house, each starting right of the last one's start."""
        _, drawing = drawing_of(kinds)
        self.assertEqual(len(drawing.pipes), len(kinds) + 1)
        starts = [float(re.match(r"M([\d.]+)", pipe.d).group(1)) for pipe in drawing.pipes]  # type: ignore[union-attr]
        self.assertEqual(starts, sorted(starts))

    def test_a_ribbon_swells_where_the_water_worsens_and_ends_where_it_is_cured(self) -> None:
        """Hardness is thicker after the neutralizer and thin after the softener; microbes end at the lamp."""
        design, drawing = drawing_of(["neutralizer", "oxidizing_filter", "softener", "sediment", "uv"])
        hardness = next(ribbon for ribbon in drawing.ribbons if ribbon.analyte == "hardness")
        self.assertEqual(
            [label.text for label in hardness.labels],
            [
                "14.0",
                f"{design.chosen.run.stages[0].water_out.hardness / 17.118061:.1f}",
                f"{design.chosen.run.stages[2].water_out.hardness / 17.118061:.2g}",
            ],
        )
        microbes = next(ribbon for ribbon in drawing.ribbons if ribbon.analyte == "total_coliform")
        self.assertEqual([label.text for label in microbes.labels], ["found", "none"])

    def test_an_exact_test_has_one_band_and_an_interval_two(self) -> None:
        """The spread is drawn only where the readings leave one."""
        exact = worked(job(readings=HARD_ONLY))
        spread = worked(job(readings=HARD_ONLY | {"hardness": "10..18 gpg"}))
        self.assertIsNone(next(r for r in draw_train(exact, exact.chosen, "us").ribbons if r.analyte == "hardness").likely)
        self.assertIsNotNone(next(r for r in draw_train(spread, spread.chosen, "us").ribbons if r.analyte == "hardness").likely)

    def test_people_see_their_own_units(self) -> None:
        """The same train in metric: mg/L and bar."""
        _, drawing = drawing_of(["softener"], "metric")
        self.assertEqual(drawing.ribbons[0].unit if drawing.ribbons[0].analyte == "hardness" else "mg/L CaCO₃", "mg/L CaCO₃")
        self.assertEqual(drawing.pressure.unit, "bar")

    def test_the_chosen_stage_is_marked_through_the_whole_drawing(self) -> None:
        """One box around its column; none for a stage that is not there."""
        _, drawing = drawing_of(["softener", "uv"])
        box = marked_column(drawing, "uv")
        assert box is not None
        self.assertGreater(box.height, 500)
        self.assertIsNone(marked_column(drawing, "carbon"))


class Plates(TestCase):
    def test_a_plate_lies_under_its_text(self) -> None:
        """Five letters of 6.8 and a rim of 2.5 on each side are 39 wide; the anchor tells from where."""
        for anchor, left in (("start", 97.5), ("middle", 80.5), ("end", 63.5)):
            plate = Label(100, 50, "0.056", "number", anchor).plate
            self.assertAlmostEqual(plate.width, 39)
            self.assertAlmostEqual(plate.x, left)
            self.assertTrue(plate.y < 50 < plate.y + plate.height)
