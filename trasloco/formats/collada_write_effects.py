"""Materials as effects of COLLADA's common profile: diffuse, emission, transparent, shininess and index."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from urllib.parse import quote
from xml.etree.ElementTree import Element

from trasloco.formats.collada_write_xml import add
from trasloco.formats.mtl_write import exponent_of
from trasloco.scene.model import Input, Material, Scene
from trasloco.scene.resolve import emission_in_one

WRAPS = {"repeat": "WRAP", "mirror": "MIRROR", "clamp": "CLAMP"}
_LEAST_INDEX = 1.00001
"""Exactly one is what exporters write that know no index, and readers pass it over."""


def write_effects(root: Element, scene: Scene, ids: Mapping[str, str], version: str) -> None:
    """Libraries of images, effects and materials, as far as there are any."""
    used = {
        t.image
        for material in scene.materials.values()
        for given in material.inputs.values()
        for t in given.textures
        if t.image in scene.images
    }
    if used:
        library = add(root, "library_images")
        for image in (scene.images[id] for id in scene.images if id in used):
            made = add(library, "image", {"id": ids[image.id]})
            held = add(made, "init_from", text="" if version != "1.4.1" else quote(image.path))
            if version != "1.4.1":
                add(held, "ref", text=quote(image.path))
    if not scene.materials:
        return
    effects, materials = add(root, "library_effects"), add(root, "library_materials")
    for material in scene.materials.values():
        id = ids[material.id]
        _effect(add(effects, "effect", {"id": f"{id}-look"}), material, scene, ids, version)
        made = add(materials, "material", {"id": id, "name": material.name})
        add(made, "instance_effect", {"url": f"#{id}-look"})


def _effect(effect: Element, material: Material, scene: Scene, ids: Mapping[str, str], version: str) -> None:
    profile = add(effect, "profile_COMMON")
    for image, wrap in dict.fromkeys(
        (t.image, t.wrap)
        for given in material.inputs.values()
        for t in given.textures
        if t.image in scene.images
    ):
        _sampler(profile, ids[image], wrap, version)
    shader = add(add(profile, "technique", {"sid": "common"}), "phong")
    inputs = material.inputs
    emission = inputs.get("emission")
    if emission is not None:
        whole = replace(emission, factor=emission_in_one(material))
        _shade(add(shader, "emission"), whole, scene, ids)
    _shade(add(shader, "diffuse"), inputs.get("base_color", Input((1.0, 1.0, 1.0))), scene, ids)
    rough = inputs.get("roughness", Input((1.0,))).factor[0]
    add(add(shader, "shininess"), "float", text=f"{exponent_of(rough):.9g}")
    opacity = inputs.get("opacity")
    if opacity is not None and material.alpha_mode != "opaque":
        open = add(shader, "transparent", {"opaque": "A_ONE"})
        if opacity.texture is not None and opacity.texture.image in scene.images:
            _shade(open, opacity, scene, ids)
        else:
            add(open, "color", text="1 1 1 1")
        amount = 1.0 if opacity.texture is not None else opacity.factor[0]
        add(add(shader, "transparency"), "float", text=f"{amount:.9g}")
    index = inputs.get("ior")
    if index is not None:
        told = max(index.factor[0], _LEAST_INDEX)
        add(add(shader, "index_of_refraction"), "float", text=f"{told:.9g}")


def _sampler(profile: Element, image: str, wrap: tuple[str, str], version: str) -> None:
    """1.4.1 goes from a sampler through a surface to the image, 1.5 straight to it."""
    name = _named(image, wrap)
    if version == "1.4.1":
        surface = add(add(profile, "newparam", {"sid": f"{name}-surface"}), "surface", {"type": "2D"})
        add(surface, "init_from", text=image)
    sampler = add(add(profile, "newparam", {"sid": name}), "sampler2D")
    if version == "1.4.1":
        add(sampler, "source", text=f"{name}-surface")
    else:
        add(sampler, "instance_image", {"url": f"#{image}"})
    for axis, how in zip("st", wrap):
        add(sampler, f"wrap_{axis}", text=WRAPS[how])


def _named(image: str, wrap: tuple[str, str]) -> str:
    return f"{image}-{wrap[0]}-{wrap[1]}"


def _shade(holder: Element, given: Input, scene: Scene, ids: Mapping[str, str]) -> None:
    """A colour, or an image on a UV set; never both."""
    texture = given.texture
    if texture is not None and texture.image in scene.images:
        sampler = _named(ids[texture.image], texture.wrap)
        add(holder, "texture", {"texture": sampler, "texcoord": f"UV{texture.uv_set}"})
        return
    add(holder, "color", text=" ".join(f"{v:.9g}" for v in (*given.factor[:3], 1.0)))
