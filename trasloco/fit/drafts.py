"""Drafts: what becomes of each input of a material, by the sheets on both sides. No pixel is touched here."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from trasloco.fit.atlas import MOST_SIDE, SIDE
from trasloco.fit.draft import Draft, is_default, knows, placement_of
from trasloco.fit.model import Step
from trasloco.fit.palette import palette_of, palette_side
from trasloco.fit.specular import capped, index_is_level, level_for_index, needs_metal, told_by_metal
from trasloco.fit.steps.shine import level_of_index
from trasloco.inputs.table import DRAWN, INPUTS, ORDER, UNDER_THE_SURFACE, VECTORS
from trasloco.inventory.checks.images import delivered_size
from trasloco.scene import layers
from trasloco.scene.glass import WHOLE, absorbs, is_solid
from trasloco.scene.images import Image
from trasloco.scene.invented import is_invented
from trasloco.scene.model import Input, Material, Scene
from trasloco.sheets.layouts import speaks
from trasloco.sheets.model import Sheet

CORE = ("base_color", "metalness", "roughness")


@dataclass(frozen=True)
class Wishes:
    """What the artist asked for of a material's way, beyond what it is: the longest side of its images (0 for
    none), and how vertex colours travel.
    """

    largest: int = 0
    paint: str = ""


def _label(name: str, given: Input) -> str:
    if name == "roughness" and given.origin == "sheet":
        return "Gloss"
    return INPUTS[name].label


def has_paint(reference: Scene, material: str) -> bool:
    """Whether any part of a material has vertex colours that are not plain white."""
    for mesh in reference.meshes.values():
        for primitive in mesh.primitives:
            if (
                primitive.material == material
                and primitive.colors is not None
                and len(primitive.colors)
                and float(np.abs(primitive.colors[:, :3] - 1).max()) > 1 / 512
            ):
                return True
    return False


def drafts_of(
    material: Material, reference: Scene, source: Sheet, destination: Sheet, wishes: Wishes | None = None
) -> tuple[list[Draft], str]:
    """Drafts of all inputs, and the alpha mode at the destination."""
    wishes = wishes or Wishes()
    rules = destination.materials
    mode: str = material.alpha_mode
    as_metal = needs_metal(material, destination)
    drafts: list[Draft] = []
    for name in sorted(material.inputs, key=lambda key: ORDER[key]):
        given = material.inputs[name]
        if _says_nothing(name, given, material) or (as_metal and name == "metalness"):
            continue
        draft = Draft(
            name, _label(name, given), given, "normal" if name == "height" else name, asked=wishes.largest
        )
        if name == "height" and "normal" in material.inputs:
            draft.mark, draft.reason, draft.target = (
                "lost",
                "The material has a normal map as well; only one of them has a place.",
                "",
            )
        image = reference.images.get(given.texture.image) if given.texture else None
        if given.texture is not None and (image is None or not image.usable):
            draft.mark, draft.reason = (
                "blocked",
                f"{image.name if image else 'The image'} is missing or cannot be read. Relink it, or choose another.",
            )
            drafts.append(draft)
            continue
        known = draft.target in rules.inputs or rules.set_of(draft.target) is not None
        if as_metal and name in ("base_color", "specular_color"):
            told_by_metal(draft, material)
        elif (
            name == "transmission"
            and not known
            and "opacity" in material.inputs
            and material.alpha_mode != "opaque"
        ):
            draft.mark, draft.target, draft.reason = (
                "lost",
                "",
                f"{destination.name} has no such input, and the material's own opacity has the place that would stand in for it.",
            )
        elif name == "transmission" and not known and "blend" in rules.alpha:
            mode = "blend"
            _see_through(draft, given)
        elif name == "opacity":
            mode = _alpha(draft, material, destination)
        elif name == "occlusion" and not known and rules.occlusion_multiplied and given.texture is not None:
            draft.mark, draft.reason, draft.target = (
                "close",
                f"{destination.name} has no input for it; it is multiplied into the base colour, where light from lamps is darkened too.",
                "",
            )
        elif name == "ior" and index_is_level(material, destination):
            level_for_index(draft, material)
        elif name == "specular" and index_is_level(material, destination):
            draft.target = ""
            draft.steps.append(Step("value", "said together with the index, by one level"))
            capped(draft, level_of_index(material.inputs["ior"].factor[0]) * given.factor[0])
        elif draft.mark != "lost" and not known:
            draft.mark, draft.target = "lost", ""
            unseen = "" if name in DRAWN else " The renderer does not show it yet."
            draft.reason = f"{destination.name} has no such input.{unseen}" + (
                f" {rules.inputs[name].note}" if name in rules.inputs else ""
            )
        if draft.mark != "lost" and draft.target:
            _source_steps(draft, given, image, material, reference, destination)
            if name == "base_color":
                _occluded(draft, material, reference, destination)
                _vertex_color(draft, material, reference, destination, wishes.paint)
            _layers(draft, reference, destination)
            _thin_wall(draft, material, destination)
        drafts.append(draft)
    return drafts, mode


def _says_nothing(name: str, given: Input, material: Material) -> bool:
    """Inputs at their default, see-through of what is solid, the strength of no emission, the thickness and
    absorption of what lets nothing through.
    """
    if name not in CORE and is_default(name, given):
        return True
    if (name == "thickness" and "transmission" not in material.inputs) or (
        name == "diffuse_transmission_color" and "diffuse_transmission" not in material.inputs
    ):
        return True
    if name in ("attenuation_color", "attenuation_distance") and not (
        "transmission" in material.inputs and absorbs(material)
    ):
        return True
    return (name == "opacity" and material.alpha_mode == "opaque") or (
        name == "emission_strength" and "emission" not in material.inputs
    )


def _occluded(draft: Draft, material: Material, reference: Scene, destination: Sheet) -> None:
    occlusion = material.inputs.get("occlusion")
    if (
        occlusion is None
        or occlusion.texture is None
        or knows(destination, "occlusion")
        or not destination.materials.occlusion_multiplied
    ):
        return
    image = reference.images.get(occlusion.texture.image)
    if image is None or not image.usable:
        return
    draft.steps.append(Step("occlude", "occlusion multiplied in", {"image": image.id}))
    draft.mark, draft.reason = "close", f"Darkened by the occlusion that {destination.name} has no input for."
    if draft.size is None:
        draft.size = draft.fitting(image, destination)
        draft.given = replace(draft.given, texture=replace(occlusion.texture, channels="rgb"))


def _see_through(draft: Draft, given: Input) -> None:
    draft.target = "opacity"
    draft.steps.append(Step("see_through", "carried as see-through"))
    draft.mark, draft.reason = (
        "close",
        "Light passes, but is neither bent nor tinted; reflections fade with it.",
    )
    draft.given = replace(given, factor=(1 - given.factor[0],)) if given.texture is None else given


def _alpha(draft: Draft, material: Material, destination: Sheet) -> str:
    wanted = material.alpha_mode
    if wanted in destination.materials.alpha:
        if wanted == "mask":
            draft.steps.append(
                Step("cut", f"cut at {material.alpha_cutoff:.2f}", {"cutoff": material.alpha_cutoff})
            )
        return wanted
    if wanted == "blend" and "mask" in destination.materials.alpha:
        draft.steps.append(Step("cut", "blend becomes a cut at 0.50", {"cutoff": 0.5}))
        if draft.given.texture is not None:
            draft.steps.append(Step("coverage", "as much stays as was solid", {"cutoff": 0.5, "of": "mean"}))
        draft.mark, draft.reason = (
            "close",
            f"{destination.name} cannot blend; soft edges become hard, and as much area stays as it hid before.",
        )
        return "mask"
    draft.mark, draft.reason, draft.target = "lost", f"{destination.name} draws everything solid.", ""
    return "opaque"


def _source_steps(
    draft: Draft, given: Input, image: Image | None, material: Material, reference: Scene, destination: Sheet
) -> None:
    texture = draft.given.texture
    if texture is None:
        return
    image = image if image is not None else reference.images.get(texture.image)
    if image is None or not image.usable:
        return
    size = (image.width, image.height)
    draft.size = draft.fitting(image, destination)
    draft.deep = image.depth > 8 or image.floating
    vectors = draft.name in VECTORS or draft.name == "height"
    _reading_steps(draft, image, destination)
    if (
        not vectors
        and not any(step.kind == "metal" for step in draft.steps)
        and any(f != 1.0 for f in given.factor)
    ):
        _factor_step(draft, given, destination)
    if draft.size != size:
        draft.steps.append(
            Step(
                "resize",
                f"{size[0]} × {size[1]} to {draft.size[0]} × {draft.size[1]}",
                {"from": list(size), "to": list(draft.size)},
            )
        )
        draft.mark = "close"
        taken = delivered_size(*size, destination.images.largest, destination.images.power_of_two) == size
        draft.reason = draft.reason or (
            "Made smaller, as asked; resampled in linear light."
            if taken
            else f"{destination.name} refuses the size; resampled in linear light."
        )
        _after_shrinking(draft, size, material, reference, destination)
    if draft.name == "base_color":
        _padding_step(draft, material, reference, destination)
    if (
        destination.images.depth == 8
        and (image.depth > 8 or image.floating)
        and not vectors
        and draft.name != "opacity"
    ):
        draft.steps.append(Step("depth", f"{image.depth} bits dithered to 8"))


def _reading_steps(draft: Draft, image: Image, destination: Sheet) -> None:
    """From texels to what they mean, in the destination's terms."""
    texture = draft.given.texture
    assert texture is not None
    if texture.channels != "rgb" and image.channels > 1:
        draft.steps.append(
            Step("extract", f"{texture.channels.upper()} taken out", {"channels": texture.channels})
        )
    if texture.space:
        draft.steps.append(
            Step("space", f"{texture.space.replace('_', ' ')} to Rec. 709", {"space": texture.space})
        )
    if texture.invert and draft.name != "height":
        curved = {
            "linear": "inverted",
            "squared": "gloss to roughness, squared",
            "exponent": f"exponent (up to {texture.curve_top:g}) to roughness",
            "scaled": f"gloss times {texture.curve_top:.3g}, inverted",
        }[texture.curve]
        draft.steps.append(Step("invert", curved, {"curve": texture.curve, "top": texture.curve_top}))
    if draft.name == "height":
        depth = texture.strength * draft.given.factor[0]
        draft.steps.append(Step("relief", "made a normal map", {"depth": depth, "inverted": texture.invert}))
        draft.mark, draft.reason = (
            "close",
            "Invented from the colour, measured on nothing. " * is_invented(texture.image)
            + "A normal map tilts the light; it holds no height.",
        )
    if draft.name in VECTORS or draft.name == "height":
        up = texture.green_up or draft.name == "height"
        if up != (destination.conventions.normal_green == "up"):
            draft.steps.append(Step("green", "green turned over"))


