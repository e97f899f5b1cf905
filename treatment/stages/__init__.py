"""One room per treatment. This list is the only place that names them all."""

from .base import FeedLimit, Install, Room, Sizing, StageKeys
from .neutralizer import Neutralizer
from .oxidizing_filter import OxidizingFilter
from .sediment import Sediment
from .softener import Softener
from .uv import Uv

ROOMS: dict[str, Room] = {room.kind: room for room in (Sediment(), Neutralizer(), OxidizingFilter(), Softener(), Uv())}

__all__ = ["ROOMS", "FeedLimit", "Install", "Room", "Sizing", "StageKeys"]
