"""One room per treatment. This list is the only place that names them all."""

from .aeration import Aeration
from .anion_exchange import AnionExchange
from .barrier_filter import BarrierFilter
from .base import FeedLimit, Install, Room, Sizing, StageKeys
from .booster_pump import BoosterPump
from .carbon import Carbon
from .chemical_feed import ChemicalFeed
from .first_flush import FirstFlush
from .in_tank_uv import InTankUv
from .neutralizer import Neutralizer
from .oxidizing_filter import OxidizingFilter
from .pressure_reducing_valve import ReducingValve
from .pressure_tank import PressureTank
from .retention_tank import RetentionTank
from .reverse_osmosis import ReverseOsmosis
from .scale_control import ScaleControl
from .sediment import Sediment
from .softener import Softener
from .storage_tank import StorageTank
from .uv import Uv

ROOMS: dict[str, Room] = {
    room.kind: room
    for room in (
        FirstFlush(), StorageTank(), PressureTank(), BoosterPump(), ReducingValve(), Sediment(), ChemicalFeed(), RetentionTank(), Aeration(), Neutralizer(),
        OxidizingFilter(), Carbon(), Softener(), AnionExchange(), ScaleControl(), BarrierFilter(), Uv(), InTankUv(), ReverseOsmosis(),
    )
}  # fmt: skip

__all__ = ["ROOMS", "FeedLimit", "Install", "Room", "Sizing", "StageKeys"]
