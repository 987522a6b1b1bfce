"""A mend that makes something up, and says so: relief from a material's colour image."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.invented import invented_height, invented_normals, lightened
from trasloco.scene.model import Input, Scene
from trasloco.scene.resolve import input_values

INVENTED = "image:invented"
"""How the ids of images begin that nobody made."""
_MADE: OrderedDict[tuple[str, str, float, str], Image] = OrderedDict()
_MOST_MADE = 32


def invent_relief(scene: Scene, target: str, value: Any) -> Scene:
    """A height image from the base colour image, ``depth`` deep as a share of one repeat; with ``lighten`` the colour no longer holds the shading that the relief will make. Relief that is there already wins.

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
        raise Refused("There is no colour image to invent relief from.", material.name, "Choose an image for the base colour first.")
    depth = float(value["depth"])
    given = replace(base, factor=(1.0, 1.0, 1.0))
    height = _made("height", given, image, depth)
    texture = base.texture
    relief = replace(texture, image=height.id, channels="r", encoding="linear", space="", invert=False, strength=depth)
    inputs = {**material.inputs, "height": Input((1.0,), relief, origin="decision")}
    images = {**scene.images, height.id: height}
    if value.get("lighten"):
        lit = _made("colour", given, image, depth)
        images[lit.id] = lit
        inputs["base_color"] = replace(base, texture=replace(texture, image=lit.id, encoding="srgb", space="", invert=False), origin="decision")
    return replace(scene, images=images).with_material(replace(material, inputs=inputs))


def _made(what: str, given: Input, image: Image, depth: float) -> Image:
    """The invented image, once for the same colour and depth."""
    key = (what, image.digest, depth if what == "colour" else 0.0, repr(given.texture))
    if key not in _MADE:
        color = np.clip(input_values("base_color", given, image), 0, 1)
        if what == "height":
            texels = np.round(invented_height(color)[..., None] * 65535).astype(np.uint16)
        else:
            texels = np.round(linear_to_srgb(lightened(color, invented_normals(color, depth))) * 65535).astype(np.uint16)
        name = f"{image.name.rpartition('.')[0] or image.name}-invented-{what}.png"
        _MADE[key] = identify(f"{INVENTED}-{what}:{image.id.partition(':')[2]}", name, name, encode(np.ascontiguousarray(texels), "png"))
        while len(_MADE) > _MOST_MADE:
            _MADE.popitem(last=False)
    return _MADE[key]
