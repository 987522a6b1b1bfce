"""Geometry as it is wanted: reduced with borders held and the distance measured, subdivided by Loop's rules,
carried into the package.
"""

from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np
from trimesh.triangles import closest_point

from tests.core.test_paint import ball
from tests.making import DECLARED, cube, material, scene
from trasloco import move
from trasloco.fit.geometry.deviation import deviation
from trasloco.fit.geometry.nearest_triangle import distances
from trasloco.fit.geometry.reducing import reduced
from trasloco.fit.geometry.subdividing import subdivided
from trasloco.mends.faces import with_normals
from trasloco.scene.geometry import face_vectors, smooth_normals
from trasloco.scene.model import Decision, Primitive
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.text import changed

PLAIN, LANTERNA = (built_in_sheets()[name] for name in ("plain", "lanterna"))


def grid(side: int, seam: bool = False, height: Any = None) -> Primitive:
    """A square of side 1 in the XZ plane of side² cells, UVs as positions; with ``seam`` the UVs jump at half
    its width.
    """
    u, v = np.meshgrid(np.linspace(0, 1, side + 1), np.linspace(0, 1, side + 1), indexing="ij")
    flat = np.stack([u.ravel(), np.zeros(u.size), v.ravel()], 1)
    if height is not None:
        flat[:, 1] = height(flat[:, 0], flat[:, 2])
    n = side + 1
    cells = [
        (i * n + j, (i + 1) * n + j, i * n + j + 1, (i + 1) * n + j + 1, i)
        for i in range(side)
        for j in range(side)
    ]
    faces = np.array([t for a, b, c, d, _ in cells for t in ((a, c, b), (b, c, d))], np.uint32)
    uv = flat[:, [0, 2]]
    if seam:
        right = np.repeat(np.array([i for *_, i in cells]) >= side // 2, 2)
        border = np.flatnonzero(np.isclose(flat[:, 0], 0.5))
        copy = np.full(len(flat), -1)
        copy[border] = len(flat) + np.arange(len(border))
        faces = np.where(right[:, None] & (copy[faces] >= 0), copy[faces], faces).astype(np.uint32)
        flat = np.concatenate([flat, flat[border]])
        uv = np.concatenate([uv, uv[border] + [5, 0]])
        later = np.unique(faces[right])
        uv[later] = flat[later][:, [0, 2]] + [5, 0]
    positions = flat.astype(np.float32)
    return Primitive(
        positions,
        faces,
        smooth_normals(positions, faces).astype(np.float32),
        None,
        (uv.astype(np.float32),),
        None,
        material="material:m",
    )


class Distances(TestCase):
    def test_points_and_triangles(self) -> None:
        triangle = np.array([[[0, 0, 0], [1, 0, 0], [0, 1, 0]]], float)
        for point, wanted in (
            ((0.2, 0.2, 0.5), 0.5),
            ((-1, 0.5, 0), 1.0),
            ((2, 0, 0), 1.0),
            ((1, 1, 0), np.sqrt(0.5)),
            ((0, 0, -2), 2.0),
            ((-3, -4, 0), 5.0),
        ):
            self.assertAlmostEqual(float(distances(np.array([point], float), triangle)[0]), wanted, places=9)
        flat = np.zeros((1, 3, 3))
        self.assertAlmostEqual(float(distances(np.array([[3.0, 4.0, 0.0]]), flat)[0]), 5.0)
        self.assertEqual(distances(np.zeros((1, 3)), np.zeros((0, 3, 3)))[0], np.inf)

    def test_the_nearest_of_many_is_what_a_library_finds_among_all(self) -> None:
        rng = np.random.default_rng(3)
        for count in (1, 4, 5, 333):
            triangles = rng.normal(size=(count, 3, 3))
            triangles[::50, 2] = triangles[::50, 1]  # some are lines
            points = np.concatenate([rng.normal(size=(40, 3)) * 2, triangles[0]])
            wanted = [
                np.linalg.norm(closest_point(triangles, np.repeat(p[None], count, 0)) - p, axis=1).min()
                for p in points
            ]
            np.testing.assert_allclose(distances(points, triangles), wanted, atol=1e-9)

    def test_two_planes_and_a_ball(self) -> None:
        plane = grid(4)
        found = deviation(
            (plane.positions, plane.indices), (plane.positions + np.float32([0, 0.25, 0]), plane.indices)
        )
        self.assertAlmostEqual(found.largest, 0.25, places=6)
        self.assertAlmostEqual(found.mean, 0.25, places=6)
        same = deviation((plane.positions, plane.indices), (plane.positions, plane.indices))
        self.assertLess(same.largest, 1e-6)
        fine, coarse = ball(48), ball(12)
        self.assertGreater(
            deviation((fine.positions, fine.indices), (coarse.positions, coarse.indices)).largest, 0.005
        )


class Reducing(TestCase):
    def test_a_budget_is_kept_and_the_surface_stays_near(self) -> None:
        fine = ball(48)
        made, anew = reduced(fine, 800)
        self.assertFalse(anew)
        self.assertLessEqual(len(made.indices), 800)
        found = deviation((fine.positions, fine.indices), (made.positions, made.indices))
        # On a ball of radius 1 a triangle of circumradius R lies R^2 / 2 deep; no side is longer than the
        # longest, and R is at most that for triangles that are not flat.
        longest = float(
            np.linalg.norm(
                made.positions[made.indices] - made.positions[np.roll(made.indices, 1, axis=1)], axis=2
            ).max()
        )
        self.assertLess(found.largest, longest**2 / 2)
        self.assertLess(found.mean, 4 * np.pi / len(made.indices))
        old = {tuple(row) for row in np.concatenate([fine.positions, fine.uvs[0]], 1).round(6).tolist()}
        self.assertTrue(
            {tuple(row) for row in np.concatenate([made.positions, made.uvs[0]], 1).round(6).tolist()} <= old
        )

    def test_a_flat_square_keeps_its_border_and_its_area(self) -> None:
        made, _ = reduced(grid(16), 80)
        self.assertLess(len(made.indices), 120)
        area = np.linalg.norm(face_vectors(made.positions, made.indices), axis=1).sum() / 2
        self.assertAlmostEqual(area, 1.0, places=5)
        edge = {tuple(p) for p in grid(16).positions.tolist() if p[0] in (0, 1) or p[2] in (0, 1)}
        self.assertTrue(edge <= {tuple(p) for p in made.positions.tolist()})

    def test_a_uv_seam_stays_closed_and_split(self) -> None:
        made, _ = reduced(grid(16, seam=True), 120)
        on = np.isclose(made.positions[:, 0], 0.5)
        left, right = on & (made.uvs[0][:, 0] < 2), on & (made.uvs[0][:, 0] > 2)
        self.assertEqual(
            {tuple(p) for p in made.positions[left].tolist()},
            {tuple(p) for p in made.positions[right].tolist()},
        )
        for face in made.indices:
            self.assertLess(float(np.ptp(made.uvs[0][face][:, 0])), 1.01)
        area = np.linalg.norm(face_vectors(made.positions, made.indices), axis=1).sum() / 2
        self.assertAlmostEqual(area, 1.0, places=5)

    def test_hard_edges_everywhere_are_given_up_only_when_nothing_else_helps(self) -> None:
        hard = with_normals(ball(24), 0.0)
        made, anew = reduced(hard, 400)
        self.assertTrue(anew)
        self.assertLessEqual(len(made.indices), 420)

    def test_what_is_small_enough_stays_as_it_is(self) -> None:
        box = cube()
        self.assertIs(reduced(box, 12)[0], box)


class Subdividing(TestCase):
    def test_a_hard_cube_stays_the_same_cube(self) -> None:
        box = with_normals(cube(2.0), 0.1)
        for level in (1, 2, 3):
            made = subdivided(box, level)
            self.assertEqual(len(made.indices), 12 * 4**level)
            np.testing.assert_allclose(np.abs(made.positions).max(axis=1), 1, atol=1e-6)
            assert made.normals is not None
            self.assertEqual(len(np.unique(made.normals.round(4), axis=0)), 6)
            areas = np.linalg.norm(face_vectors(made.positions, made.indices), axis=1) / 2
            self.assertAlmostEqual(float(areas.sum()), 24, places=4)

    def test_loops_rules_on_a_tetrahedron(self) -> None:
        # Valence 3: beta = (5/8 - (3/8 + cos(120°)/4)²) / 3 = 3/16, so a corner moves to 7/16 v + 3/16 of its
        # three neighbours' sum; an edge's middle is 3/8 of its ends and 1/8 of the two others.
        corners = np.array([[1, 1, 1], [1, -1, -1], [-1, 1, -1], [-1, -1, 1]], np.float32)
        body = Primitive(
            corners, np.array([[0, 1, 2], [0, 3, 1], [0, 2, 3], [1, 3, 2]], np.uint32), material="material:m"
        )
        made = subdivided(body, 1)
        np.testing.assert_allclose(
            made.positions[0], 7 / 16 * corners[0] + 3 / 16 * corners[1:].sum(0), atol=1e-6
        )
        wanted = 3 / 8 * (corners[0] + corners[1]) + 1 / 8 * (corners[2] + corners[3])
        self.assertLess(float(np.abs(made.positions - wanted).max(axis=1).min()), 1e-6)

    def test_a_plane_stays_flat_and_its_uvs_linear(self) -> None:
        made = subdivided(grid(4, seam=True), 2)
        np.testing.assert_allclose(made.positions[:, 1], 0, atol=1e-7)
        inner = (made.positions[:, [0, 2]] > 0.26).all(axis=1) & (made.positions[:, [0, 2]] < 0.74).all(
            axis=1
        )
        shift = made.uvs[0] - made.positions[:, [0, 2]]
        np.testing.assert_allclose(shift[inner][:, 0] % 5, 0, atol=1e-5)
        self.assertEqual({round(float(v)) for v in shift[:, 0]}, {0, 5})

    def test_moving_first_or_after_is_the_same(self) -> None:
        body = ball(8)
        turn = np.array([[0.0, 2.0, 0.3], [1.0, 0.0, 0.0], [0.1, 0.0, 3.0]])
        there = subdivided(
            replace(body, positions=(body.positions @ turn.T + 5).astype(np.float32), normals=None), 2
        ).positions
        np.testing.assert_allclose(
            subdivided(replace(body, normals=None), 2).positions @ turn.T + 5, there, atol=2e-5
        )

    def test_a_ball_becomes_smoother(self) -> None:
        body = ball(10)
        made = subdivided(body, 2)
        assert made.normals is not None
        radial = made.positions / np.linalg.norm(made.positions, axis=1, keepdims=True)
        middle = np.abs(radial[:, 1]) < 0.8
        self.assertGreater(float((made.normals * radial).sum(1)[middle].min()), 0.98)


class Moves(TestCase):
    def test_the_artists_budget_and_the_sheets_limit(self) -> None:
        given = replace(
            scene(ball(32), cube(), materials=(material(),), names=("Ball", "Box")), declares=DECLARED
        )
        count = len(ball(32).indices)
        for decisions, sheet, most in (
            ([Decision("part:Ball", "triangles", 500)], LANTERNA, 500),
            ([Decision("scene", "triangles", 800)], LANTERNA, 800),
            ([], changed(LANTERNA, {"geometry.most_triangles": 600}), 600),
            (
                [Decision("part:Ball", "triangles", 900)],
                changed(LANTERNA, {"geometry.most_triangles": 300}),
                300,
            ),
        ):
            plan = move.plan(given, PLAIN, sheet, decisions)
            self.assertEqual([m.parts for m in plan.meshes if m.parts == ("part:Ball",)], [("part:Ball",)])
            crossing = next(m for m in plan.meshes if m.parts == ("part:Ball",))
            self.assertEqual((crossing.mark, crossing.before), ("close", count))
            self.assertLessEqual(crossing.after, most)
            arrival = move.arrive(move.package(move.carry(given, plan, sheet), sheet), sheet)
            arrived = {
                n.name: sum(len(p.indices) for p in arrival.meshes[n.mesh or ""].primitives)
                for n in arrival.parts()
            }
            self.assertEqual(arrived["Ball"], crossing.after)
            assert crossing.largest_m is not None
            self.assertGreater(crossing.largest_m, 0)
        self.assertEqual(move.plan(given, PLAIN, LANTERNA).meshes, ())

    def test_distances_are_told_in_metres(self) -> None:
        given = replace(scene(ball(32), materials=(material(),), names=("Ball",)), declares=DECLARED)
        large = replace(
            given,
            nodes={id: replace(n, matrix=np.diag([4.0, 4.0, 4.0, 1.0])) for id, n in given.nodes.items()},
        )
        small_far, large_far = (
            move.plan(s, PLAIN, LANTERNA, [Decision("part:Ball", "triangles", 400)]).meshes[0].largest_m
            for s in (given, large)
        )
        assert small_far is not None and large_far is not None
        self.assertAlmostEqual(large_far / small_far, 4, places=4)

    def test_subdivision_arrives(self) -> None:
        given = replace(
            scene(with_normals(cube(), 0.1), materials=(material(),), names=("Box",)), declares=DECLARED
        )
        plan = move.plan(given, PLAIN, LANTERNA, [Decision("part:Box", "subdivide", 2)])
        self.assertEqual((plan.meshes[0].after, plan.meshes[0].mark), (192, "close"))
        self.assertLess(plan.meshes[0].largest_m or 1, 1e-6)
