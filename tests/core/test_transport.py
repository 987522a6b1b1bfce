"""How light gets about, against closed forms: area lights, a wide sun, glass and what it absorbs, light under
the skin, lenses, poses, layers, workers.
"""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import cube, image, material, quad, scene, sky
from trasloco.hands.processes import Processes
from trasloco.hands.threads import Threads
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, passes, render
from trasloco.render.posing import posed
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import (
    Channel,
    Clip,
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
        shared = render(flat, view, Quality(64, 40, 3, 2), hands=Threads(1))
        with Processes(2) as processes:
            apart = render(flat, view, Quality(64, 40, 3, 2), hands=processes)
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
