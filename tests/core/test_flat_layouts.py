"""Packages of points in the world: OBJ, PLY and STL, held against other libraries and closed forms, and
against what was promised of them.
"""

from __future__ import annotations

import csv
import io
import json
import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np
import trimesh

from tests.core.test_arrival import delivered
from tests.everything import everything
from tests.making import cube, material, noise_image, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.scene.images import identify, pixels
from trasloco.scene.model import Input, Node, Scene, Texture
from trasloco.scene.transforms import compose
from trasloco.sheets.layouts import LAYOUTS
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import changed

SHEETS = built_in_sheets()
PLAIN, TELA, SCATOLA = SHEETS["plain"], SHEETS["tela"], SHEETS["scatola"]
PHYSICAL = changed(
    TELA,
    {
        "package.form": "obj",
        "package.files": "one a part",
        "conventions.up_axis": "Z",
        "materials.sets": [
            {"name": "color", "encoding": "srgb", "channels": {"rgb": "base_color"}},
            {"name": "rough", "channels": {"r": "roughness"}},
            {"name": "metal", "channels": {"r": "metalness"}},
            {"name": "cutout", "channels": {"r": "opacity"}},
            {"name": "relief", "channels": {"rgb": "normal"}},
            {"name": "glow", "encoding": "srgb", "channels": {"rgb": "emission"}},
        ],
        "materials.inputs": {
            name: {"multiplies": True}
            for name in ("base_color", "roughness", "metalness", "opacity", "emission", "emission_strength")
        }
        | {name: {} for name in ("ior", "clearcoat", "clearcoat_roughness")},
    },
)
FACETS = changed(
    SCATOLA,
    {
        "layout": "stl",
        "package.form": "stl",
        "materials.inputs": {},
        "materials.colors_on_points": False,
        "structure.colors": False,
        "structure.normals": False,
    },
)
ROUNDS = 4


def stage(*materials: object) -> Scene:
    """A unit cube, mirrored, turned over and stretched to 2 x 3 x 4 m, in a group that stands at (1, 0, 0)."""
    lacquer = material("lacquer", base_color=(0.5, 0.25, 1.0), roughness=(0.5,))
    given = scene(replace(cube(1.0, lacquer.id)), materials=(lacquer,))
    (part,) = given.parts()
    group = Node("part:wings", "Wings", None, compose((1.0, 0.0, 0.0)))
    inside = replace(
        part,
        name="Travelling trunk",
        parent=group.id,
        matrix=compose((0, 1.0, 0), (0, 0, 0, 1), (-2.0, 3.0, 4.0)),
    )
    return replace(given, nodes={group.id: group, inside.id: inside})


def unaccounted(given: Scene, sheet: Sheet) -> list[str]:
    reference = move.mend(given, PLAIN)
    carried = move.carry(reference, move.plan(reference, PLAIN, sheet), sheet)
    arrival = move.arrive(move.package(carried, sheet), sheet)
    told = move.account(reference, arrival, carried.plan, sheet)
    return [f"{e.kind} {e.item} {e.aspect}: {e.sent} / {e.arrived}: {e.reason}" for e in told.unaccounted]


class Books(TestCase):
    def test_nothing_is_unaccounted(self) -> None:
        for label, sheet in (
            ("classic", TELA),
            ("physical, one a part", PHYSICAL),
            ("points", SCATOLA),
            ("points as text", changed(SCATOLA, {"package.form": "ply text"})),
            ("facets", FACETS),
            ("facets as text", changed(FACETS, {"package.form": "stl text"})),
        ):
            for number in range(ROUNDS):
                with self.subTest(f"{label}, {number}"):
                    self.assertEqual(unaccounted(everything(f"flat {number}"), sheet), [])

    def test_what_was_not_sent_is_missed(self) -> None:
        """A part that moved, a colour that changed, a slot that wears another material."""
        reference = move.mend(stage(), PLAIN)
        carried = move.carry(reference, move.plan(reference, PLAIN, TELA), TELA)
        arrival = move.arrive(move.package(carried, TELA), TELA)
        (mesh,) = arrival.meshes.values()
        moved = replace(
            mesh, primitives=tuple(replace(p, positions=p.positions + 0.001) for p in mesh.primitives)
        )
        (shown,) = arrival.materials.values()
        bent = replace(shown, inputs={**shown.inputs, "base_color": Input((0.5, 0.25, 0.9))})
        for other, kind in (
            (replace(arrival, meshes={mesh.id: moved}), "mesh"),
            (replace(arrival, materials={shown.id: bent}), "input"),
        ):
            told = move.account(reference, other, carried.plan, TELA).unaccounted
            self.assertIn(kind, {entry.kind for entry in told})


