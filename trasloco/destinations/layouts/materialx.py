"""MaterialX documents with OpenPBR networks, one or one a material, images beside them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from trasloco.at_rest import Bytes
from trasloco.destinations.layouts.layout import Files, Layout, geometry_path
from trasloco.fit.model import Carried
from trasloco.fit.naming import file_names, slug
from trasloco.formats.assembling import assembled
from trasloco.formats.bundle import Bundle
from trasloco.formats.materialx_write import write_materialx
from trasloco.formats.mtlx_read import read_materialx
from trasloco.scene.images import Image
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet


def _write(carried: Carried, scene: Scene, sheet: Sheet) -> dict[str, Bytes]:
    if sheet.package.files == "one":
        return {"materials.mtlx": write_materialx(scene).encode()}
    return {
        f"{slug(name)}.mtlx": write_materialx(replace(scene, materials={id: scene.materials[id]})).encode()
        for id, name in file_names(scene.materials.values()).items()
    }


def _read(files: Files, sheet: Sheet, takes: Callable[[Image], bool]) -> Scene:
    geometry_path(files, ".mtlx")
    bundle = Bundle(dict(files))
    read = [
        read_materialx(path, bundle)[0]
        for path in sorted(files, key=_first_of_a_name)
        if path.endswith(".mtlx")
    ]
    return assembled(read, [])


def _first_of_a_name(path: str) -> tuple[int, str]:
    """The second of a name, which has a number behind it, after the first."""
    return len(path), path


LAYOUT = Layout("materialx", _write, _read)
