"""What becomes of materials beside their inputs, where each stays a material."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from trasloco.fit.geometry.backs import backs_for
from trasloco.fit.model import Passage
from trasloco.fit.passages_beside import told_of
from trasloco.fit.tree import Names
from trasloco.scene.model import Scene
from trasloco.sheets.layouts import has_geometry
from trasloco.sheets.model import Sheet


def called(id: str, kind: str, name: str) -> Passage:
    """What is called otherwise at the destination."""
    return Passage(kind, id, "name", "close", f"called {name} there", stand_in=name)


def materials_passing(
    reference: Scene, destination: Sheet, alpha: Mapping[str, str], names: Names
) -> Iterator[Passage]:
    """Names, sides, see-through, light and words of every material."""
    rules = destination.materials
    backs = {back.material: back.wears for back in backs_for(reference, destination)}
    for material in reference.materials.values():
        both = material.double_sided or material.back is not None
        faces = has_geometry(destination) or material.back is None
        if destination.structure.slots == "none":
            text = f"{destination.name} has no materials; what it shows of them is on the points."
            yield Passage("material", material.id, "name", "lost", text)
        elif names.materials[material.id] != material.name:
            yield called(material.id, "material", names.materials[material.id])
        if material.id in backs:
            yield Passage(
                "material",
                material.id,
                "sides",
                "close",
                "its back is faces of its own",
                stand_in=rules.two_sided == "always",
            )
        elif not faces:
            text = "Its back wears another material on faces of its own, and the meshes stand there already."
            both = rules.two_sided == "always" or material.double_sided
            yield Passage("material", material.id, "sides", "close", text, stand_in=both)
        elif rules.two_sided == "always" and not both:
            yield Passage(
                "material",
                material.id,
                "sides",
                "close",
                f"{destination.name} draws both sides of every face.",
                stand_in=True,
            )
        elif rules.two_sided == "never" and both:
            yield Passage(
                "material",
                material.id,
                "sides",
                "lost",
                f"{destination.name} draws one side only.",
                stand_in=False,
            )
        else:
            yield Passage("material", material.id, "sides", "exact", "both" if both else "the front")
        mode = alpha.get(material.id, material.alpha_mode)
        if mode == "mask" and rules.cut_at == "half" and material.alpha_cutoff != 0.5:
            text = "cut at one half, where its image was written anew"
            yield Passage("material", material.id, "see-through", "close", text, stand_in=mode)
        elif mode == material.alpha_mode:
            yield Passage("material", material.id, "see-through", "exact", mode)
        elif mode == "opaque" and rules.cut_at == "half" and "mask" in rules.alpha:
            text = "nothing says where it is open; drawn solid"
            yield Passage("material", material.id, "see-through", "lost", text, stand_in=mode)
        elif mode == "opaque":
            yield Passage(
                "material",
                material.id,
                "see-through",
                "lost",
                f"{destination.name} draws it solid.",
                stand_in=mode,
            )
        else:
            yield Passage(
                "material",
                material.id,
                "see-through",
                "close",
                f"{material.alpha_mode} becomes {mode}",
                stand_in=mode,
            )
        if material.unlit:
            yield Passage(
                "material", material.id, "without light", "lost", f"{destination.name} lights everything."
            )
        if material.payload.get("extras"):
            kept = destination.structure.properties and has_geometry(destination)
            yield told_of(
                "material",
                material.id,
                "properties",
                kept,
                "custom properties",
                f"{destination.name} keeps no custom properties.",
            )
        if material.payload.get("extensions"):
            told = ", ".join(sorted(material.payload["extensions"]))
            yield Passage("material", material.id, "extensions", "lost", f"Not understood: {told}.")