class ByAnotherLibrary(TestCase):
    def test_a_mirrored_part_in_a_group_stands_where_it_stood_and_looks_outwards(self) -> None:
        """x from 1 - 2/2 to 1 + 2/2, y from 1 - 3/2 to 1 + 3/2, z from -2 to 2, in metres; 24 cubic metres."""
        low, high = np.array([0.0, -0.5, -2.0]), np.array([2.0, 2.5, 2.0])
        z_up = lambda p: np.array([p[0], -p[2], p[1]])  # noqa: E731
        for sheet, ending, unit, turned in (
            (TELA, "obj", 100.0, False),
            (SCATOLA, "ply", 1000.0, True),
            (changed(SCATOLA, {"package.form": "ply text"}), "ply", 1000.0, True),
            (FACETS, "stl", 1000.0, True),
            (changed(FACETS, {"package.form": "stl text"}), "stl", 1000.0, True),
        ):
            with self.subTest(f"{sheet.name} {sheet.package.form}"):
                held = self.opened(delivered(stage(), sheet).files, ending)
                corners = [z_up(low), z_up(high)] if turned else [low, high]
                np.testing.assert_allclose(held.bounds[0], np.minimum(*corners) * unit, atol=1e-3)
                np.testing.assert_allclose(held.bounds[1], np.maximum(*corners) * unit, atol=1e-3)
                self.assertAlmostEqual(held.volume / (24 * unit**3), 1.0, places=5)

    def opened(self, files: dict[str, bytes], ending: str) -> trimesh.Trimesh:
        with tempfile.TemporaryDirectory() as folder:
            for path, data in files.items():
                (Path(folder) / path).parent.mkdir(parents=True, exist_ok=True)
                (Path(folder) / path).write_bytes(data)
            (main,) = Path(folder).glob(f"*.{ending}")
            held = trimesh.load(main, force="mesh")
        assert isinstance(held, trimesh.Trimesh)
        return held

    def test_slots_wear_the_materials_that_the_library_names(self) -> None:
        picture = noise_image("planks", 8, 8)
        boards = material("boards", base_color=Texture(picture.id, "rgb", "srgb"))
        wax = material("wax", base_color=(0.2, 0.4, 0.6))
        given = scene(quad(1, boards.id), cube(1, wax.id), materials=(boards, wax), images=(picture,))
        files = delivered(given, TELA).files
        with tempfile.TemporaryDirectory() as folder:
            for path, data in files.items():
                (Path(folder) / path).parent.mkdir(parents=True, exist_ok=True)
                (Path(folder) / path).write_bytes(data)
            (main,) = Path(folder).glob("*.obj")
            held = trimesh.load(main, force="scene")
        by_name = {one.visual.material.name: one for one in held.geometry.values()}
        self.assertEqual({name: len(one.faces) for name, one in by_name.items()}, {"boards": 2, "wax": 12})
        np.testing.assert_array_equal(
            np.asarray(by_name["boards"].visual.material.image)[..., :3], pixels(picture)[..., :3]
        )
        # Trimesh counts v upwards as OBJ does, and glTF downwards.
        (sent,) = (p for m in given.meshes.values() for p in m.primitives if p.material == boards.id)
        uv = np.unique(np.asarray(by_name["boards"].visual.uv), axis=0)
        meant = np.unique(np.stack([sent.uvs[0][:, 0], 1 - sent.uvs[0][:, 1]], axis=1), axis=0)
        np.testing.assert_allclose(uv, meant, atol=1e-6)

    def test_colours_on_points_are_bytes_as_picked_on_a_screen(self) -> None:
        """IEC 61966-2-1: 0.5 is 188, 0.25 is 137, 1 is 255."""
        held = self.opened(delivered(stage(), SCATOLA).files, "ply")
        colors = np.unique(np.asarray(held.visual.vertex_colors), axis=0)
        np.testing.assert_array_equal(colors, [[188, 137, 255, 255]])


