"""What a sheet may say of a package: each line that a layout cannot keep is told by itself, and each it can
keep is kept, whatever the layout is.
"""

from __future__ import annotations

import csv
import io
import json
from typing import get_args
from unittest import TestCase

from tests.carried import delivered, unaccounted
from tests.core.test_flat_layouts import FACETS, PHYSICAL, PLAIN, SCATOLA, SHEETS, TELA
from tests.everything import everything
from tests.making import material, noise_image, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.scene.model import Texture
from trasloco.sheets.layouts import LAYOUTS
from trasloco.sheets.model import PackageRules
from trasloco.sheets.text import changed


class Sheets(TestCase):
    def test_each_line_that_a_format_of_points_cannot_keep_is_told_by_itself(self) -> None:
        for sheet, path, value in (
            (TELA, "structure.groups", True),
            (TELA, "structure.pivots", True),
            (TELA, "structure.colors", True),
            (TELA, "structure.uv_sets", "any"),
            (TELA, "structure.names", "kept"),
            (TELA, "structure.slots", "kept"),
            (TELA, "structure.motion", ["places"]),
            (TELA, "cameras.taken", True),
            (TELA, "lights.kinds", ["sun"]),
            (TELA, "lightmaps.taken", True),
            (TELA, "materials.alpha", ["opaque", "blend"]),
            (TELA, "materials.two_sided", "flag"),
            (TELA, "materials.inputs", {"metalness": {}}),
            (TELA, "images.kind", "ktx2"),
            (PHYSICAL, "materials.inputs", {"sheen_roughness": {}}),
            (PHYSICAL, "materials.sets", [{"name": "a", "channels": {"g": "roughness"}}]),
            (SCATOLA, "materials.colors_on_points", False),
            (SCATOLA, "materials.inputs", {"base_color": {}, "roughness": {}}),
            (FACETS, "structure.normals", True),
            (SHEETS["lanterna"], "package.files", "one a part"),
        ):
            with self.subTest(f"{sheet.name} {path}"), self.assertRaises(Refused) as caught:
                changed(sheet, {path: value, **({"images.power_of_two": True} if value == "ktx2" else {})})
            self.assertEqual(caught.exception.where, path)

    def test_every_form_that_a_sheet_may_name_is_a_form_of_some_layout(self) -> None:
        named = {form for facts in LAYOUTS.values() for form in facts.forms}
        spoken = set(get_args(PackageRules.model_fields["form"].annotation)) - {"usual"}
        self.assertEqual(named, spoken)


class Kinds(TestCase):
    def test_every_kind_of_image_that_a_layout_may_name_arrives(self) -> None:
        """Whole codes in kinds without loss; what a kind costs is told by its mark."""
        colored, rough = noise_image("color", 16, 16, 3), noise_image("rough", 16, 16, 3)
        boards = material(
            "boards", base_color=Texture(colored.id, "rgb", "srgb"), roughness=Texture(rough.id, "r")
        )
        given = scene(quad(1, boards.id), materials=(boards,), images=(colored, rough))
        for name in ("lanterna", "taccuino", "fornace", "plancia", "sipario"):
            for kind in LAYOUTS[SHEETS[name].layout or ""].images:
                changes = {"images.kind": kind, "images.depth": 8}
                if kind in ("ktx2", "dds"):
                    changes["images.power_of_two"] = True
                if kind == "jpg" and any("a" in one.channels for one in SHEETS[name].materials.sets):
                    sets = [one.model_dump() for one in SHEETS[name].materials.sets]
                    for one in sets:
                        one["channels"].pop("a", None)
                    changes |= {"materials.sets": sets}
                with self.subTest(f"{name} as {kind}"):
                    sheet = changed(SHEETS[name], changes)
                    self.assertEqual(unaccounted(given, sheet), [])
                    carried = move.carry(given, move.plan(given, PLAIN, sheet), sheet)
                    (crossing,) = (c for c in carried.plan.crossings if c.name == "base_color")
                    lossy = kind in ("jpg", "ktx2", "dds")
                    self.assertEqual(crossing.mark, "close" if lossy else "exact")
                    self.assertEqual({image.kind for image in carried.images.values()}, {kind})

    def test_a_kind_that_readers_of_a_layout_do_not_take_is_refused(self) -> None:
        for name, kind in (("taccuino", "tga"), ("plancia", "webp"), ("tela", "webp"), ("taccuino", "exr")):
            with self.subTest(f"{name} as {kind}"), self.assertRaises(Refused) as caught:
                changed(SHEETS[name], {"images.kind": kind, "images.depth": 8})
            self.assertEqual(caught.exception.where, "images.kind")


