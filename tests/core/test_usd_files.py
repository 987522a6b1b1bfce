"""USD in text, crate and package."""

from __future__ import annotations

import io
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
import trimesh
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, Vt

from tests.core.reading import RED, same_triangles, triangles
from trasloco.errors import Refused
from trasloco.formats.receive import receive
from trasloco.scene.images import pixels


def stage_bytes(suffix: str, fill: Any) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = str(Path(folder) / f"s{suffix}")
        stage = Usd.Stage.CreateNew(path)
        fill(stage)
        stage.GetRootLayer().Save()
        return Path(path).read_bytes()


def fill_stage(stage: Any) -> None:
    """A cube with per-corner UVs, two subsets, a preview material and a material that multiplies an image."""
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    root = UsdGeom.Xform.Define(stage, "/Root")
    root.AddTranslateOp().Set(Gf.Vec3d(0, 0, 100))
    stage.SetDefaultPrim(root.GetPrim())
    box = trimesh.creation.box((100, 100, 100))
    mesh = UsdGeom.Mesh.Define(stage, "/Root/Box")
    mesh.CreatePointsAttr([Gf.Vec3f(*map(float, p)) for p in box.vertices])
    mesh.CreateFaceVertexCountsAttr([3] * 12)
    mesh.CreateFaceVertexIndicesAttr([int(i) for i in box.faces.reshape(-1)])
    mesh.CreateSubdivisionSchemeAttr("none")
    variables = UsdGeom.PrimvarsAPI(mesh)
    variables.CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, "faceVarying").Set(
        [Gf.Vec2f(k / 36, 0.25) for k in range(36)]
    )
    variables.CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, "uniform").Set(
        [Gf.Vec3f(f / 12, 0, 0) for f in range(12)]
    )
    for name, faces in (("front", range(4)), ("rest", range(4, 12))):
        shade = UsdShade.Material.Define(stage, f"/Root/Looks/{name}")
        surface = UsdShade.Shader.Define(stage, f"/Root/Looks/{name}/s")
        surface.CreateIdAttr("UsdPreviewSurface")
        surface.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(0.25)
        image = UsdShade.Shader.Define(stage, f"/Root/Looks/{name}/i")
        image.CreateIdAttr("UsdUVTexture")
        image.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(Sdf.AssetPath("media/red.png"))
        image.CreateInput("scale", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(0.5, 0.5, 0.5, 1))
        image.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set("sRGB")
        surface.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).ConnectToSource(
            image.ConnectableAPI(), "rgb"
        )
        shade.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
        subset = UsdGeom.Subset.CreateGeomSubset(mesh, name, "face", Vt.IntArray(list(faces)), "materialBind")
        UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(shade)


def relief_stage(scale: tuple[float, ...], bias: tuple[float, ...]) -> Callable[[Any], None]:
    """A square whose preview material takes its normals from an image, spread by a scale and a bias."""

    def fill(stage: Any) -> None:
        mesh = UsdGeom.Mesh.Define(stage, "/Square")
        mesh.CreatePointsAttr([Gf.Vec3f(*p) for p in ((0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0))])
        mesh.CreateFaceVertexCountsAttr([4])
        mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
        shade = UsdShade.Material.Define(stage, "/Looks/m")
        surface = UsdShade.Shader.Define(stage, "/Looks/m/s")
        surface.CreateIdAttr("UsdPreviewSurface")
        image = UsdShade.Shader.Define(stage, "/Looks/m/i")
        image.CreateIdAttr("UsdUVTexture")
        image.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(Sdf.AssetPath("media/red.png"))
        image.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set("raw")
        image.CreateInput("scale", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(*scale))
        image.CreateInput("bias", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(*bias))
        surface.CreateInput("normal", Sdf.ValueTypeNames.Normal3f).ConnectToSource(
            image.ConnectableAPI(), "rgb"
        )
        shade.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
        UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(shade)

    return fill


class Relief(TestCase):
    def test_texels_spread_to_directions_are_normals_with_a_strength(self) -> None:
        """glTF 2.0: (2 t - 1) times (strength, strength, 1). UsdUVTexture: t times scale plus bias."""
        for scale, bias, strength, green_up in (
            ((2, 2, 2, 1), (-1, -1, -1, 0), 1.0, True),
            ((1, 1, 2, 1), (-0.5, -0.5, -1, 0), 0.5, True),
            ((3, 3, 2, 1), (-1.5, -1.5, -1, 0), 1.5, True),
            ((2, -2, 2, 1), (-1, 1, -1, 0), 1.0, False),
            ((1, -1, 2, 1), (-0.5, 0.5, -1, 0), 0.5, False),
        ):
            with self.subTest(f"{scale} {bias}"):
                text = stage_bytes(".usda", relief_stage(scale, bias))
                (made,) = receive({"s.usda": text, "media/red.png": RED}).scene.materials.values()
                texture = made.inputs["normal"].texture
                assert texture is not None
                self.assertEqual((texture.strength, texture.green_up), (strength, green_up))

    def test_directions_spread_otherwise_are_evaluated_and_mean_the_same(self) -> None:
        """A texel of red is scale + bias in x and bias in y and z; an image of normals holds (d / |d| + 1) /
        2.
        """
        for scale, bias in (
            ((2, 2, 2, 1), (-1, -1, 0.5, 0)),
            ((2, 1, 2, 1), (-1, -0.5, -1, 0)),
            ((1, 1, 1, 1), (-0.5, -0.5, 0.25, 0)),
        ):
            with self.subTest(f"{scale} {bias}"):
                text = stage_bytes(".usda", relief_stage(scale, bias))
                given = receive({"s.usda": text, "media/red.png": RED})
                (made,) = given.scene.materials.values()
                texture = made.inputs["normal"].texture
                assert texture is not None
                meant = np.array((scale[0] + bias[0], bias[1], bias[2]))
                texel = pixels(given.scene.images[texture.image])[0, 0] / 65535
                np.testing.assert_allclose(2 * texel - 1, meant / np.linalg.norm(meant), atol=2e-5)
                self.assertEqual((texture.strength, texture.green_up), (1.0, True))
                self.assertTrue(given.findings)


