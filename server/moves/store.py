"""The one door to bytes and computed results: content-addressed files beside the database, and a memory of
recent objects.
"""

from __future__ import annotations

import hashlib
import logging
import os
import tempfile
import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import DatabaseError
from django.db.models import Sum
from django.utils import timezone

from server.moves.models import Job, Result
from trasloco.errors import Refused
from trasloco.results.as_bytes import Bytes, made_of, mapped, own, pieces_of
from trasloco.results.store import MemoryStore

log = logging.getLogger(__name__)

_MOVE: ContextVar[int | None] = ContextVar("move", default=None)
_MAPPED = 2**24
"""Bytes of a kept file from which on it is read where it lies."""
_USED_EVERY = timedelta(minutes=5)
"""How exactly it is known when a result was last used: a read writes at most this often."""


def _folder() -> Path:
    return Path(settings.DATA_DIR) / "blobs"


def blob_path(digest: str) -> Path:
    return _folder() / digest[:2] / digest


def result_path(digest: str) -> Path:
    """Where the bytes of a computed result lie: apart from what was delivered and kept, since they are
    removed when there is no room.
    """
    return Path(settings.DATA_DIR) / "results" / digest[:2] / digest


def put_blob(data: Bytes) -> str:
    """Keep bytes; returns their SHA-256. They are on the disk when it returns, whatever happens to the power."""
    digest = hashlib.sha256(data).hexdigest()
    _write_once(blob_path(digest), [data], synced=True)
    return digest


def put_chunks(chunks: Iterable[bytes]) -> str:
    """The same for bytes that come piece by piece, which are never held together."""
    _folder().mkdir(parents=True, exist_ok=True)
    seen = hashlib.sha256()
    handle, temporary = tempfile.mkstemp(dir=_folder())
    try:
        with os.fdopen(handle, "wb") as file:
            for chunk in chunks:
                seen.update(chunk)
                file.write(chunk)
            file.flush()
            os.fsync(file.fileno())
        path = blob_path(seen.hexdigest())
        path.parent.mkdir(parents=True, exist_ok=True)
        Path(temporary).replace(path)
    finally:
        Path(temporary).unlink(missing_ok=True)
    return seen.hexdigest()


def put_file(path: Path, digest: str) -> None:
    """Keep a file that lies on the same disk already, by its SHA-256; it is moved, not copied."""
    place = blob_path(digest)
    place.parent.mkdir(parents=True, exist_ok=True)
    with path.open("rb") as file:
        os.fsync(file.fileno())
    path.replace(place)


def _write_once(path: Path, pieces: Sequence[Bytes], synced: bool = False) -> None:
    """Written aside and renamed, so a half-written file never has a good name. One that was cut short since
    is written anew.
    """
    if path.exists() and path.stat().st_size == sum(map(len, pieces)):
        os.utime(path)  # in use again: what nobody refers to is removed by its age
    else:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(dir=path.parent)
        try:
            with os.fdopen(handle, "wb") as file:
                file.writelines(pieces)
                if synced:
                    file.flush()
                    os.fsync(file.fileno())
            Path(temporary).replace(path)
        finally:
            Path(temporary).unlink(missing_ok=True)


def _named(key: str, pieces: Iterable[Bytes]) -> str:
    """What a result's file is called: by its key, and by a checksum that tells whether it was damaged since.

    Nobody sends results: what guards against chance is enough, and takes an eighth of the time of a digest.
    """
    check = 0
    for piece in pieces:
        check = zlib.crc32(piece, check)
    return f"{hashlib.sha256(key.encode()).hexdigest()[:56]}{check:08x}"


def _is_whole(key: str, data: Bytes, name: str) -> bool:
    """Whether a result is as it was written; earlier versions called it by the digest of its bytes."""
    return name == _named(key, [data]) or name == hashlib.sha256(data).hexdigest()


def _read(path: Path) -> memoryview:
    """The bytes of a kept file; of a large one as they lie on the disk. Who changes them changes them for this
    process alone.
    """
    with path.open("rb") as file:
        large = os.fstat(file.fileno()).st_size >= _MAPPED
        return memoryview(mapped(file) if large else bytearray(file.read()))


def blob_bytes(digest: str) -> int:
    """How many bytes are kept under a digest; none where they are gone."""
    try:
        return blob_path(digest).stat().st_size
    except OSError:
        return 0


def get_blob(digest: str) -> bytes:
    """Kept bytes in memory. Raises Refused: as :func:`blob_at_rest`."""
    return bytes(blob_at_rest(digest))


