"""A wall followed as a graph of open pipe: from the source to the house, in every state of every unit, what is drawn is what runs."""

from __future__ import annotations

import random
from itertools import pairwise
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..design import design
from ..drawing.wall.compose import compose
from ..job_file import read_job
from ..planning.evaluated import EvaluatedTrain
from ..wall.parts import Point, Wall, WallUnit
from . import golden
from .example import job, worked
from .fuzz import fuzz
from .test_own_trains import house

WATER = ("main", "leg", "metal", "bypass", "tap")


def at(point: Point) -> Point:
    return (round(point[0], 2), round(point[1], 2))


def on(point: Point, a: Point, b: Point) -> bool:
    """Whether a point lies on a square piece of pipe."""
    return min(a[0], b[0]) - 0.02 <= point[0] <= max(a[0], b[0]) + 0.02 and min(a[1], b[1]) - 0.02 <= point[1] <= max(a[1], b[1]) + 0.02


def reached(wall: Wall, without: str = "", vessel: int | None = None) -> set[Point]:
    """All places that water reaches from the source through open pipe. without: a unit, or one vessel of it, that lets nothing through."""
    runs = [[at(point) for point in run.points] for run in wall.runs if run.role in WATER]
    ends = {end for points in runs for end in (points[0], points[-1])} | {at(port) for unit in wall.units for pair in unit.ports for port in pair}
    shut = [at((fitting.x, fitting.z)) for fitting in wall.fittings if fitting.kind == "valve" and not fitting.open]
    joined: dict[Point, set[Point]] = {}

    def join(a: Point, b: Point) -> None:
        joined.setdefault(a, set()).add(b)
        joined.setdefault(b, set()).add(a)

    for points in runs:
        for a, b in pairwise(points):
            stops = sorted({a, b, *(end for end in ends if on(end, a, b))}, key=lambda p: abs(p[0] - a[0]) + abs(p[1] - a[1]))
            for one, other in pairwise(stops):
                if not any(on(valve, one, other) for valve in shut):
                    join(one, other)
    for unit in wall.units:
        for number, (inlet, outlet) in enumerate(unit.ports):
            if unit.id != without or (vessel is not None and number != vessel):
                join(at(inlet), at(outlet))
    seen, queue = {(0.0, round(wall.header, 2))}, [(0.0, round(wall.header, 2))]
    while queue:
        for other in joined.get(queue.pop(), ()):
            if other not in seen:
                seen.add(other)
                queue.append(other)
    return seen


def house_end(wall: Wall) -> Point:
    return at([run for run in wall.runs if run.role == "main"][-1].points[-1])


