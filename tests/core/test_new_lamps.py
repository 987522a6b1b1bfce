"""Lamps that a picture asks for: put where they are, by pictures of scenes that had them."""

from __future__ import annotations

import math
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Any, NamedTuple
from unittest import TestCase, mock

import numpy as np
from scipy.optimize import nnls

from demo.shapes import ball
from tests.core.test_light_match import ALL, picture_of, pools
from tests.core.test_lit import route_of
from tests.making import material, quad, scene
from tests.outside import VIEW, counter
from trasloco.errors import Refused
from trasloco.light.mixing import darkened
from trasloco.outside.camera import FoundCamera
from trasloco.outside.light_match import Lamps, LightMatch
from trasloco.outside.new_lamps import MOST, NewLamp, find_lamps
from trasloco.outside.nonnegative import explained
from trasloco.outside.showing import Floats, Shown, displayed_by
from trasloco.outside.turning import lamps_of
from trasloco.outside.unknown_colors import matched_coloring
from trasloco.progress import silent
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render
from trasloco.results.light_matching import AskedMatch, match_light
from trasloco.results.outside import light_png
from trasloco.results.own_pictures import Lying, camera_json
from trasloco.results.proposed_lamps import proposed_rows
from trasloco.scene.color import linear_to_srgb, luminance, srgb_to_linear
from trasloco.scene.lit import Light
from trasloco.scene.model import Decision, Doubles, Node, Primitive, Scene
from trasloco.scene.transforms import compose, looking

QUALITY = Quality(160, 90, 24, 3)
LARGER = Quality(240, 135, 24, 3)
"""Where a lamp is the only one: how far off it stands is told by how its light falls off alone."""
WARM, WHITE = (1.0, 0.8, 0.5), (1.0, 1.0, 1.0)


class Found(NamedTuple):
    lamps: tuple[NewLamp, ...]
    match: LightMatch


def with_lamp(given: Scene, light: Light, matrix: Doubles) -> Scene:
    return replace(
        given,
        lights={**given.lights, light.id: light},
        nodes={**given.nodes, "part:x": Node("part:x", "x", None, matrix, light=light.id)},
    )


def photographed(given: Scene, quality: Quality | None = None) -> Floats:
    """In eight bits, by a curve, with other random numbers; display light."""
    light = render(flatten(given), VIEW, replace(quality or QUALITY, samples=48, seed=7)).radiance
    stops = -math.log2(float(np.percentile(light, 95)))
    codes = np.round(linear_to_srgb(displayed_by(light, Shown("filmic", stops))) * 255) / 255
    return srgb_to_linear(codes.astype(np.float32))


@contextmanager
def few_tries(most: int = MOST, larger: bool = False) -> Iterator[None]:
    """Fewer places, steps and lamps than are looked for otherwise, in smaller pictures."""
    tried = {} if larger else {"_TRIED": Quality(160, 90, 8, 3), "_COARSE": Quality(80, 45, 5, 2)}
    with (
        mock.patch("trasloco.outside.new_lamps.MOST", most),
        mock.patch.multiple("trasloco.outside.lamp_trial", _SPOTS=3, _STEPS=5, **tried),
        mock.patch("trasloco.outside.spot_places._ROOM", (4, 3, 4)),
    ):
        yield


def looked_for(given: Scene, picture: Floats, curve: str = "") -> Found:
    made = render(flatten(given, "apart"), VIEW, QUALITY)
    where = made.ids[..., 0] >= 0
    return Found(*find_lamps(given, VIEW, QUALITY, picture, made, lamps_of(made), where, curve))


def soon_found(given: Scene, picture: Floats, most: int = MOST, curve: str = "filmic") -> Found:
    with few_tries(most):
        return looked_for(given, picture, curve)


def floor() -> Scene:
    """A ball on a matte floor under a lamp."""
    shape = ball(0.35)
    round = Primitive(
        (shape.positions + np.array([0.2, 0.35, 0.1])).astype(np.float32),
        shape.triangles.astype(np.uint32),
        shape.normals.astype(np.float32),
        material="material:matte",
    )
    matte = material("matte", base_color=(0.5, 0.5, 0.5), roughness=(1.0,), specular=(0.0,))
    lamp = Light("light:lamp", "Lamp", "point", intensity=20.0)
    return scene(
        round,
        quad(5.0, "material:matte"),
        materials=(matte,),
        names=("Ball", "Floor"),
        lights=((lamp, compose((-1.5, 2.5, 1.5))),),
    )


