"""Passages of lamps, cameras and motion."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from trasloco.fit.in_the_world import carried_along, off_by
from trasloco.fit.lights import camera_told, delivered_light
from trasloco.fit.model import LightCrossing, Mark, Passage
from trasloco.fit.moving import straightened_by
from trasloco.fit.tree import Names
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet


def lights_passing(reference: Scene, destination: Sheet, crossings: list[LightCrossing]) -> Iterator[Passage]:
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
    rules = destination.cameras
    return replace(
        camera,
        focus_m=camera.focus_m if rules.lens else None,
        f_stop=camera.f_stop if rules.lens else None,
        shift=camera.shift if rules.shift else (0.0, 0.0),
    )


def cameras_passing(reference: Scene, destination: Sheet) -> Iterator[Passage]:
    for node in reference.nodes.values():
        camera = reference.cameras.get(node.camera or "")
        if camera is None:
            continue
        told, mark = camera_told(camera, destination)
        made = arriving_camera(camera, destination) if mark == "close" else None
        yield Passage("motion", node.id, "camera", mark, told, stand_in=made)


def motion_passing(reference: Scene, destination: Sheet, names: Names) -> Iterator[Passage]:
    rules = destination.structure
    for skin in reference.skins.values():
        text = f"{len(skin.joints)} joints"
        yield told_of(
            "motion",
            skin.id,
            "skin",
            "skins" in rules.motion,
            text,
            f"{destination.name} knows no skins; what wears it stays at rest.",
        )
    for node in reference.parts():
        if any(node.shape_weights):
            kept = "shapes" in rules.motion
            text = "as much on as they are" if kept else "in its points, where it stays"
            yield Passage("motion", node.id, "shapes at rest", "exact" if kept else "close", text)
    for clip in reference.clips.values():
        shapes = any(c.path == "weights" for c in clip.channels)
        places = any(c.path != "weights" for c in clip.channels)
        keys = sum(len(c.times_s) for c in clip.channels)
        if places:
            yield _clip(clip.id, "places", "places" in rules.motion, reference, destination, keys, names)
        if shapes:
            yield _clip(clip.id, "shapes", "shapes" in rules.motion, reference, destination, keys, names)
        if not clip.channels:
            yield Passage("motion", clip.id, "places", "lost", "It moves nothing, and stays behind.")
    if reference.frame_rate:
        kept = rules.frame_rate
        text = f"{reference.frame_rate:.6g} frames a second"
        yield told_of(
            "motion", "scene", "frame rate", kept, text, f"{text} is not told there; keys keep their seconds."
        )


def _clip(
    id: str, aspect: str, kept: bool, reference: Scene, destination: Sheet, keys: int, names: Names
) -> Passage:
    if not kept:
        return Passage(
            "motion", id, aspect, "lost", f"{destination.name} does not play it; parts stay at rest."
        )
    if aspect == "places" and not destination.structure.groups:
        if not carried_along(reference, reference.clips[id]) & names.parts.keys():
            return Passage("motion", id, aspect, "lost", "Nothing that it moves travels.")
        bound = off_by(reference, reference.clips[id], names.parts)
        return Passage(
            "motion",
            id,
            aspect,
            "close",
            f"in the world at every frame, at most {bound:.2g} off",
            bound=bound,
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


def told_of(kind: str, item: str, aspect: str, kept: bool, text: str, lost: str) -> Passage:
    return Passage(kind, item, aspect, "exact" if kept else "lost", text if kept else lost)
