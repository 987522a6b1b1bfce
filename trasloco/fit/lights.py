"""What becomes of lights, of what surrounds the scene, and of cameras; and occlusion that would count twice."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from trasloco.fit.model import LightCrossing, Mark
from trasloco.light.kinds import hard_edged, nearest_kind
from trasloco.scene.light_units import UNITS
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Material, Scene
from trasloco.sheets.layouts import has_geometry
from trasloco.sheets.model import Sheet

_HARD = 1e-3


def soft(light: Light, than: Light | None = None) -> bool:
    """Whether a sun is seen wider, or a point or spot is a larger ball, than another light, or than what
    throws hard shadows: a milliradian, a millimetre.
    """
    if light.kind == "sun":
        return light.angle_rad - (than.angle_rad if than is not None else 0.0) > _HARD
    ball = light.kind in ("point", "spot")
    return ball and light.radius_m - (than.radius_m if than is not None else 0.0) > _HARD


def cameras_of(reference: Scene, destination: Sheet) -> list[LightCrossing]:
    """What becomes of every camera."""
    return [
        LightCrossing(camera.id, *camera_told(camera, destination)) for camera in reference.cameras.values()
    ]


def camera_told(camera: Camera, destination: Sheet) -> tuple[str, Mark]:
    """What of a camera arrives, and how well."""
    name, rules = destination.name, destination.cameras
    if not rules.taken:
        return f"{name} takes no cameras.", "lost"
    sharp, shifted = camera.lens_radius_m > 0, any(camera.shift)
    without = []
    if sharp and not rules.lens:
        without.append("no focus: everything is sharp")
    if shifted and not rules.shift:
        without.append("no shifted frame: it looks at its middle")
    if without:
        return f"{name} takes {', and '.join(without)}.", "close"
    brings = ["place, angle and frame"]
    brings += ["focus and f-stop"] if sharp else []
    brings += ["shift"] if shifted else []
    return ", ".join(brings), "exact"


def delivered_light(light: Light, destination: Sheet) -> Light | None:
    """A light as the destination takes it; None where no kind of it is near."""
    made = nearest_kind(light, destination.lights.kinds)
    return hard_edged(made) if made is not None and _loses_its_edge(made, destination) else made


def _loses_its_edge(light: Light, destination: Sheet) -> bool:
    return (
        light.kind == "spot"
        and destination.lights.cone == "outer only"
        and light.inner_cone_rad < light.outer_cone_rad - 1e-3
    )


def lights_of(reference: Scene, destination: Sheet) -> list[LightCrossing]:
    """What becomes of every light and of the environment; none where looks travel alone."""
    if not has_geometry(destination):
        return []
    taken = 0
    found: list[LightCrossing] = []
    rules = destination.lights
    for light in (one for one in reference.lights.values() if one.opening):
        found.append(LightCrossing(light.id, "an opening: it shines nothing and stays behind", "lost"))
    for light in (one for one in reference.lights.values() if not one.enabled and not one.opening):
        found.append(LightCrossing(light.id, "It is off, and stays behind.", "lost"))
    for light in sorted(
        (one for one in reference.lights.values() if one.enabled and not one.opening),
        key=lambda item: -item.intensity,
    ):
        unit = UNITS[light.kind][0]
        stand_in = delivered_light(light, destination)
        if stand_in is None:
            found.append(LightCrossing(light.id, f"{destination.name} takes no {light.kind} lights.", "lost"))
        elif rules.most and taken >= rules.most:
            found.append(
                LightCrossing(
                    light.id, f"{destination.name} takes {rules.most}; a stronger one was carried.", "lost"
                )
            )
        elif stand_in.kind != light.kind:
            taken += 1
            found.append(
                LightCrossing(
                    light.id,
                    f"as a {stand_in.kind} of {stand_in.intensity:.4g} cd, as much light in all",
                    "close",
                )
            )
        elif _loses_its_edge(light, destination):
            taken += 1
            found.append(
                LightCrossing(
                    light.id, f"{stand_in.intensity:.4g} cd with a hard edge, as much light in all", "close"
                )
            )
        elif not light.shadows and not rules.shadows:
            taken += 1
            found.append(
                LightCrossing(
                    light.id,
                    f"{light.intensity:g} {unit}; {destination.name} cannot be told that it casts no shadows",
                    "close",
                )
            )
        elif soft(light) and not rules.sizes:
            taken += 1
            found.append(
                LightCrossing(
                    light.id, f"{light.intensity:g} {unit}; its shadows arrive with hard edges", "close"
                )
            )
        else:
            taken += 1
            found.append(
                LightCrossing(light.id, f"{light.intensity:g} {unit}, unit and shadows stated", "exact")
            )
    if reference.backdrop is not None:
        found.append(
            LightCrossing(
                "backdrop",
                "picture, level and turn carried"
                if rules.backdrop
                else f"{destination.name} takes no backdrop of its own; the proof shows the reference's on both sides.",
                "exact" if rules.backdrop else "lost",
            )
        )
    if reference.environment is not None:
        found.append(
            LightCrossing(
                "environment",
                "picture, level and turn carried"
                if rules.environment
                else f"{destination.name} takes no environment; the proof lights both sides by the reference's.",
                "exact" if rules.environment else "lost",
            )
        )
    return found


def occluded_twice(reference: Scene, destination: Sheet) -> list[Material]:
    """Materials that bring an occlusion image to a destination that counts it, for when light is written down
    as well: what is hidden is dark in that light already.
    """
    rules = destination.materials
    if rules.set_of("occlusion") is None and not rules.occlusion_multiplied:
        return []
    return [
        m
        for m in reference.materials.values()
        if "occlusion" in m.inputs and m.inputs["occlusion"].texture is not None
    ]


def travelling_lamps(scene: Scene, crossings: Iterable[LightCrossing]) -> frozenset[str]:
    """Lights that arrive: on, no openings, and not lost."""
    kept = {crossing.light for crossing in crossings if crossing.mark != "lost"}
    return frozenset(
        id for id, light in scene.lights.items() if id in kept and light.enabled and not light.opening
    )


def emptied_by(scene: Scene, travelling: Collection[str]) -> frozenset[str]:
    """Nodes that held a lamp which stays behind and hold nothing else: no part of a rig or of motion, no
    children but such as these. They stay behind with it.
    """
    needed = {joint for skin in scene.skins.values() for joint in skin.joints} | {
        channel.node for clip in scene.clips.values() for channel in clip.channels
    }
    bare = {
        n.id
        for n in scene.nodes.values()
        if n.light is not None
        and n.light not in travelling
        and n.mesh is None
        and n.camera is None
        and n.id not in needed
    }
    parents = {n.id: n.parent for n in scene.nodes.values()}
    for id in parents:
        if id not in bare:
            # Whatever stays needs all that is above it.
            above = parents[id]
            while above is not None and above in bare:
                bare.discard(above)
                above = parents[above]
    return frozenset(bare)
