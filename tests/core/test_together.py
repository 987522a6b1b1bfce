"""One material for each part: slots, placements, colours on points and relief drawn over one new UV set, held
against another library's reading of the file, closed forms and the renderer.
"""

from __future__ import annotations

import io
from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np
import trimesh
from PIL import Image as Picture

from tests.carried import delivered, unaccounted
from tests.everything import everything
from tests.making import image, material, quad, scene, sky
from trasloco import move
from trasloco.errors import Refused
from trasloco.fit.fitted import Change, fitted_for, value_of
from trasloco.fit.fitted import Fitted as Fit
from trasloco.fit.together.own_layout import own_layout
from trasloco.formats.gltf_write import write_glb
from trasloco.render.picture import Quality, View
from trasloco.results.route import Route
from trasloco.results.samples import sample
from trasloco.results.store import MemoryStore
from trasloco.scene.covering import covered
from trasloco.scene.digest import digest
from trasloco.scene.layers import values_on
from trasloco.scene.lit import Environment
from trasloco.scene.model import Decision, Input, Material, Mesh, Primitive, Scene, Texture
from trasloco.scene.transforms import looking
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import changed

SHEETS = built_in_sheets()
PLAIN = SHEETS["plain"]
TOGETHER = {"structure.slots": "one a part"}
LANTERNA, FORNACE, TACCUINO, TELA = (
    changed(SHEETS[name], TOGETHER) for name in ("lanterna", "fornace", "taccuino", "tela")
)
QUARTERS = np.zeros((64, 64, 3), np.uint8)
QUARTERS[:32, :32], QUARTERS[:32, 32:] = (200, 30, 30), (30, 200, 30)
QUARTERS[32:, :32], QUARTERS[32:, 32:] = (30, 30, 200), (220, 210, 40)


def moved(p: Primitive, by: tuple[float, float, float], material_id: str) -> Primitive:
    return replace(p, positions=p.positions + np.asarray(by, np.float32), material=material_id)


def of_slots(slots: list[Primitive], materials: tuple[Material, ...], *images: Any) -> Scene:
    """One part, "Trunk", with several slots under an even sky."""
    given = scene(
        slots[0],
        materials=materials,
        images=(*images, sky(0.8)),
        names=("Trunk",),
        environment=Environment("image:sky", 1.0),
    )
    return replace(given, meshes={"mesh:Trunk": Mesh("mesh:Trunk", "Trunk", tuple(slots))})


def trunk() -> Scene:
    """A lid with a picture that is turned and repeated, a brass band, a label painted on its points."""
    texture = Texture("image:quarters", "rgb", "srgb", scale=(2.0, 2.0), rotation_rad=0.3, offset=(0.1, 0.2))
    lid = material("Lid", base_color=Input((1.0, 0.5, 1.0), texture), roughness=(0.7,))
    band = material("Band", base_color=(0.8, 0.6, 0.2), roughness=(0.25,), metalness=(1.0,))
    label = material("Label", base_color=Input((1.0, 1.0, 1.0), None, vertex_color=True), roughness=(0.9,))
    slots = [
        moved(quad(), (0.0, 0.0, 0.0), lid.id),
        moved(quad(), (1.2, 0.0, 0.0), band.id),
        moved(quad(colors=(0.1, 0.3, 0.7)), (2.4, 0.0, 0.0), label.id),
    ]
    return of_slots(slots, (lid, band, label), image("quarters", QUARTERS))


def read_by_others(data: bytes) -> Any:
    """The one mesh of a GLB as trimesh reads it."""
    loaded = trimesh.load(io.BytesIO(data), file_type="glb", process=False)
    (mesh,) = loaded.geometry.values()
    return mesh


def faces_under(mesh: Any, at: np.ndarray) -> np.ndarray:
    """Which face (P,) of a few each point (P, 3) lies on."""
    inside = [
        trimesh.triangles.points_to_barycentric(np.repeat(triangle[None], len(at), axis=0), at).min(axis=1)
        for triangle in mesh.triangles
    ]
    return np.argmax(inside, axis=0)


def texels_at(mesh: Any, picture: Picture.Image, at: np.ndarray) -> np.ndarray:
    """Texels (P, C) in [0, 1] that lie nearest to points (P, 3) on the faces of a mesh."""
    face = faces_under(mesh, at)
    weights = trimesh.triangles.points_to_barycentric(mesh.triangles[face], at)
    uv = np.einsum("pk,pkc->pc", weights, mesh.visual.uv[mesh.faces[face]])
    width, height = picture.size
    x = np.clip((uv[:, 0] * width).astype(int), 0, width - 1)
    y = np.clip(((1 - uv[:, 1]) * height).astype(int), 0, height - 1)  # trimesh has v running up
    texels = np.asarray(picture, np.float64) / 255
    return texels[y, x]


def middles(count: int, left: float) -> np.ndarray:
    """Points inside the square whose middle is ``left`` along x, off its edges."""
    inside = np.random.default_rng(3).uniform(-0.42, 0.42, (count, 2))
    return np.stack([inside[:, 0] + left, np.zeros(count), inside[:, 1]], axis=1)


