"""Ready before it serves: no tap and no heater through a unit that is not; every opened pipe looked at; nothing carried full; proofs in their order.

And hand-written sheets of trains as people build them.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Any
from unittest import TestCase, mock

from hypothesis import given
from hypothesis import strategies as st

from ..commissioning import sheet as sheets
from ..commissioning.sheet import Sheet, ahead_of, makes_ready, sheet
from ..commissioning.shown import states
from ..commissioning.situation import Situation, open_to_air
from ..commissioning.step import said
from ..commissioning.visits import Calendar, visits
from ..drawing.wall.compose import compose
from ..job.facts import JOINING
from ..planning.evaluated import EvaluatedTrain
from ..train.ways import ways_round
from ..treatments import ROOMS
from .example import HARD_ONLY, job, worked
from .fuzz import fuzz

FIVE = {"kind": "sediment", "id": "five", "form": "cartridge", "micron": "5 um"}
LAMP = {"kind": "uv", "id": "uv"}
SOFTENER = {"kind": "softener", "id": "softener"}
CARBON = {"kind": "carbon", "id": "carbon", "medium": "granular", "form": "backwashing"}
UPFLOW = {"kind": "carbon", "id": "carbon", "medium": "granular", "form": "upflow"}
SCALE = {"kind": "scale_control", "id": "scale", "method": "crystallisation"}
STONE = {"kind": "neutralizer", "id": "stone", "medium": "calcite", "flow": "up"}

#: forms that change how a kind is started
FORMS: dict[str, tuple[dict[str, str], ...]] = {
    "carbon": ({"form": "upflow"}, {"medium": "block", "form": "cartridge"}, {"form": "backwashing"}),
    "oxidizing_filter": tuple({"medium": each} for each in ("air_charged", "coated_oxygen", "greensand", "manganese_dioxide", "cartridge")),
    "neutralizer": ({"flow": "up"}, {"flow": "down"}),
    "scale_control": ({"method": "crystallisation"}, {"method": "citrate"}),
    "sediment": tuple({"form": each} for each in ("cartridge", "dual_gradient", "spin_down", "backwashing")),
    "reverse_osmosis": ({"scale": "whole_house"}, {"scale": "point_of_use"}),
    "chemical_feed": ({"chemical": "chlorine"}, {"chemical": "soda_ash"}),
}
BYPASSES = (None, True, False, "locked", {"group": "a"}, {"group": "b"})


def chosen_of(train: list[dict[str, Any]], readings: dict[str, str | None] | None = None, **parts: Any) -> EvaluatedTrain:
    return worked(job(parts, readings=readings, train=train)).chosen


def grouped(*train: dict[str, Any]) -> list[dict[str, Any]]:
    return [stage | {"install": {"bypass": {"group": "one"}}} for stage in train]


def bare(*train: dict[str, Any]) -> list[dict[str, Any]]:
    return [stage | {"install": {"bypass": False}} for stage in train]


@st.composite
def trains(draw: st.DrawFn) -> tuple[list[dict[str, Any]], dict[str, Any]]:
    """Up to nine units in any order, of any form, with every way round them, joined in every way."""
    train = []
    for i, kind in enumerate(draw(st.lists(st.sampled_from(sorted(ROOMS)), min_size=1, max_size=9))):
        stage: dict[str, Any] = {"kind": kind, "id": f"u{i}"} | draw(st.sampled_from(FORMS.get(kind, ({},))))
        bypass = draw(st.sampled_from(BYPASSES))
        install = {} if bypass is None else {"bypass": bypass}
        if kind in ("reverse_osmosis", "barrier_filter") and draw(st.booleans()):
            install["branch"] = "drinking_tap"
        if draw(st.integers(0, 6)) == 0:
            stage["loaded"] = True
        train.append(stage | ({"install": install} if install else {}))
    joining = draw(st.sampled_from((None, *JOINING)))
    return train, {"site": {"joining": joining}} if joining else {}


def unready(chosen: EvaluatedTrain, found: Sheet) -> list[str]:
    """Steps that serve taps or heater through a unit with something open of what makes it ready: ``site/heater_on: softener/cycle_through``."""
    place, ways = {step.id: i for i, step in enumerate(found.steps)}, ways_round(chosen.run.stages)
    wrong = []
    for step in found.steps:
        if step.id not in ("site/vent_air", "site/heater_on", "site/flush_train", "site/sanitize") and step.row.verb not in (
            "vent_house",
            "low_flow",
            "prove",
        ):
            continue
        for stage in (each for each in chosen.run.stages if not each.at_tap):
            joined = place.get(f"{stage.id}/vent_house", place[f"{stage.id}/open"] if stage.id in ways else -1)
            if joined <= place[step.id]:
                wrong += [
                    f"{step.id}: {each.id}" for each in found.steps if each.stage is stage and makes_ready(each) and place[each.id] > place[step.id]
                ]
    return wrong


def unlooked(found: Sheet) -> list[str]:
    """Units of pipe that are opened and not looked at at once and twelve hours later, or that join and are not vented again."""
    wrong = []
    later = {need.id: need.after for need in found.by_id["site/leak_check_next_day"].needs}
    for step in found.steps:
        if step.row.verb == "open" and step.stage is not None and not open_to_air(step.stage):
            look = f"{step.stage.id}/look"
            if look not in found.by_id or step.id not in {need.id for need in found.by_id[look].needs} or later.get(look) != 720:
                wrong.append(step.id)
            if step.stage.id in found.late and later.get(f"{step.stage.id}/vent_house") != 720:
                wrong.append(f"{step.id} and no air let out again")
    return wrong


def carried(found: Sheet) -> list[str]:
    """Tanks that are moved with something in them: loaded, filled or soaked before they stand where they stay, and not tipped empty."""
    place = {step.id: i for i, step in enumerate(found.steps)}
    wrong = []
    for step in found.steps:
        if step.stage is None or step.row.verb not in ("load", "fill", "soak") or f"{step.stage.id}/place" not in place:
            continue
        carry = place.get(f"{step.stage.id}/carry")
        if place[f"{step.stage.id}/place"] > place[step.id] or (carry is not None and place[f"{step.stage.id}/reverse_rinse"] > carry):
            wrong.append(step.id)
    return wrong


def unproven(found: Sheet) -> list[str]:
    """Units whose readings stand behind a test of the water."""
    place = {step.id: i for i, step in enumerate(found.steps)}
    tests = min(place[id] for id in place if id.startswith("site/retest"))
    return [step.id for step in found.steps if step.row.verb == "prove" and place[step.id] > tests]


class AnyTrain(TestCase):
    @fuzz(150)
    @given(trains())
    def test_nothing_serves_before_it_is_ready(self, made: tuple[list[dict[str, Any]], dict[str, Any]]) -> None:
        """(a) ready before it serves, (b) looked at at once and after twelve hours, (c) nothing carried full, (d) proven before the water is tested."""
        train, parts = made
        chosen = chosen_of(train, **parts)
        found = sheet(chosen)
        self.assertEqual(unready(chosen, found), [])
        self.assertEqual(unlooked(found), [])
        self.assertEqual(carried(found), [])
        self.assertEqual(unproven(found), [])
        for visit in visits(found):
            ids = [done.step.id for done in visit.work]
            tests = [i for i, id in enumerate(ids) if id.startswith("site/retest")]
            self.assertFalse([id for i, id in enumerate(ids) if tests and i > tests[0] and id.endswith("/prove")])

    @fuzz(60)
    @given(trains())
    def test_what_is_said_is_said_whole(self, made: tuple[list[dict[str, Any]], dict[str, Any]]) -> None:
        """Every step has a title and something to do, no mark of the table is left in a line, and where nothing can be bypassed no line speaks of it."""
        train, parts = made
        chosen = chosen_of(train, **parts)
        for step in sheet(chosen).steps:
            words = [step.row.title, step.row.why, step.row.bad_sign, *step.row.tools, *step.do("us"), *step.do("metric")]
            self.assertTrue(step.do("us") and all(words), step.id)
            self.assertFalse([line for line in words if set(line) & set("[]{}|")], step.id)
            if not ways_round(chosen.run.stages):
                self.assertFalse([line for line in words if "bypass" in line.lower()], step.id)

    def test_each_rule_can_fail(self) -> None:
        """The four, made to fail once: heater lit before the softener is stepped through, a unit nobody looks at, a tank set in place when it is full, a proof behind the test."""
        chosen = chosen_of([CARBON, SOFTENER], HARD_ONLY)
        good = sheet(chosen)

        def moved(id: str, before: str) -> Sheet:
            steps = [step for step in good.steps if step.id != id]
            at = next(i for i, step in enumerate(steps) if step.id == before)
            return Sheet((*steps[:at], good.by_id[id], *steps[at:]), good.late)

        self.assertIn("site/heater_on: softener/cycle_through", unready(chosen, moved("site/heater_on", "softener/cycle_through")))
        self.assertIn("softener/open", unlooked(Sheet(tuple(step for step in good.steps if step.id != "softener/look"))))
        self.assertIn("carbon/soak", carried(moved("carbon/soak", "carbon/place")))
        self.assertEqual(unproven(moved("site/retest_water", "carbon/prove")), ["carbon/prove", "softener/prove"])

    def test_with_nobody_joining_later_the_house_waits(self) -> None:
        """Were every unit made ready on the first day, the same would hold."""
        with mock.patch.object(sheets, "joins_later", lambda *_: frozenset()):
            chosen = chosen_of([FIVE, SCALE, LAMP])
            self.assertEqual(unready(chosen, sheet(chosen)), [])


class Sheets(TestCase):
    """Trains as people build them, with the order that a practitioner wrote down for each."""

    def follow(self, found: Sheet, *ids: str) -> None:
        order = [step.id for step in found.steps]
        for first, then in pairwise(ids):
            self.assertIn(first, order)
            self.assertIn(then, order)
            self.assertLess(order.index(first), order.index(then), f"{first} before {then}")

    def said(self, found: Sheet, id: str, system: str = "us") -> str:
        step = found.by_id[id]
        return " ".join([step.row.title, *step.do(system), step.row.bad_sign, *step.row.tools])

    def test_upflow_carbon_cartridge_and_scale_on_solvent_with_one_bypass(self) -> None:
        """Both tanks by hose before the main is shut, their soaks side by side; one bypass of three valves; cement cures before the main is on."""
        chosen = chosen_of(grouped(UPFLOW, FIVE, SCALE), HARD_ONLY, site={"joining": "solvent"})
        found = sheet(chosen)
        for id in ("carbon", "scale"):
            self.follow(
                found,
                f"{id}/place",
                f"{id}/fill",
                f"{id}/soak",
                f"{id}/rinse",
                f"{id}/reverse_rinse",
                "site/heater_off",
                "site/shut_main",
                f"{id}/open",
                f"{id}/look",
            )
        self.follow(
            found,
            "site/join",
            "site/cure",
            "site/restore_main",
            "site/look_bypass",
            "site/flush_lines",
            "carbon/open",
            "five/open",
            "scale/open",
            "site/vent_air",
        )
        self.assertNotIn("scale/isolate", found.by_id)
        self.assertIn("hose adapters", self.said(found, "carbon/rinse"))
        # 1.75 ft3 of granular carbon in a vessel full of water: more than two people carry, so it is filled where it stands
        self.assertIn("at its own place", self.said(found, "carbon/place"))
        self.assertNotIn("carbon/carry", found.by_id)
        self.follow(found, "scale/reverse_rinse", "scale/carry", "site/shut_main")
        self.assertIn("primer", self.said(found, "site/join").lower())
        self.assertIn("30 s", self.said(found, "site/join"))
        self.assertIn("taste of cement", self.said(found, "site/flush_lines"))
        self.assertIn("halfway", self.said(found, "site/flush_train"))
        design = worked(job({}, readings=HARD_ONLY, train=grouped(UPFLOW, FIVE, SCALE)))
        self.assertEqual(compose(design, design.chosen).count("valve"), 3 + 2)  # main shut-off and outdoor taps
        coming = {done.step.id: visit.number for visit in visits(found) for done in visit.work}
        self.assertEqual({coming["carbon/soak"], coming["scale/soak"]}, {1})

    def test_an_iron_cartridge_set(self) -> None:
        """Cartridges seated, opened in order, the oxidising one to drain until no pink is left, gloves on, before what follows."""
        iron = {"kind": "oxidizing_filter", "id": "iron", "medium": "cartridge"}
        found = sheet(chosen_of([FIVE, iron, FIVE | {"id": "after"}]))
        self.follow(
            found,
            "iron/cartridge",
            "five/open",
            "iron/open",
            "iron/look",
            "iron/rinse",
            "after/open",
            "site/vent_air",
            "iron/prove",
            "site/retest_water",
        )
        self.assertIn("gloves", self.said(found, "iron/rinse").lower())
        self.assertIn("pink", self.said(found, "iron/rinse"))

    def test_bleach_starts_what_bears_chlorine_only(self) -> None:
        """Ore, and greensand fed with chlorine: a cup (0.24 L) for each of 1.5 ft3 is 0.36 L, 1 to 24 h; permanganate where none is fed; neither on air or oxygen."""
        ore = {"kind": "oxidizing_filter", "id": "iron", "medium": "manganese_dioxide", "volume": "1.5 ft3"}
        feed = {"kind": "chemical_feed", "id": "feed", "chemical": "chlorine"}
        found = sheet(chosen_of([feed, ore]))
        self.follow(found, "iron/load", "iron/fill", "iron/soak", "iron/activate", "iron/open", "iron/backwash", "site/vent_air")
        self.assertIn("0.36 L", self.said(found, "iron/activate", "metric"))
        self.assertIn("manufacturer says so", self.said(found, "iron/activate"))
        self.assertIn("feed/residual", found.by_id)
        sand = sheet(chosen_of([{"kind": "oxidizing_filter", "id": "iron", "medium": "greensand"}]))
        self.assertIn("permanganate", self.said(sand, "iron/activate"))
        self.assertNotIn("bleach", self.said(sand, "iron/activate").lower())
        self.assertIn("Permanganate burns", " ".join(sand.by_id["iron/activate"].hazards))
        self.assertIn("Never mix it with acid", " ".join(found.by_id["iron/activate"].hazards))
        for medium in ("air_charged", "coated_oxygen"):
            self.assertNotIn("iron/activate", sheet(chosen_of([{"kind": "oxidizing_filter", "id": "iron", "medium": medium}])).by_id)

    def test_an_under_sink_membrane(self) -> None:
        """The house is without water for two hours at the most, and hot water is back before the membrane is flushed."""
        tap = {"install": {"branch": "drinking_tap"}}
        block = {"kind": "carbon", "id": "block", "medium": "block", "form": "cartridge"} | tap
        found = sheet(chosen_of([block, {"kind": "reverse_osmosis", "id": "ro", "scale": "point_of_use"}], HARD_ONLY))
        coming = visits(found)
        self.assertLessEqual(coming[0].water_off, 120)
        self.follow(found, "block/flush", "ro/membrane", "ro/open", "ro/look", "ro/flush", "ro/reject", "ro/prove", "site/retest_water")
        self.assertIn("relieve the pressure", self.said(found, "ro/membrane"))
        self.assertFalse(found.late)

    def test_rain_to_the_tap_with_a_lamp_in_the_tank(self) -> None:
        """The tank is cleaned, filled and lit before the water is shut; the pump is primed before anything is vented; nothing is opened a quarter but pipe."""
        train = [
            {"kind": "first_flush", "id": "ff"},
            {"kind": "storage_tank", "id": "tank"},
            {"kind": "in_tank_uv", "id": "lamp"},
            {"kind": "booster_pump", "id": "pump"},
            FIVE,
            LAMP,
        ]
        found = sheet(chosen_of(train, source={"kind": "rain"}))
        self.follow(
            found,
            "tank/clean",
            "lamp/place",
            "lamp/seal",
            "tank/fill",
            "lamp/open",
            "lamp/timer",
            "lamp/lamp_on",
            "site/heater_off",
            "site/shut_main",
        )
        self.follow(
            found,
            "site/join",
            "pump/open",
            "pump/prime",
            "pump/dry_run",
            "site/restore_main",
            "site/flush_lines",
            "five/open",
            "uv/open",
            "site/vent_air",
        )
        for id in ("ff/open", "tank/open", "lamp/open"):
            self.assertNotIn("quarter", self.said(found, id))
        self.assertEqual(found.by_id["lamp/wire"].row.who, "electrician")
        self.assertIn("Never look into the light", self.said(found, "lamp/lamp_on"))

    def test_a_wall_of_housings_without_bypass(self) -> None:
        """Flushed empty, main shut and pressure off, cartridges in, filled slowly; no step speaks of a bypass."""
        block = {"kind": "carbon", "id": "block", "medium": "block", "form": "cartridge"}
        found = sheet(chosen_of(bare(FIVE, block, LAMP)))
        self.follow(
            found,
            "site/restore_main",
            "site/look",
            "site/flush_lines",
            "site/shut_again",
            "five/cartridge",
            "block/cartridge",
            "site/refill",
            "five/open",
            "block/open",
            "uv/open",
            "uv/lamp_on",
            "site/vent_air",
        )
        self.assertNotIn("site/look_bypass", found.by_id)
        self.assertTrue(found.by_id["five/cartridge"].phase == "first_fill")
        coming = visits(found)
        self.assertEqual([done.step.id for done in coming[0].work][-1], "uv/prove")
        self.assertLessEqual(coming[0].length, 480)

    def test_a_softener_alone(self) -> None:
        """Opened, salted, set in whole grains, stepped through with the bucket's seconds, and only then does the house draw through it."""
        found = sheet(chosen_of([SOFTENER], HARD_ONLY))
        self.follow(
            found,
            "softener/open",
            "softener/look",
            "softener/brine_fill",
            "softener/salt",
            "softener/program",
            "softener/cycle_through",
            "site/vent_air",
            "site/heater_on",
            "softener/prove",
            "site/leak_check_next_day",
            "site/retest_water",
        )
        need = found.by_id["softener/open"].stage
        assert need is not None
        seconds = 18.927 * 60 / need.figures["backwash_flow"].value  # a bucket of 5 gal
        self.assertIn(f"5.0 gal should fill in {seconds:.0f} s", self.said(found, "softener/cycle_through").replace("5 gal", "5.0 gal"))

    def test_a_lamp_on_plastic_pipe(self) -> None:
        """The lit port wants its metal, the shielded one none; the lamp's own length stays free."""
        lamp = LAMP | {
            "chamber_length": "900 mm",
            "install": {"pipe_in": {"material": "pex", "shielded": True}, "pipe_out": {"material": "copper", "metal_length": "12 in"}},
        }
        found = sheet(chosen_of([FIVE, lamp], supply={"flow": "7 gpm", "pipe": {"material": "pex_crimp", "size": "1 in", "length": "40 ft"}}))
        words = self.said(found, "uv/place", "metric")
        self.assertIn("300 mm from the outlet", words)
        self.assertIn("Keep 900 mm clear", words)
        self.assertIn("crimp", self.said(found, "site/join").lower())
        self.follow(found, "uv/sleeve", "uv/open", "uv/look", "uv/leak_test", "uv/lamp", "uv/ballast", "uv/power", "uv/lamp_on", "site/vent_air")
        self.assertIn("hand", self.said(found, "uv/leak_test"))

    def test_a_scale_unit_rinsed_in_line_stays_in_bypass(self) -> None:
        """It soaks while the house is served; isolated before its union is apart, looked at, then air out again, cold and hot; leaks twelve hours after that."""
        found = sheet(chosen_of([FIVE, SCALE, LAMP]))
        self.assertEqual(found.late, {"scale"})
        self.follow(
            found,
            "scale/fill",
            "scale/soak",
            "site/heater_on",
            "scale/isolate",
            "scale/rinse",
            "scale/open",
            "scale/look",
            "scale/vent_house",
            "site/flush_train",
            "site/leak_check_next_day",
        )
        self.assertIn("scale control", self.said(found, "site/vent_air"))

    def test_a_loaded_tank_is_neither_loaded_nor_filled_by_hand(self) -> None:
        found = sheet(chosen_of([UPFLOW | {"loaded": True}, SOFTENER | {"loaded": True}], HARD_ONLY))
        self.assertFalse({"carbon/load", "carbon/fill", "softener/load", "softener/fill"} & set(found.by_id))
        self.follow(found, "carbon/soak", "carbon/rinse", "carbon/reverse_rinse", "site/shut_main")
        self.assertIn("garden hose", self.said(found, "carbon/soak"))

    def test_layers_go_in_in_their_order(self) -> None:
        """2 ft3 of carbon under 1 ft3 of calcite: two bags, then one."""
        layers = [{"medium": "granular_carbon", "volume": "2 ft3"}, {"medium": "calcite", "volume": "1 ft3"}]
        found = sheet(chosen_of([CARBON | {"layers": layers}], HARD_ONLY))
        self.assertIn("granular carbon, 2 bags; then calcite, 1 bag", self.said(found, "carbon/load"))
        self.assertIn("Media volume: 3.00 ft³", self.said(found, "carbon/load"))

    def test_a_whole_house_membrane_with_its_tank_keeps_the_house_waiting(self) -> None:
        """The tank behind it stands open: no raw water goes into it, so nothing before it is left in bypass."""
        train = [
            FIVE,
            {"kind": "reverse_osmosis", "id": "ro", "scale": "whole_house"},
            {"kind": "storage_tank", "id": "tank"},
            {"kind": "booster_pump", "id": "pump"},
            LAMP,
        ]
        found = sheet(chosen_of(train))
        self.assertFalse(found.late)
        self.follow(found, "ro/flush", "tank/fill", "pump/prime", "uv/lamp_on", "site/vent_air", "site/heater_on")


