"""A delivered USD layer laid out on disk with all that may belong to it, checked from outside, and opened."""

from __future__ import annotations

import io
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
from pxr import Usd

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle, safe_path
from trasloco.formats.reading import Notes
from trasloco.limits import LIMITS, reading_bytes, reading_seconds
from trasloco.own_process import run_apart

_LAYERS = (".usd", ".usda", ".usdc")


def unpacked_usdz(path: str, data: bytes) -> dict[str, bytes]:
    """The files of a usdz package, the default layer first.

    Raises:
        Refused: not a package, damaged, hostile, or without a layer.
    """
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        entries = [entry for entry in archive.infolist() if not entry.is_dir()]
        if sum(entry.file_size for entry in entries) > min(
            LIMITS.unpacked_bytes, max(len(data), 1) * LIMITS.unpack_ratio
        ):
            raise Refused(
                "The package would unpack to far more than it is.", path, "Deliver the files themselves."
            )
        files = {safe_path(entry.filename): archive.read(entry) for entry in entries}
    except (zipfile.BadZipFile, ValueError, NotImplementedError, EOFError, OSError, RuntimeError) as error:
        raise Refused(f"The package cannot be opened ({error}).", path, "Export it again.") from None
    if not any(name.lower().endswith(_LAYERS) for name in files):
        raise Refused("The package holds no layer.", path, "Export it again.")
    return files


@contextmanager
def opened_stage(path: str, bundle: Bundle, notes: Notes) -> Iterator[tuple[Any, Bundle]]:
    """The stage of the layer at ``path``, and the bundle its images are found in.

    Raises:
        Refused: a layer that cannot be opened, or one made of files outside the delivery.
    """
    files = dict(bundle.files)
    if path.lower().endswith(".usdz") or bundle.files[path][:4] == b"PK\x03\x04":
        inside = unpacked_usdz(path, bundle.held(path))
        files |= {f"{path}.d/{name}": data for name, data in inside.items()}
        path = f"{path}.d/" + next(name for name in inside if name.lower().endswith(_LAYERS))
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder).resolve()
        for name, data in files.items():
            if name == path or (name.lower().endswith(_LAYERS) and data):
                place = root / safe_path(name)
                place.parent.mkdir(parents=True, exist_ok=True)
                place.write_bytes(data)
        layer = str(root / path)
        count = sum(map(len, files.values()))
        told = run_apart(
            "trasloco.formats.usd_opening",
            {
                "path": np.frombuffer(layer.encode(), np.uint8),
                "root": np.frombuffer(str(root).encode(), np.uint8),
            },
            "The layer cannot be opened",
            path,
            "Export it again.",
            seconds=reading_seconds(count),
            most_bytes=reading_bytes(count),
        )
        used = told["used"].tobytes().decode().splitlines()
        if told["outside"].size or any(not Path(name).resolve().is_relative_to(root) for name in used):
            raise Refused(
                "The layer is made of files outside the delivery.", path, "Deliver all layers together."
            )
        notes.used.update(Path(name).resolve().relative_to(root).as_posix() for name in used)
        for prim in told["clipped"].tobytes().decode().splitlines():
            notes.note(
                "value_clips",
                "Motion kept in layers of its own",
                prim,
                "Value clips are not read; what they move stands still.",
                weight=45,
            )
        for line in told["missing"].tobytes().decode().splitlines():
            notes.note(
                "dead_reference",
                "A layer it refers to is not in the delivery",
                line.replace(str(root), "")[:160],
                "What it should bring is missing.",
                weight=70,
            )
        yield Usd.Stage.Open(layer), Bundle(files)
