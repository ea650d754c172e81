"""Backup and restore: the database as PostgreSQL dumps it, and beside it every stored file under its own name."""

import os
import shutil
import subprocess
from pathlib import Path

from django.conf import settings
from django.core.files import File
from django.core.files.storage import default_storage

from retouch.types import PictureError
from studio.cluster import binary

DUMP, FILES = "database.dump", "files"


def backup(into: Path) -> int:
    """Write the database and all stored files into an empty or new folder; how many files there are.

    The database is dumped first: whatever it knows then lies in the storage, unless it was deleted meanwhile.

    Raises
    ------
    PictureError
        If the folder has something in it, or the database cannot be dumped.
    """
    if into.is_dir() and any(into.iterdir()):
        raise PictureError(f"{into} is not empty. Nothing was written; name a new folder.")
    into.mkdir(parents=True, exist_ok=True)
    into.chmod(0o700)
    _run("pg_dump", "--format=custom", "--no-owner", f"--file={into / DUMP}", _name())
    files = _stored("")
    for name in files:
        place = into / FILES / name
        place.parent.mkdir(parents=True, exist_ok=True)
        with default_storage.open(name) as there, place.open("wb") as here:
            shutil.copyfileobj(there, here)
    return len(files)


def restore(source: Path) -> int:
    """Bring a backup back into an empty database and the storage; how many files there are.

    Raises
    ------
    PictureError
        If that is no backup, or the database has something in it already.
    """
    if not (source / DUMP).is_file():
        raise PictureError(f"{source} is not a backup of Needlepoint.")
    tables = _run("psql", "--no-psqlrc", "-tAc", "SELECT count(*) FROM pg_tables WHERE schemaname = 'public'", _name())
    if tables.strip() != "0":
        raise PictureError("This database is not empty. Nothing was changed; restore into a new one.")
    _run("pg_restore", "--no-owner", "--exit-on-error", "--single-transaction", f"--dbname={_name()}", source / DUMP)
    root = source / FILES
    names = [str(path.relative_to(root)) for path in sorted(root.rglob("*")) if path.is_file()]
    for name in names:
        if default_storage.exists(name):
            default_storage.delete(name)
        with (root / name).open("rb") as file:
            default_storage.save(name, File(file))
    return len(names)


def _stored(folder: str) -> list[str]:
    """The names of all stored files under a folder."""
    try:
        folders, files = default_storage.listdir(folder)
    except FileNotFoundError:
        return []
    inside = [name for inner in folders for name in _stored(f"{folder}{inner}/")]
    return [*(f"{folder}{name}" for name in files if name), *inside]


def _name() -> str:
    return str(settings.DATABASES["default"]["NAME"])


def _run(program: str, *arguments: str | Path) -> str:
    database = settings.DATABASES["default"]
    ways = {f"PG{key}": str(database[key]) for key in ("HOST", "PORT", "USER", "PASSWORD")}
    command = [binary(program), *map(str, arguments)]
    done = subprocess.run(command, env=os.environ | ways, capture_output=True, text=True, check=False)
    if done.returncode:
        raise PictureError(f"{program} failed: {done.stderr.strip()}")
    return done.stdout
