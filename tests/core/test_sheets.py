"""Sheets as text and in plain words: there and back, broken ones told by their line, own ones followed by
plan and understudy.
"""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import DECLARED, image, material, noise_image, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.fit.memory import arrival_bytes
from trasloco.inputs.table import INPUTS, SCATTERING, VECTORS
from trasloco.mends.settling import settle
from trasloco.scene.images import pixels
from trasloco.scene.model import Input, Texture
from trasloco.sheets.library import built_in_sheets, sheet_at
from trasloco.sheets.lines import LINES
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import changed, parse_sheet, sheet_toml
from trasloco.sheets.words import differences, fields_of, may_say, said

SHEETS = built_in_sheets()


class Text(TestCase):
    def test_every_sheet_comes_back_from_its_toml(self) -> None:
        for sheet in SHEETS.values():
            self.assertEqual(parse_sheet(sheet_toml(sheet), "again"), sheet)

    def test_a_broken_line_is_named(self) -> None:
        for path, value in (
            ("images.depth", 12),
            ("images.largest", -1),
            ("images.pattern", "{material}"),
            ("images.pattern", "{material}{set}{x}"),
            ("images.folder", "../up"),
            ("images.kind", "gif"),
            ("images.kind", "bmp"),
            ("conventions.unit_m", 0),
            ("materials.alpha", ["glassy"]),
            ("lights.kinds", ["moon"]),
            ("materials.sets", [{"name": "a", "channels": {"r": "base_color"}}]),
            (
                "materials.sets",
                [
                    {"name": "a", "channels": {"r": "roughness"}},
                    {"name": "b", "channels": {"r": "roughness"}},
                ],
            ),
            ("materials.inputs", {"taste": {}}),
        ):
            with self.subTest(path=path, value=value), self.assertRaises(Refused) as caught:
                changed(SHEETS["lanterna"], {path: value})
            self.assertTrue(caught.exception.where.startswith(path.split(".")[0]), caught.exception.where)
            self.assertNotIn("Value error", caught.exception.what)
        for path in ("conventions.taste", "nothing", "materials.sets.0", "name.first"):
            with self.subTest(path=path), self.assertRaises(Refused):
                changed(SHEETS["lanterna"], {path: 1})

    def test_a_layout_leaves_no_choice_about_what_its_format_says(self) -> None:
        for name, path, value in (
            ("taccuino", "conventions.normal_green", "down"),
            ("taccuino", "conventions.up_axis", "Z"),
            ("lanterna", "conventions.unit_m", 0.01),
            ("fornace", "conventions.normal_green", "down"),
            ("taccuino", "lights.environment", True),
            ("taccuino", "materials.inputs", {"subsurface": {}}),
            ("fornace", "materials.inputs", {"occlusion": {}}),
            ("taccuino", "materials.sets", [{"name": "s", "channels": {"r": "roughness"}}]),
            ("fornace", "materials.sets", [{"name": "s", "channels": {"r": "roughness", "g": "metalness"}}]),
        ):
            with self.subTest(name=name, path=path), self.assertRaises(Refused) as caught:
                changed(SHEETS[name], {path: value})
            self.assertEqual(caught.exception.where, path)

    def test_a_sheet_from_a_file(self) -> None:
        import tempfile
        from pathlib import Path

        mine = changed(SHEETS["lanterna"], {"images.largest": 256}).model_copy(
            update={"name": "Small lantern"}
        )
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "mine.toml"
            path.write_text(sheet_toml(mine), "utf-8")
            self.assertEqual(sheet_at(str(path), "destination"), mine)
            with self.assertRaises(Refused):
                sheet_at(str(path), "source")
            with self.assertRaises(Refused):
                sheet_at(str(Path(folder) / "other.toml"), "source")


