"""What is written, as the reference libraries of the open formats read it; what is read, against bytes other
libraries wrote or read alike.

A mistake that our own writer and reader share shows here and nowhere else.
"""

import io
import warnings
from functools import lru_cache
from pathlib import Path
from unittest import TestCase

import MaterialX as mx
import numpy as np
import trimesh
from pxr import Gf, Usd, UsdGeom, UsdLux, UsdShade, UsdSkel, UsdValidation
from scipy.spatial import cKDTree

from tests.carried import on_disk
from tests.core.reading import triangles
from tests.everything import everything
from trasloco import move
from trasloco.formats.graph_surfaces import SURFACES, assumed_by
from trasloco.formats.receive import receive
from trasloco.formats.usd_timeline import spans_of
from trasloco.handover.packing import Package
from trasloco.inputs.table import INPUTS
from trasloco.render.posing import posed
from trasloco.scene.model import Scene
from trasloco.scene.transforms import Y_UP_FROM
from trasloco.sheets.library import sheet_named

PLAIN = sheet_named("plain")
CURVED = 1e-2
"""Of a cubic turn 24 straight pieces stand for each span, and UsdSkel holds sizes in half precision."""
ROUNDS = 8


@lru_cache(maxsize=2 * ROUNDS)
def delivered(seed: str, destination: str) -> tuple[Scene, Scene, Package]:
    """Reference, carried scene and package of a generated scene."""
    sheet = sheet_named(destination)
    reference = move.mend(everything(seed), PLAIN)
    carried = move.carry(reference, move.plan(reference, PLAIN, sheet), sheet)
    return reference, carried.scene, move.package(carried, sheet)


def alike(test: TestCase, got: np.ndarray, wanted: np.ndarray, tolerance: float, label: str) -> None:
    """The same triangles (T, 3, 3) in any order, each with its winding: by middle and by area vector."""

    def told(t: np.ndarray) -> np.ndarray:
        return np.concatenate([t.mean(axis=1), np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0])], axis=1)

    test.assertEqual(len(got), len(wanted), label)
    if not len(wanted):
        return
    for first, second in ((told(got), told(wanted)), (told(wanted), told(got))):
        apart, _ = cKDTree(first).query(second)
        test.assertLess(float(apart.max()), tolerance * max(1.0, float(np.abs(wanted).max()) ** 2), label)


def node_library() -> mx.Document:
    """The node definitions that ship with MaterialX."""
    library = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
    return library


class UsdJudge:
    """A stage as its own library tells it, in metres and Y up."""

    def __init__(self, path: Path) -> None:
        self.stage = Usd.Stage.Open(str(path))
        unit = UsdGeom.GetStageMetersPerUnit(self.stage)
        self.to_metres = np.asarray(Y_UP_FROM[str(UsdGeom.GetStageUpAxis(self.stage))], float) @ np.diag(
            [unit, unit, unit, 1.0]
        )
        # Instances cannot be baked into: they are drawn out first.
        for prim in list(self.stage.Traverse()):
            if prim.IsInstance():
                prim.SetInstanceable(False)
        UsdSkel.BakeSkinning(Usd.PrimRange(self.stage.GetPseudoRoot()))

    def prims(self, kind: type) -> list[Usd.Prim]:
        return [p for p in self.stage.Traverse() if p.IsA(kind)]

    def place(self, prim: Usd.Prim, time: Usd.TimeCode) -> np.ndarray:
        return self.to_metres @ np.array(UsdGeom.XformCache(time).GetLocalToWorldTransform(prim)).T

    def triangles(self, time: Usd.TimeCode) -> np.ndarray:
        found = []
        for prim in self.prims(UsdGeom.Mesh):
            mesh, world = UsdGeom.Mesh(prim), self.place(prim, time)
            points = np.array(mesh.GetPointsAttr().Get(time), float)
            corners = np.array(mesh.GetFaceVertexIndicesAttr().Get(time)).reshape(-1, 3)
            if mesh.GetOrientationAttr().Get(time) == UsdGeom.Tokens.leftHanded:
                corners = corners[:, ::-1]
            found.append((points @ world[:3, :3].T + world[:3, 3])[corners])
        return np.concatenate(found)


