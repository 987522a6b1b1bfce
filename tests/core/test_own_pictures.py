"""One's own pictures: their cameras found by points and by likeness, and both sides held against them."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np
import numpy.typing as npt
from scipy.spatial.transform import Rotation

from tests.outside import VIEW, counter
from trasloco.errors import Refused
from trasloco.inventory.world import world_triangles
from trasloco.outside.camera import FoundCamera, camera_from_points, projected, straightened
from trasloco.outside.nearby import camera_nearby
from trasloco.outside.own_picture import hold
from trasloco.outside.showing import Shown, displayed_by
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, frame_of, render
from trasloco.scene.color import linear_to_srgb, srgb_to_linear
from trasloco.scene.transforms import looking

Doubles = npt.NDArray[np.float64]
WIDTH, HEIGHT = 1280, 720


def by_matrices(camera: FoundCamera, world: Doubles) -> Doubles:
    """Pixels by the perspective projection matrix of the glTF 2.0 specification, 3.10.3, with 1 px = 2 /
    width.
    """
    aspect, near = WIDTH / HEIGHT, 0.01
    f = 1 / math.tan(camera.yfov_rad / 2)
    project = np.array([[f / aspect, 0, 0, 0], [0, f, 0, 0], [0, 0, -1, -2 * near], [0, 0, -1, 0]])
    clip = np.c_[world, np.ones(len(world))] @ (project @ np.linalg.inv(camera.matrix)).T
    ndc = clip[:, :2] / clip[:, 3:]
    return np.stack([(ndc[:, 0] + 1) / 2 * WIDTH, (1 - ndc[:, 1]) / 2 * HEIGHT], axis=-1)


def drawn(rng: np.random.Generator, count: int, flat: bool = False) -> tuple[FoundCamera, Doubles, Doubles]:
    """A camera, places it sees and their pixels."""
    direction = rng.normal(size=3)
    direction[1] = abs(direction[1]) + 0.2
    eye = direction / np.linalg.norm(direction) * rng.uniform(3, 8)
    camera = FoundCamera(looking(list(eye), list(rng.normal(size=3) * 0.3)), rng.uniform(0.3, 1.2))
    world = np.zeros((0, 3))
    while len(world) < count:
        more = rng.uniform(-1.5, 1.5, (40, 3)) * ([1, 0, 1] if flat else [1, 1, 1])
        pixels = by_matrices(camera, more)
        world = np.concatenate([world, more[((pixels > 0) & (pixels < [WIDTH, HEIGHT])).all(axis=1)]])
    return camera, world[:count], by_matrices(camera, world[:count])


class ByPoints(TestCase):
    def test_eight_points_with_a_pixel_of_noise(self) -> None:
        """Seven numbers from sixteen: what is fitted of the noise is sqrt(2 x 7 / 16) = 0.94 px of distance."""
        rng = np.random.default_rng(5)
        for flat in (False, True):
            off = []
            for _ in range(16):
                _, world, pixels = drawn(rng, 8, flat)
                found = camera_from_points(world, pixels + rng.normal(size=pixels.shape), WIDTH, HEIGHT)
                apart = np.linalg.norm(projected(found, world, WIDTH, HEIGHT) - pixels, axis=1)
                off.append(float(np.sqrt((apart**2).mean())))
            self.assertLess(float(np.median(off)), 1.0)
            self.assertLess(max(off), 2.0)

    def test_without_noise_it_is_the_camera_itself(self) -> None:
        rng = np.random.default_rng(6)
        for _ in range(6):
            camera, world, pixels = drawn(rng, 8)
            found = camera_from_points(world, pixels, WIDTH, HEIGHT)
            np.testing.assert_allclose(found.matrix, camera.matrix, atol=1e-4)
            self.assertAlmostEqual(found.yfov_rad, camera.yfov_rad, 4)
            self.assertEqual((found.shift, found.bend, found.doubtful), ((0.0, 0.0), 0.0, ()))

    def test_a_wrong_point_is_borne_and_told(self) -> None:
        camera, world, pixels = drawn(np.random.default_rng(7), 10)
        pixels[3] += [90, -60]
        found = camera_from_points(world, pixels, WIDTH, HEIGHT)
        self.assertEqual(found.doubtful, (3,))
        self.assertLess(float(np.linalg.norm(found.matrix[:3, 3] - camera.matrix[:3, 3])), 0.25)

    def test_a_crop_is_found(self) -> None:
        """A quarter cut off on the left: the lens looks an eighth of the whole left of the new middle."""
        camera, world, pixels = drawn(np.random.default_rng(8), 14)
        keep = pixels[:, 0] > WIDTH / 4
        cut = pixels[keep] - [WIDTH / 4, 0]
        found = camera_from_points(world[keep], cut, WIDTH * 3 // 4, HEIGHT)
        self.assertAlmostEqual(found.shift[0], 1 / 6, 3)
        self.assertAlmostEqual(found.shift[1], 0, 3)
        self.assertAlmostEqual(found.yfov_rad, camera.yfov_rad, 3)
        view = found.view("cut", WIDTH * 0.75 / HEIGHT)
        eye, looks = frame_of(view, WIDTH * 3 // 4, HEIGHT)
        for place, pixel in zip(world[keep], cut, strict=True):
            way = (place - eye) / np.linalg.norm(place - eye)
            nearest = looks[int(pixel[1]), int(pixel[0])]
            self.assertLess(float(np.degrees(np.arccos(np.clip(way @ nearest, -1, 1)))), 0.12)

    def test_a_bend_of_the_lens_is_found_and_taken_out(self) -> None:
        """Brown's radial term: at distance one off the axis a place lies 1 + k times as far out."""
        camera, world, _ = drawn(np.random.default_rng(9), 24)
        bent = replace(camera, bend=-0.12)
        found = camera_from_points(world, projected(bent, world, WIDTH, HEIGHT), WIDTH, HEIGHT)
        self.assertAlmostEqual(found.bend, -0.12, 3)
        spot = np.zeros((HEIGHT, WIDTH, 3), np.float32)
        crooked = projected(bent, world[:1], WIDTH, HEIGHT)[0]
        x, y = (int(v) for v in crooked)
        spot[y - 2 : y + 3, x - 2 : x + 3] = 1
        plain, _ = straightened(spot, found)
        rows, columns = np.nonzero(plain[..., 0] > 0.3)
        straight = by_matrices(camera, world[:1])[0]
        np.testing.assert_allclose([columns.mean() + 0.5, rows.mean() + 0.5], straight, atol=1.2)

    def test_what_finds_no_camera_is_refused(self) -> None:
        _, world, pixels = drawn(np.random.default_rng(10), 8)
        line = np.linspace(0, 1, 8)[:, None] * [1.0, 0.5, 0.2]
        for places, seen in (
            (world[:5], pixels[:5]),
            (line, pixels),
            (world, np.full_like(pixels, 100.0)),
            (world, pixels[::-1]),
        ):
            with self.assertRaises(Refused):
                camera_from_points(places, seen, WIDTH, HEIGHT)


