"""The wall is asked for its geometry: nothing overlaps, everything is joined in order, every measure is the drawn one."""

from __future__ import annotations

from itertools import combinations, pairwise
from math import ceil
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..commissioning.sheet import sheet
from ..drawing.shapes import Box
from ..drawing.wall.compose import compose
from ..drawing.wall.legend import WORDS, legend
from ..drawing.wall.view import view
from ..job.prices import price_keys
from ..papers.design_file import design_document
from ..papers.materials import materials
from ..train.weights import loads
from ..treatments import ROOMS
from ..wall.parts import PipeOnWall, Wall
from ..wall.placing import drawn_to, snapped
from .example import ids, job, worked
from .fuzz import fuzz

SITE = {"wall_width": "16 ft", "ceiling": "8 ft", "wall_depth": "36 in"}
MAIN = (
    "neutralizer",
    "oxidizing_filter",
    "softener",
    "sediment",
    "uv",
    "carbon",
    "booster_pump",
    "chemical_feed",
    "retention_tank",
    "barrier_filter",
)


def wall_of(
    train: list[dict[str, Any]] | None = None, site: dict[str, Any] | None = None, states: dict[str, str] | None = None, **readings: str
) -> Wall:
    document = job({"site": SITE | (site or {})}, readings=dict(readings), train=train)
    design = worked(document)
    return compose(design, design.chosen, states)


def ends(run: PipeOnWall) -> set[tuple[float, float]]:
    return {(round(x, 3), round(z, 3)) for x, z in (run.points[0], run.points[-1])}


class TheWayOfTheWater(TestCase):
    def test_it_runs_through_every_unit_round_a_bypass_and_ends_at_a_shut_one(self) -> None:
        """From the source at the left to the house at the right; ports lie on the way only where water runs."""
        train = [{"kind": "neutralizer"}, {"kind": "softener"}, {"kind": "uv"}]
        wall = wall_of(train)
        ports = {unit.id: unit.ports[0] for unit in wall.units}
        self.assertEqual((wall.water_path[0], wall.water_path[-1]), ((0.0, wall.header), (wall.width, wall.header)))
        for inlet, outlet in ports.values():
            self.assertIn(inlet, wall.water_path)
            self.assertIn(outlet, wall.water_path)
        for a, b in pairwise(wall.water_path):
            self.assertTrue(abs(a[0] - b[0]) < 1e-6 or abs(a[1] - b[1]) < 1e-6, f"{a} to {b} is not square")
        round_it = wall_of(train, states={"softener": "bypass"})
        self.assertEqual([port in round_it.water_path for port in ports["softener"]], [False, False])
        self.assertEqual(round_it.water_path[-1], (wall.width, wall.header))
        shut = wall_of(train, states={"softener": "shut"})
        self.assertLess(shut.water_path[-1][0], ports["softener"][0][0])


