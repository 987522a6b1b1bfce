"""Large files as they come in: written where they will be kept, and told from others while the rest is on its way."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Any
from weakref import WeakKeyDictionary

from django.core.files.uploadedfile import TemporaryUploadedFile, UploadedFile
from django.core.files.uploadhandler import TemporaryFileUploadHandler

from server.moves.store import put_chunks, put_file


class Incoming(TemporaryFileUploadHandler):
    """A file whose digest is known when its last byte is there."""

    def new_file(self, *told: Any, **more: Any) -> None:
        super().new_file(*told, **more)
        self.seen = hashlib.sha256()

    def receive_data_chunk(self, raw_data: bytes, start: int) -> None:
        self.seen.update(raw_data)
        super().receive_data_chunk(raw_data, start)

    def file_complete(self, file_size: int) -> UploadedFile[Any] | None:
        file = super().file_complete(file_size)
        if file is not None:
            _DIGEST[file] = self.seen.hexdigest()
        return file


_DIGEST: WeakKeyDictionary[UploadedFile[Any], str] = WeakKeyDictionary()


def kept(file: UploadedFile[Any]) -> str:
    """A file that came in is kept; its digest."""
    digest = _DIGEST.get(file)
    if digest is None or not isinstance(file, TemporaryUploadedFile):
        return put_chunks(file.chunks(2**20))
    file.flush()
    put_file(Path(file.temporary_file_path()), digest)
    return digest
