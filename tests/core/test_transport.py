"""How light gets about, against closed forms: area lights, a wide sun, glass and what it absorbs, light under
the skin, lenses, poses, layers, workers.
"""

from __future__ import annotations

import math
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import replace
from multiprocessing import get_context
from unittest import TestCase

import numpy as np

from tests.making import cube, image, material, quad, scene, sky
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, passes, render
from trasloco.render.posing import posed
from trasloco.scene.model import (
    Channel,
    Clip,
    Environment,
    Input,
    Light,
    Lightmap,
    Material,
    Mesh,
    MorphTarget,
    Node,
    Primitive,
    Scene,
    Skin,
    Texture,
)
from trasloco.scene.transforms import looking

MATTE = {"base_color": (0.5, 0.5, 0.5), "specular": (0.0,)}
DOWN = looking((0, 1, 0), (0, 0, 0), (0, 0, -1))


def middle(given: Scene, view: View, quality: Quality | None = None) -> np.ndarray:
    return (
        render(flatten(given), view, quality or Quality(16, 16, 256, 4))
        .radiance[4:12, 4:12]
        .reshape(-1, 3)
        .mean(axis=0)
    )


def ball(radius: float = 0.5, material_id: str = "material:m", rings: int = 48) -> Primitive:
    """A closed ball with smooth normals."""
    theta, phi = np.meshgrid(
        np.linspace(0, np.pi, rings + 1), np.linspace(0, 2 * np.pi, 2 * rings + 1)[:-1], indexing="ij"
    )
    points = (
        np.stack([np.sin(theta) * np.cos(phi), np.cos(theta), np.sin(theta) * np.sin(phi)], axis=-1)
        .reshape(-1, 3)
        .astype(np.float32)
    )
    columns = 2 * rings
    index = np.arange((rings + 1) * columns).reshape(rings + 1, columns)
    a, b, c, d = index[:-1], np.roll(index, -1, axis=1)[:-1], index[1:], np.roll(index, -1, axis=1)[1:]
    triangles = np.concatenate(
        [np.stack([a, b, c], -1).reshape(-1, 3), np.stack([b, d, c], -1).reshape(-1, 3)]
    ).astype(np.uint32)
    return Primitive(points * np.float32(radius), triangles, points, material=material_id)


def in_the_sky(primitive: Primitive, given: Material, value: float = 1.0) -> Scene:
    return scene(
        primitive, materials=(given,), images=(sky(value),), environment=Environment("image:sky", 1.0)
    )


