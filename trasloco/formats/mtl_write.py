"""Materials to MTL: the classic statements, or with the physical ones beside them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from trasloco.inputs.table import INPUTS
from trasloco.scene.model import Material, Scene, Texture
from trasloco.scene.resolve import emission_in_one

_MOST_EXPONENT = 1e30
"""What stands for a perfect mirror, whose exponent is infinite."""


def write_mtl(scene: Scene, classic: bool) -> bytes:
    """A material library. ``classic`` tells roughness as an exponent (Ns), and nothing physical.

    Image paths are written as they are in the scene, relative to the library.
    """
    lines = ["# Colours are linear."]
    for material in scene.materials.values():
        lines += ["", f"newmtl {material.name}", *_statements(material, scene, classic)]
    return ("\n".join(lines) + "\n").encode("ascii")


def exponent_of(roughness: float) -> float:
    """The exponent of a Phong highlight as wide as a microfacet one: 2 / roughness^4 - 2 (Walter et al. 2007:
    alpha^2 = 2 / (Ns + 2), alpha = roughness^2).
    """
    return min(2 / max(roughness, 1e-9) ** 4 - 2, _MOST_EXPONENT)


def _statements(material: Material, scene: Scene, classic: bool) -> Iterator[str]:
    for name, given in material.inputs.items():
        row = INPUTS[name]
        if name == "roughness" and classic:
            yield f"Ns {exponent_of(given.factor[0]):.9g}"
            continue
        if name == "emission_strength" or (name == "opacity" and material.alpha_mode == "opaque"):
            continue
        if row.mtl.value:
            told = emission_in_one(material) if name == "emission" else given.factor
            yield f"{_key(row.mtl.value)} {_numbers(told)}"
        if given.texture is not None and row.mtl.maps and given.texture.image in scene.images:
            path = scene.images[given.texture.image].path
            yield f"{_key(row.mtl.maps[0])} {''.join(_options(name, given.texture))}{path}"
    yield "illum 2"


def _numbers(values: tuple[float, ...]) -> str:
    return " ".join(f"{v:.9g}" for v in values)


def _key(key: str) -> str:
    """A statement as the specification writes it: Kd, map_Kd, norm, Pcr."""
    head, _, tail = key.rpartition("_")
    word = tail if tail in ("d", "norm", "bump", "aniso") else tail.capitalize()
    return f"{head}_{word}" if head else word


def _options(name: str, texture: Texture) -> Iterator[str]:
    """Options of a map; MTL's v runs up, so offsets turn with it: v_up = 1 - v_down."""
    if texture.scale != (1.0, 1.0):
        yield f"-s {_numbers((*texture.scale, 1.0))} "
    offset = (texture.offset[0], 1 - texture.scale[1] - texture.offset[1])
    if not np.allclose(offset, 0):
        yield f"-o {_numbers((*offset, 0.0))} "
    if texture.wrap == ("clamp", "clamp"):
        yield "-clamp on "
    if name == "normal" and texture.strength != 1.0:
        yield f"-bm {texture.strength:.9g} "
