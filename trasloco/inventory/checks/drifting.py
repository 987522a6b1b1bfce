"""Images of one material that lie differently on the surface: colour and bump that drift apart, a cut-out
that leaves its colour.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from trasloco.inputs.table import INPUTS
from trasloco.inventory.context import Context
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision, Texture

_CUT, _DETAIL = ("opacity",), ("normal", "height", "roughness", "metalness", "occlusion")
_NEAR = 1e-4
_SAME_SHAPE = 0.02


def drifting_maps(context: Context) -> Iterator[Finding]:
    """An opacity image always belongs to the colour it cuts out.

    Others are told when their image has the colour image's shape, so that they were made for the same place.
    """
    scene = context.scene
    for material in scene.materials.values():
        base = material.inputs.get("base_color")
        if base is None or base.texture is None:
            continue
        own = scene.images.get(base.texture.image)
        apart = []
        for name in (*_CUT, *_DETAIL):
            given = material.inputs.get(name)
            if given is None or given.texture is None or same_place(given.texture, base.texture):
                continue
            image = scene.images.get(given.texture.image)
            if name in _CUT or (
                own is not None
                and image is not None
                and own.usable
                and image.usable
                and abs(own.width / max(own.height, 1) - image.width / max(image.height, 1)) < _SAME_SHAPE
            ):
                apart.append(name)
        if not apart:
            continue
        names = ", ".join(INPUTS[name].label.lower() for name in apart)
        how = "; ".join(
            f"{INPUTS[name].label.lower()} {placed_in_words(material.inputs[name].texture)}" for name in apart
        )
        cut = any(name in _CUT for name in apart)
        yield Finding(
            f"drifting_maps:{material.id}",
            "drifting_maps",
            "Images drift apart",
            f"{material.name} · {names}",
            f"The base colour {placed_in_words(base.texture)}, {how}. "
            + (
                "The cut-out leaves the colour it belongs to."
                if cut
                else "Relief and shine slide over the colour."
            ),
            (material.id,),
            55 if cut else 34,
            {"inputs": apart},
            (
                Mend(
                    "Bring them together",
                    tuple(Decision(f"{material.id}/{name}", "placed_like", "base_color") for name in apart),
                ),
            ),
        )


def same_place(first: Texture, second: Texture) -> bool:
    """Whether two textures put the same place of their image on the same place of the surface."""
    numbers = [np.array([*t.offset, *t.scale, t.rotation_rad]) for t in (first, second)]
    return first.uv_set == second.uv_set and bool(np.abs(numbers[0] - numbers[1]).max() < _NEAR)


def placed_in_words(texture: Texture | None) -> str:
    """``repeats 2 × 3 on UV set 1``."""
    if texture is None:
        return "has no image"
    words = f"repeats {texture.scale[0]:g} × {texture.scale[1]:g} on UV set {texture.uv_set + 1}"
    if texture.offset != (0.0, 0.0):
        words += f", moved by {texture.offset[0]:g} {texture.offset[1]:g}"
    if texture.rotation_rad:
        words += f", turned {np.degrees(texture.rotation_rad):.0f}°"
    return words
