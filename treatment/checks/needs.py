"""What the water needs and what endangers people: feed limits, limits unmet, microbes, gases."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..audit.audit import Audit
from ..audit.rules import Hit, rule
from ..evidence.samples import PLUMBING, first_drawn
from ..evidence.untreated import untreated
from ..house.needs import Need
from ..job.limits import lowest_elsewhere
from ..language.analytes import MICROBES, analytes
from ..language.prose import sentence, was
from ..language.tables import table
from ..train.treatment import StageRun


@rule("feed-limit/<kind>/<analyte>", "train", "safety.evidence", on="*")
def feed_limit(audit: Audit, stage: StageRun[Any]) -> Iterator[Hit]:
    """The water that reaches a stage is not what it needs."""
    for breach in audit.broken[stage.index]:
        limit, row = breach.limit, analytes()[breach.limit.reads]
        if row.is_microbe:
            message = f"{row.name} reaches the {stage.said}, which does not tolerate it: {limit.because}."
        else:
            asked = breach.asked(audit.facts.job.units)
            assumed = " (assumed, not measured)" if breach.assumed else ""
            message = f"{row.name} at the {stage.said} is {audit.show(breach.value, row.shown_unit)}{assumed}; its feed limit is {asked}. {sentence(limit.because)}."
        remedy = f"Treat {row.said} before this stage, or move this stage after the one that treats it."
        yield Hit(limit.severity, message, remedy, (stage.kind, limit.analyte), source=limit.source)


@rule("unmet/<analyte>", "train", "safety.evidence")
def unmet(audit: Audit) -> Iterator[Hit]:
    """A comfort need that the finished water does not meet, or a comfort limit that the train itself breaks."""
    asked = [need for need in audit.needs if not (need.standing and need.goal == "ph")]  # that is told below, as what the train does
    for need in asked:
        if not need.met_by(audit.run.finished, audit.run.tap) and need.tap != "pipe" and not need.hurts(audit.run.finished.value(need.goal)):
            value, row = audit.run.finished.value(need.goal), analytes()[need.goal]
            bound = need.high if need.high is not None and value > need.high else need.low
            yield Hit(
                "caution",
                f"{row.name} in the treated water is {audit.show(value, analytes()[need.goal].shown_unit)}; "
                f"the target is {audit.show(bound or 0.0, analytes()[need.goal].shown_unit)}.",
                "Add or enlarge the treatment for it, or accept the finding with a reason.",
                (need.goal,),
                source=need.source,
            )
    yield from _comfort_at_the_tap(audit)
    judged = {need.goal for need in asked if need.goal != "ph" or not need.met_by(audit.run.finished, audit.run.tap)}
    for limit in audit.limits:
        made, was = audit.run.finished.get(limit.analyte), audit.run.raw.get(limit.analyte)
        if made is None or limit.health or limit.analyte in judged or not limit.broken_by(made):
            continue
        if was is not None and limit.broken_by(was) and (limit.high is None or was > limit.high or made <= limit.high):
            continue  # the source has it, and it is past the same end still
        row = analytes()[limit.analyte]
        if limit.analyte == "ph":
            message = f"The train itself changes the pH to {made:.1f}; the limits are {limit.low:g} to {limit.high:g}."
        else:
            message = (
                f"The train itself raises {row.said} to {audit.show(made, row.shown_unit)}; the limit is {audit.show(limit.high, row.shown_unit)}."
            )
        yield Hit("caution", message, _UNMAKE.get(limit.analyte) or _unmade(audit, limit.analyte), (limit.analyte,), source=limit.source)


def _unmade(audit: Audit, analyte: str) -> str:
    """What to do about something the train itself makes, by the stage that makes most of it."""
    made = [(stage.water_out.value(analyte) - stage.water_in.value(analyte), stage) for stage in audit.run.stages if not stage.at_tap]
    most, stage = max(made, key=lambda pair: abs(pair[0]), default=(0.0, None))
    if stage is None or not most:
        return "Use another treatment in its place, or accept the finding with a reason."
    if analyte == "ph" and stage.water_out.ph < stage.water_in.ph:
        return f"Put calcite after the {stage.said}, or feed soda ash before it."
    if "ph" in stage.room.answers:
        dosed = "Lower the dose of" if stage.room.uses_chemical else "Shorten the contact of, or fit a blending bypass around,"
        return f"{dosed} the {stage.said}, or accept the finding with a reason."
    return (
        f"Replace the {stage.said}, which causes it, by another treatment, fit a membrane at the drinking tap, or accept the finding with a reason."
    )


_UNMAKE = {
    "sodium": "Keep the kitchen tap unsoftened, use potassium chloride in place of salt or calcite in place of soda ash, or fit a membrane at the drinking tap.",
}


@rule("health/<analyte>", "train", "safety.evidence")
def health(audit: Audit) -> Iterator[Hit]:
    """A health limit that the finished water does not meet."""
    for need in audit.needs:
        if need.health and need.tap == "pipe" and not need.met_by(audit.run.finished, audit.run.tap):
            yield _from_the_pipe(audit, need)
        elif need.goal not in MICROBES and not need.met_by(audit.run.finished, audit.run.tap) and need.hurts(audit.run.finished.value(need.goal)):
            value, row = audit.run.finished.value(need.goal), analytes()[need.goal]
            yield Hit(
                "danger",
                f"{row.name} in the treated water is {audit.show(value, analytes()[need.goal].shown_unit)}; the health limit is "
                f"{audit.show(need.health_high or 0.0, analytes()[need.goal].shown_unit)}.",
                "Do not drink this water or shower with it. Have the plumbing and the hot water checked by a specialist, then retest."
                if row.is_microbe
                else "Do not drink this water. Treat it at the drinking tap or consult a specialist, then retest.",
                (need.goal,),
                source=need.source,
            )


@rule("tap-only/<analyte>", "water", "safety.one_tap")
def tap_only(audit: Audit) -> Iterator[Hit]:
    """A health need that is met at the drinking tap only: every other tap stays as it is."""
    for need in audit.needs:
        tap, house = audit.run.tap, audit.run.finished
        if not need.health or not need.tap or tap is house or not need.met_by(house, tap):
            continue
        everywhere = need.value if need.tap == "pipe" else house.value(need.goal)
        if need.tap != "pipe" and (need.met_by(house) or not need.hurts(everywhere)):
            continue
        row = analytes()[need.goal]
        first = "Use only the treated tap for infant formula, drinking, cooking and brushing teeth. Tell everybody in the house, and label the other taps."
        pipe = ""
        if need.goal in PLUMBING:
            lines = (
                "lead and brass parts replaced, and lead service lines located" if need.goal in _asked_first() else "pipe, fittings and taps checked"
            )
            pipe = f" Flush other taps until they run cold. Have {lines}."
        yield Hit("caution", f"{row.name} is treated at the drinking tap only. All other taps still deliver {audit.show(everywhere, row.shown_unit)}, "
                  f"above the limit of {audit.show(need.health_high or 0.0, row.shown_unit)}.", first + pipe, (need.goal,), source=need.source)  # fmt: skip


def _from_the_pipe(audit: Audit, need: Need) -> Hit:
    """A metal that pipe and fittings give: told with the draw it was found in, whatever the pH of the source."""
    row, unit = analytes()[need.goal], analytes()[need.goal].shown_unit
    draw = "in the first draw" if need.goal in first_drawn(audit.facts) else "in a sample"
    return Hit(
        "danger",
        f"{row.name} {draw} at the tap is {audit.show(need.value, unit)}; the health limit is {audit.show(need.health_high or 0.0, unit)}.",
        "Flush until it runs cold (30 s to 2 min, longer with a lead service line) before drinking. Fit a certified filter or membrane at the "
        "drinking tap at once, raise pH and alkalinity and keep them steady, and replace lead and brass parts. Protect infants and pregnant women first.",
        (need.goal,),
        source=need.source,
    )


def _comfort_at_the_tap(audit: Audit) -> Iterator[Hit]:
    """Metals that pipe and fittings give above a limit of comfort, and rust at a tap while the source is within its limits."""
    told = {need.goal for need in audit.needs}
    at_taps = audit.evidence.taps.keys() | audit.evidence.stood.keys()
    for limit in audit.limits:
        if limit.analyte in told or limit.analyte not in at_taps:
            continue
        given, stood = audit.evidence.taps.get(limit.analyte), audit.evidence.stood.get(limit.analyte)
        row = analytes()[limit.analyte]
        draw = "in the first draw " if limit.analyte in first_drawn(audit.facts) else ""
        if given is not None and limit.broken_by(given.design):
            told.add(limit.analyte)
            yield Hit(
                "caution",
                f"{row.name} {draw}at the tap is {audit.show(given.design, row.shown_unit)}; the aesthetic limit is {audit.show(limit.high, row.shown_unit)}.",
                "Flush until it runs cold before drinking. Keep pH and alkalinity up and steady, and have pipe and brass parts checked.",
                (limit.analyte,),
                source=limit.source,
            )
        elif stood is not None and limit.broken_by(stood.design) and not limit.broken_by(audit.run.raw.value(limit.analyte)):
            told.add(limit.analyte)
            held = audit.show(stood.design, row.shown_unit)
            if audit.evidence.measured(limit.analyte):
                says = f"{row.name} at the tap is {held}; the source is within the limit of {audit.show(limit.high, row.shown_unit)}. It comes from the pipe."
                remedy = "Flush the taps until the water runs clear, and have old steel pipe checked."
            else:
                says = f"{row.name} at the tap is {held}, and the source was not tested for it. It may come from the pipe."
                remedy = f"Test the source for {row.said}."
            yield Hit("caution", says, remedy, (limit.analyte,), source=limit.source)


@rule("microbes-untreated", "train", "safety.boil")
def microbes_untreated(audit: Audit) -> Iterator[Hit]:
    """Microbes were found and reach a tap: that of the house, or of a branch taken off before the barrier."""
    taps = audit.run.at_every_tap
    left = [analytes()[name].name for name in MICROBES if any(water.value(name) > 0 for water in taps) and name not in audit.evidence.carried]
    if left and audit.facts.wishes.safe_to_drink is not False and not _lamp_too_small(audit):
        yield Hit(
            "danger",
            f"{', '.join(left)} {was(left)} found in the raw water, and {_nothing_holds(audit)}.",
            "Add disinfection at the end of the train, before any branch. Boil drinking water until then.",
        )


def _lamp_too_small(audit: Audit) -> bool:
    """Whether a lamp stands in the house's line that gives too little light: its own finding says so, once."""
    lamps = [stage for stage in audit.run.stages if stage.room.way == "uv" and not stage.at_tap]
    house = any(audit.run.finished.value(name) > 0 for name in MICROBES)
    return house and any(stage.figures["delivered_dose"].value < stage.sizing.params["required_dose"] * 0.995 for stage in lamps)


