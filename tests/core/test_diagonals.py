"""Quads cut along the diagonal that is asked for, and left alone where only one way can be."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import quad, scene
from trasloco import move
from trasloco.decisions.carrying_out import mended
from trasloco.mends.diagonals import turned_quads
from trasloco.scene.model import Decision, Primitive
from trasloco.sheets.library import built_in_sheets

SHEETS = built_in_sheets()


def four(points: list[tuple[float, float, float]]) -> Primitive:
    """Corners a, b, c, d, cut along a c."""
    corners = np.array(points, np.float32)
    return replace(
        quad(),
        positions=corners,
        normals=None,
        uvs=(corners[:, :2].copy(),),
        indices=np.array([[0, 1, 2], [0, 2, 3]], np.uint32),
    )


def cut(primitive: Primitive) -> set[int]:
    """The two vertices that both triangles have."""
    first, second = (set(map(int, t)) for t in primitive.indices)
    return first & second


def area(primitive: Primitive) -> float:
    p = primitive.positions[primitive.indices].astype(float)
    return float(np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2)


LONG = four([(0, 0, 0), (1, 0, 0), (3, 1, 0), (0, 1, 0)])


class Quads(TestCase):
    def test_the_shorter_diagonal_is_taken_and_the_surface_stays(self) -> None:
        made = turned_quads(LONG, "shorter")  # a c is sqrt(10), b d is sqrt(2)
        self.assertEqual(cut(made), {1, 3})
        self.assertAlmostEqual(area(made), area(LONG), places=6)
        self.assertEqual(cut(turned_quads(made, "shorter")), {1, 3})

    def test_a_bent_quad_is_cut_where_it_folds_least(self) -> None:
        # One corner lifted: along the diagonal through its neighbours each half is flat; both ways are tried
        # against the angles.
        bent = four([(0, 0, 0), (1, 0, 0), (1, 1, 0.6), (0, 1, 0)])

        def fold(p: Primitive) -> float:
            t = p.positions[p.indices].astype(float)
            n = np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0])
            n /= np.linalg.norm(n, axis=1, keepdims=True)
            return float(n[0] @ n[1])

        other = replace(bent, indices=np.array([[0, 1, 3], [1, 2, 3]], np.uint32))
        self.assertAlmostEqual(fold(turned_quads(bent, "flatter")), max(fold(bent), fold(other)), places=9)

    def test_a_quad_that_is_not_convex_is_left(self) -> None:
        arrow = four(
            [(0, 0, 0), (1, -1, 0), (0.3, 0, 0), (1, 1, 0)]
        )  # c is inside: only a c keeps both halves the right way round
        self.assertEqual(cut(turned_quads(arrow, "shorter")), cut(arrow))
        np.testing.assert_array_equal(turned_quads(arrow, "flatter").indices, arrow.indices)

    def test_neighbours_that_are_no_quad_are_left(self) -> None:
        corner = four([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0.5, 0.5, 3)])  # folded by more than sixty degrees
        np.testing.assert_array_equal(turned_quads(corner, "shorter").indices, corner.indices)

    def test_the_choice_is_kept_to_the_destination(self) -> None:
        given = scene(LONG)
        reference = mended(given, SHEETS["plain"], [Decision("part:Thing 1", "diagonals", "shorter")])
        for name in ("lanterna", "fornace", "taccuino"):
            sheet = SHEETS[name]
            arrival = move.arrive(
                move.package(
                    move.carry(reference, move.plan(reference, SHEETS["plain"], sheet), sheet), sheet
                ),
                sheet,
            )
            p = next(p for m in arrival.meshes.values() for p in m.primitives)
            corners = [
                np.array(v) for v in {tuple(np.round(v, 4)) for v in p.positions[p.indices.reshape(-1)]}
            ]
            shared = [
                v
                for v in corners
                if all(any(np.allclose(v, p.positions[k], atol=1e-3) for k in t) for t in p.indices)
            ]
            apart = [v for v in corners if not any(v is s for s in shared)]
            self.assertEqual((len(corners), len(shared)), (4, 2))
            # In any unit: the diagonal that was not taken is sqrt(10) / sqrt(2) times as long.
            self.assertAlmostEqual(
                float(np.linalg.norm(apart[0] - apart[1]) / np.linalg.norm(shared[0] - shared[1])),
                5**0.5,
                places=2,
            )