SMALL = Quality(240, 135, 6, 2)


class ByLikeness(TestCase):
    def test_a_camera_about_there_is_moved_onto_the_picture(self) -> None:
        scene = counter(3)
        flat, world = flatten(scene), world_triangles(scene)
        true = FoundCamera(VIEW.matrix, VIEW.yfov_rad)
        light = render(flat, VIEW, Quality(480, 270, 16, 3, seed=4)).radiance
        picture = displayed_by(light, Shown("filmic", -1.0))
        matrix = VIEW.matrix.copy()
        matrix[:3, :3] = matrix[:3, :3] @ Rotation.from_rotvec(np.radians([1.5, -2.0, 1.0])).as_matrix()
        matrix[:3, 3] += [0.12, -0.06, 0.1]
        start = FoundCamera(matrix, VIEW.yfov_rad * 1.04)

        def draw(view: View, width: int, height: int) -> object:
            return render(flat, view, Quality(width, height, 4, 2))

        found = camera_nearby(world, draw, start, picture)  # type: ignore[arg-type]
        self.assertTrue(found.found)
        places = world.positions[:: max(len(world.positions) // 200, 1)].astype(np.float64)
        seen = projected(true, places, 480, 270)
        apart = np.linalg.norm(projected(found.camera, places, 480, 270) - seen, axis=1)
        before = np.linalg.norm(projected(start, places, 480, 270) - seen, axis=1)
        self.assertGreater(float(np.median(before)), 10)
        self.assertLess(float(np.median(apart)), 0.5)

    def test_a_picture_of_something_else_is_not_found(self) -> None:
        scene = counter(3)
        flat = flatten(scene)
        rng = np.random.default_rng(2)
        noise = np.repeat(rng.uniform(0, 1, (27, 48, 1)), 10, axis=0).repeat(10, axis=1).repeat(3, axis=2)
        found = camera_nearby(
            world_triangles(scene),
            lambda view, width, height: render(flat, view, Quality(width, height, 2, 1)),
            FoundCamera(VIEW.matrix, VIEW.yfov_rad),
            noise.astype(np.float32),
        )
        self.assertFalse(found.found)


class Holding(TestCase):
    def test_a_picture_of_the_reference_lies_by_it_and_off_the_arrival(self) -> None:
        """The arrival is half as bright on one material; the picture is the reference by another curve."""
        scene = counter(3)
        worn = next(iter(scene.materials))
        dim = scene.materials[worn]
        base = dim.inputs["base_color"]
        bent = replace(
            scene,
            materials={
                **scene.materials,
                worn: replace(
                    dim,
                    inputs={
                        **dim.inputs,
                        "base_color": replace(base, factor=tuple(v / 2 for v in base.factor)),
                    },
                ),
            },
        )
        reference = render(flatten(scene), VIEW, Quality(240, 135, 24, 3))
        arrival = render(flatten(bent), VIEW, Quality(240, 135, 24, 3))
        other = render(flatten(scene), VIEW, Quality(480, 270, 24, 3, seed=9)).radiance
        codes = np.round(linear_to_srgb(displayed_by(other, Shown("filmic", -1.5))) * 255) / 255
        picture = srgb_to_linear(codes).astype(np.float32)
        held = hold(picture, np.ones((270, 480), bool), reference, arrival, flatten(scene).material_ids)
        self.assertEqual(held.shown.curve, "filmic")
        self.assertAlmostEqual(held.shown.stops, -1.5, delta=0.06)
        figures = {one.id: (one.reference.value, one.arrival.value) for one in held.materials}
        self.assertLess(held.reference_figure.value, 2.0)
        self.assertGreater(figures[worn][1], figures[worn][0] + 4)
        for id, (near, far) in figures.items():
            if id != worn:
                self.assertLess(abs(near - far), 2.5, id)
        known = hold(
            picture, np.ones((270, 480), bool), reference, arrival, flatten(scene).material_ids, curve="none"
        )
        self.assertGreater(known.reference_figure.value, held.reference_figure.value)

    def test_a_picture_that_was_enlarged_is_laid_over_the_view(self) -> None:
        """Seen through a lens longer by 1.15: things are so much larger, and lie over the view's all the
        same.
        """
        scene = counter(3)
        flat = flatten(scene)
        reference = render(flat, VIEW, Quality(240, 135, 12, 2))
        longer = replace(VIEW, yfov_rad=2 * math.atan(math.tan(VIEW.yfov_rad / 2) / 1.15))
        light = render(flat, longer, Quality(240, 135, 12, 2, seed=5)).radiance
        picture = displayed_by(light, Shown("rolled off by luminance", -1.5))
        everywhere = np.ones((135, 240), bool)
        held = hold(picture, everywhere, reference, reference, flat.material_ids, lies=False)
        self.assertTrue(held.alignment.found)
        self.assertAlmostEqual(held.alignment.scale, 1.15, delta=0.02)
        self.assertLess(held.inside.mean(), 1)
        as_it_lies = hold(picture, everywhere, reference, reference, flat.material_ids)
        self.assertLess(held.reference_figure.value, as_it_lies.reference_figure.value / 2)