def _nothing_holds(audit: Audit) -> str:
    """Whether microbes reach every tap, or only one that branches off before the barrier."""
    alive = any(audit.run.finished.value(name) > 0 for name in MICROBES)
    return "no stage of this train removes or inactivates them" if alive else "the drinking tap branches off before the disinfection stage"


@rule("source-risk", "water train", "safety.source")
def source_risk(audit: Audit) -> Iterator[Hit]:
    """A source that carries microbes by its kind, and nothing against them; surface water is referred, too."""
    kind, carries = audit.facts.source.kind or "", table("assumed")["source"]["carries"]
    if kind not in carries or audit.facts.wishes.safe_to_drink is False:
        return
    if any(water.value(name) > 0 for water in audit.run.at_every_tap for name in audit.evidence.carried) and not _lamp_too_small(audit):
        said = carries[kind][0].upper() + carries[kind][1:]
        yield Hit("danger", f"{said} must be treated as carrying microbes, and {_nothing_holds(audit)}. One sample without bacteria does not show that it is safe next month.",
                  "Add disinfection at the end of the train, and test in wet and in dry seasons. Boil drinking water until then.")  # fmt: skip
    elif kind == "surface":
        yield Hit("caution", "Surface water changes with the weather: turbidity, algae, organic matter and cysts.",
                  "Have its treatability studied over the seasons by a specialist before this is built.")  # fmt: skip


