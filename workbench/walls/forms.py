"""The wall and its room: what is there, read by the core."""

from __future__ import annotations

from typing import Any

from django.forms import BoundField

from treatment.drawing.wall.placing import usual_size
from treatment.job.facts import Places, Site, SiteDrain, Spot
from treatment.language.display import show

from ..jobs.models import Job
from ..jobs.rest_form import RestForm

SPOT = (("x", "From the left", "6 ft"), ("width", "Width", ""), ("foot", "Foot above the floor", ""), ("height", "Height", ""))
THINGS = ("electrical_panel", "water_heater", "main_shutoff", "meter")


class WallForm(RestForm):
    """Site facts of the wall: sizes, drain, power, frost, and where the things are that stay."""

    FIELDS = {
        "wall_width": ("site", "wall_width", "Width of the wall", "9 ft"),
        "ceiling": ("site", "ceiling", "Ceiling", "7 ft"),
        "wall_depth": ("site", "wall_depth", "Depth before it", "30 in"),
        "joining": ("site", "joining", "Pipe is joined by", ""),
        "drain_kind": ("site.drain", "kind", "Drain", ""),
        "drain_distance": ("site.drain", "distance", "Drain line, length", "12 ft"),
        "drain_lift": ("site.drain", "lift", "Drain line, climb", "0 ft"),
        "drain_bore": ("site.drain", "bore", "Drain line, bore", "3/4 in"),
        "drain_air_gap": ("site.drain", "air_gap", "Air gap", "2 in"),
        "outlet_protected": ("site", "outlet_protected", "Outlet with GFCI/RCD", ""),
        "frost_free": ("site", "frost_free", "Frost-free", ""),
        "in_sun": ("site", "in_sun", "In the sun", ""),
        **{f"{name}_{key}": (f"site.places.{name}", key, label, hint) for name in THINGS for key, label, hint in SPOT},
    }
    RECORDS = {"site": Site, "site.drain": SiteDrain, **{f"site.places.{name}": Spot for name in THINGS}}
    WORDS = {"none": "none", "expansion": "PEX, expansion", "crimp": "PEX, crimped", "push_fit": "push-fit", "solder": "copper, soldered", "press": "copper, pressed",
             "solvent": "solvent weld", "compression": "compression"}  # fmt: skip
    EMPTY = {"joining": "not decided", "drain_kind": "not known", "outlet_protected": "not known", "frost_free": "not known", "in_sun": "not known"}

    def __init__(self, data: Any = None, *, job: Job) -> None:
        super().__init__(data, job=job)
        for name in THINGS:
            for (key, _, _), usual in zip(SPOT[1:], usual_size(name), strict=True):
                self.fields[f"{name}_{key}"].widget.attrs["placeholder"] = f"{show(usual, 'mm', job.units)} (ours)"

    @property
    def room(self) -> list[BoundField]:
        """The fields of the wall itself."""
        return [field for field in self.visible_fields() if not field.name.startswith(THINGS)]

    @property
    def things(self) -> list[tuple[str, list[BoundField]]]:
        """What stays on the wall, each with the fields of its place and size."""
        return [(name.replace("_", " ").capitalize(), [self[f"{name}_{key}"] for key, _, _ in SPOT]) for name in THINGS]


assert set(THINGS) == set(Places.__dataclass_fields__)
