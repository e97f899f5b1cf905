"""The ways in which people spoil a sound train, for the audit to find: over fifty, each with where it applies and when it does no harm.

Used by ``test_mutations.py`` (a sample) and by ``./cairn bench`` (three hundred waters).
"""

from __future__ import annotations

import copy
import random
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from ..design import Design
from ..language.errors import BadDocument
from ..planning.evaluated import EvaluatedTrain
from .example import worked
from .test_own_trains import SITUATIONS, again, house

Train = list[dict[str, Any]]
Spoil = Callable[[Train], Train | None]
SERIOUS = ("danger", "fault", "caution")


def _of(train: Train, kind: str, **held: Any) -> int | None:
    """Where the first stage of a kind stands, with these keys; None where there is none."""
    return next((i for i, stage in enumerate(train) if stage["kind"] == kind and all(stage.get(key) == value for key, value in held.items())), None)


def changed(kind: str, *, where: Callable[[dict[str, Any]], bool] = lambda stage: True, **keys: Any) -> Spoil:
    """A stage of a kind with some keys put to other values; None takes a key out."""

    def spoil(train: Train) -> Train | None:
        at = _of(train, kind)
        if at is None or not where(train[at]):
            return None
        held = {key: value(train[at]) if callable(value) else value for key, value in keys.items()}
        train[at] = {key: value for key, value in {**train[at], **held}.items() if value is not None}
        return train

    return spoil


def installed(kind: str, **keys: Any) -> Spoil:
    """A stage of a kind built in wrongly."""

    def spoil(train: Train) -> Train | None:
        at = _of(train, kind)
        if at is None:
            return None
        train[at]["install"] = train[at].get("install", {}) | keys
        return train

    return spoil


def dropped(kind: str) -> Spoil:
    """Left out."""

    def spoil(train: Train) -> Train | None:
        at = _of(train, kind)
        return None if at is None else train[:at] + train[at + 1 :]

    return spoil


def moved(kind: str, to_front: bool) -> Spoil:
    """Put first, or last."""

    def spoil(train: Train) -> Train | None:
        at = _of(train, kind)
        if at is None or len(train) < 2 or at == (0 if to_front else len(train) - 1):
            return None
        stage = train.pop(at)
        return [stage, *train] if to_front else [*train, stage]

    return spoil


def added(stage: dict[str, Any], to_front: bool = False, unless: str = "") -> Spoil:
    """A stage more, at either end."""

    def spoil(train: Train) -> Train | None:
        if unless and _of(train, unless) is not None:
            return None
        return [dict(stage), *train] if to_front else [*train, dict(stage)]

    return spoil


def small(kind: str) -> Spoil:
    """A vessel far too small."""
    return changed(kind, where=lambda stage: "tank" in stage, tank="8x44", volume="0.5 ft3", vessels=1)


def tap_first(train: Train) -> Train | None:
    """The drinking branch taken off before what makes microbes harmless."""
    at = _of(train, "uv")
    if at is None:
        return None
    return [*train[:at], {"kind": "reverse_osmosis", "scale": "point_of_use", "install": {"branch": "drinking_tap"}}, *train[at:]]


def same_hour(train: Train) -> Train | None:
    """Two units that wash at the same hour."""
    timed = [stage for stage in train if "hour" in stage]
    if len(timed) < 2:
        return None
    timed[1]["hour"] = timed[0]["hour"]
    return train


def behind(kind: str, other: str) -> Spoil:
    """Put directly behind a stage that it has to stand before."""

    def spoil(train: Train) -> Train | None:
        at, after = _of(train, kind), _of(train, other)
        if at is None or after is None or at > after:
            return None
        stage = train.pop(at)
        return [*train[:after], stage, *train[after:]]

    return spoil


def after(kind: str, stage: dict[str, Any]) -> Spoil:
    """A stage put directly behind another."""

    def spoil(train: Train) -> Train | None:
        at = _of(train, kind)
        return None if at is None else [*train[: at + 1], dict(stage), *train[at + 1 :]]

    return spoil