class Words(TestCase):
    def test_every_line_has_words_for_everything_it_may_say(self) -> None:
        for sheet in SHEETS.values():
            for one in fields_of(sheet):
                self.assertTrue(said(sheet, one), one.path)
                for value in one.choices:
                    if one.kind in ("choice", "flag") and sheet.layout in (None, "glb and list"):
                        told: object = (
                            value == "true"
                            if one.kind == "flag"
                            else int(value)
                            if value.isdigit()
                            else value
                        )
                        try:
                            self.assertEqual(said(changed(sheet, {one.path: told}), one), one.choices[value])
                        except Refused as refused:
                            may = ("conventions", "images", "lightmaps", "structure")
                            self.assertTrue(
                                refused.where.startswith(may) or not may_say(sheet, one.path, value),
                                refused.where,
                            )

    def test_lines_that_mean_nothing_in_a_layout_are_not_shown(self) -> None:
        for path, with_it, without in (
            ("package.networks", ("fornace",), ("lanterna", "plancia", "tela")),
            ("cameras.shift", ("fornace", "plancia"), ("lanterna", "taccuino", "sipario", "tela")),
            (
                "conventions.space",
                ("fornace", "plancia", "sipario"),
                ("lanterna", "taccuino", "tela", "plain"),
            ),
        ):
            for names, there in ((with_it, True), (without, False)):
                for name in names:
                    with self.subTest(path, sheet=name):
                        shown = {one.path for one in fields_of(SHEETS[name])}
                        self.assertEqual(path in shown, there)

    def test_only_differences_are_shown(self) -> None:
        mine = changed(SHEETS["lanterna"], {"images.largest": 512, "materials.two_sided": "always"})
        found = {d.field.path: (d.first, d.second) for d in differences(SHEETS["lanterna"], mine)}
        self.assertEqual(
            found,
            {
                "images.largest": ("At most 2048 texels a side", "At most 512 texels a side"),
                "materials.two_sided": ("When the material says so", "Always"),
            },
        )
        self.assertEqual(differences(SHEETS["fornace"], SHEETS["fornace"]), [])

    def test_every_line_that_a_rule_may_read_is_on_the_page(self) -> None:
        """A line that is added to the model has to be given words, or be named here as one nobody chooses."""
        unchosen = {"conventions.relief", "images.embedded"}
        lines = {
            f"{group}.{name}"
            for group in ("conventions", "images", "materials", "lights")
            for name in type(getattr(Sheet(name="a", summary=""), group)).model_fields
        }
        self.assertEqual(lines - {one.path for one in LINES}, unchosen)


