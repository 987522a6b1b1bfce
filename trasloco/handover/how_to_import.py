"""How this package is imported, step by step, told from its files and its sheet."""

from __future__ import annotations

from collections.abc import Mapping

from trasloco.scene.lengths import unit_name
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet

_SCENES = (".glb", ".gltf", ".usdc", ".usda")


def steps_of(files: Mapping[str, bytes], scene: Scene, sheet: Sheet) -> list[str]:
    """What to do at the destination, in order."""
    told = sheet.conventions
    main = [path for path in files if path.endswith(_SCENES)]
    steps = [f"Keep all {len(files)} files together as they lie." if len(files) > 1 else "It is one file."]
    steps += [
        f"Open {path}. It is {told.up_axis} up, in {unit_name(told.unit_m)}; leave scale at 1."
        for path in main
    ]
    if "materials.json" in files:
        steps.append("Read materials.json after it: it says which image and number belongs to which slot.")
    if "materials.mtlx" in files:
        steps.append("Assign materials.mtlx where the preview surface is not enough.")
    normals = any("normal" in m.inputs for m in scene.materials.values())
    if normals:
        steps.append(f"Normal maps have green pointing {told.normal_green}.")
    if any(m.alpha_mode == "mask" for m in scene.materials.values()):
        steps.append("Some materials are cut out: switch alpha testing on where it is not by itself.")
    if scene.lights:
        steps.append(
            "Lamps are in candela and lux."
            if sheet.lights.unit == "candela and lux"
            else "Lamps have no unit: set their strength by the list."
        )
    if any(node.lightmap is not None for node in scene.parts()):
        steps.append(f"Lightmaps are on the second UV set, stored as {sheet.lightmaps.encoding}.")
    if scene.environment is not None and not sheet.lights.environment:
        steps.append("Its surroundings do not travel with it: choose the same picture there.")
    if sheet.after_effects:
        steps.append("Switch off what is listed below before it is judged.")
    return steps
