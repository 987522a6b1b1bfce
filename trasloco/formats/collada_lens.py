"""How COLLADA tells a camera's angle, and a lamp."""

from __future__ import annotations

import math
from xml.etree.ElementTree import Element

from trasloco.formats.collada_document import numbers
from trasloco.scene.lit import Light, LightKind

KINDS: dict[str, LightKind] = {"directional": "sun", "point": "point", "spot": "spot"}
"""Kinds of light by the element that tells them."""


def light_of(shape: Element, id: str, name: str, kind: LightKind) -> Light:
    """A lamp. Its colour is taken as candela, or lux for a sun; a spot's ``falloff_angle`` is its whole
    angle, its edge hard where ``falloff_exponent`` is 0, which is the specification's default.
    """
    rgb = numbers(shape.find("color"), 3)
    top = float(rgb.max())
    falloff, fading = shape.find("falloff_angle"), shape.find("falloff_exponent")
    outer = math.radians(float(numbers(falloff, 1)[0]) / 2) if falloff is not None else math.pi / 4
    outer = min(max(outer, 1e-3), math.pi / 2)
    hard = fading is None or not float(numbers(fading, 1)[0])
    red, green, blue = (float(c) / top if top > 0 else 1.0 for c in rgb)
    return Light(id, name, kind, (red, green, blue), max(top, 0.0), outer if hard else 0.0, outer)


def angle_of(given: dict[str, float]) -> tuple[float, float | None]:
    """The vertical angle in radians and the aspect ratio of a lens told by any two of both angles and it."""
    aspect = given.get("aspect_ratio")
    if "yfov" not in given:
        across = math.tan(math.radians(given.get("xfov", 45.0)) / 2)
        return 2 * math.atan(across / (aspect or 16 / 9)), aspect
    yfov = math.radians(given["yfov"])
    if "xfov" in given and aspect is None:
        aspect = math.tan(math.radians(given["xfov"]) / 2) / max(math.tan(yfov / 2), 1e-9)
    return yfov, aspect
