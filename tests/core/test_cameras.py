"""Cameras as cargo: focus, f-stop, sensor, clipping and frame through the formats that hold them; framing
kept in pictures of another shape.
"""

from __future__ import annotations

import math
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import TestCase

import numpy as np
from pxr import Usd, UsdGeom

from tests.core.test_usd_files import stage_bytes
from tests.making import material, quad, scene, sky
from trasloco import move
from trasloco.decisions.carrying_out import mended
from trasloco.fit.lights import cameras_of
from trasloco.formats.receive import receive
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render, views_of
from trasloco.render.seen import seen_by
from trasloco.scene.lit import Camera, Environment
from trasloco.scene.model import Decision, Node, Scene
from trasloco.scene.transforms import compose, looking
from trasloco.sheets.library import sheet_named

PLAIN = sheet_named("plain")


def filmed(**more: object) -> Scene:
    given = scene(
        quad(2.0),
        materials=(material(base_color=(0.8,) * 3),),
        images=(sky(1.0),),
        environment=Environment("image:sky", 1.0),
    )
    camera = replace(Camera("camera:c", "Eye", 0.5, 1.5, 0.05, 80.0), **more)  # type: ignore[arg-type]
    return replace(
        given,
        cameras={camera.id: camera},
        nodes={
            **given.nodes,
            "part:Eye": Node("part:Eye", "Eye", None, looking((0, 2.0, 0.001), (0, 0, 0)), camera=camera.id),
        },
    )


class Placed(TestCase):
    PLACE = looking((1.0, 2.0, 3.0), (0.0, 0.5, 0.0))

    def shot(self, target: str, **more: object) -> Decision:
        place = [float(v) for v in self.PLACE.ravel()]
        return Decision(target, "shot", {"matrix": place, "yfov_rad": 0.7, **more})

    def world(self, given: Scene, camera: str) -> np.ndarray:
        node = next(n for n in given.nodes.values() if n.camera == camera)
        return given.world_matrices()[node.id]

    def test_one_stands_where_it_is_put_whatever_holds_it(self) -> None:
        given = filmed()
        boom = Node("part:boom", "Boom", None, compose((4.0, 5.0, 6.0), (0, 0.6, 0, 0.8)))
        eye = replace(given.nodes["part:Eye"], parent=boom.id)
        given = replace(given, nodes={boom.id: boom, **given.nodes, eye.id: eye})
        made = mended(given, PLAIN, [self.shot("camera:c")])
        np.testing.assert_allclose(self.world(made, "camera:c"), self.PLACE, atol=1e-9)
        self.assertAlmostEqual(made.cameras["camera:c"].yfov_rad, 0.7)

    def test_a_new_one_travels_and_its_angle_may_be_changed(self) -> None:
        decisions = [
            self.shot("camera:made-1", name="From the wings", aspect=1.5),
            Decision("camera:made-1", "yfov_deg", 30.0),
        ]
        made = mended(filmed(), PLAIN, [*decisions[:1]])
        self.assertEqual([c.name for c in made.cameras.values()], ["Eye", "From the wings"])
        wider = mended(filmed(), PLAIN, decisions).cameras["camera:made-1"]
        self.assertAlmostEqual(math.degrees(wider.yfov_rad), 30.0)
        for sheet in ("lanterna", "fornace"):
            with self.subTest(sheet):
                target = sheet_named(sheet)
                plan = move.plan(made, PLAIN, target, decisions)
                arrived = move.arrive(move.package(move.carry(made, plan, target), target), target)
                camera = next(c for c in arrived.cameras.values() if "wings" in c.name.lower())
                np.testing.assert_allclose(self.world(arrived, camera.id), self.PLACE, atol=1e-5)
                self.assertAlmostEqual(camera.yfov_rad, 0.7, 5)

    def test_none_takes_it_away_again(self) -> None:
        gone = [self.shot("camera:made-1", name="Eye 2"), Decision("camera:made-1", "shot", None)]
        self.assertEqual(list(mended(filmed(), PLAIN, gone).cameras), ["camera:c"])


class Lenses(TestCase):
    def test_the_opening_is_focal_length_over_twice_the_f_stop(self) -> None:
        # 24 mm of sensor and 26.99 degrees are a lens of 50 mm; at f/2 its opening is 25 mm wide.
        lens = Camera("c", "C", 2 * math.atan(12 / 50), focus_m=3.0, f_stop=2.0)
        self.assertAlmostEqual(lens.focal_mm, 50.0)
        self.assertAlmostEqual(lens.lens_radius_m, 0.0125)
        self.assertEqual(
            (replace(lens, f_stop=None).lens_radius_m, replace(lens, focus_m=None).lens_radius_m), (0.0, 0.0)
        )

    def test_they_arrive_where_the_destination_has_a_place_for_them(self) -> None:
        given = filmed(focus_m=1.8, f_stop=2.8, sensor_mm=20.0)
        for name, mark, kept in (
            ("lanterna", "exact", True),
            ("fornace", "exact", True),
            ("taccuino", "close", False),
        ):
            sheet = sheet_named(name)
            self.assertEqual([c.mark for c in cameras_of(given, sheet)], [mark])
            arrival = move.arrive(
                move.package(move.carry(given, move.plan(given, PLAIN, sheet), sheet), sheet), sheet
            )
            lens = next(iter(arrival.cameras.values()))
            np.testing.assert_allclose([lens.yfov_rad, lens.aspect or 0], [0.5, 1.5], rtol=1e-5)
            self.assertEqual(lens.focus_m is not None, kept, name)
            if kept:
                np.testing.assert_allclose(
                    [lens.focus_m or 0, lens.f_stop or 0, lens.sensor_mm], [1.8, 2.8, 20.0], rtol=1e-5
                )
            np.testing.assert_allclose([lens.znear, lens.zfar or 0], [0.05, 80.0], rtol=1e-5)

    def test_they_are_set_by_decision(self) -> None:
        made = mended(
            filmed(),
            PLAIN,
            [
                Decision("camera:c", "focus_m", 2.0),
                Decision("camera:c", "f_stop", 4.0),
                Decision("camera:c", "yfov_deg", 40.0),
                Decision("camera:c", "aspect", None),
            ],
        ).cameras["camera:c"]
        self.assertEqual((made.focus_m, made.f_stop, made.aspect), (2.0, 4.0, None))
        self.assertAlmostEqual(math.degrees(made.yfov_rad), 40.0)