class Placing(TestCase):
    @given(st.lists(st.sampled_from(sorted(ROOMS)), min_size=0, max_size=10))
    @fuzz(40)
    def test_nothing_overlaps_in_a_layout_of_ours(self, kinds: list[str]) -> None:
        """Whatever the train, no two solid parts share room, and every unit has its place in the order of the water."""
        wall = wall_of([{"kind": kind} for kind in kinds])
        parts = [(unit.id, rect) for unit in wall.units for _, rect in unit.parts]
        for (one, a), (other, b) in combinations(parts, 2):
            if one != other:
                self.assertFalse(a.overlaps(b), f"{one} and {other}")
        xs = [unit.outline.x for unit in wall.units]
        self.assertEqual(xs, sorted(xs))
        self.assertFalse([finding for finding in wall.findings if "same place" in finding.message])

    @given(st.lists(st.sampled_from(MAIN), min_size=1, max_size=8))
    @fuzz(30)
    def test_pipe_runs_from_source_to_house_through_every_unit_in_order(self, kinds: list[str]) -> None:
        """Each piece of the way begins where the one before ended: header, leg in, unit, leg out, header; square all along."""
        wall = wall_of([{"kind": kind} for kind in kinds])
        here = (0.0, round(wall.header, 3))
        for unit in wall.units:
            own = [run for run in wall.runs if run.unit == unit.id]
            main = next(run for run in own if run.role == "main")
            self.assertIn(here, ends(main))
            here = (round(main.points[-1][0], 3), round(main.points[-1][1], 3))
            joints = [end for run in own if run.role in ("leg", "metal") for end in ends(run)]
            self.assertIn(here, joints)
            self.assertIn((round(unit.inlet[0], 3), round(unit.inlet[1], 3)), joints)
            self.assertIn((round(unit.outlet[0], 3), round(unit.outlet[1], 3)), joints)
            here = (round(max(x for x, z in joints if abs(z - wall.header) < 0.01), 3), here[1])
        self.assertIn(here, ends([run for run in wall.runs if run.role == "main"][-1]))
        for run in wall.runs:
            for (x1, z1), (x2, z2) in pairwise(run.points):
                self.assertTrue(abs(x1 - x2) < 1e-6 or abs(z1 - z2) < 1e-6, run)

    def test_it_keeps_clear_of_what_is_there(self) -> None:
        """A panel in the middle: units step over its room, the pipe that must pass it is a fault; a unit put before it is a danger."""
        site = {"wall_width": "24 ft", "places": {"electrical_panel": {"x": "6 ft"}}}
        wall = wall_of(site=site)
        keep = wall.obstacles[0].keep
        self.assertFalse(any(rect.overlaps(keep) for unit in wall.units for _, rect in unit.parts))
        self.assertEqual({finding.severity for finding in wall.findings if finding.rule == "blocks/electrical_panel"}, {"fault"})
        moved = wall_of([{"kind": "softener", "install": {"at": {"x": "6 ft"}}}], site=site)
        self.assertEqual(next(finding.severity for finding in moved.findings if finding.rule == "blocks/electrical_panel"), "danger")

    def test_what_does_not_fit_is_drawn_and_said(self) -> None:
        """A narrow wall, a low ceiling, two units in one place: the drawing comes, with findings."""
        narrow = wall_of(site={"wall_width": "4 ft", "ceiling": "4 ft", "wall_depth": "6 in"})
        self.assertGreaterEqual(len(narrow.units), 5)
        self.assertIn("does-not-fit", ids(list(narrow.findings)))
        self.assertTrue(any(finding.rule.startswith("clearance/") for finding in narrow.findings))
        at = {"install": {"at": {"x": "2 ft"}}}
        crowd = wall_of([{"kind": "softener"} | at, {"kind": "carbon"} | at])
        self.assertTrue(any("same place" in finding.message for finding in crowd.findings))

    def test_a_lamp_can_be_pulled_or_it_is_said(self) -> None:
        """Under 8 ft the lamp hangs low enough to come out upward; under 5 ft it cannot: it lies, and where it must stand, that is said."""
        self.assertNotIn("uv-clearance", ids(list(wall_of().findings)))
        self.assertNotIn("uv-clearance", ids(list(wall_of(site={"ceiling": "5 ft"}).findings)))
        upright = [{"kind": "uv", "install": {"orientation": "vertical"}}]
        self.assertIn("uv-clearance", ids(list(wall_of(upright, site={"ceiling": "5 ft"}).findings)))

    def test_moves_keep_to_the_grid(self) -> None:
        """1234.6 mm is 1230."""
        self.assertEqual(snapped(1234.6), 1230)

    def test_a_unit_let_go_lines_up_with_what_is_near(self) -> None:
        """290 mm is the usual space in 1 in pipe (70 between, 110 for each leg): 20 mm off that it comes to stand there; far from all it keeps to the grid."""
        wall = wall_of([{"kind": "softener", "install": {"at": {"x": "500 mm"}}}, {"kind": "uv"}])
        softener, lamp = wall.units
        self.assertEqual(softener.leg, 110)
        beside = softener.outline.right + 290
        self.assertEqual(drawn_to(wall, lamp, beside + 20, None), (beside, None))
        self.assertEqual(drawn_to(wall, lamp, beside + 1234.6, None)[0], snapped(beside + 1234.6))
        self.assertEqual(drawn_to(wall, lamp, -300, None)[0], 0.0)
        tops = softener.outline.top - lamp.outline.height
        self.assertEqual(drawn_to(wall, lamp, 3000, tops + 25)[1], tops)
        self.assertEqual(drawn_to(wall, lamp, 3000, 30)[1], 0.0)

    def test_a_unit_let_go_by_the_panel_stands_clear_of_it(self) -> None:
        """Near the edge of the space kept free, and its pipe beside it: no finding about the panel."""
        site = {"places": {"electrical_panel": {"x": "3 m", "width": "500 mm", "foot": "1 m", "height": "700 mm"}}}
        wall = wall_of([{"kind": "carbon", "install": {"at": {"x": "300 mm"}}}], site)
        panel, unit = wall.obstacles[0], wall.units[0]
        self.assertEqual([round(side) for side in (panel.rect.x, panel.rect.width, panel.rect.z, panel.rect.height)], [3000, 500, 1000, 700])
        x, _ = drawn_to(wall, unit, panel.keep.x - unit.outline.width - 60, None)
        self.assertLess(x + unit.outline.width, panel.keep.x)
        moved = wall_of([{"kind": "carbon", "install": {"at": {"x": f"{x} mm"}}}], site)
        self.assertNotIn("blocks/electrical_panel", ids([each for each in moved.findings if "stands in the room" in each.message]))

    def test_a_finding_on_the_wall_is_accepted_with_a_reason_a_danger_is_not(self) -> None:
        """Accepted it bears the reason and is counted no more; what stands before the panel stays a danger."""
        site = {"wall_width": "3 ft", "places": {"electrical_panel": {"x": "2 ft"}}}
        train = [{"kind": "softener", "install": {"at": {"x": "2 ft"}}}]
        plain = wall_of(train, site)
        waivers = [{"rule": finding.rule, "stage": finding.stage, "reason": "the side wall is free"} for finding in plain.findings]
        document = job({"site": SITE | site, "waivers": waivers}, train=train)
        design = worked(document)
        wall = compose(design, design.chosen)
        self.assertEqual({finding.waived for finding in wall.findings if finding.severity != "danger"}, {"the side wall is free"})
        self.assertGreater(plain.tally["fault"], 0)
        self.assertEqual((wall.tally["fault"], wall.tally["danger"]), (0, plain.tally["danger"]))
        self.assertGreater(wall.tally["danger"], 0)

    def test_where_a_wall_too_short_ends_is_drawn(self) -> None:
        """A line at 6 ft where the units reach beyond; none where they all fit, or where nobody measured."""
        short = wall_of(site={"wall_width": "6 ft"})
        self.assertAlmostEqual(short.end or 0, 6 * 304.8, places=3)
        document = job({"site": SITE | {"wall_width": "6 ft"}})
        design = worked(document)
        shapes = view(compose(design, design.chosen), design.chosen, "us")
        self.assertIn("end of the wall", [label.text for label in shapes.plan_labels])
        self.assertIsNone(wall_of().end)
        self.assertIsNone(wall_of(site={"wall_width": None}).end)

    def test_the_tally_counts_what_was_found(self) -> None:
        """As many of each severity as there are findings."""
        wall = wall_of(site={"wall_width": "3 ft", "ceiling": "4 ft"})
        self.assertEqual(sum(wall.tally.values()), len(wall.findings))
        self.assertGreater(wall.tally["fault"], 0)

    def test_absurd_walls_get_an_answer(self) -> None:
        """No wall, thirty stages, a ceiling at the floor, an empty train."""
        for site, train in [({"wall_width": "0 m"}, None), ({"ceiling": "0 m"}, None), ({}, [{"kind": "softener"}] * 30), ({}, [])]:
            wall = wall_of(train, site)
            self.assertGreater(wall.width, 0)
            self.assertGreaterEqual(len(wall.runs), 1)


