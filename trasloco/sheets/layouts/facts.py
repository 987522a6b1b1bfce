"""What a package layout is to a sheet."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

from trasloco.sheets.model import Sheet

Fault = tuple[str, str]
"""The dotted path of a line, and why the layout cannot keep it."""


@dataclass(frozen=True)
class LayoutFacts:
    """A layout by name: whose material model its files speak, and what leaves the sheet no choice, by the
    specifications of its formats. ``forms`` are those that it can be written as, the usual one first;
    ``files`` is into how many it can be written; ``images`` are the kinds of image that readers of its
    formats take; ``points``: whether a file of it is one mesh and nothing else; ``networks``: whether it has
    materials as networks beside preview surfaces; ``space``: whether its files state axis and unit, and leave
    both free; ``lumens``: whether its lamps' numbers may be in them;
    ``shifts``: whether its cameras may look past the middle of their frame;
    ``obstacles``: whether it has a place for shapes that are not drawn. Without ``geometry`` it holds looks
    alone, for meshes that stand at the destination already.
    """

    name: str
    materials: Literal["gltf", "openpbr", "list", "mtl", "preview", "common", "none"]
    faults: Callable[[Sheet], Iterator[Fault]]
    forms: tuple[str, ...] = ()
    files: tuple[str, ...] = ("one",)
    images: tuple[str, ...] = ("png", "jpg")
    geometry: bool = True
    points: bool = False
    networks: bool = False
    space: bool = False
    lumens: bool = False
    shifts: bool = False
    obstacles: bool = False
