"""The wall and its room: what is there, read by the core."""

from __future__ import annotations

from typing import Any

from django.forms import BoundField

from treatment.job.facts import Places
from treatment.language.display import show
from treatment.wall.placing import usual_size

from ..pages.document_form import Ask, DocumentForm
from ..records.job import Job

SPOT = (("x", "From the left", "6 ft"), ("width", "Width", ""), ("foot", "Bottom edge above floor", ""), ("height", "Height", ""))
THINGS = ("electrical_panel", "water_heater", "main_shutoff", "meter")

JOINING_WORDS = {
    "expansion": "PEX, expansion", "crimp": "PEX, crimped", "push_fit": "push-fit", "solder": "copper, soldered", "press": "copper, pressed", "solvent": "solvent weld",
}  # fmt: skip


class WallForm(DocumentForm):
    """Site facts of the wall: sizes, drain, power, frost, and where the things are that stay."""

    FIELDS = {
        "wall_width": Ask("site", "wall_width", "Width of the wall", "9 ft"),
        "ceiling": Ask("site", "ceiling", "Ceiling", "7 ft"),
        "wall_depth": Ask("site", "wall_depth", "Clear depth in front", "30 in"),
        "joining": Ask("site", "joining", "Joining method", empty="not decided", words=JOINING_WORDS),
        "drain_kind": Ask("site.drain", "kind", "Drain", empty="not known"),
        "drain_distance": Ask("site.drain", "distance", "Drain line length", "12 ft"),
        "drain_lift": Ask("site.drain", "lift", "Drain line rise", "0 ft"),
        "drain_bore": Ask("site.drain", "bore", "Drain line bore", "3/4 in"),
        "drain_air_gap": Ask("site.drain", "air_gap", "Air gap", "2 in"),
        "outlet_protected": Ask("site", "outlet_protected", "Outlet with GFCI/RCD", empty="not known"),
        "frost_free": Ask("site", "frost_free", "Frost-free", empty="not known"),
        "in_sun": Ask("site", "in_sun", "In the sun", empty="not known"),
        **{f"{name}_{key}": Ask(f"site.places.{name}", key, label, hint) for name in THINGS for key, label, hint in SPOT},
    }

    def __init__(self, data: Any = None, *, job: Job) -> None:
        super().__init__(data, job=job)
        for name in THINGS:
            for (key, _, _), usual in zip(SPOT[1:], usual_size(name), strict=True):
                self.fields[f"{name}_{key}"].widget.attrs["placeholder"] = f"{show(usual, 'mm', job.units)} (default)"

    @property
    def room(self) -> list[BoundField]:
        """The fields of the wall itself."""
        return [field for field in self.visible_fields() if not field.name.startswith(THINGS)]

    @property
    def things(self) -> list[tuple[str, list[BoundField]]]:
        """What stays on the wall, each with the fields of its place and size."""
        return [(name.replace("_", " ").capitalize(), [self[f"{name}_{key}"] for key, _, _ in SPOT]) for name in THINGS]


assert set(THINGS) == set(Places.__dataclass_fields__)