class Missing(TestCase):
    def test_a_sun_is_found_by_its_shadows_and_a_point_by_its_light(self) -> None:
        toward = np.array([0.35, 0.8, 0.4]) / np.linalg.norm([0.35, 0.8, 0.4])
        sun = Light("light:x", "x", "sun", intensity=6.0, color=WARM)
        given = counter(1)
        truth = with_lamp(given, sun, looking(list(5 * toward), (0, 0, 0)))
        found = soon_found(given, photographed(truth))
        (lamp,) = found.lamps
        self.assertEqual(lamp.light.kind, "sun")
        self.assertLess(math.degrees(math.acos(min(float(lamp.matrix[:3, 2] @ toward), 1.0))), 2.0)
        self._is_the_lamp(found, sun)

        place = np.array([-0.8, 1.4, 1.0])
        point = Light("light:x", "x", "point", intensity=7.0, color=WARM)
        given = counter(2)
        truth = with_lamp(given, point, looking(list(place), (0.0, 0.0, 0.1)))
        found = soon_found(given, photographed(truth))
        (lamp,) = found.lamps
        self.assertEqual(lamp.light.kind, "point")
        self.assertLess(float(np.linalg.norm(lamp.matrix[:3, 3] - place)), 0.1)
        self._is_the_lamp(found, point)

    def test_a_spot_is_found_by_its_pool_of_light(self) -> None:
        place, aim = [1.1, 1.5, 1.2], [-0.3, 0.0, 0.2]
        spot = Light(
            "light:x", "x", "spot", intensity=40.0, color=WARM, inner_cone_rad=0.3, outer_cone_rad=0.44
        )
        matrix = looking(place, aim)
        given = floor()
        found = soon_found(given, photographed(with_lamp(given, spot, matrix)), most=1)
        (lamp,) = found.lamps
        self.assertEqual(lamp.light.kind, "spot")
        # How far off it stands is hardly to be told from how strong it is; from where it comes, is.
        self.assertGreater(float(lamp.matrix[:3, 2] @ matrix[:3, 2]), math.cos(math.radians(15)))
        # Where its axis meets the table, and how wide it is there.
        eye, way = lamp.matrix[:3, 3], -lamp.matrix[:3, 2]
        pool = eye - way * eye[1] / way[1]
        self.assertLess(float(np.linalg.norm(pool - aim)), 0.15)
        wide = float(np.linalg.norm(pool - eye)) * math.tan(lamp.light.outer_cone_rad)
        meant = float(np.linalg.norm(np.subtract(aim, place))) * math.tan(0.44)
        self.assertAlmostEqual(wide / meant, 1, delta=0.15)
        self.assertLess(found.match.after, 0.7 * lamp.before)

    def test_a_sheet_of_light_is_found_by_how_soft_its_shadows_are(self) -> None:
        place, aim, sides = [1.1, 1.6, 1.0], [-0.2, 0.0, 0.1], (1.2, 0.4)
        sheet = Light(
            "light:x", "x", "rectangle", intensity=80.0, color=WARM, width_m=sides[0], height_m=sides[1]
        )
        matrix = looking(place, aim)
        given = floor()
        # Which curve it was shown by is not said: without the lamp, another one seems likelier.
        found = soon_found(given, photographed(with_lamp(given, sheet, matrix)), most=1, curve="")
        (lamp,) = found.lamps
        self.assertEqual(lamp.light.kind, "rectangle")
        self.assertLess(float(np.linalg.norm(lamp.matrix[:3, 3] - place)), 0.15)
        self.assertGreater(float(lamp.matrix[:3, 2] @ matrix[:3, 2]), math.cos(math.radians(5)))
        # Its long side lies as that of the sheet does, and what it shines with is spread over as much.
        wide, high = lamp.light.width_m, lamp.light.height_m
        long = lamp.matrix[:3, 0] if wide > high else lamp.matrix[:3, 1]
        self.assertGreater(abs(float(long @ matrix[:3, 0])), math.cos(math.radians(20)))
        np.testing.assert_allclose(sorted((wide, high)), sorted(sides), rtol=0.25)
        self.assertLess(found.match.after, 0.1 * lamp.before)

    def _is_the_lamp(self, found: Found, meant: Light) -> None:
        """As strong as it was against the lamps that are there, and of its colour."""
        others = [one.gain for one in found.match.lamps[:-1] if one.share > 0.05]
        strength = found.match.lamps[-1].gain / float(np.median(others))
        self.assertAlmostEqual(
            strength / (meant.intensity * float(luminance(np.array(meant.color)))), 1, delta=0.1
        )
        color = np.array(found.lamps[0].light.color)
        np.testing.assert_allclose(color / color[0], np.array(meant.color) / meant.color[0], atol=0.06)
        self.assertLess(found.match.after, 0.9 * found.lamps[0].before)

    def test_where_none_is_missing_none_is_proposed(self) -> None:
        given = counter(3)
        dimmed = replace(
            given, lights={id: replace(one, intensity=one.intensity / 3) for id, one in given.lights.items()}
        )
        self.assertEqual(soon_found(dimmed, photographed(given)).lamps, ())

    def test_on_the_route_a_dark_stage_is_lit_where_that_is_asked_for(self) -> None:
        dark = darkened(counter(1))
        given = replace(dark, lights={}, nodes={id: replace(n, light=None) for id, n in dark.nodes.items()})
        point = Light("light:x", "x", "point", intensity=9.0)
        truth = with_lamp(given, point, looking((0.9, 1.6, 1.2), (0.0, 0.0, 0.1)))
        picture = photographed(truth, LARGER)
        reaches = np.ones(picture.shape, np.float32)
        camera = camera_json(FoundCamera(VIEW.matrix, VIEW.yfov_rad))
        lying = Lying(light_png(picture), light_png(reaches), camera, "filmic")
        route = route_of(given)
        with mock.patch("trasloco.results.light_matching.QUALITY", LARGER), few_tries(1, True):
            with self.assertRaises(Refused) as told:
                match_light(route, lying, AskedMatch(), silent)
            self.assertIn("Look for lamps", told.exception.remedy)
            found = match_light(route, lying, AskedMatch(new_lamps=True), silent).told
        # Nothing that was not there is told of.
        self.assertEqual([one["label"] for one in found["lamps"] if not one.get("new")], [])
        row = max(found["lamps"], key=lambda one: one["share"])
        self.assertGreater(row["share"], 0.98)
        made = route.mended_with([Decision(d["target"], d["field"], d["value"]) for d in row["decisions"]])
        ((id, light),) = made.lights.items()
        self.assertEqual(light.kind, "point")
        (place,) = (made.world_matrices()[n.id][:3, 3] for n in made.nodes.values() if n.light == id)
        self.assertLess(float(np.linalg.norm(place - [0.9, 1.6, 1.2])), 0.15)
        self.assertLess(found["after"], found["before"] / 2)


