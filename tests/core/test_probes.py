"""Light for what moves: probes against closed forms, where they are set, and what arrives; and where light
comes from, for relief on what stands still.
"""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_bake import ALONE, BLACK, grey
from tests.making import cube, image, material, quad, scene, sky
from trasloco import move
from trasloco.light.lightmaps.bake_wish import Wish
from trasloco.light.lightmaps.baking import gather
from trasloco.light.lightmaps.finishing import one_direction
from trasloco.light.lightmaps.layout import lay_out
from trasloco.light.lightmaps.lightmaps import bake_lightmaps
from trasloco.light.lightmaps.probing import places_of, probes_at
from trasloco.light.lightmaps.showing import DENSITY_TOP, lens_picture
from trasloco.proof.undoing import suspects
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.harmonics import basis, fitted, spread_normals
from trasloco.scene.lit import Environment, Light, Probe
from trasloco.scene.measure_ramp import measure_ramp
from trasloco.scene.model import Channel, Clip, Decision, Input, Lightmap, Node, Scene, Tags, Texture
from trasloco.scene.probes import light_between
from trasloco.scene.transforms import looking
from trasloco.sheets.library import sheet_named

LANTERNA, PLAIN = sheet_named("lanterna"), sheet_named("plain")
UP = (0.0, 1.0, 0.0)


def lux_at(probe: Probe, normal: tuple[float, float, float]) -> float:
    return float((basis(np.array([normal])) @ np.array(probe.lux)).mean())


class Harmonics(TestCase):
    def test_the_basis_is_orthonormal_over_the_sphere(self) -> None:
        values = basis(spread_normals(20_000))
        np.testing.assert_allclose(values.T @ values * 4 * math.pi / 20_000, np.eye(9), atol=2e-3)

    def test_what_is_of_the_second_degree_is_kept_exactly(self) -> None:
        normals = spread_normals(48)
        light = 3 + normals[:, :1] - 2 * normals[:, 1:2] * normals[:, 2:] + 0.5 * normals[:, 2:] ** 2
        np.testing.assert_allclose(basis(normals) @ fitted(normals, light), light, atol=1e-9)


class Probes(TestCase):
    def test_under_a_constant_sky_every_direction_receives_pi_times_its_radiance(self) -> None:
        given = scene(quad(0.01), images=(sky(3.0),), environment=Environment("image:sky", 1.0))
        probe = probes_at(given, np.array([[0.0, 5.0, 0.0]]), 256, 0)[0]
        for normal in (UP, (0.0, -1.0, 0.0), (1.0, 0.0, 0.0), (0.0, 0.6, 0.8)):
            self.assertAlmostEqual(lux_at(probe, normal) / (3 * math.pi), 1.0, delta=0.02)

    def test_a_sun_gives_what_two_degrees_hold_of_a_cosine(self) -> None:
        # Ramamoorthi and Hanrahan: the cosine's terms are pi, 2 pi / 3, pi / 4 times (2 l + 1) / 4 pi, in all
        # 17/16 facing the sun and 1/16 facing away.
        sun = Light("light:sun", "Sun", "sun", intensity=1000.0)
        given = scene(quad(0.01), lights=((sun, looking((0, 10, 0), (0, 0, 0), (0, 0, 1))),))
        probe = probes_at(given, np.array([[3.0, 1.0, 0.0]]), 8, 0)[0]
        self.assertAlmostEqual(lux_at(probe, UP) / 1000, 17 / 16, delta=0.02)
        self.assertAlmostEqual(lux_at(probe, (0.0, -1.0, 0.0)) / 1000, 1 / 16, delta=0.02)

    def test_what_stands_between_gives_shadow_and_sends_light_on(self) -> None:
        sun = Light("light:sun", "Sun", "sun", intensity=1000.0)
        lid = replace(
            quad(2.0, "material:lid"), positions=quad(2.0).positions + np.array([0, 2, 0], np.float32)
        )
        floor = quad(60.0, "material:floor")
        given = scene(
            lid,
            floor,
            materials=(grey("lid"), grey("floor")),
            names=("Lid", "Floor"),
            lights=((sun, looking((0, 10, 0), (0, 0, 0), (0, 0, 1))),),
        )
        given = replace(
            given, materials={id: replace(m, double_sided=True) for id, m in given.materials.items()}
        )
        under, beside = probes_at(given, np.array([[0.0, 1.0, 0.0], [8.0, 1.0, 0.0]]), 256, 1)
        self.assertLess(lux_at(under, UP), 0.2 * lux_at(beside, UP))
        # A floor without end of albedo 1/2 in sunlight sends half of it back up.
        self.assertAlmostEqual(lux_at(beside, (0.0, -1.0, 0.0)) / 1000, 1 / 2 + 1 / 16, delta=0.04)

    def test_between_probes_light_is_shared_by_nearness(self) -> None:
        dark, bright = (
            Probe((x, 0.0, 0.0), ((value,) * 3, *((0.0,) * 3,) * 8)) for x, value in ((0.0, 0.0), (1.0, 1.0))
        )
        self.assertAlmostEqual(float(light_between([dark, bright], np.array([0.5, 0, 0]))[0, 0]), 0.5)
        self.assertGreater(float(light_between([dark, bright], np.array([0.99, 0, 0]))[0, 0]), 0.99)


