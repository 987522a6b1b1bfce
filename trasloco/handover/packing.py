"""The package as the destination's sheet wants it: files by path, in the layout the sheet names."""

from __future__ import annotations

import posixpath
from dataclasses import dataclass, replace
from typing import Any

from trasloco.at_rest import Bytes, handed, taken
from trasloco.destinations.layouts import layout_of
from trasloco.fit.model import Carried
from trasloco.handover.material_table import material_table
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet


@dataclass(frozen=True)
class Package:
    """Delivered bytes by path, forward slashes."""

    files: dict[str, Bytes]

    def __reduce_ex__(self, protocol: Any) -> Any:
        """Its bytes are handed over apart where the protocol can."""
        return _again, ({path: handed(data, protocol) for path, data in self.files.items()},)

    @property
    def size_bytes(self) -> int:
        return sum(len(data) for data in self.files.values())


def _again(files: dict[str, Any]) -> Package:
    return Package({path: taken(data) for path, data in files.items()})


def pack_files(carried: Carried, destination: Sheet) -> Package:
    """Write every file of the package.

    Raises:
        Refused: the sheet names no layout that can be written.
    """
    layout, scene = layout_of(destination), _with_sky_path(carried.scene, destination)
    files = layout.write(carried, scene, destination)
    table = material_table(scene, destination)
    if not layout.beside:
        return Package({**files, **table})
    for image in carried.images.values():
        files[image.path] = image.data
    for around in (scene.environment, scene.backdrop):
        if around is not None:
            files[scene.images[around.image].path] = scene.images[around.image].data
    if layout.sealed is not None:
        files = layout.sealed(files, destination)
    return Package(dict(sorted({**files, **table}.items())))


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