class Lights(TestCase):
    def under(self, light: Light, height: float = 1.0, shift: float = 0.0) -> float:
        """Reflected radiance of a grey floor straight under a lamp, or beside the foot."""
        given = scene(
            quad(40),
            materials=(material(**MATTE),),
            lights=((light, looking((0, height, 0), (0, 0, 0), (0, 0, -1))),),
        )
        view = View("foot", looking((shift + 0.3, 0.1, 0), (shift, 0, 0)), 0.03)
        return float(middle(given, view, Quality(16, 16, 400, 1)).mean())

    def test_a_rectangle_lights_a_floor_by_its_form_factor(self) -> None:
        # A small floor parallel under the middle of a rectangle a x b at height h: four corners of
        # F = 1/(2 pi) (X / sqrt(1 + X^2) atan(Y / sqrt(1 + X^2)) + Y / sqrt(1 + Y^2) atan(X / sqrt(1 +
        # Y^2))), X = a / 2h, Y = b / 2h.
        a, b, h, nit = 1.2, 0.6, 0.8, 70.0
        x, y = a / 2 / h, b / 2 / h
        factor = (
            4
            / (2 * math.pi)
            * (
                x / math.hypot(1, x) * math.atan(y / math.hypot(1, x))
                + y / math.hypot(1, y) * math.atan(x / math.hypot(1, y))
            )
        )
        light = Light("light:a", "Panel", "rectangle", intensity=nit, width_m=a, height_m=b)
        self.assertAlmostEqual(self.under(light, h), 0.5 * nit * factor, delta=0.5 * nit * factor * 0.01)

    def test_a_disc_lights_a_floor_by_its_form_factor(self) -> None:
        # On its axis: F = r^2 / (r^2 + h^2).
        light = Light("light:a", "Disc", "disc", intensity=70.0, width_m=1.0)
        self.assertAlmostEqual(
            self.under(light, 0.7), 0.5 * 70 * 0.25 / (0.25 + 0.49), delta=0.5 * 70 * 0.338 * 0.01
        )

    def test_an_area_light_shines_one_way_and_falls_off_by_both_cosines(self) -> None:
        light = Light("light:a", "Spot of paint", "disc", intensity=1000.0, width_m=0.02)
        below, beside = self.under(light), self.under(light, shift=1.0)
        self.assertAlmostEqual(beside / below, 0.25, delta=0.01)  # cos^4 of 45 degrees
        given = scene(
            quad(40),
            materials=(material(**MATTE),),
            lights=((light, looking((0, 1, 0), (0, 2, 0), (0, 0, -1))),),
        )
        self.assertEqual(
            float(middle(given, View("foot", looking((0.3, 0.1, 0), (0, 0, 0)), 0.03)).mean()), 0.0
        )

    def test_a_wide_sun_gives_its_lux_and_a_soft_edge(self) -> None:
        sun = Light("light:s", "Sun", "sun", intensity=100.0, angle_rad=0.2)
        given = scene(
            quad(40),
            materials=(material(**MATTE),),
            lights=((sun, looking((0, 5, 0), (0, 0, 0), (0, 0, -1))),),
        )
        view = View("floor", looking((0.3, 0.4, 0), (0, 0, 0)), 0.05)
        # Even over a cap of half angle a, the mean cosine to its axis is (1 + cos a) / 2.
        expected = 0.5 / math.pi * 100 * (1 + math.cos(0.1)) / 2
        self.assertAlmostEqual(float(middle(given, view).mean()), expected, delta=expected * 0.005)
        wall = quad(2.0)
        wall = replace(
            wall, positions=(wall.positions + np.array([1.0, 1.0, 0], np.float32))
        )  # its edge is above x = 0, a metre up
        shaded = replace(
            scene(
                quad(40),
                wall,
                materials=(material(**MATTE, double_sided=True),),
                lights=((sun, looking((0, 5, 0), (0, 0, 0), (0, 0, -1))),),
            )
        )
        at = {
            x: float(
                middle(
                    shaded, View("edge", looking((x - 0.3, 0.2, 0), (x, 0, 0)), 0.005), Quality(8, 8, 400, 1)
                ).mean()
            )
            / expected
            for x in (-0.13, 0.0, 0.13)
        }
        # Half the sun is seen at the edge itself, all and none of it beyond tan(0.1) metres.
        self.assertAlmostEqual(at[0.0], 0.5, delta=0.03)
        self.assertAlmostEqual(at[-0.13], 1.0, delta=0.01)
        self.assertAlmostEqual(at[0.13], 0.0, delta=0.01)

    def test_light_kept_apart_adds_up_to_the_picture(self) -> None:
        lamps = tuple(
            (Light(f"light:{n}", n, "point", intensity=10.0), looking((x, 1, 0), (x, 0, 0), (0, 0, -1)))
            for n, x in (("left", -1.0), ("right", 1.0))
        )
        panel = (
            Light("light:p", "panel", "rectangle", intensity=20.0, width_m=0.5, height_m=0.5),
            looking((0, 1.5, 0), (0, 0, 0), (0, 0, -1)),
        )
        given = scene(
            quad(6),
            cube(0.4),
            materials=(material(**MATTE),),
            images=(sky(0.3),),
            lights=(*lamps, panel),
            environment=Environment("image:sky", 1.0),
        )
        view = View("above", looking((1, 2, 2), (0, 0, 0)), 0.8)
        quality = Quality(24, 16, 16, 3)
        whole, apart = render(flatten(given), view, quality), render(flatten(given, "apart"), view, quality)
        assert apart.layers is not None
        np.testing.assert_allclose(apart.radiance, whole.radiance, rtol=1e-4, atol=1e-4)
        np.testing.assert_allclose(apart.layers.sum(axis=1)[0], apart.even, rtol=1e-4, atol=1e-4)
        only = replace(
            given,
            lights={"light:left": given.lights["light:left"]},
            environment=None,
            nodes={
                id: node if node.light in (None, "light:left") else replace(node, light=None)
                for id, node in given.nodes.items()
            },
        )
        self.assertEqual(
            apart.layer_names, ("environment", "glow", "part:left", "part:right", "area light:part:panel")
        )
        number = apart.layer_names.index("part:left")
        alone = render(flatten(only), view, Quality(24, 16, 256, 3)).radiance.mean()
        self.assertAlmostEqual(float(apart.layers[:, number].mean()), float(alone), delta=float(alone) * 0.06)