class UsdFiles(TestCase):
    def test_text_crate_and_package_give_the_same_scene(self) -> None:
        text, crate = stage_bytes(".usda", fill_stage), stage_bytes(".usdc", fill_stage)
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as archive:
            archive.writestr("s.usdc", crate)
            archive.writestr("media/red.png", RED)
        for files in (
            {"s.usda": text, "media/red.png": RED},
            {"deep/s.usdc": crate, "deep/media/red.png": RED},
            {"s.usdz": packed.getvalue()},
        ):
            with self.subTest(next(iter(files))):
                scene = receive(files).scene
                self.assertEqual(
                    (scene.unit_m.value, scene.unit_m.origin, scene.up_axis.value), (0.01, "file", "Z")
                )
                box = trimesh.creation.box((100, 100, 100))
                same_triangles(self, triangles(scene), np.add(box.triangles, (0, 0, 100)))
                self.assertEqual(
                    [len(p.indices) for m in scene.meshes.values() for p in m.primitives], [4, 8]
                )
                material = next(iter(scene.materials.values()))
                self.assertEqual(material.inputs["base_color"].factor, (0.5, 0.5, 0.5))
                self.assertEqual(material.inputs["base_color"].texture.encoding, "srgb")  # type: ignore[union-attr]
                self.assertEqual(material.inputs["roughness"].factor, (0.25,))
                self.assertTrue(all(image.usable for image in scene.images.values()))
                primitive = next(iter(scene.meshes.values())).primitives[0]
                np.testing.assert_allclose(primitive.uvs[0][:, 1], 0.75)
                assert primitive.colors is not None
                self.assertEqual(len(np.unique(primitive.colors[:, 0])), 4)

    def test_referenced_layers_are_composed_and_not_read_twice(self) -> None:
        inner = stage_bytes(".usda", fill_stage)

        def fill(stage: Any) -> None:
            for k in range(2):
                prim = UsdGeom.Xform.Define(stage, f"/Copy{k}").GetPrim()
                prim.GetReferences().AddReference("./inner.usda")
                UsdGeom.Xformable(prim).ClearXformOpOrder()

        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "inner.usda").write_bytes(inner)
            stage = Usd.Stage.CreateNew(str(Path(folder) / "outer.usda"))
            fill(stage)
            stage.GetRootLayer().Save()
            outer = (Path(folder) / "outer.usda").read_bytes()
        self.assertEqual(
            len(receive({"inner.usda": inner, "outer.usda": outer, "media/red.png": RED}).scene.parts()), 2
        )

    def test_a_layer_outside_the_delivery_is_refused(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "secret.usda").write_bytes(stage_bytes(".usda", fill_stage))
            stolen = f'#usda 1.0\ndef Xform "A" (references = @{folder}/secret.usda@) {{}}\n'.encode()
            with self.assertRaises(Refused) as told:
                receive({"a.usda": stolen})
        self.assertIn("outside", told.exception.what)

    def test_material_variants_are_listed(self) -> None:
        def fill(stage: Any) -> None:
            fill_stage(stage)
            box = stage.GetPrimAtPath("/Root/Box")
            for child in ("front", "rest"):
                stage.RemovePrim(f"/Root/Box/{child}")
            looks = box.GetVariantSets().AddVariantSet("look")
            for name in ("front", "rest"):
                looks.AddVariant(name)
                looks.SetVariantSelection(name)
                with looks.GetVariantEditContext():
                    UsdShade.MaterialBindingAPI.Apply(box).Bind(
                        UsdShade.Material(stage.GetPrimAtPath(f"/Root/Looks/{name}"))
                    )
            looks.SetVariantSelection("front")

        scene = receive({"s.usda": stage_bytes(".usda", fill), "media/red.png": RED}).scene
        self.assertEqual(scene.variants, ("look rest",))
        self.assertEqual(
            [
                scene.materials[m].name
                for mesh in scene.meshes.values()
                for p in mesh.primitives
                for m in p.variants.values()
            ],
            ["rest"],
        )
