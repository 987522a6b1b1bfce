"""Taccuino's importer: one GLB, few inputs, one sun, no environment of its own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from trasloco.formats.bundle import Bundle
from trasloco.formats.gltf_read import read_gltf
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet

_KEPT = ("base_color", "normal", "roughness", "metalness", "opacity")


def import_package(files: Mapping[str, bytes], sheet: Sheet) -> Scene:
    """What Taccuino makes of the files: every other input is passed over, images beyond its limit are dropped, the strongest sun stays."""
    path = next(path for path in files if path.endswith(".glb"))
    scene, _, _ = read_gltf(path, Bundle(dict(files)))
    fits = {id for id, image in scene.images.items() if image.usable and max(image.width, image.height) <= sheet.images.largest}
    materials = {}
    for id, material in scene.materials.items():
        inputs = {name: given if given.texture is None or given.texture.image in fits else replace(given, texture=None) for name, given in material.inputs.items() if name in _KEPT}
        mode = material.alpha_mode if material.alpha_mode != "blend" else "opaque"
        materials[id] = replace(material, inputs=inputs, alpha_mode=mode, unlit=False)
    suns = sorted((light for light in scene.lights.values() if light.kind == "sun"), key=lambda light: -light.intensity)[: sheet.lights.most]
    return replace(scene, materials=materials, lights={light.id: light for light in suns}, environment=None)