class Insides(TestCase):
    def test_a_ball_of_clear_glass_in_an_even_sky_is_not_seen(self) -> None:
        view = View("ball", looking((0, 0, 3), (0, 0, 0)), 0.25)
        for rough in (0.0, 0.4):
            given = in_the_sky(
                ball(),
                material(
                    base_color=(1.0, 1.0, 1.0), roughness=(rough,), transmission=(1.0,), thickness=(1.0,)
                ),
            )
            np.testing.assert_allclose(
                middle(given, view, Quality(16, 16, 128, 24)), 1.0, atol=0.02, err_msg=str(rough)
            )

    def test_what_glass_absorbs_follows_beer_and_lambert(self) -> None:
        # A slab a metre thick seen straight on: 0.5 a metre is left of what went in, twice the boundary's
        # Fresnel and all echoes between.
        slab = cube(1.0)
        given = in_the_sky(
            slab,
            material(
                base_color=(1.0, 1.0, 1.0),
                roughness=(0.0,),
                transmission=(1.0,),
                thickness=(1.0,),
                attenuation_color=Input((0.5, 0.25, 1.0)),
                attenuation_distance=(1.0,),
            ),
        )
        view = View("through", looking((0, 0, 4), (0, 0, 0)), 0.02)
        found = middle(given, view, Quality(16, 16, 512, 24))
        for value, left in zip(found, (0.5, 0.25, 1.0), strict=True):
            r = 0.04
            inside = (1 - r) ** 2 * left / (1 - (r * left) ** 2)
            expected = r + inside + (1 - r) ** 2 * r * left**2 / (1 - (r * left) ** 2)
            self.assertAlmostEqual(float(value), expected, delta=0.012)

    def test_light_under_the_skin_comes_out_in_its_colour(self) -> None:
        # Deep against its mean free path a ball is a half space, for which van de Hulst's inversion was made.
        given = in_the_sky(
            ball(),
            material(
                base_color=(1.0, 1.0, 1.0),
                specular=(0.0,),
                subsurface=(1.0,),
                subsurface_color=Input((0.8, 0.5, 0.2)),
                subsurface_radius=(0.002,),
            ),
        )
        found = middle(given, View("ball", looking((0, 0, 3), (0, 0, 0)), 0.2), Quality(12, 12, 256, 2))
        np.testing.assert_allclose(found, [0.8, 0.5, 0.2], atol=0.03)

    def test_a_preview_of_it_has_the_same_colour(self) -> None:
        given = in_the_sky(
            ball(),
            material(
                base_color=(1.0, 1.0, 1.0),
                specular=(0.0,),
                subsurface=(1.0,),
                subsurface_color=Input((0.8, 0.5, 0.2)),
                subsurface_radius=(0.01,),
            ),
        )
        view = View("ball", looking((0, 0, 3), (0, 0, 0)), 0.2)
        found = middle(given, view, Quality(12, 12, 256, 2, preview=True))
        np.testing.assert_allclose(found, [0.8, 0.5, 0.2], atol=0.02)
        quick, walked = (
            render(flatten(given), view, Quality(12, 12, 16, 2, preview=p)).rays for p in (True, False)
        )
        self.assertLess(quick, 0.6 * walked)

    def test_white_insides_keep_all_light(self) -> None:
        given = in_the_sky(
            ball(),
            material(
                base_color=(1.0, 1.0, 1.0),
                specular=(0.0,),
                subsurface=(1.0,),
                subsurface_color=Input((1.0, 1.0, 1.0)),
                subsurface_radius=(0.1,),
            ),
        )
        self.assertAlmostEqual(
            float(
                middle(
                    given, View("ball", looking((0, 0, 3), (0, 0, 0)), 0.2), Quality(12, 12, 128, 2)
                ).mean()
            ),
            1.0,
            delta=0.02,
        )

    def test_a_leaf_lets_half_the_light_through(self) -> None:
        sun = Light("light:s", "Sun", "sun", intensity=100.0)
        leaf = material(
            base_color=(0.4, 0.4, 0.4),
            specular=(0.0,),
            diffuse_transmission=(0.5,),
            diffuse_transmission_color=Input((0.8, 0.8, 0.8)),
            double_sided=True,
        )
        given = scene(quad(4), materials=(leaf,), lights=((sun, looking((0, 5, 0), (0, 0, 0), (0, 0, -1))),))
        below = middle(given, View("below", looking((0.2, -1, 0), (0, 0, 0)), 0.1))
        above = middle(given, View("above", looking((0.2, 1, 0), (0, 0, 0)), 0.1))
        np.testing.assert_allclose(below, 0.5 * 0.8 / math.pi * 100, rtol=0.01)
        np.testing.assert_allclose(above, 0.5 * 0.4 / math.pi * 100, rtol=0.01)

    def test_a_pane_lets_a_lamp_through_as_its_closures_say(self) -> None:
        # Straight down: weight x colour x (1 - F) of pane and of coat, F = 0.04 each, none where the specular
        # weight is 0.
        lamp = Light("light:p", "Lamp", "point", intensity=10.0)
        for more, left in (
            ({}, 0.96),
            ({"specular": (0.0,)}, 1.0),
            ({"clearcoat": (1.0,)}, 0.96 * 0.96),
            ({"specular": (0.0,), "metalness": (0.5,)}, 0.5),
        ):
            pane = material(
                "pane",
                **{
                    "base_color": (0.8, 0.8, 0.8),
                    "roughness": (0.0,),
                    "transmission": (1.0,),
                    "double_sided": True,
                    **more,
                },
            )
            glass = quad(0.5, "material:pane")
            glass = replace(glass, positions=glass.positions + np.array([0, 1.0, 0], np.float32))
            given = scene(
                quad(20),
                glass,
                materials=(material(**MATTE), pane),
                lights=((lamp, looking((0, 2, 0), (0, 0, 0), (0, 0, -1))),),
            )
            found = float(
                middle(
                    given, View("foot", looking((0.3, 0.2, 0), (0, 0, 0)), 0.01), Quality(16, 16, 16, 1)
                ).mean()
            )
            self.assertAlmostEqual(found / (0.5 / math.pi * 10 / 4), 0.8 * left, delta=0.01, msg=str(more))

    def test_frosted_thin_glass_spreads_the_sky(self) -> None:
        given = in_the_sky(
            quad(20),
            material(base_color=(1.0, 1.0, 1.0), roughness=(0.6,), transmission=(1.0,), double_sided=True),
        )
        self.assertAlmostEqual(float(middle(given, View("down", DOWN, 0.3)).mean()), 1.0, delta=0.015)


