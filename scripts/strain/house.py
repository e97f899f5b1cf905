"""A server of its own, as the demonstration runs it, with a database of its own that is dropped afterwards."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from types import TracebackType

ROOT = Path(__file__).resolve().parents[2]
DATABASE = "cairn_strain"


class House:
    """Used as a context: the server answers inside it. address: where; started: process of the server."""

    def __init__(self) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.address = f"http://127.0.0.1:{self.port}"
        self.environment = os.environ | {"CAIRN_MODE": "demo", "PGDATABASE": DATABASE}
        self.process: subprocess.Popen[bytes] | None = None

    def __enter__(self) -> House:
        self.sql(f"drop database if exists {DATABASE} with (force)", f"create database {DATABASE}")
        for command in (["migrate", "-v", "0"], ["load_demo"], ["collectstatic", "--noinput", "-v", "0"]):
            subprocess.run([sys.executable, "manage.py", *command], cwd=ROOT, env=self.environment, check=True, stdout=subprocess.DEVNULL)
        self.start()
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self.kill()
        self.sql(f"drop database if exists {DATABASE} with (force)")

    def sql(self, *commands: str) -> str:
        """What the database answers, as lines."""
        told = [each for command in commands for each in ("-c", command)]
        return subprocess.run(["psql", "-qAtX", "-d", os.environ["PGDATABASE"], *told], check=True, capture_output=True, text=True).stdout

    def sql_of(self, *commands: str) -> str:
        """The same in the house's own database."""
        told = [each for command in commands for each in ("-c", command)]
        return subprocess.run(["psql", "-qAtX", "-d", DATABASE, *told], check=True, capture_output=True, text=True).stdout

    def start(self) -> None:
        """Start the server and wait until it answers."""
        command = [sys.executable, "-m", "gunicorn", "vivid_cairn.wsgi", "-c", "vivid_cairn/gunicorn_conf.py", "--bind", f"127.0.0.1:{self.port}"]
        with Path(ROOT, "var", "strain.log").open("ab") as log:
            self.process = subprocess.Popen(command, cwd=ROOT, env=self.environment, stdout=log, stderr=log, start_new_session=True)
        self.wait()

    def wait(self, most_s: float = 40) -> float:
        """Until the health page says all is well; how long that took [s]."""
        began = time.monotonic()
        while time.monotonic() - began < most_s:
            try:
                with urllib.request.urlopen(f"{self.address}/health/", timeout=10) as answer:
                    if answer.status == 200:
                        return time.monotonic() - began
            except OSError:
                time.sleep(0.1)
        raise SystemExit("the server did not come up; see var/strain.log")

    def workers(self) -> list[int]:
        """The processes that answer requests."""
        assert self.process
        told = Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children").read_text().split()
        return [int(each) for each in told]

    def kill(self) -> None:
        """End server and workers at once, as a power cut would."""
        if self.process:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()
            self.process = None

    def backends(self) -> list[int]:
        """The database's processes that serve this house."""
        return [int(line) for line in self.sql(f"select pid from pg_stat_activity where datname = '{DATABASE}'").split()]
