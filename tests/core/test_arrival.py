"""Packages are valid by outside judges, and importers read their bytes as such programs would."""

import json
import subprocess
import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import MaterialX as mx
import numpy as np
from pxr import Usd, UsdGeom, UsdShade, UsdValidation

from tests.carried import delivered, on_disk
from tests.core.test_fit import BOTTEGA, FORNACE, LANTERNA, PICTURES, PLAIN, TACCUINO, textured
from tests.making import demo_files, material, noise_image, quad, scene, sky
from trasloco import move
from trasloco.errors import Refused
from trasloco.formats.bundle import gather
from trasloco.handover.packing import Package
from trasloco.scene.extent import bounds
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Input, Scene, Texture
from trasloco.scene.transforms import looking
from trasloco.sheets.text import parse_sheet

WEB = Path(__file__).resolve().parents[2] / "web"
JUDGE = "const v=require('gltf-validator');v.validateBytes(new Uint8Array(require('fs').readFileSync(process.argv[1])),{maxIssues:50}).then(r=>console.log(JSON.stringify(r.issues)))"


def rich() -> Scene:
    """A scene with every kind of thing: images, cut-out, glass, sheen, coat, paint, two sides, lights, sky."""
    leaf = replace(
        material(
            "leaf",
            "mask",
            True,
            base_color=Texture("image:color", "rgb", "srgb"),
            opacity=Texture("image:ao", "r"),
        ),
        alpha_cutoff=0.3,
    )
    glass = material("glass", transmission=(0.9,), base_color=(0.9, 0.95, 1.0))
    cloth = material(
        "cloth",
        sheen_color=(0.3, 0.1, 0.1),
        sheen_roughness=(0.4,),
        clearcoat=(0.5,),
        clearcoat_roughness=(0.1,),
        ior=(1.6,),
        emission=(1.0, 0.5, 0.2),
        emission_strength=(30.0,),
    )
    paint = material("paint", base_color=Input((0.8, 0.8, 0.8), vertex_color=True))
    parts = [
        replace(quad(1, f"material:{m}"), positions=quad().positions + np.array([2 * k, 0, 0], np.float32))
        for k, m in enumerate(("m", "leaf", "glass", "cloth"))
    ]
    painted = replace(
        quad(1, "material:paint", colors=(0.3, 0.6, 0.9)),
        positions=quad().positions + np.array([8, 1, 0], np.float32),
    )
    lamps = (
        (Light("light:Lamp", "Lamp", "point", (1.0, 0.8, 0.6), 20.0), looking((0, 3, 0), (0, 0, 0.1))),
        (Light("light:Spot", "Spot", "spot", (1.0, 1.0, 1.0), 50.0, 0.3, 0.6), looking((1, 3, 0), (0, 0, 0))),
        (Light("light:Sun", "Sun", "sun", (1.0, 0.9, 0.8), 900.0), looking((3, 5, 2), (0, 0, 0))),
    )
    return scene(
        *parts,
        painted,
        materials=(textured(), leaf, glass, cloth, paint),
        images=(*PICTURES, sky(0.5)),
        names=("Floor", "Leaves", "Pane", "Cape", "Sign"),
        lights=lamps,
        environment=Environment("image:sky", 12.0, 0.7),
    )


def demo_reference() -> Scene:
    clean, sky_file, _ = demo_files()
    return move.mend(move.receive(gather([clean, sky_file])).scene, PLAIN)


def judged(data: bytes) -> dict[str, object]:
    with tempfile.NamedTemporaryFile(suffix=".glb") as file:
        file.write(data)
        file.flush()
        answer = subprocess.run(
            ["node", "-e", JUDGE, file.name], cwd=WEB, capture_output=True, text=True, check=True
        )
    found: dict[str, object] = json.loads(answer.stdout)
    return found


