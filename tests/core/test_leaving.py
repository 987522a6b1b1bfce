"""What is made while nothing waits is left within a moment of being asked to: every picture on its way hears of it."""

from __future__ import annotations

from unittest import TestCase

from tests.core.test_lit import route_of, stage
from tests.making import cube, material, scene
from trasloco.errors import Cancelled
from trasloco.fit.nearest.surroundings import three
from trasloco.progress import Progress
from trasloco.proof.apart import Apart
from trasloco.render.picture import Quality, framing
from trasloco.results.opening import still
from trasloco.results.three_lights import pictures

SMALL = Quality(32, 32, 64, 2)


def asked_at(fraction: float) -> Progress:
    """Asks to leave once so much is done."""

    def report(done: float, words: str) -> None:
        if done >= fraction:
            raise Cancelled

    return report


class Leaving(TestCase):
    def test_pictures_of_a_material_are_left_between_any_two(self) -> None:
        given = scene(cube(1.0, "material:a"), materials=(material("a", base_color=(0.5, 0.2, 0.1)),))
        for fraction in (0.0, 0.4, 0.8):
            with self.subTest(fraction), self.assertRaises(Cancelled):
                pictures(given, "material:a", three(), SMALL, asked_at(fraction))

    def test_what_a_deed_brings_is_left(self) -> None:
        given = stage()
        with self.assertRaises(Cancelled):
            Apart(given, framing(given), SMALL, 8.0, asked_at(0.0))
        apart = Apart(given, framing(given), SMALL, 8.0)
        with self.assertRaises(Cancelled):
            apart.of(given, asked_at(0.0))

    def test_a_still_is_left(self) -> None:
        with self.assertRaises(Cancelled):
            still(route_of(stage()), "mended", 1.2, asked_at(0.6))