def bare(kind: str) -> Spoil:
    """The particle filters before a stage left out."""

    def spoil(train: Train) -> Train | None:
        at = _of(train, kind)
        if at is None or not any(stage["kind"] == "sediment" for stage in train[:at]):
            return None
        return [stage for i, stage in enumerate(train) if i >= at or stage["kind"] != "sediment"]

    return spoil


def before_the_membrane(train: Train) -> Train | None:
    """All that stands before a membrane left out, but what holds pressure."""
    at = _of(train, "reverse_osmosis")
    if not at:
        return None
    return [
        stage
        for i, stage in enumerate(train)
        if i >= at or stage["kind"] in ("booster_pump", "pressure_reducing_valve", "storage_tank", "first_flush")
    ]


def up_flow_in_rust(train: Train) -> Train | None:
    """A neutralizer that is never washed, behind where iron was turned to rust and before it is held."""
    at, bed = _of(train, "retention_tank"), _of(train, "neutralizer")
    if at is None or bed is None or _of(train, "chemical_feed", chemical="chlorine") is None:
        return None
    stage = train.pop(bed) | {"form": "upflow"}
    stage.pop("hour", None)
    at = _of(train, "retention_tank")
    assert at is not None
    return [*train[: at + 1], stage, *train[at + 1 :]]


def _twice(stage: dict[str, Any], factor: float) -> str:
    return f"{stage['hardness_setting']['value'] * factor} mg/L as CaCO3"


def _dose(factor: float) -> Callable[[dict[str, Any]], str]:
    return lambda stage: f"{stage['dose']['value'] * factor} mg/L"


