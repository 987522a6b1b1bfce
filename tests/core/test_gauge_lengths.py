"""What a gauge tells of lengths, of which way is up, of kinds of images, and of why lamps come in as they
do.
"""

from __future__ import annotations

import io
import math
from dataclasses import replace
from unittest import TestCase, mock

import numpy as np
from PIL import Image as Pillow

from demo.stranger import pictured, stranger
from trasloco.errors import Refused
from trasloco.gauge.around import radiance_from
from trasloco.gauge.boards import boards
from trasloco.gauge.expected import SAMPLES, drawn, expected, lit_as_asked
from trasloco.gauge.factors import explained
from trasloco.gauge.handing import read_me
from trasloco.gauge.kinds import holds
from trasloco.gauge.lengths import by_lamps, in_words, times_too_long
from trasloco.gauge.lines import LINES
from trasloco.gauge.measured_sheet import sheet_of
from trasloco.gauge.numbers import Number
from trasloco.gauge.packing import packed
from trasloco.gauge.reading import Readings, read
from trasloco.gauge.telling import Told
from trasloco.light.surroundings import directions
from trasloco.outside.showing import CURVES
from trasloco.results.gauging import how_measured
from trasloco.scene.color import srgb_to_linear
from trasloco.scene.images import encode, identify
from trasloco.scene.model import Doubles
from trasloco.sheets.library import sheet_named
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import changed

SURE = 0.01


def lamps(point: float, spot: float, rectangle: float, disc: float) -> dict[str, Number]:
    kinds = ("point", "spot", "rectangle", "disc")
    return {
        kind: Number(value, SURE) for kind, value in zip(kinds, (point, spot, rectangle, disc), strict=True)
    }


def seen_through(sheet: Sheet, look: Doubles) -> Readings:
    """The board of surroundings in the layout of a sheet, as a program shows it to whom what comes from +X,
    +Y and +Z of the board comes from the directions that are the rows of ``look``.
    """
    package = packed(boards()["around"], sheet)
    scene = lit_as_asked(package.said, package.board)
    assert scene.environment is not None
    sky = scene.environment.image
    turned = radiance_from(directions(128, 256) @ look)
    image = identify(sky, "sky.exr", "sky.exr", encode(turned, "exr"))
    other = replace(scene, images={**scene.images, sky: image})
    with mock.patch.dict(SAMPLES, {"around": 6}):
        known = {"around": expected(package)}
        light = drawn(other, "around", 3, 960).sum(axis=0)
    one = replace(
        stranger(5),
        curve=next(iter(CURVES)),
        contrast=0.0,
        exposures={"around": 0.0},
        bend=0.0,
        turned_rad=0.0,
    )
    picture = pictured(one, "around", light)
    return read({"around": srgb_to_linear(picture.astype(np.float32) / 255)}, known)


AS_IS = np.eye(3)
BY_Z = np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])
"""A program that takes z of a file for up: its own y is z, its own z is -y."""


class WhichWayIsUp(TestCase):
    def test_a_program_that_takes_z_for_up(self) -> None:
        tela = changed(sheet_named("tela"), {"package.form": "obj"})  # whose files say what glows
        self.assertEqual(tela.conventions.up_axis, "Y")
        found = seen_through(tela, BY_Z)
        assert found.surroundings is not None
        self.assertEqual((found.surroundings.up, found.surroundings.mirrored), ("tipped back", False))
        made = sheet_of(tela, "Met", found)
        self.assertEqual(made.conventions.up_axis, "Z")
        self.assertGreater(made.measured["conventions.up_axis"], 0.9)
        # What is written by that sheet has the board's height along z: by the letters of the file.
        text = packed(boards()["around"], made).files
        (mesh,) = (data.decode() for path, data in text.items() if path.endswith(".obj"))
        rows = [line.split()[1:4] for line in mesh.splitlines() if line.startswith("v ")]
        points = np.array(rows, np.float64) * made.conventions.unit_m
        size = np.ptp(points, axis=0)
        self.assertAlmostEqual(size[2] / size[0], 9 / 16, delta=0.01)
        self.assertLess(size[1], 0.6)

    def test_a_file_that_says_which_way_is_up_is_not_changed_for_it(self) -> None:
        taccuino = sheet_named("taccuino")  # glTF is Y up, section 3.4
        found = seen_through(taccuino, BY_Z)
        made = sheet_of(taccuino, "Met", found)
        self.assertEqual(made.conventions.up_axis, "Y")
        self.assertEqual(made.meanings.readings["up"], "tipped back")
        as_meant = sheet_of(taccuino, "Met", seen_through(taccuino, AS_IS))
        self.assertNotIn("up", as_meant.meanings.readings)
        self.assertGreater(as_meant.measured["conventions.up_axis"], 0.9)


