"""After-effects simulated: each by its formula, and in a proof only where it is wished."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_bake import grey, placed
from tests.making import quad, scene, sky
from trasloco import move
from trasloco.proof.effects import (
    MIDDLE_GREY,
    contrasted,
    distorted,
    glowing,
    hidden_share,
    seen_through,
    white,
)
from trasloco.proof.staging import effects_of
from trasloco.render.exposure import auto_ev100
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, frame_of, render
from trasloco.scene.color import luminance
from trasloco.scene.lit import Environment
from trasloco.scene.model import Decision, Primitive
from trasloco.scene.transforms import looking
from trasloco.sheets.library import sheet_named
from trasloco.sheets.model import AfterEffect


class Formulas(TestCase):
    def test_glow_spreads_what_is_above_white_and_loses_nothing(self) -> None:
        picture = np.full((64, 64, 3), 10.0, np.float32)
        picture[32, 32] = 10 * white(5.0)
        made = glowing(picture, 5.0, 0.2, 3.0)
        self.assertAlmostEqual(float(made.sum() / picture.sum()), 1.0, places=4)
        self.assertAlmostEqual(
            float(made[32, 32, 0]),
            10 * white(5.0) - 0.2 * 9 * white(5.0) + 0.2 * 9 * white(5.0) / (2 * math.pi * 1.92**2),
            delta=0.01 * 10 * white(5.0),
        )
        self.assertGreater(float(made[32, 34, 0]), 10.0)
        dim = np.full((16, 16, 3), 0.5 * white(5.0), np.float32)
        np.testing.assert_allclose(glowing(dim, 5.0, 0.2, 3.0), dim, rtol=1e-5)

    def test_contrast_turns_about_middle_grey(self) -> None:
        grey_nit = MIDDLE_GREY * white(3.0)
        made = contrasted(np.array([[[grey_nit, 2 * grey_nit, grey_nit / 2]]], np.float32), 3.0, 0.25)
        np.testing.assert_allclose(made[0, 0] / grey_nit, [1, 2**1.25, 2**-1.25], rtol=1e-5)

    def test_distortion_moves_corners_and_leaves_the_middle(self) -> None:
        # A ramp in x: what is seen at the border comes from x (1 + k1 r^2).
        ramp = np.repeat(np.linspace(-1, 1, 65, dtype=np.float32)[None, :, None], 65, axis=0).repeat(
            3, axis=2
        )
        made = distorted(ramp, -0.1)
        self.assertAlmostEqual(float(made[32, 32, 0]), 0.0, places=5)
        self.assertAlmostEqual(float(made[32, 64, 0]), 1 - 0.1 * 0.5, places=4)
        self.assertAlmostEqual(float(made[0, 64, 0]), 1 - 0.1 * 1.0, places=4)

    def test_at_the_foot_of_a_wall_half_of_the_half_space_is_hidden(self) -> None:
        far = 50.0
        corners = np.array([[0, 0, -far], [0, far, -far], [0, 0, far], [0, far, far]], np.float32)
        wall = Primitive(corners, np.array([[0, 1, 2], [2, 1, 3]], np.uint32), None, material="material:wall")
        given = scene(
            wall,
            placed(100.0, "floor", (0.0, 0.0, 0.0)),
            materials=(replace(grey("wall"), double_sided=True), grey("floor")),
            names=("Wall", "Floor"),
        )
        flat = flatten(given)
        at_foot = View("foot", looking((0.02, 1.0, 0.0), (0.02, 0.0, 0.0), (0, 0, -1)), 0.002)
        self.assertAlmostEqual(float(hidden_share(flat, at_foot, 8, 8, 1000.0).mean()), 0.5, delta=0.03)
        away = View("away", looking((20.0, 1.0, 0.0), (20.0, 0.0, 0.0), (0, 0, -1)), 0.02)
        self.assertEqual(float(hidden_share(flat, away, 8, 8, 1.0).max()), 0.0)

    def test_the_frame_that_effects_see_is_the_renderer_s(self) -> None:
        view = View("v", looking((1, 2, 3), (0, 0, 0)), 0.7, aspect=2.0)
        origin, looks = frame_of(view, 40, 30)
        np.testing.assert_allclose(origin, [1, 2, 3])
        middle = looks[14:16, 19:21].mean(axis=(0, 1))
        np.testing.assert_allclose(
            middle / np.linalg.norm(middle), -np.array([1, 2, 3]) / math.sqrt(14), atol=1e-6
        )


class InAProof(TestCase):
    def setUp(self) -> None:
        given = scene(
            quad(1.0, "material:a"),
            materials=(grey("a"),),
            images=(sky(100.0),),
            environment=Environment("image:sky", 1.0),
        )
        self.given, self.view, self.quality = (
            given,
            View("down", looking((0, 1, 0), (0, 0, 0), (0, 0, -1)), 0.6),
            Quality(24, 24, 16, 2),
        )
        self.lanterna = sheet_named("lanterna")

    def test_only_what_is_wished_and_has_a_formula_is_simulated(self) -> None:
        self.assertEqual(effects_of([], self.lanterna), [])
        wished = effects_of([Decision("proof", "effects", ["glow", "nothing of the kind"])], self.lanterna)
        self.assertEqual([effect.acts for effect in wished], ["glow"])

    def test_its_own_meter_undoes_a_dim_picture(self) -> None:
        flat = flatten(self.given)
        picture = render(flat, self.view, self.quality)
        meter = auto_ev100(picture.radiance)
        effect = AfterEffect(name="meter", does="", acts="exposure")
        seen = seen_through(picture, [effect], flat, self.view, meter - 2)
        self.assertAlmostEqual(
            float(luminance(seen.radiance).mean() / luminance(picture.radiance).mean()), 0.25, delta=0.01
        )

    def test_the_arrival_is_compared_as_it_is_seen(self) -> None:
        plain = move.prove(self.given, self.given, [self.view], self.quality)
        through = move.prove(
            self.given,
            self.given,
            [self.view],
            self.quality,
            effects=[AfterEffect(name="look", does="", acts="contrast", amount=0.5)],
        )
        self.assertLess(plain.worst.comparison.mean, 0.01)
        self.assertGreater(through.worst.comparison.mean, 1.0)