def _factor_step(draft: Draft, given: Input, destination: Sheet) -> None:
    if draft.name == "emission" and max(given.factor) > 1 and knows(destination, "emission_strength"):
        _above_one(draft, given)
        given = draft.given
        if all(f == 1.0 for f in given.factor):
            return
    rule = destination.materials.inputs.get(draft.target)
    if draft.name == "occlusion" and given.texture is not None and given.texture.strength != 1.0:
        # A file has one number beside an image of occlusion, and it is the strength.
        settings = {"factor": given.factor[0], "occlusion_strength": given.texture.strength}
        draft.steps.append(
            Step(
                "shade",
                f"multiplied by {given.factor[0]:.3g}, its strength of {given.texture.strength:.3g} written in",
                settings,
            )
        )
    elif rule is not None and rule.multiplies:
        draft.value = tuple(given.factor)
        text = (
            "tint kept beside the image"
            if INPUTS[draft.name].color
            else f"times {given.factor[0]:g}, kept beside the image"
        )
        draft.steps.append(Step("value", text, {"beside": True}))
    else:
        text = "tint multiplied in" if INPUTS[draft.name].color else f"multiplied by {given.factor[0]:.3g}"
        draft.steps.append(Step("multiply", text, {"factor": list(given.factor)}))


def _above_one(draft: Draft, given: Input) -> None:
    """A tint above 1 beside an image of emission: its brightest part goes into the strength, since files hold
    no more than 1.
    """
    top = max(given.factor)
    draft.given = replace(given, factor=tuple(f / top for f in given.factor))
    draft.steps.append(Step("value", f"times {top:g}, in the strength", {"strength": top}))


