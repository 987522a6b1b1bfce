"""One material for each part: slots, placements, colours on points and relief drawn over one new UV set, held
against another library's reading of the file, closed forms and the renderer.
"""

from __future__ import annotations

import io
from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from tests.carried import delivered, unaccounted
from tests.drawn import (
    FORNACE,
    LANTERNA,
    PLAIN,
    QUARTERS,
    TACCUINO,
    TELA,
    directions_of_uv,
    faces_under,
    inputs_of,
    middles,
    moved,
    of_slots,
    read_by_others,
    texels_at,
    to_srgb,
    trunk,
)
from tests.everything import everything
from tests.making import image, material, quad
from trasloco import move
from trasloco.fit.together.own_layout import own_layout
from trasloco.scene.covering import covered
from trasloco.scene.layers import values_on
from trasloco.scene.model import Decision, Input, Texture
from trasloco.sheets.text import changed


class Books(TestCase):
    def test_nothing_is_unaccounted(self) -> None:
        for sheet in (LANTERNA, FORNACE, TACCUINO, TELA):
            for seed in (1, 15, 29, 33):
                with self.subTest(sheet.name, seed=seed):
                    self.assertEqual(unaccounted(everything(seed), sheet), [])

    def test_an_image_that_was_changed_on_the_way_is_noticed(self) -> None:
        given = trunk()
        plan = move.plan(given, PLAIN, TACCUINO)
        carried = move.carry(given, plan, TACCUINO)
        arrival = move.arrive(move.package(carried, TACCUINO), TACCUINO)
        (name,) = (m for m in arrival.materials)
        whole = arrival.materials[name]
        darker = replace(whole.inputs["base_color"], factor=(0.7, 0.7, 0.7))
        bent = arrival.with_material(replace(whole, inputs={**whole.inputs, "base_color": darker}))
        told = move.account(given, bent, carried.plan, TACCUINO)
        self.assertEqual({e.aspect for e in told.unaccounted}, {"base_color"})
        self.assertLessEqual({"material:Band", "material:Label"}, {e.item for e in told.unaccounted})

    def test_a_number_that_is_not_the_mean_is_noticed(self) -> None:
        """Taccuino has no image for the index: a square of 1.3 beside one four times as large of 1.8."""
        small, large = (material(name, ior=(index,)) for name, index in (("Oil", 1.3), ("Glass", 1.8)))
        slots = [moved(quad(), (0, 0, 0), small.id), moved(quad(2.0), (2.0, 0, 0), large.id)]
        given = of_slots(slots, (small, large))
        sheet = changed(TACCUINO, {"materials.inputs": {**inputs_of(TACCUINO), "ior": {}}})
        carried = move.carry(given, move.plan(given, PLAIN, sheet), sheet)
        arrival = move.arrive(move.package(carried, sheet), sheet)
        (whole,) = arrival.materials.values()
        self.assertAlmostEqual(whole.inputs["ior"].factor[0], (1.3 + 4 * 1.8) / 5, 4)
        self.assertEqual(unaccounted(given, sheet), [])
        bent = arrival.with_material(replace(whole, inputs={**whole.inputs, "ior": Input((1.5,))}))
        told = move.account(given, bent, carried.plan, sheet)
        self.assertEqual(
            {(e.item, e.aspect) for e in told.unaccounted}, {(m.id, "ior") for m in (small, large)}
        )

    def test_mirrored_copies_of_flat_and_smooth_slots_are_drawn_alike(self) -> None:
        """Relief gives every slot normals; those of a mirrored copy look out too."""
        lean = Texture("image:lean", "rgb", "linear")
        cloth, board = material("Cloth", normal=lean), material("Board", base_color=(0.2,) * 3)
        flat = replace(quad(), normals=None)
        slots = [moved(flat, (0, 0, 0), cloth.id), moved(quad(), (1.2, 0, 0), board.id)]
        bent = np.broadcast_to(np.uint8([204, 128, 230]), (8, 8, 3))
        given = of_slots(slots, (cloth, board), image("lean", bent))
        (part,) = given.parts()
        twin = replace(part, id="part:twin", name="Twin", matrix=np.diag([-1.0, 1, 1, 1]))
        given = replace(given, nodes={**given.nodes, twin.id: twin})
        physical = changed(
            TELA,
            {
                "package.form": "obj",
                "materials.sets": [
                    {"name": "color", "encoding": "srgb", "channels": {"rgb": "base_color"}},
                    {"name": "relief", "channels": {"rgb": "normal"}},
                ],
                "materials.inputs": {"roughness": {}},
            },
        )
        self.assertEqual(unaccounted(given, physical), [])

    def test_a_side_is_a_power_of_two_whatever_the_limit(self) -> None:
        large = np.zeros((1024, 1024, 3), np.uint8)
        cloth = material("Cloth", base_color=Texture("image:cloth", "rgb", "srgb"))
        given = of_slots([moved(quad(), (0, 0, 0), cloth.id)], (cloth,), image("cloth", large))
        sheet = changed(TACCUINO, {"images.largest": 300})
        self.assertEqual({image.width for image in move.plan(given, PLAIN, sheet).images}, {256})
        self.assertEqual(unaccounted(given, sheet), [])


