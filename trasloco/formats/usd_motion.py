"""Motion of a USD stage: transforms over time, skeletons with their animation, blend shapes."""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import Usd, UsdGeom, UsdSkel

from trasloco.formats.reading import Notes, weights_on
from trasloco.formats.usd_names import CUSTOM_NAME, JOINTS
from trasloco.scene.model import Channel, Doubles, Skin
from trasloco.scene.transforms import decompose


def local_matrix(prim: Any, time: Any) -> tuple[Doubles, bool]:
    """A prim's own transform (column vectors) at a time, and whether it starts afresh from the world."""
    shape = UsdGeom.Xformable(prim)
    if not shape:
        return np.eye(4), False
    if (
        shape.TransformMightBeTimeVarying()
        and time == Usd.TimeCode.EarliestTime()
        and all(op.GetAttr().Get() is not None for op in shape.GetOrderedXformOps())
    ):
        time = Usd.TimeCode.Default()  # the pose at rest is stated apart from the motion
    matrix = shape.GetLocalTransformation(time)
    return np.array(matrix, np.float64).T, bool(shape.GetResetXformStack())


def transform_channels(prim: Any, part: str, rate: float) -> list[Channel]:
    """Translation, rotation and scale at the transform's own time samples; none for a still prim.

    ``rate`` is time codes a second.
    """
    shape = UsdGeom.Xformable(prim)
    samples = shape.GetTimeSamples() if shape else []
    if len(samples) < 2:
        return []
    return tracks(part, np.array(samples) / rate, [local_matrix(prim, Usd.TimeCode(t))[0] for t in samples])


def tracks(part: str, times_s: Any, matrices: list[Doubles]) -> list[Channel]:
    """Three LINEAR channels of a part from its matrices at some times, rotations kept on one side."""
    moved = [decompose(m) for m in matrices]
    turns = np.array([m[1] for m in moved])
    for k in range(1, len(turns)):
        if turns[k] @ turns[k - 1] < 0:
            turns[k] = -turns[k]
    start = np.asarray(times_s, np.float32)
    values = (
        ("translation", np.array([m[0] for m in moved])),
        ("rotation", turns),
        ("scale", np.array([m[2] for m in moved])),
    )
    return [Channel(part, path, start, v.astype(np.float32)) for path, v in values]  # type: ignore[arg-type]


