"""A COLLADA document with images beside it, or both in one archive."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from trasloco.at_rest import Bytes
from trasloco.destinations.layouts.holders import without_holders
from trasloco.destinations.layouts.layout import Files, Layout, geometry_path
from trasloco.fit.model import Carried
from trasloco.fit.naming import slug
from trasloco.formats.bundle import bundle_files
from trasloco.formats.collada_read import read_collada
from trasloco.formats.collada_write import write_collada, write_zae
from trasloco.mends.settling import settle
from trasloco.scene.images import Image
from trasloco.scene.model import Material, Scene
from trasloco.sheets.layouts import form_of
from trasloco.sheets.model import Sheet


def _write(carried: Carried, scene: Scene, sheet: Sheet) -> dict[str, Bytes]:
    told = sheet.conventions
    version = "1.4.1" if form_of(sheet) == "collada" else "1.5.0"
    return {f"{slug(scene.name)}.dae": write_collada(scene, *told.in_files, version)}


def _sealed(files: dict[str, Bytes], sheet: Sheet) -> dict[str, Bytes]:
    if form_of(sheet) != "zae":
        return files
    document = geometry_path(files, ".dae")
    return {document.removesuffix(".dae") + ".zae": write_zae(document, files)}


def _read(files: Files, sheet: Sheet, takes: Callable[[Image], bool]) -> Scene:
    geometry_path(files, ".dae", ".zae")
    bundle = bundle_files(files)
    document = geometry_path(bundle.files, ".dae")
    scene = without_holders(settle(read_collada(document, bundle)[0], sheet, []))
    mode = "blend" if "blend" in sheet.materials.alpha else "mask"
    seen: dict[str, Material] = {
        id: replace(m, alpha_mode=mode if "opacity" in m.inputs else "opaque", double_sided=False)  # type: ignore[arg-type]
        for id, m in scene.materials.items()
    }
    return replace(scene, materials=seen)


LAYOUT = Layout(
    "collada",
    _write,
    _read,
    always=frozenset({"base_color", "roughness", "metalness"}),
    sealed=_sealed,
)
