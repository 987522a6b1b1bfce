"""What it takes to write a package layout and to read it back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from trasloco.at_rest import Bytes
from trasloco.errors import Refused
from trasloco.fit.model import Carried
from trasloco.scene.images import Image
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet

Files = Mapping[str, Bytes]
"""Delivered bytes by path, forward slashes."""


def geometry_path(files: Files, *endings: str) -> str:
    """The file that holds a package's scene.

    Raises:
        Refused: no file has one of the endings.
    """
    found = next((path for path in files if path.endswith(endings)), None)
    if found is None:
        raise Refused(
            f"The package has no {' or '.join(endings)} file.",
            ", ".join(files) or "an empty package",
            "Deliver it again, or choose the sheet that it was written by.",
        )
    return found


@dataclass(frozen=True)
class Layout:
    """A layout by the name it has in sheets.

    Attributes:
        write: the files of a delivered scene, whose surroundings already have their paths.
        beside: whether images lie beside the files that were written, as files of their own.
        read: the scene that the files say, before the destination does anything to it. Images that the given
            function does not take are as good as missing.
        sealed: what becomes of all files at the end, where a form puts them into one.
        always: inputs that its files give every material, whatever the sheet knows.
    """

    name: str
    write: Callable[[Carried, Scene, Sheet], dict[str, Bytes]]
    read: Callable[[Files, Sheet, Callable[[Image], bool]], Scene]
    beside: bool = True
    always: frozenset[str] = frozenset()
    sealed: Callable[[dict[str, Bytes], Sheet], dict[str, Bytes]] | None = None
