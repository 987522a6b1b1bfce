"""Pictures of what is handed over: of the arrival, once round it, beside the package and in no book."""

from __future__ import annotations

from unittest import TestCase, mock

import numpy as np

from tests.making import cube, material, scene
from trasloco.formats.gltf_write import write_glb
from trasloco.progress import silent
from trasloco.render.picture import Quality, framing
from trasloco.results.delivering import delivered
from trasloco.results.in_memory import route_of
from trasloco.results.portraits import FRAMES, _turned
from trasloco.results.proving import first_look
from trasloco.scene.images import identify, pixels
from trasloco.sheets.library import built_in_sheets
from trasloco.sheets.text import changed

SHEETS = built_in_sheets()
RED = scene(cube(1.0, "material:red"), materials=(material("red", base_color=(0.8, 0.02, 0.02)),))


class Portraits(TestCase):
    def pictures(self, how: str, sheet: str = "lanterna") -> dict[str, bytes]:
        destination = changed(SHEETS[sheet], {"package.pictures": how})
        route = route_of({"red.glb": write_glb(RED)}, SHEETS["plain"], destination, [])
        made = delivered(route, None, silent)
        self.assertEqual([path for path in made.files if not made.purposes[path]], [])
        return {path: data for path, data in made.files.items() if path.startswith("pictures/")}

    def test_none_unless_asked_and_one_shows_what_arrives(self) -> None:
        self.assertEqual(self.pictures("none"), {})
        for sheet in ("lanterna", "scatola"):
            ((path, data),) = self.pictures("one", sheet).items()
            self.assertEqual(path, "pictures/overview.png")
            texels = pixels(identify("image:a", path, path, data))
            self.assertEqual(texels.shape[:2], (270, 480))
            red, green, blue = texels[135, 240, :3].astype(int)
            self.assertGreater(red, 2 * max(green, blue))

    def test_a_turn_has_its_frames_and_they_differ(self) -> None:
        with mock.patch("trasloco.results.portraits.QUALITY", Quality(96, 54, 8, 2)):
            made = self.pictures("turntable")
        self.assertEqual(len(made), FRAMES)
        self.assertEqual(len(set(made.values())), FRAMES)

    def test_half_a_turn_stands_opposite_and_looks_back(self) -> None:
        """About the axis through the middle: x and z of place and direction change their signs, y stays."""
        first = framing(RED)
        half = _turned(RED, first, 0.5)
        np.testing.assert_allclose(half.matrix[:3, 3], first.matrix[:3, 3] * [-1, 1, -1], atol=1e-9)
        np.testing.assert_allclose(half.matrix[:3, 2], first.matrix[:3, 2] * [-1, 1, -1], atol=1e-9)


class FirstLook(TestCase):
    def test_a_scene_without_light_is_not_shown_black(self) -> None:
        route = route_of({"red.glb": write_glb(RED)}, SHEETS["plain"], SHEETS["taccuino"], [])
        data, words = first_look(route)
        self.assertEqual(words, "no light")
        red, green, _ = pixels(identify("image:a", "a.png", "a.png", data))[67, 120, :3].astype(int)
        self.assertGreater(red, 60)
        self.assertGreater(red, 2 * green)