#: what people do -> how
MUTATIONS: dict[str, Spoil] = {
    **{f"no {kind}": dropped(kind) for kind in ("softener", "neutralizer", "oxidizing_filter", "carbon", "sediment", "uv", "retention_tank", "chemical_feed", "anion_exchange",
                                               "booster_pump", "pressure_reducing_valve", "storage_tank", "reverse_osmosis", "aeration")},
    **{f"{kind} first": moved(kind, True) for kind in ("softener", "oxidizing_filter", "carbon", "uv", "anion_exchange")},
    **{f"{kind} last": moved(kind, False) for kind in ("neutralizer", "oxidizing_filter", "softener", "carbon", "chemical_feed", "pressure_reducing_valve")},
    **{f"{kind} in a small vessel": small(kind) for kind in ("softener", "neutralizer", "oxidizing_filter", "carbon", "anion_exchange")},
    "lamp of a third": changed("uv", rated_flow=lambda stage: f"{stage['rated_flow']['value'] / 3} L/min"),
    "lamp declared at 16": changed("uv", required_dose="16 mJ/cm2"),
    "50 um before the lamp": changed("sediment", where=lambda stage: stage.get("form") == "cartridge", micron="50 um"),
    "small retention": changed("retention_tank", volume="10 gal"),
    "small storage membrane": changed("reverse_osmosis", where=lambda stage: stage.get("scale") == "whole_house", rated="20 gal/day"),
    "recovery too high": changed("reverse_osmosis", recovery=0.85),
    "recovery of nine tenths": changed("reverse_osmosis", recovery=0.9),
    "no pretreatment of the membrane": before_the_membrane,
    "first flush behind the tank": behind("first_flush", "storage_tank"),
    "pump before the tank": behind("storage_tank", "booster_pump"),
    "calcite from below in rust": up_flow_in_rust,
    "a neutralizer that is never washed": changed("neutralizer", where=lambda stage: stage.get("form") != "upflow", form="upflow", hour=None),
    "softener behind the membrane": behind("softener", "reverse_osmosis"),
    "elements of one": changed("barrier_filter", where=lambda stage: stage.get("elements", 1) > 1, elements=1),
    "no fine filter before the elements": bare("barrier_filter"),
    "barrier first": moved("barrier_filter", True),
    "a lamp in the tank that burns an hour": after("storage_tank", {"kind": "in_tank_uv", "hours": 1}),
    "carbon as granules in a cartridge": changed(
        "carbon", where=lambda stage: "tank" in stage, form="cartridge", medium="granular", tank=None, volume=None, vessels=None, bed=None, hour=None
    ),
    "a hydraulic valve at 30 psi": changed("pressure_reducing_valve", set="30 psi"),
    "setting halved": changed("softener", hardness_setting=lambda stage: _twice(stage, 0.5)),
    "setting doubled": changed("softener", hardness_setting=lambda stage: _twice(stage, 2.0)),
    "salt at 15": changed("softener", salt_dose="15 lb/ft3"),
    "salt at 2": changed("softener", salt_dose="2 lb/ft3"),
    "timer of 30 days": changed("softener", regeneration="timer", every_days=30),
    "huge softener": changed("softener", tank="36x72", volume="20 ft3", vessels=1, every_days=None),
    "wash at noon": changed("softener", hour="12:00"),
    "two at one hour": same_hour,
    "no chlorine": changed("chemical_feed", where=lambda stage: stage.get("chemical") == "chlorine", dose="0 mg/L"),
    "chlorine times six": changed("chemical_feed", where=lambda stage: stage.get("chemical") == "chlorine", dose=_dose(6), residual=None),
    "strong solution": changed("chemical_feed", solution_strength="60 %"),
    "granular in place of catalytic": changed("carbon", where=lambda stage: stage.get("medium") == "catalytic", medium="granular"),
    "iron cartridge": changed(
        "oxidizing_filter", where=lambda stage: stage.get("medium") != "cartridge", medium="cartridge", tank=None, volume=None, vessels=None, bed=None, hour=None
    ),
    "wrong anion resin": changed("anion_exchange", where=lambda stage: stage.get("target") == "tannin", target="nitrate"),
    "pump at 130 psi": changed("booster_pump", pressure="130 psi"),
    "small aeration tank": changed("aeration", volume="25 gal"),
    "a timer of one day": changed("softener", regeneration="timer", every_days=1),
    "a screen of 5 um": changed("sediment", where=lambda stage: stage.get("form") == "cartridge", form="spin_down", micron="5 um", housing=None),
    "valve at 110 psi": changed("pressure_reducing_valve", set="110 psi"),
    "drinking branch before the lamp": tap_first,
    "fed hot": installed("softener", feed="hot"),
    "open bypass of the lamp": installed("uv", bypass=True),
    "softener without a bypass": installed("softener", bypass=False),
    "plastic at the lamp": installed("uv", pipe_out={"material": "pex", "metal_length": "0 in"}),
    "lamp upside down": installed("uv", orientation="upside_down"),
    "ballast below": installed("uv", ballast="below"),
    "no drip loop": installed("uv", drip_loop=False),
    "unprotected outlet": installed("uv", outlet="unprotected"),
    "unprotected outlet of the softener": installed("softener", outlet="unprotected"),
    "no room for the lamp": installed("uv", clearance_above="2 in"),
    "no air gap": installed("softener", drain={"air_gap": "0 in"}),
    "thin drain": installed("oxidizing_filter", drain={"bore": "1/4 in", "distance": "20 ft"}),
    "drain too high": installed("softener", drain={"lift": "14 ft"}),
    "overflow uphill": installed("softener", overflow={"lift": "6 in"}),
    "before the panel": installed("softener", blocks=["electrical_panel"]),
    "hose taps softened": installed("softener", branch="outdoor"),
    "no sample taps": installed("softener", sample_taps=False),
    "no room above the vessel": installed("oxidizing_filter", clearance_above="2 in"),
    "tank in the light": changed("storage_tank", dark=False),
    "tank unscreened": changed("storage_tank", screened=False),
    "a lamp more, first": added({"kind": "uv"}, True, "uv"),
    "a neutralizer more, last": added({"kind": "neutralizer"}, False, "neutralizer"),
    "an iron filter more": added({"kind": "oxidizing_filter"}, False, "oxidizing_filter"),
    "a tank open at the end": added({"kind": "storage_tank"}, False, "storage_tank"),
}  # fmt: skip