class Lightmaps(TestCase):
    def lit(self, given: Scene, texels: np.ndarray, level: float, **more: object) -> Scene:
        """The scene's first part with light written down: texels (H, W, 3) in [0, 1]."""
        part = given.parts()[0]
        nodes = {**given.nodes, part.id: replace(part, lightmap=Lightmap("image:l", level=level, **more))}  # type: ignore[arg-type]
        return replace(
            given,
            nodes=nodes,
            images={**given.images, "image:l": image("l", np.round(texels * 65535).astype(np.uint16))},
        )

    def test_light_that_is_written_down_is_not_gathered_again(self) -> None:
        # Albedo 0.5 under 20 lux sends on 0.5 x 20 / pi nit, in the dark and under any sky.
        for sky_value in (0.0, 30.0):
            given = self.lit(
                in_the_sky(quad(20), material(**MATTE), sky_value), np.array([[[1.0, 0.5, 0.25]]]), 20.0
            )
            np.testing.assert_allclose(
                middle(given, View("down", DOWN, 0.3)), np.array([20, 10, 5]) * 0.5 / math.pi, rtol=1e-4
            )

    def test_it_is_read_on_its_own_uv_set_and_place_and_lights_what_is_near(self) -> None:
        texels = np.zeros((4, 4, 3))
        texels[2:, 3] = 1.0
        floor = quad(4)
        floor = replace(floor, uvs=(floor.uvs[0] * 0, floor.uvs[0]))
        given = self.lit(
            scene(floor, materials=(material(**MATTE),)), texels, 40.0, scale=(0.5, 0.5), offset=(0.5, 0.5)
        )
        left, right = (
            float(middle(given, View("half", looking((x, 0.5, 0), (x, 0, 0), (0, 0, -1)), 0.05)).mean())
            for x in (-1.0, 1.0)
        )
        self.assertAlmostEqual(left, 0.0, delta=0.05)
        self.assertAlmostEqual(right, 0.5 * 40 / math.pi, delta=0.02)

    def test_what_shines_still_reflects(self) -> None:
        polished = material(base_color=(0.0, 0.0, 0.0), roughness=(0.02,))
        given = self.lit(in_the_sky(quad(20), polished, 10.0), np.ones((1, 1, 3)), 20.0)
        self.assertAlmostEqual(float(middle(given, View("down", DOWN, 0.2)).mean()), 0.4, delta=0.01)