class Rod(TestCase):
    def test_how_many_times_too_long(self) -> None:
        """An inch has 25.4 mm, a foot twelve inches; a hand measures within 2 %."""
        self.assertEqual(times_too_long(1.0, "m"), 1.0)
        self.assertEqual(times_too_long(99.0, "cm"), 1.0)
        self.assertAlmostEqual(times_too_long(1.0, "cm"), 0.01)
        self.assertAlmostEqual(times_too_long(1.0, "in"), 0.0254)
        self.assertAlmostEqual(times_too_long(328.084, "ft"), 100.0, places=3)
        for length in (0.0, -1.0, math.nan, math.inf):
            with self.assertRaises(Refused):
                times_too_long(length, "m")

    def test_the_rod_is_a_metre_in_every_layout_and_is_asked_for(self) -> None:
        for name in ("tela", "taccuino", "fornace", "sipario"):
            package = packed(boards()["tones"], sheet_named(name))
            (node,) = (
                n for n in package.said.nodes.values() if n.mesh is not None and n.name.startswith("rod")
            )
            points = [shape.positions for shape in package.said.meshes[node.mesh or ""].primitives]
            lengths = np.ptp(np.concatenate(points), axis=0) * np.linalg.norm(node.matrix[:3, :3], axis=0)
            self.assertAlmostEqual(float(lengths.max()), 1.0, places=4, msg=name)
            self.assertIn("one metre", read_me({"tones": package}, sheet_named(name)))

    def test_the_unit_that_comes_of_it_makes_a_metre_of_a_metre(self) -> None:
        """A program that takes an OBJ's numbers for centimetres shows a rod that is written as 1 to be 1 cm;
        by the sheet that comes of it the rod is written as 100.
        """
        tela = changed(sheet_named("tela"), {"conventions.unit_m": 1.0})
        made = sheet_of(tela, "Met", without_lamps(), times_too_long(1.0, "cm"))
        self.assertEqual(made.conventions.unit_m, 0.01)
        files = packed(boards()["tones"], made).files
        (mesh,) = (data.decode() for path, data in files.items() if path.endswith(".obj"))
        block = mesh.split("\no rod")[1].split("\no ")[0]
        along = [float(line.split()[1]) for line in block.splitlines() if line.startswith("v ")]
        self.assertAlmostEqual(max(along) - min(along), 100.0, places=3)

    def test_a_kind_that_is_refused_gives_way_to_png_with_what_only_it_had(self) -> None:
        """By a line as told: KTX2 is not taken, by a sheet that asks for ETC1S and may lose a little."""
        (line,) = (one for one in LINES if one.key == "kindktx2")
        asked = {"images.kind": "ktx2", "images.basis": "etc1s", "images.loss": 1.0}
        base = changed(sheet_named("lanterna"), asked)
        for value, kind in ((False, "png"), (True, "ktx2")):
            told = Told(line.key, line.path, line.label, "measured", value, "", 0.97)
            made = sheet_of(base, "Met", replace(without_lamps(), lines=(told,)))
            self.assertEqual((made.images.kind, made.measured["images.kind"]), (kind, 0.97))

    def test_kinds_that_are_read_as_well_are_those_that_were_seen(self) -> None:
        def met(sheet: str, **seen: bool) -> Sheet:
            lines = {one.key: one for one in LINES}
            told = tuple(
                Told(line.key, line.path, line.label, "measured", value, "", 0.9)
                for kind, value in seen.items()
                for line in (lines[f"kind{kind}"],)
            )
            return sheet_of(sheet_named(sheet), "Met", replace(without_lamps(), lines=told))

        made = met("lanterna", jpg=False, webp=True, ktx2=True, exr=True)
        self.assertEqual(made.images.also, ("ktx2", "webp"))
        self.assertEqual(made.measured["images.also"], 0.9)
        # Of KTX2 no board of that layout says anything: it stays said, and the line is not called measured.
        kept = met("lanterna", jpg=True)
        self.assertEqual(kept.images.also, ("jpg", "ktx2"))
        self.assertNotIn("images.also", kept.measured)
        # One whose own kind is refused takes PNG, and reads it not "as well".
        base = changed(sheet_named("sipario"), {"images.kind": "tif", "images.also": ["png"]})
        (line,) = (one for one in LINES if one.key == "kindtif")
        refused = Told(line.key, line.path, line.label, "measured", False, "", 0.9)
        found = sheet_of(base, "Met", replace(without_lamps(), lines=(refused,)))
        self.assertEqual((found.images.kind, found.images.also), ("png", ()))

    def test_what_was_looked_up_is_not_called_measured(self) -> None:
        made = sheet_of(sheet_named("tela"), "Met", without_lamps(), 1.0)
        self.assertEqual(how_measured(made, "conventions.unit_m"), "looked up")

    def test_a_unit_that_a_format_states_stays_and_is_told(self) -> None:
        made = sheet_of(sheet_named("taccuino"), "Met", without_lamps(), 100.0)
        self.assertEqual(made.conventions.unit_m, 1.0)
        self.assertEqual(made.meanings.readings["lengths"], "100")

    def test_light_that_lengths_took_is_given_back_with_them(self) -> None:
        """A hundred times as far, a point lights 10,000 times less; a sheet of light lights the same."""
        found = replace(without_lamps(), strengths=lamps(1e-4, 1e-4, 1.0, 1.0))
        tela = changed(sheet_named("tela"), {"conventions.unit_m": 1.0})
        made = sheet_of(tela, "Met", found, 100.0).meanings.strengths
        # What falls below 2 % did not come in, as far as a picture tells.
        self.assertEqual((made.get("point", 1.0), made["rectangle"]), (1.0, 1.0))
        found = replace(without_lamps(), strengths=lamps(0.25, 0.25, 1.0, 1.0))
        made = sheet_of(tela, "Met", found, 2.0).meanings.strengths
        self.assertEqual((made["point"], made["spot"], made["disc"]), (1.0, 1.0, 1.0))

    def test_what_lamps_say_of_lengths(self) -> None:
        self.assertAlmostEqual(by_lamps(lamps(0.01, 0.01, 1.0, 1.0)) or 0, 10.0)
        self.assertAlmostEqual(by_lamps(lamps(300.0, 300.0, 3.0, 3.0)) or 0, 0.1)
        self.assertIsNone(by_lamps(lamps(0.5, 0.01, 1.0, 1.0)))  # two strengths, no length
        self.assertIsNone(by_lamps(lamps(0.9, 0.9, 1.0, 1.0)))
        self.assertIn("Measure the rod", in_words(lamps(0.01, 0.01, 1.0, 1.0), None))
        self.assertIn("the same", in_words(lamps(0.01, 0.01, 1.0, 1.0), 10.0))
        self.assertIn("makes up for it", in_words(lamps(1.0, 1.0, 1.0, 1.0), 10.0))
        self.assertIn("differ as well", in_words(lamps(0.01, 0.01, 1.0, 1.0), 100.0))
        self.assertEqual(in_words(lamps(1.0, 1.0, 1.0, 1.0), 1.0), "")