def moving_cube() -> Scene:
    """A cube that moves over a floor under an even sky."""
    one = cube(0.4, "material:box")
    # Corners of their own, so that every side is flat.
    box = replace(
        one,
        positions=one.positions[one.indices.reshape(-1)],
        indices=np.arange(one.indices.size, dtype=np.uint32).reshape(-1, 3),
        normals=None,
    )
    given = scene(
        quad(4.0, "material:floor"),
        replace(box, positions=box.positions + np.array([0, 1, 0], np.float32)),
        materials=(grey("floor"), grey("box")),
        images=(sky(100.0),),
        environment=Environment("image:sky", 1.0),
        names=("Floor", "Box"),
    )
    path = Channel(
        "part:Box",
        "translation",
        np.array([0, 1], np.float32),
        np.array([[0, 0, 0], [1.5, 0, 0]], np.float32),
    )
    return replace(given, clips={"clip:slide": Clip("clip:slide", "Slide", (path,))})


class Arriving(TestCase):
    def test_probes_stand_where_parts_go(self) -> None:
        places = places_of(moving_cube(), ["part:Box"])
        np.testing.assert_allclose(places.min(axis=0), [0, 1, 0], atol=1e-6)
        np.testing.assert_allclose(places.max(axis=0), [1.5, 1, 0], atol=1e-6)

    def test_what_moves_leaves_no_shadow_in_what_is_written_down(self) -> None:
        sun = Light("light:sun", "Sun", "sun", intensity=1000.0)
        given = moving_cube()
        given = replace(
            given,
            environment=None,
            lights={sun.id: sun},
            nodes={
                **given.nodes,
                "part:Sun": Node(
                    "part:Sun", "Sun", None, looking((0, 10, 0), (0, 0, 0), (0, 0, 1)), light=sun.id
                ),
            },
        )
        baked = bake_lightmaps(
            given, given, LANTERNA, Wish(True, 16, 0, density={"part:Floor": 6.0}, budget_mib=0.1)
        )
        found = baked.gathered[0]
        np.testing.assert_allclose(found.lux[found.covered.touched & (found.counted > 0)], 1000.0, rtol=1e-3)

    def test_what_moves_does_not_shift_the_figures_of_what_stands(self) -> None:
        given = moving_cube()
        given = replace(given, nodes={id: given.nodes[id] for id in ("part:Box", "part:Floor")})
        baked = bake_lightmaps(
            given,
            given,
            LANTERNA,
            Wish(True, 4, 0, density={"part:Floor": 20.0}, budget_mib=0.1, directed=True),
        )
        inside = baked.gathered[0].covered.touched
        expected = measure_ramp(
            np.full(inside.shape, baked.laid.density["part:Floor"], np.float32), DENSITY_TOP
        )
        np.testing.assert_array_equal(lens_picture(baked, 0, "density")[inside], expected[inside])
        # Under an even sky no direction stands out.
        self.assertLess(np.abs(lens_picture(baked, 0, "toward")[inside].astype(int) - 128).mean(), 40)
        self.assertGreater(baked.faults.figures["part:Floor"].seconds, 0)

    def test_a_part_that_moves_is_lit_by_them_as_it_was(self) -> None:
        decisions = [
            Decision("lightmaps", "lightmaps", True),
            Decision("lightmaps", "paths", 128),
            Decision("lightmaps", "bounces", 2),
            Decision("lightmaps", "lightmap_mib", 0.05),
        ]
        given = moving_cube()
        plan = move.plan(given, PLAIN, LANTERNA, decisions)
        carried = move.carry(given, plan, LANTERNA)
        carried = move.lit(carried, move.bake(given, carried, LANTERNA, decisions))
        arrival = move.arrive(move.package(carried, LANTERNA), LANTERNA)
        box = next(node for node in arrival.nodes.values() if node.name == "Box")
        self.assertTrue(box.probed)
        self.assertGreaterEqual(len(arrival.probes), 4)
        probes = next(one for one in suspects(given, arrival) if one.id == "probes")
        self.assertFalse(any(node.probed for node in probes.undo(arrival).nodes.values()))
        # Without the probes it is black: its light is written down, and the surroundings are taken away.
        view = View("side", looking((0.9, 1.35, 1.6), (0, 1, 0)), 0.35)
        before = render(flatten(given), view, Quality(32, 32, 64, 3)).radiance[8:24, 8:24].mean()
        after = (
            render(flatten(replace(arrival, environment=None)), view, Quality(32, 32, 64, 3))
            .radiance[8:24, 8:24]
            .mean()
        )
        self.assertAlmostEqual(float(after / before), 1.0, delta=0.06)