class Estimators(TestCase):
    def test_lamps_as_lamps_and_as_glowing_sheets_agree(self) -> None:
        # The same rectangle as a light, as a mesh with emission, and with no lamp known (all found by
        # chance): within three standard errors.
        panel = Light("light:a", "Panel", "rectangle", intensity=30.0, width_m=2.0, height_m=2.0)
        floor = material(base_color=(0.6, 0.5, 0.4), roughness=(0.4,))
        lit = scene(
            quad(6, "material:floor"),
            materials=(replace(floor, id="material:floor"),),
            lights=((panel, looking((0, 1, 0), (0, 0, 0), (0, 0, -1))),),
        )
        sheet = quad(2.0, "material:lamp")
        sheet = replace(
            sheet,
            positions=sheet.positions + np.array([0, 1.0, 0], np.float32),
            indices=sheet.indices[:, ::-1],
            normals=-sheet.normals,
        )  # type: ignore[operator]
        lamp = material(
            "lamp",
            base_color=(0.0, 0.0, 0.0),
            specular=(0.0,),
            emission=(1.0, 1.0, 1.0),
            emission_strength=(30.0,),
        )
        meshed = scene(
            quad(6, "material:floor"), sheet, materials=(replace(floor, id="material:floor"), lamp)
        )
        view = View("floor", looking((1.5, 0.6, 0), (0, 0, 0)), 0.3)
        flats = [flatten(lit), flatten(meshed), flatten(meshed)]
        arrays = flats[2].arrays
        flats[2] = replace(
            flats[2],
            arrays=arrays._replace(
                glow_triangles=arrays.glow_triangles[:0], glow_density=arrays.glow_density * 0
            ),
        )
        means, errors = [], []
        for k, flat in enumerate(flats):
            pictures = render(flat, view, Quality(24, 24, 512 if k == 2 else 64, 2))
            per = (pictures.even - pictures.odd).reshape(-1, 3).mean(axis=1)
            means.append(float(pictures.radiance.mean()))
            errors.append(float(per.std() / 2 / math.sqrt(len(per))))
        for k in (1, 2):
            self.assertLess(abs(means[0] - means[k]), 3 * math.hypot(errors[0], errors[k]) + 1e-4)

    def test_a_lens_keeps_the_light_and_only_its_distance_sharp(self) -> None:
        texels = np.zeros((16, 16, 3), np.uint8)
        texels[:, ::2] = 255
        stripes = quad(2)
        given = scene(
            stripes,
            materials=(replace(material(base_color=Texture("image:t", "rgb", "linear")), unlit=True),),
            images=(image("t", texels),),
        )
        views = {
            focus: View("down", looking((0, 2, 0), (0, 0, 0), (0, 0, -1)), 0.1, 0.2, focus)
            for focus in (2.0, 1.0)
        }
        sharp, soft = (
            render(flatten(given), views[focus], Quality(64, 8, 64, 1)).radiance[..., 0]
            for focus in (2.0, 1.0)
        )
        self.assertGreater(float(sharp.std()), 4 * float(soft.std()))
        self.assertAlmostEqual(float(sharp.mean()), float(soft.mean()), delta=0.02)