class OwnSheets(TestCase):
    def test_every_input_that_a_layout_may_name_arrives_as_its_number(self) -> None:
        for base in ("lanterna", "taccuino", "fornace"):
            allowed = []
            for name in INPUTS:
                try:
                    changed(SHEETS[base], {"materials.inputs": {name: {}}})
                    allowed.append(name)
                except Refused:
                    pass
            self.assertGreater(len(allowed), 20)
            mine = changed(SHEETS[base], {"materials.inputs": {name: {} for name in allowed}}).model_copy(
                update={"name": "Mine"}
            )
            for name in (n for n in allowed if n not in (*VECTORS, "height", "opacity")):
                value = {
                    "ior": 1.7,
                    "attenuation_distance": 0.5,
                    "iridescence_ior": 1.8,
                    "iridescence_thickness": 300.0,
                    "emission_strength": 3.0,
                }.get(name, 0.35)
                # Some say something only beside another; a network's thickness is a switch, not a number.
                value = 1.0 if name == "thickness" and base == "fornace" else value
                more = {
                    "emission_strength": {"emission": (0.5, 0.5, 0.5)},
                    "thickness": {"transmission": (1.0,)},
                    "diffuse_transmission_color": {"diffuse_transmission": (0.5,)},
                    "attenuation_distance": {"transmission": (1.0,)},
                    "attenuation_color": {"transmission": (1.0,), "attenuation_distance": (0.5,)},
                    **{one: {"transmission": (1.0,), "attenuation_distance": (0.5,)} for one in SCATTERING},
                }.get(name, {})
                made = material(**{**more, name: Input((value,) * INPUTS[name].channels)})
                given = replace(scene(quad(), materials=(made,)), declares=DECLARED)
                plan = move.plan(given, SHEETS["plain"], mine)
                crossing = next(c for c in plan.crossings if c.name == name)
                arrival = next(
                    iter(
                        move.arrive(
                            move.package(move.carry(given, plan, mine), mine), mine
                        ).materials.values()
                    )
                )
                with self.subTest(base=base, name=name):
                    self.assertEqual(
                        crossing.mark, "close" if name == "thickness" and base == "fornace" else "exact"
                    )
                    np.testing.assert_allclose(
                        arrival.inputs[name].factor, made.inputs[name].factor, rtol=1e-5
                    )

    def arrival_by(self, sheet: Sheet) -> tuple[dict[str, tuple[int, int]], dict[str, Input]]:
        made = material(
            base_color=Texture("image:paint", "rgb", "srgb"),
            roughness=Texture("image:rough", "r"),
            metalness=(0.3,),
            normal=Texture("image:dents"),
        )
        images = (
            noise_image("paint", 200, 300, 3),
            noise_image("rough", 64, 64, 1),
            image("dents", np.full((64, 64, 3), (140, 150, 240), np.uint8)),
        )
        given = replace(scene(quad(), materials=(made,), images=images), declares=DECLARED)
        arrival = move.arrive(
            move.package(move.carry(given, move.plan(given, SHEETS["plain"], sheet), sheet), sheet), sheet
        )
        arrived = next(iter(arrival.materials.values()))
        return {
            name: pixels(arrival.images[i.texture.image]).shape[:2]
            for name, i in arrived.inputs.items()
            if i.texture
        }, arrived.inputs

    def test_an_own_sheet_is_followed_by_plan_and_understudy(self) -> None:
        lines = {
            "images.power_of_two": False,
            "images.largest": 128,
            "conventions.normal_green": "up",
            "images.folder": "pictures/all",
            "images.pattern": "{set}.{material}",
            "materials.sets": [
                {"name": "paint", "channels": {"rgb": "base_color", "a": "roughness"}, "encoding": "srgb"},
                {"name": "dents", "channels": {"rgb": "normal"}},
            ],
        }
        mine = changed(SHEETS["lanterna"], lines).model_copy(update={"name": "Mine"})
        sizes, inputs = self.arrival_by(mine)
        self.assertEqual(sizes, {"base_color": (85, 128), "roughness": (85, 128), "normal": (64, 64)})
        self.assertTrue(inputs["normal"].texture and inputs["normal"].texture.green_up)
        self.assertAlmostEqual(inputs["metalness"].factor[0], 0.3, places=5)

    def test_jpeg_is_marked_by_what_the_file_gives_back(self) -> None:
        mine = changed(SHEETS["fornace"], {"images.depth": 8, "images.kind": "jpg"}).model_copy(
            update={"name": "Mine"}
        )
        made = material(
            base_color=Texture("image:paint", "rgb", "srgb"), roughness=Texture("image:rough", "r")
        )
        given = replace(
            scene(
                quad(),
                materials=(made,),
                images=(noise_image("paint", 64, 64, 3), noise_image("rough", 64, 64, 1)),
            ),
            declares=DECLARED,
        )
        carried = move.carry(given, move.plan(given, SHEETS["plain"], mine), mine)
        for crossing in carried.plan.crossings:
            if crossing.given.texture is not None:
                planned = next(i for i in carried.plan.images if i.path == crossing.landing.image)
                self.assertEqual((crossing.mark, planned.path[-4:]), ("close", ".jpg"))
                source = pixels(given.images[crossing.given.texture.image]).astype(float) / 255
                got = pixels(carried.images[planned.path]).astype(float)[..., : source.shape[2]] / 255
                self.assertGreater(crossing.rms or 0, 0.001)
                self.assertAlmostEqual(
                    crossing.rms or 0, float(np.sqrt(np.mean((got - source) ** 2))), places=3
                )
        with self.assertRaises(Refused) as caught:
            changed(SHEETS["lanterna"], {"images.kind": "jpg"})
        self.assertEqual(caught.exception.where, "images.kind")

    def test_ktx2_arrives_from_its_blocks_and_takes_a_quarter_of_the_memory(self) -> None:
        mine = changed(SHEETS["lanterna"], {"images.kind": "ktx2"}).model_copy(update={"name": "Mine"})
        ramp = np.stack(
            np.broadcast_arrays(np.arange(64)[:, None] * 4, np.arange(64)[None, :] * 2 + 60, 128), axis=2
        ).astype(np.uint8)
        given = replace(
            scene(
                quad(),
                materials=(material(base_color=Texture("image:paint", "rgb", "srgb")),),
                images=(image("paint", ramp),),
            ),
            declares=DECLARED,
        )
        carried = move.carry(given, move.plan(given, SHEETS["plain"], mine), mine)
        crossing = next(c for c in carried.plan.crossings if c.name == "base_color")
        planned = next(i for i in carried.plan.images if i.path == crossing.landing.image)
        self.assertEqual((crossing.mark, planned.path[-5:]), ("close", ".ktx2"))
        arrival = move.arrive(move.package(carried, mine), mine)
        texture = next(iter(arrival.materials.values())).inputs["base_color"].texture
        assert texture is not None
        got = pixels(arrival.images[texture.image])[..., :3].astype(int)
        self.assertLess(float(np.abs(got - ramp).mean()), 3.0)
        plain = replace(planned, kind="png")
        self.assertAlmostEqual(arrival_bytes(plain) / arrival_bytes(planned), 4.0, delta=0.05)
        for lines in (
            {"images.kind": "ktx2", "images.power_of_two": False},
            {"images.kind": "ktx2", "images.depth": 16},
        ):
            with self.assertRaises(Refused):
                changed(SHEETS["lanterna"], lines)
        with self.assertRaises(Refused):
            changed(
                SHEETS["fornace"], {"images.kind": "ktx2", "images.depth": 8, "images.power_of_two": True}
            )
        inside = changed(SHEETS["taccuino"], {"images.kind": "ktx2", "images.power_of_two": True}).model_copy(
            update={"name": "Inside"}
        )
        arrival = move.arrive(
            move.package(move.carry(given, move.plan(given, SHEETS["plain"], inside), inside), inside), inside
        )
        base = next(iter(arrival.materials.values())).inputs["base_color"].texture
        assert base is not None
        self.assertEqual(arrival.images[base.image].kind, "ktx2")

    def test_a_pocket_device_of_ones_own(self) -> None:
        mine = changed(
            SHEETS["taccuino"],
            {
                "images.largest": 32,
                "images.power_of_two": True,
                "materials.two_sided": "always",
                "materials.vertex_color": "ignored",
            },
        ).model_copy(update={"name": "Mine"})
        sizes, inputs = self.arrival_by(mine)
        self.assertTrue(all(max(s) <= 32 and not any(v & (v - 1) for v in s) for s in sizes.values()), sizes)
        self.assertFalse(inputs["base_color"].vertex_color)

    def test_a_source_whose_images_replace_the_tint(self) -> None:
        made = material(
            base_color=Input((0.5, 0.2, 0.1), Texture("image:paint", "rgb", "srgb")), roughness=(0.4,)
        )
        given = replace(
            scene(quad(), materials=(made,), images=(noise_image("paint", 16, 16, 3),)), declares=frozenset()
        )
        plain = settle(given, SHEETS["plain"], ())
        mine = settle(given, changed(SHEETS["plain"], {"conventions.tint": "replaced by the image"}), ())
        told = settle(
            replace(given, declares=frozenset({"tint"})),
            changed(SHEETS["plain"], {"conventions.tint": "replaced by the image"}),
            (),
        )
        self.assertEqual(
            [next(iter(s.materials.values())).inputs["base_color"].factor for s in (plain, mine, told)],
            [(0.5, 0.2, 0.1), (1.0, 1.0, 1.0), (0.5, 0.2, 0.1)],
        )
        self.assertEqual(next(iter(mine.materials.values())).inputs["roughness"].factor, (0.4,))