def _after_shrinking(
    draft: Draft, size: tuple[int, int], material: Material, reference: Scene, destination: Sheet
) -> None:
    """What a smaller image would lose: a cut-out's area, and the shine that lost relief spread."""
    assert draft.size is not None
    if (
        draft.name == "opacity"
        and material.alpha_mode == "mask"
        and not any(step.kind == "coverage" for step in draft.steps)
    ):
        draft.steps.append(
            Step("coverage", "the cut keeps its area", {"cutoff": material.alpha_cutoff, "of": "cut"})
        )
    normal = material.inputs.get("normal")
    image = (
        reference.images.get(normal.texture.image)
        if normal is not None and normal.texture is not None
        else None
    )
    if (
        draft.name == "roughness"
        and normal is not None
        and normal.texture is not None
        and image is not None
        and image.usable
        and placement_of(normal) == placement_of(draft.given)
    ):
        smaller = draft.fitting(image, destination)
        if smaller[0] * smaller[1] < image.width * image.height:
            draft.steps.append(
                Step("widen", "widened by the relief that is lost", {"image": image.id, "to": list(smaller)})
            )


def _padding_step(draft: Draft, material: Material, reference: Scene, destination: Sheet) -> None:
    opacity = material.inputs.get("opacity")
    if (
        material.alpha_mode == "opaque"
        or not {"mask", "blend"} & set(destination.materials.alpha)
        or opacity is None
        or opacity.texture is None
        or placement_of(opacity) != placement_of(draft.given)
    ):
        return
    image = reference.images.get(opacity.texture.image)
    if image is not None and image.usable:
        draft.steps.append(Step("pad", "edges padded under what is cut away", {"image": image.id}))


