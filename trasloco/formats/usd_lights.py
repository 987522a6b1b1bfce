"""Lamps, cameras and domes of a USD stage in neutral terms, by the formulas of the UsdLux and UsdGeomCamera
schemas.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
from pxr import UsdGeom, UsdLux

from trasloco.formats.reading import Notes
from trasloco.formats.usd_write_lights import TENTHS_MM, UNIT
from trasloco.scene.color import srgb_to_linear
from trasloco.scene.images import Image, encode, identify, pixels, unit_floats
from trasloco.scene.light_units import from_unit
from trasloco.scene.lit import Camera, Environment, Light
from trasloco.scene.model import Doubles, Texture
from trasloco.scene.sampling import bilinear
from trasloco.scene.transforms import settle_matrix

POINT_M = 0.002
"""Radius up to which a ball of light is meant as a point."""
_HALF_TURN = np.diag([-1.0, 1.0, -1.0])


def _world(prim: Any) -> Doubles:
    return np.array(UsdGeom.XformCache().GetLocalToWorldTransform(prim), np.float64).T


def read_light(prim: Any, id: str, name: str, unit_m: float, notes: Notes, lumens: bool = False) -> Light:
    """A lamp in candela, lux or nit. With ``lumens``, or where it says so, its number is its luminous flux.

    Sizes take the scale of all transforms above; with ``normalize`` luminance is over the area in stage
    units.
    """
    told = _as_the_schema_has_it(prim, id, name, unit_m, notes)
    if not (lumens or prim.GetCustomDataByKey(UNIT) == "lm") or told.kind == "sun":
        return told
    number = float(UsdLux.LightAPI(prim).GetIntensityAttr().Get())
    return replace(told, intensity=from_unit(told, number, "lm"))


def _as_the_schema_has_it(prim: Any, id: str, name: str, unit_m: float, notes: Notes) -> Light:
    api = UsdLux.LightAPI(prim)
    scale = float(np.cbrt(abs(np.linalg.det(_world(prim)[:3, :3])))) * unit_m
    intensity = float(api.GetIntensityAttr().Get()) * 2.0 ** float(api.GetExposureAttr().Get())
    normalized = bool(api.GetNormalizeAttr().Get())
    color = _color(api)
    shadows = bool(UsdLux.ShadowAPI(prim).GetShadowEnableAttr().Get())
    if prim.IsA(UsdLux.DistantLight):
        wide = math.radians(float(UsdLux.DistantLight(prim).GetAngleAttr().Get() or 0))
        lux = (
            intensity
            if normalized or wide <= 0
            else intensity * math.pi * math.sin(min(wide / 2, math.pi / 2)) ** 2
        )
        return Light(id, name, "sun", color, lux, shadows=shadows, angle_rad=wide)
    if prim.IsA(UsdLux.SphereLight):
        return _ball(prim, id, name, (color, intensity, shadows), normalized, scale, unit_m)
    if prim.IsA(UsdLux.RectLight) or prim.IsA(UsdLux.DiskLight):
        wide, tall, area = _size(prim, scale)
        nit = intensity / max(area / unit_m**2, 1e-12) if normalized else intensity
        kind = "rectangle" if prim.IsA(UsdLux.RectLight) else "disc"
        return Light(id, name, kind, color, nit, shadows=shadows, width_m=wide, height_m=tall)  # type: ignore[arg-type]
    consequence = "Its strength straight ahead is kept; its soft edge is not."
    notes.note(
        "assumed",
        "A light of this shape is taken as a spot",
        f"{name} · {prim.GetTypeName()}",
        consequence,
        weight=30,
    )
    return Light(id, name, "spot", color, intensity, 0.0, math.pi / 2 - 1e-3, shadows)


def _color(api: Any) -> tuple[float, float, float]:
    """Its colour, times that of its temperature where that is on."""
    color = [float(c) for c in api.GetColorAttr().Get()]
    if api.GetEnableColorTemperatureAttr().Get():
        warm = UsdLux.BlackbodyTemperatureAsRgb(float(api.GetColorTemperatureAttr().Get()))
        color = [c * float(w) for c, w in zip(color, warm)]
    return color[0], color[1], color[2]


def _ball(
    prim: Any,
    id: str,
    name: str,
    told: tuple[Any, float, bool],
    normalized: bool,
    scale: float,
    unit_m: float,
) -> Light:
    """A sphere light: luminance x pi r^2 candela, a luminance over its 4 pi r^2 with ``normalize``."""
    color, intensity, shadows = told
    sphere = UsdLux.SphereLight(prim)
    radius_m = float(sphere.GetRadiusAttr().Get()) * scale
    candela = intensity / 4 * unit_m**2 if normalized else intensity * math.pi * radius_m**2
    ball = radius_m if radius_m > POINT_M and not sphere.GetTreatAsPointAttr().Get() else 0.0
    shaping = UsdLux.ShapingAPI(prim)
    angle = shaping.GetShapingConeAngleAttr().Get() if prim.HasAPI(UsdLux.ShapingAPI) else 180.0
    if angle is None or float(angle) > 90:
        return Light(id, name, "point", color, candela, shadows=shadows, radius_m=ball)
    outer = math.radians(float(angle))
    soft = min(max(float(shaping.GetShapingConeSoftnessAttr().Get() or 0), 0.0), 1.0)
    return Light(id, name, "spot", color, candela, outer * (1 - soft), outer, shadows, radius_m=ball)


def _size(prim: Any, scale: float) -> tuple[float, float, float]:
    """Width and height in metres (a disc's diameter twice) and the area in square metres."""
    if prim.IsA(UsdLux.RectLight):
        rect = UsdLux.RectLight(prim)
        wide, tall = float(rect.GetWidthAttr().Get()) * scale, float(rect.GetHeightAttr().Get()) * scale
        return wide, tall, wide * tall
    across = 2 * float(UsdLux.DiskLight(prim).GetRadiusAttr().Get()) * scale
    return across, across, math.pi / 4 * across**2


def read_camera(lens: Any, id: str, name: str, unit_m: float, notes: Notes) -> Camera:
    """Apertures and focal length are in tenths of a stage unit, distances in stage units."""
    attributes = (lens.GetVerticalApertureAttr(), lens.GetHorizontalApertureAttr(), lens.GetFocalLengthAttr())
    height, width, focal = (float(a.Get()) for a in attributes)
    flat = str(lens.GetProjectionAttr().Get()) == "orthographic" or focal <= 0 or height <= 0
    if flat:
        notes.note(
            "flat_camera",
            "A camera without perspective",
            name,
            "It is shown with a perspective of 40 degrees.",
        )
        height, width, focal = 2 * math.tan(math.radians(20)), 2 * math.tan(math.radians(20)) * 16 / 9, 1.0
    # The schema's fallbacks are meant for centimetres, whatever the stage says.
    tenth = TENTHS_MM * unit_m if attributes[0].HasAuthoredValue() else 1.0
    near, far = lens.GetClippingRangeAttr().Get()
    stop, focus = float(lens.GetFStopAttr().Get() or 0), float(lens.GetFocusDistanceAttr().Get() or 0)
    sharp = (focus * unit_m, stop) if stop > 0 and focus > 0 else (None, None)
    angle = 2 * math.atan(height / 2 / focal)
    offsets = (lens.GetHorizontalApertureOffsetAttr(), lens.GetVerticalApertureOffsetAttr())
    right, up = (float(a.Get() or 0) for a in offsets)
    return Camera(
        id,
        name,
        angle,
        width / height,
        max(float(near) * unit_m, 1e-6),
        float(far) * unit_m,
        height * tenth,
        focus_m=sharp[0],
        f_stop=sharp[1],
        shift=(0.0, 0.0) if flat or width <= 0 else (right / width, -up / height),
    )


def is_dome(prim: Any) -> bool:
    """Whether a prim is a sky, of either version of the schema."""
    return str(prim.GetTypeName()) in ("DomeLight", "DomeLight_1")


def read_dome(prim: Any, image: Image, axis: str, unit_m: float, notes: Notes) -> tuple[Environment, Image]:
    """A dome with a latitude-longitude picture, +Z at its middle and +Y above (OpenEXR), in stage
    coordinates.

    What an environment cannot say beside its picture, a tilt or a colour, is drawn into a picture of its own.
    """
    api = UsdLux.LightAPI(prim)
    level = float(api.GetIntensityAttr().Get()) * 2.0 ** float(api.GetExposureAttr().Get())
    world = settle_matrix(axis, unit_m)[:3, :3] @ _world(prim)[:3, :3]
    turned = world / np.maximum(np.linalg.norm(world, axis=0), 1e-30)
    if str(prim.GetTypeName()) == "DomeLight_1":
        turned = turned @ _pole(prim, axis)
    placed = turned @ _HALF_TURN
    color = _color(api)
    if abs(placed[1, 1] - 1) < 1e-6 and max(abs(c - 1) for c in color) < 1e-6:
        return Environment(image.id, level, math.atan2(placed[0, 2], placed[0, 0])), image
    try:
        drawn = _redrawn(image, np.linalg.inv(placed), color)
    except (ValueError, MemoryError):
        notes.note(
            "assumed",
            "A sky that is tilted or coloured",
            str(prim.GetName()),
            "Its picture cannot be drawn anew; it arrives level and white.",
            weight=45,
        )
        return Environment(image.id, level, math.atan2(placed[0, 2], placed[0, 0])), image
    return Environment(drawn.id, level, 0.0), drawn


def _pole(prim: Any, axis: str) -> Doubles:
    """Where the newer dome stands by its ``poleAxis``: for Z, +Z above and its middle towards -Y."""
    pole = str(UsdLux.DomeLight_1(prim).GetPoleAxisAttr().Get())
    if pole == "Z" or (pole == "scene" and axis == "Z"):
        return np.array([[1.0, 0, 0], [0, 0, -1.0], [0, 1.0, 0]])
    return np.eye(3)


def _redrawn(image: Image, back: Doubles, color: tuple[float, float, float]) -> Image:
    """The picture as it lies when turned by the inverse of ``back`` (3, 3), times a colour."""
    texels = unit_floats(pixels(image))
    texels = texels[..., :3] if texels.shape[2] >= 3 else np.repeat(texels[..., :1], 3, axis=2)
    if not image.floating:
        texels = srgb_to_linear(texels)
    height, width = texels.shape[:2]
    theta, phi = (
        (np.arange(height) + 0.5) / height * np.pi,
        ((np.arange(width) + 0.5) / width - 0.5) * 2 * np.pi,
    )
    sine = np.sin(theta)[:, None]
    ways = np.stack(
        [sine * np.sin(phi), np.broadcast_to(np.cos(theta)[:, None], (height, width)), -sine * np.cos(phi)],
        axis=-1,
    )
    x, y, z = np.moveaxis(ways @ back.T, -1, 0)
    uv = np.stack([np.arctan2(x, -z) / (2 * np.pi) + 0.5, np.arccos(np.clip(y, -1, 1)) / np.pi], axis=-1)
    drawn = bilinear(texels, uv.reshape(-1, 2), Texture("", wrap=("repeat", "clamp"))).reshape(
        height, width, 3
    )
    name = f"{image.name.rsplit('.', 1)[0]} turned.exr"
    return identify(
        f"{image.id} turned", name, name, encode((drawn * np.array(color)).astype(np.float32), "exr")
    )
