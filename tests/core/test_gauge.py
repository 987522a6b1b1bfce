"""The gauge: marks found where a picture was drawn with them by other means, curves against their formulas,
and strangers read whose ways are known.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cache
from unittest import TestCase, mock

import numpy as np
from PIL import Image as Pillow
from PIL import ImageDraw

from demo.judging import judged
from demo.stranger import Stranger, pictured, recombined, stranger, traced
from tests.making import material, noise_image, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.gauge import layout
from trasloco.gauge.boards import boards
from trasloco.gauge.curve import measured
from trasloco.gauge.expected import SAMPLES, Expected, expected
from trasloco.gauge.handing import files_of, read_me, steps_for
from trasloco.gauge.lines import LINES
from trasloco.gauge.marks import placed
from trasloco.gauge.meant import as_meant
from trasloco.gauge.measured_sheet import sheet_of
from trasloco.gauge.numbers import Number
from trasloco.gauge.packing import packed
from trasloco.gauge.reading import Readings, read
from trasloco.outside.showing import CURVES, Floats, Shown, difference, displayed_by
from trasloco.proof.effects import shown_by_a_curve
from trasloco.render.exposure import displayed, exposed, tone_curve, untoned
from trasloco.scene.color import linear_to_srgb, srgb_to_linear
from trasloco.scene.model import Input, Texture
from trasloco.sheets.library import built_in_sheets, sheet_named
from trasloco.sheets.meanings import Meanings, ToneCurve
from trasloco.sheets.text import parse_sheet, sheet_toml

SIZE = (960, 540)


def drawn_marks(
    turn_rad: float = 0.0, bend: float = 0.0, mirrored: bool = False
) -> tuple[Floats, np.ndarray]:
    """Marks drawn as circles by a library for pictures, eight times too large and made smaller; display light
    (540, 960, 3), and where their middles are.
    """
    over, scale = 8, 250.0
    held = Pillow.new("L", (SIZE[0] * over, SIZE[1] * over), 20)
    pen = ImageDraw.Draw(held)
    middle, half = np.array([SIZE[0] / 2, SIZE[1] / 2]), math.hypot(*SIZE) / 2
    turn = np.array([[math.cos(turn_rad), -math.sin(turn_rad)], [math.sin(turn_rad), math.cos(turn_rad)]])
    places = []
    for (x, y), key in zip(layout.mark_places(), layout.mark_keys(), strict=True):
        away = turn @ (np.array([-x if mirrored else x, -y]) * scale) / half
        at = middle + away * (1 + bend * (away @ away)) * half
        places.append(at - 0.5)
        radius = layout.MARK_RADIUS * scale
        dot = layout.BIG_DOT if key else layout.DOT
        for share, code in ((1.0, 230), (layout.RING, 12), (dot, 230)):
            box = [*(over * (at - share * radius)), *(over * (at + share * radius))]
            pen.ellipse(box, fill=code)
    codes = np.asarray(held.resize(SIZE, Pillow.Resampling.BOX), np.float32) / 255
    return np.repeat(srgb_to_linear(codes)[..., None], 3, axis=2), np.array(places)


class Marks(TestCase):
    def test_a_turned_and_bent_picture_is_placed_within_a_fifth_of_a_pixel(self) -> None:
        for turn, bend in ((0.0, 0.0), (0.04, 0.03), (-0.1, -0.04)):
            picture, places = drawn_marks(turn, bend)
            lies = placed(picture)
            self.assertEqual((lies.marks, lies.mirrored), (15, False))
            # The board's camera sees marks a little larger than the board: they stand before it.
            off = np.linalg.norm(lies.pixels(layout.marks_seen()) - places, axis=1)
            self.assertLess(off.max(), 0.2)
            self.assertAlmostEqual(lies.bend, bend, delta=0.004)

    def test_which_way_up_it_is_told_by_two_marks_alone(self) -> None:
        picture, places = drawn_marks(0.01)
        lies = placed(picture[::-1, ::-1])
        self.assertAlmostEqual(abs(lies.turn_rad), math.pi, delta=0.02)
        off = lies.pixels(layout.marks_seen()) - (np.array(SIZE) - 1 - places)
        self.assertLess(np.linalg.norm(off, axis=1).max(), 0.2)

    def test_a_picture_seen_in_a_mirror_is_told_and_still_placed(self) -> None:
        picture, places = drawn_marks(0.02, mirrored=True)
        lies = placed(picture)
        self.assertTrue(lies.mirrored)
        self.assertLess(np.linalg.norm(lies.pixels(layout.marks_seen()) - places, axis=1).max(), 0.2)

    def test_marks_that_are_cut_off_are_done_without_and_too_few_are_refused(self) -> None:
        picture, places = drawn_marks()
        lies = placed(picture[:, 160:])
        self.assertGreaterEqual(lies.marks, 10)
        off = lies.pixels(layout.marks_seen()) - (places - [160, 0])
        self.assertLess(np.linalg.norm(off, axis=1).max(), 0.5)
        with self.assertRaises(Refused) as told:
            placed(picture[:, 620:])
        self.assertIn("marks", told.exception.what)
        with self.assertRaises(Refused):
            placed(np.random.default_rng(1).random((200, 300, 3)).astype(np.float32))


class Curves(TestCase):
    stops = np.linspace(-9, 7, 28)

    def steps(self, curve: str, stops: float) -> np.ndarray:
        grey = np.repeat((2.0**self.stops)[:, None], 3, axis=1).astype(np.float32)
        codes = np.round(linear_to_srgb(displayed_by(grey, Shown(curve, stops))) * 255) / 255
        return srgb_to_linear(codes.astype(np.float32)).mean(axis=1)

    def test_open_curves_are_named_and_lie_within_a_delta_e(self) -> None:
        colors = np.array([[1.6, 0.25, 0.1], [0.2, 1.3, 0.3], [0.15, 0.3, 1.8]], np.float32)
        for name in CURVES:
            shown = displayed_by(colors, Shown(name, -0.5))
            found = measured(2.0**self.stops, self.steps(name, -0.5), (colors, shown))
            assert found is not None
            self.assertEqual(found.formula, name)
            self.assertAlmostEqual(found.formula_stops, -0.5, delta=0.05)
            self.assertEqual(found.by, "luminance" if name == "rolled off by luminance" else "channel", name)
            between = np.linspace(*found.span, 77)
            grey = np.repeat((2.0**between)[:, None], 3, axis=1).astype(np.float32)
            apart = difference(found.display(grey), displayed_by(grey, Shown(name, -0.5)))
            self.assertLess(apart.max(), 1.0, name)

    def test_a_curve_of_its_own_has_no_name_and_light_comes_back_from_what_is_shown(self) -> None:
        shown = np.clip(2.0**self.stops, 0, 1) ** 1.7
        found = measured(2.0**self.stops, shown)
        assert found is not None
        self.assertEqual(found.formula, "")
        light = np.repeat(np.geomspace(0.02, 0.8, 9)[:, None], 3, axis=1).astype(np.float32)
        back, sure = found.light(found.display(light))
        self.assertTrue(sure.all())
        np.testing.assert_allclose(back, light, rtol=0.01)
        self.assertFalse(found.light(np.ones((1, 3), np.float32))[1].any())

    def test_steps_that_look_alike_are_no_curve(self) -> None:
        self.assertIsNone(measured(2.0**self.stops, np.full(28, 0.4)))


class AsShown(TestCase):
    def test_the_shared_curve_is_undone(self) -> None:
        values = np.array([[0.02, 0.1, 0.05], [0.5, 0.4, 0.1], [0.9, 0.9, 0.9]], np.float32)
        np.testing.assert_allclose(untoned(tone_curve(values)), values, rtol=1e-4)

    def test_a_measured_curve_is_what_the_proof_shows(self) -> None:
        """Display light is the square root of what is exposed, up to white: by hand."""
        stops = np.linspace(-8, math.log2(1 / 0.18), 40)
        curve = ToneCurve(stops=list(stops), shown=list(np.sqrt(0.18 * 2.0**stops)))
        light = np.array([[[0.04, 0.16, 0.5]]], np.float32)
        nit = light / exposed(np.ones((1, 1, 1), np.float32), 3.0)
        wanted = np.round(linear_to_srgb(np.sqrt(light)) * 255)
        np.testing.assert_allclose(displayed(shown_by_a_curve(nit, 3.0, curve), 3.0), wanted, atol=1.01)


class Packages(TestCase):
    def test_every_sheet_with_a_layout_is_handed_the_boards_with_every_prop(self) -> None:
        for sheet in built_in_sheets().values():
            if sheet.layout is None:
                with self.assertRaises(Refused):
                    packed(boards()["around"], sheet)
                continue
            package = packed(boards()["lamps"], sheet)
            there = {node.name.split("-")[0] for node in package.said.nodes.values() if node.mesh}
            self.assertLessEqual(set(package.board.cells), there, sheet.name)
            files = files_of({"lamps": package}, sheet)
            self.assertIn("3 lamps/", "".join(files))
            self.assertIn("1280 x 720", read_me({"lamps": package}, sheet))

    def test_what_files_do_not_bring_along_is_asked_for(self) -> None:
        """By hand: the sun stands at (-0.35, 0.55, 0.75), and lights a white sheet on the board with one nit."""
        tela = sheet_named("tela")  # its files hold no lamps and no cameras
        tones = " ".join(steps_for(packed(boards()["tones"], tela), tela))
        self.assertIn("4.16 lux", tones)
        self.assertIn("25 degrees left", tones)
        self.assertIn("34 degrees up", tones)
        self.assertIn("5.44 m", tones)
        self.assertIn("leave this board out", " ".join(steps_for(packed(boards()["lamps"], tela), tela)))
        lanterna = sheet_named("lanterna")
        self.assertNotIn("does not come", " ".join(steps_for(packed(boards()["tones"], lanterna), lanterna)))

    def test_what_the_sheet_says_is_not_applied_for_it_is_what_is_to_be_found(self) -> None:
        lanterna = sheet_named("lanterna")  # green down, powers of two, nothing above 2048
        package = packed(boards()["tones"], lanterna)
        sizes = {(image.width, image.height) for image in package.said.images.values()}
        self.assertLessEqual({(300, 200), (8192, 32)}, sizes)

    def test_cells_are_there_once_and_lines_ask_for_cells_that_are_there(self) -> None:
        for line in LINES:
            self.assertLessEqual({*line.cells, *line.also}, set(boards()[line.board].cells), line.key)
        for board in boards().values():
            self.assertEqual(len(set(board.cells.values())), len(board.cells))


@cache
def known() -> dict[str, Expected]:
    taccuino = sheet_named("taccuino")
    few = {"tones": 2, "shine": 2, "lamps": 3, "around": 8}
    with mock.patch.dict(SAMPLES, few):
        return {key: expected(packed(board, taccuino)) for key, board in boards().items()}


def shown_by(one: Stranger) -> dict[str, Floats]:
    """Its pictures, display light, out of the renderings that they are read by."""
    return {
        board: srgb_to_linear(pictured(one, board, recombined(one, board, looks)).astype(np.float32) / 255)
        for board, looks in known().items()
    }


class Strangers(TestCase):
    def found(self, one: Stranger, only: tuple[str, ...] = ()) -> Readings:
        return read({b: picture for b, picture in shown_by(one).items() if b in only or not only}, known())

    def test_what_strangers_do_is_told(self) -> None:
        for seed in (4,):
            one = replace(stranger(seed), power=1.0)
            came = judged(one, self.found(one), known())
            told = {key: right for key, (_, sure, right) in came.lines.items() if sure}
            self.assertGreater(len(told), 24)
            self.assertEqual([key for key, right in told.items() if not right], [], seed)
            self.assertLess(max(came.strengths.values()), 0.03)
            assert came.turn_deg is not None and came.roughness is not None
            self.assertLess(came.turn_deg, 1.5)  # in pictures half as wide as is asked for
            self.assertTrue(came.mirrored)
            self.assertLess(came.roughness, 0.04)
            self.assertLess(came.curve[0], 1.0)

    def test_a_board_drawn_anew_from_its_bytes_is_read(self) -> None:
        """Another seed, a turn of the surroundings that the renderer makes itself, and occlusion."""
        one = replace(stranger(3), turn_rad=0.9, mirrored=True)
        package = packed(boards()["around"], sheet_named("taccuino"))
        picture = pictured(one, "around", traced(one, package, width=640))
        found = read({"around": srgb_to_linear(picture.astype(np.float32) / 255)}, known())
        assert found.surroundings is not None
        self.assertTrue(found.surroundings.sure and found.surroundings.mirrored)
        self.assertAlmostEqual(found.surroundings.turn_rad, 0.9, delta=math.radians(1))
        self.assertEqual({line.state for line in found.lines if line.key != "occlusion"}, {"not seen"})

    def test_exposures_that_differ_are_told(self) -> None:
        one = stranger(1)
        apart = {"tones": 0.0, "shine": 0.0, "lamps": 0.4, "around": 0.0}
        found = self.found(replace(one, exposures=apart), ("tones", "lamps"))
        self.assertTrue(any("exposure" in doubt for doubt in found.doubts), found.doubts)
        self.assertAlmostEqual(found.stops["lamps"].value, 0.4, delta=0.05)

    def test_a_picture_of_another_board_is_told(self) -> None:
        shown = shown_by(stranger(1))
        with self.assertRaises(Refused) as told:
            read({"tones": shown["tones"], "shine": shown["around"]}, known())
        self.assertIn("“Surroundings”, given for “Shine and glass”", told.exception.what)

    def test_nothing_to_see_is_refused_in_words(self) -> None:
        one = replace(stranger(1), exposures=dict.fromkeys(known(), 0.0))
        picture = shown_by(one)["tones"]
        # The marks are there, and no step is told from another.
        dull = np.where(picture.mean(axis=-1, keepdims=True) > 0.5, 0.8, 0.0) * np.ones(3)
        marks_only = np.where(_near_a_mark(picture.shape), dull, 0.05).astype(np.float32)
        with self.assertRaises(Refused) as told:
            read({"tones": marks_only}, known())
        self.assertIn("Tones", told.exception.where)


def _near_a_mark(shape: tuple[int, ...]) -> np.ndarray:
    at = layout.raster(shape[1])
    away = np.linalg.norm(at[:, :, None] - layout.mark_places()[None, None], axis=-1).min(axis=-1)
    return (away < 1.15 * layout.MARK_RADIUS)[..., None]


class Sheets(TestCase):
    def test_what_was_measured_is_set_and_the_rest_stays(self) -> None:
        one = replace(stranger(2), mirrored=True, power=1.0)
        one = replace(
            one,
            readings={
                **dict.fromkeys(one.readings, 0),
                "sides": 1,
                "size300": 1,
                "size8192": 1,
                "stored": 1,
                "coat": 1,
            },
        )
        base = sheet_named("taccuino")
        made = sheet_of(base, "Met", read(shown_by(one), known()))
        self.assertEqual(
            (made.name, made.layout, made.images.folder), ("Met", base.layout, base.images.folder)
        )
        self.assertEqual(made.materials.two_sided, "always")
        self.assertTrue(made.images.power_of_two)
        self.assertEqual(made.images.largest, 4096)
        self.assertNotIn("clearcoat", made.materials.inputs)
        self.assertEqual(made.meanings.readings["stored"], "linear")
        self.assertTrue(made.meanings.mirrored)
        self.assertGreater(made.measured["materials.two_sided"], 0.9)
        self.assertTrue(made.meanings.curve.stops)
        self.assertEqual(parse_sheet(sheet_toml(made), "met.toml"), made)

    def test_what_no_line_has_a_value_for_is_not_marked_but_kept(self) -> None:
        """No sheet says that normal maps are not read, or that a spot's angle is taken for the whole one."""
        one = replace(stranger(2), power=1.0)
        readings = {**dict.fromkeys(one.readings, 0), "paint": 1, "green": 2, "cone": 3, "sheen": 1}
        base = sheet_named("taccuino")
        found = read(shown_by(replace(one, readings=readings)), known())
        made = sheet_of(base, "Met", found)
        self.assertEqual(made.materials.vertex_color, "ignored")
        for key, value in (("green", "none"), ("cone", "whole angle")):
            self.assertEqual(made.meanings.readings[key], value)
            self.assertIn(f"meanings.readings.{key}", made.measured)
        self.assertEqual(made.conventions.normal_green, base.conventions.normal_green)
        self.assertNotIn("conventions.normal_green", made.measured)
        self.assertNotIn("sheen_color", made.materials.inputs)
        # What one line of inputs tells stands beside what the others tell: index and specular are still there.
        self.assertLessEqual({"specular", "ior"}, set(made.materials.inputs))

    def test_how_sure_a_number_is_follows_its_spread(self) -> None:
        self.assertAlmostEqual(Number(1.0, 0.03).within(0.03), 0.6827, places=4)  # one standard deviation
        self.assertAlmostEqual(Number(1.0, 0.5).side_of(0.5), 0.8413, places=4)
        self.assertEqual(Number(1.0, 0.0).within(0.01), 1.0)
        wild = replace(self.found(), strengths={"sun": Number(1.0, 0.3), "point": Number(0.0, 0.01)})
        made = sheet_of(sheet_named("taccuino"), "Met", wild)
        self.assertAlmostEqual(
            made.measured["meanings.strengths.sun"], math.erf(0.1 / math.sqrt(2)), places=3
        )
        self.assertEqual((made.lights.kinds, "point" in made.meanings.strengths), (["sun"], False))

    def found(self) -> Readings:
        one = stranger(2)
        return read({"around": shown_by(one)["around"]}, known())

    def test_readings_act_on_what_they_are_about_alone(self) -> None:
        """What is cut out drawn solid leaves what is blended; images read as gloss leave numbers."""
        image = Texture("image:a", "r")
        opacity = Input((1.0,), image)
        given = scene(
            quad(1.0, "material:cut"),
            quad(1.0, "material:veil"),
            materials=(
                material("cut", "mask", opacity=opacity, roughness=Input((1.0,), image)),
                material("veil", "blend", opacity=opacity, roughness=(0.3,)),
            ),
            images=(noise_image("a"),),
        )
        readings = {"cut": "opaque", "roughimage": "turned", "blended": "turned"}
        sheet = sheet_named("taccuino").model_copy(update={"meanings": Meanings(readings=readings)})
        cut, veil = as_meant(given, sheet).materials.values()
        self.assertEqual((cut.alpha_mode, veil.alpha_mode), ("opaque", "blend"))
        turned = [m.inputs["opacity"].texture.invert for m in (cut, veil)]  # type: ignore[union-attr]
        self.assertEqual(turned, [False, True])
        self.assertTrue(cut.inputs["roughness"].texture.invert)  # type: ignore[union-attr]
        self.assertEqual(veil.inputs["roughness"].factor, (0.3,))

    def test_an_arrival_is_read_by_what_was_measured(self) -> None:
        given = scene(quad(1.0), materials=(material("m", roughness=(0.5,)),))
        sheet = sheet_named("taccuino").model_copy(update={"meanings": Meanings(roughness_power=2.0)})
        self.assertAlmostEqual(
            as_meant(given, sheet).materials["material:m"].inputs["roughness"].factor[0], 0.25
        )
        plan = move.plan(given, sheet_named("plain"), sheet, [])
        arrived = move.arrive(move.package(move.carry(given, plan, sheet), sheet), sheet)
        (only,) = arrived.materials.values()
        self.assertAlmostEqual(only.inputs["roughness"].factor[0], 0.25, delta=1e-6)
