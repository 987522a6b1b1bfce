"""Images of the gauge that stay of one kind and depth, whatever the sheet asks images to be: whether a
program takes them is what they are there for.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

from trasloco.fit.model import Plan, PlannedImage
from trasloco.gauge.build import cell_of
from trasloco.scene.images import Image
from trasloco.scene.model import Material, Scene
from trasloco.sheets.layouts import kinds_of_image, speaks
from trasloco.sheets.model import Sheet

Kind = Literal["png", "jpg", "ktx2", "dds", "tif", "tga", "webp", "exr"]
KINDS: tuple[Kind, ...] = ("jpg", "tif", "tga", "webp", "exr", "dds", "ktx2")
"""Kinds beside PNG, which all other images of the boards are."""
DEEP = "deep"
"""The cell of an image of 16 bits a channel."""


def kind_cell(kind: str) -> str:
    return f"kind{kind}"


def with_kinds_kept(plan: Plan, board: Scene, sheet: Sheet) -> Plan:
    """The plan with the images of such cells in their own kind, where readers of the layout's formats take
    it, and in 16 bits.
    """
    wanted: dict[str, Kind] = {kind_cell(kind): kind for kind in KINDS if _harmless(kind, sheet)}
    wanted[DEEP] = "png"
    cells = {image.path: cell_of(board.materials[image.material].name) for image in plan.images}
    made = {
        image.path: _of_kind(image, wanted[cell], 16 if cell == DEEP else 8)
        for image in plan.images
        if (cell := cells[image.path]) in wanted
    }
    return replace(
        plan,
        images=tuple(made.get(image.path, image) for image in plan.images),
        crossings=tuple(
            replace(one, landing=replace(one.landing, image=made[one.landing.image].path))
            if one.landing.image in made
            else one
            for one in plan.crossings
        ),
    )


def _harmless(kind: Kind, sheet: Sheet) -> bool:
    """Whether only this image is missed where a program does not take it. A glTF that holds KTX2 alone asks
    for KHR_texture_basisu, and who does not know that refuses the file.
    """
    asked = speaks(sheet, "gltf") and kind == "ktx2" and sheet.layout != "glb and list"
    return kind in kinds_of_image(sheet) and not asked


def _of_kind(planned: PlannedImage, kind: Kind, depth: int) -> PlannedImage:
    changed: dict[str, Any] = {
        "path": f"{planned.path.rsplit('.', 1)[0]}.{kind}",
        "kind": kind,
        "depth": depth,
        "copy": "",
    }
    if kind == "exr":
        changed["encoding"] = "linear"
    if kind == "jpg":  # it has no fourth channel, and these images say nothing there
        changed["fill"] = {channel: value for channel, value in planned.fill.items() if channel != "a"}
    return replace(planned, **changed)


def holds(scene: Scene, cell: str) -> bool:
    """Whether the files of a board hold the image of such a cell as it is meant."""
    worn = (one for one in scene.materials.values() if cell_of(one.name) == cell)
    images = [image for material in worn for image in _images_of(scene, material)]
    if cell == DEEP:
        return any(image.depth == 16 for image in images)
    return any(kind_cell(image.kind) == cell for image in images)


def _images_of(scene: Scene, material: Material) -> list[Image]:
    used = (given.texture.image for given in material.inputs.values() if given.texture is not None)
    return [scene.images[id] for id in used if id in scene.images]