def harmless(name: str, before: EvaluatedTrain, after: EvaluatedTrain, design: Design) -> str:
    """Why a change does no harm to this very train; empty where it does."""
    drops, moves = name.startswith("no ") and name[3:] in {stage.kind for stage in before.run.stages}, name.endswith((" first", " last"))
    if drops or moves or name in ("granular in place of catalytic", "wrong anion resin", "no chlorine", "iron cartridge"):
        met = all(need.met_by(after.run.finished, after.run.tap) for need in design.needs)
        broken = bool(after.audit.breaks.keys() - before.audit.breaks.keys())
        pressed = after.pressure.residual_dirty.value >= before.pressure.residual_dirty.value - 1 or after.pressure.residual_clean.value >= 138
        unmade = after.run.finished.value("iron") <= max(before.run.finished.value("iron"), 0.3)
        if met and not broken and pressed and unmade and not after.run.finished.value("open_to_air"):
            return "every need is met, every stage gets its water, and pressure is left"
    if name == "recovery too high" and after.run.stages[-1].water_in.hardness < 50:
        return "soft water scales nothing at this recovery"
    if name == "50 um before the lamp":
        lamp = next((stage.index for stage in after.run.stages if stage.kind == "uv"), None)
        finer = lamp is not None and any((stage.micron or 99) <= 5 for stage in after.run.stages[:lamp])
        if finer or (lamp is None and not after.audit.breaks.keys() - before.audit.breaks.keys()):
            return "a finer filter follows, or nothing after it asks for finer water"
    if name == "small retention" and not any(stage.sizing.params.get("chemical") in ("chlorine", "peroxide") for stage in after.run.stages):
        return "it only mixes an alkali"
    if name == "huge softener" and any(
        stage.kind == "softener" and stage.figures["days_between_regenerations"].value <= 14 for stage in after.run.stages
    ):
        return "so many people empty it in two weeks"
    if name == "chlorine times six" and after.run.finished.value("free_chlorine") <= 1:
        return "carbon takes out what is fed too much"
    if name == "lamp of a third" and any(stage.kind == "uv" and stage.figures["delivered_dose"].value >= 40 for stage in after.run.stages):
        return "the third still gives the dose"
    return ""


@dataclass
class Outcome:
    """What came of the mutations: tried, found, harmless by reason, and what was not seen, by name."""

    tried: int = 0
    found: int = 0
    harmless: Counter[str] = field(default_factory=Counter)
    missed: Counter[str] = field(default_factory=Counter)
    seeds: dict[str, int] = field(default_factory=dict)

    @property
    def share(self) -> float:
        """Share found of those that do harm."""
        return self.found / max(self.tried - sum(self.harmless.values()), 1)


def _said(variant: EvaluatedTrain) -> set[tuple[str, str, str]]:
    """What is said that matters: rule, stage, severity; that a sample tap is missing is only advice."""
    return {(each.rule, each.stage, each.severity) for each in variant.findings if each.severity in SERIOUS or each.rule == "no-sample-tap"}


def sound_trains(count: int, seed: int) -> Iterator[tuple[int, dict[str, Any], Design]]:
    """Jobs whose own train is complete, each with its document."""
    pick = random.Random(seed)
    for n in range(count):
        document = house(pick, **copy.deepcopy(SITUATIONS[n % len(SITUATIONS)]))
        design = worked(document)
        if design.plan.complete and design.plan.train:
            yield n, document, design


def mutate(count: int, seed: int = 300) -> Outcome:
    """Spoil our own trains for so many waters in every way, and see what the audit says."""
    outcome = Outcome()
    for n, document, design in sound_trains(count, seed):
        whole = again(document, design.proposal)
        said = _said(design.proposal)
        for name, spoil in MUTATIONS.items():
            train = spoil(copy.deepcopy(whole["train"]))
            if train is None:
                continue
            outcome.tried += 1
            try:
                spoilt = worked(document | {"train": train})
            except BadDocument:  # refused at the door: seen
                outcome.found += 1
                continue
            new = _said(spoilt.chosen) - said
            if new:
                outcome.found += 1
            elif why := harmless(name, design.proposal, spoilt.chosen, design):
                outcome.harmless[why] += 1
            else:
                outcome.missed[name] += 1
                outcome.seeds.setdefault(name, n)
    return outcome