class Drawing(TestCase):
    def test_a_part_has_one_material_and_one_image_an_input(self) -> None:
        package = delivered(trunk(), TACCUINO)
        (data,) = (data for path, data in package.files.items() if path.endswith(".glb"))
        loaded = trimesh.load(io.BytesIO(data), file_type="glb", process=False)
        self.assertEqual(len(loaded.geometry), 1)
        material = read_by_others(data).visual.material
        self.assertEqual(material.name, "Trunk")
        self.assertEqual(material.baseColorTexture.size, material.metallicRoughnessTexture.size)

    def test_every_slot_says_there_what_it_said(self) -> None:
        package = delivered(trunk(), TACCUINO)
        (data,) = (data for path, data in package.files.items() if path.endswith(".glb"))
        mesh = read_by_others(data)
        color, surface = mesh.visual.material.baseColorTexture, mesh.visual.material.metallicRoughnessTexture
        band, label = middles(200, 1.2), middles(200, 2.4)
        got = texels_at(mesh, color, band)[:, :3]
        self.assertLess(np.abs(got - to_srgb(np.array([0.8, 0.6, 0.2]))).max(), 1.5 / 255)
        got = texels_at(mesh, color, label)[:, :3]
        self.assertLess(np.abs(got - to_srgb(np.array([0.1, 0.3, 0.7]))).max(), 1.5 / 255)
        packed = texels_at(mesh, surface, np.concatenate([band, label]))  # glTF: roughness G, metalness B
        self.assertLess(np.abs(packed[:200, 1:3] - [0.25, 1.0]).max(), 1.5 / 255)
        self.assertLess(np.abs(packed[200:, 1:3] - [0.9, 0.0]).max(), 1.5 / 255)

    def test_a_placed_image_is_drawn_where_it_lay(self) -> None:
        """By the formula of KHR_texture_transform: translation x rotation x scale."""
        package = delivered(trunk(), TACCUINO)
        (data,) = (data for path, data in package.files.items() if path.endswith(".glb"))
        mesh = read_by_others(data)
        at = middles(600, 0.0)
        u, v = 2 * (at[:, 0] + 0.5), 2 * (at[:, 2] + 0.5)
        turned = np.stack([np.cos(0.3) * u + np.sin(0.3) * v + 0.1, -np.sin(0.3) * u + np.cos(0.3) * v + 0.2])
        x, y = np.floor((turned % 1) * 64).astype(int)
        off_borders = (np.abs(x % 32 - 15.5) < 12) & (np.abs(y % 32 - 15.5) < 12)
        linear = np.where(
            QUARTERS / 255 <= 0.04045, QUARTERS / 255 / 12.92, ((QUARTERS / 255 + 0.055) / 1.055) ** 2.4
        )
        meant = to_srgb(linear[y, x] * [1.0, 0.5, 1.0])
        got = texels_at(mesh, mesh.visual.material.baseColorTexture, at)[:, :3]
        self.assertGreater(off_borders.sum(), 200)
        self.assertLess(np.abs(got - meant)[off_borders].max(), 2 / 255)

    def test_relief_keeps_its_direction_in_space(self) -> None:
        """A map that leans along u says (3, 0, 4) / 5 everywhere; on the new UVs it has to lean the same way."""
        bent = np.broadcast_to(np.uint8([204, 128, 230]), (8, 8, 3))
        lean = Texture("image:lean", "rgb", "linear")
        first = material("Cloth", base_color=(0.5, 0.5, 0.5), normal=lean)
        other = material("Felt", base_color=(0.2, 0.5, 0.5))
        turned = quad()
        turned = replace(turned, uvs=(turned.uvs[0][:, ::-1].copy() * np.float32([1, -1]),))
        slots = [moved(turned, (0, 0, 0), first.id), moved(quad(), (1.2, 0, 0), other.id)]
        given = of_slots(slots, (first, other), image("lean", bent))
        (data,) = (d for path, d in delivered(given, TACCUINO).files.items() if path.endswith(".glb"))
        mesh = read_by_others(data)
        self.assertIsNotNone(mesh.visual.material.normalTexture)
        # u of the source runs along +z of the world, the surface looks up.
        for left, meant in ((0.0, np.array([0.0, 0.8, 0.6])), (1.2, np.array([0.0, 1.0, 0.0]))):
            at = middles(60, left)
            told = texels_at(mesh, mesh.visual.material.normalTexture, at)[:, :3] * 2 - 1
            along, across = directions_of_uv(mesh, faces_under(mesh, at))
            up = np.array([0.0, 1.0, 0.0])
            got = told[:, :1] * along + told[:, 1:2] * across + told[:, 2:3] * up
            got /= np.linalg.norm(got, axis=1, keepdims=True)
            self.assertLess(np.abs(got - meant).max(), 0.02)

    def test_what_is_cut_stays_cut_beside_what_is_solid(self) -> None:
        hole = np.full((64, 64, 1), 70, np.uint8)
        hole[:, 32:] = 120
        lace = material(
            "Lace", "mask", base_color=(1.0, 1.0, 1.0), opacity=Texture("image:hole", "r", "linear")
        )
        lace = replace(lace, alpha_cutoff=0.35)  # 70 / 255 is open, 120 / 255 stays
        board = material("Board", base_color=(0.3, 0.2, 0.1))
        slots = [moved(quad(), (0, 0, 0), lace.id), moved(quad(), (1.2, 0, 0), board.id)]
        given = of_slots(slots, (lace, board), image("hole", hole))
        sheet = TELA
        arrival = move.arrive(delivered(given, sheet), sheet)
        (whole,) = arrival.materials.values()
        self.assertEqual((whole.alpha_mode, whole.alpha_cutoff), ("mask", 0.5))
        (p,) = next(iter(arrival.meshes.values())).primitives
        middle = p.positions[p.indices].mean(axis=1)
        shown = values_on(
            "opacity",
            whole.inputs["opacity"],
            p,
            arrival.images,
            p.indices,
            np.full((len(p.indices), 3), 1 / 3),
        )[:, 0]
        open_side = middle[:, 0] < -0.1
        self.assertTrue(open_side.any() and (shown[open_side] < 0.5).all(), shown)
        self.assertTrue((shown[middle[:, 0] > 0.1] > 0.5).all(), shown)
        self.assertEqual(unaccounted(given, sheet), [])

    def test_strengths_of_what_glows_are_kept_in_proportion(self) -> None:
        slots, glows = [], []
        for k, strength in enumerate((2.0, 8.0)):
            one = material(f"Lamp {k}", emission=(0.5, 0.25, 0.0), emission_strength=(strength,))
            glows.append(one)
            slots.append(moved(quad(), (1.2 * k, 0, 0), one.id))
        given = of_slots(slots, tuple(glows))
        sheet = changed(LANTERNA, {"materials.inputs": {**inputs_of(LANTERNA), "emission_strength": {}}})
        arrival = move.arrive(delivered(given, sheet), sheet)
        (whole,) = arrival.materials.values()
        self.assertAlmostEqual(whole.inputs["emission_strength"].factor[0], 8.0, 5)
        self.assertEqual(unaccounted(given, sheet), [])

    def test_many_parts_of_one_mesh_share_one_material(self) -> None:
        given = trunk()
        (part,) = given.parts()
        twin = replace(part, id="part:twin", name="Trunk again", matrix=np.diag([-1.0, 1, 1, 1]))
        given = replace(given, nodes={**given.nodes, twin.id: twin})
        arrival = move.arrive(delivered(given, TACCUINO), TACCUINO)
        self.assertEqual([m.name for m in arrival.materials.values()], ["Trunk"])
        self.assertEqual(unaccounted(given, TACCUINO), [])
        self.assertEqual(unaccounted(given, TELA), [])

    def test_what_is_finer_than_the_image_is_averaged_in_linear_light(self) -> None:
        """A board of single texels, black and white in turn: half the light is code 188 (IEC 61966-2-1)."""
        ones = np.indices((256, 256)).sum(axis=0) % 2 * 255
        board = np.repeat(ones[..., None], 3, axis=2).astype(np.uint8)
        checks = Texture("image:board", "rgb", "srgb")
        first, other = material("Checks", base_color=checks), material("Plain", base_color=(0.2,) * 3)
        slots = [moved(quad(), (0, 0, 0), first.id), moved(quad(), (1.2, 0, 0), other.id)]
        given = of_slots(slots, (first, other), image("board", board))
        sheet = changed(TACCUINO, {"images.largest": 64})
        (data,) = (d for path, d in delivered(given, sheet).files.items() if path.endswith(".glb"))
        mesh = read_by_others(data)
        picture = mesh.visual.material.baseColorTexture
        self.assertEqual(picture.size, (64, 64))
        got = texels_at(mesh, picture, middles(300, 0.0))[:, :3] * 255
        self.assertLess(abs(got.mean() - 188), 3)
        self.assertLess(got.std(), 12)

    def test_a_smaller_side_can_be_asked_for(self) -> None:
        asked = (Decision("material:Lid", "largest_side", 64),)
        plan = move.plan(trunk(), PLAIN, TACCUINO, asked)
        self.assertEqual({image.width for image in plan.images}, {64})