class Followed(TestCase):
    def follow(self, work: Any, variant: EvaluatedTrain) -> None:
        """Every state of every unit of one wall."""
        plain = compose(work, variant)
        self.assertIn(house_end(plain), reached(plain))
        for unit in plain.units:
            self.assertEqual(len(unit.ports), next(stage.bodies for stage in variant.run.stages if stage.id == unit.id), unit.id)
            for state in unit.states:
                wall = compose(work, variant, {unit.id: state})
                self.assertEqual(wall.state_of(next(each for each in wall.units if each.id == unit.id)), state)
                self.through(wall, unit, state)

    def through(self, wall: Wall, unit: WallUnit, state: str) -> None:
        water = reached(wall)
        ports = {at(port) for pair in unit.ports for port in pair}
        if unit.at_tap:
            self.assertIn(house_end(wall), water)
            self.assertEqual(bool(ports & water), state == "service")
            return
        if state == "service":
            self.assertIn(house_end(wall), water)
            self.assertTrue(ports <= water, f"{unit.id}: a vessel stands outside the way")
            if unit.shape != "feeder":  # that one doses into a pipe that runs on
                self.assertNotIn(house_end(wall), reached(wall, unit.id), f"{unit.id}: water goes past it")
            for number in range(len(unit.ports) if unit.several else 0):  # one vessel alone can be taken out of line
                self.assertIn(house_end(wall), reached(wall, unit.id, number))
        elif state == "bypass":
            self.assertIn(house_end(wall), water)
            self.assertIn(house_end(wall), reached(wall, unit.id))
        else:
            self.assertNotIn(house_end(wall), water, f"{unit.id} is shut, and the house has water")

    def test_golden_walls(self) -> None:
        for row in golden.frozen():
            work = design(read_job(row["job"]))
            with self.subTest(row["name"]):
                self.follow(work, work.chosen)

    @given(st.integers(0, 10**6))
    @fuzz(25)
    def test_random_walls(self, seed: int) -> None:
        """Any house, low or narrow rooms, with a heater and a panel somewhere on the wall."""
        pick = random.Random(seed)
        site: dict[str, Any] = {"wall_width": f"{pick.uniform(0.5, 6):.2f} m"} | (
            {"ceiling": f"{pick.uniform(1.3, 2.6):.2f} m"} if pick.random() < 0.5 else {}
        )
        site["places"] = {name: {"x": f"{pick.uniform(0, 5):.2f} m"} for name in ("water_heater", "electrical_panel") if pick.random() < 0.4}
        work = worked(house(pick, site=site))
        self.follow(work, work.chosen)

    def test_an_elbow_and_a_union_fit_between_port_and_leg(self) -> None:
        """In 1 1/4 in pipe: 35 mm for the elbow and 64 mm for the union are less than the 125 mm of a leg; in 3/4 in 95 mm do."""
        for size, leg in (("3/4 in", 95), ("1 in", 110), ("1 1/4 in", 125)):
            work = worked(job({"supply": {"pipe": {"material": "copper", "size": size}}}, train=[{"kind": "softener"}]))
            (unit,) = compose(work, work.chosen).units
            down = next(run for run in compose(work, work.chosen).runs if run.role == "leg")
            self.assertAlmostEqual(unit.inlet[0] - down.points[0][0], leg + (unit.inlet[0] - unit.outline.x))

    def test_fittings_fit_between_a_vessel_and_its_manifold(self) -> None:
        """On the upright pipe of each of two vessels stand elbow, union, valve and tee. In 1 in pipe half an elbow takes 35 mm, half a
        union 32, half a valve 43, half a tee 35: 67 mm at least from elbow to union, 75 from there to the valve, 78 on to the tee."""
        trains: list[tuple[dict[str, Any], str]] = [
            ({"kind": "carbon", "vessels": 2}, "below"),
            ({"kind": "retention_tank", "volume": "1000 L"}, "above"),
        ]
        for stage, side in trains:
            work = worked(job({"supply": {"pipe": {"material": "copper", "size": "1 in"}}}, train=[stage]))
            wall = compose(work, work.chosen)
            (unit,) = wall.units
            self.assertEqual(unit.departs < unit.outlet[1], side == "below")
            for number, (inlet, outlet) in enumerate(unit.ports):
                for x, port in ((inlet[0] - 60, inlet[1]), (outlet[0] + 60, outlet[1])):
                    way = {each.kind: abs(each.z - port) for each in wall.fittings if abs(each.x - x) < 0.1 and each.part in ("", "vessel")}
                    last = way.get("tee", 250.0 if number else way["elbow"])
                    self.assertGreaterEqual(way["union"], 67)
                    self.assertGreaterEqual(way["valve"] - way["union"], 75)
                    self.assertGreaterEqual(max(last, 250.0) - way["valve"], 72)
            self.assertGreaterEqual(unit.ports[1][0][0] - unit.ports[0][1][0], 2 * 60 + 70 - 0.1)

    def test_a_manifold_under_a_low_ceiling_is_told(self) -> None:
        """Two carbon vessels of 54 in: their inlets are 1.48 m high, the pipe that joins them 250 mm above, 1.73 m in 1 in pipe."""
        for ceiling, told in (("1.75 m", True), ("2.4 m", False)):
            work = worked(
                job(
                    {"site": {"ceiling": ceiling}, "supply": {"pipe": {"material": "copper", "size": "1 in"}}},
                    train=[{"kind": "carbon", "vessels": 2, "tank": "10x54"}],
                )
            )
            found = [each for each in compose(work, work.chosen).findings if "joins its vessels" in each.message]
            self.assertEqual(bool(found), told)

    def test_elements_come_out_above_a_rack(self) -> None:
        """A rack of 1.4 m and 0.95 m to draw an element out of it: 2.35 m; a ceiling of 2.2 m is told, one of 2.4 m is not."""
        for ceiling, told in (("2.2 m", True), ("2.4 m", False)):
            work = worked(job({"site": {"ceiling": ceiling}}, train=[{"kind": "reverse_osmosis", "scale": "whole_house"}]))
            found = [each for each in compose(work, work.chosen).findings if each.rule == "clearance/reverse_osmosis"]
            self.assertEqual(bool(found), told)

    def test_several_vessels(self) -> None:
        """Forty filters in a row, three softeners in parallel, twins, a bank of barrier elements, a group with one bypass."""
        group = {"install": {"bypass": {"group": "one"}}}
        for train in (
            [{"kind": "softener", "vessels": 3}],
            [{"kind": "softener", "twin": True, **group}, {"kind": "carbon", "vessels": 2, **group}, {"kind": "uv"}],
            [{"kind": "sediment", "form": "cartridge"}, {"kind": "barrier_filter", "elements": 5}],
            [{"kind": "neutralizer", "vessels": 4}, {"kind": "storage_tank"}, {"kind": "booster_pump"}, {"kind": "reverse_osmosis"}],
        ):  # fmt: skip
            work = worked(job(train=train))
            self.follow(work, work.chosen)
