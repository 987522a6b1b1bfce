"""Skeletons and weights of shapes in a USD layer.

Joints lie in the tree as transforms, so that nothing that hangs on them is lost; a skeleton beside them says
the same to whoever skins.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdSkel, Vt

from trasloco.formats.usd_names import CUSTOM_NAME, JOINTS, identifier
from trasloco.formats.usd_timeline import Span, Timeline
from trasloco.scene.model import Doubles, Node, Scene, Skin
from trasloco.scene.motion import posed_matrices, world_of
from trasloco.scene.straight import straight_times
from trasloco.scene.transforms import decompose


def write_skeletons(
    stage: Any, scene: Scene, root: Any, to_stage: Doubles, prims: dict[str, Any], timeline: Timeline
) -> dict[str, Any]:
    """One skeleton a skin, by the skin's id; meshes that wear the skin are bound to it."""
    made: dict[str, Any] = {}
    for skin in scene.skins.values():
        home = _home(scene, skin)
        holder = (
            prims[home].GetPath()
            if home is not None
            else UsdGeom.Scope.Define(stage, root.AppendChild("Skeletons")).GetPath()
        )
        path = holder.AppendChild(
            identifier(
                skin.name, {str(c.GetName()).lower() for c in stage.GetPrimAtPath(holder).GetAllChildren()}
            )
        )
        skeleton = UsdSkel.Skeleton.Define(stage, path)
        prim = made[skin.id] = skeleton.GetPrim()
        prim.CreateAttribute(CUSTOM_NAME, Sdf.ValueTypeNames.String, True).Set(skin.name)
        prim.CreateRelationship(JOINTS, True).SetTargets([prims[j].GetPath() for j in skin.joints])
        above = _parents(scene, skin)
        tokens = _tokens(scene, skin, above)
        skeleton.CreateJointsAttr(tokens)
        bind = [to_stage @ np.linalg.pinv(m) for m in skin.inverse_bind]
        skeleton.CreateBindTransformsAttr(_matrices(bind))
        skeleton.CreateRestTransformsAttr(_matrices(_locals(skin, above, scene.world_matrices(), home)))
        binding = UsdSkel.BindingAPI.Apply(prim)
        animation = _animated(stage, scene, skin, above, home, tokens, path, timeline)
        if animation is not None:
            binding.CreateAnimationSourceRel().SetTargets([animation])
        for node in scene.nodes.values():
            if node.skin == skin.id and node.id in prims:
                for mesh in (p for p in prims[node.id].GetChildren() if p.IsA(UsdGeom.Mesh)):
                    bound = UsdSkel.BindingAPI.Apply(mesh)
                    bound.CreateSkeletonRel().SetTargets([path])
                    bound.CreateGeomBindTransformAttr(Gf.Matrix4d(to_stage.T.tolist()))
    return made


def _parents(scene: Scene, skin: Skin) -> list[int]:
    """For each joint the number of the nearest joint above it, -1 for none."""
    at = {joint: k for k, joint in enumerate(skin.joints)}
    found = []
    for joint in skin.joints:
        here = scene.nodes[joint].parent
        while here is not None and here not in at:
            here = scene.nodes[here].parent
        found.append(at[here] if here is not None else -1)
    return found


def _tokens(scene: Scene, skin: Skin, above: list[int]) -> list[str]:
    """Joint paths: names of the joints above, then its own."""
    made: dict[int, str] = {}
    taken: dict[int, set[str]] = {}

    def token(k: int) -> str:
        if k not in made:
            own = identifier(scene.nodes[skin.joints[k]].name, taken.setdefault(above[k], set()))
            made[k] = f"{token(above[k])}/{own}" if above[k] >= 0 else own
        return made[k]

    return [token(k) for k in range(len(skin.joints))]


def _home(scene: Scene, skin: Skin) -> str | None:
    """The node that the topmost joints hang on together.

    The skeleton lies there: an animation holds turns and sizes only, no shear from above.
    """
    lines = []
    for joint in skin.joints:
        line: list[str] = []
        here = scene.nodes[joint].parent
        while here is not None:
            line.insert(0, here)
            here = scene.nodes[here].parent
        lines.append(line)
    shared = None
    for step in zip(*lines):
        if len(set(step)) > 1 or step[0] in skin.joints:
            break
        shared = step[0]
    return shared


def _locals(skin: Skin, above: list[int], world: dict[str, Doubles], home: str | None) -> list[Doubles]:
    """Each joint's matrix in the joint above it, or in the skeleton."""
    placed = [world[joint] for joint in skin.joints]
    base = np.linalg.pinv(world[home]) if home is not None else np.eye(4)
    return [(np.linalg.pinv(placed[k]) if k >= 0 else base) @ m for k, m in zip(above, placed)]


