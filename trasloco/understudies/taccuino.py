"""Taccuino's importer: one GLB, few inputs, one sun, no environment of its own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from trasloco.formats.bundle import Bundle
from trasloco.formats.gltf_lightmaps import with_told_lightmaps
from trasloco.formats.gltf_read import read_gltf
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet


def import_package(files: Mapping[str, bytes], sheet: Sheet) -> Scene:
    """What Taccuino makes of the files: every other input is passed over, images beyond its limit are
    dropped, the strongest sun stays.
    """
    path = next(path for path in files if path.endswith(".glb"))
    scene, _, _ = read_gltf(path, Bundle(dict(files)))
    scene = with_told_lightmaps(scene) if sheet.lightmaps.taken else scene
    rules = sheet.materials
    fits = {
        id for id, image in scene.images.items() if image.usable and _taken(image.width, image.height, sheet)
    }
    kept = {*rules.inputs, *(name for one in rules.sets for name in one.channels.values())}
    materials = {}
    for id, material in scene.materials.items():
        inputs = {
            name: given
            if given.texture is None or given.texture.image in fits
            else replace(given, texture=None)
            for name, given in material.inputs.items()
            if name in kept
        }
        if "base_color" in inputs and rules.vertex_color == "ignored":
            inputs["base_color"] = replace(inputs["base_color"], vertex_color=False)
        mode = material.alpha_mode if material.alpha_mode in rules.alpha else "opaque"
        materials[id] = replace(
            material,
            inputs=inputs,
            alpha_mode=mode,
            unlit=False,
            double_sided=rules.two_sided == "always" or (rules.two_sided == "flag" and material.double_sided),
        )
    lights = sorted(
        (light for light in scene.lights.values() if light.kind in sheet.lights.kinds),
        key=lambda light: -light.intensity,
    )[: sheet.lights.most or None]
    return replace(scene, materials=materials, lights={light.id: light for light in lights}, environment=None)


def _taken(width: int, height: int, sheet: Sheet) -> bool:
    odd = sheet.images.power_of_two and bool(width & (width - 1) or height & (height - 1))
    return not odd and max(width, height) <= (sheet.images.largest or max(width, height))
