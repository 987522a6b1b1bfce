"""What a proof looks at: views with a moment and surroundings of their own, and previews whose noise is taken
out.
"""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase, skipUnless

import numpy as np

from tests.core.test_causes import QUALITY, VIEW, stage
from tests.making import image
from trasloco import move
from trasloco.decisions.kinds import typed
from trasloco.errors import Refused
from trasloco.proof.picturing import pixel_at
from trasloco.proof.staging import limits_of, staged, views_for
from trasloco.render.denoise import available, denoised
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, frame_of, render
from trasloco.scene.color import delta_e_of_linear
from trasloco.scene.model import Channel, Clip, Decision, Scene
from trasloco.scene.transforms import looking

STAND = {"matrix": [1, 0, 0, 0, 0, 1, 0, 0.5, 0, 0, 1, 4, 0, 0, 0, 1], "yfov_rad": 0.6}


def moving() -> Scene:
    """The stage with a clip that lifts the box by a metre in a second, and another sky at hand."""
    given = stage()
    lift = Clip(
        "clip:lift",
        "Lift",
        (
            Channel(
                "part:Box",
                "translation",
                np.array([0, 1], np.float32),
                np.array([[0, 0, 0], [0, 1, 0]], np.float32),
            ),
        ),
    )
    bright = image("bright", np.full((8, 16, 3), 5.0, np.float32), "exr")
    return replace(given, clips={"clip:lift": lift}, images={**given.images, bright.id: bright})


class Views(TestCase):
    def test_kept_views_stand_beside_cameras_with_names_of_their_own(self) -> None:
        said = [
            {"name": "Aside", **STAND},
            {"name": "Overview", **STAND, "lens_radius_m": 0.02, "focus_m": 3.5},
        ]
        found = views_for(stage(), [Decision("proof", "views", said)])
        self.assertEqual([v.name for v in found], ["Aside", "Overview", "Overview (2)"])
        self.assertEqual((found[1].lens_radius_m, found[1].focus_m), (0.02, 3.5))
        np.testing.assert_allclose(found[0].matrix[:3, 3], [0, 0.5, 4])

    def test_an_area_is_seen_as_in_the_whole_picture(self) -> None:
        # Pixels of a picture of the middle half lie where those of the whole picture do.
        whole = View("v", looking([1, 2, 7], [0, 1.2, 0]), 0.8, aspect=1.5)
        _, looks = frame_of(whole, 64, 36)
        part = replace(whole, window=(0.25, 0.5, 0.75, 1.0))
        np.testing.assert_allclose(frame_of(part, 32, 18)[1], looks[18:, 16:48], atol=1e-12)

    def test_limits_are_the_artists(self) -> None:
        self.assertEqual(limits_of([]).words(2.0), "hardly seen")
        self.assertEqual(limits_of([Decision("proof", "limits", [3.0, 4.0, 6.0])]).words(2.0), "not seen")
        for value in ([1, 1, 2], [0, 1, 2], "x", [1, 2]):
            with self.assertRaises(Refused):
                typed(Decision("proof", "limits", value))

    def test_both_sides_stand_at_the_views_moment(self) -> None:
        given = moving()
        other = replace(given, clips={"theirs": replace(given.clips["clip:lift"], id="theirs")})
        view = replace(VIEW, clip="clip:lift", time_s=0.5)
        for side in (given, other):
            heights = flatten(staged(side, view, given)).arrays.positions[4:, 1]
            self.assertAlmostEqual(float(heights.min()), 0.5, places=5)
        # An arrival that lost its motion stands still, and the proof says so.
        proof = move.prove(given, replace(given, clips={}), [view], QUALITY)
        self.assertGreater(proof.worst.comparison.mean, 2)
        self.assertLess(move.prove(given, other, [view], QUALITY).worst.comparison.mean, 0.01)

    def test_another_sky_lights_both_sides(self) -> None:
        given = moving()
        usual, bright = (
            move.prove(given, given, [v], Quality(32, 24, 4, 2), 2.0).worst
            for v in (VIEW, replace(VIEW, environment="image:bright"))
        )
        self.assertGreater(
            float(bright.reference.radiance.mean()), 2 * float(usual.reference.radiance.mean())
        )
        self.assertEqual(float(bright.comparison.mean), 0.0)


class Reading(TestCase):
    def test_a_pixel_is_read_on_both_sides(self) -> None:
        first, second = np.zeros((4, 6, 3), np.float32), np.zeros((4, 6, 3), np.float32)
        first[2, 5], second[2, 5] = 1.2, 0.6
        found = pixel_at(first, second, 5, 2, 0.0)
        np.testing.assert_allclose(found.linear, [[1.2] * 3, [0.6] * 3], rtol=1e-6)
        # 1.2 nit at EV 0 is 1: the curve gives (1 + 1/16) / 2, in sRGB codes.
        value = (1 + 1 / 16) / 2
        self.assertEqual(found.srgb[0][0], round((1.055 * value ** (1 / 2.4) - 0.055) * 255))
        grey = [np.full((1, 1, 3), v, np.float32) for v in (value, 0.5 * (1 + 0.5 / 16) / 1.5)]
        self.assertAlmostEqual(found.delta_e, float(delta_e_of_linear(grey[0], grey[1])[0, 0]), places=3)
        with self.assertRaises(Refused):
            pixel_at(first, second, 6, 0, 0.0)


class Previews(TestCase):
    @skipUnless(available(), "the denoiser is optional")
    def test_a_preview_is_nearer_to_the_truth_and_leaves_the_picture_alone(self) -> None:
        flat = flatten(stage())
        rough, truth = (
            render(flat, VIEW, Quality(96, 64, 4, 3)),
            render(flat, VIEW, Quality(96, 64, 512, 3, seed=9)),
        )
        before = rough.radiance.copy()
        smooth = denoised(rough)
        self.assertTrue((rough.radiance == before).all())
        wrong = [float(np.sqrt(np.mean((one - truth.radiance) ** 2))) for one in (before, smooth)]
        self.assertLess(wrong[1], 0.6 * wrong[0])
