"""Settings, picked by the environment: CAIRN_MODE is demo, test or production."""

import os

from .base import *  # noqa: F403
from .security import *  # noqa: F403

MODE = os.environ.get("CAIRN_MODE", "demo")

if MODE == "test":
    from .test import *  # noqa: F403
elif MODE == "production":
    from .production import *  # noqa: F403
