"""OpenUSD (.usda, .usdc, .usdz) to the neutral scene: composed prims, instances, materials, lights, cameras, motion and variants."""

from __future__ import annotations

import math
import posixpath
from dataclasses import replace
from typing import Any

import numpy as np
from pxr import Usd, UsdGeom, UsdLux, UsdSkel

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.reading import Notes, Read
from trasloco.formats.usd_geometry import UsdMeshes, one_color
from trasloco.formats.usd_materials import UsdMaterials, UvSets
from trasloco.formats.usd_motion import Skeletons, blend_shapes, local_matrix, transform_channels
from trasloco.formats.usd_shapes import SHAPES, shape_primitive
from trasloco.formats.usd_stage import opened_stage
from trasloco.formats.usd_write import CUSTOM_NAME
from trasloco.limits import LIMITS
from trasloco.scene.images import identify, missing_image
from trasloco.scene.model import Camera, Channel, Clip, Declared, Environment, Light, Mesh, MorphTarget, Node, Scene
from trasloco.scene.tags import KEY, tags_of
from trasloco.scene.transforms import settle_matrix

_MOST_VARIANTS = 8
_POINT_M = 0.002
"""Radius up to which a ball of light is meant as a point."""


def read_usd(path: str, bundle: Bundle) -> Read:
    """Read the layer or package at ``path`` with all it refers to.

    Raises:
        Refused: a layer that cannot be opened, or one made of files outside the delivery.
    """
    notes = Notes(path, bundle, used={path})
    with opened_stage(path, bundle, notes) as (stage, files):
        try:
            scene = _Reader(stage, path, files, notes).scene()
            variants = _variants(stage)
            if variants:
                scene = _with_variants(scene, stage, path, files, variants, notes)
        except (ValueError, IndexError, TypeError, AttributeError, RuntimeError) as error:
            raise Refused(f"The layer is damaged ({type(error).__name__}: {str(error)[:120]}).", path, "Export it again.") from error
    return scene, notes.findings, notes.used


def _variants(stage: Any) -> list[tuple[Any, str, str]]:
    """(prim path, set, variant) of every selection beside the one made."""
    found: list[tuple[Any, str, str]] = []
    for prim in stage.Traverse():
        sets = prim.GetVariantSets()
        for name in sets.GetNames():
            one = sets.GetVariantSet(name)
            found += [(prim.GetPath(), name, v) for v in one.GetVariantNames() if v != one.GetVariantSelection()]
    return found


def _with_variants(scene: Scene, stage: Any, path: str, files: Bundle, variants: list[tuple[Any, str, str]], notes: Notes) -> Scene:
    """Other selections whose meshes are the same and wear other materials become variants; others are told."""
    names: list[str] = []
    for prim_path, set_name, variant in variants[:_MOST_VARIANTS]:
        one = stage.GetPrimAtPath(prim_path).GetVariantSets().GetVariantSet(set_name)
        before = one.GetVariantSelection()
        stage.SetEditTarget(Usd.EditTarget(stage.GetSessionLayer()))
        one.SetVariantSelection(variant)
        other_notes = Notes(path, notes.bundle, used=notes.used)
        other = _Reader(stage, path, files, other_notes).scene()
        one.SetVariantSelection(before)
        label = f"{set_name} {variant}"
        same = list(other.meshes) == list(scene.meshes) and all(len(a.primitives) == len(b.primitives) and all(np.array_equal(p.positions, q.positions) for p, q in zip(a.primitives, b.primitives, strict=True)) for a, b in zip(scene.meshes.values(), other.meshes.values(), strict=True))
        if not same:
            notes.note("assumed", "A variant changes more than materials", label, f"It stays behind; the selection made in the file ({before}) travels.", weight=15)
            continue
        renamed = {m.id: f"{m.id}@{variant}" if m.id not in scene.materials or scene.materials[m.id] != m else m.id for m in other.materials.values()}
        materials = {renamed[m.id]: replace(m, id=renamed[m.id]) for m in other.materials.values()}
        meshes = {
            id: replace(mesh, primitives=tuple(replace(p, variants={**p.variants, label: renamed[q.material]}) if q.material and renamed[q.material] != p.material else p for p, q in zip(mesh.primitives, other.meshes[id].primitives, strict=True)))
            for id, mesh in scene.meshes.items()
        }
        scene = replace(scene, meshes=meshes, materials={**scene.materials, **materials}, images={**other.images, **scene.images})
        names.append(label)
    if len(variants) > _MOST_VARIANTS:
        notes.note("assumed", "More variants than are read", f"{len(variants)} selections", f"The first {_MOST_VARIANTS} are offered.", weight=10)
    return replace(scene, variants=tuple(names))