class Framed(TestCase):
    def test_near_the_left_end_the_measure_of_height_is_seen_whole(self) -> None:
        """The frame round the first unit begins where the drawing does; that of a unit farther on stands round its unit."""
        document = job({"site": SITE}, train=[{"kind": "sediment"}, {"kind": "softener"}, {"kind": "carbon"}, {"kind": "uv"}])
        design = worked(document)
        wall = compose(design, design.chosen)
        whole = view(wall, design.chosen, "us")
        first, last = (whole.elevation(wall, unit) for unit in ("sediment", "uv"))
        self.assertEqual(first.left, whole.left)
        unit = next(each for each in wall.units if each.id == "uv")
        self.assertGreater(last.left, 0)
        self.assertAlmostEqual(last.left + last.width / 2, unit.outline.x + unit.outline.width / 2)


class Pipework(TestCase):
    def test_three_valves_and_two_tees_at_each_bypassed_unit(self) -> None:
        """Four of five units here have a bypass: 4 × 3 valves, 4 × 2 tees, eight sample taps; two unions at each of five.

        Two of them stand as two vessels each: a valve before and behind every vessel, 4 × 2 more; two tees more in each manifold;
        unions at four vessels in place of two. The lamp, which nothing goes round, has a valve before and behind it;
        the whole a main shut-off, and a tee with its valve for raw water to the outdoor taps.
        """
        wall = wall_of()
        self.assertEqual([unit.bypassed for unit in wall.units], [True, True, True, True, False])
        self.assertEqual(
            (wall.count("valve"), wall.count("tee"), wall.count("sample_tap"), wall.count("union")), (12 + 8 + 2 + 2, 8 + 4 + 1, 8, 10 + 4)
        )

    def test_states_are_shown_by_the_handles(self) -> None:
        """In service the bypass is shut; bypassed, it alone is open; shut, none is."""
        for state, wanted in (("service", [True, True, False]), ("bypass", [False, False, True]), ("shut", [False, False, False])):
            wall = wall_of(states={"softener": state})
            found = [
                fitting.open
                for part in ("inlet", "outlet", "bypass")
                for fitting in wall.fittings
                if fitting.unit == "softener" and fitting.part == part
            ]
            self.assertEqual(found, wanted)
        self.assertEqual(wall_of(states={"softener": "ajar"}).states, {})

    def test_metal_at_a_lit_lamp(self) -> None:
        """300 mm from each port, 600 in all; none where the ports are shielded."""
        self.assertAlmostEqual(wall_of().pipe_length("metal"), 0.6)
        self.assertEqual(wall_of([{"kind": "uv", "ports": "shielded"}]).pipe_length("metal"), 0)

    def test_a_drain_with_an_air_gap_for_what_washes_itself(self) -> None:
        """Neutralizer and iron filter of two vessels each, and the softener: a line and a gap for each of five valve heads."""
        wall = wall_of()
        self.assertEqual([unit.drains for unit in wall.units], [2, 2, 1, 0, 0])
        self.assertEqual(len([run for run in wall.runs if run.role == "drain"]), 5)
        self.assertEqual(wall.count("air_gap"), 5)

    def test_the_pipe_bought_is_the_pipe_drawn(self) -> None:
        """Length of every run, counted corner by corner, a tenth more for offcuts."""
        design = worked(job({"site": SITE}))
        wall = compose(design, design.chosen)
        drawn = 0.0
        for run in wall.runs:
            if run.role in ("main", "leg", "bypass", "tap", "raw"):
                drawn += sum(abs(a[0] - b[0]) + abs(a[1] - b[1]) for a, b in pairwise(run.points))
        pipe = next(row for row in materials(design.chosen, wall) if row.key == "pipe")
        self.assertAlmostEqual(pipe.quantity, drawn / 1000 * 1.1, places=2)


