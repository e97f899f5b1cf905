"""What of a job decides how it is started: its pipe and how it is joined, the ways round its units, and which of them join later."""

from __future__ import annotations

from functools import cached_property
from math import ceil
from typing import Any

from ..drawing.wall.compose import built
from ..house.packing import media_bag
from ..house.pipes import joined_by
from ..language.prose import listed
from ..language.tables import table
from ..planning.evaluated import EvaluatedTrain
from ..train.treatment import StageRun
from ..train.ways import Way, ways_round
from ..train.weights import filled_mass
from ..wall.parts import Wall


class Situation:
    """The facts of a job that the steps of its start ask for."""

    def __init__(self, variant: EvaluatedTrain):
        self.variant = variant
        self.facts = variant.audit.facts
        self.stages = variant.run.stages
        self.rows = table("commissioning")
        self.ways: dict[str, Way] = {id: way for id, way in ways_round(self.stages).items() if self.source.isdisjoint(way.units)}

    @cached_property
    def wall(self) -> Wall:
        """The wall as it is to be built: its fittings are what is joined."""
        return built(self.variant)

    # --- pipe ---------------------------------------------------------------------------------------------------------
    @cached_property
    def method(self) -> str:
        return joined_by(self.facts)

    @cached_property
    def joints(self) -> float:
        return joints_on(self.wall)

    @property
    def joints_ahead(self) -> float:
        """Of these, whole ones that are made on the bench while the house still has its water."""
        return float(ceil(self.joints * float(self.rows["joining"]["share"]["ahead"])))

    @cached_property
    def bare(self) -> frozenset[str]:
        """Units of cartridges or elements that no water can go round: their housings are flushed empty."""
        return frozenset(stage.id for stage in self.stages if not stage.at_tap and stage.id not in self.ways and housed(stage))

    @cached_property
    def source(self) -> frozenset[str]:
        """Units between a tank and the pump that brings its water to the house: they start before the house's pipe gets water."""
        head: list[StageRun[Any]] = []
        for stage in self.stages:
            pumped = any(not open_to_air(other) for other in head)
            if not (open_to_air(stage) and not pumped) and stage.kind not in self.rows["occasion"]["pumped"]:
                break
            head.append(stage)
        first = next((stage for stage in head if stage.kind != "first_flush"), None)
        return frozenset(stage.id for stage in head) if first is not None and first.room.stores else frozenset()

    @property
    def _large_pipe(self) -> bool:
        """Whether the house's pipe is so large that cement takes longer."""
        pipe = self.facts.supply.pipe
        return pipe is not None and pipe.size is not None and pipe.size > float(self.rows["occasion"]["large_pipe_m"]) - 1e-6

    @cached_property
    def counts(self) -> dict[str, float]:
        """What makes work: minutes of joining, on the bench and on the wall, units, drain lines, metres of pipe."""
        each = float(self.rows["joining"]["minutes"].get(self.method, self.rows["joining"]["minutes"]["other"]))
        return {
            "joints_ahead": self.joints_ahead * each,
            "joints_last": (self.joints - self.joints_ahead) * each,
            "units": float(len(self.stages)),
            "drains": float(sum(stage.drains for stage in self.stages)),
            "metres": self.wall.pipe_length("main", "leg", "metal", "bypass"),
        }

    def counts_of(self, stage: StageRun[Any]) -> dict[str, float]:
        """What makes work at one unit: bags of medium, vessels, cartridges."""
        return self.counts | {"bags": bags(stage), "vessels": float(stage.bodies) if stage.sizing.bed else 1.0}

    # --- words --------------------------------------------------------------------------------------------------------
    @cached_property
    def words(self) -> frozenset[str]:
        """The facts that steps of the place ask for by word."""
        pipe = self.facts.supply.pipe.material if self.facts.supply.pipe else None
        found = {
            self.method or "method_unknown": True,
            "drains": any(stage.drains for stage in self.stages),
            "power": any(stage.powered for stage in self.stages),
            "microbes": self.variant.audit.microbes_present,
            "copper": pipe == "copper",
            "bypass": bool(self.ways),
            "own_bypass": any(not way.shared for way in self.ways.values()),
            "group": any(way.shared for way in self.ways.values()),
            "bare": bool(self.bare),
            "source": bool(self.source),
            "at_tap_only": all(stage.at_tap for stage in self.stages),
            "lamp": any(stage.kind == "uv" for stage in self.stages),
            "membrane": any(stage.kind == "reverse_osmosis" for stage in self.stages),
            "carbon": any(stage.kind == "carbon" for stage in self.stages),
            "vessels": any(stage.sizing.bed is not None for stage in self.stages),
            "no_way": bool(self.no_way),
            "fresh_upflow": any(stage.sizing.params.get("form") == "upflow" for stage in self.stages),
            "salt": any(stage.room.uses_salt for stage in self.stages),
            "large_pipe": self._large_pipe,
        }
        return frozenset(word for word, so in found.items() if so)

    def words_of(self, stage: StageRun[Any]) -> frozenset[str]:
        """The facts that steps of one unit ask for by word, those of the place among them."""
        way, before = self.ways.get(stage.id), self.stages[: stage.index]
        medium, chlorine = stage.sizing.params.get("medium"), any(_feeds_chlorine(other) for other in before)
        lit = stage.room.lit_ends(stage.keys)
        mass, most = filled_mass(stage), float(self.rows["occasion"]["carried_kg"])
        found = {
            "much_iron": stage.water_in.value("iron") > self.rows["occasion"]["much_iron"],
            "own_way": way is not None and not way.shared,
            "shared_way": way is not None and way.shared,
            "at_tap": stage.at_tap,
            "bare_unit": stage.id in self.bare,
            "at_source": stage.id in self.source,
            "pressed": not open_to_air(stage),
            "hosed": hosed(stage, way),
            "loaded": bool(stage.keys.loaded),
            "heavy": mass is not None and mass.value > most,
            "bleach": medium in self.rows["occasion"]["bears_chlorine"] or (medium in self.rows["occasion"]["with_chlorine"] and chlorine),
            "chlorine_fed": _feeds_chlorine(stage),
            "lit": any(lit),
            "counter_current": stage.sizing.params.get("brining") == "counter_current",
            "bed": stage.sizing.bed is not None,
            "several": stage.sizing.bed is not None and stage.bodies > 1,
        }
        return self.words | {word for word, so in found.items() if so}

    @property
    def no_way(self) -> list[StageRun[Any]]:
        """Units on the house's pipe that nothing goes round."""
        return [stage for stage in self.stages if not stage.at_tap and stage.id not in self.ways]

    @cached_property
    def names(self) -> dict[str, str]:
        """Words that lines of the place speak of: which units share a bypass, which have none."""
        called = {stage.id: stage.said for stage in self.stages}
        shared = {way.units for way in self.ways.values() if way.shared}
        found = {
            "group_units": "; ".join(listed(called[id] for id in units) for units in sorted(shared)),
            "no_way_units": listed(stage.said for stage in self.no_way),
            "bare_units": listed(called[stage.id] for stage in self.stages if stage.id in self.bare),
        }
        return {name: words for name, words in found.items() if words}


