"""A proof by its interval: samples where the difference is uncertain, on both sides alike."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_figures import LOOK, ball_room, noisy
from trasloco import move
from trasloco.hands.threads import Threads
from trasloco.proof.compare import compare
from trasloco.proof.figure import figure_of
from trasloco.proof.refining import Aim, _shared_out, aim_of, refined, stand
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, Rendering, render
from trasloco.render.tiles import TILE
from trasloco.scene.model import Input, Scene

EV, QUALITY = 4.0, Quality(128, 96, 256, 3)


def rough(value: float) -> Scene:
    """What a rougher surface would reflect is drawn by other paths: their noise does not cancel."""
    given = ball_room()
    old = given.materials["material:m"]
    return replace(
        given, materials={"material:m": replace(old, inputs={**old.inputs, "roughness": Input((value,))})}
    )


def painted(color: tuple[float, float, float]) -> Scene:
    given = ball_room()
    old = given.materials["material:m"]
    return replace(
        given,
        materials={"material:m": replace(old, inputs={**old.inputs, "base_color": Input(color)})},
    )


FLATS = flatten(ball_room()), flatten(painted((0.615, 0.51, 0.41)))


class Sharing(TestCase):
    def test_the_two_thirds_power_shares_out(self) -> None:
        """Minimum of n1 + n2 under F1 / sqrt(n1) + F2 / sqrt(n2) = T: n is as F^(2/3)."""
        noise, done = np.array([4.0, 1.0]), np.array([1.0, 1.0])
        found = _shared_out(noise, 0 * noise, done, 0.25)
        self.assertAlmostEqual(float((noise / np.sqrt(found)).sum()), 0.25 * 5, places=6)
        self.assertAlmostEqual(float(found[0] / found[1]), 4 ** (2 / 3), places=6)
        brute = min(n1 + (1 / (1.25 - 4 / np.sqrt(n1))) ** 2 for n1 in np.linspace(10.5, 200, 200_000))
        self.assertAlmostEqual(float(found.sum()), brute, places=3)

    def test_standard_errors_share_out_by_themselves(self) -> None:
        """Minimum of n1 + n2 under V1 / n1 + V2 / n2 = T^2: n is as the root of V."""
        squares, done = np.array([16.0, 1.0]), np.array([1.0, 1.0])
        found = _shared_out(0 * squares, squares, done, 0.25)
        self.assertAlmostEqual(float((squares / found).sum()), 17 / 16, places=6)
        self.assertAlmostEqual(float(found[0] / found[1]), 4.0, places=6)

    def test_of_both_at_once_it_is_near_the_fewest(self) -> None:
        """Against a search over all ways to share out."""
        across, along = np.array([2.0, 0.3]), np.array([0.5, 9.0])
        found = _shared_out(across, along, np.ones(2), 0.25)

        def wide(n: np.ndarray) -> np.ndarray:
            return (across / np.sqrt(n)).sum(-1) + np.sqrt((along / n).sum(-1))

        aimed = 0.25 * float(wide(np.ones(2)))
        self.assertAlmostEqual(float(wide(found)), aimed, places=6)
        tried = np.stack(np.meshgrid(*[np.linspace(1, 120, 1200)] * 2), axis=-1).reshape(-1, 2)
        fewest = float(tried.sum(-1)[wide(tried) <= aimed].min())
        self.assertLess(float(found.sum()), 1.03 * fewest)

    def test_what_has_enough_stays(self) -> None:
        found = _shared_out(np.array([1.0, 0.0]), np.zeros(2), np.array([16.0, 16.0]), 0.5)
        self.assertAlmostEqual(found[0], 64.0, places=2)
        self.assertEqual(found[1], 16.0)

    def test_a_picture_is_the_same_in_steps_and_at_once(self) -> None:
        whole = render(FLATS[0], LOOK, replace(QUALITY, samples=16))
        making = Rendering(Threads(2), FLATS[0], LOOK, QUALITY)
        for count in (2, 6, 16):
            making.more([count] * len(making.tiles))
        stepped = making.picture()
        np.testing.assert_allclose(stepped.radiance, whole.radiance, rtol=1e-5, atol=1e-6)
        self.assertEqual((stepped.samples, stepped.counts, stepped.rays), (16, None, whole.rays))

    def test_uneven_samples_are_weighed_by_what_each_pixel_has(self) -> None:
        """A tile with 24 samples shows what an even picture with 24 shows there, and no other tile does."""
        even = {count: render(FLATS[0], LOOK, replace(QUALITY, samples=count)) for count in (8, 24)}
        making = Rendering(Threads(2), FLATS[0], LOOK, QUALITY, even[8])
        making.more([24, *[8] * (len(making.tiles) - 1)])
        mixed = making.picture()
        assert mixed.counts is not None
        self.assertEqual((mixed.samples, int(mixed.counts[0, 0]), int(mixed.counts[-1, -1])), (8, 24, 8))
        np.testing.assert_allclose(
            mixed.radiance[:TILE, :TILE], even[24].radiance[:TILE, :TILE], rtol=1e-4, atol=1e-5
        )
        np.testing.assert_allclose(
            mixed.radiance[TILE:, TILE:], even[8].radiance[TILE:, TILE:], rtol=1e-4, atol=1e-5
        )
        self.assertAlmostEqual(mixed.spent, 8 + 16 * TILE * TILE / (128 * 96), places=6)


class Known(TestCase):
    def test_it_ends_when_the_subject_is_known_and_the_truth_lies_within(self) -> None:
        exact = [render(flat, LOOK, replace(QUALITY, samples=1024, seed=9)) for flat in FLATS]
        truth = compare(*exact, EV, ("a", "b"), ("a", "b"), quick=True).subject.value
        for within in (0.1, 0.009):
            pair = refined(FLATS, LOOK, QUALITY, EV, aim_of(within))
            subject = compare(*pair, EV, ("a", "b"), ("a", "b"), quick=True).subject
            self.assertLessEqual((subject.high - subject.low) / 2, within)
            self.assertTrue(subject.low <= truth <= subject.high, f"{truth} of {subject}")
            self.assertTrue(np.array_equal(counts(pair[0]), counts(pair[1])))

    def test_fewer_samples_than_an_even_spread(self) -> None:
        """The room before nothing: half of the frame needs no samples."""
        look = replace(LOOK, yfov_rad=1.2)
        pair = refined(FLATS, look, QUALITY, EV, aim_of(0.003))
        reached = half_width(pair)
        count, too_few = 8, 0
        while (
            half_width(tuple(render(flat, look, replace(QUALITY, samples=count)) for flat in FLATS)) > reached
        ):
            count, too_few = 2 * math.ceil(0.6 * count), count
        self.assertLess(pair[0].spent, 0.7 * too_few)

    def test_the_same_is_asked_and_the_same_is_drawn(self) -> None:
        first, again = (refined(FLATS, LOOK, QUALITY, EV, aim_of(0.3))[1] for _ in range(2))
        self.assertTrue(np.array_equal(first.radiance, again.radiance))

    def test_what_was_drawn_is_gone_on_from(self) -> None:
        coarse = refined(FLATS, LOOK, QUALITY, EV, aim_of(0.5))
        steps: list[float] = []
        fine = refined(
            FLATS,
            LOOK,
            QUALITY,
            EV,
            aim_of(0.008),
            on_step=lambda pair: steps.append(pair[0].spent),
            start=coarse,
        )
        self.assertGreater(steps[0], coarse[0].spent)
        self.assertTrue((counts(fine[0]) >= counts(coarse[0])).all())

    def test_a_side_that_was_stopped_catches_up(self) -> None:
        """As a proof leaves them that was stopped while the arrival was drawn."""
        before = render(FLATS[0], LOOK, replace(QUALITY, samples=24))
        pair = refined(FLATS, LOOK, replace(QUALITY, samples=24), EV, aim_of(0.001), start=(before, None))
        self.assertEqual([(one.samples, one.counts) for one in pair], [(24, None), (24, None)])
        meant = render(FLATS[1], LOOK, replace(QUALITY, samples=24))
        np.testing.assert_allclose(pair[1].radiance, meant.radiance, rtol=1e-4, atol=1e-5)

    def test_no_more_than_the_most(self) -> None:
        pair = refined(FLATS, LOOK, replace(QUALITY, samples=10), EV, aim_of(0.001))
        self.assertLessEqual(pair[0].spent, 10)

    def test_equal_sides_are_known_at_once(self) -> None:
        pair = refined((FLATS[0], FLATS[0]), LOOK, QUALITY, EV, aim_of(0.05))
        self.assertLessEqual(pair[0].spent, 8)
        tiles = Rendering(Threads(2), FLATS[0], LOOK, QUALITY).tiles
        standing = stand(pair, EV, tiles, Aim(0.05, 0.3))
        self.assertTrue(standing.known)

    def test_a_proof_asks_for_it(self) -> None:
        heard: list[str] = []
        proof = move.prove(
            ball_room(),
            painted((0.7, 0.5, 0.4)),
            [LOOK],
            QUALITY,
            EV,
            progress=lambda fraction, words: heard.append(words),
            within=0.3,
        )
        subject = proof.worst.comparison.subject
        self.assertLessEqual((subject.high - subject.low) / 2, 0.3)
        self.assertTrue(any("times what is asked" in words or "first samples" in words for words in heard))


class Interval(TestCase):
    def test_few_pixels_that_differ_are_not_taken_for_many(self) -> None:
        """One in a hundred differs by 10 under noise of 0.8: a tenth in the mean, a tenth is told."""
        found = figure_of(noisy(np.where(np.arange(60_000) % 100 == 0, 10.0, 0.0), 0.5))
        self.assertAlmostEqual(found.value, 0.1, delta=0.02)
        self.assertTrue(found.low <= 0.1 <= found.high)

    def test_the_interval_narrows_with_the_noise_whatever_the_pixels_are(self) -> None:
        apart = np.random.default_rng(6).lognormal(0, 1.2, 40_000)
        widths = []
        for spread_of in (0.4, 0.1, 0.025):
            found = figure_of(noisy(apart, spread_of))
            self.assertTrue(found.low <= apart.mean() <= found.high)
            widths.append(found.high - found.low)
        self.assertLess(widths[1], 0.5 * widths[0])
        self.assertLess(widths[2], 0.5 * widths[1])


def counts(picture: Picture) -> np.ndarray:
    return picture.counts if picture.counts is not None else np.full(picture.even.shape[:2], picture.samples)


def half_width(pair: tuple[Picture, ...]) -> float:
    subject = compare(pair[0], pair[1], EV, ("a", "b"), ("a", "b"), quick=True).subject
    return (subject.high - subject.low) / 2
