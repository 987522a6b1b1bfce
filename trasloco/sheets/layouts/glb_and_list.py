"""Geometry and slots in a GLB, images beside it, and a plain material list that says how they belong."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.sheets.layouts.facts import Fault, LayoutFacts
from trasloco.sheets.layouts.gltf_geometry import faults_of_geometry, faults_of_scene
from trasloco.sheets.model import Sheet


def _faults(sheet: Sheet) -> Iterator[Fault]:
    yield from faults_of_geometry(sheet)
    yield from faults_of_scene(sheet)


FACTS = LayoutFacts(
    "glb and list",
    "list",
    _faults,
    forms=("glb", "gltf", "gltf embedded"),
    images=("png", "jpg", "ktx2", "dds", "tif", "tga", "webp", "exr"),
)
