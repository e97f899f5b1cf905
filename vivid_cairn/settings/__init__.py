"""Settings, picked by the environment: CAIRN_MODE is demo, test or production. Unset or mistyped, nothing starts."""

import os

from .base import *  # noqa: F403
from .modes import mode_of
from .security import *  # noqa: F403

MODE = mode_of(os.environ)

if MODE == "test":
    from .test import *  # noqa: F403
elif MODE == "production":
    from .production import *  # noqa: F403
