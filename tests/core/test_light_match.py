"""Light matched to a picture: layers drawn by hand, so that every strength is known beforehand."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from trasloco.errors import Refused
from trasloco.outside.light_match import Lamps, matched
from trasloco.outside.showing import CURVES, Shown, displayed_by, undisplayed
from trasloco.outside.shrinking import shrunk
from trasloco.scene.color import linear_to_srgb, srgb_to_linear

HEIGHT, WIDTH = 96, 160
ALL = np.ones((HEIGHT, WIDTH), bool)


def pools(rng: np.random.Generator, count: int) -> np.ndarray:  # type: ignore[type-arg]
    """Soft pools of coloured light over an uneven wall, (L, H, W, 3)."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH] / WIDTH
    wall = 0.3 + 0.4 * rng.uniform(size=(HEIGHT // 8, WIDTH // 8, 3)).repeat(8, 0).repeat(8, 1)
    made = []
    for k in range(count):
        far = (x - (k + 0.5) / count) ** 2 + (y - rng.uniform(0.1, 0.5)) ** 2
        made.append(wall * (0.08 / (0.05 + far))[..., None] * rng.uniform(0.6, 1.4, 3))
    return np.stack(made)


def noisy(rng: np.random.Generator, layers: np.ndarray, amount: float) -> Lamps:  # type: ignore[type-arg]
    halves = np.stack([layers * (1 + amount * rng.normal(size=layers.shape)) for _ in range(2)])
    return Lamps(tuple("abcdefgh"[: len(layers)]), halves.astype(np.float32))


def picture_of(light: np.ndarray, shown: Shown) -> np.ndarray:  # type: ignore[type-arg]
    """In eight bits."""
    codes = np.round(linear_to_srgb(displayed_by(light.astype(np.float32), shown)) * 255) / 255
    return np.asarray(srgb_to_linear(codes), np.float32)


class Curves(TestCase):
    def test_every_curve_has_its_inverse(self) -> None:
        light = (10 ** np.random.default_rng(1).uniform(-3, 0.5, (400, 3))).astype(np.float32)
        for curve in CURVES:
            shown = displayed_by(light, Shown(curve, 0.0))
            inside = (shown < 0.97).all(axis=1)
            back = undisplayed(shown, curve)
            np.testing.assert_allclose(back[inside], light[inside], rtol=2e-3, err_msg=curve)
            self.assertGreater(int(inside.sum()), 100)

    def test_a_picture_is_made_smaller_by_its_light(self) -> None:
        """Half of each pixel shows 0.2, half 0.8: what is shown of their mean light, not the mean of both."""
        fine = np.where(np.indices((64, 64)).sum(axis=0) % 2, 0.2, 0.8)
        picture = np.repeat(fine[..., None], 3, axis=2).astype(np.float32)
        for curve in ("none", "rolled off by channel"):
            made, sound = shrunk(picture, curve, 8, 8)
            light = 0.5 if curve == "none" else (0.25 + 4) / 2
            meant = light if curve == "none" else light / (1 + light)
            np.testing.assert_allclose(made[2:6, 2:6], meant, atol=0.01, err_msg=curve)
            self.assertTrue(sound.all())
        picture[:8, :8] = 1
        self.assertEqual(shrunk(picture, "none", 8, 8)[1][0, 0], False)


class Strengths(TestCase):
    def test_each_lamp_within_three_percent_by_every_curve(self) -> None:
        """A hundredth of noise on the picture, a tenth on a pixel of each layer."""
        rng = np.random.default_rng(2)
        layers = pools(rng, 5)
        lamps = noisy(rng, layers, 0.1)
        for curve in CURVES:
            for _ in range(3):
                gains = 2 ** rng.uniform(-2, 2, 5)
                light = np.tensordot(gains, layers, axes=1)
                light *= 1 + 0.01 * rng.normal(size=light.shape)
                stops = -float(np.log2(light.mean() * 2))
                found = matched(picture_of(light, Shown(curve, stops)), lamps, ALL, anchor="c")
                self.assertEqual(found.shown.curve, curve)
                self.assertAlmostEqual(found.shown.stops, stops + np.log2(gains[2]), delta=0.05)
                for one, gain in zip(found.lamps, gains, strict=True):
                    if one.share >= 0.02:
                        self.assertAlmostEqual(
                            one.gain / (gain / gains[2]), 1, delta=0.03, msg=f"{curve} {one.name}"
                        )
                        self.assertTrue(one.sure)
                self.assertLess(found.after, found.before)

    def test_noise_of_the_layers_makes_no_lamp_weaker(self) -> None:
        """Grain of 0.25 on blocks: plain least squares on the mean of both halves takes a lamp that lights
        alone too weak by 1 / (1 + 0.25^2 / 2) = 3 %; between independent halves it does not.
        """
        rng = np.random.default_rng(3)
        layers, found = pools(rng, 2), []
        for _ in range(6):
            grain = rng.normal(size=(2, 1, HEIGHT // 4, WIDTH // 4, 1)).repeat(4, 2).repeat(4, 3)
            halves = np.stack([layers[:1], layers[:1]]) * (1 + 0.25 * grain)
            lamps = Lamps(
                ("a", "b"), np.concatenate([halves, np.stack([layers[1:]] * 2)], 1).astype(np.float32)
            )
            light = picture_of(layers.sum(axis=0), Shown("none", -2.5))
            found.append(matched(light, lamps, ALL, curve="none", anchor="b").lamps[0].gain)
        self.assertAlmostEqual(float(np.mean(found)), 1, delta=0.015)

    def test_colours_are_found_where_asked(self) -> None:
        rng = np.random.default_rng(4)
        layers = pools(rng, 3)
        tints = rng.uniform(0.5, 1.5, (3, 3))
        tints /= (tints @ [0.2126, 0.7152, 0.0722])[:, None]
        light = (layers * tints[:, None, None]).sum(axis=0)
        found = matched(
            picture_of(light, Shown("filmic", -2)), noisy(rng, layers, 0.02), ALL, colors=True, anchor="a"
        )
        for one, tint in zip(found.lamps, tints, strict=True):
            np.testing.assert_allclose(one.color, tint, rtol=0.03)
            self.assertAlmostEqual(one.gain, 1, delta=0.03)

    def test_what_was_painted_over_does_little_harm_and_none_where_it_is_left_out(self) -> None:
        rng = np.random.default_rng(5)
        layers = pools(rng, 3)
        picture = picture_of(layers.sum(axis=0), Shown("none", -2.5))
        picture[12:24, 20:44] = [0.5, 0.02, 0.02]
        where = ALL.copy()
        where[12:24, 20:44] = False
        for mask, close in ((ALL, 0.06), (where, 0.01)):
            for one in matched(picture, noisy(rng, layers, 0.02), mask, curve="none", anchor="c").lamps:
                self.assertAlmostEqual(one.gain, 1, delta=close)

    def test_two_lamps_that_light_alike_are_told_as_a_sum(self) -> None:
        rng = np.random.default_rng(6)
        layers = pools(rng, 3)
        layers[1] = layers[0] * 0.5
        found = matched(
            picture_of(layers.sum(axis=0), Shown("none", -2.5)), noisy(rng, layers, 0.02), ALL, anchor="c"
        )
        first, second, third = found.lamps
        self.assertEqual((first.like, second.like, third.like), (("b",), ("a",), ()))
        self.assertFalse(first.sure or second.sure)
        self.assertAlmostEqual(first.gain * 2 / 3 + second.gain / 3, 1, delta=0.03)

    def test_a_lamp_that_is_off_is_zero_and_one_that_is_clipped_is_not_believed(self) -> None:
        rng = np.random.default_rng(7)
        layers = pools(rng, 3)
        glow = np.zeros_like(layers[:1])
        glow[:, 30:50, 60:90] = 400.0
        layers = np.concatenate([layers, glow])
        light = layers[0] + layers[2] + 3 * layers[3]
        found = matched(picture_of(light, Shown("none", -2.5)), noisy(rng, layers, 0.02), ALL, anchor="a")
        self.assertLess(found.lamps[1].gain, 0.01)
        self.assertTrue(found.lamps[1].sure)
        self.assertFalse(found.lamps[3].sure)

    def test_a_black_picture_says_nothing(self) -> None:
        lamps = noisy(np.random.default_rng(8), pools(np.random.default_rng(8), 2), 0.02)
        with self.assertRaises(Refused):
            matched(np.zeros((HEIGHT, WIDTH, 3), np.float32), lamps, ALL)
