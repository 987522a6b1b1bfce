"""Lights placed round the subject and added; what stands behind it; openings that paths look through first;
the area that matters most.
"""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_bake import ALONE, grey, placed
from tests.core.test_lit import route_of
from tests.making import cube, image, quad, scene, sky
from trasloco import move
from trasloco.decisions.carrying_out import mended
from trasloco.errors import Refused
from trasloco.light.lightmaps.bake_wish import Wish, wish_of
from trasloco.light.lightmaps.baking import gather
from trasloco.light.lightmaps.density import UNSEEN, importance
from trasloco.light.lightmaps.layout import lay_out
from trasloco.light.round_subject import USUAL, next_lamp, stand_of, subject_of
from trasloco.proof.proving import in_same_surroundings
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.results.lamp_acts import another_lamp
from trasloco.scene.lit import Camera, Environment, Light
from trasloco.scene.model import Decision, Node, Primitive, Scene
from trasloco.scene.transforms import looking
from trasloco.sheets.library import sheet_named

PLAIN, LANTERNA, TACCUINO = sheet_named("plain"), sheet_named("lanterna"), sheet_named("taccuino")


def lit() -> Scene:
    lamp = Light("light:lamp", "Lamp", "spot", intensity=10.0)
    sun = Light("light:sun", "Sun", "sun", intensity=1000.0)
    return scene(
        cube(1.0),
        names=("Box",),
        lights=((lamp, looking((0, 1, -2), (0, 1, 0))), (sun, looking((5, 5, 0), (0, 0, 0)))),
    )


class Standing(TestCase):
    def stand(self, given: Scene, light: str) -> tuple[float, float, float]:
        found = stand_of(given, given.lights[light], subject_of(given)[0])
        assert found is not None
        return found.azimuth_deg, found.height_deg, found.distance_m

    def test_where_lights_are_is_told_from_the_middle_of_the_subject(self) -> None:
        middle, radius = subject_of(lit())
        self.assertAlmostEqual(radius, math.sqrt(3) / 2, places=5)
        azimuth, height, distance = self.stand(lit(), "light:lamp")
        self.assertAlmostEqual(azimuth, 0.0, places=4)
        np.testing.assert_allclose(
            [height, distance],
            [math.degrees(math.atan2(1 - middle[1], 2)), math.hypot(2, 1 - middle[1])],
            rtol=1e-5,
        )
        np.testing.assert_allclose(self.stand(lit(), "light:sun")[:2], [90, 45], atol=1e-4)

    def test_a_light_that_is_moved_stands_there_and_looks_at_the_subject(self) -> None:
        made = mended(
            lit(), PLAIN, [Decision("light:lamp", "stand", {"azimuth_deg": -60.0, "height_deg": 30.0})]
        )
        azimuth, height, distance = self.stand(made, "light:lamp")
        np.testing.assert_allclose([azimuth, height], [-60, 30], atol=1e-6)
        self.assertAlmostEqual(distance, self.stand(lit(), "light:lamp")[2], places=6)
        node = next(n for n in made.nodes.values() if n.light == "light:lamp")
        toward = subject_of(made)[0] - node.matrix[:3, 3]
        np.testing.assert_allclose(-node.matrix[:3, 2], toward / np.linalg.norm(toward), atol=1e-9)

    def test_a_sun_is_turned(self) -> None:
        made = mended(
            lit(), PLAIN, [Decision("light:sun", "stand", {"azimuth_deg": 10.0, "height_deg": 80.0})]
        )
        np.testing.assert_allclose(self.stand(made, "light:sun")[:2], [10, 80], atol=1e-6)

    def test_lights_are_added_changed_and_taken_away(self) -> None:
        added = Decision(
            "light:added 1",
            "lamp",
            {"kind": "point", "azimuth_deg": 20.0, "height_deg": 40.0, "distance_m": 3.0},
        )
        made = mended(lit(), PLAIN, [added, Decision("light:added 1", "intensity", 7.0)])
        self.assertEqual(made.lights["light:added 1"].intensity, 7.0)
        np.testing.assert_allclose(self.stand(made, "light:added 1"), [20, 40, 3], rtol=1e-6)
        self.assertEqual(mended(lit(), PLAIN, [added]).lights["light:added 1"].intensity, USUAL["point"])
        # Unsaid, it stands before the subject as the first camera sees it, wherever that is, and outside of
        # it.
        far = replace(
            lit(),
            nodes={
                id: replace(n, matrix=looking((100, 0, 0), (100, 0, -1)) @ n.matrix)
                for id, n in lit().nodes.items()
            },
        )
        middle, radius = subject_of(far)
        eye = Node("node:c", "C", None, looking((middle[0] - 5, 0, 0), list(middle)), camera="camera:c")
        seen = replace(
            far, cameras={"camera:c": Camera("camera:c", "C", 0.5)}, nodes={**far.nodes, eye.id: eye}
        )
        usual = self.stand(
            mended(seen, PLAIN, [Decision("light:added 1", "lamp", {"kind": "disc"})]), "light:added 1"
        )
        np.testing.assert_allclose(usual, [-50, 40, 2 * radius], rtol=1e-5)
        self.assertEqual(next_lamp(["light:added 2", "light:lamp", "scene"]), "light:added 3")
        self.assertEqual(next_lamp([]), "light:added 1")
        self.assertNotIn(
            "light:added 1", mended(lit(), PLAIN, [added, Decision("light:added 1", "lamp", None)]).lights
        )
        # All others may be off: what is added alone lights.
        dark = [Decision(id, "enabled", False) for id in lit().lights]
        self.assertEqual(
            [light.id for light in mended(lit(), PLAIN, [*dark, added]).lights.values() if light.enabled],
            ["light:added 1"],
        )

    def test_what_cannot_be_is_refused(self) -> None:
        for field, value in (
            ("lamp", {"kind": "torch"}),
            ("stand", {}),
            ("stand", {"height_deg": 120}),
            ("backdrop", {"nit": -1}),
            ("matters", {"part": "a"}),
            ("opening", "yes"),
            ("effects", "glow"),
        ):
            with self.subTest(field), self.assertRaises(Refused):
                mended(lit(), PLAIN, [Decision("light:lamp", field, value)])


