"""Lamps and cameras of COLLADA documents."""

from __future__ import annotations

import math
from xml.etree.ElementTree import Element

from trasloco.formats.collada_write_xml import add
from trasloco.scene.lit import Camera, Light

_SHAPES = {"sun": "directional", "point": "point", "spot": "spot"}


def write_light(library: Element, id: str, light: Light) -> None:
    """A lamp whose colour is its candela, or lux for a sun; its light falls off with the square of the
    distance, which the format's own default does not.
    """
    common = add(add(library, "light", {"id": id}), "technique_common")
    shape = add(common, _SHAPES[light.kind])
    add(shape, "color", text=" ".join(f"{c * light.intensity:.9g}" for c in light.color))
    if light.kind == "sun":
        return
    for tag, value in (("constant", 0), ("linear", 0), ("quadratic", 1)):
        add(shape, f"{tag}_attenuation", text=str(value))
    if light.kind == "spot":
        add(shape, "falloff_angle", text=f"{math.degrees(2 * light.outer_cone_rad):.9g}")
        add(shape, "falloff_exponent", text="0")


def write_camera(library: Element, id: str, camera: Camera) -> None:
    """A perspective camera by its vertical angle, in degrees."""
    common = add(add(add(library, "camera", {"id": id}), "optics"), "technique_common")
    lens = add(common, "perspective")
    add(lens, "yfov", text=f"{math.degrees(camera.yfov_rad):.9g}")
    if camera.aspect is not None:
        add(lens, "aspect_ratio", text=f"{camera.aspect:.9g}")
    add(lens, "znear", text=f"{camera.znear:.9g}")
    add(lens, "zfar", text=f"{camera.zfar if camera.zfar is not None else 1e4:.9g}")
