"""The renderer against closed forms."""

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import cube, image, material, quad, scene, sky
from trasloco.errors import Cancelled
from trasloco.render.exposure import auto_ev100, exposed, tone_curve
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, passes, render
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Input, Material, Scene, Texture
from trasloco.scene.transforms import looking

DOWN = View("down", looking((0, 2, 0), (0, 0, 0), (0, 0, -1)), 0.2)
SMALL = Quality(16, 16, 64, 4)


def seen(given: Scene, view: View = DOWN, quality: Quality = SMALL) -> np.ndarray:
    """Mean radiance of the picture's middle, rgb."""
    picture = render(flatten(given), view, quality).radiance
    return picture[4:12, 4:12].reshape(-1, 3).mean(axis=0)


def under_sky(given: Material, value: float = 1.0) -> Scene:
    return scene(
        quad(20), materials=(given,), images=(sky(value),), environment=Environment("image:sky", 1.0)
    )


def lit(
    given: Material,
    light: Light,
    at: tuple[float, float, float],
    target: tuple[float, float, float] = (0, 0, 0),
) -> Scene:
    return scene(
        quad(20),
        materials=(given,),
        lights=((light, looking(at, target, (0, 0, -1) if at[0] == 0 and at[2] == 0 else (0, 1, 0))),),
    )


MATTE = {"base_color": (0.5, 0.5, 0.5), "specular": (0.0,)}


