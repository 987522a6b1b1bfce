"""DDS in blocks: read by two libraries that are not ours, levels and bytes by closed forms, the header by its
documentation.
"""

from __future__ import annotations

import io
import struct
import tempfile
from unittest import TestCase

import numpy as np
import OpenImageIO as oiio
from PIL import Image as PilImage

from tests.making import noise_image
from trasloco.scene.dds import (
    BC1_UNORM_SRGB,
    BC3_UNORM,
    BC4_UNORM,
    BC5_UNORM,
    BC7_UNORM,
    BC7_UNORM_SRGB,
    HEADER_BYTES,
    dds_file,
)
from trasloco.scene.images import identify, pixels


def ramp(channels: int, width: int = 64, height: int = 32) -> np.ndarray:
    x, y = np.meshgrid(np.linspace(0, 1, width), np.linspace(0, 1, height))
    planes = (x, y, (x + y) / 2, 1 - x)[:channels]
    return (np.stack(planes, axis=-1) * 255).round().astype(np.uint8)


def read_by_pillow(data: bytes, channels: int) -> np.ndarray:
    made = np.asarray(PilImage.open(io.BytesIO(data)))
    return made.reshape(*made.shape[:2], -1)[..., :channels].astype(int)


class Dds(TestCase):
    def test_two_readers_find_nearly_what_was_written(self) -> None:
        for channels in (1, 2, 3, 4):
            texels = ramp(channels)
            data = dds_file(texels, channels == 3)
            ours = pixels(identify("image:a", "a", "a.dds", data))[..., :channels].astype(int)
            theirs = read_by_pillow(data, channels)
            with self.subTest(channels):
                self.assertLessEqual(
                    int(np.abs(ours - theirs).max()), 1
                )  # how means are rounded is left open
                self.assertLess(float(np.sqrt(np.mean((theirs - texels) ** 2))), 2.5)

    def test_an_opaque_image_stays_opaque(self) -> None:
        made = np.asarray(PilImage.open(io.BytesIO(dds_file(ramp(3), True))))
        self.assertTrue((made[..., 3] == 255).all())

    def test_a_block_of_one_channel_has_eight_steps(self) -> None:
        """BC4: six values between the least and the most of a block, so a step is a seventh of its range."""
        texels = np.random.default_rng(3).integers(0, 256, (16, 16, 1), np.uint8)
        found = read_by_pillow(dds_file(texels, False), 1)
        blocks = texels.reshape(4, 4, 4, 4).astype(int)
        span = blocks.max(axis=(1, 3)) - blocks.min(axis=(1, 3))
        off = np.abs(found - texels).reshape(4, 4, 4, 4).max(axis=(1, 3))
        self.assertTrue((off <= span / 7 + 1).all(), (off, span))

    def test_every_level_down_to_one_texel_is_there(self) -> None:
        for (width, height), levels in (((64, 32), 7), ((16, 16), 5), ((4, 4), 3), ((1, 8), 4)):
            for channels, block in ((1, 8), (4, 16)):
                data = dds_file(ramp(channels, width, height), False)
                wide, high, blocks = width, height, 0
                for _ in range(levels):
                    blocks += -(-wide // 4) * -(-high // 4)
                    wide, high = max(wide // 2, 1), max(high // 2, 1)
                with self.subTest(f"{width} x {height}, {channels}"):
                    self.assertEqual(len(data), HEADER_BYTES + block * blocks)
                    self.assertEqual(struct.unpack_from("<I", data, 28)[0], levels)

    def test_smaller_levels_are_means_in_linear_light_where_that_is_meant(self) -> None:
        """Black and white in turn: half the light is code 188 by IEC 61966-2-1, half the code is 128."""
        board = np.indices((8, 8)).sum(axis=0) % 2 * 255
        texels = np.repeat(board[..., None], 3, axis=2).astype(np.uint8)
        for srgb, code in ((True, 188), (False, 128)):
            with self.subTest(srgb):
                spec = oiio.ImageSpec()
                levels = _level(dds_file(texels, srgb), 1, spec)
                self.assertLessEqual(float(np.abs(levels[..., :3] - code).max()), 2)

    def test_the_header_says_what_it_is(self) -> None:
        for channels, srgb, how, number in (
            (1, False, "finest", BC4_UNORM),
            (2, False, "finest", BC5_UNORM),
            (3, False, "finest", BC7_UNORM),
            (3, True, "finest", BC7_UNORM_SRGB),
            (3, True, "smallest", BC1_UNORM_SRGB),
            (4, False, "smallest", BC3_UNORM),
            (1, False, "smallest", BC4_UNORM),
        ):
            data = dds_file(ramp(channels), srgb, how)
            self.assertEqual(data[:4], b"DDS ")
            size, _, height, width, first, depth = struct.unpack_from("<6I", data, 4)
            self.assertEqual((size, height, width, depth), (124, 32, 64, 0))
            self.assertEqual(first, 16 * 8 * (8 if number in (BC4_UNORM, BC1_UNORM_SRGB) else 16))
            self.assertEqual(data[84:88], b"DX10")
            found, dimension, _, count, _ = struct.unpack_from("<5I", data, 128)
            self.assertEqual((found, dimension, count), (number, 3, 1))

    def test_the_smaller_blocks_are_read_by_others_and_lose_little(self) -> None:
        for channels in (3, 4):
            data = dds_file(ramp(channels), False, "smallest")
            found = np.asarray(PilImage.open(io.BytesIO(data)))[..., :channels].astype(int)
            self.assertLess(float(np.abs(found - ramp(channels)).mean()), 4)

    def test_smaller_levels_can_be_left_out(self) -> None:
        data = dds_file(ramp(3), True, with_levels=False)
        self.assertEqual(len(data), HEADER_BYTES + 16 * 16 * 8)
        self.assertEqual(struct.unpack_from("<I", data, 28)[0], 1)
        self.assertEqual(read_by_pillow(data, 3).shape, (32, 64, 3))

    def test_sides_that_are_no_multiple_of_four_are_filled_up(self) -> None:
        texels = ramp(3, 10, 6)
        found = read_by_pillow(dds_file(texels, False), 3)
        self.assertEqual(found.shape, (6, 10, 3))
        self.assertLess(float(np.abs(found - texels).mean()), 6)

    def test_it_is_the_same_each_time(self) -> None:
        texels = pixels(noise_image("noise", 32, 32, 3))
        self.assertEqual(dds_file(texels, True), dds_file(texels, True))


def _level(data: bytes, level: int, spec: oiio.ImageSpec) -> np.ndarray:
    """The texels of a level, by a library."""
    with tempfile.NamedTemporaryFile(suffix=".dds") as file:
        file.write(data)
        file.flush()
        reader = oiio.ImageInput.open(file.name, spec)
        found = reader.read_image(0, level, 0, 4, oiio.UINT8)
        reader.close()
    return np.asarray(found).astype(int)
