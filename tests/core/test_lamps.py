"""Lights as cargo: units by their definitions, colour temperature, the nearest kind with its flux kept, and
what cannot be meant.
"""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_surroundings import sky_with_sun
from tests.making import image, material, quad, scene
from trasloco import move
from trasloco.decisions.carrying_out import mended
from trasloco.errors import Refused
from trasloco.formats.receive import Received, receive
from trasloco.light.kelvin import chromaticity, color_of_kelvin
from trasloco.light.kinds import nearest_kind
from trasloco.light.surroundings import find_sun
from trasloco.proof.undoing import suspects
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.color import LUMINANCE
from trasloco.scene.findings import Finding
from trasloco.scene.light_units import EFFICACY_LM_W, area_m2, flux_lm, from_unit, in_unit
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Decision, Node, Scene
from trasloco.scene.transforms import compose, looking
from trasloco.sheets.library import sheet_named
from trasloco.sheets.model import Sheet

PLAIN, LANTERNA, TACCUINO, FORNACE = (
    sheet_named(name) for name in ("plain", "lanterna", "taccuino", "fornace")
)


class Units(TestCase):
    def test_a_candela_all_round_is_four_pi_lumen(self) -> None:
        lamp = Light("l", "Lamp", "point", intensity=100.0)
        self.assertAlmostEqual(in_unit(lamp, "lm"), 400 * math.pi)
        self.assertAlmostEqual(in_unit(lamp, "W"), 400 * math.pi / EFFICACY_LM_W)
        self.assertAlmostEqual(from_unit(lamp, 400 * math.pi, "lm"), 100.0)
        self.assertAlmostEqual(from_unit(lamp, 2.0, "W", 100.0), 200 / (4 * math.pi))

    def test_a_hard_spots_lumen_fill_its_cone_and_a_soft_ones_what_its_falloff_lets_through(self) -> None:
        hard = Light("l", "Spot", "spot", intensity=50.0, inner_cone_rad=0.5, outer_cone_rad=0.5)
        self.assertAlmostEqual(flux_lm(hard), 50 * 2 * math.pi * (1 - math.cos(0.5)))
        soft = replace(hard, inner_cone_rad=0.2, outer_cone_rad=0.7)
        angle = np.linspace(0, 0.7, 200_001)
        fall = np.clip((np.cos(angle) - math.cos(0.7)) / (math.cos(0.2) - math.cos(0.7)), 0, 1) ** 2
        self.assertAlmostEqual(
            flux_lm(soft) / float(np.trapezoid(50 * fall * 2 * math.pi * np.sin(angle), angle)), 1.0, places=5
        )

    def test_a_surface_sends_pi_times_its_luminance_times_its_area(self) -> None:
        panel = Light("l", "Panel", "rectangle", intensity=200.0, width_m=2.0, height_m=0.5)
        self.assertAlmostEqual(flux_lm(panel), math.pi * 200)
        disc = Light("l", "Disc", "disc", intensity=200.0, width_m=2.0)
        self.assertAlmostEqual(area_m2(disc), math.pi)
        self.assertAlmostEqual(flux_lm(disc), math.pi**2 * 200)
        with self.assertRaisesRegex(Refused, "no flux"):
            flux_lm(Light("l", "Sun", "sun"))
        with self.assertRaisesRegex(Refused, "means nothing"):
            in_unit(panel, "lx")

    def test_kelvin_are_where_colorimetry_has_them(self) -> None:
        # CIE illuminant A (2856 K), and black bodies of 4000, 6500 and 10000 K.
        for kelvin, x, y in (
            (2856, 0.4476, 0.4074),
            (4000, 0.3805, 0.3768),
            (6500, 0.3135, 0.3237),
            (10_000, 0.2807, 0.2884),
        ):
            np.testing.assert_allclose(chromaticity(kelvin), (x, y), atol=0.0015)
        warm, cold = color_of_kelvin(2000), color_of_kelvin(12_000)
        self.assertGreater(warm[0], 2 * warm[2])
        self.assertGreater(cold[2], cold[0])
        for color in (warm, cold):
            self.assertAlmostEqual(float(color @ np.array(LUMINANCE)), 1.0)
        given = scene(quad(), lights=((Light("light:l", "Lamp", "point", (0.2, 0.4, 0.6), 5.0), np.eye(4)),))
        made = mended(
            given, PLAIN, [Decision("light:l", "kelvin", 3000), Decision("light:l", "shadows", False)]
        ).lights["light:l"]
        self.assertAlmostEqual(
            float(np.dot(made.color, LUMINANCE)), float(np.dot((0.2, 0.4, 0.6), LUMINANCE))
        )
        self.assertFalse(made.shadows)