def to_srgb(linear: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1, written out."""
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)


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


class Looks(TestCase):
    def test_it_looks_as_before_and_what_does_not_is_told(self) -> None:
        given = trunk()
        carried = move.carry(given, move.plan(given, PLAIN, TACCUINO), TACCUINO)
        arrival = move.arrive(move.package(carried, TACCUINO), TACCUINO)
        view = View("from above", looking((1.2, 3.0, 2.0), (1.2, 0, 0), (0, 1, 0)), 0.8)
        proof = move.prove(given, arrival, [view], Quality(96, 64, 32))
        self.assertLess(proof.worst.comparison.mean, 1.0)
        causes = move.blame(given, arrival, carried.plan, view, 0.0, Quality(64, 48, 16))
        self.assertEqual({one.suspect.where for one in causes.causes}, {"Trunk"})

    def test_sheets_that_cannot_are_refused(self) -> None:
        for line, value in (("structure.variants", True), ("structure.uv_sets", "none")):
            with self.subTest(line), self.assertRaises(Refused) as caught:
                changed(SHEETS["lanterna"], {**TOGETHER, line: value})
            self.assertEqual(caught.exception.where, line)


def inputs_of(sheet: Sheet) -> dict[str, Any]:
    return {name: rule.model_dump() for name, rule in sheet.materials.inputs.items()}


def directions_of_uv(mesh: Any, face: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Unit directions in space in which u and v (up) of a texture run on faces, (F, 3) each: the gradient of
    positions over UVs, solved face by face."""
    p, uv = mesh.triangles[face], mesh.visual.uv[mesh.faces[face]]
    edges = np.stack([p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]], axis=1)
    in_uv = np.stack([uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]], axis=1)
    both = np.linalg.solve(in_uv, edges)
    unit = both / np.linalg.norm(both, axis=2, keepdims=True)
    return unit[:, 0], unit[:, 1]


class WithLight(TestCase):
    def test_a_lightmap_lies_on_a_second_set_beside_the_new_one(self) -> None:
        given, sheet = trunk(), changed(LANTERNA, {"lightmaps.largest": 32})
        on = (Decision("part:Trunk", "lightmap", True),)
        carried = move.carry(given, move.plan(given, PLAIN, sheet, on), sheet)
        lit = move.lit(carried, move.bake(given, carried, sheet, on))
        arrival = move.arrive(move.package(lit, sheet), sheet)
        self.assertEqual(move.account(given, arrival, lit.plan, sheet, lit.scene).unaccounted, [])
        (part,) = arrival.parts()
        (whole,) = arrival.meshes[part.mesh or ""].primitives
        assert part.lightmap is not None
        self.assertEqual((len(whole.uvs), part.lightmap.uv_set), (2, 1))
        count = covered([whole.uvs[0][whole.indices]], 512)
        self.assertEqual(int(count.max()), 1)


class OnTheSample(TestCase):
    def test_a_material_alone_is_shown_as_it_comes_to_the_destinations_terms(self) -> None:
        """The sample has UVs of its own, on which an image that was drawn for a part means nothing."""
        data = write_glb(trunk())
        route = Route(
            {"trunk.glb": digest(data)}, lambda: {"trunk.glb": data}, PLAIN, TACCUINO, [], MemoryStore()
        )
        for id in route.reference().materials:
            shown = sample(route, id, quick=True)
            self.assertLess(shown.mean, 1.5, id)


class Fitted(TestCase):
    def test_a_fit_that_was_taken_is_drawn(self) -> None:
        """What stands in for what the destination lacks is made before slots are drawn together."""
        lid, band = material("Lid", base_color=(0.5,) * 3, clearcoat=(1.0,)), material("Band")
        slots = [moved(quad(), (0, 0, 0), lid.id), moved(quad(), (1.2, 0, 0), band.id)]
        given = of_slots(slots, (lid, band))
        fit = Fit({"base_color": Change((0.0, 0.0, 0.0), (0.35, 0.125, 0.5))}, ("clearcoat",))
        value = value_of(fit, fitted_for(given, lid, TACCUINO), TACCUINO)
        taken = (Decision(lid.id, "fitted", value),)
        plan = move.plan(given, PLAIN, TACCUINO, taken)
        self.assertIn("fit", [s.kind for c in plan.of(lid.id) for s in c.steps])
        carried = move.carry(given, plan, TACCUINO)
        package = move.package(carried, TACCUINO)
        (data,) = (data for path, data in package.files.items() if path.endswith(".glb"))
        mesh = read_by_others(data)
        got = texels_at(mesh, mesh.visual.material.baseColorTexture, middles(100, 0.0))[:, :3]
        self.assertLess(np.abs(got - to_srgb(np.array([0.35, 0.125, 0.5]))).max(), 1.5 / 255)
        told = move.account(given, move.arrive(package, TACCUINO), carried.plan, TACCUINO)
        self.assertEqual(told.unaccounted, [])
