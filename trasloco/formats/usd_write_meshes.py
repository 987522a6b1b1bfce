"""Meshes of a USD layer: one prim a mesh with its slots as subsets, a shared prototype where several parts
wear the same one.
"""

from __future__ import annotations

import json
from collections import Counter
from typing import Any

import numpy as np
import numpy.typing as npt
from pxr import Sdf, UsdGeom, UsdShade, UsdSkel, Vt

from trasloco.formats.usd_names import CUSTOM_NAME, EXTRAS, MESH_NAME, identifier, uv_name
from trasloco.scene.model import Mesh, Node, Primitive, Scene

_NAMES = Sdf.ValueTypeNames


class Meshes:
    """Writes each mesh once. Skinned meshes are not shared, since each hangs on a skeleton of its own."""

    def __init__(self, stage: Any, scene: Scene, root: Any, materials: dict[str, Any]) -> None:
        self.stage, self.scene, self.root, self.materials = stage, scene, root, materials
        worn = Counter(n.mesh for n in scene.nodes.values() if n.mesh is not None and n.skin is None)
        self.shared = {id for id, count in worn.items() if count > 1}
        self.prototypes: dict[str, Any] = {}
        self.taken: set[str] = set()
        self.varied: list[tuple[Any, Primitive]] = []

    def below(self, prim: Any, node: Node, inside: set[str]) -> None:
        """The node's mesh below its prim."""
        mesh = self.scene.meshes[node.mesh or ""]
        if mesh.id not in self.shared or node.skin is not None:
            self.write(prim.GetPath(), mesh, node, inside)
            return
        if mesh.id not in self.prototypes:
            holder = self.root.AppendChild("Prototypes")
            self.stage.CreateClassPrim(holder)
            made = UsdGeom.Xform.Define(self.stage, holder.AppendChild(identifier(mesh.name, self.taken)))
            self.write(made.GetPath(), mesh, node, set())
            self.prototypes[mesh.id] = made.GetPath()
        copy = UsdGeom.Xform.Define(
            self.stage, prim.GetPath().AppendChild(identifier("shape", inside))
        ).GetPrim()
        copy.GetInherits().AddInherit(self.prototypes[mesh.id])
        copy.SetInstanceable(True)

    def write(self, above: Any, mesh: Mesh, node: Node, taken: set[str]) -> None:
        """Mesh prims below a path: one for all slots that hold the same kinds of values, in order."""
        runs: list[list[Primitive]] = []
        for primitive in mesh.primitives:
            if not len(primitive.indices):
                continue
            if runs and _kinds(runs[-1][0]) == _kinds(primitive):
                runs[-1].append(primitive)
            else:
                runs.append([primitive])
        for run in runs:
            made = UsdGeom.Mesh.Define(self.stage, above.AppendChild(identifier(mesh.name, taken)))
            made.GetPrim().CreateAttribute(MESH_NAME, _NAMES.String, True).Set(mesh.name)
            if mesh.payload.get("extras"):
                made.GetPrim().SetCustomDataByKey(EXTRAS, json.dumps(mesh.payload["extras"]))
            self._points(made, run)
            self._slots(made, run)
            self._morphs(made, mesh, run)
            if node.skin in self.scene.skins:
                self._weights(made, run)

    def _points(self, made: Any, run: list[Primitive]) -> None:
        starts = np.cumsum([0, *(len(p.positions) for p in run[:-1])])
        points = _joined([p.positions for p in run])
        indices = np.concatenate([p.indices.astype(np.int64) + s for p, s in zip(run, starts)])
        made.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(points))
        made.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(indices), 3, np.int32)))
        made.CreateFaceVertexIndicesAttr(
            Vt.IntArray.FromNumpy(np.ascontiguousarray(indices.reshape(-1), np.int32))
        )
        made.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        made.CreateExtentAttr(Vt.Vec3fArray.FromNumpy(np.array([points.min(axis=0), points.max(axis=0)])))
        variables = UsdGeom.PrimvarsAPI(made)
        first = run[0]
        if first.normals is not None:
            made.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(_joined([p.normals for p in run])))
            made.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
        if first.tangents is not None:
            held = variables.CreatePrimvar("tangents", _NAMES.Float4Array, UsdGeom.Tokens.vertex)
            held.Set(Vt.Vec4fArray.FromNumpy(_joined([p.tangents for p in run])))
        for k in range(len(first.uvs)):
            uv = _joined([p.uvs[k] for p in run])
            up = np.ascontiguousarray(np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1), np.float32)
            variables.CreatePrimvar(uv_name(k), _NAMES.TexCoord2fArray, UsdGeom.Tokens.vertex).Set(
                Vt.Vec2fArray.FromNumpy(up)
            )
        if first.colors is not None:
            colors = _joined([p.colors for p in run])
            made.CreateDisplayColorPrimvar(UsdGeom.Tokens.vertex).Set(
                Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(colors[:, :3]))
            )
            if (colors[:, 3] != 1).any():
                made.CreateDisplayOpacityPrimvar(UsdGeom.Tokens.vertex).Set(
                    Vt.FloatArray.FromNumpy(np.ascontiguousarray(colors[:, 3]))
                )

    def _slots(self, made: Any, run: list[Primitive]) -> None:
        """One material bound to the whole, or a subset of faces a slot."""
        worn = [m for m in (self.scene.materials.get(p.material or "") for p in run) if m is not None]
        if worn:
            made.CreateDoubleSidedAttr(any(m.double_sided for m in worn))
        if len(run) == 1:
            self._bind(made.GetPrim(), run[0])
            return
        start = 0
        for number, primitive in enumerate(run):
            faces = np.arange(start, start + len(primitive.indices), dtype=np.int32)
            start += len(primitive.indices)
            subset = UsdGeom.Subset.CreateGeomSubset(
                made,
                f"slot{number}",
                UsdGeom.Tokens.face,
                Vt.IntArray.FromNumpy(faces),
                UsdShade.Tokens.materialBind,
                UsdGeom.Tokens.partition,
            )
            self._bind(subset.GetPrim(), primitive)

    def _bind(self, prim: Any, primitive: Primitive) -> None:
        if primitive.variants:  # what is said beside a variant is stronger than it
            self.varied.append((prim.GetPath(), primitive))
            return
        shade = self.materials.get(primitive.material or "")
        if shade is not None:
            UsdShade.MaterialBindingAPI.Apply(prim).Bind(shade)

    def _morphs(self, made: Any, mesh: Mesh, run: list[Primitive]) -> None:
        count = len(run[0].morphs)
        if not count:
            return
        taken: set[str] = set()
        paths, tokens = [], []
        for k in range(count):
            name = mesh.morph_names[k] if k < len(mesh.morph_names) else f"shape {k + 1}"
            token = identifier(name, taken)
            shape = UsdSkel.BlendShape.Define(self.stage, made.GetPath().AppendChild(token))
            shape.GetPrim().CreateAttribute(CUSTOM_NAME, _NAMES.String, True).Set(name)
            offsets = _joined([_or_zero(p.morphs[k].positions, p) for p in run])
            shape.CreateOffsetsAttr(Vt.Vec3fArray.FromNumpy(offsets))
            if any(p.morphs[k].normals is not None for p in run):
                turns = _joined([_or_zero(p.morphs[k].normals, p) for p in run])
                shape.CreateNormalOffsetsAttr(Vt.Vec3fArray.FromNumpy(turns))
            paths.append(shape.GetPath())
            tokens.append(token)
        binding = UsdSkel.BindingAPI.Apply(made.GetPrim())
        binding.CreateBlendShapesAttr(tokens)
        binding.CreateBlendShapeTargetsRel().SetTargets(paths)

    def _weights(self, made: Any, run: list[Primitive]) -> None:
        """Which joints pull at each point, and how much."""
        binding = UsdSkel.BindingAPI.Apply(made.GetPrim())
        width = run[0].joints.shape[1]  # type: ignore[union-attr]
        joints = np.concatenate([p.joints for p in run]).astype(np.int32)  # type: ignore[misc]
        pulls = np.concatenate([p.weights for p in run]).astype(np.float32)  # type: ignore[misc]
        binding.CreateJointIndicesPrimvar(False, width).Set(
            Vt.IntArray.FromNumpy(np.ascontiguousarray(joints.reshape(-1)))
        )
        binding.CreateJointWeightsPrimvar(False, width).Set(
            Vt.FloatArray.FromNumpy(np.ascontiguousarray(pulls.reshape(-1)))
        )


def _kinds(primitive: Primitive) -> tuple[object, ...]:
    """Which values a primitive has; slots with different ones cannot share a prim."""
    return (
        primitive.normals is None,
        primitive.tangents is None,
        len(primitive.uvs),
        primitive.colors is None,
        len(primitive.morphs),
        primitive.joints is None or primitive.weights is None,
    )


def _joined(tables: list[Any]) -> npt.NDArray[np.float32]:
    return np.ascontiguousarray(np.concatenate(tables), np.float32)


def _or_zero(table: Any, primitive: Primitive) -> Any:
    return table if table is not None else np.zeros_like(primitive.positions)