class Numbers(TestCase):
    def test_joining_grows_with_the_joints(self) -> None:
        """A second unit adds its own 19 joints of soldered copper at 2 min: 38 min more, on the bench and on the wall together."""
        copper = {"supply": {"flow": "7 gpm", "pipe": {"material": "copper", "size": "1 in", "length": "40 ft"}}}
        one, two = (sheet(chosen_of([SOFTENER | {"id": f"s{i}"} for i in range(count)], HARD_ONLY, **copper)) for count in (1, 2))
        minutes = [sum(found.by_id[id].row.hands_on for id in ("site/make_up", "site/join")) for found in (one, two)]
        self.assertEqual(minutes[1] - minutes[0], 38)
        self.assertIn("torch", one.by_id["site/join"].row.tools)
        self.assertIn("Open flame", " ".join(one.by_id["site/join"].hazards))

    def test_large_pipe_cures_twice_as_long(self) -> None:
        """2 h at 1 in, 4 h at 1½ in; and nobody goes home while the house is dry."""
        for size, wait in (("1 in", 120), ("1.5 in", 240)):
            pipe = {"flow": "7 gpm", "pipe": {"material": "pvc40", "size": size, "length": "40 ft"}}
            found = sheet(chosen_of([SOFTENER], HARD_ONLY, supply=pipe))
            self.assertEqual(found.by_id["site/cure"].row.wait, wait)
            self.assertEqual(sum(visit.water_off > 0 for visit in visits(found)), 1)

    def test_filled_calcite_is_not_carried(self) -> None:
        """2.5 ft3 (70.8 L) of calcite at 90 lb/ft3 is 102 kg before any water is in it."""
        stage = chosen_of([STONE | {"volume": "2.5 ft3"}]).run.stages[0]
        found = sheet(chosen_of([STONE | {"volume": "2.5 ft3"}]))
        assert stage.sizing.bed is not None
        self.assertAlmostEqual(stage.sizing.bed.volume * stage.sizing.bed.medium.density, 102, delta=1)
        self.assertNotIn("stone/carry", found.by_id)
        self.assertEqual(found.by_id["stone/fill"].row.where, "house")

    def test_drain_lines_by_their_length(self) -> None:
        """28 ft: the bore for long lines, and the length said; two inches of air."""
        drain = {"kind": "floor", "distance": "28 ft", "lift": "3 ft"}
        words = " ".join(sheet(chosen_of([SOFTENER], HARD_ONLY, site={"drain": drain})).by_id["site/drain_lines"].do("us"))
        self.assertRegex(words, r"28(\.0)? ft.*3(\.0)? ft.*2\.0 in above the rim")

    def test_lines_of_the_table(self) -> None:
        """The first way whose facts hold and whose figures are known; nothing where none does."""
        self.assertEqual(said("[a,!b] {x} and|[a] only|never", {"a"}, {"x": "1"}), "1 and")
        self.assertEqual(said("[a,!b] {x} and|[a] only|never", {"a", "b"}, {"x": "1"}), "only")
        self.assertEqual(said("[a] {x}|[a] none", {"a"}, {}), "none")
        self.assertIsNone(said("[a] one", set(), {}))