class Statements(TestCase):
    def library(self, given: Scene, sheet: Sheet) -> list[str]:
        files = delivered(given, sheet).files
        return next(data for path, data in files.items() if path.endswith(".mtl")).decode().splitlines()

    def test_roughness_is_told_by_an_exponent_where_only_classic_statements_are_read(self) -> None:
        """2 / 0.5^4 - 2 = 30."""
        lines = self.library(stage(), TELA)
        self.assertIn("Ns 30", lines)
        self.assertIn("Kd 0.5 0.25 1", lines)
        self.assertFalse([line for line in lines if line.startswith(("Pr", "Pm", "norm", "map_P"))])

    def test_the_physical_statements_are_spelt_as_the_specification_has_them(self) -> None:
        picture = noise_image("all", 8, 8, 3)
        one = lambda: Texture(picture.id, "r")  # noqa: E731
        brass = material(
            "brass",
            "mask",
            base_color=Texture(picture.id, "rgb", "srgb"),
            roughness=one(),
            metalness=one(),
            opacity=one(),
            normal=replace(Texture(picture.id, "rgb"), strength=0.5),
            emission=Input((1.0, 0.5, 0.25)),
            emission_strength=(4.0,),
            clearcoat=(0.5,),
            clearcoat_roughness=(0.1,),
            ior=(1.45,),
        )
        given = scene(quad(1, brass.id), materials=(brass,), images=(picture,))
        lines = self.library(given, PHYSICAL)
        for line in (
            "newmtl brass",
            "map_Kd maps/brass_color.png",
            "map_Pr maps/brass_rough.png",
            "map_Pm maps/brass_metal.png",
            "map_d maps/brass_cutout.png",
            "norm -bm 0.5 maps/brass_relief.png",
            "Ke 4 2 1",
            "Pc 0.5",
            "Pcr 0.1",
            "Ni 1.45",
        ):
            self.assertIn(line, lines)

    def test_a_part_has_a_file_by_its_name_each_once(self) -> None:
        given = stage()
        (part,) = given.parts()
        twin = replace(part, id="part:twin", name="Travelling Trunk!")
        files = delivered(replace(given, nodes={**given.nodes, twin.id: twin}), PHYSICAL).files
        names = sorted(path for path in files if path.endswith(".obj"))
        self.assertEqual(names, ["Travelling_Trunk_2.obj", "Travelling_trunk.obj"])


class OneSet(TestCase):
    def test_images_on_two_uv_sets_are_drawn_onto_one(self) -> None:
        """Half of the square is white on the second set; the drawn image shows it there on the first."""
        flat = np.zeros((16, 16, 3), np.uint8)
        flat[:, 8:] = 255
        color, rough = noise_image("color", 8, 8), noise_image("rough", 8, 8)
        halves = identify("image:halves", "halves.png", "halves.png", _png(flat))
        two = material(
            "two",
            base_color=Texture(halves.id, "rgb", "srgb", uv_set=1),
            roughness=Texture(rough.id, "r"),
        )
        given = scene(
            replace(quad(1, two.id), uvs=(quad().uvs[0], quad().uvs[0])),
            materials=(two,),
            images=(halves, rough, color),
        )
        reference = move.mend(given, PLAIN)
        carried = move.carry(reference, move.plan(reference, PLAIN, PHYSICAL), PHYSICAL)
        arrival = move.arrive(move.package(carried, PHYSICAL), PHYSICAL)
        (mesh,) = arrival.meshes.values()
        self.assertEqual([len(p.uvs) for p in mesh.primitives], [1])
        for name in ("base_color", "roughness"):
            crossing = next(c for c in carried.plan.crossings if c.name == name)
            self.assertEqual((crossing.mark, crossing.steps[0].text), ("close", "drawn onto the one UV set"))
            self.assertLess(crossing.rms or 1.0, 0.08)
        self.assertEqual(move.account(reference, arrival, carried.plan, PHYSICAL).unaccounted, [])

    def test_relief_on_another_set_stays_behind_in_words(self) -> None:
        picture = noise_image("relief", 8, 8)
        given_material = material(
            "m",
            base_color=Texture(picture.id, "rgb", "srgb"),
            normal=Texture(picture.id, "rgb", uv_set=1),
        )
        given = scene(quad(1, given_material.id), materials=(given_material,), images=(picture,))
        plan = move.plan(given, PLAIN, PHYSICAL)
        (relief,) = (c for c in plan.crossings if c.name == "normal")
        self.assertEqual(relief.mark, "lost")
        self.assertIn("one set", relief.reason)


