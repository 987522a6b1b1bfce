"""Lightmaps as a whole: charts, densities, places, seams, faults that are planted and found, and what
arrives.
"""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_bake import BLACK, grey
from tests.making import cube, material, quad, scene, sky
from trasloco import move
from trasloco.errors import Refused
from trasloco.light.lightmaps.bake_wish import Wish, excuses, wish_of
from trasloco.light.lightmaps.charts import charts_of, measure, slopes, why_unsound, with_light_uvs
from trasloco.light.lightmaps.density import UNSEEN, areas, densities
from trasloco.light.lightmaps.lightmaps import Baked, bake_lightmaps
from trasloco.light.lightmaps.placing import BORDER, one_each, together
from trasloco.light_codes.codes import read, written
from trasloco.light_codes.rgbm import rgbm_codes, rgbm_values
from trasloco.proof.undoing import suspects
from trasloco.scene.images import identify, pixels
from trasloco.scene.lit import Camera, Environment, Light
from trasloco.scene.model import Channel, Clip, Decision, Node, Primitive, Scene, Tags
from trasloco.scene.transforms import looking
from trasloco.sheets.library import sheet_named
from trasloco.sheets.model import Sheet

LANTERNA, TACCUINO, PLAIN = sheet_named("lanterna"), sheet_named("taccuino"), sheet_named("plain")
ON = [
    Decision("lightmaps", "lightmaps", True),
    Decision("lightmaps", "paths", 64),
    Decision("lightmaps", "bounces", 1),
    Decision("lightmaps", "lightmap_mib", 0.06),
]


def box(size: tuple[float, float, float], at: tuple[float, float, float], to: str) -> Primitive:
    """A closed box with sharp edges, standing where asked."""
    one = cube(1.0, f"material:{to}")
    corners = one.positions[one.indices.reshape(-1)] * np.array(size, np.float32) + np.array(at, np.float32)
    return Primitive(
        corners.astype(np.float32),
        np.arange(len(corners), dtype=np.uint32).reshape(-1, 3),
        None,
        material=f"material:{to}",
    )


def walled(thick: float, per_metre: float, lamp: bool = True) -> tuple[Scene, Wish]:
    """A floor of 4 m under a wall across its middle, with a lamp on one side only: light on the other side is
    a leak.
    """
    floor = quad(4.0, "material:floor")
    wall = box((max(thick, 1e-4), 2.0, 4.2), (0.03, 0.95, 0.0), "wall")
    bulb = Light("light:bulb", "Bulb", "point", intensity=200.0)
    lights = ((bulb, looking((-1.0, 1.2, 0), (-1.0, 0, 0), (0, 0, 1))),) if lamp else ()
    given = scene(
        floor,
        wall,
        materials=(material("floor", base_color=(0.5,) * 3, specular=(0.0,)), material("wall", **BLACK)),
        images=(sky(0.02),),
        environment=Environment("image:sky", 1.0),
        names=("Floor", "Wall"),
        lights=lights,
    )
    return given, Wish(
        True, 64, 0, left_out=frozenset({"part:Wall"}), density={"part:Floor": per_metre}, budget_mib=16
    )


def bake(given: Scene, wish: Wish, sheet: Sheet = LANTERNA) -> Baked:
    return bake_lightmaps(given, given, sheet, wish)


class Charts(TestCase):
    def test_a_sound_second_set_is_kept_and_an_unsound_one_is_not(self) -> None:
        flat = quad(2.0)
        sound = replace(flat, uvs=(flat.uvs[0] * 3, flat.uvs[0]))
        self.assertEqual(why_unsound([sound]), "")
        self.assertIn("overlap", why_unsound([sound, sound]))
        self.assertIn("leaves", why_unsound([replace(flat, uvs=(flat.uvs[0], flat.uvs[0] * 2))]))
        self.assertIn("uses only", why_unsound([replace(flat, uvs=(flat.uvs[0], flat.uvs[0] * 0.2))]))
        self.assertIn(
            "stretched",
            why_unsound([replace(flat, uvs=(flat.uvs[0], flat.uvs[0] * np.array([1, 0.2], np.float32)))]),
        )
        kept, charts = with_light_uvs(scene(sound, names=("A",)), {"mesh:A": 64})
        self.assertFalse(charts["mesh:A"].made)
        np.testing.assert_array_equal(kept.meshes["mesh:A"].primitives[0].uvs[1], sound.uvs[1])

    def test_charts_that_are_made_do_not_overlap_and_keep_faces_where_they_were(self) -> None:
        given = scene(cube(2.0), names=("Box",))
        made, charts = with_light_uvs(given, {"mesh:Box": 128})
        before, after = given.meshes["mesh:Box"].primitives[0], made.meshes["mesh:Box"].primitives[0]
        np.testing.assert_array_equal(after.positions[after.indices], before.positions[before.indices])
        self.assertEqual(
            (charts["mesh:Box"].overlap, charts["mesh:Box"].charts, charts["mesh:Box"].reason),
            (0.0, 6, "there is no second UV set"),
        )
        self.assertGreater(charts["mesh:Box"].share, 0.4)
        self.assertEqual(len(set(charts_of(after.uvs[1], after.indices).tolist())), 6)

    def test_stretch_is_the_ratio_of_a_texels_sides(self) -> None:
        flat = quad(2.0)
        u, v, stretch = slopes(
            flat.positions.astype(float), flat.uvs[0] * np.array([1.0, 0.25]), flat.indices
        )
        np.testing.assert_allclose(u, 2.0)
        np.testing.assert_allclose(v, 8.0)
        np.testing.assert_allclose(stretch, 4.0)
        self.assertAlmostEqual(measure([replace(flat, uvs=(flat.uvs[0], flat.uvs[0]))], 1)[2], 1.0, places=4)


