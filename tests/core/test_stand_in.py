"""A scene that nothing lights is shown in the light that stands in, as in a proof, and says so; what arrives
without the lamps that were meant is shown dark.
"""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import DECLARED, material, quad, scene
from trasloco.formats.gltf_write import write_glb
from trasloco.results.in_memory import route_of
from trasloco.results.lit import exposure, lit, surround_bytes
from trasloco.results.route import Route
from trasloco.scene.lit import Light
from trasloco.scene.model import Scene
from trasloco.scene.transforms import looking
from trasloco.sheets.library import sheet_named

LAMP = (Light("light:l", "Lamp", "point", intensity=50.0), looking((0, 2, 0), (0, 0, 0), (0, 0, -1)))


def route(given: Scene, to: str = "lanterna") -> Route:
    files = {"scene.glb": write_glb(replace(given, declares=DECLARED))}
    return route_of(files, sheet_named("plain"), sheet_named(to), [])


class StandIn(TestCase):
    def test_what_nothing_lights_is_seen_and_said(self) -> None:
        bare = route(scene(quad(), materials=(material(),)))
        for side in ("received", "mended", "arrival"):
            told = lit(bare, side)  # type: ignore[arg-type]
            self.assertTrue(told["stand_in"])
            self.assertGreater(told["surround"], 0)
            texels = np.frombuffer(surround_bytes(bare, side, "surround"), "<f2").reshape(256, 512, 4)  # type: ignore[arg-type]
            # Rows run from the bottom up: the sky is brighter than what is below.
            self.assertGreater(float(texels[-1, :, 0].mean()), 3 * float(texels[0, :, 0].mean()))
        # 400 nit of a bright sky, shown as middle grey or so: an exposure for some hundred nit.
        self.assertGreater(exposure(bare), 5.0)

    def test_a_scene_with_a_lamp_has_only_its_own_light(self) -> None:
        told = lit(route(scene(quad(), materials=(material(),), lights=(LAMP,))), "mended")
        self.assertFalse(told["stand_in"])
        self.assertIsNone(told["surround"])

    def test_what_arrives_without_its_lamps_stays_dark(self) -> None:
        lost = route(scene(quad(), materials=(material(),), lights=(LAMP,)), "scatola")
        self.assertEqual(lost.arrival().lights, {})
        told = lit(lost, "arrival")
        self.assertFalse(told["stand_in"])
        self.assertIsNone(told["surround"])