class Kinds(TestCase):
    def test_the_nearest_kind_keeps_the_flux(self) -> None:
        panel = Light("l", "Panel", "rectangle", intensity=120.0, width_m=1.5, height_m=0.6)
        for kinds, kind in ((["disc"], "disc"), (["spot", "point"], "spot"), (["point"], "point")):
            made = nearest_kind(panel, kinds)
            assert made is not None
            self.assertEqual(made.kind, kind)
            self.assertAlmostEqual(flux_lm(made), flux_lm(panel), places=6)
        spot = Light("l", "Spot", "spot", intensity=80.0, inner_cone_rad=0.2, outer_cone_rad=0.5)
        point = nearest_kind(spot, ["point", "sun"])
        assert point is not None
        self.assertAlmostEqual(flux_lm(point), flux_lm(spot))
        self.assertIsNone(nearest_kind(spot, ["sun"]))
        self.assertIs(nearest_kind(spot, ["spot"]), spot)

    def test_plans_say_so_and_the_stand_in_travels(self) -> None:
        panel = Light("light:p", "Panel", "rectangle", intensity=120.0, width_m=1.0, height_m=1.0)
        given = scene(quad(), lights=((panel, looking((0, 2, 0), (0, 0, 0), (0, 0, 1))),))
        plan = move.plan(given, PLAIN, LANTERNA)
        self.assertEqual(
            [(c.mark, c.text.split(",")[0].split(" of ")[0]) for c in plan.lights], [("close", "as a spot")]
        )
        arrival = move.arrive(move.package(move.carry(given, plan, LANTERNA), LANTERNA), LANTERNA)
        lamp = next(iter(arrival.lights.values()))
        self.assertEqual(lamp.kind, "spot")
        self.assertAlmostEqual(flux_lm(lamp) / (math.pi * 120), 1.0, places=4)
        self.assertEqual([c.mark for c in move.plan(given, PLAIN, TACCUINO).lights], ["lost"])


