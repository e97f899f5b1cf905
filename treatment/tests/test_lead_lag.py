"""Carbon in two beds in line, a sample tap between them: proposed for PFAS, sized by both, drawn, bought and weighed as two."""

from __future__ import annotations

from unittest import TestCase

from ..drawing.wall.compose import compose
from ..papers.materials import materials
from .example import HARD_ONLY, job, worked

PFAS = HARD_ONLY | {"pfas": "40 ng/L"}


class LeadLag(TestCase):
    def test_it_is_proposed_for_pfas(self) -> None:
        """Two beds in line, 10 min of contact between them at design flow; for chlorine alone one bed."""
        found = worked(job(readings=PFAS)).proposal
        beds = [stage for stage in found.run.stages if stage.kind == "carbon"]
        if not beds:  # a membrane at the tap answers it more cheaply where the school says so
            self.assertIn("reverse_osmosis", [stage.kind for stage in found.run.stages])
        chlorine = worked(job({"source": {"kind": "town"}}, readings=HARD_ONLY | {"free_chlorine": "1 mg/L"})).proposal
        self.assertFalse(any(stage.sizing.params.get("lead_lag") for stage in chlorine.run.stages))

    def test_sized_by_both(self) -> None:
        """7 gpm, 26.5 L/min: 10 min are 265 L, half in each; the loss is that of both; media, vessels and heads are two."""
        one, two = (worked(job(readings=PFAS, train=[{"kind": "carbon", "medium": "granular"} | more])).chosen for more in ({}, {"lead_lag": True}))
        single, pair = one.run.stages[0], two.run.stages[0]
        flow = pair.duty.flow
        self.assertGreaterEqual(pair.figures["contact_time"].value, 9.8)
        self.assertAlmostEqual(pair.figures["media_volume"].value, pair.figures["contact_time"].value * flow, places=3)
        self.assertEqual(pair.bodies, 2 * pair.sizing.bed.vessels)  # type: ignore[union-attr]
        self.assertIn("single-bed/carbon", [finding.rule for finding in one.findings])
        self.assertNotIn("single-bed/carbon", [finding.rule for finding in two.findings])
        self.assertEqual(single.water_out.value("pfas") < single.water_in.value("pfas"), True)

    def test_drawn_in_line_with_a_tap_between(self) -> None:
        design = worked(job(readings=PFAS, train=[{"kind": "carbon", "medium": "granular", "tank": "14x65", "vessels": 1, "lead_lag": True}]))
        wall = compose(design, design.chosen)
        (unit,) = wall.units
        self.assertEqual((len(unit.ports), unit.series, unit.several), (2, True, False))
        self.assertEqual([fitting.name for fitting in wall.fittings if fitting.name.endswith("between the beds")], [f"{unit.name}, between the beds"])
        self.assertTrue({unit.ports[0][0], unit.ports[0][1], unit.ports[1][0], unit.ports[1][1]} <= set(wall.water_path))
        rows = {row.key: row.quantity for row in materials(design.chosen, wall)}
        self.assertEqual((rows["vessel"], rows["valve_head"]), (2, 2))
