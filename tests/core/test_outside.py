"""What went wrong over there: pictures found, light shown as it was, and single faults of strangers named."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from scipy import ndimage

from tests.making import material, quad, scene
from tests.outside import VIEW, counter, picture_of
from trasloco.outside.bends import BENDS, BY_KEY
from trasloco.outside.diagnosis import diagnose
from trasloco.outside.registering import Alignment, aligned, laid_over
from trasloco.outside.showing import CURVES, Shown, best_shown, displayed_by
from trasloco.render.picture import Quality
from trasloco.scene.model import Input, Texture

SMALL = Quality(160, 90, 12, 3)
TRIED = (
    "gloss",
    "green",
    "no normals",
    "colour as numbers",
    "no tint",
    "upside down",
    "lamps pi",
    "no alpha",
)


class Laid(TestCase):
    def test_a_picture_is_found_where_it_was_put(self) -> None:
        rng = np.random.default_rng(3)
        field = ndimage.gaussian_filter(rng.random((120, 200, 3)), (4, 4, 0))
        base = np.asarray((field > np.median(field)) * 0.7 + 0.05, np.float32)
        for put in (Alignment(1.0, 0, 7, -4), Alignment(1.12, 0.015, -9, 5), Alignment(0.86, -0.01, 4, 6)):
            picture, _ = laid_over(base, put)
            found = aligned(picture, base)
            # It was put by a place of the base for each of the picture: found is the way back.
            self.assertAlmostEqual(found.scale * put.scale, 1.0, delta=0.006)
            self.assertAlmostEqual(found.angle_rad + put.angle_rad, 0.0, delta=0.004)
            back, inside = laid_over(picture, found)
            self.assertLess(float(np.abs(back - base)[inside].mean()), 0.06)
            self.assertTrue(found.found)

    def test_what_shows_something_else_is_not_found(self) -> None:
        rng = np.random.default_rng(4)
        one, other = (
            np.asarray(ndimage.gaussian_filter(rng.random((90, 160, 3)), (3, 3, 0)), np.float32)
            for _ in range(2)
        )
        self.assertFalse(aligned(one, other).found)


class Light(TestCase):
    def test_exposure_and_curve_are_found(self) -> None:
        radiance = np.random.default_rng(2).lognormal(2.0, 1.4, (4000, 3)).astype(np.float32)
        for curve in CURVES:
            shown = Shown(curve, -3.37)
            found = best_shown(radiance, displayed_by(radiance, shown))
            self.assertEqual(found.curve, curve)
            self.assertAlmostEqual(found.stops, shown.stops, delta=0.03)


class Bent(TestCase):
    def test_upside_down_reads_the_other_row(self) -> None:
        texture = Texture("image:a", "rgb", "srgb", offset=(0.2, 0.1), rotation_rad=0.4, scale=(1.5, 0.7))
        given = scene(quad(), materials=(material("m", base_color=Input((1.0, 1.0, 1.0), texture)),))
        bent = BY_KEY["upside down"].bend(given)
        assert bent is not None
        other = next(iter(bent.materials.values())).inputs["base_color"].texture
        assert other is not None

        def placed(t: Texture, u: float, v: float) -> np.ndarray:
            """KHR_texture_transform: translation x rotation x scale, v running down."""
            c, s = np.cos(t.rotation_rad), np.sin(t.rotation_rad)
            return np.array(t.offset) + np.array([[c, s], [-s, c]]) @ (np.array([u, v]) * t.scale)

        for u, v in ((0.1, 0.2), (0.7, 0.9)):
            np.testing.assert_allclose(placed(other, u, v), placed(texture, u, 1 - v), atol=1e-12)

    def test_every_way_changes_the_counter_or_has_nothing_to_change(self) -> None:
        given = counter()
        none = {bend.key for bend in BENDS if bend.bend(given) is None}
        self.assertEqual(none, {"painted", "not painted", "no glass", "no sheen"} & none)
        self.assertLessEqual(len(none), 4)

    def test_what_lies_on_its_back_does_not_fall_on_its_face_as_well(self) -> None:
        fallen = BY_KEY["tipped"].bend(counter())
        assert fallen is not None
        self.assertIsNone(BY_KEY["tipped forward"].bend(fallen))


class Named(TestCase):
    """Faults that strangers planted, seen in one picture each."""

    def test_single_faults_are_first_and_a_sound_one_is_fine(self) -> None:
        given = counter(3)
        bends = [BY_KEY[key] for key in TRIED]
        for number, key in enumerate(("green", "no tint")):
            with self.subTest(key):
                picture = picture_of(given, (BY_KEY[key],), 10 + number)
                found = diagnose(given, picture, VIEW, SMALL, bends=bends)
                self.assertTrue(found.alignment.found)
                self.assertEqual([bend.key for bend in found.explanations[0].bends], [key])
                self.assertGreater(found.explanations[0].share, 0.5)
        sound = diagnose(given, picture_of(given, (), 20), VIEW, SMALL, bends=bends)
        self.assertTrue(sound.fine)
        self.assertFalse(sound.sure)

    def test_what_fell_on_its_face_is_found_where_it_lies_and_what_else_is_wrong_with_it(self) -> None:
        given = counter(4)
        both = tuple(BY_KEY[key] for key in ("tipped forward", "upside down"))
        bends = [*(BY_KEY[key] for key in TRIED if key != both[1].key), *both]
        found = diagnose(given, picture_of(given, both, 3), VIEW, SMALL, bends=bends)
        self.assertGreater(found.alignment.score, 0.6)
        first = found.explanations[0]
        self.assertEqual({bend.key for bend in first.bends}, {bend.key for bend in both})
        (alone,) = (one for one in found.explanations if [b.key for b in one.bends] == ["tipped forward"])
        self.assertLess(first.delta_e, alone.delta_e)

    def test_what_lies_on_its_back_is_found_though_another_way_would_fill_the_frame(self) -> None:
        """Nothing tells then what stands behind all of them; the picture does, where this one is not."""
        given, keys = counter(3), ("tipped", "tipped forward", "colour as numbers", "no emission")
        bends = [BY_KEY[key] for key in keys]
        found = diagnose(given, picture_of(given, (BY_KEY["tipped"],), 1029), VIEW, SMALL, bends=bends)
        self.assertTrue(found.sure)
        self.assertEqual([bend.key for bend in found.explanations[0].bends], ["tipped"])
        self.assertGreater(found.explanations[0].share, 0.8)

    def test_no_way_is_tried_twice(self) -> None:
        given = counter(3)
        bends = [BY_KEY[key] for key in ("green", "no tint", "gloss")]
        found = diagnose(given, picture_of(given, tuple(bends[:2]), 4), VIEW, SMALL, bends=bends)
        # Three ways alone, and each two of them.
        self.assertEqual(found.tried, 6)
        self.assertEqual({bend.key for bend in found.explanations[0].bends}, {"green", "no tint"})

    def test_where_only_what_glows_is_seen_both_that_lit_it_are_missed(self) -> None:
        given = counter(1)
        dark = (BY_KEY["lamps off"], BY_KEY["no surroundings"])
        some = [BY_KEY[key] for key in ("lamps off", "no surroundings", "no images", "tipped", "tint twice")]
        found = diagnose(given, picture_of(given, dark[::-1], 68), VIEW, SMALL, bends=some)
        self.assertTrue(found.sure)
        self.assertEqual(found.explanations[0].bends, dark)
        self.assertGreater(found.explanations[0].share, 0.8)

    def test_a_black_picture_says_that_nothing_lights_it(self) -> None:
        found = diagnose(counter(3), np.zeros((90, 160, 3), np.float32), VIEW, SMALL, bends=[BY_KEY["green"]])
        self.assertEqual([bend.key for bend in found.explanations[0].bends], ["lamps off", "no surroundings"])