class Lists(TestCase):
    def setUp(self) -> None:
        self.design = worked(job({"site": SITE}))
        self.wall = compose(self.design, self.design.chosen)

    def test_media_by_bags(self) -> None:
        """The softener's resin: volume x 0.833 kg/L, in bags of 28.3 L rounded up."""
        bed = next(stage.sizing.bed for stage in self.design.chosen.run.stages if stage.kind == "softener")
        row = next(row for row in materials(self.design.chosen, self.wall) if row.key == "softening_resin")
        self.assertAlmostEqual(row.quantity, bed.total_volume * 52 * 0.016018463, places=1)
        self.assertTrue(row.note.startswith(f"{ceil(bed.total_volume / 28.3168 - 1e-3)} bag"))

    def test_bags_of_the_jobs_own(self) -> None:
        """Salt in bags of 40 lb in US units, 25 kg in metric ones; where the job names 20 kg and 25 L, those. Of small bags there are more to carry: 10 min each."""

        def notes(document: dict[str, Any]) -> tuple[str, str, float]:
            design = worked(document)
            rows = {row.key: row for row in materials(design.chosen, compose(design, design.chosen))}
            return rows["salt"].note, rows["softening_resin"].note, rows["salt"].quantity

        own = {
            "packing.salt_bag": {"value": 20, "unit": "kg", "reason": "depot"},
            "packing.media_bag": {"value": 25, "unit": "L", "reason": "depot"},
        }
        us, metric = job({"site": SITE}), job({"site": SITE, "job": {"units": "metric"}})
        salt, _, mass = notes(us)
        self.assertEqual(salt, f"{ceil(mass / 18.1437)} bags of 40 lb")
        self.assertEqual(notes(metric)[0], f"{ceil(mass / 25)} bags of 25 kg")
        salt, media, mass = notes(metric | {"working_values": own})
        litres = next(stage.sizing.bed.total_volume for stage in worked(metric).chosen.run.stages if stage.kind == "softener")
        self.assertEqual((salt, media), (f"{ceil(mass / 20)} bags of 20 kg", f"{ceil(litres / 25 - 1e-3)} bags of 25 L"))
        own["packing.media_bag"] = own["packing.media_bag"] | {"value": 10}
        usual, small = (
            {step.id: step.row.hands_on for step in sheet(worked(each).chosen).steps} for each in (metric, metric | {"working_values": own})
        )
        more = ceil(litres / 10 - 1e-3) - ceil(litres / 28.3168 - 1e-3)
        self.assertAlmostEqual(small["softener/load"] - usual["softener/load"], 10 * more)

    def test_own_prices_count_in_place_of_samples(self) -> None:
        """A valve at 20 instead of 14: the twenty-four that are drawn cost 480."""
        row = next(row for row in materials(self.design.chosen, self.wall, {"valve": 20.0}) if row.key == "valve")
        self.assertEqual((row.quantity, row.total), (24, 480))
        self.assertEqual(price_keys()["valve"][3], 14)

    def test_every_kind_is_on_the_list(self) -> None:
        """Whatever stands on the wall is bought."""
        for kind in ROOMS:
            design = worked(job({"site": SITE}, train=[{"kind": kind}]))
            rows = materials(design.chosen, compose(design, design.chosen))
            self.assertTrue(any(row.group == "equipment" for row in rows), kind)


