"""The package as the destination's sheet wants it: files by path, in the layout the sheet names."""

from __future__ import annotations

import posixpath
from dataclasses import dataclass, replace

from trasloco.errors import Refused
from trasloco.fit.model import Carried
from trasloco.fit.naming import slug
from trasloco.formats.gltf_lightmaps import lightmapped_glb
from trasloco.formats.gltf_write import GlbOptions, write_glb
from trasloco.formats.material_list import write_list
from trasloco.formats.materialx_write import write_materialx
from trasloco.formats.usd_write import write_usd
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet


@dataclass(frozen=True)
class Package:
    """Delivered bytes by path, forward slashes."""

    files: dict[str, bytes]

    @property
    def size_bytes(self) -> int:
        return sum(len(data) for data in self.files.values())


def pack_files(carried: Carried, destination: Sheet) -> Package:
    """Write every file of the package.

    Raises:
        Refused: the sheet names no layout that can be written.
    """
    scene = _with_sky_path(carried.scene, destination)
    stem = slug(scene.name)
    files: dict[str, bytes] = {}
    if destination.layout == "glb and list":
        files[f"{stem}.glb"] = write_glb(scene, GlbOptions(materials=False, images=False))
        files["materials.json"] = write_list(scene, destination, told=not carried.plan.untouched)
    elif destination.layout == "usd and materialx":
        files[f"{stem}.usdc"] = write_usd(
            scene, destination.conventions.up_axis, destination.conventions.unit_m
        )
        files["materials.mtlx"] = write_materialx(scene).encode()
    elif destination.layout == "glb":
        files[f"{stem}.glb"] = (
            lightmapped_glb(scene, destination.lightmaps.encoding)
            if any(node.lightmap for node in scene.nodes.values())
            else write_glb(scene)
        )
        return Package(files)
    else:
        raise Refused(
            "The sheet does not say how a package is laid out.",
            destination.name,
            "Choose a destination sheet.",
        )
    for image in carried.images.values():
        files[image.path] = image.data
    for around in (scene.environment, scene.backdrop):
        if around is not None:
            files[scene.images[around.image].path] = scene.images[around.image].data
    return Package(dict(sorted(files.items())))


def _with_sky_path(scene: Scene, destination: Sheet) -> Scene:
    """The pictures that surround the scene under the sheet's image folder; one that is both is told once."""
    images = dict(scene.images)
    for around, stem in ((scene.backdrop, "backdrop"), (scene.environment, "environment")):
        if around is not None:
            name = f"{stem}.{images[around.image].kind}"
            images[around.image] = replace(
                images[around.image],
                path=posixpath.join(destination.images.folder, name) if destination.images.folder else name,
                name=name,
            )
    return replace(scene, images=images)
