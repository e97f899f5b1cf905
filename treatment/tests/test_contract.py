"""What a room must declare, and the proof that a treatment is one room: a toy runs through everything."""

from __future__ import annotations

import datetime as dt
from dataclasses import fields
from importlib import import_module
from typing import Any
from unittest import TestCase

from ..design import Design
from ..drawing.train.view import draw_train
from ..drawing.wall.compose import compose
from ..job_file import job_schema, read_job, read_train, written
from ..language.log_keys import log_key
from ..language.tables import table
from ..operation.diagnosis.diagnosis import Diagnosis
from ..operation.maintenance.log import read_log
from ..operation.maintenance.upkeep import upkeep
from ..papers.design_file import design_document
from ..papers.design_schema import design_schema
from ..papers.materials import materials
from ..planning.paths import Terms
from ..studies.compare import compare
from ..studies.repair import repair
from ..studies.shelf import shelf
from ..train.treatment import Stage, Treatment
from ..treatments import ROOMS
from ..year.figures import Came
from ..year.machine import Machine
from .example import HARD_ONLY, ids, job, worked
from .toy import BONE_CHAR, FLUORIDE, CharKeys, toy_treatment

#: what a room declares itself: annotated on Treatment, with no default there
MUST = [name for name in Treatment.__annotations__ if not hasattr(Treatment, name)]


#: jobs in which every kind stands, one way round and the other
EVERY_KIND = [job(train=[{"kind": kind} for kind in ROOMS]), job(train=[{"kind": kind} for kind in reversed(ROOMS)])]


class ReadOnce:
    """A log in which everything was read once, thirty days ago."""

    on, lamp_age, lamp_life = dt.date(2026, 7, 1), 720.0, 9000.0

    def first(self, what: str) -> tuple[dt.date, float] | None:
        return self.begun(what), 0.5

    def begun(self, what: str) -> dt.date:
        return dt.date(2026, 6, 1)

    def tells(self, what: str) -> float:
        return 0.03

    def warmth(self) -> float | None:
        return 12.0


def missing(room: Treatment[Any]) -> list[str]:
    """What a room leaves out."""
    return [name for name in MUST if name not in vars(type(room))]


class EveryRoom(TestCase):
    def test_declares_all_that_is_known_of_its_kind(self) -> None:
        """A room that leaves something out is named with what is missing."""
        self.assertIn("price", MUST)
        self.assertEqual({kind: left for kind, room in ROOMS.items() if (left := missing(room))}, {})

    def test_what_is_left_out_is_named(self) -> None:
        """The suite can fail: a room without its price and its place in the order is told so."""

        class Bare(Treatment[CharKeys]):
            kind, title, silhouette, Keys, cautions, answers = "bare", "Bare", "tank", CharKeys, (), ()
            bypassed, absent, main = False, "", ()

        self.assertEqual(missing(Bare()), ["price", "place"])

    def test_has_words_and_a_module_of_its_own(self) -> None:
        """Each has cautions, a module named for its kind, and keys with a word of explanation."""
        for kind, room in ROOMS.items():
            self.assertTrue(room.title and room.silhouette and room.cautions and room.absent, kind)
            module = import_module(type(room).__module__)
            self.assertEqual(module.__name__.rsplit(".", 1)[1], kind)
            self.assertTrue(module.__doc__)

    def test_names_figures_that_it_has(self) -> None:
        """What a sheet shows first exists in some stage of the kind."""
        for kind, room in ROOMS.items():
            self.assertEqual(len(set(room.main)), len(room.main), kind)

    def test_identity_keys_say_what_a_stage_is(self) -> None:
        """No size is an identity key, and each choice that a candidate makes is one: or it would be lost at the first edit."""
        sizes = {"volume", "tank", "vessels", "housing", "salt_dose", "hardness_setting", "rated_flow", "rated", "storage", "hour", "dose"}
        for kind, room in ROOMS.items():
            marked = {f.name for f in fields(room.Keys) if f.metadata["identity"]}
            self.assertFalse(marked & sizes, kind)


class MonitoringPoints(TestCase):
    """What a treatment says is read at it, a log can hold, and what it should show is a pair of ends of one unit."""

    def test_every_treatment_names_what_a_log_knows(self) -> None:
        """No point that a log could not hold, none twice; what a series begins anew after is a task of some stage."""
        seen: dict[str, set[str]] = {}
        for document in EVERY_KIND:
            design = worked(document)
            for stage in design.chosen.run.stages:
                points = stage.room.over_time(stage).points
                self.assertEqual(len(set(points)), len(points), stage.id)
                for what in points:
                    self.assertEqual(log_key(f"{stage.id}.{what}", [stage.id]).what, what)
                seen.setdefault(stage.kind, set()).update(points)
        self.assertEqual({what for points in seen.values() for what in points} ^ set(table("log")["stage"]), {"flow"})
        self.assertEqual(set(ROOMS) - set(seen), set())

    def test_what_it_shows_is_a_band(self) -> None:
        """Each end has one unit, the low one below the high one, in a log that has read everything once."""
        for document in EVERY_KIND:
            design = worked(document)
            for stage in design.chosen.run.stages:
                over_time = stage.room.over_time(stage)
                for what in (*over_time.points, *table("log")["worked"]):
                    shown = over_time.shows(what, ReadOnce())
                    if shown is not None:
                        ends = [end for end in (shown.low, shown.high) if end is not None]
                        self.assertEqual(len({end.unit for end in ends}), 1, (stage.id, what))
                        self.assertTrue(shown.low is None or shown.high is None or shown.low.value <= shown.high.value, (stage.id, what))