class Shapes(TestCase):
    def test_the_picture_holds_everything_and_names_it(self) -> None:
        """Every unit has shapes inside the frame, its name and a box to take hold of; each valve a body and a handle."""
        design = worked(job({"site": SITE | {"places": {"meter": {"x": "1 ft"}}}}))
        wall = compose(design, design.chosen)
        picture = view(wall, design.chosen, "us")
        self.assertEqual(len(picture.units), 5)
        for unit in picture.units:
            self.assertTrue(unit.shapes and unit.labels and unit.hit.width > 0)
            for shape in unit.shapes:
                if isinstance(shape, Box):
                    self.assertGreaterEqual(shape.x, picture.left)
                    self.assertLessEqual(shape.right, picture.left + picture.width)
        self.assertEqual(len(picture.valves), 2 * wall.count("valve"))
        self.assertEqual(len(picture.obstacles), 1)

    def test_names_lie_on_nothing_that_is_kept_free(self) -> None:
        """Under the floor line, none on a zone and none on another, whatever stands side by side."""
        for train in (
            [{"kind": "sediment"}] * 4 + [{"kind": "uv"}],
            [{"kind": "neutralizer"}, {"kind": "sediment"}, {"kind": "uv"}, {"kind": "softener"}],
        ):
            design = worked(job({"site": SITE}, train=train))
            picture = view(compose(design, design.chosen), design.chosen, "metric")
            taken: list[tuple[float, float, float]] = []
            for unit in picture.units:
                for label in unit.labels:
                    self.assertGreater(label.y, picture.floor)
                    half = len(label.text) * 20 / 2
                    for left, right, y in taken:
                        self.assertFalse(abs(label.y - y) < 40 and label.x - half < right and label.x + half > left, label.text)
                    taken.append((label.x - half, label.x + half, label.y))

    def test_a_feeder_doses_into_a_pipe_that_runs_on(self) -> None:
        """The line passes above the solution tank without a gap."""
        wall = wall_of([{"kind": "chemical_feed", "chemical": "soda_ash"}])
        unit = wall.units[0]
        self.assertIn((unit.inlet, unit.outlet), [(run.points[0], run.points[-1]) for run in wall.runs])


