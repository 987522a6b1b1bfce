"""A gauge of a layout that has room for alpha in two places shows both, and a sheet takes the one that is read."""

from __future__ import annotations

import io
from dataclasses import replace
from unittest import TestCase, mock

import numpy as np
from PIL import Image as Pillow

from demo.stranger import pictured, stranger, traced
from trasloco.gauge.alpha_places import place_in, place_of, sets_elsewhere
from trasloco.gauge.boards import boards
from trasloco.gauge.curve import measured
from trasloco.gauge.expected import SAMPLES, expected
from trasloco.gauge.ladders import ELSEWHERE
from trasloco.gauge.lines import BY_LINE
from trasloco.gauge.measured_sheet import sheet_of
from trasloco.gauge.packing import packed
from trasloco.gauge.reading import Readings, read
from trasloco.gauge.telling import Told
from trasloco.scene.color import srgb_to_linear
from trasloco.sheets.library import sheet_named
from trasloco.sheets.model import Sheet


def told(key: str, value: str) -> Told:
    return Told(key, "", BY_LINE[key].label, "measured", value, confidence=0.97)


class Places(TestCase):
    def test_layouts_that_have_room_for_both_say_so(self) -> None:
        """glTF 2.0, 3.9.4: alpha is the fourth channel of the base colour. MTL has map_d alone."""
        two = {
            name: sets_elsewhere(sheet_named(name)) is not None
            for name in ("lanterna", "sipario", "taccuino", "tela", "scatola")
        }
        one = {"taccuino": False, "tela": False, "scatola": False}
        self.assertEqual(two, {"lanterna": True, "sipario": True, **one})

    def test_both_ways_are_in_the_files_side_by_side(self) -> None:
        sheet = sheet_named("lanterna")
        tones, shine = (packed(boards()[key], sheet) for key in ("tones", "shine"))
        self.assertEqual(place_of(tones.said, ("cut", "blended")), "fourth")
        self.assertEqual(place_of(shine.said, ELSEWHERE), "own")
        # By another library: the ladder is the image of its own, and the colour has no fourth channel.
        files = {path.split("/")[-1]: data for path, data in shine.files.items()}
        ladder = Pillow.open(io.BytesIO(files["cutelse-1-opacity.png"])).convert("L")
        np.testing.assert_allclose([ladder.getpixel((x, 9)) for x in (0, 21, 63)], [0, 85, 255], atol=1)
        color = Pillow.open(io.BytesIO(files["cutelse-1-color.png"]))
        self.assertEqual((color.mode, color.getpixel((9, 9))), ("RGB", (70, 20, 20)))

    def test_where_there_is_one_place_nothing_stands_for_the_other(self) -> None:
        said = packed(boards()["shine"], sheet_named("taccuino")).said
        self.assertIsNone(place_of(said, ELSEWHERE))
        self.assertFalse([node.name for node in said.nodes.values() if "else" in node.name])

    def test_a_program_that_passes_over_images_of_alpha_is_found_out(self) -> None:
        one = replace(stranger(6), power=1.0)
        ways = {**dict.fromkeys(one.readings, 0), "cutown": 2, "blendedown": 0}
        package = packed(boards()["shine"], sheet_named("lanterna"))
        with mock.patch.dict(SAMPLES, {"shine": 3}):
            known = expected(package)
            picture = pictured(one, "shine", traced(replace(one, readings=ways), package, width=800))
        found = read({"shine": srgb_to_linear(picture.astype(np.float32) / 255)}, {"shine": known})
        lines = {line.key: (line.state, line.value) for line in found.lines if "own" in line.key}
        self.assertEqual(lines, {"cutown": ("measured", "opaque"), "blendedown": ("measured", "blend")})


class Taken(TestCase):
    def sheet(self, *lines: Told) -> Sheet:
        light = 2.0 ** np.linspace(-9, 7, 24)
        curve = measured(light, np.clip(light, 0, 1))
        assert curve is not None
        return sheet_of(sheet_named("lanterna"), "Met", Readings(curve, {}, {}, None, None, lines, {}))

    def test_the_place_that_is_read_is_the_one_that_is_delivered(self) -> None:
        made = self.sheet(
            told("cut", "opaque"),
            told("blended", "opaque"),
            told("cutown", "mask"),
            told("blendedown", "turned"),
        )
        self.assertEqual(place_in(made), "own")
        self.assertEqual(made.materials.alpha, ["opaque", "mask", "blend"])
        self.assertEqual(made.measured["materials.sets"], 0.97)
        # What was said of the place that is not used any more is not taken along.
        self.assertEqual(made.meanings.readings, {"blended": "turned"})

    def test_what_was_seen_in_the_other_place_alone_says_nothing_of_what_was_not(self) -> None:
        """Whether it blends by an image of its own was not seen: the sheet still says that it does."""
        made = self.sheet(told("cut", "opaque"), told("blended", "opaque"), told("cutown", "mask"))
        self.assertEqual(place_in(made), "own")
        self.assertEqual(made.materials.alpha, ["opaque", "mask", "blend"])
        self.assertEqual(made.meanings.readings, {})
        self.assertNotIn("meanings.readings.blended", made.measured)

    def test_where_both_are_read_the_sheet_keeps_its_own(self) -> None:
        made = self.sheet(told("cut", "mask"), told("blended", "opaque"), told("cutown", "mask"))
        self.assertEqual(place_in(made), "fourth")
        self.assertEqual(made.materials.alpha, ["opaque", "mask"])
        self.assertNotIn("materials.sets", made.measured)
