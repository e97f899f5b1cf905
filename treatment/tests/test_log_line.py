"""The line people write at a tank: readings, tasks, what was seen, alarms; and anything else they may type."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from ..job.facts import OBSERVATIONS
from ..language.log_keys import log_key
from ..operation.entry.line import LogLine, Piece
from ..operation.maintenance.upkeep import upkeep
from .fuzz import fuzz
from .test_diagnosis import WELL, variant_of

TWO = [*WELL[:3], {"kind": "sediment", "id": "twenty", "form": "cartridge", "micron": "20 um"}, *WELL[3:]]


def line(train: list[dict[str, object]] = WELL, system: str = "us", here: str = "") -> LogLine:
    variant = variant_of(train)
    return LogLine(variant, upkeep(variant), system, here)


class Written(TestCase):
    def read(self, text: str, **more: object) -> list[Piece]:
        return line(**more).read(text)  # type: ignore[arg-type]

    def test_readings(self) -> None:
        """Names of places and units in any order, with and without a unit; a bare number is in the job's own."""
        wanted = {
            "hardness after softener 0": ("soft.hardness_out", "0 gpg"),
            "hardness behind the softener 1 gpg": ("soft.hardness_out", "1 gpg"),
            "iron before softener 0.3": ("soft.iron_in", "0.3 mg/L"),
            "pH after stone 7.1": ("stone.ph_out", "7.1"),
            "iron at source 2.4": ("source.iron", "2.4 mg/L"),
            "raw iron 2.4": ("source.iron", "2.4 mg/L"),
            "kitchen hardness 1 gpg": ("tap.hardness", "1 gpg"),
            "pH 7.2": ("tap.ph", "7.2"),
            "coliform at tap absent": ("tap.total_coliform", "absent"),
            "lamp hours 4300": ("uv.lamp_hours", "4300"),
            "light 92": ("uv.intensity", "92 %"),
            "salt level 12": ("soft.salt_level", "12 in"),
            "meter 41200": ("meter", "41200 gal"),
            "pressure 48": ("source.pressure", "48 psi"),
            "soft.hardness_out 0.5 gpg": ("soft.hardness_out", "0.5 gpg"),
            "mn after iron filter <0.01": ("iron.manganese_out", "<0.01 mg/L"),
            "backwash flow of iron 7 gpm": ("iron.backwash_flow", "7 gpm"),
            "hardness 0 after softener": ("soft.hardness_out", "0 gpg"),
            "iron 0.3 mg/L before softener": ("soft.iron_in", "0.3 mg/L"),
            "softener hardness 0": ("soft.hardness_out", "0 gpg"),
            "hardness softener 0": ("soft.hardness_out", "0 gpg"),
            "uv hours 5000": ("uv.lamp_hours", "5000"),
            "iron out 0.1": ("iron.iron_out", "0.1 mg/L"),
            "iron filter iron 0.1": ("iron.iron_out", "0.1 mg/L"),
            "iron bacteria at source 4 CFU/100mL": ("source.iron_bacteria", "4 CFU/100mL"),
            "bacteria absent": ("tap.total_coliform", "absent"),
            "salt is empty": ("soft.salt_level", "0 in"),
        }
        for text, (key, value) in wanted.items():
            with self.subTest(text):
                self.assertEqual([(piece.key, piece.text, piece.problem) for piece in self.read(text)], [(key, value, "")])
        self.assertEqual(self.read("salt level 12", system="metric")[0].text, "12 cm")

    def test_a_drop_is_read_at_the_cartridge(self) -> None:
        """In and out go together; standing before another unit they are that unit's."""
        self.assertEqual([piece.key for piece in self.read("in 48 psi, out 44")], ["five.pressure_in", "five.pressure_out"])
        for text in ("in 48 psi out 44", "in 48/out 44", "pressure in 48 psi / out 44 psi"):
            self.assertEqual([piece.key for piece in self.read(text)], ["five.pressure_in", "five.pressure_out"], text)
        self.assertEqual([piece.key for piece in self.read("in 48 psi, out 44", here="iron")], ["iron.pressure_in", "iron.pressure_out"])
        self.assertEqual(
            [piece.key for piece in self.read("in 50 psi\nout 49", train=TWO, here="twenty")], ["twenty.pressure_in", "twenty.pressure_out"]
        )

    def test_standing_before_a_unit(self) -> None:
        self.assertEqual(self.read("hardness 0.5 gpg", here="soft")[0].key, "soft.hardness_out")
        self.assertEqual(self.read("alarm", here="uv")[0].alarm, "uv")

    def test_what_was_done(self) -> None:
        """By a verb or by an amount; which one is asked where two would do."""
        wanted = {
            "salt 80 lb": ("soft/salt", "80 lb"),
            "filled salt 40 kg": ("soft/salt", "40 kg"),
            "changed cartridge": ("five/cartridge", ""),
            "new lamp": ("uv/lamp", ""),
            "80 lb of salt": ("soft/salt", "80 lb"),
            "added 80 lb salt": ("soft/salt", "80 lb"),
            "topped up the neutralizer 25 kg": ("stone/medium", "25 kg"),
            "topped up calcite 25 kg": ("stone/medium", "25 kg"),
            "changed filter": ("five/cartridge", ""),
            "lamp changed": ("uv/lamp", ""),
            "tested microbes": ("site/microbes", ""),
            "cleaned sleeve": ("uv/sleeve", ""),
            "tried alarm": ("uv/alarm", ""),
            "soft/salt 80 lb": ("soft/salt", "80 lb"),
        }
        for text, found in wanted.items():
            with self.subTest(text):
                self.assertEqual([(piece.did, piece.amount) for piece in self.read(text)], [found])
        self.assertIn("which one?", self.read("changed cartridge", train=TWO)[0].problem)
        self.assertEqual(self.read("changed cartridge", train=TWO, here="twenty")[0].did, "twenty/cartridge")

    def test_what_was_seen_and_alarms(self) -> None:
        for text, seen in {
            "orange stains": "orange_stains",
            "salty taste": "salty_taste",
            "sand in the toilet": "grit",
            "hot water smells": "rotten_egg_hot_only",
        }.items():
            self.assertEqual(self.read(text)[0].seen, seen, text)
        self.assertEqual(self.read("alarm of the uv")[0].alarm, "uv")
        self.assertTrue(self.read("no orange stains")[0].problem)

    def test_an_alarm_as_people_say_it(self) -> None:
        """The only unit with one, the one that is named or meant by its lamp or salt, whatever else is said; a unit that is not there is asked."""
        for text, unit in (
            ("alarm", "uv"),
            ("alarm beeping since monday", "uv"),
            ("lamp alarm", "uv"),
            ("UV is beeping", "uv"),
            ("low salt alarm", "soft"),
        ):
            self.assertEqual(self.read(text)[0].alarm, unit, text)
        self.assertEqual(self.read("alarm")[0].words, "alarm of UV unit")

    def test_a_number_that_begins_with_its_point(self) -> None:
        """Of two filters the one that changes iron is meant; where none does, it is asked by their names."""
        for text, key, value in (
            ("iron after filter .8", "iron.iron_out", "0.8 mg/L"),
            ("chlorine .5", "tap.free_chlorine", "0.5 mg/L"),
            ("iron .30, pH 7", "tap.iron", "0.30 mg/L"),
        ):
            self.assertEqual([(piece.key, piece.text) for piece in self.read(text)][:1], [(key, value)], text)
        self.assertIn("“Air-charged iron filter”, “Sediment filter", self.read("hardness after filter 3")[0].problem)

    def test_messages_use_names_that_people_know(self) -> None:
        """No key of a log in any reason, whatever is typed that is no key itself."""
        for text in (
            "iron after .x",
            "hardness 3",
            "tds in 400",
            "changed everything",
            "light .x",
            "alarm of the boiler",
            "psi.x 4",
            "hardness after filter 3",
            "bacteria after uv. 3",
        ):
            for piece in self.read(text):
                self.assertNotRegex(piece.problem, r"\b(?:soft|uv|iron|five|stone)\.\w+_|\w+/\w+", text)

    def test_what_is_not_understood(self) -> None:
        """The reason, with the nearest."""
        wanted = {
            "hardnes 3": "did you mean “hardness”",
            "hardness after softner 3": "did you mean “soft",
            "in 48 gpm": "not a pressure",
            "hello": "a name and a value",
            "hours": "a name and a value",
            "pH 71": "between 0 and 14",
            "changed everything": "which task?",
            "alarm of the boiler": "boiler",
            "2 bags of salt": "how heavy",
            "tds in 400": "Before or after which unit?",
            "pump is empty": "not something that is read here",
            "permeate 3": "no unit where that is read",
            "flow 3": "no unit where that is read",
        }
        for text, words in wanted.items():
            with self.subTest(text):
                self.assertIn(words, self.read(text)[0].problem)

    def test_the_same_twice_is_told(self) -> None:
        """Of two values of one thing neither is dropped silently."""
        pieces = self.read("pH 7.1, hardness at tap 1 gpg, pH 7.3")
        self.assertEqual([bool(piece.problem) for piece in pieces], [False, False, True])
        self.assertIn("already", pieces[2].problem)

    def test_one_bad_piece_keeps_no_other(self) -> None:
        pieces = self.read("in 48 psi; hardnes 3, salt 80 lb,pH 7.1")
        self.assertEqual([bool(piece.problem) for piece in pieces], [False, True, False, False])

    @fuzz(60)
    @given(
        st.lists(
            st.one_of(
                st.text(max_size=40),
                st.sampled_from(
                    [
                        "hardness after softener 3",
                        "salt",
                        "new",
                        "alarm",
                        "in 48",
                        "pH",
                        "meter",
                        "out of",
                        "after",
                        ",",
                        ";",
                        "<",
                        "-3",
                        "1e9",
                        "5 psi",
                    ]
                ),
            ),
            max_size=6,
        ),
        st.sampled_from(["", "soft", "uv", "nowhere"]),
        st.sampled_from(["us", "metric"]),
    )
    def test_whatever_is_typed(self, parts: list[str], here: str, system: str) -> None:
        """Every piece is a reading the log takes, a task, a sign, an alarm, or has its reason; nothing typed is dropped."""
        ours = line(WELL, system, here)
        for piece in ours.read(" ".join(parts)):
            said = [bool(piece.key), bool(piece.did), bool(piece.seen), bool(piece.alarm), bool(piece.problem)]
            self.assertEqual(sum(said), 1, piece)
            if piece.key:
                log_key(piece.key, ours.ids).read(piece.text)
            self.assertTrue(not piece.did or piece.did in ours.tasks)
            self.assertTrue(not piece.seen or piece.seen in OBSERVATIONS)
            self.assertTrue(not piece.alarm or piece.alarm in ours.ids)
            self.assertTrue(piece.typed)
