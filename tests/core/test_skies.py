"""Skies that are made: daylight against what is known of the sun and the sky, panels, tilt and tint."""

from __future__ import annotations

import math
from datetime import date
from unittest import TestCase

import numpy as np

from tests.core.test_surroundings import sky_with_sun
from tests.making import image, material, quad, scene, sky
from trasloco.decisions.carrying_out import mended
from trasloco.decisions.kinds import typed
from trasloco.errors import Refused
from trasloco.light.daylight import Moment, daylight, sky_radiance, sun_lux, sun_towards, zenith_nit
from trasloco.light.panels import Panel, covering, direction_of, tilted, with_panels
from trasloco.light.surroundings import directions, find_sun, illuminance, radiance_of, solid_angles
from trasloco.scene.color import LUMINANCE
from trasloco.scene.lit import Environment
from trasloco.scene.model import Decision
from trasloco.sheets.library import sheet_named

PLAIN = sheet_named("plain")
UP = np.array([0.0, 1.0, 0.0])


class Daylight(TestCase):
    def height(self, moment: Moment) -> float:
        return math.degrees(math.asin(float(sun_towards(moment)[1])))

    def test_the_sun_stands_where_it_is_known_to(self) -> None:
        # Culmination is 90 degrees less the latitude, plus the declination: 23.45 at the solstices, 0 at the
        # equinoxes; to half a degree.
        for latitude, day, declination in (
            (45, date(2026, 6, 21), 23.45),
            (45, date(2026, 12, 21), -23.45),
            (45, date(2026, 3, 21), 0.0),
            (-30, date(2026, 12, 21), -23.45),
        ):
            best = max(self.height(Moment(latitude, 0, day, hour / 20)) for hour in range(220, 260))
            self.assertAlmostEqual(best, 90 - abs(latitude - declination), delta=0.6)
        noon = sun_towards(Moment(45, 0, date(2026, 6, 21), 12.0))
        morning = sun_towards(Moment(45, 0, date(2026, 3, 21), 6.5))
        self.assertGreater(noon[2], 0.3)
        self.assertGreater(morning[0], 0.9)
        west = sun_towards(Moment(45, 15, date(2026, 6, 21), 13.0, 1.0))
        np.testing.assert_allclose(west, sun_towards(Moment(45, 0, date(2026, 6, 21), 13.0)), atol=1e-9)

    def test_light_is_of_the_order_that_is_measured_outside(self) -> None:
        # A high sun gives 80 to 110 thousand lux facing it; sun and sky give open ground about 100 to 125 at
        # a summer noon, a fifth to a third from the sky; low, it is weak and red.
        high = sun_lux(math.radians(60), 2.5)
        self.assertTrue(80_000 < float(high @ np.array(LUMINANCE)) < 115_000, high)
        low = sun_lux(math.radians(4), 3.0)
        self.assertLess(float(low @ np.array(LUMINANCE)), 25_000)
        self.assertGreater(low[0] / low[2], 3.0)
        made = daylight(Moment(45, 0, date(2026, 6, 21), 12.0, haze=2.5))
        diffuse = float(illuminance(made.picture, UP) @ np.array(LUMINANCE))
        ground = diffuse + float(made.lux @ np.array(LUMINANCE)) * float(made.towards[1])
        self.assertTrue(100_000 < ground < 125_000 and 0.15 < diffuse / ground < 0.33, (diffuse, ground))

    def test_the_sky_is_blue_away_from_the_sun_and_brightest_around_it(self) -> None:
        sun = direction_of(0, 40)
        away, beside, zenith = (
            sky_radiance(look[None], sun, 2.5)[0] for look in (direction_of(180, 50), direction_of(4, 42), UP)
        )
        self.assertGreater(away[2], 1.5 * away[0])
        self.assertGreater(beside.sum(), 2 * away.sum())
        self.assertAlmostEqual(
            float(zenith @ np.array(LUMINANCE)) / zenith_nit(math.radians(50), 2.5), 1.0, delta=0.02
        )

    def test_it_surrounds_the_scene_with_a_picture_and_a_sun(self) -> None:
        told = {"latitude": 45, "longitude": 9, "day": "2026-06-21", "hour": 15.0, "offset_h": 2, "haze": 3}
        made = mended(scene(quad()), PLAIN, [Decision("environment", "daylight", told)])
        assert made.environment is not None
        lamp = next(iter(made.lights.values()))
        self.assertEqual((lamp.kind, made.environment.level), ("sun", 1.0))
        self.assertTrue(50_000 < lamp.intensity < 110_000)
        self.assertAlmostEqual(float(np.dot(lamp.color, LUMINANCE)), 1.0, places=5)
        node = next(n for n in made.nodes.values() if n.light)
        np.testing.assert_allclose(
            node.matrix[:3, 2], sun_towards(Moment(45, 9, date(2026, 6, 21), 15, 2)), atol=1e-6
        )
        self.assertIsNone(
            mended(
                scene(quad()),
                PLAIN,
                [Decision("environment", "daylight", told), Decision("environment", "daylight", None)],
            ).environment
        )

    def test_night_and_nonsense_are_refused_in_words(self) -> None:
        with self.assertRaisesRegex(Refused, "sun is down"):
            daylight(Moment(45, 0, date(2026, 6, 21), 0.0))
        for value in (
            {"latitude": 45},
            {"latitude": 95, "longitude": 0, "day": "2026-06-21", "hour": 1},
            {"latitude": 45, "longitude": 0, "day": "June", "hour": 1},
            3,
        ):
            with self.assertRaises(Refused):
                typed(Decision("environment", "daylight", value))
        for value in ([{"width_deg": 0}], [{"color": [1, 1]}], [{"shape": "star"}], "panel", [{}] * 25):
            with self.assertRaises(Refused):
                typed(Decision("environment", "panels", value))


