"""The steps of a job in the practitioner's order, and what each still lacks."""

from __future__ import annotations

from dataclasses import dataclass

from django.urls import reverse

from .jobs.models import Job


@dataclass(frozen=True)
class Step:
    """A step: where it is, whether it is ready, and in words what it lacks."""

    key: str
    title: str
    url: str
    lacks: tuple[str, ...]
    current: bool
    purpose: str

    @property
    def ready(self) -> bool:
        return not self.lacks


#: what a step is for, told at the first visit
PURPOSES = {
    "site": "Here you say where the water comes from, who uses it and what they wish; the house's use and its needs follow from it.",
    "water": "Here the water test goes in: typed in a line, read from a laboratory's file, or taken with a kit.",
    "supply": "Here the pump's flow and pressure go in, told or measured; they decide what can be washed, and what is left at the shower.",
    "train": "Here stands what treats the water, composed and sized for this test; change anything, and every figure and finding follows.",
    "wall": "Here the train is drawn on its wall to scale, with pipes, valves and drains; move what is in the way.",
    "commission": "Here the train is put in, filled, started and proven: every step of this very train, in visits, ticked on a phone with or without reception.",
    "logbook": "Here the years after are kept: what was read and done, beside what the design expects, what is due, and what may be behind it.",
}


def steps(job: Job, current: str) -> list[Step]:
    """Site, Water, Supply, Train, Wall, Commission, Logbook, each with what it still lacks; nobody is forced through in order."""
    survey = job.survey
    measured = {reading.analyte for sample in job.samples.all() for reading in sample.readings.all()}
    site = [
        word
        for word, held in (
            ("the source", survey.source_kind),
            ("people", survey.people is not None),
            ("fixtures or bathrooms", survey.fixtures or survey.bathrooms),
        )
        if not held
    ]
    water = [word for word, key in (("pH", "ph"), ("hardness", "hardness"), ("alkalinity", "alkalinity"), ("iron", "iron")) if key not in measured]
    if not measured & {"total_coliform", "e_coli"} and survey.source_kind != "town":
        water.append("a coliform test")
    supply = [
        word
        for word, held in (
            ("flow", survey.flow_l_min or survey.drawdown_drawn_l),
            ("pressure", survey.pressure_low_kpa),
            ("temperature", survey.temperature_c is not None),
            ("pipe", survey.pipe_size_m),
        )
        if not held
    ]
    train = [] if measured else ["a water test"]
    site_facts = survey.rest.get("site", {})
    wall = [word for word, key in (("the wall's width", "wall_width"), ("the ceiling", "ceiling"), ("the drain", "drain")) if not site_facts.get(key)]
    started = getattr(job, "start_run", None)
    left = started.open_steps if started else None
    commission = ["starting up"] if left is None else [f"{left} steps"] if left else []
    lacking = {
        "site": site,
        "water": water,
        "supply": supply,
        "train": train,
        "wall": wall,
        "commission": commission,
        "logbook": [] if getattr(job, "log", None) else ["a log"],
    }
    return [Step(key, key.capitalize(), reverse(key, args=[job.pk]), tuple(lacks), key == current, PURPOSES[key]) for key, lacks in lacking.items()]
