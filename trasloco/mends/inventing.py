"""A mend that makes something up, and says so: relief from a material's colour image."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.keeping import kept
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.digest import digest
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.invented import (
    INVENTED,
    invented_height,
    invented_normals,
    is_invented,
    lightened,
    made_from,
)
from trasloco.scene.model import Input, Scene
from trasloco.scene.resolve import input_values


def invent_relief(scene: Scene, target: str, value: Any) -> Scene:
    """A height image from the base colour image, ``depth`` deep as a share of one repeat; with ``lighten``
    the colour no longer holds the shading that the relief will make. Relief that is there already wins.

    Raises:
        Refused: there is no colour image, or the material has relief already.
    """
    material = scene.materials.get(target)
    if material is None or value is None:
        return scene
    if "normal" in material.inputs or "height" in material.inputs:
        return scene
    base = material.inputs.get("base_color")
    image = scene.images.get(base.texture.image) if base is not None and base.texture is not None else None
    if base is None or base.texture is None or image is None or not image.usable:
        raise Refused(
            "There is no colour image to invent relief from.",
            material.name,
            "Choose an image for the base colour first.",
        )
    depth = float(value["depth"])
    given = replace(base, factor=(1.0, 1.0, 1.0))
    height = _made("height", given, image, depth)
    texture = base.texture
    relief = replace(
        texture, image=height.id, channels="r", encoding="linear", space="", invert=False, strength=depth
    )
    inputs = {**material.inputs, "height": Input((1.0,), relief, origin="decision")}
    images = {**scene.images, height.id: height}
    if value.get("lighten"):
        lit = _made("colour", given, image, depth)
        images[lit.id] = lit
        inputs["base_color"] = replace(
            base,
            texture=replace(texture, image=lit.id, encoding="srgb", space="", invert=False),
            origin="decision",
        )
    return replace(scene, images=images).with_material(replace(material, inputs=inputs))


def depth(scene: Scene, target: str, value: Any) -> Scene:
    """Another depth for invented relief, as a share of one repeat; a colour that was lightened for it
    follows. Relief that somebody made is changed as any input is.
    """
    material_id, _, name = target.rpartition("/")
    material = scene.materials.get(material_id)
    height = material.inputs.get("height") if material is not None else None
    if (
        material is None
        or name != "height"
        or height is None
        or height.texture is None
        or not is_invented(height.texture.image)
    ):
        return scene
    inputs = {
        **material.inputs,
        "height": replace(height, texture=replace(height.texture, strength=float(value))),
    }
    images, base = dict(scene.images), material.inputs["base_color"]
    if base.texture is not None and is_invented(base.texture.image):
        original = images[made_from(base.texture.image)]
        lit = _made(
            "colour",
            replace(base, factor=(1.0, 1.0, 1.0), texture=replace(base.texture, image=original.id)),
            original,
            float(value),
        )
        images[lit.id] = lit
    return replace(scene, images=images).with_material(replace(material, inputs=inputs))


def _made(what: str, given: Input, image: Image, depth: float) -> Image:
    """The invented image, once for the same colour and depth."""
    key = digest(what, image.digest, depth if what == "colour" else 0.0, given.texture)
    return kept("invented", key, lambda: _invented(what, given, image, depth))


def _invented(what: str, given: Input, image: Image, depth: float) -> Image:
    color = np.clip(input_values("base_color", given, image), 0, 1)
    if what == "height":
        values = invented_height(color)[..., None]
    else:
        values = linear_to_srgb(lightened(color, invented_normals(color, depth)))
    name = f"{image.name.rpartition('.')[0] or image.name}-invented-{what}.png"
    texels = np.ascontiguousarray(np.round(values * 65535).astype(np.uint16))
    return identify(f"{INVENTED}-{what}:{image.id.partition(':')[2]}", name, name, encode(texels, "png"))