class Solving(TestCase):
    def test_the_colour_of_a_lamp_is_what_it_adds_whether_others_have_theirs_found_or_not(self) -> None:
        rng = np.random.default_rng(6)
        layers = pools(rng, 2)
        color = np.array([1.6, 0.9, 0.3])
        picture = picture_of(layers[0] + layers[1] * color, Shown("none", -2.5))
        lamps = Lamps(("a",), np.stack([layers[:1]] * 2).astype(np.float32))
        layer = np.stack([layers[1]] * 2).astype(np.float32)
        for colors in (False, True):
            found = matched_coloring(picture, lamps.with_one("new", layer), ALL, "none", colors, anchor="a")
            self.assertEqual([one.name for one in found.lamps], ["a", "new"])
            new = found.lamps[-1]
            np.testing.assert_allclose(np.array(new.color) / new.color[0], color / color[0], rtol=0.03)
            self.assertAlmostEqual(float(luminance(np.array(new.color))), 1.0, places=5)
            self.assertAlmostEqual(new.gain, float(luminance(color)), delta=0.03)

    def test_what_weights_explain_is_what_a_library_finds(self) -> None:
        rng = np.random.default_rng(3)
        for _ in range(5):
            a, y = rng.normal(size=(40, 6)), rng.normal(size=40) + 1
            _, left = nnls(a, y)
            self.assertAlmostEqual(float(y @ y) - explained(a.T @ a, a.T @ y), left**2, places=6)