class Backdrops(TestCase):
    given = scene(
        cube(0.5, "material:b"),
        materials=(grey("b"),),
        images=(sky(100.0), image("wall", np.full((2, 4, 3), 3.0, np.float32), "exr")),
        environment=Environment("image:sky", 1.0),
        names=("Box",),
    )
    view = View("front", looking((0, 0, 3), (0, 0, 0)), 0.6)

    def shown(self, given: Scene) -> np.ndarray:
        return np.asarray(render(flatten(given), self.view, Quality(33, 33, 16, 2)).radiance)

    def test_it_is_seen_and_lights_nothing(self) -> None:
        before = self.shown(self.given)
        for value, corner in (
            ({"color": [0.5, 0.5, 0.5], "nit": 40.0}, 20.0),
            ({"image": "image:wall", "nit": 2.0}, 6.0),
        ):
            made = self.shown(mended(self.given, PLAIN, [Decision("environment", "backdrop", value)]))
            np.testing.assert_allclose(made[0, 0], corner, rtol=1e-3)
            np.testing.assert_allclose(made[16, 16], before[16, 16], rtol=1e-6)
        np.testing.assert_allclose(before[0, 0], 100.0, rtol=1e-3)

    def test_it_travels_where_it_is_taken_and_is_the_reference_s_elsewhere(self) -> None:
        reference = mended(
            self.given, PLAIN, [Decision("environment", "backdrop", {"color": [0.2, 0.4, 0.1], "nit": 50.0})]
        )
        for sheet, arrives in ((LANTERNA, True), (TACCUINO, False)):
            plan = move.plan(reference, PLAIN, sheet)
            self.assertEqual(
                next(c.mark for c in plan.lights if c.light == "backdrop"), "exact" if arrives else "lost"
            )
            arrival = move.arrive(move.package(move.carry(reference, plan, sheet), sheet), sheet)
            self.assertEqual(arrival.backdrop is not None, arrives)
            np.testing.assert_allclose(
                self.shown(in_same_surroundings(reference, arrival))[0, 0], [10, 20, 5], rtol=1e-3
            )

    def test_unsaid_it_is_middle_grey_or_as_bright_as_what_surrounds(self) -> None:
        grey_one = mended(self.given, PLAIN, [Decision("environment", "backdrop", {})]).backdrop
        pictured = mended(
            self.given,
            PLAIN,
            [
                Decision("environment", "level", 7.0),
                Decision("environment", "backdrop", {"image": "image:wall"}),
            ],
        ).backdrop
        assert grey_one is not None and pictured is not None
        self.assertEqual((grey_one.level, pictured.level, pictured.turn_rad), (100.0, 7.0, 0.0))

    def test_panels_and_tilt_leave_it(self) -> None:
        decisions = [
            Decision("environment", "backdrop", {"color": [1, 1, 1], "nit": 5.0}),
            Decision("environment", "tilt_rad", 0.3),
            Decision("environment", "panels", [{"azimuth_deg": 0, "height_deg": 30}]),
        ]
        self.assertIsNotNone(mended(self.given, PLAIN, decisions).backdrop)