def _png(texels: np.ndarray) -> bytes:  # type: ignore[type-arg]
    from PIL import Image

    out = io.BytesIO()
    Image.fromarray(texels).save(out, "PNG")
    return out.getvalue()


class Sheets(TestCase):
    def test_each_line_that_a_format_of_points_cannot_keep_is_told_by_itself(self) -> None:
        for sheet, path, value in (
            (TELA, "structure.groups", True),
            (TELA, "structure.pivots", True),
            (TELA, "structure.colors", True),
            (TELA, "structure.uv_sets", "any"),
            (TELA, "structure.names", "kept"),
            (TELA, "structure.slots", "kept"),
            (TELA, "structure.motion", ["places"]),
            (TELA, "cameras.taken", True),
            (TELA, "lights.kinds", ["sun"]),
            (TELA, "lightmaps.taken", True),
            (TELA, "materials.alpha", ["opaque", "blend"]),
            (TELA, "materials.two_sided", "flag"),
            (TELA, "materials.inputs", {"metalness": {}}),
            (TELA, "images.kind", "ktx2"),
            (PHYSICAL, "materials.inputs", {"sheen_roughness": {}}),
            (PHYSICAL, "materials.sets", [{"name": "a", "channels": {"g": "roughness"}}]),
            (SCATOLA, "materials.colors_on_points", False),
            (SCATOLA, "package.files", "one"),
            (SCATOLA, "materials.inputs", {"base_color": {}, "roughness": {}}),
            (FACETS, "structure.normals", True),
            (SHEETS["lanterna"], "package.files", "one a part"),
        ):
            with self.subTest(f"{sheet.name} {path}"), self.assertRaises(Refused) as caught:
                changed(sheet, {path: value, **({"images.power_of_two": True} if value == "ktx2" else {})})
            self.assertEqual(caught.exception.where, path)

    def test_every_form_that_a_sheet_may_name_is_a_form_of_some_layout(self) -> None:
        named = {form for facts in LAYOUTS.values() for form in facts.forms}
        self.assertTrue({"obj", "obj classic", "ply", "ply text", "stl", "stl text"} <= named)


class Kinds(TestCase):
    def test_every_kind_of_image_that_a_layout_may_name_arrives(self) -> None:
        """Whole codes in kinds without loss; what a kind costs is told by its mark."""
        colored, rough = noise_image("color", 16, 16, 3), noise_image("rough", 16, 16, 3)
        boards = material(
            "boards", base_color=Texture(colored.id, "rgb", "srgb"), roughness=Texture(rough.id, "r")
        )
        given = scene(quad(1, boards.id), materials=(boards,), images=(colored, rough))
        for name in ("lanterna", "taccuino", "fornace", "plancia", "sipario"):
            for kind in LAYOUTS[SHEETS[name].layout or ""].images:
                changes = {"images.kind": kind, "images.depth": 8}
                if kind == "ktx2":
                    changes["images.power_of_two"] = True
                if kind == "jpg" and any("a" in one.channels for one in SHEETS[name].materials.sets):
                    sets = [one.model_dump() for one in SHEETS[name].materials.sets]
                    for one in sets:
                        one["channels"].pop("a", None)
                    changes |= {"materials.sets": sets}
                with self.subTest(f"{name} as {kind}"):
                    sheet = changed(SHEETS[name], changes)
                    self.assertEqual(unaccounted(given, sheet), [])
                    carried = move.carry(given, move.plan(given, PLAIN, sheet), sheet)
                    (crossing,) = (c for c in carried.plan.crossings if c.name == "base_color")
                    lossy = kind in ("jpg", "ktx2")
                    self.assertEqual(crossing.mark, "close" if lossy else "exact")
                    self.assertEqual({image.kind for image in carried.images.values()}, {kind})

    def test_a_kind_that_readers_of_a_layout_do_not_take_is_refused(self) -> None:
        for name, kind in (("taccuino", "tga"), ("plancia", "webp"), ("tela", "webp"), ("lanterna", "exr")):
            with self.subTest(f"{name} as {kind}"), self.assertRaises(Refused) as caught:
                changed(SHEETS[name], {"images.kind": kind, "images.depth": 8})
            self.assertEqual(caught.exception.where, "images.kind")