class Decided(TestCase):
    def test_what_is_decided_is_the_lamp_that_was_found(self) -> None:
        route = route_of(counter(1))
        matrix = looking((1.0, 2.0, 3.0), (0.0, 0.5, 0.0))
        light = Light("light:new", "new", "point", (1.2, 0.9, 0.6), 1.0, radius_m=0.07)
        lamp: Any = mock.Mock(matrix=matrix, light=light, before=3.0, after=1.0)
        one: Any = mock.Mock(gain=5.0, unsure=0.1, share=0.4, color=(1.0, 1.0, 1.0), sure=True)
        one.name = "new 1"
        (row,) = proposed_rows(route, route.reference(), [lamp], [one], [""])
        self.assertTrue(row["new"])
        made = route.mended_with([Decision(d["target"], d["field"], d["value"]) for d in row["decisions"]])
        (id,) = set(made.lights) - set(route.reference().lights)
        got = made.lights[id]
        (node,) = (node for node in made.nodes.values() if node.light == id)
        np.testing.assert_allclose(made.world_matrices()[node.id], matrix, atol=1e-6)
        self.assertEqual((got.kind, got.radius_m), ("point", 0.07))
        sent, meant = np.array(got.color) * got.intensity, np.array(light.color) * 5.0
        bright = float(luminance(np.array(light.color)))
        np.testing.assert_allclose(sent, meant / bright, rtol=1e-6)  # one candela of it is white's brightness

    def _taken(self, light: Light, tint: tuple[float, float, float] = WHITE) -> tuple[dict[str, Any], Light]:
        """What is told of a new lamp of 50 lux, candela or nit, and the lamp where that is decided."""
        route = route_of(counter(1))
        stands = looking((1.0, 2.0, 3.0), (0.0, 0.5, 0.0))
        lamp: Any = mock.Mock(matrix=stands, light=light, before=3.0, after=1.0)
        one: Any = mock.Mock(gain=50.0, unsure=0.1, share=0.4, color=tint, sure=True)
        one.name = "new 1"
        (row,) = proposed_rows(route, route.reference(), [lamp], [one], [""])
        made = route.mended_with([Decision(d["target"], d["field"], d["value"]) for d in row["decisions"]])
        (id,) = set(made.lights) - set(route.reference().lights)
        return row, made.lights[id]

    def test_what_a_tint_takes_away_goes_into_the_strength(self) -> None:
        """Each channel as strong as it was found: of the light's own colour, its tint, and its gain."""
        own, tint = np.array([1.5, 0.95, 0.28]), (0.6, 1.0, 2.0)
        red, green, blue = (float(v) for v in own / luminance(own))
        light = Light("light:new", "new", "point", (red, green, blue))
        _, got = self._taken(light, tint)
        wanted = np.array(light.color) * tint * 50.0
        np.testing.assert_allclose(np.array(got.color) * got.intensity, wanted, rtol=1e-6)

    def test_a_sheet_that_is_decided_has_its_sides(self) -> None:
        row, got = self._taken(Light("light:new", "new", "rectangle", width_m=1.2, height_m=0.3))
        self.assertIn("a sheet of light", row["label"])
        self.assertIn("1.20 by 0.30 m", row["label"])
        self.assertEqual((got.kind, got.width_m, got.height_m, got.intensity), ("rectangle", 1.2, 0.3, 50.0))

    def test_a_spot_that_is_decided_has_its_cone_and_size(self) -> None:
        row, got = self._taken(Light("light:new", "new", "spot", WHITE, 1.0, 0.2, 0.5, radius_m=0.04))
        self.assertIn("a spot", row["label"])
        self.assertIn("about", row["label"])
        self.assertEqual((got.kind, got.radius_m), ("spot", 0.04))
        np.testing.assert_allclose([got.inner_cone_rad, got.outer_cone_rad], [0.2, 0.5], rtol=1e-9)