def room(opening: bool) -> Scene:
    """A closed box of 4 m with a hole of 1 m in one wall, under a dim sky with a bright patch elsewhere."""

    def wall(corners: list[list[float]]) -> Primitive:
        return Primitive(
            np.array(corners, np.float32),
            np.array([[0, 1, 2], [0, 2, 3]], np.uint32),
            None,
            material="material:w",
        )

    a = 2.0
    sides = [
        wall([[-a, 0, -a], [-a, 0, a], [a, 0, a], [a, 0, -a]]),
        wall([[-a, 4, -a], [a, 4, -a], [a, 4, a], [-a, 4, a]]),
        wall([[-a, 0, -a], [-a, 4, -a], [-a, 4, a], [-a, 0, a]]),
        wall([[a, 0, -a], [a, 0, a], [a, 4, a], [a, 4, -a]]),
        wall([[-a, 0, -a], [a, 0, -a], [a, 4, -a], [-a, 4, -a]]),
        wall([[-a, 0, a], [-0.5, 0, a], [-0.5, 4, a], [-a, 4, a]]),
        wall([[0.5, 0, a], [a, 0, a], [a, 4, a], [0.5, 4, a]]),
        wall([[-0.5, 0, a], [0.5, 0, a], [0.5, 1.5, a], [-0.5, 1.5, a]]),
        wall([[-0.5, 2.5, a], [0.5, 2.5, a], [0.5, 4, a], [-0.5, 4, a]]),
    ]
    pane = Light(
        "light:window",
        "Window",
        "rectangle",
        intensity=100.0,
        width_m=1.0,
        height_m=1.0,
        opening=opening,
        enabled=opening,
    )
    given = scene(
        placed(2.0, "f", (0, 0.01, 0)),
        *sides,
        materials=(grey("f", 0.0), replace(grey("w", 0.0), double_sided=True)),
        images=(sky(50.0),),
        environment=Environment("image:sky", 1.0),
        names=("Floor", *(f"W{k}" for k in range(len(sides)))),
        lights=((pane, looking((0, 2, 2), (0, 2, 0))),),
    )
    return given