class FromProposalToTrain(TestCase):
    def test_a_proposed_pump_keeps_its_pressure(self) -> None:
        """A roof's pump composed to hold 290 kPa holds 290 kPa once the train is stored and read again, not the table's 345."""
        rain = {
            "source": {"kind": "rain", "rain": {"roof_area": "150 m2", "monthly_rain": ["80 mm"] * 12}},
            "supply": {"pressure_low": "290 kPa", "pressure_high": "414 kPa"},
        }
        proposed = worked(job(rain, readings=HARD_ONLY | {"hardness": "10 mg/L as CaCO3"}))
        stored = worked(job(rain, readings=HARD_ONLY | {"hardness": "10 mg/L as CaCO3"}, train=written(proposed.plan.train)))
        held = [
            [stage.sizing.params["pressure"] for stage in design.chosen.run.stages if stage.kind == "booster_pump"] for design in (proposed, stored)
        ]
        self.assertEqual(held, [[290.0], [290.0]])

    def test_every_identity_key_of_every_kind_comes_back(self) -> None:
        """Stages with each choice made, written and read again, are the same to the last digit."""
        given: list[dict[str, Any]] = [
            {"kind": "neutralizer", "medium": "blend", "magnesia": 0.137, "flow": "up", "target_ph": 7.35}, {"kind": "booster_pump", "pressure": "41.3 psi"},
            {"kind": "sediment", "form": "dual_gradient", "micron": "3 um", "outer_micron": "37 um"}, {"kind": "storage_tank", "dark": True, "screened": False, "vented": True},
            {"kind": "oxidizing_filter", "medium": "air_charged", "bed": "manganese_dioxide"}, {"kind": "chemical_feed", "chemical": "caustic", "target_ph": 7.7},
            {"kind": "reverse_osmosis", "scale": "whole_house"}, {"kind": "anion_exchange", "target": "tannin"}, {"kind": "barrier_filter", "element": "ceramic"},
            {"kind": "scale_control", "method": "citrate"}, {"kind": "pressure_reducing_valve", "set": "3.7 bar"}, {"kind": "carbon", "medium": "catalytic", "form": "upflow"},
            {"kind": "softener", "reason": "the owner's", "install": {"bypass": "locked", "at": {"x": "1.25 m"}, "blocks": ["meter"]},
             "feed_limits": {"iron": {"high": "1.23 mg/L", "reason": "the maker's sheet"}, "hardness": {"high": "40 gpg", "reason": "so"}, "ph": {"low": "6.4", "reason": "so"}}},
        ]  # fmt: skip
        train = read_train(given) or ()
        again = read_train(written(train)) or ()
        for one, other in zip(train, again, strict=True):
            with self.subTest(one.kind):
                self.assertEqual(one.room.identity(one.keys), other.room.identity(other.keys))

    def test_what_was_typed_stays_as_it_was_typed(self) -> None:
        """A kept stage keeps its words, and loses the size that the train gave up."""
        typed = [{"kind": "softener", "id": "s1", "volume": "1.5 ft3", "salt_dose": "6 lb/ft3"}]
        room = ROOMS["softener"]
        kept = written([Stage(room, room.Keys(id="s1", salt_dose=96.0), "s1")], typed)
        self.assertEqual(kept, [{"kind": "softener", "id": "s1", "salt_dose": "6 lb/ft3"}])

    def test_a_proposal_stored_and_read_again_is_the_same_design(self) -> None:
        """For the acid well: the same stages, sizes, water and findings."""
        proposed = worked(job())
        stored = worked(job(train=written(proposed.plan.train)))
        for one, other in zip(proposed.chosen.run.stages, stored.chosen.run.stages, strict=True):
            self.assertEqual((one.id, one.sizing.params, one.water_out), (other.id, other.sizing.params, other.water_out))
        self.assertEqual(proposed.chosen.findings, stored.chosen.findings)