class Transport(TestCase):
    def test_a_matte_plane_under_a_constant_sky_reflects_its_albedo(self) -> None:
        np.testing.assert_allclose(seen(under_sky(material(**MATTE), 3.0)), 1.5, rtol=0.01)

    def test_the_white_furnace_neither_gains_nor_loses(self) -> None:
        for name, given in {
            "matte": material(base_color=(1.0, 1.0, 1.0), specular=(0.0,)),
            "smooth metal": material(base_color=(1.0, 1.0, 1.0), metalness=(1.0,), roughness=(0.1,)),
            "plastic": material(base_color=(1.0, 1.0, 1.0), roughness=(0.3,)),
            "coated": material(
                base_color=(1.0, 1.0, 1.0), roughness=(0.5,), clearcoat=(1.0,), clearcoat_roughness=(0.1,)
            ),
            "glass": material(base_color=(1.0, 1.0, 1.0), roughness=(0.1,), transmission=(1.0,)),
        }.items():
            with self.subTest(name):
                self.assertAlmostEqual(
                    float(seen(under_sky(given), quality=Quality(16, 16, 256, 4)).mean()), 1.0, delta=0.015
                )

    def test_illuminance_of_a_sun_is_its_lux_times_the_cosine(self) -> None:
        for degrees in (0, 60):
            height, side = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
            sun = Light("light:s", "Sun", "sun", intensity=100.0)
            expected = 0.5 / math.pi * 100.0 * height
            self.assertAlmostEqual(
                float(seen(lit(material(**MATTE), sun, (side * 5, height * 5, 0))).mean()),
                expected,
                delta=expected * 0.01,
            )

    def test_a_point_light_falls_off_by_the_inverse_square(self) -> None:
        for distance in (1.0, 2.0):
            lamp = Light("light:p", "Lamp", "point", intensity=10.0)
            # Seen at the foot of the light, where the cosine is 1 to within the tiny field.
            view = View("close", looking((0.0, 0.5, 0.0), (0, 0, 0), (0, 0, -1)), 0.02)
            self.assertAlmostEqual(
                float(seen(lit(material(**MATTE), lamp, (0, distance, 0)), view).mean()),
                0.5 / math.pi * 10 / distance**2,
                delta=0.01,
            )

    def test_a_spot_is_dark_outside_its_cone_and_full_inside(self) -> None:
        spot = Light("light:p", "Spot", "spot", intensity=10.0, inner_cone_rad=0.3, outer_cone_rad=0.4)
        inside = View("inside", looking((0.0, 0.5, 0.0), (0, 0, 0), (0, 0, -1)), 0.02)
        outside = View("outside", looking((2.0, 0.5, 0.0), (2.0, 0, 0), (0, 0, -1)), 0.02)
        given = lit(material(**MATTE), spot, (0, 2, 0))
        self.assertAlmostEqual(float(seen(given, inside).mean()), 0.5 / math.pi * 10 / 4, delta=0.01)
        self.assertEqual(float(seen(given, outside).mean()), 0.0)

    def test_shadows_fall_only_from_lights_that_cast_them(self) -> None:
        sun = Light("light:s", "Sun", "sun", intensity=100.0)
        shade = replace(quad(1.0), positions=quad(1.0).positions + np.array([0, 1.0, 0], np.float32))
        view = View("below", looking((0.0, 0.5, 0.3), (0, 0, 0), (0, 1, 0)), 0.05)
        for shadows, expected in ((True, 0.0), (False, 0.5 / math.pi * 100)):
            given = scene(
                quad(20),
                shade,
                materials=(material(**MATTE),),
                lights=((replace(sun, shadows=shadows), looking((0, 5, 0), (0, 0, 0), (0, 0, -1))),),
            )
            self.assertAlmostEqual(
                float(seen(given, view, Quality(16, 16, 64, 1)).mean()), expected, delta=0.2
            )

    def test_emission_is_seen_as_its_luminance(self) -> None:
        np.testing.assert_allclose(
            seen(
                scene(
                    quad(20),
                    materials=(
                        material(
                            base_color=(0.0, 0.0, 0.0),
                            specular=(0.0,),
                            emission=(1.0, 0.5, 0.25),
                            emission_strength=(40.0,),
                        ),
                    ),
                )
            ),
            [40, 20, 10],
            rtol=1e-4,
        )

    def test_a_glowing_square_lights_a_floor_by_its_form_factor(self) -> None:
        # A differential floor element under the centre of a parallel square a x a at height h: F = (2/pi)
        # (X/sqrt(1+X^2)) * 2 atan(X/sqrt(1+X^2)), X = a / 2h.
        a, h, luminance = 1.0, 1.0, 50.0
        lamp = quad(a, "material:lamp")
        lamp = replace(
            lamp,
            positions=lamp.positions + np.array([0, h, 0], np.float32),
            indices=lamp.indices[:, ::-1],
            normals=-lamp.normals,
        )  # type: ignore[operator]
        given = scene(
            quad(20),
            lamp,
            materials=(
                material(**MATTE),
                material(
                    "lamp",
                    base_color=(0.0, 0.0, 0.0),
                    specular=(0.0,),
                    emission=(1.0, 1.0, 1.0),
                    emission_strength=(luminance,),
                ),
            ),
        )
        x = a / (2 * h)
        factor = 4 / math.pi * (x / math.sqrt(1 + x * x)) * math.atan(x / math.sqrt(1 + x * x))
        view = View("under", looking((0.0, 0.3, 0.02), (0, 0, 0), (0, 0, -1)), 0.05)
        self.assertAlmostEqual(
            float(seen(given, view, Quality(16, 16, 256, 1)).mean()),
            0.5 * luminance * factor,
            delta=0.5 * luminance * factor * 0.02,
        )

    def test_a_mirror_of_glass_reflects_four_percent_straight_on(self) -> None:
        black = material(base_color=(0.0, 0.0, 0.0), roughness=(0.02,))
        self.assertAlmostEqual(float(seen(under_sky(black, 10.0)).mean()), 0.4, delta=0.01)

    def test_index_of_refraction_sets_the_reflection(self) -> None:
        diamond = material(base_color=(0.0, 0.0, 0.0), roughness=(0.02,), ior=(2.4,))
        self.assertAlmostEqual(
            float(seen(under_sky(diamond, 10.0)).mean()), 10 * (1.4 / 3.4) ** 2, delta=0.03
        )

    def test_backs_are_not_drawn_unless_two_sided(self) -> None:
        below = View("below", looking((0, -2, 0), (0, 0, 0), (0, 0, -1)), 0.2)
        for double_sided, expected in ((False, 1.0), (True, 0.5)):
            given = under_sky(material(double_sided=double_sided, **MATTE))
            self.assertAlmostEqual(float(seen(given, below).mean()), expected, delta=0.01)

    def test_alpha_cuts_and_blends(self) -> None:
        for mode, opacity, expected in (
            ("mask", 0.4, 1.0),
            ("mask", 0.6, 0.0),
            ("blend", 0.25, 0.75),
            ("opaque", 0.25, 0.0),
        ):
            given = under_sky(
                material(alpha_mode=mode, base_color=(0.0, 0.0, 0.0), specular=(0.0,), opacity=(opacity,))
            )
            self.assertAlmostEqual(
                float(seen(given, quality=Quality(16, 16, 256, 2)).mean()),
                expected,
                delta=0.02,
                msg=f"{mode} {opacity}",
            )

    def test_vertex_colour_multiplies_the_base_colour_only_where_asked(self) -> None:
        for asked, expected in ((True, 0.125), (False, 0.5)):
            base = Input((0.5, 0.5, 0.5), vertex_color=asked)
            given = scene(
                quad(20, colors=(0.25, 0.25, 0.25)),
                materials=(material(base_color=base, specular=(0.0,)),),
                images=(sky(),),
                environment=Environment("image:sky", 1.0),
            )
            self.assertAlmostEqual(float(seen(given).mean()), expected, delta=0.005)

    def test_unlit_surfaces_show_their_vertex_colours(self) -> None:
        for asked, expected in ((True, 0.125), (False, 0.5)):
            base = Input((0.5, 0.5, 0.5), vertex_color=asked)
            given = scene(
                quad(20, colors=(0.25, 0.25, 0.25)),
                materials=(replace(material(base_color=base), unlit=True),),
            )
            self.assertAlmostEqual(float(seen(given).mean()), expected, places=5)

    def test_textures_are_read_at_their_texel_through_the_srgb_curve(self) -> None:
        texels = np.zeros((2, 2, 3), np.uint8)
        texels[0, 0] = 188
        base = Input((1.0, 1.0, 1.0), Texture("image:t", "rgb", "srgb"))
        given = scene(
            quad(2),
            materials=(material(base_color=base, specular=(0.0,)),),
            images=(sky(), image("t", texels)),
            environment=Environment("image:sky", 1.0),
        )
        # UV (0.25, 0.25) is the centre of the top-left texel: x = -0.5, z = -0.5.
        view = View("texel", looking((-0.5, 0.2, -0.5), (-0.5, 0, -0.5), (0, 0, -1)), 0.01)
        self.assertAlmostEqual(
            float(seen(given, view).mean()), ((188 / 255 + 0.055) / 1.055) ** 2.4, delta=0.01
        )

    def test_a_normal_map_tilts_the_light_and_green_turns_it(self) -> None:
        tilt = math.radians(30)
        code = np.round((np.array([0, math.sin(tilt), math.cos(tilt)]) * 0.5 + 0.5) * 65535).astype(np.uint16)
        texels = np.broadcast_to(code, (4, 4, 3))
        # +Y of tangent space is the image's top, which is -Z of the quad: a sun 60 degrees towards -Z meets
        # the normal at 30 or 90.
        sun = Light("light:s", "Sun", "sun", intensity=100.0)
        for green_up, angle in ((True, 30), (False, 90)):
            normal = Input((0.0, 0.0, 1.0), Texture("image:n", "rgb", green_up=green_up))
            given = replace(
                lit(
                    material(normal=normal, **MATTE),
                    sun,
                    (0, 5 * math.cos(math.radians(60)), -5 * math.sin(math.radians(60))),
                ),
                images={"image:n": image("n", texels)},
            )
            self.assertAlmostEqual(
                float(seen(given).mean()),
                max(0.5 / math.pi * 100 * math.cos(math.radians(angle)), 0),
                delta=0.2,
            )

    def test_turning_the_environment_turns_the_light(self) -> None:
        picture = np.zeros((32, 64, 3), np.float32)
        picture[:, 30:34] = 10.0  # ahead, -Z
        given = scene(cube(1.0), materials=(material(**MATTE),), images=(image("sky", picture, "exr"),))
        front = View("front", looking((0, 0, -3), (0, 0, 0)), 0.1)
        ahead = seen(replace(given, environment=Environment("image:sky", 1.0, 0.0)), front).mean()
        behind = seen(replace(given, environment=Environment("image:sky", 1.0, math.pi)), front).mean()
        self.assertGreater(float(ahead), 0.1)
        self.assertLess(float(behind), float(ahead) * 0.02)