class Openings(TestCase):
    def light(self, opening: bool, samples: int) -> np.ndarray:
        given = room(opening)
        others = frozenset(n.id for n in given.parts() if n.name != "Floor")
        laid = lay_out(
            given, ALONE, Wish(True, samples, 0, left_out=others, density={"part:Floor": 4.0}, budget_mib=1.0)
        )
        found = gather(laid, Wish(True, samples, 0))[0]
        return np.asarray(found.lux[found.covered.touched].mean(axis=-1))

    def test_they_change_no_light_and_take_most_of_the_noise(self) -> None:
        truth = self.light(False, 16384)
        with_it, without = self.light(True, 64), self.light(False, 64)
        self.assertAlmostEqual(float(self.light(True, 1024).mean() / truth.mean()), 1.0, delta=0.01)
        self.assertLess(float(np.abs(with_it - truth).mean()), 0.35 * float(np.abs(without - truth).mean()))

    def test_they_are_not_delivered(self) -> None:
        given = mended(
            scene(quad(1.0), names=("F",), lights=((Light("light:w", "W", "rectangle"), np.eye(4)),)),
            PLAIN,
            [Decision("light:w", "opening", True)],
        )
        plan = move.plan(given, PLAIN, LANTERNA)
        self.assertEqual([(c.light, c.mark) for c in plan.lights], [("light:w", "lost")])
        self.assertEqual(move.carry(given, plan, LANTERNA).scene.lights, {})


class Matters(TestCase):
    def test_what_a_camera_sees_or_what_lies_around_a_part(self) -> None:
        def at(x: float) -> Primitive:
            return replace(quad(0.5), positions=quad(0.5).positions + np.array([x, 0, 0], np.float32))

        given = scene(at(0), at(1), at(20), names=("A", "B", "C"))
        for name, x in (("left", 0.0), ("right", 20.0)):
            id = f"camera:{name}"
            given = replace(
                given,
                cameras={**given.cameras, id: Camera(id, name, 0.5)},
                nodes={
                    **given.nodes,
                    f"node:{name}": Node(
                        f"node:{name}", name, None, looking((x, 3, 3), (x, 0, 0)), camera=id
                    ),
                },
            )
        parts = ["part:A", "part:B", "part:C"]
        rules = LANTERNA.lightmaps
        self.assertEqual(set(importance(given, parts, Wish()).values()), {1.0})

        def weights(value: object) -> list[float]:
            return [
                importance(given, parts, wish_of([Decision("lightmaps", "matters", value)], rules))[part]
                for part in parts
            ]

        self.assertEqual(weights({"camera": "camera:right"}), [UNSEEN, UNSEEN, 1.0])
        self.assertEqual(weights({"part": "part:A", "around_m": 0.6}), [1.0, 1.0, UNSEEN])
        self.assertEqual(weights({"part": "part:A", "around_m": 0.0}), [1.0, UNSEEN, UNSEEN])


