"""How a move is seen first: where a view stands, and the still that is drawn from there."""

from __future__ import annotations

import io
import math
from dataclasses import replace
from unittest import TestCase

import numpy as np
from PIL import Image as Pillow

from tests.core.test_lit import route_of, stage
from tests.making import cube, material, scene
from trasloco.results import opening as openings
from trasloco.results.next_asked import make_ready
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.lit import Light
from trasloco.scene.model import Decision, Doubles, Input, Node, Scene
from trasloco.scene.transforms import compose


def on_screen(found: openings.Opening, aspect: float, points: Doubles) -> Doubles:
    """Places (N, 3) as the picture has them: -1 to 1 both ways, by the pinhole's own definition."""
    inner = np.c_[points, np.ones(len(points))] @ np.linalg.inv(found.view.matrix).T
    slope = math.tan(found.view.yfov_rad / 2)
    return np.asarray(inner[:, :2] / -inner[:, 2:3] / (slope * aspect, slope))


def corners(low: float, high: float) -> Doubles:
    return np.array([[x, y, z] for x in (low, high) for y in (low, high) for z in (low, high)])


def lamplit() -> Scene:
    """A cube as red as can be, and one far away that was left out, under a lamp beside the eye."""
    held = scene(
        cube(material="material:Red"),
        cube(material="material:Red"),
        names=("Box", "Far"),
        materials=(material("Red", base_color=Input((0.8, 0.0, 0.0))),),
    )
    far = next(node for node in held.nodes.values() if node.name == "Far")
    lamp = Light("light:lamp", "Lamp", "point", intensity=3000.0)
    there = {
        far.id: replace(far, matrix=compose((60.0, 0.0, 0.0))),
        "part:lamp": Node("part:lamp", "Lamp", None, compose((1.5, 2.0, 4.0)), light=lamp.id),
    }
    return replace(held, nodes={**held.nodes, **there}, lights={lamp.id: lamp})


class Openings(TestCase):
    def test_the_subject_fills_the_picture_whatever_its_shape(self) -> None:
        left_out = [Decision("part:Far", "include", False)]
        for aspect in (0.5, 1.2, 3.0):
            with self.subTest(aspect):
                found = openings.opening(route_of(lamplit(), left_out), "mended", aspect)
                box = corners(-0.5, 0.5)
                box[box[:, 0] > 0, 0] += 0.14  # the staff stands beside it
                reach = np.abs(on_screen(found, aspect, box)).max(axis=0) / openings.FILLED
                self.assertAlmostEqual(float(reach.max()), 1.0, places=6)
                self.assertLessEqual(float(reach.min()), 1.0)
                np.testing.assert_allclose(found.target, box.mean(axis=0), atol=1e-6)

    def test_what_comes_along_is_looked_at_and_what_is_proposed_to_stay_does_not_shrink_it(self) -> None:
        route = route_of(lamplit())
        whole = openings.opening(route, "mended", 1.2)
        self.assertGreater(whole.reach_m, 30.0)
        (part,) = (node.id for node in route.reference().nodes.values() if node.name == "Far")
        leave = Mend("Leave it", (Decision(part, "include", False),))
        left_by_whom = Finding("stray", "stray", "A stray part", "Far", "It is in the way.", mends=(leave,))
        route.first_findings = lambda: [left_by_whom]  # type: ignore[method-assign]
        self.assertLess(openings.opening(route, "mended", 1.2).reach_m, 2.0)

    def test_a_still_shows_the_subject_where_the_view_has_it(self) -> None:
        route = route_of(lamplit(), [Decision("part:Far", "include", False)])
        shown = np.asarray(
            Pillow.open(io.BytesIO(openings.still(route, "mended", 1.5))).convert("RGB"), float
        )
        self.assertEqual(shown.shape, (openings.HEIGHT, 1.5 * openings.HEIGHT, 3))
        found = openings.opening(route, "mended", 1.5)
        x, y = on_screen(found, 1.5, np.array([[0.0, 0.0, 0.5]]))[0]  # the middle of its front
        column, row = int((x + 1) / 2 * shown.shape[1]), int((1 - y) / 2 * shown.shape[0])
        red = shown[row - 5 : row + 5, column - 5 : column + 5].mean(axis=(0, 1))
        self.assertGreater(red[0], 100.0)
        self.assertLess(red[1:].max(), 0.3 * red[0])
        self.assertLess(shown[:12].mean(), 12.0)  # nothing above it, and nothing lights that

    def test_it_is_made_ahead_in_the_shape_that_was_opened_last(self) -> None:
        route = route_of(stage())
        self.assertEqual(openings.expected_aspect(route.store), openings.ASPECT)
        openings.expect_aspect(route.store, 1.65)
        make_ready(route, lambda *_: None)
        self.assertTrue(route.store.has(openings.still_name(route, "mended", 1.65).key))
        self.assertFalse(route.store.has(openings.still_name(route, "mended", 1.2).key))
