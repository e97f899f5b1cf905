"""The steps of a job in the practitioner's order, and what each still lacks."""

from __future__ import annotations

from dataclasses import dataclass

from django.urls import reverse

from ..records.job import Job


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


#: how a step is called
TITLES = {
    "site": "Site", "water": "Water", "supply": "Supply", "train": "Train", "wall": "Layout", "year": "Year", "commission": "Commissioning", "logbook": "Logbook",
}  # fmt: skip
#: what a step is for, told at the first visit
PURPOSES = {
    "site": "Enter the water source, the household and its preferences. Daily use, peak demand and treatment needs follow from them.",
    "water": "Enter the water test: type it on one line, import a laboratory file, or use a test kit.",
    "supply": "Enter the measured or estimated flow and pressure. They decide which units can backwash and how much pressure reaches the shower.",
    "train": "This treatment train is selected and sized for this water. Change any unit and every figure and finding is recalculated.",
    "wall": "The train drawn to scale on its wall, with pipe, valves and drains. Move any unit that is in the way.",
    "year": "Run this train through a year, draw by draw: what it uses, what comes out of the taps, and what guests or forgotten salt change.",
    "commission": "Install, fill, start and verify this train, visit by visit. It works on a phone, online or offline.",
    "logbook": "Record readings and service. See what is due, how readings compare with the design, and possible causes of a problem.",
}


def steps(job: Job, current: str) -> list[Step]:
    """Site, Water, Supply, Train, Layout, Year, Commissioning, Logbook, each with what it still lacks; nobody is forced through in order."""
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
    commission = ["start-up"] if left is None else [f"{left} steps"] if left else []
    lacking = {
        "site": site,
        "water": water,
        "supply": supply,
        "train": train,
        "wall": wall,
        "year": train,
        "commission": commission,
        "logbook": [] if getattr(job, "log", None) else ["a log"],
    }
    return [Step(key, TITLES[key], reverse(key, args=[job.pk]), tuple(lacks), key == current, PURPOSES[key]) for key, lacks in lacking.items()]
