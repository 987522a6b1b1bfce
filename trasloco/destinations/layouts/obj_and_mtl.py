"""OBJ files with one MTL library, images beside them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from trasloco.at_rest import Bytes
from trasloco.destinations.layouts.layout import Files, Layout, geometry_path
from trasloco.fit.model import Carried
from trasloco.fit.naming import slug
from trasloco.formats.assembling import assembled
from trasloco.formats.bundle import Bundle
from trasloco.formats.mtl_write import write_mtl
from trasloco.formats.obj_read import read_obj
from trasloco.formats.obj_write import write_obj
from trasloco.mends.settling import settle
from trasloco.scene.images import Image
from trasloco.scene.model import AlphaMode, Material, Scene
from trasloco.sheets.layouts import form_of
from trasloco.sheets.model import Sheet


def _write(carried: Carried, scene: Scene, sheet: Sheet) -> dict[str, Bytes]:
    told, library = sheet.conventions, f"{slug(scene.name)}.mtl"
    parts = [
        part
        for part in scene.parts()
        if any(len(p.indices) for p in scene.meshes[part.mesh or ""].primitives)
    ]
    held = (
        {part.name: [part] for part in parts}
        if sheet.package.files == "one a part"
        else {slug(scene.name): parts}
    )
    return {
        **{
            f"{name}.obj": write_obj(scene, these, told.up_axis, told.unit_m, library)
            for name, these in held.items()
        },
        library: write_mtl(scene, form_of(sheet) == "obj classic"),
    }


def _read(files: Files, sheet: Sheet, takes: Callable[[Image], bool]) -> Scene:
    geometry_path(files, ".obj")
    bundle = Bundle(dict(files))
    read = [read_obj(path, bundle)[0] for path in sorted(files) if path.endswith(".obj")]
    scene = settle(_one_library(assembled(read, [])), sheet, [])
    seen = {
        id: replace(material, alpha_mode=_see_through(material, sheet), double_sided=False)
        for id, material in scene.materials.items()
    }
    return replace(scene, materials=seen)


def _see_through(material: Material, sheet: Sheet) -> AlphaMode:
    """Whatever has an opacity is cut where the destination can cut."""
    return "mask" if "opacity" in material.inputs and "mask" in sheet.materials.alpha else "opaque"


def _one_library(scene: Scene) -> Scene:
    """The scene with one material of each name: every file named the same library."""
    first: dict[str, str] = {}
    for material in scene.materials.values():
        first.setdefault(material.name, material.id)
    meshes = {
        id: replace(
            mesh,
            primitives=tuple(
                replace(p, material=first[scene.materials[p.material].name]) if p.material else p
                for p in mesh.primitives
            ),
        )
        for id, mesh in scene.meshes.items()
    }
    materials = {id: scene.materials[id] for id in first.values()}
    return replace(scene, meshes=meshes, materials=materials)


LAYOUT = Layout("obj and mtl", _write, _read, always=frozenset({"base_color", "roughness", "metalness"}))
