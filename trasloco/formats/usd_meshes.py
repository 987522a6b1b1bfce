"""A mesh prim on its way into a scene: its primitives, its shapes, the motion of its points, its skin."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
from pxr import UsdGeom, UsdSkel

from trasloco.formats.usd_motion import blend_shapes
from trasloco.formats.usd_names import MESH_NAME, own_words
from trasloco.formats.usd_points import point_motion
from trasloco.formats.usd_skins import morph_of
from trasloco.scene.model import Mesh, Primitive

if TYPE_CHECKING:
    from trasloco.formats.usd_scene import UsdReader


def read_mesh(reader: UsdReader, prim: Any, part: str, name: str) -> None:
    """The mesh of a part; instances of one prototype share theirs."""
    source = prim.GetPrimInPrototype() if prim.IsInstanceProxy() else prim
    key = str(source.GetPath())
    node = reader.nodes[part]
    attribute = prim.GetAttribute(MESH_NAME)
    name = str(attribute.Get()) if attribute and attribute.HasValue() else name
    tokens = [str(t) for t in UsdSkel.BindingAPI(prim).GetBlendShapesAttr().Get() or []]
    reader.skeletons.weights(prim, part, tokens)
    if key in reader.mesh_of:
        reader.nodes[part] = replace(node, mesh=reader.mesh_of[key])
        if key in reader.moved_points:
            reader.skeletons.channels.append(reader.moved_points[key].channel(part))
        return
    made = reader.shapes.primitives(prim, name)
    if not made:
        return
    count = max(int(points.max(initial=-1)) + 1 for _, points in made)
    shapes = blend_shapes(prim, count)
    names = tuple(n for n, _, _ in shapes)
    primitives = tuple(
        replace(p, morphs=tuple(morph_of(table, turns, at) for _, table, turns in shapes)) for p, at in made
    )
    moved = _moved(reader, prim, part, name, key, bool(shapes), made)
    if moved is not None:
        names, primitives = moved
    first = 0
    if node.mesh is not None:
        held = reader.meshes[node.mesh]
        id, first = held.id, len(held.primitives)
        reader.meshes[id] = replace(held, primitives=(*held.primitives, *primitives))
    else:
        id = reader.notes.ids.make("mesh", name)
        reader.meshes[id] = Mesh(id, name, primitives, names, own_words(prim.GetCustomData()))
        reader.nodes[part] = replace(node, mesh=id)
    reader.mesh_of[key] = id
    if prim.HasAPI(UsdSkel.BindingAPI):
        reader.to_bind.append((prim, part, id, first, [at for _, at in made]))


def _moved(
    reader: UsdReader,
    prim: Any,
    part: str,
    name: str,
    key: str,
    shaped: bool,
    made: list[tuple[Primitive, Any]],
) -> tuple[tuple[str, ...], tuple[Primitive, ...]] | None:
    """Names of the moments of points that move one by one, and the primitives with them; None where they do
    not, or cannot travel, which is told.
    """
    attribute = UsdGeom.Mesh(prim).GetPointsAttr()
    if (attribute.GetNumTimeSamples() or 0) < 2:
        return None
    rest = reader.shapes.points_of(prim)
    found = point_motion(prim, rest, reader.rate)
    if found is None:
        return None
    reason = "it has blend shapes as well" if shaped else found if isinstance(found, str) else ""
    if reason or isinstance(found, str):
        reader.notes.note(
            "motion_unread",
            "Points move one by one over time",
            f"{name} · {reason}",
            "Their motion stays behind; the first moment is kept.",
            weight=45,
        )
        return None
    reader.moved_points[key] = found
    reader.skeletons.channels.append(found.channel(part))
    share = found.largest / max(float(np.ptp(rest, axis=0).max()), 1e-12)
    reader.notes.note(
        "points_move",
        "Points move one by one over time",
        f"{name} · {found.samples} moments, {len(found.times_s)} kept",
        "They travel as morph targets whose weights lead from one to the next"
        + (
            f"; no moment is off by more than {100 * share:.2g} % of its size." if share > 0 else ", exactly."
        ),
        weight=8,
    )
    return tuple(found.names()), tuple(found.on(p, at) for p, at in made)