class Validity(TestCase):
    def test_every_glb_passes_the_official_validator_without_error_or_warning(self) -> None:
        clean, _, _ = demo_files()
        made = {"demo": clean.read_bytes()}
        for name, given in (("rich", rich()), ("teatrino", demo_reference())):
            for sheet in (LANTERNA, TACCUINO):
                made[f"{name} for {sheet.name}"] = next(
                    data for path, data in delivered(given, sheet).files.items() if path.endswith(".glb")
                )
        for name, data in made.items():
            with self.subTest(name):
                issues = judged(data)
                self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"])

    def test_usd_and_materialx_pass_their_own_validators(self) -> None:
        for name, given in (("rich", rich()), ("teatrino", demo_reference())):
            files = delivered(given, FORNACE).files
            document = mx.createDocument()
            mx.readFromXmlString(document, files["materials.mtlx"].decode())
            valid, message = document.validate()
            self.assertTrue(valid, f"{name}: {message}")
            with on_disk(files) as folder:
                stage = Usd.Stage.Open(str(next(folder.glob("*.usdc"))))
                validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
                self.assertGreater(len(validators), 5)
                errors = UsdValidation.ValidationContext(validators).Validate(stage)
                # This build of the library has no MaterialX definitions to look shaders up in; they are
                # checked against MaterialX itself below.
                unknown_here = ("MissingShaderIdInRegistry", "ND_")
                told = [
                    f"{e.GetName()}: {e.GetMessage()}"
                    for e in errors
                    if e.GetType()
                    in (UsdValidation.ValidationErrorType.Error, UsdValidation.ValidationErrorType.Warn)
                    and not all(part in f"{e.GetName()} {e.GetMessage()}" for part in unknown_here)
                ]
                self.assertEqual(told, [], name)
                self.assertEqual(
                    (UsdGeom.GetStageUpAxis(stage), UsdGeom.GetStageMetersPerUnit(stage)), ("Z", 0.01)
                )
                self.assert_defined(stage)
                materials = [UsdShade.Material(p) for p in stage.Traverse() if p.IsA(UsdShade.Material)]
                self.assertTrue(
                    all(
                        m.GetSurfaceOutput("mtlx").HasConnectedSource()
                        and m.GetSurfaceOutput().HasConnectedSource()
                        for m in materials
                    )
                )

    def assert_defined(self, stage: object) -> None:
        """Every MaterialX shader of the stage names a definition of the standard library, with inputs and
        types it has.
        """
        library = mx.createDocument()
        mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
        types = {
            "color3f": "color3",
            "float": "float",
            "float3": "vector3",
            "float2": "vector2",
            "string": "string",
            "asset": "filename",
            "bool": "boolean",
        }
        seen = 0
        for prim in stage.Traverse():  # type: ignore[attr-defined]
            shader = UsdShade.Shader(prim)
            if not prim.IsA(UsdShade.Shader) or not str(shader.GetIdAttr().Get()).startswith("ND_"):
                continue
            definition = library.getNodeDef(shader.GetIdAttr().Get())
            self.assertIsNotNone(definition, shader.GetIdAttr().Get())
            for given in shader.GetInputs():
                known = definition.getActiveInput(given.GetBaseName())
                self.assertIsNotNone(known, f"{shader.GetIdAttr().Get()}.{given.GetBaseName()}")
                self.assertEqual(known.getType(), types[str(given.GetTypeName())])
            seen += 1
        self.assertGreater(seen, 10)


class Lanterna(TestCase):
    def arrive(self, given: Scene) -> Scene:
        return move.arrive(delivered(given, LANTERNA), LANTERNA)

    def with_list(self, given: Scene, change: object) -> Scene:
        """The arrival when the material list was changed by hand."""
        package = delivered(given, LANTERNA)
        document = json.loads(package.files["materials.json"])
        change(document)  # type: ignore[operator]
        return move.arrive(
            Package({**package.files, "materials.json": json.dumps(document).encode()}), LANTERNA
        )

    def test_a_prepared_package_arrives_as_meant(self) -> None:
        made = self.arrive(rich())
        self.assertEqual(
            {light.name: (light.intensity, light.shadows) for light in made.lights.values()},
            {"Lamp": (20.0, True), "Spot": (50.0, True), "Sun": (900.0, True)},
        )
        leaf = next(m for m in made.materials.values() if m.name == "leaf")
        self.assertEqual((leaf.alpha_mode, leaf.alpha_cutoff, leaf.double_sided), ("mask", 0.3, True))
        self.assertAlmostEqual(made.environment.turn_rad, 0.7)
        np.testing.assert_allclose(bounds(made), bounds(rich()), atol=1e-6)

    def test_odd_sizes_are_dropped_without_a_word_and_the_slot_stays_grey(self) -> None:
        package = delivered(scene(quad(), materials=(textured(),), images=PICTURES), LANTERNA)
        made = move.arrive(
            Package({**package.files, "media/m-color.png": noise_image("x", 700, 1000).data}), LANTERNA
        )
        base = next(iter(made.materials.values())).inputs["base_color"]
        self.assertEqual((base.texture, base.factor), (None, (0.5, 0.5, 0.5)))

    def test_habits_show_when_nothing_is_told(self) -> None:
        def forget(document: dict[str, object]) -> None:
            document["lights"] = []
            for entry in document["materials"]:  # type: ignore[attr-defined]
                for key in ("see_through", "two_sided"):
                    entry.pop(key, None)

        made = self.with_list(rich(), forget)
        self.assertEqual(
            {light.name: (light.intensity, light.shadows) for light in made.lights.values()},
            {"Lamp": (60.0, False), "Spot": (150.0, False), "Sun": (2700.0, False)},
        )
        leaf = next(m for m in made.materials.values() if m.name == "leaf")
        self.assertEqual((leaf.alpha_mode, leaf.double_sided), ("opaque", False))

    def test_any_vertex_colour_multiplies(self) -> None:
        self.assertTrue(
            all(m.inputs["base_color"].vertex_color for m in self.arrive(rich()).materials.values())
        )

    def test_inputs_it_does_not_know_are_passed_over(self) -> None:
        def add(document: dict[str, object]) -> None:
            document["materials"][0]["values"]["sheen_color"] = [1, 1, 1]  # type: ignore[index]

        self.assertTrue(
            all("sheen_color" not in m.inputs for m in self.with_list(rich(), add).materials.values())
        )