class AimedAndColoured(TestCase):
    def ahead(self, held: Scene, light: str) -> np.ndarray:
        node = next(n for n in held.nodes.values() if n.light == light)
        return -held.world_matrices()[node.id][:3, 2]

    def test_a_lamp_looks_at_the_point_and_stays_where_it_is(self) -> None:
        point = np.array([3.0, 0.5, -2.0])
        after = mended(lit(), PLAIN, [Decision("light:lamp", "aim", list(point))])
        node = next(n for n in after.nodes.values() if n.light == "light:lamp")
        eye = after.world_matrices()[node.id][:3, 3]
        np.testing.assert_allclose(eye, (0, 1, -2), atol=1e-9)
        np.testing.assert_allclose(
            self.ahead(after, "light:lamp"), (point - eye) / np.linalg.norm(point - eye), atol=1e-9
        )

    def test_moved_later_it_keeps_its_aim(self) -> None:
        point = np.array([0.0, 0.0, 4.0])
        after = mended(
            lit(),
            PLAIN,
            [
                Decision("light:lamp", "aim", list(point)),
                Decision("light:lamp", "stand", {"azimuth_deg": 90.0, "height_deg": 0.0, "distance_m": 3.0}),
            ],
        )
        node = next(n for n in after.nodes.values() if n.light == "light:lamp")
        eye = after.world_matrices()[node.id][:3, 3]
        middle, _ = subject_of(lit())
        np.testing.assert_allclose(eye, middle + np.array([3.0, 0.0, 0.0]), atol=1e-6)
        np.testing.assert_allclose(
            self.ahead(after, "light:lamp"), (point - eye) / np.linalg.norm(point - eye), atol=1e-6
        )

    def test_a_colour_leaves_the_strength_as_it_is(self) -> None:
        after = mended(lit(), PLAIN, [Decision("light:lamp", "lamp_color", [0.0, 0.0, 0.5])])
        color = np.array(after.lights["light:lamp"].color)
        # Luminance by ITU-R BT.709: 0.2126 R + 0.7152 G + 0.0722 B.
        self.assertAlmostEqual(float(color @ [0.2126, 0.7152, 0.0722]), 1.0, places=6)
        self.assertEqual(color[0], 0.0)
        with self.assertRaises(Refused):
            mended(lit(), PLAIN, [Decision("light:lamp", "lamp_color", [0.0, 0.0, 0.0])])

    def test_a_spots_cone_in_half_angles(self) -> None:
        told = {"inner_deg": 10.0, "outer_deg": 25.0}
        spot = mended(lit(), PLAIN, [Decision("light:lamp", "cone", told)]).lights["light:lamp"]
        np.testing.assert_allclose(
            [spot.inner_cone_rad, spot.outer_cone_rad], [math.pi / 18, 25 * math.pi / 180]
        )
        with self.assertRaises(Refused):
            mended(lit(), PLAIN, [Decision("light:lamp", "cone", {"inner_deg": 30.0, "outer_deg": 25.0})])


class AnotherLamp(TestCase):
    def after(self, mirrored: bool) -> Scene:
        lamp = Light("light:lamp", "Lamp", "spot", (1.0, 0.5, 0.25), 40.0, 0.2, 0.4)
        held = scene(cube(1.0), names=("Box",), lights=((lamp, looking((2, 1, -2), (1, 0, 3))),))
        route = route_of(held)
        self.first = next(iter(route.reference().lights))
        return route.mended_with(another_lamp(route, self.first, mirrored))

    def test_its_mirror_image_is_the_same_lamp_on_the_other_side(self) -> None:
        held = self.after(mirrored=True)
        second = next(id for id in held.lights if id != self.first)
        places = {n.light: held.world_matrices()[n.id] for n in held.nodes.values() if n.light}
        middle, _ = subject_of(held)
        eye, other = places[self.first][:3, 3], places[second][:3, 3]
        np.testing.assert_allclose(other, eye * (-1, 1, 1) + np.array([2 * middle[0], 0, 0]), atol=1e-5)
        # It looks where the first one looks, seen in the same mirror.
        np.testing.assert_allclose(-places[second][:3, 2], -places[self.first][:3, 2] * (-1, 1, 1), atol=1e-5)
        a, b = held.lights[self.first], held.lights[second]
        sent = [np.array(one.color) * one.intensity for one in (a, b)]
        np.testing.assert_allclose(sent[1], sent[0], rtol=1e-6)
        self.assertEqual(b.kind, a.kind)
        np.testing.assert_allclose([b.inner_cone_rad, b.outer_cone_rad], [a.inner_cone_rad, a.outer_cone_rad])

    def test_one_more_stands_a_little_further_round(self) -> None:
        held = self.after(mirrored=False)
        middle, _ = subject_of(held)
        stands = [stand_of(held, light, middle) for light in held.lights.values()]
        first, second = (one for one in stands if one is not None)
        self.assertAlmostEqual(second.azimuth_deg - first.azimuth_deg, 20.0, places=4)
        self.assertAlmostEqual(second.distance_m, first.distance_m, places=5)

    def test_a_lamp_that_is_not_there_is_refused(self) -> None:
        with self.assertRaises(Refused):
            another_lamp(route_of(lit()), "light:none", True)
