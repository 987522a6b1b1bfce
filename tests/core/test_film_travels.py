"""A thin film of varying thickness: from glTF, over a step, and back from what was delivered."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import DECLARED, image, material, quad, scene
from trasloco import move
from trasloco.formats.gltf_materials import read_material
from trasloco.scene.images import pixels
from trasloco.scene.model import Input, Texture
from trasloco.scene.resolve import read_texture
from trasloco.sheets.library import sheet_named
from trasloco.sheets.text import changed

FILM = {"iridescenceFactor": 1.0, "iridescenceThicknessTexture": {"index": 0}}


def read(**told: float) -> Input:
    source = {"extensions": {"KHR_materials_iridescence": {**FILM, **told}}}
    return read_material("m", "m", source, lambda _: Texture("image:t")).inputs["iridescence_thickness"]


def thickness(given: Input, codes: list[int]) -> list[float]:
    assert given.texture is not None
    return [
        float(v) * given.factor[0]
        for v in read_texture(given.texture, np.array([[[0, c, 0]] for c in codes], np.uint8))[:, 0]
    ]


class Thickness(TestCase):
    def test_black_is_the_least_and_white_the_most(self) -> None:
        """KHR_materials_iridescence: mix(minimum, maximum, green); 100 and 400 nm where nothing is said."""
        np.testing.assert_allclose(thickness(read(), [0, 255]), [100, 400], rtol=1e-5)
        told = read(iridescenceThicknessMinimum=150.0, iridescenceThicknessMaximum=750.0)
        np.testing.assert_allclose(thickness(told, [0, 51, 255]), [150, 270, 750], rtol=1e-5)

    def test_more_at_black_than_at_white(self) -> None:
        told = read(iridescenceThicknessMinimum=800.0, iridescenceThicknessMaximum=200.0)
        np.testing.assert_allclose(thickness(told, [0, 255]), [800, 200], rtol=1e-5)

    def test_it_arrives_as_thick_as_it_was(self) -> None:
        codes = np.arange(0, 256, 17, dtype=np.uint8).reshape(4, 4)
        texels = np.repeat(codes[..., None], 3, axis=2)
        film = Texture("image:film", "g", floor=150 / 750)
        made = material(iridescence=(1.0,), iridescence_thickness=Input((750.0,), film))
        given = replace(scene(quad(), materials=(made,), images=(image("film", texels),)), declares=DECLARED)
        source = sheet_named("plain")
        pocket = sheet_named("taccuino")
        films = {"iridescence": {}, "iridescence_ior": {}, "iridescence_thickness": {"multiplies": True}}
        sets = [one.model_dump(exclude_unset=True) for one in pocket.materials.sets]
        set_of = {"name": "film", "channels": {"g": "iridescence_thickness"}}
        with_films = changed(pocket, {"materials.inputs": films, "materials.sets": [*sets, set_of]})
        for there in (sheet_named("fornace"), with_films):
            plan = move.plan(given, source, there)
            arrival = move.arrive(move.package(move.carry(given, plan, there), there), there)
            arrived = next(iter(arrival.materials.values())).inputs["iridescence_thickness"]
            assert arrived.texture is not None
            shades = read_texture(arrived.texture, pixels(arrival.images[arrived.texture.image]))
            with self.subTest(there.name):
                np.testing.assert_allclose(
                    arrived.factor[0] * shades, 150 + 600 * (codes / 255), atol=750 / 255
                )

    def test_where_no_number_stands_beside_an_image_its_mean_travels(self) -> None:
        """An image alone would be cut to 1 nm."""
        texels = np.full((4, 4, 3), 51, np.uint8)
        film = Input((750.0,), Texture("image:film", "g"))
        made = material(iridescence=(1.0,), iridescence_thickness=film)
        given = replace(scene(quad(), materials=(made,), images=(image("film", texels),)), declares=DECLARED)
        sheet = sheet_named("lanterna")
        sets = [one.model_dump(exclude_unset=True) for one in sheet.materials.sets]
        films = {"iridescence": {}, "iridescence_ior": {}, "iridescence_thickness": {}}
        set_of = {"name": "film", "channels": {"g": "iridescence_thickness"}}
        there = changed(sheet, {"materials.inputs": films, "materials.sets": [*sets, set_of]})
        plan = move.plan(given, sheet_named("plain"), there)
        arrival = move.arrive(move.package(move.carry(given, plan, there), there), there)
        arrived = next(iter(arrival.materials.values())).inputs["iridescence_thickness"]
        self.assertIsNone(arrived.texture)
        self.assertAlmostEqual(arrived.factor[0], 150.0, delta=1.5)
