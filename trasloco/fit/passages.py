"""What becomes of everything beside material inputs: parts, groups, instances, meshes, colours, skins,
motion, cameras, lamps and words.

One passage for each thing and aspect that the reference holds, promised before anything is written.
:mod:`trasloco.accounts` holds them to it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import replace

import numpy as np

from trasloco.fit.geometry.backs import backs_for, with_backs
from trasloco.fit.lights import emptied_by, travelling_lamps
from trasloco.fit.model import Crossing, LightCrossing, MeshCrossing, Passage
from trasloco.fit.on_points import written_materials
from trasloco.fit.one_set import kept_sets
from trasloco.fit.passages_beside import cameras_passing, lights_passing, motion_passing, told_of
from trasloco.fit.passages_of_materials import called, materials_passing
from trasloco.fit.together.between import one_a_part
from trasloco.fit.together.passages import materials_together
from trasloco.fit.tree import Names, left_behind, names_there, shape_names
from trasloco.meshes.obstacles import SHAPES
from trasloco.scene.joining import joined_slots
from trasloco.scene.model import Material, Mesh, Scene, Tags
from trasloco.scene.tags import tags_words
from trasloco.sheets.layouts import has_geometry, in_one_piece
from trasloco.sheets.model import Sheet


def passages_of(
    reference: Scene,
    destination: Sheet,
    crossings: list[Crossing],
    meshes: list[MeshCrossing],
    lights: list[LightCrossing],
    alpha: Mapping[str, str],
) -> list[Passage]:
    """Every passage of a reference to a destination. ``alpha`` is the see-through of each material there,
    before any are drawn together.
    """
    travelling = travelling_lamps(reference, lights)
    if not has_geometry(destination):
        names = names_there(reference, destination, ())
        return list(materials_passing(reference, destination, alpha, names))
    behind = left_behind(reference, destination, travelling)
    names = names_there(reference, destination, behind)
    backed = {back.material for back in backs_for(reference, destination)}
    changed = {crossing.mesh for crossing in meshes} | {
        mesh.id for mesh in reference.meshes.values() if any(p.material in backed for p in mesh.primitives)
    }
    return [
        *_parts(reference, destination, emptied_by(reference, travelling), names, changed),
        *_meshes(reference, destination, crossings, meshes),
        *(
            materials_together(reference, destination, alpha, crossings)
            if one_a_part(destination)
            else materials_passing(reference, destination, alpha, names)
        ),
        *lights_passing(reference, destination, lights),
        *cameras_passing(reference, destination),
        *motion_passing(reference, destination, names),
        *_scene(reference, destination),
    ]


def _parts(
    reference: Scene, destination: Sheet, emptied: frozenset[str], names: Names, changed: set[str]
) -> Iterator[Passage]:
    """``changed`` are meshes that do not arrive with the faces they have."""
    rules = destination.structure
    shared = Counter(n.mesh for n in reference.nodes.values() if n.mesh)
    on = {
        n.mesh
        for n in reference.parts()
        if any(n.shape_weights) and "shapes" not in rules.motion and shared[n.mesh or ""] > 1
    }
    for node in reference.nodes.values():
        if node.id in emptied:
            continue  # stays behind with its lamp
        if node.id not in names.parts:
            yield Passage("part", node.id, "place", "lost", f"{destination.name} keeps no groups.")
            if node.cloud:
                text = f"{destination.name} takes no points or lines without faces."
                yield Passage("cloud", node.id, "points", "lost", text)
            continue
        if names.parts[node.id] != node.name:
            yield called(node.id, "part", names.parts[node.id])
        if in_one_piece(destination):
            text = "its faces lie where they lay, in one piece with all others"
            yield Passage("part", node.id, "place", "lost", text)
            continue
        if rules.pivots:
            yield Passage("part", node.id, "place", "exact", "where it stands in the world, with its pivot")
        else:
            text = "its points stand where they stood; it turns about the middle of the world"
            yield Passage("part", node.id, "place", "close", text)
        if node.parent is not None:
            yield told_of(
                "part", node.id, "group", rules.groups, "in its group", f"{destination.name} keeps no groups."
            )
        if node.tags != Tags():
            yield told_of(
                "part",
                node.id,
                "tags",
                rules.properties,
                tags_words(node.tags),
                f"{destination.name} keeps no words on parts.",
            )
        if rules.obstacles == "shapes" and node.mesh and node.tags.collision in SHAPES:
            told = "as shapes beside it that are not drawn"
            yield Passage("part", node.id, "obstacle", "close" if node.mesh in changed else "exact", told)
        if node.layers:
            yield told_of(
                "part",
                node.id,
                "layers",
                rules.layers,
                ", ".join(node.layers),
                f"{destination.name} takes no layers.",
            )
        if node.payload.get("extras"):
            yield told_of(
                "part",
                node.id,
                "properties",
                rules.properties,
                "custom properties",
                f"{destination.name} keeps no custom properties.",
            )
        if node.cloud:
            yield told_of(
                "cloud",
                node.id,
                "points",
                rules.clouds,
                "as points and lines",
                f"{destination.name} takes no points or lines without faces.",
            )
        if node.mesh in on:
            text = f"{destination.name} knows no shapes; what is on goes into a mesh of its own."
            yield Passage("part", node.id, "instance", "close", text)
        elif node.mesh and shared[node.mesh] > 1:
            yield told_of(
                "part",
                node.id,
                "instance",
                rules.instances,
                "one mesh for all that wear it",
                f"{destination.name} gives each part a mesh of its own.",
            )


_JOINED = {
    "by material": "every face; slots of one material become one",
    "one a part": "every face, in one slot",
    "none": "every face, without slots",
}


def _meshes(
    reference: Scene, destination: Sheet, crossings: list[Crossing], shaped: list[MeshCrossing]
) -> Iterator[Passage]:
    rules = destination.structure
    wished = {crossing.mesh: crossing for crossing in shaped}
    backed = {back.material for back in backs_for(reference, destination)}
    drawn = {
        c.material
        for c in crossings
        if any(step.settings.get("bake") for step in c.steps) and c.given.vertex_color
    }
    together = one_a_part(destination)
    one_set = kept_sets(crossings) if rules.uv_sets == "one" else {}
    with_their_backs = with_backs(reference, backs_for(reference, destination)).meshes
    for mesh in reference.meshes.values():
        worn = {p.material for p in mesh.primitives}
        if mesh.id in wished:
            yield Passage("mesh", mesh.id, "faces", "close", wished[mesh.id].text)
        elif worn & backed:
            yield Passage("mesh", mesh.id, "faces", "close", "with faces of their own for backs")
        elif len(joined_slots(mesh.primitives, rules.slots)) < len(
            [p for p in mesh.primitives if len(p.indices)]
        ):
            yield Passage("mesh", mesh.id, "faces", "close", _JOINED[rules.slots])
        else:
            yield Passage("mesh", mesh.id, "faces", "exact", "every face in its slot, slots in order")
        if any(p.normals is not None for p in mesh.primitives):
            flat = f"{destination.name} draws every face flat."
            directed = told_of("mesh", mesh.id, "normals", rules.normals, "as they are", flat)
            yield _following(wished.get(mesh.id), directed)
        if any(p.uvs for p in mesh.primitives):
            new = any(one_set.get(p.material or "", 0) is None for p in mesh.primitives)
            fewer = rules.uv_sets == "one" and (new or any(len(p.uvs) > 1 for p in mesh.primitives))
            laid = (
                Passage("mesh", mesh.id, "UVs", "close", "one new UV set that everything is drawn over")
                if together
                else Passage("mesh", mesh.id, "UVs", "close", "the one UV set that its images lie on")
                if fewer
                else told_of(
                    "mesh",
                    mesh.id,
                    "UVs",
                    rules.uv_sets != "none",
                    "as they are",
                    f"{destination.name} has no UVs.",
                )
            )
            yield _following(wished.get(mesh.id), laid)
        if any(p.tangents is not None for p in mesh.primitives):
            made = told_of(
                "mesh",
                mesh.id,
                "tangents",
                rules.tangents and rules.normals and not together,
                "as they are",
                f"{destination.name} makes tangents anew from the UVs.",
            )
            yield _following(wished.get(mesh.id), made)
        if mesh.morph_names or any(p.morphs for p in mesh.primitives):
            yield told_of(
                "motion",
                mesh.id,
                "shapes",
                "shapes" in rules.motion,
                "every shape"
                if shape_names(mesh, destination) == mesh.morph_names
                else f"every shape, called {', '.join(shape_names(mesh, destination)[:3])} there",
                f"{destination.name} knows no shapes; it stays at rest.",
            )
        if any(p.joints is not None for p in mesh.primitives):
            yield told_of(
                "motion",
                mesh.id,
                "weights",
                "skins" in rules.motion,
                "weights of joints",
                f"{destination.name} knows no skins; it stays at rest.",
            )
        if mesh.payload.get("extras"):
            yield told_of(
                "mesh",
                mesh.id,
                "properties",
                rules.properties,
                "custom properties",
                f"{destination.name} keeps no custom properties.",
            )
        on_points = written_materials(crossings).keys() & worn
        if together and any(p.colors is not None for p in mesh.primitives):
            text = "drawn into an image where the source shows them"
            yield Passage("color", mesh.id, "vertex colours", "close", text, stand_in="drawn")
        elif on_points:
            text = (
                "with the base colour in them"
                if any(p.colors is not None for p in mesh.primitives)
                else "the base colour"
            )
            yield Passage("color", mesh.id, "vertex colours", "close", text, stand_in="written")
        elif any(p.colors is not None for p in mesh.primitives):
            yield _colors(with_their_backs[mesh.id], reference, destination, drawn, wished.get(mesh.id))
        if any(p.variants for p in mesh.primitives):
            worn_too = {id for p in mesh.primitives for id in p.variants.values()}
            names = [n for n in reference.variants if any(n in p.variants for p in mesh.primitives)]
            yield told_of(
                "mesh",
                mesh.id,
                "variants",
                rules.variants and worn_too <= reference.materials.keys(),
                ", ".join(names[:4]) or "every variant",
                f"{destination.name} takes one variant, the chosen one.",
            )


def _following(shaped: MeshCrossing | None, passage: Passage) -> Passage:
    """What is said of a mesh that is reduced or subdivided is at best close."""
    return (
        passage
        if shaped is None or passage.mark != "exact"
        else replace(passage, mark="close", text="as far as the faces go that are left")
    )


def unread_colors(material: Material | None) -> bool:
    """Whether the source passes over the vertex colours of what wears a material."""
    base = material.inputs.get("base_color") if material is not None else None
    return not (base is not None and base.vertex_color)


def dropped_colors(reference: Scene, destination: Sheet, material: str | None) -> bool:
    """Whether colours that the source passes over have to stay behind, since the destination would multiply
    them in.
    """
    return destination.materials.vertex_color == "multiplies" and unread_colors(
        reference.materials.get(material or "")
    )


def _colors(
    mesh: Mesh, reference: Scene, destination: Sheet, drawn: set[str], shaped: MeshCrossing | None
) -> Passage:
    held = [p for p in mesh.primitives if p.colors is not None]
    if not destination.structure.colors and not all(p.material in drawn for p in held):
        text = f"{destination.name} has no place for them."
        return Passage("color", mesh.id, "vertex colours", "lost", text, stand_in="dropped")
    if all(p.material in drawn for p in held):
        return Passage("color", mesh.id, "vertex colours", "close", "drawn into an image", stand_in="drawn")
    if any(p.material in drawn for p in held):
        return Passage(
            "color",
            mesh.id,
            "vertex colours",
            "close",
            "drawn into an image where the source shows them",
            stand_in="some drawn",
        )
    if any(dropped_colors(reference, destination, p.material) and _colored(p.colors) for p in held):
        text = f"The source passes over them; {destination.name} would multiply them in. They stay behind."
        return Passage("color", mesh.id, "vertex colours", "lost", text, stand_in="some dropped")
    return _following(
        shaped, Passage("color", mesh.id, "vertex colours", "exact", "in the mesh, with their alpha")
    )


def _colored(colors: object) -> bool:
    return bool((np.asarray(colors) != 1).any())


def _scene(reference: Scene, destination: Sheet) -> Iterator[Passage]:
    if reference.payload.get("extras"):
        kept = destination.structure.properties
        yield told_of(
            "part",
            "scene",
            "properties",
            kept,
            "custom properties",
            f"{destination.name} keeps no custom properties.",
        )
