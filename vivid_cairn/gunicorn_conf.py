"""How the application is served: ``gunicorn vivid_cairn.wsgi -c vivid_cairn/gunicorn_conf.py --bind …``."""

import ctypes
import os
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

workers = int(os.environ.get("CAIRN_WORKERS", "2"))
worker_class = "gevent"
worker_connections = 400
keepalive = 5
"""Seconds for the head of a request to come, and for a connection to lie idle."""
loglevel = "warning"

#: seconds that a worker works out what was looked at last before it serves
WARM_S = float(os.environ.get("CAIRN_WARM_S", "4"))
#: the worker of the task queue that the demonstration starts beside itself; elsewhere it is a service of its own (``./cairn worker``)
beside: list[subprocess.Popen[bytes]] = []


def _beside_us() -> None:
    """The process ends when ours does, however that comes about, and whoever asks for a page goes first."""
    os.nice(10)
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


def post_fork(server: Any, worker: Any) -> None:
    """A process takes no connection while others wait for their turn."""
    from gunicorn.workers import ggevent  # type: ignore[import-untyped]

    from vivid_cairn.turns import WhileNoneWaits

    ggevent.StreamServer = WhileNoneWaits


def post_worker_init(worker: Any) -> None:
    """A worker works out what was looked at last before it serves; where that fails it serves all the same."""
    from django.db import connections

    from workbench.usecases.warming import warm

    try:
        warm(WARM_S)
    except Exception as error:
        worker.log.warning("nothing was worked out before serving: %s", error)
    finally:
        connections.close_all()


def when_ready(server: Any) -> None:
    if os.environ.get("CAIRN_WORKER") == "1":
        root = Path(__file__).resolve().parents[1]
        beside.append(subprocess.Popen([sys.executable, "manage.py", "procrastinate", "worker", "-c", "1"], cwd=root, preexec_fn=_beside_us))


def on_exit(server: Any) -> None:
    for process in beside:
        process.terminate()
