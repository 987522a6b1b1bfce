"""Lanterna's plain material list (``materials.json``): written and read here, documented in
docs/layouts/glb-and-list.md.
"""

from __future__ import annotations

import json
from typing import Any

from trasloco.errors import Refused
from trasloco.scene.lit import Light
from trasloco.scene.model import Material, Node, Scene, Tags, Texture
from trasloco.scene.tags import tags_json
from trasloco.sheets.model import Sheet

FORMAT = "Lanterna material list"
STRENGTHS = {"normal": "relief_strength", "occlusion": "occlusion_strength"}
SEE_THROUGH = {"opaque": "solid", "mask": "cut", "blend": "blend"}


def write_list(scene: Scene, sheet: Sheet, told: bool = True) -> bytes:
    """The list for a delivered scene.

    ``told=False`` leaves unsaid what an unprepared export leaves unsaid: alpha, sides, units, shadows.
    """
    document: dict[str, Any] = {
        "format": FORMAT,
        "version": 1,
        "materials": [_entry(m, scene, sheet, told) for m in scene.materials.values()],
    }
    lights = [
        {
            "name": light.name,
            "unit": "lux" if light.kind == "sun" else "candela",
            "shadows": light.shadows,
            **(_size(light) if sheet.lights.sizes else {}),
        }
        for light in scene.lights.values()
    ]
    document["lights"] = lights if told else []
    lenses = [
        {"name": c.name, "focus_m": c.focus_m, "f_stop": c.f_stop, "sensor_mm": c.sensor_mm}
        for c in scene.cameras.values()
    ]
    if any(c.focus_m and c.f_stop for c in scene.cameras.values()) and told and sheet.cameras.lens:
        document["cameras"] = lenses
    said = {
        node.name for node in scene.parts() if node.tags != Tags() or node.lightmap is not None or node.probed
    }
    parts = [
        {"part": node.name, **tags_json(node.tags), **_lightmap(node, scene, sheet)}
        for node in scene.parts()
        if node.name in said
    ]
    if parts and told:
        document["parts"] = parts
    if scene.environment is not None and scene.environment.image in scene.images:
        document["sky"] = {
            "image": scene.images[scene.environment.image].path,
            "level": scene.environment.level,
            "turn_rad": scene.environment.turn_rad,
        }
    if scene.backdrop is not None and scene.backdrop.image in scene.images:
        document["behind"] = {
            "image": scene.images[scene.backdrop.image].path,
            "level": scene.backdrop.level,
            "turn_rad": scene.backdrop.turn_rad,
        }
    if scene.probes:
        document["probes"] = [
            {"position": list(probe.position), "lux": [list(row) for row in probe.lux]}
            for probe in scene.probes
        ]
    return json.dumps(document, indent=1).encode()


def _size(light: Light) -> dict[str, float]:
    """How wide a sun is seen, or how large the ball of a point or spot is; nothing where it has no size."""
    if light.kind == "sun":
        return {"angle_rad": light.angle_rad} if light.angle_rad > 0 else {}
    ball = light.kind in ("point", "spot") and light.radius_m > 0
    return {"radius_m": light.radius_m} if ball else {}


def _entry(material: Material, scene: Scene, sheet: Sheet, told: bool) -> dict[str, Any]:
    entry: dict[str, Any] = {"slot": material.name, "images": {}, "values": {}}
    for name, given in material.inputs.items():
        place = sheet.materials.set_of(name)
        if given.texture is not None and place is not None:
            entry["images"][place[0].name] = scene.images[given.texture.image].path
            placement = _placement(given.texture)
            if placement:
                entry.setdefault("placement", {})[place[0].name] = placement
            if name in STRENGTHS and given.texture.strength != 1:
                entry[STRENGTHS[name]] = given.texture.strength
        else:
            entry["values"][name] = (
                [float(v) for v in given.factor] if len(given.factor) > 1 else float(given.factor[0])
            )
    if told:
        entry["see_through"] = SEE_THROUGH[material.alpha_mode]
        if material.alpha_mode == "mask":
            entry["cut_at"] = material.alpha_cutoff
        entry["two_sided"] = material.double_sided
    return entry


def _lightmap(node: Node, scene: Scene, sheet: Sheet) -> dict[str, Any]:
    given = node.lightmap
    if given is None:
        return {"light": "probes"} if node.probed else {}
    toward = {"direction": scene.images[given.direction].path} if given.direction else {}
    return {
        "lightmap": {
            "image": scene.images[given.image].path,
            "uv_set": given.uv_set,
            "scale": list(given.scale),
            "offset": list(given.offset),
            "level": given.level,
            "encoding": sheet.lightmaps.encoding,
            **toward,
        }
    }


def _placement(texture: Texture) -> dict[str, Any]:
    placed: dict[str, Any] = {}
    if texture.offset != (0.0, 0.0):
        placed["offset"] = list(texture.offset)
    if texture.scale != (1.0, 1.0):
        placed["scale"] = list(texture.scale)
    if texture.rotation_rad:
        placed["rotation_rad"] = texture.rotation_rad
    if texture.uv_set:
        placed["uv_set"] = texture.uv_set
    if texture.wrap != ("repeat", "repeat"):
        placed["wrap"] = list(texture.wrap)
    return placed


def parse_list(data: bytes, where: str) -> dict[str, Any]:
    """The document.

    Raises:
        Refused: not such a list.
    """
    try:
        document = json.loads(data)
    except ValueError as error:
        raise Refused(f"The material list cannot be read ({error}).", where, "Write it again.") from None
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise Refused("This is not a Lanterna material list.", where, "Write it again.")
    return document