AFTERWARDS = frozenset({"occlude", "see_through", "cut"})
"""Steps on an input as a whole: they stay when it is flattened or drawn anew."""


def _thin_wall(draft: Draft, material: Material, destination: Sheet) -> None:
    """A network is thin-walled or solid, without a number, and has one place for light under the surface and
    light let through.
    """
    if not speaks(destination, "openpbr"):
        return
    leaf = "diffuse_transmission" in material.inputs
    thin = leaf or ("transmission" in material.inputs and not is_solid(material))
    if draft.name == "thickness":
        draft.steps = [Step("value", "said as a solid", {"beside": True})]
        draft.size, draft.mark, draft.reason, draft.value = (
            None,
            "close",
            "A solid is said without a number; its thickness is that of its shape.",
            (),
        )
        draft.given = replace(draft.given, texture=None, factor=(1.0,))
    if (
        draft.name == "base_color"
        and draft.mark != "lost"
        and "transmission" in material.inputs
        and absorbs(material)
        and not is_default("base_color", draft.given)
    ):
        given = material.inputs["transmission"]
        draft.mark, draft.reason = "close", "OpenPBR does not tint glass that absorbs by its base colour."
        if given.texture is None and given.factor[0] >= WHOLE:
            draft.mark, draft.target, draft.size = "lost", "", None
    if (thin and draft.name in UNDER_THE_SURFACE) or (leaf and draft.name == "thickness"):
        draft.mark, draft.target, draft.size = "lost", "", None
        draft.reason = "OpenPBR has one place for light let through and light under the surface; the material is a thin sheet."


