"""When Python looks for circles of forgotten objects."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager

#: objects that may grow old without a look before all are looked through once
UNSEEN_MOST = 2_000_000


class _Unseen:
    """How many objects grew old without being looked at."""

    count = 0


@contextmanager
def uncollected() -> Iterator[None]:
    """The collector of circles waits meanwhile: what a search makes lives to its end, and is not looked through again and again.

    Nor is it looked through at the end: it grows old at once, and is seen when all old ones are, at the latest after so many
    objects. Where the collector waits already, nothing changes, then or afterwards.
    """
    if not gc.isenabled():
        yield
        return
    gc.disable()
    try:
        yield
    finally:
        _Unseen.count += gc.get_count()[0]
        gc.freeze()  # all that is young, and then all again, goes to the oldest
        gc.unfreeze()
        if _Unseen.count > UNSEEN_MOST:
            _Unseen.count = 0
            gc.collect()
        gc.enable()
