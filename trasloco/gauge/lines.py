"""What a gauge tells of a program, line by line: the readings that are told apart, and in which cells.

A reading is a way in which a program may take what the files say. ``bend`` is the board as it would look
then.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from trasloco.gauge.around import SHADE
from trasloco.gauge.build import cell_of
from trasloco.gauge.kinds import DEEP, KINDS, kind_cell
from trasloco.gauge.lamps import BACK_Z, POINTS, cell_place_of
from trasloco.gauge.layout import DISTANCE
from trasloco.gauge.steps import PER_CELL, STEPS
from trasloco.gauge.tones import BEHIND, ODD, TALL
from trasloco.outside.bends import BY_KEY, Bending, roughness_raised
from trasloco.outside.showing import Floats
from trasloco.scene.lit import Light
from trasloco.scene.model import AlphaMode, Doubles, Material, Scene, Texture

Shading = Callable[[Floats, Doubles, str], Floats]
"""A cell's light (H, W, 3) as it would be, from it, the places (H, W, 2) on the board under it against the
cell's middle, and the cell's key."""


@dataclass(frozen=True)
class Reading:
    """One way of taking a line: what it is called in a sheet, in words, and how the cells look then.

    Without ``bend`` and ``shade``: as the files say. ``flat``: the cell shows one colour, whichever.
    ``over``: what stands behind, in nit, is blended with what is shown of the sheet, not with its light;
    alpha grows to the right.
    """

    value: Any
    words: str
    bend: Bending | None = None
    shade: Shading | None = None
    flat: bool = False
    over: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class Line:
    """A line: its key, the sheet's line that it fills (or none), words, the board and the cells that show it.

    ``light``: whose light the cells are in; that of lamps of their own and of the surroundings is found
    for each cell first. ``also``: cells that look
    otherwise too, and are not compared. ``needs``: an input that has to be in the files for them to say
    anything. ``kept``: whether its cell's image has to be there in its own kind.
    """

    key: str
    path: str
    label: str
    board: str
    cells: tuple[str, ...]
    readings: tuple[Reading, ...]
    light: Literal["sun", "lamp", "surroundings"] = "sun"
    also: tuple[str, ...] = ()
    needs: str = ""
    kept: bool = False


def _changed(change: Callable[[Material], Material]) -> Bending:
    return lambda scene: replace(scene, materials={id: change(m) for id, m in scene.materials.items()})


def _textures(**fields: Any) -> Bending:
    def other(texture: Texture) -> Texture:
        return replace(texture, **fields)

    return _changed(
        lambda m: replace(m, inputs={name: given.retextured(other) for name, given in m.inputs.items()})
    )


def _inputs(**values: Any) -> Bending:
    """Inputs set to numbers, where a material has them; None takes them away."""

    def change(material: Material) -> Material:
        made = dict(material.inputs)
        for name, value in values.items():
            if name in made and value is None:
                del made[name]
            elif name in made:
                made[name] = replace(made[name], factor=value, texture=None)
        return replace(material, inputs=made)

    return _changed(change)


def _without(*names: str) -> Bending:
    return _inputs(**dict.fromkeys(names))


def _lights(change: Callable[[Light], Light]) -> Bending:
    return lambda scene: replace(scene, lights={id: change(light) for id, light in scene.lights.items()})


def _alpha(of: AlphaMode, drawn: AlphaMode) -> Bending:
    """Materials with an opacity that is meant in one way, drawn in another."""

    def change(material: Material) -> Material:
        meant = material.alpha_mode == of and "opacity" in material.inputs
        return replace(material, alpha_mode=drawn) if meant else material

    return _changed(change)


def _alpha_turned(of: AlphaMode) -> Bending:
    """Their images of opacity read the other way round."""
    return _image_turned("opacity", lambda material: material.alpha_mode == of)


def _image_turned(name: str, which: Callable[[Material], bool] = lambda material: True) -> Bending:
    """The image of an input read the other way round; its number stays."""

    def change(material: Material) -> Material:
        given = material.inputs.get(name)
        if given is None or given.texture is None or not which(material):
            return material
        turned = replace(given, texture=replace(given.texture, invert=not given.texture.invert))
        return replace(material, inputs={**material.inputs, name: turned})

    return _changed(change)


def _both_sides(on: bool) -> Bending:
    return _changed(lambda m: replace(m, double_sided=on))


def _fading(power: float) -> Shading:
    """Light that falls off by another power of the distance than its square, equal where the lamp is
    nearest.
    """

    def shade(light: Floats, places: Doubles, cell: str) -> Floats:
        up, ahead = POINTS[cell]
        middle = np.array(cell_place_of(cell))
        # What is seen of a back that stands behind the board.
        behind = (places + middle) * (DISTANCE - BACK_Z) / DISTANCE - middle
        far = np.sqrt(behind[..., 0] ** 2 + (behind[..., 1] - up) ** 2 + ahead**2)
        return np.asarray(light * ((far / ahead) ** (2 - power))[..., None], np.float32)

    return shade


def _shaded_half(light: Floats, places: Doubles, cell: str) -> Floats:
    """What the occlusion image darkens, as it darkens it."""
    return np.asarray(light * np.where(places[..., :1] > 0, SHADE / 255, 1.0), np.float32)


def _tone(key: str, path: str, label: str, cells: tuple[str, ...], *readings: Reading) -> Line:
    return Line(key, path, label, "tones", cells, readings)


def _shine(key: str, path: str, label: str, cells: tuple[str, ...], *readings: Reading) -> Line:
    return Line(key, path, label, "shine", cells, readings)


def _lamp(key: str, path: str, label: str, cells: tuple[str, ...], *readings: Reading) -> Line:
    return Line(key, path, label, "lamps", cells, readings, "lamp")


def _read(words: str, without: str, bend: Bending) -> tuple[Reading, Reading]:
    return Reading(True, words), Reading(False, without, bend)


_TAKEN = (Reading(True, "is taken"), Reading(False, "is not taken", flat=True))


def _taken(size: str, key: str) -> Line:
    return _tone(key, "", f"An image of {size}", (key,), *_TAKEN)


def _kept(what: str, key: str) -> Line:
    return Line(key, "", what, "shine", (key,), _TAKEN, kept=True)


POWERS = (0.5, 0.7, 1.0, 1.4, 2.0)
"""What roughness may be raised to; what lies between is found between them."""

LINES: tuple[Line, ...] = (
    _tone(
        "green", "conventions.normal_green", "Green in normal maps", ("greenup", "greendown"),
        Reading("up", "shines where a bump faces up"),
        Reading("down", "shines where a bump faces down", BY_KEY["green"].bend),
        Reading("none", "normal maps are not read", BY_KEY["no normals"].bend),
    ),
    _tone(
        "cut", "", "What is cut out", ("cut",),
        Reading("mask", "is cut out"),
        Reading("blend", "is blended instead", _alpha("mask", "blend")),
        Reading("opaque", "is drawn solid", _alpha("mask", "opaque")),
        Reading("turned", "is cut out the other way round", _alpha_turned("mask")),
    ),
    _tone(
        "blended", "", "What is blended", ("blended",),
        Reading("blend", "is blended"),
        Reading("blend", "is blended after the tone curve, as it is shown", _alpha("blend", "opaque"), over=BEHIND),
        Reading("mask", "is cut out instead", _alpha("blend", "mask")),
        Reading("opaque", "is drawn solid", _alpha("blend", "opaque")),
        Reading("turned", "is blended the other way round", _alpha_turned("blend")),
    ),
    _tone(
        "solid", "", "An alpha that nobody asked for", ("solid",),
        Reading("opaque", "is passed over"),
        Reading("blend", "is blended all the same", _alpha("opaque", "blend")),
        Reading("mask", "is cut out all the same", _alpha("opaque", "mask")),
    ),
    _tone(
        "sides", "materials.two_sided", "Backs of faces", ("behind", "bothsides"),
        Reading("flag", "are drawn where the material says so"),
        Reading("always", "are always drawn", _both_sides(True)),
        Reading("never", "are never drawn", _both_sides(False)),
    ),
    _tone(
        "paint", "materials.vertex_color", "Vertex colours", ("painted", "paintedover"),
        Reading("multiplies", "are multiplied in"),
        Reading("ignored", "are passed over", BY_KEY["not painted"].bend),
    ),
    _tone(
        "tint", "materials.inputs.base_color.multiplies", "A tint beside an image", ("tint",),
        *_read("is multiplied in", "is passed over", BY_KEY["no tint"].bend),
    ),
    _tone(
        "stored", "", "Images of colour", ("stored",),
        Reading("srgb", "are read as sRGB"),
        Reading("linear", "are read as numbers", BY_KEY["colour as numbers"].bend),
        Reading("twice", "are decoded twice", BY_KEY["colour twice"].bend),
    ),
    _tone(
        "lying", "", "Images lie", ("lying",),
        Reading("down", "with V running down, as the files say"),
        Reading("up", "upside down", BY_KEY["upside down"].bend),
    ),
    _tone(
        "placed", "materials.texture_transform", "Images placed anew", ("placed",),
        *_read("lie where they are placed", "lie unplaced", _textures(offset=(0.0, 0.0), rotation_rad=0.0, scale=(1.0, 1.0))),
    ),
    _tone(
        "secondset", "", "The second UV set", ("secondset",),
        *_read("is used", "is passed over for the first", _textures(uv_set=0)),
    ),
    _tone(
        "wraps", "materials.wraps", "Beyond the border of an image", ("repeated", "held"),
        Reading("any", "it is repeated, or held, as the files say"),
        Reading("repeat", "it is always repeated", _textures(wrap=("repeat", "repeat"))),
        Reading("clamp", "it is always held", _textures(wrap=("clamp", "clamp"))),
    ),
    Line(
        "strength", "materials.inputs.emission_strength", "Strength of emission", "tones", ("strength",),
        _read("is read", "is passed over", _inputs(emission_strength=(1.0,))),
        also=("shining", *(f"ramp{k + 1}" for k in range(STEPS // PER_CELL))),
    ),
    _taken(f"{ODD[0]} x {ODD[1]}", f"size{ODD[0]}"),
    *(_taken(f"{side} a side", f"size{side}") for side in TALL),
    _shine(
        "roughness", "", "Roughness", ("rough25", "rough40", "rough55", "rough70"),
        *(Reading(power, f"is taken to the power of {power:g}", roughness_raised(power) if power != 1 else None) for power in POWERS),
    ),
    _shine(
        "roughimage", "", "Images of roughness", ("roughimage",),
        Reading("linear", "are read as numbers"),
        Reading("srgb", "are read as colour", BY_KEY["roughness as colour"].bend),
        Reading("turned", "are read as gloss", _image_turned("roughness")),
    ),
    _shine(
        "channels", "", "Roughness and metalness in one image", ("channels",),
        Reading("gb", "are read from the channels that the files say"),
        Reading("bg", "are read from each other's channel", BY_KEY["swapped"].bend),
    ),
    _shine(
        "specular", "materials.inputs.specular", "Specular", ("specular0", "specular50"),
        *_read("is read", "is passed over", _inputs(specular=(1.0,))),
    ),
    _shine(
        "index", "materials.inputs.ior", "Index of refraction", ("index120", "index200"),
        *_read("is read", "is passed over", _inputs(ior=(1.5,))),
    ),
    _shine(
        "speculartint", "materials.inputs.specular_color", "Colour of specular", ("speculartint",),
        *_read("is read", "is passed over", _inputs(specular_color=(1.0, 1.0, 1.0))),
    ),
    _shine(
        "coat", "materials.inputs.clearcoat", "Clear coat", ("coat",),
        *_read("is read", "is passed over", BY_KEY["no coat"].bend),
    ),
    _shine(
        "sheen", "materials.inputs.sheen_color", "Sheen", ("sheen",),
        *_read("is read", "is passed over", BY_KEY["no sheen"].bend),
    ),
    _shine(
        "anisotropy", "materials.inputs.anisotropy", "Anisotropy", ("stretched",),
        *_read("is read", "is passed over", _inputs(anisotropy=None)),
    ),
    _shine(
        "subsurface", "materials.inputs.subsurface", "Subsurface", ("skin",),
        *_read("lets light in and out again", "is passed over", _without("subsurface", "subsurface_color", "subsurface_radius")),
    ),
    _shine(
        "film", "materials.inputs.iridescence", "Thin film", ("film",),
        *_read("is read", "is passed over", _without("iridescence", "iridescence_ior", "iridescence_thickness")),
    ),
    _kept("An image of 16 bits a channel", DEEP),
    *(_kept(f"An image in {kind.upper()}", kind_cell(kind)) for kind in KINDS),
    _shine(
        "transmission", "materials.inputs.transmission", "Transmission", ("glass",),
        *_read("lets light through", "is passed over", BY_KEY["no glass"].bend),
    ),
    _lamp(
        "fading", "", "Light of a point", ("graze", "point"),
        Reading(2, "falls off by the square of the distance"),
        Reading(1, "falls off by the distance", shade=_fading(1)),
        Reading(0, "does not fall off", shade=_fading(0)),
    ),
    _lamp(
        "cone", "lights.cone", "The edge of a spot", ("spot",),
        Reading("inner and outer", "is soft between its two angles"),
        Reading("outer only", "is hard at the outer angle", _lights(lambda one: replace(one, inner_cone_rad=one.outer_cone_rad * 0.999))),
        Reading("from the middle", "is soft from the middle on", _lights(lambda one: replace(one, inner_cone_rad=0.0))),
        Reading("whole angle", "is at half the outer angle: that is taken for the whole one", _lights(lambda one: replace(one, inner_cone_rad=one.inner_cone_rad / 2, outer_cone_rad=one.outer_cone_rad / 2))),
    ),
    _lamp(
        "shadows", "lights.shadows", "Shadows of lamps", ("post",),
        Reading(True, "are there"),
        Reading(False, "are not there", _lights(lambda one: replace(one, shadows=False))),
    ),
    _lamp(
        "sizes", "lights.sizes", "The size of a lamp", ("ballpost",),
        *_read("makes its shadow soft", "is passed over", _lights(lambda one: replace(one, radius_m=0.0))),
    ),
    _lamp(
        "lampcolor", "", "The colour of a lamp", ("colored",),
        *_read("is read", "is passed over", _lights(lambda one: replace(one, color=(1.0, 1.0, 1.0)))),
    ),
    Line(
        "occlusion", "", "Occlusion under surroundings", "around", ("occlusion",),
        (Reading(False, "is passed over"), Reading(True, "darkens", shade=_shaded_half)), "surroundings", needs="occlusion",
    ),
)  # fmt: skip
"""Every line that is told by comparing. Numbers (curve, strengths, turn) have their own pieces."""
BY_LINE = {line.key: line for line in LINES}


def within(cells: tuple[str, ...], bend: Bending, scene: Scene) -> Scene | None:
    """A scene bent in some cells alone; None where that changes nothing in them."""
    bent = bend(scene)
    if bent is None:
        return None
    materials = {
        id: bent.materials.get(id, m) if cell_of(m.name) in cells else m for id, m in scene.materials.items()
    }
    lights = {
        id: bent.lights.get(id, one) if cell_of(one.name) in cells else one
        for id, one in scene.lights.items()
    }
    if materials == dict(scene.materials) and lights == dict(scene.lights):
        return None
    return replace(scene, materials=materials, lights=lights, images={**scene.images, **bent.images})


def of_board(board: str) -> list[Line]:
    return [line for line in LINES if line.board == board]
