"""Backups: one archive of the database as it is at one moment and of every file it refers to, checked when it
is written and again before anything is brought back from it.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import sqlite3
import tempfile
import time
import zipfile
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

from server.holding import HeldElsewhere, hold
from server.moves.referring import DIGEST, REFERRING
from trasloco.errors import Refused

DATABASE, MANIFEST = "trasloco.sqlite3", "manifest.json"
_ASIDE = ("trasloco.sqlite3", "trasloco.sqlite3-wal", "trasloco.sqlite3-shm", "blobs", "results")
_NOT_KEPT = ("moves_result", "django_session")
"""Tables that a backup leaves empty: what can be computed again, and who was signed in."""
_CHUNK = 2**20


def backup(data: Path, target: Path) -> tuple[int, int]:
    """Write a backup of a data folder, running or not; the number of files in it, and of those that were gone
    or not what was kept.

    Raises:
        Refused: there is no database, or it is damaged.
    """
    if not (data / DATABASE).is_file():
        raise Refused(
            "There is no database to back up.", str(data), "Start Trasloco once, or name its data folder."
        )
    partial = target.with_name(f"{target.name}.partial")
    try:
        with tempfile.TemporaryDirectory(dir=target.parent) as folder:
            copy = Path(folder) / DATABASE
            _copied(data / DATABASE, copy)
            digests = sorted(_digests(copy))
            with zipfile.ZipFile(partial, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
                archive.write(copy, DATABASE)
                kept, lost = _written(archive, data, digests)
                told = {
                    "made": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()),
                    "database": _digest_of(copy),
                    "blobs": kept,
                    "lost": lost,
                }
                archive.writestr(MANIFEST, json.dumps(told))
        partial.replace(target)
    finally:
        partial.unlink(missing_ok=True)
    return len(kept) + 1, len(lost)


def restore(source: Path, data: Path) -> int:
    """Bring a backup back; what was in the data folder is moved aside into it. The number of files.

    Raises:
        Refused: the file is no backup or is damaged, or an instance works in the folder.
    """
    told = _checked(source)
    try:
        held = hold(data, "run"), hold(data, "work")
    except HeldElsewhere as error:
        raise Refused(str(error), str(data), "Stop it first.") from error
    aside = data / f"before-restore-{time.strftime('%Y%m%d-%H%M%S')}"
    fresh = Path(tempfile.mkdtemp(prefix="restoring-", dir=data))
    try:
        with zipfile.ZipFile(source) as archive:
            for digest in told["blobs"]:
                place = fresh / "blobs" / digest[:2] / digest
                place.parent.mkdir(parents=True, exist_ok=True)
                with archive.open(f"blobs/{digest}") as kept, place.open("wb") as file:
                    shutil.copyfileobj(kept, file, _CHUNK)
            with archive.open(DATABASE) as kept, (fresh / DATABASE).open("wb") as file:
                shutil.copyfileobj(kept, file, _CHUNK)
        for name in _ASIDE:
            if (data / name).exists():
                aside.mkdir(exist_ok=True)
                (data / name).rename(aside / name)
        for name in (DATABASE, "blobs"):
            if (fresh / name).exists():
                (fresh / name).rename(data / name)
    finally:
        shutil.rmtree(fresh, ignore_errors=True)
        for one in held:
            one.let_go()
    return len(told["blobs"]) + 1


def fault_of_database(path: Path) -> str:
    """What is wrong with a database file, or nothing."""
    if not path.exists():
        return ""
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True, timeout=5)) as held:
            found = [row[0] for row in held.execute("PRAGMA quick_check(5)")]
    except sqlite3.DatabaseError as error:
        return str(error)
    return "" if found == ["ok"] else "; ".join(found)


def _copied(source: Path, target: Path) -> None:
    """The database as it is at one moment, without what can be computed again. Others may write meanwhile."""
    try:
        with closing(sqlite3.connect(source, timeout=30)) as held, closing(sqlite3.connect(target)) as copy:
            held.backup(copy)
            for table in _NOT_KEPT:
                if copy.execute("SELECT 1 FROM sqlite_master WHERE name = ?", (table,)).fetchone():
                    copy.execute(f"DELETE FROM {table}")
            copy.execute("PRAGMA journal_mode = DELETE")
            copy.commit()
            copy.execute("VACUUM")
    except sqlite3.DatabaseError as error:
        raise Refused(
            f"The database is damaged ({error}).",
            str(source),
            "Bring the last good backup back: trasloco restore FILE.",
        ) from error
    fault = fault_of_database(target)
    if fault:
        raise Refused(f"The database is damaged ({fault}).", str(source), "Bring the last good backup back.")


def _digests(database: Path) -> Iterator[str]:
    """Digests that stand in any text of the database."""
    found: set[str] = set()
    with closing(sqlite3.connect(database)) as held:
        there = {name for (name,) in held.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        for table, columns in REFERRING:
            if f"moves_{table}" not in there:
                continue  # of an earlier version
            for row in held.execute(f"SELECT {', '.join(columns)} FROM moves_{table}"):
                for text in row:
                    found.update(DIGEST.findall(text or ""))
    yield from found


def _written(archive: zipfile.ZipFile, data: Path, digests: list[str]) -> tuple[list[str], list[str]]:
    """Files into the archive, each held against its name: those that are sound, and those that are not."""
    kept, lost = [], []
    for digest in digests:
        path = data / "blobs" / digest[:2] / digest
        if path.is_file() and _digest_of(path) == digest:
            archive.write(path, f"blobs/{digest}")
            kept.append(digest)
        else:
            lost.append(digest)
    return kept, lost


def _checked(source: Path) -> dict[str, list[str]]:
    """A backup's manifest, after everything in it was held against it."""
    remedy = "Take another backup; nothing was changed."
    try:
        with zipfile.ZipFile(source) as archive:
            told = json.loads(archive.read(MANIFEST))
            names = set(archive.namelist())
            for name, digest in (
                (DATABASE, told["database"]),
                *((f"blobs/{one}", one) for one in told["blobs"]),
            ):
                if not DIGEST.fullmatch(digest) or name not in names:
                    raise Refused("The backup is not whole.", name, remedy)
                seen = hashlib.sha256()
                with archive.open(name) as kept:
                    while chunk := kept.read(_CHUNK):
                        seen.update(chunk)
                if seen.hexdigest() != digest:
                    raise Refused("The backup is damaged.", name, remedy)
    except (OSError, ValueError, KeyError, TypeError, zipfile.BadZipFile, RuntimeError) as error:
        raise Refused(f"This is no backup that can be read ({error}).", str(source), remedy) from error
    return dict(told)


def _digest_of(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
