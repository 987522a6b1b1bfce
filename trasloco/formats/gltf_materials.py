"""Materials between glTF 2.0 (with the ratified Khronos extensions) and the neutral scene, one table for both
directions.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from trasloco.formats.gltf_techniques import TECHNIQUES, read_technique
from trasloco.inputs.spec import PBR, InGltf
from trasloco.inputs.table import INPUTS
from trasloco.scene.model import Input, Material, Texture

_WRAP = {33071: "clamp", 33648: "mirror", 10497: "repeat"}
WRAP_CODES = {name: code for code, name in _WRAP.items()}


SLOTS: Mapping[str, InGltf] = {
    name: row.gltf for name, row in INPUTS.items() if row.gltf is not None and name != "opacity"
}
"""Where glTF keeps each input. Opacity is the fourth channel of base colour, and read and written with it."""
SPECULAR_GLOSS = "KHR_materials_pbrSpecularGlossiness"
MATERIAL_EXTENSIONS = frozenset(s.extension for s in SLOTS.values() if s.extension not in ("", PBR)) | {
    "KHR_materials_unlit",
    SPECULAR_GLOSS,
    TECHNIQUES,
}
_DIELECTRIC = 0.04


def floats_of(value: Any, count: int, fallback: tuple[float, ...]) -> tuple[float, ...]:
    """``count`` finite numbers from JSON, or the fallback when it is anything else."""
    items = value if isinstance(value, list) else [value]
    good = len(items) >= count and all(
        isinstance(item, int | float) and not isinstance(item, bool) and item == item
        for item in items[:count]
    )
    return tuple(float(item) for item in items[:count]) if good else fallback


def read_material(
    id: str, name: str, source: dict[str, Any], texture_of: Callable[[dict[str, Any]], Texture | None]
) -> Material:
    """A neutral material from a glTF material.

    ``texture_of`` turns a textureInfo into a texture without channels.
    """
    extensions = source.get("extensions", {}) if isinstance(source.get("extensions"), dict) else {}
    inputs: dict[str, Input] = {}
    for input_name, slot in SLOTS.items():
        holder = (
            source
            if slot.extension == ""
            else source.get(PBR, {})
            if slot.extension == PBR
            else extensions.get(slot.extension)
        )
        if not isinstance(holder, dict):
            continue
        info = holder.get(slot.texture) if slot.texture else None
        texture = texture_of(info) if isinstance(info, dict) else None
        spec = INPUTS[input_name]
        default = slot.default or spec.default
        if texture is not None:
            strength = (
                floats_of(info.get("scale", info.get("strength", 1.0)), 1, (1.0,))[0]
                if isinstance(info, dict)
                else 1.0
            )
            texture = Texture(
                texture.image,
                slot.channels,
                "srgb" if spec.color else "linear",
                texture.uv_set,
                texture.offset,
                texture.rotation_rad,
                texture.scale,
                texture.wrap,
                strength=strength,
            )
        factor = floats_of(holder.get(slot.factor), spec.channels, default) if slot.factor else default
        if texture is None and slot.factor not in holder and slot.extension not in (PBR,):
            continue
        lowest, assumed = slot.lowest
        if lowest and texture is not None and factor[0] > 0.0:
            least = floats_of(holder.get(lowest, assumed), 1, (assumed,))[0]
            texture = replace(texture, floor=least / factor[0])
        inputs[input_name] = Input(factor, texture)
    told = extensions.get(SPECULAR_GLOSS)
    if isinstance(told, dict):
        inputs |= _specular_gloss(told, texture_of)
    shader = extensions.get(TECHNIQUES)
    if isinstance(shader, dict):
        read, _ = read_technique(shader, texture_of)
        inputs = {
            **inputs,
            "metalness": Input((0.0,), origin="guess"),
            "roughness": Input((0.8,), origin="guess"),
            **read,
        }
    mode = {"MASK": "mask", "BLEND": "blend"}.get(str(source.get("alphaMode", "OPAQUE")), "opaque")
    pbr = source.get(PBR, {}) if isinstance(source.get(PBR), dict) else {}
    if mode != "opaque":
        alpha = floats_of(
            told.get("diffuseFactor") if isinstance(told, dict) else pbr.get("baseColorFactor"),
            4,
            (1, 1, 1, 1),
        )[3]
        base = inputs["base_color"].texture if "base_color" in inputs else None
        linked = (
            Texture(
                base.image, "a", "linear", base.uv_set, base.offset, base.rotation_rad, base.scale, base.wrap
            )
            if base
            else None
        )
        inputs["opacity"] = Input((alpha,), linked)
    inputs.setdefault("base_color", Input((1.0, 1.0, 1.0)))
    inputs.setdefault("metalness", Input((1.0,)))
    inputs.setdefault("roughness", Input((1.0,)))
    base_color = inputs["base_color"]
    inputs["base_color"] = Input(base_color.factor, base_color.texture, vertex_color=True)
    unknown = {key: value for key, value in extensions.items() if key not in MATERIAL_EXTENSIONS}
    payload = {
        key: value for key, value in (("extensions", unknown), ("extras", source.get("extras"))) if value
    }
    cutoff = floats_of(source.get("alphaCutoff"), 1, (0.5,))[0]
    return Material(
        id,
        name,
        inputs,
        mode,  # type: ignore[arg-type]
        cutoff,
        bool(source.get("doubleSided", False)),
        "KHR_materials_unlit" in extensions,
        None,
        payload,
    )  # type: ignore[arg-type]


def _specular_gloss(
    told: dict[str, Any], texture_of: Callable[[dict[str, Any]], Texture | None]
) -> dict[str, Input]:
    """Diffuse, specular and glossiness as base colour of no metal, specular colour over the reflectance 0.04,
    and roughness 1 - glossiness.

    KHR_materials_pbrSpecularGlossiness; specular colour as KHR_materials_specular counts it, F0 = 0.04 x
    colour. A glossiness factor beside its
    image is a curve's top: 1 - factor x texel is read as ``1 - texel`` of an image whose white means the
    factor.
    """

    def textured(key: str, channels: str, encoding: str) -> Texture | None:
        info = told.get(key)
        found = texture_of(info) if isinstance(info, dict) else None
        return replace(found, channels=channels, encoding=encoding) if found is not None else None  # type: ignore[arg-type]

    gloss = floats_of(told.get("glossinessFactor"), 1, (1.0,))[0]
    specular = floats_of(told.get("specularFactor"), 3, (1.0, 1.0, 1.0))
    diffuse = floats_of(told.get("diffuseFactor"), 4, (1.0, 1.0, 1.0, 1.0))[:3]
    shine = textured("specularGlossinessTexture", "a", "linear")
    rough = (
        Input((1 - gloss,))
        if shine is None
        else Input((1.0,), replace(shine, invert=True, curve="scaled", curve_top=gloss))
    )
    return {
        "base_color": Input(diffuse, textured("diffuseTexture", "rgb", "srgb")),
        "metalness": Input((0.0,)),
        "roughness": rough,
        "specular_color": Input(
            tuple(c / _DIELECTRIC for c in specular), textured("specularGlossinessTexture", "rgb", "srgb")
        ),
    }


def read_texture_info(info: dict[str, Any], image_id: str, sampler: dict[str, Any]) -> Texture:
    """A textureInfo with KHR_texture_transform and its sampler."""
    extensions = info.get("extensions", {})
    transform = extensions.get("KHR_texture_transform", {}) if isinstance(extensions, dict) else {}
    uv_set = transform.get("texCoord", info.get("texCoord", 0))
    offset = floats_of(transform.get("offset"), 2, (0.0, 0.0))
    scale = floats_of(transform.get("scale"), 2, (1.0, 1.0))
    wrap = (
        _WRAP.get(sampler.get("wrapS", 10497), "repeat"),
        _WRAP.get(sampler.get("wrapT", 10497), "repeat"),
    )
    rotation = floats_of(transform.get("rotation"), 1, (0.0,))[0]
    return Texture(
        image_id,
        uv_set=uv_set if isinstance(uv_set, int) else 0,
        offset=(offset[0], offset[1]),
        rotation_rad=rotation,
        scale=(scale[0], scale[1]),
        wrap=wrap,
    )
