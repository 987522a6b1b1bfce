"""USD shapes stated by numbers, and placed copies."""

import math
from typing import Any
from unittest import TestCase

import numpy as np
from pxr import Gf, UsdGeom

from tests.core.test_usd_files import stage_bytes
from trasloco.formats.receive import receive


def shapes(stage: Any) -> None:
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    UsdGeom.Cube.Define(stage, "/Cube").CreateSizeAttr(3.0)
    UsdGeom.Sphere.Define(stage, "/Sphere").CreateRadiusAttr(2.0)
    for path, kind in (
        ("/Cylinder", UsdGeom.Cylinder),
        ("/Cone", UsdGeom.Cone),
        ("/Capsule", UsdGeom.Capsule),
    ):
        made = kind.Define(stage, path)
        made.CreateRadiusAttr(0.5)
        made.CreateHeightAttr(4.0)
        made.CreateAxisAttr("X")
    plane = UsdGeom.Plane.Define(stage, "/Plane")
    plane.CreateWidthAttr(2.0)
    plane.CreateLengthAttr(6.0)
    plane.CreateAxisAttr("Y")
    plane.CreateDisplayColorAttr([Gf.Vec3f(0.25, 0.5, 1.0)])


def placed(stage: Any) -> None:
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    instancer = UsdGeom.PointInstancer.Define(stage, "/Nails")
    head = UsdGeom.Xform.Define(stage, "/Nails/kinds/head")
    head.AddScaleOp().Set(Gf.Vec3f(2, 2, 2))
    UsdGeom.Cube.Define(stage, "/Nails/kinds/head/block")
    UsdGeom.Sphere.Define(stage, "/Nails/kinds/ball")
    instancer.CreatePrototypesRel().SetTargets(["/Nails/kinds/head", "/Nails/kinds/ball"])
    instancer.CreateProtoIndicesAttr([0, 1, 0, 0])
    instancer.CreatePositionsAttr(
        [Gf.Vec3f(0, 0, 0), Gf.Vec3f(5, 0, 0), Gf.Vec3f(0, 7, 0), Gf.Vec3f(0, 0, 50)]
    )
    instancer.CreateIdsAttr([10, 11, 12, 13])
    instancer.CreateInvisibleIdsAttr([13])


class Shapes(TestCase):
    def test_surfaces_face_outward_and_hold_the_volume_their_numbers_say(self) -> None:
        scene = receive({"s.usda": stage_bytes(".usda", shapes)}).scene
        exact = {
            "Cube": 27.0,
            "Sphere": 4 / 3 * math.pi * 8,
            "Cylinder": math.pi * 0.25 * 4,
            "Cone": math.pi * 0.25 * 4 / 3,
            "Capsule": math.pi * 0.25 * 4 + 4 / 3 * math.pi * 0.125,
        }
        found = {part.name: scene.meshes[part.mesh or ""].primitives[0] for part in scene.parts()}
        self.assertEqual(set(found), {*exact, "Plane"})
        for name, primitive in found.items():
            with self.subTest(name):
                corners = primitive.positions[primitive.indices].astype(np.float64)
                across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
                if name in exact:
                    volume = float(
                        np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])).sum() / 6
                    )
                    self.assertLess(abs(volume / exact[name] - 1), 0.01)
                self.assertTrue(
                    (np.einsum("ij,ikj->ik", across, primitive.normals[primitive.indices]) > 0).all()
                )
                np.testing.assert_allclose(np.linalg.norm(primitive.normals, axis=1), 1, atol=1e-6)

    def test_axes_and_sizes(self) -> None:
        scene = receive({"s.usda": stage_bytes(".usda", shapes)}).scene
        found = {part.name: scene.meshes[part.mesh or ""].primitives[0] for part in scene.parts()}
        np.testing.assert_allclose(np.ptp(found["Cylinder"].positions, axis=0), (4, 1, 1), atol=1e-6)
        np.testing.assert_allclose(np.ptp(found["Capsule"].positions, axis=0), (5, 1, 1), atol=1e-6)
        self.assertEqual(float(np.ptp(found["Plane"].positions[:, 1])), 0.0)
        np.testing.assert_allclose(found["Plane"].normals, np.tile([0, 1, 0], (4, 1)), atol=1e-7)
        np.testing.assert_allclose(found["Plane"].colors, np.tile([0.25, 0.5, 1, 1], (4, 1)), atol=1e-6)
        # The cone's point lies along its axis.
        cone = found["Cone"].positions
        self.assertLess(float(np.abs(cone[cone[:, 0] > 1.999][:, 1:]).max()), 1e-6)

    def test_placed_copies_stand_where_they_are_put_and_share_what_they_are(self) -> None:
        scene = receive({"s.usda": stage_bytes(".usda", placed)}).scene
        world = scene.world_matrices()
        at = sorted(
            (
                scene.meshes[part.mesh or ""].name,
                *np.round(world[part.id][:3, 3], 6).tolist(),
                round(float(world[part.id][0, 0]), 6),
            )
            for part in scene.parts()
        )
        self.assertEqual(at, [("ball", 5, 0, 0, 1), ("block", 0, 0, 0, 2), ("block", 0, 7, 0, 2)])
        self.assertEqual(len({part.mesh for part in scene.parts()}), 2)

    def test_copies_that_do_not_fit_are_told(self) -> None:
        def broken(stage: Any) -> None:
            placed(stage)
            UsdGeom.PointInstancer.Get(stage, "/Nails").GetProtoIndicesAttr().Set([0, 9, 0, 0])

        received = receive({"s.usda": stage_bytes(".usda", broken)})
        self.assertIn("Placed copies do not fit together", {f.title for f in received.findings})