class Ways(TestCase):
    def test_a_group_shares_three_valves_where_its_units_stand_together(self) -> None:
        """Three units of one name: one way; a fourth of the name behind another unit has its own."""
        train = [*grouped(FIVE, SOFTENER), CARBON, *grouped(FIVE | {"id": "last"})]
        ways = ways_round(chosen_of(train, HARD_ONLY).run.stages)
        self.assertEqual((ways["five"].units, ways["softener"].units, ways["last"].units), (("five", "softener"), ("five", "softener"), ("last",)))
        self.assertTrue(ways["five"].shared and not ways["last"].shared)

    def test_a_group_in_bypass_is_passed_along_the_header(self) -> None:
        """Whichever of its units is said to be bypassed: the water keeps to the header until the group's end, and goes through the lamp behind it."""
        design = worked(job({}, train=[*grouped(UPFLOW, FIVE), LAMP]))
        for id in ("carbon", "five"):
            wall = compose(design, design.chosen, {id: "bypass"})
            lamp = next(unit for unit in wall.units if unit.id == "uv")
            self.assertEqual({z for x, z in wall.water_path if x < lamp.outline.x - 100}, {wall.header})
            self.assertIn(lamp.inlet, wall.water_path)
        served = compose(design, design.chosen)
        self.assertTrue(all(unit.inlet in served.water_path for unit in served.units))

    def test_a_lamp_has_none_unless_it_is_said(self) -> None:
        stages = chosen_of([FIVE, LAMP]).run.stages
        self.assertEqual(set(ways_round(stages)), {"five"})

    def test_the_valves_of_the_moment(self) -> None:
        """All bypassed while the lines are flushed; in service one by one; the scale unit only when it joins."""
        found = sheet(chosen_of([FIVE, SCALE], HARD_ONLY))
        self.assertEqual(states(found, found.by_id["site/kit_check"]), {})
        self.assertEqual(states(found, found.by_id["site/flush_lines"]), {"five": "bypass", "scale": "bypass"})
        self.assertEqual(states(found, found.by_id["site/heater_on"]), {"five": "service", "scale": "bypass"})
        self.assertEqual(states(found, found.by_id["scale/look"]), {"five": "service", "scale": "bypass"})
        self.assertEqual(states(found, found.by_id["scale/vent_house"]), {"five": "service", "scale": "service"})


