"""Mends of materials, images, lights and the environment: fields set, images chosen, names given."""

from __future__ import annotations

import posixpath
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.inputs.table import INPUTS
from trasloco.light.kelvin import color_of_kelvin
from trasloco.mends.layer_values import layers_of
from trasloco.scene.color import LUMINANCE
from trasloco.scene.images import Image
from trasloco.scene.model import Input, Scene, Texture


def relink(scene: Scene, target: str, value: Any) -> Scene:
    """Everything that reads image ``target`` reads image ``value`` instead."""
    if value not in scene.images:
        raise Refused(
            "The image to relink to is not in the delivery.", str(value), "Choose another, or add the file."
        )
    materials = {
        id: replace(
            m,
            inputs={
                name: _reading(given, target, value, scene.images[value]) for name, given in m.inputs.items()
            },
        )
        for id, m in scene.materials.items()
    }
    return replace(scene, materials=materials)


def _reading(given: Input, old: str, new: str, image: Image) -> Input:
    if all(texture.image != old for texture in given.textures):
        return given
    return replace(
        given.retextured(lambda t: replace(t, image=new) if t.image == old else t), origin="decision"
    )


def light_field(name: str) -> Callable[[Scene, str, Any], Scene]:
    def change(scene: Scene, target: str, value: Any) -> Scene:
        light = scene.lights.get(target)
        if light is None:
            return scene
        return replace(scene, lights={**scene.lights, target: replace(light, **{name: value})})

    return change


def camera_field(name: str, turned: Callable[[float], float] = float) -> Callable[[Scene, str, Any], Scene]:
    def change(scene: Scene, target: str, value: Any) -> Scene:
        camera = scene.cameras.get(target)
        if camera is None:
            return scene
        return replace(
            scene,
            cameras={
                **scene.cameras,
                target: replace(camera, **{name: None if value is None else turned(value)}),  # type: ignore[arg-type]
            },
        )  # type: ignore[arg-type]

    return change


def light_kelvin(scene: Scene, target: str, value: Any) -> Scene:
    """The colour of a temperature, as bright as the colour before it."""
    light = scene.lights.get(target)
    if light is None:
        return scene
    r, g, b = (
        float(v) for v in color_of_kelvin(float(value)) * float(np.array(light.color) @ np.array(LUMINANCE))
    )
    return replace(scene, lights={**scene.lights, target: replace(light, color=(r, g, b))})


def environment_field(name: str) -> Callable[[Scene, str, Any], Scene]:
    def change(scene: Scene, target: str, value: Any) -> Scene:
        if scene.environment is None:
            return scene
        return replace(scene, environment=replace(scene.environment, **{name: float(value)}))  # type: ignore[arg-type]

    return change


def _input_of(target: str) -> tuple[str, str]:
    material, _, name = target.rpartition("/")
    return material, name


def input_factor(scene: Scene, target: str, value: Any) -> Scene:
    """A constant of an input, as a list of numbers. Target ``material id/input name``."""
    material_id, name = _input_of(target)
    material = scene.materials.get(material_id)
    spec = INPUTS.get(name)
    if material is None or spec is None:
        return scene
    numbers = tuple(float(v) for v in (value if isinstance(value, list | tuple) else [value]))
    if len(numbers) != spec.channels or not all(np.isfinite(numbers)):
        raise Refused(
            f"{spec.label} takes {spec.channels} finite number{'s' if spec.channels > 1 else ''}.",
            target,
            "Give that many.",
        )
    given = material.inputs.get(name, Input(spec.default))
    return scene.with_material(
        replace(material, inputs={**material.inputs, name: replace(given, factor=numbers, origin="decision")})
    )


def factor_like(scene: Scene, target: str, value: Any) -> Scene:
    """A constant that stays what another material's input has: both change together.

    Targets and value are ``material id/input name``.
    """
    if value is None or value == target:
        return scene
    material_id, name = _input_of(target)
    other_id, other_name = _input_of(str(value))
    material, other = scene.materials.get(material_id), scene.materials.get(other_id)
    if material is None or name not in INPUTS or other is None or other_name not in INPUTS:
        return scene
    factor = other.inputs.get(other_name, Input(INPUTS[other_name].default)).factor
    if len(factor) != INPUTS[name].channels:
        raise Refused(
            f"{INPUTS[name].label} takes {INPUTS[name].channels} number{'s' if INPUTS[name].channels > 1 else ''}.",
            target,
            "Share the value of an input of the same kind.",
        )
    given = material.inputs.get(name, Input(INPUTS[name].default))
    return scene.with_material(
        replace(material, inputs={**material.inputs, name: replace(given, factor=factor, origin="decision")})
    )


def input_image(scene: Scene, target: str, value: Any) -> Scene:
    """Another image for an input, or none.

    ``value`` is an image id, ``{"image": id, "channels": "rgb", "invert": false}``, or null.
    """
    material_id, name = _input_of(target)
    material = scene.materials.get(material_id)
    spec = INPUTS.get(name)
    if material is None or spec is None:
        return scene
    given = material.inputs.get(name, Input(spec.default))
    if value is None:
        return scene.with_material(
            replace(
                material, inputs={**material.inputs, name: replace(given, texture=None, origin="decision")}
            )
        )
    wish = value if isinstance(value, dict) else {"image": value}
    if wish.get("image") not in scene.images:
        raise Refused("There is no such image.", target, "Choose one of the images of the move.")
    channels = wish.get("channels") or (
        given.texture.channels if given.texture else ("rgb" if spec.channels == 3 else "r")
    )
    if channels not in ("rgb", "r", "g", "b", "a"):
        raise Refused(f"There is no channel called {channels}.", target, "Choose rgb, r, g, b or a.")
    before = given.texture or Texture("", encoding="srgb" if spec.color else "linear")
    factor = (1.0,) * spec.channels if given.texture is None else given.factor
    texture = replace(
        before, image=wish["image"], channels=channels, invert=bool(wish.get("invert", before.invert))
    )
    return scene.with_material(
        replace(
            material,
            inputs={
                **material.inputs,
                name: replace(given, factor=factor, texture=texture, origin="decision"),
            },
        )
    )