class Sizes(TestCase):
    """What makes shadows soft."""

    given = scene(
        quad(),
        lights=(
            (Light("light:s", "Sun", "sun", intensity=900.0, angle_rad=0.05), looking((3, 4, 0), (0, 0, 0))),
            (
                Light("light:r", "Panel", "rectangle", (1.0, 0.5, 0.25), 300.0, width_m=0.8, height_m=0.4),
                looking((0, 2, 1), (0, 0, 0)),
            ),
            (
                Light("light:b", "Ball", "point", intensity=60.0, radius_m=0.15),
                looking((0, 2, -1), (0, 0, 0)),
            ),
            (
                Light("light:d", "Dish", "disc", intensity=150.0, width_m=0.6, height_m=0.6),
                looking((1, 2, 0), (0, 0, 0)),
            ),
            (
                Light("light:p", "Spot", "spot", intensity=40.0, inner_cone_rad=0.2, outer_cone_rad=0.6),
                looking((0, 3, 2), (0, 0, 0)),
            ),
        ),
    )

    def arrived(self, sheet: Sheet) -> dict[str, Light]:
        plan = move.plan(self.given, PLAIN, sheet)
        self.marks = {c.light: c.mark for c in plan.lights}
        return {
            light.name: light
            for light in move.arrive(
                move.package(move.carry(self.given, plan, sheet), sheet), sheet
            ).lights.values()
        }

    def test_all_of_them_arrive_in_usd(self) -> None:
        found = self.arrived(FORNACE)
        self.assertEqual(set(self.marks.values()), {"exact"})
        for light in self.given.lights.values():
            there = found[light.name]
            self.assertEqual(there.kind, light.kind)
            for name in (
                ("intensity", "width_m", "height_m", "angle_rad", "radius_m")
                if light.kind != "spot"
                else ("intensity", "inner_cone_rad", "outer_cone_rad")
            ):
                self.assertAlmostEqual(
                    getattr(there, name), getattr(light, name), places=5, msg=f"{light.name} {name}"
                )
            np.testing.assert_allclose(there.color, light.color, atol=1e-6)

    def test_a_spot_s_size_arrives_where_it_is_said_to(self) -> None:
        lights = {**self.given.lights, "light:p": replace(self.given.lights["light:p"], radius_m=0.07)}
        self.given = replace(self.given, lights=lights)
        for sheet in (FORNACE, LANTERNA):
            with self.subTest(sheet.name):
                self.assertAlmostEqual(self.arrived(sheet)["Spot"].radius_m, 0.07, places=6)
                self.assertEqual(self.marks["light:p"], "exact")
        self.assertNotIn("Spot", self.arrived(TACCUINO))
        self.assertEqual(self.marks["light:p"], "lost")

    def test_a_sun_s_width_is_told_where_there_is_a_place_for_it(self) -> None:
        found = self.arrived(LANTERNA)
        self.assertAlmostEqual(found["Sun"].angle_rad, 0.05)
        self.assertAlmostEqual(found["Ball"].radius_m, 0.15)
        self.assertEqual(self.marks["light:s"], "exact")
        self.assertEqual(self.arrived(TACCUINO)["Sun"].angle_rad, 0.0)
        self.assertEqual(self.marks["light:s"], "close")
        sun = next(node for node in self.given.nodes.values() if node.light == "light:s")
        alone = replace(
            self.given,
            lights={"light:s": self.given.lights["light:s"]},
            nodes={id: node for id, node in self.given.nodes.items() if node.light in (None, sun.light)},
        )
        arrival = move.arrive(
            move.package(move.carry(alone, move.plan(alone, PLAIN, TACCUINO), TACCUINO), TACCUINO), TACCUINO
        )
        self.assertEqual(
            [(one.where, one.reason) for one in suspects(alone, arrival) if one.kind == "light"],
            [(sun.name, "Its shadows arrive with hard edges.")],
        )

    def test_where_a_spot_has_one_angle_its_light_is_kept(self) -> None:
        hard = LANTERNA.model_copy(
            update={"lights": LANTERNA.lights.model_copy(update={"cone": "outer only"})}
        )
        there = self.arrived(hard)["Spot"]
        self.assertEqual(self.marks["light:p"], "close")
        self.assertAlmostEqual(there.inner_cone_rad, there.outer_cone_rad, places=5)
        self.assertAlmostEqual(flux_lm(there) / flux_lm(self.given.lights["light:p"]), 1.0, places=4)

    def test_they_are_changed_where_they_mean_something(self) -> None:
        wishes = [
            Decision(id, field, value)
            for id in self.given.lights
            for field, value in (("angle_deg", 2.0), ("width_m", 1.5), ("height_m", 3.0), ("radius_m", 0.3))
        ]
        made = mended(self.given, PLAIN, wishes).lights
        self.assertAlmostEqual(made["light:s"].angle_rad, math.radians(2))
        self.assertEqual((made["light:r"].width_m, made["light:r"].height_m), (1.5, 3.0))
        self.assertEqual(made["light:d"].height_m, made["light:d"].width_m)
        self.assertEqual(made["light:p"], replace(self.given.lights["light:p"], radius_m=0.3))
        self.assertEqual(made["light:b"].radius_m, 0.3)

    def test_a_ball_of_light_is_read_as_one(self) -> None:
        from pxr import Usd, UsdLux

        # Luminance L over a ball of radius r is L pi r^2 candela.
        stage = Usd.Stage.CreateInMemory()
        ball = UsdLux.SphereLight.Define(stage, "/Ball")
        ball.CreateRadiusAttr(20.0)
        ball.CreateIntensityAttr(50.0)
        made = mended(receive({"ball.usda": stage.GetRootLayer().ExportToString().encode()}).scene, PLAIN, [])
        light = next(iter(made.lights.values()))
        self.assertAlmostEqual(light.radius_m, 0.2, places=6)
        self.assertAlmostEqual(light.intensity, 50 * math.pi * 0.2**2, places=6)

    def test_a_ball_lights_as_its_candela_say(self) -> None:
        # Facing a ball at a distance d from its middle, illuminance is I / d^2: only what it is seen at
        # counts, and its radius drops out.
        lamp = Light("light:l", "Lamp", "point", intensity=100.0, radius_m=0.4)
        given = scene(
            quad(0.2, "material:f"),
            materials=(material("f", base_color=(0.5,) * 3, specular=(0.0,), roughness=(1.0,)),),
            lights=((lamp, looking((0, 2, 0), (0, 0, 0), (0, 0, 1))),),
        )
        view = View("aside", looking((1.0, 0.6, 0), (0, 0, 0)), 0.05)
        shown = render(flatten(given), view, Quality(12, 12, 256, 1)).radiance.mean()
        self.assertAlmostEqual(float(shown) / (0.5 / math.pi * 25), 1.0, delta=0.015)


