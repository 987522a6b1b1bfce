"""What a gauge tells of a program, line by line."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.gauge.alpha_places import AlphaPlace
from trasloco.gauge.around import SHADE
from trasloco.gauge.bendings import (
    alpha,
    alpha_turned,
    both_sides,
    image_turned,
    inputs,
    lights,
    textures,
    without,
)
from trasloco.gauge.build import cell_of
from trasloco.gauge.kinds import DEEP, KINDS, kind_cell
from trasloco.gauge.ladders import BEHIND
from trasloco.gauge.lamps import BACK_Z, POINTS, cell_place_of
from trasloco.gauge.layout import DISTANCE
from trasloco.gauge.line import Line, Reading, Shading
from trasloco.gauge.steps import PER_CELL, STEPS
from trasloco.gauge.tones import ODD, TALL
from trasloco.outside.bends import BY_KEY, Bending, roughness_raised
from trasloco.outside.showing import Floats
from trasloco.scene.model import Doubles, Scene


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


_CUT = (
    Reading("mask", "is cut out"),
    Reading("blend", "is blended instead", alpha("mask", "blend")),
    Reading("opaque", "is drawn solid", alpha("mask", "opaque")),
    Reading("turned", "is cut out the other way round", alpha_turned("mask")),
)
_BLENDED = (
    Reading("blend", "is blended"),
    Reading(
        "blend", "is blended after the tone curve, as it is shown", alpha("blend", "opaque"), over=BEHIND
    ),
    Reading("mask", "is cut out instead", alpha("blend", "mask")),
    Reading("opaque", "is drawn solid", alpha("blend", "opaque")),
    Reading("turned", "is blended the other way round", alpha_turned("blend")),
)


def _elsewhere(place: AlphaPlace, words: str) -> tuple[Line, Line]:
    """Alpha in the place where the sheet has none, cut and blended."""
    return (
        Line(f"cut{place}", "", f"What is cut out by {words}", "shine", ("cutelse",), _CUT, alpha=place),
        Line(
            f"blended{place}",
            "",
            f"What is blended by {words}",
            "shine",
            ("blendedelse",),
            _BLENDED,
            alpha=place,
        ),
    )


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
        *_CUT,
    ),
    _tone(
        "blended", "", "What is blended", ("blended",),
        *_BLENDED,
    ),
    _tone(
        "solid", "", "An alpha that nobody asked for", ("solid",),
        Reading("opaque", "is passed over"),
        Reading("blend", "is blended all the same", alpha("opaque", "blend")),
        Reading("mask", "is cut out all the same", alpha("opaque", "mask")),
    ),
    _tone(
        "sides", "materials.two_sided", "Backs of faces", ("behind", "bothsides"),
        Reading("flag", "are drawn where the material says so"),
        Reading("always", "are always drawn", both_sides(True)),
        Reading("never", "are never drawn", both_sides(False)),
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
        *_read("lie where they are placed", "lie unplaced", textures(offset=(0.0, 0.0), rotation_rad=0.0, scale=(1.0, 1.0))),
    ),
    _tone(
        "secondset", "", "The second UV set", ("secondset",),
        *_read("is used", "is passed over for the first", textures(uv_set=0)),
    ),
    _tone(
        "wraps", "materials.wraps", "Beyond the border of an image", ("repeated", "held"),
        Reading("any", "it is repeated, or held, as the files say"),
        Reading("repeat", "it is always repeated", textures(wrap=("repeat", "repeat"))),
        Reading("clamp", "it is always held", textures(wrap=("clamp", "clamp"))),
    ),
    Line(
        "strength", "materials.inputs.emission_strength", "Strength of emission", "tones", ("strength",),
        _read("is read", "is passed over", inputs(emission_strength=(1.0,))),
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
        Reading("turned", "are read as gloss", image_turned("roughness")),
    ),
    _shine(
        "channels", "", "Roughness and metalness in one image", ("channels",),
        Reading("gb", "are read from the channels that the files say"),
        Reading("bg", "are read from each other's channel", BY_KEY["swapped"].bend),
    ),
    _shine(
        "specular", "materials.inputs.specular", "Specular", ("specular0", "specular50"),
        *_read("is read", "is passed over", inputs(specular=(1.0,))),
    ),
    _shine(
        "index", "materials.inputs.ior", "Index of refraction", ("index120", "index200"),
        *_read("is read", "is passed over", inputs(ior=(1.5,))),
    ),
    _shine(
        "speculartint", "materials.inputs.specular_color", "Colour of specular", ("speculartint",),
        *_read("is read", "is passed over", inputs(specular_color=(1.0, 1.0, 1.0))),
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
        *_read("is read", "is passed over", inputs(anisotropy=None)),
    ),
    _shine(
        "subsurface", "materials.inputs.subsurface", "Subsurface", ("skin",),
        *_read("lets light in and out again", "is passed over", without("subsurface", "subsurface_color", "subsurface_radius")),
    ),
    _shine(
        "film", "materials.inputs.iridescence", "Thin film", ("film",),
        *_read("is read", "is passed over", without("iridescence", "iridescence_ior", "iridescence_thickness")),
    ),
    *_elsewhere("fourth", "the colour's fourth channel"),
    *_elsewhere("own", "an image of its own"),
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
        Reading("outer only", "is hard at the outer angle", lights(lambda one: replace(one, inner_cone_rad=one.outer_cone_rad * 0.999))),
        Reading("from the middle", "is soft from the middle on", lights(lambda one: replace(one, inner_cone_rad=0.0))),
        Reading("whole angle", "is at half the outer angle: that is taken for the whole one", lights(lambda one: replace(one, inner_cone_rad=one.inner_cone_rad / 2, outer_cone_rad=one.outer_cone_rad / 2))),
    ),
    _lamp(
        "shadows", "lights.shadows", "Shadows of lamps", ("post",),
        Reading(True, "are there"),
        Reading(False, "are not there", lights(lambda one: replace(one, shadows=False))),
    ),
    _lamp(
        "sizes", "lights.sizes", "The size of a lamp", ("ballpost",),
        *_read("makes its shadow soft", "is passed over", lights(lambda one: replace(one, radius_m=0.0))),
    ),
    _lamp(
        "lampcolor", "", "The colour of a lamp", ("colored",),
        *_read("is read", "is passed over", lights(lambda one: replace(one, color=(1.0, 1.0, 1.0)))),
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
