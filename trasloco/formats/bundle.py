"""A delivery as a flat set of named files: loose files, folders and archives all end up here, within the
limits.
"""

from __future__ import annotations

import hashlib
import io
import posixpath
import re
import zipfile
from collections.abc import Container, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from trasloco.at_rest import Bytes, Row, held
from trasloco.errors import Refused
from trasloco.limits import LIMITS

_JUNK = re.compile(r"(^|/)(__MACOSX/|\.DS_Store$|Thumbs\.db$|desktop\.ini$)")


@dataclass
class Bundle:
    """Files by their path in the delivery, forward slashes, no leading slash.

    ``notes`` says of which files something is to be told: path, title, consequence.
    """

    files: dict[str, Bytes] = field(default_factory=dict)
    notes: list[tuple[str, str, str]] = field(default_factory=list)

    def held(self, path: str) -> bytes:
        """A file's bytes in memory, for who reads them as text."""
        return bytes(self.files[path])

    def find(self, path: str, beside: str = "") -> str | None:
        """The bundle path a reference means: beside the referring file, then as given, then by unique base
        name, ignoring case last.
        """
        wanted = posixpath.normpath(posixpath.join(posixpath.dirname(beside), path.replace("\\", "/")))
        if wanted in self.files:
            return wanted
        plain = path.replace("\\", "/").lstrip("./")
        if plain in self.files:
            return plain
        lowered = [name for name in self.files if name.lower() == wanted.lower()]
        if len(lowered) == 1:
            return lowered[0]
        base = posixpath.basename(plain)
        same = [name for name in self.files if posixpath.basename(name) == base] or [
            name for name in self.files if posixpath.basename(name).lower() == base.lower()
        ]
        return same[0] if len(same) == 1 else None


def safe_path(name: str) -> str:
    """A path inside the delivery, refused when it would lead outside it.

    Raises:
        Refused: the name is absolute, has a drive, a null byte, or climbs out.
    """
    plain = name.replace("\\", "/")
    if "\0" in plain or plain.startswith("/") or re.match(r"^[A-Za-z]:", plain) or ".." in plain.split("/"):
        raise Refused(
            "This file name leads outside the delivery.",
            name[:120],
            "Pack the archive again with plain relative names.",
        )
    return posixpath.normpath(plain)


def unlike(path: str, taken: Container[str]) -> str:
    """The path, or with a number before its ending where it is taken already."""
    stem, ending = posixpath.splitext(path)
    number, made = 1, path
    while made in taken:
        number += 1
        made = f"{stem} ({number}){ending}"
    return made


def bundle_files(files: Mapping[str, Bytes]) -> Bundle:
    """Unpack archives among the files and check every limit.

    Raises:
        Refused: too many files, too many bytes, an archive that is damaged, encrypted or expands beyond
            reason, a name that climbs out.
    """
    bundle = Bundle()
    if not files:
        raise Refused("Nothing was delivered.", "the delivery", "Choose at least one file.")
    if sum(len(data) for data in files.values()) > LIMITS.upload_bytes:
        raise Refused(
            f"The delivery is larger than {LIMITS.upload_bytes >> 20} MB.",
            "the delivery",
            "Split it, or raise the limit in the settings.",
        )
    for name, data in files.items():
        if name.lower().endswith(".zip") or (
            data[:4] == b"PK\x03\x04" and not name.lower().endswith(".usdz")
        ):
            _unpack(name, data, bundle)
        else:
            _keep(bundle, safe_path(name), data)
    return bundle


def _keep(bundle: Bundle, path: str, data: Bytes) -> None:
    if _JUNK.search(path):
        return
    if len(bundle.files) >= LIMITS.files:
        raise Refused(
            f"There are more than {LIMITS.files} files.",
            path,
            "Leave out what is not needed, or raise the limit in the settings.",
        )
    short = "/".join(_short(part) for part in path.split("/"))[-_MOST_PATH:]
    if short != path:
        told = f"It is kept as {short[-80:]}. What refers to it by its whole name does not find it."
        bundle.notes.append((short, "A file name beyond reason", told))
        path = short
    if path in bundle.files and bundle.files[path] != data:
        other = unlike(path, bundle.files)
        told = f"They differ, so the second is kept as {other}. What refers to the name means the first."
        bundle.notes.append((path, "Two files of one name", told))
        path = other
    bundle.files[path] = data