class Tables(TestCase):
    def test_a_table_of_materials_lies_beside_any_layout(self) -> None:
        """Read by another library: the columns in the order asked for, numbers and images as delivered."""
        picture = noise_image("planks", 8, 8)
        boards = material(
            "boards, oiled",
            base_color=Texture(picture.id, "rgb", "srgb"),
            roughness=(0.25,),
            metalness=(0.0,),
        )
        given = scene(quad(1, boards.id), materials=(boards,), images=(picture,))
        columns = ["input", "material", "value", "image", "parts"]
        for name in ("tela", "taccuino", "plancia", "scatola"):
            sheet = changed(SHEETS[name], {"package.table": "csv", "package.columns": columns})
            files = delivered(given, sheet).files
            told = list(csv.reader(io.StringIO(files["material-table.csv"].decode())))
            self.assertEqual(told[0], columns)
            rows = {row[0]: row for row in told[1:]}
            if name != "scatola":
                self.assertEqual(rows["roughness"][2], "0.25")
                self.assertIn(rows["base_color"][3], {*files, "boards-oiled-color.png"})
            self.assertEqual(len({row[4] for row in told[1:]}), 1)
            same = changed(sheet, {"package.table": "json"})
            listed = json.loads(delivered(given, same).files["material-table.json"])
            self.assertEqual([list(row) for row in listed], [columns] * (len(told) - 1))
            self.assertEqual(unaccounted(given, same), [])


class Lines(TestCase):
    def test_lines_of_structure_are_kept_whatever_the_layout_is(self) -> None:
        """One line turned over at a time, on layouts that could hold more."""
        apart = {"structure.groups": False}
        still = {
            **apart,
            "structure.pivots": False,
            "structure.instances": False,
            "structure.tangents": False,
            "structure.motion": [],
        }
        for name, changes in (
            ("lanterna", apart),
            ("fornace", apart),
            ("plancia", {**apart, "structure.names": "plain"}),
            ("sipario", {"structure.groups": True}),
            ("taccuino", still),
            ("taccuino", {**still, "structure.slots": "by material"}),
            ("fornace", {**still, "structure.uv_sets": "one"}),
            ("lanterna", {"structure.motion": ["places"]}),
            ("lanterna", {"cameras.taken": False, "cameras.lens": False}),
            ("lanterna", {"structure.uv_sets": "one", "materials.relief_strength": "in the image"}),
            ("taccuino", {"structure.colors": False, "structure.normals": False}),
            ("taccuino", {"materials.cut_at": "half", "structure.names": "plain"}),
        ):
            sheet = changed(SHEETS[name], changes)
            for number in (1, 2):
                with self.subTest(f"{name} {changes}, {number}"):
                    self.assertEqual(unaccounted(everything(f"combo {number}"), sheet), [])

    def test_lines_that_need_one_another_are_told(self) -> None:
        for changes, path in (
            ({"structure.slots": "by material"}, "structure.slots"),
            ({"structure.pivots": False}, "structure.groups"),
            ({"structure.pivots": False, "structure.groups": False}, "structure.instances"),
        ):
            with self.assertRaises(Refused) as caught:
                changed(SHEETS["taccuino"], changes)
            self.assertEqual(caught.exception.where, path)