class Sharing(TestCase):
    def test_texels_are_shared_by_area_and_by_what_a_camera_sees(self) -> None:
        near, far = (
            quad(2.0),
            replace(quad(2.0), positions=quad(2.0).positions + np.array([0, 0, 100], np.float32)),
        )
        given = scene(near, far, names=("Near", "Far"))
        given = replace(
            given,
            cameras={"camera:c": Camera("camera:c", "Eye", 0.6, 1.5)},
            nodes={
                **given.nodes,
                "part:Eye": Node("part:Eye", "Eye", None, looking((0, 3, 5), (0, 0, 0)), camera="camera:c"),
            },
        )
        parts = ["part:Near", "part:Far"]
        self.assertEqual(areas(given, parts), {"part:Near": 4.0, "part:Far": 4.0})
        shared = densities(given, parts, 10_000, Wish())
        self.assertAlmostEqual(shared["part:Far"] / shared["part:Near"], UNSEEN)
        self.assertAlmostEqual(sum(4 * d**2 for d in shared.values()), 6200, delta=1)
        asked = densities(given, parts, 10_000, Wish(density={"part:Near": 10.0}))
        self.assertEqual(asked["part:Near"], 10.0)
        self.assertGreater(asked["part:Far"], shared["part:Far"])

    def test_places_do_not_touch_and_sides_are_powers_of_two(self) -> None:
        rng = np.random.default_rng(3)
        wanted = {f"p{k}": (int(w), int(h)) for k, (w, h) in enumerate(rng.integers(4, 120, (60, 2)))}
        for placed in (together(wanted, 256), one_each(wanted, 128)):
            self.assertEqual(set(placed.places), set(wanted))
            taken = [np.zeros((h, w), int) for w, h in placed.sizes]
            self.assertTrue(all(side & (side - 1) == 0 for size in placed.sizes for side in size))
            for place in placed.places.values():
                self.assertTrue(
                    place.x >= BORDER
                    and place.y >= BORDER
                    and place.x + place.width + BORDER <= placed.sizes[place.image][0]
                )
                taken[place.image][
                    place.y - BORDER : place.y + place.height + BORDER,
                    place.x - BORDER : place.x + place.width + BORDER,
                ] += 1
            self.assertLessEqual(max(int(t.max()) for t in taken), 1)
        self.assertLess(len(together(wanted, 256).sizes), 8)

    def test_what_moves_or_is_not_lit_receives_none(self) -> None:
        given = scene(
            quad(),
            quad(),
            quad(1, "material:sign"),
            quad(1, "material:pane"),
            materials=(
                material(),
                replace(material("sign"), unlit=True),
                material("pane", transmission=(1.0,)),
            ),
            names=("Door", "Puppet", "Sign", "Pane"),
        )
        turning = Clip(
            "clip:c",
            "Turn",
            (
                Channel(
                    "part:Door", "rotation", np.zeros(1, np.float32), np.array([[0, 0, 0, 1]], np.float32)
                ),
            ),
        )
        given = replace(
            given,
            clips={"clip:c": turning},
            nodes={**given.nodes, "part:Puppet": replace(given.nodes["part:Puppet"], tags=Tags(still=False))},
        )
        self.assertEqual(
            excuses(given, Wish()),
            {
                "part:Door": "moves",
                "part:Puppet": "moves",
                "part:Sign": "is not lit",
                "part:Pane": "is glass",
            },
        )
        self.assertEqual(excuses(given, Wish(left_out=frozenset({"part:Sign"})))["part:Sign"], "left out")

    def test_wishes_follow_decisions_and_the_sheet(self) -> None:
        self.assertFalse(wish_of([], LANTERNA.lightmaps).wanted)
        self.assertFalse(wish_of(ON, sheet_named("fornace").lightmaps).wanted)
        asked = wish_of(
            [*ON, Decision("part:a", "texels_per_metre", 30), Decision("part:b", "receives", False)],
            LANTERNA.lightmaps,
        )
        self.assertEqual(
            (asked.wanted, asked.samples, asked.bounces, asked.density, asked.left_out, asked.budget_mib),
            (True, 64, 1, {"part:a": 30.0}, frozenset({"part:b"}), 0.06),
        )


