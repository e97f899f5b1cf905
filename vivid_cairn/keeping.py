"""The whole installation in one file, and back: a dump of the database in one snapshot, with what it is and its checksum beside it.

The file is a ZIP of ``backup.json`` and ``database.dump`` (PostgreSQL's custom format). A dump is as powerful as the database's
own user: put back only files that you made.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import json
import os
import re
import shutil
import subprocess
import tempfile
import zipfile
import zlib
from collections.abc import Callable
from io import BufferedRandom
from pathlib import Path
from typing import IO, Any

from django.db import connection
from django.db.migrations.loader import MigrationLoader

from treatment import ENGINE

FORMAT = "cairn-backup/1"
ABOUT, DUMP = "backup.json", "database.dump"
BLOCK = 1 << 20


def _is_day(told: Any) -> bool:
    try:
        return isinstance(told, str) and dt.datetime.fromisoformat(told) is not None
    except ValueError:
        return False


#: what a backup must say of itself, beside its format
FITS: dict[str, Callable[[Any], bool]] = {
    "engine": lambda told: isinstance(told, str) and len(told) < 40,
    "made_at": _is_day,
    "sha256": lambda told: isinstance(told, str) and re.fullmatch(r"[0-9a-f]{64}", told) is not None,
    "bytes": lambda told: isinstance(told, int) and told >= 0,
    "migrations": lambda told: (
        isinstance(told, list) and all(isinstance(each, list) and len(each) == 2 and all(isinstance(word, str) for word in each) for each in told)
    ),
}


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
    """Everything is written into files without a name, and the whole is given its name last: whoever kills it leaves nothing behind."""
    with tempfile.TemporaryFile(dir=target.parent) as dump, _nameless(target.parent) as held:
        _run("pg_dump", "--format=custom", "--no-owner", "--no-privileges", into=dump)
        about = {
            "format": FORMAT,
            "engine": ENGINE,
            "database": where(),
            "made_at": dt.datetime.now(dt.UTC).isoformat(timespec="seconds"),
            "sha256": _digest(dump),
            "bytes": dump.seek(0, os.SEEK_END),
            "migrations": sorted(map(list, MigrationLoader(connection).applied_migrations)),
        }
        dump.seek(0)
        with zipfile.ZipFile(held, "w", zipfile.ZIP_STORED, allowZip64=True) as file:
            file.writestr(ABOUT, json.dumps(about, indent=1))
            with file.open(DUMP, "w", force_zip64=True) as packed:
                shutil.copyfileobj(dump, packed, BLOCK)
        held.flush()
        os.fsync(held.fileno())
        folder = os.open("/proc/self/fd", os.O_RDONLY)
        try:
            os.link(str(held.fileno()), target, src_dir_fd=folder, follow_symlinks=True)  # never over another
        finally:
            os.close(folder)
    return about


def _nameless(folder: Path) -> BufferedRandom:
    """A file without a name that only we may read; it is gone with us unless it is given one."""
    return open(os.open(folder, os.O_TMPFILE | os.O_RDWR, 0o600), "w+b")


def where() -> str:
    """Which database this is: its name, and the server it stands on."""
    settings = connection.settings_dict
    return f"{settings['NAME']} at {settings['HOST'] or 'the local socket'}{':' + str(settings['PORT']) if settings['PORT'] else ''}"


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
            with dump.open("rb") as whole:
                if _digest(whole) != about["sha256"]:
                    raise NotKept("the backup is damaged: its checksum is not that of its content")
            _run("pg_restore", "--single-transaction", "--exit-on-error", "--no-owner", "--no-privileges", f"--dbname={_name()}", str(dump))
    except OSError as error:
        raise NotKept(f"{source} cannot be read: {error.strerror or error}") from None
    except (
        zipfile.BadZipFile,
        zlib.error,
        KeyError,
        EOFError,
        RuntimeError,
        NotImplementedError,
        ValueError,
    ):  # broken, encrypted, packed in an odd way
        raise NotKept(f"{source} is not a backup of this program, or it is damaged") from None
    return about


def _about(file: zipfile.ZipFile) -> dict[str, Any]:
    """What a backup says of itself. Raises NotKept where it is none, or one of a later version than this."""
    if file.getinfo(ABOUT).file_size > BLOCK:
        raise NotKept("this is not a backup of this program")
    try:
        about = json.loads(file.read(ABOUT))
    except (ValueError, RecursionError):
        about = None
    if not isinstance(about, dict) or about.get("format") != FORMAT:
        raise NotKept(f"this is not a backup of this program: it does not say {FORMAT}")
    if wrong := [name for name, fits in FITS.items() if not fits(about.get(name))]:
        raise NotKept(f"what this backup says of itself is not as it was written: {', '.join(wrong)}")
    ours = set(MigrationLoader(connection).disk_migrations or {})
    later = [each for each in about["migrations"] if tuple(each) not in ours]
    if later:
        raise NotKept(f"the backup was made by a later version ({about.get('engine')}): {'.'.join(map(str, later[0]))} is not known here")
    return about


def _digest(stream: IO[bytes]) -> str:
    stream.seek(0)
    return hashlib.file_digest(stream, "sha256").hexdigest()  # type: ignore[arg-type]


def _name() -> str:
    return str(connection.settings_dict["NAME"])


def _run(tool: str, *arguments: str, into: IO[bytes] | None = None) -> None:
    """Run one of PostgreSQL's own tools on our database; its newest version, which the server can be no newer than. into: what it prints."""
    settings = connection.settings_dict
    said = {"PGHOST": settings["HOST"], "PGPORT": settings["PORT"], "PGUSER": settings["USER"], "PGPASSWORD": settings["PASSWORD"]}
    environment = os.environ | {key: str(value) for key, value in said.items() if value} | {"PGDATABASE": _name()}
    found = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{tool}"), key=lambda path: float(path.parts[-3]))
    command = [str(found[-1]) if found else tool, *arguments]
    done = subprocess.run(command, env=environment, stdout=into or subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, check=False)
    if done.returncode:
        raise NotKept(f"{tool} failed: {done.stderr.strip().splitlines()[-1] if done.stderr.strip() else done.returncode}")
