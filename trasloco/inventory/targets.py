"""Whom a decision is about: which kinds of thing each field can be decided for, and whether the thing is there and can take it.

A decision that nothing would read is refused when it is made. One that stopped applying later, after a revision, is left alone.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from trasloco.errors import Refused
from trasloco.inventory.mends.lamps import SIZES
from trasloco.scene.inputs import INPUTS
from trasloco.scene.model import Decision, Scene

_OF: Mapping[str, tuple[str, ...]] = {
    "scene": ("unit_m", "up_axis", "vertex_color_encoding", "scale", "move_m", "recentre", "stand_on_ground", "variant", "pose_from", "freeze", "leave_out", "only", "geometry_only", "join"),
    "environment": ("turn_rad", "level", "tilt_rad", "tint", "daylight", "sun_out", "panels", "backdrop"),
    "proof": ("ev100", "views", "limits", "effects"),
    "lightmaps": ("lightmaps", "paths", "bounces", "bake_seconds", "lightmap_mib", "denoised", "stitched", "directed", "matters"),
    "part": (
        "turn_faces", "unify_faces", "drop_degenerate", "drop_doubles", "weld", "diagonals", "normals_angle", "drop_tangents", "near_uvs", "make_uvs", "box_uvs", "vertex_color", "new_id_colors", "even_weights",
        "slots_from", "faces_slot", "center_pivot", "apply_transform", "place", "stand_on_ground", "parent", "swap", "include", "name", "surface", "collision", "still", "casts_shadow", "triangles", "subdivide",
        "texels_per_metre", "receives", "received_light",
    ),
    "group": ("parent", "include", "name", "still", "casts_shadow", "surface", "collision"),
    "light": ("enabled", "intensity", "kelvin", "shadows", "opening", "angle_deg", "width_m", "height_m", "radius_m", "lamp", "stand", "name"),
    "camera": ("focus_m", "f_stop", "yfov_deg", "aspect", "name"),
    "material": ("alpha_mode", "alpha_cutoff", "double_sided", "back", "invent_relief", "use_material", "merge_into", "paint", "largest_side", "name", "received_light"),
    "image": ("relink", "right_extension", "name"),
    "clip": ("include", "drop_broken_keys", "name"),
    "input": ("image", "input", "encoding", "placed_like", "strength", "green_up", "invert", "factor", "factor_like", "layers", "include"),
}
_WORDS = {
    "scene": "the scene", "environment": "the environment", "proof": "the proof", "lightmaps": "the lightmaps", "part": "a part", "group": "a group", "light": "a light", "camera": "a camera", "material": "a material", "image": "an image", "clip": "a clip", "input": "an input of a material",
}
_ANYTHING = frozenset({"accept", "meant"})
_NEEDS_IMAGE = frozenset({"encoding", "placed_like", "strength", "green_up", "invert"})


def check_targets(decisions: Sequence[Decision], *scenes: Scene) -> None:
    """Nothing when each decision is about something that one of the scenes holds (as received, before and after) and that can take it.

    Raises:
        Refused: nothing of that name, a field that is not decided for such a thing, or a value that names nothing.
    """
    for decision in decisions:
        if decision.field in _ANYTHING:
            continue
        kinds = {kind for scene in scenes for kind in _kinds_of(scene, decision.target)}
        takers = [kind for kind, fields in _OF.items() if decision.field in fields]
        if decision.field == "lamp" and decision.target.startswith("light:"):
            continue  # a light that is added
        if not kinds:
            raise Refused("There is no such thing in this move.", f"{decision.target}, {decision.field}", "Reload the page; it may have left with a change made elsewhere.")
        if not kinds & set(takers):
            raise Refused(f"That cannot be decided for {_WORDS[min(kinds)]}.", f"{decision.target}, {decision.field}", f"Decide it for {' or '.join(_WORDS[kind] for kind in takers) or 'nothing'}.")
        _can_take(decision, scenes)


def _kinds_of(scene: Scene, target: str) -> list[str]:
    if target in ("scene", "environment", "proof", "lightmaps"):
        return [target]
    if target in scene.nodes:
        node = scene.nodes[target]
        return ["part"] if node.mesh is not None else ["group"]
    groups = (("light", scene.lights), ("camera", scene.cameras), ("material", scene.materials), ("image", scene.images), ("clip", scene.clips))
    found = [kind for kind, held in groups if target in held]
    material, _, name = target.rpartition("/")
    return [*found, "input"] if material in scene.materials and name in INPUTS else found


def _can_take(decision: Decision, scenes: Sequence[Scene]) -> None:
    """What the thing itself has to have, and what the value has to name."""
    target, field, value = decision.target, decision.field, decision.value
    where = f"{target}, {field}"
    if field in SIZE_FIELDS and not any(target in s.lights and field in SIZES.get(s.lights[target].kind, ()) for s in scenes):
        raise Refused("A light of this kind has no such size.", where, "Set the size that it has, or choose another kind of light.")
    if field in _NEEDS_IMAGE:
        material, _, name = target.rpartition("/")
        if not any((given := m.inputs.get(name)) is not None and (given.texture is not None or given.layers) for s in scenes if (m := s.materials.get(material)) is not None):
            raise Refused("This input has no image.", where, "Choose an image for it first.")
    named = _NAMES.get(field)
    if named is not None and value is not None and not any(named(scene, value) for scene in scenes):
        raise Refused("The value names nothing in this move.", f"{where}: {value}", "Choose something of the move.")


SIZE_FIELDS = frozenset(field for fields in SIZES.values() for field in fields)
_NAMES: Mapping[str, Callable[[Scene, object], bool]] = {
    "parent": lambda scene, value: value in scene.nodes,
    "swap": lambda scene, value: value in scene.nodes and scene.nodes[str(value)].mesh is not None,
    "use_material": lambda scene, value: value in scene.materials,
    "merge_into": lambda scene, value: value in scene.materials,
    "factor_like": lambda scene, value: str(value).rpartition("/")[0] in scene.materials,
    "variant": lambda scene, value: value in scene.variants,
    "freeze": lambda scene, value: isinstance(value, Mapping) and value.get("clip") in scene.clips,
    "pose_from": lambda scene, value: any(id.endswith(str(value)) for id in scene.nodes),
}
