"""Points that move one by one: read from a stage, and where they are between moments held against the library
that defines the format.
"""

from __future__ import annotations

import tempfile
from pathlib import Path
from unittest import TestCase

import numpy as np
import numpy.typing as npt
from pxr import Gf, Usd, UsdGeom, Vt

from trasloco.formats.bundle import Bundle
from trasloco.formats.gltf_read import read_gltf
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.receive import receive
from trasloco.formats.usd_points import kept_moments
from trasloco.render.posing import posed
from trasloco.scene.model import Primitive, Scene

RATE, SIDE = 24.0, 9
Doubles = npt.NDArray[np.float64]


def grid() -> tuple[Doubles, list[int], list[int]]:
    x, z = np.meshgrid(np.linspace(0, 1, SIDE), np.linspace(0, 1, SIDE))
    points = np.stack([x.ravel(), np.zeros(x.size), z.ravel()], axis=1)
    faces = [
        (r * SIDE + c, (r + 1) * SIDE + c, (r + 1) * SIDE + c + 1, r * SIDE + c + 1)
        for r in range(SIDE - 1)
        for c in range(SIDE - 1)
    ]
    return points, [4] * len(faces), [k for face in faces for k in face]


def stage_of(moments: dict[float, Doubles]) -> Usd.Stage:
    """A cloth of one metre whose points stand where they are told at each time code."""
    stage = Usd.Stage.CreateInMemory()
    stage.SetTimeCodesPerSecond(RATE)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    UsdGeom.SetStageUpAxis(stage, "Y")
    mesh = UsdGeom.Mesh.Define(stage, "/Cloth")
    _, sizes, order = grid()
    mesh.CreateFaceVertexCountsAttr(sizes)
    mesh.CreateFaceVertexIndicesAttr(order)
    mesh.CreateSubdivisionSchemeAttr("none")
    points = mesh.CreatePointsAttr()
    for code, held in moments.items():
        points.Set(Vt.Vec3fArray.FromNumpy(held.astype(np.float32)), code)
    return stage


def wave(time: float) -> Doubles:
    points, _, _ = grid()
    points[:, 1] = 0.1 * np.sin(6 * points[:, 0] + 3 * time)
    return points


def after(given: Scene, time_s: float) -> tuple[Primitive, ...]:
    """Primitives of the only part, as they are at a time of the only clip."""
    (clip,) = given.clips
    made = posed(given, clip, time_s)
    (part,) = made.parts()
    return made.meshes[part.mesh or ""].primitives


