"""Colour maths against published numbers."""

from unittest import TestCase

import numpy as np
from skimage.color import deltaE_ciede2000, rgb2lab

from trasloco.scene.color import delta_e, linear_to_lab, linear_to_srgb, srgb_to_linear

# Sharma, Wu and Dalal 2005, table 1.
PUBLISHED = [
    ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
    ((50.0, 3.1571, -77.2803), (50.0, 0.0, -82.7485), 2.8615),
    ((50.0, 2.8361, -74.0200), (50.0, 0.0, -82.7485), 3.4412),
    ((50.0, -1.3802, -84.2814), (50.0, 0.0, -82.7485), 1.0),
    ((50.0, 0.0, 0.0), (50.0, -1.0, 2.0), 2.3669),
    ((50.0, 2.49, -0.001), (50.0, -2.49, 0.0009), 7.1792),
    ((50.0, 2.49, -0.001), (50.0, -2.49, 0.0011), 7.2195),
    ((50.0, -0.001, 2.49), (50.0, 0.0009, -2.49), 4.8045),
    ((50.0, -0.001, 2.49), (50.0, 0.0011, -2.49), 4.7461),
    ((50.0, 2.5, 0.0), (50.0, 0.0, -2.5), 4.3065),
    ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
    ((50.0, 2.5, 0.0), (61.0, -5.0, 29.0), 22.8977),
    ((50.0, 2.5, 0.0), (56.0, -27.0, -3.0), 31.9030),
    ((50.0, 2.5, 0.0), (58.0, 24.0, 15.0), 19.4535),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ((63.0109, -31.0961, -5.8663), (62.8187, -29.7946, -4.0864), 1.2630),
    ((22.7233, 20.0904, -46.6940), (23.0331, 14.9730, -42.5619), 2.0373),
    ((90.8027, -2.0831, 1.4410), (91.1528, -1.6435, 0.0447), 1.4441),
]


class Color(TestCase):
    def test_ciede2000_matches_the_published_pairs(self) -> None:
        for first, second, expected in PUBLISHED:
            self.assertAlmostEqual(
                float(delta_e(np.array([first]), np.array([second]))[0]), expected, places=4
            )

    def test_lab_and_difference_agree_with_another_implementation(self) -> None:
        rng = np.random.default_rng(3)
        first, second = rng.random((200, 3)), rng.random((200, 3))
        ours = delta_e(linear_to_lab(srgb_to_linear(first)), linear_to_lab(srgb_to_linear(second)))
        theirs = deltaE_ciede2000(rgb2lab(first), rgb2lab(second))
        self.assertLess(float(np.abs(ours - theirs).max()), 0.02)

    def test_srgb_curve_has_the_values_of_iec_61966(self) -> None:
        self.assertAlmostEqual(float(srgb_to_linear(np.array(0.5))), 0.21404114, places=6)
        self.assertAlmostEqual(float(srgb_to_linear(np.array(0.04045))), 0.04045 / 12.92, places=7)
        self.assertAlmostEqual(float(linear_to_srgb(np.array(0.18))), 0.46135612, places=5)

    def test_every_8_bit_code_survives_the_round_trip(self) -> None:
        codes = np.arange(256)
        self.assertTrue(
            (np.round(linear_to_srgb(srgb_to_linear(codes / 255)) * 255).astype(int) == codes).all()
        )
