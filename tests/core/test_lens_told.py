"""What a camera did is told on the route, and brings the matched light nearer to the picture where it did it."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase, mock

import numpy as np

from tests.core.test_lit import route_of
from tests.core.test_new_lamps import with_lamp
from tests.outside import VIEW, counter
from trasloco.outside.camera import FoundCamera
from trasloco.outside.lamp_trial import alone
from trasloco.outside.lens import white_point
from trasloco.outside.light_match import matched
from trasloco.outside.showing import Floats, Shown, displayed_by, undisplayed
from trasloco.outside.turning import lamps_of
from trasloco.outside.white_match import matched_with_white
from trasloco.progress import silent
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render
from trasloco.results.light_matching import AskedMatch, match_light
from trasloco.results.outside import light_png
from trasloco.results.own_pictures import Lying, camera_json
from trasloco.scene.color import luminance
from trasloco.scene.lit import Light
from trasloco.scene.model import Scene
from trasloco.scene.transforms import looking

QUALITY = Quality(240, 135, 24, 3)
WHITE = (1.25, 1.0, 0.7)


def taken(given: Scene) -> Floats:
    """By a camera with another white; display light."""
    light = render(flatten(given), VIEW, replace(QUALITY, samples=48, seed=7)).radiance
    stops = -math.log2(float(np.percentile(light, 97)))
    return displayed_by(np.asarray(light * np.float32(WHITE), np.float32), Shown("none", stops))


class Joint(TestCase):
    def test_a_mix_of_lamps_does_not_pass_for_another_white(self) -> None:
        """A blue sky and a white lamp: both are as strong as they are, and the white is found."""
        given = counter(3)
        made = render(flatten(given, "apart"), VIEW, QUALITY)
        where, lamps = made.ids[..., 0] >= 0, lamps_of(made)
        picture = taken(given)
        found, _ = matched_with_white(picture, lamps, where, "none")
        white, _ = white_point(undisplayed(picture, "none"), undisplayed(found.picture, "none"), where)
        np.testing.assert_allclose(np.array(white) / white[1], WHITE, rtol=0.03)
        for one in found.lamps:
            self.assertAlmostEqual(one.gain, 1, delta=0.05)
        plain = matched(picture, lamps, where, "none")
        self.assertGreater(max(abs(one.gain - 1) for one in plain.lamps), 0.3)

    def test_what_has_its_white_keeps_it(self) -> None:
        given = counter(2)
        made = render(flatten(given, "apart"), VIEW, QUALITY)
        where, lamps = made.ids[..., 0] >= 0, lamps_of(made)
        with mock.patch(f"{__name__}.WHITE", (1.0, 1.0, 1.0)):
            picture = taken(given)
        found, plain = (
            matched_with_white(picture, lamps, where, "none")[0],
            matched(picture, lamps, where, "none"),
        )
        self.assertEqual([one.gain for one in found.lamps], [one.gain for one in plain.lamps])

    def test_the_colour_of_a_lamp_that_was_missing_is_no_white_and_the_white_none_of_its(self) -> None:
        """A warm point that the scene does not have, in a picture of another white."""
        given = counter(3)
        color = np.array([1.3, 0.95, 0.4])
        point = Light("light:x", "x", "point", (1.3, 0.95, 0.4), 8.0)
        stands = looking((-0.8, 1.4, 1.0), (0.0, 0.0, 0.1))
        made = render(flatten(given, "apart"), VIEW, QUALITY)
        where = made.ids[..., 0] >= 0
        layer = alone(given, replace(point, color=(1.0, 1.0, 1.0), intensity=1.0), stands, VIEW, QUALITY)
        lamps = lamps_of(made).with_one("new 1", layer)
        known = set(lamps_of(made).names)
        for white in (WHITE, (1.0, 1.0, 1.0)):
            with mock.patch(f"{__name__}.WHITE", white):
                picture = taken(with_lamp(given, point, stands))
            found, seen = matched_with_white(picture, lamps, where, "none", new=1)
            held = next(one.gain for one in found.lamps if one.name in known and one.share > 0.1)
            new = found.lamps[-1]
            np.testing.assert_allclose(np.array(new.color) / new.color[1], color / color[1], rtol=0.06)
            self.assertAlmostEqual(new.gain / held / (8.0 * float(luminance(color))), 1, delta=0.08)
            if white == WHITE:
                found_white = undisplayed(picture, "none").mean(axis=(0, 1)) / undisplayed(seen, "none").mean(
                    axis=(0, 1)
                )
                np.testing.assert_allclose(found_white / found_white[1], WHITE, rtol=0.05)
            else:
                np.testing.assert_array_equal(seen, picture)


class Told(TestCase):
    def test_another_white_is_told_and_what_is_left_with_it(self) -> None:
        route = route_of(counter(3))
        picture = taken(route.reference())
        camera = camera_json(FoundCamera(VIEW.matrix, VIEW.yfov_rad, bend=0.2))
        lying = Lying(light_png(picture), light_png(np.ones(picture.shape, np.float32)), camera, "none")
        with mock.patch("trasloco.results.light_matching.QUALITY", QUALITY):
            found = match_light(route, lying, AskedMatch(), silent).told
        told = found["lens"]
        white = np.array(told["white"])
        np.testing.assert_allclose(white / white[1], WHITE, rtol=0.05)
        self.assertLess(told["after"], 0.5 * found["after"])
        # k r^2 at a corner, r by tangents.
        corner = math.tan(VIEW.yfov_rad / 2) ** 2 * (1 + (240 / 135) ** 2)
        self.assertAlmostEqual(told["bend"], 0.2 * corner, delta=1e-6)
