"""What tests of readers read with, and compare by."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from trasloco.formats.receive import receive
from trasloco.scene.images import encode
from trasloco.scene.model import Scene


def read(**files: bytes) -> Scene:
    return receive({name.replace("__", "."): data for name, data in files.items()}).scene


def triangles(scene: Scene) -> np.ndarray:
    """(T, 3, 3) corners of all triangles in the world."""
    world = scene.world_matrices()
    found = []
    for part in scene.parts():
        for p in scene.meshes[part.mesh or ""].primitives:
            points = p.positions @ world[part.id][:3, :3].T + world[part.id][:3, 3]
            found.append(points[p.indices])
    return np.concatenate(found)


def same_triangles(test: TestCase, got: np.ndarray, wanted: np.ndarray) -> None:
    def sorted_rows(t: np.ndarray) -> np.ndarray:
        start = np.lexsort(t.round(4).transpose(2, 1, 0).reshape(-1, len(t)))
        return np.asarray(t[start])

    def turned(t: np.ndarray) -> np.ndarray:
        """Each triangle from its smallest corner on, winding kept."""
        keys = t.round(4) @ np.array([1e6, 1e3, 1.0])
        first = keys.argmin(axis=1)
        return np.stack([t[np.arange(len(t)), (first + k) % 3] for k in range(3)], axis=1)

    np.testing.assert_allclose(
        sorted_rows(turned(got)), sorted_rows(turned(np.asarray(wanted, np.float64))), atol=1e-4
    )


RED = encode(np.full((4, 4, 3), (255, 0, 0), np.uint8), "png")
