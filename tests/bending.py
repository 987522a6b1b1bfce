"""Single facts of an arrival bent or taken away, each with the thing of the reference that the books must
name for it.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from tests.bend import Bend
from tests.bending_materials import material_bends
from trasloco.accounts.pairing import Pairs, paired
from trasloco.fit.lights import emptied_by, travelling_lamps
from trasloco.fit.model import Plan
from trasloco.scene.model import (
    Channel,
    Cloud,
    Mesh,
    MorphTarget,
    Node,
    Primitive,
    Scene,
    Tags,
)


def bends(reference: Scene, arrival: Scene, plan: Plan, rng: random.Random) -> Iterator[Bend]:
    """Every bend that can be tried on an arrival, each alone."""
    pairs = paired(reference, arrival, emptied_by(reference, travelling_lamps(reference, plan.lights)))
    for here, there in pairs.nodes.items():
        yield from _node(reference, arrival, here, arrival.nodes[there], rng)
    for here, there in pairs.meshes.items():
        if reference.meshes[here].id not in {m.mesh for m in plan.meshes}:
            yield from _mesh(reference, arrival, here, arrival.meshes[there], rng)
    for here, there in pairs.materials.items():
        yield from material_bends(reference, arrival, here, arrival.materials[there], plan, rng)
    yield from _around(arrival)
    yield from _motion(reference, arrival, pairs, rng)


def _noded(arrival: Scene, node: Node) -> Scene:
    return replace(arrival, nodes={**arrival.nodes, node.id: node})


def _node(reference: Scene, arrival: Scene, here: str, node: Node, rng: random.Random) -> Iterator[Bend]:
    source = reference.nodes[here]
    moved = node.matrix.copy()
    moved[rng.randrange(3), 3] += 0.001
    items = frozenset({here})
    moves = not any(
        c.node == node.id and c.path == "translation"
        for clip in arrival.clips.values()
        for c in clip.channels
    )
    if moves:
        yield Bend("a pivot moved by a millimetre", items, _noded(arrival, replace(node, matrix=moved)))
    turned = node.matrix @ np.array(
        [
            [1, 0, 0, 0],
            [0, np.cos(0.002), -np.sin(0.002), 0],
            [0, np.sin(0.002), np.cos(0.002), 0],
            [0, 0, 0, 1],
        ]
    )
    yield Bend("turned by a tenth of a degree", items, _noded(arrival, replace(node, matrix=turned)))
    if node.parent is not None:
        world = arrival.world_matrices()[node.id]
        yield Bend("taken out of its group", items, _noded(arrival, replace(node, parent=None, matrix=world)))
    yield Bend("another name", items, _noded(arrival, replace(node, name=node.name + " x")))
    if source.layers and node.layers:
        yield Bend("a layer gone", items, _noded(arrival, replace(node, layers=node.layers[1:])))
    if source.tags != Tags():
        yield Bend("tags gone", items, _noded(arrival, replace(node, tags=Tags())))
    if node.payload.get("extras"):
        yield Bend(
            "a property changed", items, _noded(arrival, replace(node, payload={"extras": {"number": -1}}))
        )
    if node.mesh is not None:
        own = replace(arrival.meshes[node.mesh], id="mesh:own")
        if sum(n.mesh == node.mesh for n in arrival.nodes.values()) > 1:
            apart = replace(
                _noded(arrival, replace(node, mesh=own.id)), meshes={**arrival.meshes, own.id: own}
            )
            yield Bend("a mesh of its own", items, apart)
        yield Bend("no mesh", items | {source.mesh or ""}, _noded(arrival, replace(node, mesh=None)))
    if not any(n.parent == node.id for n in arrival.nodes.values()):
        joints = {j for s in arrival.skins.values() for j in s.joints}
        moving = {c.node for clip in arrival.clips.values() for c in clip.channels}
        if node.id not in joints | moving:
            yield Bend(
                "a part gone",
                items,
                replace(arrival, nodes={k: v for k, v in arrival.nodes.items() if k != node.id}),
            )
    if node.light in arrival.lights:
        yield from _light(arrival, items, node)
    if node.cloud in arrival.clouds:
        yield from _cloud(arrival, items, arrival.clouds[node.cloud or ""])
    if node.camera in arrival.cameras:
        yield from _camera(reference, arrival, items, node, source)


def _light(arrival: Scene, items: frozenset[str], node: Node) -> Iterator[Bend]:
    light = arrival.lights[node.light or ""]

    def lit(**change: Any) -> Scene:
        return replace(arrival, lights={**arrival.lights, light.id: replace(light, **change)})

    yield Bend("a lamp 1 % stronger", items, lit(intensity=light.intensity * 1.01))
    yield Bend("a lamp's colour", items, lit(color=(light.color[0], light.color[1] * 0.98, light.color[2])))
    yield Bend("a lamp's shadows", items, lit(shadows=not light.shadows))
    if light.kind == "spot":
        yield Bend("a lamp's cone", items, lit(outer_cone_rad=light.outer_cone_rad + 0.01))
        yield Bend("a lamp's inner cone", items, lit(inner_cone_rad=light.inner_cone_rad * 0.9 + 0.01))
    if light.kind in ("rectangle", "disc"):
        yield Bend("a lamp's size", items, lit(width_m=light.width_m * 1.05))
    if light.kind == "sun":
        yield Bend("a sun's width", items, lit(angle_rad=light.angle_rad + 0.005))
    yield Bend("a lamp gone", items, _noded(arrival, replace(node, light=None)))


def _cloud(arrival: Scene, items: frozenset[str], cloud: Cloud) -> Iterator[Bend]:
    def held(**change: Any) -> Scene:
        return replace(arrival, clouds={**arrival.clouds, cloud.id: replace(cloud, **change)})

    moved = cloud.positions.copy()
    moved[cloud.lines[0, 0] if len(cloud.lines) else 0, 1] += np.float32(0.01)
    yield Bend("a point moved", items, held(positions=moved))
    if len(cloud.lines):
        yield Bend("a line gone", items, held(lines=cloud.lines[1:]))
    if cloud.colors is not None:
        yield Bend("colours of points gone", items, held(colors=None))


def _camera(
    reference: Scene, arrival: Scene, items: frozenset[str], node: Node, source: Node
) -> Iterator[Bend]:
    camera, meant = arrival.cameras[node.camera or ""], reference.cameras[source.camera or ""]

    def seen(**change: Any) -> Scene:
        return replace(arrival, cameras={**arrival.cameras, camera.id: replace(camera, **change)})

    yield Bend("a camera's angle", items, seen(yfov_rad=camera.yfov_rad * 1.01))
    yield Bend("a camera's frame", items, seen(aspect=(camera.aspect or 1.5) * 1.02))
    yield Bend("a camera's near plane", items, seen(znear=camera.znear * 1.1))
    if meant.zfar is not None:
        yield Bend("a camera's far plane", items, seen(zfar=(camera.zfar or 1.0) * 1.1))
    if camera.focus_m:
        yield Bend("a camera's focus", items, seen(focus_m=camera.focus_m * 1.02))
        yield Bend("a camera's f-stop", items, seen(f_stop=(camera.f_stop or 1.0) * 1.02))
    if any(camera.shift):
        yield Bend("a camera's shifted frame", items, seen(shift=(camera.shift[0] + 0.01, camera.shift[1])))
    yield Bend("a camera gone", items, _noded(arrival, replace(node, camera=None)))


def _meshed(arrival: Scene, mesh: Mesh, at: int, primitive: Primitive) -> Scene:
    made = replace(mesh, primitives=tuple(primitive if k == at else p for k, p in enumerate(mesh.primitives)))
    return replace(arrival, meshes={**arrival.meshes, mesh.id: made})


def _nudged(table: Any, row: int, column: int, by: float) -> Any:
    made = table.copy()
    made[row, column] += by
    return made


def _mesh(reference: Scene, arrival: Scene, here: str, mesh: Mesh, rng: random.Random) -> Iterator[Bend]:
    items = frozenset({here})
    meant = reference.meshes[here]
    k = rng.randrange(len(mesh.primitives))
    p = mesh.primitives[k]
    if k >= len(meant.primitives) or not len(p.indices):
        return
    row = int(p.indices[rng.randrange(len(p.indices)), 0])
    size = float(np.abs(p.positions).max())

    def put(**change: Any) -> Scene:
        return _meshed(arrival, mesh, k, replace(p, **change))

    yield Bend(
        "a point moved by a thousandth", items, put(positions=_nudged(p.positions, row, 1, size * 1e-3))
    )
    yield Bend("a face gone", items, put(indices=p.indices[1:]))
    yield Bend("a face turned", items, put(indices=np.concatenate([p.indices[:1, ::-1], p.indices[1:]])))
    if len({q.material for q in mesh.primitives}) > 1:
        other = next(q.material for q in mesh.primitives if q.material != p.material)
        yield Bend("a slot's material", items, put(material=other))
        backwards = replace(mesh, primitives=mesh.primitives[::-1])
        if [q.material for q in backwards.primitives] != [q.material for q in mesh.primitives]:
            yield Bend(
                "slots in another order",
                items,
                replace(arrival, meshes={**arrival.meshes, mesh.id: backwards}),
            )
    if p.normals is not None:
        yield Bend("one normal bent", items, put(normals=_nudged(p.normals, row, 0, 0.05)))
        yield Bend(
            "normals gone",
            items,
            replace(
                arrival,
                meshes={
                    **arrival.meshes,
                    mesh.id: replace(
                        mesh, primitives=tuple(replace(q, normals=None) for q in mesh.primitives)
                    ),
                },
            ),
        )
    if p.uvs and meant.primitives[k].uvs:
        number = rng.randrange(len(meant.primitives[k].uvs))
        yield Bend(
            "one UV moved",
            items,
            put(uvs=tuple(_nudged(u, row, 0, 1e-4) if n == number else u for n, u in enumerate(p.uvs))),
        )
        yield Bend("a UV set gone", items, put(uvs=p.uvs[: len(meant.primitives[k].uvs) - 1]))
    if p.colors is not None:
        yield Bend("one vertex's alpha", items, put(colors=_nudged(p.colors, row, 3, -1 / 255)))
        yield Bend("one vertex's colour", items, put(colors=_nudged(p.colors, row, 0, 1 / 255)))
        yield Bend("colours gone", items, put(colors=None))
    if p.tangents is not None and meant.primitives[k].tangents is not None:
        yield Bend(
            "a tangent's sign",
            items,
            put(tangents=np.concatenate([p.tangents[:, :3], -p.tangents[:, 3:]], axis=1)),
        )
    if p.morphs and p.morphs[0].positions is not None:
        bent = MorphTarget(_nudged(p.morphs[0].positions, row, 0, 0.01 * size), p.morphs[0].normals)
        yield Bend("a shape bent", items, put(morphs=(bent, *p.morphs[1:])))
        yield Bend("a shape gone", items, put(morphs=p.morphs[1:]))
    if p.weights is not None:
        yield Bend("a joint's pull", items, put(weights=_nudged(p.weights, row, 0, 0.05)))
    if meant.payload.get("extras"):
        yield Bend(
            "a mesh's properties gone",
            items,
            replace(arrival, meshes={**arrival.meshes, mesh.id: replace(mesh, payload={})}),
        )


def _around(arrival: Scene) -> Iterator[Bend]:
    for name in ("environment", "backdrop"):
        there = getattr(arrival, name)
        if there is not None:
            items = frozenset({name})
            yield Bend(
                f"{name} stronger",
                items,
                replace(arrival, **{name: replace(there, level=there.level * 1.01)}),
            )
            yield Bend(
                f"{name} turned",
                items,
                replace(arrival, **{name: replace(there, turn_rad=there.turn_rad + 0.01)}),
            )
            yield Bend(f"{name} gone", items, replace(arrival, **{name: None}))


def _motion(reference: Scene, arrival: Scene, pairs: Pairs, rng: random.Random) -> Iterator[Bend]:
    for here, there in pairs.clips.items():
        clip = arrival.clips[there]
        items = frozenset({here})

        def put(channels: Any, name: str = clip.name, clip: Any = clip) -> Scene:
            return replace(
                arrival, clips={**arrival.clips, clip.id: replace(clip, channels=tuple(channels), name=name)}
            )

        yield Bend(
            "a clip gone",
            items,
            replace(arrival, clips={k: v for k, v in arrival.clips.items() if k != there}),
        )
        yield Bend("another clip name", items, put(clip.channels, clip.name + " x"))
        at = rng.randrange(len(clip.channels)) if clip.channels else 0
        if (
            not clip.channels
            or not _moves(clip.channels[at])
            or _sized_lamp(reference, pairs, clip.channels[at])
        ):
            continue
        channel = clip.channels[at]
        rest = [c for k, c in enumerate(clip.channels) if k != at]
        bent = channel.values.copy()
        bent[len(bent) // 2] += np.float32(0.05)
        yield Bend("a key bent", items, put([*rest, replace(channel, values=bent)]))
        yield Bend(
            "a clip later",
            items,
            put([replace(c, times_s=c.times_s + np.float32(0.1)) for c in clip.channels]),
        )
        if len(clip.channels) > 1:
            yield Bend("a moving value gone", items, put(rest))
    for here, skin in reference.skins.items():
        for other in arrival.skins.values():
            if len(other.joints) == len(skin.joints):
                moved = other.inverse_bind.copy()
                moved[0, 0, 3] += 0.01
                yield Bend(
                    "a bind pose bent",
                    frozenset({here}),
                    replace(arrival, skins={**arrival.skins, other.id: replace(other, inverse_bind=moved)}),
                )
                swapped = replace(other, joints=other.joints[::-1])
                yield Bend(
                    "joints swapped",
                    frozenset({here}),
                    replace(arrival, skins={**arrival.skins, other.id: swapped}),
                )
    if arrival.frame_rate is not None:
        yield Bend(
            "another frame rate", frozenset({"scene"}), replace(arrival, frame_rate=arrival.frame_rate + 1)
        )


def _sized_lamp(reference: Scene, pairs: Pairs, channel: Channel) -> bool:
    """Lamps and cameras have no size, so their scale says nothing; neither does that of a lamp that stayed
    behind.
    """
    node = next((reference.nodes[here] for here, there in pairs.nodes.items() if there == channel.node), None)
    return (
        channel.path == "scale" and node is not None and node.mesh is None and bool(node.light or node.camera)
    )


def _moves(channel: Channel) -> bool:
    return bool(np.ptp(channel.values.reshape(len(channel.values), -1), axis=0).max() > 0.01)