class Skeletons:
    """Joints as nodes below their skeleton, and the skins of bound meshes."""

    def __init__(self, notes: Notes, rate: float) -> None:
        self.notes, self.rate = notes, rate
        self.cache = UsdSkel.Cache()
        self.joints: dict[str, list[str]] = {}
        self.joint_names: dict[str, list[str]] = {}
        self.channels: list[Channel] = []
        self.placed: dict[str, list[str]] = {}
        self.names: dict[str, str] = {}
        self.still: dict[str, tuple[float, ...]] = {}

    def read_placed(self, prim: Any) -> bool:
        """A skeleton whose joints lie in the tree as prims of their own: they are the joints, and move by
        themselves.
        """
        related = prim.GetRelationship(JOINTS)
        targets = [str(t) for t in related.GetTargets()] if related else []
        names = [str(n) for n in UsdSkel.Skeleton(prim).GetJointsAttr().Get() or []]
        if not targets or len(targets) != len(names):
            return False
        path = str(prim.GetPath())
        self.placed[path], self.joint_names[path] = targets, names
        named = prim.GetAttribute(CUSTOM_NAME)
        if named and named.HasValue():
            self.names[path] = str(named.Get())
        return True

    def settle(self, part_of: dict[str, str]) -> None:
        """Joints that lie in the tree by the parts they became; a skeleton that misses one hangs on nothing."""
        for path, targets in self.placed.items():
            if all(target in part_of for target in targets):
                self.joints[path] = [part_of[target] for target in targets]

    def weights(self, prim: Any, part: str, tokens: list[str]) -> None:
        """Weights of a mesh's shapes over time, from the animation that reaches it or its skeleton."""
        binding = UsdSkel.BindingAPI(prim)
        skeleton = binding.GetInheritedSkeleton()
        bound = UsdSkel.BindingAPI(skeleton.GetPrim()).GetInheritedAnimationSource() if skeleton else None
        bound = bound or binding.GetInheritedAnimationSource()
        animation = UsdSkel.Animation(bound) if bound else None
        if not animation or not tokens or any(c.node == part and c.path == "weights" for c in self.channels):
            return
        known = [str(t) for t in animation.GetBlendShapesAttr().Get() or []]
        attribute = animation.GetBlendShapeWeightsAttr()
        samples = attribute.GetTimeSamples()
        rows = [list(attribute.Get(t) or []) for t in samples]
        order = [known.index(t) if t in known else -1 for t in tokens]
        still = list(attribute.Get(Usd.TimeCode.Default()) or (rows[0] if len(rows) == 1 else []))
        if len(still) == len(known):
            self.still[part] = weights_on(still[k] if k >= 0 else 0.0 for k in order)
        if len(samples) < 2 or any(len(row) != len(known) for row in rows):
            return
        table = np.array([[row[k] if k >= 0 else 0.0 for k in order] for row in rows], np.float32)
        self.channels.append(
            Channel(part, "weights", (np.array(samples) / self.rate).astype(np.float32), table)
        )

    def read(self, prim: Any, part: str, add_node: Any) -> None:
        """A skeleton's joints, through ``add_node(name, parent part, matrix) -> part``, with their motion."""
        skeleton = UsdSkel.Skeleton(prim)
        names = [str(n) for n in skeleton.GetJointsAttr().Get() or []]
        rest = [np.array(m, np.float64).T for m in skeleton.GetRestTransformsAttr().Get() or []]
        if not names:
            return
        rest += [np.eye(4)] * (len(names) - len(rest))
        made: dict[str, str] = {}
        for name, matrix in zip(names, rest, strict=False):
            above, _, own = name.rpartition("/")
            made[name] = add_node(own or name, made.get(above, part), matrix)
        self.joint_names[str(prim.GetPath())] = names
        self.joints[str(prim.GetPath())] = [made[name] for name in names]
        self._animate(prim, names, made)

    def _animate(self, prim: Any, names: list[str], made: dict[str, str]) -> None:
        bound = UsdSkel.BindingAPI(prim).GetInheritedAnimationSource()
        animation = UsdSkel.Animation(bound) if bound else None
        if not animation:
            return
        joints = [str(n) for n in animation.GetJointsAttr().Get() or []]
        attributes = (
            animation.GetTranslationsAttr(),
            animation.GetRotationsAttr(),
            animation.GetScalesAttr(),
        )
        samples = sorted({t for a in attributes for t in a.GetTimeSamples()})
        if len(samples) < 2:
            return
        times = (np.array(samples) / self.rate).astype(np.float32)
        for attribute, path, width in zip(
            attributes, ("translation", "rotation", "scale"), (3, 4, 3), strict=True
        ):
            rows = []
            for t in samples:
                value = attribute.Get(t)
                if value is None or len(value) != len(joints):
                    break
                rows.append(
                    [[*q.GetImaginary(), q.GetReal()] for q in value]
                    if path == "rotation"
                    else [list(v) for v in value]
                )
            if len(rows) != len(samples):
                continue
            table = np.array(rows, np.float32).reshape(len(samples), len(joints), width)
            self.channels += [
                Channel(made[name], path, times, table[:, k])  # type: ignore[arg-type]
                for k, name in enumerate(joints)
                if name in made  # type: ignore[arg-type]
            ]  # type: ignore[arg-type]

    def skin(self, prim: Any, id: str, label: str) -> tuple[Skin, Any, Any] | None:
        """The skin of a mesh with its joints (points, 4) and weights (points, 4), or None when it is not
        bound.
        """
        binding = UsdSkel.BindingAPI(prim)
        skeleton = binding.GetInheritedSkeleton()
        indices, weights = binding.GetJointIndicesPrimvar(), binding.GetJointWeightsPrimvar()
        if not skeleton or not indices.HasValue() or not weights.HasValue():
            return None
        path = str(skeleton.GetPrim().GetPath())
        if path not in self.joints:
            return None
        width = max(int(indices.GetElementSize()), 1)
        at, value = (
            np.array(indices.ComputeFlattened(), np.int64).reshape(-1, width),
            np.array(weights.ComputeFlattened(), np.float64).reshape(-1, width),
        )
        order = np.argsort(-value, axis=1)[:, :4]
        at, value = np.take_along_axis(at, order, 1), np.take_along_axis(value, order, 1)
        if width > 4 and float((1 - value.sum(axis=1)).max(initial=0)) > 0.01:
            self.notes.note(
                "assumed",
                "More than four joints pull at a point",
                label,
                "The four strongest are kept, their weights scaled to one.",
                weight=15,
            )
        missing = 4 - at.shape[1]
        if missing > 0:
            at, value = np.pad(at, ((0, 0), (0, missing))), np.pad(value, ((0, 0), (0, missing)))
        own = [str(n) for n in binding.GetJointsAttr().Get() or []]
        names = self.joint_names[path]
        if own:
            at = np.array([names.index(n) if n in names else 0 for n in own])[np.clip(at, 0, len(own) - 1)]
        at = np.clip(at, 0, len(names) - 1)
        total = value.sum(axis=1, keepdims=True)
        value = np.where(total > 0, value / np.maximum(total, 1e-12), [[1, 0, 0, 0]])
        bind = [
            np.array(m, np.float64).T
            for m in UsdSkel.Skeleton(skeleton.GetPrim()).GetBindTransformsAttr().Get() or []
        ]
        bind += [np.eye(4)] * (len(names) - len(bind))
        shape = binding.GetGeomBindTransformAttr().Get()
        geometry = np.array(shape, np.float64).T if shape is not None else np.eye(4)
        inverse = np.array([np.linalg.pinv(m) @ geometry for m in bind[: len(names)]])
        return (
            Skin(id, label, tuple(self.joints[path]), inverse),
            at.astype(np.uint16),
            value.astype(np.float32),
        )