class _Reader:
    def __init__(self, stage: Any, path: str, files: Bundle, notes: Notes) -> None:
        self.stage, self.path, self.files, self.notes = stage, path, files, notes
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
        self.mesh_of: dict[str, str] = {}
        self.unit = float(UsdGeom.GetStageMetersPerUnit(stage))
        self.axis = "Z" if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z else "Y"

    def scene(self) -> Scene:
        stage = self.stage
        self._below(stage.GetPseudoRoot(), None)
        clip = Clip(self.notes.ids.make("clip", self.notes.stem), self.notes.stem, tuple(self.channels + self.skeletons.channels)) if self.channels or self.skeletons.channels else None
        root = stage.GetPseudoRoot()
        unit_said, axis_said = bool(root.HasAuthoredMetadata("metersPerUnit")), bool(root.HasAuthoredMetadata("upAxis"))
        declares = frozenset({"roughness", "green", "tint", "vertex_color"} | ({"unit"} if unit_said else set()) | ({"up_axis"} if axis_said else set()))
        materials = {m.id: m for m in self.materials.made.values()}
        return Scene(
            self.notes.stem, self._pruned(), self.meshes, materials, dict(self.notes.images), self.lights, self.cameras, self.skins, {clip.id: clip} if clip else {}, self.environment,
            Declared(self.unit, "file" if unit_said else "guess", "the stage"), Declared(self.axis, "file" if axis_said else "guess", "the stage"), declares,
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
        joints = {j for s in self.skins.values() for j in s.joints} | {c.node for c in self.channels + self.skeletons.channels}
        for id, node in self.nodes.items():
            if node.mesh or node.light or node.camera or id in joints:
                here: str | None = id
                while here is not None and here not in kept:
                    kept.add(here)
                    here = self.nodes[here].parent
        return {id: node for id, node in self.nodes.items() if id in kept}

    def prim(self, prim: Any, placed: str | None = None) -> None:
        kind = str(prim.GetTypeName())
        if kind in ("Material", "Shader", "NodeGraph", "GeomSubset", "SkelAnimation", "BlendShape"):
            return
        parent = placed or self.part_of.get(str(prim.GetParent().GetPath()))
        name = self._name(prim)
        matrix, fresh = local_matrix(prim, Usd.TimeCode.EarliestTime())
        if self._folds(prim):
            self._mesh(prim, parent or "", name)
            return
        part = self._node(name, None if fresh else parent, matrix)
        self.part_of[str(prim.GetPath())] = part
        if KEY in prim.GetCustomData():
            self.nodes[part] = replace(self.nodes[part], tags=tags_of(dict(prim.GetCustomData()[KEY])))
        self.channels += transform_channels(prim, part, self.rate)
        if UsdGeom.Imageable(prim) and UsdGeom.Imageable(prim).ComputeVisibility() == UsdGeom.Tokens.invisible and prim.IsA(UsdGeom.Gprim):
            self.notes.note("hidden", "A part is marked invisible", name, "It is left out, as the file says.", weight=12)
        elif prim.IsA(UsdGeom.Mesh):
            if str(UsdGeom.Imageable(prim).ComputePurpose()) in ("proxy", "guide"):
                self.notes.note("hidden", "A stand-in is left out", f"{name} · {UsdGeom.Imageable(prim).ComputePurpose()}", "The file marks it as not for the final picture.", weight=8)
            else:
                self._mesh(prim, part, name)
        elif prim.IsA(UsdSkel.Skeleton):
            self.skeletons.read(prim, part, self._node)
        elif prim.IsA(UsdLux.DomeLight):
            self._environment(UsdLux.DomeLight(prim), matrix)
        elif prim.HasAPI(UsdLux.LightAPI):
            self._light(prim, part, name)
        elif prim.IsA(UsdGeom.Camera):
            self._camera(UsdGeom.Camera(prim), part, name)
        elif kind in SHAPES:
            self._shape(prim, part, name)
        elif prim.IsA(UsdGeom.PointInstancer):
            self._instances(UsdGeom.PointInstancer(prim), part, name)
        elif kind in ("BasisCurves", "NurbsCurves", "NurbsPatch", "Points", "Volume", "TetMesh"):
            self.notes.note("unread", "A kind of shape that is not read", f"{name} · {kind}", "It stays behind; export it as a mesh.", weight=40)

    def _shape(self, prim: Any, part: str, name: str) -> None:
        key = str((prim.GetPrimInPrototype() if prim.IsInstanceProxy() else prim).GetPath())
        if key in self.mesh_of:
            self.nodes[part] = replace(self.nodes[part], mesh=self.mesh_of[key])
            return
        primitive = shape_primitive(prim)
        if primitive is None:
            self.notes.note("no_positions", "A shape without size", name, "It has nothing to show and is left out.", weight=20)
            return
        id = self.notes.ids.make("mesh", name)
        self.meshes[id] = Mesh(id, name, (replace(primitive, material=self.shapes.bound_material(prim), colors=one_color(prim, len(primitive.positions))),))
        self.mesh_of[key] = id
        self.nodes[part] = replace(self.nodes[part], mesh=id)

    def _instances(self, instancer: Any, part: str, name: str) -> None:
        """One part for every placed prototype; what a prototype holds is shared by all its places."""
        at = Usd.TimeCode.EarliestTime()
        prototypes = [self.stage.GetPrimAtPath(path) for path in instancer.GetPrototypesRel().GetForwardedTargets()]
        chosen = np.array(instancer.GetProtoIndicesAttr().Get(at) or [], np.int64)
        places = instancer.ComputeInstanceTransformsAtTime(at, at, UsdGeom.PointInstancer.ExcludeProtoXform, UsdGeom.PointInstancer.IgnoreMask)
        shown = list(instancer.ComputeMaskAtTime(at)) or [True] * len(chosen)
        if len(places) != len(chosen) or len(shown) != len(chosen) or ((chosen < 0) | (chosen >= len(prototypes))).any() or not all(prototypes):
            self.notes.note("dead_reference", "Placed copies do not fit together", name, "Their places, kinds and models are not alike in number; they are left out.", weight=50)
            return
        for number, (kind, place) in enumerate(zip(chosen, places, strict=True)):
            if not shown[number]:
                continue
            if len(self.nodes) > LIMITS.nodes:
                raise Refused("There are too many placed copies.", name, "Export fewer, or part of the scene.")
            self._below(prototypes[kind], self._node(f"{name} {number + 1}", part, np.array(place, np.float64).T))

    def _folds(self, prim: Any) -> bool:
        """Meshes below a holder that carries the part's own name are its primitives."""
        return bool(prim.IsA(UsdGeom.Mesh) and prim.GetParent().HasAttribute(CUSTOM_NAME) and not UsdGeom.Xformable(prim).GetOrderedXformOps())

    def _name(self, prim: Any) -> str:
        attribute = prim.GetAttribute(CUSTOM_NAME)
        return str(attribute.Get()) if attribute and attribute.HasValue() else str(prim.GetDisplayName() or prim.GetName())

    def _node(self, name: str, parent: str | None, matrix: Any) -> str:
        place = f"{parent.partition(':')[2]}/{name}" if parent else name
        part = self.notes.ids.make("part", place)
        self.nodes[part] = Node(part, name, parent, np.asarray(matrix, np.float64))
        return part

    def _mesh(self, prim: Any, part: str, name: str) -> None:
        source = prim.GetPrimInPrototype() if prim.IsInstanceProxy() else prim
        key = str(source.GetPath())
        node = self.nodes[part]
        if key in self.mesh_of:
            self.nodes[part] = replace(node, mesh=self.mesh_of[key])
            return
        made = self.shapes.primitives(prim, name)
        if not made:
            return
        skin = self.skeletons.skin(prim, self.notes.ids.make("skin", name), name) if prim.HasAPI(UsdSkel.BindingAPI) else None
        count = max(int(points.max(initial=-1)) + 1 for _, points in made)
        shapes = blend_shapes(prim, count)
        primitives = []
        for primitive, points in made:
            if skin is not None and len(skin[1]) >= count:
                primitive = replace(primitive, joints=skin[1][points], weights=skin[2][points])
            primitives.append(replace(primitive, morphs=tuple(MorphTarget(table[points].astype(np.float32)) for _, table in shapes)))
        if node.mesh is not None:
            held = self.meshes[node.mesh]
            self.meshes[held.id] = replace(held, primitives=(*held.primitives, *primitives))
            self.mesh_of[key] = held.id
            return
        id = self.notes.ids.make("mesh", name)
        self.meshes[id] = Mesh(id, name, tuple(primitives), tuple(n for n, _ in shapes))
        self.mesh_of[key] = id
        self.nodes[part] = replace(self.nodes[part], mesh=id, skin=skin[0].id if skin else None)
        if skin is not None:
            self.skins[skin[0].id] = skin[0]

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
        """UsdLux in photometric terms: a sphere light with ``normalize`` gives intensity / 4 candela, else its area counts too; a surface has its intensity in nit, over its area with ``normalize``."""
        api = UsdLux.LightAPI(prim)
        color = tuple(float(c) for c in api.GetColorAttr().Get())
        intensity = float(api.GetIntensityAttr().Get()) * 2.0 ** float(api.GetExposureAttr().Get())
        shadows = bool(UsdLux.ShadowAPI(prim).GetShadowEnableAttr().Get())
        normalized = bool(api.GetNormalizeAttr().Get())
        id = self.notes.ids.make("light", name)
        if prim.IsA(UsdLux.DistantLight):
            if not normalized:
                half = math.radians(float(UsdLux.DistantLight(prim).GetAngleAttr().Get()) / 2)
                intensity *= math.pi * math.sin(half) ** 2 if half > 0 else 1.0
            wide = math.radians(float(UsdLux.DistantLight(prim).GetAngleAttr().Get() or 0))
            light = Light(id, name, "sun", color, intensity, shadows=shadows, angle_rad=wide)  # type: ignore[arg-type]
        elif prim.IsA(UsdLux.SphereLight):
            radius_m = float(UsdLux.SphereLight(prim).GetRadiusAttr().Get()) * self.unit
            candela = intensity / 4 if normalized else intensity * math.pi * radius_m**2
            ball = radius_m if radius_m > _POINT_M and not UsdLux.SphereLight(prim).GetTreatAsPointAttr().Get() else 0.0
            shaping = UsdLux.ShapingAPI(prim)
            angle = shaping.GetShapingConeAngleAttr().Get() if prim.HasAPI(UsdLux.ShapingAPI) else 180.0
            if angle is None or float(angle) >= 90:
                light = Light(id, name, "point", color, candela, shadows=shadows, radius_m=ball)  # type: ignore[arg-type]
            else:
                outer = math.radians(float(angle))
                light = Light(id, name, "spot", color, candela, outer * (1 - float(shaping.GetShapingConeSoftnessAttr().Get() or 0)), outer, shadows)  # type: ignore[arg-type]
        elif prim.IsA(UsdLux.RectLight) or prim.IsA(UsdLux.DiskLight):
            wide, tall = self._size_m(prim)
            nit = intensity / max(self._area_m2(prim), 1e-12) if normalized else intensity
            light = Light(id, name, "rectangle" if prim.IsA(UsdLux.RectLight) else "disc", color, nit, shadows=shadows, width_m=wide, height_m=tall)  # type: ignore[arg-type]
        else:
            area = self._area_m2(prim)
            candela = (intensity if normalized else intensity * area) * (1.0 if area else 0.0)
            self.notes.note("assumed", "A light of this shape is taken as a spot", f"{name} · {prim.GetTypeName()}", "Its strength straight ahead is kept; its soft edge is not.", weight=30)
            light = Light(id, name, "spot", color, candela, 0.0, math.pi / 2 - 1e-3, shadows)  # type: ignore[arg-type]
        self.lights[id] = light
        self.nodes[part] = replace(self.nodes[part], light=id)

    def _size_m(self, prim: Any) -> tuple[float, float]:
        """Width and height of a rectangle; the diameter of a disc twice."""
        if prim.IsA(UsdLux.RectLight):
            rect = UsdLux.RectLight(prim)
            return float(rect.GetWidthAttr().Get()) * self.unit, float(rect.GetHeightAttr().Get()) * self.unit
        across = 2 * float(UsdLux.DiskLight(prim).GetRadiusAttr().Get()) * self.unit
        return across, across

    def _area_m2(self, prim: Any) -> float:
        if prim.IsA(UsdLux.RectLight) or prim.IsA(UsdLux.DiskLight):
            wide, tall = self._size_m(prim)
            return wide * tall * (1.0 if prim.IsA(UsdLux.RectLight) else math.pi / 4)
        return 1.0

    def _camera(self, lens: Any, part: str, name: str) -> None:
        height, width, focal = (float(a.Get()) for a in (lens.GetVerticalApertureAttr(), lens.GetHorizontalApertureAttr(), lens.GetFocalLengthAttr()))
        if str(lens.GetProjectionAttr().Get()) == "orthographic" or focal <= 0 or height <= 0:
            self.notes.note("flat_camera", "A camera without perspective", name, "It is shown with a perspective of 40 degrees.")
            height, width, focal = 2 * math.tan(math.radians(20)), 2 * math.tan(math.radians(20)) * 16 / 9, 1.0
        near, far = lens.GetClippingRangeAttr().Get()
        id = self.notes.ids.make("camera", name)
        stop, focus = float(lens.GetFStopAttr().Get() or 0), float(lens.GetFocusDistanceAttr().Get() or 0)
        sharp = (focus * self.unit, stop) if stop > 0 and focus > 0 else (None, None)
        self.cameras[id] = Camera(id, name, 2 * math.atan(height / 2 / focal), width / height, max(float(near) * self.unit, 1e-6), float(far) * self.unit, height, *sharp)
        self.nodes[part] = replace(self.nodes[part], camera=id)

    def _environment(self, dome: Any, matrix: Any) -> None:
        """A dome light with a latitude-longitude image; a plain colour dome has no image to carry and is told."""
        asset = dome.GetTextureFileAttr().Get()
        if self.environment is not None:
            self.notes.note("doubled_sky", "A second sky", str(dome.GetPrim().GetName()), "Only the first lights the scene.", weight=45)
            return
        if asset is None or not str(asset.path):
            self.notes.note("assumed", "A sky of one colour", str(dome.GetPrim().GetName()), "It has no image, and stays behind.", weight=25)
            return
        world = settle_matrix(self.axis, self.unit) @ np.array(UsdGeom.XformCache().GetLocalToWorldTransform(dome.GetPrim()), np.float64).T
        turn = world[:3, :3] / np.maximum(np.linalg.norm(world[:3, :3], axis=0), 1e-30)
        level = float(dome.GetIntensityAttr().Get()) * 2.0 ** float(dome.GetExposureAttr().Get())
        self.environment = Environment(self.image_of(str(asset.path)), level, math.atan2(turn[0, 2], turn[0, 0]))