class Tables(TestCase):
    def test_a_table_of_materials_lies_beside_any_layout(self) -> None:
        """Read by another library: the columns in the order asked for, numbers and images as delivered."""
        picture = noise_image("planks", 8, 8)
        boards = material(
            "boards, oiled",
            base_color=Texture(picture.id, "rgb", "srgb"),
            roughness=(0.25,),
            metalness=(0.0,),
        )
        given = scene(quad(1, boards.id), materials=(boards,), images=(picture,))
        columns = ["input", "material", "value", "image", "parts"]
        for name in ("tela", "taccuino", "plancia", "scatola"):
            sheet = changed(SHEETS[name], {"package.table": "csv", "package.columns": columns})
            files = delivered(given, sheet).files
            told = list(csv.reader(io.StringIO(files["material-table.csv"].decode())))
            self.assertEqual(told[0], columns)
            rows = {row[0]: row for row in told[1:]}
            if name != "scatola":
                self.assertEqual(rows["roughness"][2], "0.25")
                self.assertIn(rows["base_color"][3], {*files, "boards-oiled-color.png"})
            self.assertEqual(len({row[4] for row in told[1:]}), 1)
            same = changed(sheet, {"package.table": "json"})
            listed = json.loads(delivered(given, same).files["material-table.json"])
            self.assertEqual([list(row) for row in listed], [columns] * (len(told) - 1))
            self.assertEqual(unaccounted(given, same), [])


class Lines(TestCase):
    def test_lines_of_structure_are_kept_whatever_the_layout_is(self) -> None:
        """One line turned over at a time, on layouts that could hold more."""
        apart = {"structure.groups": False}
        still = {
            **apart,
            "structure.pivots": False,
            "structure.instances": False,
            "structure.tangents": False,
            "structure.motion": [],
        }
        for name, changes in (
            ("lanterna", apart),
            ("fornace", apart),
            ("plancia", {**apart, "structure.names": "plain"}),
            ("sipario", {"structure.groups": True}),
            ("taccuino", still),
            ("taccuino", {**still, "structure.slots": "by material"}),
            ("fornace", {**still, "structure.uv_sets": "one"}),
            ("lanterna", {"structure.motion": ["places"]}),
            ("lanterna", {"cameras.taken": False, "cameras.lens": False}),
            ("lanterna", {"structure.uv_sets": "one", "materials.relief_strength": "in the image"}),
            ("taccuino", {"structure.colors": False, "structure.normals": False}),
            ("taccuino", {"materials.cut_at": "half", "structure.names": "plain"}),
        ):
            sheet = changed(SHEETS[name], changes)
            for number in (1, 2):
                with self.subTest(f"{name} {changes}, {number}"):
                    self.assertEqual(unaccounted(everything(f"combo {number}"), sheet), [])

    def test_lines_that_need_one_another_are_told(self) -> None:
        for changes, path in (
            ({"structure.slots": "by material"}, "structure.slots"),
            ({"structure.pivots": False}, "structure.groups"),
            ({"structure.pivots": False, "structure.groups": False}, "structure.instances"),
        ):
            with self.assertRaises(Refused) as caught:
                changed(SHEETS["taccuino"], changes)
            self.assertEqual(caught.exception.where, path)
