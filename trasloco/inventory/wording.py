"""Decisions in plain words, for the packing list and whoever reads along."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from trasloco.inventory.decisions import in_force
from trasloco.scene.inputs import INPUTS
from trasloco.scene.model import Decision, Scene

_WORDS: dict[str, str | Callable[[Any], str]] = {
    "unit_m": lambda v: f"one unit is {v:g} m",
    "up_axis": lambda v: f"{v} is up",
    "vertex_color_encoding": {"srgb": "vertex colours are stored as sRGB", "linear": "vertex colours are stored as light"}.__getitem__,
    "relink": lambda v: f"relinked to {v.partition(':')[2]}",
    "turn_faces": lambda v: "all faces turned" if v is True else f"{len(v)} pieces turned",
    "unify_faces": "neighbouring faces made to agree",
    "drop_degenerate": "faces without area dropped",
    "drop_doubles": "doubled faces dropped",
    "vertex_color": lambda v: "vertex colours kept" if v else "vertex colours removed",
    "apply_transform": "transform applied",
    "center_pivot": "pivot put in the middle",
    "normals_angle": lambda v: f"normals made, hard above {v:g}°",
    "weld": lambda v: f"welded within {v * 1000:g} mm",
    "make_uvs": lambda v: f"UV set {1 if v is True else int(v) + 1} made",
    "near_uvs": "UVs brought near the origin",
    "drop_tangents": "tangents made anew",
    "even_weights": "skin weights evened out",
    "drop_broken_keys": "broken keys left out",
    "include": lambda v: "taken along" if v else "left out",
    "name": lambda v: f"named {v}",
    "right_extension": "named by its kind",
    "slots_from": lambda v: f"slots from {v.replace('_', ' ') if isinstance(v, str) else 'an ID image'}",
    "faces_slot": lambda v: "; ".join(f"{len(g['faces'])} faces to {g['slot']}" for g in v),
    "new_id_colors": "new ID colours",
    "merge_into": lambda v: f"merged into {v.partition(':')[2]}",
    "use_material": lambda v: f"takes the look of {v.partition(':')[2]}",
    "variant": lambda v: f"variant {v}",
    "swap": lambda v: f"swapped for {v.partition(':')[2]}",
    "join": lambda v: "kept apart" if v == "apart" else f"pieces joined by {v}",
    "geometry_only": lambda v: "geometry only" if v else "everything, not geometry only",
    "leave_out": lambda v: "left out: " + (", ".join(next(iter(r.values())) for r in v) or "nothing"),
    "only": lambda v: f"only {len(v)} chosen parts" if v else "all parts",
    "double_sided": lambda v: "drawn on both sides" if v else "drawn on one side",
    "place": lambda v: "placed: " + ", ".join(f"{k.partition('_')[0]} {' '.join(f'{n:g}' for n in n_) if isinstance(n_, list | tuple) else f'{n_:g}'}" for k, n_ in v.items()),
    "parent": lambda v: f"moved to {v.partition(':')[2] if v else 'no group'}",
    "stand_on_ground": "stood on the ground",
    "recentre": "centred",
    "move_m": lambda v: "moved by " + " ".join(f"{n:g}" for n in v) + " m",
    "scale": lambda v: f"sized by {v:g}",
    "freeze": lambda v: f"frozen at {v.get('time_s', 0):g} s",
    "pose_from": lambda v: f"pose of model {v}",
    "encoding": lambda v: {"srgb": "read as colour", "linear": "read as data"}.get(v, f"read as {v.replace('_', ' ')}"),
    "input": lambda v: "taken over from another input" if v else "taken away",
    "views": lambda v: f"{len(v)} view{'s' if len(v) > 1 else ''} kept for proofs" if v else "no views kept",
    "limits": lambda v: "limits at ΔE " + ", ".join(f"{x:g}" for x in v) if v else "the usual limits",
    "layers": lambda v: f"{len(v)} layer{'s' if len(v) > 1 else ''} over it" if v else "no layers",
    "factor_like": lambda v: f"the same value as {v.partition(':')[2].replace('/', ', ').replace('_', ' ')}" if v else "a value of its own",
    "placed_like": lambda v: f"placed like {INPUTS[v].label.lower()}",
    "box_uvs": lambda v: f"UVs by box projection, one repeat every {v:g} m",
    "back": lambda v: f"seen from behind as {v.partition(':')[2]}" if v else "the same from behind",
    "invent_relief": lambda v: f"relief invented from the colour, {v['depth']:g} of a repeat deep" if v else "no relief invented",
    "surface": lambda v: f"surface {v}" if v else "surface unsaid",
    "collision": lambda v: f"collision {v}" if v else "collision unsaid",
    "still": lambda v: "may move or not, unsaid" if v is None else "still" if v else "moves",
    "casts_shadow": lambda v: "shadow unsaid" if v is None else "casts shadows" if v else "casts no shadow",
    "triangles": lambda v: f"at most {v} triangles" if v else "all its triangles",
    "daylight": lambda v: f"daylight of {v['day']}, {int(v['hour'])}:{int(v['hour'] % 1 * 60):02}, at {v['latitude']:g}° {v['longitude']:g}°" if v else "no daylight sky",
    "panels": lambda v: f"{len(v)} soft panel{'s' if len(v) > 1 else ''}" if v else "no panels",
    "tilt_rad": lambda v: f"tilted by {v * 57.29577951:.0f}°",
    "tint": lambda v: "tinted" if v else "not tinted",
    "sun_out": lambda v: "its sun taken out into a light" if v else "its sun left in it",
    "diagonals": lambda v: f"quads cut along the {v} diagonal" if v else "quads as they were cut",
    "subdivide": lambda v: f"subdivided {v} time{'s' if v > 1 else ''}" if v else "not subdivided",
    "paint": lambda v: {"keep": "vertex colours travel in the mesh", "atlas": "vertex colours made an image", "palette": "vertex colours made a palette", "remove": "vertex colours removed", "from image": "its image made vertex colours"}.get(v or "", "vertex colours as the destination needs"),
    "largest_side": lambda v: f"images at most {v} a side" if v else "images as large as the destination takes",
    "green_up": lambda v: f"green points {'up' if v else 'down'}",
    "strength": lambda v: f"strength {v:g}",
    "invert": lambda v: "read inverted" if v else "read as it is",
    "image": lambda v: "another image" if v else "no image",
    "factor": lambda v: "set to " + (" ".join(f"{n:g}" for n in v) if isinstance(v, list | tuple) else f"{v:g}"),
    "alpha_mode": lambda v: f"alpha {v}",
    "alpha_cutoff": lambda v: f"cut at {v:g}",
    "backdrop": lambda v: ("before another picture" if v.get("image") else "before a plain colour") if v is not None else "its own picture stands behind the subject",
    "lamp": lambda v: f"added, a {v['kind']}" if v else "taken away again",
    "stand": lambda v: "placed at " + ", ".join(f"{n:g}{' m from the subject' if k == 'distance_m' else '° round' if k == 'azimuth_deg' else '° high'}" for k, n in v.items()) if v else "where it came",
    "angle_deg": lambda v: f"seen {v:g}° wide",
    "radius_m": lambda v: f"a ball of {v:g} m radius" if v else "a point",
    "width_m": lambda v: f"{v:g} m wide",
    "height_m": lambda v: f"{v:g} m high",
    "opening": lambda v: "an opening for the environment" if v else "shines itself",
    "matters": lambda v: f"what matters most: {(v.get('camera') or v.get('part')).partition(':')[2]}" if v else "what cameras see matters most",
    "directed": lambda v: "told where light comes from" if v else "not told where light comes from",
    "effects": lambda v: "simulated: " + ", ".join(v) if v else "after-effects judged as switched off",
    "enabled": lambda v: "on" if v else "off",
    "lightmaps": lambda v: "light written down" if v else "no light written down",
    "paths": lambda v: f"{v} paths a texel",
    "bounces": lambda v: f"light sent on {v} time{'' if v == 1 else 's'}",
    "bake_seconds": lambda v: f"at most {v:g} s" if v else "no time limit",
    "lightmap_mib": lambda v: f"{v:g} MiB" if v else "as much memory as the destination gives",
    "denoised": lambda v: "noise taken out" if v else "noise left in",
    "stitched": lambda v: "seams stitched" if v else "seams as they are",
    "texels_per_metre": lambda v: f"{v:g} texels a metre" if v else "texels by its share",
    "received_light": lambda v: f"its light read from {v['image'].partition(':')[2] if v.get('image') else 'its vertex colours'}, white for {v['lux']:g} lux" if v else "lit anew",
    "receives": lambda v: "its light is written down" if v else "lit where it arrives",
    "focus_m": lambda v: f"in focus at {v:g} m" if v else "all in focus",
    "f_stop": lambda v: f"f/{v:g}" if v else "no f-stop",
    "yfov_deg": lambda v: f"{v:g}° high",
    "aspect": lambda v: f"{v:g} times as wide as high" if v else "any shape",
    "kelvin": lambda v: f"{v:g} K",
    "shadows": lambda v: "casts shadows" if v else "casts no shadows",
    "meant": lambda v: "arrives otherwise, and is meant to" if v else "is to arrive as promised",
    "intensity": lambda v: f"strength {v:g}",
    "turn_rad": lambda v: f"turned by {v * 57.29577951:.0f}°",
    "level": lambda v: f"level {v:g}",
    "ev100": lambda v: f"exposure {v:g} EV" if v is not None else "automatic exposure",
}


def in_words(decision: Decision, scene: Scene) -> str:
    """``Trunk lid: all faces turned``; ids are named as the scene names them. Accepted findings say so."""
    if decision.field == "accept":
        return f"{decision.target.partition(':')[2] or decision.target}: {decision.target.partition(':')[0].replace('_', ' ')} {'accepted' if decision.value else 'opened again'}"
    words = _WORDS.get(decision.field, decision.field.replace("_", " "))
    return f"{_named(decision.target, scene)}: {words if isinstance(words, str) else words(decision.value)}"


def _named(target: str, scene: Scene) -> str:
    for group in (scene.nodes, scene.materials, scene.images, scene.lights, scene.clips, scene.cameras):
        if target in group:
            return str(group[target].name)
    holder, _, name = target.rpartition("/")
    if holder in scene.materials and name in INPUTS:
        return f"{scene.materials[holder].name}, {INPUTS[name].label.lower()}"
    return {"scene": "Scene", "environment": "Environment", "proof": "Proof", "lightmaps": "Lightmaps"}.get(target, target.partition(":")[2] or target)


def last_words(decisions: Sequence[Decision], scene: Scene) -> list[str]:
    """One line for what was last decided about each field of each target, in the order decided."""
    return [in_words(d, scene) for d in in_force(decisions)]
