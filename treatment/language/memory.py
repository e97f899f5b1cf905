"""When Python looks for circles of forgotten objects."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def uncollected() -> Iterator[None]:
    """The collector of circles waits meanwhile: what a search makes lives to its end, and is not looked through again and again.

    Where it waits already, nothing changes, then or afterwards.
    """
    if not gc.isenabled():
        yield
        return
    gc.disable()
    try:
        yield
    finally:
        gc.enable()
