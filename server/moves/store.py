"""The one door to bytes and computed results: content-addressed files beside the database, and a memory of recent objects."""

from __future__ import annotations

import hashlib
import os
import pickle
import tempfile
import threading
from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path
from typing import Any

from django.conf import settings

from server.moves.models import Result

_REMEMBERED = 24


def _folder() -> Path:
    return Path(settings.DATA_DIR) / "blobs"


def blob_path(digest: str) -> Path:
    return _folder() / digest[:2] / digest


def put_blob(data: bytes) -> str:
    """Keep bytes; returns their SHA-256. Written aside and renamed, so a half-written file never has a good name."""
    digest = hashlib.sha256(data).hexdigest()
    path = blob_path(digest)
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        Path(temporary).replace(path)
    return digest


def get_blob(digest: str) -> bytes:
    return blob_path(digest).read_bytes()


class Store:
    """Computed objects by key: in memory while recent, pickled on disk for other processes and the next start."""

    def __init__(self) -> None:
        self.memory: OrderedDict[str, Any] = OrderedDict()
        self.guard = threading.Lock()
        self.locks: dict[str, threading.Lock] = {}

    def get_or_make(self, key: str, make: Callable[[], Any], keep: bool = True) -> Any:
        """The object under a key; made when nobody has it. Two threads that ask at once make it once. ``keep=False`` stays in memory only."""
        with self.guard:
            if key in self.memory:
                self.memory.move_to_end(key)
                return self.memory[key]
            lock = self.locks.setdefault(key, threading.Lock())
        with lock:
            with self.guard:
                if key in self.memory:
                    return self.memory[key]
            found = Result.objects.filter(key=key).first() if keep else None
            if found is not None and blob_path(found.blob).exists():
                made = pickle.loads(get_blob(found.blob))
            else:
                made = make()
                if keep:
                    Result.objects.update_or_create(key=key, defaults={"blob": put_blob(pickle.dumps(made, protocol=5))})
            with self.guard:
                self.memory[key] = made
                while len(self.memory) > _REMEMBERED:
                    self.memory.popitem(last=False)
                self.locks.pop(key, None)
            return made

    def get(self, key: str) -> Any:
        """The object under a key, or None."""
        with self.guard:
            if key in self.memory:
                return self.memory[key]
        found = Result.objects.filter(key=key).first()
        return pickle.loads(get_blob(found.blob)) if found is not None and blob_path(found.blob).exists() else None

    def put(self, key: str, made: Any) -> None:
        """Keep a small object under a key, whatever was there: a pointer to the last of something. Asked for on disk, since another process may have put a later one."""
        Result.objects.update_or_create(key=key, defaults={"blob": put_blob(pickle.dumps(made, protocol=5))})

    def drop(self, key: str) -> None:
        """Forget the object under a key, and its bytes where nothing else has the same."""
        with self.guard:
            self.memory.pop(key, None)
        for row in Result.objects.filter(key=key):
            row.delete()
            if not Result.objects.filter(blob=row.blob).exists():
                blob_path(row.blob).unlink(missing_ok=True)

    def has(self, key: str) -> bool:
        return key in self.memory or Result.objects.filter(key=key).exists()


store = Store()
