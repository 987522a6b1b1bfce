"""Mends: decisions carried out on a settled scene. Each is a small function scene -> scene; this is the table of them all.

They are carried out stage by stage, since some change what others count by: what is chosen, then faces by their numbers as received, then
what is dropped and made anew, then places, then slots, then names. Within a stage the order is that of the decisions.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from trasloco.inventory.conventions import settle
from trasloco.inventory.decisions import check_decision, in_force
from trasloco.inventory.mends import choice, colors, diagonals, faces, inventing, lamps, materials, places, skies, slots
from trasloco.inventory.mends.looks import with_looks
from trasloco.inventory.whole_inputs import whole_input
from trasloco.scene.model import Decision, Scene
from trasloco.sheets.model import Sheet

Mending = Callable[[Scene, str, Any], Scene]


def _include(scene: Scene, target: str, value: Any) -> Scene:
    """A part, a clip or an input left out."""
    act = choice.include if target in scene.nodes else choice.clip_included if target in scene.clips else materials.input_included
    return act(scene, target, value)


STAGES: tuple[dict[str, Mending], ...] = (
    {"variant": choice.variant, "pose_from": places.pose_from, "swap": choice.swap, "use_material": choice.use_material, "relink": materials.relink},
    {"turn_faces": faces.turn_faces, "faces_slot": slots.faces_slot},
    {"unify_faces": faces.unify_faces, "vertex_color": faces.strip_vertex_color, "new_id_colors": slots.new_id_colors, "even_weights": faces.even_weights, "drop_broken_keys": places.drop_broken_keys},
    {"drop_degenerate": faces.drop_degenerate, "drop_doubles": faces.drop_doubles, "weld": faces.weld, "diagonals": diagonals.diagonals},
    {"normals_angle": faces.normals_angle, "drop_tangents": faces.drop_tangents, "near_uvs": faces.near_uvs, "make_uvs": faces.make_uvs, "box_uvs": faces.box_uvs},
    {"daylight": skies.daylight},
    {"slots_from": slots.slots_from, "turn_rad": materials.environment_field("turn_rad"), "level": materials.environment_field("level")},
    {"tilt_rad": skies.tilt, "tint": skies.tint},
    {"sun_out": skies.sun_out},
    {"panels": skies.panels, "received_light": skies.received_light, "lamp": lamps.lamp},
    {"backdrop": lamps.backdrop},
    {
        "image": materials.input_image, "input": whole_input, "encoding": materials.texture_space, "placed_like": materials.placed_like, "back": materials.back, "strength": materials.texture_field("strength", float), "green_up": materials.texture_field("green_up", bool), "invert": materials.texture_field("invert", bool), "factor": materials.input_factor,
        "alpha_mode": materials.material_field("alpha_mode"), "alpha_cutoff": materials.material_field("alpha_cutoff"), "double_sided": materials.material_field("double_sided"), "right_extension": materials.right_extension,
        "enabled": materials.light_field("enabled"), "intensity": materials.light_field("intensity"), "kelvin": materials.light_kelvin, "focus_m": materials.camera_field("focus_m"), "f_stop": materials.camera_field("f_stop"), "yfov_deg": materials.camera_field("yfov_rad", math.radians), "aspect": materials.camera_field("aspect"), "shadows": materials.light_field("shadows"), "opening": lamps.opening, "angle_deg": lamps.size("angle_deg"), "width_m": lamps.size("width_m"), "height_m": lamps.size("height_m"), "radius_m": lamps.size("radius_m"),
    },
    {"layers": materials.layers, "factor_like": materials.factor_like},
    {"paint": colors.paint, "invent_relief": inventing.invent_relief},
    {"strength": inventing.depth},
    {"freeze": places.freeze, "parent": places.parent, "place": places.place, "center_pivot": places.center_pivot, "apply_transform": places.apply_transform, "stand_on_ground": places.part_stands},
    {"scale": places.scale, "recentre": places.recentre, "move_m": places.move_m, "stand_on_ground": places.stand_on_ground},
    {"lamp": lamps.lamp_stands, "stand": lamps.stand},
    {"merge_into": slots.merge_into},
    {"only": choice.only, "leave_out": choice.leave_out, "include": _include, "geometry_only": choice.geometry_only},
    {"name": materials.name, "surface": places.tag("surface"), "collision": places.tag("collision"), "still": places.tag("still"), "casts_shadow": places.tag("casts_shadow")},
    {"join": slots.join},
)


def mended(scene: Scene, source: Sheet, decisions: Sequence[Decision]) -> Scene:
    """The reference: the received scene settled into neutral terms, with every decision carried out.

    Raises:
        Refused: a decision names a value that cannot be.
    """
    for decision in decisions:
        check_decision(decision)
    scene = settle(scene, source, decisions)
    kept = {d.target for d in decisions if d.field == "include" and d.value is True}
    holding = in_force(with_looks(decisions))
    for stage in STAGES:
        for decision in holding:
            target, field = decision.target, decision.field
            mend = stage.get(field)
            if mend is not None and (_is_there(scene, target) or field == "lamp"):
                before = scene
                scene = mend(scene, target, decision.value)
                if field in ("leave_out", "only"):
                    scene = replace(scene, nodes={id: before.nodes[id] if id in kept else scene.nodes.get(id, node) for id, node in before.nodes.items() if id in kept or id in scene.nodes})
    return scene


def _is_there(scene: Scene, target: str) -> bool:
    groups = (scene.nodes, scene.images, scene.lights, scene.materials, scene.clips, scene.cameras)
    return target in ("scene", "environment") or "/" in target or any(target in group for group in groups)


def keep_used(scene: Scene) -> Scene:
    """Drop materials and meshes that no part uses, and lights, cameras, points and lines whose node was left out."""
    meshes = {node.mesh for node in scene.nodes.values() if node.mesh}
    materials = {p.material for id in meshes for p in scene.meshes[id].primitives}
    materials |= {scene.materials[m].back for m in materials if m is not None and m in scene.materials}
    lights = {node.light for node in scene.nodes.values()}
    cameras = {node.camera for node in scene.nodes.values()}
    clouds = {node.cloud for node in scene.nodes.values()}
    return replace(
        scene, meshes={k: v for k, v in scene.meshes.items() if k in meshes}, materials={k: v for k, v in scene.materials.items() if k in materials},
        lights={k: v for k, v in scene.lights.items() if k in lights}, cameras={k: v for k, v in scene.cameras.items() if k in cameras},
        clouds={k: v for k, v in scene.clouds.items() if k in clouds},
    )
