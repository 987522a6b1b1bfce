"""What it takes to write a package layout and to read it back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from trasloco.fit.model import Carried
from trasloco.scene.images import Image
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet

Files = Mapping[str, bytes]
"""Delivered bytes by path, forward slashes."""


@dataclass(frozen=True)
class Layout:
    """A layout by the name it has in sheets.

    Attributes:
        write: the files of a delivered scene, whose surroundings already have their paths.
        beside: whether images lie beside the files that were written, as files of their own.
        read: the scene that the files say, before the destination does anything to it. Images that the given
            function does not take are as good as missing.
        always: inputs that its files give every material, whatever the sheet knows.
    """

    name: str
    write: Callable[[Carried, Scene, Sheet], dict[str, bytes]]
    read: Callable[[Files, Sheet, Callable[[Image], bool]], Scene]
    beside: bool = True
    always: frozenset[str] = frozenset()
