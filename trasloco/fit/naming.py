"""Names of delivered files by a sheet's pattern, valid on every file system."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable
from typing import Protocol


def slug(name: str) -> str:
    """Lower-case ASCII letters, digits and hyphens; ``unnamed`` when nothing is left."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:80] or "unnamed"


class _Called(Protocol):
    @property
    def id(self) -> str: ...
    @property
    def name(self) -> str: ...


def file_names(materials: Iterable[_Called]) -> dict[str, str]:
    """Names by id of which no two make the same :func:`slug`: the second of a name has a number behind it."""
    found: dict[str, str] = {}
    taken: set[str] = set()
    for material in materials:
        name, number = material.name, 1
        while slug(name) in taken:
            number += 1
            name = f"{material.name} {number}"
        taken.add(slug(name))
        found[material.id] = name
    return found


class Namer:
    """Gives each path once; the second of a name gets a running number."""

    def __init__(self, pattern: str, folder: str) -> None:
        self.pattern, self.folder = pattern, folder
        self.taken: set[str] = set()

    def path(self, material: str, set_name: str, extension: str) -> str:
        base = self.pattern.format(material=slug(material), set=set_name)
        stem, number = base, 1
        while stem in self.taken:
            number += 1
            stem = f"{base}-{number}"
        self.taken.add(stem)
        return f"{self.folder}/{stem}.{extension}" if self.folder else f"{stem}.{extension}"