class ToyTreatment(TestCase):
    """One room and its rows are enough: nothing else has to know of a treatment."""

    def setUp(self) -> None:
        self.enterContext(toy_treatment())

    def well(self, **more: Any) -> Design:
        return worked(job(readings=HARD_ONLY | FLUORIDE, **more))

    def test_it_keeps_the_contract(self) -> None:
        """And is named where it would not."""
        self.assertEqual(missing(BONE_CHAR), [])

    def test_the_planner_proposes_it(self) -> None:
        """6 mg/L of fluoride beyond a limit of 4: the char at 3.0 is cheaper than a membrane at 3.5, and says why it is there."""
        design = self.well()
        self.assertEqual([stage.kind for stage in design.plan.train], ["bone_char", "softener"])
        self.assertTrue(design.plan.complete)
        self.assertEqual(design.proposal.reasons["bone_char"][0], "Needed because otherwise fluoride would stay at 6 mg/L.")
        self.assertEqual(worked(job(readings=HARD_ONLY)).plan.not_used["bone_char"], "nothing in this water asks for it")
        self.assertNotIn("bone_char", [stage.kind for stage in design.ground.planned(Terms(avoid=frozenset({"bone_char"}))).train])

    def test_the_audit_reads_it(self) -> None:
        """Its feed limit, its own rule, the general rules."""
        short = worked(
            job(readings=HARD_ONLY | FLUORIDE | {"turbidity": "8 NTU"}, train=[{"kind": "bone_char", "volume": "20 L", "install": {"bypass": False}}])
        )
        self.assertLessEqual({"contact-short/bone_char", "feed-limit/bone_char/turbidity", "no-bypass/bone_char"}, ids(short.chosen.findings))
        sound = worked(job(readings=HARD_ONLY, train=[{"kind": "bone_char"}, {"kind": "softener"}]))
        self.assertIn("unneeded/bone_char", ids(sound.chosen.findings))

    def test_a_repair_keeps_it(self) -> None:
        """An existing char filter that is needed stays on the wall."""
        design = self.well(train=[{"kind": "bone_char", "id": "old"}])
        self.assertIn("old", [stage.id for stage in repair(design).variant.train])

    def test_it_is_compared_and_stands_on_the_shelf(self) -> None:
        """With what it changes."""
        design = self.well(train=[{"kind": "bone_char"}, {"kind": "softener"}])
        rows = {row.what: row.cells for row in compare([design.chosen, design.proposal], "us")}
        self.assertIn("Bone char filter", rows["Stages"][0])
        offers = {offer.kind: offer for offer in shelf(design, design.chosen, "")}
        self.assertEqual(offers["bone_char"].does, "takes fluoride from 6.0 to 0.6 mg/L")

    def test_it_is_drawn_built_and_bought(self) -> None:
        """In the train, on the wall with its bypass, and in the list with its price."""
        design = self.well(train=[{"kind": "bone_char"}, {"kind": "softener"}])
        drawing, wall = draw_train(design, design.chosen, "us"), compose(design, design.chosen)
        self.assertEqual([column.kind for column in drawing.columns], ["bone_char", "softener"])
        self.assertEqual([unit.bypassed for unit in wall.units], [True, True])
        (row,) = [row for row in materials(design.chosen, wall) if row.key == "bone_char"]
        self.assertAlmostEqual(row.quantity, 10 * design.duty.flow, places=1)
        self.assertEqual(row.each, 4.0)

    def test_it_runs_through_the_year_and_is_kept(self) -> None:
        """One stock and one row: the year renews it when it is full, upkeep says when, a log has its band and a cause where it lets by."""
        design = self.well(train=[{"kind": "bone_char"}, {"kind": "softener"}])
        variant, char = design.chosen, design.chosen.run.stages[0]
        came = Came(Machine(variant, dt.date(2026, 1, 1), 365, 1).run())
        place = came.year.places[0]
        months = char.figures["replacement_interval"].value
        self.assertEqual(place.kept.events["change:medium"], int(12 / months))
        full = 3.0 * char.sizing.params["volume"]
        self.assertAlmostEqual(place.kept.lives[0], full, delta=0.1 * full)  # in winter less is drawn outdoors: the calendar comes first
        task = next(task for task in upkeep(variant) if task.id == "bone_char/medium")
        self.assertAlmostEqual(task.every, months * 30.44, delta=1)
        entries = [{"on": "2026-05-01", "readings": {"bone_char.fluoride_out": "10 mg/L"}}]
        log = read_log({"format": "cairn-log/1", "started_on": "2026-01-01", "entries": entries}, upkeep(variant), ["bone_char", "softener"])
        found = Diagnosis(variant, log, dt.date(2026, 5, 2))
        self.assertEqual([(cause.id, cause.stage, cause.severity) for cause in found.causes], [("no-longer/fluoride", "bone_char", "danger")])
        self.assertIsNotNone(found.look.bands.band("bone_char.fluoride_out"))

    def test_both_documents_know_it(self) -> None:
        """The schemas name it, the job is read, the design says its working; a proposal of it can be stored."""
        import jsonschema

        document = job(readings=HARD_ONLY | FLUORIDE, train=[{"kind": "bone_char", "grade": "fine"}])
        jsonschema.validate(document, job_schema())
        printed = design_document(worked(document))
        jsonschema.validate(printed, design_schema())
        (stage,) = printed["train"]
        self.assertEqual(stage["figures"]["contact_time"]["value"], 10.0)
        self.assertEqual(stage["params"]["grade"], "fine")
        self.assertEqual(written(read_job(document).train or ()), [{"kind": "bone_char", "grade": "fine"}])
