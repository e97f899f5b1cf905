"""The whole installation in one file, and back: a dump of the database in one snapshot, with what it is and its checksum beside it.

The file is a ZIP of ``backup.json`` and ``database.dump`` (PostgreSQL's custom format). A dump is as powerful as the database's
own user: put back only files that you made.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import os
import shutil
import subprocess
import tempfile
import zipfile
from io import BufferedReader
from pathlib import Path
from typing import Any

from django.db import connection
from django.db.migrations.loader import MigrationLoader

from treatment import ENGINE

FORMAT = "cairn-backup/1"
ABOUT, DUMP = "backup.json", "database.dump"
BLOCK = 1 << 20


class NotKept(Exception):
    """Why a backup could not be made or put back; nothing was changed."""


def backup(target: Path) -> dict[str, Any]:
    """Write all that the database holds, as of one moment, to a file that is not there yet. Returns what the file says of itself."""
    try:
        return _backup(target)
    except FileExistsError:
        raise NotKept(f"{target} is already there; name a file that is not") from None
    except OSError as error:
        raise NotKept(f"{target} cannot be written: {error.strerror or error}") from None


def _backup(target: Path) -> dict[str, Any]:
    with tempfile.TemporaryDirectory(prefix="cairn-backup-") as folder:
        dump = Path(folder, DUMP)
        _run("pg_dump", "--format=custom", "--no-owner", "--no-privileges", f"--file={dump}")
        about = {
            "format": FORMAT,
            "engine": ENGINE,
            "made_at": dt.datetime.now(dt.UTC).isoformat(timespec="seconds"),
            "sha256": _digest(dump.open("rb")),
            "bytes": dump.stat().st_size,
            "migrations": sorted(map(list, MigrationLoader(connection).applied_migrations)),
        }
        with open(target, "xb", opener=lambda path, flags: os.open(path, flags, 0o600)) as held:  # never over another
            try:
                with zipfile.ZipFile(held, "w", zipfile.ZIP_STORED) as file:
                    file.writestr(ABOUT, json.dumps(about, indent=1))
                    file.write(dump, DUMP)
                held.flush()
                os.fsync(held.fileno())
            except BaseException:
                target.unlink(missing_ok=True)  # whole or not at all
                raise
    return about


def restore(source: Path) -> dict[str, Any]:
    """Put a backup back into a database that holds nothing. Raises NotKept for a broken or foreign file, or where something stands already."""
    if connection.introspection.table_names():
        raise NotKept("this database is not empty; a backup is put back into an empty one only, so that nothing is overwritten")
    try:
        with zipfile.ZipFile(source) as file, tempfile.TemporaryDirectory(prefix="cairn-restore-") as folder:
            about = _about(file)
            dump = Path(folder, DUMP)
            with file.open(DUMP) as packed, dump.open("wb") as held:
                shutil.copyfileobj(packed, held, BLOCK)
            if _digest(dump.open("rb")) != about["sha256"]:
                raise NotKept("the backup is broken: its checksum is not that of its content")
            _run("pg_restore", "--single-transaction", "--exit-on-error", "--no-owner", "--no-privileges", f"--dbname={_name()}", str(dump))
    except OSError as error:
        raise NotKept(f"{source} cannot be read: {error.strerror or error}") from None
    except (zipfile.BadZipFile, KeyError, EOFError):
        raise NotKept(f"{source} is no backup of this program, or it is broken") from None
    return about


def _about(file: zipfile.ZipFile) -> dict[str, Any]:
    """What a backup says of itself. Raises NotKept where it is none, or one of a later version than this."""
    if file.getinfo(ABOUT).file_size > BLOCK:
        raise NotKept("this is no backup of this program")
    try:
        about = json.loads(file.read(ABOUT))
    except (ValueError, RecursionError):
        about = None
    if not isinstance(about, dict) or about.get("format") != FORMAT or not isinstance(about.get("migrations"), list):
        raise NotKept(f"this is no backup of this program: it does not say {FORMAT}")
    ours = set(MigrationLoader(connection).disk_migrations or {})
    later = [each for each in about["migrations"] if tuple(each) not in ours]
    if later:
        raise NotKept(f"the backup was made by a later version ({about.get('engine')}): {'.'.join(map(str, later[0]))} is not known here")
    return about


def _digest(stream: BufferedReader) -> str:
    with stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def _name() -> str:
    return str(connection.settings_dict["NAME"])


def _run(tool: str, *arguments: str) -> None:
    """Run one of PostgreSQL's own tools on our database; its newest version, which the server can be no newer than."""
    settings = connection.settings_dict
    said = {"PGHOST": settings["HOST"], "PGPORT": settings["PORT"], "PGUSER": settings["USER"], "PGPASSWORD": settings["PASSWORD"]}
    environment = os.environ | {key: str(value) for key, value in said.items() if value} | {"PGDATABASE": _name()}
    found = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{tool}"), key=lambda path: float(path.parts[-3]))
    done = subprocess.run([str(found[-1]) if found else tool, *arguments], env=environment, capture_output=True, text=True, check=False)
    if done.returncode:
        raise NotKept(f"{tool} failed: {done.stderr.strip().splitlines()[-1] if done.stderr.strip() else done.returncode}")
