"""What a proof says: figures that do not flatter, noise that is told as it is, darkness that is not judged."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_causes import VIEW, stage
from tests.core.test_staging import moving
from tests.making import cube, image, material, quad, scene, sky
from trasloco import move
from trasloco.errors import Refused
from trasloco.proof.compare import LEAST_COVER, compare, shown
from trasloco.proof.figure import Pixels, figure_of, pixels_of
from trasloco.proof.light_there import in_stand_in_light, is_lit, not_shown
from trasloco.proof.staging import main_views, moments_of
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, framing, render
from trasloco.scene.color import delta_e_of_linear
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Input, Scene, Texture
from trasloco.scene.transforms import looking


def noisy(apart: np.ndarray, spread: float, seed: int = 3) -> Pixels:
    """Pixels that differ by ``apart`` (N,) along one of three channels, under Gaussian noise in all of them."""
    rng = np.random.default_rng(seed)
    true = np.stack([apart, 0 * apart, 0 * apart], axis=1)
    even, odd = (rng.normal(0, math.sqrt(2) * spread, true.shape) for _ in range(2))
    found, floor, first, second = (
        np.linalg.norm(one, axis=1)
        for one in (true + (even + odd) / 2, (even - odd) / 2, true + even, true + odd)
    )
    return Pixels(found, floor, (first + second) / 2, np.maximum(floor, math.sqrt(3) * spread))


def ball_room() -> Scene:
    """A room under a lamp with a size: noise of soft shadows and bounces."""
    floor, box = quad(3.0), replace(cube(0.6), material="material:m")
    lamp = Light("light:l", "L", "rectangle", intensity=300.0, width_m=0.6, height_m=0.6)
    return scene(
        floor,
        box,
        materials=(material(base_color=(0.6, 0.5, 0.4), roughness=(0.4,)),),
        lights=((lamp, looking((0.5, 2, 0.7), (0, 0, 0))),),
    )


LOOK = View("look", looking((1.5, 1.6, 2.2), (0, 0.1, 0)), 0.7)


class Noise(TestCase):
    def test_noise_is_told_as_large_as_it_is(self) -> None:
        # The same scene with other random numbers on the other side: all that differs is noise.
        flat = flatten(ball_room())
        for samples in (8, 32, 128):
            told, true = [], []
            for seed in range(2):
                first, second = (
                    render(flat, LOOK, Quality(64, 48, samples, 3, seed=2 * seed + k)) for k in range(2)
                )
                found = compare(first, second, 4.0, (*flat.material_ids, "none"), flat.part_ids, quick=True)
                told.append(found.noise)
                true.append(found.mean)
            self.assertAlmostEqual(
                float(np.mean(told) / np.mean(true)), 1.0, delta=0.1, msg=f"{samples} samples"
            )

    def test_what_is_left_when_noise_is_taken_off_is_nothing(self) -> None:
        flat = flatten(ball_room())
        first, second = (render(flat, LOOK, Quality(96, 72, 16, 3, seed=k)) for k in range(2))
        subject = compare(first, second, 4.0, (*flat.material_ids, "none"), flat.part_ids, quick=True).subject
        self.assertGreater(subject.raw, 0.4)
        self.assertLess(subject.value, subject.raw / 3)
        self.assertEqual(subject.low, 0.0)

    def test_a_true_difference_is_told_within_its_interval(self) -> None:
        given = ball_room()
        other = replace(
            given,
            materials={
                "material:m": replace(
                    given.materials["material:m"],
                    inputs={**given.materials["material:m"].inputs, "base_color": Input((0.615, 0.51, 0.41))},
                )
            },
        )
        exact = [render(flatten(s), LOOK, Quality(64, 48, 2048, 3, seed=9)) for s in (given, other)]
        truth = compare(*exact, 4.0, ("a", "b"), ("a", "b"), quick=True).subject.value
        self.assertGreater(truth, 0.3)
        paired = [render(flatten(s), LOOK, Quality(64, 48, 64, 3)) for s in (given, other)]
        self.assertAlmostEqual(
            compare(*paired, 4.0, ("a", "b"), ("a", "b"), quick=True).subject.value, truth, delta=0.05
        )
        inside = 0
        for seed in range(6):
            unpaired = [
                render(flatten(s), LOOK, Quality(64, 48, 64, 3, seed=20 + 2 * seed + k))
                for k, s in enumerate((given, other))
            ]
            found = compare(*unpaired, 4.0, ("a", "b"), ("a", "b"), quick=True).subject
            inside += found.low <= truth <= found.high
        self.assertGreaterEqual(inside, 5)

    def test_a_tenth_is_told_within_half_a_tenth(self) -> None:
        given = ball_room()
        other = replace(
            given,
            materials={
                "material:m": replace(
                    given.materials["material:m"],
                    inputs={
                        **given.materials["material:m"].inputs,
                        "base_color": Input((0.6045, 0.5035, 0.4028)),
                    },
                )
            },
        )
        look = Quality(128, 96, 256, 3, seed=9)
        truth = compare(
            *(render(flatten(s), LOOK, look) for s in (given, other)), 4.0, ("a", "b"), ("a", "b"), quick=True
        ).subject.value
        self.assertAlmostEqual(truth, 0.1, delta=0.02)
        for samples in (8, 32):
            paired = [
                render(flatten(s), LOOK, replace(look, samples=samples, seed=1)) for s in (given, other)
            ]
            self.assertAlmostEqual(
                compare(*paired, 4.0, ("a", "b"), ("a", "b"), quick=True).subject.value,
                truth,
                delta=0.05,
                msg=f"{samples} samples, paired",
            )
        inside = 0
        for seed in range(8):
            unpaired = [
                render(flatten(s), LOOK, replace(look, samples=16, seed=20 + 2 * seed + k))
                for k, s in enumerate((given, other))
            ]
            found = compare(*unpaired, 4.0, ("a", "b"), ("a", "b"), quick=True).subject
            inside += found.low <= truth <= found.high
        self.assertGreaterEqual(inside, 7)

    def test_what_a_tone_curve_hides_of_few_samples_is_told(self) -> None:
        """Light that comes with a chance, in the same samples on both sides: what is shown of its mean is
        known.
        """
        color, shape = np.array([1.0, 0.8, 0.5], np.float32), (80, 80)
        lights = ((0.5, 2.0, 8), (0.25, 4.0, 8), (0.25, 1.2, 8), (0.1, 10.0, 8), (0.05, 20.0, 32))
        for chance, strength, known_from in lights:
            means = [np.full((1, 1, 3), chance * strength * gain * color) for gain in (1.0, 0.6)]
            truth = float(delta_e_of_linear(*(shown(one.astype(np.float32), 0.0) for one in means))[0, 0])
            for samples in (one for one in (8, 16, 32, 64) if one >= known_from):
                lit = np.random.default_rng(samples).random((samples, *shape, 1)) < chance
                first, second = (
                    Picture(
                        (strength * gain * color * lit[::2].mean(0)).astype(np.float32),
                        (strength * gain * color * lit[1::2].mean(0)).astype(np.float32),
                        np.zeros((*shape, 2), np.int32),
                        samples,
                        0,
                    )
                    for gain in (1.0, 0.6)
                )
                told = compare(first, second, 0.0, ("a",), ("a",), quick=True).subject
                about = f"{chance} of {samples}: {told}"
                self.assertTrue(told.low <= truth <= told.high, about)
                if samples >= 16:
                    self.assertAlmostEqual(told.value / truth, 1.0, delta=0.08, msg=about)

    def test_what_is_clear_of_noise_is_known_closer_than_the_noise(self) -> None:
        """Ten times as much as the noise: it is shifted to and fro, and the mean has no noise to be told of."""
        told = figure_of(noisy(np.full(20_000, 10.0), 0.5))
        self.assertTrue(told.low <= 10.0 <= told.high)
        self.assertAlmostEqual(told.value, 10.0, delta=0.02)
        self.assertLess(told.high - told.low, 0.2 * told.noise)

    def test_a_pixel_is_clear_of_the_noise_around_it(self) -> None:
        """One pixel of nine has a noise of three: a mean square of one about each of its neighbours."""
        floor = np.zeros((5, 5))
        floor[2, 2] = 3.0
        seen = pixels_of(np.full((5, 5), 4.0), floor, np.full((5, 5), 4.0))
        self.assertEqual((seen.spread[2, 2], seen.spread[1, 1], seen.spread[0, 0]), (3.0, 1.0, 0.0))
        self.assertEqual(int(seen.clear.sum()), 24)
        self.assertEqual(int(pixels_of(np.full((5, 5), 2.9), floor, floor).clear.sum()), 16)

    def test_a_large_difference_is_known_from_few_samples(self) -> None:
        given = ball_room()
        other = replace(given, materials={"material:m": material(base_color=(0.15, 0.25, 0.4))})
        flats, names = (flatten(given), flatten(other)), ("a", "b")
        exact = [render(flat, LOOK, Quality(64, 48, 1024, 3, seed=9)) for flat in flats]
        truth = compare(*exact, 4.0, names, names, quick=True).subject.raw
        for seed in range(4):
            pair = [render(flat, LOOK, Quality(64, 48, 8, 3, seed=20 + seed)) for flat in flats]
            told = compare(*pair, 4.0, names, names, quick=True).subject
            self.assertTrue(told.low <= truth <= told.high, f"{truth} of {told}")
            self.assertLess(told.high - told.low, 0.6 * told.noise)

    def test_gaussian_noise_over_a_known_difference(self) -> None:
        # Lengths of a vector difference with noise in three channels: the mean square grows by that of the
        # noise.
        for true in (0.0, 0.1, 1.0):
            found = figure_of(noisy(np.full(200_000, true), 0.5))
            self.assertLessEqual(found.low, true + 1e-9)
            self.assertGreaterEqual(found.high, true * 0.97)
            self.assertAlmostEqual(found.value, true, delta=0.08)


def flat_picture(codes: np.ndarray, ids: np.ndarray) -> Picture:
    """A noiseless picture of radiance (H, W, 3) with material numbers."""
    return Picture(codes, codes, np.stack([ids, np.zeros_like(ids)], axis=-1).astype(np.int32), 2, 0)


class Judged(TestCase):
    def test_one_material_seen_at_once_is_not_hidden_by_a_large_frame(self) -> None:
        before = np.full((100, 100, 3), 0.5, np.float32)
        after = before.copy()
        ids = np.full((100, 100), -1)
        ids[:40] = 0
        ids[:3, :3] = 1
        after[:3, :3] = (0.9, 0.1, 0.1)
        found = compare(
            flat_picture(before, ids),
            flat_picture(after, ids),
            0.0,
            ("large", "small"),
            ("part",),
            quick=True,
        )
        self.assertLess(found.frame.value, 0.1)
        self.assertLess(found.subject.value, 1.0)
        worst = found.worst_material
        assert worst is not None
        self.assertEqual((worst.id, worst.cover), ("small", 9 / 10_000))
        self.assertGreater(found.judged, 20)

    def test_a_material_below_the_least_cover_does_not_decide(self) -> None:
        before = np.full((100, 100, 3), 0.5, np.float32)
        after = before.copy()
        after[0, :3] = 0.0
        ids = np.zeros((100, 100))
        ids[0, :3] = 1
        found = compare(
            flat_picture(before, ids),
            flat_picture(after, ids),
            0.0,
            ("large", "speck"),
            ("part",),
            quick=True,
        )
        self.assertLess(3 / 10_000, LEAST_COVER)
        assert found.worst_material is not None
        self.assertEqual(found.worst_material.id, "large")


class Dark(TestCase):
    def test_a_scene_without_light_is_not_proved_on_black(self) -> None:
        given = scene(quad(), cube(0.3), materials=(material(base_color=(0.8, 0.2, 0.2)),))
        other = replace(given, materials={"material:m": material(base_color=(0.2, 0.2, 0.8))})
        self.assertFalse(is_lit(given))
        with self.assertRaisesRegex(Refused, "black"):
            move.prove(given, other, [framing(given)], Quality(32, 24, 4, 1))
        proof = move.prove(given, other, [framing(given)], Quality(64, 48, 16, 2), stand_in=True)
        self.assertTrue(proof.stand_in)
        self.assertEqual(proof.verdict, "seen at once")

    def test_what_lights_a_scene(self) -> None:
        bare = scene(quad(), materials=(material(),))
        lamp = Light("light:l", "L", "point", intensity=5.0)
        glow = material(emission=Input((1.0, 1.0, 1.0)))
        even = sky()
        lit = {
            "a lamp": scene(quad(), materials=(material(),), lights=((lamp, np.eye(4)),)),
            "what glows": scene(quad(), materials=(glow,)),
            "surroundings": scene(
                quad(), materials=(material(),), images=(even,), environment=Environment(even.id)
            ),
        }
        for what, given in lit.items():
            self.assertTrue(is_lit(given), what)
        for what, light in (
            ("off", replace(lamp, enabled=False)),
            ("none", replace(lamp, intensity=0.0)),
            ("an opening", replace(lamp, kind="rectangle", opening=True)),
        ):
            self.assertFalse(
                is_lit(scene(quad(), materials=(material(),), lights=((light, np.eye(4)),))), what
            )
        self.assertFalse(is_lit(bare))
        self.assertTrue(is_lit(in_stand_in_light(bare)))

    def test_a_view_that_no_light_reaches_does_not_count(self) -> None:
        given = stage()
        away = replace(VIEW, name="away", matrix=looking((0, -50, 0), (0, -60, 0), (0, 0, 1)))
        dark = replace(given, environment=None)
        if is_lit(dark):
            proof = move.prove(dark, dark, [VIEW, away], Quality(32, 24, 4, 1))
            self.assertEqual(proof.dark, ("away",))
            with self.assertRaisesRegex(Refused, "No light reaches"):
                move.prove(dark, dark, [away], Quality(32, 24, 4, 1))


class Told(TestCase):
    def test_what_cannot_be_shown_is_listed(self) -> None:
        film = image("film", np.full((4, 4, 3), 200, np.uint8))
        made = material(thickness=Input((0.7,), Texture(film.id, "g")), transmission=(1.0,))
        self.assertEqual(
            not_shown(scene(quad(), materials=(made,))),
            ["Thickness as an image: m"],
        )
        self.assertEqual(not_shown(scene(quad(), materials=(material(),))), [])

    def test_a_moving_scene_is_looked_at_three_times(self) -> None:
        given = moving()
        views = main_views(given, [VIEW])
        self.assertEqual(
            [(v.clip, v.time_s) for v in views],
            [("", 0.0), ("clip:lift", 0.0), ("clip:lift", 0.45), ("clip:lift", 1.0)],
        )
        self.assertEqual(moments_of(replace(given, clips={}), VIEW), [])
        lost = move.prove(given, replace(given, clips={}), views, Quality(64, 48, 8, 1))
        self.assertEqual(lost.worst.view.time_s, 1.0)
        self.assertGreater(lost.worst.comparison.judged, 1.0)
