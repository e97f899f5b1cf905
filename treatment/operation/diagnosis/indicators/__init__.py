"""What can be seen in a log: each sign says yes, no, or nothing, with a sentence that names the readings it stands on.

Importing this registers the signs of every part by their names.
"""

from . import beds, feeds, house, lamps, membranes, others, softeners
from .indicator import ALL, Indicator, Indicators

PARTS = (beds, feeds, house, lamps, membranes, others, softeners)

__all__ = ["ALL", "PARTS", "Indicator", "Indicators"]
