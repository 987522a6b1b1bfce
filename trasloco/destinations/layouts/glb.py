"""One GLB with everything in it, or the same as a .gltf with its binary and images beside it or in it."""

from __future__ import annotations

from collections.abc import Callable

from trasloco.at_rest import Bytes
from trasloco.destinations.layouts.layout import Files, Layout, geometry_path
from trasloco.fit.model import Carried
from trasloco.fit.naming import slug
from trasloco.formats.bundle import Bundle
from trasloco.formats.gltf_lightmaps import lightmapped_glb, with_told_lightmaps
from trasloco.formats.gltf_parts import loose_gltf, written_in_gltf
from trasloco.formats.gltf_read import read_gltf
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.images import Image
from trasloco.scene.model import Scene
from trasloco.sheets.layouts import form_of
from trasloco.sheets.model import Sheet


def _write(carried: Carried, scene: Scene, sheet: Sheet) -> dict[str, Bytes]:
    lightmapped = any(node.lightmap for node in scene.nodes.values())
    glb = lightmapped_glb(scene, sheet.lightmaps.encoding) if lightmapped else write_glb(scene)
    return as_form(glb, slug(scene.name), sheet)


def as_form(glb: Bytes, stem: str, sheet: Sheet) -> dict[str, Bytes]:
    """A GLB in the form that a sheet asks for."""
    form = form_of(sheet)
    if form == "gltf":
        return loose_gltf(glb, stem, sheet.images.folder)
    return written_in_gltf(glb, stem) if form == "gltf embedded" else {f"{stem}.glb": glb}


def _read(files: Files, sheet: Sheet, takes: Callable[[Image], bool]) -> Scene:
    path = geometry_path(files, ".glb", ".gltf")
    scene, _, _ = read_gltf(path, Bundle(dict(files)))
    return with_told_lightmaps(scene) if sheet.lightmaps.taken else scene


LAYOUT = Layout("glb", _write, _read, beside=False)