class WrittenUsd(TestCase):
    def test_places_skins_shapes_and_motion_are_what_the_formats_own_library_makes_of_them(self) -> None:
        moments = 0
        for number in range(ROUNDS):
            _, carried, package = delivered(f"judge {number}", "fornace")
            with on_disk(package.files) as folder:
                judge = UsdJudge(next(folder.glob("*.usd*")))
                rate = judge.stage.GetTimeCodesPerSecond()
                if not carried.clips:
                    alike(
                        self,
                        judge.triangles(Usd.TimeCode.Default()),
                        triangles(posed(carried)),
                        2e-4,
                        f"{number} at rest",
                    )
                for span in spans_of(carried):
                    for share in (0.0, 0.31, 0.77, 1.0):
                        time = span.start_s + share * (span.end_s - span.start_s)
                        code = Usd.TimeCode((time + span.shift_s) * rate)
                        alike(
                            self,
                            judge.triangles(code),
                            triangles(posed(carried, span.clip.id, time)),
                            CURVED,
                            f"{number} {span.clip.name} at {time:.3f} s",
                        )
                        moments += 1
        self.assertGreater(moments, 20)

    def test_lamps_and_cameras_stand_and_look_where_they_did(self) -> None:
        seen = 0
        for number in range(ROUNDS):
            reference, carried, package = delivered(f"judge {number}", "fornace")
            moved = {c.node for clip in reference.clips.values() for c in clip.channels}
            with on_disk(package.files) as folder:
                judge = UsdJudge(next(folder.glob("*.usd*")))
                lamps = [
                    p
                    for p in judge.stage.Traverse()
                    if p.HasAPI(UsdLux.LightAPI)
                    and not p.IsA(UsdLux.DomeLight)
                    and not p.IsA(UsdLux.DomeLight_1)
                ]
                cameras = judge.prims(UsdGeom.Camera)
                world = carried.world_matrices()
                for prims, wanted in (
                    (lamps, [n for n in carried.nodes.values() if n.light]),
                    (cameras, [n for n in carried.nodes.values() if n.camera]),
                ):
                    self.assertEqual(len(prims), len(wanted), number)
                    if any(self.above(carried, n.id) & moved for n in wanted):
                        continue
                    places = np.array(
                        [self.told(judge.place(p, Usd.TimeCode.Default())) for p in prims]
                    ).reshape(-1, 6)
                    for node in wanted:
                        self.assertLess(
                            float(np.abs(places - self.told(world[node.id])).max(axis=1).min()),
                            1e-3,
                            f"{number} {node.name}",
                        )
                        seen += 1
                for prim in cameras:
                    frustum = UsdGeom.Camera(prim).GetCamera(Usd.TimeCode.Default())
                    angles = [c.yfov_rad for c in carried.cameras.values()]
                    told = np.radians(frustum.GetFieldOfView(Gf.Camera.FOVVertical))
                    self.assertLess(min(abs(told - a) for a in angles), 1e-4)
        self.assertGreater(seen, 8)

    @staticmethod
    def told(world: np.ndarray) -> np.ndarray:
        """Where, and the way of -Z."""
        ahead = -world[:3, 2] / np.linalg.norm(world[:3, 2])
        return np.concatenate([world[:3, 3], ahead])

    @staticmethod
    def above(scene: Scene, id: str) -> set[str]:
        found = set()
        at: str | None = id
        while at is not None:
            found.add(at)
            at = scene.nodes[at].parent
        return found

    def test_every_face_wears_the_material_it_wore_and_every_image_is_found(self) -> None:
        images = 0
        for number in range(ROUNDS):
            _, carried, package = delivered(f"judge {number}", "fornace")
            worn: dict[str, int] = {}
            for part in carried.parts():
                for primitive in carried.meshes[part.mesh or ""].primitives:
                    name = carried.materials[primitive.material].name if primitive.material else ""
                    worn[name] = worn.get(name, 0) + len(primitive.indices)
            with on_disk(package.files) as folder:
                judge = UsdJudge(next(folder.glob("*.usd*")))
                found: dict[str, int] = {}
                for prim in judge.prims(UsdGeom.Mesh):
                    subsets = UsdShade.MaterialBindingAPI(prim).GetMaterialBindSubsets()
                    whole = len(UsdGeom.Mesh(prim).GetFaceVertexCountsAttr().Get())
                    for holder, count in [(s.GetPrim(), len(s.GetIndicesAttr().Get())) for s in subsets] or [
                        (prim, whole)
                    ]:
                        bound, _ = UsdShade.MaterialBindingAPI(holder).ComputeBoundMaterial()
                        name = bound.GetPrim().GetAttribute("trasloco:name").Get() if bound else ""
                        found[name] = found.get(name, 0) + count
                self.assertEqual(found, worn, number)
                for prim in judge.stage.Traverse():
                    for attribute in prim.GetAttributes() if prim.IsA(UsdShade.Shader) else []:
                        value = attribute.Get()
                        if attribute.GetTypeName() == "asset" and value:
                            self.assertTrue(
                                Path(value.resolvedPath).is_file(), f"{number} {prim.GetPath()} {value}"
                            )
                            images += 1
        self.assertGreater(images, 20)

    def test_the_formats_own_validators_have_nothing_to_say(self) -> None:
        library = node_library()
        registry = UsdValidation.ValidationRegistry()
        names = [
            m.name
            for m in registry.GetAllValidatorMetadata()
            if not m.name.startswith(
                ("usdPhysics", "usdMedia", "usdUtilsValidators:Usdz", "usdUtilsValidators:RootPackage")
            )
        ]
        context = UsdValidation.ValidationContext(registry.GetOrLoadValidatorsByName(names))
        for number in range(ROUNDS):
            _, _, package = delivered(f"judge {number}", "fornace")
            with on_disk(package.files) as folder:
                stage = Usd.Stage.Open(str(next(folder.glob("*.usd*"))))
                found = {(e.GetName(), e.GetMessage()) for e in context.Validate(stage)}
                # The library comes without its registry of MaterialX nodes: their names are held against
                # MaterialX itself.
                self.assertEqual({f for f in found if f[0] != "MissingShaderIdInRegistry"}, set(), number)
                for prim in stage.Traverse():
                    if prim.IsA(UsdShade.Shader):
                        name = UsdShade.Shader(prim).GetIdAttr().Get()
                        self.assertTrue(name.startswith("Usd") or library.getNodeDef(name) is not None, name)

    def test_materialx_documents_are_valid_by_its_own_library(self) -> None:
        library = node_library()
        for number in range(ROUNDS):
            _, _, package = delivered(f"judge {number}", "fornace")
            for path, data in package.files.items():
                if path.endswith(".mtlx"):
                    document = mx.createDocument()
                    mx.readFromXmlString(document, data.decode())
                    document.setDataLibrary(library)
                    self.assertEqual(document.validate(), (True, ""), f"{number} {path}")