class Fornace(TestCase):
    def test_everything_it_knows_comes_back(self) -> None:
        given = rich()
        made = move.arrive(delivered(given, FORNACE), FORNACE)
        by_name = {m.name: m for m in made.materials.values()}
        self.assertEqual(set(by_name), {"m", "leaf", "glass", "cloth", "paint"})
        cloth = by_name["cloth"].inputs
        for name, expected in (
            ("clearcoat", 0.5),
            ("clearcoat_roughness", 0.1),
            ("ior", 1.6),
            ("emission_strength", 30.0),
            ("sheen_roughness", 0.4),
        ):
            self.assertAlmostEqual(cloth[name].factor[0], expected, places=5)
        np.testing.assert_allclose(cloth["sheen_color"].factor, (0.3, 0.1, 0.1), atol=1e-6)
        np.testing.assert_allclose(cloth["emission"].factor, (1.0, 0.5, 0.2), atol=1e-6)
        self.assertEqual((by_name["leaf"].alpha_mode, round(by_name["leaf"].alpha_cutoff, 4)), ("mask", 0.3))
        self.assertTrue(
            all(m.double_sided and not m.inputs["base_color"].vertex_color for m in by_name.values())
        )
        np.testing.assert_allclose(bounds(made), bounds(given), atol=1e-5)
        for light in given.lights.values():
            back = next(one for one in made.lights.values() if one.name == light.name)
            self.assertEqual(back.kind, light.kind)
            self.assertAlmostEqual(back.intensity, light.intensity, places=3)
            before = next(given.world_matrices()[n.id] for n in given.nodes.values() if n.light == light.id)
            after = next(made.world_matrices()[n.id] for n in made.nodes.values() if n.light == back.id)
            np.testing.assert_allclose(after, before, atol=1e-5)
        self.assertAlmostEqual(made.environment.turn_rad, 0.7, places=5)
        self.assertEqual(made.environment.level, 12.0)


class Taccuino(TestCase):
    def test_one_sun_few_inputs_no_sky(self) -> None:
        made = move.arrive(delivered(rich(), TACCUINO), TACCUINO)
        self.assertEqual([light.name for light in made.lights.values()], ["Sun"])
        self.assertIsNone(made.environment)
        self.assertLessEqual(
            {name for m in made.materials.values() for name in m.inputs},
            {"base_color", "normal", "roughness", "metalness", "opacity"},
        )

    def test_everything_lies_in_one_file(self) -> None:
        self.assertEqual(len(delivered(rich(), TACCUINO).files), 1)


class Sheets(TestCase):
    def test_a_broken_sheet_names_its_field(self) -> None:
        for text, words in (
            ("name = ", "TOML"),
            ('name = "X"\nsummary = "x"\n[conventions]\nup_axis = "W"', "conventions.up_axis"),
            (
                'name = "X"\nsummary = "x"\n[[materials.sets]]\nname = "a"\nchannels = { r = "shine" }',
                "shine",
            ),
            ('name = "X"\nsummary = "x"\nflavour = 1', "flavour"),
        ):
            with self.assertRaises(Refused) as caught:
                parse_sheet(text, "mine.toml")
            self.assertIn(words, caught.exception.what)

    def test_a_sheet_without_an_understudy_cannot_arrive(self) -> None:
        with self.assertRaises(Refused):
            move.arrive(Package({}), BOTTEGA)
