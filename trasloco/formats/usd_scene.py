"""A composed USD stage as a scene."""

from __future__ import annotations

import posixpath
from dataclasses import replace
from typing import Any

import numpy as np
from pxr import Usd, UsdGeom, UsdLux, UsdSkel

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.reading import CLOUDS_TRAVEL, Notes
from trasloco.formats.usd_clouds import is_cloud, read_cloud
from trasloco.formats.usd_geometry import UsdMeshes, one_color
from trasloco.formats.usd_lights import is_dome, read_camera, read_dome, read_light
from trasloco.formats.usd_materials import UsdMaterials, UvSets
from trasloco.formats.usd_meshes import read_mesh
from trasloco.formats.usd_motion import Skeletons, local_matrix, transform_channels
from trasloco.formats.usd_names import CUSTOM_NAME, LAYER_PREFIX, own_words
from trasloco.formats.usd_obstacles import is_obstacle, read_obstacle
from trasloco.formats.usd_points import PointMotion
from trasloco.formats.usd_shapes import SHAPES, shape_primitive
from trasloco.formats.usd_skins import bind_skins
from trasloco.formats.usd_timeline import cut_apart, told_spans
from trasloco.limits import LIMITS
from trasloco.scene.images import identify, missing_image
from trasloco.scene.lit import Camera, Environment, Light
from trasloco.scene.model import Channel, Clip, Cloud, Declared, Mesh, Node, Scene
from trasloco.scene.tags import KEY, tags_of