@rule("boil-water", "water", "safety.boil")
def boil_water(audit: Audit) -> Iterator[Hit]:
    """Microbes were found: the notice stands until the treated water is retested."""
    if audit.microbes_found:
        found = [analytes()[name].name for name in MICROBES if name in audit.evidence.microbes_found]
        yield Hit("danger", f"{', '.join(found)} {was(found)} found in the water. Boil water for drinking, cooking and brushing teeth.",
                  "Keep boiling until the treatment is running, the pipes after it have been disinfected, and a laboratory retest finds no bacteria. "
                  "Find and fix the way microbes get in.")  # fmt: skip


@rule("nitrate-infants", "water", "safety.nitrate")
def nitrate_infants(audit: Audit) -> Iterator[Hit]:
    """Nitrate above the limit: a danger to infants, and boiling makes it worse."""
    for name in ("nitrate", "nitrite"):
        value, limit = audit.run.raw.value(name), audit.limit(name)
        if limit is not None and value > limit:
            yield Hit("danger", f"{analytes()[name].name} {audit.show(value, 'mg/L N')} is above {audit.show(limit, 'mg/L N')}.",
                      "Do not give this water, or formula made with it, to infants under six months. Never boil it for this: boiling concentrates nitrate.")  # fmt: skip


@rule("gas-hazard", "water", "safety.gas")
def gas_hazard(audit: Audit) -> Iterator[Hit]:
    """A dissolved gas that is dangerous in a closed room."""
    for name, level in audit.duty.rows["hazards"].items():
        value, row = audit.run.raw.value(name), analytes()[name]
        if value >= level:
            yield Hit("danger", f"{row.name} {audit.show(value, row.shown_unit)}: the gas leaves the water and collects in closed rooms.",
                      "Ventilate, keep flames away, and have a licensed contractor design vented aeration.")  # fmt: skip
        elif name != "hydrogen_sulfide" and value >= level * audit.duty.rows["gas"]["told_from"]:
            said, mark = audit.show(value, row.shown_unit), audit.show(level, row.shown_unit)
            yield Hit("caution", f"{row.name} {said} was measured: below {mark}, but it leaves the water and collects in closed rooms.",
                      "Ventilate pump house and rooms, keep flames away, measure again, and have a licensed contractor check it.")  # fmt: skip


