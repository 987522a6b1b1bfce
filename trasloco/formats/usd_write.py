"""The neutral scene to OpenUSD: the tree of nodes with transforms, instances, motion, skeletons, MaterialX
networks and UsdLux lights.

The scene stays in metres and Y up below a root whose transform is the stage's axis and unit, so that no
place, pivot or key is rounded.
"""

from __future__ import annotations

import json
import os
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from pxr import Gf, Kind, Sdf, Usd, UsdGeom, UsdSkel

from trasloco.formats.usd_clouds import write_cloud
from trasloco.formats.usd_names import CUSTOM_NAME, EXTRAS, LAYER_PREFIX, identifier
from trasloco.formats.usd_obstacles import write_obstacles
from trasloco.formats.usd_timeline import Timeline
from trasloco.formats.usd_write_lights import write_camera, write_dome, write_light
from trasloco.formats.usd_write_meshes import Meshes
from trasloco.formats.usd_write_rigs import write_skeletons, write_weights
from trasloco.formats.usd_write_shading import write_materials
from trasloco.formats.usd_write_variants import write_variants
from trasloco.scene.model import Doubles, Node, Scene
from trasloco.scene.tags import KEY, tags_json
from trasloco.scene.transforms import Y_UP_FROM


@dataclass(frozen=True)
class Ways:
    """What a layer may say in several ways: materials as ``networks``, with a ``preview`` surface, or both;
    lamps' numbers in ``lumens``; ``obstacles`` as shapes beside the words for them.
    """

    networks: bool = True
    preview: bool = True
    lumens: bool = False
    obstacles: bool = False


def write_usd(
    scene: Scene,
    up_axis: str,
    unit_m: float,
    layer: str = "scene.usdc",
    ways: Ways | None = None,
) -> bytes:
    """A USD layer. Image paths are relative to it, as in each image's ``path``.

    ``up_axis`` is ``Y`` or ``Z``; ``unit_m`` metres a stage unit.
    """
    handle, path = tempfile.mkstemp(suffix=Path(layer).suffix)
    os.close(handle)
    Path(path).unlink()
    stage = Usd.Stage.CreateNew(path)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z if up_axis == "Z" else UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, unit_m)
    to_stage: Doubles = np.asarray(np.linalg.inv(Y_UP_FROM[up_axis]), np.float64)
    to_stage[:3, :3] /= unit_m
    _Writer(stage, scene, to_stage, unit_m, ways or Ways()).write()
    stage.GetRootLayer().Save()
    del stage
    data = Path(path).read_bytes()
    Path(path).unlink()
    return data


class _Writer:
    """One pass over the tree. ``prims`` has the prim of every node."""

    def __init__(self, stage: Any, scene: Scene, to_stage: Doubles, unit_m: float, ways: Ways) -> None:
        self.ways = ways
        self.stage, self.scene, self.to_stage, self.unit_m = stage, scene, to_stage, unit_m
        self.prims: dict[str, Any] = {}
        self.world = scene.world_matrices()
        self.taken: dict[Any, set[str]] = {}

    def write(self) -> None:
        stage, scene = self.stage, self.scene
        self.timeline = Timeline(stage, scene)
        holder = (
            UsdSkel.Root
            if scene.skins or any(m.morph_names for m in scene.meshes.values())
            else UsdGeom.Xform
        )
        root = holder.Define(stage, "/" + identifier(scene.name, set()))
        stage.SetDefaultPrim(root.GetPrim())
        Usd.ModelAPI(root.GetPrim()).SetKind(Kind.Tokens.component)
        if not np.allclose(self.to_stage, np.eye(4)):
            UsdGeom.Xformable(root).AddTransformOp().Set(Gf.Matrix4d(self.to_stage.T.tolist()))
        path = root.GetPath()
        self.taken[path] = {"materials", "skeletons", "environment", "prototypes"}
        if scene.payload.get("extras"):
            root.GetPrim().SetCustomDataByKey(EXTRAS, json.dumps(scene.payload["extras"]))
        materials = write_materials(stage, scene, path, self.unit_m, self.ways.networks, self.ways.preview)
        meshes = Meshes(stage, scene, path, materials)
        for node in scene.nodes.values():
            self.node(node, self.prims[node.parent].GetPath() if node.parent in self.prims else path, meshes)
        write_variants(root.GetPrim(), scene.variants, meshes)
        skeletons = write_skeletons(stage, scene, path, self.to_stage, self.prims, self.timeline)
        write_weights(stage, scene, self.prims, skeletons, self.timeline)
        write_dome(stage, scene, path)
        self.layers(root.GetPrim())

    def node(self, node: Node, above: Any, meshes: Meshes) -> None:
        """A node as a transform with its name, tags and custom properties; what it holds lies below it
        without a place of its own.
        """
        scene = self.scene
        path = above.AppendChild(identifier(node.name, self.taken.setdefault(above, set())))
        shape = UsdGeom.Xform.Define(self.stage, path)
        prim = self.prims[node.id] = shape.GetPrim()
        prim.CreateAttribute(CUSTOM_NAME, Sdf.ValueTypeNames.String, True).Set(node.name)
        for key, value in tags_json(node.tags).items():
            prim.SetCustomDataByKey(f"{KEY}:{key}", value)
        if node.payload.get("extras"):
            prim.SetCustomDataByKey(EXTRAS, json.dumps(node.payload["extras"]))
        self.timeline.place(shape, node)
        inside = self.taken.setdefault(path, set())
        if node.mesh in scene.meshes:
            meshes.below(prim, node, inside)
            if self.ways.obstacles:
                write_obstacles(self.stage, path, node, scene.meshes[node.mesh or ""], inside)
        light = scene.lights.get(node.light or "")
        if light is not None:
            below = path.AppendChild(identifier("light", inside))
            made = write_light(self.stage, below, light, self.unit_m, self.ways.lumens)
            self.rigid(made, node)
        cloud = scene.clouds.get(node.cloud or "")
        if cloud is not None:
            write_cloud(self.stage, path.AppendChild(identifier("points", inside)), cloud)
        camera = scene.cameras.get(node.camera or "")
        if camera is not None:
            made = write_camera(
                self.stage, path.AppendChild(identifier("camera", inside)), camera, self.unit_m
            )
            self.rigid(made, node)

    def rigid(self, shape: Any, node: Node) -> None:
        """Lamps and cameras have no size of their own: what their part is scaled by is taken off."""
        world = self.world[node.id]
        size = np.linalg.norm(world[:3, :3], axis=0)
        if np.abs(size - 1).max() < 1e-9 or size.min() < 1e-9:
            return
        back = world[:3, 2] / size[2]
        up = world[:3, 1] - back * (back @ world[:3, 1])
        up = up / max(float(np.linalg.norm(up)), 1e-12)
        turned = world.copy()
        turned[:3, :3] = np.stack([np.cross(up, back), up, back], axis=1)
        UsdGeom.Xformable(shape).AddTransformOp().Set(Gf.Matrix4d((np.linalg.inv(world) @ turned).T.tolist()))

    def layers(self, root: Any) -> None:
        """Layers of the source as collections of the root, named as they were."""
        names = dict.fromkeys(layer for node in self.scene.nodes.values() for layer in node.layers)
        for number, name in enumerate(names):
            held = Usd.CollectionAPI.Apply(root, f"{LAYER_PREFIX}{number}")
            held.CreateExpansionRuleAttr(Usd.Tokens.explicitOnly)
            held.CreateIncludesRel().SetDisplayName(name)
            for node in self.scene.nodes.values():
                if name in node.layers:
                    held.IncludePath(self.prims[node.id].GetPath())
