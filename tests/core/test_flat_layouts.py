"""Packages of points in the world: OBJ, PLY and STL, held against other libraries and closed forms, and
against what was promised of them.
"""

from __future__ import annotations

import io
from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from tests.carried import delivered, on_disk, unaccounted
from tests.everything import everything
from tests.making import cube, material, noise_image, quad, scene
from trasloco import move
from trasloco.scene.images import identify, pixels
from trasloco.scene.model import Input, Node, Scene, Texture
from trasloco.scene.transforms import compose
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
        with on_disk(files) as folder:
            (main,) = folder.glob(f"*.{ending}")
            held = trimesh.load(main, force="mesh")
        assert isinstance(held, trimesh.Trimesh)
        return held

    def test_slots_wear_the_materials_that_the_library_names(self) -> None:
        picture = noise_image("planks", 8, 8)
        boards = material("boards", base_color=Texture(picture.id, "rgb", "srgb"))
        wax = material("wax", base_color=(0.2, 0.4, 0.6))
        given = scene(quad(1, boards.id), cube(1, wax.id), materials=(boards, wax), images=(picture,))
        files = delivered(given, TELA).files
        with on_disk(files) as folder:
            (main,) = folder.glob("*.obj")
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


class OnePiece(TestCase):
    """Everything in one file, which tells no part from another."""

    def test_the_books_say_where_every_part_went(self) -> None:
        for label, sheet in (("ply", SCATOLA), ("stl", FACETS)):
            one = changed(sheet, {"package.files": "one"})
            for seed in (3, 7, 12):
                with self.subTest(label, seed=seed):
                    self.assertEqual(unaccounted(everything(seed), one), [])

    def test_a_library_reads_all_faces_from_one_file(self) -> None:
        given = scene(quad(1.0), cube(1.0), names=("Board", "Trunk"))
        for sheet, ending in ((SCATOLA, ".ply"), (FACETS, ".stl")):
            one = changed(sheet, {"package.files": "one"})
            (path,) = delivered(given, one).files
            data = delivered(given, one).files[path]
            self.assertTrue(path.endswith(ending))
            mesh = trimesh.load(io.BytesIO(data), file_type=ending[1:], process=False)
            self.assertEqual(len(mesh.faces), 2 + 12)
            unit = one.conventions.unit_m
            self.assertAlmostEqual(float(mesh.area) * unit**2, 1 + 6, 4)  # a square and a cube of one metre

    def test_a_face_that_moved_is_noticed(self) -> None:
        given = scene(quad(1.0), cube(1.0), names=("Board", "Trunk"))
        one = changed(SCATOLA, {"package.files": "one"})
        carried = move.carry(given, move.plan(given, PLAIN, one), one)
        arrival = move.arrive(move.package(carried, one), one)
        ((id, mesh),) = arrival.meshes.items()
        (whole,) = mesh.primitives
        moved = whole.positions.copy()
        moved[whole.indices[-1, 0]] += 0.1
        bent = replace(arrival, meshes={id: replace(mesh, primitives=(replace(whole, positions=moved),))})
        told = move.account(given, bent, carried.plan, one)
        self.assertEqual({e.item for e in told.unaccounted}, {"mesh:Trunk"})