class Work(TestCase):
    def small(self) -> tuple[Scene, View]:
        lamp = Light("light:p", "Lamp", "point", intensity=10.0)
        given = scene(
            quad(6),
            cube(0.4),
            materials=(material(**MATTE),),
            images=(sky(0.3),),
            lights=((lamp, looking((0, 1, 0.5), (0, 0, 0))),),
            environment=Environment("image:sky", 1.0),
        )
        return given, View("above", looking((1, 2, 2), (0, 0, 0)), 0.8)

    def test_going_on_gives_what_doing_it_at_once_gives(self) -> None:
        given, view = self.small()
        flat = flatten(given)
        whole = render(flat, view, Quality(40, 24, 21, 2))
        part = render(flat, view, Quality(40, 24, 5, 2))
        more = render(flat, view, Quality(40, 24, 21, 2), start=part)
        np.testing.assert_allclose(more.radiance, whole.radiance, rtol=2e-5, atol=1e-6)
        self.assertEqual((more.samples, more.rays), (whole.samples, whole.rays))
        self.assertEqual(passes(21, 5)[0][0], 5)

    def test_workers_of_any_kind_give_the_same_picture(self) -> None:
        given, view = self.small()
        flat = flatten(given)
        own = render(flat, view, Quality(64, 40, 3, 2))
        with ThreadPoolExecutor(2) as threads:
            shared = render(flat, view, Quality(64, 40, 3, 2), executor=threads)
        with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as processes:
            apart = render(flat, view, Quality(64, 40, 3, 2), executor=processes)
        self.assertTrue((own.radiance == shared.radiance).all())
        self.assertTrue((own.radiance == apart.radiance).all())
        self.assertTrue((own.ids == apart.ids).all())

    def test_a_time_budget_ends_the_work(self) -> None:
        given, view = self.small()
        made = render(flatten(given), view, Quality(64, 40, 100_000, 2, seconds=0.3))
        self.assertGreaterEqual(made.samples, 2)
        self.assertLess(made.samples, 100_000)

    def test_guides_tell_the_first_hit(self) -> None:
        given, _ = self.small()
        made = render(
            flatten(given), View("down", looking((2, 2, 0), (2, 0, 0), (0, 0, -1)), 0.2), Quality(8, 8, 4, 1)
        )
        np.testing.assert_allclose(made.guides[4, 4], [0.5, 0.5, 0.5, 0, 1, 0], atol=1e-5)


class Poses(TestCase):
    def rig(self) -> Scene:
        strip = replace(
            quad(2),
            joints=np.tile(np.array([[0, 1, 0, 0]], np.uint16), (4, 1)),
            weights=np.array([[1, 0, 0, 0], [0, 1, 0, 0]] * 2, np.float32),
        )
        grown = MorphTarget(np.tile(np.array([[0, 1.0, 0]], np.float32), (4, 1)))
        nodes = {
            "root": Node("root", "root", None, np.eye(4)),
            "tip": Node("tip", "tip", "root", np.eye(4)),
            "part:strip": Node("part:strip", "strip", None, np.eye(4), mesh="mesh:strip", skin="skin:a"),
            "part:block": Node("part:block", "block", None, np.eye(4), mesh="mesh:block"),
        }
        lift = Channel(
            "tip", "translation", np.array([0, 1], np.float32), np.array([[0, 0, 0], [0, 2, 0]], np.float32)
        )
        swell = Channel(
            "part:block", "weights", np.array([0, 1], np.float32), np.array([[0], [1]], np.float32)
        )
        meshes = {
            "mesh:strip": Mesh("mesh:strip", "strip", (strip,)),
            "mesh:block": Mesh("mesh:block", "block", (replace(quad(1), morphs=(grown,)),)),
        }
        return Scene(
            "rig",
            nodes,
            meshes,
            {"material:m": material()},
            skins={"skin:a": Skin("skin:a", "rig", ("root", "tip"), np.stack([np.eye(4)] * 2))},
            clips={"clip:a": Clip("clip:a", "Lift", (lift, swell))},
        )

    def test_a_clip_moves_joints_skins_and_morphs(self) -> None:
        for time, lifted in ((0.0, 0.0), (0.5, 1.0), (1.0, 2.0)):
            arrays = flatten(posed(self.rig(), "clip:a", time)).arrays
            strip, block = arrays.positions[:4], arrays.positions[4:]
            np.testing.assert_allclose(strip[:, 1], [0, lifted, 0, lifted], atol=1e-6)
            np.testing.assert_allclose(block[:, 1], time, atol=1e-6)

    def test_skins_are_drawn_where_their_joints_are(self) -> None:
        rig = self.rig()
        moved = replace(
            rig,
            nodes={
                **rig.nodes,
                "tip": replace(
                    rig.nodes["tip"],
                    matrix=np.array([[1, 0, 0, 0], [0, 1, 0, 3], [0, 0, 1, 0], [0, 0, 0, 1.0]]),
                ),
            },
            clips={},
        )
        np.testing.assert_allclose(flatten(moved).arrays.positions[:4, 1], [0, 3, 0, 3], atol=1e-6)
        normals = flatten(moved).arrays.normals[:4]
        np.testing.assert_allclose(np.linalg.norm(normals, axis=1), 1, atol=1e-5)