class Panel(TestCase):
    def test_no_pipe_passes_a_panel_that_can_be_kept_clear(self) -> None:
        """With the panel to the right of the units the house pipe goes up before it, and the drains end before it."""
        train = [{"kind": "neutralizer"}, {"kind": "softener"}]
        wall = wall_of(train, {"wall_width": "20 ft", "places": {"electrical_panel": {"x": "17 ft"}}})
        keep = wall.obstacles[0].keep
        self.assertLess(max(x for run in wall.runs for x, _ in run.points), keep.x)
        self.assertEqual(wall.water_path[-1], (wall.leaves, wall.height))
        self.assertFalse([finding for finding in wall.findings if finding.rule.startswith("blocks/")])

    def test_a_pipe_above_a_panel_between_the_units_is_a_fault(self) -> None:
        """The panel at 5 ft, units on both sides of it: the header passes it, and that is said."""
        wall = wall_of(
            [{"kind": "sediment"}, {"kind": "softener", "install": {"at": {"x": "9 ft"}}}],
            {"wall_width": "20 ft", "places": {"electrical_panel": {"x": "5 ft"}}},
        )
        self.assertIn("Water pipe runs above or in front of the electrical panel.", [finding.message for finding in wall.findings])


class Extremes(TestCase):
    def test_thirty_units_in_a_crawl_space_are_drawn_with_findings(self) -> None:
        """Every unit is there, in order, and says that it is too high or beyond the end of the wall."""
        wall = wall_of(
            [{"kind": kind} for kind in ("softener", "sediment", "uv") * 10], {"wall_width": "3 ft", "ceiling": "3 ft", "wall_depth": "6 in"}
        )
        self.assertEqual(len(wall.units), 30)
        words = {finding.stage: finding.message for finding in wall.findings if finding.severity == "fault"}
        self.assertEqual(set(words), {unit.id for unit in wall.units})

    def test_a_protected_outlet_for_every_unit_with_mains_above_the_pipe(self) -> None:
        """A lamp and a metered softener need power, a cartridge does not; no outlet hangs under the header, where it drips."""
        wall = wall_of([{"kind": "softener"}, {"kind": "sediment"}, {"kind": "uv"}])
        outlets = [fitting for fitting in wall.fittings if fitting.kind == "outlet"]
        self.assertEqual([fitting.unit for fitting in outlets], ["softener", "uv"])
        for fitting in outlets:
            self.assertGreater(fitting.z, wall.header)
            self.assertLess(fitting.z, wall.height)

    def test_what_joins_the_pipe_and_holds_the_units_is_bought(self) -> None:
        """Soldered copper: 3 g of a coil of 100 g and 1 g of flux a joint; clamps every 0.8 m; an in/out head where nothing is washed; three valves for a group."""
        parts = {"supply": {"flow": "7 gpm", "pipe": {"material": "copper", "size": "1 in", "length": "40 ft"}}}
        shared = {"install": {"bypass": {"group": "one"}}}
        train = [{"kind": "carbon", "id": "carbon", "form": "upflow"} | shared, {"kind": "sediment", "id": "five", "form": "cartridge"} | shared]
        design = worked(job(parts, train=train))
        wall = compose(design, design.chosen)
        rows = {row.key: row for row in materials(design.chosen, wall)}
        # inner elbows 2 and outer 4 at 2 ends, 3 valves of the bypass and 2 at its head at 2, 2 + 1 tees at 3, 4 unions, 4 sample taps and 2 gauges at a half
        joints = 2 * wall.count("elbow") + 2 * (3 + 2) + 3 * (2 + 1) + 4 + (4 + 2) / 2
        self.assertEqual((wall.count("valve"), wall.count("elbow")), (3 + 2, 6))  # main shut-off and outdoor taps
        self.assertEqual(rows["solder"].quantity, -(-joints * 3 // 100))
        self.assertIn(f"{joints:g} joints", rows["solder"].note)
        self.assertEqual(rows["in_out_head"].quantity, 1)
        self.assertNotIn("valve_head", rows)
        self.assertTrue({"clamp", "thread_tape", "backing_board", "anchor", "flux"} <= set(rows))

    def test_the_design_document_carries_the_wall_and_the_materials(self) -> None:
        """What the command line prints is what is drawn."""
        document = job({"site": SITE | {"wall_width": "4 ft"}}, train=[{"kind": "neutralizer"}, {"kind": "softener"}])
        design = worked(document)
        printed, wall = design_document(design), compose(design, design.chosen)
        self.assertEqual([unit["x"]["value"] for unit in printed["wall"]["units"]], [unit.outline.x for unit in wall.units])
        self.assertIn("does-not-fit", [finding["rule"] for finding in printed["wall"]["findings"]])
        self.assertEqual(len(printed["materials"]), len(materials(design.chosen, wall)))


class Legend(TestCase):
    def test_every_sign_of_a_wall_is_told(self) -> None:
        """What stands on the wall stands in its legend, drawn within its frame, and nothing else; a bypassed unit adds the shut valve."""
        design = worked(job())
        for states in ({}, {design.chosen.run.stages[0].id: "bypass"}):
            wall = compose(design, design.chosen, states)
            told = legend(wall)
            kinds = {(fitting.kind, fitting.open) for fitting in wall.fittings} & set(WORDS)
            self.assertEqual(len(told), len(kinds) + len({run.role for run in wall.runs}))
            self.assertEqual(any("shut" in sign.words for sign in told), ("valve", False) in kinds)
            self.assertTrue(all(sign.lines for sign in told))


class LyingLamp(TestCase):
    def test_a_lamp_lies_where_it_could_not_be_pulled_upright(self) -> None:
        """Told to lie, or under a low ceiling: wider than high, pulled out sideways, its ports at its ends; told to stand, it stands."""
        low = {"site": SITE | {"ceiling": "5 ft"}}
        for changes, orientation, lies in (
            ({"site": SITE}, None, False),
            (low, None, True),
            ({"site": SITE}, "horizontal", True),
            (low, "vertical", False),
        ):
            train = [{"kind": "sediment"}, {"kind": "uv"} | ({"install": {"orientation": orientation}} if orientation else {})]
            design = worked(job(changes, train=train))
            unit = next(each for each in compose(design, design.chosen).units if each.kind == "uv")
            rect = unit.parts[0][1]
            self.assertEqual(rect.width > rect.height, lies, (changes, orientation))
            zone = next(zone.rect for zone in unit.zones if zone.what == "lamp")
            self.assertEqual(zone.x >= rect.right if lies else zone.z >= rect.top, True)
            self.assertEqual(unit.turns, True)


class Wishes(TestCase):
    def test_nothing_is_fed_where_the_job_wishes_so(self) -> None:
        """No feed and no permanganate in any plan; given, it is a broken wish."""
        for readings in ({}, {"hydrogen_sulfide": "5 mg/L"}, {"ph": "4.6", "iron": "9 mg/L"}, {"manganese": "3 mg/L"}, {"iron_bacteria": "present"}):
            design = worked(job({"wishes": {"no_chemicals": True}}, readings=readings))
            for stage in design.proposal.run.stages:
                self.assertFalse(stage.kind == "chemical_feed" or stage.sizing.params.get("medium") == "greensand", readings)
        given = worked(job({"wishes": {"no_chemicals": True}}, train=[{"kind": "chemical_feed", "chemical": "chlorine"}]))
        self.assertIn("wish-broken/no_chemicals", {finding.rule for finding in given.chosen.findings})


class Loads(TestCase):
    def test_what_a_softener_weighs_by_hand(self) -> None:
        """10x54 with 1.5 ft³: resin 42.5 L by its density; the shell 0.05067 m² × 1.3716 m = 69.5 L of water, less the place of the grains;
        a brine tank 0.46² × 0.84 × 1200 = 213 kg. Twins weigh twice the vessel and the same brine."""
        one, twin = (
            loads(worked(job(train=[{"kind": "softener", "tank": "10x54", "volume": "1.5 ft3"} | more])).chosen.run.stages)[0]
            for more in ({}, {"twin": True})
        )
        brine = 0.46**2 * 0.84 * 1200
        vessel = one.mass.value - brine
        bed = worked(job(train=[{"kind": "softener", "tank": "10x54", "volume": "1.5 ft3"}])).chosen.run.stages[0].sizing.bed
        assert bed is not None
        grains = 1 - bed.medium.porosity
        self.assertAlmostEqual(vessel, 42.475 * bed.medium.density + 0.050671 * 1.3716 * 1000 - 42.475 * grains, delta=0.3)
        self.assertAlmostEqual(twin.mass.value, 2 * vessel + brine, delta=0.1)
        self.assertAlmostEqual(one.foot, one.mass.value * 9.80665 / (0.050671 + 0.46**2) / 1000, delta=0.05)

    def test_floor_and_circuit_are_told(self) -> None:
        """A tank of 1500 L is a load on a floor; a pump wants its own circuit; a lamp alone neither."""
        heavy = wall_of([{"kind": "storage_tank", "volume": "1500 L"}, {"kind": "booster_pump"}, {"kind": "uv"}])
        told = {(finding.rule, finding.stage) for finding in heavy.findings}
        self.assertIn(("floor-load", "storage_tank"), told)
        self.assertIn(("circuit", "booster_pump"), told)
        self.assertFalse([finding for finding in wall_of([{"kind": "uv"}]).findings if finding.rule in ("floor-load", "circuit")])


class Bought(TestCase):
    def test_the_run_sheets_tools_and_parts_are_on_the_list(self) -> None:
        """Every tool of every step, once; pipe, elbows, tees, valves and unions with size, material and joint; the drain with its bore."""
        design = worked(job({"supply": {"flow": "7 gpm", "pipe": {"material": "copper", "size": "22 mm", "length": "12 m"}}, "site": SITE}))
        rows = materials(design.chosen, compose(design, design.chosen))
        tools = {row.what.lower() for row in rows if row.group == "tools"}
        for step in sheet(design.chosen).steps:
            for tool in step.row.tools:
                self.assertIn(tool.lower(), tools)
        for key in ("elbow", "tee", "valve", "union"):
            self.assertIn("22 mm copper, soldered", next(row.what for row in rows if row.key == key))
        self.assertIn("22 mm copper", next(row.what for row in rows if row.key == "pipe"))
        self.assertIn("bore", next(row.what for row in rows if row.key == "drain_line"))
        self.assertTrue(
            {"brine_line", "overflow_hose", "wrench", "o_ring", "hardness_kit", "ph_kit", "label", "vacuum_breaker"} <= {row.key for row in rows}
        )

    def test_permeate_is_kept_once(self) -> None:
        """A house membrane has its tank, drawn beside it and bought; one that a storage tank follows has no second."""
        for train, tanks in (
            ([{"kind": "reverse_osmosis", "scale": "whole_house"}], 1),
            ([{"kind": "reverse_osmosis", "scale": "whole_house"}, {"kind": "storage_tank"}], 1),
        ):
            design = worked(job(train=train))
            wall = compose(design, design.chosen)
            self.assertEqual(sum(name in ("store", "tank") for unit in wall.units for name, _ in unit.parts), tanks)
            self.assertEqual(sum(row.quantity for row in materials(design.chosen, wall) if row.key == "tank"), tanks)

    def test_a_lamps_restrictor_stands_before_it(self) -> None:
        wall = wall_of([{"kind": "uv", "restrictor": "9 gpm"}])
        (fitting,) = [fitting for fitting in wall.fittings if fitting.kind == "restrictor"]
        self.assertEqual((fitting.unit, "9.0 gpm" in fitting.name), ("uv", True))
        self.assertEqual(wall_of([{"kind": "uv"}]).count("restrictor"), 0)


class InTheWay(TestCase):
    def test_pipe_through_a_vessel_below_a_low_ceiling(self) -> None:
        """Below 1.5 m a header has to run through a vessel of 10x54: said at the vessel; below 2.4 m it passes above."""
        low, high = (wall_of([{"kind": "softener", "tank": "10x54"}], {"ceiling": ceiling}) for ceiling in ("1.5 m", "2.4 m"))
        through = [[finding for finding in wall.findings if "through it" in finding.message] for wall in (low, high)]
        self.assertEqual(([each.stage for each in through[0]], through[1]), (["softener"], []))

    def test_room_to_work_is_said_once(self) -> None:
        """24 in before the unit that stands out farthest: of 30 in a brine tank of 18.1 leaves 11.9; of 48 in enough."""
        shallow, deep = (wall_of(site={"wall_depth": depth}) for depth in ("30 in", "48 in"))
        told = [[finding for finding in wall.findings if "needed to work" in finding.message] for wall in (shallow, deep)]
        self.assertEqual(([finding.stage for finding in told[0]], told[1]), (["softener"], []))
        self.assertIn("11.9 in of clear space is in front of it", told[0][0].message)

    def test_drains_through_a_heater_and_past_the_end(self) -> None:
        """A heater between the units and their drains; a wall that ends before them."""
        heater = wall_of([{"kind": "softener"}], {"places": {"water_heater": {"x": "60 in"}}})
        self.assertIn("blocks/water_heater", {finding.rule for finding in heater.findings})
        short = wall_of([{"kind": "softener"}], {"wall_width": "46 in"})
        self.assertTrue(any("past the end of the wall" in finding.message for finding in short.findings))
