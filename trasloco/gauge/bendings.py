"""Boards as they would look where a program takes something otherwise than the files say."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from trasloco.outside.bends import Bending
from trasloco.scene.lit import Light
from trasloco.scene.model import AlphaMode, Material, Texture


def changed(change: Callable[[Material], Material]) -> Bending:
    return lambda scene: replace(scene, materials={id: change(m) for id, m in scene.materials.items()})


def textures(**fields: Any) -> Bending:
    def other(texture: Texture) -> Texture:
        return replace(texture, **fields)

    return changed(
        lambda m: replace(m, inputs={name: given.retextured(other) for name, given in m.inputs.items()})
    )


def inputs(**values: Any) -> Bending:
    """Inputs set to numbers, where a material has them; None takes them away."""

    def change(material: Material) -> Material:
        made = dict(material.inputs)
        for name, value in values.items():
            if name in made and value is None:
                del made[name]
            elif name in made:
                made[name] = replace(made[name], factor=value, texture=None)
        return replace(material, inputs=made)

    return changed(change)


def without(*names: str) -> Bending:
    return inputs(**dict.fromkeys(names))


def lights(change: Callable[[Light], Light]) -> Bending:
    return lambda scene: replace(scene, lights={id: change(light) for id, light in scene.lights.items()})


def alpha(of: AlphaMode, drawn: AlphaMode) -> Bending:
    """Materials with an opacity that is meant in one way, drawn in another."""

    def change(material: Material) -> Material:
        meant = material.alpha_mode == of and "opacity" in material.inputs
        return replace(material, alpha_mode=drawn) if meant else material

    return changed(change)


def alpha_turned(of: AlphaMode) -> Bending:
    """Their images of opacity read the other way round."""
    return image_turned("opacity", lambda material: material.alpha_mode == of)


def image_turned(name: str, which: Callable[[Material], bool] = lambda material: True) -> Bending:
    """The image of an input read the other way round; its number stays."""

    def change(material: Material) -> Material:
        given = material.inputs.get(name)
        if given is None or given.texture is None or not which(material):
            return material
        turned = replace(given, texture=replace(given.texture, invert=not given.texture.invert))
        return replace(material, inputs={**material.inputs, name: turned})

    return changed(change)


def both_sides(on: bool) -> Bending:
    return changed(lambda m: replace(m, double_sided=on))
