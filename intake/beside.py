"""Work that is dear or that strangers sent, done in a process of its own: a page asks, waits its turn, and nobody else waits with it."""

from __future__ import annotations

import resource
import subprocess
import sys
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from threading import BoundedSemaphore

ROOT = Path(__file__).resolve().parents[1]


class NoTurn(Exception):
    """Others are at it, and no turn came in time."""


class TookTooLong(Exception):
    """The process took longer than it may."""


def within(cpu_s: int, memory: int) -> Callable[[], None]:
    """Limits that a process sets itself: processor time [s], memory [bytes], and no file of its memory when it fails."""

    def bounded() -> None:
        resource.setrlimit(resource.RLIMIT_CPU, (cpu_s, cpu_s))
        resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))

    return bounded


@dataclass(frozen=True)
class Beside:
    """A module that is run as a process: bytes in, bytes out; two at a time in one worker.

    wait_s, wall_s: how long for a turn, and how long it may then take [s]. bounded: sets the process's own limits.
    """

    module: str
    wait_s: float
    wall_s: float
    bounded: Callable[[], None] | None = None
    turns: BoundedSemaphore = field(default_factory=lambda: BoundedSemaphore(2))

    def run(self, content: bytes) -> subprocess.CompletedProcess[bytes]:
        """What the process answers. Raises NoTurn or TookTooLong."""
        if not self.turns.acquire(timeout=self.wait_s):
            raise NoTurn
        try:
            return subprocess.run(
                [sys.executable, "-m", self.module], input=content, capture_output=True, timeout=self.wall_s, cwd=ROOT, check=False, preexec_fn=self.bounded
            )  # fmt: skip
        except subprocess.TimeoutExpired:
            raise TookTooLong from None
        finally:
            self.turns.release()