class Defaults(TestCase):
    """What a surface node assumes where a file is silent, by the node definitions that ship with MaterialX."""

    NODES = {
        "open_pbr_surface": "ND_open_pbr_surface_surfaceshader",
        "standard_surface": "ND_standard_surface_surfaceshader",
        "gltf_pbr": "ND_gltf_pbr_surfaceshader",
        "UsdPreviewSurface": "ND_UsdPreviewSurface_surfaceshader",
    }
    OTHERWISE = {
        ("open_pbr_surface", "emission_color"),
        ("open_pbr_surface", "emission_luminance"),
        ("standard_surface", "emission"),
        ("standard_surface", "emission_color"),  # no glow without a strength
        ("open_pbr_surface", "transmission_depth"),
        ("standard_surface", "transmission_depth"),  # 0 is a tint
        ("open_pbr_surface", "thin_film_thickness"),  # micrometres
        ("standard_surface", "thin_film_thickness"),  # 0 is no film
        ("standard_surface", "opacity"),  # a colour of ones
        ("UsdPreviewSurface", "specularColor"),  # read in the specular workflow only
    }
    """Inputs whose silence is read by a rule of its own, each held by a test of its own."""

    def test_every_input_is_assumed_as_its_node_says(self) -> None:
        library, compared = node_library(), 0
        for category, table in SURFACES.items():
            node = library.getNodeDef(self.NODES[category])
            for key, target in table.items():
                given = node.getActiveInput(key)
                self.assertIsNotNone(given, f"{category} has no {key}")
                if not given.getValueString() or (category, key) in self.OTHERWISE:
                    continue
                beside = bool(INPUTS[target].beside)
                ours = assumed_by(category, beside).get(target, INPUTS[target].default)
                np.testing.assert_allclose(
                    ours,
                    [float(v) for v in given.getValueString().split(",")],
                    atol=1e-6,
                    err_msg=f"{category} {key}",
                )
                compared += 1
        self.assertGreater(compared, 60)

    def test_silence_beside_a_sheen_a_film_and_a_coat(self) -> None:
        for category, given, wanted in (
            ("open_pbr_surface", 'input name="fuzz_weight" type="float" value="1"', {"sheen_roughness": 0.5}),
            (
                "open_pbr_surface",
                'input name="thin_film_weight" type="float" value="1"',
                {"iridescence_thickness": 500.0, "iridescence_ior": 1.4},
            ),
            (
                "standard_surface",
                'input name="thin_film_thickness" type="float" value="320"',
                {"iridescence": 1.0, "iridescence_thickness": 320.0, "iridescence_ior": 1.5},
            ),
            ("standard_surface", 'input name="coat" type="float" value="1"', {"clearcoat_roughness": 0.1}),
        ):
            text = f'<?xml version="1.0"?><materialx version="1.39"><{category} name="s" type="surfaceshader"><{given}/></{category}><surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="s"/></surfacematerial></materialx>'
            made = next(iter(receive({"a.mtlx": text.encode()}).scene.materials.values()))
            for name, value in wanted.items():
                self.assertAlmostEqual(made.inputs[name].factor[0], value, msg=f"{category} {name}")