def blob_at_rest(digest: str) -> Bytes:
    """Kept bytes, large ones where they lie on the disk.

    Raises:
        Refused: they are gone, or are not what was kept: their name is their digest.
    """
    try:
        data = _read(blob_path(digest))
    except OSError:
        data = None
    if data is None or hashlib.sha256(data).hexdigest() != digest:
        what = "A kept file is gone." if data is None else "A kept file is damaged."
        remedy = (
            "Add it to the move again, or take it from a backup. Decisions and other files are untouched."
        )
        raise Refused(what, f"file {digest[:12]}", remedy)
    return own(data)


class DiskStore(MemoryStore):
    """Computed objects by key: in memory while recent, and on disk for other processes and the next start,
    the least recently used leaving when there are too many bytes.
    """

    def __init__(self) -> None:
        super().__init__(settings.RESULTS_MEMORY_BYTES)

    def has(self, key: str) -> bool:
        return super().has(key) or Result.objects.filter(key=key).exists()

    def get(self, key: str) -> Any:
        made = super().get(key)
        return made if made is not None else self._on_disk(key)

    def put(self, key: str, made: Any) -> None:
        """Keep a small object under a key, whatever was there: a pointer to the last of something.

        Read from disk, since another process may have put a later one.
        """
        super().drop(key)
        self._write(key, made)

    def drop(self, key: str) -> None:
        """Forget the object under a key, and its bytes where nothing else has the same."""
        super().drop(key)
        for row in Result.objects.filter(key=key):
            remove_result(row)

    def blob_of(self, key: str, make: Callable[[], Bytes]) -> str:
        """The digest of bytes under a key, by which they are served; made when nobody has them."""
        row = Result.objects.filter(key=key, pickled=False).first()
        if row is None or not result_path(row.blob).exists():
            self.drop(key)
            made = make()
            row = Result.objects.filter(key=key).first() or self._write(key, made)
        return row.blob

    @contextmanager
    def of(self, move: int) -> Iterator[None]:
        """What is made here is of use to one move: it leaves with it, unless others read it too."""
        token = _MOVE.set(move)
        try:
            yield
        finally:
            _MOVE.reset(token)

    def _fetched(self, key: str, make: Callable[[], Any], keep: bool) -> Any:
        if not keep:
            return make()
        found = self._on_disk(key)
        if found is None:
            found = make()
            try:
                self._write(key, found)
            except (OSError, DatabaseError) as error:  # no room: it is used, and made again another time
                log.warning("a computed result could not be kept: %s", error)
        return found

    def _on_disk(self, key: str) -> Any:
        row = Result.objects.filter(key=key).first()
        if row is None or not result_path(row.blob).exists():
            return None
        now, reader = timezone.now(), _MOVE.get()
        if row.move_id is not None and reader is not None and row.move_id != reader:
            Result.objects.filter(key=key).update(used=now, move=None)
        elif row.used < now - _USED_EVERY:
            Result.objects.filter(key=key).update(used=now)
        data = _read(result_path(row.blob))
        if not _is_whole(key, data, row.blob):
            log.warning("a computed result was damaged on disk and is made again: %s", key)
            self.drop(key)
            return None
        if not row.pickled:
            return own(data)
        return made_of(data)

    def _write(self, key: str, made: Any) -> Result:
        pieces = [made] if isinstance(made, Bytes) else pieces_of(made)
        name = _named(key, pieces)
        _write_once(result_path(name), pieces)
        held = {
            "blob": name,
            "size": sum(map(len, pieces)),
            "pickled": not isinstance(made, Bytes),
            "used": timezone.now(),
            "move_id": _MOVE.get(),
        }
        row, _ = Result.objects.update_or_create(key=key, defaults=held)
        make_room()
        return row


def make_room() -> int:
    """Remove results that were not used for longest until all fit into the budget; the bytes freed.

    What was used since the oldest running job began stays: it may be reading it.
    """
    over = (Result.objects.aggregate(total=Sum("size"))["total"] or 0) - settings.RESULTS_DISK_BYTES
    if over <= 0:
        return 0
    begun = (
        Job.objects.filter(state=Job.State.RUNNING)
        .order_by("started")
        .values_list("started", flat=True)
        .first()
    )
    free = (
        Result.objects.order_by("used")
        if begun is None
        else Result.objects.filter(used__lt=begun - _USED_EVERY).order_by("used")
    )
    freed = 0
    for row in free.iterator():
        if freed >= over:
            break
        remove_result(row)
        freed += row.size
    return freed


def remove_result(row: Result) -> None:
    """Forget a result, and its bytes where nothing else has the same."""
    row.delete()
    if not Result.objects.filter(blob=row.blob).exists():
        result_path(row.blob).unlink(missing_ok=True)


store = DiskStore()
