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
from trasloco.fit.lights import delivered_light, emptied_by, travelling_lamps
from trasloco.fit.model import Crossing, LightCrossing, Mark, MeshCrossing, Passage
from trasloco.fit.moving import straightened_by
from trasloco.scene.model import Camera, Light, Material, Mesh, Scene, Tags
from trasloco.scene.tags import tags_words
from trasloco.sheets.model import Sheet


def passages_of(
    reference: Scene,
    destination: Sheet,
    crossings: list[Crossing],
    meshes: list[MeshCrossing],
    lights: list[LightCrossing],
    alpha: Mapping[str, str],
) -> list[Passage]:
    """Every passage of a reference to a destination."""
    return [
        *_parts(reference, destination, emptied_by(reference, travelling_lamps(reference, lights))),
        *_meshes(reference, destination, crossings, meshes),
        *_materials(reference, destination, alpha),
        *_lights(reference, destination, lights),
        *_cameras(reference, destination),
        *_motion(reference, destination),
        *_scene(reference, destination),
    ]


def _told(kind: str, item: str, aspect: str, kept: bool, text: str, lost: str) -> Passage:
    return Passage(kind, item, aspect, "exact" if kept else "lost", text if kept else lost)


def _parts(reference: Scene, destination: Sheet, emptied: frozenset[str]) -> Iterator[Passage]:
    rules = destination.structure
    shared = Counter(n.mesh for n in reference.nodes.values() if n.mesh)
    for node in reference.nodes.values():
        if node.id in emptied:
            continue  # stays behind with its lamp
        yield Passage("part", node.id, "place", "exact", "where it stands in the world, with its pivot")
        if node.parent is not None:
            yield _told(
                "part", node.id, "group", rules.groups, "in its group", f"{destination.name} keeps no groups."
            )
        if node.tags != Tags():
            yield Passage("part", node.id, "tags", "exact", tags_words(node.tags))
        if node.layers:
            yield _told(
                "part",
                node.id,
                "layers",
                rules.layers,
                ", ".join(node.layers),
                f"{destination.name} takes no layers.",
            )
        if node.payload.get("extras"):
            yield _told(
                "part",
                node.id,
                "properties",
                rules.properties,
                "custom properties",
                f"{destination.name} keeps no custom properties.",
            )
        if node.cloud:
            yield _told(
                "cloud",
                node.id,
                "points",
                rules.clouds,
                "as points and lines",
                f"{destination.name} takes no points or lines without faces.",
            )
        if node.mesh and shared[node.mesh] > 1:
            yield _told(
                "part",
                node.id,
                "instance",
                rules.instances,
                "one mesh for all that wear it",
                f"{destination.name} gives each part a mesh of its own.",
            )


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
    with_their_backs = with_backs(reference, backs_for(reference, destination)).meshes
    for mesh in reference.meshes.values():
        worn = {p.material for p in mesh.primitives}
        if mesh.id in wished:
            yield Passage("mesh", mesh.id, "faces", "close", wished[mesh.id].text)
        elif worn & backed:
            yield Passage("mesh", mesh.id, "faces", "close", "with faces of their own for backs")
        else:
            yield Passage("mesh", mesh.id, "faces", "exact", "every face in its slot, slots in order")
        if any(p.normals is not None for p in mesh.primitives):
            yield _following(wished.get(mesh.id), Passage("mesh", mesh.id, "normals", "exact", "as they are"))
        if any(p.uvs for p in mesh.primitives):
            yield _following(wished.get(mesh.id), Passage("mesh", mesh.id, "UVs", "exact", "as they are"))
        if any(p.tangents is not None for p in mesh.primitives):
            made = _told(
                "mesh",
                mesh.id,
                "tangents",
                rules.tangents,
                "as they are",
                f"{destination.name} makes tangents anew from the UVs.",
            )
            yield _following(wished.get(mesh.id), made)
        if mesh.morph_names or any(p.morphs for p in mesh.primitives):
            yield _told(
                "motion",
                mesh.id,
                "shapes",
                "shapes" in rules.motion,
                "every shape",
                f"{destination.name} knows no shapes; it stays at rest.",
            )
        if any(p.joints is not None for p in mesh.primitives):
            yield _told(
                "motion",
                mesh.id,
                "weights",
                "skins" in rules.motion,
                "weights of joints",
                f"{destination.name} knows no skins; it stays at rest.",
            )
        if mesh.payload.get("extras"):
            yield _told(
                "mesh",
                mesh.id,
                "properties",
                rules.properties,
                "custom properties",
                f"{destination.name} keeps no custom properties.",
            )
        if any(p.colors is not None for p in mesh.primitives):
            yield _colors(with_their_backs[mesh.id], reference, destination, drawn, wished.get(mesh.id))
        if any(p.variants for p in mesh.primitives):
            yield Passage(
                "mesh", mesh.id, "variants", "lost", f"{destination.name} takes one variant, the chosen one."
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


def _materials(reference: Scene, destination: Sheet, alpha: Mapping[str, str]) -> Iterator[Passage]:
    rules = destination.materials
    backs = {back.material: back.wears for back in backs_for(reference, destination)}
    for material in reference.materials.values():
        both = material.double_sided or material.back is not None
        if material.id in backs:
            yield Passage(
                "material",
                material.id,
                "sides",
                "close",
                "its back is faces of its own",
                stand_in=rules.two_sided == "always",
            )
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
        if mode == material.alpha_mode:
            yield Passage("material", material.id, "see-through", "exact", mode)
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
            kept = destination.structure.properties
            yield _told(
                "material",
                material.id,
                "properties",
                kept,
                "custom properties",
                f"{destination.name} keeps no custom properties.",
            )
        if material.payload.get("extensions"):
            names = ", ".join(sorted(material.payload["extensions"]))
            yield Passage("material", material.id, "extensions", "lost", f"Not understood: {names}.")


def _lights(reference: Scene, destination: Sheet, crossings: list[LightCrossing]) -> Iterator[Passage]:
    marks = {crossing.light: crossing for crossing in crossings}
    for node in reference.nodes.values():
        light = reference.lights.get(node.light or "")
        crossing = marks.get(node.light or "")
        if light is None or crossing is None:
            continue
        stand_in = delivered_light(light, destination) if crossing.mark != "lost" else None
        yield Passage(
            "light",
            node.id,
            "lamp",
            crossing.mark,
            crossing.text,
            stand_in=arriving_light(stand_in, destination),
        )
    for name, there in (("environment", reference.environment), ("backdrop", reference.backdrop)):
        if there is not None and name in marks:
            yield Passage("light", name, name, marks[name].mark, marks[name].text)
    if reference.probes:
        yield Passage(
            "light", "scene", "probes", "lost", "Light at places is written down anew for each destination."
        )
    for node in reference.nodes.values():
        if node.lightmap is not None:
            mark: Mark = "close" if destination.lightmaps.taken else "lost"
            text = (
                "passed on as the destination stores light"
                if destination.lightmaps.taken
                else f"{destination.name} takes no lightmaps."
            )
            yield Passage("light", node.id, "lightmap", mark, text)


def arriving_light(light: Light | None, destination: Sheet) -> Light | None:
    """A delivered light as far as its destination takes its size and its shadows."""
    if light is None:
        return None
    light = light if destination.lights.shadows else replace(light, shadows=True)
    if destination.lights.sizes or light.kind in ("rectangle", "disc"):
        return light
    return replace(light, angle_rad=0.0, radius_m=0.0)


def arriving_camera(camera: Camera, destination: Sheet) -> Camera:
    """A camera as its destination takes it; what is sharp everywhere has no sensor that could show."""
    lens = destination.cameras.lens
    return replace(camera, focus_m=camera.focus_m if lens else None, f_stop=camera.f_stop if lens else None)


def _cameras(reference: Scene, destination: Sheet) -> Iterator[Passage]:
    for node in reference.nodes.values():
        camera = reference.cameras.get(node.camera or "")
        if camera is None:
            continue
        sharp = camera.lens_radius_m > 0
        if sharp and not destination.cameras.lens:
            made = arriving_camera(camera, destination)
            yield Passage(
                "motion",
                node.id,
                "camera",
                "close",
                f"{destination.name} takes no focus: everything is sharp.",
                stand_in=made,
            )
        else:
            yield Passage(
                "motion",
                node.id,
                "camera",
                "exact",
                "place, angle and frame" + (", focus and f-stop" if sharp else ""),
            )


def _motion(reference: Scene, destination: Sheet) -> Iterator[Passage]:
    rules = destination.structure
    for skin in reference.skins.values():
        text = f"{len(skin.joints)} joints"
        yield _told(
            "motion",
            skin.id,
            "skin",
            "skins" in rules.motion,
            text,
            f"{destination.name} knows no skins; what wears it stays at rest.",
        )
    for clip in reference.clips.values():
        shapes = any(c.path == "weights" for c in clip.channels)
        places = any(c.path != "weights" for c in clip.channels)
        keys = sum(len(c.times_s) for c in clip.channels)
        if places:
            yield _clip(clip.id, "places", "places" in rules.motion, reference, destination, keys)
        if shapes:
            yield _clip(clip.id, "shapes", "shapes" in rules.motion, reference, destination, keys)
        if not clip.channels:
            yield Passage("motion", clip.id, "places", "lost", "It moves nothing, and stays behind.")
    if reference.frame_rate:
        kept = rules.frame_rate
        text = f"{reference.frame_rate:.6g} frames a second"
        yield _told(
            "motion", "scene", "frame rate", kept, text, f"{text} is not told there; keys keep their seconds."
        )


def _clip(id: str, aspect: str, kept: bool, reference: Scene, destination: Sheet, keys: int) -> Passage:
    if not kept:
        return Passage(
            "motion", id, aspect, "lost", f"{destination.name} does not play it; parts stay at rest."
        )
    if destination.structure.curves == "straight":
        bound = straightened_by(reference, reference.clips[id], aspect)
        if bound > 0:
            return Passage(
                "motion",
                id,
                aspect,
                "close",
                f"curves and steps as short straight lines, at most {bound:.2g} off",
                bound=bound,
            )
    return Passage("motion", id, aspect, "exact", f"{keys} keys at their seconds")


def _scene(reference: Scene, destination: Sheet) -> Iterator[Passage]:
    if reference.payload.get("extras"):
        kept = destination.structure.properties
        yield _told(
            "part",
            "scene",
            "properties",
            kept,
            "custom properties",
            f"{destination.name} keeps no custom properties.",
        )