class WrittenGlb(TestCase):
    def test_triangles_uvs_and_colours_as_another_library_reads_them(self) -> None:
        seen = 0
        for number in range(ROUNDS):
            _, carried, package = delivered(f"judge {number}", "lanterna")
            if carried.skins:
                continue
            data = next(data for path, data in package.files.items() if path.endswith(".glb"))
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                loaded = trimesh.load(io.BytesIO(data), file_type="glb", process=False)
            assert isinstance(loaded, trimesh.Scene)
            found, uv = [], []
            for name in loaded.graph.nodes_geometry:
                world, geometry = loaded.graph[name]
                mesh = loaded.geometry[geometry]
                if not isinstance(mesh, trimesh.Trimesh):
                    continue  # points and lines
                found.append((mesh.vertices @ world[:3, :3].T + world[:3, 3])[mesh.faces])
                uv.append(
                    np.array(mesh.visual.uv)
                    if getattr(mesh.visual, "uv", None) is not None
                    else np.zeros((0, 2))
                )
            alike(self, np.concatenate(found), triangles(carried), 2e-4, str(number))
            # trimesh counts v from below.
            wanted = np.concatenate(
                [
                    p.uvs[0]
                    for part in carried.parts()
                    for p in carried.meshes[part.mesh or ""].primitives
                    if p.uvs
                ]
            )
            got = np.concatenate(uv)
            np.testing.assert_allclose(np.sort(got[:, 0]), np.sort(wanted[:, 0]), atol=1e-6)
            np.testing.assert_allclose(np.sort(got[:, 1]), np.sort(1 - wanted[:, 1]), atol=1e-6)
            seen += 1
        self.assertGreater(seen, 3)