class Panels(TestCase):
    def test_a_hard_disc_gives_the_light_of_a_disc(self) -> None:
        # Straight above, a disc of half angle a gives pi L sin^2 a.
        black = np.zeros((512, 1024, 3), np.float32)
        made = with_panels(black, [Panel(0, 90, 40, 40, "disc", 0.0, 500.0)])
        self.assertAlmostEqual(
            float(illuminance(made, UP)[1]) / (math.pi * 500 * math.sin(math.radians(20)) ** 2),
            1.0,
            delta=0.01,
        )

    def test_a_panel_is_where_and_as_large_as_asked_whatever_the_turn(self) -> None:
        for turn in (0.0, 1.3):
            made = with_panels(
                np.zeros((256, 512, 3), np.float32),
                [Panel(70, 30, 40, 20, "panel", 0.0, 10.0, (2.0, 1.0, 0.5))],
                turn,
            )
            light = (made @ np.array(LUMINANCE)) * solid_angles(256, 512)
            middle = (directions(256, 512, turn) * light[..., None]).sum(axis=(0, 1))
            np.testing.assert_allclose(middle / np.linalg.norm(middle), direction_of(70, 30), atol=0.01)
            x, y = math.tan(math.radians(20)), math.tan(math.radians(10))
            self.assertAlmostEqual(
                float(light.sum()) / 10,
                4 * math.asin(math.sin(math.atan(x)) * math.sin(math.atan(y))),
                delta=0.004,
            )
        self.assertAlmostEqual(
            float(covering(Panel(0, 0, 40, 40, soft=1.0), direction_of(0, 0)[None])[0]), 1.0
        )

    def test_they_hang_on_nothing_or_before_a_picture_at_its_own_level(self) -> None:
        one = [
            {"azimuth_deg": 0, "height_deg": 30, "width_deg": 30, "tall_deg": 30, "nit": 400.0, "soft": 0.0}
        ]
        alone = mended(scene(quad()), PLAIN, [Decision("environment", "panels", one)])
        before = mended(
            scene(quad(), images=(sky(2.0),), environment=Environment("image:sky", 5.0, 0.4)),
            PLAIN,
            [Decision("environment", "panels", one)],
        )
        for made, behind in ((alone, 0.0), (before, 10.0)):
            assert made.environment is not None
            picture = radiance_of(made.images[made.environment.image], made.environment.level)
            self.assertAlmostEqual(float(picture.max()), 400.0, delta=1)
            self.assertAlmostEqual(float(picture.min()), behind, delta=0.02)
        self.assertEqual(before.environment.turn_rad if before.environment else 0, 0.4)

    def test_tilt_lifts_what_is_ahead_and_tint_colours_it(self) -> None:
        picture = sky_with_sun(0.0, 0.3)
        sun = find_sun(tilted(picture, 0.5))
        assert sun is not None
        self.assertAlmostEqual(sun.height_rad, 0.8, delta=0.02)
        given = scene(
            quad(),
            images=(image("sky", np.full((8, 16, 3), 2.0, np.float32), "exr"),),
            materials=(material(),),
            environment=Environment("image:sky", 3.0),
        )
        made = mended(given, PLAIN, [Decision("environment", "tint", [1.0, 0.5, 0.0])])
        assert made.environment is not None
        np.testing.assert_allclose(
            radiance_of(made.images[made.environment.image], made.environment.level)[4, 4],
            [6.0, 3.0, 0.0],
            rtol=1e-3,
        )
