"""UV charts: they do not overlap, they lead back to the vertices they came from, and a fault of the chart
maker is told.
"""

import signal
from unittest import TestCase
from unittest.mock import patch

import numpy as np

from tests.making import cube, quad
from trasloco.errors import Refused
from trasloco.own_ready import Done
from trasloco.scene.charts import chart


class Charts(TestCase):
    def test_triangles_of_all_meshes_lie_apart_in_the_unit_square(self) -> None:
        box, sheet = cube(2.0), quad(3.0)
        made = chart(
            [(box.positions, box.indices, None), (sheet.positions, sheet.indices, sheet.normals)], 256, 2
        )
        hits = np.zeros((256, 256), int)
        centres = (np.stack(np.meshgrid(np.arange(256), np.arange(256)), axis=-1) + 0.5) / 256
        for cut, positions in zip(made, (box.positions, sheet.positions)):
            self.assertTrue((cut.uv >= 0).all() and (cut.uv <= 1).all())
            for a, b, c in cut.uv[cut.indices]:
                matrix = np.stack([b - a, c - a], axis=1)
                weights = (centres - a) @ np.linalg.inv(matrix).T
                hits += ((weights > 1e-6).all(axis=-1) & (weights.sum(axis=-1) < 1 - 1e-6)).astype(int)
            np.testing.assert_array_equal(positions[cut.origin][cut.indices].shape, (len(cut.indices), 3, 3))
        self.assertEqual(hits.max(), 1)
        self.assertGreater((hits == 1).mean(), 0.4)
        np.testing.assert_allclose(box.positions[made[0].origin][made[0].indices], box.positions[box.indices])

    def test_a_chart_maker_that_dies_is_told_not_passed_on(self) -> None:
        sheet = quad()
        dead = Done("", -signal.SIGSEGV, b"", b"")
        with patch("trasloco.own_process.RUN", lambda *_: dead), self.assertRaises(Refused) as told:
            chart([(sheet.positions, sheet.indices, None)], 64, 2)
        self.assertIn("UV charts", str(told.exception))