class Codes(TestCase):
    def test_rgbm_keeps_light_within_its_bits(self) -> None:
        share = np.random.default_rng(1).random((64, 64, 3)).astype(np.float32) ** 4
        back = rgbm_values(rgbm_codes(share))
        # Half a step of the root, relative to the shared factor: at most 1 / 255 of the root of the brightest
        # channel, twice over.
        most = np.sqrt(share.max(axis=-1, keepdims=True))
        self.assertTrue((np.abs(np.sqrt(back) - np.sqrt(share)) <= most / 255 * 0.51 + 1e-4).all())
        np.testing.assert_array_equal(rgbm_codes(np.zeros((1, 1, 3), np.float32))[0, 0, :3], 0)

    def test_files_come_back_as_the_light_they_hold(self) -> None:
        across = np.linspace(0, 1, 32, dtype=np.float32)
        lux = np.stack(
            [
                870 * np.outer(across, across),
                400 * np.outer(across, 1 - across) + 20,
                np.full((32, 32), 90.0),
            ],
            axis=-1,
        ).astype(np.float32)
        image = identify("i", "a.png", "", written(lux, "8 bit")[0])
        for unknown in ("", "logarithms", "8 bits"):
            with self.assertRaises(Refused):
                read(image, unknown)
        with self.assertRaises(Refused):
            read(image, "rgbm")
        for encoding, compressed, near in (
            ("half float", False, 0.001),
            ("rgbm", False, 0.004),
            ("8 bit", False, 0.004),
            ("rgbm", True, 0.01),
        ):
            data, kind, level = written(lux, encoding, compressed)
            self.assertEqual(
                (kind, level), ({"half float": "exr"}.get(encoding, "ktx2" if compressed else "png"), 870.0)
            )
            self.assertLess(
                float(np.abs(read(identify("i", f"a.{kind}", "", data), encoding) * level - lux).mean()),
                near * level,
                encoding,
            )


