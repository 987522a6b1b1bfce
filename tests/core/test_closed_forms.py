"""The renderer against closed forms and specifications: what both sides of a proof would share, and no proof
could show.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np

from tests.making import cube, image, material, quad, scene, sky
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Input, Material, Primitive, Scene, Texture
from trasloco.scene.tangent_frames import tangents
from trasloco.scene.transforms import looking

WHITE = material(base_color=(1.0, 1.0, 1.0), specular=(0.0,))


def sent(
    given: Scene,
    eye: Any,
    target: Any = (0, 0, 0),
    samples: int = 1024,
    bounces: int = 1,
    angle: float = 0.004,
) -> np.ndarray:
    """Radiance (3,) from a small patch around a point, as seen from an eye."""
    view = View(
        "look",
        looking(
            eye, target, (0, 0, 1) if abs(eye[0] - target[0]) + abs(eye[2] - target[2]) < 1e-9 else (0, 1, 0)
        ),
        angle,
    )
    picture = render(flatten(given), view, Quality(4, 4, samples, bounces))
    return np.asarray(picture.radiance.mean(axis=(0, 1)))


def received(lamp: Light, matrix: Any, eye: Any = (0, 5, 0.01)) -> float:
    """Lux that a dull white floor at the origin receives from a lamp: pi times the radiance it sends back."""
    return float(sent(scene(quad(0.2), materials=(WHITE,), lights=((lamp, matrix),)), eye)[1]) * math.pi


class AreaLights(TestCase):
    def test_a_rectangle_gives_what_its_size_says_however_far_the_camera_is(self) -> None:
        # A corner over a point of a parallel plane (Lambert): E = L / 2 (x / sqrt(1 + x^2) atan(y / sqrt(1 +
        # x^2)) + the same with x and y exchanged), x, y the sides over the height; four of them.
        side, height, nit = 0.5, 1.0, 1000.0
        x = side / 2 / height
        root = math.sqrt(1 + x * x)
        expected = 4 * nit / 2 * 2 * (x / root * math.atan(x / root))
        lamp = Light("light:l", "L", "rectangle", intensity=nit, width_m=side, height_m=side)
        for far in (1.5, 5.0, 40.0):
            lux = received(lamp, looking((0, height, 0), (0, 0, 0), (0, 0, 1)), (0.3 * far, 0.9 * far, 0.01))
            self.assertAlmostEqual(lux / expected, 1.0, delta=0.01, msg=f"{far} m")

    def test_a_ball_gives_its_candela(self) -> None:
        lamp = Light("light:l", "L", "point", intensity=100.0, radius_m=0.05)
        for far in (1.5, 5.0):
            lux = received(lamp, looking((0, 1, 0), (0, 0, 0), (0, 0, 1)), (0.3 * far, 0.9 * far, 0.01))
            self.assertAlmostEqual(lux / 100.0, 1.0, delta=0.01, msg=f"{far} m")

    def test_a_sun_gives_its_lux_however_wide_it_is(self) -> None:
        for degrees in (0.5, 30.0, 90.0):
            lamp = Light("light:l", "L", "sun", intensity=500.0, angle_rad=math.radians(degrees))
            lux = received(lamp, looking((0, 1, 0), (0, 0, 0), (0, 0, 1)))
            self.assertAlmostEqual(lux / 500.0, 1.0, delta=0.01, msg=f"{degrees}°")


class Surroundings(TestCase):
    def test_a_picture_of_two_rows_lights_as_much_as_one_of_many(self) -> None:
        # The upper half of the sphere at 1 nit: pi lux on the ground.
        for rows in (2, 4, 16):
            texels = np.zeros((rows, 2 * rows, 3), np.float32)
            texels[: rows // 2] = 1.0
            picture = image("half", texels, "exr")
            given = scene(
                quad(0.2), materials=(WHITE,), images=(picture,), environment=Environment(picture.id)
            )
            self.assertAlmostEqual(float(sent(given, (0.5, 1, 0))[1]), 1.0, delta=0.01, msg=f"{rows} rows")

    def test_a_bright_row_lights_by_its_solid_angle(self) -> None:
        # E = 2 pi times the integral of cos sin over the first quarter of the polar angle: pi sin^2(pi / 4) =
        # pi / 2.
        texels = np.zeros((4, 8, 3), np.float32)
        texels[0] = 1.0
        picture = image("cap", texels, "exr")
        given = scene(quad(0.2), materials=(WHITE,), images=(picture,), environment=Environment(picture.id))
        self.assertAlmostEqual(float(sent(given, (0.5, 1, 0))[1]), 0.5, delta=0.006)


def reflected(made: Material) -> np.ndarray:
    """Share of an even sky that a smooth black surface sends straight back."""
    even = sky()
    given = scene(quad(0.2), materials=(made,), images=(even,), environment=Environment(even.id))
    return sent(given, (0, 1, 0.0), samples=256)


class Specular(TestCase):
    def test_reflectance_straight_on_is_what_the_extension_says(self) -> None:
        # KHR_materials_specular: min(F0 x colour, 1) x weight, F0 = ((n - 1) / (n + 1))^2; KHR_materials_ior:
        # index 0 reflects all.
        cases: tuple[tuple[float, float, tuple[float, float, float]], ...] = (
            (1.5, 1.0, (1.0, 1.0, 1.0)),
            (1.5, 1.0, (22.75, 19.5, 10.5)),
            (1.5, 0.5, (22.75, 19.5, 10.5)),
            (1.5, 1.0, (0.5, 0.25, 1.0)),
            (4.0, 1.0, (1.0, 1.0, 1.0)),
        )
        for index, weight, color in cases:
            made = material(
                base_color=(0.0, 0.0, 0.0),
                roughness=(0.0,),
                ior=Input((index,)),
                specular=Input((weight,)),
                specular_color=Input(color),
            )
            f0 = ((index - 1) / (index + 1)) ** 2
            expected = np.minimum(f0 * np.array(color), 1) * weight
            np.testing.assert_allclose(
                reflected(made), expected, rtol=0.01, atol=0.0005, err_msg=f"{index} {weight} {color}"
            )
        mirror = material(base_color=(0.0, 0.0, 0.0), roughness=(0.0,), ior=Input((0.0,)))
        np.testing.assert_allclose(reflected(mirror), 1.0, atol=0.011)


class Glass(TestCase):
    def test_glass_that_bends_nothing_is_not_seen(self) -> None:
        even = sky()
        clear = material(
            base_color=(1.0, 1.0, 1.0),
            roughness=(0.0,),
            transmission=Input((1.0,)),
            thickness=Input((0.1,)),
            ior=Input((1.0,)),
        )
        given = scene(cube(0.5), materials=(clear,), images=(even,), environment=Environment(even.id))
        np.testing.assert_allclose(sent(given, (1, 1.2, 2), samples=8192, bounces=6), 1.0, atol=0.01)


class Colors(TestCase):
    def test_alpha_of_vertex_colours_lets_through(self) -> None:
        # Vertex colours multiply base colour and alpha (glTF 2.0, 3.9.2): half of a black sheet before an
        # even sky.
        even = sky()
        sheet = quad(0.5)
        colors = np.tile(np.array([1, 1, 1, 0.5], np.float32), (4, 1))
        base = Input((0.0, 0.0, 0.0), vertex_color=True)
        for mode, expected in (("blend", 0.5), ("opaque", 0.0), ("mask", 0.0)):
            made = material(alpha_mode=mode, base_color=base, specular=(0.0,), opacity=Input((1.0,)))
            given = scene(
                replace(sheet, colors=colors),
                materials=(made,),
                images=(even,),
                environment=Environment(even.id),
            )
            self.assertAlmostEqual(
                float(sent(given, (0, 1, 0), samples=512)[1]), expected, delta=0.03, msg=mode
            )


class FloatingImages(TestCase):
    def test_floating_colours_are_light_as_they_are_and_may_pass_one(self) -> None:
        # A floating image is linear whatever is said of it; 4 nit of it shine as 4 nit.
        for encoding in ("srgb", "linear"):
            glow = image("glow", np.full((4, 4, 3), 4.0, np.float32), "exr")
            made = material(
                base_color=(0.0, 0.0, 0.0),
                specular=(0.0,),
                emission=Input((1.0, 1.0, 1.0), Texture(glow.id, "rgb", encoding)),
            )  # type: ignore[arg-type]
            given = scene(quad(0.5), materials=(made,), images=(glow,))
            self.assertAlmostEqual(
                float(sent(given, (0, 1, 0), samples=16)[1]), 4.0, delta=0.01, msg=encoding
            )


class Lens(TestCase):
    def test_the_first_sample_looks_through_the_lens_as_all_do(self) -> None:
        glow = material(base_color=(0.0, 0.0, 0.0), specular=(0.0,), emission=Input((1.0, 1.0, 1.0)))
        given = scene(quad(0.2), materials=(glow,))
        view = View("look", looking((0, 2, 0), (0, 0, 0), (0, 0, 1)), 0.4, lens_radius_m=0.2, focus_m=0.5)
        pictures = [
            render(flatten(given), view, Quality(24, 24, 1, 1, seed=seed)).radiance for seed in range(24)
        ]
        first, many = (
            np.mean(pictures, axis=0),
            render(flatten(given), view, Quality(24, 24, 256, 1)).radiance,
        )
        self.assertLess(float(np.abs(first.mean() - many.mean())), 0.02)
        self.assertLess(float(first[12, 12].mean()), 0.9)


def lit_by(
    primitive: Primitive,
    normal_map: Any,
    direction: Any,
    uv_set: int = 0,
    eye: Any = (0.0, 3.0, 0.001),
    double: bool = False,
) -> float:
    """Luminance of a dull white surface with a normal map under a sun from a direction."""
    made = material(
        base_color=(1.0, 1.0, 1.0),
        specular=(0.0,),
        double_sided=double,
        normal=Texture("image:bend", "rgb", uv_set=uv_set),
    )
    sun = Light("light:s", "S", "sun", intensity=math.pi)
    given = scene(
        primitive,
        materials=(made,),
        images=(image("bend", normal_map),),
        lights=((sun, looking(np.array(direction) * 5.0, (0, 0, 0), (0, 0, 1))),),
    )
    return float(sent(given, eye, samples=32)[1])


def coded(vector: Any) -> np.ndarray:
    """A flat image of one tangent-space normal."""
    unit = np.array(vector, float) / np.linalg.norm(vector)
    return np.tile(np.round((unit * 0.5 + 0.5) * 255).astype(np.uint8), (4, 4, 1))


class Tangents(TestCase):
    """The bent normal against its definition (glTF 2.0, 3.9.3 and 3.7.2.1): x T + y B + z N, B = w N x T."""

    tilt = np.array([0.5, 0.0, math.sqrt(0.75)])

    def expected(self, t: Any, b: Any, n: Any, direction: Any) -> float:
        bent = self.tilt[0] * np.array(t) + self.tilt[1] * np.array(b) + self.tilt[2] * np.array(n)
        unit = np.array(direction, float) / np.linalg.norm(direction)
        return max(float(bent @ unit), 0.0)

    def check(self, got: float, expected: float, what: str) -> None:
        # Half a degree, and the codes of the image.
        self.assertAlmostEqual(got, expected, delta=0.015, msg=what)

    def test_tangents_that_come_along_are_used(self) -> None:
        plain = quad(0.5)
        for t in ((1, 0, 0), (0, 0, 1), (-1, 0, 0)):
            own = np.tile(np.array([*t, 1], np.float32), (4, 1))
            direction = np.array([0.4, 1.0, 0.3])
            expected = self.expected(t, np.cross((0, 1, 0), t), (0, 1, 0), direction)
            self.check(lit_by(replace(plain, tangents=own), coded(self.tilt), direction), expected, str(t))

    def test_a_map_on_the_second_set_lies_as_that_set_says(self) -> None:
        plain = quad(0.5)
        turned = np.stack([plain.uvs[0][:, 1], 1 - plain.uvs[0][:, 0]], axis=1).astype(np.float32)
        direction = np.array([0.4, 1.0, 0.3])
        # On the first set U runs along +X; on the second along +Z.
        for uv_set, t in ((0, (1, 0, 0)), (1, (0, 0, 1))):
            got = lit_by(replace(plain, uvs=(plain.uvs[0], turned)), coded(self.tilt), direction, uv_set)
            self.check(got, self.expected(t, (0, 0, 0), (0, 1, 0), direction), f"set {uv_set}")

    def test_mirrored_uvs_that_share_vertices_keep_two_frames(self) -> None:
        # Two squares side by side, the right one's U mirrored: U grows towards the seam on both sides.
        positions = (
            np.array([[-1, 0, -1], [0, 0, -1], [1, 0, -1], [-1, 0, 1], [0, 0, 1], [1, 0, 1]], np.float32)
            * 0.25
        )
        uv = np.array([[0, 0], [1, 0], [0, 0], [0, 1], [1, 1], [0, 1]], np.float32)
        indices = np.array([[0, 3, 1], [1, 3, 4], [1, 4, 2], [2, 4, 5]], np.uint32)
        normals = np.tile(np.array([0, 1, 0], np.float32), (6, 1))
        mesh = Primitive(positions, indices, normals, None, (uv,), material="material:m")
        direction = np.array([0.6, 1.0, 0.0])
        for x, t in ((-0.02, (1, 0, 0)), (0.02, (-1, 0, 0))):
            got = lit_by(
                replace(mesh, positions=positions - np.array([x, 0, 0], np.float32)),
                coded(self.tilt),
                direction,
            )
            self.check(got, self.expected(t, (0, 0, 0), (0, 1, 0), direction), f"x {x}")

    def test_the_back_of_a_sheet_is_bent_the_other_way_as_a_whole(self) -> None:
        # doubleSided: on the back the normal is reversed before light is worked out (glTF 2.0, 3.9.4).
        direction = np.array([0.4, -1.0, 0.0])
        got = lit_by(quad(0.5), coded(self.tilt), direction, eye=(0.0, -3.0, 0.001), double=True)
        front = np.array([0.5, self.tilt[2], 0.0])
        unit = direction / np.linalg.norm(direction)
        self.check(got, max(float(-front @ unit), 0.0), "back")

    def test_tangents_from_uvs_have_the_bitangent_of_the_specification(self) -> None:
        plain = quad()
        made = tangents(plain.positions, plain.normals, plain.uvs[0], plain.indices)  # type: ignore[arg-type]
        np.testing.assert_allclose(made[:, :3], np.tile([1.0, 0, 0], (4, 1)), atol=1e-6)
        bitangent = made[:, 3:] * np.cross(plain.normals, made[:, :3])  # type: ignore[arg-type]
        # V runs down the image, and the bitangent up it: towards -Z here.
        np.testing.assert_allclose(bitangent, np.tile([0, 0, -1.0], (4, 1)), atol=1e-6)
