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
    ``per_part`` is whether each part can have a file of its own; ``images`` are the kinds of image that
    readers of its formats take.
    """

    name: str
    materials: Literal["gltf", "openpbr", "list", "mtl", "preview", "common", "none"]
    faults: Callable[[Sheet], Iterator[Fault]]
    forms: tuple[str, ...] = ()
    per_part: bool = False
    images: tuple[str, ...] = ("png", "jpg")
