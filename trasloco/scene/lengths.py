"""What units are called, and lengths that stand beside points and places: they follow when a scene changes
its unit or its size.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Literal

from trasloco.inputs.table import LENGTHS
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Material, Scene

Unit = Literal["m", "cm", "mm", "in", "ft"]
METRES: Mapping[Unit, float] = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}
"""Metres in a unit: an inch has 25.4 mm, a foot twelve inches."""
_UNITS = {
    METRES["m"]: "metres",
    METRES["cm"]: "centimetres",
    METRES["mm"]: "millimetres",
    METRES["in"]: "inches",
    METRES["ft"]: "feet",
    0.1: "decimetres",
}


def unit_name(unit_m: float) -> str:
    """What a unit of so many metres is called."""
    return _UNITS.get(unit_m, f"units of {unit_m:g} m")


def with_lengths_times(scene: Scene, factor: float) -> Scene:
    """The scene with every length that is no point or place times a factor: depths and radii of materials,
    sizes of lamps, focus and clipping.
    """
    return replace(
        scene,
        materials={id: _material(one, factor) for id, one in scene.materials.items()},
        lights={id: _light(one, factor) for id, one in scene.lights.items()},
        cameras={id: _camera(one, factor) for id, one in scene.cameras.items()},
        clouds={id: replace(one, width_m=one.width_m * factor) for id, one in scene.clouds.items()},
        probes=tuple(replace(p, position=tuple(v * factor for v in p.position)) for p in scene.probes),  # type: ignore[arg-type]
    )


def _material(material: Material, factor: float) -> Material:
    held = {
        name: replace(given, factor=tuple(f * factor for f in given.factor))
        for name, given in material.inputs.items()
        if name in LENGTHS
    }
    return replace(material, inputs={**material.inputs, **held}) if held else material


def _light(light: Light, factor: float) -> Light:
    return replace(
        light,
        width_m=light.width_m * factor,
        height_m=light.height_m * factor,
        radius_m=light.radius_m * factor,
    )


def _camera(camera: Camera, factor: float) -> Camera:
    focus = camera.focus_m * factor if camera.focus_m is not None else None
    far = camera.zfar * factor if camera.zfar is not None else None
    return replace(camera, focus_m=focus, znear=camera.znear * factor, zfar=far)
