"""What each file of a package is for, in a few words."""

from __future__ import annotations

import posixpath
from collections.abc import Mapping

from trasloco.at_rest import Bytes
from trasloco.fit.model import Carried
from trasloco.inputs.table import INPUTS
from trasloco.scene.model import Scene

_BY_ENDING = {
    ".glb": "the scene in one file",
    ".gltf": "the scene; numbers are in the binary beside it",
    ".bin": "numbers of points and keys",
    ".usdz": "everything in one package",
    ".usda": "the scene",
    ".usdc": "the scene",
    ".dae": "the scene",
    ".zae": "everything in one archive",
    ".obj": "points, faces and slots",
    ".mtl": "materials, and which image is theirs",
    ".mtlx": "materials as networks",
    ".ply": "points of one part with their colours",
    ".stl": "facets of one part",
}
_LAYERS = {"-lights.usdc": "lamps", "-looks.usdc": "materials", "-geometry.usdc": "meshes and places"}
_NAMED = {
    "materials.json": "which image and number belongs to which slot, lamps and surroundings",
    "material-table.csv": "every input of every material, a row each",
    "material-table.json": "every input of every material, a row each",
}


def purposes(files: Mapping[str, Bytes], carried: Carried) -> dict[str, str]:
    """By path. Images are told by the inputs and materials that read them."""
    images = {**_images(carried), **_around(carried.scene)}
    layered = any(path.endswith("-geometry.usdc") for path in files)
    found = {}
    for path in files:
        ending = posixpath.splitext(path)[1].lower()
        layer = next((words for end, words in _LAYERS.items() if path.endswith(end)), "")
        found[path] = images.get(path) or layer or _NAMED.get(path, "")
        if path.startswith("pictures/"):
            found[path] = "how it looks where it arrives"
        if not found[path]:
            root = layered and ending == ".usda"
            found[path] = "the root above the layers" if root else _BY_ENDING.get(ending, "")
    return found


def _images(carried: Carried) -> dict[str, str]:
    named = {crossing.id: crossing.landing.input for crossing in carried.plan.crossings}
    scene = carried.scene
    found = {}
    for planned in carried.plan.images:
        inputs = [INPUTS[named[id]].label for id in planned.channels.values() if named.get(id) in INPUTS]
        material = scene.materials.get(planned.material)
        told = in_words(list(dict.fromkeys(inputs)))
        found[planned.path] = f"{told} of {material.name}" if material is not None else told
    return found


def in_words(labels: list[str]) -> str:
    """Metalness, roughness and occlusion."""
    *first, last = [labels[0], *(label.lower() for label in labels[1:])] if labels else [""]
    return f"{', '.join(first)} and {last}" if first else last


def _around(scene: Scene) -> dict[str, str]:
    """Surroundings and light written down."""
    found = {}
    for words, around in (("what stands behind", scene.backdrop), ("what surrounds it", scene.environment)):
        if around is not None and around.image in scene.images:
            found[scene.images[around.image].path] = words
    for part in scene.parts():
        if part.lightmap is None:
            continue
        for id, words in (
            (part.lightmap.image, "light written down"),
            (part.lightmap.direction, "where that light comes from"),
        ):
            if id in scene.images:
                found[scene.images[id].path] = words
    return found