def _layers(draft: Draft, reference: Scene, destination: Sheet) -> None:
    """Layers and decals become one image: texel by texel where all lie alike, drawn into an atlas where they
    do not.
    """
    given = draft.given
    if not given.layers or draft.baked:
        return
    if draft.name in VECTORS or draft.name == "height":
        draft.mark, draft.reason = "close", "Layers of relief are not flattened; the lowest one travels."
        return
    held = [
        reference.images[t.image]
        for t in given.textures
        if t.image in reference.images and reference.images[t.image].usable
    ]
    if len(held) < len(given.textures):
        draft.mark, draft.reason, draft.target = (
            "blocked",
            "An image of one of its layers is missing or cannot be read. Relink it, or take the layer away.",
            "",
        )
        return
    if any(step.kind == "metal" for step in draft.steps):
        draft.mark, draft.reason = (
            "close",
            "Layers over diffuse and specular colours are not flattened; the lowest one travels.",
        )
        return
    # What is done to the whole input afterwards is done to the flattened one.
    after = [
        step
        for step in draft.steps
        if step.kind in AFTERWARDS or (step.kind == "pad" and layers.lie_alike(given))
    ]
    shaded = [draft.reason] if any(step.kind == "occlude" for step in after) else []
    count = len(given.layers)
    text = f"{count} layer{'s' if count > 1 else ''} flattened"
    draft.value = ()
    if layers.lie_alike(given):
        size = max(image.width for image in held), max(image.height for image in held)
        fitted = [draft.fitting(image, destination) for image in held]
        draft.size = max(w for w, _ in fitted), max(h for _, h in fitted)
        alike = all((image.width, image.height) == size for image in held)
        draft.steps = [Step("flatten", text, {"size": list(size)}), *after]
        draft.mark, draft.reason = (
            ("exact", "")
            if alike and not shaded
            else (
                "close",
                " ".join(
                    [
                        *shaded,
                        *(
                            []
                            if alike
                            else [
                                "Its images differ in size; the smaller ones are read between their texels."
                            ]
                        ),
                    ]
                ),
            )
        )
        if draft.size != size:
            draft.steps.append(
                Step(
                    "resize",
                    f"{size[0]} × {size[1]} to {draft.size[0]} × {draft.size[1]}",
                    {"from": list(size), "to": list(draft.size)},
                )
            )
            draft.mark, draft.reason = (
                "close",
                draft.reason or f"{destination.name} refuses the size; resampled in linear light.",
            )
        if given.texture is None:
            draft.given = replace(
                given,
                texture=replace(
                    given.layers[0].texture, channels="rgb" if INPUTS[draft.name].channels == 3 else "r"
                ),
            )
        return
    side = min(
        max(SIDE, *(2 ** (max(image.width, image.height) - 1).bit_length() for image in held)),
        MOST_SIDE,
        destination.images.largest or MOST_SIDE,
    )
    draft.steps = [Step("flatten", f"{text} into an atlas", {"bake": True, "how": "atlas"}), *after]
    draft.mark, draft.reason, draft.size = (
        "close",
        " ".join(
            [*shaded, "Its layers lie otherwise than what is below them; drawn into one image of its own."]
        ),
        (side, side),
    )


def _vertex_color(draft: Draft, material: Material, reference: Scene, destination: Sheet, wish: str) -> None:
    """Paint travels in the mesh where it multiplies, else it becomes an image: a palette where every face has
    one colour and no image is beside it, charts otherwise.
    """
    if not draft.given.vertex_color or not has_paint(reference, material.id):
        return
    if destination.materials.vertex_color == "multiplies" and wish in ("", "keep") and not draft.given.layers:
        draft.steps.append(Step("vertex_color", "vertex colour travels in the mesh", {"bake": False}))
        return
    layered = any(given.layers for given in material.inputs.values())
    colors = (
        palette_of(reference, material.id)
        if draft.given.texture is None and not layered and wish != "atlas"
        else None
    )
    draft.value, draft.mark, draft.reason = (), "exact", ""
    if colors is not None:
        side = palette_side(len(colors))
        draft.steps = [
            Step(
                "vertex_color",
                f"{len(colors)} flat colour{'s' if len(colors) > 1 else ''} made a palette",
                {"bake": True, "how": "palette"},
            )
        ]
        draft.size = (side, side)
        return
    draft.steps = [
        Step("vertex_color", "vertex colour made an image", {"bake": True, "how": "atlas"}),
        *(step for step in draft.steps if step.kind in AFTERWARDS),
    ]
    why = "A palette holds flat colours without an image only; paint" if wish == "palette" else "Paint"
    draft.mark, draft.reason = (
        "close",
        f"{why}{' and image' if draft.given.texture is not None else ''} drawn into an image of its own.",
    )
    draft.size = (SIDE, SIDE)
