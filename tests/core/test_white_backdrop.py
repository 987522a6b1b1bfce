"""A backdrop that is white in the picture, at any exposure."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from tests.core.test_arrival import rich
from tests.core.test_lit import route_of
from trasloco.render.exposure import displayed
from trasloco.results.backdrops import white, white_nit
from trasloco.results.lit import exposure
from trasloco.scene.model import Decision


class White(TestCase):
    def test_it_is_shown_as_white_and_barely_more(self) -> None:
        for ev in (-3.0, 0.0, 7.5, 15.0):
            nit = white_nit(ev)
            shown = displayed(np.full((1, 1, 3), nit, np.float32), ev)
            self.assertEqual(shown.min(), 255)
            # A stop less is no white any more.
            self.assertLess(displayed(np.full((1, 1, 3), nit / 2, np.float32), ev).max(), 250)

    def test_it_follows_the_exposure_that_was_fixed(self) -> None:
        for ev in (2.0, 9.0):
            route = route_of(rich(), [Decision("proof", "ev100", ev)])
            self.assertEqual(exposure(route), ev)
            (made,) = white(route)
            after = route.mended_with([made])
            assert after.backdrop is not None
            self.assertAlmostEqual(after.backdrop.level, white_nit(ev), delta=1e-3 * white_nit(ev))
