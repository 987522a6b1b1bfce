"""How this package is imported, step by step, told from its files and its sheet."""

from __future__ import annotations

from collections.abc import Mapping

from trasloco.at_rest import Bytes
from trasloco.inputs.table import INPUTS
from trasloco.scene.lengths import unit_name
from trasloco.scene.model import Scene
from trasloco.sheets.layouts import has_geometry
from trasloco.sheets.model import ImageSet, Sheet

_SCENES = (".glb", ".gltf", ".usdz", ".usda", ".usdc", ".dae", ".zae", ".obj", ".ply", ".stl")
_SAY_BOTH = (".glb", ".gltf", ".usdz", ".usda", ".usdc", ".dae", ".zae")
"""Those that state their own axis and unit."""
_LAMPS = {
    "candela and lux": "Lamps are in candela and lux.",
    "lumen and lux": "Lamps are in lumen, suns in lux.",
    "none": "Lamps have no unit: set their strength by the list.",
}
_FEW = 4


def steps_of(files: Mapping[str, Bytes], scene: Scene, sheet: Sheet) -> list[str]:
    """What to do at the destination, in order."""
    told = sheet.conventions
    main = _main(files)
    if not has_geometry(sheet):
        return [*_on_what_stands(files, sheet), *_by_hand(scene, sheet)]
    steps = [f"Keep all {len(files)} files together as they lie." if len(files) > 1 else "It is one file."]
    axis, unit = told.in_files
    scale = f"{axis} up, in {unit_name(unit)}"
    differs = (axis, unit) != (told.up_axis, told.unit_m)
    if len(main) > _FEW:
        steps.append(f"Open the {len(main)} files of parts, {main[0]} and the others. They are {scale}.")
    steps += [
        f"Open {path}. It is {scale}{'' if differs else '; leave scale at 1'}."
        for path in main
        if len(main) <= _FEW
    ]
    if differs:
        steps.append(
            f"The file says so: let it be converted to {told.up_axis} up, in {unit_name(told.unit_m)}."
        )
    if main and not main[0].endswith(_SAY_BOTH):
        steps.append(f"The file says neither axis nor unit: choose {scale}, where it asks.")
    if not sheet.structure.pivots:
        steps.append("Points stand where they belong; do not centre or drop anything.")
    if any(path.endswith(".mtl") for path in files):
        steps.append("The material library beside it is found by its name; leave images where it names them.")
    if sheet.materials.colors_on_points:
        steps.append("Show colours on points, as they are; there is no other colour.")
    if "materials.json" in files:
        steps.append("Read materials.json after it: it says which image and number belongs to which slot.")
    table = next((path for path in files if path.startswith("material-table.")), None)
    if table is not None:
        steps.append(f"What is not assigned by itself is in {table}, a row for every input.")
    if "materials.mtlx" in files:
        steps.append("Assign materials.mtlx where the preview surface is not enough.")
    steps += _by_hand(scene, sheet)
    if scene.lights:
        steps.append(_LAMPS[sheet.lights.unit])
    if any(node.lightmap is not None for node in scene.parts()):
        steps.append(f"Lightmaps are on the second UV set, stored as {sheet.lightmaps.encoding}.")
    if scene.environment is not None and not sheet.lights.environment:
        steps.append("Its surroundings do not travel with it: choose the same picture there.")
    if sheet.after_effects:
        names = ", ".join(effect.name for effect in sheet.after_effects)
        steps.append(f"Switch off {names} before it is judged.")
    return steps


def _by_hand(scene: Scene, sheet: Sheet) -> list[str]:
    """What materials ask for that a program may not do by itself."""
    steps = []
    if any("normal" in m.inputs for m in scene.materials.values()):
        steps.append(f"Normal maps have green pointing {sheet.conventions.normal_green}.")
    if any(m.alpha_mode == "mask" for m in scene.materials.values()):
        steps.append("Some materials are cut out: switch alpha testing on where it is not by itself.")
    return steps


def _on_what_stands(files: Mapping[str, Bytes], sheet: Sheet) -> list[str]:
    """How looks alone are put on meshes that are there already."""
    steps = ["These are looks alone: the meshes stand there already, with their UVs and slots."]
    documents = [path for path in files if path.endswith(".mtlx")]
    if documents:
        more = " and the others" if len(documents) > 1 else ""
        steps.append(f"Load {documents[0]}{more}, and put each material on the slot of its name.")
    else:
        name = sheet.images.pattern.format(material="MATERIAL", set="INPUT")
        steps.append(f"Images are named {name}: put each in that input of that material.")
        held = [f"{one.name} holds {_channels(one)}" for one in sheet.materials.sets]
        steps.append(f"Of the inputs, {'; '.join(held)}.")
        steps.append("Every number is an image too; set whatever has none to what it usually is.")
    return steps


def _channels(one: ImageSet) -> str:
    """What an image holds, "roughness in G and metalness in B"."""
    told = [
        INPUTS[name].label.lower() + ("" if channel == "rgb" else f" in {channel.upper()}")
        for channel, name in one.channels.items()
    ]
    return " and ".join(filter(None, (", ".join(told[:-1]), told[-1])))


def _main(files: Mapping[str, Bytes]) -> list[str]:
    """The files to open: of several USD layers only the root."""
    held = [path for path in files if path.endswith(_SCENES)]
    roots = [path for path in held if path.endswith(".usda")]
    layers = [path for path in held if path.endswith((".usda", ".usdc"))]
    return roots if roots and len(layers) > len(roots) else held
