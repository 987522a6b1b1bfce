"""Lamps, cameras and surroundings of a USD layer, in photometric terms by the UsdLux schema's own formulas.

With ``normalize`` a light's luminance is intensity over its area in stage units. A sphere of radius r sends
luminance x pi r^2 candela and has an area
of 4 pi r^2, so candela = intensity / 4 x (metres a unit)^2; a distant light's intensity is its illuminance in
lux.
"""

from __future__ import annotations

import math
from typing import Any

from pxr import Gf, Sdf, UsdGeom, UsdLux

from trasloco.formats.usd_names import CUSTOM_NAME
from trasloco.scene.light_units import flux_lm
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Scene

UNIT = "trasloco:unit"
"""Custom data of a lamp whose number is not what the schema means by it."""
POINT_RADIUS_M = 0.001
TENTHS_MM = 100.0
"""Millimetres in a tenth of a metre: what a camera's apertures are in, times metres a unit."""


def write_light(stage: Any, path: Any, light: Light, unit_m: float, lumens: bool = False) -> Any:
    """A lamp that lies where its node lies.

    Sizes are in the node's own metres, which the root brings to the stage's unit. With ``lumens`` its number
    is its luminous flux, whatever the schema means by it; a sun's stays in lux.
    """
    if light.kind == "sun":
        made: Any = UsdLux.DistantLight.Define(stage, path)
        made.CreateIntensityAttr(float(light.intensity))
        made.CreateAngleAttr(math.degrees(light.angle_rad))
    elif light.kind == "rectangle":
        made = UsdLux.RectLight.Define(stage, path)
        made.CreateIntensityAttr(float(light.intensity))
        made.CreateWidthAttr(float(light.width_m))
        made.CreateHeightAttr(float(light.height_m))
    elif light.kind == "disc":
        made = UsdLux.DiskLight.Define(stage, path)
        made.CreateIntensityAttr(float(light.intensity))
        made.CreateRadiusAttr(float(light.width_m / 2))
    else:
        made = UsdLux.SphereLight.Define(stage, path)
        made.CreateIntensityAttr(4.0 * float(light.intensity) / unit_m**2)
        ball = light.radius_m > 0
        made.CreateTreatAsPointAttr(not ball)
        made.CreateRadiusAttr(float(light.radius_m if ball else POINT_RADIUS_M))
        if light.kind == "spot":
            shaping = UsdLux.ShapingAPI.Apply(made.GetPrim())
            shaping.CreateShapingConeAngleAttr(math.degrees(light.outer_cone_rad))
            shaping.CreateShapingConeSoftnessAttr(
                float(1 - light.inner_cone_rad / max(light.outer_cone_rad, 1e-6))
            )
    made.CreateNormalizeAttr(light.kind not in ("rectangle", "disc"))
    made.CreateColorAttr(Gf.Vec3f(*light.color))
    if lumens and light.kind != "sun":
        made.CreateIntensityAttr(flux_lm(light))
        made.GetPrim().SetCustomDataByKey(UNIT, "lm")
    made.GetPrim().CreateAttribute(CUSTOM_NAME, Sdf.ValueTypeNames.String, True).Set(light.name)
    UsdLux.ShadowAPI.Apply(made.GetPrim()).CreateShadowEnableAttr(bool(light.shadows))
    return made


def write_camera(stage: Any, path: Any, camera: Camera, unit_m: float) -> Any:
    """A camera that lies where its node lies: lens and sensor in tenths of a stage unit, distances in stage
    units.
    """
    lens = UsdGeom.Camera.Define(stage, path)
    height = camera.sensor_mm / TENTHS_MM / unit_m
    lens.CreateVerticalApertureAttr(height)
    width = height * (camera.aspect or 16 / 9)
    lens.CreateHorizontalApertureAttr(width)
    if any(camera.shift):
        right, down = camera.shift
        lens.CreateHorizontalApertureOffsetAttr(right * width)
        lens.CreateVerticalApertureOffsetAttr(-down * height)
    lens.CreateFocalLengthAttr(height / 2 / math.tan(camera.yfov_rad / 2))
    if camera.focus_m and camera.f_stop:
        lens.CreateFStopAttr(float(camera.f_stop))
        lens.CreateFocusDistanceAttr(float(camera.focus_m / unit_m))
    lens.CreateClippingRangeAttr(Gf.Vec2f(float(camera.znear / unit_m), float((camera.zfar or 1e4) / unit_m)))
    lens.GetPrim().CreateAttribute(CUSTOM_NAME, Sdf.ValueTypeNames.String, True).Set(camera.name)
    return lens


def write_dome(stage: Any, scene: Scene, root: Any) -> None:
    """The surroundings.

    A dome's picture has +Z at its middle (OpenEXR latitude-longitude), ours -Z: half a turn apart.
    """
    around = scene.environment
    if around is None or around.image not in scene.images:
        return
    dome = UsdLux.DomeLight.Define(stage, root.AppendChild("Environment"))
    dome.CreateTextureFileAttr(Sdf.AssetPath(scene.images[around.image].path))
    dome.CreateTextureFormatAttr(UsdLux.Tokens.latlong)
    dome.CreateIntensityAttr(float(around.level))
    UsdGeom.Xformable(dome).AddRotateYOp(UsdGeom.XformOp.PrecisionDouble).Set(
        math.degrees(around.turn_rad) + 180.0
    )
