"""Few things are gone through without a compiler, and come to the same as many by compiled code and by
libraries.
"""

from __future__ import annotations

import pickle
import subprocess
import sys
from unittest import TestCase, mock

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from trasloco.kernel import FEW, njit
from trasloco.rays import nearest as rays
from trasloco.rays.embree import RayScene
from trasloco.scene import welding

RANDOM = np.random.default_rng(5)
TELL = """
import pickle, sys
from tests.core.test_few import welded
found = welded(*pickle.loads(sys.stdin.buffer.read()))
sys.stdout.buffer.write(pickle.dumps((found, "numba" in sys.modules)))
"""


def tangled() -> tuple[np.ndarray, ...]:
    """Points some of which meet, triangles over them some of which have two equal corners, and pairs."""
    positions = (RANDOM.integers(0, 9, (300, 3)) / 8).astype(np.float32)
    triangles = RANDOM.integers(0, 300, (200, 3)).astype(np.int32)
    normals = RANDOM.normal(size=(300, 3)).astype(np.float32)
    first, second = RANDOM.integers(0, 300, (2, 150)).astype(np.int32)
    return positions, triangles, normals, first, second


def welded(
    positions: np.ndarray, triangles: np.ndarray, normals: np.ndarray, first: np.ndarray, second: np.ndarray
) -> list[np.ndarray]:
    """All that is told of them, one array after another."""
    count = len(positions)
    return [
        *map(np.asarray, welding.near_points(positions, 1e-3)),
        welding.pieces_of(triangles, count),
        *welding.edge_table(triangles, count),
        *welding.face_facts(positions, triangles),
        welding.normals_against(positions, triangles, normals),
        welding.joined(first, second, count),
    ]


class Welding(TestCase):
    def test_a_process_without_a_compiler_finds_what_compiled_code_finds(self) -> None:
        given = tangled()
        told = subprocess.run([sys.executable, "-c", TELL], input=pickle.dumps(given), capture_output=True)
        self.assertEqual(told.returncode, 0, told.stderr)
        plain, compiler = pickle.loads(told.stdout)
        self.assertFalse(compiler)
        with mock.patch("trasloco.kernel.FEW", -1):
            compiled = welded(*given)
        for one, other in zip(plain, compiled, strict=True):
            self.assertEqual(one.dtype, other.dtype)
            np.testing.assert_allclose(one, other, rtol=1e-14)

    def test_what_hangs_together_is_what_a_library_finds(self) -> None:
        for count, pairs in ((1, 0), (7, 3), (400, 150), (400, 390), (30_000, 29_000)):
            first, second = RANDOM.integers(0, count, (2, pairs))
            graph = coo_matrix((np.ones(pairs, np.int8), (first, second)), shape=(count, count))
            _, label = connected_components(graph, directed=False)
            np.testing.assert_array_equal(welding.joined(first, second, count), label)

    def test_many_are_left_to_compiled_code(self) -> None:
        kernel = njit()(lambda count: count)
        with mock.patch.dict(sys.modules):
            sys.modules.pop("numba", None)
            self.assertIs(kernel.of(FEW), kernel.plain)
            self.assertIs(kernel.of(FEW + 1), kernel)
        self.assertIs(kernel.of(1), kernel)


class Rays(TestCase):
    def test_one_by_one_they_hit_what_they_hit_in_threads(self) -> None:
        positions = RANDOM.uniform(-1, 1, (90, 3)).astype(np.float32)
        scene = RayScene(positions, np.arange(90, dtype=np.uint32).reshape(-1, 3))
        origins = RANDOM.uniform(-2, 2, (rays.FEW, 3)).astype(np.float32)
        directions = RANDOM.normal(size=(rays.FEW, 3)).astype(np.float32)
        few = rays.nearest(scene, origins, directions)
        with mock.patch.object(rays, "FEW", 0):
            many = rays.nearest(scene, origins, directions)
        self.assertGreater(np.count_nonzero(few[0] >= 0), 100)
        self.assertGreater(np.count_nonzero(few[0] < 0), 100)
        for one, other in zip(few, many, strict=True):
            np.testing.assert_array_equal(one, other)

    def test_none_are_asked_for_and_none_come_back(self) -> None:
        scene = RayScene(np.eye(3, dtype=np.float32), np.array([[0, 1, 2]], np.uint32))
        none = np.empty((0, 3), np.float32)
        self.assertEqual([len(one) for one in rays.nearest(scene, none, none)], [0, 0])
