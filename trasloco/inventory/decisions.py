"""What a decision may say: the kind of value each field takes, checked before anything is computed with it."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from trasloco.errors import Refused
from trasloco.inventory.kinds import KINDS
from trasloco.inventory.layer_values import is_layers_value
from trasloco.inventory.proof_values import is_limits_value, is_views_value
from trasloco.inventory.sky_values import is_backdrop_value, is_daylight_value, is_lamp_value, is_matters_value, is_panels_value, is_stand_value
from trasloco.inventory.whole_inputs import is_input_value
from trasloco.scene.inputs import INPUTS
from trasloco.scene.model import Decision
from trasloco.scene.spaces import SPACES
from trasloco.scene.tags import COLLISIONS


def _number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)


def _flag(value: Any) -> bool:
    return isinstance(value, bool)


def _numbers(value: Any) -> bool:
    return _number(value) or (isinstance(value, list | tuple) and 0 < len(value) <= 4 and all(_number(v) for v in value))


def _pieces(value: Any) -> bool:
    return _flag(value) or (isinstance(value, list | tuple) and all(isinstance(v, int) and not isinstance(v, bool) and v >= 0 for v in value))


def _image(value: Any) -> bool:
    return value is None or isinstance(value, str) or (isinstance(value, dict) and isinstance(value.get("image"), str) and isinstance(value.get("channels") or "", str))


def _triple(value: Any) -> bool:
    return isinstance(value, list | tuple) and len(value) == 3 and all(_number(v) and abs(v) <= 1e9 for v in value)


def _text(value: Any) -> bool:
    return isinstance(value, str) and 0 < len(value.strip()) <= 255


def _place(value: Any) -> bool:
    known: dict[str, Callable[[Any], bool]] = {"move_m": _triple, "turn_deg": _triple, "size": lambda v: _number(v) and 0 < v <= 1e6}
    return isinstance(value, dict) and bool(value) and all(key in known and known[key](v) for key, v in value.items())


def _rules(value: Any) -> bool:
    return isinstance(value, list) and len(value) <= 500 and all(isinstance(r, dict) and len(r) == 1 and ((r.get("kind") in KINDS) or _text(r.get("name"))) for r in value)


def _hand_slots(value: Any) -> bool:
    return isinstance(value, list) and all(isinstance(g, dict) and _text(g.get("slot")) and isinstance(g.get("faces"), list) and all(isinstance(f, int) and not isinstance(f, bool) and f >= 0 for f in g["faces"]) for g in value)


def _slots(value: Any) -> bool:
    return value in ("vertex_color", "pieces", "part", "group", "layer") or (isinstance(value, dict) and _text(value.get("image")))


def _moment(value: Any) -> bool:
    return isinstance(value, dict) and _text(value.get("clip")) and _number(value.get("time_s", 0))


_SIDES = tuple(2**k for k in range(4, 15))

def _relief(value: Any) -> bool:
    return value is None or (isinstance(value, dict) and set(value) <= {"depth", "lighten"} and _number(value.get("depth")) and 0 < value["depth"] <= 1 and _flag(value.get("lighten", False)))


_FIELDS: dict[str, tuple[Callable[[Any], bool], str]] = {
    "unit_m": (lambda v: _number(v) and 0 < v <= 1e6, "a number of metres above zero"),
    "up_axis": (lambda v: v in ("X", "Y", "Z"), "X, Y or Z"),
    "vertex_color_encoding": (lambda v: v in ("linear", "srgb"), "linear or srgb"),
    "accept": (_flag, "true or false"),
    "meant": (_flag, "true or false"),
    "ev100": (lambda v: v is None or (_number(v) and -20 <= v <= 40), "an exposure value between -20 and 40, or nothing"),
    "views": (is_views_value, "a list of at most 24 views, each with a name, 16 numbers from camera to world, and an angle in radians"),
    "limits": (is_limits_value, "three rising numbers above zero, or nothing"),
    "relink": (lambda v: isinstance(v, str), "the id of an image"),
    "turn_faces": (_pieces, "true, or a list of piece numbers"),
    "vertex_color": (_flag, "true or false"),
    "apply_transform": (_flag, "true or false"),
    "include": (_flag, "true or false"),
    "image": (_image, "the id of an image, with its channel, or nothing"),
    "factor": (_numbers, "one to four finite numbers"),
    "alpha_mode": (lambda v: v in ("opaque", "mask", "blend"), "opaque, mask or blend"),
    "alpha_cutoff": (lambda v: _number(v) and 0 <= v <= 1, "a number from 0 to 1"),
    "double_sided": (_flag, "true or false"),
    "sun_out": (_flag, "true or false"),
    "daylight": (is_daylight_value, "a latitude, a longitude, a day as YYYY-MM-DD and an hour, or nothing"),
    "panels": (is_panels_value, "a list of at most 24 panels with their places, sizes and luminance, or nothing"),
    "tilt_rad": (_number, "an angle in radians"),
    "tint": (lambda v: v is None or (_triple(v) and min(v) >= 0), "three numbers that are not negative, or nothing"),
    "backdrop": (is_backdrop_value, "a colour and its nit, an image's id, or nothing"),
    "lamp": (is_lamp_value, "a kind of light with its strength, size and place in their ranges, or nothing"),
    "stand": (is_stand_value, "degrees round and above the subject, and metres from it, or nothing"),
    "angle_deg": (lambda v: _number(v) and 0 <= v <= 90, "degrees from 0 to 90"),
    "width_m": (lambda v: _number(v) and 1e-4 <= v <= 1e4, "metres above zero"),
    "height_m": (lambda v: _number(v) and 1e-4 <= v <= 1e4, "metres above zero"),
    "radius_m": (lambda v: _number(v) and 0 <= v <= 1e4, "metres, 0 for a point"),
    "opening": (_flag, "true or false"),
    "matters": (is_matters_value, "a camera's id, a part's id with metres around it, or nothing"),
    "directed": (_flag, "true or false"),
    "effects": (lambda v: isinstance(v, list) and all(isinstance(n, str) for n in v), "a list of names of after-effects"),
    "enabled": (_flag, "true or false"),
    "lightmaps": (_flag, "true or false"),
    "paths": (lambda v: isinstance(v, int) and not isinstance(v, bool) and 1 <= v <= 16384, "a number of paths from 1 to 16384"),
    "bounces": (lambda v: isinstance(v, int) and not isinstance(v, bool) and 0 <= v <= 16, "a number from 0 to 16"),
    "bake_seconds": (lambda v: v is None or (_number(v) and 0 <= v <= 86400), "seconds, or nothing"),
    "lightmap_mib": (lambda v: v is None or (_number(v) and 0.01 <= v <= 4096), "MiB, or nothing"),
    "denoised": (_flag, "true or false"),
    "stitched": (_flag, "true or false"),
    "texels_per_metre": (lambda v: v is None or (_number(v) and 0.1 <= v <= 4096), "texels a metre, or nothing"),
    "received_light": (lambda v: v is None or (isinstance(v, dict) and set(v) in ({"image", "lux"}, {"paint", "lux"}) and isinstance(v.get("image", ""), str) and _flag(v.get("paint", True)) and _number(v["lux"]) and 0 < v["lux"] <= 1e7), "an image or the vertex colours, and the lux that white stands for, or nothing"),
    "receives": (_flag, "true or false"),
    "focus_m": (lambda v: v is None or (_number(v) and 1e-4 <= v <= 1e6), "metres above zero, or nothing"),
    "f_stop": (lambda v: v is None or (_number(v) and 0.1 <= v <= 256), "an f-stop from 0.1 to 256, or nothing"),
    "yfov_deg": (lambda v: _number(v) and 0.5 <= v <= 175, "degrees from 0.5 to 175"),
    "aspect": (lambda v: v is None or (_number(v) and 0.05 <= v <= 20), "width over height, or nothing"),
    "kelvin": (lambda v: _number(v) and 1667 <= v <= 25000, "kelvin from 1667 to 25000"),
    "shadows": (_flag, "true or false"),
    "intensity": (lambda v: _number(v) and v >= 0, "a number that is not negative"),
    "turn_rad": (_number, "an angle in radians"),
    "level": (lambda v: _number(v) and v >= 0, "a number that is not negative"),
    "unify_faces": (_flag, "true or false"),
    "drop_degenerate": (_flag, "true or false"),
    "drop_doubles": (_flag, "true or false"),
    "drop_tangents": (_flag, "true or false"),
    "near_uvs": (_flag, "true or false"),
    "make_uvs": (lambda v: _flag(v) or v in (0, 1, 2, 3), "true, or the number of a UV set from 0 to 3"),
    "normals_angle": (lambda v: _number(v) and 0 <= v <= 180, "degrees from 0 to 180"),
    "weld": (lambda v: _number(v) and 0 <= v <= 1, "a distance from 0 to 1 m"),
    "center_pivot": (_flag, "true or false"),
    "stand_on_ground": (_flag, "true or false"),
    "recentre": (_flag, "true or false"),
    "move_m": (_triple, "three numbers of metres"),
    "scale": (lambda v: _number(v) and 1e-6 <= v <= 1e6, "a factor above zero"),
    "place": (_place, "move_m and turn_deg as three numbers each, size as a factor"),
    "parent": (lambda v: v is None or _text(v), "the id of a group, or nothing"),
    "even_weights": (_flag, "true or false"),
    "drop_broken_keys": (_flag, "true or false"),
    "freeze": (_moment, "a clip and a time in seconds"),
    "pose_from": (_text, "the mark of another model"),
    "name": (_text, "a name of at most 255 characters"),
    "right_extension": (_flag, "true or false"),
    "encoding": (lambda v: v in SPACES, f"one of {', '.join(SPACES)}"),
    "layers": (is_layers_value, "a list of at most eight layers, each with an image, a blend and a weight from 0 to 1"),
    "factor_like": (lambda v: v is None or (isinstance(v, str) and "/" in v), "another material's input to take the value from, or nothing"),
    "input": (is_input_value, "an input as it was copied, or nothing"),
    "placed_like": (lambda v: isinstance(v, str) and v in INPUTS, "the name of another input of the material"),
    "box_uvs": (lambda v: _number(v) and 1e-4 <= v <= 1e4, "metres that one repeat of the image covers"),
    "back": (lambda v: v is None or _text(v), "the id of a material, or nothing"),
    "invent_relief": (_relief, "a depth from 0 to 1 of one repeat, and whether the colour is lightened for it, or nothing"),
    "surface": (lambda v: v is None or _text(v), "a word for what it is made of, or nothing"),
    "collision": (lambda v: v is None or v in COLLISIONS, f"one of {', '.join(COLLISIONS)}, or nothing"),
    "still": (lambda v: v is None or _flag(v), "true, false or nothing"),
    "casts_shadow": (lambda v: v is None or _flag(v), "true, false or nothing"),
    "triangles": (lambda v: v is None or (isinstance(v, int) and not isinstance(v, bool) and 1 <= v <= 100_000_000), "a number of triangles, or nothing"),
    "diagonals": (lambda v: v in (None, "shorter", "flatter"), "shorter, flatter, or nothing"),
    "subdivide": (lambda v: v in (None, 0, 1, 2, 3) and not isinstance(v, bool), "a level from 0 to 3"),
    "paint": (lambda v: v in (None, "keep", "atlas", "palette", "remove", "from image"), "keep, atlas, palette, remove, from image, or nothing"),
    "largest_side": (lambda v: v is None or v in _SIDES, "a power of two from 16 to 16384, or nothing"),
    "strength": (lambda v: _number(v) and 0 <= v <= 100, "a number from 0 to 100"),
    "green_up": (_flag, "true or false"),
    "invert": (_flag, "true or false"),
    "slots_from": (_slots, "vertex_color, pieces, part, group, layer, or an ID image"),
    "faces_slot": (_hand_slots, "groups of face numbers with a slot's name"),
    "new_id_colors": (_flag, "true or false"),
    "merge_into": (_text, "the id of a slot"),
    "use_material": (_text, "the id of a material"),
    "variant": (_text, "the name of a variant"),
    "swap": (_text, "the id of a part"),
    "join": (lambda v: v in ("apart", "material", "group"), "apart, material or group"),
    "leave_out": (_rules, "a list of rules, each with a kind or a name pattern"),
    "only": (lambda v: isinstance(v, list) and all(isinstance(i, str) for i in v), "a list of part ids"),
    "geometry_only": (_flag, "true or false"),
}


_ADDING = frozenset({"faces_slot"})


def in_force(decisions: Sequence[Decision]) -> list[Decision]:
    """What holds of all that was decided: the last value of each field of each target, in the order last decided. Faces put by hand add up, later ones last."""
    held: dict[tuple[str, str], Decision] = {}
    for decision in decisions:
        key = (decision.target, decision.field)
        before = held.pop(key, None)
        held[key] = replace(decision, value=[*before.value, *decision.value]) if before is not None and decision.field in _ADDING else decision
    return list(held.values())


def check_decision(decision: Decision) -> None:
    """Nothing when the decision can be carried out.

    Raises:
        Refused: a field that nobody knows, or a value of another kind than it takes.
    """
    known = _FIELDS.get(decision.field)
    if known is None:
        raise Refused(f"There is nothing called {decision.field} to decide.", decision.target, f"Choose one of: {', '.join(_FIELDS)}.")
    fits, words = known
    if not fits(decision.value):
        raise Refused("The value is of the wrong kind.", f"{decision.target}, {decision.field}", f"Give {words}.")