@rule("refer/<analyte>", "water", "safety.refer")
def refer(audit: Audit) -> Iterator[Hit]:
    """Something beyond what is sized here."""
    for need in audit.needs:
        if "referred" in analytes()[need.goal].places:
            row = analytes()[need.goal]
            at_tap = audit.run.tap is not audit.run.finished and need.met_by(audit.run.finished, audit.run.tap)
            yield Hit(
                "danger" if need.health and not at_tap else "caution",
                f"{row.name} {audit.show(need.value, analytes()[need.goal].shown_unit)} is beyond what is sized here.",
                "Consult a specialist and the health authority. Use other water for drinking until then.",
                (need.goal,),
            )
    for name, state in audit.evidence.stated.items():
        row = analytes()[name]
        if "referred" in row.places and row.family != "gas" and state.low > 0 and audit.limit(name) is None:
            other = lowest_elsewhere(name) if row.family in ("metal", "ion") else None
            if other is not None and state.design <= other:
                continue  # rock gives it, and it is below what any standard asks
            yield Hit("danger" if row.is_microbe else "caution", f"{row.name} {audit.show(state.design, row.shown_unit)} was found, and this job has no limit for it.",
                      "Have the laboratory identify the substances, and consult a specialist and the health authority.", (name,))  # fmt: skip


@rule("seen-not-treated", "water", "safety.refer")
def seen_not_treated(audit: Audit) -> Iterator[Hit]:
    """Rows of a report that are no reading of ours, and must not be lost: above a limit, or dangerous by their name."""
    for found in untreated(audit.facts):
        row = found.row
        yield Hit(
            found.severity,
            f"The laboratory reports “{row.name}: {row.result}”: {found.why}. It was not used, and this design is not sized for it.",
            "Ask the laboratory what it means, and consult a specialist and the health authority. Use other water for drinking until then."
            if found.severity == "danger"
            else "Add it to the sample as a reading, with its unit, or ask the laboratory what it means.",
        )


def _asked_first() -> set[str]:
    """The metals that a first draw is asked for, where water may dissolve pipe: lead and copper."""
    return set(table("tests")["demanded"]["lead-plumbing"]["tests"])


@rule("lead-plumbing", "water", "safety.lead")
def lead_plumbing(audit: Audit) -> Iterator[Hit]:
    """Aggressive water in metal pipe, and no first draw tested for lead and copper; a flushed sample or the source clear nothing."""
    pipe = audit.facts.supply.pipe
    metal = bool(pipe and pipe.material == "copper") or "blue_green_stains" in audit.facts.observations
    house, raw = audit.duty.rows["house"], audit.run.raw
    dissolves = raw.ph < house["aggressive_ph"] or (raw.ph < house["soft_ph"] and raw.value("alkalinity") < house["soft_alkalinity"])
    if metal and dissolves and not first_drawn(audit.facts) >= _asked_first():
        yield Hit("caution", f"Water at pH {raw.ph:.1f} with {audit.show(raw.value('alkalinity'), 'mg/L alkalinity')} alkalinity is in contact with metal pipe, "
                  "and no first-draw sample was tested for both lead and copper.",
                  "Take a first-draw sample after the water has stood overnight. Flush taps before drinking until you have the result.")  # fmt: skip


@rule("iron-bacteria-first", "train water", "safety.iron_bacteria")
def iron_bacteria_first(audit: Audit) -> Iterator[Hit]:
    """Iron bacteria with no disinfection ahead of the beds."""
    treats = [stage for stage in audit.run.stages if not (stage.room.pumps or stage.room.reduces or stage.room.serves or stage.room.stores)]
    while treats and treats[0].room.holds_particles and treats[0].sizing.bed is None:  # a screen or a cartridge is flushed or changed
        treats = treats[1:]
    if audit.run.raw.value("iron_bacteria") > 0 and treats and not treats[0].room.uses_chemical:
        yield Hit("fault", "Iron bacteria were found, and nothing disinfects the water before the beds: slime will foul them.",
                  "Shock-chlorinate the well, and feed chlorine with contact time before the beds.")  # fmt: skip
