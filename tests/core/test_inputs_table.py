"""The table of material inputs, row by row, against the standards' own definitions."""

from __future__ import annotations

import math
import re
from unittest import TestCase

import MaterialX as mx
from pxr import Sdr

from tests.core.test_outside_judge import node_library
from trasloco.fit.families.kinds import GREEN, KINDS, NOISE, WORDS
from trasloco.inputs.spec import GLTF_NODE, OPENPBR, PBR, STANDARD
from trasloco.inputs.table import INPUTS, LENGTHS, ORDER, SHARES, UNDER_THE_SURFACE, VECTORS, company_of
from trasloco.render.columns import BASE, COAT_NORMAL, COLUMN, MATERIAL_COLUMNS, NUMBERS, PLAIN

DEFINITIONS = {
    OPENPBR: "ND_open_pbr_surface_surfaceshader",
    STANDARD: "ND_standard_surface_surfaceshader",
    GLTF_NODE: "ND_gltf_pbr_surfaceshader",
}


class Standards(TestCase):
    def test_every_name_is_an_input_of_its_node_and_of_its_kind(self) -> None:
        library = node_library()
        for node, definition in DEFINITIONS.items():
            held = library.getNodeDef(definition)
            for row in INPUTS.values():
                for name in (row.nodes.of(node), row.nodes.weights.get(node, "")):
                    if not name:
                        continue
                    given = held.getActiveInput(name)
                    self.assertIsNotNone(given, f"{node} has no {name}")
                    if name == row.nodes.of(node):
                        self._same_kind(given.getType(), row.name, f"{node} {name}")

    def _same_kind(self, kind: str, name: str, where: str) -> None:
        row = INPUTS[name]
        if name == "opacity" and kind == "color3":
            return  # Standard Surface lets each channel through by itself
        wanted = {"color": {"color3"}, "vector": {"vector3"}, "data": {"float"}}[row.holds]
        self.assertIn(kind, wanted, where)

    def test_every_preview_input_is_one_of_its_specification(self) -> None:
        preview = Sdr.Registry().GetShaderNodeByIdentifier("UsdPreviewSurface")
        told = set(preview.GetShaderInputNames()) if preview else set()
        self.assertGreater(len(told), 10)
        for row in INPUTS.values():
            if row.nodes.preview:
                self.assertIn(row.nodes.preview, told)

    def test_defaults_of_the_gltf_node_are_those_of_the_table(self) -> None:
        """The glTF node says what the extensions' schemas say where nothing is given."""
        held, compared = node_library().getNodeDef(DEFINITIONS[GLTF_NODE]), 0
        for row in INPUTS.values():
            given = held.getActiveInput(row.nodes.gltf) if row.nodes.gltf else None
            if (
                given is None
                or not given.getValueString()
                or row.gltf is None
                or GLTF_NODE in row.nodes.assumed
            ):
                continue
            if row.name == "attenuation_distance":
                self.assertEqual((float(given.getValueString()), row.default), (0.0, (math.inf,)))
                continue  # no distance, there as 0 and here as infinitely far
            wanted = tuple(float(v) for v in given.getValueString().split(","))
            self.assertEqual(row.gltf.default or row.default, wanted, row.name)
            compared += 1
        self.assertGreater(compared, 18)

    def test_lengths_have_a_length_as_their_unit(self) -> None:
        held = node_library().getNodeDef(DEFINITIONS[OPENPBR])
        for row in INPUTS.values():
            given = held.getActiveInput(row.nodes.openpbr) if row.nodes.openpbr else None
            if given is not None and given.getAttribute("unittype") == "distance":
                # A film is as thin everywhere: its thickness does not grow with a scene.
                self.assertTrue(row.length or row.nodes.scale != 1.0, row.name)

    def test_where_gltf_keeps_an_input_no_other_one_is(self) -> None:
        factors = [
            (row.gltf.extension, row.gltf.factor) for row in INPUTS.values() if row.gltf and row.gltf.factor
        ]
        shared = {place for place in factors if factors.count(place) > 1}
        self.assertEqual(shared, {(PBR, "baseColorFactor")})  # colour, and opacity as its fourth number
        held: dict[tuple[str, str], list[str]] = {}
        for row in INPUTS.values():
            if row.gltf and row.gltf.texture:
                held.setdefault((row.gltf.extension, row.gltf.texture), []).append(row.gltf.channels)
        for place, channels in held.items():
            self.assertEqual(len("".join(channels)), len(set("".join(channels))), place)

    def test_extensions_are_khronos_ones_by_their_registered_spelling(self) -> None:
        for row in INPUTS.values():
            if row.gltf and row.gltf.extension not in ("", PBR):
                self.assertRegex(row.gltf.extension, r"^KHR_materials_[a-z_]+$")


class Rows(TestCase):
    def test_every_row_is_whole(self) -> None:
        for name, row in INPUTS.items():
            self.assertEqual(len(row.default), row.channels, name)
            self.assertIn(row.channels, (1, 3), name)
            self.assertEqual(row.written_channels, "rgb" if row.channels == 3 else "r")
            self.assertTrue(row.label[0].isupper(), name)
            if row.beside:
                self.assertIn(row.beside, INPUTS)
                self.assertLess(ORDER[row.beside], ORDER[name], f"{name} is told before what it is about")
                self.assertFalse(INPUTS[row.beside].beside, "who says more about something stands by itself")
                self.assertIn(name, company_of(row.beside))
            if row.share:
                self.assertTrue(all(0 <= v <= 1 for v in row.default), name)

    def test_what_follows_from_the_table(self) -> None:
        self.assertEqual(VECTORS, {"normal", "clearcoat_normal"})
        self.assertEqual(LENGTHS, {"attenuation_distance", "thickness", "subsurface_radius"})
        self.assertEqual(UNDER_THE_SURFACE, {"subsurface", "subsurface_color", "subsurface_radius"})
        self.assertNotIn("ior", SHARES)
        self.assertNotIn("emission_strength", SHARES)

    def test_words_of_images_are_told_apart(self) -> None:
        self.assertEqual(len(WORDS), len(set(WORDS)))
        for word, kind in WORDS.items():
            self.assertIn(kind, KINDS)
            self.assertEqual(word, re.sub(r"[^a-z0-9]", "", word), "small letters without separators")
            self.assertNotIn(word, GREEN)
            self.assertFalse(word in NOISE and kind not in ("mask",), word)
        for kind in KINDS.values():
            for fill in kind.fills:
                self.assertIn(fill.input, INPUTS)
                self.assertEqual(fill.channels == "rgb", INPUTS[fill.input].channels == 3)

    def test_columns_of_the_renderer_do_not_meet(self) -> None:
        self.assertEqual(sorted(int(c) for c in COLUMN.values()), list(range(len(COLUMN))))
        self.assertEqual(int(COLUMN["base_color"]), int(BASE))
        self.assertEqual(int(COLUMN["clearcoat_normal"]), int(COAT_NORMAL))
        self.assertEqual(NUMBERS, 3 * len(COLUMN))
        self.assertEqual(int(PLAIN) + 1, MATERIAL_COLUMNS)

    def test_a_film_is_told_in_micrometres_by_openpbr(self) -> None:
        held = node_library().getNodeDef(DEFINITIONS[OPENPBR]).getActiveInput("thin_film_thickness")
        assumed = INPUTS["iridescence_thickness"].nodes
        self.assertAlmostEqual(float(held.getValueString()), assumed.assumed[OPENPBR][0] * assumed.scale)
        self.assertEqual(mx.getVersionIntegers()[0], 1)
