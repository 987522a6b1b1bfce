"""Steps: exact where the maths allows, closed forms where it does not."""

from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from tests.making import image, material, quad, scene
from trasloco import move
from trasloco.fit.formulas import codes as steps
from trasloco.fit.formulas.resampling import lanczos_weights, resample
from trasloco.scene.color import srgb_to_linear
from trasloco.scene.model import Input, Texture
from trasloco.scene.resolve import input_values
from trasloco.sheets.library import built_in_sheets

codes8 = arrays(np.uint8, st.tuples(st.integers(1, 9), st.integers(1, 9), st.just(3)))
codes16 = arrays(np.uint16, st.tuples(st.integers(1, 9), st.integers(1, 9), st.just(3)))


class Steps(TestCase):
    @given(codes8 | codes16)
    def test_inverting_twice_changes_nothing(self, texels: np.ndarray) -> None:
        self.assertTrue((steps.invert(steps.invert(texels)) == texels).all())

    @given(codes8)
    def test_turning_green_twice_changes_nothing_and_touches_only_green(self, texels: np.ndarray) -> None:
        once = steps.turn_green(texels)
        self.assertTrue((once[..., [0, 2]] == texels[..., [0, 2]]).all())
        self.assertTrue((once[..., 1].astype(int) + texels[..., 1] == 255).all())
        self.assertTrue((steps.turn_green(once) == texels).all())

    @given(codes8)
    def test_packing_and_extracting_gives_the_planes_back(self, texels: np.ndarray) -> None:
        planes = {"r": texels[..., 0], "g": texels[..., 1], "b": texels[..., 2]}
        packed = steps.pack(planes, {}, 8)
        for letter, plane in planes.items():
            self.assertTrue((steps.extract(packed, letter) == plane).all())

    def test_absent_channels_are_filled_with_their_constant(self) -> None:
        packed = steps.pack({"g": np.full((2, 2), 7, np.uint8)}, {"r": 1.0, "b": 0.0}, 8)
        self.assertEqual(packed[0, 0].tolist(), [255, 7, 0])

    @given(codes8)
    def test_eight_bits_to_sixteen_and_back(self, texels: np.ndarray) -> None:
        deep = steps.to_depth(texels, 16)
        self.assertTrue((deep == texels.astype(int) * 257).all())
        self.assertTrue((steps.to_depth(deep, 8) == texels).all())

    @given(codes8, st.floats(0.1, 1.0))
    @settings(deadline=None)
    def test_a_tint_multiplies_in_linear_light(self, texels: np.ndarray, factor: float) -> None:
        tinted = steps.multiply(texels, (factor, factor, factor), "srgb", "srgb")
        expected = srgb_to_linear(texels / 255) * factor
        self.assertLess(float(np.abs(srgb_to_linear(tinted) - expected).max()), 1e-5)

    def test_a_tilted_plane_of_height_gives_its_normal(self) -> None:
        # h rises by 1/64 a texel along u over 64 texels, depth 0.5: dz/du = 0.5, so n = (-0.5, 0, 1) /
        # sqrt(1.25).
        heights = np.tile(np.arange(64, dtype=np.float32) / 64, (64, 1))
        normal = steps.relief(heights, 0.5)[32, 32] * 2 - 1
        np.testing.assert_allclose(normal, np.array([-0.5, 0, 1]) / np.sqrt(1.25), atol=1e-5)

    def test_height_that_rises_towards_the_top_tilts_green_down(self) -> None:
        heights = np.tile(1 - np.arange(64, dtype=np.float32)[:, None] / 64, (1, 64))
        normal = steps.relief(heights, 0.5)[32, 32] * 2 - 1
        np.testing.assert_allclose(normal, np.array([0, -0.5, 1]) / np.sqrt(1.25), atol=1e-5)

    def test_relief_wraps_over_the_border(self) -> None:
        phase = np.arange(32) / 32 * 2 * np.pi
        heights = np.tile((0.5 + 0.5 * np.sin(phase)).astype(np.float32), (32, 1))
        normal = steps.relief(heights, 0.1)[0, 0] * 2 - 1
        # At phase 0: dh/du by central difference = sin(2 pi / 32) * 32 / 2 (in units of one repeat).
        slope = 0.1 * 0.5 * 2 * np.sin(2 * np.pi / 32) * 32 / 2
        self.assertAlmostEqual(float(-normal[0] / normal[2]), slope, places=4)

    def test_resizing_keeps_a_constant_and_averages_in_linear_light(self) -> None:
        flat = np.full((10, 14, 3), 137, np.uint8)
        self.assertTrue((steps.to_depth(steps.resize(flat, 8, 8, "srgb"), 8) == 137).all())
        checks = (np.indices((64, 64)).sum(axis=0) % 2 * 255).astype(np.uint8)[..., None].repeat(3, axis=2)
        half = steps.resize(checks, 16, 16, "srgb")[8, 8, 0]
        self.assertAlmostEqual(float(srgb_to_linear(half)), 0.5, delta=0.02)

    def test_the_filter_sums_to_one_and_agrees_with_a_known_library_inside(self) -> None:
        from PIL import Image as Pil

        for source, target in ((100, 40), (40, 100), (7, 3), (5, 5)):
            _, weights = lanczos_weights(source, target)
            np.testing.assert_allclose(weights.sum(axis=1), 1, atol=1e-6)
        field = np.random.default_rng(2).random((48, 64)).astype(np.float32)
        theirs = np.asarray(Pil.fromarray(field).resize((24, 30), Pil.Resampling.LANCZOS))
        np.testing.assert_allclose(resample(field, 24, 30), theirs, atol=2e-3)

    def test_resized_normals_are_unit(self) -> None:
        rng = np.random.default_rng(1)
        normals = rng.normal(size=(32, 32, 3)) * [0.4, 0.4, 0.1] + [0, 0, 1]
        normals /= np.linalg.norm(normals, axis=-1, keepdims=True)
        resized = (
            steps.resize(
                np.round((normals * 0.5 + 0.5) * 255).astype(np.uint8), 16, 16, "linear", vectors=True
            )
            * 2
            - 1
        )
        self.assertLess(float(np.abs(np.linalg.norm(resized, axis=-1) - 1).max()), 1e-4)