class PointMotion(TestCase):
    def scene(self, stage: Usd.Stage) -> tuple[Scene, dict[str, str]]:
        with tempfile.TemporaryDirectory() as place:
            path = Path(place) / "cloth.usdc"
            stage.Export(str(path))
            held = receive({"cloth.usdc": path.read_bytes()})
        return held.scene, {one.kind: f"{one.where} {one.consequence}" for one in held.findings}

    def heights(self, given: Scene, time_s: float) -> Doubles:
        """Points of the cloth at a time, in the order of the grid."""
        found = np.concatenate([p.positions for p in after(given, time_s)]).astype(float)
        order = np.lexsort((np.round(found[:, 0] * (SIDE - 1)), np.round(found[:, 2] * (SIDE - 1))))
        return np.asarray(found[order])

    def test_between_moments_they_are_where_the_format_says(self) -> None:
        stage = stage_of({float(k): wave(k / RATE) for k in range(49)})
        made, told = self.scene(stage)
        self.assertIn("49 moments", told["points_move"])
        attribute = UsdGeom.Mesh(stage.GetPrimAtPath("/Cloth")).GetPointsAttr()
        for code in (0.0, 3.0, 7.25, 20.5, 47.9):
            want = np.array(attribute.Get(Usd.TimeCode(code)), float)
            np.testing.assert_allclose(self.heights(made, code / RATE), want, atol=1.1e-4)

    def test_straight_ways_need_no_moments_between_and_are_exact(self) -> None:
        up = {float(k): wave(0) + np.array([0, 0.01 * k, 0]) for k in range(25)}
        made, told = self.scene(stage_of(up))
        (mesh,) = made.meshes.values()
        self.assertEqual(len(mesh.morph_names), 2)
        self.assertIn("25 moments, 2 kept", told["points_move"])
        np.testing.assert_allclose(self.heights(made, 6 / RATE), wave(0) + np.array([0, 0.06, 0]), atol=1e-6)

    def test_it_travels_through_a_glb(self) -> None:
        made, _ = self.scene(stage_of({float(k): wave(k / RATE) for k in range(0, 25, 4)}))
        arrived, _, _ = read_gltf("a.glb", Bundle({"a.glb": write_glb(made)}))
        for time in (0.1, 0.5, 0.9):
            np.testing.assert_allclose(self.heights(arrived, time), self.heights(made, time), atol=1e-6)

    def test_what_stands_still_or_changes_its_number_is_told_as_it_is(self) -> None:
        still, told = self.scene(stage_of({0.0: wave(0), 10.0: wave(0)}))
        self.assertEqual((len(still.clips), "points_move" in told), (0, False))
        stage = stage_of({0.0: wave(0), 10.0: wave(1)})
        points = UsdGeom.Mesh(stage.GetPrimAtPath("/Cloth")).GetPointsAttr()
        points.Set(Vt.Vec3fArray([Gf.Vec3f(0, 0, 0)] * 3), 20.0)
        _, told = self.scene(stage)
        self.assertIn("number of points changes", told["motion_unread"])

    def test_two_instances_of_one_cloth_both_move(self) -> None:
        inner = stage_of({0.0: wave(0), 24.0: wave(1)})
        stage = Usd.Stage.CreateInMemory()
        stage.SetTimeCodesPerSecond(RATE)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        for k in range(2):
            prim = stage.DefinePrim(f"/Held{k}")
            prim.GetReferences().AddReference(inner.GetRootLayer().identifier, "/Cloth")
        flat = Usd.Stage.Open(stage.Flatten())
        made, _ = self.scene(flat)
        (clip,) = made.clips.values()
        self.assertEqual(len({c.node for c in clip.channels if c.path == "weights"}), 2)

    def test_normals_turn_with_the_points(self) -> None:
        tilt, _, _ = grid()
        tilt[:, 1] = tilt[:, 0]
        flat, _, _ = grid()
        stage = stage_of({0.0: flat, 24.0: tilt})
        mesh = UsdGeom.Mesh(stage.GetPrimAtPath("/Cloth"))
        mesh.CreateNormalsAttr([(0, 1, 0)] * len(flat))
        mesh.SetNormalsInterpolation("vertex")
        made, _ = self.scene(stage)
        normals = np.concatenate([p.normals for p in after(made, 1.0) if p.normals is not None])
        # The plane y = x looks along (-1, 1, 0).
        np.testing.assert_allclose(normals, np.tile([-(0.5**0.5), 0.5**0.5, 0], (len(normals), 1)), atol=1e-5)


class KeptMoments(TestCase):
    def test_no_moment_is_farther_off_than_asked(self) -> None:
        times = np.linspace(0, 2, 60)
        offsets = np.sin(5 * times)[:, None, None] * np.ones((1, 4, 3), np.float32)
        kept, largest = kept_moments(offsets.astype(np.float32), times, 0.02)
        self.assertLess(len(kept), 40)
        rebuilt = np.stack([np.interp(times, times[kept], offsets[kept, 0, c]) for c in range(3)], axis=1)
        worst = float(np.linalg.norm(rebuilt - offsets[:, 0], axis=1).max())
        self.assertLessEqual(worst, 0.02 + 1e-6)
        self.assertAlmostEqual(worst, largest, places=5)
