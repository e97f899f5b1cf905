"""One room per treatment. This list is the only place that names them all."""

from typing import Any

from ..train.treatment import Treatment
from . import lamp_fitting  # noqa: F401  importing it registers its rules
from .aeration import AERATION
from .anion_exchange import ANION_EXCHANGE
from .barrier_filter import BARRIER_FILTER
from .booster_pump import BOOSTER_PUMP
from .carbon import CARBON
from .chemical_feed import CHEMICAL_FEED
from .first_flush import FIRST_FLUSH
from .in_tank_uv import IN_TANK_UV
from .neutralizer import NEUTRALIZER
from .oxidizing_filter import OXIDIZING_FILTER
from .pressure_reducing_valve import REDUCING_VALVE
from .pressure_tank import PRESSURE_TANK
from .retention_tank import RETENTION_TANK
from .reverse_osmosis import REVERSE_OSMOSIS
from .scale_control import SCALE_CONTROL
from .sediment import SEDIMENT
from .softener import SOFTENER
from .storage_tank import STORAGE_TANK
from .uv import UV

ROOMS: dict[str, Treatment[Any]] = {
    room.kind: room
    for room in (
        FIRST_FLUSH, STORAGE_TANK, PRESSURE_TANK, BOOSTER_PUMP, REDUCING_VALVE, SEDIMENT, CHEMICAL_FEED, RETENTION_TANK, AERATION, NEUTRALIZER,
        OXIDIZING_FILTER, CARBON, SOFTENER, ANION_EXCHANGE, SCALE_CONTROL, BARRIER_FILTER, UV, IN_TANK_UV, REVERSE_OSMOSIS,
    )
}  # fmt: skip

__all__ = ["ROOMS"]