class Delivered(TestCase):
    """Texels of one code through whole moves, against closed forms."""

    def arrived(
        self, name: str, given: Texture, factor: tuple[float, ...], sheet: str, code: list[int]
    ) -> Any:
        texels = np.broadcast_to(np.array(code, np.uint8), (8, 8, 3)).copy()
        picture = image("picture", texels)
        m = material("m", **{name: Input(factor, given)})
        scene_ = scene(quad(1, m.id), materials=(m,), images=(picture,))
        destination = built_in_sheets()[sheet]
        plain = built_in_sheets()["plain"]
        carried = move.carry(scene_, move.plan(scene_, plain, destination), destination)
        (there,) = move.arrive(move.package(carried, destination), destination).materials.values()
        arrival = move.arrive(move.package(carried, destination), destination)
        landed = next(c.landing.input for c in carried.plan.crossings if c.name == name)
        held = there.inputs[landed]
        assert held.texture is not None
        return input_values(landed, held, arrival.images[held.texture.image])[4, 4]

    def test_transmission_with_a_number_beside_it_is_taken_from_one(self) -> None:
        """0.6 x 128 / 255 lets through; 1 - 0.301 stays."""
        texture = Texture("image:picture", "r")
        for sheet in ("lanterna", "plancia"):
            got = self.arrived("transmission", texture, (0.6,), sheet, [128, 0, 0])
            self.assertAlmostEqual(float(got[0]), 1 - 0.6 * 128 / 255, delta=0.6 / 255)

    def test_the_strength_of_a_normal_map_is_written_in_where_there_is_no_number_for_it(self) -> None:
        """(0.6, 0, 0.8) at half its strength is (0.3, 0, 0.8), unit: (0.3511, 0, 0.9363)."""
        texture = Texture("image:picture", "rgb", strength=0.5)
        code = [round((v * 0.5 + 0.5) * 255) for v in (0.6, 0.0, 0.8)]
        got = self.arrived("normal", texture, (0.0, 0.0, 1.0), "plancia", code)
        np.testing.assert_allclose(got, [0.3511, 0.0, 0.9363], atol=0.012)
