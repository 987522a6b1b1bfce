"""What processes that work on the same deliveries have in common beside results: texels that one has decoded."""

from __future__ import annotations

import hashlib
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from trasloco.scene.texels_held import SHARED

_MEMORY = Path("/dev/shm")


@contextmanager
def texels_in_common(whose: str) -> Iterator[Path | None]:
    """Whatever process is started in here finds the texels that another has decoded.

    Args:
        whose: told apart from others' by this name, which one process has at a time: what an earlier one left
            behind is cleared away.

    Yields the folder they lie in, None on a system without a folder in memory: each decodes for itself there.
    """
    folder = _made(_MEMORY, whose)
    if folder is None:
        yield None
        return
    before = os.environ.get(SHARED)
    os.environ[SHARED] = str(folder)
    try:
        yield folder
    finally:
        if before is None:
            del os.environ[SHARED]
        else:
            os.environ[SHARED] = before
        shutil.rmtree(folder, ignore_errors=True)


def _made(memory: Path, whose: str) -> Path | None:
    folder = memory / f"trasloco-{os.getuid()}-{hashlib.sha256(whose.encode()).hexdigest()[:16]}"
    shutil.rmtree(folder, ignore_errors=True)
    try:
        folder.mkdir(0o700)
    except OSError:  # no such memory, none left, or a folder that is another's
        return None
    return folder
