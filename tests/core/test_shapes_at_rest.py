"""Shapes that are on at rest: read, drawn, written, and put into the points where no shapes are known."""

from __future__ import annotations

import io
import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase
from xml.etree import ElementTree

import numpy as np
import trimesh
from pxr import Usd, UsdSkel

from tests.carried import delivered, lay_out, unaccounted
from tests.core.test_arrival import judged
from tests.making import quad, scene
from trasloco import move
from trasloco.formats.glb import pack_glb, unpack_glb
from trasloco.formats.gltf_write import write_glb
from trasloco.render.flatten import flatten
from trasloco.render.posing import posed
from trasloco.scene.model import Channel, Clip, MorphTarget, Scene
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.text import changed

SHEETS = built_in_sheets()
SHAPED = changed(SHEETS["sipario"], {"structure.motion": ["places", "shapes"]})


def mask(*on: float, moved: bool = True) -> Scene:
    """A square at the height 0 with two shapes, a metre and three metres up, and a clip that moves the first."""
    shapes = tuple(MorphTarget(np.tile(np.float32([0, up, 0]), (4, 1))) for up in (1, 3))
    given = scene(replace(quad(), morphs=shapes), names=("Mask",))
    mesh = replace(given.meshes["mesh:Mask"], morph_names=("smile", "frown"))
    (part,) = given.parts()
    laugh = Channel(part.id, "weights", np.float32([0, 1]), np.float32([[0, 0], [1, 0]]))
    return replace(
        given,
        nodes={part.id: replace(part, shape_weights=on)},
        meshes={mesh.id: mesh},
        clips={"clip:a": Clip("clip:a", "Laugh", (laugh,))} if moved else {},
    )


def height(given: Scene) -> float:
    """Of what is drawn."""
    heights = flatten(given).arrays.positions[:, 1]
    assert np.ptp(heights) < 1e-6
    return float(heights[0])


def read(files: dict[str, bytes]) -> tuple[float, ...]:
    (part,) = move.receive(files).scene.parts()
    return part.shape_weights


class Drawn(TestCase):
    def test_points_are_moved_by_what_is_on(self) -> None:
        """base + sum of weight x displacement (glTF 2.0, section 3.7.2.2)."""
        self.assertAlmostEqual(height(mask()), 0.0, 6)
        self.assertAlmostEqual(height(mask(0.5, 0.25)), 0.5 * 1 + 0.25 * 3, 6)

    def test_a_clip_has_its_own(self) -> None:
        at_end = posed(mask(0.5, 0.25), "clip:a", 1.0)
        self.assertAlmostEqual(height(at_end), 1.0, 6)


class Read(TestCase):
    def test_gltf_has_them_on_the_mesh_or_on_the_part(self) -> None:
        document, held = unpack_glb(write_glb(mask()), "mask.glb")
        binary = bytes(held)
        self.assertEqual(read({"mask.glb": pack_glb(document, binary)}), ())
        document["meshes"][0]["weights"] = [0.0, 0.5]
        self.assertEqual(read({"mask.glb": pack_glb(document, binary)}), (0.0, 0.5))
        (part,) = (node for node in document["nodes"] if "mesh" in node)
        part["weights"] = [0.25, 0.0]  # a node's weights outrank its mesh's
        self.assertEqual(read({"mask.glb": pack_glb(document, binary)}), (0.25, 0.0))
        part["weights"] = "damaged"
        self.assertEqual(read({"mask.glb": pack_glb(document, binary)}), ())


class Written(TestCase):
    def test_every_format_of_shapes_says_them(self) -> None:
        for moved in (True, False):
            given = mask(0.5, 0.25, moved=moved)
            for sheet in (
                SHEETS["taccuino"],
                SHEETS["lanterna"],
                SHEETS["fornace"],
                SHEETS["plancia"],
                SHAPED,
            ):
                with self.subTest(sheet.name, moved=moved):
                    self.assertEqual(unaccounted(given, sheet), [])
                    arrival = move.arrive(delivered(given, sheet), sheet)
                    self.assertAlmostEqual(height(arrival), 1.25, 5)

    def test_the_validator_finds_them_sound(self) -> None:
        (data,) = (
            d for p, d in delivered(mask(0.5, 0.25), SHEETS["taccuino"]).files.items() if p.endswith("glb")
        )
        issues = judged(data)
        self.assertEqual((issues["numErrors"], issues["numWarnings"]), (0, 0), issues["messages"])
        document, _ = unpack_glb(data, "mask.glb")
        self.assertIn([0.5, 0.25], [node.get("weights") for node in document["nodes"]])

    def test_usd_has_them_as_the_value_without_a_time(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            lay_out(delivered(mask(0.5, 0.25), SHEETS["plancia"]).files, folder)
            (root,) = Path(folder).glob("*.usda")
            stage = Usd.Stage.Open(str(root))
            (animation,) = (UsdSkel.Animation(p) for p in stage.Traverse() if p.IsA(UsdSkel.Animation))
            told = list(animation.GetBlendShapeWeightsAttr().Get(Usd.TimeCode.Default()))
            self.assertEqual(told, [0.5, 0.25])

    def test_collada_has_them_in_the_morph(self) -> None:
        (data,) = (d for p, d in delivered(mask(0.5, 0.25), SHAPED).files.items() if p.endswith(".dae"))
        root = ElementTree.fromstring(data)
        name = "{http://www.collada.org/2005/11/COLLADASchema}"
        (morph,) = root.iter(f"{name}morph")
        (numbers,) = (one.text for one in morph.iter(f"{name}float_array"))
        self.assertEqual([float(v) for v in (numbers or "").split()], [0.5, 0.25])

    def test_where_no_shapes_are_known_points_stay_where_they_put_them(self) -> None:
        for sheet in (SHEETS["sipario"], SHEETS["tela"]):
            with self.subTest(sheet.name):
                self.assertEqual(unaccounted(mask(0.5, 0.25), sheet), [])
                arrival = move.arrive(delivered(mask(0.5, 0.25), sheet), sheet)
                self.assertAlmostEqual(height(arrival), 1.25, 5)
        (data,) = (
            d for p, d in delivered(mask(0.5, 0.25), SHEETS["tela"]).files.items() if p.endswith(".obj")
        )
        mesh = trimesh.load(io.BytesIO(data), file_type="obj", process=False)
        tela = SHEETS["tela"].conventions
        up = "XYZ".index(tela.up_axis)
        self.assertTrue(np.allclose(mesh.vertices[:, up] * tela.unit_m, 1.25, atol=1e-5))

    def test_parts_that_share_a_mesh_may_have_others_on(self) -> None:
        given = mask(0.5, 0.25, moved=False)
        (part,) = given.parts()
        other = replace(part, id="part:other", name="Other", shape_weights=())
        given = replace(given, nodes={**given.nodes, other.id: other})
        for sheet in (SHEETS["taccuino"], SHEETS["sipario"], SHEETS["plancia"]):
            with self.subTest(sheet.name):
                self.assertEqual(unaccounted(given, sheet), [])

    def test_what_is_off_over_there_is_noticed(self) -> None:
        given, sheet = mask(0.5, 0.25), SHEETS["taccuino"]
        carried = move.carry(given, move.plan(given, SHEETS["plain"], sheet), sheet)
        arrival = move.arrive(move.package(carried, sheet), sheet)
        off = {id: replace(node, shape_weights=()) for id, node in arrival.nodes.items()}
        told = move.account(given, replace(arrival, nodes=off), carried.plan, sheet)
        self.assertEqual({e.aspect for e in told.unaccounted}, {"shapes at rest"})