_MOST_NAME, _MOST_PATH = 200, 1000
"""Bytes of a file's name, and letters of its path, that any file system takes."""


def _short(part: str) -> str:
    """A file's name, cut in its middle where no file system would take it."""
    if len(part.encode("utf-8", "replace")) <= _MOST_NAME:
        return part
    digest = hashlib.sha256(part.encode("utf-8", "replace")).hexdigest()[:12]
    return f"{part[:20]}-{digest}-{part[-20:]}"


def _unpack(name: str, data: Bytes, bundle: Bundle) -> None:
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        entries = [entry for entry in archive.infolist() if not entry.is_dir()]
    except (zipfile.BadZipFile, ValueError, NotImplementedError) as error:
        raise Refused(
            f"The archive cannot be opened ({error}).",
            name,
            "Pack it again; it may have been cut short on the way.",
        ) from None
    total = sum(entry.file_size for entry in entries)
    most = LIMITS.unpack_ratio if total <= LIMITS.unpack_freely_bytes else LIMITS.unpack_ratio_beyond
    if total > LIMITS.unpacked_bytes or total > max(len(data), 1) * most:
        raise Refused(
            f"The archive would unpack to {total >> 20} MB from {max(len(data) >> 10, 1)} kB.",
            name,
            "This looks like an archive made to do harm. Deliver the files themselves.",
        )
    if len(entries) > LIMITS.files:
        raise Refused(
            f"The archive holds more than {LIMITS.files} files.", name, "Leave out what is not needed."
        )
    damaged: list[Refused] = []
    sound: list[tuple[str, int, int]] = []
    row = Row(np.uint8, (), LIMITS.held_bytes)
    for entry in entries:
        path = safe_path(entry.filename)
        if entry.flag_bits & 1:
            raise Refused(
                "The archive is locked with a password.", f"{name}/{path}", "Pack it again without one."
            )
        start = row.count
        try:
            with archive.open(entry) as stream:
                while piece := stream.read(2**22):
                    row.append(np.frombuffer(piece, np.uint8))
                    if row.count - start > entry.file_size:
                        raise Refused(
                            "This file is larger than the archive says.",
                            f"{name}/{path}",
                            "This looks like an archive made to do harm. Deliver the files themselves.",
                        )
        except (
            zipfile.BadZipFile,
            zipfile.zlib.error,  # type: ignore[attr-defined]
            EOFError,
            NotImplementedError,
            OSError,
            ValueError,
            RuntimeError,
        ) as error:  # type: ignore[attr-defined]
            remedy = "Pack it again; it may have been cut short on the way."
            damaged.append(
                Refused(f"This file in the archive is damaged ({error}).", f"{name}/{path}", remedy)
            )
            continue
        sound.append((path, start, row.count))
    whole = row.as_bytes()
    for path, start, end in sound:
        _keep(bundle, path, whole[start:end])
    if damaged and len(damaged) == len(entries):
        raise damaged[0]
    for one in damaged:
        bundle.notes.append(
            (one.where, "A damaged file in the archive", f"It is missing from the move. {one.remedy}")
        )


def gather(paths: Iterable[Path]) -> dict[str, Bytes]:
    """Read files and folders from disk into a delivery, as they are now.

    Raises:
        Refused: a path does not exist.
    """
    found: dict[str, Path] = {}
    for path in paths:
        if path.is_dir():
            found.update(
                {
                    child.relative_to(path.parent).as_posix(): child
                    for child in sorted(path.rglob("*"))
                    if child.is_file()
                }
            )
        elif path.is_file():
            found[path.name] = path
        else:
            raise Refused("There is no such file.", str(path), "Check the path.")
    size = sum(path.stat().st_size for path in found.values())
    return held({name: read_in_pieces(path) for name, path in found.items()}, size)


def read_in_pieces(path: Path) -> Iterator[bytes]:
    """A file's bytes, some at a time."""
    with path.open("rb") as file:
        while piece := file.read(2**22):
            yield piece
