"""What a package layout leaves no choice about, by the specifications of its formats."""

from __future__ import annotations

from trasloco.inputs.table import INPUTS
from trasloco.sheets.model import Sheet


def fault_of_layout(sheet: Sheet) -> tuple[str, str] | None:
    """The path of the first line that the sheet's layout cannot keep, and why; None when it can keep all."""
    told = sheet.conventions
    if sheet.layout in ("glb", "glb and list"):
        if told.up_axis != "Y":
            return "conventions.up_axis", "The geometry is a GLB, and glTF is Y up."
        if told.unit_m != 1.0:
            return "conventions.unit_m", "The geometry is a GLB, and glTF is in metres."
    if sheet.layout in ("glb", "usd and materialx") and told.normal_green != "up":
        return "conventions.normal_green", f"{'glTF' if sheet.layout == 'glb' else 'MaterialX'} has green up."
    if sheet.images.kind == "jpg" and any("a" in one.channels for one in sheet.materials.sets):
        return "images.kind", "JPEG has no fourth channel; give opacity an image of its own, or take PNG."
    if sheet.images.kind == "ktx2" and sheet.layout == "usd and materialx":
        return "images.kind", "USD and MaterialX read no KTX2 images; take PNG."
    if sheet.images.kind == "ktx2" and not sheet.images.power_of_two:
        return "images.kind", "KTX2 images are made of blocks of 4 × 4 texels; ask for powers of two as well."
    named = [
        *((name, "materials.inputs") for name in sheet.materials.inputs),
        *((name, "materials.sets") for one in sheet.materials.sets for name in one.channels.values()),
    ]
    for name, line in named:
        row = INPUTS[name]
        if sheet.layout == "glb" and row.gltf is None:
            return line, f"glTF has no place for {row.label.lower()}."
        if sheet.layout == "glb" and line == "materials.inputs" and row.gltf and not row.gltf.factor:
            return line, f"{row.label} is an image in glTF, never a number."
        if sheet.layout == "usd and materialx" and not (row.nodes.openpbr or row.nodes.thin):
            return line, f"OpenPBR has no input for {row.label.lower()}."
    if sheet.lightmaps.taken and sheet.layout == "usd and materialx":
        return "lightmaps.taken", "USD and MaterialX have no place for lightmaps."
    if sheet.lightmaps.taken and sheet.layout == "glb" and sheet.lightmaps.encoding == "half float":
        return "lightmaps.encoding", "glTF holds no floating images; take RGBM or 8 bits."
    if sheet.lightmaps.taken and sheet.layout == "glb" and sheet.lightmaps.packing == "together":
        return (
            "lightmaps.packing",
            "A GLB names a lightmap in a material, so every part needs one of its own.",
        )
    for name, there in (("direction", sheet.lightmaps.direction), ("probes", sheet.lightmaps.probes)):
        if there and sheet.layout != "glb and list":
            return f"lightmaps.{name}", "Only a material list has a place for it."
    if sheet.layout != "usd and materialx" and {"rectangle", "disc"} & set(sheet.lights.kinds):
        return "lights.kinds", "glTF has suns, points and spots only."
    if sheet.layout == "glb" and sheet.lights.sizes:
        return "lights.sizes", "glTF has no place for how large a light is."
    if sheet.lights.backdrop and sheet.layout != "glb and list":
        return "lights.backdrop", "Only a material list has a place for a backdrop."
    if sheet.layout == "glb" and sheet.cameras.lens:
        return "cameras.lens", "glTF cameras have no focus and no f-stop."
    if sheet.layout == "glb" and sheet.lights.environment:
        return "lights.environment", "glTF has no place for an environment image."
    structure = _structure_fault(sheet)
    if structure is not None:
        return structure
    if sheet.layout == "glb":
        return _not_gltf(sheet)
    if sheet.layout == "usd and materialx":
        for one in sheet.materials.sets:
            if list(one.channels) not in (["rgb"], ["r"]):
                return "materials.sets", f"{one.name}: a network has one image for each input, in RGB or R."
    return None


def _structure_fault(sheet: Sheet) -> tuple[str, str] | None:
    if sheet.layout in ("glb", "glb and list"):
        if sheet.structure.layers:
            return "structure.layers", "glTF has no layers."
        if sheet.structure.frame_rate:
            return "structure.frame_rate", "glTF keys are in seconds; it has no frame rate."
    if sheet.layout == "usd and materialx" and sheet.structure.curves == "kept":
        return "structure.curves", "USD joins its time samples by straight lines."
    return None


def _not_gltf(sheet: Sheet) -> tuple[str, str] | None:
    """What of the sheet's images glTF keeps elsewhere: other channels, no image, or one image for several."""
    held: dict[tuple[str, str], tuple[str, str]] = {}
    for one in sheet.materials.sets:
        for channel, name in one.channels.items():
            label, place = INPUTS[name].label, INPUTS[name].gltf
            if place is None or not place.texture:
                return "materials.sets", f"{label} has no image in glTF."
            if place.channels != channel:
                return "materials.sets", f"{label} has to be in {place.channels.upper()} in glTF."
            image = (place.extension, place.texture)
            first, elsewhere = held.setdefault(image, (name, one.name))
            if elsewhere != one.name:
                return (
                    "materials.sets",
                    f"{INPUTS[first].label} and {label.lower()} share one image in glTF.",
                )
    return None