def _animated(
    stage: Any,
    scene: Scene,
    skin: Skin,
    above: list[int],
    home: str | None,
    tokens: list[str],
    path: Any,
    timeline: Timeline,
) -> Any:
    """The skeleton's animation, sampled wherever anything above or of it has a key; None where nothing moves
    it.
    """
    moving = _with_ancestors(scene, skin.joints)
    times: list[tuple[float, dict[str, Doubles]]] = []
    for span in timeline.spans:
        if not any(c.node in moving and c.path != "weights" for c in span.clip.channels):
            continue
        keys = {code for n in moving for code in _codes(timeline, span, n)}
        for code in sorted(keys):
            local, _ = posed_matrices(scene, span.clip, code / timeline.rate - span.shift_s)
            times.append((code, local))
    if not times:
        return None
    animation = UsdSkel.Animation.Define(stage, path.AppendChild("Motion"))
    animation.CreateJointsAttr(tokens)
    translations, rotations, scales = (
        animation.CreateTranslationsAttr(),
        animation.CreateRotationsAttr(),
        animation.CreateScalesAttr(),
    )
    for code, local in times:
        world = world_of(scene, local)
        parts = [decompose(m) for m in _locals(skin, above, world, home)]
        at = Usd.TimeCode(code)
        translations.Set(Vt.Vec3fArray([Gf.Vec3f(*(float(v) for v in t)) for t, _, _ in parts]), at)
        rotations.Set(
            Vt.QuatfArray(
                [Gf.Quatf(float(q[3]), float(q[0]), float(q[1]), float(q[2])) for _, q, _ in parts]
            ),
            at,
        )
        scales.Set(Vt.Vec3hArray([Gf.Vec3h(*(float(v) for v in s)) for _, _, s in parts]), at)
    return animation.GetPath()


def _codes(timeline: Timeline, span: Span, node: str) -> list[float]:
    return [
        timeline.code(float(t) + span.shift_s)
        for c in span.clip.channels
        if c.node == node and c.path != "weights"
        for t in straight_times(c)
    ]


def _with_ancestors(scene: Scene, nodes: tuple[str, ...]) -> set[str]:
    found: set[str] = set()
    for node in nodes:
        here: str | None = node
        while here is not None and here not in found:
            found.add(here)
            here = scene.nodes[here].parent
    return found


def _matrices(tables: list[Doubles]) -> Any:
    return Vt.Matrix4dArray([Gf.Matrix4d(m.T.tolist()) for m in tables])


def write_weights(
    stage: Any, scene: Scene, prims: dict[str, Any], skeletons: dict[str, Any], timeline: Timeline
) -> None:
    """Weights of shapes over time, in the animation of the skeleton that a part hangs on."""
    for node in scene.nodes.values():
        mesh = scene.meshes.get(node.mesh or "")
        if mesh is None or not (any(node.shape_weights) or timeline.moves(node.id, ("weights",))):
            continue
        meshes = [
            p for p in Usd.PrimRange(prims[node.id], Usd.TraverseInstanceProxies()) if p.IsA(UsdGeom.Mesh)
        ]
        tokens = next((list(UsdSkel.BindingAPI(p).GetBlendShapesAttr().Get() or []) for p in meshes), [])
        if tokens:
            _write_weights(
                stage, node, prims[node.id], meshes, skeletons.get(node.skin or ""), tokens, timeline
            )


def _write_weights(
    stage: Any, node: Node, prim: Any, meshes: list[Any], skeleton: Any, tokens: list[str], timeline: Timeline
) -> None:
    """UsdSkel takes weights from a skeleton's animation alone: a part without one gets a skeleton without
    joints.
    """
    if skeleton is None:
        skeleton = UsdSkel.Skeleton.Define(stage, prim.GetPath().AppendChild("Shapes")).GetPrim()
        for mesh in meshes if not meshes[0].IsInstanceProxy() else [prim]:
            UsdSkel.BindingAPI.Apply(mesh).CreateSkeletonRel().SetTargets([skeleton.GetPath()])
    bound = UsdSkel.BindingAPI.Apply(skeleton).GetAnimationSource()
    animation = (
        UsdSkel.Animation(bound)
        if bound
        else UsdSkel.Animation.Define(stage, skeleton.GetPath().AppendChild("Weights"))
    )
    animation.CreateBlendShapesAttr(tokens)
    weights = animation.CreateBlendShapeWeightsAttr()
    rest = np.zeros(len(tokens))
    count = min(len(tokens), len(node.shape_weights))
    rest[:count] = node.shape_weights[:count]
    weights.Set(Vt.FloatArray(rest.tolist()))
    for code, value in timeline.keys(node.id, "weights", rest):
        weights.Set(Vt.FloatArray([float(v) for v in value[: len(tokens)]]), Usd.TimeCode(code))
    UsdSkel.BindingAPI(skeleton).CreateAnimationSourceRel().SetTargets([animation.GetPath()])