def blend_shapes(prim: Any, count: int) -> list[tuple[str, Doubles, Doubles | None]]:
    """Names, point offsets and normal offsets, each (count, 3) or None, of a mesh's blend shapes."""
    binding = UsdSkel.BindingAPI(prim)
    targets = binding.GetBlendShapeTargetsRel().GetTargets() if binding.GetBlendShapeTargetsRel() else []
    found: list[tuple[str, Doubles, Doubles | None]] = []
    for path in targets:
        shape = UsdSkel.BlendShape(prim.GetStage().GetPrimAtPath(path))
        indices = shape.GetPointIndicesAttr().Get() if shape else None
        table = _spread(shape.GetOffsetsAttr().Get() if shape else None, indices, count)
        turned = shape.GetNormalOffsetsAttr().Get() if shape else None
        turns = _spread(turned, indices, count) if turned else None
        named = shape.GetPrim().GetAttribute(CUSTOM_NAME) if shape else None
        found.append((str(named.Get()) if named and named.HasValue() else str(path.name), table, turns))
    return found


def _spread(offsets: Any, indices: Any, count: int) -> Doubles:
    """Offsets of some points as a table of all."""
    given = np.array(offsets or [], np.float64).reshape(-1, 3)
    table = np.zeros((count, 3))
    at = np.array(indices, np.int64) if indices else np.arange(len(given))
    sound = (at >= 0) & (at < count)
    if len(at) == len(given):
        table[at[sound]] = given[sound]
    return table
