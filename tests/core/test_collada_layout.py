"""Packages in COLLADA, held against its schema, another library and closed forms, and against what was
promised.
"""

from __future__ import annotations

import io
import tempfile
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase
from xml.etree import ElementTree

import collada
import numpy as np
from collada.schema import ColladaValidator
from lxml import etree

from tests.carried import delivered
from tests.core.test_arrival import rich
from tests.core.test_flat_layouts import stage, unaccounted
from tests.everything import everything
from tests.making import cube, material, noise_image, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Channel, Clip, Node, Scene, Texture
from trasloco.scene.motion import posed_matrices, world_of
from trasloco.scene.transforms import compose
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.text import changed

SHEETS = built_in_sheets()
PLAIN, SIPARIO = SHEETS["plain"], SHEETS["sipario"]
ASKED = changed(SIPARIO, {"lights.kinds": ["sun", "point", "spot"], "cameras.taken": True})
NESTED = changed(
    ASKED,
    {
        "structure.groups": True,
        "structure.uv_sets": "any",
        "conventions.up_axis": "Z",
        "conventions.unit_m": 0.01,
        "materials.alpha": ["opaque", "mask"],
    },
)
TURN = 2.0


def turning() -> Scene:
    """A rod at (1, 0, 0) in a winch that turns a quarter about Y in two seconds."""
    brass = material("brass")
    given = scene(cube(0.2, brass.id), materials=(brass,))
    (part,) = given.parts()
    winch = Node("part:winch", "Winch", None, np.eye(4))
    rod = replace(part, name="Rod", parent=winch.id, matrix=compose((1.0, 0.0, 0.0)))
    half = np.sqrt(0.5)
    turn = Channel(
        winch.id,
        "rotation",
        np.array([0.0, TURN], np.float32),
        np.array([[0, 0, 0, 1], [0, half, 0, half]], np.float32),
    )
    clip = Clip("clip:turn", "Turn", (turn,))
    return replace(given, nodes={winch.id: winch, rod.id: rod}, clips={clip.id: clip})


class Books(TestCase):
    def test_nothing_is_unaccounted(self) -> None:
        for label, sheet in (
            ("alone", SIPARIO),
            ("lamps and cameras asked for", ASKED),
            ("nested, centimetres, Z up", NESTED),
            ("1.5", changed(NESTED, {"package.form": "collada 1.5"})),
            ("an archive", changed(ASKED, {"package.form": "zae"})),
        ):
            for number in range(3):
                with self.subTest(f"{label}, {number}"):
                    self.assertEqual(unaccounted(everything(f"cloth {number}"), sheet), [])

    def test_a_part_that_is_carried_round_is_where_it_was_at_every_moment(self) -> None:
        """The rod goes round a circle of one metre: at share s of the way it is at (cos, 0, -sin) of s x 90°."""
        reference = move.mend(turning(), PLAIN)
        carried = move.carry(reference, move.plan(reference, PLAIN, SIPARIO), SIPARIO)
        arrival = move.arrive(move.package(carried, SIPARIO), SIPARIO)
        (rod,) = arrival.parts()
        (clip,) = arrival.clips.values()
        self.assertEqual((rod.name, rod.parent, clip.name), ("Rod", None, "Turn"))
        (promise,) = (p for p in carried.plan.passages if p.aspect == "places")
        for moment in np.linspace(0, TURN, 17):
            angle = np.pi / 2 * moment / TURN
            held = world_of(arrival, posed_matrices(arrival, clip, float(moment))[0])[rod.id]
            meant = np.array([np.cos(angle), 0, -np.sin(angle)])
            self.assertLess(np.abs(held[:3, 3] - meant).max(), promise.bound)
        # A chord of 1/24 of 2 s on a metre: 1 - cos(half the step of 90° / 48).
        self.assertLess(promise.bound, 1.2 * (1 - np.cos(np.pi / 2 / 48 / 2)) + 2e-5)