class UsdReader:
    def __init__(self, stage: Any, path: str, files: Bundle, notes: Notes, lumens: bool = False) -> None:
        self.stage, self.path, self.files, self.notes = stage, path, files, notes
        self.lumens = lumens
        self.base = str(posixpath.dirname(path + ".d/x" if path.lower().endswith(".usdz") else path))
        uv_sets = UvSets()
        self.materials = UsdMaterials(stage, notes, self.image_of, uv_sets)
        self.shapes = UsdMeshes(notes, self.materials, uv_sets)
        self.rate = float(stage.GetTimeCodesPerSecond()) or 24.0
        self.skeletons = Skeletons(notes, self.rate)
        self.nodes: dict[str, Node] = {}
        self.meshes: dict[str, Mesh] = {}
        self.lights: dict[str, Light] = {}
        self.cameras: dict[str, Camera] = {}
        self.environment: Environment | None = None
        self.channels: list[Channel] = []
        self.skins: dict[str, Any] = {}
        self.part_of: dict[str, str] = {}
        self.held_by: set[str] = set()
        self.named: set[str] = set()
        self.to_bind: list[tuple[Any, str, str, int, list[Any]]] = []
        self.mesh_of: dict[str, str] = {}
        self.moved_points: dict[str, PointMotion] = {}
        self.clouds: dict[str, Cloud] = {}
        self.unit = float(UsdGeom.GetStageMetersPerUnit(stage))
        self.axis = "Z" if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z else "Y"

    def scene(self) -> Scene:
        stage = self.stage
        self._below(stage.GetPseudoRoot(), None)
        bind_skins(self)
        self._layers()
        clips = self._clips()
        root = stage.GetPseudoRoot()
        unit_said, axis_said = (
            bool(root.HasAuthoredMetadata("metersPerUnit")),
            bool(root.HasAuthoredMetadata("upAxis")),
        )
        declares = frozenset(
            {"roughness", "green", "tint", "vertex_color"}
            | ({"unit"} if unit_said else set())
            | ({"up_axis"} if axis_said else set())
        )
        materials = {m.id: m for m in self.materials.made.values()}
        return Scene(
            self.notes.stem,
            self._pruned(),
            self.meshes,
            materials,
            dict(self.notes.images),
            self.lights,
            self.cameras,
            self.skins,
            clips,
            self.environment,
            Declared(self.unit, "file" if unit_said else "guess", "the stage"),
            Declared(self.axis, "file" if axis_said else "guess", "the stage"),
            declares,
            payload=own_words(stage.GetDefaultPrim().GetCustomData()) if stage.GetDefaultPrim() else {},
            frame_rate=float(stage.GetFramesPerSecond())
            if root.HasAuthoredMetadata("framesPerSecond")
            else None,
            clouds=self.clouds,
        )

    def _clips(self) -> dict[str, Clip]:
        """What moves: one clip, or those that the layer says follow each other."""
        channels = self.channels + self.skeletons.channels
        spans = told_spans(self.stage)
        cut = (
            cut_apart(channels, spans) if spans else [(self.notes.stem, tuple(channels))] if channels else []
        )
        made = [Clip(self.notes.ids.make("clip", name), name, held) for name, held in cut]
        return {clip.id: clip for clip in made}

    def _layers(self) -> None:
        """Collections of the root that are layers, by the name they show."""
        root = self.stage.GetDefaultPrim()
        for held in Usd.CollectionAPI.GetAll(root) if root else []:
            if str(held.GetName()).startswith(LAYER_PREFIX) and held.GetIncludesRel().GetDisplayName():
                for path in held.GetIncludesRel().GetTargets():
                    part = self.part_of.get(str(path))
                    if part is not None:
                        node = self.nodes[part]
                        self.nodes[part] = replace(
                            node, layers=(*node.layers, str(held.GetIncludesRel().GetDisplayName()))
                        )

    def _below(self, top: Any, placed: str | None) -> None:
        """Everything from ``top`` down; ``placed`` is the part that an instancer puts ``top`` on."""
        prims = iter(Usd.PrimRange(top, Usd.TraverseInstanceProxies(Usd.PrimDefaultPredicate)))
        for prim in prims:
            if prim.IsPseudoRoot():
                continue
            self.prim(prim, placed if prim == top else None)
            if prim.IsA(UsdGeom.PointInstancer):
                prims.PruneChildren()  # prototypes below it are drawn where it puts them only

    def _pruned(self) -> dict[str, Node]:
        """Without scopes that hold nothing: folders of materials and the like."""
        kept: set[str] = set()
        joints = {j for s in self.skins.values() for j in s.joints} | {
            c.node for c in self.channels + self.skeletons.channels
        }
        for id, node in self.nodes.items():
            if node.mesh or node.light or node.camera or node.cloud or id in joints or id in self.named:
                here: str | None = id
                while here is not None and here not in kept:
                    kept.add(here)
                    here = self.nodes[here].parent
        still = self.skeletons.still
        return {
            id: replace(node, shape_weights=still.get(id, ())) if node.mesh else node
            for id, node in self.nodes.items()
            if id in kept
        }

    def _obstacle(self, prim: Any, node: Node) -> None:
        shape = read_obstacle(prim)
        if shape is not None:
            self.nodes[node.id] = replace(node, obstacles=(*node.obstacles, shape))

    def prim(self, prim: Any, placed: str | None = None) -> None:
        kind = str(prim.GetTypeName())
        if kind in ("Material", "Shader", "NodeGraph", "GeomSubset", "SkelAnimation", "BlendShape"):
            return
        parent = placed or self.part_of.get(str(prim.GetParent().GetPath()))
        if is_obstacle(prim) and parent in self.nodes:
            self._obstacle(prim, self.nodes[parent or ""])
            return
        name = self._name(prim)
        matrix, fresh = local_matrix(prim, Usd.TimeCode.EarliestTime())
        if self._folds(prim):
            self._folded(prim, parent or "", name)
            return
        if is_dome(prim):
            self._environment(prim)
            return
        if prim.IsA(UsdSkel.Skeleton) and (
            self.skeletons.read_placed(prim) or not UsdSkel.Skeleton(prim).GetJointsAttr().Get()
        ):
            return  # its joints lie in the tree, or it is there for weights of shapes alone
        part = self._node(name, None if fresh else parent, matrix)
        self.part_of[str(prim.GetPath())] = part
        if prim.HasAttribute(CUSTOM_NAME):
            self.named.add(part)
        data = prim.GetCustomData()
        if KEY in data:
            self.nodes[part] = replace(self.nodes[part], tags=tags_of(dict(data[KEY])))
        if own_words(data):
            self.nodes[part] = replace(self.nodes[part], payload=own_words(data))
        self.channels += transform_channels(prim, part, self.rate)
        if (
            UsdGeom.Imageable(prim)
            and UsdGeom.Imageable(prim).ComputeVisibility() == UsdGeom.Tokens.invisible
            and prim.IsA(UsdGeom.Gprim)
        ):
            self.notes.note(
                "hidden", "A part is marked invisible", name, "It is left out, as the file says.", weight=12
            )
        elif prim.IsA(UsdGeom.Mesh):
            if str(UsdGeom.Imageable(prim).ComputePurpose()) in ("proxy", "guide"):
                self.notes.note(
                    "hidden",
                    "A stand-in is left out",
                    f"{name} · {UsdGeom.Imageable(prim).ComputePurpose()}",
                    "The file marks it as not for the final picture.",
                    weight=8,
                )
            else:
                read_mesh(self, prim, part, name)
        elif prim.IsA(UsdSkel.Skeleton):
            self.skeletons.read(prim, part, self._node)
        elif prim.HasAPI(UsdLux.LightAPI):
            self._light(prim, part, name)
        elif prim.IsA(UsdGeom.Camera):
            self._camera(UsdGeom.Camera(prim), part, name)
        elif kind in SHAPES:
            self._shape(prim, part, name)
        elif prim.IsA(UsdGeom.PointInstancer):
            self._instances(UsdGeom.PointInstancer(prim), part, name)
        elif is_cloud(prim):
            self._cloud(prim, part, name)
        elif kind in ("NurbsCurves", "NurbsPatch", "Volume", "TetMesh"):
            self.notes.note(
                "unread",
                "A kind of shape that is not read",
                f"{name} · {kind}",
                "It stays behind; export it as a mesh.",
                weight=40,
            )

    def _shape(self, prim: Any, part: str, name: str) -> None:
        key = str((prim.GetPrimInPrototype() if prim.IsInstanceProxy() else prim).GetPath())
        if key in self.mesh_of:
            self.nodes[part] = replace(self.nodes[part], mesh=self.mesh_of[key])
            return
        primitive = shape_primitive(prim)
        if primitive is None:
            self.notes.note(
                "no_positions",
                "A shape without size",
                name,
                "It has nothing to show and is left out.",
                weight=20,
            )
            return
        id = self.notes.ids.make("mesh", name)
        self.meshes[id] = Mesh(
            id,
            name,
            (
                replace(
                    primitive,
                    material=self.shapes.bound_material(prim),
                    colors=one_color(prim, len(primitive.positions)),
                ),
            ),
        )
        self.mesh_of[key] = id
        self.nodes[part] = replace(self.nodes[part], mesh=id)

    def _instances(self, instancer: Any, part: str, name: str) -> None:
        """One part for every placed prototype; what a prototype holds is shared by all its places."""
        at = Usd.TimeCode.EarliestTime()
        prototypes = [
            self.stage.GetPrimAtPath(path) for path in instancer.GetPrototypesRel().GetForwardedTargets()
        ]
        chosen = np.array(instancer.GetProtoIndicesAttr().Get(at) or [], np.int64)
        places = instancer.ComputeInstanceTransformsAtTime(
            at, at, UsdGeom.PointInstancer.ExcludeProtoXform, UsdGeom.PointInstancer.IgnoreMask
        )
        shown = list(instancer.ComputeMaskAtTime(at)) or [True] * len(chosen)
        if (
            len(places) != len(chosen)
            or len(shown) != len(chosen)
            or ((chosen < 0) | (chosen >= len(prototypes))).any()
            or not all(prototypes)
        ):
            self.notes.note(
                "dead_reference",
                "Placed copies do not fit together",
                name,
                "Their places, kinds and models are not alike in number; they are left out.",
                weight=50,
            )
            return
        for number, (kind, place) in enumerate(zip(chosen, places, strict=True)):
            if not shown[number]:
                continue
            if len(self.nodes) > LIMITS.nodes:
                raise Refused(
                    "There are too many placed copies.", name, "Export fewer, or part of the scene."
                )
            self._below(
                prototypes[kind], self._node(f"{name} {number + 1}", part, np.array(place, np.float64).T)
            )

    def _folds(self, prim: Any) -> bool:
        """What lies without a place of its own below a holder that carries a part's name is what that part
        holds.
        """
        above = prim.GetParent()
        if not above.HasAttribute(CUSTOM_NAME) and str(above.GetPath()) not in self.held_by:
            return False
        lamp = prim.HasAPI(UsdLux.LightAPI) or prim.IsA(UsdGeom.Camera)
        if lamp and prim.HasAttribute(CUSTOM_NAME):
            return True  # whatever stands on it only takes the sizes of its part off
        if UsdGeom.Xformable(prim).GetOrderedXformOps():
            return False
        held = prim.IsA(UsdGeom.Mesh) or lamp or is_cloud(prim)
        return bool(held or (prim.IsInstance() and not prim.HasAttribute(CUSTOM_NAME)))

    def _folded(self, prim: Any, part: str, name: str) -> None:
        if prim.IsInstance() and not prim.IsA(UsdGeom.Mesh):
            self.held_by.add(str(prim.GetPath()))
            self.part_of[str(prim.GetPath())] = part
        elif prim.IsA(UsdGeom.Mesh):
            read_mesh(self, prim, part, name)
        elif prim.IsA(UsdGeom.Camera):
            self._camera(UsdGeom.Camera(prim), part, name)
        elif is_cloud(prim):
            self._cloud(prim, part, self.nodes[part].name)
        else:
            self._light(prim, part, name)

    def _name(self, prim: Any) -> str:
        attribute = prim.GetAttribute(CUSTOM_NAME)
        return (
            str(attribute.Get())
            if attribute and attribute.HasValue()
            else str(prim.GetDisplayName() or prim.GetName())
        )

    def _node(self, name: str, parent: str | None, matrix: Any) -> str:
        place = f"{parent.partition(':')[2]}/{name}" if parent else name
        part = self.notes.ids.make("part", place)
        self.nodes[part] = Node(part, name, parent, np.asarray(matrix, np.float64))
        return part

    def image_of(self, reference: str) -> str:
        """The image of an asset path, beside the layer or inside the package."""
        plain = reference.replace("\\", "/")
        if "[" in plain and plain.endswith("]"):
            plain = plain.partition("[")[2][:-1]
        found = self.files.find(plain, self.base + "/x" if self.base else "x")
        id = f"image:{found or plain}"
        if id not in self.notes.images:
            name = posixpath.basename(found or plain)
            if found is None:
                self.notes.images[id] = missing_image(id, name, plain)
            else:
                self.notes.used.add(found)
                self.notes.images[id] = identify(id, name, found, self.files.files[found])
        return id

    def _light(self, prim: Any, part: str, name: str) -> None:
        light = read_light(prim, self.notes.ids.make("light", name), name, self.unit, self.notes, self.lumens)
        self.lights[light.id] = light
        self.nodes[part] = replace(self.nodes[part], light=light.id)

    def _cloud(self, prim: Any, part: str, name: str) -> None:
        made = read_cloud(prim, self.notes.ids.make("cloud", name), name, self.notes)
        if made is not None:
            if not self.clouds:
                self.notes.note("clouds", "Points or lines without faces", name, CLOUDS_TRAVEL, weight=14)
            self.clouds[made.id] = replace(made, width_m=made.width_m * self.unit)
            self.nodes[part] = replace(self.nodes[part], cloud=made.id)

    def _camera(self, lens: Any, part: str, name: str) -> None:
        camera = read_camera(lens, self.notes.ids.make("camera", name), name, self.unit, self.notes)
        self.cameras[camera.id] = camera
        self.nodes[part] = replace(self.nodes[part], camera=camera.id)

    def _environment(self, prim: Any) -> None:
        """A dome light with a latitude-longitude image; one of a plain colour has no image to carry and is
        told.
        """
        asset = prim.GetAttribute("inputs:texture:file").Get()
        name = str(prim.GetName())
        note = self.notes.note
        if self.environment is not None:
            return note("doubled_sky", "A second sky", name, "Only the first lights the scene.", weight=45)
        if asset is None or not str(asset.path):
            return note(
                "assumed", "A sky of one colour", name, "It has no image, and stays behind.", weight=25
            )
        image = self.notes.images[self.image_of(str(asset.path))]
        self.environment, drawn = read_dome(prim, image, self.axis, self.unit, self.notes)
        self.notes.images[drawn.id] = drawn