def layers(scene: Scene, target: str, value: Any) -> Scene:
    """Layers over an input, lowest first, in place of those it had. Target ``material id/input name``."""
    material_id, name = _input_of(target)
    material, spec = scene.materials.get(material_id), INPUTS.get(name)
    if material is None or spec is None:
        return scene
    if value and name == "height":
        raise Refused(
            "Height cannot be layered.",
            target,
            "Lay the image over a colour, a number or a normal map, or flatten the height where it was made.",
        )
    given = material.inputs.get(name, Input(spec.default))
    return scene.with_material(
        replace(
            material,
            inputs={
                **material.inputs,
                name: replace(
                    given,
                    layers=layers_of(value, name, scene, target, given.texture),
                    origin="decision",
                ),
            },
        )
    )


def input_included(scene: Scene, target: str, value: Any) -> Scene:
    """``False`` leaves an input out of the move."""
    material_id, name = _input_of(target)
    material = scene.materials.get(material_id)
    if material is None or value is not False:
        return scene
    return scene.with_material(
        replace(material, inputs={key: given for key, given in material.inputs.items() if key != name})
    )


def material_field(name: str) -> Callable[[Scene, str, Any], Scene]:
    def change(scene: Scene, target: str, value: Any) -> Scene:
        material = scene.materials.get(target)
        return scene if material is None else scene.with_material(replace(material, **{name: value}))

    return change


def texture_field(name: str, convert: Callable[[Any], Any]) -> Callable[[Scene, str, Any], Scene]:
    """A field of an input's texture. Target ``material id/input name``."""

    def change(scene: Scene, target: str, value: Any) -> Scene:
        material_id, input_name = _input_of(target)
        material = scene.materials.get(material_id)
        given = material.inputs.get(input_name) if material is not None else None
        if material is None or given is None or given.texture is None:
            return scene
        texture = replace(given.texture, **{name: convert(value)})
        return scene.with_material(
            replace(
                material,
                inputs={**material.inputs, input_name: replace(given, texture=texture, origin="decision")},
            )
        )

    return change


def placed_like(scene: Scene, target: str, value: Any) -> Scene:
    """An input's image placed as another input's of the same material: UV set, offset, turn, repeat and what
    is beyond the border.
    """
    material_id, name = _input_of(target)
    material = scene.materials.get(material_id)
    given, other = (material.inputs.get(n) if material is not None else None for n in (name, str(value)))
    if material is None or given is None or given.texture is None or other is None or other.texture is None:
        return scene
    t = other.texture
    texture = replace(
        given.texture,
        uv_set=t.uv_set,
        offset=t.offset,
        rotation_rad=t.rotation_rad,
        scale=t.scale,
        wrap=t.wrap,
    )
    return scene.with_material(
        replace(
            material, inputs={**material.inputs, name: replace(given, texture=texture, origin="decision")}
        )
    )


def back(scene: Scene, target: str, value: Any) -> Scene:
    """Another material for the back of a material's faces, or none."""
    material = scene.materials.get(target)
    if material is None:
        return scene
    if value is not None and (value not in scene.materials or value == target):
        raise Refused(
            "There is no such material to wear behind.", material.name, "Choose another material of the move."
        )
    return scene.with_material(replace(material, back=value))


def texture_space(scene: Scene, target: str, value: Any) -> Scene:
    """The colour space an input's image is stored in: a key of :data:`trasloco.scene.spaces.SPACES`."""
    plain = value in ("srgb", "linear")
    scene = texture_field("encoding", str)(scene, target, value if plain else "linear")
    return texture_field("space", str)(scene, target, "" if plain else value)


def name(scene: Scene, target: str, value: Any) -> Scene:
    """Another name for a part, material, image, light, camera or clip; its id stays.

    A light's or camera's place is named with it.
    """
    text = str(value)
    if target in scene.nodes:
        node = scene.nodes[target]
        scene = replace(scene, nodes={**scene.nodes, target: replace(node, name=text)})
        if node.mesh is not None and scene.meshes[node.mesh].name == node.name:
            scene = replace(
                scene, meshes={**scene.meshes, node.mesh: replace(scene.meshes[node.mesh], name=text)}
            )
        return scene
    if target in scene.materials:
        return scene.with_material(replace(scene.materials[target], name=text))
    if target in scene.images:
        image = scene.images[target]
        stem, extension = posixpath.splitext(text)
        return replace(
            scene,
            images={
                **scene.images,
                target: replace(image, name=stem + (extension or posixpath.splitext(image.name)[1])),
            },
        )
    for group in ("lights", "cameras", "clips"):
        held = getattr(scene, group)
        if target in held:
            return replace(scene, **{group: {**held, target: replace(held[target], name=text)}})  # type: ignore[arg-type]
    return scene


def right_extension(scene: Scene, target: str, value: Any) -> Scene:
    """An image named by what it is."""
    image = scene.images.get(target)
    if image is None or value is not True or not image.kind:
        return scene
    return replace(
        scene,
        images={
            **scene.images,
            target: replace(image, name=posixpath.splitext(image.name)[0] + "." + image.kind),
        },
    )