class BegunLate(TestCase):
    def test_a_soak_begun_late_moves_what_hangs_on_it(self) -> None:
        """Planned to stand from 10:51, ticked five hours later: the second visit comes on the next morning, and says whose wait it is."""
        found = sheet(chosen_of([CARBON], HARD_ONLY))
        plain = visits(found)
        first = {done.step.id: done for visit in plain for done in visit.work}
        late = Calendar(found, ticked={"carbon/soak": first["carbon/soak"].end + 300})
        coming = late.visits()
        (told,) = late.late
        self.assertEqual((told.step.id, told.by, told.number), ("carbon/soak", 300, 2))
        begin = coming[1].work[0].begin
        self.assertGreaterEqual(begin, first["carbon/soak"].end + 300 + 2880)
        self.assertEqual(Calendar(found, ticked={"carbon/soak": first["carbon/soak"].end}).visits()[1].at, plain[1].at)


class Situations(TestCase):
    def test_how_pipe_is_joined(self) -> None:
        """As the job says, else as its pipe usually is."""
        copper = {"supply": {"flow": "7 gpm", "pipe": {"material": "copper", "size": "1 in", "length": "40 ft"}}}
        self.assertEqual(Situation(chosen_of([SOFTENER], HARD_ONLY, **copper)).method, "solder")
        self.assertEqual(Situation(chosen_of([SOFTENER], HARD_ONLY, **copper, site={"joining": "press"})).method, "press")

    def test_what_makes_ready_stands_before_the_house_is_served(self) -> None:
        """In the needs themselves, not by the luck of an order."""
        found = sheet(chosen_of([CARBON, SOFTENER], HARD_ONLY))
        before = ahead_of(found.by_id, ["site/heater_on"])
        self.assertLessEqual({step.id for step in found.steps if makes_ready(step)}, before)
