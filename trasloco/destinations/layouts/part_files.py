"""A file of points for each part, by its name, or one of all, and nothing else: PLY, with colours on points,
or STL.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from trasloco.at_rest import Bytes
from trasloco.destinations.layouts.layout import Files, Layout, geometry_path
from trasloco.fit.model import Carried
from trasloco.fit.naming import slug
from trasloco.fit.tree import NO_MATERIAL
from trasloco.formats.assembling import assembled
from trasloco.formats.bundle import Bundle
from trasloco.formats.ply_read import read_ply
from trasloco.formats.ply_write import write_ply
from trasloco.formats.stl_read import read_stl
from trasloco.formats.stl_write import write_stl
from trasloco.mends.settling import settle
from trasloco.scene.images import Image
from trasloco.scene.joining import filled, joined_slots
from trasloco.scene.model import Input, Material, Mesh, Scene
from trasloco.sheets.layouts import form_of, in_one_piece
from trasloco.sheets.model import Sheet

Reader = Callable[[str, Bundle], tuple[Scene, Any, Any]]


def part_files(ending: str, written: Callable[[Mesh, str, Sheet], bytes], read: Reader) -> Layout:
    """The layout whose files have an ending, are ``written`` from a mesh and its name, and ``read`` back."""

    def write(carried: Carried, scene: Scene, sheet: Sheet) -> dict[str, Bytes]:
        meshes = {part.name: scene.meshes[part.mesh or ""] for part in scene.parts()}
        if in_one_piece(sheet):
            meshes = {slug(scene.name): _one_piece(meshes)}
        return {
            f"{name}{ending}": written(mesh, name, sheet)
            for name, mesh in meshes.items()
            if any(len(p.indices) for p in mesh.primitives)
        }

    def read_back(files: Files, sheet: Sheet, takes: Callable[[Image], bool]) -> Scene:
        geometry_path(files, ending)
        bundle = Bundle(dict(files))
        held = [
            _named(read(path, bundle)[0], path.removesuffix(ending))
            for path in sorted(files)
            if path.endswith(ending)
        ]
        return _of_no_material(settle(assembled(held, []), sheet, []))

    return Layout(ending[1:], write, read_back, beside=False, always=frozenset({"base_color"}))


def _one_piece(meshes: Mapping[str, Mesh]) -> Mesh:
    """All meshes as one, their faces in order."""
    slots = [p for mesh in meshes.values() for p in filled(mesh)]
    return Mesh("mesh:all", "all", joined_slots(slots, "none"))


def _named(scene: Scene, name: str) -> Scene:
    """A scene of one part by the name of its file."""
    return replace(scene, nodes={id: replace(node, name=name) for id, node in scene.nodes.items()})


def _of_no_material(scene: Scene) -> Scene:
    """The scene in one plain material that shows the colours on points."""
    plain = Material(
        "material:on-points", NO_MATERIAL, {"base_color": Input((1.0, 1.0, 1.0), vertex_color=True)}
    )
    meshes = {
        id: replace(mesh, primitives=tuple(replace(p, material=plain.id) for p in mesh.primitives))
        for id, mesh in scene.meshes.items()
    }
    return replace(scene, meshes=meshes, materials={plain.id: plain}, images={})


def write_as_ply(mesh: Mesh, name: str, sheet: Sheet) -> bytes:
    told = sheet.conventions
    text = form_of(sheet) == "ply text"
    return write_ply(mesh, told.up_axis, told.unit_m, told.vertex_color_encoding, text)


def write_as_stl(mesh: Mesh, name: str, sheet: Sheet) -> bytes:
    told = sheet.conventions
    return write_stl(mesh, name, told.up_axis, told.unit_m, form_of(sheet) == "stl text")


PLY = part_files(".ply", write_as_ply, read_ply)
STL = part_files(".stl", write_as_stl, read_stl)
