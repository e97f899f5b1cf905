"""The train told from top to bottom says what the drawing shows."""

from __future__ import annotations

from unittest import TestCase

from ..drawing.train.told import CHANGED, told
from ..drawing.train.view import draw_train
from .example import job, worked


class Told(TestCase):
    def test_every_stage_with_what_it_changes_and_what_pressure_is_left(self) -> None:
        """In the order of the train; what is told as changed is changed; the ends are those of the run."""
        design = worked(job())
        variant = design.chosen
        drawing = draw_train(design, variant, "us")
        train = told(design, variant, drawing, "us")
        self.assertEqual([each.column.id for each in train.stages], [stage.id for stage in variant.run.stages])
        for each, stage in zip(train.stages, variant.run.stages, strict=True):
            for change in each.changes:
                self.assertEqual((change.before, change.after), (stage.water_in.value(change.analyte), stage.water_out.value(change.analyte)))
                self.assertGreater(abs(change.after - change.before), CHANGED * max(abs(change.before), CHANGED) * 0.999)
        points = variant.pressure.points
        self.assertEqual([(each.clean, each.dirty) for each in train.stages], [(point.clean, point.dirty) for point in points[2:-1]])
        self.assertEqual((train.start, train.left_dirty), (points[0].clean, variant.pressure.residual_dirty.value))
        self.assertEqual([name for name, _ in train.source], [ribbon.analyte for ribbon in drawing.ribbons])
