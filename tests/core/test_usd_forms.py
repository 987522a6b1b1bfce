"""USD in its other arrangements, held against the library that reads them: a root above layers, one package,
preview surfaces alone.
"""

from __future__ import annotations

import io
import math
import tempfile
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import collada
import numpy as np
from pxr import Usd, UsdGeom, UsdLux, UsdShade, UsdValidation

from tests.carried import delivered, lay_out, on_disk, unaccounted
from tests.core.test_arrival import FORNACE, rich
from tests.core.test_forms import written_as
from tests.everything import everything
from tests.making import cube, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.handover.packing import Package
from trasloco.scene.lit import Light
from trasloco.scene.model import Decision, Scene, Tags
from trasloco.scene.transforms import compose
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.text import changed

PLANCIA = built_in_sheets()["plancia"]


def paths(stage: Usd.Stage) -> set[str]:
    return {f"{prim.GetPath()} {prim.GetTypeName()}" for prim in stage.Traverse()}


class Layers(TestCase):
    def test_a_root_above_layers_is_the_same_stage(self) -> None:
        for sheet in (PLANCIA, FORNACE):
            with self.subTest(sheet.name), tempfile.TemporaryDirectory() as folder:
                one = lay_out(delivered(rich(), written_as(sheet, "usdc")).files, f"{folder}/one")
                many = lay_out(delivered(rich(), written_as(sheet, "usd layers")).files, f"{folder}/many")
                whole = Usd.Stage.Open(str(next(one.glob("*.usdc"))))
                (root,) = many.glob("*.usda")
                stage = Usd.Stage.Open(str(root))
                self.assertEqual(len(stage.GetRootLayer().subLayerPaths), 3)
                self.assertEqual(paths(stage), paths(whole))
                for ask in (UsdGeom.GetStageUpAxis, UsdGeom.GetStageMetersPerUnit):
                    self.assertEqual(ask(stage), ask(whole))

    def test_lights_put_aside_leave_everything_else(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            many = lay_out(delivered(rich(), PLANCIA).files, folder)
            (root,) = many.glob("*.usda")
            stage = Usd.Stage.Open(str(root))
            self.assertTrue([prim for prim in stage.Traverse() if prim.HasAPI(UsdLux.LightAPI)])
            before = sum(prim.IsA(UsdGeom.Mesh) for prim in stage.Traverse())
            (lights,) = many.glob("*-lights.usdc")
            stage.MuteLayer(str(lights))
            self.assertFalse([prim for prim in stage.Traverse() if prim.HasAPI(UsdLux.LightAPI)])
            self.assertEqual(sum(prim.IsA(UsdGeom.Mesh) for prim in stage.Traverse()), before)

    def test_every_form_is_valid_by_the_library(self) -> None:
        context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
        for sheet in (PLANCIA, FORNACE):
            for form in ("usd layers", "usdz"):
                with self.subTest(f"{sheet.name} as {form}"), tempfile.TemporaryDirectory() as folder:
                    held = lay_out(delivered(rich(), written_as(sheet, form)).files, folder)
                    (main,) = held.glob("*.usdz" if form == "usdz" else "*.usda")
                    stage = Usd.Stage.Open(str(main))
                    told = [
                        f"{e.GetName()}: {e.GetMessage()}"
                        for e in context.Validate(stage)
                        if e.GetType() == UsdValidation.ValidationErrorType.Error
                    ]
                    # This build of the library has no MaterialX definitions to look shaders up in.
                    unknown_here = ("MissingShaderIdInRegistry", "ND_")
                    self.assertEqual([t for t in told if not all(part in t for part in unknown_here)], [])


class Packages(TestCase):
    def test_a_package_holds_everything_uncompressed_and_aligned(self) -> None:
        """The usdz specification: stored, every file's data at a multiple of 64 bytes, a layer first."""
        files = delivered(rich(), written_as(PLANCIA, "usdz")).files
        ((path, data),) = files.items()
        self.assertTrue(path.endswith(".usdz"))
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            entries = archive.infolist()
        self.assertTrue(entries[0].filename.endswith(".usdc"))
        self.assertTrue(any(entry.filename.endswith(".png") for entry in entries))
        for entry in entries:
            self.assertEqual(entry.compress_type, zipfile.ZIP_STORED)
            name, more = (int.from_bytes(data[entry.header_offset + at :][:2], "little") for at in (26, 28))
            self.assertEqual((entry.header_offset + 30 + name + more) % 64, 0)


class Previews(TestCase):
    def test_nothing_is_unaccounted(self) -> None:
        for form in ("usd layers", "usdz", "usda"):
            for number in range(4):
                with self.subTest(f"{form}, {number}"):
                    given = everything(f"books {number}")
                    self.assertEqual(unaccounted(given, written_as(PLANCIA, form)), [])

    def test_materials_are_preview_surfaces_alone(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            lay_out(delivered(rich(), PLANCIA).files, folder)
            stage = Usd.Stage.Open(str(next(Path(folder).glob("*.usda"))))
            materials = [UsdShade.Material(p) for p in stage.Traverse() if p.IsA(UsdShade.Material)]
            self.assertEqual(len(materials), len(rich().materials))
            for material in materials:
                self.assertFalse(material.GetSurfaceOutput("mtlx"))
                surface, _, _ = material.ComputeSurfaceSource()
                self.assertEqual(str(surface.GetIdAttr().Get()), "UsdPreviewSurface")


class Space(TestCase):
    def test_axis_and_unit_are_stated_where_points_are_not_converted(self) -> None:
        """Plancia is Z up at one to ten: so is the stage, unless the sheet leaves that to what the file says."""
        given = everything(3)
        for space, axis, unit in (("converted", "Z", 0.1), ("stated", "Y", 1.0)):
            sheet = changed(
                built_in_sheets()["plancia"], {"conventions.space": space, "package.form": "usdc"}
            )
            with self.subTest(space), on_disk(delivered(given, sheet).files) as folder:
                (layer,) = folder.glob("*.usdc")
                stage = Usd.Stage.Open(str(layer))
                self.assertEqual(UsdGeom.GetStageUpAxis(stage), axis)
                self.assertAlmostEqual(UsdGeom.GetStageMetersPerUnit(stage), unit)
            self.assertEqual(unaccounted(given, sheet), [])

    def test_collada_states_it_too(self) -> None:
        sheet = changed(
            built_in_sheets()["sipario"],
            {"conventions.space": "stated", "conventions.up_axis": "Z", "conventions.unit_m": 0.01},
        )
        given = everything(4)
        (data,) = (d for p, d in delivered(given, sheet).files.items() if p.endswith(".dae"))
        document = collada.Collada(io.BytesIO(data), ignore=[collada.common.DaeError])
        self.assertEqual((document.assetInfo.upaxis, document.assetInfo.unitmeter), ("Y_UP", 1.0))
        self.assertEqual(unaccounted(given, sheet), [])

    def test_formats_that_say_neither_are_refused(self) -> None:
        for name in ("tela", "scatola"):
            with self.subTest(name), self.assertRaises(Refused) as caught:
                changed(built_in_sheets()[name], {"conventions.space": "stated"})
            self.assertEqual(caught.exception.where, "conventions.space")


class Lumens(TestCase):
    def test_a_lamps_number_is_its_flux_where_the_sheet_says_so(self) -> None:
        """By definition: 4 pi steradians round a point, pi times luminance times area of a surface; a sun is
        in lux.
        """
        lamps = (
            (Light("light:p", "Bulb", "point", (1.0, 1.0, 1.0), 100.0), 400 * math.pi),
            (
                Light("light:r", "Window", "rectangle", (1.0, 1.0, 1.0), 50.0, width_m=2.0, height_m=0.5),
                50 * math.pi,
            ),
            (
                Light("light:d", "Dish", "disc", (1.0, 1.0, 1.0), 50.0, width_m=2.0, height_m=2.0),
                50 * math.pi**2,
            ),
            (Light("light:s", "Sun", "sun", (1.0, 1.0, 1.0), 900.0, angle_rad=0.01), 900.0),
        )
        given = scene(quad(), lights=tuple((lamp, np.eye(4)) for lamp, _ in lamps))
        meant = {lamp.name: number for lamp, number in lamps}
        sheet = written_as(PLANCIA, "usdc")
        package = delivered(given, sheet)
        with on_disk(package.files) as folder:
            (layer,) = folder.glob("*.usdc")
            stage = Usd.Stage.Open(str(layer))
            found = {
                prim.GetParent().GetName(): float(UsdLux.LightAPI(prim).GetIntensityAttr().Get())
                for prim in stage.Traverse()
                if prim.HasAPI(UsdLux.LightAPI)
            }
        self.assertEqual(set(found), set(meant))
        for name, number in meant.items():
            self.assertAlmostEqual(found[name] / number, 1.0, 5, name)
        arrival = move.arrive(package, sheet)
        got = {light.name: light.intensity for light in arrival.lights.values()}
        for lamp, _ in lamps:
            self.assertAlmostEqual(got[lamp.name] / lamp.intensity, 1.0, 5, lamp.name)

    def test_plancia_takes_any_lamp_for_lumens(self) -> None:
        """By its habit, not by what a file says of itself: 400 pi lumens are 100 candela all round."""
        given = scene(
            quad(), lights=((Light("light:p", "Bulb", "point", (1.0, 1.0, 1.0), 100.0), np.eye(4)),)
        )
        sheet = written_as(PLANCIA, "usda")
        files = delivered(given, sheet).files
        unsaid = {path: data.replace(b"trasloco:unit", b"somebody:else") for path, data in files.items()}
        (bulb,) = move.arrive(Package(unsaid), sheet).lights.values()
        self.assertAlmostEqual(bulb.intensity, 100.0, 3)

    def test_formats_that_say_it_themselves_are_refused(self) -> None:
        for name in ("lanterna", "taccuino", "sipario"):
            with self.subTest(name), self.assertRaises(Refused) as caught:
                changed(built_in_sheets()[name], {"lights.unit": "lumen and lux"})
            self.assertEqual(caught.exception.where, "lights.unit")


class Obstacles(TestCase):
    def stage(self, shape: str) -> Scene:
        """A cube of 2 m on a part that is moved, whose obstacle is decided."""
        given = scene(cube(2.0))
        (part,) = given.parts()
        placed = replace(part, matrix=compose((1.0, 2.0, 3.0)), tags=Tags(collision=shape))
        return replace(given, nodes={placed.id: placed})

    def test_they_are_guides_beside_the_part(self) -> None:
        for shape, faces in (("box", 12), ("hull", 12)):
            package = delivered(self.stage(shape), written_as(PLANCIA, "usdc"))
            with self.subTest(shape), on_disk(package.files) as folder:
                (layer,) = folder.glob("*.usdc")
                stage = Usd.Stage.Open(str(layer))
                (guide,) = (
                    UsdGeom.Mesh(prim)
                    for prim in stage.Traverse()
                    if prim.IsA(UsdGeom.Mesh) and UsdGeom.Imageable(prim).ComputePurpose() == "guide"
                )
                self.assertEqual(len(guide.GetFaceVertexCountsAttr().Get()), faces)
                world = np.array(UsdGeom.XformCache().GetLocalToWorldTransform(guide.GetPrim()))
                points = np.array(guide.GetPointsAttr().Get(), float)
                at = points @ world[:3, :3] + world[3, :3]
                # Plancia is Z up at one to ten: (x, y, z) m stands at (10 x, -10 z, 10 y).
                self.assertTrue(np.allclose(at.min(axis=0), [0, -40, 10], atol=1e-4), at.min(axis=0))
                self.assertTrue(np.allclose(at.max(axis=0), [20, -20, 30], atol=1e-4), at.max(axis=0))
            self.assertEqual(unaccounted(self.stage(shape), PLANCIA), [])

    def test_a_part_that_is_its_own_obstacle_needs_no_shape(self) -> None:
        for shape in ("mesh", "none", ""):
            arrival = move.arrive(delivered(self.stage(shape), PLANCIA), PLANCIA)
            self.assertEqual([n.obstacles for n in arrival.parts()], [()])

    def test_a_shape_that_is_not_there_is_noticed(self) -> None:
        given = self.stage("box")
        plan = move.plan(given, built_in_sheets()["plain"], PLANCIA)
        carried = move.carry(given, plan, PLANCIA)
        arrival = move.arrive(move.package(carried, PLANCIA), PLANCIA)
        bare = {id: replace(node, obstacles=()) for id, node in arrival.nodes.items()}
        told = move.account(given, replace(arrival, nodes=bare), plan, PLANCIA)
        self.assertEqual([e.aspect for e in told.unaccounted], ["obstacle"])

    def test_those_of_a_reduced_part_reach_as_far(self) -> None:
        given = self.stage("box")
        many = (Decision(given.parts()[0].id, "triangles", 6),)
        plain = built_in_sheets()["plain"]
        carried = move.carry(given, move.plan(given, plain, PLANCIA, many), PLANCIA)
        arrival = move.arrive(move.package(carried, PLANCIA), PLANCIA)
        (part,) = arrival.parts()
        (box,) = part.obstacles
        told = {e.aspect: e.mark for e in move.account(given, arrival, carried.plan, PLANCIA).entries}
        self.assertNotEqual(told["obstacle"], "unaccounted")
        far = replace(part, obstacles=(replace(box, positions=box.positions * 3),))
        bent = replace(arrival, nodes={**arrival.nodes, part.id: far})
        told = {e.aspect: e.mark for e in move.account(given, bent, carried.plan, PLANCIA).entries}
        self.assertEqual(told["obstacle"], "unaccounted")

    def test_layouts_without_a_place_for_them_are_refused(self) -> None:
        with self.assertRaises(Refused) as caught:
            changed(built_in_sheets()["taccuino"], {"structure.obstacles": "shapes"})
        self.assertEqual(caught.exception.where, "structure.obstacles")


class Networks(TestCase):
    def test_they_may_stand_alone(self) -> None:
        given = everything(5)
        for how, previews in (("beside preview", True), ("alone", False)):
            sheet = changed(written_as(FORNACE, "usdc"), {"package.networks": how})
            with self.subTest(how), on_disk(delivered(given, sheet).files) as folder:
                (layer,) = folder.glob("*.usdc")
                stage = Usd.Stage.Open(str(layer))
                found = {
                    str(UsdShade.Shader(prim).GetIdAttr().Get())
                    for prim in stage.Traverse()
                    if prim.IsA(UsdShade.Shader)
                }
                self.assertIn("ND_open_pbr_surface_surfaceshader", found)
                self.assertEqual("UsdPreviewSurface" in found, previews)
            self.assertEqual(unaccounted(given, sheet), [])

    def test_layouts_without_networks_are_refused(self) -> None:
        with self.assertRaises(Refused) as caught:
            changed(PLANCIA, {"package.networks": "alone"})
        self.assertEqual(caught.exception.where, "package.networks")
