"""Too little memory for a tree of triangles is said. A tree that was not built would be hit by nothing: both
sides of a proof would be equally black.
"""

from __future__ import annotations

import json
import subprocess
import sys
from unittest import TestCase

PROGRAM = """
import json

import numpy as np
from trasloco.own_process import bounded
from trasloco.rays.embree import RayScene
from trasloco.rays.nearest import nearest

def wall(side):
    across = np.linspace(-1, 1, side + 1, dtype=np.float32)
    points = np.stack([*np.meshgrid(across, across), np.full((side + 1, side + 1), -3, np.float32)], -1)
    first = (np.arange(side)[:, None] * (side + 1) + np.arange(side)).reshape(-1, 1)
    corners = np.concatenate([first + (0, 1, side + 1), first + (1, side + 2, side + 1)])
    return points.reshape(-1, 3), corners.astype(np.uint32)

def hit(rays):
    return float(nearest(rays, np.full((1, 3), 0.01, np.float32), np.float32([[0, 0, -1]]))[1][0])

told = [hit(RayScene(*wall(2)))]
points, corners = wall(500)
for megabytes in (2, 10, 18, 26, 640):
    try:
        with bounded(megabytes << 20, 600):
            rays = RayScene(points, corners)
        told.append(hit(rays))
    except MemoryError:
        told.append(None)
print(json.dumps(told))
"""


class LittleMemory(TestCase):
    def test_a_tree_is_whole_or_refused(self) -> None:
        done = subprocess.run([sys.executable, "-c", PROGRAM], capture_output=True, text=True, timeout=60)
        self.assertEqual(done.returncode, 0, done.stderr[-400:])
        told = json.loads(done.stdout)
        for found in told:
            self.assertTrue(found is None or abs(found - 3.01) < 1e-5, told)
        self.assertIsNone(told[1], told)
        self.assertIsNotNone(told[-1], told)