class Pictures(TestCase):
    def test_the_same_scene_renders_to_the_same_numbers(self) -> None:
        given = under_sky(material(roughness=(0.3,)))
        first, second = (render(flatten(given), DOWN, Quality(24, 24, 8, 3, threads)) for threads in (1, 2))
        self.assertTrue((first.radiance == second.radiance).all())

    def test_error_falls_with_the_square_root_of_samples(self) -> None:
        picture = np.zeros((16, 32, 3), np.float32)
        picture[4:7, 3:9] = 20
        given = scene(
            quad(20),
            cube(0.4),
            materials=(material(**MATTE),),
            images=(image("sky", picture, "exr"),),
            environment=Environment("image:sky", 1.0),
        )
        flat = flatten(given)
        view = View("corner", looking((1.2, 1.0, 1.2), (0, 0, 0)), 0.5)
        truth = render(flat, view, Quality(24, 24, 1024, 2)).radiance
        errors = [
            float(np.sqrt(np.mean((render(flat, view, Quality(24, 24, n, 2)).radiance - truth) ** 2)))
            for n in (4, 64)
        ]
        # Sixteen times the samples: at least four times less error; low-discrepancy points may do better.
        self.assertLess(errors[1], errors[0] / 3.2)

    def test_cancelling_stops_the_work(self) -> None:
        def stop(fraction: float, message: str) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            render(flatten(under_sky(material())), DOWN, Quality(64, 64, 64), stop)

    def test_the_first_pass_is_one_sample_and_all_add_up(self) -> None:
        ranges = passes(37)
        self.assertEqual(ranges[0], (0, 1))
        self.assertEqual([a for a, _ in ranges[1:]], [b for _, b in ranges[:-1]])
        self.assertEqual(ranges[-1][1], 37)

    def test_exposure_and_curve_follow_their_formulas(self) -> None:
        self.assertAlmostEqual(
            float(exposed(np.full((1, 1, 3), 1.2 * 2**5, np.float32), 5.0).mean()), 1.0, places=5
        )
        grey = np.full((1, 3), 0.5, np.float32)
        self.assertAlmostEqual(float(tone_curve(grey)[0, 0]), 0.5 * (1 + 0.5 / 16) / 1.5, places=5)
        self.assertAlmostEqual(float(tone_curve(np.full((1, 3), 4.0, np.float32))[0, 0]), 1.0, places=5)
        # A reflected-light meter: EV100 = log2(L * 100 / 12.5).
        self.assertEqual(auto_ev100(np.full((4, 4, 3), 16.0, np.float32)), 7.0)

    def test_empty_scenes_render_their_sky(self) -> None:
        empty = Scene("empty", images={"image:sky": sky(2.0)}, environment=Environment("image:sky", 1.0))
        picture: Picture = render(flatten(empty), DOWN, Quality(8, 8, 2))
        np.testing.assert_allclose(picture.radiance, 2.0, rtol=1e-3)
        self.assertTrue((picture.ids == -1).all())