class ByOthers(TestCase):
    def document(self, given: Scene, sheet: object = ASKED) -> bytes:
        files = delivered(given, sheet).files  # type: ignore[arg-type]
        return next(data for path, data in files.items() if path.endswith(".dae"))

    def test_documents_are_valid_by_the_schema(self) -> None:
        valid = ColladaValidator()
        for number in range(4):
            for sheet in (ASKED, NESTED):
                with self.subTest(number):
                    given = move.mend(everything(f"schema {number}"), PLAIN)
                    document = etree.fromstring(self.document(given, sheet))
                    self.assertTrue(valid.validate(document), valid.COLLADA_SCHEMA_1_4_1_INSTANCE.error_log)
        self.assertTrue(valid.validate(etree.fromstring(self.document(rich()))))

    def test_another_library_finds_every_point_in_the_world(self) -> None:
        for sheet, unit in ((ASKED, 1.0), (NESTED, 100.0)):
            held = collada.Collada(io.BytesIO(self.document(stage(), sheet)))
            self.assertAlmostEqual(held.assetInfo.unitmeter * unit, 1.0)
            points = np.concatenate(
                [p.vertex for bound in held.scene.objects("geometry") for p in bound.primitives()]
            )
            low, high = np.array([0.0, -0.5, -2.0]), np.array([2.0, 2.5, 2.0])
            if sheet is NESTED:  # Z up: (x, y, z) is (x, -z, y)
                low, high = np.array([0.0, -2.0, -0.5]), np.array([2.0, 2.0, 2.5])
            np.testing.assert_allclose(points.min(axis=0), low * unit, atol=1e-4 * unit)
            np.testing.assert_allclose(points.max(axis=0), high * unit, atol=1e-4 * unit)

    def test_effects_say_what_the_materials_say(self) -> None:
        """Roughness 0.5 is a shininess of 2 / 0.5^4 - 2 = 30; opacity lies in alpha, by A_ONE."""
        picture = noise_image("leaf", 8, 8, 4)
        leaf = material(
            "leaf",
            "blend",
            base_color=Texture(picture.id, "rgb", "srgb"),
            opacity=Texture(picture.id, "a"),
            roughness=(0.5,),
            ior=(1.45,),
        )
        given = scene(quad(1, leaf.id), materials=(leaf,), images=(picture,))
        held = collada.Collada(io.BytesIO(self.document(given)))
        (effect,) = held.effects
        self.assertEqual((effect.shadingtype, effect.opaque_mode), ("phong", "A_ONE"))
        self.assertEqual((effect.shininess, effect.index_of_refraction), (30.0, 1.45))
        self.assertEqual(effect.diffuse.sampler.surface.image.path, "images/leaf_picture.png")
        self.assertEqual(effect.transparent.sampler.surface.image.path, "images/leaf_picture.png")

    def test_lamps_fall_off_with_the_square_and_cameras_keep_their_angle(self) -> None:
        lamp = Light("light:a", "Lamp", "point", (1.0, 0.5, 0.25), 80.0)
        lens = Camera("camera:a", "Box", np.radians(40), 1.5)
        given = scene(quad(1))
        nodes = {
            **given.nodes,
            "part:l": Node("part:l", "Lamp", None, compose((0, 2.0, 0)), light=lamp.id),
            "part:c": Node("part:c", "Box", None, compose((0, 1.0, 4.0)), camera=lens.id),
        }
        held = collada.Collada(
            io.BytesIO(
                self.document(replace(given, nodes=nodes, lights={lamp.id: lamp}, cameras={lens.id: lens}))
            )
        )
        (light,), (camera,) = held.lights, held.cameras
        self.assertEqual(tuple(light.color), (80.0, 40.0, 20.0))
        self.assertEqual((light.constant_att, light.linear_att, light.quad_att), (0.0, 0.0, 1.0))
        self.assertAlmostEqual(camera.yfov, 40.0, places=5)

    def test_an_archive_names_its_document(self) -> None:
        files = delivered(rich(), changed(ASKED, {"package.form": "zae"})).files
        ((path, data),) = files.items()
        self.assertTrue(path.endswith(".zae"))
        with tempfile.TemporaryDirectory() as folder, zipfile.ZipFile(io.BytesIO(data)) as archive:
            archive.extractall(folder)
            told = ElementTree.fromstring((Path(folder) / "manifest.xml").read_text())
            self.assertEqual(told.tag, "dae_root")
            document = ElementTree.fromstring((Path(folder) / (told.text or "")).read_bytes())
            self.assertEqual(document.get("version"), "1.5.0")
            images = [e.text for e in document.iter() if e.tag.endswith("}ref")]
            self.assertTrue(images and all((Path(folder) / (i or "")).exists() for i in images))


class Sheets(TestCase):
    def test_each_line_that_collada_cannot_keep_is_told_by_itself(self) -> None:
        for path, value in (
            ("structure.names", "kept"),
            ("structure.curves", "kept"),
            ("structure.pivots", False),
            ("structure.slots", "by material"),
            ("lights.cone", "inner and outer"),
            ("lights.kinds", ["disc"]),
            ("lights.shadows", True),
            ("materials.alpha", ["opaque", "mask", "blend"]),
            ("materials.inputs", {"base_color": {"multiplies": True}}),
            ("materials.sets", [{"name": "a", "channels": {"r": "opacity"}}]),
            ("materials.texture_transform", True),
            ("cameras.lens", True),
        ):
            with self.subTest(path), self.assertRaises(Refused) as caught:
                changed(ASKED, {path: value})
            self.assertEqual(caught.exception.where, path)