class Directions(TestCase):
    def test_even_light_has_none_and_one_lamp_has_all_of_it(self) -> None:
        up = np.array([[0.0, 1.0, 0.0]])
        np.testing.assert_allclose(one_direction(np.asarray(up * 2 / 3, np.float32), up), 0, atol=1e-6)
        toward = np.array([[0.6, 0.8, 0.0]], np.float32)
        np.testing.assert_allclose(one_direction(toward, up), toward, atol=1e-6)
        # A mixture is taken apart again: k from d and the rest even.
        for k in (0.2, 0.7):
            mixed = (1 - k) * 2 / 3 * up + k * toward
            np.testing.assert_allclose(
                one_direction(np.asarray(mixed, np.float32), up), k * toward, atol=1e-5
            )

    def lit(self, given: Scene) -> np.ndarray:
        laid = lay_out(given, ALONE, Wish(True, 256, 0, density={"part:Floor": 8.0}, budget_mib=1.0))
        found = gather(laid, Wish(True, 256, 0))[0]
        return np.asarray(found.toward[found.covered.touched], np.float64)

    def test_they_are_gathered_with_the_light(self) -> None:
        sun = Light("light:sun", "Sun", "sun", intensity=1000.0)
        floor = quad(2.0, "material:floor")
        found = self.lit(
            scene(
                floor,
                materials=(material("floor", **BLACK),),
                names=("Floor",),
                lights=((sun, looking((6, 8, 0), (0, 0, 0))),),
            )
        )
        np.testing.assert_allclose(found, np.tile([0.6, 0.8, 0.0], (len(found), 1)), atol=1e-3)
        found = self.lit(
            scene(
                floor,
                materials=(material("floor", **BLACK),),
                images=(sky(2.0),),
                environment=Environment("image:sky", 1.0),
                names=("Floor",),
            )
        )
        np.testing.assert_allclose(found.mean(axis=0), [0, 2 / 3, 0], atol=0.02)

    def test_relief_on_a_lightmap_follows_the_lamp(self) -> None:
        # A normal map that leans to +X by 30 degrees everywhere, lit from +X at 45: n.d / n0.d = cos 15 / cos
        # 45.
        lean = math.radians(30)
        codes = np.round((np.array([math.sin(lean), 0, math.cos(lean)]) * 0.5 + 0.5) * 255).astype(np.uint8)
        bent = image("lean", np.tile(codes, (4, 4, 1)))
        floor = quad(2.0, "material:floor")
        floor = replace(floor, uvs=(floor.uvs[0], floor.uvs[0]))
        worn = material("floor", base_color=(0.5,) * 3, specular=(0.0,), roughness=(1.0,))
        worn = replace(
            worn,
            inputs={**worn.inputs, "normal": Input((0.5, 0.5, 1.0), Texture(bent.id, encoding="linear"))},
        )
        d = np.array([math.sqrt(0.5), math.sqrt(0.5), 0.0])
        even = image("even", np.full((4, 4, 3), 1.0, np.float32), "exr")
        toward = image("toward", np.tile(np.round((d * 0.5 + 0.5) * 255).astype(np.uint8), (4, 4, 1)))
        given = scene(floor, materials=(worn,), images=(bent, even, toward), names=("Floor",))
        view = View("down", looking((0, 3, 0), (0, 0, 0), (0, 0, -1)), 0.3)

        def shown(direction: str) -> float:
            lit = replace(
                given,
                nodes={
                    id: replace(n, lightmap=Lightmap(even.id, 1, level=1000.0, direction=direction))
                    for id, n in given.nodes.items()
                },
            )
            return float(render(flatten(lit), view, Quality(8, 8, 4, 1)).radiance.mean())

        self.assertAlmostEqual(
            shown(toward.id) / shown(""), math.cos(math.radians(15)) / math.cos(math.radians(45)), delta=0.02
        )

    def test_a_part_told_to_move_needs_no_clip(self) -> None:
        given = moving_cube()
        told = replace(
            given,
            clips={},
            nodes={
                id: replace(n, tags=Tags(still=False)) if n.name == "Box" else n
                for id, n in given.nodes.items()
            },
        )
        self.assertEqual(len(places_of(told, ["part:Box"])), 1)