class Shifted(TestCase):
    """Frames that lie off the middle that the lens looks at."""

    SHIFT = (0.2, -0.1)  # to the right, and up

    def corners(self, given: Scene) -> np.ndarray:
        """Tangents right and up of the frame's lower left and upper right corner, as pictures are drawn."""
        (view,) = views_of(given)
        looks = seen_by(flatten(given).rays, view, 600, 400).looks
        inside = looks[[-1, 0], [0, -1]] @ np.linalg.inv(view.matrix[:3, :3]).T
        return np.asarray(inside[:, :2] / -inside[:, 2:])

    def test_what_usd_says_of_them_is_what_is_drawn(self) -> None:
        """UsdGeomCamera: offsets of the aperture, by USD's own frustum (one metre before the eye)."""
        given = filmed(shift=self.SHIFT)
        for name in ("fornace", "plancia"):
            sheet = sheet_named(name)
            self.assertEqual([c.mark for c in cameras_of(given, sheet)], ["exact"])
            package = move.package(move.carry(given, move.plan(given, PLAIN, sheet), sheet), sheet)
            files = package.files
            with tempfile.TemporaryDirectory() as folder:
                for path, data in files.items():
                    there = Path(folder, path)
                    there.parent.mkdir(parents=True, exist_ok=True)
                    there.write_bytes(data)
                main = next(path for path in files if path.endswith((".usda", ".usdc", ".usd")))
                stage = Usd.Stage.Open(str(Path(folder, main)))
                lens = next(UsdGeom.Camera(p) for p in stage.Traverse() if p.IsA(UsdGeom.Camera))
                window = lens.GetCamera().frustum.window
            wanted = np.array([[*window.min], [*window.max]])
            np.testing.assert_allclose(self.corners(given), wanted, atol=4e-3, err_msg=name)
            (camera,) = move.arrive(package, sheet).cameras.values()
            np.testing.assert_allclose(camera.shift, self.SHIFT, rtol=1e-5)

    def test_where_there_is_no_place_for_them_it_is_told(self) -> None:
        (told,) = cameras_of(filmed(shift=self.SHIFT), sheet_named("taccuino"))
        self.assertEqual(told.mark, "close")
        self.assertIn("looks at its middle", told.text)

    def test_an_aperture_without_a_width_shifts_nothing(self) -> None:
        def empty(stage: Any) -> None:
            lens = UsdGeom.Camera.Define(stage, "/Eye")
            lens.CreateHorizontalApertureAttr(0.0)
            lens.CreateHorizontalApertureOffsetAttr(3.0)

        (camera,) = receive({"s.usda": stage_bytes(".usda", empty)}).scene.cameras.values()
        self.assertEqual(camera.shift, (0.0, 0.0))

    def test_one_that_is_made_from_a_picture_keeps_it(self) -> None:
        place = [float(v) for v in looking((1.0, 2.0, 3.0), (0.0, 0.5, 0.0)).ravel()]
        shot = {"matrix": place, "yfov_rad": 0.7, "name": "Cut", "aspect": 1.5, "shift": [0.2, -0.1]}
        made = mended(filmed(), PLAIN, [Decision("camera:made-1", "shot", shot)])
        self.assertEqual(made.cameras["camera:made-1"].shift, self.SHIFT)
        self.assertEqual(views_of(made)[1].shift, self.SHIFT)


class Framing(TestCase):
    def seen(self, width: int, height: int) -> tuple[float, float]:
        """Share of the picture's width and height that the square fills, looked at straight from above."""
        given = filmed(yfov_rad=2 * math.atan(1.0 / 2.0), aspect=1.0)
        ids = render(flatten(given), views_of(given)[0], Quality(width, height, 1, 0)).ids[..., 0] >= 0
        return float(ids.any(axis=0).mean()), float(ids.any(axis=1).mean())

    def test_a_frame_is_held_whole_in_a_picture_of_another_shape(self) -> None:
        # A frame as wide as high, filled by the square: in a wide picture its height fits, in a tall one its
        # width.
        for (width, height), wanted in (
            ((64, 64), (1.0, 1.0)),
            ((128, 64), (0.5, 1.0)),
            ((64, 128), (1.0, 0.5)),
        ):
            np.testing.assert_allclose(self.seen(width, height), wanted, atol=0.04)