def joints_on(wall: Wall) -> float:
    """Ends of pipe to be joined on a wall."""
    return float(sum(each * wall.count(kind) for kind, each in table("commissioning")["joints"].items()))


def open_to_air(stage: StageRun[Any]) -> bool:
    """Whether it is no vessel under pressure: nothing of it is opened a quarter, vented by a plug, or looked at for a joint that drips."""
    return stage.kind in table("commissioning")["occasion"]["open_to_air"]


def housed(stage: StageRun[Any]) -> bool:
    """Whether it is a housing whose cartridges or elements can be left out."""
    return (
        stage.sizing.params.get("form") in ("cartridge", "dual_gradient")
        or stage.kind == "barrier_filter"
        or stage.sizing.params.get("medium") == "cartridge"
    )


def hosed(stage: StageRun[Any], way: Way | None) -> bool:
    """Whether it is a loaded tank that does not wash itself, so that hoses do it before it is piped.

    A unit that is no bed of ours but holds loose medium has it in line where it has a bypass to itself.
    """
    if stage.sizing.bed is not None:
        return not stage.regenerates
    return stage.room.upright(stage.keys) and (way is None or way.shared)


def _feeds_chlorine(stage: StageRun[Any]) -> bool:
    return stage.kind == "chemical_feed" and stage.sizing.params.get("chemical", getattr(stage.keys, "chemical", None)) == "chlorine"


def bags(stage: StageRun[Any]) -> float:
    """Bags of medium that go into it."""
    bed = stage.sizing.bed
    return float(ceil(bed.volume * stage.bodies / media_bag(stage.duty) - 1e-6)) if bed is not None else 0.0