class Laying(TestCase):
    def test_a_layout_in_which_nothing_overlaps_is_kept(self) -> None:
        """Texels a metre are the same on every face, and each slot has a rectangle of its own."""
        large, small = quad(2.0), moved(quad(1.0), (3.0, 0, 0), "material:m")
        laid = own_layout([large, small], 512)
        assert laid is not None
        for one, p in zip(laid, (large, small), strict=True):
            self.assertTrue(np.array_equal(one.indices, p.indices))
            self.assertGreaterEqual(one.uv.min(), 0.0)
            self.assertLessEqual(one.uv.max(), 1.0)
        sides = [float(np.ptp(one.uv[:, 0])) for one in laid]
        self.assertAlmostEqual(sides[0] / sides[1], 2.0, 4)
        self.assertGreater(sides[0], 0.6)  # 2 m and 1 m beside each other in one square
        count = covered([one.uv[one.indices] for one in laid], 512)
        self.assertEqual(int(count.max()), 1)

    def test_what_lies_over_itself_gets_charts(self) -> None:
        twice = quad()
        twice = replace(twice, uvs=(np.float32([[0, 0], [1, 0], [0, 1], [0, 0.1]]),))
        self.assertIsNone(own_layout([twice], 512))
        self.assertIsNone(own_layout([replace(quad(), uvs=())], 512))
        nowhere = replace(quad(), uvs=(np.zeros((4, 2), np.float32),))
        self.assertIsNone(own_layout([nowhere], 512))