def without_lamps() -> Readings:
    """Pictures that told nothing but a curve."""
    curve = mock.Mock(stops=np.zeros(0), formula="", by="channel", held=1.0)
    curve.knots.return_value = (np.zeros(0), np.zeros(0))
    return Readings(curve, {}, {}, None, None, (), {})


class Factors(TestCase):
    def test_open_formulas_are_named_where_one_explains_it(self) -> None:
        """4 pi I lumen of a point, 683 lm/W, and what is neither."""
        self.assertIn("lumen", explained("point", Number(0.0796, 0.001)))
        self.assertIn("watts", explained("sun", Number(1 / 683, 1e-5)))
        self.assertIn("pi", explained("spot", Number(0.3183, 0.002)))
        self.assertEqual(explained("sun", Number(0.0796, 0.001)), "")  # a sun has no candela
        self.assertEqual(explained("point", Number(1.0, 0.01)), "")
        self.assertEqual(explained("point", Number(0.09, 0.04)), "")  # not sure enough to say


class Kinds(TestCase):
    def test_images_stay_of_their_kind_and_depth(self) -> None:
        """By a library for pictures: what is called a kind is of it, and 16 bits are there."""
        package = packed(boards()["shine"], sheet_named("lanterna"))
        formats = {"jpg": "JPEG", "tif": "TIFF", "tga": "TGA", "webp": "WEBP", "dds": "DDS"}
        for kind, name in formats.items():
            (path,) = (one for one in package.files if f"kind{kind}" in one)
            with Pillow.open(io.BytesIO(package.files[path])) as image:
                self.assertEqual((image.format, image.size), (name, (64, 64)), kind)
                left, right = (np.array(image.convert("RGB").getpixel((x, 30)), int) for x in (4, 15))
            np.testing.assert_allclose(left, [40, 60, 120], atol=12)
            np.testing.assert_allclose(right, [210, 190, 60], atol=12)
        (path,) = (one for one in package.files if "deep" in one)
        header = package.files[path][16:29]
        self.assertEqual(header[8], 16)  # bit depth in IHDR, PNG specification, 11.2.2

    def test_nothing_is_drawn_together_for_it(self) -> None:
        drawn = changed(sheet_named("taccuino"), {"structure.slots": "one a part"})
        same = packed(boards()["tones"], sheet_named("taccuino")).said
        self.assertEqual(set(packed(boards()["tones"], drawn).said.materials), set(same.materials))

    def test_what_a_layout_cannot_hold_is_not_asked_about(self) -> None:
        kept = [line for line in LINES if line.kept]
        self.assertEqual(len(kept), 8)
        asked = {
            name: {
                line.key
                for line in kept
                if holds(packed(boards()["shine"], sheet_named(name)).said, line.cells[0])
            }
            for name in ("taccuino", "scatola")
        }
        # GLB: PNG and JPEG, glTF 2.0 section 3.8.1; who knows no KTX2 would refuse all of it. PLY: none.
        self.assertEqual(asked, {"taccuino": {"deep", "kindjpg"}, "scatola": set()})