class Findings(TestCase):
    def found(self, given: Scene, kind: str) -> list[Finding]:
        return [f for f in move.survey(Received(given, []), PLAIN, LANTERNA) if f.kind == kind]

    def test_the_same_sun_twice(self) -> None:
        sun, other = (
            Light("light:a", "Sun", "sun", intensity=900.0),
            Light("light:b", "Sun 2", "sun", intensity=800.0),
        )
        low, high = looking((3, 4, 0), (0, 0, 0)), looking((3, 4.2, 0), (0, 0, 0))
        self.assertEqual(
            [
                f.mends[0].decisions[0]
                for f in self.found(scene(quad(), lights=((sun, low), (other, high))), "doubled_sun")
            ],
            [Decision("light:b", "enabled", False)],
        )
        self.assertEqual(
            self.found(
                scene(quad(), lights=((sun, low), (other, looking((-3, 4, 0), (0, 0, 0))))), "doubled_sun"
            ),
            [],
        )

    def test_a_sun_beside_the_one_in_the_picture(self) -> None:
        picture = sky_with_sun()
        seen = find_sun(picture)
        assert seen is not None
        sky = image("sky", picture, "exr")
        beside, away = (
            scene(
                quad(),
                images=(sky,),
                environment=Environment("image:sky", 1.0),
                lights=((Light("light:a", "Sun", "sun", intensity=900.0), looking(list(to * 5), (0, 0, 0))),),
            )
            for to in (seen.direction, seen.direction * np.array([-1, 1, -1]))
        )
        self.assertEqual(len(self.found(beside, "doubled_sun")), 1)
        self.assertEqual(self.found(away, "doubled_sun"), [])

    def test_absurd_and_empty_lights_with_their_mends(self) -> None:
        wild, dark, usual = (
            Light("light:w", "Wild", "point", intensity=1_600_000.0),
            Light("light:d", "Dark", "point", intensity=0.0),
            Light("light:u", "Usual", "point", intensity=1600.0),
        )
        given = scene(quad(), lights=((wild, np.eye(4)), (dark, np.eye(4)), (usual, np.eye(4))))
        absurd = self.found(given, "absurd_light")
        self.assertEqual(
            [(f.targets, f.mends[0].decisions) for f in absurd],
            [(("part:Wild",), (Decision("light:w", "intensity", 160.0),))],
        )
        self.assertEqual([f.targets for f in self.found(given, "empty_light")], [("part:Dark",)])

    def test_an_empty_place_with_a_lamps_name_shines_again_where_it_looks(self) -> None:
        boom = Node("part:boom", "Boom", None, compose((1.0, 4.0, 0.0)))
        spot = Node("part:s", "Spot_Light.003", boom.id, compose((0.0, 0.0, 2.0)))
        bulb = Node("part:b", "lampBulb2", None, compose((0.0, 2.0, 0.0)))
        hook = Node("part:h", "Light hook", None, np.eye(4))  # holds something: it is a group
        held = Node("part:p", "Aim", hook.id, np.eye(4))
        given = scene(quad())
        given = replace(given, nodes={**given.nodes, **{n.id: n for n in (boom, spot, bulb, hook, held)}})
        (found,) = self.found(given, "lost_lamp")
        self.assertEqual(found.targets, ("part:s", "part:b"))
        made = mended(given, PLAIN, found.mends[0].decisions)
        self.assertEqual({light.kind for light in made.lights.values()}, {"spot", "point"})
        place = next(n for n in made.nodes.values() if n.light and made.lights[n.light].kind == "spot")
        np.testing.assert_allclose(made.world_matrices()[place.id][:3, 3], (1, 4, 2), atol=1e-9)
        self.assertEqual(self.found(made, "lost_lamp"), [])

    def test_panels_are_counted_by_nit_times_square_metres(self) -> None:
        """A window of 2 m² at 5,000 nit is daylight; at fifty million it would outshine a hundred search
        lights. A filament of 10 mm² at ten million nit is a lamp.
        """
        window = Light("light:w", "Window", "rectangle", intensity=5_000.0, width_m=2.0, height_m=1.0)
        lamp = Light("light:l", "Filament", "rectangle", intensity=1e7, width_m=0.005, height_m=0.002)
        wild = replace(window, id="light:x", name="Wild", intensity=5e7)
        found = self.found(
            scene(quad(), lights=tuple((one, np.eye(4)) for one in (window, lamp, wild))), "absurd_light"
        )
        self.assertEqual([f.targets for f in found], [("part:Wild",)])
        self.assertIn("nit", found[0].where)