class Whole(TestCase):
    def test_seams_are_stitched(self) -> None:
        # A round body in a strong light from one side: charts meet where light changes.
        theta, phi = np.meshgrid(
            np.linspace(0.02, np.pi - 0.02, 33), np.linspace(0, 2 * np.pi, 65), indexing="ij"
        )
        points = (
            np.stack([np.sin(theta) * np.cos(phi), np.cos(theta) + 1.2, np.sin(theta) * np.sin(phi)], axis=-1)
            .reshape(-1, 3)
            .astype(np.float32)
        )
        faces = np.array(
            [[a, a + 1, a + 65] for r in range(32) for a in range(65 * r, 65 * r + 64)]
            + [[a + 1, a + 66, a + 65] for r in range(32) for a in range(65 * r, 65 * r + 64)],
            np.uint32,
        )
        normals = points - np.array([0, 1.2, 0], np.float32)
        ball = Primitive(
            points, faces, normals / np.linalg.norm(normals, axis=1, keepdims=True), material="material:m"
        )
        given = scene(
            ball,
            materials=(grey("m"),),
            images=(sky(0.5),),
            environment=Environment("image:sky", 1.0),
            lights=(
                (
                    Light("light:s", "Sun", "sun", intensity=20.0, angle_rad=0.05),
                    looking((3, 4, 1), (0, 0, 0)),
                ),
            ),
            names=("Ball",),
        )
        wish = Wish(True, 64, 0, density={"part:Ball": 24.0}, stitched=False)
        loose, sewn = bake(given, wish), bake(given, replace(wish, stitched=True))
        self.assertGreater(loose.seam, 1.0)
        self.assertLessEqual(sewn.seam, 1.0)

    def test_light_goes_on_from_what_is_known_and_is_not_gathered_again(self) -> None:
        given, wish = walled(0.2, 12.0)
        first = bake(given, wish)
        known = dict(zip(first.keys, first.gathered, strict=True))
        again = bake_lightmaps(given, given, LANTERNA, wish, known=known)
        self.assertEqual(again.gathered[0].rays, first.gathered[0].rays)
        more = bake_lightmaps(given, given, LANTERNA, replace(wish, samples=96), known=known)
        self.assertEqual((more.gathered[0].samples, more.keys), (96, first.keys))
        brighter = replace(
            given, lights={k: replace(v, intensity=v.intensity * 2) for k, v in given.lights.items()}
        )
        self.assertNotEqual(
            bake_lightmaps(brighter, brighter, LANTERNA, replace(wish, samples=1)).keys, first.keys
        )

    def test_it_arrives_at_both_destinations_as_it_was_baked(self) -> None:
        given, _ = walled(0.2, 12.0)
        twin = replace(
            given.nodes["part:Floor"],
            id="part:Twin",
            name="Twin",
            matrix=given.nodes["part:Floor"].matrix @ np.diag([0.5, 1, 0.5, 1])
            + np.array([[0, 0, 0, 8.0], [0] * 4, [0] * 4, [0] * 4]),
        )
        given = replace(given, nodes={**given.nodes, twin.id: twin})
        for sheet, near in ((LANTERNA, 0.002), (TACCUINO, 0.02)):
            carried = move.carry(given, move.plan(given, PLAIN, sheet), sheet)
            baked = move.bake(given, carried, sheet, ON)
            arrival = move.arrive(move.package(move.lit(carried, baked), sheet), sheet)
            names = {node.name: node for node in arrival.parts()}
            self.assertEqual(set(names), {"Floor", "Wall", "Twin"})
            self.assertEqual({m.name for m in arrival.materials.values()}, {"floor", "wall"})
            for name, node in names.items():
                planned = baked.laid.scene.nodes[f"part:{name}"].lightmap
                assert node.lightmap is not None and planned is not None
                texels = (
                    pixels(arrival.images[node.lightmap.image]).astype(np.float32)[..., :3]
                    * node.lightmap.level
                )
                wanted = baked.lux[int(planned.image.rpartition(" ")[2])]
                np.testing.assert_allclose(texels, wanted, atol=near * node.lightmap.level)
                np.testing.assert_allclose(
                    [node.lightmap.scale, node.lightmap.offset], [planned.scale, planned.offset], atol=1e-6
                )
            mesh = arrival.meshes[names["Floor"].mesh or ""]
            self.assertEqual(len(mesh.primitives[0].uvs), 2)
            found = [one for one in suspects(given, arrival) if one.id == "lightmaps"]
            self.assertEqual([one.where for one in found], ["3 parts"])
            self.assertTrue(all(node.lightmap is None for node in found[0].undo(arrival).parts()))

    def test_a_lamp_that_cannot_travel_still_lights_what_is_written_down(self) -> None:
        given, _ = walled(0.2, 12.0)
        carried = move.carry(given, move.plan(given, PLAIN, TACCUINO), TACCUINO)
        self.assertEqual(carried.scene.lights, {})
        baked = move.bake(given, carried, TACCUINO, ON)
        arrival = move.arrive(move.package(move.lit(carried, baked), TACCUINO), TACCUINO)
        floor = next(node for node in arrival.parts() if node.name == "Floor")
        assert floor.lightmap is not None
        # 200 cd at 1.2 m: about 139 lux straight below, a little less over the width of a texel.
        self.assertAlmostEqual(
            float(pixels(arrival.images[floor.lightmap.image]).max()) * floor.lightmap.level,
            200 / 1.2**2,
            delta=6,
        )

    def test_moved_by_hand_or_shared_by_two_parts_light_is_each_ones_own(self) -> None:
        lamp = Light("light:l", "Lamp", "point", intensity=50.0)
        given = scene(
            quad(1.0),
            materials=(grey("m"),),
            lights=((lamp, looking((0, 1, 0), (0, 0, 0), (0, 0, 1))),),
            names=("A",),
        )
        away = replace(
            given.nodes["part:A"],
            id="part:B",
            name="B",
            matrix=np.array([[1, 0, 0, 30.0], [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1]]),
        )
        given = replace(given, nodes={**given.nodes, "part:B": away})
        baked = bake(given, Wish(True, 16, 0, density={"part:A": 16.0, "part:B": 16.0}))
        means = {}
        for part in ("part:A", "part:B"):
            number = [node.id for node in baked.laid.scene.parts()].index(part)
            mine = baked.gathered[0].covered.part == number
            means[part] = float(baked.lux[0][mine].mean())
        self.assertGreater(means["part:A"], 25)
        self.assertLess(means["part:B"], 0.1)
        self.assertTrue(math.isfinite(means["part:B"]))
